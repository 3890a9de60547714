//! Where the pictures of a dispatch come from: its folder, and the hosts that the
//! operator allowed.

use std::collections::HashMap;
use std::sync::{Arc, Mutex, OnceLock};
use std::time::Duration;

use futures::StreamExt;
use mangle_documents::picture::{LARGEST, PictureFault, Pictures};
use tokio::runtime::Handle;

use crate::files::Files;
use crate::store::pictures::PictureInfo;

/// How long fetching one picture may take.
const LONGEST: Duration = Duration::from_secs(15);
/// How often a fetch may be sent on.
const MOST_HOPS: usize = 3;
/// How many bytes of pictures are kept ready.
const KEPT: usize = 128 << 20;

/// The pictures of one dispatch. They are loaded from threads beside the runtime.
pub struct OfficePictures {
    /// File names by the names that records give, in lowercase.
    names: HashMap<String, String>,
    files: Files,
    hosts: Hosts,
    /// Made when the first picture is fetched: most dispatches fetch none.
    client: OnceLock<reqwest::Client>,
    runtime: Handle,
    ready: Mutex<Ready>,
}

#[derive(Default)]
struct Ready {
    by_name: HashMap<String, Arc<[u8]>>,
    bytes: usize,
}

impl std::fmt::Debug for OfficePictures {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "OfficePictures({} files, {:?})", self.names.len(), self.hosts)
    }
}

impl OfficePictures {
    /// The pictures of a folder, and of hosts as the settings list them. Must be
    /// called within the runtime.
    pub fn new(folder: &[PictureInfo], files: Files, hosts: &str) -> OfficePictures {
        let names = folder.iter().map(|p| (matched(&p.name), p.file.clone())).collect();
        let (hosts, client) = (Hosts::read(hosts), OnceLock::new());
        OfficePictures { names, files, hosts, client, runtime: Handle::current(), ready: Mutex::default() }
    }

    fn client(&self) -> Result<&reqwest::Client, reqwest::Error> {
        if let Some(ready) = self.client.get() {
            return Ok(ready);
        }
        let own = self.hosts.clone();
        // One provider of cryptography for the whole program; a second call changes nothing.
        let _ = rustls::crypto::ring::default_provider().install_default();
        let client = reqwest::Client::builder()
            .timeout(LONGEST)
            .redirect(reqwest::redirect::Policy::custom(move |attempt| {
                if attempt.previous().len() > MOST_HOPS || !own.allow(attempt.url()) { attempt.stop() } else { attempt.follow() }
            }))
            .build()?;
        Ok(self.client.get_or_init(|| client))
    }

    /// The file of a name: by its whole path, else by its last part.
    fn file(&self, name: &str) -> Option<&String> {
        let wanted = matched(name);
        let last = wanted.rsplit('/').next().unwrap_or_default();
        self.names.get(&wanted).or_else(|| self.names.get(last))
    }

    async fn fetch(&self, address: &str) -> Result<Arc<[u8]>, PictureFault> {
        let damaged = |why: String| PictureFault::Damaged { name: address.to_owned(), why };
        let url = reqwest::Url::parse(address).map_err(|e| damaged(e.to_string()))?;
        if !self.hosts.allow(&url) {
            return Err(PictureFault::Host(address.to_owned()));
        }
        let client = self.client().map_err(|e| damaged(format!("pictures can't be fetched: {e}")))?;
        let answer = client.get(url).send().await.map_err(|e| damaged(format!("the website did not return it: {}", e.without_url())))?;
        if answer.status().is_redirection() {
            return Err(PictureFault::Host(address.to_owned()));
        }
        if !answer.status().is_success() {
            return Err(damaged(format!("the website answered {}", answer.status())));
        }
        let mut bytes = Vec::new();
        let mut pieces = answer.bytes_stream();
        while let Some(piece) = pieces.next().await {
            bytes.extend_from_slice(&piece.map_err(|e| damaged(e.without_url().to_string()))?);
            if bytes.len() > LARGEST {
                return Err(PictureFault::TooLarge { name: address.to_owned(), limit: "64 MB" });
            }
        }
        Ok(bytes.into())
    }
}

