//! Levels: what stands at the terminal in both states, what it bears, and what the input makes of it.

use super::Circuit;
use super::card::{Common, InputGroup};
use super::connection::{Rail, ReadAs};
use super::network::Node;
use super::polarity::side;
use super::sensor::{Drive, OutputKind, Sensor};
use crate::condition::input::Contact;
use crate::finding::Finding;
use crate::sizing::series::Series;
use crate::units::{Amperes, Ohms, Volts};

/// What stands at a terminal in the two states of its sensor.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Levels {
    /// While the sensor conducts, or drives its asserted level.
    pub(super) conducting: Option<Volts>,
    /// While it does not.
    pub(super) resting: Option<Volts>,
}

impl Levels {
    /// The level while actuated, and while not.
    pub(super) fn by_state(self, contact: Contact) -> [Option<Volts>; 2] {
        match contact {
            Contact::NormallyOpen => [self.conducting, self.resting],
            Contact::NormallyClosed => [self.resting, self.conducting],
        }
    }
}

/// A sensor on an input of two levels.
struct Input<'a> {
    circuit: &'a Circuit<'a>,
    sensor: &'a Sensor,
    group: &'a InputGroup,
    /// The side that it switches to.
    side: Rail,
    /// What feeds it, without load and at full load.
    feed: (Volts, Volts),
}

/// What a sum may miss by its last bits and by the shortest wire.
const TOLERANCE: f64 = 1e-6;

/// A wire so short that it does not count.
const LEAST_RESISTANCE: f64 = 1e-3;

impl<'a> Input<'a> {
    fn new(circuit: &'a Circuit<'a>) -> Option<Self> {
        let (sensor, ReadAs::Input { asserted, .. }) = (circuit.sensor?, &circuit.wired.read_as) else { return None };
        let (card, group) = circuit.inputs()?;
        let side = side(sensor, *asserted)?;
        let feed = match circuit.wired.parts.supply {
            Some(supply) => (supply, supply),
            // A contact leads to what feeds the input itself.
            None if sensor.output.is_mechanical() && card.sensor_supply.is_none() => (group.supply, group.supply),
            None => card.feed(),
        };
        (group.mode == super::card::Mode::Digital).then_some(Self { circuit, sensor, group, side, feed })
    }

    /// The high and low level of an output that drives both.
    fn driven(&self, feed: Volts) -> (Volts, Volts) {
        let (high, low) = self.sensor.levels;
        match self.sensor.output {
            // TIA-422 guarantees 2 V between the wires; one wire alone gives about these.
            OutputKind::LineDriver => (high.unwrap_or(Volts(2.5)), low.unwrap_or(Volts(0.5))),
            _ => (high.unwrap_or(feed - self.sensor.drop), low.unwrap_or(self.sensor.drop)),
        }
    }

    /// What hangs on the terminal while the sensor conducts or rests; the sensor first.
    fn node(&self, conducting: bool, feed: Volts) -> Node {
        let mut node = Node::default();
        let (sensor, wired) = (self.sensor, self.circuit.wired);
        let series = wired.parts.filter.map_or(0.0, |filter| filter.resistance.0);
        let cable = Ohms((wired.cable_resistance() + series).max(LEAST_RESISTANCE));
        let drives_both = sensor.output.drive() == Drive::Both;
        match (conducting, drives_both, self.side) {
            (_, true, side) => {
                let (high, low) = self.driven(feed);
                let is_high = (side == Rail::Plus) == conducting;
                node.resistor("the output over its cable", if is_high { high } else { low }, cable);
            }
            (true, _, Rail::Plus) => node.resistor(self.conducting_words(feed), feed - sensor.drop, cable),
            (true, _, Rail::Zero) => node.resistor(self.conducting_words(Volts(0.0)), sensor.drop, cable),
            (false, _, Rail::Plus) => node.source("leakage", sensor.leakage),
            (false, _, Rail::Zero) => node.source("leakage", Amperes(-sensor.leakage.0)),
        }
        self.input_arms(conducting, &mut node);
        node
    }

    fn conducting_words(&self, from: Volts) -> String {
        match self.sensor.drop.0 > 0.0 {
            true => format!("{from} over a drop of {}", self.sensor.drop),
            false => format!("{from} over the cable"),
        }
    }

