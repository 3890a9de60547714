//! Printing at a print server that no one here wrote: CUPS, as a private server with a queue that
//! writes into files.

use std::os::unix::fs::{PermissionsExt, symlink};
use std::path::Path;
use std::process::{Child, Command};

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;
use crate::runs::{THREE, items, until};

const PATH: &str = "/api/dispatches/balance-reminders";

/// A CUPS of its own; it ends with the test.
struct Cups {
    child: Child,
    folder: tempfile::TempDir,
    port: u16,
}

impl Drop for Cups {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Cups {
    fn start() -> Cups {
        let folder = tempfile::tempdir().expect("a folder");
        let at = folder.path();
        std::fs::set_permissions(at, std::fs::Permissions::from_mode(0o755)).expect("to be read");
        for name in ["etc", "bin/backend", "bin/filter", "spool", "cache", "state", "log", "out"] {
            std::fs::create_dir_all(at.join(name)).expect("a folder");
        }
        symlink("/usr/lib/cups/daemon", at.join("bin/daemon")).expect("what starts backends");
        let port = std::net::TcpListener::bind("127.0.0.1:0").and_then(|own| own.local_addr()).expect("a port").port();
        let shown = at.display();
        let write = |name: &str, text: String| std::fs::write(at.join(name), text).expect("written");
        write(
            "bin/backend/tofile",
            format!(
                "#!/bin/sh\n[ $# = 0 ] && {{ echo 'direct tofile \"Unknown\" \"to a file\"'; exit 0; }}\ncat \"${{6:--}}\" > \"{shown}/out/$1.part\" && mv \"{shown}/out/$1.part\" \"{shown}/out/$1-$(echo $3 | tr -c 'A-Za-z0-9\\n' -)-$4\"\n"
            ),
        );
        std::fs::set_permissions(at.join("bin/backend/tofile"), std::fs::Permissions::from_mode(0o700)).expect("to be run");
        let files = ["ServerRoot etc", "ServerBin bin", "CacheDir cache", "StateDir state", "RequestRoot spool", "TempDir spool"];
        let files: String =
            files.iter().filter_map(|line| line.split_once(' ')).map(|(name, own)| format!("{name} {shown}/{own}\n")).collect();
        let logs: String = ["Access", "Error", "Page"].iter().map(|own| format!("{own}Log {shown}/log/{own}\n")).collect();
        write("etc/cups-files.conf", format!("{files}{logs}FatalErrors none\n"));
        write(
            "etc/cupsd.conf",
            format!(
                "Listen 127.0.0.1:{port}\nBrowsing Off\nDefaultAuthType None\nWebInterface No\n<Location />\nOrder allow,deny\nAllow all\n</Location>\n<Policy default>\n<Limit All>\nOrder deny,allow\n</Limit>\n</Policy>\n"
            ),
        );
        write("etc/printers.conf", "<Printer quay>\nDeviceURI tofile:/\nState Idle\nAccepting Yes\nShared Yes\n</Printer>\n".to_owned());
        let conf = |name: &str| at.join("etc").join(name);
        let child = Command::new("/usr/sbin/cupsd")
            .arg("-f")
            .arg("-c")
            .arg(conf("cupsd.conf"))
            .arg("-s")
            .arg(conf("cups-files.conf"))
            .stdout(std::process::Stdio::null())
            .stderr(std::process::Stdio::null())
            .spawn()
            .expect("cupsd");
        let cups = Cups { child, folder, port };
        for _ in 0..200 {
            if std::net::TcpStream::connect(("127.0.0.1", port)).is_ok() {
                return cups;
            }
            std::thread::sleep(std::time::Duration::from_millis(50));
        }
        panic!("CUPS never listened: {}", std::fs::read_to_string(cups.folder.path().join("log/Error")).unwrap_or_default());
    }

    /// What was printed: the files' names, which tell the job's title and its copies.
    fn printed(&self) -> Vec<String> {
        let out: &Path = &self.folder.path().join("out");
        let names = std::fs::read_dir(out).expect("a folder").flatten().map(|file| file.file_name().to_string_lossy().into_owned());
        let mut names: Vec<String> = names.filter(|name| !name.ends_with(".part")).collect();
        names.sort();
        names
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn letters_are_printed_by_a_server_that_no_one_here_wrote() {
    let cups = Cups::start();
    let uri = format!("ipp://127.0.0.1:{}/printers/quay", cups.port);
    let office = Office::furnished().await;
    let mut settings = office.get("/api/settings").await;
    settings["printers"] = json!([{ "name": "Quay", "uri": uri }]);
    assert_eq!(office.ask("PUT", "/api/settings", settings).await.0, StatusCode::OK);
    let (status, info) = office.ask("POST", "/api/printers/look", json!({ "uri": uri })).await;
    assert_eq!((status, &info["state"]), (StatusCode::OK, &json!("ready")), "{info}");
    let mut bench = office.get(PATH).await;
    bench["setup"]["ties"]["harbour due"] = json!("Yearly fee");
    bench["setup"]["filter"] = json!(THREE);
    let channel = json!({ "kind": "print", "printer": "Quay", "copies": 2, "sides": "one-sided", "paper": "", "tray": "", "order": "", "together": false });
    bench["setup"]["channels"] = json!([{ "on": true, "name": "", "condition": "", "moment": "at-once", "channel": channel }]);
    let (status, bench) = office.ask("PUT", PATH, bench).await;
    assert_eq!((status, &bench["obstacles"]), (StatusCode::OK, &json!([])), "{bench}");
    let run = office.ask("POST", &format!("{PATH}/runs"), json!({ "count": 3 })).await.1["id"].clone();
    let done = until(&office, &run, |run| run["state"] == "done" && run["delivered"] == 3).await;
    assert_eq!(done["failed"], 0, "{done}");
    for _ in 0..400 {
        if cups.printed().len() == 3 {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    let printed = cups.printed();
    assert!(printed.len() == 3 && printed.iter().all(|name| name.ends_with("-2")), "two copies of each: {printed:?}");
    for name in printed {
        let bytes = std::fs::read(cups.folder.path().join("out").join(&name)).expect("printed");
        assert!(bytes.starts_with(b"%PDF-"), "{name}");
    }
    // What CUPS says of a job comes back to the delivery.
    let item = items(&office, &run).await[0]["id"].clone();
    let mut told = Value::Null;
    for _ in 0..200 {
        told = office.get(&format!("/api/items/{item}/events")).await;
        if told.to_string().to_lowercase().contains("printed") {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    panic!("nothing was heard of the job: {told}");
}
