use super::advice::{AdvisedMethod, Wish, nice_from, nice_up_to};
use super::analog::AnalogMeter;
use super::bins::{Bins, Spread};
use super::bounce::BounceMeter;
use super::curve::{Changes, Curve};
use super::debounce::{DebounceMeter, Sense};
use super::kind::Kind;
use super::levels::{LevelsMeter, between};
use super::line::LineMeter;
use super::lockout_curve::lockout_curve;
use super::stable_curve::StableCurve;
use crate::condition::debounce::{HoldTimes, Ledger, Settings};
use crate::time::Nanos;
use proptest::prelude::*;

fn nanos(times: &[u64]) -> Vec<Nanos> {
    times.iter().map(|&time| Nanos(time)).collect()
}

fn hold(time: u64) -> HoldTimes {
    HoldTimes { on: Nanos(time), off: Nanos(time) }
}

/// How often an input goes on, and how many edges are glitch, with a debounce at work.
fn debounced(settings: Settings, edges: &[Nanos], starts_on: bool, end: u64) -> (u64, u64) {
    let mut method = settings.start();
    let (mut output, mut ledger) = (Vec::new(), Ledger::default());
    method.start(starts_on);
    method.work(edges, Nanos(end + 1), &mut output, &mut ledger);
    let changes = output.len() as u64;
    (if starts_on { changes / 2 } else { changes.div_ceil(2) }, ledger.account.rejected.glitch)
}

fn stable(edges: &[Nanos], starts_on: bool, end: u64) -> (Curve, Curve) {
    let mut curve = StableCurve::new(starts_on);
    edges.iter().for_each(|&edge| curve.take(edge));
    curve.finish(starts_on, Nanos(end))
}

/// Edges with short and long steps, as bouncing contacts make them.
fn edges() -> impl Strategy<Value = Vec<Nanos>> {
    prop::collection::vec(prop_oneof![0..5u64, 0..40u64, 100..300u64], 0..60).prop_map(|steps| {
        let times = steps.iter().scan(1, |time, step| {
            *time += step;
            Some(Nanos(*time))
        });
        times.collect()
    })
}

proptest! {
    #[test]
    fn the_curves_are_what_a_debounce_counts_at_every_time(edges in edges(), starts_on in any::<bool>(), more in 0..200u64) {
        let end = edges.last().map_or(0, |last| last.0) + more;
        let (curve, glitches) = stable(&edges, starts_on, end);
        let locked = lockout_curve(&edges, starts_on, Nanos(end));
        prop_assert!(curve.exact && locked.exact);
        for time in (0..60).chain((60..400).step_by(11)).chain([end / 2, end, end + 1]) {
            let (count, glitch) = debounced(Settings::Stable(hold(time)), &edges, starts_on, end);
            let wanted = (time < curve.until.0).then_some(count);
            prop_assert_eq!(curve.at(Nanos(time)), wanted, "stable {}", time);
            if time < curve.until.0 {
                prop_assert_eq!(glitches.at(Nanos(time)) > Some(0), glitch > 0, "glitches at {}", time);
                let count = debounced(Settings::Lockout(hold(time)), &edges, starts_on, end).0;
                prop_assert_eq!(locked.at(Nanos(time)), Some(count), "lockout {}", time);
            }
        }
    }

    #[test]
    fn a_bins_border_is_the_least_above(value in 0..u64::MAX / 2) {
        let bin = Bins::<7>::above(value);
        let border = Bins::<7>::border(bin);
        prop_assert!(bin < Bins::<7>::COUNT && border >= value && (bin == 0 || Bins::<7>::border(bin - 1) < value));
        prop_assert!((border - value) as f64 <= value as f64 / 128.0);
    }

    #[test]
    fn a_spread_tells_what_sorting_tells(times in prop::collection::vec(0..1_000_000_000u64, 1..300), repeat in 1..40usize, share in 0.01..1.0f64) {
        let mut spread = Spread::default();
        (0..repeat).for_each(|_| times.iter().for_each(|&time| spread.take(Nanos(time))));
        let mut sorted = times.repeat(repeat);
        sorted.sort_unstable();
        let rank = ((sorted.len() as f64 * share).ceil() as usize).max(1);
        let (wanted, told) = (sorted[rank - 1], spread.share(share).unwrap().0);
        prop_assert!(told >= wanted && (told - wanted) as f64 <= wanted as f64 * 0.008, "{} {}", told, wanted);
        prop_assert_eq!(spread.most(), sorted.last().map(|&most| Nanos(most)));
        prop_assert_eq!(spread.doublings().iter().map(|(_, count)| count).sum::<u64>(), sorted.len() as u64);
    }

    #[test]
    fn the_figures_of_a_line_are_a_plain_count(edges in edges(), high in any::<bool>(), cut in 0..60usize, more in 1..200u64) {
        let end = edges.last().map_or(0, |last| last.0) + more;
        let mut meter = LineMeter::new(Nanos(0), high);
        let (first, rest) = edges.split_at(cut.min(edges.len()));
        meter.take(first);
        meter.take(rest);
        let figures = meter.figures(Nanos(end));
        let borders: Vec<u64> = [0].into_iter().chain(edges.iter().map(|edge| edge.0)).chain([end]).collect();
        let stretches: Vec<(bool, u64)> =
            borders.windows(2).enumerate().map(|(number, pair)| (high ^ (number % 2 == 1), pair[1] - pair[0])).collect();
        let spent: u64 = stretches.iter().filter(|(level, _)| *level).map(|(_, length)| length).sum();
        prop_assert!((figures.share_high - spent as f64 / end as f64).abs() < 1e-12);
        let inner = stretches.get(1..stretches.len() - 1).unwrap_or_default();
        let of = |wanted: bool| inner.iter().filter(move |(level, _)| *level == wanted).map(|(_, length)| Nanos(*length));
        prop_assert_eq!(figures.high_pulses, of(true).min().zip(of(true).max()));
        prop_assert_eq!(figures.low_pulses, of(false).min().zip(of(false).max()));
        prop_assert_eq!(figures.longest_rest.0, stretches.iter().map(|(_, length)| *length).max().unwrap());
        let bounce = &figures.bounce;
        prop_assert_eq!(bounce.all().iter().map(|bursts| bursts.edges).sum::<u64>(), edges.len() as u64);
    }
}

