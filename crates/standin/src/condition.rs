//! What there is to say of a device, as plain data: what runs, its lock, its settings, what is armed to go
//! wrong, how it is made.

use serde::{Deserialize, Serialize};
use veritope_wire::body::CablePlace;
use veritope_wire::link::{ActKind, OperationId};

/// What runs on the device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Running {
    /// Nothing.
    Off,
    /// The system.
    System,
    /// The bootloader.
    Bootloader,
    /// The maker's screen for taking in files.
    Download,
    /// The question before that screen: go on, or the lock.
    Warning,
    /// A start that never ends.
    Animation,
    /// A locked unit that found bytes that are not its maker's: it starts nothing.
    Refusing,
    /// A recovery from memory.
    TemporaryRecovery,
    /// The maker's recovery, from its partition.
    StockRecovery,
    /// Another recovery, from its partition.
    CustomRecovery,
}

impl Running {
    pub(crate) fn id(self) -> &'static str {
        match self {
            Self::Off => "off",
            Self::System => "system",
            Self::Bootloader => "bootloader",
            Self::Download => "download",
            Self::Warning => "warning",
            Self::Animation => "animation",
            Self::Refusing => "refusing",
            Self::TemporaryRecovery => "temporary-recovery",
            Self::StockRecovery => "stock-recovery",
            Self::CustomRecovery => "custom-recovery",
        }
    }

    /// Whether a program on a computer has administrator rights.
    pub(crate) fn gives_rights(self) -> bool {
        matches!(self, Self::TemporaryRecovery | Self::CustomRecovery)
    }
}

/// The lock.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum LockState {
    /// Closed.
    Locked,
    /// Open.
    Unlocked,
}

/// A setting of the running system.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Setting {
    /// On.
    On,
    /// Off.
    Off,
}

impl Setting {
    /// The other one.
    pub(crate) fn other(self) -> Self {
        match self {
            Self::On => Self::Off,
            Self::Off => Self::On,
        }
    }
}

/// Whether the next start is the first one after an erase.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum NextStart {
    /// Usual.
    Usual,
    /// First.
    First,
}

/// Something armed to go wrong.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(tag = "fault", rename_all = "kebab-case")]
pub enum Fault {
    /// The cable comes out as soon as this act has been taken.
    CableOutOnAct {
        /// The act.
        act: ActKind,
    },
    /// The cable comes out after so many more bytes.
    CableOutAfter {
        /// Bytes to or from the device.
        bytes: u64,
    },
    /// One bit of this partition comes over wrong at the next reading of that byte.
    FlipOnRead {
        /// Label of the partition.
        label: String,
        /// The byte.
        byte: u64,
    },
    /// A mishap: the partition is blank from now on.
    Blank {
        /// Label of the partition.
        label: String,
    },
    /// Two units change places on their docks; the bridge's business.
    Swap {
        /// The other handle.
        with: String,
    },
    /// Its bridge takes it for being in another mode, until the next mode change.
    SaysMode {
        /// That mode.
        mode: String,
    },
    /// It restarts by itself at this moment of device time.
    RestartsAt {
        /// The moment.
        ms: i64,
    },
    /// The next restart by command leads here instead.
    LeadsElsewhere {
        /// What runs then.
        to: Running,
    },
    /// The next act of this kind is refused without a reason.
    RefuseOnce {
        /// The act.
        act: ActKind,
    },
}

/// The way to another mode.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Going {
    pub(crate) to: Running,
    pub(crate) due_ms: i64,
    pub(crate) operation: Option<OperationId>,
}

/// How a device is made.
#[derive(Debug, Clone)]
pub struct Birth {
    /// Its handle on the bridge.
    pub handle: String,
    /// What makes its own bytes its own.
    pub seed: u64,
    /// Serial.
    pub serial: String,
    /// Chip id.
    pub chip_id: String,
    /// Lock.
    pub lock: LockState,
    /// Whether the system takes commands.
    pub debugging: Setting,
    /// Charge in per cent.
    pub battery_percent: u32,
    /// Whether it lies on its dock.
    pub cable: CablePlace,
}

/// Where a system can lie.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(crate) enum Slot {
    /// The first; it ships filled.
    #[default]
    A,
    /// The second; it ships empty.
    B,
}

impl Slot {
    pub(crate) fn id(self) -> &'static str {
        match self {
            Self::A => "a",
            Self::B => "b",
        }
    }

    /// The partitions that may hold the ramdisk that it starts, the one of its own first.
    pub(crate) fn starts(self) -> [&'static str; 2] {
        match self {
            Self::A => ["init_boot_a", "boot_a"],
            Self::B => ["init_boot_b", "boot_b"],
        }
    }

    /// The partition with the vendor's part of a start.
    pub(crate) fn vendor_part(self) -> &'static str {
        match self {
            Self::A => "vendor_boot_a",
            Self::B => "vendor_boot_b",
        }
    }
}
