//! Every kind of point against a plain model of it that goes on by single nanoseconds, as its meaning is written down.
//!
//! A model knows no edges and no windows: it looks at the levels of all lines after each nanosecond and steps.

use super::model_tests::*;
use super::parse;
use super::plan::{Plan, compile};
use proptest::prelude::*;
use reigen_core::lines::{LineColumns, LineKind, RecordedLine, join};
use reigen_core::logic::timer::TimerKind;
use reigen_core::time::{Nanos, Window};
use std::sync::LazyLock;

pub(super) const END: u64 = 160;
pub(super) const LINES: usize = 4;
const INPUTS: &str =
    "\n[input.a]\nline = 'L0'\n[input.b]\nline = 'L1'\n[input.c]\nline = 'L2'\n[input.d]\nline = 'L3'\n";

/// A point's main value after each nanosecond: bits are 0 and 1, `None` is no value.
type Track = Vec<Option<f64>>;

/// Each point, on the inputs `a` to `d`, and its model.
fn cases(scan: Option<Scan>) -> Vec<(&'static str, Box<dyn Model>)> {
    let takes = |time: u64| scan.map_or(time, |scan| time.div_ceil(scan.period) * scan.period);
    let from = scan.map_or(0, |scan| scan.phase);
    let input = |debounce: &'static str| debounce;
    vec![
        (input("[input.x]\nline = 'L0'"), debounced(stable(0, 0))),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'stable', on = '5 ns', off = '9 ns' }"),
            debounced(stable(takes(5), takes(9))),
        ),
        (input("[input.x]\nline = 'L0'\ndebounce = '7 ns'"), debounced(stable(takes(7), takes(7)))),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'lockout', on = '9 ns', off = '4 ns' }"),
            debounced(lockout(takes(9), takes(4))),
        ),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'sampled', every = '4 ns', count = 3 }"),
            debounced(sampled(4, 3, from)),
        ),
        ("[oneshot.x]\nof = 'a'\nwidth = '5 ns'", one_shot(true, takes(5))),
        ("[oneshot.x]\nof = 'a'\nedge = 'falling'\nwidth = '2 ns'", one_shot(false, takes(2))),
        (
            input("[input.x]\nline = 'L0'\ndebounce = { method = 'sampled', every = '20 ns', count = 2 }"),
            debounced(sampled(20, 2, from)),
        ),
        ("[rate.x]\nof = 'a'\nmethod = 'gate'\nwindow = '20 ns'", gate(20, from)),
        ("[latch.x]\nset = 'a'\nreset = 'b'", latch(false)),
        ("[latch.x]\nset = 'a'\nreset = 'b'\ndominant = 'set'", latch(true)),
        ("[toggle.x]\nby = 'a'\nreset = 'b'", toggle()),
        ("[timer.x]\nof = 'a'\nkind = 'on_delay'\ntime = '4 ns'", debounced(on_delay(takes(4)))),
        ("[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '6 ns'", debounced(off_delay(takes(6)))),
        ("[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '9 ns'", debounced(pulse(takes(9)))),
        (
            "[output.x]\nwhen = 'a OR b'\non_delay = '3 ns'\noff_delay = '8 ns'\ninvert = true",
            output(takes(3), takes(8), true),
        ),
        ("[output.x]\nwhen = 'a'\nblink = { times = 3, on = '2 ns', off = '1 ns' }", blink(3, takes(2), takes(1))),
        (
            "[output.x]\nwhen = 'a'\nblink = { while_on = true, on = '2 ns', off = '3 ns' }",
            debounced(blink_while(takes(2), takes(3))),
        ),
        ("[counter.x]\nup = 'a'\nedge = 'both'\nreset = 'c'", counter(true, false, AtEnd::Nothing)),
        (
            "[counter.x]\nup = 'a'\nreset = 'c'\npresets = [2, 3]\nat_last = 'restart'",
            counter(false, false, AtEnd::RestartAt(3)),
        ),
        ("[counter.x]\nup = 'a'\ndown = 'b'\nreset = 'c'\nlimits = [-2, 3]", counter(false, true, AtEnd::Stop(-2, 3))),
        (
            "[counter.x]\nup = 'a'\ndown = 'b'\nreset = 'c'\nlimits = [-2, 3]\nat_limit = 'wrap'",
            counter(false, true, AtEnd::Wrap(-2, 3)),
        ),
        ("[pair.x]\nno = 'a'\nnc = 'b'\nwithin = '6 ns'", pair()),
        ("[word.x]\nbits = ['a', 'b', 'c', 'd']", word(false)),
        ("[word.x]\nbits = ['a', 'b', 'c', 'd']\ncode = 'gray'", word(true)),
        ("[encoder.x]\na = 'a'\nb = 'b'", encoder()),
        ("[rate.x]\nof = 'a'\nmethod = 'gate'\nwindow = '7 ns'", gate(7, from)),
        ("[rate.x]\nof = 'a'\nmethod = 'period'\naverage = 2\nzero_after = '30 ns'", period(2, takes(30))),
        ("[width.x]\nof = 'a'", width(true)),
        ("[width.x]\nof = 'a'\nlevel = 'low'", width(false)),
        ("[counter.n]\nup = 'a'\n[threshold.x]\nof = 'n MOD 5'\non_above = 3\noff_below = 1", threshold()),
    ]
}

