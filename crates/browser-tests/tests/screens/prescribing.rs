//! Prescribing at the sheet: two items under one signature, a serious warning overridden, a stop.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks, two_desks_and_the_outside};
use harbor_demo::testing::Product;

use crate::quick_line::visit_of;

const PRESCRIBE: &str = "//*[@data-lane='R05.3']//button[normalize-space()='Prescribe']";

/// The clinician at Wren's sheet.
async fn at_the_sheet(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    Ok(())
}

/// A capsule for her cough, written and sent to the pharmacy.
async fn cough_capsule_sent(b: &Browser) -> Result<()> {
    at_the_sheet(b).await?;
    b.click(PRESCRIBE).await?;
    b.find("Find a medicine", "cough capsule", "Benzolark").await?;
    b.see("//*[@data-instructions]").await?;
    b.press("Add to the prescription").await?;
    b.press("Sign and send").await?;
    b.see("//*[@data-prescription][contains(., 'pharmacy has it')]").await?;
    Ok(())
}

async fn two_items(b: &Browser) -> Result<()> {
    at_the_sheet(b).await?;
    b.click(PRESCRIBE).await?;
    b.find("Find a medicine", "amox 500 cap", "Amoxelle").await?;
    b.see("//*[@data-finding='allergy']").await?;
    // Quantity and days say each other, and how it is typed is read back in words.
    b.fill("often", "bid").await?;
    b.fill("quantity", "20").await?;
    b.see("//*[@data-instructions][contains(., 'twice a day for 10 days. Dispense 20 capsules.')]").await?;
    b.fill("dose", "300 mg").await?;
    b.read("cannot be measured out").await?;
    b.fill("dose", "1").await?;
    b.see("//*[@data-instructions][contains(., 'Take 1 capsule by mouth')]").await?;
    no_serious_fault(b, "writing a prescription").await?;
    b.press("Add to the prescription").await?;
    b.see("//*[@data-prescription='amoxelle-500']").await?;
    b.press("Close what is open here").await?;
    b.click(PRESCRIBE).await?;
    b.find("Find a medicine", "cough capsule", "Benzolark").await?;
    b.see("//*[@data-instructions]").await?;
    b.press("Add to the prescription").await?;
    b.see("//*[@data-sign-drafts]").await?;
    // One signature for both, with the keyboard; what is serious asks for its reason first.
    b.tab_to("Sign and send 2").await?;
    b.key(Key::Enter).await?;
    b.read("Give an override reason").await?;
    b.fill("overrideReason", "tolerated in 2024").await?;
    no_serious_fault(b, "signing prescriptions").await?;
    b.tab_to("Sign and send 2").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-prescription][contains(., 'pharmacy has it')]").await?;
    let sent = b.client.find_all(fantoccini::Locator::XPath("//*[@data-script][@data-sent='true']")).await?.len();
    ensure!(sent == 2, "{sent} of two are signed");
    // A stop says why, and the list of what is taken follows.
    b.click("//button[starts-with(@aria-label, 'Stop Benzolark')]").await?;
    b.fill("reason", "makes her dizzy").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-script='benzolark-100'][contains(., 'stopped')]").await?;
    b.press("Close what is open here").await?;
    b.click("//*[@data-script='amoxelle-500']//button").await?;
    b.see("//*[@data-override][contains(., 'tolerated in 2024')]").await?;
    Ok(())
}

#[actix_web::test]
async fn two_items_have_one_signature_with_a_reason_for_what_is_serious_and_one_is_stopped() {
    journey("prescribing-two", two_items).await;
}

/// A pharmacy asks, and the prescriber answers from Today.
async fn renewal(product: &Product, doctor: &Browser, _other: &Browser) -> Result<()> {
    let b = doctor;
    cough_capsule_sent(b).await?;
    ensure!(product.outside.pharmacy_says(0, "renew"), "the pharmacy has it");
    b.goto("/today").await?;
    b.click("//h2[contains(., 'Renewals asked for')]/following-sibling::ul//button").await?;
    b.see("//*[@data-renewal][contains(., 'Benzolark')]").await?;
    no_serious_fault(b, "a renewal").await?;
    b.click("//*[@data-renewal]//label[.='Renew']").await?;
    b.press("Sign 1 and answer 1").await?;
    b.read("No renewal is asked for.").await?;
    Ok(())
}

