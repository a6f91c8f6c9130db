//! Structured text of IEC 61131-3: a function block of the station, and a program that gives it its addresses.

mod plcopen;
mod statements;
mod value;

pub use plcopen::plcopen;

use crate::model::{ChainId, Code, Fixed, Kind, LineId, MARK, Part, Statement, Value, Variable};
use crate::table;
use crate::uses::{Form, Uses};
use reigen_core::expand::expander::CHIP;
use statements::body;
use std::collections::BTreeMap;
use value::{constant_name, real, scans, type_of};

/// The name of the function block.
const BLOCK: &str = "STATION";
/// The name of the program, and of the instance in it.
const PROGRAM: &str = "STATION_PROGRAM";
const INSTANCE: &str = "the_station";

/// A remark, with nothing in it that would begin or end one.
fn remark(text: &str) -> String {
    let safe = text.replace("*)", "* )").replace("(*", "( *");
    let lines: Vec<&str> = safe.lines().map(str::trim_end).collect();
    match lines.as_slice() {
        [] => String::new(),
        [only] => format!("(* {only} *)\n"),
        lines => format!("(* {}\n*)\n", lines.join("\n   ")).replace("\n   \n", "\n\n"),
    }
}

/// A section of declarations.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Section {
    /// Its word: `VAR_INPUT`.
    pub(crate) word: &'static str,
    /// Whether what it declares never changes.
    pub(crate) constant: bool,
    /// What it declares.
    pub(crate) declared: Vec<Declared>,
}

/// One declaration.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Declared {
    /// Its name.
    pub(crate) name: String,
    /// Its address, where it has one.
    pub(crate) address: Option<String>,
    /// Its type.
    pub(crate) kind: DeclaredType,
    /// What it begins with; `None` where that is nothing or off.
    pub(crate) initial: Option<String>,
    /// What it is, in a few words.
    pub(crate) about: String,
}

