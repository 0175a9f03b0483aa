//! The bytes that a device leaves the factory with: a real partition table, real small file
//! systems, calibration that differs from unit to unit, payloads that compress in part.

use std::io::{self, Write};

use fatfs::{FileSystem, FormatVolumeOptions, FsOptions};
use veritope_formats::look::Bytes;
use veritope_formats::startimage::{
    RecoveryWords, build_kernel_alone, build_ramdisk_alone, build_recovery, build_start_image,
    build_vendor_part, build_with_header,
};

use crate::condition::Slot;
use crate::container;
use crate::profile::{Content, Part, Profile};
use crate::scheme::Scheme;
use crate::signed;
use crate::storage::{Memory, Storage, Window};

/// A small generator of repeatable noise (xorshift); good enough to look like firmware.
#[derive(Debug, Clone)]
pub(crate) struct Noise(u64);

impl Noise {
    /// Noise that depends on `seed` and `what` only.
    #[must_use]
    pub(crate) fn new(seed: u64, what: &str) -> Self {
        let mut digest = blake3::Hasher::new();
        digest.update(&seed.to_le_bytes());
        digest.update(what.as_bytes());
        let mut word = [0; 8];
        digest.finalize_xof().fill(&mut word);
        Self(u64::from_le_bytes(word) | 1)
    }

    /// The next word.
    pub(crate) fn word(&mut self) -> u64 {
        self.0 ^= self.0 << 13;
        self.0 ^= self.0 >> 7;
        self.0 ^= self.0 << 17;
        self.0
    }

    /// `count` bytes, all noise.
    pub(crate) fn bytes(&mut self, count: usize) -> Vec<u8> {
        let mut bytes = vec![0; count];
        self.fill(&mut bytes);
        bytes
    }

    fn fill(&mut self, bytes: &mut [u8]) {
        for piece in bytes.chunks_mut(8) {
            let word = self.word().to_le_bytes();
            piece.copy_from_slice(&word[..piece.len()]);
        }
    }

    /// `count` bytes of which about half repeat, as code and tables do.
    pub(crate) fn firmware(&mut self, count: usize) -> Vec<u8> {
        let mut bytes = vec![0; count];
        for piece in bytes.chunks_mut(4096) {
            let (noise, repeats) = piece.split_at_mut(piece.len().min(2048));
            self.fill(noise);
            let pattern = self.word().to_le_bytes();
            for part in repeats.chunks_mut(8) {
                part.copy_from_slice(&pattern[..part.len()]);
            }
        }
        bytes
    }
}

/// A recovery image for a family, as its publisher would offer it: about 7 MiB, half of which
/// compresses.
#[must_use]
pub fn recovery_image(codename: &str, version: &str) -> Vec<u8> {
    let payload = Noise::new(0, version).firmware(7 << 20);
    build_start_image(codename, "recovery", version, &payload)
}

/// A recovery that says for which model and generation it was built: a small one, about 2 MiB.
#[must_use]
pub fn recovery_for(codename: &str, model: &str, version: &str, generation: u32) -> Vec<u8> {
    let payload = Noise::new(0, version).firmware(2 << 20);
    let words = RecoveryWords {
        codename,
        model,
        version,
        generation,
    };
    build_recovery(words, &payload)
}

/// Where a partition lies, as laid out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Placed {
    pub(crate) label: &'static str,
    pub(crate) number: u32,
    pub(crate) area: u32,
    /// From the first byte of the device's storage.
    pub(crate) offset: u64,
    /// From the first byte of its area.
    pub(crate) in_area: u64,
    pub(crate) length: u64,
}

const FIRST_BYTE: u64 = 1 << 20;
const LAST_BYTES: u64 = 1 << 20;

/// A storage area: where it begins in the device's bytes, and how long it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Area {
    pub(crate) index: u32,
    pub(crate) base: u64,
    pub(crate) length: u64,
}

