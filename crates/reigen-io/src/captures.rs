//! Captured timer counts: one column of CSV below a header, or two with the starts and the ends of pulses.

use crate::small_file::{SmallFileError, TextKind, read_text};
use reigen_core::rate::captures::Captures;
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
    /// Another number of cells than before it, or too many.
    #[error("`{0}` has not as many columns as the lines before it, or more than two")]
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
            CaptureError::Io { .. } => "this must be a CSV with one or two columns of timer counts below a header",
            CaptureError::Line { fault, .. } => match fault {
                CaptureFault::NoHeader(_) => "put a name such as `count` in the first line",
                CaptureFault::Columns(_) => {
                    "keep one column of captured counts, or two: the counts at the start and at the end of each pulse"
                }
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
pub fn read(path: &Path, most: u64) -> Result<Captures, CaptureError> {
    let text = read_text(path, TextKind::Csv).map_err(|source| CaptureError::Io { path: path.to_owned(), source })?;
    parse(&text, most).map_err(|(line, fault)| CaptureError::Line { path: path.to_owned(), line, fault })
}

fn parse(text: &str, most: u64) -> Result<Captures, (usize, CaptureFault)> {
    let mut rows = text.trim_start_matches('\u{feff}').lines().enumerate().filter(|(_, row)| !row.trim().is_empty());
    let mut width = None;
    if let Some((at, header)) = rows.next() {
        let cells = cells(header);
        if let Some(number) = cells.iter().find(|cell| cell.parse::<f64>().is_ok()) {
            return Err((at + 1, CaptureFault::NoHeader((*number).to_owned())));
        }
        width = Some(cells.len());
    }
    let mut captures = Captures::default();
    for (at, row) in rows {
        let cells = cells(row);
        if Some(cells.len()) != width || cells.len() > 2 {
            return Err((at + 1, CaptureFault::Columns(row.trim().to_owned())));
        }
        for (cell, column) in cells.into_iter().zip([&mut captures.starts, &mut captures.ends]) {
            column.push(count(cell, most).map_err(|fault| (at + 1, fault))?);
        }
    }
    match captures.starts.len() {
        few @ (0 | 1) => Err((text.lines().count().max(1), CaptureFault::TooFew(few))),
        _ => Ok(captures),
    }
}

fn cells(row: &str) -> Vec<&str> {
    row.split([',', ';', '\t']).map(|cell| cell.trim().trim_matches('"').trim()).collect()
}

fn count(cell: &str, most: u64) -> Result<u64, CaptureFault> {
    match cell.parse::<u64>() {
        Err(_) => Err(CaptureFault::NotWhole(cell.to_owned())),
        Ok(count) if count > most => Err(CaptureFault::TooLarge { count, most }),
        Ok(count) => Ok(count),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn counts_are_read_and_what_is_none_is_refused_where_it_stands() {
        let fault = |fault| Err(fault);
        let cases = [
            ("count\n1\n65535\n", Ok(Captures { starts: vec![1, 65_535], ends: vec![] })),
            ("\u{feff}\"count\"\r\n\r\n7\r\n8", Ok(Captures { starts: vec![7, 8], ends: vec![] })),
            ("rise;fall\n7;9\n8;65535", Ok(Captures { starts: vec![7, 8], ends: vec![9, 65_535] })),
            ("12\n13\n", fault((1, CaptureFault::NoHeader("12".into())))),
            ("count\n1\n2.5\n", fault((3, CaptureFault::NotWhole("2.5".into())))),
            ("count\n-1\n2\n", fault((2, CaptureFault::NotWhole("-1".into())))),
            ("count\n1\n65536\n", fault((3, CaptureFault::TooLarge { count: 65_536, most: 65_535 }))),
            ("rise,fall\n1,2\n3\n", fault((3, CaptureFault::Columns("3".into())))),
            ("a,b,c\n1,2,3\n", fault((2, CaptureFault::Columns("1,2,3".into())))),
            ("count\n1,2\n", fault((2, CaptureFault::Columns("1,2".into())))),
            ("count\n1\n", fault((2, CaptureFault::TooFew(1)))),
            ("", fault((1, CaptureFault::TooFew(0)))),
        ];
        for (text, wanted) in cases {
            assert_eq!(parse(text, 65_535), wanted, "{text:?}");
        }
    }
}
