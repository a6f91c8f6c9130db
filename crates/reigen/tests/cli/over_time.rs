//! Displays and states over time: a log of texts, a table at a step, bars and lamps.

use crate::support::{Place, Said};
use serde_json::Value;

/// A button and a lamp beside a count, and a display that takes what they are twice a second.
fn place() -> Place {
    let place = Place::new();
    let station = "[input.button]\nline = 'PB'\n[counter.presses]\nup = 'button'\n[analog.load]\nline = 'LOAD'\nunit = 'kW'\n\
        [display.slow]\ncolumns = 12\nrows = 2\nrefresh = '500 ms'\ntext = ['{presses:^6}|{button?ON:OFF}', '{load:6.1} kW']\n\
        [display.fast]\ncolumns = 4\nrows = 1\ntext = ['{presses:<3}']\n";
    place.write("station.toml", station);
    let rows =
        (0..21).map(|tenth: u32| format!("{},{},{}\n", f64::from(tenth) / 10.0, tenth / 3 % 2, f64::from(tenth) / 4.0));
    place.write("walk.csv", format!("time_s,PB,LOAD\n{}", rows.collect::<String>()));
    place
}

fn with_columns(place: &Place, columns: &str, arguments: &str) -> Said {
    place.command(arguments).env("COLUMNS", columns).output().unwrap().into()
}

/// The log of one display: when, and its rows.
fn logged(place: &Place, display: &str) -> Vec<(i64, Vec<String>)> {
    assert_eq!(place.reigen("run station.toml walk.csv --display-log texts.jsonl").code, 0);
    let lines: Vec<Value> = place.read("texts.jsonl").lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let times: Vec<i64> = lines.iter().map(|line| line["time_ns"].as_i64().unwrap()).collect();
    assert!(times.windows(2).all(|pair| pair[0] <= pair[1]), "in the order of time: {times:?}");
    let mine = lines.iter().filter(|line| line["display"] == display);
    let rows = |line: &Value| -> Vec<String> {
        line["rows"].as_array().unwrap().iter().map(|row| row.as_str().unwrap().to_owned()).collect()
    };
    mine.map(|line| (line["time_ns"].as_i64().unwrap() / 1_000_000, rows(line))).collect()
}

#[test]
fn each_text_of_a_display_is_logged_when_it_changes_or_is_refreshed() {
    let place = place();
    // Pressed at 0.3, 0.9 and 1.5 s.
    let fast: Vec<(i64, String)> =
        logged(&place, "fast").into_iter().map(|(time, rows)| (time, rows[0].clone())).collect();
    let wanted = [(0, "0   "), (300, "1   "), (900, "2   "), (1500, "3   ")];
    assert_eq!(fast, wanted.map(|(time, text)| (time, text.to_owned())));
    let slow = logged(&place, "slow");
    assert_eq!(slow.iter().map(|(time, _)| *time).collect::<Vec<_>>(), [0, 500, 1000, 1500, 2000]);
    assert_eq!(slow[1].1, ["  1   |ON   ", "   1.2 kW   "], "in the middle, and with one digit");
    assert_eq!(slow[3].1, ["  3   |ON   ", "   3.8 kW   "]);
    // What is shown at a time is what was taken last.
    let shown = place.reigen("run station.toml walk.csv --display-at 0.95s").stdout;
    assert!(shown.contains("│  1   |ON   │") && shown.contains("│2   │"), "{shown}");
    let at_end = place.reigen("run station.toml walk.csv --display --json").json();
    assert_eq!(at_end["displays"]["slow"][1], "   5.0 kW   ");
}

