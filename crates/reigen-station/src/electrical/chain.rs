//! The wires of a shift-register chain: do its levels fit?

use super::WiringFinding;
use crate::station::Station;
use crate::wiring::card::{InputGroup, Mode, OutputGroup};
use crate::wiring::chain::{ChainSignal, ChainWiring};
use crate::wiring::names::NameIndex;
use crate::wiring::place::{Group, Place};
use crate::wiring::supply::Supply;
use reigen_core::finding::Finding;
use reigen_core::units::Volts;

/// Input levels of registers as shares of their supply (JESD8C), which is what their data sheets state.
const HIGH: f64 = 0.7;

/// Checks the wires of all chains.
pub(super) fn check(station: &Station, named: &NameIndex<'_>, found: &mut Vec<WiringFinding>) {
    for point in &station.points {
        let Some(chain) = point.kind.chain() else { continue };
        for (signal, terminal) in chain.signals() {
            let Some(place) = named.places(terminal.get_ref()).next() else { continue };
            let wire = Wire { name: &point.name, signal, place, chain };
            match (signal, place.group) {
                (ChainSignal::Data, Group::Input(group)) => wire.check_data(group, found),
                (ChainSignal::Data, Group::Output(_)) => wire.wrong_side("the registers drive data", "an input", found),
                (_, Group::Output(group)) => wire.check_driven(group, found),
                (_, Group::Input(_)) => wire.wrong_side("the controller drives it", "an output", found),
            }
        }
    }
}

/// One wire of a chain.
struct Wire<'a> {
    name: &'a str,
    signal: ChainSignal,
    place: Place<'a>,
    chain: &'a ChainWiring,
}

impl Wire<'_> {
    fn supply(&self) -> Supply {
        self.chain.supply.map_or(self.place.card.supply, |own| own.merged(&self.place.card.supply))
    }

    fn wrong_side(&self, why: &str, right: &str, found: &mut Vec<WiringFinding>) {
        let (word, terminal) = (self.signal.word(), self.place.terminal);
        let message = format!("its {word} is on the terminal `{terminal}`; {why}, so it needs {right}");
        let remedy = format!("give {word} a terminal of {right}");
        found.push(WiringFinding::plain(Finding::error("wrong-mode", self.name, message, &remedy)));
    }

    /// Levels that the controller gives to the registers.
    fn check_driven(&self, group: &OutputGroup, found: &mut Vec<WiringFinding>) {
        let (registers, drives, word) = (self.supply(), group.supply, self.signal.word());
        if drives.is_same(&registers) {
            return;
        }
        let (least, most) = (drives.range.least, drives.range.most);
        if most > registers.range.least + 1e-9 && drives.nominal.0 > registers.nominal.0 {
            let message = format!("{word} comes with up to {} to registers fed with {registers}", Volts(most));
            let sum = format!("{} > {}", Volts(most), Volts(registers.range.least));
            let remedy = format!("feed the registers with {drives}, or fit a level converter in {word}");
            found.push(WiringFinding::plain(Finding::error("over-voltage", self.name, message, &remedy).with_sum(sum)));
        }
        let needed = HIGH * registers.range.most;
        if least < needed {
            let message = format!(
                "{word} rises to {} only, and registers fed with {registers} need {}",
                Volts(least),
                Volts(needed)
            );
            let sum = format!("0.7 × {} = {}", Volts(registers.range.most), Volts(needed));
            let remedy = format!("feed the registers with {drives}, or fit a level converter in {word}");
            found.push(WiringFinding::plain(Finding::error("never-on", self.name, message, &remedy).with_sum(sum)));
        }
    }

    /// The level that the registers give to the controller.
    fn check_data(&self, group: &InputGroup, found: &mut Vec<WiringFinding>) {
        let registers = self.supply();
        if group.mode != Mode::Digital {
            self.wrong_side("data has two levels", "a digital input", found);
            return;
        }
        // Equal supplies are one supply, and rise and fall together.
        let together = registers.is_same(&group.supply);
        let at = |supply: f64| if together { supply } else { group.supply.nominal.0 };
        let most = group.most.at(if together { registers.range.most } else { group.supply.range.least });
        if registers.range.most > most + 1e-9 {
            let message = format!(
                "data comes with up to {} to a terminal rated for {}",
                Volts(registers.range.most),
                Volts(most)
            );
            let remedy = format!("feed the registers with {}, or fit a level converter in data", group.supply);
            found.push(WiringFinding::plain(Finding::error("over-voltage", self.name, message, &remedy)));
        }
        let needed = group.on_above.at(at(registers.range.least));
        if registers.range.least < needed - 1e-9 {
            let message = format!(
                "data rises to {} only, and the terminal is certainly high only at {}",
                Volts(registers.range.least),
                Volts(needed)
            );
            let remedy = format!("feed the registers with {}, or fit a level converter in data", group.supply);
            found.push(WiringFinding::plain(Finding::error("never-on", self.name, message, &remedy)));
        }
    }
}
