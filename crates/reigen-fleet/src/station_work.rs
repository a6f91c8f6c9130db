//! One station at work: messages in, counts on, the state kept.

use crate::event::FleetEvent;
use crate::kept::Kept;
use crate::server::{Server, subject_of};
use crate::states::{StateError, StateKeeper, Written};
use crate::station::FleetStation;
use async_nats::jetstream::Message;
use async_nats::jetstream::consumer::DeliverPolicy;
use async_nats::jetstream::consumer::pull::{Ordered, OrderedConfig};
use async_nats::jetstream::kv::Store;
use async_nats::jetstream::stream::Stream;
use futures_util::StreamExt as _;
use reigen_run::continued_run::{BoundStation, ContinuedRun};
use std::cell::Cell;
use std::rc::Rc;
use std::sync::Arc;
use std::sync::mpsc::Sender;
use std::time::{Duration, Instant};
use tokio::sync::watch;
use tokio::time::{MissedTickBehavior, interval, sleep};

/// How long it waits after the server gave no answer.
const RETRY: Duration = Duration::from_millis(500);

/// What one station is worked with.
pub(crate) struct StationWork {
    pub(crate) station: Arc<FleetStation>,
    pub(crate) server: Server,
    pub(crate) lines: Stream,
    pub(crate) states: Store,
    pub(crate) worker: String,
    pub(crate) process: String,
    /// How often the state is kept.
    pub(crate) keep_every: Duration,
    /// Whether a state that cannot go on is let go.
    pub(crate) anew: bool,
    pub(crate) events: Sender<FleetEvent>,
    /// When the last message came.
    pub(crate) last_message: Rc<Cell<Instant>>,
}

/// How the work on a station ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ended {
    /// As it was asked to.
    Given,
    /// Another worker has it.
    Overtaken,
    /// It cannot be worked.
    Refused,
}

/// Why the work on a station ends before it was asked to.
enum Halt {
    Overtaken(Box<Kept>),
    Refused { why: String, help: &'static str },
}

impl From<StateError> for Halt {
    fn from(error: StateError) -> Self {
        let help = "begin the station anew: --anew NAME, and its counts begin at the first message that is kept";
        Self::Refused { why: error.to_string(), help }
    }
}

impl StationWork {
    /// Works until it is asked to end.
    pub(crate) async fn run(self, stop: watch::Receiver<bool>) -> (String, Ended) {
        let station = self.station.name.clone();
        let ended = match self.work(stop).await {
            Ok(sequence) => {
                self.tell(FleetEvent::Gave { station: station.clone(), sequence });
                Ended::Given
            }
            Err(Halt::Overtaken(other)) => {
                let Kept { worker, sequence, .. } = *other;
                self.tell(FleetEvent::Overtaken { station: station.clone(), worker, sequence });
                Ended::Overtaken
            }
            Err(Halt::Refused { why, help }) => {
                self.tell(FleetEvent::Refused { station: station.clone(), why, help: help.to_owned() });
                Ended::Refused
            }
        };
        (station, ended)
    }

    fn tell(&self, event: FleetEvent) {
        // The listener may be gone.
        let _ = self.events.send(event);
    }

    fn wait_for_server(&self, why: String) -> tokio::time::Sleep {
        self.tell(FleetEvent::Waiting { why });
        sleep(RETRY)
    }

    async fn work(&self, mut stop: watch::Receiver<bool>) -> Result<u64, Halt> {
        let mut keeper = StateKeeper::new(self.states.clone(), &self.station.name);
        let bound = BoundStation::new(&self.station.file).map_err(|error| Halt::Refused {
            why: format!("its lines cannot be used as it says: {error}"),
            help: "reigen check tells more",
        })?;
        let Some((mut kept, mut run)) = self.start(&mut keeper, &bound, &stop).await? else { return Ok(0) };
        (kept.worker, kept.process) = (self.worker.clone(), self.process.clone());
        self.tell(FleetEvent::Took { station: self.station.name.clone(), sequence: kept.sequence });
        let mut clock = interval(self.keep_every);
        clock.set_missed_tick_behavior(MissedTickBehavior::Delay);
        // A state that was let go is replaced at once: else it would still be there after the next start.
        let mut is_kept = kept.sequence > 0 || !keeper.has_entry();
        while !*stop.borrow() {
            let Some(mut messages) = self.open(kept.sequence, &mut stop).await? else { break };
            let mut connections = self.server.connections.clone();
            connections.mark_unchanged();
            loop {
                tokio::select! {
                    _ = stop.changed() => break,
                    // What waited at a server that was restarted waits for ever.
                    _ = connections.changed() => break,
                    _ = clock.tick() => {
                        if !is_kept {
                            is_kept = self.keep(&mut keeper, &mut kept, &run).await?;
                        }
                    }
                    message = messages.next() => match message {
                        Some(Ok(message)) => {
                            self.take(&message, &mut run, &mut kept)?;
                            is_kept = false;
                        }
                        Some(Err(error)) => {
                            self.wait_for_server(error.to_string()).await;
                            break;
                        }
                        None => break,
                    },
                }
            }
        }
        if !is_kept && !self.keep(&mut keeper, &mut kept, &run).await? {
            // The next worker takes the messages since the last state again.
            self.tell(FleetEvent::Waiting { why: "the last state could not be kept".to_owned() });
        }
        Ok(kept.sequence)
    }

