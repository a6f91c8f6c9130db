//! Live runs by a clock of our own: what links tell is worked as its recording is.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(clippy::unwrap_used)]

use proptest::prelude::*;
use reigen_core::change::Value;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use reigen_io::options::ReadOptions;
use reigen_io::recording::Recording;
use reigen_io::write::{Format, begin};
use reigen_run::error::RunError;
use reigen_run::live::changes::{PointChange, PointChanges, TakeChanges};
use reigen_run::live::event::{LineValue, LiveEvent};
use reigen_run::live::inbox::Inbox;
use reigen_run::live::recorder::{LineRecorder, heading};
use reigen_run::live::source::{LiveLink, LiveSettings, LiveSource, station_lines};
use reigen_run::outcome::Outcome;
use reigen_run::replay::{RunOptions, replay};
use reigen_run::retain::Fitting;
use reigen_run::session::Binding;
use reigen_run::station_file::StationFile;
use std::collections::VecDeque;

const STATION: &str = "
    [link.device]
    protocol = 'lines'
    address = '127.0.0.1:1'
    [output.alarm]
    when = 'NOT device.online AND turns > 1'
    [timer.away]
    of = 'NOT device.online'
    kind = 'on_delay'
    time = '15 ms'
    [input.button]
    line = 'PB'
    debounce = { method = 'stable', on = '7 ms', off = '3 ms' }
    [input.hall]
    line = 'HALL'
    [input.fault]
    line = 'STATUS.3'
    [counter.turns]
    up = 'hall'
    reset = 'button'
    presets = [3, 9]
    [rate.speed]
    of = 'hall'
    every = '20 ms'
    zero_after = '300 ms'
    [timer.run_on]
    of = 'button'
    kind = 'off_delay'
    time = '45 ms'
    [output.lamp]
    when = 'run_on AND NOT fault OR turns.done'
    blink = { times = 2, on = '30 ms', off = '10 ms' }
    [analog.load]
    line = 'LOAD'
    smooth = { over = '50 ms', every = '10 ms' }
    [register.meter]
    line = 'METER'
    bits = 6
    [hold.load_at_press]
    of = 'load'
    at = 'button'
    [expect.answers]
    that = 'lamp'
    after = 'button'
    within = '60 ms'
";

/// The same device, asked again and again.
const POLLED: &str = "protocol = 'modbus-tcp'
    address = '127.0.0.1:1'
    every = '10 ms'
    lines = { PB = 'coil 0', HALL = 'coil 1', STATUS = 'input 0', LOAD = 'input 1', METER = 'input 2' }";
const PRINTED: &str = "protocol = 'lines'
    address = '127.0.0.1:1'";

/// A clock that stands still but for what is waited for, and events that arrive by it.
struct Script {
    now: Nanos,
    events: VecDeque<(Nanos, LiveEvent)>,
}

impl Inbox for Script {
    fn now(&self) -> Nanos {
        self.now
    }

    fn receive(&mut self, until: Nanos) -> Option<LiveEvent> {
        match self.events.front() {
            Some((arrived, _)) if *arrived <= until => {
                let (arrived, event) = self.events.pop_front()?;
                self.now = self.now.max(arrived);
                Some(event)
            }
            _ => {
                self.now = self.now.max(until);
                None
            }
        }
    }

    fn receive_at_once(&mut self) -> Option<LiveEvent> {
        let now = self.now;
        self.events
            .front()
            .is_some_and(|(arrived, _)| *arrived <= now)
            .then(|| self.events.pop_front())?
            .map(|event| event.1)
    }
}

/// All changes of all points.
#[derive(Default)]
struct Changes(Vec<PointChange>);

impl TakeChanges for &mut Changes {
    fn take(&mut self, changes: &[PointChange], _until: Nanos) -> Result<(), RunError> {
        self.0.extend_from_slice(changes);
        Ok(())
    }
}

fn settings(length: Option<Nanos>) -> LiveSettings {
    let device = LiveLink { name: "device".to_owned(), lateness: Nanos(5_000_000) };
    LiveSettings { name: "live".to_owned(), links: vec![device], length, kept: Fitting::default(), set_from: None }
}

