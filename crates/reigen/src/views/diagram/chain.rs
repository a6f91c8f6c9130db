//! What is gathered of an expander for its rows: its lines, and the bits that its clock reads.

use reigen_core::engine::PointColumns;
use reigen_core::expand::frames::ChainColumns;
use reigen_core::expand::reads::{Read, Reads};
use reigen_core::lines::LineColumns;
use reigen_core::time::Nanos;
use reigen_draw::bits::NamedBit;
use reigen_draw::diagram::{Content, Row};
use reigen_draw::trace::Trace;
use reigen_run::place::Place;
use reigen_station::points::expander::ChainLines;
use reigen_station::station::{Point, Station};
use std::collections::HashMap;

/// So many bits, at most, can be told apart in a picture; with more of them the lines are left out.
const MOST_BITS: usize = 256;

/// The lines of an expander in the making.
#[derive(Debug)]
pub(super) struct ChainBuilder {
    /// Load, clock and data.
    places: [Place; 3],
    inhibit: Option<Place>,
    traces: [Trace; 3],
    rising: bool,
    reads: Option<Reads>,
    bits: Vec<Read>,
}

impl ChainBuilder {
    /// Of an expander; `None` for other points.
    pub(super) fn of(point: &Point, station: &Station, from: Nanos) -> Option<Self> {
        let ChainLines { signals, inhibit, rising, .. } = point.kind.chain_lines()?;
        // Without the level of the inhibit it is not known which clocks read.
        let inhibit = match inhibit {
            Some(inhibit) => Some(Place::of_signal(inhibit, station)?),
            None => None,
        };
        let places: Option<Vec<Place>> = signals.iter().map(|signal| Place::of_signal(signal, station)).collect();
        Some(Self {
            places: places?.try_into().ok()?,
            inhibit,
            traces: [(); 3].map(|()| Trace::new(from)),
            rising,
            reads: None,
            bits: Vec::new(),
        })
    }

    /// Takes a window.
    pub(super) fn take(&mut self, all: &[PointColumns<'_>], lines: &LineColumns, numbers: &HashMap<String, usize>) {
        if self.bits.len() > MOST_BITS {
            return;
        }
        let column = |place: &Place| place.column(all, lines, numbers);
        let [Some(load), Some(clock), Some(data)] = self.places.each_ref().map(column) else { return };
        for (trace, column) in self.traces.iter_mut().zip([load, clock, data]) {
            trace.take(column.since, column.level, &column.toggles);
        }
        let columns = ChainColumns { load, clock, data, inhibit: self.inhibit.as_ref().and_then(column) };
        let Some((start, levels)) = columns.start() else { return };
        let after = self.reads.is_none().then_some(start);
        let reads = self.reads.get_or_insert_with(|| Reads::new(self.rising, levels));
        let bits = &mut self.bits;
        reads.work(columns.edges(after), &mut |bit| bits.push(bit));
    }

    /// Its rows; none where there are too many bits to tell them apart.
    pub(super) fn finish(self, end: Nanos, point: &Point) -> Vec<Row> {
        let Some(chain) = point.kind.chain_lines().filter(|_| self.bits.len() <= MOST_BITS) else { return Vec::new() };
        let named = |read: &Read| {
            let (register, pin, point) = chain.bit(read.place)?;
            Some(NamedBit { at: read.at, high: read.high, register, pin, point: point.to_owned() })
        };
        let bits: Vec<NamedBit> = self.bits.iter().filter_map(named).collect();
        let words = ["load", "clock", "data"].into_iter().zip([Vec::new(), Vec::new(), bits]);
        let rows = self.traces.into_iter().zip(&self.places).zip(words);
        rows.map(|((mut line, place), (word, bits))| {
            line.finish(end);
            let under = match place {
                Place::Line(name) => name.clone(),
                Place::Point(..) => String::new(),
            };
            Row { label: format!("{}.{word}", point.name), under, content: Content::Wire { line, bits } }
        })
        .collect()
    }
}
