//! The sheet of keys tells the truth: what it says on a screen is read, and each key is pressed.

use anyhow::{Result, bail, ensure};
use fantoccini::Locator;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey};

const SHEET: &str = "//*[@role='dialog'][.//tr[@data-key]]";

/// What the sheet of the screen in sight says.
async fn sheet(b: &Browser) -> Result<Vec<String>> {
    // Keys rest while somebody types: a screen that begins in its search is left for its heading.
    b.click("(//h1 | //h2)[1]").await?;
    b.keys("?").await?;
    b.see(SHEET).await?;
    let mut keys = Vec::new();
    for row in b.client.find_all(Locator::XPath(&format!("{SHEET}//tr[@data-key]"))).await? {
        keys.push(row.attr("data-key").await?.unwrap_or_default());
    }
    b.key(Key::Escape).await?;
    b.gone(SHEET).await?;
    Ok(keys)
}

async fn address(b: &Browser) -> Result<String> {
    Ok(b.client.current_url().await?.to_string())
}

async fn until_address(b: &Browser, part: &str) -> Result<()> {
    for _ in 0..200 {
        if address(b).await?.contains(part) {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    bail!("the address never held {part}: {}", address(b).await?)
}

fn control(key: char) -> String {
    format!("{}{key}{}", char::from(Key::Control), char::from(Key::Null))
}

/// Presses one key of the sheet on this screen and sees what it says. `screen` begins at the address.
async fn press(b: &Browser, screen: &str, key: &str) -> Result<()> {
    b.goto(screen).await?;
    b.click("(//h1 | //h2)[1]").await?;
    match (screen, key) {
        (_, "Ctrl+K or /") => {
            for opens in [control('k'), "/".into()] {
                b.keys(&opens).await?;
                b.see("//*[@role='dialog']//input[@type='search']").await?;
                b.key(Key::Escape).await?;
                b.gone("//*[@role='dialog']").await?;
            }
        }
        (_, "g then a letter") => {
            for (letter, place) in [("t", "/today"), ("s", "/schedule"), ("c", "/in-clinic"), ("p", "/people")] {
                b.keys("g").await?;
                b.keys(letter).await?;
                until_address(b, place).await?;
                b.see("//h1 | //h2").await?;
            }
        }
        // Nothing is in hand: it says so, once.
        (_, "." | ",") => {
            b.keys(key).await?;
            b.see("//*[@data-key-said][contains(., 'No visit is in hand')]").await?;
        }
        (_, "d") => {
            b.keys("d").await?;
            b.see("//button[@aria-pressed='true'][contains(., 'Discreet')]").await?;
            b.keys("d").await?;
            b.gone("//button[@aria-pressed='true'][contains(., 'Discreet')]").await?;
        }
        (_, "o") => {
            b.keys("o").await?;
            b.see(
                "//*[@role='dialog']//h2[contains(., 'Open times')] | //*[@role='dialog'][contains(., 'Open times')]",
            )
            .await?;
        }
        (_, "Ctrl+Enter") => {
            b.goto("/people?new=1").await?;
            b.see("//input[@name='lastName']").await?;
            b.keys(&control(char::from(Key::Enter))).await?;
            b.see("//*[contains(., 'name is needed')]").await?;
        }
        (_, "Esc") => {
            b.keys("/").await?;
            b.see("//*[@role='dialog']").await?;
            b.key(Key::Escape).await?;
            b.gone("//*[@role='dialog']").await?;
        }
        (_, "?") => drop(sheet(b).await?),
        ("/schedule", "[ and ]") => {
            until_address(b, "/schedule").await?;
            b.see("//*[@data-visit]").await?;
            b.keys("]").await?;
            until_address(b, "day=2026-11-24").await?;
            b.keys("[").await?;
            until_address(b, "day=2026-11-23").await?;
        }
        ("/today" | "/in-clinic" | "/billing", "[ and ]") => {
            b.see("(//*[@data-item])[2]").await?;
            b.keys("]").await?;
            b.keys("]").await?;
            let at = "const all=[...document.querySelectorAll('#work [data-item]')];
                return all.findIndex(e=>e===document.activeElement||e.contains(document.activeElement))";
            let here = b.client.execute(at, vec![]).await?;
            ensure!(here == 1, "the second item has the focus, not {here}");
            b.keys("[").await?;
            let here = b.client.execute(at, vec![]).await?;
            ensure!(here == 0, "and back to the first, not {here}");
        }
        ("/schedule", "m") => {
            b.click("(//*[@data-visit][contains(@data-tells, 'booked')])[last()]").await?;
            b.see("//aside//h2").await?;
            b.keys("m").await?;
            b.see("//*[@role='status'][contains(., 'choose the new time')]").await?;
            b.key(Key::Escape).await?;
            b.gone("//*[@role='status'][contains(., 'choose the new time')]").await?;
        }
        ("/schedule", "Enter on a free slot") => {
            b.see("//button[@data-open]").await?;
            b.client.execute("document.querySelector('button[data-open]').focus()", vec![]).await?;
            b.key(Key::Enter).await?;
            b.see("//*[@role='dialog']//input[@type='search']").await?;
        }
        ("/people", "n") => {
            b.keys("n").await?;
            b.see("//*[@role='dialog']//input[@name='firstName']").await?;
        }
        ("/billing", "Shift+click, Ctrl+A") => {
            b.see("//tr[@data-claim]//label").await?;
            b.keys(&control('a')).await?;
            b.see("//button[starts-with(normalize-space(), 'Send ')][not(contains(., 'a batch'))]").await?;
        }
        _ => bail!("{key} stands on the sheet of {screen}, and nobody presses it"),
    }
    Ok(())
}

async fn every_key(b: &Browser, login: &str, screens: &[&str]) -> Result<()> {
    b.sign_in(login).await?;
    for (n, screen) in screens.iter().enumerate() {
        b.goto(screen).await?;
        b.see("//h1 | //h2").await?;
        let said = sheet(b).await?;
        ensure!(said.len() >= 9, "{screen}: {said:?}");
        // Those of every screen are the same nine: they are pressed on the first.
        let own = said.len() - if n == 0 { 0 } else { 9 };
        for key in &said[..own] {
            press(b, screen, key).await.map_err(|e| e.context(format!("{key} on {screen}")))?;
        }
    }
    Ok(())
}

#[actix_web::test]
async fn each_key_does_what_its_sheet_says_at_the_desk() {
    journey("keys-desk", async |b| every_key(b, "junia", &["/today", "/schedule", "/in-clinic", "/people"]).await)
        .await;
}

/// The desk's own key on a person.
async fn registration(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people").await?;
    b.find("Find a person", "takahashi", "Takahashi-Doyle").await?;
    b.see("//*[@data-place='registration']").await?;
    ensure!(sheet(b).await?.contains(&"e".to_owned()));
    b.keys("e").await?;
    for _ in 0..200 {
        let inside = "return !!document.activeElement.closest('[data-place=registration]')";
        if b.client.execute(inside, vec![]).await?.as_bool() == Some(true) {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    bail!("e led nowhere")
}

/// Keys of one person, one visit, the results and the claims.
async fn keys_of_single_things(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    b.goto("/results").await?;
    ensure!(sheet(b).await?.contains(&"[ and ]".to_owned()));
    let first = b.see("//*[@data-result][@aria-current='true']").await?.text().await?;
    b.keys("]").await?;
    let second = b.see("(//*[@data-result])[2][@aria-current='true']").await?.text().await?;
    ensure!(first != second);
    // Whoever is looked at is in hand, as everywhere.
    b.see("//aside//h2").await?;
    b.keys("[").await?;
    b.see("(//*[@data-result])[1][@aria-current='true']").await?;
    b.goto("/in-clinic").await?;
    b.click("//button[@data-present][contains(., 'Takahashi')]").await?;
    b.press("Open this visit").await?;
    b.see("//*[@data-sheet]").await?;
    let said = sheet(b).await?;
    ensure!(said.contains(&"1 … 9".to_owned()), "{said:?}");
    b.click("(//*[@data-lane]//button[normalize-space()='Order'])[1]").await?;
    b.find("Find what to order", "potas", "Potassium").await?;
    let chip = b.see("//*[@data-order='K']").await?;
    let lane = "//*[@data-lane]//*[@data-order='K']";
    let was = b.client.find_all(Locator::XPath(lane)).await?.len();
    chip.send_keys("1").await?;
    for _ in 0..200 {
        if b.client.find_all(Locator::XPath(lane)).await?.len() != was {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    bail!("the key 1 put the order nowhere else")
}

#[actix_web::test]
async fn each_key_does_what_its_sheet_says_beside_one_person() {
    journey("keys-single", keys_of_single_things).await;
    journey("keys-person", registration).await;
}

#[actix_web::test]
async fn each_key_does_what_its_sheet_says_at_billing() {
    journey("keys-billing", async |b| {
        b.sign_in("agathe").await?;
        for key in ["[ and ]", "Shift+click, Ctrl+A"] {
            b.goto("/billing").await?;
            b.see("//h1 | //h2").await?;
            ensure!(sheet(b).await?.contains(&key.to_owned()), "{key}");
            press(b, "/billing", key).await?;
        }
        Ok(())
    })
    .await;
}
