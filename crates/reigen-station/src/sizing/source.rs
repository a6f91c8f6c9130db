//! `source`: the resistance of a source, from how far it sags under a load.

use super::{SizingError, SizingResult, contradiction};
use reigen_core::units::{Amperes, Ohms, Volts};

/// What a source's resistance is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Source {
    /// Its voltage without load.
    pub idle: Volts,
    /// Its voltage with a load.
    pub loaded: Volts,
    /// What that load draws.
    pub current: Amperes,
    /// Another load, to tell the voltage at it.
    pub at: Option<Amperes>,
}

impl Source {
    /// Its resistance, what it gives when shorted, and the voltage at another load.
    ///
    /// # Errors
    /// Where it does not sag, or no current flows.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let mut worked =
            SizingResult::new("source", &["R = (V_idle − V_loaded) / I (Ohm's law)", "V(I) = V_idle − R·I"])
                .given("idle_v", "without load", self.idle)
                .given("loaded_v", "with the load", self.loaded)
                .given("current_a", "current of the load", self.current)
                .given_if("at_a", "another load", self.at);
        if self.current.0 <= 0.0 {
            return contradiction("the current of a load must be above zero".to_owned());
        }
        let lost = self.idle - self.loaded;
        if lost.0 <= 0.0 {
            return contradiction(format!(
                "{} with the load is not below {} without: the source does not sag, so nothing tells its resistance",
                self.loaded, self.idle
            ));
        }
        let resistance = Ohms(lost.0 / self.current.0);
        worked.find("source_ohm", "source resistance", resistance);
        worked.find("sag_percent", "sags by", reigen_core::units::Share(lost / self.idle));
        worked.find("short_circuit_a", "shorted it gives", self.idle / resistance);
        worked.find("dissipation_w", "lost in it", lost * self.current);
        if let Some(at) = self.at {
            let volts = self.idle - at * resistance;
            worked.find("at_v", format!("voltage at {at}"), volts);
            if volts.0 < 0.0 {
                worked.note(format!("{at} is more than it gives even when shorted"));
            }
        }
        Ok(worked)
    }
}
