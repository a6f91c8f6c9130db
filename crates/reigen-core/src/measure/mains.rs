//! Lines that follow the mains: picked up by a wire that nothing drives, or driven at just that frequency.

use super::edges::Edges;
use super::steady::{median, median_length, periods, relative_range};
use crate::cast;
use crate::time::Nanos;

/// The frequencies of mains, in hertz.
const MAINS_HZ: [f64; 2] = [50.0, 60.0];
/// The phase is compared over so many half waves at a time, since the mains wander.
const HALF_WAVES: usize = 60;
/// No more edges than these come in a half wave.
const MOST_IN_HALF_WAVE: usize = 60;
/// Fewer half waves than these tell nothing.
const FEWEST_HALF_WAVES: usize = 16;
/// At so many places within a half wave the level is looked at.
const PLACES: usize = 24;
/// The level changes from one half wave to the next in this share of them.
const ALTERNATES: f64 = 0.9;
/// Marks of a wheel that may be uneven: an edge is held against up to so many before it.
const MARKS: usize = 12;
/// So many steps at least tell how far edges wander.
const FEWEST_STEPS: usize = 7;
/// The edges of a driven line come again to this share of a half wave, or better.
const WANDERS: f64 = 0.025;
/// An edge that comes again to this share of a half wave is exact.
const EXACT: f64 = 0.008;

/// Widths that differ by less than this share are fixed.
const FIXED: f64 = 0.05;

/// A line whose levels follow the mains.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Mains {
    /// The frequency.
    pub(super) hertz: f64,
    /// In how many of the half waves the level changes, from 0 to 1.
    pub(super) strength: f64,
}

/// Whether the mains made these edges, with nothing driving the line: its level changes with each half wave, but the times of
/// its edges wander as no driven line's do.
pub(super) fn picked_up(edges: Edges<'_>) -> Option<Mains> {
    let each = MAINS_HZ.into_iter().filter_map(|hertz| picked_up_at(edges, hertz));
    each.max_by(|one, other| one.strength.total_cmp(&other.strength))
}

fn picked_up_at(edges: Edges<'_>, hertz: f64) -> Option<Mains> {
    let half = 1e9 / hertz / 2.0;
    let (first, last) = (*edges.times.first()?, *edges.times.last()?);
    let waves = cast::usize_from_f64((last - first).0 as f64 / half);
    // Where the level changes with each half wave, there is an edge in each, and some chatter.
    let (fewest, most) = (waves * 7 / 10, waves.saturating_mul(MOST_IN_HALF_WAVE));
    if waves < FEWEST_HALF_WAVES || !(fewest..=most).contains(&edges.times.len()) {
        return None;
    }
    let stretch = waves.div_ceil(waves.div_ceil(HALF_WAVES));
    let at = |number: usize| Stretch::new(edges, first.0 as f64 + (number * stretch) as f64 * half, half, stretch);
    let count = waves / stretch;
    // Most lines have nothing to do with the mains, and three looks tell.
    let follows = |number: usize| at(number).alternates >= ALTERNATES;
    if ![0, count / 2, count.saturating_sub(1)].into_iter().any(follows) {
        return None;
    }
    let stretches: Vec<Stretch> = (0..count).map(at).collect();
    let following: Vec<&Stretch> = stretches.iter().filter(|stretch| stretch.alternates >= ALTERNATES).collect();
    if following.len() * 10 < stretches.len() * 7 {
        return None;
    }
    let wander = |edge: usize| median(following.iter().filter_map(|stretch| stretch.wander(edge)).collect());
    let (rise, fall) = (wander(1)?, wander(0)?);
    // Widths that are all alike are made by something that drives the line.
    let fixed =
        [true, false].into_iter().any(|high| relative_range(&edges.widths(high)).is_some_and(|range| range < FIXED));
    let periodic = [edges.rising().collect::<Vec<_>>(), edges.falling().collect()].iter().any(|edges| {
        let periods = periods(edges);
        let same =
            |middle: u64| periods.iter().filter(|period| period.abs_diff(middle).saturating_mul(50) < middle).count();
        median_length(&periods).is_some_and(|middle| same(middle) * 5 > periods.len() * 4)
    });
    let beside = edges.times.len() as f64 > 1.2 * waves as f64;
    let strength = median(following.iter().map(|stretch| stretch.alternates).collect())?;
    (!fixed && !periodic && rise.max(fall) > WANDERS && (rise.min(fall) > EXACT || beside))
        .then_some(Mains { hertz, strength })
}

/// Some half waves of a line.
struct Stretch {
    /// In what share of them the level changes from one to the next, looked at where it does so best.
    alternates: f64,
    /// When it first changed in each of them, to low and to high, in half waves.
    changes: [Vec<f64>; 2],
}

impl Stretch {
    fn new(edges: Edges<'_>, from: f64, half: f64, waves: usize) -> Self {
        let at = |wave: usize, place: f64| Nanos(cast::u64_from_f64(from + (wave as f64 + place) * half));
        // Only the edges of these waves matter.
        let before = edges.times.partition_point(|&edge| edge < at(0, 0.0));
        let within = edges.times.partition_point(|&edge| edge <= at(waves + 1, 0.0));
        let starts_high = edges.starts_high == before.is_multiple_of(2);
        let edges = Edges { starts_high, times: edges.times.get(before..within).unwrap_or_default() };
        let counts: [usize; PLACES] = std::array::from_fn(|place| {
            let mut levels = (0..waves).map(|wave| edges.level_at(at(wave, place as f64 / PLACES as f64)));
            let mut last = levels.next();
            levels.filter(|level| last.replace(*level) != Some(*level)).count()
        });
        let count = counts.iter().copied().max().unwrap_or(0);
        // Of several places that do as well the middle lies farthest from the edges.
        let last = counts.iter().rposition(|&other| other == count).unwrap_or(0);
        let good: Vec<usize> =
            (last.saturating_sub(PLACES / 2)..=last).filter(|&place| counts.get(place) == Some(&count)).collect();
        let place = good.get(good.len() / 2).map_or(0.0, |&place| place as f64 / PLACES as f64);
        let mut changes = [Vec::new(), Vec::new()];
        for wave in 0..waves {
            let (since, until) = (at(wave, place), at(wave + 1, place));
            let first = edges.times.partition_point(|&edge| edge <= since);
            if let Some(edge) = edges.times.get(first).filter(|edge| **edge <= until)
                && let Some(changes) = changes.get_mut(usize::from(!edges.level_at(since)))
            {
                changes.push(edge.0 as f64 / half);
            }
        }
        Self { alternates: count as f64 / (waves.max(2) - 1) as f64, changes }
    }

    /// How far edges of one direction come from where those before let them be expected, as a share of a half wave.
    fn wander(&self, direction: usize) -> Option<f64> {
        let changes = self.changes.get(direction)?;
        let after = |lag: usize| {
            let steps = changes.iter().zip(changes.get(lag..)?).map(|(one, other)| other - one).collect::<Vec<f64>>();
            if steps.len() < FEWEST_STEPS {
                return None;
            }
            super::steady::spread(&steps)
        };
        (1..=MARKS).filter_map(after).min_by(f64::total_cmp)
    }
}

/// The frequency of the mains that a driven line has to a thousandth, so that it may be picked up after all.
pub(super) fn same_frequency(edges: Edges<'_>) -> Option<f64> {
    let rises: Vec<Nanos> = edges.rising().collect();
    let hertz = 1e9 / median_length(&periods(&rises)).filter(|_| rises.len() > 20)? as f64;
    MAINS_HZ.into_iter().find(|mains| (hertz / mains - 1.0).abs() < 1e-3)
}
