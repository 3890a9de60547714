//! Requests and answers of the Internet Printing Protocol (RFC 8010, RFC 8011).

use std::io::{Cursor, Read};

use axum::body::Bytes;
use ipp::attribute::{IppAttribute, IppAttributeGroup, IppAttributes};
use ipp::model::{DelimiterTag, IppVersion, Operation, StatusCode};
use ipp::parser::{IppParseError, IppParser};
use ipp::reader::IppReader;
use ipp::request::IppRequestResponse;
use ipp::value::{IppName, IppTextValue, IppValue};

use super::queue::{Condition, Job, Printer, Ticket, state};

const PDF: &str = "application/pdf";
const PWG: &str = "image/pwg-raster";
/// The operations (RFC 8011, 5.4.15).
const OPERATIONS: [Operation; 9] = [
    Operation::PrintJob,
    Operation::ValidateJob,
    Operation::CreateJob,
    Operation::SendDocument,
    Operation::CancelJob,
    Operation::GetJobAttributes,
    Operation::GetJobs,
    Operation::GetPrinterAttributes,
    Operation::CloseJob,
];
const PAPERS: [&str; 3] = ["iso_a4_210x297mm", "iso_a5_148x210mm", "na_letter_8.5x11in"];
const TRAYS: [&str; 3] = ["auto", "tray-1", "tray-2"];
const SIDES: [&str; 3] = ["one-sided", "two-sided-long-edge", "two-sided-short-edge"];
/// The most copies.
const MOST_COPIES: i32 = 99;

type Refusal = (StatusCode, &'static str);

/// The answer to a request; none where it can't be read at all.
pub fn answer(printer: &Printer, uri: &str, body: Bytes) -> Option<Vec<u8>> {
    let (header, attributes, reader) = IppParser::new(IppReader::new(Cursor::new(body))).parse_parts().ok()?;
    let mut document = Vec::new();
    reader.into_inner().read_to_end(&mut document).ok()?;
    let request = Request { printer, uri, attributes, document: document.into() };
    // Versions 1.x and 2.x are spoken; the answer has the request's (RFC 8011, 4.1.8).
    let version = header.version;
    let known = matches!(version.0 >> 8, 1 | 2);
    let result = match (known, header.request_id) {
        (false, _) => Err((StatusCode::ServerErrorVersionNotSupported, "this version is not spoken here")),
        (_, id) if id < 1 => Err((StatusCode::ClientErrorBadRequest, "a request has a number from 1")),
        _ => request.check().and_then(|()| request.carry_out(header.operation_or_status)),
    };
    let version = if known { version } else { IppVersion::v2_0() };
    let (status, groups, message) = match result {
        Ok(groups) => (StatusCode::SuccessfulOk, groups, None),
        Err((status, message)) => (status, Vec::new(), Some(message)),
    };
    let mut response = IppRequestResponse::new_response(version, status, header.request_id).ok()?;
    if let Some(message) = message {
        response.attributes_mut().add(DelimiterTag::OperationAttributes, text("status-message", message)?);
    }
    response.attributes_mut().groups_mut().extend(groups);
    Some(response.to_bytes().to_vec())
}

struct Request<'a> {
    printer: &'a Printer,
    uri: &'a str,
    attributes: IppAttributes,
    document: Bytes,
}

type Answered = Result<Vec<IppAttributeGroup>, Refusal>;

