//! The settings that give the state of a point its meaning.

use super::KINDS;

/// Settings that may change while a count, a position or a state stays what it is: when to act, how far it may go, who stops it,
/// and remarks.
const LEAVE_IT: [&str; 12] = [
    "address", "at_last", "at_limit", "gate", "limits", "load", "load_to", "presets", "remark", "reset", "retain",
    "unit",
];

/// The kind of a point and its settings as they stand in the text of its station, without those that leave its state what it
/// is; as text that is compared with an earlier one. Empty where the station has no such point.
pub fn meaning_of(source: &str, point: &str) -> String {
    let Ok(tables) = source.parse::<toml::Table>() else { return String::new() };
    let of_kind = |kind: &'static str| Some((kind, tables.get(kind)?.get(point)?.as_table()?.clone()));
    let Some((kind, mut settings)) = KINDS.iter().copied().find_map(of_kind) else { return String::new() };
    // A latch is what its inputs made of it: there a reset is a part of the meaning.
    let leaves_it = |key: &str| LEAVE_IT.contains(&key) && !(key == "reset" && matches!(kind, "latch" | "toggle"));
    settings.retain(|key, _| !leaves_it(key));
    format!("{kind} {}", toml::Value::Table(settings))
}

#[cfg(test)]
mod tests {
    use super::meaning_of;

    #[test]
    fn what_leaves_the_state_what_it_is_is_no_part_of_the_meaning() {
        let turns =
            |settings: &str| meaning_of(&format!("[counter.turns]\n{settings}\n[counter.other]\nup = \"b\""), "turns");
        let plain = turns("up = \"a\"\nedge = \"both\"");
        assert_eq!(plain, "counter { edge = \"both\", up = \"a\" }");
        assert_eq!(plain, turns("# faster\nedge = \"both\"\npresets = [5]\nup = \"a\"\nremark = \"x\"\nretain = true"));
        for other in ["up = \"b\"\nedge = \"both\"", "up = \"a\"", "up = \"a\"\nedge = \"both\"\nscale = 0.5"] {
            assert_ne!(plain, turns(other), "{other}");
        }
        let latch = |reset: &str| meaning_of(&format!("[latch.run]\nset = \"a\"\nreset = \"{reset}\""), "run");
        assert_ne!(latch("b"), latch("c"));
        assert_eq!(meaning_of("[counter.turns]\nup = \"a\"", "turn"), "");
    }
}
