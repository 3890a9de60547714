//! Documents and templates as content-addressed files: the name is the SHA-256
//! of the bytes, so the same content is kept once and nothing is overwritten.

use std::path::Path;
use std::sync::Arc;

use anyhow::{Context, Result};
use bytes::Bytes;
use object_store::local::LocalFileSystem;
use object_store::{ObjectStore, ObjectStoreExt};
use sha2::{Digest, Sha256};

/// The files. Clones share them.
#[derive(Debug, Clone)]
pub struct Files(Arc<dyn ObjectStore>);

impl Files {
    /// The files of a folder, which is made where it is missing.
    pub fn open(folder: &Path) -> Result<Files> {
        std::fs::create_dir_all(folder).with_context(|| format!("can't create the folder {}", folder.display()))?;
        Ok(Files(Arc::new(LocalFileSystem::new_with_prefix(folder)?)))
    }

    /// Keeps bytes and gives their name. They are whole on disk when this
    /// returns, or not there at all.
    pub async fn keep(&self, bytes: Vec<u8>) -> Result<String> {
        let name = Sha256::digest(&bytes).iter().map(|b| format!("{b:02x}")).collect::<String>();
        self.0.put(&path(&name), Bytes::from(bytes).into()).await.context("a file can't be saved")?;
        Ok(name)
    }

    /// The bytes of a name.
    pub async fn get(&self, name: &str) -> Result<Vec<u8>> {
        let found = self.0.get(&path(name)).await.with_context(|| format!("the file {name} is missing"))?;
        Ok(found.bytes().await?.into())
    }
}

fn path(name: &str) -> object_store::path::Path {
    object_store::path::Path::from(format!("{}/{name}", name.get(..2).unwrap_or("00")))
}