/// A type.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum DeclaredType {
    /// One of the standard's.
    Plain(&'static str),
    /// A row of so many.
    Row(&'static str, usize),
    /// A block, by its name.
    Block(String),
}

impl DeclaredType {
    fn text(&self) -> String {
        match self {
            Self::Plain(name) => (*name).to_owned(),
            Self::Row(of, count) => format!("ARRAY[0..{}] OF {of}", count.saturating_sub(1)),
            Self::Block(name) => name.clone(),
        }
    }
}

impl Section {
    fn new(word: &'static str, declared: Vec<Declared>) -> Self {
        Self { word, constant: false, declared }
    }

    fn text(&self) -> String {
        if self.declared.is_empty() {
            return String::new();
        }
        let constant = if self.constant { " CONSTANT" } else { "" };
        let mut text = format!("{}{constant}\n", self.word);
        for Declared { name, address, kind, initial, about } in &self.declared {
            let address = address.as_ref().map(|address| format!(" AT {address}")).unwrap_or_default();
            let initial = initial.as_ref().map(|initial| format!(" := {initial}")).unwrap_or_default();
            let about = if about.is_empty() { String::new() } else { format!(" (* {about} *)") };
            text += &format!("    {name}{address} : {}{initial};{about}\n", kind.text());
        }
        text + "END_VAR\n"
    }
}

/// What the function block is made of.
pub(crate) struct FunctionBlock {
    /// Its declarations.
    pub(crate) sections: Vec<Section>,
    /// Its statements.
    pub(crate) body: String,
}

fn plain(name: &str, kind: Kind, about: &str) -> Declared {
    let kind = DeclaredType::Plain(type_of(kind));
    Declared { name: name.to_owned(), address: None, kind, initial: None, about: about.to_owned() }
}

fn read_lines(code: &Code) -> impl Iterator<Item = &crate::model::Line> {
    let used = |(number, _): &(usize, _)| !code.unused_lines.contains(&LineId(*number));
    code.lines.iter().enumerate().filter(used).map(|(_, line)| line)
}

/// A line, and whether it has a new sample where it comes in such.
fn declared_line(line: &crate::model::Line) -> Vec<Declared> {
    let new = line
        .samples
        .then(|| plain(&format!("{}_new", line.name), Kind::Bit, "whether it has come since the scan before"));
    std::iter::once(plain(&line.name, line.kind, "")).chain(new).collect()
}

fn read_chains(code: &Code) -> impl Iterator<Item = &crate::model::Chain> {
    let used = |(number, _): &(usize, _)| !code.unused_chains.contains(&ChainId(*number));
    code.chains.iter().enumerate().filter(used).map(|(_, chain)| chain)
}

/// The function block of a station.
pub(crate) fn function_block(code: &Code) -> FunctionBlock {
    let uses = code.uses(Form::Called);
    let inputs = read_lines(code).flat_map(declared_line);
    let chains = read_chains(code).flat_map(|chain| {
        let bits = DeclaredType::Row(type_of(Kind::Bit), chain.on_while_high.len() * CHIP);
        let levels =
            Declared { kind: bits, ..plain(&chain.name, Kind::Bit, "the bits in the order in which they come out") };
        [levels, plain(&format!("{}_read", chain.name), Kind::Bit, "whether they have been read yet")]
    });
    let inputs = inputs.chain(chains).collect();
    let (mut outputs, mut states, mut locals) = (Vec::new(), Vec::new(), Vec::new());
    for part in &code.parts {
        let used = part.variables.iter().filter(|id| uses.variables.contains(id));
        for variable in used.filter_map(|id| code.variable(*id)) {
            let is_shown = code.variable(part.shown.value).is_some_and(|shown| shown.name == variable.name);
            match (is_shown, variable.is_state) {
                (true, _) => outputs.push(of_variable(variable)),
                (false, true) => states.push(of_variable(variable)),
                (false, false) => locals.push(of_variable(variable)),
            }
        }
        states.extend(instances(&part.body).into_iter().map(|(name, kind)| Declared {
            name,
            address: None,
            kind: DeclaredType::Block(kind.to_owned()),
            initial: None,
            about: String::new(),
        }));
        if let Some(known) = &part.shown.known_name {
            outputs.push(plain(known, Kind::Bit, &format!("whether {} has a value", part.name)));
        }
    }
    states.push(Declared { initial: Some("TRUE".to_owned()), ..plain("first_scan", Kind::Bit, "") });
    if uses.step {
        locals.push(plain("scans_passed", Kind::Time, "1, but 0 in the first scan"));
    }
    if uses.clock {
        states.push(plain("scan_number", Kind::LongTime, "scans since the first"));
    }
    let constants =
        uses.constants.iter().filter_map(|id| code.constants.get(id.0)).filter(|constant| is_read(code, constant));
    let constants = constants.map(|constant| of_constant(code, constant)).collect();
    let sections = vec![
        Section::new("VAR_INPUT", inputs),
        Section::new("VAR_OUTPUT", outputs),
        Section::new("VAR", states),
        Section::new("VAR_TEMP", locals),
        Section { constant: true, ..Section::new("VAR", constants) },
    ];
    FunctionBlock { sections, body: whole_body(code, &uses) }
}

/// Whether a constant is read as one; times of standard blocks stand there as they are.
fn is_read(code: &Code, constant: &crate::model::Constant) -> bool {
    let name = constant_name(constant);
    let has = |text: &str| {
        text.split(|letter: char| !(letter.is_ascii_alphanumeric() || letter == '_')).any(|word| word == name)
    };
    code.parts.iter().any(|part| has(&body(code, part)))
}

fn of_variable(variable: &Variable) -> Declared {
    let kind = match variable.count {
        Some(count) => DeclaredType::Row(type_of(variable.kind), count),
        None => DeclaredType::Plain(type_of(variable.kind)),
    };
    let initial = match &variable.initial {
        Value::Bit(true) => Some("TRUE".to_owned()),
        Value::Whole(whole) if *whole != 0 => Some(whole.to_string()),
        Value::Real(value) if *value != 0.0 => Some(real(*value)),
        _ => None,
    };
    Declared { name: variable.name.clone(), address: None, kind, initial, about: variable.about.clone() }
}

fn of_constant(code: &Code, constant: &crate::model::Constant) -> Declared {
    let (kind, initial, about) = match constant.value {
        Fixed::Time(time) => (Kind::of_time(time), scans(time, code.period).to_string(), time.to_string()),
        Fixed::Whole(whole) => (Kind::of_range((whole.into(), whole.into())), whole.to_string(), String::new()),
        Fixed::Real(value) => (Kind::Real, real(value), String::new()),
    };
    Declared { initial: Some(initial), ..plain(&constant_name(constant), kind, &about) }
}

/// The instances of standard blocks in some statements, with their types.
fn instances(statements: &[Statement]) -> BTreeMap<String, &'static str> {
    let mut found = BTreeMap::new();
    for statement in statements {
        match statement {
            Statement::Block(block, _) => drop(found.insert(block.instance.clone(), block.kind)),
            Statement::If(arms, otherwise) => {
                arms.iter().for_each(|(_, body)| found.extend(instances(body)));
                found.extend(instances(otherwise));
            }
            Statement::Repeat(_, _, body) => found.extend(instances(body)),
            Statement::Set(..) | Statement::SetElement(..) => {}
        }
    }
    found
}

