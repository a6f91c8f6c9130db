//! What the program advises, followed blindly: a first station counts what really was, each fault is named
//! wherever it can be met, and a wrong answer is refused with its remedy.

use crate::support::Place;
use serde_json::Value;

/// A workshop with a button that bounces, a drum's sensor and a wire that nothing drives.
fn workshop(closing: &str, seed: u64) -> Place {
    let place = Place::new();
    let presses: String = (1..8).map(|number| format!("{{ at = '{number}.3 s', for = '200 ms' }}, ")).collect();
    place.write(
        "scenario.toml",
        format!(
            "duration = '10 s'\n[contact.button]\nline = 'PB'\nclosing = '{closing}'\nopening = '{closing}'\npresses = [{presses}]\n\
             [shaft.drum]\nspeed = [{{ for = '1 s', to_rpm = 0 }}, {{ for = '2 s', to_rpm = 600 }}, {{ for = '2 s', to_rpm = 600 }}, \
             {{ for = '1 s', to_rpm = 0 }}, {{ for = '2 s', to_rpm = 0 }}, {{ for = '2 s', to_rpm = 300 }}]\n\
             [wheel.drum_marks]\nline = 'DRUM'\nshaft = 'drum'\nmarks = 6\n\
             [floating.spare]\nline = 'SPARE'\n"
        ),
    );
    let made = place.reigen(&format!("simulate scenario.toml -o r.vcd --truth truth.json --seed {seed}"));
    assert_eq!(made.code, 0, "{}", made.stderr);
    place
}

#[test]
fn a_first_station_counts_what_really_was() {
    for (closing, seed) in [("none", 1), ("few", 2), ("few", 3), ("worn", 4), ("worn", 5)] {
        let place = workshop(closing, seed);
        let surveyed = place.reigen("survey r.vcd --station first.toml");
        assert_eq!(surveyed.code, 0, "{}", surveyed.stderr);
        let run = place.reigen("run first.toml r.vcd --truth truth.json --json");
        let judged = run.json();
        for (name, truth) in judged["truth"].as_object().unwrap() {
            assert_eq!(truth["counted"], truth["true"], "{closing} {seed} {name}: {truth}");
        }
        assert_eq!(judged["truth"].as_object().unwrap().len(), 2, "{closing} {seed}");
        assert!(!place.read("first.toml").contains("\n[input.spare"), "nothing drives it");
        let written = place.read("first.toml");
        let again = place.reigen("survey r.vcd --station first.toml");
        assert_eq!((again.code, place.read("first.toml") == written), (2, true));
        assert_eq!(place.reigen("survey r.vcd --station first.toml --force").code, 0);
    }
}

#[test]
fn of_two_chains_no_wires_are_joined_that_may_not_belong_together() {
    let place = Place::new();
    let row = |letter: char| (0..8).map(|bit| format!("'{letter}{bit}',")).collect::<String>();
    let chain = |name: char, lines: &str, period: u32| {
        format!(
            "[chain.{name}]\n{lines}period = '{period} ms'\nclock_period = '8 us'\nregisters = [[{}]]\n\
             presses = [{{ point = '{name}1', at = '500 ms', for = '300 ms' }}]\n",
            row(name)
        )
    };
    let first = chain('c', "load = 'LD'\nclock = 'CK'\ndata = 'DT'\n", 20);
    let second = chain('d', "load = 'LD2'\nclock = 'CK2'\ndata = 'DT2'\n", 30);
    for (scenario, points) in [(first.clone(), 1), (first + &second, 0)] {
        place.write("scenario.toml", format!("duration = '4 s'\n{scenario}"));
        assert_eq!(place.reigen("simulate scenario.toml -o r.vcd").code, 0);
        let said = place.reigen("survey r.vcd --station s.toml --force").stdout;
        assert!(said.contains(&format!("wrote s.toml with {points} point")), "{said}");
        assert_eq!(said.contains("next: reigen run"), points > 0, "{said}");
        assert_eq!(place.read("s.toml").contains("one of CK, CK2"), points == 0);
    }
}

/// The codes of the findings of a run.
fn codes(findings: &Value) -> Vec<(String, String)> {
    let text = |value: &Value| value.as_str().unwrap_or_default().to_owned();
    findings.as_array().unwrap().iter().map(|one| (text(&one["code"]), text(&one["point"]))).collect()
}

#[test]
fn a_fault_of_an_input_is_told_by_run_verify_and_report_and_a_healthy_one_is_not() {
    let place = workshop("worn", 7);
    let cases = [
        ("line = 'PB'", Some("bounce-counted")),
        ("line = 'PB'\ndebounce = { method = 'stable', time = '1 ms' }", Some("bounce-counted")),
        ("line = 'PB'\ndebounce = { method = 'stable', time = '40 ms' }", None),
        ("line = 'DRUM'", None),
        ("line = 'DRUM'\ndebounce = { method = 'stable', time = '20 ms' }", Some("pulses-swallowed")),
        ("line = 'SPARE'", Some("input-floating")),
    ];
    let known = ["bounce-counted", "pulses-swallowed", "glitches-removed", "input-floating", "missed-by-scan"];
    for (input, wanted) in cases {
        place.write(
            "station.toml",
            format!("[input.x]\n{input}\n[counter.n]\nup = 'x'\n[expect.any]\nthat = 'n >= 0'\nby = '1 s'\n"),
        );
        let wanted: Vec<&str> = wanted.into_iter().collect();
        let run = codes(&place.reigen("run station.toml r.vcd --json").json()["findings"]);
        let on_input = |codes: &[(String, String)]| {
            let found = codes.iter().map(|(code, _)| code.clone());
            found.filter(|code| known.contains(&code.as_str())).collect::<Vec<_>>()
        };
        assert_eq!(on_input(&run), wanted, "{input}");
        let verified = place.reigen("verify station.toml r.vcd --json");
        wanted.iter().for_each(|code| assert!(verified.stdout.contains(code), "{input}: {}", verified.whole()));
        let reported = place.reigen("report station.toml r.vcd -o page.html");
        assert!(reported.code < 2, "{}", reported.whole());
        let page = place.read("page.html");
        std::fs::remove_file(place.path("page.html")).unwrap();
        assert_eq!(page.contains("no error and no warning"), wanted.is_empty(), "{input}");
    }
}

