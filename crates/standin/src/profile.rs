//! What a simulated device is made of. These profiles are the stand-in's own: they are not read
//! from `families/`, so that a mistake in a family file shows as a disagreement.

use crate::scheme::{Opening, Scheme};

/// What a partition holds when it leaves the factory.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Content {
    /// Nothing.
    Zero,
    /// Code, the same in every unit.
    Firmware,
    /// What the maker signs of all that is the same in every unit.
    Metadata,
    /// The metadata of some volumes, which a key of its own signs.
    Delegated {
        /// The key's name.
        key: &'static str,
        /// Volumes, without their slot.
        of: &'static [&'static str],
    },
    /// A start image with a kernel and no ramdisk.
    Kernel,
    /// A start image with the system's ramdisk and no kernel.
    Ramdisk,
    /// The vendor part of a start image, with the recovery's ramdisk.
    VendorPart,
    /// Logical volumes: their names, and their sizes in MiB.
    Container(&'static [(&'static str, u64)]),
    /// An image that the bootloader starts.
    Image {
        /// What it starts.
        kind: &'static str,
    },
    /// Bytes of this unit alone; the running system rewrites a part.
    UnitNoise,
    /// Bytes of this unit alone that never change.
    Fixed,
    /// A file system with this unit's calibration; the running system writes to it.
    Calibration,
    /// A file system with the system.
    System,
    /// User data, which is encrypted.
    Encrypted,
}

impl Content {
    /// Whether the maker signs it.
    pub(crate) fn is_signed(self) -> bool {
        matches!(
            self,
            Self::Firmware
                | Self::Image { .. }
                | Self::System
                | Self::Kernel
                | Self::Ramdisk
                | Self::VendorPart
        )
    }
}

/// A partition.
#[derive(Debug, Clone, Copy)]
pub struct Part {
    /// Label in the table.
    pub label: &'static str,
    /// Size in MiB.
    pub mib: u64,
    /// What it holds.
    pub content: Content,
    /// The storage area that it lies in; 0 is the main one.
    pub area: u32,
}

/// How long things take, in seconds of device time.
#[derive(Debug, Clone, Copy)]
pub struct Durations {
    /// Into the bootloader.
    pub bootloader: i64,
    /// A usual start of the system.
    pub system: i64,
    /// The first start after an erase.
    pub first_start: i64,
    /// Starting a recovery from memory.
    pub recovery: i64,
    /// The erase of an unlock.
    pub erase: i64,
}

/// A kind of device.
#[derive(Debug, Clone)]
pub struct Profile {
    /// What it calls itself.
    pub codename: &'static str,
    /// Model code.
    pub model_code: &'static str,
    /// Build it ships with.
    pub build: &'static str,
    /// Version of the header of its start images, 0 to 2 or 4.
    pub header: u32,
    /// How many times larger than usual system and user data are.
    pub size_scale: u32,
    /// Bytes in a sector.
    pub sector_bytes: u64,
    /// Partitions in disk order, area by area; none where only the fact side is simulated.
    pub partitions: Vec<Part>,
    /// Partitions that an unlock erases.
    pub unlock_erases: &'static [&'static str],
    /// The form of the unlock command that it knows.
    pub unlock_form: &'static str,
    /// Durations.
    pub durations: Durations,
    /// Thousandths of a battery that an hour takes in bootloader mode, in a recovery, and that an
    /// hour of charging in the running system gives.
    pub battery_per_hour: (i64, i64, i64),
}

impl Profile {
    /// The watch on a dock.
    #[must_use]
    pub fn gimbal() -> Self {
        Self {
            codename: "gimbal",
            model_code: "FL-1",
            build: "loop-4.1.7-20261011",
            header: 0,
            size_scale: 1,
            sector_bytes: 512,
            partitions: parts("gimbal"),
            unlock_erases: &["userdata", "cache"],
            unlock_form: "newer",
            durations: Durations {
                bootloader: 8,
                system: 30,
                first_start: 110,
                recovery: 12,
                erase: 25,
            },
            battery_per_hour: (200, 160, 350),
        }
    }

    /// The same kind of device with `factor` times the room for system and user data.
    #[must_use]
    pub fn scaled(mut self, factor: u32) -> Self {
        for part in &mut self.partitions {
            if matches!(part.content, Content::System | Content::Encrypted) {
                part.mib *= u64::from(factor.max(1));
            }
        }
        self.size_scale *= factor.max(1);
        self
    }

