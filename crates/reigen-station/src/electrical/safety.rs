//! Contacts whose wiring must be safe: a broken wire stops, and the two sides of a changeover contact are told apart.

use super::WiringFinding;
use crate::station::{Kind, Point, Station};
use crate::wiring::connection::{ReadAs, Role, Wired};
use reigen_core::condition::input::Contact;
use reigen_core::finding::Finding;
use reigen_core::logic::expression::{Expression, Node};

/// Checks the roles of all inputs and the pairs of changeover contacts.
pub(super) fn check(station: &Station, found: &mut Vec<WiringFinding>) {
    for point in &station.points {
        if let Some(wired) = point.kind.wired().filter(|wired| wired.role == Some(Role::Stop)) {
            check_stop(point, wired, true, None, found);
        }
        if point.kind.runs() {
            check_reset(station, point, found);
        }
        check_pair(station, point, found);
    }
}

/// What resets a point that runs something.
fn check_reset(station: &Station, latch: &Point, found: &mut Vec<WiringFinding>) {
    let resets = latch.kind.expressions().into_iter().filter(|(key, _)| *key == "reset");
    let mut names = Vec::new();
    resets.for_each(|(_, reset)| on_when_true(&reset.expression, true, &mut names));
    for (name, on) in names {
        let point = station.points.iter().find(|point| point.name == name);
        let input = point.and_then(|point| Some((point, point.kind.wired()?)));
        // A point with the role is told by itself.
        if let Some((point, wired)) = input.filter(|(_, wired)| wired.role != Some(Role::Stop)) {
            check_stop(point, wired, on, Some(&latch.name), found);
        }
    }
}

/// The points that make an expression true, each with whether it does by being on.
fn on_when_true<'a>(expression: &'a Expression, on: bool, names: &mut Vec<(&'a str, bool)>) {
    match &expression.node {
        Node::Name(name) if name.field.is_empty() => names.push((&name.point, on)),
        Node::Not(operand) => on_when_true(operand, !on, names),
        Node::Binary(_, left, right) => {
            on_when_true(left, on, names);
            on_when_true(right, on, names);
        }
        Node::Name(_) | Node::Literal(_) | Node::Minus(_) | Node::Call(..) => {}
    }
}

/// A stop whose contact must open: with a broken wire its point must do what it does when the stop is pressed.
fn check_stop(point: &Point, wired: &Wired, by_being_on: bool, latch: Option<&str>, found: &mut Vec<WiringFinding>) {
    let ReadAs::Input { contact, .. } = wired.read_as else { return };
    // Without current a NO contact is off and a NC contact on.
    let safe = if by_being_on { Contact::NormallyClosed } else { Contact::NormallyOpen };
    if contact == safe {
        return;
    }
    let what = latch.map_or("it stops".to_owned(), |latch| format!("it resets `{latch}`, which runs"));
    let message = format!("{what}, and its contact is {contact}: with a broken wire it never stops");
    let state = if by_being_on { "off" } else { "on" };
    let sum = format!(
        "without current, a {contact} contact reads {state}, as if stop were not pressed (IEC 60204-1: stop by opening)"
    );
    let remedy = match by_being_on {
        true => "use the NC contact, and write contact = \"NC\"".to_owned(),
        false => format!("use a contact that opens to stop, and write contact = \"{safe}\""),
    };
    found.push(WiringFinding::plain(Finding::error("fail-safe", &point.name, message, &remedy).with_sum(sum)));
}

/// A pair whose sides are of the wrong contact.
fn check_pair(station: &Station, pair: &Point, found: &mut Vec<WiringFinding>) {
    if !matches!(pair.kind, Kind::Pair(_)) {
        return;
    }
    for (key, expression) in pair.kind.expressions() {
        let (right, word) = if key == "no" { (Contact::NormallyOpen, "NO") } else { (Contact::NormallyClosed, "NC") };
        let Some(name) = expression.expression.as_name() else { continue };
        let point = station.points.iter().find(|point| point.name == name.point);
        let Some(ReadAs::Input { contact, .. }) =
            point.and_then(|point| point.kind.wired()).map(|wired| &wired.read_as)
        else {
            continue;
        };
        if *contact != right {
            let message = format!("its side `{key}` is `{}`, whose contact is {contact}", name.point);
            let sum = "both sides are on while the switch is actuated: the NO side closed, the NC side open".to_owned();
            let remedy = format!("write contact = \"{word}\" for `{}`, or swap `no` and `nc`", name.point);
            found.push(WiringFinding::plain(Finding::error("pair-sides", &pair.name, message, &remedy).with_sum(sum)));
        }
    }
}
