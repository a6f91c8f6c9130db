//! Pulses of a sensor on something that moves, at any speed.

use super::edges::Edges;
use super::kind::Kind;
use super::steady::{least_unsteadiness, median, median_length, periods, quantile, relative_range, spread};
use crate::time::Nanos;
use crate::units::short_time;

/// Periods of a train resemble the next ones, or those of the marks before: by this measure.
const STEADY: f64 = 0.25;
/// The same where there are few.
const VERY_STEADY: f64 = 0.1;
/// The share of a period that is high stays, whatever the speed.
const SAME_SHARE: f64 = 0.2;
/// How many periods tell a train by a rough measure.
const MANY: usize = 12;
/// Marks that are held against one another, for a wheel whose marks are uneven.
const MARKS: usize = 12;
/// Pulses of one width that come at random are shorter than a hand makes them.
const SHORT_PULSE: u64 = 30_000_000;

/// Where the line is a pulse train: the evidence.
pub fn pulse_train(edges: Edges<'_>) -> Option<String> {
    let rises: Vec<_> = edges.rising().collect();
    let periods = periods(&rises);
    if periods.len() < 4 {
        return None;
    }
    let uneven = least_unsteadiness(&periods, MARKS)?;
    let limit = if periods.len() < MANY { VERY_STEADY } else { STEADY };
    let pulses = rises.len();
    if uneven < limit {
        return Some(match uneven < 0.0005 {
            true => format!("{pulses} pulses at even intervals"),
            false => format!("{pulses} pulses, neighbouring periods differ by {:.1} %", uneven * 100.0),
        });
    }
    let shares = shares(edges);
    let limit = if shares.len() < MANY { SAME_SHARE / 2.0 } else { SAME_SHARE };
    if shares.len() >= MANY / 2 && spread(&shares)? < limit {
        let share = libm::exp(median(shares)?);
        return Some(format!("{pulses} pulses, high for {:.0} % of each", share / (1.0 + share) * 100.0));
    }
    let [highs, lows] = [true, false].map(|high| edges.widths(high));
    let fixed = [&highs, &lows].into_iter().find(|widths| {
        widths.len() >= MANY
            && relative_range(widths).is_some_and(|range| range < 0.05)
            && median_length(widths).is_some_and(|width| width < SHORT_PULSE)
    })?;
    Some(format!("{pulses} pulses, all {} long", short_time(Nanos(median_length(fixed)?))))
}

/// For each pulse the logarithm of high over low time.
fn shares(edges: Edges<'_>) -> Vec<f64> {
    let holds: Vec<_> = edges.holds().collect();
    let ratio = |pair: &[super::edges::Hold]| match pair {
        [one, other] if one.high => Some(libm::log(one.length.max(1) as f64 / other.length.max(1) as f64)),
        _ => None,
    };
    holds.windows(2).filter_map(ratio).collect()
}

/// What a train's pulses say of interference: how many short pulses stand in it that are none of its own, how long the
/// longest of them is, and the shortest of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Interference {
    /// Short pulses that do not belong.
    pub pulses: u64,
    /// The longest of them, in nanoseconds.
    pub longest: u64,
    /// The shortest level that belongs, in nanoseconds.
    pub shortest_own: u64,
}

/// How many levels on either side a level is compared with.
const AROUND: usize = 6;

/// Looks for short pulses in a steady train: much shorter than the levels around, and the rhythm is whole without them.
///
/// Where a shaft turns back, a pulse may be of any width; taking it away leaves no rhythm, so it stays.
/// Where the widths carry a value there is no such rhythm, and every pulse is its own.
pub fn interference(edges: Edges<'_>, kind: &Kind) -> Interference {
    let holds: Vec<u64> = edges.holds().map(|hold| hold.length).collect();
    if !matches!(kind, Kind::Pulses | Kind::Quadrature { .. }) {
        return Interference { shortest_own: holds.into_iter().min().unwrap_or(u64::MAX), ..Interference::default() };
    }
    let mut found = Interference { shortest_own: u64::MAX, ..Interference::default() };
    let mut foreign = vec![false; holds.len()];
    for (number, &length) in holds.iter().enumerate() {
        if is_foreign(&holds, number) {
            found.pulses += 1;
            found.longest = found.longest.max(length);
            if let Some(place) = foreign.get_mut(number) {
                *place = true;
            }
        }
    }
    // What lies beside a foreign pulse is one level, in two parts.
    let beside = |number: usize| foreign.get(number).copied().unwrap_or(false);
    for (number, &length) in holds.iter().enumerate() {
        let parted = beside(number) || beside(number + 1) || number.checked_sub(1).is_some_and(beside);
        if !parted {
            found.shortest_own = found.shortest_own.min(length);
        }
    }
    found
}

fn is_foreign(holds: &[u64], number: usize) -> bool {
    let Some((before, rest)) = number.checked_sub(1).and_then(|before| holds.get(before..)?.split_first()) else {
        return false;
    };
    let [own, after, ..] = *rest else { return false };
    // Most levels are like those of the same kind beside them: they are passed at once.
    let beside = [number.checked_sub(2), Some(number + 2)].into_iter().flatten().filter_map(|place| holds.get(place));
    if beside.max().is_none_or(|beside| own.saturating_mul(3) > *beside)
        || own.saturating_mul(4) > before.saturating_add(after)
    {
        return false;
    }
    // Levels of the same kind as the pulse, and as those beside it, on both sides.
    let around = |offset: usize| -> Vec<u64> {
        let from = number.saturating_sub(2 * AROUND);
        let parity = (number + offset) % 2;
        let near = holds.get(from..(number + 2 * AROUND).min(holds.len())).unwrap_or_default();
        let near = near.iter().enumerate().map(|(place, &length)| (from + place, length));
        let others = near.filter(|(place, _)| place % 2 == parity && place.abs_diff(number) > 1);
        others.map(|(_, length)| length).collect()
    };
    let (same, other) = (around(0), around(1));
    let (Some(same), Some(low), Some(middle), Some(high)) =
        (quantile(&same, 0.25), quantile(&other, 0.25), median_length(&other), quantile(&other, 0.75))
    else {
        return false;
    };
    let steady = high < low + low / 2;
    let whole = before.saturating_add(own).saturating_add(after);
    steady && own < same / 6 && own < middle / 6 && whole.abs_diff(middle).saturating_mul(4) < middle
}