impl Pictures for OfficePictures {
    fn load(&self, name: &str) -> Result<Arc<[u8]>, PictureFault> {
        let lock = || self.ready.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if let Some(ready) = lock().by_name.get(name) {
            return Ok(ready.clone());
        }
        let remote = name.starts_with("http://") || name.starts_with("https://");
        let bytes: Arc<[u8]> = match remote {
            true => self.runtime.block_on(self.fetch(name))?,
            false => {
                let file = self.file(name).ok_or_else(|| PictureFault::Missing(name.to_owned()))?;
                self.files.get_blocking(file).map_err(|_| PictureFault::Missing(name.to_owned()))?.into()
            }
        };
        let mut ready = lock();
        if ready.bytes + bytes.len() > KEPT {
            *ready = Ready::default();
        }
        ready.bytes += bytes.len();
        ready.by_name.insert(name.to_owned(), bytes.clone());
        Ok(bytes)
    }
}

/// A name as names of pictures match.
pub fn matched(name: &str) -> String {
    name.trim().replace('\\', "/").trim_start_matches("./").to_lowercase()
}

/// Hosts from which pictures may be fetched.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
struct Hosts(Vec<String>);

impl Hosts {
    /// Reads `pictures.example, cdn.example:8443`.
    fn read(text: &str) -> Hosts {
        Hosts(text.split([',', ' ', ';']).map(|h| h.trim().to_ascii_lowercase()).filter(|h| !h.is_empty()).collect())
    }

    /// Whether an address is of one of them; a port must be allowed by name unless
    /// it is the scheme's own.
    fn allow(&self, url: &reqwest::Url) -> bool {
        let Some(host) = url.host_str().filter(|_| matches!(url.scheme(), "http" | "https")) else { return false };
        let host = host.to_ascii_lowercase();
        let whole = match url.port() {
            Some(port) => format!("{host}:{port}"),
            None => host,
        };
        self.0.contains(&whole)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_hosts_that_were_named_may_be_asked() {
        let hosts = Hosts::read("Pictures.example, cdn.example:8443");
        let allow = |text: &str| hosts.allow(&reqwest::Url::parse(text).expect(text));
        assert!(allow("https://pictures.example/a.jpg"));
        assert!(allow("http://PICTURES.example/a.jpg"));
        assert!(allow("https://cdn.example:8443/a.jpg"));
        for foreign in [
            "https://pictures.example:444/a.jpg",
            "https://cdn.example/a.jpg",
            "http://127.0.0.1/a.jpg",
            "http://pictures.example.evil.example/",
            "http://pictures.example@evil.example/",
            "file:///etc/passwd",
            "ftp://pictures.example/a.jpg",
        ] {
            assert!(!allow(foreign), "{foreign}");
        }
        assert!(!Hosts::read("").allow(&reqwest::Url::parse("http://localhost/").expect("an address")));
    }

    /// A host that gives a picture, sends one on, and never ends another.
    async fn host() -> u16 {
        use axum::routing::get;
        let router = axum::Router::new()
            .route("/a.png", get(|| async { b"picture".to_vec() }))
            .route("/away", get(|| async { axum::response::Redirect::temporary("http://localhost:9/b.png") }))
            .route("/gone", get(|| async { axum::http::StatusCode::NOT_FOUND }));
        let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
        let port = listener.local_addr().expect("an address").port();
        tokio::spawn(async move { axum::serve(listener, router).await });
        port
    }

    #[tokio::test(flavor = "multi_thread")]
    async fn pictures_come_from_the_folder_and_from_allowed_hosts() {
        let folder = tempfile::tempdir().expect("a folder");
        let files = Files::open(folder.path()).expect("opens");
        let file = files.keep(b"grace".to_vec()).await.expect("kept");
        let port = host().await;
        let own = [PictureInfo { name: "boats/Grace.jpg".into(), file, size: 5 }];
        let pictures = OfficePictures::new(&own, files, &format!("127.0.0.1:{port}"));
        let said = tokio::task::spawn_blocking(move || {
            let ask = |name: &str| match pictures.load(name) {
                Ok(bytes) => String::from_utf8_lossy(&bytes).into_owned(),
                Err(fault) => fault.to_string(),
            };
            let at = |path: &str| format!("http://127.0.0.1:{port}/{path}");
            [ask("Boats\\grace.JPG"), ask("tern.jpg"), ask(&at("a.png")), ask(&at("away")), ask(&at("gone")), ask("http://localhost/x.png")]
        })
        .await
        .expect("asks");
        assert_eq!((said[0].as_str(), said[2].as_str()), ("grace", "picture"));
        assert!(said[1].contains("not found") && said[4].contains("404"), "{said:?}");
        assert!(said[3].contains("not allowed") && said[5].contains("not allowed"), "{said:?}");
    }
}
