//! Memory and time are bounded, whatever comes: each command runs under a limit of both.

use super::support::{Place, Said};
use std::fmt::Write as _;

/// Runs the program with at most so much memory and ten seconds of processor time: a busy machine fails nothing.
fn limited(place: &Place, arguments: &str) -> Said {
    const MEMORY_KB: u64 = 256 * 1024;
    let line = format!("ulimit -d {MEMORY_KB} -t 10; exec {} {arguments}", env!("CARGO_BIN_EXE_reigen"));
    let output = std::process::Command::new("bash").args(["-c", &line]).current_dir(place.path(".")).output().unwrap();
    assert!(
        output.status.code().is_some(),
        "{arguments}: ended by a signal: {}",
        String::from_utf8_lossy(&output.stderr)
    );
    output.into()
}

/// The same, where the exit code is known.
#[track_caller]
fn ends_well(place: &Place, arguments: &str, code: i32) -> Said {
    let said = limited(place, arguments);
    assert_eq!(said.code, code, "{arguments}: {}", said.stderr.chars().take(2000).collect::<String>());
    said
}

/// A recording with some edges, a gap, and some more.
fn with_gap(gap_ns: u64) -> String {
    let mut text = "$timescale 1 ns $end\n$var wire 1 a A $end\n$var wire 1 b B $end\n$var real 64 v V $end\n\
                    $enddefinitions $end\n#0\n0a\n1b\nr1.5 v\n"
        .to_owned();
    for edge in 1..=20u64 {
        writeln!(text, "#{}\n{}a", edge * 1_000_000, edge % 2).unwrap();
    }
    let end = 20_000_000 + gap_ns;
    writeln!(text, "#{end}\n1a\nr2 v\n#{}\n0a\n0b\n#{}\n1a", end + 1_000_000, end + 2_000_000).unwrap();
    text
}

const STATION: &str = r#"
[scan]
period = "1 us"
[input.a]
line = "A"
[input.b]
line = "B"
[rate.timed]
of = "a"
every = "1 us"
unit = "Hz"
[rate.gated]
of = "a"
method = "gate"
window = "1 us"
unit = "Hz"
[threshold.fast]
of = "timed"
on_above = 400.0
off_below = 300.0
[timer.late]
of = "b"
kind = "on_delay"
time = "1 s"
[logic.waiting]
when = "late.elapsed < 1.0"
[analog.v]
line = "V"
smooth = { over = "1 ms", every = "1 us" }
[counter.scans]
up = "b"
count = "scans"
[counter.round]
up = "b"
count = "scans"
limits = [0, 9]
at_limit = "wrap"
[expect.quiet]
that = "a OR NOT a"
at_end = true
"#;

#[test]
fn a_gap_of_any_length_takes_no_memory_and_no_time() {
    const YEAR_NS: u64 = 365 * 86_400 * 1_000_000_000;
    let place = Place::new();
    place.write("station.toml", STATION);
    for gap in [YEAR_NS, (1 << 62) - 1_000_000_000] {
        place.write("gap.vcd", with_gap(gap));
        let run = ends_well(&place, "run station.toml gap.vcd --json", 0).json();
        let counted = run["counters"]["scans"]["total"].as_i64().unwrap();
        assert_eq!(counted, i64::try_from((gap + 21_000_000).div_ceil(1000)).unwrap());
        assert_eq!(run["counters"]["round"]["value"].as_i64().unwrap(), counted % 10);
        for command in [
            "verify station.toml gap.vcd",
            "draw station.toml gap.vcd",
            "report station.toml gap.vcd -o gap.html",
            "why station.toml gap.vcd timed",
            "why station.toml gap.vcd a",
            "why station.toml gap.vcd scans --at 0.03s",
            "polling station.toml gap.vcd --period 1ms",
            "polling station.toml gap.vcd --sweep 1ms..1s",
            "run station.toml gap.vcd --every 3000d",
            "run station.toml gap.vcd --watch timed --speed 1e15",
            "run station.toml gap.vcd --display-at 0.01s",
            "survey gap.vcd",
            "debounce gap.vcd",
            "convert gap.vcd gap.csv",
        ] {
            let said = limited(&place, command);
            assert!(said.code < 2, "{command}: {}", said.stderr);
        }
    }
    let packed = ends_well(&place, "convert gap.vcd gap.bin --step 1us --only A", 2);
    assert!(packed.stderr.contains("GB are the most"), "{}", packed.stderr);
}

#[test]
fn nothing_without_an_end_is_kept() {
    const MANY: usize = 4_000_000;
    let vcd = "$timescale 1 ns $end\n$var wire 1 a A $end\n$enddefinitions $end\n#0\n0a\n#10\n1a\n";
    let json = "{\"time_ns\":0,\"line\":\"A\",\"value\":0}\n{\"time_ns\":10,\"line\":\"A\",\"value\":1}\n";
    let csv = "time_ns,A\n0,0\n10,1\n";
    let place = Place::new();
    // The file, and the exit code of a survey of it.
    let cases: [(&str, String, i32); 12] = [
        ("blanks.vcd", format!("{vcd}{}\n#20\n0a\n", " ".repeat(10 * MANY)), 0),
        ("comment.vcd", format!("{vcd}$comment {}$end\n#20\n0a\n", "word ".repeat(2 * MANY)), 0),
        ("header.vcd", format!("$comment {}$end\n{vcd}", "word ".repeat(2 * MANY)), 0),
        ("word.vcd", format!("{vcd}{}", "x".repeat(10 * MANY)), 2),
        ("instant.vcd", format!("{vcd}{}#20\n0a\n", "0a\n1a\n".repeat(MANY)), 2),
        ("tail.csv", format!("{csv}{}", " ".repeat(10 * MANY)), 2),
        ("lines.csv", format!("{csv}{}20,0\n", "\n".repeat(10 * MANY)), 0),
        ("quoted.csv", format!("{csv}20,\"{}", "x\n".repeat(5 * MANY)), 2),
        ("instant.csv", format!("{csv}{}", "10,0\n10,1\n".repeat(MANY)), 2),
        ("line.jsonl", format!("{json}{{\"time_ns\":20,\"line\":\"{}", "A".repeat(10 * MANY)), 2),
        ("lines.jsonl", format!("{json}{}", "\n".repeat(10 * MANY)), 0),
        ("blanks.jsonl", format!("{json}{}", " ".repeat(10 * MANY)), 2),
    ];
    for (name, text, code) in cases {
        place.write(name, text);
        let (file, stream) = (format!("survey {name}"), format!("survey - < {name}"));
        [file, stream].iter().for_each(|command| drop(ends_well(&place, command, code)));
        std::fs::remove_file(place.path(name)).unwrap();
    }
}

