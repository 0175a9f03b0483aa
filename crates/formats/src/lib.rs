//! Open formats: bytes in, values out. Nothing here opens a file or talks to a device.
//!
//! * [`weak`]: MD5 and SHA-1, which tell damage
//! * [`table`]: a storage area's partition table (GPT), both copies
//! * [`look`]: what any file or partition is, declares and lacks
//! * [`make`]: what goes with a recovery, and both wrapped together
//! * [`seektable`]: the seek table behind an object's frames
//! * [`startimage`]: start images of simulated devices, and what the bench reads of any

pub mod graft;
pub mod look;
pub mod make;
pub mod seektable;
pub mod startimage;
pub mod table;
pub mod weak;
