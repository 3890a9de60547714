use super::*;

fn photograph(wide: u32, high: u32) -> Arc<[u8]> {
    let noise = |x: u32, y: u32| (x.wrapping_mul(2_654_435_761).wrapping_add(y.wrapping_mul(40_503)) >> 13) as u8;
    let picture = image::RgbImage::from_fn(wide, high, |x, y| image::Rgb([noise(x, y), (x / 8) as u8, (y / 8) as u8]));
    let mut out = Cursor::new(Vec::new());
    let encoder = image::codecs::jpeg::JpegEncoder::new_with_quality(&mut out, 92);
    DynamicImage::ImageRgb8(picture).write_with_encoder(encoder).expect("a JPEG");
    out.into_inner().into()
}

/// The same with an EXIF orientation (JEITA CP-3451, 4.6.4).
fn turned(bytes: &[u8], orientation: u8) -> Arc<[u8]> {
    let exif = [b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01".as_slice(), &[0, orientation, 0, 0, 0, 0, 0, 0]].concat();
    let mut out = bytes[..2].to_vec();
    out.extend([0xff, 0xe1]);
    out.extend((exif.len() as u16 + 2).to_be_bytes());
    out.extend(exif);
    out.extend(&bytes[2..]);
    out.into()
}

fn drawing(kind: ImageFormat, alpha: u8) -> Arc<[u8]> {
    let mut out = Cursor::new(Vec::new());
    let picture = image::RgbaImage::from_pixel(40, 20, image::Rgba([90, 60, 110, alpha]));
    let picture =
        if kind == ImageFormat::Jpeg { DynamicImage::ImageRgba8(picture).to_rgb8().into() } else { DynamicImage::ImageRgba8(picture) };
    picture.write_to(&mut out, kind).expect("a picture");
    out.into_inner().into()
}

fn sizes(width: Option<f64>, height: Option<f64>, fit: Option<(f64, f64)>) -> Sizes {
    Sizes { width, height, fit, dpi: None }
}

#[test]
fn the_free_side_follows_the_proportions() {
    let own = (400.0, 200.0);
    for (asked, frame, size) in [
        (sizes(Some(100.0), None, None), None, (100.0, 50.0)),
        (sizes(None, Some(100.0), None), None, (200.0, 100.0)),
        (sizes(Some(100.0), Some(100.0), None), None, (100.0, 50.0)),
        (sizes(None, None, Some((300.0, 50.0))), None, (100.0, 50.0)),
        (sizes(None, None, None), Some((80.0, 80.0)), (80.0, 40.0)),
        (sizes(None, None, None), None, (300.0, 150.0)),
    ] {
        assert_eq!(printed(own, &asked, frame, 300.0), size, "{asked:?}");
    }
    assert_eq!(printed((40.0, 20.0), &Sizes::default(), None, 300.0), (40.0, 20.0), "a small one is not blown up");
}

#[test]
fn a_large_photograph_becomes_as_fine_as_it_is_printed() {
    let photo = photograph(3000, 2000);
    let made = prepare("a.jpg", &photo, &sizes(Some(144.0), None, None), None, 450.0).expect("prepared");
    assert_eq!((made.kind, made.width, made.height.round()), ("jpeg", 144.0, 96.0));
    let small = image::load_from_memory(&made.bytes).expect("a picture");
    assert_eq!((small.width(), small.height()), (300, 200));
    assert!(made.bytes.len() * 20 < photo.len(), "{} of {}", made.bytes.len(), photo.len());
    let fine = Sizes { dpi: Some(300.0), ..sizes(Some(144.0), None, None) };
    let fine = prepare("a.jpg", &photo, &fine, None, 450.0).expect("prepared");
    assert_eq!(image::load_from_memory(&fine.bytes).expect("a picture").width(), 600);
}

#[test]
fn a_picture_that_is_fine_enough_stays_byte_for_byte() {
    let png = drawing(ImageFormat::Png, 128);
    let made = prepare("a.png", &png, &sizes(Some(72.0), None, None), None, 450.0).expect("prepared");
    assert_eq!((made.bytes, made.kind), (png, "png"));
}

#[test]
fn photographs_are_turned_upright() {
    let photo = turned(&photograph(60, 20), 6);
    let made = prepare("a.jpg", &photo, &sizes(None, Some(30.0), None), None, 450.0).expect("prepared");
    let upright = image::load_from_memory(&made.bytes).expect("a picture");
    assert_eq!((upright.width(), upright.height()), (20, 60));
    assert_eq!((made.width, made.height), (10.0, 30.0));
}

#[test]
fn gif_and_webp_become_what_documents_hold() {
    let gif = prepare("a.gif", &drawing(ImageFormat::Gif, 255), &Sizes::default(), None, 450.0).expect("prepared");
    let webp = prepare("a.webp", &drawing(ImageFormat::WebP, 100), &Sizes::default(), None, 450.0).expect("prepared");
    assert_eq!((gif.kind, webp.kind), ("png", "png"));
    assert!(image::load_from_memory(&webp.bytes).expect("a picture").color().has_alpha());
}

#[test]
fn lines_stay_lines_and_bring_their_dots() {
    let svg: Arc<[u8]> = b"<svg xmlns='http://www.w3.org/2000/svg' width='96' height='48'><image href='/etc/passwd' width='9' height='9'/><rect width='96' height='48' fill='#5b3a6b'/></svg>".as_slice().into();
    let made = prepare("a.svg", &svg, &sizes(Some(144.0), None, None), None, 450.0).expect("prepared");
    assert_eq!((made.width, made.height, made.vector.as_deref()), (144.0, 72.0, Some(&*svg)));
    let dots = image::load_from_memory(&made.bytes).expect("a picture");
    assert_eq!(dots.width(), 600);
}

#[test]
fn what_is_no_picture_is_named() {
    let said = |name: &str, bytes: &[u8]| prepare(name, &bytes.into(), &Sizes::default(), None, 450.0).expect_err(name).to_string();
    assert_eq!(said("a.txt", b"hello"), "“a.txt” is not a supported picture. Use PNG, JPEG, GIF, WebP or SVG.");
    assert!(said("a.png", &drawing(ImageFormat::Png, 255)[..60]).starts_with("the picture “a.png” is damaged"));
    assert!(said("a.svg", b"<?xml version='1.0'?><!DOCTYPE svg [<!ENTITY a 'b'>]><svg>&a;</svg>").contains("document type definition"));
    // A small file that claims to be vast.
    let mut vast = drawing(ImageFormat::Png, 255).to_vec();
    vast[16..24].copy_from_slice(&[0, 1, 0x86, 0xa0, 0, 1, 0x86, 0xa0]);
    assert!(prepare("vast.png", &vast.into(), &Sizes::default(), None, 450.0).is_err());
}

#[test]
fn pictures_come_from_the_folder_and_nowhere_else() {
    let outside = tempfile::tempdir().expect("a folder");
    std::fs::write(outside.path().join("secret.png"), b"x").expect("written");
    let folder = tempfile::tempdir().expect("a folder");
    std::fs::create_dir(folder.path().join("bow")).expect("made");
    std::fs::write(folder.path().join("bow/a.png"), b"png").expect("written");
    std::os::unix::fs::symlink(outside.path().join("secret.png"), folder.path().join("link.png")).expect("linked");
    let pictures = FolderPictures(folder.path().to_owned());
    assert_eq!(pictures.load("bow/a.png").as_deref(), Ok(b"png".as_slice()));
    assert_eq!(pictures.load("bow\\a.png").as_deref(), Ok(b"png".as_slice()));
    for wrong in ["nothing.png", "../secret.png", "link.png", "bow", "/etc/passwd", ""] {
        assert_eq!(pictures.load(wrong), Err(PictureFault::Missing(wrong.into())), "{wrong}");
    }
    assert!(matches!(pictures.load("http://quay.example/a.png"), Err(PictureFault::Host(_))));
}

#[test]
fn data_addresses_hold_their_bytes() {
    let read = |text: &str| data_address(text).map(|r| r.map(|b| b.to_vec()).map_err(|e| e.to_string()));
    assert_eq!(read("data:image/png;base64,aGVs bG8="), Some(Ok(b"hello".to_vec())));
    assert_eq!(read("a.png"), None);
    assert!(read("data:image/png;base64,§§").is_some_and(|r| r.is_err()));
}

/// A PNG that says its size and holds next to nothing.
fn said(wide: u32, high: u32, bits: u8) -> Vec<u8> {
    let chunk = |kind: &[u8], data: &[u8]| {
        let body = [kind, data].concat();
        let crc = body.iter().fold(!0u32, |crc, byte| {
            (0..8).fold(crc ^ u32::from(*byte), |crc, _| if crc & 1 == 1 { (crc >> 1) ^ 0xedb8_8320 } else { crc >> 1 })
        });
        [&(data.len() as u32).to_be_bytes()[..], &body, &(!crc).to_be_bytes()].concat()
    };
    let head = [&wide.to_be_bytes()[..], &high.to_be_bytes(), &[bits, 6, 0, 0, 0]].concat();
    [&b"\x89PNG\r\n\x1a\n"[..], &chunk(b"IHDR", &head), &chunk(b"IDAT", &[0x78, 0x9c, 3, 0, 0, 0, 0, 1]), &chunk(b"IEND", &[])].concat()
}

/// The most memory that this process has held, in bytes.
fn peak() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find_map(|line| line.strip_prefix("VmHWM:")).unwrap_or_default();
    line.trim().trim_end_matches(" kB").parse::<u64>().unwrap_or_default() * 1024
}

