//! The law of windows: however a recording is cut, every block gives the same.

use super::plan::{Plan, compile};
use super::{KINDS, parse};
use proptest::prelude::*;
use reigen_core::account::Rejected;
use reigen_core::block::Lines;
use reigen_core::engine::{Engine, PointColumns, RestoreError};
use reigen_core::event::{Event, EventOrder};
use reigen_core::lines::{LineColumns, LineKind, RecordedLine, join};
use reigen_core::program::Program;
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use std::sync::LazyLock;

/// A line a block: the kind, and points on the lines `L0` to `L3` and the inputs `a` to `d` on them.
const BLOCKS: &[(&str, &str)] = &[
    ("input", "[input.x]\nline = 'L0'\nasserted = 'low'"),
    ("input", "[input.x]\nline = 'L0'\ndebounce = { method = 'stable', on = '5 ns', off = '9 ns' }"),
    ("input", "[input.x]\nline = 'L0'\ndebounce = { method = 'lockout', on = '9 ns', off = '4 ns' }"),
    ("input", "[input.x]\nline = 'L0'\ndebounce = { method = 'sampled', every = '4 ns', count = 2 }"),
    (
        "input",
        "[input.x]\nline = 'L0'\nasserted = 'low'\n[input.x.debounce]\nmethod = 'rc'\nresistance = '1 ohm'\ncapacitance = '9 nF'\n\
         discharge_resistance = '0.5 ohm'\nsupply = '5 V'\nrise_at = '3 V'\nfall_at = '2 V'",
    ),
    ("input", "[scan]\nperiod = '7 ns'\nphase = '2 ns'\n[input.x]\nline = 'L0'\ncatch = true"),
    (
        "input",
        "[scan]\nperiod = '3 ns'\n[input.x]\nline = 'L0'\ncatch = true\ndebounce = { method = 'stable', on = '5 ns', off = '8 ns' }",
    ),
    ("counter", "[counter.x]\nup = 'a'\nedge = 'both'"),
    ("counter", "[counter.x]\nup = 'a'\nreset = 'b AND c'\npresets = [2, 3]\nat_last = 'restart'"),
    (
        "counter",
        "[counter.y]\nup = 'a'\npresets = [2]\nat_last = 'restart'\n[counter.x]\nup = 'y.done'\nedge = 'falling'",
    ),
    (
        "counter",
        "[counter.x]\nup = 'a'\ndown = 'b'\ngate = 'c'\nlimits = [-2, 3]\nat_limit = 'wrap'\nscale = 0.5\nunit = 'm'",
    ),
    ("counter", "[counter.y]\nup = 'd'\n[counter.x]\nup = 'a'\nload = 'b'\nload_to = 'y * 2'\nreset = 'c'\nbits = 3"),
    (
        "counter",
        "[scan]\nperiod = '3 ns'\nphase = '1 ns'\n[counter.x]\nup = 'a'\ndown = 'b'\ncount = 'scans'\nlimits = [0, 9]",
    ),
    ("output", "[output.x]\nwhen = 'a XOR b AND NOT c OR d'"),
    ("output", "[output.x]\nwhen = 'TRUE'"),
    ("output", "[output.x]\nwhen = 'a OR b'\non_delay = '3 ns'\noff_delay = '4 ns'\ninvert = true"),
    ("output", "[output.x]\nwhen = 'a OR b'\nblink = { while_on = true, on = '3 ns', off = '2 ns' }"),
    ("output", "[output.x]\nwhen = 'a'\nblink = { times = 3, on = '2 ns', off = '1 ns' }"),
    (
        "logic",
        "[counter.n]\nup = 'a'\n[counter.m]\nup = 'b'\n[logic.x]\nwhen = 'n * 2 > m + 3 AND NOT (n MOD 3 = 1) OR c'",
    ),
    (
        "logic",
        "[counter.n]\nup = 'a'\n[counter.m]\nup = 'b'\n[logic.x]\nwhen = 'SEL(d, n / 2.0, 7 / (m - 2)) >= MAX(1, m) ** 0.5'",
    ),
    (
        "expect",
        "[expect.x]\nthat = 'a OR b'\nalways = true\n[expect.y]\nthat = 'c'\nby = '40 ns'\n[expect.z]\nthat = 'd'\nat = '50 ns'\n[expect.w]\nthat = 'c'\nafter = 'a'\nwithin = '9 ns'",
    ),
    ("oneshot", "[oneshot.x]\nof = 'a'\nwidth = '5 ns'"),
    (
        "expect",
        "[expect.x]\nthat = 'a OR b'\nalways = true\n[expect.y]\nthat = 'c'\nby = '40 ns'\n[expect.z]\nthat = 'd'\nat = '50 ns'\n[expect.w]\nthat = 'c'\nafter = 'a'\nwithin = '9 ns'",
    ),
    ("oneshot", "[oneshot.x]\nof = 'a'\nedge = 'falling'\nwidth = '2 ns'"),
    ("latch", "[latch.x]\nset = 'a'\nreset = 'b AND c'"),
    ("latch", "[latch.x]\nset = 'a'\nreset = 'b'\ndominant = 'set'"),
    ("toggle", "[toggle.x]\nby = 'a'\nreset = 'b AND c'"),
    ("timer", "[timer.x]\nof = 'a'\nkind = 'on_delay'\ntime = '4 ns'"),
    ("timer", "[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '4 ns'\n[logic.y]\nwhen = 'x.elapsed > 0.0'"),
    ("timer", "[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '9 ns'"),
    (
        "timer",
        "[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '9 ns'\n[logic.y]\nwhen = 'x.elapsed >= T#4ns AND x.elapsed < T#9ns'",
    ),
    (
        "timer",
        "[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '9 ns'\n[logic.y]\nwhen = 'x.elapsed <= T#0s OR x.elapsed > T#5ns'",
    ),
    ("counter", "[counter.x]\nup = 'a'\ndown = 'b'\n[logic.y]\nwhen = 'x.at_zero AND NOT x.done'"),
    ("input", "[input.x]\nline = 'R0.1'\n[word.y]\nof = 'R0'\nwidth = 4\ncode = 'gray'"),
    (
        "encoder",
        "[encoder.x]\na = 'L0'\nb = 'b'\nindex = 'L2'\npulses_per_rev = 3\ntravel_per_rev = 0.6\nunit = 'm'\nstill_after = '9 ns'",
    ),
    (
        "encoder",
        "[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\nzero_on = 'd'\nindex_does = 'home'\ndecode = 'x2'\nreverse = true\n\
         [logic.y]\nwhen = 'x.moving AND NOT x.fault OR x.speed > 1e6 AND x.forward AND x.homed'",
    ),
    (
        "encoder",
        "[scan]\nperiod = '3 ns'\n[encoder.x]\na = 'L0'\nb = 'L1'\ndecode = 'x1'\nindex = 'c'\nindex_does = 'zero'",
    ),
    (
        "expander",
        "[expander.x]\nload = 'L0'\nclock = 'L1'\ndata = 'c'\ninhibit = 'L3'\nregisters = [['p', 'q', '-', '-', '-', '-', '-', 'r']]\n\
         [input.y]\nof = 'p'\ncontact = 'NC'\ndebounce = { method = 'stable', time = '3 ns' }\n[counter.n]\nup = 'q OR r'",
    ),
    ("word", "[word.x]\nbits = ['a', 'b', 'NOT c', 'd']\ncode = 'bcd'\n[logic.y]\nwhen = 'x > 4 AND NOT x.invalid'"),
    ("word", "[word.x]\nbits = ['a', 'b', 'c']\ncode = 'gray'\n[counter.y]\nup = 'd'\nload = 'a'\nload_to = 'x'"),
    (
        "rate",
        "[rate.x]\nof = 'a'\nmethod = 'period'\nmarks = { of = 4, missing = 1 }\nzero_after = '60 ns'\n[logic.y]\nwhen = 'x.revolution'",
    ),
    ("rate", "[rate.x]\nof = 'b'\nevery = '9 ns'\nmarks = { of = 5, missing = 2 }"),
    ("rate", "[rate.x]\nof = 'a'\nmethod = 'gate'\nwindow = '7 ns'\n[logic.y]\nwhen = 'x.stopped'"),
    (
        "rate",
        "[rate.x]\nof = 'a'\nmethod = 'period'\naverage = 2\nzero_after = '12 ns'\npulses_per_rev = 4\nunit = 'rpm'",
    ),
    ("rate", "[rate.x]\nof = 'a'\nevery = '5 ns'\nzero_after = '9 ns'\n[logic.y]\nwhen = 'x.resolution > 1e7'"),
    ("width", "[width.x]\nof = 'a'\nformula = 'raw * 1e9 + n'\nvalid = [2.0, 30.0]\n[counter.n]\nup = 'b'"),
    ("analog", "[analog.x]\nline = 'R0'\ncounts = { full = 10, span = 5 }\nvalid = [1.0, 4.0]"),
    (
        "analog",
        "[analog.x]\nline = 'R0'\nformula = '7.0 / (raw - n)'\n[counter.n]\nup = 'b'\n[logic.y]\nwhen = 'x.fault OR x > 2'",
    ),
    ("analog", "[analog.x]\nline = 'R0'\nvalid = [1.0, 9.0]\nsmooth = { over = '9 ns', every = '4 ns' }"),
    ("threshold", "[analog.r]\nline = 'R0'\n[threshold.x]\nof = 'r'\non_above = 6\noff_below = 3"),
    ("threshold", "[counter.n]\nup = 'a'\n[threshold.x]\nof = 'n MOD 5'\non_below = 1\noff_above = 3"),
    (
        "counter",
        "[scan]\nperiod = '5 ns'\nphase = '2 ns'\n[input.f]\nline = 'L0'\nscan = false\ndebounce = '3 ns'\n\
         [counter.x]\nup = 'f'\nreset = 'b'\npresets = [2, 4]\nat_last = 'restart'\nscan = false\n[counter.y]\nup = 'f'\n[logic.z]\nwhen = 'x.done OR f'",
    ),
    (
        "encoder",
        "[scan]\nperiod = '5 ns'\n[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\npulses_per_rev = 3\nscan = false\n[hold.y]\nof = 'x.speed'\nat = 'd'",
    ),
    (
        "input",
        "[scan]\nperiod = '5 ns'\nphase = '2 ns'\n[input.x]\nline = 'L0'\nasserted = 'low'\n[input.x.debounce]\nmethod = 'rc'\n\
         resistance = '1 ohm'\ncapacitance = '4 nF'\nsupply = '5 V'\nrise_at = '3 V'\nfall_at = '2 V'",
    ),
    (
        "rate",
        "[scan]\nperiod = '5 ns'\nphase = '2 ns'\n[rate.x]\nof = 'a'\nevery = '10 ns'\nzero_after = '23 ns'\n[rate.y]\nof = 'b'\nmethod = 'gate'\nwindow = '7 ns'\nscan = false",
    ),
    (
        "register",
        "[scan]\nperiod = '5 ns'\nphase = '2 ns'\n[register.x]\nline = 'R0'\nbits = 3\n[rate.y]\nof = 'x'\nevery = '10 ns'\n\
         [timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '8 ns'\n[logic.z]\nwhen = 't.elapsed >= T#7ns'\n[word.w]\nof = 'R0'\nwidth = 4",
    ),
    (
        "expander",
        "[scan]\nperiod = '4 ns'\n[expander.x]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [['p', 'q', '-', '-', '-', '-', '-', 'r']]\n[counter.y]\nup = 'p'",
    ),
    (
        "register",
        "[register.x]\nline = 'R0'\nbits = 3\n[rate.y]\nof = 'x'\nevery = '7 ns'\nunit = 'rpm'\npulses_per_rev = 4",
    ),
    (
        "register",
        "[register.x]\nline = 'R0'\nbits = 4\nsigned = true\nper_count = 0.5\nunit = 'm'\n[logic.y]\nwhen = 'x.wraps > 2'",
    ),
    (
        "register",
        "[register.x]\nline = 'R0'\nreset = 'restart'\nfastest = '500 MHz'\nbits = 5\n[hold.y]\nof = 'x.delta'\nat = 'a'",
    ),
    (
        "register",
        "[register.x]\nline = 'R0'\nbits = 4\n[counter.y]\nup = 'x'\ngate = 'a'\nreset = 'b'\npresets = [3, 9]\nat_last = 'restart'\n\
         [counter.z]\nup = 'y.done'\n[counter.w]\nup = 'x'\nload = 'c'\nload_to = 2\nlimits = [-3, 5]\nat_limit = 'wrap'",
    ),
    ("register", "[register.x]\nhigh = 'R0'\nlow = 'R0'\nbits = 8\n[number.y]\nof = 'x.resets + x'"),
    (
        "number",
        "[number.x]\nof = '7 / (n - 2) + SEL(b, 1, 2)'\nvalid = [0.0, 5.0]\nunit = 'm'\n[counter.n]\nup = 'a'\n[logic.y]\nwhen = 'x.fault OR x > 3'",
    ),
    (
        "number",
        "[counter.n]\nup = 'a'\n[number.x]\nof = 'MUX(n MOD 3, 5, 6, ROUND(n / 2.0))'\nscale = { from = [0, 1], to = [1, 3] }",
    ),
    (
        "hold",
        "[analog.r]\nline = 'R0'\n[hold.x]\nof = 'r'\nat = 'a AND NOT b'\nedge = 'both'\n[logic.y]\nwhen = 'x > 4'",
    ),
    (
        "hold",
        "[analog.r]\nline = 'R0'\nvalid = [2.0, 8.0]\n[hold.x]\nof = 'r'\nat = 'a'\n[stats.y]\nof = 'r'\nwhile = 'b'\n[number.n]\nof = '6 / (m - 2)'\n\
         [counter.m]\nup = 'c'\n[hold.z]\nof = 'n'\nat = 'd'",
    ),
    ("hold", "[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'a'\nedge = 'falling'"),
    ("stats", "[analog.r]\nline = 'R0'\n[stats.x]\nof = 'r'\nwhile = 'a'\n[logic.y]\nwhen = 'x.max - x.min > 4'"),
    ("stats", "[analog.r]\nline = 'R0'\nvalid = [1.0, 9.0]\n[stats.x]\nof = '3.0 / (r - 2.0)'\nwhile = 'a OR b'"),
    ("delay", "[delay.x]\nfrom = 'a'\nto = 'b'\n[logic.y]\nwhen = 'x.pending AND x > 0.000000005'"),
    (
        "delay",
        "[counter.n]\nup = 'a'\npresets = [2]\nat_last = 'restart'\n[delay.x]\nfrom = 'n.done'\nto = 'n.done OR c'",
    ),
    (
        "analog_output",
        "[analog.r]\nline = 'R0'\nvalid = [1.0, 8.0]\n[analog_output.x]\nof = 'r'\nrange = [0, 7]\non_fault = 3.5",
    ),
    (
        "analog_output",
        "[counter.n]\nup = 'a'\n[analog_output.x]\nof = '9.0 / (n - 3)'\nsignal = '0-10V'\nscale = { from = [0, 5], to = [0, 10] }\nlimits = [1, 9]\n[logic.y]\nwhen = 'x.limited OR x.fault'",
    ),
    ("pair", "[pair.x]\nno = 'a'\nnc = 'b'\nwithin = '6 ns'\n[logic.y]\nwhen = 'x.fault AND NOT x'"),
];

