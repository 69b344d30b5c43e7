//! The chart: notes, measurements, allergies, medicines, problems, diagnoses of a visit.

use crate::rows::*;
use crate::schema::{
    addenda, allergies, measurements, medicines, none_known, note_parts, note_signatures, order_diagnoses,
    prescriptions, problems, visit_diagnoses,
};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::NotePart as Part;
use harbor_core::consult::diagnoses::{FAVOURITES_HALF_AFTER_DAYS, FAVOURITES_OF_DAYS, MOST_FAVOURITES};
use harbor_core::consult::measurements::{Measure, Standing, Tenths};
use uuid::Uuid;

pub async fn parts(conn: &mut Conn, visit: Uuid) -> Result<Vec<WrittenPart>> {
    Ok(note_parts::table.filter(note_parts::visit_id.eq(visit)).select(WrittenPart::as_select()).load(conn).await?)
}

pub async fn signature(conn: &mut Conn, visit: Uuid) -> Result<Option<NoteSignature>> {
    Ok(note_signatures::table.find(visit).select(NoteSignature::as_select()).first(conn).await.optional()?)
}

pub async fn addenda_of(conn: &mut Conn, visit: Uuid) -> Result<Vec<Addendum>> {
    Ok(addenda::table
        .filter(addenda::visit_id.eq(visit))
        .order(addenda::added_at)
        .select(Addendum::as_select())
        .load(conn)
        .await?)
}

pub async fn measurements_of(conn: &mut Conn, person: Uuid) -> Result<Vec<Measurement>> {
    use measurements as m;
    Ok(m::table
        .filter(m::person_id.eq(person).and(m::struck_at.is_null()))
        .order((m::taken_at.desc(), m::id.desc()))
        .limit(300)
        .select(Measurement::as_select())
        .load(conn)
        .await?)
}

pub async fn allergies_of(conn: &mut Conn, person: Uuid) -> Result<Vec<Allergy>> {
    use allergies as a;
    Ok(a::table
        .filter(a::person_id.eq(person).and(a::ended_at.is_null()))
        .order(a::recorded_at)
        .select(Allergy::as_select())
        .load(conn)
        .await?)
}

pub async fn medicines_of(conn: &mut Conn, person: Uuid) -> Result<Vec<Medicine>> {
    use medicines as m;
    Ok(m::table
        .filter(m::person_id.eq(person).and(m::struck_at.is_null()))
        .order((m::state.desc(), m::name))
        .select(Medicine::as_select())
        .load(conn)
        .await?)
}

pub async fn problems_of(conn: &mut Conn, person: Uuid) -> Result<Vec<ListedProblem>> {
    use problems as p;
    Ok(p::table
        .filter(p::person_id.eq(person).and(p::struck_at.is_null()))
        .order((p::state, p::title))
        .select(ListedProblem::as_select())
        .load(conn)
        .await?)
}

pub async fn none_known_of(conn: &mut Conn, person: Uuid) -> Result<Vec<NoneKnown>> {
    Ok(none_known::table.filter(none_known::person_id.eq(person)).select(NoneKnown::as_select()).load(conn).await?)
}

pub async fn diagnoses_of(conn: &mut Conn, visit: Uuid) -> Result<Vec<VisitDiagnosis>> {
    use visit_diagnoses as d;
    Ok(d::table.filter(d::visit_id.eq(visit)).order(d::position).select(VisitDiagnosis::as_select()).load(conn).await?)
}

/// The diagnoses that a clinician makes most, with use fading as the core says.
pub async fn favourite_codes(conn: &mut Conn, clinician: Uuid, today: chrono::NaiveDate) -> Result<Vec<String>> {
    use diesel::sql_types;
    #[derive(QueryableByName)]
    struct Used {
        #[diesel(sql_type = sql_types::Text)]
        code: String,
    }
    let rows: Vec<Used> = diesel::sql_query(
        "select d.code from visit_diagnoses d join visits v on v.id = d.visit_id
         where v.clinician_id = $1 and v.day between $2 - $4 and $2
         group by d.code order by sum(power(0.5, ($2 - v.day)::numeric / $3)) desc, d.code limit $5",
    )
    .bind::<sql_types::Uuid, _>(clinician)
    .bind::<sql_types::Date, _>(today)
    .bind::<sql_types::Integer, _>(FAVOURITES_HALF_AFTER_DAYS)
    .bind::<sql_types::Integer, _>(FAVOURITES_OF_DAYS)
    .bind::<sql_types::Integer, _>(MOST_FAVOURITES)
    .load(conn)
    .await?;
    Ok(rows.into_iter().map(|r| r.code).collect())
}

/// A measurement as the quick line understood it.
#[derive(Debug, Clone)]
pub struct NewMeasurement {
    pub measure: Measure,
    pub tenths: i32,
    pub standing: Standing,
    pub typed: String,
    pub manner: String,
}

/// A value as an addendum tells it.
fn value_in_words(m: &Measurement) -> String {
    format!("{} {}", m.measure.label(), Tenths(m.tenths))
}

