use std::sync::Arc;

use jiff::civil::DateTime;

use super::*;
use crate::diagnostic::Target;
use crate::dispatch::{Plan, Setup};
use crate::language::{Context, Scope};
use crate::preflight::{Facts, Outline, Purpose, check, obstacles};
use crate::records::{Column, ColumnType, Record, Schema};
use crate::value::{Locale, Value};

fn record(name: &str, email: Value) -> Record {
    let schema = Schema::new(vec![Column::new("Name", ColumnType::Text), Column::new("E-mail", ColumnType::Email)]).expect("schema");
    Record::new(Arc::new(schema), vec![if name.is_empty() { Value::Blank } else { Value::text(name) }, email], 7)
}

fn plan(channels: Vec<ChannelSetup>, password: &str) -> Plan {
    let pdf = crate::dispatch::PdfSetup { password: password.into(), ..Default::default() };
    Plan::new(&Setup { name: "Licence [: name else \"x\"]".into(), formats: Format::ALL.to_vec(), pdf, channels, ..Setup::default() })
}

fn checked(plan: &Plan, record: &Record, purpose: Purpose) -> Result<Outline, Vec<String>> {
    let context = Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0));
    check(plan, &Scope::new(record, &plan.ties, &context), Vec::new(), purpose).map_err(|all| {
        all.into_iter()
            .map(|f| match &f.what.target {
                Target::Channel { channel, field } => format!("{channel} {field}: {}", f.what),
                other => format!("{}: {}", other.words(), f.what),
            })
            .collect()
    })
}

fn folder(path: &str) -> ChannelSetup {
    ChannelSetup::new(Channel::Folder(FolderChannel { folder: "Office".into(), path: path.into(), clash: Clash::Number }))
}

fn email_settings() -> EmailChannel {
    EmailChannel { to: "[: e-mail]".into(), subject: "Your licence".into(), body: "Hello".into(), ..Default::default() }
}

fn email() -> ChannelSetup {
    ChannelSetup::new(Channel::Email(email_settings()))
}

#[test]
fn a_record_goes_over_every_channel_whose_condition_is_true() {
    let conditional = ChannelSetup { condition: "e-mail is not blank".into(), ..email() };
    let plan = plan(vec![conditional, folder("Licences/[: name]")], "");
    assert_eq!(plan.problems, []);
    let both = checked(&plan, &record("Möwe/Berth 7", Value::text("a@b.example")), Purpose::Run).expect("in order");
    let to: Vec<_> = both.deliveries.iter().map(|d| d.parcel.as_ref().map(|p| p.to.as_str())).collect();
    assert_eq!(to, [Some("a@b.example"), Some("Office/Licences/Möwe-Berth 7")], "a slash in a value makes no subfolder");
    let one = checked(&plan, &record("Möwe", Value::Blank), Purpose::Run).expect("no address is no fault where none is asked for");
    assert_eq!(one.deliveries.iter().map(|d| d.parcel.is_some()).collect::<Vec<_>>(), [false, true]);
}

#[test]
fn findings_of_several_channels_name_theirs_and_proofs_need_none() {
    let plan = plan(vec![email(), folder("Licences/[: name else \"..\"]")], "");
    let nobody = record("", Value::Blank);
    let said = checked(&plan, &nobody, Purpose::Run).expect_err("nowhere to go");
    assert_eq!(
        said,
        [
            "0 to: no e-mail address. Add one or leave the record out.",
            "1 subfolders: a subfolder's name is blank. Add a field that has a value in every record."
        ]
    );
    let proof = checked(&plan, &nobody, Purpose::Proof).expect("the document is in order");
    assert!(proof.deliveries.is_empty());
    let made = plan.made(&proof.file_name);
    let parcel = super::proof("ida@quay.example", ("Quay", "office@quay.example"), &made, &[]);
    assert_eq!((parcel.to.as_str(), parcel.payload["subject"].as_str()), ("ida@quay.example", Some("PROOF: Licence x")));
}

#[test]
fn an_open_docx_never_goes_beside_a_closed_pdf() {
    let channels = vec![email(), folder("")];
    let closed =
        checked(&plan(channels.clone(), "[: name]"), &record("secret", Value::text("a@b.example")), Purpose::Run).expect("in order");
    assert!(closed.deliveries.iter().all(|d| d.parcel.as_ref().is_some_and(|p| p.documents == [Format::Pdf])));
    let open = checked(&plan(channels, ""), &record("secret", Value::text("a@b.example")), Purpose::Run).expect("in order");
    assert!(open.deliveries.iter().all(|d| d.parcel.as_ref().is_some_and(|p| p.documents == Format::ALL)));
}

