//! Signing a note: what was written, and the diagnoses and measurements that stood beside it, are fixed under one
//! digest. What is changed of them later is told in an addendum; the database refuses it otherwise.

use crate::consult::chart;
use crate::rows::*;
use crate::schema::{addenda, measurements, note_signatures};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::visit_line::Mark;
use sha2::{Digest, Sha256};
use std::fmt::Write;
use uuid::Uuid;

/// The diagnoses and measurements of a visit as lines of text, in one order.
pub fn facts_in_words(diagnoses: &[VisitDiagnosis], measured: &[Measurement]) -> String {
    let mut listed: Vec<&VisitDiagnosis> = diagnoses.iter().collect();
    listed.sort_by_key(|d| d.position);
    let mut text = String::new();
    for d in listed {
        let _ = writeln!(text, "diagnosis {} {} {}", d.position, d.code, d.title);
    }
    let mut standing: Vec<&Measurement> = measured.iter().filter(|m| m.struck_at.is_none()).collect();
    standing.sort_by_key(|m| m.id);
    for m in standing {
        let _ = writeln!(
            text,
            "measurement {} {} {} by {}",
            m.measure.code(),
            m.tenths,
            m.taken_at.to_rfc3339(),
            m.taken_by
        );
    }
    text
}

/// SHA-256 over every part by its code, and over the facts that stood beside them.
pub fn digest(parts: &[WrittenPart], facts: &str) -> String {
    let mut parts: Vec<&WrittenPart> = parts.iter().collect();
    parts.sort_by_key(|p| p.part.code());
    let mut hash = Sha256::new();
    for p in parts {
        hash.update(p.part.code().as_bytes());
        hash.update([0]);
        hash.update(p.body.as_bytes());
        hash.update([0]);
    }
    hash.update(facts.as_bytes());
    hash.finalize().iter().map(|b| format!("{b:02x}")).collect()
}

async fn measured_at(conn: &mut Conn, visit: Uuid) -> Result<Vec<Measurement>> {
    use measurements as m;
    Ok(m::table.filter(m::visit_id.eq(visit)).select(Measurement::as_select()).load(conn).await?)
}

/// The signed notes whose words are not those that were signed; none, if all is well.
pub async fn broken_signatures(conn: &mut Conn) -> Result<Vec<Uuid>> {
    use crate::schema::note_parts as p;
    let signed: Vec<NoteSignature> = note_signatures::table.select(NoteSignature::as_select()).load(conn).await?;
    let mut broken = Vec::new();
    for chunk in signed.chunks(500) {
        let ids: Vec<Uuid> = chunk.iter().map(|s| s.visit_id).collect();
        let parts: Vec<WrittenPart> =
            p::table.filter(p::visit_id.eq_any(&ids)).select(WrittenPart::as_select()).load(conn).await?;
        for s in chunk {
            let own: Vec<WrittenPart> = parts.iter().filter(|p| p.visit_id == s.visit_id).cloned().collect();
            if digest(&own, &s.facts) != s.digest {
                broken.push(s.visit_id);
            }
        }
    }
    Ok(broken)
}

/// A part of a note in the version that the signer saw.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Seen {
    pub part: harbor_core::consult::NotePart,
    pub version: i32,
}

impl Change<'_> {
    /// Signs a note as its signer saw it: from now on the database refuses any change to its parts. The visit is
    /// locked, as it is by whoever saves a part.
    pub async fn sign_note(&mut self, visit: &Visit, seen: &[Seen]) -> Result<NoteSignature> {
        let parts = chart::parts(self.conn(), visit.id).await?;
        let mut stand: Vec<Seen> = parts.iter().map(|p| Seen { part: *p.part, version: p.version }).collect();
        let mut seen = seen.to_vec();
        stand.sort();
        seen.sort();
        if stand != seen {
            return Err(StoreError::Stale { current: serde_json::to_value(&parts).unwrap_or_default() });
        }
        let diagnoses = chart::diagnoses_of(self.conn(), visit.id).await?;
        let facts = facts_in_words(&diagnoses, &measured_at(self.conn(), visit.id).await?);
        let row = NoteSignature {
            visit_id: visit.id,
            signed_at: self.now,
            signed_by: self.actor.name.clone(),
            digest: digest(&parts, &facts),
            facts,
        };
        let n = diesel::insert_into(note_signatures::table)
            .values(&row)
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("note_signed", "The note is signed already."));
        }
        self.reach_now(visit.id, Mark::Signed).await?;
        self.audit("signed", "note", visit.id, Some(visit.person_id), row.digest.clone());
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    pub async fn add_addendum(&mut self, visit: &Visit, body: &str) -> Result<Addendum> {
        let row = Addendum {
            id: Uuid::now_v7(),
            visit_id: visit.id,
            body: body.into(),
            added_at: self.now,
            added_by: self.actor.name.clone(),
        };
        diesel::insert_into(addenda::table).values(&row).execute(self.conn()).await?;
        self.audit("added addendum", "note", visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    /// Tells in an addendum what was changed beside a signed note; beside an unsigned one there is nothing to tell.
    pub(crate) async fn tell_beside_note(&mut self, visit: &Visit, sentence: String) -> Result<()> {
        if chart::signature(self.conn(), visit.id).await?.is_some() {
            self.add_addendum(visit, &sentence).await?;
        }
        Ok(())
    }
}
