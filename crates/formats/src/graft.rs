//! A recovery put into what starts a device: the ramdisk of the one, everything else of the other.

use serde::{Deserialize, Serialize};
use sha1::{Digest as _, Sha1};

use crate::look::{Limits, Looked, StartImage, VendorStart, What, look};
use crate::startimage::{self, NotAStartImage};

/// What of an image the recovery's ramdisk takes the place of.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Replaces {
    /// The ramdisk of a start image.
    Ramdisk,
    /// The recovery in the table of ramdisks of a vendor part.
    VendorRamdisk,
}

/// Where the header has a number.
const IDENTITY: std::ops::Range<usize> = 576..608;
const OVERLAY_PLACE_AT: usize = 1636;
const SIGNATURE_AT: usize = 1580;
const VENDOR_RAMDISKS_AT: usize = 24;
const ENTRY_BYTES_AT: usize = 2120;
const RECOVERY: u32 = 2;

/// `own`, a partition whole, with the ramdisk of `recovery` in place of what `replaces` names. Every other part
/// is the same to the byte; what was signed or noted of the old whole (a signature, a footer, a digest in the
/// header) is made anew where it is made in one way only, and left out where not. As long as `own`.
///
/// # Errors
/// In a sentence without a full stop: either is not such an image or can't be relied on, or the result is longer
/// than the partition.
pub fn graft(own: &[u8], recovery: &[u8], replaces: Replaces) -> Result<Vec<u8>, String> {
    let disk = ramdisk_of(recovery).map_err(|why| format!("of the recovery: {why}"))?;
    let looked = look(&own, "", Limits::default());
    if let Some(finding) = startimage::grave(&looked) {
        return Err(format!(
            "what lies there can't be relied on: {}",
            finding.says
        ));
    }
    let mut made = match (&looked.what, replaces) {
        (What::StartImage(image), Replaces::Ramdisk) => in_start_image(own, image, disk),
        (What::VendorStartImage(part), Replaces::VendorRamdisk) => in_vendor_part(own, part, disk),
        (other, _) => Err(format!(
            "what lies there takes no recovery: it is {}",
            other.name()
        )),
    }?;
    if made.len() > own.len() {
        return Err(format!(
            "with the recovery in it it would be {} bytes long, and the partition has {}",
            made.len(),
            own.len()
        ));
    }
    made.resize(own.len(), 0);
    holds(&made, replaces)?;
    Ok(made)
}

/// Whether an image holds the ramdisk of `recovery` where `replaces` says.
#[must_use]
pub fn is_in(own: &[u8], recovery: &[u8], replaces: Replaces) -> bool {
    let Ok(disk) = ramdisk_of(recovery) else {
        return false;
    };
    let looked = look(&own, "", Limits::default());
    match (&looked.what, replaces) {
        (What::StartImage(image), Replaces::Ramdisk) => {
            parts(own, image).is_ok_and(|parts| parts.ramdisk == disk)
        }
        (What::VendorStartImage(part), Replaces::VendorRamdisk) => {
            let mut all = ramdisks(own, part).into_iter().flatten();
            all.any(|one| one.role == RECOVERY && one.bytes == disk)
        }
        _ => false,
    }
}

/// What was made is what was meant.
fn holds(made: &[u8], replaces: Replaces) -> Result<(), String> {
    let read = match replaces {
        Replaces::Ramdisk => startimage::read_start_image(&made),
        Replaces::VendorRamdisk => startimage::read_recovery_of_vendor_part(&made),
    };
    match read {
        Ok(_) | Err(NotAStartImage::Silent) => Ok(()),
        Err(error) => Err(format!("what was made does not hold: {error}")),
    }
}

fn ramdisk_of(recovery: &[u8]) -> Result<&[u8], String> {
    let looked: Looked = look(&recovery, "", Limits::default());
    if let Some(finding) = startimage::grave(&looked) {
        return Err(finding.says.clone());
    }
    let What::StartImage(image) = &looked.what else {
        return Err(format!(
            "it is no start image, it is {}",
            looked.what.name()
        ));
    };
    let is_recovery = image
        .ramdisk
        .as_ref()
        .is_some_and(|disk| disk.holds.iter().any(|one| one == "recovery"));
    if !is_recovery {
        return Err("its ramdisk holds no recovery".to_owned());
    }
    Ok(parts(recovery, image)?.ramdisk)
}

