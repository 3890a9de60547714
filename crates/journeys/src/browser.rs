//! A headless Chromium behind ChromeDriver, with the few things that journeys do.

use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

use anyhow::{Context, Result, bail};
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, PointerAction, TouchActions};
use fantoccini::elements::Element;
use fantoccini::key::Key;
use fantoccini::wd::WebDriverCompatibleCommand;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};

const PATIENCE: Duration = Duration::from_secs(60);

/// A browser with one window of 1280×800.
#[derive(Debug)]
pub struct Browser {
    driver: Child,
    /// The window.
    pub client: Client,
    address: String,
    profile: tempfile::TempDir,
}

/// How often ChromeDriver is started: it chooses a port for IPv4, and ends where another
/// program has taken the same one for IPv6 meanwhile.
const STARTS: usize = 5;

/// Starts ChromeDriver; gives it with its port.
fn start_driver() -> Result<(Child, String)> {
    for _ in 0..STARTS {
        let mut driver = Command::new("chromedriver")
            .arg("--port=0")
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .context("chromedriver is not installed")?;
        let mut lines = BufReader::new(driver.stdout.take().context("no output")?).lines();
        while let Some(line) = lines.next().transpose()? {
            if let Some((_, port)) = line.split_once("started successfully on port ") {
                let port = port.trim_end_matches('.').to_owned();
                std::thread::spawn(move || lines.for_each(drop));
                return Ok((driver, port));
            }
        }
        driver.wait()?;
    }
    anyhow::bail!("chromedriver ended {STARTS} times as soon as it was started")
}

impl Browser {
    /// Opens a window on the program.
    pub async fn open(address: &str) -> Result<Browser> {
        Browser::start(address, json!({})).await
    }

    /// Opens the program on a telephone: 390 by 844 points, with a touch screen.
    pub async fn telephone(address: &str) -> Result<Browser> {
        let metrics = json!({ "width": 390, "height": 844, "pixelRatio": 1.0, "mobile": true, "touch": true });
        Browser::start(address, json!({ "deviceMetrics": metrics })).await
    }

    async fn start(address: &str, emulated: Value) -> Result<Browser> {
        let (driver, port) = start_driver()?;
        let profile = tempfile::tempdir()?;
        let arguments = [
            "--headless=new".to_owned(),
            "--no-sandbox".to_owned(),
            "--disable-dev-shm-usage".to_owned(),
            "--disable-gpu".to_owned(),
            "--window-size=1280,800".to_owned(),
            "--force-device-scale-factor=1".to_owned(),
            "--hide-scrollbars".to_owned(),
            "--force-prefers-reduced-motion".to_owned(),
            "--lang=en-GB".to_owned(),
            "--no-first-run".to_owned(),
            "--disable-background-networking".to_owned(),
            "--disable-component-update".to_owned(),
            format!("--user-data-dir={}", profile.path().display()),
        ];
        let mut options = json!({ "args": arguments });
        let telephone = emulated.get("deviceMetrics").is_some();
        if telephone {
            options["mobileEmulation"] = emulated;
        }
        let wanted = json!({ "goog:chromeOptions": options, "goog:loggingPrefs": { "browser": "ALL" } });
        let Value::Object(wanted) = wanted else { bail!("no capabilities") };
        let client = ClientBuilder::new(HttpConnector::new()).capabilities(wanted).connect(&format!("http://localhost:{port}")).await?;
        let browser = Browser { driver, client, address: address.to_owned(), profile };
        if telephone {
            return Ok(browser);
        }
        // The size set is the outer one.
        let edges = browser.client.execute("return [outerWidth - innerWidth, outerHeight - innerHeight]", vec![]).await?;
        let edge = |at: usize| edges.get(at).and_then(Value::as_u64).unwrap_or(0) as u32;
        browser.client.set_window_size(1280 + edge(0), 800 + edge(1)).await?;
        Ok(browser)
    }

    /// Makes the line slow: so long until anything answers, so many bytes a second.
    pub async fn slow(&self, milliseconds: u32, bytes: u32) -> Result<()> {
        self.client.issue_cmd(Line { milliseconds, bytes }).await?;
        Ok(())
    }

    /// Goes to a screen, or to an address.
    pub async fn go(&self, path: &str) -> Result<()> {
        let address = if path.starts_with("http") { path.to_owned() } else { format!("{}{path}", self.address) };
        Ok(self.client.goto(&address).await?)
    }

    /// Waits until an element is there.
    pub async fn find(&self, css: &str) -> Result<Element> {
        self.wait(Locator::Css(css), css).await
    }