/// Works a station on a script; gives what came of it, the changes of points, and the recording.
fn live(
    station: &StationFile,
    events: VecDeque<(Nanos, LiveEvent)>,
    length: Nanos,
    format: Format,
) -> (Outcome, Changes, Vec<u8>) {
    let script = Script { now: Nanos(0), events };
    let (source, mut next_due) = LiveSource::new(settings(Some(length)), station_lines(&station.station), script);
    let binding = Binding::new(station, &source).unwrap();
    let [levels, numbers] = source.lines_of(&binding);
    let (mut bytes, mut changes) = (Vec::new(), Changes::default());
    let out = begin((format, None), &heading(&levels, &numbers, Vec::new()), &mut bytes).unwrap();
    let mut recorder = LineRecorder::new(out, [levels.len(), numbers.len()], "live.jsonl".into()).unwrap();
    let all: Vec<usize> = (0..station.station.points.len()).collect();
    let mut watch = PointChanges::new(all.len(), &all, &mut changes);
    let outcome =
        replay(station, source, &RunOptions::default(), &mut [&mut next_due, &mut watch, &mut recorder]).unwrap();
    drop((watch, recorder));
    (outcome, changes, bytes)
}

/// What a recording gives.
fn recorded(station: &StationFile, bytes: Vec<u8>) -> (Outcome, Changes) {
    let bytes: Box<dyn std::io::Read + Send> = Box::new(std::io::Cursor::new(bytes));
    let recording = Recording::from_bytes("live.jsonl".to_owned(), bytes, &ReadOptions::default()).unwrap();
    let mut changes = Changes::default();
    let all: Vec<usize> = (0..station.station.points.len()).collect();
    let mut watch = PointChanges::new(all.len(), &all, &mut changes);
    let outcome = replay(station, recording, &RunOptions::default(), &mut [&mut watch]).unwrap();
    drop(watch);
    (outcome, changes)
}

/// Findings that tell of points, and not of where lines come from.
fn codes(outcome: &Outcome) -> Vec<(&str, &str)> {
    let of_lines =
        ["no-level", "late-level", "unknown-level", "lines-late", "clock-restarted", "lines-malformed", "link-down"];
    let findings = outcome.findings.iter().filter(|finding| !of_lines.contains(&finding.code));
    findings.map(|finding| (finding.code, finding.subject.as_str())).collect()
}

/// One value that a device tells: how long after the one before, how late it arrives, which line, and the value.
type Told = (u64, u64, usize, u32);

/// The events of a device; `own_clock` says that it tells its own times.
fn events(told: &[Told], lines: &[RecordedLine], own_clock: bool) -> VecDeque<(Nanos, LiveEvent)> {
    let mut own = 0;
    let mut events: Vec<(Nanos, LiveEvent)> = told
        .iter()
        .map(|&(step, delay, line, value)| {
            own += step * 1_000_000 + 137;
            let line = line % lines.len();
            let value = match lines[line].kind {
                LineKind::Level => Value::Level(value % 2 == 1),
                _ => Value::Number(f64::from(value % 64)),
            };
            let arrived = Nanos(own + if own_clock { delay * 700_000 } else { 0 });
            let own_time_ns = own_clock.then_some(own as i64 + 1_000_000_000_000);
            if lines[line].name == "device.online" {
                let lost = (value == Value::Level(false)).then(|| "no answer".to_owned());
                return (arrived, LiveEvent::Reached { link: 0, at: arrived, lost });
            }
            (arrived, LiveEvent::Values { link: 0, values: vec![LineValue { line, value, arrived, own_time_ns }] })
        })
        .collect();
    events.sort_by_key(|(arrived, _)| *arrived);
    events.into()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(160))]

    /// The law: a live run and its recording agree, in every point, at every change.
    #[test]
    fn a_live_run_and_its_recording_agree(
        told in prop::collection::vec((0..40u64, 0..12u64, 0..6usize, 0..64u32), 0..120),
        own_clock in any::<bool>(),
        more in 1..500u64,
        scan in prop::sample::select(vec!["", "[scan]\nperiod = '10 ms'\nphase = '3 ms'\n"]),
        link in prop::sample::select(vec![PRINTED, POLLED]),
        format in prop::sample::select(vec![Format::JsonLines, Format::Vcd]),
    ) {
        let text = format!("{scan}{}", STATION.replace(PRINTED, link));
        let station = StationFile::parse("station.toml".to_owned(), text).unwrap();
        let lines = station_lines(&station.station);
        let events = events(&told, &lines, own_clock);
        let end = events.back().map_or(0, |(arrived, _)| arrived.0) + more * 1_000_000;
        let (outcome, changes, bytes) = live(&station, events, Nanos(end), format);
        let (again, changes_again) = recorded(&station, bytes);
        prop_assert_eq!(&changes.0, &changes_again.0);
        prop_assert_eq!(&outcome.points, &again.points);
        prop_assert_eq!(codes(&outcome), codes(&again));
        prop_assert_eq!((outcome.to, outcome.edges), (again.to, again.edges));
    }
}

