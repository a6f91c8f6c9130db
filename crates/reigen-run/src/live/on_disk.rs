//! What is shown of a run with a history is on the disk before.

use super::changes::{PointChange, TakeChanges};
use crate::error::RunError;
use reigen_core::time::Nanos;
use std::collections::VecDeque;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Up to when a run is on the disk.
#[derive(Debug, Clone, Default)]
pub struct OnDisk(Arc<AtomicU64>);

impl OnDisk {
    /// All before a time is on the disk.
    pub fn reached(&self, until: Nanos) {
        self.0.fetch_max(until.0, Ordering::AcqRel);
    }

    /// Nothing more is waited for: the run is over, or its history has stopped.
    pub fn all(&self) {
        self.0.store(u64::MAX, Ordering::Release);
    }

    /// Whether all before a time is on the disk.
    pub fn has(&self, until: Nanos) -> bool {
        self.0.load(Ordering::Acquire) >= until.0
    }
}

/// Keeps changes back until they are on the disk.
pub struct Held<T> {
    on_disk: OnDisk,
    waiting: VecDeque<(Nanos, Vec<PointChange>)>,
    taker: T,
}

impl<T: TakeChanges> Held<T> {
    /// What hands changes on once they are on the disk.
    pub fn new(on_disk: OnDisk, taker: T) -> Self {
        Self { on_disk, waiting: VecDeque::new(), taker }
    }
}

impl<T: TakeChanges> TakeChanges for Held<T> {
    fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
        if !changes.is_empty() {
            self.waiting.push_back((until, changes.to_vec()));
        }
        while let Some((until, changes)) = self.waiting.pop_front_if(|(until, _)| self.on_disk.has(*until)) {
            self.taker.take(&changes, until)?;
        }
        // Time passes on, up to what waits.
        match self.waiting.front() {
            Some(_) => Ok(()),
            None => self.taker.take(&[], until),
        }
    }

    fn finish(&mut self) -> Result<(), RunError> {
        self.waiting.drain(..).try_for_each(|(until, changes)| self.taker.take(&changes, until))?;
        self.taker.finish()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::logic::expression::Value;

    #[derive(Default)]
    struct Shown(Vec<(u64, usize)>);

    impl TakeChanges for &mut Shown {
        fn take(&mut self, changes: &[PointChange], until: Nanos) -> Result<(), RunError> {
            self.0.push((until.0, changes.len()));
            Ok(())
        }
    }

    #[test]
    fn a_change_is_shown_once_it_is_on_the_disk_and_the_rest_at_the_end() {
        let (mut shown, on_disk) = (Shown::default(), OnDisk::default());
        let mut held = Held::new(on_disk.clone(), &mut shown);
        let change = PointChange { time: Nanos(1), point: 0, value: Value::Bit(true) };
        held.take(&[change], Nanos(10)).unwrap();
        held.take(&[change, change], Nanos(20)).unwrap();
        on_disk.reached(Nanos(10));
        held.take(&[], Nanos(30)).unwrap();
        on_disk.reached(Nanos(20));
        on_disk.reached(Nanos(15));
        held.take(&[], Nanos(40)).unwrap();
        held.take(&[change], Nanos(50)).unwrap();
        held.finish().unwrap();
        assert_eq!(shown.0, [(10, 1), (20, 2), (40, 0), (50, 1)]);
    }
}
