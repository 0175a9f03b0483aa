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
    /// An image that the bootloader starts.
    Image {
        /// What it starts.
        kind: &'static str,
    },
    /// Bytes of this unit alone; the running system rewrites a part.
    UnitNoise,
    /// A file system with this unit's calibration; the running system writes to it.
    Calibration,
    /// A file system with the system.
    System,
    /// User data, which is encrypted.
    Encrypted,
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
    /// How many times larger than usual system and user data are.
    pub size_scale: u32,
    /// Partitions in disk order; none for families of which only the fact side is simulated.
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
        let part = |label, mib, content| Part {
            label,
            mib,
            content,
        };
        Self {
            codename: "gimbal",
            model_code: "FL-1",
            build: "loop-4.1.7-20261011",
            size_scale: 1,
            partitions: vec![
                part("aboot", 1, Content::Firmware),
                part("boot", 12, Content::Image { kind: "system" }),
                part(
                    "recovery",
                    12,
                    Content::Image {
                        kind: "stock-recovery",
                    },
                ),
                part("persist", 4, Content::Calibration),
                part("modemst1", 1, Content::UnitNoise),
                part("system", 60, Content::System),
                part("cache", 8, Content::Zero),
                part("misc", 1, Content::Zero),
                part("userdata", 40, Content::Encrypted),
            ],
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

    /// The fact side of a family: screens, settings, lock and link, without bytes.
    #[must_use]
    fn facts_of(scheme: &'static Scheme) -> Self {
        Self {
            codename: scheme.codename,
            model_code: scheme.models.first().copied().unwrap_or(""),
            build: scheme.builds.first().map_or("", |build| build.id),
            size_scale: 1,
            partitions: Vec::new(),
            unlock_erases: &[],
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
        Scheme::named(codename).map(Self::facts_of)
    }

    /// The same kind of device under another model code of its family.
    #[must_use]
    pub fn variant(mut self, model: &str) -> Option<Self> {
        let scheme = Scheme::named(self.codename)?;
        self.model_code = scheme.models.iter().find(|known| **known == model)?;
        Some(self)
    }

    /// Whether only the fact side is simulated.
    #[must_use]
    pub fn is_facts_only(&self) -> bool {
        self.partitions.is_empty()
    }
}
