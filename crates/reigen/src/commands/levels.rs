//! `reigen levels`: at which volts an input switches.

use crate::cli::LevelsArguments;
use crate::failure::Failure;
use crate::print::Out;
use crate::reading;
use crate::reading::{read_through, refuse_line};
use crate::views::levels::{Json, print};
use reigen_core::measure::edges::Edges;
use reigen_core::measure::levels::{LevelsMeter, Thresholds, between};
use reigen_core::time::Nanos;
use reigen_station::station::line_names::{find_line, find_number};

/// Runs the command.
pub(crate) fn run(arguments: &LevelsArguments, out: &mut Out) -> Result<(), Failure> {
    let mut recording = reading::open(&arguments.recording)?;
    let stretch = reading::stretch(&arguments.recording.span, &recording)?;
    let digital = find_line(&arguments.digital, recording.lines()).map_err(|kind| refuse_line("--digital", &kind))?;
    let analog = find_number(&arguments.analog, recording.lines()).map_err(|kind| refuse_line("--analog", &kind))?;
    let mut pairing = Pairing::default();
    read_through(&mut recording, (&[digital], &[analog]), stretch, &mut |_, lines| {
        if let (Some(bit), Some(reading)) = (lines.bits().first(), lines.readings().first()) {
            let mut rising = bit.level == Some(false);
            for &time in &bit.toggles {
                pairing.edges.push((time, rising));
                rising = !rising;
            }
            pairing.values.extend(reading.times.iter().copied().zip(reading.values.iter().copied()));
        }
        pairing.pair();
    })?;
    // Where the recording states no step, its edges tell it.
    let step = recording.tick().max(pairing.step());
    let thresholds = pairing.finish(step);
    if arguments.json {
        let toml = thresholds.toml();
        return out.json(&Json { thresholds: &thresholds, reference: arguments.reference, toml });
    }
    print(arguments, &thresholds, out)
}

/// Edges and values that wait for one another.
#[derive(Default)]
struct Pairing {
    edges: Vec<(Nanos, bool)>,
    values: Vec<(Nanos, f64)>,
    meter: LevelsMeter,
    /// The times of the input's first edges, for their step.
    times: Vec<Nanos>,
}

/// Fewer edges tell no step.
const ENOUGH: usize = 6;
/// So many edges tell the step of their times.
const TOLD: usize = 1000;

impl Pairing {
    /// Pairs the edges that lie between two known values.
    fn pair(&mut self) {
        let room = TOLD.saturating_sub(self.times.len());
        self.times.extend(self.edges.iter().map(|(time, _)| *time).take(room));
        let Some(known) = self.values.last().map(|(time, _)| *time) else { return };
        let ready = self.edges.partition_point(|(time, _)| *time <= known);
        for (edge, rising) in self.edges.drain(..ready) {
            let after = self.values.partition_point(|(time, _)| *time < edge);
            let at = |index: usize| self.values.get(index).map(|(time, value)| (time.0 as f64, *value));
            match (after.checked_sub(1).and_then(at), at(after)) {
                (Some(before), Some(after)) => {
                    let slope = (after.1 - before.1) / (after.0 - before.0).max(1.0) * 1e9;
                    self.meter.take(rising, between(before, after, edge.0 as f64), slope);
                }
                (None, Some((_, value))) => self.meter.take(rising, value, 0.0),
                _ => {}
            }
        }
        // Only the last value is needed further on, and those that edges still wait for.
        let first = self.edges.first().map_or(known, |(time, _)| *time);
        let keep = self.values.partition_point(|(time, _)| *time < first).saturating_sub(1);
        self.values.drain(..keep);
    }

    /// What came of it; edges after the last value take that one.
    fn finish(mut self, step: Nanos) -> Thresholds {
        if let Some(&(_, last)) = self.values.last() {
            self.edges.drain(..).for_each(|(_, rising)| self.meter.take(rising, last, 0.0));
        }
        self.meter.finish(step)
    }

    /// The step of the input's edges, where there are enough to tell.
    fn step(&self) -> Nanos {
        let starts_high = false;
        if self.times.len() < ENOUGH { Nanos(0) } else { Edges { starts_high, times: &self.times }.step() }
    }
}
