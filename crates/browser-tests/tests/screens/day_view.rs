//! The day on the board: changing its slots by hand, looking at it in every way, and leaving a dialog half typed.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

const DIALOG: &str = "//*[@role='dialog']";

/// The slot of Dr. Valcourt that is on the board at a time.
fn slot(time: &str) -> String {
    format!("//button[@data-open][starts-with(@aria-label, 'Book {time} ')][contains(@aria-label, 'Valcourt')]")
}

async fn change_slot(b: &Browser, at: &str) -> Result<()> {
    b.click(at).await?;
    b.press("Change this slot").await?;
    b.see("//h3[.='History']").await?;
    Ok(())
}

/// Splits, joins, holds and frees a slot; what cannot be is said where it was typed, and all of it is on record.
async fn by_hand(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-26").await?;
    change_slot(b, &slot("09:00")).await?;
    no_serious_fault(b, "slot").await?;
    for (typed, sentence) in
        [("11:00", "the time lies outside it"), ("9:02", "at least 5 minutes"), ("soon", "Type a time such as")]
    {
        b.fill("Split it at", typed).await?;
        b.press("Split").await?;
        b.read(sentence).await?;
    }
    b.fill("Split it at", "9:20").await?;
    b.press("Split").await?;
    b.gone(DIALOG).await?;
    // The halves of a long consultation are too short for one; they can be kept for something shorter.
    change_slot(b, &slot("09:20")).await?;
    b.read("split off").await?;
    b.press("Change").await?;
    b.read("takes 40 minutes; the slot has 20").await?;
    b.press("Close this").await?;
    b.gone(DIALOG).await?;
    change_slot(b, &slot("09:00")).await?;
    b.press("Join with the next one").await?;
    b.gone(DIALOG).await?;
    b.gone(&slot("09:20")).await?;
    change_slot(b, &slot("09:00")).await?;
    b.press("Hold").await?;
    b.read("What it is held for is needed.").await?;
    b.fill("Hold it for", "supplier").await?;
    b.press("Hold").await?;
    b.gone(DIALOG).await?;
    b.click("//button[@data-held][normalize-space()='supplier']").await?;
    for what in ["made", "split", "joined", "held"] {
        b.see(&format!("{DIALOG}//td[.='{what}']")).await?;
    }
    b.press("Free it").await?;
    b.gone(DIALOG).await?;
    b.see(&slot("09:00")).await?;
    // Whoever may not change slots is not offered it.
    b.press("Sign out").await?;
    b.sign_in("petra").await?;
    b.goto("/schedule?day=2026-11-26").await?;
    b.see("//*[@data-held]").await?;
    ensure!(b.client.find(fantoccini::Locator::XPath("//button[@data-held][not(@disabled)]")).await.is_err());
    Ok(())
}

#[actix_web::test]
async fn slots_are_changed_by_hand_and_every_change_is_on_record() {
    journey("slots", by_hand).await;
}

