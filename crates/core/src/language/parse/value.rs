//! Values, lists and conditions.

use super::{Enders, Parsed, Parser};
use crate::language::error::{Span, SyntaxError, SyntaxFault};
use crate::language::format::Format;
use crate::language::function::{self, Function};
use crate::language::name::nearest;
use crate::language::syntax::{Arithmetic, Comparison, Expr, ExprKind, Joint, Key, ListExpr, Logic, Name, Part};
use crate::language::token::{Sign, Token, TokenKind};
use crate::value::{Locale, Value};

/// What `as` was followed by.
enum Read {
    Format(Format),
    Joint(Joint),
}

impl Parser {
    /// Value = Part { "else" Part }
    pub(super) fn value(&mut self) -> Parsed<Expr> {
        let start = self.here();
        let mut parts = vec![self.alternative()?];
        while self.take_word("else") {
            parts.push(self.alternative()?);
        }
        // Options bind to those to the left without one of that kind.
        let (mut format, mut list, mut locale, mut after, mut before) = (None, None, None, None, None);
        for part in parts.iter_mut().rev() {
            format = part.format.take().or(format);
            list = part.list.take().or(list);
            locale = part.locale.take().or(locale);
            after = part.after.take().or(after);
            before = part.before.take().or(before);
            let quoted_text = matches!(part.expr.kind, ExprKind::Literal(Value::Text(_)));
            part.format = format.clone().filter(|_| !quoted_text);
            (part.list, part.locale, part.after, part.before) = (list.clone(), locale.clone(), after.clone(), before.clone());
        }
        if let [Part { format: None, list: None, locale: None, after: None, before: None, .. }] = parts.as_slice()
            && let Some(only) = parts.pop()
        {
            return Ok(only.expr);
        }
        Ok(Expr { kind: ExprKind::Print(parts), span: start.to(self.behind()) })
    }

    /// A part; after an error in it the next alternative is read.
    fn alternative(&mut self) -> Parsed<Part> {
        let start = self.here();
        self.part().or_else(|error| {
            self.recover(error, |t| t.is_word("else") || t.is_sign(Sign::Sep) || t.is_sign(Sign::Close))?;
            let expr = Expr { kind: ExprKind::Literal(Value::Blank), span: start };
            Ok(Part { expr, format: None, list: None, locale: None, after: None, before: None })
        })
    }

