//! A worker of a fleet: as many of its stations as are its share.

use crate::error::FleetError;
use crate::event::FleetEvent;
use crate::lease::Leases;
use crate::runtime::runtime;
use crate::server::{Server, ServerAddress};
use crate::station::FleetStation;
use crate::station_work::{Ended, StationWork};
use async_nats::jetstream::kv::Store;
use async_nats::jetstream::stream::Stream;
use std::cell::Cell;
use std::collections::{HashMap, HashSet};
use std::rc::Rc;
use std::sync::Arc;
use std::sync::mpsc::Sender;
use std::time::{Duration, Instant};
use tokio::sync::watch;
use tokio::task::{JoinSet, LocalSet};
use tokio::time::{MissedTickBehavior, interval};

/// The longest step between two looks whether there is nothing more to do.
const LONGEST_LOOK: Duration = Duration::from_millis(100);

/// How a worker works.
#[derive(Debug, Clone)]
pub struct WorkerSettings {
    /// Its name; one that begins under the name of a former takes over what that had.
    pub name: String,
    /// A station whose worker is silent for so long goes to another; of the first worker of a fleet.
    pub lease: Duration,
    /// How often the states are kept.
    pub keep_every: Duration,
    /// Ends where no message has come for so long.
    pub until_idle: Option<Duration>,
    /// Stations whose counts begin anew where they cannot go on: the file has changed, or what was kept is of no use.
    pub anew: Vec<String>,
}

/// Asks a worker to end.
#[derive(Debug, Clone)]
pub struct WorkerStop(watch::Sender<bool>);

impl Default for WorkerStop {
    fn default() -> Self {
        Self(watch::channel(false).0)
    }
}

impl WorkerStop {
    /// The worker keeps all states, gives its stations back, and ends.
    pub fn ask(&self) {
        self.0.send_replace(true);
    }

    /// What changes once it is asked.
    pub(crate) fn subscribe(&self) -> watch::Receiver<bool> {
        self.0.subscribe()
    }
}

/// Works until it is asked to end, or nothing comes any more.
///
/// # Errors
/// Where the server cannot be reached at the start, or keeps nothing.
pub fn work(
    stations: Vec<FleetStation>,
    address: &ServerAddress,
    settings: &WorkerSettings,
    events: Sender<FleetEvent>,
    stop: &WorkerStop,
) -> Result<(), FleetError> {
    let runtime = runtime()?;
    let local = LocalSet::new();
    let worker = async {
        let server = Server::reach(address).await?;
        let (lines, states) = (server.lines().await?, server.states().await?);
        let process = server.client.new_inbox().rsplit('.').next().unwrap_or_default().to_owned();
        let leases = Leases::new(server.leases(settings.lease).await?, &settings.name, &process);
        let names = stations.iter().map(|station| station.name.clone()).collect();
        let stations = stations.into_iter().map(|station| (station.name.clone(), Arc::new(station))).collect();
        let (settings, running) = (settings.clone(), HashMap::new());
        let tasks = JoinSet::new();
        let mut worker = Worker {
            names,
            stations,
            server,
            lines,
            states,
            settings,
            process,
            events,
            running,
            tasks,
            left: HashSet::new(),
        };
        worker.run(leases, stop.subscribe()).await;
        Ok(())
    };
    local.block_on(&runtime, worker)
}

struct Worker {
    /// The stations in order.
    names: Vec<String>,
    stations: HashMap<String, Arc<FleetStation>>,
    server: Server,
    lines: Stream,
    states: Store,
    settings: WorkerSettings,
    process: String,
    events: Sender<FleetEvent>,
    running: HashMap<String, Running>,
    tasks: JoinSet<(String, Ended)>,
    /// Stations that cannot be worked here.
    left: HashSet<String>,
}

/// A station at work.
struct Running {
    stop: watch::Sender<bool>,
    last_message: Rc<Cell<Instant>>,
}

impl Running {
    fn end(&self) {
        self.stop.send_replace(true);
    }
}

impl Worker {
    async fn run(&mut self, mut leases: Leases, mut stop: watch::Receiver<bool>) {
        let mut look = interval(leases.step());
        look.set_missed_tick_behavior(MissedTickBehavior::Delay);
        let mut idle = interval(LONGEST_LOOK);
        let mut last_free = Instant::now();
        while !*stop.borrow() {
            tokio::select! {
                // An end that nobody can ask for any more is none.
                Ok(()) = stop.changed() => {}
                _ = look.tick() => if self.look(&mut leases).await { last_free = Instant::now() },
                Some(ended) = self.tasks.join_next() => self.take_end(ended.ok(), &mut leases).await,
                _ = idle.tick() => {
                    let last = self.running.values().map(|running| running.last_message.get());
                    let last = last.fold(last_free, Instant::max);
                    if self.settings.until_idle.is_some_and(|length| last.elapsed() >= length) {
                        break;
                    }
                }
            }
        }
        self.running.values().for_each(Running::end);
        while let Some(ended) = self.tasks.join_next().await {
            self.take_end(ended.ok(), &mut leases).await;
        }
        leases.leave().await;
    }

    /// Looks who works what; gives whether there is something that nobody works yet.
    async fn look(&mut self, leases: &mut Leases) -> bool {
        let wanted: Vec<String> = self.names.iter().filter(|name| !self.left.contains(*name)).cloned().collect();
        let change = match leases.look(&wanted).await {
            Ok(change) => change,
            Err(error) => {
                let _ = self.events.send(FleetEvent::Waiting { why: error.to_string() });
                return true;
            }
        };
        for name in change.lost.iter().chain(self.running.keys().take(change.surplus)) {
            self.running.get(name).into_iter().for_each(Running::end);
        }
        let is_more = !change.gained.is_empty() || change.free > 0;
        for name in change.gained {
            // One that was lost and comes back may still be ending.
            if !self.running.contains_key(&name) {
                self.begin(&name);
            }
        }
        is_more
    }

    fn begin(&mut self, name: &str) {
        let Some(station) = self.stations.get(name).cloned() else { return };
        let (stop, asked) = watch::channel(false);
        let last_message = Rc::new(Cell::new(Instant::now()));
        let work = StationWork {
            server: self.server.clone(),
            lines: self.lines.clone(),
            states: self.states.clone(),
            worker: self.settings.name.clone(),
            process: self.process.clone(),
            keep_every: self.settings.keep_every,
            anew: self.settings.anew.contains(&station.name),
            events: self.events.clone(),
            last_message: last_message.clone(),
            station,
        };
        self.running.insert(name.to_owned(), Running { stop, last_message });
        self.tasks.spawn_local(work.run(asked));
    }

    async fn take_end(&mut self, ended: Option<(String, Ended)>, leases: &mut Leases) {
        let Some((name, ended)) = ended else { return };
        self.running.remove(&name);
        if ended == Ended::Refused {
            self.left.insert(name.clone());
        }
        leases.give(&name).await;
    }
}
