//! A recovery that was started from memory installs itself: it goes to its partition, and in the system it switches
//! off what puts the maker's back at each start.

use std::io;

use veritope_formats::look::Bytes as _;

use super::Device;
use crate::condition::Running;

/// What stands in the system once its restorer is off.
const OFF: &[u8] = b"recovery restorer: off\n";
/// Where it stands.
const OFF_AT: u64 = 96 * 1024;
/// Where the image that runs is kept beside the state.
const RUNNING: &str = "running.img";

impl Device {
    /// Remembers the image that was started from memory.
    pub(super) fn runs(&mut self, image: Vec<u8>) -> io::Result<()> {
        if let Some(folder) = &self.folder {
            std::fs::write(folder.join(RUNNING), &image)?;
        }
        self.running = Some(image);
        Ok(())
    }

    /// The image that runs from memory, also after this process began anew.
    fn running(&self) -> Option<Vec<u8>> {
        let kept = || std::fs::read(self.folder.as_ref()?.join(RUNNING)).ok();
        self.running.clone().or_else(kept)
    }

    /// Whether what runs can install itself.
    pub(crate) fn installs_itself(&self) -> bool {
        self.saved.mode == Running::TemporaryRecovery
            && self.scheme().is_some_and(|scheme| scheme.restores_recovery)
            && !self.profile.is_facts_only()
    }

    /// Installs what runs.
    pub(super) fn install_itself(&mut self) -> io::Result<()> {
        let Some(image) = self.running() else {
            "It failed: nothing to install.".clone_into(&mut self.saved.hands.words);
            return self.save();
        };
        let (offset, length) = self.span("recovery").map_err(io::Error::other)?;
        self.sign("recovery")?;
        let mut whole = image;
        whole.resize(usize::try_from(length).unwrap_or(whole.len()), 0);
        self.storage.write_at(offset, &whole)?;
        let (offset, _) = self.span("system").map_err(io::Error::other)?;
        self.sign("system")?;
        self.storage.write_at(offset + OFF_AT, OFF)?;
        self.logs("installed itself to recovery; the restorer of system is off");
        "Installed. The restorer is off.".clone_into(&mut self.saved.hands.words);
        self.save()
    }

    /// Whether the system puts no recovery back any more.
    pub(super) fn is_restorer_off(&self) -> io::Result<bool> {
        let mut lies = vec![0; OFF.len()];
        self.part("system")?.read_exact_at(OFF_AT, &mut lies)?;
        Ok(lies == OFF)
    }
}
