//! C99: a header, the code, and an example that drives it by CSV.

mod example;
mod statements;
mod value;

use crate::model::{Chain, ChainId, Code, Line, MARK, Part, Shown, Statement, Value, Variable, VariableId};
use crate::table;
use crate::uses::{Form, Uses};
use reigen_core::expand::expander::CHIP;
use statements::{body, edge_body, initial};
use value::{Values, constant_name, fixed, type_of};

pub use example::{columns_read, example, lines_told};

/// A remark of C, with nothing in it that would end it.
fn remark(text: &str) -> String {
    // Two question marks may begin a trigraph.
    let safe = text.replace("*/", "* /").replace("/*", "/ *").replace("??", "? ?");
    let lines: Vec<&str> = safe.lines().map(str::trim_end).collect();
    match lines.as_slice() {
        [] => String::new(),
        [only] => format!("/* {only} */\n"),
        lines => format!("/* {}\n */\n", lines.join("\n * ")).replace(" * \n", " *\n"),
    }
}

/// `station.h`.
pub fn header(code: &Code) -> String {
    let uses = code.uses(Form::Plain);
    let period = code.period;
    let title = code.title.as_deref().unwrap_or("A station");
    let mut text = remark(&format!(
        "{title}\n\n{MARK}{}\n\nCall station_start once, then station_scan every {period} with the levels of all lines and the time in µs,\n\
         which may wrap at 2^32. A line is true while it is high.{}",
        code.version,
        if code.lines.iter().any(|line| line.edges) { EDGE_NOTE } else { "" }
    ));
    text += "#ifndef STATION_H\n#define STATION_H\n\n#include <stdbool.h>\n#include <stdint.h>\n\n";
    text += "/* What a scan reads. */\nstruct station_inputs {\n";
    for (number, line) in code.lines.iter().enumerate() {
        if !code.unused_lines.contains(&crate::model::LineId(number)) {
            text += &format!("    {} {};\n", type_of(line.kind), line.name);
            if line.samples {
                text += &format!("    bool {}_new; /* whether it has come since the scan before */\n", line.name);
            }
        }
    }
    for chain in read_chains(code) {
        let bits = chain.on_while_high.len() * CHIP;
        text += &format!("    bool {}_read; /* whether the chain has been read yet */\n", chain.name);
        text += &format!(
            "    bool (*{}_bit)(uint16_t place); /* its bits as they come out, 0 to {}; false before that */\n",
            chain.name,
            bits - 1
        );
    }
    if columns_read(code).is_empty() {
        text += "    bool nothing; /* C has no struct without a member */\n";
    }
    text += "};\n\n/* What a scan gives. What may have no value yet says so beside it. */\nstruct station_outputs {\n";
    for part in &code.parts {
        let Some(variable) = code.variable(part.shown.value) else { continue };
        text += &format!("    {} {};\n", type_of(variable.kind), part.name);
        if let Some(known) = &part.shown.known_name {
            text += &format!("    bool {known};\n");
        }
    }
    text += "};\n\n/* What it remembers from scan to scan: only to be handed over. */\nstruct station {\n    uint32_t now_us;\n";
    text += "    bool first_scan;\n";
    if uses.clock {
        text += "    uint64_t clock_us; /* time since the first scan */\n";
    }
    for part in &code.parts {
        let own = states(code, part, &uses);
        if !own.is_empty() {
            text.push('\n');
        }
        for variable in own {
            let row = variable.count.map(|count| format!("[{count}]")).unwrap_or_default();
            let about = if variable.about.is_empty() { String::new() } else { format!(" /* {} */", variable.about) };
            text += &format!("    {} {}{row};{about}\n", type_of(variable.kind), variable.name);
        }
    }
    text += "};\n\n";
    let told: Vec<&Line> = code.lines.iter().filter(|line| line.edges).collect();
    if !told.is_empty() {
        text += "/* The lines whose changes are told between scans. */\nenum station_line {\n";
        text += &told.iter().map(|line| format!("    {}", line_word(line))).collect::<Vec<_>>().join(",\n");
        text += "\n};\n\n";
    }
    text += "void station_start(struct station *station);\n\n";
    text += "void station_scan(struct station *station, const struct station_inputs *inputs, uint32_t now_us,\n                  struct station_outputs *outputs);\n\n";
    if !told.is_empty() {
        text += "void station_edge(struct station *station, enum station_line line, bool level, uint32_t now_us);\n\n";
    }
    text + "#endif\n"
}

/// What the header says where changes are told between scans.
const EDGE_NOTE: &str = "\n\nCall station_edge at each change of a line of enum station_line, from the first scan on. Where that is an interrupt,\n\
                         hold it off while station_scan runs: both change the same struct.";

