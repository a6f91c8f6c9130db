//! Chains of shift registers, words and polling through the program.

use crate::support::Place;
use serde_json::Value;

const SCENARIO: &str = "duration = '4 s'\n[chain.c]\nload = 'LD'\nclock = 'CK'\ndata = 'DT'\nperiod = '20 ms'\nclock_period = '8 us'\n\
    registers = [['a0','a1','a2','a3','a4','a5','a6','a7'], ['b0','b1','b2','b3','b4','b5','b6','b7']]\n\
    presses = [{ point = 'a1', at = '500 ms', for = '300 ms' }, { point = 'b6', at = '1 s', for = '1 s' }, { point = 'a7', at = '3 s', for = '2 s' }]\n\
    [contact.k]\nline = 'K'\nclosing = 'none'\nopening = 'none'\npresses = [{ at = '1 s', for = '30 ms' }, { at = '2 s', for = '5 ms' }]\n";
const LINES: &str = "load = 'LD'\nclock = 'CK'\ndata = 'DT'\n";
const REGISTERS: &str = "registers = [['-','a1','-','-','-','-','-','a7'], ['-','-','-','-','-','-','b6','-']]\n";

fn place(station: &str) -> Place {
    let place = Place::new();
    place.write("scenario.toml", SCENARIO);
    place.write("station.toml", station);
    assert_eq!(place.reigen("simulate scenario.toml -o r.vcd --truth truth.json").code, 0);
    place
}

#[test]
fn the_points_of_a_chain_are_inputs_like_any_other() {
    let place = place(&format!(
        "[expander.c]\n{LINES}{REGISTERS}[input.slow]\nof = 'b6'\ndebounce = {{ method = 'stable', time = '100 ms' }}\n\
         [input.open]\nof = 'a1'\ncontact = 'NC'\n[counter.n]\nup = 'a1 OR a7'\n[word.w]\nbits = ['a1', 'b6', 'a7']\n[logic.many]\nwhen = 'c > 100'\n"
    ));
    let told = place.reigen("run station.toml r.vcd --json --events e.csv --trace t.vcd").json();
    let chain = &told["expanders"]["c"];
    assert_eq!((chain["bad_frames"].as_u64(), chain["bits"].as_u64()), (Some(0), Some(16)));
    let truth: Value = serde_json::from_str(&place.read("truth.json")).unwrap();
    // The last poll comes with the recording's end, which cuts its frame off.
    assert_eq!(chain["frames"].as_u64().unwrap() + 1, truth["sources"]["c"]["frames"].as_u64().unwrap(), "{chain}");
    let bits = &told["bits"];
    assert_eq!((bits["a1"]["rising"].as_u64(), bits["a1"]["on_ns"].as_u64()), (Some(1), Some(300_000_000)));
    assert_eq!((bits["b6"]["rising"].as_u64(), bits["a7"]["final"].as_bool()), (Some(1), Some(true)));
    assert_eq!(
        (told["inputs"]["slow"]["rising"].as_u64(), told["inputs"]["open"]["falling"].as_u64()),
        (Some(1), Some(1))
    );
    assert_eq!((told["counters"]["n"]["value"].as_i64(), bits["many"]["final"].as_bool()), (Some(2), Some(true)));
    assert_eq!((told["words"]["w"]["value"].as_i64(), told["words"]["w"]["changes"].as_u64()), (Some(4), Some(5)));
    assert!(place.read("e.csv").contains(",a1,on,") && place.read("t.vcd").contains(" b6 "));
    let shown = place.reigen("run station.toml r.vcd --all").stdout;
    assert!(shown.contains("4 = 0x4 = 100") && shown.contains("● a7  ○ b6  ○ a1"), "{shown}");
    let why = place.reigen("why station.toml r.vcd slow").stdout;
    assert!(why.contains("2 raw edges = 2 accepted"), "{why}");
    assert_eq!(place.reigen("draw station.toml r.vcd --points slow,w,c -o p.svg").code, 0);
}

