//! Prescribing at the sheet: two items under one signature, a serious warning overridden, a stop.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks_and_the_outside};
use harbor_demo::testing::Product;

use crate::quick_line::visit_of;

const PRESCRIBE: &str = "//*[@data-lane='R05.3']//button[normalize-space()='Prescribe']";

async fn two_items(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
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
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.click(PRESCRIBE).await?;
    b.find("Find a medicine", "cough capsule", "Benzolark").await?;
    b.see("//*[@data-instructions]").await?;
    b.press("Add to the prescription").await?;
    b.press("Sign and send").await?;
    b.see("//*[@data-prescription][contains(., 'pharmacy has it')]").await?;
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
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
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
