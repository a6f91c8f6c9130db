//! Each block at work on a million edges, in windows of a size that a reader gives: `cargo bench -p reigen-core`.
//!
//! Every bench says whom it stands for, and checks its answer.

#![allow(clippy::cast_possible_truncation, clippy::cast_possible_wrap, clippy::cast_sign_loss)]
#![allow(clippy::expect_used, clippy::panic)]

use divan::Bencher;
use divan::counter::ItemsCount;
use reigen_core::analog::meter::{self as analog, Analog, Scaling};
use reigen_core::analog::threshold::{Levels, Threshold};
use reigen_core::block::{BitSource, Inputs, Lines, NumberSource, Outputs, Shape};
use reigen_core::column::{BitColumn, CountColumn, ReadingColumn};
use reigen_core::condition::debounce::{HoldTimes, Ledger, Settings};
use reigen_core::count::counter::{self, Counter, Sources};
use reigen_core::count::encoder::block::Encoder;
use reigen_core::count::encoder::decode::Decode;
use reigen_core::count::encoder::homing::IndexDoes;
use reigen_core::count::encoder::settings as encoder;
use reigen_core::engine::RunningBlock;
use reigen_core::expand::expander::{self, Expander};
use reigen_core::logic::apply::{Apply, Operand, Operation};
use reigen_core::logic::blink::{Blink, Flashes};
use reigen_core::logic::evaluate::Evaluate;
use reigen_core::logic::expression::parse;
use reigen_core::logic::expression::{Function, Value};
use reigen_core::logic::latch::{Latch, Toggle};
use reigen_core::logic::oneshot::OneShot;
use reigen_core::logic::pair::{self, Pair};
use reigen_core::logic::timer::{self, Timer, TimerKind};
use reigen_core::number::register::{self, Register};
use reigen_core::rate::meter::Rate;
use reigen_core::rate::settings::{self as rate, Method};
use reigen_core::rate::unit::Unit;
use reigen_core::summary::PointSummary;
use reigen_core::tally::Tally;
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
fn worked(block: impl Into<RunningBlock>, lines: &[Vec<Nanos>], shape: Shape) -> (Tally, PointSummary) {
    let mut block = block.into();
    let mut columns: Vec<BitColumn> =
        lines.iter().map(|_| BitColumn { level: Some(false), ..BitColumn::default() }).collect();
    let mut bits = vec![BitColumn::default(); shape.bits];
    let mut counts = vec![CountColumn::default(); shape.counts];
    let mut readings = vec![ReadingColumn::default(); shape.readings];
    let mut tally = Tally::default();
    let (mut from, mut at) = (Nanos(0), 0);
    let mut passed = vec![0; lines.len()];
    while at < EDGES {
        let end = (at + WINDOW).min(EDGES);
        let until = lines[0][end - 1] + Nanos(1);
        for ((column, line), passed) in columns.iter_mut().zip(lines).zip(&mut passed) {
            column.advance();
            let within = line[*passed..].partition_point(|edge| *edge < until);
            column.toggles.extend_from_slice(&line[*passed..*passed + within]);
            *passed += within;
        }
        bits.iter_mut().for_each(BitColumn::advance);
        counts.iter_mut().for_each(CountColumn::advance);
        readings.iter_mut().for_each(ReadingColumn::advance);
        let inputs = Inputs { lines: Lines::of_bits(&columns), bits: &[], counts: &[], readings: &[] };
        let outputs = Outputs { bits: &mut bits, counts: &mut counts, readings: &mut readings };
        block.work(Window { from, until }, inputs, outputs);
        if let Some(bit) = bits.first() {
            tally.take(bit, until);
        }
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
        let block =
            Counter::new(counter::Settings::default(), Sources { up: Some(BitSource::Line(0)), ..Sources::default() });
        let (_, summary) = worked(block, &lines, counter::shape(&counter::Settings::default()));
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
        let names = expression.names().into_iter();
        let sources: Vec<_> =
            names.map(|(name, _)| (name.clone(), BitSource::Line(usize::from(name.point == "b")))).collect();
        let block = Evaluate::new(expression, &sources);
        let (tally, _) = worked(block, &lines, Shape::BIT);
        assert_eq!(tally.rising, EDGES as u64 / 2);
    });
}

/// Benches a block over two lines of pulses, the second a little later.
fn over_pulses(bencher: Bencher<'_, '_>, shape: Shape, make: impl Fn() -> RunningBlock) {
    let lines = [pulses(), pulses().iter().map(|time| *time + Nanos(10_000)).collect()];
    bencher.counter(ItemsCount::new(2 * EDGES)).bench_local(|| {
        let block = make();
        worked(block, &lines, shape)
    });
}

const A: BitSource = BitSource::Line(0);
const B: BitSource = BitSource::Line(1);

/// A technician whose machine starts and stops.
#[divan::bench]
fn latch_of_two_lines(bencher: Bencher<'_, '_>) {
    over_pulses(bencher, Shape::BIT, || Latch::new(A, B, false).into());
}

