//! A point with its sensor and its terminal, and the network that they make in each state of the sensor.

use super::network::{Element, End, Network, QuantityId, Solution};
use crate::wiring::card::{Card, Common, InputGroup, Mode};
use crate::wiring::connection::Rail;
use crate::wiring::connection::{ReadAs, Wired};
use crate::wiring::parts::{Part, PartKind};
use crate::wiring::place::{Group, Place};
use crate::wiring::range::Range;
use crate::wiring::sensor::{Drive, OutputKind, Sensor};
use crate::wiring::supply::Supply;
use reigen_core::condition::input::Asserted;
use reigen_core::units::Volts;
use std::borrow::Cow;

/// A point, or something unread, with its sensor and its terminal. A remedy is tried on a copy with the change in it.
#[derive(Debug, Clone)]
pub(super) struct Circuit<'a> {
    pub(super) name: &'a str,
    pub(super) wired: Cow<'a, Wired>,
    pub(super) sensor: Option<Cow<'a, Sensor>>,
    pub(super) place: Option<Place<'a>>,
    /// The group of the terminal, where that is an input.
    pub(super) group: Option<Cow<'a, InputGroup>>,
}

impl<'a> Circuit<'a> {
    pub(super) fn new(name: &'a str, wired: &'a Wired, sensor: Option<&'a Sensor>, place: Option<Place<'a>>) -> Self {
        let group = match place.map(|place| place.group) {
            Some(Group::Input(group)) => Some(Cow::Borrowed(group)),
            _ => None,
        };
        Self { name, wired: Cow::Borrowed(wired), sensor: sensor.map(Cow::Borrowed), place, group }
    }

    /// The card and the input group that the terminal is in.
    pub(super) fn inputs(&self) -> Option<(&'a Card, &InputGroup)> {
        Some((self.place?.card, self.group.as_deref()?))
    }

    /// What feeds the sensor, where its card is known.
    pub(super) fn feed(&self) -> Option<Supply> {
        let card = self.place?.card;
        // A contact leads to what feeds the input itself.
        let own = match (&self.sensor, &self.group) {
            (Some(sensor), Some(group)) if sensor.output.is_mechanical() && card.sensor_supply.is_none() => {
                group.supply
            }
            _ => card.feed(),
        };
        Some(self.wired.supply.map_or(own, |supply| supply.merged(&card.feed()).merged(&card.supply)))
    }

    /// Whether any supply of it alternates, so that no DC network can be worked.
    pub(super) fn is_alternating(&self) -> bool {
        let group = self.group.as_ref().is_some_and(|group| group.supply.alternating);
        group || self.feed().is_some_and(|feed| feed.alternating)
    }

    /// What sensor it is: the device, else the line, else the point itself.
    pub(super) fn device(&self) -> (u8, &str) {
        match (&self.wired.device, self.wired.line()) {
            (Some(device), _) => (0, device),
            (None, Some(line)) => (1, line),
            (None, None) => (2, self.name),
        }
    }

    /// Whether two points look at one line.
    pub(super) fn same_line(&self, other: &Circuit<'_>) -> bool {
        self.wired.line().is_some() && self.wired.line() == other.wired.line()
    }
}

/// A state of a sensor.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum State {
    /// It conducts, or drives its asserted level.
    Conducting,
    /// It does not.
    Resting,
}

/// Which current an input draws whose current nobody stated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Draw {
    /// The least that its standard guarantees.
    Least,
    /// The greatest that its standard allows.
    Greatest,
}

/// What a branch of the network is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Branch {
    /// The sensor's output.
    Output,
    /// What the sensor draws itself.
    Own,
    /// A pull-up of the sensor.
    SensorPull,
    /// A wire of the cable.
    Cable,
    /// A part of the wire, by its number.
    Part(usize),
    /// A pull of the card.
    CardPull,
    /// The input itself.
    Input,
    /// What holds the terminal at its threshold, to tell what flows there.
    Clamp,
}

