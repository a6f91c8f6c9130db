//! The points of a run on one screen: what did something has a row, what did nothing is named in a line.

use crate::table_view::Table;
use crate::tables::{INPUT_HEADS, bit_cells, input_row, numbers, readings};
use reigen_core::condition::input::InputSummary;
use reigen_core::count::counter::CounterSummary;
use reigen_core::logic::pair::PairSummary;
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_core::tally::Tally;
use reigen_core::units::{short_time, significant_to};
use reigen_station::station::Station;

/// More states than these are told in a line.
const FEW_STATES: usize = 6;
/// Of more inputs than these, those without bounce are told in a line.
const FEW_INPUTS: usize = 6;
/// So many names that differ in their number alone are a series.
const SERIES: usize = 4;

/// What an overview consists of, in its order.
#[derive(Debug)]
pub(crate) enum Part {
    /// A table, without the columns that say nothing.
    Table(Table),
    /// A line that belongs to the table before it.
    Under(String),
    /// A line.
    Line(String),
}

/// The overview of a run.
pub(crate) fn overview(station: &Station, points: &[PointSummary]) -> Vec<Part> {
    let mut numbers = Table::new(&["number", "now", "min", "mean", "max", "what else"]);
    numbers.left(5);
    let (mut inputs, mut chains): (Vec<(&str, &InputSummary)>, Vec<String>) = Default::default();
    let (mut states, mut still): (Vec<(&str, &Tally)>, Vec<&str>) = Default::default();
    let named = || station.points.iter().map(|point| point.name.as_str()).zip(points);
    for (name, summary) in named() {
        match summary {
            PointSummary::Input(input) if input.raw_edges > 0 => inputs.push((name, input)),
            PointSummary::Input(_) => still.push(name),
            PointSummary::Bit(tally) | PointSummary::Pair(PairSummary { tally, .. }) => {
                match tally.rising + tally.falling {
                    0 => still.push(name),
                    _ => states.push((name, tally)),
                }
            }
            PointSummary::Expander(chain) if chain.bad_frames == 0 => {}
            PointSummary::Expander(chain) => {
                chains.push(format!("chain {name}: {} of {} bad", chain.bad_frames, counted(chain.frames, "frame")));
            }
            PointSummary::Expectation(_) => {}
            summary => drop(numbers.add_row(number_row(name, summary))),
        }
    }
    let mut parts = told_inputs(&inputs);
    if !numbers.is_empty() {
        parts.push(Part::Table(numbers.without_silent_columns()));
    }
    parts.extend(told_states(&states));
    parts.extend(chains.into_iter().map(Part::Line));
    let all: Vec<&str> = named().filter(|(_, summary)| is_bit(summary)).map(|(name, _)| name).collect();
    parts.extend(told_still(&still, &all).map(Part::Line));
    parts
}

/// Inputs that changed: a table; of many, those that lost no edge in a line below it.
fn told_inputs(inputs: &[(&str, &InputSummary)]) -> Vec<Part> {
    let lost = |input: &InputSummary| input.accepted != input.raw_edges;
    let (rows, clean): (Vec<_>, Vec<_>) =
        inputs.iter().partition(|(_, input)| inputs.len() <= FEW_INPUTS || lost(input));
    let balanced = rows.iter().all(|(_, input)| input.rising == input.falling);
    let mut parts = Vec::new();
    if !rows.is_empty() {
        let mut table = Table::new(&INPUT_HEADS);
        for (name, input) in rows {
            table.add_row(input_row(name, input));
        }
        let wanted = |head: &&str| *head != "accepted" && !(balanced && *head == "went off");
        parts.push(Part::Table(table.of_heads(wanted).without_silent_columns()));
    }
    if !clean.is_empty() {
        let told: Vec<String> = clean.iter().map(|(name, input)| format!("{name} {}×", input.rising)).collect();
        parts.push(Part::Under(format!("went on, all edges accepted: {}", told.join(", "))));
    }
    parts
}

fn is_bit(summary: &PointSummary) -> bool {
    matches!(summary, PointSummary::Input(_) | PointSummary::Bit(_) | PointSummary::Pair(_))
}

/// A number with its range, and what else there is to tell of it.
fn number_row(name: &str, summary: &PointSummary) -> Vec<String> {
    let cells = |now: String, range: [String; 3], rest: Vec<String>| {
        let told: Vec<String> = rest.into_iter().filter(|words| !words.is_empty()).collect();
        [vec![name.to_owned(), now], range.to_vec(), vec![told.join(", ")]].concat()
    };
    let none = || [const { String::new() }; 3];
    let if_any = |number: u64, words: String| if number > 0 { words } else { String::new() };
    match summary {
        PointSummary::Counter(counter) => cells(counter_now(counter), none(), counter_rest(counter)),
        PointSummary::Word(word) => {
            let now = word.value.map_or_else(|| "unknown".to_owned(), |value| format!("{value} = 0x{value:X}"));
            cells(now, none(), vec![counted(word.changes, "change")])
        }
        PointSummary::Encoder(encoder) => {
            let position = encoder.position.map_or_else(|| "unknown".to_owned(), |position| position.to_string());
            let value = readings::position_in_units(encoder);
            let (now, counts) =
                if value.is_empty() { (position, String::new()) } else { (value, format!("{position} counts")) };
            let rest = vec![
                counts,
                if_any(encoder.reversals, counted(encoder.reversals, "reversal")),
                if_any(encoder.index_marks, counted(encoder.index_marks, "index mark")),
                if_any(encoder.illegal, counted(encoder.illegal, "illegal step")),
            ];
            cells(now, none(), rest)
        }
        PointSummary::Rate(rate) => {
            let [now, min, mean, max] = readings::rate_cells(rate);
            cells(
                now,
                [min, mean, max],
                vec![readings::resolution_that_shows(rate), if rate.stopped { "stopped" } else { "" }.to_owned()],
            )
        }
        PointSummary::Width(width) => {
            let shown = |value: Option<f64>| readings::number(value, None);
            let rest = vec![
                if_any(width.lost, format!("{} missing", width.lost)),
                if_any(width.out_of_range, format!("{} out of range", width.out_of_range)),
            ];
            cells(
                readings::with_unit(shown(width.last), &width.unit),
                [width.min, width.mean, width.max].map(shown),
                rest,
            )
        }
        PointSummary::Analog(analog) => {
            let shown = |value: Option<f64>| readings::number(value, None);
            let fault = if_any(analog.fault.0, format!("{} out of range", short_time(analog.fault)));
            cells(
                readings::with_unit(shown(analog.last), &analog.unit),
                [analog.min, analog.mean, analog.max].map(shown),
                vec![fault],
            )
        }
        summary => match numbers::overview(summary) {
            Some((now, range, rest)) => cells(now, range, vec![rest]),
            None => cells(String::new(), none(), Vec::new()),
        },
    }
}