#[test]
fn what_keeps_a_channel_from_working_is_told_once_for_all_records() {
    let off = ChannelSetup { on: false, ..folder("[: no end") };
    let wrong = ChannelSetup { condition: "name = ".into(), name: "Archive".into(), ..folder("") };
    let plan = plan(vec![email(), wrong, off], "");
    let world = World { office_email: " ", folders: &["Elsewhere".to_owned()], ..World::default() };
    let facts =
        Facts { signer_fields: &[], template_problems: Some(0), writes: true, source: true, unsure: &[], ties: &[], plan: &plan, world };
    let said = obstacles(&facts);
    let said: Vec<_> = said.iter().map(|o| (o.target == Target::Settings, o.message.as_str())).collect();
    assert_eq!(said.len(), 3, "{said:?}");
    assert!(!said[0].0 && said[0].1.starts_with("Archive: name = of the condition:"), "{said:?}");
    assert_eq!(said[1], (true, "no sender address"));
    assert_eq!(said[2], (false, "the folder “Office” is not allowed on this machine"));
}

#[test]
fn a_channel_delivers_at_a_fixed_time_or_at_one_of_the_record() {
    let schema = Schema::new(vec![Column::new("Name", ColumnType::Text), Column::new("Due", ColumnType::Date)]).expect("schema");
    let schema = Arc::new(schema);
    let of = |due: Value| Record::new(schema.clone(), vec![Value::text("Möwe"), due], 7);
    let due = || of(Value::Date(jiff::civil::date(2026, 12, 8)));
    let at = |time: &str| plan(vec![ChannelSetup { moment: Moment::AtTime, time: time.into(), ..folder("") }], "");
    let opens = |time: &str, record: &Record| {
        let plan = at(time);
        assert_eq!(plan.problems, []);
        checked(&plan, record, Purpose::Run)
            .map(|outline| outline.deliveries[0].parcel.clone().expect("a parcel"))
            .map(|parcel| (parcel.opens.map(|opens| opens.to_string()).unwrap_or_default(), parcel.shown[0].text.clone()))
    };
    let both = |opens: &str, shown: &str| (opens.to_owned(), shown.to_owned());
    assert_eq!(opens("2026-12-01 08:00", &due()).expect("fixed"), both("2026-12-01T08:00:00", "2026-12-01 08:00"));
    assert_eq!(opens("due - 7", &due()).expect("of the record"), both("2026-12-01T00:00:00", "2026-12-01 00:00"));
    let blank = opens("due", &of(Value::Blank)).expect_err("no time");
    assert_eq!(blank, ["0 time: the time is blank. Add a date, or leave the record out."]);
    let text = opens("name", &due()).expect_err("no date");
    assert!(text[0].starts_with("0 time: "), "{text:?}");
    let said = |time: &str| at(time).problems.iter().map(ToString::to_string).collect::<Vec<_>>();
    assert_eq!(said(" "), ["no time. Enter a date and time, or a field that holds one."]);
    assert_eq!(said("due -").len(), 1);
}

#[test]
fn a_message_comes_from_one_of_the_offices_senders() {
    let sender = |name: &str, address: &str, reply_to: &str, signature: &str| crate::language::Sender {
        name: name.into(),
        address: address.into(),
        reply_to: reply_to.into(),
        signature: signature.into(),
    };
    let senders = [
        sender("Harbour office", "harbour@quay.example", "", ""),
        sender("Accounts", "accounts@quay.example", "ledger@quay.example", "Accounts\nBrackwater Quay\n"),
    ];
    let from = |from: &str| plan(vec![ChannelSetup::new(Channel::Email(EmailChannel { from: from.into(), ..email_settings() }))], "");
    let payload = |plan: &Plan, record: &Record| {
        let office = crate::language::Office { name: "Quay".into(), email: "office@quay.example".into(), senders: senders.to_vec() };
        let context = Context { office, ..Context::new(Locale::english(), DateTime::constant(2026, 11, 23, 9, 0, 0, 0)) };
        check(plan, &Scope::new(record, &plan.ties, &context), Vec::new(), Purpose::Run)
            .map(|outline| {
                serde_json::from_value::<EmailPayload>(outline.deliveries[0].parcel.clone().expect("a parcel").payload).expect("a message")
            })
            .map_err(|found| found[0].what.to_string())
    };
    let someone = record("accounts", Value::text("a@b.example"));
    let office = payload(&from(""), &someone).expect("the office itself");
    assert_eq!(
        (office.from, office.reply_to, office.body.as_str()),
        (Some(("Quay".into(), "office@quay.example".into())), vec![], "Hello")
    );
    // By its name or its address, fixed or of the record.
    for named in ["Accounts@quay.example", " accounts ", "[: name]"] {
        let message = payload(&from(named), &someone).expect("a sender");
        assert_eq!(message.from, Some(("Accounts".into(), "accounts@quay.example".into())));
        assert_eq!(message.reply_to, ["ledger@quay.example"]);
        assert_eq!(message.body, "Hello\n\nAccounts\nBrackwater Quay\n");
    }
    let unknown = payload(&from("[: name]"), &record("nobody", Value::text("a@b.example"))).expect_err("unknown");
    assert_eq!(unknown, "“nobody” is not one of the office's senders. Add it in Settings, or choose another.");
    let obstacles =
        |named: &str, senders: &[crate::language::Sender]| from(named).channels[0].obstacles(&World { senders, ..World::default() }).len();
    assert_eq!((obstacles("Accounts", &senders), obstacles("Accounts", &[]), obstacles("[: name]", &senders)), (0, 1, 1));
}

