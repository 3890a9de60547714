//! Tokens → syntax tree, by recursive descent; one method a rule of the grammar,
//! in the grammar's order.

use super::error::{Span, SyntaxError, SyntaxFault};
use super::format::Format;
use super::function::{self, Function};
use super::name::nearest;
use super::syntax::{Arithmetic, Comparison, Expr, ExprKind, Kind, Logic, Name, Part, Scope};
use super::token::{Sign, Token, TokenKind, tokens};
use crate::value::{Locale, Value};

/// How deep parentheses and the like may nest.
const DEEPEST: usize = 64;
/// How many signs a placeholder may hold.
const LONGEST: usize = 4096;

type Parsed<T> = Result<T, SyntaxError>;

/// Reads what stands between `[:` and `]`.
pub fn kind(text: &str) -> Parsed<Kind> {
    if text.starts_with(|c: char| c.is_whitespace()) {
        return value(text).map(Kind::Print);
    }
    if text.starts_with("--") || text.starts_with("—") || text.starts_with("–-") {
        return Ok(Kind::Remark);
    }
    let mut parser = Parser::new(text)?;
    let kind = parser.kind(text)?;
    parser.finish()?;
    Ok(kind)
}

/// Reads a value with its alternatives and options: what `[: …]` holds.
pub fn value(text: &str) -> Parsed<Expr> {
    let mut parser = Parser::new(text)?;
    let expr = parser.value()?;
    parser.finish()?;
    Ok(expr)
}

/// Reads a condition: what `[:if …]` and filters hold.
pub fn condition(text: &str) -> Parsed<Expr> {
    let mut parser = Parser::new(text)?;
    let expr = parser.condition()?;
    parser.finish()?;
    Ok(expr)
}

struct Parser {
    tokens: Vec<Token>,
    at: usize,
    /// How deep the expression at hand nests.
    depth: usize,
    /// The end of the text, for what is missing there.
    end: usize,
    text: String,
}

impl Parser {
    fn new(text: &str) -> Parsed<Parser> {
        let signs = text.chars().count();
        if signs > LONGEST {
            return Err(SyntaxError { span: Span { start: 0, end: text.len() }, fault: SyntaxFault::TooLong(signs) });
        }
        Ok(Parser { tokens: tokens(text)?, at: 0, depth: 0, end: text.len(), text: text.to_owned() })
    }

    // Looking and taking.

    fn peek(&self, ahead: usize) -> Option<&Token> {
        self.tokens.get(self.at + ahead)
    }

    fn word_at(&self, ahead: usize, word: &str) -> bool {
        self.peek(ahead).is_some_and(|t| t.is_word(word))
    }

    fn sign_at(&self, ahead: usize, sign: Sign) -> bool {
        self.peek(ahead).is_some_and(|t| t.is_sign(sign))
    }

    fn take_word(&mut self, word: &str) -> bool {
        let found = self.word_at(0, word);
        self.at += usize::from(found);
        found
    }

    fn take_sign(&mut self, sign: Sign) -> bool {
        let found = self.sign_at(0, sign);
        self.at += usize::from(found);
        found
    }

    fn text_at(&self, ahead: usize) -> bool {
        matches!(self.peek(ahead), Some(Token { kind: TokenKind::Text(_), .. }))
    }

    fn take_text(&mut self, expected: &'static str) -> Parsed<String> {
        match self.peek(0) {
            Some(Token { kind: TokenKind::Text(text), .. }) => {
                let text = text.clone();
                self.at += 1;
                Ok(text)
            }
            _ => Err(self.expected(expected)),
        }
    }

    fn here(&self) -> Span {
        self.peek(0).map_or(Span { start: self.end, end: self.end }, |t| t.span)
    }

    fn behind(&self) -> Span {
        self.at.checked_sub(1).and_then(|at| self.tokens.get(at)).map_or(Span::default(), |t| t.span)
    }

    fn expected(&self, expected: &'static str) -> SyntaxError {
        let span = self.here();
        let found = match self.peek(0) {
            Some(_) => format!("“{}”", &self.text[span.start..span.end]),
            None => "the end of the placeholder".to_owned(),
        };
        SyntaxError { span, fault: SyntaxFault::Expected { expected, found } }
    }

