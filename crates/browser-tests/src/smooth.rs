//! `./harbor bench`, the part with a screen: the board of 40 clinicians, from a press to its picture.

use anyhow::{Context, Result};
use harbor_browser_tests::Browser;
use harbor_demo::crowd::more_clinicians;
use harbor_demo::testing::{Product, day};

fn main() -> Result<()> {
    actix_web::rt::System::new().block_on(smooth())
}

/// Presses and scrolls in the page itself; a picture is there two frames later at the latest.
const MEASURE: &str = "
    const done = arguments[arguments.length - 1];
    const painted = () => new Promise(ok => requestAnimationFrame(() => requestAnimationFrame(ok)));
    const times = { press: [], scroll: [], key: [] };
    const board = document.querySelector('[role=region]');
    (async () => {
        for (let n = 0; n < 40; n++) {
            board.scrollLeft = (n * 487) % (board.scrollWidth - board.clientWidth);
            board.scrollTop = (n * 211) % Math.max(1, board.scrollHeight - board.clientHeight);
            const begun = performance.now();
            board.dispatchEvent(new Event('scroll'));
            await painted();
            times.scroll.push(performance.now() - begun);
            const cards = [...board.querySelectorAll('[data-visit]')];
            const card = cards[n % cards.length];
            const pressed = performance.now();
            card.click();
            await painted();
            times.press.push(performance.now() - pressed);
        }
        const field = document.querySelector('input[name=\"Find in what is shown\"]');
        const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
        for (const letters of ['h', 'ha', 'hal', 'halv', 'm', 'mo', 'mor', 'ze', 'zel', 'x', '', 'ok', 'okon', 'b', 'br', 'bra']) {
            const typed = performance.now();
            set.call(field, letters);
            field.dispatchEvent(new Event('input', { bubbles: true }));
            await painted();
            times.key.push(performance.now() - typed);
        }
        done(times);
    })().catch(error => done({ error: String(error) }));";

async fn smooth() -> Result<()> {
    let product = Product::start().await?;
    more_clinicians(&product.database_url, day(), 36, 14, 80).await?;
    let browser = Browser::open(product.address(), 1280, 800).await?;
    browser.sign_in("junia").await?;
    browser.goto("/schedule?day=2026-11-24").await?;
    browser.see("//*[@data-visit]").await?;
    browser.settle().await?;
    let times = browser.client.execute_async(MEASURE, vec![]).await?;
    if let Some(error) = times["error"].as_str() {
        anyhow::bail!("measuring in the page: {error}");
    }
    for (name, words) in [
        ("press", "a press on a card"),
        ("scroll", "a scroll to other columns"),
        ("key", "a letter in the search of the board"),
    ] {
        let mut all: Vec<f64> =
            times[name].as_array().context("times")?.iter().filter_map(serde_json::Value::as_f64).collect();
        all.sort_by(f64::total_cmp);
        let at = (all.len() * 95).div_ceil(100).clamp(1, all.len()) - 1;
        println!("| {words} to its picture, 40 clinicians, p95 of {} | {:.0} ms | 80 ms |", all.len(), all[at]);
    }
    browser.close().await?;
    product.stop().await
}
