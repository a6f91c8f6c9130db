//! `history`: how long the history of live runs is kept.

use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::{Builder, TimeText};
use reigen_core::time::Nanos;
use serde::Deserialize;

/// What is dropped sooner than this would be missed by whoever comes back from lunch.
const LEAST: Nanos = Nanos(3_600_000_000_000);

/// `[history]`: what `reigen live --history` keeps.
#[derive(Debug, Default, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct HistoryTable {
    /// How long rows are kept, such as "30 days" [default: for ever].
    keep: Option<Spanned<TimeText>>,
}

impl HistoryTable {
    /// How long rows are kept; `None` for ever, or where an error has been noted.
    pub(crate) fn keep(&self, builder: &mut Builder<'_>) -> Option<Nanos> {
        let keep = self.keep.as_ref()?;
        let TimeText(time) = *keep.get_ref();
        if time < LEAST {
            let message = "a history keeps an hour at least".to_owned();
            builder.refuse(keep.span(), StationErrorKind::File(message));
            return None;
        }
        Some(time)
    }
}
