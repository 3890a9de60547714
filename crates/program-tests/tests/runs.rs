//! Runs through the API: pause, stop, refusal, documents, versions.

use std::time::Duration;

use anyhow::{Context, Result};
use mangle_program_tests::{Does, Program, Told, ask, mail_server, reminders, repository, send_file, tool, wait};
use serde_json::{Value, json};

/// The demo's dispatch, ready to run; gives the number of its records.
fn ready(program: &Program, change: impl Fn(&mut Value)) -> Result<usize> {
    let bench = reminders(program, |body| change(&mut body["setup"]))?;
    Ok(bench["records"].as_array().map_or(0, Vec::len))
}

fn start(program: &Program, count: usize) -> Result<Value> {
    start_again(program, count, 0)
}

/// A start in which so many of the records have been served before.
fn start_again(program: &Program, count: usize, repeats: usize) -> Result<Value> {
    let url = format!("{}/api/dispatches/balance-reminders/runs", program.address);
    ask("POST", &url, Some(json!({ "count": count, "repeats": repeats })))
}

#[test]
fn a_run_is_refused_while_anything_stops_it() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let open = start(&program, 63)?;
    assert!(open["message"].as_str().is_some_and(|m| m.contains("“harbour due” is not mapped to a column")), "{open}");
    ready(&program, |setup| setup["left_out"] = json!([]))?;
    let findings = start(&program, 63)?;
    assert_eq!(findings["message"], "The run can't start: 1 record has findings. Fix them or leave the records out under Preflight.");
    let count = ready(&program, |setup| setup["name"] = json!("Reminder [: pontoon]"))?;
    assert!(start(&program, count)?["message"].as_str().is_some_and(|m| m.contains("records have findings")));
    ready(&program, |setup| setup["name"] = json!("Reminder [: ref]"))?;
    let count = start(&program, 60)?;
    assert!(count["message"].as_str().is_some_and(|m| m.starts_with("The selection changed to 62 records (was 60)")), "{count}");
    Ok(())
}

#[test]
fn a_run_pauses_goes_on_and_all_its_documents_come_down() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let count = ready(&program, |setup| {
        setup["filter"] = json!("");
        setup["channels"] = json!([]);
        setup["formats"] = json!(["pdf", "docx"]);
    })?;
    assert_eq!(count, 213);
    let run = start(&program, count)?;
    let of = |what: &str| format!("{}/api/runs/{}/{what}", program.address, run["id"]);
    let paused = ask("POST", &of("pause"), None)?;
    assert_eq!(paused["state"], "paused");
    // What is at work is done to its end; then nothing moves.
    let mut before = paused;
    for _ in 0..40 {
        std::thread::sleep(Duration::from_millis(600));
        let now = wait(&program, &run["id"], |_| true)?;
        if now["delivered"] == before["delivered"] {
            break;
        }
        before = now;
    }
    std::thread::sleep(Duration::from_millis(600));
    let after = wait(&program, &run["id"], |_| true)?;
    assert_eq!(before["delivered"], after["delivered"], "nothing is made while it is paused");
    assert!(after["waiting"].as_u64() > Some(0), "{after}");
    ask("POST", &of("resume"), None)?;
    wait(&program, &run["id"], |r| r["state"] == "done" && r["delivered"] == 213)?;
    let files = tempfile::tempdir()?;
    let (zip, pdf) = (files.path().join("all.zip"), files.path().join("all.pdf"));
    tool("curl", &["-sSf", "-o", &zip.to_string_lossy(), &of("documents.zip")]);
    tool("curl", &["-sSf", "-o", &pdf.to_string_lossy(), &of("documents.pdf")]);
    let script = "import sys,zipfile; z=zipfile.ZipFile(sys.argv[1]); assert z.testzip() is None; n=z.namelist(); print(len(n), len(set(n)), sum(x.endswith('.docx') for x in n))";
    assert_eq!(tool("python3", &["-c", script, &zip.to_string_lossy()]).trim(), "426 426 213");
    tool("qpdf", &["--check", &pdf.to_string_lossy()]);
    assert!(tool("pdfinfo", &[&pdf.to_string_lossy()]).contains("Pages:           213"));
    // Back in the source, each row shows its last document.
    let rows = ask("GET", &format!("{}/api/sheets/1/rows?count=3", program.address), None)?;
    assert_eq!(rows["rows"][2]["last"][0]["state"], "made");
    Ok(())
}

