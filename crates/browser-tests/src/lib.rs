//! The real interface in headless Chromium: a browser to drive, and a product to drive it at.
//!
//! Nothing sleeps for time: [`Browser`] waits for what it is told to see.

use anyhow::{Context, Result, bail, ensure};
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use fantoccini::elements::{Element, ElementRef};
use fantoccini::key::Key;
use fantoccini::{Client, ClientBuilder, Locator};
use harbor_demo::testing::Product;
use serde_json::json;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use tokio::sync::{RwLock, RwLockReadGuard};

/// The longest that a screen may take before a test gives up on it.
pub const PATIENCE: Duration = Duration::from_secs(20);

/// A ChromeDriver of our own; it ends with its holder.
struct Driver(Child);

impl Drop for Driver {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

/// One browser window with a person at it.
pub struct Browser {
    pub client: Client,
    base: String,
    profile: std::path::PathBuf,
    _driver: Driver,
}

fn free_port() -> Result<u16> {
    Ok(std::net::TcpListener::bind(("127.0.0.1", 0))?.local_addr()?.port())
}

impl Browser {
    pub async fn open(base: &str, width: u32, height: u32) -> Result<Browser> {
        let port = free_port()?;
        let child = Command::new("chromedriver")
            .arg(format!("--port={port}"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .context("chromedriver (Debian package chromium-driver)")?;
        let driver = Driver(child);
        let profile = std::env::temp_dir().join(format!("harbor-browser-{}", uuid::Uuid::now_v7().simple()));
        let size = format!("--window-size={width},{height}");
        let folder = format!("--user-data-dir={}", profile.display());
        let arguments = json!([
            "--headless=new",
            "--no-sandbox",
            "--disable-gpu",
            "--disable-quic",
            "--no-first-run",
            "--disable-dev-shm-usage",
            "--disable-background-networking",
            "--disable-component-update",
            "--disable-sync",
            "--hide-scrollbars",
            "--force-device-scale-factor=1",
            "--lang=en-US",
            size,
            folder
        ]);
        let mut wanted = serde_json::Map::new();
        wanted.insert("goog:chromeOptions".into(), json!({ "args": arguments, "binary": "/usr/bin/chromium" }));
        wanted.insert("goog:loggingPrefs".into(), json!({ "browser": "ALL" }));
        // Looking over a long page takes a busy machine of two cores more than the thirty seconds a driver gives.
        wanted.insert("timeouts".into(), json!({ "script": 180_000 }));
        let address = format!("http://127.0.0.1:{port}");
        let started = Instant::now();
        let client = loop {
            match ClientBuilder::new(hyper_connector()).capabilities(wanted.clone()).connect(&address).await {
                Ok(client) => break client,
                Err(error) if started.elapsed() > PATIENCE => bail!("no browser: {error}"),
                Err(_) => tokio::time::sleep(Duration::from_millis(50)).await,
            }
        };
        client.set_window_size(width, height).await?;
        // The window's own frame takes some of its height; the page is to have all of it.
        let inner = client.execute("return [innerWidth, innerHeight];", vec![]).await?;
        let lost = |i: usize, whole: u32| {
            whole.saturating_sub(inner[i].as_u64().and_then(|n| u32::try_from(n).ok()).unwrap_or(whole))
        };
        client.set_window_size(width + lost(0, width), height + lost(1, height)).await?;
        Ok(Browser { client, base: base.to_owned(), profile, _driver: driver })
    }

    pub async fn goto(&self, path: &str) -> Result<()> {
        self.client.goto(&format!("{}{path}", self.base)).await?;
        Ok(())
    }

    /// Signs in and waits until the frame stands.
    pub async fn sign_in(&self, login: &str) -> Result<()> {
        self.goto("/").await?;
        self.see("//input[@name='login']").await?;
        self.fill("login", login).await?;
        self.fill("password", harbor_demo::PASSWORD).await?;
        self.press("Sign in").await?;
        self.see("//nav[@aria-label='Areas']").await?;
        Ok(())
    }

    /// Waits until an element is there and can be seen.
    pub async fn see(&self, xpath: &str) -> Result<Element> {
        match self.wait("see", xpath).await? {
            Some(found) => Ok(Element::from_element_id(self.client.clone(), ElementRef::from(found))),
            None => {
                bail!("did not see {xpath} in {PATIENCE:?}; the page says:\n{}", self.text().await.unwrap_or_default())
            }
        }
    }

    /// Waits until a text is somewhere on the page.
    pub async fn read(&self, text: &str) -> Result<()> {
        match self.wait("read", text).await? {
            Some(_) => Ok(()),
            None => {
                bail!(
                    "did not read “{text}” in {PATIENCE:?}; the page says:\n{}",
                    self.text().await.unwrap_or_default()
                )
            }
        }
    }

    /// Waits until nothing answers to the path any more.
    pub async fn gone(&self, xpath: &str) -> Result<()> {
        match self.wait("gone", xpath).await? {
            Some(_) => Ok(()),
            None => bail!("{xpath} is still there; the page says:\n{}", self.text().await.unwrap_or_default()),
        }
    }

    /// Lets the page itself wait: it looks when something has changed, where asking from here would keep it busy. Answers
    /// what was found, as the driver names it.
    async fn wait(&self, until: &str, what: &str) -> Result<Option<String>> {
        let started = Instant::now();
        while started.elapsed() < PATIENCE {
            let left = PATIENCE.saturating_sub(started.elapsed()).as_millis();
            let arguments = vec![json!(until), json!(what), json!(u64::try_from(left)?)];
            match self.client.execute_async(include_str!("wait.js"), arguments).await {
                Ok(found) => {
                    let name = found.as_object().and_then(|f| f.values().next()).unwrap_or(&found);
                    return Ok(name.as_str().map(str::to_owned));
                }
                // The page that was waiting went, or what it found was drawn anew: the next one is asked.
                Err(error) if self.client.current_url().await.is_err() => bail!(error),
                Err(_) => tokio::time::sleep(Duration::from_millis(40)).await,
            }
        }
        Ok(None)
    }

    pub async fn text(&self) -> Result<String> {
        self.told("return document.body.innerText;").await
    }

    /// What a script in the page answers, as text.
    async fn told(&self, script: &str) -> Result<String> {
        let answer = self.client.execute(script, vec![]).await?;
        Ok(answer.as_str().unwrap_or_default().to_owned())
    }

    /// How the control that has the focus is called: its label, else its name, else its words.
    pub async fn focused(&self) -> Result<String> {
        let script = "const e = document.activeElement;
            return (e.getAttribute('aria-label') || e.getAttribute('name') || e.innerText || '').trim();";
        self.told(script).await
    }

    /// Whether the control that has the focus is called just this, by its name or its label.
    pub async fn focused_is(&self, name: &str) -> Result<bool> {
        let script = "const e = document.activeElement;
            return e.getAttribute('name') === arguments[0] || e.getAttribute('aria-label') === arguments[0];";
        Ok(self.client.execute(script, vec![json!(name)]).await?.as_bool() == Some(true))
    }

    /// Which kind of input has the focus; nothing when it is none.
    pub async fn focused_kind(&self) -> Result<String> {
        self.told("return document.activeElement.getAttribute('type') || '';").await
    }

    /// The value of the field at the path, as it stands now.
    pub async fn value(&self, xpath: &str) -> Result<String> {
        let started = Instant::now();
        loop {
            match self.see(xpath).await?.prop("value").await {
                Ok(value) => return Ok(value.unwrap_or_default()),
                Err(error) if !error.is_stale_element_reference() || started.elapsed() > PATIENCE => bail!(error),
                Err(_) => (),
            }
        }
    }

    /// Clicks what is at the path, as soon as it can be clicked. A button rests while something is being saved; the
    /// driver would click it all the same, and nothing would happen.
    pub async fn click(&self, xpath: &str) -> Result<()> {
        let started = Instant::now();
        loop {
            let element = self.see(xpath).await?;
            let clicked = match element.is_enabled().await {
                Ok(true) => element.click().await.map_err(|e| e.to_string()),
                Ok(false) => Err("it rests".to_owned()),
                Err(error) => Err(error.to_string()),
            };
            match clicked {
                Ok(()) => return Ok(()),
                Err(error) if started.elapsed() > PATIENCE => bail!("cannot click {xpath}: {error}"),
                Err(_) => tokio::time::sleep(Duration::from_millis(60)).await,
            }
        }
    }

    /// Presses the button with exactly this word, when it is enabled.
    pub async fn press(&self, word: &str) -> Result<()> {
        self.click(&format!("(//button[normalize-space()='{word}' or @aria-label='{word}'][not(@disabled)])[last()]"))
            .await
    }

    /// Waits until a field holds a text.
    pub async fn holds(&self, xpath: &str, wanted: impl Fn(&str) -> bool) -> Result<()> {
        let started = Instant::now();
        loop {
            let held = self.value(xpath).await?;
            if wanted(&held) {
                return Ok(());
            }
            ensure!(started.elapsed() < PATIENCE, "{xpath} holds “{held}”");
            tokio::time::sleep(std::time::Duration::from_millis(30)).await;
        }
    }

    /// Undoes what was told in these words: only when it is told, for what is told before it had its own Undo.
    pub async fn undo(&self, said: &str) -> Result<()> {
        self.click(&format!("//*[@data-undo][contains(., '{said}')]//button[normalize-space()='Undo']")).await
    }

    /// Presses the button whose words begin so.
    pub async fn press_starting(&self, words: &str) -> Result<()> {
        self.click(&format!("(//button[starts-with(normalize-space(), '{words}')][not(@disabled)])[1]")).await
    }

    /// Opens a tab of the page.
    pub async fn tab(&self, word: &str) -> Result<()> {
        self.click(&format!("//*[@role='tab'][normalize-space()='{word}']")).await
    }

    /// Replaces what a field holds.
    pub async fn fill(&self, name: &str, text: &str) -> Result<()> {
        let wanted =
            format!("@name='{name}' or @aria-label='{name}' or @id=//label[normalize-space(text()[1])='{name}']/@for");
        let path = format!("(//input[{wanted}] | //textarea[{wanted}])[last()]");
        self.click(&path).await?;
        self.keys(&format!("{}a", char::from(Key::Control))).await?;
        self.keys(&char::from(Key::Null).to_string()).await?;
        if text.is_empty() {
            self.keys(&char::from(Key::Delete).to_string()).await?;
        } else {
            self.keys(text).await?;
        }
        Ok(())
    }

    /// Gives a file to a chooser, which is hidden behind its button.
    pub async fn give_file(&self, xpath: &str, path: &str) -> Result<()> {
        let input = self.client.wait().for_element(Locator::XPath(xpath)).await?;
        input.send_keys(path).await?;
        Ok(())
    }

    /// Types into a search and takes the first answer that holds `found`.
    pub async fn find(&self, label: &str, text: &str, found: &str) -> Result<()> {
        self.click(&format!("(//input[@aria-label='{label}'])[last()]")).await?;
        self.keys(text).await?;
        self.click(&format!("(//*[@role='option'][contains(., \"{found}\")])[1]")).await
    }

    /// Goes on by Tab until the focus is on a control of this name, or one that begins so.
    pub async fn tab_to(&self, name: &str) -> Result<()> {
        for _ in 0..150 {
            if self.focused().await?.starts_with(name) {
                return Ok(());
            }
            self.key(fantoccini::key::Key::Tab).await?;
        }
        bail!("Tab never came to {name}")
    }

    /// Where something lies once it lies still: what is loaded above it may still push it down.
    async fn rectangle(&self, xpath: &str) -> Result<(f64, f64, f64, f64)> {
        let started = Instant::now();
        let mut before = None;
        loop {
            match self.see(xpath).await?.rectangle().await {
                Ok(found) if before == Some(found) => return Ok(found),
                Ok(found) => {
                    before = Some(found);
                    tokio::time::sleep(Duration::from_millis(60)).await;
                }
                Err(error) if !error.is_stale_element_reference() || started.elapsed() > PATIENCE => bail!(error),
                Err(_) => (),
            }
        }
    }

    /// Presses the pointer down on one thing, draws it over others and lets go on the last.
    pub async fn drag(&self, over: &[&str]) -> Result<()> {
        let mut pointer = MouseActions::new("pointer".into());
        for (at, xpath) in over.iter().enumerate() {
            let (x, y, width, height) = self.rectangle(xpath).await?;
            let to = PointerAction::MoveTo {
                duration: Some(Duration::from_millis(40)),
                x: x + width / 2.0,
                y: y + height / 2.0,
            };
            pointer = pointer.then(to);
            if at == 0 {
                pointer = pointer.then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
            }
        }
        pointer = pointer.then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
        self.client.perform_actions(pointer).await?;
        Ok(())
    }

    /// Types into whatever has the focus. What had it may be drawn anew between asking and typing;
    /// then nothing was typed yet, and the focus is asked for again.
    pub async fn keys(&self, text: &str) -> Result<()> {
        let started = Instant::now();
        loop {
            let element = self.client.active_element().await?;
            match element.send_keys(text).await {
                Ok(()) => return Ok(()),
                Err(error) if !error.is_stale_element_reference() || started.elapsed() > PATIENCE => bail!(error),
                Err(_) => (),
            }
        }
    }

    pub async fn key(&self, key: Key) -> Result<()> {
        self.keys(&char::from(key).to_string()).await
    }

    /// What axe finds serious or critical on the page as it stands.
    pub async fn serious_faults(&self) -> Result<Vec<String>> {
        let axe = std::fs::read_to_string(concat!(
            env!("CARGO_MANIFEST_DIR"),
            "/../../web/node_modules/axe-core/axe.min.js"
        ))?;
        self.client.execute(&format!("{axe}; return true;"), vec![]).await?;
        let script = "const done = arguments[arguments.length - 1];
            axe.run(document, { resultTypes: ['violations'] }).then(r => done(r.violations
              .filter(v => v.impact === 'serious' || v.impact === 'critical')
              .map(v => v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 160) + ' ' + (n.any[0] ? n.any[0].message : '')).join(' | '))));";
        let found = self.client.execute_async(script, vec![]).await?;
        Ok(found.as_array().into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect())
    }

