//! The file for exchange between tools has what its schema (PLCopen XML 2.01) asks for, in its order.

#![allow(
    clippy::cast_possible_truncation,
    clippy::cast_possible_wrap,
    clippy::cast_sign_loss,
    clippy::panic,
    clippy::unwrap_used
)]

mod support;

use proptest::prelude::*;
use reigen_code::st;
use roxmltree::{Document, Node};
use support::made;
use support::stations::stations;

/// What each element has within it, in this order; a name with a star any number of times, with a question mark at most once.
const WITHIN: &[(&str, &[&str])] = &[
    ("project", &["fileHeader", "contentHeader", "types", "instances"]),
    ("contentHeader", &["coordinateInfo"]),
    ("coordinateInfo", &["fbd", "ld", "sfc"]),
    ("types", &["dataTypes", "pous"]),
    ("pous", &["pou*"]),
    ("pou", &["interface", "body"]),
    ("interface", &["inputVars?", "outputVars?", "localVars?", "tempVars?", "localVars?"]),
    ("inputVars", &["variable*"]),
    ("outputVars", &["variable*"]),
    ("localVars", &["variable*"]),
    ("tempVars", &["variable*"]),
    ("variable", &["type", "initialValue?", "documentation?"]),
    ("initialValue", &["simpleValue"]),
    ("array", &["dimension", "baseType"]),
    ("body", &["ST"]),
    ("instances", &["configurations"]),
];

/// The attributes that an element must have.
const ATTRIBUTES: &[(&str, &[&str])] = &[
    ("fileHeader", &["companyName", "productName", "productVersion", "creationDateTime"]),
    ("contentHeader", &["name"]),
    ("pou", &["name", "pouType"]),
    ("variable", &["name"]),
    ("simpleValue", &["value"]),
    ("dimension", &["lower", "upper"]),
    ("derived", &["name"]),
];

fn check(node: Node<'_, '_>) {
    let name = node.tag_name().name();
    let mut inner: Vec<&str> = node.children().filter(Node::is_element).map(|child| child.tag_name().name()).collect();
    if let Some((_, wanted)) = WITHIN.iter().find(|(known, _)| *known == name) {
        for part in *wanted {
            let plain = part.trim_end_matches(['*', '?']);
            let count = inner.iter().take_while(|found| **found == plain).count();
            let count = if part.ends_with('*') { count } else { count.min(1) };
            assert!(count > 0 || part.ends_with('?'), "{name} without {plain}");
            inner.drain(..count);
        }
        assert!(inner.is_empty(), "{name} has {inner:?} beside {wanted:?}");
    }
    for (_, attributes) in ATTRIBUTES.iter().filter(|(known, _)| *known == name) {
        assert!(attributes.iter().all(|attribute| node.has_attribute(*attribute)), "{name}: {:?}", node.attributes());
    }
    node.children().filter(Node::is_element).for_each(check);
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::with_cases(100) })]

    #[test]
    fn it_is_what_the_schema_asks_for(text in stations(false)) {
        // A title with all that XML keeps for itself.
        let titled = format!("title = '<Winder> & \"wire\" \\u0007'\n{text}").replace('\'', "\"").replace("\"wire\"", "\\\"wire\\\"");
        let code = made(&titled, false).code;
        let xml = st::plcopen(&code);
        let document = Document::parse(&xml).unwrap_or_else(|error| panic!("{error}\n{xml}"));
        check(document.root_element());
        // The text is that of the file of structured text.
        let source = st::source(&code);
        for body in document.descendants().filter(|node| node.tag_name().name() == "p" && node.parent().unwrap().has_tag_name(("http://www.plcopen.org/xml/tc6_0201", "ST"))) {
            prop_assert!(source.contains(body.text().unwrap()));
        }
    }
}
