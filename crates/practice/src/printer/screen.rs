//! The practice printer's own screen: its jobs, and how it is.

use super::queue::{Condition, Job};

const STYLE: &str = "body{font:14px/1.5 sans-serif;margin:0 auto;max-width:900px;padding:16px;color:#2a2530;background:#faf8f4}\
table{border-collapse:collapse;width:100%}td,th{padding:4px 10px;border-bottom:1px solid #ddd8ce;text-align:left}\
label{margin-right:14px}input[type=number]{width:70px}#said{color:#4b7340}";

const SCRIPT: &str = "document.querySelector('form').addEventListener('submit',async e=>{e.preventDefault();\
const body={};for(const i of e.target.elements)if(i.name)body[i.name]=i.type==='checkbox'?i.checked:Number(i.value);\
const r=await fetch('/condition',{method:'PUT',headers:{'content-type':'application/json'},body:JSON.stringify(body)});\
document.getElementById('said').textContent=r.ok?'Applied':'Request refused';});";

/// The screen.
pub fn page(jobs: &[Job], condition: &Condition) -> String {
    let escape = |text: &str| text.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;");
    let state = |job: &Job| match job.state {
        3 => "waiting",
        4 => "waiting for documents",
        5 => "printing",
        7 => "cancelled",
        8 => "given up",
        _ => "printed",
    };
    let rows: String = jobs
        .iter()
        .map(|job| {
            let documents: Vec<String> =
                (0..job.documents.len()).map(|at| format!("<a href=\"/jobs/{}/{at}\">{}</a>", job.number, at + 1)).collect();
            format!(
                "<tr><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td><td>{}</td></tr>",
                job.number,
                escape(&job.name),
                state(job),
                job.printed,
                job.copies,
                escape(&job.sides),
                escape(&job.media),
                documents.join(" ")
            )
        })
        .collect();
    let tick = |name: &str, label: &str, on: bool| {
        format!("<label><input type=\"checkbox\" name=\"{name}\"{}> {label}</label>", if on { " checked" } else { "" })
    };
    let number = |name: &str, label: &str, value: i64| {
        format!("<label>{label} <input name=\"{name}\" type=\"number\" min=\"0\" value=\"{value}\"></label>")
    };
    let settings = [
        tick("out_of_paper", "Out of paper", condition.out_of_paper),
        tick("jammed", "Jammed", condition.jammed),
        tick("off", "Off", condition.off),
        tick("raster_only", "PWG raster only", condition.raster_only),
        tick("single_documents", "One document a job", condition.single_documents),
        number("page_takes", "A page takes (ms)", condition.page_takes as i64),
        number("abort_every", "Give up every nth job", condition.abort_every.into()),
    ];
    let list = match rows.is_empty() {
        true => "<p>No jobs yet.</p>".to_owned(),
        false => format!(
            "<table><thead><tr><th>Job</th><th>Name</th><th>State</th><th>Pages printed</th><th>Copies</th><th>Sides</th><th>Paper</th><th>Documents</th></tr></thead><tbody>{rows}</tbody></table>"
        ),
    };
    format!(
        "<!doctype html><html lang=\"en\"><meta charset=\"utf-8\"><title>Practice printer</title><style>{STYLE}</style><body>\
         <h1>Practice printer</h1><p>A printer at <code>/ipp/print</code> of this port, for trying things out: it stores its sheets.</p>\
         <form>{}<button>Apply</button></form><p id=\"said\" role=\"status\"></p>{list}<script>{SCRIPT}</script></body></html>",
        settings.concat()
    )
}