const INPUTS: &str =
    "\n[input.a]\nline = 'L0'\n[input.b]\nline = 'L1'\n[input.c]\nline = 'L2'\n[input.d]\nline = 'L3'\n";
const END: u64 = 120;

/// The first level of a line, when it is known, and when it toggles.
#[derive(Debug, Clone)]
struct Line {
    since: u64,
    level: bool,
    toggles: Vec<u64>,
}

fn lines() -> impl Strategy<Value = Vec<Line>> {
    let line = (0..2u64, any::<bool>(), prop::collection::vec(0..6u64, 0..60)).prop_map(|(late, level, steps)| {
        let since = late * 20;
        let times = steps.iter().scan(since + 1, |time, step| {
            *time += step;
            Some(*time)
        });
        Line { since, level, toggles: times.take_while(|time| *time <= END).collect() }
    });
    prop::collection::vec(line, 4)
}

/// How a recording is cut into windows.
#[derive(Debug, Clone, Copy)]
enum Cut<'a> {
    /// At these times.
    At(&'a [u64]),
    /// At these times, and at each of them a fresh engine goes on from the state of the one before.
    Restored(&'a [u64]),
    /// After each instant at which a line changes or something is due, as a program does that sleeps until then.
    WhenDue,
}

impl Cut<'_> {
    /// The end of the window that begins at `from`; the lines end before `end`.
    fn until(self, from: Nanos, end: Nanos, lines: Lines<'_>, due: Option<Nanos>) -> Nanos {
        match self {
            Cut::At(cuts) | Cut::Restored(cuts) => {
                cuts.iter().map(|&cut| Nanos(cut)).find(|cut| *cut > from).unwrap_or(end)
            }
            // Constants are there from the first instant on.
            Cut::WhenDue if from == Nanos(0) => Nanos(1),
            Cut::WhenDue => {
                let known = lines.bits.iter().filter(|line| line.level.is_some()).map(|line| line.since);
                let known = known.filter(|since| *since >= from).min();
                assert!(due.is_none_or(|due| due >= from), "due at {due:?}, which is over at {from}");
                let next = [known, lines.next_change(from), due].into_iter().flatten().min();
                next.map_or(end, |next| (next + Nanos(1)).min(end))
            }
        }
    }
}