#[test]
fn the_order_of_registers_is_held_against_the_truth() {
    let place = Place::new();
    let row = |letter: char| (0..8).map(|bit| format!("'{letter}{bit}',")).collect::<String>();
    let chain = "load = 'LD'\nclock = 'CK'\ndata = 'DT'\n";
    place.write(
        "scenario.toml",
        format!(
            "duration = '4 s'\n[chain.c]\n{chain}period = '20 ms'\nclock_period = '8 us'\nregisters = [[{}], [{}]]\n\
             presses = [{{ point = 'a1', at = '500 ms', for = '300 ms' }}, {{ point = 'b6', at = '1 s', for = '1 s' }}, \
             {{ point = 'a3', at = '2.001 s', for = '5 ms' }}]\n",
            row('a'),
            row('b')
        ),
    );
    assert_eq!(place.reigen("simulate scenario.toml -o r.vcd --truth truth.json").code, 0);
    let judged = |first: char, second: char| {
        place.write("s.toml", format!("[expander.c]\n{chain}registers = [[{}], [{}]]\n[input.slow]\nof = 'b6'\ndebounce = {{ method = 'stable', time = '100 ms' }}\n", row(first), row(second)));
        place.reigen("run s.toml r.vcd --truth truth.json --json").json()["truth"].clone()
    };
    let right = judged('a', 'b');
    for (point, times) in [("a1", 1), ("b6", 1), ("slow", 1), ("a0", 0)] {
        assert_eq!((&right[point]["counted"], &right[point]["true"]), (&times.into(), &times.into()), "{point}");
        assert!(right[point]["differences"].as_array().unwrap().is_empty(), "{point}");
    }
    // It fell between two polls.
    assert_eq!((&right["a3"]["counted"], &right["a3"]["true"]), (&0.into(), &1.into()));
    assert!(right["a3"]["differences"].to_string().contains("on for 5 ms at most"), "{}", right["a3"]);
    let wrong = judged('b', 'a');
    for (point, other) in [("b1", "`a1`"), ("a6", "`b6`")] {
        let said = wrong[point]["differences"].to_string();
        assert!(said.contains(&format!("shows what {other} did")), "{point}: {said}");
    }
    assert_eq!((&wrong["slow"]["counted"], &wrong["slow"]["true"]), (&0.into(), &1.into()));
}

#[test]
fn a_wrong_answer_is_refused_with_its_place_and_remedy() {
    let place = workshop("few", 3);
    let rate = |marks: &str| {
        format!(
            "[input.a]\nline = 'DRUM'\n[rate.r]\nof = 'a'\nmethod = 'period'\nunit = 'rpm'\npulses_per_rev = 1\nmarks = {marks}\n"
        )
    };
    let axis = |rollover: &str| {
        format!(
            "[input.a]\nline = 'PB'\n[input.b]\nline = 'DRUM'\n[encoder.e]\na = 'a'\nb = 'b'\npulses_per_rev = 10\ntravel_per_rev = 360\nunit = 'deg'\nrollover = {rollover}\n"
        )
    };
    let stations = [
        (rate("{ of = 3, missing = 3 }"), "`missing` must be"),
        (rate("{ of = 3, missing = 4 }"), "`missing` must be"),
        (axis("0"), "`rollover` is 0"),
        (axis("-360"), "`rollover` is -360"),
        (axis("8.9"), "one count is 9 deg"),
    ];
    for (number, (station, said)) in stations.iter().enumerate() {
        let name = format!("s{number}.toml");
        place.write(&name, station);
        let run = place.reigen(&format!("run {name} r.vcd --events e.csv"));
        assert_eq!(run.code, 2, "{said}");
        assert!(run.stderr.contains(said) && run.stderr.contains(&format!("{name}:")), "{said}: {}", run.stderr);
    }
    let late = "duration = '2 s'\n[contact.k]\nline = 'K'\nclosing = 'none'\nopening = 'none'\npresses = [{ at = '3 s', for = '1 s' }]\n";
    place.write("late.toml", late);
    let commands = [
        ("debounce r.vcd --line PB --true-count -1", "--true-count"),
        ("debounce r.vcd --line PB --true-count 100000", "edges"),
        ("debounce r.vcd --true-count 3", "--line"),
        ("survey r.vcd --station scenario.toml", "is there already"),
        ("simulate late.toml -o late.vcd", "after the scenario's end"),
        ("polling s0.toml r.vcd --readings 0", "--readings"),
    ];
    let before = place.files();
    for (command, said) in commands {
        let run = place.reigen(command);
        assert_eq!(run.code, 2, "{command}: {}", run.whole());
        assert!(run.stderr.contains(said), "{command}: {}", run.stderr);
    }
    assert_eq!(place.files(), before, "nothing half-written");
}
