//! Print: documents on paper, over the Internet Printing Protocol. A job is made first; what can't
//! be called back is sending its documents (RFC 8011, 4.2.4, 4.3.1).

use std::sync::{Arc, PoisonError, RwLock};
use std::time::Duration;

use ipp::attribute::IppAttribute;
use ipp::model::{JobState, Operation};
use ipp::value::{IppName, IppValue};
use mangle_core::channel::{PrintPayload, PrinterAddress};
use mangle_core::words::counted;
use serde::{Deserialize, Serialize};

use crate::printer::{Answer, Fault, Printer, address, failure, named};
use crate::{Awaited, Channel, Config, Delivery, Failure, Fate, Notice, Outcome, Pace, Raster, Rate, Said};

/// How often a printer is asked how far it is.
const ASKS_EVERY: Duration = Duration::from_secs(2);
/// The media types that are sent.
const PDF: &str = "application/pdf";
const PWG: &str = "image/pwg-raster";
/// The resolution of pages that are sent as pictures, where the printer has it.
const DPI: i32 = 300;

/// The print channel.
#[derive(Debug)]
pub struct Print {
    printers: RwLock<Arc<Vec<PrinterAddress>>>,
    raster: Option<Raster>,
}

impl Print {
    /// The channel; pages become pictures by the operator's means, where there are some.
    pub fn new(config: &Config) -> Print {
        Print { printers: RwLock::default(), raster: config.raster }
    }

    fn printer(&self, name: &str) -> Result<Printer, Failure> {
        let known = self.printers.read().unwrap_or_else(PoisonError::into_inner).clone();
        let found = known.iter().find(|printer| printer.name == name);
        let found = found.ok_or_else(|| Failure::new("no-such-printer", format!("the office has no printer “{name}” any more")))?;
        Printer::new(&found.uri).map_err(|message| Failure::new("printer", message))
    }
}

/// What is known of a printer.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct PrinterInfo {
    /// Its make and model.
    pub model: String,
    /// How it is: ready, printing, or stopped with the reasons.
    pub state: String,
    /// The papers that it takes (PWG 5101.1).
    pub papers: Vec<String>,
    /// Its trays.
    pub trays: Vec<String>,
    /// Whether it prints on both sides.
    pub two_sided: bool,
}

/// Whether a text can be the URI of a printer; what is wrong otherwise.
pub fn check_uri(uri: &str) -> Result<(), String> {
    address(uri).map(drop)
}

/// Looks at a printer.
pub fn look(uri: &str) -> Result<PrinterInfo, Failure> {
    let printer = Printer::new(uri).map_err(|message| Failure::new("printer", message))?;
    let found = printer.look().map_err(|fault| failure(&fault))?;
    if !found.texts("document-format-supported").iter().any(|format| [PDF, PWG].contains(&format.as_str())) {
        return Err(Failure::new("format", "the printer takes neither PDF nor PWG raster"));
    }
    let sources = found.texts("media-source-supported").into_iter().filter(|tray| !["auto", "main", "alternate"].contains(&tray.as_str()));
    Ok(PrinterInfo {
        model: found.text("printer-make-and-model").or_else(|| found.text("printer-name")).unwrap_or_default(),
        state: state_of(&found),
        papers: found.texts("media-supported").into_iter().filter(|name| size(name).is_some()).take(200).collect(),
        trays: sources.take(50).collect(),
        two_sided: found.texts("sides-supported").iter().any(|sides| sides.starts_with("two-sided")),
    })
}

/// How a printer is, in words (RFC 8011, 5.4.11 and 5.4.12).
fn state_of(found: &Answer) -> String {
    let reasons = reasons(found);
    let word = match found.number("printer-state") {
        Some(4) => "printing",
        Some(5) => "stopped",
        _ if reasons.is_empty() => return "ready".to_owned(),
        _ => "ready",
    };
    if reasons.is_empty() { word.to_owned() } else { format!("{word}: {}", reasons.join(", ")) }
}

