//! When something comes due though no line changes.

use crate::error::RunError;
use crate::observer::{Observer, WindowView};
use reigen_core::time::Nanos;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// The next time at which something is due, for whoever waits for it.
#[derive(Debug, Clone)]
pub struct NextDue(Arc<AtomicU64>);

/// Nothing is due.
const NEVER: u64 = u64::MAX;

impl Default for NextDue {
    fn default() -> Self {
        Self(Arc::new(AtomicU64::new(NEVER)))
    }
}

impl NextDue {
    /// When that is; `None` for never.
    pub fn get(&self) -> Option<Nanos> {
        Some(Nanos(self.0.load(Ordering::Relaxed))).filter(|due| due.0 != NEVER)
    }
}

impl Observer for NextDue {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        self.0.store(view.engine.next_due().map_or(NEVER, |due| due.0), Ordering::Relaxed);
        Ok(())
    }
}
