use crate::support::Place;

#[test]
fn the_demo_shows_the_work() {
    insta::assert_snapshot!(Place::new().reigen("demo").whole());
}

#[test]
fn the_demo_written_into_a_folder_gives_what_it_showed() {
    let place = Place::new();
    let written = place.reigen("demo --into deep/ropewalk");
    insta::assert_snapshot!(written.whole());
    let run = place.reigen("run deep/ropewalk/station.toml deep/ropewalk/recording.vcd");
    let shown = place.reigen("demo").stdout;
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
