//! The program as a child that is killed at random moments, beside a mail server that hangs up,
//! refuses and puts off, with every document going over two channels. What the other side holds
//! is counted: nothing is lost, nothing arrives twice, and what is in doubt is shown.
//!
//! 20 kills; `MANGLE_KILLS=200` for the long round (`make long`).

use std::collections::{HashMap, HashSet};
use std::io::Write;
use std::path::Path;
use std::sync::{Arc, Mutex};
use std::time::Duration;

use anyhow::{Context, Result};
use mangle_practice::crm::{self, Behaviour, Crm, TOKEN};
use mangle_practice::printer::{self, Condition, Printer};
use mangle_program_tests::{
    Answer, Does, Posted, Program, Told, ask, beside, docx, mail_server, reminders, send_file, start_reminders, tool, wait, web_hook,
};
use serde_json::{Value, json};

/// Chance that can be repeated: xorshift (Marsaglia 2003, “Xorshift RNGs”).
#[derive(Clone)]
struct Chance(u64);

impl Chance {
    fn below(&mut self, bound: u64) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0 % bound
    }
}

/// How often each message was taken, by its Message-ID.
type Taken = Arc<Mutex<HashMap<String, usize>>>;

/// A mail server of many moods, which notes what it has taken; gives its port.
fn moody_server(taken: Taken, seed: u64) -> Result<u16> {
    let chance = Mutex::new(Chance(seed));
    mail_server(move |told| {
        let mood = chance.lock().expect("one at a time").below(60);
        match told {
            Told::Recipient(_) if mood < 3 => Does::Answers("450 busy"),
            Told::Recipient(_) if mood < 5 => Does::HangsUp,
            Told::Recipient(_) => Does::Takes,
            Told::Message { .. } if mood < 3 => Does::Answers("451 not now"),
            Told::Message { .. } if mood < 6 => Does::Answers("554 never"),
            // It hangs up: before it has taken the message, or after.
            Told::Message { .. } if mood < 9 => Does::HangsUp,
            Told::Message { id, .. } => {
                note(&taken, id);
                if mood < 12 { Does::HangsUp } else { Does::Takes }
            }
        }
    })
}

/// A mail server that takes everything.
fn kind_server(taken: Taken) -> Result<u16> {
    mail_server(move |told| {
        if let Told::Message { id, .. } = told {
            note(&taken, id);
        }
        Does::Takes
    })
}

fn note(taken: &Taken, id: &str) {
    *taken.lock().expect("one at a time").entry(id.to_owned()).or_default() += 1;
}

fn serve(folder: &Path, office: &Path, port: u16) -> Result<Program> {
    let (smtp, allowed) = (format!("127.0.0.1:{port}"), format!("Office={}", office.display()));
    Program::start(&[
        "serve",
        "--port",
        "0",
        "--smtp",
        &smtp,
        "--allow-folder",
        &allowed,
        "--allow-host",
        "localhost",
        "--folder",
        &folder.to_string_lossy(),
    ])
}

/// Holders as the demo has them, as many as are wanted, as a sheet of their own; its number.
fn many(program: &Program, count: usize) -> Result<Value> {
    let mut text = "Ref,Salutation,First name,Last name,E-mail,Mobile,Home phone,Street,Suite,Postcode,Town,Boat name,Berth,Balance,Paid,Deposit,Due date,Yearly fee,Days overdue,Liveaboard,Pontoon\n".to_owned();
    for at in 0..count {
        let (berth, balance, pontoon) = (at % 60, at % 900, ["North", "South", "West"][at % 3]);
        text += &format!("BX-{at:04},Ms,Grace,Quayle {at},p{at}@post.example,,,2 Rope Walk,,BQ1 2AB,Brackwater,Tern,N {berth},");
        text += &format!("{balance}.50,100.00,50.00,2026-09-01,1240.00,83,no,{pontoon}\n");
    }
    let source = ask("POST", &format!("{}/api/sources/paste", program.address), Some(json!({ "name": "Many", "text": text })))?;
    Ok(source["sheets"][0]["id"].clone())
}

