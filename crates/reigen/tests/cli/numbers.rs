//! Numbers that follow from numbers, and the scan: what the program says of them, and what it refuses.

use crate::support::Place;
use serde_json::{Value, json};

/// A bench: a button, a lamp that answers it, a meter of 8 bits, a power and a status word, a sample a second.
const ROWS: [(u32, u8, u8, u32, f64, u32); 10] = [
    (0, 0, 0, 250, 10.0, 0x00),
    (1, 1, 0, 253, 12.5, 0x81),
    (2, 1, 1, 2, 15.0, 0x81),
    (3, 0, 1, 2, 20.0, 0x80),
    (4, 0, 0, 9, 30.0, 0x00),
    (5, 1, 0, 20, 25.0, 0x01),
    (6, 0, 0, 31, 20.0, 0x01),
    (7, 1, 0, 35, 15.0, 0x01),
    (8, 1, 1, 40, 10.0, 0x83),
    (9, 0, 0, 41, 10.0, 0x00),
];

const INPUTS: &str =
    "[input.button]\nline = 'PB'\n[input.lamp]\nline = 'LAMP'\n[analog.power]\nline = 'POWER'\nunit = 'kW'\n";

fn bench() -> Place {
    let place = Place::new();
    let rows = ROWS.iter().map(|(time, button, lamp, meter, power, status)| {
        format!("{time},{button},{lamp},{meter},{power},{status:#x}\n")
    });
    place.write("bench.csv", format!("time_s,PB,LAMP,METER,POWER,STATUS\n{}", rows.collect::<String>()));
    place
}

/// What a station of these points says in JSON.
fn told(place: &Place, points: &str) -> Value {
    place.write("station.toml", format!("{INPUTS}{points}"));
    let run = place.reigen("run station.toml bench.csv --json");
    assert!(run.code < 2, "{points}\n{}", run.stderr);
    run.json()
}

