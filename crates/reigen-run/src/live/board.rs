//! What points are at present, for links that write them: filled after each window, and read by their threads.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_station::station::Station;
use std::collections::HashMap;
use std::sync::{Arc, Condvar, Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// What points are, and up to when they are worked.
#[derive(Debug, Clone)]
pub struct Board {
    numbers: Arc<HashMap<String, usize>>,
    shared: Arc<(Mutex<State>, Condvar)>,
}

#[derive(Debug, Default)]
struct State {
    worked_until: Nanos,
    values: Vec<Option<Value>>,
    is_over: bool,
}

impl Board {
    /// The board of a station.
    pub fn new(station: &Station) -> Self {
        let names = station.points.iter().enumerate().map(|(number, point)| (point.name.clone(), number));
        let state = State { values: vec![None; station.points.len()], ..State::default() };
        Self { numbers: Arc::new(names.collect()), shared: Arc::new((Mutex::new(state), Condvar::new())) }
    }

    fn state(&self) -> MutexGuard<'_, State> {
        self.shared.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Waits until all is worked up to a time, or for so long at most; gives whether the run goes on.
    pub fn wait_until_worked(&self, time: Nanos, at_most: Duration) -> bool {
        let deadline = Instant::now() + at_most;
        let mut state = self.state();
        while state.worked_until <= time && !state.is_over {
            let Some(left) = deadline.checked_duration_since(Instant::now()).filter(|left| !left.is_zero()) else {
                break;
            };
            let waited = self.shared.1.wait_timeout(state, left);
            state = waited.unwrap_or_else(PoisonError::into_inner).0;
        }
        !state.is_over
    }

    /// Sleeps for so long, or until the run is over; gives whether it goes on.
    pub fn sleep(&self, length: Duration) -> bool {
        self.wait_until_worked(Nanos(u64::MAX), length)
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

    /// The run is over: links bring their outputs to rest.
    pub fn end(&self) {
        self.state().is_over = true;
        self.shared.1.notify_all();
    }
}

impl Observer for Board {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        let mut state = self.shared.0.lock().unwrap_or_else(PoisonError::into_inner);
        for columns in view.engine.points() {
            let bit = || columns.bit().and_then(|bit| bit.last_level()).map(Value::Bit);
            let count = || columns.count().and_then(|count| count.last()).map(Value::Integer);
            let reading = || columns.reading().and_then(|reading| reading.last()).map(Value::Real);
            if let Some(value) = state.values.get_mut(columns.point) {
                *value = bit().or_else(count).or_else(reading);
            }
        }
        state.worked_until = view.window.until;
        self.shared.1.notify_all();
        Ok(())
    }
}
