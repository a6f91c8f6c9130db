//! A session is read back exactly as it was written, with other sessions beside it; a program that may not write gets an error.

#![allow(clippy::unwrap_used, clippy::panic)]

use proptest::prelude::*;
use reigen_core::engine::Engine;
use reigen_core::lines::{JoinedPiece, LineColumns, LineKind, RecordedLine};
use reigen_core::time::{Nanos, Window};
use reigen_history::{HistoryError, HistoryRecorder, HistoryWriter, Kept, NewSession, SessionText, Store, sessions};
use reigen_run::observer::{Observer, WindowView};
use std::collections::HashMap;
use std::io::Read;
use std::path::Path;

fn lines() -> Vec<RecordedLine> {
    let line = |name: &str, kind, step| RecordedLine { name: name.to_owned(), signal: 0, kind, step };
    vec![line("PB \"1\"", LineKind::Level, None), line("LOAD", LineKind::Real, Some(Nanos(20_000_000)))]
}

/// A window: how long it is, whether the line of two levels turns over in it, and the number that the other takes.
type Piece = (u64, bool, Option<i32>);

/// Writes a session of windows; gives what is wanted of it, as text of changes.
fn write(path: &Path, pieces: &[Piece]) -> Vec<String> {
    let lines = lines();
    let session = NewSession { station: "s", lines: &lines, points: &[], keep: None };
    let writer = HistoryWriter::begin(Store::open(path).unwrap(), &session, Box::new(|| ())).unwrap();
    let mut recorder = HistoryRecorder::new(writer, Kept { levels: 1, ..Kept::default() });
    let mut columns = LineColumns::new(1, 1);
    let mut engine = Engine::new(Vec::new());
    let line_numbers = HashMap::new();
    let (mut from, mut level, mut wanted) = (0, None, Vec::new());
    for &(length, turns, number) in pieces {
        let (at, until) = (from + length / 2, from + length + 1);
        if turns {
            let next = level.is_none_or(|level: bool| !level);
            let (start, edges) =
                if level.is_none() { (Some((Nanos(at), next)), vec![]) } else { (None, vec![Nanos(at)]) };
            columns.append(0, JoinedPiece { start, edges: &edges });
            level = Some(next);
            wanted.push(format!("{{\"time_ns\":{at},\"line\":\"PB \\\"1\\\"\",\"value\":{}}}", u8::from(next)));
        }
        if let Some(number) = number {
            columns.append_reading(0, Nanos(at), f64::from(number) / 4.0);
            wanted.push(format!("{{\"time_ns\":{at},\"line\":\"LOAD\",\"value\":{:?}}}", f64::from(number) / 4.0));
        }
        let window = columns.cut(Nanos(until));
        assert_eq!(window, Window { from: Nanos(from), until: Nanos(until) });
        let mut view = WindowView { window, engine: &mut engine, lines: &columns, line_numbers: &line_numbers };
        recorder.take(&mut view).unwrap();
        columns.advance(window);
        from = until;
    }
    assert!(recorder.finish(Nanos(from)).unwrap().is_empty());
    wanted.push(format!("{{\"time_ns\":{from}}}"));
    wanted
}

fn read(path: &Path, session: Option<i64>) -> Vec<String> {
    let mut text = String::new();
    SessionText::open(path, session).unwrap().read_to_string(&mut text).unwrap();
    let mut rows = text.lines().map(str::to_owned);
    let declared = [rows.next().unwrap(), rows.next().unwrap()];
    assert!(declared[0].contains("\"value\":null") && declared[1].contains("\"step_ns\":20000000"), "{declared:?}");
    rows.collect()
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    #[test]
    fn each_session_is_read_as_it_was_told(
        told in prop::collection::vec(
            prop::collection::vec((2..2_000_000u64, any::<bool>(), prop::option::of(any::<i32>())), 0..40),
            1..4,
        ),
    ) {
        let folder = tempfile::tempdir().unwrap();
        let path = folder.path().join("h.sqlite");
        let wanted: Vec<Vec<String>> = told.iter().map(|pieces| write(&path, pieces)).collect();
        for (number, wanted) in (1..).zip(&wanted) {
            prop_assert_eq!(&read(&path, Some(number)), wanted);
        }
        prop_assert_eq!(Some(&read(&path, None)), wanted.last());
        prop_assert!(sessions(&path).unwrap().iter().all(|session| session.ended && session.station == "s"));
    }
}

#[test]
fn who_may_not_write_or_read_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("h.sqlite");
    let held = Store::open(&path).unwrap();
    let refused = Store::open(&path).unwrap_err();
    assert!(matches!(refused, HistoryError::InUse { holder: Some(pid), .. } if pid == std::process::id()), "{refused}");
    drop(held);
    write(&path, &[(1000, true, None)]);
    assert!(matches!(SessionText::open(&path, Some(7)).unwrap_err(), HistoryError::NoSession { asked: 7, .. }));
    let database = |name: &str, text: &str| {
        let path = folder.path().join(name);
        rusqlite::Connection::open(&path).unwrap().execute_batch(text).unwrap();
        path
    };
    let foreign = database("foreign.sqlite", "CREATE TABLE t (a)");
    assert!(matches!(Store::open(&foreign).unwrap_err(), HistoryError::Foreign(_)));
    let later =
        database("later.sqlite", "CREATE TABLE t (a); PRAGMA application_id = 1382377831; PRAGMA user_version = 99");
    assert!(matches!(Store::open(&later).unwrap_err(), HistoryError::OtherVersion(_)));
    let damaged = folder.path().join("damaged.sqlite");
    std::fs::write(&damaged, b"SQLite format 3\0 and then nothing of the kind, for a long while").unwrap();
    assert!(matches!(Store::open(&damaged).unwrap_err(), HistoryError::Damaged { .. }));
}

#[test]
fn a_full_disk_stops_the_history_and_says_so() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("h.sqlite");
    let lines = lines();
    let session = NewSession { station: "s", lines: &lines, points: &[], keep: None };
    let store = Store::open(&path).unwrap();
    store.limit_pages(24).unwrap();
    let writer = HistoryWriter::begin(store, &session, Box::new(|| ())).unwrap();
    let mut recorder = HistoryRecorder::new(writer, Kept { levels: 1, ..Kept::default() });
    let mut columns = LineColumns::new(1, 1);
    let (mut engine, line_numbers) = (Engine::new(Vec::new()), HashMap::new());
    for number in 0..20_000_u64 {
        columns.append_reading(0, Nanos(number * 10), 0.5);
        let window = columns.cut(Nanos(number * 10 + 5));
        let mut view = WindowView { window, engine: &mut engine, lines: &columns, line_numbers: &line_numbers };
        recorder.take(&mut view).unwrap();
        columns.advance(window);
    }
    let told = recorder.finish(Nanos(200_000)).unwrap();
    assert_eq!(told.iter().map(|finding| finding.code).collect::<Vec<_>>(), ["history-stopped"]);
    // What was on the disk before is still read.
    assert!(sessions(&path).unwrap().len() == 1);
}
