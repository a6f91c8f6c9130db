//! Each block at work on a million edges, in windows of a size that a reader gives: `cargo bench -p reigen-core`.
//!
//! Every bench says whom it stands for, and checks its answer.

#![allow(clippy::expect_used, clippy::panic)]

use divan::Bencher;
use divan::counter::ItemsCount;
use reigen_core::column::{BitColumn, CountColumn};
use reigen_core::condition::debounce::{HoldTimes, Ledger, Settings};
use reigen_core::count::counter::{self, Counter, Sources};
use reigen_core::engine::{BitSource, Block, Inputs, Outputs};
use reigen_core::logic::evaluate::Evaluate;
use reigen_core::logic::expression::parse;
use reigen_core::summary::{PointSummary, Tally};
use reigen_core::time::{Nanos, Window};

const EDGES: usize = 1_000_000;
const WINDOW: usize = 8192;
const MILLISECOND: u64 = 1_000_000;

fn main() {
    divan::main();
}

/// Presses of a contact: bursts of a few edges close together, then a rest.
fn bouncing() -> Vec<Nanos> {
    let mut random = fastrand::Rng::with_seed(1);
    let mut time = 0;
    let mut left = 0;
    let mut edges = Vec::with_capacity(EDGES);
    while edges.len() < EDGES {
        if left == 0 {
            time += random.u64(20..200) * MILLISECOND;
            left = 2 * random.u32(0..6) + 1;
        } else {
            time += random.u64(10_000..900_000);
        }
        left -= 1;
        edges.push(Nanos(time));
    }
    edges
}

/// A clean pulse train of 10 kHz.
fn pulses() -> Vec<Nanos> {
    (1..=EDGES as u64).map(|edge| Nanos(edge * 50_000)).collect()
}

/// A floating line: it chatters without rest.
fn chatter() -> Vec<Nanos> {
    let mut random = fastrand::Rng::with_seed(2);
    let mut time = 0;
    let step = |_| {
        time += random.u64(1_000..2_000_000);
        Nanos(time)
    };
    (0..EDGES).map(step).collect()
}

fn debounced(bencher: Bencher<'_, '_>, settings: Settings, edges: &[Nanos]) {
    bencher.counter(ItemsCount::new(EDGES)).bench_local(|| {
        let mut method = settings.start();
        let (mut output, mut ledger, mut changes) = (Vec::new(), Ledger::default(), 0);
        method.start(false);
        for window in edges.chunks(WINDOW) {
            output.clear();
            let until = window.last().map_or(Nanos(0), |last| *last + Nanos(1));
            method.work(window, until, &mut output, &mut ledger);
            changes += output.len() as u64;
        }
        assert_eq!(changes, ledger.account.accepted);
        assert!(ledger.account.balances(method.pending() + method.surely().bounce));
    });
}

fn hold(time: u64) -> HoldTimes {
    HoldTimes { on: Nanos(time), off: Nanos(time) }
}

/// A technician with an hour of push buttons.
#[divan::bench]
fn stable_on_bouncing_contacts(bencher: Bencher<'_, '_>) {
    debounced(bencher, Settings::Stable(hold(8 * MILLISECOND)), &bouncing());
}

/// A technician with a fast, clean sensor.
#[divan::bench]
fn stable_on_clean_pulses(bencher: Bencher<'_, '_>) {
    debounced(bencher, Settings::Stable(hold(20_000)), &pulses());
}

/// A technician with an input that floats.
#[divan::bench]
fn stable_on_chatter(bencher: Bencher<'_, '_>) {
    debounced(bencher, Settings::Stable(hold(8 * MILLISECOND)), &chatter());
}

/// A technician who wants each press at once.
#[divan::bench]
fn lockout_on_bouncing_contacts(bencher: Bencher<'_, '_>) {
    debounced(bencher, Settings::Lockout(hold(8 * MILLISECOND)), &bouncing());
}

/// Works a block over columns of edges, window by window, and gives what it tells in the end.
fn worked(block: &mut dyn Block, lines: &[Vec<Nanos>], counts: usize) -> (Tally, PointSummary) {
    let mut columns: Vec<BitColumn> =
        lines.iter().map(|_| BitColumn { level: Some(false), ..BitColumn::default() }).collect();
    let mut bits = [BitColumn::default()];
    let mut counts = vec![CountColumn::default(); counts];
    let mut tally = Tally::default();
    let (mut from, mut at) = (Nanos(0), 0);
    while at < EDGES {
        let end = (at + WINDOW).min(EDGES);
        let until = lines[0][end - 1] + Nanos(1);
        for (column, line) in columns.iter_mut().zip(lines) {
            column.advance();
            column.toggles.extend(line[at.min(line.len())..].iter().take_while(|edge| **edge < until));
        }
        bits[0].advance();
        counts.iter_mut().for_each(CountColumn::advance);
        let inputs = Inputs { lines: &columns, bits: &[], counts: &[], readings: &[] };
        block.work(Window { from, until }, inputs, Outputs { bits: &mut bits, counts: &mut counts, readings: &mut [] });
        tally.take(&bits[0], until);
        (from, at) = (until, end);
    }
    let summary = block.summary(tally);
    (tally, summary)
}

/// A technician who counts a machine's pulses.
#[divan::bench]
fn counter_of_pulses(bencher: Bencher<'_, '_>) {
    let lines = [pulses()];
    bencher.counter(ItemsCount::new(EDGES)).bench_local(|| {
        let mut block =
            Counter::new(counter::Settings::default(), Sources { up: Some(BitSource::Line(0)), ..Sources::default() });
        let (_, summary) = worked(&mut block, &lines, 2);
        let PointSummary::Counter(counter) = summary else { panic!("no counter") };
        assert_eq!(counter.value, Some(EDGES as i64 / 2));
    });
}

/// A technician whose lamp follows two sensors.
#[divan::bench]
fn expression_of_two_lines(bencher: Bencher<'_, '_>) {
    let lines = [pulses(), pulses().iter().map(|time| *time + Nanos(10)).collect()];
    bencher.counter(ItemsCount::new(2 * EDGES)).bench_local(|| {
        let expression = parse("a AND NOT b").expect("an expression");
        let mut block = Evaluate::new(expression, |name| BitSource::Line(usize::from(name.point == "b")));
        let (tally, _) = worked(&mut block, &lines, 0);
        assert_eq!(tally.rising, EDGES as u64 / 2);
    });
}
