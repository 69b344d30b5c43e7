//! The form of a person: as typed on its way in, as held on its way out.

use crate::papers::telephone;
use chrono::NaiveDate;
use harbor_core::fields::typed_date;
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{self, Faults};
use harbor_core::people::{Ethnicity, MaritalStatus, Race, Sex, death_refusal};
use harbor_store::people::Details;
use harbor_store::rows::{Person, Registration};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value};
use utoipa::ToSchema;
use uuid::Uuid;

/// A person as the form sends it: everything as typed.
#[derive(Debug, Clone, Default, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", default)]
pub struct PersonForm {
    /// The version that the form was filled from; 0 for a new person.
    pub(crate) version: i32,
    /// Set when the likely twins were looked at and this is somebody else.
    pub(crate) not_a_twin: bool,
    first_name: String,
    last_name: String,
    middle_name: String,
    preferred_name: String,
    former_name: String,
    birth_date: String,
    sex: String,
    phone: String,
    other_phone: Option<String>,
    email: String,
    email_declined: bool,
    address_line: String,
    address_line2: String,
    city: String,
    state: String,
    postal_code: String,
    language: String,
    responsible_id: Option<Uuid>,
    usual_clinician_id: Option<Uuid>,
    chart_alert: String,
    billing_note: String,
    deceased_on: Option<String>,
    /// Registered only to answer for a patient, or as a policyholder.
    no_patient: bool,
    gender_identity: String,
    pronouns: String,
    marital_status: String,
    interpreter: bool,
    race: String,
    ethnicity: String,
    occupation: String,
    employer: String,
    outside_id: String,
    emergency_name: String,
    emergency_phone: Option<String>,
    emergency_relation: String,
    pharmacy_id: Option<Uuid>,
    usual_site_id: Option<Uuid>,
    outside_clinician: String,
    referred_by: String,
    heard_from: String,
}

/// Reads a field that may be empty with a reader of the core.
fn optional(faults: &mut Faults, field: &str, text: &str, read: fn(&str) -> Result<String, String>) -> Option<String> {
    if text.trim().is_empty() {
        return None;
    }
    read(text).map_err(|sentence| faults.add(field, sentence)).ok()
}

pub(crate) fn details(f: &PersonForm, today: NaiveDate) -> Result<(Details, Registration), Faults> {
    let mut faults = Faults::default();
    let mut name = |field: &str, label: &str, text: &str| {
        fields::person_name(label, text).unwrap_or_else(|sentence| {
            faults.add(field, sentence);
            String::new()
        })
    };
    let first_name = name("firstName", "First name", &f.first_name);
    let last_name = name("lastName", "Last name", &f.last_name);
    let birth_date = if f.birth_date.trim().is_empty() {
        None
    } else {
        typed_date::parse(&f.birth_date, today, Sense::Birth).map_err(|e| faults.add("birthDate", e.to_string())).ok()
    };
    let sex: Option<Sex> = (!f.sex.is_empty()).then(|| faults.coded("sex", &f.sex, "Choose female, male or unknown."));
    let deceased_on = f.deceased_on.as_deref().filter(|t| !t.trim().is_empty()).and_then(|text| {
        typed_date::parse(text, today, Sense::Death).map_err(|e| faults.add("deceasedOn", e.to_string())).ok()
    });
    if let Some(sentence) = deceased_on.and_then(|died| death_refusal(birth_date, died)) {
        faults.add("deceasedOn", sentence);
    }
    if f.email_declined && !f.email.trim().is_empty() {
        faults.add("email", "There is an e-mail address, so none was declined: take one of the two away.");
    }
    let state = faults.optional_line("state", "State", &f.state, 2).to_uppercase();
    if !state.is_empty() && (state.len() != 2 || !state.bytes().all(|b| b.is_ascii_uppercase())) {
        faults.add("state", "A state has two letters, such as ME.");
    }
    let d = Details {
        first_name,
        last_name,
        middle_name: faults.optional_line("middleName", "Middle name", &f.middle_name, 100),
        preferred_name: faults.optional_line("preferredName", "Preferred name", &f.preferred_name, 100),
        former_name: faults.optional_line("formerName", "Former name", &f.former_name, 100),
        birth_date,
        sex: sex.map(Into::into),
        phone: optional(&mut faults, "phone", &f.phone, fields::telephone),
        other_phone: optional(&mut faults, "otherPhone", f.other_phone.as_deref().unwrap_or(""), fields::telephone),
        email: optional(&mut faults, "email", &f.email, fields::email),
        email_declined: f.email_declined,
        address_line: faults.optional_line("addressLine", "Address", &f.address_line, 55),
        address_line2: faults.optional_line("addressLine2", "Address, second line", &f.address_line2, 55),
        city: faults.optional_line("city", "Town", &f.city, 30),
        state,
        postal_code: optional(&mut faults, "postalCode", &f.postal_code, fields::postal_code).unwrap_or_default(),
        language: faults.optional_line("language", "Language", &f.language, 40),
        responsible_id: f.responsible_id,
        usual_clinician_id: f.usual_clinician_id,
        chart_alert: faults.optional_line("chartAlert", "Chart alert", &f.chart_alert, 200),
        billing_note: faults.optional_line("billingNote", "Billing note", &f.billing_note, 400),
        deceased_on,
        patient: !f.no_patient,
    };
    let more = Registration {
        person_id: Uuid::nil(),
        gender_identity: faults.optional_line("genderIdentity", "Gender identity", &f.gender_identity, 40),
        pronouns: faults.optional_line("pronouns", "Pronouns", &f.pronouns, 30),
        marital_status: faults.optional_coded::<MaritalStatus>("maritalStatus", &f.marital_status).map(Into::into),
        interpreter: f.interpreter,
        race: faults.optional_coded::<Race>("race", &f.race).map(Into::into),
        ethnicity: faults.optional_coded::<Ethnicity>("ethnicity", &f.ethnicity).map(Into::into),
        occupation: faults.optional_line("occupation", "Occupation", &f.occupation, 60),
        employer: faults.optional_line("employer", "Employer", &f.employer, 60),
        outside_id: faults.optional_line("outsideId", "Id in another system", &f.outside_id, 40),
        emergency_name: faults.optional_line("emergencyName", "Emergency contact", &f.emergency_name, 80),
        emergency_phone: optional(
            &mut faults,
            "emergencyPhone",
            f.emergency_phone.as_deref().unwrap_or(""),
            fields::telephone,
        ),
        emergency_relation: faults.optional_line("emergencyRelation", "Relation", &f.emergency_relation, 40),
        pharmacy_id: f.pharmacy_id,
        usual_site_id: f.usual_site_id,
        outside_clinician: faults.optional_line("outsideClinician", "Outside clinician", &f.outside_clinician, 80),
        referred_by: faults.optional_line("referredBy", "Referred by", &f.referred_by, 80),
        heard_from: faults.optional_line("heardFrom", "How they heard of the clinic", &f.heard_from, 80),
        restricted: false,
    };
    faults.none_or((d, more))
}

