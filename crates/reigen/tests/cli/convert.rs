//! Recordings as they come, several in a row, and from any format to any.

use crate::support::Place;
use serde_json::Value;
use std::path::Path;

/// A folder with the recordings that the guide is about.
fn place() -> Place {
    let place = Place::new();
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/guide/recordings");
    place.copy_folder(Path::new(folder), "r");
    place.write(
        "station.toml",
        "[input.start]\nline = 'PB_START'\nasserted = 'low'\ndebounce = { method = 'stable', time = '5 ms' }\n\
         [input.hall]\nline = 'HALL_DRUM'\nasserted = 'low'\n[counter.turns]\nup = 'hall'\n",
    );
    place
}

/// What a run says but the recording's name and the findings.
fn counted(place: &Place, arguments: &str) -> (Value, Value) {
    let mut json = place.reigen(&format!("run station.toml --json {arguments}")).json();
    (json["inputs"].take(), json["counters"].take())
}

#[test]
fn one_story_is_read_from_every_kind_of_file() {
    let place = place();
    let wanted = counted(&place, "r/logger.csv");
    assert_eq!(wanted.0["start"]["accepted"], 2);
    assert_eq!(wanted.1["turns"]["value"], 10);
    let mut all = vec![
        "r/controller.csv --time Stamp --time-unit us",
        "r/dated.csv",
        "r/changes.jsonl",
        "r/walk.vcd.gz",
        "r/walk.csv.zst",
        "r/logic.bin",
    ];
    if cfg!(feature = "parquet") {
        all.push("r/table.parquet");
    }
    for arguments in all {
        assert_eq!(counted(&place, arguments), wanted, "{arguments}");
    }
    place.write("station.toml", "[input.a]\nline = 'A'\nasserted = 'low'\n[input.b]\nline = 'B'\n");
    let volts = counted(&place, "r/scope.txt --high-above 3 --low-below 0.8").0;
    assert_eq!((&volts["a"]["raw_edges"], &volts["b"]["raw_edges"]), (&6.into(), &20.into()));
}

#[test]
fn what_is_asked_for_settles_what_may_be_read_in_two_ways() {
    let place = place();
    let mut said = String::new();
    place.write("units.csv", "Time,A\n0,0\n1,1\n");
    place.write("thousands.csv", "time_s;V\n1;1,234\n2;5,678\n");
    place.write("mixed.csv", "time_s;V\n1;1,2\n2;5.6\n");
    place.write("zones.csv", "Time,A\n2026-03-02T06:00:00Z,0\n2026-03-02T06:00:01,1\n");
    place.write("two.csv", "a b;c\n1 2;3\n2 3;4\n");
    for arguments in [
        "units.csv",
        "units.csv --time-unit hours",
        "units.csv --time-unit ms",
        "units.csv --time Tine",
        "thousands.csv",
        "thousands.csv --decimal ,",
        "mixed.csv",
        "zones.csv",
        "two.csv --sample-rate 1kHz",
        "two.csv --sample-rate 1kHz --separator space",
        "r/controller.csv",
        "r/burst.csv",
    ] {
        let survey = place.reigen(&format!("survey {arguments}")).whole();
        let first: Vec<&str> = survey.lines().take_while(|line| !line.is_empty()).collect();
        said += &format!("# {arguments}\n{}\n", first.join("\n"));
    }
    insta::assert_snapshot!(said);
}

