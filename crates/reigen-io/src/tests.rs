//! What the tests of all formats share: a whole recording read at once, in either form, cut anyhow.

use crate::options::ReadOptions;
use crate::recording::Recording;
use crate::source::Source;
use proptest::prelude::*;
use reigen_core::column::BitColumn;
use reigen_core::lines::LineKind;
use reigen_core::time::Nanos;
use std::io::{Cursor, Write};

/// All that a recording tells.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Told {
    pub(crate) names: Vec<String>,
    /// The two-level signals.
    pub(crate) bits: Vec<BitColumn>,
    /// The number signals: times and values.
    pub(crate) numbers: Vec<Vec<(u64, f64)>>,
    pub(crate) origin: i64,
    pub(crate) end: u64,
    pub(crate) edges: u64,
    pub(crate) findings: Vec<String>,
}

impl Told {
    /// The first level, its time, and the toggles of a line.
    pub(crate) fn line(&self, signal: usize) -> (Option<bool>, u64, Vec<u64>) {
        let column = &self.bits[signal];
        (column.level, column.since.0, column.toggles.iter().map(|time| time.0).collect())
    }
}

/// Reads a whole recording from a stream.
pub(crate) fn told(bytes: &[u8], options: &ReadOptions) -> Result<Told, String> {
    let input = Box::new(Cursor::new(bytes.to_vec()));
    all_of(Recording::from_bytes("rec".to_owned(), input, options))
}

/// The same from a file.
fn told_by_file(bytes: &[u8], options: &ReadOptions) -> Result<Told, String> {
    let mut file = tempfile::NamedTempFile::new().unwrap();
    file.write_all(bytes).unwrap();
    let name = file.path().display().to_string();
    all_of(Recording::open(file.path(), options)).map_err(|message| message.replace(&name, "rec")).map(|mut told| {
        told.findings.iter_mut().for_each(|finding| *finding = finding.replace(&name, "rec"));
        told
    })
}

fn all_of(recording: Result<Recording, crate::error::RecordingError>) -> Result<Told, String> {
    let mut recording = recording.map_err(|error| error.to_string())?;
    let count = |recording: &Recording, level: bool| {
        let lines = recording.lines().iter().filter(|line| level == (line.kind == LineKind::Level));
        lines.map(|line| line.signal + 1).max().unwrap_or(0)
    };
    let (bits, numbers) = (count(&recording, true), count(&recording, false));
    let mut lines = recording.select(&(0..bits).collect::<Vec<_>>(), &(0..numbers).collect::<Vec<_>>());
    let mut whole = vec![BitColumn::default(); bits];
    let mut values = vec![Vec::new(); numbers];
    let mut end = Nanos(0);
    recording
        .read(&mut lines, &mut |lines, until| {
            let window = lines.cut(until);
            for (whole, column) in whole.iter_mut().zip(lines.bits()) {
                if let (None, Some(level)) = (whole.level, column.level) {
                    whole.start(column.since, level);
                }
                whole.toggles.extend(&column.toggles);
            }
            for (values, column) in values.iter_mut().zip(lines.readings()) {
                values.extend(column.times.iter().map(|time| time.0).zip(column.values.iter().copied()));
            }
            lines.advance(window);
            end = until;
            true
        })
        .map_err(|error| error.to_string())?;
    assert_eq!(end, recording.last_time() + Nanos(1));
    let names: Vec<String> = recording.lines().iter().map(|line| line.name.clone()).collect();
    let findings = recording.findings(&(0..bits).map(|signal| format!("line {signal}")).collect::<Vec<_>>());
    Ok(Told {
        names,
        bits: whole,
        numbers: values,
        origin: recording.origin().0,
        end: recording.last_time().0,
        edges: recording.edges(),
        findings: findings.iter().map(|finding| finding.message.clone()).collect(),
    })
}

