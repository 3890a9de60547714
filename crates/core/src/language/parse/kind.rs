//! What stands right behind `[:`, and the sizes and settings that may follow.

use super::{Enders, Parsed, Parser};
use crate::language::error::{SyntaxError, SyntaxFault};
use crate::language::syntax::{Barcode, Extent, Field, Kind, Level, Name, Passage, Setting, SignerField, Sizes, Symbology, Unit};
use crate::language::token::{Sign, Token, TokenKind};

/// What may stand right behind `[:`.
const KIND: &str =
    "a space before a value, or one of if, else, end, repeat, keep, set, clause, picture, barcode, signer, page break and --";

impl Parser {
    pub(super) fn kind(&mut self) -> Parsed<Kind> {
        let Some(word) = self.word() else { return Err(self.expected(KIND)) };
        self.at += 1;
        match word.as_str() {
            "if" => self.condition().map(Kind::If),
            "else" => match self.take_word("if") {
                true => self.condition().map(Kind::ElseIf),
                false => Ok(Kind::Else),
            },
            "end" => Ok(Kind::End(match () {
                () if self.take_word("if") => Some(Passage::If),
                () if self.take_word("repeat") => Some(Passage::Repeat),
                () => None,
            })),
            "repeat" => {
                let extent = if self.word_at(0, "for") { None } else { Some(self.extent("for, row, para, table or section")?) };
                if !self.take_word("for") {
                    return Err(self.expected("for"));
                }
                self.list().map(|list| Kind::Repeat(extent, list))
            }
            "keep" => {
                let extent = self.extent("row, para, table or section")?;
                if self.take_word("else") {
                    return match self.take_word("if") {
                        true => self.condition().map(|c| Kind::KeepElseIf(extent, c)),
                        false => Ok(Kind::KeepElse(extent)),
                    };
                }
                if !self.take_word("if") {
                    return Err(self.expected("if or else"));
                }
                self.condition().map(|c| Kind::Keep(extent, c))
            }
            "set" => self.setting().map(Kind::Set),
            "clause" => {
                let name = self.take_text("the clause's name in double quotes")?;
                Ok(Kind::Clause(name.into(), self.with()?))
            }
            "page" if self.take_word("break") => Ok(Kind::PageBreak),
            "picture" => {
                let enders = Enders { sizes: true, ..Enders::default() };
                let value = self.with_enders(enders, Parser::value)?;
                Ok(Kind::Picture(value, self.sizes()?))
            }
            "barcode" => self.barcode().map(Kind::Barcode),
            "signer" => self.signer().map(Kind::Signer),
            _ => {
                self.at -= 1;
                Err(self.expected(KIND))
            }
        }
    }

    /// Scope = [ Digits ] ( "row" | "rows" | "para" | "paras" | "table" | "section" )
    fn extent(&mut self, expected: &'static str) -> Parsed<Extent> {
        use rust_decimal::prelude::ToPrimitive;
        let count = match self.peek(0).map(|t| &t.kind) {
            Some(TokenKind::Number { value, plain: true }) => value.to_usize().filter(|n| (1..=1000).contains(n)),
            _ => None,
        };
        self.at += usize::from(count.is_some());
        let unit = match self.word().as_deref() {
            Some("row" | "rows") => Unit::Row,
            Some("para" | "paras") => Unit::Para,
            Some("table") => Unit::Table,
            Some("section") => Unit::Section,
            _ => return Err(self.expected(expected)),
        };
        self.at += 1;
        Ok(Extent { count: count.unwrap_or(1), unit })
    }

    /// Setting = Name "=" Value
    fn setting(&mut self) -> Parsed<Setting> {
        let name = self.name("a name")?;
        if !self.take_sign(Sign::Equal) {
            return Err(self.expected("“=” and a value"));
        }
        Ok(Setting { name, value: self.value()? })
    }

    /// With = "with" Setting { ";" Setting }
    fn with(&mut self) -> Parsed<Vec<Setting>> {
        let mut settings = Vec::new();
        if self.take_word("with") {
            settings.push(self.setting()?);
            while self.take_sign(Sign::Sep) {
                settings.push(self.setting()?);
            }
        }
        Ok(settings)
    }

    fn barcode(&mut self) -> Parsed<Barcode> {
        let word = self.word().unwrap_or_default();
        let Some((symbology, _)) = Symbology::ALL.into_iter().find(|(_, own)| *own == word) else {
            return Err(
                self.expected("a kind of barcode (qr, datamatrix, aztec, pdf417, code128, code39, itf, ean13, ean8, upca, isbn, payment)")
            );
        };
        self.at += 1;
        if !self.take_word("of") {
            return Err(self.expected("of"));
        }
        let enders = Enders { sizes: true, with: true, level: true, ..Enders::default() };
        self.with_enders(enders, |p| {
            let value = p.value()?;
            let with = p.with()?;
            let mut code = Barcode { symbology, value, with, sizes: Sizes::default(), level: Level::default() };
            loop {
                if p.take_word("level") {
                    code.level = match p.word().as_deref() {
                        Some("l") => Level::L,
                        Some("m") => Level::M,
                        Some("q") => Level::Q,
                        Some("h") => Level::H,
                        _ => return Err(p.expected("one of L, M, Q and H")),
                    };
                    p.at += 1;
                } else if !p.size(&mut code.sizes)? {
                    return Ok(code);
                }
            }
        })
    }

