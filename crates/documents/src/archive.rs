//! Archives of Mangle's own: ZIP files (APPNOTE 6.3.10) whose parts are read within limits.

use std::io::{Cursor, Write};
use std::sync::Arc;

use zip::write::SimpleFileOptions;

use crate::OpenError;
use crate::package::Package;

/// An archive that was opened.
#[derive(Debug)]
pub struct Archive(Package);

impl Archive {
    /// Opens an archive; `wanted` says in words what it should be.
    ///
    /// # Errors
    /// What is no ZIP, damaged, larger than 64 MB, or unpacks to more than its size explains.
    pub fn open(bytes: impl Into<Arc<[u8]>>, wanted: &'static str) -> Result<Archive, OpenError> {
        Ok(Archive(Package::open(bytes.into(), wanted)?))
    }

    /// The bytes of a part.
    ///
    /// # Errors
    /// There is no such part, or it is damaged.
    pub fn part(&self, name: &str) -> Result<Vec<u8>, OpenError> {
        Ok(self.0.unpacked(name)?.to_vec())
    }
}

/// Writes an archive of parts, each with its name.
///
/// # Errors
/// A name that no archive can have.
pub fn write(parts: &[(String, Vec<u8>)]) -> zip::result::ZipResult<Vec<u8>> {
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    for (name, bytes) in parts {
        writer.start_file(name.as_str(), SimpleFileOptions::default())?;
        writer.write_all(bytes)?;
    }
    Ok(writer.finish()?.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_written_is_read_and_nothing_else() {
        let bytes = write(&[("set-up.json".into(), b"{}".to_vec()), ("files/a".into(), vec![7; 9])]).expect("written");
        let archive = Archive::open(bytes, "a set-up file").expect("opens");
        assert_eq!(archive.part("set-up.json").expect("is there"), b"{}");
        assert_eq!(archive.part("files/a").expect("is there"), vec![7; 9]);
        assert!(archive.part("../files/a").is_err());
        assert!(Archive::open(b"{}".as_slice(), "a set-up file").is_err());
    }
}
