//! The message that tells the person what became of a run, once it has ended.

use std::time::Duration;

use anyhow::Result;
use mangle_core::words::{counted, sentence};

use crate::mail::tell_person;
use crate::store::events::{self, About};
use crate::store::runs::RunInfo;
use crate::store::{runs, settings};
use crate::{Actor, App, clock};

/// How often it is looked for runs that have ended.
const ROUND: Duration = Duration::from_secs(2);

/// Tells of runs until the program is to end.
pub async fn work(app: App) {
    while !app.stopping.is_cancelled() {
        if let Err(error) = round(&app).await {
            tracing::error!(error = format!("{error:#}"), "the summary of a run can't be sent for now");
        }
        tokio::select! {
            () = app.stopping.cancelled() => {}
            () = tokio::time::sleep(ROUND) => {}
        }
    }
}

async fn round(app: &App) -> Result<()> {
    // Each is thought of once: a summary is of use soon or not at all.
    let ended = app.store.read(runs::to_tell_of).await?;
    for run in ended {
        let office = app.store.read(settings::read).await?;
        let wanted = office.run_summary && !office.person_email.trim().is_empty();
        let (id, word) = (run.id, if wanted { "sent" } else { "none" });
        app.store.change(move |t| runs::told_of(t, id, word)).await?;
        if wanted {
            tell(app, run, &office).await?;
        }
    }
    Ok(())
}

async fn tell(app: &App, run: RunInfo, office: &settings::Settings) -> Result<()> {
    let (subject, body) = text(&run, app.office_url.as_deref().unwrap_or_default());
    let Some(detail) = tell_person(app, office, &format!("summary.{}.{}", run.id, clock::seconds()), subject, body).await? else {
        return Ok(());
    };
    let id = run.id;
    app.store
        .change(move |t| events::add(t, Actor::Mangle, About::run(id), "summary not sent", &sentence(&detail), &clock::stamp()))
        .await?;
    Ok(())
}

/// What is told: how many ended how, each with where to look.
fn text(run: &RunInfo, office: &str) -> (String, String) {
    let trouble = run.failed + run.uncertain;
    let verdict = match (run.state.as_str(), trouble) {
        ("stopped", _) => "stopped".to_owned(),
        (_, 0) => "done".to_owned(),
        (_, _) => format!("done, {} to look at", counted(trouble, "record", "records")),
    };
    let subject = format!("{}: run {} is {verdict}", run.dispatch_name, run.id);
    let rows = [
        ("Delivered", "delivered", run.delivered),
        ("On hold", "blocked", run.blocked),
        ("Scheduled", "scheduled", run.scheduled),
        ("Uncertain", "uncertain", run.uncertain),
        ("Failed", "failed", run.failed),
        ("Left out", "left out", run.left_out),
    ];
    let mut body = format!("Run {} of “{}” is {verdict}: {}.\n", run.id, run.dispatch_name, counted(run.count, "record", "records"));
    for (word, state, count) in rows.into_iter().filter(|(_, _, count)| *count > 0) {
        let state = state.replace(' ', "%20");
        body.push_str(&format!("\n{word}: {count}\n{office}/runs/{}?state={state}\n", run.id));
    }
    (subject, body)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_number_says_where_to_look() {
        let run = serde_json::json!({
            "id": 7, "dispatch": "reminders", "dispatch_name": "Reminders", "dispatch_deleted": false, "kind": "run", "state": "done",
            "started": "", "finished": null, "count": 182, "waiting": 0, "blocked": 0, "scheduled": 0, "sending": 0, "delivered": 180,
            "uncertain": 0, "failed": 2, "left_out": 0, "sends": true, "hold": false, "hold_after": null, "opens": null, "trouble": null,
        });
        let run: RunInfo = serde_json::from_value(run).expect("a run");
        let (subject, body) = text(&run, "http://localhost:7600");
        assert_eq!(subject, "Reminders: run 7 is done, 2 records to look at");
        assert!(body.contains("Delivered: 180\nhttp://localhost:7600/runs/7?state=delivered\n"), "{body}");
        assert!(body.contains("Failed: 2\nhttp://localhost:7600/runs/7?state=failed\n") && !body.contains("Uncertain"), "{body}");
    }
}