impl PersonForm {
    /// The form as the record holds it.
    pub fn of(p: &Person, r: &Registration) -> PersonForm {
        let (p, r) = (p.clone(), r.clone());
        let day = |d: Option<NaiveDate>| d.map(|d| d.to_string()).unwrap_or_default();
        let phone = |digits: Option<String>| digits.map(|d| telephone(&d)).unwrap_or_default();
        PersonForm {
            version: p.version,
            not_a_twin: true,
            first_name: p.first_name,
            last_name: p.last_name,
            middle_name: p.middle_name,
            preferred_name: p.preferred_name,
            former_name: p.former_name,
            birth_date: day(p.birth_date),
            sex: p.sex.map_or("", |c| c.code()).to_owned(),
            phone: phone(p.phone),
            other_phone: Some(phone(p.other_phone)),
            email: p.email.unwrap_or_default(),
            email_declined: p.email_declined,
            address_line: p.address_line,
            address_line2: p.address_line2,
            city: p.city,
            state: p.state,
            postal_code: p.postal_code,
            language: p.language,
            responsible_id: p.responsible_id,
            usual_clinician_id: p.usual_clinician_id,
            chart_alert: p.chart_alert,
            billing_note: p.billing_note,
            deceased_on: Some(day(p.deceased_on)),
            no_patient: !p.patient,
            gender_identity: r.gender_identity,
            pronouns: r.pronouns,
            marital_status: r.marital_status.map_or("", |c| c.code()).to_owned(),
            interpreter: r.interpreter,
            race: r.race.map_or("", |c| c.code()).to_owned(),
            ethnicity: r.ethnicity.map_or("", |c| c.code()).to_owned(),
            occupation: r.occupation,
            employer: r.employer,
            outside_id: r.outside_id,
            emergency_name: r.emergency_name,
            emergency_phone: Some(phone(r.emergency_phone)),
            emergency_relation: r.emergency_relation,
            pharmacy_id: r.pharmacy_id,
            usual_site_id: r.usual_site_id,
            outside_clinician: r.outside_clinician,
            referred_by: r.referred_by,
            heard_from: r.heard_from,
        }
    }

    /// The form with what somebody changed in it; what is not sent stays as the record holds it. An error when a value is
    /// none of its field's kind.
    pub fn with(&self, changed: &Map<String, Value>) -> Result<PersonForm, serde_json::Error> {
        let mut whole = serde_json::to_value(self)?;
        for (field, value) in changed {
            if let Some(held) = whole.get_mut(field) {
                *held = value.clone();
            }
        }
        serde_json::from_value(whole)
    }
}
