use super::auto::Auto;
use super::captures::{self, Captures, Timer};
use super::gate::Gate;
use super::marks::{Gap, Marks};
use super::period::Period;
use super::readings::{Reading, Sink};
use super::unit::{Travel, Unit, UnitError};
use super::wheel::Wheel;
use crate::time::Nanos;
use crate::units::Hertz;
use proptest::prelude::*;

/// Readings as they come: time, hertz, resolution; a repeated one stands without a time.
#[derive(Debug, Default, PartialEq)]
struct Told(Vec<(Option<u64>, f64, f64)>);

impl Sink for Told {
    fn reading(&mut self, reading: Reading) {
        let resolution = reading.resolution().unwrap_or(0.0);
        self.0.push((Some(reading.made.at.0), reading.hertz, resolution));
    }

    fn repeat(&mut self, times: u64) {
        let Some(&(_, hertz, resolution)) = self.0.last() else { return };
        self.0.extend(std::iter::repeat_n((None, hertz, resolution), times as usize));
    }
}

impl Told {
    /// All readings without their times, since repeated ones have none.
    fn values(&self) -> Vec<(f64, f64)> {
        self.0.iter().map(|(_, hertz, resolution)| (*hertz, *resolution)).collect()
    }

    fn near(&self, other: &[(f64, f64)]) -> bool {
        let close = |one: f64, other: f64| (one - other).abs() <= 1e-9 * one.abs().max(other.abs());
        let told = self.values();
        told.len() == other.len()
            && told.iter().zip(other).all(|(told, other)| close(told.0, other.0) && close(told.1, other.1))
    }
}

const END: u64 = 400;
const TICK: f64 = 2e-9;

fn seconds(nanos: u64) -> f64 {
    nanos as f64 / 1e9
}

fn gate_plainly(edges: &[u64], since: u64, window: u64) -> Vec<(f64, f64)> {
    let first = since.div_ceil(window);
    let count = |k: u64| edges.iter().filter(|edge| (k * window..(k + 1) * window).contains(*edge)).count();
    let per_count = 1.0 / seconds(window);
    let windows = (first..).take_while(|k| (k + 1) * window <= END);
    let reading = |count: usize| (count as f64 * per_count, per_count);
    windows.map(|k| reading(count(k))).collect()
}

/// Instant by instant: edges first, then what is due.
fn period_plainly(edges: &[u64], average: usize, zero_after: Option<u64>) -> Vec<(f64, f64)> {
    let (mut readings, mut run): (Vec<(f64, f64)>, Vec<u64>) = (Vec::new(), Vec::new());
    for now in 0..=END {
        for &edge in edges.iter().filter(|edge| **edge == now) {
            run.push(edge);
            let Some(first) = run.len().checked_sub(average + 1).map(|first| run[first]) else { continue };
            if first < now {
                let hertz = average as f64 / seconds(now - first);
                let step = step_plainly(edges, now);
                // f²δ/m / (1 − fδ/m)
                let bound = (1.0 - hertz * step / average as f64).max(1e-3);
                readings.push((hertz, hertz * hertz * step / average as f64 / bound));
            }
        }
        if run.last().zip(zero_after).is_some_and(|(last, zero)| last + zero == now) {
            run.clear();
            if readings.last().is_some_and(|last| last.0 > 0.0) {
                readings.push((0.0, 0.0));
            }
        }
    }
    readings
}

/// The step of the edges up to a time, in seconds: the greatest that all distances from the first are multiples of.
fn step_plainly(edges: &[u64], now: u64) -> f64 {
    let distances = edges.iter().filter(|edge| **edge <= now).map(|edge| edge - edges[0]).filter(|far| *far > 0);
    let fits = |step: &u64| distances.clone().all(|far| far.is_multiple_of(*step));
    let longest = distances.clone().min().unwrap_or(1);
    let step = (1..=longest).rev().find(fits).unwrap_or(1);
    seconds(step).max(TICK)
}

