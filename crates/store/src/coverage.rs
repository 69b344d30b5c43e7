//! Policies and benefit checks.

pub mod cards;
pub mod kept;
mod payers;
pub mod referrals;

pub use payers::{payer, payers};

use crate::codes::Code;
use crate::documents::{Doc, SentFacts, StoredAnswer};
use crate::jobs::JobKind;
use crate::rows::{BenefitCheck, Coverage, Person, Visit};
use crate::schema::{benefit_checks, benefit_runs, coverages};
use crate::visit_line::visits;
use crate::{Change, Conn, Result, StoreError, Topic, people};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::coverage::BenefitAnswer;
use harbor_core::coverage::{
    CheckState, Fact, KnownOf, PolicyIdentity, Rank, Relationship, facts_to_send, is_fresh, is_of_another,
};
use harbor_core::fields::typed_date;
use std::collections::HashSet;
use uuid::Uuid;

pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Coverage>> {
    of_people(conn, &[person]).await
}

pub async fn of_people(conn: &mut Conn, people: &[Uuid]) -> Result<Vec<Coverage>> {
    Ok(coverages::table
        .filter(coverages::person_id.eq_any(people))
        .order((coverages::rank, coverages::starts_on.desc()))
        .select(Coverage::as_select())
        .load(conn)
        .await?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Coverage> {
    coverages::table
        .find(id)
        .select(Coverage::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("policy"))
}

/// The policies of a person that pay on a day, in the order in which they pay, as the core decides.
pub fn paying(policies: &[Coverage], person: Uuid, day: NaiveDate) -> Vec<&Coverage> {
    use harbor_core::coverage::{Rank, Term, paying_policies};
    let listed: Vec<(Rank, Term, &Coverage)> = policies
        .iter()
        .filter(|c| c.person_id == person)
        .filter_map(|c| Some((*c.rank, Term::new(c.starts_on, c.ends_on).ok()?, c)))
        .collect();
    paying_policies(&listed, day).into_iter().copied().collect()
}

/// The policy of a person that counts on a day.
pub fn counting(policies: &[Coverage], person: Uuid, day: NaiveDate) -> Option<&Coverage> {
    paying(policies, person, day).into_iter().next()
}

/// The policies that pay for a visit in their order, by what it is for: an accident at work is the employers' fund's.
pub fn paying_by_cause<'a>(
    policies: &'a [Coverage],
    visit: &Visit,
    at_work: bool,
    is_fund: impl Fn(Uuid) -> bool,
) -> Vec<&'a Coverage> {
    let held: Vec<(bool, &Coverage)> =
        paying(policies, visit.person_id, visit.day).into_iter().map(|c| (is_fund(c.payer_id), c)).collect();
    harbor_core::coverage::paying_by_cause(&held, at_work)
}

/// Of the policies that a person holds, the one that pays for a visit: the one that it names, otherwise the one that counts; none
/// where it is self-pay.
pub fn pays_for<'a>(
    held: &'a [Coverage],
    visit: &Visit,
    at_work: bool,
    is_fund: impl Fn(Uuid) -> bool,
) -> Option<&'a Coverage> {
    match visit.coverage_id {
        Some(id) => held.iter().find(|c| c.id == id),
        None if visit.self_pay => None,
        None => paying_by_cause(held, visit, at_work, is_fund).into_iter().next(),
    }
}

/// What decides who pays for a visit: the policies that its person holds, whether it is for an accident at work, and which payers
/// are funds.
struct Held {
    policies: Vec<Coverage>,
    at_work: bool,
    funds: HashSet<Uuid>,
}

async fn held_for(conn: &mut Conn, visit: &Visit) -> Result<Held> {
    let known = crate::claims::accidents::of_people(conn, &[visit.person_id]).await?;
    Ok(Held {
        policies: of_person(conn, visit.person_id).await?,
        at_work: crate::claims::accidents::is_at_work(&known, visit),
        funds: payers(conn).await?.into_iter().filter(|p| p.employment).map(|p| p.id).collect(),
    })
}

