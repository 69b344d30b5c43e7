//! Today in mid-morning motion, and the bookings of the weeks ahead.

use crate::{World, at, coded, names};
use anyhow::Result;
use chrono::{Datelike, Days, Duration, NaiveDate};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::arrival::rooms::RoomKind;
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::kinds::Enclosed;
use harbor_core::orders::{BillTo, LabReport, ReportedValue};
use harbor_core::visit_line::Mark;
use harbor_server::api::orders::{For, made};
use harbor_store::codes::Code;
use harbor_store::consult::chart::NewMeasurement;
use harbor_store::documents::{Doc, OrderRequest, StoredAnswer};
use harbor_store::orders::results::NewReport;
use harbor_store::rows::{OrderSet, Person, Slot, Visit};
use harbor_store::schedule::booking::{Booking, Place};
use harbor_store::{Actor, Change, claims, coverage as coverages, schema};
use uuid::Uuid;

/// Clinician, place on the list, last and first name, reason, and how far the visit has come.
type Planned = (&'static str, usize, (&'static str, &'static str), &'static str, Stage);

/// Who has which place on the clinicians' lists today.
const TODAY: [Planned; 17] = [
    ("oriane", 0, ("Belanger", ""), "Blood pressure check", Stage::Left),
    ("oriane", 1, ("Dabrowski", ""), "Tired for months", Stage::Left),
    ("oriane", 2, ("Takahashi-Doyle", "Wren"), "Cough for six weeks", Stage::WithClinician),
    ("oriane", 3, ("Ferreira-Holm", "Lucan"), "Lipids, blood pressure, sleep apnoea, kidneys", Stage::InRoom),
    ("oriane", 4, ("Halvorsen", ""), "Knee pain", Stage::CheckedIn),
    ("oriane", 7, ("Moreau", ""), "Heartburn", Stage::Booked),
    ("tobias", 0, ("Kowalczyk", ""), "Diabetes follow-up", Stage::Left),
    ("tobias", 1, ("Brandvold", "Ottoline"), "Medicines review", Stage::ReadyToLeave),
    ("tobias", 2, ("Rosenthal", ""), "Thyroid check", Stage::WithClinician),
    ("tobias", 3, ("Sorrentino", "Emeka"), "Shoulder after a fall at work", Stage::Here),
    ("tobias", 4, ("Winterbourne", "Alasdair"), "Migraine", Stage::Here),
    ("tobias", 5, ("Yamashiro", ""), "Cholesterol results", Stage::Booked),
    ("ifeoma", 2, ("Achterberg", "Mees"), "Ear ache", Stage::InRoom),
    ("ifeoma", 4, ("Achterberg", "Fenna"), "Cough", Stage::CheckedIn),
    ("ifeoma", 5, ("Achterberg", "Teun"), "Growth check", Stage::CheckedIn),
    ("maelis", 1, ("Zielinski", ""), "Rash on the arm", Stage::Left),
    ("maelis", 4, ("Sandoval", ""), "Burning urine", Stage::Here),
];

pub async fn build(world: &mut World, change: &mut Change<'_>, slots: &[Slot]) -> Result<()> {
    // Taken from the end, so that the first rooms fill first.
    let mut rooms: Vec<Free> = world
        .rooms
        .iter()
        .rev()
        .filter(|r| r.kind == RoomKind::Exam)
        .map(|r| Free { site: r.site_id, room: r.id })
        .collect();
    for (login, place, (last, first), reason, stage) in TODAY {
        let clinician = world.staff(login).clone();
        let of_today = |s: &&Slot| s.clinician_id == clinician.id && s.starts_at < at(world.day, 23, 0);
        let Some(slot) = slots.iter().filter(of_today).nth(place).filter(|s| s.held_for.is_none()) else { continue };
        let person = world
            .people
            .iter()
            .find(|p| p.last_name == last && (first.is_empty() || p.first_name == first))
            .map(|p| p.id);
        let Some(person) = person else { continue };
        // The day began before anybody looked at it.
        change.now = at(world.day, 7, 30) - Duration::days(6);
        let booking = Booking {
            person_id: person,
            place: Place::slot_surely(slot.id),
            reason: reason.into(),
            note: String::new(),
            kind: harbor_core::schedule::VisitKind::InPerson,
            role: None,
        };
        change.actor = world.actor("junia");
        let visit = change.book(&booking, crate::ZONE).await?;
        world.busy.insert((world.day, person));
        if last != "Halvorsen" && last != "Sandoval" {
            verify_coverage(world, change, &visit, last == "Winterbourne").await?;
        }
        put_in_motion(world, change, &visit, stage, &mut rooms).await?;
    }
    change.now = crate::opening(world.day);
    change.actor = Actor::system("demo");
    measured(world, change).await?;
    change.actor = world.actor("oriane");
    wren(world, change).await?;
    change.actor = Actor::system("demo");
    lucan(world, change).await?;
    sets(world, change).await?;
    referred(world, change).await?;
    results(world, change).await?;
    ahead(world, change, slots).await
}

