//! Bringing people and policies in from a file, and one person out: a dry run says row by row what would
//! happen, then it happens.

use super::person_form::{PersonForm, details};
use super::records::likeness;
use crate::access::Me;
use crate::api::coverage::policies::{CoverageForm, policy};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::http::header;
use actix_web::web::{Bytes, Data, Json, Path, Query};
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{Faults, typed_date};
use harbor_core::money::Cents;
use harbor_core::schedule::day_bounds;
use harbor_formats::incoming::{Fields, IncomingPerson, IncomingPolicy, UNFIT};
use harbor_formats::{csv_people, fhir};
use harbor_store::people::finding;
use harbor_store::rows::{Coverage, Payer, Person};
use harbor_store::{Change, StoreError, coverage, people as store};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashSet;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// So many people come in with one file.
const MOST: usize = 50_000;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ImportAsked {
    /// True writes nothing and says what would happen.
    dry_run: bool,
    /// Lines, with commas, of people who come in although somebody here is likely the same: they were looked at.
    #[serde(default)]
    also: String,
}

impl ImportAsked {
    fn also(&self) -> Result<HashSet<u64>, Problem> {
        let lines = self.also.split(',').filter(|line| !line.is_empty()).map(str::parse);
        lines.collect::<Result<_, _>>().map_err(|_| Problem::field("also", "Lines are numbers with commas between."))
    }
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RowVerdict {
    line: u64,
    name: String,
    /// added, twin or refused.
    verdict: String,
    sentence: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ImportAnswer {
    rows: Vec<RowVerdict>,
    added: usize,
    twins: usize,
    refused: usize,
    /// Headings that nobody knows; their columns are left out.
    unknown_headings: Vec<String>,
    dry_run: bool,
}

/// What happens to one row.
enum Outcome {
    Added(String),
    /// Here already.
    Twin(String),
    Refused(String),
}

/// Imports people with their first policy. Rows that are refused or likely registered already are left
/// out and told; all others are added in one change, or none.
#[utoipa::path(post, path = "/api/import/people", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn people(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = csv_people::read(&body).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    bring_in(&state, &me, &asked, file.rows, file.unknown).await
}

/// Imports policies of people who are known here by their record number.
#[utoipa::path(post, path = "/api/import/policies", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn policies(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = csv_people::read_policies(&body).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    bring_in(&state, &me, &asked, file.rows, file.unknown).await
}

/// Imports balances from before this ledger, of people who are known here by their record number. A line that
/// came in before is not taken again.
#[utoipa::path(post, path = "/api/import/balances", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn balances(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = csv_people::read_balances(&body).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    bring_in(&state, &me, &asked, file.rows, file.unknown).await
}

/// Imports people with their policies from a FHIR R4 bundle, or one Patient.
#[utoipa::path(post, path = "/api/import/fhir", params(ImportAsked), request_body(content = String, content_type = "application/fhir+json"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn fhir(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let rows = fhir::person::read(&body).map_err(|e| {
        Problem::refused(
            "unreadable",
            format!("The file is no FHIR bundle of people: {} should be {}.", e.id, e.expected),
        )
    })?;
    bring_in(&state, &me, &asked, rows, vec![]).await
}

async fn bring_in(
    state: &State,
    me: &Me,
    asked: &ImportAsked,
    rows: Vec<IncomingPerson>,
    unknown_headings: Vec<String>,
) -> Answer<ImportAnswer> {
    let (dry_run, also) = (asked.dry_run, asked.also()?);
    if rows.len() > MOST {
        return Err(Problem::refused("too-many", format!("A file holds at most {MOST} lines; split it.")));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if dry_run {
                change.on_trial();
            }
            let payers = coverage::payers(change.conn()).await?;
            let mut answer = ImportAnswer { rows: vec![], added: 0, twins: 0, refused: 0, unknown_headings, dry_run };
            for row in &rows {
                let names: Vec<&str> = ["recordNumber", "firstName", "lastName"]
                    .iter()
                    .filter_map(|f| row.fields.get(f).map(String::as_str))
                    .collect();
                let outcome = match row.fields.get("recordNumber") {
                    Some(number) if row.fields.contains_key("amount") => carry_over(change, state, number, row).await?,
                    Some(number) => cover_known(change, state, &payers, number, row).await?,
                    None => import(change, state, &payers, row, also.contains(&row.line)).await?,
                };
                let (verdict, sentence) = match outcome {
                    Outcome::Added(what) => {
                        answer.added += 1;
                        ("added", what)
                    }
                    Outcome::Twin(who) => {
                        answer.twins += 1;
                        ("twin", who)
                    }
                    Outcome::Refused(why) => {
                        answer.refused += 1;
                        ("refused", why)
                    }
                };
                answer.rows.push(RowVerdict {
                    line: row.line,
                    name: names.join(" "),
                    verdict: verdict.into(),
                    sentence,
                });
            }
            if dry_run || answer.added == 0 {
                change.give_up();
            }
            Ok(Json(answer))
        })
        .await
}

