//! The sheet as two people use it: four problems by keyboard, two in one note, co-signature, a note struck in error, and
//! how many keys a usual visit takes.

use anyhow::{Result, bail, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault, two_desks};

use crate::quick_line::visit_of;

async fn alt(b: &Browser, key: char) -> Result<()> {
    b.keys(&format!("{}{key}{}", char::from(Key::Alt), char::from(Key::Null))).await
}

/// Types into a part of the run of a diagnosis.
async fn write(b: &Browser, lane: &str, part: &str, text: &str) -> Result<()> {
    let field = format!("//*[@data-lane='{lane}']//*[@data-part='{part}']");
    b.click(&format!("{field}//textarea")).await?;
    b.keys(text).await?;
    b.see(&format!("{field}[@data-state='saved'][@data-kept='true']")).await?;
    Ok(())
}

async fn lanes(b: &Browser) -> Result<Vec<String>> {
    let mut found = Vec::new();
    for lane in b.client.find_all(fantoccini::Locator::XPath("//*[@data-run]")).await? {
        found.push(lane.attr("data-lane").await?.unwrap_or_else(|| "words".into()));
    }
    Ok(found)
}

async fn four_problems(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.see("//*[@data-lane='R05.3']").await?;
    // Another problem by one key, in words first.
    b.keys("n").await?;
    b.keys("tired for weeks").await?;
    b.see("//*[@role='option'][contains(., 'Begin in words')]").await?;
    b.click("//*[@role='option'][contains(., 'Begin in words')]").await?;
    b.see("//*[@data-run][contains(., 'no code yet')]").await?;
    b.see("//aside//*[contains(., 'has no diagnosis code yet')]").await?;
    b.find("Another problem", "migraine", "G43.909").await?;
    b.see("//*[@data-lane='G43.909']").await?;
    b.find("Another problem", "gout", "M10.9").await?;
    b.see("//*[@data-lane='M10.9']").await?;
    write(b, "G43.909", "plan", "Diary of attacks.").await?;
    // From within its words a problem is moved up, and the main one stands first.
    b.keys(&format!("{}{}{}", char::from(Key::Alt), char::from(Key::Up), char::from(Key::Null))).await?;
    b.see("(//*[@data-run])[2][@data-lane='G43.909']").await?;
    b.click("//*[@data-run][contains(., 'tired for weeks')]//button[normalize-space()='Find its code']").await?;
    b.find("Code for tired for weeks", "fatigue other", "R53.83").await?;
    b.see("//*[@data-lane='R53.83']").await?;
    let order = lanes(b).await?;
    ensure!(order == ["R05.3", "G43.909", "R53.83", "M10.9"], "{order:?}");
    // From the words to the quick line and on: plain words go back to where they belong.
    b.click("//*[@data-lane='M10.9']//*[@data-part='history']//textarea").await?;
    alt(b, 'q').await?;
    b.keys("great toe swollen since this morning").await?;
    b.read("words for History of present illness").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-lane='M10.9']//*[@data-part='history'][@data-kept='true']").await?;
    let toe = "//*[@data-lane='M10.9']//*[@data-part='history']//textarea";
    b.holds(toe, |text| text == "great toe swollen since this morning").await?;
    // How it is with a medicine is one key on its row, and undone.
    b.click("//button[@data-fact='medicines']").await?;
    b.see("//*[@data-medicine][@data-medicine-state='taking']").await?.send_keys("n").await?;
    b.see("//*[@data-medicine][@data-medicine-state='not_taking']").await?;
    b.undo("Not taking").await?;
    b.see("//*[@data-medicine][@data-medicine-state='taking']").await?;
    no_serious_fault(b, "a sheet with four problems").await
}

#[actix_web::test]
async fn a_visit_with_four_problems_by_keyboard() {
    journey("sheet-four", four_problems).await;
}

