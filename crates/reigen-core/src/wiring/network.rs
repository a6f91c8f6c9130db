//! The voltage at a terminal: what hangs on the wire, and the node that it makes.

use crate::units::{Amperes, Ohms, Volts};

/// Something between the terminal and a known potential.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Arm {
    /// A resistor to a potential.
    Resistor {
        /// What it is, for the sum.
        what: String,
        /// The potential.
        to: Volts,
        /// Its value.
        resistance: Ohms,
    },
    /// A current into the terminal; out of it below zero.
    Source {
        /// What it is, for the sum.
        what: &'static str,
        /// How much.
        current: Amperes,
    },
}

/// What hangs on one terminal.
#[derive(Debug, Clone, Default)]
pub(super) struct Node(pub(super) Vec<Arm>);

impl Node {
    pub(super) fn resistor(&mut self, what: impl Into<String>, to: Volts, resistance: Ohms) {
        self.0.push(Arm::Resistor { what: what.into(), to, resistance });
    }

    pub(super) fn source(&mut self, what: &'static str, current: Amperes) {
        if current.0 != 0.0 {
            self.0.push(Arm::Source { what, current });
        }
    }

    /// The voltage against 0 V by Kirchhoff's law, (Σ Vᵢ/Rᵢ + ΣI) / Σ 1/Rᵢ; `None` where no resistor defines it.
    pub(super) fn voltage(&self) -> Option<Volts> {
        let current = |arm: &Arm| match arm {
            Arm::Resistor { to, resistance, .. } => to.0 / resistance.0,
            Arm::Source { current, .. } => current.0,
        };
        let current: f64 = self.0.iter().map(current).sum();
        let conductance = self.conductance();
        (conductance > 0.0).then(|| Volts(current / conductance))
    }

    /// What all resistors together conduct, in siemens.
    pub(super) fn conductance(&self) -> f64 {
        let of = |arm: &Arm| match arm {
            Arm::Resistor { resistance, .. } => 1.0 / resistance.0,
            Arm::Source { .. } => 0.0,
        };
        self.0.iter().map(of).sum()
    }

    /// What flows into the terminal through everything but the first arm, at a voltage there.
    pub(super) fn current_but_first(&self, at: Volts) -> Amperes {
        let into = |arm: &Arm| match arm {
            Arm::Resistor { to, resistance, .. } => (to.0 - at.0) / resistance.0,
            Arm::Source { current, .. } => current.0,
        };
        Amperes(self.0.iter().skip(1).map(into).sum())
    }

    /// The sum in words: `1.5 mA leakage × 4.7 kΩ = 7.05 V`.
    pub(super) fn sum(&self) -> String {
        let Some(voltage) = self.voltage() else { return "nothing defines the voltage".to_owned() };
        match self.0.as_slice() {
            [Arm::Resistor { to, resistance, .. }, Arm::Source { what, current }]
            | [Arm::Source { what, current }, Arm::Resistor { to, resistance, .. }] => {
                let sign = if current.0 < 0.0 { "−" } else { "+" };
                let drop = format!("{} {what} × {resistance}", Amperes(current.0.abs()));
                match (to.0 == 0.0, current.0 < 0.0) {
                    (true, false) => format!("{drop} = {voltage}"),
                    _ => format!("{to} {sign} {drop} = {voltage}"),
                }
            }
            arms => {
                let words: Vec<String> = arms
                    .iter()
                    .map(|arm| match arm {
                        Arm::Resistor { what, to, resistance } => format!("{what} ({resistance} to {to})"),
                        Arm::Source { what, current } => format!("{} {what}", Amperes(current.0.abs())),
                    })
                    .collect();
                format!("{} = {voltage} at the terminal", words.join(" with "))
            }
        }
    }
}
