//! File names from patterns: whatever a record holds, the name is one that every
//! file system takes and that stays in its folder.

/// The longest name, in bytes, without its extension.
const LONGEST: usize = 150;

/// Makes a file name (without extension) of a filled pattern. Signs that file
/// systems refuse become `-`; `None` when nothing is left.
///
/// ```
/// use mangle_core::dispatch::file_name;
/// assert_eq!(file_name("Reminder BQ/0214: Möwe").as_deref(), Some("Reminder BQ-0214- Möwe"));
/// assert_eq!(file_name("../../etc/passwd").as_deref(), Some("-..-etc-passwd"));
/// ```
pub fn file_name(text: &str) -> Option<String> {
    let mut name = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            '/' | '\\' | ':' | '*' | '?' | '"' | '<' | '>' | '|' => name.push('-'),
            c if c.is_whitespace() => {
                if !name.ends_with(' ') {
                    name.push(' ');
                }
            }
            c if c.is_control()
                || matches!(c, '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}') => {}
            c => name.push(c),
        }
        if name.len() > LONGEST {
            name.truncate(name.floor_char_boundary(LONGEST));
            break;
        }
    }
    let name = name.trim_matches([' ', '.']);
    if name.chars().all(|c| c == '-') {
        return None;
    }
    const RESERVED: [&str; 4] = ["con", "prn", "aux", "nul"];
    // What is before the first dot alone makes the device, spaces behind it or not: NUL.txt is one.
    let (stem, rest) = name.split_at(name.find('.').unwrap_or(name.len()));
    let plain = stem.trim_end().to_ascii_lowercase();
    let port = plain.strip_prefix("com").or_else(|| plain.strip_prefix("lpt"));
    let port = port.is_some_and(|number| number.chars().count() == 1 && number.contains(|c: char| c.is_ascii_digit() || "¹²³".contains(c)));
    let device = port || RESERVED.contains(&plain.as_str());
    Some(if device { format!("{}_{rest}", stem.trim_end()) } else { name.to_owned() })
}

/// A name that is taken, with a number behind it: `Reminder (2)`.
pub fn numbered(name: &str, number: usize) -> String {
    format!("{name} ({number})")
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn names_that_a_file_system_keeps_for_itself() {
        assert_eq!(file_name("nul").as_deref(), Some("nul_"));
        // An underscore at the end would be none of the name: what is behind the first dot does not count.
        assert_eq!(file_name("COM1.txt").as_deref(), Some("COM1_.txt"));
        assert_eq!(file_name("Aux .2026.txt").as_deref(), Some("Aux_.2026.txt"));
        assert_eq!(file_name("lpt².txt").as_deref(), Some("lpt²_.txt"));
        for free in ["Comb", "Console.txt", "com10", "Null"] {
            assert_eq!(file_name(free).as_deref(), Some(free));
        }
        assert_eq!(file_name("  ..  "), None);
        assert_eq!(file_name("///"), None);
    }

    proptest! {
        #[test]
        fn a_name_never_leaves_its_folder(text in "\\PC{0,300}") {
            if let Some(name) = file_name(&text) {
                prop_assert!(!name.contains(['/', '\\', '\0']) && name != ".." && name != "." && name.len() <= LONGEST + 1);
                let again = file_name(&name);
                prop_assert_eq!(again.as_deref(), Some(name.as_str()));
            }
        }
    }
}
