//! Every option of every command does something: what comes out with it is not what comes out without it.

use crate::support::Place;
use std::collections::BTreeSet;

/// Files for every command: a workshop with a chain, an analog line and a wired station, twelve seconds long.
fn workshop() -> Place {
    let place = Place::with_demo();
    assert_eq!(place.reigen("demo --into w").code, 0);
    assert_eq!(place.reigen("convert w/recording.vcd --to 8s --output w/short.vcd").code, 0);
    assert_eq!(place.reigen("convert recording.vcd --step 1ms --output old.bin").code, 0);
    assert_eq!(place.reigen("man w").code, 0);
    std::fs::remove_file(place.path("old.bin")).unwrap();
    let ramp = [(0, 0), (0, 1), (1, 2), (1, 3), (1, 2), (0, 1), (0, 0), (0, 1), (0, 2), (1, 3), (0, 0)];
    let rows = ramp
        .iter()
        .enumerate()
        .map(|(time, (digital, volts))| format!("{time},{digital},{volts},{},{}\n", 1 - digital, volts * 2));
    place.write("ramp.csv", format!("time,d,v,e,u\n{}", rows.collect::<String>()));
    place.write("scenario.toml", "duration = '4 s'\n[contact.button]\nline = 'PB'\npresses = [{ at = '1 s', for = '1 s' }, { at = '3 s', for = '0.5 s' }]\n");
    let expected = "\n[expect.pressed]\nthat = 'start_button'\nby = '1 s'\n[expect.counted]\nthat = 'spool_turns >= 3'\nby = '11 s'\n";
    let chain = |name: char, period: u32| {
        let points: Vec<String> = (0..8).map(|bit| format!("'{name}{bit}'")).collect();
        format!(
            "[chain.{name}]\nload = 'LD_{name}'\nclock = 'CK_{name}'\ndata = 'DT_{name}'\nperiod = '{period} ms'\nclock_period = '8 us'\n\
             registers = [[{}]]\npresses = [{{ point = '{name}1', at = '500 ms', for = '300 ms' }}]\n",
            points.join(", ")
        )
    };
    place.write("chain.toml", format!("duration = '2 s'\n{}{}", chain('c', 20), chain('d', 30)));
    assert_eq!(place.reigen("simulate chain.toml --output chain.vcd").code, 0);
    place.write("plain.csv", "time;start;level;ticks\n0;0;1,25;0\n1000;1;2,5;4\n2000;0;3,75;5\n3000;1;0,5;7\n");
    place.write("words.csv", "time,lamp\n0,out\n1000,lit\n2000,out\n");
    place.write("packed.bin", [0_u8, 1, 3, 2, 0, 1]);
    // The second session has nothing.
    let history = "[input.a]\nline = 'A'\n";
    place.write("night.toml", history);
    place.write("night.jsonl", "{\"line\":\"A\",\"value\":0}\n{\"line\":\"A\",\"value\":1}\n");
    for input in ["night.jsonl", "/dev/null"] {
        let mut live = place.command("live night.toml - --history nights.sqlite");
        let input = std::fs::File::open(place.path(input)).unwrap();
        assert!(live.stdin(input).output().unwrap().status.success());
    }
    place.write("slower.toml", place.read("station.toml").replace("20 us", "200 ms"));
    place.write("expected.toml", place.read("station.toml") + expected);
    place
}

/// The command, what it is asked without the option, and the options: each with its value, and what it needs beside it.
struct Case {
    command: &'static str,
    asked: &'static str,
    options: &'static [(&'static str, &'static str)],
}

/// Options that ask for a server or a folder, and have tests of their own.
const ELSEWHERE: [&str; 4] = ["--queue", "--archive", "--station", "--at"];

