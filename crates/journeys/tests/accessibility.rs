//! Every screen and the public form, looked through by axe-core for what keeps people out:
//! WCAG 2.2 A and AA, and best practices.

use anyhow::{Context, Result};
use mangle_journeys::{Browser, Program, ask, repository};
use serde_json::Value;

/// Looks through the screen at hand; what is found, a line each.
async fn found(b: &Browser, axe: &str, screen: &str) -> Result<Vec<String>> {
    // What comes later is there, and nothing moves any more.
    tokio::time::sleep(std::time::Duration::from_millis(900)).await;
    b.client.execute(axe, vec![]).await?;
    let script = "const done = arguments[arguments.length - 1];
        // What a PDF holds is its maker's; the layer tells its structure as it is.
        axe.run({ exclude: ['.structTree'] }, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice'] })
           .then((found) => done(found.violations.map((v) => [v.id, v.help, v.nodes.length, v.nodes[0].html.slice(0, 160), v.nodes[0].target.join(' ')])))
           .catch((e) => done([['axe', String(e), 0, '', '']]))";
    let said = b.client.execute_async(script, vec![]).await?;
    let line = |one: &Value| {
        let part = |at: usize| one[at].as_str().map_or_else(|| one[at].to_string(), str::to_owned);
        format!("{screen}: {} ({}), {} places, the first {} at {}", part(0), part(1), part(2), part(3), part(4))
    };
    Ok(said.as_array().into_iter().flatten().map(line).collect())
}

#[tokio::test(flavor = "multi_thread")]
async fn no_screen_keeps_anyone_out() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo_with_history(folder.path())?;
    let axe = std::fs::read_to_string(repository().join("web/node_modules/axe-core/axe.min.js")).context("axe-core is not installed")?;
    let sources = ask("GET", &format!("{}/api/sources", program.address), None)?;
    let form = sources.as_array().into_iter().flatten().find(|s| s["kind"] == "form").context("Form")?["id"].clone();
    let door = ask("GET", &format!("{}/api/forms/{form}", program.address), None)?["address"].as_str().context("an address")?.to_owned();
    let b = Browser::open(&program.address).await?;
    let mut all = Vec::new();
    let screens = [
        "/sources",
        "/sheets/1",
        "/sheets/1/column/new",
        "/sheets/1/relations",
        "/sheets/1/row/3",
        "/sheets/1/files",
        "/connections",
        "/queries/new?connection=1",
        "/templates",
        "/templates/1",
        "/templates/1/placeholders",
        "/templates/1/logic",
        "/templates/1/fields",
        "/templates/1/try-out",
        "/templates/2/test-cases",
        "/templates/1/coverage",
        "/templates/1/versions",
        "/templates/9",
        "/dispatches/welcome-packs/template",
        "/dispatches/refit-quotes/preflight",
        "/dispatches/berth-licences/signing",
        "/signing",
        "/signing?state=all&round=1",
        "/verify",
        "/documents",
        "/documents?find=nowhere",
        "/documents/1",
        "/ledger",
        "/ledger?of=channel&by=month",
        "/go/refit-quotes/1",
        "/go/balance-reminders/5",
        "/moves",
        "/personal-data",
        "/clauses",
        "/dispatches",
        "/dispatches/balance-reminders/template",
        "/dispatches/balance-reminders/records",
        "/dispatches/balance-reminders/mapping",
        "/dispatches/balance-reminders/output",
        "/dispatches/balance-reminders/channels",
        "/dispatches/refit-quotes/channels",
        "/dispatches/balance-reminders/preflight",
        "/dispatches/balance-reminders/run",
        "/runs",
        "/runs/1",
        "/runs/2",
        "/runs/2?at=3",
        "/practice/mailbox",
        "/practice/mailbox/1",
        "/settings",
        "/help",
        "/help/placeholders",
        "/help/functions",
        "/nowhere",
    ];
    for screen in screens.map(str::to_owned).into_iter().chain([format!("/forms/{form}")]) {
        b.go(&screen).await?;
        b.find("h1, .head").await?;
        all.extend(found(&b, &axe, &screen).await?);
    }
    b.client.goto(&if door.starts_with("http") { door } else { format!("{}{door}", program.address) }).await?;
    b.find("h1").await?;
    all.extend(found(&b, &axe, "the public form").await?);
    // The page of a signer whose turn it is.
    let open = ask("GET", &format!("{}/api/rounds?state=open", program.address), None)?;
    let waits = |round: &&Value| round["signers"][0]["state"] == "invited";
    let waiting = open.as_array().into_iter().flatten().find(waits).context("an open round")?["signers"][0]["email"].clone();
    let mailbox = format!("{}/api/practice/mailbox", program.address);
    for one in ask("GET", &mailbox, None)?.as_array().into_iter().flatten() {
        let message = ask("GET", &format!("{mailbox}/{}", one["number"]), None)?;
        let link = message["text"].as_str().and_then(|text| text.split_whitespace().find(|word| word.contains("/s/")));
        if let (Some(link), true) = (link, message.to_string().contains(waiting.as_str().unwrap_or("?"))) {
            b.client.goto(link).await?;
            b.find("h1").await?;
            all.extend(found(&b, &axe, "a signer's link").await?);
            // In the signer's language.
            b.find("button.main").await?.click().await?;
            b.find(".pages .mark").await?;
            all.extend(found(&b, &axe, "the signer's page").await?);
            break;
        }
    }
    assert!(all.is_empty(), "{} findings:\n{}", all.len(), all.join("\n"));
    b.close().await
}
