//! Simulated devices: the strangers that the rest is tested against.
//!
//! A [`Device`] has a [`profile::Profile`] of its own (never read from `families/`), bytes behind
//! a real partition table on a [`storage::Storage`], a body with screen and keys, and a
//! [`clock::DeviceClock`]. What its firmware decides about the lock is its [`gate`], by the
//! [`scheme`] of its family. A [`Bridge`] serves any number of them over the bench link
//! (`docs/bench-link.md`), together with a plain page for the hands.

mod bridge;
pub mod clock;
mod condition;
mod container;
mod content;
mod device;
mod face;
mod factory;
pub mod gate;
mod keys;
pub mod profile;
mod saved;
pub mod scheme;
mod signed;
pub mod storage;

pub use bridge::package_bytes;
pub use bridge::{Bridge, BridgeError, serve};
pub use condition::{Birth, Fault, LockState, NextStart, Running, Setting};
pub use content::{recovery_for, recovery_image, stock_images};
pub use device::{Device, MEMORY_BYTES};
pub use factory::Factory;
pub use keys::parts_to_open;
