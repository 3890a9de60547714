//! The program's API, asked as any other program would.

use std::path::Path;
use std::time::Duration;

use anyhow::{Context, Result};
use serde_json::Value;

use crate::{Program, tool};

/// Asks an address, with a JSON body where there is one.
pub fn ask(method: &str, url: &str, body: Option<Value>) -> Result<Value> {
    let body = body.map(|b| b.to_string()).unwrap_or_default();
    let answer = tool("curl", &["-sS", "-X", method, url, "-H", "Content-Type: application/json", "-d", &body]);
    serde_json::from_str(&answer).with_context(|| format!("{url}: {answer}"))
}

/// Sends a file as a form does.
pub fn send_file(url: &str, file: &Path) -> Result<Value> {
    let answer = tool("curl", &["-sS", "-F", &format!("file=@{}", file.display()), url]);
    serde_json::from_str(&answer).with_context(|| format!("{url}: {answer}"))
}

/// Waits until a run is as it should be.
pub fn wait(program: &Program, id: &Value, is: impl Fn(&Value) -> bool) -> Result<Value> {
    let url = format!("{}/api/runs/{id}", program.address);
    for _ in 0..400 {
        let run = ask("GET", &url, None)?;
        if is(&run) {
            return Ok(run);
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    anyhow::bail!("it never came so far: {}", ask("GET", &url, None)?)
}
