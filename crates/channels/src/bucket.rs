//! Folders that are buckets of an S3-compatible store. A document is put there in one request;
//! whether it was is told by the delivery's mark, which goes along with it.

use std::time::Duration;

use mangle_core::channel::{Clash, FolderPayload};
use mangle_core::dispatch::numbered;
use object_store::aws::{AmazonS3, AmazonS3Builder};
use object_store::path::Path;
use object_store::{Attribute, Attributes, ClientOptions, ObjectStore, ObjectStoreExt, PutMode, PutOptions, RetryConfig};
use serde::{Deserialize, Serialize};

use crate::{Delivery, Failure, Fate, Outcome};

/// What each object of ours carries: the key of its delivery.
const MARK: &str = "delivery";
/// How long one request may take.
const PATIENCE: Duration = Duration::from_secs(120);
/// The most files of one name that are numbered.
const MOST_OF_A_NAME: usize = 1_000;

/// A bucket of an S3-compatible store.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, Default)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(deny_unknown_fields)]
pub struct Bucket {
    /// What dispatches call it, as they call folders.
    pub name: String,
    /// The store's address: `https://s3.office.example`.
    pub endpoint: String,
    /// Its region; blank for `us-east-1`, which most stores of one's own take.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub region: String,
    /// The bucket.
    pub bucket: String,
    /// What the names of all objects begin with; blank for nothing.
    #[serde(default)]
    #[cfg_attr(feature = "openapi", schema(required = true))]
    pub prefix: String,
    /// The identity of the access key; its secret is stored encrypted.
    pub key_id: String,
}

impl Bucket {
    /// What is wrong with it as it stands.
    pub fn problem(&self) -> Option<String> {
        let url = reqwest::Url::parse(self.endpoint.trim()).ok().filter(|url| matches!(url.scheme(), "http" | "https"));
        let here = url.as_ref().and_then(reqwest::Url::host_str).is_some_and(|host| matches!(host, "localhost" | "127.0.0.1" | "[::1]"));
        let open = url.as_ref().is_some_and(|url| url.scheme() == "http") && !here;
        Some(match () {
            () if self.name.trim().is_empty() || self.name.contains('/') => {
                "a bucket has no name, or one with a slash. Enter one.".to_owned()
            }
            () if url.is_none() => {
                format!("“{}” is not the address of a store. Use a form such as https://s3.office.example", self.endpoint)
            }
            () if open => "the documents would be sent unencrypted. Use an https address.".to_owned(),
            () if self.bucket.trim().is_empty() => format!("“{}” names no bucket. Enter it.", self.name),
            () if self.key_id.trim().is_empty() => format!("“{}” has no access key. Enter its ID.", self.name),
            () => return None,
        })
    }

    fn open(&self, secret: &str) -> Result<AmazonS3, Failure> {
        let _ = rustls::crypto::ring::default_provider().install_default();
        let options = ClientOptions::new().with_timeout(PATIENCE).with_connect_timeout(Duration::from_secs(10)).with_allow_http(true);
        let retry = RetryConfig { max_retries: 1, retry_timeout: Duration::from_secs(20), ..RetryConfig::default() };
        let region = Some(self.region.trim()).filter(|region| !region.is_empty()).unwrap_or("us-east-1");
        let builder = AmazonS3Builder::new()
            .with_endpoint(self.endpoint.trim().trim_end_matches('/'))
            .with_region(region)
            .with_bucket_name(self.bucket.trim())
            .with_access_key_id(self.key_id.trim())
            .with_secret_access_key(secret)
            .with_virtual_hosted_style_request(false)
            .with_client_options(options)
            .with_retry(retry);
        builder.build().map_err(|error| Failure::new("bucket", format!("the bucket “{}” can't be used: {error}", self.name)))
    }

