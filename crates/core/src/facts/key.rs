//! The facts that can be known, with their kind, and what makes each stale.

use serde::{Deserialize, Serialize};

use super::Happening;

/// One answer of a choice.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FactOption {
    /// The id stored.
    pub id: &'static str,
    /// Words for a person.
    pub shown: &'static str,
}

/// What values a fact can have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum FactKind {
    /// Any short text.
    Text,
    /// A text that tells one unit from all others; masked when shown (`K3`).
    Identifier,
    /// 15 digits of which the last is a check digit, or 16, or none; masked when shown (`K3`).
    EquipmentId,
    /// Numbers with points between, compared part by part (`K2`).
    Version,
    /// A month, as `2026-11`.
    Month,
    /// A moment, RFC 3339.
    Moment,
    /// A whole number up to the given one.
    Count(u32),
    /// Whole per cent, 0 to 100.
    Percent,
    /// One of these.
    Choice(&'static [FactOption]),
    /// Any number of these.
    Many(&'static [FactOption]),
    /// Any number of names, separated by commas.
    Names,
}

impl FactKind {
    /// Whether it tells one unit from another.
    #[must_use]
    pub fn identifies(self) -> bool {
        matches!(self, Self::Identifier | Self::EquipmentId)
    }

    /// How it is written, and what can and can't be known from it, where that needs saying.
    #[must_use]
    pub fn help(self) -> Option<&'static str> {
        match self {
            Self::EquipmentId => Some(
                "15 digits, 16 with a software version in place of the last, or none. The last of 15 is a check digit: it shows that something is wrong, never where. Where, the first eight can tell: they stand on the family's list.",
            ),
            Self::Version => Some(
                "Numbers with points between. They are compared part by part: 6.0.27 is above 6.0.4.",
            ),
            Self::Month => Some("Year and month, such as 2026-11."),
            Self::Names => Some("File names, with commas between."),
            _ => None,
        }
    }
}

/// Facts that are asked and shown together.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FactGroup {
    /// Which unit it is.
    Identity,
    /// What runs on it.
    System,
    /// What bears on the lock.
    Unlocking,
    /// Whose it is, and what the owner set.
    Owner,
    /// Its body.
    Body,
    /// What works, checked once at intake (`K7`).
    Works,
    /// What was changed on this computer (`C3`).
    Computer,
}

impl FactSpec {
    /// The title as it stands within a sentence: `equipment ID`.
    #[must_use]
    pub fn within(&self) -> String {
        let mut chars = self.title.chars();
        let first = chars.next().map(|c| c.to_lowercase().to_string());
        format!("{}{}", first.unwrap_or_default(), chars.as_str())
    }
}

impl FactGroup {
    /// All groups, in the order they are shown.
    pub const ALL: [Self; 7] = [
        Self::Unlocking,
        Self::System,
        Self::Owner,
        Self::Identity,
        Self::Body,
        Self::Works,
        Self::Computer,
    ];

    /// Words for a person.
    #[must_use]
    pub fn shown(self) -> &'static str {
        match self {
            Self::Identity => "Which unit it is",
            Self::System => "What runs on it",
            Self::Unlocking => "What bears on the lock",
            Self::Owner => "What its owner set",
            Self::Body => "Its body",
            Self::Works => "What works as it arrives",
            Self::Computer => "On this computer",
        }
    }
}

/// What holds for a key.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FactSpec {
    /// Words for a person.
    pub title: &'static str,
    /// What values it can have.
    pub kind: FactKind,
    /// What voids it (`K5`).
    pub stale_on: &'static [Happening],
    /// Whether two sources that differ contradict each other. A battery differs with time alone.
    pub steady: bool,
    /// Where it is shown.
    pub group: FactGroup,
}

const fn option(id: &'static str, shown: &'static str) -> FactOption {
    FactOption { id, shown }
}

