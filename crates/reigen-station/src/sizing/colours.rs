//! `colours`: the bands of a resistor, to its value and back (IEC 60062).

use super::series::Series;
use super::{Amount, SizingError, SizingResult, contradiction};
use reigen_core::cast;
use reigen_core::units::{Ohms, Share, significant};
use std::str::FromStr;

/// A colour of a band.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Colour(usize);

/// What a colour means as digit, as power of ten, as tolerance in percent and as drift in ppm/K (IEC 60062, table 1).
type Meaning = (&'static str, Option<u32>, i32, Option<f64>, Option<u32>);

const COLOURS: [Meaning; 13] = [
    ("black", Some(0), 0, None, Some(250)),
    ("brown", Some(1), 1, Some(1.0), Some(100)),
    ("red", Some(2), 2, Some(2.0), Some(50)),
    ("orange", Some(3), 3, Some(0.05), Some(15)),
    ("yellow", Some(4), 4, Some(0.02), Some(25)),
    ("green", Some(5), 5, Some(0.5), Some(20)),
    ("blue", Some(6), 6, Some(0.25), Some(10)),
    ("violet", Some(7), 7, Some(0.1), Some(5)),
    ("grey", Some(8), 8, Some(0.01), Some(1)),
    ("white", Some(9), 9, None, None),
    ("gold", None, -1, Some(5.0), None),
    ("silver", None, -2, Some(10.0), None),
    ("pink", None, -3, None, None),
];

impl Colour {
    fn meaning(self) -> Meaning {
        COLOURS.get(self.0).copied().unwrap_or(("", None, 0, None, None))
    }

    fn find(fits: impl Fn(&Meaning) -> bool) -> Option<Self> {
        COLOURS.iter().position(fits).map(Self)
    }
}

impl std::fmt::Display for Colour {
    fn fmt(&self, formatter: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        formatter.write_str(self.meaning().0)
    }
}

impl FromStr for Colour {
    type Err = String;
    fn from_str(text: &str) -> Result<Self, String> {
        let plain = text.trim().to_lowercase();
        let spelt = match plain.as_str() {
            "gray" => "grey",
            "purple" => "violet",
            plain => plain,
        };
        let names: Vec<&str> = COLOURS.iter().map(|(name, ..)| *name).collect();
        Self::find(|(name, ..)| *name == spelt).ok_or_else(|| {
            match reigen_core::names::nearest(spelt, names.iter().copied()) {
                Some(near) => format!("`{text}` is not a band colour: did you mean `{near}`?"),
                None => format!("`{text}` is not a band colour: {}", reigen_core::names::list(&names)),
            }
        })
    }
}

/// What is asked of the bands.
#[derive(Debug, Clone)]
pub enum Colours {
    /// Which value do these bands mean?
    Bands(Vec<Colour>),
    /// Which bands has this resistor?
    Value {
        /// The value.
        resistance: Ohms,
        /// The tolerance.
        tolerance: Share,
    },
}

const FORMULAS: [&str; 1] = ["value = digits · 10^multiplier (IEC 60062)"];

impl Colours {
    /// The value of bands, or the bands of a value.
    ///
    /// # Errors
    /// Where a colour cannot stand in its place, or a value needs more digits than there are bands.
    pub fn work(&self) -> Result<SizingResult, SizingError> {
        match self {
            Colours::Bands(bands) => from_bands(bands),
            Colours::Value { resistance, tolerance } => from_value(*resistance, *tolerance),
        }
    }
}

/// The resistor that bands mean: its value, its tolerance as a share, and its drift where there is a sixth band.
pub fn read(bands: &[Colour]) -> Result<(Ohms, Share, Option<u32>), SizingError> {
    let digits = match bands.len() {
        3 | 4 => 2,
        5 | 6 => 3,
        number => return contradiction(format!("{number} bands: a resistor has three to six")),
    };
    let mut value = 0;
    for (place, band) in bands.iter().take(digits).enumerate() {
        let Some(digit) = band.meaning().1 else {
            return contradiction(format!("band {} cannot be {band}: it is a digit, black to white", place + 1));
        };
        value = value * 10 + digit;
    }
    if value == 0 {
        return contradiction("all digits are black: that is a wire link, not a resistor".to_owned());
    }
    let at = |place: usize| bands.get(place).map(|band| (*band, band.meaning()));
    let power = at(digits).map_or(0, |(_, meaning)| meaning.2);
    let tolerance = match at(digits + 1) {
        // Without a tolerance band it is 20 % (IEC 60062).
        None if bands.len() == 3 => Share(0.2),
        Some((_, (.., Some(percent), _))) => Share(percent / 100.0),
        Some((band, _)) => return contradiction(format!("band {} cannot be {band}: it is the tolerance", digits + 2)),
        None => return contradiction("the tolerance band is missing".to_owned()),
    };
    let drift = match at(digits + 2) {
        None => None,
        Some((_, (.., Some(drift)))) => Some(drift),
        Some((band, _)) => return contradiction(format!("band 6 cannot be {band}: it is the drift with temperature")),
    };
    let scale = 10f64.powi(power.abs());
    let value = if power < 0 { f64::from(value) / scale } else { f64::from(value) * scale };
    Ok((Ohms(value), tolerance, drift))
}

fn from_bands(bands: &[Colour]) -> Result<SizingResult, SizingError> {
    let names: Vec<String> = bands.iter().map(Colour::to_string).collect();
    let mut worked = SizingResult::new("colours", &FORMULAS).given("bands", "bands", names.join(" "));
    let (value, tolerance, drift) = read(bands)?;
    worked.find("resistance_ohm", "resistance", value);
    worked.find("tolerance_percent", "tolerance", tolerance);
    worked.find("least_ohm", "at least", value * (1.0 - tolerance.0));
    worked.find("most_ohm", "at most", value * (1.0 + tolerance.0));
    if let Some(drift) = drift {
        worked.find("drift_ppm_per_kelvin", "drift", Amount::Plain(f64::from(drift), "ppm/K".to_owned()));
    }
    note_series(value, tolerance, &mut worked);
    Ok(worked)
}

/// Tells a value that is not made in its tolerance.
fn note_series(value: Ohms, tolerance: Share, worked: &mut SizingResult) {
    let series = Series::of_tolerance(tolerance.0);
    // E24 values are made in every finer tolerance too.
    if series.has(value.0) || (tolerance.0 < 0.05 && Series::E24.has(value.0)) {
        return worked.note(format!("a preferred value of {}", if series.has(value.0) { series } else { Series::E24 }));
    }
    worked.note(format!(
        "{value} is not in {series}, where resistors of {tolerance} are made: nearest there is {}; is it read from the other end?",
        Ohms(series.nearest(value.0))
    ));
}

fn from_value(resistance: Ohms, tolerance: Share) -> Result<SizingResult, SizingError> {
    let mut worked = SizingResult::new("colours", &FORMULAS).given("resistance_ohm", "resistance", resistance).given(
        "tolerance_percent",
        "tolerance",
        tolerance,
    );
    let percent = tolerance.0 * 100.0;
    let fits = |meaning: &Meaning| meaning.3.is_some_and(|known| (known - percent).abs() < 1e-9);
    let Some(last) = Colour::find(fits) else {
        return contradiction(format!(
            "no band means {} %: there are 0.01, 0.02, 0.05, 0.1, 0.25, 0.5, 1, 2, 5 and 10 %",
            significant(percent)
        ));
    };
    let power = cast::i32_from_f64(resistance.0.log10().floor());
    let hundreds = (resistance.0 * 10f64.powi(2 - power)).round();
    if (hundreds / 10f64.powi(2 - power) / resistance.0 - 1.0).abs() > 1e-6 {
        return contradiction(format!("a resistor has three digits at most: the nearest to it is {resistance}"));
    }
    let hundreds = cast::u32_from_f64(hundreds);
    // Fine resistors have three digits even where the last is a nought.
    let two = hundreds.is_multiple_of(10) && tolerance.0 > 0.0199;
    let (digits, power) = match two {
        true => (vec![hundreds / 100, hundreds / 10 % 10], power - 1),
        false => (vec![hundreds / 100, hundreds / 10 % 10, hundreds % 10], power - 2),
    };
    let Some(multiplier) = Colour::find(|meaning| meaning.2 == power) else {
        return contradiction(format!("{resistance} is beyond what bands can say"));
    };
    let digits = digits.into_iter().filter_map(|digit| Colour::find(|meaning| meaning.1 == Some(digit)));
    let bands: Vec<String> = digits.chain([multiplier, last]).map(|band| band.to_string()).collect();
    worked.find("bands", "bands", bands.join(" "));
    note_series(resistance, tolerance, &mut worked);
    Ok(worked)
}
