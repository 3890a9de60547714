//! The program in a terminal.

use std::process::{Command, Output, Stdio};

use anyhow::{Context, Result};
use mangle_program_tests::{Does, Program, Told, binary, mail_server, reminders, repository, tool};
use serde_json::{Value, json};

fn mangle(arguments: &[&str]) -> Output {
    Command::new(binary()).args(arguments).current_dir(repository()).output().expect("the program runs")
}

fn merge(out: &std::path::Path, more: &[&str]) -> (Option<i32>, Vec<Value>, String) {
    let report = out.join("report.jsonl");
    let (folder, report_path) = (out.join("files"), report.to_string_lossy().into_owned());
    let folder = folder.to_string_lossy().into_owned();
    let mut arguments = vec![
        "merge",
        "--template",
        "demo/reminder.docx",
        "--records",
        "demo/season.xlsx#Holders",
        "--out",
        &folder,
        "--report",
        &report_path,
        "--today",
        "2026-11-23",
    ];
    arguments.extend(more);
    let output = mangle(&arguments);
    let lines =
        std::fs::read_to_string(&report).unwrap_or_default().lines().map(|l| serde_json::from_str(l).expect("a JSON line")).collect();
    (output.status.code(), lines, String::from_utf8_lossy(&output.stderr).into_owned())
}

const TIES: [&str; 4] = ["--tie", "due=Due date", "--tie", "harbour due=Yearly fee"];

#[test]
fn merge_writes_the_files_and_a_line_for_each_record() {
    let out = tempfile::tempdir().expect("a folder");
    let more = [&TIES[..], &["--to", "both", "--name", "Reminder [: ref]", "--where", "balance > 1000"]].concat();
    let (code, lines, said) = merge(out.path(), &more);
    assert_eq!(code, Some(0), "{said}");
    assert!(lines.len() > 20 && lines.iter().all(|l| l["state"] == "made" && l["error"].is_null()), "{lines:?}");
    let line = lines.iter().find(|l| l["record"] == 214).expect("Marijke's");
    assert_eq!(line["file"], json!(["Reminder BQ-0214.pdf", "Reminder BQ-0214.docx"]));
    let text = tool("pdftotext", &[&out.path().join("files/Reminder BQ-0214.pdf").to_string_lossy(), "-"]);
    assert!(text.contains("Dear Mevrouw van der Zwaluw,") && text.contains("€1,234.50"), "{text}");
}

#[test]
fn another_locale_and_a_failing_record() {
    let out = tempfile::tempdir().expect("a folder");
    let more = [&TIES[..], &["--locale", "de-DE", "--where", "ref in (\"BQ-0214\"; \"BQ-0048\")", "--name", "[: ref] [: e-mail]"]].concat();
    let (code, lines, _) = merge(out.path(), &more);
    assert_eq!(code, Some(2));
    assert_eq!(lines[0]["state"], "failed");
    assert_eq!((lines[0]["error"]["code"].as_str(), lines[0]["error"]["place"].as_str()), (Some("misfit"), Some("file name")));
    let text = tool("pdftotext", &[&out.path().join("files/BQ-0214 marijke@zwaluw.example.pdf").to_string_lossy(), "-"]);
    assert!(text.contains("1.234,50 €") || text.contains("1.234,50\u{a0}€"), "{text}");
}

#[test]
fn records_of_one_file_name_are_refused_as_a_run_refuses_them() {
    let out = tempfile::tempdir().expect("a folder");
    let more = [&TIES[..], &["--name", "Reminder [: pontoon]", "--where", "ref in (\"BQ-0012\"; \"BQ-0031\"; \"BQ-0047\")"]].concat();
    let (code, lines, said) = merge(out.path(), &more);
    let clashing = lines.iter().filter(|l| l["error"]["code"] == "same-name").count();
    let made = lines.iter().filter(|l| l["state"] == "made").count();
    assert!(clashing >= 2 && clashing + made == 3, "{lines:?}");
    assert_eq!(code, Some(2), "{said}");
    // None overwrote another.
    assert_eq!(std::fs::read_dir(out.path().join("files")).map_or(0, |files| files.count()), made);
}