const TOKENS: &[FactOption] = &[option("in-hand", "has come"), option("none", "not yet")];
const ON_OFF: &[FactOption] = &[option("on", "on"), option("off", "off")];
const YES_NO: &[FactOption] = &[option("yes", "yes"), option("no", "no")];
const MERGING: &[FactOption] = &[
    option("none", "none"),
    option("waiting", "waits for its first start"),
    option("merging", "being merged"),
];
const LOCKS: &[FactOption] = &[option("locked", "locked"), option("unlocked", "unlocked")];
const SLOTS: &[FactOption] = &[option("a", "a"), option("b", "b")];
const MODES: &[FactOption] = &[
    option("off", "off"),
    option("system", "running system"),
    option("bootloader", "bootloader mode"),
    option("download", "download mode"),
    option("temporary-recovery", "temporary recovery"),
    option("stock-recovery", "stock recovery"),
    option("custom-recovery", "custom recovery"),
];
const RECOVERIES: &[FactOption] = &[
    option("stock", "the maker's"),
    option("custom", "another one"),
];
const STORAGES: &[FactOption] = &[
    option("names", "names as the owner gave them"),
    option("scrambled", "names without sense"),
    option("own-folder", "only a folder of its own, or nothing"),
];
const TOGGLES: &[FactOption] = &[
    option("absent", "not there"),
    option("greyed", "greyed, can't be moved"),
    option("off", "off"),
    option("on", "on"),
    option("fixed-on", "on, can't be moved"),
];
const GUARDS: &[FactOption] = &[
    option("checking", "checking"),
    option("waiting", "waiting for the maker"),
];
const STARTS: &[FactOption] = &[
    option("starts", "to the home screen or set-up"),
    option("animation", "animation without end"),
    option("nothing", "not at all"),
];
const OWNERS: &[FactOption] = &[
    option("mine", "mine"),
    option("asked", "I am asked to work on it by its owner"),
    option("neither", "neither, or not known"),
    option("lost", "found, or reported lost or stolen"),
];
/// What is changed on a computer for the work, each with how it is undone (`C3`).
pub(crate) const CHANGES: [(FactOption, &str); 5] = [
    (
        option("power-saving", "power saving of the port switched off"),
        "Power saving of the port on again.",
    ),
    (
        option("other-program", "a program stopped that held the port"),
        "The program that held the port started again.",
    ),
    (
        option("driver", "a driver put in place of another"),
        "The driver that was there put back.",
    ),
    (
        option("rights", "rights to the port given"),
        "The rights to the port taken back.",
    ),
    (
        option("sleep", "sleep and updates switched off"),
        "Sleep and updates as they were.",
    ),
];
const COMPUTER: &[FactOption] = &[
    CHANGES[0].0,
    CHANGES[1].0,
    CHANGES[2].0,
    CHANGES[3].0,
    CHANGES[4].0,
];
const SELLERS: &[FactOption] = &[
    option("open", "the open market"),
    option("carrier", "a carrier"),
];
const CARDS: &[FactOption] = &[option("none", "none"), option("in", "one is in")];
const PARTS: &[FactOption] = &[
    option("screen", "screen"),
    option("touch", "touch"),
    option("power-key", "power key"),
    option("volume-up", "volume up"),
    option("volume-down", "volume down"),
    option("home-key", "home key"),
    option("port", "port"),
    option("charging", "charging"),
];
const KNOWN_LOGINS: &[FactOption] = &[
    option("known", "known for sure, tried today"),
    option("not-known", "not known for sure"),
];
const BATTERIES: &[FactOption] = &[
    option("sound", "flat and cool"),
    option("swollen", "swollen"),
    option("hot", "hot"),
];
const FEEDS: &[FactOption] = &[
    option("battery", "its own battery"),
    option("bench-supply", "a bench supply"),
];
const FORMATS: &[FactOption] = &[
    option("four-gib", "files under 4 GiB"),
    option("large", "larger files too"),
];
const WAIVED: &[FactOption] = &[option("waived", "waived: nobody checks it")];
const WORKS: &[FactOption] = &[
    option("yes", "works"),
    option("no", "doesn't work"),
    option("not-there", "has none"),
    option("not-tested", "can't test now"),
];

/// Asked once more before all functions are said to work (`K7`): what is noted as working is what counts as lost
/// when it no longer does.
pub const ALL_WORKS: &str = "Was each tried just now, above all the equipment ID with its signal, calls, the fingerprint and charging? \
                             What is noted as working counts as lost by the work if it fails later.";

/// The answer of a function check that says that it works.
pub const WORKS_WELL: &str = "yes";

macro_rules! keys {
    ($($key:ident $id:literal, $title:literal, $kind:expr, [$($stale:ident),*], $group:ident: $doc:literal,)*) => {
        /// What a fact is about.
        #[derive(
            Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize,
            utoipa::ToSchema,
        )]
        #[serde(rename_all = "kebab-case")]
        pub enum FactKey {
            $(#[doc = $doc] $key,)*
        }

        impl FactKey {
            /// Every key, in the order shown.
            pub const ALL: &[Self] = &[$(Self::$key,)*];

            /// The id used in files, in the API and on the link.
            #[must_use]
            pub fn id(self) -> &'static str {
                match self { $(Self::$key => $id,)* }
            }

            /// What holds for this key.
            #[must_use]
            pub fn spec(self) -> FactSpec {
                #[allow(unused_imports, reason = "each row names what it needs")]
                use {FactKind::*, Happening::*};
                let (title, kind, stale_on, group): (_, _, &[Happening], _) = match self {
                    $(Self::$key => ($title, $kind, &[$($stale),*], FactGroup::$group),)*
                };
                FactSpec {
                    title,
                    kind,
                    stale_on,
                    steady: !matches!(self, Self::Battery | Self::Mode | Self::FreeMib),
                    group,
                }
            }
        }
    };
}