fn counter_now(counter: &CounterSummary) -> String {
    let Some(value) = counter.value else { return "unknown".to_owned() };
    match counter.scaled {
        Some(scaled) => format!("{} {}", significant_to(scaled, 4), counter.unit.as_deref().unwrap_or_default())
            .trim_end()
            .to_owned(),
        None => value.to_string(),
    }
}

fn counter_rest(counter: &CounterSummary) -> Vec<String> {
    let hits = counter.presets.iter().zip(&counter.preset_hits).filter(|(_, hits)| **hits > 0);
    let hits: Vec<String> = hits.map(|(preset, hits)| format!("{preset} reached {hits}×")).collect();
    let if_any = |number: u64, words: &str| if number > 0 { format!("{number} {words}") } else { String::new() };
    vec![
        format!("{} counted", counter.total),
        hits.join(", "),
        if_any(counter.wraps, "wraps"),
        if_any(counter.lost, "lost"),
    ]
}

/// States that changed: a table of a few, a line of many.
fn told_states(states: &[(&str, &Tally)]) -> Option<Part> {
    match states.len() {
        0 => None,
        1..=FEW_STATES => {
            let mut table = Table::new(&["state", "now", "went on", "went off", "time on"]);
            for (name, tally) in states {
                table.add_row(bit_cells(name, tally.last, [tally.rising, tally.falling], tally.on));
            }
            Some(Part::Table(table.without_silent_columns()))
        }
        _ => {
            let told = states.iter().map(|(name, tally)| {
                let still_on = if tally.last == Some(true) { " (on)" } else { "" };
                format!("{name} {}×{still_on}", tally.rising)
            });
            Some(Part::Line(format!("went on: {}", told.collect::<Vec<_>>().join(", "))))
        }
    }
}

/// A name without the number at its end.
fn stem(name: &str) -> &str {
    name.trim_end_matches(|letter: char| letter.is_ascii_digit())
}

/// Points that did nothing, series of them by their count.
fn told_still(still: &[&str], all: &[&str]) -> Option<String> {
    let mut told: Vec<String> = Vec::new();
    let mut stems: Vec<&str> = Vec::new();
    for name in still {
        let stem = stem(name);
        let of_series =
            |names: &[&str]| names.iter().filter(|other| self::stem(other) == stem && **other != stem).count();
        let (quiet, whole) = (of_series(still), of_series(all));
        if quiet < SERIES || stem.is_empty() {
            told.push((*name).to_owned());
        } else if !stems.contains(&stem) {
            stems.push(stem);
            told.push(format!("{quiet} of {whole} {stem}…"));
        }
    }
    (!told.is_empty()).then(|| format!("never changed: {}", told.join(", ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_never_changed_is_told_in_a_line() {
        let bobbins: Vec<String> = (1..=16).map(|number| format!("bobbin_{number}")).collect();
        let all: Vec<&str> = bobbins.iter().map(String::as_str).chain(["spare", "door"]).collect();
        let quiet = |names: &[&str]| told_still(names, &all);
        assert_eq!(quiet(&[]), None);
        assert_eq!(quiet(&["spare", "bobbin_3"]).as_deref(), Some("never changed: spare, bobbin_3"));
        assert_eq!(quiet(&all[..14]).as_deref(), Some("never changed: 14 of 16 bobbin_…"));
        assert_eq!(
            quiet(&[&all[..4], &["spare"][..]].concat()).as_deref(),
            Some("never changed: 4 of 16 bobbin_…, spare")
        );
    }

    #[test]
    fn a_few_states_are_a_table_and_many_a_line() {
        let tally = |rising, last| {
            let mut tally = Tally::default();
            (tally.rising, tally.last) = (rising, Some(last));
            tally
        };
        let (off, on) = (tally(3, false), tally(1, true));
        assert!(told_states(&[]).is_none());
        assert!(matches!(told_states(&[("a", &off)]), Some(Part::Table(_))));
        let many: Vec<(&str, &Tally)> =
            vec![("a", &off), ("b", &on), ("c", &off), ("d", &off), ("e", &off), ("f", &off), ("g", &off)];
        let Some(Part::Line(line)) = told_states(&many) else { panic!("no line") };
        assert!(line.starts_with("went on: a 3×, b 1× (on), c 3×"), "{line}");
    }
}
