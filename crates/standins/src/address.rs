//! The address service: knows the streets of the made-up towns, and answers with corrected candidates.
//!
//! | typed | what comes back |
//! |---|---|
//! | a known street, in any case and with the usual short words | the address as the service writes it, with nine digits |
//! | the same with a flat behind it (Apt 3, #3, Unit B) or a letter at the house (7B) | the same with the flat, which nobody looks up |
//! | a street misspelt by a letter or two | up to five candidates, the nearest first |
//! | a known street in a town that nobody knows | the street in each of the towns |
//! | a street that nobody knows, or no house number | nothing |

use crate::{World, moody};
use actix_web::{HttpResponse, web};
use serde::{Deserialize, Serialize};
use serde_json::json;

/// The made-up towns with their postal codes.
pub const TOWNS: [(&str, &str); 4] =
    [("Port Calder", "04998"), ("Marrow Ferry", "04999"), ("Upper Calder", "04998"), ("Tern Harbor", "04999")];
/// The streets that each of the towns has.
pub const STREETS: [&str; 14] = [
    "Kelp Lane",
    "Cooper's Row",
    "Signal Hill Road",
    "Tidewater Street",
    "Ropewalk",
    "Gannet Close",
    "Mill Pond Road",
    "Larch Avenue",
    "Chandler Street",
    "Old Ferry Road",
    "Saltbox Lane",
    "Beacon Street",
    "Plover Court",
    "Marsh End",
];
const SHORT: [(&str, &str); 6] =
    [("st", "street"), ("rd", "road"), ("ave", "avenue"), ("ln", "lane"), ("ct", "court"), ("wy", "way")];

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase")]
pub struct Typed {
    line: String,
    #[serde(default)]
    city: String,
    #[serde(default)]
    postal_code: String,
}

#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[serde(rename_all = "camelCase")]
pub struct Candidate {
    pub line: String,
    pub city: String,
    pub state: String,
    pub postal_code: String,
}

/// Letters that differ, counted as insertions, deletions and changes.
pub fn distance(a: &str, b: &str) -> usize {
    let b: Vec<char> = b.chars().collect();
    let mut row: Vec<usize> = (0..=b.len()).collect();
    for (i, x) in a.chars().enumerate() {
        let mut corner = row[0];
        row[0] = i + 1;
        for (j, y) in b.iter().enumerate() {
            let change = corner + usize::from(x != *y);
            corner = row[j + 1];
            row[j + 1] = change.min(row[j] + 1).min(corner + 1);
        }
    }
    row[b.len()]
}

fn spelt_out(street: &str) -> String {
    let words = street.split_whitespace().map(|w| w.trim_matches('.').to_lowercase());
    let long = |w: String| SHORT.iter().find(|(s, _)| *s == w).map_or(w, |(_, l)| (*l).to_owned());
    words.map(long).collect::<Vec<_>>().join(" ")
}

/// The words before the number of a flat in a house.
const UNITS: [&str; 6] = ["apt", "apartment", "unit", "suite", "ste", "flat"];

/// A line without its flat, and the flat as it is written behind a street: ` Apt 3`, or nothing.
fn without_unit(line: &str) -> (String, String) {
    let spaced = line.replace('#', " # ").replace(',', " ");
    let words: Vec<&str> = spaced.split_whitespace().collect();
    let plain = |w: &str| w.trim_matches('.').to_lowercase();
    let Some(at) = words.iter().position(|w| *w == "#" || UNITS.contains(&plain(w).as_str())) else {
        return (line.to_owned(), String::new());
    };
    let name = match plain(words[at]).as_str() {
        "unit" => "Unit",
        "suite" | "ste" => "Ste",
        _ => "Apt",
    };
    let number: Vec<&str> = words[at + 1..].iter().copied().filter(|w| *w != "#").collect();
    (words[..at].join(" "), format!(" {name} {}", number.join(" ").to_uppercase()))
}

/// The candidates for a typed address, the nearest first.
pub fn candidates(typed_line: &str, city: &str, postal_code: &str) -> Vec<Candidate> {
    let (typed_line, unit) = without_unit(typed_line);
    let Some((number, street)) = typed_line.trim().split_once(' ') else { return vec![] };
    let digits = number.trim_end_matches(|c: char| c.is_ascii_alphabetic());
    let Ok(house) = digits.parse::<u32>() else { return vec![] };
    if number.len() > digits.len() + 1 {
        return vec![];
    }
    let street = spelt_out(street);
    let mut found: Vec<(usize, Candidate)> = Vec::new();
    for (at, known) in STREETS.iter().enumerate() {
        let off = distance(&street, &known.to_lowercase());
        if off > 2 {
            continue;
        }
        for (town, code) in TOWNS {
            let other_town = usize::from(!city.trim().eq_ignore_ascii_case(town)) * 3;
            let other_code = usize::from(!postal_code.starts_with(code));
            let postal_code = format!("{code}-{:04}", (at * 409 + house as usize * 7) % 9000 + 1000);
            let candidate = Candidate {
                line: format!("{number} {known}{unit}"),
                city: (*town).into(),
                state: "ME".into(),
                postal_code,
            };
            found.push((off * 10 + other_town + other_code, candidate));
        }
    }
    found.sort_by(|a, b| (a.0, &a.1.line, &a.1.city).cmp(&(b.0, &b.1.line, &b.1.city)));
    found.into_iter().map(|(_, c)| c).take(5).collect()
}

pub async fn check(world: web::Data<World>, typed: web::Json<Typed>) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    HttpResponse::Ok().json(json!({ "candidates": candidates(&typed.line, &typed.city, &typed.postal_code) }))
}