keys! {
    ModelCode "model-code", "Model code", Text, [], Identity: "The model code printed on the unit; every letter counts.",
    Codename "codename", "Codename", Text, [], Identity: "The family's codename, as the unit itself reports it.",
    Serial "serial", "Serial", Identifier, [], Identity: "Serial number.",
    EquipmentId "equipment-id", "Equipment ID", EquipmentId, [], Identity: "First equipment ID (`K3`).",
    EquipmentId2 "equipment-id2", "Second equipment ID", EquipmentId, [], Identity: "Second equipment ID, where there are two radios (`K3`).",
    ChipId "chip-id", "Chip id", Identifier, [], Identity: "Identifier burnt into the chip, which no erase reaches.",
    DownloadNumber "download-number", "Download number", Identifier, [], Identity: "Number by which the loader is listed at a computer; another one than serial and chip id.",
    StorageChipId "storage-chip-id", "Storage chip id", Identifier, [], Identity: "Identifier of the storage chip, which no erase reaches.",
    Region "region", "Region", Text, [], Identity: "Region it was made for.",
    Build "build", "Build", Text, [SystemWritten], System: "Full build string.",
    Patch "patch", "Patch month", Month, [SystemWritten], System: "Month of the security patch.",
    Generation "generation", "System generation", Count(99), [SystemWritten], System: "Generation of the system.",
    BootloaderBuild "bootloader-build", "Bootloader build", Text, [SystemWritten], System: "Build of the bootloader.",
    RadioBuild "radio-build", "Radio build", Text, [SystemWritten], System: "Build of the radio firmware.",
    RollbackIndex "rollback-index", "Fused rollback index", Count(999), [SystemWritten], System: "Rollback index that is fused (`W1`).",
    Encrypted "encrypted", "Storage encrypted", Choice(YES_NO), [Wiped], System: "Whether user data is encrypted.",
    LastPackage "last-package", "Package installed last", Text, [SystemWritten], System: "The maker's package that was installed last (`Q12`).",
    Foreign "foreign", "Partitions known not to be stock", Names, [], System: "Partitions that somebody knows to hold other bytes than the maker's (`R1`). Enough to refuse a lock, never to allow one.",
    ToolChoice "tool-choice", "What stands ticked in the write tool", Names, [], System: "The choices that stand ticked in the maker's write tool (`Q14`).",
    Slot "slot", "Active slot", Choice(SLOTS), [ModeChanged], System: "The active slot, where there are two.",
    Merging "merging", "Update being merged", Choice(MERGING), [SystemWritten, SystemRan], System: "Whether an update waits for its first start or is still being merged: its blocks lie in user data then (`G5`).",
    Root "root", "Administrator rights", Choice(YES_NO), [SystemWritten, Wiped], System: "Whether the owner has administrator rights on the running system.",
    Starts "starts", "Does the system start", Choice(STARTS), [SystemWritten, Wiped], System: "Whether the system starts.",
    Mode "mode", "Mode", Choice(MODES), [ModeChanged], Unlocking: "Mode now.",
    Lock "lock", "Lock", Choice(LOCKS), [LockChanged], Unlocking: "State of the lock.",
    CriticalLock "critical-lock", "Lock of the critical partitions", Choice(LOCKS), [LockChanged], Unlocking: "State of the second stage, for critical partitions.",
    Toggle "toggle", "Unlock switch in the settings", Choice(TOGGLES), [Wiped], Unlocking: "How the unlock switch in the settings reads (`U1`).",
    ServiceAllowed "service-allowed", "Service screen: unlocking allowed", Choice(YES_NO), [], Unlocking: "What the service screen says about unlocking (`U3`).",
    Relocked "relocked", "Locked again after an unlock", Choice(YES_NO), [LockChanged], Unlocking: "Whether it was unlocked once and locked again (`U10`).",
    AnswersBootloader "answers-bootloader", "Answered in bootloader mode", Choice(YES_NO), [], Unlocking: "Whether the unit answered this computer in the mode that takes the unlock (`U8`).",
    DownloadScreen "download-screen", "Lines of the download screen", Text, [ModeChanged, LockChanged], Unlocking: "What the download screen says about itself.",
    DownloadGuard "download-guard", "Guard on the download screen", Choice(GUARDS), [ModeChanged, LockChanged, Wiped], Unlocking: "What the download screen says of its guard (`L5`).",
    ResetLock "reset-lock", "Reset lock on the download screen", Choice(ON_OFF), [ModeChanged, LockChanged, Wiped], Unlocking: "What the download screen says of the reset protection (`L5`).",
    FirstOnline "first-online", "First time online", Moment, [Wiped], Unlocking: "When it was first online since it was set up (`U2`).",
    OffHours "off-hours", "Hours switched off since", Count(9999), [Wiped], Unlocking: "Hours it was switched off since it was first online.",
    AskedUpdates "asked-updates", "Asked for updates", Choice(YES_NO), [Wiped], Unlocking: "Whether it was made to ask for updates (`U2`).",
    PortalAccount "portal-account", "Account at the maker's portal", Choice(YES_NO), [], Unlocking: "Whether the owner has an account at the maker's portal (`U4`).",
    PortalAgreed "portal-agreed", "Agreement accepted at the portal", Choice(YES_NO), [], Unlocking: "Whether the portal's agreement was accepted (`U4`).",
    AccountSince "account-since", "Account at the portal since", Moment, [], Unlocking: "Since when there is an account at the maker's portal (`U4`).",
    AccountUnits "account-units", "Units the account has asked for", Count(99), [], Unlocking: "For how many units the account had a token before (`U4`).",
    TokenAsked "token-asked", "Token asked for", Moment, [], Unlocking: "When the maker's portal was asked for the token (`U4`).",
    Token "token", "Unlock token", Choice(TOKENS), [], Unlocking: "Whether the token that opens this unit has come (`U4`).",
    Recovery "recovery", "Recovery partition", Choice(RECOVERIES), [RecoveryWritten], Unlocking: "What lies in the recovery partition.",
    Restorer "restorer", "What puts the maker's recovery back", Choice(ON_OFF), [SystemWritten], System: "Whether the system still puts the maker's recovery back as it starts (`M11`).",
    StorageShows "storage-shows", "Internal storage, as its recovery shows it", Choice(STORAGES), [ModeChanged, Wiped, DataShut], System: "What a recovery shows of internal storage: names, names without sense, or nothing of the owner's (`Q3`, `M6`).",
    RecoveryVersion "recovery-version", "Version of the recovery", Version, [RecoveryWritten], Unlocking: "Version of the recovery (`K2`).",
    Battery "battery", "Battery", Percent, [], Unlocking: "Battery charge.",
    Ownership "ownership", "Owner", Choice(OWNERS), [], Owner: "Whose unit it is.",
    ReportedLost "reported-lost", "Reported lost or stolen", Choice(YES_NO), [], Owner: "Whether it is reported lost or stolen.",
    Bought "bought", "Bought from", Choice(SELLERS), [], Owner: "Where it was bought (`K6`).",
    Paid "paid", "Paid off", Choice(YES_NO), [], Owner: "Whether it is paid off.",
    Managed "managed", "Managed by an employer", Choice(YES_NO), [], Owner: "Whether an employer or school manages it.",
    Accounts "accounts", "Accounts signed in", Count(99), [Wiped], Owner: "Accounts signed in on the unit.",
    OwnerLogin "owner-login", "The owner's login", Choice(KNOWN_LOGINS), [], Owner: "Whether the owner knows the login of the account that is signed in, for sure (`U6`). The login itself is never asked for.",
    ScreenLock "screen-lock", "Screen lock", Choice(ON_OFF), [Wiped], Owner: "Screen lock.",
    FastStart "fast-start", "Fast start", Choice(ON_OFF), [Wiped], Owner: "Whether switching off only hibernates (`N5`).",
    Debugging "debugging", "Commands from a computer", Choice(ON_OFF), [Wiped], Owner: "Whether the system lets a computer command it.",
    Card "card", "External card", Choice(CARDS), [], Owner: "Whether an external card is in.",
    CardFiles "card-files", "Packages on the card", Names, [], Owner: "Packages that lie on the external card.",
    CardFreeMib "card-free-mib", "Room on the card in MiB", Count(9_999_999), [], Owner: "Free space on the external card, in MiB.",
    CardFormat "card-format", "The card takes", Choice(FORMATS), [], Owner: "The largest file that the card's file system takes.",
    FreeMib "free-mib", "Free space in MiB", Count(9_999_999), [Wiped], Owner: "Free space on internal storage, in MiB.",
    Broken "broken", "Broken hardware", Many(PARTS), [], Body: "Parts that don't work.",
    StandIn "stand-in", "Parts that something stands in for", Many(PARTS), [], Body: "Parts that don't work and that something stands in for (`N2`).",
    StandInBy "stand-in-by", "What stands in for them", Text, [], Body: "A jig, an adapter, a test screen (`N2`).",
    BatteryBody "battery-body", "The battery itself", Choice(BATTERIES), [], Body: "What the battery looks and feels like; swollen ends all work.",
    FedBy "fed-by", "Fed by", Choice(FEEDS), [ModeChanged], Body: "What feeds it (`U7`).",
    OnCharger "on-charger", "On a charger since", Moment, [SystemRan], Body: "Since when it hangs on a charger, where no mode shows its charge (`U7`).",
    ComputerChanged "computer-changed", "Changed on this computer", Many(COMPUTER), [], Computer: "What was changed on this computer for the work, and is to be put back (`C3`).",
    Complaint "complaint", "The original complaint", Text, [], Body: "What the owner came with.",
    WorksStarts "works-starts", "Starts to the home screen", Choice(WORKS), [], Works: "Function check (`K7`, `C2`): starts.",
    WorksCalls "works-calls", "Calls and messages, both ways", Choice(WORKS), [], Works: "Function check: calls and messages.",
    WorksData "works-data", "Mobile data", Choice(WORKS), [], Works: "Function check: data.",
    WorksWireless "works-wireless", "Wireless", Choice(WORKS), [], Works: "Function check: wireless.",
    WorksCamera "works-camera", "Camera", Choice(WORKS), [], Works: "Function check: camera.",
    WorksFingerprint "works-fingerprint", "Fingerprint", Choice(WORKS), [], Works: "Function check: fingerprint.",
    WorksSensors "works-sensors", "Sensors", Choice(WORKS), [], Works: "Function check: sensors.",
    WorksIdentity "works-identity", "Equipment ID shown, signal there", Choice(WORKS), [], Works: "Function check: equipment ID and signal.",
    WorksWaived "works-waived", "Function check at intake", Choice(WAIVED), [], Body: "That nobody checks what works as it arrives (`K7`).",
    WorksCharging "works-charging", "Charging", Choice(WORKS), [], Works: "Function check: charging.",
}

