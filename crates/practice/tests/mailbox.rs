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
