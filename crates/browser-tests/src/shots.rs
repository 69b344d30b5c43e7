//! Retakes docs/screenshots from the demo data, at one moment of one day.

use anyhow::Result;
use harbor_browser_tests::Browser;
use harbor_demo::testing::Product;
use std::path::PathBuf;

/// File, who is signed in, address, what must be seen, and what is clicked before the picture; a
/// click that begins with `find:` finds a person, and one after `>` opens a tab.
const VIEWS: [(&str, &str, &str, &str, &str); 18] = [
    ("today-front-desk", "junia", "/today", "//h2", ""),
    ("schedule", "junia", "/schedule", "//*[@data-visit]", "//*[@data-visit='IH-10006']"),
    ("in-clinic", "petra", "/in-clinic", "//*[@data-room]", "//*[@data-room='Tern']//*[@data-present]"),
    ("check-in", "junia", "/today", "//h2", "//*[@data-waiting='IH-10009']//button"),
    ("sheet", "oriane", "/today", "//h2", "//*[@data-waiting='IH-10006']//button"),
    ("sheet-lanes", "oriane", "/today", "//h2", "lanes://*[@data-waiting='IH-10005']//button"),
    ("results", "oriane", "/results", "//*[@data-value]", ""),
    ("denials", "agathe", "/billing?tab=denials", "//*[@data-denial]", ""),
    ("prescribing", "oriane", "/today", "//h2", "prescribe:amox 500 cap>"),
    ("renewals", "maelis", "/results?tab=renewals", "//*[@data-renewal]", ""),
    ("results-grid", "oriane", "/people", "//input[@type='search']", "grid:Ferreira"),
    ("registration", "junia", "/people", "//input[@type='search']", "register:Belanger"),
    ("growth", "ifeoma", "/today", "//h2", "child:Fenna"),
    ("person", "oriane", "/people", "//input[@type='search']", "find:Ferreira"),
    ("charges", "agathe", "/today", "//h2", "(//button[normalize-space()='Open charges'])[1]"),
    ("balance", "junia", "/today", "//h2", "(//button[normalize-space()='Collect'])[1]"),
    ("billing", "agathe", "/billing", "//*[@data-claim]", ""),
    (
        "receivables",
        "agathe",
        "/billing?tab=receivables",
        "//*[@data-receivables]",
        "//label[normalize-space()='By guarantor']",
    ),
];

fn main() -> Result<()> {
    actix_web::rt::System::new().block_on(shots())
}

async fn shots() -> Result<()> {
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    let width = std::env::var("SHOT_WIDTH").ok().and_then(|w| w.parse().ok()).unwrap_or(1280);
    let height = if width < 600 { 844 } else { 800 };
    let folder = std::env::var("SHOT_DIR")
        .map_or_else(|_| PathBuf::from(concat!(env!("CARGO_MANIFEST_DIR"), "/../../docs/screenshots")), PathBuf::from);
    std::fs::create_dir_all(&folder)?;
    let product = Product::start().await?;
    // A clinic of twelve is looked at as well.
    if let Some(more) = std::env::var("SHOT_CLINICIANS").ok().and_then(|n| n.parse::<usize>().ok()) {
        let day = harbor_demo::testing::day();
        harbor_demo::crowd::more_clinicians(&product.database_url, day, more.saturating_sub(4), 14, 60).await?;
    }
    // A look at any other place: name|login|address|what must be seen|clicks with >> between them.
    let asked = std::env::var("SHOT_AT").unwrap_or_default();
    for look in asked.lines().filter(|l| !l.trim().is_empty()) {
        let parts: Vec<&str> = look.trim().splitn(5, '|').collect();
        let [name, login, path, see, clicks] = parts.as_slice() else { anyhow::bail!("five parts: {look}") };
        let browser = Browser::open(product.address(), width, height).await?;
        if let Err(error) = look_at(&browser, login, path, see, clicks).await {
            eprintln!("{name}: {error}");
        }
        std::fs::write(folder.join(format!("{name}.png")), browser.picture().await?)?;
        println!("{name}");
        browser.close().await?;
    }
    for (name, login, path, see, click) in VIEWS {
        if !asked.is_empty() && wanted.is_empty() {
            break;
        }
        if !wanted.is_empty() && !wanted.iter().any(|w| w == name) {
            continue;
        }
        let browser = Browser::open(product.address(), width, height).await?;
        let taken = take(&browser, login, path, see, click).await;
        if let Err(error) = &taken {
            eprintln!("{name}: {error}");
        }
        std::fs::write(folder.join(format!("{name}.png")), browser.picture().await?)?;
        println!("{name}");
        browser.close().await?;
    }
    product.stop().await
}

