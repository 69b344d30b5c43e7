//! Payers' decisions on paper: the scan is kept, typed off beside it, balanced while typing, and posted like a file.

use crate::access::frame::FRAMED;
use crate::access::{Me, shown};
use crate::api::claims::people_of_file;
use crate::problem::{Answer, FieldProblem, Problem};
use crate::state::State;
use crate::work::UploadAnswer;
use actix_web::web::{Bytes, Data, Json, Path, Query};
use actix_web::{HttpRequest, HttpResponse};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_core::money::remittance::letter::{Letter, LetterClaim, LetterLine, LetterMethod};
use harbor_core::money::remittance::matching::KnownClaim;
use harbor_core::money::remittance::{Adjustment, AdjustmentGroup, ProviderAdjustment};
use harbor_store::money::remittances::letters::{self as store, LetterKnown};
use harbor_store::rows::StrayAnswer;
use harbor_store::{Conn, charges, coverage};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// What a scan may be.
const TAKEN: [&str; 3] = ["application/pdf", "image/png", "image/jpeg"];

/// So many claims a letter is about at most; a longer one comes as several.
const MOST_CLAIMS: usize = 100;

/// What was not paid, by the payer's group and reason.
#[derive(Debug, Deserialize, ToSchema)]
pub struct LetterReasonForm {
    group: String,
    reason: String,
    amount: String,
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct LetterLineForm {
    /// Its place in the claim, from 1.
    number: usize,
    paid: String,
    reasons: Vec<LetterReasonForm>,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LetterClaimForm {
    /// Our number of the claim.
    number: String,
    /// The letter takes an earlier decision back; its amounts are typed as they were.
    takes_back: bool,
    payer_claim_number: String,
    lines: Vec<LetterLineForm>,
}

/// Money outside of any claim; positive is kept off the payment.
#[derive(Debug, Deserialize, ToSchema)]
pub struct LetterOutsideForm {
    reason: String,
    reference: String,
    amount: String,
}

/// A letter as it is typed.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LetterForm {
    payer_id: Uuid,
    trace: String,
    paid_on: String,
    method: String,
    amount: String,
    claims: Vec<LetterClaimForm>,
    outside: Vec<LetterOutsideForm>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LetterLineView {
    /// From 1.
    number: usize,
    service: String,
    charged_cents: i64,
    /// What neither the payment nor a reason explains; nothing of a line that the letter does not name.
    unexplained_cents: Option<i64>,
}

/// A claim that a letter is about, as it is known here.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LetterClaimView {
    number: String,
    /// Nothing where no claim went out under the number.
    patient: Option<String>,
    person_id: Option<Uuid>,
    day: Option<NaiveDate>,
    lines: Vec<LetterLineView>,
    /// What would be posted, in words.
    says: Vec<String>,
}

/// How far a letter is explained.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LetterStanding {
    claims: Vec<LetterClaimView>,
    /// The payment less what its claims and the amounts outside come to.
    left_cents: i64,
    /// What cannot be read of what was typed.
    faults: Vec<FieldProblem>,
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct LetterClaimsAsked {
    payer_id: Uuid,
    /// How the claim's number or the patient's last name begins.
    #[serde(default)]
    q: String,
}

/// An amount as it was typed; nothing typed is zero.
fn amount(faults: &mut Faults, field: String, text: &str) -> Cents {
    if text.trim().is_empty() {
        return Cents::ZERO;
    }
    Cents::parse(text).unwrap_or_else(|why| {
        faults.add(&field, why.to_string());
        Cents::ZERO
    })
}

fn reason(faults: &mut Faults, field: String, text: &str) -> String {
    let code = text.trim().to_uppercase();
    if code.is_empty() || code.len() > 5 || !code.bytes().all(|b| b.is_ascii_alphanumeric()) {
        faults.add(&field, "The payer's reason, such as 45: one to five letters and digits.");
    }
    code
}

impl LetterReasonForm {
    fn read(&self, faults: &mut Faults, at: &str) -> Option<Adjustment> {
        // Without an amount nothing is said, whatever stands beside the empty field.
        if self.amount.trim().is_empty() {
            return None;
        }
        let amount = amount(faults, format!("{at}.amount"), &self.amount);
        let group: AdjustmentGroup = faults.coded(&format!("{at}.group"), &self.group, "Choose who bears it.");
        let reason = reason(faults, format!("{at}.reason"), &self.reason).as_str().into();
        Some(Adjustment { group, reason, amount, quantity: None })
    }
}

impl LetterClaimForm {
    fn read(&self, faults: &mut Faults, at: &str, known: KnownClaim) -> LetterClaim {
        let mut lines = Vec::new();
        for (n, l) in self.lines.iter().enumerate() {
            let at = format!("{at}.lines.{n}");
            let paid = amount(faults, format!("{at}.paid"), &l.paid);
            if paid.is_negative() {
                faults.add(&format!("{at}.paid"), "Without a minus; say that the letter takes a decision back.");
            }
            let each = l.reasons.iter().enumerate();
            let adjustments: Vec<Adjustment> =
                each.filter_map(|(r, form)| form.read(faults, &format!("{at}.reasons.{r}"))).collect();
            // A line of which nothing is typed is not in the letter.
            if !l.paid.trim().is_empty() || !adjustments.is_empty() {
                lines.push(LetterLine { number: l.number, paid, adjustments });
            }
        }
        let payer_claim_number =
            faults.optional_line(&format!("{at}.payerClaimNumber"), "Payer's number", &self.payer_claim_number, 50);
        LetterClaim { known, takes_back: self.takes_back, payer_claim_number, lines }
    }
}

/// The letter as far as it can be read, with the claims that it names.
async fn read(
    conn: &mut Conn,
    form: &LetterForm,
    today: NaiveDate,
    faults: &mut Faults,
) -> Result<(Letter, HashMap<String, LetterKnown>), Problem> {
    if form.claims.len() > MOST_CLAIMS || form.outside.len() > MOST_CLAIMS {
        return Err(Problem::field("claims", format!("A letter is about {MOST_CLAIMS} claims at most.")));
    }
    let payer = coverage::payers(conn).await?.into_iter().find(|p| p.id == form.payer_id);
    if payer.is_none() {
        faults.add("payerId", "Choose the payer.");
    }
    let numbers: Vec<String> = form.claims.iter().map(|c| c.number.trim().to_uppercase()).collect();
    let wanted: Vec<&str> = numbers.iter().map(String::as_str).collect();
    let found = store::known_by_number(conn, &wanted).await?;
    let known: HashMap<String, LetterKnown> = found.into_iter().map(|k| (k.known.number.clone(), k)).collect();
    let mut claims = Vec::new();
    for (n, claim) in form.claims.iter().enumerate() {
        let at = format!("claims.{n}");
        let same = |(c, number): (&LetterClaimForm, &String)| *number == numbers[n] && c.takes_back == claim.takes_back;
        if form.claims[..n].iter().zip(&numbers).any(same) {
            faults.add(&format!("{at}.number"), "This claim stands in the letter already.");
        }
        let of = known.get(&numbers[n]).map(|k| k.known.clone());
        match &of {
            None => faults.add(&format!("{at}.number"), "No claim went out under this number."),
            Some(k) if k.lines.is_empty() => {
                let said = "The lines of this version are no longer those of the visit; enter it under its last claim.";
                faults.add(&format!("{at}.number"), said);
            }
            Some(_) => {}
        }
        let of = of.unwrap_or_else(|| KnownClaim { number: numbers[n].clone(), ..KnownClaim::default() });
        claims.push(claim.read(faults, &at, of));
    }
    let mut outside = Vec::new();
    for (n, o) in form.outside.iter().enumerate() {
        let at = format!("outside.{n}");
        let money = amount(faults, format!("{at}.amount"), &o.amount);
        if money.is_zero() && o.reason.trim().is_empty() {
            continue;
        }
        let reason = reason(faults, format!("{at}.reason"), &o.reason);
        let reference = faults.optional_line(&format!("{at}.reference"), "What it is about", &o.reference, 50);
        outside.push(ProviderAdjustment { reason, reference, amount: money });
    }
    let date = match typed_date::parse(&form.paid_on, today, Sense::Death) {
        Ok(day) => day,
        Err(why) => {
            faults.add("paidOn", why.to_string());
            today
        }
    };
    let trace = faults.line("trace", "Number", &form.trace, 50);
    let letter = Letter {
        payer_name: payer.as_ref().map(|p| p.name.clone()).unwrap_or_default(),
        payer_id: payer.map(|p| p.payer_code).unwrap_or_default(),
        trace,
        method: faults.coded::<LetterMethod>("method", &form.method, "Choose how the money comes."),
        date,
        amount: amount(faults, "amount".into(), &form.amount),
        claims,
        outside,
    };
    Ok((letter, known))
}

fn view(known: &LetterKnown, names: &HashMap<String, String>, unexplained: &[Option<Cents>]) -> LetterClaimView {
    let k = &known.known;
    let line = |(n, l): (usize, &harbor_core::money::remittance::matching::KnownLine)| LetterLineView {
        number: n + 1,
        service: names.get(&l.code).cloned().unwrap_or_else(|| l.code.clone()),
        charged_cents: l.fee.get(),
        unexplained_cents: unexplained.get(n).copied().flatten().map(Cents::get),
    };
    LetterClaimView {
        number: k.number.clone(),
        patient: Some(format!("{}, {}", k.patient_last, k.patient_first)),
        person_id: Some(known.visit.person_id),
        day: Some(known.visit.day),
        lines: k.lines.iter().enumerate().map(line).collect(),
        says: vec![],
    }
}

/// The names of services by the code that payers know.
async fn names(conn: &mut Conn) -> Result<HashMap<String, String>, Problem> {
    Ok(charges::services(conn).await?.into_iter().map(|s| (s.external_code, s.name)).collect())
}

/// Letters that nobody has typed off yet, the oldest first.
#[utoipa::path(get, path = "/api/letters", responses((status = 200, body = Vec<StrayAnswer>)))]
pub async fn waiting(state: Data<State>) -> Answer<Vec<StrayAnswer>> {
    Ok(Json(store::waiting(&mut *state.store.reader().await?).await?))
}

/// Keeps the scan of a letter: PDF, PNG or JPEG of 20 MB at most. Answers with its id; the same scan once more is the same letter.
#[utoipa::path(post, path = "/api/letters", request_body(content = String, content_type = "application/octet-stream"), responses((status = 200, body = Uuid), (status = 422, body = Problem)))]
pub async fn keep(state: Data<State>, me: Me, body: Bytes) -> Answer<Uuid> {
    let kind = infer::get(&body).map(|t| t.mime_type());
    if kind.is_none_or(|k| !TAKEN.contains(&k)) {
        return Err(Problem::refused("unreadable", "A scan is a PDF or a PNG or JPEG picture; this is none of them."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| Ok::<_, Problem>(Json(change.keep_letter(&body).await?)))
        .await
}

/// The scan, to be shown beside the fields.
#[utoipa::path(get, path = "/api/letters/{id}/scan", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn scan(state: Data<State>, me: Me, request: HttpRequest, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let letter = store::letter(&mut conn, *id).await?;
    let within = people_of_file(&mut conn, &state, &me, *id).await?;
    shown::opened(&request, "file", within);
    let kind = infer::get(&letter.content).map_or("application/octet-stream", |t| t.mime_type());
    Ok(HttpResponse::Ok()
        .content_type(kind)
        .insert_header(("content-disposition", "inline"))
        .insert_header(("content-security-policy", FRAMED))
        .body(letter.content))
}

/// Claims that went to a payer, by number or the patient's name, the newest first; ten at most.
#[utoipa::path(get, path = "/api/letters/claims", params(LetterClaimsAsked), responses((status = 200, body = Vec<LetterClaimView>), (status = 422, body = Problem)))]
pub async fn claims_to_decide(
    state: Data<State>,
    request: HttpRequest,
    asked: Query<LetterClaimsAsked>,
) -> Answer<Vec<LetterClaimView>> {
    let mut faults = Faults::default();
    let words = faults.optional_line("q", "What is looked for", &asked.q, 60);
    faults.none_or(())?;
    let mut conn = state.store.reader().await?;
    let found = store::claims_to_decide(&mut conn, asked.payer_id, &words, 10).await?;
    let names = names(&mut conn).await?;
    shown::listed(&request, "claims", found.iter().map(|k| k.visit.person_id));
    Ok(Json(found.iter().map(|k| view(k, &names, &[])).collect()))
}

/// How far a letter is explained while it is typed; posts nothing.
#[utoipa::path(post, path = "/api/letters/{id}/check", params(("id" = Uuid, Path)), request_body = LetterForm, responses((status = 200, body = LetterStanding), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn check(
    state: Data<State>,
    request: HttpRequest,
    id: Path<Uuid>,
    form: Json<LetterForm>,
) -> Answer<LetterStanding> {
    let mut conn = state.store.reader().await?;
    store::letter(&mut conn, *id).await?;
    let mut faults = Faults::default();
    let (letter, known) = read(&mut conn, &form, state.today(), &mut faults).await?;
    let names = names(&mut conn).await?;
    let standing = letter.standing();
    let remitted = letter.as_typed((&state.clinic.name, &state.clinic.npi));
    let each = letter.claims.iter().zip(&standing.unexplained).zip(&remitted.claims);
    let one = |((typed, unexplained), remitted): ((&LetterClaim, &Vec<Option<Cents>>), &_)| {
        let remitted: &harbor_core::money::remittance::RemittedClaim = remitted;
        let says = remitted.explanation();
        match known.get(&typed.known.number) {
            Some(k) => LetterClaimView { says, ..view(k, &names, unexplained) },
            None => LetterClaimView {
                number: typed.known.number.clone(),
                patient: None,
                person_id: None,
                day: None,
                lines: vec![],
                says,
            },
        }
    };
    let claims: Vec<LetterClaimView> = each.map(one).collect();
    shown::listed(&request, "claims", claims.iter().filter_map(|c| c.person_id));
    let faults = faults.0.into_iter().map(|f| FieldProblem { field: f.field, sentence: f.sentence }).collect();
    Ok(Json(LetterStanding { claims, left_cents: standing.left.get(), faults }))
}

/// Posts a letter: whole, once, and only when it balances.
#[utoipa::path(post, path = "/api/letters/{id}/post", params(("id" = Uuid, Path)), request_body = LetterForm, responses((status = 200, body = UploadAnswer), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn post(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<LetterForm>) -> Answer<UploadAnswer> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let mut faults = Faults::default();
            let (letter, _) = read(change.conn(), &form, state.today(), &mut faults).await?;
            if letter.claims.iter().all(|c| c.lines.is_empty()) && letter.outside.is_empty() {
                faults.add("claims", "Say which claim the letter is about, and what it decides.");
            }
            faults.none_or(())?;
            let payee = (state.clinic.name.as_str(), state.clinic.npi.as_str());
            let remittance = letter.remittance(payee).map_err(|found| {
                let said: Vec<String> = found.iter().map(ToString::to_string).collect();
                Problem::refused("unbalanced", said.join(" "))
            })?;
            let posted = change.post_letter(*id, &remittance).await?;
            Ok(Json(UploadAnswer { posted: 1, posted_before: 0, matched: posted.matched, unmatched: posted.unmatched }))
        })
        .await
}
