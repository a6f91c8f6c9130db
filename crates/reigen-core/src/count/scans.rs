//! Counting scans: once each while a bit is on, as a counter without edges does.

use super::counter::{AtLast, Counter, CounterColumns, InputLevels, Range, Reads};
use crate::condition::debounce::ReadingTimes;
use crate::time::{Nanos, Window};

/// Scans in a row in which nothing changes.
#[derive(Debug, Clone, Copy)]
struct Alike {
    first: Nanos,
    count: u64,
    period: Nanos,
    /// What stands at the counter's inputs.
    held: InputLevels,
    /// Whether the bits that count up and down are on.
    on: [usize; 2],
}

impl Reads<'_> {
    /// Whether the bits that count up and down are on.
    fn on(&self) -> [usize; 2] {
        [self.ports.up, self.ports.down].map(|port| usize::from(port.is_some_and(|port| self.instants.level(port))))
    }
}

impl Counter {
    /// Counts the scans of a window.
    pub(super) fn work_scans(
        &mut self,
        times: ReadingTimes,
        window: Window,
        reads: &mut Reads<'_>,
        outputs: &mut CounterColumns<'_>,
    ) {
        let mut from = window.from;
        // What holds it as the window begins; what it loads has been taken as far as that.
        let mut held = if self.state.started { reads.held(Nanos(0)) } else { InputLevels::default() };
        if !self.state.started {
            let Some(start) = reads.instants.advance() else { return };
            self.show_start(start, outputs);
            held = reads.held(start);
            self.instant(start, held, [0, 0], outputs);
            from = from.max(start);
        }
        let mut reading = times.at_or_after(from);
        loop {
            let change = reads.instants.next_change();
            let on = reads.on();
            // While no bit is on, no reading counts.
            let due = Some(reading).filter(|_| on != [0, 0]);
            let loads = reads.load_to.next(held);
            let within = due.filter(|due| *due < window.until);
            let Some(time) = [change, loads, within].into_iter().flatten().min() else {
                self.state.due = due;
                return;
            };
            if change != Some(time) && within != Some(time) {
                // What is loaded steps while it is.
                held = reads.held(time);
                self.instant(time, held, [0, 0], outputs);
                reading = reading.max(times.at_or_after(time));
                continue;
            }
            if change != Some(time) {
                held = reads.held(time);
                let until = [change, reads.load_to.next(held)].into_iter().flatten().fold(window.until, Nanos::min);
                let count = until.saturating_sub(time).0.div_ceil(times.period.0).max(1);
                self.count_alike(Alike { first: time, count, period: times.period, held, on }, window, outputs);
                reading = Nanos(time.0.saturating_add(times.period.0.saturating_mul(count)));
                continue;
            }
            reads.instants.advance();
            held = reads.held(time);
            reading = reading.max(times.at_or_after(time));
            let counts = if reading == time { reads.on() } else { [0, 0] };
            self.instant(time, held, counts, outputs);
            if reading == time {
                reading = time + times.period;
            }
        }
    }

    /// Counts scans in which nothing changes: as one after another, and many at once where nobody looks at each value.
    fn count_alike(&mut self, scans: Alike, window: Window, outputs: &mut CounterColumns<'_>) {
        let Alike { first, count, period, held, on: [up, down] } = scans;
        self.instant(first, held, [up, down], outputs);
        let stands = held.reset || held.load || held.gate_closed || up == down;
        if stands && self.told.is_none() {
            return;
        }
        let step = if up > down { 1 } else { -1 };
        let most_at_once =
            self.values_enough.map_or(0, |enough| self.scans_within(window, period).div_ceil(enough.max(1)));
        let (mut time, mut left) = (first, count - 1);
        while left > 0 {
            let free = if stands { 0 } else { self.free_steps(step) };
            let at_once = free.min(left).min(most_at_once).min(i64::MAX.unsigned_abs());
            if at_once > 0 {
                self.step_often(step, at_once);
                self.state.total = self.state.total.saturating_add(step * at_once.cast_signed());
                time += Nanos(period.0.saturating_mul(at_once));
                left -= at_once;
                self.show(time, outputs);
                continue;
            }
            if self.told.is_none() && self.is_blocked(step) {
                self.state.lost += left;
                return;
            }
            time += period;
            left -= 1;
            self.instant(time, held, [up, down], outputs);
        }
    }

