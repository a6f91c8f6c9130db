use super::*;
use proptest::prelude::*;

fn trees() -> impl Strategy<Value = Expression> {
    let bare = |node| Expression { node, span: 0..0 };
    let name = ("[a-d]", prop_oneof![Just(""), Just("done")])
        .prop_map(|(point, field)| Node::Name(Reference { point, field: field.to_owned() }));
    let literal = prop_oneof![
        any::<bool>().prop_map(Value::Bit),
        (0..i64::MAX).prop_map(Value::Integer),
        (0.0..1e300f64).prop_map(Value::Real),
        (0.0..1.0f64).prop_map(Value::Real),
    ];
    let leaf = prop_oneof![literal.prop_map(Node::Literal), name].prop_map(bare);
    let words = ["OR", "XOR", "AND", "=", "<>", "<", ">", "<=", ">=", "+", "-", "*", "/", "MOD", "**"];
    let operator = prop::sample::select(words.to_vec()).prop_map(|word| Operator::of(word).unwrap());
    let function =
        prop::sample::select(Function::words().collect::<Vec<_>>()).prop_map(|word| Function::of(word).unwrap());
    leaf.prop_recursive(6, 40, 3, move |inner| {
        let call =
            (function.clone(), prop::collection::vec(inner.clone(), 3)).prop_map(move |(function, mut arguments)| {
                arguments.truncate(function.arguments().0);
                bare(Node::Call(function, arguments))
            });
        prop_oneof![
            inner.clone().prop_map(move |operand| bare(Node::Not(Box::new(operand)))),
            inner.clone().prop_map(move |operand| bare(Node::Minus(Box::new(operand)))),
            (operator.clone(), inner.clone(), inner).prop_map(move |(operator, left, right)| bare(Node::Binary(
                operator,
                Box::new(left),
                Box::new(right)
            ))),
            call,
        ]
    })
}

/// The tree without its places.
fn placeless(expression: &Expression) -> Expression {
    let boxed = |part: &Expression| Box::new(placeless(part));
    let node = match &expression.node {
        Node::Not(operand) => Node::Not(boxed(operand)),
        Node::Minus(operand) => Node::Minus(boxed(operand)),
        Node::Binary(operator, left, right) => Node::Binary(*operator, boxed(left), boxed(right)),
        Node::Call(function, arguments) => Node::Call(*function, arguments.iter().map(placeless).collect()),
        leaf => leaf.clone(),
    };
    Expression { node, span: 0..0 }
}

/// The value of an expression without names.
fn worked(text: &str) -> Option<Value> {
    parse(text).unwrap().value(&|_| None)
}

