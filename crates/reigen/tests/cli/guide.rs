//! The commands in the README and the guide, run as they stand; what is printed there is what comes.
//!
//! With `UPDATE_PAGES` set, the pages get what comes.

use crate::support::Place;
use std::path::Path;

/// The commands of a page's `console` blocks, each with the output that stands below it.
fn commands(page: &str) -> Vec<(String, String)> {
    let mut found: Vec<(String, String)> = Vec::new();
    let mut inside = false;
    for line in page.lines() {
        match line {
            "```console" => inside = true,
            "```" => inside = false,
            _ if !inside => {}
            _ => match (line.strip_prefix("$ "), found.last_mut()) {
                (Some(command), _) => found.push((command.to_owned(), String::new())),
                (None, Some((_, output))) => *output += &format!("{line}\n"),
                (None, None) => panic!("output before a command: {line}"),
            },
        }
    }
    found
}

/// The exit code of a command on the demo's files: there are mistakes in its wiring, and an expectation fails.
fn expected(arguments: &str) -> i32 {
    let checks = ["check ", "run ropewalk/station.toml", "verify "];
    let watches = arguments.contains("--watch");
    i32::from(!watches && checks.iter().any(|command| arguments.starts_with(command)))
}

#[test]
fn every_command_does_what_the_page_says() {
    let root = Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../.."));
    let mut pages = vec![root.join("README.md")];
    let entries = std::fs::read_dir(root.join("docs/guide")).unwrap().map(|entry| entry.unwrap().path());
    pages.extend(entries.filter(|path| path.extension().is_some_and(|ending| ending == "md")));
    let mut run = 0;
    for page in pages {
        let place = Place::new();
        place.copy_folder(&root.join("docs/guide/recordings"), "recordings");
        let commands = commands(&std::fs::read_to_string(&page).unwrap());
        if !commands.iter().any(|(command, _)| command == "reigen demo --into ropewalk") {
            assert_eq!(place.reigen("demo --into ropewalk").code, 0);
        }
        for (command, output) in commands {
            let Some(arguments) = command.strip_prefix("reigen ") else { continue };
            let said = place.reigen(arguments);
            assert_eq!(said.code, expected(arguments), "{}: {command}\n{}", page.display(), said.stderr);
            if !output.is_empty() && said.stdout != output && std::env::var_os("UPDATE_PAGES").is_some() {
                let text = std::fs::read_to_string(&page).unwrap();
                let [before, after] = [&output, &said.stdout].map(|output| format!("$ {command}\n{output}"));
                std::fs::write(&page, text.replacen(&before, &after, 1)).unwrap();
            } else if !output.is_empty() {
                assert_eq!(said.stdout, output, "{}: {command}", page.display());
            }
            run += 1;
        }
    }
    assert!(run >= 5, "only {run} commands found");
}

#[test]
fn the_examples_of_every_help_run() {
    let mut run = 0;
    for command in [
        "check", "size", "survey", "debounce", "chain", "polling", "rate", "run", "verify", "why", "draw", "report",
        "convert", "simulate", "demo",
    ] {
        let place = Place::new();
        assert_eq!(place.reigen("demo --into ropewalk").code, 0);
        let help = place.reigen(&format!("{command} --help")).stdout;
        let examples = help.lines().filter_map(|line| line.strip_prefix("  reigen "));
        for example in examples {
            if example.starts_with("demo --into") {
                std::fs::remove_dir_all(place.path("ropewalk")).unwrap();
            }
            let said = place.reigen(example);
            assert_eq!(said.code, expected(example), "{example}\n{}", said.stderr);
            run += 1;
        }
    }
    assert!(run >= 5, "only {run} examples found");
}
