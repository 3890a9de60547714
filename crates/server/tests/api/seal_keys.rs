//! A key of one's own for the seal, from an authority that publishes revocation lists, as other programs
//! make them: with it the seal can be checked long after (PAdES B-LT).

use std::io::{Read, Write};
use std::net::TcpListener;
use std::path::Path;
use std::process::Command;
use std::sync::{Arc, Mutex};

use axum::http::StatusCode;
use serde_json::{Value, json};

use crate::office::Office;
use crate::signing::{Signing, address};

/// An authority in a folder.
struct Authority {
    folder: tempfile::TempDir,
    /// The list that it publishes; none for a site that is down.
    list: Arc<Mutex<Option<Vec<u8>>>>,
    port: u16,
}

impl Authority {
    fn new() -> Authority {
        let folder = tempfile::tempdir().expect("a folder");
        let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
        let (port, list) = (listener.local_addr().expect("an address").port(), Arc::new(Mutex::new(None::<Vec<u8>>)));
        let own = list.clone();
        std::thread::spawn(move || {
            for stream in listener.incoming() {
                let Ok(mut stream) = stream else { continue };
                let _ = stream.read(&mut [0; 4096]);
                let found = own.lock().expect("one at a time").clone();
                let head = if found.is_some() { "200 OK" } else { "503 Service Unavailable" };
                let body = found.unwrap_or_default();
                let head = format!("HTTP/1.1 {head}\r\nContent-Length: {}\r\nConnection: close\r\n\r\n", body.len());
                let _ = stream.write_all(&[head.as_bytes(), &body].concat());
            }
        });
        let own = Authority { folder, list, port };
        let config = "[ca]\ndefault_ca=own\n[own]\ndatabase=index.txt\ncrlnumber=number\ndefault_md=sha256\ndefault_crl_days=30\nunique_subject=no\n";
        for (name, text) in [("ca.cnf", config), ("index.txt", ""), ("number", "01\n")] {
            std::fs::write(own.path(name), text).expect("written");
        }
        own.openssl("req -x509 -newkey rsa:2048 -nodes -keyout ca.key -out ca.pem -days 3650 -subj /CN=Harbour_Trust -addext keyUsage=critical,keyCertSign,cRLSign");
        own
    }

    fn path(&self, name: &str) -> std::path::PathBuf {
        self.folder.path().join(name)
    }

    fn openssl(&self, arguments: &str) {
        let done = Command::new("openssl").args(arguments.split(' ')).current_dir(self.folder.path()).output().expect("openssl");
        assert!(done.status.success(), "openssl {arguments}: {}", String::from_utf8_lossy(&done.stderr));
    }

    /// A key with its certificate and that of the authority (PKCS#12).
    fn issue(&self) -> Vec<u8> {
        let extensions =
            format!("keyUsage=critical,digitalSignature,nonRepudiation\ncrlDistributionPoints=URI:http://localhost:{}/ca.crl\n", self.port);
        std::fs::write(self.path("own.ext"), extensions).expect("written");
        self.openssl("req -newkey rsa:2048 -nodes -keyout own.key -out own.csr -subj /CN=Brackwater_Quay");
        self.openssl("x509 -req -in own.csr -CA ca.pem -CAkey ca.key -CAcreateserial -days 365 -extfile own.ext -out own.pem");
        self.openssl("pkcs12 -export -inkey own.key -in own.pem -certfile ca.pem -out own.p12 -passout pass:quay");
        std::fs::read(self.path("own.p12")).expect("a file")
    }

    fn publish(&self) {
        self.openssl("ca -config ca.cnf -gencrl -keyfile ca.key -cert ca.pem -out ca.crl.pem");
        self.openssl("crl -in ca.crl.pem -outform DER -out ca.crl");
        *self.list.lock().expect("one at a time") = Some(std::fs::read(self.path("ca.crl")).expect("a list"));
    }
}

/// What pyHanko says of a seal that is to hold by what is in the file alone.
fn long_term(path: &Path, trust: &Path) -> String {
    let python = std::env::var("MANGLE_PYTHON").expect("run this through `make test`, which sets MANGLE_PYTHON");
    let script = "
import sys
from asn1crypto import pem, x509
from pyhanko.pdf_utils.reader import PdfFileReader
from pyhanko.sign.validation import validate_pdf_signature
from pyhanko.sign.validation.dss import DocumentSecurityStore
from pyhanko_certvalidator import ValidationContext
reader = PdfFileReader(open(sys.argv[1], 'rb'))
own = reader.embedded_signatures[0]
root = x509.Certificate.load(pem.unarmor(open(sys.argv[2], 'rb').read())[2])
stamp = own.signer_info['unsigned_attrs'][0]['values'][0]['content']['certificates'][0].chosen
strict = {'trust_roots': [root, stamp], 'allow_fetching': False, 'revocation_mode': 'hard-fail'}
def holds(context):
    said = validate_pdf_signature(own, signer_validation_context=context, ts_validation_context=context)
    return said.bottom_line and said.docmdp_ok and said.coverage.name == 'ENTIRE_FILE'
within = DocumentSecurityStore.read_dss(reader).as_validation_context(strict)
print('with', holds(within), 'without', holds(ValidationContext(crls=[], **strict)))
";
    let said = Command::new(python).args(["-c", script]).args([path, trust]).output().expect("python");
    format!("{}{}", String::from_utf8_lossy(&said.stdout), String::from_utf8_lossy(&said.stderr))
}

