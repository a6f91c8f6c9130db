//! Stations at work on lines that come from no file: as a program of somebody else's would have them.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use reigen_core::lines::{LineColumns, LineKind, RecordedLine};
use reigen_core::logic::expression::{Reference, Value};
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use reigen_run::actuator::{Actuator, Drive};
use reigen_run::displays::DisplayWatch;
use reigen_run::error::RunError;
use reigen_run::gauge::{Gauge, Sampled};
use reigen_run::observer::{Observer, WindowView};
use reigen_run::outcome::Outcome;
use reigen_run::points::{numbers_of, point_scale};
use reigen_run::replay::{RunOptions, replay};
use reigen_run::session::{Binding, Session};
use reigen_run::source::{Advance, LineSource, TakeAdvance};
use reigen_run::states::States;
use reigen_run::station_file::StationFile;
use reigen_run::stretch::Stretch;

const END: u64 = 400;
const STATION: &str = "
    [input.button]
    line = 'PB'
    debounce = { method = 'stable', time = '7 ns' }
    [counter.presses]
    up = 'button'
    presets = [3]
    [timer.run_on]
    of = 'button'
    kind = 'off_delay'
    time = '20 ns'
    [rate.pace]
    of = 'button'
    every = '25 ns'
    zero_after = '90 ns'
    [output.lamp]
    when = 'run_on OR presses.done'
    [output.horn]
    when = 'button'
    blink = { times = 2, on = '3 ns', off = '4 ns' }
    [display.at_once]
    columns = 9
    rows = 1
    text = ['{presses:^5}{button?ON:OFF}']
    [display.slow]
    columns = 20
    rows = 2
    refresh = '10 ns'
    text = ['{pace}', '{run_on} {presses.done}']
";

fn station() -> StationFile {
    StationFile::parse("station.toml".to_owned(), STATION.to_owned()).unwrap()
}

/// A line that a device reads: when it changes, and after which times the device hands over what it knows.
#[derive(Debug, Clone)]
struct Device {
    lines: Vec<RecordedLine>,
    toggles: Vec<u64>,
    passes: Vec<u64>,
    known: Nanos,
}

impl Device {
    fn new(toggles: &[u64], passes: &[u64]) -> Self {
        let line = RecordedLine { name: "PB".to_owned(), signal: 0, kind: LineKind::Level, step: None };
        Self { lines: vec![line], toggles: toggles.to_vec(), passes: passes.to_vec(), known: Nanos(0) }
    }
}

impl LineSource for Device {
    fn name(&self) -> &str {
        "device"
    }

    fn lines(&self) -> &[RecordedLine] {
        &self.lines
    }

    fn tick(&self) -> Nanos {
        Nanos(1)
    }

    fn drive(&mut self, columns: &mut LineColumns, take: &mut TakeAdvance<'_>) -> Result<(), RunError> {
        let (mut level, mut fed) = (false, 0);
        for &until in self.passes.iter().chain([&(END + 1)]) {
            let mut changes = if fed == 0 { vec![Nanos(0)] } else { Vec::new() };
            changes.extend(
                self.toggles.iter().filter(|time| (fed.max(1)..until).contains(*time)).map(|&time| Nanos(time)),
            );
            let after = level ^ ((changes.len() - usize::from(fed == 0)) % 2 == 1);
            if !changes.is_empty() {
                let before = (fed > 0).then_some(level);
                columns.append(0, reigen_core::lines::join(before, &changes, after));
            }
            (level, fed, self.known) = (after, until, Nanos(until - 1));
            if until == END + 1 {
                columns.end_at(Nanos(until));
            }
            if take(columns, Advance { known_until: Nanos(until) }).is_break() {
                break;
            }
        }
        Ok(())
    }

    fn last_time(&self) -> Nanos {
        self.known
    }
}

/// Keeps what it is told.
#[derive(Debug, Default)]
struct Lamps(Vec<(u64, String, bool)>);

