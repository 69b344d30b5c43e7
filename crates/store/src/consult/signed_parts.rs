//! Parts of a note that are signed before the rest of it: each under a digest of its own words, and fixed from then on.

use super::notes::{self, PartAt};
use super::signing::digest;
use crate::rows::*;
use crate::schema::{note_parts as p, part_signatures as s};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::part_writable;
use uuid::Uuid;

/// The signatures under single parts of a note, the oldest first.
pub async fn of_visit(conn: &mut Conn, visit: Uuid) -> Result<Vec<PartSignature>> {
    Ok(s::table
        .filter(s::visit_id.eq(visit))
        .order((s::signed_at, s::part_id))
        .select(PartSignature::as_select())
        .load(conn)
        .await?)
}

/// The notes with a signed part whose words are not those that were signed; none, if all is well.
pub async fn broken(conn: &mut Conn) -> Result<Vec<Uuid>> {
    let rows: Vec<(PartSignature, WrittenPart)> =
        s::table.inner_join(p::table).select((PartSignature::as_select(), WrittenPart::as_select())).load(conn).await?;
    Ok(rows.into_iter().filter(|(s, p)| own_digest(p) != s.digest).map(|(s, _)| s.visit_id).collect())
}

fn own_digest(part: &WrittenPart) -> String {
    digest(std::slice::from_ref(part), "")
}

impl Change<'_> {
    /// Refuses what would change a part that is signed. The database refuses it too, but takes the rest of the change along.
    pub(super) async fn part_is_open(&mut self, visit: &Visit, at: PartAt) -> Result<()> {
        let Some(row) = notes::part(self.conn(), visit.id, at).await? else { return Ok(()) };
        let signed: bool =
            diesel::select(diesel::dsl::exists(s::table.filter(s::part_id.eq(row.id)))).get_result(self.conn()).await?;
        part_writable(signed).map_err(|sentence| StoreError::refused("part_signed", sentence))
    }

    /// Signs one part in the version that its signer saw; `may` judges by who wrote it last.
    pub async fn sign_part(
        &mut self,
        visit: &Visit,
        at: PartAt,
        version: i32,
        may: impl FnOnce(&WrittenPart) -> Result<(), &'static str>,
    ) -> Result<PartSignature> {
        let row = notes::part(self.conn(), visit.id, at).await?.filter(|row| !row.body.trim().is_empty());
        let row = row.ok_or_else(|| StoreError::refused("empty", "Nothing is written here to be signed."))?;
        if row.version != version {
            return Err(StoreError::Stale { current: serde_json::to_value(&row).unwrap_or_default() });
        }
        may(&row).map_err(|sentence| StoreError::refused("not-yours", sentence))?;
        let signature = PartSignature {
            part_id: row.id,
            visit_id: visit.id,
            signed_at: self.now,
            signed_by: self.actor.name.clone(),
            digest: own_digest(&row),
        };
        let n = diesel::insert_into(s::table).values(&signature).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 0 {
            return Err(StoreError::refused("part_signed", "This part is signed already."));
        }
        self.audit("signed part", "note", visit.id, Some(visit.person_id), at.part.code());
        self.tell(Topic::Visit, visit.id);
        Ok(signature)
    }
}
