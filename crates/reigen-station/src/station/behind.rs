//! Which lines are behind each point, directly or through others.

use super::Station;
use super::plan::{in_order, reads};
use std::collections::BTreeSet;

/// For each point the lines that it follows from; of a bit of a number the line of that number.
pub fn lines_behind(station: &Station) -> Vec<BTreeSet<String>> {
    let reads = reads(station);
    let mut behind: Vec<BTreeSet<String>> = vec![BTreeSet::new(); station.points.len()];
    for number in in_order(station) {
        let (Some(point), Some(read)) = (station.points.get(number), reads.get(number)) else { continue };
        let own = point.kind.lines().into_iter().map(|line| match line.name.rsplit_once('.') {
            Some((number, bit)) if bit.parse::<u32>().is_ok() => number.to_owned(),
            _ => line.name.clone(),
        });
        let numbers = point.kind.number_lines().into_iter().map(|line| line.name.clone());
        let mut all: BTreeSet<String> = own.chain(numbers).collect();
        for other in read {
            all.extend(behind.get(*other).cloned().unwrap_or_default());
        }
        if let Some(slot) = behind.get_mut(number) {
            *slot = all;
        }
    }
    behind
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::station::parse;

    #[test]
    fn a_point_follows_from_the_lines_of_all_that_it_reads() {
        let station = parse(
            "[latch.running]\nset = 'start'\nreset = 'fault OR io.online'\n[input.start]\nline = 'PB'\n\
             [input.fault]\nline = 'STATUS.3'\n[analog.load]\nline = 'LOAD'\n[output.lamp]\nwhen = 'running AND load > 3'\n\
             [link.io]\nprotocol = 'lines'\naddress = 'h:1'\n",
        )
        .unwrap();
        let behind = lines_behind(&station);
        let of = |name: &str| {
            let number = station.points.iter().position(|point| point.name == name).unwrap();
            behind[number].iter().map(String::as_str).collect::<Vec<_>>()
        };
        assert_eq!(of("running"), ["PB", "STATUS"]);
        assert_eq!(of("lamp"), ["LOAD", "PB", "STATUS"]);
        assert_eq!(of("load"), ["LOAD"]);
    }
}