/// One quantity of a circuit with what it may be.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Quantity {
    pub(super) label: Cow<'static, str>,
    pub(super) unit: &'static str,
    pub(super) range: Range,
    /// Its nominal value.
    pub(super) nominal: f64,
}

/// A network of a circuit with its quantities and the places that are looked at.
#[derive(Debug, Clone)]
pub(super) struct Model {
    pub(super) network: Network<Branch>,
    pub(super) quantities: Vec<Quantity>,
    /// The group's supply, which thresholds may follow.
    pub(super) group_supply: QuantityId,
    /// Plus and 0 V as they come to the sensor.
    pub(super) sensor_rails: [End; 2],
    /// The sensor's output.
    pub(super) output: End,
    /// The terminal.
    pub(super) terminal: End,
    /// Where capacitors stand: the node, the farads at their greatest, the part (none is the cable).
    pub(super) capacitors: Vec<(End, f64, Option<usize>)>,
    /// The nodes between the parts, in their order, for the picture.
    pub(super) stages: Vec<End>,
    supplies: Vec<(Supply, QuantityId)>,
}

impl Model {
    fn new() -> Self {
        Self {
            network: Network::new(),
            quantities: Vec::new(),
            group_supply: 0,
            sensor_rails: [End::Ground; 2],
            output: End::Ground,
            terminal: End::Ground,
            capacitors: Vec::new(),
            stages: Vec::new(),
            supplies: Vec::new(),
        }
    }

    fn quantity(
        &mut self,
        label: impl Into<Cow<'static, str>>,
        unit: &'static str,
        range: Range,
        nominal: f64,
    ) -> QuantityId {
        self.quantities.push(Quantity { label: label.into(), unit, range, nominal });
        self.quantities.len() - 1
    }

    /// A supply; one with the same nominal voltage is the same supply.
    fn supply(&mut self, supply: &Supply) -> QuantityId {
        if let Some((_, known)) = self.supplies.iter().find(|(known, _)| known.is_same(supply)) {
            return *known;
        }
        let id = self.quantity(format!("{} supply at", supply.nominal), "V", supply.range, supply.nominal.0);
        self.supplies.push((*supply, id));
        id
    }

    fn resistor(&mut self, from: End, to: End, label: String, range: Range, nominal: f64, role: Branch) {
        let ohms = self.quantity(label, "Ω", range, nominal);
        self.network.add(from, to, Element::Resistor(ohms), role);
    }

    /// A wire of the cable between two places; the same place where it has no resistance.
    fn wire(&mut self, from: End, ohms: f64) -> End {
        if ohms <= 0.0 {
            return from;
        }
        let node = self.network.node();
        self.resistor(from, node, "cable wire".to_owned(), Range::exact(ohms), ohms, Branch::Cable);
        node
    }

    /// All nominal values.
    pub(super) fn nominal(&self) -> Vec<f64> {
        self.quantities.iter().map(|quantity| quantity.nominal).collect()
    }

    /// Calls a function at every corner of the ranges.
    pub(super) fn at_corners(&self, visit: impl FnMut(&[f64])) {
        self.at_corners_of(MOST_FREE, visit);
    }

    /// Calls a function at the corners, with so many quantities free of one another. Those that move the terminal least
    /// are moved together where there are more: all so that they raise it, or all so that they lower it. That a wire of
    /// many parts takes no time without end is worth the hundredth of a volt that may be missed so.
    pub(super) fn at_corners_of(&self, most_free: usize, mut visit: impl FnMut(&[f64])) {
        let ranges = self.quantities.iter().map(|quantity| quantity.range).enumerate();
        let mut free: Vec<(usize, Range)> = ranges.filter(|(_, range)| range.varies()).collect();
        let tied = if free.len() > most_free { self.tied(&mut free, most_free) } else { Vec::new() };
        let mut values: Vec<f64> = self.quantities.iter().map(|quantity| quantity.range.least).collect();
        let set = |values: &mut [f64], number: usize, to: f64| {
            values.get_mut(number).into_iter().for_each(|value| *value = to)
        };
        for corner in 0..1_u64 << (free.len() + usize::from(!tied.is_empty())) {
            for (bit, (number, range)) in free.iter().enumerate() {
                set(&mut values, *number, if corner >> bit & 1 == 1 { range.most } else { range.least });
            }
            let raised = corner >> free.len() & 1 == 1;
            for (number, lowers, raises) in &tied {
                set(&mut values, *number, if raised { *raises } else { *lowers });
            }
            visit(&values);
        }
    }