#[test]
fn a_stopped_run_leaves_the_rest_out() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let count = ready(&program, |setup| setup["filter"] = json!(""))?;
    let run = start(&program, count)?;
    ask("POST", &format!("{}/api/runs/{}/stop", program.address, run["id"]), None)?;
    let stopped = wait(&program, &run["id"], |r| r["waiting"] == 0 && r["sending"] == 0)?;
    assert_eq!(stopped["state"], "stopped");
    assert!(stopped["left_out"].as_u64() > Some(0), "{stopped}");
    Ok(())
}

#[test]
fn failed_items_are_run_again_alone() -> Result<()> {
    let folder = tempfile::tempdir()?;
    drop(Program::demo(folder.path())?);
    let refuses = std::sync::Arc::new(std::sync::atomic::AtomicBool::new(true));
    let strict = refuses.clone();
    let port = mail_server(move |told| match told {
        Told::Recipient(one) if one.contains("marijke") && strict.load(std::sync::atomic::Ordering::Relaxed) => {
            Does::Answers("550 nobody of that name")
        }
        _ => Does::Takes,
    })?;
    let program =
        Program::start(&["serve", "--port", "0", "--smtp", &format!("127.0.0.1:{port}"), "--folder", &folder.path().to_string_lossy()])?;
    let count = ready(&program, |_| {})?;
    let run = start(&program, count)?;
    let done = wait(&program, &run["id"], |r| r["state"] == "done")?;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(61), Some(1)), "{done}");
    let failed = ask("GET", &format!("{}/api/runs/{}/items?state=failed", program.address, run["id"]), None)?;
    assert_eq!((failed[0]["row"].as_u64(), failed[0]["deliveries"][0]["error_code"].as_str()), (Some(214), Some("refused")));
    refuses.store(false, std::sync::atomic::Ordering::Relaxed);
    ask("POST", &format!("{}/api/runs/{}/retry", program.address, run["id"]), None)?;
    let done = wait(&program, &run["id"], |r| r["state"] == "done")?;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(62), Some(0)), "{done}");
    Ok(())
}

#[test]
fn a_newer_file_is_the_next_version_and_the_earlier_stays() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let letter = repository().join("demo/reminder.docx");
    let changed = send_file(&format!("{}/api/templates/1", program.address), &letter)?;
    let numbers: Vec<_> = changed["versions"].as_array().context("versions")?.iter().map(|v| v["number"].clone()).collect();
    assert_eq!(numbers, [json!(2), json!(1)]);
    let broken = send_file(&format!("{}/api/templates/1", program.address), &repository().join("demo/season.xlsx"))?;
    assert_eq!(broken["code"], "wrong-kind");
    let same = ask("GET", &format!("{}/api/templates/1", program.address), None)?;
    assert_eq!(same["versions"].as_array().map(Vec::len), Some(2));
    Ok(())
}

