//! The practice mailbox against a mail library that knows nothing of it.

use lettre::message::{Attachment, MultiPart, SinglePart, header::ContentType};
use lettre::{Message, SmtpTransport, Transport};
use mangle_practice::mailbox::{Mailbox, serve};

async fn start() -> (tempfile::TempDir, Mailbox, u16) {
    let folder = tempfile::tempdir().expect("a folder");
    let mailbox = Mailbox::open(folder.path()).expect("opens");
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let port = listener.local_addr().expect("an address").port();
    tokio::spawn(serve(listener, mailbox.clone()));
    (folder, mailbox, port)
}

#[tokio::test(flavor = "multi_thread")]
async fn a_message_with_an_attachment_arrives_whole_and_survives_a_restart() {
    let (folder, mailbox, port) = start().await;
    let sent = tokio::task::spawn_blocking(move || {
        let file = Attachment::new("Erinnerung Möwe.pdf".into())
            .body(b"%PDF-1.7 .\r\n.\r\n..x".to_vec(), ContentType::parse("application/pdf").expect("a type"));
        let message = Message::builder()
            .from("Harbour office <office@brackwater-quay.example>".parse().expect("from"))
            .to("Jörg Brückner <joerg@brueckner.example>".parse().expect("to"))
            .bcc("accounts@brackwater-quay.example".parse().expect("bcc"))
            .subject("Ihr Liegeplatz, “Möwe”")
            .message_id(Some("<1@mangle>".into()))
            .multipart(MultiPart::mixed().singlepart(SinglePart::plain("Guten Tag\n.\n..zwei Punkte\n".to_owned())).singlepart(file))
            .expect("a message");
        SmtpTransport::builder_dangerous("127.0.0.1").port(port).build().send(&message).map(|_| ())
    });
    sent.await.expect("no panic").expect("is taken");
    let message = mailbox.message(1).expect("arrived");
    assert_eq!(message.summary.subject, "Ihr Liegeplatz, “Möwe”");
    assert_eq!(message.summary.to, "Jörg Brückner <joerg@brueckner.example>");
    assert_eq!(message.summary.recipients, ["joerg@brueckner.example", "accounts@brackwater-quay.example"]);
    assert_eq!(message.summary.message_id, "<1@mangle>");
    assert_eq!(message.text.replace("\r\n", "\n").trim_end(), "Guten Tag\n.\n..zwei Punkte");
    assert_eq!(
        (message.files[0].name.as_str(), message.files[0].bytes.as_slice()),
        ("Erinnerung Möwe.pdf", b"%PDF-1.7 .\r\n.\r\n..x".as_slice())
    );
    let again = Mailbox::open(folder.path()).expect("opens again");
    assert_eq!(again.list().len(), 1);
    assert_eq!(again.clear().expect("clears"), 1);
    assert!(Mailbox::open(folder.path()).expect("opens").list().is_empty());
}

/// What a mail program does with the mailbox of messages that came back, by Python's own library.
const READ: &str = r#"
import imaplib, email, sys
from email import policy
m = imaplib.IMAP4("127.0.0.1", int(sys.argv[1]))
try:
    m.login("bounces", "wrong")
    sys.exit("a wrong password was taken")
except imaplib.IMAP4.error:
    pass
m.login("bounces", "practice")
assert m.select("INBOX")[1] == [b"1"], m.select("INBOX")
found = m.uid("search", None, "UNSEEN", "HEADER", "Content-Type", "multipart/report")[1][0].split()
assert found == [b"1"], found
raw = m.uid("fetch", "1", "(BODY.PEEK[])")[1][0][1]
message = email.message_from_bytes(raw, policy=policy.default)
report = next(p for p in message.walk() if p.get_content_type() == "message/delivery-status")
groups = list(report.iter_parts()) if report.is_multipart() else report.get_payload()
last = groups[-1]
assert last["Action"] == "failed" and last["Status"] == "5.1.1", last.as_string()
assert last["Final-Recipient"].endswith("femke@post.example"), last["Final-Recipient"]
assert message["To"] == "<bounces+7.1.ab@quay.example>" or message["To"].addresses[0].addr_spec == "bounces+7.1.ab@quay.example"
m.uid("store", "1", "+FLAGS", "(\\Seen)")
assert m.uid("search", None, "UNSEEN")[1][0].split() == []
m.uid("store", "1", "+FLAGS", "(\\Deleted)")
m.expunge()
assert m.select("INBOX")[1] == [b"0"]
m.logout()
print("read")
"#;

#[tokio::test(flavor = "multi_thread")]
async fn a_message_comes_back_and_is_read_elsewhere() {
    let folder = tempfile::tempdir().expect("a folder");
    let mailbox = Mailbox::open(folder.path()).expect("opens");
    let raw = b"From: office@quay.example\r\nTo: femke@post.example\r\nSubject: Hello\r\nMessage-ID: <7.1.ab@quay.example>\r\n\r\nHello";
    let kept = mailbox.keep("bounces+7.1.ab@quay.example", vec!["femke@post.example".into()], "2026-11-30T09:00:00Z".into(), raw);
    let number = kept.expect("kept").number;
    let bounce = serde_json::from_value(serde_json::json!({ "reason": "550 5.1.1 no such user" })).expect("a bounce");
    assert!(mailbox.bounce(number, &bounce) && !mailbox.bounce(number + 1, &bounce));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.expect("binds");
    let port = listener.local_addr().expect("an address").port().to_string();
    tokio::spawn(mangle_practice::mailbox::serve_returned(listener, mailbox.returned.clone()));
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let read = move || std::process::Command::new(python).args(["-c", READ, &port]).output().expect("Python runs");
    let done = tokio::task::spawn_blocking(read).await.expect("ends");
    assert!(done.status.success(), "{}", String::from_utf8_lossy(&done.stderr));
}
