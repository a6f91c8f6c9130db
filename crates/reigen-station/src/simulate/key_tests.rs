//! No key of a scenario is without an effect: each changes what is recorded, or what really happened.

use super::Simulation;
use super::scenario::{parse, schema};
use std::collections::BTreeSet;

/// A table of the schema, a scenario with `@` where the key stands, the key, and two ways to write it; `-` leaves it away.
type Row = (&'static str, &'static str, &'static str, &'static str, &'static str);

const CONTACT: &str = "[contact.c]\nevery = '400 ms'\nhold = '100 ms'\nclosing = 'few'\nopening = 'few'\nline = 'C'\n@";
const CHANGEOVER: &str = "[changeover.c]\nevery = '400 ms'\nhold = '100 ms'\nclosing = 'few'\nopening = 'few'\nno = 'C'\nnc = 'D'\ntransit = '5 ms'\n@";
const SHAFT: &str = "[shaft.s]\nspeed = [{ for = '200 ms', to_rpm = 600 }, { for = '2 s', to_rpm = 600 }]\n\
                     [shaft.t]\nspeed = [{ for = '1 s', to_rpm = 60 }]\n";
const WHEEL: &str = "SHAFT[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 6\n@";
const ENCODER: &str = "SHAFT[encoder.e]\na = 'A'\nb = 'B'\nshaft = 's'\npulses_per_rev = 8\n@";
const STILL: &str = "[shaft.r]\nspeed = [{ for = '1 s', to_rpm = 0 }]\n[encoder.e]\na = 'A'\nb = 'B'\nshaft = 'r'\npulses_per_rev = 8\n@";
const CHAIN: &str = "[chain.c]\nload = 'L'\nclock = 'K'\ndata = 'D'\nregisters = [R8]\nperiod = '10 ms'\nclock_period = '8 us'\n\
                     presses = [{ point = 'p', at = '100 ms', for = '300 ms' }]\n@";
const ECHO: &str = "[echo.e]\ntrigger = 'T'\necho = 'E'\nevery = '60 ms'\nfrom_m = 1.0\n@";
const ANALOG: &str = "[analog.a]\nline = 'A'\nevery = '5 ms'\nfrom = 1.0\nhum = 0.1\n@";
const WIRE: &str = "[contact.d]\nevery = '90 ms'\nhold = '40 ms'\nline = 'D'\n[contact.c]\nevery = '400 ms'\nhold = '100 ms'\nline = 'C'\n[wire.w]\nline = 'C'\n@";

const ROWS: &[Row] = &[
    ("ContactTable", CONTACT, "line", "'C'", "'D'"),
    ("ContactTable", CONTACT, "asserted", "'high'", "'low'"),
    ("ContactTable", CONTACT, "contact", "'NO'", "'NC'"),
    ("ContactTable", CONTACT, "closing", "'none'", "'worn'"),
    ("ContactTable", CONTACT, "opening", "'none'", "'many'"),
    ("ContactTable", CONTACT, "bounce_within", "'1 ms'", "'20 ms'"),
    ("ContactTable", CONTACT, "every", "'400 ms'", "'500 ms'"),
    ("ContactTable", CONTACT, "hold", "'100 ms'", "'150 ms'"),
    ("ContactTable", "[contact.c]\nline = 'C'\n@", "presses", "[]", "[{ at = '300 ms', for = '100 ms' }]"),
    ("Press", "[contact.c]\nline = 'C'\n[[contact.c.presses]]\nfor = '100 ms'\n@", "at", "'300 ms'", "'400 ms'"),
    ("Press", "[contact.c]\nline = 'C'\n[[contact.c.presses]]\nat = '100 ms'\n@", "for", "'300 ms'", "'400 ms'"),
    ("ChangeoverTable", CHANGEOVER, "no", "'C'", "'E'"),
    ("ChangeoverTable", CHANGEOVER, "nc", "'D'", "'E'"),
    ("ChangeoverTable", CHANGEOVER, "transit", "'5 ms'", "'9 ms'"),
    ("ChangeoverTable", CHANGEOVER, "asserted", "'high'", "'low'"),
    ("ChangeoverTable", CHANGEOVER, "closing", "'none'", "'many'"),
    ("ChangeoverTable", CHANGEOVER, "opening", "'none'", "'many'"),
    ("ChangeoverTable", CHANGEOVER, "bounce_within", "'1 ms'", "'20 ms'"),
    ("ChangeoverTable", CHANGEOVER, "every", "'400 ms'", "'500 ms'"),
    ("ChangeoverTable", CHANGEOVER, "hold", "'100 ms'", "'150 ms'"),
    (
        "ChangeoverTable",
        "[changeover.c]\nno = 'C'\nnc = 'D'\ntransit = '5 ms'\n@",
        "presses",
        "[]",
        "[{ at = '300 ms', for = '100 ms' }]",
    ),
    (
        "ShaftTable",
        "[shaft.s]\n@\n[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 6",
        "speed",
        "[]",
        "[{ for = '1 s', to_rpm = 60 }]",
    ),
    (
        "SpeedPiece",
        "[[shaft.s.speed]]\nto_rpm = 90\n@\n[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 6",
        "for",
        "'1 s'",
        "'2 s'",
    ),
    (
        "SpeedPiece",
        "[[shaft.s.speed]]\nfor = '1 s'\n@\n[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 6",
        "to_rpm",
        "90",
        "-90",
    ),
    ("WheelTable", WHEEL, "line", "'W'", "'V'"),
    ("WheelTable", WHEEL, "shaft", "'s'", "'t'"),
    ("WheelTable", WHEEL, "marks", "6", "7"),
    ("WheelTable", WHEEL, "width", "0.5", "0.3"),
    ("WheelTable", WHEEL, "asserted", "'high'", "'low'"),
    ("WheelTable", WHEEL, "uneven", "0.0", "0.03"),
    ("WheelTable", WHEEL, "runout", "0.0", "0.005"),
    (
        "WheelTable",
        "SHAFT[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 6\nweak_above_rpm = 300\n@",
        "weak_mark",
        "2",
        "3",
    ),
    (
        "WheelTable",
        "SHAFT[wheel.w]\nline = 'W'\nshaft = 's'\nmarks = 6\nweak_mark = 2\n@",
        "weak_above_rpm",
        "300",
        "700",
    ),
    ("EncoderTable", ENCODER, "a", "'A'", "'Z'"),
    ("EncoderTable", ENCODER, "b", "'B'", "'Z'"),
    ("EncoderTable", ENCODER, "index", "-", "'Z'"),
    ("EncoderTable", ENCODER, "shaft", "'s'", "'t'"),
    ("EncoderTable", ENCODER, "pulses_per_rev", "8", "9"),
    ("EncoderTable", ENCODER, "phase_error_degrees", "0", "20"),
    ("EncoderTable", ENCODER, "duty", "0.5", "0.45"),
    ("EncoderTable", ENCODER, "lost_at", "[]", "['500 ms']"),
    ("EncoderTable", STILL, "dither_every", "-", "'50 ms'"),
    ("ChainTable", CHAIN, "load", "'L'", "'M'"),
    ("ChainTable", CHAIN, "clock", "'K'", "'M'"),
    ("ChainTable", CHAIN, "data", "'D'", "'M'"),
    ("ChainTable", CHAIN, "registers", "[R8]", "[S8, R8]"),
    ("ChainTable", CHAIN, "period", "'10 ms'", "'11 ms'"),
    ("ChainTable", CHAIN, "clock_period", "'8 us'", "'9 us'"),
    ("ChainTable", CHAIN, "asserted", "'high'", "'low'"),
    ("ChainTable", CHAIN, "presses", "[]", "[{ point = 'q', at = '200 ms', for = '300 ms' }]"),
    ("ChainTable", EVERY, "every", "'200 ms'", "'300 ms'"),
    ("ChainTable", EVERY, "hold", "'100 ms'", "'50 ms'"),
    ("PointPress", POINT, "point", "'p'", "'q'"),
    ("PointPress", POINT, "at", "'100 ms'", "'200 ms'"),
    ("PointPress", POINT, "for", "'100 ms'", "'200 ms'"),
    ("EchoTable", ECHO, "trigger", "'T'", "'U'"),
    ("EchoTable", ECHO, "echo", "'E'", "'U'"),
    ("EchoTable", ECHO, "every", "'60 ms'", "'70 ms'"),
    ("EchoTable", ECHO, "from_m", "1.0", "1.5"),
    ("EchoTable", ECHO, "distance_m", "[]", "[{ for = '1 s', to = 2.0 }]"),
    ("EchoTable", ECHO, "lost", "0.0", "0.3"),
    ("EchoTable", ECHO, "speed_of_sound", "343", "331"),
    ("AnalogTable", ANALOG, "line", "'A'", "'B'"),
    ("AnalogTable", ANALOG, "every", "'5 ms'", "'6 ms'"),
    ("AnalogTable", ANALOG, "from", "1.0", "2.0"),
    ("AnalogTable", ANALOG, "value", "[]", "[{ for = '1 s', to = 2.0 }]"),
    ("AnalogTable", ANALOG, "noise", "0.0", "0.1"),
    ("AnalogTable", ANALOG, "hum", "0.0", "0.1"),
    ("AnalogTable", ANALOG, "hum_hz", "50", "60"),
    ("AnalogTable", ANALOG, "clip", "-", "[0.0, 1.05]"),
    ("AnalogTable", ANALOG, "broken", "[]", "[{ from = '1 s', to = '1500 ms', reads = 0 }]"),
    ("Broken", BROKEN, "from", "'1 s'", "'1100 ms'"),
    ("Broken", BROKEN, "to", "'1500 ms'", "'1600 ms'"),
    ("Broken", BROKEN, "reads", "0", "9"),
    (
        "ValuePiece",
        "[analog.a]\nline = 'A'\nevery = '5 ms'\nfrom = 1.0\n[[analog.a.value]]\nto = 2.0\n@",
        "for",
        "'1 s'",
        "'2 s'",
    ),
    (
        "ValuePiece",
        "[analog.a]\nline = 'A'\nevery = '5 ms'\nfrom = 1.0\n[[analog.a.value]]\nfor = '1 s'\n@",
        "to",
        "2.0",
        "3.0",
    ),
    ("FloatingTable", "[floating.f]\n@", "line", "'F'", "'G'"),
    ("FloatingTable", "[floating.f]\nline = 'F'\n@", "mains_hz", "50", "60"),
    ("WireTable", WIRE, "line", "'C'", "'D'"),
    (
        "WireTable",
        "[contact.c]\nevery = '400 ms'\nhold = '100 ms'\nline = 'C'\n[wire.w]\nline = 'C'\nglitch = '1 ms'\n@",
        "glitches_every",
        "-",
        "'50 ms'",
    ),
    (
        "WireTable",
        "[contact.c]\nevery = '400 ms'\nhold = '100 ms'\nline = 'C'\n[wire.w]\nline = 'C'\nglitches_every = '50 ms'\n@",
        "glitch",
        "'1 ms'",
        "'2 ms'",
    ),
    ("WireTable", WIRE, "stuck", "[]", "[{ from = '300 ms', to = '900 ms' }]"),
    ("WireTable", "WIREcrosstalk_chance = 1.0\n@", "crosstalk_from", "-", "'D'"),
    ("WireTable", "WIREcrosstalk_from = 'D'\n@", "crosstalk_chance", "0.1", "1.0"),
    ("RegisterTable", REGISTER, "line", "'M'", "'N'"),
    ("RegisterTable", REGISTER, "shaft", "'s'", "'t'"),
    ("RegisterTable", REGISTER, "pulses_per_rev", "6", "8"),
    ("RegisterTable", REGISTER, "every", "'100 ms'", "'300 ms'"),
    ("RegisterTable", REGISTER, "bits", "3", "-"),
    ("RegisterTable", REGISTER, "start", "5", "-"),
    ("RegisterTable", REGISTER, "restarts_at", "[]", "['1 s']"),
    ("PortTable", PORT, "line", "'P'", "'Q'"),
    ("PortTable", PORT, "every", "'10 ms'", "'70 ms'"),
    ("PortTable", PORT, "points", "['p', 'q']", "['q', 'p']"),
    ("PortTable", PORT, "presses", "[]", "[{ point = 'q', at = '1 s', for = '100 ms' }]"),
    ("SetValueTable", SET, "line", "'V'", "'W'"),
    ("SetValueTable", SET, "from", "1.0", "2.0"),
    ("SetValueTable", SET, "steps", "[]", "[{ at = '1 s', to = 5.0 }]"),
    ("SetStep", "SET[[set_value.v.steps]]\nto = 5.0\n@", "at", "'1 s'", "'500 ms'"),
    ("SetStep", "SET[[set_value.v.steps]]\nat = '1 s'\n@", "to", "5.0", "6.0"),
    ("Stuck", STUCK, "from", "'1 ms'", "'1900 ms'"),
    ("Stuck", STUCK, "to", "'1950 ms'", "'302 ms'"),
];

const REGISTER: &str = "SHAFT[register.r]\nline = 'M'\nshaft = 's'\npulses_per_rev = 6\nevery = '100 ms'\n@";
const PORT: &str = "[port.p]\nline = 'P'\nevery = '10 ms'\npoints = ['p', 'q']\npresses = [{ point = 'p', at = '105 ms', for = '300 ms' }]\n@";
const SET: &str = "[set_value.v]\nline = 'V'\nfrom = 1.0\n@";

const EVERY: &str = "[chain.c]\nload = 'L'\nclock = 'K'\ndata = 'D'\nregisters = [R8]\nperiod = '10 ms'\nclock_period = '8 us'\nevery = '200 ms'\nhold = '100 ms'\n@";
const POINT: &str = "[chain.c]\nload = 'L'\nclock = 'K'\ndata = 'D'\nregisters = [R8]\nperiod = '10 ms'\nclock_period = '8 us'\n\
                     [[chain.c.presses]]\npoint = 'p'\nat = '100 ms'\nfor = '100 ms'\n@";
const BROKEN: &str =
    "[analog.a]\nline = 'A'\nevery = '5 ms'\nfrom = 1.0\n[[analog.a.broken]]\nfrom = '1 s'\nto = '1500 ms'\n@";
const STUCK: &str = "[contact.c]\nevery = '400 ms'\nhold = '100 ms'\nline = 'C'\n[wire.w]\nline = 'C'\n[[wire.w.stuck]]\nfrom = '300 ms'\nto = '1950 ms'\n@";

/// The scenario with the key written one way. A key that the base has already in the table of `@` is replaced there.
fn written((_, base, key, ..): &Row, value: &str) -> String {
    let wire = WIRE.trim_end_matches('@');
    let set = SET.trim_end_matches('@');
    let base = base.replace("SHAFT", SHAFT).replace("WIRE", wire).replace("SET", set);
    let last_table = base.find('@').and_then(|place| base[..place].rfind("\n[")).map_or(0, |place| place + 1);
    let (before, table) = base.split_at(last_table);
    let others = table.lines().filter(|line| !line.starts_with(&format!("{key} = ")));
    let line = if value == "-" { String::new() } else { format!("{key} = {value}") };
    let table = others.collect::<Vec<_>>().join("\n").replace('@', &line);
    let scenario = format!("duration = '2 s'\n{before}{table}\n");
    let registers = |letter: &str| format!("['{letter}', 'q{letter}', '-', '-', '-', '-', '-', '-']");
    scenario.replace("R8", &registers("p").replace("qp", "q")).replace("S8", &registers("s"))
}

/// The lines, their changes, and what really happened.
fn simulated(source: &str) -> Result<String, String> {
    let scenario = parse(source).map_err(|errors| format!("{errors:?}"))?;
    let mut simulation = Simulation::new(&scenario, 7, scenario.duration);
    let start = format!("{:?} {:?}", simulation.names(), simulation.start());
    let changes: Vec<String> = simulation.by_ref().map(|change| format!("{change:?}")).collect();
    Ok(format!("{start} {changes:?} {:?}", simulation.truth()))
}

#[test]
fn every_key_of_every_source_changes_what_is_recorded() {
    let idle = ROWS.iter().filter_map(|row| {
        let [one, other] = [row.3, row.4].map(|value| simulated(&written(row, value)));
        let wrong = match (one, other) {
            (Ok(one), Ok(other)) => (one == other).then(|| "nothing".to_owned())?,
            (Err(errors), _) | (_, Err(errors)) => errors,
        };
        Some(format!("`{}` of {}: {wrong} in\n{}", row.2, row.0, written(row, row.4)))
    });
    let idle: Vec<String> = idle.collect();
    assert!(idle.is_empty(), "these keys do nothing: {}", idle.join("\n\n"));
}

#[test]
fn every_key_of_the_schema_is_tried() {
    let schema = serde_json::to_value(schema()).unwrap();
    let tried: BTreeSet<(&str, &str)> = ROWS.iter().map(|row| (row.0, row.2)).collect();
    let tables = schema["$defs"].as_object().unwrap().iter();
    let keys = tables.flat_map(|(table, value)| {
        value["properties"].as_object().into_iter().flatten().map(move |(key, _)| (table.as_str(), key.as_str()))
    });
    let missing: Vec<(&str, &str)> = keys.filter(|key| !tried.contains(key)).collect();
    assert_eq!(missing, [], "these keys are in no row");
}
