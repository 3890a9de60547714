//! Set-ups of dispatches: how they are saved, what is wrong with them before any record,
//! and the messages that come of them.

use std::sync::Arc;

use jiff::civil::DateTime;
use mangle_core::channel::{Channel, ChannelSetup, Compiled, EmailChannel, EmailPayload, Fault};
use mangle_core::dispatch::{Attach, Format, PdfSetup, PdfStandard, Plan, Setup, read_setup, write_setup};
use mangle_core::language::{Context, Scope};
use mangle_core::records::{Column, ColumnType, Record, Schema};
use mangle_core::value::{Locale, Misfit, Value};
use serde_json::json;

fn problems(setup: &Setup) -> Vec<String> {
    Plan::new(setup).problems.iter().map(|p| format!("{} {}", p.target.words(), p.code)).collect()
}

fn email(channel: EmailChannel) -> Vec<ChannelSetup> {
    vec![ChannelSetup::new(Channel::Email(channel))]
}

fn pdf(standard: PdfStandard, attach: Attach, password: &str) -> Setup {
    Setup { pdf: PdfSetup { standard, attach, password: password.into() }, ..Setup::default() }
}

#[test]
fn a_setup_of_an_earlier_day_reads_with_what_is_usual_today() {
    let early = json!({ "ties": { "berth": "Berth no." }, "filter": "balance > 0" }).to_string();
    let early = read_setup(&early).expect("reads");
    assert_eq!((early.formats.as_slice(), early.locale.as_str(), early.joint, early.version), (&[Format::Pdf][..], "en-GB", false, None));
    assert_eq!((early.pdf.standard, early.pdf.attach, early.channels.len()), (PdfStandard::Plain, Attach::Nothing, 0));
    // What is written reads the same.
    let full = Setup {
        left_out: vec![48, 3],
        joint: true,
        formats: vec![Format::Pdf, Format::Docx],
        pdf: PdfSetup { standard: PdfStandard::A3b, attach: Attach::Csv, password: String::new() },
        channels: email(EmailChannel { to: "[: e-mail]".into(), subject: "Berths".into(), ..EmailChannel::default() }),
        version: Some(4),
        locale_column: "Language".into(),
        ..early
    };
    let text = write_setup(&full).expect("writes");
    assert!(text.contains("\"standard\":\"a3b\"") && text.contains("[\"pdf\",\"docx\"]") && text.contains("\"kind\":\"email\""), "{text}");
    assert_eq!(read_setup(&text).expect("reads"), full);
}

#[test]
fn formats_are_made_once_each_and_never_none() {
    let made = |formats: &[Format]| Plan::new(&Setup { formats: formats.to_vec(), ..Setup::default() }).formats;
    assert_eq!(made(&[Format::Docx, Format::Pdf, Format::Docx]), [Format::Pdf, Format::Docx]);
    assert_eq!(problems(&Setup { formats: Vec::new(), ..Setup::default() }), ["pdf no-format"]);
}

#[test]
fn kinds_of_pdf_that_do_not_go_together_are_problems() {
    use Attach::{Csv, Json, Nothing};
    use PdfStandard::{A2b, A3b, Plain, Ua1};
    for (standard, attach, password, told) in [
        (Plain, Json, "[: ref]", vec![]),
        (Ua1, Csv, "[: ref]", vec![]),
        (A2b, Nothing, "", vec![]),
        (A3b, Json, "", vec![]),
        (A2b, Csv, "", vec!["pdf no-attachments"]),
        (A3b, Nothing, "[: ref]", vec!["pdf password-in-archive"]),
        (A2b, Json, "x", vec!["pdf password-in-archive", "pdf no-attachments"]),
        (A2b, Nothing, "   ", vec![]),
    ] {
        assert_eq!(problems(&pdf(standard, attach, password)), told, "{standard:?} {attach:?} {password:?}");
    }
    // Where only DOCX is made none of it matters.
    let docx = Setup { formats: vec![Format::Docx], ..pdf(A2b, Csv, "[: ref") };
    assert_eq!(problems(&docx), Vec::<String>::new());
}

#[test]
fn texts_of_a_setup_name_their_field_when_they_are_wrong() {
    let channel = EmailChannel {
        to: "[: e-mail".into(),
        cc: "[:if x]".into(),
        bcc: "[: rund(1)]".into(),
        subject: "[: § 5]".into(),
        body: "[:end]".into(),
        ..EmailChannel::default()
    };
    let setup = Setup { name: "Reminder [: ref".into(), channels: email(channel), ..pdf(PdfStandard::Plain, Attach::Nothing, "[: a +]") };
    let told = problems(&setup);
    let fields: Vec<&str> = told.iter().filter_map(|t| t.rsplit_once(' ')).map(|(field, _)| field).collect();
    assert_eq!(fields, ["file name", "password", "to", "cc", "bcc", "subject", "message"]);
    assert!(told.contains(&"message end-without-start".to_owned()) && told.contains(&"to never-closed".to_owned()), "{told:?}");
    // Without a name documents are numbered; a channel without recipients is told.
    assert_eq!(problems(&Setup { name: "  ".into(), ..Setup::default() }), Vec::<String>::new());
    assert_eq!(problems(&Setup { channels: email(EmailChannel::default()), ..Setup::default() }), ["to no-recipient"]);
}

