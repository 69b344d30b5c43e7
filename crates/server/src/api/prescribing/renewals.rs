//! Renewals: what pharmacies ask, checked again with today's facts, answered one or many with one signature.

use super::form::PrescriptionForm;
use super::of_person::once_more;
use super::signing::{PrescriptionToSign, put_under, signable};
use super::writing::{FindingView, Place, draft_typed, finding_views, findings, given};
use super::{facts, product};
use crate::access::Me;
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::signing::second_factor;
use crate::state::State;
use actix_web::web::{Data, Json};
use chrono::{DateTime, Utc};
use harbor_core::fields;
use harbor_core::prescribing::RenewalAnswer;
use harbor_store::people::registration::closed_charts;
use harbor_store::prescribing::{self as store, SignedItem, renewals};
use harbor_store::rows::Prescription;
use harbor_store::{Change, Conn, codes};
use serde::{Deserialize, Serialize};
use std::collections::{BTreeMap, BTreeSet};
use utoipa::ToSchema;
use uuid::Uuid;

/// A request of a pharmacy, with what speaks against it today.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RenewalView {
    id: Uuid,
    prescription_id: Uuid,
    person: PersonCard,
    /// The chart is restricted, and closed to the reader.
    closed: bool,
    medicine: String,
    instructions: String,
    quantity: Option<i32>,
    refills: Option<i32>,
    diagnosis: Option<String>,
    state: codes::PrescriptionState,
    prescribed_at: DateTime<Utc>,
    asked_at: DateTime<Utc>,
    note: String,
    findings: Vec<FindingView>,
}

async fn view(
    conn: &mut Conn,
    state: &State,
    me: &Me,
    row: (harbor_store::rows::RenewalRequest, Prescription, harbor_store::rows::Person),
    closed: bool,
) -> Result<RenewalView, Problem> {
    let (request, old, person) = row;
    let mut found = vec![];
    // A product that was withdrawn since cannot be checked; it cannot be renewed either, and signing says so.
    if !closed && let Ok(product) = product(state, &old.product_code) {
        let new = once_more(state, me, &old, None);
        let about = facts::About::prescription(&new, state.today());
        let days = u32::try_from(old.days).unwrap_or(1);
        let all = findings(conn, state, &about, product, (old.dose, old.per_day, days)).await?;
        let before = store::overridden_before(conn, old.person_id).await?;
        found = finding_views(given(&all), &before);
    }
    let hidden = |text: String| if closed { String::new() } else { text };
    Ok(RenewalView {
        id: request.id,
        prescription_id: old.id,
        person: PersonCard::of(&person, state.today()),
        closed,
        medicine: hidden(old.medicine),
        instructions: hidden(old.instructions),
        quantity: Some(old.quantity).filter(|_| !closed),
        refills: Some(old.refills).filter(|_| !closed),
        diagnosis: old.diagnosis.filter(|_| !closed),
        state: old.state,
        prescribed_at: old.prescribed_at,
        asked_at: request.asked_at,
        note: hidden(request.note),
        findings: found,
    })
}

/// What pharmacies ask of the one who is signed in, the oldest first.
#[utoipa::path(get, path = "/api/renewals", responses((status = 200, body = Vec<RenewalView>)))]
pub async fn list(state: Data<State>, me: Me) -> Answer<Vec<RenewalView>> {
    let mut conn = state.store.reader().await?;
    let rows = renewals::waiting_for(&mut conn, me.staff.id).await?;
    let persons: Vec<Uuid> = rows.iter().map(|(.., p)| p.id).collect();
    let closed = closed_charts(&mut conn, &persons, me.staff.id, state.now()).await?;
    let mut out = Vec::new();
    for row in rows {
        let shut = closed.contains(&row.2.id);
        out.push(view(&mut conn, &state, &me, row, shut).await?);
    }
    Ok(Json(out))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RenewalToAnswer {
    id: Uuid,
    answer: String,
    /// Why not; needed with a no.
    #[serde(default)]
    reason: String,
    #[serde(default)]
    overrides: Vec<super::signing::OverrideForm>,
    /// What it is changed to, with that answer.
    changed: Option<PrescriptionForm>,
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct RenewalAnswers {
    items: Vec<RenewalToAnswer>,
    /// The code of the second factor, for controlled substances.
    #[serde(default)]
    code: String,
}

/// Answers several requests at once: those that are renewed have one signature a person.
#[utoipa::path(post, path = "/api/renewals/answer", request_body = RenewalAnswers, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn answer(state: Data<State>, me: Me, form: Json<RenewalAnswers>) -> Answer<Done> {
    let with_factor = second_factor::given(&state, &me, &form.code).await?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let mut persons = BTreeSet::new();
            for item in &form.items {
                let request = renewals::request(change.conn(), item.id).await?;
                persons.insert(store::prescription(change.conn(), request.prescription_id).await?.person_id);
            }
            for person in persons {
                change.prescribe_alone(person).await?;
            }
            let mut signed: BTreeMap<Uuid, Vec<(SignedItem, Prescription)>> = BTreeMap::new();
            for item in &form.items {
                let request = renewals::request(change.conn(), item.id).await?;
                let old = store::prescription(change.conn(), request.prescription_id).await?;
                allowed(change, &state, &me, &old).await?;
                match RenewalAnswer::from_code(&item.answer) {
                    Some(RenewalAnswer::No) => {
                        let reason =
                            fields::line("Reason", &item.reason, 200).map_err(|s| Problem::field("reason", s))?;
                        if reason.is_empty() {
                            return Err(Problem::field("reason", "Say why it is not renewed."));
                        }
                        change.answer_renewal(item.id, RenewalAnswer::No, &reason, None).await?;
                    }
                    Some(RenewalAnswer::Yes) => {
                        let new = change.add_prescription(once_more(&state, &me, &old, None)).await?;
                        let wanted = PrescriptionToSign::renewing(new.id, old.pharmacy_id, &item.overrides);
                        let one = signable(change, &state, &me, &new, &wanted, with_factor).await?;
                        change.answer_renewal(item.id, RenewalAnswer::Yes, "", Some(new.id)).await?;
                        signed.entry(new.person_id).or_default().push((one, new));
                    }
                    Some(RenewalAnswer::Changed) => {
                        let Some(form) = &item.changed else {
                            return Err(Problem::field("answer", "Say what it is changed to."));
                        };
                        let form = form.clone().instead_of(old.id);
                        let place = Place::person(old.person_id, state.today());
                        let new = draft_typed(change, &state, &me, &place, &form).await?;
                        let wanted = PrescriptionToSign::renewing(new.id, old.pharmacy_id, &item.overrides);
                        let one = signable(change, &state, &me, &new, &wanted, with_factor).await?;
                        change.answer_renewal(item.id, RenewalAnswer::Changed, "", Some(new.id)).await?;
                        signed.entry(new.person_id).or_default().push((one, new));
                    }
                    None => return Err(Problem::field("answer", "Answer yes, changed or no.")),
                }
            }
            for (person, items) in &signed {
                put_under(change, &state, &me, *person, items).await?;
            }
            Ok(DONE)
        })
        .await
}

/// Only the prescriber answers, and nobody for a chart that is closed to them.
async fn allowed(change: &mut Change<'_>, state: &State, me: &Me, old: &Prescription) -> Result<(), Problem> {
    let closed = closed_charts(change.conn(), &[old.person_id], me.staff.id, state.now()).await?;
    if old.prescriber_id != me.staff.id || !closed.is_empty() {
        return Err(Problem::not_found("renewal request"));
    }
    Ok(())
}