    /// What hangs on the terminal beside the sensor.
    fn input_arms(&self, conducting: bool, node: &mut Node) {
        let (group, wired) = (self.group, self.circuit.wired);
        let common = if group.common == Some(Common::Plus) { group.supply } else { Volts(0.0) };
        if let Some(resistance) = group.resistance {
            node.resistor("the input", common, resistance);
        } else if let (Some(current), true) = (self.drawn(), conducting) {
            let into = if group.common == Some(Common::Plus) { current.0 } else { -current.0 };
            node.source("drawn by the input", Amperes(into));
        }
        if let Some(pull_up) = self.sensor.pull_up {
            node.resistor("the sensor's pull-up", self.feed.0, pull_up);
        }
        let inside = |pull: Option<super::card::PullResistor>| pull.filter(|pull| pull.on).map(|pull| pull.value);
        for (what, to, value) in [
            ("the card's pull-up", group.supply, inside(group.pull_up)),
            ("the card's pull-down", Volts(0.0), inside(group.pull_down)),
            ("the pull-up", group.supply, wired.parts.pull_up),
            ("the pull-down", Volts(0.0), wired.parts.pull_down),
        ] {
            if let Some(value) = value {
                node.resistor(what, to, value);
            }
        }
    }

    /// What the input draws whatever the voltage.
    fn drawn(&self) -> Option<Amperes> {
        self.group.current.or(self.group.limits().map(|limits| limits.most_current))
    }

    fn levels(&self) -> Levels {
        Levels {
            conducting: self.node(true, self.feed.1).voltage(),
            resting: match self.rests_by_standard() {
                // The input is off, somewhere between its common and its threshold.
                Some(_) => Some(if self.group.common == Some(Common::Plus) { self.group.supply } else { Volts(0.0) }),
                None => self.node(false, self.feed.0).voltage(),
            },
        }
    }

    /// What leaks into an input whose resistance is not known, at its off threshold; `None` where it is known.
    fn rests_by_standard(&self) -> Option<Amperes> {
        let group = self.group;
        if group.resistance.is_some() || !group.has_path() || self.sensor.output.drive() == Drive::Both {
            return None;
        }
        let wired = self.circuit.wired;
        let bleeder = if group.common == Some(Common::Plus) { wired.parts.pull_up } else { wired.parts.pull_down };
        let aside = bleeder.map_or(0.0, |bleeder| group.off_below.0 / bleeder.0);
        Some(Amperes((self.sensor.leakage.0 - aside).max(0.0)))
    }

    /// The voltage that the input compares with its thresholds: from its common.
    fn across(&self, voltage: Volts) -> Volts {
        if self.group.common == Some(Common::Plus) { self.group.supply - voltage } else { voltage }
    }

    /// Whether the input must read its upper level in a state of the sensor.
    fn wants_upper(&self, conducting: bool) -> bool {
        match self.group.common {
            Some(Common::Plus) => (self.side == Rail::Zero) == conducting,
            _ => (self.side == Rail::Plus) == conducting,
        }
    }
}

/// What stands at a circuit's terminal, where that can be worked out.
pub(super) fn of(circuit: &Circuit<'_>) -> Option<Levels> {
    Input::new(circuit).map(|input| input.levels())
}

/// Checks the levels of one input.
pub(super) fn check(circuit: &Circuit<'_>, findings: &mut Vec<Finding>) {
    let Some(input) = Input::new(circuit) else { return };
    if !input.group.takes(input.sensor.output) {
        return;
    }
    check_borne(&input, findings);
    check_state(&input, true, findings);
    if input.rests_by_standard().is_some() {
        check_leakage_by_standard(&input, findings);
    } else if input.levels().resting.is_none() {
        findings.push(floating(&input));
    } else {
        check_state(&input, false, findings);
    }
    check_currents(&input, findings);
    check_filter(&input, findings);
}

/// A terminal that gets more, or less, than it bears.
fn check_borne(input: &Input<'_>, findings: &mut Vec<Finding>) {
    let [least, most] = input.group.bears;
    let nodes = [input.node(true, input.feed.0), input.node(false, input.feed.0)];
    let worst = nodes.iter().filter_map(|node| Some((node.voltage()?, node)));
    let Some((voltage, node)) = worst.clone().max_by(|one, other| one.0.0.total_cmp(&other.0.0)) else { return };
    if voltage.0 > most.0 * (1.0 + TOLERANCE) {
        let top = Ohms(10e3);
        let bottom = Ohms(Series::E24.below(top.0 * most.0 / (voltage.0 - most.0)));
        let divided = crate::sizing::divider::output(voltage, top, bottom, None);
        let remedy = format!(
            "{top} in the wire and {bottom} from the terminal to 0 V make {divided} of it; or feed the sensor with {most}"
        );
        let message = format!("{voltage} comes to a terminal that bears {most}");
        let finding = Finding::error("over-voltage", input.circuit.name, message, &remedy);
        findings.push(finding.with_sum(format!("{}, and the terminal bears {most}", node.sum())));
    }
    for (voltage, node) in worst.filter(|(voltage, _)| voltage.0 < least.0 - TOLERANCE) {
        let message = format!("{voltage} comes to a terminal that bears no less than {least}");
        let remedy = "a diode from 0 V to the terminal behind 10 kΩ, or a sensor that does not go below 0 V";
        let finding = Finding::error("under-voltage", input.circuit.name, message, remedy);
        findings.push(finding.with_sum(format!("{}, and the terminal bears {least}", node.sum())));
    }
}

