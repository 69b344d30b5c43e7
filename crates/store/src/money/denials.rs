//! Denial work: raised by a payer's decision, until it is paid after all, passed on, or given up.

pub mod rates;

use super::ledger::{About, open_at_payer};
use super::remittances::{Found, next_policy};
use crate::codes::Code;
use crate::documents::{DeniedPart, Doc};
use crate::house::staff;
use crate::rows::{Claim, Denial, DenialEvent, Remittance, RemittedClaim, Visit};
use crate::schema::{denial_events as ev, denials as d, payers, remitted_claims as rc};
use crate::visit_line::visits;
use crate::{Change, Conn, Result, StoreError, Topic, claims};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::house::permissions::Role;
use harbor_core::money::denials::{
    Deadlines, DenialState, DeniedAmount, GiveUp, GiveUpRefusal, answered, answers, due, give_up, may_bill_patient,
};
use harbor_core::money::ledger::{Posting, Transaction, given_up, passed_on, to_patient};
use harbor_core::money::{Cents, remittance as core};
use std::collections::HashMap;
use uuid::Uuid;

/// What is looked for; what is nothing is not asked.
#[derive(Debug, Clone, Default)]
pub struct Sought {
    pub live: bool,
    pub payer: Option<Uuid>,
    pub owner: Option<Uuid>,
    /// The last one of the page before.
    pub after: Option<Uuid>,
}

/// A page of the denials: those to be worked on by the day on which something is due, those without one last; the others by when
/// they ended, the latest first.
pub async fn page(conn: &mut Conn, s: &Sought, limit: i64) -> Result<Vec<Denial>> {
    let mut q = d::table.into_boxed();
    q = if s.live { q.filter(d::ended_at.is_null()) } else { q.filter(d::ended_at.is_not_null()) };
    if let Some(payer) = s.payer {
        q = q.filter(d::payer_id.eq(payer));
    }
    if let Some(owner) = s.owner {
        q = q.filter(d::owner_id.eq(owner));
    }
    if let Some(after) = s.after {
        let last = get(conn, after).await?;
        q = match (s.live, last.due_on, last.ended_at) {
            (true, Some(due), _) => {
                let later = d::due_on.gt(due).or(d::due_on.eq(due).and(d::id.gt(after)));
                q.filter(later.assume_not_null().or(d::due_on.is_null()))
            }
            (true, None, _) => q.filter(d::due_on.is_null().and(d::id.gt(after))),
            (false, _, Some(ended)) => {
                q.filter(d::ended_at.lt(ended).or(d::ended_at.eq(ended).and(d::id.lt(after))).assume_not_null())
            }
            (false, _, None) => q,
        };
    }
    let q = if s.live {
        q.order((d::due_on.asc().nulls_last(), d::id.asc()))
    } else {
        q.order((d::ended_at.desc(), d::id.desc()))
    };
    Ok(q.limit(limit).select(Denial::as_select()).load(conn).await?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Denial> {
    let found = d::table.find(id).select(Denial::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("denial"))
}

/// What happened to a denial, oldest first.
pub async fn events(conn: &mut Conn, id: Uuid) -> Result<Vec<DenialEvent>> {
    Ok(ev::table.filter(ev::denial_id.eq(id)).order(ev::id).select(DenialEvent::as_select()).load(conn).await?)
}

/// The decisions that these were raised by.
pub async fn decisions(conn: &mut Conn, rows: &[Denial]) -> Result<HashMap<Uuid, RemittedClaim>> {
    let ids: Vec<Uuid> = rows.iter().map(|r| r.remitted_claim_id).collect();
    let found: Vec<RemittedClaim> =
        rc::table.filter(rc::id.eq_any(ids)).select(RemittedClaim::as_select()).load(conn).await?;
    Ok(found.into_iter().map(|r| (r.id, r)).collect())
}

/// How many are to be worked on.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Due {
    /// By the day that was asked for, or past.
    pub soon: i64,
    /// Without any day.
    pub undated: i64,
    /// Others want to give them up, and somebody must agree.
    pub to_agree: i64,
}

/// What waits of the denials by a day, for one who works here.
pub async fn waiting(conn: &mut Conn, by: NaiveDate, who: Uuid) -> Result<Due> {
    let live = || d::table.filter(d::ended_at.is_null());
    let by_others = d::wanted_by.is_not_null().and(d::wanted_by.ne(who).assume_not_null());
    let undated = d::due_on.is_null().and(d::state.eq(Code(DenialState::Open)));
    Ok(Due {
        soon: live().filter(d::due_on.le(by).assume_not_null()).count().get_result(conn).await?,
        undated: live().filter(undated).count().get_result(conn).await?,
        to_agree: live().filter(by_others).count().get_result(conn).await?,
    })
}

/// Why something is not given up by the one who asks.
pub(super) fn not_alone(why: GiveUpRefusal) -> StoreError {
    let code = match why {
        GiveUpRefusal::SamePerson => "same-person",
        GiveUpRefusal::TooMuch => "too-much",
    };
    StoreError::refused(code, why.to_string())
}

impl Denial {
    pub fn denied(&self) -> Vec<DeniedAmount> {
        let one = |p: &DeniedPart| DeniedAmount {
            line: p.line,
            group: *p.group,
            reason: p.reason.as_str().into(),
            amount: Cents::new(p.cents),
        };
        self.amounts.iter().map(one).collect()
    }
}

/// What of a denial is still open against its payer.
pub async fn still_open(conn: &mut Conn, row: &Denial) -> Result<Cents> {
    let open = open_at_payer(conn, row.visit_id, row.payer_id).await?;
    Ok(open.min(Cents::new(row.cents)).max(Cents::ZERO))
}

/// Why the patient cannot be billed for a denial; nothing where they can.
pub async fn not_the_patients(conn: &mut Conn, row: &Denial) -> Result<Option<&'static str>> {
    let filing: String = payers::table.find(row.payer_id).select(payers::filing_code).first(conn).await?;
    Ok(may_bill_patient(&row.denied(), &filing).err())
}

