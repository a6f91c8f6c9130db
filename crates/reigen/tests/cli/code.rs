//! Controller code: written, listed, proven, and run on a simulated controller.

use crate::support::{Place, Said};
use std::path::Path;
use std::process::{Command, Stdio};

/// What a command says that needs the compiler.
fn with_compiler(place: &Place, command: &str) -> Said {
    place.command(command).env("PATH", std::env::var_os("PATH").unwrap()).output().unwrap().into()
}

/// The demo, whose controller scans each millisecond.
fn workshop() -> Place {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into w").code, 0);
    let station = place.read("w/station.toml");
    place.write("w/station.toml", station + "\n[scan]\nperiod = \"1 ms\"\n");
    place
}

#[test]
fn the_demo_is_proven_and_a_change_by_hand_shows() {
    let place = workshop();
    let said = with_compiler(&place, "code w/station.toml --prove w/recording.vcd");
    assert_eq!(said.code, 0, "{}{}", said.stdout, said.stderr);
    assert!(said.stdout.starts_with("proven: 43 points at 120001 scans"), "{}", said.stdout);
    assert_eq!(place.reigen("code w/station.toml -o code --example").code, 0);
    let prove = "code w/station.toml -o code --prove w/recording.vcd";
    assert_eq!(with_compiler(&place, prove).code, 0);
    let code = place.read("code/station.c");
    let by_hand = code.replace("#define START_BUTTON_HOLD_US 8000U", "#define START_BUTTON_HOLD_US 80000U");
    assert_ne!(code, by_hand);
    place.write("code/station.c", by_hand);
    let said = with_compiler(&place, &format!("{prove} --json"));
    assert_eq!(said.code, 1, "{}", said.stderr);
    let difference = &said.json()["proof"]["difference"];
    assert_eq!((&difference["point"], &difference["engine"]), (&"start_button".into(), &"1".into()), "{difference}");
    assert_eq!(difference["reads"]["PB_START"], "0");
    // The station has another debounce by now.
    let station = place.read("w/station.toml").replacen("time = \"8 ms\"", "time = \"80 ms\"", 1);
    place.write("w/station.toml", station);
    let said = with_compiler(&place, prove);
    assert!(said.stdout.contains("[code-of-other-version]"), "{}", said.stdout);
    assert_eq!(said.code, 0, "what was changed by hand is what the station says now: {}", said.stdout);
}

#[test]
fn the_list_says_what_each_point_takes_and_what_is_left_out() {
    let place = workshop();
    let json = place.reigen("code w/station.toml --list --json").json();
    let schema = jsonschema::draft202012::new(&place.reigen("schema code").json()).unwrap();
    assert!(schema.is_valid(&json), "{:?}", schema.iter_errors(&json).next());
    assert_eq!(json["points"]["running"]["written"], "RS");
    assert_eq!(json["points"]["panel"]["written"], serde_json::Value::Null);
    assert!(json["points"]["panel"]["why"].as_str().unwrap().contains("display"));
    assert_eq!(json["renamed"]["GUARD_NO"], "GUARD_NO_line");
    let sum: u64 = json["points"].as_object().unwrap().values().map(|point| point["ram_bytes"].as_u64().unwrap()).sum();
    assert_eq!(json["ram_bytes"], sum);
    // What a live run keeps, code does not.
    place.write(
        "w/kept.toml",
        place.read("w/station.toml").replace("at_last = \"restart\"", "at_last = \"restart\"\nretain = true"),
    );
    let kept = place.reigen("code w/kept.toml --list");
    assert!(kept.stdout.contains("spool_turns: goes on from its last value"), "{}", kept.stdout);
    let only = place.reigen("code w/station.toml --only spool_turns --list --json").json();
    let points: Vec<&String> = only["points"].as_object().unwrap().keys().collect();
    assert_eq!(points, ["drum_hall", "spool_turns", "start_button"]);
}

