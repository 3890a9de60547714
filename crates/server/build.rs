//! The front end is embedded. Its folder must be there before its first build,
//! and the crate is built anew whenever its files change.

use std::hash::{DefaultHasher, Hash, Hasher};
use std::path::Path;

fn main() -> std::io::Result<()> {
    let dist = Path::new("../../web/dist");
    println!("cargo:rerun-if-changed={}", dist.display());
    std::fs::create_dir_all(dist)?;
    let mut hasher = DefaultHasher::new();
    for folder in [dist.to_owned(), dist.join("assets")] {
        // Built files carry their content's hash in their names.
        let mut names: Vec<_> = std::fs::read_dir(folder).into_iter().flatten().flatten().map(|e| e.file_name()).collect();
        names.sort();
        names.hash(&mut hasher);
    }
    for page in ["index.html", "form.html", "shared.html"] {
        std::fs::read(dist.join(page)).unwrap_or_default().hash(&mut hasher);
    }
    println!("cargo:rustc-env=MANGLE_WEB={:x}", hasher.finish());
    Ok(())
}
