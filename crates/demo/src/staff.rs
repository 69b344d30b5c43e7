//! The clinic, its sites, who works there, payers, pharmacies, services and prices.

use crate::{PASSWORD, World, coded};
use anyhow::{Context, Result};
use argon2::{Argon2, PasswordHasher};
use chrono::{Datelike, NaiveDate};
use diesel_async::RunQueryDsl;
use harbor_core::charges::catalogue;
use harbor_core::charges::fee_schedules::HoldsFor;
use harbor_core::fields::Faults;
use harbor_core::fields::identifiers::Npi;
use harbor_core::money::Cents;
use harbor_formats::csv_catalogue;
use harbor_store::charges::fees::STANDARD;
use harbor_store::rows::{Clinic, FeeSchedule, Payer, Pharmacy, Price, Room, Service, Site, Staff, VisitType};
use harbor_store::{Conn, schema};

/// login, first name, last name, role, specialty, NPI without its check digit, taxonomy.
const PEOPLE: [(&str, &str, &str, &str, &str, &str, &str); 10] = [
    ("oriane", "Oriane", "Valcourt", "clinician", "family medicine", "190000001", "207Q00000X"),
    ("tobias", "Tobias", "Renneberg", "clinician", "internal medicine", "190000002", "207R00000X"),
    ("ifeoma", "Ifeoma", "Adeyemi-Strand", "clinician", "paediatrics", "190000003", "208000000X"),
    ("maelis", "Maelis", "Corrigan", "clinician", "nurse practitioner", "190000004", "363LF0000X"),
    ("petra", "Petra", "Lindqvist", "assistant", "", "", ""),
    ("davi", "Davi", "Montclair", "assistant", "", "", ""),
    ("junia", "Junia", "Vance", "front_desk", "", "", ""),
    ("casimir", "Casimir", "Holt", "front_desk", "", "", ""),
    ("agathe", "Agathe", "Marlowe", "biller", "", "", ""),
    ("soren", "Soren", "Whitlock", "manager", "", "", ""),
];

/// Login and what to show beside it.
pub fn sign_ins() -> Vec<(String, String)> {
    PEOPLE
        .iter()
        .map(|(login, first, last, role, specialty, ..)| {
            let role = harbor_core::house::permissions::Role::from_code(role).map_or("", |r| r.label());
            let what = if specialty.is_empty() { role.to_owned() } else { format!("{role}, {specialty}") };
            ((*login).to_owned(), format!("{first} {last}, {what}"))
        })
        .collect()
}

/// Made-up numbers with a right check digit, for those who prescribe controlled substances.
fn dea(login: &str) -> String {
    match login {
        "oriane" => "BV1234563",
        "tobias" => "BR2345672",
        _ => "",
    }
    .to_owned()
}

fn npi(nine: &str) -> Option<String> {
    Npi::from_nine(nine).map(|n| n.as_str().to_owned())
}