/// The lines `L0` to `L3`, and `R0`, which steps where the last of them toggles.
fn columns_of(lines: &[Line], signals: &[usize], numbers: usize) -> LineColumns {
    let mut columns = LineColumns::new(signals.len(), numbers);
    for (&time, number) in lines[3].toggles.iter().zip(0..) {
        columns.append_reading(0, Nanos(time), f64::from(number * 7 % 11));
    }
    for (column, &signal) in signals.iter().enumerate() {
        let line = &lines[signal];
        let changes: Vec<Nanos> = [line.since].iter().chain(&line.toggles).map(|&time| Nanos(time)).collect();
        columns.append(column, join(None, &changes, line.level ^ (line.toggles.len() % 2 == 1)));
    }
    columns
}

/// All changes of all columns of a point in a window, and when they were.
fn changes_of(columns: &PointColumns<'_>) -> Vec<(Nanos, String)> {
    let bits = columns.bits.iter().enumerate();
    let toggles =
        bits.flat_map(|(bit, column)| column.toggles.iter().map(move |&time| (time, format!("toggles {bit}"))));
    let counts = columns.counts.iter().flat_map(|count| count.times.iter().zip(&count.values));
    let readings = columns.readings.iter().flat_map(|reading| reading.times.iter().zip(&reading.values));
    let counts = counts.map(|(&time, value)| (time, format!("is {value}")));
    toggles.chain(counts).chain(readings.map(|(&time, value)| (time, format!("reads {value}")))).collect()
}

