//! Practice services: small stand-ins for what Mangle asks and sends to. They speak the
//! real protocols and know nothing of Mangle.

pub mod crm;
pub mod mailbox;
pub mod printer;
pub mod timestamp;
