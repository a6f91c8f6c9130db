//! `registers`: how many shift registers read so many switches, and how fast a chain of them is read.

use super::{SizingError, SizingResult, contradiction};
use reigen_core::units::{Hertz, Seconds};

/// A register reads eight inputs.
const INPUTS: u64 = 8;
/// Load, clock and data.
const PINS: u64 = 3;

/// What a chain of registers is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Registers {
    /// How many switches are to be read.
    pub switches: u64,
    /// The clock of the chain.
    pub clock: Hertz,
    /// The shortest pulse that must be seen.
    pub shortest: Option<Seconds>,
    /// The scan that reads the chain once.
    pub scan: Option<Seconds>,
}

impl Registers {
    /// Registers, pins, the time of a frame, and the scan that they bear.
    ///
    /// # Errors
    /// Where there is no switch, or more of them than a chain is built for.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let formulas =
            ["registers = ⌈switches / 8⌉", "time of a frame = 8 · registers / clock", "scan ≤ shortest pulse"];
        let mut worked = SizingResult::new("registers", &formulas)
            .given("switches", "switches", self.switches)
            .given("clock_hz", "clock", self.clock)
            .given_if("shortest_s", "shortest pulse", self.shortest)
            .given_if("scan_s", "scan", self.scan);
        if !(1..=100_000).contains(&self.switches) {
            return contradiction(format!("{} switches: 1 to 100,000 can be read by a chain", self.switches));
        }
        let registers = self.switches.div_ceil(INPUTS);
        let frame = Seconds((registers * INPUTS) as f64 / self.clock.0);
        worked.find("registers", "registers of 8 inputs", registers);
        worked.find("unused_inputs", "inputs left over", registers * INPUTS - self.switches);
        worked.find("pins", "pins of the controller", PINS);
        worked.find("bits", "bits in a frame", registers * INPUTS);
        worked.find("frame_s", "time of a frame", frame);
        worked.find("fastest_scan_s", "scan not below", frame);
        worked.note("the inputs left over are tied to a level, and so is the serial input of the last register");
        if let Some(shortest) = self.shortest {
            worked.find("slowest_scan_s", "scan not above", shortest);
            if frame >= shortest {
                worked.note(format!(
                    "a frame takes {frame}, so pulses of {shortest} are lost: use a faster clock or two chains"
                ));
            }
        }
        if let Some(scan) = self.scan {
            let bears = frame < scan && self.shortest.is_none_or(|shortest| scan < shortest);
            worked.note(match (bears, frame < scan) {
                (true, _) => format!("a scan of {scan} reads the chain in time"),
                (false, true) => format!("a scan of {scan} misses the shortest pulses"),
                (false, false) => format!("a scan of {scan} is over before a frame of {frame} is read"),
            });
        }
        Ok(worked)
    }
}