#[actix_web::test]
async fn a_renewal_that_a_pharmacy_asks_for_is_answered_from_today() {
    two_desks_and_the_outside("prescribing-renewal", renewal).await;
}

/// Said where it matters, and the checks follow.
async fn pregnancy(b: &Browser) -> Result<()> {
    at_the_sheet(b).await?;
    b.click("//*[@data-fact='medicines']").await?;
    b.see("//*[@data-state='pregnant'][contains(., 'Not known')]").await?;
    b.click("//button[@aria-label='Pregnant: yes']").await?;
    b.fill("due", "+20w").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-state='pregnant'][contains(., 'due ')]").await?;
    no_serious_fault(b, "pregnancy").await?;
    b.key(Key::Escape).await?;
    b.click(PRESCRIBE).await?;
    b.find("Find a medicine", "doxycycline 100", "Doxymarsh").await?;
    b.see("//*[@data-finding='pregnancy']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_pregnancy_is_said_with_its_due_date_and_the_checks_follow() {
    journey("prescribing-pregnancy", pregnancy).await;
}

/// A child's suspension: wished by weight, given as it can be measured out, written anew when the wish changes.
async fn suspension(b: &Browser) -> Result<()> {
    b.sign_in("ifeoma").await?;
    let visit = visit_of(b, "Mees").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.fill("quick", "w 18kg; dx ear pain").await?;
    b.key(Key::Enter).await?;
    b.holds("//input[@name='quick']", str::is_empty).await?;
    b.click("//*[@data-lane]//button[normalize-space()='Prescribe']").await?;
    b.find("Find a medicine", "amox 250 susp", "Amoxelle Junior").await?;
    b.fill("dose", "40 mg/kg/day").await?;
    b.fill("often", "bid").await?;
    b.fill("days", "7").await?;
    b.see(
        "//*[@data-instructions][contains(., 'Take 7 mL (350 mg) by mouth twice a day for 7 days. Dispense 98 mL.')]",
    )
    .await?;
    b.see("//*[@data-by-weight][contains(., '38.89 mg/kg a day at 18 kg, weighed today.')]").await?;
    no_serious_fault(b, "a child's suspension").await?;
    b.press("Add to the prescription").await?;
    b.see("//*[@data-prescription='amoxelle-junior-50']").await?;
    b.click("//button[starts-with(@aria-label, 'Change Amoxelle Junior')]").await?;
    b.holds("//input[@name='dose']", |dose| dose == "7").await?;
    b.fill("dose", "300 mg").await?;
    b.press("Keep").await?;
    b.see("//*[@data-prescription='amoxelle-junior-50'][contains(., 'Take 6 mL (300 mg)')]").await?;
    // Taken up once more it is as it was written last.
    b.click("//button[starts-with(@aria-label, 'Change Amoxelle Junior')]").await?;
    b.holds("//input[@name='dose']", |dose| dose == "6").await?;
    Ok(())
}

#[actix_web::test]
async fn a_childs_suspension_is_wished_by_weight_and_measured_out() {
    journey("prescribing-suspension", suspension).await;
}

/// Later, without a visit: renewed, changed and signed at the person's page.
async fn later(b: &Browser) -> Result<()> {
    cough_capsule_sent(b).await?;
    b.click("//h2/button[contains(., 'Takahashi')]").await?;
    let one = "//*[@data-prescribed='benzolark-100']";
    b.click(&format!("{one}//button[starts-with(@aria-label, 'Renew')]")).await?;
    b.see("//*[@data-ready='benzolark-100']").await?;
    b.click("//*[@data-ready]//button[starts-with(@aria-label, 'Remove')]").await?;
    b.gone("//*[@data-ready]").await?;
    b.click(&format!("{one}//button[starts-with(@aria-label, 'Change')]")).await?;
    b.fill("often", "bid").await?;
    b.see("//*[@data-instructions][contains(., 'twice a day')]").await?;
    b.press("Lay ready in its place").await?;
    b.see("//*[@data-ready][contains(., 'in place of Benzolark')]").await?;
    no_serious_fault(b, "prescriptions of a person").await?;
    b.press("Sign and send").await?;
    b.gone("//*[@data-ready]").await?;
    b.see("//*[@data-prescribed][contains(., 'twice a day')][contains(., 'in place of Benzolark')]").await?;
    b.press_starting("Show 1 earlier").await?;
    b.see("//*[@data-prescribed][contains(., 'changed to Benzolark')]").await?;
    Ok(())
}

