//! Working time in the tables: weekly templates with exceptions, and bringing the days to what they say.

mod making;

use crate::rows::{Shift, ShiftTemplate, SupplyException, TemplateRun};
use crate::schema::{clinic, people, shift_templates, shifts, slots, supply_exceptions, template_runs, visits};
use crate::{Change, Conn, Result, StoreError, Topic, schedule};
use chrono::{DateTime, Days, NaiveDate, NaiveTime, Timelike, Utc, Weekday};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::schedule::supply::{Exception, MadeShift, Purpose, Run, Template};
use harbor_core::schedule::{Span, at_local, day_bounds, supply as rules};
use uuid::Uuid;

/// How the history of a slot says that its shift's template made it, or took it away.
pub const FROM_TEMPLATE: &str = "from the weekly template";

/// A template with the slots of its shifts.
#[derive(Debug, Clone, PartialEq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WholeTemplate {
    #[serde(flatten)]
    pub template: ShiftTemplate,
    pub runs: Vec<TemplateRun>,
}

/// What came of bringing days to what the templates say.
#[derive(Debug, Clone, Default, PartialEq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SupplyReport {
    pub shifts_made: usize,
    pub slots_made: usize,
    pub slots_removed: usize,
    /// What could not be changed, and why.
    pub left: Vec<LeftAsIs>,
    /// Who was booked on days that are closed, and waits for a new time now.
    pub to_rebook: Vec<ToRebook>,
}

impl SupplyReport {
    pub fn is_still(&self) -> bool {
        self.shifts_made + self.slots_made + self.slots_removed == 0
    }
}

#[derive(Debug, Clone, PartialEq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LeftAsIs {
    pub clinician_id: Uuid,
    pub starts_at: DateTime<Utc>,
    pub ends_at: DateTime<Utc>,
    pub why: String,
}

/// Somebody whose time fell out with a closed day.
#[derive(Debug, Clone, PartialEq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ToRebook {
    pub visit_id: Uuid,
    pub clinician_id: Uuid,
    pub starts_at: DateTime<Utc>,
    pub name: String,
}

pub async fn templates(conn: &mut Conn) -> Result<Vec<WholeTemplate>> {
    use shift_templates as t;
    let rows: Vec<ShiftTemplate> = t::table
        .order((t::clinician_id, t::weekday, t::from_minute, t::begins_on))
        .select(ShiftTemplate::as_select())
        .load(conn)
        .await?;
    let runs: Vec<TemplateRun> =
        template_runs::table.order(template_runs::sort).select(TemplateRun::as_select()).load(conn).await?;
    let with_runs = |template: ShiftTemplate| {
        let runs = runs.iter().filter(|r| r.template_id == template.id).cloned().collect();
        WholeTemplate { template, runs }
    };
    Ok(rows.into_iter().map(with_runs).collect())
}

/// Exceptions that stand and are not over before a day.
pub async fn exceptions(conn: &mut Conn, from: NaiveDate) -> Result<Vec<SupplyException>> {
    use supply_exceptions as e;
    Ok(e::table
        .filter(e::removed_at.is_null().and(e::to_day.ge(from)))
        .order((e::from_day, e::to_day))
        .select(SupplyException::as_select())
        .load(conn)
        .await?)
}

/// Why nobody works on a day in a shift of a template; nothing on a usual day, and for a one-off shift.
pub(crate) async fn closed(conn: &mut Conn, shift: &Shift, day: NaiveDate) -> Result<Option<String>> {
    if shift.template_id.is_none() {
        return Ok(None);
    }
    day_off(conn, shift.clinician_id, shift.site_id, day).await
}

/// Why a clinician does not work at a site on a day, when it is not a usual one.
pub async fn day_off(conn: &mut Conn, who: Uuid, site: Uuid, day: NaiveDate) -> Result<Option<String>> {
    use supply_exceptions as e;
    Ok(e::table
        .filter(e::removed_at.is_null().and(e::from_day.le(day)).and(e::to_day.ge(day)))
        .filter(e::clinician_id.is_null().or(e::clinician_id.eq(who)))
        .filter(e::site_id.is_null().or(e::site_id.eq(site)))
        .select(e::reason)
        .first(conn)
        .await
        .optional()?)
}

/// The time of day of a number of minutes.
pub fn time_of(minute: i32) -> NaiveTime {
    let seconds = u32::try_from(minute.clamp(0, 1439)).unwrap_or(0) * 60;
    NaiveTime::from_num_seconds_from_midnight_opt(seconds, 0).unwrap_or(NaiveTime::MIN)
}

/// Monday is 1.
pub fn weekday_of(number: i32) -> Option<Weekday> {
    u8::try_from(number - 1).ok().and_then(|n| Weekday::try_from(n).ok())
}

