//! What a person should know of the points, from what they did.

use crate::station::{FieldExpression, Point, Station};
use reigen_core::condition::input::InputSummary;
use reigen_core::count::counter::CounterSummary;
use reigen_core::finding::Finding;
use reigen_core::logic::pair::PairSummary;
use reigen_core::names::{counted, list};
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;

mod chain;
mod encoder;
pub mod inputs;
pub mod links;
mod numbers;
mod readings;

/// An input that is on for more than this share of the recording, in percent, may be the wrong way round.
const MOSTLY: u64 = 90;

/// Findings on points, given the name and summary of each and the recording's length.
pub fn of_points<'a>(points: impl IntoIterator<Item = (&'a str, &'a PointSummary)>, duration: Nanos) -> Vec<Finding> {
    let mut findings = Vec::new();
    for (name, summary) in points {
        match summary {
            PointSummary::Input(input) => of_input(name, input, duration, &mut findings),
            PointSummary::Counter(counter) => of_counter(name, counter, &mut findings),
            PointSummary::Pair(pair) => of_pair(name, pair, &mut findings),
            PointSummary::Expander(expander) => chain::of_expander(name, expander, &mut findings),
            PointSummary::Encoder(encoder) => encoder::of_encoder(name, encoder, &mut findings),
            PointSummary::Rate(rate) => readings::of_rate(name, rate, &mut findings),
            PointSummary::Width(width) => readings::of_width(name, width, &mut findings),
            PointSummary::Analog(analog) => readings::of_analog(name, analog, &mut findings),
            PointSummary::Number(number) => numbers::of_number(name, number, &mut findings),
            PointSummary::Hold(hold) => numbers::of_hold(name, hold, &mut findings),
            PointSummary::Delay(delay) => numbers::of_delay(name, delay, &mut findings),
            PointSummary::Register(register) => numbers::of_register(name, register, &mut findings),
            PointSummary::AnalogOutput(output) => numbers::of_analog_output(name, output, &mut findings),
            PointSummary::Expectation(told) if !told.pass => {
                let remedy = "`reigen why` with --at tells the reasons, `reigen verify` the values there";
                let finding = Finding::error("expectation-failed", name, told.detail.clone(), remedy);
                findings.push(Finding { at: told.failed_at, ..finding });
            }
            PointSummary::Bit(_)
            | PointSummary::Word(_)
            | PointSummary::Stats(_)
            | PointSummary::SampleRate(_)
            | PointSummary::Expectation(_) => {}
        }
    }
    findings
}

fn of_input(name: &str, input: &InputSummary, duration: Nanos, findings: &mut Vec<Finding>) {
    if input.last.is_none() {
        return;
    }
    if input.raw_edges == 0 {
        findings.push(Finding::note(
            "no-edges",
            name,
            format!("its line {} never changes in this recording", input.line),
            "actuate it once while recording; if it still does not change, check the wiring",
        ));
        return;
    }
    if input.on_at_first_scan {
        findings.push(Finding::note(
            "on-at-first-scan",
            name,
            "it is on at the first scan: counters and one-shots see no edge there".to_owned(),
            "if that edge should count, begin the recording before it goes on; else check what it starts at power-on",
        ));
    }
    if input.accepted == 0 && input.pending < input.raw_edges {
        findings.push(Finding::warning(
            "nothing-accepted",
            name,
            format!("none of its {} passed the debounce", counted(input.raw_edges, "raw edge")),
            "find the right debounce with `reigen debounce`",
        ));
    }
    if input.pending > 0 {
        findings.push(Finding::note(
            "undecided-at-end",
            name,
            format!("the recording ends before its last {} is decided", counted(input.pending, "raw edge")),
            "record a little longer after the last actuation",
        ));
    }
    if input.on.0.saturating_mul(100) > duration.0.saturating_mul(MOSTLY) {
        findings.push(Finding::note(
            "on-at-rest",
            name,
            format!("it is on for {} of {}", input.on, duration),
            "if it should be off at rest, swap the level of `asserted` or change `contact`",
        ));
    }
}

