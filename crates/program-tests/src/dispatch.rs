//! The demo's dispatch *Balance reminders*, made ready and started.

use anyhow::Result;
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