    /// Parts off all but the quantities that move the terminal most: each with the value that lowers it and the one that
    /// raises it. Supplies stay free, since thresholds follow them.
    fn tied(&self, free: &mut Vec<(usize, Range)>, most_free: usize) -> Vec<(usize, f64, f64)> {
        let mut solution = Solution::default();
        let nominal = self.nominal();
        let mut moves = |number: usize, range: Range| {
            let [least, most] = [range.least, range.most].map(|to| {
                let mut values = nominal.clone();
                values.get_mut(number).into_iter().for_each(|value| *value = to);
                self.network.solve(&values, &mut solution);
                solution.volts(self.terminal, &values)
            });
            most - least
        };
        let is_supply = |number: usize| self.supplies.iter().any(|(_, known)| *known == number);
        let mut moved: Vec<(usize, Range, f64)> =
            free.iter().map(|&(number, range)| (number, range, moves(number, range))).collect();
        let weight =
            |(number, _, moves): &(usize, Range, f64)| if is_supply(*number) { f64::INFINITY } else { moves.abs() };
        moved.sort_by(|one, other| weight(other).total_cmp(&weight(one)));
        let rest = moved.split_off(most_free.min(moved.len()));
        *free = moved.into_iter().map(|(number, range, _)| (number, range)).collect();
        let ends = |(number, range, moves): (usize, Range, f64)| match moves >= 0.0 {
            true => (number, range.least, range.most),
            false => (number, range.most, range.least),
        };
        rest.into_iter().map(ends).collect()
    }
}

/// So many quantities of a wire are looked at in all combinations.
const MOST_FREE: usize = 10;

/// An input of two levels with its sensor, from which the networks of both states are built.
#[derive(Debug, Clone)]
pub(super) struct Input<'a, 'b> {
    pub(super) circuit: &'b Circuit<'a>,
    pub(super) sensor: &'b Sensor,
    pub(super) group: &'b InputGroup,
    /// The side that the sensor switches to.
    pub(super) side: Rail,
    pub(super) feed: Supply,
}

impl<'a, 'b> Input<'a, 'b> {
    pub(super) fn new(circuit: &'b Circuit<'a>) -> Option<Self> {
        let ReadAs::Input { asserted, .. } = &circuit.wired.read_as else { return None };
        let sensor = circuit.sensor.as_deref()?;
        let (_, group) = circuit.inputs()?;
        let side = side(sensor, *asserted)?;
        let feed = circuit.feed()?;
        let worked = group.mode == Mode::Digital && !circuit.is_alternating() && !group.reads_current();
        worked.then_some(Self { circuit, sensor, group, side, feed })
    }

    /// Whether the input must read its upper level in a state of the sensor.
    pub(super) fn wants_upper(&self, state: State) -> bool {
        let conducting = state == State::Conducting;
        match self.group.common {
            Some(Common::Plus) => (self.side == Rail::Zero) == conducting,
            _ => (self.side == Rail::Plus) == conducting,
        }
    }

    /// The voltage that the input compares with its thresholds: from its common.
    pub(super) fn across(&self, volts: f64, supply: f64) -> f64 {
        if self.group.common == Some(Common::Plus) { supply - volts } else { volts }
    }

    /// The level converter in the wire.
    pub(super) fn converter(&self) -> Option<(usize, Supply, Supply)> {
        self.circuit.wired.parts.iter().enumerate().find_map(|(number, part)| match part.kind {
            PartKind::Converter(from, to) => Some((number, from, to)),
            _ => None,
        })
    }