/// The areas of a profile: one MiB for the table, the partitions, one MiB for the table's backup.
pub(crate) fn areas(profile: &Profile) -> Vec<Area> {
    let mut base = 0;
    let mut all: Vec<Area> = Vec::new();
    for part in &profile.partitions {
        if all.last().is_none_or(|area| area.index != part.area) {
            base += all.last().map_or(0, |area| area.length);
            all.push(Area {
                index: part.area,
                base,
                length: FIRST_BYTE + LAST_BYTES,
            });
        }
        if let Some(area) = all.last_mut() {
            area.length += part.mib << 20;
        }
    }
    all
}

/// Length of all areas of a profile together.
pub(crate) fn area_bytes(profile: &Profile) -> u64 {
    areas(profile).iter().map(|area| area.length).sum()
}

/// Where the partitions of a unit lie. Entry numbers differ from unit to unit.
pub(crate) fn places(profile: &Profile, seed: u64) -> Vec<Placed> {
    let mut placed = Vec::new();
    for area in areas(profile) {
        let parts: Vec<_> = profile
            .partitions
            .iter()
            .filter(|part| part.area == area.index)
            .collect();
        let count = parts.len();
        let turn = usize::try_from(seed % count.max(1) as u64).unwrap_or(0);
        let mut at = FIRST_BYTE;
        for (index, part) in parts.into_iter().enumerate() {
            let length = part.mib << 20;
            placed.push(Placed {
                label: part.label,
                number: u32::try_from((index + turn) % count).unwrap_or(0) + 1,
                area: area.index,
                offset: area.base + at,
                in_area: at,
                length,
            });
            at += length;
        }
    }
    placed
}

/// Whether its bytes are of a build, and the maker's.
fn is_the_makers(part: &Part) -> bool {
    let vouches = matches!(
        part.content,
        Content::Metadata | Content::Delegated { .. } | Content::Container(_)
    );
    vouches || part.content.is_signed()
}

/// Writes a build over whatever lies there, as its whole package does: all that is the maker's.
pub(crate) fn put_build(storage: &mut dyn Storage, profile: &Profile, seed: u64) -> io::Result<()> {
    let places = places(profile, seed);
    for (label, bytes) in stock_images(profile) {
        if let Some(place) = places.iter().find(|place| place.label == label) {
            storage.write_at(place.offset, &bytes)?;
        }
    }
    Ok(())
}

/// Whether all that is the maker's is still exactly its build, which a package that changes only parts of it
/// asks for.
pub(crate) fn is_untouched(
    storage: &dyn Storage,
    profile: &Profile,
    seed: u64,
) -> io::Result<bool> {
    let places = places(profile, seed);
    for (label, bytes) in stock_images(profile) {
        let Some(place) = places.iter().find(|place| place.label == label) else {
            continue;
        };
        let mut lies = vec![0; bytes.len()];
        storage.read_at(place.offset, &mut lies)?;
        if lies != bytes {
            return Ok(false);
        }
    }
    Ok(true)
}

/// The maker's image of one partition that holds a start image, without the empty end.
pub(crate) fn image_of(profile: &Profile, label: &str) -> Option<Vec<u8>> {
    let part = profile.partitions.iter().find(|part| part.label == label)?;
    let mut storage = Memory::blank(part.mib << 20);
    let place = Placed {
        label: part.label,
        number: 1,
        area: 0,
        offset: 0,
        in_area: 0,
        length: part.mib << 20,
    };
    fill(&mut storage, profile, part, &place, 0, "").ok()?;
    let mut bytes = vec![0; usize::try_from(place.length).ok()?];
    storage.read_at(0, &mut bytes).ok()?;
    let used = bytes
        .iter()
        .rposition(|byte| *byte != 0)
        .map_or(0, |last| last + 1);
    bytes.truncate(used.next_multiple_of(4096));
    Some(bytes)
}

