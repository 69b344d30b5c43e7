//! The front desk's own setting: the form that is signed once a year, what check-in alerts to, the till of this
//! morning with its copays.

use crate::{World, at, coded};
use anyhow::Result;
use chrono::Duration;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::alerts::{Condition, Kind};
use harbor_core::arrival::forms::SignedAs;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Method;
use harbor_core::money::payments::{For, Mean};
use harbor_store::documents::Doc;
use harbor_store::money::payments::{NewPayment, Part};
use harbor_store::rows::{Form, OwnStage, SignedForm, Visit};
use harbor_store::{Actor, Change, schema};

const AGREEMENT: &str = "I agree to be examined and treated by the clinicians of this clinic.\n\
I know that the clinic bills my insurance for what was done, and that I pay what the insurance leaves to me.\n\
I know that a visit that I do not cancel a day before may be charged.";

pub async fn build(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    signed(world, change).await?;
    alerts(world, change).await?;
    till(world, change).await?;
    own_stages(world, change).await
}

/// What this clinic has between the fixed stages; nobody passes them who is not sent there.
async fn own_stages(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    for (name, after, place) in
        [("Blood draw", "in_room", "lab"), ("Watched after a vaccine", "with_clinician", "waiting")]
    {
        let row = OwnStage {
            id: world.ids.fresh(),
            name: name.into(),
            after_stage: coded(after),
            place: coded(place),
            walked: false,
            sort: 0,
            active: true,
        };
        change.save_own_stage(&row).await?;
    }
    Ok(())
}

/// Everybody signed on paper within the year, but for some whose signature has run out.
async fn signed(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let form = Form {
        id: world.ids.fresh(),
        name: "Agreement to treatment and payment".into(),
        body: AGREEMENT.into(),
        valid_months: Some(12),
        active: true,
        sort: 0,
    };
    change.save_form(&form).await?;
    let mut rows = Vec::new();
    for (n, p) in world.people.iter().enumerate() {
        let ago = if n % 9 == 4 { 400 } else { 30 + (n as i64 * 7) % 300 };
        rows.push(SignedForm {
            id: world.ids.fresh(),
            form_id: form.id,
            person_id: p.id,
            visit_id: None,
            name: form.name.clone(),
            body: form.body.clone(),
            signer: format!("{} {}", p.first_name, p.last_name),
            kind: SignedAs::Paper.into(),
            strokes: Doc::default(),
            at: at(world.day, 9, 0) - Duration::days(ago),
            by: "Casimir Holt".into(),
            paper: None,
        });
    }
    for chunk in rows.chunks(200) {
        diesel::insert_into(schema::signed_forms::table).values(chunk).execute(change.conn()).await?;
    }
    Ok(())
}

async fn alerts(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let rules: [(&str, &[(Kind, &str)]); 3] = [
        ("Self-pay: ask for the payment before the visit.", &[(Kind::SelfPay, "")]),
        ("More than 300.00 is open: offer to pay in parts.", &[(Kind::BalanceOver, "30000")]),
        ("Not seen for a year: book the yearly check-up today.", &[(Kind::NotSeenFor, "12"), (Kind::AgeFrom, "50")]),
    ];
    for (sentence, conditions) in rules {
        let conditions: Vec<Condition> =
            conditions.iter().map(|(kind, value)| Condition { kind: *kind, value: (*value).into() }).collect();
        change.save_rule(world.ids.fresh(), sentence, &conditions, true).await?;
    }
    Ok(())
}

/// Those who have left already paid their copay this morning.
async fn till(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    use schema::visits as v;
    let gone: Vec<Visit> = v::table
        .filter(v::day.eq(world.day).and(v::stage.eq_any(["left", "ready_to_leave"])))
        .order((v::starts_at, v::id))
        .select(Visit::as_select())
        .load(change.conn())
        .await?;
    change.now = at(world.day, 7, 50);
    change.actor = world.actor("junia");
    let site = world.sites[0].id;
    change.count_opening(site, Cents::new(10_000)).await?;
    let methods = [(Method::Card, "approval A000001"), (Method::Cash, ""), (Method::Cheque, "2041")];
    let mut turn = methods.iter().cycle();
    for visit in gone {
        let copay = world.coverages.iter().find(|c| c.person_id == visit.person_id).and_then(|c| c.copay_cents);
        let Some(amount) = copay.map(Cents::new) else { continue };
        let Some((method, reference)) = turn.next() else { continue };
        change.now = visit.starts_at - Duration::minutes(4);
        change.actor = world.actor("junia");
        let part = Part { person: visit.person_id, what: For::Visit(visit.id), amount };
        let new = NewPayment {
            key: world.ids.fresh(),
            person: visit.person_id,
            site,
            means: vec![Mean { method: *method, amount, reference: (*reference).into() }],
            parts: vec![part],
        };
        change.take_payment(&new).await?;
    }
    change.now = crate::opening(world.day);
    change.actor = Actor::system("demo");
    Ok(())
}