/// The policy that pays for a visit, as it is known now.
pub async fn paying_for(conn: &mut Conn, visit: &Visit) -> Result<Option<Coverage>> {
    let Held { policies, at_work, funds } = held_for(conn, visit).await?;
    Ok(pays_for(&policies, visit, at_work, |id| funds.contains(&id)).cloned())
}

/// The policy that counts for a visit, as it is known now.
pub async fn counting_for(conn: &mut Conn, visit: &Visit) -> Result<Option<Uuid>> {
    let Held { policies, at_work, funds } = held_for(conn, visit).await?;
    Ok(paying_by_cause(&policies, visit, at_work, |id| funds.contains(&id)).into_iter().next().map(|c| c.id))
}

/// The policy of a visit once it is told what it is for.
pub async fn policy_by_cause(conn: &mut Conn, visit: &Visit) -> Result<Option<Uuid>> {
    let Some(current) = visit.coverage_id else { return Ok(None) };
    let Held { policies, at_work, funds } = held_for(conn, visit).await?;
    let of = |c: &Coverage| (funds.contains(&c.payer_id), c.id);
    let held: Vec<(bool, Uuid)> = policies.iter().map(of).collect();
    let on_the_day: Vec<(bool, Uuid)> = paying(&policies, visit.person_id, visit.day).into_iter().map(of).collect();
    Ok(Some(harbor_core::coverage::policy_for_cause(current, &held, &on_the_day, at_work)))
}

/// The latest benefit check of each policy.
pub async fn latest_checks(conn: &mut Conn, coverage_ids: &[Uuid]) -> Result<Vec<BenefitCheck>> {
    Ok(benefit_checks::table
        .filter(benefit_checks::coverage_id.eq_any(coverage_ids))
        .order((benefit_checks::coverage_id, benefit_checks::asked_at.desc(), benefit_checks::id.desc()))
        .distinct_on(benefit_checks::coverage_id)
        .select(BenefitCheck::as_select())
        .load(conn)
        .await?)
}

/// The last answer of each policy that says that it is in force, of whatever day.
pub async fn latest_answers(conn: &mut Conn, coverage_ids: &[Uuid]) -> Result<Vec<BenefitCheck>> {
    let all: Vec<BenefitCheck> = benefit_checks::table
        .filter(benefit_checks::coverage_id.eq_any(coverage_ids).and(benefit_checks::answer.is_not_null()))
        .order((benefit_checks::asked_at.desc(), benefit_checks::id.desc()))
        .select(BenefitCheck::as_select())
        .load(conn)
        .await?;
    let mut seen = HashSet::new();
    let good = |b: &BenefitCheck| b.answer.as_ref().is_some_and(|a| !a.in_core().is_no_answer());
    Ok(all.into_iter().filter(|b| good(b) && seen.insert(b.coverage_id)).collect())
}

/// Every attempt to ask about some policies and days, the latest first.
pub async fn attempts(conn: &mut Conn, coverage_ids: &[Uuid], days: &[NaiveDate]) -> Result<Vec<BenefitCheck>> {
    Ok(benefit_checks::table
        .filter(benefit_checks::coverage_id.eq_any(coverage_ids).and(benefit_checks::service_date.eq_any(days)))
        .order((benefit_checks::asked_at.desc(), benefit_checks::id.desc()))
        .select(BenefitCheck::as_select())
        .load(conn)
        .await?)
}

pub async fn check(conn: &mut Conn, id: Uuid) -> Result<BenefitCheck> {
    benefit_checks::table
        .find(id)
        .select(BenefitCheck::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("benefits check"))
}

/// A policy as a form sets it, checked before it comes here.
#[derive(Debug, Clone, PartialEq)]
pub struct Policy {
    pub rank: Rank,
    pub payer_id: Uuid,
    pub plan_name: String,
    pub subscriber_number: String,
    pub group_number: String,
    pub relationship: Relationship,
    pub holder_id: Option<Uuid>,
    pub starts_on: NaiveDate,
    pub ends_on: Option<NaiveDate>,
    pub copay_cents: Option<i64>,
}