#[test]
fn fifty_thousand_rows_are_brought_in_filtered_and_paged() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::start(&["serve", "--port", "0", "--practice-port", "0", "--folder", &folder.path().to_string_lossy()])?;
    let file = folder.path().join("large.csv");
    let rows: String = (1..=50_000)
        .map(|n| format!("BQ-{n:05};Holder {n};{}.{:02};{}\n", n % 3000, n % 100, if n % 7 == 0 { "yes" } else { "no" }))
        .collect();
    std::fs::write(&file, format!("Ref;Name;Balance;Liveaboard\n{rows}"))?;
    let source = send_file(&format!("{}/api/sources", program.address), &file)?;
    assert_eq!(source["sheets"][0]["row_count"], 50_000);
    let sheet = &source["sheets"][0]["id"];
    let url = format!(
        "{}/api/sheets/{sheet}/rows?filter=balance%20%3E%202990%20and%20liveaboard&sort=2&down=true&from=5&count=2",
        program.address
    );
    let page = ask("GET", &url, None)?;
    assert!(page["total"].as_u64().is_some_and(|t| (15..40).contains(&t)), "{page}");
    assert_eq!(page["rows"].as_array().map(Vec::len), Some(2));
    Ok(())
}

#[test]
fn pdfs_are_closed_by_each_records_own_password_and_carry_its_data() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let made = |pdf: Value, repeats: usize| -> Result<(std::path::PathBuf, Value)> {
        let count = ready(&program, |setup| {
            setup["filter"] = json!("ref = \"BQ-0031\"");
            setup["channels"] = json!([]);
            setup["pdf"] = pdf.clone();
        })?;
        let run = start_again(&program, count, repeats)?;
        let done = wait(&program, &run["id"], |r| r["state"] == "done")?;
        let file = folder.path().join("made.zip");
        let url = format!("{}/api/runs/{}/documents.zip", program.address, done["id"]);
        tool("curl", &["-sS", "-o", &file.to_string_lossy(), &url]);
        let script = "import sys,zipfile; z=zipfile.ZipFile(sys.argv[1]); open(sys.argv[2],'wb').write(z.read(z.namelist()[0]))";
        let path = folder.path().join("made.pdf");
        tool("python3", &["-c", script, &file.to_string_lossy(), &path.to_string_lossy()]);
        Ok((path, done["id"].clone()))
    };
    let (path, id) = made(json!({ "standard": "plain", "attach": "nothing", "password": "[: ref]" }), 0)?;
    let told = tool("qpdf", &["--password=BQ-0031", "--show-encryption", &path.to_string_lossy()]);
    assert!(told.contains("AESv3"), "{told}");
    assert!(tool("pdftotext", &["-upw", "BQ-0031", &path.to_string_lossy(), "-"]).contains("Dear"));

    let joined = ask("GET", &format!("{}/api/runs/{id}/documents.pdf", program.address), None)?;
    assert!(joined["message"].as_str().is_some_and(|m| m.contains("has a password")), "{joined}");

    let (path, _) = made(json!({ "standard": "a3b", "attach": "json", "password": "" }), 1)?;
    let data = folder.path().join("record.json");
    tool("pdfdetach", &["-save", "1", "-o", &data.to_string_lossy(), &path.to_string_lossy()]);
    let data: Value = serde_json::from_slice(&std::fs::read(&data)?)?;
    assert_eq!(data["Ref"], "BQ-0031", "{data}");
    Ok(())
}

