//! Writing less, by keyboard: a template and its fields, a questionnaire by numbers; and words found in the notes of before.

use anyhow::{Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks};

use crate::quick_line::visit_of;

/// Nothing is saved from now on: the line is down.
const DOWN: &str = "const ask = window.fetch;
    window.fetch = (...asked) => (asked[0].method === 'PUT' ? Promise.reject(new TypeError('down')) : ask(...asked));";

const HISTORY: &str = "//*[@data-lane='R05.3']//*[@data-part='history']//textarea";

async fn template_by_keyboard(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.click(HISTORY).await?;
    let before = b.value(HISTORY).await?;
    b.keys(&format!("{}t{}", char::from(Key::Alt), char::from(Key::Null))).await?;
    b.find("Template", "headache", "Headache").await?;
    // It goes after what was typed, and the first field is in hand.
    b.see("//*[@data-field-asked='how long']").await?;
    b.keys("three days\t").await?;
    // A choice by its number, a number looked at, a sentence left out.
    b.see("//*[@data-field-asked='where']").await?;
    b.keys("2").await?;
    b.see("//*[@data-field-asked='kind']").await?;
    b.keys("1").await?;
    b.see("//*[@data-field-asked='pain']").await?;
    b.keys("bad\t").await?;
    b.read("“bad” is no number; pain is asked for as one.").await?;
    b.keys("7\t").await?;
    b.see("//*[@data-field-asked='Not the worst ever, did not begin within a minute.']").await?;
    b.keys("2").await?;
    b.see("//*[@data-field-asked='No fever, no stiff neck.']").await?;
    b.holds(HISTORY, |text| {
        text.starts_with(&before)
            && text.contains("Headache for three days, both sides, pulsing. Pain 7/10. {? No fever")
    })
    .await?;
    // What is not filled is told before it is signed.
    b.see("//*[@data-unfilled][contains(., 'No fever, no stiff neck.')]").await?;
    no_serious_fault(b, "a template being filled in").await
}

#[actix_web::test]
async fn a_template_is_filled_in_by_keyboard() {
    journey("texts-template", template_by_keyboard).await;
}

async fn questionnaire_by_numbers(b: &Browser) -> Result<()> {
    b.sign_in("petra").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.see("//*[@data-sheet]").await?;
    b.keys("q").await?;
    b.keys("phq9").await?;
    b.see("//*[@data-kind='questionnaire']").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-question='1']").await?;
    for question in 1..=9 {
        b.see(&format!("//*[@data-question='{question}']")).await?;
        b.keys("2").await?;
    }
    b.see("//*[@data-score='PHQ-9'][normalize-space()='PHQ-9: 9 of 27, mild']").await?;
    b.see("//*[@data-alarm][contains(., 'self-harm')]").await?;
    b.see("//button[@data-fact='asked'][contains(., 'PHQ-9: 9 of 27, mild')]").await?;
    b.see("//*[@data-asked][@data-state='saved']").await?;
    no_serious_fault(b, "a questionnaire being asked").await
}

#[actix_web::test]
async fn a_questionnaire_is_answered_by_numbers() {
    journey("texts-questionnaire", questionnaire_by_numbers).await;
}

/// Lists of templates are asked for no more: what the screen shows is what it had.
const LIST_STANDS: &str = "const ask = window.fetch;
    window.fetch = (...asked) => (/api.texts\\?/.test(asked[0].url ?? asked[0]) ? new Promise(() => {}) : ask(...asked));";