/// The minutes of the local day at a time of day.
pub fn minute_of(time: NaiveTime) -> i32 {
    i32::try_from(time.num_seconds_from_midnight() / 60).unwrap_or(0)
}

impl WholeTemplate {
    /// As the core sees it.
    pub fn in_core(&self) -> Template<Uuid> {
        let t = &self.template;
        let run = |r: &TemplateRun| Run {
            count: u32::try_from(r.count).unwrap_or(0),
            minutes: i64::from(r.minutes),
            purpose: match (&r.held_for, r.visit_type_id) {
                (None, Some(kind)) => Purpose::Open(kind),
                (held, _) => Purpose::Held(held.clone().unwrap_or_default()),
            },
            clinic: r.clinic.clone(),
        };
        Template {
            key: t.id,
            clinician: t.clinician_id,
            site: t.site_id,
            weekday: weekday_of(t.weekday).unwrap_or(Weekday::Mon),
            from: time_of(t.from_minute),
            to: time_of(t.to_minute),
            every_weeks: u8::try_from(t.every_weeks).unwrap_or(1),
            runs: self.runs.iter().map(run).collect(),
            begins: t.begins_on,
            ends: t.ends_on,
        }
    }

    /// The rows of what the core has.
    pub fn of_core(t: &Template<Uuid>, version: i32) -> WholeTemplate {
        let run = |(sort, r): (usize, &Run<Uuid>)| TemplateRun {
            template_id: t.key,
            sort: i32::try_from(sort).unwrap_or(0),
            count: i32::try_from(r.count).unwrap_or(0),
            minutes: i32::try_from(r.minutes).unwrap_or(0),
            visit_type_id: match &r.purpose {
                Purpose::Open(kind) => Some(*kind),
                Purpose::Held(_) => None,
            },
            held_for: match &r.purpose {
                Purpose::Open(_) => None,
                Purpose::Held(what) => Some(what.clone()),
            },
            clinic: r.clinic.clone(),
        };
        WholeTemplate {
            template: ShiftTemplate {
                id: t.key,
                clinician_id: t.clinician,
                site_id: t.site,
                weekday: i32::try_from(t.weekday.number_from_monday()).unwrap_or(1),
                from_minute: minute_of(t.from),
                to_minute: minute_of(t.to),
                every_weeks: i32::from(t.every_weeks),
                begins_on: t.begins,
                ends_on: t.ends,
                version,
            },
            runs: t.runs.iter().enumerate().map(run).collect(),
        }
    }
}

fn exception_in_core(e: &SupplyException) -> Exception<Uuid> {
    let (from, to) = (e.from_day, e.to_day);
    match e.clinician_id {
        Some(clinician) => Exception::Away { clinician, from, to },
        None => Exception::Closed { site: e.site_id, from, to },
    }
}

fn template_refused(r: rules::TemplateRefusal) -> StoreError {
    StoreError::refused("template", r.to_string())
}

