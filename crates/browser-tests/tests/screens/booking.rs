//! Booking beyond the plain case: open times by every wish, waiting for a time, extra bookings, a time kept for another
//! type, moves taken back, what another screen sees, and a server that does not answer.

use anyhow::{Context, Result, ensure};
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, beside, journey, no_serious_fault, two_desks_by_the_clock};
use harbor_demo::testing::Product;

const DIALOG: &str = "//*[@role='dialog']";
/// The list that hangs below a field.
const HANGING: &str = "//*[@data-trigger='Select']";

pub async fn pick(b: &Browser, label: &str, choice: &str) -> Result<()> {
    b.click(&format!(
        "(//label[normalize-space()='{label}'] | //span[normalize-space()='{label}'])[last()]/following::button[1]"
    ))
    .await?;
    b.click(&format!("({HANGING}//*[@role='option'][contains(., '{choice}')])[1]")).await
}

/// What the open times say, line by line.
async fn times(b: &Browser) -> Result<Vec<String>> {
    b.settle().await?;
    let script = "return [...document.querySelectorAll('[data-open-time]')].map((e) => e.innerText)";
    let lines = b.client.execute(script, vec![]).await?;
    Ok(lines.as_array().into_iter().flatten().filter_map(|l| l.as_str().map(str::to_owned)).collect())
}

async fn by_every_wish(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?open=1").await?;
    b.see("//*[@data-open-time]").await?;
    // A day as it is typed, read back in words.
    b.fill("from", "+1w").await?;
    b.read("Monday, November 30, 2026").await?;
    b.see("//*[@data-open-time][contains(., 'Nov 30')]").await?;
    b.fill("from", "someday").await?;
    b.read("Type a date").await?;
    b.fill("from", "24 nov").await?;
    b.see("//*[@data-open-time][contains(., 'Nov 24')]").await?;
    // Two types at once, and one of the clinic's groups.
    pick(b, "Visit type", "Long consultation").await?;
    b.click(&format!("{HANGING}//*[@role='option'][contains(., 'Procedure')]")).await?;
    b.key(Key::Escape).await?;
    b.gone(HANGING).await?;
    let both = times(b).await?;
    ensure!(!both.is_empty() && both.iter().all(|t| t.contains("Long") || t.contains("Procedure")), "{both:?}");
    no_serious_fault(b, "open times").await?;
    pick(b, "Part of the day", "Afternoon").await?;
    b.see("//*[@data-open-time]").await?;
    for line in times(b).await? {
        let hour: u32 = line.split_whitespace().nth(3).and_then(|t| t.get(..2)).context("a time")?.parse()?;
        ensure!(hour >= 12, "{line}");
    }
    pick(b, "Part of the day", "From").await?;
    b.fill("Not before", "11").await?;
    b.fill("Before", "10").await?;
    b.read("This leaves no time of the day.").await?;
    pick(b, "Part of the day", "Any").await?;
    // On to more of them and back to the better ones: nothing stands on two pages.
    let first = times(b).await?;
    ensure!(first.len() == 12, "{first:?}");
    b.press("More of them").await?;
    b.see("//button[normalize-space()='Better ones']").await?;
    let second = times(b).await?;
    ensure!(!second.is_empty() && second.iter().all(|t| !first.contains(t)), "{first:?} then {second:?}");
    b.press("Better ones").await?;
    b.gone("//button[normalize-space()='Better ones']").await?;
    ensure!(times(b).await? == first);
    Ok(())
}

#[actix_web::test]
async fn open_times_answer_every_wish_and_are_paged() {
    journey("wishes", by_every_wish).await;
}

/// Whoever finds no time waits for one, with the wishes that were made.
async fn waits(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/people").await?;
    b.find("Find a person", "Moreau", "Moreau").await?;
    b.press("Book a visit").await?;
    b.see("//*[@data-open-time]").await?;
    b.click(&format!("{DIALOG}//label[normalize-space()='Sat']")).await?;
    b.press("Wait for such a time").await?;
    b.press("Put on the waiting list").await?;
    b.read("Say what the person waits for.").await?;
    pick(b, "Visit type", "Consultation").await?;
    b.fill("From the day", "+1w").await?;
    b.fill("Note", "the ferry").await?;
    no_serious_fault(b, "waiting for a time").await?;
    b.press("Put on the waiting list").await?;
    b.gone("//h2[.='Waiting for a time']").await?;
    b.goto("/schedule?more=waiting").await?;
    let line = "//*[@data-waiting][contains(., 'Moreau')][contains(., 'Sat')][contains(., 'the ferry')]";
    b.see(line).await?;
    b.click(&format!("{line}//button")).await?;
    b.gone(line).await?;
    Ok(())
}

