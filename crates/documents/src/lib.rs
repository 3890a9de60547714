//! In the making.
