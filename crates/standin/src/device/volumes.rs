//! Logical volumes: where they lie, and how a recovery makes them longer, shorter or none.

use veritope_wire::link::{
    ActKind, ActRequest, Operation, Progress, Refusal, RefusalCode, VolumeLine,
};

use super::{Device, LockState, no};
use crate::container::{self, Volume};
use crate::content::{self, Placed};
use crate::profile::Content;

/// The volume's group, as the factory names it.
const GROUP: &str = "makers_a";

impl Device {
    /// The partition that holds the volumes, where there is one.
    fn container(&self) -> Option<Placed> {
        if self.profile.is_facts_only() {
            return None;
        }
        let places = content::places(&self.profile, self.saved.seed);
        let parts = self.profile.partitions.iter();
        let mut both = parts.zip(places);
        both.find(|(part, _)| matches!(part.content, Content::Container(_)))
            .map(|(_, place)| place)
    }

    fn volumes_of(&self, place: &Placed) -> Result<Vec<Volume>, Refusal> {
        container::read(self.storage.as_ref(), place.offset)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))
    }

    /// All volumes, as their container's table has them; none where that holds no table any more.
    pub(super) fn volume_lines(&self) -> Result<Vec<VolumeLine>, Refusal> {
        let Some(place) = self.container() else {
            return Ok(Vec::new());
        };
        let volumes = self.volumes_of(&place).unwrap_or_default();
        let line = |volume: Volume| {
            Ok(VolumeLine {
                label: volume.name.parse()?,
                area: place.area,
                number: place.number,
                length_bytes: volume.length,
            })
        };
        let lines: Result<_, veritope_wire::NotALabel> = volumes.into_iter().map(line).collect();
        lines.map_err(|error| no(RefusalCode::Other, error.to_string()))
    }

    /// First byte and length of a volume, on the device's storage.
    pub(super) fn volume(&self, label: &str) -> Result<Option<(u64, u64)>, Refusal> {
        let Some(place) = self.container() else {
            return Ok(None);
        };
        let volumes = self.volumes_of(&place)?;
        let volume = volumes.iter().find(|volume| volume.name == label);
        Ok(volume.map(|volume| (place.offset + volume.at, volume.length)))
    }

    /// `resize-volume` and `remove-volume`: what runs must have the right to write, and the lock be open.
    pub(super) fn change_volumes(&mut self, request: &ActRequest) -> Result<Operation, Refusal> {
        if !self.saved.mode.gives_rights() {
            let words = "volumes are changed in a recovery";
            return Err(no(RefusalCode::WrongMode, words));
        }
        if self.saved.lock == LockState::Locked {
            return Err(no(RefusalCode::Locked, "nothing is written while locked"));
        }
        let word = |name: &str| request.args.get(name).map_or("", String::as_str);
        let missing = || no(RefusalCode::NotFound, "there is no such volume");
        let place = self.container().ok_or_else(missing)?;
        let mut volumes = self.volumes_of(&place)?;
        let name = word("volume");
        let at = volumes.iter().position(|volume| volume.name == name);
        let at = at.ok_or_else(missing)?;
        let mut volume = volumes.remove(at);
        if request.kind == ActKind::ResizeVolume {
            let length: u64 = word("length")
                .parse()
                .ok()
                .filter(|length| *length > 0 && length % 4096 == 0)
                .ok_or_else(|| no(RefusalCode::BadRequest, "a length in whole 4096 bytes"))?;
            let there = container::place(&volumes, volume.at, length, place.length)
                .ok_or_else(|| no(RefusalCode::TooLarge, "not enough room in the container"))?;
            if there != volume.at {
                self.carry(place.offset, &volume, there, length)?;
            }
            (volume.at, volume.length) = (there, length);
            volumes.insert(at, volume);
        }
        let (storage, offset) = (self.storage.as_mut(), place.offset);
        container::write(storage, offset, place.length, place.label, GROUP, &volumes)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        let operation = self.begin(request.kind);
        let words = "OKAY".to_owned();
        self.settle(operation.id, Progress::Done { words });
        self.operation(operation.id)
    }

    /// Carries what a volume holds to another place in the container.
    fn carry(&mut self, base: u64, from: &Volume, to: u64, length: u64) -> Result<(), Refusal> {
        let failed = |error: std::io::Error| no(RefusalCode::Other, error.to_string());
        let count = usize::try_from(from.length.min(length)).unwrap_or(0);
        let mut bytes = vec![0; count];
        self.storage
            .read_at(base + from.at, &mut bytes)
            .map_err(failed)?;
        self.storage.write_at(base + to, &bytes).map_err(failed)
    }
}
