//! Signing: who is asked when, what a link opens, and what the sealed document is worth to others.

use std::path::Path;
use std::process::Command;

use axum::http::StatusCode;
use mangle_practice::timestamp::{self, TimestampAuthority};
use serde_json::{Value, json};
use tokio::net::TcpListener;

use crate::office::{Office, PUBLIC, docx, file};
use crate::runs::{KIND, Server, until};

/// An office with the berth licence, a mail server and a timestamp authority.
pub struct Signing {
    pub office: Office,
    pub server: Server,
    pub authority: TimestampAuthority,
    pub dispatch: String,
}

impl Signing {
    /// With the licences of so many holders, signed by the roles as `signing` has them.
    pub async fn of(count: usize, change: impl FnOnce(&mut Value)) -> Signing {
        let (server, port) = Server::start(KIND).await;
        let office = Office::sending(port).await;
        let authority = TimestampAuthority::new().expect("a key");
        let listener = TcpListener::bind("127.0.0.1:0").await.expect("binds");
        let address = format!("http://127.0.0.1:{}/", listener.local_addr().expect("bound").port());
        tokio::spawn(timestamp::serve(listener, authority.clone()));
        let mut settings = office.get("/api/settings").await;
        settings["timestamp_authority"] = json!(address);
        assert_eq!(office.ask("PUT", "/api/settings", settings).await.0, StatusCode::OK);
        let (status, template) = office.upload("/api/templates", &[("berth-licence.docx", &file("berth-licence.docx"))]).await;
        assert_eq!(status, StatusCode::OK, "{template}");
        let reminders = office.get("/api/dispatches/balance-reminders").await;
        let body = json!({ "name": "Licences", "template_id": template["id"], "sheet_id": reminders["sheet_id"] });
        let (status, bench) = office.ask("POST", "/api/dispatches", body).await;
        assert_eq!(status, StatusCode::OK, "{bench}");
        let dispatch = format!("/api/dispatches/{}", bench["key"].as_str().expect("a key"));
        let mut bench = office.get(&dispatch).await;
        let rows: Vec<usize> = (2..200).collect();
        bench["setup"]["picked"] = json!(rows);
        bench["setup"]["filter"] = json!("left is blank and e-mail is not blank");
        bench["setup"]["name"] = json!("Licence [: ref]");
        let person = |name: &str, email: &str, language: &str| json!({ "name": name, "email": email, "language": language, "phone": "" });
        bench["setup"]["signing"] = json!({
            "on": true,
            "roles": [
                { "role": "holder", "step": 1, "condition": "", "people": [person("[: first name] [: last name]", "[: e-mail]", "[: language]")] },
                { "role": "harbour master", "step": 2, "condition": "", "people": [person("Ida Kelling", "ida@brackwater-quay.example", "en-GB")] },
            ],
            "reminders": [3, 7], "ends_after": 30, "hand_on": true,
        });
        bench["setup"]["channels"] = json!([
            { "on": true, "name": "", "condition": "", "moment": "after-signing", "time": "", "channel": { "kind": "folder", "folder": "Office", "path": "", "clash": "number" } }
        ]);
        change(&mut bench["setup"]);
        let (status, bench) = office.ask("PUT", &dispatch, bench).await;
        assert_eq!(status, StatusCode::OK, "{bench}");
        // As many of the records as are wanted.
        let all: Vec<Value> = bench["records"].as_array().expect("records").iter().map(|one| one["row"].clone()).collect();
        let mut bench = office.get(&dispatch).await;
        bench["setup"]["picked"] = json!(all[..count]);
        let (status, bench) = office.ask("PUT", &dispatch, bench).await;
        assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
        Signing { office, server, authority, dispatch }
    }

    /// Runs it; the rounds that began, in the order of the records.
    pub async fn run(&self, count: usize) -> (Value, Vec<Value>) {
        let (status, run) = self.office.ask("POST", &format!("{}/runs", self.dispatch), json!({ "count": count })).await;
        assert_eq!(status, StatusCode::OK, "{run}");
        until(&self.office, &run["id"], |run| run["state"] == "done").await;
        let mut rounds = self.office.get(&format!("/api/rounds?run={}", run["id"])).await.as_array().expect("rounds").clone();
        rounds.sort_by_key(|round| round["id"].as_i64());
        (run["id"].clone(), rounds)
    }

    /// Where the newest message to an address leads.
    pub async fn link(&self, address: &str) -> String {
        for _ in 0..400 {
            let messages = self.server.raw();
            let own = messages.iter().rev().find(|raw| raw.contains(address) && decoded(raw).contains(&format!("{PUBLIC}/s/")));
            if let Some(raw) = own {
                let text = decoded(raw);
                let (_, rest) = text.split_once(&format!("{PUBLIC}/s/")).expect("a link");
                let token: String = rest.chars().take_while(|c| c.is_ascii_alphanumeric() || "-_".contains(*c)).collect();
                return format!("/api/signer/{token}");
            }
            tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        }
        panic!("no link came to {address}: {:?}", self.server.taken());
    }

    /// Opens a link: the page.
    pub async fn open(&self, link: &str) -> Value {
        let (status, now) = self.office.ask("POST", &format!("{link}/open"), json!({})).await;
        assert_eq!(status, StatusCode::OK, "{now}");
        now
    }

    /// Signs under a link, with everything filled in.
    pub async fn sign(&self, link: &str) -> (StatusCode, Value) {
        let now = self.open(link).await;
        self.office.ask("POST", &format!("{link}/sign"), filled(&now)).await
    }

    /// A round, once it is so far.
    pub async fn round(&self, id: &Value, state: &str) -> Value {
        let mut last = Value::Null;
        for _ in 0..600 {
            last = self.office.get(&format!("/api/rounds/{id}")).await;
            if last["state"] == state {
                return last;
            }
            tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        }
        panic!("the round is not {state}: {last}");
    }
}

