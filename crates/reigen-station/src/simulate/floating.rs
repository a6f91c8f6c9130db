//! A line that nothing drives: it chatters with the mains.

use super::random::Random;
use super::scenario::Floating;
use super::truth::Truth;
use super::{Change, Source, Value};
use reigen_core::time::Nanos;
use std::collections::VecDeque;

/// A floating line.
pub(super) struct FloatingSource {
    settings: Floating,
    random: Random,
    half_wave: u64,
    level: bool,
    waiting: VecDeque<Change>,
}

impl FloatingSource {
    pub(super) fn new(settings: &Floating, random: Random) -> Self {
        Self { settings: settings.clone(), random, half_wave: 0, level: false, waiting: VecDeque::new() }
    }

    /// At each half wave the level changes, with up to three short pulses about it, all within half of it.
    fn fill(&mut self) {
        self.half_wave += 1;
        let length = self.settings.half_wave;
        let start = self.half_wave * length;
        let edges = 1 + 2 * self.random.whole(0, 3);
        let mut times: Vec<u64> = (0..edges).map(|_| start + self.random.whole(0, length / 2)).collect();
        times.sort_unstable();
        for time in times {
            self.level = !self.level;
            self.waiting.push_back(Change { time: Nanos(time), line: 0, value: Value::Level(self.level) });
        }
    }
}

impl Source for FloatingSource {
    fn lines(&self) -> Vec<(String, Value)> {
        vec![(self.settings.line.clone(), Value::Level(false))]
    }

    fn next(&mut self) -> Option<Change> {
        if self.waiting.is_empty() {
            self.fill();
        }
        self.waiting.pop_front()
    }

    fn truth(&self) -> Truth {
        Truth::Floating { line: self.settings.line.clone() }
    }
}