#[actix_web::test]
async fn what_was_prescribed_is_renewed_or_changed_without_a_visit() {
    journey("prescribing-later", later).await;
}

/// A medicine that the payer pays for some uses only: asked for with its questions, approved, and the number stands there.
async fn approval(product: &Product, doctor: &Browser, _other: &Browser) -> Result<()> {
    let b = doctor;
    at_the_sheet(b).await?;
    b.click(PRESCRIBE).await?;
    b.find("Find a medicine", "semaglutide 0.25", "Semagholm").await?;
    b.see("//*[@data-instructions]").await?;
    b.press("Add to the prescription").await?;
    let payer = "//*[@data-prescription='semagholm-0_25']//*[@data-to-payer]";
    b.see(&format!("{payer}[contains(., 'for some uses only')]")).await?;
    b.press("Ask for approval").await?;
    b.fill("answer0", "none: it is for the weight").await?;
    b.click("//*[@data-to-payer]//label[.='No']").await?;
    b.press_starting("Ask Saltmarsh").await?;
    b.read("Say why it is needed").await?;
    b.fill("reason", "weight before surgery").await?;
    no_serious_fault(b, "asking a payer").await?;
    b.press_starting("Ask Saltmarsh").await?;
    b.see("//*[@data-to-payer='waiting' or @data-to-payer='granted']").await?;
    if !product.outside.lock().automatic {
        ensure!(product.outside.payer_says(0, "approve"), "the payer has it");
    }
    b.see("//*[@data-to-payer='granted'][contains(., 'SALTM')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_payer_is_asked_for_its_approval_and_its_number_is_shown() {
    two_desks_and_the_outside("prescribing-approval", approval).await;
}

/// The prescriber answers a pharmacy with a change.
async fn changed(product: &Product, b: &Browser, _other: &Browser) -> Result<()> {
    b.sign_in("maelis").await?;
    b.goto("/results?tab=renewals").await?;
    b.click("//*[@data-renewal]//label[.='Renew changed']").await?;
    b.fill("days", "2 weeks").await?;
    b.see("//*[@data-instructions][contains(., 'for 14 days. Dispense 28 tablets.')]").await?;
    b.press("Answer with this").await?;
    b.see("//*[@data-changed][contains(., 'for 14 days')]").await?;
    no_serious_fault(b, "a changed renewal").await?;
    b.press("Sign 1 and answer 1").await?;
    b.read("No renewal is asked for.").await?;
    ensure!(product.outside.lock().prescriptions.iter().all(|p| p.days == 14), "the pharmacy has the changed one");
    Ok(())
}

#[actix_web::test]
async fn a_request_is_answered_with_a_change() {
    two_desks_and_the_outside("prescribing-changed", changed).await;
}

/// The manager reads from Today what was overridden and why, and not of whom.
async fn watched(doctor: &Browser, manager: &Browser) -> Result<()> {
    doctor.sign_in("oriane").await?;
    doctor.goto("/people").await?;
    doctor.find("Find a person", "takahashi", "Takahashi").await?;
    doctor.find("Prescribe without a visit", "amox 500 cap", "Amoxelle").await?;
    doctor.see("//*[@data-finding='allergy']").await?;
    doctor.press("Add to the prescription").await?;
    doctor.fill("overrideReason", "tolerated in 2024").await?;
    doctor.press("Sign and send").await?;
    doctor.see("//*[@data-prescribed='amoxelle-500']").await?;
    manager.sign_in("soren").await?;
    manager.press("Read them").await?;
    manager.see("//*[@data-pair][contains(., 'tolerated in 2024')][contains(., 'Dr. Oriane Valcourt')]").await?;
    no_serious_fault(manager, "overridden warnings").await?;
    let told = manager.text().await?;
    ensure!(!told.contains("Takahashi"), "it is not told of whom");
    Ok(())
}

#[actix_web::test]
async fn a_manager_reads_which_warnings_were_overridden() {
    two_desks("prescribing-watched", watched).await;
}
