//! What goes home on paper: a prescription, the list of medicines by time of day, a leaflet for each ingredient.

use super::product;
use crate::access::Me;
use crate::api::consult::chart::is_controlled;
use crate::api::consult::papers as chart_papers;
use crate::api::schedule::paper::{pdf, set};
use crate::papers::{born, head, large_type, local, telephone};
use crate::problem::Problem;
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Path, Query};
use harbor_core::consult::KnownList;
use harbor_core::money::number_in_words;
use harbor_core::people::age_in_words;
use harbor_core::prescribing::day_plan::{PartOfDay, amount_at, parts_of_day, read_how};
use harbor_core::prescribing::leaflets::leaflet as of_ingredient;
use harbor_core::prescribing::{MedicineState, Portion, PrescriptionState};
use harbor_paper::Sheet;
use harbor_store::consult::chart;
use harbor_store::prescribing::{self as store, approvals};
use harbor_store::rows::{Medicine, Person, Pharmacy, Prescription, PrescriptionHead};
use harbor_store::{Conn, people};
use serde::Deserialize;
use serde_json::{Value, json};
use utoipa::IntoParams;
use uuid::Uuid;

fn patient(state: &State, p: &Person) -> Value {
    let age = p.birth_date.map(|b| age_in_words(b, state.today()));
    let line = [Some(born(p)), age, p.sex.map(|s| s.label().to_owned()), Some(p.record_number.clone())];
    let phone = p.phone.as_deref().map(telephone).unwrap_or_default();
    let place = format!("{} {}", p.state, p.postal_code);
    let reach = [p.address_line.as_str(), p.city.as_str(), place.trim(), phone.as_str()];
    let parted = |parts: Vec<&str>| parts.into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(" · ");
    json!({
        "name": format!("{} {}", p.first_name, p.last_name),
        "line": parted(line.iter().flatten().map(String::as_str).collect()),
        "reach": parted(reach.to_vec()),
    })
}

/// Where an item stands: only one that goes on paper is to be dispensed from the paper.
fn way(item: &Prescription, pharmacies: &[Pharmacy]) -> String {
    match *item.state {
        PrescriptionState::Draft => "Not signed: this is a draft, not to be dispensed.".into(),
        PrescriptionState::Printed => String::new(),
        state if state.has_ended() => format!("Not to be dispensed: {}.", state.label()),
        _ => {
            let name = pharmacies.iter().find(|p| Some(p.id) == item.pharmacy_id).map_or("the pharmacy", |p| &p.name);
            format!("Copy, not to be dispensed: it went to {name}.")
        }
    }
}

async fn prescription_data(
    conn: &mut Conn,
    state: &State,
    row: &Prescription,
) -> Result<(Person, Option<PrescriptionHead>, Value), Problem> {
    let person = people::get(conn, row.person_id).await?;
    let signed = match row.head_id {
        Some(id) => store::head(conn, id).await?,
        None => None,
    };
    let items = match row.head_id {
        Some(id) => store::of_head(conn, id).await?,
        None => vec![row.clone()],
    };
    let pharmacies = store::pharmacies(conn).await?;
    let mut told = Vec::new();
    let mut controlled = false;
    for item in &items {
        controlled |= is_controlled(state.rules(), item);
        let ingredients = product(state, &item.product_code).map(|p| p.ingredients.join(" / ")).unwrap_or_default();
        let quantity = u32::try_from(item.quantity).unwrap_or(0);
        let approved = approvals::standing(conn, item, None, state.today()).await?;
        told.push(json!({
            "medicine": item.medicine,
            "ingredients": ingredients,
            "instructions": item.instructions,
            "quantity": format!("{quantity} ({}) {}", number_in_words(quantity.into()), item.unit.of_many(Portion::whole(quantity.min(1000)))),
            "refills": match item.refills { 0 => "none".to_owned(), n => format!("{n} ({})", number_in_words(u64::try_from(n).unwrap_or(0))) },
            "substitution": if item.substitution { "The same of another maker will do." } else { "Dispense as written." },
            "for": item.diagnosis.clone().unwrap_or_default(),
            "note": item.note,
            "approval": approved.map(|a| a.number).unwrap_or_default(),
            "way": way(item, &pharmacies),
        }));
    }
    let at = |when| local(state, when, "%B %-d, %Y at %-I:%M %p");
    let numbers = signed.as_ref().map(|h| {
        let dea = if controlled && !h.dea.is_empty() { format!(" · DEA {}", h.dea) } else { String::new() };
        format!("NPI {}{dea}", h.npi)
    });
    let data = json!({
        "head": head(state),
        "patient": patient(state, &person),
        "dated": local(state, signed.as_ref().map_or(row.prescribed_at, |h| h.signed_at), "%B %-d, %Y"),
        "items": told,
        "prescriber": signed.as_ref().map_or(row.prescribed_by.clone(), |h| h.prescriber_name.clone()),
        "numbers": numbers.unwrap_or_default(),
        "signed": signed.as_ref().map_or("Not signed: this is a draft.".into(), |h| format!("Signed {}", at(h.signed_at))),
        "by-hand": items.iter().any(|i| *i.state == PrescriptionState::Printed),
    });
    Ok((person, signed, data))
}

