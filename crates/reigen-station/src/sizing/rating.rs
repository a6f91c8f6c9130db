//! The standard power ratings of resistors.

use reigen_core::units::Watts;

/// Ratings that resistors are made with, in watts.
const RATINGS: [f64; 6] = [0.063, 0.125, 0.25, 0.5, 1.0, 2.0];

/// The smallest standard rating that a resistor uses by half at most; `None` above the greatest of them.
pub fn standard(power: Watts) -> Option<Watts> {
    RATINGS.into_iter().find(|rating| power.0 <= rating / 2.0 * (1.0 + 1e-9)).map(Watts)
}
