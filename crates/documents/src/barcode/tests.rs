use super::*;
use mangle_core::value::{Currency, Money};

fn said(symbology: Symbology, text: &str) -> String {
    content(symbology, &Value::text(text), &[]).unwrap_or_else(|fault| fault.to_string())
}

#[test]
fn check_digits_are_computed_or_checked() {
    for (symbology, text, content) in [
        (Symbology::Ean13, "400638133393", "4006381333931"),
        (Symbology::Ean13, "4006381333931", "4006381333931"),
        (Symbology::Ean13, "4006381333932", "the check digit of “4006381333932” is wrong: it should be 1"),
        (Symbology::Ean13, "40063", "“40063” does not fit into a ean13 barcode: it needs 12 digits, or 13 with the check digit"),
        (Symbology::Ean8, "9638507", "96385074"),
        (Symbology::UpcA, "03600029145", "036000291452"),
        (Symbology::Isbn, "3-16-148410-X", "9783161484100"),
        (Symbology::Isbn, "978-3-16-148410-0", "9783161484100"),
        (Symbology::Isbn, "3-16-148410-1", "the check digit of “3-16-148410-1” is wrong"),
        (Symbology::Isbn, "123", "“123” is not an ISBN: it has 10 digits, or 13 that begin with 978 or 979"),
        (Symbology::Itf, "1 234", "1234"),
        (Symbology::Itf, "123", "“123” does not fit into an itf barcode: only an even number of digits is allowed"),
        (Symbology::Code39, "BQ-31", "BQ-31"),
    ] {
        assert_eq!(said(symbology, text), content);
    }
    assert!(said(Symbology::Code39, "bq").contains("not “b”. Try code128."));
    assert!(said(Symbology::Code128, "Möwe").contains("not “ö”. Try qr."));
}

fn pay(amount: Value, with: &[(&str, &str)]) -> String {
    let with: Vec<(String, Value)> = with.iter().map(|(n, v)| ((*n).to_owned(), Value::text(v))).collect();
    content(Symbology::Payment, &amount, &with).unwrap_or_else(|fault| fault.to_string())
}

#[test]
fn a_payment_is_written_as_the_standard_has_it() {
    let euro = |text: &str| Value::Money(Money { amount: text.parse().expect("amount"), currency: Currency::EUR });
    let harbour = [("name", "Brackwater Quay"), ("iban", "DE89 3704 0044 0532 0130 00"), ("text", "BQ-0031")];
    assert_eq!(pay(euro("405.5"), &harbour), "BCD\n002\n1\nSCT\n\nBrackwater Quay\nDE89370400440532013000\nEUR405.50\n\n\nBQ-0031");
    assert!(pay(euro("0"), &harbour).contains("0.01 to 999,999,999.99 euros"));
    assert!(pay(euro("1"), &[("name", "B"), ("iban", "DE89370400440532013001")]).contains("is not a valid IBAN"));
    assert!(pay(euro("1"), &harbour[1..]).contains("recipient's name"));
    assert!(pay(euro("1"), &[("colour", "red")]).contains("“colour”"));
    let pounds = Value::Money(Money { amount: 1.into(), currency: Currency::GBP });
    assert!(pay(pounds, &harbour).contains("amount is in GBP"));
}

/// Every kind, drawn and read again by a decoder that no one here wrote.
#[test]
fn every_kind_is_decoded_again() {
    let Ok(python) = std::env::var("MANGLE_PYTHON") else { panic!("run this through `make test`, which sets MANGLE_PYTHON") };
    let folder = tempfile::tempdir().expect("a folder");
    let iban = vec![("name".to_owned(), Value::text("Brackwater Quay")), ("iban".to_owned(), Value::text("DE89370400440532013000"))];
    let mut wanted = Vec::new();
    for (symbology, word) in Symbology::ALL {
        let (value, with) = match symbology {
            Symbology::Payment => (Value::Number("405.5".parse().expect("amount")), iban.as_slice()),
            Symbology::Ean13 => (Value::text("400638133393"), &[][..]),
            Symbology::Ean8 => (Value::text("9638507"), &[][..]),
            Symbology::UpcA => (Value::text("03600029145"), &[][..]),
            Symbology::Isbn => (Value::text("3-16-148410-X"), &[][..]),
            Symbology::Itf => (Value::text("00123456"), &[][..]),
            Symbology::Code39 => (Value::text("BQ-0031 C14"), &[][..]),
            Symbology::Code128 => (Value::text("BQ-0031/c14~x"), &[][..]),
            _ => (Value::text("Möwe, Liegeplatz C14 — BQ-0031"), &[][..]),
        };
        let symbol = encode(symbology, Level::M, &value, with).expect(word);
        std::fs::write(folder.path().join(format!("{word}.png")), symbol.png(symbol.width / 2, 4)).expect("written");
        wanted.push(format!("{word}\t{}", content(symbology, &value, with).expect(word).replace('\n', "|")));
    }
    let script = "import sys,pathlib,zxingcpp\nfrom PIL import Image\nfor line in sys.stdin.read().splitlines():\n    word=line.split('\\t')[0]\n    found=zxingcpp.read_barcodes(Image.open(pathlib.Path(sys.argv[1])/(word+'.png')).convert('L'))\n    print(word+'\\t'+(found[0].text.replace('\\n','|') if found else 'nothing'))";
    let mut child = std::process::Command::new(python)
        .args(["-c", script, &folder.path().to_string_lossy()])
        .stdin(std::process::Stdio::piped())
        .stdout(std::process::Stdio::piped())
        .spawn()
        .expect("python");
    std::io::Write::write_all(&mut child.stdin.take().expect("input"), wanted.join("\n").as_bytes()).expect("asked");
    let answer = child.wait_with_output().expect("answers");
    // A decoder reads UPC-A as the EAN-13 with a nought before it.
    let read: Vec<String> = String::from_utf8_lossy(&answer.stdout).lines().map(|l| l.replace("upca\t0036", "upca\t036")).collect();
    assert_eq!(read, wanted);
}

#[test]
fn a_level_that_forgives_more_makes_a_larger_symbol() {
    let width = |level| encode(Symbology::Qr, level, &Value::text("Brackwater Quay, berth C14, BQ-0031"), &[]).expect("a code").width;
    assert!(width(Level::H) > width(Level::L));
}

#[test]
fn what_is_too_long_is_that_records_error() {
    let long = "x".repeat(8000);
    let fault = encode(Symbology::Qr, Level::L, &Value::text(&long), &[]).expect_err("too long").to_string();
    assert!(fault.starts_with("“xxx") && fault.contains("does not fit into a qr barcode"), "{fault}");
}

#[test]
fn symbols_are_drawn_as_paths_with_their_quiet_zone() {
    let symbol = encode(Symbology::Qr, Level::M, &Value::text("BQ-0031"), &[]).expect("a code");
    assert_eq!((symbol.width, symbol.height, symbol.bars), (29, 29, false));
    assert!((0..29).all(|x| !symbol.is_dark(x, 3)) && symbol.is_dark(4, 4));
    let svg = String::from_utf8(symbol.svg(0)).expect("text");
    assert!(svg.contains("viewBox=\"0 0 29 29\"") && svg.contains("M4 4h7v1h-7z"), "{svg}");
    let bars = encode(Symbology::Code128, Level::M, &Value::text("BQ-0031"), &[]).expect("bars");
    assert!(bars.bars && String::from_utf8_lossy(&bars.svg(40)).contains("v40h-"));
}