pub async fn build(world: &mut World, conn: &mut Conn) -> Result<()> {
    let clinic = Clinic {
        id: 1,
        name: "Indigo Harbor Family Clinic".into(),
        zone: crate::ZONE.name().into(),
        npi: npi("180000001").context("a provider number")?,
        tax_id: "990000001".into(),
        taxonomy: "261QP2300X".into(),
        address_line: "1 Quayside".into(),
        city: "Port Calder".into(),
        state: "ME".into(),
        postal_code: "04998-0001".into(),
        telephone: "2075550100".into(),
        submitter_id: "INDIGOHBR".into(),
        clearing_house: "Causeway Exchange".into(),
        clearing_house_id: "CAUSEWAY".into(),
        production: false,
        required_fields: harbor_core::people::USUALLY_REQUIRED.iter().map(|f| (*f).into()).collect(),
        cancel_reasons: harbor_core::schedule::USUAL_CANCEL_REASONS.map(str::to_owned).to_vec(),
        reason_required: true,
        // As far as the demo makes its shifts.
        supply_days: i32::try_from(crate::schedule::AHEAD).unwrap_or(42) - 1,
        wait_long: 15,
        wait_too_long: 30,
        late_after: 10,
        did_not_come_after: 60,
        lock_minutes: 10,
        second_factor_roles: vec![],
        critical_after: 30,
        usual_days: Default::default(),
    };
    diesel::insert_into(schema::clinic::table).values(&clinic).execute(conn).await?;

    for (i, (name, line)) in [("Quayside", ""), ("Lantern Hill", "18 Lantern Hill")].into_iter().enumerate() {
        let elsewhere = |text: &str| if line.is_empty() { String::new() } else { text.to_owned() };
        world.sites.push(Site {
            id: world.ids.fresh(),
            name: name.into(),
            place_of_service: "11".into(),
            sort: i as i32,
            address_line: line.into(),
            city: elsewhere("Port Calder"),
            state: elsewhere("ME"),
            postal_code: elsewhere("04998-0118"),
        });
    }
    let rooms = [
        (0, "Heron", "exam", 0, 0),
        (0, "Tern", "exam", 1, 0),
        (0, "Plover", "exam", 2, 0),
        (0, "Eider", "exam", 0, 1),
        (0, "Curlew", "exam", 1, 1),
        (0, "Blood draw", "lab", 2, 1),
        (0, "Checkout", "checkout", 3, 1),
        (1, "Birch", "exam", 0, 0),
        (1, "Rowan", "exam", 1, 0),
        (1, "Larch", "exam", 2, 0),
    ];
    for (i, (site, name, kind, place_x, place_y)) in rooms.into_iter().enumerate() {
        let site_id = world.sites[site].id;
        world.rooms.push(Room {
            id: world.ids.fresh(),
            site_id,
            name: name.into(),
            kind: coded(kind),
            sort: i as i32,
            place_x,
            place_y,
            active: true,
        });
    }
    let hash = Argon2::default().hash_password(PASSWORD.as_bytes()).map_err(|e| anyhow::anyhow!("{e}"))?.to_string();
    for (i, (login, first, last, role, specialty, nine, taxonomy)) in PEOPLE.into_iter().enumerate() {
        let doctor = if role == "clinician" && login != "maelis" { "Dr. " } else { "" };
        let suffix = if login == "maelis" { ", NP" } else { "" };
        world.staff.push(Staff {
            id: world.ids.fresh(),
            login: login.into(),
            name: format!("{doctor}{first} {last}{suffix}"),
            last_name: last.into(),
            first_name: first.into(),
            role: coded(role),
            specialty: specialty.into(),
            npi: npi(nine),
            taxonomy: (!taxonomy.is_empty()).then(|| taxonomy.to_owned()),
            password_hash: hash.clone(),
            active: true,
            sort: i as i32,
            dea: dea(login),
        });
    }
    let types = [
        ("Consultation", "◆", "solid", 20, &["VISIT3"][..], "sheet"),
        ("Long consultation", "◈", "double", 40, &["VISIT4"][..], "indigo"),
        ("New patient", "✚", "dashed", 40, &["NEW3"][..], "tide"),
        ("Child visit", "●", "dotted", 20, &["VISIT3"][..], "kelp"),
        ("Procedure", "▲", "ridge", 40, &["VISIT3", "SUTURE"][..], "brass"),
        ("Telephone", "☏", "thin", 10, &["PHONE"][..], "sheet"),
    ];
    for (i, (name, glyph, pattern, minutes, services, ground)) in types.into_iter().enumerate() {
        world.visit_types.push(VisitType {
            id: world.ids.fresh(),
            name: name.into(),
            glyph: glyph.into(),
            pattern: pattern.into(),
            minutes,
            services: services.iter().map(|s| (*s).to_owned()).collect(),
            sort: i as i32,
            release_days: None,
            booked_by: ["front_desk", "assistant", "clinician", "manager"].map(coded).to_vec(),
            online: matches!(name, "Consultation" | "Child visit"),
            ground: ground.into(),
            active: true,
            from_age: None,
            to_age: (name == "Child visit").then_some(17),
        });
    }
    let payers = [
        ("Saltmarsh Mutual Health Plan", "SALTM", "CI", false, Some(180)),
        ("Beacon Shoals Benefit Trust", "BEACN", "CI", false, Some(120)),
        ("Commonweal Care", "COMWC", "MC", false, Some(365)),
        ("Ferrywright Employers' Fund", "FERRY", "WC", true, None),
    ];
    for (name, code, filing, employment, filing_days) in payers {
        world.payers.push(Payer {
            id: world.ids.fresh(),
            name: name.into(),
            payer_code: code.into(),
            filing_code: filing.into(),
            employment,
            filing_days,
            // The fund has told no days.
            correction_days: filing_days.map(|_| 90),
            appeal_days: filing_days.map(|_| 60),
            needs_referral: code == "COMWC",
            telephone: "2075550190".into(),
            address: "Marrow Ferry, ME".into(),
        });
    }
    let pharmacies: Vec<Pharmacy> = [("Cinder Street Pharmacy", "2075550181"), ("Breakwater Pharmacy", "2075550182")]
        .into_iter()
        .map(|(name, phone)| Pharmacy { id: world.ids.fresh(), name: name.into(), telephone: phone.into() })
        .collect();
    diesel::insert_into(schema::sites::table).values(&world.sites).execute(conn).await?;
    diesel::insert_into(schema::rooms::table).values(&world.rooms).execute(conn).await?;
    diesel::insert_into(schema::staff::table).values(&world.staff).execute(conn).await?;
    diesel::insert_into(schema::visit_types::table).values(&world.visit_types).execute(conn).await?;
    diesel::insert_into(schema::payers::table).values(&world.payers).execute(conn).await?;
    diesel::insert_into(schema::pharmacies::table).values(&pharmacies).execute(conn).await?;
    put_catalogue(world, conn).await
}

