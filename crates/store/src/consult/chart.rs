//! The chart: measurements, allergies, medicines, problems, and who looked through the lists.

use crate::rows::*;
use crate::schema::{addenda, allergies, list_reviews, measurements, medicines, none_known, note_signatures, problems};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::ReviewedList;
use harbor_core::consult::measurements::{Measure, Standing, Tenths};
use uuid::Uuid;

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

/// Allergies that ended, the last first.
pub async fn ended_allergies_of(conn: &mut Conn, person: Uuid) -> Result<Vec<Allergy>> {
    use allergies as a;
    Ok(a::table
        .filter(a::person_id.eq(person).and(a::ended_at.is_not_null()))
        .order(a::ended_at.desc())
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

pub async fn reviews_of(conn: &mut Conn, person: Uuid) -> Result<Vec<ListReview>> {
    Ok(list_reviews::table
        .filter(list_reviews::person_id.eq(person))
        .select(ListReview::as_select())
        .load(conn)
        .await?)
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

    /// Somebody looked through a list in this visit. Whatever changes the list takes the mark away, in the database.
    pub async fn review_list(&mut self, visit: &Visit, list: ReviewedList) -> Result<ListReview> {
        let row = ListReview {
            person_id: visit.person_id,
            list: list.into(),
            visit_id: Some(visit.id),
            reviewed_at: self.now,
            reviewed_by: self.actor.name.clone(),
            reviewed_by_id: self.actor.staff_id,
        };
        diesel::delete(list_reviews::table.find((visit.person_id, list.code()))).execute(self.conn()).await?;
        diesel::insert_into(list_reviews::table).values(&row).execute(self.conn()).await?;
        self.audit("reviewed", list.code(), visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    /// Takes back one's own mark of having looked through a list.
    pub async fn take_review_of_list_back(&mut self, visit: &Visit, list: ReviewedList) -> Result<()> {
        let own = list_reviews::table
            .find((visit.person_id, list.code()))
            .filter(list_reviews::reviewed_by_id.eq(self.actor.staff_id));
        if diesel::delete(own).execute(self.conn()).await? == 0 {
            return Err(StoreError::NotFound("mark of yours"));
        }
        self.audit("took review back", list.code(), visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }
}
