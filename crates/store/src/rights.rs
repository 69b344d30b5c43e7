//! What the program may do in the database: the owner makes and changes tables, the program works in them, and what must
//! never be changed it cannot change: it owns nothing, so it can neither drop nor disable a trigger, and it holds no
//! right to update or delete where rows are only ever added.

use crate::{Conn, Result};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;

/// The role that the program signs in to the database as.
pub const PROGRAM: &str = "harbor_program";

#[derive(QueryableByName)]
struct Named {
    #[diesel(sql_type = sql_types::Text)]
    name: String,
}

#[derive(QueryableByName)]
struct Said {
    #[diesel(sql_type = sql_types::Bool)]
    so: bool,
}

/// Whether the program's role exists in this cluster.
pub async fn program_exists(conn: &mut Conn) -> Result<bool> {
    let said: Said = diesel::sql_query("select exists (select from pg_roles where rolname = $1) as so")
        .bind::<sql_types::Text, _>(PROGRAM)
        .get_result(conn)
        .await?;
    Ok(said.so)
}

/// Gives the program's role its rights in this database, and takes what it must not have. Asked after every migration.
pub async fn grant(conn: &mut Conn) -> Result<()> {
    for right in [
        "grant usage on schema public to harbor_program",
        "grant select, insert, update, delete on all tables in schema public to harbor_program",
        "grant usage, select on all sequences in schema public to harbor_program",
        "revoke all on __diesel_schema_migrations from harbor_program",
        // To see that it serves the tables that it was written for.
        "grant select on __diesel_schema_migrations to harbor_program",
    ] {
        diesel::sql_query(right).execute(conn).await?;
    }
    // Where a trigger refuses changes to rows, the right to them is missing too. (Nobody is granted truncate.)
    let added_to: Vec<Named> = diesel::sql_query(
        "select distinct tgrelid::regclass::text as name from pg_trigger
         where tgfoid = 'refuse_change'::regproc and (tgtype & 1) = 1",
    )
    .load(conn)
    .await?;
    for table in added_to {
        diesel::sql_query(format!("revoke update, delete, truncate on {} from {PROGRAM}", table.name))
            .execute(conn)
            .await?;
    }
    // Whose estimate it is follows a merge; the trigger keeps everything else of it.
    diesel::sql_query(format!("grant update (person_id) on written_estimates to {PROGRAM}")).execute(conn).await?;
    Ok(())
}

/// Whether the role of this connection could undo what the database guards: it owns the record, or stands above all
/// rights.
pub async fn could_undo(conn: &mut Conn) -> Result<bool> {
    let said: Said = diesel::sql_query(
        "select rolsuper or pg_has_role(current_user, (select relowner from pg_class where oid = 'audit'::regclass), 'usage') as so
         from pg_roles where rolname = current_user",
    )
    .get_result(conn)
    .await?;
    Ok(said.so)
}