#[test]
fn one_document_of_all_records_in_a_terminal() {
    let out = tempfile::tempdir().expect("a folder");
    let folder = out.path().to_string_lossy().into_owned();
    let list = |more: &[&str]| {
        let arguments =
            ["merge", "--template", "demo/berth-list.docx", "--records", "demo/season.xlsx", "--out", &folder, "--today", "2026-11-23"];
        mangle(&[&arguments[..], more].concat())
    };
    let apart = list(&[]);
    assert_eq!(apart.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&apart.stderr).contains("(--joint)"), "{}", String::from_utf8_lossy(&apart.stderr));
    let made = list(&["--joint", "--name", "List of [: today]", "--where", "pontoon = \"B\""]);
    assert_eq!(made.status.code(), Some(0), "{}", String::from_utf8_lossy(&made.stderr));
    assert_eq!(
        String::from_utf8_lossy(&made.stdout).trim(),
        r#"{"record":0,"file":["List of 23 Nov 2026.pdf"],"state":"made","error":null}"#
    );
    let text = tool("pdftotext", &["-layout", &out.path().join("List of 23 Nov 2026.pdf").to_string_lossy(), "-"]);
    assert!(text.contains("Pontoon B") && !text.contains("Pontoon A"), "{text}");

    // Each record reads as its own recipient expects.
    let column = ["--joint", "--name", "All", "--locale-column"];
    let unknown = list(&[&column[..], &["Tongue"]].concat());
    assert!(String::from_utf8_lossy(&unknown.stderr).contains("Tongue"));
    assert_eq!(list(&[&column[..], &["Language"]].concat()).status.code(), Some(0));
    let own = tool("pdftotext", &["-layout", &out.path().join("All.pdf").to_string_lossy(), "-"]);
    let fees = |mark: &str| own.lines().filter(|l| l.contains(mark)).count();
    assert!(fees("€ 1.") > 5 && fees("€1,") > 5, "{own}");
}

#[test]
fn nothing_starts_with_an_open_tie_or_a_wrong_file() {
    let out = tempfile::tempdir().expect("a folder");
    let (code, lines, said) = merge(out.path(), &["--tie", "due=Due date"]);
    assert_eq!((code, lines.len()), (Some(1), 0));
    assert!(said.contains("“harbour due” is not mapped to a column"), "{said}");
    let output = mangle(&["fields", "demo/season.xlsx"]);
    assert_eq!(output.status.code(), Some(1));
    assert!(String::from_utf8_lossy(&output.stderr).contains("this is a workbook, not a DOCX document"));
}

#[test]
fn fields_lists_placeholders_and_problems() {
    let output = mangle(&["fields", "demo/reminder.docx", "--json"]);
    let found: Value = serde_json::from_slice(&output.stdout).expect("JSON");
    assert_eq!(output.status.code(), Some(0));
    assert!(found["placeholders"].as_array().is_some_and(|p| p.iter().any(|p| p["place"] == "footer" && p["text"] == "[: ref]")));
    assert_eq!(found["problems"], json!([]));
}

#[test]
fn output_that_nobody_reads_to_its_end_is_no_fault() -> Result<()> {
    for arguments in [vec!["openapi"], vec!["fields", "--json", "demo/refit-quote.docx"]] {
        let mut child =
            Command::new(binary()).args(&arguments).current_dir(repository()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn()?;
        drop(child.stdout.take());
        let ended = child.wait_with_output()?;
        let said = String::from_utf8_lossy(&ended.stderr);
        assert_eq!((ended.status.code(), said.as_ref()), (Some(0), ""), "{arguments:?}");
    }
    Ok(())
}

#[test]
fn the_description_of_the_api_is_current() {
    let output = mangle(&["openapi"]);
    let kept = std::fs::read_to_string(repository().join("docs/openapi.json")).expect("Saved filters:");
    assert!(String::from_utf8_lossy(&output.stdout).trim() == kept.trim(), "docs/openapi.json is not current: run make types");
}

#[test]
fn foreign_hosts_and_pages_are_refused() {
    let folder = tempfile::tempdir().expect("a folder");
    let program = Program::demo(folder.path()).expect("starts");
    let url = format!("{}/api/runs", program.address);
    let status = |header: &str| tool("curl", &["-s", "-o", "/dev/null", "-w", "%{http_code}", "-H", header, &url]);
    assert_eq!(status("Host: quay.example"), "403");
    assert_eq!(status("Origin: http://quay.example"), "403");
    assert_eq!(status("Accept: application/json"), "200");
}

/// `mangle eval` with its exit code, standard output and standard error.
fn eval(arguments: &[&str]) -> Result<(Option<i32>, String, String)> {
    let output = std::process::Command::new(binary()).arg("eval").args(arguments).output()?;
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).trim_end().to_owned();
    Ok((output.status.code(), text(&output.stdout), text(&output.stderr)))
}

