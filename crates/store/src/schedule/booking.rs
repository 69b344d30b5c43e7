//! Giving visits their times: booking in all its ways, moving, cancelling.
//!
//! The core says whether a time may be booked; the database's constraints say who of two at one instant
//! gets it, and refuse what no program may book.

use crate::rows::{NOT_LIVE, Person, Slot, Visit, VisitMove, VisitType};
use crate::schema::{clinic, slots, staff, visit_moves, visits};
use crate::visit_line::visits::visit_type;
use crate::{Change, Conn, Result, StoreError, Topic, codes, people, schedule};
use chrono::{DateTime, Datelike, Duration, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::house::permissions::Role;
use harbor_core::schedule::waiting::is_served;
use harbor_core::schedule::{
    BookingRefusal, Doubt, Shift, Span, VisitKind, Wish, call_sign, may_book, supply, swallowed, unfit_age,
};
use uuid::Uuid;

/// Where a visit is to lie.
#[derive(Debug, Clone)]
pub struct Place {
    pub slot_id: Uuid,
    /// As long as said, over its neighbours or shorter than the slot. Nothing: the slot's own length.
    pub minutes: Option<i64>,
    /// Another type than the slot's.
    pub visit_type_id: Option<Uuid>,
    /// Beyond capacity, beside what is there.
    pub extra: bool,
    /// What would be asked about, and is meant.
    pub meant: Vec<Doubt>,
}

impl Place {
    /// A slot as it is.
    pub fn slot(id: Uuid) -> Place {
        Place { slot_id: id, minutes: None, visit_type_id: None, extra: false, meant: vec![] }
    }

    /// A slot as it is, whatever there would be to ask.
    pub fn slot_surely(id: Uuid) -> Place {
        Place { meant: Doubt::ALL.to_vec(), ..Place::slot(id) }
    }
}

/// What is to be booked.
#[derive(Debug, Clone)]
pub struct Booking {
    pub person_id: Uuid,
    pub place: Place,
    pub reason: String,
    pub note: String,
    pub kind: VisitKind,
    /// The role of the one who books; nothing for the clinic's own work.
    pub role: Option<Role>,
}

/// A place that was checked.
struct Placed {
    slot: Slot,
    site_id: Uuid,
    visit_type: VisitType,
    span: Span,
    over_type_id: Option<Uuid>,
    day: NaiveDate,
}

/// Every time that a visit had, the latest first.
pub async fn moves_of(conn: &mut Conn, visit: Uuid) -> Result<Vec<VisitMove>> {
    use visit_moves as m;
    Ok(m::table.filter(m::visit_id.eq(visit)).order(m::id.desc()).select(VisitMove::as_select()).load(conn).await?)
}

impl Change<'_> {
    /// Bookings of one day queue here: its call-signs are given out one after the other, and who comes
    /// second finds the time taken. Days are locked in order, so that two moves that cross do not wait for
    /// each other for ever.
    pub(crate) async fn queue_for(&mut self, days: &[NaiveDate]) -> Result<()> {
        let mut days: Vec<i32> = days.iter().map(Datelike::num_days_from_ce).collect();
        days.sort_unstable();
        days.dedup();
        for day in days {
            diesel::sql_query("select pg_advisory_xact_lock(7202, $1)")
                .bind::<diesel::sql_types::Integer, _>(day)
                .execute(self.conn())
                .await?;
        }
        Ok(())
    }

    /// As [`Change::queue_for`], for the local days of some moments.
    pub(crate) async fn queue_for_times(&mut self, times: &[DateTime<Utc>]) -> Result<()> {
        let zone: String = clinic::table.select(clinic::zone).first(self.conn()).await?;
        let zone: Tz = zone.parse().unwrap_or(Tz::UTC);
        let days: Vec<NaiveDate> = times.iter().map(|at| at.with_timezone(&zone).date_naive()).collect();
        self.queue_for(&days).await
    }

    /// Checks a place for a person. `moving` is the visit that is moved, which does not stand in its own way,
    /// with its type and length.
    async fn place(
        &mut self,
        person: &Person,
        place: &Place,
        moving: Option<&Visit>,
        role: Option<Role>,
        zone: Tz,
    ) -> Result<Placed> {
        let now = self.now;
        let (slot, _) = schedule::slot(self.conn(), place.slot_id).await?;
        let day = slot.starts_at.with_timezone(&zone).date_naive();
        let mut days = vec![day];
        days.extend(moving.map(|v| v.day));
        self.queue_for(&days).await?;
        // A template that changed meanwhile may have taken the slot away.
        let gone = |_| StoreError::refused("taken", "This time is not there any more.");
        let (slot, shift) = schedule::slot(self.conn(), place.slot_id).await.map_err(gone)?;
        let closed = crate::schedule::supply::closed(self.conn(), &shift, day).await?;
        let slot_type = match slot.visit_type_id {
            Some(id) => Some(visit_type(self.conn(), id).await?),
            None => None,
        };
        let asked = place.visit_type_id.or(moving.map(|v| v.visit_type_id));
        let wished = match asked {
            Some(id) => visit_type(self.conn(), id).await?,
            None => match slot_type.clone() {
                Some(kind) => kind,
                None => return Err(StoreError::refused("held", held_sentence(&slot))),
            },
        };
        let own_length = moving.map(|v| (v.ends_at - v.starts_at).num_minutes());
        let slot_length = (slot.ends_at - slot.starts_at).num_minutes();
        let usual = if place.extra { i64::from(wished.minutes) } else { slot_length };
        let minutes = place.minutes.or(own_length.map(|own| own.max(usual))).unwrap_or(usual);
        let refuse = |r: BookingRefusal| match r {
            BookingRefusal::AskFirst(questions) => StoreError::AskFirst(questions),
            other => StoreError::refused(other.code(), other.to_string()),
        };
        let span = Span::new(slot.starts_at, slot.starts_at + Duration::minutes(minutes)).map_err(refuse)?;
        let around = schedule::slots_of_clinician(self.conn(), slot.clinician_id, span.start(), span.end()).await?;
        let taken: Vec<(DateTime<Utc>, DateTime<Utc>)> = visits::table
            .filter(visits::clinician_id.eq(slot.clinician_id).and(visits::extra.eq(false)))
            .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)))
            .filter(visits::starts_at.lt(span.end()).and(visits::ends_at.gt(span.start())))
            .filter(visits::id.ne(moving.map_or(Uuid::nil(), |v| v.id)))
            .select((visits::starts_at, visits::ends_at))
            .load(self.conn())
            .await?;
        let held = around.iter().filter_map(|s| Some((Span::new(s.starts_at, s.ends_at).ok()?, s.held_for.clone()?)));
        let supply = match shift.cancelled_at {
            Some(_) => None,
            None => Some(Shift {
                span: Span::new(shift.starts_at, shift.ends_at).map_err(refuse)?,
                held: held.collect(),
                taken: taken.into_iter().filter_map(|(s, e)| Span::new(s, e).ok()).collect(),
            }),
        };
        let other = slot_type.as_ref().filter(|kind| kind.id != wished.id);
        let allowed = role.is_none_or(|r| wished.booked_by.iter().any(|allowed| *allowed == r));
        let own: Vec<(DateTime<Utc>, DateTime<Utc>, String)> = visits::table
            .inner_join(staff::table.on(staff::id.eq(visits::clinician_id)))
            .filter(visits::person_id.eq(person.id).and(visits::appointment).and(visits::day.eq(day)))
            .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)))
            .filter(visits::id.ne(moving.map_or(Uuid::nil(), |v| v.id)))
            .order(visits::starts_at)
            .select((visits::starts_at, visits::ends_at, staff::name))
            .load(self.conn())
            .await?;
        let in_words = |at_once: bool| {
            let those = own.iter().filter(|(from, to, _)| (*from < span.end() && *to > span.start()) == at_once);
            let said: Vec<String> =
                those.map(|(at, _, with)| format!("{} with {with}", at.with_timezone(&zone).format("%H:%M"))).collect();
            (!said.is_empty()).then(|| said.join(", "))
        };
        // An extra booking lies beside the slots, and takes nothing of them.
        let beside: Vec<(Span, Option<String>)> = match place.extra {
            true => vec![],
            false => self.slots_beside(&around, &slot, &wished).await?,
        };
        let age = person.birth_date.and_then(|born| day.years_since(born));
        let wish = Wish {
            elsewhere: in_words(true),
            // Within its day a visit moves beside what was beside it before.
            same_day: if moving.is_some_and(|v| v.day == day) { None } else { in_words(false) },
            swallows: swallowed(span, &beside, zone),
            // Who moves a visit does not choose its type.
            age: if moving.is_some() { None } else { unfit_age(&wished.name.to_lowercase(), wished.ages(), age) },
            meant: place.meant.clone(),
            visit_type: wished.name.to_lowercase(),
            span,
            deceased: person.deceased_on.map(|_| format!("{} {}", person.first_name, person.last_name)),
            closed,
            opens: supply::opens_at(span.start(), wished.release_rule(), zone),
            // What was booked shorter by hand stays as long as it is.
            needed: own_length.unwrap_or(i64::from(wished.minutes)).min(i64::from(wished.minutes)),
            kept_for: other.map(|kind| kind.name.to_lowercase()),
            not_yours: (!allowed).then(|| roles_in_words(&wished.booked_by)),
            extra: place.extra,
        };
        may_book(&wish, supply.as_ref(), now, zone).map_err(refuse)?;
        let over_type_id = other.map(|kind| kind.id);
        Ok(Placed { site_id: shift.site_id, visit_type: wished, span, over_type_id, day, slot })
    }

    /// The slots that a longer visit may reach into, each with its type's name where that is another one. Its own slot
    /// is among them: a shorter visit leaves a piece of it.
    async fn slots_beside(
        &mut self,
        around: &[Slot],
        own: &Slot,
        wished: &VisitType,
    ) -> Result<Vec<(Span, Option<String>)>> {
        let types = schedule::visit_types(self.conn()).await?;
        let other = |slot: &Slot| {
            let kind = types.iter().find(|t| Some(t.id) == slot.visit_type_id)?;
            (kind.id != wished.id && slot.id != own.id).then(|| kind.name.to_lowercase())
        };
        Ok(around
            .iter()
            .filter(|s| s.held_for.is_none())
            .filter_map(|s| Some((Span::new(s.starts_at, s.ends_at).ok()?, other(s))))
            .collect())
    }

    /// The next call-sign of a day; the day is queued for already.
    pub(crate) async fn next_call_sign(&mut self, day: NaiveDate) -> Result<String> {
        let given: Vec<String> =
            visits::table.filter(visits::day.eq(day)).select(visits::call_sign).load(self.conn()).await?;
        let from = u32::try_from(given.len()).unwrap_or(0);
        Ok((from..).map(call_sign).find(|sign| !given.contains(sign)).unwrap_or_default())
    }

    /// The person for whom something is booked; a record that was merged away is not booked for.
    pub(crate) async fn patient_to_book(&mut self, id: Uuid) -> Result<Person> {
        let person = people::get(self.conn(), id).await?;
        if person.merged_into.is_some() {
            let sentence = "This record was merged into another one; book for the one that stays.";
            return Err(StoreError::refused("merged", sentence));
        }
        if !person.patient {
            // Whoever was registered only to answer for somebody is a patient from the first booking on.
            diesel::update(crate::schema::people::table.find(person.id))
                .set(crate::schema::people::patient.eq(true))
                .execute(self.conn())
                .await?;
        }
        Ok(person)
    }

    /// A booked visit that has no time and place yet.
    pub(crate) fn new_visit(&self, person: &Person, kind: VisitKind, reason: &str, note: &str) -> Visit {
        let now = self.now;
        Visit {
            id: Uuid::now_v7(),
            person_id: person.id,
            clinician_id: Uuid::nil(),
            site_id: Uuid::nil(),
            visit_type_id: Uuid::nil(),
            slot_id: None,
            kind: kind.into(),
            starts_at: now,
            ends_at: now,
            day: now.date_naive(),
            reason: reason.to_owned(),
            booking_note: note.to_owned(),
            call_sign: String::new(),
            stage: Stage::Booked.into(),
            stage_at: now,
            room_id: None,
            extra: false,
            self_pay: false,
            coverage_id: None,
            accident_date: None,
            cancel_reason: None,
            left_at: None,
            settled: false,
            version: 1,
            own_stage_id: None,
            appointment: true,
            done_at: None,
            over_type_id: None,
            placed_at: now,
            cancelled_by: None,
            rebook: false,
        }
    }

    pub async fn book(&mut self, b: &Booking, zone: Tz) -> Result<Visit> {
        let person = self.patient_to_book(b.person_id).await?;
        let placed = self.place(&person, &b.place, None, b.role, zone).await?;
        let visit = Visit {
            clinician_id: placed.slot.clinician_id,
            site_id: placed.site_id,
            visit_type_id: placed.visit_type.id,
            slot_id: Some(placed.slot.id),
            starts_at: placed.span.start(),
            ends_at: placed.span.end(),
            day: placed.day,
            call_sign: self.next_call_sign(placed.day).await?,
            extra: b.place.extra,
            over_type_id: placed.over_type_id,
            ..self.new_visit(&person, b.kind, &b.reason, &b.note)
        };
        self.insert_visit(&visit).await?;
        let how = [(b.place.extra, ", extra"), (placed.over_type_id.is_some(), ", over another type's slot")];
        let how: String = how.iter().filter(|(so, _)| *so).map(|(_, word)| *word).collect();
        self.audit("booked", "visit", visit.id, Some(b.person_id), format!("{}{how}", placed.visit_type.name));
        self.record_slot(&placed.slot, "booked", &how).await?;
        self.no_longer_waits(&visit, None).await?;
        self.tell(Topic::Visit, visit.id);
        Ok(visit)
    }

    /// Gives a booked visit another time; the old one stays readable.
    pub async fn move_booking(
        &mut self,
        id: Uuid,
        place: &Place,
        reason: &str,
        role: Option<Role>,
        zone: Tz,
    ) -> Result<Visit> {
        use visits as v;
        let visit = crate::visit_line::visits::get(self.conn(), id).await?;
        let person = people::get(self.conn(), visit.person_id).await?;
        let placed = self.place(&person, place, Some(&visit), role, zone).await?;
        // Both days are queued for; what stands now is what counts.
        let queued_for = visit.day;
        let visit = self.lock_visit(id).await?;
        if visit.day != queued_for {
            return Err(StoreError::refused("try_again", "Somebody moved this visit in the meantime; look again."));
        }
        if visit.stage != Stage::Booked {
            let stage = visit.stage().label().to_lowercase();
            return Err(StoreError::refused("stage", format!("The visit is {stage}; only a booked one can be moved.")));
        }
        let sign =
            if placed.day == visit.day { visit.call_sign.clone() } else { self.next_call_sign(placed.day).await? };
        let now = self.now;
        let moved: Visit = diesel::update(v::table.find(id))
            .set((
                v::slot_id.eq(placed.slot.id),
                v::clinician_id.eq(placed.slot.clinician_id),
                v::site_id.eq(placed.site_id),
                (v::starts_at.eq(placed.span.start()), v::ends_at.eq(placed.span.end())),
                v::day.eq(placed.day),
                v::call_sign.eq(sign),
                v::extra.eq(place.extra),
                v::over_type_id.eq(placed.over_type_id),
                v::placed_at.eq(now),
                v::rebook.eq(false),
                v::version.eq(visit.version + 1),
            ))
            .returning(Visit::as_returning())
            .get_result(self.conn())
            .await?;
        self.record_move(&visit, &moved, reason).await?;
        self.no_longer_waits(&moved, Some(&visit)).await?;
        self.record_slot(&placed.slot, "visit moved here", "").await?;
        self.audit("moved", "booking", id, Some(visit.person_id), reason);
        self.tell_moved(id, visit.day);
        Ok(moved)
    }

    /// Who waited for just this has it now: a first time of this type, or an earlier one than before.
    async fn no_longer_waits(&mut self, visit: &Visit, before: Option<&Visit>) -> Result<()> {
        use crate::schema::waiting as w;
        if !is_served(before.filter(|b| !b.rebook).map(|b| b.starts_at), visit.starts_at) {
            return Ok(());
        }
        let now = self.now;
        let of_visit = w::visit_id.eq(visit.id);
        let of_person = w::person_id.eq(visit.person_id).and(w::visit_type_id.eq(visit.visit_type_id));
        let first_time = of_person.and(w::visit_id.is_null());
        let found: Vec<Uuid> =
            diesel::update(w::table.filter(w::closed_as.is_null()).filter(of_visit.assume_not_null().or(first_time)))
                .set((w::closed_as.eq("placed"), w::closed_at.eq(now)))
                .returning(w::id)
                .get_results(self.conn())
                .await?;
        for id in found {
            self.audit("placed", "waiting list", id, Some(visit.person_id), "");
            self.tell(Topic::Waiting, id);
        }
        Ok(())
    }

    pub(crate) async fn record_move(&mut self, from: &Visit, to: &Visit, reason: &str) -> Result<()> {
        use visit_moves as m;
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::insert_into(m::table)
            .values((
                m::visit_id.eq(from.id),
                m::from_starts_at.eq(from.starts_at),
                m::from_clinician_id.eq(from.clinician_id),
                m::to_starts_at.eq(to.starts_at),
                m::to_clinician_id.eq(to.clinician_id),
                m::reason.eq(reason),
                m::at.eq(now),
                m::by.eq(by),
            ))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Cancels a visit, by whose wish and why; the reason is one of the clinic's list.
    pub async fn cancel_visit(&mut self, id: Uuid, by_patient: bool, reason: &str) -> Result<Visit> {
        let known: Vec<String> = clinic::table.select(clinic::cancel_reasons).first(self.conn()).await?;
        if !known.iter().any(|r| r == reason) {
            return Err(StoreError::refused("cancel_reason", "Choose a reason from the clinic's list."));
        }
        let visit = self.move_visit(id, Stage::Cancelled, None).await?;
        let whom = if by_patient { "patient" } else { "clinic" };
        diesel::update(visits::table.find(id))
            .set((visits::cancel_reason.eq(reason), visits::cancelled_by.eq(whom), visits::rebook.eq(false)))
            .execute(self.conn())
            .await?;
        if let Some(slot) = visit.slot_id {
            let slot: Option<Slot> =
                slots::table.find(slot).select(Slot::as_select()).first(self.conn()).await.optional()?;
            if let Some(slot) = slot {
                self.record_slot(&slot, "visit cancelled", reason).await?;
            }
        }
        Ok(visit)
    }
}

fn held_sentence(slot: &Slot) -> String {
    format!("This time is held ({}) and cannot be booked.", slot.held_for.as_deref().unwrap_or(""))
}

fn roles_in_words(roles: &[codes::Role]) -> String {
    let words: Vec<&str> = roles.iter().map(|r| r.label()).collect();
    words.join(" or ")
}