impl Request<'_> {
    fn operation(&self, name: &str) -> Option<&IppValue> {
        self.attributes.first_of(DelimiterTag::OperationAttributes)?.get(name).map(IppAttribute::value)
    }

    fn job(&self, name: &str) -> Option<&IppValue> {
        self.attributes.first_of(DelimiterTag::JobAttributes)?.get(name).map(IppAttribute::value)
    }

    /// What every request begins with (RFC 8011, 4.1.4).
    fn check(&self) -> Result<(), Refusal> {
        let bad = |what| Err((StatusCode::ClientErrorBadRequest, what));
        let Some(group) = self.attributes.groups().first().filter(|group| group.tag() == DelimiterTag::OperationAttributes) else {
            return bad("the operation's attributes are missing");
        };
        let names: Vec<&str> = group.attributes().iter().take(2).map(|a| a.name().as_str()).collect();
        if names != ["attributes-charset", "attributes-natural-language"] {
            return bad("charset and language come first");
        }
        match group.get("attributes-charset").map(|a| a.value().to_string()) {
            Some(charset) if charset.eq_ignore_ascii_case("utf-8") || charset.eq_ignore_ascii_case("us-ascii") => {}
            _ => return Err((StatusCode::ClientErrorCharsetNotSupported, "only utf-8 is spoken here")),
        }
        match (group.get("printer-uri"), group.get("job-uri")) {
            (None, None) => bad("no printer is named"),
            _ => Ok(()),
        }
    }

    fn carry_out(&self, operation: i16) -> Answered {
        let is = |wanted: Operation| operation == wanted as i16;
        match () {
            () if is(Operation::GetPrinterAttributes) => Ok(vec![self.wanted(self.printer_attributes(), DelimiterTag::PrinterAttributes)]),
            () if is(Operation::ValidateJob) => self.ticket().map(|_| Vec::new()),
            () if is(Operation::CreateJob) => self.ticket().map(|ticket| vec![self.short(&self.printer.create(ticket))]),
            () if is(Operation::PrintJob) => {
                let (ticket, format) = (self.ticket()?, self.format()?);
                let job = self.printer.create(ticket);
                let added = self.printer.add(job.number, Some((format, self.document.clone())), true);
                Ok(vec![self.short(&added.unwrap_or(job))])
            }
            () if is(Operation::SendDocument) => self.send_document(),
            () if is(Operation::CloseJob) => {
                let job = self.find()?;
                Ok(vec![self.short(&self.printer.add(job.number, None, true).unwrap_or(job))])
            }
            () if is(Operation::CancelJob) => {
                let job = self.find()?;
                match self.printer.cancel(job.number) {
                    true => Ok(Vec::new()),
                    false => Err((StatusCode::ClientErrorNotPossible, "the job has ended")),
                }
            }
            () if is(Operation::GetJobAttributes) => {
                let job = self.find()?;
                Ok(vec![self.wanted(self.job_attributes(&job), DelimiterTag::JobAttributes)])
            }
            () if is(Operation::GetJobs) => Ok(self.jobs()),
            () => Err((StatusCode::ServerErrorOperationNotSupported, "this is not done here")),
        }
    }

    fn send_document(&self) -> Answered {
        let job = self.find()?;
        let Some(IppValue::Boolean(last)) = self.operation("last-document") else {
            return Err((StatusCode::ClientErrorBadRequest, "last-document is missing"));
        };
        if !job.open {
            return Err((StatusCode::ClientErrorNotPossible, "the job takes no more documents"));
        }
        if self.printer.condition().single_documents && !job.documents.is_empty() && !self.document.is_empty() {
            return Err((StatusCode::ServerErrorMultipleDocumentJobsNotSupported, "one document a job"));
        }
        // The last may be none (RFC 8011, 4.3.1).
        let document = match self.document.is_empty() && *last {
            true => None,
            false => Some((self.format()?, self.document.clone())),
        };
        match self.printer.add(job.number, document, *last) {
            Some(job) => Ok(vec![self.short(&job)]),
            None => Err((StatusCode::ClientErrorNotPossible, "the job takes no more documents")),
        }
    }

    /// The document's media type.
    fn format(&self) -> Result<String, Refusal> {
        if self.operation("compression").is_some_and(|compression| compression.to_string() != "none") {
            return Err((StatusCode::ClientErrorCompressionNotSupported, "no compression is undone here"));
        }
        let told = self.operation("document-format").map_or_else(|| "application/octet-stream".to_owned(), ToString::to_string);
        let found = match told.as_str() {
            "application/octet-stream" if self.document.starts_with(b"%PDF") => PDF,
            "application/octet-stream" if self.document.starts_with(b"RaS2") => PWG,
            other => other,
        };
        match formats(&self.printer.condition()).contains(&found) {
            true => Ok(found.to_owned()),
            false => Err((StatusCode::ClientErrorDocumentFormatNotSupported, "this kind of document is not printed here")),
        }
    }

    fn ticket(&self) -> Result<Ticket, Refusal> {
        let unsupported = |what| Err((StatusCode::ClientErrorAttributesOrValuesNotSupported, what));
        if let Some(format) = self.operation("document-format").map(ToString::to_string)
            && format != "application/octet-stream"
            && !formats(&self.printer.condition()).contains(&format.as_str())
        {
            return Err((StatusCode::ClientErrorDocumentFormatNotSupported, "this kind of document is not printed here"));
        }
        let copies = match self.job("copies") {
            Some(IppValue::Integer(copies)) => (*copies).clamp(1, MOST_COPIES),
            _ => 1,
        };
        let sides = self.job("sides").map_or_else(|| SIDES[0].to_owned(), ToString::to_string);
        if !SIDES.contains(&sides.as_str()) {
            return unsupported("these sides are not printed here");
        }
        let media = match (self.job("media"), self.job("media-col")) {
            (Some(media), _) => {
                let media = media.to_string();
                if !PAPERS.contains(&media.as_str()) {
                    return unsupported("this paper is not here");
                }
                media
            }
            (None, Some(IppValue::Collection(members))) => {
                let mut parts = Vec::new();
                for (name, value) in members {
                    match (name.as_str(), value) {
                        ("media-source", source) => {
                            let source = source.to_string();
                            if !TRAYS.contains(&source.as_str()) {
                                return unsupported("this tray is not here");
                            }
                            parts.push(source);
                        }
                        ("media-size", IppValue::Collection(size)) => {
                            let of = |wanted: &str| size.iter().find(|(n, _)| n.as_str() == wanted).map(|(_, v)| v.to_string());
                            parts.push(format!("{} × {}", of("x-dimension").unwrap_or_default(), of("y-dimension").unwrap_or_default()));
                        }
                        _ => {}
                    }
                }
                parts.join(", ")
            }
            _ => PAPERS[0].to_owned(),
        };
        let named = |name: &str, otherwise: &str| self.operation(name).map_or_else(|| otherwise.to_owned(), plain);
        Ok(Ticket { name: named("job-name", "Untitled"), user: named("requesting-user-name", "anonymous"), copies, sides, media })
    }

    /// The job that is meant, by its number or its URI.
    fn find(&self) -> Result<Job, Refusal> {
        let number = match (self.operation("job-id"), self.operation("job-uri")) {
            (Some(IppValue::Integer(number)), _) => Some(*number),
            (_, Some(uri)) => uri.to_string().rsplit('/').next().and_then(|n| n.parse().ok()),
            _ => None,
        };
        let number = number.ok_or((StatusCode::ClientErrorBadRequest, "no job is named"))?;
        self.printer.job(number).ok_or((StatusCode::ClientErrorNotFound, "job not found"))
    }

    fn jobs(&self) -> Vec<IppAttributeGroup> {
        let which = self.operation("which-jobs").map(ToString::to_string).unwrap_or_else(|| "not-completed".into());
        let limit = match self.operation("limit") {
            Some(IppValue::Integer(limit)) => usize::try_from(*limit).unwrap_or(usize::MAX),
            _ => usize::MAX,
        };
        let mine = matches!(self.operation("my-jobs"), Some(IppValue::Boolean(true)));
        let user = self.operation("requesting-user-name").map_or_else(String::new, plain);
        let ended = |job: &Job| job.state >= state::CANCELED;
        let mut jobs = self.printer.jobs();
        jobs.retain(|job| ended(job) == (which == "completed") && (!mine || job.user == user));
        if which != "completed" {
            jobs.reverse();
        }
        let short = |job: &Job| match self.operation("requested-attributes") {
            Some(_) => self.wanted(self.job_attributes(job), DelimiterTag::JobAttributes),
            // Its number and URI, where nothing else is asked for (RFC 8011, 4.2.6.1).
            None => {
                let mut group = IppAttributeGroup::new(DelimiterTag::JobAttributes);
                let all = self.job_attributes(job).into_iter().filter(|a| ["job-id", "job-uri"].contains(&a.name().as_str()));
                group.attributes_mut().extend(all);
                group
            }
        };
        jobs.iter().take(limit).map(short).collect()
    }

    /// What is said of a job when it is made (RFC 8011, 4.2.1.2).
    fn short(&self, job: &Job) -> IppAttributeGroup {
        let mut group = IppAttributeGroup::new(DelimiterTag::JobAttributes);
        let names = ["job-id", "job-uri", "job-state", "job-state-reasons"];
        group.attributes_mut().extend(self.job_attributes(job).into_iter().filter(|a| names.contains(&a.name().as_str())));
        group
    }

    /// Those of the attributes that were asked for.
    fn wanted(&self, all: Vec<IppAttribute>, tag: DelimiterTag) -> IppAttributeGroup {
        let asked: Vec<String> = match self.operation("requested-attributes") {
            None => vec!["all".to_owned()],
            Some(IppValue::Array(names)) => names.iter().map(ToString::to_string).collect(),
            Some(name) => vec![name.to_string()],
        };
        let takes = |name: &str| {
            asked.iter().any(|asked| match asked.as_str() {
                "all" => name != "media-col-database",
                "job-template" => {
                    JOB_TEMPLATE.contains(&name.trim_end_matches("-default").trim_end_matches("-supported").trim_end_matches("-ready"))
                }
                "job-description" | "printer-description" => !JOB_TEMPLATE.iter().any(|own| name.starts_with(own)),
                own => own == name,
            })
        };
        let mut group = IppAttributeGroup::new(tag);
        group.attributes_mut().extend(all.into_iter().filter(|attribute| takes(attribute.name().as_str())));
        group
    }

    fn job_attributes(&self, job: &Job) -> Vec<IppAttribute> {
        let reasons = match job.state {
            state::HELD => "job-incoming",
            state::PENDING if stops(&self.printer.condition()).is_some() => "printer-stopped",
            state::PROCESSING => "job-printing",
            state::CANCELED => "job-canceled-by-user",
            state::ABORTED => "aborted-by-system",
            state::COMPLETED => "job-completed-successfully",
            _ => "none",
        };
        let count = |n: usize| i32::try_from(n).unwrap_or(i32::MAX);
        let began = if job.state >= state::PROCESSING { Ok(IppValue::Integer(job.created)) } else { Ok(IppValue::NoValue) };
        let ended = if job.state >= state::CANCELED { Ok(IppValue::Integer(self.printer.up())) } else { Ok(IppValue::NoValue) };
        let all = [
            attribute("job-uri", IppValue::new_uri(format!("{}/{}", self.uri, job.number))),
            attribute("job-id", Ok(IppValue::Integer(job.number))),
            attribute("job-printer-uri", IppValue::new_uri(self.uri)),
            attribute("job-name", IppValue::new_name_without_language(job.name.clone())),
            attribute("job-originating-user-name", IppValue::new_name_without_language(job.user.clone())),
            attribute("job-state", Ok(IppValue::Enum(job.state))),
            attribute("job-state-reasons", IppValue::new_keyword(reasons)),
            text("job-state-message", if job.state == state::ABORTED { "the practice printer was told to give up" } else { "" }),
            attribute("time-at-creation", Ok(IppValue::Integer(job.created))),
            attribute("time-at-processing", began),
            attribute("time-at-completed", ended),
            attribute("job-printer-up-time", Ok(IppValue::Integer(self.printer.up()))),
            attribute("number-of-documents", Ok(IppValue::Integer(count(job.documents.len())))),
            attribute("job-impressions-completed", Ok(IppValue::Integer(count(job.printed)))),
            attribute("job-media-sheets-completed", Ok(IppValue::Integer(count(job.printed)))),
            attribute("attributes-charset", IppValue::new_charset("utf-8")),
            attribute("attributes-natural-language", IppValue::new_natural_language("en")),
            attribute("copies", Ok(IppValue::Integer(job.copies))),
            attribute("sides", IppValue::new_keyword(job.sides.clone())),
        ];
        all.into_iter().flatten().collect()
    }

    fn printer_attributes(&self) -> Vec<IppAttribute> {
        let condition = self.printer.condition();
        let jobs = self.printer.jobs();
        let open = jobs.iter().filter(|job| job.state < state::CANCELED).count();
        let stopped = stops(&condition);
        let state = match (stopped, jobs.iter().any(|job| job.state == state::PROCESSING)) {
            (Some(_), _) => 5,
            (None, true) => 4,
            (None, false) => 3,
        };
        let keywords = |name: &str, all: &[&str]| attribute(name, list(all.iter().map(|one| IppValue::new_keyword(*one))));
        let sizes = [(21_000, 29_700), (14_800, 21_000), (21_590, 27_940)];
        let size = |(x, y): (i32, i32)| collection([("x-dimension", Ok(IppValue::Integer(x))), ("y-dimension", Ok(IppValue::Integer(y)))]);
        let paper = |at: usize| {
            collection([
                ("media-size", size(sizes[at])),
                ("media-source", IppValue::new_keyword(TRAYS[1])),
                ("media-type", IppValue::new_keyword("stationery")),
            ])
        };
        let dots = |dpi| Ok(IppValue::Resolution { cross_feed: dpi, feed: dpi, units: 3 });
        let all = [
            attribute("printer-uri-supported", IppValue::new_uri(self.uri)),
            keywords("uri-security-supported", &["none"]),
            keywords("uri-authentication-supported", &["none"]),
            attribute("printer-name", IppValue::new_name_without_language("Practice printer")),
            text("printer-info", "Practice printer"),
            text("printer-make-and-model", "Practice printer"),
            text("printer-location", "Here"),
            attribute("printer-more-info", IppValue::new_uri(self.uri.replacen("ipp://", "http://", 1).replace("/ipp/print", "/"))),
            attribute("printer-uuid", IppValue::new_uri("urn:uuid:4f6b6a0e-7600-4c11-9d0a-5072616b7400")),
            text("printer-device-id", "MFG:Practice;MDL:Printer;CMD:PDF,PWGRaster;"),
            attribute("printer-state", Ok(IppValue::Enum(state))),
            keywords("printer-state-reasons", &[stopped.unwrap_or("none")]),
            text("printer-state-message", ""),
            keywords("ipp-versions-supported", &["1.1", "2.0"]),
            keywords("ipp-features-supported", &["none"]),
            attribute("operations-supported", list(OPERATIONS.iter().map(|one| Ok(IppValue::Enum(*one as i32))))),
            attribute("multiple-document-jobs-supported", Ok(IppValue::Boolean(!condition.single_documents))),
            keywords("multiple-document-handling-supported", &["separate-documents-collated-copies"]),
            keywords("multiple-document-handling-default", &["separate-documents-collated-copies"]),
            attribute("multiple-operation-time-out", Ok(IppValue::Integer(300))),
            keywords("multiple-operation-time-out-action", &["abort-job"]),
            attribute("charset-configured", IppValue::new_charset("utf-8")),
            attribute("charset-supported", list([IppValue::new_charset("utf-8"), IppValue::new_charset("us-ascii")])),
            attribute("natural-language-configured", IppValue::new_natural_language("en")),
            attribute("generated-natural-language-supported", IppValue::new_natural_language("en")),
            attribute("document-format-default", IppValue::new_mime_media_type("application/octet-stream")),
            attribute(
                "document-format-supported",
                list(["application/octet-stream"].into_iter().chain(formats(&condition)).map(IppValue::new_mime_media_type)),
            ),
            attribute("printer-is-accepting-jobs", Ok(IppValue::Boolean(true))),
            attribute("queued-job-count", Ok(IppValue::Integer(i32::try_from(open).unwrap_or(i32::MAX)))),
            keywords("pdl-override-supported", &["attempted"]),
            attribute("printer-up-time", Ok(IppValue::Integer(self.printer.up()))),
            keywords("compression-supported", &["none"]),
            attribute("color-supported", Ok(IppValue::Boolean(true))),
            attribute("pages-per-minute", Ok(IppValue::Integer(60))),
            attribute("pages-per-minute-color", Ok(IppValue::Integer(60))),
            attribute("copies-default", Ok(IppValue::Integer(1))),
            attribute("copies-supported", Ok(IppValue::RangeOfInteger { min: 1, max: MOST_COPIES })),
            keywords("sides-default", &SIDES[..1]),
            keywords("sides-supported", &SIDES),
            keywords("media-default", &PAPERS[..1]),
            keywords("media-supported", &PAPERS),
            keywords("media-ready", &PAPERS),
            keywords("media-source-supported", &TRAYS),
            keywords("media-type-supported", &["stationery"]),
            keywords("media-col-supported", &["media-size", "media-source", "media-type"]),
            attribute("media-size-supported", list(sizes.into_iter().map(size))),
            attribute("media-col-default", paper(0)),
            attribute("media-col-ready", list((0..sizes.len()).map(paper))),
            attribute("finishings-default", Ok(IppValue::Enum(3))),
            attribute("finishings-supported", Ok(IppValue::Enum(3))),
            attribute("orientation-requested-default", Ok(IppValue::Enum(3))),
            attribute("orientation-requested-supported", list([3, 4].map(|n| Ok(IppValue::Enum(n))))),
            attribute("output-bin-default", IppValue::new_keyword("face-down")),
            attribute("output-bin-supported", IppValue::new_keyword("face-down")),
            attribute("print-quality-default", Ok(IppValue::Enum(4))),
            attribute("print-quality-supported", list([3, 4, 5].map(|n| Ok(IppValue::Enum(n))))),
            attribute("printer-resolution-default", dots(300)),
            attribute("printer-resolution-supported", list([dots(300), dots(600)])),
            attribute("pwg-raster-document-resolution-supported", list([dots(150), dots(300)])),
            keywords("pwg-raster-document-type-supported", &["sgray_8", "srgb_8"]),
            keywords("pwg-raster-document-sheet-back", &["normal"]),
            keywords(
                "job-creation-attributes-supported",
                &[
                    "copies",
                    "document-format",
                    "job-name",
                    "media",
                    "media-col",
                    "multiple-document-handling",
                    "orientation-requested",
                    "print-quality",
                    "sides",
                ],
            ),
        ];
        all.into_iter().flatten().collect()
    }
}