/// What the printer has to say of itself, in words.
fn reasons(found: &Answer) -> Vec<String> {
    let told = found.texts("printer-state-reasons").into_iter().filter(|reason| reason != "none");
    let words = |reason: String| {
        let bare = ["-error", "-warning", "-report"].iter().find_map(|end| reason.strip_suffix(end)).unwrap_or(&reason);
        match bare {
            "media-empty" | "media-needed" => "out of paper".to_owned(),
            "media-jam" => "paper jam".to_owned(),
            "media-low" => "paper low".to_owned(),
            "toner-empty" | "marker-supply-empty" => "out of toner".to_owned(),
            "toner-low" | "marker-supply-low" => "toner low".to_owned(),
            "door-open" | "cover-open" => "a cover is open".to_owned(),
            other => other.replace('-', " "),
        }
    };
    let mut all: Vec<String> = told.map(words).collect();
    all.dedup();
    all
}

/// The size of a paper in hundredths of a millimetre, by its name (PWG 5101.1, 5: `_WxHmm`, `_WxHin`).
fn size(paper: &str) -> Option<(i32, i32)> {
    let dimensions = paper.rsplit_once('_')?.1;
    let (numbers, scale) = match dimensions.strip_suffix("mm") {
        Some(numbers) => (numbers, 100.0),
        None => (dimensions.strip_suffix("in")?, 2_540.0),
    };
    let (width, height) = numbers.split_once('x')?;
    let hundredths = |text: &str| text.parse::<f64>().ok().map(|n| (n * scale).round() as i32).filter(|n| (1..1_000_000).contains(n));
    Some((hundredths(width)?, hundredths(height)?))
}

/// What the job asks for of paper.
fn media(payload: &PrintPayload) -> Option<IppAttribute> {
    let keyword = |text: &str| IppValue::new_keyword(text);
    match (payload.paper.as_str(), payload.tray.as_str()) {
        ("", "") => None,
        (paper, "") => named("media", keyword(paper)),
        (paper, tray) => {
            let mut members = std::collections::BTreeMap::new();
            members.insert(IppName::new("media-source").ok()?, keyword(tray).ok()?);
            if let Some((width, height)) = size(paper) {
                let pair = [("x-dimension", width), ("y-dimension", height)];
                let pair = pair.into_iter().filter_map(|(name, n)| Some((IppName::new(name).ok()?, IppValue::new_integer(n))));
                members.insert(IppName::new("media-size").ok()?, IppValue::Collection(pair.collect()));
            }
            named("media-col", Ok(IppValue::Collection(members)))
        }
    }
}

fn job_attributes(payload: &PrintPayload) -> Vec<IppAttribute> {
    let copies = i32::try_from(payload.copies).unwrap_or(1);
    let mut all = vec![named("copies", Ok(IppValue::new_integer(copies))), named("sides", IppValue::new_keyword(payload.sides.keyword()))];
    all.push(media(payload));
    all.into_iter().flatten().collect()
}

fn job(id: i32) -> Vec<IppAttribute> {
    named("job-id", Ok(IppValue::new_integer(id))).into_iter().collect()
}