/// A `.done` that is on for no time at all, read by something that sees levels only; given what each point did.
pub fn done_unseen(station: &Station, points: &[PointSummary]) -> Vec<Finding> {
    let restarts = station.points.iter().zip(points).filter(|(point, summary)| {
        let hit = matches!(summary, PointSummary::Counter(counter) if counter.preset_hits.last().is_some_and(|hits| *hits > 0));
        hit && point.kind.restarts() && station.scan.is_none()
    });
    let readers = |name: &str| -> Vec<&str> {
        let reads = |point: &&Point| {
            // An edge of the point's own column is seen, however short.
            let sees = |key: &str, field: &FieldExpression| {
                point.kind.edge_keys().contains(&key) && field.expression.as_name().is_some()
            };
            point.kind.expressions().iter().any(|(key, field)| !sees(key, field) && names_done(field, name))
        };
        station.points.iter().filter(reads).map(|point| point.name.as_str()).collect()
    };
    restarts
        .filter_map(|(counter, _)| {
            let names = readers(&counter.name);
            (!names.is_empty()).then(|| {
                let message = format!(
                    "`{}.done` is on for zero time because the counter restarts at once: {} reads levels and misses it",
                    counter.name,
                    list(&names)
                );
                let remedy = format!(
                    "stretch it: [oneshot.{0}_reached] of = \"{0}.done\", width = \"100 ms\"; and read that",
                    counter.name
                );
                Finding::warning("done-unseen", &counter.name, message, &remedy)
            })
        })
        .collect()
}

fn names_done(field: &FieldExpression, counter: &str) -> bool {
    field.expression.names().iter().any(|(name, _)| name.point == counter && name.field == "done")
}

fn of_pair(name: &str, pair: &PairSummary, findings: &mut Vec<Finding>) {
    let Some(first) = pair.first_fault else { return };
    let often = counted(pair.faults, "time");
    let message = format!("its two contacts disagreed for too long {often}, first {} after the start", first.place());
    let remedy = "one contact sticks, or its wire is broken: check both contacts and their wires";
    findings.push(Finding::warning("pair-fault", name, message, remedy).first_at(first));
}

fn of_counter(name: &str, counter: &CounterSummary, findings: &mut Vec<Finding>) {
    if counter.value.is_some() && counter.total == 0 {
        findings.push(Finding::note(
            "counts-nothing",
            name,
            "it counted nothing".to_owned(),
            "check that its source changes and that its reset is not held on",
        ));
    }
    let at_end = counter.value.is_some_and(|value| value == i64::MAX || value == i64::MIN);
    if at_end && counter.lost > 0 && counter.limits.is_none() {
        findings.push(Finding::error(
            "count-at-end",
            name,
            format!("it stands at the end of its range, and {} were not counted", counted(counter.lost, "edge")),
            "start it nearer to 0, reset it, or set `limits`",
        ));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::account::Rejected;
    use reigen_core::logic::expect::ExpectSummary;

    fn input(raw_edges: u64, accepted: u64, glitch: u64, pending: u64, on: u64) -> PointSummary {
        PointSummary::Input(InputSummary {
            on_at_first_scan: false,
            line: "PB".to_owned(),
            raw_edges,
            accepted,
            rising: accepted.div_ceil(2),
            falling: accepted / 2,
            rejected: Rejected { glitch, ..Rejected::default() },
            pending,
            last: Some(false),
            on: Nanos(on),
        })
    }

    fn pair(faults: u64) -> PointSummary {
        let first_fault = (faults > 0).then_some(Nanos(5));
        PointSummary::Pair(PairSummary { tally: Default::default(), faults, first_fault })
    }

    fn expectation(pass: bool) -> PointSummary {
        PointSummary::Expectation(ExpectSummary { pass, detail: "did not hold".to_owned(), failed_at: None })
    }

    #[test]
    fn each_finding_has_a_case_that_has_it_and_one_that_just_has_not() {
        let cases = [
            (input(0, 0, 0, 0, 0), vec!["no-edges"]),
            (input(2, 2, 0, 0, 900), vec![]),
            (input(2, 2, 0, 0, 901), vec!["on-at-rest"]),
            (input(4, 0, 4, 0, 0), vec!["nothing-accepted"]),
            (input(4, 0, 0, 4, 0), vec!["undecided-at-end"]),
            (input(4, 2, 2, 0, 0), vec![]),
            (input(3, 2, 0, 1, 0), vec!["undecided-at-end"]),
            (pair(0), vec![]),
            (pair(2), vec!["pair-fault"]),
            (expectation(true), vec![]),
            (expectation(false), vec!["expectation-failed"]),
        ];
        for (summary, codes) in cases {
            let findings = of_points([("button", &summary)], Nanos(1000));
            assert_eq!(findings.iter().map(|finding| finding.code).collect::<Vec<_>>(), codes, "{summary:?}");
            assert!(findings.iter().all(|finding| finding.subject == "button" && !finding.remedy.is_empty()));
        }
    }
}