    /// Waits until fonts are there and nothing has been drawn anew for a moment.
    pub async fn settle(&self) -> Result<()> {
        let script = "const done = arguments[arguments.length - 1];
            document.fonts.ready.then(() => {
              let timer = setTimeout(finish, 300);
              const watch = new MutationObserver(() => { clearTimeout(timer); timer = setTimeout(finish, 300); });
              watch.observe(document.body, { childList: true, subtree: true, characterData: true });
              function finish() { watch.disconnect(); done(true); }
              setTimeout(finish, 4000);
            });";
        self.client.execute_async(script, vec![]).await?;
        Ok(())
    }

    /// A picture of the window as PNG.
    pub async fn picture(&self) -> Result<Vec<u8>> {
        Ok(self.client.screenshot().await?)
    }

    pub async fn close(self) -> Result<()> {
        self.client.clone().close().await?;
        let _ = std::fs::remove_dir_all(&self.profile);
        Ok(())
    }
}

fn hyper_connector() -> hyper_util::client::legacy::connect::HttpConnector {
    hyper_util::client::legacy::connect::HttpConnector::new()
}

/// Fails with what axe calls serious on a page.
pub async fn no_serious_fault(browser: &Browser, page: &str) -> Result<()> {
    browser.settle().await?;
    let faults = browser.serious_faults().await?;
    anyhow::ensure!(faults.is_empty(), "axe on {page}: {faults:#?}");
    Ok(())
}

/// Journeys run beside each other, as far as the cores carry; what is measured by the clock runs alone.
static BY_THE_CLOCK: RwLock<()> = RwLock::const_new(());

/// Held by a test that does not mind what runs beside it.
pub async fn beside() -> RwLockReadGuard<'static, ()> {
    BY_THE_CLOCK.read().await
}

