//! The code of a station file.

use crate::lower::{Source, lower};
use crate::model::Code;
use reigen_core::lines::RecordedLine;
use reigen_core::time::Nanos;
use reigen_station::station::plan::compile;
use reigen_station::station::{Station, StationError, version_of};

/// Why a station gives no code.
#[derive(Debug, thiserror::Error)]
pub enum CodeError {
    /// A controller works in scans.
    #[error("a controller works in scans, and the station has none")]
    NoScan,
    /// The clock of a controller counts µs.
    #[error("the period of the scan is {0}, and controllers count whole µs")]
    Period(Nanos),
    /// It does not fit its own lines.
    #[error("the station does not fit its own lines")]
    Lines(Vec<StationError>),
}

/// A µs.
const US: u64 = 1000;

/// Makes the code of a station; `lines` are those that it names, `text` is that of its file, and `has_edges` says whether the language has a
/// place for what happens between scans.
///
/// # Errors
/// Where it has no scan, or one that no controller can have.
pub fn code_of(station: &Station, text: &str, lines: &[RecordedLine], has_edges: bool) -> Result<Code, CodeError> {
    let scan = station.scan.ok_or(CodeError::NoScan)?;
    if !scan.period.0.is_multiple_of(US) {
        return Err(CodeError::Period(scan.period));
    }
    let plan = compile(station, lines, Nanos(US)).map_err(CodeError::Lines)?;
    Ok(lower(Source { station, text, plan: &plan, scan, version: &version_of(text), has_edges }))
}
