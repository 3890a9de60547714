//! Documents made and looked at with tools that no one here wrote.

mod beside;
mod columns;
mod corpus;
mod hostile;
mod marks;
mod others;
mod packs;
mod pages;
mod pdf;
mod poppler;
mod seal;
mod templates;

use std::io::{Cursor, Read, Write};

/// A package with some of its parts changed.
fn rezip(package: &[u8], change: impl Fn(&str, Vec<u8>) -> Vec<u8>) -> Vec<u8> {
    rezip_with(package, &[], change)
}

/// The same with further parts.
fn rezip_with(package: &[u8], more: &[(&str, Vec<u8>)], change: impl Fn(&str, Vec<u8>) -> Vec<u8>) -> Vec<u8> {
    let mut archive = zip::ZipArchive::new(Cursor::new(package)).expect("a package");
    let mut writer = zip::ZipWriter::new(Cursor::new(Vec::new()));
    let mut put = |name: &str, content: &[u8]| {
        writer.start_file(name, zip::write::SimpleFileOptions::default()).expect("starts");
        writer.write_all(content).expect("writes");
    };
    for at in 0..archive.len() {
        let mut part = archive.by_index(at).expect("a part");
        let mut content = Vec::new();
        part.read_to_end(&mut content).expect("reads");
        let name = part.name().expect("a name").into_owned();
        put(&name, &change(&name, content));
    }
    more.iter().for_each(|(name, content)| put(name, content));
    writer.finish().expect("finishes").into_inner()
}
