//! Reports of an uncertain person: whom they may be about, filed by somebody who compared both, and taken away again.

use crate::codes::Code;
use crate::people::finding::{likeness, near};
use crate::people::merging::records_of;
use crate::people::registration::closed_charts;
use crate::rows::*;
use crate::schema::{lab_reports, orders, people as persons, result_filings};
use crate::{Change, Conn, Result, StoreError, Topic, people};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::orders::OrderState;
use harbor_core::orders::candidates::{Candidate, NamedPerson, OpenTest, Somebody, judge};
use harbor_core::orders::truth::waits_again;
use harbor_core::people::Likeness;
use std::cmp::Reverse;
use std::collections::HashMap;
use uuid::Uuid;

/// Somebody whom a report may be about.
#[derive(Debug)]
pub struct Ranked {
    pub person: Person,
    pub judged: Candidate,
    /// Their orders that wait for these very tests; nothing of a chart that is closed to the one who asks.
    pub orders: Vec<Order>,
    pub closed: bool,
}

/// Fewer than this speak for somebody who only shares a word of the name.
const WORTH_A_LOOK: u8 = 12;
/// Orders of a test that wait, among which a report that names nobody is looked for.
const WAITING_ORDERS: i64 = 50;

/// Who asks whom a report may be about, and when.
#[derive(Debug, Clone, Copy)]
pub struct Asker {
    pub staff: Uuid,
    pub now: DateTime<Utc>,
}

/// Whom a report may be about, the likeliest first. Of a closed chart it is not told, and counts for nothing, what is
/// ordered in it.
pub async fn candidates(
    conn: &mut Conn,
    named: &NamedPerson,
    tests: &[String],
    asker: Asker,
    most: usize,
) -> Result<Vec<Ranked>> {
    let mut found: Vec<Person> = Vec::new();
    if !named.record_number.is_empty() {
        let number = named.record_number.trim().to_uppercase();
        found.extend(people::by_record_numbers(conn, &[number]).await?);
    }
    if !named.last.is_empty() || !named.first.is_empty() {
        let asked = Likeness {
            first: named.first.clone(),
            last: named.last.clone(),
            birth_date: named.birth_date,
            ..Likeness::default()
        };
        found.extend(near(conn, &asked).await?);
    }
    let waits = || orders::state.eq_any(OrderState::OPEN.map(|s| s.code())).and(orders::loinc.eq_any(tests));
    if found.is_empty() {
        let who: Vec<Uuid> = orders::table
            .filter(waits())
            .order(orders::ordered_at)
            .limit(WAITING_ORDERS)
            .select(orders::person_id)
            .load(conn)
            .await?;
        found.extend(people::many(conn, &who).await?);
    }
    // A record that was merged away stands for the one that goes on.
    let onward: Vec<Uuid> = found.iter().filter_map(|p| p.merged_into).collect();
    found.retain(|p| p.merged_into.is_none());
    found.extend(people::many(conn, &onward).await?);
    found.sort_by_key(|p| p.id);
    found.dedup_by_key(|p| p.id);
    let ids: Vec<Uuid> = found.iter().map(|p| p.id).collect();
    let closed = closed_charts(conn, &ids, asker.staff, asker.now).await?;
    let open: Vec<Order> = orders::table
        .filter(waits().and(orders::person_id.eq_any(&ids)))
        .order(orders::ordered_at)
        .select(Order::as_select())
        .load(conn)
        .await?;
    let merged: Vec<(Option<Uuid>, String)> = persons::table
        .filter(persons::merged_into.eq_any(&ids))
        .select((persons::merged_into, persons::record_number))
        .load(conn)
        .await?;
    let mut orders_of: HashMap<Uuid, Vec<Order>> = HashMap::new();
    for order in open {
        orders_of.entry(order.person_id).or_default().push(order);
    }
    let mut ranked: Vec<Ranked> = found
        .into_iter()
        .map(|person| {
            let closed = closed.contains(&person.id);
            let orders = orders_of.remove(&person.id).filter(|_| !closed).unwrap_or_default();
            let numbers = merged.iter().filter(|(into, _)| *into == Some(person.id)).map(|(_, n)| n.clone());
            let who = Somebody {
                record_numbers: std::iter::once(person.record_number.clone()).chain(numbers).collect(),
                ..somebody(&person, &orders)
            };
            let tests = if closed { &[] } else { tests };
            Ranked { judged: judge(named, tests, &who), person, orders, closed }
        })
        .filter(|r| r.judged.score >= WORTH_A_LOOK)
        .collect();
    ranked.sort_by_key(|r| (Reverse(r.judged.score), r.person.id));
    ranked.truncate(most);
    Ok(ranked)
}

