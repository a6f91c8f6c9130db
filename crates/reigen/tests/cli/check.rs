use crate::support::Place;

fn demo() -> Place {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into walk").code, 0);
    place
}

#[test]
fn the_ropewalks_wiring_is_wrong_until_it_is_mended() {
    let place = demo();
    let said = place.reigen("check walk/station.toml");
    insta::assert_snapshot!(said.whole());
    let mended = place
        .read("walk/station.toml")
        .replace("common = \"plus\"", "common = \"zero\"")
        .replace("cable = \"3 m\"", "cable = \"3 m\"\nwiring = { supply = \"3.3 V\" }")
        .replace("filter = \"10 us\"", "filter = \"10 us\"\ntied_to_zero = [\"P7\"]");
    place.write("mended.toml", mended);
    let said = place.reigen("check mended.toml");
    assert_eq!(said.code, 0, "{}", said.whole());
    assert!(said.stdout.contains("nothing is wrong with the wiring"), "{}", said.stdout);
}

#[test]
fn the_json_has_findings_with_their_sums_and_the_terminals() {
    let place = demo();
    let said = place.reigen("check walk/station.toml --json");
    assert_eq!(said.code, 1);
    let json: serde_json::Value = serde_json::from_str(&said.stdout).unwrap();
    let over = json["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "over-voltage").unwrap();
    insta::assert_json_snapshot!(over);
    let hall = json["terminals"].as_array().unwrap().iter().find(|row| row["point"] == "drum_hall").unwrap();
    insta::assert_json_snapshot!(hall);
}

#[test]
fn a_wrong_wiring_table_is_refused_at_its_place() {
    let place = demo();
    let station = place.read("walk/station.toml");
    let mut said = String::new();
    for (wrong, right) in [
        ("terminal = \"P3\"", "terminal = \"P2\""),
        ("sensor = \"hall_swich\"", "sensor = \"hall_switch\""),
        ("pull_up = \"-10 kohm\"", "pull_up = \"10 kohm\""),
        ("output = \"pmp\"", "output = \"open_collector\""),
        ("supply = [\"24 V\", \"3 V\"]", "supply = [\"3 V\", \"24 V\"]"),
        ("current = 6", "current = \"6 mA\""),
        ("current = \"6\"", "current = \"6 mA\""),
        ("on_above = \"1 V\"\noff_below = \"2 V\"", "standard = \"type 1\""),
    ] {
        place.write("wrong.toml", station.replacen(right, wrong, 1));
        let run = place.reigen("check wrong.toml");
        assert_eq!(run.code, 2, "{wrong}: {}", run.whole());
        said += &format!("# {wrong}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
}
