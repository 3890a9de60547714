//! Journeys over what starts runs by itself: an answer, a change in the CRM, a time.

use anyhow::{Context, Result, ensure};
use mangle_journeys::{Browser, Program, ask, docx, picture, send_file};
use serde_json::{Value, json};

/// The address of a dispatch in the API.
fn api(program: &Program, key: &str) -> String {
    format!("{}/api/dispatches/{key}", program.address)
}

/// A dispatch over a sheet with a letter of one line, set as it should be; its key.
fn dispatch(
    program: &Program,
    folder: &std::path::Path,
    name: &str,
    (sheet, text): (&Value, &str),
    set: impl FnOnce(&mut Value),
) -> Result<String> {
    let file = folder.join(format!("{name}.docx"));
    docx(&file, text)?;
    let template = send_file(&format!("{}/api/templates", program.address), &file)?;
    let new = json!({ "name": name, "template_id": template["id"], "sheet_id": sheet });
    let made = ask("POST", &format!("{}/api/dispatches", program.address), Some(new))?;
    let key = made["key"].as_str().context("a key")?.to_owned();
    let bench = ask("GET", &api(program, &key), None)?;
    let mut setup = bench["setup"].clone();
    set(&mut setup);
    let body = json!({ "name": name, "template_id": template["id"], "sheet_id": sheet, "setup": setup });
    let bench = ask("PUT", &api(program, &key), Some(body))?;
    ensure!(bench["obstacles"] == json!([]), "{}", bench["obstacles"]);
    Ok(key)
}

fn channels(channel: Value) -> Value {
    json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "time": "", "channel": channel }])
}

