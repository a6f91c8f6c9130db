//! The states of stations on the server: the later message wins.

use crate::error::FleetError;
use crate::kept::{Kept, KeptError};
use async_nats::jetstream::kv::{CreateErrorKind, Store, UpdateErrorKind};

/// What one station's worker reads and writes.
pub(crate) struct StateKeeper {
    store: Store,
    station: String,
    /// The entry that the next one replaces; 0 for none.
    revision: u64,
}

/// What became of a state.
#[derive(Debug, PartialEq)]
pub(crate) enum Written {
    Done,
    /// The server did not answer: perhaps it has it, perhaps not.
    Unsure(String),
    /// Another worker is as far or further.
    Overtaken(Box<Kept>),
}

/// Why a state cannot be read or written.
#[derive(Debug, thiserror::Error)]
pub(crate) enum StateError {
    #[error(transparent)]
    Fleet(#[from] FleetError),
    #[error(transparent)]
    Kept(#[from] KeptError),
}

impl StateKeeper {
    pub(crate) fn new(store: Store, station: &str) -> Self {
        Self { store, station: station.to_owned(), revision: 0 }
    }

    /// Whether there was an entry when this worker last looked.
    pub(crate) fn has_entry(&self) -> bool {
        self.revision > 0
    }

    /// What the server keeps; `None` for nothing yet.
    pub(crate) async fn read(&mut self) -> Result<Option<Kept>, StateError> {
        let entry = self.store.entry(&self.station).await;
        let entry = entry.map_err(|error| FleetError::refused(format!("tell the state of {}", self.station), error))?;
        let Some(entry) = entry else { return Ok(None) };
        self.revision = entry.revision;
        // What somebody deleted by hand begins anew.
        if entry.value.is_empty() {
            return Ok(None);
        }
        Ok(Some(Kept::from_bytes(&entry.value)?))
    }

    /// Writes a state. Where somebody else has written since, the later message wins.
    pub(crate) async fn write(&mut self, kept: &Kept) -> Result<Written, StateError> {
        loop {
            let bytes = kept.to_bytes()?;
            match self.replace(bytes).await {
                Ok(revision) => {
                    self.revision = revision;
                    return Ok(Written::Done);
                }
                Err(Some(why)) => return Ok(Written::Unsure(why)),
                Err(None) => {}
            }
            match self.read().await {
                Ok(Some(other)) if other.process == kept.process && other.sequence <= kept.sequence => {
                    // The answer to an earlier attempt was lost.
                    if other.sequence == kept.sequence {
                        return Ok(Written::Done);
                    }
                }
                Ok(Some(other)) if other.sequence >= kept.sequence => return Ok(Written::Overtaken(Box::new(other))),
                Ok(_) => {}
                Err(StateError::Fleet(error)) => return Ok(Written::Unsure(error.to_string())),
                Err(error) => return Err(error),
            }
        }
    }

    /// Replaces what was there when this worker last looked; `None` as error where that has changed.
    async fn replace(&self, bytes: Vec<u8>) -> Result<u64, Option<String>> {
        if self.revision == 0 {
            return self.store.create(&self.station, bytes.into()).await.map_err(|error| match error.kind() {
                CreateErrorKind::AlreadyExists => None,
                _ => Some(error.to_string()),
            });
        }
        self.store.update(&self.station, bytes.into(), self.revision).await.map_err(|error| match error.kind() {
            UpdateErrorKind::WrongLastRevision => None,
            _ => Some(error.to_string()),
        })
    }
}
