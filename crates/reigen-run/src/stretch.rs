//! The stretch of a recording that is asked for.

use crate::error::RunError;
use reigen_core::time::{Nanos, Origin, seconds_short};

/// The part of the recording that counts.
#[derive(Debug, Clone, Copy, Default)]
pub struct Stretch {
    /// From this time on.
    pub from: Nanos,
    /// Up to this time, which belongs to it.
    pub to: Option<Nanos>,
}

impl Stretch {
    /// From the source's own times; without them it is the whole.
    ///
    /// # Errors
    /// Where one is before the recording, or they are the wrong way round.
    pub fn new(origin: Origin, from: Option<i64>, to: Option<i64>) -> Result<Self, RunError> {
        let usage = |message: String| RunError::Request {
            message,
            help: format!("the recording begins at {} s, in its own time", seconds_short(origin.0)),
        };
        let time = |option: &str, file_time: Option<i64>| match file_time.map(|time| (time, origin.since_start(time))) {
            None => Ok(None),
            Some((_, Some(time))) => Ok(Some(time)),
            Some((time, None)) => Err(usage(format!("{option} {} s is before the recording", seconds_short(time)))),
        };
        let from = time("--from", from)?.unwrap_or_default();
        let to = time("--to", to)?;
        if to.is_some_and(|to| to < from) {
            return Err(usage("--to is before --from".to_owned()));
        }
        Ok(Self { from, to })
    }

    /// The last time that counts, once the recording has been read.
    ///
    /// # Errors
    /// Where it begins after that.
    pub fn end(&self, origin: Origin, last: Nanos) -> Result<Nanos, RunError> {
        if self.from > last {
            return Err(RunError::Request {
                message: "--from is after the recording".to_owned(),
                help: format!("it ends at {} s", seconds_short(origin.file_time_ns(last))),
            });
        }
        Ok(self.to.map_or(last, |to| to.min(last)))
    }
}
