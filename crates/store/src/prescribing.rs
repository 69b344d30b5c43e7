//! Prescriptions, and the pharmacies they go to.

pub mod approvals;
pub mod person_states;
pub mod renewals;
pub mod tables;

use crate::codes::Code;
use crate::consult::lists::MedicineNow;
use crate::documents::{Doc, GivenOverride, GivenWarning};
use crate::jobs::JobKind;
use crate::rows::{Dispense, Medicine, Person, Pharmacy, Prescription, PrescriptionEnd, PrescriptionHead, Visit};
use crate::schema::{dispenses, medicines, people, pharmacies, prescription_ends, prescription_heads, prescriptions};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::prescribing::{MedicineState, PrescriptionEvent, PrescriptionState};
use uuid::Uuid;

/// The prescriptions of visits; what was taken away before it was signed is not among them.
pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Prescription>> {
    use prescriptions as p;
    Ok(p::table
        .filter(p::visit_id.eq_any(visits).and(p::state.ne("stopped").or(p::head_id.is_not_null())))
        .order(p::id)
        .select(Prescription::as_select())
        .load(conn)
        .await?)
}

/// The latest of a person, with those that were renewed or changed without a visit.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Prescription>> {
    use prescriptions as p;
    Ok(p::table
        .filter(p::person_id.eq(person).and(p::state.ne("stopped").or(p::head_id.is_not_null())))
        .order((p::prescribed_at.desc(), p::id.desc()))
        .limit(100)
        .select(Prescription::as_select())
        .load(conn)
        .await?)
}

pub async fn prescription(conn: &mut Conn, id: Uuid) -> Result<Prescription> {
    prescriptions::table
        .find(id)
        .select(Prescription::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("prescription"))
}

/// Everything under one signature.
pub async fn of_head(conn: &mut Conn, head: Uuid) -> Result<Vec<Prescription>> {
    use prescriptions as p;
    let of_it = p::table.filter(p::head_id.eq(head)).order(p::id);
    Ok(of_it.select(Prescription::as_select()).load(conn).await?)
}

/// A prescription that nobody else changes until this change is done.
pub async fn locked(conn: &mut Conn, id: Uuid) -> Result<Prescription> {
    prescriptions::table
        .find(id)
        .for_update()
        .select(Prescription::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("prescription"))
}

pub async fn head(conn: &mut Conn, id: Uuid) -> Result<Option<PrescriptionHead>> {
    Ok(prescription_heads::table.find(id).select(PrescriptionHead::as_select()).first(conn).await.optional()?)
}