    fn finish(&self) -> Parsed<()> {
        match self.peek(0) {
            None => Ok(()),
            Some(_) => Err(self.expected("an operator or the end of the placeholder")),
        }
    }

    fn deeper<T>(&mut self, rule: impl FnOnce(&mut Parser) -> Parsed<T>) -> Parsed<T> {
        self.depth += 1;
        if self.depth > DEEPEST {
            return Err(SyntaxError { span: self.here(), fault: SyntaxFault::TooDeep(DEEPEST) });
        }
        let result = rule(self);
        self.depth -= 1;
        result
    }

    // Kinds.

    fn kind(&mut self, text: &str) -> Parsed<Kind> {
        let word = match self.peek(0).and_then(Token::word) {
            Some(word) => word.to_ascii_lowercase(),
            None => return Err(self.expected("a space before the value, or one of if, else, end and keep")),
        };
        match word.as_str() {
            "if" => {
                self.at += 1;
                self.condition().map(Kind::If)
            }
            "else" => {
                self.at += 1;
                match self.take_word("if") {
                    true => self.condition().map(Kind::ElseIf),
                    false => Ok(Kind::Else),
                }
            }
            "end" => {
                self.at += 1;
                self.take_word("if");
                Ok(Kind::End)
            }
            "keep" => {
                self.at += 1;
                self.keep()
            }
            "repeat" | "set" | "clause" | "picture" | "barcode" | "signer" | "page" => {
                Err(SyntaxError { span: self.here(), fault: SyntaxFault::NotYet(format!("[:{}]", text.trim())) })
            }
            _ => Err(self.expected("a space after “[:” before a value; only if, else, end, keep and remarks touch it: that")),
        }
    }

    fn keep(&mut self) -> Parsed<Kind> {
        let scope = match self.peek(0).and_then(Token::word).map(str::to_ascii_lowercase).as_deref() {
            Some("row") => Scope::Row,
            Some("para") => Scope::Para,
            _ if matches!(self.peek(0), Some(Token { kind: TokenKind::Number { .. }, .. }))
                || self.word_at(0, "table")
                || self.word_at(0, "section") =>
            {
                return Err(SyntaxError {
                    span: self.here(),
                    fault: SyntaxFault::NotYet("keep over more than one row or paragraph".into()),
                });
            }
            _ => return Err(self.expected("row or para")),
        };
        self.at += 1;
        if self.take_word("else") {
            return match self.take_word("if") {
                true => self.condition().map(|c| Kind::KeepElseIf(scope, c)),
                false => Ok(Kind::KeepElse(scope)),
            };
        }
        if !self.take_word("if") {
            return Err(self.expected("if or else"));
        }
        self.condition().map(|c| Kind::Keep(scope, c))
    }

    // Values.

    /// Value = Part { "else" Part }
    fn value(&mut self) -> Parsed<Expr> {
        let start = self.here();
        let mut parts = vec![self.part()?];
        while self.take_word("else") {
            parts.push(self.part()?);
        }
        // Options bind to those to the left without one of that kind.
        let (mut format, mut locale, mut after, mut before) = (None, None, None, None);
        for part in parts.iter_mut().rev() {
            format = part.format.take().or(format);
            locale = part.locale.take().or(locale);
            after = part.after.take().or(after);
            before = part.before.take().or(before);
            let quoted_text = matches!(part.expr.kind, ExprKind::Literal(Value::Text(_)));
            part.format = format.clone().filter(|_| !quoted_text);
            (part.locale, part.after, part.before) = (locale.clone(), after.clone(), before.clone());
        }
        if let [Part { format: None, locale: None, after: None, before: None, .. }] = parts.as_slice()
            && let Some(only) = parts.pop()
        {
            return Ok(only.expr);
        }
        Ok(Expr { kind: ExprKind::Print(parts), span: start.to(self.behind()) })
    }

