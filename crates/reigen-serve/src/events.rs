//! Server-sent events (WHATWG HTML, section 9.2): all points first, then those that have changed.
//!
//! Every reader is told from the newest snapshot what differs from the one that it was told last. Who reads slowly is told less
//! often, and nothing piles up for who does not read at all.

use crate::snapshot::Snapshot;
use axum::response::sse::Event;
use futures_util::stream::{self, Stream};
use serde::Serialize;
use std::collections::BTreeMap;
use std::convert::Infallible;
use std::sync::Arc;
use tokio::sync::watch;

/// What has changed.
#[derive(Serialize)]
struct Changed<'a> {
    time_ns: u64,
    points: BTreeMap<&'a str, &'a crate::PointShown>,
    #[serde(skip_serializing_if = "Option::is_none")]
    problems: Option<&'a [crate::Problem]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    links: Option<&'a BTreeMap<String, crate::LinkShown>>,
}

/// The text of what differs between two snapshots; of the first there is everything.
pub(crate) fn changed(before: Option<&Snapshot>, now: &Snapshot) -> String {
    let differs = |name: &str, point| before.and_then(|before| before.points.get(name)) != Some(point);
    let points = now.points.iter().filter(|(name, point)| differs(name, *point));
    let changed = Changed {
        time_ns: now.time_ns,
        points: points.map(|(name, point)| (name.as_str(), point)).collect(),
        problems: (before.map(|before| &before.problems) != Some(&now.problems)).then_some(&now.problems),
        links: (before.map(|before| &before.links) != Some(&now.links)).then_some(&now.links),
    };
    serde_json::to_string(&changed).unwrap_or_default()
}

/// The events for one reader.
pub(crate) fn stream(newest: watch::Receiver<Arc<Snapshot>>) -> impl Stream<Item = Result<Event, Infallible>> {
    stream::unfold((newest, None::<Arc<Snapshot>>), |(mut newest, told)| async move {
        if told.is_some() {
            // The run is over where nobody makes snapshots any more.
            newest.changed().await.ok()?;
        }
        let now = newest.borrow_and_update().clone();
        let text = changed(told.as_deref(), &now);
        Some((Ok(Event::default().event("points").data(text)), (newest, Some(now))))
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::{PointShown, Value};
    use serde_json::json;

    #[test]
    fn only_what_differs_is_told_again() {
        let point = |value| PointShown {
            value: Some(Value::Count(value)),
            unit: String::new(),
            stale: false,
            since_ns: 0,
            settable: false,
            set: None,
        };
        let snapshot = |time_ns, a, b| Snapshot {
            time_ns,
            points: [("a".to_owned(), point(a)), ("b".to_owned(), point(b))].into(),
            ..Snapshot::default()
        };
        let told = |before: Option<&Snapshot>, now: &Snapshot| {
            serde_json::from_str::<serde_json::Value>(&changed(before, now)).unwrap()
        };
        let (first, second) = (snapshot(1, 1, 1), snapshot(2, 1, 7));
        let all = told(None, &first);
        assert_eq!((all["points"].as_object().unwrap().len(), &all["problems"]), (2, &json!([])));
        let next = told(Some(&first), &second);
        assert_eq!(next["points"].as_object().unwrap().keys().collect::<Vec<_>>(), ["b"]);
        assert_eq!((&next["points"]["b"]["value"], next.get("problems")), (&json!(7), None));
    }
}