fn said(faults: Faults) -> String {
    faults.0.into_iter().map(|f| f.sentence).collect::<Vec<_>>().join(" ")
}

/// A form from the fields that it knows.
fn form<T: serde::de::DeserializeOwned>(fields: &Fields, more: Value) -> Result<T, Problem> {
    let mut value = json!(fields);
    for (key, extra) in more.as_object().into_iter().flatten() {
        value[key] = extra.clone();
    }
    serde_json::from_value(value).map_err(|e| Problem::refused("unreadable", e.to_string()))
}

/// Adds a person with policies, unless somebody here is likely the same.
async fn import(
    change: &mut Change<'_>,
    state: &State,
    payers: &[Payer],
    row: &IncomingPerson,
    somebody_else: bool,
) -> Result<Outcome, Problem> {
    if let Some(why) = row.fields.get(UNFIT) {
        return Ok(Outcome::Refused(why.clone()));
    }
    let typed: PersonForm = form(&row.fields, json!({}))?;
    let (d, more) = match details(&typed, state.today()) {
        Ok(checked) => checked,
        Err(faults) => return Ok(Outcome::Refused(said(faults))),
    };
    // Rows before this one count too: the same person may stand in the file twice.
    let twin = finding::likely_twins(change.conn(), &likeness(&d), 1).await?.into_iter().next();
    if let Some((twin, score)) = twin.filter(|_| !somebody_else) {
        let who = format!("{} {} {}", twin.record_number, twin.first_name, twin.last_name);
        return Ok(Outcome::Twin(format!("Likely {who}: {}.", score.reasons.join(", "))));
    }
    // A payer that nobody knows or a date that is none speaks against the whole row.
    for p in &row.policies {
        if let Err(why) = policy_of(p, payers, p.holder.as_ref().map(|_| Uuid::nil()), state)? {
            return Ok(Outcome::Refused(why));
        }
    }
    let person = change.add_person(&d, more).await?;
    let mut what = match change.is_trial() {
        true => "Is new.".to_owned(),
        false => format!("{} is new.", person.record_number),
    };
    for p in &row.policies {
        match cover(change, state, payers, &person, p).await? {
            Ok(()) => what.push_str(" With a policy."),
            // The person comes in; the policy is told and entered by hand.
            Err(why) => what.push_str(&format!(" Without its policy: {why}")),
        }
    }
    Ok(Outcome::Added(what))
}

/// Adds policies to somebody who is known here.
async fn cover_known(
    change: &mut Change<'_>,
    state: &State,
    payers: &[Payer],
    number: &str,
    row: &IncomingPerson,
) -> Result<Outcome, Problem> {
    let Some(person) = store::by_record_number(change.conn(), number).await? else {
        return Ok(Outcome::Refused(format!("Nobody here has the record number {number}.")));
    };
    let Some(p) = row.policies.first() else {
        return Ok(Outcome::Refused("The line has neither a payer nor a subscriber number.".into()));
    };
    let policy = match policy_of(p, payers, None, state)? {
        Ok(policy) => policy,
        Err(why) => return Ok(Outcome::Refused(why)),
    };
    let held = coverage::of_person(change.conn(), person.id).await?;
    let same = |c: &Coverage| c.payer_id == policy.payer_id && c.subscriber_number == policy.subscriber_number;
    if held.iter().any(same) {
        return Ok(Outcome::Twin("This policy is on file.".into()));
    }
    match cover(change, state, payers, &person, p).await? {
        Ok(()) => Ok(Outcome::Added(format!("{} {} gets a policy.", person.first_name, person.last_name))),
        Err(why) => Ok(Outcome::Refused(why)),
    }
}