/// Through the form in which a state is kept, into a fresh engine.
fn restored(engine: &Engine, program: &Program) -> Engine {
    let bytes = postcard::to_stdvec(&engine.save()).unwrap();
    let mut fresh = program.start();
    fresh.remember();
    fresh.restore(postcard::from_bytes(&bytes).unwrap()).unwrap();
    fresh
}

/// A station bound to the lines `L0` to `L3` and `R0`, compiled once for all that works it.
struct Compiled {
    plan: Plan,
    points: usize,
}

/// Some points on the inputs `a` to `d`; `None` where they are refused with a sentence.
fn compiled(points: &str) -> Option<Compiled> {
    let station = match parse(&format!("{points}{INPUTS}")) {
        Ok(station) => station,
        Err(errors) => {
            assert!(errors.iter().all(|error| !error.to_string().is_empty()));
            return None;
        }
    };
    let recorded: Vec<RecordedLine> = (0..4)
        .map(|number| RecordedLine { name: format!("L{number}"), signal: number, kind: LineKind::Level, step: None })
        .chain([RecordedLine { name: "R0".to_owned(), signal: 0, kind: LineKind::Real, step: None }])
        .collect();
    Some(Compiled { plan: compile(&station, &recorded, Nanos(1)).unwrap(), points: station.points.len() })
}