/// What a job may ask for (RFC 8011, 5.2).
const JOB_TEMPLATE: [&str; 11] = [
    "copies",
    "finishings",
    "media",
    "media-col",
    "media-source",
    "multiple-document-handling",
    "orientation-requested",
    "output-bin",
    "print-quality",
    "printer-resolution",
    "sides",
];

/// Why nothing is printed just now (RFC 8011, 5.4.12).
fn stops(condition: &Condition) -> Option<&'static str> {
    match (condition.out_of_paper, condition.jammed) {
        (true, _) => Some("media-empty-error"),
        (_, true) => Some("media-jam-error"),
        _ => None,
    }
}

fn formats(condition: &Condition) -> Vec<&'static str> {
    if condition.raster_only { vec![PWG] } else { vec![PDF, PWG] }
}

fn plain(value: &IppValue) -> String {
    match value {
        IppValue::NameWithLanguage { name, .. } => name.to_string(),
        IppValue::TextWithLanguage { text, .. } => text.to_string(),
        other => other.to_string(),
    }
}

fn attribute(name: &str, value: Result<IppValue, IppParseError>) -> Option<IppAttribute> {
    IppAttribute::with_name(name, value.ok()?).ok()
}

fn text(name: &str, value: &str) -> Option<IppAttribute> {
    attribute(name, IppTextValue::new(value).map(IppValue::TextWithoutLanguage))
}

fn list(all: impl IntoIterator<Item = Result<IppValue, IppParseError>>) -> Result<IppValue, IppParseError> {
    Ok(IppValue::Array(all.into_iter().collect::<Result<_, _>>()?))
}

fn collection<const N: usize>(members: [(&str, Result<IppValue, IppParseError>); N]) -> Result<IppValue, IppParseError> {
    let members = members.into_iter().map(|(name, value)| Ok((IppName::new(name)?, value?)));
    Ok(IppValue::Collection(members.collect::<Result<_, IppParseError>>()?))
}
