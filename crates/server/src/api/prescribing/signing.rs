//! One signature under one prescription of one or many items, each to a pharmacy or on paper.

use super::{facts, product, writing};
use crate::access::Me;
use crate::api::orders::open_visit;
use crate::problem::{Answer, Problem};
use crate::signing::second_factor;
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::Source;
use harbor_core::fields;
use harbor_core::prescribing::controlled::{Signing, may_sign, refills_allowed};
use harbor_core::prescribing::{MedicineState, Override, PrescriptionState, course_ends, not_overridden};
use harbor_store::consult::chart;
use harbor_store::consult::lists::NewMedicine;
use harbor_store::documents::GivenOverride;
use harbor_store::prescribing::{self as store, SignedItem};
use harbor_store::rows::{Prescription, PrescriptionHead};
use harbor_store::{Change, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Clone, Deserialize, ToSchema)]
pub struct OverrideForm {
    about: String,
    reason: String,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PrescriptionToSign {
    id: Uuid,
    /// None on paper.
    pharmacy_id: Option<Uuid>,
    #[serde(default)]
    overrides: Vec<OverrideForm>,
}

impl PrescriptionToSign {
    /// The same once more, to the pharmacy that asked.
    pub fn renewing(id: Uuid, pharmacy_id: Option<Uuid>, overrides: &[OverrideForm]) -> PrescriptionToSign {
        PrescriptionToSign { id, pharmacy_id, overrides: overrides.to_vec() }
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PrescriptionsToSign {
    items: Vec<PrescriptionToSign>,
    /// The code of the second factor, for controlled substances that go to a pharmacy.
    #[serde(default)]
    code: String,
}

/// What was signed.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SignedPrescription {
    head_id: Uuid,
    items: usize,
}

/// Most items under one signature.
const MOST_ITEMS: usize = 30;

/// Signs prescriptions of a visit. The checks run once more, since the chart may have changed meanwhile; what they say now is
/// what is kept.
#[utoipa::path(post, path = "/api/visits/{id}/prescriptions/sign", params(("id" = Uuid, Path)), request_body = PrescriptionsToSign, responses((status = 200, body = SignedPrescription), (status = 422, body = Problem)))]
pub async fn sign(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    form: Json<PrescriptionsToSign>,
) -> Answer<SignedPrescription> {
    form.sign(&state, &me, WrittenFor::Visit(*id)).await
}

/// Signs prescriptions of a person that were written without a visit.
#[utoipa::path(post, path = "/api/people/{id}/prescriptions/sign", params(("id" = Uuid, Path)), request_body = PrescriptionsToSign, responses((status = 200, body = SignedPrescription), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn sign_for_person(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    form: Json<PrescriptionsToSign>,
) -> Answer<SignedPrescription> {
    form.sign(&state, &me, WrittenFor::Person(*id)).await
}

/// Of which prescriptions those to sign must be.
#[derive(Clone, Copy)]
enum WrittenFor {
    Visit(Uuid),
    /// Without a visit.
    Person(Uuid),
}

impl PrescriptionsToSign {
    async fn sign(&self, state: &State, me: &Me, of: WrittenFor) -> Answer<SignedPrescription> {
        if self.items.is_empty() || self.items.len() > MOST_ITEMS {
            return Err(Problem::field("items", format!("Sign 1 to {MOST_ITEMS} items at a time.")));
        }
        let with_factor = second_factor::given(state, me, &self.code).await?;
        state
            .store
            .change(&me.actor(), state.now(), async |change| {
                let (person, visit) = match of {
                    WrittenFor::Visit(id) => {
                        let visit = open_visit(change, id).await?;
                        (visit.person_id, Some(visit.id))
                    }
                    WrittenFor::Person(id) => (id, None),
                };
                change.prescribe_alone(person).await?;
                let mut signed = Vec::new();
                for item in &self.items {
                    let row = store::prescription(change.conn(), item.id).await?;
                    if row.visit_id != visit || row.person_id != person {
                        return Err(Problem::not_found("prescription"));
                    }
                    signed.push((signable(change, state, me, &row, item, with_factor).await?, row));
                }
                let head_id = put_under(change, state, me, person, &signed).await?;
                Ok(Json(SignedPrescription { head_id, items: signed.len() }))
            })
            .await
    }
}

/// Refuses who is not alive or has no number, and puts one head over the items; what is prescribed is taken from now on.
pub async fn put_under(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    person: Uuid,
    signed: &[(SignedItem, Prescription)],
) -> Result<Uuid, Problem> {
    let who = people::get(change.conn(), person).await?;
    if who.deceased_on.is_some() {
        return Err(Problem::refused("deceased", "Nothing is prescribed for somebody who has died."));
    }
    let Some(npi) = me.staff.npi.clone().filter(|n| !n.is_empty()) else {
        let sentence = "Signing needs your own provider number (NPI); a manager enters it in the settings.";
        return Err(Problem::refused("no-npi", sentence));
    };
    let head = PrescriptionHead {
        id: Uuid::now_v7(),
        person_id: person,
        prescriber_id: me.staff.id,
        prescriber_name: me.staff.name.clone(),
        npi,
        dea: me.staff.dea.clone(),
        signed_at: state.now(),
    };
    let id = head.id;
    let items: Vec<SignedItem> = signed.iter().map(|(item, _)| item.clone()).collect();
    change.sign_prescriptions(head, &items).await?;
    for (_, row) in signed {
        take_from_now_on(change, state, row).await?;
        if let Some(old) = row.replaces_id {
            // What is taken goes on under the new one; only then does the old one end.
            change.replace_prescription(old, row).await?;
        }
    }
    Ok(id)
}

/// One item as it may be signed: by its prescriber, under one diagnosis, with a reason for each serious finding.
pub async fn signable(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    row: &Prescription,
    item: &PrescriptionToSign,
    with_factor: bool,
) -> Result<SignedItem, Problem> {
    if row.state != PrescriptionState::Draft {
        return Err(Problem::refused("sent", "This prescription has been signed already."));
    }
    if row.prescriber_id != me.staff.id {
        let sentence = format!("{} wrote this prescription and signs it; write your own.", row.prescribed_by);
        return Err(Problem::refused("not-yours", sentence));
    }
    if let Some(old) = row.replaces_id {
        writing::may_be_replaced(&store::locked(change.conn(), old).await?)?;
    }
    if row.diagnosis.is_none() {
        return Err(Problem::refused(
            "no-diagnosis",
            format!("The prescription for {} has no diagnosis.", row.medicine),
        ));
    }
    let product = product(state, &row.product_code)?;
    if let Some(schedule) = state.rules().schedule(product) {
        // However it was written: in the form, in the quick line, or as a renewal.
        let count = |n: i32| u32::try_from(n).unwrap_or(0);
        refills_allowed(schedule, count(row.refills), count(row.days))
            .map_err(|(field, s)| Problem::field(field, format!("{}: {s}", row.medicine)))?;
        let dea = Some(me.staff.dea.as_str());
        let signing = Signing { dea, second_factor: with_factor, on_paper: item.pharmacy_id.is_none() };
        may_sign(schedule, signing).map_err(|s| Problem::field("code", format!("{}: {s}", row.medicine)))?;
    }
    let days = u32::try_from(row.days).unwrap_or(1);
    let about = facts::About::prescription(row, state.today());
    let found = writing::findings(change.conn(), state, &about, product, (row.dose, row.per_day, days)).await?;
    let mut given = Vec::new();
    for o in &item.overrides {
        let reason =
            fields::line("Override reason", &o.reason, 300).map_err(|s| Problem::field("overrideReason", s))?;
        given.push(Override { about: o.about.clone(), reason });
    }
    if let Some(open) = not_overridden(&found, &given).first() {
        let sentence = format!("Give an override reason ({}): {}", row.medicine, open.sentence);
        return Err(Problem::field("overrideReason", sentence));
    }
    let overrides = found.iter().filter_map(|f| {
        let reason = given.iter().find(|o| o.about == f.about && !o.reason.is_empty())?.reason.clone();
        Some(GivenOverride { about: f.about.clone(), sentence: f.sentence.clone(), reason })
    });
    let overrides = overrides.collect();
    Ok(SignedItem { id: row.id, pharmacy: item.pharmacy_id, warnings: writing::given(&found), overrides })
}

/// What is prescribed is on the list of what is taken, tied to its prescription.
async fn take_from_now_on(change: &mut Change<'_>, state: &State, row: &Prescription) -> Result<(), Problem> {
    let count = |n: i32| u32::try_from(n).unwrap_or(0);
    let product = product(state, &row.product_code)?;
    let until = course_ends(product, count(row.days), count(row.refills), state.today());
    let listed = chart::medicines_of(change.conn(), row.person_id).await?;
    let same = listed
        .iter()
        .find(|m| m.product_code.as_deref() == Some(row.product_code.as_str()) && m.state == MedicineState::Taking);
    if let Some(same) = same {
        change.tie_medicine(same.id, row.id, &row.instructions, until).await?;
        return Ok(());
    }
    let new = NewMedicine {
        name: &row.medicine,
        product: Some(&row.product_code),
        state: MedicineState::Taking,
        how: &row.instructions,
        since: &state.today().to_string(),
        note: &format!("prescribed {}", state.today()),
        source: Source::Here,
        prescription: Some(row.id),
    };
    let added = change.add_medicine(row.person_id, &new).await?;
    change.tie_medicine(added.id, row.id, &row.instructions, until).await?;
    Ok(())
}
