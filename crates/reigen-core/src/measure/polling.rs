//! What a slower reading would miss: pulses and edges, at every phase of it.
//!
//! Readings come at φ + k·P; the phase φ is any whole nanosecond below the period P, each as likely. A reading sees the
//! level after all edges at or before it. The edges between two readings are a gap: of n of them one is seen if n is odd; of
//! the pulses that lie between them whole, none is. As φ grows, edges pass from one gap into the one before, at their time modulo P:
//! the sweep over them in that order is exact for all phases at once.

use crate::cast;
use crate::time::Nanos;
use serde::Serialize;
use std::collections::HashMap;

/// The edges of an input, and its pulses: the complete times for which it is on.
#[derive(Debug, Clone, Default)]
pub struct Pulses {
    /// The times, never falling.
    edges: Vec<Nanos>,
    starts_on: bool,
    /// The lengths of the pulses, rising; and their sums.
    lengths: Vec<u64>,
    sums: Vec<f64>,
}

/// What is missed at one period, over all phases.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Missed {
    /// The period.
    #[serde(rename = "period_ns")]
    pub period: Nanos,
    /// How many equal readings in a row a pulse takes to be seen.
    pub readings: u32,
    /// All pulses.
    pub pulses: u64,
    /// Pulses that are missed at the phase that suits best.
    pub best: u64,
    /// At the phase that suits worst.
    pub worst: u64,
    /// In the mean over all phases.
    pub mean: f64,
    /// The share of phases at which one or more is missed.
    pub phases_that_miss: f64,
    /// All edges.
    pub edges: u64,
    /// Edges missed at the phase at which fewest are.
    pub edges_best: u64,
    /// And at that at which most are.
    pub edges_worst: u64,
    /// Pulses that `catch` would save, in the mean; none where several readings are wanted.
    pub saved_by_catch: f64,
    /// Pulses missed with `catch` at the worst phase.
    pub worst_with_catch: u64,
    /// The longest time until an edge is seen: just below the period.
    #[serde(rename = "latest_ns")]
    pub latest: Nanos,
}

/// The edges between two readings.
#[derive(Debug, Clone, Copy, Default)]
struct Gap {
    /// The number of the first one.
    first: usize,
    edges: u32,
}

/// The gaps between readings, and what the edges in them come to.
#[derive(Debug, Default)]
struct Gaps {
    gaps: HashMap<i64, Gap>,
    starts_on: bool,
    missed_pulses: u64,
    odd: u64,
    /// Gaps with a whole pulse in them.
    with_pulse: u64,
}

impl Gaps {
    /// An edge joins a gap at its end, or leaves it at its beginning.
    fn change(&mut self, gap: i64, edge: usize, joins: bool) {
        let Self { gaps, starts_on, .. } = self;
        let between = gaps.entry(gap).or_default();
        let before = worth(*between, *starts_on);
        *between = match (joins, between.edges) {
            (true, 0) => Gap { first: edge, edges: 1 },
            (true, edges) => Gap { edges: edges + 1, ..*between },
            (false, edges) => Gap { first: edge + 1, edges: edges.saturating_sub(1) },
        };
        let now = worth(*between, *starts_on);
        if between.edges == 0 {
            gaps.remove(&gap);
        }
        self.missed_pulses = self.missed_pulses + now.0 - before.0;
        self.odd = self.odd + now.1 - before.1;
        self.with_pulse = self.with_pulse + now.2 - before.2;
    }
}

/// Pulses that lie within a gap, whether its edges are odd, and whether it holds a pulse.
fn worth(Gap { first, edges }: Gap, starts_on: bool) -> (u64, u64, u64) {
    let rises = first.is_multiple_of(2) != starts_on;
    let pulses = u64::from(if rises { edges } else { edges.saturating_sub(1) } / 2);
    (pulses, u64::from(edges % 2), u64::from(pulses > 0))
}

impl Pulses {
    /// Pulses between edges, whose times never fall, of an input that starts so.
    pub fn new(edges: Vec<Nanos>, starts_on: bool) -> Self {
        let on = edges.get(usize::from(starts_on)..).unwrap_or_default();
        let length = |pair: &[Nanos]| Some(pair.get(1)?.saturating_sub(*pair.first()?).0);
        let mut lengths: Vec<u64> = on.chunks_exact(2).filter_map(length).collect();
        lengths.sort_unstable();
        let mut sum = 0.0;
        let sums = lengths.iter().map(|length| {
            sum += *length as f64;
            sum
        });
        Self { sums: sums.collect(), edges, starts_on, lengths }
    }

