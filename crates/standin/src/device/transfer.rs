//! Bytes over the cable: what may be read and written in which mode, and what a fault does to them.

use veritope_wire::link::{
    AreaLine, Epoch, InMemory, MAX_READ_BYTES, PartitionLine, PartitionList, Reads, Refusal,
    RefusalCode, Spot, Written,
};
use veritope_wire::{Digest, Label};

use veritope_wire::body::CablePlace;

use super::{Device, Fault, LockState, MEMORY_BYTES, Running, Setting, no};
use crate::content;
use crate::scheme::{Opening, Rights};

/// What a program of a person's own leaves out, for its length.
const MOST_DUMPED_BYTES: u64 = 48 << 20;

impl Device {
    /// `PUT /v2/devices/H/memory`
    ///
    /// # Errors
    /// Not in bootloader mode, too large, another digest than announced, stale epoch.
    pub fn put_memory(
        &mut self,
        bytes: Vec<u8>,
        epoch: Epoch,
        announced: Digest,
    ) -> Result<InMemory, Refusal> {
        self.is_ready()?;
        if epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        if self.saved.mode != Running::Bootloader {
            return Err(no(
                RefusalCode::WrongMode,
                "only the bootloader takes images",
            ));
        }
        if bytes.len() > MEMORY_BYTES {
            return Err(no(
                RefusalCode::TooLarge,
                format!("more than {MEMORY_BYTES} bytes"),
            ));
        }
        self.moved(bytes.len() as u64)?;
        let blake3 = Digest::of(&bytes);
        if blake3 != announced {
            return Err(no(
                RefusalCode::DigestDiffers,
                "the bytes are not the ones announced",
            ));
        }
        let length_bytes = bytes.len() as u64;
        self.memory = Some(bytes);
        Ok(InMemory {
            blake3,
            length_bytes,
        })
    }

    /// `GET /v2/devices/H/partitions`
    ///
    /// # Errors
    /// When the present mode gives no rights to read, and takes no writes either.
    pub fn partitions(&self) -> Result<PartitionList, Refusal> {
        self.may_read().or_else(|refusal| {
            let takes = matches!(self.saved.mode, Running::Bootloader | Running::Download);
            let has_bytes = !self.profile.is_facts_only();
            if takes && has_bytes && self.is_ready().is_ok() {
                Ok(())
            } else {
                Err(refusal)
            }
        })?;
        let partitions = content::places(&self.profile, self.saved.seed)
            .into_iter()
            .map(|place| {
                Ok(PartitionLine {
                    label: place.label.parse::<Label>()?,
                    number: place.number,
                    area: place.area,
                    offset_bytes: place.in_area,
                    length_bytes: place.length,
                })
            })
            .collect::<Result<_, veritope_wire::NotALabel>>()
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        let sector_bytes = u32::try_from(self.profile.sector_bytes).unwrap_or(512);
        let areas = content::areas(&self.profile)
            .into_iter()
            .map(|area| AreaLine {
                area: area.index,
                sector_bytes,
                length_bytes: area.length,
            });
        Ok(PartitionList {
            areas: areas.collect(),
            partitions,
            volumes: match self.may_read() {
                Ok(()) => self.volume_lines()?,
                Err(_) => Vec::new(),
            },
        })
    }

    /// Whether its running system can have administrator rights as its lock stands.
    pub(crate) fn may_have_rights(&self) -> bool {
        self.scheme().is_some_and(|scheme| match scheme.rights {
            Rights::Never => false,
            Rights::Unlocked => self.saved.lock == LockState::Unlocked,
            Rights::Always => true,
        })
    }

    /// Whether the system runs and lets a computer read whatever it asks for.
    pub(super) fn has_rights(&self) -> bool {
        self.saved.mode == Running::System
            && self.saved.rights == Setting::On
            && self.may_have_rights()
    }

    /// Whether a loader runs that reads and writes whatever it is asked for.
    pub(super) fn has_read_out(&self) -> bool {
        self.saved.mode == Running::Download
            && self
                .scheme()
                .is_some_and(|scheme| scheme.opening == Opening::NoLock)
    }

    pub(super) fn may_read(&self) -> Result<(), Refusal> {
        self.is_ready()?;
        if self.saved.mode.gives_rights() || self.has_read_out() || self.has_rights() {
            Ok(())
        } else {
            Err(no(
                RefusalCode::WrongMode,
                "what runs gives no right to read partitions",
            ))
        }
    }

    /// How partitions are read now.
    pub(super) fn reads(&self) -> Reads {
        match self.may_read() {
            Err(_) => Reads::None,
            Ok(()) if self.saved.mode == Running::System => Reads::Live,
            Ok(()) => Reads::AtRest,
        }
    }

