//! Signing: who signs a document, in which order, and everything that happens on the way. Pure: a
//! round is a value, an event changes it or is refused, and what must follow is told as effects.

mod chain;
mod round;
mod setup;
mod usual;

pub use chain::{Chain, ChainFault, Link};
pub use round::{Act, Effect, Person, Place, Refusal, Round, RoundState, Seat, SeatState};
pub use setup::{
    LINK, NAME, ROLE, RoundMessage, RoundMessages, RoundPlan, SignerRole, SignerSetup, SigningPlan, SigningSetup, signer_fields,
};
pub use usual::over;

/// The font of what is filled in at a signature field: that of the text where it is.
#[derive(Debug, Clone, PartialEq, serde::Serialize, serde::Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct FieldFont {
    /// The font's family, as it is shown.
    pub family: String,
    /// The size in points.
    pub size: f64,
    /// The colour: six hexadecimal digits, red, green, blue.
    pub colour: String,
    /// Whether it is bold.
    pub bold: bool,
    /// Whether it is italic.
    pub italic: bool,
}
