//! The API document, to make forms from, and what no field of them expects.

use harbor_server::routes::document;
use serde_json::{Map, Value, json};

/// An id that nothing has.
pub const NOBODY: &str = "00000000-0000-7000-8000-000000000000";

/// What no field expects.
pub fn nonsense() -> Vec<Value> {
    vec![
        Value::Null,
        json!(""),
        json!(" \u{0}\u{202E}x"),
        json!("9".repeat(5_000)),
        json!("9999-12-31"),
        json!(-1),
        json!(i64::MAX),
        json!(1e308),
        json!([]),
        json!([[], {}]),
        json!({ "what": "x" }),
        json!(NOBODY),
    ]
}

/// The API document, to make forms from.
pub struct Api(Value);

impl Api {
    pub fn load() -> Api {
        Api(serde_json::to_value(document()).unwrap_or_default())
    }

    fn resolved<'a>(&'a self, schema: &'a Value) -> &'a Value {
        match schema["$ref"].as_str().and_then(|r| r.rsplit('/').next()) {
            Some(name) => &self.0["components"]["schemas"][name],
            None => schema,
        }
    }

    /// A value as a schema wants it.
    pub fn sample(&self, schema: &Value, depth: usize) -> Value {
        let schema = self.resolved(schema);
        for list in ["oneOf", "anyOf"] {
            let chosen = schema[list].as_array().into_iter().flatten().find(|s| s["type"] != "null");
            if let Some(chosen) = chosen {
                return self.sample(chosen, depth);
            }
        }
        if let Some(all) = schema["allOf"].as_array() {
            let parts = all.iter().filter_map(|s| self.sample(s, depth).as_object().cloned());
            return Value::Object(parts.fold(Map::new(), |mut whole, part| {
                whole.extend(part);
                whole
            }));
        }
        let kind = schema["type"]
            .as_array()
            .map_or(&schema["type"], |kinds| kinds.iter().find(|k| **k != "null").unwrap_or(&Value::Null));
        match (kind.as_str(), schema["format"].as_str()) {
            (Some("object"), _) if depth < 4 => {
                let parts = schema["properties"].as_object().into_iter().flatten();
                Value::Object(parts.map(|(name, s)| (name.clone(), self.sample(s, depth + 1))).collect())
            }
            (Some("array"), _) if depth < 4 => json!([self.sample(&schema["items"], depth + 1)]),
            (Some("string"), Some("uuid")) => json!(NOBODY),
            (Some("string"), Some("date")) => json!("2026-11-25"),
            (Some("string"), Some("date-time")) => json!("2026-11-25T15:00:00Z"),
            (Some("string"), _) => schema["enum"].get(0).cloned().unwrap_or(json!("x")),
            (Some("integer"), _) => json!(1),
            (Some("number"), _) => json!(1.5),
            (Some("boolean"), _) => json!(true),
            _ => Value::Null,
        }
    }

    pub fn operation(&self, method: &str, pattern: &str) -> &Value {
        &self.0["paths"][pattern][method]
    }
}

/// Where the fields of a form are, some levels deep.
pub fn fields(form: &Value, at: &str, out: &mut Vec<String>) {
    out.push(at.to_owned());
    match form {
        Value::Object(parts) => parts.iter().for_each(|(name, part)| fields(part, &format!("{at}/{name}"), out)),
        Value::Array(parts) => parts.iter().enumerate().for_each(|(n, part)| fields(part, &format!("{at}/{n}"), out)),
        _ => {}
    }
}

/// The form with one field of it replaced.
pub fn with(form: &Value, at: &str, value: &Value) -> Value {
    let mut form = form.clone();
    if let Some(field) = form.pointer_mut(at) {
        *field = value.clone();
    }
    form
}

/// A text with every sign of it encoded, as an address may hold it.
pub fn encoded(text: &str) -> String {
    text.bytes().map(|b| format!("%{b:02X}")).collect()
}