async fn template_goes_while_it_is_taken(writer: &Browser, manager: &Browser) -> Result<()> {
    writer.sign_in("oriane").await?;
    let visit = visit_of(writer, "Wren").await?;
    writer.goto(&format!("/visits/{visit}/sheet")).await?;
    writer.click(HISTORY).await?;
    let before = writer.value(HISTORY).await?;
    writer.keys(&format!("{}t{}", char::from(Key::Alt), char::from(Key::Null))).await?;
    writer.see("//*[@role='option'][contains(., 'Headache')]").await?;
    writer.client.execute(LIST_STANDS, vec![]).await?;
    manager.sign_in("soren").await?;
    manager.goto("/settings?part=texts").await?;
    manager.click("//button[@aria-label='Change Headache']").await?;
    manager.press("Use it no more").await?;
    manager.gone("//button[@aria-label='Change Headache']").await?;
    writer.click("//*[@role='option'][contains(., 'Headache')]").await?;
    writer.see("//*[@role='alert'][contains(., 'There is no such text template')]").await?;
    ensure!(writer.value(HISTORY).await? == before, "the part was written into");
    // Taken back, it can be written.
    manager.press("Undo").await?;
    manager.see("//button[@aria-label='Change Headache']").await?;
    writer.keys(&format!("{}t{}", char::from(Key::Alt), char::from(Key::Null))).await?;
    writer.click("//*[@role='option'][contains(., 'Headache')]").await?;
    writer.holds(HISTORY, |text| text.starts_with(&before) && text.contains("Headache for")).await
}

#[actix_web::test]
async fn a_template_goes_while_somebody_takes_it() {
    two_desks("texts-gone", template_goes_while_it_is_taken).await;
}

/// What the clinic asks, once and then changed.
const STAIRS: &str = "How was it this week?
answers: Never = 0 | Often = 2
1. Woke at night
2. Could not climb stairs
score Chest: 1-2
0-1 calm
2-4 not calm";

async fn questionnaire_changes_while_it_is_asked(asker: &Browser, manager: &Browser) -> Result<()> {
    manager.sign_in("soren").await?;
    manager.goto("/settings?part=texts").await?;
    manager.press("New questionnaire").await?;
    manager.fill("title", "Chest week").await?;
    manager.fill("body", STAIRS).await?;
    manager.see("//*[@data-preview][contains(., 'Could not climb stairs')]").await?;
    manager.press("Save the questionnaire").await?;
    manager.see("//button[@aria-label='Change Chest week']").await?;
    asker.sign_in("petra").await?;
    let visit = visit_of(asker, "Wren").await?;
    asker.goto(&format!("/visits/{visit}/sheet")).await?;
    asker.click("//button[@data-fact='asked']").await?;
    asker.press("Ask Chest week").await?;
    asker.see("//*[@data-question='1']").await?;
    asker.keys("2").await?;
    asker.see("//*[@data-asked][@data-state='saved']").await?;
    // The manager turns the second question into another one.
    manager.click("//button[@aria-label='Change Chest week']").await?;
    manager.fill("body", &STAIRS.replace("Could not climb stairs", "Slept well")).await?;
    manager.press("Save the questionnaire").await?;
    manager.read("version 2").await?;
    // What was asked stays what it was, and says so; the answers go on.
    asker.see("//*[@data-question='2'][contains(., 'Could not climb stairs')]").await?;
    asker.keys("2").await?;
    asker.read("was changed since").await?;
    asker.see("//*[@data-score='Chest'][contains(., '4 of 4, not calm')]").await?;
    no_serious_fault(asker, "a questionnaire that was changed").await
}

#[actix_web::test]
async fn a_questionnaire_changes_while_it_is_asked() {
    two_desks("texts-changed", questionnaire_changes_while_it_is_asked).await;
}

async fn found_in_notes(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Lucan").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.see("//*[@data-sheet]").await?;
    let id = b
        .client
        .execute(
            "return fetch('/api/visits/' + arguments[0]).then(r => r.json()).then(v => v.card.person.id)",
            vec![visit.into()],
        )
        .await?;
    b.goto(&format!("/people/{}", id.as_str().unwrap_or_default())).await?;
    b.see("//*[@data-past-of]").await?;
    // A visit of before is read where it lies.
    b.click("(//*[@data-past]//button[starts-with(@aria-label, 'Read ')])[2]").await?;
    b.see("//*[@data-note-of]//*[@data-part-read]").await?;
    b.fill("in-notes", "pressure").await?;
    let found = b.see("//*[@data-found-in-notes]//mark").await?.text().await?;
    ensure!(found.to_lowercase().starts_with("pressure"), "{found}");
    b.click("(//*[@data-found-in-notes]//button)[1]").await?;
    b.see("//*[@data-found-in-notes]//*[@data-note-of]").await?;
    no_serious_fault(b, "the past of a person").await
}