/// Reading by reading, each worked from all edges up to it.
fn auto_plainly(edges: &[u64], every: u64, zero_after: Option<u64>) -> Vec<(f64, f64)> {
    let mut readings: Vec<(f64, f64)> = Vec::new();
    // The edge from which the next reading counts, by its number.
    let mut anchor: Option<usize> = None;
    let mut passed = 0;
    for now in (0..=END).step_by(every as usize) {
        let until = edges.iter().filter(|edge| **edge <= now).count();
        if anchor.is_none() && until > passed {
            anchor = Some(passed);
        }
        passed = until;
        let Some(from) = anchor else {
            readings.extend(readings.last().copied());
            continue;
        };
        let last = until - 1;
        if edges[last] > edges[from] {
            let interval = seconds(edges[last] - edges[from]);
            let hertz = (last - from) as f64 / interval;
            let share = step_plainly(edges, now) / interval;
            readings.push((hertz, hertz * share / (1.0 - share).max(1e-3)));
            anchor = Some(last);
            continue;
        }
        let idle = now - edges[last];
        if zero_after.is_some_and(|zero| idle >= zero) {
            anchor = None;
            if !readings.is_empty() {
                readings.push((0.0, 0.0));
            }
        } else if let Some(&before) = readings.last() {
            let most = 1.0 / seconds(idle);
            readings.push(if most < before.0 { (most, 0.0) } else { before });
        }
    }
    readings
}

fn edges() -> impl Strategy<Value = Vec<u64>> {
    let steps = prop_oneof![4 => 0..12u64, 1 => 30..120u64];
    prop::collection::vec(steps, 0..60).prop_map(|steps| {
        let times = steps.iter().scan(1, |time, step| {
            *time += step;
            Some(*time)
        });
        times.take_while(|time| *time <= END).collect()
    })
}

proptest! {
    #[test]
    fn a_gate_counts_the_edges_of_each_whole_window(edges in edges(), since in 0..30u64, window in 1..50u64) {
        let edges: Vec<u64> = edges.into_iter().filter(|edge| *edge > since).collect();
        let (mut gate, mut told) = (Gate::new(Nanos(window)), Told::default());
        gate.start(Nanos(since));
        edges.iter().for_each(|&edge| gate.edge(Nanos(edge), 1, &mut told));
        gate.pass(Nanos(END), &mut told);
        let plain = gate_plainly(&edges, since, window);
        prop_assert!(told.near(&plain), "{:?} {:?}", told, plain);
    }

    #[test]
    fn a_period_is_the_time_of_the_last_intervals(edges in edges(), average in 1..4usize, zero in prop::option::of(1..40u64)) {
        let (mut period, mut told) = (Period::new(average, zero.map(Nanos), Nanos(2)), Told::default());
        edges.iter().for_each(|&edge| period.edge(Nanos(edge), 1, &mut told));
        period.pass(Nanos(END + 1), &mut told);
        let plain = period_plainly(&edges, average, zero);
        prop_assert!(told.near(&plain), "{:?} {:?}", told, plain);
    }

    #[test]
    fn auto_counts_edges_over_the_time_that_they_took(edges in edges(), every in 1..40u64, zero in prop::option::of(1..60u64)) {
        let (mut auto, mut told) = (Auto::new(Nanos(every), zero.map(Nanos), Nanos(2)), Told::default());
        edges.iter().for_each(|&edge| auto.edge(Nanos(edge), 1, &mut told));
        auto.pass(Nanos(END + 1), &mut told);
        let plain = auto_plainly(&edges, every, zero);
        prop_assert!(told.near(&plain), "{:?} {:?}", told, plain);
    }

    #[test]
    fn captured_counts_give_back_the_period_whatever_wraps(
        bits in 4..24u32, start in any::<u64>(), periods in prop::collection::vec(1..15u64, 1..20),
    ) {
        let timer = Timer { clock: Hertz(48e6), prescale: 480, most: Timer::most_of_bits(bits) };
        let mask = timer.modulus() - 1;
        let counts: Vec<u64> = std::iter::once(0).chain(periods.iter().copied())
            .scan(start, |count, period| { *count = count.wrapping_add(period); Some(*count & mask) }).collect();
        let captured = captures::work(&timer, &starts(&counts));
        prop_assert_eq!(captured.readings.iter().map(|reading| reading.counts).collect::<Vec<_>>(), periods);
        for reading in &captured.readings {
            // One count less is one resolution more, to the first order.
            let next = 48e6 / 480.0 / (reading.counts as f64 + 1.0);
            let change = reading.frequency_hz - next;
            prop_assert!((change / reading.resolution_hz - 1.0).abs() <= 1.0 / reading.counts as f64);
            prop_assert!((reading.period_s * reading.frequency_hz - 1.0).abs() < 1e-12);
        }
    }
}

