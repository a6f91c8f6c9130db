//! The stretch of a recording that is asked for.

use crate::failure::Failure;
use reigen_core::time::{Nanos, seconds_short};
use reigen_io::recording::Recording;

/// The part of the recording that counts.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Stretch {
    pub(crate) from: Nanos,
    pub(crate) to: Option<Nanos>,
}

impl Stretch {
    /// From the file's own times; what is not said is the whole.
    pub(crate) fn new(recording: &Recording, from: Option<i64>, to: Option<i64>) -> Result<Self, Failure> {
        let origin = recording.origin();
        let usage = |message: String| Failure::Usage {
            message,
            help: format!("the recording begins at {} s, in its own times", seconds_short(origin.0)),
        };
        let time = |option: &str, file_time: Option<i64>| match file_time.map(|time| (time, origin.since_start(time))) {
            None => Ok(None),
            Some((_, Some(time))) => Ok(Some(time)),
            Some((time, None)) => Err(usage(format!("{option} {} s lies before the recording", seconds_short(time)))),
        };
        let from = time("--from", from)?.unwrap_or_default();
        let to = time("--to", to)?;
        if to.is_some_and(|to| to < from) {
            return Err(usage("--to lies before --from".to_owned()));
        }
        Ok(Self { from, to })
    }

    /// The last time that counts, once the recording has been read.
    pub(crate) fn end(&self, recording: &Recording) -> Result<Nanos, Failure> {
        let last = recording.last_time();
        if self.from > last {
            return Err(Failure::Usage {
                message: "--from lies after the recording".to_owned(),
                help: format!("it ends at {} s", seconds_short(recording.origin().file_time_ns(last))),
            });
        }
        Ok(self.to.map_or(last, |to| to.min(last)))
    }
}
