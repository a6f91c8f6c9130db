//! A bar on standard error for work that takes a while, on a terminal.

use crate::log::is_quiet;
use indicatif::{ProgressBar, ProgressDrawTarget, ProgressStyle};
use reigen_core::finding::Finding;
use reigen_core::time::Nanos;
use reigen_io::recording::Progress;
use reigen_run::error::RunError;
use reigen_run::observer::{Observer, WindowView};
use std::io::IsTerminal;
use std::time::{Duration, Instant};

/// Work that is done sooner gets no bar.
const PATIENCE: Duration = Duration::from_millis(500);
/// Bytes read, rate, and time left.
const KNOWN: &str = "{bar:30} {bytes} of {total_bytes}, {bytes_per_sec}, {eta} left";
/// The same where the length is not known.
const UNKNOWN: &str = "{spinner} {bytes}, {bytes_per_sec}";

/// A bar that shows itself only where someone waits and watches.
pub(crate) struct Bar {
    progress: Progress,
    since: Instant,
    watched: bool,
    bar: Option<ProgressBar>,
}

impl Bar {
    /// A bar for a recording that is about to be read.
    pub(crate) fn new(progress: Progress) -> Self {
        Self { progress, since: Instant::now(), watched: std::io::stderr().is_terminal() && !is_quiet(), bar: None }
    }

    /// Shows how far the work is.
    pub(crate) fn show(&mut self) {
        if !self.watched || self.since.elapsed() < PATIENCE {
            return;
        }
        let (total, since) = (self.progress.total, self.since);
        let bar = self.bar.get_or_insert_with(|| {
            let template = if total.is_some() { KNOWN } else { UNKNOWN };
            let style = ProgressStyle::with_template(template).unwrap_or_else(|_| ProgressStyle::default_bar());
            ProgressBar::with_draw_target(total, ProgressDrawTarget::stderr_with_hz(10))
                .with_style(style)
                .with_elapsed(since.elapsed())
        });
        bar.set_position(self.progress.done());
    }

    /// Takes the bar away.
    pub(crate) fn hide(&mut self) {
        if let Some(bar) = self.bar.take() {
            bar.finish_and_clear();
        }
    }
}

impl Observer for Bar {
    fn take(&mut self, _view: &mut WindowView<'_>) -> Result<(), RunError> {
        self.show();
        Ok(())
    }

    fn take_early(&mut self, _view: &mut WindowView<'_>) {
        self.show();
    }

    fn finish(&mut self, _end: Nanos) -> Result<Vec<Finding>, RunError> {
        self.hide();
        Ok(Vec::new())
    }
}