    /// What a program of a person's own dumps of it: both ends of each area and every partition that is not its
    /// system or its owner's data, each under a file's name.
    ///
    /// # Errors
    /// As [`Device::read_at`].
    pub fn dumped(&mut self) -> Result<Vec<(String, Vec<u8>)>, Refusal> {
        self.may_read()?;
        let list = self.partitions()?;
        let mut spots = Vec::new();
        for area in list.areas {
            let index = area.area;
            let of = list.partitions.iter().filter(|one| one.area == index);
            let first = of.clone().map(|one| one.offset_bytes).min();
            let last = of.map(|one| one.offset_bytes + one.length_bytes).max();
            let first = first.unwrap_or(area.length_bytes);
            let rest = area.length_bytes.saturating_sub(last.unwrap_or(0));
            let name = |end: &str| format!("table-{index}.{end}.img");
            spots.push((name("primary"), Spot::AreaStart { area: index }, first));
            spots.push((name("backup"), Spot::AreaEnd { area: index }, rest));
        }
        let is_large = |one: &PartitionLine| one.length_bytes > MOST_DUMPED_BYTES;
        for one in list.partitions.into_iter().filter(|one| !is_large(one)) {
            let name = format!("{}.img", one.label);
            let spot = Spot::Partition {
                area: one.area,
                number: one.number,
                label: one.label,
            };
            spots.push((name, spot, one.length_bytes));
        }
        let mut all = Vec::new();
        for (name, spot, length) in spots {
            let mut bytes = Vec::new();
            while (bytes.len() as u64) < length {
                let at = bytes.len() as u64;
                let count = (length - at).min(MAX_READ_BYTES);
                bytes.extend(self.read_at(&spot, at, count)?);
            }
            all.push((name, bytes));
        }
        Ok(all)
    }

    /// Bytes `start..start + count` of what has this label.
    ///
    /// # Errors
    /// As [`Device::read_at`].
    pub fn read(&mut self, label: &str, start: u64, count: u64) -> Result<Vec<u8>, Refusal> {
        let spot = self.spot(label)?;
        self.read_at(&spot, start, count)
    }

    /// Bytes `start..start + count` of a partition, an end of an area, or a logical volume.
    ///
    /// # Errors
    /// No rights, no such thing, too much at once, past the end.
    pub fn read_at(&mut self, spot: &Spot, start: u64, count: u64) -> Result<Vec<u8>, Refusal> {
        self.may_read()?;
        let (offset, length) = self.lies(spot)?;
        let label = &label_of(spot);
        if count > MAX_READ_BYTES {
            return Err(no(
                RefusalCode::TooLarge,
                format!("at most {MAX_READ_BYTES} bytes at once"),
            ));
        }
        if start.checked_add(count).is_none_or(|end| end > length) {
            return Err(no(
                RefusalCode::BadRequest,
                format!("{label} is {length} bytes long"),
            ));
        }
        self.moved(count)?;
        let mut bytes = vec![0; usize::try_from(count).unwrap_or(0)];
        self.storage
            .read_at(offset + start, &mut bytes)
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        let flipped = self.disarm(|fault| {
            matches!(fault, Fault::FlipOnRead { label: l, byte } if l == label && (start..start + count).contains(byte))
        });
        if let Some(Fault::FlipOnRead { byte, .. }) = flipped {
            bytes[usize::try_from(byte - start).unwrap_or(0)] ^= 0x10;
            self.save_or_say()?;
        }
        Ok(bytes)
    }

    /// Writes bytes `start..` of what has this label.
    ///
    /// # Errors
    /// As [`Device::write_at`].
    pub fn write(
        &mut self,
        label: &str,
        start: u64,
        bytes: &[u8],
        epoch: Epoch,
        announced: Digest,
    ) -> Result<Written, Refusal> {
        let spot = self.spot(label)?;
        self.write_at(&spot, start, bytes, epoch, announced)
    }

    /// Writes bytes `start..` of a partition or a logical volume. No question is asked: what comes is
    /// written.
    ///
    /// # Errors
    /// Locked, no rights in this mode, no such partition, past the end, another digest than
    /// announced, stale epoch. When the cable comes out on the way, what had arrived is written.
    pub fn write_at(
        &mut self,
        spot: &Spot,
        start: u64,
        bytes: &[u8],
        epoch: Epoch,
        announced: Digest,
    ) -> Result<Written, Refusal> {
        self.is_ready()?;
        if epoch != self.epoch() {
            return Err(no(RefusalCode::StaleEpoch, "the device changed since"));
        }
        let takes = matches!(self.saved.mode, Running::Bootloader | Running::Download);
        if !(self.saved.mode.gives_rights() || takes) {
            return Err(no(
                RefusalCode::WrongMode,
                "partitions are written in the bootloader or a recovery",
            ));
        }
        if self.saved.lock == LockState::Locked && !self.has_read_out() {
            return Err(no(RefusalCode::Locked, "nothing is written while locked"));
        }
        if matches!(spot, Spot::AreaStart { .. } | Spot::AreaEnd { .. }) {
            return Err(no(RefusalCode::NotFound, "tables are not written"));
        }
        let (offset, length) = self.lies(spot)?;
        let label = label_of(spot);
        let count = bytes.len() as u64;
        if count > MAX_READ_BYTES {
            return Err(no(
                RefusalCode::TooLarge,
                format!("at most {MAX_READ_BYTES} bytes at once"),
            ));
        }
        if start.checked_add(count).is_none_or(|end| end > length) {
            return Err(no(
                RefusalCode::BadRequest,
                format!("{label} is {length} bytes long"),
            ));
        }
        let blake3 = Digest::of(bytes);
        if blake3 != announced {
            return Err(no(
                RefusalCode::DigestDiffers,
                "the bytes are not the ones announced",
            ));
        }
        self.logs(&format!("{count} bytes to {label} at {start}"));
        if matches!(spot, Spot::Partition { .. }) {
            self.sign(&label)
                .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        }
        let arrived = self.arrives(count);
        let kept = usize::try_from(arrived)
            .unwrap_or(bytes.len())
            .min(bytes.len());
        self.storage
            .write_at(offset + start, &bytes[..kept])
            .map_err(|error| no(RefusalCode::Other, error.to_string()))?;
        self.moved(count)?;
        Ok(Written {
            blake3,
            length_bytes: count,
        })
    }

