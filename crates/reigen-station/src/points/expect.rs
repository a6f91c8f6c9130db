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
use reigen_core::time::Nanos;
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
    /// Must hold after each rising edge of this bit, at some time `within`.
    after: Option<Spanned<String>>,
    /// With `after`: how long it may take.
    within: Option<Spanned<TimeText>>,
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
    demand: Demand,
}

/// What is asked of an expectation.
#[derive(Debug)]
enum Demand {
    /// That it holds at a time, or all the time.
    At(When),
    /// That it holds soon after each edge.
    After { edges: FieldExpression, within: Nanos },
}

impl PointTable for ExpectTable {
    type Point = ExpectPoint;

    takes_description!();

    fn build(self, builder: &mut Builder<'_>) -> Option<Self::Point> {
        let when = [
            self.at.map(|TimeText(at)| When::At(at)),
            self.by.map(|TimeText(by)| When::By(by)),
            self.always.then_some(When::Always),
            self.at_end.then_some(When::AtEnd),
        ]
        .into_iter()
        .flatten();
        let after = match (&self.after, &self.within) {
            (None, None) => None,
            (Some(after), Some(within)) => {
                let edges = builder.expression(after)?;
                Some(Demand::After { edges, within: within.get_ref().0 })
            }
            (after, within) => {
                let given = after.as_ref().map(Spanned::span).or(within.as_ref().map(Spanned::span));
                let kind = StationErrorKind::File("`after` and `within` need each other".to_owned());
                builder.refuse(given.unwrap_or_else(|| builder.place.clone()), kind);
                return None;
            }
        };
        let demands: Vec<Demand> = when.map(Demand::At).chain(after).collect();
        let Ok([demand]) = <[Demand; 1]>::try_from(demands) else {
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
        Some(ExpectPoint { that, demand })
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
        let after = match &self.demand {
            Demand::After { edges, .. } => Some(("after", edges)),
            Demand::At(_) => None,
        };
        [("that", &self.that)].into_iter().chain(after).collect()
    }

    fn edge_keys(&self) -> &'static [&'static str] {
        &["after"]
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> Operation {
        let that = branch.settled(&self.that);
        match &self.demand {
            Demand::At(when) => Operation::Expect { that, when: *when },
            Demand::After { edges, within } => {
                Operation::ExpectAfter { that, after: branch.counted(edges), within: *within }
            }
        }
    }
}
