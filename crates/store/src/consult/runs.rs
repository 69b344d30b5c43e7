//! The runs of a note, and the diagnoses of a visit: its runs that have a code.

use super::notes;
use crate::rows::*;
use crate::schema::{note_parts, note_runs as r, order_diagnoses, orders, prescriptions, visit_diagnoses};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::diagnoses::{FAVOURITES_HALF_AFTER_DAYS, FAVOURITES_OF_DAYS, MOST_FAVOURITES};
use harbor_core::consult::runs::{MOST_RUNS, Placed, Run, TOO_MANY_RUNS, follow, moved};
use uuid::Uuid;

pub async fn runs_of(conn: &mut Conn, visit: Uuid) -> Result<Vec<NoteRun>> {
    Ok(r::table.filter(r::visit_id.eq(visit)).order(r::position).select(NoteRun::as_select()).load(conn).await?)
}

/// The runs of several visits, each visit's in their order.
pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<NoteRun>> {
    Ok(r::table
        .filter(r::visit_id.eq_any(visits))
        .order((r::visit_id, r::position))
        .select(NoteRun::as_select())
        .load(conn)
        .await?)
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
        "select d.code from note_runs d join visits v on v.id = d.visit_id
         where v.clinician_id = $1 and v.day between $2 - $4 and $2 and d.code is not null
         group by d.code order by sum(power(0.5, ($2 - v.day)::numeric / $3)) desc, d.code limit $5",
    )
    .bind::<sql_types::Uuid, _>(clinician)
    .bind::<sql_types::Date, _>(today)
    .bind::<sql_types::Integer, _>(FAVOURITES_HALF_AFTER_DAYS)
    .bind::<sql_types::Integer, _>(FAVOURITES_OF_DAYS)
    .bind::<sql_types::Integer, _>(MOST_FAVOURITES)
    .load(conn)
    .await?;
    Ok(rows.into_iter().map(|row| row.code).collect())
}

