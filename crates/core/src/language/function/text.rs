//! Text (OpenDocument 1.3 part 4, 6.20). Positions count signs from 1.

use super::{ANY, Function, Run, as_condition, as_number, as_text, as_whole, flat};
use crate::language::Context;
use crate::language::error::Fault;
use crate::language::format::title;
use crate::value::Value;

pub(super) static FUNCTIONS: &[Function] = &[
    Function {
        name: "LEN",
        syntax: "LEN(text)",
        about: "How many signs it has.",
        example: ("LEN(\"Möwe\")", "4"),
        clause: "6.20",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(Value::Number(as_text(&a[0], c)?.chars().count().into()))),
    },
    Function {
        name: "LEFT",
        syntax: "LEFT(text; count)",
        about: "Its first signs; one when no count is given.",
        example: ("LEFT(\"Kittiwake\"; 3)", "Kit"),
        clause: "6.20",
        arity: (1, 2),
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.chars().take(count(a, 1, 1, c)?).collect::<String>()))),
    },
    Function {
        name: "RIGHT",
        syntax: "RIGHT(text; count)",
        about: "Its last signs; one when no count is given.",
        example: ("RIGHT(\"BQ-0214\"; 4)", "0214"),
        clause: "6.20",
        arity: (1, 2),
        run: Run::Eager(|a, c| {
            let text: Vec<char> = as_text(&a[0], c)?.chars().collect();
            let from = text.len().saturating_sub(count(a, 1, 1, c)?);
            Ok(Value::text(text[from..].iter().collect::<String>()))
        }),
    },
    Function {
        name: "MID",
        syntax: "MID(text; start; count)",
        about: "The signs from a place on.",
        example: ("MID(\"BQ-0214\"; 4; 2)", "02"),
        clause: "6.20",
        arity: (3, 3),
        run: Run::Eager(|a, c| {
            let start = as_whole(&a[1], c)?;
            if start < 1 {
                return Err(Fault::Function { function: "MID", why: "the first sign is number 1".into() });
            }
            let text = as_text(&a[0], c)?;
            Ok(Value::text(text.chars().skip(start as usize - 1).take(count(a, 2, 0, c)?).collect::<String>()))
        }),
    },
    Function {
        name: "TRIM",
        syntax: "TRIM(text)",
        about: "Without spaces at its ends, and with single ones inside.",
        example: ("TRIM(\"  De   Grauwe Gans \")", "De Grauwe Gans"),
        clause: "6.20",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.split_whitespace().collect::<Vec<_>>().join(" ")))),
    },
    Function {
        name: "UPPER",
        syntax: "UPPER(text)",
        about: "In capitals.",
        example: ("UPPER(\"Möwe\")", "MÖWE"),
        clause: "6.20",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.to_uppercase()))),
    },
    Function {
        name: "LOWER",
        syntax: "LOWER(text)",
        about: "In small letters.",
        example: ("LOWER(\"MÖWE\")", "möwe"),
        clause: "6.20",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.to_lowercase()))),
    },
    Function {
        name: "PROPER",
        syntax: "PROPER(text)",
        about: "Each word with a capital.",
        example: ("PROPER(\"second thoughts\")", "Second Thoughts"),
        clause: "6.20",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(Value::text(title(&as_text(&a[0], c)?)))),
    },
    Function {
        name: "CONCATENATE",
        syntax: "CONCATENATE(a; b; …)",
        about: "One text behind the other.",
        example: ("CONCATENATE(\"C\"; 14)", "C14"),
        clause: "6.20",
        arity: (1, ANY),
        run: Run::Eager(|a, c| {
            let pieces: Result<Vec<String>, Fault> = flat(a).into_iter().map(|v| as_text(v, c)).collect();
            Ok(Value::text(pieces?.concat()))
        }),
    },
    Function {
        name: "TEXTJOIN",
        syntax: "TEXTJOIN(separator; skip blanks; a; b; …)",
        about: "The texts with a separator between them.",
        example: ("TEXTJOIN(\", \"; true; \"1 Slipway Row\"; \"\"; \"Brackwater\")", "1 Slipway Row, Brackwater"),
        clause: "",
        arity: (3, ANY),
        run: Run::Eager(|a, c| {
            let skip = as_condition(&a[1]);
            let pieces: Result<Vec<String>, Fault> =
                flat(&a[2..]).into_iter().filter(|v| !(skip && v.is_blank())).map(|v| as_text(v, c)).collect();
            Ok(Value::text(pieces?.join(&as_text(&a[0], c)?)))
        }),
    },
    Function {
        name: "SUBSTITUTE",
        syntax: "SUBSTITUTE(text; old; new; which)",
        about: "With one text in place of another, everywhere or at its nth place.",
        example: ("SUBSTITUTE(\"C-14\"; \"-\"; \"\")", "C14"),
        clause: "6.20",
        arity: (3, 4),
        run: Run::Eager(substitute),
    },
    Function {
        name: "FIND",
        syntax: "FIND(part; text; start)",
        about: "The place of a text in another; capitals count.",
        example: ("FIND(\"t\"; \"Kittiwake\")", "3"),
        clause: "6.20",
        arity: (2, 3),
        run: Run::Eager(|a, c| {
            let (part, text) = (as_text(&a[0], c)?, as_text(&a[1], c)?);
            let skip = count(a, 2, 1, c)?.saturating_sub(1);
            let from: usize = text.chars().take(skip).map(char::len_utf8).sum();
            match text[from..].find(&part) {
                Some(at) => Ok(Value::Number((text[..from + at].chars().count() + 1).into())),
                None => Err(Fault::Function { function: "FIND", why: format!("“{part}” does not stand in “{text}”") }),
            }
        }),
    },
    Function {
        name: "VALUE",
        syntax: "VALUE(text)",
        about: "The number that a text writes, read by the source's locale.",
        example: ("VALUE(\"1,234.50\") + 1", "1235.5"),
        clause: "6.20",
        arity: (1, 1),
        run: Run::Eager(|a, c| as_number(&a[0], c).map(Value::Number)),
    },
    Function {
        name: "first word",
        syntax: "first word(text)",
        about: "Its first word.",
        example: ("first word(\"Marie-Hélène Delacroix\")", "Marie-Hélène"),
        clause: "",
        arity: (1, 1),
        run: Run::Eager(|a, c| Ok(Value::text(as_text(&a[0], c)?.split_whitespace().next().unwrap_or("")))),
    },
    Function {
        name: "initials",
        syntax: "initials(name)",
        about: "The first letters of its words.",
        example: ("initials(\"Marijke van der Zwaluw\")", "MvdZ"),
        clause: "",
        arity: (1, 1),
        run: Run::Eager(|a, c| {
            let name = as_text(&a[0], c)?;
            Ok(Value::text(name.split([' ', '-', '\u{a0}']).filter_map(|w| w.chars().next()).collect::<String>()))
        }),
    },
];

fn count(arguments: &[Value], index: usize, default: usize, context: &Context) -> Result<usize, Fault> {
    match arguments.get(index) {
        None => Ok(default),
        Some(value) => usize::try_from(as_whole(value, context)?)
            .map_err(|_| Fault::Function { function: "this", why: "a count of signs can't be less than 0".into() }),
    }
}

fn substitute(a: &[Value], c: &Context) -> Result<Value, Fault> {
    let (text, old, new) = (as_text(&a[0], c)?, as_text(&a[1], c)?, as_text(&a[2], c)?);
    if old.is_empty() {
        return Ok(Value::text(text));
    }
    if a.len() == 3 {
        return Ok(Value::text(text.replace(&old, &new)));
    }
    let which = count(a, 3, 1, c)?;
    Ok(Value::text(match which.checked_sub(1).and_then(|n| text.match_indices(&old).nth(n)) {
        Some((at, _)) => format!("{}{new}{}", &text[..at], &text[at + old.len()..]),
        None => text,
    }))
}
