//! Leaving a screen and coming back, letting somebody in, and a second factor: in a real browser.

use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

/// What the screen says of anybody while it is locked.
async fn tells_nobody(b: &Browser) -> Result<()> {
    b.see("//h1[normalize-space()='Locked']").await?;
    b.settle().await?;
    let said = b.text().await?;
    for word in ["Ferreira", "Lucan", "IH-1", "Today", "Half", "waiting"] {
        ensure!(!said.contains(word), "the locked screen says {word}: {said}");
    }
    Ok(())
}

async fn leave_and_come_back(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people?new=1").await?;
    b.fill("firstName", "Half").await?;
    b.fill("lastName", "Written").await?;
    let field = "//input[@name='lastName']";
    // Nobody is there any more: the last key was pressed long ago.
    b.client.execute("localStorage.setItem('harbor-here', '1000')", vec![]).await?;
    tells_nobody(b).await?;
    no_serious_fault(b, "locked").await?;
    // Keys of the page behind it do nothing.
    b.keys("wrong password").await?;
    b.key(Key::Enter).await?;
    b.read("The password is wrong.").await?;
    b.fill("password", "harbor").await?;
    b.key(Key::Enter).await?;
    b.gone("//h1[normalize-space()='Locked']").await?;
    ensure!(b.value(field).await? == "Written", "what was typed is still there");
    // A page that is loaded again stays locked, and opens where it was.
    b.goto("/people").await?;
    b.find("Find a person", "ferreira", "Ferreira-Holm, Lucan").await?;
    b.see("//h2[normalize-space()='Coverage']").await?;
    let here = b.client.current_url().await?;
    b.press_starting("Junia Vance").await?;
    b.click("//*[@role='menuitem'][normalize-space()='Lock the screen']").await?;
    tells_nobody(b).await?;
    b.client.refresh().await?;
    tells_nobody(b).await?;
    b.fill("password", "harbor").await?;
    b.press("Open").await?;
    b.see("//h2[normalize-space()='Coverage']").await?;
    ensure!(b.client.current_url().await? == here, "on the same page");
    Ok(())
}

async fn let_somebody_in(b: &Browser) -> Result<()> {
    b.sign_in("soren").await?;
    b.goto("/settings?part=staff").await?;
    b.see("//table[@data-staff]//td[normalize-space()='Junia Vance']").await?;
    no_serious_fault(b, "people who work here").await?;
    b.press("Add somebody").await?;
    b.fill("firstName", "Ragna").await?;
    b.fill("lastName", "Holt").await?;
    b.fill("login", "ragna").await?;
    b.press("Add").await?;
    b.read("no password yet").await?;
    b.press("Change Ragna Holt").await?;
    b.press("Make a password link").await?;
    let link = b.see("//*[@data-link]").await?.text().await?;
    let path = link.split_once("/set-password").map(|(_, rest)| format!("/set-password{rest}")).context("a link")?;
    b.press("Close this").await?;
    b.press("Sign out").await?;
    b.goto(&path).await?;
    b.read("you sign in as ragna").await?;
    b.fill("password", "ragnaholt1").await?;
    b.press("Set the password").await?;
    b.read("easy to guess").await?;
    b.fill("password", "heron tern plover eider").await?;
    b.press("Set the password").await?;
    b.read("The password is set.").await?;
    b.press("Sign in").await?;
    b.fill("login", "ragna").await?;
    b.fill("password", "heron tern plover eider").await?;
    b.press("Sign in").await?;
    b.read("Ragna Holt").await?;
    // One's own sign-in: the second factor begins with a picture, and is not kept without a code of it.
    b.press_starting("Ragna Holt").await?;
    b.click("//*[@role='menuitem'][normalize-space()='My sign-in']").await?;
    b.press("Set up").await?;
    b.see("//img[@alt='The secret as a QR code']").await?;
    no_serious_fault(b, "my sign-in").await?;
    b.fill("code", "000000").await?;
    b.fill("Your password", "heron tern plover eider").await?;
    b.press("Keep it").await?;
    b.read("This is not the code that the device shows now").await?;
    b.see("//table[@data-sessions]//td[contains(., 'this one')]").await?;
    Ok(())
}

#[actix_web::test]
async fn a_screen_that_was_left_shows_nothing_and_keeps_what_was_typed() {
    journey("lock", leave_and_come_back).await;
}

#[actix_web::test]
async fn somebody_new_is_let_in_by_a_link() {
    journey("let-in", let_somebody_in).await;
}
