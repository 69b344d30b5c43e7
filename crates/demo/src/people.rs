//! Some ninety households, and the people whose threads are worth following.

use crate::{World, coded, names};
use anyhow::Result;
use chrono::{DateTime, Datelike, NaiveDate, Utc};
use diesel_async::RunQueryDsl;
use harbor_core::consult::{AllergyKind, KnownList, ProblemState, Source};
use harbor_core::coverage::{Rank, Relationship};
use harbor_core::prescribing::MedicineState;
use harbor_store::people::folded_names;
use harbor_store::rows::{
    Allergy, ConsentAnswer, Coverage, HouseholdTie, ListedProblem, Medicine, NoneKnown, Person, Registration,
};
use harbor_store::{Conn, schema};
use uuid::Uuid;

/// What is said of one person; the rest follows.
struct Sketch<'a> {
    first: &'a str,
    last: &'a str,
    born: NaiveDate,
    sex: &'a str,
    house: usize,
    responsible: Option<Uuid>,
}

fn date(year: i32, month: u32, day: u32) -> NaiveDate {
    NaiveDate::from_ymd_opt(year, month, day).unwrap_or_default()
}

fn add(world: &mut World, s: &Sketch) -> Uuid {
    let n = world.people.len();
    let (town, postal_code) = names::TOWNS[s.house % names::TOWNS.len()];
    let street = names::STREETS[s.house % names::STREETS.len()];
    let adult = world.day.years_since(s.born).is_some_and(|y| y >= 18);
    let at: DateTime<Utc> = crate::at(world.day, 8, 0) - chrono::Duration::days(200 + n as i64);
    let person = Person {
        id: world.ids.fresh(),
        record_number: format!("IH-{}", 10_001 + n),
        first_name: s.first.into(),
        last_name: s.last.into(),
        middle_name: String::new(),
        preferred_name: String::new(),
        former_name: String::new(),
        birth_date: Some(s.born),
        sex: Some(coded(s.sex)),
        phone: Some(format!("20755501{:02}", n % 100)),
        other_phone: None,
        email: (adult && n % 4 != 3).then(|| format!("{}.{n}@example.org", harbor_core::people::fold(s.first))),
        email_declined: !adult || n % 4 == 3,
        address_line: format!("{} {street}", 3 + s.house * 7 % 180),
        address_line2: String::new(),
        city: town.into(),
        state: "ME".into(),
        postal_code: format!("{postal_code}-{:04}", 1000 + s.house),
        language: String::new(),
        responsible_id: s.responsible,
        usual_clinician_id: None,
        chart_alert: String::new(),
        billing_note: String::new(),
        deceased_on: None,
        folded: String::new(),
        patient: true,
        merged_into: None,
        version: 1,
        created_at: at,
    };
    let id = person.id;
    world.people.push(person);
    id
}

fn cover(world: &mut World, person: Uuid, payer: usize, number: &str, holder: Option<Uuid>) {
    let starts_on = date(world.day.year() - 1, 1, 1);
    let row = Coverage {
        id: world.ids.fresh(),
        person_id: person,
        rank: Rank::First.into(),
        payer_id: world.payers[payer].id,
        plan_name: ["PPO", "High deductible", "Public", "Accident at work"][payer].into(),
        subscriber_number: number.into(),
        group_number: if payer < 2 { format!("G{}", 100 + payer) } else { String::new() },
        relationship: if holder.is_some() { Relationship::Child.into() } else { Relationship::SelfHolder.into() },
        holder_id: holder,
        starts_on,
        ends_on: None,
        copay_cents: (payer == 0).then_some(2500),
        version: 1,
    };
    world.coverages.push(row);
}