    /// Waits until an element of a kind holds a text, whole or in part.
    pub async fn text(&self, kind: &str, text: &str) -> Result<Element> {
        let path = format!("//{kind}[contains(normalize-space(.), {})]", quoted(text));
        self.wait(Locator::XPath(&path), &format!("{kind} with “{text}”")).await
    }

    async fn wait(&self, locator: Locator<'_>, what: &str) -> Result<Element> {
        let until = Instant::now() + PATIENCE;
        loop {
            for element in self.client.find_all(locator).await? {
                if element.is_displayed().await.unwrap_or(false) {
                    return Ok(element);
                }
            }
            if Instant::now() > until {
                let script = "return location.pathname + ' ' + JSON.stringify(window.__errors || []) + '\\n' + document.body.innerText.slice(0, 3000)";
                let page = self.client.execute(script, vec![]).await?;
                bail!("{what} did not come; the screen says:\n{}", page.as_str().unwrap_or_default());
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
    }

    /// Clicks the button or link of a text.
    pub async fn click(&self, text: &str) -> Result<()> {
        let path = format!("//*[self::button or self::a or @role='radio' or self::label][contains(normalize-space(.), {})]", quoted(text));
        let until = Instant::now() + PATIENCE;
        loop {
            let element = self.wait(Locator::XPath(&path), &format!("a button “{text}”")).await?;
            if element.is_enabled().await.unwrap_or(false) && element.click().await.is_ok() {
                return Ok(());
            }
            if Instant::now() > until {
                bail!("the button “{text}” can't be clicked");
            }
            tokio::time::sleep(Duration::from_millis(80)).await;
        }
    }

    /// Chooses an option of a select by its label.
    pub async fn choose(&self, label: &str, option: &str) -> Result<()> {
        let select = format!("//div[contains(concat(' ', @class, ' '), ' el-select ')][.//input[@aria-label={}]]", quoted(label));
        self.wait(Locator::XPath(&select), &format!("the choice “{label}”")).await?.click().await?;
        let path = format!("//li[contains(@class,'el-select-dropdown__item')][contains(normalize-space(.), {})]", quoted(option));
        self.wait(Locator::XPath(&path), &format!("the option “{option}”")).await?.click().await?;
        Ok(())
    }

    /// Gives files to the hidden input of a button.
    pub async fn give(&self, label: &str, files: &[&Path]) -> Result<()> {
        let paths: Vec<String> = files.iter().map(|f| f.canonicalize().map(|p| p.display().to_string())).collect::<Result<_, _>>()?;
        let input =
            self.client.wait().at_most(PATIENCE).for_element(Locator::Css(&format!("input[type=file][aria-label=\"{label}\"]"))).await?;
        Ok(input.send_keys(&paths.join("\n")).await?)
    }

    /// Gives a file to a file field that people see.
    pub async fn give_to(&self, css: &str, file: &Path) -> Result<()> {
        let input = self.client.wait().at_most(PATIENCE).for_element(Locator::Css(css)).await?;
        Ok(input.send_keys(&file.canonicalize()?.display().to_string()).await?)
    }

    /// Draws a wave on an element with a finger.
    pub async fn draw(&self, css: &str) -> Result<()> {
        let element = self.find(css).await?;
        self.client.execute("arguments[0].scrollIntoView({ block: 'center' })", vec![serde_json::to_value(&element)?]).await?;
        let pause = Some(Duration::from_millis(30));
        let mut finger = TouchActions::new("finger".to_owned())
            .then(PointerAction::MoveToElement { element, duration: pause, x: -100.0, y: 0.0 })
            .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT });
        for step in 0..8 {
            finger = finger.then(PointerAction::MoveBy { duration: pause, x: 20.0, y: if step % 2 == 0 { 25.0 } else { -25.0 } });
        }
        Ok(self.client.perform_actions(finger.then(PointerAction::Up { button: MOUSE_BUTTON_LEFT })).await?)
    }

    /// Types into a field that has the focus.
    pub async fn keys(&self, keys: &str) -> Result<()> {
        Ok(self.client.active_element().await?.send_keys(keys).await?)
    }

    /// Presses Tab until the element at hand holds a text or has that name.
    pub async fn tab_to(&self, name: &str) -> Result<()> {
        for _ in 0..140 {
            let at = self
                .client
                .execute("const e = document.activeElement; return !e.matches('button, a, input, select, textarea') ? '' : (e.getAttribute('aria-label') || '') + ' ' + (e.innerText || '')", vec![])
                .await?;
            if at.as_str().unwrap_or_default().contains(name) {
                return Ok(());
            }
            self.keys(&char::from(Key::Tab).to_string()).await?;
        }
        bail!("Tab never reached “{name}”")
    }

