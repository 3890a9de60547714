//! Words that nobody should read: home-made terms and stilted phrases for which there is
//! a standard word. Looked for in every string of the front end and in every message.

use std::fs;
use std::path::{Path, PathBuf};

use proc_macro2::{TokenStream, TokenTree};
use regex::Regex;

/// Words and phrases with what to write instead.
const BANNED: &[(&str, &str)] = &[
    (r"signs", "characters"),
    (r"keeps|kept", "saves, saved"),
    (r"br(ing|ings|inging|ought) in|brought", "import, upload"),
    (r"take (it |them |one )?out|takes out|taken out|take (it |them )?away|throw\w* away", "remove, delete"),
    (r"mend(s|ed|ing)?", "fix, correct"),
    (r"put (it |them |these |this |that )?right", "fix, correct"),
    (r"anew|once more|do again|done again", "again, redo"),
    (r"parted", "separated"),
    (r"where blank", "leave blank for …"),
    (r"(is|are|was|were) no", "is not a"),
    (r"stands?|stood", "is"),
    (r"for instance", "for example, e.g."),
    (r"at hand", "current"),
    (r"asked of", "query on"),
    (r"greatest", "largest, descending"),
    (r"specimens?", "test case"),
    (r"tied|ties", "mapped, mapping"),
    (r"likeliest", "best match"),
    (r"bench", "dispatch"),
    (r"misfits?|passed over", "invalid, skipped"),
    (r"cut off", "incomplete"),
    (r"work(s|ed)? out", "calculate"),
    (r"go(es)? on", "resume, continue"),
    (r"so many", "n"),
];

fn repository() -> PathBuf {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("../..")
}

/// The files below a folder that end so.
fn files(folder: &Path, ends: &[&str], found: &mut Vec<PathBuf>) {
    for entry in fs::read_dir(folder).expect("a folder") {
        let path = entry.expect("an entry").path();
        if path.is_dir() {
            files(&path, ends, found);
        } else if ends.iter().any(|end| path.to_string_lossy().ends_with(end)) {
            found.push(path);
        }
    }
}

/// The literals of a Rust source that are sentences, comments and tests left out.
fn messages(tokens: TokenStream, found: &mut Vec<String>) {
    let tokens: Vec<TokenTree> = tokens.into_iter().collect();
    let mut at = 0;
    let mut of_tests = false;
    while at < tokens.len() {
        match &tokens[at] {
            TokenTree::Punct(hash) if hash.as_char() == '#' => {
                // `#![…]` is of the file.
                if matches!(tokens.get(at + 1), Some(TokenTree::Punct(p)) if p.as_char() == '!') {
                    at += 1;
                }
                if let Some(TokenTree::Group(attribute)) = tokens.get(at + 1) {
                    let text = attribute.stream().to_string().replace(' ', "");
                    of_tests |= text == "cfg(test)";
                    // A message of an error stands in its attribute; documentation does, too.
                    if text.starts_with("error(") {
                        messages(attribute.stream(), found);
                    }
                    at += 1;
                }
            }
            TokenTree::Group(_) if std::mem::take(&mut of_tests) => {}
            TokenTree::Group(group) => messages(group.stream(), found),
            TokenTree::Punct(end) if end.as_char() == ';' => of_tests = false,
            TokenTree::Literal(literal) => {
                let text = literal.to_string();
                let sql = ["SELECT", "INSERT", "UPDATE", "DELETE", "CREATE", "ALTER", "CASE", "{WORK}"];
                if text.contains(' ') && !sql.iter().any(|word| text.trim_start_matches('"').trim_start().starts_with(word)) {
                    found.push(text);
                }
            }
            _ => {}
        }
        at += 1;
    }
}