#[test]
fn an_address_with_a_line_break_adds_no_header_and_no_recipient() {
    for text in ["a@b.example\r\nBcc: c@d.example", "a@b.example\nc@d.example", "a@b.example\0", "\"a\r\n\"@b.example"] {
        for channel in [email_settings(), EmailChannel { to: "x@y.example".into(), cc: "[: name]".into(), ..email_settings() }] {
            let said = checked(&plan(vec![ChannelSetup::new(Channel::Email(channel))], ""), &record(text, Value::text(text)), Purpose::Run);
            assert!(said.as_ref().is_err_and(|all| all[0].contains("correct it in the source")), "{text:?}: {said:?}");
        }
    }
    // A subject is one line, whatever a record holds.
    let settings = EmailChannel { subject: "For [: name]".into(), ..email_settings() };
    let outline = checked(
        &plan(vec![ChannelSetup::new(Channel::Email(settings))], ""),
        &record("Ida\r\nBcc: c@d.example", Value::text("a@b.example")),
        Purpose::Run,
    );
    let parcel = outline.expect("in order").deliveries[0].parcel.clone().expect("a parcel");
    let message: EmailPayload = serde_json::from_value(parcel.payload).expect("a message");
    assert_eq!((message.subject.as_str(), message.to.len(), message.bcc.len()), ("For Ida Bcc: c@d.example", 1, 0));
}

#[test]
fn a_message_has_no_more_recipients_and_text_than_mail_servers_and_programs_take() {
    let many = |count: usize| (0..count).map(|n| format!("holder{n}@post.example")).collect::<Vec<_>>().join(", ");
    let said = |settings: EmailChannel, to: &str| {
        checked(&plan(vec![ChannelSetup::new(Channel::Email(settings))], ""), &record("Ida", Value::text(to)), Purpose::Run).map(drop)
    };
    assert_eq!(said(email_settings(), &many(100)), Ok(()));
    let all = said(email_settings(), &many(300)).expect_err("too many");
    assert_eq!(all, ["0 to: 300 recipients in one message, at most 100. Send them a message each, from records of their own."]);
    let copied = EmailChannel { cc: many(60), bcc: many(40), ..email_settings() };
    assert!(said(copied, "a@b.example").is_err_and(|all| all[0].contains("101 recipients")), "all of them count");
    let long = EmailChannel { body: "A line of a long message.\n".repeat(90_000), ..email_settings() };
    let all = said(long, "a@b.example").expect_err("too long");
    assert_eq!(all, ["0 message: the message exceeds 2 MB with this record. Shorten it, or attach a document instead."]);
}

#[test]
fn a_path_from_a_record_stays_below_its_folder_on_every_system() {
    let path = |name: &str| {
        checked(&plan(vec![folder("Holders/[: name]")], ""), &record(name, Value::text("a@b.example")), Purpose::Run)
            .map(|outline| serde_json::from_value::<FolderPayload>(outline.deliveries[0].parcel.clone().expect("a parcel").payload))
            .map(|payload| payload.expect("a path").path)
    };
    for name in ["../../etc", "..", "a/../../b", "C:\\Windows", "\\\\server\\share", "CON", "nul.txt", "con .x", "Ida. ", "a\0b", "a:b"] {
        match path(name) {
            Ok(path) => {
                assert_eq!(path.len(), 2, "{name}: {path:?}");
                let last = &path[1];
                let reserved = ["CON", "NUL"].contains(&last.split('.').next().unwrap_or_default().trim_end().to_uppercase().as_str());
                let unsafe_sign = last.contains(['/', '\\', ':', '\0']) || last.ends_with(['.', ' ']);
                assert!(!unsafe_sign && !reserved && last != "..", "{name}: {last}");
            }
            Err(said) => assert!(said[0].contains("subfolder"), "{name}: {said:?}"),
        }
    }
}

#[test]
fn where_recipients_unsubscribe_is_an_address_or_a_page() {
    let parcel = |unsubscribe: &str| {
        let settings = EmailChannel { unsubscribe: unsubscribe.into(), ..email_settings() };
        let plan = plan(vec![ChannelSetup::new(Channel::Email(settings))], "");
        let checked = checked(&plan, &record("Möwe", Value::text("a@b.example")), Purpose::Run);
        checked.map(|outline| outline.deliveries[0].parcel.as_ref().expect("a message").payload["unsubscribe"].clone())
    };
    assert_eq!(parcel(""), Ok(serde_json::Value::Null));
    assert_eq!(parcel("no-more@quay.example"), Ok("mailto:no-more@quay.example".into()));
    assert_eq!(parcel("https://quay.example/no-more?who=[: e-mail]"), Ok("https://quay.example/no-more?who=a@b.example".into()));
    for wrong in ["http://quay.example/", "no more", "javascript:alert(1)", "https://"] {
        assert!(parcel(wrong).is_err_and(|told| told[0].contains("is not a place to unsubscribe")), "{wrong}");
    }
}
