//! `./harbor bench`, the part with a screen: the board of 40 clinicians, from a press to its picture.

use anyhow::{Context, Result};
use harbor_browser_tests::Browser;
use harbor_demo::crowd::more_clinicians;
use harbor_demo::testing::{Product, day};

fn main() -> Result<()> {
    actix_web::rt::System::new().block_on(smooth())
}

/// What a person does, one at a time; a picture is there two frames later at the latest. Each answers with the
/// milliseconds from the press to the picture.
const SCROLL: &str = "
    const board = document.querySelector('[role=region]');
    board.scrollLeft = (n * 487) % (board.scrollWidth - board.clientWidth);
    board.scrollTop = (n * 211) % Math.max(1, board.scrollHeight - board.clientHeight);
    board.dispatchEvent(new Event('scroll'));";
const PRESS: &str = "
    const cards = [...document.querySelectorAll('[role=region] [data-visit]')];
    cards[n % cards.length].click();";
const KEY: &str = "
    const field = document.querySelector('input[name=\"Find in what is shown\"]');
    const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
    const typed = ['h', 'ha', 'hal', 'halv', 'm', 'mo', 'mor', 'ze', 'zel', 'x', '', 'ok', 'okon', 'b', 'br', 'bra'];
    set.call(field, typed[n % typed.length]);
    field.dispatchEvent(new Event('input', { bubbles: true }));";

async fn timed(browser: &Browser, act: &str, n: usize) -> Result<f64> {
    let script = format!(
        "const n = arguments[0], done = arguments[arguments.length - 1];
         const begun = performance.now();
         try {{ {act} }} catch (error) {{ done(String(error)); }}
         requestAnimationFrame(() => requestAnimationFrame(() => done(performance.now() - begun)));"
    );
    // One thing at a time: what the last one asked the server for has come.
    browser.settle().await?;
    let answer = browser.client.execute_async(&script, vec![n.into()]).await?;
    answer.as_f64().with_context(|| format!("in the page: {answer}"))
}

async fn smooth() -> Result<()> {
    let product = Product::start().await?;
    more_clinicians(&product.database_url, day(), 36, 14, 80).await?;
    let browser = Browser::open(product.address(), 1280, 800).await?;
    browser.sign_in("junia").await?;
    browser.goto("/schedule?day=2026-11-24").await?;
    browser.see("//*[@data-visit]").await?;
    browser.settle().await?;
    let mut times: [(&str, &str, Vec<f64>); 3] = [
        (SCROLL, "a scroll to other columns", vec![]),
        (PRESS, "a press on a card", vec![]),
        (KEY, "a letter in the search of the board", vec![]),
    ];
    for n in 0..40 {
        for (act, words, all) in times.iter_mut().take(2) {
            all.push(timed(&browser, act, n).await.with_context(|| format!("{words}, the {n}th time"))?);
        }
    }
    for n in 0..32 {
        let (act, words, all) = &mut times[2];
        all.push(timed(&browser, act, n).await.with_context(|| format!("{words}, the {n}th time"))?);
    }
    for (_, words, all) in &mut times {
        all.sort_by(f64::total_cmp);
        let at = (all.len() * 95).div_ceil(100).clamp(1, all.len()) - 1;
        println!("| {words} to its picture, 40 clinicians, p95 of {} | {:.0} ms | 80 ms |", all.len(), all[at]);
    }
    browser.close().await?;
    product.stop().await
}
