//! A small interpreter of structured text, over the tree of an independent parser.
//!
//! It knows the standard blocks and functions that code uses, and is strict: what is assigned must be of the variable's type.

use std::collections::HashMap;
use tree_sitter::{Node, Parser};

#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Value {
    Bool(bool),
    Int(i64),
    Real(f64),
    TimeNs(u64),
    Row(Vec<Value>),
}

impl Value {
    fn bool(&self) -> bool {
        match self {
            Self::Bool(bit) => *bit,
            other => panic!("{other:?} is no BOOL"),
        }
    }

    fn int(&self) -> i64 {
        match self {
            Self::Int(whole) => *whole,
            other => panic!("{other:?} is no whole number"),
        }
    }

    fn real(&self) -> f64 {
        match self {
            Self::Real(real) => *real,
            other => panic!("{other:?} is no LREAL"),
        }
    }
}

#[derive(Debug, Clone)]
enum Expression {
    Literal(Value),
    Variable(String),
    Member(String, String),
    Element(String, Box<Expression>),
    Unary(String, Box<Expression>),
    Binary(String, Box<Expression>, Box<Expression>),
    Call(String, Vec<Expression>),
}

#[derive(Debug, Clone)]
enum Statement {
    Assign(Expression, Expression),
    If(Vec<(Expression, Vec<Statement>)>, Vec<Statement>),
    For(String, Expression, Expression, Vec<Statement>),
    Invoke(String, Vec<(String, Expression)>),
}

/// A standard block at work.
#[derive(Debug, Clone, Default)]
struct Block {
    kind: String,
    inputs: HashMap<String, Value>,
    outputs: HashMap<String, Value>,
    runs: bool,
    passed_ns: u64,
    before: [bool; 2],
}

/// A function block in memory.
pub(crate) struct Machine {
    types: HashMap<String, String>,
    variables: HashMap<String, Value>,
    temporary: Vec<String>,
    blocks: HashMap<String, Block>,
    body: Vec<Statement>,
    period_ns: u64,
}

fn text<'a>(node: Node<'_>, source: &'a str) -> &'a str {
    node.utf8_text(source.as_bytes()).unwrap()
}

fn children<'a>(node: Node<'a>) -> Vec<Node<'a>> {
    let mut cursor = node.walk();
    node.named_children(&mut cursor).filter(|child| child.kind() != "comment").collect()
}

fn of_field<'a>(node: Node<'a>, field: &str) -> Vec<Node<'a>> {
    let mut cursor = node.walk();
    node.children_by_field_name(field, &mut cursor)
        .filter(|child| child.kind() != "comment" && child.is_named())
        .collect()
}

fn one<'a>(node: Node<'a>, field: &str) -> Node<'a> {
    node.child_by_field_name(field).unwrap_or_else(|| panic!("{} without {field}", node.kind()))
}

fn expression(node: Node<'_>, source: &str) -> Expression {
    let inner = |field| Box::new(expression(one(node, field), source));
    match node.kind() {
        "boolean_literal" => Expression::Literal(Value::Bool(text(node, source) == "TRUE")),
        "integer_literal" => Expression::Literal(Value::Int(text(node, source).parse().unwrap())),
        "real_literal" => Expression::Literal(Value::Real(text(node, source).parse().unwrap())),
        "typed_literal" => Expression::Literal(Value::Int(text(one(node, "value"), source).parse().unwrap())),
        "time_literal" => Expression::Literal(Value::TimeNs(time_ns(text(node, source)))),
        "identifier" => Expression::Variable(text(node, source).to_owned()),
        "parenthesized_expression" => expression(children(node)[0], source),
        "unary_expression" => Expression::Unary(text(one(node, "operator"), source).to_owned(), inner("operand")),
        "binary_expression" => {
            Expression::Binary(text(one(node, "operator"), source).to_owned(), inner("left"), inner("right"))
        }
        "member_access_expression" => {
            let object = text(one(node, "object"), source).to_owned();
            Expression::Member(object, text(one(node, "member"), source).to_owned())
        }
        "index_expression" => Expression::Element(text(one(node, "object"), source).to_owned(), inner("index")),
        "call_expression" => {
            let arguments = children(one(node, "arguments")).into_iter().map(|part| expression(part, source)).collect();
            Expression::Call(text(one(node, "function"), source).to_owned(), arguments)
        }
        other => panic!("{other}: {}", text(node, source)),
    }
}

