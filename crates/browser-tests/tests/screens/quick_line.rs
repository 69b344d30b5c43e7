//! The quick line by keyboard alone: read back while it is typed, kept with Enter, taken back; and a child's growth.

use anyhow::{Context, Result, ensure};
use fantoccini::Locator;
use fantoccini::key::Key;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

/// The visit of today of somebody, by name.
pub async fn visit_of(b: &Browser, name: &str) -> Result<String> {
    let script = "const [name, done] = arguments;
        const ask = (path) => fetch(path).then((r) => r.json());
        ask('/api/clinic').then((clinic) => ask(`/api/schedule?day=${clinic.today}`)).then((day) => {
            const found = day.visits.find((v) => v.person.name.includes(name));
            done(found ? found.visit.id : null);
        });";
    let found = b.client.execute_async(script, vec![name.into()]).await?;
    found.as_str().map(str::to_owned).with_context(|| format!("{name} has a visit today"))
}

async fn kinds(b: &Browser) -> Result<Vec<String>> {
    let mut kinds = Vec::new();
    for tag in b.client.find_all(Locator::XPath("//*[@data-understood]/*[@data-kind]")).await? {
        kinds.push(tag.attr("data-kind").await?.unwrap_or_default());
    }
    Ok(kinds)
}

async fn by_keyboard(b: &Browser) -> Result<()> {
    b.sign_in("oriane").await?;
    let visit = visit_of(b, "Wren").await?;
    b.goto(&format!("/visits/{visit}/note")).await?;
    b.see("//input[@name='quick']").await?;
    b.fill("quick", "bp 142/88; dx gout; order urate; mother asthma; fu 3mo bp; rx amoxicillin").await?;
    b.see("//*[@data-kind='prescription'][@data-doubtful='true']").await?;
    let told = kinds(b).await?;
    ensure!(told == ["measure", "measure", "diagnosis", "order", "family", "follow_up", "prescription"], "{told:?}");
    b.key(Key::Enter).await?;
    // What is doubtful is not kept, says why, and stays as it was typed.
    b.read("Not kept: Prescription").await?;
    b.holds("//input[@name='quick']", |left| left == "rx amoxicillin").await?;
    b.see("//*[@data-diagnosis='M10.9']").await?;
    b.holds("//*[@data-lane='M10.9']//*[@data-part='plan']//textarea", |plan| {
        plan.contains("Follow-up in 90 days for bp")
    })
    .await?;
    b.undo("Kept: ").await?;
    b.gone("//*[@data-diagnosis='M10.9']").await?;
    b.fill("quick", "").await?;
    b.press("What it understands").await?;
    b.read("Operations and stays in hospital").await?;
    no_serious_fault(b, "what the quick line understands").await?;
    b.key(Key::Escape).await?;
    b.gone("//*[@role='dialog']").await?;
    no_serious_fault(b, "the note with its quick line").await
}

#[actix_web::test]
async fn a_line_is_kept_with_enter_and_taken_back() {
    journey("quick-line", by_keyboard).await;
}

async fn growing(b: &Browser) -> Result<()> {
    b.sign_in("petra").await?;
    let visit = visit_of(b, "Fenna").await?;
    b.goto(&format!("/visits/{visit}/rooming")).await?;
    b.fill("quick", "w 26kg h 128cm; dx cough; tdap given today").await?;
    // An assistant learns before trying what is not theirs to put down.
    b.read("does not write and sign notes").await?;
    b.fill("quick", "w 26kg h 128cm; tdap given today").await?;
    b.read("Immunisation: Tdap, given here").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-growth]//*[local-name()='svg'][contains(@aria-label, '26 kg')]").await?;
    b.read("CDC 2000 growth reference").await?;
    b.click("//label[normalize-space()='Stature for age']").await?;
    b.see("//*[@data-growth]//*[local-name()='svg'][contains(@aria-label, '128 cm')]").await?;
    no_serious_fault(b, "a child's growth").await?;
    b.click("//button[@data-fact='histories']").await?;
    b.see("//*[@data-history='immunisation']").await?;
    // Nothing ends without saying why.
    b.click("//button[starts-with(@aria-label, 'End Tdap')]").await?;
    b.keys("was given elsewhere").await?;
    b.key(Key::Enter).await?;
    b.gone("//*[@data-history='immunisation']").await?;
    b.undo("Ended: Tdap").await?;
    b.see("//*[@data-history='immunisation']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_child_is_measured_and_its_curve_is_shown() {
    journey("growth", growing).await;
}

/// Every answer takes a second: Enter waits for the reading, and what is typed on meanwhile is kept once and not twice.
async fn typed_on(b: &Browser) -> Result<()> {
    b.sign_in("petra").await?;
    let visit = visit_of(b, "Fenna").await?;
    b.goto(&format!("/visits/{visit}/rooming")).await?;
    b.see("//input[@name='quick']").await?;
    crate::drafts::slow(b).await?;
    b.fill("quick", "hr 92").await?;
    b.key(Key::Enter).await?;
    b.see("//*[@data-understood]/*[contains(., 'Heart rate 92')]").await?;
    // The reading is here and the keeping on its way.
    b.keys("; t 37.2").await?;
    b.see("//tr[@data-measure='heart_rate']").await?;
    // The row may be told before the answer is here.
    b.holds("//input[@name='quick']", |left| left == "; t 37.2").await?;
    b.key(Key::Enter).await?;
    b.see("//tr[@data-measure='temperature']").await?;
    let chart = "const [visit, done] = arguments;
        fetch(`/api/visits/${visit}/chart`).then((r) => r.json()).then((chart) => {
            done(chart.measurements.filter((m) => m.measure === 'heart_rate' && m.visitId === visit).length);
        });";
    let kept = b.client.execute_async(chart, vec![visit.clone().into()]).await?;
    ensure!(kept == 1, "the rate was kept {kept} times");
    // What was typed is there again after a look elsewhere.
    b.fill("quick", "w 26").await?;
    b.tab("Check-in").await?;
    b.gone("//input[@name='quick'][not(ancestor::*[@hidden])]").await?;
    b.tab("Sheet").await?;
    b.holds("//input[@name='quick']", |again| again == "w 26").await?;
    Ok(())
}

#[actix_web::test]
async fn with_slow_answers_a_line_is_shown_before_it_is_kept_and_kept_once() {
    journey("quick-line-slow", typed_on).await;
}