/// A state that the input does not certainly read as it should.
fn check_state(input: &Input<'_>, conducting: bool, findings: &mut Vec<Finding>) {
    let (group, name) = (input.group, input.circuit.name);
    let upper = input.wants_upper(conducting);
    // The state that should be high is worst at full load, the one that should be low without.
    let node = input.node(conducting, if upper { input.feed.1 } else { input.feed.0 });
    let Some(voltage) = node.voltage() else { return };
    let across = input.across(voltage);
    let fails = if upper { across < group.on_above } else { across > group.off_below };
    if !fails || current_keeps_off(input, upper, across) {
        return;
    }
    let (bound, word) = if upper { (group.on_above, "on only above") } else { (group.off_below, "off only below") };
    let sum = match group.common {
        Some(Common::Plus) => {
            format!(
                "{}; {} − {voltage} = {across} across the input, certainly {word} {bound}",
                node.sum(),
                group.supply
            )
        }
        Some(_) => format!("{}, and the input is certainly {word} {bound}", node.sum()),
        None => format!(
            "{}, and the pin is certainly {} {bound}",
            node.sum(),
            if upper { "high only above" } else { "low only below" }
        ),
    };
    let leaks = !conducting && input.sensor.leakage.0 > 0.0 && input.sensor.output.drive() != Drive::Both;
    let (code, message) = match (leaks, conducting) {
        (true, _) => {
            let message = format!("the sensor's leakage of {} spoils the level while it is open", input.sensor.leakage);
            ("leakage", message)
        }
        (_, true) => ("never-on", "the input never certainly sees that the sensor is closed".to_owned()),
        (_, false) => ("never-off", "the input never certainly sees that the sensor is open".to_owned()),
    };
    let remedy = if leaks { bleeder(input, upper) } else { stronger(input, conducting, upper) };
    findings.push(Finding::error(code, name, message, &remedy).with_sum(sum));
}

/// Whether an input by the standard is off all the same, since so little flows.
fn current_keeps_off(input: &Input<'_>, upper: bool, across: Volts) -> bool {
    let off = input.group.limits().map(|limits| limits.off_current);
    match (upper, off, input.group.resistance) {
        (false, Some(off), Some(resistance)) => across / resistance <= off,
        _ => false,
    }
}

/// The resistor that takes a leakage aside.
fn bleeder(input: &Input<'_>, upper: bool) -> String {
    let (group, leakage) = (input.group, input.sensor.leakage);
    let (room, rail) = match (group.common, upper) {
        (Some(Common::Plus), _) => (group.off_below, "plus"),
        (_, true) => (group.supply - group.on_above, "plus"),
        (_, false) => (group.off_below, "0 V"),
    };
    // All that leaks must flow at less than the threshold; what flows already need not flow through the new one.
    let there = input.node(false, input.feed.0).conductance();
    let exact = 1.0 / (leakage.0 / room.0 - there);
    format!(
        "{} from the terminal to {rail} takes it aside, or a sensor that leaks less",
        Ohms(Series::E12.below(exact))
    )
}

/// What brings a level up or down that does not reach its threshold.
fn stronger(input: &Input<'_>, conducting: bool, upper: bool) -> String {
    let group = input.group;
    match (conducting, upper) {
        (true, true) => {
            let needed = group.on_above + (input.feed.1 - input.across(input.levels().conducting.unwrap_or_default()));
            format!(
                "feed the sensor with {needed} or more, or take an input that is on above less than {}",
                group.on_above
            )
        }
        (true, false) => "weaken what pulls the other way: ten times the value, or a sensor with less drop".to_owned(),
        (false, _) => {
            let (rail, there) = if upper { ("plus", group.supply) } else { ("0 V", Volts(0.0)) };
            format!("{} from the terminal to {rail} brings it to {there}", Ohms(10e3))
        }
    }
}

/// Leakage into an input of which only the standard's limits are known.
fn check_leakage_by_standard(input: &Input<'_>, findings: &mut Vec<Finding>) {
    let (Some(into), Some(limits)) = (input.rests_by_standard(), input.group.limits()) else { return };
    if into <= limits.off_current {
        return;
    }
    let words = input.group.standard.map_or("the input", super::card::Standard::words);
    let rail = if input.group.common == Some(Common::Plus) { "plus" } else { "0 V" };
    let exact = limits.off_below.0 / (input.sensor.leakage.0 - limits.off_current.0);
    let bleeder = Ohms(Series::E12.below(exact));
    let message = format!("the sensor's leakage of {} keeps the input on", input.sensor.leakage);
    let sum = format!("{into} flow into {words}, which is certainly off at {} and below", limits.off_current);
    let remedy = format!(
        "{bleeder} from the terminal to {rail} takes it aside, or a type 2 or 3 input, or a sensor that leaks less"
    );
    findings.push(Finding::error("leakage", input.circuit.name, message, &remedy).with_sum(sum));
}

