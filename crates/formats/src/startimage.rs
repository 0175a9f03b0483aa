//! Start images of simulated devices and of tests, in the layout that phones share, and what the bench
//! reads of one before it is started or written.
//!
//! The kernel stands for all that runs; the ramdisk is a gzip of a cpio archive with `init`, for a
//! recovery `sbin/recovery`, and `default.prop`, which says what it was built for. The header's digest
//! covers both, so that a changed bit shows.

use std::io::Write as _;

use flate2::{Compression, GzBuilder};
use sha1::{Digest as _, Sha1};

use crate::look::{self, Bytes, Finding, Limits, Looked, Ramdisk, Trouble, Weight, What};

/// What an image says of itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StartImage {
    /// Codename of the device that its property file names.
    pub codename: String,
    /// What it starts: `system`, `stock-recovery` where it says that the maker released it, else
    /// `recovery`.
    pub kind: String,
    /// The build that its property file names.
    pub version: String,
}

/// Why bytes are not a start image that can be relied on.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotAStartImage {
    /// Another file altogether.
    #[error("this is not a start image, it is {0}")]
    Another(&'static str),
    /// It is not whole, or was changed.
    #[error("the start image can't be relied on: {0}")]
    Damaged(String),
    /// No property file names a device and a build.
    #[error("the start image does not say for which device and build it was made")]
    Silent,
}

/// Reads and checks an image; zeros behind it are a partition's slack.
///
/// # Errors
/// See [`NotAStartImage`].
pub fn read_start_image(bytes: &dyn Bytes) -> Result<StartImage, NotAStartImage> {
    of(&look::look(bytes, "", Limits::default()))
}

/// The same, of what was looked into.
///
/// # Errors
/// See [`NotAStartImage`].
pub fn of(looked: &Looked) -> Result<StartImage, NotAStartImage> {
    let What::StartImage(image) = &looked.what else {
        return Err(NotAStartImage::Another(looked.what.name()));
    };
    if let Some(finding) = grave(looked) {
        return Err(NotAStartImage::Damaged(finding.says.clone()));
    }
    starts(image.ramdisk.as_ref().ok_or(NotAStartImage::Silent)?)
}

/// The recovery in the vendor part of a start image, by the property file of its own ramdisk.
///
/// # Errors
/// See [`NotAStartImage`].
pub fn read_recovery_of_vendor_part(bytes: &dyn Bytes) -> Result<StartImage, NotAStartImage> {
    let looked = look::look(bytes, "", Limits::default());
    let What::VendorStartImage(part) = &looked.what else {
        return Err(NotAStartImage::Another(looked.what.name()));
    };
    if let Some(finding) = grave(&looked) {
        return Err(NotAStartImage::Damaged(finding.says.clone()));
    }
    let mut disks = part.ramdisks.iter().filter(|one| one.role == "recovery");
    let disk = disks.find_map(|one| one.ramdisk.as_ref());
    starts(disk.ok_or(NotAStartImage::Silent)?)
}

/// What was found that nothing may rest on: what was not read is no more relied on than what is damaged.
pub(crate) fn grave(looked: &Looked) -> Option<&Finding> {
    let mut findings = looked.findings.iter();
    findings.find(|one| one.weight > Weight::Note || one.trouble == Trouble::NotLookedAt)
}

fn starts(disk: &Ramdisk) -> Result<StartImage, NotAStartImage> {
    let named = disk
        .properties
        .iter()
        .find_map(|one| Some((one, one.device.clone()?, one.build.clone()?)));
    let (properties, codename, version) = named.ok_or(NotAStartImage::Silent)?;
    let is_recovery = disk.holds.iter().any(|one| one == "recovery");
    let kind = match (is_recovery, properties.says_released()) {
        (false, _) => "system",
        (true, true) => "stock-recovery",
        (true, false) => "recovery",
    };
    Ok(StartImage {
        codename,
        kind: kind.to_owned(),
        version,
    })
}

/// Builds an image with a header of version 2 around `payload`.
#[must_use]
pub fn build_start_image(codename: &str, kind: &str, version: &str, payload: &[u8]) -> Vec<u8> {
    build_with_header(2, codename, kind, version, payload)
}