    /// A phone, or what is like one.
    fn of(scheme: &'static Scheme) -> Self {
        Self {
            codename: scheme.codename,
            model_code: scheme.models.first().copied().unwrap_or(""),
            build: scheme.builds.first().map_or("", |build| build.id),
            header: match scheme.codename {
                "mooring" | "thimble" => 0,
                "kelpie" => 1,
                "halyard" => 4,
                _ => 2,
            },
            size_scale: 1,
            sector_bytes: if scheme.codename == "cinder" {
                4096
            } else {
                512
            },
            partitions: parts(scheme.codename),
            unlock_erases: match scheme.codename {
                "lodestar" => &["userdata", "cache", "vkeys"],
                _ => &["userdata", "cache"],
            },
            unlock_form: match scheme.opening {
                Opening::Command { form } => form,
                Opening::Token => "token",
                Opening::LongPress | Opening::NoLock => "",
            },
            durations: Durations {
                bootloader: 10,
                system: 35,
                first_start: 150,
                recovery: 15,
                erase: 30,
            },
            battery_per_hour: (220, 170, 300),
        }
    }

    /// The profile with this codename.
    #[must_use]
    pub fn named(codename: &str) -> Option<Self> {
        if codename == "gimbal" {
            return Some(Self::gimbal());
        }
        Scheme::named(codename).map(Self::of)
    }

    /// The same kind of device under another model code of its family.
    #[must_use]
    pub fn variant(mut self, model: &str) -> Option<Self> {
        let scheme = Scheme::named(self.codename)?;
        self.model_code = scheme.models.iter().find(|known| **known == model)?;
        Some(self)
    }

    /// The same kind of device on another build of its family.
    #[must_use]
    pub fn on_build(mut self, build: &str) -> Option<Self> {
        let scheme = Scheme::named(self.codename)?;
        self.build = scheme.build(build)?.id;
        Some(self)
    }

    /// The same kind of device without bytes: screens, settings, lock and link.
    #[must_use]
    pub fn without_bytes(mut self) -> Self {
        self.partitions.clear();
        self
    }

    /// The same kind of device with no partition larger than one MiB but for what holds volumes, which
    /// don't shrink, and for a recovery that the maker's whole package brings; for runs by the thousand.
    #[must_use]
    pub fn small(mut self) -> Self {
        let scheme = Scheme::named(self.codename);
        let is_brought = scheme.is_some_and(Scheme::has_card);
        for part in &mut self.partitions {
            let is_kept = is_brought && part.label == "recovery";
            if !is_kept && !matches!(part.content, Content::Container(_)) {
                part.mib = 1;
            }
        }
        self
    }

    /// Whether only the fact side is simulated.
    #[must_use]
    pub fn is_facts_only(&self) -> bool {
        self.partitions.is_empty()
    }
}