#[test]
fn one_document_serves_all_records_of_a_run() -> Result<()> {
    let folder = tempfile::tempdir()?;
    let program = Program::demo(folder.path())?;
    let url = format!("{}/api/dispatches/berth-list", program.address);
    let bench = ask("GET", &url, None)?;
    let count = bench["records"].as_array().map_or(0, Vec::len);
    assert_eq!((count, &bench["obstacles"]), (213, &json!([])), "{bench}");
    let page = ask("GET", &format!("{url}/pages/3"), None)?;
    assert_eq!((page["label"].as_str(), page["findings"].as_array().map(Vec::len)), (Some("all 213 records"), Some(0)), "{page}");

    // What is wrong with one record names its row, though the document is of all.
    let list = bench["template_id"].clone();
    let mut setup = bench["setup"].clone();
    setup["filter"] = json!("");
    setup["name"] = json!("[: last name]");
    let put = |setup: &Value, sheet: &Value| {
        ask("PUT", &url, Some(json!({ "name": "Berth list", "template_id": list, "sheet_id": sheet, "setup": setup })))
    };
    let outside = put(&setup, &bench["sheet_id"])?;
    let said = outside["obstacles"][0]["message"].as_str().unwrap_or_default().to_owned();
    assert!(said.starts_with("“last name” is outside [:repeat for records]"), "{said}");
    setup = bench["setup"].clone();
    setup["joint"] = json!(false);
    let apart = put(&setup, &bench["sheet_id"])?;
    let said = apart["obstacles"].to_string();
    assert!(said.contains("needs one document for all records") && said.contains("Choose that under Output."), "{said}");
    put(&bench["setup"], &bench["sheet_id"])?;
    let fees = folder.path().join("fees.csv");
    std::fs::write(
        &fees,
        "Berth;Pontoon;Boat name;LOA;Last name;First name;Yearly fee;Liveaboard\nA1;A;Grace;9,5;Moss;Oriel;120,00;no\nA2;A;Tern;8;Hale;Tom;much;no\nB1;B;Petrel;7;Quayle;;310,50;yes\nB2;B;Dunlin;7;Farrow;Ida;95,00;no\n",
    )?;
    let source = send_file(&format!("{}/api/sources", program.address), &fees)?;
    let sheet = source["sheets"][0]["id"].clone();
    let with = ask(
        "PUT",
        &format!("{}/api/sheets/{sheet}/columns/6", program.address),
        Some(json!({ "name": "Yearly fee", "type": "money", "currency": "EUR" })),
    )?;
    assert_eq!(with["columns"][6]["type"], "money", "{with}");
    setup = bench["setup"].clone();
    setup["filter"] = json!("");
    put(&setup, &sheet)?;
    let found = ask("POST", &format!("{url}/preflight"), None)?;
    let records = found["causes"].as_array().context("causes")?.iter().flat_map(|c| c["records"].as_array().cloned().unwrap_or_default());
    let rows: Vec<String> = records.map(|f| format!("{} {}", f["row"], f["label"].as_str().unwrap_or("?"))).collect();
    assert!(rows.contains(&"2 Tom Hale".to_owned()), "{found}");

    // Left out, the one document is made, kept, and found again with each row.
    setup["left_out"] = json!([2]);
    put(&setup, &sheet)?;
    let run = ask("POST", &format!("{url}/runs"), Some(json!({ "count": 3 })))?;
    assert_eq!(run["count"], 1, "{run}");
    wait(&program, &run["id"], |r| r["delivered"] == 1)?;
    let items = ask("GET", &format!("{}/api/runs/{}/items", program.address, run["id"]), None)?;
    assert_eq!(items[0]["label"], "all 3 records", "{items}");
    let pdf = folder.path().join("list.pdf");
    let path = pdf.to_string_lossy().into_owned();
    tool("curl", &["-sS", "-o", &path, &format!("{}/api/documents/{}", program.address, items[0]["documents"][0]["id"])]);
    let text = tool("pdftotext", &["-layout", &path, "-"]);
    assert!(text.contains("3 berths, 1 of them liveaboard; yearly fees of €525.50."), "{text}");
    assert!(text.contains("Pontoon A") && text.contains("Moss, Oriel") && text.contains("2 berths") && !text.contains("Hale"), "{text}");
    for (row, documents) in [(1, 1), (2, 0), (4, 1)] {
        let view = ask("GET", &format!("{}/api/sheets/{sheet}/rows/{row}", program.address), None)?;
        assert_eq!(view["documents"].as_array().map(Vec::len), Some(documents), "{view}");
    }
    let rows = ask("GET", &format!("{}/api/sheets/{sheet}/rows", program.address), None)?;
    let last: Vec<usize> = rows["rows"].as_array().context("rows")?.iter().map(|r| r["last"].as_array().map_or(0, Vec::len)).collect();
    assert_eq!(last, [1, 0, 1, 1]);
    Ok(())
}