/// What a recovery's property file says of what it was built for.
#[derive(Debug, Clone, Copy, Default)]
pub struct RecoveryWords<'a> {
    /// The device.
    pub codename: &'a str,
    /// The model; not said where it is empty.
    pub model: &'a str,
    /// Its own version.
    pub version: &'a str,
    /// Generation of the system that it decrypts; not said where it is 0.
    pub generation: u32,
}

/// Builds the image of a recovery that says all of `words`.
#[must_use]
pub fn build_recovery(words: RecoveryWords<'_>, payload: &[u8]) -> Vec<u8> {
    let RecoveryWords {
        codename,
        model,
        version,
        generation,
    } = words;
    let mut more = String::new();
    if !model.is_empty() {
        more.push_str(&format!("ro.product.model={model}\n"));
    }
    if generation > 0 {
        more.push_str(&format!("ro.build.version.release={generation}\n"));
    }
    around(
        2,
        codename,
        &ramdisk(codename, "recovery", version, &more),
        payload,
    )
}

/// Page of the images that are built.
const PAGE_BYTES: usize = 2048;
const MAGIC: [u8; 8] = [0x41, 0x4E, 0x44, 0x52, 0x4F, 0x49, 0x44, 0x21];

/// Builds an image with a header of version 0, 1 or 2.
#[must_use]
pub fn build_with_header(
    header: u32,
    codename: &str,
    kind: &str,
    version: &str,
    payload: &[u8],
) -> Vec<u8> {
    around(
        header,
        codename,
        &ramdisk(codename, kind, version, ""),
        payload,
    )
}

/// An image with a header of version 0, 1 or 2 around a kernel and a ramdisk.
fn around(header: u32, codename: &str, ramdisk: &[u8], payload: &[u8]) -> Vec<u8> {
    let length = |part: &[u8]| u32::try_from(part.len()).unwrap_or(u32::MAX).to_le_bytes();
    let mut head = vec![0; PAGE_BYTES];
    head[..8].copy_from_slice(&MAGIC);
    head[8..12].copy_from_slice(&length(payload));
    head[16..20].copy_from_slice(&length(ramdisk));
    head[36..40].copy_from_slice(&2048_u32.to_le_bytes());
    head[40..44].copy_from_slice(&header.to_le_bytes());
    let name = codename.as_bytes();
    let name = &name[..name.len().min(15)];
    head[48..48 + name.len()].copy_from_slice(name);
    let mut hash = Sha1::new();
    let none: &[u8] = &[];
    // Kernel, ramdisk, second stage, and from versions 1 and 2 on the parts that came with them.
    let parts = [payload, ramdisk, none, none, none];
    for part in &parts[..3 + header as usize] {
        hash.update(part);
        hash.update(length(part));
    }
    head[576..596].copy_from_slice(&hash.finalize());
    if header >= 1 {
        let head_bytes: u32 = if header == 1 { 1648 } else { 1660 };
        head[1644..1648].copy_from_slice(&head_bytes.to_le_bytes());
    }
    let mut bytes = head;
    for part in [payload, ramdisk] {
        bytes.extend_from_slice(part);
        bytes.resize(bytes.len().next_multiple_of(PAGE_BYTES), 0);
    }
    bytes
}

/// Page of the images whose header has one length.
const WIDE_PAGE_BYTES: usize = 4096;

/// Builds an image with a header of version 4: a kernel without a ramdisk, or a ramdisk without a kernel.
fn build_one_part(kernel: &[u8], ramdisk: &[u8]) -> Vec<u8> {
    let length = |part: &[u8]| u32::try_from(part.len()).unwrap_or(u32::MAX).to_le_bytes();
    let mut bytes = vec![0; WIDE_PAGE_BYTES];
    bytes[..8].copy_from_slice(&MAGIC);
    bytes[8..12].copy_from_slice(&length(kernel));
    bytes[12..16].copy_from_slice(&length(ramdisk));
    bytes[20..24].copy_from_slice(&1584_u32.to_le_bytes());
    bytes[40..44].copy_from_slice(&4_u32.to_le_bytes());
    for part in [kernel, ramdisk] {
        bytes.extend_from_slice(part);
        bytes.resize(bytes.len().next_multiple_of(WIDE_PAGE_BYTES), 0);
    }
    bytes
}