/// Names a printer of the office.
fn with_printer(program: &Program, port: u16) -> Result<()> {
    let url = format!("{}/api/settings", program.address);
    let mut settings = ask("GET", &url, None)?;
    settings["printers"] = json!([{ "name": "Desk", "uri": format!("ipp://127.0.0.1:{port}/ipp/print") }]);
    ask("PUT", &url, Some(settings)).map(drop)
}

/// The demo's letter for so many holders, or for its own, by mail, into a folder, as a link, into
/// the sheet and, where there is a printer, on paper; how many records it has.
fn make_ready(program: &Program, count: Option<usize>, printer: Option<u16>) -> Result<usize> {
    if let Some(port) = printer {
        with_printer(program, port)?;
    }
    let sheet = count.map(|count| many(program, count)).transpose()?;
    let bench = reminders(program, |body| {
        body["setup"]["filter"] = json!("");
        let folder = json!({ "kind": "folder", "folder": "Office", "path": "[: pontoon]", "clash": "number" });
        if let Some(channels) = body["setup"]["channels"].as_array_mut() {
            channels.push(json!({ "channel": folder }));
            channels.push(json!({ "channel": { "kind": "link" } }));
            channels.push(json!({ "channel": { "kind": "sheet", "state": "Delivery", "values": [{ "column": "Link", "value": "[: document.link]" }] } }));
        }
        if let (Some(channels), Some(_)) = (body["setup"]["channels"].as_array_mut(), printer) {
            channels.push(json!({ "channel": { "kind": "print", "printer": "Desk" } }));
        }
        if let Some(sheet) = sheet {
            body["sheet_id"] = sheet;
        }
    })?;
    anyhow::ensure!(bench["obstacles"] == json!([]), "{}", bench["obstacles"]);
    Ok(bench["records"].as_array().map_or(0, Vec::len))
}

fn items(program: &Program, id: &Value) -> Result<Vec<Value>> {
    let items = ask("GET", &format!("{}/api/runs/{id}/items?count=500", program.address), None)?;
    Ok(items.as_array().context("items")?.clone())
}

/// All files below a folder, hidden ones included.
fn files(at: &Path) -> Result<Vec<String>> {
    let mut all = Vec::new();
    for entry in std::fs::read_dir(at)? {
        let entry = entry?;
        match entry.file_type()?.is_dir() {
            true => all.extend(files(&entry.path())?),
            false => all.push(entry.path().to_string_lossy().into_owned()),
        }
    }
    Ok(all)
}

#[test]
fn killed_at_any_moment_beside_any_mail_server_it_loses_nothing_and_delivers_nothing_twice() -> Result<()> {
    let kills: u64 = std::env::var("MANGLE_KILLS").ok().and_then(|n| n.parse().ok()).unwrap_or(20);
    let seed = std::env::var("MANGLE_SEED").ok().and_then(|n| n.parse().ok()).unwrap_or(20_261_129);
    let mut chance = Chance(seed);
    let (mut killed, mut round) = (0, 0);
    while killed < kills {
        round += 1;
        let (folder, office, taken) = (tempfile::tempdir()?, tempfile::tempdir()?, Taken::default());
        Program::demo(folder.path()).map(drop)?;
        let port = moody_server(taken.clone(), seed + round)?;
        let printer = Printer::default();
        let own = printer.clone();
        let paper = beside(move |listener| printer::serve(listener, own))?;
        let mut program = serve(folder.path(), office.path(), port)?;
        let count = make_ready(&program, Some(500), Some(paper))?;
        let run = start_reminders(&program, count)?;
        let id = run["id"].clone();
        anyhow::ensure!(id.is_i64(), "{run}");
        loop {
            std::thread::sleep(Duration::from_millis(20 + chance.below(280)));
            let now = ask("GET", &format!("{}/api/runs/{id}", program.address), None)?;
            if killed >= kills || now["waiting"].as_u64() == Some(0) && now["sending"].as_u64() < Some(20) {
                break;
            }
            program.kill();
            killed += 1;
            program = serve(folder.path(), office.path(), port)?;
        }
        // What was put off comes to its turn; five minutes are more than enough for that.
        let database = folder.path().join("mangle.sqlite");
        for _ in 0..60 {
            let now = ask("GET", &format!("{}/api/runs/{id}", program.address), None)?;
            if now["state"] == "done" {
                break;
            }
            std::thread::sleep(Duration::from_millis(1000));
        }
        let late = retry_given_up(&program, &id)?;
        let done = wait(&program, &id, |run| run["state"] == "done").with_context(|| format!("{}", database.display()))?;
        check(&program, &[done], count, &taken.lock().expect("one at a time"), office.path(), (seed, round))?;
        on_paper(&printer, items(&program, &id)?, late == 0).with_context(|| format!("{:?}", (seed, round)))?;
    }
    Ok(())
}