#[test]
fn an_expression_is_worked_out_in_a_terminal() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let record = folder.path().join("record.json");
    std::fs::write(&record, r#"{"Ref": "BQ-0031", "Net": 48112.50, "Lines": [{"Qty": 2, "Price": 1.1}, {"Qty": 3, "Price": 2.2}]}"#)?;
    let record = record.to_string_lossy().into_owned();
    let with = |expression: &str, more: &[&str]| eval(&[&[expression, "--record", &record, "--today", "2026-11-23"], more].concat());
    assert_eq!(with("net as money \"EUR\"", &["--locale", "de-DE"])?.1, "48.112,50\u{a0}€");
    assert_eq!(with("sum(lines.(qty * price))", &[])?.1, "8.8");
    assert_eq!(with("today as date long", &[])?.1, "23 November 2026");
    let (code, out, said) = with("round(nett; 2)", &[])?;
    assert_eq!((code, out.as_str()), (Some(1), ""));
    assert_eq!(said, "round(nett; 2)\n      ^^^^\nunknown name “nett”; did you mean “Net”?");
    let exact: serde_json::Value = serde_json::from_str(&with("net * 10%", &["--json"])?.1)?;
    assert_eq!(exact, json!({ "text": "4811.25", "type": "number", "exact": "4811.25" }));
    Ok(())
}

#[test]
fn a_thousand_expressions_go_in_one_run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let batch = folder.path().join("batch.txt");
    let lines: String = (1..=1000).map(|n| format!("{n} / 3 * 3\n")).collect();
    std::fs::write(&batch, format!("{lines}1 / 0\n\"a\" & \"b\"\n"))?;
    let (code, out, _) = eval(&["--batch", &batch.to_string_lossy()])?;
    let lines: Vec<serde_json::Value> = out.lines().map(serde_json::from_str).collect::<Result<_, _>>()?;
    assert_eq!((code, lines.len()), (Some(0), 1002));
    assert_eq!(lines[1000]["error"]["code"], "divide-by-zero");
    assert_eq!(lines[1001], json!({ "text": "ab", "type": "text", "exact": "ab" }));
    Ok(())
}

#[test]
fn nested_records_are_merged_from_json() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let records = folder.path().join("case.json");
    std::fs::write(&records, r#"[{"Ref": "BQ-1", "Lines": [{"Item": "Berth"}, {"Item": "Power"}]}, {"Ref": "BQ-2", "Lines": []}]"#)?;
    let template = folder.path().join("quote.docx");
    let script = "import sys,docx\nd=docx.Document()\nd.add_paragraph('Quote [: ref]')\nt=d.add_table(rows=2,cols=1)\nt.cell(0,0).text='Item'\nt.cell(1,0).text='[:repeat row for lines][: item]'\nd.save(sys.argv[1])";
    let python = std::env::var("MANGLE_PYTHON").context("run this through `make test`, which sets MANGLE_PYTHON")?;
    tool(&python, &["-c", script, &template.to_string_lossy()]);
    let out = folder.path().join("out");
    let arguments = [
        "merge",
        "--template",
        &template.to_string_lossy(),
        "--records",
        &records.to_string_lossy(),
        "--out",
        &out.to_string_lossy(),
        "--to",
        "both",
        "--name",
        "[: ref]",
    ];
    tool(&binary().to_string_lossy(), &arguments);
    let read = "import sys,docx\nfor n in ('BQ-1','BQ-2'):\n    print([c.text for r in docx.Document(sys.argv[1]+'/'+n+'.docx').tables[0].rows for c in r.cells])";
    assert_eq!(tool(&python, &["-c", read, &out.to_string_lossy()]), "['Item', 'Berth', 'Power']\n['Item']\n");
    assert!(tool("pdftotext", &[&out.join("BQ-1.pdf").to_string_lossy(), "-"]).contains("Power"));
    Ok(())
}

/// The demo's data folder, with three letters that can be sent.
fn demo_folder(folder: &std::path::Path) -> Result<()> {
    let mut program = Program::demo(folder)?;
    reminders(&program, |body| body["setup"]["filter"] = json!("ref in (\"BQ-0012\"; \"BQ-0031\"; \"BQ-0047\")"))?;
    assert_eq!(program.terminate()?, Some(0));
    Ok(())
}

fn run(folder: &std::path::Path, port: u16, more: &[&str]) -> (Option<i32>, Vec<Value>, String) {
    let (folder, smtp) = (folder.to_string_lossy().into_owned(), format!("127.0.0.1:{port}"));
    let mut arguments = vec!["run", "balance-reminders", "--folder", &folder, "--smtp", &smtp, "--wait"];
    arguments.extend(more);
    let output = mangle(&arguments);
    let lines = String::from_utf8_lossy(&output.stdout).lines().map(|l| serde_json::from_str(l).expect("a JSON line")).collect();
    (output.status.code(), lines, String::from_utf8_lossy(&output.stderr).into_owned())
}

