//! An answer that came on paper or by telephone: imaging, letters of those one referred to. It is kept as a report like any
//! other, and waits for its reader.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use base64::Engine;
use base64::engine::general_purpose::STANDARD;
use harbor_core::fields::Faults;
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::{LabReport, ReportFile, ReportStatus};
use harbor_store::orders::results::NewReport;
use harbor_store::{claims, orders as store, people};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CameForm {
    /// Who answered.
    performer: String,
    /// What they say, in their words.
    words: String,
    /// A PDF of it, base64; empty when there is none.
    #[serde(default)]
    pdf: String,
}

/// Takes down what came for an order by another way than the line to the laboratory. Nobody has read it by that.
#[utoipa::path(post, path = "/api/orders/{id}/answer-came", params(("id" = Uuid, Path)), request_body = CameForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn came(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CameForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let performer = faults.line("performer", "Who answered", &form.performer, 200);
    let words = form.words.trim().chars().take(20_000).collect::<String>();
    let pdf = STANDARD.decode(form.pdf.trim()).map_err(|_| Problem::field("pdf", "The file did not come whole."))?;
    if !pdf.is_empty() && !pdf.starts_with(b"%PDF-") {
        return Err(Problem::field("pdf", "Choose a PDF."));
    }
    if words.is_empty() && pdf.is_empty() {
        return Err(Problem::field("words", "Write what they say, or add the PDF."));
    }
    let performer = faults.none_or(performer)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            if order.signed_at.is_none() || !order.state.may_be_answered() {
                return Err(Problem::refused("no-answer", "The order is not signed, or waits for no answer."));
            }
            let person = people::get(change.conn(), order.person_id).await?;
            let number = format!("P{}", &Uuid::now_v7().simple().to_string()[20..].to_uppercase());
            let file =
                ReportFile { title: order.test_name.clone(), media_type: "application/pdf".into(), content: pdf };
            let read = LabReport {
                order_reference: order.id.to_string(),
                subject: NamedPerson { record_number: person.record_number, ..NamedPerson::default() },
                status: ReportStatus::Final,
                issued: state.now(),
                name: order.test_name.clone(),
                performer,
                values: vec![],
                conclusion: words,
                files: if file.content.is_empty() { vec![] } else { vec![file] },
                number: number.clone(),
            };
            change.audit("took down an answer", "order", order.id, Some(order.person_id), number.clone());
            let new = NewReport { read, order: Some(order), digest: claims::digest(number.as_bytes()) };
            change.file_report(new).await?;
            Ok(DONE)
        })
        .await
}
