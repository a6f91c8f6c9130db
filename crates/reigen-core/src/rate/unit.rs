//! Units of speed: what one hertz of edges is worth.

use std::fmt;

/// The units that are known by name.
pub const KNOWN: [&str; 4] = ["Hz", "rpm", "m/s", "m/min"];

/// A unit, and what one edge a second is in it.
#[derive(Debug, Clone, PartialEq)]
pub struct Unit {
    /// Its name.
    pub name: String,
    /// What one hertz is worth.
    pub per_hertz: f64,
}

/// What a unit is made from.
#[derive(Debug, Clone, Copy, Default)]
pub struct Travel {
    /// Edges in one revolution.
    pub pulses_per_rev: Option<f64>,
    /// Metres in one revolution.
    pub travel_per_rev: Option<f64>,
    /// Of a unit of one's own: its units in one revolution, or for one edge where no revolution is told.
    pub factor: Option<f64>,
}

/// Why a unit cannot be worked.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum UnitError {
    /// A unit that counts revolutions.
    #[error("`{0}` needs `pulses_per_rev`: how many pulses one revolution gives")]
    NoPulses(String),
    /// A unit that counts metres.
    #[error("`{0}` needs `travel_per_rev`: how many metres one revolution moves")]
    NoTravel(String),
    /// A name that is not known.
    #[error("unknown unit `{0}`, and no `factor` to define it")]
    Unknown(String),
    /// A known unit with a factor.
    #[error("`factor` defines units of your own, but `{0}` is a known unit")]
    Factor(String),
}

impl UnitError {
    /// What to do about it.
    pub fn help(&self) -> String {
        match self {
            Self::NoPulses(_) => "add pulses_per_rev = 6, or as many as there are".to_owned(),
            Self::NoTravel(_) => "add travel_per_rev = 0.5, or as many metres as it is".to_owned(),
            Self::Unknown(unit) => format!(
                "write `{}`, or define your own: unit = \"{unit}\" with factor = 60 is pulses per minute, factor = 3600 per hour",
                KNOWN.join("`, `")
            ),
            Self::Factor(_) => "remove `factor`, or give the unit a name of your own".to_owned(),
        }
    }
}

impl Unit {
    /// Makes a unit from its name.
    ///
    /// rpm = 60·f / pulses_per_rev; m/s = f / pulses_per_rev · travel_per_rev.
    ///
    /// # Errors
    /// Where what it needs is not told.
    pub fn new(name: &str, travel: Travel) -> Result<Self, UnitError> {
        let pulses = || travel.pulses_per_rev.ok_or_else(|| UnitError::NoPulses(name.to_owned()));
        let metres = || {
            let pulses = pulses()?;
            travel.travel_per_rev.map(|travel| travel / pulses).ok_or_else(|| UnitError::NoTravel(name.to_owned()))
        };
        if let (true, Some(_)) = (KNOWN.contains(&name), travel.factor) {
            return Err(UnitError::Factor(name.to_owned()));
        }
        let per_hertz = match (name, travel.factor) {
            ("Hz", _) => 1.0,
            ("rpm", _) => 60.0 / pulses()?,
            ("m/s", _) => metres()?,
            ("m/min", _) => metres()? * 60.0,
            (_, Some(factor)) => factor / travel.pulses_per_rev.unwrap_or(1.0),
            _ => return Err(UnitError::Unknown(name.to_owned())),
        };
        Ok(Self { name: name.to_owned(), per_hertz })
    }
}

impl fmt::Display for Unit {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.name)
    }
}