    /// Part = Filter { Option }
    fn part(&mut self) -> Parsed<Part> {
        let mut part = Part { expr: self.condition()?, format: None, locale: None, after: None, before: None };
        if self.word_at(0, "where") {
            return Err(SyntaxError { span: self.here(), fault: SyntaxFault::NotYet("where".into()) });
        }
        loop {
            if self.word_at(0, "as") {
                self.at += 1;
                part.format = Some(self.format()?);
            } else if self.word_at(0, "in") && self.text_at(1) {
                self.at += 1;
                let span = self.here();
                let tag = self.take_text("a language tag")?;
                part.locale = Some(Locale::parse(&tag).map_err(|e| SyntaxError { span, fault: e.into() })?);
            } else if self.word_at(0, "after") && self.text_at(1) {
                self.at += 1;
                part.after = Some(self.take_text("a text in double quotes")?);
            } else if self.word_at(0, "before") && self.text_at(1) {
                self.at += 1;
                part.before = Some(self.take_text("a text in double quotes")?);
            } else {
                return Ok(part);
            }
        }
    }

    fn format(&mut self) -> Parsed<Format> {
        let start = self.here();
        let Some(word) = self.peek(0).and_then(Token::word).map(str::to_ascii_lowercase) else {
            return Err(self.expected("a format"));
        };
        self.at += 1;
        let word = match word == "yes" && self.sign_at(0, Sign::Divide) && self.word_at(1, "no") {
            true => {
                self.at += 2;
                "yes/no".to_owned()
            }
            false => word,
        };
        let span = start.to(self.here());
        let detail = match self.peek(0) {
            Some(Token { kind: TokenKind::Text(text), .. }) => Some(text.clone()),
            Some(token) => ["short", "medium", "long", "full"].into_iter().find(|w| token.is_word(w)).map(str::to_owned),
            None => None,
        };
        self.at += usize::from(detail.is_some());
        let quoted = detail.is_some() && matches!(self.tokens[self.at - 1].kind, TokenKind::Text(_));
        Format::read(&word, detail.as_deref(), quoted).map_err(|fault| SyntaxError { span, fault })
    }

    /// Cond = And { "or" And }
    fn condition(&mut self) -> Parsed<Expr> {
        self.deeper(|p| p.logic(Logic::Or, "or", |p| p.logic(Logic::And, "and", Parser::negation)))
    }

    fn logic(&mut self, logic: Logic, word: &str, operand: impl Fn(&mut Parser) -> Parsed<Expr>) -> Parsed<Expr> {
        let mut left = operand(self)?;
        while self.take_word(word) {
            let right = operand(self)?;
            for side in [&left, &right] {
                refuse_bare_text(side)?;
            }
            let span = left.span.to(right.span);
            left = Expr { kind: ExprKind::Logic(logic, Box::new(left), Box::new(right)), span };
        }
        Ok(left)
    }

    /// Not = { "not" } Compare
    fn negation(&mut self) -> Parsed<Expr> {
        let start = self.here();
        if !self.take_word("not") {
            return self.comparison();
        }
        let inner = self.deeper(Parser::negation)?;
        refuse_bare_text(&inner)?;
        let span = start.to(inner.span);
        Ok(Expr { kind: ExprKind::Not(Box::new(inner)), span })
    }

    fn comparison(&mut self) -> Parsed<Expr> {
        let left = self.join()?;
        if self.word_at(0, "is") {
            let negated = self.word_at(1, "not");
            if self.word_at(1 + usize::from(negated), "blank") {
                self.at += 2 + usize::from(negated);
                let span = left.span.to(self.behind());
                return Ok(Expr { kind: ExprKind::IsBlank(Box::new(left), negated), span });
            }
        }
        let negated = self.word_at(0, "not") && self.word_at(1, "in");
        if self.word_at(usize::from(negated), "in") && self.sign_at(1 + usize::from(negated), Sign::Open) {
            self.at += 2 + usize::from(negated);
            let mut list = vec![self.condition()?];
            while self.take_sign(Sign::Sep) {
                list.push(self.condition()?);
            }
            if !self.take_sign(Sign::Close) {
                return Err(self.expected("“)” or “;”"));
            }
            let span = left.span.to(self.behind());
            return Ok(Expr { kind: ExprKind::In(Box::new(left), list, negated), span });
        }
        let Some(operator) = self.operator() else { return Ok(left) };
        let right = self.join()?;
        let span = left.span.to(right.span);
        if self.operator().is_some() {
            let third = self.join()?;
            let part = |a: Span, b: Span| self.text[a.start..b.end].trim().to_owned();
            let hint = format!("{} and {}", part(left.span, right.span), part(right.span, third.span));
            return Err(SyntaxError { span: span.to(third.span), fault: SyntaxFault::ChainedComparison(hint) });
        }
        Ok(Expr { kind: ExprKind::Compare(operator, Box::new(left), Box::new(right)), span })
    }