    /// The network in a state, up to the converter where there is one (its input takes the terminal's place).
    pub(super) fn model(&self, state: State, draw: Draw) -> Model {
        let mut model = Model::new();
        let (parts, converter) = (&self.circuit.wired.parts, self.converter());
        let at_sensor = self.parts_at_sensor();
        let until = converter.map_or(parts.len(), |(number, ..)| number);
        let node = self.sensor_side(&mut model, state);
        let node = self.through(&mut model, node, parts.get(at_sensor..until).unwrap_or_default(), at_sensor);
        model.terminal = node;
        match converter {
            None => self.at_terminal(&mut model, node, state, draw),
            // A converter's input draws nothing, and follows its own supply.
            Some((_, from, _)) => model.group_supply = model.supply(&from),
        }
        let cable = self.circuit.wired.cable_capacitance();
        if cable > 0.0 {
            // It is spread along the cable; at its end it is slowest, which is the safe side.
            model.capacitors.push((model.terminal, cable, None));
        }
        model
    }

    /// The network behind a converter, which drives the level that the sensor's state gives.
    pub(super) fn behind_converter(&self, state: State, draw: Draw) -> Option<Model> {
        let (number, _, to) = self.converter()?;
        let mut model = Model::new();
        let rail = match (state == State::Conducting) == (self.side == Rail::Plus) {
            true => End::Rail(model.supply(&to)),
            false => End::Ground,
        };
        let node = model.network.node();
        let nothing = model.quantity("drop", "V", Range::exact(0.0), 0.0);
        model.network.add(rail, node, Element::Drop(nothing), Branch::Output);
        model.output = node;
        let parts = self.circuit.wired.parts.get(number + 1..).unwrap_or_default();
        let node = self.through(&mut model, node, parts, number + 1);
        model.terminal = node;
        self.at_terminal(&mut model, node, state, draw);
        Some(model)
    }

    /// The network of an analog wire while the sensor gives a voltage or a current.
    pub(super) fn analog_model(&self, value: f64, is_current: bool) -> Model {
        let mut model = Model::new();
        let node = model.network.node();
        model.output = node;
        if is_current {
            let signal = model.quantity("signal", "A", Range::exact(value), value);
            model.network.add(End::Ground, node, Element::Source(signal), Branch::Output);
        } else {
            // A source is a switch from 0 V that gains what it gives.
            let signal = model.quantity("signal", "V", Range::exact(-value), -value);
            model.network.add(End::Ground, node, Element::Drop(signal), Branch::Output);
        }
        let node = model.wire(node, self.circuit.wired.wire_resistance());
        let node = self.through(&mut model, node, &self.circuit.wired.parts, 0);
        model.terminal = node;
        self.at_terminal(&mut model, node, State::Resting, Draw::Least);
        model
    }

    /// The sensor, its feed and its cable; gives the end of the cable.
    fn sensor_side(&self, model: &mut Model, state: State) -> End {
        let (sensor, wired) = (self.sensor, &self.circuit.wired);
        let ohms = wired.wire_resistance();
        let feed = End::Rail(model.supply(&self.feed));
        let needs_both = !sensor.output.is_mechanical() && sensor.output != OutputKind::TwoWire;
        let plus = if needs_both || self.side == Rail::Plus { model.wire(feed, ohms) } else { feed };
        let zero = if needs_both || self.side == Rail::Zero { model.wire(End::Ground, ohms) } else { End::Ground };
        if needs_both && ohms > 0.0 && sensor.current.0 > 0.0 {
            let own = model.quantity("sensor's own current", "A", Range::exact(sensor.current.0), sensor.current.0);
            model.network.add(plus, zero, Element::Source(own), Branch::Own);
        }
        let output = model.network.node();
        model.sensor_rails = [plus, zero];
        model.output = output;
        self.switch(model, state, plus, zero, output);
        if let Some(pull_up) = sensor.pull_up {
            let range = Range::within(pull_up.0, crate::wiring::parts::RESISTOR_TOLERANCE);
            model.resistor(plus, output, "sensor's pull-up".to_owned(), range, pull_up.0, Branch::SensorPull);
        }
        let at_sensor = wired.parts.get(..self.parts_at_sensor()).unwrap_or_default();
        let node = self.through(model, output, at_sensor, 0);
        model.wire(node, ohms)
    }

