//! The practice CRM, asked as any OData client asks it.

use mangle_practice::crm::{Behaviour, Crm, TOKEN, serve};
use serde_json::{Value, json};

struct Asked {
    client: reqwest::Client,
    base: String,
    crm: Crm,
}

async fn crm() -> Asked {
    let crm = Crm::new(214);
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let base = format!("http://{}/", listener.local_addr().expect("an address"));
    tokio::spawn(serve(listener, crm.clone()));
    let _ = rustls::crypto::ring::default_provider().install_default();
    Asked { client: reqwest::Client::new(), base, crm }
}

impl Asked {
    async fn get(&self, path: &str) -> (u16, Value) {
        let url = if path.starts_with("http") { path.to_owned() } else { format!("{}odata/{path}", self.base) };
        let answer = self.client.get(url).bearer_auth(TOKEN).send().await.expect("answers");
        (answer.status().as_u16(), answer.json().await.unwrap_or(Value::Null))
    }

    async fn values(&self, path: &str) -> Vec<Value> {
        let (status, body) = self.get(path).await;
        assert_eq!(status, 200, "{body}");
        body["value"].as_array().expect("a list").clone()
    }
}

#[tokio::test]
async fn nothing_is_told_without_the_token() {
    let crm = crm().await;
    let answer = crm.client.get(format!("{}odata/Cases", crm.base)).send().await.expect("answers");
    assert_eq!(answer.status(), 401);
    let (status, _) = crm.get("Cases('RC-0001')").await;
    assert_eq!(status, 200);
}

#[tokio::test]
async fn sets_are_selected_filtered_ordered_and_paged() {
    let crm = crm().await;
    let (_, first) = crm.get("Cases?$count=true&$select=CaseID,Stage&$orderby=CaseID desc").await;
    assert_eq!((first["@odata.count"].as_u64(), first["value"].as_array().map(Vec::len)), (Some(214), Some(50)));
    assert_eq!(
        first["value"][0].as_object().map(|o| o.keys().cloned().collect::<Vec<_>>()),
        Some(vec!["@odata.etag".into(), "CaseID".into(), "Stage".into()])
    );
    assert_eq!(first["value"][0]["CaseID"], "RC-0214");
    // To the end by the links alone, each case once.
    let mut seen: Vec<String> = Vec::new();
    let mut page = first;
    loop {
        seen.extend(page["value"].as_array().into_iter().flatten().map(|c| c["CaseID"].as_str().expect("a key").to_owned()));
        let Some(next) = page["@odata.nextLink"].as_str().map(str::to_owned) else { break };
        page = crm.get(&next).await.1;
    }
    assert_eq!((seen.len(), seen[213].as_str()), (214, "RC-0001"));
    assert_eq!(
        crm.values("Cases?$filter=Stage eq 'Quoted' and Discount gt 0&$top=500").await.iter().filter(|c| c["Stage"] != "Quoted").count(),
        0
    );
    let some = crm.values("Cases?$filter=Vessel/LOA lt 8.5 and not (Stage in ('Enquiry','Inspected'))").await;
    assert!(!some.is_empty() && some.iter().all(|c| c["Stage"] != "Enquiry"));
    assert!(crm.values("Owners?$filter=Email eq null").await.iter().all(|o| o["Email"].is_null()));
    assert_eq!(crm.values("Owners?$filter=contains(LastName,'Ó Broin') or LastName eq 'O''Hara'&$top=1").await.len(), 1);
    assert_eq!(crm.values("Cases?$top=3&$skip=2").await[0]["CaseID"], "RC-0003");
}

