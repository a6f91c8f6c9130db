//! The history of a live run: which file, and what of the station is kept.

use crate::failure::Failure;
use reigen_core::lines::RecordedLine;
use reigen_history::{HistoryError, HistoryWriter, KeptPoint, NewSession, Store};
use reigen_run::station_file::StationFile;
use reigen_station::station::{FieldColumn, Station};
use std::path::Path;

/// The points that have values, by their numbers.
pub(crate) fn kept_points(station: &Station) -> Vec<usize> {
    let points = station.points.iter().enumerate().filter(|(_, point)| !point.kind.fields().is_empty());
    points.map(|(number, _)| number).collect()
}

/// Begins a session of a history; beside one that is damaged, a new one begins.
pub(crate) fn begin(
    path: &Path,
    station: &StationFile,
    lines: &[Vec<RecordedLine>; 2],
) -> Result<HistoryWriter, Failure> {
    let store = match Store::open(path) {
        Err(HistoryError::Damaged { why, .. }) => {
            let beside = path.with_extension("new.sqlite");
            tracing::warn!("{} is damaged ({why}) and stays as it is: {} is begun", path.display(), beside.display());
            Store::open(&beside)
        }
        opened => opened,
    }?;
    let points = kept_points(&station.station).into_iter().filter_map(|number| {
        let point = station.station.points.get(number)?;
        let kind = match point.kind.fields().first().map(|field| field.column) {
            Some(FieldColumn::Count(_)) => "count",
            Some(FieldColumn::Reading(_)) => "reading",
            Some(FieldColumn::Bit(_)) | None => "bit",
        };
        let unit = point.kind.unit().map(str::to_owned);
        Some(KeptPoint { number, name: point.name.clone(), kind, unit })
    });
    let points: Vec<_> = points.collect();
    let session = NewSession { station: &station.name, lines: &lines.concat(), points: &points };
    Ok(HistoryWriter::begin(store, &session)?)
}
