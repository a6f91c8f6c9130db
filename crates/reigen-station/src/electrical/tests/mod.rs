//! Each finding: a case that has it, and one beside it that just has not.

mod by_hand;
mod cases;
mod remedies;

use super::check;
use crate::sizing::USUAL_RESISTORS;
use crate::sizing::led::Led;
use crate::sizing::pull::{Pull, PullTo};
use crate::sizing::series::Series;
use crate::station::parse;
use cases::{circuit_cases, level_cases, other_cases};
use proptest::prelude::*;
use reigen_core::finding::Severity;
use reigen_core::units::{Amperes, Ohms, Volts};

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

#[test]
fn each_mistake_is_found_and_what_is_just_right_is_left_alone() {
    let mut failures = Vec::new();
    for (code, station, wrong, right) in level_cases().into_iter().chain(other_cases()).chain(circuit_cases()) {
        let found = codes(&station.replace('@', wrong));
        if !found.contains(&code) {
            failures.push(format!("no {code} but {found:?} in\n{}", station.replace('@', wrong)));
        }
        let found = codes(&station.replace('@', right));
        if !found.is_empty() {
            failures.push(format!("{found:?} with {right}:\n{}", station.replace('@', right)));
        }
    }
    assert!(failures.is_empty(), "{}", failures.join("\n"));
}

#[test]
fn a_sum_stands_with_its_numbers_and_what_mends_it_has_a_value() {
    let station = on_input("output = \"two_wire\"\nleakage = \"1.5 mA\"", "24 V", RESISTANCE, "");
    let checked = check(&parse(&station).unwrap());
    let [finding] = checked.findings.as_slice() else { panic!("{:?}", checked.findings) };
    assert_eq!(
        finding.sum.as_deref(),
        Some(
            "worst case: leakage 1.5 mA, input resistance 4.93 kΩ: 7.4 V at the terminal (0 to 7.4 V in all); the input is certainly off only at 5 V and below"
        )
    );
    // 4.94 kΩ beside R must be 3.33 kΩ at most: 10.2 kΩ, and 5 % below; the least that the sensor's drop allows is far lower.
    let [remedy] = finding.remedies.as_deref().unwrap_or_default() else { panic!("{:?}", finding.remedies) };
    assert_eq!(finding.remedy, remedy.change);
    assert!(remedy.greatest_v.unwrap() < 5.0, "{remedy:?}");
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
        (on_input(PNP, "24 V", TYPE_1, "").replace("sensor = \"s\"", "sensor = \"z\""), "unknown sensor `z`"),
        (on_input(PNP, "24 V", TYPE_1, "").replace("terminal = \"T0\"", "terminal = \"T9\""), "unknown terminal `T9`"),
        (
            on_input(PNP, "24 V", "on_above = \"2 V\"\noff_below = \"3 V\"", ""),
            "the two values of the thresholds are in the wrong order: 3 V is not below 2 V",
        ),
        (
            on_input("output = \"pnp\"\nsupply = [\"30 V\", \"10 V\"]", "24 V", TYPE_1, ""),
            "the two values of `supply` are in the wrong order: 30 V is not below 10 V",
        ),
        (on_input("output = \"pnp\"\npulses_per_rev = 0", "24 V", TYPE_1, ""), "`pulses_per_rev` must be above zero"),
        (on_input("output = \"pnp\"\npull_up = \"-1k\"", "24 V", TYPE_1, ""), "`-1k` is negative"),
        (on_input(PNP, "24 V", "terminals = [\"T0\", \"T0\"]", ""), "the terminal `T0` is listed twice on this card"),
        (on_input(PNP, "24 V", "tied_to_zero = [\"T7\"]", ""), "unknown terminal `T7`"),
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
            resistance: None,
            tolerance: USUAL_RESISTORS,
        };
        let resistance = pull.work().unwrap().number("resistance_ohm").unwrap();
        let (output, asserted, key) = if up { ("npn", "low", "pull_up") } else { ("pnp", "high", "pull_down") };
        let sensor = format!(
            "output = \"{output}\"\nleakage = \"{leakage:.6} uA\"\nmost_current = \"{most:.6} mA\"\ndrop = \"{drop:.6} V\""
        );
        let input = format!("asserted = \"{asserted}\"\nwiring = {{ {key} = \"{resistance} ohm\" }}");
        // What the sum is told is exact.
        let exact = format!("[\"{supply:.6} V\", \"{supply:.6} V\"]");
        let station = on_input(&sensor, "1 V", "", &input).replace("\"1 V\"", &exact);
        prop_assert_eq!(codes(&station), <[&str; 0]>::default(), "{}", station);
    }

    #[test]
    fn an_led_that_the_sum_calls_right_does_not_overload_its_terminal(forward in 1.5..3.5f64, current in 1.0..100.0f64) {
        let led = Led { supply: Volts(24.0), forward: Volts(forward), in_row: 1, current: Some(Amperes(current / 1e3)), resistance: None, tolerance: USUAL_RESISTORS, series: Series::E24 };
        let resistance = Ohms(led.work().unwrap().number("resistance_ohm").unwrap());
        let group = format!("kind = \"transistor\"\ncurrent = \"{current:.6} mA\"");
        let station = on_output(&group, &format!("kind = \"led\", forward = \"{forward:.6} V\", resistance = \"{} ohm\"", resistance.0));
        let station = station.replace("supply = \"24 V\"", "supply = [\"24 V\", \"24 V\"]");
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