    /// The sensor's output in a state.
    fn switch(&self, model: &mut Model, state: State, plus: End, zero: End, output: End) {
        let sensor = self.sensor;
        let to_plus = (state == State::Conducting) == (self.side == Rail::Plus);
        let drives = sensor.output.drive() == Drive::Both;
        let upto = |most: f64| Range { least: 0.0, most };
        if state == State::Resting && !drives {
            if sensor.leakage.0 > 0.0 {
                let leak = model.quantity("leakage", "A", upto(sensor.leakage.0), sensor.leakage.0);
                let (from, to) = if self.side == Rail::Plus { (plus, output) } else { (output, zero) };
                model.network.add(from, to, Element::Leak(leak), Branch::Output);
            }
            return;
        }
        let (high, low) = sensor.levels;
        let (usual_high, usual_low) = match sensor.output {
            // TIA-422 guarantees 2 V between the wires; one wire alone gives about these.
            OutputKind::LineDriver => (Some(2.5), Some(0.5)),
            _ => (None, None),
        };
        let stated = if to_plus { high.map(|high| high.0).or(usual_high) } else { low.map(|low| low.0).or(usual_low) };
        // An output that gives what its feed or the input's supply is called follows that supply.
        let follows = |level: f64| {
            [self.feed, self.group.supply]
                .into_iter()
                .find(|supply| to_plus && supply.is_same(&Supply::direct(Volts(level))))
        };
        match stated.filter(|_| drives) {
            Some(level) => {
                let (from, lost) = match follows(level) {
                    Some(supply) => (End::Rail(model.supply(&supply)), 0.0),
                    // A stated level counts from the sensor's own 0 V.
                    None => (zero, -level),
                };
                let label = if to_plus { "high level" } else { "low level" };
                let lost = model.quantity(label, "V", Range::exact(lost), lost);
                model.network.add(from, output, Element::Drop(lost), Branch::Output);
            }
            None => {
                let lost = model.quantity("drop", "V", upto(sensor.drop.0), sensor.drop.0);
                let (from, to) = if to_plus { (plus, output) } else { (output, zero) };
                model.network.add(from, to, Element::Drop(lost), Branch::Output);
            }
        }
    }

    /// Parts of the wire from a node on, the first of them with its number; gives the node behind them.
    fn through(&self, model: &mut Model, start: End, parts: &[Part], first: usize) -> End {
        let mut node = start;
        for (number, part) in (first..).zip(parts) {
            node = self.part(model, node, number, part);
            model.stages.push(node);
        }
        node
    }

    fn part(&self, model: &mut Model, node: End, number: usize, part: &Part) -> End {
        let role = Branch::Part(number);
        let range = |value: f64| Range::within(value, part.tolerance);
        match part.kind {
            PartKind::Series(value) => {
                let next = model.network.node();
                model.resistor(node, next, "series resistor".to_owned(), range(value.0), value.0, role);
                return next;
            }
            PartKind::PullUp(value, to) => {
                let rail = self.pull_up_rail(to);
                let to = End::Rail(model.supply(&rail));
                model.resistor(to, node, "pull-up".to_owned(), range(value.0), value.0, role);
            }
            PartKind::PullDown(value) => {
                model.resistor(node, End::Ground, "pull-down".to_owned(), range(value.0), value.0, role);
            }
            PartKind::Shunt(value) => {
                model.resistor(node, End::Ground, "shunt".to_owned(), range(value.0), value.0, role);
            }
            PartKind::Capacitor(value) => {
                model.capacitors.push((node, value.0 * (1.0 + part.tolerance), Some(number)));
            }
            PartKind::Converter(..) => {}
        }
        node
    }

