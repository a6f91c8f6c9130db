//! The methods once more, tick by tick: slow, and plain to see.

use super::{HoldTimes, RcSettings, ReadingTimes};
use crate::account::Rule;

/// What became of an edge: accepted, thrown away by a rule, or still open.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(super) enum Fate {
    Accepted,
    Rejected(Rule),
    Pending,
}

/// The times at which the output changes, and the fate of each edge.
pub(super) type Told = (Vec<u64>, Vec<Fate>);

/// `stable` over the ticks up to `end`, from an input that starts off.
pub(super) fn stable(times: HoldTimes, edges: &[u64], end: u64) -> Told {
    let (mut output, mut fates) = (Vec::new(), vec![Fate::Pending; edges.len()]);
    let (mut input, mut shown, mut held_since) = (false, false, 0);
    let mut burst: Vec<usize> = Vec::new();
    let mut settle = |input: bool, held_since: u64, now: u64, burst: &mut Vec<usize>| {
        if burst.is_empty() || now - held_since < times.of(input).0 {
            return;
        }
        let rule = if input == shown { Rule::Glitch } else { Rule::Bounce };
        burst.iter().for_each(|&edge| fates[edge] = Fate::Rejected(rule));
        if input != shown {
            fates[*burst.last().unwrap()] = Fate::Accepted;
            output.push(now);
            shown = input;
        }
        burst.clear();
    };
    for tick in 0..=end {
        settle(input, held_since, tick, &mut burst);
        for (number, _) in edges.iter().enumerate().filter(|(_, edge)| **edge == tick) {
            input = !input;
            held_since = tick;
            burst.push(number);
            settle(input, held_since, tick, &mut burst);
        }
    }
    (output, fates)
}

/// Names rejected pulses by what stands beside them: edges closer than `apart` belong together, and where one of
/// them was accepted, or is bounce of one that was, none is a glitch. Edges that no reading saw do not count.
pub(super) fn by_neighbours((output, mut fates): Told, edges: &[u64], apart: u64) -> Told {
    let unseen = [Fate::Rejected(Rule::Missed), Fate::Pending];
    let judged: Vec<usize> = (0..edges.len()).filter(|&edge| !unseen.contains(&fates[edge])).collect();
    for group in judged.chunk_by(|&one, &other| edges[other] - edges[one] < apart) {
        let beside = [Fate::Accepted, Fate::Rejected(Rule::Bounce)];
        if group.iter().any(|&edge| beside.contains(&fates[edge])) {
            let glitches = group.iter().filter(|&&edge| fates[edge] == Fate::Rejected(Rule::Glitch));
            glitches
                .copied()
                .collect::<Vec<_>>()
                .into_iter()
                .for_each(|edge| fates[edge] = Fate::Rejected(Rule::Bounce));
        }
    }
    (output, fates)
}

/// `lockout` over the ticks up to `end`, from an input that starts off; both times are at least one tick.
pub(super) fn lockout(times: HoldTimes, edges: &[u64], end: u64) -> Told {
    let (mut output, mut fates) = (Vec::new(), vec![Fate::Pending; edges.len()]);
    let (mut input, mut shown, mut locked_until) = (false, false, None);
    let mut within: Vec<usize> = Vec::new();
    for tick in 0..=end {
        for (number, _) in edges.iter().enumerate().filter(|(_, edge)| **edge == tick) {
            input = !input;
            if locked_until.is_some() {
                within.push(number);
            } else {
                fates[number] = Fate::Accepted;
                shown = input;
                output.push(tick);
                locked_until = Some(tick + times.of(shown).0);
            }
        }
        if locked_until == Some(tick) {
            within.iter().for_each(|&edge| fates[edge] = Fate::Rejected(Rule::Bounce));
            locked_until = None;
            if input != shown {
                fates[*within.last().unwrap()] = Fate::Accepted;
                shown = input;
                output.push(tick);
                locked_until = Some(tick + times.of(shown).0);
            }
            within.clear();
        }
    }
    // At the end only the last edge of a lockout that differs is open.
    let last = within.last().copied();
    within.iter().for_each(|&edge| fates[edge] = Fate::Rejected(Rule::Bounce));
    if let (Some(last), true) = (last, input != shown) {
        fates[last] = Fate::Pending;
    }
    (output, fates)
}