/// Yesterday evening's benefits checks.
async fn verify_coverage(world: &mut World, change: &mut Change<'_>, visit: &Visit, refused: bool) -> Result<()> {
    use schema::benefit_checks as b;
    let Some(policy) = world.coverages.iter().find(|c| c.person_id == visit.person_id).cloned() else { return Ok(()) };
    let payer = world.payers.iter().find(|p| p.id == policy.payer_id).cloned();
    let Some(payer) = payer else { return Ok(()) };
    let patient = harbor_store::people::get(change.conn(), policy.person_id).await?;
    let person = harbor_store::people::get(change.conn(), policy.holder_id.unwrap_or(policy.person_id)).await?;
    let (facts, sent) = coverages::sent_facts(&policy, &person, &patient, world.day);
    let question = harbor_core::coverage::BenefitQuestion {
        trace: format!("BQ{}", &visit.id.simple().to_string()[20..]).to_uppercase(),
        payer_name: payer.name,
        payer_id: payer.payer_code,
        provider_name: String::new(),
        provider_npi: String::new(),
        subscriber: harbor_core::coverage::InsuredPerson {
            last: person.last_name,
            first: person.first_name,
            subscriber_number: if refused { "92".into() } else { "10".into() },
            ..Default::default()
        },
        dependent: None,
        service_date: world.day,
    };
    let answer = harbor_standins::payer::benefits(&question, world.day);
    let asked = at(world.day, 21, 0) - Duration::days(1);
    diesel::insert_into(b::table)
        .values((
            b::id.eq(world.ids.fresh()),
            b::coverage_id.eq(policy.id),
            b::person_id.eq(visit.person_id),
            b::visit_id.eq(Some(visit.id)),
            b::service_date.eq(world.day),
            b::trace.eq(question.trace.clone()),
            b::state.eq("answered"),
            b::facts.eq(facts.into_iter().map(Code).collect::<Vec<_>>()),
            b::sent.eq(Doc(sent)),
            b::asked_at.eq(asked),
            b::asked_by.eq("overnight"),
            b::answered_at.eq(Some(asked)),
            b::answer.eq(Some(Doc(StoredAnswer::from(&answer)))),
        ))
        .execute(change.conn())
        .await?;
    // What counts on the day is the visit's; the list of policies says it too.
    let policies = coverages::of_person(change.conn(), visit.person_id).await?;
    debug_assert!(coverages::counting(&policies, visit.person_id, world.day).is_some());
    Ok(())
}

/// An exam room that nobody is in.
struct Free {
    site: Uuid,
    room: Uuid,
}