impl Actuator for Lamps {
    fn set(&mut self, name: &str, on: bool, at: Nanos) -> Result<(), RunError> {
        self.0.push((at.0, name.to_owned(), on));
        Ok(())
    }
}

/// What came of it, and what the outputs drove.
fn worked(toggles: &[u64], passes: &[u64]) -> (Outcome, Lamps) {
    let station = station();
    let mut drive = Drive::new(&station.station, Lamps::default());
    let outcome = replay(&station, Device::new(toggles, passes), &RunOptions::default(), &mut [&mut drive]).unwrap();
    (outcome, drive.into_actuator())
}

fn toggles() -> impl Strategy<Value = Vec<u64>> {
    prop::collection::btree_set(1..=END, 0..60).prop_map(|times| times.into_iter().collect())
}

proptest! {
    #[test]
    fn however_a_device_hands_over_its_lines_the_outcome_is_the_same(
        toggles in toggles(),
        passes in prop::collection::btree_set(1..END, 0..30),
    ) {
        let passes: Vec<u64> = passes.into_iter().collect();
        let (whole, lamps) = worked(&toggles, &[]);
        let (parted, parted_lamps) = worked(&toggles, &passes);
        prop_assert_eq!(&whole.points, &parted.points);
        prop_assert_eq!(&lamps.0, &parted_lamps.0);
        prop_assert_eq!(whole.to, Nanos(END));
        // What was driven ends where the points do, and never says the same twice.
        for name in ["lamp", "horn"] {
            let driven: Vec<bool> = lamps.0.iter().filter(|(_, lamp, _)| lamp == name).map(|(.., on)| *on).collect();
            prop_assert!(driven.windows(2).all(|pair| pair[0] != pair[1]), "{} {:?}", name, driven);
        }
        prop_assert!(lamps.0.windows(2).all(|pair| pair[0].0 <= pair[1].0));
    }

    #[test]
    fn states_at_a_step_are_what_stands_at_each_multiple(toggles in toggles(), step in 1..60u64) {
        let station = station();
        let mut gauge = Gauge::of_points(&station.station, Nanos(step), &[], reigen_core::time::Origin(0));
        let names: Vec<String> = gauge.columns().iter().map(|column| column.name.clone()).collect();
        prop_assert!(names.iter().any(|name| name == "presses") && names.iter().any(|name| name == "button"));
        let mut rows: Vec<(u64, Vec<Option<Sampled>>)> = Vec::new();
        let mut take = |view: &mut WindowView<'_>| {
            gauge.take(view, |run| {
                let values: Vec<_> = run.samples.iter().map(|sample| sample.0).collect();
                rows.extend(run.times(Nanos(step)).map(|at| (at.0, values.clone())));
            });
        };
        replay(&station, Device::new(&toggles, &[33, 150]), &RunOptions::default(), &mut [&mut take]).unwrap();
        let times: Vec<u64> = (0..=END).step_by(step as usize).collect();
        prop_assert_eq!(rows.iter().map(|(at, _)| *at).collect::<Vec<_>>(), times);
        for (at, values) in rows {
            let options = RunOptions { to: Some(at as i64), ..RunOptions::default() };
            let mut states = States::default();
            replay(&station, Device::new(&toggles, &[]), &options, &mut [&mut states]).unwrap();
            for (name, sampled) in names.iter().zip(values) {
                let name = Reference { point: name.clone(), field: String::new() };
                let is = states.of(&station.station, &name).map(|(value, _)| match value {
                    Value::Bit(on) => Sampled::Bit(on),
                    value => Sampled::Number(value.as_real().unwrap()),
                });
                prop_assert_eq!(sampled, is, "{} at {}", name.point, at);
            }
        }
    }
}

