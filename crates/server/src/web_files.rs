//! The built front end, inside the binary.

use crate::problem::Problem;
use crate::state::State;
use actix_web::{HttpRequest, HttpResponse, ResponseError, web};
use rand::RngExt;
use rust_embed::RustEmbed;

#[derive(RustEmbed)]
#[folder = "../../web/dist"]
#[exclude = "*.woff"]
struct Built;

/// How the files of the type families begin whose letters ours lacks.
const OTHER_SCRIPTS: &str = "assets/noto-";

/// The typeface as the screens use it, packed (WOFF2): ours, or the letters that it lacks.
pub fn fonts(other_scripts: bool) -> Vec<Vec<u8>> {
    let wanted = |name: &str| name.ends_with(".woff2") && name.starts_with(OTHER_SCRIPTS) == other_scripts;
    let mut names: Vec<_> = Built::iter().filter(|name| wanted(name)).collect();
    names.sort();
    names.iter().filter_map(|name| Built::get(name)).map(|file| file.data.into_owned()).collect()
}

/// A file of the front end, or its page for every address that a person can open.
pub async fn page(request: HttpRequest) -> HttpResponse {
    let path = request.path().trim_start_matches('/');
    // Only screens answer where no route does.
    let first = path.split('/').next().unwrap_or("");
    if !request.method().is_safe() || ["api", "feeds", "health"].iter().any(|n| first.eq_ignore_ascii_case(n)) {
        return Problem::not_found("address").error_response();
    }
    if let Some(file) = Built::get(path).filter(|_| !path.is_empty() && path != "index.html") {
        let kind = match path.rsplit_once('.').map(|(_, e)| e) {
            Some("js") => "text/javascript; charset=utf-8",
            Some("css") => "text/css; charset=utf-8",
            Some("woff2") => "font/woff2",
            Some("svg") => "image/svg+xml",
            _ => "application/octet-stream",
        };
        return HttpResponse::Ok()
            .content_type(kind)
            .insert_header(("cache-control", "public, max-age=31536000, immutable"))
            .body(file.data.into_owned());
    }
    if path.starts_with("assets/") {
        return HttpResponse::NotFound().finish();
    }
    let Some(file) = Built::get("index.html") else {
        return HttpResponse::ServiceUnavailable().body("The front end is not built.");
    };
    let nonce: String = {
        let mut random = rand::rng();
        (0..24).map(|_| char::from(random.sample(rand::distr::Alphanumeric))).collect()
    };
    let html = String::from_utf8_lossy(&file.data).replace("__NONCE__", &nonce);
    let policy = format!(
        "default-src 'none'; script-src 'self' 'nonce-{nonce}'; style-src 'self' 'nonce-{nonce}'; style-src-attr 'unsafe-inline'; \
         img-src 'self' data: blob:; font-src 'self'; connect-src 'self'; frame-src 'self'; form-action 'self'; base-uri 'none'; frame-ancestors 'none'"
    );
    HttpResponse::Ok()
        .content_type("text/html; charset=utf-8")
        .insert_header(("content-security-policy", policy))
        .insert_header(("cache-control", "no-store"))
        .body(html)
}

/// 200 only when the database answers.
#[utoipa::path(get, path = "/health", responses((status = 200, body = String), (status = 503, body = String)))]
pub async fn health(state: web::Data<State>) -> HttpResponse {
    if state.store.answers().await {
        HttpResponse::Ok().body("ok")
    } else {
        HttpResponse::ServiceUnavailable().body("the database does not answer")
    }
}
