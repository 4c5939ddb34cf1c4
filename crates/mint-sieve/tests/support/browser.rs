//! A browser without a window, driven by the DevTools protocol over two pipes.

use std::fs::File;
use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use serde_json::{Value, json};
use tempfile::TempDir;

/// A running browser with one page.
pub struct Browser {
    process: Child,
    to: File,
    from: BufReader<File>,
    messages: u64,
    session: String,
    folder: TempDir,
    /// Events that nobody waited for.
    events: Vec<Value>,
}

/// Names under which the browser is installed.
const NAMES: [&str; 4] = ["chromium", "chromium-browser", "google-chrome", "chrome"];

/// Says that a test was skipped, past the test harness, which would swallow it.
fn skipped(why: &str) {
    let message = format!("skipped: this test of a page needs chromium, {why}\n");
    let _ = std::io::stderr().write_all(message.as_bytes());
}

fn installed() -> Option<PathBuf> {
    let paths = std::env::var_os("PATH")?;
    let mut files = std::env::split_paths(&paths)
        .flat_map(|folder| NAMES.map(|name| folder.join(name)).into_iter());
    files.find(|file| file.is_file())
}

impl Browser {
    /// Starts the browser; none where there is none, which is said.
    pub fn start() -> Option<Self> {
        let Some(program) = installed().filter(|_| cfg!(unix)) else {
            skipped("which is not installed");
            return None;
        };
        let folder = tempfile::tempdir().unwrap();
        let (to, from) = (folder.path().join("to"), folder.path().join("from"));
        assert!(Command::new("mkfifo").args([&to, &from]).status().unwrap().success());
        let process = Command::new("sh")
            .args(["-c", "to=$1 from=$2; shift 2; exec \"$@\" 3<\"$to\" 4>\"$from\"", "sh"])
            .args([&to, &from, &program])
            .args(["--headless", "--no-sandbox", "--disable-gpu", "--remote-debugging-pipe"])
            .args(["--no-first-run", "--disable-background-networking", "--disable-quic"])
            .args(["--disable-component-update", "--disable-sync", "--disable-dev-shm-usage"])
            .arg("--window-size=1280,800")
            .arg(format!("--user-data-dir={}", folder.path().join("profile").display()))
            .arg("about:blank")
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let to = File::options().write(true).open(&to).unwrap();
        let from = BufReader::new(File::open(&from).unwrap());
        let mut browser = Browser {
            process,
            to,
            from,
            messages: 0,
            session: String::new(),
            folder,
            events: Vec::new(),
        };
        browser.send("Browser.getVersion", json!({}));
        if browser.read().is_none() {
            skipped("which cannot be started here");
            return None;
        }
        let target = browser.call("Target.createTarget", json!({ "url": "about:blank" }));
        let attached = browser.call(
            "Target.attachToTarget",
            json!({ "targetId": target["targetId"], "flatten": true }),
        );
        browser.call(
            "Browser.setDownloadBehavior",
            json!({
                "behavior": "allow",
                "downloadPath": browser.folder.path(),
                "eventsEnabled": true,
            }),
        );
        browser.session = attached["sessionId"].as_str().unwrap().to_owned();
        for domain in ["Page", "Runtime", "Log"] {
            browser.call(&format!("{domain}.enable"), json!({}));
        }
        Some(browser)
    }

    /// The next message; none when the browser has ended.
    fn read(&mut self) -> Option<Value> {
        let mut bytes = Vec::new();
        self.from.read_until(0, &mut bytes).unwrap();
        let (_, message) = bytes.split_last()?;
        Some(serde_json::from_slice(message).unwrap())
    }

    fn send(&mut self, method: &str, parameters: Value) {
        self.messages += 1;
        let mut message = json!({ "id": self.messages, "method": method, "params": parameters });
        if !self.session.is_empty() && !method.starts_with("Browser.") {
            message["sessionId"] = json!(self.session);
        }
        // Whether anybody reads it is seen by the answer.
        let _ = self.to.write_all(format!("{message}\0").as_bytes());
    }

