//! What packed samples mean, in a TOML file beside them.

use crate::error::RecordingError;
use crate::small_file::{SmallFileError, TextKind, read_text};
use reigen_core::quantity::{SampleRate, parse_sample_rate};
use reigen_core::time::Nanos;
use serde::{Deserialize, Serialize};
use std::path::{Path, PathBuf};

/// The file as it stands: `sample_rate = "1 MHz"` and `lines = ["A", "B"]`.
#[derive(Debug, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct File {
    sample_rate: String,
    lines: Vec<String>,
}

/// Looks for a file beside `recording` of the same name with `.toml` behind it; reads it if it is there.
///
/// # Errors
/// Where it is there and cannot be read.
pub(crate) fn find(recording: &Path) -> Result<Option<(SampleRate, Vec<String>)>, RecordingError> {
    let path = path(recording);
    let refuse = |why: String| RecordingError::Sidecar { file: path.display().to_string(), why };
    let text = match read_text(&path, TextKind::Toml) {
        Ok(text) => text,
        Err(SmallFileError::Io(error)) if error.kind() == std::io::ErrorKind::NotFound => return Ok(None),
        Err(error) => return Err(refuse(error.to_string())),
    };
    let file: File = toml::from_str(&text).map_err(|error| refuse(error.to_string().trim_end().to_owned()))?;
    let rate = parse_sample_rate(&file.sample_rate).map_err(|error| refuse(error.to_string()))?;
    check_names(&file.lines).map_err(refuse)?;
    Ok(Some((rate, file.lines)))
}

/// The file beside a recording that says what it means.
pub fn path(recording: &Path) -> PathBuf {
    let mut name = recording.as_os_str().to_owned();
    name.push(".toml");
    PathBuf::from(name)
}

/// The text of such a file, for samples at this step.
pub(crate) fn text(step: Nanos, lines: Vec<String>) -> String {
    let file = File { sample_rate: rate_of(step).unwrap_or_default(), lines };
    // What it holds is text, and that can always be written.
    toml::to_string(&file).unwrap_or_default()
}

/// The rate of a step, where it is whole in millihertz.
pub(crate) fn rate_of(step: Nanos) -> Option<String> {
    const MILLIHERTZ_NS: u64 = 1_000_000_000_000;
    let rate = MILLIHERTZ_NS.checked_div(step.0).filter(|rate| rate * step.0 == MILLIHERTZ_NS)?;
    let units = [(1_000_000_000, "MHz"), (1_000_000, "kHz"), (1000, "Hz"), (1, "mHz")];
    let (size, unit) = units.into_iter().find(|(size, _)| rate % size == 0)?;
    Some(format!("{} {unit}", rate / size))
}

/// Checks the names of the bits of a sample.
///
/// # Errors
/// Says what is wrong with them.
pub fn check_names(names: &[String]) -> Result<(), String> {
    const MOST: usize = 4096;
    if names.iter().all(|name| name == super::UNUSED) {
        return Err("no line has a name".to_owned());
    }
    if names.len() > MOST {
        return Err(format!("{} lines are more than {MOST}", names.len()));
    }
    for (number, name) in names.iter().enumerate() {
        if name.is_empty() {
            return Err(format!("line {} has no name; `-` leaves its bit unused", number + 1));
        }
        if name != super::UNUSED && names.iter().take(number).any(|earlier| earlier == name) {
            return Err(format!("the line `{name}` is used twice"));
        }
    }
    Ok(())
}
