//! Referrals to the clinic, and the visits that name them.

use crate::rows::{Referral, Visit, VisitBilling};
use crate::schema::{referrals as r, visit_billing as b, visits as v};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::coverage::referrals::{Allowed, ReferralOfVisit, WantedFor, counts};
use std::collections::HashMap;
use uuid::Uuid;

/// The referrals of these people, the newest first.
pub async fn of_people(conn: &mut Conn, people: &[Uuid]) -> Result<Vec<Referral>> {
    Ok(r::table
        .filter(r::person_id.eq_any(people))
        .order((r::valid_from.desc(), r::told_at.desc()))
        .select(Referral::as_select())
        .load(conn)
        .await?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Referral> {
    let found = r::table.find(id).select(Referral::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("referral"))
}

/// A visit that names a referral and takes place, as far as one knows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Use {
    pub visit: Uuid,
    pub starts_at: DateTime<Utc>,
    pub stage: Stage,
}

/// The visits that count these down, each referral's in their order.
pub async fn uses(conn: &mut Conn, referrals: &[Uuid]) -> Result<HashMap<Uuid, Vec<Use>>> {
    let mut found: HashMap<Uuid, Vec<Use>> = HashMap::new();
    if referrals.is_empty() {
        return Ok(found);
    }
    let rows: Vec<(Option<Uuid>, Visit)> = b::table
        .inner_join(v::table.on(v::id.eq(b::visit_id)))
        .filter(b::referral_id.eq_any(referrals))
        .order((v::starts_at, v::id))
        .select((b::referral_id, Visit::as_select()))
        .load(conn)
        .await?;
    for (referral, visit) in rows {
        let stage = visit.stage();
        if let Some(referral) = referral.filter(|_| counts(stage)) {
            found.entry(referral).or_default().push(Use { visit: visit.id, starts_at: visit.starts_at, stage });
        }
    }
    Ok(found)
}

impl Referral {
    pub fn allowed(&self) -> Allowed {
        Allowed {
            from: self.valid_from,
            until: self.valid_until,
            visits: self.visits.and_then(|n| u32::try_from(n).ok()),
            ended: self.ended_at.is_some(),
        }
    }

    /// Who referred, by name; a referral that came by its number alone names nobody.
    pub fn who(&self) -> String {
        let name = format!("{} {}", self.from_first, self.from_last);
        match name.trim() {
            "" => format!("number {}", self.number),
            name => name.to_owned(),
        }
    }

    /// What it says of a visit that names it, or would.
    pub fn for_visit(&self, visit: &Visit, payer: Option<Uuid>, uses: &[Use]) -> ReferralOfVisit {
        let before = uses.iter().filter(|u| (u.starts_at, u.visit) < (visit.starts_at, visit.id)).count();
        let other_payer = self.payer_id.is_some_and(|own| payer.is_some_and(|p| p != own));
        self.said(visit.day, before, other_payer)
    }

    /// What it says of one more visit on a day, to be paid by whom it names.
    pub fn for_another(&self, day: NaiveDate, uses: &[Use]) -> ReferralOfVisit {
        self.said(day, uses.len(), false)
    }

    fn said(&self, day: NaiveDate, before: usize, other_payer: bool) -> ReferralOfVisit {
        let wanted = WantedFor { day, before: u32::try_from(before).unwrap_or(u32::MAX), other_payer };
        ReferralOfVisit { who: self.who(), fault: self.allowed().fault_for(wanted) }
    }
}

/// A referral as somebody tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToldReferral {
    pub payer_id: Option<Uuid>,
    pub from_last: String,
    pub from_first: String,
    pub from_npi: String,
    pub question: String,
    pub number: String,
    pub valid_from: NaiveDate,
    pub valid_until: Option<NaiveDate>,
    pub visits: Option<i32>,
}

