//! A quadrature encoder: two channels a quarter cycle apart, and an index.

use super::random::Random;
use super::scenario::Encoder;
use super::shaft::{Motion, Passing, Passings};
use super::truth::Truth;
use super::{Change, Source, Value};
use reigen_core::time::Nanos;
use std::collections::VecDeque;

/// The channels, by the numbers of their lines.
const A: usize = 0;
const B: usize = 1;
const INDEX: usize = 2;

/// An encoder on a shaft.
pub(super) struct EncoderSource {
    settings: Encoder,
    passings: Passings,
    /// For each angle: the channel, and its level beyond it when turning forward.
    borders: Vec<(usize, bool)>,
    levels: [bool; 3],
    /// The time of the next lost step, and how many edges of A are still to be lost.
    lost: VecDeque<u64>,
    losing: usize,
    random: Random,
    waiting: VecDeque<Change>,
    ahead: Option<Passing>,
    last: u64,
    end: Nanos,
    position: i64,
}

impl EncoderSource {
    pub(super) fn new(settings: &Encoder, motion: Motion, random: Random, end: Nanos) -> Self {
        let cycle = 1.0 / settings.pulses_per_rev as f64;
        let quarter = 0.25 + settings.phase_error_degrees / 360.0;
        let mut angles: Vec<(f64, usize, bool)> = Vec::new();
        for pulse in 0..settings.pulses_per_rev {
            // The first edge lies an eighth of a cycle ahead, so that the shaft begins between two.
            let start = (pulse as f64 + 0.125) * cycle;
            for (channel, from) in [(A, 0.0), (B, quarter)] {
                angles.push((start + from * cycle, channel, true));
                angles.push((start + (from + settings.duty) * cycle, channel, false));
            }
        }
        if settings.index.is_some() {
            angles.extend([(0.0625 * cycle, INDEX, true), (0.5625 * cycle, INDEX, false)]);
        }
        // What reaches beyond a whole turn comes round to its beginning.
        angles.iter_mut().for_each(|angle| angle.0 -= angle.0.floor());
        angles.sort_by(|one, other| one.0.total_cmp(&other.0));
        let borders: Vec<(usize, bool)> = angles.iter().map(|&(_, channel, level)| (channel, level)).collect();
        // At the start each channel has the level that it had at the end of the turn before.
        let before = |channel| borders.iter().rev().find(|border| border.0 == channel).is_some_and(|border| border.1);
        Self {
            levels: [before(A), before(B), before(INDEX)],
            passings: Passings::new(motion, angles.into_iter().map(|angle| angle.0).collect()),
            borders,
            lost: settings.lost.iter().copied().collect(),
            losing: 0,
            random,
            waiting: VecDeque::new(),
            ahead: None,
            last: 0,
            end,
            position: 0,
            settings: settings.clone(),
        }
    }

    fn pass(&mut self, passing: Passing) {
        let Some(&(channel, beyond)) = self.borders.get(passing.angle) else { return };
        let level = beyond == passing.forward;
        if channel != INDEX && passing.time <= self.end.0 {
            self.position += if passing.forward { 1 } else { -1 };
        }
        if channel == A && self.losing == 0 && level && self.lost.front().is_some_and(|time| *time <= passing.time) {
            self.lost.pop_front();
            self.losing = 2;
        }
        if channel == A && self.losing > 0 {
            self.losing -= 1;
            return;
        }
        self.show(passing.time, channel, level);
    }

    fn show(&mut self, time: u64, channel: usize, level: bool) {
        self.last = time;
        if let Some(shown) = self.levels.get_mut(channel)
            && *shown != level
        {
            *shown = level;
            self.waiting.push_back(Change { time: Nanos(time), line: channel, value: Value::Level(level) });
        }
    }

    /// While the shaft stands, it trembles over an edge of A now and then.
    fn tremble(&mut self, until: u64) -> bool {
        let Some(mean) = self.settings.dither else { return false };
        let at = self.last + mean / 2 + self.random.wait(mean as f64 / 2.0);
        let back = at + mean / 8 + 1;
        // A tremble that the recording's end would cut in two is left out.
        let cut = (at..back).contains(&self.end.0);
        if back >= until || self.losing > 0 || cut {
            return false;
        }
        let [level, _, _] = self.levels;
        self.show(at, A, !level);
        self.show(back, A, level);
        true
    }
}

impl Source for EncoderSource {
    fn lines(&self) -> Vec<(String, Value)> {
        let names = [Some(&self.settings.a), Some(&self.settings.b), self.settings.index.as_ref()];
        let named = names.into_iter().zip(self.levels).filter_map(|(name, level)| Some((name?, level)));
        named.map(|(name, level)| (name.clone(), Value::Level(level))).collect()
    }

    fn next(&mut self) -> Option<Change> {
        while self.waiting.is_empty() {
            if self.ahead.is_none() {
                self.ahead = self.passings.next();
            }
            let until = self.ahead.map_or(u64::MAX, |passing| passing.time);
            if self.tremble(until) {
                continue;
            }
            let passing = self.ahead.take()?;
            self.pass(passing);
        }
        self.waiting.pop_front()
    }

    fn truth(&self) -> Truth {
        Truth::Encoder {
            a: self.settings.a.clone(),
            b: self.settings.b.clone(),
            index: self.settings.index.clone(),
            position: self.position,
            revolutions: self.passings.motion().position(self.end.0),
            speed_rpm: self.passings.motion().speed.bends(self.end),
        }
    }
}
