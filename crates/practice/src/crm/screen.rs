//! The practice CRM's own screen: cases with their stages, and how it behaves.

use super::service::{Behaviour, TOKEN};

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
said.textContent=r.ok?'Applied':'Request refused';});";

/// The screen.
pub fn page(rows: &[Row], behaviour: &Behaviour) -> String {
    let escape = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
    let lines: String = rows
        .iter()
        .map(|row| {
            let options: String =
                STAGES.iter().map(|s| format!("<option{}>{s}</option>", if *s == row.stage { " selected" } else { "" })).collect();
            let case = escape(&row.case);
            format!(
                "<tr><td>{case}</td><td>{}</td><td>{}</td><td><select data-case=\"{case}\" aria-label=\"Stage of {case}\">{options}</select></td></tr>",
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
    ];
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Practice CRM</title><style>{STYLE}</style><body data-token=\"{TOKEN}\">\
         <h1>Practice CRM</h1><p>A boatyard's cases, available over OData 4 at <code>/odata/</code> with the token <code>{TOKEN}</code>.</p>\
         <form>{}<button>Apply</button></form><p id=\"said\" role=\"status\"></p>\
         <table><thead><tr><th>Case</th><th>Vessel</th><th>Contact</th><th>Stage</th></tr></thead><tbody>{lines}</tbody></table>\
         <script>{SCRIPT}</script></body></html>",
        settings.concat()
    )
}
