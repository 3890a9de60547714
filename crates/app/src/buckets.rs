//! The office's buckets: folders of an S3-compatible store that dispatches put documents into.

use std::collections::BTreeMap;

use mangle_channels::Secret;
use mangle_channels::bucket::Bucket;
use serde::{Deserialize, Serialize};

use crate::prepare::blocking;
use crate::store::{Connection, Transaction, settings};
use crate::{App, Error, Outcome};

/// The kind of channel.
const KIND: &str = "folder";

/// The buckets. The secrets of their keys are written and never read.
#[derive(Debug, Serialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct BucketsBody {
    /// The buckets.
    pub buckets: Vec<Bucket>,
    /// The names of those whose secret is saved.
    pub with_secret: Vec<String>,
    /// How often they were changed.
    pub revision: i64,
}

/// The buckets from now on.
#[derive(Debug, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct NewBuckets {
    /// The buckets.
    pub buckets: Vec<Bucket>,
    /// New secrets of their keys, by name; those that are not named stay.
    #[serde(default)]
    pub secrets: BTreeMap<String, String>,
    /// The revision that was changed: what was changed elsewhere meanwhile is not overwritten.
    #[serde(default)]
    pub revision: Option<i64>,
}

/// What is stored: the buckets, and their secrets, closed, by name.
async fn stored(app: &App) -> anyhow::Result<(Vec<Bucket>, BTreeMap<String, String>, i64)> {
    let read = |c: &Connection| -> anyhow::Result<_> { Ok((settings::of_channel(c, KIND)?, settings::channel_revision(c, KIND)?)) };
    let (set, revision) = app.store.read(read).await?;
    let Some((buckets, secrets)) = set else { return Ok((Vec::new(), BTreeMap::new(), revision)) };
    Ok((serde_json::from_str(&buckets)?, serde_json::from_str(&secrets)?, revision))
}

/// The names of the buckets, for the choice of folders.
pub(crate) fn names(c: &Connection) -> anyhow::Result<Vec<String>> {
    let Some((buckets, _)) = settings::of_channel(c, KIND)? else { return Ok(Vec::new()) };
    let buckets: Vec<Bucket> = serde_json::from_str(&buckets)?;
    Ok(buckets.into_iter().map(|bucket| bucket.name).collect())
}

/// The buckets.
pub async fn read(app: &App) -> Outcome<BucketsBody> {
    let (buckets, secrets, revision) = stored(app).await?;
    Ok(BucketsBody { buckets, with_secret: secrets.into_keys().collect(), revision })
}

/// Changes the buckets.
pub async fn write(app: &App, new: NewBuckets) -> Outcome<BucketsBody> {
    let (_, known, _) = stored(app).await?;
    let mut secrets = BTreeMap::new();
    for (at, bucket) in new.buckets.iter().enumerate() {
        if let Some(problem) = bucket.problem() {
            return Err(Error::unusable("bucket", problem));
        }
        let name = &bucket.name;
        if new.buckets[..at].iter().any(|other| other.name == *name) || app.folders.contains(name) {
            return Err(Error::unusable("same-name", format!("there are two folders called “{name}”. Rename one.")));
        }
        let secret = match new.secrets.get(name).filter(|secret| !secret.is_empty()) {
            Some(secret) => app.secrets.close(secret)?,
            None => {
                known.get(name).cloned().ok_or_else(|| Error::unusable("secret", format!("no secret of the key of “{name}”. Enter it.")))?
            }
        };
        secrets.insert(name.clone(), secret);
    }
    let text =
        (serde_json::to_string(&new.buckets).map_err(anyhow::Error::new)?, serde_json::to_string(&secrets).map_err(anyhow::Error::new)?);
    let keep = move |t: &Transaction<'_>| settings::set_channel(t, KIND, new.revision, Some((&text.0, &text.1)));
    app.store.change(keep).await?.done("the buckets")?;
    apply(app).await?;
    crate::jobs::wake(app);
    read(app).await
}

/// Tells the channel which buckets there are.
pub(crate) async fn apply(app: &App) -> anyhow::Result<()> {
    let Some(channel) = app.channel(KIND) else { return Ok(()) };
    let (buckets, secrets, _) = stored(app).await?;
    let open = |bucket: Bucket| {
        // One that can't be read is refused by the store, which says so where it is mended.
        let secret = secrets.get(&bucket.name).map(|closed| app.secrets.read(closed)).transpose().unwrap_or_else(|error| {
            tracing::error!(error = format!("{error:#}"), "the secret of a bucket's key can't be read");
            None
        });
        (bucket, Secret(secret.unwrap_or_default()))
    };
    let all: Vec<(Bucket, Secret)> = buckets.into_iter().map(open).collect();
    let all = serde_json::to_value(all)?;
    Ok(blocking(move || channel.configure(&all, "")).await??)
}
