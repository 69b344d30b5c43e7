//! What was taken off patients' debts, and documented hardship.

use super::denials::not_alone;
use super::ledger::{About, balance};
use super::open_debts::of_guarantors;
use super::{plans, rules};
use crate::codes::Code;
use crate::house::staff;
use crate::rows::{Hardship, Reduction, RemittedClaim, Visit};
use crate::schema::{claims, hardships as h, reductions as r, remitted_claims as rc, statements as s};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::house::permissions::Role;
use harbor_core::money::Cents;
use harbor_core::money::denials::GiveUp;
use harbor_core::money::ledger::{Posting, taken_off};
use harbor_core::money::reductions::{Debt, ReductionKind, ReductionState, may_take_off, who_may};
use uuid::Uuid;

/// Who asks, agrees or takes back.
#[derive(Debug, Clone, Copy)]
pub struct Decider {
    pub staff: Uuid,
    pub role: Role,
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Reduction> {
    let found = r::table.find(id).select(Reduction::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("reduction"))
}

/// Of visits, the oldest first.
pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Reduction>> {
    let of = r::table.filter(r::visit_id.eq_any(visits)).order((r::asked_at, r::id));
    Ok(of.select(Reduction::as_select()).load(conn).await?)
}

/// Those that wait for a second person.
pub async fn wanted(conn: &mut Conn) -> Result<Vec<Reduction>> {
    let open = r::table.filter(r::state.eq(Code(ReductionState::Wanted))).order((r::asked_at, r::id));
    Ok(open.select(Reduction::as_select()).load(conn).await?)
}

/// The hardships of people, the newest first.
pub async fn hardships(conn: &mut Conn, people: &[Uuid]) -> Result<Vec<Hardship>> {
    let of = h::table.filter(h::person_id.eq_any(people)).order((h::at.desc(), h::id.desc()));
    Ok(of.select(Hardship::as_select()).load(conn).await?)
}

/// Who answers for what the patient owes for a visit; nothing where nothing is owed.
pub async fn guarantor_of(conn: &mut Conn, visit: Uuid) -> Result<Option<Uuid>> {
    #[derive(QueryableByName)]
    struct Who {
        #[diesel(sql_type = sql_types::Nullable<sql_types::Uuid>)]
        guarantor_id: Option<Uuid>,
    }
    let found: Vec<Who> = diesel::sql_query(
        "select guarantor_id from standing_debts where account = 'patient' and visit_id = $1 order by cents desc limit 1",
    )
    .bind::<sql_types::Uuid, _>(visit)
    .load(conn)
    .await?;
    Ok(found.into_iter().next().and_then(|w| w.guarantor_id))
}

/// What of a visit's patient share is copay (X12 CARC 3). Of a decision whose lines were not kept, nobody knows: all of it counts.
async fn copay_of(conn: &mut Conn, visit: Uuid) -> Result<Cents> {
    let decided: Vec<RemittedClaim> = rc::table
        .inner_join(claims::table.on(rc::claim_id.eq(claims::id.nullable())))
        .filter(claims::visit_id.eq(visit))
        .select(RemittedClaim::as_select())
        .load(conn)
        .await?;
    let of = |d: &RemittedClaim| match &d.decision {
        Some(decision) => {
            let all = decision.lines.iter().flat_map(|l| &l.adjustments).chain(&decision.adjustments);
            all.filter(|a| a.group.code() == "PR" && a.reason == "3").map(|a| a.cents).sum()
        }
        None => d.share_cents,
    };
    Ok(Cents::new(decided.iter().map(of).sum::<i64>().max(0)))
}

/// What is known when something is to be taken off what is owed for a visit.
pub async fn debt(conn: &mut Conn, visit: &Visit, today: NaiveDate, zone: Tz) -> Result<Debt> {
    let sums = balance(conn, visit.id).await?;
    let guarantor = guarantor_of(conn, visit.id).await?;
    let (household, plan) = match guarantor {
        Some(who) => (of_guarantors(conn, &[who]).await?, plans::of_guarantor(conn, who).await?),
        None => (vec![], None),
    };
    let people: Vec<Uuid> = guarantor.into_iter().chain([visit.person_id]).collect();
    let shown = hardships(conn, &people).await?;
    let shown = shown.iter().filter(|h| h.ended_at.is_none() && (h.from_day..=h.to_day).contains(&visit.day));
    let made = of_visits(conn, &[visit.id]).await?;
    let for_hardship = made.iter().filter(|m| *m.kind == ReductionKind::Hardship && *m.state == ReductionState::Made);
    let sent: Vec<DateTime<Utc>> =
        s::table.filter(s::visits.contains(vec![visit.id])).order(s::at).select(s::at).load(conn).await?;
    Ok(Debt {
        owed: sums.patient_owes,
        // What the patient paid, paid the copay first.
        copay: (copay_of(conn, visit.id).await? - sums.paid_by_patient.max(Cents::ZERO)).max(Cents::ZERO),
        household: household.iter().map(|d| d.cents()).sum(),
        hardship: shown.map(|h| h.percent.unsigned_abs()).max(),
        for_hardship: for_hardship.map(|m| Cents::new(m.cents)).sum(),
        statements: u32::try_from(sent.len()).unwrap_or(u32::MAX),
        first_statement: sent.as_slice().first().map(|at| at.with_timezone(&zone).date_naive()),
        plan_is_kept: plan.is_some_and(|p| p.stands(today).missed == 0),
    })
}

/// What is to be taken off.
#[derive(Debug, Clone)]
pub struct NewReduction {
    /// The same key takes off once.
    pub key: Uuid,
    pub visit: Uuid,
    pub kind: ReductionKind,
    pub amount: Cents,
    pub reason: String,
}

impl Change<'_> {
    /// Takes something off what the patient owes for a visit; above what one may alone, it waits for a second person.
    pub async fn take_off(
        &mut self,
        new: &NewReduction,
        who: Decider,
        (today, zone): (NaiveDate, Tz),
    ) -> Result<Reduction> {
        let visit = self.lock_visit(new.visit).await?;
        if let Some(before) =
            r::table.find(new.key).select(Reduction::as_select()).first(self.conn()).await.optional()?
        {
            self.give_up();
            return Ok(before);
        }
        self.check_reduction(new.kind, new.amount, &visit, (today, zone)).await?;
        let now = who_may(new.kind, new.amount, who.role, None).map_err(not_alone)?;
        let state = if now == GiveUp::Now { ReductionState::Made } else { ReductionState::Wanted };
        let made = now == GiveUp::Now;
        let row = Reduction {
            id: new.key,
            visit_id: new.visit,
            kind: new.kind.into(),
            cents: new.amount.get(),
            reason: new.reason.clone(),
            state: state.into(),
            asked_at: self.now,
            asked_by: who.staff,
            settled_at: made.then_some(self.now),
            settled_by: made.then_some(who.staff),
            back_at: None,
            back_by: None,
            back_reason: None,
        };
        diesel::insert_into(r::table).values(&row).execute(self.conn()).await?;
        if made {
            self.post_reduction(&row, visit.person_id).await?;
        }
        self.reduction_said(&row, &visit, if made { "taken off" } else { "to be taken off" });
        Ok(row)
    }

