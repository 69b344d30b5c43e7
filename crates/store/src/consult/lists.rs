//! The lists of a person: allergies, medicines, problems, and that none is known.

use crate::codes::Code;
use crate::consult::chart::allergies_of;
use crate::rows::{Allergy, ListVersion, ListedProblem, Medicine, NoneKnown, Visit};
use crate::schema::{allergies, medicines, none_known, problems};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::{AllergyKind, KnownList, ProblemState, Reaction, Source, Weight};
use harbor_core::prescribing::{MedicineState, substance_read};
use uuid::Uuid;

/// A problem as it was told, or as a diagnosis brings it about.
#[derive(Debug, Clone, Copy)]
pub struct NewProblem<'a> {
    /// Empty for one that stands in words.
    pub code: &'a str,
    pub title: &'a str,
    pub state: ProblemState,
    pub since: &'a str,
    pub visit: Option<Uuid>,
}

/// A medicine as it was told or prescribed.
#[derive(Debug, Clone, Copy)]
pub struct NewMedicine<'a> {
    pub name: &'a str,
    pub product: Option<&'a str>,
    pub state: MedicineState,
    pub how: &'a str,
    /// A year, a month or a day; empty when nobody said.
    pub since: &'a str,
    pub note: &'a str,
    pub source: Source,
    /// The prescription that it is taken by.
    pub prescription: Option<Uuid>,
}

/// An allergy as it was told.
#[derive(Debug, Clone, Copy)]
pub struct NewAllergy<'a> {
    pub substance: &'a str,
    pub reaction: &'a str,
    pub severity: Option<Reaction>,
    pub kind: AllergyKind,
    pub since: &'a str,
    pub source: Source,
}

/// How it is with a medicine now.
#[derive(Debug, Clone, Copy)]
pub struct MedicineNow<'a> {
    pub state: MedicineState,
    pub how: &'a str,
    pub since: &'a str,
    pub until: &'a str,
    pub source: Source,
    pub reason: &'a str,
    pub note: &'a str,
}

diesel::define_sql_function! {
    /// The words in small letters, as the index of problems in words has them.
    fn lower(words: diesel::sql_types::Text) -> diesel::sql_types::Text;
}

/// How it is with a problem now.
#[derive(Debug, Clone, Copy)]
pub struct ProblemNow<'a> {
    pub state: ProblemState,
    pub weight: Option<Weight>,
    pub since: &'a str,
    pub end_reason: &'a str,
}

/// What an entry of a list said before, the oldest first.
pub async fn versions(conn: &mut Conn, entry: Uuid) -> Result<Vec<ListVersion>> {
    use crate::schema::list_versions as v;
    let at = diesel::dsl::sql::<diesel::sql_types::Text>("said ->> 'recorded_at'");
    Ok(v::table.filter(v::entry_id.eq(entry)).order(at).select(ListVersion::as_select()).load(conn).await?)
}