/// The word for a line whose changes are told.
pub(crate) fn line_word(line: &Line) -> String {
    format!("STATION_LINE_{}", line.name.to_ascii_uppercase())
}

/// The chains that the code reads.
pub fn read_chains(code: &Code) -> impl Iterator<Item = &Chain> {
    let used = |(number, _): &(usize, _)| !code.unused_chains.contains(&ChainId(*number));
    code.chains.iter().enumerate().filter(used).map(|(_, chain)| chain)
}

/// The variables of a part that outlive the scan.
fn states<'a>(code: &'a Code, part: &Part, uses: &Uses) -> Vec<&'a Variable> {
    let used = |id: &&VariableId| uses.variables.contains(id);
    let of = part.variables.iter().filter(used).filter_map(|id| code.variable(*id));
    of.filter(|variable| variable.is_state).collect()
}

/// `station.c`.
pub fn source(code: &Code) -> String {
    let uses = code.uses(Form::Plain);
    let title = code.title.as_deref().unwrap_or("A station");
    let mut text = remark(&format!("{title}\n\n{MARK}{}", code.version));
    if !code.left_out.is_empty() {
        let left: Vec<String> = code.left_out.iter().map(|left| format!("{}: {}", left.point, left.why)).collect();
        text += &remark(&format!("Not written:\n{}", left.join("\n")));
    }
    text += "\n#include \"station.h\"\n";
    if uses.functions.iter().any(|function| MATHS.contains(function)) {
        text += "#include <math.h>\n";
    }
    if !uses.constants.is_empty() {
        text.push('\n');
    }
    for id in &uses.constants {
        if let Some(constant) = code.constants.get(id.0) {
            text += &format!("#define {} {}\n", constant_name(constant), fixed(constant.value));
        }
    }
    let parts: String =
        code.parts.iter().filter(|part| !part.body.is_empty()).map(|part| function(code, part)).collect();
    text += &helpers(&parts);
    text += &parts;
    text += &edge_functions(code);
    text += &start(code, &uses);
    text += &scan(code, &uses);
    text += &edge(code, &uses);
    text.push('\n');
    text += &remark(&table::text(code));
    text
}

/// The functions that C has in its library of mathematics only.
const MATHS: &[&str] = &["SQRT", "LN", "LOG", "EXP", "SIN", "COS", "TAN", "ASIN", "ACOS", "ATAN", "POWER"];

/// Functions that the parts may call, each where one does.
const HELPERS: [(&str, &str); 6] = [
    ("is_number(", "static bool is_number(double value)\n{\n    return value - value == 0.0;\n}\n"),
    (
        "rounded(",
        "/* The nearest whole number, halves away from 0. */\nstatic int64_t rounded(double value)\n{\n    \
         int64_t whole = (int64_t)value;\n    double rest = value - (double)whole;\n\n    \
         if (rest >= 0.5) {\n        return whole + 1;\n    }\n    if (rest <= -0.5) {\n        return whole - 1;\n    }\n    \
         return whole;\n}\n",
    ),
    (
        "greatest(",
        "static int64_t greatest(int64_t one, int64_t other)\n{\n    return one >= other ? one : other;\n}\n",
    ),
    ("least(", "static int64_t least(int64_t one, int64_t other)\n{\n    return one <= other ? one : other;\n}\n"),
    (
        "greatest_real(",
        "static double greatest_real(double one, double other)\n{\n    return one >= other ? one : other;\n}\n",
    ),
    (
        "least_real(",
        "static double least_real(double one, double other)\n{\n    return one <= other ? one : other;\n}\n",
    ),
];

fn helpers(parts: &str) -> String {
    let called = HELPERS.iter().filter(|(call, _)| parts.contains(call));
    called.map(|(_, function)| format!("\n{function}")).collect()
}

/// What a part's function takes.
fn parameters(part: &Part) -> Vec<(&'static str, &'static str)> {
    let mut uses = Uses::default();
    uses.body(&part.body, Form::Plain);
    let mut all = vec![("struct station *station", "station")];
    if !(uses.lines.is_empty() && uses.chains.is_empty()) {
        all.push(("const struct station_inputs *inputs", "inputs"));
    }
    if uses.step {
        all.push(("uint32_t step_us", "step_us"));
    }
    all
}

fn function(code: &Code, part: &Part) -> String {
    let parameters: Vec<&str> = parameters(part).iter().map(|(declared, _)| *declared).collect();
    format!(
        "\n{}static void work_{}({})\n{{\n{}}}\n",
        remark(&part.text),
        part.name,
        parameters.join(", "),
        body(code, part)
    )
}

