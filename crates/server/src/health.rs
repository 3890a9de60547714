//! What those who watch the program ask: whether it is there, whether it can work, and how much
//! it has done. The last in the text format of Prometheus, version 0.0.4.

use std::fmt::Write;

use axum::Router;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use axum::routing::get;
use mangle_app::App;
use mangle_app::store::counts::{self, Counts};

use crate::error::Refused;

/// `/healthz`, `/readyz` and `/metrics`.
pub fn router(app: App) -> Router {
    Router::new().route("/healthz", get(|| async { "ok\n" })).route("/readyz", get(ready)).route("/metrics", get(metrics)).with_state(app)
}

/// Ready while the store can be written.
async fn ready(State(app): State<App>) -> Response {
    match app.store.change(|_| Ok::<_, anyhow::Error>(())).await {
        Ok(()) => "ok\n".into_response(),
        Err(error) => {
            tracing::error!(error = format!("{error:#}"), "the store can't be written");
            (StatusCode::SERVICE_UNAVAILABLE, "the store can't be written; see the log\n").into_response()
        }
    }
}

async fn metrics(State(app): State<App>) -> Result<Response, Refused> {
    let counts = app.store.read(counts::read).await?;
    Ok(([(header::CONTENT_TYPE, "text/plain; version=0.0.4")], written(&counts, app.ready_bytes())).into_response())
}

/// Metrics as Prometheus reads them. Labels are words of the program, which need no escaping.
fn written(counts: &Counts, ready: (u64, u64)) -> String {
    let mut text = String::new();
    let mut metric = |name: &str, help: &str, lines: &mut dyn Iterator<Item = String>| {
        let _ = writeln!(text, "# HELP {name} {help}\n# TYPE {name} gauge");
        for line in lines {
            let _ = writeln!(text, "{name}{{{line}");
        }
    };
    let by_state = |all: &[(String, u64)]| all.iter().map(|(state, count)| format!("state=\"{state}\"}} {count}")).collect::<Vec<_>>();
    metric("mangle_runs", "Runs in each state.", &mut by_state(&counts.runs).into_iter());
    metric("mangle_items", "Records of runs, by how far they are.", &mut by_state(&counts.items).into_iter());
    let deliveries = counts.deliveries.iter().map(|(kind, state, count)| format!("channel=\"{kind}\",state=\"{state}\"}} {count}"));
    let ready = [("templates", ready.0), ("sheets", ready.1)].map(|(what, bytes)| format!("what=\"{what}\"}} {bytes}"));
    metric("mangle_ready_bytes", "Memory of templates and sheets held ready, about.", &mut ready.into_iter());
    metric("mangle_deliveries", "Deliveries over each kind of channel, in each state.", &mut { deliveries });
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn metrics_stand_a_line_each_below_what_they_mean() {
        let of = |state: &str| (state.to_owned(), 3);
        let counts = Counts { runs: vec![of("done")], items: vec![], deliveries: vec![("email".into(), "to send".into(), 7)] };
        let text = written(&counts, (7, 9));
        assert!(text.contains("mangle_ready_bytes{what=\"sheets\"} 9\n"), "{text}");
        assert!(text.contains("# TYPE mangle_runs gauge\nmangle_runs{state=\"done\"} 3\n"), "{text}");
        assert!(text.ends_with("mangle_deliveries{channel=\"email\",state=\"to send\"} 7\n"), "{text}");
    }
}
