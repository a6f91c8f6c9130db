//! Names: their form, and the nearest known one to a name that is wrong.

/// Words that the expression syntax keeps for itself, so that no point may be called so.
const RESERVED: [&str; 7] = ["and", "or", "xor", "not", "mod", "true", "false"];

/// Whether `name` has the form of a point's name, `[a-z][a-z0-9_]*`, and is no word of the syntax.
pub fn is_point_name(name: &str) -> bool {
    let mut letters = name.chars();
    letters.next().is_some_and(|first| first.is_ascii_lowercase())
        && letters.all(|letter| letter.is_ascii_lowercase() || letter.is_ascii_digit() || letter == '_')
        && !is_reserved(name)
}

/// Whether `name` is a word that the expression syntax keeps for itself, in either case.
pub fn is_reserved(name: &str) -> bool {
    RESERVED.iter().any(|word| word.eq_ignore_ascii_case(name))
}

/// The known name nearest to `name`, where one is near enough to be what was meant.
///
/// Near enough: at most a third of its letters (at least one, at most three) are to be changed, where two
/// neighbours swapped are one change and upper or lower case is none; and some letter must stay.
pub fn nearest<'a>(name: &str, known: impl IntoIterator<Item = &'a str>) -> Option<&'a str> {
    let wanted = name.to_lowercase();
    let letters = wanted.chars().count();
    let most = (letters / 3).clamp(1, 3).min(letters.saturating_sub(1));
    // Each letter more or less is a change: among a hundred thousand names most are told apart by that alone.
    let is_as_long = |(candidate, _): &(String, &str)| candidate.chars().count().abs_diff(letters) <= most;
    known
        .into_iter()
        .map(|candidate| (candidate.to_lowercase(), candidate))
        .filter(is_as_long)
        .map(|(lower, candidate)| (strsim::osa_distance(&wanted, &lower), candidate))
        .filter(|(distance, _)| *distance <= most)
        .min_by_key(|(distance, _)| *distance)
        .map(|(_, candidate)| candidate)
}

/// A column's name without the unit behind it: `CH1` for `CH1 (V)` or `CH1 [mV]`.
pub fn without_unit(name: &str) -> &str {
    const LONGEST: usize = 6;
    let parted = [('(', ')'), ('[', ']')].into_iter().find_map(|(opens, closes)| {
        let (base, unit) = name.strip_suffix(closes)?.rsplit_once(opens)?;
        let is_unit = !unit.is_empty() && unit.chars().count() <= LONGEST;
        let letters = unit.chars().all(|letter| letter.is_alphabetic() || "/%°·²".contains(letter));
        (is_unit && letters && base.ends_with(' ')).then(|| base.trim_end())
    });
    parted.filter(|base| !base.is_empty()).unwrap_or(name)
}

/// A number and what it counts: `1 edge`, `2 edges`.
pub fn counted(number: u64, what: &str) -> String {
    if number == 1 { format!("1 {what}") } else { format!("{number} {what}s") }
}

/// Names separated by commas: the first few, and how many more there are.
pub fn some_of(names: &[&str]) -> String {
    const MOST: usize = 10;
    let first = names.get(..MOST).unwrap_or(names).join(", ");
    match names.len().checked_sub(MOST) {
        Some(more @ 1..) => format!("{first} and {more} more"),
        _ => first,
    }
}

/// Some of the known names, where none of them is near the one that was given: those that share a word with it
/// first, then as they stand.
pub fn some_for(name: &str, known: &[&str]) -> String {
    let words = |name: &str| -> Vec<String> {
        let parts = name.split(|letter: char| !letter.is_alphanumeric()).filter(|word| word.len() > 1);
        parts.map(str::to_lowercase).collect()
    };
    let wanted = words(name);
    let mut sorted = known.to_vec();
    // Each name is parted into words once, not at each comparison: there may be a hundred thousand.
    sorted.sort_by_cached_key(|candidate| !words(candidate).iter().any(|word| wanted.contains(word)));
    some_of(&sorted)
}

/// Names as a sentence lists them: `a`, `b` or `c`.
pub fn list(names: &[&str]) -> String {
    let quoted: Vec<String> = names.iter().map(|name| format!("`{name}`")).collect();
    match quoted.as_slice() {
        [] => "nothing".to_owned(),
        [only] => only.clone(),
        [first @ .., last] => format!("{} or {last}", first.join(", ")),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_form_of_a_name_is_checked() {
        for (name, good) in [
            ("drum_hall", true),
            ("a1", true),
            ("1a", false),
            ("Drum", false),
            ("a-b", false),
            ("", false),
            ("not", false),
        ] {
            assert_eq!(is_point_name(name), good, "{name}");
        }
    }

    #[test]
    fn a_unit_behind_a_name_is_left_away() {
        for (name, short) in [
            ("CH1 (V)", "CH1"),
            ("TENSION [mA]", "TENSION"),
            ("angle (°/s)", "angle"),
            ("bus[7]", "bus[7]"),
            ("DATA (0)", "DATA (0)"),
            ("(V)", "(V)"),
            ("PB START", "PB START"),
        ] {
            assert_eq!(without_unit(name), short);
        }
    }

    #[test]
    fn names_that_share_a_word_come_first() {
        let known: Vec<String> = (0..20).map(|number| format!("button_{number}")).collect();
        let known: Vec<&str> = known.iter().map(String::as_str).chain(["mill.HALL_DRUM", "drum"]).collect();
        let listed = "button_0, button_1, button_2, button_3, button_4, button_5, button_6, button_7";
        for (name, said) in [
            ("drum_speed", format!("mill.HALL_DRUM, drum, {listed} and 12 more")),
            ("speed", format!("{listed}, button_8, button_9 and 12 more")),
        ] {
            assert_eq!(some_for(name, &known), said);
        }
        assert_eq!(some_for("speed", &["drum"]), "drum");
    }

    #[test]
    fn the_nearest_name_is_near() {
        let known = ["debounce", "line", "asserted"];
        for (name, near) in
            [("debonce", Some("debounce")), ("LINE", Some("line")), ("lien", Some("line")), ("contact", None)]
        {
            assert_eq!(nearest(name, known), near, "{name}");
        }
    }
}
