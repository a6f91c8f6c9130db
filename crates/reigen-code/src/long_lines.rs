//! Statements that are too long for a line.

/// So many letters fit into a line.
const WIDTH: usize = 110;

/// A statement at a depth, broken before operators where it is too long; what follows stands deeper.
pub(crate) fn broken(text: &str, depth: usize, operators: &[&str]) -> String {
    let (mut made, mut rest) = (String::new(), text);
    let mut room = WIDTH.saturating_sub(4 * depth);
    while rest.chars().count() > room {
        let fits = rest.char_indices().nth(room).map_or(rest.len(), |(place, _)| place);
        let within = rest.get(..fits).unwrap_or(rest);
        let Some(place) =
            operators.iter().filter_map(|operator| within.rfind(operator)).max().filter(|place| *place > 0)
        else {
            break;
        };
        let (line, after) = rest.split_at(place);
        made.push_str(line);
        made.push('\n');
        made.push_str(&"    ".repeat(depth + 2));
        rest = after.trim_start();
        room = WIDTH.saturating_sub(4 * (depth + 2));
    }
    made + rest
}