    fn operator(&mut self) -> Option<Comparison> {
        let token = self.peek(0)?;
        let (operator, width) = match &token.kind {
            TokenKind::Sign(Sign::Equal) => (Comparison::Equal, 1),
            TokenKind::Sign(Sign::Unequal) => (Comparison::Unequal, 1),
            TokenKind::Sign(Sign::Less) => (Comparison::Less, 1),
            TokenKind::Sign(Sign::LessEqual) => (Comparison::LessEqual, 1),
            TokenKind::Sign(Sign::Greater) => (Comparison::Greater, 1),
            TokenKind::Sign(Sign::GreaterEqual) => (Comparison::GreaterEqual, 1),
            TokenKind::Word(_) if token.is_word("contains") => (Comparison::Contains, 1),
            TokenKind::Word(_) if token.is_word("starts") && self.word_at(1, "with") => (Comparison::StartsWith, 2),
            TokenKind::Word(_) if token.is_word("ends") && self.word_at(1, "with") => (Comparison::EndsWith, 2),
            _ => return None,
        };
        self.at += width;
        Some(operator)
    }

    /// Join = Sum { "&" Sum }
    fn join(&mut self) -> Parsed<Expr> {
        let mut left = self.sum()?;
        while self.take_sign(Sign::Join) {
            let right = self.sum()?;
            let span = left.span.to(right.span);
            left = Expr { kind: ExprKind::Join(Box::new(left), Box::new(right)), span };
        }
        Ok(left)
    }

    fn sum(&mut self) -> Parsed<Expr> {
        self.arithmetic(&[(Sign::Plus, Arithmetic::Add), (Sign::Minus, Arithmetic::Subtract)], Parser::product)
    }

    fn product(&mut self) -> Parsed<Expr> {
        self.arithmetic(&[(Sign::Times, Arithmetic::Multiply), (Sign::Divide, Arithmetic::Divide)], Parser::power)
    }

    /// From the left: 2^3^2 is 64 (OpenFormula 5.5, table 1).
    fn power(&mut self) -> Parsed<Expr> {
        self.arithmetic(&[(Sign::Power, Arithmetic::Power)], Parser::percent)
    }

    fn arithmetic(&mut self, operators: &[(Sign, Arithmetic)], operand: impl Fn(&mut Parser) -> Parsed<Expr>) -> Parsed<Expr> {
        let mut left = operand(self)?;
        while let Some((_, operator)) = operators.iter().find(|(sign, _)| self.sign_at(0, *sign)) {
            self.at += 1;
            let right = operand(self)?;
            let span = left.span.to(right.span);
            left = Expr { kind: ExprKind::Arithmetic(*operator, Box::new(left), Box::new(right)), span };
        }
        Ok(left)
    }

    /// Percent = Signed { "%" }
    fn percent(&mut self) -> Parsed<Expr> {
        let mut inner = self.signed()?;
        while self.take_sign(Sign::Percent) {
            let span = inner.span.to(self.behind());
            inner = Expr { kind: ExprKind::Percent(Box::new(inner)), span };
        }
        Ok(inner)
    }

    /// Signed = { "+" | "-" } Path: the sign binds before ^, so -2^2 is 4.
    fn signed(&mut self) -> Parsed<Expr> {
        let start = self.here();
        if self.take_sign(Sign::Plus) {
            return self.deeper(Parser::signed);
        }
        if self.take_sign(Sign::Minus) {
            let inner = self.deeper(Parser::signed)?;
            let span = start.to(inner.span);
            return Ok(Expr { kind: ExprKind::Negate(Box::new(inner)), span });
        }
        self.path()
    }