impl Channel for Print {
    fn kind(&self) -> &'static str {
        "print"
    }

    fn pace(&self) -> Pace {
        Pace {
            // Sheets lie in the order of the run.
            at_once: 1,
            rate: Rate::default(),
            first_pause: Duration::from_secs(5),
            longest_pause: Duration::from_secs(300),
            give_up_after: Duration::from_secs(86_400),
        }
    }

    fn configure(&self, settings: &serde_json::Value, _secret: &str) -> Result<(), serde_json::Error> {
        let printers: Vec<PrinterAddress> = serde_json::from_value(settings.clone())?;
        *self.printers.write().unwrap_or_else(PoisonError::into_inner) = Arc::new(printers);
        Ok(())
    }

    fn deliver(&self, delivery: &Delivery, begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
        let payload: PrintPayload = match serde_json::from_value(delivery.payload.clone()) {
            Ok(payload) => payload,
            Err(error) => return Outcome::Failed(Failure::new("payload", format!("the delivery can't be read: {error}"))),
        };
        let printer = match self.printer(&payload.printer) {
            Ok(printer) => printer,
            Err(failure) => return Outcome::Failed(failure),
        };
        let found = match printer.look() {
            Ok(found) => found,
            Err(fault) if fault.is_temporary() => return Outcome::Later(failure(&fault)),
            Err(fault) => return Outcome::Failed(failure(&fault)),
        };
        if found.holds("printer-is-accepting-jobs") == Some(false) {
            return Outcome::Later(Failure::new("printer", "the printer takes no jobs just now"));
        }
        let (kind, documents) = match self.as_it_takes(&found, delivery) {
            Ok(ready) => ready,
            Err(failure) => return Outcome::Failed(failure),
        };
        // Where it can't take several documents, each is a job of its own.
        let several = found.holds("multiple-document-jobs-supported") == Some(true);
        let jobs: Vec<&[Vec<u8>]> = if several { vec![&documents] } else { documents.chunks(1).collect() };
        hand_over(&printer, &payload, kind, &jobs, begin)
    }

    fn fate(&self, delivery: &Delivery, target: &str) -> Fate {
        let name = delivery.payload.get("printer").and_then(|name| name.as_str()).unwrap_or_default();
        let Ok(printer) = self.printer(name) else { return Fate::Unknown };
        let mut fates = jobs_of(target).into_iter().map(|id| match how_far(&printer, id) {
            Ok(Some(far)) if far.state == Some(JobState::Canceled as i32) || far.state == Some(JobState::Aborted as i32) => {
                Fate::NotDelivered
            }
            // It waits for the rest of its documents: nobody has printed any, and nobody will.
            Ok(Some(far)) if far.incoming && matches!(far.state, Some(3 | 4)) => {
                match printer.ask(Operation::CancelJob, job(id), Vec::new(), None) {
                    Ok(_) => Fate::NotDelivered,
                    Err(_) => Fate::Unknown,
                }
            }
            // It prints what it has, and waits for more, which will not come.
            Ok(Some(far)) if far.incoming => Fate::Unknown,
            Ok(Some(_)) => Fate::Delivered,
            Ok(None) | Err(_) => Fate::Unknown,
        });
        let Some(first) = fates.next() else { return Fate::Unknown };
        if fates.all(|fate| fate == first) { first } else { Fate::Unknown }
    }

    fn in_order(&self) -> bool {
        true
    }

    fn hears_later(&self) -> bool {
        true
    }

    fn listens_every(&self) -> Option<Duration> {
        Some(ASKS_EVERY)
    }

    fn listen(&self, awaited: &[Awaited], tell: &mut dyn FnMut(&Notice) -> bool) -> Result<(), Failure> {
        // Deliveries that are one job are told of alike.
        let mut told: Vec<(&str, Option<Said>)> = Vec::new();
        for one in awaited {
            let said = match told.iter().find(|(target, _)| *target == one.target) {
                Some((_, said)) => said.clone(),
                None => {
                    let said = self.said_of(&one.target);
                    told.push((&one.target, said.clone()));
                    said
                }
            };
            if let Some(said) = said {
                tell(&Notice { key: one.key.clone(), said });
            }
        }
        Ok(())
    }
}

impl Print {
    /// The documents as the printer takes them, with their media type.
    fn as_it_takes(&self, found: &Answer, delivery: &Delivery) -> Result<(&'static str, Vec<Vec<u8>>), Failure> {
        let formats = found.texts("document-format-supported");
        let takes = |format: &str| formats.iter().any(|own| own == format);
        if takes(PDF) {
            return Ok((PDF, delivery.documents.iter().map(|document| document.bytes.clone()).collect()));
        }
        match self.raster {
            Some(raster) if takes(PWG) => {
                let resolutions = found.all("pwg-raster-document-resolution-supported");
                // Dots to the inch: units 3 (RFC 8011, 5.1.16).
                let known = resolutions.iter().filter_map(|value| match value {
                    IppValue::Resolution { cross_feed, units: 3, .. } => Some(*cross_feed),
                    _ => None,
                });
                let dpi = known.min_by_key(|dpi| (dpi - DPI).abs()).unwrap_or(DPI).clamp(72, 600);
                let colour = found.texts("pwg-raster-document-type-supported").iter().any(|kind| kind == "srgb_8");
                let pages = delivery.documents.iter().map(|document| raster(&document.bytes, dpi as u32, colour));
                let pages: Result<Vec<Vec<u8>>, String> = pages.collect();
                pages.map(|pages| (PWG, pages)).map_err(|message| Failure::new("raster", message))
            }
            _ => Err(Failure::new("format", "the printer takes neither PDF nor PWG raster")),
        }
    }

