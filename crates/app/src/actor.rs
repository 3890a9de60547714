//! Who does something: the history of runs and documents names them.

/// Who acts. An [`App`](crate::App) acts for one; what it does is theirs.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Actor {
    /// The person at the machine. There is one until there is sign-in.
    User,
    /// The program itself.
    Mangle,
    /// Whoever a document was shared with.
    Recipient,
}

impl Actor {
    /// The actor's word in the history.
    pub fn word(self) -> &'static str {
        match self {
            Actor::User => "user",
            Actor::Mangle => "mangle",
            Actor::Recipient => "recipient",
        }
    }
}
