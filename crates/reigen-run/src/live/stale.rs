//! Which points stand on values that are old: their link is lost, or the device refuses to tell a line.

use super::intake::LinkAccount;
use reigen_core::lines::RecordedLine;
use reigen_station::station::Station;
use reigen_station::station::behind::lines_behind;
use std::collections::HashMap;

/// Which lines are behind each point, and which link each of them is on.
#[derive(Debug, Clone)]
pub struct StaleMap {
    /// For each point the lines behind it, by their numbers among those of the run.
    points: Vec<Vec<usize>>,
    /// For each line its link; `None` for one that any link of the others may tell.
    links: Vec<Option<usize>>,
    /// Links that may tell any line.
    others: Vec<usize>,
}

impl StaleMap {
    /// Of a station on links, of which those that it does not name follow; and the lines of the run.
    pub fn new(station: &Station, links: usize, lines: &[RecordedLine]) -> Self {
        let number_of: HashMap<&str, usize> =
            lines.iter().enumerate().map(|(number, line)| (line.name.as_str(), number)).collect();
        let numbers = |names: &std::collections::BTreeSet<String>| {
            names.iter().filter_map(|name| number_of.get(name.as_str()).copied()).collect()
        };
        let mut of_lines = vec![None; lines.len()];
        for (link, settings) in station.links.iter().enumerate() {
            for (name, _) in settings.protocol.lines() {
                if let Some(slot) = number_of.get(name).and_then(|number| of_lines.get_mut(*number)) {
                    *slot = Some(link);
                }
            }
        }
        let any = |link: &usize| station.links.get(*link).is_none_or(|link| link.protocol.has_any_line());
        Self {
            points: lines_behind(station).iter().map(numbers).collect(),
            links: of_lines,
            others: (0..links).filter(any).collect(),
        }
    }

    /// For each point whether it stands on an old value.
    pub fn of(&self, accounts: &[LinkAccount]) -> Vec<bool> {
        let is_lost = |link: &usize| accounts.get(*link).is_some_and(|told| told.lost_since.is_some());
        let are_others_lost = !self.others.is_empty() && self.others.iter().all(is_lost);
        let is_refused = |line: usize| accounts.iter().any(|told| told.refused_lines.contains(&line));
        let is_old = |line: &usize| match self.links.get(*line).copied().flatten() {
            Some(link) => is_lost(&link) || is_refused(*line),
            None => are_others_lost,
        };
        self.points.iter().map(|lines| lines.iter().any(is_old)).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::live::source::station_lines;
    use reigen_core::time::Nanos;

    #[test]
    fn points_are_old_with_their_own_link_alone() {
        let station = reigen_station::station::parse(
            "[link.io]\nprotocol = 'modbus-tcp'\naddress = 'h:1'\nlines = { A = 'coil 0', B = 'coil 1' }\n\
             [link.printer]\nprotocol = 'lines'\naddress = 'h:2'\n[input.a]\nline = 'A'\n[input.b]\nline = 'B'\n\
             [input.c]\nline = 'C'\n[output.both]\nwhen = 'b AND c'\n",
        )
        .unwrap();
        let lines = station_lines(&station);
        let map = StaleMap::new(&station, 2, &lines);
        let [mut io, mut printer] = [LinkAccount::default(), LinkAccount::default()];
        let old = |io: &LinkAccount, printer: &LinkAccount| map.of(&[io.clone(), printer.clone()]);
        assert_eq!(old(&io, &printer), [false; 4]);
        printer.lost_since = Some(Nanos(5));
        assert_eq!(old(&io, &printer), [false, false, true, true]);
        printer.lost_since = None;
        io.refused_lines.insert(lines.iter().position(|line| line.name == "B").unwrap());
        assert_eq!(old(&io, &printer), [false, true, false, true]);
        io.lost_since = Some(Nanos(9));
        assert_eq!(old(&io, &printer), [true, true, false, true]);
    }
}
