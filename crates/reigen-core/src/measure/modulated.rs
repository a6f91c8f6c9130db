//! Pulses at a fixed period or after fixed gaps, whose width carries the value.

use super::edges::Edges;
use super::steady::{median_length, periods, quantile, relative_range, unsteadiness};
use crate::time::Nanos;
use crate::units::short_time;

/// How many pulses are needed to tell.
const FEWEST: usize = 12;
/// Periods of modulation are shorter than this: longer ones are somebody's habit.
const LONGEST_PERIOD: u64 = 500_000_000;
/// A wheel's marks come again after up to so many.
const MARKS: usize = 9;
/// A fixed length differs by less than this share.
const FIXED: f64 = 0.02;
/// A width that carries something differs by more than this share of the fixed length.
const VARIES: f64 = 0.01;

/// Where the widths carry the value: the evidence.
pub(super) fn modulated(edges: Edges<'_>) -> Option<String> {
    if edges.times.len() < 2 * FEWEST {
        return None;
    }
    let [highs, lows] = [true, false].map(|high| edges.widths(high));
    let (gaps, pulses) = if total(&highs) <= total(&lows) { (&lows, &highs) } else { (&highs, &lows) };
    at_fixed_period(edges, pulses).or_else(|| after_fixed_gaps(gaps, pulses))
}

/// Edges of one direction come at a fixed period, and the widths do not follow from it.
fn at_fixed_period(edges: Edges<'_>, pulses: &[u64]) -> Option<String> {
    let each = [edges.rising().collect::<Vec<_>>(), edges.falling().collect()].map(|edges| periods(&edges));
    let steadier =
        each.iter().filter_map(|periods| Some((range(&fixed(periods)?)?, periods))).min_by_key(|(range, _)| *range);
    let (period_range, periods) = steadier?;
    let period = median_length(periods)?;
    // A longer pulse is none of this period: one was left out.
    let within: Vec<u64> = pulses.iter().copied().filter(|&width| width < period).collect();
    let widths = range(&within)?;
    let is_fixed = (period_range as f64) < period as f64 * FIXED && period < LONGEST_PERIOD;
    let varies = widths as f64 > (period as f64 * VARIES).max(period_range as f64 * 4.0);
    (is_fixed && varies).then(|| format!("fixed period of {}, {}", short_time(Nanos(period)), between(&within)))
}

/// The longer level is fixed, and the shorter one is not.
fn after_fixed_gaps(gaps: &[u64], pulses: &[u64]) -> Option<String> {
    let gap = median_length(gaps)?;
    // On a wheel that comes up to speed both change together.
    let beside: Vec<u64> = gaps
        .iter()
        .zip(pulses)
        .filter(|(length, _)| length.abs_diff(gap).saturating_mul(20) < gap)
        .map(|(_, &pulse)| pulse)
        .collect();
    let is_fixed = (range(&fixed(gaps)?)? as f64) < gap as f64 * FIXED && gap < LONGEST_PERIOD;
    (is_fixed && relative_range(&beside)? > 0.1 && !repeats(&beside))
        .then(|| format!("fixed gaps of {}, {}", short_time(Nanos(gap)), between(pulses)))
}

fn between(pulses: &[u64]) -> String {
    let [low, high] = [0.05, 0.95].map(|share| short_time(Nanos(quantile(pulses, share).unwrap_or(0))));
    format!("pulses of {low} to {high}")
}

/// Whether lengths come again after a few, as the marks of a wheel do.
fn repeats(lengths: &[u64]) -> bool {
    let next = unsteadiness(lengths, 1).unwrap_or(0.0);
    (2..=MARKS).filter_map(|lag| unsteadiness(lengths, lag)).any(|uneven| uneven * 4.0 < next)
}

fn total(lengths: &[u64]) -> u64 {
    lengths.iter().sum()
}

/// The middle nine tenths of lengths, in nanoseconds.
fn range(lengths: &[u64]) -> Option<u64> {
    Some(quantile(lengths, 0.95)? - quantile(lengths, 0.05)?)
}

/// Lengths without whole multiples of the usual one, where pulses did not come; `None` where there are too many of those.
fn fixed(lengths: &[u64]) -> Option<Vec<u64>> {
    let middle = median_length(lengths)?;
    let single: Vec<u64> = lengths.iter().copied().filter(|&length| length < middle + middle / 2).collect();
    (single.len() * 10 >= lengths.len() * 8).then_some(single)
}
