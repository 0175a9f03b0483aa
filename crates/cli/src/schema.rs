//! The published schemas of files that people write and of what commands print, made from their types.

use serde_json::{Map, Value, json};
use utoipa::ToSchema;
use utoipa::openapi::{RefOr, Schema};
use veritope_core::facts_file::RawFactsFile;
use veritope_core::family::FamilyFile;

use crate::inspect::Inspected;

/// A family file, as JSON Schema.
pub(crate) fn family() -> String {
    of::<FamilyFile>()
}

/// A facts file, as JSON Schema.
pub(crate) fn facts() -> String {
    of::<RawFactsFile>()
}

/// What `inspect --json` prints, as JSON Schema.
pub(crate) fn inspected() -> String {
    of::<Inspected>()
}

/// Root and everything that it refers to, as one document of JSON Schema 2020-12, which is what the
/// descriptions of an API are made of, too.
fn of<T: ToSchema>() -> String {
    let mut parts: Vec<(String, RefOr<Schema>)> = Vec::new();
    T::schemas(&mut parts);
    let as_json = |schema: &RefOr<Schema>| serde_json::to_value(schema).unwrap_or_default();
    let mut definitions = Map::new();
    for (name, schema) in &parts {
        definitions.insert(name.clone(), as_json(schema));
    }
    let mut root = as_json(&T::schema());
    if let Value::Object(root) = &mut root {
        root.insert(
            "$schema".to_owned(),
            json!("https://json-schema.org/draft/2020-12/schema"),
        );
        root.insert("$defs".to_owned(), Value::Object(definitions));
    }
    let mut text = serde_json::to_string_pretty(&root)
        .unwrap_or_default()
        .replace("#/components/schemas/", "#/$defs/");
    text.push('\n');
    text
}