#[test]
fn each_kind_tells_its_figures_under_the_keys_that_are_promised() {
    let place = bench();
    let second = 1_000_000_000_u64;
    let cases = [
        // 250 to 41 past the end of 8 bits, once.
        (
            "[register.x]\nline = 'METER'\nbits = 8",
            "registers",
            json!({ "count": 47, "samples": 10, "wraps": 1, "resets": 0, "delta": 1, "raw": 41 }),
        ),
        (
            "[register.x]\nline = 'METER'\nbits = 8\nper_count = 0.5\nunit = 'l'",
            "registers",
            json!({ "value": 23.5, "unit": "l" }),
        ),
        // Without bits the fall counts down.
        ("[register.x]\nline = 'METER'", "registers", json!({ "count": -209, "wraps": 0, "resets": 0 })),
        (
            "[register.x]\nline = 'METER'\nbits = 8\nreset = 'restart'\nfastest = '2 Hz'",
            "registers",
            json!({ "resets": 1, "wraps": 0, "count": 44 }),
        ),
        (
            "[number.x]\nof = 'power * 2 - 5'\nvalid = [0, 50]",
            "numbers",
            json!({ "last": 15.0, "min": 15.0, "max": 45.0, "fault_ns": second, "faults": 1, "first_fault_value": 55.0 }),
        ),
        ("[number.x]\nof = 'power'", "numbers", json!({ "unit": "kW", "last": 10.0, "fault_ns": 0 })),
        (
            "[number.x]\nof = 'power'\nscale = { from = [0, 10], to = [0, 1] }",
            "numbers",
            json!({ "unit": "", "max": 3.0 }),
        ),
        (
            "[hold.x]\nof = 'power'\nat = 'button'",
            "holds",
            json!({ "unit": "kW", "count": 3, "last": 15.0, "min": 12.5, "mean": 17.5, "max": 25.0, "spread": 12.5 }),
        ),
        (
            "[hold.x]\nof = 'power'\nat = 'button'\nedge = 'falling'",
            "holds",
            json!({ "count": 3, "last": 10.0, "min": 10.0, "max": 20.0 }),
        ),
        ("[hold.x]\nof = 'power'\nat = 'button'\nedge = 'both'", "holds", json!({ "count": 6 })),
        // 20 to 30 while the lamp is off: from 4 to 8 s and at the end.
        (
            "[number.x]\nof = 'LIMIT(20.0, power, 30.0) * SEL(lamp, 1, 0)'",
            "numbers",
            json!({ "min": 0.0, "max": 30.0, "last": 20.0, "fault_ns": 0 }),
        ),
        ("[hold.x]\nof = 'power'\nat = 'power > 22.0'", "holds", json!({ "count": 1, "last": 30.0, "spread": 0.0 })),
        // On from 1 to 3, 5 to 6, 7 to 9: 12.5, 15, 25, 15, 10 over five seconds.
        (
            "[stats.x]\nof = 'power'\nwhile = 'button'",
            "stats",
            json!({ "unit": "kW", "count": 3, "on_ns": 5 * second, "min": 10.0, "mean": 15.5, "max": 25.0, "spread": 15.0 }),
        ),
        // The press at 5 is not answered before the one at 7.
        (
            "[delay.x]\nfrom = 'button'\nto = 'lamp'",
            "delays",
            json!({ "count": 2, "missed": 1, "pending": 0, "min_ns": second, "mean_ns": second, "max_ns": second, "p99_ns": second }),
        ),
        (
            "[delay.x]\nfrom = 'lamp'\nto = 'button'",
            "delays",
            json!({ "count": 1, "missed": 0, "pending": 1, "max_ns": 3 * second }),
        ),
        (
            "[analog_output.x]\nof = 'power'\nrange = [0, 20]",
            "analog_outputs",
            json!({ "unit": "mA", "last": 12.0, "min": 12.0, "max": 20.5, "limited_ns": 2 * second, "state": "measuring" }),
        ),
        (
            "[analog_output.x]\nof = 'power'\nsignal = '0-10V'\nrange = [0, 50]",
            "analog_outputs",
            json!({ "unit": "V", "last": 2.0, "max": 6.0, "limited_ns": 0, "state": "given" }),
        ),
        (
            "[number.n]\nof = 'power'\nvalid = [0, 22]\n[analog_output.x]\nof = 'n'\nrange = [0, 40]\non_fault = 3.5",
            "analog_outputs",
            json!({ "min": 3.5, "fault_ns": 2 * second }),
        ),
        // The steps of the meter while the button is on: 3, 5, 11, 4, 5.
        (
            "[register.m]\nline = 'METER'\nbits = 8\n[counter.x]\nup = 'm'\ngate = 'button'\npresets = [10, 40]",
            "counters",
            json!({ "value": 28, "total": 28, "band": 1, "preset_hits": [1, 0] }),
        ),
        (
            "[register.m]\nline = 'METER'\nbits = 8\n[counter.x]\nup = 'm'\npresets = [20]\nat_last = 'restart'",
            "counters",
            json!({ "value": 7, "total": 47, "preset_hits": [2] }),
        ),
        // The press at 5 is not answered within a second.
        (
            "[expect.x]\nthat = 'lamp'\nafter = 'button'\nwithin = '1 s'",
            "expectations",
            json!({ "pass": false, "failed_at_ns": 6 * second, "detail": "failed 1 of 3 times, first after the edge at 5 s" }),
        ),
        (
            "[expect.x]\nthat = 'lamp'\nafter = 'second'\nwithin = '1 s'\n[input.second]\nline = 'STATUS.1'",
            "expectations",
            json!({ "pass": true, "detail": "held 1 time, at once" }),
        ),
        (
            "[expect.x]\nthat = 'lamp'\nafter = 'lamp AND NOT lamp'\nwithin = '1 s'",
            "expectations",
            json!({ "pass": false, "failed_at_ns": null }),
        ),
        ("[word.x]\nof = 'STATUS'\nwidth = 8", "words", json!({ "value": 0, "changes": 6 })),
        ("[input.x]\nline = 'STATUS.7'", "inputs", json!({ "rising": 2, "falling": 2, "on_ns": 4 * second })),
        ("[input.x]\nline = 'STATUS.1'", "inputs", json!({ "rising": 1, "raw_edges": 2 })),
    ];
    for (points, list, wanted) in cases {
        let json = told(&place, points);
        for (key, value) in wanted.as_object().unwrap() {
            assert_eq!(&json[list]["x"][key], value, "`{key}` of\n{points}\n{}", json[list]);
        }
    }
}

