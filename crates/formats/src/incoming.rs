//! People and policies on their way in, whatever file they came in: fields by the names that the forms
//! use, as typed, so that one set of rules judges them all.

use std::collections::BTreeMap;

/// Fields by name, none of them empty.
pub type Fields = BTreeMap<&'static str, String>;

/// The field that says why a person cannot come in, whatever else the file tells of them.
pub const UNFIT: &str = "unfit";

/// One person of a file, with the line or entry (from 1) that it stands on.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct IncomingPerson {
    pub line: u64,
    pub fields: Fields,
    pub policies: Vec<IncomingPolicy>,
}

/// One policy, and who holds it when it is not the person.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct IncomingPolicy {
    pub fields: Fields,
    pub holder: Option<Fields>,
}

/// Puts a field in, unless it is empty.
pub(crate) fn put(fields: &mut Fields, name: &'static str, text: &str) {
    let text = text.trim();
    if !text.is_empty() {
        fields.insert(name, text.to_owned());
    }
}
