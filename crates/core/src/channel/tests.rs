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

fn email() -> ChannelSetup {
    let settings = EmailChannel { to: "[: e-mail]".into(), subject: "Your licence".into(), body: "Hello".into(), ..Default::default() };
    ChannelSetup::new(Channel::Email(settings))
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
    let world = World { office_email: " ", folders: &["Elsewhere".to_owned()] };
    let facts = Facts { template_problems: Some(0), source: true, unsure: &[], ties: &[], plan: &plan, world };
    let said = obstacles(&facts);
    let said: Vec<_> = said.iter().map(|o| (o.target == Target::Settings, o.message.as_str())).collect();
    assert_eq!(said.len(), 3, "{said:?}");
    assert!(!said[0].0 && said[0].1.starts_with("Archive: name = of the condition:"), "{said:?}");
    assert_eq!(said[1], (true, "no sender address"));
    assert_eq!(said[2], (false, "the folder “Office” is not allowed on this machine"));
}
