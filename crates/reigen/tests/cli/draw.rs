use crate::support::Place;

#[test]
fn the_terminal_shows_raw_over_clean() {
    let place = Place::with_demo();
    insta::assert_snapshot!(place.reigen("draw station.toml recording.vcd --width 90").whole());
    let said = place.reigen("draw station.toml recording.vcd --points start_button,spool_turns --around start_button:1 --span 30ms --width 80");
    insta::assert_snapshot!(said.whole());
}

#[test]
fn pictures_have_the_size_and_the_names_that_were_asked_for() {
    let place = Place::with_demo();
    for options in ["", "--dark", "--width 700 --height 500 --points drum_hall,start_button --from 2s --to 4s"] {
        let run = place.reigen(&format!("draw station.toml recording.vcd -o a.svg {options}"));
        assert_eq!((run.code, run.stdout.as_str()), (0, ""), "{}", run.stderr);
        let svg = place.read("a.svg");
        assert!(svg.contains("drum_hall") && svg.contains("time in s"), "{options}");
        assert_eq!(place.reigen(&format!("draw station.toml recording.vcd -o a.png {options}")).code, 0);
        let png = std::fs::read(place.path("a.png")).unwrap();
        let size = |at: usize| u32::from_be_bytes(png[at..at + 4].try_into().unwrap());
        let wanted = if options.contains("700") { (700, 500) } else { (1280, 800) };
        assert_eq!((&png[1..4], (size(16), size(20))), (&b"PNG"[..], wanted), "{options}");
    }
}

#[test]
fn what_cannot_be_drawn_is_refused_and_nothing_is_written() {
    let place = Place::with_demo();
    let mut said = String::new();
    for options in [
        "-o a.gif",
        "-o a.png --points start_buton",
        "-o a.png --from 90s",
        "-o a.png --from 3s --to 2s",
        "-o a.png --width 0",
        "-o a.png --height 200000",
        "-o a.png --height 200",
        "--width 0",
        "-o a.png --scale spool_turns=9..2",
        "-o a.png --scale spool_turns",
        "-o a.png --around start_button:99",
        "-o a.png --around start_button:0",
        "-o a.png --around nobody:1",
        "-o no/such/a.png",
    ] {
        let run = place.reigen(&format!("draw station.toml recording.vcd {options}"));
        assert_eq!(run.code, 2, "{options}: {}", run.whole());
        said += &format!("$ reigen draw … {options}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
    assert_eq!(place.files(), ["recording.vcd", "station.toml"]);
}
