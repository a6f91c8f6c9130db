//! Random stations: points of every kind that is written, each reading those before it.

use proptest::prelude::*;

/// Where the choices come from.
struct Choices {
    rest: std::vec::IntoIter<u32>,
}

impl Choices {
    fn below(&mut self, count: usize) -> usize {
        self.rest.next().unwrap_or(0) as usize % count
    }

    fn one<'a, T: ?Sized>(&mut self, of: &[&'a T]) -> &'a T {
        of[self.below(of.len())]
    }

    fn time(&mut self) -> String {
        format!("{} us", [1_000, 2_500, 7_300, 12_000, 31_000, 64_000][self.below(6)])
    }

    fn optional(&mut self, text: impl FnOnce(&mut Self) -> String) -> String {
        if self.below(2) == 0 { String::new() } else { text(self) }
    }
}

#[derive(Default)]
struct Known {
    text: String,
    bits: Vec<String>,
    wholes: Vec<String>,
    reals: Vec<String>,
    timers: Vec<String>,
    /// Whether some points work past the scan.
    between_scans: bool,
}

impl Known {
    fn bit(&self, choices: &mut Choices) -> String {
        self.bits[choices.below(self.bits.len())].clone()
    }

    /// A bit, or an expression over some.
    fn expression(&self, choices: &mut Choices) -> String {
        let (one, other) = (self.bit(choices), self.bit(choices));
        match choices.below(8) {
            0 => format!("{one} AND {other}"),
            1 => format!("{one} OR NOT {other}"),
            2 => format!("{one} XOR {other}"),
            3 if !self.wholes.is_empty() => {
                let (whole, operator) =
                    (&self.wholes[choices.below(self.wholes.len())], choices.one(&[">", "<=", "=", "<>"]));
                let arithmetic = choices.one(&["", " + 1", " * 3", " / 2", " MOD 4"]);
                format!("{whole}{arithmetic} {operator} {}", choices.below(7))
            }
            4 if !self.timers.is_empty() => {
                let (timer, operator) =
                    (&self.timers[choices.below(self.timers.len())], choices.one(&[">", ">=", "<", "<="]));
                format!("{timer}.elapsed {operator} T#{}us", 1000 * (choices.below(40) + 1))
            }
            _ => one,
        }
    }

    fn number(&self, choices: &mut Choices) -> String {
        let all: Vec<&String> = self.wholes.iter().chain(&self.reals).collect();
        let (one, other) = (all[choices.below(all.len())], all[choices.below(all.len())]);
        match choices.below(9) {
            0 => format!("{one} + {other} * 2"),
            1 => format!("MAX({one}, {other}, 1)"),
            2 => format!("SEL({}, {one}, {other})", self.bit(choices)),
            3 => format!("{one} / {other}"),
            4 => format!("LIMIT(-2, {one}, 5)"),
            5 => format!("ABS({one}) - {other}"),
            6 => format!("SQRT({one})"),
            7 => format!("ROUND({one} * 0.3) + TRUNC({other} * 0.7)"),
            _ => one.clone(),
        }
    }

    fn add(&mut self, kind: &str, name: &str, settings: &[String]) {
        self.text += &format!("[{kind}.{name}]\n");
        for setting in settings.iter().filter(|setting| !setting.is_empty()) {
            self.text += &format!("{setting}\n");
        }
    }

