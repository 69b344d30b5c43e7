//! Reads the file that a clinic begins with (`harbor begin`): judged whole, with every fault named by its place.

use harbor_core::coverage::payers::{self, PayerEntry};
use harbor_core::fields;
use harbor_core::fields::Faults;
use harbor_core::fields::identifiers::Npi;
use harbor_core::house::permissions::Role;
use harbor_core::people::USUALLY_REQUIRED;
use harbor_core::schedule::USUAL_CANCEL_REASONS;
use harbor_store::codes::RoomKind;
use harbor_store::house::beginning::Beginning;
use harbor_store::house::sign_ins::StaffForm;
use harbor_store::rows::{Clinic, Payer, Room, Site};
use serde::Deserialize;
use uuid::Uuid;

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct File {
    name: String,
    /// Of the tz database, such as `America/New_York`.
    zone: String,
    npi: String,
    /// Nine digits of the employer identification number.
    tax_id: String,
    /// Of the Health Care Provider Taxonomy.
    taxonomy: String,
    address_line: String,
    city: String,
    state: String,
    /// Nine digits, as a billing provider's must have (X12 837P N403).
    postal_code: String,
    telephone: String,
    clearing_house: ClearingHouse,
    sites: Vec<SiteOfFile>,
    payers: Vec<PayerOfFile>,
    manager: Manager,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct ClearingHouse {
    name: String,
    id: String,
    /// Who we are to it.
    submitter_id: String,
    /// False marks every file as a test (ISA15).
    #[serde(default)]
    production: bool,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct SiteOfFile {
    name: String,
    /// X12 CLM05-1, two digits.
    place_of_service: String,
    /// Of its own, where it does not lie at the clinic's address.
    #[serde(default)]
    address_line: String,
    #[serde(default)]
    city: String,
    #[serde(default)]
    state: String,
    #[serde(default)]
    postal_code: String,
    rooms: Vec<RoomOfFile>,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct RoomOfFile {
    name: String,
    kind: RoomKind,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct PayerOfFile {
    name: String,
    payer_code: String,
    /// X12 SBR09, two letters or digits.
    filing_code: String,
    /// Days from the visit until when it takes a claim, where it has told.
    #[serde(default)]
    filing_days: Option<i32>,
    /// Days from its decision until when it takes a corrected claim, and an appeal, where it has told.
    #[serde(default)]
    correction_days: Option<i32>,
    #[serde(default)]
    appeal_days: Option<i32>,
    /// It pays only with a referral.
    #[serde(default)]
    needs_referral: bool,
    #[serde(default)]
    employment: bool,
    #[serde(default)]
    telephone: String,
    #[serde(default)]
    address: String,
}

#[derive(Debug, Deserialize)]
#[serde(rename_all = "camelCase", deny_unknown_fields)]
struct Manager {
    login: String,
    first_name: String,
    last_name: String,
}

/// Rooms stand in the drawing of the building in rows of so many, until somebody moves them.
const ROOMS_IN_A_ROW: usize = 4;

/// What the file begins, or what is wrong with it, a sentence each.
///
/// # Errors
/// When it is no JSON of this shape, or a field of it is at fault.
pub fn read(text: &str) -> Result<Beginning, Vec<String>> {
    let file: File = serde_json::from_str(text).map_err(|e| vec![format!("This is no file to begin with: {e}.")])?;
    let mut faults = Faults::default();
    let begun = judged(file, &mut faults);
    match faults.none_or(begun) {
        Ok(begun) => Ok(begun),
        Err(faults) => Err(faults.0.into_iter().map(|f| format!("{}: {}", f.field, f.sentence)).collect()),
    }
}

fn digits(faults: &mut Faults, field: &str, text: &str, count: usize) -> String {
    let found: String = text.chars().filter(|c| *c != '-').collect();
    if found.len() != count || !found.bytes().all(|b| b.is_ascii_digit()) {
        faults.add(field, format!("Has {count} digits."));
    }
    found
}

fn judged(f: File, faults: &mut Faults) -> Beginning {
    if f.zone.parse::<chrono_tz::Tz>().is_err() {
        faults.add("zone", "Is no zone of the tz database, such as America/New_York.");
    }
    if let Err(bad) = Npi::parse(&f.npi) {
        faults.add("npi", bad.to_string());
    }
    let tax_id = digits(faults, "taxId", &f.tax_id, 9);
    let postal = digits(faults, "postalCode", &f.postal_code, 9);
    if f.state.len() != 2 || !f.state.bytes().all(|b| b.is_ascii_uppercase()) {
        faults.add("state", "Has two capital letters.");
    }
    let telephone = fields::telephone(&f.telephone).unwrap_or_else(|sentence| {
        faults.add("telephone", sentence);
        String::new()
    });
    if f.sites.is_empty() {
        faults.add("sites", "A clinic has one site or more.");
    }
    let clinic = Clinic {
        id: 1,
        name: faults.line("name", "Name", &f.name, 120),
        zone: f.zone,
        npi: f.npi.trim().to_owned(),
        tax_id,
        taxonomy: faults.line("taxonomy", "Taxonomy", &f.taxonomy, 10),
        address_line: faults.line("addressLine", "Address", &f.address_line, 55),
        city: faults.line("city", "City", &f.city, 30),
        state: f.state,
        postal_code: if postal.len() == 9 { format!("{}-{}", &postal[..5], &postal[5..]) } else { postal },
        telephone,
        submitter_id: faults.line("clearingHouse.submitterId", "Submitter", &f.clearing_house.submitter_id, 15),
        clearing_house: faults.line("clearingHouse.name", "Name", &f.clearing_house.name, 60),
        clearing_house_id: faults.line("clearingHouse.id", "Number", &f.clearing_house.id, 15),
        production: f.clearing_house.production,
        required_fields: USUALLY_REQUIRED.iter().map(|f| (*f).into()).collect(),
        cancel_reasons: USUAL_CANCEL_REASONS.map(str::to_owned).to_vec(),
        reason_required: true,
        supply_days: 41,
        wait_long: 15,
        wait_too_long: 30,
        late_after: 10,
        did_not_come_after: 60,
        lock_minutes: 10,
        second_factor_roles: vec![],
        critical_after: 30,
        usual_days: Default::default(),
    };
    let sites = f.sites.into_iter().enumerate().map(|(n, s)| site(n, s, faults)).collect();
    let payers = f.payers.into_iter().enumerate().map(|(n, p)| payer(n, p, faults)).collect();
    let first_name = faults.line("manager.firstName", "First name", &f.manager.first_name, 100);
    let last_name = faults.line("manager.lastName", "Last name", &f.manager.last_name, 100);
    let manager = StaffForm {
        login: faults.line("manager.login", "Sign-in name", &f.manager.login, 60).to_lowercase(),
        name: format!("{first_name} {last_name}"),
        first_name,
        last_name,
        role: Role::Manager,
        npi: None,
        dea: None,
        taxonomy: None,
        site_ids: vec![],
    };
    Beginning { clinic, sites, payers, manager }
}

fn site(n: usize, s: SiteOfFile, faults: &mut Faults) -> (Site, Vec<Room>) {
    let at = |field: &str| format!("sites[{n}].{field}");
    let place_of_service = digits(faults, &at("placeOfService"), &s.place_of_service, 2);
    let id = Uuid::now_v7();
    let site = Site {
        id,
        name: faults.line(&at("name"), "Name", &s.name, 60),
        place_of_service,
        sort: i32::try_from(n).unwrap_or(0),
        address_line: faults.optional_line(&at("addressLine"), "Address", &s.address_line, 55),
        city: faults.optional_line(&at("city"), "City", &s.city, 30),
        state: faults.optional_line(&at("state"), "State", &s.state, 2),
        postal_code: faults.optional_line(&at("postalCode"), "Postal code", &s.postal_code, 10),
    };
    let room = |(i, r): (usize, RoomOfFile)| Room {
        id: Uuid::now_v7(),
        site_id: id,
        name: faults.line(&format!("sites[{n}].rooms[{i}].name"), "Name", &r.name, 40),
        kind: r.kind,
        sort: i32::try_from(i).unwrap_or(0),
        place_x: i32::try_from(i % ROOMS_IN_A_ROW).unwrap_or(0),
        place_y: i32::try_from(i / ROOMS_IN_A_ROW).unwrap_or(0),
        active: true,
    };
    let rooms = s.rooms.into_iter().enumerate().map(room).collect();
    (site, rooms)
}

fn payer(n: usize, p: PayerOfFile, faults: &mut Faults) -> Payer {
    let typed = PayerEntry {
        name: p.name,
        number: p.payer_code,
        filing_code: p.filing_code,
        employment: p.employment,
        filing_days: p.filing_days,
        correction_days: p.correction_days,
        appeal_days: p.appeal_days,
        needs_referral: p.needs_referral,
        telephone: p.telephone,
        address: p.address,
    };
    Payer::of(Uuid::now_v7(), payers::read(typed, faults, |field| format!("payers[{n}].{field}")))
}
