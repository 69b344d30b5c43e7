//! Working time by the manager, and what the desk does beside single bookings: lists without times, series, waiting.

use anyhow::Result;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

/// A template is changed from a day on, and a day is closed and opened again.
async fn working_time(b: &Browser) -> Result<()> {
    b.sign_in("soren").await?;
    b.goto("/settings?part=working-time").await?;
    b.click("(//*[@data-template])[1]").await?;
    b.see("//*[@role='dialog']").await?;
    no_serious_fault(b, "working time").await?;
    b.fill("To", "11:00").await?;
    b.press("Change it from that day").await?;
    // The slots are longer than what is left of the morning: the sentence says so, nothing is lost.
    b.read("The slots need 240 minutes; the shift has 180.").await?;
    b.fill("To", "12:30").await?;
    b.press("Change it from that day").await?;
    b.see("//*[@data-report]").await?;
    b.read("8:00–12:30").await?;
    b.fill("From", "+3w").await?;
    b.fill("Reason", "stocktaking").await?;
    b.press("Close these days").await?;
    b.see("//*[@data-exception][contains(., 'stocktaking')]").await?;
    no_serious_fault(b, "exceptions").await?;
    b.goto("/schedule?day=2026-12-14").await?;
    b.read("stocktaking").await?;
    b.goto("/settings?part=working-time").await?;
    b.click("//*[@data-exception][contains(., 'stocktaking')]//button").await?;
    b.gone("//*[@data-exception][contains(., 'stocktaking')]").await?;
    b.tab("Visit types").await?;
    b.press("New visit type").await?;
    b.fill("Name", "Travel advice").await?;
    b.fill("Minutes", "7").await?;
    b.press("Save the visit type").await?;
    b.read("in steps of 5").await?;
    b.fill("Minutes", "30").await?;
    no_serious_fault(b, "visit type").await?;
    b.press("Save the visit type").await?;
    b.gone("//*[@role='dialog']").await?;
    b.read("Travel advice").await
}

#[actix_web::test]
async fn a_manager_changes_working_time() {
    journey("working-time", working_time).await;
}

/// Somebody walks in; a series is booked with one day left out; a freed time goes to whoever waits.
async fn beside_single_bookings(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule").await?;
    b.click("//*[@data-list='Walk-ins']//button[contains(@aria-label, 'Add')]").await?;
    b.find("Find the patient", "Halvorsen", "Halvorsen").await?;
    b.fill("Reason", "Splinter").await?;
    b.press("They are here").await?;
    b.see("//*[@data-list='Walk-ins']//button[contains(., 'Halvorsen')][contains(., 'here')]").await?;
    b.goto("/schedule?day=2026-11-25").await?;
    b.click("(//button[@data-open][contains(@aria-label, 'Consultation')])[1]").await?;
    b.find("Find the patient", "Moreau", "Moreau").await?;
    b.press("Correct").await?;
    b.fill("Telephone", "2075550177").await?;
    b.press("Save the contact").await?;
    b.read("(207) 555-0177").await?;
    b.fill("reason", "Wound care").await?;
    b.click("//*[@role='dialog']//label[contains(., 'Comes again')]").await?;
    b.see("//*[@data-series]").await?;
    b.click("(//*[@data-series]//label[contains(., ':')])[2]").await?;
    no_serious_fault(b, "series").await?;
    b.press_starting("Book all").await?;
    b.press("Book them all the same").await?;
    b.gone("//*[@role='dialog']").await?;
    b.goto("/schedule?more=waiting").await?;
    b.see("//*[@data-waiting]").await?;
    no_serious_fault(b, "waiting list").await?;
    // The demo's first waiting person is offered a Consultation before December.
    b.goto("/schedule?day=2026-11-26").await?;
    b.click("(//button[@data-open][contains(@aria-label, 'Consultation')])[1]").await?;
    b.see("//*[@data-whom-to-ask]").await?;
    b.click("//*[@data-whom-to-ask]//button[starts-with(., 'Move here')]").await?;
    b.gone("//*[@role='dialog']").await?;
    b.goto("/schedule?more=groups").await?;
    b.fill("New group", "Mine").await?;
    b.click("//*[@role='dialog']//label[contains(., 'Renneberg')]").await?;
    b.press("Save the group").await?;
    b.gone("//*[@role='dialog']").await?;
    b.goto("/schedule?more=print").await?;
    b.see("//*[@role='dialog']").await?;
    no_serious_fault(b, "print").await
}

#[actix_web::test]
async fn the_desk_takes_walk_ins_books_series_and_gives_freed_times_away() {
    journey("desk", beside_single_bookings).await;
}
