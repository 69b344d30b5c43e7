//! What is typed is never lost: while a save is on its way, while somebody else saves the same record, when the page is
//! left; and a key meant for a dialog presses nothing behind it.

use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, two_desks};

/// Every answer takes a second longer from now on.
pub async fn slow(b: &Browser) -> Result<()> {
    let script = "const ask = window.fetch;
        window.fetch = async (...asked) => {
            const answer = await ask(...asked);
            await new Promise((done) => setTimeout(done, 1000));
            return answer;
        };";
    b.client.execute(script, vec![]).await?;
    Ok(())
}

/// Opens the registration of a person with two of its parts unfolded.
async fn registration(b: &Browser, text: &str, name: &str) -> Result<()> {
    b.goto("/people").await?;
    b.find("Find a person", text, name).await?;
    for part in ["identity", "about"] {
        let folded = format!("//section[@data-section='{part}']//button[starts-with(@aria-label, 'Open')]");
        b.see(&format!("//section[@data-section='{part}']")).await?;
        if !b.client.find_all(fantoccini::Locator::XPath(&folded)).await?.is_empty() {
            b.click(&folded).await?;
        }
        b.see(&format!("//section[@data-section='{part}']//input")).await?;
    }
    Ok(())
}

async fn typed_on(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    registration(b, "brandvold", "Brandvold").await?;
    slow(b).await?;
    b.fill("preferredName", "Bran").await?;
    // Leaving the part saves it; the answer is a second away when the next part is typed into.
    b.fill("occupation", "Netmaker").await?;
    b.read("not saved yet").await?;
    b.press("Save details").await?;
    b.read("all saved").await?;
    b.client.refresh().await?;
    b.see("//section[@data-section='identity']").await?;
    registration(b, "brandvold", "Brandvold").await?;
    let (called, works) =
        (b.value("//input[@name='preferredName']").await?, b.value("//input[@name='occupation']").await?);
    ensure!((called.as_str(), works.as_str()) == ("Bran", "Netmaker"), "{called:?}, {works:?}");
    Ok(())
}

#[actix_web::test]
async fn what_is_typed_while_a_save_is_on_its_way_is_saved_too() {
    journey("typed-on", typed_on).await;
}

/// Two work on one record: what only one of them changed is taken over, and nobody's word is wiped.
async fn two_at_one_record(one: &Browser, two: &Browser) -> Result<()> {
    one.sign_in("junia").await?;
    two.sign_in("casimir").await?;
    registration(one, "brandvold", "Brandvold").await?;
    registration(two, "brandvold", "Brandvold").await?;
    one.fill("occupation", "Netmaker").await?;
    one.read("not saved yet").await?;
    two.fill("employer", "Ropewalk Mill").await?;
    two.fill("occupation", "Rigger").await?;
    two.press("Save details").await?;
    two.read("all saved").await?;
    // The other desk's employer appears by itself; the occupation is asked about.
    one.read("Somebody else changed the same in the meantime.").await?;
    one.read("theirs “Rigger”, yours “Netmaker”").await?;
    let employer = one.value("//input[@name='employer']").await?;
    ensure!(employer == "Ropewalk Mill", "{employer}");
    one.press("Keep mine").await?;
    one.read("all saved").await?;
    two.see("//input[@name='occupation'][@value='Netmaker']").await?;
    let employer = two.value("//input[@name='employer']").await?;
    ensure!(employer == "Ropewalk Mill", "{employer}");
    Ok(())
}

#[actix_web::test]
async fn two_at_one_record_lose_nothing_and_are_asked_only_about_the_same_field() {
    two_desks("drafts-two", two_at_one_record).await;
}

