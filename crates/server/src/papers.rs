//! What stands on the papers: the clinic's rows as the templates read them, and calendars.

use crate::api::money::payments::{ReceiptPart, receipt_of};
use crate::problem::Problem;
use crate::state::State;
use crate::web_files;
use chrono::{DateTime, NaiveDate, NaiveTime, Utc};
use harbor_core::arrival::Stage;
use harbor_core::fields::typed_date::in_words;
use harbor_core::house::permissions::Role;
use harbor_core::money::Cents;
use harbor_core::money::ledger::PaymentKind;
use harbor_core::people::messages::ToDo;
use harbor_core::people::reads_large_type;
use harbor_formats::calendar::Entry;
use harbor_paper::Typeface;
use harbor_store::documents::Strokes;
use harbor_store::house::staff;
use harbor_store::people::messages;
use harbor_store::rows::{Clinic, Form, Message, Payment, PaymentMean, Person, Site, Staff, Visit};
use harbor_store::schedule::lists;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, people, schedule};
use serde_json::{Value, json};
use std::collections::HashMap;
use std::sync::OnceLock;
use uuid::Uuid;

/// The typeface of the screens, for paper.
pub fn typeface() -> anyhow::Result<&'static Typeface> {
    static MADE: OnceLock<Result<Typeface, String>> = OnceLock::new();
    MADE.get_or_init(|| Typeface::unpack(web_files::fonts(false), || web_files::fonts(true)).map_err(|e| e.to_string()))
        .as_ref()
        .map_err(|e| anyhow::anyhow!("{e}"))
}

/// A telephone number as it is read aloud: 207 555 0100.
pub fn telephone(digits: &str) -> String {
    match digits.len() {
        10 => format!("{} {} {}", &digits[..3], &digits[3..6], &digits[6..]),
        _ => digits.to_owned(),
    }
}

pub fn head(state: &State) -> Value {
    let c = &state.clinic;
    json!({
        "clinic": c.name,
        "address": format!("{}, {}, {} {}", c.address_line, c.city, c.state, c.postal_code),
        "telephone": telephone(&c.telephone),
        "printed": state.now().with_timezone(&state.zone).format("%a %b %-d %Y at %H:%M").to_string(),
    })
}

pub fn local(state: &State, at: DateTime<Utc>, pattern: &str) -> String {
    at.with_timezone(&state.zone).format(pattern).to_string()
}

/// The words that rows refer to.
struct Names {
    staff: HashMap<Uuid, String>,
    sites: HashMap<Uuid, String>,
    types: HashMap<Uuid, String>,
}