/// What else points tell, as the bit `x` reads it.
fn field_cases(scan: Option<Scan>) -> Vec<(&'static str, Box<dyn Model>)> {
    let from = scan.map_or(0, |scan| scan.phase);
    let takes = |time: u64| scan.map_or(time, |scan| time.div_ceil(scan.period) * scan.period);
    let moving = |counts: &CountsOf, time: u64, still: u64| counts.last.is_some_and(|(last, _)| time < last + still);
    let forward = |counts: &CountsOf, _: u64, _: u64| counts.last.is_some_and(|(_, up)| up);
    vec![
        (
            "[counter.n]\nup = 'a'\ndown = 'b'\nreset = 'c'\npresets = [1, 3]\n[logic.x]\nwhen = 'n.done'",
            reached(&[1, 3], 2),
        ),
        (
            "[counter.n]\nup = 'a'\ndown = 'b'\nreset = 'c'\npresets = [1, 3]\n[logic.x]\nwhen = 'n.band >= 1'",
            reached(&[1, 3], 1),
        ),
        ("[counter.n]\nup = 'a'\ndown = 'b'\nreset = 'c'\n[logic.x]\nwhen = 'n.at_zero'", {
            let mut value = counter(false, true, AtEnd::Nothing);
            Box::new(move |time: u64, levels: Levels| bit(value.step(time, levels)? <= 0.0))
        }),
        ("[pair.p]\nno = 'a'\nnc = 'b'\nwithin = '6 ns'\n[logic.x]\nwhen = 'p.fault'", pair_fault(takes(6))),
        (
            "[encoder.e]\na = 'a'\nb = 'b'\nstill_after = '9 ns'\n[logic.x]\nwhen = 'e.moving'",
            encoder_bit(takes(9), moving),
        ),
        ("[encoder.e]\na = 'a'\nb = 'b'\n[logic.x]\nwhen = 'e.forward'", encoder_bit(0, forward)),
        ("[encoder.e]\na = 'a'\nb = 'b'\n[logic.x]\nwhen = 'e.fault'", encoder_fault()),
        ("[rate.r]\nof = 'a'\nmethod = 'gate'\nwindow = '7 ns'\n[logic.x]\nwhen = 'r.stopped'", stopped(gate(7, from))),
        (
            "[rate.r]\nof = 'a'\nmethod = 'period'\nzero_after = '20 ns'\n[logic.x]\nwhen = 'r.stopped'",
            stopped(period(1, takes(20))),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '6 ns'\n[logic.x]\nwhen = 't.elapsed >= T#3ns'",
            elapsed(TimerKind::OnDelay, 6, |run| run >= 3),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '9 ns'\n[logic.x]\nwhen = '0.0000000025 > t.elapsed'",
            elapsed(TimerKind::OnDelay, 9, |run| run < 3),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'off_delay'\ntime = '7 ns'\n[logic.x]\nwhen = 't.elapsed > T#4ns'",
            elapsed(TimerKind::OffDelay, 7, |run| run > 4),
        ),
        (
            "[timer.t]\nof = 'a'\nkind = 'pulse'\ntime = '8 ns'\n[logic.x]\nwhen = 't.elapsed <= T#5ns'",
            elapsed(TimerKind::Pulse, 8, |run| run <= 5),
        ),
        (
            "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [['x', 'q', 'r', 's', 't', 'u', 'v', 'w']]",
            chain(7),
        ),
        ("[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'b'", counted_at(true)),
        ("[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'b'\nedge = 'falling'", counted_at(false)),
        ("[counter.n]\nup = 'a'\n[stats.x]\nof = 'n'\nwhile = 'c'", mean_while()),
        ("[delay.x]\nfrom = 'a'\nto = 'b'", answered()),
        ("[counter.n]\nup = 'a'\nreset = 'c'\n[analog_output.x]\nof = 'n'\nrange = [0, 8]", given_out()),
        ("[counter.n]\nup = 'a'\nreset = 'c'\n[number.x]\nof = 'n * 2 + 4'\nvalid = [0, 1000]", {
            let mut value = counter(false, false, AtEnd::Nothing);
            Box::new(move |time: u64, levels: Levels| Some(4.0 + value.step(time, levels)? * 2.0))
        }),
        ("[rate.x]\nof = 'a'\nevery = '5 ns'\nzero_after = '23 ns'", auto(5, takes(23), from)),
    ]
}