async fn bring(office: &Office, key: &[u8], password: &str) -> (StatusCode, Value) {
    let head = format!(
        "--edge\r\nContent-Disposition: form-data; name=\"password\"\r\n\r\n{password}\r\n--edge\r\nContent-Disposition: form-data; name=\"file\"; filename=\"own.p12\"\r\n\r\n"
    );
    let body = [head.as_bytes(), key, b"\r\n--edge--\r\n"].concat();
    office.ask_raw("PUT", "/api/seal-key", "multipart/form-data; boundary=edge", body).await
}

/// Has a round signed by both; its number. `asked` is where the master signed the one before.
async fn signed(own: &Signing, round: &Value, asked: &mut String) -> Value {
    assert_eq!(own.sign(&own.link(&address(round, "holder")).await).await.0, StatusCode::OK);
    let master = async || own.link("ida@brackwater-quay.example").await;
    for tries in 0.. {
        let link = master().await;
        if link != *asked {
            *asked = link;
            break;
        }
        assert!(tries < 400, "the master was not asked");
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    assert_eq!(own.sign(asked).await.0, StatusCode::OK);
    round["id"].clone()
}

#[tokio::test(flavor = "multi_thread")]
async fn a_seal_with_a_key_of_an_authority_has_its_revocation_lists_with_it() {
    let (own, authority) = (Signing::of(3, |_| {}).await, Authority::new());
    let office = &own.office;
    let key = authority.issue();
    let (status, why) = bring(office, &key, "wrong").await;
    assert_eq!(
        (status, &why["message"]),
        (StatusCode::UNPROCESSABLE_ENTITY, &json!("The PKCS#12 file can't be opened. Check the file and its password."))
    );
    let (status, info) = bring(office, &key, "quay").await;
    assert_eq!((status, &info["own"]), (StatusCode::OK, &json!(true)), "{info}");
    assert!(info["subject"].as_str().is_some_and(|subject| subject.contains("Brackwater_Quay")), "{info}");

    let ((_, rounds), mut asked) = (own.run(3).await, String::new());
    let level = async |id: &Value| -> (Vec<u8>, Value) {
        own.round(id, "completed").await;
        let file = office.bytes(&format!("/api/rounds/{id}/document")).await;
        let (_, found) = office.upload("/api/verify", &[("licence.pdf", &file)]).await;
        assert_eq!(found["state"], "valid", "{found}");
        (file, found["level"].clone())
    };
    // The list can't be had: the seal holds, and is without it.
    assert_eq!(level(&signed(&own, &rounds[0], &mut asked).await).await.1, "PAdES B-T");
    authority.publish();
    let (file, said) = level(&signed(&own, &rounds[1], &mut asked).await).await;
    assert_eq!(said, "PAdES B-LT");
    let path = authority.path("licence.pdf");
    std::fs::write(&path, &file).expect("written");
    let said = long_term(&path, &authority.path("ca.pem"));
    assert!(said.contains("with True without False"), "{said}");
    // Whoever cuts the list out has changed the file.
    let at = file.windows(5).position(|part| part == b"/CRLs").expect("the lists");
    let mut cut = file.clone();
    cut[at + 1..at + 5].copy_from_slice(b"CRLx");
    assert_eq!(office.upload("/api/verify", &[("licence.pdf", &cut)]).await.1["state"], "changed");

    // A key that was revoked seals nothing, and the round says why.
    authority.openssl("ca -config ca.cnf -revoke own.pem -keyfile ca.key -cert ca.pem");
    authority.publish();
    let id = signed(&own, &rounds[2], &mut asked).await;
    let mut told = Value::Null;
    for _ in 0..400 {
        told = office.get(&format!("/api/rounds/{id}")).await;
        if told["seal_error"] != "" {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(25)).await;
    }
    assert_eq!(told["state"], "sealing", "{told}");
    assert!(told["seal_error"].as_str().is_some_and(|why| why.contains("was revoked on")), "{told}");
}