impl Change<'_> {
    pub async fn add_allergy(&mut self, person: Uuid, new: &NewAllergy<'_>) -> Result<Allergy> {
        let NewAllergy { substance, reaction, severity, kind, since, source } = *new;
        let said = substance_read(substance);
        let same = |a: &Allergy| substance_read(&a.substance) == said;
        if allergies_of(self.conn(), person).await?.iter().any(same) {
            return Err(StoreError::refused(
                "allergy_known",
                format!("An allergy to {substance} stands here already."),
            ));
        }
        let row = Allergy {
            id: Uuid::now_v7(),
            person_id: person,
            substance: substance.into(),
            reaction: reaction.into(),
            severity: severity.map(Into::into),
            ended_at: None,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
            kind: kind.into(),
            since: since.into(),
            source: source.into(),
            end_reason: String::new(),
        };
        diesel::insert_into(allergies::table).values(&row).execute(self.conn()).await?;
        self.unsay_none_known(person, KnownList::Allergies).await?;
        self.audit("recorded", "allergy", row.id, Some(person), substance);
        self.tell(Topic::Person, person);
        Ok(row)
    }

    pub async fn end_allergy(&mut self, person: Uuid, id: Uuid, reason: &str) -> Result<()> {
        use allergies as a;
        let now = self.now;
        let n = diesel::update(a::table.filter(a::id.eq(id).and(a::person_id.eq(person)).and(a::ended_at.is_null())))
            .set((
                a::ended_at.eq(now),
                a::end_reason.eq(reason),
                a::recorded_at.eq(now),
                a::recorded_by.eq(self.actor.name.clone()),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("allergy"));
        }
        self.audit("ended", "allergy", id, Some(person), reason);
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Takes back that an allergy ended: it stands as it stood, and what was said of an empty list is unsaid.
    pub async fn take_end_of_allergy_back(&mut self, person: Uuid, id: Uuid) -> Result<()> {
        use allergies as a;
        let ended = a::table.filter(a::id.eq(id).and(a::person_id.eq(person)).and(a::ended_at.is_not_null()));
        let n = diesel::update(ended)
            .set((
                a::ended_at.eq(None::<chrono::DateTime<chrono::Utc>>),
                a::end_reason.eq(""),
                a::recorded_at.eq(self.now),
                a::recorded_by.eq(self.actor.name.clone()),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("ended allergy"));
        }
        self.unsay_none_known(person, KnownList::Allergies).await?;
        self.audit("took back the end of", "allergy", id, Some(person), "");
        self.tell(Topic::Person, person);
        Ok(())
    }

    pub async fn add_medicine(&mut self, person: Uuid, new: &NewMedicine<'_>) -> Result<Medicine> {
        let row = Medicine {
            id: Uuid::now_v7(),
            person_id: person,
            name: new.name.into(),
            product_code: new.product.map(str::to_owned),
            state: new.state.into(),
            note: new.note.into(),
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
            how: new.how.into(),
            since: new.since.into(),
            struck_at: None,
            until: String::new(),
            source: new.source.into(),
            reason: String::new(),
            prescription_id: new.prescription,
        };
        diesel::insert_into(medicines::table).values(&row).execute(self.conn()).await?;
        if new.state == MedicineState::Taking {
            self.unsay_none_known(person, KnownList::Medicines).await?;
        }
        self.audit("recorded", "medicine", row.id, Some(person), new.name);
        self.tell(Topic::Person, person);
        Ok(row)
    }

    /// Strikes a medicine that was entered by mistake: it stays in the table, and on no list.
    pub async fn strike_medicine(&mut self, person: Uuid, id: Uuid) -> Result<()> {
        use medicines as m;
        let now = self.now;
        let n = diesel::update(m::table.filter(m::id.eq(id).and(m::person_id.eq(person)).and(m::struck_at.is_null())))
            .set(m::struck_at.eq(now))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("medicine"));
        }
        self.audit("struck", "medicine", id, Some(person), "");
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Strikes a problem that was entered by mistake.
    pub async fn strike_problem(&mut self, person: Uuid, id: Uuid) -> Result<()> {
        use problems as p;
        let now = self.now;
        let n = diesel::update(p::table.filter(p::id.eq(id).and(p::person_id.eq(person)).and(p::struck_at.is_null())))
            .set(p::struck_at.eq(now))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("problem"));
        }
        self.audit("struck", "problem", id, Some(person), "");
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Says how it is with a medicine now.
    pub async fn set_medicine(&mut self, person: Uuid, id: Uuid, now: &MedicineNow<'_>) -> Result<()> {
        use medicines as m;
        let state = now.state;
        let n = diesel::update(m::table.filter(m::id.eq(id).and(m::person_id.eq(person)).and(m::struck_at.is_null())))
            .set((
                m::state.eq(Code(state)),
                m::how.eq(now.how),
                m::since.eq(now.since),
                m::until.eq(now.until),
                m::source.eq(Code(now.source)),
                m::reason.eq(now.reason),
                m::note.eq(now.note),
                m::recorded_at.eq(self.now),
                m::recorded_by.eq(self.actor.name.clone()),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("medicine"));
        }
        if state == MedicineState::Taking {
            self.unsay_none_known(person, KnownList::Medicines).await?;
        }
        self.audit("changed", "medicine", id, Some(person), state.code());
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Says how it is with a problem now.
    pub async fn set_problem(&mut self, person: Uuid, id: Uuid, now: &ProblemNow<'_>) -> Result<()> {
        use problems as p;
        let n = diesel::update(p::table.filter(p::id.eq(id).and(p::person_id.eq(person)).and(p::struck_at.is_null())))
            .set((
                p::state.eq(Code(now.state)),
                p::weight.eq(now.weight.map(Code)),
                p::since.eq(now.since),
                p::end_reason.eq(now.end_reason),
                p::recorded_at.eq(self.now),
                p::recorded_by.eq(self.actor.name.clone()),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("problem"));
        }
        if now.state != ProblemState::Resolved {
            self.unsay_none_known(person, KnownList::Problems).await?;
        }
        self.audit("changed", "problem", id, Some(person), now.state.code());
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// States that nothing is known; refused while the list holds something.
    pub async fn state_none_known(&mut self, person: Uuid, list: KnownList) -> Result<()> {
        let holds: i64 = match list {
            KnownList::Allergies => {
                use allergies as a;
                a::table
                    .filter(a::person_id.eq(person).and(a::ended_at.is_null()))
                    .count()
                    .get_result(self.conn())
                    .await?
            }
            KnownList::Medicines => {
                use medicines as m;
                m::table
                    .filter(m::person_id.eq(person).and(m::state.eq("taking")))
                    .count()
                    .get_result(self.conn())
                    .await?
            }
            KnownList::Problems => {
                use problems as p;
                p::table
                    .filter(p::person_id.eq(person).and(p::state.eq("active")))
                    .count()
                    .get_result(self.conn())
                    .await?
            }
        };
        if holds > 0 {
            return Err(StoreError::refused("not_none", format!("The list of {} is not empty.", list.label())));
        }
        let row =
            NoneKnown { person_id: person, list: list.into(), stated_at: self.now, stated_by: self.actor.name.clone() };
        diesel::insert_into(none_known::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        self.audit("stated none known", "person", person, Some(person), list.code());
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Takes back that none was known: nobody asked yet.
    pub async fn take_none_known_back(&mut self, person: Uuid, list: KnownList) -> Result<()> {
        self.unsay_none_known(person, list).await?;
        self.audit("took back none known", "person", person, Some(person), list.code());
        self.tell(Topic::Person, person);
        Ok(())
    }

    async fn unsay_none_known(&mut self, person: Uuid, list: KnownList) -> Result<()> {
        use none_known as n;
        diesel::delete(n::table.filter(n::person_id.eq(person).and(n::list.eq(list.code()))))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Puts a problem on the person's list; gives it when it was not there.
    pub async fn add_problem(&mut self, person: Uuid, new: &NewProblem<'_>) -> Result<Option<ListedProblem>> {
        use problems as p;
        let row = ListedProblem {
            id: Uuid::now_v7(),
            person_id: person,
            code: new.code.into(),
            title: new.title.into(),
            state: new.state.into(),
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
            since: new.since.into(),
            visit_id: new.visit,
            struck_at: None,
            weight: None,
            end_reason: String::new(),
        };
        // One that was struck comes back with what is said now.
        let back: Option<ListedProblem> = diesel::update(
            p::table.filter(
                p::person_id
                    .eq(person)
                    .and(p::code.eq(new.code))
                    .and(p::struck_at.is_not_null())
                    .and(p::twin.eq(false))
                    .and(p::code.ne("").or(lower(p::title).eq(new.title.to_lowercase()))),
            ),
        )
        .set((
            p::struck_at.eq(None::<chrono::DateTime<chrono::Utc>>),
            p::state.eq(Code(new.state)),
            p::since.eq(new.since),
            p::visit_id.eq(new.visit),
            p::recorded_at.eq(row.recorded_at),
            p::recorded_by.eq(&row.recorded_by),
        ))
        .returning(ListedProblem::as_returning())
        .get_result(self.conn())
        .await
        .optional()?;
        let added = match back {
            Some(back) => Some(back),
            None => {
                let n =
                    diesel::insert_into(p::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
                (n > 0).then_some(row)
            }
        };
        self.unsay_none_known(person, KnownList::Problems).await?;
        if let Some(row) = &added {
            self.audit("recorded", "problem", row.id, Some(person), new.code);
            self.tell(Topic::Person, person);
        }
        Ok(added)
    }

    /// Gives a problem that stands in words its code; refused where the list has that code already.
    pub async fn code_problem(&mut self, person: Uuid, id: Uuid, code: &str, title: &str) -> Result<()> {
        use problems as p;
        let same = p::table.filter(p::person_id.eq(person).and(p::code.eq(code)).and(p::struck_at.is_null()));
        if diesel::select(diesel::dsl::exists(same)).get_result(self.conn()).await? {
            return Err(StoreError::refused("known", format!("{code} stands on the list already.")));
        }
        let in_words = p::id.eq(id).and(p::person_id.eq(person)).and(p::struck_at.is_null()).and(p::code.eq(""));
        // One that was struck makes room: it stays readable, beside this one.
        let struck = p::person_id.eq(person).and(p::code.eq(code));
        diesel::update(p::table.filter(struck)).set(p::twin.eq(true)).execute(self.conn()).await?;
        let n = diesel::update(p::table.filter(in_words))
            .set((
                p::code.eq(code),
                p::title.eq(title),
                p::recorded_at.eq(self.now),
                p::recorded_by.eq(self.actor.name.clone()),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("problem"));
        }
        self.audit("coded", "problem", id, Some(person), code);
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// A diagnosis that was picked by mistake and taken back leaves no problem behind.
    pub(crate) async fn forget_problems_of(&mut self, visit: &Visit, codes: &[&str]) -> Result<()> {
        use diesel::sql_types;
        #[derive(QueryableByName)]
        struct Lost {
            #[diesel(sql_type = sql_types::Uuid)]
            id: Uuid,
        }
        // Another visit that diagnosed the same keeps it.
        let lost: Vec<Lost> = diesel::sql_query(
            "select p.id from problems p where p.visit_id = $1 and p.struck_at is null and p.code <> all ($2) and not exists (
                select from note_runs d join visits v on v.id = d.visit_id
                where v.person_id = p.person_id and d.code = p.code and v.id <> $1)",
        )
        .bind::<sql_types::Uuid, _>(visit.id)
        .bind::<sql_types::Array<sql_types::Text>, _>(codes)
        .load(self.conn())
        .await?;
        for lost in lost {
            self.strike_problem(visit.person_id, lost.id).await?;
        }
        Ok(())
    }
}