proptest! {
    #[test]
    fn many_edges_at_once_are_the_same_as_one_by_one(edges in edges(), high in any::<bool>(), cut in 0..60usize, quiet in 1..200u64) {
        let windows = edges.split_at(cut.min(edges.len()));
        let mut meters = [LineMeter::new(Nanos(0), high), LineMeter::new(Nanos(0), high)];
        let mut bursts = [BounceMeter::new(high, Nanos(quiet)), BounceMeter::new(high, Nanos(quiet))];
        for window in [windows.0, windows.1] {
            meters[0].take(window);
            window.chunks(1).for_each(|edge| meters[1].take(edge));
            bursts[0].take(window);
            window.iter().for_each(|&edge| bursts[1].take(&[edge]));
        }
        let [together, single] = meters.each_mut().map(|meter| format!("{:?} {:?}", meter.history(), meter.figures(Nanos(1 << 40))));
        prop_assert_eq!(together, single);
        let [together, single] = bursts.map(|bounce| format!("{bounce:?}"));
        prop_assert_eq!(together, single);
    }
}

proptest! {
    // Each case is large.
    #![proptest_config(ProptestConfig::with_cases(8))]
    #[test]
    fn a_binned_curve_is_exact_at_its_borders(times in prop::collection::vec((0..3_000_000u64, 1..4i64), 1..60)) {
        let mut changes = Changes::default();
        // Enough dull changes, all of one kind, to go over to bins.
        (0..140_000).for_each(|time| changes.add(5_000_000 + time, 1));
        times.iter().for_each(|&(time, by)| changes.add(time, by));
        let (steps, exact) = changes.curve(0);
        prop_assert!(!exact);
        for (border, count) in steps.iter().filter(|(border, _)| *border < 4_000_000) {
            let plain: i64 = times.iter().filter(|(time, _)| time <= border).map(|(_, by)| by).sum();
            prop_assert_eq!(*count, plain, "at {}", border);
        }
    }
}

#[test]
fn plateaus_recommend_by_hand() {
    // A press of 100 and one of 90, each with bounce of up to 4, and a glitch of 2 alone.
    let edges = nanos(&[100, 103, 107, 207, 400, 402, 600, 604, 606, 696]);
    let (curve, glitches) = stable(&edges, false, 1000);
    let told: Vec<(u64, u64)> = curve.steps.iter().map(|(time, count)| (time.0, *count)).collect();
    // 3 presses and 2 bounces at 0; of the rest one is gone above 2 and all above 3, the shorter press above 90.
    assert_eq!(told, [(0, 5), (3, 3), (4, 2), (91, 1), (101, 0)]);
    assert_eq!(glitches.at(Nanos(19)), Some(1), "a burst that ends in a press is no glitch");
    let plateau = curve.plateaus().into_iter().max_by(|one, other| one.width().total_cmp(&other.width())).unwrap();
    assert_eq!((plateau.from, plateau.until, plateau.count, plateau.middle()), (Nanos(4), Nanos(91), 2, Nanos(19)));
    let (gives, ranges) = curve.giving(3);
    assert!(gives);
    assert_eq!(ranges.iter().map(|range| (range.from.0, range.until.0)).collect::<Vec<_>>(), [(3, 4)]);
    let (gives, nearest) = curve.giving(4);
    assert!(!gives);
    assert_eq!(nearest.iter().map(|range| range.count).collect::<Vec<_>>(), [5, 3]);
}