    fn path(&mut self) -> Parsed<Expr> {
        let mut base = self.base()?;
        while self.take_sign(Sign::Dot) {
            if self.sign_at(0, Sign::Open) {
                return Err(SyntaxError { span: self.here(), fault: SyntaxFault::NotYet("a calculation over a list".into()) });
            }
            let name = match self.peek(0).map(|t| &t.kind) {
                Some(TokenKind::Word(_)) => self.run(),
                Some(TokenKind::Quoted(text)) => {
                    let name = Name::new(text.clone(), true);
                    self.at += 1;
                    name
                }
                _ => return Err(self.expected("a name after the dot")),
            };
            let span = base.span.to(self.behind());
            base = Expr { kind: ExprKind::Member(Box::new(base), name), span };
        }
        Ok(base)
    }

    fn base(&mut self) -> Parsed<Expr> {
        let Some(token) = self.peek(0).cloned() else {
            return Err(self.expected("a name, a number or a text in double quotes"));
        };
        let literal = |value| Expr { kind: ExprKind::Literal(value), span: token.span };
        let expr = match token.kind {
            TokenKind::Number { value, .. } => literal(Value::Number(value)),
            TokenKind::Date(date) => literal(Value::Date(date)),
            TokenKind::DateTime(moment) => literal(Value::DateTime(moment)),
            TokenKind::Text(ref text) => literal(Value::text(text)),
            TokenKind::Quoted(ref text) => Expr { kind: ExprKind::Name(Name::new(text.clone(), true)), span: token.span },
            TokenKind::Sign(Sign::Open) => {
                self.at += 1;
                let inner = self.deeper(Parser::value)?;
                if !self.take_sign(Sign::Close) {
                    return Err(self.expected("“)”"));
                }
                return Ok(Expr { span: token.span.to(self.behind()), ..inner });
            }
            TokenKind::Word(_) => return self.name_or_call(token.span),
            TokenKind::Sign(_) => return Err(self.expected("a name, a number or a text in double quotes")),
        };
        self.at += 1;
        Ok(expr)
    }

    fn name_or_call(&mut self, start: Span) -> Parsed<Expr> {
        let name = self.run();
        if self.sign_at(0, Sign::Open) {
            return self.call(start, &name.text);
        }
        let span = start.to(self.behind());
        let kind = match name.text.to_ascii_lowercase().as_str() {
            "true" => ExprKind::Literal(Value::Bool(true)),
            "false" => ExprKind::Literal(Value::Bool(false)),
            _ => ExprKind::Name(name),
        };
        Ok(Expr { kind, span })
    }

    fn call(&mut self, start: Span, name: &str) -> Parsed<Expr> {
        let named = start.to(self.behind());
        let Some(function) = function::find(name) else {
            let nearest = nearest(name, function::all().map(|f| f.name));
            return Err(SyntaxError { span: named, fault: SyntaxFault::UnknownFunction { name: name.to_owned(), nearest } });
        };
        self.at += 1;
        let arguments = self.deeper(Parser::arguments)?;
        let span = start.to(self.behind());
        check_arguments(function, &arguments, span)?;
        Ok(Expr { kind: ExprKind::Call(function, arguments), span })
    }

    /// Arguments up to and with the closing bracket; one may be left out.
    fn arguments(&mut self) -> Parsed<Vec<Option<Expr>>> {
        let mut arguments = Vec::new();
        if self.take_sign(Sign::Close) {
            return Ok(arguments);
        }
        loop {
            let left_out = self.sign_at(0, Sign::Sep) || self.sign_at(0, Sign::Close);
            arguments.push(if left_out { None } else { Some(self.value()?) });
            if self.take_sign(Sign::Close) {
                return Ok(arguments);
            }
            if !self.take_sign(Sign::Sep) {
                return Err(self.expected("“)” or “;”"));
            }
        }
    }