    async fn check_reduction(
        &mut self,
        kind: ReductionKind,
        amount: Cents,
        visit: &Visit,
        (today, zone): (NaiveDate, Tz),
    ) -> Result<()> {
        let known = debt(self.conn(), visit, today, zone).await?;
        let rules = rules::get(self.conn()).await?.for_reductions();
        may_take_off(kind, amount, &known, &rules, today).map_err(|e| StoreError::refused("reduction", e.to_string()))
    }

    async fn post_reduction(&mut self, row: &Reduction, person: Uuid) -> Result<()> {
        let about = About {
            visit: Some(row.visit_id),
            person: Some(person),
            ..About::new(Posting::Reduction, format!("reduction:{}", row.id), row.reason.clone())
        };
        let transaction = taken_off(*row.kind, Cents::new(row.cents));
        let transaction = transaction.map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        self.post(&about, &transaction).await.map(|_| ())
    }

    fn reduction_said(&mut self, row: &Reduction, visit: &Visit, what: &str) {
        let said = format!("{what}: {}, {}", row.kind.label(), Cents::new(row.cents));
        self.audit("reduced", "reduction", row.id, Some(visit.person_id), said);
        self.tell(Topic::Owed, row.id);
        self.tell(Topic::Visit, row.visit_id);
    }

