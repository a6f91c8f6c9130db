//! Sensors and terminals, as points name them.

use super::Wiring;
use super::chain::ChainWiring;
use super::connection::Wired;
use super::place::Place;
use super::sensor::Sensor;
use crate::spanned::Spanned;
use crate::table::StationErrorKind;
use crate::table::builder::Builder;
use crate::table::error::MOST_TOLD;
use std::collections::HashMap;

/// Sensors and terminals by their names.
pub(crate) struct NameIndex<'a> {
    pub(crate) sensors: HashMap<&'a str, &'a Sensor>,
    pub(crate) terminals: HashMap<&'a str, Vec<Place<'a>>>,
}

impl<'a> NameIndex<'a> {
    pub(crate) fn new(wiring: &'a Wiring) -> Self {
        let sensors = wiring.sensors.iter().rev().map(|sensor| (sensor.name.as_str(), sensor)).collect();
        let mut terminals: HashMap<&str, Vec<Place<'_>>> = HashMap::new();
        wiring.terminals().for_each(|place| terminals.entry(place.terminal).or_default().push(place));
        Self { sensors, terminals }
    }

    pub(crate) fn sensor(&self, name: &str) -> Option<&'a Sensor> {
        self.sensors.get(name).copied()
    }

    /// The places that a terminal's name fits: `I0`, or `plc.I0` where several cards have one.
    pub(crate) fn places<'b>(&'b self, name: &'b str) -> impl Iterator<Item = Place<'a>> + 'b {
        let on_card = name.match_indices('.').flat_map(move |(dot, _)| {
            let (card, terminal) = (name.get(..dot), name.get(dot + 1..).unwrap_or_default());
            let fits = self.terminals.get(terminal).into_iter().flatten();
            fits.filter(move |place| Some(place.card.name.as_str()) == card)
        });
        self.terminals.get(name).into_iter().flatten().chain(on_card).copied()
    }
}

/// Refuses points that name a sensor or terminal that is not there.
pub(crate) fn check_names<'a>(
    wiring: &Wiring,
    wired: impl Iterator<Item = &'a Wired>,
    chains: impl Iterator<Item = &'a ChainWiring>,
    builder: &mut Builder<'_>,
) {
    let named = NameIndex::new(wiring);
    for wired in wired {
        // What may be meant is looked for as long as it is told.
        let explained = builder.errors.len() < MOST_TOLD;
        if let Some(sensor) = wired.sensor.as_ref().filter(|name| named.sensor(name.get_ref()).is_none()) {
            let known = wiring.sensors.iter().filter(|_| explained).map(|sensor| sensor.name.clone()).collect();
            builder.refuse(sensor.span(), StationErrorKind::unknown("sensor", sensor.get_ref(), known));
        }
        if let Some(terminal) = &wired.terminal {
            check_terminal(wiring, &named, terminal, builder);
        }
    }
    for chain in chains {
        chain.signals().for_each(|(_, terminal)| check_terminal(wiring, &named, terminal, builder));
    }
}

/// Refuses a terminal that is not there, or that several cards have.
fn check_terminal(wiring: &Wiring, named: &NameIndex<'_>, terminal: &Spanned<String>, builder: &mut Builder<'_>) {
    let explained = builder.errors.len() < MOST_TOLD;
    {
        match named.places(terminal.get_ref()).count() {
            0 => {
                let known = wiring.terminals().filter(|_| explained).map(|place| place.terminal.to_owned()).collect();
                builder.refuse(terminal.span(), StationErrorKind::unknown("terminal", terminal.get_ref(), known));
            }
            1 => {}
            _ => {
                let fits = named.places(terminal.get_ref());
                let fits = fits.map(|place| format!("{}.{}", place.card.name, place.terminal)).collect();
                let kind = StationErrorKind::AmbiguousTerminal { name: terminal.get_ref().clone(), fits };
                builder.refuse(terminal.span(), kind);
            }
        }
    }
}