/// All blocks, with what they are.
static COMPILED: LazyLock<Vec<(&str, &str, Compiled)>> =
    LazyLock::new(|| BLOCKS.iter().map(|&(kind, points)| (kind, points, compiled(points).expect(points))).collect());

/// Everything that a station gives.
fn work(station: &Compiled, lines: &[Line], cut: Cut<'_>) -> Gives {
    work_until(station, lines, cut, END)
}

/// The summaries, the events, and all changes of all columns.
type Gives = (Vec<PointSummary>, Vec<Event>, Vec<(Nanos, String)>);

/// The same of lines that end at another time.
fn work_until(station: &Compiled, lines: &[Line], cut: Cut<'_>, end: u64) -> Gives {
    let last = Nanos(end);
    let end = last + Nanos(1);
    let Plan { program, signals, numbers, .. } = &station.plan;
    let mut engine = program.start();
    engine.remember();
    let mut columns = columns_of(lines, signals, numbers.len());
    columns.end_at(end);
    let (mut order, mut waiting, mut events) = (EventOrder::default(), Vec::new(), Vec::new());
    let mut changes = vec![Vec::new(); station.points];
    let mut from = Nanos(0);
    while from < end {
        let until = cut.until(from, end, columns.all(), engine.next_due());
        let window = columns.cut(until);
        engine.work(window, columns.all());
        for columns in engine.points() {
            let told = changes_of(&columns);
            match cut {
                Cut::WhenDue if until <= last => {
                    assert!(
                        told.iter().all(|(time, _)| *time + Nanos(1) == until),
                        "{told:?} before it was due, {until}"
                    )
                }
                _ => assert!(told.iter().all(|(time, _)| (from..until).contains(time)), "{told:?} outside {window:?}"),
            }
            changes[columns.point].extend(told);
        }
        let told = engine.take_events(window, &mut waiting);
        events.extend(order.pass(&mut waiting, told));
        columns.advance(window);
        if let Cut::Restored(_) = cut {
            engine = restored(&engine, program);
        }
        from = until;
    }
    let rest = order.pass(&mut waiting, end).collect::<Vec<_>>();
    events.extend(rest);
    changes.iter_mut().for_each(|changes| changes.sort());
    (engine.summaries(last), events, changes.concat())
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(128))]
    #[test]
    fn however_a_recording_is_cut_the_outputs_are_the_same(
        lines in lines(),
        cuts in prop::collection::btree_set(1..END, 0..12),
    ) {
        let cuts: Vec<u64> = cuts.into_iter().collect();
        for (kind, points, station) in COMPILED.iter() {
            let whole = work(station, &lines, Cut::At(&[]));
            for cut in [Cut::At(&cuts), Cut::Restored(&cuts), Cut::WhenDue] {
                prop_assert_eq!(&whole, &work(station, &lines, cut), "{} cut {:?}", kind, cut);
            }
            let in_order = whole.1.windows(2).all(|pair| pair[0].time <= pair[1].time);
            prop_assert!(in_order, "events of {}: {:?}", points, whole.1);
        }
    }

    #[test]
    fn every_account_balances_and_every_change_has_its_edge(lines in lines()) {
        for (.., station) in COMPILED.iter() {
            let (summaries, _, _) = work(station, &lines, Cut::At(&[40]));
            for summary in summaries {
                let PointSummary::Input(input) = summary else { continue };
                let Rejected { bounce, glitch, missed } = input.rejected;
                prop_assert_eq!(input.raw_edges, input.accepted + bounce + glitch + missed + input.pending);
                prop_assert_eq!(input.accepted, input.rising + input.falling);
            }
        }
    }

    #[test]
    fn an_expression_is_what_its_tree_says_after_each_instant(lines in lines()) {
        let station = compiled("[output.x]\nwhen = 'a XOR b AND NOT c OR d'").unwrap();
        let (summaries, _, _) = work(&station, &lines, Cut::At(&[]));
        let start = lines.iter().map(|line| line.since).max().unwrap();
        let level = |line: usize, time: u64| {
            let passed = lines[line].toggles.iter().filter(|toggle| **toggle <= time).count();
            lines[line].level ^ (passed % 2 == 1)
        };
        let at = |time| (level(0, time) ^ (level(1, time) & !level(2, time))) | level(3, time);
        let (mut rising, mut on) = (0, 0);
        for time in start..END {
            on += u64::from(at(time));
            rising += u64::from(!at(time) & at(time + 1));
        }
        let Some(PointSummary::Bit(tally)) = summaries.first() else { panic!("no output") };
        prop_assert_eq!((tally.rising, tally.on, tally.last), (rising, Nanos(on), Some(at(END))));
    }
}

