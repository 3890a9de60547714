//! Text (OpenDocument 1.3 part 4, 6.20). Positions count signs from 1.

use icu_normalizer::DecomposingNormalizer;
use sha2::{Digest, Sha256};

use super::{ANY, Arg, Function, Gives, Run, Takes, as_condition, as_number, as_text, as_whole, flat};
use crate::language::Context;
use crate::language::UsedAs;
use crate::language::error::Fault;
use crate::language::format::{Format, capitals};
use crate::language::operate::{bounded, caseless, joined};
use crate::value::Value;

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "LEN",
        syntax: "LEN(text)",
        about: "Number of characters.",
        example: ("LEN(\"Möwe\")", "4"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| Ok(Value::Number(as_text(&a[0], c)?.chars().count().into()))),
    },
    Function {
        name: "LEFT",
        syntax: "LEFT(text; count)",
        about: "First characters of a text (default 1).",
        example: ("LEFT(\"Kittiwake\"; 3)", "Kit"),
        clause: "6.20",
        arity: (1, 2),
        takes: Takes::then(&[Arg::As(UsedAs::Text)], &[Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.chars().take(count(a, 1, 1, c)?).collect::<String>()))),
    },
    Function {
        name: "RIGHT",
        syntax: "RIGHT(text; count)",
        about: "Last characters of a text (default 1).",
        example: ("RIGHT(\"BQ-0214\"; 4)", "0214"),
        clause: "6.20",
        arity: (1, 2),
        takes: Takes::then(&[Arg::As(UsedAs::Text)], &[Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let text: Vec<char> = as_text(&a[0], c)?.chars().collect();
            let from = text.len().saturating_sub(count(a, 1, 1, c)?);
            Ok(Value::text(text[from..].iter().collect::<String>()))
        }),
    },
    Function {
        name: "MID",
        syntax: "MID(text; start; count)",
        about: "Characters from a position.",
        example: ("MID(\"BQ-0214\"; 4; 2)", "02"),
        clause: "6.20",
        arity: (3, 3),
        takes: Takes::then(&[Arg::As(UsedAs::Text)], &[Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let start = as_whole(&a[1], c)?;
            if start < 1 {
                return Err(Fault::Function { function: "MID", why: "positions start at 1".into() });
            }
            let text = as_text(&a[0], c)?;
            Ok(Value::text(text.chars().skip(start as usize - 1).take(count(a, 2, 0, c)?).collect::<String>()))
        }),
    },
    Function {
        name: "TRIM",
        syntax: "TRIM(text)",
        about: "Removes leading, trailing and repeated spaces.",
        example: ("TRIM(\"  De   Grauwe Gans \")", "De Grauwe Gans"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.split_whitespace().collect::<Vec<_>>().join(" ")))),
    },
    Function {
        name: "UPPER",
        syntax: "UPPER(text)",
        about: "Converts to uppercase.",
        example: ("UPPER(\"Möwe\")", "MÖWE"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.to_uppercase()))),
    },
    Function {
        name: "LOWER",
        syntax: "LOWER(text)",
        about: "Converts to lowercase.",
        example: ("LOWER(\"MÖWE\")", "möwe"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.to_lowercase()))),
    },
    Function {
        name: "PROPER",
        syntax: "PROPER(text)",
        about: "Capitalises each word; a letter after any non-letter starts one.",
        example: ("PROPER(\"second o'hara\")", "Second O'Hara"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let mut inside = false;
            Ok(Value::text(capitals(&as_text(&a[0], c)?, |letter| !std::mem::replace(&mut inside, letter.is_alphabetic()))))
        }),
    },
    Function {
        name: "CONCATENATE",
        syntax: "CONCATENATE(a; b; …)",
        about: "Joins texts without a separator.",
        example: ("CONCATENATE(\"C\"; 14)", "C14"),
        clause: "6.20",
        arity: (1, ANY),
        takes: Takes::all(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| joined(flat(a).into_iter().map(|v| as_text(v, c)), "").map(Value::text)),
    },
    Function {
        name: "TEXTJOIN",
        syntax: "TEXTJOIN(separator; skip blanks; a; b; …)",
        about: "Joins texts with a separator between them.",
        example: ("TEXTJOIN(\", \"; true; \"1 Slipway Row\"; \"\"; \"Brackwater\")", "1 Slipway Row, Brackwater"),
        clause: "",
        arity: (3, ANY),
        takes: Takes::then(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::YesNo)], &[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let skip = as_condition(&a[1]);
            let pieces = flat(&a[2..]).into_iter().filter(|v| !(skip && v.is_blank())).map(|v| as_text(v, c));
            joined(pieces, &as_text(&a[0], c)?).map(Value::text)
        }),
    },
    Function {
        name: "SUBSTITUTE",
        syntax: "SUBSTITUTE(text; old; new; which)",
        about: "Replaces one text with another, everywhere or only the nth time.",
        example: ("SUBSTITUTE(\"C-14\"; \"-\"; \"\")", "C14"),
        clause: "6.20",
        arity: (3, 4),
        takes: Takes::these(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::Text), Arg::As(UsedAs::Text), Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(substitute),
    },
    Function {
        name: "FIND",
        syntax: "FIND(part; text; start)",
        about: "Position of a text in another (case-sensitive).",
        example: ("FIND(\"t\"; \"Kittiwake\")", "3"),
        clause: "6.20",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::Text), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let (part, text) = (as_text(&a[0], c)?, as_text(&a[1], c)?);
            let skip = count(a, 2, 1, c)?.saturating_sub(1);
            let from: usize = text.chars().take(skip).map(char::len_utf8).sum();
            match text[from..].find(&part) {
                Some(at) => Ok(Value::Number((text[..from + at].chars().count() + 1).into())),
                None => Err(Fault::Function { function: "FIND", why: format!("“{part}” not found in “{text}”") }),
            }
        }),
    },
    Function {
        name: "VALUE",
        syntax: "VALUE(text)",
        about: "Converts text to a number, using the source's locale.",
        example: ("VALUE(\"1,234.50\") + 1", "1235.5"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| as_number(&a[0], c).map(Value::Number)),
    },
    Function {
        name: "first word",
        syntax: "first word(text)",
        about: "First word of a text.",
        example: ("first word(\"Marie-Hélène Delacroix\")", "Marie-Hélène"),
        clause: "",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.split_whitespace().next().unwrap_or("")))),
    },
    Function {
        name: "initials",
        syntax: "initials(name)",
        about: "Initials of a name.",
        example: ("initials(\"Marijke van der Zwaluw\")", "MvdZ"),
        clause: "",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let name = as_text(&a[0], c)?;
            Ok(Value::text(name.split([' ', '-', '\u{a0}']).filter_map(|w| w.chars().next()).collect::<String>()))
        }),
    },
    Function {
        name: "SEARCH",
        syntax: "SEARCH(part; text; start)",
        about: "Position of a text in another (not case-sensitive).",
        example: ("SEARCH(\"T\"; \"Kittiwake\")", "3"),
        clause: "6.20",
        arity: (2, 3),
        takes: Takes::these(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::Text), Arg::As(UsedAs::Number)]),
        gives: Gives::Number,
        run: Run::Eager(|a, c| {
            let (part, text) = (as_text(&a[0], c)?, as_text(&a[1], c)?);
            let signs: Vec<char> = text.chars().collect();
            let (wanted, length) = (caseless(&part), part.chars().count());
            let from = count(a, 2, 1, c)?.saturating_sub(1);
            let found = (from..=signs.len().saturating_sub(length))
                .find(|at| signs.get(*at..*at + length).is_some_and(|own| caseless(&own.iter().collect::<String>()) == wanted));
            found
                .map(|at| Value::Number((at + 1).into()))
                .ok_or_else(|| Fault::Function { function: "SEARCH", why: format!("“{part}” not found in “{text}”") })
        }),
    },
    Function {
        name: "REPLACE",
        syntax: "REPLACE(text; start; count; new)",
        about: "Replaces n characters from a position.",
        example: ("REPLACE(\"C-14\"; 2; 1; \"/\")", "C/14"),
        clause: "6.20",
        arity: (4, 4),
        takes: Takes::these(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::Number), Arg::As(UsedAs::Number), Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let text = as_text(&a[0], c)?;
            let (start, length) = (count(a, 1, 1, c)?.max(1) - 1, count(a, 2, 0, c)?);
            let before: String = text.chars().take(start).collect();
            let after: String = text.chars().skip(start.saturating_add(length)).collect();
            Ok(Value::text(before + &as_text(&a[3], c)? + &after))
        }),
    },
    Function {
        name: "REPT",
        syntax: "REPT(text; count)",
        about: "Repeats a text n times.",
        example: ("REPT(\"=-\"; 3)", "=-=-=-"),
        clause: "6.20",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let (text, times) = (as_text(&a[0], c)?, count(a, 1, 1, c)?);
            bounded(text.len().saturating_mul(times))?;
            Ok(Value::text(text.repeat(times)))
        }),
    },
    Function {
        name: "EXACT",
        syntax: "EXACT(a; b)",
        about: "True if the texts are identical (case-sensitive).",
        example: ("EXACT(\"Grace\"; \"grace\")", "no"),
        clause: "6.20",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Text), Arg::As(UsedAs::Text)]),
        gives: Gives::YesNo,
        run: Run::Eager(|a, c| Ok(Value::Bool(as_text(&a[0], c)? == as_text(&a[1], c)?))),
    },
    Function {
        name: "TEXT",
        syntax: "TEXT(value; pattern)",
        about: "Formats a value with a number or date pattern.",
        example: ("TEXT(1234.5; \"#,##0.00\")", "1,234.50"),
        clause: "6.20",
        arity: (2, 2),
        takes: Takes::these(&[Arg::As(UsedAs::Value), Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let pattern = as_text(&a[1], c)?;
            let word = if matches!(a[0], Value::Date(_) | Value::DateTime(_)) { "date" } else { "number" };
            let format = Format::read(word, Some(&pattern), true).map_err(|e| Fault::Format(e.to_string()))?;
            format.write(&if a[0].is_blank() { Value::Number(0.into()) } else { a[0].clone() }, &c.locale).map(Value::text)
        }),
    },
    Function {
        name: "CHAR",
        syntax: "CHAR(number)",
        about: "Character for a code from 1 to 255 (Latin-1).",
        example: ("CHAR(65)", "A"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| match u8::try_from(as_whole(&a[0], c)?) {
            Ok(code) if code > 0 => Ok(Value::text(char::from(code).to_string())),
            _ => Err(Fault::Function { function: "CHAR", why: "code must be 1 to 255. For other characters use UNICHAR.".into() }),
        }),
    },
    Function {
        name: "UNICHAR",
        syntax: "UNICHAR(number)",
        about: "Character for a Unicode code point.",
        example: ("UNICHAR(8364)", "€"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let found = u32::try_from(as_whole(&a[0], c)?).ok().filter(|n| *n > 0).and_then(char::from_u32);
            found
                .map(|sign| Value::text(sign.to_string()))
                .ok_or_else(|| Fault::Function { function: "UNICHAR", why: "no character has this code".into() })
        }),
    },
    Function {
        name: "CLEAN",
        syntax: "CLEAN(text)",
        about: "Removes non-printable characters.",
        example: ("CLEAN(\"Gra\" & CHAR(7) & \"ce\")", "Grace"),
        clause: "6.20",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.chars().filter(|s| !s.is_control()).collect::<String>()))),
    },
    Function {
        name: "words",
        syntax: "words(number)",
        about: "Spells out a number in the document's language.",
        example: ("words(14)", "fourteen"),
        clause: "",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Number)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let format = Format::Words;
            if a[0].is_blank() { Ok(Value::Blank) } else { format.write(&Value::Number(as_number(&a[0], c)?), &c.locale).map(Value::text) }
        }),
    },
    Function {
        name: "slug",
        syntax: "slug(text)",
        about: "Converts text to lowercase letters, digits and hyphens, for web addresses and file names.",
        example: ("slug(\"Möwe & Söhne, Ltd.\")", "mowe-sohne-ltd"),
        clause: "",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let plain = DecomposingNormalizer::new_nfkd();
            let text = as_text(&a[0], c)?.to_lowercase().replace('ß', "ss").replace('ø', "o").replace('ł', "l").replace('æ', "ae");
            let kept: String = plain.normalize(&text).chars().filter(|s| !('\u{300}'..='\u{36f}').contains(s)).collect();
            let pieces: Vec<&str> = kept.split(|s: char| !s.is_alphanumeric()).filter(|p| !p.is_empty()).collect();
            Ok(Value::text(pieces.join("-")))
        }),
    },
    Function {
        name: "sha256",
        syntax: "sha256(text)",
        about: "SHA-256 checksum of a text (FIPS 180-4), in hexadecimal digits.",
        example: ("LEFT(sha256(\"abc\"); 8)", "ba7816bf"),
        clause: "",
        arity: (1, 1),
        takes: Takes::these(&[Arg::As(UsedAs::Text)]),
        gives: Gives::Text,
        run: Run::Eager(|a, c| {
            let digest = Sha256::digest(as_text(&a[0], c)?.as_bytes());
            Ok(Value::text(digest.iter().map(|byte| format!("{byte:02x}")).collect::<String>()))
        }),
    },
];

fn count(arguments: &[Value], index: usize, default: usize, context: &Context) -> Result<usize, Fault> {
    match arguments.get(index) {
        None => Ok(default),
        Some(value) => usize::try_from(as_whole(value, context)?)
            .map_err(|_| Fault::Function { function: "this", why: "the number of characters can't be negative".into() }),
    }
}

fn substitute(a: &[Value], c: &Context) -> Result<Value, Fault> {
    let (text, old, new) = (as_text(&a[0], c)?, as_text(&a[1], c)?, as_text(&a[2], c)?);
    if old.is_empty() {
        return Ok(Value::text(text));
    }
    if a.len() == 3 {
        // How long it becomes is known before anything of it is made.
        let found = if new.len() > old.len() { text.matches(old.as_str()).count() } else { 0 };
        bounded(text.len().saturating_add(found.saturating_mul(new.len().saturating_sub(old.len()))))?;
        return Ok(Value::text(text.replace(&old, &new)));
    }
    let which = count(a, 3, 1, c)?;
    Ok(Value::text(match which.checked_sub(1).and_then(|n| text.match_indices(&old).nth(n)) {
        Some((at, _)) => format!("{}{new}{}", &text[..at], &text[at + old.len()..]),
        None => text,
    }))
}
