//! What is wrong with a wire: short pulses, crosstalk, a line that is stuck.

use super::random::Random;
use super::scenario::Wire;
use super::truth::WireTruth;
use reigen_core::time::Nanos;

/// How many pulses the truth names one by one.
const MOST_NAMED: usize = 1000;

/// A wire between its source and the recording.
pub(super) struct WireFault {
    pub(super) settings: Wire,
    /// The line whose edges it may pick up, by its number.
    pub(super) neighbour: Option<usize>,
    random: Random,
    /// The level that the source gives.
    given: bool,
    /// How many short pulses lie over it at present.
    over: u32,
    pub(super) shown: bool,
    next_glitch: Option<u64>,
    truth: WireTruth,
}

impl WireFault {
    pub(super) fn new(settings: &Wire, level: bool, random: Random) -> Self {
        let truth = WireTruth { line: settings.line.clone(), ..WireTruth::default() };
        let mut fault = Self {
            settings: settings.clone(),
            neighbour: None,
            random,
            given: level,
            over: 0,
            shown: level,
            next_glitch: None,
            truth,
        };
        fault.plan_glitch(0);
        fault
    }

    fn plan_glitch(&mut self, after: u64) {
        self.next_glitch = self.settings.glitches_every.map(|mean| after + self.random.wait(mean as f64));
    }

    /// When the next short pulse comes that no other line causes.
    pub(super) fn next_glitch(&self) -> Option<u64> {
        self.next_glitch
    }

    /// A short pulse begins; gives when it ends.
    pub(super) fn glitch(&mut self, time: u64) -> u64 {
        self.plan_glitch(time);
        self.over += 1;
        self.truth.glitches += 1;
        if self.truth.glitches_at_ns.len() < MOST_NAMED {
            self.truth.glitches_at_ns.push(Nanos(time));
        }
        time + self.settings.glitch
    }

    /// A short pulse ends.
    pub(super) fn glitch_over(&mut self) {
        self.over = self.over.saturating_sub(1);
    }

    /// Whether an edge of the neighbour comes through.
    pub(super) fn picks_up(&mut self) -> bool {
        let chance = self.settings.crosstalk.as_ref().map_or(0.0, |crosstalk| crosstalk.chance);
        self.random.happens(chance)
    }

    /// The source changes the level.
    pub(super) fn give(&mut self, level: bool) {
        self.given = level;
    }

    /// The level at the far end, if it is another now.
    pub(super) fn change(&mut self, time: u64) -> Option<bool> {
        let stuck = self.settings.stuck.iter().any(|(from, to)| (*from..*to).contains(&time));
        let level = if stuck { self.shown } else { self.given ^ (self.over > 0) };
        let changes = level != self.shown;
        self.shown = level;
        changes.then_some(level)
    }

    pub(super) fn truth(&self) -> WireTruth {
        self.truth.clone()
    }
}
