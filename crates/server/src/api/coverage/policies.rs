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
use harbor_store::{Change, Conn, coverage as store, people};
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
    /// in_force, refused, waiting, no_answer.
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
    /// The last attempt to ask about the day; of another day when nobody asked about this one.
    benefits: Option<BenefitView>,
    /// What the payer said before, when the last attempt brought no answer.
    said_before: Option<BenefitView>,
    /// Whether the last attempt was about this day.
    asked_about_day: bool,
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
        BenefitsState::InForce => ("in_force", format!("In force on {}.", typed_date::short(check.service_date))),
        BenefitsState::Refused(why) => ("refused", why),
        BenefitsState::NoAnswer(why) => ("no_answer", why),
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

/// The policies of a person with what their payers said of a day.
pub async fn views(conn: &mut Conn, person: Uuid, day: NaiveDate) -> Result<Vec<CoverageView>, Problem> {
    let owner = people::get(conn, person).await?;
    let rows = store::of_person(conn, person).await?;
    let payers = store::payers(conn).await?;
    let ids: Vec<Uuid> = rows.iter().map(|c| c.id).collect();
    let of_day = store::attempts(conn, &ids, &[day]).await?;
    let latest = store::latest_checks(conn, &ids).await?;
    let answers = store::latest_answers(conn, &ids).await?;
    let cards = cards::of_coverages(conn, &rows.iter().map(|c| c.id).collect::<Vec<_>>()).await?;
    let shared = store::shared_with(conn, &rows).await?;
    let sharers = people::by_id(conn, shared.iter().map(|c| c.person_id)).await?;
    let counting = store::counting(&rows, person, day).map(|c| c.id);
    let mut out = Vec::new();
    for row in rows {
        let holder = match row.holder_id {
            Some(id) => people::get(conn, id).await?,
            None => owner.clone(),
        };
        let of = |all: &[BenefitCheck]| all.iter().find(|b| b.coverage_id == row.id).cloned().map(benefit_view);
        let about_day = of(&of_day);
        let asked_about_day = about_day.is_some();
        let benefits = about_day.or_else(|| of(&latest));
        let open = benefits.as_ref().is_some_and(|b| matches!(b.outcome.as_str(), "waiting" | "no_answer"));
        let said_before = if open { of(&answers) } else { None };
        out.push(CoverageView {
            payer: payers.iter().find(|p| p.id == row.payer_id).map(|p| p.name.clone()).unwrap_or_default(),
            holder: format!("{} {}", holder.first_name, holder.last_name),
            counts_today: counting == Some(row.id),
            benefits,
            said_before,
            asked_about_day,
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

#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CoverageForm {
    #[serde(default)]
    version: i32,
    #[serde(default)]
    rank: String,
    payer_id: Option<Uuid>,
    /// With a correction, nothing leaves it; so it is with every field but the dates.
    plan_name: Option<String>,
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
    /// The form with what it leaves out as it stands.
    fn over(&self, before: &Coverage) -> CoverageForm {
        let held = !self.relationship.is_empty();
        CoverageForm {
            rank: if self.rank.is_empty() { before.rank.code().into() } else { self.rank.clone() },
            payer_id: self.payer_id.or(Some(before.payer_id)),
            plan_name: self.plan_name.clone().or_else(|| Some(before.plan_name.clone())),
            relationship: if held { self.relationship.clone() } else { before.relationship.code().into() },
            holder_id: if held { self.holder_id } else { before.holder_id },
            starts_on: if self.starts_on.trim().is_empty() {
                before.starts_on.to_string()
            } else {
                self.starts_on.clone()
            },
            ..self.clone()
        }
    }

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
        plan_name: faults.optional_line("planName", "Plan", f.plan_name.as_deref().unwrap_or(""), 60),
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

/// Corrects everything that a policy says, or ends it by a date. A payer, holder, rank, plan or beginning that is left out
/// stays.
#[utoipa::path(put, path = "/api/coverages/{id}", params(("id" = Uuid, Path)), request_body = CoverageForm, responses((status = 200, body = Coverage), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn correct(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CoverageForm>) -> Answer<Coverage> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let before = store::get(change.conn(), *id).await?;
            let wanted = policy(&form.0.over(&before), state.today())?;
            let sharers = store::shared_with(change.conn(), std::slice::from_ref(&before)).await?;
            let row = change.correct_coverage(*id, form.version, wanted.clone()).await?;
            // Each of the others by choice, and only those who have this very policy; what is their own stays.
            for other in sharers.iter().filter(|c| form.also.contains(&c.id)) {
                let along = Policy {
                    payer_id: wanted.payer_id,
                    plan_name: wanted.plan_name.clone(),
                    subscriber_number: wanted.subscriber_number.clone(),
                    group_number: wanted.group_number.clone(),
                    ends_on: wanted.ends_on,
                    ..Policy::from(other)
                };
                change.correct_coverage(other.id, other.version, along).await?;
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
    /// What becomes of a policy of this rank that is in force then: replace (it ends the day before) or next_rank (the
    /// copy takes the next free one). Nothing: refused (a problem of the type `policy-beside`), so that somebody chooses.
    #[serde(default)]
    beside: String,
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
            let mut made = Vec::new();
            for to in form.iter() {
                let wanted = copied(&from, to)?;
                let wanted = beside_what_is_there(change, &state, to, wanted).await?;
                made.push(change.add_coverage(to.person_id, wanted).await?);
            }
            Ok(Json(made))
        })
        .await
}

/// The policy as it is of the one to whom it is copied.
fn copied(from: &Coverage, to: &CopyTo) -> Result<Policy, Problem> {
    let holder = from.holder_id.unwrap_or(from.person_id);
    let own = to.person_id == holder;
    let told = Relationship::from_code(&to.relationship).filter(|r| *r != Relationship::SelfHolder);
    let relationship = own
        .then_some(Relationship::SelfHolder)
        .or(told)
        .ok_or_else(|| Problem::field("relationship", "Choose how each is related to the policyholder."))?;
    Ok(Policy { relationship, holder_id: (!own).then_some(holder), ..Policy::from(from) })
}

/// The copy beside the policies that its owner has: as it is, from today on in place of another, or behind it.
async fn beside_what_is_there(
    change: &mut Change<'_>,
    state: &State,
    to: &CopyTo,
    wanted: Policy,
) -> Result<Policy, Problem> {
    let owner = people::get(change.conn(), to.person_id).await?;
    let name = format!("{} {}", owner.first_name, owner.last_name);
    let theirs = store::of_person(change.conn(), to.person_id).await?;
    let holder = wanted.holder_id.unwrap_or(to.person_id);
    let open = |c: &&Coverage| c.ends_on.is_none_or(|end| end >= wanted.starts_on && end >= state.today());
    let same = |c: &&Coverage| {
        (c.payer_id, &c.subscriber_number, c.holder_id.unwrap_or(c.person_id))
            == (wanted.payer_id, &wanted.subscriber_number, holder)
    };
    if theirs.iter().filter(open).any(|c| same(&c)) {
        return Err(Problem::refused("policy-there", format!("{name} has this policy already.")));
    }
    let taken = |rank: Rank| theirs.iter().filter(open).find(|c| *c.rank == rank);
    let Some(there) = taken(wanted.rank) else { return Ok(wanted) };
    match to.beside.as_str() {
        "replace" => {
            let starts_on = wanted.starts_on.max(state.today());
            let last = starts_on - chrono::Duration::days(1);
            change
                .correct_coverage(there.id, there.version, Policy { ends_on: Some(last), ..Policy::from(there) })
                .await?;
            Ok(Policy { starts_on, ..wanted })
        }
        "next_rank" => match [Rank::Second, Rank::Third].into_iter().find(|rank| taken(*rank).is_none()) {
            Some(rank) => Ok(Policy { rank, ..wanted }),
            None => Err(Problem::refused("policy-there", format!("{name} has three policies already; end one first."))),
        },
        _ => {
            let rank = wanted.rank.label();
            let said = format!(
                "{name} has a {rank} policy ({}). Replace it from today on, or take the next rank.",
                there.subscriber_number
            );
            Err(Problem::refused("policy-beside", said))
        }
    }
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

/// The patient keeps a visit from the plan and pays for it in full (45 CFR 164.522(a)(1)(vi)).
#[utoipa::path(post, path = "/api/visits/{id}/kept-from-plan", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn keep_from_plan(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.keep_from_plan(*id).await?;
            Ok(DONE)
        })
        .await
}

/// The patient no longer keeps the visit from the plan: the policy on file counts again.
#[utoipa::path(delete, path = "/api/visits/{id}/kept-from-plan", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn no_longer_keep(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.no_longer_keep(*id).await?;
            Ok(DONE)
        })
        .await
}