/// Kills that hit the making of one record again and again leave it to a person, who retries it.
/// How many they were.
fn retry_given_up(program: &Program, run: &Value) -> Result<usize> {
    let all = items(program, run)?;
    let given_up: Vec<&Value> = all.iter().filter(|item| item["error_code"] == "crash").collect();
    for item in &given_up {
        anyhow::ensure!(item["documents"] == json!([]) && item["deliveries"] == json!([]), "given up, and yet made: {item}");
        ask("POST", &format!("{}/api/items/{}/retry", program.address, item["id"]), None)?;
    }
    wait(program, run, |run| run["state"] == "done")?;
    Ok(given_up.len())
}

/// Each document is printed once, in the order of the run where none was made late, and said to be.
fn on_paper(printer: &Printer, mut items: Vec<Value>, in_order: bool) -> Result<()> {
    // A job that was made before a kill and never sent is empty, and was cancelled.
    let mut jobs: Vec<_> = printer.jobs().into_iter().filter(|job| !job.documents.is_empty()).collect();
    jobs.sort_by_key(|job| job.number);
    if !in_order {
        jobs.sort_by(|a, b| a.name.cmp(&b.name));
        items.sort_by_key(|item| item["documents"][0]["name"].to_string());
    }
    anyhow::ensure!(jobs.len() == items.len(), "{} jobs for {} records", jobs.len(), items.len());
    for (job, item) in jobs.iter().zip(&items) {
        let name = item["documents"][0]["name"].as_str().unwrap_or_default();
        anyhow::ensure!(name.starts_with(&job.name), "{name} is not {}", job.name);
        anyhow::ensure!(item["deliveries"][4]["state"] == "delivered", "{item}");
    }
    Ok(())
}

