//! The e-mail of one record.

use super::setup::EmailChannel;
use crate::language::Scope;
use crate::template::{FillError, TextTemplate};
use crate::value::{EmailAddress, NotAnAddress, recipients};

/// The e-mail channel, compiled.
#[derive(Debug)]
pub struct EmailPlan {
    to: TextTemplate,
    cc: TextTemplate,
    bcc: TextTemplate,
    subject: TextTemplate,
    body: TextTemplate,
}

/// A message ready to send but for its attachments.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Message {
    /// Recipients; at least one.
    pub to: Vec<EmailAddress>,
    /// Copies.
    pub cc: Vec<EmailAddress>,
    /// Blind copies.
    pub bcc: Vec<EmailAddress>,
    /// The subject, on one line.
    pub subject: String,
    /// The text.
    pub body: String,
}

/// Why a record has no message.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MessageFault {
    /// A placeholder can't be filled.
    #[error("{field}: {error}")]
    Fill {
        /// The field.
        field: &'static str,
        /// What went wrong.
        error: Box<FillError>,
    },
    /// The recipient is blank.
    #[error("no e-mail address. Add one or leave the record out.")]
    NoRecipient,
    /// An address is malformed.
    #[error("{field}: {error}; correct it in the source, or leave the record out")]
    Address {
        /// The field.
        field: &'static str,
        /// What is wrong.
        error: NotAnAddress,
    },
}

impl MessageFault {
    /// A short name for programs.
    pub fn code(&self) -> &'static str {
        match self {
            MessageFault::Fill { .. } => "message",
            MessageFault::NoRecipient => "no-recipient",
            MessageFault::Address { .. } => "not-an-address",
        }
    }
}

impl EmailPlan {
    /// Compiles the channel's texts.
    pub fn new(channel: &EmailChannel) -> EmailPlan {
        EmailPlan {
            to: TextTemplate::new(&channel.to),
            cc: TextTemplate::new(&channel.cc),
            bcc: TextTemplate::new(&channel.bcc),
            subject: TextTemplate::new(&channel.subject),
            body: TextTemplate::new(&channel.body),
        }
    }

    /// The texts with the names of their fields.
    pub fn texts(&self) -> [(&'static str, &TextTemplate); 5] {
        [("to", &self.to), ("cc", &self.cc), ("bcc", &self.bcc), ("subject", &self.subject), ("message", &self.body)]
    }

    /// The message of one record.
    pub fn message(&self, scope: &Scope<'_>) -> Result<Message, MessageFault> {
        let fill =
            |field: &'static str, text: &TextTemplate| text.fill(scope).map_err(|e| MessageFault::Fill { field, error: Box::new(e) });
        let to = self.addresses("to", &self.to, scope)?;
        if to.is_empty() {
            return Err(MessageFault::NoRecipient);
        }
        Ok(Message {
            to,
            cc: self.addresses("cc", &self.cc, scope)?,
            bcc: self.addresses("bcc", &self.bcc, scope)?,
            subject: fill("subject", &self.subject)?.split_whitespace().collect::<Vec<_>>().join(" "),
            body: fill("message", &self.body)?,
        })
    }

    /// Addresses of a field. A cell that is no address is told as such, not as a
    /// cell that does not fit its column.
    fn addresses(&self, field: &'static str, text: &TextTemplate, scope: &Scope<'_>) -> Result<Vec<EmailAddress>, MessageFault> {
        use crate::language::Fault;
        let filled = text.fill(scope).map_err(|error| match &error.error.fault {
            Fault::Misfit { text, .. } => match EmailAddress::parse(text) {
                Err(error) => MessageFault::Address { field, error },
                Ok(_) => MessageFault::Fill { field, error: Box::new(error.clone()) },
            },
            _ => MessageFault::Fill { field, error: Box::new(error.clone()) },
        })?;
        recipients(&filled).map_err(|error| MessageFault::Address { field, error })
    }
}
