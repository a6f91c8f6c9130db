//! What each point takes: RAM, and the operations of one scan.

use crate::model::{Code, Part, Statement, Value};
use crate::uses::{Form, Uses};
use indexmap::IndexMap;

/// What a point takes.
#[derive(Debug, Clone, PartialEq, serde::Serialize, schemars::JsonSchema)]
pub struct PointCost {
    /// What it is written as; `None` where it is not.
    pub written: Option<String>,
    /// Why it is not written.
    pub why: Option<String>,
    /// Its RAM on a controller of 8 bits, in bytes.
    pub ram_bytes: u64,
    /// The most operations of one scan.
    pub operations: u64,
}

/// What all points take, in the order of the work; those that are not written at the end.
pub fn costs(code: &Code) -> IndexMap<String, PointCost> {
    let uses = code.uses(Form::Plain);
    let of = |part: &Part| {
        let cost = PointCost {
            written: Some(written(&part.body)),
            why: None,
            ram_bytes: ram_bytes(code, part, &uses),
            operations: body_operations(&part.body),
        };
        (part.of.clone(), cost)
    };
    let left = code.left_out.iter().map(|left| {
        let cost = PointCost { written: None, why: Some(left.why.clone()), ram_bytes: 0, operations: 0 };
        (left.point.clone(), cost)
    });
    code.parts.iter().map(of).chain(left).collect()
}

/// What a point is written as for which no standard block stands.
pub const OWN_CODE: &str = "own code";

/// The standard block that stands for some statements, or that they are code of its own.
fn written(body: &[Statement]) -> String {
    block_of(body).unwrap_or(OWN_CODE).to_owned()
}

fn block_of(body: &[Statement]) -> Option<&'static str> {
    body.iter().find_map(|statement| match statement {
        Statement::Block(block, _) => Some(block.kind),
        Statement::If(arms, otherwise) => {
            arms.iter().find_map(|(_, body)| block_of(body)).or_else(|| block_of(otherwise))
        }
        _ => None,
    })
}

fn ram_bytes(code: &Code, part: &Part, uses: &Uses) -> u64 {
    let used = part.variables.iter().filter(|id| uses.variables.contains(id));
    let states = used.filter_map(|id| code.variable(*id)).filter(|variable| variable.is_state);
    states.map(|variable| variable.kind.bytes() * variable.count.unwrap_or(1) as u64).sum()
}

/// The most operations of some statements: of a choice the longest arm, with all conditions up to it.
fn body_operations(body: &[Statement]) -> u64 {
    body.iter().map(statement_operations).sum()
}

fn statement_operations(statement: &Statement) -> u64 {
    match statement {
        Statement::Set(_, value) => 1 + operations(value),
        Statement::SetElement(_, place, value) => 1 + operations(place) + operations(value),
        Statement::If(arms, otherwise) => {
            let mut asked = 0;
            let mut most = 0;
            for (condition, body) in arms {
                asked += 1 + operations(condition);
                most = most.max(asked + body_operations(body));
            }
            most.max(asked + body_operations(otherwise))
        }
        // How often is not known here; once is what a scan usually has.
        Statement::Repeat(_, count, body) => 2 + operations(count) + body_operations(body),
        Statement::Block(_, plain) => body_operations(plain),
    }
}

fn operations(value: &Value) -> u64 {
    match value {
        Value::Variable(_)
        | Value::Constant(_)
        | Value::Line(_)
        | Value::Bit(_)
        | Value::Whole(_)
        | Value::Real(_)
        | Value::FirstScan
        | Value::Step
        | Value::Clock
        | Value::EdgeLevel
        | Value::Fresh(_)
        | Value::EdgeClock
        | Value::ChainRead(_) => 0,
        Value::ChainBit(..) => 1,
        Value::Binary(_, left, right) => 1 + operations(left) + operations(right),
        Value::Call(_, arguments) => 1 + arguments.iter().map(operations).sum::<u64>(),
        Value::Element(_, of)
        | Value::BitOf(of, _)
        | Value::Not(of)
        | Value::Negated(of)
        | Value::Widened(of)
        | Value::AsReal(of)
        | Value::Seconds(of)
        | Value::IsNumber(of)
        | Value::Digit(of) => 1 + operations(of),
    }
}

/// The table as it stands at the end of the code.
pub fn text(code: &Code) -> String {
    let costs = costs(code);
    let written = costs.iter().filter(|(_, cost)| cost.written.is_some());
    let widest = written.clone().map(|(name, _)| name.len()).max().unwrap_or(0).max("point".len());
    let mut lines = vec![format!("{:widest$}  RAM in bytes  operations of a scan at most", "point")];
    let line = |name: &str, ram: u64, operations: u64| format!("{name:widest$}  {ram:12}  {operations:10}");
    lines.extend(written.clone().map(|(name, cost)| line(name, cost.ram_bytes, cost.operations)));
    let (ram, operations) = totals(&costs);
    lines.push(line("all", ram, operations));
    lines.join("\n")
}

/// The RAM and the operations of all points together.
pub fn totals(costs: &IndexMap<String, PointCost>) -> (u64, u64) {
    let sum = |of: fn(&PointCost) -> u64| costs.values().map(of).fold(0, u64::saturating_add);
    (sum(|cost| cost.ram_bytes), sum(|cost| cost.operations))
}