/// Builds an image with a header of version 4 that holds a kernel and nothing else.
#[must_use]
pub fn build_kernel_alone(payload: &[u8]) -> Vec<u8> {
    build_one_part(payload, &[])
}

/// Builds an image with a header of version 4 that holds the ramdisk of a system and nothing else.
#[must_use]
pub fn build_ramdisk_alone(codename: &str, version: &str) -> Vec<u8> {
    build_one_part(&[], &ramdisk(codename, "system", version, ""))
}

/// Builds the vendor part of a start image, version 4, with its table: the platform's ramdisk, the
/// recovery's, and one of modules.
#[must_use]
pub fn build_vendor_part(codename: &str, version: &str, modules: &[u8]) -> Vec<u8> {
    let mut extra = Vec::new();
    entry(&mut extra, "lib/modules/touch.ko", 0o100_644, modules);
    entry(&mut extra, "TRAILER!!!", 0, &[]);
    let ramdisks = [
        ("", 1_u32, ramdisk(codename, "system", version, "")),
        (
            "recovery",
            2,
            ramdisk(codename, "stock-recovery", version, ""),
        ),
        ("modules", 3, pack(&extra)),
    ];
    let number = |value: usize| u32::try_from(value).unwrap_or(u32::MAX).to_le_bytes();
    let (mut all, mut table) = (Vec::new(), Vec::new());
    for (name, role, bytes) in &ramdisks {
        let mut line = vec![0; 108];
        line[..4].copy_from_slice(&number(bytes.len()));
        line[4..8].copy_from_slice(&number(all.len()));
        line[8..12].copy_from_slice(&role.to_le_bytes());
        line[12..12 + name.len()].copy_from_slice(name.as_bytes());
        table.extend_from_slice(&line);
        all.extend_from_slice(bytes);
    }
    let configuration = format!("androidboot.hardware={codename}\n");
    let mut bytes = vec![0; WIDE_PAGE_BYTES];
    bytes[..8].copy_from_slice(&[0x56, 0x4E, 0x44, 0x52, 0x42, 0x4F, 0x4F, 0x54]);
    let name = &codename.as_bytes()[..codename.len().min(15)];
    bytes[2080..2080 + name.len()].copy_from_slice(name);
    for (at, value) in [
        (8, 4),
        (12, WIDE_PAGE_BYTES),
        (24, all.len()),
        (2096, 2128),
        (2112, table.len()),
        (2116, ramdisks.len()),
        (2120, 108),
        (2124, configuration.len()),
    ] {
        bytes[at..at + 4].copy_from_slice(&number(value));
    }
    for part in [&all, &table, configuration.as_bytes()] {
        bytes.extend_from_slice(part);
        bytes.resize(bytes.len().next_multiple_of(WIDE_PAGE_BYTES), 0);
    }
    bytes
}

/// A ramdisk that starts `kind` on a device; `more` are further lines of its property file.
fn ramdisk(codename: &str, kind: &str, version: &str, more: &str) -> Vec<u8> {
    let keys = if kind == "recovery" {
        "test-keys"
    } else {
        "release-keys"
    };
    let properties = format!(
        "# built for a simulated device\nro.product.device={codename}\nro.build.id={version}\nro.build.tags={keys}\n{more}"
    );
    let mut archive = Vec::new();
    entry(&mut archive, "init", 0o100_755, b"starts\n");
    if kind.ends_with("recovery") {
        entry(&mut archive, "sbin/recovery", 0o100_755, b"recovers\n");
    }
    entry(
        &mut archive,
        "default.prop",
        0o100_644,
        properties.as_bytes(),
    );
    entry(&mut archive, "TRAILER!!!", 0, &[]);
    pack(&archive)
}

fn pack(archive: &[u8]) -> Vec<u8> {
    let mut packed = GzBuilder::new().write(Vec::new(), Compression::default());
    // Writing to memory does not fail.
    let _ = packed.write_all(archive);
    packed.finish().unwrap_or_default()
}