#[tokio::test]
async fn children_and_grandchildren_come_with_one_request() {
    let crm = crm().await;
    let path = "Cases?$filter=CaseID eq 'RC-0007'&$expand=Vessel($select=Name;$expand=Owner($select=LastName)),Lines($filter=Optional eq false;$orderby=Price desc;$top=2),Defects($expand=Photographs($select=PhotographID,Caption))";
    let found = crm.values(path).await;
    let case = &found[0];
    assert!(case["Vessel"]["Owner"]["LastName"].is_string() && case["Vessel"]["LOA"].is_null());
    let lines = case["Lines"].as_array().expect("lines");
    assert!(lines.len() <= 2 && lines.iter().all(|l| l["Optional"] == false));
    let all = crm.values("Photographs?$top=1").await;
    assert!(all[0]["@odata.mediaReadLink"].as_str().is_some_and(|l| l.ends_with("Photographs(1)/$value")));
    let original =
        crm.client.get(all[0]["@odata.mediaReadLink"].as_str().expect("a link")).bearer_auth(TOKEN).send().await.expect("answers");
    let original = image::load_from_memory(&original.bytes().await.expect("bytes")).expect("a picture");
    let medium =
        crm.client.get(all[0]["Medium@odata.mediaReadLink"].as_str().expect("a link")).bearer_auth(TOKEN).send().await.expect("answers");
    let medium = image::load_from_memory(&medium.bytes().await.expect("bytes")).expect("a picture");
    assert_eq!((original.width(), medium.width()), (1600, 640));
}

#[tokio::test]
async fn what_is_asked_wrongly_is_refused_with_the_reason() {
    let crm = crm().await;
    for (path, why) in [
        ("Cases?$filter=Stgae eq 'x'", "“Case” has no property “Stgae”"),
        ("Cases?$filter=Stage eq 'x", "not closed"),
        ("Cases?$expand=Boats", "no way “Boats”"),
        ("Cases?$select=Nothing", "no property “Nothing”"),
        ("Cases?$search=x", "$search is not known here"),
    ] {
        let (status, body) = crm.get(path).await;
        assert_eq!(status, 400, "{path}");
        assert!(body["error"]["message"].as_str().is_some_and(|m| m.contains(why)), "{path}: {body}");
    }
    assert_eq!(crm.get("Ships").await.0, 404);
    assert_eq!(crm.get(&format!("Cases?$filter={}Stage eq 'x'", "not ".repeat(100))).await.0, 400);
}

#[tokio::test]
async fn it_can_be_told_to_fail_and_to_be_strict() {
    let crm = crm().await;
    crm.crm.behave(Behaviour { fail_every: 2, ..Behaviour::default() });
    let answers = [crm.get("Cases?$top=1").await.0, crm.get("Cases?$top=1").await.0];
    assert_eq!(answers, [200, 503]);
    crm.crm.behave(Behaviour { per_second: 1, ..Behaviour::default() });
    let mut slowed = 0;
    for _ in 0..4 {
        slowed += usize::from(crm.get("Cases?$top=1").await.0 == 429);
    }
    assert!(slowed >= 2);
}