proptest! {
    // Each case works the station anew for each nanosecond.
    #![proptest_config(ProptestConfig::with_cases(12))]

    #[test]
    fn a_display_shows_what_stands_or_what_stood_at_its_last_refresh(toggles in toggles()) {
        let station = station();
        let mut watch = DisplayWatch::telling(&station.station);
        let mut told = Vec::new();
        let mut take = |view: &mut WindowView<'_>| {
            watch.take(view).unwrap();
            told.extend(watch.take_told());
        };
        replay(&station, Device::new(&toggles, &[33, 150]), &RunOptions::default(), &mut [&mut take]).unwrap();
        let (at_end, _) = watch.finish();
        let mut shown = [None, None];
        let mut told = told.into_iter().peekable();
        for at in 0..=END {
            while let Some(text) = told.next_if(|text| text.time == Nanos(at)) {
                prop_assert_ne!(&shown[text.display], &Some(text.rows.clone()), "told twice");
                shown[text.display] = Some(text.rows);
            }
            for (number, display) in station.station.displays.iter().enumerate() {
                let stands = display.refresh.map_or(at, |refresh| at / refresh.0 * refresh.0);
                let options = RunOptions { to: Some(stands as i64), ..RunOptions::default() };
                let mut states = States::default();
                replay(&station, Device::new(&toggles, &[]), &options, &mut [&mut states]).unwrap();
                let rows = display.rows(&|name| states.of(&station.station, name).map(|(value, _)| value)).0;
                prop_assert_eq!(&shown[number], &Some(rows), "{} at {}", display.name, at);
            }
        }
        prop_assert!(told.next().is_none());
        for (rows, shown) in at_end.values().zip(shown) {
            prop_assert_eq!(Some(rows), shown.as_ref());
        }
    }
}

#[test]
fn a_session_steps_from_one_due_time_to_the_next() {
    let station = station();
    let mut device = Device::new(&[50, 80], &[]);
    let binding = Binding::new(&station, &device).unwrap();
    let mut session = Session::new(&binding, Stretch::default());
    let mut lines = device.select(&binding.signals, &binding.numbers);
    let mut lamps = Drive::new(&station.station, Lamps::default());
    let mut states = States::default();
    let mut due = Vec::new();
    device
        .drive(&mut lines, &mut |lines, _| {
            // Whoever has a clock works up to what is due, and sleeps until then.
            while session.worked_until() <= Nanos(END) {
                let next = [session.engine.next_due(), lines.all().next_change(session.worked_until())];
                let until = next.into_iter().flatten().min().map_or(Nanos(END + 1), |next| next + Nanos(1));
                due.push(until.0 - 1);
                session.step(lines, until.min(Nanos(END + 1)), &mut [&mut lamps, &mut states]).unwrap();
            }
            std::ops::ControlFlow::Continue(())
        })
        .unwrap();
    let (_, whole) = worked(&[50, 80], &[]);
    assert_eq!(lamps.into_actuator().0, whole.0);
    // The press counts 7 ns after its edge; the horn flashes twice; 20 ns after the release the lamp goes off.
    for time in [57, 60, 64, 67, 87, 107] {
        assert!(due.contains(&time), "{time} in {due:?}");
    }
    assert!(due.len() < 60, "it need not look at each instant: {due:?}");
}

#[test]
fn an_observer_that_cannot_go_on_ends_the_work() {
    struct Full;
    impl Observer for Full {
        fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
            assert_eq!(view.window.from, Nanos(0), "it is asked once");
            Err(RunError::Request { message: "full".to_owned(), help: String::new() })
        }
    }
    let error = replay(&station(), Device::new(&[9], &[20, 40]), &RunOptions::default(), &mut [&mut Full]).unwrap_err();
    assert_eq!(error.to_string(), "full");
}

#[test]
fn a_stretch_beyond_the_lines_is_refused() {
    let cases = [
        ((Some(-1), None), "--from -0.000000001 s is before the recording"),
        ((Some(30), Some(20)), "--to is before --from"),
        ((Some(500), None), "--from is after the recording"),
    ];
    for ((from, to), wanted) in cases {
        let options = RunOptions { from, to, ..RunOptions::default() };
        let error = replay(&station(), Device::new(&[9], &[]), &options, &mut []).unwrap_err();
        assert_eq!(error.to_string(), wanted);
    }
}