    /// Part = Filter { Option }
    fn part(&mut self) -> Parsed<Part> {
        let mut part = Part { expr: self.filter()?, format: None, list: None, locale: None, after: None, before: None };
        loop {
            if self.word_at(0, "as") {
                self.at += 1;
                match self.format()? {
                    Read::Format(format) => part.format = Some(format),
                    Read::Joint(joint) => part.list = Some(joint),
                }
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

    fn format(&mut self) -> Parsed<Read> {
        let start = self.here();
        let Some(word) = self.word() else { return Err(self.expected("a format")) };
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
        if word == "list" {
            return Ok(Read::Joint(Joint(detail.filter(|_| quoted).map(Into::into))));
        }
        Format::read(&word, detail.as_deref(), quoted).map(Read::Format).map_err(|fault| SyntaxError { span, fault })
    }

    /// List = Filter [ "sort by" Key { Sep Key } ] [ "group by" Cond ] [ "first" ( Digits | "(" Value ")" ) ]
    pub(super) fn list(&mut self) -> Parsed<Expr> {
        let enders = Enders { list: true, ..self.enders };
        self.with_enders(enders, |p| {
            let source = p.filter()?;
            p.rest_of_list(source)
        })
    }

    /// What may follow a filter to make it a list.
    fn rest_of_list(&mut self, source: Expr) -> Parsed<Expr> {
        let start = source.span;
        let mut list = match source.kind {
            ExprKind::List(list) if list.sort.is_empty() && list.group.is_none() && list.first.is_none() => *list,
            kind => ListExpr { source: Expr { kind, span: start }, filter: None, sort: Vec::new(), group: None, first: None },
        };
        let plain = list.filter.is_none();
        if self.word_at(0, "sort") && self.word_at(1, "by") {
            self.at += 2;
            list.sort.push(self.key()?);
            while self.take_sign(Sign::Sep) {
                list.sort.push(self.key()?);
            }
        }
        if self.word_at(0, "group") && self.word_at(1, "by") {
            self.at += 2;
            list.group = Some(self.condition()?);
        }
        if self.take_word("first") {
            list.first = Some(match self.peek(0).cloned() {
                Some(Token { kind: TokenKind::Number { value, plain: true }, span, .. }) => {
                    self.at += 1;
                    Expr { kind: ExprKind::Literal(Value::Number(value)), span }
                }
                Some(token) if token.is_sign(Sign::Open) => self.base()?,
                _ => return Err(self.expected("a whole number, or a value in brackets")),
            });
        }
        if plain && list.sort.is_empty() && list.group.is_none() && list.first.is_none() {
            return Ok(list.source);
        }
        Ok(Expr { kind: ExprKind::List(Box::new(list)), span: start.to(self.behind()) })
    }

    /// Key = Cond [ "asc" | "desc" ]
    fn key(&mut self) -> Parsed<Key> {
        let enders = Enders { key: true, list: true, ..self.enders };
        self.with_enders(enders, |p| {
            let expr = p.condition()?;
            let down = p.take_word("desc");
            if !down {
                p.take_word("asc");
            }
            Ok(Key { expr, down })
        })
    }

    /// Filter = Cond [ "where" Cond ]
    fn filter(&mut self) -> Parsed<Expr> {
        let source = self.condition()?;
        if !self.take_word("where") {
            return Ok(source);
        }
        let filter = self.condition()?;
        let span = source.span.to(filter.span);
        let list = ListExpr { source, filter: Some(filter), sort: Vec::new(), group: None, first: None };
        Ok(Expr { kind: ExprKind::List(Box::new(list)), span })
    }

    /// Cond = And { "or" And }
    pub(super) fn condition(&mut self) -> Parsed<Expr> {
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

    /// Path = Base { "." ( Name | "(" Value ")" ) }
    fn path(&mut self) -> Parsed<Expr> {
        if let Some(outer) = self.outer()? {
            return self.steps(outer);
        }
        let base = self.base()?;
        self.steps(base)
    }

    /// `outer.name`, `outer.outer.name`
    fn outer(&mut self) -> Parsed<Option<Expr>> {
        let start = self.here();
        let mut levels = 0;
        while self.word_at(0, "outer") && self.sign_at(1, Sign::Dot) {
            self.at += 2;
            levels += 1;
        }
        if levels == 0 {
            return Ok(None);
        }
        let name = self.name("a name after the dot")?;
        Ok(Some(Expr { kind: ExprKind::Outer(levels, name), span: start.to(self.behind()) }))
    }

    fn steps(&mut self, mut base: Expr) -> Parsed<Expr> {
        while self.take_sign(Sign::Dot) {
            if self.take_sign(Sign::Open) {
                let inner = self.bracketed()?;
                let span = base.span.to(self.behind());
                base = Expr { kind: ExprKind::Each(Box::new(base), Box::new(inner)), span };
                continue;
            }
            let name = self.name("a name after the dot")?;
            let span = base.span.to(self.behind());
            base = Expr { kind: ExprKind::Member(Box::new(base), name), span };
        }
        Ok(base)
    }

    /// A name in quotes or of words side by side.
    pub(super) fn name(&mut self, expected: &'static str) -> Parsed<Name> {
        match self.peek(0).map(|t| &t.kind) {
            Some(TokenKind::Word(_)) => Ok(self.run()),
            Some(TokenKind::Quoted(text)) => {
                let name = Name::new(text.clone(), true);
                self.at += 1;
                Ok(name)
            }
            _ => Err(self.expected(expected)),
        }
    }

    /// A value or list up to the closing bracket.
    fn bracketed(&mut self) -> Parsed<Expr> {
        let enders = Enders { list: true, ..Enders::default() };
        let inner = self.deeper(|p| {
            p.with_enders(enders, |p| {
                let value = p.value()?;
                p.rest_of_list(value)
            })
        })?;
        match self.take_sign(Sign::Close) {
            true => Ok(inner),
            false => Err(self.expected("“)”")),
        }
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
                let inner = self.bracketed()?;
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

    /// A call; of a function that there is not, the arguments are read still.
    fn call(&mut self, start: Span, name: &str) -> Parsed<Expr> {
        let named = start.to(self.behind());
        self.at += 1;
        let arguments = self.deeper(|p| p.with_enders(Enders::default(), Parser::arguments))?;
        let span = start.to(self.behind());
        let Some(function) = function::find(name) else {
            let nearest = nearest(name, function::all().map(|f| f.name));
            self.errors.push(SyntaxError { span: named, fault: SyntaxFault::UnknownFunction { name: name.to_owned(), nearest } });
            return Ok(Expr { kind: ExprKind::Literal(Value::Blank), span });
        };
        if let Err(error) = check_arguments(function, &arguments, span) {
            self.errors.push(error);
        }
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
        let Some(word) = self.word() else { return false };
        let enders = self.enders;
        match word.as_str() {
            "and" | "or" | "not" | "else" | "where" | "contains" => true,
            "is" => self.word_at(1, "blank") || (self.word_at(1, "not") && self.word_at(2, "blank")),
            "starts" | "ends" => self.word_at(1, "with"),
            "sort" | "group" => self.word_at(1, "by"),
            "in" => self.sign_at(1, Sign::Open) || self.text_at(1),
            "as" => self.peek(1).and_then(Token::word).is_some_and(Format::is_name),
            "after" | "before" => self.text_at(1),
            "first" => enders.list && (self.number_at(1) || self.sign_at(1, Sign::Open)),
            "asc" | "desc" => {
                enders.key
                    && (self
                        .peek(1)
                        .is_none_or(|t| t.is_sign(Sign::Sep) || t.is_sign(Sign::Close) || t.is_word("first") || t.is_word("group")))
            }
            "height" | "width" | "size" | "fit" | "max" => enders.sizes && self.number_at(1),
            "with" => enders.with,
            "level" => enders.level && self.peek(1).and_then(Token::word).is_some(),
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