/// When each line changes, the first of them its first level being high or low.
fn lines() -> impl Strategy<Value = Vec<(bool, Vec<u64>)>> {
    let line = (any::<bool>(), prop::collection::vec(1..12u64, 0..50)).prop_map(|(level, steps)| {
        let times = steps.iter().scan(0, |time, step| {
            *time += step;
            Some(*time)
        });
        (level, times.take_while(|time| *time <= END).collect())
    });
    prop::collection::vec(line, LINES)
}

/// A station bound to its lines, and the number of its point `x`.
struct Compiled {
    plan: Plan,
    number: usize,
}

/// Those of all cases, in their order.
static COMPILED: LazyLock<Vec<Compiled>> =
    LazyLock::new(|| all_cases(None).iter().map(|(points, _)| compiled(points)).collect());

fn compiled(points: &str) -> Compiled {
    let station = parse(&format!("{points}{INPUTS}")).unwrap();
    let recorded: Vec<RecordedLine> = (0..LINES)
        .map(|number| RecordedLine { name: format!("L{number}"), signal: number, kind: LineKind::Level, step: None })
        .collect();
    let plan = compile(&station, &recorded, Nanos(1)).unwrap();
    Compiled { plan, number: station.points.iter().position(|point| point.name == "x").unwrap() }
}

fn all_cases(scan: Option<Scan>) -> Vec<(&'static str, Box<dyn Model>)> {
    cases(scan).into_iter().chain(field_cases(scan)).collect()
}

/// When a controller scans.
#[derive(Debug, Clone, Copy)]
struct Scan {
    period: u64,
    phase: u64,
}

impl Scan {
    fn reads_at(self, time: u64) -> bool {
        time >= self.phase && (time - self.phase).is_multiple_of(self.period)
    }

    /// The station's table of it, before the points.
    fn with(self, points: &str) -> String {
        format!("[scan]\nperiod = '{} ns'\nphase = '{} ns'\n{points}", self.period, self.phase)
    }
}

/// What the program gives for the point `x`, after each nanosecond.
fn worked(Compiled { plan, number }: &Compiled, lines: &[(bool, Vec<u64>)]) -> Track {
    let mut columns = LineColumns::new(plan.signals.len(), 0);
    for (column, &signal) in plan.signals.iter().enumerate() {
        let (level, toggles) = &lines[signal];
        let changes: Vec<Nanos> = [0].iter().chain(toggles).map(|&time| Nanos(time)).collect();
        columns.append(column, join(None, &changes, level ^ (toggles.len() % 2 == 1)));
    }
    columns.end_at(Nanos(END + 1));
    let mut engine = plan.program.start();
    let window: Window = columns.cut(Nanos(END + 1));
    engine.work(window, columns.all());
    let point = engine.points().find(|columns| columns.point == *number).unwrap();
    let value = |time: u64| match (point.bit(), point.count(), point.reading()) {
        (Some(column), ..) => {
            let passed = column.toggles.iter().filter(|toggle| toggle.0 <= time).count();
            let known = column.level.filter(|_| column.since.0 <= time);
            known.and_then(|level| bit(level ^ (passed % 2 == 1)))
        }
        (_, Some(column), _) => column.at(Nanos(time)).map(|value| value as f64),
        (.., column) => column.and_then(|column| column.at(Nanos(time))),
    };
    (0..=END).map(value).collect()
}

/// Whether two values are the same but for rounding.
fn same(left: Option<f64>, right: Option<f64>) -> bool {
    match (left, right) {
        (Some(left), Some(right)) => (left - right).abs() <= 1e-9 * left.abs().max(right.abs()),
        (left, right) => left == right,
    }
}

/// The levels of the lines after an instant.
fn levels_at(lines: &[(bool, Vec<u64>)], time: u64) -> Levels {
    std::array::from_fn(|line| {
        let (level, toggles) = &lines[line];
        level ^ (toggles.iter().filter(|toggle| **toggle <= time).count() % 2 == 1)
    })
}

const SCANS: [Scan; 3] = [Scan { period: 5, phase: 0 }, Scan { period: 4, phase: 3 }, Scan { period: 1, phase: 0 }];

/// Points under a scan, with the numbers of their cases; what is no whole number of periods is refused.
type UnderScan = (Scan, Vec<(usize, Compiled)>);