impl Names {
    async fn load(conn: &mut Conn) -> Result<Names, Problem> {
        Ok(Names {
            staff: staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
            sites: staff::sites(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
            types: schedule::visit_types(conn).await?.into_iter().map(|t| (t.id, t.name)).collect(),
        })
    }

    fn of(names: &HashMap<Uuid, String>, id: Uuid) -> &str {
        names.get(&id).map_or("", String::as_str)
    }
}

/// Which lists are printed.
pub struct Lists {
    pub from: NaiveDate,
    pub to: NaiveDate,
    /// Empty: all.
    pub clinicians: Vec<Uuid>,
    /// Starts not before, and before.
    pub after: Option<NaiveTime>,
    pub before: Option<NaiveTime>,
    /// With telephone and e-mail.
    pub contact: bool,
}

impl Lists {
    fn holds(&self, state: &State, clinician: &Staff, v: &Visit) -> bool {
        let starts = v.starts_at.with_timezone(&state.zone).time();
        v.clinician_id == clinician.id
            && !matches!(v.stage(), Stage::Cancelled | Stage::DidNotCome)
            && !v.rebook
            && self.after.is_none_or(|t| starts >= t)
            && self.before.is_none_or(|t| starts < t)
    }
}

/// One list for each day and clinician with somebody on it, and how many those are.
pub async fn day_lists(state: &State, wanted: &Lists) -> Result<(Value, usize), Problem> {
    let mut conn = state.store.reader().await?;
    let names = Names::load(&mut conn).await?;
    let all_lists = lists::all(&mut conn).await?;
    let mut clinicians = staff::all(&mut conn).await?;
    clinicians
        .retain(|s| s.role == Role::Clinician && (wanted.clinicians.is_empty() || wanted.clinicians.contains(&s.id)));
    let mut days = Vec::new();
    for day in wanted.from.iter_days().take_while(|d| *d <= wanted.to) {
        let rows = visits::of_day(&mut conn, day).await?;
        let entries = lists::of_day(&mut conn, day).await?;
        let list_of = |v: &Visit| {
            let entry = entries.iter().find(|e| e.visit_id == v.id)?;
            all_lists.iter().find(|l| l.id == entry.list_id).map(|l| format!("{}, {}", l.name, entry.place))
        };
        let by_id = people::by_id(&mut conn, rows.iter().map(|v| v.person_id)).await?;
        for clinician in &clinicians {
            let lines: Vec<Value> = rows
                .iter()
                .filter(|v| wanted.holds(state, clinician, v))
                .filter_map(|v| Some(list_row(state, &names, v, by_id.get(&v.person_id)?, list_of(v))))
                .collect();
            if !lines.is_empty() {
                let title = format!("{}: {}", in_words(day), clinician.name);
                days.push(json!({ "title": title, "note": format!("{} visits", lines.len()), "rows": lines }));
            }
        }
    }
    let pages = days.len();
    Ok((json!({ "head": head(state), "days": days, "contact": wanted.contact }), pages))
}

/// One line of a list; who has no time is told by the list without times and the place on it.
fn list_row(state: &State, names: &Names, v: &Visit, p: &Person, list: Option<String>) -> Value {
    let preferred = if p.preferred_name.is_empty() { String::new() } else { format!(" ({})", p.preferred_name) };
    let contact: Vec<String> =
        [p.phone.as_deref().map(telephone), p.other_phone.as_deref().map(telephone), p.email.clone()]
            .into_iter()
            .flatten()
            .collect();
    json!({
        "time": local(state, v.starts_at, "%H:%M"),
        "sign": v.call_sign,
        "name": format!("{}, {}{preferred}", p.last_name, p.first_name),
        "born": born(p),
        "number": p.record_number,
        "type": list.unwrap_or_else(|| {
            format!("{}{}", Names::of(&names.types, v.visit_type_id), if v.extra { ", extra" } else { "" })
        }),
        "reason": v.reason,
        "note": v.booking_note,
        "contact": contact.join("\n"),
    })
}

pub fn large_type(state: &State, p: &Person) -> bool {
    p.birth_date.is_some_and(|born| reads_large_type(born, state.today()))
}

pub fn born(p: &Person) -> String {
    p.birth_date.map_or(String::new(), |d| d.format("%b %-d %Y").to_string())
}

/// A person's appointments to come. A slip lies about, so it does not say why somebody comes.
pub async fn slip(state: &State, person: Uuid) -> Result<Value, Problem> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, person).await?;
    let names = Names::load(&mut conn).await?;
    let coming = people::registration::coming_visits(&mut conn, person.id, state.now()).await?;
    let row = |v: &Visit| {
        json!({
            "day": in_words(v.day),
            "time": local(state, v.starts_at, "%-I:%M %p"),
            "clinician": Names::of(&names.staff, v.clinician_id),
            "site": Names::of(&names.sites, v.site_id),
            "type": Names::of(&names.types, v.visit_type_id),
        })
    };
    let rows: Vec<Value> = coming.iter().filter(|v| !v.rebook).map(row).collect();
    let name = format!("{} {}", person.first_name, person.last_name);
    Ok(json!({ "head": head(state), "name": name, "visits": rows, "large": large_type(state, &person) }))
}

/// What was paid, for whom and by which means.
pub async fn receipt(state: &State, payment: &Payment) -> Result<Value, Problem> {
    let mut conn = state.store.reader().await?;
    let r = receipt_of(&mut conn, state, payment).await?;
    let payer = people::get(&mut conn, payment.person_id).await?;
    let amount = |cents: i64| Cents::new(cents.abs()).to_string();
    let (title, sum_words) = match *payment.kind {
        PaymentKind::Void => ("Payment taken back", "Taken back"),
        PaymentKind::Refund => ("Money given back", "Given back"),
        PaymentKind::Payment => ("Receipt", "Received"),
    };
    let part = |p: &ReceiptPart| json!({ "name": p.name, "words": p.words, "amount": amount(p.cents) });
    let mean = |m: &PaymentMean| json!({ "words": format!("{} {}", m.method.label(), m.reference).trim(), "amount": amount(m.cents) });
    let left = Cents::new(r.left_cents);
    let taken_back = r.taken_back.map(|why| format!("Taken back: {why}"));
    Ok(json!({
        "head": head(state),
        "title": title,
        "payer": r.payer,
        "at": local(state, r.at, "%A, %B %-d %Y at %-I:%M %p"),
        "by": r.by,
        "sum-words": sum_words,
        "sum": amount(r.cents),
        "parts": r.parts.iter().map(part).collect::<Vec<_>>(),
        "means": r.means.iter().map(mean).collect::<Vec<_>>(),
        "left": if left.is_positive() { format!("Left to pay: {left}") } else { "Nothing is left to pay.".into() },
        "note": taken_back.unwrap_or(r.reason),
        "number": r.receipt_number,
        "large": large_type(state, &payer),
    }))
}

/// A form as it is signed.
pub fn signed_form(state: &State, p: &Person, form: &Form, signer: &str, strokes: &Strokes) -> Value {
    json!({
        "head": head(state),
        "name": form.name,
        "patient": format!("{} {}", p.first_name, p.last_name),
        "born": born(p),
        "number": p.record_number,
        "body": form.body.split("\n").filter(|l| !l.trim().is_empty()).collect::<Vec<_>>(),
        "strokes": strokes,
        "signer": signer,
        "at": local(state, state.now(), "%B %-d %Y at %-I:%M %p"),
        "large": large_type(state, p),
    })
}