#[test]
fn bursts_are_parted_by_what_they_change() {
    let mut meter = BounceMeter::new(false, Nanos(10));
    // On with two extra edges, a glitch while on, off at once; then on for good, unfinished.
    [5, 7, 8, 40, 43, 90, 200].map(Nanos).iter().for_each(|&edge| meter.take(&[edge]));
    meter.finish();
    let told = [&meter.turning_on, &meter.turning_off, &meter.dropouts]
        .map(|bursts| (bursts.count(), bursts.edges, bursts.lengths.most()));
    assert_eq!(told, [(2, 4, Some(Nanos(3))), (1, 1, Some(Nanos(0))), (1, 2, Some(Nanos(3)))]);
    assert_eq!((meter.shortest_hold(), meter.turning_on.longest_inner), (Some(Nanos(32)), Nanos(2)));
    assert_eq!(meter.inverted().glitches.count(), 1);
}

#[test]
fn each_line_gets_the_debounce_that_it_needs() {
    const MS: u64 = 1_000_000;
    let on = HoldTimes { on: Nanos(5 * MS), off: Nanos(5 * MS) };
    // Presses of 200 ms every second; what comes at each closing and opening; what comes at rest.
    let line = |closing: &[u64], opening: &[u64], glitches: &[u64]| {
        let mut times: Vec<u64> = (1..=6u64)
            .flat_map(|second| {
                let at = move |start: u64, bounce: &[u64]| {
                    [0].iter().chain(bounce).map(|after| start + after * MS / 10).collect::<Vec<u64>>()
                };
                [at(second * 1000 * MS, closing), at((second * 1000 + 200) * MS, opening)].concat()
            })
            .collect();
        times.extend(glitches.iter().flat_map(|at| [at * MS, at * MS + MS / 2]));
        times.sort_unstable();
        nanos(&times)
    };
    let advised = |edges: &[Nanos], wish: Wish| {
        let mut meter = DebounceMeter::new(Nanos(0), false, true);
        meter.take(edges);
        let sense = Sense { on_while_high: None, tick: Nanos(1) };
        meter.finish(&Kind::Contact, sense, wish, Nanos(8000 * MS)).advice
    };
    let (plain, at_once) = (Wish::default(), Wish { at_once: true, ..Wish::default() });
    let truly = |count| Wish { true_count: Some(count), ..Wish::default() };
    type Case<'a> = (&'a str, [&'a [u64]; 3], Wish, Option<AdvisedMethod>, Option<u64>);
    let cases: [Case<'_>; 9] = [
        ("clean", [&[], &[], &[]], plain, Some(AdvisedMethod::None), Some(6)),
        ("both sides bounce for 3 ms", [&[10, 30], &[10, 30], &[]], plain, Some(AdvisedMethod::Stable(on)), Some(6)),
        (
            "only the opening bounces, for 20 ms",
            [&[], &[10, 200], &[]],
            plain,
            // The longest level in it is 19 ms.
            Some(AdvisedMethod::Stable(HoldTimes { on: Nanos(0), off: Nanos(50 * MS) })),
            Some(6),
        ),
        (
            "a break of 1 ms, 69 ms before the release",
            [&[], &[10, 700], &[]],
            plain,
            Some(AdvisedMethod::Stable(HoldTimes { on: Nanos(2 * MS), off: Nanos(2 * MS) })),
            Some(6),
        ),
        (
            "at once",
            [&[10, 30], &[10, 30], &[]],
            at_once,
            Some(AdvisedMethod::Stable(HoldTimes { on: Nanos(0), ..on })),
            Some(6),
        ),
        ("at once beside glitches", [&[10, 30], &[10, 30], &[1500]], at_once, None, None),
        (
            "a glitch at rest",
            [&[], &[], &[1500]],
            plain,
            Some(AdvisedMethod::Stable(HoldTimes { on: Nanos(MS), off: Nanos(MS) })),
            Some(6),
        ),
        ("each edge counted", [&[10, 30], &[], &[]], truly(12), Some(AdvisedMethod::None), Some(12)),
        ("a count that no method gives", [&[10, 30], &[], &[]], truly(13), None, None),
    ];
    for (what, [closing, opening, glitches], wish, wanted, count) in cases {
        let advice = advised(&line(closing, opening, glitches), wish);
        assert_eq!((advice.advised, advice.count), (wanted, count), "{what}: {advice:?}");
    }
}

#[test]
fn nice_times_are_kept_in_mind_easily() {
    for (least, nice) in [(2, 2), (4, 5), (1_001, 1_500), (29_160_045, 30_000_000), (80_000_001, 100_000_000)] {
        assert_eq!(nice_from(Nanos(least)), Nanos(nice));
    }
    assert_eq!((nice_up_to(Nanos(79)), nice_up_to(Nanos(1))), (Nanos(50), Nanos(0)));
    let apart = AdvisedMethod::Stable(HoldTimes { on: Nanos(0), off: Nanos(1_500_000) });
    assert_eq!(apart.toml().unwrap(), r#"debounce = { method = "stable", on = "0 ms", off = "1.5 ms" }"#);
    assert_eq!(AdvisedMethod::None.toml(), None);
}

#[test]
fn analog_lines_tell_clipping_and_two_levels() {
    let figures = |values: &[f64]| {
        let mut meter = AnalogMeter::default();
        values.iter().enumerate().for_each(|(number, &value)| meter.take(Nanos(number as u64 * 10), value));
        meter.figures(Nanos(values.len() as u64 * 10)).unwrap()
    };
    let square: Vec<f64> =
        (0..100).map(|number| if number / 10 % 2 == 0 { 0.2 } else { 3.1 + (number % 3) as f64 * 0.01 }).collect();
    let told = figures(&square);
    assert_eq!(told.two_levels, Some([0.2, 3.11]));
    assert!((told.mean - 1.655).abs() < 0.01, "{told:?}");
    let ramp: Vec<f64> = (0..100).map(|number| f64::from(number.min(80))).collect();
    let told = figures(&ramp);
    assert_eq!((told.two_levels, told.clips), (None, [false, true]));
    assert_eq!((told.least, told.most, told.values), (0.0, 80.0, 100));
    assert_eq!(AnalogMeter::default().figures(Nanos(5)), None);
}

#[test]
fn thresholds_are_read_off_a_ramp() {
    // Up 0 to 10 V in 100 samples, down again: the input goes high at 6.04 V and low at 3.96 V.
    let ramp = |number: usize| match number % 200 {
        up @ ..=100 => up as f64 / 10.0,
        down => 20.0 - down as f64 / 10.0,
    };
    let mut meter = LevelsMeter::default();
    let value = |time: f64| {
        let before = f64::floor(time);
        between((before, ramp(before as usize)), (before + 1.0, ramp(before as usize + 1)), time)
    };
    // A tenth of a volt in a second.
    let edge = |time: f64, rising, meter: &mut LevelsMeter| {
        meter.take(rising, value(time), 0.1);
    };
    edge(60.4, true, &mut meter);
    edge(160.4, false, &mut meter);
    let told = meter.finish(Nanos(1_000_000_000));
    let (rising, falling) = (told.rising.as_ref().unwrap(), told.falling.as_ref().unwrap());
    assert!((rising.mean - 6.04).abs() < 1e-9 && (falling.mean - 3.96).abs() < 1e-9);
    assert!((told.hysteresis.unwrap() - 2.08).abs() < 1e-9);
    assert_eq!((told.uncertainty, told.is_uncertain(), told.chatter_edges), (Some(0.1), false, 0));
    assert_eq!(told.toml().unwrap(), "on_above = \"6.04 V\"\noff_below = \"3.96 V\"");
    assert!(meter.finish(Nanos(3_000_000_000)).is_uncertain(), "0.3 V are more than a tenth of 2.08 V");
    // Chatter on the way down: five edges are one ramp.
    let mut chatters = LevelsMeter::default();
    edge(60.4, true, &mut chatters);
    [160.0, 160.2, 160.4, 160.6, 160.8].iter().enumerate().for_each(|(number, &time)| {
        edge(time, number % 2 == 1, &mut chatters);
    });
    edge(260.4, true, &mut chatters);
    let told = chatters.finish(Nanos(1));
    assert_eq!((told.chattering_ramps, told.chatter_edges, told.falling.as_ref().unwrap().edges), (1, 4, 1));
    assert!((told.falling.unwrap().mean - 3.96).abs() < 1e-9);
    assert_eq!(LevelsMeter::default().finish(Nanos(1)).hysteresis, None);
}
