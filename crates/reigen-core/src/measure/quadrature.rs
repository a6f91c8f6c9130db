//! Two channels of an encoder, a quarter of a period apart, and its index.

use super::edges::Edges;
use super::steady::{median, quantile};
use crate::cast;
use crate::time::Nanos;

/// How many edges of both channels are needed.
const FEWEST: usize = 12;
/// So many edges in turns are no accident.
const IN_TURNS: usize = 8;
/// This share of all edges lies in such stretches.
const MOSTLY: f64 = 0.5;
/// How many edges between steady neighbours are needed to judge the phase.
const ENOUGH_STEADY: usize = 8;

/// An edge of one of two channels.
#[derive(Debug, Clone, Copy)]
struct Step {
    time: Nanos,
    first: bool,
}

/// The edges of both channels in the order of time.
fn merged(one: Edges<'_>, other: Edges<'_>) -> Vec<Step> {
    let mut steps: Vec<Step> = one.times.iter().map(|&time| Step { time, first: true }).collect();
    steps.extend(other.times.iter().map(|&time| Step { time, first: false }));
    steps.sort_by_key(|step| step.time);
    steps
}

/// The stretch of time in which the first edges of both lines are known.
fn common<'a>(one: Edges<'a>, other: Edges<'a>, most: usize) -> Option<(Edges<'a>, Edges<'a>)> {
    let (one, other) = (one.first(most), other.first(most));
    let ends = (*one.times.last()?, *other.times.last()?);
    let is_cut = one.times.len() == most || other.times.len() == most;
    let end = if is_cut { ends.0.min(ends.1) } else { ends.0.max(ends.1) };
    Some((one.up_to(end), other.up_to(end)))
}

/// Whether two lines are the channels of an encoder, whatever its speed: whether the first leads, and the evidence.
///
/// The channels' edges take turns, but for reversals and for vibration at a standstill. Two sensors that have nothing to do with
/// one another may take turns for a while, and then one's edges wander through the other's period; a channel's do not.
pub(super) fn quadrature(one: Edges<'_>, other: Edges<'_>, most: usize) -> Option<(bool, String)> {
    let (one, other) = common(one, other, most)?;
    if one.times.len() * 2 < FEWEST || other.times.len() * 2 < FEWEST {
        return None;
    }
    let steps = merged(one, other);
    let turns: usize = steps
        .chunk_by(|one, other| one.first != other.first)
        .map(<[Step]>::len)
        .filter(|&length| length >= IN_TURNS)
        .sum();
    let alternating = steps.windows(2).filter(|pair| matches!(pair, [one, other] if one.first != other.first)).count();
    if (turns as f64) < steps.len() as f64 * MOSTLY {
        return None;
    }
    let [mut phases, behind] = phases(one, other);
    if behind.len() > phases.len() {
        phases = behind;
    }
    // Turned by hand, few neighbours are alike by chance, and say nothing of the phase.
    let steady = phases.len() >= ENOUGH_STEADY && phases.len() * 6 >= one.times.len() / 2;
    let phase = match steady {
        true => {
            let spread = quantile(&phases, 0.75)? - quantile(&phases, 0.25)?;
            let phase = quantile(&phases, 0.5)?;
            if spread > 120 || !(40..460).contains(&phase) {
                return None;
            }
            format!(", phase {:.0}°", phase as f64 * 0.36)
        }
        false if alternating * 4 < steps.len() * 3 => return None,
        false => String::new(),
    };
    // Where the first rises while the second is low, the first leads.
    let rises = one.rising().count().max(1);
    let leading = one.rising().filter(|&time| !other.level_at(time)).count();
    let ground = format!("edges alternate in {:.0} % of steps{phase}", share(alternating, steps.len() - 1));
    Some((leading * 2 > rises, ground))
}

fn share(part: usize, all: usize) -> f64 {
    part as f64 * 100.0 / all.max(1) as f64
}