/// Waits until what a dispatch's triggers have started is as it should be.
fn fired(program: &Program, key: &str, is: impl Fn(&Value) -> bool) -> Result<Value> {
    let url = format!("{}/firings", api(program, key));
    for _ in 0..300 {
        let now = ask("GET", &url, None)?;
        if is(&now["firings"]) {
            return Ok(now["firings"].clone());
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    anyhow::bail!("it never came so far: {}", ask("GET", &url, None)?)
}

fn mailbox(program: &Program) -> Result<Vec<Value>> {
    Ok(ask("GET", &format!("{}/api/practice/mailbox", program.address), None)?.as_array().context("messages")?.clone())
}

#[tokio::test(flavor = "multi_thread")]
async fn an_answer_makes_the_agreement_and_mails_it_to_both_sides() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let forms = ask("GET", &format!("{}/api/sources", program.address), None)?;
    let form = forms.as_array().and_then(|all| all.iter().find(|one| one["name"] == "Visitor berth"));
    let id = form.context("the demo's form")?["id"].clone();
    let form = ask("GET", &format!("{}/api/forms/{id}", program.address), None)?;
    let key = dispatch(
        &program,
        folder.path(),
        "Berth agreement",
        (&form["sheet_id"], "Berth agreement with [: skipper] for [: vessel]"),
        |setup| {
            setup["channels"] = channels(json!({
                "kind": "email", "to": "[: e-mail], harbour@brackwater.example", "cc": "", "bcc": "",
                "subject": "Your berth from [: arrival]", "body": "Please find our agreement attached."
            }));
        },
    )?;
    // Set by mouse.
    let b = Browser::open(&program.address).await?;
    b.go(&format!("/dispatches/{key}/trigger")).await?;
    b.text("p", "Runs are started by hand").await?;
    b.click("Add trigger").await?;
    b.text("li[@role='menuitem']", "Form answer").await?.click().await?;
    b.text("div[contains(@class,'el-switch')]", "").await?.click().await?;
    b.text("span", "On: on each answer").await?;
    // Somebody outside answers.
    let address = form["address"].as_str().context("an address")?.to_owned();
    let phone = Browser::telephone(&program.address).await?;
    phone.go(&format!("{address}?arrival=2026-12-01")).await?;
    phone.write("#field-1", "Ada Quayle").await?;
    phone.write("#field-2", "ada@quay.example").await?;
    phone.write("#field-3", "Albatros").await?;
    phone.write("#field-4", "1240").await?;
    phone.write("#field-6", "3").await?;
    phone.click("Ask for a berth").await?;
    phone.text("p[@role='status']", "Thank you, Ada Quayle").await?;
    phone.close().await?;
    let told = fired(&program, &key, |all| all[0]["state"] == "started")?;
    mangle_journeys::wait(&program, &told[0]["run"], |run| run["state"] == "done" && run["delivered"] == 1)?;
    let message = mailbox(&program)?.into_iter().next().context("a message")?;
    let text = message.to_string();
    ensure!(text.contains("ada@quay.example") && text.contains("harbour@brackwater.example"), "{text}");
    b.text("a", &format!("Run {}", told[0]["run"])).await?;
    picture(&b, "trigger").await?;
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_stage_changed_in_the_crm_sends_a_receipt_by_itself() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let queries = ask("GET", &format!("{}/api/sources", program.address), None)?;
    let source = queries.as_array().and_then(|all| all.iter().find(|one| one["name"] == "Inspected cases")).context("the demo's query")?;
    let id = source["id"].clone();
    // The demo's query takes inspected cases; this one takes all.
    let query = ask("GET", &format!("{}/api/queries/{id}", program.address), None)?;
    let asks = json!({ "root": "Cases", "picks": { "fields": ["CaseID", "Stage"], "lists": [] }, "order": "CaseID" });
    let new = json!({ "name": "All cases", "connection_id": query["connection_id"], "asks": asks });
    let made = ask("POST", &format!("{}/api/queries", program.address), Some(new))?;
    for _ in 0..300 {
        if ask("GET", &format!("{}/api/queries/{}/fetch", program.address, made["id"]), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(std::time::Duration::from_millis(100));
    }
    let key = dispatch(&program, folder.path(), "Receipts", (&made["sheet_id"], "Receipt for [: CaseID]"), |setup| {
        setup["channels"] = channels(json!({
            "kind": "email", "to": "yard@brackwater.example", "cc": "", "bcc": "", "subject": "Receipt [: CaseID]", "body": "Paid."
        }));
    })?;
    let b = Browser::open(&program.address).await?;
    b.go(&format!("/dispatches/{key}/trigger")).await?;
    b.click("Add trigger").await?;
    b.text("li[@role='menuitem']", "CRM change").await?.click().await?;
    b.text("p", "No condition").await?;
    b.write("input[aria-label='Condition of the trigger']", "Stage = \"Handed over\"").await?;
    b.gone("p", "No condition").await?;
    b.text("div[contains(@class,'el-switch')]", "").await?.click().await?;
    b.text("span", "On: when a record comes to meet").await?;
    // The CRM is told where to tell of changes, and somebody there moves a case on.
    let hook = ask("GET", &format!("{}/firings", api(&program, &key)), None)?["triggers"][0]["hook"].clone();
    let connections = ask("GET", &format!("{}/api/connections", program.address), None)?;
    let address = connections[0]["address"].as_str().context("a connection")?.trim_end_matches("/odata/").to_owned();
    std::thread::sleep(std::time::Duration::from_secs(3));
    let crm = Browser::open(&address).await?;
    crm.go("/").await?;
    crm.write("input[name=address]", hook["address"].as_str().context("a hook")?).await?;
    crm.write("input[name=secret]", hook["secret"].as_str().context("a secret")?).await?;
    crm.click("Tell of changes").await?;
    crm.text("p[@role='status']", "Changes are told to").await?;
    let stage = crm.find("select[data-case='RC-0003']").await?;
    stage.select_by_label("Handed over").await?;
    crm.text("p[@role='status']", "RC-0003 is Handed over now").await?;
    crm.close().await?;
    let told = fired(&program, &key, |all| all[0]["state"] == "started")?;
    ensure!(told[0]["key"] == "RC-0003 1" && told.as_array().map_or(0, Vec::len) == 1, "{told}");
    mangle_journeys::wait(&program, &told[0]["run"], |run| run["state"] == "done" && run["delivered"] == 1)?;
    ensure!(mailbox(&program)?[0].to_string().contains("Receipt RC-0003"));
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn overdue_reminders_go_out_on_a_schedule_and_next_month_only_to_those_who_are_new() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let path = folder.path().to_string_lossy().into_owned();
    let demo = ["demo", "--fresh", "--folder", path.as_str()];
    let key = "balance-reminders";
    let rows = |program: &Program, run: &Value| -> Result<Vec<u64>> {
        let items = ask("GET", &format!("{}/api/runs/{run}/items", program.address), None)?;
        Ok(items.as_array().context("items")?.iter().filter_map(|item| item["row"].as_u64()).collect())
    };
    let first;
    {
        let program = Program::start_at("2026-11-30T07:58:00", &demo)?;
        let bench = ask("GET", &api(&program, key), None)?;
        let mut setup = bench["setup"].clone();
        setup["ties"]["harbour due"] = json!("Yearly fee");
        setup["filter"] = json!("days overdue > 60 and e-mail is not blank");
        setup["choose"] = json!("unserved");
        let body = json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup });
        let bench = ask("PUT", &api(&program, key), Some(body))?;
        let count = bench["records"].as_array().map_or(0, Vec::len);
        ensure!(count > 2 && bench["obstacles"] == json!([]), "{count}: {}", bench["obstacles"]);
        let b = Browser::open(&program.address).await?;
        b.go(&format!("/dispatches/{key}/trigger")).await?;
        b.click("Add trigger").await?;
        b.text("li[@role='menuitem']", "Schedule").await?.click().await?;
        b.text("div[contains(@class,'el-switch')]", "").await?.click().await?;
        b.text("span", "On: on day 1 of every month at 08:00").await?;
        b.text("li", "1 Dec, 08:00").await?;
        b.close().await?;
        // The first look is what later ones are compared with.
        std::thread::sleep(std::time::Duration::from_secs(2));
    }
    {
        let program = Program::start_at("2026-12-01T08:00:30", &demo)?;
        let told = fired(&program, key, |all| ["started", "waiting"].contains(&all[0]["state"].as_str().unwrap_or_default()))?;
        let run = mangle_journeys::wait(&program, &told[0]["run"], |run| run["state"] == "done")?;
        ensure!(run["delivered"] == run["count"] && run["count"].as_u64() > Some(0), "{run}");
        ensure!(told[0]["key"] == "2026-12-01T08:00:00Z", "{told}");
        ensure!(mailbox(&program)?.len() >= run["count"].as_u64().unwrap_or_default() as usize);
        first = rows(&program, &told[0]["run"])?;
        ensure!(!first.is_empty());
    }
    // A month later it goes to those alone who have become overdue since.
    let program = Program::start_at("2027-01-01T08:01:00", &demo)?;
    let told = fired(&program, key, |all| all.as_array().map_or(0, Vec::len) == 2 && all[0]["state"] != "due")?;
    let new = told.as_array().and_then(|all| all.iter().find(|one| one["key"] == "2027-01-01T08:00:00Z")).context("the second time")?;
    match new["state"].as_str() {
        Some("nothing") => {}
        Some("started" | "waiting") => {
            mangle_journeys::wait(&program, &new["run"], |run| run["state"] == "done")?;
            let second = rows(&program, &new["run"])?;
            ensure!(second.iter().all(|row| !first.contains(row)), "{first:?} {second:?}");
        }
        _ => anyhow::bail!("{told}"),
    }
    Ok(())
}
