//! What there is to tell of links at the end of a live run.

use super::intake::LinkAccount;
use reigen_core::finding::Finding;
use reigen_core::names::counted;
use reigen_core::time::Nanos;
use reigen_core::units::short_time;

/// One pass of so many may be late, and a link held up for such a share of the run, before that is told.
const LATE_SHARE: u64 = 100;
/// A shorter wait is told of no link.
const HELD_UP: Nanos = Nanos(100_000_000);

/// What there is to tell of a link at the end of a run.
pub(super) fn of_link(name: &str, told: &LinkAccount, end: Nanos) -> Vec<Finding> {
    let mut findings = of_device(name, told, end);
    findings.extend(of_messages(name, told));
    findings.extend(of_times(name, told, end));
    findings
}

/// Whether the device was there and did what it was asked.
fn of_device(name: &str, told: &LinkAccount, end: Nanos) -> Vec<Finding> {
    let mut findings = Vec::new();
    if told.downs > 0 {
        let why = told.first_lost.as_deref().unwrap_or_default();
        let (times, down) = (counted(told.downs, "time"), short_time(told.down_until(end)));
        let message = format!("lost {times}, for {down} in all; the first time: {why}");
        let remedy = "check the address (on Modbus also `unit`), the plug and the device; meanwhile its lines kept their last values";
        findings.push(Finding::warning("link-down", name, message, remedy));
    }
    if let Some((first, remedy)) = &told.first_refused {
        let message = format!("the device refused {}, the first: {first}", counted(told.refused, "request"));
        findings.push(Finding::warning("link-exception", name, message, remedy));
    }
    if let Some(what) = &told.driven_twice {
        let message = format!("another program writes to the same device: {what}");
        let remedy = "end one of the two: outputs follow whoever writes last";
        findings.push(Finding::warning("driven-twice", name, message, remedy));
    }
    findings
}

/// Whether what it sent could be read, and all of it arrived.
fn of_messages(name: &str, told: &LinkAccount) -> Vec<Finding> {
    let mut findings = Vec::new();
    if told.malformed > 0 {
        let first = told.first_malformed.as_deref().unwrap_or_default();
        let message = format!("{} could not be read, the first: {first}", counted(told.malformed, "message"));
        let remedy = "check what the device sends: on `lines` an object such as {\"line\":\"PB_START\",\"value\":1}, in registers a number of the link's `type`, on MQTT what `value` and `time` of the line say";
        findings.push(Finding::warning("lines-malformed", name, message, remedy));
    }
    if told.missed > 0 {
        let message = format!("{} came faster than could be read, and are lost", counted(told.missed, "edge"));
        let remedy = "filter the input in hardware, or count it with a counter in hardware";
        findings.push(Finding::warning("edges-lost", name, message, remedy));
    }
    findings
}

/// Whether all came in time.
fn of_times(name: &str, told: &LinkAccount, end: Nanos) -> Vec<Finding> {
    let mut findings = Vec::new();
    if told.late > 0 {
        let message =
            format!("{} arrived later than --lateness allows and count at arrival", counted(told.late, "value"));
        findings.push(Finding::warning("lines-late", name, message, "use a longer --lateness"));
    }
    let all = told.passes.late + told.passes.passes;
    // Any computer is busy with something else now and then: that is no fault of the settings.
    if told.passes.late * LATE_SHARE > all {
        let (late, longest) = (told.passes.late, short_time(told.passes.longest));
        let message =
            format!("{late} of {all} passes skipped: the pass before took longer than `every`, up to {longest}");
        findings.push(Finding::note("passes-late", name, message, "use a longer `every`"));
    }
    if told.held_up > HELD_UP && told.held_up.0.saturating_mul(LATE_SHARE) > end.0 {
        let held_up = short_time(told.held_up);
        let message = format!("sent faster than this computer could work: its messages waited {held_up} in all");
        let remedy = "let the device send only what the station reads, or only changes";
        findings.push(Finding::warning("link-held-up", name, message, remedy));
    }
    if told.restarts > 0 {
        let message = format!("the device's clock went back {}", counted(told.restarts, "time"));
        findings.push(Finding::note("clock-restarted", name, message, "check whether the device restarts"));
    }
    if told.ahead > 0 {
        let message = format!(
            "the device's clock jumped ahead {}: its values counted at arrival then",
            counted(told.ahead, "time")
        );
        findings.push(Finding::note("clock-ahead", name, message, "check what sets the device's clock"));
    }
    findings
}