impl From<&Coverage> for Policy {
    fn from(c: &Coverage) -> Policy {
        Policy {
            rank: *c.rank,
            payer_id: c.payer_id,
            plan_name: c.plan_name.clone(),
            subscriber_number: c.subscriber_number.clone(),
            group_number: c.group_number.clone(),
            relationship: *c.relationship,
            holder_id: c.holder_id,
            starts_on: c.starts_on,
            ends_on: c.ends_on,
            copay_cents: c.copay_cents,
        }
    }
}

/// Others who have a policy of this payer under this number and another policyholder.
pub async fn others_under(conn: &mut Conn, person: Uuid, p: &Policy) -> Result<Vec<Uuid>> {
    let holder = p.holder_id.unwrap_or(person);
    let rows: Vec<Coverage> = coverages::table
        .filter(coverages::payer_id.eq(p.payer_id).and(coverages::subscriber_number.eq(&p.subscriber_number)))
        .select(Coverage::as_select())
        .load(conn)
        .await?;
    Ok(rows
        .into_iter()
        .filter(|c| is_of_another(&person, &holder, &c.person_id, &c.holder_id.unwrap_or(c.person_id)))
        .map(|c| c.person_id)
        .collect())
}

/// The policies of others that are this very one: the same payer, number and policyholder, and not ended.
pub async fn shared_with(conn: &mut Conn, policies: &[Coverage]) -> Result<Vec<Coverage>> {
    let numbers: Vec<&str> = policies.iter().map(|c| c.subscriber_number.as_str()).collect();
    let owners: Vec<Uuid> = policies.iter().map(|c| c.person_id).collect();
    let rows: Vec<Coverage> = coverages::table
        .filter(coverages::subscriber_number.eq_any(numbers).and(coverages::person_id.ne_all(owners)))
        .order((coverages::person_id, coverages::id))
        .select(Coverage::as_select())
        .load(conn)
        .await?;
    Ok(rows.into_iter().filter(|c| policies.iter().any(|p| identity(p) == identity(c))).collect())
}

/// Which policy it is, whoever it covers.
pub fn identity(c: &Coverage) -> PolicyIdentity<'_, Uuid> {
    PolicyIdentity {
        payer: c.payer_id,
        subscriber_number: &c.subscriber_number,
        holder: c.holder_id.unwrap_or(c.person_id),
        ends_on: c.ends_on,
    }
}

/// The visits of a day whose counting policy was not asked about lately.
pub async fn to_ask_about(
    conn: &mut Conn,
    day: NaiveDate,
    now: chrono::DateTime<chrono::Utc>,
) -> Result<Vec<(Visit, Coverage)>> {
    let visits = visits::of_day(conn, day).await?;
    let people: Vec<Uuid> = visits.iter().map(|v| v.person_id).collect();
    let policies = of_people(conn, &people).await?;
    let checks = latest_checks(conn, &policies.iter().map(|c| c.id).collect::<Vec<_>>()).await?;
    let fresh = |c: &Coverage| {
        checks.iter().any(|b| b.coverage_id == c.id && b.service_date == day && is_fresh(b.asked_at, now))
    };
    let open = visits.into_iter().filter(|v| v.stage == Stage::Booked && !v.self_pay);
    Ok(open
        .filter_map(|v| {
            let policy = counting(&policies, v.person_id, day).filter(|c| !fresh(c))?.clone();
            Some((v, policy))
        })
        .collect())
}

/// The facts that a question about a policy carries, and what each of them is.
pub fn sent_facts(policy: &Coverage, holder: &Person, patient: &Person, day: NaiveDate) -> (Vec<Fact>, SentFacts) {
    let known = |p: &Person| KnownOf { birth_date: p.birth_date.is_some(), sex: p.sex.is_some() };
    let dependent = policy.holder_id.map(|_| known(patient));
    let facts = facts_to_send(known(holder), !policy.group_number.is_empty(), dependent);
    let sent = facts.iter().map(|f| (Code(*f), value_of(*f, policy, holder, patient, day))).collect();
    (facts, sent)
}

