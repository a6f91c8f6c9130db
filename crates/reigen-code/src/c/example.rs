//! `example.c`: reads CSV from standard input, a row a scan, and prints what each scan gives.

use super::{line_word, read_chains, remark};
use crate::model::{Code, Kind, Line, LineId, MARK};

/// The columns that it reads, in their order: the names of the station's lines, and then of its chains.
pub fn columns_read(code: &Code) -> Vec<&str> {
    let chains = read_chains(code).map(|chain| chain.of.as_str());
    read_lines(code).map(|line| line.of.as_str()).chain(chains).collect()
}

/// The lines whose changes it reads, by the names of the station.
pub fn lines_told(code: &Code) -> Vec<&str> {
    code.lines.iter().filter(|line| line.edges).map(|line| line.of.as_str()).collect()
}

fn read_lines(code: &Code) -> impl Iterator<Item = &Line> {
    let used = |(number, _): &(usize, _)| !code.unused_lines.contains(&LineId(*number));
    code.lines.iter().enumerate().filter(used).map(|(_, line)| line)
}

/// A text as C writes it.
fn quoted(text: &str) -> String {
    let escaped = text.chars().map(|letter| match letter {
        // Two question marks may begin a trigraph.
        '"' | '\\' | '?' => format!("\\{letter}"),
        letter if letter.is_ascii_control() => format!("\\{:03o}", u32::from(letter)),
        letter => letter.to_string(),
    });
    format!("\"{}\"", escaped.collect::<String>())
}

/// A field of CSV: in quotes where it needs them.
fn csv_field(name: &str) -> String {
    if name.contains([',', '"', '\n', ';']) { format!("\"{}\"", name.replace('"', "\"\"")) } else { name.to_owned() }
}

const INCLUDES: &str = r#"
#include "station.h"
#include <inttypes.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

/* The next number of a row; gives what follows it. */
static const char *next(const char *from, const char **number)
{
    *number = from;
    while (*from != '\0' && *from != ',' && *from != '\n') {
        from++;
    }
    return *from == ',' ? from + 1 : from;
}
"#;

const MAIN: &str = r"
int main(void)
{
    static char row[65536];
    static struct station station;
    static struct station_inputs inputs;
    static struct station_outputs outputs;

    station_start(&station);
";

const READ_ROWS: &str = r"    if (fgets(row, sizeof row, stdin) == NULL) {
        return EXIT_FAILURE;
    }
    while (fgets(row, sizeof row, stdin) != NULL) {
        const char *number;
        const char *rest = next(row, &number);
        uint32_t now_us;

";

const READ_EDGE: &str = r#"        if (strncmp(row, "edge,", 5) == 0) {
            edge(&station, rest);
            continue;
        }
"#;

const SCAN: &str = r#"        (void)rest;
        station_scan(&station, &inputs, now_us, &outputs);
        printf("%" PRIu32, now_us);
"#;

const END: &str = r#"        putchar('\n');
    }
    return EXIT_SUCCESS;
}
"#;

/// `example.c`.
pub fn example(code: &Code) -> String {
    let names = columns_read(code).join(", ");
    let mut text = remark(&format!(
        "{MARK}{}\n\nReads CSV from standard input: a line of names, then a row a scan with the time in µs and\n{names}.\n\
         Prints a row for each: the time, and what each point is; nothing where it has no value yet.",
        code.version
    ));
    text += INCLUDES;
    for chain in read_chains(code) {
        let name = &chain.name;
        text += &format!("\nstatic const char *{name}_levels;\n\nstatic bool {name}_bit(uint16_t place)\n{{\n");
        text += &format!("    return {name}_levels != NULL && {name}_levels[place] == '1';\n}}\n");
    }
    text += &edge(code);
    text += MAIN;
    let points = code.parts.iter().map(|part| csv_field(&part.of));
    let header: Vec<String> = std::iter::once("time_us".to_owned()).chain(points).collect();
    text += &format!("    fputs({}, stdout);\n    putchar('\\n');\n", quoted(&header.join(",")));
    text += READ_ROWS;
    if !lines_told(code).is_empty() {
        text += READ_EDGE;
    }
    text += "        now_us = (uint32_t)strtoull(number, NULL, 10);\n";
    read_lines(code).for_each(|line| text += &read(line));
    for chain in read_chains(code) {
        let name = &chain.name;
        text += "        rest = next(rest, &number);\n";
        text += &format!("        inputs.{name}_read = *number == '0' || *number == '1';\n");
        text += &format!("        {name}_levels = inputs.{name}_read ? number : NULL;\n");
        text += &format!("        inputs.{name}_bit = {name}_bit;\n");
    }
    text += SCAN;
    text += &prints(code);
    text + END
}

/// What reads a line of a row.
fn read(line: &Line) -> String {
    let value = match line.kind {
        Kind::Bit => "*number == '1'",
        Kind::Real => "strtod(number, NULL)",
        Kind::Whole => "(int32_t)strtoll(number, NULL, 10)",
        _ => "strtoll(number, NULL, 10)",
    };
    let mut text = "        rest = next(rest, &number);\n".to_owned();
    if line.samples {
        text += &format!("        inputs.{}_new = strchr(\",\\n\", *number) == NULL;\n", line.name);
    }
    text + &format!("        inputs.{} = {value};\n", line.name)
}

/// What reads a change of a line: `edge,TIME_US,LINE,LEVEL`.
fn edge(code: &Code) -> String {
    let told: Vec<&Line> = code.lines.iter().filter(|line| line.edges).collect();
    if told.is_empty() {
        return String::new();
    }
    let mut text = r#"
/* A row "edge,TIME_US,LINE,LEVEL": a change between two scans. */
static void edge(struct station *station, const char *rest)
{
    const char *number;
    const char *name = next(rest, &number);
    uint32_t now_us = (uint32_t)strtoull(number, NULL, 10);

"#
    .to_owned();
    for (number, line) in told.iter().enumerate() {
        let word = if number == 0 { "    if" } else { " else if" };
        let (name, length, line) = (quoted(&format!("{},", line.of)), line.of.len() + 1, line_word(line));
        text += &format!("{word} (strncmp(name, {name}, {length}) == 0) {{\n");
        text += &format!("        station_edge(station, {line}, name[{length}] == '1', now_us);\n    }}");
    }
    text + "\n}\n"
}

/// What prints the points.
fn prints(code: &Code) -> String {
    let mut text = String::new();
    for part in &code.parts {
        let Some(variable) = code.variable(part.shown.value) else { continue };
        let value = format!("outputs.{}", part.name);
        let print = match variable.kind {
            Kind::Bit => format!("fputs({value} ? \",1\" : \",0\", stdout);"),
            Kind::Small | Kind::Whole => format!("printf(\",%\" PRId32, (int32_t){value});"),
            Kind::Wide => format!("printf(\",%\" PRId64, {value});"),
            Kind::Time | Kind::LongTime => format!("printf(\",%\" PRIu64, (uint64_t){value});"),
            Kind::Real => format!("printf(\",%.17g\", {value});"),
        };
        match &part.shown.known_name {
            None => text += &format!("        {print}\n"),
            Some(known) => {
                text += &format!("        if (outputs.{known}) {{\n            {print}\n");
                text += "        } else {\n            putchar(',');\n        }\n";
            }
        }
    }
    text
}
