//! Bad input: exit code 2, the place, and nothing written.

use crate::support::Place;

#[test]
fn a_station_is_refused_at_its_place() {
    let place = Place::with_demo();
    let station = place.read("station.toml");
    let broken = station
        .replace("HALL_DRUM", "HALL_DRM")
        .replace("drum_hall AND NOT", "drum_hal AND")
        .replace("[24, 60, 96]", "[24, 60, 60]");
    place.write("broken.toml", broken.replace("[24, 60, 60]", "[24, 60, 96]"));
    place.write("presets.toml", broken);
    place.write("twice.toml", station.replace("output.magnet_lamp", "output.drum_hall"));
    place.write("line.toml", station.replace("HALL_DRUM", "HALL_DRM"));
    place.write("latin.toml", b"title = \"Seilbahn\"\n# caf\xe9\n");
    place.write("unclosed.toml", "[input.a\nline = 'x'");
    let mut said = String::new();
    for name in ["broken", "presets", "twice", "line", "latin", "unclosed", "absent"] {
        let run = place.reigen(&format!("run {name}.toml recording.vcd --events e.csv --trace t.vcd"));
        assert_eq!(run.code, 2, "{name}");
        said += &format!("# {name}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
    assert!(!place.files().iter().any(|name| name.ends_with(".csv") || name == "t.vcd" || name.starts_with('.')));
}

#[test]
fn a_recording_is_refused_at_its_line() {
    let place = Place::with_demo();
    let recording = place.read("recording.vcd");
    place.write("backwards.vcd", recording.clone() + "#5\n");
    place.write("code.vcd", recording.clone() + "1%\n#12000001\n");
    place.write("empty.vcd", "");
    place.write("bytes.vcd", [0u8, 1, 2, 0xff, 0xfe, 9]);
    place.write("words.csv", "time_s,PB_START,HALL_DRUM\n0,0,1\n1,0,up\n2,0,0\n");
    place.write("volts.csv", "time_s,PB_START,HALL_DRUM\n0,0,0.2\n1,0,3.1\n2,0,0\n");
    place.write("timeless.csv", "PB_START,HALL_DRUM\n0,0\n");
    std::fs::create_dir(place.path("folder")).unwrap();
    let mut said = String::new();
    for name in [
        "backwards.vcd",
        "code.vcd",
        "empty.vcd",
        "bytes.vcd",
        "words.csv",
        "volts.csv",
        "timeless.csv",
        "folder",
        "absent.vcd",
    ] {
        let run = place.reigen(&format!("run station.toml {name} --events e.csv --trace t.vcd"));
        assert_eq!(run.code, 2, "{name}");
        said += &format!("# {name}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
    assert!(!place.files().iter().any(|name| name == "e.csv" || name == "t.vcd" || name.starts_with('.')));
}

#[test]
fn a_command_line_is_refused_before_any_work() {
    let place = Place::with_demo();
    let mut said = String::new();
    for options in [
        "--evens e.csv",
        "--events e.txt",
        "--events no/such/e.csv",
        "--trace recording.vcd",
        "--trace x.csv --events x.csv",
        "--sample-rate 0",
        "--bits a,b",
        "--bits a,b,a --sample-rate 1kHz",
        "--threads 0",
        "--high-above 2",
        "--high-above 1 --low-below 2",
        "--from 5",
        "--from 20s",
        "--from -1s",
        "--from 3s --to 2s",
        "--from 3s --truth truth.json",
    ] {
        let run = place.reigen(&format!("run station.toml recording.vcd {options}"));
        assert_eq!(run.code, 2, "{options}");
        said += &format!("# {options}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
    assert_eq!(place.files(), ["recording.vcd", "station.toml"]);
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_is_told() {
    let place = Place::with_demo();
    std::os::unix::fs::symlink("/dev/full", place.path("full.csv")).unwrap();
    let run = place.reigen("run station.toml recording.vcd --events full.csv");
    insta::assert_snapshot!(run.whole());
}

/// What people type first, and what the answer must name.
#[test]
fn a_mistake_is_answered_with_what_to_write() {
    let place = Place::with_demo();
    let input = "[input.a]\nline = 'PB_START'\n";
    for (station, told) in [
        (format!("{input}active = 'low'"), "`asserted`"),
        (format!("{input}invert = true"), "`asserted`"),
        ("[input.a]\npin = 'PB_START'".to_owned(), "`line`"),
        (format!("{input}[rate.r]\nof = 'a'\nppr = 6"), "`pulses_per_rev`"),
        (format!("{input}[timer.t]\nin = 'a'\nkind = 'pulse'\ntime = '1 s'"), "`of`"),
        ("[button.x]\nline = 'PB_START'".to_owned(), "`input`"),
        ("[shift_register.x]\nload = 'LD'".to_owned(), "`expander`"),
        (format!("{input}[relay.x]\nwhen = 'a'"), "`output`"),
        ("[counter.c]\nup = 'S1_START'".to_owned(), "[input.s1_start] with line = \"S1_START\""),
        (format!("{input}[output.x]\nwhen = 'a == TRUE'"), "write = in place of `==`"),
        (format!("{input}[output.x]\nwhen = 'a && a'"), "write AND in place of `&&`"),
        (format!("{input}[output.x]\nwhen = 'a || a'"), "write OR in place of `||`"),
        (format!("{input}[output.x]\nwhen = 'x := a'"), "nothing is assigned here"),
    ] {
        place.write("s.toml", &station);
        let said = place.reigen("run s.toml recording.vcd");
        assert!(said.code == 2 && said.stderr.contains(told), "{station}\n{}", said.whole());
    }
    let swapped = place.reigen("run recording.vcd station.toml");
    assert!(
        swapped.stderr.contains("`recording.vcd` is a recording (VCD): the station comes first"),
        "{}",
        swapped.stderr
    );
    let no_unit = place.reigen("run station.toml recording.vcd --from 10");
    assert!(no_unit.stderr.contains("`10 s` or `10 ms`"), "{}", no_unit.stderr);
}

#[test]
fn a_check_of_nothing_says_that_nothing_was_checked() {
    let place = Place::with_demo();
    place.write("s.toml", "[input.a]\nline = 'PB_START'");
    let said = place.reigen("check s.toml");
    assert!(said.code == 0 && said.stdout.contains("nothing was checked"), "{}", said.whole());
    assert_eq!(place.reigen("report s.toml recording.vcd -o r.html").code, 0);
    assert!(place.read("r.html").contains("wiring not checked"), "the report says so too");
}

#[test]
fn a_time_alone_is_a_stable_debounce_and_words_are_read_in_any_case() {
    let place = Place::with_demo();
    let counted = |keys: &str| {
        place.write("s.toml", format!("[input.a]\nline = 'PB_START'\n{keys}"));
        let said = place.reigen("run s.toml recording.vcd --json");
        assert_eq!(said.code, 0, "{keys}: {}", said.stderr);
        said.json()["inputs"]["a"].clone()
    };
    let whole = counted("asserted = 'low'\ncontact = 'NO'\ndebounce = { method = 'stable', time = '8 ms' }");
    assert_eq!(counted("asserted = 'low'\ndebounce = '8 ms'"), whole);
    assert_eq!(counted("asserted = 'LOW'\ncontact = 'no'\ndebounce = { method = 'Stable', time = '8 ms' }"), whole);
    for (keys, told) in [
        ("debounce = '8'", "`8 s` or `8 ms`"),
        ("debounce = 'stable'", "does not begin with a number"),
        ("debounce = 8", "expected a time such as \"20 ms\", or a table"),
        ("debounce = { metod = 'stable' }", "`method`"),
        ("asserted = 'lo'", "unknown value `lo`"),
    ] {
        place.write("s.toml", format!("[input.a]\nline = 'PB_START'\n{keys}"));
        let said = place.reigen("run s.toml recording.vcd");
        assert!(
            said.code == 2 && said.stderr.contains(told) && said.stderr.contains("s.toml:3"),
            "{keys}: {}",
            said.whole()
        );
    }
}
