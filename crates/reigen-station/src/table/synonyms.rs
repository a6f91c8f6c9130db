//! Words that people type for a key or a table that has another name here.

/// What a word stands for, and what that is: the first of the names that is known at its place is meant.
struct Synonym {
    typed: &'static [&'static str],
    meant: &'static [&'static str],
    is: &'static str,
}

/// What people call the sense of an input, an encoder or an output.
const POLARITY: &[&str] = &["active", "active_low", "active_high", "polarity", "level_on", "invert", "inverted"];

const SYNONYMS: &[Synonym] = &[
    Synonym {
        typed: POLARITY,
        meant: &["asserted"],
        is: "asserted = \"low\" is a contact to 0 V; contact = \"NC\" is on while it is open",
    },
    Synonym { typed: POLARITY, meant: &["reverse"], is: "reverse = true counts the other way round" },
    Synonym { typed: POLARITY, meant: &["invert"], is: "invert = true makes the line low while it is on" },
    Synonym { typed: POLARITY, meant: &["level"], is: "the level that counts: \"high\" or \"low\"" },
    Synonym {
        typed: &["normally_closed", "normally_open", "nc", "no", "type"],
        meant: &["contact", "method", "kind"],
        is: "contact = \"NC\" or \"NO\"",
    },
    Synonym {
        typed: &["pin", "gpio", "port", "channel", "signal"],
        meant: &["line", "terminal", "of"],
        is: "`line` is the name in the recording, `terminal` the one on the card",
    },
    Synonym {
        typed: &["ppr", "cpr", "pulses", "teeth", "magnets"],
        meant: &["pulses_per_rev", "marks"],
        is: "pulses in one revolution",
    },
    Synonym {
        typed: &["in", "input", "source", "clk", "trigger"],
        meant: &["of", "up", "by", "line", "input"],
        is: "the point that it reads",
    },
    Synonym { typed: &["cu", "count_up", "increment"], meant: &["up"], is: "the bit whose edges count up" },
    Synonym { typed: &["cd", "count_down", "decrement"], meant: &["down"], is: "the bit whose edges count down" },
    Synonym {
        typed: &["pv", "preset", "target", "setpoint"],
        meant: &["presets", "on_above"],
        is: "such as presets = [96]",
    },
    Synonym {
        typed: &["pt", "delay", "duration", "period", "interval"],
        meant: &["time", "width", "every", "on_delay", "within"],
        is: "a length of time, such as \"20 ms\"",
    },
    Synonym {
        typed: &["debounce_ms", "debounce_time", "filter", "bounce"],
        meant: &["debounce"],
        is: "such as debounce = \"20 ms\"",
    },
    Synonym {
        typed: &["on", "if", "condition", "expression", "formula"],
        meant: &["when", "that", "formula"],
        is: "an expression over points",
    },
    Synonym { typed: &["expect", "assert"], meant: &["that"], is: "what should hold" },
    Synonym {
        typed: &["max", "maximum", "min", "minimum", "range"],
        meant: &["limits", "valid", "most", "least"],
        is: "both ends, such as [0, 100]",
    },
    Synonym {
        typed: &["name", "description", "comment", "label"],
        meant: &["title", "remark"],
        is: "words for people",
    },
    // Tables.
    Synonym {
        typed: &[
            "button",
            "switch",
            "contact",
            "reed",
            "hall",
            "prox",
            "proximity",
            "limit_switch",
            "in",
            "inputs",
            "di",
        ],
        meant: &["input"],
        is: "[input.NAME] is any switch, contact or sensor with two levels",
    },
    Synonym {
        typed: &["shift_register", "shiftregister", "chain", "register", "expansion", "io_expander"],
        meant: &["expander"],
        is: "[expander.NAME] is a chain of shift registers",
    },
    Synonym {
        typed: &["relay", "lamp", "motor", "valve", "coil", "led", "out", "outputs", "do"],
        meant: &["output"],
        is: "[output.NAME] is anything that is switched",
    },
    Synonym {
        typed: &["flipflop", "flip_flop", "sr", "rs"],
        meant: &["latch"],
        is: "[latch.NAME] with `set` and `reset`",
    },
    Synonym {
        typed: &["ton", "tof", "tp", "delay"],
        meant: &["timer"],
        is: "[timer.NAME] with kind = \"on_delay\", \"off_delay\" or \"pulse\"",
    },
    Synonym {
        typed: &["rpm", "frequency", "tacho", "speed"],
        meant: &["rate"],
        is: "[rate.NAME] is a frequency or a speed from pulses",
    },
    Synonym {
        typed: &["quadrature", "rotary"],
        meant: &["encoder"],
        is: "[encoder.NAME] with the channels `a` and `b`",
    },
    Synonym {
        typed: &["adc", "ai", "analogue", "voltage", "current_loop"],
        meant: &["analog"],
        is: "[analog.NAME] is a line of numbers",
    },
    Synonym {
        typed: &["schmitt", "comparator", "alarm"],
        meant: &["threshold"],
        is: "[threshold.NAME] switches between two levels of a number",
    },
    Synonym {
        typed: &["changeover", "spdt"],
        meant: &["pair"],
        is: "[pair.NAME] joins both sides of a changeover contact",
    },
    Synonym { typed: &["test", "assertion", "check"], meant: &["expect"], is: "[expect.NAME] is what should hold" },
    Synonym { typed: &["text", "lcd", "panel"], meant: &["display"], is: "[display.NAME] shows values of points" },
    Synonym { typed: &["terminal_block", "plc", "module"], meant: &["card"], is: "[card.NAME] has the terminals" },
];

