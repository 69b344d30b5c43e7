//! Claims, batches and the files that went out and came in.

pub mod accidents;
mod facts;
pub mod stray;
pub mod work_list;

pub use facts::facts;

use crate::codes::Code;
use crate::jobs::JobKind;
use crate::rows::{Batch, Claim, Document};
use crate::schema::{batches, claim_events, claims, documents};
use crate::{Change, Conn, Result, StoreError, Topic, codes};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::chain::Version;
use harbor_core::claims::{BatchState, ClaimEvent, ClaimState, Frequency};
use harbor_core::visit_line::Mark;
use sha2::{Digest, Sha256};
use uuid::Uuid;

/// A claim that is to be made.
#[derive(Debug, Clone)]
pub(crate) struct NewClaim {
    pub visit: Uuid,
    pub person: Uuid,
    pub coverage: Uuid,
    pub payer: Uuid,
    pub total_cents: i64,
    pub frequency: Frequency,
    /// The version whose place it takes.
    pub replaces: Option<Uuid>,
    /// Said of it at first, where it is not that charges were completed.
    pub why: Option<String>,
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Claim> {
    claims::table.find(id).select(Claim::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("claim"))
}

pub async fn many(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Claim>> {
    Ok(claims::table.filter(claims::id.eq_any(ids)).order(claims::number).select(Claim::as_select()).load(conn).await?)
}

pub async fn by_number(conn: &mut Conn, number: &str) -> Result<Option<Claim>> {
    Ok(claims::table.filter(claims::number.eq(number)).select(Claim::as_select()).first(conn).await.optional()?)
}

pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Claim>> {
    Ok(claims::table
        .filter(claims::visit_id.eq_any(visits))
        .order((claims::made_at, claims::id))
        .select(Claim::as_select())
        .load(conn)
        .await?)
}

/// What happened to a claim, oldest first.
pub async fn events(conn: &mut Conn, claim: Uuid) -> Result<Vec<(DateTime<Utc>, codes::ClaimState, String)>> {
    use claim_events as e;
    Ok(e::table.filter(e::claim_id.eq(claim)).order(e::id).select((e::at, e::state, e::sentence)).load(conn).await?)
}

pub async fn batches(conn: &mut Conn) -> Result<Vec<Batch>> {
    Ok(batches::table.order(batches::control.desc()).limit(100).select(Batch::as_select()).load(conn).await?)
}

pub async fn batch(conn: &mut Conn, id: Uuid) -> Result<Batch> {
    batches::table
        .find(id)
        .select(Batch::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("batch"))
}

pub async fn batch_by_control(conn: &mut Conn, control: i64) -> Result<Option<Batch>> {
    Ok(batches::table.filter(batches::control.eq(control)).select(Batch::as_select()).first(conn).await.optional()?)
}

pub async fn document(conn: &mut Conn, id: Uuid) -> Result<Document> {
    documents::table
        .find(id)
        .select(Document::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("file"))
}

/// The people whose claims or decisions a file holds.
pub async fn people_in(conn: &mut Conn, documents: &[Uuid]) -> Result<Vec<Uuid>> {
    use crate::schema::{remittances, remitted_claims as d, visits as v};
    let sent = batches::table
        .inner_join(claims::table.on(claims::batch_id.eq(batches::id.nullable())))
        .inner_join(v::table.on(v::id.eq(claims::visit_id)))
        .filter(batches::document_id.eq_any(documents))
        .select(v::person_id);
    let mut people: Vec<Uuid> = sent.load(conn).await?;
    let decided = remittances::table
        .inner_join(d::table.on(d::remittance_id.eq(remittances::id)))
        .inner_join(claims::table.on(d::claim_id.eq(claims::id.nullable())))
        .inner_join(v::table.on(v::id.eq(claims::visit_id)))
        .filter(remittances::document_id.eq_any(documents))
        .select(v::person_id);
    people.extend(decided.load::<Uuid>(conn).await?);
    let letters = {
        use crate::schema::{denial_events as e, denials as n};
        n::table
            .inner_join(e::table.on(e::denial_id.eq(n::id)))
            .inner_join(v::table.on(v::id.eq(n::visit_id)))
            .filter(e::document_id.eq_any(documents))
            .select(v::person_id)
    };
    people.extend(letters.load::<Uuid>(conn).await?);
    people.sort_unstable();
    people.dedup();
    Ok(people)
}

/// The next control number of an interchange, whatever is in it: none is used twice to one receiver.
pub async fn next_control(conn: &mut Conn) -> Result<i64> {
    crate::people::next(conn, "interchange_controls").await
}

pub fn digest(content: &[u8]) -> String {
    Sha256::digest(content).iter().map(|b| format!("{b:02x}")).collect()
}

impl Claim {
    /// As one of the versions of its visit's claims.
    pub(crate) fn version(&self) -> Version<Uuid, Uuid> {
        Version {
            id: self.id,
            payer: self.payer_id,
            frequency: *self.frequency,
            state: *self.state,
            numbered: !self.payer_claim_number.is_empty(),
            replaces: self.replaces_id,
        }
    }
}

impl Change<'_> {
    /// Keeps a file byte for byte. The second value is false when the very same file was here before.
    pub async fn keep_document(&mut self, kind: &str, direction: &str, content: &[u8]) -> Result<(Uuid, bool)> {
        use documents as d;
        let row = Document {
            id: Uuid::now_v7(),
            kind: kind.into(),
            direction: direction.into(),
            sha256: digest(content),
            content: content.to_vec(),
            at: self.now,
        };
        let n = diesel::insert_into(d::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 1 {
            self.audit("kept file", "document", row.id, None, format!("{direction} {kind} {}", row.sha256));
            return Ok((row.id, true));
        }
        let id = d::table
            .filter(d::direction.eq(direction).and(d::kind.eq(kind)).and(d::sha256.eq(&row.sha256)))
            .select(d::id)
            .first(self.conn())
            .await?;
        Ok((id, false))
    }

    pub(crate) async fn add_claim(&mut self, new: NewClaim) -> Result<Claim> {
        let number = crate::people::next(self.conn(), "claim_numbers").await?;
        let row = Claim {
            id: Uuid::now_v7(),
            number: format!("C{number}"),
            visit_id: new.visit,
            coverage_id: new.coverage,
            payer_id: new.payer,
            state: ClaimState::Ready.into(),
            frequency: new.frequency.into(),
            original_reference: None,
            payer_claim_number: String::new(),
            total_cents: new.total_cents,
            batch_id: None,
            reasons: vec![],
            made_at: self.now,
            replaces_id: new.replaces,
        };
        diesel::insert_into(claims::table).values(&row).execute(self.conn()).await?;
        let said = match new.replaces {
            None => new.why.unwrap_or_else(|| "Charges completed; the claim is ready.".to_owned()),
            Some(before) => {
                let before = get(self.conn(), before).await?;
                let what = match new.frequency {
                    Frequency::Void => "voids",
                    Frequency::Replacement => "replaces",
                    Frequency::Original => "goes after",
                };
                let why = new.why.unwrap_or_else(|| "Charged again.".to_owned());
                let said = format!("{why} It {what} {}.", before.number);
                let told = format!("{why} {} {what} it once it is accepted.", row.number);
                self.note_claim(&before, *before.state, &told).await?;
                self.tell(Topic::Claim, before.id);
                said
            }
        };
        self.note_claim(&row, ClaimState::Ready, &said).await?;
        if new.frequency == Frequency::Replacement {
            self.denials_were_corrected(row.visit_id, row.payer_id, &row.number).await?;
        }
        self.audit("made", "claim", row.id, Some(new.person), row.number.clone());
        self.tell(Topic::Claim, row.id);
        Ok(row)
    }

    async fn note_claim(&mut self, claim: &Claim, state: ClaimState, sentence: &str) -> Result<()> {
        use claim_events as e;
        let now = self.now;
        diesel::insert_into(e::table)
            .values((e::claim_id.eq(claim.id), e::at.eq(now), e::state.eq(Code(state)), e::sentence.eq(sentence)))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Tells something beside the claims of a visit; they stay as they are, and who bills decides.
    pub async fn tell_beside_claims(&mut self, visit: Uuid, sentence: &str) -> Result<()> {
        for claim in of_visits(self.conn(), &[visit]).await? {
            self.note_claim(&claim, *claim.state, sentence).await?;
            self.tell(Topic::Claim, claim.id);
        }
        Ok(())
    }

    /// Tells something of one claim, which stays as it is.
    pub async fn tell_of_claim(&mut self, id: Uuid, sentence: &str) -> Result<()> {
        let claim = get(self.conn(), id).await?;
        self.note_claim(&claim, *claim.state, sentence).await?;
        self.tell(Topic::Claim, id);
        Ok(())
    }

    /// Moves a claim by an event; what the state does not allow is noted and changes nothing.
    pub async fn claim_happened(
        &mut self,
        id: Uuid,
        event: ClaimEvent,
        sentence: &str,
        reasons: &[String],
    ) -> Result<ClaimState> {
        let claim: Claim = claims::table
            .find(id)
            .for_update()
            .select(Claim::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("claim"))?;
        let from = *claim.state;
        let to = match from.after(event) {
            Ok(to) => to,
            Err(refusal) => {
                self.note_claim(&claim, from, &format!("{sentence} ({refusal})")).await?;
                return Ok(from);
            }
        };
        diesel::update(claims::table.find(id))
            .set((claims::state.eq(to.code()), claims::reasons.eq(reasons)))
            .execute(self.conn())
            .await?;
        self.note_claim(&claim, to, sentence).await?;
        self.versions_follow(&claim, event, to).await?;
        let is_at_payer = |s| matches!(s, ClaimState::Accepted | ClaimState::Paid | ClaimState::Denied);
        // Of a claim that voids another, or of which a later version was taken, the visit is not claimed anew.
        let moves = *claim.frequency != Frequency::Void && event != ClaimEvent::Superseded;
        match (is_at_payer(from), is_at_payer(to)) {
            (false, true) if moves => self.reach_now(claim.visit_id, Mark::Claimed).await?,
            (true, false) if moves => self.take_back(claim.visit_id, Mark::Claimed).await?,
            _ => {}
        }
        self.audit("claim", "claim", id, None, format!("{} → {}: {sentence}", from.code(), to.code()));
        self.tell(Topic::Claim, id);
        self.tell(Topic::Visit, claim.visit_id);
        Ok(to)
    }

    /// What a claim's event means for the other versions: once the payer took one, the one before is void; and of one that was
    /// never taken nothing is replaced or voided.
    async fn versions_follow(&mut self, claim: &Claim, event: ClaimEvent, to: ClaimState) -> Result<()> {
        if let Some(before) = claim.replaces_id.filter(|_| event == ClaimEvent::Accepted) {
            let said = match *claim.frequency {
                Frequency::Void => format!("Voided by {}, which was accepted.", claim.number),
                _ => format!("Replaced by {}, which was accepted.", claim.number),
            };
            // It is told more than once that a claim was accepted; and one that went after a void replaces nothing.
            let earlier = get(self.conn(), before).await?;
            if earlier.state != ClaimState::Void && *earlier.frequency != Frequency::Void {
                Box::pin(self.claim_happened(before, ClaimEvent::Superseded, &said, &[])).await?;
            }
        }
        if to != ClaimState::Rejected || !claim.payer_claim_number.is_empty() {
            return Ok(());
        }
        let waiting: Option<Claim> = claims::table
            .filter(claims::replaces_id.eq(claim.id).and(claims::state.eq(ClaimState::Ready.code())))
            .select(Claim::as_select())
            .first(self.conn())
            .await
            .optional()?;
        let Some(next) = waiting else { return Ok(()) };
        let said = format!("{} was never taken", claim.number);
        if *claim.frequency == Frequency::Void {
            // The one that should be void stands at the payer all the same: what waited replaces it.
            let said = format!("{} was refused, which voids the one before; this replaces that.", claim.number);
            Box::pin(self.claim_happened(claim.id, ClaimEvent::Withdrawn, "Refused; replaced instead.", &[])).await?;
            diesel::update(claims::table.find(next.id))
                .set((claims::frequency.eq(Frequency::Replacement.code()), claims::replaces_id.eq(claim.replaces_id)))
                .execute(self.conn())
                .await?;
            self.note_claim(&next, ClaimState::Ready, &said).await?;
        } else if *next.frequency == Frequency::Void {
            let said = format!("{said}; there is nothing to void.");
            Box::pin(self.claim_happened(next.id, ClaimEvent::Withdrawn, &said, &[])).await?;
            let said = "Never taken, and not wanted any more.";
            Box::pin(self.claim_happened(claim.id, ClaimEvent::Withdrawn, said, &[])).await?;
        } else {
            diesel::update(claims::table.find(next.id))
                .set((claims::frequency.eq(Frequency::Original.code()), claims::replaces_id.eq(None::<Uuid>)))
                .execute(self.conn())
                .await?;
            self.note_claim(&next, ClaimState::Ready, &format!("{said}; this is the first.")).await?;
            let said = format!("{} takes its place.", next.number);
            Box::pin(self.claim_happened(claim.id, ClaimEvent::Withdrawn, &said, &[])).await?;
        }
        Ok(())
    }

    pub async fn set_payer_claim_number(&mut self, id: Uuid, number: &str) -> Result<()> {
        diesel::update(claims::table.find(id)).set(claims::payer_claim_number.eq(number)).execute(self.conn()).await?;
        Ok(())
    }

    /// Puts claims into a batch that is being sent; only those that are ready, all or none.
    pub async fn add_batch(&mut self, control: i64, document: Uuid, ids: &[Uuid], total_cents: i64) -> Result<Batch> {
        let row = Batch {
            id: Uuid::now_v7(),
            control,
            document_id: document,
            state: BatchState::Sending.into(),
            claims: i32::try_from(ids.len()).unwrap_or(i32::MAX),
            total_cents,
            made_at: self.now,
            made_by: self.actor.name.clone(),
            answer: String::new(),
        };
        diesel::insert_into(batches::table).values(&row).execute(self.conn()).await?;
        let n = diesel::update(claims::table.filter(claims::id.eq_any(ids).and(claims::state.eq("ready"))))
            .set(claims::batch_id.eq(row.id))
            .execute(self.conn())
            .await?;
        if n != ids.len() {
            return Err(StoreError::refused(
                "not-ready",
                "Some of these claims were sent in the meantime; look at the list again.",
            ));
        }
        for id in ids {
            self.claim_happened(*id, ClaimEvent::Sent, &format!("Put into batch {control}."), &[]).await?;
        }
        self.add_job(JobKind::SendBatch, row.id).await?;
        self.audit("made", "batch", row.id, None, format!("{control}, {n} claims"));
        self.tell(Topic::Batch, row.id);
        Ok(row)
    }

    pub async fn batch_became(&mut self, id: Uuid, state: BatchState, answer: &str) -> Result<()> {
        diesel::update(batches::table.find(id))
            .set((batches::state.eq(Code(state)), batches::answer.eq(answer)))
            .execute(self.conn())
            .await?;
        self.audit("batch", "batch", id, None, format!("{} {answer}", state.code()));
        self.tell(Topic::Batch, id);
        Ok(())
    }

    /// The claims of a batch.
    pub async fn claims_of_batch(&mut self, batch: Uuid) -> Result<Vec<Uuid>> {
        Ok(claims::table.filter(claims::batch_id.eq(batch)).select(claims::id).load(self.conn()).await?)
    }
}
