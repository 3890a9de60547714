//! CRMs that are connected: their address, token and shape.

use mangle_core::crm::{Shape, ShapeChange, changes};
use mangle_core::words::counted;
use serde::{Deserialize, Serialize};

use super::queries::of_query;
use crate::crm::Client;
use crate::store::queries::{self, Connected, KeptQuery};
use crate::store::{dispatches, templates};
use crate::{App, Error, Outcome, clock};

/// A connected CRM.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ConnectionBody {
    /// Its number.
    pub id: i64,
    /// What it is called.
    pub name: String,
    /// The root of its service.
    pub address: String,
    /// When its shape was last looked at.
    pub seen: String,
    /// What it holds.
    pub shape: Shape,
    /// The questions that are asked of it.
    pub queries: Vec<Asking>,
}

/// A question to a CRM, by name.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Asking {
    /// The source's number.
    pub id: i64,
    /// Its name.
    pub name: String,
}

pub(super) async fn find(app: &App, id: i64) -> Outcome<Connected> {
    app.store.with(move |c| queries::connection(c, id)).await?.ok_or_else(|| Error::missing("the connection"))
}

/// A client for a connected CRM.
pub(super) fn client(app: &App, connected: &Connected) -> Outcome<Client> {
    let token = app.secrets.read(&connected.token).map_err(|e| Error::unusable("token", e.to_string()))?;
    Client::new(&connected.address, &token)
}

async fn body(app: &App, connected: Connected) -> Outcome<ConnectionBody> {
    let id = connected.id;
    let asked = app.store.with(move |c| queries::of_connection(c, id)).await?;
    let queries = asked.into_iter().map(|q| Asking { id: q.id, name: q.name }).collect();
    let Connected { id, name, address, shape, seen, .. } = connected;
    Ok(ConnectionBody { id, name, address, seen, shape, queries })
}

/// The connected CRMs, by name.
pub async fn list(app: &App) -> Outcome<Vec<ConnectionBody>> {
    let mut all = Vec::new();
    for connected in app.store.with(|c| queries::connections(c)).await? {
        all.push(body(app, connected).await?);
    }
    Ok(all)
}

/// Where a CRM is and how it lets us in.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct NewConnection {
    /// What it is called.
    pub name: String,
    /// The root of its OData service.
    pub address: String,
    /// Its bearer token; where none is given, the one that is known stays.
    pub token: Option<String>,
}

/// Connect a CRM and read its schema.
pub async fn add(app: &App, new: NewConnection) -> Outcome<ConnectionBody> {
    connect(app, 0, new, None).await
}

/// Changes a connection; it is asked for its shape at once.
pub async fn change(app: &App, id: i64, new: NewConnection) -> Outcome<ConnectionBody> {
    let known = find(app, id).await?;
    let same = known.address == new.address.trim();
    let token = app.secrets.read(&known.token).ok().filter(|_| same);
    connect(app, id, new, token).await
}

/// A connection as the demo world has it.
pub async fn furnish(app: &App, address: &str, token: &str) -> Outcome<i64> {
    let new = NewConnection { name: "Practice CRM".to_owned(), address: address.to_owned(), token: Some(token.to_owned()) };
    Ok(connect(app, 0, new, None).await?.id)
}

/// `known` is the token that stays where none is given: it goes to no new address.
async fn connect(app: &App, id: i64, new: NewConnection, known: Option<String>) -> Outcome<ConnectionBody> {
    let address = new.address.trim().to_owned();
    let token = new.token.filter(|t| !t.trim().is_empty()).or(known);
    let token = token.ok_or_else(|| Error::unusable("token", "enter the token. A stored token is not reused for another URL."))?;
    let client = Client::new(&address, &token)?;
    let shape = client.shape().await?;
    let name = match new.name.trim() {
        "" => reqwest::Url::parse(&address).ok().and_then(|u| u.host_str().map(str::to_owned)).unwrap_or_else(|| "CRM".to_owned()),
        name => name.to_owned(),
    };
    let own = Connected { id, name, address, token: app.secrets.close(&token)?, shape, seen: clock::stamp() };
    let id = app.store.with(move |c| queries::connect(c, &own)).await?;
    body(app, find(app, id).await?).await
}

/// A connected CRM.
pub async fn show(app: &App, id: i64) -> Outcome<ConnectionBody> {
    body(app, find(app, id).await?).await
}

/// Delete a connection that no query uses.
pub async fn remove(app: &App, id: i64) -> Outcome<bool> {
    let asked = app.store.with(move |c| queries::of_connection(c, id)).await?;
    if !asked.is_empty() {
        return Err(Error::conflict(
            "in-use",
            format!(
                "{} this connection. Delete {} first.",
                counted(asked.len(), "query uses", "queries use"),
                if asked.len() == 1 { "its source" } else { "their sources" }
            ),
        ));
    }
    Ok(app.store.with(move |c| queries::disconnect(c, id)).await?)
}

/// What has changed in a CRM.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Looked {
    /// The connection as it is now.
    pub connection: ConnectionBody,
    /// What was added, removed, renamed or retyped.
    pub changes: Vec<ShapeChange>,
    /// The questions that this touches.
    pub touched: Vec<Touched>,
}

/// A question that a change of the CRM's shape touches.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Touched {
    /// The source's number.
    pub id: i64,
    /// Its name.
    pub name: String,
    /// What is wrong with it now; nothing where only a type is another.
    #[serde(serialize_with = "mangle_core::words::as_sentences")]
    pub problems: Vec<String>,
    /// The dispatches that take their records from it.
    pub dispatches: Vec<String>,
    /// The templates of these.
    pub templates: Vec<String>,
}

/// Asks a CRM for its shape again, and tells what has changed and what that touches.
pub async fn look_again(app: &App, id: i64) -> Outcome<Looked> {
    let connected = find(app, id).await?;
    let now = client(app, &connected)?.shape().await?;
    let changes = changes(&connected.shape, &now);
    let (before, shape) = (connected.shape.clone(), now.clone());
    let touched = app
        .store
        .with(move |c| -> anyhow::Result<Vec<Touched>> {
            let all = dispatches::list(c)?;
            let names = templates::list(c)?;
            let touched = queries::of_connection(c, id)?.into_iter().filter_map(|query: KeptQuery| {
                let problems: Vec<String> =
                    query.asks.problems(&shape).into_iter().map(|p| format!("{}: {p}", of_query(&p.target))).collect();
                if problems.is_empty() && query.asks.columns(&before) == query.asks.columns(&shape) {
                    return None;
                }
                let using: Vec<_> = all.iter().filter(|d| d.sheet_id == Some(query.sheet)).collect();
                let mut templates: Vec<String> =
                    using.iter().filter_map(|d| names.iter().find(|t| Some(t.id) == d.template_id)).map(|t| t.name.clone()).collect();
                templates.sort_unstable();
                templates.dedup();
                Some(Touched {
                    id: query.id,
                    name: query.name,
                    problems,
                    dispatches: using.iter().map(|d| d.name.clone()).collect(),
                    templates,
                })
            });
            Ok(touched.collect())
        })
        .await?;
    let own = Connected { shape: now, seen: clock::stamp(), ..connected };
    let kept = own.clone();
    app.store.with(move |c| queries::connect(c, &kept)).await?;
    Ok(Looked { connection: body(app, own).await?, changes, touched })
}
