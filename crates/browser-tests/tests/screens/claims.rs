//! A biller's morning: the sheet of a day, what a claim still has to tell, looking for claims, and answers that match nothing.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks_and_the_outside};
use harbor_demo::testing::Product;
use harbor_formats::x12::{self, Stamp, file_ack};
use harbor_standins::Outgoing;

/// A visit of the last days whose charges are open.
async fn open_charges(b: &Browser) -> Result<String> {
    b.goto("/billing?tab=day").await?;
    b.see("//*[@data-sheet-day='2026-11-23']").await?;
    no_serious_fault(b, "the sheet of a day").await?;
    for day in ["2026-11-22", "2026-11-21", "2026-11-20", "2026-11-19"] {
        b.press("The day before").await?;
        b.see(&format!("//*[@data-sheet-day='{day}']")).await?;
        let script = "return document.querySelector(\"[data-stand='ready']\")?.getAttribute('data-sheet-of') ?? ''";
        let row = b.client.execute(script, vec![]).await?.as_str().unwrap_or_default().to_owned();
        if !row.is_empty() {
            b.click(&format!("//*[@data-sheet-of='{row}'][@data-stand='ready']//a")).await?;
            b.see("//h2[normalize-space()='Charge lines']").await?;
            return Ok(row);
        }
    }
    anyhow::bail!("no visit of the last days is ready to complete")
}

/// A referral is written where the visit wants it, and the visit is for it; it is counted down.
async fn referred(b: &Browser) -> Result<()> {
    b.press("Referral").await?;
    b.press("Add a referral to us").await?;
    b.fill("fromLast", "Okafor-Lund").await?;
    b.fill("fromNpi", "1234567890").await?;
    b.fill("validFrom", "10/1/2026").await?;
    b.fill("visits", "2").await?;
    no_serious_fault(b, "a referral").await?;
    b.key(Key::Enter).await?;
    b.read("its check digit is wrong").await?;
    b.fill("fromNpi", "1234567893").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-referral='Okafor-Lund'][contains(., 'this visit is for it')]").await?;
    b.see("//*[@data-counted][contains(., 'for 2 visits: 1 used, 1 left')]").await?;
    no_serious_fault(b, "the referrals of a visit").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@role='dialog']").await
}

/// What is typed wrong is told at its field; what is said stands on the page, and the charges are completed from the sheet.
async fn for_a_claim(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    let person = open_charges(b).await?;
    b.press("Accident").await?;
    b.see("//*[@role='dialog']").await?;
    no_serious_fault(b, "an accident").await?;
    b.fill("Date of the accident", "12/24/2031").await?;
    b.fill("employer", "Kelp & Sons").await?;
    b.fill("number", "W-88").await?;
    b.key(Key::Enter).await?;
    b.read("future").await?;
    b.fill("Date of the accident", "11/2/2026").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//*[@data-for-claim][contains(., 'Accident at work on Nov 2, 2026, employer Kelp & Sons')]").await?;
    // That is for the employers' fund, which this patient has no policy of: it was in the garden.
    b.read("An accident at work is for the employers' fund").await?;
    b.press("Accident").await?;
    b.click("//*[@role='dialog']//label[normalize-space()='Other']").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    b.gone("//*[contains(., 'is for the employers')]").await?;
    b.press("Since when").await?;
    b.fill("onset", "10/12/2026").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    referred(b).await?;
    b.see("//*[@data-for-claim][contains(., 'ill since Oct 12, 2026, referred by Okafor-Lund')]").await?;
    // A modifier is typed where it belongs, and stays when the field is left.
    b.click("//*[@data-charge]//input").await?;
    b.keys("25").await?;
    b.key(Key::Tab).await?;
    b.holds("//*[@data-charge]//input", |held| held == "25").await?;
    no_serious_fault(b, "charges with what a claim tells").await?;
    b.press("Complete charges").await?;
    b.see("//aside//li[@data-mark='charged' and @data-state='reached']").await?;
    b.goto("/billing?tab=claims").await?;
    b.click("//label[normalize-space()='Ready']").await?;
    // It opens in place with what would be sent, in words beside the segments.
    b.click(&format!("//*[@data-claim-of='{person}']//button")).await?;
    b.press("What is sent, field by field").await?;
    b.see("//*[@data-segment='DTP'][contains(., 'accident on') and contains(., 'Nov 2, 2026')]").await?;
    b.see("//*[@data-segment='NM1'][contains(., 'who referred') and contains(., 'OKAFOR-LUND')]").await?;
    no_serious_fault(b, "a claim with its segments").await?;
    Ok(())
}

/// Completed charges are opened again with the reason, get a line and another price, and are charged again: the claim at the payer
/// is replaced by one that says so.
async fn put_right(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=claims").await?;
    b.click("//label[normalize-space()='Paid']").await?;
    b.see("//tr[@data-claim][contains(., 'paid')]").await?;
    b.click("(//tr[@data-claim]//button)[1]").await?;
    b.see("//*[@role='dialog']").await?;
    let script = "return fetch('/api/claims?state=paid&limit=1').then(r => r.json()).then(c => c[0].visit.id)";
    let visit = b.client.execute(script, vec![]).await?.as_str().unwrap_or_default().to_owned();
    b.goto(&format!("/visits/{visit}/charges")).await?;
    b.press("Put the charges right").await?;
    b.key(Key::Enter).await?;
    b.read("is needed").await?;
    b.fill("reason", "The urine dip test was left out").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-open-again][contains(., 'The urine dip test was left out')]").await?;
    no_serious_fault(b, "charges open again").await?;
    b.fill("Add a service", "urine").await?;
    b.click("//*[@role='option'][contains(., 'Urine dip test')]").await?;
    b.click("//*[@data-charge='URDIP']//button[contains(@aria-label, 'other price')]").await?;
    b.fill("Price of one unit", "9").await?;
    b.fill("Why", "agreed on the telephone").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-charge='URDIP'][contains(., '$9.00') and contains(., 'agreed on the telephone')]").await?;
    b.press("Charge again").await?;
    b.see("//*[@data-corrected='charged'][contains(., 'The urine dip test was left out')]").await?;
    b.see("//*[contains(., 'charges completed')]").await?;
    b.goto("/billing?tab=claims").await?;
    b.click("//label[normalize-space()='Ready']").await?;
    b.click("//tr[@data-claim][contains(., 'Replaces one that the payer has')]//button").await?;
    b.see("//*[@data-versions][contains(., 'replaces C') and contains(., 'this one')]").await?;
    no_serious_fault(b, "a claim with the one it replaces").await?;
    Ok(())
}