fn time_ns(literal: &str) -> u64 {
    let mut rest = literal.strip_prefix("T#").unwrap();
    let mut sum = 0;
    while !rest.is_empty() {
        let digits = rest.find(|letter: char| !letter.is_ascii_digit()).unwrap();
        let (count, after) = rest.split_at(digits);
        let word = after.find(|letter: char| letter.is_ascii_digit()).unwrap_or(after.len());
        let (unit, after) = after.split_at(word);
        let size = match unit {
            "h" => 3_600_000_000_000,
            "m" => 60_000_000_000,
            "s" => 1_000_000_000,
            "ms" => 1_000_000,
            "us" => 1_000,
            other => panic!("{other}"),
        };
        sum += count.parse::<u64>().unwrap() * size;
        rest = after;
    }
    sum
}

fn statements(nodes: Vec<Node<'_>>, source: &str) -> Vec<Statement> {
    // What ends a choice is a semicolon by itself.
    nodes.into_iter().filter(|node| node.kind() != "empty_statement").map(|node| statement(node, source)).collect()
}

fn statement(node: Node<'_>, source: &str) -> Statement {
    match node.kind() {
        "assignment_statement" => {
            Statement::Assign(expression(one(node, "left"), source), expression(one(node, "right"), source))
        }
        "if_statement" => {
            let body = statements(of_field(node, "consequence"), source);
            let mut arms = vec![(expression(one(node, "condition"), source), body)];
            let mut otherwise = Vec::new();
            for clause in children(node) {
                match clause.kind() {
                    "elsif_clause" => {
                        let body = statements(of_field(clause, "body"), source);
                        arms.push((expression(one(clause, "condition"), source), body));
                    }
                    "else_clause" => otherwise = statements(of_field(clause, "body"), source),
                    _ => {}
                }
            }
            Statement::If(arms, otherwise)
        }
        "for_statement" => Statement::For(
            text(one(node, "control"), source).to_owned(),
            expression(one(node, "start"), source),
            expression(one(node, "end"), source),
            statements(of_field(node, "body"), source),
        ),
        "invocation_statement" => {
            let call = children(node)[0];
            let named = children(one(call, "arguments")).into_iter().map(|argument| {
                let value = expression(one(argument, "value"), source);
                (text(one(argument, "name"), source).to_owned(), value)
            });
            Statement::Invoke(text(one(call, "function"), source).to_owned(), named.collect())
        }
        other => panic!("{other}: {}", text(node, source)),
    }
}

/// The plain value of a type.
fn rest(of: &str) -> Value {
    match of {
        "BOOL" => Value::Bool(false),
        "DINT" | "LINT" => Value::Int(0),
        "LREAL" => Value::Real(0.0),
        other => panic!("{other}"),
    }
}

impl Machine {
    /// The function block of a text, which must be parsed without an error.
    pub(crate) fn new(source: &str, period_ns: u64) -> Self {
        let mut parser = Parser::new();
        parser.set_language(&tree_sitter_iec61131_3_st::LANGUAGE.into()).unwrap();
        let tree = parser.parse(source, None).unwrap();
        let root = tree.root_node();
        assert!(!root.has_error(), "{}\n{source}", root.to_sexp());
        let block = children(root).into_iter().find(|node| node.kind() == "function_block_declaration").unwrap();
        let mut machine = Self {
            types: HashMap::new(),
            variables: HashMap::new(),
            temporary: Vec::new(),
            blocks: HashMap::new(),
            body: statements(of_field(block, "body"), source),
            period_ns,
        };
        for section in children(block).into_iter().filter(|node| node.kind().starts_with("var_")) {
            for declared in children(section).into_iter().filter(|node| node.kind() == "variable_declaration") {
                machine.declare(declared, section.kind() == "var_temp", source);
            }
        }
        machine
    }

