//! Driving the real application in a real browser: a demo bench in this process, headless Chromium
//! through one ChromeDriver, the stand-in's own page in a second tab for a person's hands.
//!
//! Set `VERITOPE_SHOTS` to a folder and every [`Bench::shot`] leaves its picture there.

pub mod proxy;

use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::sync::OnceLock;
use std::time::Duration;

use fantoccini::error::CmdError;
use fantoccini::{Client, ClientBuilder, Locator};
use hyper_util::client::legacy::connect::HttpConnector;
use serde_json::{Value, json};
use veritope::demo::{DemoConfig, DemoRunning};
use veritope_engine::library::hold::Folder;
use veritope_server::front::FrontEnd;
use veritope_standin::Device;
use veritope_standin::gate::Gate;
use veritope_wire::link::{ActKind, ActRequest, Refusal};

/// What a step of a browser test yields; failures carry what was looked for.
pub type Outcome<T = ()> = Result<T, Box<dyn std::error::Error + Send + Sync>>;

/// Looks at a page until its colours have settled.
const COLOURS_SETTLE_IN: u32 = 4;
/// How often is looked for something on screen before it is given up: looks are counted rather than time, so
/// that a computer which stands still meanwhile takes nothing away from a story.
const LOOKS: u32 = 600;

/// How long to wait between two looks.
const LOOK_EVERY: Duration = Duration::from_millis(60);

/// The repository's root.
#[must_use]
pub fn root() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// One ChromeDriver for all tests of this process. A shell holds it and ends it as soon as this
/// process is gone, however it goes.
struct Driver {
    url: String,
    _shell: Child,
}

fn driver() -> &'static Driver {
    static DRIVER: OnceLock<Driver> = OnceLock::new();
    DRIVER.get_or_init(|| {
        let port = free_port();
        let script = format!("chromedriver --port={port} >/dev/null 2>&1 & read _; kill $!");
        let shell = Command::new("sh")
            .args(["-c", &script])
            .stdin(Stdio::piped())
            .spawn()
            .expect("a shell to hold ChromeDriver; `cargo xtask test` installs it");
        Driver {
            url: format!("http://127.0.0.1:{port}"),
            _shell: shell,
        }
    })
}

fn free_port() -> u16 {
    let listener = std::net::TcpListener::bind("127.0.0.1:0").expect("a free port");
    listener.local_addr().expect("its number").port()
}

/// A demo bench and a browser that looks at it.
pub struct Bench {
    demo: DemoRunning,
    /// Another bench, on this computer too, that the browser looks at instead of the demo's.
    anew: Option<veritope_server::Running>,
    /// The browser.
    pub browser: Client,
    folder: tempfile::TempDir,
}

impl Bench {
    /// Starts both. Devices are `time_scale` times as fast as the wall.
    ///
    /// # Errors
    /// When the front end is not built, or Chromium or ChromeDriver is missing.
    pub async fn start(time_scale: u32) -> Outcome<Self> {
        let folder = tempfile::tempdir()?;
        let demo = veritope::demo::start(DemoConfig {
            listen: "127.0.0.1:0".parse()?,
            standin: "127.0.0.1:0".parse()?,
            data: folder.path().join("data"),
            front: FrontEnd::Folder(root().join("web/dist")),
            time_scale,
        })
        .await?;
        let profile = folder.path().join("browser");
        let options = json!({
            "args": [
                "--headless=new", "--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run",
                "--disable-background-networking", "--disable-component-update", "--disable-sync",
                "--disable-dev-shm-usage", "--window-size=1280,943",
                format!("--user-data-dir={}", profile.display()),
            ],
        });
        let Value::Object(capabilities) = json!({ "goog:chromeOptions": options }) else {
            return Err("capabilities are an object".into());
        };
        let mut looks = 0..LOOKS;
        let browser = loop {
            let made = ClientBuilder::new(HttpConnector::new())
                .capabilities(capabilities.clone())
                .connect(&driver().url)
                .await;
            match made {
                Ok(browser) => break browser,
                Err(error) if looks.next().is_none() => return Err(error.into()),
                Err(_) => tokio::time::sleep(LOOK_EVERY).await,
            }
        };
        let bench = Self {
            demo,
            anew: None,
            browser,
            folder,
        };
        bench.view(1280, 800).await?;
        Ok(bench)
    }

