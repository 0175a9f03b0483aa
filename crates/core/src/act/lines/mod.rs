//! Lines that several kinds share.

pub(super) mod body;
pub(crate) mod card;
pub(super) mod copies;
pub(super) mod foreign;
pub(crate) mod gates;
pub(super) mod identity;
pub(super) mod index;
pub(super) mod owner;
pub(super) mod stock;