    fn at(&self, payload: &FolderPayload, name: &str) -> Result<Path, Failure> {
        let prefix = self.prefix.split('/').filter(|part| !part.trim().is_empty());
        let parts: Vec<&str> = prefix.chain(payload.path.iter().map(String::as_str)).chain([name]).collect();
        let wrong = parts.iter().find(|part| part.is_empty() || **part == "." || **part == ".." || part.contains(['/', '\\', '\0', '\n']));
        if let Some(wrong) = wrong {
            return Err(Failure::new("folder", format!("“{wrong}” is not a name in a bucket")));
        }
        // As it is written: what is not ASCII is not encoded twice.
        Path::parse(parts.join("/")).map_err(|error| Failure::new("folder", error.to_string()))
    }

    /// Puts the documents of a delivery into the bucket.
    pub(crate) fn hand_over(
        &self,
        secret: &str,
        payload: &FolderPayload,
        delivery: &Delivery,
        begin: &mut dyn FnMut(&str) -> bool,
    ) -> Outcome {
        let store = match self.open(secret) {
            Ok(store) => store,
            Err(failure) => return Outcome::Failed(failure),
        };
        let runtime = tokio::runtime::Handle::current();
        let places = match runtime.block_on(self.places(&store, payload, delivery)) {
            Ok(places) => places,
            Err(outcome) => return outcome,
        };
        let target: Vec<String> = places.iter().map(|(place, _)| place.to_string()).collect();
        if !begin(&target.join("\n")) {
            return Outcome::NotBegun;
        }
        for (at, ((place, over), document)) in places.iter().zip(&delivery.documents).enumerate() {
            let mut attributes = Attributes::new();
            attributes.insert(Attribute::ContentType, document.format.media_type().into());
            attributes.insert(Attribute::Metadata(MARK.into()), mark(&delivery.key).into());
            let mode = if *over { PutMode::Overwrite } else { PutMode::Create };
            let options = PutOptions { mode, attributes, ..PutOptions::default() };
            let Err(error) = runtime.block_on(store.put_opts(place, document.bytes.clone().into(), options)) else { continue };
            if payload.clash != Clash::Replace {
                for (placed, _) in &places[..at] {
                    let _ = runtime.block_on(store.delete(placed));
                }
            }
            return self.outcome(&error);
        }
        let within = self.name.as_str();
        Outcome::Delivered(target.iter().map(|place| format!("{within}/{place}")).collect::<Vec<_>>().join(", "))
    }

    /// Whether there is something at a place, and whether it is of this delivery: an earlier try's,
    /// whose answer was lost.
    async fn there(&self, store: &AmazonS3, place: &Path, delivery: &Delivery) -> object_store::Result<Option<bool>> {
        match store.get_opts(place, object_store::GetOptions { head: true, ..Default::default() }).await {
            Ok(found) => {
                let own = found.attributes.get(&Attribute::Metadata(MARK.into()));
                Ok(Some(own.is_some_and(|own| own.as_ref() == mark(&delivery.key))))
            }
            Err(object_store::Error::NotFound { .. }) => Ok(None),
            Err(error) => Err(error),
        }
    }

    /// Where the documents go, and whether what is there may be written over: the same number for
    /// all of one record.
    async fn places(&self, store: &AmazonS3, payload: &FolderPayload, delivery: &Delivery) -> Result<Vec<(Path, bool)>, Outcome> {
        for number in 1..=MOST_OF_A_NAME {
            let mut places = Vec::with_capacity(delivery.documents.len());
            let mut taken = None;
            for document in &delivery.documents {
                let name = match (number, document.name.rsplit_once('.')) {
                    (1, _) => document.name.clone(),
                    (_, Some((stem, extension))) => format!("{}.{extension}", numbered(stem, number)),
                    (_, None) => numbered(&document.name, number),
                };
                let place = self.at(payload, &name).map_err(Outcome::Failed)?;
                let there = match payload.clash {
                    Clash::Replace => Some(true),
                    Clash::Number | Clash::Fail => self.there(store, &place, delivery).await.map_err(|error| self.outcome(&error))?,
                };
                if there == Some(false) {
                    taken = Some(name);
                }
                places.push((place, there == Some(true)));
            }
            match (taken, payload.clash) {
                (None, _) => return Ok(places),
                (Some(name), Clash::Fail) => {
                    let message =
                        format!("{name} already exists in “{}”. Rename or remove it, or change the file name, then retry.", self.name);
                    return Err(Outcome::Failed(Failure::new("exists", message)));
                }
                (Some(_), _) => {}
            }
        }
        Err(Outcome::Failed(Failure::new("exists", format!("{MOST_OF_A_NAME} files of this name already exist"))))
    }

