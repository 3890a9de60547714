//! The service: who asks, how it behaves today, what it answers.

use std::collections::HashMap;
use std::sync::{Arc, Mutex};
use std::time::{Duration, Instant};

use axum::Json;
use axum::Router;
use axum::body::Bytes;
use axum::extract::{DefaultBodyLimit, Path, RawQuery, Request, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode, header};
use axum::middleware::{Next, from_fn_with_state};
use axum::response::{Html, IntoResponse, Response};
use axum::routing::{get, post};
use serde::{Deserialize, Serialize};
use serde_json::{Map, Value, json};
use tokio::net::TcpListener;

use super::hooks::{self, Hook};
use super::model::{DOCUMENTS, Entity, MODEL, NOTES, of_set};
use super::options::Options;
use super::photographs::Photographs;
use super::world::{World, key_text};
use super::{answer, metadata, screen};

/// The token that the service takes.
pub const TOKEN: &str = "brackwater-practice-token";
/// The largest document.
const LARGEST: usize = 50 << 20;
/// How wide an original is, and the medium rendition.
const WIDE: [u32; 2] = [1600, 640];

/// How the service behaves.
#[derive(Debug, Clone, Serialize, Deserialize)]
#[serde(default)]
pub struct Behaviour {
    /// How long each answer takes, in milliseconds.
    pub latency: u64,
    /// How many entities a page holds at most.
    pub page: usize,
    /// Every so many-th request fails; none for 0.
    pub fail_every: u64,
    /// How many requests a second it takes; no limit for 0.
    pub per_second: usize,
    /// Every so many-th change is made and then answered with an error; none for 0.
    pub lose_every: u64,
    /// Before every so many-th conditional change somebody else changes the entity; none for 0.
    pub stale_every: u64,
}

impl Default for Behaviour {
    fn default() -> Behaviour {
        Behaviour { latency: 0, page: 50, fail_every: 0, per_second: 0, lose_every: 0, stale_every: 0 }
    }
}

/// The CRM. Clones share it.
#[derive(Debug, Clone)]
pub struct Crm(Arc<Mutex<Inside>>, Arc<Photographs>);

#[derive(Debug)]
struct Inside {
    world: World,
    behaviour: Behaviour,
    hooks: Vec<Hook>,
    asked: u64,
    changes: u64,
    conditional: u64,
    /// The answers to requests that may be repeated, by their identity.
    repeatable: HashMap<String, Created>,
    second: Instant,
    in_second: usize,
}

impl Crm {
    /// The yard as it is each morning, with so many cases.
    pub fn new(cases: usize) -> Crm {
        let inside = Inside {
            world: World::new(cases),
            behaviour: Behaviour::default(),
            hooks: Vec::new(),
            asked: 0,
            changes: 0,
            conditional: 0,
            repeatable: HashMap::new(),
            second: Instant::now(),
            in_second: 0,
        };
        Crm(Arc::new(Mutex::new(inside)), Arc::default())
    }

    /// Makes it behave otherwise.
    pub fn behave(&self, behaviour: Behaviour) {
        self.lock().behaviour = behaviour;
    }

    /// How many requests it had.
    pub fn asked(&self) -> u64 {
        self.lock().asked
    }

    fn lock(&self) -> std::sync::MutexGuard<'_, Inside> {
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Changes an entity and tells of it.
    fn change(&self, entity: &'static Entity, key: &str, seen: Option<&str>, with: &Map<String, Value>) -> Changed {
        let mut inside = self.lock();
        if inside.world.by_key(entity.set, key).is_none() {
            return Changed::Missing;
        }
        if let Some(seen) = seen.filter(|seen| *seen != "*") {
            inside.conditional += 1;
            let every = inside.behaviour.stale_every;
            if every > 0 && inside.conditional.is_multiple_of(every) {
                inside.world.change(entity, key, &Map::new());
            }
            if seen != inside.world.etag(entity, key) {
                return Changed::Stale;
            }
        }
        inside.world.change(entity, key, with);
        let loses = inside.count_change();
        let properties: Vec<String> = with.keys().cloned().collect();
        hooks::tell(&inside.hooks, entity.set, key, &properties, inside.changes);
        if loses { Changed::Lost } else { Changed::Done(inside.world.etag(entity, key)) }
    }
}

