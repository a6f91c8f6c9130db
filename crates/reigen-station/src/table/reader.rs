//! From a TOML text, once it is parsed, to values of our own types.
//!
//! The parser's own reader of values is made anew for each type that is read, and in several forms; that was half of
//! what this crate takes to build, and a tenth of the program. This one has one form. What is wrong is told in the same
//! words, at the same place.

use crate::spanned::SPANNED;
use reigen_core::logic::expression::Span;
use serde::de::value::{CowStrDeserializer, UsizeDeserializer};
use serde::de::{
    DeserializeOwned, DeserializeSeed, Deserializer, EnumAccess, Error as _, MapAccess, SeqAccess, VariantAccess,
    Visitor,
};
use serde::forward_to_deserialize_any;
use std::borrow::Cow;
use std::fmt;
use toml::Spanned;
use toml::de::{DeArray, DeTable, DeValue};

/// What is wrong with a text, and where.
#[derive(Debug)]
pub(crate) struct ReadError {
    /// What is wrong.
    pub(crate) message: String,
    /// Where, as far as that is known.
    pub(crate) span: Option<Span>,
}

impl ReadError {
    /// The innermost place is the one that counts.
    fn at(mut self, span: Span) -> Self {
        self.span.get_or_insert(span);
        self
    }
}

impl fmt::Display for ReadError {
    fn fmt(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
        formatter.write_str(&self.message)
    }
}

impl std::error::Error for ReadError {}

impl serde::de::Error for ReadError {
    fn custom<T: fmt::Display>(message: T) -> Self {
        Self { message: message.to_string(), span: None }
    }
}

/// Reads a text.
pub(crate) fn read<T: DeserializeOwned>(source: &str) -> Result<T, ReadError> {
    let parsed = DeTable::parse(source);
    let table = parsed.map_err(|error| ReadError { message: error.message().to_owned(), span: error.span() })?;
    let span = table.span();
    T::deserialize(Node::Value(&Spanned::new(span, DeValue::Table(table.into_inner()))))
}

/// A value of the text, or a key.
#[derive(Clone, Copy)]
enum Node<'a> {
    Value(&'a Spanned<DeValue<'a>>),
    Key(&'a Spanned<Cow<'a, str>>),
}

impl Node<'_> {
    fn span(&self) -> Span {
        match self {
            Self::Value(value) => value.span(),
            Self::Key(key) => key.span(),
        }
    }

    /// What it is, told once for all who ask.
    fn content(&self) -> Result<Content<'_>, ReadError> {
        let value = match self {
            Self::Key(key) => return Ok(Content::Text(key.get_ref())),
            Self::Value(value) => value.get_ref(),
        };
        Ok(match value {
            DeValue::String(text) => Content::Text(text),
            DeValue::Boolean(on) => Content::Bool(*on),
            DeValue::Float(number) => match number.as_str().parse() {
                Ok(value) if f64::is_finite(value) || number.as_str().contains(['n', 'i']) => Content::Real(value),
                _ => return Err(ReadError::custom("floating-point number overflowed")),
            },
            DeValue::Integer(number) => {
                let (digits, radix) = (number.as_str(), number.radix());
                match (i64::from_str_radix(digits, radix), u64::from_str_radix(digits, radix)) {
                    (Ok(value), _) => Content::Whole(value),
                    (_, Ok(value)) => Content::Large(value),
                    _ => return Err(ReadError::custom("integer number overflowed")),
                }
            }
            DeValue::Datetime(_) => return Err(ReadError::custom("a date or a time of day cannot be used here")),
            DeValue::Array(items) => Content::Array(items),
            DeValue::Table(table) => Content::Table(table),
        })
    }
}

/// What a value is.
enum Content<'a> {
    Text(&'a str),
    Bool(bool),
    Real(f64),
    Whole(i64),
    Large(u64),
    Array(&'a DeArray<'a>),
    Table(&'a DeTable<'a>),
}

