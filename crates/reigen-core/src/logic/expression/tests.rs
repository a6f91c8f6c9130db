use super::*;
use proptest::prelude::*;

fn trees() -> impl Strategy<Value = Expression> {
    let bare = |node| Expression { node, span: 0..0 };
    let name = ("[a-d]", prop_oneof![Just(""), Just("done")])
        .prop_map(|(point, field)| Node::Name(Reference { point, field: field.to_owned() }));
    let leaf = prop_oneof![any::<bool>().prop_map(Node::Literal), name].prop_map(bare);
    let operator = prop_oneof![Just(Operator::Or), Just(Operator::Xor), Just(Operator::And)];
    leaf.prop_recursive(6, 40, 2, move |inner| {
        prop_oneof![
            inner.clone().prop_map(move |operand| bare(Node::Not(Box::new(operand)))),
            (operator.clone(), inner.clone(), inner).prop_map(move |(operator, left, right)| bare(Node::Binary(
                operator,
                Box::new(left),
                Box::new(right)
            ))),
        ]
    })
}

/// The tree without its places.
fn placeless(expression: &Expression) -> Expression {
    let node = match &expression.node {
        Node::Not(operand) => Node::Not(Box::new(placeless(operand))),
        Node::Binary(operator, left, right) => {
            Node::Binary(*operator, Box::new(placeless(left)), Box::new(placeless(right)))
        }
        leaf => leaf.clone(),
    };
    Expression { node, span: 0..0 }
}

#[test]
fn operators_bind_by_their_rank() {
    let cases = [
        ("a OR b AND c", "a OR b AND c"),
        ("(a OR b) & c", "(a OR b) AND c"),
        ("a xor b and c or d", "a XOR b AND c OR d"),
        ("NOT a AND b", "NOT a AND b"),
        ("not (a and b)", "NOT (a AND b)"),
        ("a AND (b AND c)", "a AND (b AND c)"),
        ("a OR (b XOR c)", "a OR b XOR c"),
        ("true OR c.done", "TRUE OR c.done"),
    ];
    for (text, printed) in cases {
        assert_eq!(parse(text).unwrap().to_string(), printed, "{text}");
    }
}

#[test]
fn what_is_no_expression_is_refused_at_its_place() {
    let cases = [
        ("", 0..0, "the expression is not finished"),
        ("a AND", 5..5, "the expression is not finished"),
        ("a b", 2..3, "an operator (AND, OR, XOR) is wanted before `b`"),
        ("(a OR b", 0..1, "this parenthesis is never closed"),
        ("a)", 1..2, "this parenthesis closes nothing"),
        ("OR a", 0..2, "a point's name is wanted here, not `OR`"),
        ("a | b", 2..3, "`|` does not belong"),
        ("a.", 2..2, "the expression is not finished"),
        ("(a b)", 3..4, "an operator"),
        ("µ AND §", 7..9, "`§` does not belong"),
    ];
    for (text, span, message) in cases {
        let error = parse(text).unwrap_err();
        assert_eq!(error.span, span, "{text}");
        assert!(error.to_string().starts_with(message), "{text}: {error}");
    }
    let deep = format!("{}a", "NOT ".repeat(100_000));
    assert_eq!(parse(&deep).unwrap_err().kind, ExpressionErrorKind::TooDeep(64));
}

proptest! {
    #[test]
    fn a_printed_tree_reads_back(tree in trees()) {
        prop_assert_eq!(placeless(&parse(&tree.to_string()).unwrap()), tree);
    }

    #[test]
    fn no_text_makes_it_panic(text in "([a-c().&]|AND|OR|NOT| |\\PC){0,20}") {
        if let Err(error) = parse(&text) {
            prop_assert!(text.get(error.span).is_some());
        }
    }
}