#[test]
fn killed_while_it_writes_into_a_crm_that_loses_answers_it_writes_each_thing_once() -> Result<()> {
    const CASES: usize = 120;
    let mut chance = Chance(20_261_130);
    let (folder, office, taken) = (tempfile::tempdir()?, tempfile::tempdir()?, Taken::default());
    let crm = Crm::new(CASES);
    let own = crm.clone();
    let at = format!("http://127.0.0.1:{}/odata/", beside(move |listener| crm::serve(listener, own))?);
    let port = kind_server(taken)?;
    let mut program = serve(folder.path(), office.path(), port)?;
    let api = |program: &Program, path: &str| format!("{}{path}", program.address);
    ask("POST", &api(&program, "/api/connections"), Some(json!({ "name": "Yard", "address": at, "token": TOKEN })))?;
    let asks = json!({ "root": "Cases", "picks": { "fields": ["CaseID", "Stage"], "lists": [] }, "order": "CaseID" });
    let query = ask("POST", &api(&program, "/api/queries"), Some(json!({ "name": "Cases", "connection_id": 1, "asks": asks })))?;
    for _ in 0..200 {
        if ask("GET", &api(&program, &format!("/api/queries/{}/fetch", query["id"])), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_millis(50));
    }
    let file = folder.path().join("quote.docx");
    docx(&file, "Quote for [: CaseID]")?;
    let template = send_file(&api(&program, "/api/templates"), &file)?;
    let made = ask("POST", &api(&program, "/api/dispatches"), Some(json!({ "name": "Quotes" })))?;
    let url = |program: &Program| api(program, &format!("/api/dispatches/{}", made["key"].as_str().unwrap_or_default()));
    let body = json!({ "name": "Quotes", "template_id": template["id"], "sheet_id": query["sheet_id"], "setup": {} });
    let bench = ask("PUT", &url(&program), Some(body.clone()))?;
    let note = json!({ "to": bench["crm"]["notes"][0], "text": "Quote", "deliveries": false });
    let fields = json!([{ "field": "Stage", "type": "text", "value": "Quoted" }]);
    let channel = json!({ "kind": "crm", "attach": bench["crm"]["attach"][0], "note": note, "fields": fields });
    let mut body = body;
    body["setup"] = json!({ "name": "Quote [: CaseID]", "channels": [{ "channel": channel }] });
    let bench = ask("PUT", &url(&program), Some(body))?;
    anyhow::ensure!(bench["obstacles"] == json!([]), "{}", bench["obstacles"]);
    crm.behave(Behaviour { lose_every: 5, fail_every: 17, ..Behaviour::default() });
    let run = ask("POST", &format!("{}/runs", url(&program)), Some(json!({ "count": CASES })))?;
    for _ in 0..8 {
        std::thread::sleep(Duration::from_millis(60 + chance.below(300)));
        program.kill();
        program = serve(folder.path(), office.path(), port)?;
    }
    for _ in 0..180 {
        if ask("GET", &api(&program, &format!("/api/runs/{}", run["id"])), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    let done = wait(&program, &run["id"], |run| run["state"] == "done")?;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(CASES as u64), Some(0)), "{done}");
    crm.behave(Behaviour::default());
    for (set, filter) in [("Documents", ""), ("Notes", ""), ("Cases", "&$filter=Stage%20eq%20%27Quoted%27")] {
        let found =
            tool("curl", &["-sS", "-H", &format!("Authorization: Bearer {TOKEN}"), &format!("{at}{set}?$count=true&$top=0{filter}")]);
        let found: Value = serde_json::from_str(&found).with_context(|| found.clone())?;
        assert_eq!(found["@odata.count"].as_u64(), Some(CASES as u64), "{set}: {found}");
    }
    Ok(())
}

/// Asks the demo's dispatch for documents of rows, as another program does.
fn call(program: &Program, once: &str, rows: &[Value]) -> Result<()> {
    let url = format!("{}/api/dispatches/balance-reminders/firings", program.address);
    let (key, body) = (format!("Idempotency-Key: {once}"), json!({ "rows": rows }).to_string());
    let answer = tool("curl", &["-sS", "-X", "POST", &url, "-H", "Content-Type: application/json", "-H", &key, "-d", &body]);
    let answer: Value = serde_json::from_str(&answer)?;
    anyhow::ensure!(answer["id"].is_i64(), "{answer}");
    Ok(())
}