#[test]
fn numbers_are_worked_as_in_the_standard() {
    let (whole, real, bit) = (Value::Integer, Value::Real, Value::Bit);
    for (text, value) in [
        ("MUX(0, 5, 6, 7) + MUX(2, 5, 6, 7)", Some(whole(12))),
        ("MUX(1, 5, 2.5)", Some(real(2.5))),
        ("MUX(3, 5, 6, 7)", None),
        ("MUX(-1, 5, 6)", None),
        ("TRUNC(2.7) - TRUNC(-2.7)", Some(whole(4))),
        ("ROUND(2.5) * 100 + ROUND(-2.5)", Some(whole(297))),
        ("ROUND(9.3e18)", None),
        ("16#FF + 2#1010 + 8#17", Some(whole(280))),
        ("16#dead_beef", Some(whole(0xdead_beef))),
        ("T#2s", Some(real(2.0))),
        ("t#1d2h3m4s5ms6us7ns", Some(real(93_784.005_006_007))),
        ("TIME#-500ms + LTIME#2.5s", Some(real(2.0))),
        ("T#1m = 60.0", Some(bit(true))),
        ("BOOL#1 AND NOT BOOL#FALSE", Some(bit(true))),
        ("INT#-5 + UDINT#7", Some(whole(2))),
        ("LREAL#-1.5e3", Some(real(-1500.0))),
        ("7 / 2", Some(whole(3))),
        ("-7 / 2", Some(whole(-3))),
        ("7.0 / 2", Some(real(3.5))),
        ("-7 MOD 3", Some(whole(-1))),
        ("7 MOD -3", Some(whole(1))),
        ("2 + 3 * 4", Some(whole(14))),
        ("(2 + 3) * 4", Some(whole(20))),
        ("2 ** 3 * 2", Some(real(16.0))),
        ("-2 ** 2", Some(real(4.0))),
        ("10 - 4 - 3", Some(whole(3))),
        ("1_000 + 0.5", Some(real(1000.5))),
        ("2.5e-1 * 4", Some(real(1.0))),
        ("3 > 2 AND NOT (3 > 4)", Some(bit(true))),
        ("1 < 2 = TRUE", Some(bit(true))),
        ("TRUE <> FALSE XOR TRUE", Some(bit(false))),
        ("2 = 2.0", Some(bit(true))),
        ("MAX(1, 5, 3)", Some(whole(5))),
        ("MIN(1.5, 2)", Some(real(1.5))),
        ("LIMIT(0, 12, 10)", Some(whole(10))),
        ("LIMIT(0.0, -1, 10)", Some(real(0.0))),
        ("SEL(TRUE, 1, 2)", Some(whole(2))),
        ("SEL(3 > 4, 1, 2.0)", Some(real(1.0))),
        ("ABS(-4)", Some(whole(4))),
        ("SQRT(2.25) + EXP(0)", Some(real(2.5))),
        ("LOG(1000) + LN(1)", Some(real(3.0))),
        ("COS(0) + SIN(0) + TAN(0) + ASIN(0) + ATAN(0)", Some(real(1.0))),
        ("1 / 0", None),
        ("1 MOD 0", None),
        ("1.0 / 0", None),
        ("SQRT(-1)", None),
        ("9223372036854775807 + 1", None),
    ] {
        assert_eq!(worked(text), value, "{text}");
    }
}

#[test]
fn a_bit_and_a_number_are_told_apart_by_name() {
    let of = |name: &Reference| {
        Ok(match name.point.as_str() {
            "run" => Type::Bit,
            "turns" => Type::Integer,
            _ => Type::Real,
        })
    };
    let wrong = |bit: bool, text: &str| {
        let mut errors = Vec::new();
        wants(bit, &parse(text).unwrap(), &of, &mut errors);
        errors.iter().map(|error| format!("{}: {error}", &text[error.span.clone()])).collect::<Vec<_>>().join("; ")
    };
    for (bit, text, message) in [
        (true, "run AND turns > 3", ""),
        (true, "SEL(run, turns, 3) >= tension * 2", ""),
        (true, "run = (turns > 3)", ""),
        (false, "turns MOD 3 + SEL(run, 0, 1)", ""),
        (true, "turns", "turns: `turns` is a number, but a bit is needed here"),
        (false, "run", "run: `run` is a bit, but a number is needed here"),
        (true, "run AND turns", "turns: `turns` is a number, but a bit is needed here"),
        (true, "run > 3", "run > 3: `>` cannot join `run`, which is a bit, and `3`, which is a whole number"),
        (true, "run = 1", "run = 1: `=` cannot join `run`, which is a bit, and `1`, which is a whole number"),
        (
            false,
            "tension MOD 2",
            "tension MOD 2: `MOD` cannot join `tension`, which is a real number, and `2`, which is a whole number",
        ),
        (false, "-run", "run: `run` is a bit, but a number is needed here"),
        (false, "MAX(turns, run)", "run: `run` is a bit, but a number is needed here"),
        (false, "MUX(tension, 1, 2)", "tension: `tension` is a real number, but a whole number is needed here"),
        (false, "SEL(turns, 1, 2)", "turns: `turns` is a number, but a bit is needed here"),
    ] {
        assert_eq!(wrong(bit, text), message, "{text}");
    }
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
        ("a b", 2..3, "an operator is missing before `b`: AND, OR, XOR, a comparison, + - * /"),
        ("a + * b", 4..5, "expected a point or a number, found `*`"),
        ("1__0", 0..4, "`1__0` is not a number"),
        ("3ms > a", 0..3, "`3ms` is not a number"),
        ("99999999999999999999", 0..20, "`99999999999999999999` is not a number"),
        ("SQR(a)", 0..3, "unknown function `SQR`"),
        ("SQRT(a, b)", 0..10, "`SQRT` takes 1 argument, not 2"),
        ("MAX(a)", 0..6, "`MAX` takes 2 to 16 arguments, not 1"),
        ("LIMIT(1, 2", 5..6, "this parenthesis is never closed"),
        ("3#12", 0..4, "`3#12` is not a value"),
        ("16#", 0..3, "`16#` is not a value"),
        ("2#102", 0..5, "`2#102` is not a value"),
        ("16#-F", 0..5, "`16#-F` is not a value"),
        ("T#2s5m", 0..6, "`T#2s5m` is not a value"),
        ("T#5", 0..3, "`T#5` is not a value"),
        ("BOOL#2", 0..6, "`BOOL#2` is not a value"),
        ("INT#2.5", 0..7, "`INT#2.5` is not a value"),
        ("WORDS#2", 0..7, "`WORDS#2` is not a value"),
        ("a % 2", 2..3, "`%` does not belong"),
        ("(a OR b", 0..1, "this parenthesis is never closed"),
        ("a)", 1..2, "this parenthesis has no opening one"),
        ("OR a", 0..2, "expected a point or a number, found `OR`"),
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
    fn no_text_makes_it_panic(text in "([a-c0-9().,&+*/<>=#-]|T#|16#|AND|OR|NOT|MOD|MAX| |\\PC){0,20}") {
        if let Err(error) = parse(&text) {
            prop_assert!(text.get(error.span).is_some());
        }
    }
}

