//! Names from outside: none acts on whoever looks at it, and each is found again.

use super::support::Place;
use std::fmt::Write as _;

/// Letters of every kind that a terminal, TOML, XML, CSV or VCD may take for something.
const LETTERS: [char; 36] = [
    'a',
    'B',
    '7',
    '_',
    '.',
    ' ',
    '-',
    '"',
    '\'',
    '\\',
    '#',
    ',',
    ';',
    '=',
    '[',
    ']',
    '{',
    '$',
    '<',
    '&',
    '\n',
    '\r',
    '\t',
    '\u{1b}',
    '\u{7}',
    '\u{0}',
    '\u{7f}',
    '\u{85}',
    '\u{9b}',
    '\u{202e}',
    '\u{2028}',
    '\u{feff}',
    'é',
    '→',
    '語',
    '\u{1f98a}',
];

/// So many names of some letters each, by a counter that mixes well.
fn names(round: u64, count: u64) -> Vec<String> {
    let letter = |number: u64| {
        let mixed = number.wrapping_mul(0x9E37_79B9_7F4A_7C15).rotate_left(29).wrapping_mul(0xBF58_476D_1CE4_E5B9);
        LETTERS[(mixed >> 40) as usize % LETTERS.len()]
    };
    let name = |line: u64| (0..1 + line % 6).map(|at| letter(round * 10_000 + line * 10 + at)).collect();
    (0..count).map(name).collect()
}

/// A recording in which each line bounces a little.
fn recording(names: &[String]) -> String {
    let mut text = String::new();
    for (line, name) in (0u64..).zip(names) {
        let name = serde_json::to_string(name).unwrap();
        for (time, value) in [(0, 0), (100, 1), (101, 0), (102, 1), (300, 0), (500, 1), (700, 0), (900, 1)] {
            writeln!(text, "{{\"time_ms\":{},\"line\":{name},\"value\":{value}}}", time + line * u64::from(time > 0))
                .unwrap();
        }
    }
    // In the order of time.
    let mut lines: Vec<&str> = text.lines().collect();
    let time = |line: &&str| line[11..].split(',').next().unwrap().parse::<u64>().unwrap();
    lines.sort_by_key(time);
    lines.join("\n") + "\n"
}

#[test]
fn a_station_from_a_survey_is_read_back_whatever_the_names() {
    for round in 0..12 {
        let place = Place::new();
        place.write("r.jsonl", recording(&names(round, 40)));
        let surveyed = place.reigen("survey r.jsonl --station s.toml");
        assert_eq!(surveyed.code, 0, "{}", surveyed.stderr);
        let run = place.reigen("run s.toml r.jsonl --trace t.vcd");
        assert_eq!(run.code, 0, "{}\n{}", run.stderr, place.read("s.toml"));
        let said = place.reigen("debounce r.jsonl");
        let json = place.reigen("survey r.jsonl --json").stdout;
        let drawn = place.reigen("draw s.toml r.jsonl -o d.svg");
        assert_eq!(drawn.code, 0, "{}", drawn.stderr);
        let reported = place.reigen("report s.toml r.jsonl -o r.html");
        assert_eq!(reported.code, 0, "{}", reported.stderr);
        let acts =
            |letter: char| letter != '\n' && (letter.is_control() || "\u{202e}\u{2028}\u{feff}".contains(letter));
        for text in [
            surveyed.stdout,
            run.stdout,
            run.stderr,
            said.stdout,
            json,
            place.read("s.toml"),
            place.read("d.svg"),
            place.read("r.html"),
        ] {
            assert!(!text.contains(acts), "{:?}", text.lines().find(|line| line.contains(acts)));
        }
        for format in ["c.vcd", "c.csv", "c.jsonl"] {
            let converted = place.reigen(&format!("convert r.jsonl {format}"));
            assert_eq!(converted.code, 0, "{}", converted.stderr);
            let [before, after] = ["r.jsonl", format].map(|file| place.reigen(&format!("survey {file} --json")).json());
            let lines = |survey: &serde_json::Value| {
                survey["lines"]
                    .as_array()
                    .unwrap()
                    .iter()
                    .map(|line| {
                        (line["edges"].clone(), line["guess"].as_str().unwrap().split(',').next().unwrap().to_owned())
                    })
                    .collect::<Vec<_>>()
            };
            assert_eq!(lines(&before), lines(&after), "{format}");
        }
    }
}

#[test]
fn titles_units_and_paths_do_not_act_either() {
    let place = Place::with_demo();
    let station = format!(
        "title = \"red \\u001b[31m and\\na line\"\n{}\n[counter.c]\nup = \"start_button\"\nscale = 2.0\nunit = \"m\\u001b]0;x\\u0007\"\n",
        place.read("station.toml").replace("title =", "# title =")
    );
    place.write("s\u{1b}[2J.toml", &station);
    for command in [
        "run STATION recording.vcd",
        "draw STATION recording.vcd",
        "check STATION",
        "run STATION absent\u{1b}[2J.vcd",
        "run STATION recording.vcd --every 2s",
    ] {
        let said = place.reigen(&command.replace("STATION", "s\u{1b}[2J.toml"));
        for text in [said.stdout, said.stderr] {
            assert!(
                !text.contains('\u{1b}') && !text.contains('\u{7}') && !text.contains("\na line"),
                "{command}: {text}"
            );
        }
    }
}
