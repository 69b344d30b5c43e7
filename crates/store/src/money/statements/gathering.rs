//! What would stand on whose statement now.

use super::{confidential, wishes};
use crate::money::ledger::balances;
use crate::money::open_debts::{OpenDebt, payers_decide};
use crate::money::{remittances, rules};
use crate::people::{messages, registration};
use crate::rows::{MoneyRules, Person, RemittedClaim, StatementWish, Visit};
use crate::schema::statements as s;
use crate::visit_line::visits;
use crate::{Conn, Result, claims, coverage, people};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Balances;
use harbor_core::money::statements::{DebtFacts, NotNow, Recipient, StandsOn, StatementWay, due, stands_on};
use std::collections::{BTreeMap, HashMap, HashSet};
use uuid::Uuid;

/// A statement as it would be now.
#[derive(Debug, Clone)]
pub struct Draft {
    pub guarantor: Uuid,
    /// To whom it goes.
    pub to: Person,
    pub wish: Option<StatementWish>,
    pub debts: Vec<OpenDebt>,
    pub owes: Cents,
    pub way: GoesOut,
}

/// How it goes out, or why not now.
pub type GoesOut = std::result::Result<StatementWay, NotNow>;

/// A debt that stands on no statement, with the reason.
#[derive(Debug, Clone)]
pub struct KeptApart {
    pub debt: OpenDebt,
    pub why: &'static str,
}

/// When it is asked, and whether somebody asks for this one.
#[derive(Debug, Clone, Copy)]
pub struct AskedOn {
    pub today: NaiveDate,
    pub zone: Tz,
    pub asked_for: bool,
}

/// The statements that these debts make.
pub async fn drafts(conn: &mut Conn, debts: Vec<OpenDebt>, on: AskedOn) -> Result<(Vec<Draft>, Vec<KeptApart>)> {
    let of_visits: Vec<Uuid> = debts.iter().filter_map(|d| d.visit_id).collect();
    let undecided: HashSet<Uuid> = payers_decide(conn, &of_visits).await?.into_iter().collect();
    let private: HashSet<Uuid> = confidential(conn, &of_visits).await?.into_iter().collect();
    let who: HashSet<Uuid> = debts.iter().flat_map(|d| [d.person_id, d.guarantor_id]).flatten().collect();
    let who: Vec<Uuid> = who.into_iter().collect();
    let persons = people::by_id(conn, who.iter().copied()).await?;
    let wishes = wishes(conn, &who).await?;
    let registered = registration::of_many(conn, &who).await?;
    let mut papers: BTreeMap<(Uuid, Uuid), Vec<OpenDebt>> = BTreeMap::new();
    let mut apart = Vec::new();
    for debt in debts {
        let (Some(patient), Some(guarantor)) = (debt.person_id, debt.guarantor_id) else { continue };
        let facts = DebtFacts {
            own: patient == guarantor,
            payer_decides: debt.visit_id.is_some_and(|v| undecided.contains(&v)),
            confidential: debt.visit_id.is_some_and(|v| private.contains(&v)),
            restricted: registered.get(&patient).is_some_and(|r| r.restricted),
            elsewhere: wishes.get(&patient).is_some_and(|w| !w.other_address.is_empty()),
        };
        match stands_on(facts) {
            StandsOn::Guarantors => papers.entry((guarantor, guarantor)).or_default().push(debt),
            StandsOn::Patients => papers.entry((guarantor, patient)).or_default().push(debt),
            StandsOn::Nobodys(why) if debt.cents().is_positive() => apart.push(KeptApart { debt, why }),
            StandsOn::Nobodys(_) => {}
        }
    }
    let rules = rules::get(conn).await?;
    let to: Vec<Uuid> = papers.keys().map(|(_, to)| *to).collect();
    let last = last_sent(conn, &to).await?;
    let rows: Vec<Person> = to.iter().filter_map(|id| persons.get(id)).cloned().collect();
    let agreed: HashMap<Uuid, bool> = rows
        .iter()
        .zip(messages::reachable(conn, &rows).await?)
        .map(|(p, r)| (p.id, r.email_agreed == Some(true) && r.email.is_some_and(|e| !e.is_empty())))
        .collect();
    let draft = |((guarantor, to), debts): ((Uuid, Uuid), Vec<OpenDebt>)| {
        let person = persons.get(&to)?.clone();
        let wish = wishes.get(&to).cloned();
        let elsewhere = wish.as_ref().is_some_and(|w| !w.other_address.is_empty());
        let owes: Cents = debts.iter().map(OpenDebt::cents).sum();
        let recipient = Recipient {
            owes,
            deceased: person.deceased_on.is_some(),
            held_because: wish.as_ref().map(|w| w.held_because.clone()).unwrap_or_default(),
            last: last.get(&to).map(|at| at.with_timezone(&on.zone).date_naive()),
            address: elsewhere || registration::has_address(&person),
            by_email: !elsewhere
                && wish.as_ref().is_some_and(|w| w.by_email)
                && agreed.get(&to).copied().unwrap_or(false),
        };
        let way = due(&recipient, rules.for_statements(), on.today, on.asked_for);
        Some(Draft { guarantor, to: person, wish, debts, owes, way })
    };
    let mut drafts: Vec<Draft> = papers.into_iter().filter_map(draft).collect();
    drafts.sort_by_key(|d| (-d.owes.get(), d.guarantor, d.to.id));
    Ok((drafts, apart))
}

