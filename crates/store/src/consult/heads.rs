//! What stands around the words of a note: who supervises, the signature under the signature, and striking in error.

use super::chart;
use crate::rows::*;
use crate::schema::{note_cosignatures as c, note_heads as h, struck_notes as s, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::writable;
use harbor_core::schedule::VisitKind;
use uuid::Uuid;

pub async fn head(conn: &mut Conn, visit: Uuid) -> Result<Option<NoteHead>> {
    Ok(h::table.find(visit).select(NoteHead::as_select()).first(conn).await.optional()?)
}

pub async fn cosignature(conn: &mut Conn, visit: Uuid) -> Result<Option<NoteCosignature>> {
    Ok(c::table.find(visit).select(NoteCosignature::as_select()).first(conn).await.optional()?)
}

pub async fn struck(conn: &mut Conn, visit: Uuid) -> Result<Option<StruckNote>> {
    Ok(s::table.find(visit).select(StruckNote::as_select()).first(conn).await.optional()?)
}

/// Who supervises which of these visits.
pub async fn supervised(conn: &mut Conn, ids: &[Uuid]) -> Result<std::collections::HashMap<Uuid, Uuid>> {
    let rows: Vec<(Uuid, Option<Uuid>)> =
        h::table.filter(h::visit_id.eq_any(ids)).select((h::visit_id, h::supervising_id)).load(conn).await?;
    Ok(rows.into_iter().filter_map(|(visit, who)| Some((visit, who?))).collect())
}

/// Which of these notes are signed.
pub async fn signed_among(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Uuid>> {
    use crate::schema::note_signatures as n;
    Ok(n::table.filter(n::visit_id.eq_any(ids)).select(n::visit_id).load(conn).await?)
}

/// Which of these notes are struck.
pub async fn struck_among(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Uuid>> {
    Ok(s::table.filter(s::visit_id.eq_any(ids)).select(s::visit_id).load(conn).await?)
}

/// Of these visits, those whose note is signed and waits for its supervising clinician, with their names.
pub async fn cosigners_missing(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<(Uuid, String)>> {
    use crate::schema::{note_signatures as n, staff};
    Ok(h::table
        .inner_join(n::table.on(n::visit_id.eq(h::visit_id)))
        .inner_join(staff::table.on(staff::id.nullable().eq(h::supervising_id)))
        .left_join(c::table.on(c::visit_id.eq(h::visit_id)))
        .filter(h::visit_id.eq_any(ids).and(c::visit_id.nullable().is_null()))
        .select((h::visit_id, staff::name))
        .load(conn)
        .await?)
}

/// The visits whose signed notes wait for this supervising clinician, however many.
pub async fn to_cosign(conn: &mut Conn, supervising: Uuid) -> Result<Vec<Visit>> {
    use crate::schema::note_signatures as n;
    let waits = h::table
        .inner_join(n::table.on(n::visit_id.eq(h::visit_id)))
        .left_join(c::table.on(c::visit_id.eq(h::visit_id)))
        .left_join(s::table.on(s::visit_id.eq(h::visit_id)))
        .filter(h::supervising_id.eq(supervising))
        .filter(c::visit_id.nullable().is_null().and(s::visit_id.nullable().is_null()))
        .select(h::visit_id);
    let ids: Vec<Uuid> = waits.load(conn).await?;
    Ok(visits::table
        .filter(visits::id.eq_any(ids))
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Refuses whatever would be written in a note that is signed or struck, or ordered beside it.
    pub async fn writable(&mut self, visit: &Visit) -> Result<()> {
        self.not_struck(visit).await?;
        let signed = chart::signature(self.conn(), visit.id).await?.is_some();
        writable(signed, false).map_err(|sentence| StoreError::refused("note_signed", sentence))
    }

    pub(crate) async fn not_struck(&mut self, visit: &Visit) -> Result<()> {
        let struck = struck(self.conn(), visit.id).await?.is_some();
        writable(false, struck).map_err(|sentence| StoreError::refused("note_struck", sentence))
    }

    /// Says how a visit was done and is documented, before it is signed.
    pub async fn set_head(
        &mut self,
        visit: &Visit,
        kind: VisitKind,
        supervising: Option<Uuid>,
        minutes: Option<i32>,
    ) -> Result<NoteHead> {
        let row = NoteHead {
            visit_id: visit.id,
            supervising_id: supervising,
            minutes,
            updated_at: self.now,
            updated_by: self.actor.name.clone(),
        };
        diesel::insert_into(h::table)
            .values(&row)
            .on_conflict(h::visit_id)
            .do_update()
            .set((
                h::supervising_id.eq(supervising),
                h::minutes.eq(minutes),
                h::updated_at.eq(row.updated_at),
                h::updated_by.eq(&row.updated_by),
            ))
            .execute(self.conn())
            .await?;
        if visit.kind != kind {
            diesel::update(visits::table.find(visit.id))
                .set((visits::kind.eq(kind.code()), visits::version.eq(visits::version + 1)))
                .execute(self.conn())
                .await?;
        }
        self.audit("set head", "note", visit.id, Some(visit.person_id), kind.code());
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    /// Signs under the signature of a note, for the digest that was signed.
    pub async fn cosign_note(&mut self, visit: &Visit, signer: Uuid) -> Result<NoteCosignature> {
        let signature = chart::signature(self.conn(), visit.id).await?;
        let signature = signature.ok_or_else(|| StoreError::refused("unsigned", "The note is not signed yet."))?;
        let row = NoteCosignature {
            visit_id: visit.id,
            signed_at: self.now,
            signed_by: self.actor.name.clone(),
            signer_id: signer,
            digest: signature.digest,
        };
        let n = diesel::insert_into(c::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 0 {
            return Err(StoreError::refused("cosigned", "The note is co-signed already."));
        }
        self.audit("co-signed", "note", visit.id, Some(visit.person_id), row.digest.clone());
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    /// Strikes a note that was written in error: it stays readable, and nobody writes in it any more.
    pub async fn strike_note(&mut self, visit: &Visit, reason: &str) -> Result<StruckNote> {
        let row = StruckNote {
            visit_id: visit.id,
            struck_at: self.now,
            struck_by: self.actor.name.clone(),
            reason: reason.to_owned(),
        };
        let n = diesel::insert_into(s::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 0 {
            return Err(StoreError::refused("note_struck", "The note is struck already."));
        }
        self.audit("struck", "note", visit.id, Some(visit.person_id), reason);
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }
}