    fn declare(&mut self, node: Node<'_>, temporary: bool, source: &str) {
        let name = text(one(node, "names"), source).to_owned();
        let (kind, of) = (one(node, "type").kind(), text(one(node, "type"), source).to_owned());
        if temporary {
            self.temporary.push(name.clone());
        }
        match kind {
            "elementary_type" => {
                let initial = node.child_by_field_name("initial_value").map(|value| expression(value, source));
                let value = initial.map_or_else(|| rest(&of), |value| self.value(&value));
                self.types.insert(name.clone(), of);
                self.assign(&name, value);
            }
            "array_type" => {
                let inner = text(one(one(node, "type"), "element_type"), source).to_owned();
                let range = one(one(node, "type"), "range");
                let upper: usize = text(one(range, "upper"), source).parse().unwrap();
                self.variables.insert(name.clone(), Value::Row(vec![rest(&inner); upper + 1]));
                self.types.insert(name, inner);
            }
            _ => drop(self.blocks.insert(name, Block { kind: of, ..Block::default() })),
        }
    }

    /// A value of the type of the variable.
    fn checked(&self, name: &str, value: Value) -> Value {
        let of = self.types.get(name).unwrap_or_else(|| panic!("{name} is not declared"));
        match (of.as_str(), &value) {
            ("BOOL", Value::Bool(_)) | ("LREAL", Value::Real(_)) | ("LINT", Value::Int(_)) => value,
            ("DINT", Value::Int(whole)) => {
                assert!(i32::try_from(*whole).is_ok(), "{name}: {whole} is no DINT");
                value
            }
            _ => panic!("{name} : {of} := {value:?}"),
        }
    }

    pub(crate) fn assign(&mut self, name: &str, value: Value) {
        let value = self.checked(name, value);
        self.variables.insert(name.to_owned(), value);
    }

    pub(crate) fn get(&self, name: &str) -> &Value {
        self.variables.get(name).unwrap_or_else(|| panic!("{name} is not declared"))
    }

    /// Whether the block has such a variable.
    pub(crate) fn has(&self, name: &str) -> bool {
        self.types.contains_key(name)
    }

    /// One cycle.
    pub(crate) fn scan(&mut self) {
        for name in self.temporary.clone() {
            let value = rest(&self.types[&name]);
            self.assign(&name, value);
        }
        let body = std::mem::take(&mut self.body);
        self.run(&body);
        self.body = body;
    }

    fn run(&mut self, body: &[Statement]) {
        for statement in body {
            match statement {
                Statement::Assign(Expression::Variable(name), value) => {
                    let value = self.value(value);
                    self.assign(name, value);
                }
                Statement::Assign(Expression::Element(name, place), value) => {
                    let (place, value) = (self.value(place).int() as usize, self.value(value));
                    let value = self.checked(name, value);
                    let Some(Value::Row(row)) = self.variables.get_mut(name) else { panic!("{name} is no row") };
                    row[place] = value;
                }
                Statement::Assign(other, _) => panic!("{other:?}"),
                Statement::If(arms, otherwise) => {
                    let arm = arms.iter().find(|(condition, _)| self.value(condition).bool());
                    self.run(arm.map_or(otherwise, |(_, body)| body));
                }
                Statement::For(name, start, end, body) => {
                    for number in self.value(start).int()..=self.value(end).int() {
                        self.assign(name, Value::Int(number));
                        self.run(body);
                    }
                }
                Statement::Invoke(name, inputs) => {
                    let inputs: Vec<(String, Value)> =
                        inputs.iter().map(|(name, value)| (name.clone(), self.value(value))).collect();
                    let period_ns = self.period_ns;
                    let block = self.blocks.get_mut(name).unwrap_or_else(|| panic!("{name} is no block"));
                    block.inputs.extend(inputs);
                    block.work(period_ns);
                }
            }
        }
    }

