//! Payments of patients: taken, taken back, given back, kept as credit; each in the till of its site.

use crate::money::accounts;
use crate::money::ledger::{About, balance};
use crate::rows::{Payment, PaymentMean, Till};
use crate::schema::{ledger_entries, ledger_transactions, payment_means, payments, people};
use crate::{Change, Conn, Result, StoreError, Topic, codes};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::collect::overpaid;
use harbor_core::money::ledger::{Account, Entry, LedgerRefusal, Method, PaymentKind, Posting, Transaction};
use harbor_core::money::payments::{For, Mean};
use harbor_core::money::{Cents, payments as rules};
use uuid::Uuid;

/// A part of a payment: whose, for what, how much.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Part {
    pub person: Uuid,
    pub what: For<Uuid>,
    pub amount: Cents,
}

/// A payment about to be taken.
#[derive(Debug, Clone)]
pub struct NewPayment {
    /// The same key is taken once.
    pub key: Uuid,
    pub person: Uuid,
    pub site: Uuid,
    pub means: Vec<Mean>,
    pub parts: Vec<Part>,
}

/// What became of giving money back.
#[derive(Debug, Clone)]
pub struct Given {
    pub payment: Payment,
    /// The reference of the card charge that it goes back on.
    pub to_card: Option<String>,
    /// It was given back before, under the same key.
    pub again: bool,
}

impl NewPayment {
    /// In cents.
    pub fn total(&self) -> i64 {
        self.means.iter().map(|m| m.amount).sum::<Cents>().get()
    }
}

