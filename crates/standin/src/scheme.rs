//! What the firmware of each family decides about its lock, and what its screens say. The stand-in's
//! own knowledge: nothing here is read from `families/`.

/// How the lock is opened.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Opening {
    /// A command in this form, then a yes on the device.
    Command {
        /// The form that it knows.
        form: &'static str,
    },
    /// A long press on the warning screen of download mode.
    LongPress,
    /// A command with the unit's own token.
    Token,
    /// There is no lock.
    NoLock,
}

/// When a running system can have administrator rights: they let a computer read every partition.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Rights {
    /// Never.
    Never,
    /// While foreign bytes start.
    Unlocked,
    /// Whatever its lock.
    Always,
}

/// The unlock switch in the settings.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Switch {
    /// There is none; nothing asks for it.
    None,
    /// It is always there.
    Shown,
    /// It appears when the unit was online, asked for updates, and so many hours have passed.
    Hidden {
        /// Hours since it was first online.
        hours: i64,
    },
}

/// Whether a build lets itself be unlocked.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Opens {
    /// It does.
    Yes,
    /// Once its enabler is installed.
    Enabled,
    /// It does not.
    No,
}

/// A build.
#[derive(Debug, Clone, Copy)]
pub struct Build {
    /// Its build string.
    pub id: &'static str,
    /// Its patch month.
    pub patch: &'static str,
    /// Whether it opens.
    pub opens: Opens,
    /// The rollback index that its first start fuses.
    pub index: u32,
}

/// What a package does.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Brings {
    /// The whole build, over anything whose index allows it.
    Whole,
    /// The difference to exactly this build, onto untouched partitions.
    From(&'static str),
    /// The enabler of its build.
    Enabler,
}

/// A package on the build server.
#[derive(Debug, Clone, Copy)]
pub struct Package {
    /// Its name.
    pub name: &'static str,
    /// What it does.
    pub brings: Brings,
    /// The build after it.
    pub build: &'static str,
    /// Whether it wipes data.
    pub wipes: bool,
    /// From where it is taken.
    pub off: Off,
}

/// From where a package is taken.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Off {
    /// Its card.
    Card,
    /// A computer that sends it to a recovery.
    Computer,
}

/// What holds for all units of a family.
#[derive(Debug, Clone, Copy)]
pub struct Scheme {
    /// What it calls itself.
    pub codename: &'static str,
    /// Model codes.
    pub models: &'static [&'static str],
    /// How the lock is opened.
    pub opening: Opening,
    /// The switch.
    pub switch: Switch,
    /// Whether units that a carrier sold keep the switch greyed.
    pub carrier_greys: bool,
    /// Whether its service screen can forbid it.
    pub service_screen: bool,
    /// Whether its critical partitions have a lock of their own.
    pub has_critical: bool,
    /// Whether a system can lie in either of two slots.
    pub has_slots: bool,
    /// Whether *off* can be half sleep.
    pub has_fast_start: bool,
    /// When its running system can have administrator rights.
    pub rights: Rights,
    /// Whether it opens a second time after it was locked again.
    pub opens_again: bool,
    /// First eight digits of its equipment IDs; none where it has no radio.
    pub type_codes: &'static [&'static str],
    /// Whether each mode tells identities of its own, and none of them the fused index.
    pub tells_by_mode: bool,
    /// Whether each start of its system puts the maker's recovery back where another one lies.
    pub restores_recovery: bool,
    /// Builds.
    pub builds: &'static [Build],
    /// Packages.
    pub packages: &'static [Package],
}

const fn build(id: &'static str, patch: &'static str, opens: Opens, index: u32) -> Build {
    Build {
        id,
        patch,
        opens,
        index,
    }
}

const fn package(name: &'static str, brings: Brings, build: &'static str, wipes: bool) -> Package {
    Package {
        name,
        brings,
        build,
        wipes,
        off: Off::Card,
    }
}

/// A whole build that a computer sends to a recovery; the owner's data stays.
const fn sent(name: &'static str, build: &'static str) -> Package {
    Package {
        name,
        brings: Brings::Whole,
        build,
        wipes: false,
        off: Off::Computer,
    }
}

