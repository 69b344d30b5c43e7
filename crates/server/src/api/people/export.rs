//! One person out, as FHIR, for another clinic.

use crate::access::Me;
use crate::problem::Problem;
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::http::header;
use actix_web::web::{Data, Path};
use harbor_formats::fhir;
use harbor_formats::incoming::{Fields, IncomingPolicy};
use harbor_store::rows::{Coverage, Person};
use harbor_store::{coverage, people as store};
use uuid::Uuid;

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
