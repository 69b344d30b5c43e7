//! What the stand-ins answer is lawful to an independent reader: our readers learn from it.

#[path = "../../../formats/tests/validator.rs"]
mod validator;

use crate::outside::Outside;
use crate::payer::claim;
use harbor_core::claims::{AddressOnClaim, Biller, Claim};
use harbor_formats::x12::{self, Stamp};

fn address() -> AddressOnClaim {
    AddressOnClaim {
        line: "1 QUAYSIDE".into(),
        line2: String::new(),
        city: "PORT CALDER".into(),
        state: "ME".into(),
        postal_code: "049980001".into(),
    }
}

fn biller() -> Biller {
    Biller {
        organisation: "INDIGO HARBOR FAMILY CLINIC".into(),
        npi: "1234567893".into(),
        taxonomy: "261QP2300X".into(),
        tax_id: "990000001".into(),
        address: address(),
        pay_to: None,
        contact: "BILLING OFFICE".into(),
        telephone: "2075550100".into(),
        submitter_id: "INDIGOHBR".into(),
        receiver_name: "CAUSEWAY EXCHANGE".into(),
        receiver_id: "CAUSEWAY".into(),
    }
}

/// Paid, reduced, refused, taken back, of every payer.
fn claims() -> Vec<Claim> {
    let of = [
        ("SALTM", "SM500"),
        ("SALTM", "SM592"),
        ("SALTM", "SM581"),
        ("SALTM", "SM583"),
        ("SALTM", "SM584"),
        ("BEACN", "BS501"),
        ("COMWC", "CC502"),
        ("FERRY", "FW503"),
    ];
    of.into_iter()
        .enumerate()
        .map(|(n, (payer, subscriber))| {
            let mut c = claim(payer, subscriber);
            c.number = format!("C{n}");
            c.patient.address = address();
            c.rendering.npi = "1234567893".into();
            (c.rendering.last_or_name, c.rendering.first) = ("VALCOURT".into(), "ORIANE".into());
            c
        })
        .collect()
}

#[actix_web::test]
async fn everything_the_exchange_answers_is_lawful_and_of_the_basic_letters() {
    let at = chrono::NaiveDate::from_ymd_opt(2026, 11, 23).unwrap().and_hms_opt(9, 0, 0).unwrap();
    let stamp = Stamp { at, control: 1001, production: false, sender: "INDIGOHBR".into(), receiver: "CAUSEWAY".into() };
    let text = x12::claim::write(&stamp, &biller(), "B1001", &claims());
    let outside = Outside::open(true);
    assert_eq!(outside.post("/exchange/files", text).await.0, 202);
    let (_, page) = outside.get("/").await;
    for waiting in page.split("action=/release/").skip(1).filter_map(|p| p.split('>').next()) {
        outside.post(&format!("/release/{waiting}"), "").await;
    }
    let given = outside.released("/exchange/files", 0).await;
    let files: Vec<(String, String)> = given.into_iter().map(|(n, text)| (format!("{n}.x12"), text)).collect();
    let kinds = ["ST*999*", "ST*277*", "ST*835*"];
    assert!(kinds.iter().all(|k| files.iter().any(|(_, t)| t.contains(k))), "{files:#?}");
    assert!(files.iter().all(|(_, text)| text.is_ascii()));
    if let Some(found) = validator::x12_findings(&files) {
        assert_eq!(found, "");
    }
    outside.close().await;
}
