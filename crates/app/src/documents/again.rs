//! A document that was delivered, sent again on a person's deliberate word.

use mangle_core::words::counted;
use serde::Deserialize;
use sha2::{Digest, Sha256};

use crate::jobs;
use crate::store::deliveries;
use crate::store::events::{self, About};
use crate::store::runs::{self, RunInfo};
use crate::{App, Error, Outcome, clock};

/// What a person confirms who has a document sent again.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Again {
    /// How often the person was told that it has gone there already: refused where it is more.
    pub times: usize,
}

/// The kinds whose deliveries can't be repeated: a link stays the same, and a sheet's columns are
/// written by themselves. Nor can a message with a signer's link, which the round looks after.
const NOT_REPEATED: [&str; 2] = ["link", "sheet"];

impl App {
    /// Sends a record's documents, as they are now, over the channel of a delivery again.
    pub async fn repeat(&self, id: i64, told: Again) -> Outcome<RunInfo> {
        let who = self.actor();
        let run = self.store.change(move |t| -> Outcome<i64> {
            let work = deliveries::get(t, id)?.ok_or_else(|| Error::missing("the delivery"))?;
            let about = About { run: work.run_id, item: Some(work.item_id), delivery: Some(id) };
            let of_signer = work.payload.get("signer_link").is_some_and(|link| !link.is_null());
            if NOT_REPEATED.contains(&work.kind.as_str()) || work.payload.is_null() || of_signer {
                return Err(Error::conflict("not-repeated", "this delivery can't be sent again. Run the record again."));
            }
            let (open, times) = deliveries::gone(t, id)?;
            if open {
                return Err(Error::conflict("going", "this is already on its way. Wait until it is delivered."));
            }
            if times == 0 {
                return Err(Error::conflict("not-delivered", "this has not been delivered yet. Retry or release it instead."));
            }
            if times != told.times {
                let message = format!(
                    "this was sent {} meanwhile. Look at its deliveries before you send it again.",
                    counted(times, "time", "times")
                );
                return Err(Error::conflict("sent", message));
            }
            let at = clock::stamp();
            let host = work.key.trim_end_matches('>').rsplit_once('@').map_or("mangle.example", |(_, host)| host).to_owned();
            let digest = Sha256::digest(format!("{} {times} {at}", work.key));
            let hex: String = digest.iter().take(8).map(|byte| format!("{byte:02x}")).collect();
            let again = deliveries::copy(t, id, &format!("<{}.{times}.{hex}@{host}>", work.run_id), &at)?;
            runs::reopen(t, work.run_id)?;
            events::add(t, who, About { delivery: Some(again), ..about }, "sent again", "", &at)?;
            Ok(work.run_id)
        });
        let run = run.await?;
        jobs::wake(self);
        jobs::changed(self, run);
        self.run(run).await
    }
}
