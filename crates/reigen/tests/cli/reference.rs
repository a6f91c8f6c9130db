//! The pages to look things up: the reference is made from the schemas, and every finding has its row.

use crate::support::Place;
use serde_json::Value;
use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

fn root() -> PathBuf {
    Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../..")).to_owned()
}

/// The table that a value of the schema refers to, with its name.
fn referred<'a>(schema: &'a Value, value: &'a Value) -> Option<(&'a str, &'a Value)> {
    let choices = value["anyOf"].as_array().into_iter().flatten();
    let of_items = [&value["items"], &value["additionalProperties"]].into_iter();
    let reference = value["$ref"].as_str();
    match reference {
        Some(reference) => {
            let name = reference.rsplit('/').next()?;
            Some((name, &schema["$defs"][name]))
        }
        None => choices.chain(of_items).filter(|value| value.is_object()).find_map(|value| referred(schema, value)),
    }
}

/// What may stand as a value, in a few words.
fn kind(schema: &Value, value: &Value) -> String {
    if let Some((_, table)) = referred(schema, value).filter(|_| value["type"] != "array" && value["type"] != "object")
    {
        let words: Vec<&str> = [&table["enum"], &table["oneOf"]]
            .into_iter()
            .filter_map(Value::as_array)
            .flatten()
            .filter_map(|word| word.as_str().or(word["const"].as_str()))
            .collect();
        return match (words.is_empty(), table["type"].as_str(), table["description"].as_str()) {
            (false, ..) => words.iter().map(|word| format!("`{word}`")).collect::<Vec<_>>().join(", "),
            (true, Some("object"), _) => "table".to_owned(),
            (true, _, Some(told)) => told.split(", such as").next().unwrap_or(told).trim_end_matches('.').to_owned(),
            _ => "value".to_owned(),
        };
    }
    let plain = |name: &str| {
        match name {
            "string" => "text",
            "integer" => "whole number",
            "boolean" => "true or false",
            "array" => "list",
            "object" => "table",
            name => name,
        }
        .to_owned()
    };
    match &value["type"] {
        Value::String(name) => plain(name),
        Value::Array(names) => {
            names.iter().filter_map(Value::as_str).find(|name| *name != "null").map(plain).unwrap_or_default()
        }
        _ => "value".to_owned(),
    }
}

/// The keys of a table, a line each; tables below it come after it.
fn rows(schema: &Value, table: &Value, told: &mut BTreeSet<String>, below: &mut Vec<(String, Value)>) -> String {
    let required: Vec<&str> = table["required"].as_array().into_iter().flatten().filter_map(Value::as_str).collect();
    let mut text = "\n| key | value | meaning |\n|---|---|---|\n".to_owned();
    for (key, value) in table["properties"].as_object().unwrap() {
        let about = value["description"].as_str().unwrap_or_else(|| panic!("`{key}` has no description"));
        let must = if required.contains(&key.as_str()) { " (required)" } else { "" };
        text += &format!("| `{key}` | {} | {about}{must} |\n", kind(schema, value).replace('|', "\\|"));
        if let Some((name, table)) = referred(schema, value)
            && table["properties"].is_object()
            && told.insert(name.to_owned())
        {
            below.push((name.to_owned(), table.clone()));
        }
    }
    text
}

/// A schema as a part of the page.
fn part(title: &str, schema: &Value) -> String {
    let mut text = format!("## {title}\n");
    let (mut told, mut below) = (BTreeSet::new(), Vec::new());
    text += &rows(schema, schema, &mut told, &mut below);
    while !below.is_empty() {
        let (_, table) = below.remove(0);
        let about = table["description"].as_str().unwrap_or_else(|| panic!("{table} says nothing"));
        text += &format!("\n### {about}\n");
        let mut within = Vec::new();
        text += &rows(schema, &table, &mut told, &mut within);
        // A table's own tables stand right below it.
        within.append(&mut below);
        below = within;
    }
    text
}

#[test]
fn the_reference_page_is_made_from_the_schemas() {
    let place = Place::new();
    let schema = |of: &str| place.reigen(&format!("schema {of}")).json();
    let page = format!(
        "# Reference\n\nEvery table and key of the two files, made from the schemas that editors use (`reigen schema station`, `reigen schema scenario`).\n\n{}\n{}",
        part("The station file", &schema("station")),
        part("The scenario file", &schema("scenario"))
    );
    let path = root().join("docs/guide/reference.md");
    if std::env::var_os("UPDATE_PAGES").is_some() {
        std::fs::write(&path, &page).unwrap();
    }
    assert_eq!(std::fs::read_to_string(path).unwrap_or_default(), page, "run the tests once with UPDATE_PAGES=1");
}

/// The codes that the sources give to findings.
fn codes() -> BTreeSet<String> {
    let mut codes = BTreeSet::new();
    let mut folders = vec![root().join("crates")];
    while let Some(folder) = folders.pop() {
        for entry in std::fs::read_dir(folder).unwrap().map(|entry| entry.unwrap().path()) {
            if entry.is_dir() && !entry.ends_with("tests") && !entry.ends_with("target") {
                folders.push(entry);
            } else if entry.extension().is_some_and(|ending| ending == "rs") {
                let source = std::fs::read_to_string(&entry).unwrap();
                let source = source.split("#[cfg(test)]\nmod tests {").next().unwrap().to_owned();
                for part in source.split("Finding::").skip(1) {
                    let call = part.trim_start_matches(|letter: char| letter.is_ascii_lowercase());
                    let code = call.strip_prefix('(').map(str::trim_start).and_then(|call| call.strip_prefix('"'));
                    codes.extend(code.and_then(|code| code.split('"').next()).map(str::to_owned));
                }
            }
        }
    }
    codes
}

#[test]
fn every_finding_has_its_row_and_every_row_its_finding() {
    let read = |page: &str| std::fs::read_to_string(root().join("docs/guide").join(page)).unwrap();
    let (findings, wiring) = (read("findings.md"), read("wiring-codes.md"));
    let named = |page: &str| -> BTreeSet<String> {
        let rows = page.lines().filter_map(|line| line.strip_prefix("| ")).filter_map(|line| line.split(" | ").next());
        rows.flat_map(|cell| cell.split('`').skip(1).step_by(2)).map(str::to_owned).collect()
    };
    let codes = codes();
    assert!(codes.len() > 60, "{codes:?}");
    let told: BTreeSet<String> = named(&findings).union(&named(&wiring)).cloned().collect();
    let missing: Vec<&String> = codes.difference(&told).collect();
    assert!(missing.is_empty(), "no page tells of {missing:?}");
    let advice = ["few-actuations", "coarse-recording", "tight"];
    let strange: Vec<&String> = named(&findings)
        .iter()
        .filter(|code| !codes.contains(*code) && !advice.contains(&code.as_str()))
        .map(|code| told.get(code).unwrap())
        .collect();
    assert!(strange.is_empty(), "{strange:?} are no findings");
}