    fn scans_within(&self, window: Window, period: Nanos) -> u64 {
        window.until.saturating_sub(window.from).0 / period.0
    }

    /// Whether it comes back to the same values again and again.
    pub(super) fn goes_round(&self) -> bool {
        let restarts = self.settings.at_last == AtLast::Restart && !self.settings.presets.is_empty();
        restarts || self.settings.range.is_some_and(|range| range.wraps)
    }

    /// Whether nothing happens at any value but that it goes from one end of its range to the other.
    pub(super) fn only_wraps(&self) -> bool {
        let wraps = self
            .settings
            .range
            .is_some_and(|range| range.wraps && (range.least..=range.most).contains(&self.state.value));
        wraps && self.settings.presets.is_empty() && !self.watches_zero()
    }

    /// Whether a limit keeps it from counting so, now and from now on.
    pub(super) fn is_blocked(&self, step: i64) -> bool {
        let next = self.state.value.checked_add(step);
        match self.settings.range {
            None => next.is_none(),
            Some(Range { wraps: true, .. }) => false,
            Some(Range { least, most, .. }) => !next.is_some_and(|next| (least..=most).contains(&next)),
        }
    }

    /// Makes so many steps at which nothing happens but, where it [`only_wraps`](Self::only_wraps), that.
    pub(super) fn step_often(&mut self, step: i64, steps: u64) {
        let next = i128::from(self.state.value) + i128::from(step) * i128::from(steps);
        let Some(Range { least, most, .. }) = self.settings.range.filter(|_| self.only_wraps()) else {
            self.state.value = i64::try_from(next).unwrap_or(self.state.value);
            return;
        };
        let (least, size) = (i128::from(least), i128::from(most) - i128::from(least) + 1);
        let rounds = (next - least).div_euclid(size).unsigned_abs();
        self.state.wraps = self.state.wraps.saturating_add(u64::try_from(rounds).unwrap_or(u64::MAX));
        self.state.value = i64::try_from(least + (next - least).rem_euclid(size)).unwrap_or(self.state.value);
    }

    /// How many steps it can surely make at once.
    pub(super) fn free_steps(&self, step: i64) -> u64 {
        if self.only_wraps() { u64::MAX } else { self.steps_before_anything(step) }
    }

    /// How many steps it can surely make before it reaches a preset, zero or a limit.
    fn steps_before_anything(&self, step: i64) -> u64 {
        let [least, most] = self.settings.range.map_or([i64::MIN, i64::MAX], |range| [range.least, range.most]);
        // A value beyond its limits, as one loaded may be, is looked at step by step.
        let [least, most] =
            if (least..=most).contains(&self.state.value) { [least, most] } else { [self.state.value; 2] };
        let presets = &self.settings.presets;
        let reached = presets.partition_point(|&preset| preset <= self.state.value);
        if step > 0 {
            let preset = presets.get(reached).map_or(u64::MAX, |preset| self.state.value.abs_diff(*preset) - 1);
            let zero =
                if self.watches_zero() && self.state.value <= 0 { self.state.value.abs_diff(0) } else { u64::MAX };
            preset.min(self.state.value.abs_diff(most)).min(zero)
        } else {
            let preset = reached.checked_sub(1).and_then(|last| presets.get(last));
            let preset = preset.map_or(u64::MAX, |preset| self.state.value.abs_diff(*preset));
            let zero =
                if self.watches_zero() && self.state.value > 0 { self.state.value.abs_diff(1) } else { u64::MAX };
            preset.min(self.state.value.abs_diff(least)).min(zero)
        }
    }
}
