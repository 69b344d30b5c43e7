//! Discreet mode over every area: one key, and nobody can be told from the screen; and it stays so when the page is
//! loaded again.

use anyhow::{Context, Result, bail, ensure};
use harbor_browser_tests::{Browser, journey};

/// Who looks where; `visit:` is a part of the visit of a record.
const PAGES: [(&str, &[&str]); 3] = [
    (
        "junia",
        &[
            "/today",
            "/schedule",
            "/schedule?view=week",
            "/schedule?away=1",
            "/schedule?more=waiting",
            "/schedule?more=told",
            "/in-clinic",
            "visit:IH-10002:check-in",
            "visit:IH-10009:money",
        ],
    ),
    (
        "oriane",
        &["/today", "/results", "/results?tab=ordered", "/in-clinic", "visit:IH-10006:note", "visit:IH-10005:orders"],
    ),
    (
        "agathe",
        &[
            "/today",
            "/billing",
            "/billing?tab=day",
            "/billing?tab=batches",
            "/billing?tab=denials",
            "/billing?tab=remittances",
            "/billing?tab=statements",
            "/billing?tab=receivables",
        ],
    ),
];

/// Everything that tells who somebody is, of those who come today or have a result or claim.
async fn identities(b: &Browser) -> Result<Vec<String>> {
    let script = "const done = arguments[arguments.length - 1];
        const asked = (at) => fetch(at).then((r) => (r.ok ? r.json() : []));
        const denied = asked('/api/denials').then((list) => list.map((d) => d.person.name));
        const paid = asked('/api/remittances').then((list) => list.flatMap((r) => r.claims.map((c) => c.patientName)));
        const owing = asked('/api/statements/due').then((d) => [...(d.due ?? []), ...(d.notNow ?? [])].map((s) => s.to.name));
        Promise.all([asked('/api/schedule'), denied, paid, owing]).then(([day, ...others]) => done(others.flat().concat(day.visits.flatMap((v) => {
            const birth = v.person.birthDate
                ? new Date(v.person.birthDate + 'T00:00:00Z').toLocaleDateString('en-US', { timeZone: 'UTC', month: 'short', day: 'numeric', year: 'numeric' })
                : null;
            return [v.person.name, v.person.recordNumber, birth];
        })).filter(Boolean)));";
    let found = b.client.execute_async(script, vec![]).await?;
    let found: Vec<String> =
        found.as_array().into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect();
    ensure!(found.len() > 60, "{} things tell who comes today", found.len());
    Ok(found)
}

async fn address(b: &Browser, page: &str) -> Result<String> {
    let Some((record, part)) = page.strip_prefix("visit:").and_then(|p| p.split_once(':')) else {
        return Ok(page.to_owned());
    };
    let script = "const done = arguments[1];
        fetch('/api/schedule').then((r) => r.json()).then((day) =>
          done(day.visits.find((v) => v.person.recordNumber === arguments[0])?.visit.id ?? ''));";
    let id = b.client.execute_async(script, vec![record.into()]).await?;
    let id = id.as_str().filter(|id| !id.is_empty()).with_context(|| format!("{record} comes today"))?;
    Ok(format!("/visits/{id}/{part}"))
}

async fn nobody_is_told(b: &Browser) -> Result<()> {
    let mut told = Vec::new();
    for (login, pages) in PAGES {
        b.sign_in(login).await?;
        let who = identities(b).await?;
        b.goto("/today").await?;
        b.see("//h2").await?;
        b.settle().await?;
        let open = b.text().await?;
        ensure!(who.iter().any(|w| open.contains(w.as_str())), "{login} sees nobody by name before");
        b.click("//h1").await?;
        b.keys("d").await?;
        b.see("//button[.='Discreet mode is on']").await?;
        for page in pages {
            // Loaded anew, it is still on.
            b.goto(&address(b, page).await?).await?;
            b.see("//button[.='Discreet mode is on']").await?;
            b.settle().await?;
            let shown = b.text().await?;
            ensure!(shown.len() > 200, "{page} of {login} shows nothing: {shown}");
            told.extend(who.iter().filter(|w| shown.contains(w.as_str())).map(|w| format!("{page} of {login}: {w}")));
        }
        b.press("Discreet mode is on").await?;
        b.goto("/today").await?;
        b.press("Sign out").await?;
        b.see("//input[@name='login']").await?;
    }
    if !told.is_empty() {
        told.sort();
        told.dedup();
        bail!("{} identities are on a screen in discreet mode:\n{}", told.len(), told.join("\n"));
    }
    Ok(())
}

#[actix_web::test]
async fn nobody_can_be_told_from_any_screen() {
    journey("discreet", nobody_is_told).await;
}
