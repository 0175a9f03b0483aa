//! Files made by other hands, and by ours to lie.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod by_public_tools;
mod lies;
mod made_by_another_hand;
mod taken;