#[test]
fn operators_of_other_languages_are_told_by_their_form_here() {
    for (text, told) in [
        ("a == 3", "write = in place"),
        ("a != 3", "write <> in place"),
        ("a && b", "write AND in place"),
        ("a || b", "write OR in place"),
        ("c := a", "nothing is assigned here"),
        ("a << 2", "power of two"),
        ("!a", "write NOT in place"),
    ] {
        let error = parse(text).unwrap_err();
        let help = error.kind.help().unwrap_or_default();
        assert!(help.contains(told), "{text}: {error}: {help}");
        assert!(text.get(error.span.clone()).is_some_and(|place| !place.trim().is_empty()), "{text}: {error:?}");
    }
    let line = ExpressionErrorKind::UnknownPoint("S1_START".to_owned(), None);
    let help = line.help().unwrap();
    assert!(help.contains("[input.s1_start] with line = \"S1_START\""), "{help}");
    assert_eq!(ExpressionErrorKind::UnknownPoint("nix".to_owned(), None).help(), None);
}

proptest! {
    #[test]
    fn a_duration_is_the_sum_of_its_parts(parts in prop::collection::vec(prop::option::of(0..1000u32), 7), negative in any::<bool>()) {
        let units = [("d", 86_400e9), ("h", 3_600e9), ("m", 60e9), ("s", 1e9), ("ms", 1e6), ("us", 1e3), ("ns", 1.0)];
        let given = parts.iter().zip(units).filter_map(|(part, unit)| Some((f64::from((*part)?), unit)));
        let given: Vec<(f64, (&str, f64))> = given.collect();
        let text: String = given.iter().map(|(number, (unit, _))| format!("{number}{unit}")).collect();
        let sign = if negative { "-" } else { "" };
        let told = parse(&format!("T#{sign}{text}")).ok().and_then(|tree| tree.value(&|_| None));
        let nanos: f64 = given.iter().map(|(number, (_, unit))| number * unit).sum();
        let seconds = if negative { -nanos / 1e9 } else { nanos / 1e9 };
        match (given.is_empty(), told) {
            (true, told) => prop_assert_eq!(told, None),
            (false, Some(Value::Real(told))) => prop_assert!((told - seconds).abs() <= 1e-12 * seconds.abs(), "{text}: {told}"),
            (false, told) => prop_assert!(false, "{text}: {told:?}"),
        }
        // A unit after a finer one is no duration.
        if given.len() > 1 {
            let turned: String = given.iter().rev().map(|(number, (unit, _))| format!("{number}{unit}")).collect();
            prop_assert!(parse(&format!("T#{turned}")).is_err(), "{turned}");
        }
    }
}
