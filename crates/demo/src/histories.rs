//! What was told of the past and life of the demo's people.

use crate::World;
use anyhow::Result;
use chrono::{DateTime, Utc};
use diesel_async::RunQueryDsl;
use harbor_store::documents::{Doc, HistoryDetail};
use harbor_store::rows::History;
use harbor_store::{Conn, schema};

fn family(relative: &str, condition: &str, age: Option<u32>, died: bool) -> HistoryDetail {
    HistoryDetail::Family { relative: relative.into(), condition: condition.into(), age, died, born: None, code: None }
}

fn social(topic: &str, said: &str, amount: &str) -> HistoryDetail {
    HistoryDetail::Social { topic: topic.into(), said: said.into(), amount: amount.into() }
}

fn told() -> Vec<(&'static str, HistoryDetail)> {
    let operation = |what: &str, when: &str| HistoryDetail::Surgical { what: what.into(), when: when.into() };
    let stay = |what: &str, when: &str| HistoryDetail::Hospital { what: what.into(), when: when.into() };
    let vaccine = |what: &str, when: &str| HistoryDetail::Immunisation {
        what: what.into(),
        when: when.into(),
        given: false,
        product: String::new(),
        lot: String::new(),
        site: String::new(),
        dose: None,
    };
    vec![
        ("Lucan", family("father", "heart attack", Some(54), false)),
        ("Lucan", family("mother", "diabetes", None, false)),
        ("Lucan", social("tobacco", "has stopped smoking", "20 pack-years")),
        ("Lucan", social("alcohol", "drinks alcohol", "4/week")),
        ("Lucan", operation("knee arthroscopy", "2016")),
        ("Wren", family("mother", "migraine", None, false)),
        ("Wren", social("tobacco", "has never smoked", "")),
        ("Wren", vaccine("Tdap", "2021")),
        ("Ottoline", family("father", "stroke", Some(70), true)),
        ("Ottoline", social("living", "lives alone", "")),
        ("Ottoline", operation("cholecystectomy", "1998")),
        ("Ottoline", stay("pneumonia", "2023-02")),
        ("Ottoline", vaccine("influenza vaccine", "2025-10")),
    ]
}

pub async fn build(world: &mut World, conn: &mut Conn, at: DateTime<Utc>, by: &str) -> Result<()> {
    let mut rows = Vec::new();
    for (first, detail) in told() {
        let Some(person_id) = world.people.iter().find(|p| p.first_name == first).map(|p| p.id) else { continue };
        let id = world.ids.fresh();
        rows.push(History {
            id,
            entry_id: id,
            version: 1,
            person_id,
            visit_id: None,
            kind: detail.kind().into(),
            detail: Doc(detail),
            ended: None,
            recorded_at: at,
            recorded_by: by.to_owned(),
        });
    }
    diesel::insert_into(schema::histories::table).values(&rows).execute(conn).await?;
    Ok(())
}
