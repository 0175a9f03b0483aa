//! The book of usual labels: what a partition is most likely for that a family does not list (`B5`).
//!
//! It gives a role, and nothing more: it decides what a capture reads, how often, and how many copies of
//! it count. It never makes a partition writable; only a family file does.

use veritope_wire::Label;

use crate::family::{Changes, Role};

use Changes::{Fixed, Living};
use Role::{
    Boot, BootChain, BootControl, Cache, DeviceUnique, LockState, Os, Overlay, RadioFirmware,
    Recovery, Reserve, UserData, Verification,
};

/// Labels by role, without the suffix of a slot or a copy.
const BOOK: &[(Role, Changes, &[&str])] = &[
    (
        BootChain,
        Fixed,
        &[
            "abl",
            "aboot",
            "aop",
            "bl1",
            "bl2",
            "bootloader",
            "cmnlib",
            "cmnlib64",
            "cpucp",
            "devcfg",
            "featenabler",
            "gz",
            "hyp",
            "imagefv",
            "keymaster",
            "keystore_fw",
            "lk",
            "mcupm",
            "pmic",
            "preloader",
            "rpm",
            "sbl1",
            "sbl2",
            "sbl3",
            "scp",
            "shrm",
            "spmfw",
            "sspm",
            "tee",
            "trustzone",
            "tz",
            "uefi",
            "xbl",
            "xbl_config",
        ],
    ),
    (
        Boot,
        Fixed,
        &[
            "boot",
            "init_boot",
            "kernel",
            "vendor_boot",
            "vendor_kernel_boot",
        ],
    ),
    (Overlay, Fixed, &["dtb", "dtbo"]),
    (
        Verification,
        Fixed,
        &["vbmeta", "vbmeta_system", "vbmeta_vendor"],
    ),
    (Recovery, Fixed, &["recovery"]),
    (
        RadioFirmware,
        Fixed,
        &[
            "adsp",
            "bluetooth",
            "cdsp",
            "core_nhlos",
            "dsp",
            "md1dsp",
            "md1img",
            "modem",
            "radio",
        ],
    ),
    (
        Os,
        Fixed,
        &[
            "odm",
            "odm_dlkm",
            "product",
            "super",
            "system",
            "system_dlkm",
            "system_ext",
            "vendor",
            "vendor_dlkm",
        ],
    ),
    (
        DeviceUnique,
        Fixed,
        &[
            "devkey", "fsc", "fsg", "proinfo", "protect1", "protect2", "sec_efs", "vkeys",
        ],
    ),
    (
        DeviceUnique,
        Living,
        &[
            "cpefs", "efs", "modemst1", "modemst2", "nvcfg", "nvdata", "nvram", "persist",
        ],
    ),
    (LockState, Living, &["devinfo", "frp", "seccfg"]),
    (
        BootControl,
        Living,
        &["bootselect", "misc", "para", "param"],
    ),
    (UserData, Living, &["metadata", "userdata"]),
    (
        Cache,
        Living,
        &["cache", "logdump", "logfs", "ramdump", "rawdump"],
    ),
    (
        Reserve,
        Fixed,
        &["pad", "reserve", "reserved", "spare", "unused"],
    ),
];

/// What stands behind a label for another slot or another copy of the same.
const SUFFIXES: &[&str] = &["_a", "_b", "_bak", "bak", "_backup", "backup", "_copy"];

/// What the book says of a label; nothing where it has none.
#[must_use]
pub fn look_up(label: &Label) -> Option<(Role, Changes)> {
    let label = label.as_str().to_ascii_lowercase();
    let known = |name: &str| {
        let entry = BOOK.iter().find(|(_, _, names)| names.contains(&name));
        entry.map(|(role, changes, _)| (*role, *changes))
    };
    // Numbers count what there are several of, once the label itself is none.
    let counted = |name: &str| {
        let bare = name.trim_end_matches(|one: char| one.is_ascii_digit());
        known(bare).filter(|_| bare.len() < name.len())
    };
    let of = |name: &str| known(name).or_else(|| counted(name));
    of(&label).or_else(|| {
        let mut bare = SUFFIXES
            .iter()
            .filter_map(|suffix| label.strip_suffix(suffix));
        bare.find_map(of)
    })
}

/// Every label of the book, with its role.
pub fn labels() -> impl Iterator<Item = (Role, &'static str)> {
    BOOK.iter()
        .flat_map(|(role, _, names)| names.iter().map(|name| (*role, *name)))
}

#[cfg(test)]
mod tests {
    use std::collections::BTreeSet;

    use super::*;
    use crate::family::testing::shipped;

    fn of(label: &str) -> Option<(Role, Changes)> {
        look_up(&label.parse().unwrap())
    }

    #[test]
    fn suffixes_of_slots_and_copies_are_known_and_nothing_else_is_guessed() {
        for (label, role) in [
            ("abl_b", BootChain),
            ("xblbak", BootChain),
            ("tee1", BootChain),
            ("modemst1", DeviceUnique),
            ("PERSIST", DeviceUnique),
            ("vbmeta_system_a", Verification),
            ("reserve2", Reserve),
        ] {
            assert_eq!(of(label).map(|(role, _)| role), Some(role), "{label}");
        }
        for label in ["oem", "mystery", "a", "bak", "persistent", "systemx", "7"] {
            assert_eq!(of(label), None, "{label}");
        }
    }

    #[test]
    fn each_label_stands_there_once() {
        let all: Vec<&str> = labels().map(|(_, label)| label).collect();
        let once: BTreeSet<&&str> = all.iter().collect();
        assert_eq!(once.len(), all.len());
    }

    #[test]
    fn the_page_about_families_lists_them() {
        let page = include_str!("../../../docs/family-format.md");
        let missing: Vec<&str> = labels()
            .map(|(_, label)| label)
            .filter(|label| !page.contains(&format!("`{label}`")))
            .collect();
        assert_eq!(missing, [""; 0]);
    }

    /// Where a family lists what the book has, they say the same: a mistake in either shows.
    #[test]
    fn the_families_agree_with_the_book() {
        for codename in [
            "saltern", "kelpie", "lodestar", "mooring", "thimble", "gimbal", "cinder",
        ] {
            for spec in &shipped(codename).partitions {
                if let Some((role, changes)) = look_up(&spec.label) {
                    assert_eq!(role, spec.role, "{codename} {}", spec.label);
                    if role == DeviceUnique {
                        assert_eq!(changes, spec.changes, "{codename} {}", spec.label);
                    }
                }
            }
        }
    }
}
