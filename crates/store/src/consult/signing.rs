//! Signing a note: what was written, and what stood beside it (diagnoses, measurements, orders, prescriptions, the lists and
//! histories), are fixed under one digest. What is changed of them later is told in an addendum; the database refuses it otherwise.

use super::notes::{self, PartAt};
use super::{chart, heads, histories, questionnaires, runs, signed_parts};
use crate::rows::*;
use crate::schema::{addenda, measurements, note_parts, note_signatures};
use crate::{Change, Conn, Result, StoreError, Topic, orders, prescribing};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::visit_line::Mark;
use sha2::{Digest, Sha256};
use std::fmt::Write;
use uuid::Uuid;

/// What stands beside the words of a note when it is signed.
#[derive(Debug, Default)]
pub struct Beside {
    pub head: Option<NoteHead>,
    pub runs: Vec<NoteRun>,
    pub measured: Vec<Measurement>,
    pub orders: Vec<Order>,
    pub links: Vec<OrderDiagnosis>,
    pub prescriptions: Vec<Prescription>,
    pub allergies: Vec<Allergy>,
    pub medicines: Vec<Medicine>,
    pub problems: Vec<ListedProblem>,
    pub none_known: Vec<NoneKnown>,
    pub histories: Vec<History>,
    pub answers: Vec<QuestionnaireResponse>,
    /// Signatures under single parts, and what was added to those before the note as a whole was signed.
    pub signed_parts: Vec<PartSignature>,
    pub addenda: Vec<Addendum>,
}

impl Beside {
    async fn of(conn: &mut Conn, visit: &Visit) -> Result<Beside> {
        let person = visit.person_id;
        Ok(Beside {
            head: heads::head(conn, visit.id).await?,
            runs: runs::runs_of(conn, visit.id).await?,
            measured: measured_at(conn, visit.id).await?,
            orders: orders::of_visits(conn, &[visit.id]).await?,
            links: orders::links(conn, &[visit.id]).await?,
            prescriptions: prescribing::of_visits(conn, &[visit.id]).await?,
            allergies: chart::allergies_of(conn, person).await?,
            medicines: chart::medicines_of(conn, person).await?,
            problems: chart::problems_of(conn, person).await?,
            none_known: chart::none_known_of(conn, person).await?,
            histories: histories::of_person(conn, person).await?,
            answers: questionnaires::of_visit(conn, visit.id).await?.into_iter().map(|a| a.response).collect(),
            signed_parts: signed_parts::of_visit(conn, visit.id).await?,
            addenda: chart::addenda_of(conn, visit.id).await?,
        })
    }

