//! What was prescribed in the past months and how far it has come: dispensed, in part, run out, asked to be renewed.

use crate::{World, at};
use anyhow::{Context, Result};
use chrono::Duration;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::prescribing::{Dosage, DoseUnit, PrescriptionState};
use harbor_formats::csv_tables::medicines::shipped;
use harbor_store::documents::Doc;
use harbor_store::rows::{Dispense, Prescription, PrescriptionHead, RenewalRequest};
use harbor_store::{Conn, schema};
use uuid::Uuid;

/// Who prescribed them all.
const PRESCRIBER: &str = "maelis";

struct Past {
    whose: (&'static str, &'static str),
    code: &'static str,
    words: &'static str,
    refills: i32,
    diagnosis: &'static str,
    days_ago: i64,
    /// Of what was prescribed, so much was handed out the next day; nothing is known of one without.
    handed_out: Option<f64>,
}

const PAST: [Past; 4] = [
    Past {
        whose: ("Brandvold", "Ottoline"),
        code: "metorill-50",
        words: "Take 1 tablet by mouth twice a day for 90 days.",
        refills: 0,
        diagnosis: "I48.91",
        days_ago: 84,
        handed_out: Some(1.0),
    },
    Past {
        whose: ("Brandvold", "Ottoline"),
        code: "furolette-40",
        words: "Take 1 tablet by mouth in the morning for 90 days.",
        refills: 1,
        diagnosis: "I48.91",
        days_ago: 20,
        handed_out: Some(0.5),
    },
    Past {
        whose: ("Ferreira-Holm", "Lucan"),
        code: "atorlune-40",
        words: "Take 1 tablet by mouth at bedtime for 90 days.",
        refills: 3,
        diagnosis: "E78.5",
        days_ago: 200,
        handed_out: Some(1.0),
    },
    Past {
        whose: ("Sorrentino", "Emeka"),
        code: "ibudrift-400",
        words: "Take 1 tablet by mouth three times a day with food for 7 days.",
        refills: 0,
        diagnosis: "M54.50",
        days_ago: 40,
        handed_out: Some(1.0),
    },
];

pub async fn build(world: &mut World, conn: &mut Conn) -> Result<()> {
    let rules = shipped().map_err(|e| anyhow::anyhow!("{e}"))?;
    let pharmacy: Uuid =
        schema::pharmacies::table.order(schema::pharmacies::name).select(schema::pharmacies::id).first(conn).await?;
    for past in &PAST {
        let person = world.person(past.whose.0, past.whose.1).id;
        let product = rules.product(past.code).with_context(|| format!("{} is a product", past.code))?;
        let dosage = Dosage::read(past.words).with_context(|| format!("“{}” is a dosage", past.words))?;
        let signed_at = at(world.day, 11, 0) - Duration::days(past.days_ago);
        let prescriber = world.staff(PRESCRIBER).clone();
        let head = PrescriptionHead {
            id: world.ids.fresh(),
            person_id: person,
            prescriber_id: prescriber.id,
            prescriber_name: prescriber.name.clone(),
            npi: prescriber.npi.clone().unwrap_or_default(),
            dea: String::new(),
            signed_at,
        };
        let (dose, per_day) = dosage.at_most();
        let count = |n: u32| i32::try_from(n).unwrap_or(0);
        let state = match past.handed_out {
            Some(share) if share < 1.0 => PrescriptionState::PartlyDispensed,
            Some(_) => PrescriptionState::Dispensed,
            None => PrescriptionState::Sent,
        };
        let row = Prescription {
            id: world.ids.fresh(),
            visit_id: None,
            person_id: person,
            product_code: past.code.into(),
            medicine: product.name(),
            dose,
            per_day,
            days: count(dosage.days()),
            quantity: count(dosage.quantity()),
            refills: past.refills,
            instructions: past.words.into(),
            diagnosis: Some(past.diagnosis.into()),
            pharmacy_id: Some(pharmacy),
            state: state.into(),
            warnings: Doc(vec![]),
            prescribed_at: signed_at,
            prescribed_by: prescriber.name,
            prescriber_id: prescriber.id,
            sent_at: Some(signed_at),
            sent_document_id: None,
            head_id: Some(head.id),
            dosage: past.words.into(),
            unit: DoseUnit::of(&product.form, &product.strength).into(),
            substitution: true,
            note: String::new(),
            overrides: Doc(vec![]),
            replaces_id: None,
            renews_id: None,
            route: product.route.clone(),
        };
        diesel::insert_into(schema::prescription_heads::table).values(&head).execute(conn).await?;
        diesel::insert_into(schema::prescriptions::table).values(&row).execute(conn).await?;
        if let Some(share) = past.handed_out {
            let dispense = Dispense {
                id: world.ids.fresh(),
                prescription_id: row.id,
                reference: format!("DEMO-{}", past.code),
                dispensed_on: world.day - Duration::days(past.days_ago - 1),
                quantity: (f64::from(row.quantity) * share).ceil(),
                days: Some((f64::from(row.days) * share).ceil() as i32),
                in_part: share < 1.0,
                document_id: None,
            };
            diesel::insert_into(schema::dispenses::table).values(&dispense).execute(conn).await?;
        }
        use schema::medicines as m;
        diesel::update(m::table.filter(m::person_id.eq(person).and(m::product_code.eq(past.code))))
            .set((m::prescription_id.eq(row.id), m::how.eq(past.words)))
            .execute(conn)
            .await?;
        if past.code == "metorill-50" {
            let asked = RenewalRequest {
                id: world.ids.fresh(),
                prescription_id: row.id,
                reference: "DEMO-RENEWAL".into(),
                asked_at: at(world.day, 8, 12),
                note: "A week is left.".into(),
                document_id: None,
                answer: None,
                answered_at: None,
                answered_by: String::new(),
                reason: String::new(),
                new_id: None,
                told_at: None,
            };
            diesel::insert_into(schema::renewal_requests::table).values(&asked).execute(conn).await?;
        }
    }
    Ok(())
}
