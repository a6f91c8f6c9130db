//! When a link passes over its device, and when it tries again to reach one that is lost.

use reigen_core::time::Nanos;

/// The first time that a link that is lost is tried again, and the longest.
const FIRST_RETRY: Nanos = Nanos(100_000_000);
const LONGEST_RETRY: Nanos = Nanos(5_000_000_000);

/// The times of passes: at multiples of a period. A pass that overruns its time lets those be that it overran.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PassClock {
    every: Nanos,
    next: Nanos,
    began: Nanos,
    /// What there is to tell.
    pub told: PassAccount,
}

/// What there is to tell of passes.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct PassAccount {
    /// How many there were.
    pub passes: u64,
    /// How many were left out, since the one before took so long.
    pub late: u64,
    /// How long the longest took.
    pub longest: Nanos,
}

impl PassClock {
    /// Passes every so often, the first at once.
    pub fn new(every: Nanos) -> Self {
        Self { every, next: Nanos(0), began: Nanos(0), told: PassAccount::default() }
    }

    /// When the next one is due.
    pub fn due(&self) -> Nanos {
        self.next
    }

    /// A pass begins.
    pub fn begin(&mut self, now: Nanos) {
        self.began = now;
        if self.told.passes == 0 {
            self.next = now;
        }
    }

    /// It has ended: the next is due at the first multiple that is still to come.
    pub fn end(&mut self, now: Nanos) {
        self.told.passes += 1;
        self.told.longest = self.told.longest.max(now.saturating_sub(self.began));
        let left_out = now.saturating_sub(self.next + self.every).0.div_ceil(self.every.0);
        self.told.late += left_out;
        self.next = self.next + self.every + Nanos(self.every.0.saturating_mul(left_out));
    }

    /// It goes on at a time, after the device was lost.
    pub fn go_on(&mut self, now: Nanos) {
        self.next = now;
    }
}

/// How long to wait before a link that is lost is tried again: 100 ms, then twice as long each time, up to 5 s.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Retry(Nanos);

impl Default for Retry {
    fn default() -> Self {
        Self(FIRST_RETRY)
    }
}

impl Retry {
    /// The next wait.
    pub fn wait(&mut self) -> Nanos {
        let wait = self.0;
        self.0 = Nanos(wait.0.saturating_mul(2)).min(LONGEST_RETRY);
        wait
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn passes_keep_to_their_multiples_and_what_is_overrun_is_left_out(
            lengths in prop::collection::vec(1..350u64, 1..60),
        ) {
            let mut clock = PassClock::new(Nanos(100));
            let mut now = Nanos(1_007);
            for length in &lengths {
                now = now.max(clock.due());
                clock.begin(now);
                prop_assert_eq!((now.0 - 1_007) % 100, 0, "at a multiple");
                now += Nanos(*length);
                clock.end(now);
                prop_assert!(clock.due() >= now && clock.due() < now + Nanos(100), "never behind, never idle");
            }
            let PassAccount { passes, late, longest } = clock.told;
            prop_assert_eq!(passes, lengths.len() as u64);
            prop_assert_eq!(late, lengths.iter().map(|length| length.div_ceil(100) - 1).sum::<u64>());
            prop_assert_eq!(longest.0, *lengths.iter().max().unwrap());
        }
    }

    #[test]
    fn a_lost_link_is_tried_less_and_less_often() {
        let mut retry = Retry::default();
        let waits: Vec<u64> = (0..9).map(|_| retry.wait().0 / 1_000_000).collect();
        assert_eq!(waits, [100, 200, 400, 800, 1600, 3200, 5000, 5000, 5000]);
    }
}
