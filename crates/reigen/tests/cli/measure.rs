//! What a recording says without a station: survey, debounce, levels.

use crate::support::Place;
use serde_json::Value;

fn demo() -> Place {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into walk").code, 0);
    place
}

#[test]
fn a_survey_names_what_is_on_each_line() {
    let place = demo();
    let said = place.reigen("survey walk/recording.vcd --station first.toml");
    insta::assert_snapshot!(said.whole());
    insta::assert_snapshot!(place.read("first.toml"));
    let run = place.reigen("run first.toml walk/recording.vcd --json").json();
    assert_eq!(run["inputs"]["pb_start"]["rising"], 3, "the first station works as it stands");
}

#[test]
fn a_survey_as_json_has_the_figures_of_each_line() {
    let json = demo().reigen("survey walk/recording.vcd --json").json();
    let line = |name: &str| json["lines"].as_array().unwrap().iter().find(|line| line["name"] == name).unwrap().clone();
    insta::assert_json_snapshot!(line("PB_START"));
    assert_eq!((&line("PB_START")["idle"], &line("PB_STOP")["idle"]), (&"high".into(), &"low".into()));
    insta::assert_json_snapshot!(json["analogs"]);
}

#[test]
fn a_debounce_is_chosen_by_its_curve() {
    let place = demo();
    let said =
        place.reigen("debounce walk/recording.vcd --line PB_START --asserted low --true-count 3 --draw curve.svg");
    insta::assert_snapshot!(said.whole());
    assert!(place.read("curve.svg").contains("stable: 3 with"));
    let json = place
        .reigen("debounce walk/recording.vcd --line PB_STOP --asserted low --contact NC --json --true-count 3")
        .json();
    let stable = &json["methods"]["stable"];
    assert_eq!((&stable["count"], &stable["delay_on_ns"]), (&3.into(), &stable["shortest_kept_ns"]));
    let recommended = stable["recommended_ns"].as_u64().unwrap();
    let ranges = json["true_count"]["ranges"].as_array().unwrap();
    assert_eq!(json["true_count"]["count"], 3);
    assert!(ranges.iter().all(|range| range["from_ns"].as_u64().unwrap() < range["until_ns"].as_u64().unwrap()));
    // What the curve says is what a run counts.
    let station = format!(
        "[input.stop]\nline = 'PB_STOP'\nasserted = 'low'\ncontact = 'NC'\ndebounce = {{ method = 'stable', time = '{recommended} ns' }}"
    );
    place.write("stop.toml", station);
    assert_eq!(place.reigen("run stop.toml walk/recording.vcd --json").json()["inputs"]["stop"]["rising"], 3);
}

#[test]
fn a_true_count_is_obeyed_by_the_line_to_paste_or_there_is_none() {
    let place = demo();
    let asked =
        |count: &str| place.reigen(&format!("debounce walk/recording.vcd --line GUARD_NO --json --true-count {count}"));
    let given = asked("3");
    assert_eq!((given.code, given.json()["recommended_count"].as_u64()), (0, Some(3)));
    let never = asked("11");
    assert_eq!((never.code, &never.json()["toml"], &never.json()["recommended"]), (1, &Value::Null, &Value::Null));
    let said = place.reigen("debounce walk/recording.vcd --line GUARD_NO --true-count 11").stdout;
    assert!(
        said.contains("no advice: no method counts 11") && said.contains("11 actuations: stable never gives it"),
        "{said}"
    );
    for refused in ["15", "-1"] {
        let refused = asked(refused);
        assert_eq!(refused.code, 2, "{}", refused.whole());
    }
}

#[test]
fn all_lines_get_their_advice_in_one_go() {
    let place = demo();
    let said = place.reigen("debounce walk/recording.vcd");
    insta::assert_snapshot!(said.whole());
    let json = place.reigen("debounce walk/recording.vcd --json").json();
    let one = place.reigen("debounce walk/recording.vcd --line PB_STOP --json").json();
    let row = json["lines"].as_array().unwrap().iter().find(|line| line["line"] == "PB_STOP").unwrap();
    for key in ["kind", "recommended", "recommended_on_ns", "recommended_off_ns", "recommended_count", "toml", "notes"]
    {
        assert_eq!(row[key], one[key], "{key}");
    }
    let at_once = place.reigen("debounce walk/recording.vcd --line PB_STOP --at-once --json").json();
    assert_eq!((&at_once["recommended_on_ns"], &at_once["recommended_count"]), (&0.into(), &3.into()));
}

