//! Practice services: small stand-ins for what Mangle sends to. They speak the
//! real protocols and know nothing of Mangle.

pub mod mailbox;
