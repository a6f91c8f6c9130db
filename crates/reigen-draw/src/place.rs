//! Places on a picture.

/// Where a row is on the picture.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Place {
    pub(crate) left: i32,
    pub(crate) right: i32,
    pub(crate) top: i32,
    pub(crate) bottom: i32,
}