#[test]
fn killed_while_triggers_fire_and_services_fail_in_turn_it_delivers_each_document_once_over_each_channel() -> Result<()> {
    const RECORDS: usize = 500;
    let mut chance = Chance(20_261_201);
    let (folder, office, taken) = (tempfile::tempdir()?, tempfile::tempdir()?, Taken::default());
    Program::demo(folder.path()).map(drop)?;
    let port = moody_server(taken.clone(), 20_261_201)?;
    let printer = Printer::default();
    let own = printer.clone();
    let paper = beside(move |listener| printer::serve(listener, own))?;
    let mut program = serve(folder.path(), office.path(), port)?;
    // One more, which is left out.
    make_ready(&program, Some(RECORDS + 1), Some(paper))?;
    // Another program is told as well: at times it fails, at times its answer is lost.
    let mut moods = chance.clone();
    let (hook, noted) = web_hook(move |_| match moods.below(60) {
        0 => Answer::Fails,
        1 => Answer::Loses,
        _ => Answer::Takes,
    })?;
    let bench = reminders(&program, |body| {
        body["setup"]["triggers"] = json!([{ "on": true, "trigger": { "kind": "call", "again": false } }]);
        let values = json!([{ "name": "reference", "value": "[: ref]" }]);
        let told = json!({ "kind": "web-hook", "url": format!("http://localhost:{hook}/"), "values": values });
        if let Some(channels) = body["setup"]["channels"].as_array_mut() {
            channels.push(json!({ "channel": told }));
        }
    })?;
    anyhow::ensure!(bench["obstacles"] == json!([]), "{}", bench["obstacles"]);
    let rows: Vec<Value> = bench["records"].as_array().context("records")?.iter().map(|one| one["row"].clone()).collect();
    for (at, ten) in rows.chunks(10).enumerate() {
        // The printer is off, out of paper, and well again.
        let (off, out_of_paper) = (at / 4 % 3 == 1, at / 4 % 3 == 2);
        printer.set(Condition { off, out_of_paper, ..Condition::default() });
        call(&program, &format!("order-{at}"), ten)?;
        if at % 4 == 3 {
            std::thread::sleep(Duration::from_millis(chance.below(250)));
            program.kill();
            program = serve(folder.path(), office.path(), port)?;
        }
        // Whoever got no answer asks again.
        if at % 3 == 0 {
            call(&program, &format!("order-{at}"), ten)?;
        }
    }
    printer.set(Condition::default());
    let runs = |program: &Program| ask("GET", &format!("{}/api/runs", program.address), None);
    let firings = |program: &Program| ask("GET", &format!("{}/api/dispatches/balance-reminders/firings", program.address), None);
    for _ in 0..600 {
        let (all, fired) = (runs(&program)?, firings(&program)?);
        let is = |list: &Value, word: &str| list.as_array().is_some_and(|all| all.iter().all(|one| one["state"] == word));
        if is(&all, "done") && is(&fired["firings"], "started") {
            break;
        }
        std::thread::sleep(Duration::from_millis(500));
    }
    for run in runs(&program)?.as_array().context("runs")? {
        retry_given_up(&program, &run["id"])?;
    }
    let done = runs(&program)?.as_array().context("runs")?.clone();
    let open: Vec<&Value> = done.iter().filter(|run| run["state"] != "done").collect();
    anyhow::ensure!(open.is_empty(), "{open:?}");
    let all = done.iter().map(|run| items(&program, &run["id"])).collect::<Result<Vec<_>>>()?.concat();
    let number = |value: &Value| value.as_u64();
    let mut seen: Vec<u64> = all.iter().filter_map(|item| number(&item["row"])).collect();
    let mut wanted: Vec<u64> = rows.iter().filter_map(number).collect();
    seen.sort_unstable();
    wanted.sort_unstable();
    anyhow::ensure!(seen == wanted, "{} items for {} records", seen.len(), wanted.len());
    check(&program, &done, RECORDS, &taken.lock().expect("one at a time"), office.path(), (0, 0))?;
    // Each on paper once; the runs share the printer, so the order among them is theirs.
    let mut jobs: Vec<String> = printer.jobs().into_iter().filter(|job| !job.documents.is_empty()).map(|job| job.name).collect();
    jobs.sort_unstable();
    let paper = |item: &Value| item["deliveries"][4]["state"].as_str().unwrap_or_default().to_owned();
    let all_told = all.iter().all(|item| ["delivered", "uncertain"].contains(&paper(item).as_str()));
    anyhow::ensure!(all_told, "a record is neither printed nor in doubt");
    for item in &all {
        let name = item["documents"][0]["name"].as_str().context("a name")?;
        let printed = jobs.iter().filter(|job| name == format!("{job}.pdf") || name == job.as_str()).count();
        let wanted = if paper(item) == "delivered" { 1..=1 } else { 0..=1 };
        anyhow::ensure!(wanted.contains(&printed), "printed {printed} times: {item}");
    }
    anyhow::ensure!(jobs.len() <= RECORDS, "{} jobs for {RECORDS} records", jobs.len());
    told_once(&all, &noted.lock().expect("one at a time"))
}