proptest! {
    #[test]
    fn a_gap_of_any_length_gives_few_readings_and_each_holds(
        edges in edges().prop_filter("an interval", |edges| edges.last() > edges.first()),
        every in 1..40u64,
        gap_bits in 1..63u32,
        zero in prop::option::of(1..1u64 << 40),
        cuts in prop::collection::vec(any::<u64>(), 0..4),
    ) {
        let work = |cuts: &[u64]| {
            let (mut auto, mut told) = (Auto::new(Nanos(every), zero.map(Nanos), Nanos(2)), Counted::default());
            edges.iter().for_each(|&edge| auto.edge(Nanos(edge), 1, &mut told));
            let end = edges.last().unwrap() + (1 << gap_bits);
            let mut cuts: Vec<u64> = cuts.iter().map(|cut| cut % end).filter(|cut| *cut > 400).collect();
            cuts.sort_unstable();
            for until in cuts.into_iter().chain([end]) {
                auto.pass(Nanos(until), &mut told);
            }
            told
        };
        let whole = work(&[]);
        prop_assert!(whole.readings.len() < 60_000, "{}", whole.readings.len());
        prop_assert_eq!(&whole, &work(&cuts));
        let last = *edges.last().unwrap();
        let end = last + (1 << gap_bits);
        if let (None, Some(&(first, _))) = (zero, whole.readings.first()) {
            // A reading at each multiple from the first one on, told or repeated.
            prop_assert_eq!(whole.count, (end - 1 - first) / every + 1);
            // Each bound is one, and no more than a thousandth above the least.
            let held = |from: (u64, f64), until: u64| {
                let [early, late] = [from.0, until].map(|time| 1e9 / time.saturating_sub(last) as f64);
                from.1 <= early * 1.000_001 || from.1 >= late && from.1 <= late * 1.003
            };
            for pair in whole.readings.windows(2).filter(|pair| pair[0].0 > last + every && pair[1].1 < pair[0].1) {
                let until = pair[1].0 - every;
                prop_assert!(held(pair[0], until.max(pair[0].0)), "{:?}", pair);
            }
        }
    }
}

/// Readings with their times, and how many there are with those that repeat.
#[derive(Debug, Default, PartialEq)]
struct Counted {
    readings: Vec<(u64, f64)>,
    count: u64,
}

impl Sink for Counted {
    fn reading(&mut self, reading: Reading) {
        self.readings.push((reading.made.at.0, reading.hertz));
        self.count += 1;
    }

    fn repeat(&mut self, times: u64) {
        self.count += times;
    }
}

#[test]
fn auto_by_hand() {
    // Reads at 10, 20, …: the edge at 20 belongs to that reading; the first one only starts the first interval.
    let (mut auto, mut told) = (Auto::new(Nanos(10), Some(Nanos(30)), Nanos(1)), Told::default());
    [4, 12, 20, 29].iter().for_each(|&edge| auto.edge(Nanos(edge), 1, &mut told));
    auto.pass(Nanos(71), &mut told);
    let hertz: Vec<(Option<u64>, f64)> =
        told.0.iter().map(|(at, hertz, _)| (*at, (*hertz / 1e4).round() / 100.0)).collect();
    let fallen = [(Some(40), 90.91), (Some(50), 47.62), (Some(60), 0.0), (None, 0.0)];
    assert_eq!(hertz, [[(Some(20), 125.0), (Some(30), 111.11)].as_slice(), &fallen].concat());
}