/// A message's text.
fn decoded(raw: &str) -> String {
    mail_parser::MessageParser::default()
        .parse(raw.as_bytes())
        .and_then(|m| m.body_text(0).map(|text| text.into_owned()))
        .unwrap_or_default()
}

/// What a signer fills in.
fn filled(now: &Value) -> Value {
    let mut values = serde_json::Map::new();
    for field in now["fields"].as_array().expect("fields") {
        let text = match field["kind"].as_str().expect("a kind") {
            "text" => "Wil Haven, 020 7946 0077",
            "tick" => "yes",
            "name" => now["name"].as_str().expect("a name"),
            _ => continue,
        };
        values.insert(field["number"].to_string(), json!(text));
    }
    json!({ "key": now["key"], "consent": true, "signature": { "typed": now["name"] }, "initials": { "typed": "ab" }, "values": values })
}

pub fn address(round: &Value, role: &str) -> String {
    let signers = round["signers"].as_array().expect("signers");
    signers.iter().find(|own| own["role"] == role).expect("the role")["email"].as_str().expect("an address").to_owned()
}

/// What another program says of a file.
fn says(program: &str, arguments: &[&str]) -> String {
    let out = Command::new(program).args(arguments).output().unwrap_or_else(|e| panic!("{program}: {e}"));
    format!("{}{}", String::from_utf8_lossy(&out.stdout), String::from_utf8_lossy(&out.stderr))
}

/// The judgement of pyHanko: whether the seal holds, whether nothing was changed after it.
fn pyhanko(path: &Path) -> String {
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let script = "
import sys
from pyhanko.pdf_utils.reader import PdfFileReader
from pyhanko.sign.validation import validate_pdf_signature
from pyhanko_certvalidator import ValidationContext
for name in sys.argv[1:]:
    try:
        reader = PdfFileReader(open(name, 'rb'))
        own = reader.embedded_signatures[0]
        stamp = own.signer_info['unsigned_attrs'][0]['values'][0]['content']['certificates'][0].chosen
        context = lambda root: ValidationContext(trust_roots=[root], allow_fetching=False)
        said = validate_pdf_signature(own, signer_validation_context=context(own.signer_cert), ts_validation_context=context(stamp))
        print('good' if said.bottom_line and said.docmdp_ok and said.coverage.name == 'ENTIRE_FILE' and said.timestamp_validity.valid else 'bad', len(reader.embedded_signatures))
    except Exception as e:
        print('bad', type(e).__name__)
";
    says(&python, &["-c", script, path.to_str().expect("a path")])
}

