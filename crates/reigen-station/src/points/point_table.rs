//! From a table of one kind of point to the point.

use super::PointKind;
use crate::table::Description;
use crate::table::builder::Builder;
use serde::de::DeserializeOwned;

/// A table of one kind of point, as it stands in the file.
pub trait PointTable: DeserializeOwned {
    /// What it makes.
    type Point: PointKind;

    /// Takes out what stands beside the point in the list to wire from.
    fn described(&mut self) -> Description;

    /// Whether it goes on from its last state when a live run starts again.
    fn retains(&self) -> bool {
        false
    }

    /// Checks the table and makes the point of it; `None` where an error has been noted.
    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point>;
}

/// Writes [`PointTable::described`] for a table with the keys `address` and `remark`, which every point may have.
macro_rules! takes_description {
    () => {
        fn described(&mut self) -> crate::table::Description {
            crate::table::Description { address: self.address.take(), remark: self.remark.take() }
        }
    };
}
pub(crate) use takes_description;