/// Keys, by what people call them, that belong to other tables than the one they are often typed in.
const BELONGINGS: &[(&[&str], &str)] = &[
    (
        &["ppr", "cpr", "pulses", "teeth", "magnets", "pulses_per_rev"],
        "`pulses_per_rev` belongs to [rate.NAME] and [encoder.NAME], which give speeds and positions",
    ),
    (
        &[
            "debounce",
            "debounce_ms",
            "bounce",
            "debounce_time",
            "contact",
            "asserted",
            "active",
            "active_low",
            "invert",
        ],
        "`debounce`, `contact` and `asserted` belong to [input.NAME]; name that input here",
    ),
    (&["preset", "presets", "pv"], "`presets` belong to [counter.NAME]"),
    (&["on_above", "off_below", "hysteresis"], "`on_above` and `off_below` belong to [threshold.NAME]"),
    (&["blink", "on_delay", "off_delay"], "delays and blinking belong to [timer.NAME] and [output.NAME]"),
];

/// Where a word belongs that is no key of the table it stands in.
pub(crate) fn belongs_to(typed: &str) -> Option<&'static str> {
    let typed = typed.to_lowercase();
    BELONGINGS.iter().find(|(words, _)| words.contains(&typed.as_str())).map(|(_, told)| *told)
}

/// What a word means at a place where some names are known: the name, and what that is.
pub(crate) fn meant(typed: &str, known: &[String]) -> Option<(&'static str, &'static str)> {
    let typed = typed.to_lowercase();
    let is_known = |name: &str| known.iter().any(|known| known == name);
    SYNONYMS
        .iter()
        .filter(|synonym| synonym.typed.contains(&typed.as_str()))
        .find_map(|synonym| Some((*synonym.meant.iter().find(|name| is_known(name))?, synonym.is)))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::station::parse;

    /// The help for the only thing that is wrong with a station.
    fn help(source: &str) -> String {
        let errors = parse(source).unwrap_err();
        let [error] = errors.as_slice() else { panic!("{errors:?}") };
        error.kind.help().unwrap_or_else(|| panic!("no help for {error} in\n{source}"))
    }

    #[test]
    fn what_people_type_is_told_by_the_name_it_has_here() {
        let input = |line: &str| format!("[input.a]\nline = 'A'\n{line}\n");
        for (source, wanted) in [
            (input("active = 'low'"), "`asserted`"),
            (input("invert = true"), "`asserted`"),
            ("[input.a]\npin = 'A'".to_owned(), "`line`"),
            (input("[rate.r]\nof = 'a'\nppr = 6"), "`pulses_per_rev`"),
            (input("[timer.t]\nin = 'a'\nkind = 'pulse'\ntime = '1 s'"), "`of`"),
            (input("[counter.c]\nin = 'a'"), "`up`"),
            (input("[counter.c]\nup = 'a'\nPreset = 5"), "`presets`"),
            (input("[encoder.e]\na = 'A'\nb = 'B'\ninvert = true"), "`reverse`"),
            (input("debounce_ms = 20"), "`debounce`"),
            ("[button.x]\nline = 'A'".to_owned(), "`input`"),
            ("[shift_register.x]\nload = 'A'".to_owned(), "`expander`"),
            (input("[relay.x]\nwhen = 'a'"), "`output`"),
            (input("[ton.x]\nof = 'a'"), "`timer`"),
            (input("[rpm.x]\nof = 'a'"), "`rate`"),
        ] {
            assert!(help(&source).starts_with(&format!("did you mean {wanted}? ")), "{} in\n{source}", help(&source));
        }
        for (source, wanted) in [
            (input("[counter.c]\nup = 'a'\nppr = 6"), "[rate.NAME]"),
            (input("[counter.c]\nup = 'a'\ndebounce = '5 ms'"), "[input.NAME]"),
            (input("[output.o]\nwhen = 'a'\nactive = 'low'"), "invert = true makes the line low"),
            (input("[rate.r]\nof = 'a'\npresets = [5]"), "[counter.NAME]"),
        ] {
            assert!(help(&source).contains(wanted), "{} in\n{source}", help(&source));
        }
        // What is only misspelt is told by the nearest name, as ever.
        assert_eq!(help(&input("contct = 'NC'")), "did you mean `contact`?");
    }

    #[test]
    fn each_word_means_names_that_there_are() {
        let schema = serde_json::to_value(crate::station::schema()).unwrap();
        let names = |value: &serde_json::Value| -> Vec<String> {
            value["properties"].as_object().into_iter().flatten().map(|(name, _)| name.clone()).collect()
        };
        let tables = schema["$defs"].as_object().unwrap().values().flat_map(names);
        let all: Vec<String> = names(&schema).into_iter().chain(tables).collect();
        for synonym in SYNONYMS {
            for name in synonym.meant {
                assert!(all.iter().any(|known| known == name), "there is no `{name}` for {:?}", synonym.typed);
            }
            assert!(synonym.typed.iter().all(|typed| typed.to_lowercase() == **typed));
        }
    }
}