/// One entry of a cpio archive.
fn entry(archive: &mut Vec<u8>, name: &str, mode: u32, bytes: &[u8]) {
    let fields = [
        0,
        mode,
        0,
        0,
        1,
        0,
        u32::try_from(bytes.len()).unwrap_or(u32::MAX),
        0,
        0,
        0,
        0,
        u32::try_from(name.len() + 1).unwrap_or(u32::MAX),
        0,
    ];
    archive.extend_from_slice(b"070701");
    for field in fields {
        archive.extend_from_slice(format!("{field:08X}").as_bytes());
    }
    archive.extend_from_slice(name.as_bytes());
    archive.push(0);
    archive.resize(archive.len().next_multiple_of(4), 0);
    archive.extend_from_slice(bytes);
    archive.resize(archive.len().next_multiple_of(4), 0);
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_of_a_start_are_built_as_they_are_read() {
        let kernel = look::look(&build_kernel_alone(&[7; 9000]), "boot", Limits::default());
        let What::StartImage(image) = &kernel.what else {
            panic!("{:?}", kernel.what)
        };
        assert_eq!((image.header_version, image.kernel_bytes), (4, 9000));
        assert!(image.ramdisk.is_none());
        let alone = build_ramdisk_alone("marl", "9.1");
        let read = read_start_image(&alone).unwrap();
        assert_eq!(
            (read.codename.as_str(), read.kind.as_str()),
            ("marl", "system")
        );
        let vendor = build_vendor_part("marl", "9.1", &[1; 500]);
        let seen = look::look(&vendor, "vendor_boot", Limits::default());
        assert_eq!(seen.findings, []);
        let What::VendorStartImage(part) = &seen.what else {
            panic!("{:?}", seen.what)
        };
        let roles: Vec<&str> = part.ramdisks.iter().map(|one| one.role.as_str()).collect();
        assert_eq!(roles, ["platform", "recovery", "modules"]);
        let holds = part
            .ramdisks
            .iter()
            .map(|one| one.ramdisk.as_ref().unwrap().holds.join(" "));
        assert_eq!(holds.collect::<Vec<_>>(), ["system", "recovery", "modules"]);
        assert_eq!(part.boot_configuration.len(), 1);
        let recovery = read_recovery_of_vendor_part(&vendor).unwrap();
        assert_eq!(
            (recovery.kind.as_str(), recovery.version.as_str()),
            ("stock-recovery", "9.1")
        );
        assert!(
            read_start_image(&vendor).is_err(),
            "it is not started alone"
        );
        assert!(read_recovery_of_vendor_part(&alone).is_err());
    }

    #[test]
    fn what_is_built_is_read_also_with_a_partitions_slack_behind_it() {
        for header in 0..3 {
            for kind in ["recovery", "stock-recovery", "system"] {
                let mut bytes = build_with_header(header, "gimbal", kind, "3.2.0", &[7; 5000]);
                bytes.extend_from_slice(&[0; 900]);
                let image = read_start_image(&bytes).unwrap();
                assert_eq!(
                    (
                        image.codename.as_str(),
                        image.kind.as_str(),
                        image.version.as_str()
                    ),
                    ("gimbal", kind, "3.2.0")
                );
            }
        }
    }

    #[test]
    fn each_kind_of_damage_is_named() {
        let sound = build_start_image("gimbal", "recovery", "3.2.0", &[7; 5000]);
        let another = read_start_image(b"PK\x05\x06");
        assert!(
            matches!(another, Err(NotAStartImage::Another(_))),
            "{another:?}"
        );
        for cut in [1000, 3000, 7000, sound.len() - 2040] {
            let cut = read_start_image(&&sound[..cut]);
            assert!(matches!(cut, Err(NotAStartImage::Damaged(_))), "{cut:?}");
        }
        let little = Limits {
            expanded_bytes: 1000,
            ..Limits::default()
        };
        let unread = of(&look::look(&sound, "", little));
        assert!(
            matches!(unread, Err(NotAStartImage::Damaged(_))),
            "{unread:?}"
        );
        let mut flipped = sound;
        flipped[3000] ^= 4;
        let flipped = read_start_image(&flipped);
        assert!(
            matches!(flipped, Err(NotAStartImage::Damaged(_))),
            "{flipped:?}"
        );
    }
}