impl Change<'_> {
    pub async fn take_measurements(&mut self, visit: &Visit, found: &[NewMeasurement]) -> Result<Vec<Measurement>> {
        let rows: Vec<Measurement> = found
            .iter()
            .map(|m| Measurement {
                id: Uuid::now_v7(),
                visit_id: visit.id,
                person_id: visit.person_id,
                measure: m.measure.into(),
                tenths: m.tenths,
                standing: m.standing.into(),
                typed: m.typed.clone(),
                taken_at: self.now,
                taken_by: self.actor.name.clone(),
                struck_at: None,
                manner: m.manner.clone(),
            })
            .collect();
        diesel::insert_into(measurements::table).values(&rows).execute(self.conn()).await?;
        let told: Vec<String> = rows.iter().map(value_in_words).collect();
        self.tell_beside_note(visit, format!("Measured after signing: {}.", told.join(", "))).await?;
        self.audit("measured", "visit", visit.id, Some(visit.person_id), format!("{} values", rows.len()));
        self.tell(Topic::Visit, visit.id);
        Ok(rows)
    }

    pub async fn strike_measurement(&mut self, id: Uuid, visit: &Visit) -> Result<()> {
        use measurements as m;
        let now = self.now;
        let struck: Option<Measurement> =
            diesel::update(m::table.filter(m::id.eq(id).and(m::visit_id.eq(visit.id)).and(m::struck_at.is_null())))
                .set(m::struck_at.eq(now))
                .returning(Measurement::as_returning())
                .get_result(self.conn())
                .await
                .optional()?;
        let struck = struck.ok_or(StoreError::NotFound("measurement"))?;
        self.tell_beside_note(visit, format!("Struck after signing: {}.", value_in_words(&struck))).await?;
        self.audit("struck", "measurement", id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    /// Begins the note of a visit with what is known of it: the reason for which it was booked.
    pub(crate) async fn begin_note(&mut self, visit: &Visit) -> Result<()> {
        use note_parts as p;
        if visit.reason.is_empty() {
            return Ok(());
        }
        let row = WrittenPart {
            visit_id: visit.id,
            part: Part::Reason.into(),
            body: visit.reason.as_str().into(),
            version: 1,
            updated_at: self.now,
            updated_by: self.actor.name.clone(),
        };
        diesel::insert_into(p::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        self.tell(Topic::Note, visit.id);
        Ok(())
    }

    /// Saves a part of a note over the version that the writer has seen; 0 for a new one.
    pub async fn save_part(&mut self, visit: &Visit, part: Part, body: &str, version: i32) -> Result<WrittenPart> {
        use note_parts as p;
        let row = WrittenPart {
            visit_id: visit.id,
            part: part.into(),
            body: body.into(),
            version: version + 1,
            updated_at: self.now,
            updated_by: self.actor.name.clone(),
        };
        let saved = if version == 0 {
            diesel::insert_into(p::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?
        } else {
            diesel::update(
                p::table.filter(p::visit_id.eq(visit.id).and(p::part.eq(part.code())).and(p::version.eq(version))),
            )
            .set((
                p::body.eq(body),
                p::version.eq(version + 1),
                p::updated_at.eq(row.updated_at),
                p::updated_by.eq(&row.updated_by),
            ))
            .execute(self.conn())
            .await?
        };
        if saved == 0 {
            let current: Option<WrittenPart> = p::table
                .find((visit.id, part.code()))
                .select(WrittenPart::as_select())
                .first(self.conn())
                .await
                .optional()?;
            return Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() });
        }
        self.audit("wrote", "note", visit.id, Some(visit.person_id), part.code());
        self.tell(Topic::Note, visit.id);
        Ok(row)
    }

    /// Sets the diagnoses of a visit in their order; after signing, an addendum tells what they were and are. One that an order or prescription hangs on cannot go.
    pub async fn set_diagnoses(&mut self, visit: &Visit, wanted: &[(String, String)]) -> Result<()> {
        use visit_diagnoses as d;
        let codes: Vec<&str> = wanted.iter().map(|(c, _)| c.as_str()).collect();
        let held: Vec<String> = order_diagnoses::table
            .filter(order_diagnoses::visit_id.eq(visit.id).and(order_diagnoses::code.ne_all(&codes)))
            .select(order_diagnoses::code)
            .load(self.conn())
            .await?;
        let by_prescription: Vec<Option<String>> = prescriptions::table
            .filter(prescriptions::visit_id.eq(visit.id).and(prescriptions::diagnosis.is_not_null()))
            .select(prescriptions::diagnosis)
            .load(self.conn())
            .await?;
        let lost = by_prescription.into_iter().flatten().find(|c| !codes.contains(&c.as_str()));
        if let Some(code) = held.into_iter().next().or(lost) {
            return Err(StoreError::refused(
                "diagnosis_in_use",
                format!("An order or prescription lies under {code}; move it first."),
            ));
        }
        let before: Vec<String> = diagnoses_of(self.conn(), visit.id).await?.into_iter().map(|d| d.code).collect();
        if before == codes {
            self.audit("set diagnoses", "visit", visit.id, Some(visit.person_id), "as they were");
            return Ok(());
        }
        let listed = |codes: &[&str]| if codes.is_empty() { "none".to_owned() } else { codes.join(", ") };
        let was = listed(&before.iter().map(String::as_str).collect::<Vec<_>>());
        let told = format!("Diagnoses changed after signing: {was} became {}.", listed(&codes));
        self.tell_beside_note(visit, told).await?;
        diesel::delete(d::table.filter(d::visit_id.eq(visit.id).and(d::code.ne_all(&codes))))
            .execute(self.conn())
            .await?;
        for (i, (code, title)) in wanted.iter().enumerate() {
            let position = i32::try_from(i + 1).unwrap_or(99);
            diesel::insert_into(d::table)
                .values(VisitDiagnosis { visit_id: visit.id, code: code.clone(), title: title.clone(), position })
                .on_conflict((d::visit_id, d::code))
                .do_update()
                .set((d::position.eq(position), d::title.eq(title)))
                .execute(self.conn())
                .await?;
        }
        self.forget_problems_of(visit, &codes).await?;
        self.audit("set diagnoses", "visit", visit.id, Some(visit.person_id), codes.join(" "));
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }
}
