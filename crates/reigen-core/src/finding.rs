//! Findings: what a person should know, and what to do about it.

use crate::time::Nanos;
use serde::{Deserialize, Serialize};

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Worth knowing.
    Note,
    /// The results may not be what was meant.
    Warning,
    /// The results are not to be relied on.
    Error,
}

impl Severity {
    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Note => "note",
            Self::Warning => "warning",
            Self::Error => "error",
        }
    }
}

/// Something a person should know.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Finding {
    /// A stable code in words, such as `pulses-swallowed`.
    pub code: &'static str,
    /// How much it matters.
    pub severity: Severity,
    /// The point, line or file that it is about.
    pub subject: String,
    /// One sentence with the numbers it rests on.
    pub message: String,
    /// What to do about it.
    pub remedy: String,
    /// When it first was, where it is of a time.
    #[serde(skip)]
    pub at: Option<Nanos>,
    /// The sum that it rests on, with its numbers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sum: Option<String>,
    /// Changes that were tried in the circuit and mend it, the best first; told by the wiring check alone.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub remedies: Option<Vec<Remedy>>,
}

/// A change that mends a finding and brings no other: it was put into the circuit, and the circuit worked again.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct Remedy {
    /// What to do, as an instruction.
    pub change: String,
    /// The parts that join the wire, in their order: at the terminal's end where `at` says nothing else.
    pub parts: Vec<RemedyPart>,
    /// The least voltage at the terminal with the change, in the finding's state; `null` where that is no level.
    pub least_v: Option<f64>,
    /// The greatest.
    pub greatest_v: Option<f64>,
}

/// A part of a remedy, with the keys of `wire = [ … ]` and SI units.
#[derive(Debug, Default, Clone, PartialEq, Serialize, schemars::JsonSchema)]
pub struct RemedyPart {
    /// Ohms in the wire.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub series: Option<f64>,
    /// Ohms to plus.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pull_up: Option<f64>,
    /// Ohms to 0 V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pull_down: Option<f64>,
    /// `level` for a level converter.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub converter: Option<&'static str>,
    /// The supply that a converter takes, as the station file has it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub from: Option<String>,
    /// The supply that it gives, or that a pull-up goes to where that is not the card's.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to: Option<String>,
    /// `sensor` where it joins at the sensor's end.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub at: Option<&'static str>,
}

impl Finding {
    /// A note; see [`Finding`] for the parts.
    pub fn note(code: &'static str, subject: &str, message: String, remedy: &str) -> Self {
        Self {
            code,
            severity: Severity::Note,
            subject: subject.to_owned(),
            message,
            remedy: remedy.to_owned(),
            at: None,
            sum: None,
            remedies: None,
        }
    }

    /// An error; see [`Finding`] for the parts.
    pub fn error(code: &'static str, subject: &str, message: String, remedy: &str) -> Self {
        Self { severity: Severity::Error, ..Self::note(code, subject, message, remedy) }
    }

    /// The finding with the sum that it rests on.
    pub fn with_sum(self, sum: String) -> Self {
        Self { sum: Some(sum), ..self }
    }

    /// The finding with the time at which it first was.
    pub fn first_at(self, time: Nanos) -> Self {
        Self { at: Some(time), ..self }
    }

    /// A warning; see [`Finding`] for the parts.
    pub fn warning(code: &'static str, subject: &str, message: String, remedy: &str) -> Self {
        Self { severity: Severity::Warning, ..Self::note(code, subject, message, remedy) }
    }
}
