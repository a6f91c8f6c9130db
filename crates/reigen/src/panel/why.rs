//! Why a point is as it is: what it reads, and what that is, down to its lines.

use super::causes::Cause;
use super::state::{Panel, PanelPoint};
use reigen_core::logic::expression::Value;
use reigen_core::time::Nanos;
use reigen_core::units::resolved;

/// The deepest that is told.
const DEEPEST: usize = 6;

/// Why a point is as it is, a line each, what it reads below it.
pub(super) fn why(panel: &Panel, number: usize) -> Vec<String> {
    let mut told = Vec::new();
    if let Some(point) = panel.points.get(number) {
        told.push(format!("{}: {}", point.label, words(point)));
        below(panel, number, 1, &mut told);
    }
    told
}

fn below(panel: &Panel, number: usize, depth: usize, told: &mut Vec<String>) {
    let indent = "  ".repeat(depth);
    for cause in panel.causes.get(number).into_iter().flatten() {
        match cause {
            Cause::Line(name) => {
                let state = panel.lines.get(name).map_or("not known yet".to_owned(), |state| {
                    let value = match state.value {
                        Value::Bit(high) => if high { "high" } else { "low" }.to_owned(),
                        value => resolved(value.as_real().unwrap_or_default(), None),
                    };
                    format!("{value} since {}", time(state.since))
                });
                told.push(format!("{indent}line {name}: {state}"));
            }
            Cause::Point { key, number, name } => {
                let Some(point) = panel.points.get(*number) else { continue };
                // The value of a field is not the point's own.
                let of = if *name == point.label { String::new() } else { format!(", and {}", point.label) };
                told.push(format!("{indent}{key} {name}{of}: {}", words(point)));
                if depth < DEEPEST {
                    below(panel, *number, depth + 1, told);
                }
            }
        }
    }
}

fn words(point: &PanelPoint) -> String {
    let old = if point.is_stale { " (old)" } else { "" };
    match point.value {
        None => "not known yet".to_owned(),
        Some(_) => format!("{} since {}{old}", point.words(), time(point.since)),
    }
}

fn time(Nanos(time): Nanos) -> String {
    format!("{:.3} s", Nanos(time).seconds())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::panel::state::tests::winder;

    #[test]
    fn a_point_is_told_down_to_its_lines() {
        let panel = winder();
        let lamp = panel.points.iter().position(|point| point.label == "run_lamp").unwrap();
        let told = why(&panel, lamp).join("\n");
        insta::assert_snapshot!(told);
    }
}
