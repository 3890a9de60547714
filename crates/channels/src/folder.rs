//! Folder: documents as files below a folder that the operator allows. A file is written beside
//! its place first, and takes it in one step: whoever looks sees all of it or nothing.

use std::fs::{self, File};
use std::io::{self, ErrorKind, Write};
use std::path::{Path, PathBuf};
use std::sync::{Arc, PoisonError, RwLock};
use std::time::Duration;

use mangle_core::channel::{Clash, FolderPayload};
use mangle_core::dispatch::numbered;
use sha2::{Digest, Sha256};

use crate::bucket::Bucket;
use crate::{Channel, Config, Delivery, Document, Failure, Fate, Outcome, Pace, Rate, Secret};

/// The folder channel.
#[derive(Debug)]
pub struct Folder {
    allowed: Vec<(String, PathBuf)>,
    /// The office's buckets, each with the secret of its key.
    buckets: RwLock<Arc<Vec<(Bucket, Secret)>>>,
}

/// The most files of one name that are numbered.
const MOST_OF_A_NAME: usize = 10_000;

impl Folder {
    /// The channel of a configuration.
    pub fn new(config: &Config) -> Folder {
        Folder { allowed: config.folders.clone(), buckets: RwLock::default() }
    }

    /// The bucket of a name, where no folder has it.
    fn bucket(&self, name: &str) -> Option<(Bucket, Secret)> {
        let known = self.buckets.read().unwrap_or_else(PoisonError::into_inner).clone();
        let folder = self.allowed.iter().any(|(own, _)| own == name);
        known.iter().find(|(bucket, _)| !folder && bucket.name == name).cloned()
    }

    /// The folder that a delivery goes into, made where it is missing.
    fn place(&self, payload: &FolderPayload) -> Result<PathBuf, Outcome> {
        let refused = |message: String| Outcome::Failed(Failure::new("folder", message));
        let allowed = self.allowed.iter().find(|(name, _)| *name == payload.folder);
        let (_, root) = allowed.ok_or_else(|| refused(format!("the folder “{}” is not allowed on this machine", payload.folder)))?;
        if !root.is_dir() {
            let message = format!("the folder {} is not there. Connect the drive or create the folder.", root.display());
            return Err(Outcome::Later(Failure::new("no-folder", message)));
        }
        let mut place = root.clone();
        for name in &payload.path {
            if name.is_empty() || name == "." || name == ".." || name.contains(['/', '\\', '\0']) {
                return Err(refused(format!("“{name}” is not a folder name")));
            }
            place.push(name);
            match fs::create_dir(&place) {
                Ok(()) => {}
                Err(error) if error.kind() == ErrorKind::AlreadyExists => {
                    // A link may lead out of what is allowed.
                    let kind = fs::symlink_metadata(&place).map_err(|e| outcome(&place, &e))?;
                    if kind.is_symlink() || !kind.is_dir() {
                        return Err(refused(format!("{} is not a folder", place.display())));
                    }
                }
                Err(error) => return Err(outcome(&place, &error)),
            }
        }
        Ok(place)
    }
}

impl Channel for Folder {
    fn kind(&self) -> &'static str {
        "folder"
    }

    fn pace(&self) -> Pace {
        Pace {
            at_once: 2,
            rate: Rate::default(),
            first_pause: Duration::from_secs(5),
            longest_pause: Duration::from_secs(900),
            give_up_after: Duration::from_secs(86_400),
        }
    }

    fn configure(&self, settings: &serde_json::Value, _secret: &str) -> Result<(), serde_json::Error> {
        let buckets = serde_json::from_value(settings.clone())?;
        *self.buckets.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(buckets);
        Ok(())
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        hand_over(self, delivery, begin).unwrap_or_else(|outcome| outcome)
    }

    fn fate(&self, delivery: &Delivery, target: &str) -> Fate {
        let Ok(payload) = serde_json::from_value::<FolderPayload>(delivery.payload.clone()) else { return Fate::Unknown };
        if let Some((bucket, secret)) = self.bucket(&payload.folder) {
            return bucket.fate(&secret.0, delivery, target);
        }
        let Ok(place) = self.place(&payload) else { return Fate::Unknown };
        drop(Parts::of(&place, delivery));
        let names: Vec<&str> = target.split('\n').collect();
        if names.len() != delivery.documents.len() {
            return Fate::Unknown;
        }
        let there: Vec<bool> = names
            .iter()
            .zip(&delivery.documents)
            .map(|(name, document)| fs::read(place.join(name)).is_ok_and(|bytes| bytes == document.bytes))
            .collect();
        match there.iter().all(|there| *there) {
            true => Fate::Delivered,
            false => {
                // What is there of it is taken back, so that the next try finds its place free.
                if payload.clash != Clash::Replace {
                    let own = names.iter().zip(there).filter(|(_, there)| *there);
                    own.for_each(|(name, _)| drop(fs::remove_file(place.join(name))));
                }
                Fate::NotDelivered
            }
        }
    }
}

