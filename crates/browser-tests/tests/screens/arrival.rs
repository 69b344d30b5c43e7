//! Arrival in a real browser: one payment for three children, a card that is declined, check-in by keyboard
//! alone, a receipt printed again, and one patient followed through the rooms from two desks.

use anyhow::Result;
use fantoccini::Locator;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks_by_the_clock};
use std::time::{Duration, Instant};

async fn open_person(b: &Browser, text: &str, name: &str) -> Result<()> {
    b.goto("/people").await?;
    b.find("Find a person", text, name).await?;
    b.see("//h2[normalize-space()='Balance']").await?;
    Ok(())
}

async fn household(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    open_person(b, "joris achterberg", "Achterberg, Joris").await?;
    b.press("Take a payment").await?;
    b.see("(//*[@data-due='today'])[3]").await?;
    b.see("//input[@name='amount' and @value='75.00']").await?;
    no_serious_fault(b, "collecting").await?;
    // The amount is shared out while it is typed: the third child gets what is left.
    b.fill("amount", "60.13").await?;
    b.see("(//*[@data-due='today'])[3][contains(., '$10.13')]").await?;
    b.press("Take payment").await?;
    b.read("The card was not charged: declined by the card's bank.").await?;
    b.fill("amount", "75").await?;
    b.click("//label[normalize-space()='Cash']").await?;
    b.press("Take payment").await?;
    b.see("//*[@data-receipt]").await?;
    b.press("Show or send").await?;
    b.read("Received from").await?;
    b.see("(//*[@data-receipt-part])[3]").await?;
    no_serious_fault(b, "receipt").await?;
    b.press("Done").await?;
    b.gone("//*[@data-due='today']").await?;
    b.see("//*[@data-payment='payment'][contains(., '$75.00')]").await?;
    // The till has it, and counts it.
    b.goto("/billing?tab=till").await?;
    b.see("//*[@data-movement='payment'][contains(., 'Joris Achterberg')]").await?;
    no_serious_fault(b, "till").await?;
    Ok(())
}

#[actix_web::test]
async fn the_achterberg_children_with_one_payment_declined_then_cash() {
    journey("arrival-household", household).await;
}

