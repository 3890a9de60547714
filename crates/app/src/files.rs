//! Documents and templates as content-addressed files: the name is the SHA-256
//! of the bytes, so the same content is kept once and nothing is overwritten. What is read is
//! checked against its name.

use std::collections::VecDeque;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

use anyhow::{Context, Result};
use bytes::Bytes;
use futures::TryStreamExt;
use object_store::local::LocalFileSystem;
use object_store::{ObjectStore, ObjectStoreExt};
use ring::digest::{SHA256, digest};

/// The files. Clones share them.
#[derive(Debug, Clone)]
pub struct Files {
    store: Arc<dyn ObjectStore>,
    folder: PathBuf,
    recent: Arc<Recent>,
}

/// The most bytes that were just saved and are kept in memory.
const MOST_RECENT: usize = 16 << 20;

/// What was just saved: a document is mostly sent right after it is made, and need not be read and
/// hashed for that. Each is handed out once.
#[derive(Debug, Default)]
struct Recent(Mutex<VecDeque<(String, Bytes)>>);

impl Recent {
    fn add(&self, name: &str, bytes: Bytes) {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        // The same content again is the same file.
        all.retain(|(known, _)| known != name);
        all.push_back((name.to_owned(), bytes));
        let mut size: usize = all.iter().map(|(_, bytes)| bytes.len()).sum();
        while let Some((_, oldest)) = all.front().filter(|_| size > MOST_RECENT) {
            size -= oldest.len();
            all.pop_front();
        }
    }

    fn take(&self, name: &str) -> Option<Bytes> {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let at = all.iter().position(|(known, _)| known == name)?;
        all.remove(at).map(|(_, bytes)| bytes)
    }
}

impl Files {
    /// The files of a folder, which is made where it is missing.
    pub fn open(folder: &Path) -> Result<Files> {
        std::fs::create_dir_all(folder).with_context(|| format!("can't create the folder {}", folder.display()))?;
        Ok(Files {
            store: Arc::new(LocalFileSystem::new_with_prefix(folder)?.with_fsync(true)),
            folder: folder.to_owned(),
            recent: Arc::default(),
        })
    }

    /// Keeps bytes and gives their name. They are whole on disk when this
    /// returns, or not there at all.
    pub async fn keep(&self, bytes: Vec<u8>) -> Result<String> {
        let name = name_of(&bytes);
        let bytes = Bytes::from(bytes);
        self.store.put(&path(&name), bytes.clone().into()).await.context("a file can't be saved")?;
        self.recent.add(&name, bytes);
        Ok(name)
    }

    /// The bytes of a name. A file that is not what was kept is an error, never handed out.
    pub async fn get(&self, name: &str) -> Result<Vec<u8>> {
        if let Some(bytes) = self.recent.take(name) {
            return Ok(bytes.into());
        }
        let found = self.store.get(&path(name)).await.with_context(|| format!("the file {name} is missing"))?;
        whole(name, found.bytes().await?.into())
    }

    /// The names of all that is kept.
    pub async fn names(&self) -> Result<Vec<String>> {
        let found: Vec<_> = self.store.list(None).try_collect().await.context("the files can't be listed")?;
        Ok(found.iter().filter_map(|file| file.location.filename().map(str::to_owned)).collect())
    }

    /// Deletes the bytes of a name, where they are there.
    pub async fn delete(&self, name: &str) -> Result<()> {
        self.recent.take(name);
        match self.store.delete(&path(name)).await {
            Ok(()) | Err(object_store::Error::NotFound { .. }) => Ok(()),
            Err(error) => Err(error).context("a file can't be deleted"),
        }
    }

    /// The same as `get` beside the async runtime, without a thread of the pool that such work runs on:
    /// it would wait for itself where many do so at once.
    pub fn get_blocking(&self, name: &str) -> Result<Vec<u8>> {
        let bytes = std::fs::read(self.folder.join(path(name).as_ref())).with_context(|| format!("the file {name} is missing"))?;
        whole(name, bytes)
    }
}

/// Bytes that are what their name says.
fn whole(name: &str, bytes: Vec<u8>) -> Result<Vec<u8>> {
    anyhow::ensure!(name_of(&bytes) == name, "the file {name} is damaged: its content is not what was saved");
    Ok(bytes)
}

/// What a file of these bytes is called.
pub(crate) fn name_of(bytes: &[u8]) -> String {
    // Every document is hashed when it is kept and when it is read: by the fastest there is.
    digest(&SHA256, bytes).as_ref().iter().map(|b| format!("{b:02x}")).collect()
}

fn path(name: &str) -> object_store::path::Path {
    object_store::path::Path::from(format!("{}/{name}", name.get(..2).unwrap_or("00")))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[tokio::test]
    async fn a_damaged_file_is_never_handed_out() {
        let folder = tempfile::tempdir().expect("a folder");
        let files = Files::open(folder.path()).expect("opens");
        let name = files.keep(b"a letter".to_vec()).await.expect("kept");
        assert_eq!(files.get(&name).await.expect("there"), b"a letter");
        assert_eq!(files.get_blocking(&name).expect("there"), b"a letter");
        assert_eq!(files.get(&name).await.expect("there"), b"a letter", "read from the disk");
        let at = folder.path().join(&name[..2]).join(&name);
        // As after a power cut that lost the content and kept the name.
        std::fs::write(&at, b"").expect("written");
        assert!(files.get(&name).await.expect_err("damaged").to_string().ends_with("its content is not what was saved"));
        assert!(files.get_blocking(&name).expect_err("damaged").to_string().ends_with("its content is not what was saved"));
        // Kept again, it is whole again.
        files.keep(b"a letter".to_vec()).await.expect("kept");
        assert_eq!(files.get(&name).await.expect("there"), b"a letter");
        std::fs::remove_file(at).expect("removed");
        assert!(files.get(&name).await.expect_err("gone").to_string().ends_with("is missing"));
    }
}

#[cfg(test)]
mod recent {
    use super::*;

    #[test]
    fn the_oldest_go_where_there_is_too_much() {
        let recent = Recent::default();
        for name in ["a", "b", "c"] {
            recent.add(name, vec![0; MOST_RECENT / 2].into());
        }
        assert!(recent.take("a").is_none());
        assert!(recent.take("b").is_some() && recent.take("b").is_none(), "once");
        recent.add("c", vec![1].into());
        assert!(recent.take("c").is_some() && recent.take("c").is_none());
        recent.add("huge", vec![0; MOST_RECENT + 1].into());
        assert!(recent.take("huge").is_none());
    }
}