#[test]
fn recordings_in_a_row_are_one_and_a_gap_is_told() {
    let place = Place::with_demo();
    let whole = counted(&place, "recording.vcd");
    for (number, stretch, ending) in
        [(1, "--to 4s", "csv"), (2, "--from 4s --to 8s", "jsonl.gz"), (3, "--from 8s", "vcd.zst")]
    {
        assert_eq!(place.reigen(&format!("convert recording.vcd {number}.{ending} {stretch}")).code, 0);
    }
    assert_eq!(counted(&place, "1.csv 2.jsonl.gz 3.vcd.zst"), whole);
    // And as one file again.
    assert_eq!(place.reigen("convert 1.csv 2.jsonl.gz 3.vcd.zst again.csv").code, 0);
    assert_eq!(counted(&place, "again.csv"), whole);
    let said = place.reigen("run station.toml 1.csv 3.vcd.zst").stdout;
    assert!(said.contains("nothing was recorded for 4 s before it: 1.csv ends at 4 s, and it begins at 8 s"), "{said}");
    let own = place.reigen("run station.toml 1.csv 1.csv --own-clocks --json").json();
    assert_eq!(own["recording"]["duration_ns"], 8_000_000_001u64);
    let turned = place.reigen("run station.toml 3.vcd.zst 1.csv");
    assert_eq!(
        (turned.code, turned.stderr.lines().next()),
        (2, Some("error: 1.csv begins at 0 s, before 3.vcd.zst ends at 12 s"))
    );
    place.write("other.csv", "time_s,PB_START\n20,1\n");
    let other = place.reigen("run station.toml 1.csv other.csv");
    assert!(other.code == 2 && other.stderr.contains("other.csv has no line `"), "{}", other.stderr);
}

#[test]
fn what_a_format_cannot_hold_is_told_or_refused() {
    let place = place();
    place.write("spaces.csv", "time_ms,PB START,V\n-5,0,1.5\n0.25,1,2\n0.4,0,2.5\n4,1,3\n");
    let mut said = String::new();
    for arguments in [
        "spaces.csv o.vcd",
        "spaces.csv o.bin --step 1ms",
        "spaces.csv o.bin --only V",
        "spaces.csv o.bin",
        "spaces.csv o.bin --step 1ms --only START",
        "spaces.csv o2.bin --step 3us --only PB",
        "r/logger.csv o.csv --only HALL_DRM",
        "r/logger.csv o.csv --from 1s",
        "r/logger.csv o.csv --from 2ms --to 1ms",
        "r/logger.csv o.txt",
        "r/logger.csv o.csv.parquet.gz",
        "r/logger.csv nowhere/o.csv",
        "r/logger.csv r/logger.csv",
        "r/absent.csv o.csv",
    ] {
        said += &format!("# {arguments}\n{}", place.reigen(&format!("convert {arguments}")).whole());
    }
    insta::assert_snapshot!(said);
    // A name with a space in it is named with a quote.
    let mut command = place.command("convert spaces.csv o.bin --step 1ms --only");
    let told = command.arg("PB START").output().unwrap();
    assert!(String::from_utf8_lossy(&told.stdout).contains("1 edge fell on the previous edge"), "{told:?}");
    assert_eq!(std::fs::read(place.path("o.bin")).unwrap().len(), 10);
    assert!(place.read("o.bin.toml").contains("sample_rate = \"1 kHz\""));
}

#[test]
fn a_stretch_goes_to_standard_output_in_the_format_that_is_asked_for() {
    let place = place();
    let said = place.reigen("convert r/logger.csv - --format csv --only PB_START --from 139ms --to 140.7ms");
    assert_eq!(said.whole(), "time_s,PB_START\n0.139000000,0\n0.140000000,1\n0.140500000,0\n0.140700000,0\n");
    let lines = place.reigen("convert r/dated.csv - --format jsonl --from 2026-03-02T05:00:10.3Z");
    assert!(lines.stdout.starts_with("{\"time_ns\":1772427610300000000,"), "{}", lines.stdout);
}

#[cfg(feature = "parquet")]
#[test]
fn a_table_of_something_else_is_refused_with_its_columns() {
    let place = Place::with_demo();
    assert_eq!(place.reigen("run station.toml recording.vcd --events e.parquet").code, 0);
    let other = place.reigen("survey e.parquet");
    assert_eq!(other.code, 2);
    assert!(other.stderr.contains("it has the columns `time_ns` INT64, `point` BYTE_ARRAY"), "{}", other.stderr);
}