fn threads(world: &mut World) {
    let year = world.day.year();
    let person = |world: &mut World, first, last, born, sex, house, responsible| {
        add(world, &Sketch { first, last, born, sex, house, responsible })
    };
    let joris = person(world, "Joris", "Achterberg", date(1984, 6, 2), "M", 1, None);
    cover(world, joris, 0, "SM20010", None);
    for (first, born, sex) in
        [("Mees", date(2015, 3, 9), "M"), ("Fenna", date(2018, 8, 21), "F"), ("Teun", date(2022, 1, 30), "M")]
    {
        let child = person(world, first, "Achterberg", born, sex, 1, Some(joris));
        cover(world, child, 0, "SM20010", Some(joris));
    }
    let lucan = person(world, "Lucan", "Ferreira-Holm", date(year - 58, 2, 11), "M", 2, None);
    cover(world, lucan, 0, "SM47110", None);
    let wren = person(world, "Wren", "Takahashi-Doyle", date(year - 34, 5, 1), "F", 3, None);
    cover(world, wren, 0, "SM58200", None);
    let daughter = person(world, "Sunniva", "Brandvold", date(year - 52, 4, 18), "F", 4, None);
    cover(world, daughter, 0, "SM60300", None);
    let ottoline = person(world, "Ottoline", "Brandvold", date(year - 81, 1, 7), "F", 4, Some(daughter));
    cover(world, ottoline, 2, "CC81000", None);
    let emeka = person(world, "Emeka", "Sorrentino", date(year - 46, 10, 3), "M", 5, None);
    cover(world, emeka, 3, "FW46000", None);
    // Two cousins with one name and birth dates whose digits are swapped.
    let one = person(world, "Marisol", "Quintanilla-Reyes", date(1979, 3, 12), "F", 6, None);
    cover(world, one, 0, "SM11500", None);
    let two = person(world, "Marisol", "Quintanilla-Reyes", date(1979, 3, 21), "F", 7, None);
    cover(world, two, 2, "CC11500", None);
    // Coverage that the payer refuses.
    let refused = person(world, "Alasdair", "Winterbourne", date(1990, 9, 14), "M", 8, None);
    cover(world, refused, 0, "SM77092", None);
    for p in &mut world.people {
        match p.first_name.as_str() {
            "Ottoline" => p.chart_alert = "Large type on her papers; her daughter Sunniva comes with her.".into(),
            "Wren" => p.preferred_name = "Wren T.".into(),
            _ => {}
        }
    }
}

fn households(world: &mut World) {
    for house in 10..92 {
        let last = names::LAST[house % names::LAST.len()];
        let age = 24 + world.chance.below(60) as i32;
        let born = |world: &mut World, age: i32| {
            let (month, day) = (1 + world.chance.below(12) as u32, 1 + world.chance.below(28) as u32);
            date(world.day.year() - age, month, day)
        };
        let payer = [0, 0, 1, 2, 0, 1][house % 6];
        let prefix = ["SM", "BS", "CC"][payer];
        // Some subscriber numbers end in digits that make the stand-ins act up.
        let ending = match house % 23 {
            5 => 81,
            9 => 92,
            13 => 84,
            17 => 83,
            _ => 10 + house % 60,
        };
        let number = format!("{prefix}{}{ending:02}", 300 + house);
        let woman_first = world.chance.below(2) == 0;
        let pick = |world: &mut World, woman: bool| {
            if woman { *world.chance.pick(&names::WOMEN) } else { *world.chance.pick(&names::MEN) }
        };
        let first = pick(world, woman_first);
        let birth = born(world, age);
        let holder = add(
            world,
            &Sketch { first, last, born: birth, sex: if woman_first { "F" } else { "M" }, house, responsible: None },
        );
        cover(world, holder, payer, &number, None);
        if house % 3 != 0 && age < 75 {
            let first = pick(world, !woman_first);
            let birth = born(world, age - 2);
            let spouse = add(
                world,
                &Sketch {
                    first,
                    last,
                    born: birth,
                    sex: if woman_first { "M" } else { "F" },
                    house,
                    responsible: None,
                },
            );
            cover(world, spouse, payer, &format!("{number}S"), None);
        }
        if house % 9 == 2 {
            // An old parent in the house, with a policy of their own.
            let woman = house % 2 == 0;
            let (first, years) = (pick(world, woman), 78 + (house % 20) as i32);
            let birth = born(world, years);
            let sex = if woman { "F" } else { "M" };
            let parent = add(world, &Sketch { first, last, born: birth, sex, house, responsible: None });
            cover(world, parent, 2, &format!("CC{}10", 700 + house), None);
        }
        if (24..58).contains(&age) {
            for nth in 0..1 + house % 3 {
                let girl = world.chance.below(2) == 0;
                let first = pick(world, girl);
                let years = (world.chance.below(17) as i32).min(age - 22);
                let birth = born(world, (years - nth as i32).max(0));
                let birth = birth.min(world.day - chrono::Days::new(40));
                let id = add(
                    world,
                    &Sketch {
                        first,
                        last,
                        born: birth,
                        sex: if girl { "F" } else { "M" },
                        house,
                        responsible: Some(holder),
                    },
                );
                cover(world, id, payer, &number, Some(holder));
            }
        }
    }
}

/// Short names that some go by, and names that some had before.
fn other_names(world: &mut World) {
    let first_of_house = world.threads;
    for (n, p) in world.people.iter_mut().enumerate().skip(first_of_house) {
        if let Some((_, short)) = names::SHORT.iter().find(|(long, _)| *long == p.first_name) {
            p.preferred_name = (*short).into();
        }
        if n % 11 == 4 && p.responsible_id.is_none() {
            p.former_name = names::LAST[(n * 7) % names::LAST.len()].into();
        }
    }
}