static UNDER_SCANS: LazyLock<Vec<UnderScan>> = LazyLock::new(|| {
    let under = |scan: Scan| {
        let cases = all_cases(Some(scan)).into_iter().enumerate();
        // The chain works past the scan: it is looked at below.
        let worked = cases.filter(|(_, (points, _))| !points.contains("expander"));
        let worked = worked.filter(|(_, (points, _))| parse(&format!("{}{INPUTS}", scan.with(points))).is_ok());
        (scan, worked.map(|(number, (points, _))| (number, compiled(&scan.with(points)))).collect())
    };
    SCANS.map(under).into()
});

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]
    /// A controller sees the lines once in a scan and works its program then: the models step at scans alone.
    #[test]
    fn under_a_scan_each_point_is_what_its_meaning_says_at_each_scan(lines in lines()) {
        for (scan, stations) in UNDER_SCANS.iter() {
            prop_assert!(stations.len() + 6 > all_cases(None).len(), "{} under {scan:?}", stations.len());
            let mut cases: Vec<_> = all_cases(Some(*scan)).into_iter().map(Some).collect();
            for (number, station) in stations {
                let (points, mut model) = cases[*number].take().unwrap();
                let worked = worked(station, &lines);
                let mut wanted = None;
                for time in 0..=END {
                    if scan.reads_at(time) {
                        wanted = model.step(time, levels_at(&lines, time));
                    }
                    let given = worked[time as usize];
                    prop_assert!(
                        same(wanted, given),
                        "{points}\nunder {scan:?} at {time} ns: {given:?}, but by its meaning {wanted:?}\n{lines:?}"
                    );
                }
            }
        }
    }

    /// Where a counter restarts at its last preset, its `.done` is on for one scan.
    #[test]
    fn a_restart_is_seen_for_one_scan(lines in lines()) {
        let scan = Scan { period: 4, phase: 3 };
        let points = "[counter.n]\nup = 'a'\npresets = [2]\nat_last = 'restart'\n[logic.x]\nwhen = 'n.done'";
        let worked = worked(&compiled(&scan.with(points)), &lines);
        let (mut edge, mut count, mut wanted) = (Edge::default(), 0, None);
        for time in 0..=END {
            if scan.reads_at(time) {
                count += u32::from(edge.went(levels_at(&lines, time)[0], true));
                wanted = bit(count == 2);
                count %= 2;
            }
            prop_assert!(same(wanted, worked[time as usize]), "at {time} ns\n{lines:?}");
        }
    }

    /// What works past the scan counts every edge, and is seen at scans.
    #[test]
    fn past_the_scan_every_edge_counts_and_scans_show_it(lines in lines()) {
        let scan = Scan { period: 5, phase: 0 };
        let fast = "[input.fast]\nline = 'L0'\nscan = false\n[input.quick]\nline = 'L1'\nscan = false\n";
        let cases: Vec<(String, Box<dyn Model>, bool)> = vec![
            ("[input.x]\nline = 'L0'\nscan = false\ndebounce = '7 ns'".to_owned(), debounced(stable(7, 7)), false),
            (format!("{fast}[counter.x]\nup = 'fast'\ndown = 'quick'\nreset = 'c'\nscan = false"), {
                // The reset is a scanned input, and stands as the last scan left it.
                let mut value = counter(false, true, AtEnd::Nothing);
                let mut reset = false;
                Box::new(move |time: u64, levels: Levels| {
                    if scan.reads_at(time) {
                        reset = levels[2];
                    }
                    value.step(time, [levels[0], levels[1], reset, levels[3]])
                })
            }, true),
            ("[encoder.x]\na = 'L0'\nb = 'L1'\nscan = false".to_owned(), encoder(), true),
            (
                "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [['x', 'q', 'r', 's', 't', 'u', 'v', 'w']]"
                    .to_owned(),
                chain(7),
                true,
            ),
        ];
        for (points, mut model, at_scans) in cases {
            let worked = worked(&compiled(&scan.with(&points)), &lines);
            let (mut wanted, mut shown) = (None, None);
            for time in 0..=END {
                wanted = model.step(time, levels_at(&lines, time)).or(wanted);
                if !at_scans || scan.reads_at(time) {
                    shown = wanted;
                }
                let given = worked[time as usize];
                prop_assert!(same(shown, given), "{points}\nat {time} ns: {given:?}, but by its meaning {shown:?}\n{lines:?}");
            }
        }
    }

    #[test]
    fn each_point_is_what_its_meaning_says_after_every_nanosecond(lines in lines()) {
        for ((points, mut model), station) in all_cases(None).into_iter().zip(COMPILED.iter()) {
            let worked = worked(station, &lines);
            for time in 0..=END {
                let wanted = model.step(time, levels_at(&lines, time));
                let given = worked[time as usize];
                prop_assert!(same(wanted, given), "{points}\nat {time} ns: {given:?}, but by its meaning {wanted:?}\n{lines:?}");
            }
        }
    }
}
