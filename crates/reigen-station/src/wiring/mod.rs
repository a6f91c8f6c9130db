//! The electrical data of a station, as its file states them: sensors, cards, and how points are wired.

pub mod card;
pub mod chain;
pub mod connection;
pub mod names;
pub mod parts;
pub mod place;
pub mod range;
pub mod sensor;
pub mod supply;

use crate::table::Description;
use card::Card;
use connection::Wired;
use place::{Group, Place};
use sensor::Sensor;

/// What a metre of control cable has between two wires: a round figure for data sheets' 80 to 120 pF.
pub const CABLE_FARADS_PER_METRE: f64 = 100e-12;

/// The electrical data of a station.
#[derive(Debug, Default)]
pub struct Wiring {
    /// Kinds of sensors.
    pub sensors: Vec<Sensor>,
    /// Cards, each with its groups of terminals.
    pub cards: Vec<Card>,
    /// What is wired to terminals that no point reads, by name.
    pub unread: Vec<Unread>,
}

/// What is wired to a terminal that no point reads.
#[derive(Debug)]
pub struct Unread {
    /// Its name.
    pub name: String,
    /// How it is wired.
    pub wired: Wired,
    /// What stands beside it in the list to wire from.
    pub described: Description,
}

impl Wiring {
    /// All terminals, in the order of the file.
    pub(crate) fn terminals(&self) -> impl Iterator<Item = Place<'_>> {
        self.cards.iter().flat_map(|card| {
            let inputs = card.inputs.iter().map(|group| (Group::Input(group), &group.terminals));
            let outputs = card.outputs.iter().map(|group| (Group::Output(group), &group.terminals));
            inputs
                .chain(outputs)
                .flat_map(move |(group, names)| names.iter().map(move |terminal| Place { card, group, terminal }))
        })
    }
}