/// A prescription with everything under its signature. What went to a pharmacy is a copy, and says so.
#[utoipa::path(get, path = "/api/prescriptions/{id}/paper", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn prescription(state: Data<State>, me: Me, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let (person, data) = {
        let mut conn = state.store.reader().await?;
        let row = store::prescription(&mut conn, *id).await?;
        let (person, _, data) = prescription_data(&mut conn, &state, &row).await?;
        (person, data)
    };
    let sheet = set(Sheet::Prescription, data).await?;
    chart_papers::leaving(&state, &me, "prescription", *id, person.id).await?;
    Ok(pdf("prescription", sheet))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Size {
    /// Large type; otherwise as the person's age says.
    #[serde(default)]
    large: Option<bool>,
}

impl Size {
    fn of(&self, state: &State, person: &Person) -> bool {
        self.large.unwrap_or_else(|| large_type(state, person))
    }
}

async fn medicines_data(conn: &mut Conn, state: &State, person: &Person, large: bool) -> Result<Value, Problem> {
    let listed = chart::medicines_of(conn, person.id).await?;
    let taken: Vec<&Medicine> = listed.iter().filter(|m| m.state == MedicineState::Taking).collect();
    let what_for = |m: &Medicine| {
        let product = m.product_code.as_deref().and_then(|code| state.rules().product(code));
        let rules = state.rules();
        let of = product.and_then(|p| of_ingredient(rules, rules.ingredient(p.ingredients.first()?, &p.form)?));
        of.map(|l| l.what_for).unwrap_or_default()
    };
    let mut parts: Vec<Value> = Vec::new();
    for part in PartOfDay::ALL {
        let here = taken.iter().filter_map(|m| {
            let dosage = read_how(&m.how)?;
            parts_of_day(&dosage).contains(&part).then(|| {
                let until = if m.until.is_empty() { String::new() } else { format!("until {}", m.until) };
                json!({ "name": m.name, "how": amount_at(&m.how, &dosage, part), "why": what_for(m), "until": until })
            })
        });
        let here: Vec<Value> = here.collect();
        if !here.is_empty() {
            parts.push(json!({ "label": part.label(), "items": here }));
        }
    }
    let unread: Vec<Value> = taken
        .iter()
        .filter(|m| read_how(&m.how).is_none())
        .map(|m| {
            let how = if m.how.is_empty() { "ask how it is to be taken" } else { m.how.as_str() };
            let known = if m.prescription_id.is_some() { "" } else { "not prescribed here" };
            json!({ "name": m.name, "how": how, "why": what_for(m), "until": known })
        })
        .collect();
    if !unread.is_empty() {
        parts.push(json!({ "label": "As you were told", "items": unread }));
    }
    let unsure: Vec<&str> =
        listed.iter().filter(|m| m.state == MedicineState::Unknown).map(|m| m.name.as_str()).collect();
    let none = chart::none_known_of(conn, person.id).await?;
    let nothing = match none.iter().any(|n| n.list == KnownList::Medicines) {
        true => "Takes no medicines.",
        false => "Nobody asked yet which medicines are taken.",
    };
    let lists = chart_papers::lists(conn, person.id, state.today()).await?;
    let allergies = lists.iter().find(|l| l["label"] == "Allergies").map_or(Value::Null, |l| l["words"].clone());
    Ok(json!({
        "head": head(state),
        "patient": patient(state, person),
        "day": local(state, state.now(), "%B %-d, %Y"),
        "allergies": allergies,
        "parts": parts,
        "nothing": if taken.is_empty() { nothing } else { "" },
        "unsure": unsure.join(", "),
        "large": large,
    }))
}

/// The medicines of a person by time of day, to take home.
#[utoipa::path(get, path = "/api/people/{id}/medicines-paper", params(("id" = Uuid, Path), Size), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn medicines(state: Data<State>, me: Me, id: Path<Uuid>, size: Query<Size>) -> Result<HttpResponse, Problem> {
    let (person, data) = {
        let mut conn = state.store.reader().await?;
        let person = people::get(&mut conn, *id).await?;
        let data = medicines_data(&mut conn, &state, &person, size.of(&state, &person)).await?;
        (person, data)
    };
    let sheet = set(Sheet::Medicines, data).await?;
    chart_papers::leaving(&state, &me, "list of medicines", person.id, person.id).await?;
    Ok(pdf("medicines", sheet))
}

/// What the patient reads of each ingredient of a prescription.
#[utoipa::path(get, path = "/api/prescriptions/{id}/leaflet", params(("id" = Uuid, Path), Size), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn leaflet(state: Data<State>, me: Me, id: Path<Uuid>, size: Query<Size>) -> Result<HttpResponse, Problem> {
    let (person, data) = {
        let mut conn = state.store.reader().await?;
        let row = store::prescription(&mut conn, *id).await?;
        let person = people::get(&mut conn, row.person_id).await?;
        let product = product(&state, &row.product_code)?;
        let rules = state.rules();
        let mut parts = Vec::new();
        for name in &product.ingredients {
            let words = rules.ingredient(name, &product.form).and_then(|i| of_ingredient(rules, i));
            let lacks = || Problem::refused("no-leaflet", format!("There is no leaflet for {name} yet."));
            let l = words.ok_or_else(lacks)?;
            parts.push(json!({ "name": name, "for": l.what_for, "how": l.how, "watch": l.watch, "call": l.call }));
        }
        let data = json!({
            "head": head(&state),
            "patient": patient(&state, &person),
            "medicine": row.medicine,
            "instructions": row.instructions,
            "parts": parts,
            "large": size.of(&state, &person),
        });
        (person, data)
    };
    let sheet = set(Sheet::Leaflet, data).await?;
    chart_papers::leaving(&state, &me, "leaflet", *id, person.id).await?;
    Ok(pdf("leaflet", sheet))
}
