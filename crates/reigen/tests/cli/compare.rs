//! Two runs compared.

use crate::support::Place;
use serde_json::json;

/// A workshop over ten seconds, recorded twice: the second time the contact is worn, and it was pressed once more.
fn recorded_twice() -> Place {
    let place = Place::new();
    for (name, closing, presses) in [("old", "few", 4), ("new", "worn", 5)] {
        let presses: String = (1..=presses).map(|at| format!("{{ at = '{at} s', for = '300 ms' }}, ")).collect();
        let scenario = format!(
            "duration = '10 s'\n[contact.button]\nline = 'PB'\nclosing = '{closing}'\nopening = 'none'\npresses = [{presses}]\n\
             [analog.level]\nline = 'V'\nevery = '100 ms'\nfrom = 10.0\nvalue = [{{ for = '10 s', to = 20 }}]\n"
        );
        place.write(&format!("{name}.toml"), scenario);
        assert_eq!(place.reigen(&format!("simulate {name}.toml -o {name}.vcd --seed 3")).code, 0);
    }
    let station = "[input.button]\nline = 'PB'\ndebounce = '30 ms'\n[counter.presses]\nup = 'button'\n[analog.level]\nline = 'V'\n";
    place.write("station.toml", station);
    place.write("scaled.toml", station.replace("line = 'V'", "line = 'V'\nscale = { from = [0, 100], to = [0, 103] }"));
    place.write("other.toml", "[input.stop]\nline = 'PB'\n");
    place
}

#[test]
fn a_recording_is_the_same_as_itself_and_two_differ_where_they_do() {
    let place = recorded_twice();
    let same = place.reigen("compare station.toml old.vcd old.vcd");
    assert_eq!((same.code, same.stdout.contains("3 points the same in both")), (0, true), "{}", same.whole());
    let told = place.reigen("compare station.toml old.vcd new.vcd --json");
    assert_eq!(told.code, 1, "{}", told.stderr);
    let told = told.json();
    assert_eq!(told["points"]["presses"]["values"], json!([4.0, 5.0]));
    assert_eq!(told["points"]["button"]["values"], json!([4.0, 5.0]));
    let first = told["points"]["button"]["first_ns"].as_u64().unwrap();
    assert!((1_000_000_000..1_100_000_000).contains(&first), "the worn contact comes later, by its bounce: {first}");
    assert_eq!(told["points"]["level"]["differs"], false, "its values are the same");
    let [old, new] = [0, 1].map(|side| &told["contacts"]["button"][side]);
    assert_eq!((&old["actuations"], &new["actuations"]), (&4.into(), &5.into()));
    assert!(old["longest_ns"].as_u64() < new["longest_ns"].as_u64(), "{old} {new}");
    let words = place.reigen("compare station.toml old.vcd new.vcd").stdout;
    assert!(words.contains("2 of 3 points differ") && words.contains("on 4×") && words.contains("on 5×"), "{words}");
}

#[test]
fn two_stations_differ_by_more_than_is_tolerated_or_not() {
    let place = recorded_twice();
    for (tolerance, code) in [("0", 1), ("0.02", 1), ("0.03", 0), ("1", 0)] {
        let told =
            place.reigen(&format!("compare station.toml old.vcd --station-b scaled.toml --tolerance {tolerance}"));
        assert_eq!(told.code, code, "{tolerance}: {}", told.whole());
    }
    let told = place.reigen("compare station.toml old.vcd --station-b scaled.toml --json").json();
    let level = &told["points"]["level"];
    let near = |value: &serde_json::Value, wanted: f64| (value.as_f64().unwrap() - wanted).abs() < 0.01;
    assert!(near(&level["greatest"], 0.6) && near(&level["mean"], 0.45), "3 % of 10 to 20: {level}");
    let only = place.reigen("compare station.toml old.vcd --station-b scaled.toml --points button");
    assert_eq!(only.code, 0, "{}", only.whole());
}

