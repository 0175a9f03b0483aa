//! Devices by the thousand: the bytes are written once, each device gets a copy that shares them.

use std::io;
use std::sync::Arc;

use crate::clock::DeviceClock;
use crate::condition::Birth;
use crate::content;
use crate::device::Device;
use crate::profile::Profile;
use crate::storage::Memory;

/// Makes devices of one kind, in memory.
#[derive(Debug, Clone)]
pub struct Factory {
    profile: Profile,
    birth: Birth,
    bytes: Memory,
}

impl Factory {
    /// Writes what all its devices leave it with. They have `birth`'s seed.
    ///
    /// # Errors
    /// When the bytes can't be laid out.
    pub fn new(profile: Profile, birth: Birth) -> io::Result<Self> {
        let mut bytes = Memory::blank(content::area_bytes(&profile));
        content::manufacture(&mut bytes, &profile, birth.seed, &birth.serial)?;
        Ok(Self {
            profile,
            birth,
            bytes,
        })
    }

    /// A device of `birth`, whose own bytes are the factory's, the serial in them too.
    #[must_use]
    pub fn device(&self, birth: &Birth, clock: Arc<dyn DeviceClock>) -> Device {
        let birth = Birth {
            seed: self.birth.seed,
            ..birth.clone()
        };
        let bytes = Box::new(self.bytes.clone());
        Device::on_bytes(bytes, self.profile.clone(), &birth, clock)
    }
}
