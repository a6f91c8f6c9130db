//! What a person should know of rates, widths and analog points.

use reigen_core::analog::meter::AnalogSummary;
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use reigen_core::rate::meter::RateSummary;
use reigen_core::rate::steady::SteadySummary;
use reigen_core::rate::wheel::WheelSummary;
use reigen_core::rate::width::WidthSummary;
use reigen_core::time::Nanos;
use reigen_core::units::{short_time, significant};

/// A mark that comes early or late by more than this share of the spacing, in percent, is told.
const UNEVEN: f64 = 1.0;
/// A swing that is more than this share of all that the wheel gives, in percent, is a wheel out of centre.
const MOSTLY_RIPPLE: f64 = 80.0;

/// Findings on a rate.
pub(super) fn of_rate(name: &str, rate: &RateSummary, findings: &mut Vec<Finding>) {
    if rate.readings == 0 {
        let message = "no reading: fewer than two edges, or too few for one interval".to_owned();
        findings.push(Finding::note("no-reading", name, message, "check that its source changes"));
    }
    if let Some((judgement, better)) = rate.judgement.as_ref().and_then(|told| Some((told, told.better.as_ref()?))) {
        let message = format!(
            "`{}` resolves {} {unit} at {} {unit} and {} {unit} at {} {unit}",
            rate.method,
            significant(judgement.slowest_resolution),
            significant(judgement.slowest),
            significant(judgement.fastest_resolution),
            significant(judgement.fastest),
            unit = rate.unit,
        );
        let sum = format!("one step is up to {} % of the reading", significant(judgement.coarsest * 100.0));
        findings.push(Finding::note("coarse-reading", name, message, better).with_sum(sum));
    }
    if let (Some(zero_after), 1..) = (rate.zero_after, rate.early_stops) {
        let message = format!(
            "{} it fell to 0 but the next edge came within twice `zero_after` ({zero_after})",
            counted(rate.early_stops, "time")
        );
        let remedy = "it may still have been turning: set a longer `zero_after` to see slower speeds";
        findings.push(Finding::note("stops-too-early", name, message, remedy));
    }
    if let (Some(zero_after), 3..) = (rate.zero_after, rate.lone_edges) {
        let message = format!(
            "{} in a row came singly, each more than {zero_after} after the previous one: it turns but reads 0",
            counted(rate.lone_edges, "edge")
        );
        let remedy = "set `zero_after` to twice the longest time between pulses";
        findings.push(Finding::warning("too-slow-to-see", name, message, remedy));
    }
    rate.steady.iter().for_each(|steady| of_steady(name, rate, steady, findings));
    rate.wheel.iter().for_each(|wheel| of_wheel(name, rate, wheel, findings));
}

/// A speed that should have been steady.
fn of_steady(name: &str, rate: &RateSummary, steady: &SteadySummary, findings: &mut Vec<Finding>) {
    let SteadySummary { within_percent, levels, dips, peaks, worst, longest, .. } = steady;
    let band = format!("±{} %", significant(*within_percent));
    if let (0, 10..) = (levels, rate.readings) {
        let message = format!("`steady` is {band}, but never were 7 of 10 readings in a row that close together");
        let remedy = "widen `steady`, or read more slowly: a longer `every` or `window`, or a larger `average`";
        findings.push(Finding::note("never-steady", name, message, remedy));
    }
    let (Some(worst), Some(longest)) = (worst, longest) else { return };
    let all: Vec<String> = [(*dips, "dip"), (*peaks, "peak")]
        .into_iter()
        .filter(|(count, _)| *count > 0)
        .map(|(count, word)| counted(count, word))
        .collect();
    let message = format!(
        "{} beyond {band} of the steady speed: the farthest {} % {} {} after the start, the longest back after {}",
        all.join(" and "),
        significant(worst.percent.abs()),
        if worst.percent < 0.0 { "below it" } else { "above it" },
        worst.at.place(),
        short_time(*longest)
    );
    let misses = rate.wheel.as_ref().is_some_and(|wheel| wheel.missed.iter().any(|missed| *missed > 1));
    let remedy = match misses {
        true => "fix the missed marks first: they cause dips that the shaft does not have",
        false => "check what loads the shaft at that time",
    };
    findings.push(Finding::warning("reading-unsteady", name, message, remedy).first_at(worst.at));
}

