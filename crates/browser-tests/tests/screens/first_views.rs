//! The first view of every area while answers take a second: its frame stands at once, and nothing jumps when they come.

use anyhow::{Result, ensure};
use harbor_browser_tests::{Browser, journey_by_the_clock};
use serde_json::json;

/// In milliseconds, from the press on.
const FRAME: f64 = 300.0;
/// Of the screen, summed up; what moves by less nobody sees.
const JUMPS: f64 = 0.02;

/// Goes to an area with answers that take a second; gives when its frame stood, when it was usable, and what jumped.
const GO: &str = "
    const [href, done] = [arguments[0], arguments[1]];
    const link = [...document.querySelectorAll(\"nav[aria-label='Areas'] a\")].find(a => a.getAttribute('href') === href);
    const main = document.querySelector('main');
    const before = main.firstElementChild;
    const ask = window.fetch;
    window.fetch = (...all) => new Promise(go => setTimeout(() => go(ask(...all)), 1000));
    const jumps = [];
    const watch = new PerformanceObserver(list => {
        for (const e of list.getEntries())
            jumps.push([e.value, e.sources?.map(s => s.node?.innerText?.slice(0, 30) ?? '?').join(' | ')]);
    });
    watch.observe({ type: 'layout-shift' });
    const begun = performance.now();
    let frame = null, usable = null;
    const look = () => {
        const past = performance.now() - begun;
        if (frame === null && location.pathname === href && main.firstElementChild !== before) frame = past;
        if (frame !== null && usable === null && !main.querySelector('[aria-busy=true]') && main.innerText.length > 30)
            usable = past;
        // A while longer: what jumps, jumps when the last answer is there.
        if (past > 20000 || (usable !== null && past > usable + 1800)) {
            window.fetch = ask;
            watch.disconnect();
            done({ frame, usable, jumps });
        } else requestAnimationFrame(look);
    };
    link.click();
    requestAnimationFrame(look);";

async fn each_area(b: &Browser, login: &str, areas: &[&str]) -> Result<()> {
    b.sign_in(login).await?;
    // Whoever signs in reads what waits for them first; meanwhile the other areas are fetched.
    b.settle().await?;
    for area in areas {
        let seen = b.client.execute_async(GO, vec![json!(area)]).await?;
        let frame = seen["frame"].as_f64().unwrap_or(f64::INFINITY);
        ensure!(frame <= FRAME, "{login}, {area}: its frame stood after {frame:.0} ms");
        ensure!(seen["usable"].is_number(), "{login}, {area}: never usable: {seen}");
        let jumped: f64 = seen["jumps"].as_array().into_iter().flatten().filter_map(|j| j[0].as_f64()).sum();
        ensure!(jumped <= JUMPS, "{login}, {area}: {}", seen["jumps"]);
    }
    Ok(())
}

#[actix_web::test]
async fn the_desk_sees_each_frame_at_once_and_nothing_jumps() {
    let walk = async |b: &Browser| {
        each_area(b, "junia", &["/schedule", "/in-clinic", "/people", "/billing", "/settings", "/today"]).await
    };
    journey_by_the_clock("first views of the desk", walk).await;
}

#[actix_web::test]
async fn a_clinician_sees_each_frame_at_once_and_nothing_jumps() {
    let walk = async |b: &Browser| each_area(b, "oriane", &["/results", "/schedule", "/billing", "/today"]).await;
    journey_by_the_clock("first views of a clinician", walk).await;
}