async fn leaves_a_note(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    b.goto("/in-clinic").await?;
    b.click("(//*[@data-room]//button[contains(., 'Takahashi-Doyle')])[1]").await?;
    b.press("Open this visit").await?;
    b.see("//*[@data-part='plan']").await?;
    let address = b.client.current_url().await?;
    slow(b).await?;
    b.fill("plan", "Stop the beta blocker; spirometry.").await?;
    b.click("//nav[@aria-label='Areas']//a[contains(., 'Today')]").await?;
    b.gone("//*[@data-part='plan']").await?;
    b.goto(address.path()).await?;
    b.see("//*[@data-part='plan']").await?;
    let plan = b.value("//textarea[@name='plan']").await?;
    ensure!(plan == "Stop the beta blocker; spirometry.", "{plan:?}");
    // What the server does not take stays on the screen, and the page asks before it is left.
    let script = "const ask = window.fetch;
        window.fetch = (...asked) => (asked[0].method === 'PUT' ? Promise.reject(new TypeError('down')) : ask(...asked));";
    b.client.execute(script, vec![]).await?;
    b.fill("plan", "Stop the beta blocker; spirometry; chest film.").await?;
    b.see("//*[@data-part='plan'][@data-state='failed']").await?;
    b.click("//nav[@aria-label='Areas']//a[contains(., 'Today')]").await?;
    b.gone("//*[@data-part='plan']").await?;
    b.client.back().await?;
    b.see("//*[@data-part='plan']").await?;
    let plan = b.value("//textarea[@name='plan']").await?;
    ensure!(plan.ends_with("chest film."), "{plan:?}");
    let asks = "const event = new Event('beforeunload', { cancelable: true }); return !window.dispatchEvent(event);";
    ensure!(b.client.execute(asks, vec![]).await?.as_bool() == Some(true), "nobody is asked");
    Ok(())
}

#[actix_web::test]
async fn a_note_that_is_left_is_there_again_with_its_last_words() {
    journey("note-left", leaves_a_note).await;
}

async fn ctrl_enter(b: &Browser) -> Result<()> {
    let press = format!("{}{}", char::from(Key::Control), char::from(Key::Enter));
    let release = char::from(Key::Null).to_string();
    b.sign_in("junia").await?;
    b.goto("/schedule").await?;
    b.click("(//*[@data-visit][@draggable='true'])[last()]").await?;
    b.see("//aside//button[normalize-space()='Mark as here']").await?;
    b.press("Cancel").await?;
    b.see("//*[@role='dialog']").await?;
    b.keys(&press).await?;
    b.keys(&release).await?;
    b.settle().await?;
    b.see("//*[@role='dialog']").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@role='dialog']").await?;
    b.see("//aside//li[@data-mark='here' and @data-state='current']").await.context("somebody was marked as here")?;
    // Whoever types in a registration keeps it: the key saves it, and the companion's button is left alone.
    registration(b, "brandvold", "Brandvold").await?;
    b.see("//aside//button[normalize-space()='Book a visit']").await?;
    b.fill("occupation", "Netmaker").await?;
    b.keys(&press).await?;
    b.keys(&release).await?;
    b.read("all saved").await?;
    let address = b.client.current_url().await?;
    ensure!(address.path().starts_with("/people/"), "{address}");
    Ok(())
}

#[actix_web::test]
async fn ctrl_enter_belongs_to_the_innermost_thing_that_is_open() {
    journey("ctrl-enter", ctrl_enter).await;
}

/// A dialog with something typed asks before it is left, and the page before it is loaded again; one without just goes.
async fn asks_before_it_goes(b: &Browser) -> Result<()> {
    const DIALOG: &str = "//*[@role='dialog']";
    const ASKED: &str = "//*[@role='alert'][contains(., 'What you typed here is not saved.')]";
    let asks = "const event = new Event('beforeunload', { cancelable: true }); return !window.dispatchEvent(event);";
    b.sign_in("soren").await?;
    b.goto("/settings").await?;
    b.tab("Building").await?;
    b.press("New stage").await?;
    b.see(DIALOG).await?;
    b.key(Key::Escape).await?;
    b.gone(DIALOG).await?;
    b.press("New stage").await?;
    b.fill("name", "Scale").await?;
    ensure!(b.client.execute(asks, vec![]).await?.as_bool() == Some(true), "the page goes without a word");
    b.key(Key::Escape).await?;
    b.see(ASKED).await?;
    b.press("Go on typing").await?;
    b.gone(ASKED).await?;
    ensure!(b.value("//input[@name='name']").await? == "Scale");
    // What is refused is as unsaved as before; what is saved asks nothing.
    b.fill("name", "").await?;
    b.press("Save the stage").await?;
    b.read("Name is needed").await?;
    b.press("Close this").await?;
    b.press("Leave without it").await?;
    b.gone(DIALOG).await?;
    ensure!(b.client.execute(asks, vec![]).await?.as_bool() == Some(false), "asked for nothing");
    // What is only looked for is nothing to lose.
    b.keys("/").await?;
    b.see(DIALOG).await?;
    b.keys("asthma").await?;
    ensure!(b.client.execute(asks, vec![]).await?.as_bool() == Some(false), "asked about a search");
    Ok(())
}

#[actix_web::test]
async fn a_dialog_with_something_typed_asks_before_it_goes() {
    journey("dialog-asks", asks_before_it_goes).await;
}
