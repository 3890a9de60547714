//! An application on a folder of its own, asked as a browser asks it.

use std::path::PathBuf;

use axum::Router;
use axum::body::{Body, to_bytes};
use axum::http::{Request, StatusCode};
use mangle_app::App;
use mangle_server::public::{self, Limits};
use mangle_server::{BounceMailbox, Channels, Options, Secret, app, demo, router};
use serde_json::Value;
use tower::ServiceExt;

/// Where public pages are said to be.
pub const PUBLIC: &str = "https://pages.quay.example";

/// An office of its own folder; nothing is sent anywhere.
pub struct Office {
    pub router: Router,
    pub app: App,
    public: Router,
    folder: tempfile::TempDir,
}

impl Office {
    pub async fn empty() -> Office {
        Office::open(false, 9).await
    }

    /// With the demo's workbooks, letter and dispatch.
    pub async fn furnished() -> Office {
        Office::open(true, 9).await
    }

    /// The same with a mail server at a port of this machine.
    pub async fn sending(port: u16) -> Office {
        Office::open(true, port).await
    }

    async fn open(furnished: bool, port: u16) -> Office {
        Office::open_with(furnished, port, None).await
    }

    /// The demo's office with a mail server, and the mailbox that its messages come back to.
    pub async fn with_bounces(port: u16, bounces: (BounceMailbox, Secret)) -> Office {
        Office::open_with(true, port, Some(bounces)).await
    }

    async fn open_with(furnished: bool, port: u16, bounces: Option<(BounceMailbox, Secret)>) -> Office {
        let folder = tempfile::tempdir().expect("a folder");
        let folders = vec![("Office".to_owned(), folder.path().join("office"))];
        std::fs::create_dir(&folders[0].1).expect("a folder for documents");
        let channels = Channels {
            smtp: Some(("127.0.0.1".into(), port)),
            bounces,
            folders,
            hosts: vec!["localhost".into()],
            public_url: Some(PUBLIC.into()),
            ..Channels::default()
        };
        let options = Options { folder: folder.path().into(), channels };
        let app = app(options).await.expect("opens");
        if furnished {
            let files =
                ["season.xlsx", "price-list.csv", "refit-cases.json", "reminder.docx", "refit-quote.docx"].map(|name| (name, file(name)));
            demo(&app, &files.each_ref().map(|(name, bytes)| (*name, bytes.as_slice()))).await.expect("furnished");
        }
        Office { router: router(app.clone(), Router::new()), app: app.clone(), public: public::router(app, &Limits::default()), folder }
    }

    /// Where it keeps everything.
    pub fn folder(&self) -> &std::path::Path {
        self.folder.path()
    }

    async fn send(&self, request: Request<Body>) -> (StatusCode, Value) {
        let open = ["/api/answer/", "/api/shared/", "/api/signer/"].iter().any(|own| request.uri().path().starts_with(own));
        let router = if open { &self.public } else { &self.router };
        let answer = router.clone().oneshot(request).await.expect("answers");
        let status = answer.status();
        let bytes = to_bytes(answer.into_body(), 64 << 20).await.expect("a body");
        (status, serde_json::from_slice(&bytes).unwrap_or(Value::Null))
    }

    pub async fn ask(&self, method: &str, path: &str, body: Value) -> (StatusCode, Value) {
        // A dispatch is changed as it was shown; what is worked out of it is not sent back.
        let body = match (method, path.trim_start_matches("/api/dispatches/").split('/').collect::<Vec<_>>().as_slice()) {
            ("PUT", [_]) if path.starts_with("/api/dispatches/") => saved(body),
            _ => body,
        };
        let request = Request::builder().method(method).uri(path).header("content-type", "application/json");
        self.send(request.body(Body::from(if body.is_null() { String::new() } else { body.to_string() })).expect("a request")).await
    }

    /// The same with a body as it is.
    pub async fn ask_raw(&self, method: &str, path: &str, kind: &str, body: Vec<u8>) -> (StatusCode, Value) {
        let request = Request::builder().method(method).uri(path).header("content-type", kind);
        self.send(request.body(Body::from(body)).expect("a request")).await
    }

    pub async fn get(&self, path: &str) -> Value {
        let (status, value) = self.ask("GET", path, Value::Null).await;
        assert_eq!(status, StatusCode::OK, "{path}: {value}");
        value
    }

    /// A file as it is given.
    pub async fn bytes(&self, path: &str) -> Vec<u8> {
        let request = Request::builder().uri(path.replace(' ', "%20")).body(Body::empty()).expect("a request");
        let answer = self.router.clone().oneshot(request).await.expect("answers");
        assert_eq!(answer.status(), StatusCode::OK, "{path}");
        to_bytes(answer.into_body(), 64 << 20).await.expect("a body").to_vec()
    }

    /// A file of the public side as it is given.
    pub async fn public_bytes(&self, path: &str) -> Vec<u8> {
        let request = Request::builder().uri(path).body(Body::empty()).expect("a request");
        let answer = self.public.clone().oneshot(request).await.expect("answers");
        assert_eq!(answer.status(), StatusCode::OK, "{path}");
        to_bytes(answer.into_body(), 64 << 20).await.expect("a body").to_vec()
    }

