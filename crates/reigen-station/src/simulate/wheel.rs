//! A wheel with marks (magnets, teeth) that pass a sensor.

use super::random::Random;
use super::scenario::Wheel;
use super::shaft::{Motion, Passing, Passings};
use super::truth::Truth;
use super::{Change, Source, Value};
use reigen_core::time::Nanos;

/// A wheel on a shaft, seen by one line.
pub(super) struct WheelSource {
    settings: Wheel,
    passings: Passings,
    /// For each angle, its mark and whether it is the one where the mark begins when turning forward.
    borders: Vec<(usize, bool)>,
    /// Whether the mark before the sensor is one that is not seen.
    unseen: bool,
    end: Nanos,
    passed: u64,
    missed: u64,
    /// The first of the missed marks.
    missed_at: Vec<Nanos>,
}

/// How many missed marks the truth names one by one.
const MOST_NAMED: usize = 1000;

impl WheelSource {
    pub(super) fn new(settings: &Wheel, motion: Motion, mut random: Random, end: Nanos) -> Self {
        let pitch = 1.0 / settings.marks as f64;
        let mut angles: Vec<(f64, usize, bool)> = Vec::new();
        for mark in 0..settings.marks {
            let off = settings.uneven * pitch * (2.0 * random.share() - 1.0);
            let even = (mark as f64 + 0.5) * pitch;
            // Run-out shifts the marks once up and down in a revolution.
            let centre = even + off + settings.runout * libm::sin(2.0 * std::f64::consts::PI * even);
            let half = 0.5 * settings.width * pitch;
            angles.push((centre - half, mark, true));
            angles.push((centre + half, mark, false));
        }
        angles.sort_by(|one, other| one.0.total_cmp(&other.0));
        let borders = angles.iter().map(|&(_, mark, begins)| (mark, begins)).collect();
        let angles = angles.into_iter().map(|(angle, _, _)| angle.clamp(0.0, 1.0 - f64::EPSILON)).collect();
        Self {
            settings: settings.clone(),
            passings: Passings::new(motion, angles),
            borders,
            unseen: false,
            end,
            passed: 0,
            missed: 0,
            missed_at: Vec::new(),
        }
    }
}

impl WheelSource {
    /// A mark comes before the sensor.
    fn enter(&mut self, mark: usize, passing: Passing) {
        let weak = self.settings.weak.filter(|weak| weak.mark == mark);
        self.unseen = weak.is_some_and(|weak| passing.rpm > weak.above_rpm);
        if passing.time > self.end.0 {
            return;
        }
        self.passed += 1;
        if self.unseen {
            self.missed += 1;
            if self.missed_at.len() < MOST_NAMED {
                self.missed_at.push(Nanos(passing.time));
            }
        }
    }
}

impl Source for WheelSource {
    fn lines(&self) -> Vec<(String, Value)> {
        vec![(self.settings.line.clone(), Value::Level(!self.settings.seen_level))]
    }

    fn next(&mut self) -> Option<Change> {
        loop {
            let passing = self.passings.next()?;
            let (mark, begins) = self.borders.get(passing.angle).copied()?;
            let enters = begins == passing.forward;
            if enters {
                self.enter(mark, passing);
            }
            if !self.unseen {
                let level = enters == self.settings.seen_level;
                return Some(Change { time: Nanos(passing.time), line: 0, value: Value::Level(level) });
            }
        }
    }

    fn truth(&self) -> Truth {
        Truth::Wheel {
            line: self.settings.line.clone(),
            passed: self.passed,
            missed: self.missed,
            missed_at_ns: self.missed_at.clone(),
            revolutions: self.passings.motion().position(self.end.0),
            speed_rpm: self.passings.motion().speed.bends(self.end),
        }
    }
}
