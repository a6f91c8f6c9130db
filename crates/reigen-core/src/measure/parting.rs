//! The time that parts bursts of edges from held levels, where a line has both.

use super::bounce::BounceMeter;
use super::edges::Edges;
use crate::time::Nanos;

/// Contacts bounce for less than this.
const LONGEST_BURST: u64 = 100_000_000;
/// A burst that changes nothing is an interference or a dropout, and shorter than this.
const LONGEST_RETURN: u64 = 5_000_000;
/// A level between bursts is held so many times longer than a burst lasts.
const MARGIN: u64 = 2;
/// The same for bursts that change nothing, which might be real pulses.
const MARGIN_OF_RETURNS: u64 = 8;
/// So many partings are tried.
const MOST_TRIED: usize = 64;

/// What a line's levels part into.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Parting {
    /// A level that holds so long ends a burst.
    pub quiet: Nanos,
    /// Whether the line changes for good at all; else it rests but for short pulses.
    pub changes: bool,
}

/// How a line's levels part into bursts and holds; `None` where they do not.
///
/// Each length that parts the levels into a shorter and a longer group (by a factor of 2 or more) is tried: the bursts that
/// it gives must be as short as contacts bounce, the levels between them much longer, and enough of them must change
/// something. Of those that fit, the longest is taken. Where none does, the line may be at rest but for short pulses.
pub fn part(edges: Edges<'_>) -> Option<Parting> {
    let mut lengths: Vec<u64> = edges.holds().map(|hold| hold.length).collect();
    lengths.sort_unstable();
    lengths.dedup();
    let parted = |pair: &[u64]| match pair {
        [shorter, longer] if *shorter <= LONGEST_BURST / 2 && *longer / 2 >= (*shorter).max(1) => {
            Some(Nanos(((*shorter).max(1) as f64 * *longer as f64).sqrt() as u64))
        }
        _ => None,
    };
    let candidates: Vec<Nanos> = lengths.windows(2).rev().filter_map(parted).take(MOST_TRIED).collect();
    let bursts: Vec<BounceMeter> = candidates.into_iter().map(|quiet| meter(edges, quiet)).collect();
    let found = |changes: bool| {
        let fits = |bounce: &&BounceMeter| if changes { has_changes(bounce) } else { only_returns(bounce) };
        bursts.iter().find(fits).map(|bounce| Parting { quiet: bounce.quiet(), changes })
    };
    found(true).or_else(|| found(false)).or_else(|| {
        let [from, until] = edges.times else { return None };
        let length = (*until - *from).0;
        // One short pulse alone, and nothing else.
        (length <= LONGEST_RETURN).then_some(Parting { quiet: Nanos(length + 1), changes: false })
    })
}

/// The bursts of a line, by the level that ends them.
pub fn meter(edges: Edges<'_>, quiet: Nanos) -> BounceMeter {
    let mut bounce = BounceMeter::new(edges.starts_high, quiet);
    edges.times.iter().for_each(|&edge| bounce.take(edge));
    bounce.finish();
    bounce
}

fn holds_longer(bounce: &BounceMeter) -> bool {
    let change = bounce.turning_on.longest().max(bounce.turning_off.longest()).0;
    let back = bounce.glitches.longest().max(bounce.dropouts.longest()).0;
    let hold = bounce.shortest_hold().map_or(u64::MAX, |hold| hold.0);
    change <= LONGEST_BURST
        && back <= LONGEST_RETURN
        && hold >= change.saturating_mul(MARGIN)
        && hold >= back.saturating_mul(MARGIN_OF_RETURNS)
}

fn has_changes(bounce: &BounceMeter) -> bool {
    let changes = bounce.changes();
    let returns = bounce.glitches.count() + bounce.dropouts.count();
    changes >= 2 && returns <= changes * 4 + 8 && holds_longer(bounce)
}

fn only_returns(bounce: &BounceMeter) -> bool {
    bounce.changes() == 0 && holds_longer(bounce)
}