async fn put_in_motion(
    world: &World,
    change: &mut Change<'_>,
    visit: &Visit,
    stage: Stage,
    rooms: &mut Vec<Free>,
) -> Result<()> {
    let steps = [
        (Stage::Here, -9),
        (Stage::CheckedIn, -5),
        (Stage::InRoom, 3),
        (Stage::WithClinician, 9),
        (Stage::ReadyToLeave, 24),
        (Stage::Left, 29),
    ];
    let path: &[Stage] = match stage {
        Stage::Booked => &[],
        Stage::Here => &[Stage::Here],
        Stage::CheckedIn => &[Stage::Here, Stage::CheckedIn],
        Stage::InRoom => &[Stage::Here, Stage::CheckedIn, Stage::InRoom],
        Stage::WithClinician => &[Stage::Here, Stage::CheckedIn, Stage::InRoom, Stage::WithClinician],
        Stage::ReadyToLeave => {
            &[Stage::Here, Stage::CheckedIn, Stage::InRoom, Stage::WithClinician, Stage::ReadyToLeave]
        }
        _ => &[Stage::Here, Stage::CheckedIn, Stage::InRoom, Stage::WithClinician, Stage::ReadyToLeave, Stage::Left],
    };
    let opening = crate::opening(world.day);
    let minutes_of = |stage: &Stage| steps.iter().find(|(s, _)| s == stage).map_or(0, |(_, m)| *m);
    // Who is in the building came to where they are some minutes ago; who has left kept to the time.
    let ago = 3 + i64::from(visit.person_id.as_bytes()[15] % 14);
    let base = match path.last() {
        Some(last) if *last != Stage::Left => opening - Duration::minutes(ago + minutes_of(last)),
        _ => visit.starts_at,
    };
    let mut used = None;
    let clinician = world.staff.iter().find(|s| s.id == visit.clinician_id);
    let who_sees = clinician.map_or_else(|| change.actor.clone(), |s| world.actor(&s.login));
    for to in path {
        change.now = (base + Duration::minutes(minutes_of(to))).min(opening - Duration::minutes(2));
        change.actor = match to {
            Stage::Here | Stage::CheckedIn => world.actor("junia"),
            Stage::WithClinician | Stage::ReadyToLeave => who_sees.clone(),
            _ => world.actor("petra"),
        };
        let of_site = rooms.iter().rposition(|r| r.site == visit.site_id).filter(|_| *to == Stage::InRoom);
        let taken = of_site.map(|at| rooms.remove(at));
        let room = taken.as_ref().map(|r| r.room);
        if *to == Stage::CheckedIn {
            change.finish_check_in(visit.id).await?
        } else {
            change.move_visit(visit.id, *to, room).await?
        };
        if *to == Stage::InRoom {
            used = taken;
        }
        if *to == Stage::ReadyToLeave {
            rooms.extend(used.take());
        }
    }
    Ok(())
}

async fn measured(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let lucan = world.person("Ferreira-Holm", "Lucan").id;
    let visits = harbor_store::visit_line::visits::of_person(change.conn(), lucan).await?;
    for (i, visit) in visits.iter().take(4).enumerate() {
        let Some(roomed_at) = change.marks_of_visit(visit.id).await?.at(Mark::Roomed) else { continue };
        change.now = roomed_at + Duration::minutes(2);
        let n = i as i32;
        let take = |measure: &str, tenths: i32, standing: &str| NewMeasurement {
            measure: *coded(measure),
            tenths,
            standing: *coded(standing),
            typed: String::new(),
            manner: String::new(),
        };
        let found = [
            take("systolic", 1480 - n * 30, "high"),
            take("diastolic", 880 + n * 10, "high"),
            take("heart_rate", 720 + n * 20, "usual"),
            take("weight", 946 + n * 7, "usual"),
            take("height", 1790, "usual"),
            take("bmi", 295 + n * 2, "high"),
        ];
        change.take_measurements(visit, &found).await?;
    }
    change.now = crate::opening(world.day);
    Ok(())
}

/// Wren is with her clinician, whose note is half written.
async fn wren(world: &World, change: &mut Change<'_>) -> Result<()> {
    use harbor_core::consult::NotePart;
    use harbor_store::consult::notes::PartAt;
    let wren = world.person("Takahashi-Doyle", "Wren").id;
    let visits = harbor_store::visit_line::visits::of_person(change.conn(), wren).await?;
    let Some(visit) = visits.into_iter().find(|v| v.day == world.day) else { return Ok(()) };
    change.save_part(&visit, PartAt::general(NotePart::Reason), "Cough for six weeks.", 1).await?;
    let history = "Dry cough, worse at night and on the stairs. Two colds in autumn. No fever, no weight loss. \
                   Takes a beta blocker for migraine. Her mother has asthma.";
    change.set_diagnoses(&visit, &[("R05.3".into(), "Chronic cough".into())], None).await?;
    let run = harbor_store::consult::runs::runs_of(change.conn(), visit.id).await?.into_iter().next().map(|run| run.id);
    change.save_part(&visit, PartAt { run, part: NotePart::History }, history, 0).await?;
    Ok(())
}

