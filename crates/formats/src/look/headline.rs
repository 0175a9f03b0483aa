//! What was seen, in one line.

use super::{Looked, Properties, Ramdisk, Verification, What};

impl Looked {
    /// One line in the words of the trade, such as `start image of a recovery, build LN3X.7 for
    /// lanneret`. What is wrong is not in it: that stands in the findings.
    #[must_use]
    pub fn headline(&self) -> String {
        let mut line = self.what.headline();
        if let Some(signed) = &self.footer {
            line.push_str(&signature(signed));
        }
        if let [one] = self.inside.as_slice()
            && matches!(self.what, What::Sparse(_) | What::Packed { .. })
        {
            line.push_str(", in it ");
            line.push_str(&one.looked.headline());
        }
        line
    }
}

impl What {
    fn headline(&self) -> String {
        let name = self.name();
        match self {
            Self::StartImage(image) => {
                let of = image.ramdisk.as_ref().map_or_else(String::new, holds);
                let built = image.ramdisk.as_ref().map_or_else(String::new, built);
                format!("{name}{of}, header {}{built}", image.header_version)
            }
            Self::VendorStartImage(image) => {
                let mut disks = image.ramdisks.iter().filter_map(|one| one.ramdisk.as_ref());
                let built =
                    disks.find_map(|disk| Some(built(disk)).filter(|text| !text.is_empty()));
                format!(
                    "{name}, header {}{}",
                    image.header_version,
                    built.unwrap_or_default()
                )
            }
            Self::Ramdisk(disk) => format!("{name}{}{}", holds(disk), built(disk)),
            Self::Properties(one) => format!("{name}{}", of_build(one)),
            Self::Verification(one) => format!(
                "{name} for {} partitions{}",
                one.descriptors
                    .iter()
                    .filter(|one| one.partition().is_some())
                    .count(),
                signature(one)
            ),
            Self::Volumes(container) => {
                let slots = container.metadata_slots.first();
                let count = slots.map_or(0, |slot| slot.volumes.len());
                format!("{name}, {count} volumes")
            }
            Self::Sparse(image) if image.not_said_bytes > 0 => format!(
                "{name} of {} bytes, {} of them not said",
                image.expanded_bytes, image.not_said_bytes
            ),
            Self::Sparse(image) => format!("{name} of {} bytes", image.expanded_bytes),
            Self::Payload(payload) => {
                let kind = if payload.incremental {
                    "incremental"
                } else {
                    "full"
                };
                format!("{kind} {name} of {} partitions", payload.partitions.len())
            }
            Self::Archive(archive) => format!("{name}, {} members", archive.member_count),
            Self::FileSystem(system) if system.label.is_empty() => name.to_owned(),
            Self::FileSystem(system) => format!("{name} `{}`", system.label),
            Self::PartitionTable(table) => format!(
                "{name}, {} partitions in sectors of {}",
                table.partitions.len(),
                table.sector_bytes
            ),
            Self::DeviceTree(tree) => match &tree.model {
                Some(model) => format!("{name} of {model}"),
                None => name.to_owned(),
            },
            Self::Blank { byte } => format!("{name}, nothing but {byte:#04x}"),
            _ => name.to_owned(),
        }
    }
}

fn holds(disk: &Ramdisk) -> String {
    let main = disk.holds.iter().filter(|one| *one != "modules");
    let main: Vec<&str> = main.map(String::as_str).collect();
    if main.is_empty() {
        String::new()
    } else {
        format!(" of a {}", main.join(" and "))
    }
}

/// The build that its property files name: the first one, and how many say another.
fn built(disk: &Ramdisk) -> String {
    disk.properties.first().map_or_else(String::new, of_build)
}

fn of_build(one: &Properties) -> String {
    let build = one.build.as_ref().or(one.incremental.as_ref());
    let build = build.map_or_else(String::new, |build| format!(", build {build}"));
    let device = one
        .device
        .as_ref()
        .map_or_else(String::new, |device| format!(" for {device}"));
    format!("{build}{device}")
}

fn signature(one: &Verification) -> String {
    let key = one.key_sha256.as_deref().and_then(|key| key.get(..8));
    match (one.signature_holds, key) {
        (Some(true), Some(key)) => {
            format!(", index {}, signed by the key {key}…", one.rollback_index)
        }
        (Some(false), _) => format!(
            ", index {}, its signature does not hold",
            one.rollback_index
        ),
        _ => format!(", index {}, not signed", one.rollback_index),
    }
}
