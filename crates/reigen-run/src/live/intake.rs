//! What links tell, put in order, and how far all of it is known.

use super::event::{LineValue, LiveEvent};
use super::passes::PassAccount;
use reigen_core::change::Value;
use reigen_core::time::Nanos;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// A device's clock that falls by more than this has begun anew; one that gains more than this has been set ahead.
const JUMPS: i64 = 1_000_000_000;

/// Puts the events of links in the order of their times.
///
/// Of a device that tells its own times, what is known ends at the newest of them less `lateness`, and goes on with the clock
/// in silence only. Its clock is laid over that of the run by the smallest difference seen, so that nothing lies ahead of
/// its arrival. What comes later than that counts at once.
#[derive(Debug)]
pub struct Intake {
    links: Vec<Link>,
    /// The lines that tell whether devices answer.
    online_lines: Vec<usize>,
    /// The last time of each line whose values have no times of their own.
    arrived: HashMap<usize, Nanos>,
    /// By their times, and in the order in which they came.
    waiting: BTreeMap<(Nanos, u64), (usize, Value)>,
    taken: u64,
    known_until: Nanos,
    has_stopped: bool,
    /// Whether links have told of themselves since that was last asked.
    has_news: bool,
}

/// What is known of one link.
#[derive(Debug, Clone, Default)]
struct Link {
    /// How late a message with a time of its own may be.
    lateness: Nanos,
    /// The line that tells whether its device answers, where the station asks.
    online: Option<usize>,
    /// How much later the run's clock is than the device's.
    offset: Option<i64>,
    newest_own: i64,
    newest: Nanos,
    arrived: Nanos,
    has_ended: bool,
    told: LinkAccount,
}

/// What there is to tell of a link at the end.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct LinkAccount {
    /// Values that came too late for their time.
    pub late: u64,
    /// How often the device's clock began anew.
    pub restarts: u64,
    /// How often the device's clock jumped ahead.
    pub ahead: u64,
    /// What tells that somebody else drives the device.
    pub driven_twice: Option<String>,
    /// Changes that never arrived, by the device's own count.
    pub missed: u64,
    /// How long the link waited until what it told could be worked.
    pub held_up: Nanos,
    /// What meant nothing, and the first of it.
    pub malformed: u64,
    /// The first of that.
    pub first_malformed: Option<String>,
    /// How often a device refused a request.
    pub refused: u64,
    /// The lines that it refuses to tell at present.
    pub refused_lines: BTreeSet<usize>,
    /// The first of these, and what to do about it.
    pub first_refused: Option<(String, &'static str)>,
    /// Passes over the device.
    pub passes: PassAccount,
    /// Whether it was reached at any time.
    pub was_reached: bool,
    /// Since when it is lost, where it is.
    pub lost_since: Option<Nanos>,
    /// Why it is lost, or could not be reached again the last time.
    pub why_lost: Option<String>,
    /// How often it was lost, how long in all until it was reached again, and why the first time.
    pub downs: u64,
    /// How long, in all that have ended.
    pub down: Nanos,
    /// Why, the first time.
    pub first_lost: Option<String>,
}

impl LinkAccount {
    fn reached(&mut self, at: Nanos, lost: Option<String>) {
        match &lost {
            Some(why) if self.lost_since.is_none() => {
                self.lost_since = Some(at);
                self.downs += 1;
                self.first_lost.get_or_insert_with(|| why.clone());
            }
            Some(_) => {}
            None => {
                self.was_reached = true;
                self.down += self.lost_since.take().map_or(Nanos(0), |since| at.saturating_sub(since));
            }
        }
        self.why_lost = lost;
    }

    /// How long it was lost, up to a time.
    pub fn down_until(&self, end: Nanos) -> Nanos {
        self.down + self.lost_since.map_or(Nanos(0), |since| end.saturating_sub(since))
    }
}

impl Intake {
    /// For each link the line that tells whether its device answers, where the station asks, and how late a message with
    /// a time of its own may be; none answers yet.
    pub fn new(links: Vec<(Option<usize>, Nanos)>) -> Self {
        let online_lines = links.iter().filter_map(|(online, _)| *online).collect();
        let link = |(online, lateness)| Link { online, lateness, ..Link::default() };
        let links: Vec<Link> = links.into_iter().map(link).collect();
        let mut intake = Self {
            links,
            online_lines,
            arrived: HashMap::new(),
            waiting: BTreeMap::new(),
            taken: 0,
            known_until: Nanos(0),
            has_stopped: false,
            has_news: true,
        };
        (0..intake.links.len()).for_each(|link| intake.tell_online(link, Nanos(0), false));
        intake
    }

    /// The line of a link that tells whether its device answers.
    fn tell_online(&mut self, link: usize, at: Nanos, is_online: bool) {
        if let Some(line) = self.links.get(link).and_then(|link| link.online) {
            self.wait_for_turn(at, line, Value::Level(is_online));
        }
    }