fn of_wheel(name: &str, rate: &RateSummary, wheel: &WheelSummary, findings: &mut Vec<Finding>) {
    let marks = wheel.missed.len();
    if let Some(gap) = wheel.regular_gap() {
        let message = format!(
            "{} of {marks} side by side {} missing in every revolution: the wheel has a gap there",
            counted(gap as u64, "mark"),
            if gap == 1 { "is" } else { "are" }
        );
        let remedy = format!("marks = {{ of = {marks}, missing = {gap} }}");
        return push_once(Finding::note("regular-gap", name, message, &remedy), findings);
    }
    for (mark, missed) in wheel.missed.iter().enumerate().filter(|(_, missed)| **missed > 1) {
        let from = wheel.missed_from_hertz.map_or(String::new(), |hertz| {
            format!(", at {} {} and faster", significant(hertz * rate.per_hertz), rate.unit)
        });
        let first =
            wheel.first_missed.map_or(String::new(), |first| format!(", first {} after the start", first.place()));
        let message = format!("mark {} of {marks} was missed {}{from}{first}", mark + 1, counted(*missed, "time"));
        let remedy = "move that mark nearer to the sensor, or replace it; marks are numbered from the first one seen";
        let finding = Finding::warning("mark-missed", name, message, remedy);
        push_once(Finding { at: wheel.first_missed, ..finding }, findings);
    }
    let worst = wheel.late_percent.iter().enumerate().max_by(|(_, one), (_, other)| one.abs().total_cmp(&other.abs()));
    let Some((mark, late)) = worst.filter(|(_, late)| late.abs() >= UNEVEN) else { return };
    let sum = format!(
        "over {} steady revolutions the periods differ by {} %; {} % of that comes from the wheel",
        wheel.revolutions,
        significant(wheel.unrest_percent),
        significant(wheel.from_wheel_percent)
    );
    let remedy = format!("set method = \"period\" and average = {marks} to average it out");
    if marks > 2 && wheel.ripple_share_percent >= MOSTLY_RIPPLE {
        let message = format!("its mark spacing varies by {} % once per revolution", significant(wheel.ripple_percent));
        let remedy = format!("centre the wheel on its shaft; or {remedy}");
        return push_once(Finding::note("wheel-out-of-centre", name, message, &remedy).with_sum(sum), findings);
    }
    let word = if *late > 0.0 { "late" } else { "early" };
    let message = format!("mark {} of {marks} comes {} % of a mark spacing {word}", mark + 1, significant(late.abs()));
    push_once(Finding::note("marks-uneven", name, message, &remedy).with_sum(sum), findings);
}

/// Two rates of one wheel tell of it once.
fn push_once(finding: Finding, findings: &mut Vec<Finding>) {
    let told = |known: &Finding| known.code == finding.code && known.message == finding.message;
    if !findings.iter().any(told) {
        findings.push(finding);
    }
}

/// Findings on a width.
pub(super) fn of_width(name: &str, width: &WidthSummary, findings: &mut Vec<Finding>) {
    if width.readings == 0 && width.out_of_range == 0 {
        let message = "no reading: no pulse began and ended in the recording".to_owned();
        findings.push(Finding::note("no-reading", name, message, "check `level`: high or low"));
    }
    if let (Some(every), 1..) = (width.every, width.lost) {
        let all = width.readings + width.out_of_range + width.lost;
        let message = format!(
            "{} of {all} pulses are missing, the others come every {every}: {} % are lost",
            width.lost,
            significant(width.lost as f64 * 100.0 / all as f64)
        );
        let remedy = "check the angle of the target, and that nothing stands in between";
        findings.push(Finding::warning("echo-lost", name, message, remedy));
    }
    if width.out_of_range > 0 {
        let range = range(width.valid, &width.unit);
        let message = format!("{} out of the valid range{range}: no readings", counted(width.out_of_range, "width"));
        let remedy = "longer pulses are usually echoes that never came, shorter ones glitches";
        findings.push(Finding::warning("out-of-range", name, message, remedy));
    }
}

