use crate::support::Place;

#[test]
fn the_demo_shows_the_work() {
    insta::assert_snapshot!(Place::new().reigen("demo --all").whole());
}

#[test]
fn the_short_demo_fits_a_screen() {
    let said = Place::new().reigen("demo").stdout;
    insta::assert_snapshot!(said);
    assert!(said.lines().count() <= 40, "{} lines", said.lines().count());
}

#[test]
fn a_run_of_the_demo_fits_a_screen_and_names_commands_that_work() {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into ropewalk").code, 0);
    let said = place.reigen("run ropewalk/station.toml ropewalk/recording.vcd").stdout;
    assert!(said.lines().count() <= 45, "{} lines", said.lines().count());
    let full = place.reigen("run ropewalk/station.toml ropewalk/recording.vcd --findings").stdout;
    let commands: Vec<&str> = full.lines().filter_map(|line| line.strip_prefix("   $ reigen ")).collect();
    let is_finding = |line: &&str| ["error: ", "warning: ", "note: "].iter().any(|word| line.starts_with(word));
    assert_eq!(commands.len(), full.lines().filter(is_finding).count(), "each finding has its command: {full}");
    for command in commands {
        let shown = place.reigen(command);
        assert_eq!(shown.code, 0, "{command}: {}", shown.whole());
    }
}

#[test]
fn the_demo_written_into_a_folder_gives_what_it_showed() {
    let place = Place::new();
    let written = place.reigen("demo --into deep/ropewalk");
    insta::assert_snapshot!(written.whole());
    let run = place.reigen("run deep/ropewalk/station.toml deep/ropewalk/recording.vcd");
    let shown = place.reigen("demo --all").stdout;
    assert!(shown.contains(&run.stdout.replace("deep/ropewalk/", "")), "{}", run.whole());
    let again = place.reigen("simulate deep/ropewalk/scenario.toml -o again.vcd --truth again.json");
    assert_eq!(again.code, 0, "{}", again.stderr);
    assert_eq!(place.read("again.vcd"), place.read("deep/ropewalk/recording.vcd"));
    assert_eq!(place.read("again.json"), place.read("deep/ropewalk/truth.json"));
}

#[test]
fn the_demo_never_overwrites() {
    let place = Place::with_demo();
    place.write("station.toml", "mine");
    insta::assert_snapshot!(place.reigen("demo --into .").whole());
    assert_eq!(place.read("station.toml"), "mine");
}

#[test]
fn the_demo_meets_its_truth_but_where_the_scenario_means_it_not_to() {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into walk").code, 0);
    let differing = |station: &str| {
        let said = place.reigen(&format!("run {station} walk/recording.vcd --truth walk/truth.json --json"));
        assert_eq!(said.code, 1, "{}", said.stderr);
        let said: serde_json::Value = serde_json::from_str(&said.stdout).unwrap();
        let judged = said["truth"].as_object().unwrap();
        let differs = |judged: &serde_json::Value| judged["differences"] != serde_json::json!([]);
        judged.iter().filter(|(_, judged)| differs(judged)).map(|(name, _)| name.clone()).collect::<Vec<_>>()
    };
    // A weak magnet, and the speeds by it; a plug that loses a pulse; a press between two polls; a side that sticks.
    let meant = ["bobbin_11", "capstan", "drum", "drum_counted", "drum_hall", "guard_nc"];
    assert_eq!(differing("walk/station.toml"), [meant.as_slice(), &["stop_button"]].concat());
    let mended = std::fs::read_to_string(place.path("walk/station.toml")).unwrap().replace("1 ms", "25 ms");
    place.write("mended.toml", mended);
    assert_eq!(differing("mended.toml"), meant);
}