/// Runs a journey; what the browser showed at a failure is kept for looking at.
pub async fn journey(name: &str, walk: impl AsyncFnOnce(&Browser) -> Result<()>) {
    let _beside = beside().await;
    at_one_desk(name, walk).await;
}

/// A journey that is measured by the clock.
pub async fn journey_by_the_clock(name: &str, walk: impl AsyncFnOnce(&Browser) -> Result<()>) {
    let _alone = BY_THE_CLOCK.write().await;
    at_one_desk(name, walk).await;
}

/// A journey beside which the test does what the outside does, measured by the clock.
pub async fn journey_with_the_outside_by_the_clock(
    name: &str,
    walk: impl AsyncFnOnce(&Product, &Browser) -> Result<()>,
) {
    let _alone = BY_THE_CLOCK.write().await;
    let product = Product::start().await.expect("product");
    let browser = Browser::open(product.address(), 1280, 800).await.expect("browser");
    let outcome = walk(&product, &browser).await;
    leave(name, outcome.is_err(), vec![browser], product).await;
    outcome.expect(name);
}

async fn at_one_desk(name: &str, walk: impl AsyncFnOnce(&Browser) -> Result<()>) {
    let product = Product::start().await.expect("product");
    let browser = Browser::open(product.address(), 1280, 800).await.expect("browser");
    let outcome = walk(&browser).await;
    leave(name, outcome.is_err(), vec![browser], product).await;
    outcome.expect(name);
}