/// When the last statement went to each.
async fn last_sent(conn: &mut Conn, to: &[Uuid]) -> Result<HashMap<Uuid, DateTime<Utc>>> {
    let rows: Vec<(Uuid, Option<DateTime<Utc>>)> = s::table
        .filter(s::to_person_id.eq_any(to))
        .group_by(s::to_person_id)
        .select((s::to_person_id, diesel::dsl::max(s::at)))
        .load(conn)
        .await?;
    Ok(rows.into_iter().filter_map(|(to, at)| Some((to, at?))).collect())
}

/// What stands behind the visits of a statement: enough to say why each cent is left.
#[derive(Debug, Clone, Default)]
pub struct Behind {
    pub visits: HashMap<Uuid, Visit>,
    pub balances: HashMap<Uuid, Balances>,
    /// By visit: which payer decided what, the oldest first.
    pub decisions: HashMap<Uuid, Vec<(String, RemittedClaim)>>,
    pub people: HashMap<Uuid, Person>,
    pub rules: Option<MoneyRules>,
}

/// What stands behind these debts.
pub async fn behind(conn: &mut Conn, debts: &[OpenDebt]) -> Result<Behind> {
    let ids: Vec<Uuid> = debts.iter().filter_map(|d| d.visit_id).collect();
    let billed = claims::of_visits(conn, &ids).await?;
    let names: HashMap<Uuid, String> = coverage::payers(conn).await?.into_iter().map(|p| (p.id, p.name)).collect();
    let of: HashMap<Uuid, (Uuid, String)> = billed
        .iter()
        .map(|c| (c.id, (c.visit_id, names.get(&c.payer_id).cloned().unwrap_or_else(|| "the payer".into()))))
        .collect();
    let mut decisions: HashMap<Uuid, Vec<(String, RemittedClaim)>> = HashMap::new();
    for row in remittances::of_claims(conn, &billed.iter().map(|c| c.id).collect::<Vec<_>>()).await? {
        if let Some((visit, payer)) = row.claim_id.and_then(|id| of.get(&id)) {
            decisions.entry(*visit).or_default().push((payer.clone(), row));
        }
    }
    Ok(Behind {
        visits: visits::many(conn, &ids).await?,
        balances: balances(conn, &ids).await?,
        decisions,
        people: people::by_id(conn, debts.iter().filter_map(|d| d.person_id)).await?,
        rules: Some(rules::get(conn).await?),
    })
}
