//! A signal that asks for the end: most commands end at once, a live run ends as it does after its time.

use std::sync::{Arc, Mutex, PoisonError};

/// What is told once that the end is asked for.
type Listener = Box<dyn FnOnce() + Send>;

/// Who wants to know that the end is asked for.
#[derive(Clone, Default)]
pub(crate) struct Stop(Arc<Mutex<Option<Listener>>>);

impl Stop {
    /// Says who wants to know; a second signal ends the program all the same.
    pub(crate) fn listen(&self, listener: impl FnOnce() + Send + 'static) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(Box::new(listener));
    }

    /// The end is asked for; false where nobody wants to know.
    pub(crate) fn ask(&self) -> bool {
        let listener = self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
        listener.map(|listener| listener()).is_some()
    }
}
