//! Policies and benefit checks.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::coverage::{Fact, Rank, Relationship, Term, Verdict, verdicts};
use harbor_core::fields::identifiers::subscriber_number;
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{Faults, typed_date};
use harbor_core::money::Cents;
use harbor_store::codes::Code;
use harbor_store::coverage::cards::CardPicture;
use harbor_store::coverage::{Policy, cards};
use harbor_store::rows::{BenefitCheck, Coverage};
use harbor_store::visit_line::{facts, visits};
use harbor_store::{Conn, coverage as store, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FactView {
    fact: String,
    sent: String,
    /// confirmed, refused or not_said.
    verdict: String,
    reason: String,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BenefitView {
    check: BenefitCheck,
    /// in_force, refused, waiting.
    outcome: String,
    sentence: String,
    facts: Vec<FactView>,
    plan: Vec<String>,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CoverageView {
    pub coverage: Coverage,
    payer: String,
    holder: String,
    counts_today: bool,
    benefits: Option<BenefitView>,
    cards: Vec<CardPicture>,
    /// Others of the household who have this very policy.
    shared: Vec<SharedWith>,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SharedWith {
    coverage_id: Uuid,
    name: String,
}

fn benefit_view(check: BenefitCheck) -> BenefitView {
    use harbor_core::visit_line::BenefitsState;
    let (outcome, sentence) = match facts::benefits_state(&check) {
        BenefitsState::InForce => ("in_force", "In force on the day of the visit.".to_owned()),
        BenefitsState::Refused(why) => ("refused", why),
        _ => ("waiting", "The payer has not answered yet.".to_owned()),
    };
    let asked: Vec<Fact> = check.facts.iter().map(|f| **f).collect();
    let answer = check.answer.as_ref().map(|a| a.in_core());
    let fact_views = answer.iter().flat_map(|a| verdicts(a, &asked)).map(|(fact, verdict)| {
        let (verdict, reason) = match verdict {
            Verdict::Confirmed => ("confirmed", String::new()),
            Verdict::Refused(why) => ("refused", why),
            Verdict::NotSaid => ("not_said", String::new()),
        };
        FactView {
            fact: fact.label().into(),
            sent: check.sent.get(&Code(fact)).cloned().unwrap_or_default(),
            verdict: verdict.into(),
            reason,
        }
    });
    let plan = answer.iter().filter(|a| a.active.is_some()).flat_map(|a| {
        let mut out = vec![format!("Plan: {}", a.plan_name)];
        let mut money = |label: &str, c: Option<Cents>| out.extend(c.map(|c| format!("{label}: {c}")));
        money("Copay", a.copay);
        money("Deductible", a.deductible);
        money("Deductible left", a.deductible_left);
        money("Out-of-pocket maximum left", a.out_of_pocket_left);
        out.extend(a.coinsurance.map(|c| format!("Coinsurance: {} %", c / 100)));
        out.extend(a.other_plans.iter().map(|p| format!("The payer also knows of {p}: ask which pays first")));
        out.extend(a.messages.iter().map(|m| format!("The payer says: {m}")));
        out.extend(a.plan_ends.map(|d| format!("Ended: {}", typed_date::short(d))));
        out
    });
    BenefitView { facts: fact_views.collect(), plan: plan.collect(), outcome: outcome.into(), sentence, check }
}

/// The policies of a person with their last benefits checks.
pub async fn views(conn: &mut Conn, person: Uuid, today: NaiveDate) -> Result<Vec<CoverageView>, Problem> {
    let owner = people::get(conn, person).await?;
    let rows = store::of_person(conn, person).await?;
    let payers = store::payers(conn).await?;
    let checks = store::latest_checks(conn, &rows.iter().map(|c| c.id).collect::<Vec<_>>()).await?;
    let cards = cards::of_coverages(conn, &rows.iter().map(|c| c.id).collect::<Vec<_>>()).await?;
    let shared = store::shared_with(conn, &rows).await?;
    let sharers = people::by_id(conn, shared.iter().map(|c| c.person_id)).await?;
    let counting = store::counting(&rows, person, today).map(|c| c.id);
    let mut out = Vec::new();
    for row in rows {
        let holder = match row.holder_id {
            Some(id) => people::get(conn, id).await?,
            None => owner.clone(),
        };
        let benefits = checks.iter().find(|b| b.coverage_id == row.id).map(|b| benefit_view(b.clone()));
        out.push(CoverageView {
            payer: payers.iter().find(|p| p.id == row.payer_id).map(|p| p.name.clone()).unwrap_or_default(),
            holder: format!("{} {}", holder.first_name, holder.last_name),
            counts_today: counting == Some(row.id),
            benefits,
            shared: shared
                .iter()
                .filter(|c| store::identity(&row) == store::identity(c))
                .filter_map(|c| {
                    let p = sharers.get(&c.person_id)?;
                    Some(SharedWith { coverage_id: c.id, name: format!("{} {}", p.first_name, p.last_name) })
                })
                .collect(),
            cards: cards.iter().filter(|p| p.coverage_id == row.id).cloned().collect(),
            coverage: row,
        });
    }
    Ok(out)
}

#[utoipa::path(get, path = "/api/people/{id}/coverages", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<CoverageView>)))]
pub async fn list(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<CoverageView>> {
    let mut conn = state.store.reader().await?;
    Ok(Json(views(&mut conn, *id, state.today()).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CoverageForm {
    #[serde(default)]
    version: i32,
    #[serde(default)]
    rank: String,
    payer_id: Option<Uuid>,
    #[serde(default)]
    plan_name: String,
    #[serde(default)]
    subscriber_number: String,
    #[serde(default)]
    group_number: String,
    #[serde(default)]
    relationship: String,
    holder_id: Option<Uuid>,
    #[serde(default)]
    starts_on: String,
    #[serde(default)]
    ends_on: String,
    #[serde(default)]
    copay: String,
    /// Set when somebody else has this number and both cards were compared.
    #[serde(default)]
    pub(crate) knowingly: bool,
    /// With a correction: the same policies of others that are corrected too.
    #[serde(default)]
    also: Vec<Uuid>,
}

impl CoverageForm {
    /// Says who holds the policy: somebody else, or the person.
    pub(crate) fn held_by(&mut self, holder: Option<Uuid>) {
        self.holder_id = holder;
        if holder.is_none() {
            self.relationship = Relationship::SelfHolder.code().into();
        } else if self.relationship == Relationship::SelfHolder.code() {
            self.relationship = Relationship::Other.code().into();
        }
    }
}

fn date(faults: &mut Faults, field: &str, text: &str, today: NaiveDate) -> Option<NaiveDate> {
    if text.trim().is_empty() {
        return None;
    }
    typed_date::parse(text, today, Sense::Any).map_err(|e| faults.add(field, e.to_string())).ok()
}

fn number(faults: &mut Faults, text: &str) -> String {
    subscriber_number(text).unwrap_or_else(|sentence| {
        faults.add("subscriberNumber", sentence);
        String::new()
    })
}

fn copay(faults: &mut Faults, text: &str) -> Option<i64> {
    if text.trim().is_empty() {
        return None;
    }
    match Cents::parse(text) {
        Ok(c) if !c.is_negative() => Some(c.get()),
        Ok(_) => {
            faults.add("copay", "A copay is not negative.");
            None
        }
        Err(e) => {
            faults.add("copay", e.to_string());
            None
        }
    }
}

pub(crate) fn policy(f: &CoverageForm, today: NaiveDate) -> Result<Policy, Faults> {
    let mut faults = Faults::default();
    let rank = if f.rank.is_empty() { Rank::First.code() } else { &f.rank };
    let rank = faults.coded("rank", rank, "Choose first, second or third.");
    if f.payer_id.is_none() {
        faults.add("payerId", "Choose the payer.");
    }
    let relationship = if f.relationship.is_empty() { Relationship::SelfHolder.code() } else { &f.relationship };
    let said = "Choose how the patient is related to the policyholder.";
    let relationship = faults.coded("relationship", relationship, said);
    match (relationship, f.holder_id) {
        (Relationship::SelfHolder, Some(_)) => {
            faults.add("holderId", "The patient holds the policy; leave the policyholder empty.")
        }
        (r, None) if r != Relationship::SelfHolder => faults.add("holderId", "Choose the policyholder."),
        _ => {}
    }
    let starts_on = date(&mut faults, "startsOn", &f.starts_on, today)
        .unwrap_or_else(|| chrono::Datelike::with_ordinal(&today, 1).unwrap_or(today));
    let ends_on = date(&mut faults, "endsOn", &f.ends_on, today);
    if let Err(sentence) = Term::new(starts_on, ends_on) {
        faults.add("endsOn", sentence);
    }
    let p = Policy {
        rank,
        payer_id: f.payer_id.unwrap_or_default(),
        plan_name: faults.optional_line("planName", "Plan", &f.plan_name, 60),
        subscriber_number: number(&mut faults, &f.subscriber_number),
        group_number: faults.optional_line("groupNumber", "Group number", &f.group_number, 30),
        relationship,
        holder_id: f.holder_id,
        starts_on,
        ends_on,
        copay_cents: copay(&mut faults, &f.copay),
    };
    faults.none_or(p)
}

#[utoipa::path(post, path = "/api/people/{id}/coverages", params(("id" = Uuid, Path)), request_body = CoverageForm, responses((status = 200, body = Coverage), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CoverageForm>) -> Answer<Coverage> {
    let policy = policy(&form, state.today())?;
    state.store.change(&me.actor(), state.now(), async |change| {
        people::get(change.conn(), *id).await?;
        let others = store::others_under(change.conn(), *id, &policy).await?;
        if !form.knowingly && !others.is_empty() {
            let known = people::many(change.conn(), &others).await?;
            let names: Vec<String> = known.iter().map(|p| format!("{} {}", p.first_name, p.last_name)).collect();
            let sentence = format!(
                "{} has this subscriber number with another policyholder. Compare the cards; save again if both are right.",
                names.join(", ")
            );
            return Err(Problem::refused("subscriber-known", sentence));
        }
        let row = change.add_coverage(*id, policy).await?;
        Ok(Json(row))
    }).await
}

#[utoipa::path(put, path = "/api/coverages/{id}", params(("id" = Uuid, Path)), request_body = CoverageForm, responses((status = 200, body = Coverage), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn correct(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CoverageForm>) -> Answer<Coverage> {
    let mut faults = Faults::default();
    let subscriber = number(&mut faults, &form.subscriber_number);
    let group = faults.optional_line("groupNumber", "Group number", &form.group_number, 30);
    let ends_on = date(&mut faults, "endsOn", &form.ends_on, state.today());
    let copay = copay(&mut faults, &form.copay);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let before = store::get(change.conn(), *id).await?;
            let sharers = store::shared_with(change.conn(), std::slice::from_ref(&before)).await?;
            let row = change.correct_coverage(*id, form.version, &subscriber, &group, ends_on, copay).await?;
            // Each of the others by choice, and only those who have this very policy.
            for other in sharers.iter().filter(|c| form.also.contains(&c.id)) {
                change
                    .correct_coverage(other.id, other.version, &subscriber, &group, ends_on, other.copay_cents)
                    .await?;
            }
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BenefitsForm {
    visit_id: Option<Uuid>,
}

/// Asks the payer; the answer comes by itself and is told to every screen.
#[utoipa::path(post, path = "/api/coverages/{id}/benefits", params(("id" = Uuid, Path)), request_body = BenefitsForm, responses((status = 200, body = Done)))]
pub async fn ask_benefits(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<BenefitsForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::get(change.conn(), *id).await?;
            let day = match form.visit_id {
                Some(visit) => visits::get(change.conn(), visit).await?.day,
                None => state.today(),
            };
            change.ask_about(&row, form.visit_id, day).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CopyTo {
    person_id: Uuid,
    /// How this person is related to the policyholder.
    relationship: String,
}

/// Copies a policy to others of the household, each by name and relationship.
#[utoipa::path(post, path = "/api/coverages/{id}/copy", params(("id" = Uuid, Path)), request_body = Vec<CopyTo>, responses((status = 200, body = Vec<Coverage>), (status = 422, body = Problem)))]
pub async fn copy(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<Vec<CopyTo>>) -> Answer<Vec<Coverage>> {
    if form.is_empty() || form.len() > 30 {
        return Err(Problem::field("people", "Choose who is covered by the same policy."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let from = store::get(change.conn(), *id).await?;
            let holder = from.holder_id.unwrap_or(from.person_id);
            let mut made = Vec::new();
            for to in form.iter() {
                people::get(change.conn(), to.person_id).await?;
                let own = to.person_id == holder;
                let told = Relationship::from_code(&to.relationship).filter(|r| *r != Relationship::SelfHolder);
                let relationship = own
                    .then_some(Relationship::SelfHolder)
                    .or(told)
                    .ok_or_else(|| Problem::field("relationship", "Choose how each is related to the policyholder."))?;
                let policy = Policy {
                    rank: *from.rank,
                    payer_id: from.payer_id,
                    plan_name: from.plan_name.clone(),
                    subscriber_number: from.subscriber_number.clone(),
                    group_number: from.group_number.clone(),
                    relationship,
                    holder_id: (!own).then_some(holder),
                    starts_on: from.starts_on,
                    ends_on: from.ends_on,
                    copay_cents: from.copay_cents,
                };
                made.push(change.add_coverage(to.person_id, policy).await?);
            }
            Ok(Json(made))
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Asked {
    day: NaiveDate,
    asked: usize,
}

/// Asks the payers about tomorrow's visits now; by itself it happens every evening.
#[utoipa::path(post, path = "/api/benefits/tomorrow", responses((status = 200, body = Asked)))]
pub async fn ask_tomorrow(state: Data<State>, me: Me) -> Answer<Asked> {
    let day = state.today() + chrono::Duration::days(1);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let asked = change.ask_overnight(day, true).await?;
            Ok(Json(Asked { day, asked }))
        })
        .await
}