#[tokio::test(flavor = "multi_thread")]
async fn two_sign_in_order_and_the_sealed_document_convinces_others() {
    let own = Signing::of(1, |_| {}).await;
    let (run, rounds) = own.run(1).await;
    let [round] = rounds.as_slice() else { panic!("one round") };
    let holder = address(round, "holder");
    // The delivery waits, and the master is not asked yet.
    let item = own.office.get(&format!("/api/runs/{run}/items")).await[0].clone();
    let folder = item["deliveries"].as_array().expect("deliveries").iter().find(|d| d["kind"] == "folder").expect("the folder").clone();
    assert_eq!((&item["state"], &folder["state"]), (&json!("signing"), &json!("signing")));
    let link = own.link(&holder).await;
    assert!(!own.server.taken().iter().any(|to| to.contains("ida@")));
    let page = own.office.get(&link).await;
    assert_eq!((&page["office"], &page["state"]), (&json!("Brackwater Quay"), &json!("open")));
    let now = own.open(&link).await;
    let kinds: Vec<&str> = now["fields"].as_array().expect("fields").iter().map(|f| f["kind"].as_str().expect("a kind")).collect();
    assert_eq!(kinds, ["tick", "signature", "name", "date", "text", "initials"]);
    // What was filled in is there when the signer comes back; nothing of another role is taken.
    let text = now["fields"].as_array().expect("fields").iter().find(|f| f["kind"] == "text").expect("a text")["number"].to_string();
    let draft = json!({ "key": now["key"], "values": { &text: "Wil", "99": "x" } });
    assert_eq!(own.office.ask("PUT", &format!("{link}/filled"), draft).await.0, StatusCode::NO_CONTENT);
    assert_eq!(own.open(&link).await["filled"], json!({ &text: "Wil" }));
    let sent = own.office.public_bytes(&format!("{link}/document?key={}", now["key"].as_str().expect("a key"))).await;
    assert!(!pdf_text(&sent).contains("Haven"));

    let (status, signed) = own.sign(&link).await;
    assert_eq!((status, &signed["completed"]), (StatusCode::OK, &json!(false)), "{signed}");
    let master = own.link("ida@brackwater-quay.example").await;
    let (status, signed) = own.sign(&master).await;
    assert_eq!((status, &signed["completed"]), (StatusCode::OK, &json!(true)), "{signed}");
    let done = own.round(&round["id"], "completed").await;
    let happened: Vec<&str> = done["events"].as_array().expect("events").iter().map(|e| e["what"].as_str().expect("what")).collect();
    let steps = ["sent", "invited", "opened", "consented", "signed", "invited", "opened", "consented", "signed", "sealed"];
    assert_eq!(happened, steps);

    // The folder and both signers get the sealed document.
    let sealed = own.office.bytes(&format!("/api/rounds/{}/document", round["id"])).await;
    // Nothing more is taken once the round is complete.
    for (link, page) in [(&link, &now), (&master, &now)] {
        let late = own.office.refused("POST", &format!("{link}/sign"), filled(page)).await;
        assert!(late.starts_with("409 ") || late.starts_with("404 opened-long-ago"), "{late}");
    }
    assert_eq!(own.office.get(&link).await["reason"], "completed");
    let kept = std::fs::read_dir(own.office.folder().join("office")).expect("the folder");
    let mut kept: Vec<_> = kept.map(|entry| entry.expect("an entry").path()).collect();
    for _ in 0..200 {
        if !kept.is_empty() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        kept = std::fs::read_dir(own.office.folder().join("office")).expect("the folder").map(|e| e.expect("an entry").path()).collect();
    }
    assert_eq!(std::fs::read(&kept[0]).expect("the file"), sealed);
    until(&own.office, &run, |run| run["state"] == "done").await;
    // The run counts its channels, and apart from them what went to the signers: two invitations, two copies.
    let counts = own.office.get(&format!("/api/runs/{run}/channels")).await;
    let count =
        |kind: &str, name: &str, count: u32| json!({ "kind": kind, "name": name, "states": [{ "state": "delivered", "count": count }] });
    assert_eq!(counts, json!([count("folder", "Folder", 1), count("email", "", 4)]));
    let copies = own.server.texts().iter().filter(|(text, files)| text.contains("everyone has signed") && *files == 1).count();
    assert_eq!(copies, 2);

    // What is printed on it, and what other programs say of it.
    let path = own.office.folder().join("sealed.pdf");
    std::fs::write(&path, &sealed).expect("written");
    // Lines are broken where the page has no more room.
    let text = pdf_text(&sealed).split_whitespace().collect::<Vec<_>>().join(" ");
    for expected in ["Wil Haven, 020 7946 0077", "Attestation", "Ida Kelling", &holder, "I agree to sign this document electronically."] {
        assert!(text.contains(expected), "{expected} is not in {text}");
    }
    let name = path.to_str().expect("a path");
    let poppler = says("pdfsig", &["-nocert", name]);
    assert!(poppler.contains("Signature is Valid") && poppler.contains("Total document signed"), "{poppler}");
    assert!(says("qpdf", &["--check", name]).contains("No syntax or stream encoding errors"), "{}", says("qpdf", &["--check", name]));
    assert_eq!(pyhanko(&path).trim(), "good 1");

    // Our own check, and that of what was tampered with.
    let (status, verdict) = own.office.upload("/api/verify", &[("sealed.pdf", &sealed)]).await;
    assert_eq!((status, &verdict["state"]), (StatusCode::OK, &json!("valid")), "{verdict}");
    assert_eq!((&verdict["signers"][0][2], &verdict["signers"][1][0]), (&json!(holder), &json!("Ida Kelling")));
    let tampered = tampered(&sealed, &sent);
    assert!(tampered.len() >= 20);
    for (how, bytes) in &tampered {
        let (_, verdict) = own.office.upload("/api/verify", &[("x.pdf", bytes)]).await;
        assert_ne!(verdict["state"], "valid", "{how}: {verdict}");
        if !how.starts_with("another") {
            assert_eq!(verdict["state"], "changed", "{how}: {verdict}");
        }
    }
    // Where in the file it was changed.
    let (_, bytes) = tampered.iter().find(|(how, _)| how == "a byte of the document").expect("there");
    let (_, verdict) = own.office.upload("/api/verify", &[("x.pdf", bytes)]).await;
    assert_eq!(verdict["change"], "Changed: the document as it was sent.");
    // pyHanko agrees where bytes that are signed changed; it does not look at the padding.
    let mut names = Vec::new();
    for (at, (_, bytes)) in tampered.iter().enumerate().filter(|(_, (how, _))| how.starts_with("a byte of") && !how.contains(" at ")) {
        let path = own.office.folder().join(format!("{at}.pdf"));
        std::fs::write(&path, bytes).expect("written");
        names.push(path);
    }
    for path in &names {
        assert!(pyhanko(path).starts_with("bad"), "{}", path.display());
    }
}

/// A sealed file changed in many ways.
fn tampered(sealed: &[u8], sent: &[u8]) -> Vec<(String, Vec<u8>)> {
    let flip = |at: usize| {
        let mut bytes = sealed.to_vec();
        bytes[at] ^= 0x10;
        bytes
    };
    let find = |what: &[u8]| sealed.windows(what.len()).rposition(|own| own == what).unwrap_or_else(|| panic!("{what:?}"));
    let hole = find(b"/Contents<") + 10;
    let mut all = vec![
        ("a byte of the document".to_owned(), flip(sent.len() / 2)),
        ("a byte of the first mark".to_owned(), flip(sent.len() + 400)),
        ("a byte of the end".to_owned(), flip(sealed.len() - 3)),
        ("a byte of the catalog".to_owned(), flip(find(b"/PieceInfo") + 2)),
        ("a byte of the signature's digits".to_owned(), flip(hole + 900)),
        ("the case of a digit".to_owned(), {
            let mut bytes = sealed.to_vec();
            let at = (hole..hole + 3_000).find(|at| bytes[*at].is_ascii_uppercase()).expect("a letter");
            bytes[at] = bytes[at].to_ascii_lowercase();
            bytes
        }),
        ("something in the padding".to_owned(), {
            let mut bytes = sealed.to_vec();
            bytes[hole + 24_000] = b'1';
            bytes
        }),
        ("junk at the end".to_owned(), [sealed, b"\n% more\n"].concat()),
        ("a space at the end".to_owned(), [sealed, b" "].concat()),
        ("cut by a byte".to_owned(), sealed[..sealed.len() - 1].to_vec()),
        ("cut in the seal".to_owned(), sealed[..hole + 500].to_vec()),
        ("a page added".to_owned(), page_added(sealed)),
        ("the name of the signer in the seal".to_owned(), replaced(sealed, b"Brackwater", b"Breckwater")),
        ("the range of the seal".to_owned(), flip(find(b"/ByteRange") + 16)),
        ("the permissions".to_owned(), replaced(sealed, b"/DocMDP", b"/DocMDQ")),
        ("another file".to_owned(), sent.to_vec()),
    ];
    for at in 1..8 {
        all.push((format!("a byte of the file at {at}/8"), flip(sealed.len() * at / 8)));
    }
    all
}