#[test]
fn timers_come_due_on_time_and_a_day_is_over_at_once() {
    let station = StationFile::parse("station.toml".to_owned(), STATION.to_owned()).unwrap();
    let lines = station_lines(&station.station);
    let button = lines.iter().position(|line| line.name == "PB").unwrap();
    // A press of 20 ms each second, for a day.
    let second = 1_000_000_000;
    let day = 24 * 3600;
    let press = |number: u64, after: u64, high| {
        let arrived = Nanos(number * second + after);
        let value = LineValue { line: button, value: Value::Level(high), arrived, own_time_ns: None };
        (arrived, LiveEvent::Values { link: 0, values: vec![value] })
    };
    let events = (0..day)
        .flat_map(|number| [press(number, 0, false), press(number, 500, true), press(number, 20_000_500, false)]);
    let (outcome, changes, _) = live(&station, events.collect(), Nanos(day * second), Format::JsonLines);
    let timer = station.station.points.iter().position(|point| point.name == "run_on").unwrap();
    let Some(PointSummary::Bit(tally)) = outcome.points.get(timer) else { panic!("no timer") };
    assert_eq!((tally.rising, tally.falling), (day, day));
    // On after 7 ms, off 3 ms after the release and 45 ms more.
    let mine: Vec<u64> = changes.0.iter().filter(|change| change.point == timer).map(|change| change.time.0).collect();
    assert_eq!(mine[1..3], [7_000_500, 68_000_500]);
}

#[test]
fn a_stop_ends_the_run_and_what_is_nothing_is_told() {
    let station = StationFile::parse("station.toml".to_owned(), "[input.button]\nline = 'PB'\n".to_owned()).unwrap();
    let malformed = LiveEvent::Malformed { link: 0, count: 3, first: "`x` is no object".to_owned() };
    let events = VecDeque::from([(Nanos(5), malformed), (Nanos(40), LiveEvent::Stop)]);
    let (outcome, ..) = live(&station, events, Nanos(1_000), Format::JsonLines);
    assert_eq!(outcome.to, Nanos(40));
    let found = outcome.findings.iter().find(|finding| finding.code == "lines-malformed").unwrap();
    assert!(found.message.contains("3 messages") && found.message.contains("`x` is no object"), "{}", found.message);
}

#[test]
fn a_reading_of_a_polled_line_is_no_finer_than_its_passes() {
    let text = "[link.device]\nprotocol = 'modbus-tcp'\naddress = 'h:1'\nevery = '10 ms'\nlines = { HALL = 'coil 0' }\n\
        [input.hall]\nline = 'HALL'\n[rate.speed]\nof = 'hall'\nmethod = 'period'\n";
    let of = |text: &str| {
        let station = StationFile::parse("station.toml".to_owned(), text.to_owned()).unwrap();
        let lines = station_lines(&station.station);
        let hall = lines.iter().position(|line| line.name == "HALL").unwrap();
        let edge = |number: u64| {
            let arrived = Nanos(number * 50_000_000 + number * number % 7 * 137_131);
            let value = LineValue { line: hall, value: Value::Level(number % 2 == 1), arrived, own_time_ns: None };
            (arrived, LiveEvent::Values { link: 0, values: vec![value] })
        };
        let (outcome, _, bytes) = live(&station, (0..40).map(edge).collect(), Nanos(2_000_000_000), Format::Vcd);
        assert_eq!(outcome.points, recorded(&station, bytes).0.points);
        let Some(PointSummary::Rate(rate)) = outcome.points.last() else { panic!("no rate") };
        rate.resolution.unwrap()
    };
    // 10 Hz over 100 ms, to 10 ms: a hertz.
    let polled = of(text);
    assert!((0.5..2.0).contains(&polled), "{polled}");
    let printed =
        of(&text.replace("'modbus-tcp'", "'lines'").replace("every = '10 ms'\nlines = { HALL = 'coil 0' }\n", ""));
    assert!(printed < 1e-3, "{printed}");
}
