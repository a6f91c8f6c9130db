//! What points keep: a run that is broken off anywhere and begun again comes to the same as one that went through.

use super::parse;
use super::plan::{Plan, compile};
use proptest::prelude::*;
use reigen_core::engine::{Engine, Retained};
use reigen_core::lines::{LineColumns, LineKind, RecordedLine, join};
use reigen_core::time::Nanos;
use std::sync::LazyLock;

/// Stations in which `x` keeps its state, on the lines `A` to `C` and the number `N`.
const STATIONS: &[&str] = &[
    "[counter.x]\nup = 'a'\nedge = 'both'",
    "[counter.x]\nup = 'a'\npresets = [2, 5]\nat_last = 'restart'\nreset = 'b AND c'",
    "[counter.x]\nup = 'a'\ndown = 'b'\ngate = 'c'\nlimits = [-2, 3]\nat_limit = 'wrap'\nscale = 0.5",
    "[counter.x]\nup = 'a'\nlimits = [0, 4]",
    "[scan]\nperiod = '1 ns'\n[counter.x]\nup = 'a'\nscan = false",
    "[register.n]\nline = 'N'\nbits = 4\n[counter.x]\nup = 'n'\ngate = 'a OR NOT a'",
    "[encoder.x]\na = 'A'\nb = 'B'\nindex = 'C'\nindex_does = 'zero'",
    "[encoder.x]\na = 'A'\nb = 'B'\ndecode = 'x2'\nreverse = true",
    "[latch.x]\nset = 'a'\nreset = 'b'",
    "[latch.x]\nset = 'a'\nreset = 'b'\ndominant = 'set'",
    "[toggle.x]\nby = 'a'\nreset = 'b AND c'",
    "[timer.x]\nof = 'a'\nkind = 'on_delay'\ntime = '9 ns'",
    "[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '9 ns'",
    "[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '9 ns'",
];
const INPUTS: &str = "\n[input.a]\nline = 'A'\n[input.b]\nline = 'B'\n[input.c]\nline = 'C'\n";
const END: u64 = 90;

/// Compiled, with the numbers of the points that keep their state.
static COMPILED: LazyLock<Vec<(&str, Plan, Vec<usize>)>> = LazyLock::new(|| {
    let compiled = STATIONS.iter().map(|text| {
        let name = format!("retain = true\n{}", &text[text.rfind(".x]\n").unwrap() + 4..]);
        let station = parse(&format!("{}{name}{INPUTS}", &text[..text.rfind(".x]\n").unwrap() + 4])).unwrap();
        let level = |(signal, name): (usize, &str)| (signal, name.to_owned(), LineKind::Level);
        let lines = ["A", "B", "C"].into_iter().enumerate().map(level).chain([(0, "N".to_owned(), LineKind::Real)]);
        let recorded: Vec<RecordedLine> =
            lines.map(|(signal, name, kind)| RecordedLine { name, signal, kind, step: None }).collect();
        (*text, compile(&station, &recorded, Nanos(1)).unwrap(), station.retained())
    });
    compiled.collect()
});

/// The lines: when each toggles, and whether it begins high.
type Lines = [(bool, Vec<u64>); 3];

fn lines() -> impl Strategy<Value = Lines> {
    let line = (any::<bool>(), prop::collection::btree_set(1..END, 0..40));
    [line.clone(), line.clone(), line]
        .prop_map(|lines| lines.map(|(high, toggles)| (high, toggles.into_iter().collect())))
}

/// Works a stretch of the lines in a fresh engine that goes on from what was kept; gives what it keeps at the end.
fn work(
    plan: &Plan,
    points: &[usize],
    lines: &Lines,
    (from, until): (u64, u64),
    kept: &[(usize, Retained)],
) -> Vec<(usize, Retained)> {
    let mut engine: Engine = plan.program.start();
    kept.iter().for_each(|(point, state)| assert!(engine.resume(*point, state), "{state:?}"));
    let mut columns = LineColumns::new(plan.signals.len(), plan.numbers.len());
    for (column, &signal) in plan.signals.iter().enumerate() {
        let (high, toggles) = &lines[signal];
        let before = toggles.iter().filter(|time| **time < from).count();
        let within: Vec<Nanos> =
            toggles.iter().filter(|time| (from..until).contains(time)).map(|time| Nanos(time - from)).collect();
        let last = high ^ ((before + within.len()) % 2 == 1);
        columns.append(column, join(None, &[&[Nanos(0)], &within[..]].concat(), last));
    }
    // A count that comes in samples wherever the last line toggles.
    for &time in lines[2].1.iter().filter(|time| (from..until).contains(time) && !plan.numbers.is_empty()) {
        columns.append_reading(0, Nanos(time - from), (time * 3 % 16) as f64);
    }
    columns.end_at(Nanos(until - from));
    let window = columns.cut(Nanos(until - from));
    engine.work(window, columns.all());
    engine.retained(points, Nanos(until - from))
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(256))]
    #[test]
    fn broken_off_anywhere_and_begun_again_it_comes_to_the_same(lines in lines(), cut in 1..END) {
        // What toggles in the very instant of the new start has its level there, and no edge.
        prop_assume!(lines.iter().all(|(_, toggles)| !toggles.contains(&cut)));
        for (text, plan, points) in COMPILED.iter() {
            let whole = work(plan, points, &lines, (0, END), &[]);
            let kept = work(plan, points, &lines, (0, cut), &[]);
            // Through the form in which it is kept.
            let kept: Vec<(usize, Retained)> = serde_json::from_str(&serde_json::to_string(&kept).unwrap()).unwrap();
            prop_assert_eq!(&work(plan, points, &lines, (cut, END), &kept), &whole, "{}", text);
        }
    }
}

#[test]
fn what_does_not_fit_is_refused() {
    let start = |number: usize| (COMPILED[number].1.program.start(), COMPILED[number].2[0]);
    let counter = |value, wraps| {
        let text = format!(
            "{{\"counter\":{{\"value\":{value},\"total\":0,\"wraps\":{wraps},\"lost\":0,\"preset_hits\":[]}}}}"
        );
        serde_json::from_str::<Retained>(&text).unwrap()
    };
    let encoder = |position: i64| {
        let text = format!("{{\"encoder\":{{\"position\":{position},\"total\":0,\"known\":true,\"homed\":false}}}}");
        serde_json::from_str::<Retained>(&text).unwrap()
    };
    let cases = [
        (3, counter(4, 0), true),
        (3, counter(5, 0), false),
        (0, counter(i64::MAX, 0), true),
        (0, counter(0, u64::MAX), false),
        (0, Retained::Latch(true), false),
        (8, Retained::Latch(true), true),
        (8, Retained::Toggle(true), false),
        (6, encoder(-7), true),
        (6, encoder(i64::MAX), false),
    ];
    for (number, state, fits) in cases {
        let (mut engine, point) = start(number);
        assert_eq!(engine.resume(point, &state), fits, "{state:?} in {}", COMPILED[number].0);
    }
}
