//! Deliveries by mouse: a second channel, a run on hold that is looked at and released, and a
//! message in doubt that a person decides about.

use anyhow::Result;
use mangle_journeys::{Browser, Does, Program, Told, ask, mail_server, wait};
use serde_json::json;

/// A mail server that hangs up after each message of one recipient, before it says whether it
/// has taken it, as long as a file lies there.
fn forgetful_server(of: &'static str, while_there: std::path::PathBuf) -> Result<u16> {
    mail_server(move |told| match told {
        Told::Message { recipients, .. } if recipients.iter().any(|r| r.contains(of)) && while_there.exists() => Does::HangsUp,
        _ => Does::Takes,
    })
}

#[tokio::test(flavor = "multi_thread")]
async fn a_run_is_held_looked_at_released_and_a_doubt_decided() -> Result<()> {
    let (folder, office) = (tempfile::tempdir()?, tempfile::tempdir()?);
    Program::demo(folder.path()).map(drop)?;
    let forgets = folder.path().join("forgets");
    std::fs::write(&forgets, "")?;
    let smtp = format!("127.0.0.1:{}", forgetful_server("femke", forgets.clone())?);
    let allowed = format!("Office={}", office.path().display());
    let program = Program::start(&[
        "serve",
        "--port",
        "0",
        "--smtp",
        &smtp,
        "--allow-folder",
        &allowed,
        "--folder",
        &folder.path().to_string_lossy(),
    ])?;
    let url = format!("{}/api/dispatches/balance-reminders", program.address);
    let bench = ask("GET", &url, None)?;
    let mut setup = bench["setup"].clone();
    setup["ties"]["harbour due"] = json!("Yearly fee");
    setup["filter"] = json!("ref in (\"BQ-0012\"; \"BQ-0031\"; \"BQ-0047\")");
    setup["channels"][0]["channel"]["to"] = json!("[: if(ref = \"BQ-0031\"; \"femke@post.example\"; e-mail)]");
    ask(
        "PUT",
        &url,
        Some(json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup })),
    )?;

    let b = Browser::open(&program.address).await?;
    b.go("/dispatches/balance-reminders/channels").await?;
    b.click("Add channel").await?;
    b.text("li", "Folder").await?.click().await?;
    b.write("input[name=path]", "Letters/[: pontoon]").await?;
    b.text("dd", "Office/Letters/").await?;
    b.text("small", "E-mail, Folder").await?;
    b.go("/dispatches/balance-reminders/run").await?;
    b.click("Run 3 documents").await?;
    b.text("span", "Hold until released").await?.click().await?;
    b.text("footer//button", "Run 3 documents").await?.click().await?;
    b.text("button", "On hold 3").await?;
    let run = ask("GET", &format!("{}/api/runs", program.address), None)?[0]["id"].clone();
    assert!(std::fs::read_dir(office.path())?.next().is_none(), "nothing leaves before its release");

    // One is looked at, and does not go by mail.
    let label = ask("GET", &format!("{}/api/runs/{run}/items", program.address), None)?[0]["label"].as_str().unwrap_or_default().to_owned();
    b.text("button", &label).await?.click().await?;
    b.text("h3", "History").await?;
    b.click("Withdraw").await?;
    b.text("li", "E-mail: Withdrawn").await?;
    b.click("Release 3 on hold").await?;
    b.click("Release deliveries").await?;
    b.text("button", "Uncertain 1").await?;
    b.text("li", "Folder: Delivered").await?;
    wait(&program, &run, |r| r["state"] == "done")?;
    assert_eq!(walk(office.path())?, 3);

    // The one in doubt: a person decides.
    std::fs::remove_file(&forgets)?;
    b.click("Decide").await?;
    b.text("p", "may or may not have been delivered").await?;
    b.click("Send again").await?;
    b.click("Send it again").await?;
    b.text("li", "E-mail: Sent again").await?;
    b.text("span", "2 of 3 documents delivered").await?;
    let done = wait(&program, &run, |r| r["state"] == "done" && r["delivered"] == 2)?;
    assert_eq!((done["uncertain"].as_u64(), done["left_out"].as_u64()), (Some(0), Some(1)), "{done}");
    b.close().await
}

#[tokio::test(flavor = "multi_thread")]
async fn a_mail_server_is_tried_and_messages_are_scheduled_and_sent_before() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let port = mail_server(|_| Does::Takes)?;
    let b = Browser::open(&program.address).await?;
    b.go("/settings").await?;
    b.click("Another server").await?;
    b.write("input[name=host]", "127.0.0.1").await?;
    b.write("input[aria-label=Port]", &port.to_string()).await?;
    b.choose("Sign-in", "None").await?;
    b.choose("Encryption", "None").await?;
    b.click("Send test message").await?;
    b.text("p", "The server accepted the message for").await?;
    // A password in the open is refused before it is sent.
    b.choose("Sign-in", "User name and password").await?;
    b.write("input[name=user]", "office").await?;
    b.click("Save mail server").await?;
    b.text("p", "password would be sent unencrypted").await?;

    b.go("/dispatches/balance-reminders/channels").await?;
    b.text("summary", "When").await?.click().await?;
    b.click("At a time").await?;
    b.write("[aria-label='Time of E-mail']", "2199-12-01 08:00").await?;
    b.text("small", "E-mail").await?;
    wait_for(&program, |setup| setup["channels"][0]["time"] == "2199-12-01 08:00").await?;
    let url = format!("{}/api/dispatches/balance-reminders", program.address);
    let bench = ask("GET", &url, None)?;
    let mut setup = bench["setup"].clone();
    setup["ties"]["harbour due"] = json!("Yearly fee");
    setup["filter"] = json!("ref in (\"BQ-0012\"; \"BQ-0031\"; \"BQ-0047\")");
    let body = json!({ "name": bench["name"], "template_id": bench["template_id"], "sheet_id": bench["sheet_id"], "setup": setup });
    ask("PUT", &url, Some(body))?;
    b.go("/dispatches/balance-reminders/run").await?;
    b.click("Run 3 documents").await?;
    b.text("footer//button", "Run 3 documents").await?.click().await?;
    b.text("button", "Scheduled 3").await?;
    let run = ask("GET", &format!("{}/api/runs", program.address), None)?[0]["id"].clone();
    let label = ask("GET", &format!("{}/api/runs/{run}/items", program.address), None)?[0]["label"].as_str().unwrap_or_default().to_owned();
    b.text("button", &label).await?.click().await?;
    b.text("p", "On 1 Dec 2199").await?;
    b.click("Send now").await?;
    b.text("li", "E-mail: Delivered").await?;
    let now = wait(&program, &run, |r| r["delivered"] == 1)?;
    assert_eq!((now["scheduled"].as_u64(), now["state"].as_str()), (Some(2), Some("running")), "{now}");
    b.close().await
}

/// Waits until what was typed is saved.
async fn wait_for(program: &Program, is: impl Fn(&serde_json::Value) -> bool) -> Result<()> {
    for _ in 0..100 {
        if is(&ask("GET", &format!("{}/api/dispatches/balance-reminders", program.address), None)?["setup"]) {
            return Ok(());
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    anyhow::bail!("what was typed is not saved")
}

/// How many files there are below a folder.
fn walk(at: &std::path::Path) -> Result<usize> {
    let mut count = 0;
    for entry in std::fs::read_dir(at)? {
        let entry = entry?;
        count += if entry.file_type()?.is_dir() { walk(&entry.path())? } else { 1 };
    }
    Ok(count)
}
