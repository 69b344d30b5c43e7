//! Medicines that a payer pays only for some uses: which use it is, and a request where the chart meets none.

use super::{facts, product};
use crate::access::Me;
use crate::api::orders::paying::{Paying, visit_of};
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::prescribing::approvals::{
    ApprovalQuestion, NeedsApproval, SaidToPayer, UseInChart, counts_on, needs_approval,
};
use harbor_core::prescribing::{PrescriptionState, Product};
use harbor_store::consult::{chart, runs};
use harbor_store::documents::{Doc, QuestionAnswer};
use harbor_store::prescribing::{self as store, approvals};
use harbor_store::rows::{Approval, Coverage, Payer, Prescription};
use harbor_store::{Conn, codes, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A use that the payer pays for.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CoveredUseView {
    name: String,
    /// The diagnosis of the chart that meets it.
    met_by: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct PayerQuestion {
    question: String,
    answer: codes::ApprovalAnswerKind,
}

/// How the payer stands to a prescription.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ApprovalView {
    /// Who pays; nobody where no policy does on the day.
    payer: Option<String>,
    /// Uses that it pays for; empty where it pays without being asked.
    uses: Vec<CoveredUseView>,
    questions: Vec<PayerQuestion>,
    /// What was chosen or asked, with what became of it.
    standing: Option<Approval>,
    /// It counts today: a covered use, or approved and not run out.
    counts: bool,
}

/// The policy that pays for a prescription, with its payer.
async fn who_pays(conn: &mut Conn, state: &State, row: &Prescription) -> Result<Option<(Coverage, Payer)>, Problem> {
    let person = people::get(conn, row.person_id).await?;
    let paying = Paying::of(conn, state, &person).await?;
    let visit = visit_of(conn, row.visit_id).await?;
    let (_, policy) = paying.usual(visit.as_ref());
    Ok(policy.and_then(|id| paying.policy(id)).map(|(policy, payer)| (policy.clone(), payer.clone())))
}

async fn needed<'s>(
    conn: &mut Conn,
    state: &'s State,
    row: &Prescription,
    product: &Product,
    payer: &Payer,
) -> Result<Option<NeedsApproval<'s>>, Problem> {
    let mut diagnoses = vec![];
    if let Some(visit) = row.visit_id {
        diagnoses = runs::diagnoses_of(conn, visit).await?;
    }
    let present = facts::present(&chart::problems_of(conn, row.person_id).await?, &diagnoses);
    Ok(needs_approval(state.rules(), &payer.payer_code, product, &present))
}

#[utoipa::path(get, path = "/api/prescriptions/{id}/approval", params(("id" = Uuid, Path)), responses((status = 200, body = ApprovalView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ApprovalView> {
    let mut conn = state.store.reader().await?;
    let row = store::prescription(&mut conn, *id).await?;
    let pays = who_pays(&mut conn, &state, &row).await?;
    let coverage = pays.as_ref().map(|(policy, _)| policy.id);
    let standing = approvals::standing(&mut conn, &row, coverage, state.today()).await?;
    let counts = standing.as_ref().is_some_and(|a| counts_on(*a.state, a.until, state.today()));
    let mut view = ApprovalView { payer: None, uses: vec![], questions: vec![], standing, counts };
    let Some((_, payer)) = pays else { return Ok(Json(view)) };
    // A product that was withdrawn since cannot be asked for.
    if let Ok(product) = product(&state, &row.product_code)
        && let Some(needs) = needed(&mut conn, &state, &row, product, &payer).await?
    {
        let seen = |u: UseInChart| CoveredUseView { name: u.covered.name.clone(), met_by: u.met_by };
        view.uses = needs.uses.into_iter().map(seen).collect();
        let asked = |q: &ApprovalQuestion| PayerQuestion { question: q.question.clone(), answer: q.answer.into() };
        view.questions = needs.questions.into_iter().map(asked).collect();
    }
    view.payer = Some(payer.name);
    Ok(Json(view))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct AnswerToPayer {
    question: String,
    answer: String,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ApprovalForm {
    /// One of the covered uses by its name; empty for another use.
    #[serde(default)]
    covered_use: String,
    /// Why, where no covered use is met.
    #[serde(default)]
    reason: String,
    /// The payer's questions with their answers, of a request.
    #[serde(default)]
    answers: Vec<AnswerToPayer>,
    /// Asks the payer; otherwise the use is chosen, which the chart must meet.
    #[serde(default)]
    ask: bool,
}

impl ApprovalForm {
    fn said(&self) -> SaidToPayer {
        SaidToPayer {
            covered_use: self.covered_use.clone(),
            reason: self.reason.clone(),
            answers: self.answers.iter().map(|a| (a.question.clone(), a.answer.clone())).collect(),
            ask: self.ask,
        }
    }
}

/// Chooses a covered use that the chart meets, or asks the payer.
#[utoipa::path(post, path = "/api/prescriptions/{id}/approval", params(("id" = Uuid, Path)), request_body = ApprovalForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn choose(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ApprovalForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::locked(change.conn(), *id).await?;
            if *row.state != PrescriptionState::Draft && !row.state.stands() {
                return Err(Problem::refused("ended", "This prescription stands no more."));
            }
            let Some((policy, payer)) = who_pays(change.conn(), &state, &row).await? else {
                return Err(Problem::refused("no-policy", "No policy pays on this day: there is nobody to ask."));
            };
            let product = product(&state, &row.product_code)?;
            let Some(needs) = needed(change.conn(), &state, &row, product, &payer).await? else {
                return Err(Problem::refused("not-needed", format!("{} pays it without being asked.", payer.name)));
            };
            let said = needs.said(&form.said()).map_err(|(field, sentence)| Problem::field(&field, sentence))?;
            let answered = |(question, answer)| QuestionAnswer { question, answer, asked: String::new() };
            let kept = Approval {
                id: Uuid::now_v7(),
                prescription_id: row.id,
                person_id: row.person_id,
                coverage_id: policy.id,
                payer_id: payer.id,
                product_code: row.product_code.clone(),
                state: said.state.into(),
                covered_use: form.covered_use.clone(),
                reason: said.reason,
                answers: Doc(said.answers.into_iter().map(answered).collect()),
                asked_at: state.now(),
                asked_by: me.staff.name.clone(),
                sent_document_id: None,
                number: String::new(),
                until: None,
                refusal: String::new(),
                decided_at: None,
            };
            change.stand_to_payer(&kept, state.today()).await?;
            Ok(DONE)
        })
        .await
}