    /// How many there are.
    pub fn count(&self) -> usize {
        self.lengths.len()
    }

    /// The slowest period at which none is missed, whatever the phase: the shortest pulse divided by the readings. `None` without
    /// pulses.
    pub fn slowest(&self, readings: u32) -> Option<Nanos> {
        self.lengths.first().map(|shortest| Nanos(*shortest / u64::from(readings.max(1))))
    }

    /// The mean number of pulses that are missed at a period: each of width w at clamp(N − w/P, 0, 1) of all phases.
    pub fn mean_missed(&self, period: Nanos, readings: u32) -> f64 {
        if period.0 == 0 {
            return 0.0;
        }
        let most = period.0.saturating_mul(u64::from(readings));
        let shorter = self.lengths.partition_point(|length| *length < most);
        let never = self.lengths.partition_point(|length| *length <= most - period.0);
        let sum = |count: usize| count.checked_sub(1).and_then(|last| self.sums.get(last)).copied().unwrap_or(0.0);
        let between = shorter.saturating_sub(never) as f64;
        let widths = (sum(shorter) - sum(never.min(shorter))) / period.0 as f64;
        // Of no width at all a pulse is missed at every phase.
        let never = never.min(shorter) as f64;
        never + between * f64::from(readings) - widths
    }

    /// What is missed at a period, at every phase, where a pulse takes so many equal readings to be seen; both are above zero.
    pub fn missed(&self, period: Nanos, readings: u32) -> Missed {
        let length = period.0.max(1);
        // At phase 0 an edge at τ is seen at the first reading at or after it, ⌈τ/P⌉.
        let mut gaps = Gaps { starts_on: self.starts_on, ..Gaps::default() };
        let mut passing: Vec<(u64, i64, usize)> = Vec::with_capacity(self.edges.len());
        for (number, edge) in self.edges.iter().enumerate() {
            let gap = cast::i64_from_u64(edge.0.div_ceil(length));
            gaps.change(gap, number, true);
            // From phase r on the reading before it has come up to it; an edge at a reading is there already.
            let rest = edge.0 % length;
            if rest > 0 {
                passing.push((rest, gap, number));
            }
        }
        passing.sort_unstable();
        let mut tally = PhaseTally::default();
        let mut phase = 0;
        for group in passing.chunk_by(|one, other| one.0 == other.0) {
            let Some(&(rest, ..)) = group.first() else { continue };
            tally.take(&gaps, rest - phase, self.edges.len() as u64);
            phase = rest;
            for &(_, gap, number) in group {
                gaps.change(gap, number, false);
                gaps.change(gap - 1, number, true);
            }
        }
        tally.take(&gaps, length - phase, self.edges.len() as u64);
        let mut told = tally.told(period, length, self);
        if readings > 1 {
            self.by_readings(length, readings, &mut told);
        }
        told
    }

    /// The same where several readings in a row must fall into a pulse: it is missed at N·P − w of the phases from its end on.
    fn by_readings(&self, period: u64, readings: u32, told: &mut Missed) {
        let most = period.saturating_mul(u64::from(readings));
        let on = self.edges.get(usize::from(self.starts_on)..).unwrap_or_default();
        let (mut always, mut borders) = (0u64, Vec::new());
        for pair in on.chunks_exact(2) {
            let [rise, fall] = pair else { continue };
            let missed = most.saturating_sub(fall.0 - rise.0);
            if missed >= period {
                always += 1;
            } else if missed > 0 {
                let (from, until) = (fall.0 % period, (fall.0 + missed) % period);
                borders.push((from, 1i64));
                // A stretch may go over the end of the period.
                if until > 0 {
                    borders.push((until, -1));
                    borders.extend((until < from).then_some((0, 1)));
                }
            }
        }
        borders.sort_unstable_by_key(|border| border.0);
        let (mut now, mut phase) = (cast::i64_from_u64(always), 0);
        let (mut best, mut worst, mut phases) = (u64::MAX, 0, 0);
        for group in borders.chunk_by(|one, other| one.0 == other.0).map(Some).chain([None]) {
            let until = group.and_then(|group| group.first()).map_or(period, |border| border.0);
            if until > phase {
                let missed = cast::u64_from_i64(now.max(0));
                (best, worst) = (best.min(missed), worst.max(missed));
                phases += if missed > 0 { until - phase } else { 0 };
            }
            phase = until;
            now += group.unwrap_or_default().iter().map(|border| border.1).sum::<i64>();
        }
        told.readings = readings;
        (told.best, told.worst) = (best, worst);
        told.mean = self.mean_missed(Nanos(period), readings);
        told.phases_that_miss = phases as f64 / period as f64;
        (told.saved_by_catch, told.worst_with_catch) = (0.0, worst);
    }
}

