//! What holds for every address of the API, as its own description lists them: whatever
//! is asked, the answer is no fault of the server, and says what is wrong.

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;

/// The methods and addresses of the description, without the practice services and the
/// stream that never ends.
fn addresses() -> Vec<(String, String)> {
    let description: Value = serde_json::from_str(include_str!("../../../../docs/openapi.json")).expect("a description");
    let paths = description["paths"].as_object().expect("addresses");
    let wanted = |path: &&String| !path.starts_with("/api/practice") && *path != "/api/run-events";
    let of = |path: &String| {
        let methods = paths[path].as_object().expect("methods").keys();
        methods.map(|method| (method.to_uppercase(), path.clone())).collect::<Vec<_>>()
    };
    paths.keys().filter(wanted).flat_map(of).collect()
}

/// An address with a value for each of its names.
fn filled(path: &str, value: impl Fn(&str) -> &'static str) -> String {
    let mut out = String::new();
    for piece in path.split_inclusive('/') {
        match piece.strip_prefix('{').and_then(|p| p.split_once('}')) {
            Some((name, rest)) => out += &format!("{}{rest}", value(name)),
            None => out += piece,
        }
    }
    out
}

/// Nothing has these numbers, keys and names.
fn nothing(name: &str) -> &'static str {
    match name {
        "key" | "name" | "token" | "kind" => "nothing",
        _ => "999999",
    }
}

fn is_told((status, body): &(StatusCode, Value)) -> bool {
    status.is_client_error() && body["message"].as_str().is_some_and(|message| message.len() > 5) && body["code"].is_string()
}

#[tokio::test]
async fn what_is_not_there_is_never_a_fault() {
    let office = Office::furnished().await;
    let all = addresses();
    assert!(all.len() > 80, "{}", all.len());
    let mut wrong = Vec::new();
    for (method, path) in all.iter().filter(|(_, path)| path.contains('{')) {
        let asked = filled(path, nothing);
        let answer = office.ask(method, &asked, Value::Null).await;
        // Some ask for more than their address holds.
        let missing = matches!(answer.0, StatusCode::NOT_FOUND | StatusCode::BAD_REQUEST) && is_told(&answer);
        let right = !answer.0.is_server_error() && (method != "GET" || missing);
        if !right {
            wrong.push(format!("{method} {asked}: {answer:?}"));
        }
    }
    assert_eq!(wrong, Vec::<String>::new());
}

#[tokio::test]
async fn senseless_numbers_and_names_are_never_a_fault() {
    let office = Office::furnished().await;
    let numbers = ["-1", "0", "9223372036854775807", "9223372036854775808", "abc", "1%00", "..%2f..", "%F0%9F%9B%A5"];
    for (method, path) in addresses().iter().filter(|(method, path)| path.contains('{') && method != "DELETE") {
        for number in numbers {
            let asked = filled(path, |_| number);
            let (status, body) = office.ask(method, &asked, json!({})).await;
            assert!(!status.is_server_error(), "{method} {asked}: {status} {body}");
        }
    }
}

#[tokio::test]
async fn senseless_bodies_are_refused_and_change_nothing() {
    let office = Office::furnished().await;
    let lists = ["/api/sources", "/api/templates", "/api/dispatches", "/api/clauses", "/api/fonts", "/api/connections", "/api/runs"];
    let mut before = Vec::new();
    for list in lists {
        before.push(office.get(list).await);
    }
    let deep = format!("{}{}", "[".repeat(5_000), "]".repeat(5_000));
    let bodies: [(&str, &[u8]); 9] = [
        ("application/json", b"{"),
        ("application/json", b"[]"),
        ("application/json", b"3"),
        ("application/json", b"\"text\""),
        ("application/json", b"\xff\xfe{}"),
        ("application/json", deep.as_bytes()),
        ("text/plain", b"{}"),
        ("multipart/form-data", b"no boundary"),
        (
            "multipart/form-data; boundary=edge",
            b"--edge\r\nContent-Disposition: form-data; name=\"file\"; filename=\"../../x\"\r\n\r\ncut off",
        ),
    ];
    // What takes no body does what it is asked for; a query that takes a body of any
    // names answers.
    let takes: Vec<(String, String)> = addresses().into_iter().filter(|(method, _)| method == "POST" || method == "PUT").collect();
    let description: Value = serde_json::from_str(include_str!("../../../../docs/openapi.json")).expect("a description");
    for (method, path) in takes {
        if description["paths"][&path][method.to_lowercase()]["requestBody"].is_null() {
            continue;
        }
        let asked = filled(&path, |name| if name == "key" { "balance-reminders" } else { "1" });
        for (kind, body) in bodies {
            let answer = office.ask_raw(&method, &asked, kind, body.to_vec()).await;
            assert!(
                answer.0.is_client_error(),
                "{method} {asked} {kind} {:?}: {answer:?}",
                String::from_utf8_lossy(&body[..body.len().min(40)])
            );
        }
    }
    for (list, before) in lists.iter().zip(before) {
        assert_eq!(office.get(list).await, before, "{list}");
    }
}