    /// Run = Word { Word | Digits }: words side by side are one name, up to a
    /// word that belongs to the language there.
    fn run(&mut self) -> Name {
        let mut words: Vec<String> = Vec::new();
        while let Some(token) = self.peek(0) {
            let piece = match &token.kind {
                TokenKind::Word(word) if words.is_empty() || !self.ends_a_name() => word.clone(),
                TokenKind::Number { plain: true, .. } if !words.is_empty() => self.text[token.span.start..token.span.end].to_owned(),
                _ => break,
            };
            words.push(piece);
            self.at += 1;
        }
        Name::new(words.join(" "), false)
    }

    /// Whether the word at hand belongs to the language and not to the name
    /// before it.
    fn ends_a_name(&self) -> bool {
        let Some(word) = self.peek(0).and_then(Token::word) else { return false };
        match word.to_ascii_lowercase().as_str() {
            "and" | "or" | "not" | "else" | "where" | "contains" => true,
            "is" => self.word_at(1, "blank") || (self.word_at(1, "not") && self.word_at(2, "blank")),
            "starts" | "ends" => self.word_at(1, "with"),
            "sort" | "group" => self.word_at(1, "by"),
            "in" => self.sign_at(1, Sign::Open) || self.text_at(1),
            "as" => self.peek(1).and_then(Token::word).is_some_and(Format::is_name),
            "after" | "before" => self.text_at(1),
            _ => false,
        }
    }
}

fn refuse_bare_text(expr: &Expr) -> Parsed<()> {
    match expr.kind {
        ExprKind::Literal(Value::Text(_)) => Err(SyntaxError { span: expr.span, fault: SyntaxFault::BareText }),
        _ => Ok(()),
    }
}

