//! What is older than wanted goes, while the run goes on; what is left gives the same totals.

#![allow(clippy::unwrap_used)]

use reigen_core::engine::Retained;
use reigen_core::lines::{JoinedPiece, LineColumns, LineKind, RecordedLine};
use reigen_core::time::Nanos;
use reigen_history::{HistoryRecorder, HistoryWriter, Kept, KeptPoint, NewSession, SessionText, Store};
use reigen_run::observer::{Observer, WindowView};
use reigen_station::station::{parse, plan::compile};
use serde_json::Value;
use std::collections::HashMap;
use std::io::Read;
use std::path::Path;
use std::time::{Duration, Instant};

const HOUR: u64 = 3_600_000_000_000;

/// What a session begins from, how often its button went on after that, and where it begins.
fn counted(path: &Path, session: i64) -> (i64, i64, u64) {
    let mut text = String::new();
    SessionText::open(path, Some(session)).unwrap().read_to_string(&mut text).unwrap();
    let rows: Vec<Value> = text.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let begins = rows.iter().find_map(|row| row["resumes"]["counter"]["value"].as_i64()).unwrap_or(0);
    let levels: Vec<i64> = rows.iter().filter_map(|row| row["value"].as_i64()).collect();
    let rises = levels.windows(2).filter(|pair| pair == &[0, 1]).count();
    assert!(rows.windows(2).all(|pair| pair[0]["time_ns"].as_u64() <= pair[1]["time_ns"].as_u64()), "{text}");
    (begins, i64::try_from(rises).unwrap(), rows[0]["time_ns"].as_u64().unwrap())
}

/// Waits until a query gives what is wanted.
fn when(database: &rusqlite::Connection, query: &str, is_wanted: impl Fn(i64) -> bool) -> i64 {
    let began = Instant::now();
    loop {
        let found = database.query_row(query, [], |row| row.get::<_, Option<i64>>(0)).unwrap().unwrap_or(0);
        if is_wanted(found) {
            return found;
        }
        assert!(began.elapsed() < Duration::from_secs(60), "{query}: {found}");
        std::thread::sleep(Duration::from_millis(5));
    }
}

/// Works a station of a button and its count for some hours, four presses in each, in a session that began so many hours ago.
fn work(path: &Path, hours: u64, ago: u64, keep: Option<Nanos>) -> i64 {
    let station = parse("[input.button]\nline = 'PB'\n[counter.presses]\nup = 'button'\nretain = true").unwrap();
    let lines = [RecordedLine { name: "PB".to_owned(), signal: 0, kind: LineKind::Level, step: None }];
    let plan = compile(&station, &lines, Nanos(1)).unwrap();
    let mut engine = plan.program.start();
    let store = Store::open(path).unwrap();
    let resumed: Option<Retained> = store.kept().unwrap().into_iter().next().map(|kept| kept.state);
    resumed.iter().for_each(|state| assert!(engine.resume(1, state)));
    let point = KeptPoint {
        number: 1,
        name: "presses".to_owned(),
        kind: "count",
        unit: None,
        retains: Some(("as it is".to_owned(), resumed)),
    };
    let session = NewSession { station: "s", lines: &lines, points: &[point], keep };
    let writer = HistoryWriter::begin(store, &session, Box::new(|| ())).unwrap();
    let database = rusqlite::Connection::open(path).unwrap();
    let began = i64::try_from(ago * HOUR).unwrap();
    database
        .execute(
            "UPDATE session SET began_unix_ns = began_unix_ns - ?1 WHERE id = (SELECT max(id) FROM session)",
            [began],
        )
        .unwrap();
    let kept = Kept { levels: 1, points: 2, changing: vec![1], retaining: vec![1] };
    let mut recorder = HistoryRecorder::new(writer, kept);
    let (mut columns, line_numbers) = (LineColumns::new(1, 0), HashMap::new());
    columns.append(0, JoinedPiece { start: Some((Nanos(0), false)), edges: &[] });
    for hour in 0..hours {
        let edges: Vec<Nanos> = (1..=8).map(|edge| Nanos(hour * HOUR + edge * 1_000_000_000)).collect();
        columns.append(0, JoinedPiece { start: None, edges: &edges });
        let window = columns.cut(Nanos((hour + 1) * HOUR));
        engine.work(window, columns.all());
        let mut view = WindowView { window, engine: &mut engine, lines: &columns, line_numbers: &line_numbers };
        recorder.take(&mut view).unwrap();
        columns.advance(window);
        let until = i64::try_from((hour + 1) * HOUR).unwrap() - 1;
        when(&database, "SELECT until_ns FROM session ORDER BY id DESC LIMIT 1", |found| found == until);
    }
    assert!(recorder.finish(Nanos(hours * HOUR)).unwrap().is_empty());
    let Some((_, Retained::Counter(counter))) = engine.retained(&[1], Nanos(hours * HOUR)).into_iter().next() else {
        return 0;
    };
    counter.value
}

#[test]
fn what_is_left_of_a_session_gives_the_same_total() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("h.sqlite");
    assert_eq!(work(&path, 10, 40, None), 40);
    assert_eq!(counted(&path, 1), (0, 40, 0));
    // A day later, three hours of the new session are kept, and none of the old one.
    let total = work(&path, 8, 8, Some(Nanos(3 * HOUR)));
    assert_eq!(total, 72);
    let database = rusqlite::Connection::open(&path).unwrap();
    let rows = when(&database, "SELECT count(*) FROM change", |_| true);
    assert!(rows < 50, "{rows} rows are left");
    let (begins, rises, from_ns) = counted(&path, 2);
    assert_eq!(begins + rises, total, "{begins} and {rises} after that");
    assert!((4 * HOUR..=6 * HOUR).contains(&from_ns), "from {from_ns}");
    let (begins, rises, from_ns) = counted(&path, 1);
    assert_eq!((begins, rises), (0, 0), "from {from_ns}");
    // The total goes on from there, whatever is gone.
    assert_eq!(work(&path, 1, 1, Some(Nanos(HOUR))), 76);
}
