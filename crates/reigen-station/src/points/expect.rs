//! `[expect.NAME]`: what should hold, in the file.

use crate::points::PointKind;
use crate::points::{PointTable, takes_description};
use crate::spanned::Spanned;
use crate::table::branch::BranchBuilder;
use crate::table::builder::{Builder, TimeText};
use crate::table::{Field, FieldExpression, StationErrorKind};
use reigen_core::logic::expect::When;
use reigen_core::logic::expression::{Expression, Function, Node, Operator, Value};
use reigen_core::program::Operation;
use serde::Deserialize;

/// Widens every comparison of an expression by a tolerance.
pub fn widened(tree: &Expression, tolerance: f64) -> Expression {
    let whole = |node| Expression { node, span: tree.span.clone() };
    let boxed = |part: &Expression| Box::new(widened(part, tolerance));
    let join = |operator, left, right| whole(Node::Binary(operator, Box::new(left), Box::new(right)));
    let by = || whole(Node::Literal(Value::Real(tolerance)));
    match &tree.node {
        Node::Binary(operator, left, right) if operator.is_comparison() => {
            let (left, right) = (left.as_ref().clone(), right.as_ref().clone());
            match operator {
                Operator::Equal | Operator::NotEqual => {
                    let apart = whole(Node::Call(Function::Abs, vec![join(Operator::Minus, left, right)]));
                    let word = if *operator == Operator::Equal { Operator::AtMost } else { Operator::Greater };
                    join(word, apart, by())
                }
                Operator::Less | Operator::AtMost => {
                    let raised = join(Operator::Plus, right, by());
                    join(*operator, left, raised)
                }
                _ => {
                    let lowered = join(Operator::Minus, right, by());
                    join(*operator, left, lowered)
                }
            }
        }
        Node::Not(part) => whole(Node::Not(boxed(part))),
        Node::Binary(operator, left, right) => whole(Node::Binary(*operator, boxed(left), boxed(right))),
        _ => tree.clone(),
    }
}

/// `[expect.NAME]`: what should hold, for `reigen verify`.
#[derive(Debug, Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct ExpectTable {
    /// Expression over points.
    that: Spanned<String>,
    /// Must hold at this time.
    at: Option<TimeText>,
    /// Must hold at some time up to this one.
    by: Option<TimeText>,
    /// Must hold all the time.
    #[serde(default)]
    always: bool,
    /// Must hold at the end.
    #[serde(default)]
    at_end: bool,
    /// How far numbers compared by = may differ.
    tolerance: Option<Spanned<f64>>,
    /// Address in the controller, for the wire list.
    address: Option<String>,
    /// Remark for the wire list.
    remark: Option<String>,
}

/// Something that should hold.
#[derive(Debug)]
pub struct ExpectPoint {
    that: FieldExpression,
    when: When,
}

impl PointTable for ExpectTable {
    type Point = ExpectPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let when: Vec<When> = [
            self.at.map(|TimeText(at)| When::At(at)),
            self.by.map(|TimeText(by)| When::By(by)),
            self.always.then_some(When::Always),
            self.at_end.then_some(When::AtEnd),
        ]
        .into_iter()
        .flatten()
        .collect();
        let &[when] = when.as_slice() else {
            builder.refuse(builder.place.clone(), StationErrorKind::ExpectWhen);
            return None;
        };
        let mut that = builder.expression(&self.that)?;
        if let Some(tolerance) = &self.tolerance {
            if !(0.0..f64::INFINITY).contains(tolerance.get_ref()) {
                let kind = StationErrorKind::File("a tolerance cannot be negative".to_owned());
                builder.refuse(tolerance.span(), kind);
                return None;
            }
            that.expression = widened(&that.expression, *tolerance.get_ref());
        }
        Some(ExpectPoint { that, when })
    }
}

impl PointKind for ExpectPoint {
    fn what(&self) -> &'static str {
        "an expectation"
    }

    fn fields(&self) -> &'static [Field] {
        &[]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        vec![("that", &self.that)]
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        Operation::Expect { that: branch.settled(&self.that), when: self.when }
    }
}
