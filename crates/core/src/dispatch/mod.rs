//! Dispatches: what ties a template to a source, how its documents are named,
//! and to whom they go.

mod joint;
mod message;
mod naming;
mod setup;
mod tie;

pub use joint::{RECORDS, joint_record, joint_schema};
pub use message::{EmailPlan, Message, MessageFault};
pub use naming::{file_name, numbered};
pub use setup::{Attach, Choose, EmailChannel, Output, PdfSetup, PdfStandard, Plan, PlanProblem, Served, Setup};
pub use tie::{TieState, UsedName, name_uses, tie_states};
