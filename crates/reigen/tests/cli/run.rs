use crate::support::Place;
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::process::Stdio;

const RUN: &str = "run station.toml recording.vcd";

#[test]
fn the_tables_tell_what_was_counted_and_what_was_not() {
    insta::assert_snapshot!(Place::with_demo().reigen(RUN).whole());
}

#[test]
fn the_json_tells_the_same() {
    let said = Place::with_demo().reigen(&format!("{RUN} --json")).json();
    assert_eq!(said["station"], "Rope-laying machine 2");
    assert_eq!(said["recording"]["duration_ns"], 12_000_000_000u64);
    assert_eq!(said["recording"]["edges"], 290);
    let button = &said["inputs"]["start_button"];
    assert_eq!(button["rejected"], json!({"bounce": 30, "glitch": 2, "missed": 0}));
    assert_eq!((&button["raw_edges"], &button["accepted"], &button["rising"]), (&json!(38), &json!(6), &json!(3)));
    assert_eq!(said["counters"]["spool_turns"]["preset_hits"], json!([2, 0, 0]));
    assert_eq!(said["bits"]["magnet_lamp"]["final"], false);
}

#[test]
fn a_recording_comes_by_standard_input_too() {
    let place = Place::with_demo();
    let mut child =
        place.command("run station.toml - --json").stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    child.stdin.take().unwrap().write_all(place.read("recording.vcd").as_bytes()).unwrap();
    let output = child.wait_with_output().unwrap();
    let said: Value = serde_json::from_slice(&output.stdout).unwrap();
    assert_eq!(said["recording"]["file"], "standard input");
    assert_eq!(said["inputs"]["drum_hall"]["rising"], 100);
}

/// The demo's recording as packed samples at 1 MHz: the start button is bit 0, the drum sensor bit 2.
fn packed(place: &Place) -> Vec<u8> {
    let (mut samples, mut levels) = (Vec::new(), 0);
    for line in place.read("recording.vcd").lines() {
        let bit = if line.ends_with('!') { 1 } else { 4 };
        match line.as_bytes() {
            [b'#', time @ ..] => samples.resize(std::str::from_utf8(time).unwrap().parse().unwrap(), levels),
            [b'0', b'!' | b'"'] => levels &= !bit,
            [b'1', b'!' | b'"'] => levels |= bit,
            _ => {}
        }
    }
    samples.push(levels);
    samples
}

#[test]
fn packed_samples_give_the_same_as_the_vcd_with_any_number_of_threads() {
    let place = Place::with_demo();
    let vcd = place.reigen(&format!("{RUN} --json")).json();
    place.write("capture.bin", packed(&place));
    let by_options = "run station.toml capture.bin --json --sample-rate 1MHz --bits PB_START,-,HALL_DRUM";
    place.write("beside.bin", packed(&place));
    place.write("beside.bin.toml", "sample_rate = '1 MHz'\nlines = ['PB_START', '-', 'HALL_DRUM']");
    for arguments in
        [by_options, "run station.toml beside.bin --json", &format!("{by_options} --threads 1 --plain-reader")]
    {
        let said = place.reigen(arguments).json();
        for group in ["inputs", "counters", "bits", "findings"] {
            assert_eq!(said[group], vcd[group], "{arguments}");
        }
    }
}

#[test]
fn events_agree_with_the_account() {
    let place = Place::with_demo();
    let said = place.reigen(&format!("{RUN} --json --events edges.csv")).json();
    let again = place.reigen(&format!("{RUN} --events edges.jsonl"));
    assert_eq!(again.code, 0);
    let csv = place.read("edges.csv");
    let rows: Vec<Vec<&str>> = csv.lines().map(|line| line.split(',').collect()).collect();
    assert_eq!(rows[0], ["time_ns", "point", "event", "value", "rule"]);
    let times: Vec<i64> = rows[1..].iter().map(|row| row[0].parse().unwrap()).collect();
    assert!(times.is_sorted());
    let count = |point: &str, event: &str, rule: &str| {
        rows.iter().filter(|row| row[1] == point && row[2] == event && row[4] == rule).count()
    };
    for point in ["start_button", "drum_hall"] {
        let input = &said["inputs"][point];
        assert_eq!(count(point, "on", ""), input["rising"], "{point}");
        assert_eq!(count(point, "off", ""), input["falling"], "{point}");
        assert_eq!(count(point, "rejected", "bounce"), input["rejected"]["bounce"], "{point}");
        assert_eq!(count(point, "rejected", "glitch"), input["rejected"]["glitch"], "{point}");
    }
    assert_eq!(count("spool_turns", "preset", ""), 2);
    let as_csv = place.read("edges.jsonl").lines().fold("time_ns,point,event,value,rule\n".to_owned(), |text, line| {
        let row: Value = serde_json::from_str(line).unwrap();
        let cell = |key: &str| match &row[key] {
            Value::Null => String::new(),
            Value::String(text) => text.clone(),
            other => other.to_string(),
        };
        text + &["time_ns", "point", "event", "value", "rule"].map(cell).join(",") + "\n"
    });
    assert_eq!(as_csv, csv);
}