/// Bytes that the maker publishes for a build: what it signed, label by label.
#[must_use]
pub fn stock_images(profile: &Profile) -> Vec<(&'static str, Vec<u8>)> {
    let length = area_bytes(profile);
    let mut storage = Memory::blank(length);
    let places = places(profile, 0);
    let own: Vec<(&Part, &Placed)> = profile
        .partitions
        .iter()
        .zip(&places)
        .filter(|(part, _)| is_the_makers(part))
        .collect();
    let filled = own
        .iter()
        .try_for_each(|(part, place)| fill(&mut storage, profile, part, place, 0, ""))
        .and_then(|()| sign(&mut storage, profile, &places));
    if filled.is_err() {
        return Vec::new();
    }
    let mut all = Vec::new();
    for (part, place) in own {
        let mut bytes = vec![0; usize::try_from(place.length).unwrap_or(0)];
        if storage.read_at(place.offset, &mut bytes).is_ok() {
            all.push((part.label, bytes));
        }
    }
    all
}

/// A partition, read where it lies.
pub(crate) struct Span<'a> {
    pub(crate) storage: &'a dyn Storage,
    pub(crate) offset: u64,
    pub(crate) length: u64,
}

impl Bytes for Span<'_> {
    fn length(&self) -> u64 {
        self.length
    }

    fn read_exact_at(&self, at: u64, into: &mut [u8]) -> io::Result<()> {
        self.storage.read_at(self.offset + at, into)
    }
}

/// Signs what the maker signs, once all of it lies there.
fn sign(storage: &mut dyn Storage, profile: &Profile, placed: &[Placed]) -> io::Result<()> {
    let mut parts = profile.partitions.iter().zip(placed);
    let Some((_, own)) = parts.find(|(part, _)| part.content == Content::Metadata) else {
        return Ok(());
    };
    let mut descriptors = Vec::new();
    for (part, place) in profile.partitions.iter().zip(placed) {
        if !part.content.is_signed() {
            continue;
        }
        let span = Span {
            storage: &*storage,
            offset: place.offset,
            length: place.length,
        };
        // A build is signed for whichever slot it goes to.
        let name = part.label.trim_end_matches("_a");
        descriptors.extend(signed::describe(name, profile.build, &span)?);
    }
    let build = Scheme::named(profile.codename).and_then(|scheme| scheme.build(profile.build));
    let index = build.map_or(0, |build| u64::from(build.index));
    let own = own.offset;
    // Volumes are left to keys of their own, each with a record of its own for its index.
    let delegated = profile
        .partitions
        .iter()
        .zip(placed)
        .filter_map(|(part, place)| {
            let Content::Delegated { key, of } = part.content else {
                return None;
            };
            Some((part.label.trim_end_matches("_a"), place.offset, key, of))
        });
    for ((label, offset, key, of), location) in delegated.zip(1..) {
        descriptors.extend(signed::delegate(label, location, key)?);
        let mut own = Vec::new();
        for (name, span) in volumes(storage, profile, placed) {
            if of.contains(&name.as_str()) {
                own.extend(signed::describe(&name, profile.build, &span)?);
            }
        }
        let metadata = signed::metadata(key, index, &own)?;
        storage.write_at(offset, &metadata)?;
    }
    let metadata = signed::metadata(profile.codename, index, &descriptors)?;
    storage.write_at(own, &metadata)
}

/// Logical volumes where they lie, by their names without the slot.
fn volumes<'a>(
    storage: &'a dyn Storage,
    profile: &Profile,
    placed: &[Placed],
) -> Vec<(String, Span<'a>)> {
    let mut all = Vec::new();
    for (part, place) in profile.partitions.iter().zip(placed) {
        let Content::Container(volumes) = part.content else {
            continue;
        };
        all.extend(container::lay_out(volumes).into_iter().map(|volume| {
            let span = Span {
                storage,
                offset: place.offset + volume.at,
                length: volume.length,
            };
            (volume.name.trim_end_matches("_a").to_owned(), span)
        }));
    }
    all
}

/// Writes everything that the factory writes.
pub(crate) fn manufacture(
    storage: &mut dyn Storage,
    profile: &Profile,
    seed: u64,
    serial: &str,
) -> io::Result<()> {
    let placed = places(profile, seed);
    for area in areas(profile) {
        let own: Vec<_> = placed.iter().filter(|one| one.area == area.index).collect();
        write_table(storage, profile, area, &own)?;
    }
    for (part, place) in profile.partitions.iter().zip(&placed) {
        fill(storage, profile, part, place, seed, serial)?;
    }
    sign(storage, profile, &placed)
}

