//! `poll`: how often an input must be read, and what is missed otherwise.

use super::{SizingError, SizingResult, contradiction, needs};
use reigen_core::units::{Hertz, Seconds, Share};

/// What a polling period is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Poll {
    /// The shortest pulse that must be seen, either level.
    pub shortest: Option<Seconds>,
    /// The period that is there.
    pub period: Option<Seconds>,
    /// How many equal readings in a row are wanted.
    pub readings: u32,
    /// How many bits a shift-register chain has, and its clock.
    pub chain: Option<(u32, Hertz)>,
}

const FORMULAS: [&str; 3] = [
    "period ≤ pulse / readings",
    "share missed = readings − pulse / period, from 0 to 1",
    "time of a chain = bits / clock",
];

impl Poll {
    /// The period that catches the shortest pulse, the share missed at another, the time of a chain.
    ///
    /// # Errors
    /// Where there is nothing to work from.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let mut worked = SizingResult::new("poll", &FORMULAS)
            .given_if("shortest_s", "shortest pulse", self.shortest)
            .given_if("period_s", "period", self.period)
            .given("readings", "readings in a row", u64::from(self.readings))
            .given_if("chain_bits", "bits of the chain", self.chain.map(|(bits, _)| u64::from(bits)))
            .given_if("clock_hz", "clock", self.chain.map(|(_, clock)| clock));
        if self.readings == 0 || self.chain.is_some_and(|(bits, _)| bits == 0) {
            return contradiction("zero readings, or a chain of no bits, sees nothing".to_owned());
        }
        if self.shortest.is_none() && self.chain.is_none() {
            return needs("poll", "the shortest pulse, or a chain's bits and clock");
        }
        let readings = f64::from(self.readings);
        let frame = self.chain.map(|(bits, clock)| Seconds(f64::from(bits) / clock.0));
        if let Some(shortest) = self.shortest {
            let slowest = Seconds(shortest.0 / readings);
            worked.find("slowest_period_s", "slowest period", slowest);
            worked.find("fastest_rate_hz", "least rate", Hertz(1.0 / slowest.0));
            if let Some(frame) = frame.filter(|frame| *frame > slowest) {
                worked.note(format!("a frame takes {frame}, longer than {slowest}: a faster clock is needed"));
            }
        }
        if let Some(frame) = frame {
            worked.find("chain_s", "time of a frame", frame);
        }
        if let (Some(period), Some(shortest)) = (self.period, self.shortest) {
            let missed = (readings - shortest.0 / period.0).clamp(0.0, 1.0);
            worked.find("missed_percent", "share missed", Share(missed));
            worked.find("latest_s", "seen at the latest after", period * readings);
        }
        if let (Some(period), Some(frame)) = (self.period, frame)
            && frame > period
        {
            return contradiction(format!("a frame takes {frame}, longer than the period of {period}"));
        }
        Ok(worked)
    }
}
