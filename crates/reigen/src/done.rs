//! How a command ended.

/// How a command ended that did its work.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Completion {
    /// All is as it should be.
    Fine,
    /// Something is not as it was expected.
    Differs,
}