impl<'de> Deserializer<'de> for Node<'_> {
    type Error = ReadError;

    fn deserialize_any<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, ReadError> {
        let visited = self.content().and_then(|content| match content {
            Content::Text(text) => visitor.visit_str(text),
            Content::Bool(on) => visitor.visit_bool(on),
            Content::Real(value) => visitor.visit_f64(value),
            Content::Whole(value) => visitor.visit_i64(value),
            Content::Large(value) => visitor.visit_u64(value),
            Content::Array(items) => visitor.visit_seq(Items(items.iter())),
            Content::Table(table) => visitor.visit_map(Entries { rest: table.iter(), value: None }),
        });
        visited.map_err(|error| error.at(self.span()))
    }

    fn deserialize_option<V: Visitor<'de>>(self, visitor: V) -> Result<V::Value, ReadError> {
        visitor.visit_some(self)
    }

    fn deserialize_newtype_struct<V: Visitor<'de>>(self, _: &'static str, visitor: V) -> Result<V::Value, ReadError> {
        visitor.visit_newtype_struct(self)
    }

    /// A value that asks for its place gets the start, the end, and itself.
    fn deserialize_tuple_struct<V: Visitor<'de>>(
        self,
        name: &'static str,
        _: usize,
        visitor: V,
    ) -> Result<V::Value, ReadError> {
        match name {
            SPANNED => visitor.visit_seq(WithPlace { node: self, given: 0 }),
            _ => self.deserialize_any(visitor),
        }
    }

    fn deserialize_enum<V: Visitor<'de>>(
        self,
        _: &'static str,
        words: &'static [&'static str],
        visitor: V,
    ) -> Result<V::Value, ReadError> {
        visitor.visit_enum(Word { node: self, words }).map_err(|error| error.at(self.span()))
    }

    forward_to_deserialize_any! {
        bool i8 i16 i32 i64 u8 u16 u32 u64 f32 f64 char str string bytes byte_buf unit unit_struct seq tuple map struct
        identifier ignored_any
    }
}

/// The items of an array.
struct Items<'a>(std::slice::Iter<'a, Spanned<DeValue<'a>>>);

impl<'de> SeqAccess<'de> for Items<'_> {
    type Error = ReadError;

    fn next_element_seed<T: DeserializeSeed<'de>>(&mut self, seed: T) -> Result<Option<T::Value>, ReadError> {
        self.0.next().map(|item| seed.deserialize(Node::Value(item))).transpose()
    }
}

/// The entries of a table.
struct Entries<'a, I> {
    rest: I,
    value: Option<&'a Spanned<DeValue<'a>>>,
}

impl<'de, 'a, I> MapAccess<'de> for Entries<'a, I>
where
    I: Iterator<Item = (&'a Spanned<Cow<'a, str>>, &'a Spanned<DeValue<'a>>)>,
{
    type Error = ReadError;

    fn next_key_seed<K: DeserializeSeed<'de>>(&mut self, seed: K) -> Result<Option<K::Value>, ReadError> {
        let Some((key, value)) = self.rest.next() else { return Ok(None) };
        self.value = Some(value);
        seed.deserialize(Node::Key(key)).map(Some).map_err(|error| error.at(key.span()))
    }

    fn next_value_seed<V: DeserializeSeed<'de>>(&mut self, seed: V) -> Result<V::Value, ReadError> {
        let value = self.value.take().ok_or_else(|| ReadError::custom("a value is read before its key"))?;
        seed.deserialize(Node::Value(value)).map_err(|error| error.at(value.span()))
    }
}

/// The place of a value, and the value.
struct WithPlace<'a> {
    node: Node<'a>,
    given: usize,
}

impl<'de> SeqAccess<'de> for WithPlace<'_> {
    type Error = ReadError;

    fn next_element_seed<T: DeserializeSeed<'de>>(&mut self, seed: T) -> Result<Option<T::Value>, ReadError> {
        self.given += 1;
        let place = self.node.span();
        match self.given {
            1 => seed.deserialize(UsizeDeserializer::new(place.start)).map(Some),
            2 => seed.deserialize(UsizeDeserializer::new(place.end)).map(Some),
            _ => seed.deserialize(self.node).map(Some),
        }
    }
}