    fn value(&self, expression: &Expression) -> Value {
        match expression {
            Expression::Literal(value) => value.clone(),
            Expression::Variable(name) => self.get(name).clone(),
            Expression::Member(block, output) => self.blocks[block].outputs[output].clone(),
            Expression::Element(name, place) => match self.get(name) {
                Value::Row(row) => row[self.value(place).int() as usize].clone(),
                other => panic!("{other:?}"),
            },
            Expression::Unary(operator, operand) => match (operator.as_str(), self.value(operand)) {
                ("NOT", Value::Bool(bit)) => Value::Bool(!bit),
                ("-", Value::Int(whole)) => Value::Int(-whole),
                ("-", Value::Real(real)) => Value::Real(-real),
                other => panic!("{other:?}"),
            },
            Expression::Binary(operator, left, right) => binary(operator, &self.value(left), &self.value(right)),
            Expression::Call(name, arguments) => {
                let values: Vec<Value> = arguments.iter().map(|argument| self.value(argument)).collect();
                call(name, &values)
            }
        }
    }
}

fn binary(operator: &str, left: &Value, right: &Value) -> Value {
    let compared = |order: std::cmp::Ordering| match operator {
        "=" => order.is_eq(),
        "<>" => order.is_ne(),
        "<" => order.is_lt(),
        ">" => order.is_gt(),
        "<=" => order.is_le(),
        ">=" => order.is_ge(),
        other => panic!("{other} between {left:?} and {right:?}"),
    };
    match (left, right) {
        (Value::Bool(left), Value::Bool(right)) => Value::Bool(match operator {
            "AND" => *left && *right,
            "OR" => *left || *right,
            "XOR" | "<>" => left != right,
            "=" => left == right,
            other => panic!("{other}"),
        }),
        (Value::Int(one), Value::Int(other)) => match operator {
            "+" => Value::Int(one + other),
            "-" => Value::Int(one - other),
            "*" => Value::Int(one * other),
            "/" => Value::Int(one / other),
            "MOD" => Value::Int(one % other),
            "AND" => Value::Int(one & other),
            _ => Value::Bool(compared(one.cmp(other))),
        },
        (Value::Real(one), Value::Real(other)) => match operator {
            "+" => Value::Real(one + other),
            "-" => Value::Real(one - other),
            "*" => Value::Real(one * other),
            "/" => Value::Real(one / other),
            _ => Value::Bool(one.partial_cmp(other).is_some_and(compared)),
        },
        _ => panic!("{left:?} {operator} {right:?}"),
    }
}

fn call(name: &str, values: &[Value]) -> Value {
    if let Some((_, to)) = name.split_once("_TO_") {
        return match (&values[0], to) {
            (Value::Bool(bit), "DINT" | "LINT") => Value::Int((*bit).into()),
            (Value::Int(whole), "LREAL") => Value::Real(*whole as f64),
            (Value::Int(whole), "BOOL") => Value::Bool(*whole != 0),
            (Value::Int(whole), "LINT" | "LWORD" | "DINT") => Value::Int(*whole),
            other => panic!("{name}({other:?})"),
        };
    }
    let least_of = |keeps: fn(f64, f64) -> bool| match &values[0] {
        Value::Int(_) => {
            let all = values.iter().map(Value::int);
            Value::Int(if keeps(1.0, 0.0) { all.max() } else { all.min() }.unwrap())
        }
        _ => Value::Real(
            values.iter().map(Value::real).reduce(|one, other| if keeps(one, other) { one } else { other }).unwrap(),
        ),
    };
    match (name, values) {
        ("SEL", [bit, off, on]) => {
            if bit.bool() {
                on.clone()
            } else {
                off.clone()
            }
        }
        ("MUX", [number, choices @ ..]) => choices[number.int() as usize].clone(),
        ("MAX", _) => least_of(|one, other| one >= other),
        ("MIN", _) => least_of(|one, other| one <= other),
        ("LIMIT", [least, value, most]) => call("MIN", &[call("MAX", &[least.clone(), value.clone()]), most.clone()]),
        ("ABS", [Value::Int(whole)]) => Value::Int(whole.abs()),
        ("ABS", [Value::Real(real)]) => Value::Real(real.abs()),
        ("SHR", [value, by]) => Value::Int((value.int() as u64 >> by.int()) as i64),
        ("LREAL_TRUNC_LINT", [value]) => Value::Int(value.real() as i64),
        ("SQRT", [value]) => Value::Real(value.real().sqrt()),
        ("EXPT", [one, other]) => Value::Real(one.real().powf(other.real())),
        other => panic!("{other:?}"),
    }
}

