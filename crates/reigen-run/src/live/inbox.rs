//! Where events of links arrive, and the clock of the run.

use super::event::LiveEvent;
use reigen_core::time::Nanos;
use std::sync::mpsc::{Receiver, RecvTimeoutError, SyncSender, TryRecvError, sync_channel};
use std::time::{Duration, Instant};

/// Events as they arrive, and the clock that they arrive by: that of the machine, or one of a test.
pub trait Inbox: Send {
    /// The time since the run began.
    fn now(&self) -> Nanos;

    /// The next event; `None` where none came up to a time of the clock.
    fn receive(&mut self, until: Nanos) -> Option<LiveEvent>;

    /// The next event that is there already.
    fn receive_at_once(&mut self) -> Option<LiveEvent>;
}

/// So many events wait at most; links that tell more are held up until there is room.
const ROOM: usize = 256;
/// The longest sleep at once: later times are slept for again and again.
const LONGEST: Duration = Duration::from_secs(3600);

/// Events over a channel, by the machine's monotonic clock.
#[derive(Debug)]
pub struct ChannelInbox {
    began: Instant,
    events: Receiver<LiveEvent>,
    /// Whether no link is left that could tell anything.
    is_closed: bool,
}

/// The clock of a run, for links.
#[derive(Debug, Clone, Copy)]
pub struct RunClock(Instant);

impl RunClock {
    /// A clock that begins now.
    pub fn start() -> Self {
        Self(Instant::now())
    }

    /// The time since the run began.
    pub fn now(self) -> Nanos {
        nanos(self.0.elapsed())
    }
}

impl ChannelInbox {
    /// An inbox whose clock begins now; with it where links tell their events, and the clock.
    pub fn new() -> (Self, SyncSender<LiveEvent>, RunClock) {
        let (sender, events) = sync_channel(ROOM);
        let began = Instant::now();
        (Self { began, events, is_closed: false }, sender, RunClock(began))
    }
}

impl Inbox for ChannelInbox {
    fn now(&self) -> Nanos {
        nanos(self.began.elapsed())
    }

    fn receive(&mut self, until: Nanos) -> Option<LiveEvent> {
        loop {
            let left = Duration::from_nanos(until.saturating_sub(self.now()).0);
            if left.is_zero() {
                return self.receive_at_once();
            }
            if self.is_closed {
                std::thread::sleep(left.min(LONGEST));
                continue;
            }
            match self.events.recv_timeout(left.min(LONGEST)) {
                Ok(event) => return Some(event),
                Err(RecvTimeoutError::Timeout) => {}
                Err(RecvTimeoutError::Disconnected) => self.is_closed = true,
            }
        }
    }

    fn receive_at_once(&mut self) -> Option<LiveEvent> {
        match self.events.try_recv() {
            Ok(event) => Some(event),
            Err(TryRecvError::Empty) => None,
            Err(TryRecvError::Disconnected) => {
                self.is_closed = true;
                None
            }
        }
    }
}

fn nanos(duration: Duration) -> Nanos {
    Nanos(u64::try_from(duration.as_nanos()).unwrap_or(u64::MAX))
}
