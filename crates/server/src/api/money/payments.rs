//! Taking payments, for a whole household at once, and their receipts.

use super::accounts::{dues_of, words_of};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::terminal;
use crate::terminal::Said;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::fields::Faults;
use harbor_core::money::Cents;
use harbor_core::money::collect::propose;
use harbor_core::money::ledger::{CardState, LedgerRefusal, Method};
use harbor_core::money::payments::{For, Mean, total};
use harbor_store::money::payments::{NewPayment, Part, PostedPart};
use harbor_store::money::{accounts, payments as store, terminal as requests};
use harbor_store::rows::{CardRequest, Payment, PaymentMean};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, codes, people};
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct MeanForm {
    pub method: String,
    pub amount: String,
    #[serde(default)]
    pub reference: String,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShareForm {
    person_id: Uuid,
    visit_id: Option<Uuid>,
    /// visit, carried_over or credit.
    what: String,
    amount: String,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PaymentForm {
    /// Who pays.
    person_id: Uuid,
    site_id: Uuid,
    means: Vec<MeanForm>,
    /// How it is shared out; left out, today's copays come first and then the oldest balance.
    parts: Option<Vec<ShareForm>>,
    /// Made by the screen for this payment: sent twice, it pays once.
    key: Uuid,
    /// This cheque number was taken before, and that is right.
    #[serde(default)]
    cheque_again: bool,
    /// It is more than is owed, and that is right: the rest is kept as credit.
    #[serde(default)]
    more_than_owed: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReceiptPart {
    pub name: String,
    pub words: String,
    pub cents: i64,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Receipt {
    pub number: Uuid,
    /// As it is said and printed: R-10001.
    pub receipt_number: String,
    pub kind: codes::PaymentKind,
    pub at: DateTime<Utc>,
    pub by: String,
    pub cents: i64,
    pub means: Vec<PaymentMean>,
    pub parts: Vec<ReceiptPart>,
    pub payer: String,
    pub clinic: String,
    /// What all those it was for still owed together then.
    pub left_cents: i64,
    pub reason: String,
    /// Why it was taken back, when it was.
    pub taken_back: Option<String>,
}

pub fn read_means(forms: &[MeanForm], faults: &mut Faults) -> Vec<Mean> {
    let mut means = Vec::new();
    for (n, form) in forms.iter().enumerate() {
        let at = |field: &str| if n == 0 { field.to_owned() } else { format!("{field}{n}") };
        let amount = Cents::parse(&form.amount).map_err(|e| faults.add(&at("amount"), e.to_string())).ok();
        let method = Method::from_code(&form.method);
        if method.is_none() {
            faults.add(&at("method"), "Choose cash, card, cheque or transfer.");
        }
        let reference = faults.optional_line(&at("reference"), "Reference", &form.reference, 40);
        if let (Some(amount), Some(method)) = (amount, method) {
            let mean = Mean { method, amount, reference };
            if let Err(refusal) = mean.checked() {
                let field = if refusal == LedgerRefusal::ChequeNumber { "reference" } else { "amount" };
                faults.add(&at(field), refusal.to_string());
            }
            means.push(mean);
        }
    }
    means
}

fn read_parts(forms: &[ShareForm], faults: &mut Faults) -> Vec<Part> {
    let mut parts = Vec::new();
    for form in forms {
        let what = match (form.what.as_str(), form.visit_id) {
            ("visit", Some(visit)) => For::Visit(visit),
            ("carried_over", None) => For::CarriedOver,
            ("credit", None) => For::Credit,
            _ => {
                faults.add("parts", "Say for what each part is.");
                continue;
            }
        };
        let typed = if form.amount.trim().is_empty() { Ok(Cents::ZERO) } else { Cents::parse(&form.amount) };
        match typed {
            Ok(amount) if !amount.is_negative() => parts.push(Part { person: form.person_id, what, amount }),
            Ok(_) => faults.add("parts", "A part cannot be less than zero."),
            Err(e) => faults.add("parts", e.to_string()),
        }
    }
    parts
}

/// Parts as the core proposes them: in the order of what is due, the rest as credit.
async fn proposed(conn: &mut Conn, state: &State, person: Uuid, amount: Cents) -> Result<Vec<Part>, Problem> {
    let (dues, _) = dues_of(conn, state, person).await?;
    let (shares, credit) = propose(&dues, amount);
    let mut parts: Vec<Part> = dues
        .iter()
        .zip(shares)
        .map(|(due, amount)| Part { person: due.what.person, what: due.what.what(), amount })
        .collect();
    parts.push(Part { person, what: For::Credit, amount: credit });
    Ok(parts)
}

/// Takes a payment. A repeated request gets the receipt of the first.
#[utoipa::path(post, path = "/api/payments", request_body = PaymentForm, responses((status = 200, body = Receipt), (status = 409, body = Problem), (status = 422, body = Problem), (status = 503, body = Problem)))]
pub async fn take(state: Data<State>, me: Me, form: Json<PaymentForm>) -> Answer<Receipt> {
    let mut faults = Faults::default();
    let means = read_means(&form.means, &mut faults);
    let parts = form.parts.as_ref().map(|p| read_parts(p, &mut faults));
    faults.none_or(())?;
    let amount = total(&means).map_err(|e| Problem::field("amount", e.to_string()))?;
    let key = format!("payment:{}", form.key);
    let mut conn = state.store.reader().await?;
    if store::by_key(&mut conn, &key).await?.is_some() {
        // Sent before: the same answer, or a refusal when it is not the same payment.
        let same = NewPayment { key: form.key, person: form.person_id, site: form.site_id, means, parts: vec![] };
        let before = state
            .store
            .change(&me.actor(), state.now(), async |change| {
                change.give_up();
                change.repeats(&same).await
            })
            .await?;
        let before = before.ok_or_else(|| Problem::not_found("payment"))?;
        return Ok(Json(receipt_of(&mut conn, &state, &before).await?));
    }
    let parts = match parts {
        Some(parts) => parts,
        None => {
            let parts = proposed(&mut conn, &state, form.person_id, amount).await?;
            ask_about_too_much(&parts, form.more_than_owed)?;
            parts
        }
    };
    of_their_own(&mut conn, &parts).await?;
    let new = NewPayment { key: form.key, person: form.person_id, site: form.site_id, means, parts };
    let lay_out: Vec<(For<Uuid>, Cents)> = new.parts.iter().map(|p| (p.what, p.amount)).collect();
    harbor_core::money::payments::lay_out(&new.means, &lay_out).map_err(|e| Problem::field("parts", e.to_string()))?;
    ask_about_cheques(&mut conn, &new.means, form.cheque_again).await?;
    settle_before(&mut conn, &state, &new).await?;
    drop(conn);
    let card = by_card_of(&new.means);
    let payment = if card.is_positive() {
        by_card(&state, &me, &new, card).await?
    } else {
        state.store.change(&me.actor(), state.now(), async |change| change.take_payment(&new).await).await?
    };
    let mut conn = state.store.reader().await?;
    Ok(Json(receipt_of(&mut conn, &state, &payment).await?))
}

/// Money beyond what is owed is asked about once: a slip of the hand is more often than a gift.
fn ask_about_too_much(parts: &[Part], knowingly: bool) -> Result<(), Problem> {
    let over: Cents = parts.iter().filter(|p| p.what == For::Credit).map(|p| p.amount).sum();
    if knowingly || !over.is_positive() {
        return Ok(());
    }
    let all: Cents = parts.iter().map(|p| p.amount).sum();
    let said = format!("{all} is {over} more than is owed. Take it, and keep {over} as credit?");
    Err(Problem::new(StatusCode::CONFLICT, "more-than-owed", said))
}

/// Each part belongs to the one whose visit it is.
async fn of_their_own(conn: &mut Conn, parts: &[Part]) -> Result<(), Problem> {
    let ids: Vec<Uuid> = parts.iter().filter_map(|p| if let For::Visit(v) = p.what { Some(v) } else { None }).collect();
    let found = visits::many(conn, &ids).await?;
    for part in parts {
        let For::Visit(visit) = part.what else { continue };
        if found.get(&visit).is_none_or(|v| v.person_id != part.person) {
            return Err(Problem::field("parts", "A part is for a visit of somebody else."));
        }
    }
    Ok(())
}

async fn ask_about_cheques(conn: &mut Conn, means: &[Mean], again: bool) -> Result<(), Problem> {
    for mean in means.iter().filter(|m| m.method == Method::Cheque && !again) {
        if let Some(before) = store::cheque_before(conn, &mean.reference).await? {
            let who = people::get(conn, before.person_id).await?;
            let said = format!(
                "Cheque {} was taken on {} from {} {}, {}. Is it really another one?",
                mean.reference,
                before.at.format("%b %-d"),
                who.first_name,
                who.last_name,
                Cents::new(before.cents)
            );
            return Err(Problem::new(StatusCode::CONFLICT, "cheque-again", said));
        }
    }
    Ok(())
}

/// Nobody pays again while it is open whether their card was charged a moment ago.
async fn settle_before(conn: &mut Conn, state: &State, new: &NewPayment) -> Result<(), Problem> {
    for row in requests::unsettled_cards(conn, Some(new.person), Utc::now()).await? {
        if row.key == new.key && row.cents == by_card_of(&new.means).get() {
            continue;
        }
        if let Some(taken) = terminal::settle(state, &row).await? {
            let said = format!(
                "The card was charged {} after all, and it is posted. Look at what is left.",
                Cents::new(taken.cents)
            );
            return Err(Problem::new(StatusCode::CONFLICT, "card-charged", said));
        }
    }
    Ok(())
}

fn by_card_of(means: &[Mean]) -> Cents {
    means.iter().filter(|m| m.method == Method::Card).map(|m| m.amount).sum()
}

async fn by_card(state: &State, me: &Me, new: &NewPayment, card: Cents) -> Result<Payment, Problem> {
    let row = CardRequest {
        key: new.key,
        person_id: new.person,
        cents: card.get(),
        payment: terminal::keep(new),
        asked_at: Utc::now(),
        asked_by: me.staff.name.clone(),
        staff_id: Some(me.staff.id),
        state: CardState::Asked.into(),
        word: String::new(),
    };
    let actor = me.actor();
    let posted = state.store.change(&actor, state.now(), async |change| {
        if change.ask_card(&row).await? {
            return Ok(None);
        }
        // Posted by background work a moment ago, or begun with another amount.
        change.give_up();
        let posted = store::by_key(change.conn(), &format!("payment:{}", new.key)).await?;
        let said = "This payment was begun with another amount; begin it again.";
        posted.filter(|p| p.cents == new.total()).map(Some).ok_or_else(|| Problem::field("key", said))
    });
    if let Some(posted) = posted.await? {
        return Ok(posted);
    }
    match terminal::charge(state, new.key, card).await? {
        Said::Approved(approval) => {
            if let Some(payment) = terminal::post(state, &row, &approval).await? {
                return Ok(payment);
            }
            // Background work was faster.
            let mut conn = state.store.reader().await?;
            let posted = store::by_key(&mut conn, &format!("payment:{}", new.key)).await?;
            posted.ok_or_else(|| Problem::not_found("payment"))
        }
        Said::Declined(why) => {
            terminal::nothing_charged(state, &row, "declined", &why).await?;
            Err(Problem::refused("card-declined", format!("The card was not charged: {why}.")))
        }
    }
}

/// The receipt of a payment, as it stands now.
pub async fn receipt_of(conn: &mut Conn, state: &State, payment: &Payment) -> Result<Receipt, Problem> {
    let receipts = receipts_of(conn, state, std::slice::from_ref(payment)).await?;
    receipts.into_iter().next().ok_or_else(|| Problem::not_found("payment"))
}

/// The receipts of payments, in their order, read in a fixed number of questions.
pub async fn receipts_of(conn: &mut Conn, state: &State, payments: &[Payment]) -> Result<Vec<Receipt>, Problem> {
    let ids: Vec<Uuid> = payments.iter().map(|p| p.id).collect();
    let parts = store::parts_of(conn, &ids).await?;
    let mut persons: Vec<Uuid> =
        parts.iter().filter_map(|p| p.person).chain(payments.iter().map(|p| p.person_id)).collect();
    persons.sort_unstable();
    persons.dedup();
    let by_id = people::by_id(conn, persons.iter().copied()).await?;
    let of_visits: Vec<Uuid> = parts.iter().filter_map(|p| p.visit).collect();
    let about = visits::many(conn, &of_visits).await?;
    let name = |id: Uuid| by_id.get(&id).map_or(String::new(), |p| format!("{} {}", p.first_name, p.last_name));
    let accounts = accounts::of_people(conn, &persons).await?;
    let means = store::means_of(conn, &ids).await?;
    let voids = store::voids_of(conn, &ids).await?;
    let receipt = |payment: &Payment| {
        let own: Vec<&PostedPart> = parts.iter().filter(|p| p.payment == payment.id).collect();
        let concerned: BTreeSet<Uuid> = own.iter().filter_map(|p| p.person).chain([payment.person_id]).collect();
        Receipt {
            number: payment.id,
            receipt_number: format!("R-{}", payment.number),
            kind: payment.kind,
            at: payment.at,
            by: payment.by.clone(),
            cents: payment.cents,
            means: means.iter().filter(|m| m.payment_id == payment.id).cloned().collect(),
            parts: own
                .iter()
                .map(|p| ReceiptPart {
                    name: p.person.map_or(String::new(), name),
                    words: words_of(state, p.visit.and_then(|v| about.get(&v)), p.credit),
                    cents: p.cents,
                })
                .collect(),
            payer: name(payment.person_id),
            clinic: state.clinic.name.clone(),
            left_cents: concerned
                .iter()
                .map(|id| accounts.get(id).map_or(0, |a| a.as_of(payment.at).owed(None).get()))
                .sum(),
            reason: payment.reason.clone(),
            taken_back: voids.iter().find(|v| v.of_payment == Some(payment.id)).map(|v| v.reason.clone()),
        }
    };
    Ok(payments.iter().map(receipt).collect())
}

#[utoipa::path(get, path = "/api/payments/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Receipt), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<Receipt> {
    let mut conn = state.store.reader().await?;
    let payment = store::get(&mut conn, *id).await?;
    Ok(Json(receipt_of(&mut conn, &state, &payment).await?))
}

/// What a person paid and was given back, the newest first.
#[utoipa::path(get, path = "/api/people/{id}/payments", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<Receipt>)))]
pub async fn of_person(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<Receipt>> {
    let mut conn = state.store.reader().await?;
    let mut payments = store::of_person(&mut conn, *id).await?;
    payments.truncate(20);
    Ok(Json(receipts_of(&mut conn, &state, &payments).await?))
}
