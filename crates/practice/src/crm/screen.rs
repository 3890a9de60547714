//! The practice CRM's own screen: cases with their stages, and how it behaves.

use super::service::{Behaviour, TOKEN};
use super::world::{Entry, key_text};

/// A case as the screen lists it.
#[derive(Debug)]
pub struct Row {
    pub case: String,
    pub stage: String,
    pub vessel: String,
    pub owner: String,
}

const STAGES: [&str; 6] = ["Enquiry", "Inspected", "Quoted", "Approved", "In the yard", "Handed over"];

const STYLE: &str = "body{font:14px/1.5 sans-serif;margin:0 auto;max-width:900px;padding:16px;color:#2a2530;background:#faf8f4}\
table{border-collapse:collapse;width:100%}td,th{padding:4px 10px;border-bottom:1px solid #ddd8ce;text-align:left}\
label{margin-right:14px}input{width:70px}code{background:#efebe3;padding:1px 5px}#said{color:#4b7340}";

const SCRIPT: &str = "const said=document.getElementById('said');\
document.querySelectorAll('select').forEach(s=>s.addEventListener('change',async()=>{\
const r=await fetch('/odata/Cases(\\''+s.dataset.case+'\\')',{method:'PATCH',headers:{authorization:'Bearer '+document.body.dataset.token,'content-type':'application/json'},body:JSON.stringify({Stage:s.value})});\
said.textContent=r.ok?s.dataset.case+' is '+s.value+' now':'Request refused';}));\
document.querySelector('form').addEventListener('submit',async e=>{e.preventDefault();\
const body=Object.fromEntries([...new FormData(e.target)].map(([k,v])=>[k,Number(v)]));\
const r=await fetch('/behaviour',{method:'PUT',headers:{'content-type':'application/json'},body:JSON.stringify(body)});\
said.textContent=r.ok?'Applied':'Request refused';});\
document.getElementById('hook').addEventListener('submit',async e=>{e.preventDefault();\
const body=Object.fromEntries(new FormData(e.target));\
const r=await fetch('/hooks',{method:'POST',headers:{'content-type':'application/json'},body:JSON.stringify(body)});\
said.textContent=r.ok?'Changes are told to '+body.address:'Request refused';});";

fn escape(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;")
}

/// The screen of a case: its fields, its documents and its notes.
pub fn case(entry: &Entry, documents: &[&Entry], notes: &[&Entry]) -> String {
    let text = |entry: &Entry, name: &str| entry.get(name).filter(|v| !v.is_null()).map(key_text).map(|t| escape(&t)).unwrap_or_default();
    let fields: String = entry.keys().map(|name| format!("<tr><th>{name}</th><td>{}</td></tr>", text(entry, name))).collect();
    let files: String = documents
        .iter()
        .map(|d| {
            let (number, name) = (text(d, "DocumentID"), text(d, "Name"));
            format!(
                "<tr><td><a href=\"/documents/{number}\">{name}</a></td><td>{}</td><td><code>{}</code></td></tr>",
                text(d, "Created"),
                text(d, "Reference")
            )
        })
        .collect();
    let remarks: String = notes
        .iter()
        .map(|n| format!("<tr><td style=\"white-space:pre-wrap\">{}</td><td>{}</td></tr>", text(n, "Text"), text(n, "Created")))
        .collect();
    let table = |id: &str, title: &str, none: &str, rows: String| {
        let rows = if rows.is_empty() { format!("<p>{none}</p>") } else { format!("<table><tbody>{rows}</tbody></table>") };
        format!("<section id=\"{id}\"><h2>{title}</h2>{rows}</section>")
    };
    let number = text(entry, "CaseID");
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>{number}</title><style>{STYLE}</style><body>\
         <p><a href=\"/\">All cases</a></p><h1>Case {number}</h1>{}{}{}</body></html>",
        table("fields", "Fields", "No fields.", fields),
        table("documents", "Documents", "No documents yet.", files),
        table("notes", "Notes", "No notes yet.", remarks),
    )
}

/// The screen.
pub fn page(rows: &[Row], behaviour: &Behaviour) -> String {
    let lines: String = rows
        .iter()
        .map(|row| {
            let options: String =
                STAGES.iter().map(|s| format!("<option{}>{s}</option>", if *s == row.stage { " selected" } else { "" })).collect();
            let case = escape(&row.case);
            format!(
                "<tr><td><a href=\"/cases/{case}\">{case}</a></td><td>{}</td><td>{}</td><td><select data-case=\"{case}\" aria-label=\"Stage of {case}\">{options}</select></td></tr>",
                escape(&row.vessel),
                escape(&row.owner)
            )
        })
        .collect();
    let setting = |name: &str, label: &str, value: u64| {
        format!("<label>{label} <input name=\"{name}\" type=\"number\" min=\"0\" value=\"{value}\"></label>")
    };
    let settings = [
        setting("latency", "Response delay (ms)", behaviour.latency),
        setting("page", "Page size", behaviour.page as u64),
        setting("fail_every", "Fail every nth request", behaviour.fail_every),
        setting("per_second", "Rate limit (requests per second)", behaviour.per_second as u64),
        setting("lose_every", "Lose the answer to every nth change", behaviour.lose_every),
        setting("stale_every", "Let someone else change the record before every nth change", behaviour.stale_every),
    ];
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Practice CRM</title><style>{STYLE}</style><body data-token=\"{TOKEN}\">\
         <h1>Practice CRM</h1><p>A boatyard's cases, available over OData 4 at <code>/odata/</code> with the token <code>{TOKEN}</code>.</p>\
         <form>{}<button>Apply</button></form>\
         <form id=\"hook\"><label>Web hook <input name=\"address\" type=\"url\" required></label>\
         <label>Secret <input name=\"secret\" required></label><button>Tell of changes</button></form><p id=\"said\" role=\"status\"></p>\
         <table><thead><tr><th>Case</th><th>Vessel</th><th>Contact</th><th>Stage</th></tr></thead><tbody>{lines}</tbody></table>\
         <script>{SCRIPT}</script></body></html>",
        settings.concat()
    )
}
