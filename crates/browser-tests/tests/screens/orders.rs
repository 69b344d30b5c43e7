//! Orders by hand: Lucan's seven put right by keys alone, a referral with its letter, what a helper prepared signed by its clinician.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks};

/// Lucan's sheet of today.
async fn lucan(b: &Browser) -> Result<()> {
    b.goto("/in-clinic").await?;
    b.click("//button[@data-present][contains(., 'Ferreira')]").await?;
    b.press("Open this visit").await?;
    b.see("//*[@data-sheet]//*[@data-order='LIPID']").await?;
    Ok(())
}

/// The codes under which an order lies in the view of all lanes.
async fn lies(b: &Browser, name: &str, codes: &str) -> Result<()> {
    b.see(&format!("//*[@data-lane-line='{name}'][@aria-label='{name}, under {codes}']")).await.map(drop)
}

async fn seven_put_right_by_keys(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    lucan(b).await?;
    // From the quick line, where the hands are, with Alt.
    b.keys("l").await?;
    ensure!(b.focused().await?.contains("Lipid panel"), "the first line has the focus: {}", b.focused().await?);
    no_serious_fault(b, "the lanes").await?;
    lies(b, "Lipid panel", "E78.5").await?;
    // Thyrotropin fits none: it waits for a person, who lays it under one diagnosis.
    for _ in 0..6 {
        b.key(Key::Down).await?;
    }
    lies(b, "Thyrotropin", "no diagnosis").await?;
    b.keys("1").await?;
    lies(b, "Thyrotropin", "E78.5").await?;
    // A range, all, and away again.
    b.keys("2-4").await?;
    lies(b, "Thyrotropin", "E78.5, G47.33, I10, N18.31").await?;
    b.keys("3").await?;
    lies(b, "Thyrotropin", "E78.5, I10, N18.31").await?;
    // Potassium under sleep apnoea fits ill; the better lane is a key.
    for _ in 0..4 {
        b.key(Key::Up).await?;
    }
    lies(b, "Potassium", "I10, N18.31").await?;
    b.keys("2").await?;
    lies(b, "Potassium", "N18.31").await?;
    b.keys("3").await?;
    b.keys("4").await?;
    lies(b, "Potassium", "G47.33").await?;
    b.see("//*[@data-lane-line='Potassium'][contains(., 'fits better under') and contains(., 'I10')]").await?;
    b.keys("b").await?;
    lies(b, "Potassium", "I10").await?;
    b.keys("24").await?;
    lies(b, "Potassium", "N18.31").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@data-lane-line]").await?;
    b.click("//*[@aria-label='Lipid panel: Fasting?']//label[.='not known']").await?;
    b.press("Sign and send 7").await?;
    b.see("//*[@data-lane='N18.31']//*[@data-order='K'][@data-sent='true']").await?;
    // Sent, it is laid elsewhere all the same.
    b.see("(//*[@data-lane='N18.31']//*[@data-order='K'])[1]").await?.send_keys("2").await?;
    b.see("//*[@data-lane='I10']//*[@data-order='K']").await.map(drop)
}

#[actix_web::test]
async fn seven_orders_are_put_right_by_keys_alone() {
    journey("lanes", seven_put_right_by_keys).await;
}

async fn prepared_and_signed(assistant: &Browser, doctor: &Browser) -> Result<()> {
    assistant.sign_in("petra").await?;
    lucan(assistant).await?;
    assistant.click("//*[@data-lane='G47.33']//button[normalize-space()='Order']").await?;
    assistant.find("Find what to order", "pulmon", "Referral to pulmonology").await?;
    let chip = "//*[@data-lane='G47.33']//*[@data-order='R-LUNG']";
    assistant.see(&format!("{chip}[contains(., 'not signed')]")).await?;
    assistant.fill("Referral to pulmonology: to whom", "Dr. Sorrel Anstruther, Marrow Ferry").await?;
    assistant.fill("Referral to pulmonology: what is to be found out", "Is the pressure still right?").await?;
    assistant.click(&format!("{chip}//label[contains(., 'Medicines')]")).await?;
    assistant.see(&format!("{chip}[contains(., 'To Dr. Sorrel Anstruther')]")).await?;
    no_serious_fault(assistant, "a referral").await?;
    ensure!(!assistant.text().await?.contains("Sign and send"), "an assistant signs nothing");

    doctor.sign_in("oriane").await?;
    doctor.goto("/results?tab=ordered").await?;
    doctor.see("//*[@data-unsigned='Referral to pulmonology'][contains(., 'Prepared by Petra Lindqvist')]").await?;
    no_serious_fault(doctor, "orders to sign").await?;
    doctor.press_starting("Sign 6").await?;
    doctor.see("//*[@data-open-order='Referral to pulmonology'][contains(., 'answer awaited')]").await?;
    // What lacks something stays, and says what.
    doctor.see("//*[@data-unsigned='Lipid panel'][contains(., 'Fasting?')]").await?;

    // The letter comes back by post; the assistant takes it down, the clinician reads it.
    assistant.press("Answer came: Referral to pulmonology").await?;
    assistant.fill("performer", "Dr. Sorrel Anstruther").await?;
    assistant.fill("words", "The pressure is right; back in a year.").await?;
    assistant.press("To its reader").await?;
    assistant.see(&format!("{chip}[contains(., 'answer here')]")).await?;
    doctor.goto("/results").await?;
    doctor.click("//button[@data-result][contains(., 'pulmonology')]").await?;
    doctor.read("The pressure is right; back in a year.").await
}

#[actix_web::test]
async fn a_referral_is_prepared_signed_and_answered() {
    two_desks("referral", prepared_and_signed).await;
}