    /// What a printer says of the jobs of a delivery; none where it says nothing just now.
    fn said_of(&self, target: &str) -> Option<Said> {
        let (name, ids) = target.split_once('\n')?;
        let printer = self.printer(name).ok()?;
        let mut open = None;
        let mut sheets = 0;
        for id in ids.split(',').filter_map(|id| id.parse().ok()) {
            match how_far(&printer, id) {
                // A printer forgets its jobs after a while.
                Ok(None) => {}
                Ok(Some(far)) => match far.state.unwrap_or(0) {
                    9 => sheets += far.sheets,
                    7 => return Some(Said::Returned(Failure::new("cancelled", format!("job {id} was cancelled at the printer")))),
                    8 => {
                        let why = if far.why.is_empty() { String::new() } else { format!(": {}", far.why) };
                        return Some(Said::Returned(Failure::new("aborted", format!("the printer gave up job {id}{why}"))));
                    }
                    _ => open = Some(far),
                },
                Err(_) => return None,
            }
        }
        match open {
            None if sheets > 0 => Some(Said::Done(format!("printed: {}", counted(sheets, "page", "pages")))),
            None => Some(Said::Done("printed".to_owned())),
            Some(far) => {
                let stopped = printer.look().ok().filter(|found| found.number("printer-state") == Some(5));
                Some(Said::Progress(match (stopped, far.state) {
                    (Some(found), _) => format!("the printer is {}", state_of(&found)),
                    (None, Some(5)) => "printing".to_owned(),
                    (None, Some(6)) => "the printer has stopped in the middle of it".to_owned(),
                    (None, _) => "waiting at the printer".to_owned(),
                }))
            }
        }
    }
}

/// The numbers of the jobs that a delivery began with.
fn jobs_of(target: &str) -> Vec<i32> {
    target.split_once('\n').map(|(_, ids)| ids.split(',').filter_map(|id| id.parse().ok()).collect()).unwrap_or_default()
}

/// How far a job is.
struct Far {
    state: Option<i32>,
    /// Whether it waits for documents.
    incoming: bool,
    sheets: usize,
    why: String,
}

/// How far a job is; none where the printer does not know it.
fn how_far(printer: &Printer, id: i32) -> Result<Option<Far>, Fault> {
    let found = match printer.ask(Operation::GetJobAttributes, job(id), Vec::new(), None) {
        Ok(found) => found,
        Err(fault) if fault.is_missing() => return Ok(None),
        Err(fault) => return Err(fault),
    };
    let reasons = found.texts("job-state-reasons");
    let incoming = reasons.iter().any(|reason| reason == "job-incoming") || found.number("number-of-documents") == Some(0);
    let state = found.number("job-state");
    let sheets = found.number("job-impressions-completed").or_else(|| found.number("job-media-sheets-completed"));
    Ok(Some(Far {
        state,
        incoming,
        sheets: sheets.and_then(|sheets| usize::try_from(sheets).ok()).unwrap_or(0),
        why: found.text("job-state-message").unwrap_or_default(),
    }))
}