#[test]
fn what_cannot_be_done_is_told_with_what_to_do() {
    let place = Place::new();
    place.write("plain.toml", "[input.a]\nline = 'A'\n");
    place.write("fine.toml", "[input.a]\nline = 'A'\n[scan]\nperiod = '1500 ns'\n");
    place.write("scan.toml", "[input.while]\nline = 'A'\n[scan]\nperiod = '1 ms'\n");
    place.write("late.csv", "time_s,A\n0,\n0.5,1\n1,0\n");
    std::fs::create_dir(place.path("code")).unwrap();
    place.write("code/station.c", "int main(void) { return 0; }\n");
    let cases = [
        ("code plain.toml", "[scan]\n"),
        ("code fine.toml", "whole µs"),
        ("code scan.toml -o code", "was not written by reigen"),
        ("code scan.toml -o code --prove late.csv", "was not written by reigen"),
        ("code scan.toml --only b", "`b`"),
        ("code scan.toml --language st --prove late.csv", "--prove compiles C"),
        ("code scan.toml --form plcopen -o x", "--language st"),
        ("code scan.toml --prove late.csv", "is not known at the scan"),
    ];
    for (command, told) in cases {
        let said = with_compiler(&place, command);
        assert_eq!(said.code, 2, "{command}: {}", said.stdout);
        assert!(said.stderr.contains(told), "{command}: {}", said.stderr);
    }
    assert_eq!(place.read("code/station.c"), "int main(void) { return 0; }\n");
    assert!(!place.path("x").exists());
    let said = place.reigen("code scan.toml");
    assert!(said.stdout.contains("bool while_point;"), "{}", said.stdout);
    let without = place.command("code scan.toml --prove late.csv").env("PATH", "").output().unwrap();
    let told = String::from_utf8(without.stderr).unwrap();
    assert!(without.status.code() == Some(2) && told.contains("`cc` cannot be run"), "{told}");
}

#[test]
fn what_changes_between_scans_is_proven_too() {
    let place = Place::new();
    let station = "[scan]\nperiod = '10 ms'\n[input.fast]\nline = 'A'\nscan = false\n[counter.n]\nup = 'fast'\nscan = false\n\
                   [input.held]\nline = 'A'\ncatch = true\n[counter.pulses]\nup = 'held'\n";
    place.write("station.toml", station);
    // Each comes and goes between two scans.
    let pulses: String = (1..60).map(|pulse| format!("{0}.{1}031,1\n{0}.{1}034,0\n", pulse / 10, pulse % 10)).collect();
    place.write("pulses.csv", format!("time_s,A\n0,0\n{pulses}7,0\n"));
    let said = with_compiler(&place, "code station.toml --prove pulses.csv");
    assert!(said.stdout.starts_with("proven: 4 points"), "{}{}", said.stdout, said.stderr);
    let counted = place.reigen("run station.toml pulses.csv --json").json();
    assert_eq!(counted["counters"]["n"]["value"], 59);
    // Nothing is read at the scan itself.
    assert_eq!(place.reigen("code station.toml --only n -o n --example").code, 0);
    let strict = ["-std=c99", "-Wall", "-Wextra", "-Wpedantic", "-Werror", "example.c", "station.c", "-o", "program"];
    run("cc", &strict, &place.path("n"));
    // A controller without a place for it is told so.
    let said = place.reigen("code station.toml --language st --list");
    assert!(said.stdout.contains("it changes between scans"), "{}", said.stdout);
}

#[test]
fn thresholds_on_a_converter_need_no_fractions() {
    let place = Place::new();
    let station = "[scan]\nperiod = '10 ms'\n[analog.tension]\nline = 'ADC'\ncounts = { full = 1023, span = 5 }\n\
                   scale = { from = [0.5, 4.5], to = [0, 200] }\nvalid = [-5, 205]\n[threshold.tight]\nof = 'tension'\n\
                   on_above = 150\noff_below = 120\n";
    place.write("station.toml", station);
    let rows: String =
        (0..1024).map(|count| format!("{}.{:02},{}\n", count / 100, count % 100, count * 7 % 1024)).collect();
    place.write("ramp.csv", format!("time_s,ADC\n{rows}"));
    let said = with_compiler(&place, "code station.toml --prove ramp.csv");
    assert!(said.stdout.starts_with("proven: 2 points at 1024 scans"), "{}{}", said.stdout, said.stderr);
    let code = place.reigen("code station.toml --only tight").stdout;
    // 0.5 + 4·150/200 = 3.5 V are 716.1 of 1023 counts, and 2.9 V are 593.3.
    assert!(code.contains("TIGHT_ABOVE_COUNTS 717") && code.contains("TIGHT_BELOW_COUNTS 593"), "{code}");
    assert!(!code.contains("double"), "{code}");
}

