//! Findings: what a person should know, and what to do about it.

use serde::Serialize;

/// How much a finding matters.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, schemars::JsonSchema)]
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
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
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
    /// The sum that it rests on, with its numbers.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sum: Option<String>,
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
            sum: None,
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

    /// A warning; see [`Finding`] for the parts.
    pub fn warning(code: &'static str, subject: &str, message: String, remedy: &str) -> Self {
        Self { severity: Severity::Warning, ..Self::note(code, subject, message, remedy) }
    }
}