fn hand_over(folder: &Folder, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Result<Outcome, Outcome> {
    let payload: FolderPayload = serde_json::from_value(delivery.payload.clone())
        .map_err(|error| Outcome::Failed(Failure::new("payload", format!("the delivery can't be read: {error}"))))?;
    if let Some((bucket, secret)) = folder.bucket(&payload.folder) {
        return Ok(bucket.hand_over(&secret.0, &payload, delivery, begin));
    }
    let place = folder.place(&payload)?;
    let names = names(&place, &delivery.documents, payload.clash)?;
    let parts = Parts::of(&place, delivery);
    for (part, document) in parts.0.iter().zip(&delivery.documents) {
        write(part, &document.bytes).map_err(|error| outcome(part, &error))?;
    }
    if !begin(&names.join("\n")) {
        return Ok(Outcome::NotBegun);
    }
    let mut placed: Vec<PathBuf> = Vec::new();
    for (part, name) in parts.0.iter().zip(&names) {
        let to = place.join(name);
        let done = match payload.clash {
            Clash::Replace => fs::rename(part, &to),
            // Never over a file that came there meanwhile.
            Clash::Number | Clash::Fail => take_place(part, &to),
        };
        if let Err(error) = done {
            placed.iter().for_each(|path| drop(fs::remove_file(path)));
            return Err(outcome(&to, &error));
        }
        if payload.clash != Clash::Replace {
            placed.push(to);
        }
    }
    // On disk, not only in memory, before it counts as delivered.
    File::open(&place).and_then(|folder| folder.sync_all()).map_err(|error| {
        Outcome::Uncertain(Failure::new("uncertain", format!("the files in {} may not have been saved: {error}", place.display())))
    })?;
    let within = [std::slice::from_ref(&payload.folder), &payload.path].concat().join("/");
    let receipt: Vec<String> = names.iter().map(|name| format!("{within}/{name}")).collect();
    Ok(Outcome::Delivered(receipt.join(", ")))
}

/// Files beside their places, which are removed whatever happens.
struct Parts(Vec<PathBuf>);

impl Parts {
    /// Those of a delivery, the same at each try.
    fn of(place: &Path, delivery: &Delivery) -> Parts {
        let digest = Sha256::digest(delivery.key.as_bytes());
        let own: String = digest.iter().take(8).map(|b| format!("{b:02x}")).collect();
        Parts((0..delivery.documents.len()).map(|at| place.join(format!(".{own}.{at}.part"))).collect())
    }
}

/// Gives a file its place, where nothing is there.
fn take_place(part: &Path, to: &Path) -> io::Result<()> {
    match fs::hard_link(part, to) {
        // Some file systems, such as those of memory sticks, have no links.
        Err(error) if matches!(error.kind(), ErrorKind::Unsupported | ErrorKind::PermissionDenied) => {
            let bytes = fs::read(part)?;
            let mut file = File::create_new(to)?;
            file.write_all(&bytes).and_then(|()| file.sync_all()).inspect_err(|_| drop(fs::remove_file(to)))
        }
        done => done,
    }
}

impl Drop for Parts {
    fn drop(&mut self) {
        self.0.iter().for_each(|part| drop(fs::remove_file(part)));
    }
}

fn write(path: &Path, bytes: &[u8]) -> io::Result<()> {
    let mut file = File::create(path)?;
    file.write_all(bytes)?;
    file.sync_all()
}

/// The names that the documents get: the same number for all of one record.
fn names(place: &Path, documents: &[Document], clash: Clash) -> Result<Vec<String>, Outcome> {
    let plain = |name: &str| !name.is_empty() && name != "." && name != ".." && !name.contains(['/', '\\', '\0', '\n']);
    if let Some(wrong) = documents.iter().find(|document| !plain(&document.name)) {
        return Err(Outcome::Failed(Failure::new("folder", format!("“{}” is not a file name", wrong.name))));
    }
    let taken = |name: &String| fs::symlink_metadata(place.join(name)).is_ok();
    let first: Vec<String> = documents.iter().map(|document| document.name.clone()).collect();
    match (clash, first.iter().find(|name| taken(name))) {
        (Clash::Replace, _) | (_, None) => Ok(first),
        (Clash::Fail, Some(name)) => {
            let message =
                format!("{} already exists. Rename or remove that file, or change the file name, then retry.", place.join(name).display());
            Err(Outcome::Failed(Failure::new("exists", message)))
        }
        (Clash::Number, Some(_)) => {
            let of = |number: usize| -> Vec<String> {
                let one = |name: &String| match name.rsplit_once('.') {
                    Some((stem, extension)) => format!("{}.{extension}", numbered(stem, number)),
                    None => numbered(name, number),
                };
                first.iter().map(one).collect()
            };
            let full = || Outcome::Failed(Failure::new("exists", format!("{MOST_OF_A_NAME} files of this name already exist")));
            (2..=MOST_OF_A_NAME).map(of).find(|names| !names.iter().any(&taken)).ok_or_else(full)
        }
    }
}

/// What an error of the file system means. Nothing of the delivery is there: it may be tried
/// again where a person can mend the reason meanwhile.
fn outcome(path: &Path, error: &io::Error) -> Outcome {
    let at = path.display();
    match error.kind() {
        ErrorKind::StorageFull | ErrorKind::QuotaExceeded => {
            Outcome::Later(Failure::new("full", format!("no space left at {at}. Free some space.")))
        }
        ErrorKind::ReadOnlyFilesystem | ErrorKind::PermissionDenied => Outcome::Later(Failure::new(
            "read-only",
            format!("Mangle is not allowed to write to {at}. Change the permissions of the folder."),
        )),
        ErrorKind::AlreadyExists => Outcome::Later(Failure::new("exists", format!("{at} was created by another program meanwhile"))),
        ErrorKind::InvalidFilename | ErrorKind::NotADirectory => {
            Outcome::Failed(Failure::new("folder", format!("{at} is not a file name here")))
        }
        _ => Outcome::Later(Failure::new("folder", format!("{at} can't be written ({error})"))),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use mangle_core::dispatch::Format;

    fn channel(root: &Path) -> Folder {
        Folder::new(&Config { folders: vec![("Office".into(), root.to_owned())], ..Config::default() })
    }

    fn delivery(key: &str, path: &[&str], clash: Clash) -> Delivery {
        let path = path.iter().map(|p| (*p).to_owned()).collect();
        let payload = FolderPayload { folder: "Office".into(), path, clash };
        let document = |format: Format| Document {
            name: format!("Licence.{}", format.extension()),
            format,
            bytes: format!("{key} {}", format.extension()).into_bytes(),
        };
        Delivery {
            key: key.into(),
            payload: serde_json::to_value(payload).expect("JSON"),
            office: Default::default(),
            documents: Format::ALL.iter().map(|format| document(*format)).collect(),
            extras: Vec::new(),
        }
    }

    fn files(place: &Path) -> Vec<String> {
        let mut all: Vec<String> =
            fs::read_dir(place).expect("a folder").map(|e| e.expect("an entry").file_name().to_string_lossy().into_owned()).collect();
        all.sort();
        all
    }

    #[test]
    fn documents_lie_in_subfolders_and_a_second_gets_a_number_for_all_its_files() {
        let root = tempfile::tempdir().expect("a folder");
        let channel = channel(root.path());
        let go = |key: &str| channel.deliver(&delivery(key, &["2026", "Möwe"], Clash::Number), &mut |_| true);
        assert!(matches!(go("a"), Outcome::Delivered(receipt) if receipt == "Office/2026/Möwe/Licence.pdf, Office/2026/Möwe/Licence.docx"));
        assert!(matches!(go("b"), Outcome::Delivered(receipt) if receipt.contains("Licence (2).docx")));
        let place = root.path().join("2026/Möwe");
        assert_eq!(files(&place), ["Licence (2).docx", "Licence (2).pdf", "Licence.docx", "Licence.pdf"]);
        assert_eq!(fs::read(place.join("Licence.pdf")).expect("there"), b"a pdf");
    }

    #[test]
    fn a_clash_replaces_or_fails_where_it_is_told_to() {
        let root = tempfile::tempdir().expect("a folder");
        let channel = channel(root.path());
        let go = |key: &str, clash| channel.deliver(&delivery(key, &[], clash), &mut |_| true);
        assert!(matches!(go("a", Clash::Fail), Outcome::Delivered(_)));
        let Outcome::Failed(failure) = go("b", Clash::Fail) else { panic!("it fails") };
        assert!(failure.message.contains("already exists. Rename"), "{}", failure.message);
        assert_eq!(fs::read(root.path().join("Licence.pdf")).expect("there"), b"a pdf");
        assert!(matches!(go("c", Clash::Replace), Outcome::Delivered(_)));
        assert_eq!(fs::read(root.path().join("Licence.docx")).expect("there"), b"c docx");
        assert_eq!(files(root.path()), ["Licence.docx", "Licence.pdf"], "nothing half-done is left");
    }

    #[test]
    fn nothing_leaves_the_allowed_folder() {
        let root = tempfile::tempdir().expect("a folder");
        let outside = tempfile::tempdir().expect("another");
        std::os::unix::fs::symlink(outside.path(), root.path().join("link")).expect("linked");
        let channel = channel(root.path());
        for path in [&[".."][..], &["a/b"], &["a\\b"], &[""], &["link"]] {
            let outcome = channel.deliver(&delivery("a", path, Clash::Number), &mut |_| panic!("nothing begins"));
            assert!(matches!(outcome, Outcome::Failed(_)), "{path:?} {outcome:?}");
        }
        let mut named = delivery("a", &[], Clash::Number);
        named.documents[0].name = "../x.pdf".into();
        assert!(matches!(channel.deliver(&named, &mut |_| panic!("nothing begins")), Outcome::Failed(_)));
        named.payload["folder"] = "Elsewhere".into();
        assert!(matches!(channel.deliver(&named, &mut |_| panic!("nothing begins")), Outcome::Failed(_)));
        assert!(files(outside.path()).is_empty() && files(root.path()) == ["link"]);
    }

    #[test]
    fn what_is_not_begun_leaves_nothing_and_a_missing_folder_is_tried_again() {
        let root = tempfile::tempdir().expect("a folder");
        let first = channel(root.path());
        assert_eq!(first.deliver(&delivery("a", &[], Clash::Number), &mut |_| false), Outcome::NotBegun);
        assert!(files(root.path()).is_empty());
        let gone = channel(&root.path().join("unplugged"));
        assert!(matches!(gone.deliver(&delivery("a", &[], Clash::Number), &mut |_| true), Outcome::Later(_)));
    }

    #[test]
    fn what_became_of_a_delivery_is_found_out_after_the_program_ended() {
        let root = tempfile::tempdir().expect("a folder");
        let channel = channel(root.path());
        let one = delivery("a", &["x"], Clash::Number);
        let mut target = String::new();
        channel.deliver(&one, &mut |to| {
            target = to.to_owned();
            true
        });
        assert_eq!(channel.fate(&one, &target), Fate::Delivered);
        // Half of it: what is there is taken back, and it is delivered again.
        fs::remove_file(root.path().join("x/Licence.docx")).expect("removed");
        assert_eq!(channel.fate(&one, &target), Fate::NotDelivered);
        assert!(files(&root.path().join("x")).is_empty());
        // What another wrote there meanwhile stays.
        fs::write(root.path().join("x/Licence.pdf"), b"another").expect("written");
        assert_eq!(channel.fate(&one, &target), Fate::NotDelivered);
        assert_eq!(files(&root.path().join("x")), ["Licence.pdf"]);
    }
}
