//! The speed of an encoder, from the rate of its counts.

use crate::column::ReadingColumn;
use crate::rate::readings::{Reading, Sink};

/// Takes readings of the rate of counts as changes of speed.
pub(super) struct SpeedSink<'a> {
    pub(super) column: &'a mut ReadingColumn,
    pub(super) last: &'a mut f64,
    /// The travel of a count.
    pub(super) per_count: f64,
}

impl Sink for SpeedSink<'_> {
    fn reading(&mut self, reading: Reading) {
        let speed = reading.hertz * self.per_count;
        if *self.last != speed {
            *self.last = speed;
            self.column.push(reading.made.at, speed);
        }
    }

    fn repeat(&mut self, _times: u64) {}
}