/// Carries a balance over to somebody who is known here: owed when above zero, a credit below it.
async fn carry_over(
    change: &mut Change<'_>,
    state: &State,
    number: &str,
    row: &IncomingPerson,
) -> Result<Outcome, Problem> {
    let Some(person) = store::by_record_number(change.conn(), number).await? else {
        return Ok(Outcome::Refused(format!("Nobody here has the record number {number}.")));
    };
    let text = |field: &str| row.fields.get(field).cloned().unwrap_or_default();
    let amount = match Cents::parse(&text("amount")) {
        Ok(amount) if amount.is_zero() => return Ok(Outcome::Refused("Nothing is owed.".into())),
        Ok(amount) => amount,
        Err(e) => return Ok(Outcome::Refused(e.to_string())),
    };
    let since = match text("since") {
        typed if typed.is_empty() => state.today(),
        typed => match typed_date::parse(&typed, state.today(), Sense::Any) {
            Ok(day) if day > state.today() => return Ok(Outcome::Refused("It is owed since a day to come.".into())),
            Ok(day) => day,
            Err(e) => return Ok(Outcome::Refused(e.to_string())),
        },
    };
    let mut faults = Faults::default();
    let note = faults.optional_line("note", "Note", &text("note"), 120);
    if !faults.0.is_empty() {
        return Ok(Outcome::Refused(said(faults)));
    }
    let key = format!("{number}:{since}:{amount}");
    let memo = if note.is_empty() { "carried over".to_owned() } else { note };
    let since = day_bounds(state.zone, since).0;
    if !change.carry_over(&key, person.id, amount, since, &memo).await? {
        return Ok(Outcome::Twin("This balance came in before.".into()));
    }
    let what = if amount.is_negative() { "has to their credit" } else { "owes" };
    Ok(Outcome::Added(format!("{} {} {what} {}.", person.first_name, person.last_name, amount.max(-amount))))
}

/// The policy of a line, or why it is none.
fn policy_of(
    p: &IncomingPolicy,
    payers: &[Payer],
    holder: Option<Uuid>,
    state: &State,
) -> Result<Result<coverage::Policy, String>, Problem> {
    let named = p.fields.get("payer").map(|p| p.to_lowercase()).unwrap_or_default();
    let payer = payers.iter().find(|p| p.name.to_lowercase() == named || p.payer_code.to_lowercase() == named);
    let Some(payer) = payer else { return Ok(Err(format!("No payer is called “{named}”."))) };
    let mut typed: CoverageForm = form(&p.fields, json!({ "payerId": payer.id }))?;
    if p.holder.is_some() {
        typed.held_by(holder);
    }
    Ok(policy(&typed, state.today()).map_err(said))
}

/// Adds one policy, or says why not and leaves nothing behind.
async fn cover(
    change: &mut Change<'_>,
    state: &State,
    payers: &[Payer],
    person: &Person,
    p: &IncomingPolicy,
) -> Result<Result<(), String>, Problem> {
    change.part(async |change| cover_or_say(change, state, payers, person, p).await).await
}

/// Whoever holds the policy is found here, or registered as no patient.
async fn cover_or_say(
    change: &mut Change<'_>,
    state: &State,
    payers: &[Payer],
    person: &Person,
    p: &IncomingPolicy,
) -> Result<Result<(), String>, Problem> {
    let holder = match &p.holder {
        None => None,
        Some(fields) => {
            let typed: PersonForm = form(fields, json!({ "noPatient": true }))?;
            let (d, more) = match details(&typed, state.today()) {
                Ok(checked) => checked,
                Err(faults) => return Ok(Err(format!("Its policyholder: {}", said(faults)))),
            };
            let known = finding::likely_twins(change.conn(), &likeness(&d), 1).await?.into_iter().next();
            Some(match known {
                Some((twin, _)) => twin.id,
                None => change.add_person(&d, more).await?.id,
            })
        }
    };
    let policy = match policy_of(p, payers, holder.filter(|h| *h != person.id), state)? {
        Ok(policy) => policy,
        Err(why) => return Ok(Err(why)),
    };
    match change.add_coverage(person.id, policy).await {
        Ok(_) => Ok(Ok(())),
        Err(StoreError::Refused { sentence, .. }) => Ok(Err(sentence)),
        Err(other) => Err(other.into()),
    }
}