#[test]
fn every_kind_of_point_is_under_the_law() {
    for kind in KINDS {
        assert!(BLOCKS.iter().any(|(name, _)| name == kind), "no block of the kind {kind}");
    }
}

#[test]
fn counts_start_where_they_are_told_to() {
    let station =
        parse("[input.a]\nline = 'L0'\ndebounce = { method = 'stable', time = '10 ns' }\n[counter.n]\nup = 'a'")
            .unwrap();
    let recorded = [RecordedLine { name: "L0".into(), signal: 0, kind: LineKind::Level, step: None }];
    let mut engine = compile(&station, &recorded, Nanos(1)).unwrap().program.start();
    let mut columns = LineColumns::new(1, 0);
    // On at 10; off at 35, bouncing up to 41; on at 70: the counts start in the middle of the bounce.
    let changes = [0, 10, 35, 38, 41, 70].map(Nanos);
    columns.append(0, join(None, &changes, true));
    for (until, counts_from) in [(40, true), (101, false)] {
        let window = columns.cut(Nanos(until));
        engine.work(window, columns.all());
        columns.advance(window);
        if counts_from {
            engine.start_counting(Nanos(until));
        }
    }
    let summaries = engine.summaries(Nanos(100));
    let PointSummary::Input(input) = &summaries[0] else { panic!("no input") };
    assert_eq!((input.raw_edges, input.accepted, input.rejected.bounce), (2, 2, 0), "edges at 41 and 70");
    assert_eq!((input.rising, input.falling, input.on), (1, 1, Nanos(11 + 20)), "off at 51, on from 80");
    let PointSummary::Counter(counter) = &summaries[1] else { panic!("no counter") };
    assert_eq!((counter.value, counter.total), (Some(1), 1));
}