    /// The last word of the run is the field: `holder signature`.
    fn signer(&mut self) -> Parsed<SignerField> {
        const FIELDS: &str = "a signer role and one of signature, initials, name, date, text \"…\", tick and choice \"…; …\"";
        let start = self.at;
        let mut words = Vec::new();
        while let Some(word) = self.peek(0).and_then(Token::word) {
            if matches!(word.to_ascii_lowercase().as_str(), "height" | "width" | "size" | "fit") && self.number_at(1) {
                break;
            }
            words.push(word.to_owned());
            self.at += 1;
        }
        let mut optional = false;
        if words.len() > 2 && words.last().is_some_and(|w| w.eq_ignore_ascii_case("optional")) {
            words.pop();
            optional = true;
        }
        let field = match words.pop().map(|w| w.to_ascii_lowercase()).as_deref() {
            Some("signature") => Field::Signature,
            Some("initials") => Field::Initials,
            Some("name") => Field::Name,
            Some("date") => Field::Date,
            Some("tick") => Field::Tick,
            Some("choice") => Field::Choice(self.take_text("the options in double quotes, separated by semicolons")?),
            Some("text") => Field::Text(self.take_text("the text's label in double quotes")?),
            _ => {
                self.at = start;
                return Err(self.expected(FIELDS));
            }
        };
        if words.is_empty() {
            self.at = start;
            return Err(self.expected(FIELDS));
        }
        let label = match &field {
            Field::Text(label) => label.clone(),
            _ if matches!(self.peek(0), Some(Token { kind: TokenKind::Text(_), .. })) => {
                self.take_text("the field's label in double quotes")?
            }
            _ => String::new(),
        };
        let sizes = self.sizes()?;
        optional |= self.take_word("optional");
        Ok(SignerField { role: Name::new(words.join(" "), false), field, label, sizes, optional })
    }

    fn sizes(&mut self) -> Parsed<Sizes> {
        let mut sizes = Sizes::default();
        while self.size(&mut sizes)? {}
        Ok(sizes)
    }

    /// Size = ( "height" | "width" | "size" ) Length | "fit" Length "by" Length | "max" Number "dpi"
    fn size(&mut self, sizes: &mut Sizes) -> Parsed<bool> {
        let Some(word) = self.word() else { return Ok(false) };
        if !matches!(word.as_str(), "height" | "width" | "size" | "fit" | "max") {
            return Ok(false);
        }
        self.at += 1;
        match word.as_str() {
            "height" => sizes.height = Some(self.length()?),
            "width" => sizes.width = Some(self.length()?),
            "size" => {
                let side = self.length()?;
                (sizes.width, sizes.height) = (Some(side), Some(side));
            }
            "fit" => {
                let width = self.length()?;
                if !self.take_word("by") {
                    return Err(self.expected("by and the box's height"));
                }
                sizes.fit = Some((width, self.length()?));
            }
            _ => {
                let dpi = self.plain_number("a resolution in dpi")?;
                if !self.take_word("dpi") {
                    return Err(self.expected("dpi"));
                }
                if !(1.0..=2400.0).contains(&dpi) {
                    return Err(SyntaxError { span: self.behind(), fault: SyntaxFault::Size("a resolution is from 1 to 2400 dpi") });
                }
                sizes.dpi = Some(dpi);
            }
        }
        Ok(true)
    }

    /// Length = Number ( "mm" | "cm" | "in" | "pt" ), in points.
    fn length(&mut self) -> Parsed<f64> {
        let start = self.here();
        let number = self.plain_number("a length such as 4cm")?;
        let points = match self.word().as_deref() {
            Some("mm") => 72.0 / 25.4,
            Some("cm") => 72.0 / 2.54,
            Some("in") => 72.0,
            Some("pt") => 1.0,
            _ => return Err(self.expected("mm, cm, in or pt")),
        };
        self.at += 1;
        match number * points {
            length if (0.5..=14_400.0).contains(&length) => Ok(length),
            _ => Err(SyntaxError { span: start.to(self.behind()), fault: SyntaxFault::Size("a length is from 0.5 pt to 200 in") }),
        }
    }

    fn plain_number(&mut self, expected: &'static str) -> Parsed<f64> {
        use rust_decimal::prelude::ToPrimitive;
        match self.peek(0).map(|t| &t.kind) {
            Some(TokenKind::Number { value, .. }) => {
                let number = value.to_f64().unwrap_or(0.0);
                self.at += 1;
                Ok(number)
            }
            _ => Err(self.expected(expected)),
        }
    }
}