    /// Where a pull-up of the wire goes to.
    pub(super) fn pull_up_rail(&self, to: Option<Supply>) -> Supply {
        let card = self.circuit.place.map(|place| place.card);
        to.map_or(self.group.supply, |to| {
            let merged = to.merged(&self.group.supply);
            card.map_or(merged, |card| merged.merged(&card.feed()))
        })
    }

    /// What the card hangs on the terminal.
    fn at_terminal(&self, model: &mut Model, terminal: End, state: State, draw: Draw) {
        let group = self.group;
        let supply = model.supply(&group.supply);
        model.group_supply = supply;
        for (pull, from, to, label) in [
            (group.pull_up, End::Rail(supply), terminal, "card's pull-up"),
            (group.pull_down, terminal, End::Ground, "card's pull-down"),
        ] {
            if let Some(pull) = pull.filter(|pull| pull.on) {
                model.resistor(from, to, label.to_owned(), pull.range(), pull.value.0, Branch::CardPull);
            }
        }
        let common = if group.common == Some(Common::Plus) { End::Rail(supply) } else { End::Ground };
        if let Some(resistance) = group.resistance {
            let range = Range::within(resistance.0, crate::wiring::parts::RESISTOR_TOLERANCE);
            model.resistor(terminal, common, "input resistance".to_owned(), range, resistance.0, Branch::Input);
        } else if let (Some(current), true) = (self.drawn(draw), self.wants_upper(state)) {
            let drawn = model.quantity("input current", "A", Range::exact(current), current);
            let (from, to) = if group.common == Some(Common::Plus) { (common, terminal) } else { (terminal, common) };
            model.network.add(from, to, Element::Source(drawn), Branch::Input);
        }
    }

    /// How many parts stand at the sensor's end of the cable; they come first.
    fn parts_at_sensor(&self) -> usize {
        self.circuit.wired.parts.iter().take_while(|part| part.at_sensor).count()
    }

    /// What the input draws while it is on, whatever the voltage.
    pub(super) fn drawn(&self, draw: Draw) -> Option<f64> {
        let limits = self.group.limits();
        let by_standard = limits.map(|limits| match draw {
            Draw::Least => limits.on_current.0,
            Draw::Greatest => limits.most_current.0,
        });
        self.group.current.map(|current| current.0).or(by_standard)
    }

    /// Whether a resting sensor leaves an input whose resistance nobody knows, but which has a path to its common.
    pub(super) fn rests_by_current(&self, state: State) -> bool {
        self.group.resistance.is_none()
            && self.group.has_path()
            && !self.wants_upper(state)
            && self.converter().is_none()
    }

    /// The network with the terminal held at the voltage where the input is just off.
    pub(super) fn clamped(&self, state: State) -> Model {
        let mut model = self.model(state, Draw::Least);
        let off = self.group.off_below.at(self.group.supply.nominal.0);
        let (common, level) = match self.group.common {
            Some(Common::Plus) => (End::Rail(model.group_supply), -off),
            _ => (End::Ground, off),
        };
        let lost = model.quantity("threshold", "V", Range::exact(level), level);
        model.network.add(model.terminal, common, Element::Drop(lost), Branch::Clamp);
        model
    }

    /// What flows into an input at most while it is certainly off.
    pub(super) fn off_current(&self) -> f64 {
        let by_standard = self.group.limits().map(|limits| limits.off_current.0);
        by_standard.or(self.group.current.map(|current| current.0)).unwrap_or(0.0)
    }
}

/// The side that a sensor switches the terminal to while it conducts.
pub(super) fn side(sensor: &Sensor, asserted: Asserted) -> Option<Rail> {
    match sensor.output.drive() {
        Drive::Plus => Some(Rail::Plus),
        Drive::Zero => Some(Rail::Zero),
        Drive::Switch | Drive::Both => Some(match asserted {
            Asserted::High => Rail::Plus,
            Asserted::Low => Rail::Zero,
        }),
        Drive::Analog => None,
    }
}