    /// Ends both.
    ///
    /// # Errors
    /// When the browser doesn't close.
    pub async fn stop(self) -> Outcome {
        self.browser.close().await?;
        if let Some(anew) = self.anew {
            anew.stop().await;
        }
        self.demo.stop().await;
        Ok(())
    }

    /// Starts another bench, that has nothing but an empty folder, as `veritope serve` does; from here on
    /// the browser looks at that one.
    ///
    /// # Errors
    /// When it can't be started.
    pub async fn begin_anew(&mut self) -> Outcome {
        let config = veritope_server::Config {
            listen: "127.0.0.1:0".parse()?,
            data: Folder::Free(self.folder.path().join("anew")),
            vault: None,
            front: FrontEnd::Folder(root().join("web/dist")),
        };
        self.anew = Some(veritope_server::start(config).await?);
        Ok(())
    }

    /// The bench that was begun anew ends, `meanwhile` happens to its folder, and it starts again.
    ///
    /// # Errors
    /// When it can't be started.
    pub async fn ends_and_starts_again(
        &mut self,
        meanwhile: impl FnOnce(&Path) -> Outcome,
    ) -> Outcome {
        if let Some(anew) = self.anew.take() {
            anew.stop().await;
        }
        meanwhile(&self.folder.path().join("anew"))?;
        self.begin_anew().await
    }

    /// Address and token of the demo's devices, as the demo prints them when it starts.
    #[must_use]
    pub fn bridge(&self) -> (String, &str) {
        let url = format!("http://{}", self.demo.standin);
        (url, &self.demo.token)
    }

    /// Makes the page's own area so large.
    ///
    /// # Errors
    /// When the browser refuses.
    pub async fn view(&self, width: u32, height: u32) -> Outcome {
        self.browser.set_window_size(width, height + 143).await?;
        let size = self.run("return [innerWidth, innerHeight]").await?;
        let inner = size[1]
            .as_u64()
            .and_then(|inner| u32::try_from(inner).ok())
            .unwrap_or(height);
        if inner != height {
            self.browser
                .set_window_size(width, height + 143 + height - inner)
                .await?;
        }
        Ok(())
    }

