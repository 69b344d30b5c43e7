//! The catalogue in the settings: a service, its prices by fee schedule, the yearly raise and its Undo.

use anyhow::Result;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

async fn of_manager(b: &Browser) -> Result<()> {
    b.sign_in("soren").await?;
    b.goto("/settings?part=services").await?;
    b.see("//*[@data-catalogue]").await?;
    no_serious_fault(b, "the catalogue").await?;
    b.fill("Find a service", "spiro").await?;
    b.gone("//*[@data-service='DRAW']").await?;
    // What is typed wrong is told at its field, and what holds for the service stands beside it.
    b.click("//*[@data-service='SPIRO']//button[contains(@aria-label, 'change the service')]").await?;
    b.fill("mostUnits", "none").await?;
    b.key(Key::Enter).await?;
    b.read("A whole number from 1 to 999").await?;
    no_serious_fault(b, "a service of the catalogue").await?;
    b.fill("mostUnits", "3").await?;
    b.fill("needs", "referring").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//*[@data-service='SPIRO'][contains(., 'at most 3 a visit; needs referring')]").await?;
    // A price of who pays for themselves, from a day on.
    b.click("//*[@data-service='SPIRO']//button[contains(@aria-label, 'change the Self-pay price')]").await?;
    b.fill("price", "65").await?;
    b.fill("From", "1/1/2027").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-service='SPIRO'][contains(., '$60.00') and contains(., '$65.00 from Jan 1, 2027')]").await?;

    b.press("Add a fee schedule").await?;
    b.fill("name", "Beacon, all plans").await?;
    b.key(Key::Enter).await?;
    b.read("for which payer").await?;
    b.click("//*[@role='dialog']//button[contains(., 'Choose')]").await?;
    b.click("//*[@role='option'][contains(., 'Beacon Shoals')]").await?;
    no_serious_fault(b, "a fee schedule").await?;
    b.press("Add the fee schedule").await?;
    b.see("//*[@data-schedules]//tr[contains(., 'Beacon, all plans') and contains(., 'as Standard')]").await?;

    // The raise is shown before it is made, and all of it is taken back with one press.
    b.click("//*[@data-schedule='standard']//button[contains(., 'Raise')]").await?;
    b.fill("percent", "3.5").await?;
    b.fill("from", "1/1/2027").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-raised='SPIRO'][contains(., '$78.00') and contains(., '$81.00')]").await?;
    no_serious_fault(b, "a raise").await?;
    b.click("//*[@role='dialog']//button[starts-with(normalize-space(), 'Set ')]").await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//*[@data-service='SPIRO'][contains(., '$81.00 from Jan 1, 2027')]").await?;
    b.press("Undo").await?;
    b.gone("//*[@data-service='SPIRO'][contains(., '$81.00')]").await?;
    b.see("//*[@data-price-changes][contains(., 'taken back')]").await?;
    Ok(())
}

#[actix_web::test]
async fn services_and_prices_are_kept_and_raised() {
    journey("catalogue-of-manager", of_manager).await;
}
