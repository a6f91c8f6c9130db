//! A shaft that turns by a speed profile, and the times at which marks on it pass.

use super::profile::Profile;
use reigen_core::cast;

const SECOND: f64 = 1e9;

/// A stretch of constant acceleration in one direction.
#[derive(Debug, Clone, Copy)]
struct Stretch {
    /// Where it begins, in seconds and revolutions.
    start: f64,
    position: f64,
    /// Revolutions a second, and their change in a second.
    speed: f64,
    acceleration: f64,
    /// How long it lasts, in seconds; the last lasts for ever.
    length: f64,
}

impl Stretch {
    fn position_after(&self, time: f64) -> f64 {
        self.position + self.speed * time + 0.5 * self.acceleration * time * time
    }

    /// When it has gone `distance` further, in seconds from its start; `None` where it never does.
    fn time_of(&self, distance: f64) -> Option<f64> {
        // The root that does not lose digits: t = 2 d / (v + sign(v or a) * sqrt(v² + 2 a d)).
        let root = (self.speed * self.speed + 2.0 * self.acceleration * distance).max(0.0).sqrt();
        let direction = if self.speed + 0.5 * self.acceleration * self.length.min(1.0) < 0.0 { -1.0 } else { 1.0 };
        let divisor = self.speed + direction * root;
        let time = 2.0 * distance / divisor;
        (divisor != 0.0 && time >= 0.0 && time <= self.length).then_some(time)
    }

    fn speed_after(&self, time: f64) -> f64 {
        self.speed + self.acceleration * time
    }
}

/// The shaft's motion: stretches parted where the speed profile bends or changes its sign.
#[derive(Debug, Clone)]
pub(super) struct Motion {
    stretches: Vec<Stretch>,
    /// The speed that it follows, in revolutions a minute.
    pub(super) speed: Profile,
}

impl Motion {
    /// The motion of a speed profile in revolutions a minute.
    pub(super) fn new(profile: &Profile) -> Self {
        let mut stretches: Vec<Stretch> = Vec::new();
        let (mut start, mut speed, mut position) = (0.0, profile.from / 60.0, 0.0);
        let mut push = |start: &mut f64, speed: &mut f64, length: f64, acceleration: f64| {
            let stretch = Stretch { start: *start, position, speed: *speed, acceleration, length };
            if length > 0.0 {
                position = stretch.position_after(length.min(1e12));
                stretches.push(stretch);
            }
            *start += length;
            *speed += acceleration * length;
        };
        for piece in &profile.pieces {
            let (until, to) = (piece.until as f64 / SECOND, piece.to / 60.0);
            let length = until - start;
            let acceleration = if length > 0.0 { (to - speed) / length } else { 0.0 };
            if speed * to < 0.0 {
                let turn = -speed / acceleration;
                push(&mut start, &mut speed, turn, acceleration);
                speed = 0.0;
            }
            let rest = until - start;
            push(&mut start, &mut speed, rest, acceleration);
            (start, speed) = (until, to);
        }
        push(&mut start, &mut speed, f64::INFINITY, 0.0);
        Self { stretches, speed: profile.clone() }
    }

    /// The revolutions made at a time.
    pub(super) fn position(&self, time: u64) -> f64 {
        let seconds = time as f64 / SECOND;
        self.stretch(seconds).map_or(0.0, |stretch| stretch.position_after(seconds - stretch.start))
    }

    fn stretch(&self, seconds: f64) -> Option<&Stretch> {
        self.stretches.iter().rev().find(|stretch| stretch.start <= seconds).or(self.stretches.first())
    }
}

/// Something on the shaft passes.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Passing {
    /// When, in nanoseconds.
    pub(super) time: u64,
    /// Which angle, by its number.
    pub(super) angle: usize,
    /// Whether the shaft turned forward.
    pub(super) forward: bool,
    /// Revolutions a minute, without sign.
    pub(super) rpm: f64,
}

/// The passings of angles, in the order of time.
pub(super) struct Passings {
    motion: Motion,
    /// Angles in revolutions, ascending within [0, 1).
    angles: Vec<f64>,
    stretch: usize,
    /// The number of the next angle ahead when turning forward: whole revolutions times the angles, and on.
    ahead: i64,
    last: u64,
}

impl Passings {
    /// The passings of `angles` on a shaft that begins just before angle 0.
    pub(super) fn new(motion: Motion, angles: Vec<f64>) -> Self {
        Self { motion, angles, stretch: 0, ahead: 0, last: 0 }
    }

    fn position_of(&self, number: i64) -> f64 {
        let count = cast::i64_from_usize(self.angles.len());
        let angle = self.angles.get(cast::usize_from_i64(number.rem_euclid(count))).copied().unwrap_or_default();
        number.div_euclid(count) as f64 + angle
    }

    /// The next passing; `None` once the shaft stands for good.
    pub(super) fn next(&mut self) -> Option<Passing> {
        loop {
            let stretch = *self.motion.stretches.get(self.stretch)?;
            let length = stretch.length.min(1e12);
            let forward = stretch.speed + stretch.speed_after(length) > 0.0;
            let number = if forward { self.ahead } else { self.ahead - 1 };
            let target = self.position_of(number);
            let end = stretch.position_after(length);
            let moves = stretch.speed != 0.0 || stretch.acceleration != 0.0;
            let reached = if forward { target < end } else { target > end };
            if !moves || !reached {
                self.stretch += 1;
                continue;
            }
            self.ahead += if forward { 1 } else { -1 };
            let since = stretch.time_of(target - stretch.position).unwrap_or(0.0);
            let rpm = stretch.speed_after(since).abs() * 60.0;
            let time = cast::u64_from_f64(((stretch.start + since) * SECOND).round());
            self.last = self.last.max(time);
            let angle = cast::usize_from_i64(number.rem_euclid(cast::i64_from_usize(self.angles.len())));
            return Some(Passing { time: self.last, angle, forward, rpm });
        }
    }

    /// The motion.
    pub(super) fn motion(&self) -> &Motion {
        &self.motion
    }
}