/// A technician whose lamp flips.
#[divan::bench]
fn toggle_of_two_lines(bencher: Bencher<'_, '_>) {
    over_pulses(bencher, Shape::BIT, || Toggle::new(A, Some(B)).into());
}

/// A technician with both sides of a door's contact.
#[divan::bench]
fn pair_of_two_lines(bencher: Bencher<'_, '_>) {
    over_pulses(bencher, pair::SHAPE, || Pair::new(A, B, Nanos(MILLISECOND)).into());
}

/// A technician who counts up and down within limits.
#[divan::bench]
fn counter_up_and_down(bencher: Bencher<'_, '_>) {
    let range = counter::Range { least: 0, most: 9, wraps: true };
    let settings = counter::Settings { range: Some(range), presets: vec![5], ..counter::Settings::default() };
    let sources = Sources { up: Some(A), down: Some(B), ..Sources::default() };
    over_pulses(bencher, counter::shape(&settings), || Counter::new(settings.clone(), sources.clone()).into());
}

/// Benches a block over one line of pulses.
fn over_one(bencher: Bencher<'_, '_>, shape: Shape, make: impl Fn() -> RunningBlock) {
    let lines = [pulses()];
    bencher.counter(ItemsCount::new(EDGES)).bench_local(|| {
        let block = make();
        worked(block, &lines, shape)
    });
}

/// A technician who delays a signal.
#[divan::bench]
fn timer_on_delay(bencher: Bencher<'_, '_>) {
    over_one(bencher, timer::SHAPE, || Timer::new(TimerKind::OnDelay, Nanos(20_000), A).into());
}

/// A technician who makes pulses of one length.
#[divan::bench]
fn oneshot_of_pulses(bencher: Bencher<'_, '_>) {
    over_one(bencher, Shape::BIT, || OneShot::new(A, true, Nanos(20_000)).into());
}

/// A technician whose lamp blinks.
#[divan::bench]
fn blink_on_pulses(bencher: Bencher<'_, '_>) {
    let flashes = Flashes { times: 3, on: Nanos(MILLISECOND), off: Nanos(MILLISECOND), while_on: false };
    over_one(bencher, Shape::BIT, || Blink::new(A, flashes).into());
}

/// A technician who compares: a bit chosen between two numbers.
#[divan::bench]
fn operation_on_values(bencher: Bencher<'_, '_>) {
    let operands = vec![Operand::Bit(A), Operand::Constant(Value::Integer(2)), Operand::Constant(Value::Integer(3))];
    over_one(bencher, Shape::COUNT, || Apply::new(Operation::Function(Function::Sel), operands.clone()).into());
}

/// A technician who reads a speed, by a method; with the wheel's marks looked at where there are some.
fn rate_of_pulses(bencher: Bencher<'_, '_>, method: Method, marks: Option<f64>) {
    let unit = Unit { name: "Hz".to_owned(), per_hertz: 1.0 };
    let settings = rate::Settings {
        method,
        zero_after: None,
        unit,
        pulses_per_rev: marks,
        marks: None,
        steps_from: Nanos(0),
        steady: None,
    };
    over_one(bencher, settings.shape(), || Rate::new(settings.clone(), A, Nanos(1)).into());
}

#[divan::bench]
fn rate_by_gate(bencher: Bencher<'_, '_>) {
    rate_of_pulses(bencher, Method::Gate { window: Nanos(100 * MILLISECOND) }, None);
}

#[divan::bench]
fn rate_by_period(bencher: Bencher<'_, '_>) {
    rate_of_pulses(bencher, Method::Period { average: 6 }, None);
}

#[divan::bench]
fn rate_auto(bencher: Bencher<'_, '_>) {
    rate_of_pulses(bencher, Method::Auto { every: Nanos(100 * MILLISECOND) }, None);
}

#[divan::bench]
fn rate_auto_with_wheel(bencher: Bencher<'_, '_>) {
    rate_of_pulses(bencher, Method::Auto { every: Nanos(100 * MILLISECOND) }, Some(6.0));
}

/// Benches a block over a line of numbers with noise on them.
fn over_numbers(bencher: Bencher<'_, '_>, shape: Shape, make: impl Fn() -> RunningBlock) {
    let mut random = fastrand::Rng::with_seed(3);
    over_values(bencher, shape, |_| 2000.0 + random.f64() * 100.0, make);
}