/// The parts of a start image, in their order.
struct Parts<'a> {
    kernel: &'a [u8],
    ramdisk: &'a [u8],
    second: &'a [u8],
    old_tree: &'a [u8],
    overlay: &'a [u8],
    tree: &'a [u8],
}

fn parts<'a>(bytes: &'a [u8], image: &StartImage) -> Result<Parts<'a>, String> {
    if !image.inner_heads.is_empty() {
        return Err("its parts have heads of their own, which are not made anew".to_owned());
    }
    let mut at = u64::from(image.page_bytes);
    let mut next = |length: u64| {
        let part = slice(bytes, at, length);
        at = (at + length).next_multiple_of(u64::from(image.page_bytes));
        part
    };
    let (old, new) = match image.header_version {
        0 => (image.device_tree_bytes, 0),
        _ => (0, image.device_tree_bytes),
    };
    Ok(Parts {
        kernel: next(image.kernel_bytes)?,
        ramdisk: next(image.ramdisk_bytes)?,
        second: next(image.second_bytes)?,
        old_tree: next(old)?,
        overlay: next(image.recovery_overlay_bytes)?,
        tree: next(new)?,
    })
}

fn slice(bytes: &[u8], at: u64, length: u64) -> Result<&[u8], String> {
    let from = usize::try_from(at).ok();
    let to = at
        .checked_add(length)
        .and_then(|to| usize::try_from(to).ok());
    from.zip(to)
        .and_then(|(from, to)| bytes.get(from..to))
        .ok_or_else(|| "it is cut short".to_owned())
}

fn number(length: usize) -> Result<[u8; 4], String> {
    u32::try_from(length)
        .map(u32::to_le_bytes)
        .map_err(|_| "a part is too long".to_owned())
}

fn set(head: &mut [u8], at: usize, value: &[u8]) -> Result<(), String> {
    let place = head.get_mut(at..at + value.len());
    place
        .ok_or_else(|| "the header is cut short".to_owned())?
        .copy_from_slice(value);
    Ok(())
}

/// Each on a page of its own.
fn append(made: &mut Vec<u8>, page: usize, parts: &[&[u8]]) {
    for part in parts {
        made.extend_from_slice(part);
        made.resize(made.len().next_multiple_of(page), 0);
    }
}

fn in_start_image(own: &[u8], image: &StartImage, disk: &[u8]) -> Result<Vec<u8>, String> {
    let was = parts(own, image)?;
    let page = image.page_bytes as usize;
    let head = own.get(..page).ok_or("the header is cut short")?;
    let mut made = head.to_vec();
    let version = image.header_version;
    set(
        &mut made,
        if version < 3 { 16 } else { 12 },
        &number(disk.len())?,
    )?;
    if version == 4 {
        // It was made over the whole as it was.
        set(&mut made, SIGNATURE_AT, &number(0)?)?;
    }
    let now = Parts {
        ramdisk: disk,
        ..was
    };
    append(
        &mut made,
        page,
        &[now.kernel, disk, now.second, now.old_tree],
    );
    let overlay_at = made.len() as u64;
    append(&mut made, page, &[now.overlay, now.tree]);
    if version < 3 {
        if !now.overlay.is_empty() {
            set(&mut made, OVERLAY_PLACE_AT, &overlay_at.to_le_bytes())?;
        }
        let was = parts(own, image)?;
        let said = own.get(IDENTITY).ok_or("the header is cut short")?;
        let both = [false, true].into_iter();
        let how = both
            .filter_map(|with_tree| Some((with_tree, identity(&was, version, with_tree).ok()?)));
        let known = how.into_iter().find(|(_, digest)| digest[..] == said[..20]);
        let mut digest = [0; 32];
        if let Some((with_tree, _)) = known.filter(|_| said[20..].iter().all(|byte| *byte == 0)) {
            digest[..20].copy_from_slice(&identity(&now, version, with_tree)?);
        }
        set(&mut made, IDENTITY.start, &digest)?;
    }
    Ok(made)
}

