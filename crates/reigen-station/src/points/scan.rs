//! `scan`: inputs as a cyclic controller sees them.

use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::{Builder, TimeText};
use reigen_core::condition::debounce::ReadingTimes;
use reigen_core::time::Nanos;
use serde::Deserialize;

/// `[scan]`: the controller reads its inputs once in a period.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct ScanTable {
    /// Time between two scans.
    period: Spanned<TimeText>,
    /// Time of the first scan [default: 0].
    phase: Option<TimeText>,
}

impl ScanTable {
    /// When every line is read; `None` where an error has been noted.
    pub(crate) fn build(&self, builder: &mut Builder<'_>) -> Option<ReadingTimes> {
        let TimeText(period) = *self.period.get_ref();
        if period == Nanos(0) {
            let message = "the period of a scan must be above zero".to_owned();
            builder.refuse(self.period.span(), StationErrorKind::File(message));
            return None;
        }
        let phase = self.phase.map_or(Nanos(0), |TimeText(phase)| phase);
        Some(ReadingTimes { period, phase, catch: false })
    }
}