impl Inside {
    /// Counts a change that was made; whether its answer is to be lost. A request that is repeated
    /// makes no change: its answer comes.
    fn count_change(&mut self) -> bool {
        self.changes += 1;
        self.behaviour.lose_every > 0 && self.changes.is_multiple_of(self.behaviour.lose_every)
    }
}

/// What came of a change.
enum Changed {
    /// It is made; the new state's tag.
    Done(String),
    Missing,
    /// The entity was changed by another since.
    Stale,
    /// It is made, and nobody is told.
    Lost,
}

/// An entity that was made.
#[derive(Debug, Clone)]
struct Created {
    entity: &'static Entity,
    key: String,
}

/// The routes: the service below `/odata/`, its screen, and how it is told to behave.
pub fn router(crm: Crm) -> Router {
    let odata = Router::new()
        .route("/odata/", get(root))
        .route("/odata/$metadata", get(describe))
        .route("/odata/{*path}", get(read).patch(change).post(create))
        .layer(DefaultBodyLimit::max(LARGEST))
        .layer(from_fn_with_state(crm.clone(), gate));
    Router::new()
        .route("/", get(show))
        .route("/cases/{case}", get(show_case))
        .route("/documents/{number}", get(show_document))
        .route("/behaviour", get(behaviour).put(behave))
        .route("/hooks", post(hook).delete(unhook))
        .merge(odata)
        .with_state(crm)
}

/// Serves until the process ends.
pub async fn serve(listener: TcpListener, crm: Crm) -> std::io::Result<()> {
    axum::serve(listener, router(crm)).await
}

/// An error as OData says it (JSON Format 4.01, 21).
fn refused(status: StatusCode, code: &str, message: impl Into<String>) -> Response {
    (status, Json(json!({ "error": { "code": code, "message": message.into() } }))).into_response()
}

/// Who may ask, how long it takes, how often it fails.
async fn gate(State(crm): State<Crm>, request: Request, next: Next) -> Response {
    let told = request.headers().get(header::AUTHORIZATION).and_then(|h| h.to_str().ok()).unwrap_or_default();
    if told.strip_prefix("Bearer ") != Some(TOKEN) {
        return refused(StatusCode::UNAUTHORIZED, "token", "token missing or wrong. Use the one shown on the practice CRM's page.");
    }
    let (latency, fails, too_often) = {
        let mut inside = crm.lock();
        inside.asked += 1;
        if inside.second.elapsed() >= Duration::from_secs(1) {
            (inside.second, inside.in_second) = (Instant::now(), 0);
        }
        inside.in_second += 1;
        let Behaviour { latency, fail_every, per_second, .. } = inside.behaviour;
        (latency, fail_every > 0 && inside.asked % fail_every == 0, per_second > 0 && inside.in_second > per_second)
    };
    if latency > 0 {
        tokio::time::sleep(Duration::from_millis(latency)).await;
    }
    if too_often {
        let mut answer = refused(StatusCode::TOO_MANY_REQUESTS, "too-often", "rate limit exceeded");
        answer.headers_mut().insert(header::RETRY_AFTER, HeaderValue::from_static("1"));
        return answer;
    }
    if fails {
        return refused(StatusCode::SERVICE_UNAVAILABLE, "busy", "simulated failure");
    }
    let mut answer = next.run(request).await;
    answer.headers_mut().insert("OData-Version", HeaderValue::from_static("4.01"));
    answer
}

fn base(headers: &HeaderMap) -> String {
    let host = headers.get(header::HOST).and_then(|h| h.to_str().ok()).unwrap_or("localhost");
    format!("http://{host}/odata/")
}

/// The service document.
async fn root(headers: HeaderMap) -> Json<Value> {
    let sets: Vec<Value> = MODEL.iter().map(|e| json!({ "name": e.set, "kind": "EntitySet", "url": e.set })).collect();
    Json(json!({ "@odata.context": format!("{}$metadata", base(&headers)), "value": sets }))
}

async fn describe() -> Response {
    ([(header::CONTENT_TYPE, "application/xml")], metadata::document()).into_response()
}

