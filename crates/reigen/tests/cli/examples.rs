//! The examples, one for each question of the day: every command of their pages, as it stands there.

use crate::support::Place;
use std::path::Path;

/// Where the compiler is that proves code.
fn compilers() -> std::ffi::OsString {
    std::env::var_os("PATH").unwrap_or_default()
}

#[test]
fn every_command_of_every_example_does_what_it_says() {
    let root = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples"));
    let list = std::fs::read_to_string(root.join("README.md")).unwrap();
    let mut folders: Vec<_> = std::fs::read_dir(root).unwrap().map(|entry| entry.unwrap().path()).collect();
    folders.retain(|path| path.is_dir());
    assert_eq!(folders.len(), 13);
    let place = Place::new();
    let (station, scenario) = (place.reigen("schema station").json(), place.reigen("schema scenario").json());
    let [station, scenario] = [station, scenario].map(|schema| jsonschema::draft202012::new(&schema).unwrap());
    for folder in folders {
        let name = folder.file_name().unwrap().to_str().unwrap();
        assert!(list.contains(&format!("]({name}/README.md)")), "{name} is not in the list");
        place.copy_folder(&folder, name);
        let page = place.read(&format!("{name}/README.md"));
        let commands: Vec<&str> = page.lines().filter_map(|line| line.strip_prefix("$ reigen ")).collect();
        assert!(commands.len() >= 3, "{name}");
        for command in commands {
            let (arguments, code) = match command.split_once("   # exit code ") {
                Some((arguments, code)) => (arguments, code.parse().unwrap()),
                None => (command, 0),
            };
            let said: crate::support::Said = place
                .command(arguments)
                .current_dir(place.path(name))
                .env("PATH", compilers())
                .output()
                .unwrap()
                .into();
            assert_eq!(said.code, code, "{name}: {command}\n{}{}", said.stdout, said.stderr);
        }
        for (file, schema) in [("station.toml", &station), ("scenario.toml", &scenario)] {
            let text = place.read(&format!("{name}/{file}"));
            let json = serde_json::to_value(text.parse::<toml::Table>().unwrap()).unwrap();
            assert!(schema.is_valid(&json), "{name}/{file}: {:?}", schema.iter_errors(&json).next());
        }
    }
    // What each is about is what comes of it.
    let json = |folder: &str, arguments: &str| {
        let said: crate::support::Said =
            place.command(arguments).current_dir(place.path(folder)).output().unwrap().into();
        said.json()
    };
    let counted = json("4-three-for-one", "run station.toml walk.vcd --json");
    let count = |name: &str| counted["counters"][name]["value"].as_i64().unwrap();
    assert_eq!(count("presses"), 5);
    assert!(count("bounces") > 10 && count("every_scan") > 500, "{}", counted["counters"]);
    let codes = |json: &serde_json::Value| -> Vec<String> {
        let findings = json["findings"].as_array().unwrap().iter();
        findings.map(|finding| finding["code"].as_str().unwrap().to_owned()).collect()
    };
    assert!(codes(&json("1-wiring", "check station.toml --json")).contains(&"over-voltage".to_owned()));
    assert!(codes(&json("1-wiring", "check mended.toml --json")).iter().all(|code| code != "over-voltage"));
    let numbers = json("10-numbers", "run station.toml walk.vcd --truth truth.json --json");
    for (name, judged) in numbers["truth"].as_object().unwrap() {
        assert!(judged["differences"].as_array().unwrap().is_empty(), "{name}: {judged}");
    }
    assert_eq!(
        (&numbers["registers"]["reel_meter"]["count"], &numbers["registers"]["reel_meter"]["wraps"]),
        (&9000.into(), &3.into())
    );
    assert!(codes(&numbers).contains(&"number-fault".to_owned()), "{}", numbers["findings"]);
    assert!(codes(&json("7-axis", "run station.toml walk.vcd --json")).contains(&"counts-missing".to_owned()));
}
