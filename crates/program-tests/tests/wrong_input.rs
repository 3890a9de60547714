//! Wrong input through the API: each gets one sentence that says what and where
//! and what to do, and leaves nothing behind.

use anyhow::{Context, Result};
use mangle_program_tests::{Program, repository, tool};
use serde_json::Value;

struct Office {
    program: Program,
    folder: tempfile::TempDir,
}

impl Office {
    fn open() -> Result<Office> {
        let folder = tempfile::tempdir()?;
        let data = folder.path().join("data");
        let program = Program::start(&["serve", "--port", "0", "--practice-port", "0", "--folder", &data.to_string_lossy()])?;
        Ok(Office { program, folder })
    }

    fn send(&self, place: &str, name: &str, bytes: &[u8]) -> Result<Value> {
        let file = self.folder.path().join(name);
        std::fs::write(&file, bytes)?;
        let url = format!("{}/api/{place}", self.program.address);
        let answer = tool("curl", &["-sS", "-F", &format!("file=@{}", file.display()), &url]);
        serde_json::from_str(&answer).with_context(|| answer)
    }

    fn list(&self, place: &str) -> Result<Value> {
        Ok(serde_json::from_str(&tool("curl", &["-sS", &format!("{}/api/{place}", self.program.address)]))?)
    }

    /// The refusal of a file: its code, and that its sentence names the file.
    fn refused(&self, place: &str, name: &str, bytes: &[u8]) -> Result<String> {
        let answer = self.send(place, name, bytes)?;
        let message = answer["message"].as_str().with_context(|| format!("{name} was taken: {answer}"))?;
        assert!(message.contains(name) && message.len() > 40, "{message}");
        Ok(answer["code"].as_str().unwrap_or_default().to_owned())
    }
}

/// A workbook or letter with one part of another content, made by Python's zip.
fn with_part(file: &str, part: &str, content: &str) -> Result<Vec<u8>> {
    let out = tempfile::NamedTempFile::new()?;
    let script = "import sys,zipfile\nsrc=zipfile.ZipFile(sys.argv[1]); out=zipfile.ZipFile(sys.argv[2],'w',zipfile.ZIP_DEFLATED)\nfor n in src.namelist(): out.writestr(n, eval(sys.argv[4]) if n==sys.argv[3] else src.read(n))\nout.close()";
    let from = repository().join("demo").join(file);
    tool("python3", &["-c", script, &from.to_string_lossy(), &out.path().to_string_lossy(), part, content]);
    Ok(std::fs::read(out.path())?)
}

const DTD: &str = "b'<?xml version=\"1.0\"?><!DOCTYPE x [<!ENTITY a \"b\">]><x>&a;</x>'";
const BOMB: &str = "b'<x>' + b' ' * (40 << 20) + b'</x>'";

#[test]
fn sheets_that_are_none() -> Result<()> {
    let office = Office::open()?;
    let season = std::fs::read(repository().join("demo/season.xlsx"))?;
    let wide = format!("{}\n1\n", (0..20_000).map(|n| format!("c{n}")).collect::<Vec<_>>().join(","));
    for (name, bytes, code) in [
        ("empty.csv", Vec::new(), "empty-file"),
        ("renamed.xlsx", b"%PDF-1.7\n".to_vec(), "wrong-kind"),
        ("cut.xlsx", season[..season.len() / 2].to_vec(), "damaged-file"),
        ("bomb.xlsx", with_part("season.xlsx", "xl/styles.xml", BOMB)?, "unpacks-too-far"),
        ("dtd.xlsx", with_part("season.xlsx", "xl/workbook.xml", DTD)?, "dtd"),
        ("wide.csv", wide.into_bytes(), "too-large"),
        ("letter.ods", std::fs::read(repository().join("demo/reminder.docx"))?, "wrong-kind"),
    ] {
        assert_eq!(office.refused("sources", name, &bytes)?, code, "{name}");
    }
    assert_eq!(office.list("sources")?, serde_json::json!([]), "nothing is left behind");
    Ok(())
}