#[test]
fn the_rate_of_a_register_is_counts_over_the_true_time() {
    let place = bench();
    let rate =
        "[register.m]\nline = 'METER'\nbits = 8\n[rate.x]\nof = 'm'\nevery = '3 s'\nunit = 'rpm'\npulses_per_rev = 2";
    let json = told(&place, rate);
    // 8 counts in the first three seconds, 29 in the second three, 10 in the third.
    let rpm = |counts: f64| counts / 3.0 / 2.0 * 60.0;
    let near = |value: &Value, wanted: f64| (value.as_f64().unwrap() - wanted).abs() < 1e-6;
    let rate = &json["rates"]["x"];
    assert!(near(&rate["last"], rpm(10.0)) && near(&rate["min"], rpm(8.0)) && near(&rate["max"], rpm(29.0)), "{rate}");
    assert!(near(&rate["mean"], rpm(47.0) / 3.0), "{rate}");
    assert_eq!((&rate["readings"], &rate["stopped"]), (&3.into(), &false.into()));
    // One count, and a step of a second at both ends, over three seconds.
    assert!(near(&rate["resolution"], (1.0 + 10.0 / 3.0) / 3.0 * 30.0), "{rate}");
}

#[test]
fn findings_tell_what_is_wrong_and_healthy_points_have_none() {
    let place = bench();
    for (points, wanted) in [
        ("[register.x]\nline = 'METER'\nbits = 8", &[] as &[&str]),
        ("[register.x]\nline = 'METER'\nbits = 5", &["not-a-count"]),
        ("[register.x]\nline = 'METER'\nbits = 8\nreset = 'restart'\nfastest = '2 Hz'", &["register-restarted"]),
        ("[number.x]\nof = 'power / 2'", &[]),
        ("[number.x]\nof = '1 / (power - 10.0)'", &["number-fault"]),
        ("[hold.x]\nof = 'power'\nat = 'button'", &[]),
        ("[hold.x]\nof = 'power'\nat = 'power > 99'", &["nothing-held"]),
        ("[number.n]\nof = '1 / (power - 15.0)'\n[hold.x]\nof = 'n'\nat = 'power = 15.0'", &["nothing-to-hold"]),
        ("[delay.x]\nfrom = 'button'\nto = 'lamp'", &["unanswered"]),
        ("[delay.x]\nfrom = 'lamp'\nto = 'button'", &[]),
        ("[analog_output.x]\nof = 'power'\nrange = [0, 40]", &[]),
        ("[analog_output.x]\nof = 'power'\nrange = [0, 20]", &["output-limited"]),
        (
            "[number.n]\nof = 'power'\nvalid = [0, 22]\n[analog_output.x]\nof = 'n'\nrange = [0, 40]",
            &["output-in-fault"],
        ),
        ("[scan]\nperiod = '1 s'\nphase = '1 s'", &["on-at-first-scan"]),
    ] {
        let json = told(&place, points);
        let of_point = |finding: &&Value| ["x", "button"].iter().any(|name| finding["subject"] == *name);
        let found = json["findings"].as_array().unwrap().iter().filter(of_point);
        let codes: Vec<&str> = found.map(|finding| finding["code"].as_str().unwrap()).collect();
        let codes: Vec<&str> =
            codes.into_iter().filter(|code| !matches!(*code, "bounce-counted" | "on-at-rest")).collect();
        assert_eq!(codes, wanted, "{points}");
    }
}

#[test]
fn expressions_read_the_fields_of_numbers() {
    let place = bench();
    let points = "[register.m]\nline = 'METER'\nbits = 8\n[stats.s]\nof = 'power'\nwhile = 'button'\n[delay.d]\nfrom = 'button'\nto = 'lamp'\n\
                  [hold.h]\nof = 'power'\nat = 'button'\n[analog_output.o]\nof = 'power'\nrange = [0, 20]\n[counter.c]\nup = 'button'\ndown = 'lamp'\n";
    for (expression, rises) in [
        ("m.wraps >= 1", 1),
        ("m.delta > 5", 1),
        ("s.mean > 14.0", 1),
        ("s.max - s.min > 2.0", 1),
        ("d.pending", 2),
        ("d >= T#1s AND lamp", 1),
        ("h > 20.0", 1),
        ("o.limited", 1),
        ("c.at_zero", 1),
        ("m MOD 2 = 0 AND ROUND(power / 10.0) = MUX(1, 0, 1, 2)", 1),
        ("power > 16#0F AND BOOL#1", 1),
    ] {
        let json = told(&place, &format!("{points}[logic.x]\nwhen = '{expression}'"));
        assert_eq!(json["bits"]["x"]["rising"], rises, "{expression}: {}", json["bits"]["x"]);
    }
}