#[test]
fn a_small_file_that_unpacks_to_gigabytes_is_refused_before_it_is_decoded() {
    // Alone in a process of its own: what other tests hold does not count.
    if std::env::var_os("MANGLE_ALONE").is_none() {
        let name = "picture::tests::a_small_file_that_unpacks_to_gigabytes_is_refused_before_it_is_decoded";
        let mut alone = std::process::Command::new(std::env::current_exe().expect("a program"));
        let output = alone.args([name, "--exact"]).env("MANGLE_ALONE", "1").output().expect("runs");
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stdout));
        return;
    }
    let before = peak();
    for (wide, high) in [(12_000, 12_000), (20_000, 20_000), (9_000, 8_000)] {
        let fault = check("big.png", &said(wide, high, 16)).expect_err("refused");
        assert!(matches!(fault, PictureFault::TooLarge { .. }), "{wide} × {high}: {fault}");
        assert!(!is_photograph(&said(wide, high, 16)));
    }
    assert!(peak() - before < 96 << 20, "{} MB", (peak() - before) >> 20);
    // One of an allowed size gets as far as its content.
    assert!(matches!(check("small.png", &said(100, 100, 8)), Err(PictureFault::Damaged { .. })));
}

#[test]
fn a_drawing_of_nested_layers_is_refused() {
    let nested = |depth: usize| {
        let (open, close) = ("<g opacity='.9'><rect width='4' height='4'/>".repeat(depth), "</g>".repeat(depth));
        format!("<svg xmlns='http://www.w3.org/2000/svg' width='40' height='40'>{open}<rect width='9' height='9'/>{close}</svg>")
    };
    assert!(check("a.svg", nested(4).as_bytes()).is_ok());
    assert!(matches!(check("a.svg", nested(200).as_bytes()), Err(PictureFault::Damaged { .. })));
}
