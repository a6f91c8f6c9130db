//! Captured timer counts: one column of CSV below a header.

use crate::small_file::{SmallFileError, TextKind, read_text};
use std::path::{Path, PathBuf};

/// What is wrong with a file of captured counts.
#[derive(Debug, thiserror::Error)]
pub enum CaptureError {
    /// It cannot be read.
    #[error("{}: {source}", path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// Why.
        source: SmallFileError,
    },
    /// A line of it is wrong.
    #[error("{}:{line}: {fault}", path.display())]
    Line {
        /// The file.
        path: PathBuf,
        /// The line, from 1.
        line: usize,
        /// What is wrong there.
        fault: CaptureFault,
    },
}

/// What is wrong in a line.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CaptureFault {
    /// The first line is a count.
    #[error("the first line must be a header, but `{0}` is a number")]
    NoHeader(String),
    /// More than one cell.
    #[error("`{0}` has more than one column, but one column of counts is needed")]
    Columns(String),
    /// No count.
    #[error("`{0}` is not a whole number")]
    NotWhole(String),
    /// A count that the timer cannot have.
    #[error("{count} does not fit the timer, which counts to {most}")]
    TooLarge {
        /// The count.
        count: u64,
        /// The most that it counts to.
        most: u64,
    },
    /// Too few.
    #[error("at least two counts are needed, but there are {0}")]
    TooFew(usize),
}

impl CaptureError {
    /// What to do about it.
    pub fn help(&self) -> &'static str {
        match self {
            CaptureError::Io { .. } => "this must be a CSV with one column of timer counts below a header",
            CaptureError::Line { fault, .. } => match fault {
                CaptureFault::NoHeader(_) => "put a name such as `count` in the first line",
                CaptureFault::Columns(_) => "keep the column with the captured counts alone",
                CaptureFault::NotWhole(_) => "counts are whole numbers from 0 up, as the capture register has them",
                CaptureFault::TooLarge { .. } => {
                    "--bits says how wide the timer is, --reload at which count it begins anew"
                }
                CaptureFault::TooFew(_) => "a period lies between two captures",
            },
        }
    }
}

/// Reads the counts of a timer that counts to `most`.
///
/// # Errors
/// Where the file cannot be read, or a line is no count of such a timer.
pub fn read(path: &Path, most: u64) -> Result<Vec<u64>, CaptureError> {
    let text = read_text(path, TextKind::Csv).map_err(|source| CaptureError::Io { path: path.to_owned(), source })?;
    parse(&text, most).map_err(|(line, fault)| CaptureError::Line { path: path.to_owned(), line, fault })
}

fn parse(text: &str, most: u64) -> Result<Vec<u64>, (usize, CaptureFault)> {
    let rows = text.trim_start_matches('\u{feff}').lines().map(|row| row.trim().trim_matches('"').trim());
    let mut rows = rows.enumerate().filter(|(_, row)| !row.is_empty());
    if let Some((at, header)) = rows.next()
        && header.parse::<f64>().is_ok()
    {
        return Err((at + 1, CaptureFault::NoHeader(header.to_owned())));
    }
    let count = |(at, row): (usize, &str)| {
        let fault = |fault| Err((at + 1, fault));
        if row.contains([',', ';', '\t']) {
            return fault(CaptureFault::Columns(row.to_owned()));
        }
        match row.parse::<u64>() {
            Err(_) => fault(CaptureFault::NotWhole(row.to_owned())),
            Ok(count) if count > most => fault(CaptureFault::TooLarge { count, most }),
            Ok(count) => Ok(count),
        }
    };
    let counts: Vec<u64> = rows.map(count).collect::<Result<_, _>>()?;
    match counts.len() {
        0 | 1 => Err((text.lines().count().max(1), CaptureFault::TooFew(counts.len()))),
        _ => Ok(counts),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn counts_are_read_and_what_is_none_is_refused_where_it_stands() {
        let fault = |fault| Err(fault);
        let cases = [
            ("count\n1\n65535\n", Ok(vec![1, 65_535])),
            ("\u{feff}\"count\"\r\n\r\n7\r\n8", Ok(vec![7, 8])),
            ("12\n13\n", fault((1, CaptureFault::NoHeader("12".into())))),
            ("count\n1\n2.5\n", fault((3, CaptureFault::NotWhole("2.5".into())))),
            ("count\n-1\n2\n", fault((2, CaptureFault::NotWhole("-1".into())))),
            ("count\n1\n65536\n", fault((3, CaptureFault::TooLarge { count: 65_536, most: 65_535 }))),
            ("count\n1,2\n", fault((2, CaptureFault::Columns("1,2".into())))),
            ("count\n1\n", fault((2, CaptureFault::TooFew(1)))),
            ("", fault((1, CaptureFault::TooFew(0)))),
        ];
        for (text, wanted) in cases {
            assert_eq!(parse(text, 65_535), wanted, "{text:?}");
        }
    }
}