/// A word among those that may stand at its place, in large letters or small.
struct Word<'a> {
    node: Node<'a>,
    words: &'static [&'static str],
}

impl<'de, 'a> EnumAccess<'de> for Word<'a> {
    type Error = ReadError;
    type Variant = Node<'a>;

    /// A word alone.
    fn variant_seed<V: DeserializeSeed<'de>>(self, seed: V) -> Result<(V::Value, Node<'a>), ReadError> {
        let typed: &str = match self.node {
            Node::Key(key) => key.get_ref(),
            Node::Value(value) => match value.get_ref() {
                DeValue::String(text) => text,
                _ => return Err(ReadError::custom("expected a word in quotes")),
            },
        };
        let word = self.words.iter().find(|word| word.eq_ignore_ascii_case(typed)).copied().unwrap_or(typed);
        Ok((seed.deserialize(CowStrDeserializer::new(Cow::Borrowed(word)))?, self.node))
    }
}

/// No word stands for more than itself.
impl<'de> VariantAccess<'de> for Node<'_> {
    type Error = ReadError;

    fn unit_variant(self) -> Result<(), ReadError> {
        Ok(())
    }

    fn newtype_variant_seed<T: DeserializeSeed<'de>>(self, _: T) -> Result<T::Value, ReadError> {
        Err(ReadError::custom("a word stands alone"))
    }

    fn tuple_variant<V: Visitor<'de>>(self, _: usize, _: V) -> Result<V::Value, ReadError> {
        Err(ReadError::custom("a word stands alone"))
    }

    fn struct_variant<V: Visitor<'de>>(self, _: &'static [&'static str], _: V) -> Result<V::Value, ReadError> {
        Err(ReadError::custom("a word stands alone"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::table::tables::Tables;
    use proptest::prelude::*;
    use serde::Deserialize;
    use std::collections::BTreeMap;

    /// Whatever TOML can hold but dates.
    #[derive(Debug, Clone, PartialEq, Deserialize)]
    #[serde(untagged)]
    enum Any {
        Bool(bool),
        Whole(i64),
        Real(f64),
        Text(String),
        Array(Vec<Any>),
        Table(BTreeMap<String, Any>),
    }

    fn any() -> impl Strategy<Value = Any> {
        let leaf = prop_oneof![
            any_bool().prop_map(Any::Bool),
            proptest::num::i64::ANY.prop_map(Any::Whole),
            proptest::num::f64::NORMAL.prop_map(Any::Real),
            ".{0,12}".prop_map(Any::Text),
        ];
        leaf.prop_recursive(3, 24, 4, |inner| {
            prop_oneof![
                prop::collection::vec(inner.clone(), 0..4).prop_map(Any::Array),
                prop::collection::btree_map("[a-z \"é]{0,6}", inner, 0..4).prop_map(Any::Table),
            ]
        })
    }

    fn any_bool() -> impl Strategy<Value = bool> {
        proptest::bool::ANY
    }

    fn value(any: &Any) -> toml::Value {
        match any {
            Any::Bool(on) => (*on).into(),
            Any::Whole(number) => (*number).into(),
            Any::Real(number) => (*number).into(),
            Any::Text(text) => text.as_str().into(),
            Any::Array(items) => toml::Value::Array(items.iter().map(value).collect()),
            Any::Table(table) => {
                toml::Value::Table(table.iter().map(|(key, item)| (key.clone(), value(item))).collect())
            }
        }
    }

    proptest! {
        #[test]
        fn what_the_parser_reads_is_what_is_read_here(table in prop::collection::btree_map("[a-z]{1,6}", any(), 0..5)) {
            let text = toml::to_string(&value(&Any::Table(table.clone()))).unwrap();
            let own: BTreeMap<String, Any> = read(&text).unwrap();
            let theirs: BTreeMap<String, Any> = toml::from_str(&text).unwrap();
            prop_assert_eq!(&own, &theirs, "{}", text);
            prop_assert_eq!(own, table);
        }

        #[test]
        fn a_place_is_where_the_value_stands(items in prop::collection::vec(0..100_000i64, 0..9), blanks in 0..5usize) {
            let texts: Vec<String> = items.iter().map(i64::to_string).collect();
            let text = format!("{}items = [{}]", "\n".repeat(blanks), texts.join(", "));
            let read: BTreeMap<String, Vec<crate::spanned::Spanned<i64>>> = read(&text).unwrap();
            for (item, written) in read["items"].iter().zip(&texts) {
                prop_assert_eq!(&text[item.span()], written);
                prop_assert_eq!(item.get_ref().to_string(), written.as_str());
            }
        }
    }

    #[derive(Debug, Deserialize)]
    #[serde(deny_unknown_fields)]
    #[expect(dead_code, reason = "only what cannot be read is looked at")]
    struct Point {
        line: String,
        count: Option<u8>,
        edge: Option<Edge>,
        pair: Option<[f64; 2]>,
    }

    #[derive(Debug, Deserialize)]
    #[serde(rename_all = "lowercase")]
    enum Edge {
        Rising,
        Falling,
    }

    #[derive(Debug, Deserialize)]
    #[serde(deny_unknown_fields)]
    struct File {
        #[serde(default)]
        point: Tables<Point>,
    }

    #[test]
    fn what_cannot_be_read_is_told_at_its_place() {
        // The text, what stands at the place, and the message.
        let cases = [
            ("[point.a]\nline = 3", "3", "invalid type: integer `3`, expected a string"),
            ("[point.a]\nline = 1999-12-31", "1999-12-31", "a date or a time of day cannot be used here"),
            ("[point.a]\nline = 'x'\ncount = 256", "256", "invalid value: integer `256`, expected u8"),
            ("[point.a]\nline = 'x'\ncount = -1", "-1", "invalid value: integer `-1`, expected u8"),
            (
                "[point.a]\nline = 'x'\ncount = 99999999999999999999",
                "99999999999999999999",
                "integer number overflowed",
            ),
            ("[point.a]\nline = 'x'\npair = [1.0]", "[1.0]", "invalid length 1, expected an array of length 2"),
            ("[point.a]\nline = 'x'\npair = [1.0, true]", "true", "invalid type: boolean `true`, expected f64"),
            ("[point.a]\nline = 'x'\npair = [1.0, 1e999]", "1e999", "floating-point number overflowed"),
            ("[point.a]\nline = 'x'\nedge = 'up'", "'up'", "unknown variant `up`, expected `rising` or `falling`"),
            ("[point.a]\nline = 'x'\nedge = 3", "3", "expected a word in quotes"),
            (
                "[point.a]\nline = 'x'\nlien = 'y'",
                "lien",
                "unknown field `lien`, expected one of `line`, `count`, `edge`, `pair`",
            ),
            ("[point.a]\ncount = 3", "[point.a]", "missing field `line`"),
            ("[points.a]\nline = 'x'", "points", "unknown field `points`, expected `point`"),
            ("point = 3", "3", "invalid type: integer `3`, expected a map"),
        ];
        for (text, place, message) in cases {
            let error = read::<File>(text).map(|file| file.point.into_iter().count()).unwrap_err();
            let span = error.span.clone().unwrap();
            assert_eq!((&text[span], error.to_string().as_str()), (place, message), "{text}");
        }
        for text in ["[point.a", "point = ", "[point.a]\n[point.a]"] {
            assert!(read::<File>(text).unwrap_err().span.is_some(), "{text}");
        }
        let file: File = read("[point.b]\nline = 'x'\nedge = 'falling'\n[point.a]\nline = 'y'").unwrap();
        assert_eq!(file.point.into_iter().map(|(name, _)| name.into_inner()).collect::<Vec<_>>(), ["a", "b"]);
    }
}