/// One person with policies as a FHIR R4 bundle.
#[utoipa::path(get, path = "/api/people/{id}/fhir", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/fhir+json", body = String), (status = 404, body = Problem)))]
pub async fn person_as_fhir(state: Data<State>, me: Me, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let person = store::get(change.conn(), *id).await?;
            let more = store::registration::of(change.conn(), person.id).await?;
            let payers = coverage::payers(change.conn()).await?;
            let mut policies = Vec::new();
            for c in coverage::of_person(change.conn(), person.id).await? {
                let holder = match c.holder_id {
                    Some(id) => Some(outgoing(&store::get(change.conn(), id).await?)),
                    None => None,
                };
                let payer = payers.iter().find(|p| p.id == c.payer_id).map_or("", |p| &p.name);
                policies.push(IncomingPolicy { fields: outgoing_policy(&c, payer), holder });
            }
            let mut fields = outgoing(&person);
            for (name, value) in [
                ("maritalStatus", more.marital_status.map_or("", |m| m.code())),
                ("emergencyName", more.emergency_name.as_str()),
                ("emergencyPhone", more.emergency_phone.as_deref().unwrap_or("")),
                ("emergencyRelation", more.emergency_relation.as_str()),
            ] {
                keep(&mut fields, name, value);
            }
            let text = fhir::person::write(&person.record_number, &fields, &policies).map_err(|e| {
                Problem::refused("unwritable", format!("The record cannot be written as FHIR: {}.", e.expected))
            })?;
            // Leaving the house is recorded like a change.
            change.audit("wrote out", "person", person.id, Some(person.id), "FHIR R4");
            Ok(HttpResponse::Ok()
                .content_type("application/fhir+json")
                .insert_header((
                    header::CONTENT_DISPOSITION,
                    format!("attachment; filename=\"{}.fhir.json\"", person.record_number),
                ))
                .body(text))
        })
        .await
}

fn keep(fields: &mut Fields, name: &'static str, value: &str) {
    if !value.is_empty() {
        fields.insert(name, value.to_owned());
    }
}

fn outgoing(p: &Person) -> Fields {
    let mut f = Fields::new();
    let day = |d: Option<chrono::NaiveDate>| d.map(|d| d.to_string()).unwrap_or_default();
    let text = |t: &Option<String>| t.clone().unwrap_or_default();
    for (name, value) in [
        ("firstName", p.first_name.clone()),
        ("middleName", p.middle_name.clone()),
        ("lastName", p.last_name.clone()),
        ("preferredName", p.preferred_name.clone()),
        ("formerName", p.former_name.clone()),
        ("birthDate", day(p.birth_date)),
        ("deceasedOn", day(p.deceased_on)),
        ("sex", p.sex.map_or("", |s| s.code()).to_owned()),
        ("phone", text(&p.phone)),
        ("otherPhone", text(&p.other_phone)),
        ("email", text(&p.email)),
        ("addressLine", p.address_line.clone()),
        ("addressLine2", p.address_line2.clone()),
        ("city", p.city.clone()),
        ("state", p.state.clone()),
        ("postalCode", p.postal_code.clone()),
        ("language", p.language.clone()),
    ] {
        keep(&mut f, name, &value);
    }
    f
}

fn outgoing_policy(c: &Coverage, payer: &str) -> Fields {
    let mut f = Fields::new();
    for (name, value) in [
        ("payer", payer.to_owned()),
        ("subscriberNumber", c.subscriber_number.clone()),
        ("groupNumber", c.group_number.clone()),
        ("planName", c.plan_name.clone()),
        ("startsOn", c.starts_on.to_string()),
        ("endsOn", c.ends_on.map(|d| d.to_string()).unwrap_or_default()),
        ("rank", c.rank.code().to_owned()),
        ("relationship", c.relationship.code().to_owned()),
    ] {
        keep(&mut f, name, &value);
    }
    f
}