#[test]
fn equal_captures_give_no_reading_and_a_turn_less_one_is_the_longest() {
    let timer = Timer { clock: Hertz(48e6), prescale: 480, most: Timer::most_of_bits(16) };
    assert_eq!((timer.tick().0, timer.longest_period().0), (1e-5, 65_535.0 * 1e-5));
    let captured = captures::work(&timer, &starts(&[65_000, 65_000, 1_964, 4_464]));
    assert_eq!((captured.equal_neighbours, captured.wraps), (1, 1));
    assert_eq!(captured.readings.iter().map(|reading| reading.frequency_hz).collect::<Vec<_>>(), [40.0, 40.0]);
    assert_eq!(captured.readings[0].resolution_hz, 40.0 / 2500.0);
}

#[test]
fn units_are_worked_from_what_a_revolution_is() {
    let travel = |pulses, travel, factor| Travel { pulses_per_rev: pulses, travel_per_rev: travel, factor };
    let cases = [
        ("Hz", travel(None, None, None), Ok(1.0)),
        ("rpm", travel(Some(6.0), None, None), Ok(10.0)),
        ("rpm", travel(None, None, None), Err(UnitError::NoPulses("rpm".into()))),
        ("m/s", travel(Some(4.0), Some(0.5), None), Ok(0.125)),
        ("m/min", travel(Some(4.0), Some(0.5), None), Ok(7.5)),
        ("m/s", travel(Some(4.0), None, None), Err(UnitError::NoTravel("m/s".into()))),
        ("turns/h", travel(Some(6.0), None, Some(3600.0)), Ok(600.0)),
        ("boxes/min", travel(None, None, Some(60.0)), Ok(60.0)),
        ("boxes/min", travel(None, None, None), Err(UnitError::Unknown("boxes/min".into()))),
        ("Hz", travel(None, None, Some(2.0)), Err(UnitError::Factor("Hz".into()))),
    ];
    for (name, travel, wanted) in cases {
        assert_eq!(Unit::new(name, travel).map(|unit| unit.per_hertz), wanted, "{name}");
    }
}

/// A wheel at a steady rate with marks at these places of a revolution of 6000.
fn turn(places: &[u64], revolutions: u64, missed: impl Fn(u64, usize) -> bool) -> Wheel {
    let mut wheel = Wheel::new(places.len());
    for revolution in 0..revolutions {
        for (mark, place) in places.iter().enumerate().filter(|(mark, _)| !missed(revolution, *mark)) {
            wheel.edge(Nanos((revolution * 6000 + place) * 1000 + 5 * (mark as u64 % 2)));
        }
    }
    wheel
}

#[test]
fn a_late_mark_a_missed_mark_and_a_wheel_out_of_centre_are_told_apart() {
    let late = turn(&[0, 1000, 2000, 3100, 4000, 5000], 40, |_, _| false).summary().unwrap();
    let (mark, most) = (3, late.late_percent[3]);
    assert!((7.0..11.0).contains(&most) && late.late_percent.iter().all(|late| *late <= most), "{mark} {late:?}");
    assert!(late.from_wheel_percent > 99.0 && late.ripple_share_percent < 80.0, "{late:?}");
    assert_eq!(late.missed, [0; 6]);

    let missed = turn(&[0, 1000, 2000, 3000, 4000, 5000], 40, |turn, mark| turn > 20 && mark == 3).summary().unwrap();
    assert_eq!(missed.missed, [0, 0, 0, 19, 0, 0]);
    assert_eq!(missed.first_missed, Some(Nanos((21 * 6000 + 3000) * 1000)));
    assert!(missed.late_percent.iter().all(|late| late.abs() < 0.1), "{missed:?}");

    let swing = |mark: u64| 1000 * mark + (60.0 * (std::f64::consts::TAU * mark as f64 / 6.0).sin()) as u64 % 6000;
    let places: Vec<u64> = [0, 1, 2, 3].map(swing).into_iter().chain([4000 - 51, 5000 - 51]).collect();
    let bent = turn(&places, 40, |_, _| false).summary().unwrap();
    assert!(bent.ripple_share_percent > 80.0 && (4.0..8.0).contains(&bent.ripple_percent), "{bent:?}");
}

