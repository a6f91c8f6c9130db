//! Each finding: a case that has it, and one beside it that just has not.

use super::check;
use crate::finding::Severity;
use crate::sizing::led::Led;
use crate::sizing::pull::{Pull, PullTo};
use crate::sizing::series::Series;
use crate::station::parse;
use crate::units::{Amperes, Ohms, Volts};
use proptest::prelude::*;

/// The codes of everything that is more than a note.
fn codes(station: &str) -> Vec<&'static str> {
    let station = parse(station).unwrap_or_else(|errors| panic!("{errors:?}\n{station}"));
    let findings = check(&station).findings;
    assert!(findings.iter().all(|finding| !finding.remedy.is_empty()), "{findings:?}");
    findings.iter().map(|finding| finding.code).collect()
}

/// A sensor on the terminal T0 of a card of 24 V or a pin of 3.3 V.
fn on_input(sensor: &str, supply: &str, group: &str, input: &str) -> String {
    let terminals = if group.contains("terminals") { "" } else { "terminals = [\"T0\"]" };
    format!(
        "[sensor.s]\n{sensor}\n[card.c]\nsupply = \"{supply}\"\n[card.c.inputs.g]\n{terminals}\n{group}\n\
         [input.a]\nline = \"A\"\nsensor = \"s\"\nterminal = \"T0\"\n{input}\n"
    )
}

/// A load on the terminal Q0 of a group that sources or sinks.
fn on_output(group: &str, load: &str) -> String {
    format!(
        "[card.c]\nsupply = \"24 V\"\n[card.c.outputs.g]\nterminals = [\"Q0\", \"Q1\"]\n{group}\n[input.a]\nline = \"A\"\n\
         [output.o]\nwhen = \"a\"\nterminal = \"Q0\"\nload = {{ {load} }}\n"
    )
}

const TYPE_1: &str = "standard = \"type 1\"";
const NPN: &str = "output = \"npn\"";
const PNP: &str = "output = \"pnp\"";
const CONTACT: &str = "output = \"contact\"";
const TWO_WIRE: &str = "output = \"two_wire\"";
const PUSH_PULL: &str = "output = \"push_pull\"";
const PULL_UP: &str = "pull_up = { value = \"10k\" }";
const TRANSISTOR: &str = "kind = \"transistor\"\ndrives = \"sourcing\"";
const LOW: &str = "asserted = \"low\"";
const RESISTANCE: &str =
    "common = \"zero\"\nresistance = \"4.7k\"\non_above = \"15 V\"\noff_below = \"5 V\"\nmost = \"30 V\"";