#[test]
fn a_state_of_another_program_is_refused() {
    let start = |text: &str| {
        let recorded = [RecordedLine { name: "L0".into(), signal: 0, kind: LineKind::Level, step: None }];
        compile(&parse(text).unwrap(), &recorded, Nanos(1)).unwrap().program.start()
    };
    let toggle = "[input.a]\nline = 'L0'\n[toggle.x]\nby = 'a'";
    for other in
        ["[input.a]\nline = 'L0'", "[input.a]\nline = 'L0'\n[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '4 ns'"]
    {
        assert_eq!(start(toggle).restore(start(other).save()), Err(RestoreError::OtherProgram), "{other}");
    }
    assert_eq!(start(toggle).restore(start(toggle).save()), Ok(()));
}

/// Settings at the ends of their types: each is refused with a sentence, or gives what is right.
const EXTREMES: &[&str] = &[
    "[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\npulses_per_rev = 4611686018427387904",
    "[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\npulses_per_rev = 1e12\ntravel_per_rev = 1e-12\nunit = 'm'",
    "[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\nindex_does = 'zero'\nzero_at = 9223372036854775807",
    "[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\nindex_does = 'zero'\nzero_at = -9223372036854775808",
    "[output.x]\nwhen = 'a'\nblink = { times = 1099511627776, on = '1 ns', off = '1 ns' }",
    "[output.x]\nwhen = 'a'\nblink = { times = 4294967295, on = '3650 d', off = '3650 d' }",
    "[counter.x]\nup = 'a'\nedge = 'both'\nstart = 9223372036854775806",
    "[counter.x]\ndown = 'a'\nup = 'b'\nstart = -9223372036854775807\nlimits = [-9223372036854775808, 9223372036854775807]",
    "[counter.x]\nup = 'a'\nat_limit = 'wrap'\nstart = 9223372036854775806\nlimits = [-9223372036854775808, 9223372036854775807]",
    "[counter.x]\nup = 'a'\npresets = [9223372036854775807]\nstart = 9223372036854775805\nat_last = 'restart'",
    "[scan]\nperiod = '1 ns'\n[counter.x]\nup = 'a'\ncount = 'scans'\nstart = 9223372036854775800",
    "[counter.n]\nup = 'a'\nstart = 9223372036854775807\n[logic.x]\nwhen = 'n * 2 + 1 > 0 OR -n - 9 < 0 OR n ** 9 > 1'",
    "[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '3650 d'",
    "[oneshot.x]\nof = 'a'\nwidth = '3650 d'",
    "[pair.x]\nno = 'a'\nnc = 'b'\nwithin = '3650 d'",
    "[input.x]\nline = 'L0'\ndebounce = { method = 'stable', on = '3650 d', off = '1 ns' }",
    "[input.x]\nline = 'L0'\ndebounce = { method = 'lockout', time = '3650 d' }",
    "[input.x]\nline = 'L0'\ndebounce = { method = 'sampled', every = '3650 d', count = 4294967295 }",
    "[scan]\nperiod = '3650 d'\nphase = '3650 d'\n[input.x]\nline = 'L0'\ncatch = true",
    "[rate.x]\nof = 'a'\nmethod = 'gate'\nwindow = '3650 d'",
    "[rate.x]\nof = 'a'\nmethod = 'period'\naverage = 4294967295\nzero_after = '3650 d'",
    "[rate.x]\nof = 'a'\nevery = '3650 d'\nzero_after = '3650 d'\npulses_per_rev = 1e12",
    "[rate.x]\nof = 'a'\nmethod = 'period'\nmarks = { of = 4294967295, missing = 4294967294 }",
    "[analog.x]\nline = 'R0'\nsmooth = { over = '3650 d', every = '3650 d' }\nvalid = [-1e12, 1e12]",
    "[analog.x]\nline = 'R0'\nscale = { from = [0.0, 1e-12], to = [-1e12, 1e12] }",
];

