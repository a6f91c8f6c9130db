//! `capture`: what a timer's clock, prescaler and width can measure.

use super::{Amount, SizingError, SizingResult, contradiction, needs};
use reigen_core::cast;
use reigen_core::units::{Hertz, Seconds};

/// What a capture timer is worked from.
#[derive(Debug, Clone, Copy)]
pub struct Capture {
    /// The clock before the prescaler.
    pub clock: Hertz,
    /// What it is divided by; without it, one is looked for.
    pub prescale: Option<u64>,
    /// How many bits the counter has.
    pub bits: u32,
    /// A frequency to tell the resolution at.
    pub at: Option<Hertz>,
    /// The slowest frequency that must not wrap, where a prescaler is looked for.
    pub slowest: Option<Hertz>,
}

/// f = clock / (prescale · counts); one count more changes it by f²·tick / (1 + f·tick).
const FORMULAS: [&str; 3] =
    ["tick = prescale / clock", "longest count = 2^bits − 1, wrap after 2^bits", "resolution = f²·tick / (1 + f·tick)"];

/// What one count more changes in a frequency that is timed with a tick.
pub fn resolution(frequency: Hertz, tick: Seconds) -> Hertz {
    Hertz(frequency.0 * frequency.0 * tick.0 / (1.0 + frequency.0 * tick.0))
}

impl Capture {
    /// Tick, wrap, slowest frequency and resolution; or the prescaler for a slowest frequency.
    ///
    /// # Errors
    /// Where there are no bits, or neither prescaler nor slowest frequency is given, or both.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        let mut worked = SizingResult::new("capture", &FORMULAS)
            .given("clock_hz", "clock", self.clock)
            .given_if("prescale", "prescaler", self.prescale)
            .given("bits", "bits", u64::from(self.bits))
            .given_if("at_hz", "at", self.at)
            .given_if("wanted_slowest_hz", "wanted slowest", self.slowest);
        if !(1..=64).contains(&self.bits) {
            return contradiction(format!("a timer cannot have {} bits: use 1 to 64", self.bits));
        }
        let turn = libm::pow(2.0, f64::from(self.bits));
        let prescale = match (self.prescale, self.slowest) {
            (Some(0), _) => return contradiction("a prescaler of 0 stops the clock".to_owned()),
            (Some(prescale), None) => prescale,
            // A period of a whole turn reads as none at all, so it must be shorter.
            (None, Some(slowest)) => {
                let least = cast::u64_from_f64((self.clock.0 / (slowest.0 * turn)).floor()) + 1;
                worked.find("prescale", "least prescaler", least);
                worked.find("prescale_power_of_two", "least power of two", least.next_power_of_two());
                least
            }
            (Some(_), Some(_)) => {
                return contradiction("a prescaler and a slowest frequency are both given: leave one out".to_owned());
            }
            (None, None) => return needs("capture", "a prescaler, or the slowest frequency"),
        };
        let tick = Seconds(prescale as f64 / self.clock.0);
        worked.find("tick_s", "tick", tick);
        worked.find("longest_count", "longest count", Amount::Plain(turn - 1.0, String::new()));
        worked.find("longest_s", "longest period", tick * (turn - 1.0));
        worked.find("wrap_counts", "wraps after counts", Amount::Plain(turn, String::new()));
        worked.find("wrap_s", "wraps after", tick * turn);
        worked.find("slowest_hz", "slowest", Hertz(1.0 / (tick.0 * (turn - 1.0))));
        for at in [self.at, self.slowest].into_iter().flatten().take(1) {
            worked.find("resolution_hz", format!("resolution at {at}"), resolution(at, tick));
            if at.0 * tick.0 * turn <= 1.0 {
                worked.note(format!("{at} is slower than one turn: its counts wrap and it reads as a faster one"));
            }
        }
        Ok(worked)
    }
}