/// Each record was told of under an id of its own, however many tries there were.
fn told_once(items: &[Value], noted: &[Posted]) -> Result<()> {
    let mut ids: HashMap<&str, HashSet<&str>> = HashMap::new();
    for posted in noted {
        ids.entry(posted.body["data"]["values"]["reference"].as_str().context("a reference")?).or_default().insert(&posted.id);
    }
    anyhow::ensure!(ids.len() == items.len(), "{} of {} records were told of", ids.len(), items.len());
    let several: Vec<_> = ids.iter().filter(|(_, ids)| ids.len() > 1).collect();
    anyhow::ensure!(several.is_empty(), "several ids for one delivery: {several:?}");
    let open: Vec<&Value> = items.iter().map(|item| &item["deliveries"][5]).filter(|own| own["state"] != "delivered").collect();
    anyhow::ensure!(open.is_empty(), "{open:?}");
    Ok(())
}

/// Each row says what became of its record, and names a link of its own that opens.
fn written(program: &Program, items: &[Value]) -> Result<()> {
    let sheets = ask("GET", &format!("{}/api/dispatches/balance-reminders", program.address), None)?["sheet_id"].clone();
    let info = ask("GET", &format!("{}/api/sheets/{sheets}", program.address), None)?;
    let column = |name: &str| info["columns"].as_array().and_then(|all| all.iter().position(|own| own["name"] == name));
    let (state, link) = (column("Delivery").context("the state's column")?, column("Link").context("the link's column")?);
    let mut rows = Vec::new();
    for from in [0, 500] {
        let some = ask("GET", &format!("{}/api/sheets/{sheets}/rows?from={from}&count=500", program.address), None)?;
        rows.extend(some["rows"].as_array().context("rows")?.iter().cloned());
    }
    let mut links = std::collections::HashSet::new();
    for item in items {
        let row = rows.iter().find(|row| row["number"] == item["row"]).context("its row")?;
        let (told, link) =
            (row["cells"][state]["text"].as_str().unwrap_or_default(), row["cells"][link]["text"].as_str().unwrap_or_default());
        let word = item["state"].as_str().unwrap_or_default();
        anyhow::ensure!(told.to_lowercase() == word, "the row says “{told}”: {item}");
        anyhow::ensure!(item["deliveries"][2]["recipient"] == link && links.insert(link.to_owned()), "the row names “{link}”: {item}");
    }
    Ok(())
}