/// Halves, past, search, discreet mode, notes, the week and the month.
async fn looked_at(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule").await?;
    let card = "//*[@data-visit='IH-10006']";
    b.see(card).await?;
    // What the pointer or the focus is on is told in whole under the board.
    b.drag(&[card]).await?;
    b.see("//*[@data-foot][contains(., 'called Wren T.')][contains(., 'Cough for six weeks')]").await?;
    b.fill("Find in what is shown", "cough for").await?;
    b.see(&format!("{card}[@data-faint='false']")).await?;
    b.see("//*[@data-visit='IH-10003'][@data-faint='true']").await?;
    // In discreet mode nobody is on the screen by name, nor can be found by it.
    b.fill("Find in what is shown", "Takahashi").await?;
    b.see(&format!("{card}[@data-faint='false']")).await?;
    b.press("Discreet mode").await?;
    b.see(&format!("{card}[@data-faint='true'][contains(., 'Olive 5')]")).await?;
    ensure!(!b.text().await?.contains("Takahashi"), "a name stays on the screen");
    b.drag(&[card]).await?;
    b.see("//*[@data-foot][contains(., 'Olive 5')]").await?;
    let foot = b.see("//*[@data-foot]").await?.text().await?;
    ensure!(!foot.contains("Wren") && !foot.contains("IH-10006") && !foot.contains("1992"), "{foot}");
    no_serious_fault(b, "discreet schedule").await?;
    b.press("Discreet mode is on").await?;
    b.fill("Find in what is shown", "").await?;
    b.press("Fold past").await?;
    b.gone("//*[@data-visit='IH-10024']").await?;
    b.press("Show past").await?;
    b.see("//*[@data-visit='IH-10024']").await?;
    // A note is pinned to a time; a wrong time is said where it was typed.
    b.goto("/schedule?more=note").await?;
    b.fill("Time", "noonish").await?;
    b.fill("Note", "bring the reports").await?;
    b.press("Pin the note").await?;
    b.read("Type a time such as").await?;
    b.fill("Time", "13:40").await?;
    b.press("Pin the note").await?;
    b.click("//*[@data-note][contains(., 'bring the reports')]").await?;
    b.press("Remove the note").await?;
    b.gone("//*[@data-note][contains(., 'bring the reports')]").await?;
    // One key to the next day, to the day before.
    b.click("//h1").await?;
    b.keys("]").await?;
    b.see("//h1[contains(., 'Tuesday')]").await?;
    b.keys("[").await?;
    b.see("//h1[contains(., 'Monday')]").await?;
    b.goto("/schedule?view=week").await?;
    // A day at the end of the week on which nobody works takes no room.
    b.see("//*[@role='region']//strong[.='Fri, Nov 27']").await?;
    b.gone("//*[@role='region']//strong[.='Sun, Nov 29']").await?;
    no_serious_fault(b, "week").await?;
    b.goto("/schedule?view=month").await?;
    b.read("with Valcourt").await?;
    // What has been tells who came, and opens; the days of other months in its weeks are there too.
    b.see("//*[@data-room='2026-12-06'][@disabled]").await?;
    b.click("//*[@data-room='2026-11-20'][contains(., '16 visits')]").await?;
    b.see("//h1[contains(., 'Friday, November 20')]").await?;
    b.see("//*[@data-visit][@data-over='true']").await?;
    b.goto("/schedule?view=month").await?;
    no_serious_fault(b, "month").await?;
    b.click("//*[@data-room='2026-11-27']").await?;
    b.see("//h1[contains(., 'Friday, November 27')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_day_is_looked_at_in_every_way() {
    journey("looking", looked_at).await;
}

/// What was typed into a booking is not lost by Esc or by a press beside it, and is nobody else's.
async fn half_typed(b: &Browser) -> Result<()> {
    let reason = "//input[@name='reason']";
    let open = slot("09:00");
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-26").await?;
    // Nothing typed: a press beside the dialog leaves it.
    b.click(&open).await?;
    b.see(DIALOG).await?;
    b.drag(&["//h1"]).await?;
    b.gone(DIALOG).await?;
    b.click(&open).await?;
    b.find("Find the patient", "Moreau", "Moreau").await?;
    b.fill("reason", "Second opinion").await?;
    b.drag(&["//h1"]).await?;
    b.see(&format!("{DIALOG}{reason}")).await?;
    b.key(Key::Escape).await?;
    b.gone(DIALOG).await?;
    // Another slot begins empty, the same one as it was left.
    b.click(&slot("08:40")).await?;
    b.see("//*[@role='dialog']//input[@type='search']").await?;
    b.press("Close this").await?;
    b.gone(DIALOG).await?;
    b.click(&open).await?;
    b.see(&format!("{DIALOG}//strong[contains(., 'Moreau')]")).await?;
    ensure!(b.value(reason).await? == "Second opinion");
    b.press("Leave").await?;
    // Who signs in next at this machine does not find it.
    b.press("Sign out").await?;
    b.sign_in("casimir").await?;
    b.client
        .execute(
            "history.pushState({}, '', '/schedule?day=2026-11-26'); dispatchEvent(new PopStateEvent('popstate'))",
            vec![],
        )
        .await?;
    b.click(&open).await?;
    b.find("Find the patient", "Moreau", "Moreau").await?;
    ensure!(b.value(reason).await?.is_empty());
    b.fill("reason", "Second opinion").await?;
    b.press("Book").await?;
    b.gone(DIALOG).await?;
    b.see("//aside//p[normalize-space()='Second opinion']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_half_typed_booking_is_there_again_and_nobody_elses() {
    journey("half-typed", half_typed).await;
}