fn replaced(bytes: &[u8], what: &[u8], by: &[u8]) -> Vec<u8> {
    let at = bytes.windows(what.len()).rposition(|own| own == what).expect("it is there");
    let mut bytes = bytes.to_vec();
    bytes[at..at + what.len()].copy_from_slice(by);
    bytes
}

/// An update that shows another page, as a careless program adds one.
fn page_added(sealed: &[u8]) -> Vec<u8> {
    let text = String::from_utf8_lossy(sealed);
    let start = text.rfind("startxref").expect("its table");
    let at: String = text[start + 9..].trim_start().chars().take_while(char::is_ascii_digit).collect();
    let mut out = sealed.to_vec();
    let object = out.len();
    out.extend(b"9999 0 obj\n<</Type/Page/MediaBox[0 0 100 100]>>\nendobj\n");
    let table = out.len();
    out.extend(
        format!("xref\n9999 1\n{object:010} 00000 n \ntrailer\n<</Size 10000/Prev {at}/Root 1 0 R>>\nstartxref\n{table}\n%%EOF\n").bytes(),
    );
    out
}

fn pdf_text(bytes: &[u8]) -> String {
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("x.pdf");
    std::fs::write(&path, bytes).expect("written");
    says("pdftotext", &["-layout", path.to_str().expect("a path"), "-"])
}

#[tokio::test(flavor = "multi_thread")]
async fn links_that_are_guessed_used_or_over_open_nothing_and_say_why() {
    let own = Signing::of(3, |_| {}).await;
    let (_, rounds) = own.run(3).await;
    let links = [
        own.link(&address(&rounds[0], "holder")).await,
        own.link(&address(&rounds[1], "holder")).await,
        own.link(&address(&rounds[2], "holder")).await,
    ];
    for guessed in ["/api/signer/abc", "/api/signer/AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA"] {
        assert!(own.office.refused("GET", guessed, Value::Null).await.starts_with("404 no-link"));
    }
    // The key of one page opens nothing of another round.
    let (one, two) = (own.open(&links[0]).await, own.open(&links[1]).await);
    let stolen = format!("{}/document?key={}", links[1], one["key"].as_str().expect("a key"));
    assert!(own.office.refused("GET", &stolen, Value::Null).await.starts_with("404 opened-long-ago"));
    let mut input = filled(&two);
    input["key"] = one["key"].clone();
    let sign = |at: usize| format!("{}/sign", links[at]);
    assert!(own.office.refused("POST", &sign(1), input.clone()).await.starts_with("404 opened-long-ago"));
    // Without consent, with an answer for the master's field, with something missing.
    let with = |change: &dyn Fn(&mut Value)| {
        let mut input = filled(&one);
        change(&mut input);
        input
    };
    let refused = async |input: Value| own.office.refused("POST", &sign(0), input).await;
    assert!(refused(with(&|i| i["consent"] = json!(false))).await.starts_with("409 no-consent"));
    assert!(refused(with(&|i| i["values"]["3"] = json!("x"))).await.starts_with("422 no-field"));
    assert!(refused(with(&|i| i["signature"] = Value::Null)).await.starts_with("422 missing"));
    let long = "x".repeat(501);
    let text = one["fields"].as_array().expect("fields").iter().find(|f| f["kind"] == "text").expect("a text")["number"].to_string();
    assert!(refused(with(&|i| i["values"][&text] = json!(long))).await.starts_with("422 too-long"));
    // Pictures that are none, that hold a script, that are far too large.
    use base64::Engine;
    let picture = |bytes: &[u8]| json!({ "picture": base64::engine::general_purpose::STANDARD.encode(bytes) });
    let svg = b"<svg xmlns='http://www.w3.org/2000/svg'><script>alert(1)</script></svg>";
    assert!(refused(with(&|i| i["signature"] = picture(svg))).await.starts_with("422 picture"));
    assert!(refused(with(&|i| i["signature"] = picture(&bomb()))).await.starts_with("422 picture"));
    assert!(refused(with(&|i| i["signature"] = json!({ "picture": "%%" }))).await.starts_with("422 picture"));
    let drawn = {
        let mut out = std::io::Cursor::new(Vec::new());
        image::RgbaImage::from_pixel(900, 400, image::Rgba([10, 20, 60, 255]))
            .write_to(&mut out, image::ImageFormat::Png)
            .expect("a picture");
        out.into_inner()
    };
    let (status, signed) = own.office.ask("POST", &sign(0), with(&|i| i["signature"] = picture(&drawn))).await;
    assert_eq!(status, StatusCode::OK, "{signed}");
    // Two tabs: the second comes too late.
    assert!(refused(filled(&one)).await.starts_with("409 signed"));

    // Withdrawn, and posted to after that.
    let withdraw = format!("/api/rounds/{}/withdraw", rounds[1]["id"]);
    assert_eq!(own.office.ask("POST", &withdraw, json!({ "reason": "a wrong berth" })).await.1["state"], "withdrawn");
    assert_eq!(own.office.get(&links[1]).await["reason"], "withdrawn");
    assert!(own.office.refused("POST", &sign(1), filled(&two)).await.starts_with("409 withdrawn"));
    assert!(own.office.refused("POST", &withdraw, json!({})).await.starts_with("409 over"));

    // A bounced address corrected: the old link opens nothing, the new one does.
    let correct = format!("/api/rounds/{}/correct", rounds[2]["id"]);
    let place = json!({ "seat": 0, "person": 0 });
    assert!(own.office.refused("POST", &correct, json!({ "place": place, "email": "x@" })).await.starts_with("422"));
    let master = json!({ "place": place, "email": "ida@brackwater-quay.example" });
    assert!(own.office.refused("POST", &correct, master).await.starts_with("422 same-signer"));
    assert_eq!(own.office.ask("POST", &correct, json!({ "place": place, "email": "new@berth.example" })).await.0, StatusCode::OK);
    assert_eq!(own.office.get(&links[2]).await["reason"], "replaced");
    let fresh = own.link("new@berth.example").await;
    // Handed on to somebody else, who declines with a reason.
    let now = own.open(&fresh).await;
    let to = json!({ "key": now["key"], "name": "Wil Haven", "email": "wil@berth.example" });
    assert_eq!(own.office.ask("POST", &format!("{fresh}/hand-on"), to).await.0, StatusCode::NO_CONTENT);
    assert_eq!(own.office.get(&fresh).await["reason"], "replaced");
    let other = own.link("wil@berth.example").await;
    let now = own.open(&other).await;
    assert_eq!(now["name"], "Wil Haven");
    let decline = format!("{other}/decline");
    assert!(own.office.refused("POST", &decline, json!({ "key": now["key"], "reason": " " })).await.starts_with("422 reason"));
    assert_eq!(own.office.ask("POST", &decline, json!({ "key": now["key"], "reason": "not my boat" })).await.0, StatusCode::NO_CONTENT);
    let declined = own.office.get(&format!("/api/rounds/{}", rounds[2]["id"])).await;
    assert_eq!(declined["state"], "declined");
    let last = declined["events"].as_array().expect("events").last().expect("one").clone();
    assert_eq!((&last["who"], &last["with"]["reason"]), (&json!("Wil Haven"), &json!("not my boat")));
}

