//! Histories of live runs: kept, read like any recording, and there after a kill.

use crate::support::{Place, Said};
use serde_json::Value;
use std::fmt::Write as _;
use std::io::{BufRead as _, BufReader, Write};
use std::process::{Child, Command, Stdio};
use std::thread::{self, sleep};
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

/// A run on presses that are typed as fast as they are taken, until it is killed after a while; with what it showed.
struct KilledRun {
    /// Presses that were typed, or were about to be.
    typed: u64,
    /// The total that was shown last.
    shown: Option<i64>,
}

/// Lets a run go for so long; `at_end` is done with it before it is killed.
fn killed(place: &Place, after: Duration, at_end: impl FnOnce(&mut Child)) -> KilledRun {
    let mut command = place.command("live station.toml - --history h.sqlite --lines --points presses");
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    let mut input = child.stdin.take().unwrap();
    let typing = thread::spawn(move || {
        let _ = input.write_all(b"{\"line\":\"PB\",\"value\":0}\n");
        let press = "{\"line\":\"PB\",\"value\":1}\n{\"line\":\"PB\",\"value\":0}\n";
        // Until nobody takes it any more.
        (1..).find(|_| input.write_all(press.as_bytes()).is_err()).unwrap()
    });
    let mut out = BufReader::new(child.stdout.take().unwrap());
    let reading = thread::spawn(move || {
        let (mut line, mut shown) = (String::new(), None);
        while out.read_line(&mut line).is_ok_and(|length| length > 0) {
            // The last line may be half of one.
            shown = line.strip_suffix('\n').and_then(|line| line.rsplit(' ').next()?.parse().ok()).or(shown);
            line.clear();
        }
        shown
    });
    sleep(after);
    at_end(&mut child);
    child.kill().unwrap();
    child.wait().unwrap();
    KilledRun { typed: typing.join().unwrap(), shown: reading.join().unwrap() }
}

/// What a session of a history begins from, and comes to; `None` where nothing has begun.
fn session(place: &Place, file: &str, session: u64) -> Option<(i64, i64)> {
    let text = place.reigen(&format!("convert {file} --session {session} -o - --format jsonl"));
    let run = place.reigen(&format!("run station.toml {file} --session {session} --json"));
    if text.code != 0 || run.code != 0 {
        // It was killed before there was anything, or a session of its own.
        let told = format!("{}{}", text.stderr, run.stderr);
        assert!(told.contains("no session") || told.contains("this is none"), "{told}");
        return None;
    }
    let rows = text.stdout.lines().map(|line| serde_json::from_str::<Value>(line).unwrap());
    let resumed = rows.filter_map(|row| row["resumes"]["counter"]["value"].as_i64()).next();
    let begins = resumed.unwrap_or(0);
    Some((begins, run.json()["counters"]["presses"]["value"].as_i64().unwrap_or(begins)))
}

#[test]
#[allow(clippy::print_stdout, reason = "the figure of the loop by hand")]
fn whenever_a_run_is_killed_no_press_that_was_shown_is_lost_and_none_counts_twice() {
    let place = Place::new();
    place.write("station.toml", "[input.button]\nline = 'PB'\n[counter.presses]\nup = 'button'\nretain = true\n");
    let kills: u64 = std::env::var("REIGEN_KILLS").map_or(20, |kills| kills.parse().unwrap());
    let mut sessions = 0;
    let mut total = 0;
    for number in 1..=kills {
        // Soon after the start as well as later, and never twice the same.
        let after = Duration::from_micros(number * 7919 % 97 * number.min(8) * 617);
        let run = killed(&place, after, |_| ());
        let begun = session(&place, "h.sqlite", sessions + 1);
        let Some((begins, ends)) = begun else {
            assert_eq!(run.shown, None, "shown without a session");
            continue;
        };
        sessions += 1;
        assert_eq!(begins, total, "session {sessions} goes on where the one before ended");
        assert!(ends >= run.shown.unwrap_or(begins), "{ends} are left of {:?} that were shown", run.shown);
        assert!(ends - begins <= i64::try_from(run.typed).unwrap(), "{begins} to {ends} of {} typed", run.typed);
        total = ends;
    }
    println!("{kills} kills, {sessions} sessions, {total} presses");
    assert!(total > 0 && sessions > kills / 3, "{total} in {sessions}");
}