#[test]
fn a_picture_of_a_chain_names_the_bit_that_each_clock_reads() {
    let place = place(&format!("[expander.c]\n{LINES}{REGISTERS}"));
    let drawn = place.reigen("draw station.toml r.vcd --points c,a1 --around a1:1 --span 320us --width 200").stdout;
    let below: Vec<&str> = drawn.lines().skip_while(|line| !line.contains("D7")).collect();
    let [names, data, ..] = below.as_slice() else { panic!("{drawn}") };
    let order: Vec<&str> = names.split_whitespace().collect();
    let register = ["D7", "D6", "D5", "D4", "D3", "D2", "D1", "D0"];
    assert_eq!(order, [register, register].concat(), "{drawn}");
    // What stands just before each clock: a1 alone is pressed, and it is D1 of the nearest register.
    let high = |at: usize| data.chars().nth(at - 1) == Some('▔');
    let read: Vec<bool> = names.match_indices('D').map(|(at, _)| high(at)).collect();
    assert_eq!(read, (0..16).map(|place| place == 6).collect::<Vec<_>>(), "{drawn}");
    // Which clocks an expression inhibits is not known here, so nothing is named.
    place
        .write("inhibited.toml", format!("[expander.c]\n{LINES}{REGISTERS}inhibit = 'NOT k'\n[input.k]\nline = 'K'\n"));
    let span = "--points c --from 500ms --to 500300us --width 200";
    let [plain, inhibited] =
        ["station", "inhibited"].map(|name| place.reigen(&format!("draw {name}.toml r.vcd {span}")));
    assert!(plain.stdout.contains("D7"), "{}", plain.whole());
    assert!(inhibited.code == 0 && !inhibited.stdout.contains("D7"), "{}", inhibited.whole());
    // A stretch of many frames is drawn without its lines, and without the time that they would take.
    let long = place.reigen("draw station.toml r.vcd --points c,a1 --width 200").stdout;
    assert!(long.contains("a1") && !long.contains("c.clock"), "{long}");
}

#[test]
fn the_order_of_a_chain_is_found_from_the_order_of_pressing() {
    let place = place("");
    let told = place.reigen("chain r.vcd --json").json();
    assert_eq!(
        (told["load"].as_str(), told["clock"].as_str(), told["data"].as_str()),
        (Some("LD"), Some("CK"), Some("DT"))
    );
    assert_eq!(
        (told["bits"].as_u64(), told["sample"].as_str(), told["spi_mode"].as_u64()),
        (Some(16), Some("rising"), Some(0))
    );
    let asked = place.reigen("chain r.vcd --load LD --clock CK --data DT --pressed first,second,third");
    let (_, station) = asked.stdout.split_once("[expander.chain]").expect("a table to paste");
    place.write("found.toml", format!("[expander.chain]{station}"));
    let run = place.reigen("run found.toml r.vcd --json").json();
    for (name, on_ns) in [("first", 300_000_000), ("second", 1_000_000_000)] {
        assert_eq!(run["bits"][name]["on_ns"].as_u64(), Some(on_ns), "{name}: {}", run["bits"]);
    }
    for (asked, message) in [
        ("--pressed one", "1 names for 3 bits that changed"),
        ("--pressed one,two,two", "`two` is listed twice"),
        ("--pressed One,two,three", "`One` is not a valid point name"),
        ("--load LD --clock CK --data CK", "three lines"),
        ("--load LD --clock CK --data NONE", "`NONE`"),
    ] {
        let said = place.reigen(&format!("chain r.vcd {asked}"));
        assert_eq!((said.code, said.stderr.contains(message)), (2, true), "{asked}: {}", said.stderr);
    }
}

#[test]
fn what_is_wrong_with_a_chain_is_told_by_its_name() {
    let codes = |station: &str| {
        let told = place(station).reigen("run station.toml r.vcd --json").json();
        let of = |finding: &Value| finding["code"].as_str().unwrap().to_owned();
        told["findings"].as_array().unwrap().iter().filter(|told| told["subject"] == "c").map(of).collect::<Vec<_>>()
    };
    let whole = format!("[expander.c]\n{LINES}{REGISTERS}");
    assert_eq!(codes(&whole), [] as [&str; 0]);
    assert!(codes(&format!("{whole}sample = 'falling'\n")).contains(&"wrong-clock-edge".to_owned()));
    let one_chip = format!("[expander.c]\n{LINES}registers = [['a','b','c1','d','e','f','g','h']]\n");
    assert_eq!(codes(&one_chip), ["bad-frames"]);
    let said = place(&one_chip).reigen("why station.toml r.vcd c");
    assert!(said.stdout.contains("bad frame: 16 clocks"), "{}", said.stdout);
}

