//! The practice printer, asked by an independent client of IPP.

use std::io::Write;
use std::path::Path;
use std::process::Command;

use mangle_practice::printer::{Condition, Printer, serve};

/// A page of one inch.
const PAGE: &[u8] = b"%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj\n\
    3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 72 72]>>endobj\ntrailer<</Root 1 0 R/Size 4>>\n%%EOF";

async fn printer() -> (Printer, String) {
    let printer = Printer::default();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let uri = format!("ipp://{}/ipp/print", listener.local_addr().expect("an address"));
    tokio::spawn(serve(listener, printer.clone()));
    (printer, uri)
}

/// Runs a test of the client; whether it passed, and what it said.
async fn ask(folder: &Path, uri: &str, test: &str, version: &str) -> (bool, String) {
    let (folder, uri, test, version) = (folder.to_owned(), uri.to_owned(), test.to_owned(), version.to_owned());
    let run = move || {
        let mut command = Command::new("ipptool");
        let file = folder.join("page.pdf");
        command.current_dir(&folder).args(["-t", "-I", "-V", &version, "-f"]).arg(file).args([&uri, &test]);
        let done = command.output().expect("ipptool: Debian's cups-ipp-utils");
        (done.status.success(), String::from_utf8_lossy(&done.stdout).into_owned())
    };
    tokio::task::spawn_blocking(run).await.expect("runs")
}

/// A folder with the client's tests, and the documents that they print.
fn tests() -> tempfile::TempDir {
    let folder = tempfile::tempdir().expect("a folder");
    for entry in std::fs::read_dir("/usr/share/cups/ipptool").expect("Debian's cups-ipp-utils") {
        let path = entry.expect("a test").path();
        std::fs::copy(&path, folder.path().join(path.file_name().expect("a name"))).expect("copied");
    }
    for name in ["page.pdf", "document-a4.pdf", "document-letter.pdf", "onepage-a4.pdf", "onepage-letter.pdf"] {
        std::fs::File::create(folder.path().join(name)).and_then(|mut file| file.write_all(PAGE)).expect("written");
    }
    for name in ["color.jpg", "gray.jpg", "document-a4.ps", "document-letter.ps", "onepage-a4.ps", "onepage-letter.ps", "testfile.txt"] {
        std::fs::write(folder.path().join(name), b"x").expect("written");
    }
    folder
}

#[tokio::test(flavor = "multi_thread")]
async fn the_standards_own_tests_pass() {
    let (_printer, uri) = printer().await;
    let folder = tests();
    for (test, version) in [("ipp-1.1.test", "1.1"), ("ipp-2.0.test", "2.0")] {
        let (passed, said) = ask(folder.path(), &uri, test, version).await;
        let failed: Vec<&str> = said.lines().filter(|line| line.contains("[FAIL]")).collect();
        assert!(passed, "{test}: {failed:?}\n{said}");
        assert!(said.matches("[PASS]").count() > 25, "{said}");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn jobs_are_printed_cancelled_and_given_up() {
    let (printer, uri) = printer().await;
    let folder = tests();
    for test in ["print-job.test", "create-job.test", "print-job-media-col.test", "get-completed-jobs.test", "print-job-and-wait.test"] {
        let (passed, said) = ask(folder.path(), &uri, test, "2.0").await;
        assert!(passed, "{test}: {said}");
    }
    let job = printer.jobs().remove(0);
    assert_eq!((job.state, job.printed, job.documents.len()), (9, 1, 1), "{job:?}");
    printer.set(Condition { out_of_paper: true, ..Condition::default() });
    let (passed, said) = ask(folder.path(), &uri, "print-job.test", "2.0").await;
    assert!(passed, "{said}");
    tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    let (passed, said) = ask(folder.path(), &uri, "cancel-current-job.test", "2.0").await;
    assert!(passed, "{said}");
    assert_eq!(printer.jobs()[0].state, 7);
    printer.set(Condition { off: true, ..Condition::default() });
    assert!(!ask(folder.path(), &uri, "get-printer-attributes.test", "2.0").await.0, "it answers nobody");
}

#[tokio::test(flavor = "multi_thread")]
async fn bytes_that_are_no_request_are_refused() {
    let (_printer, uri) = printer().await;
    let http = uri.replacen("ipp://", "http://", 1);
    let _ = rustls::crypto::ring::default_provider().install_default();
    let client = reqwest::Client::new();
    for body in [b"".to_vec(), b"\x01\x01".to_vec(), vec![0xff; 3_000], b"\x02\x00\x00\x0b\x00\x00\x00\x01\x01\x47\xff\xff".to_vec()] {
        let answer = client.post(&http).header("content-type", "application/ipp").body(body).send().await.expect("answers");
        assert_eq!(answer.status(), 400);
    }
    assert_eq!(client.post(&http).body("x").send().await.expect("answers").status(), 415);
}
