//! How a link tells a run what happens.

use super::event::{LineValue, LiveEvent};
use super::inbox::RunClock;
use super::passes::PassAccount;
use reigen_core::time::Nanos;
use std::sync::mpsc::{SyncSender, TrySendError};

/// A link's end of the channel to a run.
#[derive(Debug, Clone)]
pub struct LinkTeller {
    link: usize,
    events: SyncSender<LiveEvent>,
    clock: RunClock,
    /// Whether to wait is a fault: who writes into a pipe waits as long as it takes, and loses nothing.
    may_wait: bool,
}

/// The run is over: nobody listens any more.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RunOver;

impl LinkTeller {
    /// Of the link with this number.
    pub fn new(link: usize, events: SyncSender<LiveEvent>, clock: RunClock) -> Self {
        Self { link, events, clock, may_wait: false }
    }

    /// Of a link that loses nothing where it has to wait.
    pub fn may_wait(self) -> Self {
        Self { may_wait: true, ..self }
    }

    /// The time since the run began.
    pub fn now(&self) -> Nanos {
        self.clock.now()
    }

    /// Where the run has no room, the link is held up until there is some, and that is told.
    fn tell(&self, event: LiveEvent) -> Result<(), RunOver> {
        let event = match self.events.try_send(event) {
            Ok(()) => return Ok(()),
            Err(TrySendError::Disconnected(_)) => return Err(RunOver),
            Err(TrySendError::Full(event)) => event,
        };
        let since = self.now();
        self.events.send(event).map_err(|_| RunOver)?;
        if self.may_wait {
            return Ok(());
        }
        let held_up = self.now().saturating_sub(since);
        self.events.send(LiveEvent::HeldUp { link: self.link, length: held_up }).map_err(|_| RunOver)
    }

    /// The device is reached.
    ///
    /// # Errors
    /// Where nobody listens, as of all that follows.
    pub fn reached(&self) -> Result<(), RunOver> {
        self.tell(LiveEvent::Reached { link: self.link, at: self.now(), lost: None })
    }

    /// The device is lost, or could not be reached.
    pub fn lost(&self, why: String) -> Result<(), RunOver> {
        self.tell(LiveEvent::Reached { link: self.link, at: self.now(), lost: Some(why) })
    }

    /// Lines took values; of none nothing is told.
    pub fn values(&self, values: Vec<LineValue>) -> Result<(), RunOver> {
        if values.is_empty() { Ok(()) } else { self.tell(LiveEvent::Values { link: self.link, values }) }
    }

    /// So much came that means nothing, of which this was the first.
    pub fn malformed(&self, count: u64, first: String) -> Result<(), RunOver> {
        self.tell(LiveEvent::Malformed { link: self.link, count, first })
    }

    /// The device refused something, for which these lines are not told, and answers else.
    pub fn refused(&self, what: String, remedy: &'static str, lines: Vec<usize>) -> Result<(), RunOver> {
        self.tell(LiveEvent::Refused { link: self.link, what, remedy, lines })
    }

    /// Somebody else drives the same device.
    pub fn driven_twice(&self, what: String) -> Result<(), RunOver> {
        self.tell(LiveEvent::DrivenTwice { link: self.link, what })
    }

    /// The device told of changes that never arrived.
    pub fn missed(&self, count: u64) -> Result<(), RunOver> {
        self.tell(LiveEvent::Missed { link: self.link, count })
    }

    /// All passes so far.
    pub fn passed(&self, passes: PassAccount) -> Result<(), RunOver> {
        self.tell(LiveEvent::Passed { link: self.link, passes })
    }

    /// Nothing more will come.
    pub fn ended(&self) -> Result<(), RunOver> {
        self.tell(LiveEvent::Ended { link: self.link })
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::sync::mpsc::sync_channel;
    use std::thread;
    use std::time::Duration;

    /// What a link tells of having waited, where the run takes nothing for a while; and how much it told else.
    fn told(of: impl FnOnce(LinkTeller) -> LinkTeller) -> (Vec<Nanos>, usize) {
        let (events, inbox) = sync_channel(1);
        let teller = of(LinkTeller::new(0, events, RunClock::start()));
        let link = thread::spawn(move || (0..3).try_for_each(|count| teller.malformed(count, String::new())));
        thread::sleep(Duration::from_millis(50));
        let (held_up, others): (Vec<LiveEvent>, Vec<LiveEvent>) =
            inbox.iter().partition(|event| matches!(event, LiveEvent::HeldUp { .. }));
        assert_eq!(link.join().unwrap(), Ok(()));
        let length = |event| if let LiveEvent::HeldUp { length, .. } = event { length } else { Nanos(0) };
        (held_up.into_iter().map(length).collect(), others.len())
    }

    #[test]
    fn a_link_that_has_to_wait_loses_nothing_and_says_how_long() {
        let (held_up, others) = told(|teller| teller);
        assert_eq!(others, 3);
        assert!(held_up.iter().any(|length| *length > Nanos(1_000_000)), "{held_up:?}");
        assert_eq!(told(LinkTeller::may_wait), (Vec::new(), 3), "a pipe may wait");
        let (events, inbox) = sync_channel(1);
        drop(inbox);
        assert_eq!(LinkTeller::new(0, events, RunClock::start()).reached(), Err(RunOver));
    }
}