    /// How many of `count` bytes come through before an armed fault pulls the cable.
    fn arrives(&self, count: u64) -> u64 {
        self.saved
            .faults
            .iter()
            .filter_map(|fault| match fault {
                Fault::CableOutAfter { bytes } => Some(*bytes),
                _ => None,
            })
            .fold(count, u64::min)
    }

    /// Length in bytes of what [`Device::read`] reads under `label`.
    ///
    /// # Errors
    /// No such partition.
    pub fn length_of(&self, label: &str) -> Result<u64, Refusal> {
        self.span(label).map(|(_, length)| length)
    }

    pub(super) fn span(&self, label: &str) -> Result<(u64, u64), Refusal> {
        self.lies(&self.spot(label)?)
    }

    /// What a label alone means: a partition, or an end of an area as `table-N.primary` and
    /// `table-N.backup`.
    fn spot(&self, label: &str) -> Result<Spot, Refusal> {
        let table = label
            .strip_prefix("table-")
            .and_then(|rest| rest.split_once('.'));
        match table.and_then(|(index, end)| Some((index.parse().ok()?, end))) {
            Some((area, "primary")) => return Ok(Spot::AreaStart { area }),
            Some((area, "backup")) => return Ok(Spot::AreaEnd { area }),
            _ => {}
        }
        let places = content::places(&self.profile, self.saved.seed);
        let place = places.iter().find(|place| place.label == label);
        place
            .and_then(|place| {
                Some(Spot::Partition {
                    area: place.area,
                    number: place.number,
                    label: place.label.parse().ok()?,
                })
            })
            .ok_or_else(|| missing(label))
    }

    /// First byte and length in bytes of it, on the device's storage.
    ///
    /// # Errors
    /// When there is none, or area, number and label are not those of one entry.
    pub fn lies(&self, spot: &Spot) -> Result<(u64, u64), Refusal> {
        let places = content::places(&self.profile, self.saved.seed);
        let found = match spot {
            Spot::Partition {
                area,
                number,
                label,
            } => places
                .iter()
                .find(|place| {
                    (place.area, place.number, place.label) == (*area, *number, label.as_str())
                })
                .map(|place| (place.offset, place.length)),
            Spot::Volume { label } => self.volume(label.as_str())?,
            Spot::AreaStart { area } | Spot::AreaEnd { area } => {
                let areas = content::areas(&self.profile);
                areas.iter().find(|one| one.index == *area).map(|area| {
                    let own = || places.iter().filter(|place| place.area == area.index);
                    let first = own().map(|place| place.offset).min().unwrap_or(area.base);
                    let last = own().map(|place| place.offset + place.length).max();
                    let end = area.base + area.length;
                    let last = last.unwrap_or(end);
                    match spot {
                        Spot::AreaStart { .. } => (area.base, first - area.base),
                        _ => (last, end - last),
                    }
                })
            }
        };
        found.ok_or_else(|| missing(&spot.to_string()))
    }

    /// Counts bytes over the cable; an armed fault may pull it.
    pub(super) fn moved(&mut self, bytes: u64) -> Result<(), Refusal> {
        let mut pulled = false;
        for fault in &mut self.saved.faults {
            if let Fault::CableOutAfter { bytes: left } = fault {
                pulled = *left < bytes;
                *left = left.saturating_sub(bytes);
            }
        }
        if pulled {
            self.disarm(|fault| matches!(fault, Fault::CableOutAfter { .. }));
            self.cable(CablePlace::Out);
            self.save_or_say()?;
            return Err(no(RefusalCode::NotConnected, "the device went away"));
        }
        Ok(())
    }
}

fn missing(what: &str) -> Refusal {
    no(RefusalCode::NotFound, format!("there is no {what}"))
}

/// The label under which a fault knows it.
fn label_of(spot: &Spot) -> String {
    match spot {
        Spot::Volume { label } => label.to_string(),
        other => other.label_of_old().unwrap_or_default(),
    }
}