async fn look_at(browser: &Browser, login: &str, path: &str, see: &str, clicks: &str) -> Result<()> {
    browser.sign_in(login).await?;
    browser.goto(path).await?;
    browser.see(see).await?;
    for click in clicks.split(">>").filter(|c| !c.is_empty()) {
        match click.split_once("<-") {
            Some((field, text)) => browser.fill(field, text).await?,
            None => browser.click(click).await?,
        }
    }
    browser.settle().await
}

async fn take(browser: &Browser, login: &str, path: &str, see: &str, click: &str) -> Result<()> {
    browser.sign_in(login).await?;
    browser.goto(path).await?;
    browser.see(see).await?;
    if let Some(text) = click.strip_prefix("find:") {
        browser.find("Find a person", text, text).await?;
        browser.see("//h2[normalize-space()='Coverage']").await?;
    } else if let Some(text) = click.strip_prefix("grid:") {
        browser.find("Find a person", text, text).await?;
        browser.click("//*[@data-test='Creatinine']//button").await?;
        browser.see("//*[@data-test-plot]").await?;
        let script = "document.querySelector('[data-place=results]').scrollIntoView()";
        browser.client.execute(script, vec![]).await?;
    } else if let Some(click) = click.strip_prefix("lanes:") {
        browser.click(click).await?;
        browser.see("//*[@data-lanes]").await?;
        // A prescription lies in its lane too.
        browser.fill("quick", "rx amlodipine 5 daily 30d").await?;
        browser.key(fantoccini::key::Key::Enter).await?;
        browser.see("//*[@data-script='amlokeel-5']").await?;
        browser.click("//button[@data-lanes-button]").await?;
        browser.see("//*[@data-lane-line]").await?;
        for _ in 0..7 {
            browser.key(fantoccini::key::Key::Down).await?;
        }
        browser.keys("2").await?;
        browser.see("//*[@data-lane='I10']//*[@data-script='amlokeel-5']").await?;
        let script = "document.querySelector('[data-lanes]').scrollIntoView()";
        browser.client.execute(script, vec![]).await?;
    } else if let Some(text) = click.strip_prefix("prescribe:") {
        browser.click("//*[@data-waiting='IH-10006']//button").await?;
        browser.click("//*[@data-lane]//button[normalize-space()='Prescribe']").await?;
        match text.strip_suffix('>') {
            Some(text) => {
                browser.find("Find a medicine", text, "").await?;
                browser.see("//*[@data-finding]").await?;
            }
            None => {
                browser.keys(text).await?;
                browser.see("//*[@data-opened-here]//*[@role='option']").await?;
            }
        }
        let script = "document.querySelector('[data-lane]').scrollIntoView()";
        browser.client.execute(script, vec![]).await?;
    } else if let Some(name) = click.strip_prefix("child:") {
        let script = "const [name, done] = arguments; const ask = (p) => fetch(p).then((r) => r.json());
            ask('/api/people?q=' + name).then((found) => ask('/api/people/' + found[0].person.id + '/visits'))
                .then((visits) => done(visits[0].visit.id))";
        let visit = browser.client.execute_async(script, vec![name.into()]).await?;
        browser.goto(&format!("/visits/{}/sheet", visit.as_str().unwrap_or_default())).await?;
        browser.see("//*[@data-sheet]").await?;
        // A child is measured, so that there is something to see.
        browser.click("//button[@data-fact='measured']").await?;
        browser.fill("quick", "w 26kg h 128cm").await?;
        browser.read("Weight 26 kg").await?;
        browser.key(fantoccini::key::Key::Enter).await?;
        let drawn = "//*[@data-growth]//*[local-name()='svg'][contains(@aria-label, '26 kg')]";
        browser.see(drawn).await?;
        let script = "document.querySelector('[data-growth]').scrollIntoView({ block: 'center' })";
        browser.client.execute(script, vec![]).await?;
    } else if let Some(text) = click.strip_prefix("register:") {
        browser.find("Find a person", text, text).await?;
        for section in ["Address and contact", "Consents"] {
            browser.press(&format!("Open {section}")).await?;
        }
        // The head of the form comes to the top of the picture.
        let script = "document.querySelector('[data-section]').previousElementSibling?.scrollIntoView()";
        browser.client.execute(script, vec![]).await?;
    } else if !click.is_empty() {
        let (click, tab) = click.split_once('>').unwrap_or((click, ""));
        browser.click(click).await?;
        browser.see("//h1").await?;
        if !tab.is_empty() {
            browser.tab(tab).await?;
        }
    }
    browser.settle().await
}
