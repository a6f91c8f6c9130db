//! What points are at present, for links that write them: filled after each window, and read by their threads.

use super::on_disk::OnDisk;
use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_station::station::Station;
use std::collections::{HashMap, VecDeque};
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::Duration;

/// What points are, and up to when they are worked.
#[derive(Debug, Clone)]
pub struct Board {
    numbers: Arc<HashMap<String, usize>>,
    shared: Arc<Shared>,
    /// The points whose totals are given out once they are on the disk, and the last of each that came.
    kept: HashMap<usize, Option<Value>>,
    on_disk: OnDisk,
    waiting: VecDeque<(Nanos, usize, Value)>,
}

#[derive(Debug, Default)]
struct Shared {
    state: Mutex<State>,
    /// Told after each window, and at the end.
    worked: Condvar,
    /// Told where a point has changed, and at the end.
    changed: Condvar,
    /// Told at the end alone: who only sleeps is not woken by the work of others.
    ended: Condvar,
}

#[derive(Debug, Default)]
struct State {
    worked_until: Nanos,
    values: Vec<Option<Value>>,
    /// How many windows have changed any of them.
    changes: u64,
    is_over: bool,
}

impl Board {
    /// The board of a station.
    pub fn new(station: &Station) -> Self {
        let names = station.points.iter().enumerate().map(|(number, point)| (point.name.clone(), number));
        let state = State { values: vec![None; station.points.len()], ..State::default() };
        let shared = Shared { state: Mutex::new(state), ..Shared::default() };
        Self {
            numbers: Arc::new(names.collect()),
            shared: Arc::new(shared),
            kept: HashMap::new(),
            on_disk: OnDisk::default(),
            waiting: VecDeque::new(),
        }
    }

    /// Gives out the totals of these points once they are on the disk.
    pub fn keep_back(&mut self, points: &[usize], on_disk: OnDisk) {
        self.kept = points.iter().map(|point| (*point, None)).collect();
        self.on_disk = on_disk;
    }

    /// Whether a value is a total that is kept back: it waits, where it is a new one.
    fn waits(&mut self, point: usize, value: Option<Value>, until: Nanos) -> bool {
        let (Some(total @ (Value::Integer(_) | Value::Real(_))), Some(last)) = (value, self.kept.get_mut(&point))
        else {
            return false;
        };
        if last.replace(total) != Some(total) {
            self.waiting.push_back((until, point, total));
        }
        true
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.shared.state.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits until all is worked up to a time, or for so long at most; gives whether the run goes on.
    pub fn wait_until_worked(&self, time: Nanos, at_most: Duration) -> bool {
        let is_waiting = |state: &mut State| state.worked_until <= time && !state.is_over;
        let waited = self.shared.worked.wait_timeout_while(self.state(), at_most, is_waiting);
        !waited.unwrap_or_else(PoisonError::into_inner).0.is_over
    }

    /// Waits until a point has changed since so many changes, or for so long at most; gives how many there are now, or
    /// `None` where the run is over.
    pub fn wait_for_change(&self, seen: u64, at_most: Duration) -> Option<u64> {
        let is_waiting = |state: &mut State| state.changes == seen && !state.is_over;
        let waited = self.shared.changed.wait_timeout_while(self.state(), at_most, is_waiting);
        let state = waited.unwrap_or_else(PoisonError::into_inner).0;
        (!state.is_over).then_some(state.changes)
    }

    /// Sleeps for so long, or until the run is over; gives whether it goes on.
    pub fn sleep(&self, length: Duration) -> bool {
        let waited = self.shared.ended.wait_timeout_while(self.state(), length, |state| !state.is_over);
        !waited.unwrap_or_else(PoisonError::into_inner).0.is_over
    }

    /// Whether the run goes on.
    pub fn goes_on(&self) -> bool {
        !self.state().is_over
    }

    /// What a point is.
    pub fn value(&self, point: &str) -> Option<Value> {
        let number = *self.numbers.get(point)?;
        self.state().values.get(number).copied().flatten()
    }

    /// A point is this, whatever it was.
    pub fn set(&mut self, point: usize, value: Value) {
        let mut state = self.state();
        if let Some(slot) = state.values.get_mut(point)
            && slot.replace(value) != Some(value)
        {
            state.changes += 1;
            self.shared.changed.notify_all();
        }
    }

    /// The run is over: links bring their outputs to rest.
    pub fn end(&self) {
        self.state().is_over = true;
        self.shared.worked.notify_all();
        self.shared.changed.notify_all();
        self.shared.ended.notify_all();
    }
}

impl Observer for Board {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let until = view.window.until;
        let mut now = Vec::new();
        for columns in view.engine.points() {
            let bit = || columns.bit().and_then(|bit| bit.last_level()).map(Value::Bit);
            let count = || columns.count().and_then(|count| count.last()).map(Value::Integer);
            let reading = || columns.reading().and_then(|reading| reading.last()).map(Value::Real);
            let value = bit().or_else(count).or_else(reading);
            if !self.waits(columns.point, value, until) {
                now.push((columns.point, value));
            }
        }
        let Self { waiting, on_disk, .. } = &mut *self;
        while let Some((_, point, value)) = waiting.pop_front_if(|(until, ..)| on_disk.has(*until)) {
            now.push((point, Some(value)));
        }
        let mut state = self.state();
        let mut has_changed = false;
        for (point, value) in now {
            if let Some(known) = state.values.get_mut(point) {
                has_changed |= *known != value;
                *known = value;
            }
        }
        state.worked_until = until;
        if has_changed {
            state.changes += 1;
            self.shared.changed.notify_all();
        }
        self.shared.worked.notify_all();
        Ok(())
    }
}