#[test]
fn the_guide_shows_the_code_as_it_is() {
    let place = Place::new();
    let root = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."));
    place.copy_folder(&root.join("examples/13-code"), "winder");
    let page = std::fs::read_to_string(root.join("docs/guide/controller.md")).unwrap();
    let block = |language: &str, begins: &str| {
        let fence = format!("```{language}\n");
        let mut blocks = page.split(&fence).skip(1).map(|rest| rest.split("```").next().unwrap());
        blocks.find(|block| block.starts_with(begins)).unwrap().to_owned()
    };
    let c = place.reigen("code winder/station.toml").stdout;
    assert!(c.contains(&block("c", "/* [counter.turns]")), "{c}");
    let text = place.reigen("code winder/station.toml --language st").stdout;
    assert!(text.contains(&block("text", "turns_up_rose")), "{text}");
}

#[test]
fn counts_that_a_device_keeps_are_proven_by_their_samples() {
    let place = Place::new();
    let station = "[scan]\nperiod = '10 ms'\n[register.meter]\nline = 'METER'\nbits = 16\n[counter.pieces]\nup = 'meter'\n\
                   [rate.speed]\nof = 'meter'\nevery = '100 ms'\n";
    place.write("station.toml", station);
    // It wraps, and stands for a while: a sample as the one before is a sample.
    place.write("meter.csv", "time_s,METER\n0,65530\n0.1,65534\n0.2,3\n0.35,3\n0.5,9\n");
    let said = with_compiler(&place, "code station.toml --prove meter.csv");
    assert!(said.stdout.starts_with("proven: 3 points at 51 scans"), "{}{}", said.stdout, said.stderr);
}

/// The lines or the outputs of the code, as its header has them: the type and the name of each.
fn fields(header: &str, of: &str) -> Vec<(String, String)> {
    let (_, rest) = header.split_once(&format!("struct {of} {{\n")).unwrap();
    let (fields, _) = rest.split_once("};").unwrap();
    let words = fields.lines().filter_map(|line| line.trim().split_once(';')?.0.split_once(' '));
    words.map(|(kind, name)| (kind.to_owned(), name.to_owned())).collect()
}

fn run(program: &str, arguments: &[&str], folder: &Path) -> String {
    let done = Command::new(program).args(arguments).current_dir(folder).output().unwrap();
    assert!(done.status.success(), "{program} {arguments:?}: {}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).unwrap()
}

fn fed(program: &str, arguments: &[&str], folder: &Path, input: &str) -> String {
    let file = tempfile::NamedTempFile::new_in(folder).unwrap();
    std::fs::write(file.path(), input).unwrap();
    let input = Stdio::from(std::fs::File::open(file.path()).unwrap());
    let done = Command::new(program).args(arguments).current_dir(folder).stdin(input).output().unwrap();
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).unwrap()
}

/// The points of the demo without numbers with fractions.
const WHOLE: &str = "start_button,stop_button,spool_turns,running,spool_full,run_lamp,third_lamp,two_thirds_lamp,full_lamp,guard,\
                     guard_disagrees,runout_11";

