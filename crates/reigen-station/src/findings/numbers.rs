//! What a person should know of numbers, holds, delays, registers and analog outputs.

use reigen_core::analog::meter::NumberSummary;
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use reigen_core::number::analog_output::AnalogOutputSummary;
use reigen_core::number::delay::DelaySummary;
use reigen_core::number::hold::HoldSummary;
use reigen_core::number::register::RegisterSummary;
use reigen_core::time::Nanos;
use reigen_core::units::{short_time, significant, significant_to};

/// Findings on a number.
pub(super) fn of_number(name: &str, number: &NumberSummary, findings: &mut Vec<Finding>) {
    let Some(first) = number.first_fault else { return };
    let value = number.first_fault_value.map(|value| format!("{} {}", significant_to(value, 5), number.unit));
    let (what, then) = match &value {
        Some(value) => ("out of its valid range", format!(", where it was {}", value.trim_end())),
        None => ("without a result", ": a division by zero, or a number that is too large".to_owned()),
    };
    let message = format!(
        "{what} {}, for {} in all, first {} after the start{then}",
        counted(number.faults, "time"),
        short_time(number.fault),
        first.place()
    );
    let remedy = "`reigen why` with --at tells what it was made of then";
    findings.push(Finding::warning("number-fault", name, message, remedy).first_at(first));
}

/// Findings on a hold.
pub(super) fn of_hold(name: &str, hold: &HoldSummary, findings: &mut Vec<Finding>) {
    if hold.without_value > 0 {
        let message =
            format!("{} came while the number had no value or was in fault", counted(hold.without_value, "edge"));
        let remedy = "nothing was held there: begin the recording earlier, or check the number's own findings";
        findings.push(Finding::note("nothing-to-hold", name, message, remedy));
    } else if hold.count == 0 {
        let remedy = "record while that edge happens, or check `at` and `edge`";
        findings.push(Finding::note("nothing-held", name, "its edge never came".to_owned(), remedy));
    }
}

/// Findings on a delay.
pub(super) fn of_delay(name: &str, delay: &DelaySummary, findings: &mut Vec<Finding>) {
    if delay.missed > 0 {
        let all = delay.missed + delay.count;
        let message = format!("{} of {all} had no answer before the next one came", delay.missed);
        let remedy = "a `from` that bounces is counted each time: debounce it; else the answer is really missing";
        findings.push(Finding::warning("unanswered", name, message, remedy));
    }
}

/// Findings on a register.
pub(super) fn of_register(name: &str, register: &RegisterSummary, findings: &mut Vec<Finding>) {
    if let Some(first) = register.first_ignored {
        let message = format!(
            "{} left out that no count of these bits can be, first {}",
            counted(register.ignored, "sample"),
            significant(first)
        );
        let remedy = "check `bits` and `signed`, and that the line is a count and no measurement";
        findings.push(Finding::warning("not-a-count", name, message, remedy));
    }
    if register.resets > 0 {
        let message = format!("the count fell {}: the device restarted", counted(register.resets, "time"));
        let remedy = match register.told_by_size {
            // A count that goes more than half round between two samples falls without a restart.
            true => {
                "if it did restart, what it counted since its last sample is lost; if not, it counts more than half of its bits between two samples: read it more often, or add `fastest`"
            }
            false => "what it counted between its last sample and the restart is lost: find out why it restarts",
        };
        findings.push(Finding::warning("register-restarted", name, message, remedy));
    }
}

/// Findings on an analog output.
pub(super) fn of_analog_output(name: &str, output: &AnalogOutputSummary, findings: &mut Vec<Finding>) {
    if output.limited > Nanos(0) {
        let message = format!("held at a limit for {}", short_time(output.limited));
        let remedy = "the number goes beyond its range: widen `range`, or `limits` where the receiver allows it";
        findings.push(Finding::warning("output-limited", name, message, remedy));
    }
    if output.fault > Nanos(0) {
        let message = format!("its number was in fault for {}", short_time(output.fault));
        let remedy = "`on_fault` says what is given out then; mend the number's own finding";
        findings.push(Finding::note("output-in-fault", name, message, remedy));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_healthy_number_is_told_nothing_and_each_fault_by_its_code() {
        let number = |first_fault, first_fault_value| NumberSummary {
            unit: "m".into(),
            last: Some(1.0),
            min: Some(0.0),
            mean: Some(0.5),
            max: Some(1.0),
            fault: Nanos(5),
            faults: 1,
            first_fault,
            first_fault_value,
        };
        let hold = |count, without_value| HoldSummary {
            unit: String::new(),
            count,
            last: None,
            min: None,
            mean: None,
            max: None,
            spread: None,
            without_value,
        };
        let delay = |missed| DelaySummary { count: 3, missed, ..reigen_core::number::delay::DelaySummary::default() };
        let register = |resets, first_ignored: Option<f64>| RegisterSummary {
            count: Some(5),
            samples: 3,
            resets,
            wraps: 1,
            delta: Some(1),
            raw: Some(1),
            value: None,
            unit: None,
            told_by_size: false,
            ignored: u64::from(first_ignored.is_some()),
            first_ignored,
        };
        let output = |limited, fault| AnalogOutputSummary {
            unit: "mA".into(),
            last: Some(4.0),
            min: Some(4.0),
            max: Some(4.0),
            mean: Some(4.0),
            limited: Nanos(limited),
            fault: Nanos(fault),
            state: "measuring".into(),
        };
        type Case<'a> = (Box<dyn Fn(&mut Vec<Finding>)>, &'a [&'a str]);
        let cases: [Case<'_>; 13] = [
            (Box::new(move |told| of_number("x", &number(None, None), told)), &[]),
            (Box::new(move |told| of_number("x", &number(Some(Nanos(3)), None), told)), &["number-fault"]),
            (Box::new(move |told| of_number("x", &number(Some(Nanos(3)), Some(7.0)), told)), &["number-fault"]),
            (Box::new(move |told| of_hold("x", &hold(2, 0), told)), &[]),
            (Box::new(move |told| of_hold("x", &hold(0, 0), told)), &["nothing-held"]),
            (Box::new(move |told| of_hold("x", &hold(2, 1), told)), &["nothing-to-hold"]),
            (Box::new(move |told| of_delay("x", &delay(0), told)), &[]),
            (Box::new(move |told| of_delay("x", &delay(1), told)), &["unanswered"]),
            (Box::new(move |told| of_register("x", &register(0, None), told)), &[]),
            (
                Box::new(move |told| of_register("x", &register(1, Some(2.5)), told)),
                &["not-a-count", "register-restarted"],
            ),
            (Box::new(move |told| of_analog_output("x", &output(0, 0), told)), &[]),
            (Box::new(move |told| of_analog_output("x", &output(1, 0), told)), &["output-limited"]),
            (Box::new(move |told| of_analog_output("x", &output(0, 1), told)), &["output-in-fault"]),
        ];
        for (tell, codes) in cases {
            let mut told = Vec::new();
            tell(&mut told);
            assert!(told.iter().all(|finding| !finding.remedy.is_empty() && !finding.message.is_empty()));
            assert_eq!(told.iter().map(|finding| finding.code).collect::<Vec<_>>(), codes);
        }
    }
}