/// Writes what the factory writes into one partition.
fn fill(
    storage: &mut dyn Storage,
    profile: &Profile,
    part: &Part,
    place: &Placed,
    seed: u64,
    serial: &str,
) -> io::Result<()> {
    let mut own = Noise::new(seed, part.label);
    // Two slots hold the same, another build another.
    let name = part.label.trim_end_matches("_a").trim_end_matches("_b");
    let mut shared = Noise::new(0, &format!("{} {name}", profile.build));
    let length = usize::try_from(place.length).unwrap_or(usize::MAX);
    match part.content {
        // What is signed comes when the rest is there.
        Content::Zero | Content::Metadata | Content::Delegated { .. } => Ok(()),
        Content::Kernel => {
            let image = build_kernel_alone(&shared.firmware(length * 5 / 8));
            storage.write_at(place.offset, &image)
        }
        Content::Ramdisk => {
            let image = build_ramdisk_alone(profile.codename, profile.build);
            storage.write_at(place.offset, &image)
        }
        Content::VendorPart => {
            let modules = shared.firmware(length / 8);
            let image = build_vendor_part(profile.codename, profile.build, &modules);
            storage.write_at(place.offset, &image)
        }
        Content::Container(volumes) => {
            let volumes = container::lay_out(volumes);
            for volume in &volumes {
                let window = Window::new(storage, place.offset + volume.at, volume.length);
                write_system(window, profile, &mut shared, volume.length)?;
            }
            let (offset, group) = (place.offset, "makers_a");
            container::write(storage, offset, place.length, part.label, group, &volumes)
        }
        Content::Firmware => storage.write_at(place.offset, &shared.firmware(length * 3 / 4)),
        Content::Image { kind } => {
            let payload = shared.firmware(length * 5 / 8);
            let (header, codename) = (profile.header, profile.codename);
            let image = build_with_header(header, codename, kind, profile.build, &payload);
            storage.write_at(place.offset, &image)
        }
        Content::UnitNoise | Content::Fixed => {
            storage.write_at(place.offset, &own.bytes(length / 2))
        }
        Content::Encrypted => storage.write_at(place.offset, &own.bytes(length / 8)),
        Content::Calibration => write_files(
            Window::new(storage, place.offset, place.length),
            &[
                ("sensors.cal", own.bytes(48 << 10)),
                ("radio.cal", own.bytes(160 << 10)),
                ("serial.txt", format!("{serial}\n").into_bytes()),
                (STARTS_FILE, b"0\n".to_vec()),
            ],
        ),
        Content::System => {
            let window = Window::new(storage, place.offset, place.length);
            write_system(window, profile, &mut shared, place.length)
        }
    }
}

/// A small file system with what a system is made of.
fn write_system(
    window: Window<'_>,
    profile: &Profile,
    shared: &mut Noise,
    length: u64,
) -> io::Result<()> {
    let length = usize::try_from(length).unwrap_or(usize::MAX);
    let mut share = |mib: usize| shared.firmware((mib << 20).min(length * mib / 16));
    write_files(
        window,
        &[
            ("build.txt", format!("{}\n", profile.build).into_bytes()),
            ("kernel.lib", share(4)),
            ("faces.pak", share(6)),
            ("radio.lib", share(2)),
        ],
    )
}

/// The file in a calibration partition that counts starts.
const STARTS_FILE: &str = "starts.txt";

