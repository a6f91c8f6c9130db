//! The changes of points, as they happen.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::finding::Finding;
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;

/// A point took a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct PointChange {
    /// When.
    pub time: Nanos,
    /// The number of the point.
    pub point: usize,
    /// What.
    pub value: Value,
}

/// What takes the changes of a window, in the order of time.
pub trait TakeChanges: Send {
    /// Takes them; the window ends before `until`.
    ///
    /// # Errors
    /// Where it cannot go on, and the run is to end.
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError>;

    /// The run is over.
    ///
    /// # Errors
    /// As [`take`](Self::take).
    fn finish(&mut self) -> Result<(), RunError> {
        Ok(())
    }
}

impl<T: TakeChanges + ?Sized> TakeChanges for Box<T> {
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
        (**self).take(changes, until)
    }

    fn finish(&mut self) -> Result<(), RunError> {
        (**self).finish()
    }
}

/// Whoever is there takes them.
impl<T: TakeChanges> TakeChanges for Option<T> {
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
        self.as_mut().map_or(Ok(()), |taker| taker.take(changes, until))
    }

    fn finish(&mut self) -> Result<(), RunError> {
        self.as_mut().map_or(Ok(()), T::finish)
    }
}

/// Both take them.
impl<A: TakeChanges, B: TakeChanges> TakeChanges for (A, B) {
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
        self.0.take(changes, until)?;
        self.1.take(changes, until)
    }

    fn finish(&mut self) -> Result<(), RunError> {
        self.0.finish()?;
        self.1.finish()
    }
}

/// Changes are kept until somebody fetches them.
impl TakeChanges for Vec<PointChange> {
    fn take(&mut self, changes: &[PointChange], _until: Nanos) -> Result<(), RunError> {
        self.extend_from_slice(changes);
        Ok(())
    }
}

/// Hands over the changes of the main values of some points.
pub struct PointChanges<T> {
    /// For each point whether its changes are wanted.
    wanted: Vec<bool>,
    /// For each point whether its first level has been told.
    begun: Vec<bool>,
    changes: Vec<PointChange>,
    taker: T,
}

impl<T: TakeChanges> PointChanges<T> {
    /// The changes of the points with these numbers.
    pub fn new(points: usize, wanted: &[usize], taker: T) -> Self {
        let wanted = (0..points).map(|point| wanted.contains(&point)).collect();
        Self { wanted, begun: vec![false; points], changes: Vec::new(), taker }
    }
}

impl PointChanges<Vec<PointChange>> {
    /// The changes since it was last asked.
    pub fn fetch(&mut self) -> Vec<PointChange> {
        std::mem::take(&mut self.taker)
    }
}

impl<T: TakeChanges> Observer for PointChanges<T> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        self.changes.clear();
        for columns in view.engine.points() {
            let point = columns.point;
            let Some(begun) = self.begun.get_mut(point).filter(|_| self.wanted.get(point) == Some(&true)) else {
                continue;
            };
            let mut push = |time: Nanos, value: Value| self.changes.push(PointChange { time, point, value });
            if let Some((bit, level)) = columns.bit().and_then(|bit| Some((bit, bit.level?))) {
                if !std::mem::replace(begun, true) {
                    push(bit.since, Value::Bit(level));
                }
                let levels = bit.toggles.iter().zip([!level, level].into_iter().cycle());
                levels.for_each(|(&at, on)| push(at, Value::Bit(on)));
            } else if let Some(count) = columns.count() {
                count.times.iter().zip(&count.values).for_each(|(&at, &value)| push(at, Value::Integer(value)));
            } else if let Some(reading) = columns.reading() {
                reading.times.iter().zip(&reading.values).for_each(|(&at, &value)| push(at, Value::Real(value)));
            }
        }
        self.changes.sort_by_key(|change| (change.time, change.point));
        self.taker.take(&self.changes, view.window.until)
    }

    fn finish(&mut self, _end: Nanos) -> Result<Vec<Finding>, RunError> {
        self.taker.finish()?;
        Ok(Vec::new())
    }
}
