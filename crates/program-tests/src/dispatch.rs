//! The demo's dispatches, made ready and started.

use anyhow::{Context, Result};
use serde_json::{Value, json};

use crate::{Program, ask};

/// Maps the demo's open name, leaves the record with the wrong address out, and makes a change of
/// one's own to what is saved; the bench as it is then.
pub fn reminders(program: &Program, change: impl FnOnce(&mut Value)) -> Result<Value> {
    let url = format!("{}/api/dispatches/balance-reminders", program.address);
    let bench = ask("GET", &url, None)?;
    let mut body =
        json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": bench["setup"] });
    body["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    body["setup"]["left_out"] = json!([48]);
    change(&mut body);
    ask("PUT", &url, Some(body))
}

/// Starts a run of so many of them.
pub fn start_reminders(program: &Program, count: usize) -> Result<Value> {
    ask("POST", &format!("{}/api/dispatches/balance-reminders/runs", program.address), Some(json!({ "count": count })))
}

/// The demo's berth licences for the first so many of its records.
pub fn licences(program: &Program, count: usize) -> Result<Value> {
    let url = format!("{}/api/dispatches/berth-licences", program.address);
    let bench = ask("GET", &url, None)?;
    let rows: Vec<Value> = bench["records"].as_array().context("records")?.iter().take(count).map(|own| own["row"].clone()).collect();
    anyhow::ensure!(rows.len() == count, "only {} records", rows.len());
    let kept = ["name", "template_id", "sheet_id", "setup", "revision"].map(|name| (name.to_owned(), bench[name].clone()));
    let mut body = Value::Object(kept.into_iter().collect());
    body["setup"]["picked"] = json!(rows);
    let bench = ask("PUT", &url, Some(body))?;
    anyhow::ensure!(bench["obstacles"] == json!([]), "{bench}");
    Ok(bench)
}
