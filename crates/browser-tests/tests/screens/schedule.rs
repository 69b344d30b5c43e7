//! The schedule in a real browser: by keyboard alone, by dragging, with a clinician away, and two desks racing
//! for one slot.

use anyhow::Result;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks_by_the_clock};

/// Books, moves and cancels without touching the mouse.
async fn by_keyboard(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-25").await?;
    b.see("//button[@data-open]").await?;
    b.keys("o").await?;
    b.see("//*[@data-open-time]").await?;
    no_serious_fault(b, "open times").await?;
    let offered = "//*[@data-open-time]//button[contains(@aria-label, ' Consultation with')]";
    let offered = b.see(offered).await?.attr("aria-label").await?.unwrap_or_default();
    b.tab_to(&offered).await?;
    b.key(Key::Enter).await?;
    b.see("//*[@role='dialog']//input[@type='search']").await?;
    b.keys("Halvorsen").await?;
    b.see("//*[@role='option'][contains(., 'Halvorsen')]").await?;
    b.key(Key::Down).await?;
    b.key(Key::Enter).await?;
    b.see("//input[@name='reason']").await?;
    b.tab_to("reason").await?;
    b.keys("Knee again").await?;
    b.key(Key::Enter).await?;
    // They come on this day already: asked once, meant.
    b.read("They come on this day already").await?;
    b.tab_to("Book it all the same").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//aside//p[normalize-space()='Knee again']").await?;
    // Taken up with one key, placed with another.
    b.keys("m").await?;
    b.read("choose the new time").await?;
    no_serious_fault(b, "moving").await?;
    let place =
        "//button[@data-open][starts-with(@aria-label, 'Move to')][contains(@aria-label, ' Consultation with')]";
    let place = b.see(place).await?.attr("aria-label").await?.unwrap_or_default();
    b.tab_to(&place).await?;
    b.key(Key::Enter).await?;
    b.read("moved from Wed, Nov 25").await?;
    b.tab_to("Undo").await?;
    b.key(Key::Enter).await?;
    b.gone("//button[normalize-space()='Undo']").await?;
    b.tab_to("Cancel").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@role='dialog'][contains(., 'Who cancels')]").await?;
    no_serious_fault(b, "cancelling").await?;
    b.tab_to("Choose").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@role='option'][contains(., 'patient ill')]").await?;
    b.key(Key::Enter).await?;
    b.tab_to("Cancel the visit").await?;
    b.key(Key::Enter).await?;
    // Somebody waits for a time like this one, and is offered first.
    b.read("is free again").await?;
    b.see("//*[@data-whom-to-ask]").await?;
    no_serious_fault(b, "freed time").await?;
    b.tab_to("Leave it free").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@role='dialog']").await?;
    b.gone("//aside//button[normalize-space()='Move']").await?;
    Ok(())
}

#[actix_web::test]
async fn booked_moved_and_cancelled_by_keyboard() {
    journey("schedule-keys", by_keyboard).await;
}

/// A range drawn over two free neighbours books one visit of double length.
async fn dragged(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-25").await?;
    let open = |time: &str| format!("//button[@data-open][starts-with(@aria-label, 'Book {time} Child visit')]");
    // The first two free neighbours of the children's doctor.
    b.see("//button[@data-open][contains(@aria-label, 'Child visit')]").await?;
    let labels = b
        .client
        .execute(
            "return [...document.querySelectorAll('[data-open]')].map((e) => e.ariaLabel).filter((l) => l.includes('Child visit'))",
            vec![],
        )
        .await?;
    let times: Vec<String> =
        labels.as_array().into_iter().flatten().filter_map(|l| Some(l.as_str()?.get(5..10)?.to_owned())).collect();
    let minute = |t: &str| t[..2].parse::<i32>().unwrap_or(0) * 60 + t[3..].parse::<i32>().unwrap_or(0);
    let pair = times.windows(2).find(|w| minute(&w[1]) - minute(&w[0]) == 20);
    let [time, next] = pair.ok_or_else(|| anyhow::anyhow!("no two free neighbours among {times:?}"))? else {
        unreachable!()
    };
    let (first, second) = (open(time), open(next));
    b.drag(&[&first, &second]).await?;
    b.see(&format!("//*[@role='dialog'][contains(., 'at {time}')]")).await?;
    b.click("//*[@role='dialog']//input[@type='search']").await?;
    b.keys("Halvorsen").await?;
    b.click("(//*[@role='option'][contains(., 'Halvorsen')])[1]").await?;
    let minutes = b.value("//input[@name='minutes']").await?;
    anyhow::ensure!(minutes == "40", "{minutes} minutes");
    b.fill("reason", "Two things at once").await?;
    b.press("Book").await?;
    b.gone("//*[@role='dialog']").await?;
    b.gone(&second).await?;
    no_serious_fault(b, "schedule").await?;
    // A card is taken with the mouse to another time, and back by Undo.
    let card =
        "//*[@data-visit][contains(@data-tells, 'Child visit · booked')][not(contains(@data-tells, 'Two things'))]";
    let card = b.see(card).await?.attr("data-visit").await?.unwrap_or_default();
    let card = format!("//*[@data-visit='{card}']");
    let was = b.see(&card).await?.attr("data-tells").await?.unwrap_or_default();
    let to = "(//button[@data-open][contains(@aria-label, 'Child visit')])[1]";
    let to_time = b.see(to).await?.attr("aria-label").await?.and_then(|l| l.get(5..10).map(str::to_owned));
    b.drag(&[&card, to]).await?;
    b.read("moved from Wed, Nov 25").await?;
    b.see(&format!("{card}[contains(@data-tells, '{} to')]", to_time.unwrap_or_default())).await?;
    b.undo("moved from").await?;
    b.see(&format!("//*[@data-visit][@data-tells=\"{was}\"]")).await?;
    b.goto("/schedule?view=month").await?;
    b.see("//*[@data-room='2026-11-25']").await?;
    no_serious_fault(b, "month").await?;
    b.goto("/schedule?view=week").await?;
    b.see("//*[@data-visit]").await?;
    no_serious_fault(b, "week").await?;
    Ok(())
}