const CASES: &[Case] = &[
    Case {
        command: "check",
        asked: "w/station.toml",
        options: &[
            ("--points", "start_button"),
            ("--list", ""),
            ("--csv", "new.csv"),
            ("--output", "new.svg"),
            ("--dark", "--output new.svg"),
            ("--json", ""),
        ],
    },
    Case {
        command: "survey",
        asked: "w/short.vcd",
        options: &[
            ("--lines", "PB_START"),
            ("--output", "new.toml"),
            ("--force", "--output w/station.toml"),
            ("--every", "2s"),
            ("--json", ""),
            ("--from", "4s"),
            ("--to", "4s"),
        ],
    },
    Case {
        command: "levels",
        asked: "ramp.csv --time-unit s --digital d --analog v",
        options: &[
            ("--digital", "e"),
            ("--analog", "u"),
            ("--reference", "1.2"),
            ("--json", ""),
            ("--from", "5s"),
            ("--to", "6s"),
        ],
    },
    Case {
        command: "chain",
        asked: "chain.vcd --load LD_c --clock CK_c --data DT_c",
        options: &[
            ("--load", "LD_d"),
            ("--clock", "CK_d"),
            ("--data", "DT_d"),
            ("--pressed", "x"),
            ("--json", ""),
            ("--from", "1s"),
            ("--to", "400ms"),
        ],
    },
    Case {
        command: "captures",
        asked: "w/captures.csv --clock 48MHz",
        options: &[
            ("--clock", "24MHz"),
            ("--prescale", "240"),
            ("--bits", "32"),
            ("--divider-register", "239"),
            ("--reload", "65535"),
            ("--reference", "39Hz"),
            ("--pulses-per-rev", "6"),
            ("--json", ""),
        ],
    },
    Case {
        command: "debounce",
        asked: "recording.vcd --lines PB_START",
        options: &[
            ("--lines", "HALL_DRUM"),
            ("--asserted", "high"),
            ("--contact", "NC"),
            ("--at-once", ""),
            ("--true-count", "2"),
            ("--output", "new.svg"),
            ("--json", ""),
            ("--from", "500ms"),
            ("--to", "500ms"),
        ],
    },
    Case {
        command: "polling",
        asked: "station.toml recording.vcd",
        options: &[
            ("--period", "200ms"),
            ("--chain-bits", "400 --clock 10kHz"),
            ("--clock", "1kHz --chain-bits 400"),
            ("--sweep", "10ms..100ms"),
            ("--steps", "7 --sweep 10ms..100ms"),
            ("--readings", "4 --period 50ms"),
            ("--points", "drum_hall --period 50ms"),
            ("--output", "new.svg --sweep 10ms..100ms"),
            ("--json", "--period 50ms"),
            ("--from", "2s --period 50ms"),
            ("--to", "2s --period 50ms"),
        ],
    },
    Case {
        command: "run",
        asked: "w/station.toml w/short.vcd",
        options: &[
            ("--points", "start_button"),
            ("--all", ""),
            ("--findings", ""),
            ("--json", ""),
            ("--trace", "new.vcd"),
            ("--events", "new.jsonl"),
            ("--every", "3s"),
            ("--truth", "w/truth.json"),
            ("--display", "--every 3s"),
            ("--display-at", "3s"),
            ("--display-log", "new.jsonl"),
            ("--watch", "drum,running --speed 10000 --to 1s"),
            ("--scale", "0..5 --watch drum --speed 10000 --to 1s"),
            ("--from", "4s"),
            ("--to", "4s"),
        ],
    },
    // Standard input ends at once; `live.rs` has more.
    Case {
        command: "live",
        asked: "station.toml -",
        options: &[("--points", "start_button"), ("--record", "new.vcd"), ("--history", "new.sqlite"), ("--json", "")],
    },
    Case {
        command: "why",
        asked: "w/station.toml w/short.vcd start_button",
        options: &[("--at", "2s"), ("--edge", "2"), ("--most", "1"), ("--json", ""), ("--from", "8s"), ("--to", "1s")],
    },
    Case {
        command: "draw",
        asked: "station.toml recording.vcd",
        options: &[
            ("--output", "new.png"),
            ("--points", "drum_hall"),
            ("--around", "spool_turns:2"),
            ("--span", "1s --around spool_turns:2"),
            ("--scale", "spool_turns=0..500"),
            ("--width", "70"),
            ("--height", "500 --output new.svg"),
            ("--dark", "--output new.svg"),
            ("--from", "2s"),
            ("--to", "2s"),
        ],
    },
    Case {
        command: "verify",
        asked: "expected.toml recording.vcd",
        options: &[("--points", "counted"), ("--junit", "new.xml"), ("--json", ""), ("--from", "2s"), ("--to", "2s")],
    },
    Case {
        command: "compare",
        asked: "station.toml recording.vcd",
        options: &[
            ("--station-b", "expected.toml"),
            ("--tolerance", "1 --station-b slower.toml"),
            ("--instruments", "spool_turns,spool_turns"),
            ("--settle", "200ms --instruments spool_turns,spool_turns"),
            ("--points", "drum_hall --station-b slower.toml"),
            ("--json", "--station-b slower.toml"),
            ("--from", "2s --station-b slower.toml"),
            ("--to", "2s --station-b slower.toml"),
        ],
    },
    Case {
        command: "report",
        asked: "station.toml recording.vcd --output page.html",
        options: &[("--output", "new.html"), ("--points", "drum_hall"), ("--from", "2s"), ("--to", "2s")],
    },
    Case {
        command: "convert",
        asked: "recording.vcd --output -",
        options: &[
            ("--output", "new.csv"),
            ("--lines", "PB_START"),
            ("--step", "1ms"),
            ("--format", "csv"),
            ("--force", "--step 1ms --output old.bin"),
            ("--from", "2s"),
            ("--to", "2s"),
        ],
    },
    Case {
        command: "simulate",
        asked: "scenario.toml --output made.vcd",
        options: &[("--output", "new.vcd"), ("--seed", "7"), ("--for", "2s"), ("--truth", "new.json")],
    },
    Case { command: "completions", asked: "bash", options: &[] },
    Case { command: "schema", asked: "station", options: &[] },
    Case { command: "man", asked: "w", options: &[("--force", "")] },
];