    fn point(&mut self, number: usize, choices: &mut Choices) {
        let name = format!("p{number}");
        let (bit, expression) = (self.bit(choices), self.expression(choices));
        let kinds = if self.wholes.is_empty() { 12 } else { 17 };
        if choices.below(10) == 0 {
            return self.register(&name, &bit, choices);
        }
        if self.between_scans && choices.below(5) == 0 {
            return self.between_scans(&name, choices);
        }
        match choices.below(kinds) {
            0 => self.input(&name, choices),
            1 => {
                let settings = vec![
                    format!("of = '{expression}'"),
                    choices.optional(|_| "edge = 'falling'".to_owned()),
                    choices.optional(|choices| format!("width = '{}'", choices.time())),
                ];
                self.add("oneshot", &name, &settings);
                self.bits.push(name);
            }
            2 => {
                let dominant = choices.optional(|_| "dominant = 'set'".to_owned());
                self.add("latch", &name, &[format!("set = '{expression}'"), format!("reset = '{bit}'"), dominant]);
                self.bits.push(name);
            }
            3 => {
                let reset = choices.optional(|_| format!("reset = '{bit}'"));
                self.add("toggle", &name, &[format!("by = '{expression}'"), reset]);
                self.bits.push(name);
            }
            4 => {
                let kind = choices.one(&["on_delay", "off_delay", "pulse"]);
                let settings = [
                    format!("of = '{expression}'"),
                    format!("kind = '{kind}'"),
                    format!("time = '{}'", choices.time()),
                ];
                self.add("timer", &name, &settings);
                self.timers.push(name.clone());
                self.bits.push(name);
            }
            5 => {
                self.add(
                    "pair",
                    &name,
                    &[
                        format!("no = '{expression}'"),
                        format!("nc = '{bit}'"),
                        format!("within = '{}'", choices.time()),
                    ],
                );
                self.bits.extend([name.clone(), format!("{name}.fault")]);
            }
            6 => {
                let blink = match choices.below(3) {
                    0 => format!(
                        "blink = {{ times = {}, on = '{}', off = '{}' }}",
                        choices.below(3) + 1,
                        choices.time(),
                        choices.time()
                    ),
                    1 => {
                        format!("blink = {{ while_on = true, on = '{}', off = '{}' }}", choices.time(), choices.time())
                    }
                    _ => String::new(),
                };
                let settings = [
                    format!("when = '{expression}'"),
                    choices.optional(|_| "invert = true".to_owned()),
                    choices.optional(|choices| format!("on_delay = '{}'", choices.time())),
                    choices.optional(|choices| format!("off_delay = '{}'", choices.time())),
                    blink,
                ];
                self.add("output", &name, &settings);
                self.bits.push(name);
            }
            7 | 8 => self.counter(&name, &bit, choices),
            9 => {
                let bits: Vec<String> = (0..choices.below(5) + 1).map(|_| format!("'{}'", self.bit(choices))).collect();
                let code = choices.one(&["binary", "gray", "bcd"]);
                let bits = if code == "bcd" { vec![bits[0].clone(); 4 * (bits.len() % 2 + 1)] } else { bits };
                self.add("word", &name, &[format!("bits = [{}]", bits.join(", ")), format!("code = '{code}'")]);
                self.wholes.push(name.clone());
                if code == "bcd" {
                    self.bits.push(format!("{name}.invalid"));
                }
            }
            10 => self.rate(&name, &bit, choices),
            11 => self.encoder(&name, choices),
            12 => {
                let number = self.number(choices);
                let inverted = choices.below(2) == 0;
                let levels =
                    if inverted { ["on_below = 1.5", "off_above = 3"] } else { ["on_above = 3.5", "off_below = 2"] };
                self.add("threshold", &name, &[format!("of = '{number}'"), levels[0].to_owned(), levels[1].to_owned()]);
                self.bits.push(name);
            }
            13 => {
                let number = self.number(choices);
                let valid = choices.optional(|_| "valid = [-3.0, 20.0]".to_owned());
                self.add("number", &name, &[format!("of = '{number}'"), valid]);
                self.reals.push(name.clone());
                self.bits.push(format!("{name}.fault"));
            }
            14 => {
                let number = self.number(choices);
                let edge = choices.one(&["rising", "falling", "both"]);
                self.add(
                    "hold",
                    &name,
                    &[format!("of = '{number}'"), format!("at = '{bit}'"), format!("edge = '{edge}'")],
                );
                self.reals.push(name);
            }
            15 => {
                let number = self.number(choices);
                self.add("analog_output", &name, &[format!("of = '{number}'"), "range = [-2, 6]".to_owned()]);
            }
            _ => {
                let valid = choices.optional(|_| "valid = [0.002, 0.05]".to_owned());
                let formula = choices.optional(|_| "formula = 'raw * 3 / (raw - 0.01)'".to_owned());
                let level = choices.one(&["high", "low"]);
                self.add("width", &name, &[format!("of = '{bit}'"), format!("level = '{level}'"), valid, formula]);
                self.reals.push(name);
            }
        }
    }

    /// A count that a device keeps, a counter of its steps and its rate.
    fn register(&mut self, name: &str, bit: &str, choices: &mut Choices) {
        let settings = [
            "line = 'N2'".to_owned(),
            choices.one(&["", "bits = 6", "bits = 6\nsigned = true", "bits = 7"]).to_owned(),
            choices.optional(|_| "reset = 'restart'".to_owned()),
            choices.optional(|_| "fastest = '2 kHz'".to_owned()),
            choices.optional(|_| "per_count = 0.25\nunit = 'kg'".to_owned()),
        ];
        self.add("register", name, &settings);
        self.wholes.push(name.to_owned());
        let settings = [
            format!("up = '{name}'\nreset = '{bit}'"),
            choices.optional(|choices| format!("limits = [-20, 30]\nat_limit = '{}'", choices.one(&["stop", "wrap"]))),
            choices.optional(|_| "presets = [5, 25]".to_owned()),
        ];
        self.add("counter", &format!("{name}_counted"), &settings);
        self.wholes.extend([format!("{name}_counted"), format!("{name}_counted.band")]);
        self.add("rate", &format!("{name}_rate"), &[format!("of = '{name}'\nevery = '20 ms'")]);
        self.reals.push(format!("{name}_rate"));
        self.bits.push(format!("{name}_rate.stopped"));
    }

