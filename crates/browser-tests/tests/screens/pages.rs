//! Every page as each role sees it: nothing that axe calls serious, by day and by night, and nothing that runs off
//! the side, on the screen of a desk, of a small laptop and of a telephone.

use anyhow::{Context, Result, bail};
use fantoccini::Locator;
use harbor_browser_tests::{Browser, journey, no_serious_fault};

/// Who looks, where, and what stands there when the page is whole. `visit:` is a part of the visit of a record.
const PAGES: [(&str, &[(&str, &str)]); 5] = [
    (
        "junia",
        &[
            ("/today", "//h2"),
            ("/schedule", "//*[@data-visit]"),
            ("/schedule?view=week", "//*[@data-visit]"),
            ("/schedule?view=month", "//*[contains(., 'open')]"),
            ("/schedule?day=2026-11-24&open=1", "//*[@data-open-time]"),
            ("/schedule?day=2026-11-24&away=1", "//*[@role='dialog']"),
            ("/in-clinic", "//*[@data-room]"),
            ("/people", "//input[@type='search']"),
            ("visit:IH-10009:check-in", "//h2"),
            ("visit:IH-10009:money", "//h2"),
            ("/billing", "//*[@role='tab']"),
        ],
    ),
    ("petra", &[("/today", "//h2"), ("/in-clinic", "//*[@data-room]"), ("visit:IH-10005:rooming", "//h2")]),
    (
        "oriane",
        &[
            ("/today", "//h2"),
            ("visit:IH-10006:note", "//h2"),
            ("visit:IH-10005:orders", "//h2"),
            ("visit:IH-10005:prescriptions", "//h2"),
            ("/results", "//*[@data-result]"),
        ],
    ),
    (
        "agathe",
        &[
            ("/today", "//h2"),
            ("/billing", "//*[@data-claim]"),
            ("/billing?tab=batches", "//*[@role='tabpanel']"),
            ("/billing?tab=remittances", "//*[@role='tabpanel']"),
            ("visit:IH-10006:charges", "//h2"),
        ],
    ),
    (
        "soren",
        &[
            ("/today", "//h2"),
            ("/settings", "//h2"),
            ("/settings?part=working-time", "//*[@data-template]"),
            ("/settings?part=visit-types", "//table"),
            ("/settings?part=check-in", "//h2"),
            ("/settings?part=building", "//h2"),
            ("/settings?part=services", "//table"),
        ],
    ),
];

/// The address of a page; that of a visit is looked up on the day's schedule.
async fn address(b: &Browser, page: &str) -> Result<String> {
    let Some((record, part)) = page.strip_prefix("visit:").and_then(|p| p.split_once(':')) else {
        return Ok(page.to_owned());
    };
    let script = "const done = arguments[1];
        fetch('/api/schedule').then(r => r.json()).then(day =>
          done(day.visits.find(v => v.person.recordNumber === arguments[0])?.visit.id ?? ''));";
    let id = b.client.execute_async(script, vec![record.into()]).await?;
    let id = id.as_str().filter(|id| !id.is_empty()).context("no such visit today")?;
    Ok(format!("/visits/{id}/{part}"))
}

/// What of the page cannot be reached without scrolling sideways: the page itself, or a control beyond its edge.
async fn off_the_side(b: &Browser) -> Result<Vec<String>> {
    let script = "
        const off = [];
        if (document.documentElement.scrollWidth > innerWidth) off.push('the page: ' + document.documentElement.scrollWidth);
        const scrolls = e => { for (; e; e = e.parentElement) {
          const style = getComputedStyle(e);
          if (/(auto|scroll)/.test(style.overflowX) && e.scrollWidth > e.clientWidth) return true;
        } return false; };
        for (const e of document.querySelectorAll('main button, main a, main input, header button, aside button')) {
          const box = e.getBoundingClientRect();
          if (box.width > 2 && box.right > innerWidth + 1 && !scrolls(e)) off.push((e.textContent || e.name || e.ariaLabel) + ': ' + Math.round(box.right));
        }
        return off;";
    let found = b.client.execute(script, vec![]).await?;
    Ok(found.as_array().into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect())
}