/// What a path leads to.
enum Place {
    Set(&'static Entity),
    One(&'static Entity, String),
    Stream(&'static Entity, String, u32),
    Count(&'static Entity),
}

/// Reads `Cases`, `Cases('RC-0001')`, `Photographs(7)/$value`, `Cases/$count`.
fn place(path: &str) -> Option<Place> {
    let (first, rest) = path.split_once('/').map_or((path, None), |(first, rest)| (first, Some(rest)));
    let Some((set, key)) = first.split_once('(') else {
        let entity = of_set(first)?;
        return match rest {
            None => Some(Place::Set(entity)),
            Some("$count") => Some(Place::Count(entity)),
            Some(_) => None,
        };
    };
    let key = key.strip_suffix(')')?;
    let key = key.strip_prefix('\'').and_then(|k| k.strip_suffix('\'')).map_or(key.to_owned(), |k| k.replace("''", "'"));
    let entity = of_set(set)?;
    match rest {
        None => Some(Place::One(entity, key)),
        Some("$value") if entity.media => Some(Place::Stream(entity, key, WIDE[0])),
        Some("Medium") if entity.media => Some(Place::Stream(entity, key, WIDE[1])),
        Some(_) => None,
    }
}

/// The pairs of a query, decoded; `+` is itself (RFC 3986).
fn pairs(query: &str) -> Vec<(String, String)> {
    let decode = |text: &str| percent_encoding::percent_decode_str(text).decode_utf8_lossy().into_owned();
    query.split('&').filter_map(|pair| pair.split_once('=')).map(|(name, value)| (decode(name), decode(value))).collect()
}

async fn read(State(crm): State<Crm>, Path(path): Path<String>, RawQuery(query): RawQuery, headers: HeaderMap) -> Response {
    let gone = || refused(StatusCode::NOT_FOUND, "not-found", format!("there is nothing at {path}"));
    let Some(place) = place(&path) else { return gone() };
    let pairs = pairs(query.as_deref().unwrap_or_default());
    let asked = |entity| Options::read(pairs.iter().map(|(n, v)| (n.as_str(), v.as_str())), entity, 0);
    match place {
        Place::Stream(entity, key, wide) => {
            if crm.lock().world.by_key(entity.set, &key).is_none() {
                return gone();
            }
            if let Some((kind, bytes)) = crm.lock().world.media(entity.set, &key) {
                return ([(header::CONTENT_TYPE, kind.clone())], bytes.clone()).into_response();
            }
            let (photographs, number) = (crm.1.clone(), key.parse().unwrap_or(0));
            let drawn = tokio::task::spawn_blocking(move || photographs.draw(number, wide)).await;
            match drawn {
                Ok(bytes) => ([(header::CONTENT_TYPE, "image/jpeg")], bytes.to_vec()).into_response(),
                Err(_) => refused(StatusCode::INTERNAL_SERVER_ERROR, "picture", "the photograph could not be drawn"),
            }
        }
        Place::One(entity, key) => match asked(entity) {
            Err(wrong) => refused(StatusCode::BAD_REQUEST, "query", wrong),
            Ok(options) => {
                let inside = crm.lock();
                match inside.world.by_key(entity.set, &key) {
                    Some(entry) => {
                        let body = Json(answer::entity(&inside.world, entity, entry, &options, &base(&headers)));
                        ([(header::ETAG, inside.world.etag(entity, &key))], body).into_response()
                    }
                    None => gone(),
                }
            }
        },
        Place::Count(entity) => match asked(entity) {
            Err(wrong) => refused(StatusCode::BAD_REQUEST, "query", wrong),
            Ok(options) => {
                let inside = crm.lock();
                let count = answer::chosen(&inside.world, entity, inside.world.all(entity.set).iter(), &options).len();
                ([(header::CONTENT_TYPE, "text/plain")], count.to_string()).into_response()
            }
        },
        Place::Set(entity) => match asked(entity) {
            Err(wrong) => refused(StatusCode::BAD_REQUEST, "query", wrong),
            Ok(options) => Json(page(&crm.lock(), entity, &options, &headers, &pairs)).into_response(),
        },
    }
}

/// A page of a set, with the way to the next.
fn page(inside: &Inside, entity: &'static Entity, options: &Options, headers: &HeaderMap, pairs: &[(String, String)]) -> Value {
    let all = answer::chosen(&inside.world, entity, inside.world.all(entity.set).iter(), options);
    let total = all.len();
    let wished = headers.get("prefer").and_then(|p| p.to_str().ok()).and_then(|p| {
        p.split(',').find_map(|one| one.trim().trim_start_matches("odata.").strip_prefix("maxpagesize=")?.trim().parse::<usize>().ok())
    });
    let size = wished.unwrap_or(usize::MAX).clamp(1, inside.behaviour.page.max(1));
    let wanted = total.saturating_sub(options.skip).min(options.top.unwrap_or(usize::MAX));
    let from = options.skip + options.given;
    let count = wanted.saturating_sub(options.given).min(size);
    let base = base(headers);
    let value: Vec<Value> =
        all.into_iter().skip(from).take(count).map(|e| answer::entity(&inside.world, entity, e, options, &base)).collect();
    let mut out = Map::new();
    out.insert("@odata.context".to_owned(), json!(format!("{base}$metadata#{}", entity.set)));
    if options.count {
        out.insert("@odata.count".to_owned(), json!(total));
    }
    out.insert("value".to_owned(), json!(value));
    if options.given + count < wanted {
        let encode = |text: &str| percent_encoding::utf8_percent_encode(text, percent_encoding::NON_ALPHANUMERIC).to_string();
        let mut query: Vec<String> = pairs
            .iter()
            .filter(|(name, _)| name != "$skiptoken")
            .map(|(name, value)| format!("{}={}", encode(name), encode(value)))
            .collect();
        query.push(format!("%24skiptoken={}", options.given + count));
        out.insert("@odata.nextLink".to_owned(), json!(format!("{base}{}?{}", entity.set, query.join("&"))));
    }
    Value::Object(out)
}

/// The properties that a body sets, if an entity has them and they may be set.
fn properties(entity: &'static Entity, body: &[u8]) -> Result<Map<String, Value>, Box<Response>> {
    let Ok(Value::Object(with)) = serde_json::from_slice::<Value>(body) else {
        return Err(Box::new(refused(StatusCode::BAD_REQUEST, "body", "the body is not a JSON object")));
    };
    match with.keys().find(|name| entity.property(name).is_none_or(|p| p.0 == entity.key().0)) {
        Some(unknown) => Err(Box::new(refused(StatusCode::BAD_REQUEST, "property", format!("“{unknown}” can't be set")))),
        None => Ok(with),
    }
}

/// A change that was made, and an answer that may be lost.
fn lost() -> Response {
    refused(StatusCode::INTERNAL_SERVER_ERROR, "lost", "simulated failure after the change was made")
}

/// Changes properties of an entity (OData 4.01 Protocol, 11.4.3), in the state that `If-Match`
/// names where it names one (8.2.6).
async fn change(State(crm): State<Crm>, Path(path): Path<String>, headers: HeaderMap, body: Bytes) -> Response {
    let Some(Place::One(entity, key)) = place(&path) else {
        return refused(StatusCode::METHOD_NOT_ALLOWED, "path", "only an entity can be changed");
    };
    let with = match properties(entity, &body) {
        Ok(with) => with,
        Err(refusal) => return *refusal,
    };
    let seen = headers.get(header::IF_MATCH).and_then(|h| h.to_str().ok());
    match crm.change(entity, &key, seen, &with) {
        Changed::Lost => lost(),
        Changed::Done(etag) => (StatusCode::NO_CONTENT, [(header::ETAG, etag)]).into_response(),
        Changed::Missing => refused(StatusCode::NOT_FOUND, "not-found", "no such entity"),
        Changed::Stale => refused(StatusCode::PRECONDITION_FAILED, "changed", "the entity was changed meanwhile"),
    }
}

/// Makes an entity: of its properties (11.4.2), or of the bytes of a document (11.4.8.1). A
/// request that is repeated has the same answer (OASIS Repeatable Requests 1.0).
async fn create(State(crm): State<Crm>, Path(path): Path<String>, headers: HeaderMap, body: Bytes) -> Response {
    let Some(Place::Set(entity)) = place(&path).filter(|place| matches!(place, Place::Set(e) if [DOCUMENTS, NOTES].contains(&e.set)))
    else {
        return refused(StatusCode::METHOD_NOT_ALLOWED, "path", "only documents and notes can be added");
    };
    let text = |name: &str| headers.get(name).and_then(|h| h.to_str().ok()).unwrap_or_default().to_owned();
    let (identity, kind) = (text("repeatability-request-id"), text("content-type"));
    let known = crm.lock().repeatable.get(&identity).cloned();
    let made = match known {
        Some(made) => made,
        None => {
            let (with, media) = match entity.media {
                true => {
                    let name = percent_encoding::percent_decode_str(&text("slug")).decode_utf8_lossy().into_owned();
                    let mut with = Map::new();
                    with.insert("Name".to_owned(), if name.is_empty() { Value::Null } else { json!(name) });
                    (with, Some((kind, body)))
                }
                false => match properties(entity, &body) {
                    Ok(with) => (with, None),
                    Err(refusal) => return *refusal,
                },
            };
            let mut inside = crm.lock();
            let key = inside.world.create(entity, &with, media);
            let (made, loses) = (Created { entity, key }, inside.count_change());
            if !identity.is_empty() {
                inside.repeatable.insert(identity, made.clone());
            }
            if loses {
                return lost();
            }
            made
        }
    };
    let inside = crm.lock();
    let Created { entity, key } = made;
    let Some(entry) = inside.world.by_key(entity.set, &key) else { return lost() };
    let base = base(&headers);
    let own = [(header::LOCATION, format!("{base}{}({key})", entity.set)), (header::ETAG, inside.world.etag(entity, &key))];
    let body = Json(answer::entity(&inside.world, entity, entry, &Options::default(), &base));
    (StatusCode::CREATED, own, body).into_response()
}

async fn behaviour(State(crm): State<Crm>) -> Json<Behaviour> {
    Json(crm.lock().behaviour.clone())
}

async fn behave(State(crm): State<Crm>, Json(behaviour): Json<Behaviour>) -> StatusCode {
    crm.behave(behaviour);
    StatusCode::NO_CONTENT
}

async fn hook(State(crm): State<Crm>, Json(hook): Json<Hook>) -> StatusCode {
    let mut inside = crm.lock();
    inside.hooks.retain(|h| h.address != hook.address);
    inside.hooks.push(hook);
    StatusCode::NO_CONTENT
}

async fn unhook(State(crm): State<Crm>) -> StatusCode {
    crm.lock().hooks.clear();
    StatusCode::NO_CONTENT
}

/// The screen on which a person changes stages.
async fn show(State(crm): State<Crm>) -> Html<String> {
    let inside = crm.lock();
    let rows: Vec<screen::Row> = inside
        .world
        .all("Cases")
        .iter()
        .map(|case| {
            let vessel = inside.world.by_key("Vessels", &key_text(&case["VesselID"]));
            let owner = inside.world.by_key("Owners", &key_text(&case["ContactID"]));
            let text = |entry: Option<&Map<String, Value>>, name: &str| entry.map(|e| key_text(&e[name])).unwrap_or_default();
            screen::Row {
                case: key_text(&case["CaseID"]),
                stage: key_text(&case["Stage"]),
                vessel: text(vessel, "Name"),
                owner: format!("{} {}", text(owner, "FirstName"), text(owner, "LastName")),
            }
        })
        .collect();
    Html(screen::page(&rows, &inside.behaviour))
}

/// A case with its documents and notes.
async fn show_case(State(crm): State<Crm>, Path(case): Path<String>) -> Response {
    let inside = crm.lock();
    let Some(entry) = inside.world.by_key("Cases", &case) else { return StatusCode::NOT_FOUND.into_response() };
    let of_case = |set: &'static str| inside.world.with(set, "CaseID", &entry["CaseID"]).collect::<Vec<_>>();
    Html(screen::case(entry, &of_case(DOCUMENTS), &of_case(NOTES))).into_response()
}

/// A document's bytes, for a person to look at.
async fn show_document(State(crm): State<Crm>, Path(number): Path<String>) -> Response {
    match crm.lock().world.media(DOCUMENTS, &number) {
        Some((kind, bytes)) => ([(header::CONTENT_TYPE, kind.clone())], bytes.clone()).into_response(),
        None => StatusCode::NOT_FOUND.into_response(),
    }
}