    /// Calls a method of the protocol and waits for its result.
    pub fn call(&mut self, method: &str, parameters: Value) -> Value {
        self.send(method, parameters);
        loop {
            let mut answer = self.read().expect("the browser goes on");
            if answer["id"] == json!(self.messages) {
                assert!(answer.get("error").is_none(), "{method}: {answer}");
                return answer["result"].take();
            }
            self.events.push(answer);
        }
    }

    /// Waits for an event.
    fn wait(&mut self, is_wanted: impl Fn(&Value) -> bool) -> Value {
        if let Some(at) = self.events.iter().position(&is_wanted) {
            return self.events.remove(at);
        }
        loop {
            let event = self.read().expect("the browser goes on");
            if is_wanted(&event) {
                return event;
            }
            self.events.push(event);
        }
    }

    /// Opens a page from the disk and waits until it is loaded.
    pub fn open(&mut self, page: &Path) {
        self.events.retain(|event| event["method"] != "Page.loadEventFired");
        self.call("Page.navigate", json!({ "url": format!("file://{}", page.display()) }));
        self.wait(|event| event["method"] == "Page.loadEventFired");
    }

    /// What an expression of the page's script gives.
    pub fn value(&mut self, expression: &str) -> Value {
        let mut answer = self.call(
            "Runtime.evaluate",
            json!({ "expression": expression, "awaitPromise": true, "returnByValue": true }),
        );
        assert!(answer.get("exceptionDetails").is_none(), "{expression}: {answer}");
        answer["result"]["value"].take()
    }

    /// Waits until an expression is true, for as long as a busy machine may take.
    pub fn until(&mut self, expression: &str) {
        let begun = std::time::Instant::now();
        while self.value(expression) != json!(true) {
            assert!(begun.elapsed().as_secs() < 60, "never: {expression}");
            std::thread::sleep(std::time::Duration::from_millis(30));
        }
    }

    /// The text of an element.
    pub fn text(&mut self, selector: &str) -> String {
        let selector = json!(selector);
        let text = self.value(&format!("document.querySelector({selector}).textContent"));
        text.as_str().unwrap().to_owned()
    }

    /// Clicks on an element.
    pub fn click(&mut self, selector: &str) {
        let selector = json!(selector);
        self.value(&format!("document.querySelector({selector}).click()"));
    }

    /// Presses a key, as a person would: `k`, `Enter`.
    pub fn press(&mut self, key: &str) {
        let text = match key {
            "Enter" => "\r",
            _ if key.chars().count() == 1 => key,
            _ => "",
        };
        for kind in ["keyDown", "keyUp"] {
            let text = if kind == "keyDown" { text } else { "" };
            let code = if key == "Enter" { 13 } else { 0 };
            let event =
                json!({ "type": kind, "key": key, "text": text, "windowsVirtualKeyCode": code });
            self.call("Input.dispatchKeyEvent", event);
        }
    }

    /// The content of the file that `action` has the page save.
    pub fn saved(&mut self, action: impl FnOnce(&mut Self)) -> String {
        action(self);
        let begun = self.wait(|event| event["method"] == "Browser.downloadWillBegin");
        self.wait(|event| {
            event["method"] == "Browser.downloadProgress" && event["params"]["state"] == "completed"
        });
        let name = begun["params"]["suggestedFilename"].as_str().unwrap();
        let file = self.folder.path().join(name);
        let text = std::fs::read_to_string(&file).unwrap();
        std::fs::remove_file(file).unwrap();
        text
    }

    /// Errors of scripts, and what the page was not allowed to load or run, so far.
    pub fn complaints(&mut self) -> Vec<String> {
        // What happened before is reported before this.
        self.value("1");
        let is_complaint = |event: &&Value| {
            event["method"] == "Runtime.exceptionThrown"
                || event["method"] == "Page.javascriptDialogOpening"
                || event["method"] == "Log.entryAdded"
                    && event["params"]["entry"]["level"] == "error"
        };
        self.events.iter().filter(is_complaint).map(Value::to_string).collect()
    }
}

impl Drop for Browser {
    fn drop(&mut self) {
        let _ = self.process.kill();
        let _ = self.process.wait();
    }
}
