//! Forms: what is asked, when it is shown, and whether an answer will do. A form
//! as a person writes it is a [`Form`]; [`Rules`] are the same ready to look at
//! answers, by the same code while somebody types and when the answer arrives.

mod answer;
mod definition;
mod door;
mod from_template;
mod mask;
mod rules;

pub use answer::{Given, GivenFile, Look, LookedAt, Wrong};
pub use definition::{Form, FormField, FormFieldKind};
pub use door::Door;
pub use from_template::form_for;
pub use mask::{Mask, MaskFault};
pub use rules::{Rules, answered};
