//! A chain of shift registers that a controller polls, with switches behind it.
//!
//! Parallel in, serial out: while load is low the registers take their inputs; after its release the first
//! bit (D7 of the nearest chip) stands on data, and each rising clock shifts the next one there.

use super::presses::Presses;
use super::random::Random;
use super::scenario::Chain;
use super::truth::{Actuation, Truth, Word};
use super::{Change, Source, Value};
use indexmap::IndexMap;
use reigen_core::time::Nanos;
use std::collections::VecDeque;

const LOAD: usize = 0;
const CLOCK: usize = 1;
const DATA: usize = 2;
/// How many words the truth names one by one.
const MOST_NAMED: usize = 1000;

/// A switch behind the chain.
struct Switch {
    presses: Presses,
    random: Random,
    /// The actuation at hand or to come.
    next: Option<(u64, u64)>,
    told: Vec<Actuation>,
}

impl Switch {
    /// Whether it is on at a time; times come in order.
    fn is_on(&mut self, time: u64, end: Nanos) -> bool {
        while let Some((from, until)) = self.next.filter(|(_, until)| *until <= time) {
            self.tell(from, until, end);
            self.next = self.presses.next(&mut self.random);
        }
        self.next.is_some_and(|(from, _)| from <= time)
    }

    fn tell(&mut self, from: u64, until: u64, end: Nanos) {
        if from <= end.0 {
            self.told.push(Actuation { on: Nanos(from), off: Nanos(until) });
        }
    }
}

/// The chain and its controller.
pub(super) struct ChainSource {
    settings: Chain,
    switches: Vec<Switch>,
    waiting: VecDeque<Change>,
    levels: [bool; 3],
    polls: u64,
    end: Nanos,
    words: Vec<Word>,
}

impl ChainSource {
    pub(super) fn new(settings: &Chain, name: &str, seed: u64, end: Nanos) -> Self {
        let switches = settings.points.iter().zip(&settings.presses).enumerate().map(|(place, (point, times))| {
            let mut random = Random::new(seed, &format!("{name}.{place}.{point}"));
            let mut presses = Presses::new(times, 1);
            Switch { next: presses.next(&mut random), presses, random, told: Vec::new() }
        });
        Self {
            switches: switches.collect(),
            settings: settings.clone(),
            waiting: VecDeque::new(),
            levels: [true, false, false],
            polls: 0,
            end,
            words: Vec::new(),
        }
    }

    fn show(&mut self, time: u64, line: usize, level: bool) {
        if let Some(shown) = self.levels.get_mut(line).filter(|shown| **shown != level) {
            *shown = level;
            self.waiting.push_back(Change { time: Nanos(time), line, value: Value::Level(level) });
        }
    }

    fn poll(&mut self) -> Option<()> {
        let start = (self.polls + 1).checked_mul(self.settings.period)?;
        if start > self.end.0 {
            return None;
        }
        self.polls += 1;
        let clock = self.settings.clock_period;
        let release = start + clock;
        let end = self.end;
        let states: Vec<bool> = self.switches.iter_mut().map(|switch| switch.is_on(release, end)).collect();
        self.tell(release, &states);
        let level = |on: bool| on == self.settings.on_level;
        // D7 of the nearest chip first, then D6; after D0 the next chip.
        let bits: Vec<bool> = states.chunks(8).flat_map(|chip| chip.iter().rev()).map(|on| level(*on)).collect();
        self.show(start, LOAD, false);
        self.show(release, DATA, bits.first().copied().unwrap_or_default());
        self.show(release, LOAD, true);
        for bit in 0..bits.len() {
            let rise = release + (bit as u64 + 1) * clock;
            self.show(rise, CLOCK, true);
            self.show(rise + clock / 8, DATA, bits.get(bit + 1).copied().unwrap_or_default());
            self.show(rise + clock / 2, CLOCK, false);
        }
        Some(())
    }

    /// Notes the word of a poll where it is another than before; its first digit is D7 of the furthest chip.
    fn tell(&mut self, at: u64, states: &[bool]) {
        let digits = states.rchunks(4).map(|four| four.iter().rev().fold(0, |digit, on| digit * 2 + u32::from(*on)));
        let word: String = digits.filter_map(|digit| char::from_digit(digit, 16)).collect();
        if self.words.last().is_none_or(|last| last.word != word) && self.words.len() < MOST_NAMED {
            self.words.push(Word { at: Nanos(at), word });
        }
    }
}

impl Source for ChainSource {
    fn lines(&self) -> Vec<(String, Value)> {
        let names = [&self.settings.load, &self.settings.clock, &self.settings.data];
        names.into_iter().zip([true, false, false]).map(|(name, level)| (name.clone(), Value::Level(level))).collect()
    }

    fn next(&mut self) -> Option<Change> {
        while self.waiting.is_empty() {
            self.poll()?;
        }
        self.waiting.pop_front()
    }

    fn truth(&self) -> Truth {
        let told = self.settings.points.iter().zip(&self.switches).filter(|(point, _)| !point.is_empty());
        let points: IndexMap<String, Vec<Actuation>> = told
            .map(|(point, switch)| {
                let open = switch.next.filter(|(from, _)| *from <= self.end.0);
                let open = open.map(|(from, until)| Actuation { on: Nanos(from), off: Nanos(until) });
                (point.clone(), switch.told.iter().copied().chain(open).collect())
            })
            .collect();
        let Chain { load, clock, data, .. } = self.settings.clone();
        Truth::Chain { load, clock, data, frames: self.polls, words: self.words.clone(), points }
    }
}
