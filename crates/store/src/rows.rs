//! Rows as they lie in the tables, one type a table; they go out to the screens as they are.

/// A row that can be read, inserted and sent.
macro_rules! row {
    ($(#[$outer:meta])* $table:ident $name:ident { $($(#[$meta:meta])* $field:ident: $kind:ty,)+ }) => {
        $(#[$outer])*
        #[derive(
            Debug, Clone, PartialEq, diesel::Queryable, diesel::Selectable, diesel::Insertable,
            serde::Serialize, utoipa::ToSchema,
        )]
        #[diesel(table_name = crate::schema::$table)]
        #[serde(rename_all = "camelCase")]
        pub struct $name { $($(#[$meta])* pub $field: $kind),+ }
    };
}

mod charges;
mod chart;
mod deposits;
mod house;
mod money;
mod orders;
mod people;
mod schedule;

pub use charges::*;
pub use chart::*;
pub use deposits::*;
pub use house::*;
pub use money::*;
pub use orders::*;
pub use people::*;
pub use schedule::*;
