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
}

/// The demo's faults, each mended by the first remedy that is printed for it, to the letter.
#[test]
fn the_remedies_that_are_printed_mend_the_demos_faults() {
    let place = demo();
    let mut station = place.read("walk/station.toml");
    let json = place.reigen("check walk/station.toml --json").json();
    let findings = json["findings"].as_array().unwrap();
    let remedy = |code: &str| {
        let finding = findings.iter().find(|finding| finding["code"] == code).unwrap_or_else(|| panic!("no {code}"));
        finding["remedy"].as_str().unwrap().to_owned()
    };
    let common = remedy("polarity");
    let rail = common.strip_prefix("tie the common of `doors` to ").unwrap_or_else(|| panic!("{common}"));
    assert_eq!(rail, "0 V");
    station = station.replacen("common = \"plus\"", "common = \"zero\"", 1);
    let feed = remedy("over-voltage");
    let feed = feed.strip_prefix("feed the sensor with ").unwrap_or_else(|| panic!("{feed}"));
    station = station.replacen("cable = \"3 m\"", &format!("cable = \"3 m\"\nwiring = {{ supply = \"{feed}\" }}"), 1);
    assert_eq!(remedy("unused-floating"), "connect it to 0 V through 10 kΩ, or switch a pull on");
    station = station.replacen("filter = \"10 us\"", "filter = \"10 us\"\ntied_to_zero = [\"P7\"]", 1);
    place.write("mended.toml", station);
    let said = place.reigen("check mended.toml");
    assert_eq!(said.code, 0, "{}", said.whole());
    assert!(said.stdout.contains("no error and no warning in the wiring"), "{}", said.stdout);
}

