//! The end of a program from outside: a signal, after which a live run ends as it does after its time, or a fault of its own.

use std::sync::{Arc, Mutex, PoisonError};

/// What is told once that the end comes.
type Listener = Box<dyn FnOnce() + Send>;

/// Who wants to know that the end comes.
#[derive(Clone, Default)]
pub(crate) struct Stop {
    asked: Slot,
    panicked: Slot,
}

/// Who wants to know of one kind of end.
#[derive(Clone, Default)]
struct Slot(Arc<Mutex<Option<Listener>>>);

impl Slot {
    fn put(&self, listener: Listener) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = Some(listener);
    }

    fn take(&self) -> Option<Listener> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).take()
    }
}

impl Stop {
    /// Says who wants to know that the end is asked for; a second signal ends the program all the same.
    pub(crate) fn listen(&self, listener: impl FnOnce() + Send + 'static) {
        self.asked.put(Box::new(listener));
    }

    /// Says what is to be done before a fault of the program ends it.
    pub(crate) fn before_panic(&self, listener: impl FnOnce() + Send + 'static) {
        self.panicked.put(Box::new(listener));
    }

    /// The end is asked for; false where nobody wants to know.
    pub(crate) fn ask(&self) -> bool {
        self.asked.take().map(|listener| listener()).is_some()
    }

    /// The program has a fault, and is about to end.
    pub(crate) fn panicked(&self) {
        self.panicked.take().into_iter().for_each(|listener| listener());
    }
}