/// Lucan's seven orders wait to be sent, each under the diagnosis that usually carries it.
async fn lucan(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let person = world.person("Ferreira-Holm", "Lucan").id;
    let visits = harbor_store::visit_line::visits::of_person(change.conn(), person).await?;
    let Some(visit) = visits.into_iter().find(|v| v.day == world.day && v.stage().is_present()) else { return Ok(()) };
    let diagnoses: Vec<(String, String)> = [
        ("E78.5", "Hyperlipidemia, unspecified"),
        ("I10", "Essential (primary) hypertension"),
        ("G47.33", "Obstructive sleep apnea (adult) (pediatric)"),
        ("N18.31", "Chronic kidney disease, stage 3a"),
    ]
    .map(|(c, t)| (c.to_owned(), t.to_owned()))
    .to_vec();
    change.set_diagnoses(&visit, &diagnoses, None).await?;
    let orderer = world.staff("oriane").clone();
    let tables = harbor_server::tables::Tables::shared()?;
    for code in ["LIPID", "ALT", "K", "CREA", "EGFR", "UACR", "TSH"] {
        let Some(test) = tables.orderable(code) else { continue };
        let placement = harbor_core::orders::place(test, &diagnoses);
        let under: Vec<(String, String)> = placement.diagnoses.iter().map(|i| diagnoses[*i].clone()).collect();
        let wanted = For { person, visit: Some(visit.id), orderer: orderer.clone() };
        let mut order = made(test, &wanted, change.now, placement.reason, String::new());
        order.id = world.ids.fresh();
        let policies = harbor_store::coverage::of_person(change.conn(), person).await?;
        order.coverage_id = harbor_store::coverage::counting(&policies, person, world.day).map(|c| c.id);
        order.bill_to = order.coverage_id.map(|_| BillTo::Insurance.into());
        change.add_order(order, &under).await?;
    }
    Ok(())
}

/// Ottoline was sent to a heart specialist ten days ago, whose letter is still to come.
async fn referred(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let person = world.person("Brandvold", "Ottoline").id;
    let orderer = world.staff("tobias").clone();
    let tables = harbor_server::tables::Tables::shared()?;
    let Some(item) = tables.orderable("R-CARD") else { return Ok(()) };
    let problems = harbor_store::consult::chart::problems_of(change.conn(), person).await?;
    let under: Vec<(String, String)> =
        problems.into_iter().filter(|p| p.code.starts_with("I48")).map(|p| (p.code, p.title)).collect();
    let (now, actor) = (change.now, change.actor.clone());
    change.now = crate::opening(world.day) - Duration::days(10);
    change.actor = world.actor("tobias");
    let mut order = made(item, &For { person, visit: None, orderer }, change.now, String::new(), String::new());
    order.id = world.ids.fresh();
    order.request = Doc(OrderRequest {
        question: "Rate control under the present dose? An ultrasound of the heart, please.".into(),
        to_whom: "Dr. Sorrel Anstruther, Marrow Ferry".into(),
        enclosed: vec![Enclosed::Problems.into(), Enclosed::Medicines.into(), Enclosed::Results.into()],
    });
    let order = change.add_order(order, &under).await?;
    change.sign_orders(&[order]).await?;
    (change.now, change.actor) = (now, actor);
    Ok(())
}

/// What is ordered together: the clinic's sets, and one of a clinician's own.
async fn sets(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let own = world.staff("oriane").id;
    for (owner, name, items) in [
        (None, "Diabetes, yearly", vec!["A1C", "LIPID", "UACR", "EGFR", "R-EYE"]),
        (None, "Before an operation", vec!["CBC", "BMP", "INR", "ECG"]),
        (Some(own), "Always tired", vec!["CBC", "TSH", "FERR"]),
    ] {
        let items = items.into_iter().map(str::to_owned).collect();
        change.keep_set(OrderSet { id: world.ids.fresh(), owner_id: owner, name: name.into(), items }).await?;
    }
    Ok(())
}

/// A person as the laboratory names them.
fn named(p: &Person) -> NamedPerson {
    NamedPerson {
        record_number: p.record_number.clone(),
        last: p.last_name.clone(),
        first: p.first_name.clone(),
        birth_date: p.birth_date,
        sex: p.sex.map(|s| s.code().to_owned()).unwrap_or_default(),
    }
}

/// As a label was read of which the water took half.
fn smudged() -> NamedPerson {
    NamedPerson {
        last: "Brandvolt".into(),
        first: "Ottoline".into(),
        birth_date: NaiveDate::from_ymd_opt(1945, 7, 1),
        sex: "F".into(),
        ..NamedPerson::default()
    }
}