/// The families that the stand-in knows.
pub const SCHEMES: [Scheme; 8] = [
    Scheme {
        codename: "saltern",
        models: &["TH5-E", "TH5-U"],
        opening: Opening::Command { form: "newer" },
        switch: Switch::Shown,
        carrier_greys: true,
        service_screen: false,
        has_critical: true,
        has_slots: true,
        has_fast_start: false,
        rights: Rights::Unlocked,
        opens_again: true,
        type_codes: &["35712804"],
        tells_by_mode: false,
        restores_recovery: false,
        builds: &[
            build("TH5.8.2.260905", "2026-09", Opens::Yes, 3),
            build("TH5.8.3.261104", "2026-11", Opens::Yes, 4),
        ],
        packages: &[sent("heron-whole-8.3", "TH5.8.3.261104")],
    },
    Scheme {
        codename: "kelpie",
        models: &["OB-510E", "OB-510D", "OB-510N"],
        opening: Opening::LongPress,
        switch: Switch::Hidden { hours: 168 },
        carrier_greys: false,
        service_screen: false,
        has_critical: false,
        has_slots: false,
        has_fast_start: true,
        rights: Rights::Never,
        opens_again: true,
        type_codes: &["35604911"],
        tells_by_mode: false,
        restores_recovery: true,
        builds: &[
            build("OB-510.2608.v4", "2026-08", Opens::Yes, 4),
            build("OB-510.2610.v6", "2026-10", Opens::Yes, 6),
        ],
        packages: &[],
    },
    Scheme {
        codename: "lodestar",
        models: &["K2-G", "K2-J"],
        opening: Opening::Token,
        switch: Switch::None,
        carrier_greys: false,
        service_screen: true,
        has_critical: false,
        has_slots: false,
        has_fast_start: false,
        rights: Rights::Always,
        opens_again: true,
        type_codes: &["35184607", "35184715"],
        tells_by_mode: false,
        restores_recovery: false,
        builds: &[
            build("K2.5.1.77", "2026-04", Opens::Yes, 0),
            build("K2.5.2.80", "2026-09", Opens::Yes, 0),
        ],
        packages: &[],
    },
    Scheme {
        codename: "mooring",
        models: &["WM-1"],
        opening: Opening::Command { form: "older" },
        switch: Switch::Shown,
        carrier_greys: false,
        service_screen: false,
        has_critical: false,
        has_slots: false,
        has_fast_start: false,
        rights: Rights::Never,
        opens_again: true,
        type_codes: &["35340120"],
        tells_by_mode: false,
        restores_recovery: false,
        builds: &[
            build("WM1-3.1-2603", "2026-03", Opens::Enabled, 0),
            build("WM1-3.2-2606", "2026-06", Opens::No, 0),
            build("WM1-3.3-2608", "2026-08", Opens::No, 0),
            build("WM1-3.4-2610", "2026-10", Opens::No, 0),
            build("WM1-4.0-2612", "2026-12", Opens::No, 1),
        ],
        packages: &[
            package("mallet-full-3.1", Brings::Whole, "WM1-3.1-2603", true),
            package("mallet-enabler-3.1", Brings::Enabler, "WM1-3.1-2603", false),
            package(
                "mallet-3.1-to-3.2",
                Brings::From("WM1-3.1-2603"),
                "WM1-3.2-2606",
                false,
            ),
            package(
                "mallet-3.2-to-3.3",
                Brings::From("WM1-3.2-2606"),
                "WM1-3.3-2608",
                false,
            ),
            package(
                "mallet-3.3-to-3.4",
                Brings::From("WM1-3.3-2608"),
                "WM1-3.4-2610",
                false,
            ),
            package("mallet-full-4.0", Brings::Whole, "WM1-4.0-2612", false),
        ],
    },
    Scheme {
        codename: "halyard",
        models: &["SM-9"],
        opening: Opening::Command { form: "newer" },
        switch: Switch::Shown,
        carrier_greys: false,
        service_screen: false,
        has_critical: false,
        has_slots: true,
        has_fast_start: false,
        rights: Rights::Unlocked,
        opens_again: true,
        type_codes: &["35918006"],
        tells_by_mode: true,
        restores_recovery: false,
        builds: &[
            build("SM9.2.0.260812", "2026-08", Opens::Yes, 5),
            build("SM9.2.1.261021", "2026-10", Opens::Yes, 6),
        ],
        packages: &[sent("samphire-whole-2.1", "SM9.2.1.261021")],
    },
    Scheme {
        codename: "thimble",
        models: &["PB-2"],
        opening: Opening::NoLock,
        switch: Switch::None,
        carrier_greys: false,
        service_screen: false,
        has_critical: false,
        has_slots: false,
        has_fast_start: false,
        rights: Rights::Never,
        opens_again: true,
        type_codes: &[],
        tells_by_mode: false,
        restores_recovery: false,
        builds: &[build("bobbin-2.3", "2026-05", Opens::Yes, 0)],
        packages: &[],
    },
    Scheme {
        codename: "gimbal",
        models: &["FL-1"],
        opening: Opening::Command { form: "newer" },
        switch: Switch::None,
        carrier_greys: false,
        service_screen: false,
        has_critical: false,
        has_slots: false,
        has_fast_start: false,
        rights: Rights::Never,
        opens_again: true,
        type_codes: &[],
        tells_by_mode: false,
        restores_recovery: false,
        builds: &[build("loop-4.1.7-20261011", "2026-10", Opens::Yes, 0)],
        packages: &[],
    },
    Scheme {
        codename: "cinder",
        models: &["LN-3X", "LN-3"],
        opening: Opening::Command { form: "newer" },
        switch: Switch::Shown,
        carrier_greys: false,
        service_screen: false,
        has_critical: false,
        has_slots: false,
        has_fast_start: false,
        rights: Rights::Never,
        opens_again: false,
        type_codes: &[],
        tells_by_mode: false,
        restores_recovery: true,
        builds: &[
            build("LN3X.7.0.2607", "2026-07", Opens::Yes, 2),
            build("LN3X.7.1.2610", "2026-10", Opens::Yes, 3),
            build("LN3.7.1.2610", "2026-10", Opens::Yes, 3),
        ],
        packages: &[],
    },
];

impl Scheme {
    /// The form of the command that closes the lock, where a command does.
    #[must_use]
    pub fn closing_form(&self) -> Option<&'static str> {
        match self.codename {
            "saltern" | "gimbal" | "halyard" => Some("newer"),
            "lodestar" | "mooring" | "cinder" => Some("older"),
            _ => None,
        }
    }

    /// The scheme of a family.
    #[must_use]
    pub fn named(codename: &str) -> Option<&'static Self> {
        SCHEMES.iter().find(|scheme| scheme.codename == codename)
    }

    /// The build with this build string.
    #[must_use]
    pub fn build(&self, id: &str) -> Option<&Build> {
        self.builds.iter().find(|build| build.id == id)
    }

    /// Whether it takes packages off a card.
    #[must_use]
    pub fn has_card(&self) -> bool {
        self.packages.iter().any(|package| package.off == Off::Card)
    }

    /// The package with this name.
    #[must_use]
    pub fn package(&self, name: &str) -> Option<&Package> {
        self.packages.iter().find(|package| package.name == name)
    }
}
