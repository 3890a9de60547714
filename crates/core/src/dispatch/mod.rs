//! Dispatches: what ties a template to a source, how its documents are named,
//! and to whom they go.

mod joint;
mod naming;
mod pack;
mod rule;
mod setup;
mod stored;
mod tie;

pub use joint::{RECORDS, joint_record, joint_schema};
pub use naming::{file_name, numbered};
pub use pack::{FixedField, Inclusion, MOST_PARTS, NotAPack, Numbering, Pack, Part, PartContent, Question, answer, of_part};
pub use rule::{Otherwise, TemplateRule, TemplateUse};
pub use setup::{Attach, Choose, Format, PdfSetup, PdfStandard, Plan, Served, Setup, Station};
pub use stored::{NotASetup, read_setup, write_setup};
pub use tie::{TieState, UsedName, name_uses, tie_states};