#[test]
fn events_traces_reasons_and_pictures_have_numbers_too() {
    let place = bench();
    let points = "[register.m]\nline = 'METER'\nbits = 8\n[hold.h]\nof = 'power'\nat = 'button'\n[delay.d]\nfrom = 'button'\nto = 'lamp'\n\
                  [analog_output.o]\nof = 'power'\nrange = [0, 20]\n[number.n]\nof = 'power + m'\n[stats.s]\nof = 'power'\nwhile = 'button'\n";
    place.write("station.toml", format!("{INPUTS}{points}"));
    let run = place.reigen("run station.toml bench.csv --events events.csv --trace trace.vcd");
    assert!(run.code < 2, "{}", run.stderr);
    let events = place.read("events.csv");
    let of = |point: &str| events.lines().filter(|line| line.split(',').nth(1) == Some(point)).count();
    // The first value of a count is no event; a reading's is.
    assert_eq!([of("m"), of("h"), of("d"), of("s")], [8, 3, 1, 3], "{events}");
    let again = place.reigen("survey trace.vcd --lines m,h,o --json").json();
    // A count is a vector in a trace, a reading a real number.
    assert_eq!(again["analogs"].as_array().map(Vec::len), Some(2), "{again}");
    for (point, said) in [
        ("m", "47 counts in 10 samples, 1 time past its end, 0 restarts"),
        ("h", "3 readings, from 12.5 to 25 kW"),
        ("d", "1 without an answer"),
        ("o", "from 12 to 20.5 mA"),
        ("s", "from 10 to 25 kW"),
    ] {
        let why = place.reigen(&format!("why station.toml bench.csv {point}"));
        assert!(why.code == 0 && why.stdout.contains(said), "{point}: {}", why.whole());
    }
    let drawn = place.reigen("draw station.toml bench.csv --points m,h,o,n -o all.svg");
    assert_eq!(drawn.code, 0, "{}", drawn.stderr);
    assert!(place.read("all.svg").trim_end().ends_with("</svg>"));
    for file in ["station.toml", "bench.csv"] {
        assert!(place.files().contains(&file.to_owned()), "what was read stays");
    }
}

#[test]
fn under_a_scan_the_trace_changes_at_scans_alone_but_for_what_works_past_it() {
    let place = Place::with_demo();
    let scan = "[scan]\nperiod = '10 ms'\nphase = '3 ms'\n";
    let past = "[input.fast]\nline = 'HALL_DRUM'\nasserted = 'low'\nscan = false\n[counter.all]\nup = 'fast'\nscan = false\n[counter.seen]\nup = 'fast'\n";
    let station = place.read("station.toml").replacen("\n\n", &format!("\n\n{scan}{past}"), 1);
    place.write("scanned.toml", station);
    let run = place.reigen("run scanned.toml recording.vcd --events events.csv --json");
    assert!(run.code < 2, "{}", run.stderr);
    let json = run.json();
    let value = |name: &str| json["counters"][name]["value"].as_i64().unwrap();
    assert!(value("all") >= value("seen"), "what passes between two scans is counted past them");
    let (mut scanned, mut between) = (0, 0);
    for line in place.read("events.csv").lines().skip(1) {
        let cells: Vec<&str> = line.split(',').collect();
        // Rejected edges have their own times.
        if cells[2] == "rejected" {
            continue;
        }
        let time: u64 = cells[0].parse().unwrap();
        let at_scan = time >= 3_000_000 && (time - 3_000_000).is_multiple_of(10_000_000);
        assert!(at_scan || cells[1] == "fast", "{line}");
        scanned += u32::from(at_scan);
        between += u32::from(!at_scan);
    }
    assert!(scanned > 50 && between > 50, "{scanned} at scans, {between} between");
}