/// The header's digest of its parts: each part, then its length in 32 bits.
fn identity(parts: &Parts<'_>, version: u32, with_old_tree: bool) -> Result<[u8; 20], String> {
    let mut hash = Sha1::new();
    let newer = [parts.overlay, parts.tree];
    let old = with_old_tree.then_some(parts.old_tree);
    let counted = [parts.kernel, parts.ramdisk, parts.second]
        .into_iter()
        .chain(old.filter(|_| version == 0))
        .chain(newer.into_iter().take(version as usize));
    for part in counted {
        hash.update(part);
        hash.update(number(part.len())?);
    }
    Ok(hash.finalize().into())
}

/// One line of the table of ramdisks.
struct Line<'a> {
    head: &'a [u8],
    role: u32,
    bytes: &'a [u8],
}

fn u32_at(bytes: &[u8], at: usize) -> Result<u32, String> {
    let number = bytes.get(at..at + 4).and_then(|four| four.try_into().ok());
    number
        .map(u32::from_le_bytes)
        .ok_or_else(|| "it is cut short".to_owned())
}

/// Where ramdisks, device trees and the table lie.
fn places(own: &[u8], part: &VendorStart) -> Result<[(u64, u64); 4], String> {
    let page = u64::from(part.page_bytes);
    let mut at = 2128_u64.next_multiple_of(page);
    let lengths = [
        part.ramdisk_bytes,
        part.device_tree_bytes,
        u32_at(own, 2112)?.into(),
        u32_at(own, 2124)?.into(),
    ];
    Ok(lengths.map(|length| {
        let place = (at, length);
        at += length.next_multiple_of(page);
        place
    }))
}

fn ramdisks<'a>(own: &'a [u8], part: &VendorStart) -> Result<Vec<Line<'a>>, String> {
    if part.header_version != 4 {
        return Err("its ramdisks have no table, so none of them can be replaced".to_owned());
    }
    let [(all_at, all_bytes), _, (table_at, table_bytes), _] = places(own, part)?;
    let all = slice(own, all_at, all_bytes)?;
    let table = slice(own, table_at, table_bytes)?;
    let width = u32_at(own, ENTRY_BYTES_AT)? as usize;
    let line = |index: usize| {
        let head = table
            .get(index * width..(index + 1) * width)
            .ok_or("its table is cut short")?;
        let (length, offset) = (u32_at(head, 0)?, u32_at(head, 4)?);
        Ok(Line {
            head,
            role: u32_at(head, 8)?,
            bytes: slice(all, offset.into(), length.into())?,
        })
    };
    (0..part.ramdisks.len()).map(line).collect()
}