#[test]
fn the_recommended_time_gives_the_true_count_of_every_kind_of_contact() {
    let place = Place::new();
    for (kind, glitches) in [("none", false), ("few", false), ("few", true), ("worn", false), ("worn", true)] {
        let wire = if glitches { "[wire.noise]\nline = 'PB'\nglitches_every = '2 s'\nglitch = '300 us'\n" } else { "" };
        let presses: String = (1..12).map(|number| format!("{{ at = '{number} s', for = '250 ms' }}, ")).collect();
        place.write(
            "scenario.toml",
            format!("duration = '14 s'\n[contact.button]\nline = 'PB'\nclosing = '{kind}'\nopening = '{kind}'\npresses = [{presses}]\n{wire}"),
        );
        for seed in 1..4 {
            let made = place.reigen(&format!("simulate scenario.toml -o press.vcd --seed {seed}"));
            assert_eq!(made.code, 0, "{}", made.stderr);
            let json = place.reigen("debounce press.vcd --line PB --json").json();
            assert_eq!(json["recommended_count"], 11, "{kind} {glitches} {seed}: {json}");
            assert_eq!(json["recommended"] == "none", kind == "none" && !glitches, "{kind} {glitches} {seed}");
        }
    }
}

#[test]
fn thresholds_are_read_off_a_ramp() {
    let place = Place::new();
    let row = |number: usize| {
        let volts = if number <= 100 { number as f64 / 20.0 } else { 10.0 - number as f64 / 20.0 };
        let level = usize::from((61..161).contains(&number));
        format!("{number},{level},{volts:.2}\n")
    };
    place.write("ramp.csv", "time_ms,IN,VOLTS\n".to_owned() + &(0..=200).map(row).collect::<String>());
    insta::assert_snapshot!(place.reigen("levels ramp.csv --digital IN --analog VOLTS --reference 2.5").whole());
    let json = place.reigen("levels ramp.csv --digital IN --analog VOLTS --json").json();
    assert_eq!((json["rising"]["mean"].as_f64(), json["rising"]["edges"].as_u64()), (Some(3.05), Some(1)));
}

#[test]
fn what_cannot_be_measured_is_refused() {
    let place = demo();
    place.write("flat.csv", "time_s,A,V\n0,0,1.5\n1,0,1.5\n");
    let mut said = String::new();
    for (command, code) in [
        ("debounce walk/recording.vcd --line PB_STAR", 2),
        ("debounce walk/recording.vcd --line TENSION_MA", 2),
        ("debounce walk/recording.vcd --line PB_START --asserted up", 2),
        ("debounce walk/recording.vcd --line PB_START --draw curve.gif", 2),
        ("debounce flat.csv --line A", 0),
        ("levels walk/recording.vcd --digital PB_START --analog GUARD_NO", 2),
        ("levels walk/recording.vcd --digital PB_START --analog TENSON_MA", 2),
        ("survey walk/station.toml", 2),
        ("survey flat.csv", 0),
        ("survey walk/recording.vcd --station no/such/folder.toml", 2),
        ("survey walk/recording.vcd --station walk/recording.vcd", 2),
        ("verify walk/station.toml walk/recording.vcd --junit walk/station.toml", 2),
    ] {
        let run = place.reigen(command);
        assert_eq!(run.code, code, "{command}: {}", run.whole());
        said += &format!("$ reigen {command}\n{}", run.whole());
    }
    insta::assert_snapshot!(said);
    assert_eq!(place.files(), ["flat.csv", "walk"]);
}

