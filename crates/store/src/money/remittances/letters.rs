//! Payers' decisions on paper: the scan is kept as work until somebody has typed it off, and is the paper of what was posted.

use super::Posted;
use super::ours::Ours;
use crate::rows::{Claim, Document, StrayAnswer, Visit};
use crate::schema::{claims, people, stray_answers, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::ClaimState;
use harbor_core::money::remittance as core;
use harbor_core::money::remittance::matching::KnownClaim;
use uuid::Uuid;

/// The kind of such a document, and of the work that it is.
pub const LETTER: &str = "letter";

/// A claim that a letter may be about.
pub struct LetterKnown {
    pub claim: Claim,
    pub visit: Visit,
    pub known: KnownClaim,
}

/// The claims under these numbers, with the lines that they were sent with.
pub async fn known_by_number(conn: &mut Conn, numbers: &[&str]) -> Result<Vec<LetterKnown>> {
    let ours = Ours::of_numbers(conn, numbers).await?;
    let of = |number: &&str| {
        let (claim, visit) = ours.claim(number)?.clone();
        let known = ours.known().find(|k| k.number == **number)?.clone();
        Some(LetterKnown { claim, visit, known })
    };
    Ok(numbers.iter().filter_map(of).collect())
}

/// Claims that went to a payer and whose number or patient begins so, the newest first.
pub async fn claims_to_decide(conn: &mut Conn, payer: Uuid, words: &str, most: i64) -> Result<Vec<LetterKnown>> {
    let went = [ClaimState::Sent, ClaimState::Accepted, ClaimState::Paid, ClaimState::Denied].map(|s| s.code());
    let words = words.trim().to_lowercase();
    let begins = format!("{}%", words.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"));
    let found: Vec<String> = claims::table
        .inner_join(visits::table)
        .inner_join(people::table.on(people::id.eq(visits::person_id)))
        .filter(claims::payer_id.eq(payer).and(claims::state.eq_any(went)))
        .filter(claims::number.ilike(begins.clone()).or(people::last_name.ilike(begins)))
        .order((claims::made_at.desc(), claims::id))
        .limit(most)
        .select(claims::number)
        .load(conn)
        .await?;
    let numbers: Vec<&str> = found.iter().map(String::as_str).collect();
    known_by_number(conn, &numbers).await
}

/// The scan of a letter.
pub async fn letter(conn: &mut Conn, id: Uuid) -> Result<Document> {
    let document = crate::claims::document(conn, id).await?;
    if document.kind == LETTER { Ok(document) } else { Err(StoreError::NotFound("letter")) }
}

/// Which of these documents are scans of letters.
pub async fn letters_among(conn: &mut Conn, documents: &[Uuid]) -> Result<Vec<Uuid>> {
    use crate::schema::documents as d;
    Ok(d::table.filter(d::id.eq_any(documents).and(d::kind.eq(LETTER))).select(d::id).load(conn).await?)
}

/// The letters that nobody has typed off yet, the oldest first.
pub async fn waiting(conn: &mut Conn) -> Result<Vec<StrayAnswer>> {
    let mut open = crate::claims::stray::open(conn).await?;
    open.retain(|a| a.kind == LETTER);
    Ok(open)
}

impl Change<'_> {
    /// Keeps the scan of a letter. The same scan once more is the same letter.
    pub async fn keep_letter(&mut self, scan: &[u8]) -> Result<Uuid> {
        let (id, new) = self.keep_document(LETTER, "in", scan).await?;
        if new {
            self.keep_stray_answer(id, LETTER, "A payer's letter waits to be entered.".into()).await?;
        } else {
            self.give_up();
        }
        Ok(id)
    }

    /// Posts what a letter says, as a remittance whose paper it is.
    pub async fn post_letter(&mut self, document: Uuid, r: &core::Remittance) -> Result<Posted> {
        letter(self.conn(), document).await?;
        let posted = self.post_remittance(document, r, 0).await?;
        if !posted.now {
            let sentence = format!("{} {} was posted before; nothing is posted again.", r.payer_name, r.trace);
            return Err(StoreError::refused("posted-before", sentence));
        }
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(stray_answers::table.filter(stray_answers::document_id.eq(document)))
            .filter(stray_answers::seen_at.is_null())
            .set((stray_answers::seen_at.eq(now), stray_answers::seen_by.eq(by)))
            .execute(self.conn())
            .await?;
        self.tell(Topic::Batch, document);
        Ok(posted)
    }
}