#[test]
fn many_lines_and_names_are_told_as_few() {
    let place = Place::new();
    let names = |count: usize| (0..count).map(|line| format!("C{line}")).collect::<Vec<_>>();
    let rows = |count: usize| (0..60).map(move |row| format!("{row}{}\n", format!(",{}", row % 2).repeat(count)));
    place.write("equal.csv", format!("time_ms,{}\n{}", names(1000).join(","), rows(1000).collect::<String>()));
    let equal = ends_well(&place, "survey equal.csv", 0);
    assert!(equal.stdout.len() < 5000 && equal.stdout.contains("990 more"), "{}", equal.stdout);
    let code = |mut number: usize| {
        let mut code = String::new();
        while code.is_empty() || number > 0 {
            code.push(char::from(b'!' + (number % 94) as u8));
            number /= 94;
        }
        code
    };
    let variables: String = (0..100_000).map(|line| format!("$var wire 1 {} L{line} $end\n", code(line))).collect();
    let levels: String = (0..100_000).map(|line| format!("0{}\n", code(line))).collect();
    place.write("many.vcd", format!("{variables}$enddefinitions $end\n#0\n{levels}#5\n1{}\n#9\n", code(77)));
    let surveyed = ends_well(&place, "survey many.vcd", 0);
    assert!(surveyed.stdout.len() < 5000, "{}", surveyed.stdout.len());
    place.write(
        "wide.vcd",
        format!("$var wire 1000000 ! bus $end\n$enddefinitions $end\n#0\nb0 !\n#5\nb1{} !\n#9\n", "0".repeat(70_000)),
    );
    place.write("one.toml", "[input.a]\nline = \"bus[70000]\"\n");
    let wide = ends_well(&place, "run one.toml wide.vcd --json", 0).json();
    assert_eq!(wide["inputs"]["a"]["raw_edges"], 1);
    let unknown: String = (0..5000).map(|point| format!("[input.p{point}]\nline = \"none_{point}\"\n")).collect();
    place.write("unknown.toml", unknown);
    let twice: String = (0..5000)
        .map(|point| format!("[input.p{point}]\nline = \"L0\"\n[counter.p{point}]\nup = \"p{point}\"\n"))
        .collect();
    place.write("twice.toml", twice);
    for station in ["unknown", "twice"] {
        let refused = ends_well(&place, &format!("run {station}.toml many.vcd"), 2);
        assert!(refused.stderr.contains("and 4990 more errors"), "{}", refused.stderr);
    }
}

#[test]
fn what_is_something_else_is_told_by_its_beginning() {
    let place = Place::with_demo();
    let many = "#0\n0a\n".repeat(5_000_000);
    place.write("huge.vcd", format!("$var wire 1 a A $end\n$enddefinitions $end\n{many}"));
    place.write("large.toml", "# nothing\n".repeat(2_000_000));
    for (command, said) in [
        ("check huge.vcd", "is a recording (VCD): the station comes first"),
        ("check /dev/zero", "is a recording"),
        ("check large.toml", "larger than 16 MB"),
        ("run station.toml recording.vcd --truth /dev/zero", "it is a recording"),
        ("rate --captures /dev/zero --clock 1MHz", "it is a recording"),
        ("draw station.toml recording.vcd --width 1000000000", "nothing can be drawn"),
        ("levels recording.vcd --digital A --analog B --reference nan", "not a finite number"),
        ("polling station.toml recording.vcd --chain-bits 4294967295 --clock 1mHz", "longer than 100 days"),
    ] {
        let refused = ends_well(&place, command, 2);
        assert!(refused.stderr.contains(said), "{command}: {}", refused.stderr);
    }
    let long = format!("[input.a]\nline = \"A\"\n[logic.l]\nwhen = \"{}\"\n", vec!["a"; 20_000].join(" AND "));
    for (text, said) in [
        (long.as_str(), "more than 1000 operators"),
        (
            "[input.a]\nline = \"A\"\n[counter.c]\nup = \"a\"\nscale = nan\nunit = \"m\"\n",
            "`nan` is not a finite number",
        ),
        (
            "[input.a]\nline = \"A\"\n[display.d]\ncolumns = 65536\nrows = 9223372036854775807\ntext = []\n",
            "use 1 to 1000",
        ),
        ("[encoder.e]\na = \"A\"\nb = \"B\"\npulses_per_rev = 1e-308\n", "1e-12"),
    ] {
        place.write("s.toml", text);
        let refused = ends_well(&place, "check s.toml", 2);
        assert!(refused.stderr.contains(said), "{}", refused.stderr);
    }
}
