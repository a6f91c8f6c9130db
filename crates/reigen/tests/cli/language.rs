//! Plain words: what helps, messages and pages must not say, since it has to be read twice.

use crate::support::Place;
use std::path::{Path, PathBuf};

/// Turns of phrase, each with what is written in its place.
const REFUSED: &[(&str, &str)] = &[
    ("extra edges around", "bounce edges on … transitions"),
    ("take turns", "alternate"),
    ("of opposite level in", "opposite levels … of the time"),
    ("that bears", "rated for"),
    ("lead the other side", "wire the other side"),
    ("look at the angle", "check the angle"),
    ("none is good", "0 is good"),
    ("tell nothing but", "hide …"),
    ("by itself on a terminal", "auto, always or never"),
    ("where nothing is said", "[default: …]"),
    ("parts the cells", "separator"),
    ("passed over", "skipped"),
    ("work the sums", "everyday calculations"),
    ("the sums that are looked up", "everyday calculations"),
    ("hold a station's expectations", "check recordings against the expectations"),
    ("has not the ending", "must end in"),
    ("there is no word", "unknown value"),
    ("there is no key", "unknown key"),
    ("a time of nothing", "the time must be above zero"),
    ("taken for", "read as, detected as"),
    ("is wanted here", "expected …"),
    ("are wanted here", "needed here"),
    ("look whether", "check that"),
    ("leave away", "remove"),
    ("wrong way round:", "in the wrong order"),
    ("before power goes on", "before power-on"),
    ("thrown away", "rejected"),
    ("no number that can be worked with", "not a finite number"),
    ("in the mean of", "mean of"),
    ("expects nothing", "has no expectations"),
    ("would be written over", "would overwrite"),
    ("stands there twice", "is listed twice"),
    ("is no point", "unknown point"),
    ("is no name of", "is not a valid name"),
    ("what comes of it", "result"),
    ("at least to be", "must be"),
];

fn root() -> PathBuf {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../..")).to_owned()
}

/// Files below a folder with an ending.
fn files(folder: &Path, ending: &str) -> Vec<PathBuf> {
    let mut found = Vec::new();
    for entry in std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
        if entry.is_dir() && !entry.ends_with("target") && !entry.ends_with("tests") {
            found.extend(files(&entry, ending));
        } else if entry.extension().is_some_and(|other| other == ending) {
            found.push(entry);
        }
    }
    found
}

/// What of a source a person may read: its texts in quotes, and the comments that become help.
fn texts(source: &str) -> String {
    let source = source.split("#[cfg(test)]\nmod tests").next().unwrap_or_default();
    let lines = source.lines().filter(|line| !line.trim_start().starts_with("//"));
    let quoted = lines.flat_map(|line| line.split('"').skip(1).step_by(2).map(str::to_owned).collect::<Vec<_>>());
    quoted.collect::<Vec<_>>().join("\n")
}

/// The phrases in a text.
fn refused(text: &str) -> Vec<String> {
    let text = text.to_lowercase();
    let found = REFUSED.iter().filter(|(phrase, _)| text.contains(phrase));
    found.map(|(phrase, instead)| format!("`{phrase}`: write {instead}")).collect()
}

#[test]
fn no_page_message_or_help_has_to_be_read_twice() {
    let mut wrong: Vec<String> = Vec::new();
    let mut look = |name: String, text: &str| wrong.extend(refused(text).iter().map(|told| format!("{name}: {told}")));
    for folder in ["docs/guide", "examples", "demo"] {
        for ending in ["md", "toml"] {
            for path in files(&root().join(folder), ending) {
                look(path.display().to_string(), &std::fs::read_to_string(&path).unwrap());
            }
        }
    }
    look("README.md".to_owned(), &std::fs::read_to_string(root().join("README.md")).unwrap());
    for path in files(&root().join("crates"), "rs").into_iter().filter(|path| !path.ends_with("tests.rs")) {
        look(path.display().to_string(), &texts(&std::fs::read_to_string(&path).unwrap()));
    }
    let place = Place::new();
    for command in [
        "", "check", "size", "size led", "survey", "levels", "chain", "captures", "debounce", "polling", "run", "why",
        "draw", "verify", "report", "code", "convert", "demo", "simulate", "schema",
    ] {
        look(format!("help of {command}"), &place.reigen(&format!("{command} --help")).stdout);
    }
    look("the demo".to_owned(), &place.reigen("demo --all").stdout);
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}

#[test]
fn pages_name_options_as_they_are_called_now() {
    let old = ["--line ", "--line`", "--draw", "--only", "rate --captures"];
    for path in files(&root().join("docs/guide"), "md") {
        let page = std::fs::read_to_string(&path).unwrap();
        // Code has an option of that name, for points and what they need.
        let is_of_code = |name: &str| name == "--only" && path.ends_with("controller.md");
        let found = old.iter().find(|name| page.contains(*name) && !is_of_code(name));
        assert_eq!(found, None, "{}", path.display());
    }
}

#[test]
fn each_phrase_is_found_where_it_stands() {
    for (phrase, instead) in REFUSED {
        assert_eq!(refused(&format!("So it is: {}.", phrase.to_uppercase())).len(), 1, "{phrase}");
        assert!(refused(instead).is_empty(), "`{instead}` must not be refused itself");
    }
}