/// Why prescriptions stand no more.
pub async fn ends(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<PrescriptionEnd>> {
    use prescription_ends as e;
    Ok(e::table.filter(e::prescription_id.eq_any(ids)).select(PrescriptionEnd::as_select()).load(conn).await?)
}

/// Why a prescription stands no more.
pub async fn end(conn: &mut Conn, id: Uuid) -> Result<Option<PrescriptionEnd>> {
    Ok(prescription_ends::table.find(id).select(PrescriptionEnd::as_select()).first(conn).await.optional()?)
}

/// Whether a course is over that still counts as taken.
pub async fn courses_are_over(conn: &mut Conn, today: NaiveDate) -> Result<bool> {
    use medicines as m;
    let over = m::table
        .filter(m::prescription_id.is_not_null().and(m::struck_at.is_null()).and(m::state.eq("taking")))
        .filter(m::until.ne("").and(m::until.lt(today.to_string())));
    Ok(diesel::select(diesel::dsl::exists(over)).get_result(conn).await?)
}

/// How often each product was prescribed in a year: one's own counts for more than what the clinic prescribes.
pub async fn most_prescribed(conn: &mut Conn, clinician: Uuid, today: NaiveDate) -> Result<Vec<(String, u32)>> {
    #[derive(QueryableByName)]
    struct Used {
        #[diesel(sql_type = diesel::sql_types::Text)]
        product_code: String,
        #[diesel(sql_type = diesel::sql_types::BigInt)]
        times: i64,
    }
    let rows: Vec<Used> = diesel::sql_query(
        "select product_code, 10 * count(*) filter (where prescriber_id = $1) + count(*) as times from prescriptions
         where head_id is not null and prescribed_at > $2 - interval '1 year' group by product_code",
    )
    .bind::<diesel::sql_types::Uuid, _>(clinician)
    .bind::<diesel::sql_types::Date, _>(today)
    .load(conn)
    .await?;
    Ok(rows.into_iter().map(|r| (r.product_code, u32::try_from(r.times).unwrap_or(u32::MAX))).collect())
}

/// Drafts of a prescriber that are of no visit, the oldest first.
pub async fn to_sign_beside_visits(conn: &mut Conn, prescriber: Uuid) -> Result<Vec<(Prescription, Person)>> {
    use prescriptions as p;
    Ok(p::table
        .inner_join(people::table.on(people::id.eq(p::person_id)))
        .filter(p::state.eq(Code(PrescriptionState::Draft)).and(p::visit_id.is_null()))
        .filter(p::prescriber_id.eq(prescriber))
        .order(p::prescribed_at)
        .limit(200)
        .select((Prescription::as_select(), Person::as_select()))
        .load(conn)
        .await?)
}

/// How long it is told that a pharmacy did not take a prescription; then somebody else has seen to it.
const REFUSED_FOR: Duration = Duration::days(30);

/// What pharmacies did not take of a prescriber lately, and nothing has followed.
pub async fn refused_by_pharmacy(
    conn: &mut Conn,
    prescriber: Uuid,
    now: DateTime<Utc>,
) -> Result<Vec<(PrescriptionEnd, Prescription, Person)>> {
    use prescriptions as p;
    let next = diesel::alias!(prescriptions as next);
    let followed = next
        .filter(next.field(p::replaces_id).eq(p::id.nullable()).or(next.field(p::renews_id).eq(p::id.nullable())))
        .filter(next.field(p::head_id).is_not_null());
    Ok(prescription_ends::table
        .inner_join(p::table.on(p::id.eq(prescription_ends::prescription_id)))
        .inner_join(people::table.on(people::id.eq(p::person_id)))
        .filter(p::state.eq(Code(PrescriptionState::Refused)).and(p::prescriber_id.eq(prescriber)))
        .filter(prescription_ends::ended_at.gt(now - REFUSED_FOR))
        .filter(diesel::dsl::not(diesel::dsl::exists(followed)))
        .order(prescription_ends::ended_at)
        .limit(200)
        .select((PrescriptionEnd::as_select(), Prescription::as_select(), Person::as_select()))
        .load(conn)
        .await?)
}

/// The pharmacy that a person prefers.
pub async fn preferred_pharmacy(conn: &mut Conn, person: Uuid) -> Result<Option<Uuid>> {
    use crate::schema::registrations as r;
    let found: Option<Option<Uuid>> = r::table.find(person).select(r::pharmacy_id).first(conn).await.optional()?;
    Ok(found.flatten())
}

pub async fn pharmacies(conn: &mut Conn) -> Result<Vec<Pharmacy>> {
    Ok(pharmacies::table.order(pharmacies::name).select(Pharmacy::as_select()).load(conn).await?)
}

impl Change<'_> {
    /// Keeps what is handed to the pharmacy, before it is.
    pub async fn keep_sent_prescription(&mut self, id: Uuid, content: &[u8]) -> Result<()> {
        let (document, _) = self.keep_document("prescription", "out", content).await?;
        diesel::update(prescriptions::table.find(id))
            .set(prescriptions::sent_document_id.eq(document))
            .execute(self.conn())
            .await?;
        self.audit("kept as sent", "document", document, None, id.to_string());
        Ok(())
    }

    pub async fn add_prescription(&mut self, row: Prescription) -> Result<Prescription> {
        diesel::insert_into(prescriptions::table).values(&row).execute(self.conn()).await?;
        self.audit("prescribed", "prescription", row.id, Some(row.person_id), row.medicine.clone());
        self.tell_prescription(&row);
        Ok(row)
    }

    /// Writes a draft anew.
    pub async fn rewrite_prescription(&mut self, row: Prescription) -> Result<Prescription> {
        use prescriptions as p;
        diesel::update(p::table.find(row.id))
            .set((
                (p::product_code.eq(&row.product_code), p::medicine.eq(&row.medicine), p::route.eq(&row.route)),
                (p::dose.eq(row.dose), p::per_day.eq(row.per_day), p::days.eq(row.days), p::unit.eq(row.unit)),
                (p::quantity.eq(row.quantity), p::refills.eq(row.refills), p::substitution.eq(row.substitution)),
                (p::instructions.eq(&row.instructions), p::dosage.eq(&row.dosage), p::note.eq(&row.note)),
                (p::diagnosis.eq(&row.diagnosis), p::replaces_id.eq(row.replaces_id)),
                p::prescribed_at.eq(row.prescribed_at),
            ))
            .execute(self.conn())
            .await?;
        self.audit("wrote anew", "prescription", row.id, Some(row.person_id), row.medicine.clone());
        self.tell_prescription(&row);
        Ok(row)
    }

    /// Ends a prescription since another takes its place; both say so.
    pub async fn replace_prescription(&mut self, old: Uuid, by: &Prescription) -> Result<()> {
        let reason = format!("changed to {}: {}", by.medicine, by.instructions);
        self.stop_prescription(old, reason.chars().take(200).collect::<String>().as_str()).await?;
        Ok(())
    }

    /// Puts a prescription under the one diagnosis that it is for.
    pub async fn place_prescription(&mut self, id: Uuid, code: Option<&str>) -> Result<()> {
        use prescriptions as p;
        let (visit, person): (Option<Uuid>, Uuid) = diesel::update(p::table.find(id))
            .set(p::diagnosis.eq(code))
            .returning((p::visit_id, p::person_id))
            .get_result(self.conn())
            .await?;
        self.audit("placed", "prescription", id, Some(person), code.unwrap_or("nowhere"));
        if let Some(visit) = visit {
            self.tell(Topic::Visit, visit);
        }
        Ok(())
    }

    /// Puts a prescription that was signed under another diagnosis; the signed note of its visit tells it in an addendum.
    pub async fn move_signed_prescription(&mut self, visit: &Visit, row: &Prescription, code: &str) -> Result<()> {
        let there = crate::consult::runs::diagnoses_of(self.conn(), visit.id).await?;
        if there.iter().all(|d| d.code != code) {
            return Err(StoreError::refused("no_diagnosis", "That diagnosis is not there any more."));
        }
        self.place_prescription(row.id, Some(code)).await?;
        let was = row.diagnosis.as_deref().unwrap_or("no diagnosis");
        self.tell_beside_note(visit, format!("{}: for {code} instead of {was}.", row.medicine)).await
    }

    /// Something happened to a prescription; the core says what becomes of it.
    pub async fn prescription_happened(&mut self, id: Uuid, event: PrescriptionEvent) -> Result<PrescriptionState> {
        use prescriptions as p;
        let row = locked(self.conn(), id).await?;
        let next = row.state.after(event).map_err(|refused| StoreError::refused("sent", refused.to_string()))?;
        let now = self.now;
        let sent_at = if next == PrescriptionState::Sent { row.sent_at.or(Some(now)) } else { row.sent_at };
        diesel::update(p::table.find(id))
            .set((p::state.eq(Code(next)), p::sent_at.eq(sent_at)))
            .execute(self.conn())
            .await?;
        self.audit(event.word(), "prescription", id, Some(row.person_id), next.code());
        self.tell_prescription(&row);
        Ok(next)
    }

    fn tell_prescription(&mut self, row: &Prescription) {
        if let Some(visit) = row.visit_id {
            self.tell(Topic::Visit, visit);
        }
        self.tell(Topic::Person, row.person_id);
    }

    /// Who else signs for the same person waits: what one signs is among what the other is checked against.
    pub async fn prescribe_alone(&mut self, person: Uuid) -> Result<()> {
        self.alone_at("prescribing", &person.to_string()).await
    }

    /// Puts one signature under several prescriptions. Each goes its own way: to its pharmacy or on paper.
    pub async fn sign_prescriptions(&mut self, head: PrescriptionHead, items: &[SignedItem]) -> Result<()> {
        use prescriptions as p;
        diesel::insert_into(prescription_heads::table).values(&head).execute(self.conn()).await?;
        self.audit("signed", "prescription head", head.id, Some(head.person_id), format!("{} items", items.len()));
        for item in items {
            let event = if item.pharmacy.is_some() { PrescriptionEvent::Signed } else { PrescriptionEvent::Printed };
            self.prescription_happened(item.id, event).await?;
            diesel::update(p::table.find(item.id))
                .set((
                    p::head_id.eq(head.id),
                    p::pharmacy_id.eq(item.pharmacy),
                    p::warnings.eq(Doc(item.warnings.clone())),
                    p::overrides.eq(Doc(item.overrides.clone())),
                ))
                .execute(self.conn())
                .await?;
            if item.pharmacy.is_some() {
                self.add_job(JobKind::SendPrescription, item.id).await?;
            }
        }
        Ok(())
    }

    /// Ends a prescription with its reason: a draft is gone, one that a pharmacy has is taken back from it, and what was taken
    /// by it is taken no more.
    pub async fn stop_prescription(&mut self, id: Uuid, reason: &str) -> Result<PrescriptionState> {
        let next = self.prescription_happened(id, PrescriptionEvent::Stopped).await?;
        self.keep_end(id, false, reason).await?;
        if next == PrescriptionState::Stopping {
            self.add_job(JobKind::StopPrescription, id).await?;
        }
        let person = prescription(self.conn(), id).await?.person_id;
        self.end_medicine_of(id, person, reason).await?;
        Ok(next)
    }

    /// Keeps why a prescription stands no more; the first word stays.
    pub async fn keep_end(&mut self, prescription_id: Uuid, refused: bool, reason: &str) -> Result<()> {
        let ended_by = self.actor.name.clone();
        let row = PrescriptionEnd { prescription_id, refused, ended_at: self.now, ended_by, reason: reason.to_owned() };
        diesel::insert_into(prescription_ends::table)
            .values(&row)
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Ends the courses whose last day is over; gives how many.
    pub async fn end_courses(&mut self, today: NaiveDate) -> Result<usize> {
        use medicines as m;
        let over: Vec<Medicine> = m::table
            .filter(m::prescription_id.is_not_null().and(m::struck_at.is_null()).and(m::state.eq("taking")))
            .filter(m::until.ne("").and(m::until.lt(today.to_string())))
            .limit(500)
            .for_update()
            .select(Medicine::as_select())
            .load(self.conn())
            .await?;
        for one in &over {
            let now = MedicineNow {
                state: MedicineState::Stopped,
                how: &one.how,
                since: &one.since,
                until: &one.until,
                source: *one.source,
                reason: "the course is over",
                note: &one.note,
            };
            self.set_medicine(one.person_id, one.id, &now).await?;
        }
        Ok(over.len())
    }

    /// Keeps what was handed out; false where the same was told before.
    pub async fn keep_dispense(&mut self, row: &Dispense) -> Result<bool> {
        let n = diesel::insert_into(dispenses::table).values(row).on_conflict_do_nothing().execute(self.conn()).await?;
        Ok(n > 0)
    }

    /// The pharmacy does not take a prescription: why is kept, and nothing is taken by it.
    pub async fn refuse_prescription(&mut self, id: Uuid, reason: &str) -> Result<()> {
        let next = self.prescription_happened(id, PrescriptionEvent::Refused).await?;
        if next == PrescriptionState::Refused {
            self.keep_end(id, true, reason).await?;
            let person = prescription(self.conn(), id).await?.person_id;
            self.end_medicine_of(id, person, &format!("the pharmacy did not take it: {reason}")).await?;
        }
        Ok(())
    }

    /// What is taken by a prescription is taken no more, from today on.
    async fn end_medicine_of(&mut self, prescription: Uuid, person: Uuid, reason: &str) -> Result<()> {
        use medicines as m;
        let of_it = m::table.filter(m::prescription_id.eq(prescription).and(m::struck_at.is_null()));
        let taken: Vec<Medicine> =
            of_it.filter(m::state.eq("taking")).select(Medicine::as_select()).load(self.conn()).await?;
        for one in taken {
            let now = MedicineNow {
                state: MedicineState::Stopped,
                how: &one.how,
                since: &one.since,
                until: &self.now.date_naive().to_string(),
                source: *one.source,
                reason,
                note: &one.note,
            };
            self.set_medicine(person, one.id, &now).await?;
        }
        Ok(())
    }

    /// What is taken now is taken by this prescription, until the last day of a course.
    pub async fn tie_medicine(
        &mut self,
        medicine: Uuid,
        prescription: Uuid,
        how: &str,
        until: Option<NaiveDate>,
    ) -> Result<()> {
        use medicines as m;
        let until = until.map(|day| day.to_string()).unwrap_or_default();
        diesel::update(m::table.find(medicine))
            .set((m::prescription_id.eq(prescription), m::how.eq(how), m::until.eq(until)))
            .execute(self.conn())
            .await?;
        Ok(())
    }
}

/// One prescription as it is signed.
#[derive(Debug, Clone)]
pub struct SignedItem {
    pub id: Uuid,
    /// None on paper.
    pub pharmacy: Option<Uuid>,
    pub warnings: Vec<GivenWarning>,
    pub overrides: Vec<GivenOverride>,
}

/// Why a finding about a pair was overridden for a person before: by whom, and when.
#[derive(Debug, Clone)]
pub struct EarlierOverride {
    pub about: String,
    pub reason: String,
    pub by: String,
    pub at: DateTime<Utc>,
}

/// What was overridden for a person before, the latest first.
pub async fn overridden_before(conn: &mut Conn, person: Uuid) -> Result<Vec<EarlierOverride>> {
    use prescriptions as p;
    let rows: Vec<(Doc<Vec<GivenOverride>>, String, DateTime<Utc>)> = p::table
        .filter(p::person_id.eq(person).and(p::head_id.is_not_null()))
        .filter(diesel::dsl::sql::<diesel::sql_types::Bool>("overrides <> '[]'"))
        .order((p::prescribed_at.desc(), p::id.desc()))
        .limit(100)
        .select((p::overrides, p::prescribed_by, p::prescribed_at))
        .load(conn)
        .await?;
    let each = |(given, by, at): (Doc<Vec<GivenOverride>>, String, DateTime<Utc>)| {
        given.0.into_iter().map(move |o| EarlierOverride { about: o.about, reason: o.reason, by: by.clone(), at })
    };
    Ok(rows.into_iter().flat_map(each).collect())
}

/// A warning that was overridden, with the medicine, by whom and when.
#[derive(Debug, Clone)]
pub struct Overridden {
    pub medicine: String,
    pub by: String,
    pub at: DateTime<Utc>,
    pub given: GivenOverride,
}

/// What prescribers overrode since a moment, the latest first.
pub async fn overridden_since(conn: &mut Conn, since: DateTime<Utc>) -> Result<Vec<Overridden>> {
    use prescriptions as p;
    type Row = (Doc<Vec<GivenOverride>>, String, String, DateTime<Utc>);
    let rows: Vec<Row> = p::table
        .inner_join(prescription_heads::table.on(p::head_id.eq(prescription_heads::id.nullable())))
        .filter(prescription_heads::signed_at.gt(since))
        .filter(diesel::dsl::sql::<diesel::sql_types::Bool>("overrides <> '[]'"))
        .order((prescription_heads::signed_at.desc(), p::id.desc()))
        .limit(1000)
        .select((p::overrides, p::medicine, prescription_heads::prescriber_name, prescription_heads::signed_at))
        .load(conn)
        .await?;
    let each = |(all, medicine, by, at): Row| {
        all.0.into_iter().map(move |given| Overridden { medicine: medicine.clone(), by: by.clone(), at, given })
    };
    Ok(rows.into_iter().flat_map(each).collect())
}

/// What was handed out to a person, the latest first, with its product.
pub async fn dispensed_to(conn: &mut Conn, person: Uuid) -> Result<Vec<(Dispense, String)>> {
    use dispenses as d;
    use prescriptions as p;
    Ok(d::table
        .inner_join(p::table.on(p::id.eq(d::prescription_id)))
        .filter(p::person_id.eq(person))
        .order((d::dispensed_on.desc(), d::id.desc()))
        .limit(100)
        .select((Dispense::as_select(), p::product_code))
        .load(conn)
        .await?)
}
