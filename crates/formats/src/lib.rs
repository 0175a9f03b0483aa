//! Open formats: bytes in, values out. Nothing here opens a file or talks to a device.
//!
//! * [`table`]: a storage area's partition table (GPT), both copies
//! * [`filesystem`]: how large a file system says that it is
//! * [`seektable`]: the seek table behind an object's frames
//! * [`startimage`]: an image that a bootloader can start, with the descriptor in its header

pub mod filesystem;
pub mod seektable;
pub mod startimage;
pub mod table;