/// A fact as it is sent, in words.
fn value_of(fact: Fact, policy: &Coverage, holder: &Person, patient: &Person, day: NaiveDate) -> String {
    let birth = |p: &Person| p.birth_date.map(typed_date::short).unwrap_or_default();
    let name = |p: &Person| format!("{}, {}", p.last_name, p.first_name);
    match fact {
        Fact::Name => name(holder),
        Fact::BirthDate => birth(holder),
        Fact::Sex => holder.sex.map(|s| s.label().to_owned()).unwrap_or_default(),
        Fact::SubscriberNumber => policy.subscriber_number.clone(),
        Fact::Group => policy.group_number.clone(),
        Fact::PatientName => name(patient),
        Fact::PatientBirthDate => birth(patient),
        Fact::Relationship => policy.relationship.label().to_owned(),
        Fact::VisitDate => typed_date::short(day),
    }
}

impl Change<'_> {
    /// Asks the payers about the visits of a day; begun once for a day unless asked for by a person.
    pub async fn ask_overnight(&mut self, day: NaiveDate, again: bool) -> Result<usize> {
        use benefit_runs as r;
        let claimed = diesel::insert_into(r::table)
            .values((r::day.eq(day), r::begun_at.eq(self.now), r::asked.eq(0)))
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        if claimed == 0 && !again {
            return Ok(0);
        }
        let now = self.now;
        let due = to_ask_about(self.conn(), day, now).await?;
        for (visit, policy) in &due {
            self.ask_about(policy, Some(visit.id), day).await?;
        }
        let asked = i32::try_from(due.len()).unwrap_or(i32::MAX);
        diesel::update(r::table.find(day)).set(r::asked.eq(r::asked + asked)).execute(self.conn()).await?;
        self.audit("asked benefits", "day", Uuid::nil(), None, format!("{day}: {asked} visits"));
        Ok(due.len())
    }

    /// Asks the payer of a policy about a day, with every fact that is known.
    pub async fn ask_about(&mut self, policy: &Coverage, visit: Option<Uuid>, day: NaiveDate) -> Result<()> {
        let patient = people::get(self.conn(), policy.person_id).await?;
        let holder = match policy.holder_id {
            Some(id) => people::get(self.conn(), id).await?,
            None => patient.clone(),
        };
        let (facts, sent) = sent_facts(policy, &holder, &patient, day);
        self.ask_benefits(policy, visit, day, facts, sent).await.map(|_| ())
    }

    pub async fn add_coverage(&mut self, person: Uuid, p: Policy) -> Result<Coverage> {
        self.may_hold(person, &p).await?;
        let added = self.add_coverages(vec![(person, p)]).await?;
        added.into_iter().next().ok_or(StoreError::NotFound("policy"))
    }

    /// Adds policies of which is known that their holders can hold them.
    pub async fn add_coverages(&mut self, new: Vec<(Uuid, Policy)>) -> Result<Vec<Coverage>> {
        let row = |(person, p): (Uuid, Policy)| Coverage {
            id: Uuid::now_v7(),
            person_id: person,
            rank: p.rank.into(),
            payer_id: p.payer_id,
            plan_name: p.plan_name,
            subscriber_number: p.subscriber_number,
            group_number: p.group_number,
            relationship: p.relationship.into(),
            holder_id: p.holder_id,
            starts_on: p.starts_on,
            ends_on: p.ends_on,
            copay_cents: p.copay_cents,
            version: 1,
        };
        let rows: Vec<Coverage> = new.into_iter().map(row).collect();
        diesel::insert_into(coverages::table).values(&rows).execute(self.conn()).await?;
        for row in &rows {
            self.audit("added", "coverage", row.id, Some(row.person_id), row.subscriber_number.clone());
            self.tell(Topic::Person, row.person_id);
        }
        Ok(rows)
    }

    /// Corrects a policy, or ends it by a date. Its payer stays as soon as a claim went out under it: what was sent
    /// is not said to somebody else afterwards.
    pub async fn correct_coverage(&mut self, id: Uuid, version: i32, p: Policy) -> Result<Coverage> {
        use crate::schema::claims as k;
        use coverages as c;
        let before = get(self.conn(), id).await?;
        self.may_hold(before.person_id, &p).await?;
        if p.payer_id != before.payer_id {
            let claimed: i64 = k::table.filter(k::coverage_id.eq(id)).count().get_result(self.conn()).await?;
            if claimed > 0 {
                let sentence = "Claims went out under this policy; end it, and add the one of the other payer.";
                return Err(StoreError::refused("policy", sentence));
            }
        }
        let saved = diesel::update(c::table.filter(c::id.eq(id).and(c::version.eq(version))))
            .set((
                (c::payer_id.eq(p.payer_id), c::rank.eq(Code(p.rank)), c::plan_name.eq(&p.plan_name)),
                (c::subscriber_number.eq(&p.subscriber_number), c::group_number.eq(&p.group_number)),
                (c::relationship.eq(Code(p.relationship)), c::holder_id.eq(p.holder_id)),
                (c::starts_on.eq(p.starts_on), c::ends_on.eq(p.ends_on)),
                (c::copay_cents.eq(p.copay_cents), c::version.eq(version + 1)),
            ))
            .returning(Coverage::as_returning())
            .get_result(self.conn())
            .await
            .optional()?;
        let Some(row) = saved else {
            let current = get(self.conn(), id).await?;
            return Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() });
        };
        let said = format!("{} {}", row.subscriber_number, row.group_number);
        self.audit("corrected", "coverage", id, Some(row.person_id), said);
        self.tell(Topic::Person, row.person_id);
        Ok(row)
    }

    /// Whether somebody can hold the policy.
    async fn may_hold(&mut self, person: Uuid, p: &Policy) -> Result<()> {
        let holder = people::get(self.conn(), p.holder_id.unwrap_or(person)).await?;
        let name = format!("{} {}", holder.first_name, holder.last_name);
        let filing = payer(self.conn(), p.payer_id).await?.filing_code;
        match harbor_core::coverage::holder_refusal(&name, holder.birth_date, p.starts_on, &filing) {
            Some(sentence) => Err(StoreError::refused("policyholder", sentence)),
            None => Ok(()),
        }
    }

    /// Records a question to the payer and the work of asking it.
    pub async fn ask_benefits(
        &mut self,
        coverage: &Coverage,
        visit: Option<Uuid>,
        day: NaiveDate,
        facts: Vec<Fact>,
        sent: SentFacts,
    ) -> Result<BenefitCheck> {
        let id = Uuid::now_v7();
        let row = BenefitCheck {
            id,
            coverage_id: coverage.id,
            person_id: coverage.person_id,
            visit_id: visit,
            service_date: day,
            // The end of the id: its beginning is the time, the same for many questions of one evening.
            trace: format!("BQ{}", id.simple().to_string()[16..].to_uppercase()),
            state: CheckState::Waiting.into(),
            facts: facts.into_iter().map(Into::into).collect(),
            asked_at: self.now,
            asked_by: self.actor.name.clone(),
            answered_at: None,
            answer: None,
            failure: None,
            sent: Doc(sent),
        };
        diesel::insert_into(benefit_checks::table).values(&row).execute(self.conn()).await?;
        self.add_job(JobKind::AskBenefits, id).await?;
        self.audit("asked benefits", "benefit_check", id, Some(coverage.person_id), row.trace.clone());
        self.tell(Topic::Person, coverage.person_id);
        Ok(row)
    }

    pub async fn answer_benefits(
        &mut self,
        id: Uuid,
        person: Uuid,
        answer: Option<&BenefitAnswer>,
        failure: Option<String>,
    ) -> Result<()> {
        use benefit_checks as b;
        let now = self.now;
        let state = if answer.is_some() { "answered" } else { "failed" };
        diesel::update(b::table.find(id))
            .set((
                b::state.eq(state),
                b::answered_at.eq(now),
                b::answer.eq(answer.map(|a| Doc(StoredAnswer::from(a)))),
                b::failure.eq(failure),
            ))
            .execute(self.conn())
            .await?;
        self.audit("benefits answered", "benefit_check", id, Some(person), state);
        self.tell(Topic::Person, person);
        Ok(())
    }
}