fn in_vendor_part(own: &[u8], part: &VendorStart, disk: &[u8]) -> Result<Vec<u8>, String> {
    let lines = ramdisks(own, part)?;
    if lines.iter().filter(|one| one.role == RECOVERY).count() != 1 {
        return Err("its table does not name one recovery, and one only".to_owned());
    }
    let (mut all, mut table) = (Vec::new(), Vec::new());
    for line in &lines {
        let bytes = if line.role == RECOVERY {
            disk
        } else {
            line.bytes
        };
        let mut head = line.head.to_vec();
        set(&mut head, 0, &number(bytes.len())?)?;
        set(&mut head, 4, &number(all.len())?)?;
        table.extend_from_slice(&head);
        all.extend_from_slice(bytes);
    }
    let [(first, _), (trees_at, trees), _, (lines_at, configuration)] = places(own, part)?;
    let page = part.page_bytes as usize;
    let mut made = slice(own, 0, first)?.to_vec();
    set(&mut made, VENDOR_RAMDISKS_AT, &number(all.len())?)?;
    let rest = [
        &all[..],
        slice(own, trees_at, trees)?,
        &table,
        slice(own, lines_at, configuration)?,
    ];
    append(&mut made, page, &rest);
    Ok(made)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::startimage::{
        build_kernel_alone, build_vendor_part, build_with_header, read_start_image,
    };

    fn padded(mut bytes: Vec<u8>) -> Vec<u8> {
        bytes.resize(bytes.len() + (64 << 10), 0);
        bytes
    }

    fn image_of(bytes: &[u8]) -> StartImage {
        match look(&bytes, "", Limits::default()).what {
            What::StartImage(image) => *image,
            other => panic!("{other:?}"),
        }
    }

    #[test]
    fn the_ramdisk_is_the_recoverys_and_everything_else_the_units() {
        let recovery = build_with_header(2, "marl", "recovery", "3.4.1", &[9; 3000]);
        for header in 0..3 {
            let own = padded(build_with_header(
                header, "marl", "system", "9.1", &[7; 5000],
            ));
            assert!(!is_in(&own, &recovery, Replaces::Ramdisk));
            let made = graft(&own, &recovery, Replaces::Ramdisk).unwrap();
            assert_eq!(made.len(), own.len());
            let (was, is) = (image_of(&own), image_of(&made));
            assert_eq!(look(&made, "", Limits::default()).findings, []);
            assert_eq!(
                parts(&own, &was).unwrap().kernel,
                parts(&made, &is).unwrap().kernel
            );
            assert_ne!(was.identity, is.identity, "over the parts as they are now");
            let read = read_start_image(&made).unwrap();
            assert_eq!(
                (read.kind.as_str(), read.version.as_str()),
                ("recovery", "3.4.1")
            );
            assert!(is_in(&made, &recovery, Replaces::Ramdisk));
            // Once more is the same.
            assert_eq!(graft(&made, &recovery, Replaces::Ramdisk).unwrap(), made);
        }
    }

    #[test]
    fn one_ramdisk_of_the_table_is_replaced_and_the_others_stay() {
        let recovery = build_with_header(2, "marl", "recovery", "3.4.1", &[9; 3000]);
        let own = padded(build_vendor_part("marl", "9.1", &[1; 9000]));
        let made = graft(&own, &recovery, Replaces::VendorRamdisk).unwrap();
        let looked = look(&made, "", Limits::default());
        assert_eq!(looked.findings, []);
        let vendor = |bytes: &[u8]| match look(&bytes, "", Limits::default()).what {
            What::VendorStartImage(part) => *part,
            other => panic!("{other:?}"),
        };
        let (was, is) = (vendor(&own), vendor(&made));
        assert_eq!(was.boot_configuration, is.boot_configuration);
        let (was, is) = (ramdisks(&own, &was).unwrap(), ramdisks(&made, &is).unwrap());
        for (was, is) in was.iter().zip(&is) {
            assert_eq!(was.role, is.role);
            assert_eq!(was.bytes == is.bytes, was.role != RECOVERY);
        }
        let read = startimage::read_recovery_of_vendor_part(&made).unwrap();
        assert_eq!(
            (read.kind.as_str(), read.version.as_str()),
            ("recovery", "3.4.1")
        );
        assert!(is_in(&made, &recovery, Replaces::VendorRamdisk));
    }

    #[test]
    fn what_takes_no_recovery_says_so() {
        let recovery = build_with_header(2, "marl", "recovery", "3.4.1", &[9; 3000]);
        let system = build_with_header(2, "marl", "system", "9.1", &[7; 5000]);
        let refused =
            |own: &[u8], recovery: &[u8], replaces| graft(own, recovery, replaces).unwrap_err();
        let vendor = build_vendor_part("marl", "9.1", &[1; 500]);
        let cases = [
            refused(&[0; 8192], &recovery, Replaces::Ramdisk),
            refused(&system, &system, Replaces::Ramdisk),
            refused(&system, b"PK\x05\x06", Replaces::Ramdisk),
            refused(&vendor, &recovery, Replaces::Ramdisk),
            refused(&system, &recovery, Replaces::VendorRamdisk),
            refused(&system[..3000], &recovery, Replaces::Ramdisk),
            refused(
                &build_kernel_alone(&[7; 5000]),
                &recovery,
                Replaces::Ramdisk,
            ),
        ];
        for (case, says) in cases.iter().zip([
            "takes no recovery",
            "holds no recovery",
            "of the recovery: ",
            "takes no recovery",
            "takes no recovery",
            "can't be relied on",
            "bytes long, and the partition has",
        ]) {
            assert!(case.contains(says), "{case}");
        }
        let cut = &vendor[..vendor.len() - 4096];
        assert!(graft(cut, &recovery, Replaces::VendorRamdisk).is_err());
    }
}