fn range(valid: Option<[f64; 2]>, unit: &str) -> String {
    valid.map_or(String::new(), |[least, most]| {
        format!(" of {} to {} {unit}", significant(least), significant(most)).trim_end().to_owned()
    })
}

/// Findings on an analog point.
pub(super) fn of_analog(name: &str, analog: &AnalogSummary, findings: &mut Vec<Finding>) {
    if let (Some(first), true) = (analog.first_fault, analog.fault > Nanos(0) || analog.faults > 0) {
        let value = match analog.first_fault_value {
            Some(value) => format!("{} {}", significant(value), analog.unit).trim_end().to_owned(),
            None => "no number".to_owned(),
        };
        let message = format!(
            "out of its valid range{} {}, for {} in all, first {} after the start, where it read {value}",
            range(analog.valid, &analog.unit),
            counted(analog.faults, "time"),
            short_time(analog.fault),
            first.place()
        );
        let remedy = "a 4 to 20 mA loop below its range is broken, above its range shorted: check the wire";
        findings.push(Finding::warning("analog-fault", name, message, remedy).first_at(first));
    }
    if let Some(jumps) = analog.jumps {
        let message = format!(
            "it jumps by up to {}, {} times, first {} after the start; noise {}",
            significant(jumps.largest),
            jumps.count,
            jumps.first.place(),
            significant(jumps.noise)
        );
        let remedy = "a loose wire or a worn slider: move the cable and watch the value; or the line is a switched one";
        findings.push(Finding::note("analog-jumps", name, message, remedy).first_at(jumps.first));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::analog::jumps::JumpsFound;
    use reigen_core::rate::judgement::Judgement;

    fn rate(readings: u64, early_stops: u64, better: Option<&str>, wheel: Option<WheelSummary>) -> RateSummary {
        let judgement = Judgement {
            slowest: 10.0,
            slowest_resolution: 1.0,
            fastest: 90.0,
            fastest_resolution: 1.0,
            delay: Nanos(5),
            coarsest: 0.1,
            better: better.map(str::to_owned),
        };
        RateSummary {
            unit: "rpm".into(),
            readings,
            last: None,
            mean: None,
            min: None,
            max: None,
            resolution: None,
            stopped: true,
            bound: false,
            lone_edges: early_stops * 2,
            steady: None,
            method: "gate",
            judgement: (readings > 0).then_some(judgement),
            wheel,
            early_stops,
            zero_after: Some(Nanos(7)),
            made: None,
            per_hertz: 10.0,
        }
    }

    fn wheel(late: &[f64], missed: &[u64], ripple_share: f64) -> WheelSummary {
        WheelSummary {
            revolutions: 20,
            late_percent: late.to_vec(),
            unrest_percent: 2.0,
            from_wheel_percent: 90.0,
            ripple_percent: 3.0,
            ripple_share_percent: ripple_share,
            missed: missed.to_vec(),
            turns: 40,
            first_missed: Some(Nanos(3)),
            missed_from_hertz: Some(11.3),
        }
    }

    fn codes(find: impl FnOnce(&mut Vec<Finding>)) -> Vec<&'static str> {
        let mut findings = Vec::new();
        find(&mut findings);
        assert!(findings.iter().all(|finding| finding.subject == "x" && !finding.remedy.is_empty()), "{findings:?}");
        findings.iter().map(|finding| finding.code).collect()
    }

    #[test]
    fn each_finding_on_a_rate_has_a_case_that_has_it_and_one_that_just_has_not() {
        let cases = [
            (rate(0, 0, None, None), vec!["no-reading"]),
            (rate(1, 0, None, None), vec![]),
            (rate(9, 0, Some("every = ..."), None), vec!["coarse-reading"]),
            (rate(9, 1, None, None), vec!["stops-too-early"]),
            (rate(9, 2, None, None), vec!["stops-too-early", "too-slow-to-see"]),
            (rate(9, 0, None, Some(wheel(&[0.0, 0.0, 0.0], &[0, 38, 39], 10.0))), vec!["regular-gap"]),
            // Not side by side, and not in every revolution.
            (rate(9, 0, None, Some(wheel(&[0.0; 4], &[38, 0, 39, 0], 10.0))), vec!["mark-missed", "mark-missed"]),
            (rate(9, 0, None, Some(wheel(&[0.9, -0.9, 0.0], &[0, 0, 1], 10.0))), vec![]),
            (rate(9, 0, None, Some(wheel(&[1.0, -0.9, 0.0], &[0, 0, 0], 10.0))), vec!["marks-uneven"]),
            (rate(9, 0, None, Some(wheel(&[1.0, -0.9, 0.0], &[0, 0, 0], 80.0))), vec!["wheel-out-of-centre"]),
            (rate(9, 0, None, Some(wheel(&[0.0, 0.0], &[2, 0], 80.0))), vec!["mark-missed"]),
            // Of two marks a swing is all that there can be.
            (rate(9, 0, None, Some(wheel(&[2.0, -2.0], &[0, 0], 100.0))), vec!["marks-uneven"]),
        ];
        for (rate, wanted) in cases {
            assert_eq!(codes(|findings| of_rate("x", &rate, findings)), wanted, "{rate:?}");
        }
        let told = |findings: &mut Vec<Finding>| {
            let uneven = rate(9, 0, None, Some(wheel(&[4.0, -1.0, 0.0], &[0, 5, 0], 10.0)));
            of_rate("x", &uneven, findings);
            of_rate("x", &uneven, findings);
        };
        assert_eq!(codes(told), ["mark-missed", "marks-uneven"], "two rates of one wheel tell of it once");
    }

    #[test]
    fn each_finding_on_a_width_and_an_analog_point_has_its_case() {
        let width = |readings, out_of_range, lost| WidthSummary {
            unit: "m".into(),
            readings,
            last: None,
            mean: None,
            min: None,
            max: None,
            out_of_range,
            lost,
            every: Some(Nanos(60)),
            valid: Some([0.2, 3.0]),
            raw: None,
        };
        for (width, wanted) in [
            (width(0, 0, 0), vec!["no-reading"]),
            (width(5, 0, 0), vec![]),
            (width(5, 0, 1), vec!["echo-lost"]),
            (width(0, 5, 0), vec!["out-of-range"]),
        ] {
            assert_eq!(codes(|findings| of_width("x", &width, findings)), wanted, "{width:?}");
        }
        let analog = |faults, jumps| AnalogSummary {
            unit: "N".into(),
            last: Some(1.0),
            mean: None,
            min: None,
            max: None,
            fault: Nanos(faults * 10),
            faults,
            first_fault: (faults > 0).then_some(Nanos(4)),
            first_fault_value: None,
            recorded: None,
            measured: None,
            jumps,
            valid: Some([0.0, 5.0]),
        };
        let jumps = Some(JumpsFound { count: 6, first: Nanos(1), largest: 3.0, noise: 0.1 });
        for (analog, wanted) in [
            (analog(0, None), vec![]),
            (analog(1, None), vec!["analog-fault"]),
            (analog(0, jumps), vec!["analog-jumps"]),
        ] {
            assert_eq!(codes(|findings| of_analog("x", &analog, findings)), wanted, "{analog:?}");
        }
    }
}