    async fn reduction_in(&mut self, id: Uuid, state: ReductionState) -> Result<(Reduction, Visit)> {
        let visit = get(self.conn(), id).await?.visit_id;
        let visit = self.lock_visit(visit).await?;
        let row = get(self.conn(), id).await?;
        if *row.state != state {
            return Err(StoreError::refused("reduction", format!("This is {} already.", row.state.label())));
        }
        Ok((row, visit))
    }

    /// A second person agrees, or does not.
    pub async fn answer_reduction(
        &mut self,
        id: Uuid,
        who: Decider,
        agrees: bool,
        (today, zone): (NaiveDate, Tz),
    ) -> Result<()> {
        let (row, visit) = self.reduction_in(id, ReductionState::Wanted).await?;
        let (amount, same) = (Cents::new(row.cents), row.asked_by == who.staff);
        if agrees {
            let wants = *staff::get(self.conn(), row.asked_by).await?.role;
            who_may(*row.kind, amount, who.role, Some((same, wants))).map_err(not_alone)?;
            self.check_reduction(*row.kind, amount, &visit, (today, zone)).await?;
            self.post_reduction(&row, visit.person_id).await?;
        }
        let state = if agrees { ReductionState::Made } else { ReductionState::NotAgreed };
        diesel::update(r::table.find(id))
            .set((r::state.eq(Code(state)), r::settled_at.eq(self.now), r::settled_by.eq(who.staff)))
            .execute(self.conn())
            .await?;
        self.reduction_said(&row, &visit, state.label());
        Ok(())
    }

    /// What was taken off is owed again.
    pub async fn take_reduction_back(&mut self, id: Uuid, who: Decider, reason: &str) -> Result<()> {
        let (row, visit) = self.reduction_in(id, ReductionState::Made).await?;
        let about = About {
            visit: Some(row.visit_id),
            person: Some(visit.person_id),
            ..About::new(Posting::ReductionBack, format!("reduction-back:{id}"), reason)
        };
        let made = taken_off(*row.kind, Cents::new(row.cents));
        let made = made.map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        self.post(&about, &made.reversed("owed again")).await?;
        diesel::update(r::table.find(id))
            .set((
                r::state.eq(Code(ReductionState::TakenBack)),
                r::back_at.eq(self.now),
                r::back_by.eq(who.staff),
                r::back_reason.eq(reason),
            ))
            .execute(self.conn())
            .await?;
        self.reduction_said(&row, &visit, "owed again");
        Ok(())
    }

    /// Somebody showed that they cannot pay all.
    pub async fn add_hardship(
        &mut self,
        person: Uuid,
        percent: u32,
        (from, to): (NaiveDate, NaiveDate),
        shown: &str,
    ) -> Result<Hardship> {
        let row = Hardship {
            id: Uuid::now_v7(),
            person_id: person,
            percent: i32::try_from(percent).unwrap_or(0),
            from_day: from,
            to_day: to,
            shown: shown.to_owned(),
            at: self.now,
            by: self.actor.name.clone(),
            ended_at: None,
        };
        diesel::insert_into(h::table).values(&row).execute(self.conn()).await?;
        self.audit("documented", "hardship", row.id, Some(person), format!("{percent} % from {from} to {to}"));
        self.tell(Topic::Owed, person);
        Ok(row)
    }

    pub async fn end_hardship(&mut self, person: Uuid, id: Uuid) -> Result<()> {
        let live = h::table.filter(h::id.eq(id).and(h::person_id.eq(person)).and(h::ended_at.is_null()));
        let n = diesel::update(live).set(h::ended_at.eq(self.now)).execute(self.conn()).await?;
        if n == 0 {
            return Err(StoreError::NotFound("hardship"));
        }
        self.audit("ended", "hardship", id, Some(person), String::new());
        self.tell(Topic::Owed, person);
        Ok(())
    }
}
