//! The panel as others are shown it in the network.

use super::state::{Panel, PanelPoint};
use reigen_core::finding::Severity;
use reigen_core::logic::expression::Value;
use reigen_serve::{LinkShown, PointShown, Problem, Snapshot};
use reigen_station::station::set_by_hand::set_line;

impl Panel {
    /// How the run stands; `can_set` says whether outputs may be set by hand.
    pub(crate) fn snapshot(&self, can_set: bool) -> Snapshot {
        let shown = self.points.iter().filter(|point| !point.name.is_empty());
        let problems = self.problems().into_iter().map(|problem| Problem {
            severity: match problem.severity {
                Severity::Error => reigen_serve::Severity::Error,
                Severity::Warning | Severity::Note => reigen_serve::Severity::Warning,
            },
            text: problem.text,
        });
        let links = self.links.iter().map(|(name, told)| {
            let (passes, downs) = (told.passes, told.downs);
            let online = told.was_reached && told.lost_since.is_none();
            (name.clone(), LinkShown { online, passes: passes.passes, passes_late: passes.late, downs })
        });
        Snapshot {
            title: self.title.clone(),
            time_ns: self.now.0,
            drives: self.drives,
            problems: problems.collect(),
            links: links.collect(),
            points: shown.map(|point| (point.name.clone(), self.point(point, can_set))).collect(),
        }
    }

    fn point(&self, point: &PanelPoint, can_set: bool) -> PointShown {
        let value = point.value.map(|value| match value {
            Value::Bit(on) => reigen_serve::Value::Bit(on),
            Value::Integer(count) => reigen_serve::Value::Count(count),
            Value::Real(reading) => reigen_serve::Value::Reading(reading),
        });
        let set = self.lines.get(&set_line(&point.name)).and_then(|line| line.value.as_real());
        PointShown {
            value,
            unit: point.unit.clone(),
            stale: point.is_stale,
            since_ns: point.since.0,
            settable: can_set && point.is_settable,
            // Below 0 it is let go.
            set: set.filter(|set| *set >= 0.0).map(|set| set > 0.5),
        }
    }
}
