//! Remedies, followed literally: each of them mends its finding and brings no other.

use super::super::check;
use crate::station::parse;
use proptest::prelude::*;
use reigen_core::finding::{Finding, Remedy};

/// A station of one sensor, in pieces that a remedy may change.
#[derive(Debug, Clone)]
struct Bench {
    sensor: String,
    supply: &'static str,
    common: &'static str,
    /// The pull-up of the card: its value, and whether it is on.
    pull: Option<(&'static str, bool)>,
    group: &'static str,
    terminal: String,
    feed: Option<String>,
    asserted: String,
    contact: String,
    debounce: String,
    wire: Vec<String>,
    input: String,
}

impl Bench {
    fn text(&self) -> String {
        let pull =
            self.pull.map_or(String::new(), |(value, on)| format!("pull_up = {{ value = \"{value}\", on = {on} }}\n"));
        let feed = self.feed.as_ref().map_or(String::new(), |feed| format!("wiring = {{ supply = \"{feed}\" }}\n"));
        format!(
            "[sensor.s]\n{}\n[card.c]\nsupply = \"{}\"\n[card.c.inputs.g]\nterminals = [\"T0\"]\n{}{pull}{}\n\
             [card.c.inputs.strong]\nterminals = [\"U0\"]\nstandard = \"type 1\"\n\
             [input.a]\nline = \"A\"\nsensor = \"s\"\nterminal = \"{}\"\nasserted = \"{}\"\ncontact = \"{}\"\n{}{feed}wire = [{}]\n{}\n",
            self.sensor,
            self.supply,
            self.common,
            self.group,
            self.terminal,
            self.asserted,
            self.contact,
            self.debounce,
            self.wire.join(", "),
            self.input,
        )
    }

    fn findings(&self) -> Option<Vec<Finding>> {
        let station = parse(&self.text()).ok()?;
        Some(check(&station).findings)
    }

    /// The part of the wire that an instruction names.
    fn part(&self, words: &str) -> Option<usize> {
        let value = words.split_whitespace().take(2).collect::<String>().replace('Ω', "");
        let kind = ["pull-up", "pull-down", "series"].into_iter().find(|kind| words.contains(kind))?;
        self.wire
            .iter()
            .position(|part| part.contains(&kind.replace('-', "_")) && part.contains(&format!("\"{value}\"")))
    }

