//! Whole visits with the hands on the keyboard: a part signed alone, a child measured and seen, and what a killed server
//! leaves of a sentence.

use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, PATIENCE, beside, journey, no_serious_fault};
use harbor_demo::testing::Product;

use crate::quick_line::visit_of;

const PLAN: &str = "//*[@data-lane='R05.3']//*[@data-part='plan']";

async fn with(b: &Browser, held: Key, key: char) -> Result<()> {
    b.keys(&format!("{}{key}{}", char::from(held), char::from(Key::Null))).await
}

async fn alone(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/sheet")).await?;
    b.click(&format!("{PLAN}//textarea")).await?;
    b.keys("Spirometry, then decide.").await?;
    // It asks first, since it cannot be undone; Esc goes back to the words.
    with(b, Key::Alt, 's').await?;
    b.see("//*[@data-sign-this]").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@data-sign-this]").await?;
    ensure!(b.focused().await?.starts_with("Plan"), "back in the words: {}", b.focused().await?);
    with(b, Key::Alt, 's').await?;
    b.see("//*[@data-sign-this]").await?;
    no_serious_fault(b, "a part about to be signed").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-lane='R05.3']//*[@data-signed-part][contains(., 'Dr. Oriane Valcourt')]").await?;
    // The hands go on in the next part; the rest of the note is open, and addenda are taken for what is signed.
    b.see("//textarea[@name='procedures'][@data-focused='true']").await?;
    b.keys("Spirometry done.").await?;
    b.see("//*[@data-part='procedures'][@data-state='saved'][@data-kept='true']").await?;
    b.press("Addendum to what is signed").await?;
    b.keys("Rang her: Thursday.").await?;
    b.press("Add addendum").await?;
    b.read("Rang her: Thursday.").await?;
    b.press("Sign the note").await?;
    b.see("//aside//li[@data-mark='signed' and @data-state='reached']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_part_is_signed_alone_by_keyboard() {
    journey("hands-alone", alone).await;
}

/// Goes on by Tab until the focus is within something.
async fn tab_into(b: &Browser, selector: &str) -> Result<()> {
    let script = "return document.activeElement.closest(arguments[0]) !== null";
    for _ in 0..80 {
        b.key(Key::Tab).await?;
        if b.client.execute(script, vec![selector.into()]).await?.as_bool() == Some(true) {
            return Ok(());
        }
    }
    anyhow::bail!("Tab never came into {selector}")
}

/// From the list of what waits to the signature, and not one touch of the pointer.
async fn no_pointer(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    b.see("//*[@data-waiting='IH-10006']").await?;
    tab_into(b, "[data-waiting='IH-10006']").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-lane='R05.3']").await?;
    b.keys("q").await?;
    b.keys("bp 128/82 hr 72; lungs clear; dx gerd; order cbc; omeprazole 20 daily 30d; fu 3mo gerd").await?;
    b.see("//*[@data-kind='follow_up']").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-script][@data-sent='false']").await?;
    b.see("//*[@data-lane='K21.9']//*[@data-part='plan'][@data-kept='true']").await.context("the lane of the line")?;
    // Words without a part stay in the line; in a part they go where they belong.
    b.holds("//input[@name='quick']", |left| left == "lungs clear").await?;
    // What is opened takes the hands in, and gives them back.
    with(b, Key::Alt, 'x').await?;
    b.see("//*[@data-opened-here]").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@data-opened-here]").await?;
    ensure!(b.focused().await?.starts_with("Omepraze"), "back at its chip: {}", b.focused().await?);
    b.keys("x").await?;
    b.see("//*[@data-opened-here]").await?;
    b.tab_to("Sign and send").await?;
    // The main action of what is open, and not of the note behind it.
    with(b, Key::Control, Key::Enter.into()).await?;
    b.see("//*[@data-script][@data-sent='true']").await?;
    b.see("//aside//li[@data-mark='signed' and @data-state='current']").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@data-opened-here]").await?;
    b.see("//button[starts-with(normalize-space(), 'Sign the note')][not(@disabled)]").await?;
    with(b, Key::Control, Key::Enter.into()).await?;
    b.see("//aside//li[@data-mark='signed' and @data-state='reached']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_visit_is_done_without_the_pointer() {
    journey("hands-no-pointer", no_pointer).await;
}