/// A code, a station with `@` in it, and what makes it wrong and just right.
type Case = (&'static str, String, &'static str, &'static str);

fn level_cases() -> Vec<Case> {
    let on_24 = |sensor: &str, group: &str, input: &str| on_input(sensor, "24 V", group, input);
    let on_3v3 = |sensor: &str, group: &str, input: &str| on_input(sensor, "3.3 V", group, input);
    let and = |one: &str, other: &str| format!("{one}\n{other}");
    vec![
        ("polarity", on_24(NPN, &and(TYPE_1, "common = \"@\""), LOW), "zero", "plus"),
        ("polarity", on_24(CONTACT, &and(TYPE_1, "common = \"zero\""), "asserted = \"@\""), "low", "high"),
        ("common-open", on_24(PNP, &and(TYPE_1, "common = \"@\""), ""), "free", "zero"),
        ("asserted-mismatch", on_24(NPN, &and(TYPE_1, "common = \"plus\""), "asserted = \"@\""), "high", "low"),
        ("contact-mismatch", on_24(&and(CONTACT, "contact = \"NC\""), TYPE_1, "contact = \"@\""), "NO", "NC"),
        ("over-voltage", on_3v3("output = \"logic\"\nhigh = \"@\"", "", ""), "5 V", "3.3 V"),
        (
            "over-voltage",
            on_3v3(&and(NPN, "pull_up = \"10k\""), "", "asserted = \"low\"\nwiring = { supply = \"@\" }"),
            "5 V",
            "3.3 V",
        ),
        ("over-voltage", on_24(PNP, &and(TYPE_1, "most = \"@\""), ""), "23 V", "24 V"),
        ("under-voltage", on_3v3("output = \"logic\"\nlow = \"@\"", "", ""), "-0.5 V", "-0.2 V"),
        ("never-on", on_24(&and(PNP, "drop = \"@\""), TYPE_1, ""), "9.5 V", "8.9 V"),
        ("never-on", on_24(&and(NPN, "drop = \"@\""), &and(TYPE_1, "common = \"plus\""), LOW), "9.5 V", "8.9 V"),
        // 5 km of 0.25 mm² have 690 Ω, and 15 mA through them lose 10.3 V.
        ("never-on", on_24(PNP, TYPE_1, "cable = \"@\""), "5000 m", "4000 m"),
        ("never-on", on_24("output = \"line_driver\"\nhigh = \"5 V\"", "@", ""), TYPE_1, "supply = \"5 V\""),
        ("never-off", on_3v3("output = \"logic\"\nlow = \"@\"", "", ""), "1.1 V", "0.9 V"),
        ("leakage", on_24(&and(TWO_WIRE, "leakage = \"@\""), TYPE_1, ""), "0.6 mA", "0.5 mA"),
        ("leakage", on_24(&and(TWO_WIRE, "leakage = \"1.5 mA\""), "standard = \"@\"", ""), "type 1", "type 3"),
        (
            "leakage",
            on_24(&and(TWO_WIRE, "leakage = \"1.5 mA\""), TYPE_1, "wiring = { pull_down = \"@\" }"),
            "5.6k",
            "4.7k",
        ),
        ("leakage", on_24(&and(TWO_WIRE, "leakage = \"@\""), RESISTANCE, ""), "1.1 mA", "1.05 mA"),
        ("leakage", on_3v3(&and(NPN, "leakage = \"@\""), PULL_UP, LOW), "110 uA", "98 uA"),
        ("floating", on_3v3(CONTACT, "pull_up = { value = \"10k\", on = @ }", LOW), "false", "true"),
        ("floating", on_3v3(PNP, "", "wiring = { @ }"), "", "pull_down = \"10k\""),
        ("both-pulls", on_3v3(CONTACT, PULL_UP, "asserted = \"low\"\nwiring = { pull_down = \"@\" }"), "10k", "24k"),
        (
            "pull-wasted",
            on_3v3(
                PUSH_PULL,
                "terminals = [\"T0\", \"T1\"]\ntied_to_zero = [\"T1\"]\npull_up = { value = \"10k\", on = @ }",
                "",
            ),
            "true",
            "false",
        ),
        ("unused-floating", on_3v3(PUSH_PULL, "terminals = [\"T0\", \"T1\"]\ntied_to_plus = [@]", ""), "", "\"T1\""),
        ("least-current", on_24(&and(TWO_WIRE, "least_current = \"@\""), RESISTANCE, ""), "5.2 mA", "5.1 mA"),
        ("contact-wetting", on_3v3(&and(CONTACT, "least_current = \"@\""), PULL_UP, LOW), "340 uA", "330 uA"),
        (
            "too-much-current",
            on_3v3(&and(NPN, "most_current = \"@\""), "pull_up = { value = \"330\" }", LOW),
            "9.9 mA",
            "10 mA",
        ),
        (
            "rc-without-hysteresis",
            on_3v3(PUSH_PULL, "schmitt = @", "wiring = { filter = { resistance = \"10k\", capacitance = \"100nF\" } }"),
            "false",
            "true",
        ),
        ("supply-low", on_24(&and(PNP, "supply = [\"@\", \"30 V\"]"), TYPE_1, ""), "24.5 V", "24 V"),
        // 100 m of 0.25 mm² have 13.8 Ω, and 100 mA lose 1.38 V.
        (
            "supply-low",
            on_24(&and(PNP, "supply = [\"22.7 V\", \"30 V\"]\ncurrent = \"@\""), TYPE_1, "cable = \"100 m\""),
            "100 mA",
            "90 mA",
        ),
        ("supply-high", on_24(&and(PNP, "supply = [\"5 V\", \"@\"]"), TYPE_1, ""), "23 V", "24 V"),
        (
            "supply-overload",
            on_24(&and(PNP, "current = \"@\""), TYPE_1, "").replacen(
                "[card.c]",
                "[card.c]\nsensor_supply = { voltage = \"24 V\", current = \"30 mA\" }",
                1,
            ),
            "16 mA",
            "15 mA",
        ),
    ]
}

fn other_cases() -> Vec<Case> {
    let on_24 = |sensor: &str, group: &str, input: &str| on_input(sensor, "24 V", group, input);
    let encoder = "output = \"push_pull\"\nquadrature = true\npulses_per_rev = 1000";
    let counted = "[counter.n]\nup = \"a\"\n";
    let analog = |output: &str, signal: &str, group: &str| {
        format!(
            "[sensor.s]\noutput = \"{output}\"\n{signal}\n[card.c]\nsupply = \"24 V\"\n[card.c.inputs.g]\nterminals = [\"T0\"]\n\
             {group}\n[input.a]\nline = \"A\"\n[wired.w]\nsensor = \"s\"\nterminal = \"T0\"\n"
        )
    };
    vec![
        (
            "filter-too-slow",
            on_24(PNP, "standard = \"type 1\"\nfilter = \"@\"", "fastest = \"100 Hz\""),
            "5 ms",
            "4.9 ms",
        ),
        (
            "filter-too-slow",
            on_24(PNP, "standard = \"type 1\"\nfilter = \"1 ms\"", "shortest_pulse = \"@\""),
            "1 ms",
            "1.1 ms",
        ),
        (
            "frequency-too-high",
            on_24(PNP, "standard = \"type 1\"\nhighest_frequency = \"1 kHz\"", "fastest = \"@\""),
            "1.1 kHz",
            "1 kHz",
        ),
        (
            "sensor-too-slow",
            on_24("output = \"pnp\"\npulses_per_rev = 6\nhighest_frequency = \"@\"", TYPE_1, "fastest = \"100 rpm\""),
            "9 Hz",
            "10 Hz",
        ),
        // 60 rpm · 1000 pulses are 1 kHz, and a quarter of a period 250 µs.
        (
            "encoder-too-fast",
            on_24(encoder, "standard = \"type 1\"\nfilter = \"@\"", "fastest = \"60 rpm\""),
            "250 us",
            "240 us",
        ),
        (
            "debounce-too-long",
            on_24(PNP, TYPE_1, "fastest = \"100 Hz\"\ndebounce = { method = \"stable\", time = \"@\" }"),
            "5.1 ms",
            "5 ms",
        ),
        (
            "touch-hold-too-short",
            on_24(
                "output = \"touch\"\nshortest_hold = \"@\"",
                TYPE_1,
                "debounce = { method = \"stable\", time = \"40 ms\" }",
            ),
            "39 ms",
            "40 ms",
        ),
        (
            "debounce-too-short",
            on_24(
                "output = \"contact\"\nbounce = \"5 ms\"",
                TYPE_1,
                "debounce = { method = \"stable\", time = \"@\" }",
            ),
            "4.9 ms",
            "5 ms",
        ),
        (
            "contact-not-debounced",
            on_24(CONTACT, TYPE_1, "debounce = { @ }") + counted,
            "method = \"none\"",
            "method = \"stable\", time = \"8 ms\"",
        ),
        (
            "contact-not-debounced",
            on_24("output = \"reed\"\nbounce = \"2 ms\"", "standard = \"type 1\"\nfilter = \"@\"", "") + counted,
            "1 ms",
            "3 ms",
        ),
        ("terminal-twice", on_24(PNP, TYPE_1, "") + "[input.b]\nline = \"@\"\nterminal = \"T0\"", "B", "A"),
        ("wrong-mode", on_24(PNP, "standard = \"type 1\"\nmode = \"@\"", ""), "voltage", "digital"),
        ("wrong-mode", analog("voltage", "", "mode = \"@\""), "current", "voltage"),
        ("wrong-mode", on_24(PNP, TYPE_1, "") + "[output.o]\nwhen = \"a\"\n@", "terminal = \"T0\"", ""),
        ("needs-amplifier", on_24("output = \"iec60947_5_6\"", "standard = \"@\"", ""), "type 1", "iec60947_5_6"),
        (
            "range-mismatch",
            analog("current_loop", "signal = \"4-20mA\"", "mode = \"current\"\nsignal = \"@\""),
            "0-20mA",
            "4-20mA",
        ),
        (
            "range-mismatch",
            analog("current_loop", "signal = \"0-20mA\"", "mode = \"current\"\nsignal = \"@\""),
            "4-20mA",
            "0-20mA",
        ),
        (
            "terminal-overload",
            on_output("kind = \"transistor\"\ncurrent = \"@\"", "kind = \"lamp\", current = \"100 mA\""),
            "99 mA",
            "100 mA",
        ),
        (
            "group-overload",
            on_output("kind = \"relay\"\ngroup_current = \"@\"", "kind = \"lamp\", current = \"100 mA\"")
                + "[output.p]\nwhen = \"a\"\nterminal = \"Q1\"\nload = { kind = \"resistor\", resistance = \"240 ohm\" }",
            "199 mA",
            "200 mA",
        ),
        ("group-voltages", on_output("kind = \"relay\"", "kind = \"lamp\", supply = \"@\""), "12 V", "24 V"),
        ("no-diode", on_output(TRANSISTOR, "kind = \"relay_coil\", diode = @"), "false", "true"),
        ("no-diode", on_output(TRANSISTOR, "kind = \"@\""), "solenoid", "lamp"),
        ("load-side", on_output(TRANSISTOR, "kind = \"lamp\", tied_to = \"@\""), "plus", "zero"),
        (
            "load-side",
            on_output("kind = \"transistor\"\ndrives = \"sinking\"", "kind = \"lamp\", tied_to = \"@\""),
            "zero",
            "plus",
        ),
        (
            "scan-too-slow",
            format!("[scan]\nperiod = \"@\"\n{}", on_24(PNP, TYPE_1, "fastest = \"100 Hz\"")),
            "5.1 ms",
            "5 ms",
        ),
        (
            "encoder-too-fast",
            format!("[scan]\nperiod = \"@\"\n{}", on_24(encoder, TYPE_1, "fastest = \"60 rpm\"")),
            "251 us",
            "250 us",
        ),
        (
            "nothing-wired",
            "[input.a]\nline = \"A\"\n@".to_owned(),
            "",
            "terminal = \"T0\"\n[card.c]\nsupply = \"24 V\"\n[card.c.inputs.g]\nterminals = [\"T0\"]",
        ),
    ]
}

#[test]
fn each_mistake_is_found_and_what_is_just_right_is_left_alone() {
    for (code, station, wrong, right) in level_cases().into_iter().chain(other_cases()) {
        let found = codes(&station.replace('@', wrong));
        assert!(found.contains(&code), "no {code} but {found:?} in\n{}", station.replace('@', wrong));
        let found = codes(&station.replace('@', right));
        assert_eq!(found, <[&str; 0]>::default(), "with {right}:\n{}", station.replace('@', right));
    }
}

#[test]
fn a_sum_stands_with_its_numbers_and_what_mends_it_has_a_value() {
    let station = on_input("output = \"two_wire\"\nleakage = \"1.5 mA\"", "24 V", RESISTANCE, "");
    let checked = check(&parse(&station).unwrap());
    let [finding] = checked.findings.as_slice() else { panic!("{:?}", checked.findings) };
    assert_eq!(
        finding.sum.as_deref(),
        Some("1.5 mA leakage × 4.7 kΩ = 7.05 V, and the input is certainly off only below 5 V")
    );
    // 1/R ≥ 1.5 mA / 5 V − 1/4.7 kΩ: 11.5 kΩ, and 10 kΩ is the next below in E12.
    assert_eq!(finding.remedy, "10 kΩ from the terminal to 0 V takes it aside, or a sensor that leaks less");
    let mended = station + "wiring = { pull_down = \"10k\" }\n";
    assert_eq!(codes(&mended), <[&str; 0]>::default());
}

#[test]
fn the_terminal_list_tells_the_level_when_actuated() {
    let station = on_input(CONTACT, "24 V", "standard = \"type 1\"\nterminals = [\"T0\", \"T1\"]", "contact = \"NC\"");
    let rows = check(&parse(&station).unwrap()).terminals;
    let told: Vec<_> = rows.iter().map(|row| (row.terminal.as_str(), row.wire.as_deref(), row.actuated_high)).collect();
    assert_eq!(told, [("c.T0", Some("A"), Some(false)), ("c.T1", None, None)]);
}

#[test]
fn names_and_bounds_are_refused_at_their_place() {
    for (wrong, message) in [
        (on_input(PNP, "24 V", TYPE_1, "").replace("sensor = \"s\"", "sensor = \"z\""), "there is no sensor `z` here"),
        (
            on_input(PNP, "24 V", TYPE_1, "").replace("terminal = \"T0\"", "terminal = \"T9\""),
            "there is no terminal `T9` here",
        ),
        (
            on_input(PNP, "24 V", "on_above = \"2 V\"\noff_below = \"3 V\"", ""),
            "the two values of the thresholds are the wrong way round: 3 V is not below 2 V",
        ),
        (
            on_input("output = \"pnp\"\nsupply = [\"30 V\", \"10 V\"]", "24 V", TYPE_1, ""),
            "the two values of `supply` are the wrong way round: 30 V is not below 10 V",
        ),
        (
            on_input("output = \"pnp\"\npulses_per_rev = 0", "24 V", TYPE_1, ""),
            "zero pulses a revolution tell no speed",
        ),
        (on_input("output = \"pnp\"\npull_up = \"-1k\"", "24 V", TYPE_1, ""), "`-1k` is negative"),
        (on_input(PNP, "24 V", "terminals = [\"T0\", \"T0\"]", ""), "the terminal `T0` is on this card twice"),
        (on_input(PNP, "24 V", "tied_to_zero = [\"T7\"]", ""), "there is no terminal `T7` here"),
        (
            on_input(PNP, "24 V", TYPE_1, "") + "[card.d]\nsupply = \"5 V\"\n[card.d.inputs.g]\nterminals = [\"T0\"]",
            "the terminal `T0` is on more than one card: `c.T0` or `d.T0`",
        ),
    ] {
        let errors = parse(&wrong).unwrap_err();
        assert!(errors.iter().any(|error| error.to_string().contains(message)), "{message}: {errors:?}");
    }
}

proptest! {
    #[test]
    fn a_pull_that_the_sum_calls_right_is_checked_right(
        up in any::<bool>(), leakage in 1.0..60.0f64, most in 2.0..30.0f64, drop in 0.0..0.5f64, supply in 2.5..5.5f64,
    ) {
        let (high, low) = (supply * 0.7, supply * 0.3);
        let pull = Pull {
            to: if up { PullTo::Plus } else { PullTo::Zero },
            supply: Volts(supply),
            leakage: Some(Amperes(leakage / 1e6)),
            high_above: Some(Volts(high)),
            low_below: Some(Volts(low)),
            most_current: Some(Amperes(most / 1e3)),
            drop: Volts(drop),
            capacitance: None,
            rise_time: None,
        };
        let resistance = pull.work().unwrap().number("resistance_ohm").unwrap();
        let (output, asserted, key) = if up { ("npn", "low", "pull_up") } else { ("pnp", "high", "pull_down") };
        let sensor = format!(
            "output = \"{output}\"\nleakage = \"{leakage:.6} uA\"\nmost_current = \"{most:.6} mA\"\ndrop = \"{drop:.6} V\""
        );
        let input = format!("asserted = \"{asserted}\"\nwiring = {{ {key} = \"{resistance} ohm\" }}");
        let station = on_input(&sensor, &format!("{supply:.6} V"), "", &input);
        prop_assert_eq!(codes(&station), <[&str; 0]>::default(), "{}", station);
    }

    #[test]
    fn an_led_that_the_sum_calls_right_does_not_overload_its_terminal(forward in 1.5..3.5f64, current in 1.0..100.0f64) {
        let led = Led { supply: Volts(24.0), forward: Volts(forward), in_row: 1, current: Amperes(current / 1e3), series: Series::E24 };
        let resistance = Ohms(led.work().unwrap().number("resistance_ohm").unwrap());
        let group = format!("kind = \"transistor\"\ncurrent = \"{current:.6} mA\"");
        let station = on_output(&group, &format!("kind = \"led\", forward = \"{forward:.6} V\", resistance = \"{} ohm\"", resistance.0));
        prop_assert_eq!(codes(&station), <[&str; 0]>::default());
    }

    #[test]
    fn the_worst_findings_come_first(wrong in any::<[bool; 3]>()) {
        let group = if wrong[0] { "standard = \"type 1\"\ncommon = \"plus\"" } else { TYPE_1 };
        let bounce = if wrong[1] { "bounce = \"9 ms\"" } else { "" };
        let station = on_input(&format!("{CONTACT}\n{bounce}"), "24 V", group, "debounce = { method = \"stable\", time = \"8 ms\" }");
        let findings = check(&parse(&station).unwrap()).findings;
        prop_assert!(findings.is_sorted_by_key(|finding| std::cmp::Reverse(finding.severity)));
        prop_assert_eq!(findings.iter().any(|finding| finding.severity == Severity::Error), wrong[0]);
    }
}