async fn put_catalogue(world: &mut World, conn: &mut Conn) -> Result<()> {
    let file = csv_catalogue::read_services(include_bytes!("../../../data/services.csv"))?;
    let from = NaiveDate::from_ymd_opt(world.day.year() - 2, 1, 1).unwrap_or(world.day);
    let fund = world.payers.iter().find(|p| p.employment).map(|p| p.id);
    let of_fund = FeeSchedule {
        code: "employers-fund".into(),
        name: "Employers' fund".into(),
        holds_for: HoldsFor::Payer.into(),
        payer_id: fund,
        plan: String::new(),
        falls_back: Some(STANDARD.into()),
    };
    let (mut services, mut prices): (Vec<Service>, Vec<Price>) = (vec![], vec![]);
    for (line, fields) in file.rows {
        let faults = |f: Faults| anyhow::anyhow!("services.csv, line {line}: {:?}", f.0);
        let service: Service = catalogue::read(&fields, world.day).map_err(faults)?.into();
        let standard = fields.get("price").map(|p| Cents::parse(p)).transpose()?;
        // The fund pays more for what it alone asks for; who pays themselves pays less for what is often paid so.
        let others = [
            (of_fund.code.as_str(), [("WORKREP", 7_000), ("SUTURE", 22_500), ("SPLINT", 6_500)].as_slice()),
            ("self-pay", [("FORM", 2_000), ("SPIRO", 6_000), ("EARWAX", 5_500), ("TOBAC", 2_000)].as_slice()),
        ];
        let own = others.into_iter().flat_map(|(schedule, own)| {
            own.iter().filter(|(code, _)| *code == service.code).map(move |(_, cents)| (schedule, *cents))
        });
        for (schedule, cents) in standard.map(|p| (STANDARD, p.get())).into_iter().chain(own) {
            prices.push(Price {
                id: world.ids.fresh(),
                service_code: service.code.clone(),
                schedule: schedule.into(),
                cents,
                starts_on: from,
                ends_on: None,
                change_id: None,
            });
        }
        services.push(service);
    }
    diesel::insert_into(schema::fee_schedules::table).values(&of_fund).execute(conn).await?;
    diesel::insert_into(schema::services::table).values(&services).execute(conn).await?;
    diesel::insert_into(schema::prices::table).values(&prices).execute(conn).await?;
    Ok(())
}