    /// Does what a remedy says, to the letter.
    fn follow(&self, remedy: &Remedy) -> Option<Self> {
        let mut mended = self.clone();
        let (front, back): (Vec<_>, Vec<_>) = remedy.parts.iter().partition(|part| part.at == Some("sensor"));
        let told = |part: &&reigen_core::finding::RemedyPart| {
            let at = part.at.map_or(String::new(), |at| format!(", at = \"{at}\""));
            if let (Some(from), Some(to)) = (&part.from, &part.to) {
                return format!("{{ converter = \"level\", from = \"{from}\", to = \"{to}\" }}");
            }
            let value = [("series", part.series), ("pull_up", part.pull_up), ("pull_down", part.pull_down)];
            let (key, ohms) = value.into_iter().find_map(|(key, ohms)| Some((key, ohms?))).unwrap();
            let to = part.to.as_ref().map_or(String::new(), |to| format!(", to = \"{to}\""));
            format!("{{ {key} = \"{ohms} ohm\"{to}{at} }}")
        };
        mended.wire.splice(0..0, front.iter().map(told).collect::<Vec<_>>());
        mended.wire.extend(back.iter().map(told));
        if !remedy.parts.is_empty() {
            return Some(mended);
        }
        for instruction in remedy.change.split(", and ") {
            let quoted = instruction.split('"').nth(1).unwrap_or_default().to_owned();
            let last = instruction.rsplit(' ').next().unwrap_or_default();
            match instruction {
                text if text.starts_with("wire it to the free terminal c.") => mended.terminal = last.to_owned(),
                text if text.starts_with("feed the sensor with ") => {
                    mended.feed = Some(text.trim_start_matches("feed the sensor with ").to_owned());
                }
                text if text.starts_with("tie the common of `g` to plus") => mended.common = "common = \"plus\"\n",
                text if text.starts_with("tie the common of `g` to 0 V") => mended.common = "common = \"zero\"\n",
                text if text.starts_with("write asserted") => mended.asserted = quoted,
                text if text.starts_with("write contact") => mended.contact = quoted,
                text if text.starts_with("write debounce") => {
                    mended.debounce = format!("{}\n", text.trim_start_matches("write "))
                }
                text if text.starts_with("switch the card's pull-up on") => mended.pull.as_mut()?.1 = true,
                text if text.starts_with("switch the card's pull-up off") => mended.pull.as_mut()?.1 = false,
                text if text.starts_with("wire the other side of the contact") => {}
                text if text.starts_with("remove the ") => {
                    let taken = mended.part(text.trim_start_matches("remove the "))?;
                    mended.wire.remove(taken);
                }
                text if text.starts_with("replace the ") => {
                    let (old, new) = text.trim_start_matches("replace the ").split_once(" by ")?;
                    let replaced = mended.part(old)?;
                    let kind = mended.wire[replaced].split('"').next()?.to_owned();
                    mended.wire[replaced] = format!("{kind}\"{new}\" }}");
                }
                text => panic!("an instruction that nobody can follow: {text}"),
            }
        }
        Some(mended)
    }
}

/// Two sensors that both need another terminal are not sent to the same one.
#[test]
fn a_free_terminal_is_offered_to_one_sensor_only() {
    let station = |free: &str| {
        let input = |name: &str, terminal: &str| {
            format!(
                "[input.{name}]\nline = \"{name}\"\nasserted = \"low\"\nsensor = \"s\"\nterminal = \"{terminal}\"\n"
            )
        };
        format!(
            "[sensor.s]\noutput = \"npn\"\n[card.c]\nsupply = \"24 V\"\n[card.c.inputs.g]\nterminals = [\"T0\", \"T1\"]\n\
             standard = \"type 1\"\n[card.c.inputs.h]\nterminals = [{free}]\nstandard = \"type 1\"\ncommon = \"plus\"\n{}{}",
            input("a", "T0"),
            input("b", "T1"),
        )
    };
    for (free, wanted) in [
        ("\"U0\"", vec!["wire it to the free terminal c.U0"]),
        ("\"U0\", \"U1\"", vec!["wire it to the free terminal c.U0", "wire it to the free terminal c.U1"]),
    ] {
        let findings = check(&parse(&station(free)).unwrap()).findings;
        let remedies = findings.iter().flat_map(|finding| finding.remedies.as_deref().unwrap_or_default());
        let moves: Vec<&str> =
            remedies.map(|remedy| remedy.change.as_str()).filter(|change| change.starts_with("wire it")).collect();
        assert_eq!(moves, wanted);
    }
}

fn benches() -> impl Strategy<Value = Bench> {
    let sensor = (
        prop_oneof![
            Just("contact"),
            Just("reed"),
            Just("pnp"),
            Just("npn"),
            Just("open_collector"),
            Just("push_pull"),
            Just("two_wire"),
        ],
        0.0..3.0f64,
        prop_oneof![Just(0.0), 1e-6..3e-3f64],
        prop::option::of(1.0..50.0f64),
        prop::option::of(0.1..8.0f64),
        prop::option::of(prop_oneof![Just("1k"), Just("4.7k"), Just("10k")]),
        prop::option::of(prop_oneof![
            Just("\"3 V\", \"30 V\""),
            Just("\"10 V\", \"30 V\""),
            Just("\"3 V\", \"5.5 V\"")
        ]),
    )
        .prop_map(|(output, drop, leakage, most, least, pull_up, supply)| {
            let mut text =
                format!("output = \"{output}\"\ndrop = \"{drop:.3} V\"\nleakage = \"{:.3} uA\"", leakage * 1e6);
            let mut add = |key: &str, value: Option<String>| {
                if let Some(value) = value {
                    text += &format!("\n{key} = {value}");
                }
            };
            add("most_current", most.map(|most| format!("\"{most:.3} mA\"")));
            add("least_current", least.map(|least| format!("\"{least:.3} mA\"")));
            add("pull_up", pull_up.filter(|_| output == "open_collector").map(|value| format!("\"{value}\"")));
            add("supply", supply.filter(|_| !matches!(output, "contact" | "reed")).map(|range| format!("[{range}]")));
            text
        });
    let group = prop_oneof![
        Just("standard = \"type 1\""),
        Just("standard = \"type 3\""),
        Just("resistance = \"4.7k\"\non_above = \"15 V\"\noff_below = \"5 V\"\nmost = \"30 V\""),
        Just(""),
        Just("most = \"5.5 V\"\non_above = \"2 V\"\noff_below = \"0.8 V\""),
    ];
    let part = prop_oneof![
        prop_oneof![Just("1k"), Just("10k"), Just("47k")].prop_map(|value| format!("{{ series = \"{value}\" }}")),
        prop_oneof![Just("1k"), Just("10k"), Just("100k")].prop_map(|value| format!("{{ pull_up = \"{value}\" }}")),
        prop_oneof![Just("1k"), Just("10k"), Just("100k")].prop_map(|value| format!("{{ pull_down = \"{value}\" }}")),
        prop_oneof![Just("1nF"), Just("100nF")].prop_map(|value| format!("{{ capacitor = \"{value}\" }}")),
    ];
    let input =
        prop_oneof![Just(""), Just("fastest = \"1 kHz\""), Just("cable = \"200 m\"\nshortest_pulse = \"1 ms\""),];
    (
        sensor,
        prop_oneof![Just("24 V"), Just("5 V"), Just("3.3 V")],
        prop_oneof![Just(""), Just("common = \"plus\"\n"), Just("common = \"zero\"\n"), Just("common = \"free\"\n")],
        prop::option::of((prop_oneof![Just("1k"), Just("10k"), Just("100k")], any::<bool>())),
        group,
        any::<bool>(),
        prop::collection::vec(part, 0..3),
        input,
    )
        .prop_map(|(sensor, supply, common, pull, group, high, wire, input)| Bench {
            sensor,
            supply,
            common,
            pull,
            group,
            terminal: "T0".to_owned(),
            feed: None,
            asserted: if high { "high" } else { "low" }.to_owned(),
            contact: "NO".to_owned(),
            debounce: String::new(),
            wire,
            input: input.to_owned(),
        })
}

proptest! {
    #[test]
    fn a_remedy_that_is_followed_mends_its_finding_and_brings_no_other(bench in benches()) {
        let Some(before) = bench.findings() else { return Ok(()) };
        for finding in &before {
            for remedy in finding.remedies.as_deref().unwrap_or_default() {
                let Some(mended) = bench.follow(remedy) else { continue };
                let Some(after) = mended.findings() else {
                    return Err(TestCaseError::fail(format!("{remedy:?} cannot be written:\n{}", mended.text())));
                };
                let same = |other: &&Finding| (other.code, &other.subject) == (finding.code, &finding.subject);
                let left = after.iter().find(same).filter(|left| left.severity >= finding.severity);
                prop_assert!(left.is_none(), "{remedy:?} leaves {left:?} in\n{}\nand\n{}", bench.text(), mended.text());
                let known = |new: &Finding| before.iter().any(|old| {
                    (old.code, &old.subject) == (new.code, &new.subject) && old.severity >= new.severity
                });
                let new: Vec<&Finding> = after.iter().filter(|new| !known(new)).collect();
                prop_assert!(new.is_empty(), "{remedy:?} brings {new:?} in\n{}\nand\n{}", bench.text(), mended.text());
            }
        }
    }
}
