//! A trigger, and an echo whose width follows a distance.

use super::random::Random;
use super::scenario::Echo;
use super::truth::{At, Truth};
use super::{Change, Source, Value};
use reigen_core::cast;
use reigen_core::time::Nanos;
use std::collections::VecDeque;

const TRIGGER: usize = 0;
const ECHO: usize = 1;
/// How long the trigger is, and how long after it the echo's pulse begins.
const TRIGGER_LENGTH: u64 = 10_000;
const ECHO_DELAY: u64 = 450_000;
/// How many pings the truth names one by one.
const MOST_NAMED: usize = 1000;

/// An ultrasonic sensor.
pub(super) struct EchoSource {
    settings: Echo,
    random: Random,
    waiting: VecDeque<Change>,
    end: Nanos,
    pings: u64,
    lost: u64,
    distances: Vec<At>,
}

impl EchoSource {
    pub(super) fn new(settings: &Echo, random: Random, end: Nanos) -> Self {
        let settings = settings.clone();
        Self { settings, random, waiting: VecDeque::new(), end, pings: 0, lost: 0, distances: Vec::new() }
    }

    fn ping(&mut self) -> Option<()> {
        let time = (self.pings + 1).checked_mul(self.settings.every)?;
        if time > self.end.0 {
            return None;
        }
        self.pings += 1;
        let metres = self.settings.distance.at(time);
        self.pulse(TRIGGER, time, TRIGGER_LENGTH);
        if self.random.happens(self.settings.lost) {
            self.lost += 1;
            return Some(());
        }
        if self.distances.len() < MOST_NAMED {
            self.distances.push(At { at: Nanos(time), value: metres });
        }
        let width = cast::u64_from_f64((2.0 * metres / self.settings.metres_per_second * 1e9).round());
        if width > 0 {
            self.pulse(ECHO, time + ECHO_DELAY, width);
        }
        Some(())
    }

    fn pulse(&mut self, line: usize, from: u64, length: u64) {
        for (time, level) in [(from, true), (from + length, false)] {
            self.waiting.push_back(Change { time: Nanos(time), line, value: Value::Level(level) });
        }
    }
}

impl Source for EchoSource {
    fn lines(&self) -> Vec<(String, Value)> {
        [&self.settings.trigger, &self.settings.echo].map(|line| (line.clone(), Value::Level(false))).to_vec()
    }

    fn next(&mut self) -> Option<Change> {
        if self.waiting.is_empty() {
            self.ping()?;
        }
        self.waiting.pop_front()
    }

    fn truth(&self) -> Truth {
        Truth::Echo {
            trigger: self.settings.trigger.clone(),
            echo: self.settings.echo.clone(),
            pings: self.pings,
            lost: self.lost,
            distances_m: self.distances.clone(),
        }
    }
}
