//! Stations worked on live lines, by the built program.

use crate::support::{Place, Said};
use serde_json::{Value, json};
use std::io::Write;
use std::process::Stdio;

const STATION: &str = "[input.button]\nline = 'PB'\ndebounce = '5 ms'\n[counter.presses]\nup = 'button'\n[analog.load]\nline = 'LOAD'\nunit = 'kW'\n";

/// What a live run says of what comes from standard input.
fn live(place: &Place, arguments: &str, input: &str) -> Said {
    let mut command = place.command(&format!("live station.toml - {arguments}"));
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    // Where the run has ended before, nobody reads.
    let _ = child.stdin.take().unwrap().write_all(input.as_bytes());
    child.wait_with_output().unwrap().into()
}

/// A press of so many milliseconds every 100 ms, by a device's own clock.
fn presses(count: u64, length_ms: u64) -> String {
    let press = |number: u64| {
        let line = |ms: u64, value: u8| format!("{{\"time_ms\":{ms},\"line\":\"PB\",\"value\":{value}}}\n");
        line(number * 100, 0) + &line(number * 100 + 10, 1) + &line(number * 100 + 10 + length_ms, 0)
    };
    (0..count).map(press).collect()
}

fn place() -> Place {
    let place = Place::new();
    place.write("station.toml", STATION);
    place
}

#[test]
fn what_comes_is_told_at_once_and_summed_up_at_the_end() {
    let place = place();
    let input = "{\"line\":\"PB\",\"value\":0}\n{\"line\":\"OTHER\",\"value\":7}\n{\"line\":\"LOAD\",\"value\":2.5}\n";
    let said = live(&place, "--json", input);
    assert_eq!(said.code, 0, "{}", said.stderr);
    let lines: Vec<Value> = said.stdout.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let told: Vec<(&Value, &Value)> = lines.iter().map(|line| (&line["point"], &line["value"])).collect();
    assert!(
        told.contains(&(&json!("button"), &json!(false))) && told.contains(&(&json!("load"), &json!(2.5))),
        "{told:?}"
    );
    let summary = &lines.last().unwrap()["summary"];
    assert_eq!(
        (&summary["counters"]["presses"]["value"], &summary["analogs"]["load"]["last"]),
        (&json!(0), &json!(2.5))
    );
    let words = live(&place, "--points load", input).stdout;
    assert!(words.contains("  load  2.5 kW\n") && !words.contains("  button  off"), "{words}");
}

#[test]
fn a_recording_of_a_live_run_gives_the_same() {
    let place = place();
    let said = live(&place, "--record live.jsonl --json", &presses(40, 50));
    assert_eq!(said.code, 0, "{}", said.stderr);
    let live: Value = serde_json::from_str(said.stdout.lines().last().unwrap()).unwrap();
    let again = place.reigen("run station.toml live.jsonl --json").json();
    for kind in ["inputs", "counters", "analogs"] {
        assert_eq!(live["summary"][kind], again[kind], "{kind}");
    }
    assert_eq!(live["summary"]["recording"]["edges"], again["recording"]["edges"]);
}

#[test]
fn what_cannot_be_read_is_told_and_the_run_goes_on() {
    let place = place();
    let long = format!("{{\"line\":\"PB\",\"value\":\"{}\"}}\n", "x".repeat(3 << 20));
    for (broken, told) in [
        ("{\"line\":\"PB\",\"val\n", "1 message could not be read"),
        ("\u{1b}[31m\n\n  \nPB 1\n", "2 messages could not be read"),
        ("{\"line\":\"PB\",\"value\":2.5}\n", "`PB` has two levels, and 2.5 is none"),
        ("{\"line\":\"LOAD\",\"value\":\"much\"}\n", "is no value of a line"),
        ("{\"time_ns\":1,\"time_s\":1,\"line\":\"PB\",\"value\":1}\n", "it has two times"),
        (long.as_str(), "1 message could not be read"),
    ] {
        let input = format!("{}{broken}{}", presses(1, 20), presses(2, 20));
        let said = live(&place, "--findings", &input);
        assert!(said.code == 2, "an option of another command: {}", said.stdout);
        let said = live(&place, "", &input);
        assert_eq!(said.code, 0, "{}", said.stderr);
        assert!(said.stdout.contains(told) && said.stdout.contains("[lines-malformed]"), "{told}: {}", said.stdout);
        assert!(!said.stdout.contains('\u{1b}'), "{}", said.stdout);
    }
}

#[test]
fn it_ends_after_its_time_though_more_may_come() {
    let place = place();
    let mut child =
        place.command("live station.toml - --for 200ms").stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    let input = child.stdin.take().unwrap();
    let said: Said = child.wait_with_output().unwrap().into();
    drop(input);
    assert_eq!(said.code, 0);
    assert!(said.stdout.contains("live, 200 ms from 0 s on"), "{}", said.stdout);
    let refused = place.reigen("live station.toml");
    assert!(refused.code == 2 && refused.stderr.contains("no link"), "{}", refused.stderr);
}
