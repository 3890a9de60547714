//! Measurements; see `benches/`. Run them with `make speed`.