/// Sums over phases.
#[derive(Debug, Default)]
struct PhaseTally {
    any: bool,
    best: u64,
    worst: u64,
    edges_best: u64,
    edges_worst: u64,
    worst_with_catch: u64,
    phases_that_miss: u64,
    saved: f64,
    missed: f64,
}

impl PhaseTally {
    /// So many phases are alike.
    fn take(&mut self, gaps: &Gaps, phases: u64, edges: u64) {
        if phases == 0 {
            return;
        }
        let missed_edges = edges - gaps.odd;
        let with_catch = gaps.missed_pulses - gaps.with_pulse;
        if !self.any {
            (self.any, self.best, self.edges_best) = (true, u64::MAX, u64::MAX);
        }
        self.best = self.best.min(gaps.missed_pulses);
        self.worst = self.worst.max(gaps.missed_pulses);
        self.edges_best = self.edges_best.min(missed_edges);
        self.edges_worst = self.edges_worst.max(missed_edges);
        self.worst_with_catch = self.worst_with_catch.max(with_catch);
        self.phases_that_miss += if gaps.missed_pulses > 0 { phases } else { 0 };
        self.saved += (gaps.with_pulse * phases) as f64;
        self.missed += gaps.missed_pulses as f64 * phases as f64;
    }

    fn told(self, period: Nanos, phases: u64, pulses: &Pulses) -> Missed {
        let share = |sum: f64| sum / phases as f64;
        Missed {
            period,
            readings: 1,
            pulses: pulses.count() as u64,
            best: self.best,
            worst: self.worst,
            mean: share(self.missed),
            phases_that_miss: share(self.phases_that_miss as f64),
            edges: pulses.edges.len() as u64,
            edges_best: self.edges_best,
            edges_worst: self.edges_worst,
            saved_by_catch: share(self.saved),
            worst_with_catch: self.worst_with_catch,
            latest: Nanos(phases - 1),
        }
    }
}

/// Periods from one to another, evenly on a logarithmic scale, both included and none twice.
pub fn sweep(from: Nanos, to: Nanos, steps: usize) -> Vec<Nanos> {
    let (low, high) = ((from.0.max(1) as f64).ln(), (to.0.max(1) as f64).ln());
    let at =
        |step: usize| cast::u64_from_f64((low + (high - low) * step as f64 / (steps.max(2) - 1) as f64).exp().round());
    let mut periods: Vec<Nanos> =
        (0..steps.max(2)).map(|step| Nanos(at(step).clamp(from.0.max(1), to.0.max(1)))).collect();
    periods.dedup();
    periods
}

