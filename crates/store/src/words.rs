//! PostgreSQL's full text: the type of its columns, and words as it searches them.

/// A `tsvector`: written by the database itself, never read here.
#[derive(diesel::sql_types::SqlType, diesel::query_builder::QueryId)]
#[diesel(postgres_type(name = "tsvector"))]
pub struct Tsvector;

/// What somebody typed as a query: every word, also by its beginning. Nothing of it can be a sign of the query language.
pub fn query(typed: &str) -> String {
    let words = typed.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty());
    words.take(12).map(|w| format!("{w}:*")).collect::<Vec<_>>().join(" & ")
}