/// A part of a remedy joins the wire as the JSON has it.
#[test]
fn the_parts_of_a_remedy_mend_the_circuit_that_they_join() {
    let place = demo();
    let json = place.reigen("check walk/station.toml --json").json();
    let over = json["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "over-voltage").unwrap();
    let with_parts =
        over["remedies"].as_array().unwrap().iter().find(|remedy| !remedy["parts"].as_array().unwrap().is_empty());
    let remedy = with_parts.unwrap();
    let parts: Vec<String> = remedy["parts"]
        .as_array()
        .unwrap()
        .iter()
        .map(|part| {
            let (key, ohms) = part.as_object().unwrap().iter().next().unwrap();
            format!("{{ {key} = \"{ohms} ohm\" }}")
        })
        .collect();
    let station = place.read("walk/station.toml");
    place.write(
        "mended.toml",
        station.replacen("cable = \"3 m\"", &format!("cable = \"3 m\"\nwire = [{}]", parts.join(", ")), 1),
    );
    let json = place.reigen("check mended.toml --json").json();
    assert!(json["findings"].as_array().unwrap().iter().all(|finding| finding["subject"] != "drum_hall"), "{json}");
    let hall = json["terminals"].as_array().unwrap().iter().find(|row| row["point"] == "drum_hall").unwrap();
    assert_eq!(hall["resting_v"], serde_json::json!([remedy["least_v"], remedy["greatest_v"]]));
}

#[test]
fn the_list_names_every_wire_end_once() {
    let place = demo();
    let station = place.read("walk/station.toml");
    let station = station.replacen(
        "line = \"PB_START\"",
        "line = \"PB_START\"\naddress = \"%IX0.0\"\nremark = \"beside the door\"",
        1,
    );
    place.write("walk/station.toml", station);
    let said = place.reigen("check walk/station.toml --list --csv wires.csv");
    insta::assert_snapshot!(said.whole());
    let json = place.reigen("check walk/station.toml --json").json();
    let wires = json["wires"].as_array().unwrap();
    let table = place.read("wires.csv");
    assert_eq!(table.lines().count(), wires.len() + 1);
    assert!(table.starts_with("wire,cable,cable_m,device,pin,to,through,points,address,function,remark\n"), "{table}");
    // Each terminal stands on one side of one wire.
    for terminal in json["terminals"].as_array().unwrap() {
        let name = terminal["terminal"].as_str().unwrap();
        let (card, bare) = name.split_once('.').unwrap();
        let ends = wires.iter().filter(|wire| {
            let unused = wire["device"] == card && wire["pin"].as_str().unwrap().split(", ").any(|pin| pin == bare);
            wire["to"] == name || unused
        });
        assert_eq!(ends.count(), 1, "{name}");
    }
    assert_eq!(place.reigen("check walk/station.toml --csv -").stdout, table);
}

/// A device on two terminals is fed once; pins are those of the sensor; a chain's registers are wired one to the next.
#[test]
fn a_device_is_fed_once_and_a_chain_is_wired_from_register_to_register() {
    let place = Place::new();
    let station = "
        [sensor.encoder]
        output = 'push_pull'
        pins = { plus = '1 RD', zero = '2 BK', out = '3 WH' }
        [card.c]
        supply = '5 V'
        [card.c.inputs.g]
        terminals = ['A', 'B', 'D', 'E']
        tied_to_zero = ['E']
        [card.c.outputs.o]
        terminals = ['L', 'K']
        kind = 'transistor'
        drives = 'sourcing'
        [input.a]
        line = 'ENC_A'
        sensor = 'encoder'
        device = 'B7'
        terminal = 'A'
        wire = [{ series = '1k', power = '0.5 W' }, { capacitor = '1nF' }]
        [input.b]
        line = 'ENC_B'
        sensor = 'encoder'
        device = 'B7'
        terminal = 'B'
        [expander.x]
        load = 'LD'
        clock = 'CK'
        data = 'DT'
        terminals = { load = 'L', clock = 'K', data = 'D' }
        supply = '5 V'
        remark = 'in the door'
        registers = [['p1', '-', '-', '-', '-', '-', '-', '-'], ['p2', '-', '-', '-', '-', '-', '-', '-']]
    ";
    place.write("station.toml", station.replace('\'', "\""));
    let said = place.reigen("check station.toml --list");
    assert_eq!(said.code, 0, "{}", said.whole());
    insta::assert_snapshot!(said.stdout);
}

#[test]
fn the_circuits_are_drawn_and_what_is_wrong_is_red() {
    let place = demo();
    assert_eq!(place.reigen("check walk/station.toml --draw all.svg").code, 1);
    let all = place.read("all.svg");
    let red = "#BE1E2D";
    assert!(all.contains(red) && all.contains("drum_hall") && all.contains("counter.P2"), "{}", all.len());
    assert_eq!(place.reigen("check walk/station.toml -o one.svg --points start_button").code, 0);
    let one = place.read("one.svg");
    assert!(!one.contains(red) && one.contains("22 kΩ") && !one.contains("drum_hall"), "{one}");
    for (command, message) in [
        ("check walk/station.toml --draw all.gif", "all.gif must end in .svg or .png"),
        ("check walk/station.toml --draw all.svg --points start_buton", "the station has no point `start_buton`"),
        ("check walk/station.toml --draw all.svg --points spool_turns", "there is no circuit to draw"),
        ("check walk/station.toml --draw walk/station.toml", "would overwrite"),
    ] {
        let said = place.reigen(command);
        assert_eq!(said.code, 2, "{command}: {}", said.whole());
        assert!(said.stderr.contains(message), "{command}: {}", said.stderr);
    }
}

#[test]
fn a_wrong_wire_is_refused_at_its_place() {
    let place = demo();
    let station = place.read("walk/station.toml");
    let mut said = String::new();
    for wire in [
        "wire = [{}]",
        "wire = [{ tolerance = \"1 %\" }]",
        "wire = [{ series = \"1k\", pull_up = \"10k\" }]",
        "wire = [{ converter = \"level\", from = \"5 V\" }]",
        "wire = [{ converter = \"level\", from = \"5 V\", to = \"3.3 V\" }, { converter = \"level\", from = \"3.3 V\", to = \"5 V\" }]",
        "wire = [{ series = \"0\" }]",
        "wire = [{ pull_down = \"1k\", to = \"5 V\" }]",
        "wire = [{ series = \"1k\" }, { series = \"1k\", at = \"sensor\" }]",
        "wire = [{ pull_up = \"1k\", to = \"24 V AC\" }]",
        "wire = [{ seris = \"1k\" }]",
        "wiring = { pull_up = \"1k\" }\nwire = [{ series = \"1k\" }]",
        "wiring = { supply = [\"26 V\", \"22 V\"] }",
        "wiring = { supply = [\"26 V\"] }",
        "wiring = { supply = 24 }",
    ] {
        place.write("wrong.toml", station.replacen("cable = \"3 m\"", wire, 1));
        let run = place.reigen("check wrong.toml");
        assert_eq!(run.code, 2, "{wire}: {}", run.whole());
        said += &format!("# {wire}\n{}", run.stderr);
    }
    insta::assert_snapshot!(said);
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
