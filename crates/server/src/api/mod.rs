//! The API, a file a resource. `/api/openapi.json` describes it.

mod buckets;
mod clauses;
mod crm;
mod dispatches;
mod documents;
mod drop;
mod fields;
mod find;
mod fonts;
mod forms;
mod frames;
mod help;
mod jobs;
mod labels;
mod language;
mod ledger;
mod logo;
mod mail;
mod messages;
mod moves;
mod packs;
mod printers;
mod runs;
mod settings;
mod shared;
mod signer;
mod signing;
mod sources;
mod starters;
mod templates;
mod triggers;
mod upload;
mod web_hook;

use axum::{Json, Router};
use mangle_app::App;
use mangle_app::ledger::{Dimension, LedgerTable, Period};
use mangle_app::store::frames::Framed;
use mangle_app::store::labels::LabelledKind;
use utoipa::OpenApi;
use utoipa::openapi::OpenApi as Description;
use utoipa_axum::router::OpenApiRouter;

#[derive(OpenApi)]
#[openapi(
    info(title = "Mangle", description = "Records in, documents out, each delivered once."),
    // What stands in addresses alone.
    components(schemas(Framed, LabelledKind, Period, Dimension, LedgerTable))
)]
struct Api;

/// What whoever has an address may ask.
fn open_to_all() -> OpenApiRouter<App> {
    OpenApiRouter::new()
        .merge(forms::public())
        .merge(shared::router())
        .merge(signer::router())
        .merge(triggers::public())
        .merge(logo::public())
}

fn office() -> OpenApiRouter<App> {
    OpenApiRouter::with_openapi(Api::openapi())
        .merge(sources::router())
        .merge(templates::router())
        .merge(clauses::router())
        .merge(crm::router())
        .merge(dispatches::router())
        .merge(documents::router())
        .merge(drop::router())
        .merge(fields::router())
        .merge(find::router())
        .merge(fonts::router())
        .merge(forms::router())
        .merge(frames::router())
        .merge(help::router())
        .merge(jobs::router())
        .merge(labels::router())
        .merge(language::router())
        .merge(ledger::router())
        .merge(runs::router())
        .merge(signing::router())
        .merge(logo::router())
        .merge(mail::router())
        .merge(triggers::router())
        .merge(messages::router())
        .merge(moves::router())
        .merge(packs::router())
        .merge(settings::router())
        .merge(starters::router())
        .merge(web_hook::router())
        .merge(printers::router())
        .merge(buckets::router())
}

/// The routes of the API.
pub fn router(app: App) -> Router {
    let router = office().split_for_parts().0;
    let description = described();
    router.with_state(app).route("/api/openapi.json", axum::routing::get(move || async move { Json(full(description)) }))
}

/// The routes of the API that are open to all.
pub fn public(app: App) -> Router {
    open_to_all().split_for_parts().0.with_state(app)
}

fn described() -> Description {
    office().merge(open_to_all()).split_for_parts().1
}

/// The description of the whole API, practice services included, as the
/// program serves it; `practice` is theirs.
pub fn openapi(practice: Description) -> Description {
    let description = described();
    let _ = PRACTICE.set(practice);
    full(description)
}

static PRACTICE: std::sync::OnceLock<Description> = std::sync::OnceLock::new();

fn full(mut description: Description) -> Description {
    if let Some(practice) = PRACTICE.get() {
        description.merge(practice.clone());
    }
    name_operations(&mut description);
    description
}

/// Names each operation by its method and address, so that no two share a name.
fn name_operations(description: &mut Description) {
    for (path, item) in &mut description.paths.paths {
        let words: String = path.trim_start_matches("/api/").chars().map(|c| if c.is_alphanumeric() { c } else { '_' }).collect();
        for (method, operation) in [("get", &mut item.get), ("post", &mut item.post), ("put", &mut item.put), ("delete", &mut item.delete)]
        {
            if let Some(operation) = operation {
                operation.operation_id = Some(format!("{method}_{words}"));
            }
        }
    }
}