/// Birth date, address and telephone in one line, as they are read out at the desk.
pub fn contact_line(p: &Person) -> String {
    let phone = p.phone.as_deref().map(telephone).unwrap_or_default();
    let parts = [born(p), p.address_line.clone(), p.city.clone(), phone];
    parts.into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(", ")
}

/// The letters that wait for the printer.
pub async fn letters(state: &State) -> Result<(Value, Vec<Uuid>), Problem> {
    let (waiting, by_id) = waiting_for(state, ToDo::PrintLetter).await?;
    let letter = |m: &Message| {
        let p = by_id.get(&m.person_id)?;
        let address = [
            format!("{} {}", p.first_name, p.last_name),
            p.address_line.clone(),
            p.address_line2.clone(),
            format!("{}, {} {}", p.city, p.state, p.postal_code),
        ];
        let to: Vec<String> = address.into_iter().filter(|line| !line.is_empty()).collect();
        let id = m.id.simple().to_string();
        Some(json!({
            "to": to,
            "date": local(state, m.made_at, "%B %-d, %Y"),
            "subject": m.subject,
            "body": m.body,
            "reference": &id[id.len() - 8..],
            "large": large_type(state, p),
        }))
    };
    let rows: Vec<Value> = waiting.iter().filter_map(letter).collect();
    if rows.is_empty() {
        return Err(Problem::refused("paper", "No letter waits to be printed."));
    }
    Ok((json!({ "head": head(state), "letters": rows }), by_id.into_keys().collect()))
}

/// Whom to call: who cannot be messaged, and whose message did not arrive.
pub async fn calls(state: &State) -> Result<(Value, Vec<Uuid>), Problem> {
    let (waiting, by_id) = waiting_for(state, ToDo::Call).await?;
    let call = |m: &Message| {
        let p = by_id.get(&m.person_id)?;
        Some(json!({
            "name": format!("{}, {}", p.last_name, p.first_name),
            "born": born(p),
            "phone": p.phone.as_deref().map_or("none".into(), telephone),
            "about": m.body,
            "why": if m.fate.is_empty() { m.why.clone() } else { m.fate.clone() },
        }))
    };
    let rows: Vec<Value> = waiting.iter().filter_map(call).collect();
    Ok((json!({ "head": head(state), "calls": rows }), by_id.into_keys().collect()))
}

async fn waiting_for(state: &State, what: ToDo) -> Result<(Vec<Message>, HashMap<Uuid, Person>), Problem> {
    let mut conn = state.store.reader().await?;
    let mut rows = messages::recent(&mut conn, state.now()).await?;
    rows.retain(|m| m.to_do() == what);
    rows.reverse();
    let by_id = people::by_id(&mut conn, rows.iter().map(|m| m.person_id)).await?;
    Ok((rows, by_id))
}

fn entry(v: &Visit, title: String, place: String, text: String) -> Entry {
    Entry {
        id: v.id.to_string(),
        sequence: u32::try_from(v.version).unwrap_or(0),
        start: v.starts_at,
        end: v.ends_at,
        title,
        place,
        text,
        cancelled: v.stage == Stage::Cancelled,
    }
}

/// Where somebody has to go: the site's own address, or the clinic's where it has none.
fn site_address(sites: &[Site], site: Uuid, clinic: &Clinic) -> String {
    let Some(s) = sites.iter().find(|s| s.id == site) else { return clinic.name.clone() };
    let (line, city) =
        if s.address_line.is_empty() { (&clinic.address_line, &clinic.city) } else { (&s.address_line, &s.city) };
    format!("{}, {line}, {city}", s.name)
}

/// An appointment for the patient's own calendar.
pub async fn appointment(state: &State, visit: Uuid) -> Result<Entry, Problem> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, visit).await?;
    let names = Names::load(&mut conn).await?;
    let sites = staff::sites(&mut conn).await?;
    let c = &state.clinic;
    Ok(entry(
        &visit,
        format!("{}, {}", c.name, Names::of(&names.staff, visit.clinician_id)),
        site_address(&sites, visit.site_id, c),
        format!("Cannot come? Call {}.", telephone(&c.telephone)),
    ))
}

/// Visits for a calendar program outside: call-signs and visit types, and no patient.
pub async fn unnamed(conn: &mut Conn, rows: &[Visit]) -> Result<Vec<Entry>, Problem> {
    let names = Names::load(conn).await?;
    let one = |v: &Visit| {
        let title = format!("{}: {}", v.call_sign, Names::of(&names.types, v.visit_type_id));
        entry(v, title, Names::of(&names.sites, v.site_id).to_owned(), String::new())
    };
    Ok(rows.iter().map(one).collect())
}