#[test]
fn letters_that_are_none() -> Result<()> {
    let office = Office::open()?;
    let letter = std::fs::read(repository().join("demo/reminder.docx"))?;
    for (name, bytes, code) in [
        ("empty.docx", Vec::new(), "empty-file"),
        ("renamed.docx", b"%PDF-1.7\n".to_vec(), "wrong-kind"),
        ("cut.docx", letter[..9_000].to_vec(), "damaged-file"),
        ("bomb.docx", with_part("reminder.docx", "word/styles.xml", BOMB)?, "unpacks-too-far"),
        ("dtd.docx", with_part("reminder.docx", "word/document.xml", DTD)?, "dtd"),
        ("broken.docx", with_part("reminder.docx", "word/document.xml", "b'<w:document>'")?, "broken-part"),
        ("sheet.docx", std::fs::read(repository().join("demo/season.xlsx"))?, "wrong-kind"),
    ] {
        assert_eq!(office.refused("templates", name, &bytes)?, code, "{name}");
    }
    assert_eq!(office.list("templates")?, serde_json::json!([]));
    assert_eq!(std::fs::read_dir(office.folder.path().join("data/files"))?.count(), 0, "no file is left behind");
    Ok(())
}

#[test]
fn a_letter_with_problems_is_kept_and_says_them() -> Result<()> {
    let office = Office::open()?;
    let body = "open('/dev/null','rb').read() + ('<w:document xmlns:w=\"http://schemas.openxmlformats.org/wordprocessingml/2006/main\"><w:body>' + ''.join('<w:p><w:r><w:t>%s</w:t></w:r></w:p>' % t for t in ['Dear [: name, hello','[: rund(balance; 2)]','[:end]','[: 2026-02-30]','[:repeat for lines]']) + '</w:body></w:document>').encode()";
    let kept = office.send("templates", "wrong.docx", &with_part("reminder.docx", "word/document.xml", body)?)?;
    let problems = kept["problems"].as_array().context("problems")?;
    let codes: Vec<_> = problems.iter().map(|p| p["code"].as_str().unwrap_or_default()).collect();
    for code in ["never-closed", "unknown-function", "end-without-start", "no-such-day", "never-ended"] {
        assert!(codes.contains(&code), "{code}: {codes:?}");
    }
    // What is never closed is marked on the page like every other.
    let placeholders = kept["placeholders"].as_array().context("placeholders")?;
    let open = placeholders.iter().position(|p| p["text"] == "[: name, hello").context("the one that is never closed")?;
    let pages = office.list(&format!("versions/{}/pages", kept["versions"][0]["id"]))?;
    assert!(pages["marks"].as_array().context("marks")?.iter().any(|m| m["number"] == open), "{}", pages["marks"]);
    let function = problems.iter().find(|p| p["code"] == "unknown-function").context("the function")?;
    assert_eq!(function["message"], "Unknown function “rund”. Did you mean “ROUND”?");
    assert_eq!((function["target"]["place"].as_str(), function["target"]["line"].as_str()), (Some("body"), Some("[: rund(balance; 2)]")));
    Ok(())
}

#[test]
fn a_filter_and_a_type_that_can_not_be_used() -> Result<()> {
    let office = Office::open()?;
    office.send("sources", "a.csv", b"Ref,Due\nBQ-1,31.02.2026\nBQ-2,1.3.2026\nBQ-3,2.3.2026\nBQ-4,3.3.2026\n")?;
    let rows = office.list("sheets/1/rows?filter=du%20%3E%203")?;
    assert!(rows["message"].as_str().is_some_and(|m| m.contains("no column “du”")), "{rows}");
    let rows = office.list("sheets/1/rows")?;
    assert_eq!(rows["misfits"], serde_json::json!([0, 1]));
    assert_eq!(rows["rows"][0]["cells"][1], serde_json::json!({ "text": "31.02.2026", "wrong": "not a valid date" }));
    let answer = tool(
        "curl",
        &[
            "-sS",
            "-X",
            "PUT",
            "-H",
            "Content-Type: application/json",
            "-d",
            "{\"name\":\"Due\",\"type\":\"colour\"}",
            &format!("{}/api/sheets/1/columns/1", office.program.address),
        ],
    );
    assert!(answer.contains("“colour” is not a column type"), "{answer}");
    Ok(())
}