#[test]
fn what_cannot_be_is_refused_at_its_place_with_a_remedy() {
    let place = bench();
    for (points, said) in [
        ("[register.x]\nline = 'METER'\nbits = 0", "from 1 to 64 bits"),
        ("[register.x]\nline = 'METER'\nbits = 65", "from 1 to 64 bits"),
        ("[register.x]\nline = 'METER'\nsigned = true", "`signed` needs `bits`"),
        ("[register.x]\nhigh = 'METER'", "`high` and `low`"),
        ("[register.x]\nline = 'METER'\nlow = 'POWER'", "`high` and `low`"),
        ("[register.x]\nhigh = 'METER'\nlow = 'POWER'\nbits = 31", "an even number"),
        ("[register.x]\nline = 'METER'\nfastest = '0 Hz'", "above zero"),
        ("[register.x]\nline = 'PB'", "numbers are needed here"),
        ("[register.m]\nline = 'METER'\n[rate.x]\nof = 'm'\nmethod = 'gate'\nwindow = '1 s'", "remove `method`"),
        ("[register.m]\nline = 'METER'\n[rate.x]\nof = 'm'\nzero_after = '1 s'", "remove `zero_after`"),
        ("[hold.x]\nof = 'button'\nat = 'lamp'", "a number is needed here"),
        ("[hold.x]\nof = 'power'\nat = 'power'", "a bit is needed here"),
        ("[stats.x]\nof = 'lamp'\nwhile = 'button'", "a number is needed here"),
        ("[number.x]\nof = 'power'\nvalid = [5, 1]", "wrong order"),
        ("[number.x]\nof = 'x + 1'", "depend on each other"),
        ("[analog_output.x]\nof = 'power'", "needs `range`"),
        ("[analog_output.x]\nof = 'power'\nrange = [3, 3]", "two different points"),
        ("[analog_output.x]\nof = 'power'\nrange = [0, 9]\nlimits = [20, 4]", "wrong order"),
        ("[analog_output.x]\nof = 'power'\nrange = [0, 9]\nsignal = '4mA'", "is not a signal"),
        ("[analog_output.x]\nof = 'power'\nrange = [0, 9]\non_fault = 'off'", "`on_fault`"),
        ("[input.x]\nline = 'STATUS.64'", "its bits are 0 to 63"),
        ("[input.x]\nline = 'STATUS'", "name one of its bits"),
        ("[word.x]\nof = 'STATUS'\nwidth = 64", "1 to 63"),
        ("[word.x]\nof = 'STATUS'\nbits = ['lamp']", "a word has `bits`, or `of`"),
        ("[input.x]\nline = 'PB'\nscan = false", "`scan` needs [scan]"),
        (
            "[scan]\nperiod = '10 ms'\n[rate.x]\nof = 'lamp'\nevery = '25 ms'",
            "whole periods of 10 ms: such as \"30 ms\"",
        ),
        ("[scan]\nperiod = '10 ms'\n[rate.x]\nof = 'lamp'\nmethod = 'gate'\nwindow = '15 ms'", "whole periods"),
        ("[output.x]\nwhen = 'lamp'\nblink = { on = '1 s', off = '1 s' }", "while_on = true"),
        (
            "[output.x]\nwhen = 'lamp'\nblink = { times = 3, while_on = true, on = '1 s', off = '1 s' }",
            "remove `times`",
        ),
    ] {
        place.write("station.toml", format!("{INPUTS}{points}\n"));
        let run = place.reigen("run station.toml bench.csv");
        assert_eq!(run.code, 2, "{points}: {}", run.whole());
        assert!(run.stderr.contains(said) && run.stderr.contains("station.toml:"), "{points}: {}", run.stderr);
    }
}

#[test]
fn a_stretch_counts_from_its_start() {
    let place = bench();
    let points = "[register.m]\nline = 'METER'\nbits = 8\nper_count = 0.5\n[hold.h]\nof = 'power'\nat = 'button'\n\
                  [stats.s]\nof = 'power'\nwhile = 'button'\n[delay.d]\nfrom = 'button'\nto = 'lamp'\n[number.n]\nof = 'm'\n";
    place.write("station.toml", format!("{INPUTS}{points}"));
    let json = place.reigen("run station.toml bench.csv --from 4.5s --json").json();
    assert_eq!(
        (&json["recording"]["from_ns"], &json["recording"]["to_ns"]),
        (&4_500_000_000_u64.into(), &9_000_000_000_u64.into())
    );
    let meter = &json["registers"]["m"];
    // The sample at 4 s showed 9, the last one 41.
    assert_eq!((&meter["count"], &meter["samples"], &meter["value"]), (&32.into(), &5.into(), &16.0.into()), "{meter}");
    assert_eq!(json["numbers"]["n"]["last"], 32.0, "what follows from it begins anew too");
    assert_eq!((&json["holds"]["h"]["count"], &json["holds"]["h"]["min"]), (&2.into(), &15.0.into()));
    assert_eq!((&json["stats"]["s"]["count"], &json["stats"]["s"]["max"]), (&2.into(), &25.0.into()));
    assert_eq!((&json["delays"]["d"]["count"], &json["delays"]["d"]["missed"]), (&1.into(), &1.into()));
}
