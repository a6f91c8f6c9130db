//! Sign-off: every wired point is tried at the machine, one after another, and what came of it is kept.
//!
//! A [`Walk`](walk::Walk) is told what lines and points do and what somebody types, and says what to show. It knows no clock, no
//! terminal and no device, so that it is tried with made-up changes.

pub mod analog;
pub mod encoder;
pub mod input;
pub mod steps;
pub mod walk;

use serde::{Deserialize, Serialize};

/// What came of trying a point.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct StepResult {
    /// The point.
    pub point: String,
    /// Where it is wired: its line, terminal and address.
    pub place: String,
    /// What was tried: `input`, `encoder`, `analog` or `output`.
    pub kind: String,
    /// Whether it does what it should.
    pub verdict: Verdict,
    /// What was seen, in a sentence.
    pub message: String,
    /// What to do about it; empty where nothing is to be done.
    pub remedy: String,
    /// Figures, with their names; each name ends in its unit.
    pub figures: Vec<(String, f64)>,
}

/// Whether a point does what it should.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// It does.
    Passed,
    /// It does not.
    Failed,
    /// It was not tried, for a reason.
    Skipped,
}

impl Verdict {
    /// In a word.
    pub fn word(self) -> &'static str {
        match self {
            Self::Passed => "passed",
            Self::Failed => "failed",
            Self::Skipped => "skipped",
        }
    }
}

/// What a judgement of one kind of point says.
#[derive(Debug, Clone, PartialEq)]
pub struct Judged {
    /// Whether it does what it should.
    pub verdict: Verdict,
    /// What was seen.
    pub message: String,
    /// What to do about it.
    pub remedy: String,
    /// Figures.
    pub figures: Vec<(&'static str, f64)>,
}

impl Judged {
    fn passed(message: String) -> Self {
        Self { verdict: Verdict::Passed, message, remedy: String::new(), figures: Vec::new() }
    }

    fn failed(message: String, remedy: &str) -> Self {
        Self { verdict: Verdict::Failed, message, remedy: remedy.to_owned(), figures: Vec::new() }
    }

    fn with(mut self, figures: impl IntoIterator<Item = (&'static str, f64)>) -> Self {
        self.figures.extend(figures);
        self
    }
}