    /// What works past the scan.
    fn between_scans(&mut self, name: &str, choices: &mut Choices) {
        let line = choices.below(super::LINES);
        match choices.below(4) {
            0 => {
                self.add("input", name, &[format!("line = 'L{line}'"), "catch = true".to_owned()]);
                self.bits.push(name.to_owned());
            }
            1 => {
                self.add("input", &format!("{name}_fast"), &[format!("line = 'L{line}'"), "scan = false".to_owned()]);
                let settings = [
                    format!("up = '{name}_fast'\nscan = false"),
                    choices.optional(|choices| format!("edge = '{}'", choices.one(&["falling", "both"]))),
                    choices.optional(|choices| format!("gate = '{}'", self.bits[choices.below(4)])),
                    choices.optional(|_| format!("reset = '{}'", self.bits[0])),
                    choices.optional(|_| "presets = [3, 9]\nat_last = 'restart'".to_owned()),
                    choices.optional(|_| "limits = [-4, 20]\nat_limit = 'wrap'".to_owned()),
                ];
                self.add("counter", name, &settings);
                self.wholes.push(name.to_owned());
                self.bits.extend([format!("{name}_fast"), format!("{name}.done")]);
            }
            2 => {
                let settings = [
                    "a = 'L0'\nb = 'L1'\nscan = false".to_owned(),
                    format!("decode = '{}'", choices.one(&["x1", "x2", "x4"])),
                    choices.optional(|_| "index = 'L2'\nindex_does = 'zero'".to_owned()),
                    format!("still_after = '{}'", choices.time()),
                ];
                self.add("encoder", name, &settings);
                self.bits.extend(["moving", "forward"].map(|field| format!("{name}.{field}")));
                self.wholes.push(format!("{name}.position"));
            }
            _ => {
                self.add("input", &format!("{name}_fast"), &[format!("line = 'L{line}'"), "scan = false".to_owned()]);
                let method =
                    choices.one(&["method = 'gate'\nwindow = '40 ms'", "every = '20 ms'\nzero_after = '90 ms'"]);
                self.add("rate", name, &[format!("of = '{name}_fast'\nscan = false"), method.to_owned()]);
                self.reals.push(name.to_owned());
                self.bits.push(format!("{name}.stopped"));
            }
        }
    }

    fn input(&mut self, name: &str, choices: &mut Choices) {
        let debounce = match choices.below(6) {
            0 => format!("debounce = '{}'", choices.time()),
            1 => format!("debounce = {{ method = 'stable', on = '{}', off = '{}' }}", choices.time(), choices.time()),
            2 => format!("debounce = {{ method = 'lockout', on = '{}', off = '{}' }}", choices.time(), choices.time()),
            3 => format!(
                "debounce = {{ method = 'sampled', every = '{} ms', count = {} }}",
                [10, 20][choices.below(2)],
                choices.below(4) + 1
            ),
            4 => format!("debounce = {{ method = 'stable', on = '0 ms', off = '{}' }}", choices.time()),
            _ => String::new(),
        };
        let line = choices.below(super::LINES);
        let of = match choices.below(3) {
            0 => format!("of = '{}'", self.bits[0]),
            _ => format!("line = 'L{line}'"),
        };
        let settings = [of, choices.optional(|_| "asserted = 'low'".to_owned()), debounce];
        self.add("input", name, &settings);
        self.bits.push(name.to_owned());
    }