#[actix_web::test]
async fn who_finds_no_time_waits_for_one() {
    journey("waits", waits).await;
}

/// A visit is squeezed in beside another one, only by who may; a time kept for another type is asked about.
async fn beyond_the_plain(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-25").await?;
    b.click("(//*[@data-visit])[1]").await?;
    b.press("Extra here").await?;
    b.see(&format!("{DIALOG}//h2[starts-with(., 'Extra booking')]")).await?;
    b.find("Find the patient", "Takahashi", "Takahashi").await?;
    b.fill("reason", "Squeezed in").await?;
    no_serious_fault(b, "extra booking").await?;
    b.press("Book").await?;
    b.gone(DIALOG).await?;
    b.see("//*[@data-visit][@data-extra='true'][contains(., 'Takahashi')]").await?;
    // It stands beside the other one, which can still be read and pressed.
    b.click("(//*[@data-visit][@data-extra='false'])[1]").await?;
    // A long consultation's time for a plain one.
    b.click("(//button[@data-open][contains(@aria-label, 'Long consultation')])[1]").await?;
    b.find("Find the patient", "Moreau", "Moreau").await?;
    b.fill("reason", "Cannot wait").await?;
    pick(b, "Visit type", "◆ Consultation").await?;
    b.press("Book").await?;
    b.read("This time is kept for a long consultation.").await?;
    b.press("Book it all the same").await?;
    b.gone(DIALOG).await?;
    b.see("//*[@data-visit][contains(@data-tells, 'over a Long consultation slot')]").await?;
    // Longer than the slot and its neighbours: said, and nothing is booked.
    b.click("(//button[@data-open][contains(@aria-label, 'Consultation')])[last()]").await?;
    b.find("Find the patient", "Brandvold", "Brandvold").await?;
    b.fill("reason", "All day").await?;
    for (minutes, said) in [
        ("400", "does not work at this time"),
        ("3", "from 5 to 480"),
        ("abc", "from 5 to 480"),
        ("999", "from 5 to 480"),
    ] {
        b.fill("minutes", minutes).await?;
        b.press("Book").await?;
        b.read(said).await?;
    }
    b.press("Leave").await?;
    // Whoever may not squeeze in is not offered it.
    b.press("Sign out").await?;
    b.sign_in("petra").await?;
    b.goto("/schedule?day=2026-11-25").await?;
    b.click("(//*[@data-visit])[1]").await?;
    b.see("//aside//button[normalize-space()='Move']").await?;
    b.gone("//aside//button[normalize-space()='Extra here']").await?;
    Ok(())
}

#[actix_web::test]
async fn what_is_squeezed_in_or_booked_over_is_asked_about_and_shown() {
    journey("beyond", beyond_the_plain).await;
}

/// What was done to the slots of a day is told, and names nobody in discreet mode; keys are told for the screen one is at.
async fn told(b: &Browser) -> Result<()> {
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-12-03").await?;
    b.click("(//button[@data-open])[1]").await?;
    b.press("Change this slot").await?;
    b.press("Delete the slot").await?;
    b.gone(DIALOG).await?;
    b.press("More ▾").await?;
    b.click("//*[@role='menuitem'][contains(., 'What changed')]").await?;
    b.see("//tr[@data-change='deleted'][contains(., 'Junia Vance')]").await?;
    no_serious_fault(b, "changes").await?;
    b.press("Close this").await?;
    b.gone(DIALOG).await?;
    b.click("//h1").await?;
    b.keys("?").await?;
    b.see(&format!("{DIALOG}//td[contains(., 'Take up the visit in hand')]")).await?;
    b.press("Close this").await?;
    b.gone(DIALOG).await?;
    b.keys("gp").await?;
    b.see("//h1[.='People']").await?;
    b.click("//h1").await?;
    b.keys("?").await?;
    b.see(&format!("{DIALOG}//td[.='New person']")).await?;
    b.gone("//td[contains(., 'Take up the visit in hand')]").await?;
    b.press("Close this").await?;
    // Who was looked up is remembered by name, but not in discreet mode, nor for whoever signs in next.
    b.gone(DIALOG).await?;
    let search = async || -> Result<()> {
        b.click("//h1").await?;
        b.keys(&format!("{}k", char::from(Key::Control))).await?;
        b.keys(&char::from(Key::Null).to_string()).await?;
        b.see(&format!("{DIALOG}//*[@role='option'][contains(., 'Open times')]")).await?;
        Ok(())
    };
    search().await?;
    b.keys("tak wre").await?;
    b.click("(//*[@role='option'][contains(., 'Takahashi')])[1]").await?;
    b.see("//h1[contains(., 'Takahashi')]").await?;
    let remembered = format!("{DIALOG}//*[@role='option'][contains(., 'Takahashi')]");
    search().await?;
    b.see(&remembered).await?;
    b.key(Key::Escape).await?;
    b.gone(DIALOG).await?;
    b.press("Discreet mode").await?;
    b.goto("/people").await?;
    search().await?;
    b.gone(&remembered).await?;
    b.keys("tak wre").await?;
    b.see(&format!("{DIALOG}//*[@role='option'][contains(., '•••••')]")).await?;
    let found = b.see(&format!("{DIALOG}//*[@role='listbox']")).await?.text().await?;
    ensure!(!found.contains("IH-10006") && !found.contains("1992"), "{found}");
    // Esc takes back what was typed, and once more leaves.
    b.key(Key::Escape).await?;
    b.key(Key::Escape).await?;
    b.gone(DIALOG).await?;
    b.press("Discreet mode is on").await?;
    b.press("Sign out").await?;
    b.sign_in("casimir").await?;
    search().await?;
    b.gone(&remembered).await?;
    Ok(())
}

