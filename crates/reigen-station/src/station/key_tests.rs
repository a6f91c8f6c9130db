//! No key of a station file is without an effect: each changes what the station does, finds or says.

use super::plan::compile;
use super::{StationError, parse, schema};
use crate::electrical::check;
use reigen_core::lines::{LineKind, RecordedLine};
use reigen_core::logic::expression::{Reference, Value};
use reigen_core::time::Nanos;
use std::collections::BTreeSet;

/// The points that others are built on.
const INPUTS: &str = "[input.a]\nline = 'L0'\n[input.b]\nline = 'L1'\n[input.c]\nline = 'L2'\n";

/// A table of the schema, a station with `@` where the key stands, the key, and two ways to write it; `-` leaves it away.
type Row = (&'static str, &'static str, &'static str, &'static str, &'static str);

const POINTS: &[Row] = &[
    ("File", "@", "title", "'One'", "'Two'"),
    ("ScanTable", "[scan]\n@", "period", "'3 ns'", "'4 ns'"),
    ("ScanTable", "[scan]\nperiod = '9 ns'\n@", "phase", "-", "'4 ns'"),
    ("InputTable2", "[input.x]\n@", "line", "'L0'", "'L1'"),
    ("InputTable2", "[input.x]\n@\n[word.w]\nbits = ['a', 'b']", "of", "'w.invalid'", "'a'"),
    ("InputTable2", "[input.x]\nline = 'L0'\n@", "asserted", "-", "'low'"),
    ("InputTable2", "[input.x]\nline = 'L0'\n@", "contact", "-", "'NC'"),
    ("InputTable2", "[input.x]\nline = 'L0'\n@", "debounce", "-", "{ method = 'stable', time = '2 ms' }"),
    ("InputTable2", "[scan]\nperiod = '9 ns'\n[input.x]\nline = 'L0'\n@", "catch", "false", "true"),
    (
        "DebounceTable",
        "[input.x]\nline = 'L0'\n[input.x.debounce]\ntime = '2 ms'\n@",
        "method",
        "'stable'",
        "'lockout'",
    ),
    ("InputTable2", "[scan]\nperiod = '9 ns'\n[input.x]\nline = 'L0'\n@", "scan", "true", "false"),
    ("CounterTable", "[scan]\nperiod = '9 ns'\n[counter.x]\nup = 'a'\n@", "scan", "true", "false"),
    ("RateTable", "[scan]\nperiod = '10 ms'\n[rate.x]\nof = 'a'\n@", "scan", "true", "false"),
    ("EncoderTable", "[scan]\nperiod = '9 ns'\n[encoder.x]\na = 'L0'\nb = 'L1'\n@", "scan", "true", "false"),
    ("DebounceTable", "[input.x]\nline = 'L0'\n[input.x.debounce]\nmethod = 'stable'\n@", "time", "'2 ms'", "'3 ms'"),
    (
        "DebounceTable",
        "[input.x]\nline = 'L0'\n[input.x.debounce]\nmethod = 'stable'\noff = '2 ms'\n@",
        "on",
        "'2 ms'",
        "'3 ms'",
    ),
    (
        "DebounceTable",
        "[input.x]\nline = 'L0'\n[input.x.debounce]\nmethod = 'lockout'\non = '2 ms'\n@",
        "off",
        "'2 ms'",
        "'3 ms'",
    ),
    (
        "DebounceTable",
        "[input.x]\nline = 'L0'\n[input.x.debounce]\nmethod = 'sampled'\ncount = 3\n@",
        "every",
        "'2 ms'",
        "'3 ms'",
    ),
    ("DebounceTable", RC, "resistance", "'10k'", "'11k'"),
    ("DebounceTable", RC, "capacitance", "'1 uF'", "'2 uF'"),
    ("DebounceTable", RC, "discharge_resistance", "-", "'5k'"),
    ("DebounceTable", RC, "supply", "'5 V'", "'6 V'"),
    ("DebounceTable", RC, "rise_at", "'3 V'", "'3.1 V'"),
    ("DebounceTable", RC, "fall_at", "'1 V'", "'1.1 V'"),
    ("CounterTable", "[counter.x]\n@", "up", "'a'", "'b'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "down", "-", "'b'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "gate", "-", "'b'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "reset", "-", "'b'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "edge", "-", "'both'"),
    ("CounterTable", "[scan]\nperiod = '9 ns'\n[counter.x]\nup = 'a'\n@", "count", "'edges'", "'scans'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "start", "-", "4"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "presets", "-", "[3]"),
    ("CounterTable", "[counter.x]\nup = 'a'\npresets = [3]\n@", "at_last", "'go_on'", "'restart'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "limits", "-", "[0, 9]"),
    ("CounterTable", "[counter.x]\nup = 'a'\nlimits = [0, 9]\n@", "at_limit", "'stop'", "'wrap'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "bits", "8", "16"),
    ("CounterTable", "[counter.x]\nup = 'a'\nload_to = 5\n@", "load", "'b'", "'c'"),
    ("CounterTable", "[counter.x]\nup = 'a'\nload = 'b'\n@", "load_to", "5", "6"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "scale", "-", "0.5"),
    ("CounterTable", "[counter.x]\nup = 'a'\nscale = 0.5\n@", "unit", "'m'", "'kg'"),
    ("LogicTable", "[logic.x]\n@", "when", "'a AND b'", "'a OR b'"),
    ("OneShotTable", "[oneshot.x]\nwidth = '2 ns'\n@", "of", "'a'", "'b'"),
    ("OneShotTable", "[oneshot.x]\nof = 'a'\n@", "width", "'2 ns'", "'3 ns'"),
    ("OneShotTable", "[oneshot.x]\nof = 'a'\nwidth = '2 ns'\n@", "edge", "'rising'", "'falling'"),
    ("LatchTable", "[latch.x]\nreset = 'c'\n@", "set", "'a'", "'b'"),
    ("LatchTable", "[latch.x]\nset = 'a'\n@", "reset", "'c'", "'b'"),
    ("LatchTable", "[latch.x]\nset = 'a'\nreset = 'b'\n@", "dominant", "'set'", "'reset'"),
    ("ToggleTable", "[toggle.x]\n@", "by", "'a'", "'b'"),
    ("ToggleTable", "[toggle.x]\nby = 'a'\n@", "reset", "-", "'b'"),
    ("CounterTable", "[counter.x]\nup = 'a'\n@", "retain", "-", "true"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\n@", "retain", "-", "true"),
    ("LatchTable", "[latch.x]\nset = 'a'\nreset = 'b'\n@", "retain", "-", "true"),
    ("ToggleTable", "[toggle.x]\nby = 'a'\n@", "retain", "-", "true"),
    ("TimerTable", "[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '1 s'\n@", "retain", "-", "true"),
    ("HistoryTable", "[history]\n@", "keep", "'1 h'", "'30 days'"),
    ("TimerTable", "[timer.x]\nkind = 'pulse'\ntime = '1 s'\n@", "of", "'a'", "'b'"),
    ("TimerTable", "[timer.x]\nof = 'a'\ntime = '1 s'\n@", "kind", "'on_delay'", "'off_delay'"),
    ("TimerTable", "[timer.x]\nof = 'a'\nkind = 'pulse'\n@", "time", "'1 s'", "'2 s'"),
    ("PairTable", "[pair.x]\nnc = 'c'\nwithin = '1 s'\n@", "no", "'a'", "'b'"),
    ("PairTable", "[pair.x]\nno = 'a'\nwithin = '1 s'\n@", "nc", "'b'", "'c'"),
    ("PairTable", "[pair.x]\nno = 'a'\nnc = 'b'\n@", "within", "'1 s'", "'2 s'"),
    ("ExpanderTable", "[expander.e]\nclock = 'L1'\ndata = 'L2'\nregisters = [R8]\n@", "load", "'L0'", "'L3'"),
    ("ExpanderTable", "[expander.e]\nload = 'L0'\ndata = 'L2'\nregisters = [R8]\n@", "clock", "'L1'", "'L3'"),
    ("ExpanderTable", "[expander.e]\nload = 'L0'\nclock = 'L1'\nregisters = [R8]\n@", "data", "'L2'", "'L3'"),
    ("ExpanderTable", CHAIN, "inhibit", "-", "'L3'"),
    ("ExpanderTable", CHAIN, "sample", "'rising'", "'falling'"),
    ("ExpanderTable", CHAIN, "asserted", "'high'", "'low'"),
    ("ExpanderTable", "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\n@", "registers", "[R8]", "[R8, S8]"),
    ("WordTable", "[word.x]\n@", "bits", "['a', 'b']", "['b', 'a']"),
    ("WordTable", "[word.x]\nbits = ['a', 'b']\n@", "code", "'binary'", "'gray'"),
    ("EncoderTable", "[encoder.x]\nb = 'L1'\n@", "a", "'L0'", "'L2'"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\n@", "b", "'L1'", "'L2'"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\n@", "decode", "'x1'", "'x4'"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\n@", "reverse", "false", "true"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\n@", "index", "-", "'L2'"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\nindex = 'L2'\n@", "index_does", "'check'", "'zero'"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\n@", "zero_on", "-", "'c'"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\nzero_on = 'c'\n@", "zero_at", "3", "4"),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\n@", "still_after", "'1 s'", "'2 s'"),
    (
        "EncoderTable",
        "[encoder.x]\na = 'L0'\nb = 'L1'\nunit = 'mm'\ntravel_per_rev = 5\n@",
        "pulses_per_rev",
        "100",
        "200",
    ),
    (
        "EncoderTable",
        "[encoder.x]\na = 'L0'\nb = 'L1'\nunit = 'mm'\npulses_per_rev = 100\n@",
        "travel_per_rev",
        "5",
        "6",
    ),
    (
        "EncoderTable",
        "[encoder.x]\na = 'L0'\nb = 'L1'\npulses_per_rev = 100\ntravel_per_rev = 5\n@",
        "unit",
        "'mm'",
        "'m'",
    ),
    ("RateTable", "[rate.x]\n@", "of", "'a'", "'b'"),
    ("RateTable", "[rate.x]\nof = 'a'\n@", "method", "'auto'", "'period'"),
    ("RateTable", "[rate.x]\nof = 'a'\nmethod = 'gate'\n@", "window", "'1 s'", "'2 s'"),
    ("RateTable", "[rate.x]\nof = 'a'\n@", "every", "-", "'2 s'"),
    ("RateTable", "[rate.x]\nof = 'a'\nmethod = 'period'\n@", "average", "-", "3"),
    ("RateTable", "[rate.x]\nof = 'a'\nunit = 'rpm'\n@", "pulses_per_rev", "4", "5"),
    ("RateTable", "[rate.x]\nof = 'a'\nmethod = 'period'\n@", "marks", "-", "{ of = 4, missing = 1 }"),
    ("RateTable", "[rate.x]\nof = 'a'\npulses_per_rev = 4\nunit = 'm/s'\n@", "travel_per_rev", "0.5", "0.6"),
    ("RateTable", "[rate.x]\nof = 'a'\npulses_per_rev = 4\n@", "unit", "'rpm'", "'Hz'"),
    ("RateTable", "[rate.x]\nof = 'a'\nunit = 'l/min'\n@", "factor", "2.0", "3.0"),
    ("RateTable", "[rate.x]\nof = 'a'\n@", "zero_after", "'1 s'", "'2 s'"),
    ("WidthTable", "[width.x]\n@", "of", "'a'", "'b'"),
    ("WidthTable", "[width.x]\nof = 'a'\n@", "level", "'high'", "'low'"),
    ("WidthTable", "[width.x]\nof = 'a'\n@", "formula", "-", "'raw * 2'"),
    ("WidthTable", "[width.x]\nof = 'a'\nformula = 'raw * 2'\n@", "unit", "'m'", "'mm'"),
    ("WidthTable", "[width.x]\nof = 'a'\n@", "valid", "-", "[1.0, 2.0]"),
    ("AnalogTable", "[analog.x]\n@", "line", "'R0'", "'R1'"),
    ("AnalogTable", "[analog.x]\nline = 'R0'\n@", "counts", "-", "{ full = 4095, span = 5 }"),
    ("AnalogTable", "[analog.x]\nline = 'R0'\n@", "scale", "-", "{ from = [0, 5], to = [0, 100] }"),
    ("AnalogTable", "[analog.x]\nline = 'R0'\n@", "formula", "-", "'raw * 2'"),
    ("AnalogTable", "[analog.x]\nline = 'R0'\n@", "unit", "-", "'bar'"),
    ("AnalogTable", "[analog.x]\nline = 'R0'\n@", "valid", "-", "[0.0, 5.0]"),
    ("AnalogTable", "[analog.x]\nline = 'R0'\n@", "smooth", "-", "{ over = '1 s', every = '10 ms' }"),
    (
        "ThresholdTable",
        "[analog.r]\nline = 'R0'\n[threshold.x]\non_above = 3\noff_below = 2\n@",
        "of",
        "'r'",
        "'r * 2'",
    ),
    ("RegisterTable", "[register.x]\n@", "line", "'R0'", "'R1'"),
    ("RegisterTable", "[register.x]\nlow = 'R1'\n@", "high", "'R0'", "'R1'"),
    ("RegisterTable", "[register.x]\nhigh = 'R1'\n@", "low", "'R0'", "'R1'"),
    ("RegisterTable", "[register.x]\nline = 'R0'\n@", "bits", "16", "32"),
    ("RegisterTable", "[register.x]\nline = 'R0'\nbits = 16\n@", "signed", "false", "true"),
    ("RegisterTable", "[register.x]\nline = 'R0'\n@", "reset", "-", "'restart'"),
    ("RegisterTable", "[register.x]\nline = 'R0'\n@", "fastest", "'10 kHz'", "'11 kHz'"),
    ("RegisterTable", "[register.x]\nline = 'R0'\n@", "per_count", "0.5", "2.0"),
    ("RegisterTable", "[register.x]\nline = 'R0'\n@", "unit", "'m'", "'l'"),
    ("NumberTable", "[counter.n]\nup = 'a'\n[number.x]\n@", "of", "'n'", "'n + 1'"),
    ("NumberTable", "[counter.n]\nup = 'a'\n[number.x]\nof = 'n'\n@", "scale", "-", "{ from = [0, 5], to = [0, 100] }"),
    ("NumberTable", "[counter.n]\nup = 'a'\n[number.x]\nof = 'n'\n@", "unit", "'m'", "'l'"),
    ("NumberTable", "[counter.n]\nup = 'a'\n[number.x]\nof = 'n'\n@", "valid", "-", "[0.0, 5.0]"),
    ("HoldTable", "[counter.n]\nup = 'a'\n[hold.x]\nat = 'b'\n@", "of", "'n'", "'n + 1'"),
    ("HoldTable", "[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\n@", "at", "'a'", "'b'"),
    ("HoldTable", "[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'b'\n@", "edge", "'falling'", "'both'"),
    ("HoldTable", "[counter.n]\nup = 'a'\n[hold.x]\nof = 'n'\nat = 'b'\n@", "unit", "'m'", "-"),
    ("StatsTable", "[counter.n]\nup = 'a'\n[stats.x]\nwhile = 'b'\n@", "of", "'n'", "'n + 1'"),
    ("StatsTable", "[counter.n]\nup = 'a'\n[stats.x]\nof = 'n'\n@", "while", "'a'", "'b'"),
    ("StatsTable", "[counter.n]\nup = 'a'\n[stats.x]\nof = 'n'\nwhile = 'b'\n@", "unit", "'m'", "-"),
    ("DelayTable", "[delay.x]\nto = 'b'\n@", "from", "'a'", "'c'"),
    ("DelayTable", "[delay.x]\nfrom = 'b'\n@", "to", "'a'", "'c'"),
    ("AnalogOutputTable", "[counter.n]\nup = 'a'\n[analog_output.x]\nrange = [0, 9]\n@", "of", "'n'", "'n + 1'"),
    ("AnalogOutputTable", GIVEN, "signal", "-", "'0-10V'"),
    ("AnalogOutputTable", GIVEN, "range", "[0, 9]", "[0, 8]"),
    (
        "AnalogOutputTable",
        "[counter.n]\nup = 'a'\n[analog_output.x]\nof = 'n'\n@",
        "scale",
        "{ from = [0, 5], to = [4, 20] }",
        "{ from = [0, 6], to = [4, 20] }",
    ),
    ("AnalogOutputTable", GIVEN, "limits", "-", "[4, 20]"),
    ("AnalogOutputTable", GIVEN, "on_fault", "'hold'", "3.5"),
    ("WordTable", "[word.x]\n@", "of", "'R0'", "'R1'"),
    ("WordTable", "[word.x]\nof = 'R0'\n@", "width", "-", "8"),
    ("ThresholdTable", "[analog.r]\nline = 'R0'\n[threshold.x]\nof = 'r'\noff_below = 2\n@", "on_above", "3", "4"),
    ("ThresholdTable", "[analog.r]\nline = 'R0'\n[threshold.x]\nof = 'r'\non_above = 3\n@", "off_below", "1", "2"),
    ("ThresholdTable", "[analog.r]\nline = 'R0'\n[threshold.x]\nof = 'r'\noff_above = 5\n@", "on_below", "3", "4"),
    ("ThresholdTable", "[analog.r]\nline = 'R0'\n[threshold.x]\nof = 'r'\non_below = 3\n@", "off_above", "5", "6"),
    ("ExpectTable", "[expect.x]\nthat = 'a'\n@", "at", "'1 s'", "'2 s'"),
    ("ExpectTable", "[expect.x]\nthat = 'a'\n@", "by", "'1 s'", "'2 s'"),
    ("ExpectTable", "[expect.x]\nthat = 'a'\nwithin = '9 ms'\n@", "after", "'b'", "'NOT b'"),
    ("ExpectTable", "[expect.x]\nthat = 'a'\nafter = 'b'\n@", "within", "'1 ms'", "'2 s'"),
    ("OutputTable2", "[output.x]\n@", "when", "'a'", "'b'"),
    ("OutputTable2", "[output.x]\nwhen = 'a'\n@", "on_delay", "-", "'2 s'"),
    ("OutputTable2", "[output.x]\nwhen = 'a'\n@", "off_delay", "-", "'2 s'"),
    ("OutputTable2", "[output.x]\nwhen = 'a'\n@", "invert", "false", "true"),
    ("OutputTable2", "[output.x]\nwhen = 'a'\n@", "blink", "-", "{ times = 3, on = '1 s', off = '1 s' }"),
    (
        "DebounceTable",
        "[input.x]\nline = 'L0'\n[input.x.debounce]\nmethod = 'sampled'\nevery = '1 ms'\n@",
        "count",
        "2",
        "3",
    ),
    ("EncoderTable", "[encoder.x]\na = 'L0'\nb = 'L1'\npulses_per_rev = 100\n@", "rollover", "-", "1"),
    (
        "RateTable",
        "[rate.x]\nof = 'a'\npulses_per_rev = 1\nunit = 'rpm'\nzero_after = '2 s'\n@",
        "slowest",
        "'60 rpm'",
        "'6 rpm'",
    ),
    ("ExpectTable", "[expect.x]\nalways = true\n@", "that", "'a'", "'b'"),
    ("ExpectTable", "[expect.x]\nthat = 'a'\n@", "always", "true", "false\nat_end = true"),
    ("ExpectTable", "[expect.x]\nthat = 'a'\n@", "at_end", "true", "false\nalways = true"),
    (
        "ExpectTable",
        "[analog.r]\nline = 'R0'\n[expect.x]\nthat = 'r = 3.0'\nat_end = true\n@",
        "tolerance",
        "0.1",
        "0.5",
    ),
    ("DisplayTable", "[display.x]\nrows = 1\ncolumns = 9\n@", "text", "['{a}']", "['{b}']"),
    ("DisplayTable", "[display.x]\ncolumns = 9\ntext = ['{a}']\n@", "rows", "2", "4"),
    ("DisplayTable", "[display.x]\nrows = 1\ncolumns = 9\ntext = ['{a}']\n@", "refresh", "-", "'1 s'"),
    ("RateTable", "[rate.x]\nof = 'a'\n@", "steady", "-", "'±2 %'"),
    ("DisplayTable", "[display.x]\nrows = 1\ntext = ['{a}']\n@", "columns", "1", "16"),
];

/// Rows about wires, on a card whose inputs and outputs are the groups `g` and `q`.
const WIRES: &[Row] = &[
    ("ExpanderTable", CHAIN, "terminals", "-", "{ load = 'Q0', clock = 'Q1', data = 'T0' }"),
    ("ExpanderTable", WIRED_CHAIN, "supply", "'5 V'", "'3.3 V'"),
    ("ExpanderTable", WIRED_CHAIN, "cable", "-", "'90 m'"),
    ("InputTable2", FAST, "shortest_pulse", "-", "'1 us'"),
    ("InputTable2", FAST, "fastest", "-", "'1 MHz'"),
    ("SensorTable", OF_FAST, "highest_frequency", "-", "'2 Hz'"),
    ("SensorTable", OF_FAST, "shortest_hold", "-", "'1 us'"),
    ("SensorTable", OF_TURNING, "pulses_per_rev", "-", "6000"),
    ("SensorTable", OF_TURNING, "pulse_share", "-", "'0.1 %'"),
    ("SensorTable", OF_TURNING, "quadrature", "false", "true"),
    ("SensorTable", BOUNCES, "bounce", "-", "'50 ms'"),
    ("SensorTable", CURRENT, "burden", "-", "'100 ohm'"),
    ("CardTable", CARD, "reserved", "-", "{ T0 = 'programming' }"),
    ("InputTable", LOW, "off_below", "-", "'1 V'"),
    ("InputTable", OF_GROUP, "filter", "-", "'90 ms'"),
    ("InputTable", OF_GROUP, "highest_frequency", "-", "'2 Hz'"),
    ("InputTable", FILTERED, "schmitt", "true", "false"),
    ("InputTable", ANALOG_GROUP, "mode", "'voltage'", "'current'"),
    ("InputTable", ANALOG_GROUP, "signal", "'0-10V'", "'0-5V'"),
    ("OutputTable", SWITCH, "kind", "'transistor'", "'relay'"),
    ("AnalogTable", MEASURED, "sensor", "-", "'s'"),
    ("AnalogTable", MEASURED, "terminal", "'T0'", "'T1'"),
    ("AnalogTable", MEASURED, "cable", "-", "'90 m'"),
    ("AnalogTable", MEASURED, "device", "-", "'D'"),
    ("AnalogTable", LOADED, "wiring", "-", "{ filter = { resistance = '100k', capacitance = '1 uF' } }"),
    ("AnalogTable", MEASURED, "wire", "-", "[{ shunt = '250 ohm' }]"),
    (
        "PartTable",
        "[sensor.s]\noutput = 'current_loop'\nsignal = '4-20mA'\n[[input.x.wire]]\n@",
        "shunt",
        "'100 ohm'",
        "'250 ohm'",
    ),
    ("InputTable2", WIRED, "sensor", "'s'", "'t'"),
    ("InputTable2", WIRED, "terminal", "'T0'", "'T1'"),
    ("InputTable2", WIRED, "cable", "-", "'300 m'"),
    ("InputTable2", WIRED, "wiring", "-", "{ pull_up = '10k' }"),
    ("InputTable2", WIRED, "wire", "-", "[{ series = '1k' }]"),
    (
        "InputTable2",
        "[input.y]\nline = 'L1'\nsensor = 's'\nterminal = 'T1'\ndevice = 'D'\n[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\n@",
        "device",
        "-",
        "'D'",
    ),
    ("InputTable2", WIRED, "role", "-", "'stop'"),
    ("InputTable2", WIRED, "address", "-", "'%IX0.0'"),
    ("InputTable2", WIRED, "remark", "-", "'by the door'"),
    (
        "LatchTable",
        "[input.x]\nline = 'L0'\nrole = 'stop'\n[latch.y]\nset = 'a'\nreset = 'x'\ndominant = 'set'\n@",
        "role",
        "-",
        "'run'",
    ),
    ("SensorTable", "[sensor.s]\n@", "output", "'pnp'", "'npn'"),
    ("SensorTable", "[sensor.s]\noutput = 'contact'\n@", "contact", "-", "'NC'"),
    ("SensorTable", PNP, "supply", "-", "['10 V', '15 V']"),
    ("SensorTable", PNP, "current", "-", "'30 mA'"),
    ("SensorTable", PNP, "drop", "-", "'2 V'"),
    ("SensorTable", "[sensor.s]\noutput = 'two_wire'\n@", "leakage", "-", "'2 mA'"),
    ("SensorTable", PNP, "most_current", "-", "'1 mA'"),
    ("SensorTable", "[sensor.s]\noutput = 'two_wire'\n@", "least_current", "-", "'50 mA'"),
    ("SensorTable", "[sensor.s]\noutput = 'npn'\n@", "pull_up", "-", "'10k'"),
    ("SensorTable", "[sensor.s]\noutput = 'logic'\n@", "high", "-", "'3 V'"),
    ("SensorTable", "[sensor.s]\noutput = 'logic'\n@", "low", "-", "'8 V'"),
    ("SensorTable", PNP, "pins", "-", "{ out = '7 PK' }"),
    ("Pins", "[sensor.s]\noutput = 'pnp'\n[sensor.s.pins]\n@", "plus", "-", "'1 WH'"),
    ("Pins", "[sensor.s]\noutput = 'pnp'\n[sensor.s.pins]\n@", "zero", "-", "'3 GN'"),
    ("Pins", "[sensor.s]\noutput = 'pnp'\n[sensor.s.pins]\n@", "out", "-", "'7 PK'"),
    ("SensorTable", ANALOG, "signal", "-", "'4-20mA'"),
    ("CardTable", CARD, "supply", "'24 V'", "'12 V'"),
    ("CardTable", CARD, "plate", "-", "'5 V'"),
    ("CardTable", CARD, "sensor_supply", "-", "{ voltage = '12 V' }"),
    ("SensorSupply", FEED, "voltage", "'24 V'", "'12 V'"),
    ("SensorSupply", FEED, "loaded", "-", "'9 V'"),
    ("SensorSupply", FEED, "current", "-", "'1 mA'"),
    ("InputTable", GROUP, "terminals", "['T0', 'T1', 'T2']", "['T0', 'T1', 'T3']"),
    ("InputTable", GROUP, "standard", "-", "'type 3'"),
    ("InputTable", GROUP, "common", "-", "'plus'"),
    ("InputTable", GROUP, "supply", "-", "'5 V'"),
    ("InputTable", GROUP, "reserved", "-", "{ T2 = 'programming' }"),
    ("InputTable", GROUP, "on_above", "-", "'23 V'"),
    ("InputTable", GROUP, "resistance", "-", "'4.7k'"),
    ("InputTable", GROUP, "current", "-", "'3 mA'"),
    ("InputTable", GROUP, "least", "-", "'2 V'"),
    ("InputTable", GROUP, "most", "-", "'20 V'"),
    ("InputTable", GROUP, "pull_up", "-", "{ value = '10k' }"),
    ("InputTable", GROUP, "pull_down", "-", "{ value = '10k' }"),
    ("InputTable", GROUP, "tied_to_zero", "-", "['T2']"),
    ("InputTable", GROUP, "tied_to_plus", "-", "['T2']"),
    ("PullResistor", "[card.c.inputs.g.pull_down]\n@", "value", "'10k'", "'20k'"),
    ("PullResistor", "[card.c.inputs.g.pull_down]\nvalue = '10k'\n@", "on", "true", "false"),
    ("PullResistor", "[card.c.inputs.g.pull_down]\nvalue = '10k'\n@", "tolerance", "-", "'30 %'"),
    ("OutputTable", OUTPUTS, "terminals", "['Q0', 'Q1']", "['Q0', 'Q2']"),
    ("OutputTable", OUTPUTS, "drives", "'sourcing'", "'sinking'"),
    ("OutputTable", OUTPUTS, "supply", "-", "'5 V'"),
    ("OutputTable", OUTPUTS, "current", "-", "'1 mA'"),
    ("OutputTable", OUTPUTS, "peak", "-", "'1 mA'"),
    ("OutputTable", OUTPUTS, "group_current", "-", "'1 mA'"),
    ("OutputTable", OUTPUTS, "reserved", "-", "{ Q0 = 'alarm' }"),
    ("Load", LOAD, "kind", "'lamp'", "'relay_coil'"),
    ("Load", LOAD, "tied_to", "-", "'plus'"),
    ("Load", LOAD, "supply", "-", "'5 V'"),
    ("Load", LOAD, "current", "'40 mA'", "'9 A'"),
    ("Load", LED, "resistance", "'1k'", "'10 ohm'"),
    ("Load", LED, "forward", "'2 V'", "'30 V'"),
    ("Load", COIL, "diode", "false", "true"),
    ("Load", COIL, "suppressor", "-", "'diode'"),
    ("OutputTable2", "[output.o]\nwhen = 'a'\n@", "terminal", "-", "'Q0'"),
    ("OutputTable2", "[output.o]\nwhen = 'a'\nterminal = 'Q0'\n@", "load", "-", "{ kind = 'lamp', current = '9 A' }"),
    (
        "OutputTable2",
        "[output.o]\nwhen = 'a'\nterminal = 'Q0'\nload = { kind = 'lamp', current = '40 mA' }\n@",
        "cable",
        "-",
        "'900 m'",
    ),
    ("WiringTable", WIRING, "supply", "-", "'12 V'"),
    ("WiringTable", WIRING, "cable_area_mm2", "-", "0.05"),
    ("WiringTable", WIRING, "cable_pf_per_m", "-", "9000.0"),
    ("WiringTable", WIRING, "pull_up", "-", "'10k'"),
    ("WiringTable", WIRING, "pull_down", "-", "'10k'"),
    ("WiringTable", WIRING, "filter", "-", "{ resistance = '10k', capacitance = '1 uF' }"),
    ("FilterTable", FILTER, "resistance", "'10k'", "'20k'"),
    ("FilterTable", FILTER, "capacitance", "'1 uF'", "'2 uF'"),
    ("PartTable", PART, "series", "'1k'", "'2k'"),
    ("PartTable", PART, "pull_up", "'1k'", "'2k'"),
    ("PartTable", PART, "pull_down", "'1k'", "'2k'"),
    ("PartTable", PART, "capacitor", "'1 uF'", "'2 uF'"),
    ("PartTable", "[[input.x.wire]]\npull_up = '1k'\n@", "to", "'24 V'", "'5 V'"),
    ("PartTable", "[[input.x.wire]]\nconverter = 'level'\nto = '5 V'\n@", "from", "'24 V'", "'12 V'"),
    ("PartTable", "[[input.x.wire]]\npull_down = '1k'\n@", "tolerance", "-", "'20 %'"),
    ("PartTable", "[[input.x.wire]]\npull_down = '1k'\n@", "power", "-", "'0.1 W'"),
    ("PartTable", "[[input.x.wire]]\npull_down = '1k'\n@", "at", "'terminal'", "'sensor'"),
];

/// What stands around a row about wires, where the row does not bring it.
const AROUND: [&str; 6] = [
    "[sensor.s]\noutput = 'pnp'",
    "[sensor.t]\noutput = 'push_pull'",
    "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\ncable = '10 m'",
    "[card.c]\nsupply = '24 V'",
    "[card.c.inputs.g]\nterminals = ['T0', 'T1', 'T2']\ncommon = 'zero'\nstandard = 'type 1'\nresistance = '4.7k'",
    "[card.c.outputs.q]\nterminals = ['Q0', 'Q1']\nkind = 'transistor'\ndrives = 'sourcing'\ncurrent = '0.5 A'",
];
const WIRED: &str = "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\n@";
const PNP: &str = "[sensor.s]\noutput = 'pnp'\n@";
const FAST: &str = "[card.c.inputs.g]\nterminals = ['T0']\nstandard = 'type 1'\ncommon = 'zero'\nfilter = '3 ms'\n\
                    [input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\n@";
const OF_FAST: &str = "[card.c.inputs.g]\nterminals = ['T0']\nstandard = 'type 1'\ncommon = 'zero'\nfilter = '3 ms'\n\
                       [input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\nfastest = '10 Hz'\n[sensor.s]\noutput = 'pnp'\n@";
const OF_TURNING: &str = "[card.c.inputs.g]\nterminals = ['T0']\nstandard = 'type 1'\ncommon = 'zero'\nfilter = '30 ms'\n\
     [input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\nfastest = '60 rpm'\n[sensor.s]\noutput = 'pnp'\n@\npulses_per_rev = 10";
const OF_GROUP: &str = "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\nfastest = '10 Hz'\n\
                        [card.c.inputs.g]\nterminals = ['T0']\nstandard = 'type 1'\ncommon = 'zero'\n@";
const BOUNCES: &str = "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\ndebounce = { method = 'stable', time = '9 ms' }\n\
                       [sensor.s]\noutput = 'contact'\n@";
const CURRENT: &str = "[analog.y]\nline = 'R0'\nsensor = 's'\nterminal = 'T0'\nwire = [{ shunt = '250 ohm' }]\n\
     [card.c.inputs.g]\nterminals = ['T0']\nmode = 'voltage'\nsignal = '0-5V'\n[input.x]\nline = 'L0'\n\
     [sensor.s]\noutput = 'current_loop'\nsignal = '4-20mA'\n@";
const ANALOG_GROUP: &str = "[analog.y]\nline = 'R0'\nsensor = 's'\nterminal = 'T0'\n[sensor.s]\noutput = 'voltage'\n signal = '0-10V'\n\
     [input.x]\nline = 'L0'\n[card.c.inputs.g]\nterminals = ['T0']\nmode = 'voltage'\n@";
const MEASURED: &str = "[card.c.inputs.g]\nterminals = ['T0', 'T1']\nmode = 'voltage'\nsignal = '0-10V'\n[sensor.s]\noutput = 'voltage'\n\
     signal = '0-10V'\n[input.x]\nline = 'L0'\n[analog.y]\nline = 'R0'\nterminal = 'T0'\n@";
const LOADED: &str = "[card.c.inputs.g]\nterminals = ['T0']\nmode = 'voltage'\nsignal = '0-10V'\nresistance = '10k'\n\
     [sensor.s]\noutput = 'voltage'\nsignal = '0-10V'\n[input.x]\nline = 'L0'\n[analog.y]\nline = 'R0'\nsensor = 's'\nterminal = 'T0'\n@";
const LOW: &str = "[sensor.s]\noutput = 'logic'\nlow = '2 V'\nhigh = '24 V'\n[card.c.inputs.g]\nterminals = ['T0']\non_above = '15 V'\n@";
const FILTERED: &str = "[sensor.s]\noutput = 'push_pull'\n\
     [input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\nwiring = { filter = { resistance = '10k', capacitance = '100 nF' } }\n\
     [card.c]\nsupply = '3.3 V'\n[card.c.inputs.g]\nterminals = ['T0']\n@";
const SWITCH: &str = "[output.o]\nwhen = 'a'\nterminal = 'Q0'\nload = { kind = 'relay_coil', current = '40 mA' }\n\
                      [card.c.outputs.q]\nterminals = ['Q0']\ndrives = 'sourcing'\n@";
const ANALOG: &str = "[card.c.inputs.g]\nterminals = ['T0']\nmode = 'current'\nresistance = '250 ohm'\n[sensor.s]\noutput = 'current_loop'\n@";
const CARD: &str = "[card.c]\n@\nsupply = '24 V'";
const FEED: &str = "[card.c]\nsupply = '24 V'\n[card.c.sensor_supply]\n@\nvoltage = '24 V'";
const GROUP: &str = "[card.c.inputs.g]\nterminals = ['T0', 'T1', 'T2']\n@";
const OUTPUTS: &str = "[output.o]\nwhen = 'a'\nterminal = 'Q0'\nload = { kind = 'lamp', current = '40 mA' }\n\
                       [card.c.outputs.q]\nterminals = ['Q0', 'Q1']\nkind = 'transistor'\ndrives = 'sourcing'\n@";
const LOAD: &str = "[output.o]\nwhen = 'a'\nterminal = 'Q0'\n[output.o.load]\nkind = 'lamp'\ncurrent = '40 mA'\n@";
const LED: &str = "[output.o]\nwhen = 'a'\nterminal = 'Q0'\n[output.o.load]\nkind = 'led'\nresistance = '1k'\nforward = '2 V'\ncurrent = '10 mA'\n@";
const COIL: &str =
    "[output.o]\nwhen = 'a'\nterminal = 'Q0'\n[output.o.load]\nkind = 'relay_coil'\ncurrent = '40 mA'\n@";
const WIRING: &str =
    "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\ncable = '900 m'\nfastest = '1 kHz'\n[input.x.wiring]\n@";
const FILTER: &str = "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\nfastest = '1 kHz'\n[input.x.wiring.filter]\nresistance = '10k'\ncapacitance = '1 uF'\n@";
const PART: &str = "[input.x]\nline = 'L0'\nsensor = 's'\nterminal = 'T0'\nfastest = '1 kHz'\n[[input.x.wire]]\n@";

const GIVEN: &str = "[counter.n]\nup = 'a'\n[analog_output.x]\nof = 'n'\nrange = [0, 9]\n@";
const RC: &str = "[input.x]\nline = 'L0'\n[input.x.debounce]\nmethod = 'rc'\n@\nresistance = '10k'\ncapacitance = '1 uF'\n\
                  supply = '5 V'\nrise_at = '3 V'\nfall_at = '1 V'";
const CHAIN: &str = "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [R8]\n@";
const WIRED_CHAIN: &str = "[expander.e]\nload = 'L0'\nclock = 'L1'\ndata = 'L2'\nregisters = [R8]\n\
     terminals = { load = 'Q0', clock = 'Q1', data = 'T0' }\n@";
const REGISTERS: [(&str, &str); 2] = [
    ("R8", "['p0', 'p1', 'p2', 'p3', 'p4', 'p5', 'p6', 'p7']"),
    ("S8", "['s0', 's1', 's2', 's3', 's4', 's5', 's6', 's7']"),
];

/// Keys without a row: two that one row tries for all points, two that hold tables of their own, and one that has one word.
const WITHOUT_ROW: [&str; 5] = ["address", "remark", "inputs", "outputs", "converter"];

/// The station with the key written one way. A key that the base has already is replaced there.
fn written(row: &Row, value: &str) -> String {
    let (_, base, key, ..) = *row;
    let others = base.lines().filter(|line| !line.starts_with(&format!("{key} = ")));
    let line = if value == "-" { String::new() } else { format!("{key} = {value}") };
    let mut station = others.collect::<Vec<_>>().join("\n").replace('@', &line);
    // The title stands above all tables.
    station.push_str(&format!("\n{INPUTS}"));
    if WIRES.contains(row) {
        let missing = AROUND.iter().filter(|table| !base.contains(table.lines().next().unwrap_or_default()));
        missing.for_each(|table| station.push_str(&format!("{table}\n")));
    }
    REGISTERS.iter().fold(station, |station, (short, points)| station.replace(short, points))
}

/// Everything that a station does, finds and says, without the places of its words in the file.
fn told(source: &str) -> Result<String, Vec<StationError>> {
    let station = parse(source)?;
    let bits = (0..4).map(|number| (format!("L{number}"), number, LineKind::Level));
    let numbers = (0..2).map(|number| (format!("R{number}"), number, LineKind::Real));
    let recorded: Vec<RecordedLine> =
        bits.chain(numbers).map(|(name, signal, kind)| RecordedLine { name, signal, kind, step: None }).collect();
    let plan = compile(&station, &recorded, Nanos(1))?;
    let words: Vec<String> =
        station.points.iter().map(|point| format!("{} {:?}", point.name, point.described)).collect();
    let checked = check(&station);
    let summaries = plan.program.start().summaries(Nanos(0));
    let of = |name: &Reference| Some(Value::Bit(name.point == "a"));
    let displays: Vec<_> = station.displays.iter().map(|display| (display.rows(&of), display.refresh)).collect();
    let kept = (station.history_keep, station.retained());
    Ok(format!(
        "{:?} {words:?} {:?} {:?} {:?} {summaries:?} {checked:?} {displays:?} {kept:?}",
        station.title, plan.program, plan.signals, plan.numbers
    ))
}

#[test]
fn every_key_of_every_point_changes_what_the_station_does() {
    let wrong = |row: &&Row| {
        let [one, other] = [row.3, row.4].map(|value| told(&written(row, value)));
        match (one, other) {
            (Ok(one), Ok(other)) => (one == other).then(|| "nothing".to_owned()),
            (Err(errors), _) | (_, Err(errors)) => Some(format!("{errors:?}")),
        }
    };
    let idle = POINTS.iter().chain(WIRES).filter_map(|row| {
        wrong(&row).map(|wrong| format!("`{}` of {}: {wrong} in\n{}", row.2, row.0, written(row, row.4)))
    });
    let idle: Vec<String> = idle.collect();
    assert!(idle.is_empty(), "these keys do nothing: {}", idle.join("\n\n"));
}

/// The keys of the tables that a schema knows, with the names of their tables.
fn keys_of_schema() -> BTreeSet<(String, String)> {
    let schema = serde_json::to_value(schema()).unwrap();
    let keys = |table: &str, value: &serde_json::Value| -> Vec<(String, String)> {
        let properties = value["properties"].as_object().into_iter().flatten();
        properties.map(|(key, _)| (table.to_owned(), key.clone())).collect()
    };
    let tables = schema["$defs"].as_object().unwrap().iter();
    tables.flat_map(|(table, value)| keys(table, value)).collect()
}

#[test]
fn every_key_of_the_schema_is_tried() {
    let tried: BTreeSet<(&str, &str)> = POINTS.iter().chain(WIRES).map(|row| (row.0, row.2)).collect();
    let tables: BTreeSet<&str> = tried.iter().map(|(table, _)| *table).collect();
    let missing: Vec<(String, String)> = keys_of_schema()
        .into_iter()
        .filter(|(table, key)| {
            tables.contains(table.as_str())
                && !WITHOUT_ROW.contains(&key.as_str())
                && !tried.contains(&(table.as_str(), key.as_str()))
        })
        .collect();
    assert_eq!(missing, [], "these keys are in no row");
}
