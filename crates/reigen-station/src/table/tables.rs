//! All tables of one kind, such as `[input.NAME]`, by name.

use crate::spanned::Spanned;
use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
use serde::de::{Deserialize, Deserializer, MapAccess, Visitor};
use std::borrow::Cow;
use std::fmt;
use std::marker::PhantomData;

/// Tables by their names.
#[derive(Debug)]
pub(crate) struct Tables<T>(Vec<(Spanned<String>, Spanned<T>)>);

impl<T> Default for Tables<T> {
    fn default() -> Self {
        Self(Vec::new())
    }
}

impl<T> IntoIterator for Tables<T> {
    type Item = (Spanned<String>, Spanned<T>);
    type IntoIter = std::vec::IntoIter<Self::Item>;

    fn into_iter(self) -> Self::IntoIter {
        self.0.into_iter()
    }
}

impl<'de, T: Deserialize<'de>> Deserialize<'de> for Tables<T> {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        struct Entries<T>(PhantomData<T>);
        impl<'de, T: Deserialize<'de>> Visitor<'de> for Entries<T> {
            type Value = Tables<T>;

            fn expecting(&self, formatter: &mut fmt::Formatter<'_>) -> fmt::Result {
                formatter.write_str("a map")
            }

            fn visit_map<A: MapAccess<'de>>(self, mut map: A) -> Result<Self::Value, A::Error> {
                let mut tables = Vec::new();
                while let Some(entry) = map.next_entry()? {
                    tables.push(entry);
                }
                Ok(Tables(tables))
            }
        }
        deserializer.deserialize_map(Entries(PhantomData))
    }
}

impl<T: JsonSchema> JsonSchema for Tables<T> {
    fn inline_schema() -> bool {
        true
    }

    fn schema_name() -> Cow<'static, str> {
        Cow::Owned(format!("Tables_of_{}", T::schema_name()))
    }

    fn json_schema(generator: &mut SchemaGenerator) -> Schema {
        let table = generator.subschema_for::<T>();
        json_schema!({ "type": "object", "additionalProperties": table })
    }
}
