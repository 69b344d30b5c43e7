//! What is always true of the records, whatever was done to them.

use super::Tally;
use anyhow::Result;
use harbor_standins::World as Outside;
use harbor_store::audit::{Verdict, verify};
use harbor_store::consult::signing;
use harbor_store::{Conn, Store};
use uuid::Uuid;

/// What is kept as open, and is not what the entries come to.
pub const OPEN_DIFFERS: &str = "select account from (
             select e.account, t.visit_id, case when t.visit_id is null then t.person_id end as person_id, e.payer_id,
                    e.guarantor_id, sum(e.cents) as cents
             from ledger_entries e join ledger_transactions t on t.id = e.transaction_id
             where e.account in ('payer', 'patient') group by 1, 2, 3, 4, 5
             union all
             select account, visit_id, person_id, payer_id, guarantor_id, -cents from open_debts) both_sides
         group by account, visit_id, person_id, payer_id, guarantor_id having sum(cents) <> 0";

/// What must never be found.
const NEVER: [(&str, &str); 10] = [
    ("a transaction is off", "select transaction_id from ledger_entries group by 1 having sum(cents) <> 0"),
    ("the ledger is off", "select 1 from ledger_entries having sum(cents) <> 0"),
    ("what is open is not what the entries say", OPEN_DIFFERS),
    (
        "somebody is booked in a time that fell out",
        "select v.id from visits v join slots s on s.id = v.slot_id where s.withdrawn and v.stage = 'booked' and not v.rebook",
    ),
    (
        "two have one slot",
        "select slot_id from visits where stage not in ('cancelled', 'did_not_come') and not extra and slot_id is not null
         group by slot_id having count(*) > 1",
    ),
    (
        "merged records make a chain or a ring",
        "select a.id from people a join people b on b.id = a.merged_into where b.merged_into is not null",
    ),
    ("a key was used twice", "select idempotency_key from payments group by 1 having count(*) > 1"),
    (
        "a payment and its entries differ",
        "select p.id from payments p where p.cents <> (select coalesce(sum(e.cents), 0) from ledger_entries e
         join ledger_transactions t on t.id = e.transaction_id where t.payment_id = p.id
         and e.account in ('cash', 'card', 'cheque', 'transfer'))",
    ),
    (
        "a remittance was posted twice",
        "select payer_code, trace from remittances group by 1, 2 having count(*) > 1",
    ),
    (
        "a signed visit has no signature",
        "select v.visit_id from visit_marks v where v.mark = 'signed' and not exists (select from note_signatures n where n.visit_id = v.visit_id)",
    ),
];

async fn found(conn: &mut Conn, sql: &str) -> Result<usize> {
    use diesel_async::RunQueryDsl;
    Ok(diesel::sql_query(sql.to_owned()).execute(conn).await?)
}

/// Holds the records of a database against all of it; `acknowledged` are keys of payments that somebody was told of,
/// and `outside` the stand-ins' own record of what a card was charged.
pub async fn held(url: &str, outside: Option<&Outside>, acknowledged: &[Uuid], part: &str) -> Result<Tally> {
    let mut tally = Tally::of(part);
    let store = Store::open(url, 1).await?;
    let mut conn = store.reader().await?;
    for (what, sql) in NEVER {
        let count = found(&mut conn, sql).await?;
        tally.asked(count == 0, || format!("{part}: {what}, {count} times"));
    }
    let chain = verify(&mut conn).await?;
    tally.asked(matches!(chain, Verdict::Sound { .. }), || format!("{part}: the chain of the record: {chain:?}"));
    let broken = signing::broken_signatures(&mut conn).await?;
    tally.asked(broken.is_empty(), || format!("{part}: {} notes are not as they were signed", broken.len()));
    for key in acknowledged {
        let sql = format!("select 1 from payments where idempotency_key = 'payment:{key}'");
        let count = found(&mut conn, &sql).await?;
        tally.asked(count == 1, || format!("{part}: payment {key} was acknowledged and is there {count} times"));
    }
    if let Some(outside) = outside {
        let charged: Vec<String> =
            outside.lock().approved.keys().filter(|k| k.parse::<Uuid>().is_ok()).cloned().collect();
        for key in charged {
            let sql = format!("select 1 from payments where idempotency_key = 'payment:{key}'");
            let count = found(&mut conn, &sql).await?;
            tally.asked(count == 1, || {
                format!("{part}: the card was charged under {key}, which is posted {count} times")
            });
        }
    }
    Ok(tally)
}