impl Change<'_> {
    /// Checks a template against the others, and its slots against their types.
    async fn check_template(&mut self, wanted: &Template<Uuid>) -> Result<()> {
        let others: Vec<Template<Uuid>> = templates(self.conn()).await?.iter().map(WholeTemplate::in_core).collect();
        let types = schedule::visit_types(self.conn()).await?;
        let length = |id: &Uuid| {
            let kind = types.iter().find(|t| t.id == *id);
            kind.map_or_else(|| ("visit".into(), 0), |t| (t.name.to_lowercase(), i64::from(t.minutes)))
        };
        rules::check(wanted, &others, length).map_err(template_refused)
    }

    async fn write_template(&mut self, whole: &WholeTemplate) -> Result<()> {
        use template_runs as r;
        diesel::insert_into(shift_templates::table).values(&whole.template).execute(self.conn()).await?;
        diesel::insert_into(r::table).values(&whole.runs).execute(self.conn()).await?;
        Ok(())
    }

    /// A new template; the days from its beginning on are made.
    pub async fn add_template(&mut self, wanted: &Template<Uuid>, zone: Tz) -> Result<SupplyReport> {
        self.check_template(wanted).await?;
        self.write_template(&WholeTemplate::of_core(wanted, 1)).await?;
        self.audit("made", "shift template", wanted.key, None, "");
        self.settle_supply(wanted.begins, None, zone).await
    }

    /// Changes a template from a day on: before that day it stays what it was. What is booked stays; what
    /// could not be changed is told.
    pub async fn change_template(
        &mut self,
        id: Uuid,
        version: i32,
        from: NaiveDate,
        wanted: &Template<Uuid>,
        zone: Tz,
    ) -> Result<SupplyReport> {
        use shift_templates as t;
        let old = self.lock_template(id, version).await?;
        if wanted.clinician != old.clinician_id {
            let sentence = "A template stays its clinician's; end it and make one for the other.";
            return Err(StoreError::refused("template", sentence));
        }
        if from <= old.begins_on {
            let same = Template { key: id, ..wanted.clone() };
            self.check_template(&same).await?;
            diesel::delete(template_runs::table.filter(template_runs::template_id.eq(id))).execute(self.conn()).await?;
            let whole = WholeTemplate::of_core(&same, version + 1);
            let row = whole.template.clone();
            diesel::update(t::table.find(id))
                .set((
                    t::site_id.eq(row.site_id),
                    t::weekday.eq(row.weekday),
                    t::from_minute.eq(row.from_minute),
                    t::to_minute.eq(row.to_minute),
                    t::every_weeks.eq(row.every_weeks),
                    t::begins_on.eq(row.begins_on),
                    t::ends_on.eq(row.ends_on),
                    t::version.eq(row.version),
                ))
                .execute(self.conn())
                .await?;
            diesel::insert_into(template_runs::table).values(&whole.runs).execute(self.conn()).await?;
            self.audit("changed", "shift template", id, None, "");
            return self.settle_supply(from.min(wanted.begins), None, zone).await;
        }
        diesel::update(t::table.find(id))
            .set((t::ends_on.eq(from - Days::new(1)), t::version.eq(version + 1)))
            .execute(self.conn())
            .await?;
        self.check_template(wanted).await?;
        self.write_template(&WholeTemplate::of_core(wanted, 1)).await?;
        // The shifts that are there go on as shifts of the new one.
        let begins = day_bounds(zone, from).0;
        diesel::update(shifts::table.filter(shifts::template_id.eq(id).and(shifts::starts_at.ge(begins))))
            .set(shifts::template_id.eq(wanted.key))
            .execute(self.conn())
            .await?;
        self.audit("changed", "shift template", wanted.key, None, format!("from {from}"));
        self.settle_supply(from, None, zone).await
    }

    /// Ends a template with a day; later shifts that nobody is booked in go.
    pub async fn end_template(&mut self, id: Uuid, version: i32, last: NaiveDate, zone: Tz) -> Result<SupplyReport> {
        use shift_templates as t;
        let old = self.lock_template(id, version).await?;
        if last < old.begins_on {
            return Err(template_refused(rules::TemplateRefusal::EndsFirst));
        }
        diesel::update(t::table.find(id))
            .set((t::ends_on.eq(last), t::version.eq(version + 1)))
            .execute(self.conn())
            .await?;
        self.audit("ended", "shift template", id, None, format!("with {last}"));
        self.settle_supply(last + Days::new(1), None, zone).await
    }

    async fn lock_template(&mut self, id: Uuid, version: i32) -> Result<ShiftTemplate> {
        let row: ShiftTemplate = shift_templates::table
            .find(id)
            .for_update()
            .select(ShiftTemplate::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("template"))?;
        if row.version != version {
            return Err(StoreError::Stale { current: serde_json::to_value(&row).unwrap_or_default() });
        }
        Ok(row)
    }

    /// Days on which nobody works, or one does not.
    pub async fn add_exception(
        &mut self,
        clinician: Option<Uuid>,
        site: Option<Uuid>,
        (from, to): (NaiveDate, NaiveDate),
        reason: &str,
        zone: Tz,
    ) -> Result<(SupplyException, SupplyReport)> {
        let row = SupplyException {
            id: Uuid::now_v7(),
            clinician_id: clinician,
            site_id: site,
            from_day: from,
            to_day: to,
            reason: reason.to_owned(),
            made_at: self.now,
            made_by: self.actor.name.clone(),
            removed_at: None,
        };
        diesel::insert_into(supply_exceptions::table).values(&row).execute(self.conn()).await?;
        self.audit("closed", "days", row.id, None, format!("{from} to {to}: {reason}"));
        let to_rebook = self.rebook_days(&row, zone).await?;
        let report = self.settle_supply(from, Some(to), zone).await?;
        Ok((row, SupplyReport { to_rebook, ..report }))
    }

    /// Whoever is booked in a shift of the week on days that are closed waits for a new time. One-off shifts were
    /// meant for just that day, and who came already has been; both stay.
    async fn rebook_days(&mut self, off: &SupplyException, zone: Tz) -> Result<Vec<ToRebook>> {
        let days: Vec<NaiveDate> = off.from_day.iter_days().take_while(|d| *d <= off.to_day).collect();
        self.queue_for(&days).await?;
        let (from, to) = (day_bounds(zone, off.from_day).0, day_bounds(zone, off.to_day).1);
        let mut found = visits::table
            .inner_join(people::table.on(people::id.eq(visits::person_id)))
            .inner_join(slots::table.on(slots::id.nullable().eq(visits::slot_id)))
            .inner_join(shifts::table.on(shifts::id.eq(slots::shift_id)))
            .filter(shifts::template_id.is_not_null().and(shifts::cancelled_at.is_null()))
            .filter(visits::stage.eq(Stage::Booked.code()).and(visits::rebook.eq(false)))
            .filter(visits::starts_at.ge(from.max(self.now)).and(visits::starts_at.lt(to)))
            .order((visits::starts_at, visits::id))
            .select((visits::id, visits::clinician_id, visits::starts_at, people::first_name, people::last_name))
            .into_boxed();
        if let Some(who) = off.clinician_id {
            found = found.filter(visits::clinician_id.eq(who));
        }
        if let Some(site) = off.site_id {
            found = found.filter(visits::site_id.eq(site));
        }
        let rows: Vec<(Uuid, Uuid, DateTime<Utc>, String, String)> = found.load(self.conn()).await?;
        let ids: Vec<Uuid> = rows.iter().map(|(id, ..)| *id).collect();
        diesel::update(visits::table.filter(visits::id.eq_any(&ids).and(visits::stage.eq(Stage::Booked.code()))))
            .set(visits::rebook.eq(true))
            .execute(self.conn())
            .await?;
        for id in &ids {
            self.tell(Topic::Visit, *id);
        }
        if !ids.is_empty() {
            self.audit("sent to rebook", "days", off.id, None, format!("{} visits", ids.len()));
        }
        let one = |(visit_id, clinician_id, starts_at, first, last): (Uuid, Uuid, DateTime<Utc>, String, String)| {
            ToRebook { visit_id, clinician_id, starts_at, name: format!("{first} {last}") }
        };
        Ok(rows.into_iter().map(one).collect())
    }

    /// The days are again as the week says.
    pub async fn remove_exception(&mut self, id: Uuid, zone: Tz) -> Result<SupplyReport> {
        use supply_exceptions as e;
        let now = self.now;
        let gone: Vec<(NaiveDate, NaiveDate)> =
            diesel::update(e::table.filter(e::id.eq(id).and(e::removed_at.is_null())))
                .set(e::removed_at.eq(now))
                .returning((e::from_day, e::to_day))
                .get_results(self.conn())
                .await?;
        let Some((from, to)) = gone.into_iter().next() else { return Err(StoreError::NotFound("exception")) };
        self.audit("opened", "days", id, None, format!("{from} to {to}"));
        self.settle_supply(from, Some(to), zone).await
    }

    /// Why visits are cancelled here, whether a booking needs a reason, and how many days ahead shifts are made.
    pub async fn set_booking_rules(&mut self, reasons: &[String], reason_required: bool, days: i32) -> Result<()> {
        diesel::update(clinic::table)
            .set((
                clinic::cancel_reasons.eq(reasons),
                clinic::reason_required.eq(reason_required),
                clinic::supply_days.eq(days),
            ))
            .execute(self.conn())
            .await?;
        self.audit("changed", "booking rules", Uuid::nil(), None, "");
        self.tell(Topic::Clinic, Uuid::nil());
        Ok(())
    }

    /// A shift that no template makes. Its times come as a template of that one day.
    pub async fn add_one_off_shift(&mut self, wanted: &Template<Uuid>, zone: Tz) -> Result<Shift> {
        let types = schedule::visit_types(self.conn()).await?;
        let length = |id: &Uuid| {
            let kind = types.iter().find(|t| t.id == *id);
            kind.map_or_else(|| ("visit".into(), 0), |t| (t.name.to_lowercase(), i64::from(t.minutes)))
        };
        rules::check(wanted, &[], length).map_err(template_refused)?;
        let day = wanted.begins;
        self.queue_for(&[day]).await?;
        let span = Span::new(at_local(zone, day, wanted.from), at_local(zone, day, wanted.to))
            .map_err(|r| StoreError::refused("shift", r.to_string()))?;
        if span.end() <= self.now {
            return Err(StoreError::refused("shift", "This time has passed. Choose a later one."));
        }
        let made = MadeShift {
            template: wanted.key,
            clinician: wanted.clinician,
            site: wanted.site,
            span,
            slots: rules::cut(&wanted.runs, span),
        };
        let shift = self.make_shift(&made, None, "one-off shift").await?;
        self.audit("made", "shift", shift.id, None, "one-off");
        self.tell(Topic::Schedule, shift.clinician_id);
        Ok(shift)
    }
}