#[test]
fn controllers_give_the_same_counts_over_the_demo() {
    // Where the compilers are not there, nothing can be said.
    if Command::new("avr-gcc").arg("--version").output().is_err() {
        return;
    }
    let place = workshop();
    assert_eq!(place.reigen(&format!("code w/station.toml --only {WHOLE} -o code --example")).code, 0);
    assert_eq!(place.reigen("convert w/recording.vcd --step 1ms --to 30s --output rows.csv").code, 0);
    let folder = place.path("code");
    let header = place.read("code/station.h");
    let (inputs, outputs) = (fields(&header, "station_inputs"), fields(&header, "station_outputs"));
    let strict = ["-std=c99", "-Os", "-Wall", "-Wextra", "-Wpedantic", "-Wconversion", "-Werror"];
    let with = |more: &[&'static str]| [&strict[..], more].concat();
    run("arm-none-eabi-gcc", &with(&["-mcpu=cortex-m0", "-mthumb", "-c", "station.c", "-o", "arm.o"]), &folder);
    run("cc", &with(&["example.c", "station.c", "-o", "example"]), &folder);
    // The firmware: levels in, a scan, and what it gives out.
    let given =
        inputs.iter().enumerate().map(|(place, (_, name))| format!("        inputs.{name} = levels[{place}] != 0;\n"));
    let firmware = format!(
        "#include \"station.h\"\nvolatile uint8_t levels[64];\nvolatile uint8_t go;\nstruct station_outputs outputs;\n\
         int main(void)\n{{\n    static struct station station;\n    static struct station_inputs inputs;\n    uint32_t now_us = 0;\n\n    \
         station_start(&station);\n    for (;;) {{\n        while (go == 0) {{\n        }}\n{}        go = 2;\n        \
         station_scan(&station, &inputs, now_us, &outputs);\n        go = 0;\n        now_us += 1000;\n    }}\n}}\n",
        given.collect::<String>()
    );
    place.write("code/firmware.c", firmware);
    run("avr-gcc", &with(&["-mmcu=atmega328p", "firmware.c", "station.c", "-o", "firmware.elf"]), &folder);
    let sizes = run("avr-size", &["firmware.elf"], &folder);
    let sizes: Vec<u64> =
        sizes.lines().nth(1).unwrap().split_whitespace().take(3).map(|size| size.parse().unwrap()).collect();
    assert!(sizes[0] < 6 * 1024 && sizes[1] + sizes[2] < 1024, "{sizes:?}");
    let host = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/data/avr_host.c");
    run("cc", &[host, "-o", "host", "-lsimavr", "-lelf", "-lm"], &folder);
    let symbols = run("avr-nm", &["-S", "firmware.elf"], &folder);
    let symbol = |name: &str| -> Vec<String> {
        let line = symbols.lines().find(|line| line.ends_with(&format!(" {name}"))).unwrap();
        line.split_whitespace().map(str::to_owned).collect()
    };
    // The rows, in the order of the code.
    let rows = place.read("rows.csv");
    let mut lines = rows.lines();
    let names: Vec<&str> = lines.next().unwrap().split(',').collect();
    let columns: Vec<usize> = inputs
        .iter()
        .map(|(_, name)| {
            let of_line = |column: &&str| column.rsplit('.').next() == Some(name.trim_end_matches("_line"));
            names.iter().position(of_line).unwrap()
        })
        .collect();
    // A row stands until the next one.
    let mut levels: Vec<Vec<&str>> = Vec::new();
    for row in lines {
        let fields: Vec<&str> = row.split(',').collect();
        let scan = (fields[0].parse::<f64>().unwrap() * 1000.0).round() as usize;
        let before = levels.last().cloned().unwrap_or_default();
        levels.resize(scan, before);
        levels.push(columns.iter().map(|column| fields[*column]).collect());
    }
    let last = levels.last().cloned().unwrap();
    levels.resize(30_001, last);
    let csv: String =
        levels.iter().enumerate().map(|(scan, row)| format!("{},{}\n", scan * 1000, row.join(","))).collect();
    let told = fed(folder.join("example").to_str().unwrap(), &[], &folder, &format!("names\n{csv}"));
    let plain: String = levels.iter().map(|row| row.concat() + "\n").collect();
    let arguments = [&symbol("levels")[0], &symbol("go")[0], &symbol("outputs")[0], &symbol("outputs")[1]];
    let arguments: Vec<&str> = ["firmware.elf"].into_iter().chain(arguments.map(String::as_str)).collect();
    let simulated = fed(folder.join("host").to_str().unwrap(), &arguments, &folder, &plain);
    // It also tells what it has loaded.
    let mut simulated = simulated.lines().filter(|line| !line.starts_with("Loaded"));
    let mut points = told.lines();
    let header: Vec<&str> = points.next().unwrap().split(',').skip(1).collect();
    for (scan, line) in points.enumerate() {
        let bytes = simulated.next().unwrap();
        let mut rest = bytes;
        let mut of_controller = Vec::new();
        for (kind, _) in &outputs {
            let size = if kind == "bool" { 1 } else { 4 };
            let (own, after) = rest.split_at(2 * size);
            let byte = |place: usize| i64::from_str_radix(&own[2 * place..2 * place + 2], 16).unwrap() << (8 * place);
            of_controller.push((0..size).map(byte).sum::<i64>().to_string());
            rest = after;
        }
        // A point without a value yet is followed by a bit that says so.
        let mut told = of_controller.iter().zip(&outputs).filter(|(_, (_, name))| !name.ends_with("_has_value"));
        for (point, value) in header.iter().zip(line.split(',').skip(1)) {
            let (held, _) = told.next().unwrap();
            assert!(value.is_empty() || value == held, "{point} at scan {scan}: {value} and {held} on the controller");
        }
    }
    let cycles: u64 = simulated.next().unwrap().strip_prefix("cycles ").unwrap().parse().unwrap();
    assert!(cycles < 3000, "a scan takes {cycles} cycles");
}