/// The functions that work changes between scans.
fn edge_functions(code: &Code) -> String {
    let all = code.parts.iter().flat_map(|part| part.edges.iter().map(move |(line, body)| (part, *line, body)));
    let written = all.map(|(part, line, body)| {
        let parameters: Vec<&str> = edge_parameters(body).iter().map(|(declared, _)| *declared).collect();
        let line = code.lines.get(line.0).map_or("", |line| &line.name);
        let about = remark(&format!("A change of {line}, for {}.", part.name));
        format!(
            "\n{about}static void edge_{}_{line}({})\n{{\n{}}}\n",
            part.name,
            parameters.join(", "),
            edge_body(code, body)
        )
    });
    written.collect()
}

fn edge_parameters(body: &[Statement]) -> Vec<(&'static str, &'static str)> {
    let mut uses = Uses::default();
    uses.body(body, Form::Plain);
    let mut all = vec![("struct station *station", "station")];
    if uses.edge_level {
        all.push(("bool level", "level"));
    }
    if uses.clock {
        all.push(("uint64_t at_us", "at_us"));
    }
    all
}

/// `station_edge`.
fn edge(code: &Code, uses: &Uses) -> String {
    let told: Vec<(usize, &Line)> = code.lines.iter().enumerate().filter(|(_, line)| line.edges).collect();
    if told.is_empty() {
        return String::new();
    }
    let mut text =
        "\nvoid station_edge(struct station *station, enum station_line line, bool level, uint32_t now_us)\n{\n"
            .to_owned();
    let all = || code.parts.iter().flat_map(|part| &part.edges);
    let asks = |asked: fn(&Uses) -> bool| {
        all().any(|(_, body)| {
            let mut uses = Uses::default();
            uses.body(body, Form::Plain);
            asked(&uses)
        })
    };
    match uses.clock && asks(|uses| uses.clock) {
        true => text += "    uint64_t at_us = station->clock_us + (uint32_t)(now_us - station->now_us);\n\n",
        false => text += "    (void)now_us;\n",
    }
    if !asks(|uses| uses.edge_level) {
        text += "    (void)level;\n";
    }
    text += "    switch (line) {\n";
    for (number, line) in told {
        text += &format!("    case {}:\n", line_word(line));
        for part in &code.parts {
            for (_, body) in part.edges.iter().filter(|(told, _)| told.0 == number) {
                let given: Vec<&str> = edge_parameters(body).iter().map(|(_, name)| *name).collect();
                text += &format!("        edge_{}_{}({});\n", part.name, line.name, given.join(", "));
            }
        }
        text += "        break;\n";
    }
    text + "    }\n}\n"
}

fn start(code: &Code, uses: &Uses) -> String {
    let mut text = "\nvoid station_start(struct station *station)\n{\n    static const struct station AT_REST = {0};\n\n    *station = AT_REST;\n    station->first_scan = true;\n".to_owned();
    for part in &code.parts {
        for variable in states(code, part, uses) {
            let is_zero = matches!(&variable.initial, Value::Bit(false) | Value::Whole(0));
            let is_zero = is_zero || matches!(&variable.initial, Value::Real(real) if *real == 0.0);
            if !is_zero {
                text += &format!("    station->{} = {};\n", variable.name, initial(variable.kind, &variable.initial));
            }
        }
    }
    text + "}\n"
}

fn scan(code: &Code, uses: &Uses) -> String {
    let mut text = "\nvoid station_scan(struct station *station, const struct station_inputs *inputs, uint32_t now_us,\n                  struct station_outputs *outputs)\n{\n".to_owned();
    if uses.step || uses.clock {
        text += "    /* The difference is right where the clock has wrapped, too. */\n    \
                 uint32_t step_us = station->first_scan ? 0 : now_us - station->now_us;\n\n    \
                 if (step_us > INT32_MAX) {\n        step_us = INT32_MAX;\n    }\n";
    }
    text += "    station->now_us = now_us;\n";
    if uses.clock {
        text += "    station->clock_us += step_us;\n";
    }
    if uses.lines.is_empty() && uses.chains.is_empty() {
        text += "    (void)inputs;\n";
    }
    text.push('\n');
    for part in code.parts.iter().filter(|part| !part.body.is_empty()) {
        let given: Vec<&str> = parameters(part).iter().map(|(_, name)| *name).collect();
        text += &format!("    work_{}({});\n", part.name, given.join(", "));
    }
    text += "\n";
    let values = Values { code };
    for part in &code.parts {
        let Shown { value, known, known_name } = &part.shown;
        text += &format!("    outputs->{} = {};\n", part.name, values.variable(*value));
        if let (Some(known), Some(name)) = (known, known_name) {
            text += &format!("    outputs->{name} = {};\n", values.text(known));
        }
    }
    text + "    station->first_scan = false;\n}\n"
}