/// Counts what the other sides hold against what the program says of runs.
fn check(program: &Program, runs: &[Value], count: usize, taken: &HashMap<String, usize>, office: &Path, told: (u64, u64)) -> Result<()> {
    let all = runs.iter().map(|run| items(program, &run["id"])).collect::<Result<Vec<_>>>()?.concat();
    anyhow::ensure!(all.len() == count, "{told:?}: {} of {count} items", all.len());
    let twice: Vec<_> = taken.iter().filter(|(_, times)| **times > 1).collect();
    anyhow::ensure!(twice.is_empty(), "{told:?}: sent twice: {twice:?}");
    let state = |item: &Value, at: usize| item["deliveries"][at]["state"].as_str().unwrap_or("none").to_owned();
    let (mut by_mail, mut in_doubt) = (0, 0);
    for item in &all {
        anyhow::ensure!(item["documents"][0]["size"].as_u64() > Some(1000), "{told:?}: without a document: {item}");
        match state(item, 0).as_str() {
            "delivered" => by_mail += 1,
            "uncertain" => in_doubt += 1,
            "failed" => {}
            other => anyhow::bail!("{told:?}: a message is {other}: {item}"),
        }
        // A folder can always be asked what became of it.
        anyhow::ensure!(state(item, 1) == "delivered", "{told:?}: {item}");
        // What stays within the program is never in doubt.
        anyhow::ensure!(state(item, 2) == "delivered" && state(item, 3) == "delivered", "{told:?}: {item}");
    }
    written(program, &all).with_context(|| format!("{told:?}"))?;
    // What was taken is said to be delivered, or in doubt; nothing else was.
    anyhow::ensure!(
        taken.len() >= by_mail && taken.len() <= by_mail + in_doubt,
        "{told:?}: {} taken, {by_mail} delivered, {in_doubt} in doubt",
        taken.len()
    );
    let uncertain: u64 = runs.iter().filter_map(|run| run["uncertain"].as_u64()).sum();
    // A printer that is switched off in the middle of a job leaves a doubt, too.
    let doubts = all.iter().filter_map(|item| item["deliveries"].as_array()).flatten().filter(|own| own["state"] == "uncertain").count();
    anyhow::ensure!(uncertain as usize <= doubts, "{told:?}: {uncertain} in doubt of {doubts}");
    // Each record has its file once, and nothing half-done lies about.
    let saved = files(office)?;
    let odd: Vec<_> = saved.iter().filter(|path| !path.ends_with(".pdf") || path.contains(" (2)")).collect();
    anyhow::ensure!(saved.len() == count && odd.is_empty(), "{told:?}: {} files for {count} records; {odd:?}", saved.len());
    Ok(())
}