impl Change<'_> {
    /// Keeps a referral with the person, or what is told anew of one.
    pub async fn keep_referral(
        &mut self,
        person: Uuid,
        before: Option<Referral>,
        told: ToldReferral,
    ) -> Result<Referral> {
        let row = Referral {
            id: before.as_ref().map_or_else(Uuid::now_v7, |b| b.id),
            person_id: person,
            payer_id: told.payer_id,
            from_last: told.from_last,
            from_first: told.from_first,
            from_npi: told.from_npi,
            question: told.question,
            number: told.number,
            valid_from: told.valid_from,
            valid_until: told.valid_until,
            visits: told.visits,
            told_at: self.now,
            told_by: self.actor.name.clone(),
            ended_at: before.as_ref().and_then(|b| b.ended_at),
            ended_by: before.as_ref().map(|b| b.ended_by.clone()).unwrap_or_default(),
        };
        match before {
            None => {
                diesel::insert_into(r::table).values(&row).execute(self.conn()).await?;
            }
            Some(_) => {
                diesel::update(r::table.find(row.id))
                    .set((
                        r::payer_id.eq(row.payer_id),
                        r::from_last.eq(&row.from_last),
                        r::from_first.eq(&row.from_first),
                        r::from_npi.eq(&row.from_npi),
                        r::question.eq(&row.question),
                        r::number.eq(&row.number),
                        r::valid_from.eq(row.valid_from),
                        r::valid_until.eq(row.valid_until),
                        r::visits.eq(row.visits),
                        r::told_at.eq(row.told_at),
                        r::told_by.eq(&row.told_by),
                    ))
                    .execute(self.conn())
                    .await?;
            }
        }
        self.audit("told of a referral", "referral", row.id, Some(person), row.who());
        self.referral_changed(&row).await?;
        Ok(row)
    }

    /// Takes a referral back, or has it stand again; visits that name it go on naming it.
    pub async fn end_referral(&mut self, referral: &Referral, ended: bool) -> Result<()> {
        if referral.ended_at.is_some() == ended {
            self.give_up();
            return Ok(());
        }
        let by = if ended { self.actor.name.clone() } else { String::new() };
        diesel::update(r::table.find(referral.id))
            .set((r::ended_at.eq(ended.then_some(self.now)), r::ended_by.eq(by)))
            .execute(self.conn())
            .await?;
        let verb = if ended { "took back a referral" } else { "let a referral stand again" };
        self.audit(verb, "referral", referral.id, Some(referral.person_id), referral.who());
        self.referral_changed(referral).await
    }

    /// Everybody who looks at the person or a visit that names it sees it anew.
    async fn referral_changed(&mut self, referral: &Referral) -> Result<()> {
        self.tell(Topic::Person, referral.person_id);
        let used = uses(self.conn(), &[referral.id]).await?;
        for one in used.into_values().flatten() {
            self.tell(Topic::Visit, one.visit);
        }
        Ok(())
    }

    /// Says for which referral a visit is, or for none.
    pub async fn name_referral(&mut self, visit: &Visit, referral: Option<&Referral>) -> Result<()> {
        if referral.is_some_and(|r| r.person_id != visit.person_id) {
            return Err(StoreError::refused("referral", "That referral is somebody else's."));
        }
        let known = crate::claims::accidents::billing(self.conn(), &[visit.id]).await?.pop();
        let said = known.unwrap_or_else(|| VisitBilling::nothing(visit.id, self.now));
        self.say_for_claim(visit, VisitBilling { referral_id: referral.map(|r| r.id), ..said }).await?;
        self.tell(Topic::Person, visit.person_id);
        Ok(())
    }
}

/// The referral that each of these visits names.
pub async fn named_by(conn: &mut Conn, visits: &[Uuid]) -> Result<HashMap<Uuid, Referral>> {
    Ok(b::table
        .inner_join(r::table.on(b::referral_id.eq(r::id.nullable())))
        .filter(b::visit_id.eq_any(visits))
        .select((b::visit_id, Referral::as_select()))
        .load::<(Uuid, Referral)>(conn)
        .await?
        .into_iter()
        .collect())
}