#[test]
fn a_station_that_names_other_lines_is_told_where() {
    let source = "[input.a]\nline = 'PBB'".to_owned();
    let station = StationFile::parse("station.toml".to_owned(), source).unwrap();
    let error = replay(&station, Device::new(&[], &[]), &RunOptions::default(), &mut []).unwrap_err();
    let RunError::Station { errors, .. } = &error else { panic!("{error}") };
    assert_eq!(errors[0].span, 17..22);
    assert_eq!(error.to_string(), "station.toml has 1 error");
}

#[test]
fn points_and_scales_are_taken_as_a_person_names_them() {
    let station = station();
    let points = |names: &[&str]| {
        let names: Vec<String> = names.iter().map(|name| (*name).to_owned()).collect();
        numbers_of(&station.station, &names).map_err(|error| error.to_string())
    };
    assert_eq!(points(&[]), Ok((0..station.station.points.len()).collect()));
    assert_eq!(points(&["presses", "button"]), Ok(vec![1, 0]));
    assert_eq!(points(&["butten"]), Err("the station has no point `butten`".to_owned()));
    let scale = |text: &str| point_scale(&station.station, text).map_err(|error| error.to_string());
    assert_eq!(scale("presses=-1..2.5e3"), Ok((1, (-1.0, 2500.0))));
    for (text, message) in [
        ("presses", "`presses` is no scale of a point"),
        ("presses=1", "`presses=1` is no scale of a point"),
        ("pressen=1..2", "the station has no point `pressen`"),
        ("presses=1..x", "`1..x` is not two numbers"),
        ("presses=1..inf", "`1..inf` is not two numbers"),
        ("presses=2..1", "the scale 2..1 is in the wrong order"),
    ] {
        assert_eq!(scale(text), Err(message.to_owned()));
    }
}

#[test]
fn files_hold_what_counts_and_appear_together_or_not_at_all() {
    let folder = tempfile::tempdir().unwrap();
    let (trace, events) = (folder.path().join("trace.vcd"), folder.path().join("events.csv"));
    let options = RunOptions { trace: Some(&trace), events: Some(&events), from: Some(60), ..RunOptions::default() };
    let outcome = replay(&station(), Device::new(&[50, 80, 200, 230], &[66, 90]), &options, &mut []).unwrap();
    let told = std::fs::read_to_string(&events).unwrap();
    let times = told.lines().skip(1).filter_map(|line| line.split(',').next());
    assert!(times.clone().count() > 8 && times.clone().all(|time| time.parse::<f64>().unwrap() >= 60e-9), "{told}");
    assert_eq!(
        told.lines().filter(|line| line.contains("presses,value")).count(),
        2,
        "they begin at 0, and one press follows"
    );
    assert!(matches!(&outcome.points[1], PointSummary::Counter(counter) if counter.value == Some(1)));
    assert!(std::fs::read_to_string(&trace).unwrap().contains("$var wire 1 "));
    // Where one cannot be put in its place, the other does not appear either.
    let (again, blocked) = (folder.path().join("again.vcd"), folder.path().join("no/such/events.csv"));
    let options = RunOptions { trace: Some(&again), events: Some(&blocked), ..RunOptions::default() };
    assert!(replay(&station(), Device::new(&[50], &[]), &options, &mut []).is_err());
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 2);
}

#[test]
fn states_are_what_points_were_last_and_since_when() {
    let station = station();
    let mut states = States::default();
    replay(&station, Device::new(&[50, 80], &[60]), &RunOptions::default(), &mut [&mut states]).unwrap();
    let of = |point: &str, field: &str| {
        let name = Reference { point: point.to_owned(), field: field.to_owned() };
        states.of(&station.station, &name).map(|(value, since)| (value, since.0))
    };
    assert_eq!(of("button", ""), Some((Value::Bit(false), 87)));
    assert_eq!(of("presses", ""), Some((Value::Integer(1), 57)));
    assert_eq!(of("presses", "done"), Some((Value::Bit(false), 0)));
    assert_eq!(of("run_on", ""), Some((Value::Bit(false), 107)));
    assert_eq!(of("nobody", ""), None);
}
