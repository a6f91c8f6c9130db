//! What a link writes, and what becomes of it when the run ends.

use reigen_core::time::Nanos;

/// What is written is written again after this time, though it has not changed, where nothing else is said.
pub(super) const USUAL_REFRESH: Nanos = Nanos(1_000_000_000);

/// A point that a device is given.
#[derive(Debug, Clone, PartialEq)]
pub struct Output<P> {
    /// The point, by name.
    pub point: String,
    /// Where it goes.
    pub place: P,
    /// What becomes of it when the run ends.
    pub on_stop: OnStop,
}

/// What becomes of an output when the run ends.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum OnStop {
    /// A bit goes off, and a number stays.
    Off,
    /// It stays as it is.
    Hold,
    /// It becomes this; of a bit 0 is off, all else on.
    Becomes(f64),
}

/// The points that a link is given.
#[derive(Debug, Clone, PartialEq)]
pub struct Outputs<P> {
    /// Each of them.
    pub all: Vec<Output<P>>,
    /// How long before what has not changed is written again.
    pub refresh: Nanos,
}