/// What a screen says: the texts of its template, its labels, and the literals of its script.
fn said(source: &str) -> Vec<String> {
    let cut = |pattern: &str, text: &str| Regex::new(pattern).expect("a pattern").replace_all(text, "").into_owned();
    let source = cut(r"(?s)<style.*?</style>|/\*.*?\*/|<!--.*?-->", source);
    let source = cut(r"(?m)(^|\s)//[^\n]*$|^import .*$", &source);
    let template = Regex::new(r"(?s)<template>.*</template>").expect("a pattern").find(&source).map_or("", |m| m.as_str());
    let script = source.replace(template, "");
    let mut found = Vec::new();
    let mut literals = |text: &str, blanks: bool| {
        for one in Regex::new(r"'((?:[^'\\\n]|\\.)*)'|`((?:[^`\\]|\\.)*)`").expect("a pattern").captures_iter(text) {
            let own = one.get(1).or(one.get(2)).map_or("", |m| m.as_str());
            // One capitalised word of a script is a label, unless it is the name of a type.
            let label = !blanks && own.starts_with(char::is_uppercase) && !text.contains(&format!("Schemas['{own}']"));
            if own.contains(' ') || label {
                found.push(own.to_owned());
            }
        }
    };
    literals(&script, false);
    for bound in Regex::new(r#"(?s)[:@][\w-]+="([^"]*)"|\{\{(.*?)\}\}"#).expect("a pattern").captures_iter(template) {
        literals(bound.get(1).or(bound.get(2)).map_or("", |m| m.as_str()), true);
    }
    for label in Regex::new(r#"\s(?:label|title|placeholder|aria-label|about|alt)="([^"]*)""#).expect("a pattern").captures_iter(template) {
        found.push(label[1].to_owned());
    }
    let bare = cut(r#"(?s)\{\{.*?\}\}|="[^"]*""#, template);
    for text in Regex::new(r"(?s)>([^<>]+)<").expect("a pattern").captures_iter(&bare) {
        found.push(text[1].split_whitespace().collect::<Vec<_>>().join(" "));
    }
    found
}

#[test]
fn nobody_reads_a_word_for_which_there_is_a_better_one() {
    let (mut screens, mut sources) = (Vec::new(), Vec::new());
    files(&repository().join("web/src"), &[".vue", ".ts"], &mut screens);
    for name in ["core", "documents", "server", "mangle", "practice"] {
        files(&repository().join("crates").join(name).join("src"), &[".rs"], &mut sources);
    }
    let mut strings: Vec<(PathBuf, String)> = Vec::new();
    for path in screens.into_iter().filter(|p| !p.ends_with("api/schema.ts")) {
        let source = fs::read_to_string(&path).expect("a screen");
        strings.extend(said(&source).into_iter().map(|text| (path.clone(), text)));
    }
    for path in sources.into_iter().filter(|p| !p.components().any(|c| c.as_os_str() == "tests") && !p.ends_with("tests.rs")) {
        let source = fs::read_to_string(&path).expect("a source");
        let mut found = Vec::new();
        messages(source.parse().expect("Rust"), &mut found);
        strings.extend(found.into_iter().map(|text| (path.clone(), text)));
    }
    assert!(strings.len() > 2_000, "only {} strings were found", strings.len());

    // Code within a sentence keeps the words of the placeholder language.
    let code = Regex::new(r"`[^`]*`|\[:[^\]]*\]?|\$?\{[^}]*\}").expect("a pattern");
    let banned: Vec<(Regex, &str)> = BANNED
        .iter()
        .map(|(words, better)| (Regex::new(&format!(r"(?i)(^|[^\w.-])({words})([^\w(.:-]|$)")).expect("a pattern"), *better))
        .collect();
    let mut wrong = Vec::new();
    for (path, text) in &strings {
        let plain = code.replace_all(text, "");
        for (pattern, better) in &banned {
            if let Some(found) = pattern.captures(&plain) {
                let name = path.strip_prefix(repository()).unwrap_or(path).display();
                wrong.push(format!("{name}: “{}” in “{text}”; better: {better}", &found[2]));
            }
        }
    }
    assert!(wrong.is_empty(), "{} strings:\n{}", wrong.len(), wrong.join("\n"));
}