    /// The run from where the server's state is, or anew where that cannot go on and may be let go; `None` where the end came
    /// first.
    async fn start<'a>(
        &self,
        keeper: &mut StateKeeper,
        bound: &'a BoundStation,
        stop: &watch::Receiver<bool>,
    ) -> Result<Option<(Kept, ContinuedRun<'a>)>, Halt> {
        while !*stop.borrow() {
            let read = match keeper.read().await {
                Err(StateError::Fleet(error)) => Err(error.to_string()),
                read => self.lines.get_info().await.map(|info| (read, info)).map_err(|error| error.to_string()),
            };
            let (read, info) = match read {
                Ok(both) => both,
                Err(why) => {
                    self.wait_for_server(why).await;
                    continue;
                }
            };
            let begun = read.map_err(Halt::from).and_then(|kept| self.go_on(kept, bound, info.state.last_sequence));
            return match begun {
                Err(_) if self.anew => Ok(Some((Kept::nothing(&self.station.version), ContinuedRun::new(bound)))),
                begun => begun.map(Some),
            };
        }
        Ok(None)
    }

    /// The run from a state, where it is of this station and of these messages.
    fn go_on<'a>(
        &self,
        kept: Option<Kept>,
        bound: &'a BoundStation,
        newest: u64,
    ) -> Result<(Kept, ContinuedRun<'a>), Halt> {
        let version = &self.station.version;
        let kept = kept.unwrap_or_else(|| Kept::nothing(version));
        if kept.version != *version {
            return Err(Halt::Refused {
                why: format!("the file is version {version}, and the counts were kept with version {}", kept.version),
                help: "put the former file back, or begin the station anew: --anew NAME",
            });
        }
        check_messages(kept.sequence, newest)?;
        let Some(state) = kept.run().map_err(StateError::from)? else { return Ok((kept, ContinuedRun::new(bound))) };
        let run = ContinuedRun::resume(bound, state).map_err(|error| Halt::Refused {
            why: format!("it cannot go on from what the server keeps: {error}"),
            help: "use the program that kept it, or begin the station anew: --anew NAME",
        })?;
        Ok((kept, run))
    }

    /// The messages behind one; `None` where the end came first.
    async fn open(&self, sequence: u64, stop: &mut watch::Receiver<bool>) -> Result<Option<Ordered>, Halt> {
        while !*stop.borrow() {
            match self.try_open(sequence).await {
                Ok(messages) => return messages.map(Some),
                Err(why) => self.wait_for_server(why).await,
            }
        }
        Ok(None)
    }

    async fn try_open(&self, sequence: u64) -> Result<Result<Ordered, Halt>, String> {
        let info = self.lines.get_info().await.map_err(|error| error.to_string())?;
        if let Err(halt) = check_messages(sequence, info.state.last_sequence) {
            return Ok(Err(halt));
        }
        if sequence > 0 && info.state.first_sequence > sequence + 1 {
            let (station, first_kept) = (self.station.name.clone(), info.state.first_sequence);
            self.tell(FleetEvent::Dropped { station, sequence, first_kept });
        }
        let config = OrderedConfig {
            filter_subject: subject_of(&self.station.name),
            deliver_policy: DeliverPolicy::ByStartSequence { start_sequence: sequence + 1 },
            ..OrderedConfig::default()
        };
        let consumer = self.lines.create_consumer(config).await.map_err(|error| error.to_string())?;
        Ok(Ok(consumer.messages().await.map_err(|error| error.to_string())?))
    }

    fn take(&self, message: &Message, run: &mut ContinuedRun<'_>, kept: &mut Kept) -> Result<(), Halt> {
        let refused = |why: String| Halt::Refused { why, help: "please report this with the station file" };
        let sequence = message.info().map_err(|error| refused(error.to_string()))?.stream_sequence;
        let account = run.take(&message.payload, &mut []).map_err(|error| refused(error.to_string()))?;
        kept.sequence = sequence;
        kept.changes += account.changes;
        kept.late += account.late;
        kept.malformed += account.malformed;
        kept.newest_ns = run.newest();
        self.last_message.set(Instant::now());
        if let Some(first) = account.first_malformed {
            let (station, rows) = (self.station.name.clone(), account.malformed);
            self.tell(FleetEvent::Malformed { station, sequence, rows, first });
        }
        Ok(())
    }

    /// Keeps the state; false where that is not sure.
    async fn keep(&self, keeper: &mut StateKeeper, kept: &mut Kept, run: &ContinuedRun<'_>) -> Result<bool, Halt> {
        kept.keep(&run.save()).map_err(StateError::from)?;
        match keeper.write(kept).await? {
            Written::Done => Ok(true),
            Written::Unsure(why) => {
                self.tell(FleetEvent::Waiting { why });
                Ok(false)
            }
            Written::Overtaken(other) => Err(Halt::Overtaken(other)),
        }
    }
}

/// Refuses a state that goes further than the messages do.
fn check_messages(sequence: u64, newest: u64) -> Result<(), Halt> {
    match sequence <= newest {
        true => Ok(()),
        false => Err(Halt::Refused {
            why: format!(
                "its counts go up to message {sequence}, and the server's newest is {newest}: the messages were deleted"
            ),
            help: "begin the station anew: --anew NAME",
        }),
    }
}
