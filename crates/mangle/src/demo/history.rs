//! What happened at Brackwater Quay before anybody looked: every form has answers, two
//! runs are over (one with a message that was refused), proofs lie in the practice
//! mailbox, a template has a draft whose test case differs, and berth licences are out for signature.
//! All of it is asked of the application's own API, as a browser would ask.

use std::time::Duration;

use anyhow::{Context, Result, bail};
use axum::Router;
use axum::body::{Body, to_bytes};
use axum::http::{Request, header};
use jiff::civil::Date;
use serde_json::{Map, Value, json};
use tower::ServiceExt;

const ANSWERS: &str = include_str!("../../../../demo/history/answers.json");
const PICTURES: [(&str, &[u8]); 5] = [
    ("boat-blue.png", include_bytes!("../../../../demo/history/boat-blue.png")),
    ("boat-green.png", include_bytes!("../../../../demo/history/boat-green.png")),
    ("signature-1.png", include_bytes!("../../../../demo/history/signature-1.png")),
    ("signature-2.png", include_bytes!("../../../../demo/history/signature-2.png")),
    ("signature-3.png", include_bytes!("../../../../demo/history/signature-3.png")),
];
/// No answer of the demo's own API is larger.
const MAX_RESPONSE: usize = 16 << 20;
/// What separates the parts of an upload (RFC 2046 5.1.1).
const BOUNDARY: &str = "mangle-demo-history";
/// How long a run of the history may take before the demo starts without it.
const RUN_TIMEOUT: Duration = Duration::from_secs(20);

/// Lets it all happen. `today` is the application's day.
pub async fn make(router: Router, public: Router, today: Date) -> Result<()> {
    let office = Office { router, public };
    office.answers(today).await.context("the answers")?;
    office.runs().await.context("the runs")?;
    office.draft().await.context("the draft version")?;
    office.licences().await.context("the berth licences")
}

struct Office {
    router: Router,
    /// Where forms are answered.
    public: Router,
}

impl Office {
    async fn send(&self, method: &str, path: &str, media_type: &str, body: Vec<u8>) -> Result<Value> {
        let request = Request::builder().method(method).uri(path).header(header::CONTENT_TYPE, media_type).body(Body::from(body))?;
        let router = if ["/api/answer/", "/api/signer/"].iter().any(|own| request.uri().path().starts_with(own)) {
            &self.public
        } else {
            &self.router
        };
        let response = router.clone().oneshot(request).await?;
        let status = response.status();
        let bytes = to_bytes(response.into_body(), MAX_RESPONSE).await?;
        if !status.is_success() {
            bail!("{method} {path}: {status} {}", String::from_utf8_lossy(&bytes));
        }
        if bytes.is_empty() {
            return Ok(Value::Null);
        }
        serde_json::from_slice(&bytes).with_context(|| format!("{method} {path} did not answer in JSON"))
    }

    async fn get(&self, path: &str) -> Result<Value> {
        self.send("GET", path, "application/json", Vec::new()).await
    }

    async fn ask(&self, method: &str, path: &str, body: Value) -> Result<Value> {
        self.send(method, path, "application/json", body.to_string().into_bytes()).await
    }

    /// Uploads a picture; gives the key by which an answer names it.
    async fn upload(&self, path: &str, name: &str) -> Result<Value> {
        let (_, bytes) = PICTURES.iter().find(|(known, _)| *known == name).with_context(|| format!("no picture {name}"))?;
        let head = format!(
            "--{BOUNDARY}\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\nContent-Type: image/png\r\n\r\n"
        );
        let body = [head.as_bytes(), bytes, format!("\r\n--{BOUNDARY}--\r\n").as_bytes()].concat();
        let arrived = self.send("POST", path, &format!("multipart/form-data; boundary={BOUNDARY}"), body).await?;
        Ok(arrived["key"].clone())
    }

    /// Answers every form, in the order of the file.
    async fn answers(&self, today: Date) -> Result<()> {
        let forms: Map<String, Value> = serde_json::from_str(ANSWERS)?;
        for source in items(&self.get("/api/sources").await?) {
            let Some(answers) = source["name"].as_str().and_then(|name| forms.get(name)) else { continue };
            let form = self.get(&format!("/api/forms/{}", source["id"])).await?;
            let token = form["address"].as_str().and_then(|address| address.rsplit('/').next()).context("a form without an address")?;
            let path = format!("/api/answer/{token}");
            for answer in items(answers) {
                let given = self.given(&path, items(&form["draft"]["fields"]), answer, today).await?;
                self.ask("POST", &path, json!({ "given": given })).await?;
            }
        }
        Ok(())
    }