#[test]
fn polling_is_exact_over_all_phases() {
    let place = place("[input.k]\nline = 'K'\n");
    let told = place
        .reigen("polling station.toml r.vcd --period 10ms --sweep 1ms..100ms --steps 20 --draw p.png --json")
        .json();
    let input = &told["inputs"]["k"];
    // Presses of 30 and 5 ms: the shorter falls between readings at half of all phases.
    let missed = &input["missed"];
    assert_eq!((input["pulses"].as_u64(), input["slowest_period_ns"].as_u64()), (Some(2), Some(5_000_000)));
    assert_eq!(
        (missed["best"].as_u64(), missed["worst"].as_u64(), missed["phases_that_miss"].as_f64()),
        (Some(0), Some(1), Some(0.5))
    );
    assert_eq!((missed["edges_worst"].as_u64(), missed["worst_with_catch"].as_u64()), (Some(2), Some(0)));
    assert_eq!(input["sweep"].as_array().unwrap().len(), 20);
    assert!(place.path("p.png").exists());
    // Two readings in a row: clamp(2 − 5 ms / 10 ms, 0, 1) of the shorter, none of the longer.
    let twice = place.reigen("polling station.toml r.vcd --period 10ms --readings 2 --json").json();
    assert_eq!(twice["inputs"]["k"]["missed"]["mean"].as_f64(), Some(1.0));
    let chain = place.reigen("polling station.toml r.vcd --chain-bits 16 --clock 125kHz --json").json();
    assert_eq!(chain["period_ns"].as_u64(), Some(128_000));
    for (asked, message) in [
        ("--period 0s", "the period must be above zero"),
        ("", "--period"),
        ("--chain-bits 16", "--clock"),
        ("--sweep 5ms", "not a range"),
        ("--sweep 5ms..1ms", "wrong order"),
        ("--period 1ms --points q", "no point `q`"),
    ] {
        let said = place.reigen(&format!("polling station.toml r.vcd {asked}"));
        assert_eq!((said.code, said.stderr.contains(message)), (2, true), "{asked}: {}", said.stderr);
    }
}

#[test]
fn a_chain_or_word_that_cannot_be_is_refused_with_its_place() {
    let place = place("");
    for (points, message) in [
        (format!("[expander.c]\n{LINES}registers = [['a','b']]"), "8 points"),
        (format!("[expander.c]\n{LINES}registers = []"), "at least one register"),
        (format!("[expander.c]\n{LINES}registers = [['a','a','-','-','-','-','-','-']]"), "`a` is used twice"),
        (format!("[expander.c]\n{LINES}registers = [['c','-','-','-','-','-','-','-']]"), "`c` is used twice"),
        (format!("[expander.c]\n{LINES}registers = [['A b','-','-','-','-','-','-','-']]"), "`A b`"),
        (format!("[expander.c]\n{LINES}{REGISTERS}asserted = ['low']"), "1 levels for 2 registers"),
        (format!("[expander.c]\nload = 'LD'\nclock = 'CK'\ndata = 'CK'\n{REGISTERS}"), "is used twice"),
        ("[word.w]\nbits = []".to_owned(), "a word has 0 bits"),
        ("[input.k]\nline = 'K'\n[word.w]\nbits = ['k', 'k', 'k']\ncode = 'bcd'".to_owned(), "multiple of four"),
        ("[input.k]\nline = 'K'\nof = 'k'".to_owned(), "not both"),
        ("[input.k]\ncontact = 'NC'".to_owned(), "`line`"),
        ("[input.k]\nof = 'k'".to_owned(), "k"),
    ] {
        place.write("bad.toml", &points);
        let said = place.reigen("run bad.toml r.vcd");
        assert_eq!((said.code, said.stderr.contains(message)), (2, true), "{points}: {}", said.stderr);
        assert!(said.stderr.contains("bad.toml:"), "{points}: no place in {}", said.stderr);
    }
}