proptest! {
    #[test]
    fn a_reading_of_a_steady_shaft_is_true_to_its_resolution(
        hertz in 0.7..4000.0f64,
        step in prop::sample::select(vec![1u64, 1_000, 20_000, 1_000_000]),
        phase in 0.0..1.0f64,
        average in 1..9usize,
        every in 10..300u64,
    ) {
        let time = |number: u32| Nanos(((f64::from(number) + phase) / hertz * 1e9) as u64 / step * step);
        let last = (hertz as u32).clamp(20, 900);
        let every = Nanos(every * 1_000_000);
        let (mut gate, mut period, mut auto) =
            (Gate::new(every), Period::new(average, None, Nanos(1)), Auto::new(every, None, Nanos(1)));
        let (mut counted, mut timed, mut steps) = (Told::default(), Told::default(), Told::default());
        gate.start(Nanos(0));
        for edge in (0..last).map(time) {
            gate.edge(edge, 1, &mut counted);
            period.edge(edge, 1, &mut timed);
            auto.edge(edge, 1, &mut steps);
        }
        // The first window may begin before the first edge: the shaft was turning then, unseen.
        for (told, reading) in [counted.0.get(1..).unwrap_or_default(), &timed.0, &steps.0].into_iter().flatten().map(|told| (told.1, told.2)) {
            prop_assert!((told - hertz).abs() <= reading * (1.0 + 1e-9), "{} for {}, ±{}", told, hertz, reading);
        }
    }

    #[test]
    fn a_wheel_with_a_gap_reads_as_one_without(of in 5..40u32, missing in 1..3u32, speed in 1.0..60.0f64, ramp in -0.3..0.3f64) {
        let marks = Marks { of, missing };
        let mut gap = Gap::new(marks);
        let pitch = 1e9 / speed / f64::from(of);
        let mut time = 0.0;
        let (mut places, mut revolutions, mut passed) = (0, 0, 0);
        for turn in 0..12u32 {
            for place in 0..of {
                time += pitch * (1.0 + ramp * f64::from(turn * of + place) / f64::from(12 * of));
                passed += 1;
                if place < of - missing {
                    let step = gap.edge(Nanos(time as u64));
                    revolutions += i64::from(step > 1);
                    places += step;
                    // All places up to here have been counted, whether they have a mark or not.
                    prop_assert_eq!(places, passed, "turn {} place {}", turn, place);
                }
            }
        }
        prop_assert_eq!(revolutions, 11);
    }
}

#[test]
fn a_timer_that_is_reloaded_wraps_there_and_a_missed_capture_shows() {
    let timer = Timer { clock: Hertz(1e6), prescale: 1, most: 999 };
    // A capture every 400 counts of 1000, of which the one at 1600 is missed.
    let counts = [0, 400, 800, 200, 0, 400, 800];
    let captured = captures::work(&timer, &starts(&counts));
    let periods: Vec<u64> = captured.readings.iter().map(|reading| reading.counts).collect();
    assert_eq!(periods, [400, 400, 400, 800, 400, 400]);
    assert_eq!((captured.wraps, captured.doubled), (2, 1));
    // 400 µs and once 800 µs: the mean is 466.7, and the deviation 400 / sqrt(6).
    assert!((captured.jitter_s.unwrap() - 400e-6 / 6f64.sqrt()).abs() < 1e-9, "{:?}", captured.jitter_s);
    let even = captures::work(&timer, &starts(&[0, 400, 800, 200, 600, 0]));
    assert_eq!((even.doubled, even.jitter_s), (0, Some(0.0)));
}

fn starts(counts: &[u64]) -> Captures {
    Captures { starts: counts.to_vec(), ends: Vec::new() }
}

#[test]
fn the_ends_of_pulses_give_their_widths_also_past_the_end_of_the_timer() {
    let timer = Timer { clock: Hertz(1e6), prescale: 1, most: 999 };
    let captures = Captures { starts: vec![100, 600, 100, 600], ends: vec![350, 850, 350, 100] };
    let captured = captures::work(&timer, &captures);
    assert_eq!(captured.readings.iter().map(|reading| reading.width_s).collect::<Vec<_>>(), [Some(250e-6); 3]);
    assert_eq!(captured.duty_percent, Some(50.0));
    let wrapped = captures::work(&timer, &Captures { starts: vec![900, 400, 900], ends: vec![150, 400, 0] });
    assert_eq!(wrapped.readings.iter().map(|reading| reading.width_s).collect::<Vec<_>>(), [Some(250e-6), None]);
}
