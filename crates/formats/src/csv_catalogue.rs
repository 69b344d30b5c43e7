//! The clinic's services and their prices as CSV (RFC 4180) with headings, in and out: what is written reads back.

use crate::csv_files::{self, FieldsFile, FileFault, Headings};
use crate::incoming::Fields;

const SERVICE: [(&str, &[&str]); 18] = [
    ("code", &["code", "service", "servicecode"]),
    ("name", &["name", "description", "title"]),
    ("externalCode", &["external", "externalcode", "billingcode", "procedurecode"]),
    ("serviceType", &["kind", "servicetype", "type"]),
    ("level", &["level"]),
    ("newPatient", &["new", "newpatient"]),
    ("procedure", &["procedure"]),
    ("done", &["done", "chargedwhen"]),
    ("modifiers", &["modifiers", "modifier"]),
    ("units", &["units"]),
    ("mostUnits", &["mostunits", "maxunits", "unitlimit"]),
    ("place", &["place", "placeofservice"]),
    ("diagnoses", &["diagnoses", "usualdiagnoses"]),
    ("needs", &["needs"]),
    ("notWith", &["notwith", "excludes"]),
    ("startsOn", &["from", "startson", "start"]),
    ("endsOn", &["to", "until", "endson", "end"]),
    // The tables that ship with the product have it beside the rest; prices come in with a file of their own.
    ("price", &["price", "fee"]),
];

const PRICE: [(&str, &[&str]); 5] = [
    ("service", &["service", "code", "servicecode"]),
    ("schedule", &["schedule", "feeschedule"]),
    ("price", &["price", "fee", "amount"]),
    ("from", &["from", "startson", "start", "effective"]),
    ("until", &["to", "until", "endson", "end"]),
];

/// The fields of a service that are written, in their order.
pub const SERVICE_FIELDS: [&str; 17] = [
    "code",
    "name",
    "externalCode",
    "serviceType",
    "level",
    "newPatient",
    "procedure",
    "done",
    "modifiers",
    "units",
    "mostUnits",
    "place",
    "diagnoses",
    "needs",
    "notWith",
    "startsOn",
    "endsOn",
];

/// The fields of a price that are written, in their order.
pub const PRICE_FIELDS: [&str; 5] = ["service", "schedule", "price", "from", "until"];

/// Reads a file of services.
pub fn read_services(bytes: &[u8]) -> Result<FieldsFile, FileFault> {
    csv_files::read(bytes, &[&SERVICE as &Headings], &[("code", "a code"), ("name", "a name")])
}

/// Reads a file of prices; without a column of schedules they are of the one for everybody.
pub fn read_prices(bytes: &[u8]) -> Result<FieldsFile, FileFault> {
    csv_files::read(bytes, &[&PRICE as &Headings], &[("service", "a service"), ("price", "a price")])
}

/// Writes rows under the first of each field's headings.
///
/// # Errors
/// When a row cannot be written, which memory alone can cause.
pub fn write(fields: &[&'static str], rows: &[Fields]) -> Result<Vec<u8>, csv::Error> {
    let all = SERVICE.iter().chain(&PRICE);
    let heading = |field: &&str| all.clone().find(|(f, _)| f == field).map_or("", |(_, names)| names[0]);
    let mut writer = csv::Writer::from_writer(vec![]);
    writer.write_record(fields.iter().map(heading))?;
    for row in rows {
        writer.write_record(fields.iter().map(|f| row.get(f).map_or("", String::as_str)))?;
    }
    writer.into_inner().map_err(|e| csv::Error::from(e.into_error()))
}