#[test]
fn what_cannot_be_compared_is_refused_with_its_remedy() {
    let place = recorded_twice();
    for (asked, said) in [
        ("station.toml old.vcd", "two recordings are compared"),
        ("station.toml old.vcd new.vcd --station-b scaled.toml", "over one recording"),
        ("station.toml old.vcd --station-b other.toml", "no point in common"),
        ("station.toml old.vcd new.vcd --points nix", "no point `nix`"),
        ("station.toml old.vcd new.vcd --tolerance 2", "between 0 and 1"),
        ("station.toml old.vcd none.vcd", "none.vcd"),
    ] {
        let told = place.reigen(&format!("compare {asked}"));
        assert_eq!(told.code, 2, "{asked}: {}", told.whole());
        assert!(told.stderr.contains(said) && told.stderr.contains("help"), "{asked}: {}", told.stderr);
    }
}

#[test]
fn a_stretch_is_compared_alone_and_points_of_one_station_are_named() {
    let place = recorded_twice();
    let more = place.read("station.toml") + "[output.lamp]\nwhen = 'button'\n";
    place.write("more.toml", more);
    let told = place.reigen("compare station.toml old.vcd --station-b more.toml");
    assert_eq!(told.code, 0, "{}", told.whole());
    assert!(told.stdout.contains("only in one of the stations: lamp"), "{}", told.stdout);
    // Both were pressed alike from 2 s to 4 s, but for the bounce that the debounce removes.
    let told = place.reigen("compare station.toml old.vcd new.vcd --from 1.5s --to 3.9s --json").json();
    assert_eq!(told["points"]["presses"]["values"], json!([2.0, 2.0]), "{}", told["points"]);
    assert_eq!(told["sides"][0]["duration_ns"], 2_400_000_000_u64);
    let differs = told["points"]["button"]["differs_ns"].as_u64().unwrap();
    assert!(differs < 100_000_000, "no longer than two bursts: {differs}");
    // Of unequal lengths the shorter is compared, and that is told.
    assert_eq!(place.reigen("convert old.vcd --to 6s -o half.vcd").code, 0);
    let told = place.reigen("compare station.toml half.vcd old.vcd");
    assert!(told.stdout.contains("not equally long"), "{}", told.stdout);
    assert_eq!(told.code, 1, "the level has gone on rising: {}", told.stdout);
}

#[test]
fn one_instrument_is_held_against_another() {
    let place = Place::new();
    // Two gauges, the second 2 % more and 3 beside, and late by 100 ms; a third as a bit.
    let value = |time: u32| if time < 50 { 100.0 } else { 200.0 };
    let rows = (0..100).map(|time: u32| {
        let (one, two) = (value(time), value(time.saturating_sub(1)) * 1.02 + 3.0);
        format!("{},{one},{two},{}\n", f64::from(time) / 10.0, time % 2)
    });
    place.write("two.csv", format!("time_s,A,B,C\n{}", rows.collect::<String>()));
    place.write(
        "gauges.toml",
        "[analog.a]\nline = 'A'\nunit = 'bar'\n[analog.b]\nline = 'B'\nunit = 'bar'\n[input.c]\nline = 'C'\n",
    );
    let told = place.reigen("compare gauges.toml two.csv --instruments a,b --settle 500ms --tolerance 0.1 --json");
    assert_eq!(told.code, 0, "{}", told.whole());
    let told = told.json();
    let figure = |key: &str| told[key].as_f64().unwrap();
    assert!((figure("gain") - 1.02).abs() < 1e-3 && (figure("offset") - 3.0).abs() < 0.1, "{told}");
    assert!((figure("greatest") - 7.0).abs() < 0.1 && figure("settling_ns") <= 2e9, "{told}");
    let words = place.reigen("compare gauges.toml two.csv --instruments a,b --settle 500ms --tolerance 0.01");
    assert_eq!((words.code, words.stdout.contains("b = 1.02 × a + 3 bar")), (1, true), "{}", words.whole());
    for (asked, told) in [
        ("--instruments a", "two instruments of one recording"),
        ("--instruments a,c", "`c` is no number"),
        ("--instruments a,d", "no point `d`"),
        ("--instruments a,b --settle 0s", "--settle must be above zero"),
        ("--instruments a,b --settle 1h", "never steady at the same time"),
    ] {
        let refused = place.reigen(&format!("compare gauges.toml two.csv {asked}"));
        assert!(refused.code > 0 && refused.whole().contains(told), "{asked}: {}", refused.whole());
    }
}
