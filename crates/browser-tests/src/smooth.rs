//! `./harbor bench`, the part with a screen: the board of 40 clinicians and a note of twelve runs, from a press to its picture.

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

/// A letter in the middle of a note, as the browser itself puts it in.
const LETTER: &str = "
    const area = document.querySelectorAll('[data-lane] textarea[name=plan]')[6];
    area.focus();
    document.execCommand('insertText', false, 'wheeze '[n % 7]);";
/// Gives today's visit of a person twelve problems, each with words in three parts; answers with the visit.
const TWELVE_RUNS: &str = "
    const done = arguments[arguments.length - 1];
    const ask = async (path, method, body) => {
        const me = await (await fetch('/api/me')).json();
        const headers = { 'content-type': 'application/json', 'x-harbor-csrf': me.csrf };
        const answer = await fetch(path, method ? { method, headers, body: JSON.stringify(body) } : {});
        if (!answer.ok) throw new Error(path + ' ' + (await answer.text()));
        return answer.json();
    };
    (async () => {
        const clinic = await ask('/api/clinic');
        const day = await ask('/api/schedule?day=' + clinic.today);
        const visit = day.visits.find((v) => v.person.name.includes('Wren')).visit.id;
        const codes = ['R05.3', 'I10', 'M10.9', 'G43.909', 'K21.9', 'J45.909', 'R53.83', 'E78.5', 'N39.0', 'L30.9', 'H10.9', 'F41.1'];
        await ask(`/api/visits/${visit}/diagnoses`, 'PUT', { codes });
        const chart = await ask(`/api/visits/${visit}/chart`);
        const words = 'Better than last time; sleeps through, walks daily, takes what was agreed. '.repeat(6);
        for (const run of chart.runs)
            for (const part of ['examination', 'assessment', 'plan'])
                await ask(`/api/visits/${visit}/note/${part}`, 'PUT', { body: words, version: 0, run: run.id });
        done(visit);
    })().catch((error) => done('error: ' + error));";

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
    letters(&browser).await?;
    browser.close().await?;
    product.stop().await
}

async fn letters(browser: &Browser) -> Result<()> {
    browser.press("Sign out").await?;
    browser.sign_in("oriane").await?;
    let visit = browser.client.execute_async(TWELVE_RUNS, vec![]).await?;
    let visit = visit.as_str().filter(|v| !v.starts_with("error")).with_context(|| visit.to_string())?;
    browser.goto(&format!("/visits/{visit}/sheet")).await?;
    browser.see("(//*[@data-run])[12]").await?;
    let mut times = Vec::new();
    for n in 0..60 {
        times.push(timed(browser, LETTER, n).await?);
    }
    times.sort_by(f64::total_cmp);
    let at = (times.len() * 95).div_ceil(100) - 1;
    let (p95, half) = (times[at], times[times.len() / 2]);
    println!(
        "| a letter in a note of twelve runs to its picture, p95 of {} | {p95:.0} ms (half of them {half:.0}) | 50 ms |",
        times.len()
    );
    Ok(())
}