impl FactKey {
    /// Whether it shows in the running system alone: on its screens, in its settings, or by using it.
    #[must_use]
    pub fn is_of_the_system(self) -> bool {
        let spec = self.spec();
        let is_owners = spec.group == FactGroup::Owner
            && !matches!(
                self,
                Self::Ownership
                    | Self::ReportedLost
                    | Self::Bought
                    | Self::Paid
                    | Self::OwnerLogin
                    | Self::Card
                    | Self::CardFiles
                    | Self::CardFreeMib
                    | Self::CardFormat
            );
        let is_set_there = matches!(
            self,
            Self::Toggle | Self::FirstOnline | Self::OffHours | Self::AskedUpdates | Self::Root
        );
        is_owners || is_set_there || spec.group == FactGroup::Works
    }

    /// The key with this id.
    #[must_use]
    pub fn from_id(id: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|key| key.id() == id)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::mode::{Lock, Mode};

    #[test]
    fn ids_and_serde_agree_and_none_stands_twice() {
        let mut ids: Vec<_> = FactKey::ALL.iter().map(|key| key.id()).collect();
        for &key in FactKey::ALL {
            assert_eq!(FactKey::from_id(key.id()), Some(key));
            let toml = toml::Value::try_from(key).unwrap();
            assert_eq!(toml.as_str(), Some(key.id()));
        }
        ids.sort_unstable();
        ids.dedup();
        assert_eq!(ids.len(), FactKey::ALL.len());
    }

    #[test]
    fn the_choices_are_the_modes_and_locks_that_rules_know() {
        let ids = |key: FactKey| match key.spec().kind {
            FactKind::Choice(options) => options.iter().map(|o| o.id).collect::<Vec<_>>(),
            other => panic!("{other:?}"),
        };
        assert_eq!(ids(FactKey::Mode), Mode::ALL.map(Mode::id));
        assert!(
            ids(FactKey::Lock)
                .iter()
                .all(|id| Lock::from_id(id).is_some())
        );
    }
}
