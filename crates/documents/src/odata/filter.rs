//! A condition of the placeholder language as `$filter` (OData 4.01 Part 2: URL
//! Conventions, 5.1.1). What needs no field is worked out here and sent as a value.

use jiff::civil::DateTime;
use mangle_core::crm::{Entity, FieldType, Shape};
use mangle_core::language::syntax::{Comparison, Expr, ExprKind, Logic, Name};
use mangle_core::language::{Context, Folded, Scope, Ties, UsedAs, condition};
use mangle_core::records::{Record, Schema};
use mangle_core::value::{Locale, Value};

/// Why a condition can't be sent.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FilterFault {
    /// It can't be read.
    #[error("{0}")]
    Syntax(String),
    /// It names what is not there.
    #[error("“{entity}” has no field “{name}”")]
    Unknown {
        /// The entity.
        entity: String,
        /// As written.
        name: String,
    },
    /// A CRM can't be asked so.
    #[error("the CRM can't filter by {0}. Compare fields with values here and filter the rest in the sheet.")]
    Beyond(String),
}

/// The condition for entities of a shape, at a moment.
pub fn filter(text: &str, entity: &Entity, shape: &Shape, now: DateTime) -> Result<String, FilterFault> {
    let expr = condition(text).map_err(|e| FilterFault::Syntax(e.to_string()))?;
    Writer { entity, shape, context: Context::new(Locale::english(), now) }.condition(&expr)
}

struct Writer<'a> {
    entity: &'a Entity,
    shape: &'a Shape,
    context: Context,
}

