//! `station.xml`: the same as a file for exchange between tools (IEC 61131-10, PLCopen XML 2.01).

use super::{BLOCK, Declared, DeclaredType, PROGRAM, Section, function_block, program};
use crate::model::{Code, MARK};

/// The namespace of the second form, which most tools read.
const NAMESPACE: &str = "http://www.plcopen.org/xml/tc6_0201";
/// The file has no time of its own, so that the same station gives the same bytes.
const TIME: &str = "2000-01-01T00:00:00";

/// A text as XML has it, which has no place for most control characters.
fn escaped(text: &str) -> String {
    let text = text.replace(|letter: char| letter.is_control() && !matches!(letter, '\n' | '\t'), " ");
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// Writes elements, each deeper one further to the right.
struct Xml {
    text: String,
    depth: usize,
}

impl Xml {
    fn line(&mut self, text: &str) {
        (0..self.depth).for_each(|_| self.text.push_str("  "));
        self.text.push_str(text);
        self.text.push('\n');
    }

    fn within(&mut self, open: &str, inner: impl FnOnce(&mut Self)) {
        self.line(&format!("<{open}>"));
        self.depth += 1;
        inner(self);
        self.depth -= 1;
        let name = open.split(' ').next().unwrap_or(open);
        self.line(&format!("</{name}>"));
    }
}

/// The code as XML.
pub fn plcopen(code: &Code) -> String {
    let title = escaped(code.title.as_deref().unwrap_or("A station"));
    let mut xml = Xml { text: "<?xml version=\"1.0\" encoding=\"utf-8\"?>\n".to_owned(), depth: 0 };
    xml.within(&format!("project xmlns=\"{NAMESPACE}\" xmlns:xhtml=\"http://www.w3.org/1999/xhtml\""), |xml| {
        xml.line(&format!(
            "<fileHeader companyName=\"\" productName=\"reigen\" productVersion=\"{}\" creationDateTime=\"{TIME}\" contentDescription=\"{MARK}{}\" />",
            env!("CARGO_PKG_VERSION"),
            code.version
        ));
        xml.within(&format!("contentHeader name=\"{title}\""), |xml| {
            xml.within("coordinateInfo", |xml| {
                ["fbd", "ld", "sfc"].iter().for_each(|language| {
                    xml.within(language, |xml| xml.line("<scaling x=\"1\" y=\"1\" />"));
                });
            });
        });
        xml.within("types", |xml| {
            xml.line("<dataTypes />");
            xml.within("pous", |xml| {
                let block = function_block(code);
                pou(xml, BLOCK, "functionBlock", &block.sections, &block.body);
                let (sections, body) = program(code);
                pou(xml, PROGRAM, "program", &sections, &body);
            });
        });
        xml.within("instances", |xml| xml.line("<configurations />"));
    });
    xml.text
}

fn pou(xml: &mut Xml, name: &str, kind: &str, sections: &[Section], body: &str) {
    xml.within(&format!("pou name=\"{name}\" pouType=\"{kind}\""), |xml| {
        xml.within("interface", |xml| {
            for section in sections.iter().filter(|section| !section.declared.is_empty()) {
                let word = match section.word {
                    "VAR_INPUT" => "inputVars",
                    "VAR_OUTPUT" => "outputVars",
                    "VAR_TEMP" => "tempVars",
                    _ => "localVars",
                };
                let constant = if section.constant { " constant=\"true\"" } else { "" };
                xml.within(&format!("{word}{constant}"), |xml| {
                    section.declared.iter().for_each(|one| declared(xml, one))
                });
            }
        });
        xml.within("body", |xml| {
            xml.within("ST", |xml| {
                // The text stands as it is, so that its own indents stay.
                let text = escaped(body.trim());
                xml.text.push_str(&format!("<xhtml:p>{text}</xhtml:p>\n"));
            });
        });
    });
}

fn declared(xml: &mut Xml, one: &Declared) {
    let address = one.address.as_ref().map(|address| format!(" address=\"{}\"", escaped(address))).unwrap_or_default();
    xml.within(&format!("variable name=\"{}\"{address}", one.name), |xml| {
        xml.within("type", |xml| match &one.kind {
            DeclaredType::Plain(name) => xml.line(&format!("<{name} />")),
            DeclaredType::Block(name) => xml.line(&format!("<derived name=\"{name}\" />")),
            DeclaredType::Row(of, count) => xml.within("array", |xml| {
                xml.line(&format!("<dimension lower=\"0\" upper=\"{}\" />", count.saturating_sub(1)));
                xml.within("baseType", |xml| xml.line(&format!("<{of} />")));
            }),
        });
        if let Some(initial) = &one.initial {
            xml.within("initialValue", |xml| xml.line(&format!("<simpleValue value=\"{}\" />", escaped(initial))));
        }
        if !one.about.is_empty() {
            let about = escaped(&one.about);
            xml.within("documentation", |xml| xml.line(&format!("<xhtml:p>{about}</xhtml:p>")));
        }
    });
}