    fn wait_for_turn(&mut self, time: Nanos, line: usize, value: Value) {
        self.taken += 1;
        self.waiting.insert((time.max(self.known_until), self.taken), (line, value));
    }

    /// Takes an event.
    pub fn take(&mut self, event: LiveEvent) {
        self.has_news |= !matches!(event, LiveEvent::Values { .. });
        match event {
            LiveEvent::Values { link, values } => values.into_iter().for_each(|value| self.take_value(link, value)),
            LiveEvent::Malformed { link, count, first } => self.account(link, |told| {
                told.malformed += count;
                told.first_malformed.get_or_insert(first);
            }),
            LiveEvent::Reached { link, at, lost } => {
                self.tell_online(link, at, lost.is_none());
                self.account(link, |told| told.reached(at, lost));
            }
            LiveEvent::Refused { link, what, remedy, lines } => self.account(link, |told| {
                told.refused += 1;
                told.refused_lines.extend(lines);
                told.first_refused.get_or_insert((what, remedy));
            }),
            LiveEvent::Passed { link, passes } => self.account(link, |told| told.passes = passes),
            LiveEvent::DrivenTwice { link, what } => {
                self.account(link, |told| told.driven_twice = told.driven_twice.take().or(Some(what)));
            }
            LiveEvent::Missed { link, count } => self.account(link, |told| told.missed += count),
            LiveEvent::HeldUp { link, length } => self.account(link, |told| told.held_up += length),
            LiveEvent::Ended { link } => {
                self.links.iter_mut().skip(link).take(1).for_each(|link| link.has_ended = true)
            }
            LiveEvent::Set { line, what, at } => {
                let at = after_last(&mut self.arrived, line, at.max(self.known_until));
                self.wait_for_turn(at, line, Value::Number(what.number()));
            }
            LiveEvent::Wake => {}
            LiveEvent::Stop => self.has_stopped = true,
        }
    }

    fn account(&mut self, link: usize, take: impl FnOnce(&mut LinkAccount)) {
        if let Some(link) = self.links.get_mut(link) {
            take(&mut link.told);
        }
    }

    fn take_value(&mut self, link: usize, LineValue { line, value, arrived, own_time_ns }: LineValue) {
        // Whether a device answers is not for the device to tell.
        if self.online_lines.contains(&line) {
            return;
        }
        let Some(link) = self.links.get_mut(link) else { return };
        self.has_news |= link.told.refused_lines.remove(&line);
        // Before the first message nobody knew of its clock: all up to now was known then.
        let has_clock = link.offset.is_some();
        let time = match own_time_ns {
            None => after_last(&mut self.arrived, line, arrived.max(self.known_until)),
            Some(own) => link.on_our_clock(own, arrived),
        };
        // Two links that are asked at once answer at once, too: only who tells a time can be late for it.
        link.told.late += u64::from(has_clock && own_time_ns.is_some() && time < self.known_until);
        self.wait_for_turn(time, line, value);
    }

    /// Whether links have told of themselves since that was last asked.
    pub fn has_news(&mut self) -> bool {
        std::mem::take(&mut self.has_news)
    }

    /// Whether the run is to end: somebody wants that, or no link will tell any more.
    pub fn is_over(&self) -> bool {
        self.has_stopped || (!self.links.is_empty() && self.links.iter().all(|link| link.has_ended))
    }

    /// Everything before this time is known, where the clock says `now`; it never goes back.
    pub fn known_until(&mut self, now: Nanos) -> Nanos {
        let of = |link: &Link| match link.offset {
            Some(_) if !link.has_ended && now.saturating_sub(link.arrived) < link.lateness => {
                link.newest.saturating_sub(link.lateness)
            }
            Some(_) if !link.has_ended => now.saturating_sub(link.lateness),
            _ => now,
        };
        let known = self.links.iter().map(of).min().unwrap_or(now);
        self.known_until = self.known_until.max(known);
        self.known_until
    }

    /// When what lies before a time is known though nothing comes any more.
    pub fn known_by(&self, time: Nanos) -> Nanos {
        let own_clocks = self.links.iter().filter(|link| link.offset.is_some() && !link.has_ended);
        own_clocks.map(|link| link.arrived.max(time) + link.lateness).fold(time, Nanos::max)
    }

    /// Hands over what lies before a time, in order; nothing before it comes later.
    pub fn pass(&mut self, until: Nanos, mut hand_on: impl FnMut(Nanos, usize, Value)) {
        self.known_until = self.known_until.max(until);
        while let Some(entry) = self.waiting.first_entry().filter(|entry| entry.key().0 < until) {
            let ((time, _), (line, value)) = entry.remove_entry();
            hand_on(time, line, value);
        }
    }

    /// The time of the last value that waits for its turn.
    pub fn last_waiting(&self) -> Option<Nanos> {
        self.waiting.keys().next_back().map(|(time, _)| *time)
    }

    /// The time of the first value that waits for its turn.
    pub fn next_waiting(&self) -> Option<Nanos> {
        self.waiting.keys().next().map(|(time, _)| *time)
    }