#[test]
fn a_stretch_is_measured_as_a_recording_of_that_stretch_alone_is() {
    let place = demo();
    for (from, to) in [("1.013s", "40s"), ("29.907s", "70.2s"), ("0s", "12.5s"), ("66.011s", "119s")] {
        let cut = place.reigen(&format!("convert walk/recording.vcd part.vcd --from {from} --to {to}"));
        assert_eq!(cut.code, 0, "{}", cut.stderr);
        let span = format!("--from {from} --to {to}");
        for command in
            ["survey RECORDING --json", "debounce RECORDING --json", "debounce RECORDING --lines HALL_DRUM --json"]
        {
            let of = |recording: &str| place.reigen(&command.replace("RECORDING", recording)).json();
            let (within, alone) = (of(&format!("walk/recording.vcd {span}")), of("part.vcd"));
            // The files have other names, and a finding may name its file.
            let told = |value: &Value| match value.get("lines") {
                Some(lines) => lines.clone(),
                None => value.clone(),
            };
            assert_eq!(told(&within), told(&alone), "{command} {span}");
        }
        let chain = |recording: &str| {
            let mut told = place.reigen(&format!("chain {recording} --json")).json();
            for bit in told["changed"].as_array_mut().unwrap() {
                bit["first_change"] = Value::Null;
            }
            told
        };
        if from != "1.013s" && from != "0s" {
            assert_eq!(chain(&format!("walk/recording.vcd {span}"))["bits"], chain("part.vcd")["bits"], "{span}");
        }
    }
    let silent = place.reigen("chain walk/recording.vcd --to 12.5s");
    assert!(silent.code == 2 && silent.stderr.contains("no data line changes"), "{}", silent.whole());
    for (span, told) in [
        ("--from 3min --to 4min", "--from is after the recording"),
        ("--from 3s --to 2s", "--to is before --from"),
        ("--from -1s", "is before the recording"),
    ] {
        for command in ["survey", "debounce", "chain"] {
            let said = place.reigen(&format!("{command} walk/recording.vcd {span}"));
            assert!(said.code == 2 && said.stderr.contains(told), "{command} {span}: {}", said.whole());
        }
    }
}

#[test]
fn several_recordings_stand_wherever_one_may() {
    let place = demo();
    for (number, span) in [(1, "--to 50s"), (2, "--from 50s")] {
        assert_eq!(place.reigen(&format!("convert walk/recording.vcd {number}.vcd {span}")).code, 0);
    }
    for command in [
        "survey RECORDING",
        "debounce RECORDING --lines PB_STOP --asserted low --contact NC",
        "polling walk/station.toml RECORDING --period 50ms",
        "why walk/station.toml RECORDING stop_button",
        "draw walk/station.toml RECORDING --points running --width 100",
        "run walk/station.toml RECORDING --json",
    ] {
        let of = |recordings: &str| {
            let said = place.reigen(&command.replace("RECORDING", recordings));
            assert!(said.code < 2, "{command}: {}", said.stderr);
            let names =
                |line: &&str| !line.contains("recording.vcd") && !line.contains("1.vcd") && !line.contains("2.vcd");
            said.stdout.lines().filter(names).map(str::to_owned).collect::<Vec<_>>()
        };
        assert_eq!(of("1.vcd 2.vcd"), of("walk/recording.vcd"), "{command}");
    }
}

#[test]
fn lines_are_selected_by_name_and_what_was_typed_before_still_works() {
    let place = demo();
    let of = |command: &str| place.reigen(command);
    let two = of("survey walk/recording.vcd --lines PB_STOP,TENSION_MA --json").json();
    assert_eq!((two["lines"].as_array().unwrap().len(), two["analogs"].as_array().unwrap().len()), (1, 1));
    let both = of("debounce walk/recording.vcd --lines PB_START,PB_STOP --json").json();
    assert_eq!(both["lines"].as_array().unwrap().len(), 2);
    for command in ["survey walk/recording.vcd --lines NIX", "debounce walk/recording.vcd --lines PB_START,NIX"] {
        let said = of(command);
        assert!(said.code == 2 && said.stderr.contains("NIX"), "{command}: {}", said.whole());
    }
    let refused = of("debounce walk/recording.vcd --lines PB_START,PB_STOP --true-count 3");
    assert!(refused.code == 2 && refused.stderr.contains("is for one line"), "{}", refused.stderr);
    // The earlier words for the same.
    for (old, new) in [
        (
            "debounce walk/recording.vcd --line PB_START --draw old.svg",
            "debounce walk/recording.vcd --lines PB_START -o new.svg",
        ),
        ("survey walk/recording.vcd --station old.toml", "survey walk/recording.vcd -o new.toml"),
        ("check walk/station.toml --draw old.svg", "check walk/station.toml -o new.svg"),
        (
            "polling walk/station.toml walk/recording.vcd --period 50ms --draw old.svg",
            "polling walk/station.toml walk/recording.vcd --period 50ms -o new.svg",
        ),
        ("rate --captures walk/captures.csv --clock 48MHz", "captures walk/captures.csv --clock 48MHz"),
        (
            "convert walk/recording.vcd old.csv --only PB_START",
            "convert walk/recording.vcd -o new.csv --lines PB_START",
        ),
    ] {
        let [old, new] = [old, new].map(|command| of(command).whole());
        assert_eq!(old.replace("old.", "new."), new);
    }
    for ending in ["svg", "toml", "csv"] {
        assert_eq!(place.read(&format!("old.{ending}")), place.read(&format!("new.{ending}")), "{ending}");
    }
}