impl Change<'_> {
    /// The runs of a note as the core sees them.
    async fn standing_runs(&mut self, visit: &Visit) -> Result<Vec<Run<Uuid>>> {
        let parts = notes::parts(self.conn(), visit.id).await?;
        let written = |id: Uuid| parts.iter().any(|p| p.run_id == Some(id) && !p.body.trim().is_empty());
        let rows = runs_of(self.conn(), visit.id).await?;
        Ok(rows.into_iter().map(|n| Run { id: n.id, code: n.code, title: n.title, written: written(n.id) }).collect())
    }

    async fn open_run(&mut self, visit: &Visit, run: Uuid) -> Result<NoteRun> {
        self.writable(visit).await?;
        runs_of(self.conn(), visit.id).await?.into_iter().find(|n| n.id == run).ok_or(StoreError::NotFound("run"))
    }

    /// Begins a run in words, after the others.
    pub async fn add_run(&mut self, visit: &Visit, words: &str) -> Result<NoteRun> {
        self.writable(visit).await?;
        let stand = runs_of(self.conn(), visit.id).await?;
        if stand.len() >= MOST_RUNS {
            return Err(StoreError::refused("too-many-runs", TOO_MANY_RUNS));
        }
        let row = NoteRun {
            visit_id: visit.id,
            code: None,
            title: words.to_owned(),
            position: stand.last().map_or(1, |n| n.position + 1),
            id: Uuid::now_v7(),
        };
        diesel::insert_into(r::table).values(&row).execute(self.conn()).await?;
        self.audit("began", "run", visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    /// Says in other words what a run without a code is about.
    pub async fn name_run(&mut self, visit: &Visit, run: Uuid, words: &str) -> Result<()> {
        if self.open_run(visit, run).await?.code.is_some() {
            return Err(StoreError::refused("coded", "A run with a code is called as its code is."));
        }
        diesel::update(r::table.find(run)).set(r::title.eq(words)).execute(self.conn()).await?;
        self.audit("named", "run", visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    /// Gives a run another code; drafts that lie in it go along.
    pub async fn recode_run(&mut self, visit: &Visit, run: Uuid, code: &str, title: &str) -> Result<()> {
        let stands = self.open_run(visit, run).await?;
        if runs_of(self.conn(), visit.id).await?.iter().any(|n| n.code.as_deref() == Some(code)) {
            return Err(StoreError::refused("known", format!("{code} stands here already.")));
        }
        if let Some(was) = &stands.code {
            let sent: i64 = order_diagnoses::table
                .inner_join(orders::table.on(orders::id.eq(order_diagnoses::order_id)))
                .filter(order_diagnoses::visit_id.eq(visit.id).and(order_diagnoses::code.eq(was)))
                .filter(orders::state.ne_all(["draft", "cancelled"]))
                .count()
                .get_result(self.conn())
                .await?;
            let signed: i64 = prescriptions::table
                .filter(prescriptions::visit_id.eq(visit.id).and(prescriptions::diagnosis.eq(was)))
                .filter(prescriptions::state.ne("draft"))
                .count()
                .get_result(self.conn())
                .await?;
            if sent + signed > 0 {
                return Err(StoreError::refused(
                    "diagnosis_in_use",
                    format!("Something that lies under {was} is sent; move it first, or add the diagnosis beside it."),
                ));
            }
        }
        diesel::update(r::table.find(run))
            .set((r::code.eq(Some(code)), r::title.eq(title)))
            .execute(self.conn())
            .await?;
        let codes: Vec<String> = diagnoses_of(self.conn(), visit.id).await?.into_iter().map(|d| d.code).collect();
        let codes: Vec<&str> = codes.iter().map(String::as_str).collect();
        self.forget_problems_of(visit, &codes).await?;
        self.audit("set diagnoses", "visit", visit.id, Some(visit.person_id), codes.join(" "));
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    /// Puts a run at another place, counted from 0.
    pub async fn move_run(&mut self, visit: &Visit, run: Uuid, to: usize) -> Result<()> {
        self.open_run(visit, run).await?;
        let ids: Vec<Uuid> = runs_of(self.conn(), visit.id).await?.into_iter().map(|n| n.id).collect();
        for (position, id) in (1..).zip(moved(&ids, run, to)) {
            diesel::update(r::table.find(id)).set(r::position.eq(position)).execute(self.conn()).await?;
        }
        self.audit("moved", "run", visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    /// Takes a run away in which nothing is written and under which nothing lies.
    pub async fn drop_run(&mut self, visit: &Visit, run: Uuid) -> Result<()> {
        let stands = self.open_run(visit, run).await?;
        if self.standing_runs(visit).await?.iter().any(|n| n.id == run && n.written) {
            return Err(StoreError::refused("written", "Something is written in this run; empty it first."));
        }
        match stands.code {
            Some(code) => {
                let rest = diagnoses_of(self.conn(), visit.id).await?.into_iter().filter(|d| d.code != code);
                let rest: Vec<(String, String)> = rest.map(|d| (d.code, d.title)).collect();
                self.set_diagnoses(visit, &rest, None).await
            }
            None => {
                self.delete_run(run).await?;
                self.audit("dropped", "run", visit.id, Some(visit.person_id), "");
                self.tell(Topic::Visit, visit.id);
                Ok(())
            }
        }
    }

    async fn delete_run(&mut self, run: Uuid) -> Result<()> {
        diesel::delete(note_parts::table.filter(note_parts::run_id.eq(run))).execute(self.conn()).await?;
        diesel::delete(r::table.find(run)).execute(self.conn()).await?;
        Ok(())
    }

    /// Sets the diagnoses of a visit in their order; a new one takes the run `into`, if that is one in words. After
    /// signing, an addendum tells what they were and are. One that an order or prescription hangs on cannot go.
    pub async fn set_diagnoses(
        &mut self,
        visit: &Visit,
        wanted: &[(String, String)],
        into: Option<Uuid>,
    ) -> Result<()> {
        self.not_struck(visit).await?;
        let codes: Vec<&str> = wanted.iter().map(|(c, _)| c.as_str()).collect();
        self.nothing_lies_elsewhere(visit, &codes).await?;
        let stand = self.standing_runs(visit).await?;
        let before: Vec<&str> = stand.iter().filter_map(|n| n.code.as_deref()).collect();
        if before == codes {
            self.audit("set diagnoses", "visit", visit.id, Some(visit.person_id), "as they were");
            return Ok(());
        }
        let placed = follow(&stand, wanted, into);
        if placed.len() > MOST_RUNS {
            return Err(StoreError::refused("too-many-runs", TOO_MANY_RUNS));
        }
        let listed = |codes: &[&str]| if codes.is_empty() { "none".to_owned() } else { codes.join(", ") };
        let told = format!("Diagnoses changed after signing: {} became {}.", listed(&before), listed(&codes));
        self.tell_beside_note(visit, told).await?;
        for gone in stand.iter().filter(|n| placed.iter().all(|p| p.id != Some(n.id))) {
            self.delete_run(gone.id).await?;
        }
        for (position, run) in (1..).zip(&placed) {
            self.place_run(visit, position, run).await?;
        }
        self.forget_problems_of(visit, &codes).await?;
        self.audit("set diagnoses", "visit", visit.id, Some(visit.person_id), codes.join(" "));
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    async fn place_run(&mut self, visit: &Visit, position: i32, run: &Placed<Uuid>) -> Result<()> {
        let Placed { id, code, title } = run;
        match id {
            Some(id) => {
                diesel::update(r::table.find(id))
                    .set((r::position.eq(position), r::code.eq(code), r::title.eq(title)))
                    .execute(self.conn())
                    .await?
            }
            None => {
                let (code, title) = (code.clone(), title.clone());
                let row = NoteRun { visit_id: visit.id, code, title, position, id: Uuid::now_v7() };
                diesel::insert_into(r::table).values(&row).execute(self.conn()).await?
            }
        };
        Ok(())
    }

    /// Refuses codes that leave out one under which an order or prescription lies.
    async fn nothing_lies_elsewhere(&mut self, visit: &Visit, codes: &[&str]) -> Result<()> {
        // What was never sent and is off lies nowhere any more.
        let off = orders::table.filter(orders::visit_id.eq(visit.id).and(orders::state.eq("cancelled")));
        let off: Vec<Uuid> = off.select(orders::id).load(self.conn()).await?;
        diesel::delete(order_diagnoses::table.filter(order_diagnoses::order_id.eq_any(off)))
            .execute(self.conn())
            .await?;
        let held: Vec<String> = order_diagnoses::table
            .filter(order_diagnoses::visit_id.eq(visit.id).and(order_diagnoses::code.ne_all(codes)))
            .select(order_diagnoses::code)
            .load(self.conn())
            .await?;
        let by_prescription: Vec<Option<String>> = prescriptions::table
            .filter(prescriptions::visit_id.eq(visit.id).and(prescriptions::diagnosis.is_not_null()))
            .select(prescriptions::diagnosis)
            .load(self.conn())
            .await?;
        let lost = by_prescription.into_iter().flatten().find(|c| !codes.contains(&c.as_str()));
        match held.into_iter().next().or(lost) {
            None => Ok(()),
            Some(code) => Err(StoreError::refused(
                "diagnosis_in_use",
                format!("An order or prescription lies under {code}; move it first."),
            )),
        }
    }
}