    /// As lines of text in one order: a line for each thing, so that a signature tells what it was of.
    pub fn in_words(mut self) -> String {
        let mut text = String::new();
        if let Some(head) = &self.head {
            let supervising = head.supervising_id.map_or_else(|| "nobody".to_owned(), |id| id.to_string());
            let minutes = head.minutes.map_or_else(|| "no".to_owned(), |n| n.to_string());
            let _ = writeln!(text, "supervised by {supervising}, {minutes} minutes");
        }
        self.runs.sort_by_key(|r| r.position);
        let coded = self.runs.iter().filter_map(|r| Some((r.code.as_ref()?, &r.title)));
        for (position, (code, title)) in (1..).zip(coded) {
            let _ = writeln!(text, "diagnosis {position} {code} {title}");
        }
        for run in self.runs.iter().filter(|r| r.code.is_none()) {
            let _ = writeln!(text, "in words: {}", run.title);
        }
        self.measured.retain(|m| m.struck_at.is_none());
        self.measured.sort_by_key(|m| m.id);
        for m in &self.measured {
            let (code, tenths, at, by) = (m.measure.code(), m.tenths, m.taken_at.to_rfc3339(), &m.taken_by);
            let _ = writeln!(text, "measurement {code} {tenths} {at} by {by}");
        }
        for o in &self.orders {
            let under: Vec<&str> = self.links.iter().filter(|l| l.order_id == o.id).map(|l| l.code.as_str()).collect();
            let _ = writeln!(text, "order {} {} {}", o.test_code, o.state.code(), under.join(" "));
        }
        for p in &self.prescriptions {
            let under = p.diagnosis.as_deref().unwrap_or("-");
            let (dose, a_day, days, state) = (p.dose, p.per_day, p.days, p.state.code());
            let _ = writeln!(text, "prescription {} {dose} x {a_day} x {days} {under} {state}", p.product_code);
        }
        for n in &self.none_known {
            let _ = writeln!(text, "none known: {}", n.list.code());
        }
        for a in &self.allergies {
            let severity = a.severity.map_or("", |s| s.code());
            let _ = writeln!(text, "allergy {} {} {severity} {}", a.substance, a.reaction, a.kind.code());
        }
        for m in &self.medicines {
            let _ = writeln!(text, "medicine {} {} {}", m.name, m.how, m.state.code());
        }
        for p in &self.problems {
            let called = if p.code.is_empty() { &p.title } else { &p.code };
            let _ = writeln!(text, "problem {called} {}", p.state.code());
        }
        for h in &self.histories {
            let detail = serde_json::to_string(&h.detail.0).unwrap_or_default();
            let _ = writeln!(text, "history {} {detail}", h.kind.code());
        }
        for a in &self.answers {
            let answers = serde_json::to_string(&a.answers.0).unwrap_or_default();
            let _ = writeln!(text, "questionnaire {} {} {answers}", a.entry, a.entry_version);
        }
        for s in &self.signed_parts {
            let _ = writeln!(text, "part signed by {} at {}: {}", s.signed_by, s.signed_at.to_rfc3339(), s.digest);
        }
        for a in &self.addenda {
            let _ = writeln!(text, "addendum by {} at {}: {}", a.added_by, a.added_at.to_rfc3339(), a.body);
        }
        text
    }
}

/// SHA-256 over every part by its run and its code, and over the facts that stood beside them.
pub fn digest(parts: &[WrittenPart], facts: &str) -> String {
    let mut parts: Vec<&WrittenPart> = parts.iter().collect();
    parts.sort_by_key(|p| (p.run_id, p.part.code()));
    let mut hash = Sha256::new();
    for p in parts {
        if let Some(run) = p.run_id {
            hash.update(run.as_bytes());
        }
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

/// How many notes are signed.
pub async fn signed_notes(conn: &mut Conn) -> Result<i64> {
    Ok(note_signatures::table.count().get_result(conn).await?)
}

/// The notes whose words are not those that were signed, as a whole or part by part; none, if all is well.
pub async fn broken_signatures(conn: &mut Conn) -> Result<Vec<Uuid>> {
    use crate::schema::note_parts as p;
    let signed: Vec<NoteSignature> = note_signatures::table.select(NoteSignature::as_select()).load(conn).await?;
    let mut broken = signed_parts::broken(conn).await?;
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
    broken.sort_unstable();
    broken.dedup();
    Ok(broken)
}

/// A part of a note in the version that the signer saw.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Seen {
    pub at: PartAt,
    pub version: i32,
}

impl Change<'_> {
    /// Signs a note as its signer saw it: from now on the database refuses any change to its parts. The visit is
    /// locked, as it is by whoever saves a part.
    pub async fn sign_note(&mut self, visit: &Visit, seen: &[Seen]) -> Result<NoteSignature> {
        let mut parts = notes::parts(self.conn(), visit.id).await?;
        let mut stand: Vec<Seen> = parts.iter().map(|p| Seen { at: p.place(), version: p.version }).collect();
        let mut seen = seen.to_vec();
        stand.sort();
        seen.sort();
        if stand != seen {
            return Err(StoreError::Stale { current: serde_json::to_value(&parts).unwrap_or_default() });
        }
        // An emptied part says nothing, and is not signed.
        let empty: Vec<Uuid> = parts.extract_if(.., |p| p.body.is_empty()).map(|p| p.id).collect();
        diesel::delete(note_parts::table.filter(note_parts::id.eq_any(empty))).execute(self.conn()).await?;
        let facts = Beside::of(self.conn(), visit).await?.in_words();
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