/// A PNG that says it has 10,000 × 10,000 dots.
fn bomb() -> Vec<u8> {
    let mut out = std::io::Cursor::new(Vec::new());
    image::GrayImage::new(10_000, 10_000).write_to(&mut out, image::ImageFormat::Png).expect("a picture");
    out.into_inner()
}

#[tokio::test(flavor = "multi_thread")]
async fn the_last_two_of_a_step_sign_in_the_same_moment_and_any_one_of_several_is_enough() {
    let own = Signing::of(1, |setup| {
        // Both at once, and the master's deputy in the master's place.
        setup["signing"]["roles"][1]["step"] = json!(1);
        let deputy = json!({ "name": "Tom Reed", "email": "tom@brackwater-quay.example", "language": "", "phone": "" });
        setup["signing"]["roles"][1]["people"].as_array_mut().expect("people").push(deputy);
        setup["signing"]["passcode"] = json!("[: ref]");
    })
    .await;
    let (_, rounds) = own.run(1).await;
    let (holder, deputy) = (own.link(&address(&rounds[0], "holder")).await, own.link("tom@brackwater-quay.example").await);
    let master = own.link("ida@brackwater-quay.example").await;
    assert_eq!(own.office.get(&holder).await["state"], "passcode");
    assert!(own.office.refused("POST", &format!("{holder}/open"), json!({ "passcode": "wrong" })).await.starts_with("422 passcode"));
    let code = rounds[0]["title"].as_str().and_then(|title| title.strip_prefix("Licence ")).expect("the reference");
    let open = async |link: &str| own.office.ask("POST", &format!("{link}/open"), json!({ "passcode": code })).await.1;
    let (one, two) = (open(&holder).await, open(&deputy).await);
    let (a, b) = (format!("{holder}/sign"), format!("{deputy}/sign"));
    let (first, second) = tokio::join!(own.office.ask("POST", &a, filled(&one)), own.office.ask("POST", &b, filled(&two)));
    assert_eq!((first.0, second.0), (StatusCode::OK, StatusCode::OK), "{first:?} {second:?}");
    assert!(first.1["completed"] != second.1["completed"], "one of them was the last: {first:?} {second:?}");
    let done = own.round(&rounds[0]["id"], "completed").await;
    let state =
        |name: &str| done["signers"].as_array().expect("signers").iter().find(|s| s["name"] == name).expect("a signer")["state"].clone();
    assert_eq!((state("Tom Reed"), state("Ida Kelling")), (json!("signed"), json!("not-needed")));
    assert_eq!(own.office.get(&master).await["reason"], "completed");
    // Both signatures are in the file.
    let text = pdf_text(&own.office.bytes(&format!("/api/rounds/{}/document", rounds[0]["id"])).await);
    assert!(text.contains("Tom Reed") && text.contains("Wil Haven"), "{text}");
    // After ten wrong passcodes a link opens nothing.
    let other = Signing::of(1, |setup| setup["signing"]["passcode"] = json!("[: ref]")).await;
    let (_, rounds) = other.run(1).await;
    let link = other.link(&address(&rounds[0], "holder")).await;
    for at in 0..10 {
        let said = other.office.refused("POST", &format!("{link}/open"), json!({ "passcode": format!("{at}") })).await;
        assert!(said.starts_with("422 passcode") || said.starts_with("429"), "{said}");
    }
    assert_eq!(other.office.get(&link).await["reason"], "locked");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_seal_waits_for_its_timestamp_and_the_round_says_so() {
    let own = Signing::of(2, |_| {}).await;
    own.authority.set_off(true);
    let (run, rounds) = own.run(2).await;
    for round in &rounds {
        own.sign(&own.link(&address(round, "holder")).await).await;
    }
    // Countersigned together, with one signature.
    let ids: Vec<Value> = rounds.iter().map(|round| round["id"].clone()).collect();
    for id in &ids {
        for _ in 0..200 {
            if own.office.get(&format!("/api/rounds/{id}")).await["signers"][1]["state"] == "invited" {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        }
    }
    let body = json!({ "rounds": [ids[0], ids[1], 999], "signature": { "typed": "Ida Kelling" } });
    let (status, acted) = own.office.ask("POST", "/api/rounds/countersign", body).await;
    assert_eq!((status, &acted["done"], acted["refused"].as_array().map(Vec::len)), (StatusCode::OK, &json!(2), Some(1)), "{acted}");
    for id in &ids {
        let waits = own.round(id, "sealing").await;
        for _ in 0..200 {
            if own.office.get(&format!("/api/rounds/{id}")).await["seal_error"] != "" {
                break;
            }
            tokio::time::sleep(std::time::Duration::from_millis(25)).await;
        }
        let said = own.office.get(&format!("/api/rounds/{id}")).await["seal_error"].clone();
        assert_eq!(said, "The timestamp authority gave no timestamp: it answered with the status 503.", "{waits}");
    }
    assert_eq!(own.authority.given(), 0);
    let item = own.office.get(&format!("/api/runs/{run}/items")).await[0].clone();
    assert_eq!(item["state"], "signing");
    own.authority.set_off(false);
    for id in &ids {
        assert_eq!(own.office.ask("POST", &format!("/api/rounds/{id}/seal"), Value::Null).await.0, StatusCode::OK);
        own.round(id, "completed").await;
    }
    assert_eq!(own.authority.given(), 2, "each is sealed once");
}

#[tokio::test(flavor = "multi_thread")]
async fn who_is_late_is_reminded_once_and_a_round_ends_at_its_time() {
    let own = Signing::of(1, |_| {}).await;
    let (_, rounds) = own.run(1).await;
    let holder = address(&rounds[0], "holder");
    let link = own.link(&holder).await;
    let change = |sql: &str| {
        let store = rusqlite::Connection::open(own.office.folder().join("mangle.sqlite")).expect("the store");
        store.busy_timeout(std::time::Duration::from_secs(5)).expect("waits");
        store.execute(sql, []).expect("changed")
    };
    assert_eq!(change("UPDATE signer_link SET invited = strftime('%Y-%m-%dT%H:%M:%S', 'now', '-4 days')"), 1);
    let reminders = || own.server.texts().iter().filter(|(text, _)| text.contains("is waiting for your signature")).count();
    for _ in 0..400 {
        if reminders() > 0 {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    tokio::time::sleep(std::time::Duration::from_millis(2_500)).await;
    assert_eq!(reminders(), 1, "the second is due after seven days");
    assert_eq!(own.link(&holder).await, link, "a reminder has the same link");
    let round = own.office.get(&format!("/api/rounds/{}", rounds[0]["id"])).await;
    assert_eq!((&round["signers"][0]["reminded"], &round["waiting_days"]), (&json!(1), &json!(4)));
    // By hand, as often as a person wants.
    let (_, acted) = own.office.ask("POST", "/api/rounds/remind", json!({ "rounds": [rounds[0]["id"]] })).await;
    assert_eq!(acted["done"], 1);
    assert_eq!(change("UPDATE round SET ends = '2020-01-01T00:00:00'"), 1);
    own.round(&rounds[0]["id"], "expired").await;
    assert_eq!(own.office.get(&link).await["reason"], "expired");
    let (_, acted) = own.office.ask("POST", "/api/rounds/remind", json!({ "rounds": [rounds[0]["id"]] })).await;
    assert_eq!((&acted["done"], acted["refused"].as_array().map(Vec::len)), (&json!(0), Some(1)));
}

#[tokio::test(flavor = "multi_thread")]
async fn preflight_tells_who_can_not_sign() {
    let own = Signing::of(1, |_| {}).await;
    let mut bench = own.office.get(&own.dispatch).await;
    bench["setup"]["signing"]["roles"][1]["role"] = json!("yard manager");
    let told = own.office.ask("PUT", &own.dispatch, bench).await.1["obstacles"].to_string();
    assert!(
        told.contains("the template has no field for “yard manager”") || told.contains("The template has no field for “yard manager”"),
        "{told}"
    );
    assert!(told.contains("field for “harbour master”"), "{told}");
    let mut bench = own.office.get(&own.dispatch).await;
    bench["setup"]["signing"]["roles"][1]["role"] = json!("harbour master");
    bench["setup"]["signing"]["roles"][1]["people"][0]["email"] = json!("[: e-mail]");
    assert_eq!(own.office.ask("PUT", &own.dispatch, bench).await.1["obstacles"], json!([]));
    let found = own.office.ask("POST", &format!("{}/preflight", own.dispatch), Value::Null).await.1;
    assert_eq!(found["causes"][0]["code"], "same-signer", "{found}");
    // A role that its condition leaves out signs nothing.
    let mut bench = own.office.get(&own.dispatch).await;
    bench["setup"]["signing"]["roles"][1]["condition"] = json!("yearly fee < 0");
    own.office.ask("PUT", &own.dispatch, bench).await;
    let found = own.office.ask("POST", &format!("{}/preflight", own.dispatch), Value::Null).await.1;
    assert_eq!(found["causes"], json!([]), "{found}");
    // Without signing nothing waits for it.
    let mut bench = own.office.get(&own.dispatch).await;
    bench["setup"]["signing"]["on"] = json!(false);
    let told = own.office.ask("PUT", &own.dispatch, bench).await.1["obstacles"].to_string();
    assert!(told.contains("signing is off"), "{told}");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_stopped_run_takes_its_rounds_along_and_leaves_nothing_to_send() {
    let own = Signing::of(2, |_| {}).await;
    let start = json!({ "count": 2, "hold_after": 1 });
    let (status, run) = own.office.ask("POST", &format!("{}/runs", own.dispatch), start).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    until(&own.office, &run["id"], |run| run["blocked"] == 1 && run["signing"] == 1).await;
    let stop = format!("/api/runs/{}/stop", run["id"]);
    assert_eq!(own.office.ask("POST", &stop, Value::Null).await.1["state"], "stopped");
    let rounds = own.office.get(&format!("/api/rounds?run={}", run["id"])).await;
    assert!(rounds.as_array().is_some_and(|all| all.len() == 2 && all.iter().all(|round| round["state"] == "withdrawn")), "{rounds}");
    let items = own.office.get(&format!("/api/runs/{}/items", run["id"])).await;
    let open = ["to send", "sending", "blocked", "signing"];
    let left = items.as_array().expect("items").iter().flat_map(|item| item["deliveries"].as_array().expect("deliveries"));
    let left: Vec<&Value> = left.filter(|delivery| open.contains(&delivery["state"].as_str().expect("a state"))).collect();
    assert_eq!(left, Vec::<&Value>::new());
}

#[tokio::test(flavor = "multi_thread")]
async fn another_signer_can_be_named_for_one_record_and_is_forgotten_with_it() {
    let signing = Signing::of(1, |_| {}).await;
    let office = &signing.office;
    let row = office.get(&signing.dispatch).await["records"][0]["row"].clone();
    let one = office.get(&format!("{}/one/{row}", signing.dispatch)).await;
    assert_eq!(one["signers"][1]["email"], "ida@brackwater-quay.example", "{one}");
    let other = json!({ "name": "Wil Haven", "email": "wil@berth.example", "language": "nl-NL", "phone": "" });
    let body = json!({ "hold": false, "choices": { "answers": {}, "signers": { "holder": other } } });
    let (status, run) = office.ask("POST", &format!("{}/one/{row}", signing.dispatch), body).await;
    assert_eq!(status, StatusCode::OK, "{run}");
    until(office, &run["id"], |run| run["state"] == "done").await;
    let rounds = office.get(&format!("/api/rounds?run={}", run["id"])).await;
    assert_eq!(rounds[0]["signers"][0]["email"], "wil@berth.example", "{rounds}");
    // Invited in their language.
    let invited = signing.server.raw().into_iter().find(|raw| raw.contains("wil@berth.example")).expect("a message");
    let message = mail_parser::MessageParser::default().parse(invited.as_bytes()).expect("a message").subject().map(str::to_owned);
    assert_eq!(message.as_deref(), Some("Graag ondertekenen: Licences"));
    // The dispatch itself is as it was, and an address that is none is refused.
    assert!(!office.get(&signing.dispatch).await["setup"].to_string().contains("wil@"));
    let wrong = json!({ "hold": false, "choices": { "answers": {}, "signers": { "holder": { "name": "W", "email": "wil", "language": "", "phone": "" } } }, "repeats": 1 });
    assert!(office.refused("POST", &format!("{}/one/{row}", signing.dispatch), wrong).await.contains("findings"));
    let item = office.get(&format!("/api/runs/{}/items", run["id"])).await[0]["id"].clone();
    let (status, erased) = office.ask("POST", "/api/erasures", json!({ "rows": [], "items": [item] })).await;
    assert_eq!(status, StatusCode::OK, "{erased}");
    office.app.store.checkpoint().await.expect("written");
    let bytes = std::fs::read(office.folder().join("mangle.sqlite")).expect("the store");
    assert!(!bytes.windows(17).any(|part| part == b"wil@berth.example"), "the store still holds the signer");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_field_on_a_page_of_a_pdf_is_signed_like_those_of_a_template() {
    let own = Signing::of(1, |_| {}).await;
    let office = &own.office;
    let (_, rules) = office.upload("/api/pack-files", &[("Harbour rules.pdf", &file("harbour-rules.pdf"))]).await;
    let mut content = rules["content"].clone();
    let name = content["file"].as_str().expect("a file");
    let pages = office.get(&format!("/api/pack-files/{name}/pages")).await;
    assert_eq!((&pages["count"], pages["pages"].as_array().map(Vec::len)), (&json!(2), Some(2)));
    for wrong in ["0", "..%2fmangle.sqlite", &"f".repeat(64)] {
        assert_eq!(office.ask("GET", &format!("/api/pack-files/{wrong}/pages"), Value::Null).await.0, StatusCode::NOT_FOUND, "{wrong}");
    }
    let field = |placeholder: &str| json!({ "placeholder": placeholder, "page": 2, "left": 250, "top": 2200 });
    let marked = |marker: &str| json!({ "placeholder": "[:signer holder initials]", "marker": marker, "page": 1, "left": 400, "top": 0 });
    let asked = json!([field("[:signer holder initials]"), field("[: ref]"), marked("in the yard"), marked("Nowhere")]);
    let (_, placed) = office.ask("POST", &format!("/api/pack-files/{name}/fields"), asked).await;
    assert_eq!((&placed[2]["markers"][0]["page"], placed[2]["markers"].as_array().map(Vec::len)), (&json!(2), Some(1)), "{placed}");
    assert_eq!(placed[3]["problem"], "“Nowhere” is on no page of the PDF. Check the marker text, or place the field by hand.");
    assert_eq!((&placed[0]["role"], &placed[0]["field"], &placed[0]["width"]), (&json!("holder"), &json!("initials"), &json!(57.0)));
    assert_eq!(placed[1]["problem"], "“[: ref]” is not a signature field. Enter one, such as [:signer holder signature].");
    content["fields"] = json!([field("[:signer holder initials]"), marked("in the yard")]);
    let part = |name: &str, content: Value| json!({ "name": name, "title": "", "content": content, "include": { "kind": "always" }, "repeat": "" });
    let mut bench = office.get(&own.dispatch).await;
    let licence = json!({ "kind": "template", "id": bench["template_id"], "version": null });
    let pack = json!({ "parts": [part("Licence", licence), part("Rules", content)] });
    let (status, pack) = office.ask("POST", "/api/packs", json!({ "name": "Licence and rules", "pack": pack })).await;
    assert_eq!((status, &pack["problems"]), (StatusCode::OK, &json!([])), "{pack}");
    bench["template_id"] = pack["id"].clone();
    let (status, bench) = office.ask("PUT", &own.dispatch, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");

    let (_, rounds) = own.run(1).await;
    let link = own.link(&address(&rounds[0], "holder")).await;
    let now = own.open(&link).await;
    let on_rules = |field: &&Value| field["page"] == 3;
    let found: Vec<&Value> = now["fields"].as_array().expect("fields").iter().filter(on_rules).collect();
    assert_eq!((found.len(), &found[1]["kind"]), (2, &json!("initials")), "{now}");
    assert_eq!(own.sign(&link).await.0, StatusCode::OK);
    assert_eq!(own.sign(&own.link("ida@brackwater-quay.example").await).await.0, StatusCode::OK);
    own.round(&rounds[0]["id"], "completed").await;
    let folder = tempfile::tempdir().expect("a folder");
    let path = folder.path().join("signed.pdf");
    std::fs::write(&path, office.bytes(&format!("/api/rounds/{}/document", rounds[0]["id"])).await).expect("written");
    assert!(pyhanko(&path).starts_with("good"), "{}", pyhanko(&path));
    // The initials are on the second page of the rules: on the line of its heading, and 220 mm below
    // its top edge.
    let words = says("pdftotext", &["-bbox", "-f", "4", "-l", "4", path.to_str().expect("a path"), "-"]);
    let end = |line: &str| -> Option<f64> { line.split("yMax=\"").nth(1)?.split('"').next()?.parse().ok() };
    let ends = |word: &str| -> Vec<f64> { words.lines().filter(|line| line.contains(&format!(">{word}<"))).filter_map(end).collect() };
    let (yard, initials) = (ends("yard")[0], ends("ab"));
    assert!(initials.iter().any(|own| (620.0..660.0).contains(own)), "{words}");
    assert!(initials.iter().any(|own| (own - yard).abs() < 12.0), "{words}");
}

#[tokio::test(flavor = "multi_thread")]
async fn the_standard_and_the_tags_of_a_document_outlive_marks_attestation_and_seal() {
    let own = Signing::of(1, |setup| setup["pdf"] = json!({ "standard": "a2b", "attach": "nothing", "password": "" })).await;
    let (_, rounds) = own.run(1).await;
    let link = own.link(&address(&rounds[0], "holder")).await;
    let now = own.open(&link).await;
    let sent = own.office.public_bytes(&format!("{link}/document?key={}", now["key"].as_str().expect("a key"))).await;
    assert_eq!(own.sign(&link).await.0, StatusCode::OK);
    assert_eq!(own.sign(&own.link("ida@brackwater-quay.example").await).await.0, StatusCode::OK);
    own.round(&rounds[0]["id"], "completed").await;
    let sealed = own.office.bytes(&format!("/api/rounds/{}/document", rounds[0]["id"])).await;
    assert!(sealed.starts_with(&sent) && sealed.len() > sent.len(), "what was sent is still there, byte for byte");
    let folder = tempfile::tempdir().expect("a folder");
    let told = |name: &str, bytes: &[u8]| {
        let path = folder.path().join(name);
        std::fs::write(&path, bytes).expect("written");
        let path = path.to_str().expect("a path").to_owned();
        // The headings and paragraphs that a screen reader finds.
        let structure = says("pdfinfo", &["-struct", &path]);
        (says("pdfinfo", &["-meta", &path]), says("pdfinfo", &[&path]), structure)
    };
    let (before, after) = (told("sent.pdf", &sent), told("sealed.pdf", &sealed));
    assert!(before.0.contains("<pdfaid:part>2</pdfaid:part>") && after.0.contains("<pdfaid:part>2</pdfaid:part>"), "{}", after.0);
    assert!(after.1.lines().any(|line| line.starts_with("Tagged:") && line.ends_with("yes")), "{}", after.1);
    let lines = |structure: &str| structure.lines().map(|line| line.trim().to_owned()).collect::<std::collections::HashSet<_>>();
    let lost: Vec<String> = lines(&before.2).difference(&lines(&after.2)).cloned().collect();
    assert_eq!(lost, Vec::<String>::new(), "structure that is in the sealed file no more");
    assert!(after.2.lines().count() > before.2.lines().count(), "the attestation is tagged as well");
}

#[tokio::test(flavor = "multi_thread")]
async fn a_choice_takes_its_options_only_and_what_is_optional_may_stay_empty() {
    let own = Signing::of(1, |_| {}).await;
    let text = "Pays [:signer holder choice \"Monthly; Yearly\"] [:signer holder text \"Boat\" optional] [:signer holder tick optional] [:signer holder signature] [:signer harbour master initials]";
    let (_, template) = own.office.upload("/api/templates", &[("payment.docx", &docx(text))]).await;
    let mut bench = own.office.get(&own.dispatch).await;
    bench["template_id"] = template["id"].clone();
    assert_eq!(own.office.ask("PUT", &own.dispatch, bench).await.1["obstacles"], json!([]));
    let (_, rounds) = own.run(1).await;
    let link = own.link(&address(&rounds[0], "holder")).await;
    let now = own.open(&link).await;
    let fields = now["fields"].as_array().expect("fields");
    assert_eq!((&fields[0]["options"], &fields[1]["optional"]), (&json!(["Monthly", "Yearly"]), &json!(true)), "{now}");
    let chosen = |what: &str| {
        let values = json!({ fields[0]["number"].to_string(): what });
        json!({ "key": now["key"], "consent": true, "signature": { "typed": "Wil Haven" }, "values": values })
    };
    let sign = format!("{link}/sign");
    let refused = own.office.refused("POST", &sign, chosen("Weekly")).await;
    assert!(refused.starts_with("422 choice") && refused.contains("“Weekly” is not one of the options on page 1"), "{refused}");
    assert!(own.office.refused("POST", &sign, chosen(" ")).await.starts_with("422 missing"));
    assert_eq!(own.office.ask("POST", &sign, chosen("Yearly")).await.0, StatusCode::OK);
    assert_eq!(own.sign(&own.link("ida@brackwater-quay.example").await).await.0, StatusCode::OK);
    own.round(&rounds[0]["id"], "completed").await;
    let text = pdf_text(&own.office.bytes(&format!("/api/rounds/{}/document", rounds[0]["id"])).await);
    assert!(text.contains("Yearly") && !text.contains("Monthly"), "{text}");
}
