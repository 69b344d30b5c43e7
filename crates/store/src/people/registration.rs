//! What is registered besides names and address; consents with their history; who answers for whom.

use super::get;
use crate::Topic;
use crate::rows::{ChartOpening, ConsentAnswer, Person, Registration};
use crate::schema::{chart_openings, consents, coverages, registrations, visits};
use crate::{Change, Conn, Result, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::people::{self as core, Field, Party, may_answer};
use std::collections::{HashMap, HashSet};
use uuid::Uuid;

/// A person's registration; an empty one where nothing was asked yet.
pub async fn of(conn: &mut Conn, person: Uuid) -> Result<Registration> {
    Ok(of_many(conn, &[person])
        .await?
        .remove(&person)
        .unwrap_or_else(|| Registration { person_id: person, ..Registration::default() }))
}

pub async fn of_many(conn: &mut Conn, persons: &[Uuid]) -> Result<HashMap<Uuid, Registration>> {
    use registrations as r;
    let rows: Vec<Registration> =
        r::table.filter(r::person_id.eq_any(persons)).select(Registration::as_select()).load(conn).await?;
    Ok(rows.into_iter().map(|r| (r.person_id, r)).collect())
}

/// Every answer that was ever recorded, the newest first.
pub async fn consents_of(conn: &mut Conn, persons: &[Uuid]) -> Result<Vec<ConsentAnswer>> {
    use consents as c;
    Ok(c::table
        .filter(c::person_id.eq_any(persons))
        .order((c::recorded_at.desc(), c::id.desc()))
        .select(ConsentAnswer::as_select())
        .load(conn)
        .await?)
}

/// The answer that counts: the newest of its kind.
pub fn standing(consents: &[ConsentAnswer], person: Uuid, kind: core::Consent) -> Option<&ConsentAnswer> {
    consents.iter().find(|c| c.person_id == person && c.kind == kind)
}

/// What the clinic requires of a registration.
pub async fn required(conn: &mut Conn) -> Result<Vec<Field>> {
    let clinic = crate::house::staff::clinic(conn).await?;
    Ok(clinic.required_fields.iter().map(|f| **f).collect())
}

/// The facts that a record holds.
pub fn present(p: &Person, r: &Registration, consents: &[ConsentAnswer]) -> Vec<Field> {
    let said = |kind| standing(consents, p.id, kind).is_some();
    let holds = |field: &Field| match field {
        Field::BirthDate => p.birth_date.is_some(),
        Field::Sex => p.sex.is_some(),
        Field::GenderIdentity => !r.gender_identity.is_empty(),
        Field::Pronouns => !r.pronouns.is_empty(),
        Field::Address => has_address(p),
        Field::Phone => p.phone.is_some() || p.other_phone.is_some(),
        Field::Email => p.email.is_some() || p.email_declined,
        Field::EmergencyContact => !r.emergency_name.is_empty() && r.emergency_phone.is_some(),
        Field::ResponsibleParty => p.responsible_id.is_some(),
        Field::PrivacyNotice => standing(consents, p.id, core::Consent::PrivacyNotice).is_some_and(|c| c.given),
        Field::MessageConsents => said(core::Consent::Text) || said(core::Consent::Voice) || said(core::Consent::Email),
        Field::Language => !p.language.is_empty(),
        Field::MaritalStatus => r.marital_status.is_some(),
        Field::Race => r.race.is_some(),
        Field::Ethnicity => r.ethnicity.is_some(),
        Field::Occupation => !r.occupation.is_empty(),
        Field::Employer => !r.employer.is_empty(),
        Field::UsualClinician => p.usual_clinician_id.is_some(),
        Field::UsualSite => r.usual_site_id.is_some(),
        Field::Pharmacy => r.pharmacy_id.is_some(),
        Field::HeardFrom => !r.heard_from.is_empty(),
    };
    Field::ALL.iter().filter(|f| holds(f)).copied().collect()
}

pub fn has_address(p: &Person) -> bool {
    !p.address_line.is_empty() && !p.city.is_empty() && !p.state.is_empty() && !p.postal_code.is_empty()
}

/// What is needed to say what records lack.
#[derive(Debug)]
pub struct Registrations {
    required: Vec<Field>,
    more: HashMap<Uuid, Registration>,
    consents: Vec<ConsentAnswer>,
}

impl Registrations {
    pub async fn load(conn: &mut Conn, persons: &[Uuid]) -> Result<Registrations> {
        Ok(Registrations {
            required: required(conn).await?,
            more: of_many(conn, persons).await?,
            consents: consents_of(conn, persons).await?,
        })
    }

    /// What a record lacks on a day.
    pub fn gaps(&self, p: &Person, on: NaiveDate) -> Vec<Field> {
        let nothing = Registration::default();
        let held = present(p, self.more.get(&p.id).unwrap_or(&nothing), &self.consents);
        core::gaps(&self.required, &held, p.birth_date, on)
    }
}

impl Registrations {
    pub fn restricted(&self, person: Uuid) -> bool {
        self.more.get(&person).is_some_and(|r| r.restricted)
    }
}

/// Whether somebody may open a chart now: it is not restricted, or they gave a reason lately.
pub async fn chart_is_open(conn: &mut Conn, person: Uuid, staff: Uuid, now: DateTime<Utc>) -> Result<bool> {
    Ok(closed_charts(conn, &[person], staff, now).await?.is_empty())
}

/// Of these people, those whose charts are closed to somebody: restricted, and no reason given lately.
pub async fn closed_charts(
    conn: &mut Conn,
    persons: &[Uuid],
    staff: Uuid,
    now: DateTime<Utc>,
) -> Result<HashSet<Uuid>> {
    use {chart_openings as o, registrations as r};
    let restricted: Vec<Uuid> = r::table
        .filter(r::person_id.eq_any(persons).and(r::restricted.eq(true)))
        .select(r::person_id)
        .load(conn)
        .await?;
    if restricted.is_empty() {
        return Ok(HashSet::new());
    }
    let lately = now - core::RESTRICTED_OPEN_FOR;
    let opened: Vec<Uuid> = o::table
        .filter(o::person_id.eq_any(&restricted).and(o::staff_id.eq(staff)).and(o::at.ge(lately)))
        .select(o::person_id)
        .load(conn)
        .await?;
    Ok(restricted.into_iter().filter(|p| !opened.contains(p)).collect())
}

/// The openings of restricted charts since a moment, the newest first.
pub async fn openings_since(conn: &mut Conn, since: DateTime<Utc>) -> Result<Vec<ChartOpening>> {
    use chart_openings as o;
    Ok(o::table.filter(o::at.ge(since)).order(o::at.desc()).select(ChartOpening::as_select()).load(conn).await?)
}

/// Those who answer for a person, the nearest first; it ends where nobody does, or at a circle.
async fn answered_by(conn: &mut Conn, person: Uuid) -> Result<Vec<Uuid>> {
    let mut chain: Vec<Uuid> = Vec::new();
    let mut at = person;
    while let Some(next) = get(conn, at).await?.responsible_id {
        if chain.contains(&next) {
            break;
        }
        chain.push(next);
        at = next;
    }
    Ok(chain)
}

/// Visits to come of a person who died; each is to be cancelled by somebody who calls the family.
pub async fn coming_visits(conn: &mut Conn, person: Uuid, now: DateTime<Utc>) -> Result<Vec<crate::rows::Visit>> {
    Ok(visits::table
        .filter(visits::person_id.eq(person).and(visits::starts_at.ge(now)).and(visits::stage.eq("booked")))
        .order(visits::starts_at)
        .select(crate::rows::Visit::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    pub(super) async fn keep_registration(&mut self, row: Registration) -> Result<()> {
        use registrations as r;
        diesel::insert_into(r::table)
            .values(&row)
            .on_conflict(r::person_id)
            .do_update()
            .set(&row)
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Refuses a responsible party who is deceased, a minor, or answered for by the patient.
    pub async fn refuse_wrong_party(&mut self, patient: Uuid, party: Uuid, today: NaiveDate) -> Result<()> {
        let row = get(self.conn(), party).await?;
        let party = Party {
            id: party,
            name: format!("{} {}", row.first_name, row.last_name),
            birth_date: row.birth_date,
            deceased: row.deceased_on.is_some(),
            answered_by: answered_by(self.conn(), party).await?,
        };
        may_answer(&patient, &party, today).map_err(|e| StoreError::refused("responsible-party", e.to_string()))
    }

    /// Policies end with the life of the insured.
    pub(super) async fn end_coverage_at_death(&mut self, person: Uuid, day: NaiveDate) -> Result<()> {
        use coverages as c;
        let open = c::person_id.eq(person).and(c::starts_on.le(day)).and(c::ends_on.is_null().or(c::ends_on.gt(day)));
        let ended = diesel::update(c::table.filter(open)).set(c::ends_on.eq(day)).execute(self.conn()).await?;
        if ended > 0 {
            self.audit("ended", "coverage", person, Some(person), format!("{ended} at death"));
        }
        Ok(())
    }

    /// Records what a person agreed to or declined; earlier answers stay readable.
    pub async fn record_consent(&mut self, person: Uuid, kind: core::Consent, given: bool) -> Result<ConsentAnswer> {
        get(self.conn(), person).await?;
        let row = ConsentAnswer {
            id: Uuid::now_v7(),
            person_id: person,
            kind: kind.into(),
            given,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
        };
        diesel::insert_into(consents::table).values(&row).execute(self.conn()).await?;
        let word = if given { "given" } else { "declined" };
        self.audit("consent", "person", person, Some(person), format!("{}: {word}", kind.label()));
        self.tell(Topic::Person, person);
        Ok(row)
    }

    /// Puts a chart under restriction, or lifts it, for a reason that is kept for good.
    pub async fn restrict_chart(&mut self, person: Uuid, restricted: bool, reason: &str) -> Result<()> {
        use crate::schema::restrictions as h;
        get(self.conn(), person).await?;
        let registration = of(self.conn(), person).await?;
        if registration.restricted == restricted {
            let sentence = if restricted {
                "The chart is under restriction already."
            } else {
                "The chart is under no restriction."
            };
            return Err(StoreError::refused("restriction", sentence));
        }
        self.keep_registration(Registration { restricted, ..registration }).await?;
        diesel::insert_into(h::table)
            .values((
                (h::id.eq(Uuid::now_v7()), h::person_id.eq(person), h::restricted.eq(restricted), h::reason.eq(reason)),
                (h::at.eq(self.now), h::by.eq(self.actor.name.clone())),
            ))
            .execute(self.conn())
            .await?;
        let done = if restricted { "put the chart under restriction" } else { "lifted the restriction" };
        self.audit(done, "person", person, Some(person), reason.to_owned());
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Opens a restricted chart for a reason, which is kept for good.
    pub async fn open_chart(&mut self, person: Uuid, staff: Uuid, reason: &str) -> Result<()> {
        get(self.conn(), person).await?;
        let row = ChartOpening {
            id: Uuid::now_v7(),
            person_id: person,
            staff_id: staff,
            staff_name: self.actor.name.clone(),
            reason: reason.into(),
            at: self.now,
        };
        diesel::insert_into(chart_openings::table).values(&row).execute(self.conn()).await?;
        self.audit("opened restricted chart", "person", person, Some(person), reason.to_owned());
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Sets what the clinic requires of a registration.
    pub async fn set_required_fields(&mut self, fields: &[Field]) -> Result<()> {
        let codes: Vec<String> = fields.iter().map(|f| f.code().to_owned()).collect();
        let said = codes.join(", ");
        diesel::update(crate::schema::clinic::table)
            .set(crate::schema::clinic::required_fields.eq(codes))
            .execute(self.conn())
            .await?;
        self.audit("set required fields", "clinic", Uuid::nil(), None, said);
        self.tell(Topic::Clinic, Uuid::nil());
        Ok(())
    }
}