/// The assistant measures a child, the clinician sees how it grows, and nothing is guessed on the way.
async fn a_child(b: &Browser) -> Result<()> {
    b.sign_in("petra").await?;
    let visit = visit_of(b, "Fenna").await?;
    b.goto(&format!("/visits/{visit}/rooming")).await?;
    b.see("//*[@data-sheet]").await?;
    b.keys("q").await?;
    b.keys("w 26kg h 128cm t 38.2; no known allergies; no medicines; lives with parents; mother asthma").await?;
    b.see("//*[@data-kind='family']").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-growth]//*[local-name()='svg'][contains(@aria-label, '26 kg')]").await?;
    b.read("CDC 2000 growth reference").await?;
    b.see("//tr[@data-measure='temperature'][contains(., 'high')]").await?;
    b.see("//button[@data-fact='histories'][contains(., 'lives with parents')]").await?;
    b.press("Sign out").await?;
    b.sign_in("ifeoma").await?;
    b.goto(&format!("/visits/{visit}/note")).await?;
    b.see("//button[@data-fact='measured'][contains(., '38.2')]").await?;
    b.keys("q").await?;
    b.keys("dx acute bronchitis; ibuprofen 100 tid 5d; fu 2w cough").await?;
    b.see("//*[@data-kind='prescription'][@data-doubtful='true']").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-lane='J20.9']").await?;
    // What is not clear is said once, and stays in the line.
    b.see("//*[@role='alert'][contains(., 'Not kept: Prescription') and contains(., 'Not clear yet.')]").await?;
    b.holds("//input[@name='quick']", |left| left == "ibuprofen 100 tid 5d").await?;
    b.see("//*[@data-lane='J20.9']//*[@data-part='plan'][@data-kept='true']").await?;
    // Nobody has seen the child yet, so nobody signs.
    b.press("Sign the note").await?;
    b.read("The patient has not been seen yet.").await?;
    no_serious_fault(b, "a child's sheet").await
}

#[actix_web::test]
async fn a_childs_visit_is_measured_and_written() {
    journey("hands-child", a_child).await;
}

/// The server goes in the middle of a sentence, and comes again at the same address.
#[actix_web::test]
async fn a_server_is_killed_between_two_keys() {
    let _beside = beside().await;
    let product = Product::start().await.expect("product");
    let first = product.another_server().await.expect("server");
    let port = first.address.rsplit(':').next().and_then(|p| p.parse().ok()).expect("port");
    let browser = Browser::open(&first.address, 1280, 800).await.expect("browser");
    let walk = async {
        let b = &browser;
        b.sign_in("oriane").await?;
        let visit = visit_of(b, "Wren").await?;
        b.goto(&format!("/visits/{visit}/sheet")).await?;
        b.click(&format!("{PLAN}//textarea")).await?;
        b.keys("Spirometry before").await?;
        first.stop().await;
        b.keys(" and after.").await?;
        b.see("//*[@data-note-state='failed']").await?;
        let again = product.server_at(port).await?;
        // Nobody presses anything: what could not be saved is sent as soon as somebody answers.
        b.see(&format!("{PLAN}[@data-state='saved'][@data-kept='true']")).await?;
        b.client.refresh().await?;
        b.holds(&format!("{PLAN}//textarea"), |text| text == "Spirometry before and after.").await?;
        anyhow::Ok(again)
    };
    let outcome = tokio::time::timeout(PATIENCE * 5, walk).await.context("in time").and_then(|walked| walked);
    if outcome.is_err() {
        let _ =
            std::fs::write(std::env::temp_dir().join("hands-killed.png"), browser.picture().await.unwrap_or_default());
    }
    browser.close().await.expect("close");
    outcome.expect("a killed server").stop().await;
    product.stop().await.expect("stop");
}