fn refuse(r: LedgerRefusal) -> StoreError {
    StoreError::refused("payment", r.to_string())
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Payment> {
    let found = payments::table.find(id).select(Payment::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("payment"))
}

pub async fn by_key(conn: &mut Conn, key: &str) -> Result<Option<Payment>> {
    let found = payments::table.filter(payments::idempotency_key.eq(key)).select(Payment::as_select());
    Ok(found.first(conn).await.optional()?)
}

/// The means of payments, in the order in which they were given.
pub async fn means_of(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<PaymentMean>> {
    use payment_means as m;
    let found = m::table.filter(m::payment_id.eq_any(ids)).order(m::id).select(PaymentMean::as_select());
    Ok(found.load(conn).await?)
}

/// What a person paid and was given back, the newest first, with what was taken back of it.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Payment>> {
    let who = accounts::records_of(conn, &[person]).await?;
    let ids: Vec<Uuid> = who.into_iter().map(|(record, _)| record).collect();
    let found =
        payments::table.filter(payments::person_id.eq_any(ids)).order((payments::at.desc(), payments::id.desc()));
    Ok(found.limit(200).select(Payment::as_select()).load(conn).await?)
}

/// The payments among these that were taken back, with what took them back.
pub async fn voids_of(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Payment>> {
    Ok(payments::table.filter(payments::of_payment.eq_any(ids)).select(Payment::as_select()).load(conn).await?)
}

/// A part as it was posted: the transaction's visit and person, and what the patient's side got.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PostedPart {
    pub payment: Uuid,
    pub transaction: Uuid,
    pub visit: Option<Uuid>,
    pub person: Option<Uuid>,
    pub credit: bool,
    pub cents: i64,
}

/// For what payments were.
pub async fn parts_of(conn: &mut Conn, payments: &[Uuid]) -> Result<Vec<PostedPart>> {
    use {ledger_entries as e, ledger_transactions as t};
    type Row = (Option<Uuid>, Uuid, Option<Uuid>, Option<Uuid>, codes::Account, i64);
    let rows: Vec<Row> = t::table
        .inner_join(e::table.on(e::transaction_id.eq(t::id)))
        .filter(t::payment_id.eq_any(payments))
        .filter(e::account.eq_any([Account::Patient.code(), Account::Unapplied.code()]))
        .order(e::id)
        .select((t::payment_id, t::id, t::visit_id, t::person_id, e::account, e::cents))
        .load(conn)
        .await?;
    let mut out: Vec<PostedPart> = Vec::new();
    for (payment, transaction, visit, person, account, cents) in rows {
        let Some(payment) = payment else { continue };
        match out.last_mut().filter(|p| p.transaction == transaction) {
            Some(part) => part.cents -= cents,
            None => {
                let credit = account == Account::Unapplied;
                out.push(PostedPart { payment, transaction, visit, person, credit, cents: -cents });
            }
        }
    }
    Ok(out)
}

/// A payment of before with a cheque of this number, when there is one that was not taken back.
pub async fn cheque_before(conn: &mut Conn, number: &str) -> Result<Option<Payment>> {
    use payment_means as m;
    let took_back = diesel::alias!(payments as took_back);
    let gone = took_back.filter(took_back.field(payments::of_payment).eq(payments::id.nullable()));
    Ok(payments::table
        .inner_join(m::table.on(m::payment_id.eq(payments::id)))
        .filter(m::method.eq("cheque").and(m::reference.eq(number)).and(payments::kind.eq("payment")))
        .filter(diesel::dsl::not(diesel::dsl::exists(gone)))
        .order(payments::at.desc())
        .select(Payment::as_select())
        .first(conn)
        .await
        .optional()?)
}

impl Change<'_> {
    /// Keeps others from touching what these people own until the change ends. Always the first lock of money,
    /// before visits and tills, so that two who pay do not wait for each other.
    async fn hold_accounts(&mut self, persons: impl IntoIterator<Item = Uuid>) -> Result<()> {
        let mut ids: Vec<Uuid> = persons.into_iter().collect();
        ids.sort();
        ids.dedup();
        let rows = people::table.filter(people::id.eq_any(ids)).order(people::id).for_update().select(people::id);
        rows.load::<Uuid>(self.conn()).await?;
        Ok(())
    }

    async fn insert_payment(&mut self, row: &Payment, means: &[Mean], sign: i64) -> Result<()> {
        use payment_means as m;
        diesel::insert_into(payments::table).values(row).execute(self.conn()).await?;
        let rows: Vec<_> = means
            .iter()
            .map(|x| {
                (
                    m::payment_id.eq(row.id),
                    m::method.eq(x.method.code()),
                    m::cents.eq(sign * x.amount.get()),
                    m::reference.eq(x.reference.trim().to_owned()),
                )
            })
            .collect();
        diesel::insert_into(m::table).values(rows).execute(self.conn()).await?;
        self.tell(Topic::Till, row.till_id);
        Ok(())
    }

    async fn payment_row(
        &mut self,
        kind: PaymentKind,
        person: Uuid,
        till: &Till,
        amount: Cents,
        key: String,
        reason: &str,
    ) -> Result<Payment> {
        let number = crate::people::next(self.conn(), "receipt_numbers").await?;
        Ok(Payment {
            id: Uuid::now_v7(),
            number,
            kind: kind.into(),
            of_payment: None,
            card_of: None,
            person_id: person,
            site_id: till.site_id,
            till_id: till.id,
            cents: amount.get(),
            at: self.now,
            by: self.actor.name.clone(),
            reason: reason.to_owned(),
            idempotency_key: key,
        })
    }

    /// Waits for whoever uses the same key. Who comes second gets the first's answer, or is refused when theirs is
    /// another payment: other money, another person, another means.
    async fn under_key(&mut self, key: &str, person: Uuid, cents: i64, means: &[Mean]) -> Result<Option<Payment>> {
        diesel::sql_query("select pg_advisory_xact_lock(7401, hashtext($1))")
            .bind::<diesel::sql_types::Text, _>(key)
            .execute(self.conn())
            .await?;
        let Some(before) = by_key(self.conn(), key).await? else { return Ok(None) };
        let sum =
            |m: Method, all: &[(Method, i64)]| -> i64 { all.iter().filter(|(n, _)| *n == m).map(|(_, c)| c).sum() };
        let had: Vec<(Method, i64)> =
            means_of(self.conn(), &[before.id]).await?.into_iter().map(|m| (*m.method, m.cents.abs())).collect();
        let has: Vec<(Method, i64)> = means.iter().map(|m| (m.method, m.amount.get().abs())).collect();
        let same_means = Method::ALL.iter().all(|m| sum(*m, &had) == sum(*m, &has));
        if before.person_id == person && before.cents == cents && same_means {
            return Ok(Some(before));
        }
        let said = format!("This was done already, as {}. Begin another one.", Cents::new(before.cents));
        Err(StoreError::refused("key", said))
    }

    /// The payment that this one repeats, if it does.
    pub async fn repeats(&mut self, new: &NewPayment) -> Result<Option<Payment>> {
        self.under_key(&format!("payment:{}", new.key), new.person, new.total(), &new.means).await
    }

    /// Takes a payment: one transaction for each visit that it pays, all or none. A repeated one is the first.
    pub async fn take_payment(&mut self, new: &NewPayment) -> Result<Payment> {
        if let Some(before) = self.repeats(new).await? {
            self.audit("asked again for", "payment", before.id, Some(new.person), "");
            return Ok(before);
        }
        let wanted: Vec<(For<Uuid>, Cents)> = new.parts.iter().map(|p| (p.what, p.amount)).collect();
        let made = rules::lay_out(&new.means, &wanted).map_err(refuse)?;
        let total = rules::total(&new.means).map_err(refuse)?;
        self.hold_accounts(new.parts.iter().map(|p| p.person).chain([new.person])).await?;
        let till = self.open_till(new.site).await?;
        let row = self
            .payment_row(PaymentKind::Payment, new.person, &till, total, format!("payment:{}", new.key), "")
            .await?;
        self.insert_payment(&row, &new.means, 1).await?;
        let paid: Vec<&Part> = new.parts.iter().filter(|p| p.amount.is_positive()).collect();
        for (n, ((_, transaction), part)) in made.iter().zip(paid).enumerate() {
            let visit = if let For::Visit(visit) = part.what { Some(visit) } else { None };
            let about = About {
                visit,
                person: Some(part.person),
                payment: Some(row.id),
                ..About::new(Posting::Payment, format!("payment:{}:{n}", new.key), memo(transaction))
            };
            self.post(&about, transaction).await?;
        }
        self.audit("took", "payment", row.id, Some(new.person), total.to_string());
        Ok(row)
    }

    /// Takes a payment back that was a slip; it lands in the till that is open now.
    pub async fn void_payment(&mut self, id: Uuid, reason: &str) -> Result<Payment> {
        let first = get(self.conn(), id).await?;
        if first.kind != PaymentKind::Payment {
            return Err(StoreError::refused("payment", "Only a payment can be taken back."));
        }
        self.hold_accounts([first.person_id]).await?;
        if !voids_of(self.conn(), &[id]).await?.is_empty() {
            return Err(StoreError::refused("payment", "This payment is taken back already."));
        }
        let part: i64 = payments::table.filter(payments::card_of.eq(id)).count().get_result(self.conn()).await?;
        if part > 0 {
            let said = "Part of it went back on the card already; give the rest back the same way.";
            return Err(StoreError::refused("payment", said));
        }
        let means: Vec<Mean> = means_of(self.conn(), &[id]).await?.iter().map(PaymentMean::in_core).collect();
        let till = self.open_till(first.site_id).await?;
        let amount = Cents::new(-first.cents);
        let mut row =
            self.payment_row(PaymentKind::Void, first.person_id, &till, amount, format!("void:{id}"), reason).await?;
        row.of_payment = Some(id);
        self.insert_payment(&row, &means, -1).await?;
        for (t, entries) in crate::money::ledger::of_payment(self.conn(), id).await? {
            // Credit that was used meanwhile cannot be taken back from under the visit that it paid.
            let credit: Cents = entries.iter().filter(|e| e.account == Account::Unapplied).map(|e| -e.amount).sum();
            if let Some(person) = t.person_id.filter(|_| credit.is_positive()) {
                let held = accounts::of_person(self.conn(), person).await?.credit();
                if credit > held {
                    let said = "The credit of this payment is used already; take that back first.";
                    return Err(StoreError::refused("payment", said));
                }
            }
            let about = About {
                visit: t.visit_id,
                person: t.person_id,
                payment: Some(row.id),
                ..About::new(Posting::Void, format!("void:{}", t.id), reason.to_owned())
            };
            let back = Transaction::new(entries).map_err(refuse)?.reversed(&format!("taken back: {reason}"));
            self.post(&about, &back).await?;
        }
        self.audit("took back", "payment", id, Some(first.person_id), reason);
        Ok(row)
    }

    /// Gives money back, from a person's credit or from what was overpaid for a visit.
    pub async fn give_back(
        &mut self,
        (key, reason): (Uuid, &str),
        (person, site): (Uuid, Uuid),
        from: For<Uuid>,
        mean: &Mean,
    ) -> Result<Given> {
        let means = std::slice::from_ref(mean);
        let id = format!("refund:{key}");
        if let Some(before) = self.under_key(&id, person, (-mean.amount).get(), means).await? {
            self.audit("asked again for", "payment", before.id, Some(person), "");
            return Ok(Given { payment: before, to_card: None, again: true });
        }
        self.hold_accounts([person]).await?;
        let (held, visit) = self.held(person, from).await?;
        let transaction = rules::refund(mean, &from, held).map_err(refuse)?;
        let paid_by = match mean.method {
            Method::Card => Some(self.card_to_put_back_on(person, mean.amount).await?),
            _ => None,
        };
        let till = self.open_till(site).await?;
        let mut row = self.payment_row(PaymentKind::Refund, person, &till, -mean.amount, id, reason).await?;
        row.card_of = paid_by.as_ref().map(|p| p.id);
        self.insert_payment(&row, std::slice::from_ref(mean), -1).await?;
        let about = About {
            visit,
            person: Some(person),
            payment: Some(row.id),
            ..About::new(Posting::Refund, format!("refund:{key}"), reason.to_owned())
        };
        self.post(&about, &transaction).await?;
        self.audit("gave back", "payment", row.id, Some(person), format!("{}: {reason}", mean.amount));
        // The terminal knows the charge by the key of its payment.
        let to_card = paid_by.and_then(|p| p.idempotency_key.strip_prefix("payment:").map(str::to_owned));
        Ok(Given { payment: row, to_card, again: false })
    }

    /// The payment whose card an amount goes back on: the latest that came by card and of which so much is left.
    /// Money goes back on a card only as it came from it.
    async fn card_to_put_back_on(&mut self, person: Uuid, amount: Cents) -> Result<Payment> {
        let mut most = Cents::ZERO;
        for row in of_person(self.conn(), person).await?.into_iter().filter(|p| p.kind == PaymentKind::Payment) {
            if !voids_of(self.conn(), &[row.id]).await?.is_empty() {
                continue;
            }
            let by_card = |means: Vec<PaymentMean>| -> i64 {
                means.iter().filter(|m| m.method == Method::Card).map(|m| m.cents).sum()
            };
            let came = by_card(means_of(self.conn(), &[row.id]).await?);
            let back: Vec<Uuid> =
                payments::table.filter(payments::card_of.eq(row.id)).select(payments::id).load(self.conn()).await?;
            let left = Cents::new(came + by_card(means_of(self.conn(), &back).await?));
            if left >= amount {
                return Ok(row);
            }
            most = most.max(left);
        }
        let said = if most.is_positive() {
            format!("At most {most} of one payment came by card; give the rest back by another means.")
        } else {
            "Nothing of theirs was paid by card, so nothing can go back on one. Choose another means.".into()
        };
        Err(StoreError::refused("refund", said))
    }

    /// What the clinic holds too much of, for a refund.
    async fn held(&mut self, person: Uuid, from: For<Uuid>) -> Result<(Cents, Option<Uuid>)> {
        let account = accounts::of_person(self.conn(), person).await?;
        match from {
            For::Credit => Ok((account.credit(), None)),
            For::CarriedOver => Ok((-account.carried(), None)),
            For::Visit(visit) => {
                let row = self.lock_visit(visit).await?;
                if row.person_id != person {
                    return Err(StoreError::NotFound("visit"));
                }
                Ok((overpaid(row.stage(), &balance(self.conn(), visit).await?), Some(visit)))
            }
        }
    }

    /// Whether credit was used or kept under this key already, for the same person and visit.
    async fn credit_repeats(&mut self, key: Uuid, owner: Uuid, visit: Uuid) -> Result<bool> {
        let key = format!("credit:{key}");
        diesel::sql_query("select pg_advisory_xact_lock(7401, hashtext($1))")
            .bind::<diesel::sql_types::Text, _>(&key)
            .execute(self.conn())
            .await?;
        use ledger_transactions as t;
        let before: Option<(Option<Uuid>, Option<Uuid>)> = t::table
            .filter(t::idempotency_key.eq(&key))
            .select((t::person_id, t::visit_id))
            .first(self.conn())
            .await
            .optional()?;
        match before {
            None => Ok(false),
            Some(same) if same == (Some(owner), Some(visit)) => {
                self.audit("asked again for", "credit", visit, Some(owner), "");
                Ok(true)
            }
            Some(_) => Err(StoreError::refused("key", "This key was used for another credit. Begin again.")),
        }
    }

    /// Uses a person's credit for a visit, their own or one of the household's.
    /// Without an amount as much as fits.
    pub async fn use_credit(&mut self, key: Uuid, owner: Uuid, visit: Uuid, amount: Option<Cents>) -> Result<()> {
        if self.credit_repeats(key, owner, visit).await? {
            return Ok(());
        }
        self.hold_accounts([owner]).await?;
        self.lock_visit(visit).await?;
        let credit = accounts::of_person(self.conn(), owner).await?.credit();
        let owed = balance(self.conn(), visit).await?.patient_owes;
        let transaction = rules::use_credit(amount.unwrap_or(credit.min(owed)), credit, owed).map_err(refuse)?;
        let about = About {
            visit: Some(visit), // Whose credit it was.
            person: Some(owner),
            ..About::new(Posting::Credit, format!("credit:{key}"), "credit used")
        };
        self.post(&about, &transaction).await?;
        Ok(())
    }

    /// Keeps as credit what was paid too much for a visit.
    pub async fn keep_as_credit(&mut self, key: Uuid, visit: Uuid) -> Result<()> {
        let row = crate::visit_line::visits::get(self.conn(), visit).await?;
        if self.credit_repeats(key, row.person_id, visit).await? {
            return Ok(());
        }
        self.hold_accounts([row.person_id]).await?;
        let row = self.lock_visit(visit).await?;
        let held = overpaid(row.stage(), &balance(self.conn(), visit).await?);
        let transaction = rules::keep_as_credit(held).map_err(refuse)?;
        let about = About {
            visit: Some(visit),
            person: Some(row.person_id),
            ..About::new(Posting::Credit, format!("credit:{key}"), "kept as credit")
        };
        self.post(&about, &transaction).await?;
        Ok(())
    }
}

fn memo(transaction: &Transaction) -> String {
    let mut words: Vec<&str> = Vec::new();
    for Entry { memo, .. } in transaction.entries() {
        if !words.contains(&memo.as_str()) {
            words.push(memo);
        }
    }
    words.join(", ")
}
