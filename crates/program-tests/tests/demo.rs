//! The demo world as `make demo` starts it: made by the engine, and alive.

use anyhow::Result;
use mangle_program_tests::{Program, ask};
use serde_json::Value;

fn items(list: &Value) -> &[Value] {
    list.as_array().map_or(&[], Vec::as_slice)
}

#[test]
fn something_has_happened_already() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo_with_history(folder.path())?;
    let get = |path: &str| ask("GET", &format!("{}{path}", program.address), None);

    // Proofs and two runs are over, one with a message that the mail server refused.
    let runs = get("/api/runs")?;
    let told =
        |run: &Value| (run["dispatch"].to_string(), run["kind"].to_string(), run["delivered"].to_string(), run["failed"].to_string());
    let told: Vec<_> = items(&runs).iter().map(told).collect();
    let wanted = [
        ("berth-licences", "run", 2, 0),
        ("berth-licences", "run", 0, 0),
        ("berth-list", "run", 1, 0),
        ("refit-quotes", "run", 3, 1),
        ("refit-quotes", "proof", 2, 0),
    ];
    let wanted = wanted.map(|(d, k, done, failed)| (format!("\"{d}\""), format!("\"{k}\""), done.to_string(), failed.to_string()));
    assert_eq!(told, wanted);
    assert!(items(&runs).iter().all(|run| run["state"] == "done"));
    let failed = get("/api/runs/2/items?state=failed")?.to_string();
    assert!(failed.contains("sanne.bakker@closed.example") && failed.contains("mailbox closed"), "{failed}");

    // Licences are in every state of signing.
    let rounds = get("/api/rounds")?;
    let mut states: Vec<&str> = items(&rounds).iter().filter_map(|round| round["state"].as_str()).collect();
    states.sort_unstable();
    assert_eq!(states, ["completed", "completed", "declined", "expired", "open", "open", "open", "open", "withdrawn"]);

    // What was sent lies in the practice mailbox: two proofs, three quotes, and what signers got.
    let messages = get("/api/practice/mailbox")?;
    let subjects: Vec<&str> = items(&messages).iter().filter_map(|m| m["subject"].as_str()).collect();
    let many = |begin: &str| subjects.iter().filter(|s| s.starts_with(begin)).count();
    let (asked, signed) = (many("Please sign") + many("À signer"), many("Signed: ") + many("Signé"));
    assert_eq!((many("PROOF: "), many("Quote"), asked, signed), (2, 3, 12, 4), "{subjects:?}");
    // Some read them in their language.
    assert_eq!((many("À signer"), many("Graag ondertekenen")), (2, 1), "{subjects:?}");

    // Every form has answers, with their files.
    let mut answers = 0;
    for source in items(&get("/api/sources")?).iter().filter(|s| s["kind"] == "form") {
        let rows = get(&format!("/api/sheets/{}/rows", source["sheets"][0]["id"]))?;
        let count = rows["total"].as_u64().unwrap_or(0);
        assert!(count >= 3, "“{}” has {count} answers", source["name"]);
        answers += count;
    }
    assert_eq!(answers, 12);

    // A draft of the quote waits, for its test case comes out otherwise.
    let templates = get("/api/templates")?;
    let quote = items(&templates).iter().find(|t| t["name"] == "refit-quote").expect("a quote");
    assert_eq!((quote["in_use"].as_i64(), items(&quote["versions"]).len()), (Some(1), 2));
    let cases = get(&format!("/api/templates/{}/specimens?version=2", quote["id"]))?;
    assert_eq!(items(&cases).iter().map(|c| c["state"].as_str()).collect::<Vec<_>>(), [Some("changed")]);
    Ok(())
}
