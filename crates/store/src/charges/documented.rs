//! What of a visit its charges are made of, and the lines that stand by themselves.

use super::{charges_taken_off, lines_of, services};
use crate::consult::{heads, histories, runs};
use crate::documents::HistoryDetail;
use crate::rows::{ChargeLine, Order, Visit};
use crate::schema::{charge_lines, order_diagnoses, staff, visit_marks, visits};
use crate::{Change, Conn, Result, Topic, orders, prescribing};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::charges::by_itself::{
    BLOOD_DRAW, Chargeable, Deed, DoneInVisit, Vaccine, changed_lines, lost_lines, own_lines,
};
use harbor_core::charges::level::{SeenBefore, VisitEffort, is_new_patient, specialty, suggest_level};
use harbor_core::consult::diagnoses::{DiagnosisIndex, lasts};
use harbor_core::consult::quick_line::immunised::vaccine_code;
use harbor_core::orders::specimens::is_blood;
use harbor_core::orders::{OrderKind, OrderState};
use harbor_core::prescribing::PrescriptionState;
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::Mark;
use std::collections::HashMap;
use uuid::Uuid;

/// What a visit's note and orders document.
pub struct Documented {
    pub effort: VisitEffort,
    pub done: DoneInVisit,
}

/// Visits in which somebody of the clinic saw the person face to face, with the taxonomy of who did.
async fn seen_before(conn: &mut Conn, visit: &Visit) -> Result<Vec<(NaiveDate, String)>> {
    let face_to_face = [VisitKind::InPerson, VisitKind::Home, VisitKind::Video].map(|k| k.code());
    let rows: Vec<(NaiveDate, Option<String>)> = visits::table
        .inner_join(visit_marks::table.on(visit_marks::visit_id.eq(visits::id)))
        .inner_join(staff::table.on(staff::id.eq(visits::clinician_id)))
        .filter(visits::person_id.eq(visit.person_id).and(visits::day.lt(visit.day)))
        .filter(visits::kind.eq_any(face_to_face).and(visit_marks::mark.eq(Mark::Seen.code())))
        .order(visits::day.desc())
        .limit(200)
        .select((visits::day, staff::taxonomy))
        .load(conn)
        .await?;
    Ok(rows.into_iter().map(|(day, taxonomy)| (day, taxonomy.unwrap_or_default())).collect())
}

async fn deeds(conn: &mut Conn, ordered: &[Order]) -> Result<Vec<Deed>> {
    let ids: Vec<Uuid> = ordered.iter().map(|o| o.id).collect();
    let mut of: HashMap<Uuid, Vec<String>> = HashMap::new();
    let rows: Vec<(Uuid, String)> = order_diagnoses::table
        .filter(order_diagnoses::order_id.eq_any(&ids))
        .select((order_diagnoses::order_id, order_diagnoses::code))
        .load(conn)
        .await?;
    for (order, code) in rows {
        of.entry(order).or_default().push(code);
    }
    let deed = |o: &Order| {
        let diagnoses = of.get(&o.id).cloned().unwrap_or_default();
        match *o.kind {
            OrderKind::Procedure if o.done_at.is_some() => {
                let reason = format!("{} was done here by {}.", o.test_name, o.done_by);
                Some(Deed { code: o.test_code.clone(), reason, diagnoses, times: 1 })
            }
            OrderKind::Laboratory if o.taken_at.is_some() && is_blood(&o.specimen) => {
                let reason = format!("Blood was drawn here by {}.", o.taken_by);
                Some(Deed { code: BLOOD_DRAW.into(), reason, diagnoses, times: 1 })
            }
            _ => None,
        }
    };
    Ok(ordered.iter().filter_map(deed).collect())
}

/// What was given in a visit to protect from something, each once; what is told of another day was given then.
async fn vaccines(conn: &mut Conn, visit: &Visit) -> Result<Vec<Vaccine>> {
    let mut out: Vec<Vaccine> = Vec::new();
    for row in histories::of_person(conn, visit.person_id).await? {
        let HistoryDetail::Immunisation { what, when, given: true, .. } = row.detail.0 else { continue };
        let of_visit = row.visit_id == Some(visit.id) && when == visit.day.to_string();
        if of_visit && !out.iter().any(|v| v.name == what) {
            out.push(Vaccine { code: vaccine_code(&what), name: what, by: row.recorded_by });
        }
    }
    Ok(out)
}