/// What the factory lays out for a family, in disk order.
fn parts(codename: &str) -> Vec<Part> {
    use Content::{Calibration, Encrypted, Firmware, Metadata, System, UnitNoise, Zero};
    const SYSTEM: Content = Content::Image { kind: "system" };
    const STOCK_RECOVERY: Content = Content::Image {
        kind: "stock-recovery",
    };
    let main: &[(&'static str, u64, Content)] = match codename {
        "saltern" => &[
            ("xbl_a", 2, Firmware),
            ("xbl_b", 2, Zero),
            ("abl_a", 1, Firmware),
            ("abl_b", 1, Zero),
            ("boot_a", 24, SYSTEM),
            ("boot_b", 24, Zero),
            ("dtbo_a", 4, Firmware),
            ("dtbo_b", 4, Zero),
            ("vbmeta_a", 1, Metadata),
            ("vbmeta_b", 1, Zero),
            ("modem_a", 32, Firmware),
            ("modem_b", 32, Zero),
            ("system_a", 96, System),
            ("system_b", 96, Zero),
            ("vendor_a", 40, System),
            ("vendor_b", 40, Zero),
            ("persist", 8, Calibration),
            ("modemst1", 2, UnitNoise),
            ("modemst2", 2, UnitNoise),
            ("fsg", 2, Content::Fixed),
            ("fsc", 1, Zero),
            ("devinfo", 1, Content::Fixed),
            ("frp", 1, Zero),
            ("misc", 1, Zero),
            ("userdata", 128, Encrypted),
        ],
        "kelpie" => &[
            ("bootloader", 4, Firmware),
            ("param", 2, Content::Fixed),
            ("efs", 8, Calibration),
            ("sec_efs", 4, Content::Fixed),
            ("cpefs", 4, UnitNoise),
            ("boot", 24, SYSTEM),
            ("recovery", 28, STOCK_RECOVERY),
            ("dtbo", 4, Firmware),
            ("vbmeta", 1, Metadata),
            ("radio", 32, Firmware),
            ("system", 128, System),
            ("vendor", 48, System),
            ("product", 32, System),
            ("cache", 16, Zero),
            ("misc", 1, Zero),
            ("frp", 1, Zero),
            ("userdata", 160, Encrypted),
        ],
        "lodestar" => &[
            ("sbl1", 2, Firmware),
            ("aboot", 2, Firmware),
            ("boot", 20, SYSTEM),
            ("recovery", 20, STOCK_RECOVERY),
            ("modem", 32, Firmware),
            ("modemst1", 2, UnitNoise),
            ("modemst2", 2, UnitNoise),
            ("fsg", 2, Content::Fixed),
            ("persist", 8, Calibration),
            ("vkeys", 4, Content::Fixed),
            ("system", 112, System),
            ("cache", 16, Zero),
            ("misc", 1, Zero),
            ("userdata", 128, Encrypted),
        ],
        "mooring" => &[
            ("xbl", 2, Firmware),
            ("aboot", 2, Firmware),
            ("boot", 24, SYSTEM),
            ("recovery", 24, STOCK_RECOVERY),
            ("modem", 32, Firmware),
            ("modemst1", 2, UnitNoise),
            ("modemst2", 2, UnitNoise),
            ("fsg", 2, Content::Fixed),
            ("persist", 8, Calibration),
            ("system", 128, System),
            ("cache", 16, Zero),
            ("devinfo", 1, Content::Fixed),
            ("misc", 1, Zero),
            ("userdata", 128, Encrypted),
        ],
        "thimble" => &[
            ("lk", 1, Firmware),
            ("proinfo", 3, Content::Fixed),
            ("nvram", 5, UnitNoise),
            ("nvdata", 16, Calibration),
            ("protect1", 8, Content::Fixed),
            ("protect2", 8, Content::Fixed),
            ("devkey", 1, Content::Fixed),
            ("boot", 16, SYSTEM),
            ("recovery", 16, STOCK_RECOVERY),
            ("system", 96, System),
            ("cache", 16, Zero),
            ("userdata", 96, Encrypted),
        ],
        "gimbal" => &[
            ("aboot", 1, Firmware),
            ("boot", 12, SYSTEM),
            ("recovery", 12, STOCK_RECOVERY),
            ("persist", 4, Calibration),
            ("modemst1", 1, UnitNoise),
            ("system", 60, System),
            ("cache", 8, Zero),
            ("misc", 1, Zero),
            ("userdata", 40, Encrypted),
        ],
        "cinder" => &[
            ("boot", 24, SYSTEM),
            ("recovery", 32, STOCK_RECOVERY),
            ("dtbo", 4, Firmware),
            ("vbmeta", 1, Metadata),
            ("modem", 32, Firmware),
            ("modemst1", 2, UnitNoise),
            ("modemst2", 2, UnitNoise),
            ("fsg", 2, Content::Fixed),
            ("persist", 8, Calibration),
            ("system", 112, System),
            ("vendor", 48, System),
            ("cache", 16, Zero),
            ("devinfo", 1, Content::Fixed),
            ("misc", 1, Zero),
            ("userdata", 128, Encrypted),
        ],
        "halyard" => HALYARD,
        _ => &[],
    };
    let second: &[(&'static str, u64, Content)] = match codename {
        "cinder" => &[("xbl", 2, Firmware), ("abl", 1, Firmware)],
        "thimble" => &[("preloader", 1, Firmware)],
        _ => &[],
    };
    let of = |area| {
        move |&(label, mib, content): &(&'static str, u64, Content)| Part {
            label,
            mib,
            content,
            area,
        }
    };
    main.iter()
        .map(of(0))
        .chain(second.iter().map(of(1)))
        .collect()
}

/// Logical volumes as shipped: those of the other slot don't exist before an install makes them.
const VOLUMES: &[(&str, u64)] = &[
    ("system_a", 96),
    ("vendor_a", 40),
    ("product_a", 48),
    ("odm_a", 8),
];

/// A phone as they are made now: half of its partitions are on nobody's list, a third of those hold nothing.
const HALYARD: &[(&str, u64, Content)] = {
    use Content::{Firmware, Metadata, Zero};
    &[
        ("xbl_a", 2, Firmware),
        ("xbl_b", 2, Zero),
        ("abl_a", 1, Firmware),
        ("abl_b", 1, Zero),
        ("boot_a", 24, Content::Kernel),
        ("boot_b", 24, Zero),
        ("init_boot_a", 8, Content::Ramdisk),
        ("init_boot_b", 8, Zero),
        ("vendor_boot_a", 24, Content::VendorPart),
        ("vendor_boot_b", 24, Zero),
        ("dtbo_a", 4, Firmware),
        ("dtbo_b", 4, Zero),
        ("vbmeta_a", 1, Metadata),
        ("vbmeta_b", 1, Zero),
        (
            "vbmeta_system_a",
            1,
            Content::Delegated {
                key: "halyard-system",
                of: &["system", "product"],
            },
        ),
        ("vbmeta_system_b", 1, Zero),
        (
            "vbmeta_vendor_a",
            1,
            Content::Delegated {
                key: "halyard-vendor",
                of: &["vendor", "odm"],
            },
        ),
        ("vbmeta_vendor_b", 1, Zero),
        ("modem_a", 32, Firmware),
        ("modem_b", 32, Zero),
        ("bluetooth_a", 2, Firmware),
        ("bluetooth_b", 2, Zero),
        ("dsp_a", 8, Firmware),
        ("dsp_b", 8, Zero),
        ("tz_a", 1, Firmware),
        ("tz_b", 1, Zero),
        ("hyp_a", 1, Firmware),
        ("hyp_b", 1, Zero),
        ("keymaster_a", 1, Firmware),
        ("keymaster_b", 1, Zero),
        ("devcfg_a", 1, Firmware),
        ("devcfg_b", 1, Zero),
        ("cmnlib_a", 1, Firmware),
        ("cmnlib_b", 1, Zero),
        ("aop_a", 1, Firmware),
        ("aop_b", 1, Zero),
        ("featenabler_a", 1, Firmware),
        ("featenabler_b", 1, Zero),
        ("imagefv_a", 1, Firmware),
        ("imagefv_b", 1, Zero),
        ("uefi_a", 1, Firmware),
        ("uefi_b", 1, Zero),
        ("panelcfg_a", 1, Firmware),
        ("panelcfg_b", 1, Zero),
        ("touchfw_a", 1, Firmware),
        ("touchfw_b", 1, Zero),
        ("super", 240, Content::Container(VOLUMES)),
        ("metadata", 4, Content::Encrypted),
        ("persist", 8, Content::Calibration),
        ("modemst1", 2, Content::UnitNoise),
        ("modemst2", 2, Content::UnitNoise),
        ("fsg", 2, Content::Fixed),
        ("fsc", 1, Zero),
        ("devinfo", 1, Content::Fixed),
        ("frp", 1, Zero),
        ("misc", 1, Zero),
        ("logfs", 2, Zero),
        ("audiocal", 1, Content::Fixed),
        ("camcal", 1, Content::Fixed),
        ("tintcal", 1, Content::Fixed),
        ("secdata", 1, Content::Fixed),
        ("hearth", 1, Content::Fixed),
        ("lamplog", 1, Content::UnitNoise),
        ("wavebox", 1, Content::Fixed),
        ("tidepool", 1, Content::UnitNoise),
        ("dunnage", 1, Content::Fixed),
        ("bilge", 1, Content::Fixed),
        ("keelson", 1, Content::Fixed),
        ("gunwale", 1, Content::Fixed),
        ("ballast", 1, Zero),
        ("stowage", 72, Content::Fixed),
        ("userdata", 128, Content::Encrypted),
    ]
};