    /// An answer by the numbers of its fields, its files uploaded.
    async fn given(&self, path: &str, fields: &[Value], answer: &Value, today: Date) -> Result<Map<String, Value>> {
        let mut given = Map::new();
        for field in fields {
            let (id, value) = (&field["id"], &answer[field["name"].as_str().unwrap_or_default()]);
            if value.is_null() {
                continue;
            }
            let value = if let Some(days) = value["days"].as_i64() {
                json!(today.checked_add(jiff::Span::new().days(days))?.to_string())
            } else if let Some(names) = value["files"].as_array() {
                let mut keys = Vec::new();
                for name in names {
                    keys.push(self.upload(&format!("{path}/files?field={id}"), name.as_str().unwrap_or_default()).await?);
                }
                Value::Array(keys)
            } else {
                value.clone()
            };
            given.insert(id.to_string(), value);
        }
        Ok(given)
    }

    /// Proofs, then two runs, each to its end.
    async fn runs(&self) -> Result<()> {
        let quotes = "/api/dispatches/refit-quotes";
        let office = self.get("/api/settings").await?;
        let dispatch = self.get(quotes).await?;
        let rows: Vec<&Value> = items(&dispatch["records"]).iter().take(2).map(|record| &record["row"]).collect();
        let proofs = self.ask("POST", &format!("{quotes}/proofs"), json!({ "rows": rows, "to": office["person_email"] })).await?;
        self.finished(&proofs["id"]).await?;
        for path in [quotes, "/api/dispatches/berth-list"] {
            let records = items(&self.get(path).await?["records"]).len();
            let run = self.ask("POST", &format!("{path}/runs"), json!({ "count": records })).await?;
            self.finished(&run["id"]).await?;
        }
        Ok(())
    }

    /// Waits for the end of a run: the next one is to have a later moment and number.
    async fn finished(&self, run: &Value) -> Result<()> {
        let wait = async {
            while self.get(&format!("/api/runs/{run}")).await?["state"] == "running" {
                tokio::time::sleep(Duration::from_millis(20)).await;
            }
            anyhow::Ok(())
        };
        tokio::time::timeout(RUN_TIMEOUT, wait).await.context("a run of the demo world did not end")?
    }

    /// Eight berth licences are out: two are signed by both sides, two wait for the harbour master,
    /// two for their holders; one was declined and one withdrawn. One of 40 days ago has ended unsigned.
    async fn licences(&self) -> Result<()> {
        let path = "/api/dispatches/berth-licences";
        let mut dispatch = self.get(path).await?;
        let rows: Vec<Value> = items(&dispatch["records"]).iter().take(8).map(|record| record["row"].clone()).collect();
        let late = items(&dispatch["records"]).get(8).map(|record| record["row"].clone());
        let whole = dispatch["setup"]["picked"].take();
        let body = |of: &Value| {
            let kept = ["name", "template_id", "sheet_id", "setup", "revision"].map(|name| (name.to_owned(), of[name].clone()));
            Value::Object(kept.into_iter().collect())
        };
        dispatch["setup"]["picked"] = json!([late]);
        let mut dispatch = self.ask("PUT", path, body(&dispatch)).await?;
        self.ended(path).await?;
        dispatch["setup"]["picked"] = json!(rows);
        let mut saved = self.ask("PUT", path, body(&dispatch)).await?;
        let run = self.ask("POST", &format!("{path}/runs"), json!({ "count": rows.len() })).await?;
        self.finished(&run["id"]).await?;
        let rounds = self.get(&format!("/api/rounds?run={}", run["id"])).await?;
        let mut rounds = items(&rounds).to_vec();
        rounds.sort_by_key(|round| round["title"].to_string());
        for (at, round) in rounds.iter().enumerate().take(5) {
            let link = self.link(round["signers"][0]["email"].as_str().unwrap_or_default()).await?;
            let now = self.ask("POST", &format!("{link}/open"), json!({})).await?;
            if at == 4 {
                let reason = json!({ "key": now["key"], "reason": "We have sold the boat." });
                self.ask("POST", &format!("{link}/decline"), reason).await?;
                continue;
            }
            let texts = items(&now["fields"]).iter().filter(|field| field["kind"] == "text");
            let values: Map<String, Value> = texts.map(|field| (field["number"].to_string(), json!("Wil Haven, 020 7946 0077"))).collect();
            let short: String = now["name"].as_str().unwrap_or_default().split(' ').filter_map(|part| part.chars().next()).collect();
            let input = json!({ "key": now["key"], "consent": true, "signature": { "typed": now["name"] }, "initials": { "typed": short }, "values": values });
            self.ask("POST", &format!("{link}/sign"), input).await?;
        }
        let both = json!({ "rounds": [rounds[0]["id"], rounds[1]["id"]], "signature": { "typed": "Ida Kelling" } });
        self.ask("POST", "/api/rounds/countersign", both).await?;
        let why = json!({ "reason": "The berth has changed." });
        self.ask("POST", &format!("/api/rounds/{}/withdraw", rounds[5]["id"]), why).await?;
        let sealed = async {
            for round in &rounds[..2] {
                while self.get(&format!("/api/rounds/{}", round["id"])).await?["state"] != "completed" {
                    tokio::time::sleep(Duration::from_millis(20)).await;
                }
            }
            anyhow::Ok(())
        };
        tokio::time::timeout(RUN_TIMEOUT, sealed).await.context("the demo world's licences were not sealed")??;
        self.finished(&run["id"]).await?;
        saved["setup"]["picked"] = whole;
        self.ask("PUT", path, body(&saved)).await?;
        Ok(())
    }