/// Options of every command that reads a recording: what the recording does not say itself.
const READING: &[Case] = &[
    Case { command: "survey", asked: "recording.vcd recording.vcd", options: &[("--own-clocks", "")] },
    Case { command: "survey", asked: "nights.sqlite", options: &[("--session", "1")] },
    Case {
        command: "survey",
        asked: "packed.bin --sample-rate 1kHz --bits a,b",
        options: &[("--sample-rate", "2kHz"), ("--bits", "c,-")],
    },
    Case { command: "survey", asked: "words.csv --time-unit ms", options: &[("--high", "lit")] },
    Case { command: "survey", asked: "plain.csv --time-unit s", options: &[("--separator", "tab")] },
    Case {
        command: "survey",
        asked: "plain.csv --time-unit ms",
        options: &[
            ("--time", "ticks"),
            ("--time-unit", "us"),
            ("--decimal", "."),
            ("--high-above", "3 --low-below 2"),
            ("--low-below", "1 --high-above 2"),
        ],
    },
];

/// Options that change when something comes, and not what comes.
const SPEED: [&str; 9] =
    ["--threads", "--speed", "--for", "--lateness", "--drive", "--lines", "--serve", "--token-file", "--allow-set"];

/// An option that says what is found without it wherever the file can be read, and a refusal where it says otherwise.
const REFUSED: &str = "--separator";

/// Options that every command knows: they change what is said beside the result, and have tests of their own.
const EVERYWHERE: [&str; 5] = ["--verbose", "--quiet", "--color", "--log", "--help"];

/// What a command said, and all files after it.
type Outcome = (i32, String, String, Vec<(String, Vec<u8>)>);

fn outcome(template: &Place, command: &str, asked: &str) -> Outcome {
    let place = Place::new();
    place.copy_folder(&template.path("w"), "w");
    for name in template.files().iter().filter(|name| template.path(name).is_file()) {
        std::fs::copy(template.path(name), place.path(name)).unwrap();
    }
    let said = place.reigen(&format!("{command} {asked}"));
    let files = place.files().into_iter().map(|name| {
        let bytes = std::fs::read(place.path(&name)).unwrap_or_default();
        (name, bytes)
    });
    (said.code, said.stdout, said.stderr, files.collect())
}

/// What was asked, with these options in the place of those of the same name.
fn with(asked: &str, options: &str) -> String {
    let given: Vec<&str> = options.split_whitespace().collect();
    let mut words = asked.split_whitespace().peekable();
    let mut kept = Vec::new();
    while let Some(word) = words.next() {
        if word.starts_with("--") && given.contains(&word) {
            words.next_if(|value| !value.starts_with("--"));
        } else {
            kept.push(word);
        }
    }
    kept.extend(given);
    kept.join(" ")
}

#[test]
fn each_changes_what_comes_out() {
    let template = workshop();
    let mut faults = Vec::new();
    for case in CASES.iter().chain(READING) {
        for (option, value) in case.options {
            // What stands beside an option stands in the run without it, too.
            let beside = value.find("--").map_or("", |start| &value[start..]);
            let before = outcome(&template, case.command, &with(case.asked, beside));
            let after = outcome(&template, case.command, &with(case.asked, &format!("{option} {value}")));
            if after.0 > 1 && *option != REFUSED {
                faults.push(format!("{} {option} {value}: {}", case.command, after.2));
            } else if before == after {
                faults.push(format!("{} {option} {value} does nothing", case.command));
            }
        }
    }
    assert_eq!(faults, [] as [&str; 0]);
}

#[test]
fn the_table_has_every_option_of_every_command() {
    let place = Place::new();
    let help = place.reigen("--help").stdout;
    let commands: BTreeSet<&str> = (help.lines())
        .filter_map(|line| {
            line.strip_prefix("  ").filter(|rest| rest.starts_with(|letter: char| letter.is_ascii_lowercase()))
        })
        .filter_map(|line| line.split_whitespace().next())
        .filter(|command| !["demo", "size", "play", "signoff", "code", "work"].contains(command))
        .collect();
    assert_eq!(
        commands,
        CASES.iter().map(|case| case.command).collect(),
        "commands (`demo`, `size`, `play`, `signoff`, `code` and `work` have tests of their own)"
    );
    for case in CASES {
        let help = place.reigen(&format!("{} --help", case.command)).stdout;
        let listed = help.lines().map(str::trim_start).filter(|line| line.starts_with('-'));
        let names = listed.filter_map(|line| line.split([' ', ',']).find(|word| word.starts_with("--")));
        let reading = READING.iter().filter(|_| help.contains("\nRecording:\n"));
        let options = reading.chain([case]).flat_map(|case| case.options.iter().map(|(option, _)| *option));
        let tried: BTreeSet<&str> = options.chain(EVERYWHERE).chain(SPEED).chain(ELSEWHERE).collect();
        let untried: Vec<&str> = names.filter(|name| name.len() > 2 && !tried.contains(name)).collect();
        assert_eq!(untried, [] as [&str; 0], "{}", case.command);
    }
}
