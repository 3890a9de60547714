//! What poppler sees of a PDF.

/// A word and where it stands, in points from the page's top left.
#[derive(Debug, Clone)]
pub struct Word {
    pub text: String,
    pub left: f64,
    pub right: f64,
    pub bottom: f64,
}

pub fn run(program: &str, arguments: &[&str], pdf: &[u8]) -> String {
    let file = tempfile::NamedTempFile::new().expect("a file");
    std::fs::write(file.path(), pdf).expect("written");
    let path = file.path().to_string_lossy().into_owned();
    let arguments: Vec<&str> = arguments.iter().map(|a| if *a == "FILE" { path.as_str() } else { a }).collect();
    let output = std::process::Command::new(program).args(arguments).output().expect(program);
    assert!(output.status.success(), "{program}: {}", String::from_utf8_lossy(&output.stderr));
    String::from_utf8_lossy(&output.stdout).into_owned()
}

/// The words of each page.
pub fn words(pdf: &[u8]) -> Vec<Vec<Word>> {
    let mut pages: Vec<Vec<Word>> = Vec::new();
    for line in run("pdftotext", &["-bbox", "FILE", "-"], pdf).lines() {
        if line.contains("<page ") {
            pages.push(Vec::new());
        }
        let attribute = |name: &str| line.split(&format!("{name}=\"")).nth(1)?.split('"').next()?.parse::<f64>().ok();
        if let (true, Some(page), Some(left), Some(right), Some(bottom)) =
            (line.contains("<word "), pages.last_mut(), attribute("xMin"), attribute("xMax"), attribute("yMax"))
        {
            let text = line.split('>').nth(1).unwrap_or("").split('<').next().unwrap_or("").replace("&amp;", "&");
            page.push(Word { text, left, right, bottom });
        }
    }
    pages
}

/// The words of a page by the line that they stand on, from the top.
pub fn lines(page: &[Word]) -> Vec<Vec<Word>> {
    let mut sorted: Vec<&Word> = page.iter().collect();
    sorted.sort_by(|a, b| a.bottom.total_cmp(&b.bottom));
    let mut lines: Vec<Vec<Word>> = Vec::new();
    for word in sorted {
        match lines.last_mut().filter(|l| (l[0].bottom - word.bottom).abs() < 2.5) {
            Some(line) => line.push(word.clone()),
            None => lines.push(vec![word.clone()]),
        }
    }
    lines.iter_mut().for_each(|l| l.sort_by(|a, b| a.left.total_cmp(&b.left)));
    lines
}

/// Where something dark runs down a page without a gap from one height to another, in
/// points from the left, to a quarter.
pub fn upright(pdf: &[u8], page: usize, from: f64, to: f64) -> Vec<f64> {
    let folder = tempfile::tempdir().expect("a folder");
    let (number, to_file) = (page.to_string(), folder.path().join("page").to_string_lossy().into_owned());
    run("pdftoppm", &["-r", "288", "-gray", "-png", "-singlefile", "-f", &number, "-l", &number, "FILE", &to_file], pdf);
    let picture = image::open(folder.path().join("page.png")).expect("a picture").into_luma8();
    let rows = (from * 4.0) as u32..(to * 4.0) as u32;
    let mut found: Vec<f64> = Vec::new();
    for x in 0..picture.width() {
        if rows.clone().all(|y| picture.get_pixel(x, y).0[0] < 160) && found.last().is_none_or(|last| f64::from(x) / 4.0 - last > 1.0) {
            found.push(f64::from(x) / 4.0);
        }
    }
    found
}

/// The pages' sizes in points, to a tenth.
pub fn sizes(pdf: &[u8]) -> Vec<(f64, f64)> {
    run("pdfinfo", &["-f", "1", "-l", "999", "FILE"], pdf)
        .lines()
        .filter(|l| l.starts_with("Page ") && l.contains("size:"))
        .filter_map(|l| {
            let numbers: Vec<f64> = l.split("size:").nth(1)?.split_whitespace().filter_map(|w| w.parse().ok()).collect();
            let tenth = |n: f64| (n * 10.0).round() / 10.0;
            Some((tenth(*numbers.first()?), tenth(*numbers.get(1)?)))
        })
        .collect()
}
