//! A value of the file and where it stands.

use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::de::{Deserialize, Deserializer, Error, SeqAccess, Visitor};
use std::borrow::Cow;
use std::fmt;
use std::marker::PhantomData;
use std::ops::Range;

/// The name by which a value asks for its place.
pub(crate) const SPANNED: &str = "$spanned";

/// A value with its place in the file; to an editor it is the value alone.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Spanned<T>(toml::Spanned<T>);

impl<T> Spanned<T> {
    /// A value that stands there.
    pub fn new(span: Range<usize>, value: T) -> Self {
        Self(toml::Spanned::new(span, value))
    }

    /// The value.
    pub fn get_ref(&self) -> &T {
        self.0.get_ref()
    }

    /// The value alone.
    pub fn into_inner(self) -> T {
        self.0.into_inner()
    }

    /// Its bytes in the file.
    pub fn span(&self) -> Range<usize> {
        self.0.span()
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Spanned<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct WithPlace<T>(PhantomData<T>);
        impl<'de, T: Deserialize<'de>> Visitor<'de> for WithPlace<T> {
            type Value = Spanned<T>;

            fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.write_str("a value with its place")
            }

            fn visit_seq<A: SeqAccess<'de>>(self, mut parts: A) -> Result<Self::Value, A::Error> {
                match (parts.next_element()?, parts.next_element()?, parts.next_element()?) {
                    (Some(start), Some(end), Some(value)) => Ok(Spanned::new(start..end, value)),
                    _ => Err(A::Error::custom("a value without its place")),
                }
            }
        }
        deserializer.deserialize_tuple_struct(SPANNED, 3, WithPlace(PhantomData))
    }
}

impl<T: JsonSchema> JsonSchema for Spanned<T> {
    fn inline_schema() -> bool {
        T::inline_schema()
    }

    fn schema_name() -> Cow<'static, str> {
        T::schema_name()
    }

    fn schema_id() -> Cow<'static, str> {
        T::schema_id()
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        T::json_schema(generator)
    }
}
