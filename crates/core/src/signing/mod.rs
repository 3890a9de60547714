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