/// Periods from one to another in steps of 1, 2 and 5, with both ends.
pub fn round_steps(from: Nanos, to: Nanos) -> Vec<Nanos> {
    let powers = (0..20).map_while(|power| 10u64.checked_pow(power));
    let round = powers.flat_map(|power| [1, 2, 5].into_iter().filter_map(move |step| power.checked_mul(step)));
    let inner = round.map(Nanos).filter(|period| (from..to).contains(period) && *period > from);
    std::iter::once(from).chain(inner).chain((to > from).then_some(to)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    /// What readings at one phase miss: pulses that no reading falls into, edges that are not seen, and pulses missed where
    /// one in each gap is caught.
    fn plainly(edges: &[u64], starts_on: bool, period: u64, phase: u64, wanted: u32) -> (u64, u64, u64) {
        let readings = || (-2i64..).map(|k| phase as i64 + k * period as i64);
        let end = edges.last().map_or(0, |last| *last as i64) + 2 * period as i64;
        let level = |time: i64| edges.iter().filter(|edge| **edge as i64 <= time).count();
        let (mut pulses, mut seen, mut caught) = (0, 0, 0);
        let on = &edges[usize::from(starts_on).min(edges.len())..];
        for pair in on.chunks_exact(2) {
            let inside = |time: &i64| (pair[0] as i64..pair[1] as i64).contains(time);
            let read = readings().take_while(|time| *time < end).filter(inside).count() as u32;
            pulses += u64::from(read < wanted);
        }
        let times: Vec<i64> = readings().take_while(|time| *time <= end).collect();
        for pair in times.windows(2) {
            let within = level(pair[1]) - level(pair[0]);
            seen += u64::from(within % 2 == 1);
            let whole = on.chunks_exact(2).any(|pulse| pair[0] < pulse[0] as i64 && pulse[1] as i64 <= pair[1]);
            caught += u64::from(whole);
        }
        (pulses, edges.len() as u64 - seen, pulses.saturating_sub(caught))
    }

    proptest! {
        #[test]
        fn all_phases_at_once_are_each_phase_by_itself(
            steps in prop::collection::vec(0..25u64, 0..40),
            starts_on in any::<bool>(),
            period in 1..60u64,
            readings in 1..5u32,
        ) {
            let edges: Vec<u64> = steps.iter().scan(0, |time, step| { *time += step; Some(*time) }).collect();
            let pulses = Pulses::new(edges.iter().map(|&time| Nanos(time)).collect(), starts_on);
            let told = pulses.missed(Nanos(period), readings);
            let plain: Vec<(u64, u64, u64)> =
                (0..period).map(|phase| plainly(&edges, starts_on, period, phase, readings)).collect();
            let of = |part: fn(&(u64, u64, u64)) -> u64| plain.iter().map(part).collect::<Vec<_>>();
            let (missed, lost, with_catch) = (of(|one| one.0), of(|one| one.1), of(|one| one.2));
            prop_assert_eq!((told.best, told.worst), (*missed.iter().min().unwrap(), *missed.iter().max().unwrap()));
            prop_assert_eq!((told.edges_best, told.edges_worst), (*lost.iter().min().unwrap(), *lost.iter().max().unwrap()));
            let mean = missed.iter().sum::<u64>() as f64 / period as f64;
            let by_widths = pulses.mean_missed(Nanos(period), readings);
            prop_assert!((told.mean - mean).abs() < 1e-9 && (by_widths - mean).abs() < 1e-9, "{} {} {}", told.mean, by_widths, mean);
            let share = missed.iter().filter(|count| **count > 0).count() as f64 / period as f64;
            prop_assert!((told.phases_that_miss - share).abs() < 1e-12);
            if readings == 1 {
                prop_assert_eq!(told.worst_with_catch, *with_catch.iter().max().unwrap());
                let saved = missed.iter().sum::<u64>() - with_catch.iter().sum::<u64>();
                prop_assert!((told.saved_by_catch - saved as f64 / period as f64).abs() < 1e-9);
            }
            if let Some(slowest) = pulses.slowest(readings).filter(|slowest| slowest.0 > 0) {
                prop_assert_eq!(pulses.missed(slowest, readings).worst, 0);
                prop_assert!(pulses.missed(Nanos(slowest.0 + 1), readings).worst > 0);
            }
        }
    }

    #[test]
    fn round_steps_go_by_1_2_5_between_the_ends() {
        let told = |from, to| round_steps(Nanos(from), Nanos(to)).iter().map(|period| period.0).collect::<Vec<_>>();
        assert_eq!(told(1_000, 20_000), [1_000, 2_000, 5_000, 10_000, 20_000]);
        assert_eq!(told(30, 120), [30, 50, 100, 120]);
        assert_eq!((told(7, 7), told(1, 2)), (vec![7], vec![1, 2]));
        assert_eq!(told(u64::MAX - 1, u64::MAX).len(), 2);
    }

    #[test]
    fn a_sweep_goes_from_end_to_end_without_repeating() {
        let periods = sweep(Nanos(1), Nanos(1000), 1000);
        assert_eq!((periods.first(), periods.last()), (Some(&Nanos(1)), Some(&Nanos(1000))));
        assert!(periods.windows(2).all(|pair| pair[0] < pair[1]));
    }
}