/// What was agreed to on the day of registration; some changed their mind about text messages later.
fn consents(world: &mut World, p: &Person) -> Vec<ConsentAnswer> {
    let n = world.chance.below(10);
    let mut out = Vec::new();
    let mut say = |world: &mut World, kind: &str, given: bool, at: DateTime<Utc>| {
        let id = world.ids.fresh();
        out.push(ConsentAnswer {
            id,
            person_id: p.id,
            kind: coded(kind),
            given,
            recorded_at: at,
            recorded_by: "Casimir Holt".into(),
        });
    };
    let at = p.created_at;
    say(world, "privacy_notice", true, at);
    say(world, "text", n != 3, at);
    say(world, "voice", n < 6, at);
    say(world, "email", p.email.is_some() && n != 5, at);
    if n == 7 {
        say(world, "text", false, at + chrono::Duration::days(60));
    }
    out
}

fn registration(n: usize, p: &Person) -> Registration {
    let adult = p.responsible_id.is_none();
    let pick = |list: &[&str]| list[n * 7 % list.len()].to_owned();
    Registration {
        person_id: p.id,
        marital_status: adult
            .then(|| coded(&pick(&["married", "single", "partnered", "married", "widowed", "divorced"]))),
        race: Some(coded(&pick(&["declined", "white", "several", "black", "asian", "other"]))),
        ethnicity: Some(coded(&pick(&["not_hispanic", "declined", "hispanic", "not_hispanic"]))),
        occupation: if adult {
            pick(&["teacher", "boat builder", "retired", "cook", "nurse", "driver", "accountant"])
        } else {
            String::new()
        },
        interpreter: n % 29 == 11,
        heard_from: pick(&["a neighbour", "family", "the town's web page", "another doctor"]),
        restricted: n == 40,
        ..Registration::default()
    }
}

/// Those of one responsible party are brothers and sisters, and its children.
fn relations(world: &World) -> Vec<HouseholdTie> {
    let mut out = Vec::new();
    let mut link =
        |a: Uuid, b: Uuid, kind: &str| out.push(HouseholdTie { person_id: a, other_id: b, kind: coded(kind) });
    for p in &world.people {
        let Some(party) = p.responsible_id else { continue };
        let grown = p.birth_date.and_then(|b| world.day.years_since(b)).is_some_and(|y| y >= 18);
        let (here, there) = if grown { ("child", "parent") } else { ("parent", "child") };
        link(p.id, party, here);
        link(party, p.id, there);
        for other in world.people.iter().filter(|o| o.responsible_id == Some(party) && o.id != p.id) {
            link(p.id, other.id, "sibling");
        }
    }
    out
}