    /// What there is to tell of each link.
    pub fn accounts(&self) -> impl Iterator<Item = &LinkAccount> {
        self.links.iter().map(|link| &link.told)
    }
}

/// When a value counts that arrived at a time: after the last of its line, since each of a burst has been there.
fn after_last(last: &mut HashMap<usize, Nanos>, line: usize, arrived: Nanos) -> Nanos {
    let time = last.get(&line).map_or(arrived, |last| arrived.max(*last + Nanos(1)));
    last.insert(line, time);
    time
}

impl Link {
    /// A time of the device on the clock of the run.
    fn on_our_clock(&mut self, own: i64, arrived: Nanos) -> Nanos {
        if self.offset.is_some() && own < self.newest_own.saturating_sub(JUMPS) {
            self.told.restarts += 1;
            self.offset = None;
        }
        let apart = i64::try_from(arrived.0).unwrap_or(i64::MAX).saturating_sub(own);
        let offset = self.offset.map_or(apart, |offset| offset.min(apart));
        let gained = self.offset.map_or(0, |before| before.saturating_sub(offset));
        self.told.ahead += u64::from(gained > JUMPS);
        self.newest_own = if self.offset.is_none() { own } else { self.newest_own.max(own) };
        self.offset = Some(offset);
        let time = Nanos(u64::try_from(own.saturating_add(offset)).unwrap_or_default());
        (self.newest, self.arrived) = (self.newest.max(time), arrived);
        time
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn value(line: usize, arrived: u64, own: Option<i64>) -> LiveEvent {
        let value = LineValue { line, value: Value::Level(true), arrived: Nanos(arrived), own_time_ns: own };
        LiveEvent::Values { link: 0, values: vec![value] }
    }

    proptest! {
        /// Messages with times of their own that are late by less than the lateness come in the order of those times,
        /// and nothing is ever known that comes later.
        #[test]
        fn messages_within_their_lateness_come_in_order(delays in prop::collection::vec((0..50u64, 1..40u64), 1..40)) {
            let mut intake = Intake::new(vec![(None, Nanos(100))]);
            let mut own = 0;
            let mut sent: Vec<(u64, u64)> = delays.iter().map(|(late, step)| { own += step; (own + late, own) }).collect();
            // The clock of the device is seen at its least delay.
            sent.insert(0, (0, 0));
            let mut by_arrival = sent.clone();
            by_arrival.sort_by_key(|(arrived, _)| *arrived);
            let mut seen = Vec::new();
            for (arrived, own) in by_arrival {
                intake.take(value(0, arrived, Some(1_000_000 + own.cast_signed())));
                let known = intake.known_until(Nanos(arrived));
                intake.pass(known, |time, _, _| seen.push(time.0));
            }
            let known = intake.known_until(Nanos(100_000));
            intake.pass(known, |time, _, _| seen.push(time.0));
            let mut own: Vec<u64> = sent.iter().map(|(_, own)| *own).collect();
            own.sort_unstable();
            prop_assert_eq!(seen, own);
            prop_assert_eq!(intake.accounts().next().unwrap().late, 0);
        }
    }

    #[test]
    fn each_value_of_a_burst_has_a_time_of_its_own() {
        let mut intake = Intake::new(vec![(None, Nanos(100))]);
        assert_eq!(intake.known_until(Nanos(50)), Nanos(50));
        // They arrived before that was known, and are taken after.
        for line in [7, 7, 8, 7] {
            intake.take(value(line, 40, None));
        }
        let mut seen = Vec::new();
        intake.pass(Nanos(60), |time, line, _| seen.push((time.0, line)));
        assert_eq!(seen, [(50, 7), (50, 8), (51, 7), (52, 7)]);
    }

    #[test]
    fn what_is_too_late_counts_at_once_and_a_restarted_clock_is_told() {
        let mut intake = Intake::new(vec![(None, Nanos(100))]);
        intake.take(value(0, 10, Some(0)));
        intake.take(value(0, 510, Some(500)));
        assert_eq!(intake.known_until(Nanos(510)), Nanos(410));
        intake.pass(Nanos(410), |_, _, _| {});
        intake.take(value(1, 520, Some(200)));
        let mut seen = Vec::new();
        assert_eq!(intake.known_until(Nanos(900)), Nanos(800));
        intake.pass(Nanos(800), |time, line, _| seen.push((time.0, line)));
        assert_eq!(seen, [(410, 1), (510, 0)]);
        intake.take(value(0, 1000, Some(-2_000_000_000)));
        assert_eq!(intake.accounts().next(), Some(&LinkAccount { late: 1, restarts: 1, ..LinkAccount::default() }));
        // Ten seconds gained in one: from now on it arrives in time by the clock that it has now.
        intake.take(value(0, 2_000, Some(8_000_000_000)));
        let told = intake.accounts().next().map(|told| (told.late, told.restarts, told.ahead));
        assert_eq!(told, Some((1, 1, 1)));
        assert!(!intake.is_over());
        intake.take(LiveEvent::Ended { link: 0 });
        assert!(intake.is_over());
    }
}
