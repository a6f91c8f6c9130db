//! How a run stands as OpenMetrics text, version 1.0.0.

use crate::snapshot::{Snapshot, Value};
use std::fmt::Write as _;

/// The type of the text.
pub(crate) const CONTENT_TYPE: &str = "application/openmetrics-text; version=1.0.0; charset=utf-8";

/// One family: its name, its type, its help, and each sample with its labels.
struct Family<'a> {
    name: &'a str,
    kind: &'a str,
    help: &'a str,
    samples: Vec<(String, f64)>,
}

/// The text.
pub(crate) fn text(snapshot: &Snapshot) -> String {
    let point_labels = |name: &str, unit: &str| match unit.is_empty() {
        true => format!("point=\"{}\"", escaped(name)),
        false => format!("point=\"{}\",unit=\"{}\"", escaped(name), escaped(unit)),
    };
    let points = snapshot.points.iter().filter_map(|(name, point)| {
        let value = match point.value? {
            Value::Bit(on) => f64::from(u8::from(on)),
            #[expect(clippy::cast_precision_loss, reason = "a metric is a real number")]
            Value::Count(count) => count as f64,
            Value::Reading(reading) => reading,
        };
        Some((point_labels(name, &point.unit), value))
    });
    let stale = snapshot.points.iter().map(|(name, point)| (point_labels(name, ""), f64::from(u8::from(point.stale))));
    let link = |of: fn(&crate::LinkShown) -> u64| {
        #[expect(clippy::cast_precision_loss, reason = "a metric is a real number")]
        let samples =
            snapshot.links.iter().map(|(name, link)| (format!("link=\"{}\"", escaped(name)), of(link) as f64));
        samples.collect::<Vec<_>>()
    };
    #[expect(clippy::cast_precision_loss, reason = "seconds of a run")]
    let seconds = snapshot.time_ns as f64 / 1e9;
    let family = |name, kind, help, samples| Family { name, kind, help, samples };
    let families = [
        family("reigen_run_seconds", "gauge", "How long the run has gone on.", vec![(String::new(), seconds)]),
        family("reigen_point", "gauge", "What each point is; a bit is 0 or 1.", points.collect()),
        family("reigen_point_stale", "gauge", "1 where a point stands on an old value.", stale.collect()),
        family(
            "reigen_link_online",
            "gauge",
            "1 where the device of a link answers.",
            link(|link| u64::from(link.online)),
        ),
        family("reigen_link_passes", "counter", "Passes over a device.", link(|link| link.passes)),
        family("reigen_link_passes_late", "counter", "Passes that were late.", link(|link| link.passes_late)),
        family("reigen_link_downs", "counter", "How often a device was lost.", link(|link| link.downs)),
    ];
    let mut text = String::new();
    families.iter().for_each(|family| write(&mut text, family));
    text.push_str("# EOF\n");
    text
}

fn write(text: &mut String, family: &Family<'_>) {
    let Family { name, kind, help, samples } = family;
    if samples.is_empty() {
        return;
    }
    let _ = writeln!(text, "# TYPE {name} {kind}");
    if let Some(unit) = name.strip_prefix("reigen_run_") {
        let _ = writeln!(text, "# UNIT {name} {unit}");
    }
    let _ = writeln!(text, "# HELP {name} {help}");
    let total = if *kind == "counter" { "_total" } else { "" };
    for (labels, value) in samples {
        let labels = if labels.is_empty() { String::new() } else { format!("{{{labels}}}") };
        let _ = writeln!(text, "{name}{total}{labels} {}", number(*value));
    }
}

/// As the standard wants it, which knows infinities and what is no number.
fn number(value: f64) -> String {
    match value {
        value if value.is_nan() => "NaN".to_owned(),
        value if value.is_infinite() => if value > 0.0 { "+Inf" } else { "-Inf" }.to_owned(),
        value => value.to_string(),
    }
}

fn escaped(text: &str) -> String {
    text.replace('\\', "\\\\").replace('"', "\\\"").replace('\n', "\\n")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{LinkShown, PointShown};

    #[test]
    fn a_snapshot_as_text() {
        let point = |value, unit: &str| PointShown {
            value,
            unit: unit.to_owned(),
            stale: false,
            since_ns: 0,
            settable: false,
            set: None,
        };
        let points = [
            ("lamp", point(Some(Value::Bit(true)), "")),
            ("speed", point(Some(Value::Reading(2.5)), "m\"/s")),
            ("unknown", point(None, "")),
        ];
        let link = LinkShown { online: true, passes: 9, passes_late: 1, downs: 0 };
        let snapshot = Snapshot {
            time_ns: 1_500_000_000,
            points: points.into_iter().map(|(name, point)| (name.to_owned(), point)).collect(),
            links: [("io".to_owned(), link)].into(),
            ..Snapshot::default()
        };
        let text = text(&snapshot);
        for line in [
            "# UNIT reigen_run_seconds seconds",
            "reigen_run_seconds 1.5",
            "reigen_point{point=\"lamp\"} 1",
            "reigen_point{point=\"speed\",unit=\"m\\\"/s\"} 2.5",
            "# TYPE reigen_link_passes counter",
            "reigen_link_passes_total{link=\"io\"} 9",
        ] {
            assert!(text.lines().any(|known| known == line), "{line} in\n{text}");
        }
        assert!(text.ends_with("# EOF\n") && !text.contains("reigen_point{point=\"unknown\""), "{text}");
    }
}
