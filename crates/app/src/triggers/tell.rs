//! Tells the person of firings that wait for them.

use anyhow::Result;
use mangle_core::words::{counted, sentence};

use crate::store::firings::{self, Firing};
use crate::store::settings;
use crate::{App, clock, mail};

/// How many are told of in one message.
const MOST: usize = 50;

/// Tells of those that wait since the last round, by e-mail where the person has an address. On
/// screen they are seen in any case.
pub async fn round(app: App) -> Result<()> {
    if !app.store.with(|c| firings::untold(c)).await? {
        return Ok(());
    }
    let (new, office) = app.store.change(|t| -> Result<_> { Ok((firings::to_tell_of(t, MOST)?, settings::read(t)?)) }).await?;
    if new.is_empty() || office.person_email.trim().is_empty() || office.office_email.trim().is_empty() {
        return Ok(());
    }
    let (subject, body) = text(&new);
    let id = format!("waiting.{}.{}", new[0].1.id, clock::seconds());
    if let Some(why) = mail::tell_person(&app, &office, &id, subject, body).await? {
        tracing::warn!(why, "the person could not be told of what waits for them");
    }
    Ok(())
}

fn text(waiting: &[(String, Firing)]) -> (String, String) {
    let count = counted(waiting.len(), "start waits", "starts wait");
    let subject = match waiting {
        [(name, _)] => format!("{name}: a start waits for you"),
        _ => format!("{count} for you"),
    };
    let mut body = format!("{count} for you. Open Trigger in the dispatch, put right what is wrong, and choose “Try again”.\n");
    for (name, firing) in waiting {
        body.push_str(&format!("\n{name}: {}\n", sentence(&firing.message)));
    }
    (subject, body)
}
