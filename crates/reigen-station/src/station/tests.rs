use super::plan::compile;
use super::*;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::time::Nanos;

/// What is wrong with a station: the message, what stands at its place, and the help.
fn wrong(source: &str) -> Vec<String> {
    let errors = match parse(source) {
        Err(errors) => errors,
        Ok(station) => compile(&station, &recorded(), Nanos(1)).err().unwrap_or_default(),
    };
    let told = |error: &StationError| {
        let place = source.get(error.span.clone()).unwrap();
        let help = error.kind.help().map(|help| format!(" ({help})")).unwrap_or_default();
        format!("{place} | {error}{help}")
    };
    errors.iter().map(told).collect()
}

fn recorded() -> Vec<RecordedLine> {
    let line = |name: &str, signal, kind| RecordedLine { name: name.to_owned(), signal, kind, step: None };
    vec![
        line("walk.PB", 0, LineKind::Level),
        line("walk.left.HALL", 1, LineKind::Level),
        line("walk.right.HALL", 2, LineKind::Level),
        line("walk.copy.PB", 0, LineKind::Level),
        line("walk.bus", 0, LineKind::Vector { width: 8, unnamed: None }),
        line("walk.volts", 1, LineKind::Real),
    ]
}

/// A station is compiled to operations with their settings and sources, which others than the engine can walk.
#[test]
fn a_program_is_data() {
    let station = parse(
        "[input.a]\nline = 'PB'\nasserted = 'low'\ndebounce = { method = 'stable', time = '8 ms' }\n\
         [counter.n]\nup = 'a'\nreset = 'NOT b'\npresets = [3]\n[input.b]\nline = 'volts_b'\n\
         [output.o]\nwhen = 'n * 2 > 5 AND a'\non_delay = '1 s'",
    )
    .unwrap();
    let recorded = [("PB", 0), ("volts_b", 1)].map(|(name, signal)| RecordedLine {
        name: name.to_owned(),
        signal,
        kind: LineKind::Level,
        step: None,
    });
    let program = compile(&station, &recorded, Nanos(1)).unwrap().program;
    assert_eq!(program, program.clone());
    let told = program.branches.iter().flat_map(|branch| &branch.nodes).map(|node| {
        let point = node.point.and_then(|point| station.points.get(point)).map(|point| point.name.as_str());
        format!("{}: {:?}", point.unwrap_or("  part"), node.operation)
    });
    insta::assert_snapshot!(told.collect::<Vec<_>>().join("\n"));
}

