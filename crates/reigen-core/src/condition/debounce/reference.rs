//! The methods once more, tick by tick: slow, and plain to see.

use super::HoldTimes;
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