#[actix_web::test]
async fn a_range_is_dragged_into_a_double_booking() {
    journey("schedule-drag", dragged).await;
}

/// A shift falls out; the plan is looked over, changed in one line, and taken.
async fn away(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-24&away=1").await?;
    // Chosen by keyboard: all of them, none, then one.
    b.click("(//*[@role='option'][contains(., 'Renneberg')])[1]").await?;
    b.keys(&format!("{}a", char::from(Key::Control))).await?;
    b.keys(&char::from(Key::Null).to_string()).await?;
    b.see("//button[starts-with(normalize-space(), 'Cancel 7 shifts')]").await?;
    b.key(Key::Escape).await?;
    b.goto("/schedule?day=2026-11-24&away=1").await?;
    b.click("(//*[@role='option'][contains(., 'Renneberg')])[1]").await?;
    b.press_starting("Cancel the shift").await?;
    b.read("Reason is needed.").await?;
    b.fill("reason", "ill").await?;
    b.press_starting("Cancel the shift").await?;
    b.see("//*[@data-plan]").await?;
    no_serious_fault(b, "rebooking plan").await?;
    b.click("(//*[@data-line]//button)[1]").await?;
    b.click("(//*[@data-trigger='Select']//*[@role='option'])[3]").await?;
    b.read("pinned").await?;
    b.press_starting("Take the plan for").await?;
    b.read("Nobody waits for a new time.").await?;
    // Everybody was told in the way they agreed to; the stand-in says what became of it.
    b.read("messages go out").await?;
    b.goto("/schedule?more=told").await?;
    b.see("//*[@data-message='delivered']").await?;
    no_serious_fault(b, "messages and calls").await?;
    Ok(())
}

#[actix_web::test]
async fn a_shift_is_cancelled_and_a_changed_plan_taken() {
    journey("schedule-away", away).await;
}

async fn ready_to_book(b: &Browser, login: &str, slot: &str, who: &str) -> Result<()> {
    b.sign_in(login).await?;
    b.goto("/schedule?day=2026-11-25").await?;
    b.click(slot).await?;
    b.click("//*[@role='dialog']//input[@type='search']").await?;
    b.keys(who).await?;
    b.click(&format!("(//*[@role='option'][contains(., '{who}')])[1]")).await?;
    b.fill("reason", "Race").await
}

async fn race(one: &Browser, two: &Browser) -> Result<()> {
    let slot = "(//button[@data-open][contains(@aria-label, 'Child visit')])[1]";
    ready_to_book(one, "junia", slot, "Halvorsen").await?;
    ready_to_book(two, "casimir", slot, "Moreau").await?;
    one.press("Book").await?;
    one.gone("//*[@role='dialog']").await?;
    // Measured in the page itself, from the press to the words.
    let watch = "window.told = null;
        document.addEventListener('click', () => { window.pressed = performance.now(); }, { capture: true, once: true });
        new MutationObserver(() => {
            if (!window.told && document.body.innerText.includes('just taken')) window.told = performance.now();
        }).observe(document.body, { childList: true, subtree: true, characterData: true });";
    two.client.execute(watch, vec![]).await?;
    two.press("Book").await?;
    two.read("This time was just taken.").await?;
    let took = two.client.execute("return window.told - window.pressed", vec![]).await?.as_f64().unwrap_or(1e9);
    anyhow::ensure!(took < 1000.0, "told after {took} ms");
    // The next best three are offered; one press takes one of them.
    let offered = "//*[@role='dialog']//button[contains(., ', Adeyemi-Strand')]";
    one.see("//aside//h2[contains(., 'Halvorsen')]").await?;
    anyhow::ensure!(two.client.find_all(fantoccini::Locator::XPath(offered)).await?.len() == 3, "three are offered");
    two.click(&format!("({offered})[1]")).await?;
    Ok(())
}

#[actix_web::test]
async fn two_desks_race_for_one_slot_and_both_are_told_within_a_second() {
    two_desks_by_the_clock("schedule-race", race).await;
}