/// What is seen at readings up to `end`: for each change its time and edge, and the fate of the other edges.
pub(super) fn read(times: ReadingTimes, edges: &[u64], end: u64) -> (Vec<(u64, usize)>, Vec<Fate>) {
    let (mut changes, mut fates) = (Vec::new(), vec![Fate::Pending; edges.len()]);
    let (mut read, mut held) = (false, false);
    let mut since: Vec<usize> = Vec::new();
    let mut input = false;
    for tick in 0..=end {
        for (number, _) in edges.iter().enumerate().filter(|(_, edge)| **edge == tick) {
            input = !input;
            since.push(number);
        }
        if tick < times.phase.0 || !(tick - times.phase.0).is_multiple_of(times.period.0) {
            continue;
        }
        let caught = times.catch && !held && input == read && since.len() >= 2;
        let stays = if caught { since.pop() } else { None };
        if caught || input != read {
            read = !read;
            changes.push((tick, since.pop().unwrap()));
        }
        since.iter().for_each(|&edge| fates[edge] = Fate::Rejected(Rule::Missed));
        since = stays.into_iter().collect();
        held = caught;
    }
    // At the end the last edge is open if the level differs.
    if input != read {
        since.pop();
    }
    since.iter().for_each(|&edge| fates[edge] = Fate::Rejected(Rule::Missed));
    (changes, fates)
}

/// `sampled` up to `end`, from an input that starts off: a change counts on the last of `count` equal readings.
pub(super) fn sampled(every: u64, count: u64, edges: &[u64], end: u64) -> Told {
    let times = ReadingTimes { period: crate::time::Nanos(every), phase: crate::time::Nanos(0), catch: false };
    let (changes, mut fates) = read(times, edges, end);
    let (mut output, mut shown, mut level, mut equal) = (Vec::new(), false, false, count);
    let mut burst: Vec<usize> = Vec::new();
    for tick in (0..=end).step_by(every as usize) {
        match changes.iter().find(|(time, _)| *time == tick) {
            Some((_, edge)) => {
                level = !level;
                burst.push(*edge);
                equal = 1;
            }
            None => equal += 1,
        }
        if equal < count || burst.is_empty() {
            continue;
        }
        let rule = if level == shown { Rule::Glitch } else { Rule::Bounce };
        burst.iter().for_each(|&edge| fates[edge] = Fate::Rejected(rule));
        if level != shown {
            fates[*burst.last().unwrap()] = Fate::Accepted;
            output.push(tick);
            shown = level;
        }
        burst.clear();
    }
    (output, fates)
}

/// `rc` up to `end`, from a line that starts low: the voltage is looked at, not solved for.
pub(super) fn rc(settings: RcSettings, edges: &[u64], end: u64) -> Told {
    let (mut output, mut fates) = (Vec::new(), vec![Fate::Pending; edges.len()]);
    let (supply, rise, fall) = (settings.levels.supply.0, settings.levels.rise_at.0, settings.levels.fall_at.0);
    let (mut voltage, mut high, mut shown, mut last) = (0.0, false, false, 0);
    let mut burst: Vec<usize> = Vec::new();
    for (number, edge) in edges.iter().chain([&(end + 1)]).enumerate() {
        let at = |after: f64| match high {
            true => supply + (voltage - supply) * (-after / settings.charge_ns).exp(),
            false => voltage * (-after / settings.discharge_ns).exp(),
        };
        let past = |after: f64| if high { at(after) >= rise } else { at(after) <= fall };
        let length = (edge - last) as f64;
        if !burst.is_empty() && past(length) {
            // Between a time at which it is not past and one at which it is.
            let (mut before, mut after) = (0.0, length);
            if past(0.0) {
                after = 0.0;
            }
            for _ in 0..100 {
                let middle = (before + after) / 2.0;
                if past(middle) { after = middle } else { before = middle }
            }
            let decided = last + after.round() as u64;
            if decided <= end {
                let rule = if high == shown { Rule::Glitch } else { Rule::Bounce };
                burst.iter().for_each(|&edge| fates[edge] = Fate::Rejected(rule));
                if high != shown {
                    fates[*burst.last().unwrap()] = Fate::Accepted;
                    output.push(decided);
                    shown = high;
                }
                burst.clear();
            }
        }
        (voltage, last, high) = (at(length), *edge, !high);
        burst.push(number);
    }
    (output, fates)
}