/// Results that nobody has seen: one corrected, one for an uncertain person.
async fn results(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let value = ReportedValue::measured;
    let lucan = world.person("Ferreira-Holm", "Lucan").clone();
    let sunniva = world.person("Brandvold", "Ottoline").clone();
    let list = [
        (
            "GP-8001",
            "Kidney function",
            Some(&lucan),
            "final",
            200,
            vec![
                value("2160-0", "Creatinine", 1.3, "mg/dL", 0.6, 1.2),
                value("2823-3", "Potassium", 4.9, "mmol/L", 3.5, 5.1),
            ],
        ),
        (
            "GP-8117",
            "Kidney function",
            Some(&lucan),
            "final",
            30,
            vec![
                value("2160-0", "Creatinine", 1.5, "mg/dL", 0.6, 1.2),
                value("2823-3", "Potassium", 5.3, "mmol/L", 3.5, 5.1),
            ],
        ),
        (
            "GP-8120",
            "Prothrombin time, INR",
            Some(&sunniva),
            "final",
            28,
            vec![value("6301-6", "Prothrombin time, INR", 2.4, "", 2.0, 3.0)],
        ),
        (
            "GP-8120",
            "Prothrombin time, INR",
            Some(&sunniva),
            "corrected",
            26,
            vec![value("6301-6", "Prothrombin time, INR", 3.6, "", 2.0, 3.0)],
        ),
        ("GP-8131", "Hemoglobin", None, "final", 20, vec![value("718-7", "Hemoglobin", 10.2, "g/dL", 12.0, 16.0)]),
    ];
    for (i, (number, name, person, status, hours, values)) in list.into_iter().enumerate() {
        let issued_at = crate::opening(world.day) - Duration::hours(hours);
        change.now = issued_at;
        let filed = change
            .file_report(NewReport {
                read: LabReport {
                    number: number.into(),
                    order_reference: String::new(),
                    subject: person.map(named).unwrap_or_else(smudged),
                    status: *coded(status),
                    issued: issued_at,
                    name: name.into(),
                    performer: "Gannet Point Laboratory".into(),
                    values,
                    conclusion: String::new(),
                    files: vec![],
                },
                order: None,
                digest: claims::digest(format!("demo {i} {}", world.day).as_bytes()),
            })
            .await?;
        if let (Some(report), Some(person)) = (filed, person) {
            if report.person_id.is_none() {
                change
                    .match_report(report.id, person.id, None, "the record number and the birth date are theirs")
                    .await?;
            }
            if i == 0 {
                change.review_report(report.id, "Stable; again in three months.").await?;
            }
        }
    }
    change.now = crate::opening(world.day);
    Ok(())
}

/// The weeks ahead are about half booked, the near days more.
async fn ahead(world: &mut World, change: &mut Change<'_>, slots: &[Slot]) -> Result<()> {
    let from = at(world.day, 23, 0);
    let children: Vec<Uuid> = age_group(world, true);
    let adults: Vec<Uuid> = age_group(world, false);
    let ifeoma = world.staff("ifeoma").id;
    let desks = [world.actor("junia"), world.actor("casimir")];
    let free = slots.iter().filter(|s| s.held_for.is_none() && s.starts_at > crate::opening(world.day));
    for (n, slot) in free.enumerate() {
        let days = (slot.starts_at - from).num_days().max(0);
        let share = if slot.starts_at < from { 45 } else { (62 - days * 2).max(6) };
        if world.chance.below(100) as i64 >= share || (days > 14 && days % 3 != 0) {
            continue;
        }
        let group = if slot.clinician_id == ifeoma { &children } else { &adults };
        let day = slot.starts_at.with_timezone(&crate::ZONE).date_naive();
        let person = *world.chance.pick(group);
        if !world.busy.insert((day, person)) {
            continue;
        }
        let (reason, ..) = names::reason(&mut world.chance, slot.clinician_id == ifeoma);
        let busy = change.conn();
        let already: i64 =
            schema::visits::table.filter(schema::visits::slot_id.eq(slot.id)).count().get_result(busy).await?;
        if already == 0 {
            // Three days ago, one call after the other.
            change.now = at(world.day - Days::new(3), 8, 5) + Duration::minutes(i64::try_from(n * 37 % 540)?);
            change.actor = desks[n % 2].clone();
            let booking = Booking {
                person_id: person,
                place: Place::slot_surely(slot.id),
                reason: reason.into(),
                note: String::new(),
                kind: harbor_core::schedule::VisitKind::InPerson,
                role: None,
            };
            change.book(&booking, crate::ZONE).await?;
        }
    }
    change.now = crate::opening(world.day);
    change.actor = Actor::system("demo");
    Ok(())
}

fn age_group(world: &World, children: bool) -> Vec<Uuid> {
    let year = world.day.year();
    world
        .people
        .iter()
        .skip(world.threads)
        .filter(|p| p.birth_date.is_some_and(|b| (year - b.year() < 18) == children))
        .map(|p| p.id)
        .collect()
}
