//! What asynchronous work runs on, within the thread that asks for it.

use crate::error::FleetError;
use tokio::runtime::{Builder, Runtime};

/// A runtime for this thread.
pub(crate) fn runtime() -> Result<Runtime, FleetError> {
    let made = Builder::new_current_thread().enable_all().build();
    made.map_err(|error| FleetError::Local(format!("no connection can be made here: {error}")))
}
