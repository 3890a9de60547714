//! Signs of symbol fonts as the Unicode signs that they show. Such fonts keep
//! their signs in the private area from U+F000, or at the codes of letters.

/// The sign that a sign shows in a font; signs of other fonts stay.
pub(super) fn shown(sign: char, font: Option<&str>) -> char {
    let family = Family::of(font.unwrap_or_default());
    let code = u32::from(sign);
    let private = (0xf000..0xf100).contains(&code);
    let low = if private { code - 0xf000 } else { code };
    let found = match family {
        Family::Symbol if low < 0x100 => symbol(low as u8),
        Family::Wingdings if low < 0x100 => wingdings(low as u8),
        Family::Other if private => wingdings(low as u8).or_else(|| symbol(low as u8)),
        Family::Other if font == Some("Courier New") && sign == 'o' => Some('◦'),
        _ => None,
    };
    match found {
        Some(found) => found,
        None if private || ('\u{e000}'..='\u{f8ff}').contains(&sign) => '•',
        None => sign,
    }
}

/// Whether a font's signs are not those of its codes.
pub(super) fn is_symbol(font: &str) -> bool {
    Family::of(font) != Family::Other
}

#[derive(PartialEq, Eq)]
enum Family {
    Symbol,
    Wingdings,
    Other,
}

impl Family {
    fn of(font: &str) -> Family {
        match font {
            "Symbol" => Family::Symbol,
            font if font.starts_with("Wingdings") || font == "Webdings" => Family::Wingdings,
            _ => Family::Other,
        }
    }
}

/// The symbol encoding: Greek at the places of Latin letters, then mathematics.
fn symbol(code: u8) -> Option<char> {
    const GREEK: &str = "ΑΒΧΔΕΦΓΗΙϑΚΛΜΝΟΠΘΡΣΤΥςΩΞΨΖ";
    const SMALL: &str = "αβχδεφγηιϕκλμνοπθρστυϖωξψζ";
    const UPPER: &str = "€ϒ′≤⁄∞ƒ♣♦♥♠↔←↑→↓°±″≥×∝∂•÷≠≡≈…⏐⎯↵ℵℑℜ℘⊗⊕∅∩∪⊃⊇⊄⊂⊆∈∉∠∇®©™∏√⋅¬∧∨⇔⇐⇑⇒⇓◊〈®©™∑";
    match code {
        b'A'..=b'Z' => GREEK.chars().nth(usize::from(code - b'A')),
        b'a'..=b'z' => SMALL.chars().nth(usize::from(code - b'a')),
        0x22 => Some('∀'),
        0x24 => Some('∃'),
        0x27 => Some('∋'),
        0x2a => Some('∗'),
        0x2d => Some('−'),
        0x40 => Some('≅'),
        0x5c => Some('∴'),
        0x5e => Some('⊥'),
        0xa0..=0xe5 => UPPER.chars().nth(usize::from(code - 0xa0)),
        0x20..=0x7e => Some(char::from(code)),
        _ => None,
    }
}

/// The dingbats that documents use as bullets, boxes and arrows.
fn wingdings(code: u8) -> Option<char> {
    Some(match code {
        0x20 => ' ',
        0x22 => '✂',
        0x28 => '☎',
        0x29 => '✆',
        0x2a => '✉',
        0x36 => '⌛',
        0x3e => '✇',
        0x41 => '✌',
        0x46 => '☞',
        0x4a => '☺',
        0x4c => '☹',
        0x52 => '☼',
        0x6c => '●',
        0x6d => '❍',
        0x6e => '■',
        0x6f => '□',
        0x70 => '❐',
        0x71 => '❑',
        0x72 => '❒',
        0x73 => '⬧',
        0x74 => '⧫',
        0x75 => '◆',
        0x76 => '❖',
        0x77 => '⬥',
        0x78 => '⌧',
        0x9e => '·',
        0x9f | 0xb7 => '•',
        0xa1 => '○',
        0xa7 => '▪',
        0xa8 => '◻',
        0xaa => '✦',
        0xab => '★',
        0xd8 => '➢',
        0xdf => '←',
        0xe0 => '→',
        0xe1 => '↑',
        0xe2 => '↓',
        0xe8 => '➔',
        0xf0 => '⇨',
        0xfb => '✗',
        0xfc => '✓',
        0xfd => '☒',
        0xfe => '☑',
        _ => return None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn signs_of_symbol_fonts_are_shown_by_unicode_signs() {
        assert_eq!(shown('\u{f0b7}', Some("Symbol")), '•');
        assert_eq!(shown('a', Some("Symbol")), 'α');
        assert_eq!(shown('\u{f0fc}', Some("Wingdings")), '✓');
        assert_eq!(shown('\u{f0a7}', None), '▪');
        assert_eq!(shown('\u{f001}', Some("Acme Signs")), '•');
        assert_eq!(shown('a', Some("Arial")), 'a');
        assert_eq!((0xa0..=0xe5u8).filter_map(symbol).count(), 70);
    }
}
