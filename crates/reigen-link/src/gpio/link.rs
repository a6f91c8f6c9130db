//! A link to the pins of a chip.

use super::pins::{Edge, PinReader, PinWriter, Pins};
use crate::drive::{Driven, LOOK};
use reigen_core::change::Value;
use reigen_core::logic::expression::Value as PointValue;
use reigen_io::error::system_words;
use reigen_run::live::board::Board;
use reigen_run::live::event::LineValue;
use reigen_run::live::passes::Retry;
use reigen_run::live::teller::{LinkTeller, RunOver};
use reigen_station::links::gpio::GpioLink;
use std::io;
use std::sync::atomic::{AtomicBool, Ordering};
use std::thread;
use std::time::Duration;

/// A link to the pins of a chip.
pub struct GpioPins {
    /// What the station says of it.
    pub settings: GpioLink,
    /// The pins.
    pub pins: Box<dyn Pins>,
    /// For each of its lines the number among those of the run; `None` where the station does not name it.
    pub lines: Vec<Option<usize>>,
    /// Whether outputs are written.
    pub drives: bool,
    /// Where it tells what it reads.
    pub teller: LinkTeller,
    /// What points are.
    pub board: Board,
}

/// Why the pins are lost, or that the run is over.
enum Stopped {
    Lost(String),
    Over,
}

impl From<RunOver> for Stopped {
    fn from(RunOver: RunOver) -> Self {
        Self::Over
    }
}

impl From<io::Error> for Stopped {
    fn from(error: io::Error) -> Self {
        Self::Lost(system_words(&error))
    }
}

impl GpioPins {
    /// Works until the run is over.
    pub fn run(self) {
        let mut retry = Retry::default();
        let mut driven = Driven::new(&self.settings.outputs);
        while let Err(Stopped::Lost(why)) = self.work(&mut driven, &mut retry) {
            // The run may be over: then nobody listens.
            let told = self.teller.lost(format!("{}: {why}", self.settings.chip));
            if told.is_err() || !self.board.sleep(Duration::from_nanos(retry.wait().0)) {
                return;
            }
        }
    }

    /// Claims the pins, and works until they are lost or the run is over and all is at rest.
    fn work(&self, driven: &mut Driven<u32>, retry: &mut Retry) -> Result<(), Stopped> {
        let reader = if self.settings.lines.is_empty() { None } else { Some(self.pins.reader()?) };
        let drives = self.drives && !driven.is_empty();
        let writer = if drives { Some(self.pins.writer()?) } else { None };
        *retry = Retry::default();
        self.teller.reached()?;
        driven.reconnected();
        let is_lost = AtomicBool::new(false);
        thread::scope(|scope| {
            let read = reader.map(|reader| {
                scope.spawn(|| {
                    let read = self.read(reader, || is_lost.load(Ordering::Relaxed));
                    is_lost.store(matches!(read, Err(Stopped::Lost(_))), Ordering::Relaxed);
                    read
                })
            });
            let written = writer.map(|writer| self.write(writer, driven, || is_lost.load(Ordering::Relaxed)));
            // Without a writer the reader ends with the run.
            let written = written.unwrap_or(Ok(()));
            is_lost.fetch_or(drives, Ordering::Relaxed);
            let read = read.and_then(|thread| thread.join().ok()).unwrap_or(Ok(()));
            read.and(written)
        })
    }

    fn read(&self, mut reader: Box<dyn PinReader>, is_lost: impl Fn() -> bool) -> Result<(), Stopped> {
        let line_of = |offset: u32| {
            let mut pins = self.settings.lines.iter().zip(&self.lines);
            pins.find(|((_, pin), _)| pin.offset == offset).and_then(|(_, line)| *line)
        };
        let arrived = self.teller.now();
        let at_start = reader.levels()?.into_iter().filter_map(|(offset, high)| {
            Some(LineValue { line: line_of(offset)?, value: Value::Level(high), arrived, own_time_ns: None })
        });
        self.teller.values(at_start.collect())?;
        let mut last = 0;
        while self.board.goes_on() && !is_lost() {
            let edges = reader.edges(LOOK)?;
            let missed = missed(last, &edges);
            last = edges.last().map_or(last, |edge| edge.number);
            if missed > 0 {
                self.teller.missed(missed)?;
            }
            let arrived = self.teller.now();
            let values = edges.iter().filter_map(|edge| {
                let own_time_ns = i64::try_from(edge.time_ns).ok();
                Some(LineValue { line: line_of(edge.offset)?, value: Value::Level(edge.high), arrived, own_time_ns })
            });
            self.teller.values(values.collect())?;
        }
        Ok(())
    }

    fn write(
        &self,
        mut writer: Box<dyn PinWriter>,
        driven: &mut Driven<u32>,
        is_lost: impl Fn() -> bool,
    ) -> Result<(), Stopped> {
        let mut put = |offset: &u32, value: PointValue| writer.set(*offset, matches!(value, PointValue::Bit(true)));
        if !driven.keep_written(&self.board, is_lost, &mut put)? {
            driven.at_rest().iter().try_for_each(|(offset, value)| put(offset, *value))?;
        }
        Ok(())
    }
}

/// How many edges are missing before and between these, by their numbers.
fn missed(last: u32, edges: &[Edge]) -> u64 {
    let before = std::iter::once(last).chain(edges.iter().map(|edge| edge.number));
    before.zip(edges).map(|(before, edge)| u64::from(edge.number.wrapping_sub(before).saturating_sub(1))).sum()
}
