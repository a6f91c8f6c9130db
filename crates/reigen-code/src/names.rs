//! Names in the code: those of the station where the language has room for them, else changed by a rule.

use std::collections::HashSet;

/// Words that C or structured text keep for themselves, or that the standard blocks and functions have, in lower case.
///
/// One list for both, so that a point has one name whatever it is written in.
const KEPT: &str = "\
    auto break case char const continue default do double else enum extern float for goto if inline int long \
    register restrict return short signed sizeof static struct switch typedef union unsigned void volatile while \
    bool true false int8_t int16_t int32_t int64_t uint8_t uint16_t uint32_t uint64_t main station in out step \
    edge errno stdin stdout stderr null asm line level abs acos action add and andn any array asin at atan \
    bcd_to_int by byte cal class concat configuration constant cos ctd ctu ctud date delete dint div dt dword \
    elsif end_case end_for end_function end_function_block end_if end_program end_repeat end_struct end_type \
    end_var end_while eq exit exp expt f_edge f_trig find final from function function_block ge global gt \
    initial_step insert interface interval jmp ld le left len limit lint ln log lreal lt lword max method mid \
    min mod move mul mux namespace ne non_retain not of on or orn override priority private program protected \
    public r_edge r_trig read_only read_write real ref repeat replace resource ret retain right rol ror round rs \
    sel sema shl shr sin single sint sqrt sr string sub super tan task then this time time_of_day to tod tof ton \
    tp transition trunc type udint uint ulint until using usint var var_access var_config var_external \
    var_global var_in_out var_input var_output var_temp wchar with word wstring xor xorn first_scan scans_passed \
    scan_number the_station station_program clock start work eof bufsiz rand_max exit_failure exit_success \
    linux unix";

/// The names that are taken.
#[derive(Debug, Default)]
pub struct Names {
    /// In lower case: structured text does not tell cases apart.
    taken: HashSet<String>,
    /// Names of the station that could not stay as they are, and what they became.
    pub renamed: Vec<(String, String)>,
}

impl Names {
    /// The name of something of the station: its own, or with a word at its end where that is kept or taken.
    pub fn of_station(&mut self, name: &str, word: &str) -> String {
        let plain = identifier(name);
        let free = !is_kept(&plain) && !self.taken.contains(&plain.to_ascii_lowercase());
        let given = if free { self.take(plain) } else { self.of_code(&format!("{plain}_{word}")) };
        if given != name {
            self.renamed.push((name.to_owned(), given.clone()));
        }
        given
    }

    /// A name for something of the code itself: as wanted, or with a number where that is taken.
    pub fn of_code(&mut self, wanted: &str) -> String {
        let wanted = identifier(wanted);
        let is_free = |name: &String| !is_kept(name) && !self.taken.contains(&name.to_ascii_lowercase());
        let numbered = (2..).map(|number: u64| format!("{wanted}_{number}"));
        let name = std::iter::once(wanted.clone()).chain(numbered).find(is_free);
        self.take(name.unwrap_or(wanted))
    }

    fn take(&mut self, name: String) -> String {
        self.taken.insert(name.to_ascii_lowercase());
        name
    }
}

fn is_kept(name: &str) -> bool {
    KEPT.split_whitespace().any(|kept| kept.eq_ignore_ascii_case(name))
}

/// A name of letters, digits and single underscores, as both languages want it; what else it has becomes an underscore.
fn identifier(name: &str) -> String {
    let mut made = String::new();
    for letter in name.chars() {
        let letter = if letter.is_ascii_alphanumeric() { letter } else { '_' };
        if letter != '_' || !(made.is_empty() || made.ends_with('_')) {
            made.push(letter);
        }
    }
    let made = made.trim_end_matches('_');
    match made.chars().next() {
        None => "unnamed".to_owned(),
        Some(first) if first.is_ascii_digit() => format!("n{made}"),
        Some(_) => made.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_stay_where_they_can_and_are_changed_by_a_rule_where_not() {
        let mut names = Names::default();
        let given: Vec<String> = ["drum", "Drum", "while", "top.bus[3]", "1st", "a__b_", "ton"]
            .iter()
            .map(|name| names.of_station(name, "point"))
            .collect();
        assert_eq!(given, ["drum", "Drum_point", "while_point", "top_bus_3", "n1st", "a_b", "ton_point"]);
        assert_eq!(names.of_code("drum_before"), "drum_before");
        assert_eq!(names.of_code("drum_before"), "drum_before_2");
        assert_eq!(names.renamed.len(), 6, "{:?}", names.renamed);
    }
}
