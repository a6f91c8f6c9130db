//! Points and scales, as a person names them.

use crate::error::RunError;
use reigen_core::names::{nearest, some_for};
use reigen_station::station::Station;

/// The number of a point by its name.
///
/// # Errors
/// Where the station has none of that name.
pub fn number_of(station: &Station, name: &str) -> Result<usize, RunError> {
    let names: Vec<&str> = station.points.iter().map(|point| point.name.as_str()).collect();
    names.iter().position(|known| *known == name).ok_or_else(|| RunError::Request {
        message: format!("the station has no point `{name}`"),
        help: match nearest(name, names.iter().copied()) {
            Some(near) => format!("did you mean `{near}`?"),
            None => format!("points of the station: {}", some_for(name, &names)),
        },
    })
}

/// The numbers of points by their names; of all points where none is named.
///
/// # Errors
/// Where the station has none of a name.
pub fn numbers_of(station: &Station, names: &[String]) -> Result<Vec<usize>, RunError> {
    match names.is_empty() {
        true => Ok((0..station.points.len()).collect()),
        false => names.iter().map(|name| number_of(station, name)).collect(),
    }
}

/// `POINT=LOW..HIGH`.
///
/// # Errors
/// Where it is none, or the station has no such point.
pub fn point_scale(station: &Station, text: &str) -> Result<(usize, (f64, f64)), RunError> {
    let parted = text.split_once('=').and_then(|(name, range)| Some((name, range.split_once("..")?)));
    let Some((name, (low, high))) = parted else {
        return Err(RunError::Request {
            message: format!("`{text}` is no scale of a point"),
            help: "such as --scale spool_turns=0..1000".to_owned(),
        });
    };
    Ok((number_of(station, name)?, parse_scale(&format!("{low}..{high}"))?))
}

/// `LOW..HIGH`.
///
/// # Errors
/// Where it is not two numbers, the lower first.
pub fn parse_scale(text: &str) -> Result<(f64, f64), RunError> {
    let wrong = |message: String| RunError::Request { message, help: "such as --scale 0..1000".to_owned() };
    let value = |text: &str| text.trim().parse::<f64>().ok().filter(|value| value.is_finite());
    let parted = text.split_once("..").and_then(|(low, high)| value(low).zip(value(high)));
    match parted {
        None => Err(wrong(format!("`{text}` is not two numbers"))),
        Some((low, high)) if low >= high => Err(wrong(format!("the scale {low}..{high} is in the wrong order"))),
        Some(scale) => Ok(scale),
    }
}
