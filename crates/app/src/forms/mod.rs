//! Forms: written and opened by the office in `desk`, answered by anyone who has the address in
//! `door`.

pub mod desk;
pub mod door;
pub mod look;

pub(crate) use door::tidy;
