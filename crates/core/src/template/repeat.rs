//! A repeat over a list of the record, compiled: what it goes over, and its turns.

use super::{FillError, NameUse, Place, Placeholder, TextTemplate};
use crate::diagnostic::Diagnostic;
use crate::language::syntax::{Expr, Kind};
use crate::language::{Scope, Turns, kind};

/// A repeat over a list, compiled.
#[derive(Debug)]
pub struct Repeat {
    list: Expr,
    text: TextTemplate,
}

impl Repeat {
    /// Reads a list as it stands behind `repeat for`; none where it is blank.
    pub fn read(text: &str) -> Result<Option<Repeat>, Box<Diagnostic>> {
        let text = text.trim().replace(['\r', '\n'], " ");
        if text.is_empty() {
            return Ok(None);
        }
        let wrong = |message: String| Box::new(Diagnostic::error("repeat", message).within(&*text));
        match kind(&format!("repeat for {text}")) {
            Ok(Kind::Repeat(None, list)) => Ok(Some(Repeat { list, text: TextTemplate::new(&format!("[:repeat for {text}]x[:end]")) })),
            Ok(_) => Err(wrong(format!("“{text}” is not a list"))),
            Err(error) => Err(wrong(error.to_string())),
        }
    }

    /// Its turns for a record.
    pub fn turns(&self, scope: &Scope<'_>) -> Result<Turns, FillError> {
        let placeholder = || self.text.placeholders().first().map(|p| p.text.as_str().into()).unwrap_or_default();
        scope.turns(&self.list).map_err(|error| FillError { placeholder: placeholder(), place: Place::Text, turn_of: None, error })
    }

    /// It as a text with placeholders.
    pub fn text(&self) -> &TextTemplate {
        &self.text
    }

    /// A placeholder as it stands within the repeat: its names are looked up in the list first.
    pub fn around(&self, placeholder: &Placeholder) -> Placeholder {
        let list = self.list.path().map(|path| path.into_iter().map(|name| name.text).collect::<Vec<_>>());
        let within =
            |name: &NameUse| NameUse { within: std::iter::once(list.clone()).chain(name.within.clone()).collect(), ..name.clone() };
        Placeholder { names: placeholder.names.iter().map(within).collect(), ..placeholder.clone() }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::language::{Context, Ties};
    use crate::records::from_json;
    use crate::value::Locale;

    #[test]
    fn it_goes_over_a_list_and_its_names_are_looked_up_there() {
        let repeat = Repeat::read("boats where loa > 9 sort by loa").expect("a list").expect("one");
        let json =
            serde_json::json!([{ "boats": [{ "loa": 14, "boat": "Teal" }, { "loa": 8, "boat": "Gull" }, { "loa": 10, "boat": "Heron" }] }]);
        let sheet = from_json("holders", &json).expect("a sheet");
        let context = Context::new(Locale::english(), "2026-11-23T09:42".parse().expect("a moment"));
        let ties = Ties::default();
        let scope = Scope::new(&sheet.records[0], &ties, &context);
        let turns = repeat.turns(&scope).expect("turns");
        let title = TextTemplate::new("[: boat] [: turn.number]");
        let titles: Vec<String> = (0..turns.len()).filter_map(|at| title.fill(&scope.turn(turns.get(at)?)).ok()).collect();
        assert_eq!(titles, ["Heron 1", "Teal 2"]);
        let own = repeat.around(&title.placeholders()[0]);
        assert_eq!(own.names[0].within, [Some(vec!["boats".to_owned()])]);
        assert!(Repeat::read(" ").expect("nothing").is_none());
        let wrong = Repeat::read("boats where").expect_err("no condition");
        assert_eq!(wrong.code, "repeat");
    }
}
