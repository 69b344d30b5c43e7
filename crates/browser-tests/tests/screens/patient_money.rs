//! What patients owe by the screen: a figure opens into its visits, something is taken off, statements are made, a plan is agreed
//! on, a month is closed.

use anyhow::{Context, Result};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

async fn figure(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=receivables").await?;
    b.see("//table[@data-receivables='payer']//tfoot").await?;
    no_serious_fault(b, "receivables").await?;
    b.click("//label[normalize-space()='By guarantor']").await?;
    b.see("//table[@data-receivables='guarantor']").await?;
    b.click("//tr[@data-owes][1]//button").await?;
    b.see("//*[@role='dialog']//tr[@data-debt]").await?;
    no_serious_fault(b, "the visits behind a figure").await?;
    b.click("//*[@role='dialog']//tr[@data-debt]//a[starts-with(@href, '/visits/')]").await?;
    b.read("Taken off the patient’s part").await?;
    b.click("//label[contains(., 'Confidential: on nobody')]").await?;
    b.see("//*[@data-confidential='true']").await?;
    b.press("Take something off").await?;
    b.fill("amount", "10%").await?;
    b.press("Take it off").await?;
    b.read("Reason").await?;
    b.fill("reason", "paid at once").await?;
    no_serious_fault(b, "taking something off").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-reduction='made'][contains(., 'paid at once')]").await?;
    b.click("//*[@data-reduction='made']//button[starts-with(@aria-label, 'Take back')]").await?;
    b.fill("reason", "wrong visit").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-reduction='taken_back'][contains(., 'wrong visit')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_figure_opens_into_its_visits_and_something_is_taken_off_one() {
    journey("taken-off", figure).await;
}

async fn statements(b: &Browser) -> Result<()> {
    b.sign_in("agathe").await?;
    b.goto("/billing?tab=statements").await?;
    let first = b.see("//tr[@data-draft]//a").await?.attr("href").await?.context("a person")?;
    no_serious_fault(b, "statements that are due").await?;
    b.click("//button[starts-with(normalize-space(), 'Make ')]").await?;
    b.see("//*[@data-run]").await?;
    // Setting them takes a while where nothing is optimised.
    let done = "//*[@data-due][contains(., 'No statement is due')]";
    for _ in 0..4 {
        if b.see(done).await.is_ok() {
            break;
        }
    }
    b.see(done).await?;
    b.see("//*[@data-run]//a[normalize-space()='Letters to print']").await?;
    b.goto(&first).await?;
    b.see("//*[@data-statement]//a").await?;
    b.press("Agree on a plan").await?;
    b.fill("instalment", "0").await?;
    b.fill("firstOn", "+1w").await?;
    b.press("Agree on it").await?;
    b.read("More than zero.").await?;
    b.fill("instalment", "20").await?;
    b.key(Key::Enter).await?;
    b.read("20.00 every month").await?;
    no_serious_fault(b, "how it is asked for").await?;
    b.press("Wishes for statements").await?;
    b.fill("heldBecause", "disputes the bill").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-wishes][contains(., 'held: disputes the bill')]").await?;
    b.press("Note a call").await?;
    b.fill("sentence", "Pays on Friday.").await?;
    b.fill("promised", "20").await?;
    b.press("Note the call").await?;
    b.read("By when was it promised?").await?;
    b.fill("promisedOn", "+4d").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-call-note][contains(., 'Promised $20.00')]").await?;
    b.goto("/billing?tab=receivables").await?;
    b.click("//label[normalize-space()='Calls and plans']").await?;
    b.see("//tr[@data-plan]").await?;
    no_serious_fault(b, "calls and plans").await?;
    Ok(())
}

#[actix_web::test]
async fn statements_are_made_and_a_plan_is_agreed_on() {
    journey("statements", statements).await;
}

async fn close(b: &Browser) -> Result<()> {
    b.sign_in("soren").await?;
    b.goto("/billing?tab=months").await?;
    b.see("//tr[@data-month]").await?;
    no_serious_fault(b, "months").await?;
    b.click("//button[starts-with(@aria-label, 'Close ')]").await?;
    b.see("//*[@role='dialog'][contains(., 'cannot be opened again')]").await?;
    b.press("Close the month").await?;
    b.see("//tr[@data-month]//*[normalize-space()='closed']").await?;
    b.click("//label[normalize-space()='By clinician']").await?;
    b.see("//table[@data-figures='clinician']//tr[@data-figure='Dr. Oriane Valcourt']").await?;
    no_serious_fault(b, "figures by clinician").await?;
    b.goto("/settings?part=money").await?;
    b.fill("ageBounds", "30, 20").await?;
    b.press("Save the rules").await?;
    b.read("each above the one before").await?;
    b.fill("ageBounds", "15, 45").await?;
    b.press("Save the rules").await?;
    b.read("Saved.").await?;
    no_serious_fault(b, "rules for patients' money").await?;
    b.goto("/billing?tab=receivables").await?;
    b.see("//th[normalize-space()='16 to 45']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_month_is_closed_and_the_ages_are_the_clinics_own() {
    journey("month-closed", close).await;
}

/// At the desk somebody asks what a heart trace would cost, and has a form filled in.
async fn alone(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people").await?;
    b.find("Find a person", "joris achterberg", "Achterberg, Joris").await?;
    b.press("Charge without a visit").await?;
    b.find("Service", "form", "Completing a form").await?;
    b.see("//*[@role='dialog']//*[@data-taken][contains(., '20.00')]").await?;
    no_serious_fault(b, "a charge without a visit").await?;
    b.click("//*[@role='dialog']//button[contains(., 'Choose')]").await?;
    b.click("//*[@role='option'][contains(., 'Renneberg')]").await?;
    b.fill("day", "tomorrow").await?;
    b.key(Key::Enter).await?;
    b.read("This day is still to come.").await?;
    b.fill("day", "today").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-open-visit][contains(., 'Completing a form')]").await?;
    b.click("//*[@data-open-visit][contains(., 'Completing a form')]//button[normalize-space()='Why']").await?;
    b.press("Every entry of this visit").await?;
    b.see("//*[@role='tab'][normalize-space()='Charges']").await?;
    b.gone("//*[@role='tab'][normalize-space()='Check-in']").await?;
    b.goto("/people").await?;
    b.find("Find a person", "joris achterberg", "Achterberg, Joris").await?;
    b.press("Write an estimate").await?;
    b.fill("reason", "Heart trace").await?;
    b.find("Add a service", "electro", "Electrocardiogram").await?;
    b.see("//*[@data-estimated]//tr[contains(., 'Expected charges')][contains(., '62.00')]").await?;
    no_serious_fault(b, "a written estimate").await?;
    b.press("Give the estimate").await?;
    b.see("//*[@data-estimate='6200'][contains(., 'Heart trace')]").await?;
    Ok(())
}

#[actix_web::test]
async fn an_estimate_is_written_and_a_form_is_charged_without_a_visit() {
    journey("alone", alone).await;
}
