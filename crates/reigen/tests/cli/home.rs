//! What makes the program at home on a machine: schemas, completions, manual pages, colours, width, logs.

use crate::support::Place;
use jsonschema::Validator;
use serde_json::Value;

fn validator(place: &Place, of: &str) -> Validator {
    let schema = place.reigen(&format!("schema {of}")).json();
    jsonschema::draft202012::new(&schema).unwrap()
}

/// A TOML file as JSON.
fn json(text: &str) -> Value {
    serde_json::to_value(text.parse::<toml::Table>().unwrap()).unwrap()
}

fn complaints(validator: &Validator, value: &Value) -> Vec<String> {
    validator.iter_errors(value).map(|error| format!("{error} at {}", error.instance_path())).collect()
}

#[test]
fn the_demo_files_are_what_the_schemas_say() {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into w").code, 0);
    for (of, file) in [("station", "w/station.toml"), ("scenario", "w/scenario.toml")] {
        let text = place.read(file);
        let validator = validator(&place, of);
        assert_eq!(complaints(&validator, &json(&text)), Vec::<String>::new(), "{file}");
        // A key that no table has is wrong for both the schema and the program.
        let wrong = text.replacen("line = ", "lyne = ", 1);
        assert_ne!(complaints(&validator, &json(&wrong)), Vec::<String>::new());
    }
    let run =
        place.reigen("run w/station.toml w/recording.vcd --truth w/truth.json --every 10s --display --json").json();
    let schema = validator(&place, "run");
    assert_eq!(complaints(&schema, &run), Vec::<String>::new());
    let mut broken = run.clone();
    broken["inputs"]["start_button"]["raw_edges"] = "many".into();
    assert_ne!(complaints(&schema, &broken), Vec::<String>::new());
}

#[test]
fn every_result_is_what_its_schema_says() {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into w").code, 0);
    place.write("ramp.csv", "time,d,v\n0,0,0\n1,0,1\n2,1,2\n3,1,3\n4,1,2\n5,0,1\n6,0,0\n");
    for (of, asked) in [
        ("check", "w/station.toml"),
        ("size", "rc --resistance 10k --supply 3.3V --rise-at 1.65V --fall-at 0.8V --bounce 5ms"),
        ("size", "colours yellow violet red"),
        ("survey", "w/recording.vcd"),
        ("debounce", "w/recording.vcd"),
        ("debounce", "w/recording.vcd --lines PB_START --true-count 3"),
        ("chain", "w/recording.vcd"),
        ("levels", "ramp.csv --time-unit s --digital d --analog v"),
        ("captures", "w/captures.csv --clock 48MHz --prescale 480 --bits 16 --reference 40Hz"),
        ("polling", "w/station.toml w/recording.vcd --period 50ms --sweep 10ms..1s"),
        ("run", "w/station.toml w/recording.vcd"),
        ("verify", "w/station.toml w/recording.vcd"),
        ("compare", "w/station.toml w/recording.vcd w/recording.vcd"),
        ("compare", "w/station.toml w/recording.vcd --instruments drum,drum_counted"),
        ("survey", "w/recording.vcd --every 10s --lines PB_START"),
        ("why", "w/station.toml w/recording.vcd panel --at 10s"),
        ("why", "w/station.toml w/recording.vcd stop_button"),
        ("why", "w/station.toml w/recording.vcd spool_turns"),
        ("why", "w/station.toml w/recording.vcd guard_disagrees --at 50s"),
        ("why", "w/station.toml w/recording.vcd drum --at 50s"),
    ] {
        let said = place.reigen(&format!("{of} {asked} --json"));
        assert!(said.code < 2, "{of} {asked}: {}", said.stderr);
        let (result, validator) = (said.json(), validator(&place, of));
        assert_eq!(complaints(&validator, &result), Vec::<String>::new(), "{of} {asked}");
        // The schema knows every value: none may become a list of nothing.
        let mut broken = result.clone();
        let changed = break_first_number(&mut broken);
        assert!(changed && !complaints(&validator, &broken).is_empty(), "{of} {asked}");
    }
}

/// Makes the first number within a value a list; tells whether there was one.
fn break_first_number(value: &mut Value) -> bool {
    match value {
        Value::Number(_) => {
            *value = Value::Array(vec![Value::Array(Vec::new())]);
            true
        }
        Value::Array(items) => items.iter_mut().any(break_first_number),
        Value::Object(fields) => fields.values_mut().any(break_first_number),
        _ => false,
    }
}

