use crate::support::Place;

fn demo() -> Place {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into walk").code, 0);
    place
}

#[test]
fn each_answer_has_its_reason() {
    let place = demo();
    let mut said = String::new();
    for asked in [
        "stop_button --most 12",
        "stop_button --edge 10",
        "start_button --from 1s --to 2s",
        "drum_hall",
        "run_lamp --at 30.0005s",
        "guard_disagrees --at 50s",
        "spool_turns --from 30.9s --to 32s",
        "spool_turns --at 31.1s",
    ] {
        let run = place.reigen(&format!("why walk/station.toml walk/recording.vcd {asked}"));
        assert_eq!(run.code, 0, "{asked}: {}", run.stderr);
        said += &format!("$ reigen why … {asked}\n{}\n", run.whole());
    }
    insta::assert_snapshot!(said);
}

#[test]
fn every_method_gives_its_reasons() {
    let place = demo();
    let mut said = String::new();
    for (scan, debounce) in [
        ("", "{ method = 'none' }"),
        ("", "{ method = 'lockout', time = '3 ms' }"),
        ("", "{ method = 'sampled', every = '1 ms', count = 3 }"),
        (
            "",
            "{ method = 'rc', resistance = '10k', capacitance = '470nF', supply = '5 V', rise_at = '3 V', fall_at = '1.5 V' }",
        ),
        ("[scan]\nperiod = '10 ms'\n", "{ method = 'none' }"),
    ] {
        place.write(
            "stop.toml",
            format!("{scan}[input.stop]\nline = 'PB_STOP'\nasserted = 'low'\ncontact = 'NC'\ndebounce = {debounce}\n"),
        );
        let all = place.reigen("why stop.toml walk/recording.vcd stop --most 6");
        let accepted = place.reigen("why stop.toml walk/recording.vcd stop --edge 21");
        assert_eq!((all.code, accepted.code), (0, 0), "{}{}", all.stderr, accepted.stderr);
        said += &format!("# {scan}{debounce}\n{}{}\n", all.stdout, accepted.stdout);
    }
    insta::assert_snapshot!(said);
}

#[test]
fn the_reasons_add_up_to_the_account() {
    let place = demo();
    let run = place.reigen("run walk/station.toml walk/recording.vcd --json").json();
    for name in ["start_button", "stop_button", "guard_no", "guard_nc", "drum_hall"] {
        let json = place.reigen(&format!("why walk/station.toml walk/recording.vcd {name} --json")).json();
        let told = |word: &str| {
            let edges = json["edges"].as_array().map_or(&[][..], Vec::as_slice);
            assert!(edges.iter().all(|edge| edge["why"].as_str().unwrap().starts_with(edge["rule"].as_str().unwrap())));
            edges.iter().filter(|edge| edge["rule"] == word).count()
        };
        let rejected = &run["inputs"][name]["rejected"];
        for rule in ["bounce", "glitch", "missed"] {
            assert_eq!(told(rule) as u64, rejected[rule].as_u64().unwrap(), "{name} {rule}");
            assert_eq!(json["sums"][rule], rejected[rule], "{name} {rule}");
        }
    }
}

#[test]
fn what_cannot_be_answered_is_refused() {
    let place = demo();
    let mut said = String::new();
    for asked in [
        "start_buton",
        "stop_button --edge 71",
        "run_lamp --edge 1",
        "run_lamp --at 500s",
        "run_lamp --at -1s",
        "run_lamp --at 5",
        "stop_button --edge 0",
    ] {
        let run = place.reigen(&format!("why walk/station.toml walk/recording.vcd {asked}"));
        assert_eq!(run.code, 2, "{asked}: {}", run.whole());
        said += &format!("$ reigen why … {asked}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
}
