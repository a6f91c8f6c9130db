//! Lines that nothing drives.

use super::edges::Edges;
use super::mains;
use super::serial::is_quantised;
use super::steady::{median_length, quantile, unsteadiness};
use crate::time::Nanos;

/// A level held for longer than this parts one stretch of chatter from the next.
const HELD: u64 = 60_000_000;
/// Chatter lasts longer than contacts bounce.
const SHORTEST: u64 = 150_000_000;
/// How many edges a stretch of chatter has at least.
const FEWEST: usize = 24;
/// Chatter is quicker than a hand: the middle of its widths is below this.
const QUICK: u64 = 5_000_000;
/// How uneven neighbouring widths of both levels are.
const UNEVEN: f64 = 0.4;

/// A line that floats, and why it is thought so.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Floats {
    /// The evidence.
    pub(super) ground: String,
    /// How long it floats, in all.
    pub(super) time: Nanos,
}

impl Floats {
    /// The evidence, and the share of all time.
    pub(super) fn words(&self, all: Nanos) -> String {
        let share = self.time.0 as f64 * 100.0 / all.0.max(1) as f64;
        let rest = if share < 98.0 { format!(", {share:.0} % of the time") } else { String::new() };
        format!("{}{rest}", self.ground)
    }
}

/// Chatter between levels that are held.
struct Chatter<'a> {
    edges: Edges<'a>,
}

impl Chatter<'_> {
    fn time(&self) -> u64 {
        let ends = self.edges.times.first().zip(self.edges.times.last());
        ends.map_or(0, |(first, last)| (*last - *first).0)
    }
}

/// The stretches of edges with no level held between them for long.
fn stretches(edges: Edges<'_>) -> Vec<Chatter<'_>> {
    let mut from = 0usize;
    let mut found = Vec::new();
    for stretch in edges.times.chunk_by(|one, other| (*other - *one).0 < HELD) {
        let starts_high = edges.starts_high == from.is_multiple_of(2);
        found.push(Chatter { edges: Edges { starts_high, times: stretch } });
        from += stretch.len();
    }
    found
}

/// Whether the line picks up the mains, all the time or now and then.
pub(super) fn with_mains(edges: Edges<'_>) -> Option<Floats> {
    let found: Vec<(u64, usize, mains::Mains)> = stretches(edges)
        .iter()
        .filter_map(|stretch| Some((stretch.time(), stretch.edges.times.len(), mains::picked_up(stretch.edges)?)))
        .collect();
    let edges_in = found.iter().map(|(_, edges, _)| edges).sum::<usize>();
    let (_, _, strongest) = found.iter().max_by_key(|(time, ..)| *time)?;
    // A driven line that was touched once is still a driven line.
    (edges_in * 2 > edges.times.len()).then(|| Floats {
        ground: format!(
            "edges keep the phase of {} Hz mains ({:.0} %) while their widths wander",
            strongest.hertz,
            strongest.strength * 100.0
        ),
        time: Nanos(found.iter().map(|(time, ..)| time).sum()),
    })
}

/// Whether the line chatters without ever holding a level, as no contact, sensor or transmitter does.
pub(super) fn by_chatter(edges: Edges<'_>) -> Option<Floats> {
    let chatters = |stretch: &Chatter<'_>| {
        let widths = [true, false].map(|high| stretch.edges.widths(high));
        let all: Vec<u64> = widths.concat();
        stretch.edges.times.len() >= FEWEST
            && stretch.time() >= SHORTEST
            && widths.iter().all(|widths| unsteadiness(widths, 1).is_some_and(|uneven| uneven > UNEVEN))
            && median_length(&all).is_some_and(|middle| middle < QUICK)
            && quantile(&all, 0.99) < quantile(&all, 0.5).map(|middle| middle.saturating_mul(40))
            && !is_quantised(&all)
    };
    let found: Vec<Chatter<'_>> = stretches(edges).into_iter().filter(chatters).collect();
    let edges_in = found.iter().map(|stretch| stretch.edges.times.len()).sum::<usize>();
    (edges_in * 2 > edges.times.len()).then(|| Floats {
        ground: format!("{edges_in} edges with uneven widths and no level held: nothing drives it"),
        time: Nanos(found.iter().map(Chatter::time).sum()),
    })
}
