//! The real program as a child process.

use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};

use anyhow::{Context, Result};

/// A running program. It ends when this is dropped.
#[derive(Debug)]
pub struct Program {
    child: Child,
    /// Where it answers: `http://localhost:PORT`.
    pub address: String,
}

/// The repository's folder.
pub fn repository() -> PathBuf {
    // Cargo runs tests in their package's folder. Where that was when this was compiled
    // says nothing: clones share their target folder.
    std::fs::canonicalize("../..").unwrap_or_default()
}

/// The program, built before the journeys are run (`make test` does).
pub fn binary() -> PathBuf {
    if let Ok(path) = std::env::var("MANGLE_BINARY") {
        return path.into();
    }
    // …/debug/deps/journey-… → …/debug/mangle
    let own = std::env::current_exe().unwrap_or_default();
    own.ancestors().nth(2).map(|folder| folder.join("mangle")).unwrap_or_default()
}

/// What a tool prints; it must succeed.
pub fn tool(program: &str, arguments: &[&str]) -> String {
    let output = Command::new(program).args(arguments).output().unwrap_or_else(|e| panic!("{program}: {e}"));
    assert!(output.status.success(), "{program} {arguments:?}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

/// A DOCX of one paragraph (ECMA-376).
pub fn docx(at: &Path, text: &str) -> Result<()> {
    let mut out = zip::ZipWriter::new(std::fs::File::create(at)?);
    let types = "<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/><Override PartName=\"/word/document.xml\" ContentType=\"application/vnd.openxmlformats-officedocument.wordprocessingml.document.main+xml\"/></Types>";
    let relations = "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"r1\" Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument\" Target=\"word/document.xml\"/></Relationships>";
    let body = format!(
        "<w:document xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"><w:body><w:p><w:r><w:t>{text}</w:t></w:r></w:p></w:body></w:document>"
    );
    for (name, content) in [("[Content_Types].xml", types), ("_rels/.rels", relations), ("word/document.xml", &body)] {
        out.start_file(name, zip::write::SimpleFileOptions::default())?;
        std::io::Write::write_all(&mut out, content.as_bytes())?;
    }
    out.finish().map(drop).map_err(Into::into)
}

/// What is served beside takes free ports: several programs run at once.
fn more(arguments: &[&str]) -> &'static [&'static str] {
    match arguments.first() {
        Some(&"serve") => &["--public-listen", "127.0.0.1:0"],
        Some(&"demo") => &[
            "--port",
            "0",
            "--practice-port",
            "0",
            "--crm-port",
            "0",
            "--printer-port",
            "0",
            "--timestamp-port",
            "0",
            "--public-port",
            "0",
        ],
        _ => &[],
    }
}

impl Program {
    /// Starts the program and waits until it listens. The demo's day is set.
    pub fn start(arguments: &[&str]) -> Result<Program> {
        let mut command = Command::new(binary());
        command.args(arguments).args(more(arguments));
        Program::listen(command)
    }

    /// The same on a folder that holds so many megabytes and no more: a file system in memory
    /// that this program alone sees, filled with a copy of a world.
    pub fn start_on_small_disk(folder: &Path, megabytes: usize, world: &Path, arguments: &[&str]) -> Result<Program> {
        let mut command = Command::new("unshare");
        // Whoever is not the superuser becomes one in a world of their own.
        if tool("id", &["-u"]).trim() != "0" {
            command.args(["--user", "--map-root-user"]);
        }
        let script = r#"mount -t tmpfs -o "size=$1m" tmpfs "$2" && cp -r "$3/." "$2" && shift 3 && exec "$@""#;
        command
            .args(["--mount", "sh", "-c", script, "sh", &megabytes.to_string()])
            .arg(folder)
            .arg(world)
            .arg(binary())
            .args(arguments)
            .args(more(arguments));
        Program::listen(command)
    }

    /// The same at another moment than the demo's.
    pub fn start_at(now: &str, arguments: &[&str]) -> Result<Program> {
        let mut command = Command::new(binary());
        command.args(arguments).args(more(arguments)).env("MANGLE_NOW", now);
        Program::listen(command)
    }

    fn listen(mut command: Command) -> Result<Program> {
        if !command.get_envs().any(|(name, _)| name == "MANGLE_NOW") {
            command.env("MANGLE_NOW", "2026-11-23T09:42:00");
        }
        let mut child =
            command.stdout(Stdio::piped()).spawn().with_context(|| format!("{} can't be started; build it first", binary().display()))?;
        let mut lines = BufReader::new(child.stdout.take().context("no output")?).lines();
        let line = lines.next().context("the program ended before it listened")??;
        let address = line.strip_prefix("Mangle is running at ").with_context(|| format!("the program said “{line}”"))?.to_owned();
        std::thread::spawn(move || lines.for_each(drop));
        Ok(Program { child, address })
    }

    /// A path as the program sees it.
    pub fn sees(&self, path: &Path) -> PathBuf {
        Path::new("/proc").join(self.child.id().to_string()).join("root").join(path.strip_prefix("/").unwrap_or(path))
    }

    /// The demo world on free ports, before anything happened in it.
    pub fn demo(folder: &Path) -> Result<Program> {
        Program::start(&["demo", "--fresh", "--folder", &folder.to_string_lossy()])
    }

    /// The demo world on free ports, as `make demo` starts it: with runs, answers and messages.
    pub fn demo_with_history(folder: &Path) -> Result<Program> {
        Program::start(&["demo", "--folder", &folder.to_string_lossy()])
    }

    /// Ends the program at once, without a chance to put anything in order.
    pub fn kill(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }

    /// Asks the program to end (SIGTERM) and waits for it; its exit code.
    pub fn terminate(&mut self) -> Result<Option<i32>> {
        tool("kill", &["-TERM", &self.child.id().to_string()]);
        Ok(self.child.wait()?.code())
    }

    /// Whether the program has ended.
    pub fn ended(&mut self) -> bool {
        matches!(self.child.try_wait(), Ok(Some(_)))
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        self.kill();
    }
}
