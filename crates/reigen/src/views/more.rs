//! The command that shows more of a finding, ready to paste.

use crate::cli::ReadingArguments;
use crate::shell_word::quoted;
use reigen_core::finding::Finding;
use reigen_core::time::{Nanos, Origin, seconds_short};
use reigen_station::station::Station;
use std::path::{Path, PathBuf};

/// What the commands name: the station, the recordings, and how these are read.
pub(crate) struct CommandPlace<'a> {
    station: &'a Station,
    origin: Origin,
    /// The files as arguments of a command.
    files: String,
    recordings: String,
}

/// How much is drawn before and after the time of a finding.
const AROUND: Nanos = Nanos(500_000_000);

/// Nanoseconds in a millisecond.
const MILLISECOND: u64 = 1_000_000;

impl<'a> CommandPlace<'a> {
    /// The place of a run; `None` where a recording is a stream, which cannot be read again.
    pub(crate) fn new(
        station: &'a Station,
        station_file: &Path,
        recordings: &[PathBuf],
        reading: &ReadingArguments,
        origin: Origin,
    ) -> Option<Self> {
        if recordings.iter().any(|path| path.as_os_str() == "-") {
            return None;
        }
        let named: Vec<String> = recordings.iter().map(|path| quoted(&path.display().to_string())).collect();
        let recordings = format!("{}{}", named.join(" "), reading.typed());
        let files = format!("{} {recordings}", quoted(&station_file.display().to_string()));
        Some(Self { station, origin, files, recordings })
    }

    /// The command that shows more of a finding.
    pub(crate) fn command(&self, finding: &Finding) -> String {
        let name = &finding.subject;
        let Some(point) = self.station.points.iter().find(|point| point.name == *name) else {
            return format!("reigen survey {}", self.recordings);
        };
        let seconds = |time: Nanos| format!("{}s", seconds_short(self.origin.file_time_ns(time)));
        let is_bit = point.kind.input().is_some() || finding.code == "expectation-failed";
        match finding.at {
            Some(at) if is_bit => format!("reigen why {} {name} --at {}", self.files, seconds(at)),
            Some(at) => {
                // In whole milliseconds, which are shorter to type.
                let whole = |time: Nanos| seconds(Nanos(time.0 / MILLISECOND * MILLISECOND));
                let (from, to) = (whole(at.saturating_sub(AROUND)), whole(at + AROUND));
                format!("reigen draw {} --points {name} --from {from} --to {to}", self.files)
            }
            None => format!("reigen why {} {name}", self.files),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_station::station::parse;

    #[test]
    fn a_finding_names_the_command_that_shows_more() {
        let station =
            parse("[input.a]\nline = 'A'\n[encoder.e]\na = 'B'\nb = 'C'\n[expect.x]\nthat = 'a'\nalways = true")
                .unwrap();
        let reading = ReadingArguments { time: Some("t [ms]".to_owned()), ..ReadingArguments::default() };
        let place =
            CommandPlace::new(&station, Path::new("my station.toml"), &[PathBuf::from("r.csv")], &reading, Origin(0));
        let place = place.unwrap();
        let finding = |code, subject| Finding::warning(code, subject, String::new(), "");
        let second = Nanos(1_250_000_000);
        for (finding, command) in [
            (finding("bounce-counted", "a"), "reigen why 'my station.toml' r.csv --time 't [ms]' a"),
            (
                finding("expectation-failed", "x").first_at(second),
                "reigen why 'my station.toml' r.csv --time 't [ms]' x --at 1.25s",
            ),
            (
                finding("counts-missing", "e").first_at(second),
                "reigen draw 'my station.toml' r.csv --time 't [ms]' --points e --from 0.75s --to 1.75s",
            ),
            (finding("gap", "r.csv"), "reigen survey r.csv --time 't [ms]'"),
        ] {
            assert_eq!(place.command(&finding), command);
        }
        let stream = CommandPlace::new(&station, Path::new("s.toml"), &[PathBuf::from("-")], &reading, Origin(0));
        assert!(stream.is_none(), "a stream cannot be read again");
    }
}