fn floating(input: &Input<'_>) -> Finding {
    let (sensor, group) = (input.sensor, input.group);
    let (word, rail, inside) = match input.side {
        Rail::Zero => ("pull-up", group.supply, group.pull_up),
        Rail::Plus => ("pull-down", Volts(0.0), group.pull_down),
    };
    // The usual value, unless the leakage would move the level across it.
    let room = if input.side == Rail::Zero { group.supply - group.on_above } else { group.off_below };
    let most = if sensor.leakage.0 > 0.0 { (room / sensor.leakage).0 } else { f64::INFINITY };
    let value = Ohms(if most < 10e3 { Series::E12.below(most) } else { 10e3 });
    let remedy = match inside {
        Some(pull) => format!("switch the terminal's {word} of {} on, or add {value} to {rail}", pull.value),
        None => format!("add a {word} of {value} from the terminal to {rail}"),
    };
    let message = format!("nothing defines the level while {} is open, so the input floats", sensor.output.words());
    let sum = "an open sensor drives no current, and no resistor leads from the terminal to plus or to 0 V".to_owned();
    Finding::error("floating", input.circuit.name, message, &remedy).with_sum(sum)
}

/// Too much current for the sensor, or too little.
fn check_currents(input: &Input<'_>, findings: &mut Vec<Finding>) {
    let node = input.node(true, input.feed.0);
    let Some(voltage) = node.voltage() else { return };
    let (sensor, name) = (input.sensor, input.circuit.name);
    let current = match (input.group.limits(), input.group.resistance, input.group.current) {
        // Only what the standard guarantees can be counted on.
        (Some(limits), None, None) => limits.on_current,
        _ => Amperes(node.current_but_first(voltage).0.abs()),
    };
    if let Some(most) = sensor.most_current.filter(|most| current.0 > most.0 * (1.0 + TOLERANCE)) {
        let message = format!("{current} flow through an output that carries {most}");
        let least = Ohms(Series::E12.above(input.feed.0.0 / most.0));
        let remedy = format!("no resistor below {least} at {}", input.feed.0);
        findings.push(Finding::error("too-much-current", name, message, &remedy).with_sum(node.sum()));
    }
    let Some(least) = sensor
        .least_current
        .filter(|least| current.0 < least.0 * (1.0 - TOLERANCE) && sensor.output.drive() == Drive::Switch)
    else {
        return;
    };
    let (code, why) = match sensor.output {
        OutputKind::TwoWire => ("least-current", "a two-wire sensor works only while enough flows through it"),
        _ => ("contact-wetting", "a contact stays clean only where enough flows through it"),
    };
    let across = Volts((input.feed.0 - sensor.drop).0.max(0.1));
    let extra = Ohms(Series::E12.below(across.0 / (least.0 - current.0)));
    let rail = if input.side == Rail::Plus { "0 V" } else { "plus" };
    let message = format!("{current} flow while it is closed, and {least} are needed: {why}");
    let remedy = format!("{extra} from the terminal to {rail} brings it up to {least}");
    let sum = format!("{across} across the input make {current}");
    let finding = match code {
        "least-current" => Finding::error(code, name, message, &remedy),
        _ => Finding::warning(code, name, message, &remedy),
    };
    findings.push(finding.with_sum(sum));
}

/// An RC filter before an input that has no hysteresis.
fn check_filter(input: &Input<'_>, findings: &mut Vec<Finding>) {
    let Some(filter) = input.circuit.wired.parts.filter.filter(|_| !input.group.schmitt) else { return };
    let time = filter.resistance * filter.capacitance;
    let message =
        "an RC filter makes slow edges, and this input has no hysteresis: it will flicker at its threshold".to_owned();
    let sum = format!("{} × {} = {time} for an edge", filter.resistance, filter.capacitance);
    let remedy = "an input with a Schmitt trigger, or a Schmitt buffer behind the filter; or debounce in its place";
    findings.push(Finding::error("rc-without-hysteresis", input.circuit.name, message, remedy).with_sum(sum));
}

/// Whether the level is high for people: more than half of plus.
pub(super) fn is_high(circuit: &Circuit<'_>, voltage: Volts) -> bool {
    let supply = circuit.inputs().map_or(Volts(24.0), |(_, group)| group.supply);
    voltage.0 > supply.0 / 2.0
}
