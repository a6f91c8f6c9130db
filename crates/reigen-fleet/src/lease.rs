//! Who works which station: an entry for each, which its worker renews. It shares work out and no more: that nothing is
//! counted twice is seen to where states are written.

use crate::error::FleetError;
use async_nats::jetstream::kv::{Store, UpdateErrorKind};
use futures_util::future::join_all;
use futures_util::{StreamExt as _, TryStreamExt as _};
use std::collections::{BTreeSet, HashMap};
use std::time::Duration;

/// What stands before the name of a worker in the bucket.
const WORKER: &str = "worker.";
/// A lease is renewed so often before it ends.
const RENEWALS: u32 = 3;
/// Where the bucket's own time is not known.
const USUAL_LENGTH: Duration = Duration::from_secs(6);

/// The leases of a worker.
pub(crate) struct Leases {
    store: Store,
    name: String,
    process: String,
    /// The stations that it has, with the entry that the next one replaces.
    held: HashMap<String, u64>,
    /// Whether it has looked before: only a worker that begins takes over what one of its name had.
    has_looked: bool,
}

/// What is to be done after a look at the bucket.
#[derive(Debug, Default, PartialEq)]
pub(crate) struct Change {
    /// Stations that the worker has from now on.
    pub(crate) gained: Vec<String>,
    /// Stations that others have now.
    pub(crate) lost: Vec<String>,
    /// So many more than its share it has.
    pub(crate) surplus: usize,
    /// Stations that nobody has, and that it may not take.
    pub(crate) free: usize,
}

impl Leases {
    pub(crate) fn new(store: Store, name: &str, process: &str) -> Self {
        let (name, process) = (name.to_owned(), process.to_owned());
        Self { store, name, process, held: HashMap::new(), has_looked: false }
    }

    /// How often to look.
    pub(crate) fn step(&self) -> Duration {
        let length = self.store.stream.cached_info().config.max_age;
        if length.is_zero() { USUAL_LENGTH / RENEWALS } else { length / RENEWALS }
    }

    fn text(&self) -> bytes::Bytes {
        format!("{} {}", self.name, self.process).into()
    }

    /// Renews what it has, and takes what is free, up to its share of these stations.
    pub(crate) async fn look(&mut self, stations: &[String]) -> Result<Change, FleetError> {
        let refused = |error: &dyn std::fmt::Display| FleetError::refused("tell who works which station", error);
        self.store.put(format!("{WORKER}{}", self.process), self.text()).await.map_err(|error| refused(&error))?;
        let keys = self.store.keys().await.map_err(|error| refused(&error))?.boxed();
        let keys: BTreeSet<String> = keys.try_collect().await.map_err(|error| refused(&error))?;
        let workers = keys.iter().filter(|key| key.starts_with(WORKER)).count().max(1);
        let share = stations.len().div_ceil(workers);
        let mut change = Change { lost: self.renew().await, ..Change::default() };
        change.surplus = self.held.len().saturating_sub(share);
        for station in stations {
            if self.held.contains_key(station) {
                continue;
            }
            let is_free = !keys.contains(station);
            if self.held.len() >= share {
                change.free += usize::from(is_free);
            } else if let Some(revision) = self.claim(station, is_free).await {
                self.held.insert(station.clone(), revision);
                change.gained.push(station.clone());
            }
        }
        self.has_looked = true;
        Ok(change)
    }

    /// Renews all; gives those that others have now.
    async fn renew(&mut self) -> Vec<String> {
        let (store, text) = (&self.store, self.text());
        let renewed = self.held.iter().map(|(station, revision)| {
            let text = text.clone();
            async move { (station.clone(), store.update(station, text, *revision).await) }
        });
        let mut lost = Vec::new();
        for (station, renewed) in join_all(renewed).await {
            match renewed {
                Ok(revision) => {
                    self.held.insert(station, revision);
                }
                Err(error) if error.kind() == UpdateErrorKind::WrongLastRevision => {
                    self.held.remove(&station);
                    lost.push(station);
                }
                // It is tried again at the next look; meanwhile somebody else may take it, and then states decide.
                Err(_) => {}
            }
        }
        lost
    }

    /// Takes a station that nobody has, or that a worker of this name had before.
    async fn claim(&self, station: &str, is_free: bool) -> Option<u64> {
        if is_free {
            return self.store.create(station, self.text()).await.ok();
        }
        if self.has_looked {
            return None;
        }
        let entry = self.store.entry(station).await.ok()??;
        let before = String::from_utf8_lossy(&entry.value).into_owned();
        let is_own = before.rsplit_once(' ').is_some_and(|(name, _)| name == self.name);
        if !is_own {
            return None;
        }
        self.store.update(station, self.text(), entry.revision).await.ok()
    }

    /// Gives a station back. Where that fails it is free when its time is over.
    pub(crate) async fn give(&mut self, station: &str) {
        if let Some(revision) = self.held.remove(station) {
            let _ = self.store.delete_expect_revision(station, Some(revision)).await;
        }
    }

    /// Leaves the others alone.
    pub(crate) async fn leave(self) {
        let _ = self.store.delete(format!("{WORKER}{}", self.process)).await;
    }
}