impl Writer<'_> {
    fn condition(&self, expr: &Expr) -> Result<String, FilterFault> {
        match &expr.kind {
            ExprKind::Logic(logic, a, b) => {
                let word = if *logic == Logic::And { "and" } else { "or" };
                Ok(format!("({} {word} {})", self.condition(a)?, self.condition(b)?))
            }
            ExprKind::Not(inner) => Ok(format!("not ({})", self.condition(inner)?)),
            ExprKind::Compare(how, a, b) => self.compare(*how, a, b),
            ExprKind::In(value, all, negated) => {
                let each = all.iter().map(|one| self.compare(Comparison::Equal, value, one)).collect::<Result<Vec<_>, _>>()?;
                let any = format!("({})", each.join(" or "));
                Ok(if *negated { format!("not {any}") } else { any })
            }
            ExprKind::IsBlank(value, negated) => {
                let (path, kind) = self.field(value)?;
                let blank = blank(&path, kind);
                Ok(if *negated { format!("not {blank}") } else { blank })
            }
            _ => {
                let (path, kind) = self.field(expr)?;
                Ok(match kind {
                    FieldType::YesNo => format!("{path} eq true"),
                    FieldType::Number => format!("({path} ne null and {path} ne 0)"),
                    other => format!("not {}", blank(&path, other)),
                })
            }
        }
    }

    fn compare(&self, how: Comparison, a: &Expr, b: &Expr) -> Result<String, FilterFault> {
        // The field comes first; where it does not, the sign is turned round.
        let (field, value, how) = match (self.constant(a), self.constant(b)) {
            (None, Some(value)) => (a, value, how),
            (Some(value), None) => (b, value, turned(how)?),
            _ => return Err(FilterFault::Beyond("a comparison of two fields, or of two values".to_owned())),
        };
        let (path, kind) = self.field(field)?;
        if value.is_blank() {
            return match how {
                Comparison::Equal => Ok(blank(&path, kind)),
                Comparison::Unequal => Ok(format!("not {}", blank(&path, kind))),
                _ => Err(FilterFault::Beyond("a comparison with a blank".to_owned())),
            };
        }
        let words = |text: &str| format!("'{}'", text.to_lowercase().replace('\'', "''"));
        match (kind, &value) {
            (FieldType::Text, value) => {
                let text = match value {
                    Value::Text(text) => text.to_string(),
                    Value::Number(n) => n.normalize().to_string(),
                    _ => return Err(FilterFault::Beyond(format!("{} in a text", value.kind()))),
                };
                // Text is equal whatever its case.
                let (field, text) = (format!("tolower({path})"), words(&text));
                Ok(match how {
                    Comparison::Contains => format!("contains({field},{text})"),
                    Comparison::StartsWith => format!("startswith({field},{text})"),
                    Comparison::EndsWith => format!("endswith({field},{text})"),
                    other => format!("{field} {} {text}", sign(other)),
                })
            }
            (_, _) if matches!(how, Comparison::Contains | Comparison::StartsWith | Comparison::EndsWith) => {
                Err(FilterFault::Beyond("part of a non-text field".to_owned()))
            }
            (FieldType::Number, Value::Number(n) | Value::Percent(n)) => Ok(format!("{path} {} {}", sign(how), n.normalize())),
            (FieldType::Number, Value::Money(money)) => Ok(format!("{path} {} {}", sign(how), money.amount.normalize())),
            (FieldType::YesNo, Value::Bool(yes)) => Ok(format!("{path} {} {yes}", sign(how))),
            (FieldType::Date, Value::Date(day)) => Ok(format!("{path} {} {day}", sign(how))),
            (FieldType::Date, Value::DateTime(moment)) => Ok(format!("{path} {} {}", sign(how), moment.date())),
            (FieldType::Moment, Value::Date(day)) => {
                let at = |day: jiff::civil::Date| format!("{day}T00:00:00Z");
                let next = at(day.tomorrow().unwrap_or(*day));
                let day = at(*day);
                Ok(match how {
                    Comparison::Equal => format!("({path} ge {day} and {path} lt {next})"),
                    Comparison::Unequal => format!("({path} lt {day} or {path} ge {next})"),
                    Comparison::LessEqual => format!("{path} lt {next}"),
                    Comparison::Greater => format!("{path} ge {next}"),
                    other => format!("{path} {} {day}", sign(other)),
                })
            }
            (FieldType::Moment, Value::DateTime(moment)) => Ok(format!("{path} {} {}Z", sign(how), moment)),
            (_, Value::Text(text)) => Err(FilterFault::Beyond(format!("“{text}” in a non-text field"))),
            (_, other) => Err(FilterFault::Beyond(format!("{} in a field of another type", other.kind()))),
        }
    }

    /// The value of what needs no field.
    fn constant(&self, expr: &Expr) -> Option<Value> {
        let mut fields = false;
        expr.uses(UsedAs::Value, &mut Vec::new(), &mut |found, _| {
            fields |= self.member(self.entity, found.name).is_some() || !found.name.is_built_in()
        });
        if fields {
            return None;
        }
        let schema = std::sync::Arc::new(Schema::default());
        let record = Record::new(schema, Vec::new(), 1);
        Scope::new(&record, &Ties::default(), &self.context).value(expr).ok()
    }

    /// A field's path and type.
    fn field(&self, expr: &Expr) -> Result<(String, FieldType), FilterFault> {
        let mut names: Vec<&Name> = Vec::new();
        let mut at = expr;
        loop {
            match &at.kind {
                ExprKind::Name(name) => {
                    names.push(name);
                    break;
                }
                ExprKind::Member(inner, name) => {
                    names.push(name);
                    at = inner;
                }
                _ => return Err(FilterFault::Beyond("a value calculated from a field".to_owned())),
            }
        }
        names.reverse();
        let (last, ways) = names.split_last().ok_or_else(|| FilterFault::Beyond("nothing".to_owned()))?;
        let (mut entity, mut path) = (self.entity, Vec::new());
        for name in ways {
            let unknown = || FilterFault::Unknown { entity: entity.label.clone(), name: name.text.clone() };
            let way = entity.ways.iter().find(|w| !w.many && Folded::new(&w.name) == name.folded).ok_or_else(unknown)?;
            path.push(way.name.as_str());
            entity = self.shape.behind(way).ok_or_else(unknown)?;
        }
        let unknown = || FilterFault::Unknown { entity: entity.label.clone(), name: last.text.clone() };
        let field = entity.fields.iter().find(|f| Folded::new(&f.name) == last.folded).ok_or_else(unknown)?;
        if field.kind == FieldType::Picture {
            return Err(FilterFault::Beyond("the content of a picture".to_owned()));
        }
        path.push(&field.name);
        Ok((path.join("/"), field.kind))
    }

    fn member(&self, entity: &Entity, name: &Name) -> Option<()> {
        let same = |own: &String| Folded::new(own) == name.folded;
        (entity.fields.iter().any(|f| same(&f.name)) || entity.ways.iter().any(|w| same(&w.name))).then_some(())
    }
}

fn blank(path: &str, kind: FieldType) -> String {
    match kind {
        FieldType::Text => format!("({path} eq null or {path} eq '')"),
        _ => format!("({path} eq null)"),
    }
}

fn sign(how: Comparison) -> &'static str {
    match how {
        Comparison::Equal => "eq",
        Comparison::Unequal => "ne",
        Comparison::Less => "lt",
        Comparison::LessEqual => "le",
        Comparison::Greater => "gt",
        _ => "ge",
    }
}

fn turned(how: Comparison) -> Result<Comparison, FilterFault> {
    Ok(match how {
        Comparison::Less => Comparison::Greater,
        Comparison::LessEqual => Comparison::GreaterEqual,
        Comparison::Greater => Comparison::Less,
        Comparison::GreaterEqual => Comparison::LessEqual,
        Comparison::Equal | Comparison::Unequal => how,
        _ => return Err(FilterFault::Beyond("a value that contains a field".to_owned())),
    })
}
