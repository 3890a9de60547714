//! What stands for a placeholder on a template's own pages: short, so that columns and
//! lines stay as they are in the document.

/// The most characters of a value's stand-in.
const MAX_CHARS: usize = 12;

/// What stands for a placeholder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Short {
    /// Its text.
    pub text: String,
    /// Whether the placeholder prints anything; one that does not takes no room in the
    /// filled document.
    pub prints: bool,
}

impl Short {
    /// The stand-in of a placeholder's text, brackets included: the name of a value without
    /// how it is printed, the keyword of anything else.
    ///
    /// ```
    /// use mangle_core::template::Short;
    ///
    /// assert_eq!(Short::of("[: balance as money \"EUR\"]").text, "balance");
    /// assert_eq!(Short::of("[:if days overdue > 90]").text, "if");
    /// ```
    pub fn of(placeholder: &str) -> Short {
        let inner = placeholder.strip_prefix("[:").unwrap_or(placeholder);
        let inner = inner.strip_suffix(']').unwrap_or(inner);
        let word = inner.split(|c: char| !c.is_alphabetic()).next().unwrap_or_default();
        match word {
            "" => Short { text: value(inner.trim()), prints: true },
            "picture" | "barcode" | "signer" | "clause" => Short { text: word.to_owned(), prints: true },
            _ => Short { text: word.to_owned(), prints: false },
        }
    }
}

/// An expression without its format and what stands around it: the last name of a path, the
/// function of a call, cut where it is long. Its words stay together.
fn value(expression: &str) -> String {
    let end = [" as ", " before ", " after ", " else "].iter().filter_map(|word| expression.find(word)).min();
    let shown = expression.get(..end.unwrap_or(expression.len())).unwrap_or(expression).trim();
    if shown == "turn.number" {
        return "1".to_owned();
    }
    let short = match shown.split_once('(') {
        Some((function, _)) => format!("{function}…"),
        None => {
            let name = shown.rsplit_once('.').filter(|(path, _)| !path.contains(' ')).map_or(shown, |(_, name)| name);
            match name.char_indices().nth(MAX_CHARS) {
                None => name.to_owned(),
                Some(_) => format!("{}…", name.chars().take(MAX_CHARS - 1).collect::<String>().trim_end()),
            }
        }
    };
    short.replace(' ', "\u{a0}")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn values_are_named_and_logic_is_a_word() {
        for (placeholder, text, prints) in [
            ("[: salutation]", "salutation", true),
            ("[: due as date long]", "due", true),
            ("[: suite before \", \"]", "suite", true),
            ("[: mobile else home phone]", "mobile", true),
            ("[: owner.last name]", "last\u{a0}name", true),
            ("[: turn.number]", "1", true),
            ("[: qty * price as money \"EUR\"]", "qty\u{a0}*\u{a0}price", true),
            ("[: -paid as money \"EUR\"]", "-paid", true),
            ("[: sum(group.(qty * price)) as money \"EUR\"]", "sum…", true),
            ("[: Stückzahl im Frühjahr]", "Stückzahl\u{a0}i…", true),
            ("[:if mobile is not blank]", "if", false),
            ("[:end]", "end", false),
            ("[:keep row if paid > 0]", "keep", false),
            ("[:repeat row for group sort by price desc]", "repeat", false),
            ("[:picture file height 2.4cm]", "picture", true),
            ("[: never closed", "never\u{a0}closed", true),
            ("[:]", "", true),
        ] {
            assert_eq!(Short::of(placeholder), Short { text: text.to_owned(), prints }, "{placeholder}");
        }
    }
}