#[test]
fn why_tells_the_points_behind_a_display() {
    let place = place();
    let told = place.reigen("why station.toml walk.csv slow --at 0.95s").stdout;
    assert!(told.contains("slow at 950 ms shows the state at 500 ms:"), "{told}");
    let row = told.find("row 1: |  1   |ON   |").unwrap();
    assert!(
        told[row..].contains("presses is 1, since 300 ms") && told[row..].contains("its line PB is high"),
        "{told}"
    );
    let texts = place.reigen("why station.toml walk.csv fast --json").json();
    assert_eq!(texts["changes"].as_array().unwrap().len(), 4);
    let few = place.reigen("why station.toml walk.csv slow --most 2").stdout;
    assert!(few.contains("refreshes every 500 ms") && few.contains("and 3 more lines"), "{few}");
    let refused = place.reigen("why station.toml walk.csv slow --edge 1");
    assert!(refused.code == 2 && refused.stderr.contains("is a display and has no raw edges"), "{}", refused.stderr);
}

#[test]
fn a_table_of_states_has_lamps_where_they_have_room_and_else_names_those_that_are_on() {
    let place = place();
    let rows = |said: &Said| -> Vec<String> {
        said.stdout.lines().take(4).map(|line| line.split_whitespace().collect::<Vec<_>>().join(" ")).collect()
    };
    let wide = with_columns(&place, "100", "run station.toml walk.csv --every 400ms");
    assert_eq!(rows(&wide), ["time button presses load kW", "0 s ○ 0 0", "0.4 s ● 1 1", "0.8 s ○ 1 2"]);
    let narrow = with_columns(&place, "40", "run station.toml walk.csv --every 400ms");
    assert_eq!(rows(&narrow), ["time presses load kW on", "0 s 0 0", "0.4 s 1 1 button", "0.8 s 1 2"]);
    let chosen = place.reigen("run station.toml walk.csv --every 400ms --points load,button");
    assert_eq!(rows(&chosen)[..2], ["time load kW button", "0 s 0 ○"]);
    let lines = place.reigen("survey walk.csv --every 400ms");
    assert_eq!(rows(&lines)[..3], ["time PB LOAD", "0 s ○ 0", "0.4 s ● 1"]);
    let json = place.reigen("survey walk.csv --every 1s --lines PB --json").json();
    assert_eq!(json["every"]["rows"][1]["values"][0], true);
    let refused = place.reigen("survey walk.csv --every 0s");
    assert!(refused.code == 2 && refused.stderr.contains("--every must be above zero"), "{}", refused.stderr);
}

#[test]
fn several_points_move_side_by_side() {
    let place = place();
    let told = place.reigen("run station.toml walk.csv --watch button,load --speed 8 --scale 0..10").stdout;
    let frames: Vec<&str> = told.lines().collect();
    // Every 0.4 s, a line for each point.
    assert_eq!(frames.len(), 12, "{told}");
    assert!(frames[0].contains("button  ○ off") && frames[2].contains("button  ● on"), "{told}");
    assert!(frames[11].matches('█').count() == 20 && frames[11].contains("5 kW"), "half of the bar: {told}");
}

#[test]
fn what_should_follow_an_edge_is_verified_and_told() {
    let place = place();
    let station = place.read("station.toml");
    for (within, code, told) in [
        ("300 ms", 0, "held 3 times, at most 200 ms after the edge"),
        ("100 ms", 1, "failed 1 of 3 times, first after the edge at 300 ms"),
    ] {
        let expected =
            format!("[expect.soon]\nthat = 'load > presses * 1.24'\nafter = 'button'\nwithin = '{within}'\n");
        place.write("expected.toml", format!("{station}{expected}"));
        let said = place.reigen("verify expected.toml walk.csv");
        assert_eq!((said.code, said.stdout.contains(told)), (code, true), "{within}: {}", said.stdout);
    }
    for (keys, told) in [
        ("after = 'button'", "need each other"),
        ("within = '1 s'", "need each other"),
        ("after = 'button'\nwithin = '1 s'\nalways = true", "exactly one of"),
        ("after = 'presses'\nwithin = '1 s'", "is a number, but a bit is needed"),
    ] {
        place.write("wrong.toml", format!("{station}[expect.soon]\nthat = 'button'\n{keys}\n"));
        let said = place.reigen("check wrong.toml");
        assert_eq!((said.code, said.stderr.contains(told)), (2, true), "{keys}: {}", said.stderr);
    }
}
