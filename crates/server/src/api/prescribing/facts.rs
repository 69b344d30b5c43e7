//! What the checks know of a person: from the chart, the latest results and what was handed out.

use crate::problem::Problem;
use crate::state::State;
use chrono::NaiveDate;
use harbor_core::consult::KnownList;
use harbor_core::consult::measurements::Measure;
use harbor_core::people::Sex;
use harbor_core::prescribing::person_states::{PersonState, holds_on};
use harbor_core::prescribing::{Allergy, Dated, Medicine as Checked, Patient, Rules, kidney};
use harbor_store::consult::{chart, runs};
use harbor_store::orders::results;
use harbor_store::prescribing::person_states;
use harbor_store::rows::{ListedProblem, Measurement, Medicine, PersonStateRow, Visit, VisitDiagnosis};
use harbor_store::{Conn, people, prescribing as store};
use uuid::Uuid;

/// The medicines that count as taken: of the formulary, or as far as their words are understood.
pub fn taken<'r>(rules: &'r Rules, medicines: &[Medicine]) -> Vec<Checked<'r>> {
    let counting = medicines.iter().filter(|m| m.state.counts());
    counting.map(|m| taken_one(rules, m.product_code.as_deref(), &m.name)).collect()
}

fn taken_one<'r>(rules: &'r Rules, product: Option<&str>, name: &str) -> Checked<'r> {
    match product.and_then(|code| rules.product(code)) {
        Some(product) => Checked { label: name.to_owned(), ..rules.medicine_of(product) },
        None => rules.medicine_in_words(name),
    }
}

/// The codes of what somebody has: the problems that count, and the diagnoses of the visit. A problem in words has none.
pub fn present(listed: &[ListedProblem], diagnoses: &[VisitDiagnosis]) -> Vec<String> {
    let counting = listed.iter().filter(|p| p.state.counts() && !p.code.is_empty()).map(|p| p.code.clone());
    counting.chain(diagnoses.iter().map(|d| d.code.clone())).collect()
}

/// Everything the checks look at, as it stands now; the prescription `own` itself is not among what is taken.
pub async fn patient<'s>(
    conn: &mut Conn,
    state: &'s State,
    visit: &Visit,
    own: Option<Uuid>,
) -> Result<Patient<'s>, Problem> {
    let rules = &state.tables.rules;
    let person = people::get(conn, visit.person_id).await?;
    let allergies = chart::allergies_of(conn, person.id).await?;
    let none_known = chart::none_known_of(conn, person.id).await?;
    let medicines = chart::medicines_of(conn, person.id).await?;
    let mut taking = taken(rules, &medicines);
    let prescribed = store::of_visits(conn, &[visit.id]).await?;
    let listed = |code: &str| medicines.iter().any(|m| m.state.counts() && m.product_code.as_deref() == Some(code));
    let others = prescribed.iter().filter(|p| Some(p.id) != own && !listed(&p.product_code));
    taking.extend(others.map(|p| taken_one(rules, Some(&p.product_code), &p.medicine)));
    let problems = present(&chart::problems_of(conn, person.id).await?, &runs::diagnoses_of(conn, visit.id).await?);
    let said: Vec<_> = person_states::of_person(conn, person.id).await?.iter().map(PersonStateRow::said).collect();
    let measured = chart::measurements_of(conn, person.id).await?;
    let creatinine = results::latest_value(conn, person.id, &kidney::CREATININE_LOINC).await?;
    let creatinine = creatinine.and_then(|(value, unit, at)| {
        let value = kidney::creatinine_mg_dl(value, &unit)?;
        Some(Dated { value, days_old: days_between(state.local_day(at), visit.day) })
    });
    let weight = latest(&measured, Measure::Weight).map(|m| Dated {
        value: f64::from(m.tenths) / 10.0,
        days_old: days_between(state.local_day(m.taken_at), visit.day),
    });
    Ok(Patient {
        age_days: person.birth_date.map(|b| days_between(b, visit.day)),
        sex: person.sex.map_or(Sex::Unknown, |s| *s),
        weight,
        height: latest(&measured, Measure::Height).map(|m| f64::from(m.tenths) / 10.0),
        pregnant: holds_on(&said, PersonState::Pregnant, visit.day),
        breastfeeding: holds_on(&said, PersonState::Breastfeeding, visit.day),
        creatinine,
        allergies_asked: !allergies.is_empty() || none_known.iter().any(|n| n.list == KnownList::Allergies),
        allergies: allergies
            .into_iter()
            .map(|a| Allergy { substance: a.substance, reaction: a.reaction, severity: a.severity.map(|s| *s) })
            .collect(),
        problems,
        taking,
        dispensed: None,
    })
}

/// The latest of a measure; they come newest first.
fn latest(measured: &[Measurement], measure: Measure) -> Option<&Measurement> {
    measured.iter().find(|m| m.measure == measure)
}

fn days_between(from: NaiveDate, to: NaiveDate) -> u32 {
    u32::try_from((to - from).num_days().max(0)).unwrap_or(u32::MAX)
}