    fn counter(&mut self, name: &str, bit: &str, choices: &mut Choices) {
        let (up, down) = (self.expression(choices), self.bit(choices));
        let presets = choices.optional(|_| "presets = [2, 3, 6]".to_owned());
        let restarts = !presets.is_empty() && choices.below(2) == 0;
        let scans = choices.below(5) == 0;
        let settings = [
            format!("up = '{up}'"),
            choices.optional(|_| format!("down = '{down}'")),
            presets,
            if restarts { "at_last = 'restart'".to_owned() } else { String::new() },
            if scans {
                "count = 'scans'".to_owned()
            } else {
                choices.optional(|choices| format!("edge = '{}'", choices.one(&["falling", "both"])))
            },
            choices.optional(|_| format!("reset = '{bit}'")),
            choices.optional(|choices| format!("gate = '{}'", self.bit(choices))),
            choices.optional(|choices| {
                let at_limit = choices.one(&["stop", "wrap"]);
                format!("limits = [-2, 7]\nat_limit = '{at_limit}'")
            }),
            choices.optional(|choices| {
                let stepping = self.wholes.first().filter(|_| choices.below(2) == 0).cloned();
                let loaded = stepping.unwrap_or_else(|| choices.one(&["4", "1"]).to_owned());
                format!("load = '{}'\nload_to = '{loaded}'", self.bit(choices))
            }),
        ];
        let has_down = !settings[1].is_empty();
        self.add("counter", name, &settings);
        self.wholes.extend([name.to_owned(), format!("{name}.band")]);
        self.bits.push(format!("{name}.done"));
        if has_down {
            self.bits.push(format!("{name}.at_zero"));
        }
    }

    fn rate(&mut self, name: &str, bit: &str, choices: &mut Choices) {
        let zero_after = choices.optional(|choices| format!("zero_after = '{}'", choices.time()));
        let mut settings = match choices.below(3) {
            0 => vec!["method = 'gate'".to_owned(), "window = '40 ms'".to_owned()],
            1 => vec!["method = 'period'".to_owned(), format!("average = {}", choices.below(3) + 1), zero_after],
            _ => vec!["every = '20 ms'".to_owned(), zero_after],
        };
        settings.push(format!("of = '{bit}'"));
        settings.push(choices.optional(|_| "unit = 'rpm'\npulses_per_rev = 6".to_owned()));
        self.add("rate", name, &settings);
        self.reals.push(name.to_owned());
        self.bits.push(format!("{name}.stopped"));
    }

    fn encoder(&mut self, name: &str, choices: &mut Choices) {
        let index = match choices.below(4) {
            0 => "index = 'L2'\nindex_does = 'zero'".to_owned(),
            1 => format!("index = 'L2'\nzero_on = '{}'\nindex_does = 'home'", self.bits[1]),
            2 => format!("zero_on = '{}'\nzero_at = 5", self.bits[1]),
            _ => String::new(),
        };
        let units = choices.below(2) == 0;
        let settings = [
            "a = 'L0'\nb = 'L1'".to_owned(),
            format!("decode = '{}'", choices.one(&["x1", "x2", "x4"])),
            choices.optional(|_| "reverse = true".to_owned()),
            index,
            format!("still_after = '{}'", choices.time()),
            if units { "pulses_per_rev = 3\ntravel_per_rev = 0.7\nunit = 'mm'".to_owned() } else { String::new() },
        ];
        self.add("encoder", name, &settings);
        self.bits.extend(["moving", "forward", "fault"].map(|field| format!("{name}.{field}")));
        self.wholes.push(format!("{name}.position"));
        if units {
            self.reals.push(name.to_owned());
        }
    }
}

/// A station on the lines `L0` to `L4` and `N0`, `N1`.
pub(crate) fn stations(between_scans: bool) -> impl Strategy<Value = String> {
    (prop::collection::vec(any::<u32>(), 400), 1..14usize).prop_map(move |(choices, count)| {
        let mut choices = Choices { rest: choices.into_iter() };
        let mut known = Known { between_scans, ..Known::default() };
        let period = ["1 ms", "5 ms", "10 ms"][choices.below(3)];
        let phase = if between_scans { String::new() } else { choices.optional(|_| "phase = '3 ms'\n".to_owned()) };
        known.text = format!("[scan]\nperiod = '{period}'\n{phase}");
        for (line, name) in ["a", "b", "c", "d"].iter().enumerate() {
            known.text += &format!("[input.{name}]\nline = 'L{line}'\n");
            known.bits.push((*name).to_owned());
        }
        known.text += "[analog.u]\nline = 'N0'\n[analog.v]\nline = 'N1'\nscale = { from = [-4, 4], to = [0, 10] }\nvalid = [0, 9]\n[analog.w]\nline = 'N3'\ncounts = { full = 20, span = 3.3 }\nscale = { from = [-5, 5], to = [8, -8] }\nvalid = [-7, 9]\n[threshold.high]\nof = 'w'\non_above = 1.5\noff_below = -2.75\n";
        known.reals.extend(["u".to_owned(), "v".to_owned()]);
        known.bits.extend(["v.fault", "w.fault", "high"].map(str::to_owned));
        (0..count).for_each(|number| known.point(number, &mut choices));
        known.text
    })
}
