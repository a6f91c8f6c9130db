//! What came of a run in one line: how many expectations failed, and how many findings there are.

use reigen_core::finding::{Finding, Severity};
use reigen_core::names::counted;
use reigen_core::summary::PointSummary;
use reigen_run::outcome::Outcome;
use reigen_station::station::Station;
use std::cmp::Reverse;

/// The line: `3 expectations: 1 failed; 8 warnings, 2 notes`.
pub(crate) fn verdict(outcome: &Outcome) -> String {
    let held: Vec<bool> = outcome
        .points
        .iter()
        .filter_map(|point| match point {
            PointSummary::Expectation(told) => Some(told.pass),
            _ => None,
        })
        .collect();
    let differing = outcome.judgements.values().filter(|judgement| !judgement.differences.is_empty()).count();
    let truth = match (outcome.judgements.len(), differing) {
        (0, _) => None,
        (all, 0) => Some(format!("all {} match the truth", counted(all as u64, "point"))),
        (all, differing) => Some(format!("{differing} of {} differ from the truth", counted(all as u64, "point"))),
    };
    [expectations(held.len(), held.iter().filter(|held| !**held).count()), Some(findings(&outcome.findings)), truth]
        .into_iter()
        .flatten()
        .collect::<Vec<_>>()
        .join("; ")
}

/// How many expectations failed; `None` where there are none.
pub(crate) fn expectations(all: usize, failed: usize) -> Option<String> {
    let told = counted(all as u64, "expectation");
    match (all, failed) {
        (0, _) => None,
        (1, 0) => Some(format!("{told}: held")),
        (_, 0) => Some(format!("{told}: all held")),
        (_, failed) => Some(format!("{told}: {failed} failed")),
    }
}

/// How many findings there are of each severity, failed expectations aside.
pub(crate) fn findings(findings: &[Finding]) -> String {
    let count = |severity: Severity| {
        let of = |finding: &&Finding| finding.severity == severity && finding.code != "expectation-failed";
        findings.iter().filter(of).count() as u64
    };
    let words = [Severity::Error, Severity::Warning, Severity::Note].map(|severity| match count(severity) {
        0 => String::new(),
        number => counted(number, severity.word()),
    });
    let told: Vec<String> = words.into_iter().filter(|word| !word.is_empty()).collect();
    if told.is_empty() { "no findings".to_owned() } else { told.join(", ") }
}

/// Findings by weight: errors first; those of one weight in the order of the station's points, then the others.
pub(crate) fn by_weight<'a>(findings: &'a [Finding], station: &Station) -> Vec<&'a Finding> {
    let mut sorted: Vec<&Finding> = findings.iter().collect();
    let place = |finding: &Finding| station.points.iter().position(|point| point.name == finding.subject);
    sorted.sort_by_key(|finding| (Reverse(finding.severity), place(finding).unwrap_or(usize::MAX)));
    sorted
}

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_station::station::parse;

    #[test]
    fn a_verdict_counts_what_failed_and_what_was_found() {
        let finding = |severity, code| Finding { severity, ..Finding::note(code, "a", String::new(), "") };
        let (error, warning) = (Severity::Error, Severity::Warning);
        let failed = finding(error, "expectation-failed");
        for (told, wanted) in [
            (vec![], "no findings"),
            (vec![failed.clone()], "no findings"),
            (
                vec![failed.clone(), finding(error, "x"), finding(warning, "y"), finding(warning, "y")],
                "1 error, 2 warnings",
            ),
            (vec![finding(Severity::Note, "x")], "1 note"),
        ] {
            assert_eq!(findings(&told), wanted);
        }
        for (all, failed, wanted) in [
            (0, 0, None),
            (1, 0, Some("1 expectation: held")),
            (3, 0, Some("3 expectations: all held")),
            (3, 1, Some("3 expectations: 1 failed")),
        ] {
            assert_eq!(expectations(all, failed).as_deref(), wanted);
        }
        let station = parse("[input.a]\nline = 'A'\n[input.b]\nline = 'B'").unwrap();
        let of = |code, subject: &str| Finding { subject: subject.to_owned(), ..finding(warning, code) };
        let mixed = [finding(Severity::Note, "x"), of("y", "r.vcd"), of("z", "b"), of("w", "a"), failed];
        let codes: Vec<&str> = by_weight(&mixed, &station).iter().map(|finding| finding.code).collect();
        assert_eq!(codes, ["expectation-failed", "w", "z", "y", "x"]);
    }
}