#[test]
fn after_a_power_cut_all_that_was_shown_is_there() {
    let place = Place::new();
    place.write("station.toml", "[input.button]\nline = 'PB'\n[counter.presses]\nup = 'button'\nretain = true\n");
    for number in 1..=4_u64 {
        // What stood in the files between two syncs; what was on its way is torn.
        let run = killed(&place, Duration::from_millis(70 * number), |child| {
            while session(&place, "h.sqlite", number).is_none_or(|(begins, ends)| begins == ends) {
                sleep(Duration::from_millis(10));
            }
            let stopped = Command::new("kill").args(["-STOP", &child.id().to_string()]).status().unwrap();
            assert!(stopped.success());
            sleep(Duration::from_millis(50));
            std::fs::copy(place.path("h.sqlite"), place.path("cut.sqlite")).unwrap();
            let mut log = std::fs::read(place.path("h.sqlite-wal")).unwrap();
            log.extend((0..3000_u32).map(|byte| byte.to_le_bytes()[0]));
            std::fs::write(place.path("cut.sqlite-wal"), log).unwrap();
            let _ = std::fs::remove_file(place.path("cut.sqlite-shm"));
        });
        let (_, ends) = session(&place, "cut.sqlite", number).unwrap();
        assert!(run.shown.is_none_or(|shown| ends >= shown), "{ends} of {:?}", run.shown);
        // And a run goes on from there.
        assert_eq!(live(&place, "--history cut.sqlite", "{\"line\":\"PB\",\"value\":0}\n").code, 0);
        assert_eq!(session(&place, "cut.sqlite", number + 1), Some((ends, ends)));
    }
}

#[test]
fn a_station_that_has_changed_keeps_what_still_means_the_same_and_tells_the_rest() {
    let place = Place::new();
    let station = |rest: &str| {
        let text = format!("[input.button]\nline = 'PB'\n{rest}");
        place.write("station.toml", &text);
    };
    let values = |said: &Said| {
        let summary: Value = serde_json::from_str(said.stdout.lines().last().unwrap()).unwrap();
        let summary = &summary["summary"];
        let dropped: Vec<String> = summary["findings"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|finding| finding["code"] == "state-dropped")
            .map(|finding| {
                format!("{}: {}", finding["subject"].as_str().unwrap(), finding["message"].as_str().unwrap())
            })
            .collect();
        let counted = ["presses", "batch"].map(|counter| summary["counters"][counter]["value"].as_i64());
        (counted, summary["bits"]["lamp"]["final"].as_bool(), dropped)
    };
    let run = || live(&place, "--history h.sqlite --json", &presses(3));
    let counter = "[counter.presses]\nup = 'button'\nretain = true\n";
    let toggle = "[toggle.lamp]\nby = 'button'\nretain = true\n";
    station(&format!("{counter}{toggle}[counter.batch]\nup = 'button'\n"));
    assert_eq!(values(&run()), ([Some(3), Some(3)], Some(true), vec![]));
    assert_eq!(values(&run()), ([Some(6), Some(3)], Some(false), vec![]), "what does not retain begins anew");
    // When to act is no part of what a count means; what flips the lamp is one of what the lamp means.
    station(&format!("{counter}presets = [100]\n[toggle.lamp]\nby = 'NOT button'\nretain = true\n"));
    let (counted, _, dropped) = values(&run());
    assert_eq!(counted[0], Some(9));
    assert_eq!(dropped, ["lamp: it was off when the last run ended, and begins anew: its settings are others now"]);
    // A counter that counts otherwise begins anew; as it was before, it goes on from where it was then.
    station(&format!("{counter}edge = 'falling'\n"));
    let (counted, _, dropped) = values(&run());
    assert_eq!(counted[0], Some(3));
    assert!(dropped.iter().any(|told| told.starts_with("presses: it was at 9")), "{dropped:?}");
    station(&format!("{counter}{toggle}"));
    assert_eq!(values(&run()).0[0], Some(12));
    // Another station on the same history: the totals come back with the first.
    station("[counter.other]\nup = 'button'\nretain = true\n");
    let (_, _, dropped) = values(&run());
    assert_eq!(dropped.len(), 2, "{dropped:?}");
    assert!(dropped[1].starts_with("presses: it was at 12 when the last run ended"), "{dropped:?}");
    station(counter);
    assert_eq!(values(&run()).0[0], Some(15));
    station(&format!("{counter}limits = [0, 5]\n"));
    let (counted, _, dropped) = values(&run());
    assert_eq!((counted[0], dropped.len()), (Some(3), 1), "{dropped:?}");
    // Without a history nothing is kept, and it is told.
    let without = live(&place, "--json", &presses(3));
    assert!(without.stderr.contains("needs --history"), "{}", without.stderr);
}

#[test]
fn what_a_live_run_gives_from_where_it_goes_on_its_recording_gives_again() {
    let place = Place::new();
    place.write(
        "station.toml",
        "[input.button]\nline = 'PB'\n[counter.presses]\nup = 'button'\npresets = [2]\nat_last = 'restart'\nretain = true\n\
         [toggle.lamp]\nby = 'button'\nretain = true\n[latch.run]\nset = 'button'\nreset = 'presses.done'\nretain = true\n",
    );
    for round in 0..3 {
        let said = live(&place, "--history h.sqlite --record r.vcd --json", &presses(5));
        let told = serde_json::from_str::<Value>(said.stdout.lines().last().unwrap()).unwrap()["summary"].take();
        assert_eq!(place.reigen("convert r.vcd -o r.jsonl").code, 0);
        for recording in ["h.sqlite", "r.vcd", "r.jsonl"] {
            let again = place.reigen(&format!("run station.toml {recording} --json")).json();
            for kind in ["inputs", "counters", "bits"] {
                assert_eq!(told[kind], again[kind], "round {round}, {recording} {kind}");
            }
        }
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