#[test]
fn a_trace_read_again_gives_the_same_points() {
    let place = Place::with_demo();
    let first = place.reigen(&format!("{RUN} --json --trace points.vcd")).json();
    place.write(
        "again.toml",
        "[input.button]\nline = 'start_button'\n[input.hall]\nline = 'drum_hall'\n[input.lamp]\nline = 'magnet_lamp'\n\
         [input.raw]\nline = 'HALL_DRUM'",
    );
    let second = place.reigen("run again.toml points.vcd --json").json();
    for (point, group, name) in
        [("button", "inputs", "start_button"), ("hall", "inputs", "drum_hall"), ("lamp", "bits", "magnet_lamp")]
    {
        for key in ["rising", "falling", "on_ns", "final"] {
            assert_eq!(second["inputs"][point][key], first[group][name][key], "{name}: {key}");
        }
    }
    assert_eq!(second["inputs"]["raw"]["raw_edges"], first["inputs"]["drum_hall"]["raw_edges"]);
    assert_eq!(second["recording"]["duration_ns"], first["recording"]["duration_ns"]);
}

#[test]
fn a_trace_of_negative_times_begins_at_zero_and_says_so() {
    let place = Place::new();
    place.write("s.toml", "[input.a]\nline = 'A'\n[counter.n]\nup = 'a'");
    place.write("r.csv", "time_ms,A\n-20,0\n-10,1\n5,0\n");
    let said = place.reigen("run s.toml r.csv --trace t.vcd");
    assert!(said.stdout.contains("time 0 in it is -0.02 s here"), "{}", said.whole());
    insta::assert_snapshot!(place.read("t.vcd"));
}

#[test]
fn a_stretch_counts_from_its_start_with_the_state_of_the_whole() {
    let place = Place::with_demo();
    let whole = place.reigen(&format!("{RUN} --json")).json();
    let part = |options: &str| place.reigen(&format!("{RUN} --json {options} --events e.csv")).json();
    let (early, late) = (part("--to 5s"), part("--from 5000000001ns"));
    for (point, key) in [("start_button", "raw_edges"), ("start_button", "rising"), ("drum_hall", "accepted")] {
        let sum = early["inputs"][point][key].as_u64().unwrap() + late["inputs"][point][key].as_u64().unwrap();
        assert_eq!(sum, whole["inputs"][point][key], "{point}: {key}");
    }
    assert_eq!(late["recording"]["from_ns"], 5_000_000_001u64);
    assert_eq!(early["recording"]["edges"].as_u64().unwrap() + late["recording"]["edges"].as_u64().unwrap(), 290);
    let first = place.read("e.csv").lines().nth(1).unwrap().split(',').next().unwrap().parse::<u64>().unwrap();
    assert!(first >= 5_000_000_001, "{first}");
}

#[test]
fn a_closed_pipe_ends_quietly() {
    let place = Place::with_demo();
    let mut child =
        place.command(&format!("{RUN} --json")).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    drop(child.stdout.take());
    let mut told = String::new();
    child.stderr.take().unwrap().read_to_string(&mut told).unwrap();
    assert!(child.wait().unwrap().success());
    assert_eq!(told, "");
}

#[test]
fn any_number_of_threads_and_either_reader_tell_the_same_of_a_longer_recording() {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into walk").code, 0);
    let whole = |options: &str| {
        let said =
            place.reigen(&format!("run walk/station.toml walk/recording.vcd --events e.csv --trace t.vcd {options}"));
        // One of the demo's expectations fails.
        assert_eq!(said.code, 1, "{}", said.stderr);
        (said.stdout, place.read("e.csv"), place.read("t.vcd"))
    };
    let first = whole("");
    for options in ["--threads 1", "--threads 2", "--threads 5", "--plain-reader", "--threads 1 --plain-reader"] {
        assert!(first == whole(options), "another result with {options}");
    }
}

#[test]
fn what_a_recording_leaves_open_is_told() {
    let place = Place::new();
    place.write("s.toml", "[input.a]\nline = 'A'\n[input.b]\nline = 'B'\n[input.c]\nline = 'C'\ndebounce = { method = 'stable', time = '9 us' }");
    let head =
        "$timescale 100 ps $end $var wire 1 ! A $end $var wire 1 \" B $end $var wire 1 # C $end $enddefinitions $end\n";
    place.write("r.vcd", format!("{head}#0\n0!\nx\"\n0#\n#101\n1!\n#104\n0!\n#5000\n1#\n#5010\nz#\n#6000\n1#\n1"));
    let said = place.reigen("run s.toml r.vcd");
    insta::assert_snapshot!(said.whole());
}

#[test]
fn nothing_is_said_of_progress_where_nobody_watches() {
    let place = Place::with_demo();
    assert_eq!(place.reigen(RUN).stderr, "");
}