/// Makes the jobs, then sends their documents.
fn hand_over(printer: &Printer, payload: &PrintPayload, kind: &str, jobs: &[&[Vec<u8>]], begin: &mut dyn FnMut(&str) -> bool) -> Outcome {
    let mut ids: Vec<i32> = Vec::new();
    let give_up = |ids: &[i32]| {
        for id in ids {
            // One that is left over is empty, and the printer throws it away by itself.
            let _ = printer.ask(Operation::CancelJob, job(*id), Vec::new(), None);
        }
    };
    for (at, _) in jobs.iter().enumerate() {
        let title = if jobs.len() == 1 { payload.title.clone() } else { format!("{} ({} of {})", payload.title, at + 1, jobs.len()) };
        let name = IppName::new_truncated(title);
        let own = named("job-name", Ok(IppValue::NameWithoutLanguage(name))).into_iter().collect();
        let made = printer.ask(Operation::CreateJob, own, job_attributes(payload), None);
        let refused = match made {
            Ok(made) => match made.number("job-id") {
                Some(id) => {
                    ids.push(id);
                    continue;
                }
                None => Fault::Lost("the printer did not name its job".to_owned()),
            },
            Err(fault) => fault,
        };
        give_up(&ids);
        return if refused.is_temporary() { Outcome::Later(failure(&refused)) } else { Outcome::Failed(failure(&refused)) };
    }
    let numbers = ids.iter().map(i32::to_string).collect::<Vec<_>>().join(",");
    if !begin(&format!("{}\n{numbers}", payload.printer)) {
        give_up(&ids);
        return Outcome::NotBegun;
    }
    let total: usize = jobs.iter().map(|job| job.len()).sum();
    let mut sent = 0;
    for (id, documents) in ids.iter().zip(jobs) {
        for (at, document) in documents.iter().enumerate() {
            let mut own = job(*id);
            let last = at + 1 == documents.len();
            own.extend(named("document-format", IppValue::new_mime_media_type(kind)));
            own.extend(named("last-document", Ok(IppValue::new_boolean(last))));
            let Err(fault) = printer.ask(Operation::SendDocument, own, Vec::new(), Some(document)) else {
                sent += 1;
                continue;
            };
            // What it was not told, it does not print.
            let certain = !matches!(fault, Fault::Lost(_));
            let cancelled = printer.ask(Operation::CancelJob, job(*id), Vec::new(), None).is_ok();
            let blank = || matches!(how_far(printer, *id), Ok(Some(far)) if far.sheets == 0);
            return match () {
                () if sent > 0 => {
                    let message =
                        format!("{} after {sent} of {total} documents; the rest was not printed. Look at the paper.", fault.message());
                    Outcome::Uncertain(Failure::new("printer", message))
                }
                () if certain && fault.is_temporary() => Outcome::Later(failure(&fault)),
                () if certain => Outcome::Failed(failure(&fault)),
                // It may have begun to print before it was cancelled.
                () if cancelled && blank() => Outcome::Later(failure(&fault)),
                () => Outcome::Uncertain(failure(&fault)),
            };
        }
    }
    Outcome::Delivered(format!("{} at {}", counted_jobs(&ids), payload.printer))
}

fn counted_jobs(ids: &[i32]) -> String {
    match ids {
        [one] => format!("job {one}"),
        [first, .., last] => format!("jobs {first} to {last}"),
        [] => "no job".to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_papers_name_says_its_size() {
        assert_eq!(size("iso_a4_210x297mm"), Some((21_000, 29_700)));
        assert_eq!(size("na_letter_8.5x11in"), Some((21_590, 27_940)));
        assert_eq!((size("custom_min_a"), size("iso_a4_0x297mm"), size("iso_a4")), (None, None, None));
    }

    #[test]
    fn what_a_job_asks_for_of_paper_names_tray_and_size() {
        let payload = |paper: &str, tray: &str| PrintPayload {
            printer: "Desk".into(),
            title: "Pass".into(),
            copies: 2,
            sides: mangle_core::channel::Sides::TwoSidedLongEdge,
            paper: paper.into(),
            tray: tray.into(),
            order: serde_json::Value::Null,
            together: false,
        };
        let names = |paper: &str, tray: &str| {
            let all = job_attributes(&payload(paper, tray));
            all.iter().map(|one| format!("{}={}", one.name(), one.value())).collect::<Vec<_>>()
        };
        assert_eq!(names("", ""), ["copies=2", "sides=two-sided-long-edge"]);
        assert_eq!(names("iso_a4_210x297mm", "")[2], "media=iso_a4_210x297mm");
        assert!(names("iso_a4_210x297mm", "tray-2")[2].contains("media-source=tray-2"), "{:?}", names("iso_a4_210x297mm", "tray-2"));
    }
}