    /// Ends the bench and its devices under the browser's eyes.
    ///
    /// # Errors
    /// When what the page says of it does not come; carries what it shows.
    pub async fn server_goes(self, wanted: &str) -> Outcome {
        let Self {
            demo,
            browser,
            folder,
            ..
        } = self;
        demo.stop().await;
        let mut looks = 0..LOOKS;
        loop {
            let shown = browser
                .execute("return document.body.innerText", Vec::new())
                .await?;
            if shown.as_str().is_some_and(|text| text.contains(wanted)) {
                break;
            }
            if looks.next().is_none() {
                return Err(format!("the page does not show `{wanted}` but:\n{shown}").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
        browser.close().await?;
        drop(folder);
        Ok(())
    }

    /// The bench that the browser looks at, as an origin.
    #[must_use]
    pub fn origin(&self) -> String {
        let anew = self.anew.as_ref();
        format!(
            "http://{}",
            anew.map_or(self.demo.bench, |anew| anew.address)
        )
    }

    /// Opens an address of the application.
    ///
    /// # Errors
    /// When the browser refuses.
    pub async fn open(&self, path: &str) -> Outcome {
        self.browser
            .goto(&format!("{}{path}", self.origin()))
            .await?;
        Ok(())
    }

    /// Runs a script in the page.
    ///
    /// # Errors
    /// When it throws.
    pub async fn run(&self, script: &str) -> Outcome<Value> {
        Ok(self.browser.execute(script, Vec::new()).await?)
    }

    /// Waits until the page shows `text`.
    ///
    /// # Errors
    /// When it doesn't in time; carries what the page shows instead.
    pub async fn sees(&self, text: &str) -> Outcome {
        let mut looks = 0..LOOKS;
        loop {
            let shown = self.run("return document.body.innerText").await?;
            let shown = shown.as_str().unwrap_or("");
            if shown.contains(text) {
                return Ok(());
            }
            if looks.next().is_none() {
                return Err(format!("the page does not show `{text}` but:\n{shown}").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
    }

    /// Clicks the first button, link or choice whose name is `name`, once it can be used.
    ///
    /// # Errors
    /// When there is none in time.
    pub async fn click(&self, name: &str) -> Outcome {
        let path = format!(
            "//*[self::button or self::a or @role='radio' or self::label][not(@disabled)][not(@aria-disabled='true')][normalize-space(.)=\"{name}\" or @aria-label=\"{name}\"]"
        );
        let missing = format!("nothing called `{name}` can be clicked");
        let click = async || {
            self.browser
                .find(Locator::XPath(&path))
                .await?
                .click()
                .await
        };
        self.patiently(&missing, click).await
    }

    /// Does it until it can be done: what it is done to may not be there yet, or was drawn anew between
    /// finding and doing. What was refused was not done in part.
    async fn patiently(
        &self,
        missing: &str,
        act: impl AsyncFn() -> Result<(), CmdError>,
    ) -> Outcome {
        let mut looks = 0..LOOKS;
        loop {
            match act().await {
                Ok(()) => return Ok(()),
                Err(error) if looks.next().is_none() => {
                    let shown = self.run("return document.body.innerText").await?;
                    let shown = shown.as_str().unwrap_or_default();
                    return Err(format!("{missing}: {error}\n{shown}").into());
                }
                Err(_) => tokio::time::sleep(LOOK_EVERY).await,
            }
        }
    }

    /// Types into the field labelled `label`, in place of what stands there.
    ///
    /// # Errors
    /// When there is none in time.
    pub async fn fill(&self, label: &str, text: &str) -> Outcome {
        let path = format!(
            "//*[self::input or self::textarea][@id=//label[normalize-space(.)=\"{label}\"]/@for]"
        );
        let keys = format!("\u{e009}a\u{e000}{text}");
        let missing = format!("no field `{label}` can be typed into");
        let fill = async || {
            let field = self.browser.find(Locator::XPath(&path)).await?;
            field.send_keys(&keys).await
        };
        self.patiently(&missing, fill).await
    }

    /// Sends keys to whatever has the focus.
    ///
    /// # Errors
    /// When the browser refuses.
    pub async fn press(&self, keys: &str) -> Outcome {
        let press = async || self.browser.active_element().await?.send_keys(keys).await;
        self.patiently("nothing takes the keys", press).await
    }

    /// Touches a button on the stand-in's own page, in a tab of its own.
    ///
    /// # Errors
    /// When the device's screen doesn't show it in time.
    pub async fn touch(&self, handle: &str, button: &str) -> Outcome {
        let here = self.browser.window().await?;
        let tab = self.browser.new_window(true).await?;
        self.browser.switch_to_window(tab.handle).await?;
        self.browser
            .goto(&format!("http://{}/device/{handle}", self.demo.standin))
            .await?;
        let touched = self.click(button).await;
        if touched.is_ok() && std::env::var_os("VERITOPE_SHOTS").is_some() {
            self.shot("stand-in").await?;
        }
        // The page answers by sending the form; closing at once would cut that off.
        self.sees_not(button).await?;
        self.browser.close_window().await?;
        self.browser.switch_to_window(here).await?;
        touched
    }

    /// Presses a button of the stand-in's own page that stays there, in a tab of its own.
    ///
    /// # Errors
    /// When it isn't there in time.
    pub async fn press_on_page(&self, handle: &str, button: &str) -> Outcome {
        let here = self.browser.window().await?;
        let tab = self.browser.new_window(true).await?;
        self.browser.switch_to_window(tab.handle).await?;
        let url = format!("http://{}/device/{handle}", self.demo.standin);
        self.browser.goto(&url).await?;
        let done = self
            .run(
                "window.sent = new Promise((sent) => { const ask = window.fetch; window.fetch = (...words) => ask(...words).finally(() => { if (words[1]) sent(); }); });",
            )
            .await
            .and(self.click(button).await);
        self.browser
            .execute_async("window.sent.then(arguments[0])", Vec::new())
            .await?;
        self.browser.close_window().await?;
        self.browser.switch_to_window(here).await?;
        done
    }

    /// Clicks the last button that shows `text`.
    ///
    /// # Errors
    /// When there is none in time.
    pub async fn click_last(&self, text: &str) -> Outcome {
        let path = format!("(//button[not(@disabled)][normalize-space(.)=\"{text}\"])[last()]");
        let missing = format!("no `{text}` can be clicked");
        let click = async || {
            self.browser
                .find(Locator::XPath(&path))
                .await?
                .click()
                .await
        };
        self.patiently(&missing, click).await
    }

    /// Picks an answer out of the list labelled `label`.
    ///
    /// # Errors
    /// When there is no such list, or no such answer in it.
    pub async fn pick(&self, label: &str, answer: &str) -> Outcome {
        let path = format!("//select[@id=//label[normalize-space(.)=\"{label}\"]/@for]");
        let missing = format!("no list called `{label}` offers `{answer}`");
        let pick = async || {
            let list = self.browser.find(Locator::XPath(&path)).await?;
            list.select_by_label(answer).await
        };
        self.patiently(&missing, pick).await
    }

    /// Waits until the page no longer shows `text`.
    ///
    /// # Errors
    /// When it still does after a while.
    pub async fn sees_not(&self, text: &str) -> Outcome {
        let mut looks = 0..LOOKS;
        while self
            .run("return document.body.innerText")
            .await?
            .as_str()
            .is_some_and(|t| t.contains(text))
        {
            if looks.next().is_none() {
                return Err(format!("the page still shows `{text}`").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
        Ok(())
    }

    /// Runs axe-core over the page.
    ///
    /// # Errors
    /// When it finds anything moderate, serious or critical; carries the findings.
    pub async fn is_accessible(&self) -> Outcome {
        let source = std::fs::read_to_string(root().join("web/node_modules/axe-core/axe.min.js"))?;
        self.run(&source).await?;
        let script = "const done = arguments[arguments.length - 1];
            axe.run(document, { resultTypes: ['violations'] }).then((result) => done(
              result.violations
                .filter((one) => one.impact !== 'minor')
                .map((one) => `${one.id}: ${one.help}: ${one.nodes.map((n) => n.html.slice(0, 160)).join(' | ')}`)), (error) => done(`axe: ${error}`));";
        let mut found = Value::Null;
        for _ in 0..COLOURS_SETTLE_IN {
            found = self.browser.execute_async(script, Vec::new()).await?;
            if found.as_array().is_some_and(Vec::is_empty) {
                return Ok(());
            }
            // A button that comes free is on its way from one colour to another.
            tokio::time::sleep(Duration::from_millis(300)).await;
        }
        Err(format!("not accessible: {found:#}").into())
    }

    /// Leaves a picture of the page in the folder named by `VERITOPE_SHOTS`, if one is.
    ///
    /// # Errors
    /// When it can't be taken or written.
    pub async fn shot(&self, name: &str) -> Outcome {
        if let Some(folder) = std::env::var_os("VERITOPE_SHOTS") {
            // A person is slower than a story: by now the ways back from typing have closed.
            if !name.starts_with("standing") {
                self.sees_not("Undo").await?;
            }
            std::fs::create_dir_all(&folder)?;
            let picture = self.browser.screenshot().await?;
            std::fs::write(Path::new(&folder).join(format!("{name}.png")), picture)?;
        }
        Ok(())
    }

    /// Takes a file of this computer onto the shelf, at the shelf's own page.
    ///
    /// # Errors
    /// When it does not come.
    pub async fn shelve(&self, path: &std::path::Path) -> Outcome {
        self.open("/shelf").await?;
        self.fill(
            "Or the whole path of a file on this computer",
            &path.display().to_string(),
        )
        .await?;
        self.click("Take it").await?;
        let name = path.file_name().unwrap_or_default().to_string_lossy();
        self.click(&format!("Open {name}")).await
    }

    /// Goes to a station of a unit, the way a person does: from the bench by its name, then by the rail.
    ///
    /// # Errors
    /// When the bench has no such unit, or the rail no such station.
    pub async fn to(&self, nickname: &str, station: &str) -> Outcome {
        self.open("/").await?;
        self.click(nickname).await?;
        self.sees("What is known").await?;
        if station != "Standing" {
            self.click(station).await?;
        }
        Ok(())
    }

    /// Opens a fact's line on the unit's standing page, to type it; what is not known is folded away.
    ///
    /// # Errors
    /// When the page has no such fact.
    pub async fn open_fact(&self, title: &str) -> Outcome {
        let opener = format!("//button[@aria-label=\"Type {title}\"]");
        let here = self.browser.find_all(Locator::XPath(&opener)).await?;
        if here.is_empty() {
            self.click("Show all facts").await?;
        }
        self.click(&format!("Type {title}")).await
    }

    /// Says a fact on the unit's standing page: opens its line, and clicks or types the value.
    ///
    /// # Errors
    /// When the page has no such fact, or the fact no such value.
    pub async fn tell(&self, title: &str, value: &str) -> Outcome {
        self.open_fact(title).await?;
        let choice = format!(
            "(//*[@role='group'][@aria-label=\"{title}\"]//button[normalize-space(.)=\"{value}\"])[last()]"
        );
        let field = format!("(//input[@id=//label[normalize-space(.)=\"{title}\"]/@for])[last()]");
        let mut looks = 0..LOOKS;
        loop {
            if let Ok(found) = self.browser.find(Locator::XPath(&choice)).await
                && found.click().await.is_ok()
            {
                break;
            }
            if let Ok(found) = self.browser.find(Locator::XPath(&field)).await {
                found
                    .send_keys(&format!("\u{e009}a\u{e000}{value}\u{e007}"))
                    .await?;
                break;
            }
            if looks.next().is_none() {
                return Err(format!("{title} can't be said to be {value}").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
        // Its line closes once it is recorded.
        let open = format!(
            "return document.querySelector('[aria-label=\"Type {title}\"]')?.getAttribute('aria-expanded')"
        );
        while self.run(&open).await? != json!("false") {
            if looks.next().is_none() {
                return Err(format!("{title}: {value} is not recorded").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
        Ok(())
    }

    /// Chooses a goal on the run station.
    ///
    /// # Errors
    /// When there is none of these words.
    pub async fn choose(&self, goal: &str) -> Outcome {
        let path = format!("//main//label[normalize-space(.)=\"{goal}\"]");
        let field = self
            .browser
            .wait()
            .at_most(LOOK_EVERY * 4 * LOOKS)
            .for_element(Locator::XPath(&path))
            .await?;
        field.click().await?;
        let chosen = format!(
            "return [...document.querySelectorAll('main label')].some((one) => one.innerText.trim() === {} && one.querySelector('input').checked)",
            json!(goal)
        );
        let mut looks = 0..LOOKS;
        while self.run(&chosen).await? != json!(true) {
            if looks.next().is_none() {
                return Err(format!("{goal} is not chosen").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
        Ok(())
    }

    /// Waits until the unit's tag says this of its mode, lock, battery, link or goal.
    ///
    /// # Errors
    /// When it doesn't in time.
    pub async fn tag_says(&self, name: &str, value: &str) -> Outcome {
        let script = format!(
            "const name = [...document.querySelectorAll('p')].find((one) => one.innerText.trim() === {});
             return name?.parentElement?.innerText ?? ''",
            json!(name)
        );
        let mut looks = 0..LOOKS;
        loop {
            let shown = self.run(&script).await?;
            if shown.as_str().is_some_and(|shown| shown.contains(value)) {
                return Ok(());
            }
            if looks.next().is_none() {
                return Err(format!("the tag says of {name}: {shown}, not {value}").into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        }
    }

    /// Follows the bench's link to a unit's own page, looks for `text` there, and comes back.
    ///
    /// # Errors
    /// When there is no such link, or the page doesn't show it.
    pub async fn own_page_shows(&self, nickname: &str, text: &str) -> Outcome {
        let here = self.browser.window().await?;
        self.click(&format!("{nickname}’s own page")).await?;
        let mut looks = 0..LOOKS;
        let there = loop {
            let all = self.browser.windows().await?;
            if let Some(other) = all.into_iter().find(|one| *one != here) {
                break other;
            }
            if looks.next().is_none() {
                return Err("no page opened".into());
            }
            tokio::time::sleep(LOOK_EVERY).await;
        };
        self.browser.switch_to_window(there).await?;
        let seen = self.sees(nickname).await.and(self.sees(text).await);
        self.browser.close_window().await?;
        self.browser.switch_to_window(here).await?;
        seen
    }

    /// Makes sure that no two buttons of the page bear the same name.
    ///
    /// # Errors
    /// Carries the names that stand more than once.
    pub async fn buttons_have_names_of_their_own(&self) -> Outcome {
        let script = "const names = [...document.querySelectorAll('main button')]
            .map((one) => one.getAttribute('aria-label') ?? one.innerText.trim());
            return names.filter((name, at) => names.indexOf(name) !== at)";
        let twice = self.run(script).await?;
        match twice.as_array() {
            Some(names) if names.is_empty() => Ok(()),
            _ => Err(format!("names of more than one button: {twice}").into()),
        }
    }

    /// What happens elsewhere than in this browser.
    #[must_use]
    pub fn elsewhere(&self) -> Elsewhere<'_> {
        Elsewhere { bench: self }
    }
}

/// What happens elsewhere than in the browser: on the table, where devices lie and other programs run, and
/// on the disks of this computer. A story has no other way around the page.
#[derive(Clone, Copy)]
pub struct Elsewhere<'b> {
    bench: &'b Bench,
}

impl Elsewhere<'_> {
    /// Does something to a device on the table.
    ///
    /// # Errors
    /// When there is none of this handle, or it refuses.
    pub fn device<T>(
        self,
        handle: &str,
        act: impl FnOnce(&mut Device) -> Result<T, Refusal>,
    ) -> Outcome<T> {
        let done = self.bench.demo.bridge.with(handle, act);
        done.map_err(|refusal| refusal.to_string().into())
    }

    /// Changes the gate of a device, as weeks of use and its maker change it.
    ///
    /// # Errors
    /// When there is none of this handle, or it has no gate.
    pub fn gate(self, handle: &str, change: impl FnOnce(&mut Gate)) -> Outcome {
        self.device(handle, |device| {
            if let Some(mut gate) = device.gate().cloned() {
                change(&mut gate);
                let id = device.equipment_id().to_owned();
                // What can't be saved shows in the story.
                let _ = device.set_gate(gate, &id);
            }
            Ok(())
        })
    }

    /// Restarts a device as a link program does that is not ours.
    ///
    /// # Errors
    /// When it refuses.
    pub fn another_program_restarts(self, handle: &str, mode: &str) -> Outcome {
        self.device(handle, |device| {
            let args = [("mode".to_owned(), mode.to_owned())].into();
            let epoch = device.line().epoch;
            device.act(&ActRequest {
                kind: ActKind::Restart,
                args,
                epoch,
            })
        })
        .map(drop)
    }

    /// Bytes of a partition, as they lie on the device.
    ///
    /// # Errors
    /// When there is no such partition.
    pub fn bytes(self, handle: &str, label: &str) -> Outcome<Vec<u8>> {
        self.device(handle, |device| {
            let length = device.length_of(label)?;
            device.read(label, 0, length.min(4 << 20))
        })
    }

    /// A person dumped a device with a program of their own; where the files lie.
    ///
    /// # Errors
    /// When what runs does not let it, or a file can't be written.
    pub fn dumps(self, handle: &str, folder: &str) -> Outcome<PathBuf> {
        let path = self.bench.folder.path().join(folder);
        std::fs::create_dir_all(&path)?;
        for (name, bytes) in self.device(handle, Device::dumped)? {
            std::fs::write(path.join(name), bytes)?;
        }
        Ok(path)
    }

    /// A person fetched a file, and it lies on this computer's disk now.
    ///
    /// # Errors
    /// When it can't be written.
    pub fn fetches(self, name: &str, bytes: &[u8]) -> Outcome<PathBuf> {
        let path = self.bench.folder.path().join(name);
        std::fs::write(&path, bytes)?;
        Ok(path)
    }

    /// The bench's data folder on this computer's disk.
    #[must_use]
    pub fn data(self) -> PathBuf {
        self.bench.folder.path().join("data")
    }
}