#[actix_web::test]
async fn changes_and_keys_are_told_and_nobodys_name_outlives_its_user() {
    journey("told", told).await;
}

/// One desk moves a visit; the other sees it within a second, in place, and whatever it is typing stays.
async fn follows_in_place(one: &Browser, two: &Browser) -> Result<()> {
    one.sign_in("junia").await?;
    two.sign_in("casimir").await?;
    for b in [one, two] {
        b.goto("/schedule?day=2026-11-25").await?;
        b.see("//button[@data-open]").await?;
    }
    let slot = "(//button[@data-open][contains(@aria-label, 'Child visit')])[last()]";
    let taken = two.see(slot).await?.attr("aria-label").await?.context("a label")?;
    two.click("(//button[@data-open][contains(@aria-label, 'Child visit')])[1]").await?;
    two.find("Find the patient", "Achterberg", "Fenna").await?;
    two.fill("reason", "Half a sente").await?;
    let watch = "window.gone = null;
        new MutationObserver(() => {
            const there = [...document.querySelectorAll('[data-open]')].some((e) => e.ariaLabel === arguments[0]);
            if (!there && !window.gone) window.gone = Date.now();
        }).observe(document.body, { childList: true, subtree: true });";
    two.client.execute(watch, vec![taken.clone().into()]).await?;
    one.click(slot).await?;
    one.find("Find the patient", "Achterberg", "Teun").await?;
    one.fill("reason", "Growth").await?;
    let pressed = "window.pressed = null; document.addEventListener('click', () => { window.pressed = Date.now(); }, { capture: true });";
    one.client.execute(pressed, vec![]).await?;
    one.press("Book").await?;
    one.gone(DIALOG).await?;
    two.gone(&format!("//button[@data-open][@aria-label=\"{taken}\"]")).await?;
    let at = async |b: &Browser, what: &str| -> Result<f64> {
        b.client.execute(&format!("return window.{what}"), vec![]).await?.as_f64().context("a moment")
    };
    let took = at(two, "gone").await? - at(one, "pressed").await?;
    ensure!(took < 1000.0, "seen after {took} ms");
    two.see("//*[@data-visit][contains(., 'Teun')]").await?;
    let typed = two.value("//input[@name='reason']").await?;
    ensure!(typed == "Half a sente", "{typed}");
    Ok(())
}

#[actix_web::test]
async fn another_screen_follows_in_place_and_keeps_what_is_typed() {
    two_desks_by_the_clock("booking-followed", follows_in_place).await;
}

/// The server goes away while somebody books: it is said, and what was typed is there when it is back.
#[actix_web::test]
async fn a_server_that_does_not_answer_costs_no_work() {
    let _beside = beside().await;
    let product = Product::start().await.expect("product");
    let b = Browser::open(product.address(), 1280, 800).await.expect("browser");
    let begin = async || -> Result<()> {
        b.sign_in("junia").await?;
        b.goto("/schedule?day=2026-11-25").await?;
        b.click("(//button[@data-open][contains(@aria-label, 'Consultation')])[1]").await?;
        b.find("Find the patient", "Moreau", "Moreau").await?;
        b.fill("reason", "Typed before the storm").await
    };
    let begun = begin().await;
    product.server.stop().await;
    let go_on = async || -> Result<()> {
        b.press("Book").await?;
        b.read("The clinic’s server does not answer. What you typed is still here").await?;
        ensure!(b.value("//input[@name='reason']").await? == "Typed before the storm");
        Ok(())
    };
    let outcome = match begun {
        Ok(()) => go_on().await,
        Err(error) => Err(error),
    };
    b.close().await.expect("close");
    outcome.expect("a silent server");
}