#[test]
fn a_full_disk_stops_a_run_for_as_long_as_it_is_full() -> Result<()> {
    let (folder, office, taken) = (tempfile::tempdir()?, tempfile::tempdir()?, Taken::default());
    let smtp = format!("127.0.0.1:{}", kind_server(taken.clone())?);
    let allowed = format!("Office={}", office.path().display());
    let (small, world) = (folder.path().join("small"), folder.path().join("world"));
    std::fs::create_dir(&small)?;
    Program::demo(&world).map(drop)?;
    let data = small.to_string_lossy();
    let arguments = ["serve", "--port", "0", "--smtp", &smtp, "--allow-folder", &allowed, "--allow-host", "localhost", "--folder", &data];
    let program = Program::start_on_small_disk(&small, 48, &world, &arguments)?;
    let count = make_ready(&program, None, None)?;
    let filler = program.sees(&small).join("filler");
    let run = start_reminders(&program, count)?;
    let id = run["id"].clone();
    std::thread::sleep(Duration::from_millis(300));
    // As full as can be.
    let mut file = std::fs::File::create(&filler)?;
    let block = vec![7u8; 1 << 12];
    let end = loop {
        if let Err(error) = file.write_all(&block) {
            break error;
        }
    };
    assert_eq!(end.kind(), std::io::ErrorKind::StorageFull);
    drop(file);
    std::thread::sleep(Duration::from_secs(3));
    let stuck = ask("GET", &format!("{}/api/runs/{id}", program.address), None)?;
    assert_eq!(stuck["state"], "running", "it answers, and has not given up: {stuck}");
    let left = count as u64 - stuck["delivered"].as_u64().unwrap_or(0);
    assert!(left > 0, "the run ended before the disk was full: {stuck}");
    std::fs::remove_file(&filler)?;
    for _ in 0..60 {
        if ask("GET", &format!("{}/api/runs/{id}", program.address), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    let done = wait(&program, &id, |run| run["state"] == "done")?;
    assert_eq!((done["delivered"].as_u64(), done["failed"].as_u64()), (Some(count as u64), Some(0)), "{done}");
    let taken = taken.lock().expect("one at a time");
    assert!(taken.len() == count && taken.values().all(|times| *times == 1), "{} messages", taken.len());
    assert_eq!(files(office.path())?.len(), count);
    Ok(())
}

/// Cuts the last pages off the log of a store, as a copy of a running folder may miss them: how
/// many it cut. The form of the log: SQLite, “Database File Format”, 4.1.
fn cut_log(log: &Path, pages: usize) -> Result<usize> {
    let bytes = std::fs::read(log)?;
    let Some(header) = bytes.get(..32) else { return Ok(0) };
    let page = u32::from_be_bytes(header[8..12].try_into()?) as usize;
    // Frames of an earlier round of the log have other salts.
    let current = bytes[32..].chunks_exact(24 + page).take_while(|frame| frame[8..16] == header[16..24]).count();
    let kept = current.saturating_sub(pages);
    std::fs::OpenOptions::new().write(true).open(log)?.set_len((32 + kept * (24 + page)) as u64)?;
    Ok(current - kept)
}

#[test]
fn a_folder_without_the_last_pages_of_its_log_sends_nothing_twice() -> Result<()> {
    let (folder, office, taken) = (tempfile::tempdir()?, tempfile::tempdir()?, Taken::default());
    Program::demo(folder.path()).map(drop)?;
    let port = kind_server(taken.clone())?;
    let mut program = serve(folder.path(), office.path(), port)?;
    let count = make_ready(&program, None, None)?;
    let run = start_reminders(&program, count)?;
    let id = run["id"].clone();
    // Killed and cut until enough was lost, and some of it was of messages on their way.
    let (mut cut, mut uncertain) = (0, 0);
    for pause in [500, 300, 400, 350].into_iter().cycle().take(16) {
        std::thread::sleep(Duration::from_millis(pause));
        program.kill();
        cut += cut_log(&folder.path().join("mangle.sqlite-wal"), 60)?;
        program = serve(folder.path(), office.path(), port)?;
        let now = ask("GET", &format!("{}/api/runs/{id}", program.address), None)?;
        uncertain = now["uncertain"].as_u64().unwrap_or(0);
        if cut > 100 && uncertain > 0 || now["state"] == "done" {
            break;
        }
    }
    assert!(cut > 100 && uncertain > 0, "{cut} pages were lost, {uncertain} deliveries are uncertain");
    for _ in 0..60 {
        if ask("GET", &format!("{}/api/runs/{id}", program.address), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_secs(1));
    }
    let done = wait(&program, &id, |run| run["state"] == "done")?;
    assert!(done["uncertain"].as_u64() > Some(0), "what the store forgot is shown: {done}");
    check(&program, &[done], count, &taken.lock().expect("one at a time"), office.path(), (0, 0))
}

/// Two minutes: a part of `make long`.
#[test]
#[ignore = "takes two minutes"]
fn a_mail_server_that_answers_after_90_seconds_gets_each_message_once() -> Result<()> {
    let (folder, office, taken) = (tempfile::tempdir()?, tempfile::tempdir()?, Taken::default());
    Program::demo(folder.path()).map(drop)?;
    let own = taken.clone();
    let port = mail_server(move |told| {
        if let Told::Message { id, .. } = told {
            note(&own, id);
            std::thread::sleep(Duration::from_secs(90));
        }
        Does::Takes
    })?;
    let program = serve(folder.path(), office.path(), port)?;
    let count = make_ready(&program, Some(3), None)?;
    let run = start_reminders(&program, count)?;
    let begun = std::time::Instant::now();
    while begun.elapsed() < Duration::from_secs(400) {
        if ask("GET", &format!("{}/api/runs/{}", program.address, run["id"]), None)?["state"] == "done" {
            break;
        }
        std::thread::sleep(Duration::from_secs(2));
    }
    let done = ask("GET", &format!("{}/api/runs/{}", program.address, run["id"]), None)?;
    assert_eq!((&done["state"], &done["delivered"], &done["uncertain"]), (&json!("done"), &json!(3), &json!(0)), "{done}");
    let taken = taken.lock().expect("one at a time");
    assert!(taken.len() == 3 && taken.values().all(|times| *times == 1) && begun.elapsed() > Duration::from_secs(90), "{taken:?}");
    Ok(())
}