fn write_table(
    storage: &mut dyn Storage,
    profile: &Profile,
    area: Area,
    placed: &[&Placed],
) -> io::Result<()> {
    let sector = profile.sector_bytes;
    let other = |error: gpt::GptError| io::Error::other(error.to_string());
    let mut whole = Window::new(storage, area.base, area.length);
    let sectors = u32::try_from(area.length / sector - 1).unwrap_or(u32::MAX);
    gpt::mbr::ProtectiveMBR::with_lb_size(sectors)
        .overwrite_lba0(&mut whole)
        .map_err(|error| io::Error::other(error.to_string()))?;
    let mut disk = gpt::GptConfig::new()
        .writable(true)
        .logical_block_size(block_size(profile))
        .create_from_device(whole, None)
        .map_err(other)?;
    for place in placed {
        disk.add_partition_at(
            place.label,
            place.number,
            place.in_area / sector,
            place.length / sector,
            gpt::partition_types::BASIC,
            slot_marks(place.label),
        )
        .map_err(other)?;
    }
    disk.write().map_err(other)?;
    Ok(())
}

/// In the attributes of a slot's boot partition: it is the active one.
const CHOSEN: u64 = 1 << 50;
/// It has started before.
const STARTED: u64 = 1 << 51;

/// Attributes of a slot's boot partition as shipped: the first is chosen and has started, the second
/// is not bootable.
fn slot_marks(label: &str) -> u64 {
    match label {
        "boot_a" => CHOSEN | STARTED,
        _ => 0,
    }
}

/// Marks a slot as the active one, in the table's attributes and in its backup.
pub(crate) fn mark_slot(
    storage: &mut dyn Storage,
    profile: &Profile,
    active: Slot,
) -> io::Result<()> {
    let other = |error: gpt::GptError| io::Error::other(error.to_string());
    for area in areas(profile) {
        let mut disk = gpt::GptConfig::new()
            .writable(true)
            .logical_block_size(block_size(profile))
            .open_from_device(Window::new(storage, area.base, area.length))
            .map_err(other)?;
        let mut entries = disk.partitions().clone();
        for entry in entries.values_mut() {
            match [Slot::A, Slot::B]
                .into_iter()
                .find(|slot| slot.starts()[1] == entry.name)
            {
                Some(slot) if slot == active => entry.flags |= CHOSEN,
                Some(_) => entry.flags &= !CHOSEN,
                None => {}
            }
        }
        disk.update_partitions(entries).map_err(other)?;
        disk.write().map_err(other)?;
    }
    Ok(())
}

fn block_size(profile: &Profile) -> gpt::disk::LogicalBlockSize {
    match profile.sector_bytes {
        4096 => gpt::disk::LogicalBlockSize::Lb4096,
        _ => gpt::disk::LogicalBlockSize::Lb512,
    }
}

fn write_files(mut window: Window<'_>, files: &[(&str, Vec<u8>)]) -> io::Result<()> {
    fatfs::format_volume(
        &mut window,
        FormatVolumeOptions::new().volume_label(*b"DEVICE     "),
    )?;
    let volume = FileSystem::new(&mut window, FsOptions::new())?;
    for (name, bytes) in files {
        volume.root_dir().create_file(name)?.write_all(bytes)?;
    }
    volume.unmount()
}

/// What the running system does to living partitions at every start.
pub(crate) fn live(
    storage: &mut dyn Storage,
    profile: &Profile,
    seed: u64,
    starts: u32,
) -> io::Result<()> {
    for (part, place) in profile.partitions.iter().zip(places(profile, seed)) {
        match part.content {
            Content::Calibration => {
                let mut window = Window::new(storage, place.offset, place.length);
                let volume = FileSystem::new(&mut window, FsOptions::new())?;
                let mut file = volume.root_dir().create_file(STARTS_FILE)?;
                file.truncate()?;
                file.write_all(format!("{starts}\n").as_bytes())?;
                drop(file);
                volume.unmount()?;
            }
            Content::UnitNoise => {
                let block = Noise::new(seed ^ u64::from(starts), "living").bytes(4096);
                storage.write_at(place.offset + 8192, &block)?;
            }
            _ => {}
        }
    }
    Ok(())
}