#[test]
fn each_shell_and_each_command_is_served() {
    let place = Place::new();
    let help = place.reigen("--help").stdout;
    let listed = help.lines().take_while(|line| !line.starts_with("  -"));
    let named = listed.filter_map(|line| line.strip_prefix("  ").filter(|line| !line.starts_with(' ')));
    let commands: Vec<&str> = named.filter_map(|line| line.split_whitespace().next()).collect();
    assert!(commands.len() > 15 && commands.contains(&"report"), "{commands:?}");
    for shell in ["bash", "elvish", "fish", "powershell", "zsh"] {
        let said = place.reigen(&format!("completions {shell}"));
        assert_eq!(said.code, 0);
        assert!(commands.iter().all(|command| said.stdout.contains(command)), "{shell}");
    }
    let unknown = place.reigen("completions abacus");
    assert!(unknown.code == 2 && unknown.stderr.contains("possible values: bash"), "{}", unknown.stderr);
    assert_eq!(place.reigen("man pages").code, 0);
    for command in commands.iter().filter(|command| **command != "help") {
        let page = place.read(&format!("pages/reigen-{command}.1"));
        assert!(page.contains(".TH") && page.contains("EXIT") | page.contains("OPTIONS"), "{command}");
    }
    place.write("file", "");
    assert_eq!(place.reigen("man file/pages").code, 2);
    assert_eq!(place.reigen("schema abacus").code, 2);
}

#[test]
fn colours_come_when_they_are_asked_for_and_never_otherwise() {
    let place = Place::with_demo();
    let coloured = |arguments: &str, no_color: Option<&str>| {
        let mut command = place.command(arguments);
        if let Some(value) = no_color {
            command.env("NO_COLOR", value);
        }
        let output = command.output().unwrap();
        [output.stdout, output.stderr].map(|bytes| bytes.contains(&0x1b))
    };
    let findings = "run station.toml recording.vcd";
    assert_eq!(coloured(findings, None), [false, false]);
    assert_eq!(coloured(&format!("{findings} --color never"), None), [false, false]);
    assert_eq!(coloured(&format!("--color always {findings}"), Some("1")), [true, false]);
    assert_eq!(coloured("--color always run station.toml absent.vcd", None), [false, true]);
    assert_eq!(coloured("run station.toml absent.vcd", Some("1")), [false, false]);
}

#[test]
fn a_table_fits_the_width_that_it_has() {
    let place = Place::with_demo();
    let whole = place.reigen("survey recording.vcd").stdout;
    let mut command = place.command("survey recording.vcd");
    let narrow = command.env("COLUMNS", "72").output().unwrap();
    let narrow = String::from_utf8(narrow.stdout).unwrap();
    let widest = |text: &str| {
        let table = text.lines().skip_while(|line| !line.starts_with("line")).take_while(|line| !line.is_empty());
        table.map(|line| line.chars().count()).max().unwrap_or(0)
    };
    assert!(widest(&whole) > 72, "{whole}");
    assert!(widest(&narrow) <= 72 && widest(&narrow) > 0, "{narrow}");
}

#[test]
fn what_was_done_is_told_as_much_as_is_wished() {
    let place = Place::with_demo();
    let run = "run station.toml recording.vcd --json";
    assert_eq!(place.reigen(run).stderr, "");
    let verbose = place.reigen(&format!("-v {run}")).stderr;
    assert!(verbose.contains("recording.vcd: VCD in steps of") && verbose.contains("it took "), "{verbose}");
    assert_eq!(place.reigen(&format!("-q {run}")).stderr, "");
    assert_eq!(place.reigen(&format!("-q -v {run}")).code, 2);
    assert_eq!(place.reigen(&format!("-q --log log.txt {run}")).stderr, "");
    assert_eq!(place.reigen("--log log.txt run station.toml absent.vcd").code, 2);
    let log = place.read("log.txt");
    assert!(log.contains("recording.vcd: VCD") && log.contains("absent.vcd: No such file"), "{log}");
    assert!(log.lines().all(|line| line.is_empty() || line.starts_with("20") || line.starts_with("help")), "{log}");
    let nowhere = place.reigen(&format!("--log nowhere/log.txt {run}"));
    assert!(nowhere.code == 2 && nowhere.stderr.contains("nowhere/log.txt"), "{}", nowhere.stderr);
}