    /// Waits until the screen is at rest and takes its picture.
    pub async fn picture(&self, path: &Path) -> Result<()> {
        tokio::time::sleep(Duration::from_millis(500)).await;
        self.client.execute("return document.fonts.ready.then(() => true)", vec![]).await?;
        std::fs::write(path, self.client.screenshot().await?)?;
        Ok(())
    }

    /// Whether any element of a selector is seen at this moment.
    pub async fn sees(&self, css: &str) -> Result<bool> {
        for element in self.client.find_all(Locator::Css(css)).await? {
            if element.is_displayed().await.unwrap_or(false) {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// Waits until an element's text has gone.
    pub async fn gone(&self, kind: &str, text: &str) -> Result<()> {
        let path = format!("//{kind}[contains(normalize-space(.), {})]", quoted(text));
        let until = Instant::now() + PATIENCE;
        while !self.client.find_all(Locator::XPath(&path)).await?.is_empty() {
            if Instant::now() > until {
                bail!("{kind} with “{text}” is still there");
            }
            tokio::time::sleep(Duration::from_millis(60)).await;
        }
        Ok(())
    }

    /// Puts a text in place of what a field holds.
    pub async fn write(&self, css: &str, text: &str) -> Result<()> {
        let until = Instant::now() + PATIENCE;
        loop {
            let field = self.find(css).await?;
            match self.write_into(&field, text).await {
                // A screen that is still being put together may draw the field anew.
                Err(error) if error.is_stale_element_reference() && Instant::now() < until => {}
                done => return Ok(done?),
            }
        }
    }

    async fn write_into(&self, field: &Element, text: &str) -> Result<(), fantoccini::error::CmdError> {
        field.click().await?;
        field.send_keys("\u{e009}a\u{e000}").await?;
        field.send_keys(text).await
    }

    /// The path of the address at hand.
    pub async fn path(&self) -> Result<String> {
        Ok(self.client.current_url().await?.path().to_owned())
    }

    /// Fails when the screen's console holds an error.
    pub async fn close(mut self) -> Result<()> {
        let noise = self.client.execute("return window.__errors || []", vec![]).await?;
        let noise = noise.as_array().cloned().unwrap_or_default();
        self.client.clone().close().await?;
        let _ = self.driver.kill();
        anyhow::ensure!(noise.is_empty(), "the console holds errors: {noise:?}");
        Ok(())
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        // A journey that failed half-way has not closed its window: end all that
        // was started with this profile.
        let _ = Command::new("pkill").args(["-f", &self.profile.path().to_string_lossy()]).status();
        let _ = self.driver.kill();
        let _ = self.driver.wait();
    }
}

/// Sets how the line of the browser is (ChromeDriver's own command).
#[derive(Debug)]
struct Line {
    milliseconds: u32,
    bytes: u32,
}

impl WebDriverCompatibleCommand for Line {
    fn endpoint(&self, base: &url::Url, session: Option<&str>) -> Result<url::Url, url::ParseError> {
        base.join(&format!("session/{}/chromium/network_conditions", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &url::Url) -> (http::Method, Option<String>) {
        let line =
            json!({ "offline": false, "latency": self.milliseconds, "download_throughput": self.bytes, "upload_throughput": self.bytes });
        (http::Method::POST, Some(json!({ "network_conditions": line }).to_string()))
    }
}

/// A text as an XPath literal.
fn quoted(text: &str) -> String {
    if text.contains('"') { format!("'{text}'") } else { format!("\"{text}\"") }
}

/// Sees that a main view keeps to its window (on a desk only its parts scroll), and
/// takes its current picture into `docs/screenshots`, when `MANGLE_SHOTS` asks for it.
pub async fn picture(browser: &Browser, name: &str) -> Result<()> {
    let script = "return innerWidth < 600 ? 0 : document.scrollingElement.scrollHeight - innerHeight";
    let beyond = browser.client.execute(script, vec![]).await?;
    anyhow::ensure!(beyond.as_f64().is_some_and(|more| more < 1.0), "“{name}” reaches {beyond} px beyond its window");
    if std::env::var_os("MANGLE_SHOTS").is_none() {
        return Ok(());
    }
    let folder = crate::repository().join("docs/screenshots");
    std::fs::create_dir_all(&folder)?;
    browser.picture(&folder.join(format!("{name}.png"))).await
}
