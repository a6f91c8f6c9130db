//! The history of a live run: which file, what of the station is kept, and what it goes on from.

use crate::failure::Failure;
use reigen_core::engine::Retained;
use reigen_core::lines::RecordedLine;
use reigen_history::{HistoryError, HistoryWriter, Kept, KeptPoint, NewSession, Store};
use reigen_run::retain::{Fitting, fitting, settings_of};
use reigen_run::station_file::StationFile;
use reigen_station::station::{FieldColumn, Station};
use std::path::Path;

/// What a history has of a station: `levels` is the number of its lines of two levels.
pub(crate) fn kept(station: &Station, levels: usize) -> Kept {
    let changing = station.points.iter().enumerate().filter(|(_, point)| !point.kind.fields().is_empty());
    Kept {
        levels,
        points: station.points.len(),
        changing: changing.map(|(number, _)| number).collect(),
        retaining: station.retained(),
    }
}

/// Opens a history, and tells what the station goes on from; beside a history that is damaged, a new one begins.
pub(crate) fn open(path: Option<&Path>, station: &StationFile) -> Result<Option<(Store, Fitting)>, Failure> {
    let Some(path) = path else {
        if let Some(point) = station.station.points.iter().find(|point| point.retains) {
            tracing::warn!(
                "{} is set to retain its state, which needs --history FILE.sqlite: it begins anew",
                point.name
            );
        }
        return Ok(None);
    };
    let store = match Store::open(path) {
        Err(HistoryError::Damaged { why, .. }) => {
            let beside = path.with_extension("new.sqlite");
            tracing::warn!("{} is damaged ({why}) and stays as it is: {} is begun", path.display(), beside.display());
            Store::open(&beside)
        }
        opened => opened,
    }?;
    let kept = fitting(station, store.kept()?);
    Ok(Some((store, kept)))
}

/// Begins a session of a history; `wake` lets the run look on.
pub(crate) fn begin(
    store: Store,
    station: &StationFile,
    lines: &[Vec<RecordedLine>; 2],
    resumed: &[(String, Retained)],
    wake: Box<dyn Fn() + Send>,
) -> Result<HistoryWriter, Failure> {
    let Kept { changing, retaining, .. } = kept(&station.station, 0);
    let points = changing.into_iter().filter_map(|number| {
        let point = station.station.points.get(number)?;
        let kind = match point.kind.fields().first().map(|field| field.column) {
            Some(FieldColumn::Count(_)) => "count",
            Some(FieldColumn::Reading(_)) => "reading",
            Some(FieldColumn::Bit(_)) | None => "bit",
        };
        let goes_on = || resumed.iter().find(|(name, _)| *name == point.name).map(|(_, state)| state.clone());
        let retains = retaining.contains(&number).then(|| (settings_of(station, number), goes_on()));
        let unit = point.kind.unit().map(str::to_owned);
        Some(KeptPoint { number, name: point.name.clone(), kind, unit, retains })
    });
    let points: Vec<_> = points.collect();
    let keep = station.station.history_keep;
    let session = NewSession { station: &station.name, lines: &lines.concat(), points: &points, keep };
    Ok(HistoryWriter::begin(store, &session, wake)?)
}