#[actix_web::test]
async fn charges_are_put_right_and_the_claim_is_replaced() {
    journey("claims-put-right", put_right).await;
}

#[actix_web::test]
async fn what_a_claim_still_has_to_tell_is_said_beside_its_charges() {
    journey("claims-for-a-claim", for_a_claim).await;
}

/// Whatever is shown holds the text.
async fn shown(b: &Browser, wanted: &str) -> Result<()> {
    let script = "return [...document.querySelectorAll('tr[data-claim]')].map(r => r.innerText)";
    let rows = b.client.execute(script, vec![]).await?;
    let rows: Vec<String> = serde_json::from_value(rows)?;
    ensure!(rows.iter().all(|r| r.contains(wanted)), "only {wanted}: {rows:#?}");
    Ok(())
}

/// Each part of what is looked for narrows the list, and the sum is that of what is found.
async fn looked_for(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing").await?;
    b.see("//*[@data-claim]").await?;
    let all = b.see("//*[@data-sums]").await?.text().await?;
    b.click("//*[@role='search']//button[contains(., 'Every payer')]").await?;
    b.click("//*[@role='option'][contains(., 'Beacon Shoals')]").await?;
    let sums = |text: &str| format!("//*[@data-sums][not(contains(., '{text}'))]");
    let of_payer = b.see(&sums(all.split(',').next().unwrap_or_default())).await?.text().await?;
    b.gone("//tr[@data-claim][contains(., 'Saltmarsh')]").await?;
    b.see("//tr[@data-claim][contains(., 'Beacon Shoals')]").await?;
    shown(b, "Beacon Shoals").await?;
    b.fill("From", "1 nov").await?;
    b.fill("To", "13 nov").await?;
    b.key(Key::Tab).await?;
    b.see(&sums(of_payer.split(',').next().unwrap_or_default())).await?;
    b.gone("//tr[@data-claim][contains(., 'Oct ')]").await?;
    b.see("//tr[@data-claim][contains(., 'Nov ')]").await?;
    shown(b, "Nov ").await?;
    no_serious_fault(b, "claims looked for").await?;
    // Kept under a name, it is one press away, its days in their fields.
    b.press("Keep this view").await?;
    b.fill("name", "Beacon in November").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-views]//button[normalize-space()='Beacon in November'][@aria-pressed='true']").await?;
    b.client.refresh().await?;
    b.see("//*[@data-claim]").await?;
    b.press("Beacon in November").await?;
    b.see("//input[@value='13 nov']").await?;
    b.gone("//tr[@data-claim][contains(., 'Saltmarsh')]").await?;
    no_serious_fault(b, "a kept view").await?;
    // What is no day is said.
    b.fill("From", "soon").await?;
    b.key(Key::Tab).await?;
    b.read("Type a date").await?;
    Ok(())
}

#[actix_web::test]
async fn claims_are_looked_for_and_summed() {
    journey("claims-looked-for", looked_for).await;
}

/// The clearing house refuses a file that never went out.
fn refused_elsewhere(product: &Product) {
    let at = chrono::NaiveDate::from_ymd_opt(2026, 11, 23).and_then(|d| d.and_hms_opt(15, 0, 0)).unwrap_or_default();
    let stamp =
        Stamp { at, control: 600_001, production: false, sender: "CAUSEWAY".into(), receiver: "INDIGOHBR".into() };
    let ack = file_ack::FileAck {
        group_kind: "HC".into(),
        group_control: "987654".into(),
        group_version: x12::claim::VERSION.into(),
        outcome: "R".into(),
        sets: vec![],
    };
    let content = file_ack::write(&stamp, &ack);
    product.outside.lock().outgoing.push(Outgoing { part: "exchange", what: "999".into(), content, released: true });
}

/// It comes to Today while somebody looks, and leaves every list when it is seen to.
async fn stray(product: &Product, b: &Browser, other: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    other.sign_in("agathe").await?;
    other.goto("/billing?tab=batches").await?;
    refused_elsewhere(product);
    b.see("//*[contains(., 'Answers that match nothing')]").await?;
    b.press("Open batches").await?;
    let told = "//*[@data-stray='999'][contains(., 'No file of claims went out under the number 987654')]";
    b.see(told).await?;
    no_serious_fault(b, "answers that match nothing").await?;
    other.see(told).await?;
    b.press("Seen to").await?;
    b.gone(told).await?;
    other.gone(told).await?;
    Ok(())
}

#[actix_web::test]
async fn an_answer_that_matches_nothing_is_work_until_it_is_seen_to() {
    two_desks_and_the_outside("claims-stray", stray).await;
}
