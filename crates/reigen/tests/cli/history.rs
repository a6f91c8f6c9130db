//! Histories of live runs: kept, read like any recording, and there after a kill.

use crate::support::{Place, Said};
use serde_json::Value;
use std::fmt::Write as _;
use std::io::Write;
use std::process::Stdio;
use std::thread::sleep;
use std::time::Duration;

const STATION: &str =
    "[input.button]\nline = 'PB'\n[counter.presses]\nup = 'button'\n[analog.load]\nline = 'LOAD'\nunit = 'kW'\n";

/// So many presses, and a load that rises with them.
fn presses(count: u32) -> String {
    let mut text = "{\"line\":\"PB\",\"value\":0}\n".to_owned();
    for number in 0..count {
        let load = f64::from(number) + 0.5;
        let _ = writeln!(text, "{{\"line\":\"PB\",\"value\":1}}\n{{\"line\":\"LOAD\",\"value\":{load}}}");
        let _ = writeln!(text, "{{\"line\":\"PB\",\"value\":0}}");
    }
    text
}

/// A live run on what is typed, with a history.
fn live(place: &Place, arguments: &str, input: &str) -> Said {
    let mut command = place.command(&format!("live station.toml - {arguments}"));
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(input.as_bytes()).unwrap();
    child.wait_with_output().unwrap().into()
}

fn place() -> Place {
    let place = Place::new();
    place.write("station.toml", STATION);
    place
}

#[test]
fn each_session_of_a_history_gives_what_its_live_run_gave() {
    let place = place();
    let mut told: Vec<Value> = Vec::new();
    for count in [7, 3] {
        let said = live(&place, "--history h.sqlite --json", &presses(count));
        assert_eq!(said.code, 0, "{}", said.stderr);
        told.push(serde_json::from_str::<Value>(said.stdout.lines().last().unwrap()).unwrap()["summary"].take());
    }
    for (session, told) in [(" --session 1", &told[0]), (" --session 2", &told[1]), ("", &told[1])] {
        let again = place.reigen(&format!("run station.toml h.sqlite{session} --json")).json();
        for kind in ["inputs", "counters", "analogs"] {
            assert_eq!(told[kind], again[kind], "{session} {kind}");
        }
        assert_eq!(told["recording"]["duration_ns"], again["recording"]["duration_ns"], "{session}");
    }
    let surveyed = place.reigen("survey h.sqlite --session 1").stdout;
    assert!(surveyed.starts_with("h.sqlite: history, session 1 of 2, began 20"), "{surveyed}");
    let converted = place.reigen("convert h.sqlite --session 1 -o one.vcd");
    assert_eq!(converted.code, 0, "{}", converted.stderr);
    assert_eq!(place.reigen("run station.toml one.vcd --json").json()["counters"], told[0]["counters"]);
    for (arguments, told) in [
        ("run station.toml h.sqlite --session 9", "no session 9: it has 1 to 2"),
        ("run station.toml one.vcd --session 1", "--session is for a history"),
        ("run station.toml h.sqlite one.vcd", "a history is read alone"),
        ("live station.toml - --history h.sqlite --record h.sqlite", "h.sqlite"),
    ] {
        let refused = place.reigen(arguments);
        assert!(refused.code == 2 && refused.stderr.contains(told), "{arguments}: {}", refused.stderr);
    }
}

#[test]
fn a_killed_run_has_its_session_and_two_runs_do_not_share_one() {
    let place = place();
    let mut command = place.command("live station.toml - --history h.sqlite --json --points presses");
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::null()).spawn().unwrap();
    let mut input = child.stdin.take().unwrap();
    input.write_all(presses(5).as_bytes()).unwrap();
    let counted = || {
        let said = place.reigen("run station.toml h.sqlite --json");
        if said.code == 0 { said.json()["counters"]["presses"]["value"].as_i64() } else { None }
    };
    // It is read while it is written.
    while counted() != Some(5) {
        sleep(Duration::from_millis(20));
    }
    let second = live(&place, "--history h.sqlite", "");
    assert!(second.code == 2 && second.stderr.contains(&format!("process {}", child.id())), "{}", second.stderr);
    child.kill().unwrap();
    child.wait().unwrap();
    assert_eq!(counted(), Some(5));
    // What comes after goes into a session of its own.
    assert_eq!(live(&place, "--history h.sqlite", &presses(2)).code, 0);
    assert_eq!(counted(), Some(2));
}

#[test]
fn whenever_a_run_is_killed_its_session_has_the_beginning_of_what_came() {
    let place = place();
    for number in 1..=12_u64 {
        let mut command = place.command("live station.toml - --history h.sqlite --lines");
        let mut child = command.stdin(Stdio::piped()).stdout(Stdio::null()).spawn().unwrap();
        let mut input = child.stdin.take().unwrap();
        let typing = std::thread::spawn(move || {
            // Until nobody takes it any more.
            let line = |load: u32| format!("{{\"line\":\"LOAD\",\"value\":{load}}}\n");
            (0..).find(|load| input.write_all(line(*load).as_bytes()).is_err())
        });
        sleep(Duration::from_millis(37 * number));
        child.kill().unwrap();
        child.wait().unwrap();
        let sent = typing.join().unwrap().unwrap();
        let read = place.reigen(&format!("convert h.sqlite --session {number} -o -  --format jsonl"));
        if read.code != 0 {
            // It was killed before its session had begun.
            assert!(number < 4 && read.stderr.contains("h.sqlite"), "{number}: {}", read.stderr);
            assert!(place.reigen("live station.toml - --history h.sqlite --for 1ms").code < 2);
            continue;
        }
        let values: Vec<f64> = read
            .stdout
            .lines()
            .map(|line| serde_json::from_str::<Value>(line).unwrap())
            .filter(|change| change["line"] == "LOAD")
            .filter_map(|change| change["value"].as_f64())
            .collect();
        let differs = values.iter().zip(0_u32..).find(|(value, load)| **value != f64::from(*load));
        assert_eq!(differs, None, "session {number}, {} values", values.len());
        assert!(values.len() <= usize::try_from(sent).unwrap() + 1, "{number}: {} of {sent}", values.len());
    }
}

#[test]
fn the_queries_of_the_guide_answer() {
    let place = place();
    assert_eq!(live(&place, "--history h.sqlite", &presses(4)).code, 0);
    let page = std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/guide/history.md")).unwrap();
    let queries: Vec<&str> = page.split("```sql\n").skip(1).map(|part| part.split("```").next().unwrap()).collect();
    assert!(queries.len() >= 3);
    let database = rusqlite::Connection::open(place.path("h.sqlite")).unwrap();
    let answers: Vec<Vec<Vec<String>>> = queries
        .iter()
        .map(|query| {
            let mut statement = database.prepare(query).unwrap();
            let columns = statement.column_count();
            let row = |row: &rusqlite::Row<'_>| {
                (0..columns).map(|column| row.get_ref(column).map(|cell| format!("{cell:?}"))).collect()
            };
            statement.query_map([], row).unwrap().collect::<Result<_, _>>().unwrap()
        })
        .collect();
    assert_eq!(answers[0].len(), 1, "one session: {answers:?}");
    assert_eq!(answers[1], [["Text([98, 117, 116, 116, 111, 110])", "Integer(4)"]], "`button` went on four times");
    assert_eq!(answers[2].len(), 3, "each point has a last value: {:?}", answers[2]);
}