/// Two people at two desks of one clinic.
pub async fn two_desks(name: &str, walk: impl AsyncFnOnce(&Browser, &Browser) -> Result<()>) {
    let _beside = beside().await;
    at_two_desks(name, walk).await;
}

/// Two desks where what one does has to reach the other within a time.
pub async fn two_desks_by_the_clock(name: &str, walk: impl AsyncFnOnce(&Browser, &Browser) -> Result<()>) {
    let _alone = BY_THE_CLOCK.write().await;
    at_two_desks(name, walk).await;
}

/// Two desks whose laboratory answers only when somebody there lets it.
pub async fn two_desks_and_a_slow_laboratory(name: &str, walk: impl AsyncFnOnce(&Browser, &Browser) -> Result<()>) {
    let _beside = beside().await;
    let product = Product::start().await.expect("product");
    product.outside.lock().automatic = false;
    at_desks_of(product, name, async |_, one, two| walk(one, two).await).await;
}

/// Two desks beside which the test does what the outside does.
pub async fn two_desks_and_the_outside(name: &str, walk: impl AsyncFnOnce(&Product, &Browser, &Browser) -> Result<()>) {
    let _beside = beside().await;
    at_desks_of(Product::start().await.expect("product"), name, walk).await;
}

async fn at_two_desks(name: &str, walk: impl AsyncFnOnce(&Browser, &Browser) -> Result<()>) {
    let product = Product::start().await.expect("product");
    at_desks_of(product, name, async |_, one, two| walk(one, two).await).await;
}

async fn at_desks_of(product: Product, name: &str, walk: impl AsyncFnOnce(&Product, &Browser, &Browser) -> Result<()>) {
    let one = Browser::open(product.address(), 1280, 800).await.expect("browser");
    let two = Browser::open(product.address(), 1280, 800).await.expect("browser");
    let outcome = walk(&product, &one, &two).await;
    leave(name, outcome.is_err(), vec![one, two], product).await;
    outcome.expect(name);
}

async fn leave(name: &str, failed: bool, browsers: Vec<Browser>, product: Product) {
    for (n, browser) in browsers.into_iter().enumerate() {
        if failed {
            let path = std::env::temp_dir().join(format!("{name}-{}.png", n + 1));
            let _ = std::fs::write(path, browser.picture().await.unwrap_or_default());
        }
        browser.close().await.expect("close");
    }
    product.stop().await.expect("stop");
}
