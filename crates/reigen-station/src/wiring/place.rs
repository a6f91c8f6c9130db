//! Terminals, and the groups that they are in.

use super::card::{Card, InputGroup, OutputGroup};

/// Where a terminal is.
#[derive(Debug, Clone, Copy)]
pub struct Place<'a> {
    /// Its card.
    pub card: &'a Card,
    /// Its group there.
    pub group: Group<'a>,
    /// Its name on the card.
    pub terminal: &'a str,
}

/// A group of terminals that are alike.
#[derive(Debug, Clone, Copy)]
pub enum Group<'a> {
    /// Inputs.
    Input(&'a InputGroup),
    /// Outputs.
    Output(&'a OutputGroup),
}

impl<'a> Place<'a> {
    /// Whether two places are in one group of terminals.
    pub(crate) fn is_in_group_of(&self, other: &Place<'_>) -> bool {
        self.card.name == other.card.name && self.group.name() == other.group.name()
    }

    /// The terminal with its card.
    pub(crate) fn full_name(&self) -> String {
        format!("{}.{}", self.card.name, self.terminal)
    }

    /// What tells one terminal from all others.
    pub(crate) fn key(&self) -> (&'a str, &'a str) {
        (&self.card.name, self.terminal)
    }
}

impl Group<'_> {
    pub(crate) fn name(&self) -> &str {
        match self {
            Self::Input(group) => &group.name,
            Self::Output(group) => &group.name,
        }
    }
}