async fn charts(world: &mut World, conn: &mut Conn) -> Result<()> {
    let at = crate::at(world.day, 9, 0) - chrono::Duration::days(90);
    let by = "Petra Lindqvist".to_owned();
    let id_of =
        |w: &World, first: &str| w.people.iter().find(|p| p.first_name == first).map(|p| p.id).unwrap_or_default();
    let mut allergies = Vec::new();
    for (first, substance, reaction, severity) in [
        ("Wren", "penicillin", "hives", "moderate"),
        ("Ottoline", "sulfonamide", "rash", "mild"),
        ("Mees", "peanut", "swelling of the lips", "severe"),
    ] {
        allergies.push(Allergy {
            id: world.ids.fresh(),
            person_id: id_of(world, first),
            substance: substance.into(),
            reaction: reaction.into(),
            severity: Some(coded(severity)),
            ended_at: None,
            recorded_at: at,
            recorded_by: by.clone(),
            kind: AllergyKind::Allergy.into(),
            since: String::new(),
            source: Source::Told.into(),
            end_reason: String::new(),
        });
    }
    let mut medicines = Vec::new();
    for (first, name, code, how) in [
        ("Wren", "Propravel 40 mg tablet", "propravel-40", "1 tablet twice a day"),
        ("Lucan", "Lisovane 20 mg tablet", "lisovane-20", "1 tablet in the morning"),
        ("Lucan", "Atorlune 40 mg tablet", "atorlune-40", "1 tablet at bedtime"),
        ("Ottoline", "Warfelin 2.5 mg tablet", "warfelin-2_5", "1 tablet in the evening"),
        ("Ottoline", "Metorill 50 mg tablet", "metorill-50", "1 tablet twice a day"),
        ("Ottoline", "Furolette 40 mg tablet", "furolette-40", "1 tablet in the morning"),
        ("Ottoline", "Levothyra 50 micrograms tablet", "levothyra-0_05", "1 tablet in the morning on an empty stomach"),
        ("Ottoline", "Metfjord 500 mg tablet", "metfjord-500", "1 tablet twice a day with food"),
        ("Ottoline", "Omepraze 20 mg capsule", "omepraze-20", "1 capsule in the morning before meals"),
        ("Ottoline", "Simvarel 20 mg tablet", "simvarel-20", "1 tablet in the evening"),
        ("Ottoline", "Colecalm 25 micrograms capsule", "colecalm-0_025", "1 capsule once a day"),
        ("Ottoline", "Paracalm 500 mg tablet", "paracalm-500", "1 to 2 tablets every 6 hours if needed for pain"),
    ] {
        medicines.push(Medicine {
            id: world.ids.fresh(),
            person_id: id_of(world, first),
            name: name.into(),
            product_code: Some(code.into()),
            state: MedicineState::Taking.into(),
            note: String::new(),
            recorded_at: at,
            recorded_by: by.clone(),
            how: how.into(),
            since: String::new(),
            struck_at: None,
            until: String::new(),
            source: Source::Told.into(),
            reason: String::new(),
            prescription_id: None,
        });
    }
    let mut problems = Vec::new();
    for (first, code, title) in [
        ("Lucan", "E78.5", "Hyperlipidemia, unspecified"),
        ("Lucan", "I10", "Essential (primary) hypertension"),
        ("Lucan", "G47.33", "Obstructive sleep apnea (adult) (pediatric)"),
        ("Lucan", "N18.31", "Chronic kidney disease, stage 3a"),
        ("Wren", "G43.909", "Migraine, unspecified, not intractable, without status migrainosus"),
        ("Ottoline", "I48.91", "Unspecified atrial fibrillation"),
        ("Ottoline", "E11.9", "Type 2 diabetes mellitus without complications"),
        ("Ottoline", "E03.9", "Hypothyroidism, unspecified"),
    ] {
        problems.push(ListedProblem {
            id: world.ids.fresh(),
            person_id: id_of(world, first),
            code: code.into(),
            title: title.into(),
            state: ProblemState::Active.into(),
            recorded_at: at,
            recorded_by: "Dr. Oriane Valcourt".into(),
            since: String::new(),
            visit_id: None,
            struck_at: None,
            weight: None,
            end_reason: String::new(),
        });
    }
    let stated: Vec<NoneKnown> = world
        .people
        .iter()
        .filter(|p| !allergies.iter().any(|a| a.person_id == p.id))
        .filter(|p| p.record_number.ends_with(['0', '2', '4', '6', '8']) || p.first_name == "Lucan")
        .map(|p| NoneKnown { person_id: p.id, list: KnownList::Allergies.into(), stated_at: at, stated_by: by.clone() })
        .collect();
    diesel::insert_into(schema::allergies::table).values(&allergies).execute(conn).await?;
    diesel::insert_into(schema::medicines::table).values(&medicines).execute(conn).await?;
    diesel::insert_into(schema::problems::table).values(&problems).execute(conn).await?;
    diesel::insert_into(schema::none_known::table).values(&stated).execute(conn).await?;
    crate::histories::build(world, conn, at, &by).await?;
    crate::texts::build(world, conn, at, &by).await?;
    Ok(())
}

pub async fn build(world: &mut World, conn: &mut Conn) -> Result<()> {
    threads(world);
    world.threads = world.people.len();
    households(world);
    other_names(world);
    for p in &mut world.people {
        p.folded = folded_names(&p.first_name, &p.middle_name, &p.last_name, &p.preferred_name, &p.former_name);
    }
    for chunk in world.people.chunks(500) {
        diesel::insert_into(schema::people::table).values(chunk).execute(conn).await?;
    }
    diesel::sql_query(format!("select setval('record_numbers', {})", 10_001 + world.people.len()))
        .execute(conn)
        .await?;
    let consents: Vec<ConsentAnswer> = world.people.clone().iter().flat_map(|p| consents(world, p)).collect();
    for chunk in consents.chunks(1000) {
        diesel::insert_into(schema::consents::table).values(chunk).execute(conn).await?;
    }
    let more: Vec<Registration> = world.people.iter().enumerate().map(|(n, p)| registration(n, p)).collect();
    for chunk in more.chunks(500) {
        diesel::insert_into(schema::registrations::table).values(chunk).execute(conn).await?;
    }
    for chunk in relations(world).chunks(1000) {
        diesel::insert_into(schema::relations::table).values(chunk).execute(conn).await?;
    }
    for chunk in world.coverages.chunks(500) {
        diesel::insert_into(schema::coverages::table).values(chunk).execute(conn).await?;
    }
    charts(world, conn).await
}