fn check_arguments(function: &'static Function, arguments: &[Option<Expr>], span: Span) -> Parsed<()> {
    let (least, most) = function.arity;
    if (least..=most).contains(&arguments.len()) {
        return Ok(());
    }
    let takes = match (least, most) {
        (0, 0) => "no arguments".to_owned(),
        (1, 1) => "one argument".to_owned(),
        (a, b) if a == b => format!("{a} arguments"),
        (a, usize::MAX) => format!("{a} arguments or more"),
        (a, b) => format!("{a} to {b} arguments"),
    };
    Err(SyntaxError { span, fault: SyntaxFault::Arguments { name: function.name, takes, given: arguments.len(), syntax: function.syntax } })
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Writes an expression with all its brackets.
    fn shape(expr: &Expr) -> String {
        match &expr.kind {
            ExprKind::Literal(Value::Number(n)) => n.to_string(),
            ExprKind::Literal(Value::Text(t)) => format!("{t:?}"),
            ExprKind::Literal(other) => format!("{other:?}"),
            ExprKind::Name(name) => format!("<{}>", name.text),
            ExprKind::Member(base, name) => format!("{}.<{}>", shape(base), name.text),
            ExprKind::Call(f, args) => {
                let args: Vec<String> = args.iter().map(|a| a.as_ref().map(shape).unwrap_or_default()).collect();
                format!("{}({})", f.name, args.join(";"))
            }
            ExprKind::Negate(x) => format!("-{}", shape(x)),
            ExprKind::Percent(x) => format!("{}%", shape(x)),
            ExprKind::Not(x) => format!("not {}", shape(x)),
            ExprKind::Logic(l, a, b) => format!("({} {l:?} {})", shape(a), shape(b)),
            ExprKind::Arithmetic(o, a, b) => format!("({} {o:?} {})", shape(a), shape(b)),
            ExprKind::Join(a, b) => format!("({} & {})", shape(a), shape(b)),
            ExprKind::Compare(o, a, b) => format!("({} {o:?} {})", shape(a), shape(b)),
            ExprKind::In(x, list, n) => {
                format!("{}{} in {:?}", if *n { "not " } else { "" }, shape(x), list.iter().map(shape).collect::<Vec<_>>())
            }
            ExprKind::IsBlank(x, n) => format!("{} is {}blank", shape(x), if *n { "not " } else { "" }),
            ExprKind::Print(parts) => {
                let parts: Vec<String> = parts
                    .iter()
                    .map(|p| {
                        let format = p.format.as_ref().map(|f| format!(" as {f:?}")).unwrap_or_default();
                        let after = p.after.as_ref().map(|t| format!(" after {t:?}")).unwrap_or_default();
                        let before = p.before.as_ref().map(|t| format!(" before {t:?}")).unwrap_or_default();
                        format!("{}{format}{after}{before}", shape(&p.expr))
                    })
                    .collect();
                parts.join(" else ")
            }
        }
    }

    fn read(text: &str) -> String {
        match value(text) {
            Ok(expr) => shape(&expr),
            Err(error) => format!("{}..{} {}", error.span.start, error.span.end, error),
        }
    }

    #[test]
    fn names_of_several_words_need_no_quotes() {
        assert_eq!(read("first name"), "<first name>");
        assert_eq!(read("days past due > 30"), "(<days past due> Greater 30)");
        assert_eq!(read("check in date"), "<check in date>");
        assert_eq!(read("after hours fee"), "<after hours fee>");
        assert_eq!(read("line 2 before \", \""), "<line 2> before \", \"");
        assert_eq!(read("'terms and conditions'"), "<terms and conditions>");
        assert_eq!(read("holder.last name"), "<holder>.<last name>");
        assert_eq!(read("paid as agreed"), "<paid as agreed>");
    }

    #[test]
    fn operators_bind_as_in_openformula() {
        assert_eq!(read("2^3^2"), "((2 Power 3) Power 2)");
        assert_eq!(read("-2^2"), "(-2 Power 2)");
        assert_eq!(read("1 + 2 * 3 & \"x\" = \"7x\""), "(((1 Add (2 Multiply 3)) & \"x\") Equal \"7x\")");
        assert_eq!(read("a or b and not c is blank"), "(<a> Or (<b> And not <c> is blank))");
        assert_eq!(read("net * 20%"), "(<net> Multiply 20%)");
        assert_eq!(read("status not in (\"a\", \"b\")"), "not <status> in [\"\\\"a\\\"\", \"\\\"b\\\"\"]");
        assert_eq!(read("boat starts with \"De\""), "(<boat> StartsWith \"De\")");
    }

    #[test]
    fn options_bind_to_the_left() {
        assert_eq!(read("a else b after \" \""), "<a> after \" \" else <b> after \" \"");
        let both = read("due else since else \"none\" as date long");
        assert_eq!(both, "<due> as Date(Long) else <since> as Date(Long) else \"none\"");
    }

    #[test]
    fn errors_point_and_say_what_to_write() {
        insta::assert_snapshot!(
            [
                "balance +",
                "round(balance",
                "rund(balance; 2)",
                "round(1; 2; 3)",
                "1 < 2 < 3",
                "status = \"a\" or \"b\"",
                "due as date \"DD.mm.YYYY\"",
                "due as data",
                "name after x",
                "§ 5",
                "balance as money \"euros\"",
                "due in \"nowhere!\"",
                "12345678901234567890123456789",
            ]
            .map(|text| format!("{text}\n    {}", read(text)))
            .join("\n")
        );
    }

    #[test]
    fn kind_words_count_only_where_they_touch() {
        assert!(matches!(kind("end"), Ok(Kind::End)));
        assert!(matches!(kind(" end"), Ok(Kind::Print(_))));
        assert!(matches!(kind("else if x > 1"), Ok(Kind::ElseIf(_))));
        assert!(matches!(kind("keep row if note is not blank"), Ok(Kind::Keep(Scope::Row, _))));
        assert!(matches!(kind("-- ask [Ida] first"), Ok(Kind::Remark)));
        assert!(kind("if").is_err());
        assert!(kind("last name").is_err());
        assert!(matches!(kind("repeat for lines"), Err(SyntaxError { fault: SyntaxFault::NotYet(_), .. })));
    }

    #[test]
    fn hostile_nesting_is_refused() {
        let deep = format!("{}1{}", "(".repeat(500), ")".repeat(500));
        assert!(matches!(value(&deep), Err(SyntaxError { fault: SyntaxFault::TooDeep(_), .. })));
        let long = "a ".repeat(3000);
        assert!(matches!(value(&long), Err(SyntaxError { fault: SyntaxFault::TooLong(_), .. })));
    }
}
