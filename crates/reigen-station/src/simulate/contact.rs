//! A contact that is pressed, and a changeover contact.

use super::presses::{Presses, bounced};
use super::random::Random;
use super::scenario::{Bounces, Changeover, Contact};
use super::truth::{Actuation, Truth};
use super::{Change, Source, Value};
use reigen_core::time::Nanos;
use std::collections::VecDeque;

/// A push button or a switch on one line.
pub(super) struct ContactSource {
    line: String,
    /// The level while it is at rest.
    rest: bool,
    presses: Presses,
    bounces: Bounces,
    random: Random,
    waiting: VecDeque<Change>,
    level: bool,
    told: Vec<Actuation>,
    end: Nanos,
}

impl ContactSource {
    pub(super) fn new(contact: &Contact, random: Random, end: Nanos) -> Self {
        let longest = contact.bounces.closing.within.max(contact.bounces.opening.within);
        Self {
            line: contact.line.clone(),
            rest: contact.rest_level,
            presses: Presses::new(&contact.presses, longest + 1),
            bounces: contact.bounces,
            random,
            waiting: VecDeque::new(),
            level: contact.rest_level,
            told: Vec::new(),
            end,
        }
    }

    fn press(&mut self, (from, until): (u64, u64)) {
        if from <= self.end.0 {
            self.told.push(Actuation { on: Nanos(from), off: Nanos(until) });
        }
        let (closing, opening) = (self.bounces.closing, self.bounces.opening);
        for (at, bounce) in [(from, closing), (until, opening)] {
            for time in bounced(at, &bounce, &mut self.random) {
                self.level = !self.level;
                self.waiting.push_back(Change { time: Nanos(time), line: 0, value: Value::Level(self.level) });
            }
        }
    }
}

impl Source for ContactSource {
    fn lines(&self) -> Vec<(String, Value)> {
        vec![(self.line.clone(), Value::Level(self.rest))]
    }

    fn next(&mut self) -> Option<Change> {
        if self.waiting.is_empty() {
            let press = self.presses.next(&mut self.random)?;
            self.press(press);
        }
        self.waiting.pop_front()
    }

    fn truth(&self) -> Truth {
        Truth::Contact { line: self.line.clone(), actuations: self.told.clone() }
    }
}

/// A contact that leaves one line before it makes the other.
pub(super) struct ChangeoverSource {
    settings: Changeover,
    presses: Presses,
    random: Random,
    waiting: VecDeque<Change>,
    /// Of both lines, whether the contact is closed.
    closed: [bool; 2],
    told: Vec<Actuation>,
    end: Nanos,
}

/// The line that is closed while actuated, and the one that is closed at rest.
const NO: usize = 0;
const NC: usize = 1;

impl ChangeoverSource {
    pub(super) fn new(settings: &Changeover, random: Random, end: Nanos) -> Self {
        let rest = settings.transit + settings.bounces.closing.within.max(settings.bounces.opening.within) + 1;
        Self {
            presses: Presses::new(&settings.presses, rest),
            settings: settings.clone(),
            random,
            waiting: VecDeque::new(),
            closed: [false, true],
            told: Vec::new(),
            end,
        }
    }

    /// One side opens at `at`, the other closes after the transit.
    fn change(&mut self, at: u64, opens: usize, closes: usize) {
        let bounces = self.settings.bounces;
        let opening = bounced(at, &bounces.opening, &mut self.random);
        let closing = bounced(at + self.settings.transit, &bounces.closing, &mut self.random);
        let mut times: Vec<(u64, usize)> = opening.into_iter().map(|time| (time, opens)).collect();
        times.extend(closing.into_iter().map(|time| (time, closes)));
        times.sort_unstable();
        for (time, line) in times {
            let Some(closed) = self.closed.get_mut(line) else { continue };
            *closed = !*closed;
            let level = *closed == self.settings.closed_level;
            self.waiting.push_back(Change { time: Nanos(time), line, value: Value::Level(level) });
        }
    }
}

impl Source for ChangeoverSource {
    fn lines(&self) -> Vec<(String, Value)> {
        let level = self.settings.closed_level;
        vec![(self.settings.no.clone(), Value::Level(!level)), (self.settings.nc.clone(), Value::Level(level))]
    }

    fn next(&mut self) -> Option<Change> {
        if self.waiting.is_empty() {
            let (from, until) = self.presses.next(&mut self.random)?;
            if from <= self.end.0 {
                self.told.push(Actuation { on: Nanos(from), off: Nanos(until) });
            }
            self.change(from, NC, NO);
            self.change(until, NO, NC);
        }
        self.waiting.pop_front()
    }

    fn truth(&self) -> Truth {
        let (no, nc) = (self.settings.no.clone(), self.settings.nc.clone());
        Truth::Changeover { no, nc, actuations: self.told.clone() }
    }
}