/// What the rules need to know of a person whom a report may be about.
pub fn somebody(person: &Person, orders: &[Order]) -> Somebody {
    Somebody {
        record_numbers: vec![person.record_number.clone()],
        likeness: likeness(person),
        sex: person.sex.map(|s| s.code().to_owned()).unwrap_or_default(),
        open_tests: orders.iter().map(|o| OpenTest { loinc: o.loinc.clone(), name: o.test_name.clone() }).collect(),
        deceased_on: person.deceased_on,
    }
}

/// What was filed under a person, or taken away again, by somebody; the last first.
pub async fn filings_of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<ResultFiling>> {
    use result_filings as f;
    let records = records_of(conn, person).await?;
    Ok(f::table
        .filter(f::person_id.eq_any(records))
        .order((f::done_at.desc(), f::id.desc()))
        .select(ResultFiling::as_select())
        .load(conn)
        .await?)
}

/// Where a report was filed and taken away, the last first.
pub async fn filings_of_report(conn: &mut Conn, report: Uuid) -> Result<Vec<ResultFiling>> {
    use result_filings as f;
    Ok(f::table
        .filter(f::report_id.eq(report))
        .order((f::done_at.desc(), f::id.desc()))
        .select(ResultFiling::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Files a report of an uncertain person under somebody, and answers their order with it; a deliberate act of
    /// somebody, never a guess.
    pub async fn match_report(&mut self, id: Uuid, person: Uuid, order: Option<&Order>, why: &str) -> Result<()> {
        use lab_reports as r;
        let reviewer = match order {
            Some(order) => self.who_reads(order.orderer_id).await?,
            None => None,
        };
        let waits = r::id.eq(id).and(r::person_id.is_null()).and(r::replaced.eq(false));
        let matched: Option<LabReport> = diesel::update(r::table.filter(waits))
            .set((r::person_id.eq(person), r::order_id.eq(order.map(|o| o.id)), r::reviewer_id.eq(reviewer)))
            .returning(LabReport::as_returning())
            .get_result(self.conn())
            .await
            .optional()?;
        let Some(row) = matched else {
            return Err(StoreError::refused("matched", "This result is filed under a person already."));
        };
        if let Some(order) = order {
            self.order_answered(order.id, *row.status, &row.conclusion).await?;
        }
        self.keep_filing(&row, person, true, why).await?;
        self.audit("matched", "result", id, Some(person), why);
        self.tell(Topic::Result, id);
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Takes a report away from somebody whom it is not about: it waits for its person again, signed by nobody, and
    /// their order waits for its result.
    pub async fn unmatch_report(&mut self, id: Uuid, why: &str) -> Result<()> {
        use lab_reports as r;
        let row = super::report(self.conn(), id).await?;
        let Some(person) = row.person_id.filter(|_| !row.replaced) else {
            return Err(StoreError::refused(
                "not_filed",
                "This result is filed under nobody, or a newer one has replaced it.",
            ));
        };
        diesel::update(r::table.find(id))
            .set((
                r::person_id.eq(None::<Uuid>),
                r::order_id.eq(None::<Uuid>),
                r::reviewer_id.eq(None::<Uuid>),
                r::reviewed_at.eq(None::<DateTime<Utc>>),
                r::reviewed_by.eq(None::<String>),
                r::reviewed_by_id.eq(None::<Uuid>),
                r::review_comment.eq(""),
            ))
            .execute(self.conn())
            .await?;
        if let Some(order) = row.order_id {
            let order = crate::orders::order(self.conn(), order).await?;
            let again = orders::id.eq(order.id).and(orders::state.ne("cancelled"));
            diesel::update(orders::table.filter(again))
                .set((orders::state.eq(Code(waits_again(order.taken_at.is_some()))), orders::state_reason.eq("")))
                .execute(self.conn())
                .await?;
            self.tell_order(&order);
        }
        self.keep_filing(&row, person, false, why).await?;
        let signed = row.reviewed_by.as_ref().map(|by| format!(" (it was signed by {by})")).unwrap_or_default();
        self.audit("taken away", "result", id, Some(person), format!("{why}{signed}"));
        self.tell(Topic::Result, id);
        self.tell(Topic::Person, person);
        Ok(())
    }

    async fn keep_filing(&mut self, row: &LabReport, person: Uuid, filed: bool, why: &str) -> Result<()> {
        let filing = ResultFiling {
            id: Uuid::now_v7(),
            report_id: row.id,
            person_id: person,
            order_id: row.order_id,
            filed,
            reason: why.to_owned(),
            done_by: self.actor.name.clone(),
            done_at: self.now,
        };
        diesel::insert_into(result_filings::table).values(&filing).execute(self.conn()).await?;
        Ok(())
    }
}