    /// A licence went out 40 days ago, and nobody signed it in time.
    async fn ended(&self, path: &str) -> Result<()> {
        mangle_server::turn_back(40);
        let run = self.ask("POST", &format!("{path}/runs"), json!({ "count": 1 })).await;
        let out = match &run {
            Ok(run) => self.finished(&run["id"]).await,
            Err(_) => Ok(()),
        };
        mangle_server::turn_back(0);
        let run = run?["id"].clone();
        out?;
        let ended = async {
            while self.get(&format!("/api/rounds?run={run}")).await?[0]["state"] != "expired" {
                tokio::time::sleep(Duration::from_millis(50)).await;
            }
            anyhow::Ok(())
        };
        tokio::time::timeout(RUN_TIMEOUT, ended).await.context("the demo world's unsigned licence did not end")?
    }

    /// The link in the newest message to an address.
    async fn link(&self, address: &str) -> Result<String> {
        let messages = self.get("/api/practice/mailbox").await?;
        for message in items(&messages) {
            let message = self.get(&format!("/api/practice/mailbox/{}", message["number"])).await?;
            let text = message["text"].as_str().unwrap_or_default();
            if let (true, Some((_, rest))) = (message.to_string().contains(address), text.split_once("/s/")) {
                return Ok(format!("/api/signer/{}", rest.split_whitespace().next().unwrap_or_default()));
            }
        }
        bail!("no link came to {address}")
    }

    /// Keeps a quote as a test case, and rewrites a date so that it comes out otherwise.
    async fn draft(&self) -> Result<()> {
        let templates = self.get("/api/templates").await?;
        let quote = items(&templates).iter().find(|t| t["name"] == "refit-quote").context("no quote")?;
        let (id, version) = (&quote["id"], &quote["versions"][0]);
        let sources = self.get("/api/sources").await?;
        let cases = items(&sources).iter().find(|s| s["name"] == "refit-cases").context("no cases")?;
        let sheet = &cases["sheets"][0]["id"];
        let record = self.get(&format!("/api/versions/{}/values?sheet={sheet}", version["id"])).await?;
        let case = json!({ "name": "Case RC-0001, with a discount", "version": version["number"], "values": record["values"] });
        self.ask("POST", &format!("/api/templates/{id}/specimens"), case).await?;
        let placeholders = self.get(&format!("/api/templates/{id}")).await?["placeholders"].clone();
        let until = "[: valid until as date long]";
        let at = items(&placeholders).iter().position(|p| p["text"] == until).context("no date in the quote")?;
        let rewritten = json!({ "text": "[: valid until as date \"EEEE, d MMMM yyyy\"]" });
        let detail = self.ask("PUT", &format!("/api/templates/{id}/versions/{}/placeholders/{at}", version["number"]), rewritten).await?;
        if let Some(draft) = items(&detail["versions"]).iter().find(|v| v["number"] != version["number"]) {
            let note = json!({ "note": "The weekday with the date: owners asked for it." });
            self.ask("PUT", &format!("/api/versions/{}/note", draft["id"]), note).await?;
        }
        Ok(())
    }
}

fn items(list: &Value) -> &[Value] {
    list.as_array().map_or(&[], Vec::as_slice)
}
