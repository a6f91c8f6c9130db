use crate::support::Place;
use serde_json::Value;

/// A small scenario and a station for it.
fn place() -> Place {
    let place = Place::new();
    place.write(
        "walk.toml",
        "duration = '20 s'\n[contact.button]\nline = 'PB'\nclosing = 'many'\nevery = '1 s'\nhold = '200 ms'\n\
         [shaft.drum]\nspeed = [{ for = '2 s', to_rpm = 120 }]\n[wheel.hall]\nline = 'HALL'\nshaft = 'drum'\nmarks = 6\n",
    );
    place.write(
        "station.toml",
        "[input.button]\nline = 'PB'\ndebounce = { method = 'stable', time = '10 ms' }\n[input.hall]\nline = 'HALL'",
    );
    place
}

#[test]
fn a_station_that_counts_right_meets_the_truth_from_either_format() {
    let place = place();
    for recording in ["walk.vcd", "walk.csv"] {
        let made = place.reigen(&format!("simulate walk.toml -o {recording} --truth truth.json --seed 5"));
        assert_eq!((made.code, made.whole().as_str()), (0, ""));
        let said = place.reigen(&format!("run station.toml {recording} --truth truth.json --json")).json();
        let judged = &said["truth"]["button"];
        assert_eq!((&judged["counted"], &judged["source"]), (&judged["true"], &Value::from("button")));
        assert!(judged["true"].as_u64().unwrap() > 5, "{judged}");
        assert_eq!(said["truth"]["hall"]["differences"], Value::Array(vec![]));
    }
}

#[test]
fn a_station_that_counts_wrong_is_told_why_with_exit_code_1() {
    let place = place();
    assert_eq!(place.reigen("simulate walk.toml -o walk.vcd --truth truth.json").code, 0);
    place.write("station.toml", "[input.button]\nline = 'PB'");
    let said = place.reigen("run station.toml walk.vcd --truth truth.json");
    assert_eq!(said.code, 1);
    assert!(said.stdout.contains("bounce of button"), "{}", said.stdout);
}

#[test]
fn the_same_seed_gives_the_same_bytes_and_a_pipe_takes_them_too() {
    let place = place();
    for name in ["one.vcd", "two.vcd", "other.vcd"] {
        let seed = if name == "other.vcd" { 2 } else { 1 };
        assert_eq!(place.reigen(&format!("simulate walk.toml -o {name} --seed {seed} --for 5s")).code, 0);
    }
    assert_eq!(place.read("one.vcd"), place.read("two.vcd"));
    assert_ne!(place.read("one.vcd"), place.read("other.vcd"));
    assert_eq!(place.reigen("simulate walk.toml -o - --for 5s").stdout, place.read("one.vcd"));
    assert!(place.read("one.vcd").ends_with("#5000000000\n"));
}

#[test]
fn what_cannot_be_simulated_is_refused_and_nothing_is_written() {
    let place = place();
    place.write("typo.toml", place.read("walk.toml").replace("wheel", "whele"));
    place.write("short.toml", place.read("walk.toml").replace("200 ms", "2 ms"));
    std::fs::create_dir(place.path("folder.vcd")).unwrap();
    let mut said = String::new();
    for arguments in [
        "typo.toml -o w.vcd --truth t.json",
        "short.toml -o w.vcd --truth t.json",
        "absent.toml -o w.vcd",
        "walk.toml -o w.txt --truth t.json",
        "walk.toml -o folder.vcd --truth t.json",
        "walk.toml -o w.vcd --truth no/such/t.json",
        "walk.toml -o w.vcd --truth walk.toml",
        "walk.toml -o w.vcd --for 0s",
        "walk.toml -o w.vcd --seed minus",
    ] {
        let run = place.reigen(&format!("simulate {arguments}"));
        assert_eq!(run.code, 2, "{arguments}");
        said += &format!("# {arguments}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
    assert_eq!(place.files(), ["folder.vcd", "short.toml", "station.toml", "typo.toml", "walk.toml"]);
}

#[cfg(target_os = "linux")]
#[test]
fn a_full_disk_is_told() {
    let place = place();
    std::os::unix::fs::symlink("/dev/full", place.path("full.vcd")).unwrap();
    let said = place.reigen("simulate walk.toml -o full.vcd");
    assert_eq!((said.code, said.stderr.contains("No space left")), (2, true), "{}", said.stderr);
}
