//! Recordings in an archive, as a query engine of another make reads them. `.ci/run` installs it.

use crate::peers::{found, python};
use crate::support::Place;
use serde_json::Value;
use std::process::Command;

/// What a query over the archive of a place gives, as JSON.
fn query(place: &Place, python: &str, sql: &str) -> Value {
    let program = "import duckdb, json, sys; print(json.dumps(duckdb.sql(sys.argv[1]).fetchall(), default=str))";
    let said = Command::new(python).args(["-c", program, sql]).current_dir(place.path("")).output().unwrap();
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    serde_json::from_slice(&said.stdout).unwrap()
}

/// Rows of an hour before and after midnight.
fn rows(step_s: u64) -> String {
    let row = |number: u64| {
        let time_ns = (1_795_906_800 + number * step_s) * 1_000_000_000;
        let (line, value) = if number % 3 == 2 { ("PB", number / 3 % 2) } else { ("HALL", number % 3) };
        format!("{{\"time_ns\":{time_ns},\"line\":\"{line}\",\"value\":{value}}}\n")
    };
    (0..720).map(row).collect()
}

#[test]
fn a_query_engine_reads_stations_and_days_as_columns_and_counts_what_a_run_counts() {
    let Some(python) = python() else { return };
    let is_there =
        Command::new(&python).args(["-c", "import duckdb"]).output().ok().filter(|said| said.status.success());
    let Some(_) = found(is_there, "`duckdb` is not installed") else { return };
    let place = Place::new();
    for (station, step_s) in [("press", 10), ("reel", 7)] {
        place.write("day.jsonl", rows(step_s));
        let said = place.reigen(&format!("convert day.jsonl --archive plant --station {station}"));
        assert!(said.code == 0 && said.stdout.contains("720 changes, 2 days"), "{}", said.stdout + &said.stderr);
    }
    let from = "read_parquet('plant/**/*.parquet', hive_partitioning = true)";
    let days =
        query(&place, &python, &format!("select distinct station, cast(date as varchar) from {from} order by all"));
    let wanted = serde_json::json!([
        ["press", "2026-11-28"],
        ["press", "2026-11-29"],
        ["reel", "2026-11-28"],
        ["reel", "2026-11-29"]
    ]);
    assert_eq!(days, wanted);
    // Edges: a value other than the one before it; each day repeats at its beginning what lines are.
    let edges = format!(
        "select station, line, count(*) from (select station, line, value, lag(value) over \
         (partition by station, line order by time_ns) as before from {from} where line is not null) \
         where value <> before group by all order by all"
    );
    let edges = query(&place, &python, &edges);
    place.write("s.toml", "[input.hall]\nline = 'HALL'\n[input.button]\nline = 'PB'\n");
    for (number, (station, step_s)) in [("press", 10), ("reel", 7)].into_iter().enumerate() {
        place.write("day.jsonl", rows(step_s));
        let told = place.reigen("run s.toml day.jsonl --json").json();
        for (line, input) in [(0, "hall"), (1, "button")] {
            assert_eq!(edges[2 * number + line][2], told["inputs"][input]["raw_edges"], "{station} {input}");
        }
    }
    let first = query(&place, &python, &format!("select cast(make_timestamp_ns(min(time_ns)) as varchar) from {from}"));
    assert_eq!(first[0][0], "2026-11-28 23:00:00");
}

#[test]
fn the_days_of_an_archive_are_read_again_and_what_cannot_be_dated_is_refused() {
    let place = Place::with_demo();
    let said = place
        .reigen("convert recording.vcd --archive plant --station press --at 2026-11-29T08:30:00Z --lines PB_START");
    assert_eq!(
        (said.code, said.stdout.as_str()),
        (0, "plant/station=press: 1 line, 39 changes, 1 day\n"),
        "{}",
        said.stderr
    );
    place.write("s.toml", "[input.button]\nline = 'PB_START'\n");
    let told = |recording: &str| place.reigen(&format!("run s.toml {recording} --json")).json()["inputs"].take();
    let file = "plant/station=press/date=2026-11-29/083000.000000000.parquet";
    assert_eq!(told(file), told("recording.vcd"));
    place.write("dated.jsonl", rows(1));
    for (arguments, help) in [
        ("recording.vcd --archive plant --station press", "--at 2026-11-29T08:30:00Z"),
        ("dated.jsonl --archive plant --station press --at 2026-11-29T08:30:00Z", "remove --at"),
        ("dated.jsonl --archive plant --station a/b", "--station a_b"),
        ("dated.jsonl --archive plant", "--station"),
        ("dated.jsonl --archive s.toml --station press", "may be written"),
    ] {
        let said = place.reigen(&format!("convert {arguments}"));
        assert!(said.code == 2 && said.stderr.contains(help), "{arguments}: {}", said.stderr);
    }
}
