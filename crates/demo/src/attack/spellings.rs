//! Every route in other spellings of its address: none of them may reach a handler.

use super::Tally;
use super::api::NOBODY;
use super::hand::Hand;
use anyhow::Result;
use harbor_core::house::permissions::Role;
use harbor_server::routes::{Access, ROUTES, Route};

/// The address of a route, about nothing that is there.
pub fn concrete(pattern: &str) -> String {
    [
        "{id}",
        "{measurement}",
        "{allergy}",
        "{medicine}",
        "{problem}",
        "{entry}",
        "{other}",
        "{run}",
        "{response}",
        "{repeat}",
        "{hardship}",
        "{estimate}",
    ]
    .iter()
    .fold(pattern.to_owned(), |path, part| path.replace(part, NOBODY))
    .replace("{part}", "plan")
    .replace("{position}", "0")
    .replace("{code}", "I10")
    .replace("{side}", "front")
    .replace("{list}", "allergies")
    .replace("{token}", "x")
}

/// A sign-in of each role.
pub const LOGINS: [(Role, &str); 5] = [
    (Role::FrontDesk, "junia"),
    (Role::Assistant, "petra"),
    (Role::Clinician, "oriane"),
    (Role::Biller, "agathe"),
    (Role::Manager, "soren"),
];

/// Routes that end a walk, or never answer.
pub fn ends_the_walk(route: &Route) -> bool {
    ["/live", "/sign-out", "/sign-in", "/session/lock"].iter().any(|end| route.pattern.ends_with(end))
}

/// Other ways of writing an address that a router may take for the same.
pub fn spellings(path: &str) -> Vec<String> {
    let encoded = |n: usize, lower: bool| {
        let byte = path.as_bytes()[n];
        let code = if lower { format!("%{byte:02x}") } else { format!("%{byte:02X}") };
        format!("{}{code}{}", &path[..n], &path[n + 1..])
    };
    let last = path.len() - 1;
    let upper = path.find("api").or_else(|| path.find("feeds")).map_or(path.to_uppercase(), |at| {
        format!("{}{}{}", &path[..at], path[at..at + 3].to_uppercase(), &path[at + 3..])
    });
    vec![
        encoded(1, false),
        encoded(last, false),
        encoded(last, true),
        format!("/{path}"),
        format!("/.{path}"),
        format!("/x/..{path}"),
        path.replacen("/", "//", 2).replacen("//", "/", 1),
        format!("{path}/"),
        format!("{path};x"),
        format!("{path};.css"),
        format!("{path}%2F"),
        format!("{path}%00"),
        path.replacen('/', "%2F", 2).replacen("%2F", "/", 1),
        upper,
    ]
}

/// Status and body of a request written by hand, since a client would put the address right.
pub async fn raw(address: &str, method: &str, path: &str, host: &str, more: &str) -> std::io::Result<(u16, String)> {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let at = address.trim_start_matches("http://");
    let mut line = tokio::net::TcpStream::connect(at).await?;
    let length = if method == "GET" { "" } else { "content-length: 2\r\ncontent-type: application/json\r\n" };
    let body = if method == "GET" { "" } else { "{}" };
    let method = method.to_uppercase();
    let text = format!("{method} {path} HTTP/1.1\r\nhost: {host}\r\nconnection: close\r\n{length}{more}\r\n{body}");
    line.write_all(text.as_bytes()).await?;
    let mut answer = Vec::new();
    let _ = line.read_to_end(&mut answer).await;
    let text = String::from_utf8_lossy(&answer).into_owned();
    let status = text.split(' ').nth(1).and_then(|s| s.parse().ok()).unwrap_or(0);
    Ok((status, text))
}

/// Asks every route in every spelling, as these hands and as nobody.
pub async fn run(address: &str, hands: &[Hand]) -> Result<Tally> {
    let mut tally = Tally::of("spellings of every route");
    for route in ROUTES.iter().filter(|r| !ends_the_walk(r) && r.access != Access::Public) {
        for hand in hands.iter().map(Some).chain([None]) {
            let more = hand.map_or(String::new(), |h| format!("cookie: {}\r\nx-harbor-csrf: {}\r\n", h.cookie, h.csrf));
            for path in spellings(&concrete(route.pattern)) {
                let (status, _) = raw(address, &route.method.to_uppercase(), &path, "127.0.0.1", &more).await?;
                tally.asked(matches!(status, 400 | 404), || format!("{} {path}: {status}", route.method));
            }
        }
    }
    Ok(tally)
}