/// The same for these values.
fn over_values(
    bencher: Bencher<'_, '_>,
    shape: Shape,
    mut value: impl FnMut(u64) -> f64,
    make: impl Fn() -> RunningBlock,
) {
    let mut window = ReadingColumn::default();
    (0..WINDOW as u64).for_each(|number| window.push(Nanos(number * 1000), value(number)));
    let windows = EDGES / WINDOW;
    bencher.counter(ItemsCount::new(windows * WINDOW)).bench_local(|| {
        let mut block = make();
        let (mut bits, mut readings) =
            (vec![BitColumn::default(); shape.bits], vec![ReadingColumn::default(); shape.readings]);
        let mut counts = vec![CountColumn::default(); shape.counts];
        let mut column = window.clone();
        let mut passed = 0;
        for number in 0..windows as u64 {
            bits.iter_mut().for_each(BitColumn::advance);
            counts.iter_mut().for_each(CountColumn::advance);
            readings.iter_mut().for_each(ReadingColumn::advance);
            let length = WINDOW as u64 * 1000;
            let (from, until) = (Nanos(number * length), Nanos((number + 1) * length));
            column.times.iter_mut().zip(&window.times).for_each(|(time, first)| *time = *first + from);
            let lines = Lines { bits: &[], readings: std::slice::from_ref(&column), last: false };
            let inputs = Inputs { lines, bits: &[], counts: &[], readings: &[] };
            let outputs = Outputs { bits: &mut bits, counts: &mut counts, readings: &mut readings };
            block.work(Window { from, until }, inputs, outputs);
            passed += readings.first().map_or(0, |column| column.times.len());
        }
        passed
    });
}

/// A technician who polls the count of a meter.
#[divan::bench]
fn register_of_samples(bencher: Bencher<'_, '_>) {
    let settings = register::Settings { bits: Some(16), signed: false, restarts: false, fastest: None, scale: None };
    let sources = register::Sources { low: NumberSource::Line(0), high: None };
    let shape = register::shape(&settings);
    over_values(
        bencher,
        shape,
        |number| (number * 37 % 65_536) as f64,
        || Register::new(settings.clone(), sources).into(),
    );
}

/// A technician who reads a load pin.
#[divan::bench]
fn analog_of_values(bencher: Bencher<'_, '_>) {
    let settings = analog::Settings {
        scaling: Scaling {
            counts: Some((4095.0, 20.0)),
            scale: Some(([4.0, 20.0], [0.0, 5000.0])),
            ..Scaling::default()
        },
        unit: "N".to_owned(),
        valid: Some([0.0, 5000.0]),
        smooth: None,
        computed: false,
    };
    over_numbers(bencher, analog::SHAPE, || Analog::new(settings.clone(), NumberSource::Line(0), None).into());
}

/// A technician who switches by a value.
#[divan::bench]
fn threshold_of_values(bencher: Bencher<'_, '_>) {
    let levels = Levels { above: 2060.0, below: 2040.0, inverted: false };
    over_numbers(bencher, Shape::BIT, || Threshold::new(levels, Operand::Number(NumberSource::Line(0))).into());
}

/// A technician who measures rope: both channels a quarter apart, in units.
#[divan::bench]
fn encoder_x4(bencher: Bencher<'_, '_>) {
    let settings = encoder::Settings {
        decode: Decode::X4,
        reverse: false,
        pulses_per_rev: Some(1024.0),
        per_count: Some(0.75 / 4096.0),
        unit: "m".to_owned(),
        zero_at: 0,
        index_does: IndexDoes::Check,
        still_after: Nanos(200 * MILLISECOND),
        speed: (encoder::SPEED_EVERY, Nanos(0)),
        rollover: None,
    };
    let sources = encoder::Sources { a: A, b: B, index: None, zero_on: None, raw: None };
    let lines = [pulses(), pulses().iter().map(|time| *time + Nanos(25_000)).collect()];
    bencher.counter(ItemsCount::new(2 * EDGES)).bench_local(|| {
        let block = Encoder::new(settings.clone(), sources, Nanos(1));
        let (_, summary) = worked(block, &lines, encoder::SHAPE);
        let PointSummary::Encoder(encoder) = summary else { panic!("no encoder") };
        // The last edge of B comes after the last of A, with which the work ends.
        assert_eq!(encoder.position, Some(2 * EDGES as i64 - 1));
    });
}

/// A technician with sixteen switches over three wires: frames of two chips.
#[divan::bench]
fn chain_of_two_chips(bencher: Bencher<'_, '_>) {
    // Load is low at first, and again before each sixteen clocks, and data that changes now and then.
    let frame = |number: u64| number * 40 * 4_000;
    let frames = EDGES as u64 / 32;
    let clock: Vec<Nanos> =
        (0..frames).flat_map(|number| (0..32).map(move |edge| Nanos(frame(number) + 16_000 + edge * 4_000))).collect();
    let load: Vec<Nanos> =
        (0..frames).flat_map(|number| [frame(number) + 4_000, frame(number) + 8_000].map(Nanos)).skip(1).collect();
    let data: Vec<Nanos> =
        (0..frames / 8).map(|number| Nanos(frame(number * 8) + 18_000 + number % 16 * 8_000)).collect();
    let settings = expander::Settings { on_while_high: vec![true; 2], rising: true };
    let sources = expander::Sources { load: B, clock: A, data: BitSource::Line(2), inhibit: None };
    let edges = clock.len();
    let lines = [clock, load, data];
    bencher.counter(ItemsCount::new(edges)).bench_local(|| {
        let block = Expander::new(settings.clone(), sources);
        let (_, summary) = worked(block, &lines, settings.shape());
        let PointSummary::Expander(expander) = summary else { panic!("no expander") };
        assert_eq!((expander.bad_frames, expander.frames), (0, frames - 1), "the last has not ended");
    });
}
