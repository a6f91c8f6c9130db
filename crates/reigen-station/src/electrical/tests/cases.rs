//! Cases for each code: a station that has the mistake, and the same one just right.

use super::{
    CONTACT, LOW, NPN, PNP, PULL_UP, PUSH_PULL, RESISTANCE, TRANSISTOR, TWO_WIRE, TYPE_1, on_input, on_output,
};

/// A code, a station with `@` in it, and what makes it wrong and just right.
pub(super) type Case = (&'static str, String, &'static str, &'static str);

pub(super) fn level_cases() -> Vec<Case> {
    let on_24 = |sensor: &str, group: &str, input: &str| on_input(sensor, "24 V", group, input);
    let on_3v3 = |sensor: &str, group: &str, input: &str| on_input(sensor, "3.3 V", group, input);
    let and = |one: &str, other: &str| format!("{one}\n{other}");
    vec![
        ("polarity", on_24(NPN, &and(TYPE_1, "common = \"@\""), LOW), "zero", "plus"),
        ("polarity", on_24(CONTACT, &and(TYPE_1, "common = \"zero\""), "asserted = \"@\""), "low", "high"),
        ("common-open", on_24(PNP, &and(TYPE_1, "common = \"@\""), ""), "free", "zero"),
        ("asserted-mismatch", on_24(NPN, &and(TYPE_1, "common = \"plus\""), "asserted = \"@\""), "high", "low"),
        ("contact-mismatch", on_24(&and(CONTACT, "contact = \"NC\""), TYPE_1, "contact = \"@\""), "NO", "NC"),
        ("over-voltage", on_3v3("output = \"logic\"\nhigh = \"@\"", "", ""), "5 V", "3.3 V"),
        (
            "over-voltage",
            on_3v3(&and(NPN, "pull_up = \"10k\""), "", "asserted = \"low\"\nwiring = { supply = \"@\" }"),
            "5 V",
            "3.3 V",
        ),
        ("over-voltage", on_24(PNP, &and(TYPE_1, "most = \"@\""), ""), "29 V", "30 V"),
        ("under-voltage", on_3v3("output = \"logic\"\nlow = \"@\"", "", ""), "-0.5 V", "-0.2 V"),
        // 24 V may be 19.2 V, and a type 1 input is on at 15 V.
        ("never-on", on_24(&and(PNP, "drop = \"@\""), TYPE_1, ""), "4.3 V", "4.2 V"),
        ("never-on", on_24(&and(NPN, "drop = \"@\""), &and(TYPE_1, "common = \"plus\""), LOW), "4.3 V", "4.2 V"),
        // 2 km of 0.25 mm² have 276 Ω, in which the 15 mA that a type 1 input may draw lose 4.14 V.
        ("never-on", on_24(PNP, TYPE_1, "cable = \"@\""), "2100 m", "2000 m"),
        ("never-on", on_24("output = \"line_driver\"\nhigh = \"5 V\"", "@", ""), TYPE_1, "supply = \"5 V\""),
        ("never-off", on_3v3("output = \"logic\"\nlow = \"@\"", "", ""), "1.1 V", "0.9 V"),
        ("leakage", on_24(&and(TWO_WIRE, "leakage = \"@\""), TYPE_1, ""), "0.6 mA", "0.5 mA"),
        ("leakage", on_24(&and(TWO_WIRE, "leakage = \"1.5 mA\""), "standard = \"@\"", ""), "type 1", "type 3"),
        (
            "leakage",
            on_24(&and(TWO_WIRE, "leakage = \"1.5 mA\""), TYPE_1, "wiring = { pull_down = \"@\" }"),
            "5.6k",
            "4.7k",
        ),
        ("leakage", on_24(&and(TWO_WIRE, "leakage = \"@\""), RESISTANCE, ""), "1.02 mA", "1.01 mA"),
        ("leakage", on_3v3(&and(NPN, "leakage = \"@\""), PULL_UP, LOW), "91 uA", "89 uA"),
        ("floating", on_3v3(CONTACT, "pull_up = { value = \"10k\", on = @ }", LOW), "false", "true"),
        ("floating", on_3v3(PNP, "", "wiring = { @ }"), "", "pull_down = \"10k\""),
        ("both-pulls", on_3v3(CONTACT, PULL_UP, "asserted = \"low\"\nwiring = { pull_down = \"@\" }"), "24k", "27k"),
        (
            "pull-wasted",
            on_3v3(
                PUSH_PULL,
                "terminals = [\"T0\", \"T1\"]\ntied_to_zero = [\"T1\"]\npull_up = { value = \"10k\", on = @ }",
                "",
            ),
            "true",
            "false",
        ),
        ("unused-floating", on_3v3(PUSH_PULL, "terminals = [\"T0\", \"T1\"]\ntied_to_plus = [@]", ""), "", "\"T1\""),
        ("least-current", on_24(&and(TWO_WIRE, "least_current = \"@\""), RESISTANCE, ""), "3.9 mA", "3.8 mA"),
        ("contact-wetting", on_3v3(&and(CONTACT, "least_current = \"@\""), PULL_UP, LOW), "300 uA", "298 uA"),
        (
            "too-much-current",
            on_3v3(&and(NPN, "most_current = \"@\""), "pull_up = { value = \"330\" }", LOW),
            "11 mA",
            "11.1 mA",
        ),
        (
            "rc-without-hysteresis",
            on_3v3(PUSH_PULL, "schmitt = @", "wiring = { filter = { resistance = \"10k\", capacitance = \"100nF\" } }"),
            "false",
            "true",
        ),
        ("supply-low", on_24(&and(PNP, "supply = [\"@\", \"30 V\"]"), TYPE_1, ""), "19.3 V", "19.2 V"),
        // A wire of 100 m has 6.9 Ω; its own current loses in both, and 2 mA of the input in one of them.
        (
            "supply-low",
            on_24(&and(PNP, "supply = [\"18 V\", \"30 V\"]\ncurrent = \"@\""), TYPE_1, "cable = \"100 m\""),
            "87 mA",
            "85 mA",
        ),
        ("supply-high", on_24(&and(PNP, "supply = [\"5 V\", \"@\"]"), TYPE_1, ""), "29 V", "30 V"),
        (
            "supply-overload",
            on_24(&and(PNP, "current = \"@\""), TYPE_1, "").replacen(
                "[card.c]",
                "[card.c]\nsensor_supply = { voltage = \"24 V\", current = \"30 mA\" }",
                1,
            ),
            "16 mA",
            "15 mA",
        ),
    ]
}

pub(super) fn other_cases() -> Vec<Case> {
    let on_24 = |sensor: &str, group: &str, input: &str| on_input(sensor, "24 V", group, input);
    let encoder = "output = \"push_pull\"\nquadrature = true\npulses_per_rev = 1000";
    let counted = "[counter.n]\nup = \"a\"\n";
    let analog = |output: &str, signal: &str, group: &str| {
        format!(
            "[sensor.s]\noutput = \"{output}\"\n{signal}\n[card.c]\nsupply = \"24 V\"\n[card.c.inputs.g]\nterminals = [\"T0\"]\n\
             {group}\n[input.a]\nline = \"A\"\n[wired.w]\nsensor = \"s\"\nterminal = \"T0\"\n"
        )
    };
    vec![
        (
            "filter-too-slow",
            on_24(PNP, "standard = \"type 1\"\nfilter = \"@\"", "fastest = \"100 Hz\""),
            "5 ms",
            "4.9 ms",
        ),
        (
            "filter-too-slow",
            on_24(PNP, "standard = \"type 1\"\nfilter = \"1 ms\"", "shortest_pulse = \"@\""),
            "1 ms",
            "1.1 ms",
        ),
        (
            "frequency-too-high",
            on_24(PNP, "standard = \"type 1\"\nhighest_frequency = \"1 kHz\"", "fastest = \"@\""),
            "1.1 kHz",
            "1 kHz",
        ),
        (
            "sensor-too-slow",
            on_24("output = \"pnp\"\npulses_per_rev = 6\nhighest_frequency = \"@\"", TYPE_1, "fastest = \"100 rpm\""),
            "9 Hz",
            "10 Hz",
        ),
        // 60 rpm · 1000 pulses are 1 kHz, and a quarter of a period 250 µs.
        (
            "encoder-too-fast",
            on_24(encoder, "standard = \"type 1\"\nfilter = \"@\"", "fastest = \"60 rpm\""),
            "250 us",
            "240 us",
        ),
        (
            "debounce-too-long",
            on_24(PNP, TYPE_1, "fastest = \"100 Hz\"\ndebounce = { method = \"stable\", time = \"@\" }"),
            "5.1 ms",
            "5 ms",
        ),
        (
            "touch-hold-too-short",
            on_24(
                "output = \"touch\"\nshortest_hold = \"@\"",
                TYPE_1,
                "debounce = { method = \"stable\", time = \"40 ms\" }",
            ),
            "39 ms",
            "40 ms",
        ),
        (
            "debounce-too-short",
            on_24(
                "output = \"contact\"\nbounce = \"5 ms\"",
                TYPE_1,
                "debounce = { method = \"stable\", time = \"@\" }",
            ),
            "4.9 ms",
            "5 ms",
        ),
        (
            "contact-not-debounced",
            on_24(CONTACT, TYPE_1, "debounce = { @ }") + counted,
            "method = \"none\"",
            "method = \"stable\", time = \"8 ms\"",
        ),
        (
            "contact-not-debounced",
            on_24("output = \"reed\"\nbounce = \"2 ms\"", "standard = \"type 1\"\nfilter = \"@\"", "") + counted,
            "1 ms",
            "3 ms",
        ),
        ("terminal-twice", on_24(PNP, TYPE_1, "") + "[input.b]\nline = \"@\"\nterminal = \"T0\"", "B", "A"),
        ("wrong-mode", on_24(PNP, "standard = \"type 1\"\nmode = \"@\"", ""), "voltage", "digital"),
        ("wrong-mode", analog("voltage", "", "mode = \"@\""), "current", "voltage"),
        ("wrong-mode", on_24(PNP, TYPE_1, "") + "[output.o]\nwhen = \"a\"\n@", "terminal = \"T0\"", ""),
        ("needs-amplifier", on_24("output = \"iec60947_5_6\"", "standard = \"@\"", ""), "type 1", "iec60947_5_6"),
        (
            "range-mismatch",
            analog("current_loop", "signal = \"4-20mA\"", "mode = \"current\"\nsignal = \"@\""),
            "0-20mA",
            "4-20mA",
        ),
        (
            "range-mismatch",
            analog("current_loop", "signal = \"0-20mA\"", "mode = \"current\"\nsignal = \"@\""),
            "4-20mA",
            "0-20mA",
        ),
        (
            "terminal-overload",
            on_output("kind = \"transistor\"\ncurrent = \"@\"", "kind = \"resistor\", current = \"100 mA\""),
            "99 mA",
            "100 mA",
        ),
        (
            "group-overload",
            on_output("kind = \"relay\"\ngroup_current = \"@\"", "kind = \"lamp\", current = \"100 mA\"")
                + "[output.p]\nwhen = \"a\"\nterminal = \"Q1\"\nload = { kind = \"resistor\", resistance = \"240 ohm\" }",
            // 30 V over 228 Ω.
            "231 mA",
            "232 mA",
        ),
        ("group-voltages", on_output("kind = \"relay\"", "kind = \"lamp\", supply = \"@\""), "12 V", "24 V"),
        ("no-diode", on_output(TRANSISTOR, "kind = \"relay_coil\", diode = @"), "false", "true"),
        ("no-diode", on_output(TRANSISTOR, "kind = \"@\""), "solenoid", "lamp"),
        ("load-side", on_output(TRANSISTOR, "kind = \"lamp\", tied_to = \"@\""), "plus", "zero"),
        (
            "load-side",
            on_output("kind = \"transistor\"\ndrives = \"sinking\"", "kind = \"lamp\", tied_to = \"@\""),
            "zero",
            "plus",
        ),
        (
            "scan-too-slow",
            format!("[scan]\nperiod = \"@\"\n{}", on_24(PNP, TYPE_1, "fastest = \"100 Hz\"")),
            "5.1 ms",
            "5 ms",
        ),
        (
            "encoder-too-fast",
            format!("[scan]\nperiod = \"@\"\n{}", on_24(encoder, TYPE_1, "fastest = \"60 rpm\"")),
            "251 us",
            "250 us",
        ),
        (
            "nothing-wired",
            "[input.a]\nline = \"A\"\n@".to_owned(),
            "",
            "terminal = \"T0\"\n[card.c]\nsupply = \"24 V\"\n[card.c.inputs.g]\nterminals = [\"T0\"]",
        ),
    ]
}

/// Cases of parts, analog wires, loads, safety and chains.
pub(super) fn circuit_cases() -> Vec<Case> {
    let on_24 = |sensor: &str, group: &str, input: &str| on_input(sensor, "24 V", group, input);
    let on_3v3 = |sensor: &str, group: &str, input: &str| on_input(sensor, "3.3 V", group, input);
    let and = |one: &str, other: &str| format!("{one}\n{other}");
    let analog = |sensor: &str, group: &str, point: &str| {
        format!(
            "[sensor.s]\n{sensor}\n[card.c]\nsupply = \"24 V\"\n[card.c.inputs.g]\nterminals = [\"T0\"]\n{group}\n\
             [analog.a]\nline = \"A\"\nsensor = \"s\"\nterminal = \"T0\"\n{point}\n"
        )
    };
    let volts = "output = \"voltage\"\nsignal = \"0-10V\"";
    let milliamperes = "output = \"current_loop\"\nsignal = \"4-20mA\"";
    let converter = "mode = \"voltage\"\nsupply = \"3.3 V\"\nmost = \"3.3 V\"";
    let relay = "kind = \"relay\"";
    let two_loads = |one: &str, other: &str| {
        on_output(relay, one) + &format!("[output.p]\nwhen = \"a\"\nterminal = \"Q1\"\nload = {{ {other} }}\n")
    };
    let latch = "[input.b]\nline = \"B\"\n[latch.r]\nset = \"b\"\nrole = \"run\"\n";
    let chain = |terminals: &str, supply: &str| {
        format!(
            "[card.c]\nsupply = \"5 V\"\n[card.c.inputs.g]\nterminals = [\"D\"]\n[card.c.outputs.o]\nterminals = [\"L\", \"K\"]\n\
             kind = \"transistor\"\n[expander.e]\nload = \"LD\"\nclock = \"CK\"\ndata = \"DT\"\nsupply = \"{supply}\"\n\
             terminals = {{ {terminals} }}\nregisters = [[\"a\", \"b\", \"-\", \"-\", \"-\", \"-\", \"-\", \"-\"]]\n\
             [input.z]\nline = \"Z\"\nterminal = \"D\"\n"
        )
    };
    // `z` only makes the station one with wires; it is on no terminal of the chain.
    let chain = |terminals: &str, supply: &str| {
        chain(terminals, supply).replace("[input.z]\nline = \"Z\"\nterminal = \"D\"\n", "")
            + "[input.z]\nline = \"Z\"\nterminal = \"T0\"\n[card.d]\nsupply = \"24 V\"\n[card.d.inputs.g]\nterminals = [\"T0\"]\n"
    };
    vec![
        // 10 V · 5 % more below and less above: the divider's greatest output is 3.29 V.
        (
            "over-voltage",
            analog(volts, converter, "wire = [{ series = \"10k\" }, { pull_down = \"@\" }]"),
            "4.7k",
            "4.3k",
        ),
        ("over-voltage", analog(milliamperes, converter, "wire = [{ shunt = \"@\" }]"), "160 ohm", "150 ohm"),
        (
            "under-voltage",
            analog("output = \"voltage\"\nsignal = [\"@\", \"5 V\"]", "mode = \"voltage\"", ""),
            "-1 V",
            "0 V",
        ),
        (
            "range-mismatch",
            analog(milliamperes, "mode = \"current\"", "scale = { from = [@, 20], to = [0, 5000] }"),
            "0",
            "4",
        ),
        (
            "range-mismatch",
            analog(
                "output = \"voltage\"\nsignal = [\"0.5 V\", \"4.5 V\"]",
                "mode = \"voltage\"",
                "scale = { from = [@, 4.5], to = [0, 10] }",
            ),
            "0",
            "0.5",
        ),
        // Counts of a converter whose span is the signal's: 819 of 4095 are 1 V of 5 V, or 4 mA of 20 mA.
        (
            "range-mismatch",
            analog(milliamperes, "mode = \"current\"", "scale = { from = [@, 4095], to = [0, 5000] }"),
            "100",
            "819",
        ),
        (
            "range-mismatch",
            analog(milliamperes, "mode = \"voltage\"\nsignal = \"1-5V\"", "wire = [{ shunt = \"@\" }]"),
            "500 ohm",
            "250 ohm",
        ),
        // 19.2 V − 12 V at 20 mA leave 360 Ω.
        (
            "loop-burden",
            analog(&and(milliamperes, "supply = [\"12 V\", \"30 V\"]"), "mode = \"current\"\nresistance = \"@\"", ""),
            "370 ohm",
            "350 ohm",
        ),
        // 30 V · 30 V / 0.95 R ≤ 2 W: 473.7 Ω.
        ("pull-too-strong", on_24(PNP, TYPE_1, "wire = [{ pull_down = \"@\" }]"), "470 ohm", "480 ohm"),
        ("pull-too-strong", on_24(PNP, TYPE_1, "wire = [{ pull_down = \"4.7k\", power = \"@\" }]"), "0.2 W", "0.25 W"),
        // 30 V / (0.95 · 1 kΩ) from a supply of 24 V.
        (
            "pull-too-strong",
            on_24(
                "output = \"npn\"",
                "standard = \"type 1\"\ncommon = \"plus\"",
                "asserted = \"low\"\nwire = [{ pull_up = \"1k\" }]",
            )
            .replace("[card.c]", "[card.c]\nsensor_supply = { voltage = \"24 V\", current = \"@\" }"),
            "31 mA",
            "32 mA",
        ),
        // The contact closes through nothing but the cable.
        (
            "contact-surge",
            on_3v3(CONTACT, PULL_UP, "asserted = \"low\"\nwire = [@{ capacitor = \"100nF\" }]"),
            "",
            "{ series = \"100\" }, ",
        ),
        // 10.5 kΩ · 120 nF = 1.26 ms; from 0 to 0.7 of the supply ln(1 / 0.3) = 1.204: 1.517 ms.
        (
            "edge-too-slow",
            on_3v3(PUSH_PULL, "", "shortest_pulse = \"@\"\nwire = [{ series = \"10k\" }, { capacitor = \"100nF\" }]"),
            "3 ms",
            "3.1 ms",
        ),
        // 100 m of cable have 10 nF behind a pull-up of 105 kΩ: 1.05 ms · 1.204.
        (
            "edge-too-slow",
            on_3v3(
                NPN,
                "pull_up = { value = \"100k\" }",
                "asserted = \"low\"\ncable = \"100 m\"\nshortest_pulse = \"@\"",
            ),
            "2.5 ms",
            "2.6 ms",
        ),
        // A converter takes what its own side bears.
        (
            "over-voltage",
            on_3v3(
                "output = \"push_pull\"",
                "",
                "wiring = { supply = \"@\" }\nwire = [{ converter = \"level\", from = \"5 V\", to = \"3.3 V\" }]",
            ),
            "12 V",
            "5 V",
        ),
        // A pull-up on an NPN output works an input whose common is at 0 V, where it is strong enough.
        (
            "never-off",
            on_24(NPN, "standard = \"type 3\"", "asserted = \"low\"\nwire = [{ pull_up = \"@\" }]"),
            // 15 mA may flow at 11 V of the 19.2 V: 520 Ω with 5 % more.
            "4.7k",
            "510 ohm",
        ),
        (
            "terminal-reserved",
            on_24(PNP, "standard = \"type 1\"\nreserved = { @ = \"serial\" }\nterminals = [\"T0\", \"T1\"]", ""),
            "T0",
            "T1",
        ),
        (
            "wrong-mode",
            on_24(CONTACT, "standard = \"iec60947_5_6\"", "wire = [{ series = \"1k\" }, { pull_down = \"@\" }]"),
            "1k",
            "10k",
        ),
        ("ac-dc", on_24(PNP, TYPE_1, "").replace("supply = \"24 V\"", "supply = \"@\""), "24 V AC", "24 V DC"),
        ("ac-dc", on_24(PNP, TYPE_1, "").replace("[card.c]", "[card.c]\nplate = \"@\""), "230 V AC", "24 V DC"),
        (
            "supply-high",
            on_24(PNP, TYPE_1, "").replace("[card.c]", "[card.c]\nplate = [\"19 V\", \"@\"]"),
            "28.8 V",
            "30 V",
        ),
        ("ac-dc", on_output(relay, "kind = \"resistor\", current = \"10 mA\", supply = \"@\""), "24 V AC", "24 V"),
        (
            "no-suppressor",
            on_output("kind = \"relay\"\nsupply = \"230 V AC\"", "kind = \"solenoid\"@"),
            "",
            ", suppressor = \"varistor\"",
        ),
        ("no-diode", on_output(TRANSISTOR, "kind = \"solenoid\"@"), "", ", suppressor = \"rc\""),
        // (30 − 2) V / 10 mA / 0.95 = 2.95 kΩ.
        (
            "led-current",
            on_output(TRANSISTOR, "kind = \"led\", forward = \"2 V\", current = \"10 mA\"@"),
            "",
            ", resistance = \"3k\"",
        ),
        (
            "led-current",
            on_output(TRANSISTOR, "kind = \"led\", forward = \"2 V\", current = \"10 mA\", resistance = \"@\""),
            "2.9k",
            "2.95k",
        ),
        ("led-dark", on_output(TRANSISTOR, "kind = \"led\", resistance = \"1k\", forward = \"@\""), "19.2 V", "19.1 V"),
        (
            "lamp-inrush",
            on_output("kind = \"transistor\"\ncurrent = \"500 mA\"", "kind = \"lamp\", current = \"@\""),
            "201 mA",
            "200 mA",
        ),
        (
            "lamp-inrush",
            on_output("kind = \"transistor\"\npeak = \"@\"", "kind = \"lamp\", current = \"100 mA\""),
            "0.9 A",
            "1 A",
        ),
        // 2 · 100 m of 0.25 mm² are 13.8 Ω, and 10 % of 24 V are 2.4 V.
        (
            "load-drop",
            on_output(TRANSISTOR, "kind = \"resistor\", current = \"@\"")
                .replace("terminal = \"Q0\"\n", "terminal = \"Q0\"\ncable = \"100 m\"\n"),
            "175 mA",
            "173 mA",
        ),
        (
            "group-sides",
            two_loads(
                "kind = \"lamp\", current = \"10 mA\", tied_to = \"zero\"",
                "kind = \"lamp\", current = \"10 mA\", tied_to = \"@\"",
            ),
            "plus",
            "zero",
        ),
        ("fail-safe", on_24(&and(CONTACT, "contact = \"@\""), TYPE_1, "contact = \"@\"\nrole = \"stop\""), "NO", "NC"),
        ("fail-safe", on_24(CONTACT, TYPE_1, "contact = \"@\"") + latch + "reset = \"a\"", "NO", "NC"),
        // A closed contact that must open to stop: its point is on while all is well.
        ("fail-safe", on_24(CONTACT, TYPE_1, "contact = \"@\"") + latch + "reset = \"NOT a\"", "NC", "NO"),
        (
            "pair-sides",
            on_24(CONTACT, TYPE_1, "")
                + "[input.b]\nline = \"B\"\ncontact = \"@\"\n[pair.p]\nno = \"a\"\nnc = \"b\"\nwithin = \"50 ms\"",
            "NO",
            "NC",
        ),
        // One sensor on two terminals: its own current once, its output's currents together.
        (
            "too-much-current",
            on_24(
                &and(PNP, "most_current = \"@\""),
                "terminals = [\"T0\", \"T1\"]\ncommon = \"zero\"\nresistance = \"4.7k\"\non_above = \"15 V\"\noff_below = \"5 V\"\nmost = \"30 V\"",
                "",
            ) + "[input.b]\nline = \"A\"\nsensor = \"s\"\nterminal = \"T1\"\n",
            "13 mA",
            "13.5 mA",
        ),
        (
            "supply-overload",
            on_24(
                &and(PNP, "current = \"20 mA\""),
                "terminals = [\"T0\", \"T1\"]\nstandard = \"type 1\"",
                "device = \"B1\"",
            )
            .replace("[card.c]", "[card.c]\nsensor_supply = { voltage = \"24 V\", current = \"50 mA\" }")
                + "[input.b]\nline = \"B\"\nsensor = \"s\"\nterminal = \"T1\"\ndevice = \"@\"\n",
            "B2",
            "B1",
        ),
        ("wrong-mode", chain("load = \"L\", clock = \"@\", data = \"D\"", "5 V"), "D", "K"),
        ("never-on", chain("load = \"L\", clock = \"K\", data = \"D\"", "@"), "24 V", "5 V"),
        ("over-voltage", chain("load = \"L\", clock = \"K\", data = \"D\"", "@"), "12 V", "5 V"),
    ]
}
