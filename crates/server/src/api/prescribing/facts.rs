//! What the checks know of a person: from the chart, the latest results and what was handed out.

use crate::problem::Problem;
use crate::state::State;
use chrono::NaiveDate;
use harbor_core::consult::KnownList;
use harbor_core::consult::measurements::Measure;
use harbor_core::people::Sex;
use harbor_core::prescribing::person_states::{PersonState, holds_on};
use harbor_core::prescribing::strength::plain;
use harbor_core::prescribing::{
    Allergy, Dated, Dispensed, Medicine as Checked, Patient, PrescriptionState, Product, Rules, kidney,
};
use harbor_store::consult::{chart, runs};
use harbor_store::orders::results;
use harbor_store::prescribing::person_states;
use harbor_store::rows::{ListedProblem, Measurement, Medicine, PersonStateRow, Prescription, VisitDiagnosis};
use harbor_store::{Conn, people, prescribing as store};
use uuid::Uuid;

/// From this age in years on a dose does not go by weight.
const ADULT: u32 = 18;

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

/// For whom and when is prescribed.
pub struct About {
    person: Uuid,
    /// Whose other prescriptions and diagnoses count too.
    visit: Option<Uuid>,
    day: NaiveDate,
    /// Prescriptions that are this one, or that it takes the place of: they do not count as taken beside it.
    own: Vec<Uuid>,
}

impl About {
    pub fn new(person: Uuid, visit: Option<Uuid>, day: NaiveDate, own: Vec<Uuid>) -> About {
        About { person, visit, day, own }
    }

    pub fn prescription(row: &Prescription, today: NaiveDate) -> About {
        let own = [Some(row.id), row.replaces_id, row.renews_id];
        About::new(row.person_id, row.visit_id, today, own.into_iter().flatten().collect())
    }
}

/// Everything the checks look at, as it stands now.
pub async fn patient<'s>(
    conn: &mut Conn,
    state: &'s State,
    about: &About,
    product: &Product,
) -> Result<Patient<'s>, Problem> {
    let rules = state.rules();
    let visits: Vec<Uuid> = about.visit.into_iter().collect();
    let person = people::get(conn, about.person).await?;
    let allergies = chart::allergies_of(conn, person.id).await?;
    let none_known = chart::none_known_of(conn, person.id).await?;
    let medicines = chart::medicines_of(conn, person.id).await?;
    let mut medicines = medicines;
    medicines.retain(|m| m.prescription_id.is_none_or(|p| !about.own.contains(&p)));
    let mut taking = taken(rules, &medicines);
    let prescribed = store::of_visits(conn, &visits).await?;
    let listed = |code: &str| medicines.iter().any(|m| m.state.counts() && m.product_code.as_deref() == Some(code));
    let stands = |p: &Prescription| *p.state == PrescriptionState::Draft || p.state.stands();
    let others = prescribed.iter().filter(|p| stands(p) && !about.own.contains(&p.id) && !listed(&p.product_code));
    taking.extend(others.map(|p| taken_one(rules, Some(&p.product_code), &p.medicine)));
    let mut diagnoses = vec![];
    for visit in &visits {
        diagnoses.extend(runs::diagnoses_of(conn, *visit).await?);
    }
    let problems = present(&chart::problems_of(conn, person.id).await?, &diagnoses);
    let dispensed = dispensed(conn, person.id, product, rules, about.day).await?;
    let said: Vec<_> = person_states::of_person(conn, person.id).await?.iter().map(PersonStateRow::said).collect();
    let measured = chart::measurements_of(conn, person.id).await?;
    let creatinine = results::latest_value(conn, person.id, &kidney::CREATININE_LOINC).await?;
    let creatinine = creatinine.and_then(|(value, unit, at)| {
        let value = kidney::creatinine_mg_dl(value, &unit)?;
        Some(Dated { value, days_old: days_between(state.local_day(at), about.day) })
    });
    let weight = weight_of(&measured, state, about.day);
    Ok(Patient {
        age_days: person.birth_date.map(|b| days_between(b, about.day)),
        sex: person.sex.map_or(Sex::Unknown, |s| *s),
        weight,
        height: latest(&measured, Measure::Height).map(|m| f64::from(m.tenths) / 10.0),
        pregnant: holds_on(&said, PersonState::Pregnant, about.day),
        breastfeeding: holds_on(&said, PersonState::Breastfeeding, about.day),
        creatinine,
        allergies_asked: !allergies.is_empty() || none_known.iter().any(|n| n.list == KnownList::Allergies),
        allergies: allergies
            .into_iter()
            .map(|a| Allergy { substance: a.substance, reaction: a.reaction, severity: a.severity.map(|s| *s) })
            .collect(),
        problems,
        taking,
        dispensed,
    })
}

/// When the same ingredients were last handed out, and for how long.
async fn dispensed(
    conn: &mut Conn,
    person: Uuid,
    product: &Product,
    rules: &Rules,
    day: NaiveDate,
) -> Result<Option<Dispensed>, Problem> {
    let this = rules.medicine_of(product);
    let rows = store::dispensed_to(conn, person).await?;
    let same = |code: &str| rules.product(code).is_some_and(|p| rules.medicine_of(p).is_the_same_as(&this));
    let last = rows.into_iter().find(|(d, code)| d.days.is_some() && same(code));
    Ok(last.map(|(d, _)| Dispensed {
        days_ago: days_between(d.dispensed_on, day),
        for_days: d.days.and_then(|n| u32::try_from(n).ok()).unwrap_or(0),
    }))
}

/// The latest weight of a person in kilograms, and how old it is.
pub async fn weight(conn: &mut Conn, state: &State, person: Uuid, day: NaiveDate) -> Result<Option<Dated>, Problem> {
    Ok(weight_of(&chart::measurements_of(conn, person).await?, state, day))
}

fn weight_of(measured: &[Measurement], state: &State, day: NaiveDate) -> Option<Dated> {
    let kept = latest(measured, Measure::Weight).filter(|m| m.tenths > 0)?;
    Some(Dated { value: f64::from(kept.tenths) / 10.0, days_old: days_between(state.local_day(kept.taken_at), day) })
}

/// What a dose comes to by weight, for a child: with the weight and how old it is.
pub async fn by_weight(
    conn: &mut Conn,
    state: &State,
    about: &About,
    product: &Product,
    dosage: (f64, f64),
) -> Result<Option<String>, Problem> {
    let person = people::get(conn, about.person).await?;
    let child = person.birth_date.and_then(|b| about.day.years_since(b)).is_some_and(|years| years < ADULT);
    let Some(mg) = product.milligrams().filter(|_| child) else { return Ok(None) };
    let Some(Dated { value: kg, days_old }) = weight(conn, state, about.person, about.day).await? else {
        return Ok(Some("The weight is not known.".to_owned()));
    };
    let a_day = dosage.0 * dosage.1 * mg / kg;
    let when = match days_old {
        0 => "weighed today".to_owned(),
        1 => "weighed yesterday".to_owned(),
        n => format!("weighed {n} days ago"),
    };
    Ok(Some(format!("{} mg/kg a day at {} kg, {when}.", plain(a_day), plain(kg))))
}

/// The latest of a measure; they come newest first.
fn latest(measured: &[Measurement], measure: Measure) -> Option<&Measurement> {
    measured.iter().find(|m| m.measure == measure)
}

fn days_between(from: NaiveDate, to: NaiveDate) -> u32 {
    u32::try_from((to - from).num_days().max(0)).unwrap_or(u32::MAX)
}
