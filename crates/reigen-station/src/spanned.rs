//! A value of the file and where it stands.

use schemars::{JsonSchema, Schema, SchemaGenerator};
use serde::Deserialize;
use std::borrow::Cow;
use std::ops::Range;

/// A value with its place in the file; to an editor it is the value alone.
#[derive(Debug, Clone, PartialEq, Eq, Hash, Deserialize)]
#[serde(transparent)]
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
