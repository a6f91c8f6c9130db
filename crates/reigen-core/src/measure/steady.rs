//! How steady lengths are, by measures that a few odd ones do not move: medians of ratios of neighbours.

use crate::cast;
use crate::time::Nanos;

/// The one in the middle; of an even number the upper of the two. `None` of none.
pub fn median(mut values: Vec<f64>) -> Option<f64> {
    let middle = values.len() / 2;
    if values.is_empty() {
        return None;
    }
    Some(*values.select_nth_unstable_by(middle, f64::total_cmp).1)
}

/// The same of lengths in nanoseconds.
pub fn median_length(lengths: &[u64]) -> Option<u64> {
    quantile(lengths, 0.5)
}

/// The length that a share of all are not above. `None` of none.
pub fn quantile(lengths: &[u64], share: f64) -> Option<u64> {
    let last = lengths.len().checked_sub(1)?;
    let place = cast::usize_from_f64((last as f64 * share).round());
    Some(*lengths.to_vec().select_nth_unstable(place.min(last)).1)
}

/// From one length to the one `lag` later: the median of |ln(later / earlier)|. 0 is steady; ramps, standstills and
/// missing marks hardly move it. `None` where there are fewer than three pairs.
pub fn unsteadiness(lengths: &[u64], lag: usize) -> Option<f64> {
    let earlier = lengths.iter().zip(lengths.get(lag..)?);
    // The logarithm keeps the order, so that of the median will do.
    let ratio = |(&one, &other): (&u64, &u64)| one.max(other).max(1) as f64 / one.min(other).max(1) as f64;
    let ratios: Vec<f64> = earlier.map(ratio).collect();
    if ratios.len() < 3 { None } else { median(ratios).map(libm::log) }
}

/// Neighbours in a pattern differ by less than this, by the same measure: a factor of about 3.
const PATTERN: f64 = 1.2;

/// The least unsteadiness over patterns that repeat after up to `most` lengths, as marks of a wheel do.
pub fn least_unsteadiness(lengths: &[u64], most: usize) -> Option<f64> {
    let most = if unsteadiness(lengths, 1)? < PATTERN { most } else { 1 };
    let lags = 1..=most.min(lengths.len() / 3).max(1);
    lags.filter_map(|lag| unsteadiness(lengths, lag)).min_by(f64::total_cmp)
}

/// How far numbers lie from their median: the median of the distances. `None` of none.
pub fn spread(values: &[f64]) -> Option<f64> {
    let middle = median(values.to_vec())?;
    median(values.iter().map(|value| (value - middle).abs()).collect())
}

/// The middle nine tenths of lengths, as a share of their median. `None` of none.
pub fn relative_range(lengths: &[u64]) -> Option<f64> {
    let [low, middle, high] = [0.05, 0.5, 0.95].map(|share| quantile(lengths, share));
    Some((high? - low?) as f64 / middle?.max(1) as f64)
}

/// The times from each edge to the next, in nanoseconds.
pub(super) fn periods(edges: &[Nanos]) -> Vec<u64> {
    edges.windows(2).filter_map(|pair| Some((*pair.get(1)? - *pair.first()?).0)).collect()
}
