//! Calls about debts: whom to call, and what was said.

use super::open_debts::{OpenDebt, of_all_guarantors, of_guarantors};
use super::plans::{LivePlan, running};
use super::rules;
use crate::rows::CallNote;
use crate::schema::call_notes as c;
use crate::{Change, Conn, Result, Topic};
use chrono::NaiveDate;
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::calls::{CallWhy, Debtor, LastCall, to_call};
use std::collections::HashMap;
use uuid::Uuid;

/// Somebody to be called.
#[derive(Debug, Clone)]
pub struct ToCall {
    pub guarantor: Uuid,
    pub owed: Cents,
    pub why: CallWhy,
    pub last: Option<CallNote>,
}

/// What was said to somebody, the newest first.
pub async fn of_guarantor(conn: &mut Conn, who: Uuid) -> Result<Vec<CallNote>> {
    let of = c::table.filter(c::guarantor_id.eq(who)).order((c::at.desc(), c::id.desc())).limit(50);
    Ok(of.select(CallNote::as_select()).load(conn).await?)
}

async fn newest(conn: &mut Conn, who: &[Uuid]) -> Result<HashMap<Uuid, CallNote>> {
    let rows: Vec<CallNote> = c::table
        .filter(c::guarantor_id.eq_any(who))
        .order((c::guarantor_id, c::at.desc(), c::id.desc()))
        .distinct_on(c::guarantor_id)
        .select(CallNote::as_select())
        .load(conn)
        .await?;
    Ok(rows.into_iter().map(|note| (note.guarantor_id, note)).collect())
}

fn last_call(note: &CallNote, zone: Tz) -> LastCall {
    LastCall {
        on: note.at.with_timezone(&zone).date_naive(),
        promised: note.promised_cents.map(Cents::new).zip(note.promised_on),
        owed: Cents::new(note.owed_cents),
        again_on: note.again_on,
    }
}

/// Everybody to be called today, the most pressing first.
pub async fn list(conn: &mut Conn, today: NaiveDate, zone: Tz) -> Result<Vec<ToCall>> {
    let bounds = rules::get(conn).await?.bounds();
    let mut debts: HashMap<Uuid, Vec<OpenDebt>> = HashMap::new();
    for debt in of_all_guarantors(conn).await? {
        if let Some(who) = debt.guarantor_id {
            debts.entry(who).or_default().push(debt);
        }
    }
    let who: Vec<Uuid> = debts.keys().copied().collect();
    let mut notes = newest(conn, &who).await?;
    let plans: HashMap<Uuid, LivePlan> = running(conn).await?.into_iter().map(|p| (p.row.guarantor_id, p)).collect();
    let mut out = Vec::new();
    for (guarantor, debts) in debts {
        let last = notes.remove(&guarantor);
        let oldest = debts.iter().filter(|d| d.cents().is_positive()).map(|d| (today - d.owed_day).num_days()).max();
        let known = Debtor {
            owed: debts.iter().map(OpenDebt::cents).sum(),
            oldest: oldest.unwrap_or(0),
            last_call: last.as_ref().map(|note| last_call(note, zone)),
            missed: plans.get(&guarantor).map(|p| p.stands(today).missed),
        };
        if let Some(why) = to_call(&known, today, &bounds) {
            out.push(ToCall { guarantor, owed: known.owed, why, last });
        }
    }
    out.sort_by_key(|call| (call.why.rank(), -call.owed.get(), call.guarantor));
    Ok(out)
}

impl Change<'_> {
    /// Notes what was said on the telephone.
    pub async fn note_call(
        &mut self,
        guarantor: Uuid,
        sentence: &str,
        promised: Option<(Cents, NaiveDate)>,
        again_on: Option<NaiveDate>,
    ) -> Result<()> {
        let owed: Cents = of_guarantors(self.conn(), &[guarantor]).await?.iter().map(OpenDebt::cents).sum();
        let row = CallNote {
            id: Uuid::now_v7(),
            guarantor_id: guarantor,
            at: self.now,
            by: self.actor.name.clone(),
            sentence: sentence.to_owned(),
            promised_cents: promised.map(|(cents, _)| cents.get()),
            promised_on: promised.map(|(_, day)| day),
            owed_cents: owed.get(),
            again_on,
        };
        diesel::insert_into(c::table).values(&row).execute(self.conn()).await?;
        self.audit("noted", "call", row.id, Some(guarantor), String::new());
        self.tell(Topic::Owed, guarantor);
        Ok(())
    }
}
