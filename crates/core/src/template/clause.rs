//! The clause library: pieces of text that templates share, each with
//! placeholders of its own and, if wanted, a text for each language.

use std::collections::HashMap;
use std::sync::Arc;

use super::{FillError, TextTemplate};
use crate::diagnostic::{Diagnostic, Target};
use crate::language::syntax::{Kind, Setting};
use crate::language::{EvalError, Fault, Folded, Scope, Span};
use crate::value::Value;

/// How deep clauses may stand within clauses.
const DEEPEST: usize = 16;

/// The clause library.
#[derive(Debug, Default)]
pub struct Clauses(HashMap<Folded, Clause>);

/// One clause.
#[derive(Debug)]
struct Clause {
    name: String,
    /// The language it is for, empty for any; the text.
    texts: Vec<(String, TextTemplate)>,
}

/// A problem of a clause.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClauseProblem {
    /// The clause's name.
    pub clause: String,
    /// What must be put right.
    pub problem: Diagnostic,
}

impl Clauses {
    /// A library of clauses: name, language (empty for any) and text.
    pub fn new<'a>(clauses: impl IntoIterator<Item = (&'a str, &'a str, &'a str)>) -> (Arc<Clauses>, Vec<ClauseProblem>) {
        let mut library: HashMap<Folded, Clause> = HashMap::new();
        let mut problems = Vec::new();
        for (name, language, text) in clauses {
            let text = TextTemplate::new(text);
            problems.extend(text.problems().iter().map(|p| ClauseProblem { clause: name.to_owned(), problem: p.clone() }));
            let clause = library.entry(Folded::new(name)).or_insert_with(|| Clause { name: name.to_owned(), texts: Vec::new() });
            clause.texts.push((language.to_ascii_lowercase(), text));
        }
        let library = Clauses(library);
        problems.extend(library.circles());
        (Arc::new(library), problems)
    }

    /// The clauses' names.
    pub fn names(&self) -> impl Iterator<Item = &str> {
        self.0.values().map(|c| c.name.as_str())
    }

    /// Whether there is a clause of this name.
    pub fn has(&self, name: &str) -> bool {
        self.0.contains_key(&Folded::new(name))
    }

    /// The clauses that lead back to themselves.
    fn circles(&self) -> Vec<ClauseProblem> {
        let mut found: Vec<ClauseProblem> = self
            .0
            .values()
            .filter_map(|clause| {
                let own = Folded::new(&clause.name);
                let mut seen = Vec::new();
                let mut open = clause.calls();
                while let Some(next) = open.pop() {
                    if next == own {
                        let message = format!("the clause “{}” refers to itself. Remove it from one of the clauses.", clause.name);
                        let problem = Diagnostic::error("clause-circle", message)
                            .about(Target::Text)
                            .within(format!("[:clause \"{}\"]", clause.name));
                        return Some(ClauseProblem { clause: clause.name.clone(), problem });
                    }
                    if !seen.contains(&next) {
                        open.extend(self.0.get(&next).map(Clause::calls).unwrap_or_default());
                        seen.push(next);
                    }
                }
                None
            })
            .collect();
        found.sort_by(|a, b| a.clause.cmp(&b.clause));
        found
    }

    /// A clause's text where a placeholder calls it.
    pub(super) fn fill(&self, name: &str, with: &[Setting], scope: &Scope<'_>) -> Result<String, EvalError> {
        let fail = |why: &str| EvalError { span: Span::default(), fault: Fault::Clause { name: name.to_owned(), why: why.to_owned() } };
        let clause = self.0.get(&Folded::new(name)).ok_or_else(|| fail("is not in the clause library. Add it or correct the name."))?;
        if scope.clauses_deep() >= DEEPEST {
            return Err(fail(&format!("is nested too deeply (maximum {DEEPEST} levels)")));
        }
        let mut names: Vec<(Folded, Value)> = Vec::with_capacity(with.len());
        for setting in with {
            names.push((setting.name.folded.clone(), scope.value(&setting.value)?));
        }
        let language = scope.context.locale.tag().to_ascii_lowercase();
        let text = clause.text(&language).ok_or_else(|| fail(&format!("has no text for {language} or for any language")))?;
        text.fill(&scope.clause(names))
            .map_err(|FillError { placeholder, error, .. }| fail(&format!("can't be filled: {placeholder} {error}")))
    }
}

impl Clause {
    /// The text for a locale: its own, its language's, or that for any.
    fn text(&self, locale: &str) -> Option<&TextTemplate> {
        let language = locale.split('-').next().unwrap_or_default();
        [locale, language, ""].iter().find_map(|wanted| self.texts.iter().find(|(own, _)| own == wanted)).map(|(_, text)| text)
    }

    /// The clauses that it calls.
    fn calls(&self) -> Vec<Folded> {
        let called = |text: &TextTemplate| -> Vec<Folded> {
            text.placeholders()
                .iter()
                .filter_map(|p| match crate::language::kind(p.text.trim_start_matches("[:").trim_end_matches(']')) {
                    Ok(Kind::Clause(name, _)) => Some(Folded::new(&name)),
                    _ => None,
                })
                .collect()
        };
        self.texts.iter().flat_map(|(_, text)| called(text)).collect()
    }
}