/// Sets a partition to zero, writing only where there is something.
pub(crate) fn erase(storage: &mut dyn Storage, place: &Placed) -> io::Result<()> {
    const STEP: usize = 256 << 10;
    let zeros = vec![0; STEP];
    let mut found = vec![0; STEP];
    let mut at = place.offset;
    let end = place.offset + place.length;
    while at < end {
        let count = STEP.min(usize::try_from(end - at).unwrap_or(STEP));
        storage.read_at(at, &mut found[..count])?;
        if found[..count].iter().any(|byte| *byte != 0) {
            storage.write_at(at, &zeros[..count])?;
        }
        at += count as u64;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use std::process::Command;

    use veritope_formats::table::read_table;

    use super::*;
    use crate::storage::SparseFile;

    fn made(seed: u64) -> Memory {
        let profile = Profile::gimbal();
        let mut storage = Memory::blank(area_bytes(&profile));
        manufacture(&mut storage, &profile, seed, "FL1-220417-0093").unwrap();
        storage
    }

    fn read(storage: &dyn Storage, label: &str, seed: u64) -> Vec<u8> {
        let place = places(&Profile::gimbal(), seed)
            .into_iter()
            .find(|p| p.label == label)
            .unwrap();
        let mut bytes = vec![0; usize::try_from(place.length).unwrap()];
        storage.read_at(place.offset, &mut bytes).unwrap();
        bytes
    }

    #[test]
    fn two_units_differ_where_they_must_and_nowhere_else() {
        let (one, other) = (made(1), made(2));
        for (label, alike) in [
            ("aboot", true),
            ("boot", true),
            ("system", true),
            ("persist", false),
            ("modemst1", false),
        ] {
            assert_eq!(
                read(&one, label, 1) == read(&other, label, 2),
                alike,
                "{label}"
            );
        }
    }

    #[test]
    fn a_start_changes_living_partitions_only() {
        let profile = Profile::gimbal();
        let mut storage = made(1);
        let before: Vec<_> = profile
            .partitions
            .iter()
            .map(|p| read(&storage, p.label, 1))
            .collect();
        live(&mut storage, &profile, 1, 1).unwrap();
        let changed: Vec<_> = profile
            .partitions
            .iter()
            .zip(before)
            .filter(|(part, bytes)| read(&storage, part.label, 1) != *bytes)
            .map(|(part, _)| part.label)
            .collect();
        assert_eq!(changed, ["persist", "modemst1"]);
    }

    #[test]
    fn our_own_reader_reads_the_table_and_numbers_differ() {
        let numbers = |seed| {
            let storage = made(seed);
            let length = storage.length_bytes();
            let mut head = vec![0; 1 << 20];
            let mut tail = vec![0; 1 << 20];
            storage.read_at(0, &mut head).unwrap();
            storage.read_at(length - (1 << 20), &mut tail).unwrap();
            let table = read_table(&head, &tail, length, 512).unwrap();
            assert_eq!(table.entries.len(), 9);
            table
                .entries
                .iter()
                .map(|entry| entry.number)
                .collect::<Vec<_>>()
        };
        assert_ne!(numbers(1), numbers(2));
    }

    /// The public tools of the trade find no problem. They are part of the test set-up
    /// (`cargo xtask test` installs them).
    #[test]
    fn public_tools_accept_table_and_file_systems() {
        let folder = tempfile::tempdir().unwrap();
        let profile = Profile::gimbal();
        let disk = folder.path().join("disk.img");
        let mut storage = SparseFile::create(&disk, area_bytes(&profile)).unwrap();
        manufacture(&mut storage, &profile, 1, "FL1-220417-0093").unwrap();
        live(&mut storage, &profile, 1, 1).unwrap();
        let table = Command::new("sgdisk")
            .arg("-v")
            .arg(&disk)
            .output()
            .expect("sgdisk is installed");
        let words = String::from_utf8_lossy(&table.stdout).into_owned();
        assert!(words.contains("No problems found"), "{words}");
        for label in ["persist", "system"] {
            let image = folder.path().join(label);
            std::fs::write(&image, read(&storage, label, 1)).unwrap();
            let check = Command::new("fsck.fat")
                .arg("-n")
                .arg(&image)
                .output()
                .expect("fsck.fat is installed");
            let words = String::from_utf8_lossy(&check.stdout).into_owned();
            assert!(check.status.success(), "{label}: {words}");
        }
    }
}