fn whole_body(code: &Code, uses: &Uses) -> String {
    let mut text = String::new();
    if uses.step {
        text += "scans_passed := SEL(first_scan, 1, 0);\n";
    }
    if uses.clock {
        text += "IF NOT first_scan THEN\n    scan_number := scan_number + 1;\nEND_IF;\n";
    }
    for part in &code.parts {
        text += &format!("\n{}{}", remark(&part.text), body(code, part));
        text += &has_value(code, part);
    }
    text + "\nfirst_scan := FALSE;\n"
}

fn has_value(code: &Code, part: &Part) -> String {
    let values = value::Values { code };
    match (&part.shown.known_name, &part.shown.known) {
        (Some(name), Some(known)) => format!("{name} := {};\n", values.text(known)),
        _ => String::new(),
    }
}

/// `station.st`: the function block, and a program that calls it.
pub fn source(code: &Code) -> String {
    let FunctionBlock { sections, body } = function_block(code);
    let title = code.title.as_deref().unwrap_or("A station");
    let mut text = remark(&format!(
        "{title}\n\n{MARK}{}\n\nCall {PROGRAM} in a task of {}: times are counted in its cycles.",
        code.version, code.period
    ));
    if !code.left_out.is_empty() {
        let left: Vec<String> = code.left_out.iter().map(|left| format!("{}: {}", left.point, left.why)).collect();
        text += &remark(&format!("Not written:\n{}", left.join("\n")));
    }
    text += &format!("FUNCTION_BLOCK {BLOCK}\n");
    sections.iter().for_each(|section| text += &section.text());
    text += &format!("\n{body}END_FUNCTION_BLOCK\n\n");
    let (sections, body) = program(code);
    text += &format!("PROGRAM {PROGRAM}\n");
    sections.iter().for_each(|section| text += &section.text());
    text += &format!("\n{body}END_PROGRAM\n\n");
    text + &remark(&table::text(code))
}

/// The program that calls the block: what has an address is read from there, or written to it.
pub(crate) fn program(code: &Code) -> (Vec<Section>, String) {
    let mut declared = vec![Declared {
        name: INSTANCE.to_owned(),
        address: None,
        kind: DeclaredType::Block(BLOCK.to_owned()),
        initial: None,
        about: String::new(),
    }];
    let mut given = Vec::new();
    for line in read_lines(code) {
        let address = line.address.clone().filter(|address| address.starts_with('%'));
        declared.push(Declared { address, ..plain(&line.name, line.kind, "") });
        given.push(format!("{0} := {0}", line.name));
        if line.samples {
            declared.extend(declared_line(line).into_iter().skip(1));
            given.push(format!("{0}_new := {0}_new", line.name));
        }
    }
    for chain in read_chains(code) {
        let bits = DeclaredType::Row(type_of(Kind::Bit), chain.on_while_high.len() * CHIP);
        declared.push(Declared { kind: bits, ..plain(&chain.name, Kind::Bit, "to be filled by what reads the chain") });
        declared.push(plain(&format!("{}_read", chain.name), Kind::Bit, "to be set once it has"));
        given.push(format!("{0} := {0}", chain.name));
        given.push(format!("{0}_read := {0}_read", chain.name));
    }
    let mut body = format!("{INSTANCE}({});\n", given.join(", "));
    for part in &code.parts {
        let address = part.address.clone().filter(|address| address.starts_with("%Q"));
        let (Some(address), Some(variable)) = (address, code.variable(part.shown.value)) else { continue };
        let name = format!("{}_out", part.name);
        declared.push(Declared { address: Some(address), ..plain(&name, variable.kind, "") });
        body += &format!("{name} := {INSTANCE}.{};\n", part.name);
    }
    (vec![Section::new("VAR", declared)], body)
}