impl Block {
    fn bool(&self, input: &str) -> bool {
        self.inputs.get(input).is_some_and(Value::bool)
    }

    fn int(&self, input: &str) -> i64 {
        self.inputs[input].int()
    }

    fn out(&self, output: &str) -> bool {
        self.outputs.get(output).is_some_and(Value::bool)
    }

    fn set(&mut self, output: &str, value: Value) {
        self.outputs.insert(output.to_owned(), value);
    }

    /// Rising edges of two inputs since the last call; the first call sees those that are on, as the standard has it.
    fn rose(&mut self, inputs: [&str; 2]) -> [bool; 2] {
        let now = inputs.map(|input| self.bool(input));
        let rose = [now[0] && !self.before[0], now[1] && !self.before[1]];
        self.before = now;
        rose
    }

    fn timed(&mut self, period_ns: u64) -> bool {
        let Value::TimeNs(time) = self.inputs["PT"] else { panic!("PT is no TIME") };
        self.passed_ns = if self.runs { self.passed_ns + period_ns } else { 0 };
        self.runs = true;
        let over = self.passed_ns >= time;
        self.runs &= !over;
        over
    }

    fn work(&mut self, period_ns: u64) {
        let is_on = self.bool("IN");
        match self.kind.as_str() {
            "TON" if !is_on => {
                self.runs = false;
                self.set("Q", Value::Bool(false));
            }
            "TON" => {
                let on = self.out("Q") || self.timed(period_ns);
                self.set("Q", Value::Bool(on));
            }
            "TOF" if is_on => {
                self.runs = false;
                self.set("Q", Value::Bool(true));
            }
            "TOF" => {
                let on = self.out("Q") && !self.timed(period_ns);
                self.set("Q", Value::Bool(on));
            }
            "TP" => {
                let [rose, _] = self.rose(["IN", ""]);
                let on = if self.runs { !self.timed(period_ns) } else { rose && !self.timed(period_ns) };
                self.set("Q", Value::Bool(on));
            }
            "SR" => {
                let on = self.bool("S1") || (!self.bool("R") && self.out("Q1"));
                self.set("Q1", Value::Bool(on));
            }
            "RS" => {
                let on = !self.bool("R1") && (self.bool("S") || self.out("Q1"));
                self.set("Q1", Value::Bool(on));
            }
            "CTU_DINT" | "CTUD_DINT" => self.count(),
            other => panic!("{other}"),
        }
    }

    fn count(&mut self) {
        let [up, down] = self.rose(["CU", "CD"]);
        let value = self.outputs.get("CV").map_or(0, Value::int);
        let next = match () {
            () if self.bool("R") => 0,
            () if self.bool("LD") => self.int("PV"),
            () if up == down => value,
            () if up => (value + 1).min(i32::MAX.into()),
            () => (value - 1).max(i32::MIN.into()),
        };
        self.set("CV", Value::Int(next));
    }
}
