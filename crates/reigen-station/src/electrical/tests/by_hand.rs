//! Circuits that were solved by hand: what stands at the terminal while actuated and while not, least and greatest.

use super::super::check;
use super::super::circuit::{Draw, Input, State};
use super::super::network::Solution;
use super::on_input;
use crate::station::parse;
use crate::wiring::range::Range;
use proptest::prelude::*;

/// What it is; the sensor, the card's supply, the group, the input; actuated and resting volts.
type Circuit = (&'static str, &'static str, &'static str, &'static str, &'static str, [f64; 2], [f64; 2]);

const CIRCUITS: &[Circuit] = &[
    // 24 V are 19.2 to 30 V; off, the input is between its common and nothing.
    ("a contact on type 1", "output = \"contact\"", "24 V", "standard = \"type 1\"", "", [19.2, 30.0], [0.0, 0.0]),
    // The drop is 0 to 2.5 V.
    (
        "a PNP output",
        "output = \"pnp\"\ndrop = \"2.5 V\"",
        "24 V",
        "standard = \"type 1\"",
        "",
        [16.7, 30.0],
        [0.0, 0.0],
    ),
    // ±5 % where nothing else is stated; the pull-up brings the open contact to the supply.
    (
        "a button to 0 V with a pull-up",
        "output = \"contact\"",
        "3.3 V",
        "pull_up = { value = \"10k\" }",
        "asserted = \"low\"",
        [0.0, 0.0],
        [3.135, 3.465],
    ),
    // 10 µA through 10.5 kΩ lose 0.105 V at the least supply.
    (
        "an open collector that leaks",
        "output = \"open_collector\"\nleakage = \"10 uA\"\ndrop = \"0.4 V\"",
        "3.3 V",
        "pull_up = { value = \"10k\" }",
        "asserted = \"low\"",
        [0.0, 0.4],
        [3.03, 3.465],
    ),
    // 20k / (10k + 20k): least 19k / 29.5k of 4.75 V, most 21k / 30.5k of 5.25 V.
    (
        "a divider",
        "output = \"push_pull\"",
        "5 V",
        "most = \"5.5 V\"\non_above = \"2.5 V\"\noff_below = \"1 V\"",
        "wire = [{ series = \"10k\" }, { pull_down = \"20k\" }]",
        [3.059_322, 3.614_754],
        [0.0, 0.0],
    ),
    // The sensor's own pull-up to 5 V, 10k in the wire, 20k to 0 V: 20/40 of it with all values turned to one side.
    (
        "an open collector with its own pull-up over a divider",
        "output = \"open_collector\"\npull_up = \"10k\"",
        "5 V",
        "most = \"5.5 V\"\non_above = \"2 V\"\noff_below = \"1 V\"",
        "asserted = \"low\"\nwire = [{ series = \"10k\" }, { pull_down = \"20k\" }]",
        [0.0, 0.0],
        [4.75 * 19.0 / 40.0, 5.25 * 21.0 / 40.0],
    ),
    // The guide's circuit: 10 µA of leakage flow through the sensor's own pull-up alone.
    (
        "a Hall sensor over a divider on a pin of 3.3 V",
        "output = \"open_collector\"\npull_up = \"10k\"\nleakage = \"10 uA\"",
        "3.3 V",
        "",
        "asserted = \"low\"\nwiring = { supply = \"5 V\" }\nwire = [{ series = \"4.7k\" }, { pull_down = \"18k\" }]",
        [0.0, 0.0],
        [2.441_355, 3.019_169],
    ),
    // A stated range and an exact tolerance: 12/(12 + 4.7) of 22 to 26 V.
    (
        "stated ranges",
        "output = \"pnp\"",
        "24 V\"\n# the range is stated below\n#\"",
        "supply = [\"22 V\", \"26 V\"]\nmost = \"30 V\"\non_above = \"10 V\"\noff_below = \"5 V\"",
        "wiring = { supply = [\"22 V\", \"26 V\"] }\nwire = [{ series = \"4.7k\", tolerance = \"0 %\" }, { pull_down = \"12k\", tolerance = \"0 %\" }]",
        [22.0 * 12.0 / 16.7, 26.0 * 12.0 / 16.7],
        [0.0, 0.0],
    ),
    // 500 m of 0.25 mm²: 34.5 Ω a wire; 52 mA flow in the sensor's plus, 2 mA in its output.
    (
        "a long cable that carries the sensor's own current",
        "output = \"pnp\"\ncurrent = \"50 mA\"",
        "24 V",
        "standard = \"type 1\"",
        "cable = \"500 m\"",
        [19.2 - 0.052 * 2000.0 / 58.0 - 0.002 * 2000.0 / 58.0, 30.0 - 0.052 * 2000.0 / 58.0 - 0.002 * 2000.0 / 58.0],
        [0.0, 0.0],
    ),
    // A logic output called 3.3 V on a 3.3 V pin follows its supply.
    (
        "a logic output",
        "output = \"logic\"\nhigh = \"3.3 V\"\nlow = \"0.2 V\"",
        "3.3 V",
        "",
        "",
        [3.135, 3.465],
        [0.2, 0.2],
    ),
    // The common at plus: on, the terminal is drawn to 0 V plus the drop; off, it is at plus.
    (
        "an NPN output on a common at plus",
        "output = \"npn\"\ndrop = \"1.5 V\"",
        "24 V",
        "standard = \"type 1\"\ncommon = \"plus\"",
        "asserted = \"low\"",
        [0.0, 1.5],
        [24.0, 24.0],
    ),
    // A converter from 5 V drives its other side, whatever the sensor's pull-up gives.
    (
        "a level converter",
        "output = \"open_collector\"\npull_up = \"4.7k\"",
        "3.3 V",
        "",
        "asserted = \"low\"\nwiring = { supply = \"5 V\" }\nwire = [{ converter = \"level\", from = \"5 V\", to = \"3.3 V\" }]",
        [0.0, 0.0],
        [3.135, 3.465],
    ),
];

#[test]
fn the_circuits_agree_with_the_solutions_by_hand() {
    for (what, sensor, supply, group, input, actuated, resting) in CIRCUITS {
        let station = on_input(sensor, supply, group, input);
        let parsed = parse(&station).unwrap_or_else(|errors| panic!("{what}: {errors:?}\n{station}"));
        let checked = check(&parsed);
        assert!(checked.findings.is_empty(), "{what}: {:?}", checked.findings);
        let row = checked.terminals.iter().find(|row| row.point.as_deref() == Some("a")).unwrap();
        let near = |range: Option<Range>, wanted: [f64; 2]| {
            let range = range.unwrap_or_else(|| panic!("{what}: no level"));
            [(range.least, wanted[0]), (range.most, wanted[1])]
                .iter()
                .all(|(found, wanted)| (found - wanted).abs() < 1e-3)
        };
        assert!(near(row.actuated_v, *actuated), "{what}, actuated: {:?}, and {actuated:?} by hand", row.actuated_v);
        assert!(near(row.resting_v, *resting), "{what}, resting: {:?}, and {resting:?} by hand", row.resting_v);
    }
}

proptest! {
    /// A wire with more quantities than are combined freely has the same range, to a hundredth of a volt, as with all of
    /// them combined: those that are moved together are those that hardly move it.
    #[test]
    fn quantities_that_move_together_reach_the_same_voltages(
        parts in prop::collection::vec((0..3usize, 2.0..5.5f64), 8),
        conducting in any::<bool>(),
    ) {
        let part = |(kind, power): &(usize, f64)| {
            let ohms = 10f64.powf(*power);
            match kind {
                0 => format!("{{ series = \"{ohms:.0}\" }}"),
                1 => format!("{{ pull_up = \"{ohms:.0}\" }}"),
                _ => format!("{{ pull_down = \"{ohms:.0}\" }}"),
            }
        };
        let wire: Vec<String> = parts.iter().map(part).collect();
        let sensor = "output = \"open_collector\"\npull_up = \"10k\"\nleakage = \"10 uA\"\ndrop = \"0.3 V\"";
        let input = format!("asserted = \"low\"\nwiring = {{ supply = \"12 V\" }}\nwire = [{}]", wire.join(", "));
        let station = parse(&on_input(sensor, "5 V", "pull_up = { value = \"22k\" }", &input)).unwrap();
        let named = super::super::NameIndex::new(&station.wiring);
        let circuits = super::super::circuits(&station, &named);
        let solved = Input::new(&circuits[0]).unwrap();
        let state = if conducting { State::Conducting } else { State::Resting };
        let model = solved.model(state, Draw::Least);
        let reached = |most_free: usize| {
            let (mut range, mut solution) = (Range::EMPTY, Solution::default());
            model.at_corners_of(most_free, |values| {
                model.network.solve(values, &mut solution);
                range.take(solution.volts(model.terminal, values));
            });
            range
        };
        let (tied, all) = (reached(8), reached(usize::MAX));
        prop_assert!((tied.least - all.least).abs() < 0.01 && (tied.most - all.most).abs() < 0.01, "{tied:?}, {all:?}");
    }
}