/// A card whose answer was lost and that was charged all the same: nobody is asked for that money again.
async fn lost_answer(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    open_person(b, "joris achterberg", "Achterberg, Joris").await?;
    b.press("Take a payment").await?;
    b.fill("amount", "20.15").await?;
    b.press("Take payment").await?;
    b.read("The card terminal does not answer.").await?;
    b.fill("amount", "30").await?;
    b.press("Take payment").await?;
    b.read("The card was charged 20.15 after all, and it is posted.").await?;
    b.see("//input[@name='amount' and @value='54.85']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_lost_answer_that_is_found_leaves_only_what_is_left_to_pay() {
    journey("arrival-lost-answer", lost_answer).await;
}

/// Opens the visit of somebody who is waiting, by the command bar.
async fn open_check_in(b: &Browser, record: &str) -> Result<()> {
    b.goto("/today").await?;
    b.click(&format!("//*[@data-waiting='{record}']//button")).await?;
    b.see("//*[@data-step='visit']").await?;
    Ok(())
}

async fn by_keyboard(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    // Emeka Sorrentino is here, unchanged, and his fund asks for no copay.
    open_check_in(b, "IH-10009").await?;
    no_serious_fault(b, "check-in").await?;
    let mut strokes = 0;
    let reached = "//aside//li[@data-mark='checked_in' and @data-state='reached']";
    while b.client.find_all(Locator::XPath(reached)).await?.is_empty() {
        // The next thing to do has the focus; Enter does it.
        let unread = b.client.find_all(Locator::XPath("//*[@data-unread]")).await?;
        if unread.is_empty() {
            b.keys(&[Key::Control, Key::Enter].map(char::from).iter().collect::<String>()).await?;
            strokes += 1;
            b.see(reached).await?;
            break;
        }
        b.key(Key::Enter).await?;
        strokes += 1;
        let left = unread.len() - 1;
        b.gone(&format!("(//*[@data-unread])[{}]", left + 1)).await?;
    }
    anyhow::ensure!(strokes <= 4, "{strokes} keystrokes for an unchanged patient");
    println!("check-in of an unchanged patient: {strokes} keystrokes");
    // Opened again to finish later: money comes from the car, the receipt is wanted again.
    b.click("//*[@data-step='collect']//button[normalize-space()='Open']").await?;
    b.fill("amount", "12").await?;
    b.click("//label[normalize-space()='Cash']").await?;
    b.press("Take payment").await?;
    // Nothing is owed: the money is asked about once.
    b.press("Yes, take it all").await?;
    b.see("//*[@data-receipt]").await?;
    b.press_starting("Receipt").await?;
    b.see("//*[@role='dialog']//button[normalize-space()='Print']").await?;
    b.press("Done").await?;
    Ok(())
}

#[actix_web::test]
async fn check_in_by_keyboard_then_reopened_and_printed_again() {
    journey("arrival-keys", by_keyboard).await;
}

/// Somebody stands at the desk whom nobody booked; a stage of the clinic's own lies on their way.
async fn without_an_appointment(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/in-clinic").await?;
    b.press("Without an appointment").await?;
    b.click("//*[@role='dialog']//input[@type='search']").await?;
    b.keys("Zielinski").await?;
    b.click("(//*[@role='option'][contains(., 'Zielinski')])[1]").await?;
    no_serious_fault(b, "without an appointment").await?;
    b.fill("reason", "Cut finger").await?;
    b.click("//*[@role='dialog']//button[contains(., 'Choose')]").await?;
    b.click("//*[@role='option'][contains(., 'Renneberg')]").await?;
    b.press("They are here").await?;
    b.see("//*[@data-step='visit']").await?;
    b.see("//aside//li[@data-mark='here' and @data-state='reached']").await?;
    b.gone("//aside//li[@data-mark='booked']").await?;
    // What it is about is put right on the way.
    b.click("//*[@data-step='visit']//button[normalize-space()='Open']").await?;
    b.fill("reason", "Cut thumb").await?;
    b.press("Put right").await?;
    b.see("//aside[contains(., 'Cut thumb')]").await?;
    b.goto("/in-clinic").await?;
    let waits = "//section[@aria-label='Waiting']//li[contains(., 'no appointment')][contains(., 'Zielinski')]";
    b.click(&format!("{waits}//button[starts-with(normalize-space(), 'Choose a room')]")).await?;
    b.click("(//*[@role='dialog']//button[not(@aria-label='Close')])[last()]").await?;
    let roomed = "//*[@data-room][.//*[@data-present][contains(., 'Zielinski')]]";
    b.click(&format!("{roomed}//button[starts-with(@aria-label, 'More for')]")).await?;
    b.click("//*[@role='menuitem'][normalize-space()='Blood draw']").await?;
    b.see("//*[@data-room='Blood draw']//*[@data-present][contains(., 'Zielinski')]").await?;
    no_serious_fault(b, "at a stage of the clinic's own").await?;
    b.click("//*[@data-room='Blood draw']//*[@data-present][contains(., 'Zielinski')]").await?;
    b.see("//aside//li[@data-mark='roomed' and @data-state='reached']").await?;
    b.keys(".").await?;
    b.see("//aside//li[@data-mark='seen' and @data-state='reached']").await?;
    b.gone("//*[@data-room='Blood draw']//*[@data-present]").await?;
    Ok(())
}

#[actix_web::test]
async fn who_comes_without_an_appointment_passes_the_clinics_own_stage() {
    journey("arrival-unbooked", without_an_appointment).await;
}

async fn followed(desk: &Browser, other: &Browser) -> Result<()> {
    desk.sign_in("petra").await?;
    other.sign_in("junia").await?;
    desk.goto("/in-clinic").await?;
    other.goto("/in-clinic").await?;
    let name = "//*[@data-present='IH-10009']";
    desk.see(name).await?;
    other.see(&format!("//section[@aria-label='Waiting']{name}")).await?;
    no_serious_fault(desk, "in clinic").await?;
    desk.click(name).await?;
    desk.see("//aside//h2").await?;
    desk.keys(".").await?;
    desk.see("//aside//li[@data-mark='checked_in' and @data-state='reached']").await?;
    // Into a room from the card's own menu; the other desk sees it within a second.
    desk.click("//li[.//*[@data-present='IH-10009']]//button[starts-with(normalize-space(), 'Choose a room')]").await?;
    let begun = Instant::now();
    desk.click("(//*[@role='dialog']//button[not(@aria-label='Close')])[last()]").await?;
    other.see(&format!("//*[@data-room]{name}")).await?;
    let seen = begun.elapsed();
    anyhow::ensure!(seen < Duration::from_secs(4), "the other desk saw it after {seen:?}");
    println!("a move was on the other screen after {seen:?}, the press included");
    desk.see(&format!("//*[@data-room]{name}")).await?;
    // Taken back with one key, here and there; keys rest until the dialog has gone.
    desk.gone("//*[@role='dialog']").await?;
    desk.keys(",").await?;
    other.see(&format!("//section[@aria-label='Waiting']{name}")).await?;
    desk.see(&format!("//section[@aria-label='Waiting']{name}")).await?;
    Ok(())
}

#[actix_web::test]
async fn two_desks_follow_one_patient_through_the_rooms() {
    two_desks_by_the_clock("arrival-two-desks", followed).await;
}