#[test]
fn whatever_is_wrong_is_told_at_its_place() {
    let input = "[input.a]\nline = 'PB'\n";
    let debounced = |debounce: &str| format!("{input}debounce = {debounce}");
    let cases: Vec<(String, &str)> = vec![
        (
            String::new(),
            " | the station has no points (an input is enough to begin with: [input.start_button] and below it line = \"PB_START\")",
        ),
        ("[inptu.a]\nline = 'PB'".into(), "inptu | unknown table or key `inptu` (did you mean `input`?)"),
        ("[input.a]\nlien = 'PB'".into(), "lien | unknown key `lien` (did you mean `line`?)"),
        ("[input.a]\nasserted = 'low'".into(), "[input.a] | the key `line` is missing"),
        ("[input.a]\nline = 4".into(), "4 | expected a string, found the integer `4`"),
        ("[input.a]\nline = ''".into(), "'' | a line's name cannot be empty"),
        (format!("{input}contact = 'NX'"), "'NX' | unknown value `NX` (did you mean `NO`?)"),
        (
            debounced("{ method = 'stabel', time = '8 ms' }"),
            "'stabel' | unknown value `stabel` (did you mean `stable`?)",
        ),
        (debounced("{ method = 'stable', time = '8' }"), "'8' | `8` has no unit: is it `8 s` or `8 ms`?"),
        (
            debounced("{ method = 'stable', time = 8 }"),
            "8 | expected a time with its unit, in quotes, such as \"8 ms\", found the integer `8`",
        ),
        (debounced("{ method = 'stable', time = '-8 ms' }"), "'-8 ms' | `-8 ms` is negative"),
        (
            debounced("{ method = 'stable' }"),
            "{ method = 'stable' } | the method `stable` needs a time (add time = \"8 ms\", or one for each state: on = \"8 ms\", off = \"15 ms\")",
        ),
        (
            debounced("{ method = 'none', time = '8 ms' }"),
            "'8 ms' | the method `none` takes no `time` (remove the key, or choose the method it belongs to)",
        ),
        (
            debounced("{ method = 'lockout', on = '8 ms' }"),
            "'8 ms' | `on` needs `off` (add `off`, or use `time` for both states)",
        ),
        (
            debounced("{ method = 'lockout', time = '8 ms', off = '9 ms' }"),
            "'9 ms' | use either `time` or `off` (keep `time` for both states, or `on` and `off` for each)",
        ),
        (
            debounced("{ method = 'sampled', every = '1 ms' }"),
            "{ method = 'sampled', every = '1 ms' } | the method `sampled` needs `every` and `count` (such as every = \"1 ms\", count = 5)",
        ),
        (
            debounced("{ method = 'sampled', every = '0 ms', count = 3 }"),
            "'0 ms' | must be above zero for the method `sampled`",
        ),
        (
            debounced("{ method = 'sampled', every = '1 ms', count = 3, supply = '5 V' }"),
            "'5 V' | the method `sampled` takes no `supply` (remove the key, or choose the method it belongs to)",
        ),
        (
            debounced(
                "{ method = 'rc', resistance = '1k', capacitance = '1uF', supply = '5 V', rise_at = '1 V', fall_at = '2 V' }",
            ),
            "'1 V' | the thresholds are in the wrong order: it falls at 2 V and rises at 1 V, and must rise above where it falls",
        ),
        (
            format!("{input}catch = true"),
            "true | `catch` holds pulses for a scan, and the station has no [scan] (add [scan] with period = \"10 ms\", or remove `catch`)",
        ),
        (format!("[scan]\nperiod = '0 ms'\n{input}"), "'0 ms' | the period of a scan must be above zero"),
        (
            format!("{input}[output.a]\nwhen = 'TRUE'"),
            "a | the name `a` is used twice (rename one of them: all points share one set of names)",
        ),
        (
            "[input.Not_so]\nline = 'PB'".into(),
            "Not_so | `Not_so` is not a valid point name (use small letters, digits and `_`, begin with a letter, and avoid words of expressions such as `and`)",
        ),
        (
            format!("{input}[counter.c]\nup = 'a'\npresets = [5, 4]"),
            "4 | presets must ascend: 4 comes after 5 (put them in rising order, each once)",
        ),
        (
            format!("{input}[counter.c]\nup = 'a'\nat_last = 'restart'"),
            "'restart' | `at_last = \"restart\"` needs presets (add presets = [96]: the counter restarts at the last one)",
        ),
        (
            format!("{input}[counter.c]\nup = 'a'\nstart = 9\npresets = [9]\nat_last = 'restart'"),
            "9 | counting up from 9 never reaches the last preset, 9 (put the last preset above the start value)",
        ),
        (format!("{input}[output.o]\nwhen = 'a AND b'"), "b | unknown point `b`"),
        (format!("{input}[output.lamp]\nwhen = \"a AND lmap\""), "lmap | unknown point `lmap` (did you mean `lamp`?)"),
        (
            format!("{input}[output.o]\nwhen = 'a AND'"),
            " | the expression is not finished: a point or a number must follow",
        ),
        (
            format!("{input}[output.o]\nwhen = 'a.done'"),
            "a.done | `a` is an input and has no field `.done` (use the point's name alone)",
        ),
        (
            format!("{input}[counter.c]\nup = 'a'\nreset = 'c2.bnad'\n[counter.c2]\nup = 'a'"),
            "c2.bnad | `c2` is a counter and has no field `.bnad` (its fields are `value`, `band` or `done`)",
        ),
        (
            format!("{input}[counter.c]\nup = 'a'\n[output.o]\nwhen = 'a AND c'"),
            "c | `c` is a number, but a bit is needed here (compare it (`> 10`), or take a counter's bit, `.done`: true from the last preset on)",
        ),
        (
            format!("{input}[output.o]\nwhen = 'a AND p'\n[output.p]\nwhen = 'NOT q'\n[output.q]\nwhen = 'p'"),
            "p | these points depend on each other: p → q → p (remove one of these references)",
        ),
        (
            format!("{input}[output.o]\nwhen = 'o'"),
            "o | these points depend on each other: o → o (remove one of these references)",
        ),
        ("[input.a]\nline = 'PBX'".into(), "'PBX' | the recording has no line `PBX` (did you mean `PB`?)"),
        (
            "[input.a]\nline = 'HALL'".into(),
            "'HALL' | `HALL` fits more than one line: `walk.left.HALL` or `walk.right.HALL` (write the whole name of the one you mean)",
        ),
        (
            "[input.a]\nline = 'bus'".into(),
            "'bus' | the line `bus` is a vector of 8 bits, but an input needs a line with two levels (name one of its bits, such as `bus.0`)",
        ),
        (
            "[input.a]\nline = 'volts'".into(),
            "'volts' | the line `volts` is a real number, but an input needs a line with two levels (wire the input to a line of one bit)",
        ),
    ];
    for (source, message) in cases {
        assert_eq!(wrong(&source), [message], "in\n{source}");
    }
}

#[test]
fn an_escaped_expression_is_shown_whole() {
    let source = "[output.o]\nwhen = \"\\u0061 AND\"";
    assert!(wrong(source)[0].starts_with("\"\\u0061 AND\" | the expression is not finished"));
}

#[test]
fn all_errors_are_told_in_the_order_of_the_file() {
    let source = "[counter.c]\nup = 'x'\n[input.a]\nline = 'PB'\n[output.o]\nwhen = 'y'";
    let told = wrong(source);
    assert_eq!(told.iter().map(|error| &error[..1]).collect::<Vec<_>>(), ["x", "y"]);
}

#[test]
fn a_leaf_name_will_do_where_all_lines_of_it_are_one_signal() {
    for name in ["PB", "walk.PB", "copy.PB", "left.HALL"] {
        assert_eq!(wrong(&format!("[input.a]\nline = '{name}'")), Vec::<String>::new(), "{name}");
    }
}
