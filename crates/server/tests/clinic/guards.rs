//! What the database refuses even to a wrong program, and the chain of the audit.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_store::Store;
use harbor_store::audit::{Verdict, verify};
use serde_json::json;

pub async fn run(url: &str, sql: &str) -> Result<(), String> {
    let (client, connection) = tokio_postgres::connect(url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    client
        .batch_execute(sql)
        .await
        .map_err(|e| e.as_db_error().map_or_else(|| e.to_string(), |d| d.message().to_owned()))
}

#[actix_web::test]
async fn the_database_guards_what_must_never_change() {
    let product = Product::start().await.unwrap();
    let url = &product.database_url;
    for (sql, wanted) in [
        ("update ledger_entries set cents = cents + 1", "append-only"),
        ("delete from ledger_transactions", "append-only"),
        ("truncate ledger_entries", "append-only"),
        ("update audit set detail = 'nothing happened'", "append-only"),
        ("delete from audit", "append-only"),
        ("update note_parts set body = 'x' where visit_id = (select visit_id from note_signatures limit 1)", "signed"),
        (
            "insert into ledger_entries (transaction_id, account, cents) select id, 'cash', 5 from ledger_transactions limit 1",
            "off by",
        ),
        (
            "insert into shifts select gen_random_uuid(), clinician_id, site_id, starts_at, ends_at from shifts limit 1",
            "exclusion",
        ),
        (
            "insert into shift_templates select gen_random_uuid(), clinician_id, site_id, weekday, from_minute + 30, to_minute + 30, 1, begins_on from shift_templates where every_weeks = 1 limit 1",
            "exclusion",
        ),
        ("update shift_templates set to_minute = from_minute", "check"),
        ("update template_runs set minutes = 5 where held_for is null", "takes longer than its slot"),
        ("update template_runs set count = 100", "longer than the shift"),
        ("update template_runs set count = 0", "check"),
        (
            "update contact_confirmations set by = 'x'; insert into contact_confirmations (person_id, at, by) select id, now(), 'x' from people limit 1; update contact_confirmations set by = 'y'",
            "append-only",
        ),
        ("update slots set ends_at = starts_at where id = (select id from slots limit 1)", "slots_check"),
        (
            "update visits set starts_at = starts_at - interval '12 hours', ends_at = ends_at - interval '12 hours' where id = (select id from visits where stage = 'booked' and slot_id is not null and day > '2026-11-24' limit 1)",
            "does not work at this time",
        ),
        (
            "insert into tills (id, site_id, began_at, closed_at, expected, counted, stays_cents) select gen_random_uuid(), id, now(), now(), '{}', '{}', 0 from sites; update tills set reason = 'x'",
            "a closed till is not changed",
        ),
        (
            "insert into tills (id, site_id, began_at, closed_at, expected, counted, stays_cents) select gen_random_uuid(), id, now(), now(), '{}', '{}', 0 from sites; insert into payments (id, kind, person_id, site_id, till_id, cents, at, by, idempotency_key) select gen_random_uuid(), 'payment', p.id, t.site_id, t.id, 5, now(), 'x', 'k' from tills t, people p where t.closed_at is not null limit 1",
            "the till is closed",
        ),
        (
            "insert into payments (id, kind, person_id, site_id, till_id, cents, at, by, idempotency_key) select gen_random_uuid(), 'payment', p.id, t.site_id, t.id, 5, now(), 'x', 'k' from tills t, people p where t.closed_at is null limit 1",
            "its entries disagree",
        ),
        (
            "insert into deposits values (gen_random_uuid(), '2026-11-20', 500, 'x', now(), 'x'); update deposits set cents = 1",
            "append-only",
        ),
        (
            "insert into deposits values (gen_random_uuid(), '2026-11-20', 500, 'x', now(), 'x'); insert into deposit_explanations select gen_random_uuid(), id, null, 501, 'x', now(), 'x' from deposits where cents = 500 limit 1",
            "matched beyond itself",
        ),
        (
            "insert into deposits values (gen_random_uuid(), '2026-11-20', 999999999, 'x', now(), 'x'); insert into deposit_parts select gen_random_uuid(), d.id, r.id, r.amount_cents + 1, now(), 'x' from deposits d, remittances r where r.amount_cents > 0 and d.cents = 999999999 limit 1",
            "a payment is matched beyond itself",
        ),
        (
            "insert into remittances select gen_random_uuid(), payer_name, payer_code, trace, method, 1, paid_on, document_id, '[]', now(), 'x' from remittances limit 1",
            "",
        ),
    ] {
        match run(url, sql).await {
            Err(said) => assert!(said.contains(wanted), "{sql}: {said}"),
            Ok(()) => assert!(wanted.is_empty(), "{sql} went through"),
        }
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_database_books_nothing_that_no_program_may_book() {
    let product = Product::start().await.unwrap();
    let url = &product.database_url;
    // A visit of tomorrow is given back its own time after one thing about it became impossible.
    let again = "update visits set placed_at = placed_at, starts_at = starts_at + interval '1 minute' where id = (select v.id from visits v where v.stage = 'booked' and v.slot_id is not null and v.day > '2026-11-23' order by v.starts_at, v.id limit 1)";
    let one = "(select v.slot_id from visits v where v.stage = 'booked' and v.slot_id is not null and v.day > '2026-11-23' order by v.starts_at, v.id limit 1)";
    let person = "(select v.person_id from visits v where v.stage = 'booked' and v.slot_id is not null and v.day > '2026-11-23' order by v.starts_at, v.id limit 1)";
    for (before, wanted) in [
        (format!("update people set deceased_on = '2026-11-20' where id = {person}"), "has died"),
        (format!("update visits set placed_at = ends_at where slot_id = {one}"), "has passed"),
        (format!("update slots set held_for = 'meeting' where id = {one}"), "is held"),
        (format!("update shifts set cancelled_at = now() where id = (select shift_id from slots where id = {one})"), "does not work"),
        ("update visit_types set release_days = 0; update visits set placed_at = '2026-11-01' where stage = 'booked'".into(), "not open for booking yet"),
    ] {
        let said = run(url, &format!("begin; {before}; {again}; rollback;")).await.unwrap_err();
        assert!(said.contains(wanted), "{before}: {said}");
        run(url, "rollback").await.ok();
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_changed_audit_row_is_found() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Brandvold").await);
    desk.post(&format!("/api/people/{person}/consents"), json!({ "kind": "privacy_notice", "given": true })).await.ok();
    let store = Store::open(&product.database_url, 1).await.unwrap();
    let sound = verify(&mut store.reader().await.unwrap()).await.unwrap();
    let Verdict::Sound { rows, .. } = sound else { panic!("{sound:?}") };
    assert!(rows > 100);
    // Somebody with the keys to the database switches the guard off and rewrites history.
    run(&product.database_url, "alter table audit disable trigger all; update audit set detail = 'other' where seq = 7; alter table audit enable trigger all").await.unwrap();
    let found = verify(&mut store.reader().await.unwrap()).await.unwrap();
    assert_eq!(found, Verdict::Broken { seq: 7, why: "its content was changed" });
    run(
        &product.database_url,
        "alter table audit disable trigger all; delete from audit where seq = 3; alter table audit enable trigger all",
    )
    .await
    .unwrap();
    let found = verify(&mut store.reader().await.unwrap()).await.unwrap();
    assert_eq!(found, Verdict::Broken { seq: 4, why: "a row before it is missing" });
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_whole_ledger_of_the_demo_sums_to_zero() {
    let product = Product::start().await.unwrap();
    let sql = "do $$ begin
        if (select sum(cents) from ledger_entries) <> 0 then raise exception 'ledger is off'; end if;
        if exists (select 1 from ledger_entries group by transaction_id having sum(cents) <> 0) then raise exception 'a transaction is off'; end if;
        if (select count(*) from ledger_entries) < 1000 then raise exception 'the ledger is too small to prove anything'; end if;
    end $$";
    run(&product.database_url, sql).await.unwrap();
    product.stop().await.unwrap();
}