/// Those of them that are not refused.
static EXTREME: LazyLock<Vec<(&str, Compiled)>> =
    LazyLock::new(|| EXTREMES.iter().filter_map(|&points| Some((points, compiled(points)?))).collect());

#[test]
fn some_extremes_are_refused_and_most_are_worked() {
    let refused = EXTREMES.len() - EXTREME.len();
    assert!((3..EXTREMES.len() / 2).contains(&refused), "{refused} of {}", EXTREMES.len());
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(32))]
    #[test]
    fn the_ends_of_numbers_and_of_time_are_refused_or_right(
        lines in lines(),
        cuts in prop::collection::btree_set(1..END, 0..5),
        late in any::<bool>(),
    ) {
        // The last time that a file can have is 2^63 - 1.
        let base = if late { i64::MAX.unsigned_abs() - END } else { 0 };
        let shifted: Vec<Line> = lines
            .iter()
            .map(|line| Line {
                since: base + line.since,
                level: line.level,
                toggles: line.toggles.iter().map(|time| base + time).collect(),
            })
            .collect();
        let cuts: Vec<u64> = cuts.into_iter().map(|cut| base + cut).collect();
        let blocks = COMPILED.iter().filter(|_| late).map(|(_, points, station)| (*points, station));
        for (points, station) in EXTREME.iter().map(|(points, station)| (*points, station)).chain(blocks) {
            let whole = work_until(station, &shifted, Cut::At(&[]), base + END);
            prop_assert_eq!(&whole, &work_until(station, &shifted, Cut::Restored(&cuts), base + END), "{}", points);
        }
    }
}