    /// A header of a page of the office, or of the public side.
    pub async fn header(&self, path: &str, name: &str, public: bool) -> String {
        let request = Request::builder().uri(path).header("host", "localhost:7600").body(Body::empty()).expect("a request");
        let router = if public { &self.public } else { &self.router };
        let answer = router.clone().oneshot(request).await.expect("answers");
        answer.headers().get(name).and_then(|value| value.to_str().ok()).unwrap_or_default().to_owned()
    }

    /// What the public side says to a page.
    pub async fn public_status(&self, path: &str) -> StatusCode {
        let request = Request::builder().uri(path).body(Body::empty()).expect("a request");
        self.public.clone().oneshot(request).await.expect("answers").status()
    }

    /// What the public side says to what is posted to it.
    pub async fn public_post(&self, path: &str, headers: &[(&str, &str)], body: &str) -> StatusCode {
        let request =
            headers.iter().fold(Request::builder().method("POST").uri(path), |request, (name, value)| request.header(*name, *value));
        let request = request.body(Body::from(body.to_owned())).expect("a request");
        self.public.clone().oneshot(request).await.expect("answers").status()
    }

    /// Asks with a key by which the same question is known again.
    pub async fn ask_once(&self, path: &str, once: &str, body: Value) -> (StatusCode, Value) {
        let request =
            Request::builder().method("POST").uri(path).header("content-type", "application/json").header("idempotency-key", once);
        self.send(request.body(Body::from(body.to_string())).expect("a request")).await
    }

    /// Where the office leads whoever asks for a page.
    pub async fn leads_to(&self, path: &str) -> String {
        let request = Request::builder().uri(path).body(Body::empty()).expect("a request");
        let answer = self.router.clone().oneshot(request).await.expect("answers");
        assert_eq!(answer.status(), StatusCode::TEMPORARY_REDIRECT, "{path}");
        answer.headers()["location"].to_str().expect("text").to_owned()
    }

    /// What a refusal says, with its status.
    pub async fn refused(&self, method: &str, path: &str, body: Value) -> String {
        let (status, value) = self.ask(method, path, body).await;
        assert!(status.is_client_error(), "{method} {path} was taken: {value}");
        format!("{} {}: {}", status.as_u16(), value["code"].as_str().unwrap_or("?"), value["message"].as_str().unwrap_or("?"))
    }

    /// What is given for what is posted, as it is.
    pub async fn post_bytes(&self, path: &str, body: Value) -> (StatusCode, Vec<u8>) {
        let request = Request::builder().method("POST").uri(path).header("content-type", "application/json");
        let answer = self.router.clone().oneshot(request.body(Body::from(body.to_string())).expect("a request")).await.expect("answers");
        (answer.status(), to_bytes(answer.into_body(), 64 << 20).await.expect("a body").to_vec())
    }

    /// Sends files as a form does.
    pub async fn upload(&self, path: &str, files: &[(&str, &[u8])]) -> (StatusCode, Value) {
        self.upload_as("POST", path, files).await
    }

    /// The same by another method.
    pub async fn upload_as(&self, method: &str, path: &str, files: &[(&str, &[u8])]) -> (StatusCode, Value) {
        let mut body = Vec::new();
        for (name, bytes) in files {
            body.extend(format!("--edge\r\nContent-Disposition: form-data; name=\"file\"; filename=\"{name}\"\r\n\r\n").bytes());
            body.extend(*bytes);
            body.extend(b"\r\n");
        }
        body.extend(b"--edge--\r\n");
        let request = Request::builder().method(method).uri(path).header("content-type", "multipart/form-data; boundary=edge");
        self.send(request.body(Body::from(body)).expect("a request")).await
    }
}

/// A DOCX of one paragraph (ECMA-376).
pub fn docx(text: &str) -> Vec<u8> {
    let mut out = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let types = "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Override PartName=\"/word/document.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml\"/></Types>";
    let relations = "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"r1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument\" Target=\"word/document.xml\"/></Relationships>";
    let body = format!(
        "<w:document xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"><w:body><w:p><w:r><w:t>{text}</w:t></w:r></w:p></w:body></w:document>"
    );
    for (name, content) in [("[Content_Types].xml", types), ("_rels/.rels", relations), ("word/document.xml", &body)] {
        out.start_file(name, zip::write::SimpleFileOptions::default()).expect("begins");
        std::io::Write::write_all(&mut out, content.as_bytes()).expect("written");
    }
    out.finish().expect("a zip").into_inner()
}

/// A file of the demo world.
pub fn file(name: &str) -> Vec<u8> {
    std::fs::read(PathBuf::from("../../demo").join(name)).expect("the demo world")
}

/// What is saved of a dispatch as its screen shows it.
fn saved(shown: Value) -> Value {
    let Value::Object(mut all) = shown else { return shown };
    all.retain(|name, _| !SHOWN_ONLY.contains(&name.as_str()));
    Value::Object(all)
}

/// What a dispatch's screen shows beside what is saved.
const SHOWN_ONLY: [&str; 21] = [
    "questions",
    "taken_by_rules",
    "printers",
    "crm",
    "key",
    "changed",
    "template",
    "template_problems",
    "sheet",
    "columns",
    "unused",
    "ties",
    "records",
    "row_count",
    "filter_problem",
    "obstacles",
    "hints",
    "runs",
    "person_email",
    "folders",
    "hosts",
];
