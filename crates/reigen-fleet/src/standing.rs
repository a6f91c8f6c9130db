//! How the stations of a fleet stand: who works each, and how far.

use crate::error::FleetError;
use crate::kept::Kept;
use crate::runtime::runtime;
use crate::server::{Server, ServerAddress, subject_of};
use crate::states::{StateError, StateKeeper};
use crate::station::FleetStation;
use async_nats::jetstream::kv::Store;
use async_nats::jetstream::stream::{DirectGetErrorKind, Stream};
use std::time::Duration;

/// How a station stands.
#[derive(Debug, Clone, PartialEq)]
pub struct Standing {
    /// The station.
    pub station: String,
    /// Who works it now; `None` for nobody.
    pub worker: Option<String>,
    /// What the server keeps of it; `None` before the first state, or where it cannot be read.
    pub kept: Option<Kept>,
    /// Why what the server keeps cannot be read.
    pub unreadable: Option<String>,
    /// The newest message of its lines; `None` where there is none.
    pub newest_message: Option<u64>,
}

/// How stations stand, in their order.
///
/// # Errors
/// Where the server cannot be reached, or does not tell.
pub fn standings(stations: &[FleetStation], address: &ServerAddress) -> Result<Vec<Standing>, FleetError> {
    let runtime = runtime()?;
    runtime.block_on(async {
        let server = Server::reach(address).await?;
        let (lines, states) = (server.lines().await?, server.states().await?);
        let leases = server.leases(Duration::ZERO).await?;
        let mut standings = Vec::new();
        for station in stations {
            standings.push(standing(station, &lines, &states, &leases).await?);
        }
        Ok(standings)
    })
}

async fn standing(
    station: &FleetStation,
    lines: &Stream,
    states: &Store,
    leases: &Store,
) -> Result<Standing, FleetError> {
    let name = &station.name;
    let (kept, unreadable) = match StateKeeper::new(states.clone(), name).read().await {
        Ok(kept) => (kept, None),
        Err(StateError::Kept(error)) => (None, Some(error.to_string())),
        Err(StateError::Fleet(error)) => return Err(error),
    };
    let lease = leases.get(name).await;
    let lease = lease.map_err(|error| FleetError::refused(format!("tell who works {name}"), error))?;
    let worker = lease.filter(|text| !text.is_empty()).map(|text| {
        let text = String::from_utf8_lossy(&text).into_owned();
        text.rsplit_once(' ').map_or(text.clone(), |(worker, _)| worker.to_owned())
    });
    let newest_message = match lines.direct_get_last_for_subject(subject_of(name)).await {
        Ok(message) => Some(message.sequence),
        Err(error) if error.kind() == DirectGetErrorKind::NotFound => None,
        Err(error) => return Err(FleetError::refused(format!("tell the newest message of {name}"), error)),
    };
    Ok(Standing { station: name.clone(), worker, kept, unreadable, newest_message })
}
