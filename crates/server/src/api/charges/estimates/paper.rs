//! What stands on the paper of a written estimate (45 CFR 149.610(c)(1)).

use crate::papers::{born, head, large_type, local};
use crate::problem::Problem;
use crate::state::State;
use chrono::NaiveDate;
use harbor_core::charges::estimates::{DAYS_TO_DISPUTE, DISPUTABLE_FROM};
use harbor_core::fields::typed_date::in_words;
use harbor_core::money::Cents;
use harbor_store::Conn;
use harbor_store::documents::EstimateLine;
use harbor_store::house::staff;
use harbor_store::rows::{Person, Visit};
use serde_json::{Value, json};
use uuid::Uuid;

pub struct Estimate<'a> {
    pub id: Uuid,
    pub person: &'a Person,
    pub visit: Option<&'a Visit>,
    pub day: Option<NaiveDate>,
    pub reason: &'a str,
    pub diagnoses: &'a [String],
    pub lines: &'a [EstimateLine],
    pub total: Cents,
}

fn dollars(cents: Cents) -> String {
    format!("${cents}")
}

pub async fn content(conn: &mut Conn, state: &State, e: &Estimate<'_>) -> Result<Value, Problem> {
    let c = &state.clinic;
    let clinician = match e.visit {
        Some(visit) => staff::all(conn).await?.into_iter().find(|s| s.id == visit.clinician_id),
        None => None,
    };
    let site = match e.visit {
        Some(visit) => staff::sites(conn).await?.into_iter().find(|s| s.id == visit.site_id),
        None => None,
    };
    let own = site.filter(|s| !s.address_line.is_empty());
    let place = match &own {
        Some(s) => format!("{}, {}, {}, {} {}", s.name, s.address_line, s.city, s.state, s.postal_code),
        None => format!("{}, {}, {} {}", c.address_line, c.city, c.state, c.postal_code),
    };
    let npi =
        clinician.as_ref().and_then(|s| s.npi.clone()).map(|n| format!("Provider number {n}. ")).unwrap_or_default();
    let line = |l: &EstimateLine| {
        let price = Cents::new(l.price_cents);
        json!({ "name": l.name, "code": l.external_code, "units": l.units, "price": dollars(price),
            "sum": dollars(price.times(l.units).unwrap_or_default()) })
    };
    Ok(json!({
        "head": head(state),
        "name": format!("{} {}", e.person.first_name, e.person.last_name),
        "line": born(e.person),
        "for": e.reason,
        "day": e.day.map_or_else(|| "not booked yet".to_owned(), in_words),
        "diagnoses": e.diagnoses.join(", "),
        "lines": e.lines.iter().map(line).collect::<Vec<_>>(),
        "total": dollars(e.total),
        "who": clinician.map_or_else(|| c.name.clone(), |s| format!("{}, {}", s.name, c.name)),
        "where": place,
        "numbers": format!("{npi}Clinic's provider number {}, tax number {}.", c.npi, c.tax_id),
        "apart": "Nothing in this estimate needs to be booked apart from it.",
        "disputable": dollars(DISPUTABLE_FROM),
        "days": DAYS_TO_DISPUTE,
        "made": format!("Made {}", local(state, state.now(), "%A, %B %-d %Y at %-I:%M %p")),
        "number": e.id.simple().to_string()[20..].to_uppercase(),
        "large": large_type(state, e.person),
    }))
}