fn record(email: Value) -> Record {
    let columns = [("Ref", ColumnType::Text), ("E-mail", ColumnType::Email), ("Office", ColumnType::Text), ("Boat", ColumnType::Text)];
    let schema = Schema::new(columns.map(|(name, kind)| Column::new(name, kind)).to_vec()).expect("a schema");
    let values =
        vec![Value::text("BQ-0031"), email, Value::text("yard@brackwater-quay.example, crane@brackwater-quay.example"), Value::Blank];
    Record::new(Arc::new(schema), values, 31)
}

fn message(channel: EmailChannel, email: Value) -> Result<EmailPayload, Fault> {
    let (record, plan) = (record(email), Plan::new(&Setup::default()));
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 42, 0, 0));
    let channel = Compiled::of(0, &ChannelSetup::new(Channel::Email(channel))).expect("it is on");
    let parcel = channel.render(&Scope::new(&record, &plan.ties, &context), &plan.made("Berth"))?.expect("it has no condition");
    Ok(serde_json::from_value(parcel.payload).expect("a message"))
}

fn channel() -> EmailChannel {
    EmailChannel {
        to: "[: e-mail], office@brackwater-quay.example".into(),
        cc: "[: office]".into(),
        bcc: "[: boat after \"@x.example\"]".into(),
        subject: "Your berth\r\n\t[: ref]  in 2027".into(),
        body: "Dear holder,\n\n[: boat else \"your boat\"] is on the list.".into(),
        ..EmailChannel::default()
    }
}

#[test]
fn a_message_has_the_recipients_of_its_record() {
    let made = message(channel(), Value::text("ada@quayle.example")).expect("a message");
    assert_eq!(made.to, ["ada@quayle.example", "office@brackwater-quay.example"]);
    assert_eq!(made.cc, ["yard@brackwater-quay.example", "crane@brackwater-quay.example"]);
    assert_eq!(made.bcc, Vec::<String>::new(), "what is blank is nobody");
    // A subject is one line, whatever stands in a cell: it is a header of the message.
    assert_eq!(made.subject, "Your berth BQ-0031 in 2027");
    assert_eq!(made.body, "Dear holder,\n\nyour boat is on the list.");
}

#[test]
fn recipients_that_are_blank_or_malformed_are_told_apart() {
    let fault = |channel: EmailChannel, email: Value| {
        let fault = message(channel, email).expect_err("no message");
        format!(
            "{}: {fault}",
            match &fault {
                Fault::Value { code, .. } => code,
                Fault::Fill { .. } => "message",
            }
        )
    };
    let only = |to: &str| EmailChannel { to: to.into(), cc: String::new(), ..channel() };
    assert!(fault(only("[: e-mail]"), Value::Blank).starts_with("no-recipient: no e-mail address"));
    assert!(fault(only("[: ref]"), Value::Blank).starts_with("not-an-address: to: “BQ-0031” is not an e-mail address"));
    let misfit = Misfit { column: "E-mail".into(), text: "ada@".into(), kind: mangle_core::records::ColumnType::Email, why: None };
    assert!(fault(only("[: e-mail]"), Value::Misfit(Arc::new(misfit))).contains("“ada@” is not an e-mail address"));
    let copy = EmailChannel { cc: "nobody at all".into(), ..only("ada@quayle.example") };
    assert!(fault(copy, Value::Blank).starts_with("not-an-address: cc: "));
    let subject = EmailChannel { subject: "[: ref + 1]".into(), ..only("ada@quayle.example") };
    assert!(fault(subject, Value::Blank).starts_with("message: subject: "));
}

#[test]
fn a_record_prints_in_its_own_locale_where_a_column_says_so() {
    let schema = Arc::new(Schema::new(["Ref", "Language"].map(|n| Column::new(n, ColumnType::Text)).to_vec()).expect("a schema"));
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 42, 0, 0));
    let printed = |language: &str, column: &str| {
        let plan = Plan::new(&Setup { name: "[: 1234.5 as number \"#,##0.00\"]".into(), locale_column: column.into(), ..Setup::default() });
        let record = Record::new(schema.clone(), vec![Value::text("BQ-1"), Value::text(language)], 1);
        let own = plan.context(&context, &record, 7, 44);
        assert_eq!((own.run_number, own.run_count), (7, 44));
        plan.name.fill(&Scope::new(&record, &plan.ties, &own)).expect("fills")
    };
    assert_eq!(printed("de-DE", "language"), "1.234,50");
    assert_eq!(printed("de-DE", ""), "1,234.50");
    // A blank cell, one that is no tag, a column that is gone: the dispatch's own.
    for (language, column) in [(" ", "Language"), ("no tag!", "Language"), ("de-DE", "Tongue")] {
        assert_eq!(printed(language, column), "1,234.50", "{language} {column}");
    }
}