#[test]
fn a_saved_dispatch_is_run_from_a_terminal_once_and_asked_about() -> Result<()> {
    let folder = tempfile::tempdir()?;
    demo_folder(folder.path())?;
    let sent: std::sync::Arc<std::sync::Mutex<Vec<String>>> = std::sync::Arc::default();
    let taken = sent.clone();
    let port = mail_server(move |told| {
        if let Told::Message { recipients, .. } = told
            && let Ok(mut taken) = taken.lock()
        {
            taken.extend(recipients.iter().map(|one| (*one).to_string()));
        }
        Does::Takes
    })?;
    let sent = || sent.lock().map(|sent| sent.clone()).unwrap_or_default();

    let (code, lines, error) = run(folder.path(), port, &["--where", "ref <> \"BQ-0047\"", "--start-key", "november"]);
    assert_eq!((code, lines.len(), sent().len()), (Some(0), 2, 2), "{error}");
    assert!(lines.iter().all(|line| line["state"] == "delivered" && line["deliveries"][0]["kind"] == "email"), "{lines:?}");
    assert!(error.contains("Run 1 of 2 records started"), "{error}");
    // A scheduler that starts it again under its key starts nothing.
    let (code, lines, _) = run(folder.path(), port, &["--where", "ref <> \"BQ-0047\"", "--start-key", "november"]);
    assert_eq!((code, lines.len(), sent().len()), (Some(0), 2, 2));
    // Nor is anything sent twice without a word.
    let (code, lines, error) = run(folder.path(), port, &[]);
    assert_eq!((code, lines.len(), sent().len()), (Some(1), 0, 2));
    assert!(error.contains("2 of the records were already sent by this dispatch"), "{error}");
    let row = |lines: &[Value]| lines[0]["row"].as_u64().map(|row| row.to_string()).unwrap_or_default();
    let (_, held, error) = run(folder.path(), port, &["--hold", "--again", "--where", "ref = \"BQ-0047\""]);
    assert_eq!((held.len(), held[0]["state"].as_str(), sent().len()), (1, Some("blocked"), 2), "{error}");
    assert!(error.contains("is not over: 1 on hold, 0 scheduled"), "{error}");
    let refused = run(folder.path(), port, &["--again", "--rows", &row(&held)]);
    assert!(refused.0 == Some(1) && refused.2.contains("is not over yet"), "{}", refused.2);
    let (code, _, error) = run(folder.path(), port, &["--rows", "9999"]);
    assert!(code == Some(1) && error.contains("row 9999 is not among the records that the dispatch selects"), "{error}");
    let (code, _, error) = run(folder.path(), port, &["--where", "reff = 1"]);
    assert!(code == Some(1) && error.contains("reff"), "{error}");
    // Proofs go to the person alone.
    let (code, lines, error) = run(folder.path(), port, &["--proof", "--rows", &row(&held)]);
    assert_eq!((code, lines.len()), (Some(0), 1), "{error}");
    assert!(sent().last().is_some_and(|to| to.contains("ida@")), "{:?}", sent());

    // What became of a run is looked at, also while the folder is served.
    let data = folder.path().to_string_lossy().into_owned();
    let smtp = format!("127.0.0.1:{port}");
    let _program = Program::start(&["serve", "--port", "0", "--smtp", &smtp, "--folder", &data])?;
    let output = mangle(&["deliveries", "--folder", &data, "--run", "1", "--json"]);
    assert_eq!(output.status.code(), Some(0));
    let lines: Vec<Value> =
        String::from_utf8_lossy(&output.stdout).lines().map(|l| serde_json::from_str(l).expect("a JSON line")).collect();
    assert_eq!((lines.len(), lines[0]["deliveries"][0]["state"].as_str()), (2, Some("delivered")));
    let plain = mangle(&["deliveries", "--folder", &data, "--run", "1"]);
    assert!(String::from_utf8_lossy(&plain.stdout).contains("    E-mail: delivered  "));
    let none = mangle(&["deliveries", "--folder", &data, "--run", "99"]);
    assert!(String::from_utf8_lossy(&none.stderr).contains("run 99 was not found in this folder"));
    let (code, _, error) = run(folder.path(), port, &[]);
    assert!(code == Some(1) && error.contains("already open in another Mangle"), "{error}");
    Ok(())
}