    /// What became of a delivery that had begun.
    pub(crate) fn fate(&self, secret: &str, delivery: &Delivery, target: &str) -> Fate {
        let Ok(store) = self.open(secret) else { return Fate::Unknown };
        let runtime = tokio::runtime::Handle::current();
        let mut there = Vec::new();
        for place in target.split('\n') {
            let Ok(place) = Path::parse(place) else { return Fate::Unknown };
            let own = match runtime.block_on(self.there(&store, &place, delivery)) {
                Ok(found) => found == Some(true),
                Err(_) => return Fate::Unknown,
            };
            there.push((place, own));
        }
        if !there.is_empty() && there.iter().all(|(_, own)| *own) {
            return Fate::Delivered;
        }
        // What is there of it is taken back, so that the next try finds its place free.
        for (place, _) in there.iter().filter(|(_, own)| *own) {
            let _ = runtime.block_on(store.delete(place));
        }
        Fate::NotDelivered
    }

    /// What an error of the store means. An object is there as a whole or not at all.
    fn outcome(&self, error: &object_store::Error) -> Outcome {
        let name = &self.name;
        match error {
            object_store::Error::Unauthenticated { .. } | object_store::Error::PermissionDenied { .. } => {
                let message = format!("“{name}” refused the access key. Check its ID and secret in Settings, and what it may write.");
                Outcome::Later(Failure::new("refused", message))
            }
            object_store::Error::NotFound { .. } => {
                Outcome::Later(Failure::new("no-folder", format!("the bucket “{}” was not found at {}", self.bucket, self.endpoint)))
            }
            object_store::Error::AlreadyExists { .. } | object_store::Error::Precondition { .. } => {
                Outcome::Later(Failure::new("exists", format!("a file of the name was put into “{name}” by another meanwhile")))
            }
            other => {
                let text: String = other.to_string().chars().take(300).collect();
                Outcome::Later(Failure::new("bucket", format!("“{name}” can't be written: {text}")))
            }
        }
    }
}

/// A delivery's key as metadata holds it: without brackets.
fn mark(key: &str) -> String {
    key.trim_matches(['<', '>']).to_owned()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_wrong_with_a_bucket_is_told() {
        let good = Bucket {
            name: "Archive".into(),
            endpoint: "https://s3.quay.example".into(),
            region: String::new(),
            bucket: "letters".into(),
            prefix: "2026".into(),
            key_id: "quay".into(),
        };
        assert_eq!(good.problem(), None);
        assert_eq!(Bucket { endpoint: "http://localhost:9000".into(), ..good.clone() }.problem(), None);
        assert!(Bucket { endpoint: "http://s3.quay.example".into(), ..good.clone() }.problem().expect("open").contains("unencrypted"));
        for wrong in ["", "s3.quay.example", "ftp://s3.quay.example"] {
            assert!(Bucket { endpoint: wrong.into(), ..good.clone() }.problem().is_some(), "{wrong}");
        }
        assert!(Bucket { bucket: " ".into(), ..good }.problem().is_some());
    }

    #[test]
    fn names_stay_below_the_prefix() {
        let bucket = Bucket { prefix: "/letters/2026/".into(), ..Bucket::default() };
        let at = |path: &[&str], name: &str| {
            let path = path.iter().map(|part| (*part).to_owned()).collect();
            bucket.at(&FolderPayload { folder: "x".into(), path, clash: Clash::Number }, name).map(|path| path.to_string())
        };
        assert_eq!(at(&["Möwe"], "Licence.pdf"), Ok("letters/2026/Möwe/Licence.pdf".into()));
        assert!(at(&[".."], "Licence.pdf").is_err() && at(&[], "a/b.pdf").is_err());
    }
}