#[tokio::test]
async fn a_change_is_told_with_a_signature() {
    let crm = crm().await;
    let (told, mut heard) = tokio::sync::mpsc::unbounded_channel();
    let router = axum::Router::new().route(
        "/told",
        axum::routing::post(move |headers: axum::http::HeaderMap, body: String| async move {
            let _ = told.send((headers["webhook-signature"].to_str().unwrap_or_default().to_owned(), body));
        }),
    );
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let address = format!("http://{}/told", listener.local_addr().expect("an address"));
    tokio::spawn(async move { axum::serve(listener, router).await });
    crm.client.post(format!("{}hooks", crm.base)).json(&json!({ "address": address, "secret": "s" })).send().await.expect("answers");
    let changed = crm.client.patch(format!("{}odata/Cases('RC-0001')", crm.base)).bearer_auth(TOKEN).json(&json!({ "Stage": "Approved" }));
    assert_eq!(changed.send().await.expect("answers").status(), 204);
    let (signature, body) = heard.recv().await.expect("a notice");
    assert!(signature.starts_with("v1,") && signature.len() > 40);
    assert_eq!(body, r#"{"set":"Cases","key":"RC-0001","changed":["Stage"]}"#);
    assert_eq!(crm.values("Cases?$filter=CaseID eq 'RC-0001'").await[0]["Stage"], "Approved");
}

/// A request that changes something; its status, headers and body.
async fn change(
    crm: &Asked,
    method: &str,
    path: &str,
    headers: &[(&str, &str)],
    body: impl Into<reqwest::Body>,
) -> (u16, reqwest::header::HeaderMap, Value) {
    let method = method.parse().expect("a method");
    let mut request = crm.client.request(method, format!("{}odata/{path}", crm.base)).bearer_auth(TOKEN).body(body);
    for (name, value) in headers {
        request = request.header(*name, *value);
    }
    let answer = request.send().await.expect("answers");
    (answer.status().as_u16(), answer.headers().clone(), answer.json().await.unwrap_or(Value::Null))
}

#[tokio::test]
async fn documents_and_notes_are_added_once_for_each_identity() {
    let crm = crm().await;
    let own = [("content-type", "application/pdf"), ("slug", "Quote%20M%C3%B6we.pdf"), ("repeatability-request-id", "a-1")];
    let (status, headers, made) = change(&crm, "POST", "Documents", &own, "%PDF-1.7").await;
    assert_eq!((status, made["Name"].as_str(), made["DocumentID"].as_u64()), (201, Some("Quote Möwe.pdf"), Some(1)), "{made}");
    assert!(headers["location"].to_str().is_ok_and(|at| at.ends_with("/odata/Documents(1)")));
    let (status, _, again) = change(&crm, "POST", "Documents", &own, "%PDF-1.7").await;
    assert_eq!((status, &again["DocumentID"]), (201, &made["DocumentID"]), "the same request again");
    let etag = made["@odata.etag"].as_str().expect("a tag").to_owned();
    let json = ("content-type", "application/json");
    let body = r#"{"CaseID":"RC-0001","Reference":"r-1"}"#;
    assert_eq!(change(&crm, "PATCH", "Documents(1)", &[json, ("if-match", &etag)], body).await.0, 204);
    assert_eq!(change(&crm, "PATCH", "Documents(1)", &[json, ("if-match", &etag)], body).await.0, 412, "the tag is an old one");
    assert_eq!(change(&crm, "PATCH", "Documents(9)", &[json], body).await.0, 404);
    let found = crm.values("Documents?$filter=Reference%20eq%20%27r-1%27").await;
    assert_eq!((found.len(), &found[0]["@odata.mediaContentType"]), (1, &json!("application/pdf")));
    let raw = crm.client.get(format!("{}odata/Documents(1)/$value", crm.base)).bearer_auth(TOKEN).send().await.expect("answers");
    assert_eq!(raw.bytes().await.expect("bytes"), "%PDF-1.7");
    assert_eq!(change(&crm, "POST", "Notes", &[json], r#"{"CaseID":"RC-0001","Text":"Sent"}"#).await.0, 201);
    assert_eq!(change(&crm, "POST", "Notes", &[json], r#"{"Nothing":1}"#).await.0, 400);
    assert_eq!(change(&crm, "POST", "Cases", &[json], "{}").await.0, 405);
    // The case's own screen has them, escaped.
    assert_eq!(change(&crm, "POST", "Notes", &[json], r#"{"CaseID":"RC-0001","Text":"<script>"}"#).await.0, 201);
    let page = crm.client.get(format!("{}cases/RC-0001", crm.base)).send().await.expect("answers").text().await.expect("a page");
    assert!(page.contains("Quote Möwe.pdf") && page.contains("Sent") && page.contains("&lt;script>"), "{page}");
}

#[tokio::test]
async fn an_answer_can_be_lost_after_the_change_was_made() {
    let crm = crm().await;
    crm.crm.behave(Behaviour { lose_every: 1, ..Behaviour::default() });
    let json = ("content-type", "application/json");
    assert_eq!(change(&crm, "POST", "Notes", &[json], r#"{"CaseID":"RC-0001","Text":"Sent"}"#).await.0, 500);
    crm.crm.behave(Behaviour::default());
    assert_eq!(crm.values("Notes").await.len(), 1);
}

#[tokio::test]
async fn a_repeated_request_is_answered_however_many_answers_are_lost() {
    let crm = crm().await;
    crm.crm.behave(Behaviour { lose_every: 1, ..Behaviour::default() });
    let headers = [("content-type", "application/json"), ("repeatability-request-id", "6f7e0a3c-1111-8222-a333-444455556666")];
    let body = r#"{"CaseID":"RC-0001","Text":"Sent"}"#;
    assert_eq!(change(&crm, "POST", "Notes", &headers, body).await.0, 500);
    assert_eq!(change(&crm, "POST", "Notes", &headers, body).await.0, 201, "it was made, and no change is made again");
    crm.crm.behave(Behaviour::default());
    assert_eq!(crm.values("Notes").await.len(), 1);
}
