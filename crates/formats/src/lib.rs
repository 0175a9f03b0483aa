//! Open formats: bytes in, values out. Nothing here opens a file or talks to a device.
//!
//! * [`table`]: a storage area's partition table (GPT), both copies
//! * [`startimage`]: an image that a bootloader can start, with the descriptor in its header

pub mod startimage;
pub mod table;
