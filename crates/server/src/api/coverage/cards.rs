//! Pictures of insurance cards: taken by what they are, given as files that a browser cannot run.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::http::header;
use actix_web::web::{Bytes, Data, Path};
use harbor_store::coverage::cards as store;
use uuid::Uuid;

/// A picture of a card has at most so many bytes.
const MOST: usize = 5 << 20;

/// What a card may come as, known by its first bytes and not by its name.
const TAKEN: [&str; 3] = ["image/png", "image/jpeg", "application/pdf"];

fn is_side(side: &str) -> Result<(), Problem> {
    if matches!(side, "front" | "back") { Ok(()) } else { Err(Problem::not_found("side of a card")) }
}

#[utoipa::path(put, path = "/api/coverages/{id}/card/{side}", params(("id" = Uuid, Path), ("side" = String, Path)), request_body(content = String, content_type = "application/octet-stream"), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, place: Path<(Uuid, String)>, body: Bytes) -> Answer<Done> {
    let (id, side) = place.into_inner();
    is_side(&side)?;
    if body.len() > MOST {
        return Err(Problem::refused("too-large", "A picture of a card has at most 5 MB; take it with less detail."));
    }
    let known = infer::get(&body).map(|t| t.mime_type()).filter(|t| TAKEN.contains(t));
    let Some(media_type) = known else {
        return Err(Problem::refused("unreadable", "A card is a PNG or JPEG picture or a PDF; this is none of them."));
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.add_card(id, &side, media_type, &body).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(get, path = "/api/coverages/{id}/card/{side}", params(("id" = Uuid, Path), ("side" = String, Path)), responses((status = 200, content_type = "image/png", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, place: Path<(Uuid, String)>) -> Result<HttpResponse, Problem> {
    let (id, side) = place.into_inner();
    is_side(&side)?;
    let (media_type, content) = store::picture(&mut *state.store.reader().await?, id, &side).await?;
    let name = match media_type.as_str() {
        "image/png" => "card.png",
        "image/jpeg" => "card.jpg",
        _ => "card.pdf",
    };
    Ok(HttpResponse::Ok()
        .content_type(media_type)
        .insert_header((header::CONTENT_DISPOSITION, format!("attachment; filename=\"{side}-{name}\"")))
        .insert_header((header::CONTENT_SECURITY_POLICY, "default-src 'none'; sandbox"))
        .body(content))
}