#[actix_web::test]
async fn the_past_is_read_in_its_place_and_searched() {
    journey("texts-past", found_in_notes).await;
}

async fn struck_while_writing(a: &Browser, b: &Browser) -> Result<()> {
    b.sign_in("tobias").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.click(HISTORY).await?;
    a.sign_in("oriane").await?;
    a.goto(&format!("/visits/{visit}/sheet")).await?;
    a.click("//button[@data-fact='visit']").await?;
    a.press("The note was written in error").await?;
    a.click("//input[@name='reason']").await?;
    a.keys("wrong patient").await?;
    // One writes on while the other strikes: it ends in a sentence, and the words are still there to be copied.
    a.see("//button[normalize-space()='Strike the note for good']").await?;
    b.client.execute(DOWN, vec![]).await?;
    b.keys(" And one more thing").await?;
    b.see("//*[@data-note-state='failed']").await?;
    a.press("Strike the note for good").await?;
    a.see("//*[@data-struck]").await?;
    b.see("//*[@data-struck][contains(., 'wrong patient')]").await?;
    b.see("//*[@data-left-behind][contains(., 'And one more thing')]").await?;
    // Full stops and letters that go on are no keys of the page.
    b.keys("o. d. ").await?;
    b.see("//*[@data-struck][contains(., 'wrong patient')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_note_is_struck_while_another_writes() {
    two_desks("texts-struck", struck_while_writing).await;
}

/// What waits in the browser, as it lies there.
async fn waiting(b: &Browser) -> Result<String> {
    let script = "return Object.keys(localStorage).filter(k => k.startsWith('harbor-kept/'))
        .map(k => k + ' ' + localStorage.getItem(k)).join('\\n')";
    Ok(b.client.execute(script, vec![]).await?.as_str().unwrap_or_default().to_owned())
}

async fn outlives_the_window(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    let sheet = format!("/visits/{visit}/sheet");
    b.goto(&sheet).await?;
    let plan = "//*[@data-lane='R05.3']//*[@data-part='plan']//textarea";
    b.click(plan).await?;
    // The line is down, and the window is closed.
    b.client.execute(DOWN, vec![]).await?;
    b.keys("Spirometry before and after.").await?;
    b.see("//*[@data-note-state='failed']").await?;
    for _ in 0..100 {
        if !waiting(b).await?.is_empty() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let kept = waiting(b).await?;
    ensure!(kept.contains("/note/") && !kept.contains("Spiro"), "it waits, and nobody reads it: {kept}");
    // Loaded again it is there, goes to the server, and waits no more.
    b.goto(&sheet).await?;
    b.holds(plan, |text| text == "Spirometry before and after.").await?;
    b.see("//*[@data-lane='R05.3']//*[@data-part='plan'][@data-state='saved'][@data-kept='true']").await?;
    ensure!(waiting(b).await?.is_empty(), "saved, and still there");
    // Whoever signs out leaves nothing behind.
    b.client.execute(DOWN, vec![]).await?;
    b.click(plan).await?;
    b.keys(" And once more.").await?;
    b.see("//*[@data-note-state='failed']").await?;
    b.press("Sign out").await?;
    b.press("Sign out and lose it").await?;
    b.see("//input[@name='login']").await?;
    ensure!(waiting(b).await?.is_empty(), "signed out, and still there");
    Ok(())
}

#[actix_web::test]
async fn what_is_typed_outlives_a_closed_window_and_a_dead_line() {
    journey("texts-lasting", outlives_the_window).await;
}