async fn two_in_one_note(a: &Browser, b: &Browser) -> Result<()> {
    a.sign_in("oriane").await?;
    let visit = visit_of(a, "Wren").await?;
    b.sign_in("tobias").await?;
    for desk in [a, b] {
        desk.goto(&format!("/visits/{visit}/sheet")).await?;
        desk.see("//*[@data-lane='R05.3']").await?;
    }
    // Each sees what the other writes appear, without a press.
    write(a, "R05.3", "examination", "Chest clear.").await?;
    b.see("//*[@data-part='examination'][@data-kept='true']").await?;
    let seen = "//*[@data-lane='R05.3']//*[@data-part='examination']//textarea";
    b.holds(seen, |text| text == "Chest clear.").await?;
    write(b, "R05.3", "assessment", "Cough variant asthma?").await?;
    a.see("//*[@data-part='assessment'][@data-kept='true']").await?;
    // A note in which another hand wrote is never shown as the clinician's own.
    a.see("//button[@data-fact='visit'][contains(., 'written by')][contains(., 'for Dr. Oriane Valcourt')]").await?;
    // Both in one part: neither is written over.
    a.click("//*[@data-lane='R05.3']//*[@data-part='plan']//textarea").await?;
    b.click("//*[@data-lane='R05.3']//*[@data-part='plan']//textarea").await?;
    b.keys("Spirometry.").await?;
    a.keys("Inhaler for a month.").await?;
    let asked = "//*[@role='alert'][contains(., 'saved this part in the meantime')]";
    let plan = "//*[@data-lane='R05.3']//*[@data-part='plan']//textarea";
    for _ in 0..200 {
        for (desk, typed, other) in
            [(a, "Inhaler for a month.", "Dr. Tobias Renneberg"), (b, "Spirometry.", "Dr. Oriane Valcourt")]
        {
            if !desk.client.find_all(fantoccini::Locator::XPath(asked)).await?.is_empty() {
                desk.read(&format!("{other} saved this part")).await?;
                let mine = desk.value(plan).await?;
                ensure!(mine == typed, "{mine}");
                return Ok(());
            }
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    bail!("nobody was asked")
}

#[actix_web::test]
async fn two_people_write_in_one_note() {
    two_desks("sheet-two", two_in_one_note).await;
}

async fn supervised(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.click("//button[@data-fact='visit']").await?;
    b.click("//*[normalize-space(text())='Supervised by']/following::button[1]").await?;
    b.click("//*[@role='option'][contains(., 'Renneberg')]").await?;
    b.fill("minutes", "25").await?;
    b.press("Put down").await?;
    b.see("//button[@data-fact='visit'][contains(., 'supervised by Dr. Tobias Renneberg, 25 minutes')]").await?;
    write(b, "R05.3", "plan", "Spirometry, then decide.").await?;
    b.press("Sign the note").await?;
    b.see("//aside//li[@data-mark='signed' and @data-state='reached']").await?;
    b.press("Sign out").await?;
    b.sign_in("tobias").await?;
    b.click("//li[contains(., 'Takahashi-Doyle')]//button").await?;
    b.press("Co-sign the note").await?;
    b.see("//*[@data-cosigned]").await?;
    // Written on the wrong patient: it stays readable, struck.
    b.press("Sign out").await?;
    b.sign_in("oriane").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.click("//button[@data-fact='visit']").await?;
    b.press("The note was written in error").await?;
    b.fill("reason", "belongs to her sister").await?;
    b.press("Strike the note for good").await?;
    b.see("//*[@data-struck][contains(., 'belongs to her sister')]").await?;
    b.read("Spirometry, then decide.").await?;
    no_serious_fault(b, "a struck note").await
}

#[actix_web::test]
async fn a_note_is_co_signed_and_struck_in_error() {
    journey("sheet-supervised", supervised).await;
}

/// Three measurements, a diagnosis, two orders, a prescription, follow-up and the signature: keys and clicks besides the prose.
async fn a_usual_visit(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.see("//*[@data-lane='R05.3']").await?;
    let mut keys = 0;
    let line = "bp 128/82 hr 72 t 37.1; dx gerd; order cbc, tsh; omeprazole 20 daily 30d; fu 3mo gerd";
    b.keys("q").await?;
    b.keys(line).await?;
    keys += 1 + line.chars().count();
    b.see("//*[@data-kind='follow_up']").await?;
    b.key(Key::Enter).await?;
    keys += 1;
    b.gone("//*[@role='alert'][contains(., 'Not kept')]").await?;
    b.see("//*[@data-order='CBC']").await?;
    // The prescription is looked at and sent from its chip, and one signature is under the rest.
    b.click("//*[@data-script]//button").await?;
    b.press("Sign and send").await?;
    b.see("//*[@data-script][@data-sent='true']").await?;
    b.press("Sign the note and send 2 orders").await?;
    keys += 3;
    b.see("//aside//li[@data-mark='signed' and @data-state='reached']").await?;
    ensure!(keys <= 110, "{keys} keys");
    println!("a usual visit: {keys} keys besides the prose");
    Ok(())
}

#[actix_web::test]
async fn a_usual_visit_takes_at_most_110_keys_besides_its_prose() {
    journey("sheet-keys", a_usual_visit).await;
}
