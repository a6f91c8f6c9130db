//! Answers of a file, for a sign-off without a person.

use crate::failure::Failure;
use reigen_core::quantity::parse_time;
use reigen_core::time::Nanos;
use serde::Deserialize;
use std::collections::HashMap;
use std::path::Path;

/// So long something may take where the file does not say.
const WAIT: Nanos = Nanos(30_000_000_000);

/// The file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
struct AnswersFile {
    /// How long something may take before it has failed.
    wait: Option<String>,
    /// For each point what is typed, one after another; `"@12s 1500"` is typed 12 s after the run began.
    #[serde(default)]
    answers: HashMap<String, Vec<String>>,
}

/// What is typed for each point.
#[derive(Debug)]
pub(crate) struct Answers {
    /// How long something may take before it has failed.
    pub(crate) wait: Nanos,
    /// For each point its answers, the last first, and from when on each is typed.
    answers: HashMap<String, Vec<(Nanos, String)>>,
    /// Whether something is asked that has no answer yet.
    is_asked: bool,
}

impl Answers {
    /// Reads a file of answers.
    pub(crate) fn read(path: &Path) -> Result<Self, Failure> {
        let wrong = |why: String| {
            Failure::Usage {
            message: format!("{}: {why}", path.display()),
            help: "a file of answers has `wait = \"30 s\"`, and under [answers] for a point what is typed: run_lamp = [\"y\", \"y\", \"y\"]"
                .to_owned(),
        }
        };
        let text = std::fs::read_to_string(path).map_err(|error| wrong(error.to_string()))?;
        let file: AnswersFile = toml::from_str(&text).map_err(|error| wrong(error.message().to_owned()))?;
        let time = |text: &str| parse_time(text).map_err(|error| wrong(error.to_string()));
        let wait = file.wait.as_deref().map(time).transpose()?.unwrap_or(WAIT);
        let mut answers = HashMap::new();
        for (point, texts) in file.answers {
            let timed = texts.into_iter().rev().map(|text| {
                match text.strip_prefix('@').and_then(|text| text.split_once(' ')) {
                    Some((at, rest)) => Ok((time(at)?, rest.to_owned())),
                    None => Ok((Nanos(0), text)),
                }
            });
            answers.insert(point, timed.collect::<Result<_, Failure>>()?);
        }
        Ok(Self { wait, answers, is_asked: false })
    }

    /// Something is asked.
    pub(crate) fn asked(&mut self) {
        self.is_asked = true;
    }

    /// What is typed now for a point, where something is asked and its time has come.
    pub(crate) fn next(&mut self, point: &str, now: Nanos) -> Option<String> {
        let left = self.answers.get_mut(point).filter(|_| self.is_asked)?;
        let (_, text) = left.pop_if(|(from, _)| *from <= now)?;
        self.is_asked = false;
        Some(text)
    }
}
