//! The work list of claims: any number of them, by what a biller looks for, the latest made first.

use crate::rows::Claim;
use crate::schema::{batches, claims, payers, visits};
use crate::{Conn, Result};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::RunQueryDsl;
use harbor_core::claims::{ByDay, ClaimState};
use harbor_core::money::Cents;
use uuid::Uuid;

/// What is looked for; what is nothing is not asked.
#[derive(Debug, Clone)]
pub struct Sought {
    pub state: Option<ClaimState>,
    pub payer: Option<Uuid>,
    pub clinician: Option<Uuid>,
    pub site: Option<Uuid>,
    /// Which day the two ends are of.
    pub by: ByDay,
    pub from: Option<NaiveDate>,
    pub to: Option<NaiveDate>,
    /// The moments at which the two days begin and end where the clinic is.
    pub moments: (Option<DateTime<Utc>>, Option<DateTime<Utc>>),
    pub least: Option<Cents>,
    pub most: Option<Cents>,
    /// Only those of which the clearing house or the payer said what is wrong.
    pub wrong: bool,
    /// The last claim of the page before.
    pub after: Option<Uuid>,
}

/// How many claims there are at most for sums; more is said as more.
pub const COUNTED: i64 = 10_000;

/// How many are found, and what they come to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Sums {
    pub claims: i64,
    pub cents: i64,
    /// There are more than were counted.
    pub more: bool,
}

type Found<'a> =
    diesel::helper_types::IntoBoxed<'a, diesel::helper_types::InnerJoin<claims::table, visits::table>, diesel::pg::Pg>;

fn query(s: &Sought) -> Found<'_> {
    let mut q = claims::table.inner_join(visits::table).into_boxed();
    if let Some(state) = s.state {
        q = q.filter(claims::state.eq(state.code()));
    }
    if let Some(payer) = s.payer {
        q = q.filter(claims::payer_id.eq(payer));
    }
    if let Some(clinician) = s.clinician {
        q = q.filter(visits::clinician_id.eq(clinician));
    }
    if let Some(site) = s.site {
        q = q.filter(visits::site_id.eq(site));
    }
    if let Some(least) = s.least {
        q = q.filter(claims::total_cents.ge(least.get()));
    }
    if let Some(most) = s.most {
        q = q.filter(claims::total_cents.le(most.get()));
    }
    if s.wrong {
        q = q.filter(sql::<Bool>("cardinality(claims.reasons) > 0"));
    }
    between(q, s)
}

/// Within the days that are asked for.
fn between<'a>(mut q: Found<'a>, s: &'a Sought) -> Found<'a> {
    match s.by {
        ByDay::Service => {
            if let Some(from) = s.from {
                q = q.filter(visits::day.ge(from));
            }
            if let Some(to) = s.to {
                q = q.filter(visits::day.le(to));
            }
        }
        ByDay::Entry => {
            if let Some(from) = s.moments.0 {
                q = q.filter(claims::made_at.ge(from));
            }
            if let Some(to) = s.moments.1 {
                q = q.filter(claims::made_at.lt(to));
            }
        }
        ByDay::Billing => {
            let mut sent = batches::table.select(batches::id.nullable()).into_boxed();
            if let Some(from) = s.moments.0 {
                sent = sent.filter(batches::made_at.ge(from));
            }
            if let Some(to) = s.moments.1 {
                sent = sent.filter(batches::made_at.lt(to));
            }
            q = q.filter(claims::batch_id.eq_any(sent));
        }
        ByDay::Deadline => {
            // A day plus whole days is a day; a payer that told no limit has no deadline.
            let deadline = "visits.day + (select filing_days from payers where payers.id = claims.payer_id)";
            let told = payers::table.filter(payers::filing_days.is_not_null()).select(payers::id);
            q = q.filter(claims::payer_id.eq_any(told));
            if let Some(from) = s.from {
                q = q.filter(sql::<Bool>(&format!("{deadline} >= ")).bind::<diesel::sql_types::Date, _>(from));
            }
            if let Some(to) = s.to {
                q = q.filter(sql::<Bool>(&format!("{deadline} <= ")).bind::<diesel::sql_types::Date, _>(to));
            }
        }
    }
    q
}

/// A page of what is found, the latest made first.
pub async fn page(conn: &mut Conn, s: &Sought, limit: i64) -> Result<Vec<Claim>> {
    let mut q = query(s);
    if let Some(after) = s.after {
        let made = super::get(conn, after).await?.made_at;
        q = q.filter(claims::made_at.lt(made).or(claims::made_at.eq(made).and(claims::id.lt(after))));
    }
    Ok(q.order((claims::made_at.desc(), claims::id.desc())).limit(limit).select(Claim::as_select()).load(conn).await?)
}

/// How many are found, and what they come to; [`COUNTED`] at most.
pub async fn sums(conn: &mut Conn, s: &Sought) -> Result<Sums> {
    let cents: Vec<i64> = query(s).select(claims::total_cents).limit(COUNTED + 1).load(conn).await?;
    let more = cents.len() > usize::try_from(COUNTED).unwrap_or(usize::MAX);
    let counted = i64::try_from(cents.len()).unwrap_or(COUNTED).min(COUNTED);
    Ok(Sums { claims: counted, cents: cents.iter().take(usize::try_from(COUNTED).unwrap_or(0)).sum(), more })
}
