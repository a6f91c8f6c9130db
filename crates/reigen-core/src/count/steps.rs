//! Counting by the steps of a register: many counts at once, at the time of a sample.

use super::counter::{AtLast, Counter, CounterColumns, InputLevels, Reads};
use crate::column::CountColumn;
use crate::event::{EventKind, SkipReason};
use crate::time::Nanos;

/// Of one sample so many rounds are counted one by one, each with its pulse of `.done`; the rest as a whole.
const MOST_ROUNDS: u64 = 100_000;

impl Counter {
    /// Counts the steps of a window; those before all bits have a level count for nothing.
    pub(super) fn work_steps(&mut self, steps: &CountColumn, reads: &mut Reads<'_>, outputs: &mut CounterColumns<'_>) {
        let mut start = Nanos(0);
        let mut held = if self.state.started { reads.held(Nanos(0)) } else { InputLevels::default() };
        if !self.state.started {
            let Some(first) = reads.instants.advance() else { return };
            self.show_start(first, outputs);
            held = reads.held(first);
            self.step_instant(first, held, 0, outputs);
            start = first;
        }
        let samples = steps.times.iter().copied().zip(steps.values.iter().copied());
        let mut samples = samples.skip_while(|(time, _)| *time < start).peekable();
        loop {
            let change = reads.instants.next_change();
            let sample = samples.peek().map(|(time, _)| *time);
            // What is loaded may step while it is.
            let loads = reads.load_to.next(held);
            let Some(time) = [change, sample, loads].into_iter().flatten().min() else { return };
            if change == Some(time) {
                reads.instants.advance();
            }
            let steps = samples.next_if(|(sample, _)| *sample == time).map_or(0, |(_, steps)| steps);
            held = reads.held(time);
            self.step_instant(time, held, steps, outputs);
        }
    }

    /// One instant: reset, then load, then the steps where the gate lets them in.
    fn step_instant(&mut self, time: Nanos, held: InputLevels, steps: i64, outputs: &mut CounterColumns<'_>) {
        match held.stops() {
            None => {
                let pulses = self.go(time, steps, MOST_ROUNDS);
                // Each restart has been `.done` for no time at all.
                (0..pulses).for_each(|_| outputs.done.toggles.extend([time, time]));
            }
            Some(why) => {
                self.stand(held);
                if steps != 0 {
                    self.tell(time, EventKind::NotCounted(why));
                }
            }
        }
        self.show(time, outputs);
    }

    /// Goes so many steps up or down; gives how often the last preset sent it back to its start.
    pub(super) fn go(&mut self, time: Nanos, steps: i64, most_rounds: u64) -> u64 {
        let step = steps.signum();
        let rounds = self.rounds_at_once(steps, most_rounds);
        let (mut left, mut restarts) = (steps.unsigned_abs() - rounds.map_or(0, |(rounds, round)| rounds * round), 0);
        while left > 0 {
            let at_once = self.free_steps(step).min(left).min(i64::MAX.unsigned_abs());
            if at_once > 0 {
                self.step_often(step, at_once);
                self.state.total = self.state.total.saturating_add(step * at_once.cast_signed());
                left -= at_once;
                continue;
            }
            if self.is_blocked(step) {
                self.state.lost = self.state.lost.saturating_add(left);
                self.tell(time, EventKind::NotCounted(SkipReason::Limit));
                break;
            }
            restarts += u64::from(self.count(time, step));
            left -= 1;
        }
        // It goes in rounds by now, and a whole one leads to where it began.
        if let Some((rounds, round)) = rounds {
            self.count_rounds(step, rounds, round);
        }
        restarts
    }

    /// The rounds that are not gone step by step, and how many steps one has.
    fn rounds_at_once(&self, steps: i64, most_rounds: u64) -> Option<(u64, u64)> {
        let (settings, value) = (&self.settings, self.state.value);
        let restarts = steps > 0 && settings.at_last == AtLast::Restart;
        let range = settings.range.filter(|range| range.wraps);
        let size = range.and_then(|range| range.most.abs_diff(range.least).checked_add(1));
        // It may begin beside its round, and then takes a way of its own to it.
        let (round, way) = match settings.presets.last().filter(|_| restarts) {
            Some(last) if value < *last => (last.abs_diff(settings.start), value.abs_diff(*last)),
            Some(last) => (last.abs_diff(settings.start), size?.checked_mul(2)?),
            None if self.only_wraps() => return None,
            None => (size?, size?),
        };
        let rounds = (steps.unsigned_abs().checked_sub(way)? / round.max(1)).checked_sub(most_rounds)?;
        (rounds > 0).then_some((rounds, round))
    }

    fn count_rounds(&mut self, step: i64, rounds: u64, round: u64) {
        let Counter { settings, state, .. } = self;
        let steps = i64::try_from(rounds.saturating_mul(round)).unwrap_or(i64::MAX);
        state.total = state.total.saturating_add(step * steps);
        let restarts = step > 0 && settings.at_last == AtLast::Restart;
        if !restarts {
            state.wraps = state.wraps.saturating_add(rounds);
        }
        for (hits, preset) in state.preset_hits.iter_mut().zip(&settings.presets) {
            if step > 0 && (!restarts || *preset > settings.start) {
                *hits = hits.saturating_add(rounds);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::counter::{Range, Settings, Sources};
    use super::*;
    use proptest::prelude::*;

    fn settings() -> impl Strategy<Value = Settings> {
        let presets = prop::collection::btree_set(-6..12i64, 0..4);
        let range = prop::option::of((-9..-6i64, 12..15i64, any::<bool>()));
        (presets, range, any::<bool>(), any::<bool>()).prop_map(|(presets, range, restarts, tells_zero)| {
            let presets: Vec<i64> = presets.into_iter().collect();
            let restarts = restarts && presets.last().is_some_and(|last| *last > 0);
            Settings {
                at_last: if restarts { AtLast::Restart } else { AtLast::GoOn },
                range: range.map(|(least, most, wraps)| Range { least, most, wraps }),
                presets,
                tells_zero,
                ..Settings::default()
            }
        })
    }

    proptest! {
        #[test]
        fn many_steps_at_once_are_as_many_counts(
            settings in settings(),
            steps in prop::collection::vec(-300..300i64, 1..5),
            most_rounds in 1..9u64,
        ) {
            let mut counter = Counter::new(settings.clone(), Sources::default());
            let mut plain = Counter::new(settings, Sources::default());
            counter.state.started = true;
            plain.state.started = true;
            for steps in steps {
                counter.go(Nanos(0), steps, most_rounds);
                for _ in 0..steps.unsigned_abs() {
                    plain.count(Nanos(0), steps.signum());
                }
                prop_assert_eq!(counter.summary(), plain.summary(), "{} steps", steps);
            }
        }
    }
}