/// Checks that both forms tell the same of a recording, from a stream and from a file, in pieces of any size.
pub(crate) fn both_forms_agree(bytes: &[u8], options: &ReadOptions, piece: usize) -> Result<(), TestCaseError> {
    let plain = told(bytes, &ReadOptions { plain: true, ..options.clone() });
    for (plain_form, piece_bytes) in [(false, None), (false, Some(piece)), (true, Some(piece))] {
        let options = ReadOptions { plain: plain_form, piece_bytes, ..options.clone() };
        prop_assert_eq!(&plain, &told(bytes, &options), "plain {} in pieces of {:?}", plain_form, piece_bytes);
    }
    let options = ReadOptions { piece_bytes: Some(piece), ..options.clone() };
    prop_assert_eq!(&plain, &told_by_file(bytes, &options), "from a file in pieces of {}", piece);
    Ok(())
}

/// Changes to a text: at a place, take some bytes away and put others there.
pub(crate) fn damage() -> impl Strategy<Value = Vec<(prop::sample::Index, usize, Vec<u8>)>> {
    let byte =
        prop_oneof![Just(b'\n'), Just(b'#'), Just(b'"'), Just(b','), Just(b'1'), Just(b'x'), Just(b'$'), any::<u8>()];
    prop::collection::vec((any::<prop::sample::Index>(), 0..4usize, prop::collection::vec(byte, 0..3)), 0..3)
}

/// A text with changes made to it.
pub(crate) fn damaged(text: &str, damage: &[(prop::sample::Index, usize, Vec<u8>)]) -> Vec<u8> {
    let mut bytes = text.as_bytes().to_vec();
    for (place, gone, put) in damage {
        if bytes.is_empty() {
            break;
        }
        let start = place.index(bytes.len());
        let end = (start + gone).min(bytes.len());
        bytes.splice(start..end, put.iter().copied());
    }
    bytes
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]
    #[test]
    fn a_recording_in_several_files_is_the_whole_wherever_it_was_parted(
        rows in prop::collection::vec((1..2000u64, 0..4u8, -40..40i8), 4..60),
        cuts in prop::collection::vec(any::<prop::sample::Index>(), 1..4),
        own in any::<bool>(),
        piece in 2..200usize,
    ) {
        let header = "time_us,A,B,V\n";
        let (mut time, mut lines) = (0, Vec::new());
        for (step, levels, value) in &rows {
            time += step;
            lines.push((time, format!("{},{},{value}.5\n", levels & 1, levels >> 1)));
        }
        let mut cuts: Vec<usize> = cuts.iter().map(|cut| 1 + cut.index(lines.len() - 1)).collect();
        cuts.extend([0, lines.len()]);
        cuts.sort_unstable();
        cuts.dedup();
        let folder = tempfile::tempdir().unwrap();
        // A clock of its own begins where the file before ended, one nanosecond later where rows come at no step.
        let (mut paths, mut whole, mut ended) = (Vec::new(), header.to_owned(), None::<u64>);
        for (number, pair) in cuts.windows(2).enumerate() {
            let part = &lines[pair[0]..pair[1]];
            let first = part[0].0;
            let shift = if own { first } else { 0 };
            let rows: Vec<String> = part.iter().map(|(time, cells)| format!("{},{cells}", time - shift)).collect();
            // The lines of a later file may stand in another order.
            let path = folder.path().join(format!("{number}.csv"));
            std::fs::write(&path, format!("{header}{}", rows.concat())).unwrap();
            let input = Box::new(Cursor::new(std::fs::read(&path).unwrap()));
            let alone = Recording::from_bytes("part".to_owned(), input, &ReadOptions::default()).unwrap();
            let begins = match ended {
                Some(ended) if own => ended + alone.tick().0,
                _ if own => 0,
                _ => first * 1000,
            };
            for (time, cells) in part {
                let ns = begins + (time - first) * 1000;
                whole += &format!("{}.{:03},{cells}", ns / 1000, ns % 1000);
                ended = Some(ns);
            }
            paths.push(path);
        }
        let options = ReadOptions { piece_bytes: Some(piece), ..ReadOptions::default() };
        let clock = if own { crate::recording::Clock::Own } else { crate::recording::Clock::Shared };
        let mut joined = all_of(Recording::open_all(&paths.iter().map(Source::from).collect::<Vec<_>>(), &options, clock)).unwrap();
        let mut at_once = told(whole.as_bytes(), &options).unwrap();
        // Gaps are told of the parts alone.
        joined.findings.clear();
        at_once.findings.clear();
        prop_assert_eq!(joined, at_once);
    }
}
