//! Two sides of one changeover contact.

use super::edges::Edges;
use super::parting;
use crate::time::Nanos;

/// The time that a contact takes to move from one side to the other, at most.
const TRANSIT: Nanos = Nanos(100_000_000);
/// Two lines are looked at so often before they are followed edge by edge.
const LOOKS: u64 = 64;
/// Contacts have fewer edges than these.
const MOST_EDGES: usize = 10_000;

/// Two sides of one contact: of opposite level but for the moment between. The evidence.
pub(super) fn changeover(one: Edges<'_>, other: Edges<'_>) -> Option<String> {
    let end = (*one.times.last()?).max(*other.times.last()?);
    if one.times.len() < 2 || other.times.len() < 2 || one.times.len().max(other.times.len()) > MOST_EDGES {
        return None;
    }
    // Most pairs are seen at a glance to be none.
    let opposite = |look: u64| {
        let time = Nanos(end.0 / LOOKS * look);
        one.level_at(time) != other.level_at(time)
    };
    if (0..LOOKS).filter(|look| opposite(*look)).count() as u64 * 10 < LOOKS * 7 {
        return None;
    }
    let mut all: Vec<(Nanos, bool)> = one.times.iter().map(|&time| (time, true)).collect();
    all.extend(other.times.iter().map(|&time| (time, false)));
    all.sort();
    let (mut first, mut second, mut since) = (one.starts_high, other.starts_high, Nanos(0));
    let (mut opposite, mut both) = (0, [0u64; 2]);
    for (time, is_first) in all {
        let length = (time - since).0;
        match (first == second, first) {
            (false, _) => opposite += length,
            (true, high) => both[usize::from(high)] += length,
        }
        since = time;
        if is_first { first = !first } else { second = !second }
    }
    let share = opposite as f64 / end.0.max(1) as f64;
    if share <= 0.85 || both[0] + both[1] == 0 {
        return None;
    }
    let closer = TRANSIT.min(Nanos(shortest_hold(one).min(shortest_hold(other)) / 2));
    let moves = near(one, other, closer).min(near(other, one, closer));
    (moves >= 0.6).then(|| format!("opposite levels {:.1} % of the time, equal only during changeover", share * 100.0))
}

/// The shortest level held between bursts.
fn shortest_hold(edges: Edges<'_>) -> u64 {
    match parting::part(edges) {
        Some(parting) => parting::meter(edges, parting.quiet).shortest_hold().map_or(u64::MAX, |hold| hold.0),
        None => edges.holds().map(|hold| hold.length).min().unwrap_or(u64::MAX),
    }
}

/// The share of one line's edges that have one of the other closer than a time.
pub(super) fn near(one: Edges<'_>, other: Edges<'_>, closer: Nanos) -> f64 {
    let close = |edge: &&Nanos| {
        let next = other.times.partition_point(|time| time < *edge);
        let around = [next.checked_sub(1), Some(next)].into_iter().flatten().filter_map(|at| other.times.get(at));
        around.into_iter().any(|time| time.0.abs_diff(edge.0) < closer.0)
    };
    one.times.iter().filter(close).count() as f64 / one.times.len().max(1) as f64
}
