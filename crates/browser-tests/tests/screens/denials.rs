//! Denial work by the screen: an appeal is written, a second person agrees to what is given up, and a decision under an unknown
//! number finds its claim.

use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks};

/// Opens the denial of which the reason says this.
async fn open(b: &Browser, reason: &str) -> Result<()> {
    b.goto("/billing?tab=denials").await?;
    b.click(&format!("//tr[@data-denial][contains(., '{reason}')]//button")).await?;
    b.see("//*[@role='dialog']//*[contains(., 'Of it open against the payer')]").await?;
    Ok(())
}

async fn appeals(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=denials").await?;
    b.see("//tr[@data-denial][contains(., 'An authorisation was needed before the service.')]").await?;
    b.read("Ask the payer to approve it afterwards").await?;
    no_serious_fault(b, "denials").await?;
    open(b, "An authorisation was needed").await?;
    no_serious_fault(b, "a denial").await?;
    b.press("I work on it").await?;
    b.read("Agathe Marlowe works on it.").await?;
    b.press("Appeal").await?;
    b.fill("words", "It could not wait: see the record of the visit.").await?;
    b.fill("lookAgain", "yesterday").await?;
    b.press("Write the letter").await?;
    b.read("Choose today or a later day.").await?;
    b.fill("lookAgain", "+3w").await?;
    b.press("Write the letter").await?;
    b.see("//*[@role='dialog']//a[normalize-space()='The letter']").await?;
    // The button that was pressed is gone; the focus is brought back into the dialog, which Esc then closes.
    b.click("(//*[@role='dialog']//h2)[1]").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//tr[@data-denial][contains(., 'appealed') and contains(., 'Agathe Marlowe')]").await?;
    // What is somebody else's is left out of one's own.
    b.click("//label[normalize-space()='Mine']").await?;
    b.gone("//tr[@data-denial][contains(., 'nobody works on it')]").await?;
    b.click("//label[normalize-space()='Rates']").await?;
    b.see("//tr[@data-rate='Saltmarsh Mutual Health Plan']").await?;
    no_serious_fault(b, "rates of denials").await?;
    b.click("//label[normalize-space()='By reason']").await?;
    b.see("//tr[starts-with(@data-rate, '197: An authorisation')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_denial_is_taken_over_and_appealed_with_a_letter() {
    journey("a-denial-appealed", appeals).await;
}

async fn agree(biller: &Browser, manager: &Browser) -> Result<()> {
    biller.sign_in("agathe").await?;
    manager.sign_in("soren").await?;
    open(biller, "lacks something").await?;
    biller.read("a second person must agree").await?;
    biller.press("Give it up").await?;
    biller.fill("reason", "not worth another letter").await?;
    biller.key(Key::Enter).await?;
    biller.see("//*[@data-wanted][contains(., 'Somebody else must agree')]").await?;
    manager.goto("/today").await?;
    manager.read("somebody wants to give up").await?;
    open(manager, "lacks something").await?;
    manager.see("//*[@data-wanted][contains(., 'not worth another letter')]").await?;
    no_serious_fault(manager, "a denial that waits for a second person").await?;
    manager.press("Agree").await?;
    manager.fill("reason", "agreed").await?;
    manager.key(Key::Enter).await?;
    manager.read("Given up:").await?;
    // The other one sees it at once.
    biller.see("//*[@role='dialog']//*[contains(., 'Given up:')]").await?;
    Ok(())
}

#[actix_web::test]
async fn what_is_given_up_above_the_limit_waits_for_a_second_person() {
    two_desks("a-denial-given-up", agree).await;
}

async fn matches(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=claims").await?;
    b.click("//label[normalize-space()='Accepted']").await?;
    let number = b.see("//*[@data-claim]").await?.attr("data-claim").await?.context("a claim's number")?;
    b.goto("/billing?tab=remittances").await?;
    b.press("Find its claim").await?;
    b.see("//*[@role='dialog']//*[contains(., 'QUARRY')]").await?;
    no_serious_fault(b, "matching by hand").await?;
    b.fill("claim", "C0").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@role='dialog']//*[@role='alert']").await?;
    b.fill("claim", &number).await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    b.read("matched by Agathe Marlowe").await?;
    Ok(())
}

#[actix_web::test]
async fn a_decision_under_an_unknown_number_is_matched_by_hand() {
    journey("a-decision-matched", matches).await;
}

/// Every remittance is reached from the list, fifty at a time; what is looked for anew begins at its first page.
async fn page_by_page(b: &Browser) -> Result<()> {
    let first = async || b.see("//*[@data-remittance]").await?.attr("data-remittance").await?.context("a trace");
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=remittances").await?;
    let newest = first().await?;
    b.press("Next page").await?;
    b.see("//*[@data-page='2']").await?;
    b.gone(&format!("//*[@data-remittance='{newest}']")).await?;
    let older = first().await?;
    no_serious_fault(b, "the second page of remittances").await?;
    b.press("Page before").await?;
    b.see(&format!("//*[@data-page='1'] | //*[@data-remittance='{newest}']")).await?;
    b.press("Next page").await?;
    b.see("//*[@data-page='2']").await?;
    b.fill("Trace, claim or patient", &older).await?;
    b.key(Key::Enter).await?;
    b.see(&format!("//*[@data-remittance='{older}']")).await?;
    b.gone("//*[@data-page='2']").await?;
    ensure!(first().await? == older, "what is looked for stands on the first page");
    Ok(())
}

#[actix_web::test]
async fn remittances_are_read_page_by_page() {
    journey("remittances-page-by-page", page_by_page).await;
}