/// How far the rising edges of one channel lie from the nearest of the other, in thousandths of a period, wherever the speed is
/// steady: 250 is a quarter. A drift through the whole period goes from 0 to 500 and back.
///
/// Those of each direction stand apart: where the channels are not high for just half of the period, a turn back moves them.
fn phases(one: Edges<'_>, other: Edges<'_>) -> [Vec<u64>; 2] {
    let rises: Vec<Nanos> = one.rising().collect();
    let others: Vec<Nanos> = other.rising().collect();
    let place = |three: &[Nanos]| match three {
        [before, from, until] => {
            let (last, length) = ((*from - *before).0, (*until - *from).0);
            let first = others.partition_point(|&rise| rise < *from);
            let within = others.get(first..).unwrap_or_default().iter().take_while(|rise| **rise < *until);
            let shift = (*others.get(first)? - *from).0;
            let steady = length < last + last / 4 && last < length + length / 4;
            (steady && within.count() == 1).then(|| cast::u64_from_f64(shift as f64 * 1000.0 / length as f64))
        }
        _ => None,
    };
    let (ahead, behind): (Vec<u64>, Vec<u64>) = rises.windows(3).filter_map(place).partition(|&phase| phase < 500);
    [ahead, behind.into_iter().map(|phase| 1000 - phase).collect()]
}

/// Whether `mark` is the index of an encoder with the channels `one` and `other`: how many cycles of a channel lie between two
/// marks, and the evidence. Turns back count back.
pub(super) fn index(mark: Edges<'_>, one: Edges<'_>, other: Edges<'_>) -> Option<(u64, String)> {
    let steps = merged(one, other);
    let last = steps.last()?.time;
    let (mut a, mut b, mut position) = (one.starts_high, other.starts_high, 0i64);
    let mut positions = steps.iter().map(|step| {
        let forward = if step.first { a == b } else { a != b };
        let moved = if forward { 1 } else { -1 };
        if step.first {
            a = !a
        } else {
            b = !b
        }
        position += moved;
        (step.time, position)
    });
    let (mut at_rises, mut widths): (Vec<i64>, Vec<i64>) = (Vec::new(), Vec::new());
    let mut now = (Nanos(0), 0i64);
    let mut next = positions.next();
    for (number, &time) in mark.times.iter().enumerate().filter(|(_, time)| **time <= last) {
        while let Some(step) = next.filter(|step| step.0 < time) {
            now = step;
            next = positions.next();
        }
        let rises = mark.starts_high == (number % 2 == 1);
        match (rises, at_rises.last()) {
            (true, _) => at_rises.push(now.1),
            (false, Some(&rise)) => widths.push((now.1 - rise).abs()),
            (false, None) => {}
        }
    }
    let width = cast::i64_from_f64(median(widths.iter().map(|&width| width as f64).collect()).unwrap_or(0.0)) + 2;
    let ways: Vec<i64> = at_rises.windows(2).filter_map(|pair| Some((pair.get(1)? - pair.first()?).abs())).collect();
    // Marks that come again at once, where the shaft turns back, say nothing.
    let far: Vec<f64> = ways.iter().filter(|&&way| way > 2 * width).map(|&way| way as f64).collect();
    let revolution = cast::i64_from_f64(median(far.clone())?);
    let fits = |way: f64| {
        let rest = cast::i64_from_f64(way).rem_euclid(revolution);
        rest <= width || revolution - rest <= width
    };
    let same = far.iter().filter(|&&way| fits(way)).count();
    let is_short = width * 8 <= revolution.max(64);
    (far.len() >= 3 && is_short && revolution >= 16 && same * 20 >= far.len() * 17).then(|| {
        let cycles = cast::u64_from_f64((revolution as f64 / 4.0).round());
        (cycles, format!("one mark for every {cycles} cycles, at {same} of {} marks", far.len()))
    })
}
