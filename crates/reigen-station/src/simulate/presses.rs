//! When something is actuated, and how its contact bounces.

use super::random::Random;
use super::scenario::{Bounce, PressTimes};
use std::collections::VecDeque;

/// Actuations one after another: from, until.
pub(super) struct Presses {
    given: VecDeque<(u64, u64)>,
    /// Mean time from one to the next, and how long each lasts.
    random: Option<(f64, u64)>,
    /// The least time between two.
    rest: u64,
    last: u64,
}

impl Presses {
    /// Actuations as the scenario has them; `rest` is the least time between two random ones.
    pub(super) fn new(times: &PressTimes, rest: u64) -> Self {
        match times {
            PressTimes::Given(given) => Self { given: given.iter().copied().collect(), random: None, rest, last: 0 },
            PressTimes::Random { every, hold } => {
                Self { given: VecDeque::new(), random: Some((*every as f64, *hold)), rest, last: 0 }
            }
        }
    }

    /// The next actuation.
    pub(super) fn next(&mut self, random: &mut Random) -> Option<(u64, u64)> {
        let Some((every, hold)) = self.random else { return self.given.pop_front() };
        let from = self.last + self.rest + random.wait(every);
        self.last = from + hold;
        Some((from, self.last))
    }
}

/// The times at which a contact changes that is made or broken at `at`: an odd number, the first at `at`.
pub(super) fn bounced(at: u64, bounce: &Bounce, random: &mut Random) -> Vec<u64> {
    let bounces = random.whole(bounce.least, bounce.most);
    let mut times: Vec<u64> = (0..2 * bounces).map(|_| at + random.whole(1, bounce.within.max(1))).collect();
    if bounce.rings {
        // A ring dies away: later bounces are shorter, so more of them lie early.
        times.iter_mut().for_each(|time| *time = at + 1 + (*time - at) * (*time - at) / bounce.within.max(1));
    }
    times.push(at);
    times.sort_unstable();
    times
}