/// The payer that is asked next, where the person had another policy on the day.
pub async fn next_payer(conn: &mut Conn, row: &Denial) -> Result<Option<String>> {
    let claim = claims::get(conn, row.claim_id).await?;
    let visit = visits::get(conn, row.visit_id).await?;
    let Some(policy) = next_policy(conn, &claim, &visit).await? else { return Ok(None) };
    let name = payers::table.find(policy.payer_id).select(payers::name).first(conn).await?;
    Ok(Some(name))
}

/// Who gives something up, and up to where they may alone.
#[derive(Debug, Clone, Copy)]
pub struct GivesUp {
    pub staff: Uuid,
    pub role: Role,
}

impl Change<'_> {
    /// What a decision means for the denial work of its claim: earlier work ends, and what it does not pay is new work.
    pub(super) async fn denials_follow(
        &mut self,
        row: &Remittance,
        c: &core::RemittedClaim,
        found: &Found,
    ) -> Result<()> {
        let denied = c.denied_amounts(&found.numbers);
        let new: Cents = denied.iter().map(|a| a.amount).sum();
        let came =
            if c.is_reversal() { Cents::ZERO } else { found.lines.iter().map(|l| l.paid + l.patient_share).sum() };
        if let Some(before) = self.denial_before(&found.claim, &found.numbers).await? {
            if c.is_reversal() {
                let said = format!("{} took its decision back (trace {}).", row.payer_name, row.trace);
                self.denial_became(&before, DenialState::TakenBack, &said, None).await?;
            } else {
                self.denial_was_answered(row, &before, came, new).await?;
            }
        }
        if c.is_reversal() || !new.is_positive() {
            return Ok(());
        }
        let days: (Option<i32>, Option<i32>) = payers::table
            .find(found.claim.payer_id)
            .select((payers::correction_days, payers::appeal_days))
            .first(self.conn())
            .await?;
        let whole = |d: Option<i32>| d.and_then(|d| u32::try_from(d).ok());
        let deadlines = Deadlines::of(row.paid_on, whole(days.0), whole(days.1));
        let part = |a: DeniedAmount| DeniedPart {
            line: a.line,
            group: a.group.into(),
            reason: a.reason.to_string(),
            cents: a.amount.get(),
        };
        let denial = Denial {
            id: Uuid::now_v7(),
            remitted_claim_id: found.remitted,
            claim_id: found.claim.id,
            visit_id: found.visit.id,
            payer_id: found.claim.payer_id,
            cents: new.get(),
            amounts: Doc(denied.into_iter().map(part).collect()),
            state: DenialState::Open.into(),
            raised_at: self.now,
            correct_by: deadlines.correct_by,
            appeal_by: deadlines.appeal_by,
            due_on: deadlines.first(),
            owner_id: None,
            won_cents: 0,
            wanted_by: None,
            wanted_reason: None,
            ended_at: None,
        };
        diesel::insert_into(d::table).values(&denial).execute(self.conn()).await?;
        let said = format!("{} did not pay {new} (trace {}).", row.payer_name, row.trace);
        self.note_denial(&denial, DenialState::Open, &said, None).await
    }

    /// The work on what this payer denied of these lines before: still going on, or ended because the decision was taken back.
    async fn denial_before(&mut self, claim: &Claim, decided: &[Option<u32>]) -> Result<Option<Denial>> {
        let all: Vec<Denial> = d::table
            .filter(d::visit_id.eq(claim.visit_id).and(d::payer_id.eq(claim.payer_id)))
            .order((d::raised_at.desc(), d::id.desc()))
            .select(Denial::as_select())
            .load(self.conn())
            .await?;
        let last = all.into_iter().find(|l| answers(&l.denied(), decided));
        Ok(last.filter(|l| l.state.is_live() || l.state == DenialState::TakenBack))
    }

    /// The payer decided anew: what more came of it than before is won back.
    async fn denial_was_answered(&mut self, row: &Remittance, before: &Denial, came: Cents, new: Cents) -> Result<()> {
        let earlier: (i64, i64) = rc::table
            .find(before.remitted_claim_id)
            .select((rc::paid_cents, rc::share_cents))
            .first(self.conn())
            .await?;
        let (state, won) = answered(Cents::new(before.cents), Cents::new(earlier.0 + earlier.1), came, new);
        diesel::update(d::table.find(before.id)).set(d::won_cents.eq(won.get())).execute(self.conn()).await?;
        let said = format!("{} decided anew: {state}; won back {won} (trace {}).", row.payer_name, row.trace);
        self.denial_became(before, state, &said, None).await
    }

    async fn note_denial(
        &mut self,
        row: &Denial,
        state: DenialState,
        sentence: &str,
        document: Option<Uuid>,
    ) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::insert_into(ev::table)
            .values((
                ev::denial_id.eq(row.id),
                ev::at.eq(now),
                ev::by.eq(by),
                ev::state.eq(Code(state)),
                ev::sentence.eq(sentence),
                ev::document_id.eq(document),
            ))
            .execute(self.conn())
            .await?;
        self.audit("denial", "denial", row.id, None, format!("{} → {state}: {sentence}", *row.state));
        self.tell(Topic::Denial, row.id);
        Ok(())
    }

    /// Moves a denial on, with what happened.
    async fn denial_became(
        &mut self,
        row: &Denial,
        state: DenialState,
        sentence: &str,
        document: Option<Uuid>,
    ) -> Result<()> {
        let ended = (!state.is_live()).then_some(self.now);
        diesel::update(d::table.find(row.id))
            .set((
                d::state.eq(Code(state)),
                d::ended_at.eq(ended),
                d::wanted_by.eq(None::<Uuid>),
                d::wanted_reason.eq(None::<String>),
            ))
            .execute(self.conn())
            .await?;
        self.note_denial(row, state, sentence, document).await
    }

    /// A denial that somebody works on, locked until this change ends.
    async fn denial_at_work(&mut self, id: Uuid) -> Result<Denial> {
        let row: Option<Denial> =
            d::table.find(id).for_update().select(Denial::as_select()).first(self.conn()).await.optional()?;
        let row = row.ok_or(StoreError::NotFound("denial"))?;
        if !row.state.is_live() {
            let said = format!("This denial is {} already; look at the list again.", *row.state);
            return Err(StoreError::refused("denial-state", said));
        }
        Ok(row)
    }

    /// Somebody takes the work over, or leaves it.
    pub async fn own_denial(&mut self, id: Uuid, owner: Option<(Uuid, String)>) -> Result<()> {
        let row = self.denial_at_work(id).await?;
        let said = owner.as_ref().map_or("Left to anybody.".to_owned(), |(_, name)| format!("{name} works on it."));
        diesel::update(d::table.find(id)).set(d::owner_id.eq(owner.map(|(id, _)| id))).execute(self.conn()).await?;
        self.note_denial(&row, *row.state, &said, None).await
    }

    /// Something was done or found out; with the day on which somebody looks again, where one is said.
    pub async fn denial_was_worked_on(
        &mut self,
        id: Uuid,
        state: Option<DenialState>,
        sentence: &str,
        look_again: Option<NaiveDate>,
        document: Option<Uuid>,
    ) -> Result<()> {
        let row = self.denial_at_work(id).await?;
        if look_again.is_some() {
            let deadlines = Deadlines { correct_by: row.correct_by, appeal_by: row.appeal_by };
            let day = due(deadlines, look_again, state.unwrap_or(*row.state));
            diesel::update(d::table.find(id)).set(d::due_on.eq(day)).execute(self.conn()).await?;
        }
        match state {
            Some(state) => self.denial_became(&row, state, sentence, document).await,
            None => self.note_denial(&row, *row.state, sentence, document).await,
        }
    }

    /// The charges of a visit go to this payer once more.
    pub(crate) async fn denials_were_corrected(&mut self, visit: Uuid, payer: Uuid, claim: &str) -> Result<()> {
        let live: Vec<Denial> = d::table
            .filter(d::visit_id.eq(visit).and(d::payer_id.eq(payer)).and(d::ended_at.is_null()))
            .select(Denial::as_select())
            .load(self.conn())
            .await?;
        for row in live {
            let said = format!("Charged again; {claim} goes to the payer.");
            self.denial_became(&row, DenialState::Corrected, &said, None).await?;
        }
        Ok(())
    }

    async fn about_denial(&mut self, row: &Denial, kind: Posting, memo: &str) -> Result<(About, Claim, Visit)> {
        let claim = claims::get(self.conn(), row.claim_id).await?;
        let visit = visits::get(self.conn(), row.visit_id).await?;
        let about = About {
            visit: Some(visit.id),
            person: Some(visit.person_id),
            claim: Some(claim.id),
            ..About::new(kind, format!("denial:{}:{kind}", row.id), memo)
        };
        Ok((about, claim, visit))
    }

    async fn open_of(&mut self, row: &Denial) -> Result<Cents> {
        let open = still_open(self.conn(), row).await?;
        if open.is_positive() {
            return Ok(open);
        }
        Err(StoreError::refused("nothing-open", "Nothing of this is open against the payer any more."))
    }

    async fn post_of_denial(
        &mut self,
        about: &About,
        made: Result<Transaction, harbor_core::money::ledger::LedgerRefusal>,
    ) -> Result<()> {
        let transaction = made.map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        self.post(about, &transaction).await?;
        Ok(())
    }

    /// What was denied goes to the next policy, with a claim of its own.
    pub async fn bill_next_for_denial(&mut self, id: Uuid) -> Result<()> {
        let row = self.denial_at_work(id).await?;
        let open = self.open_of(&row).await?;
        let (about, claim, visit) =
            self.about_denial(&row, Posting::ToPatient, "denied; goes to the next policy").await?;
        let Some(policy) = next_policy(self.conn(), &claim, &visit).await? else {
            return Err(StoreError::refused(
                "no-next",
                "No other policy paid for this person on the day of the visit.",
            ));
        };
        let why = format!("{open} was denied to {}; it goes to this payer.", claim.number);
        let next = self.claim_to_next(&claim, &visit, &policy, &why).await?;
        self.post_of_denial(&about, to_patient(open)).await?;
        let about = About {
            claim: Some(next.id),
            ..About::new(Posting::PassedOn, format!("denial:{}:next", row.id), "denied by the payer before")
        };
        let about = About { visit: Some(visit.id), person: Some(visit.person_id), ..about };
        self.post_of_denial(&about, passed_on(&[(None, open)])).await?;
        let said = format!("{open} goes to the next policy; claim {}.", next.number);
        self.denial_became(&row, DenialState::PassedOn, &said, None).await
    }

    /// What was denied becomes the patient's, where the payer lets that be.
    pub async fn bill_patient_for_denial(&mut self, id: Uuid) -> Result<()> {
        let row = self.denial_at_work(id).await?;
        if let Some(why) = not_the_patients(self.conn(), &row).await? {
            return Err(StoreError::refused("not-the-patients", why));
        }
        let open = self.open_of(&row).await?;
        let (about, ..) = self.about_denial(&row, Posting::ToPatient, "denied by the payer").await?;
        self.post_of_denial(&about, to_patient(open)).await?;
        self.denial_became(&row, DenialState::ToPatient, &format!("{open} is the patient's."), None).await
    }

    /// Gives up what was denied, with the reason. Above what one may alone, a second person agrees first.
    pub async fn give_up_denial(&mut self, id: Uuid, who: GivesUp, reason: &str) -> Result<DenialState> {
        let row = self.denial_at_work(id).await?;
        let open = self.open_of(&row).await?;
        let wanted = match row.wanted_by {
            Some(wants) => Some((wants == who.staff, *staff::get(self.conn(), wants).await?.role)),
            None => None,
        };
        if give_up(open, who.role, wanted).map_err(not_alone)? == GiveUp::SecondWanted {
            diesel::update(d::table.find(id))
                .set((
                    d::state.eq(Code(DenialState::SecondWanted)),
                    d::wanted_by.eq(who.staff),
                    d::wanted_reason.eq(reason),
                ))
                .execute(self.conn())
                .await?;
            let said = format!("To be given up: {open}, {reason}. A second person must agree.");
            self.note_denial(&row, DenialState::SecondWanted, &said, None).await?;
            return Ok(DenialState::SecondWanted);
        }
        let (about, ..) = self.about_denial(&row, Posting::GivenUp, reason).await?;
        self.post_of_denial(&about, given_up(open)).await?;
        let said = format!("Given up: {open}, {reason}.");
        self.denial_became(&row, DenialState::GivenUp, &said, None).await?;
        Ok(DenialState::GivenUp)
    }

    /// A second person does not agree to give it up: it is work again.
    pub async fn keep_denial(&mut self, id: Uuid, reason: &str) -> Result<()> {
        let row = self.denial_at_work(id).await?;
        if row.wanted_by.is_none() {
            return Err(StoreError::refused("not-wanted", "Nobody wants to give this up."));
        }
        self.denial_became(&row, DenialState::Open, &format!("Not given up: {reason}."), None).await
    }
}