async fn resized(b: &Browser, width: u32, height: u32) -> Result<()> {
    b.client.set_window_size(width, height).await?;
    b.settle().await
}

/// All pages of all roles, at one width; gathers every fault before it fails.
async fn walk(b: &Browser, width: u32, height: u32) -> Result<()> {
    resized(b, width, height).await?;
    let mut faults = vec![];
    for (login, pages) in PAGES {
        b.sign_in(login).await?;
        for (page, shown) in pages {
            b.goto(&address(b, page).await?).await?;
            b.see(shown).await.with_context(|| format!("{page} of {login}"))?;
            b.settle().await?;
            faults.extend(off_the_side(b).await?.into_iter().map(|f| format!("{page} of {login}, {width}: {f}")));
            if width >= 1280 {
                let serious = b.serious_faults().await?;
                faults.extend(serious.into_iter().map(|f| format!("{page} of {login}: {f}")));
            }
        }
        leave(b).await?;
    }
    if !faults.is_empty() {
        bail!(faults.join("\n"));
    }
    Ok(())
}

/// Signs out, wherever the button is at this width.
async fn leave(b: &Browser) -> Result<()> {
    b.goto("/today").await?;
    b.press("Sign out").await?;
    b.see("//input[@name='login']").await?;
    Ok(())
}

#[actix_web::test]
async fn nothing_is_out_of_reach_at_a_desk() {
    journey("pages-1280", async |b: &Browser| walk(b, 1280, 800).await).await;
}

#[actix_web::test]
async fn nothing_is_out_of_reach_on_a_small_laptop() {
    journey("pages-1024", async |b: &Browser| walk(b, 1024, 768).await).await;
}

/// At the bedside: Today, the note and booking, on a telephone.
async fn on_a_telephone(b: &Browser) -> Result<()> {
    resized(b, 390, 844).await?;
    b.sign_in("oriane").await?;
    for (page, shown) in
        [("/today", "//h2"), ("visit:IH-10006:note", "//h2"), ("/schedule", "//*[@data-visit]"), ("/people", "//input")]
    {
        b.goto(&address(b, page).await?).await?;
        b.see(shown).await?;
        b.settle().await?;
        let off = off_the_side(b).await?;
        anyhow::ensure!(off.is_empty(), "{page}: {off:?}");
        no_serious_fault(b, page).await?;
    }
    // What is put beyond the edge is noticed.
    let far = "document.querySelector('main').insertAdjacentHTML('beforeend', '<button style=\"position:fixed;left:900px\">Far</button>')";
    b.client.execute(far, vec![]).await?;
    anyhow::ensure!(off_the_side(b).await?.iter().any(|f| f.starts_with("Far")));
    leave(b).await?;
    b.sign_in("junia").await?;
    b.goto("/schedule?day=2026-11-26").await?;
    b.click("(//button[@data-open])[1]").await?;
    b.find("Find the patient", "Moreau", "Moreau").await?;
    b.fill("reason", "By telephone").await?;
    let off = off_the_side(b).await?;
    anyhow::ensure!(off.is_empty(), "booking: {off:?}");
    b.press("Book").await?;
    b.gone("//*[@role='dialog']").await?;
    Ok(())
}

#[actix_web::test]
async fn a_telephone_shows_the_day_and_books() {
    journey("pages-390", on_a_telephone).await;
}

/// The night theme has the same contrasts.
async fn by_night(b: &Browser) -> Result<()> {
    b.sign_in("soren").await?;
    b.client.execute("localStorage.setItem('harbor-theme', 'night')", vec![]).await?;
    for (page, shown) in [
        ("/today", "//h2"),
        ("/schedule", "//*[@data-visit]"),
        ("/in-clinic", "//*[@data-room]"),
        ("/people", "//input[@type='search']"),
        ("/settings?part=working-time", "//*[@data-template]"),
        ("/settings?part=visit-types", "//table"),
    ] {
        b.goto(page).await?;
        b.see(shown).await?;
        b.client.find(Locator::Css("html[data-theme='night']")).await.context("the night theme")?;
        b.settle().await?;
        no_serious_fault(b, page).await?;
    }
    Ok(())
}

#[actix_web::test]
async fn the_night_theme_can_be_read() {
    journey("pages-night", by_night).await;
}
