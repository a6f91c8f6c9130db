//! What a reading was made of: the edges, the time between them, the sum.

use crate::tables::in_all_bases;
use reigen_core::analog::meter::AnalogSummary;
use reigen_core::count::encoder::homing::Missing;
use reigen_core::count::encoder::summary::EncoderSummary;
use reigen_core::expand::expander::ExpanderSummary;
use reigen_core::expand::word::WordSummary;
use reigen_core::names::counted;
use reigen_core::rate::meter::RateSummary;
use reigen_core::rate::readings::{Basis, BasisKind};
use reigen_core::rate::width::WidthSummary;
use reigen_core::summary::PointSummary;
use reigen_core::time::{Origin, place};
use reigen_core::units::{engineering, resolved, significant};
use reigen_station::station::Point;

/// The lines below a point that has readings; none for others.
pub(super) fn of(point: &Point, summary: Option<&PointSummary>, origin: Origin) -> Vec<String> {
    if let Some((_, levels)) = point.kind.threshold() {
        let [above, below] = [levels.above, levels.below].map(significant);
        return vec![match levels.inverted {
            false => format!("on above {above}, off below {below}, and as it was between the two"),
            true => format!("on below {below}, off above {above}, and as it was between the two"),
        }];
    }
    match summary {
        Some(PointSummary::Expander(expander)) => of_expander(expander, origin),
        Some(PointSummary::Word(word)) => of_word(word),
        Some(PointSummary::Encoder(encoder)) => of_encoder(encoder, origin),
        Some(PointSummary::Rate(rate)) => of_rate(rate, origin),
        Some(PointSummary::Width(width)) => of_width(width, origin),
        Some(PointSummary::Analog(analog)) => of_analog(analog),
        _ => Vec::new(),
    }
}

fn of_rate(rate: &RateSummary, origin: Origin) -> Vec<String> {
    let Some(made) = rate.made else { return vec!["no interval is complete yet, so there is no reading".to_owned()] };
    let Basis { at, edges, from, until, by } = made;
    let time = |time| place(origin.file_time_ns(time));
    let length = until.saturating_sub(from);
    let stretch = format!("from {} to {}", time(from), time(until));
    let times =
        format!("× {} = {}", resolved(rate.per_hertz, None), resolved(rate.last.unwrap_or_default(), rate.resolution));
    let mut lines = vec![match by {
        BasisKind::Counted => format!(
            "{} in the window {stretch}: {edges} / {length} {times} {}",
            counted(edges.unsigned_abs(), "edge"),
            rate.unit
        ),
        BasisKind::Timed => {
            format!("{} {stretch}: {edges} / {length} {times} {}", counted(edges.unsigned_abs(), "interval"), rate.unit)
        }
        BasisKind::Fallen => format!("no edge since {}: not more than 1 / {length} {times} {}", time(from), rate.unit),
        BasisKind::Stopped => {
            let zero_after = rate.zero_after.map_or(String::new(), |zero| format!(" (zero_after is {zero})"));
            format!("no edge since {}: at {} that was {length}{zero_after}, so it is stopped", time(from), time(at))
        }
    }];
    if let Some(step) = rate.resolution {
        lines.push(format!("one step of the measurement more would change it by {} {}", significant(step), rate.unit));
    }
    lines
}

fn of_expander(expander: &ExpanderSummary, origin: Origin) -> Vec<String> {
    let frames = counted(expander.frames, "frame");
    let mut lines = vec![format!("{frames} of {} clocks so far, {} of them bad", expander.bits, expander.bad_frames)];
    lines.extend(expander.bad.last().map(|bad| {
        let at = place(origin.file_time_ns(bad.at));
        format!("the last bad one ended at {at} with {}; its points kept their state", counted(bad.clocks, "clock"))
    }));
    lines
}

fn of_word(word: &WordSummary) -> Vec<String> {
    let named = word.names.iter().zip(&word.bits).rev();
    let bits: Vec<String> = named.map(|(name, on)| format!("{name} {}", u8::from(*on))).collect();
    let shown = word.value.map(|value| format!("{}: {}", in_all_bases(value, word.bits.len()), bits.join(", ")));
    vec![shown.unwrap_or_else(|| "not all of its bits have a level yet".to_owned())]
}

fn of_encoder(encoder: &EncoderSummary, origin: Origin) -> Vec<String> {
    let time = |time| place(origin.file_time_ns(time));
    let mut lines = Vec::new();
    let counts = format!("{} up and {} down", encoder.forward, encoder.backward);
    let since = match encoder.homings.last() {
        Some(homing) => format!("{counts} since the start; last homed at {}", time(homing.at)),
        None if encoder.wants_zero => format!("{counts}, not homed yet, so its position is unknown"),
        None => counts,
    };
    lines.push(since);
    if let Some(position) = encoder.position {
        let value = encoder
            .value
            .map_or(String::new(), |value| format!(", which is {} {}", resolved(value, None), encoder.unit));
        lines.push(format!("position {position}{value}"));
    }
    if let Some((at, forward)) = encoder.last_count {
        lines.push(format!("the last count came at {}, {}", time(at), if forward { "forward" } else { "back" }));
    }
    if let Some(at) = encoder.last_illegal {
        let often = counted(encoder.illegal, "time");
        lines.push(format!("both channels changed at once {often}, last at {}: counts were lost there", time(at)));
    }
    lines.extend(encoder.missing.last().map(|missing| {
        let Missing { from, at, counts, expected } = *missing;
        format!("between the marks at {} and {} there were {counts} counts instead of {expected}", time(from), time(at))
    }));
    lines
}

fn of_width(width: &WidthSummary, origin: Origin) -> Vec<String> {
    let Some((at, raw)) = width.raw else { return vec!["no stretch has begun and ended yet".to_owned()] };
    let ended = place(origin.file_time_ns(at));
    vec![format!("the last pulse ended at {ended} and was {} long", engineering(raw, "s"))]
}

fn of_analog(analog: &AnalogSummary) -> Vec<String> {
    let (Some(recorded), Some(measured)) = (analog.recorded, analog.measured) else { return Vec::new() };
    let recorded_text = resolved(recorded, None);
    vec![match recorded == measured {
        true => format!("recorded {recorded_text}"),
        false => format!("recorded {recorded_text}, which is {} at the terminal", resolved(measured, None)),
    }]
}
