//! Asynchronous characters: a start bit, data bits and a stop bit, all of one length.

use super::edges::Edges;
use super::steady::median;
use crate::cast;
use crate::time::Nanos;

/// How many bits a character may have after its start bit and before its stop bit, a parity bit with them.
const DATA_BITS: std::ops::RangeInclusive<u32> = 5..=9;
/// How many characters are needed to tell.
const FEWEST: usize = 8;
/// An edge may lie so far from where its bit ends, as a share of a bit.
const TOLERANCE: f64 = 0.2;
/// The longest stretch within a character, in bits.
const LONGEST: f64 = 10.5;

/// The length that most widths are whole multiples of, where there is one. It is refined over all widths.
fn unit(widths: &[u64]) -> Option<f64> {
    let mut sorted = widths.to_vec();
    sorted.sort_unstable();
    // The shortest is one bit; a few shorter ones are interference.
    let first = *sorted.get(sorted.len() / 50)?.max(&1) as f64;
    let within: Vec<f64> = sorted.iter().map(|&width| width as f64).filter(|width| *width < first * LONGEST).collect();
    let whole = |width: f64, unit: f64| (width / unit).round().max(1.0);
    let typical = median(within.iter().map(|width| width / whole(*width, first)).collect())?;
    // Times on a coarse grid make each width wrong by up to a step, in both directions: their sum is not.
    let bits: f64 = within.iter().map(|width| whole(*width, typical)).sum();
    Some(within.iter().sum::<f64>() / bits)
}

/// How many bits a width is, where it is a whole number of them.
fn bits(width: u64, bit: f64) -> Option<u32> {
    let bits = width as f64 / bit;
    let whole = bits.round();
    ((bits - whole).abs() <= TOLERANCE && whole >= 1.0).then_some(cast::u32_from_f64(whole))
}

/// Whether nearly all widths up to ten units are whole multiples of one unit, and not all alike.
pub(super) fn is_quantised(widths: &[u64]) -> bool {
    let Some(unit) = unit(widths) else { return false };
    let short: Vec<u64> = widths.iter().copied().filter(|&width| (width as f64) < unit * LONGEST).collect();
    let whole = short.iter().filter(|&&width| bits(width, unit).is_some_and(|_| near(width, unit))).count();
    short.len() * 10 >= widths.len() * 6 && whole * 20 >= short.len() * 19
}

fn near(width: u64, unit: f64) -> bool {
    let bits = width as f64 / unit;
    (bits - bits.round()).abs() < 0.12
}

/// The time of a bit, where the line carries characters; with the number of data bits and characters.
pub(super) fn serial(edges: Edges<'_>) -> Option<(Nanos, u32, usize)> {
    let widths: Vec<u64> = edges.holds().map(|hold| hold.length).collect();
    // Nobody sends a bit in more than a second.
    let bit = unit(&widths).filter(|bit| edges.times.len() >= 2 * FEWEST && *bit < 1e9)?;
    let short: Vec<u64> = widths.iter().copied().filter(|&width| (width as f64) < bit * LONGEST).collect();
    let mut counts = [0usize; 12];
    let mut whole = 0;
    for bits in short.iter().filter_map(|&width| bits(width, bit)) {
        whole += 1;
        if let Some(count) = counts.get_mut(bits as usize) {
            *count += 1;
        }
    }
    let varied = counts.iter().filter(|&&count| count * 33 >= short.len()).count();
    if whole * 20 < short.len() * 19 || varied < 3 || repeats(&widths) {
        return None;
    }
    // At rest the line stands at the level that a stop bit has.
    [true, false].into_iter().find_map(|idle| {
        DATA_BITS
            .rev()
            .find_map(|data| Some((Nanos(cast::u64_from_f64(bit.round())), data, characters(edges, idle, bit, data)?)))
    })
}

/// Whether nearly all widths come again after a few, as the marks of a wheel do.
fn repeats(widths: &[u64]) -> bool {
    let alike = |lag: usize| {
        let pairs = widths.iter().zip(widths.get(lag..).unwrap_or_default());
        let (all, same) = pairs.fold((0, 0), |(all, same), (&one, &other)| {
            (all + 1, same + usize::from(one.abs_diff(other).saturating_mul(8) < one.max(other)))
        });
        all >= 8 && same * 10 >= all * 9
    };
    (1..=26).any(alike)
}

/// How many characters there are, where nearly each ends with a stop bit, and most are more than one pulse.
fn characters(edges: Edges<'_>, idle: bool, bit: f64, data: u32) -> Option<usize> {
    let (mut all, mut good) = (0usize, 0usize);
    let mut at = 0;
    while let Some(&start) = edges.times.get(at) {
        let goes_idle = (edges.starts_high == (at % 2 == 1)) == idle;
        if goes_idle {
            at += 1;
            continue;
        }
        let middle = |number: f64| start + Nanos(cast::u64_from_f64(bit * number));
        let stop = middle(f64::from(data) + 1.5);
        if edges.times.last().is_some_and(|last| *last < stop) {
            break;
        }
        all += 1;
        good += usize::from(edges.level_at(stop) == idle);
        at = edges.times.partition_point(|&edge| edge <= stop);
    }
    let telling = edges.times.len() >= all * 3;
    (all >= FEWEST && good * 50 >= all * 49 && telling).then_some(all)
}