/// What is documented of a visit, for its level and its lines.
pub async fn documented(conn: &mut Conn, visit: &Visit, index: &DiagnosisIndex) -> Result<Documented> {
    let count = |n: usize| u32::try_from(n).unwrap_or(u32::MAX);
    let codes: Vec<String> = runs::diagnoses_of(conn, visit.id).await?.into_iter().map(|d| d.code).collect();
    let ordered = orders::of_visits(conn, &[visit.id]).await?;
    let prescribed = prescribing::of_visits(conn, &[visit.id]).await?;
    let minutes = heads::head(conn, visit.id).await?.and_then(|h| h.minutes);
    let before = seen_before(conn, visit).await?;
    let own: Option<Option<String>> =
        staff::table.find(visit.clinician_id).select(staff::taxonomy).first(conn).await.optional()?;
    let own = own.flatten().unwrap_or_default();
    let seen: Vec<SeenBefore> =
        before.iter().map(|(day, taxonomy)| SeenBefore { day: *day, specialty: specialty(taxonomy) }).collect();
    // What only goes beside another code is no problem of its own.
    let problems: Vec<&String> = codes.iter().filter(|c| !index.is_additional(c)).collect();
    let lasting = problems.iter().filter(|c| lasts(c)).count();
    let effort = VisitEffort {
        new_patient: is_new_patient(visit.day, specialty(&own), &seen),
        minutes: minutes.and_then(|m| u32::try_from(m).ok()),
        lasting: count(lasting),
        passing: count(problems.len() - lasting),
        // What nobody signed is no more than a thought.
        tests: count(ordered.iter().filter(|o| o.kind.counts_as_test() && o.state != OrderState::Draft).count()),
        prescriptions: count(prescribed.iter().filter(|p| p.state != PrescriptionState::Draft).count()),
    };
    let done = DoneInVisit {
        deeds: deeds(conn, &ordered).await?,
        vaccines: vaccines(conn, visit).await?,
        diagnoses: codes.iter().map(|c| (c.clone(), index.is_additional(c))).collect(),
        new_patient: effort.new_patient,
        level: (*visit.kind == VisitKind::InPerson).then(|| suggest_level(&effort)),
    };
    Ok(Documented { effort, done })
}

impl Change<'_> {
    /// Adds the lines of what was done and documented that are missing, each with its reason, and takes off those that stood
    /// by themselves for what was taken back. Charges that are completed stay as they are. Says whether anything changed.
    pub async fn stand_by_themselves(&mut self, visit: &Visit, index: &DiagnosisIndex) -> Result<bool> {
        if self.has_reached(visit.id, Mark::Charged).await? {
            return Ok(false);
        }
        let mut said = documented(self.conn(), visit, index).await?;
        if !self.has_reached(visit.id, Mark::Signed).await? {
            // The level is that of the whole note.
            said.done.level = None;
        }
        let there = lines_of(self.conn(), &[visit.id]).await?;
        let taken_off: Vec<String> = charges_taken_off::table
            .filter(charges_taken_off::visit_id.eq(visit.id))
            .select(charges_taken_off::service_code)
            .load(self.conn())
            .await?;
        let catalogue: Vec<Chargeable> = services(self.conn())
            .await?
            .into_iter()
            .map(|s| Chargeable {
                code: s.code,
                level: s.level.and_then(|l| u8::try_from(l).ok()),
                new_patient: s.new_patient,
                done: s.done,
                units: u32::try_from(s.units).unwrap_or(1),
                modifiers: s.modifiers,
                diagnoses: s.diagnoses,
            })
            .collect();
        let known: Vec<&str> =
            there.iter().map(|l| l.service_code.as_str()).chain(taken_off.iter().map(String::as_str)).collect();
        let missing = own_lines(&said.done, &catalogue, &known);
        let own: Vec<&str> = there.iter().filter(|l| l.by_itself).map(|l| l.service_code.as_str()).collect();
        let lost = lost_lines(&said.done, &catalogue, &own);
        if !lost.is_empty() {
            let those = charge_lines::table
                .filter(charge_lines::visit_id.eq(visit.id).and(charge_lines::by_itself))
                .filter(charge_lines::service_code.eq_any(&lost));
            diesel::delete(those).execute(self.conn()).await?;
            let names = lost.join(", ");
            self.audit("charges no longer documented", "visit", visit.id, Some(visit.person_id), names);
            self.tell(Topic::Visit, visit.id);
        }
        let standing: Vec<(&str, &str)> =
            there.iter().filter(|l| l.by_itself).map(|l| (l.service_code.as_str(), l.reason.as_str())).collect();
        let changed = changed_lines(&said.done, &catalogue, &standing);
        for l in &changed {
            let units = i32::try_from(l.units).unwrap_or(1);
            let of = charge_lines::table
                .filter(charge_lines::visit_id.eq(visit.id).and(charge_lines::by_itself))
                .filter(charge_lines::service_code.eq(&l.service));
            diesel::update(of)
                .set((charge_lines::units.eq(units), charge_lines::reason.eq(&l.reason)))
                .execute(self.conn())
                .await?;
            let said = format!("{}: {units}", l.service);
            self.audit("charges follow what is documented", "visit", visit.id, Some(visit.person_id), said);
            self.tell(Topic::Visit, visit.id);
        }
        if missing.is_empty() {
            return Ok(!lost.is_empty() || !changed.is_empty());
        }
        let last = there.iter().map(|l| l.number).max().unwrap_or(0);
        let rows: Vec<ChargeLine> = (last + 1..)
            .zip(missing)
            .map(|(number, l)| ChargeLine {
                id: Uuid::now_v7(),
                visit_id: visit.id,
                number,
                service_code: l.service,
                modifiers: l.modifiers,
                units: i32::try_from(l.units).unwrap_or(1),
                pointers: l.pointers.into_iter().map(i32::from).collect(),
                price_cents: None,
                reason: l.reason,
                by_itself: true,
                own_price_cents: None,
                own_price_reason: String::new(),
                schedule: None,
            })
            .collect();
        diesel::insert_into(charge_lines::table).values(&rows).execute(self.conn()).await?;
        let names: Vec<&str> = rows.iter().map(|r| r.service_code.as_str()).collect();
        self.audit("charges by themselves", "visit", visit.id, Some(visit.person_id), names.join(", "));
        self.tell(Topic::Visit, visit.id);
        Ok(true)
    }
}
