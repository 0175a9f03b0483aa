//! What is true of all units of a kind: one TOML file a family, no code.
//!
//! Loading has two stages. `raw` gives the text a shape and remembers where each value stands;
//! `check` turns that into a [`Family`] and refuses what makes no sense, naming the key and the
//! line. Preconditions and effects of actions live in Rust (`plan`); a file only gives
//! instances and parameters. Judgements cite the file's digest.

mod acts;
mod check;
mod choreography;
mod doubt;
mod guide;
pub mod pattern;
pub(crate) mod placeholder;
mod raw;
mod recognise;
mod role;
mod told;

use serde::{Deserialize, Serialize};
use veritope_wire::{Digest, Label};

use crate::facts::{FactKey, FactRow, FactValue, Facts, Month, Version};
use crate::keepsafe::KeepClass;
use crate::mode::{LiveReads, Mode, Modes, Readable, Slot};

pub use acts::{
    BeforeForeign, Companion, CompanionMade, Container, DebuggingSpec, Effort, ForcedRestart,
    InstallWithinSpec, MakersSetSpec, MoveBy, MoveSpec, Pace, Question, RecoveryInsideSpec,
    RecoveryWriteSpec, RelockAct, RelockSpec, SlotSwitchSpec, StageSpec, TemporaryStartSpec, Wipe,
    WipeSpec, Yes,
};
pub use check::{FamilyError, load};
pub use choreography::{BodyPart, Cue, Key, Menu, Phase, PhaseKind, PhaseSaid, said};
pub use guide::{Guide, Lines};
pub use pattern::Pattern;
pub use raw::RawFamily as FamilyFile;
pub use recognise::{Chip, Paired, Recognised, Session};
pub use role::{Role, RoleSpec, Takes, Wanted};

/// The version of the family format that this program reads.
///
/// Changes: 1 = first. 2 = what bears on the lock (switch, carrier, service screen, token, relock),
/// builds and packages, equipment IDs, slot pairs, second areas, inner volumes, what screens print.
/// 3 = how it is locked again, what a link tells in each mode, ways to read out, what restores the
/// maker's recovery, choices of the write tool, choreographies, ways to erase the owner's data, what
/// is read before anything foreign is written. 4 = digests of what the maker publishes, how identifiers
/// are made up. 5 = seconds and key presses of acts. 6 = questions
/// are answered by keys or a touch, no more in words. 7 = phases that touch words on a screen or in a tool.
/// 8 = labels that name the unit; what a token scheme asks of the account. 9 = how a recovery is taken and kept.
/// 10 = how the maker's whole set is taken in. 11 = a recovery inside another image. An older file is one that uses none of what came later.
pub const FAMILY_SCHEMA: u32 = 12;

/// The families that ship with the program: file names and texts.
pub const SHIPPED: &[(&str, &str)] = &[
    (
        "saltern.toml",
        include_str!("../../../../families/saltern.toml"),
    ),
    (
        "kelpie.toml",
        include_str!("../../../../families/kelpie.toml"),
    ),
    (
        "lodestar.toml",
        include_str!("../../../../families/lodestar.toml"),
    ),
    (
        "mooring.toml",
        include_str!("../../../../families/mooring.toml"),
    ),
    (
        "thimble.toml",
        include_str!("../../../../families/thimble.toml"),
    ),
    (
        "gimbal.toml",
        include_str!("../../../../families/gimbal.toml"),
    ),
    (
        "cinder.toml",
        include_str!("../../../../families/cinder.toml"),
    ),
    (
        "halyard.toml",
        include_str!("../../../../families/halyard.toml"),
    ),
];

/// A checked family.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Family {
    /// Digest of the file's text; judgements cite it.
    pub digest: Digest,
    /// Who makes it.
    pub maker: String,
    /// What it is sold as.
    pub model: String,
    /// The name that images and the unit itself use.
    pub codename: String,
    /// What kind of thing it is, in words.
    pub form: String,
    /// Model codes.
    pub variants: Vec<Variant>,
    /// Where facts are read.
    pub places: Vec<FactPlace>,
    /// What tells one unit from another.
    pub identifiers: Vec<Identifier>,
    /// Partitions in disk order.
    pub partitions: Vec<PartitionSpec>,
    /// Modes it has.
    pub modes: Vec<ModeSpec>,
    /// Ways between them.
    pub moves: Vec<MoveSpec>,
    /// How it is restarted by force.
    pub forced_restart: Option<ForcedRestart>,
    /// How long the first start after an erase takes.
    pub first_start: Pace,
    /// How commands from a computer are let in.
    pub debugging: DebuggingSpec,
    /// Unlock stages in order.
    pub stages: Vec<StageSpec>,
    /// What unlocking costs.
    pub consequences: Vec<Consequence>,
    /// How an image is started without writing, where the family can.
    pub temporary_start: Option<TemporaryStartSpec>,
    /// How long reading the table takes.
    pub table: Pace,
    /// How long a capture of everything but the system takes.
    pub capture: Pace,
    /// How a recovery is written to stay, where the family can.
    pub recovery_write: Option<RecoveryWriteSpec>,
    /// How a recovery is put inside an image that starts the system too, where that is its place.
    pub recovery_inside: Option<RecoveryInsideSpec>,
    /// How a recovery that runs from memory installs itself.
    pub install_within: Option<InstallWithinSpec>,
    /// How its maker's whole set is taken in, where something of it does that.
    pub makers_set: Option<MakersSetSpec>,
    /// What is asked about before an erase.
    pub keep_safe: Vec<KeepClass>,
    /// What people learned the hard way.
    pub cautions: Vec<Caution>,
    /// Other names that images use.
    pub aliases: Vec<String>,
    /// Storage areas, with the bytes of a sector.
    pub areas: Vec<(u32, u32)>,
    /// Equipment IDs, where it has any.
    pub equipment: Option<EquipmentSpec>,
    /// How a build string is made up (`K1`).
    pub build_string: Option<Pattern>,
    /// The unlock switch in the settings, where it has one (`U1`, `U2`).
    pub toggle: Option<ToggleSpec>,
    /// What holds for units that a carrier sold (`K6`).
    pub carrier: Option<CarrierSpec>,
    /// Where its service screen is, where that tells whether unlocking is allowed (`U3`).
    pub service_screen: Option<String>,
    /// How a token is got, where it takes one (`U4`).
    pub token: Option<TokenSpec>,
    /// How it is locked again.
    pub relock: RelockSpec,
    /// Ways to erase the owner's data.
    pub wipes: Vec<WipeSpec>,
    /// Making the other slot the active one, where there are two and a command does it.
    pub slot_switch: Option<SlotSwitchSpec>,
    /// What must be read before anything foreign is written.
    pub before_foreign: Vec<BeforeForeign>,
    /// What becomes of a recovery in its partition.
    pub kept: KeptSpec,
    /// Ways to read partitions out, the least writing first (`B1`).
    pub read_routes: Vec<ReadRoute>,
    /// Choices of the maker's write tool (`Q14`).
    pub tool_choices: Vec<ToolChoice>,
    /// Builds that are known.
    pub builds: Vec<BuildSpec>,
    /// Packages that lead from build to build.
    pub packages: Vec<PackageSpec>,
    /// Marks that no relock removes.
    pub marks: Vec<Mark>,
    /// What may come after, and what helps (`C4`).
    pub after_care: Vec<AfterCare>,
}

/// Equipment IDs of a family.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct EquipmentSpec {
    /// How many a unit has.
    pub count: u8,
    /// First eight digits that its makers use (`K3`).
    pub type_codes: Vec<String>,
}

/// The unlock switch in the settings.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToggleSpec {
    /// Where it is kept (`L4`).
    pub kept: ToggleKept,
    /// What makes it appear.
    pub hidden_until: HiddenUntil,
    /// Hours from the first time online until it appears, where it is hidden.
    pub wait_hours: u32,
    /// Whether hours switched off count.
    pub off_hours_count: bool,
    /// How it is switched on.
    pub hand: String,
    /// What that takes.
    pub minutes: u32,
    /// What to try before waiting.
    pub quick_cure: String,
    /// What that takes.
    pub quick_minutes: u32,
}

macro_rules! words {
    ($($(#[$outer:meta])* $name:ident { $($(#[$attribute:meta])* $variant:ident: $gist:literal,)* })*) => {
        $(
            $(#[$outer])*
            #[derive(Debug, Clone, Copy, Default, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
            #[serde(rename_all = "kebab-case")]
            pub enum $name {
                $($(#[$attribute])* #[doc = $gist] $variant,)*
            }
        )*
    };
}

words! {
    /// Where the unlock switch is kept.
    ToggleKept {
        #[default] OwnRecord: "In a record of its own; a wipe leaves it.",
        UserData: "In user data; a wipe takes it.",
    }
    /// What makes a hidden unlock switch appear.
    HiddenUntil {
        #[default] Nothing: "It is always there.",
        OnlineAskedWaited: "Being online, asking for updates, and a number of hours.",
    }
    /// What a carrier's units may do.
    CarrierRule {
        #[default] Never: "The switch stays greyed for good.",
        OnRequest: "The carrier opens it when asked.",
    }
    /// How a stage is opened.
    Method {
        #[default] Command: "By a command over the link.",
        LongPress: "By a long press on its own warning screen.",
        Token: "By a command with a token.",
    }
    /// Whether it can be unlocked again after a relock.
    Again {
        #[default] Yes: "Yes.",
        WhileToggleOn: "While the switch in the settings is on.",
        OldBuild: "Only on a build that can be unlocked.",
        Never: "Never.",
    }
    /// Whether a build can be unlocked (`U5`).
    Unlockable {
        #[default] Yes: "As it is.",
        Enabler: "After an enabler package.",
        No: "Not at all.",
    }
    /// Whether a build's files are published.
    Stock {
        #[default] Published: "They are.",
        None: "They are not.",
    }
    /// What a package is.
    PackageKind {
        #[default] Full: "The whole build, onto any that its rollback index allows.",
        Incremental: "The difference to exactly one build, onto untouched partitions.",
        Enabler: "Makes one build unlockable.",
    }
    /// How a package leaves the partitions.
    Leaves {
        #[default] Exact: "As the build has them.",
        Inexact: "Changed; an incremental refuses them.",
    }
    /// Where a package must lie.
    Lies {
        #[default] Card: "On the external card.",
        Storage: "On internal storage.",
        Computer: "On the computer.",
    }
    /// What puts the maker's recovery back (`M11`).
    RestoredBy {
        #[default] Nothing: "Nothing does.",
        SystemStart: "Each start of the maker's system.",
    }
    /// How partitions are read out, the least writing first (`B1`).
    #[derive(PartialOrd, Ord)]
    RouteKind {
        #[default] TemporaryStart: "A recovery started from memory; nothing is written.",
        ReadOut: "A mode of the maker's that reads out.",
        RunningSystem: "The running system with administrator rights; what is read is live.",
        AfterWrite: "A recovery that is written for it first (G3).",
    }
    /// The lock that a way wants.
    RouteLock {
        #[default] Unlocked: "It must be open.",
        Any: "Any.",
    }
    /// What to do with a choice of the write tool (`Q14`).
    Advice {
        #[default] Take: "Take it.",
        Leave: "Leave it as it is.",
        Never: "Never.",
    }
    /// What a choice of the write tool erases beside what it writes.
    ToolErases {
        #[default] Nothing: "Nothing else.",
        Everything: "Everything, what exists once included (G6).",
    }
    /// What of a start image a recovery's ramdisk takes the place of.
    Replaces {
        #[default] Ramdisk: "Its ramdisk.",
        VendorRamdisk: "The recovery in a vendor part's table of ramdisks.",
    }
    /// Whether a partition is there once or for two slots.
    Slots {
        #[default] Single: "Once.",
        Pair: "Twice, for slot a and slot b; slot b ships empty.",
    }
}

/// What holds for units that a carrier sold.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CarrierSpec {
    /// What the carrier does with the switch.
    pub toggle: CarrierRule,
    /// Why, in one sentence.
    pub reason: String,
}

/// How a token is got.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TokenSpec {
    /// Its length.
    pub length: u32,
    /// Its letters.
    pub alphabet: String,
    /// The portal, in words.
    pub portal: String,
    /// Hours until the mail with it usually comes.
    pub mail_hours: u32,
    /// Whether the same token opens it again.
    pub again: bool,
    /// Hours that an account has to be there before it may ask.
    pub account_hours: Option<u32>,
    /// How many units one account gets a token for.
    pub units_per_account: Option<u32>,
    /// Whether the maker's own tool erases by itself.
    pub tool_erases: bool,
}

impl TokenSpec {
    /// What is wrong with `token` as one of these, if anything (`U4`). Blanks around it are no part
    /// of it.
    #[must_use]
    pub fn fault(&self, token: &str) -> Option<String> {
        let count = token.chars().count();
        if let Some((at, sign)) = token
            .chars()
            .enumerate()
            .find(|(_, sign)| !self.alphabet.contains(*sign))
        {
            return Some(format!(
                "Sign {} of the token, `{}`, is none of {}: copy it again from the mail (U4).",
                at + 1,
                sign.escape_default(),
                self.alphabet
            ));
        }
        (count != self.length as usize).then(|| {
            format!(
                "The token has {count} signs, wanted are {}: copy it whole from the mail (U4).",
                self.length
            )
        })
    }
}

/// What becomes of a recovery in its partition (`M11`).
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct KeptSpec {
    /// What puts the maker's back.
    pub restored_by: RestoredBy,
    /// What stops that, in words.
    pub stopped_by: String,
    /// Where a recovery that runs keeps its own log, as its link shows files (`M14`).
    pub log: Option<String>,
    /// The version of a recovery that the family's packages need (`M7`).
    pub at_least: Option<Version>,
    /// Whether one image of a recovery serves every variant, though they may share nothing else (`M2`).
    pub all_variants: bool,
}

/// A way to read partitions out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReadRoute {
    /// What kind.
    pub kind: RouteKind,
    /// The lock that it wants.
    pub lock: RouteLock,
    /// The mode that reads.
    pub mode: Mode,
    /// Partitions that are written to get there.
    pub writes: Vec<Label>,
    /// How, in words.
    pub hand: String,
}

/// A choice of the maker's write tool.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToolChoice {
    /// Its id.
    pub id: String,
    /// As the tool words it.
    pub title: String,
    /// Take, leave or never.
    pub advice: Advice,
    /// What it erases beside what it writes.
    pub erases: ToolErases,
    /// When it may be taken all the same.
    pub unless: String,
    /// Why.
    pub reason: String,
}

/// A build.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BuildSpec {
    /// Its full build string.
    pub id: String,
    /// Month of its security patch.
    pub patch: Month,
    /// Generation of the system.
    pub generation: u32,
    /// Whether it can be unlocked.
    pub unlockable: Unlockable,
    /// Rollback index that its first start fuses (`W1`).
    pub rollback: u32,
    /// Whether its files are published.
    pub stock: Stock,
    /// What else is known of it.
    pub note: String,
    /// Model codes that it is for; all where empty (`M2`).
    pub variants: Vec<String>,
    /// Where and when the digests were learned; empty where there are none.
    pub learned: String,
    /// Digests of the maker's images as they lie in their partitions, zeros behind them included, by
    /// label without a slot (`R1`).
    pub images: Vec<(Label, Digest)>,
}

/// A package.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PackageSpec {
    /// Its name, as on the shelf or card.
    pub name: String,
    /// What it is.
    pub kind: PackageKind,
    /// Index of the build that it leads to.
    pub to: usize,
    /// Index of the build that it wants; nothing for a full one.
    pub from: Option<usize>,
    /// The mode that takes it.
    pub mode: Mode,
    /// The mode it ends in.
    pub ends_in: Mode,
    /// What it takes.
    pub minutes: u32,
    /// What it takes of hands.
    pub effort: Effort,
    /// Whether it loses the owner's data.
    pub wipes: bool,
    /// How it leaves the partitions.
    pub leaves: Leaves,
    /// Whether it is the maker's and declares that what exists once is left alone (`G2`).
    pub keeps_unique: bool,
    /// Digest of the file, as published (`M8`).
    pub blake3: Option<Digest>,
    /// Where it must lie.
    pub lies: Lies,
    /// Its length in MiB, rounded up, where that is known.
    pub mib: Option<u32>,
    /// How it is installed.
    pub hand: String,
}

/// A mark that no relock removes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct Mark {
    /// What it is.
    pub text: String,
    /// What sets it.
    pub set_by: String,
}

/// What may come after, and what helps.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AfterCare {
    /// What is seen.
    pub cause: String,
    /// What helps.
    pub cure: String,
    /// What the cure loses.
    pub loses: String,
}

/// A logical volume inside a container partition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VolumeSpec {
    /// Its label.
    pub label: Label,
    /// Usual size.
    pub mib: u32,
}

/// A model code within the family.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Variant {
    /// The code.
    pub code: String,
    /// Its chipset.
    pub chipset: String,
    /// Regions it is sold in.
    pub regions: Vec<String>,
    /// Codes of variants that take the same images.
    pub shares_images: Vec<String>,
}

/// Where a fact is read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FactPlace {
    /// Which fact.
    pub key: FactKey,
    /// Whether the link gives it.
    pub read: ReadBy,
    /// Where a person finds it.
    pub place: String,
    /// What that takes.
    pub minutes: u32,
    /// Hours after which it is read again by the clock alone (`K5`).
    pub age_hours: Option<u32>,
    /// Key presses to change it there, where it is a switch.
    pub presses: u16,
    /// Words that screens print in front of it.
    pub prints: Vec<String>,
    /// What screens print, and the value that it means.
    pub says: Vec<(String, FactValue)>,
}

/// Who reads a fact.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum ReadBy {
    /// The link, in some mode.
    Link,
    /// A person only.
    Hand,
}

/// An identifier and what it must not be taken from.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Identifier {
    /// Which fact.
    pub key: FactKey,
    /// Whether no erase reaches it (`S1`).
    pub hardware: bool,
    /// Values that mean *missing* (`K4`).
    pub placeholders: Vec<String>,
    /// How the family makes them up; what is made otherwise is none (`K4`).
    pub shape: Option<Shape>,
}

/// How an identifier is made up: `h` stands for a digit of base 16, `d` for one of base 10, `w` for a
/// letter or digit; anything else for itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shape(pub String);

impl Shape {
    /// Whether `value` is made up so; letters may be large or small.
    #[must_use]
    pub fn fits(&self, value: &str) -> bool {
        let is_so = |(wanted, sign): (char, char)| match wanted {
            'h' => sign.is_ascii_hexdigit(),
            'd' => sign.is_ascii_digit(),
            'w' => sign.is_ascii_alphanumeric(),
            other => other.eq_ignore_ascii_case(&sign),
        };
        self.0.chars().count() == value.chars().count()
            && self.0.chars().zip(value.chars()).all(is_so)
    }
}

/// Whether device-unique bytes change by themselves.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Changes {
    /// Never.
    Fixed,
    /// At every start of the system.
    Living,
}

/// Whether a partition may be all zero or all one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Blank {
    /// It should hold something.
    Finding,
    /// As shipped.
    Expected,
}

/// A partition as the family knows it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PartitionSpec {
    /// Label in the table.
    pub label: Label,
    /// The slot that it is in, where it is there twice.
    pub slot: Option<InSlot>,
    /// Role.
    pub role: Role,
    /// Usual size; the unit's own table decides (`B2`).
    pub mib: u32,
    /// Fixed or living.
    pub changes: Changes,
    /// Blank or not.
    pub blank: Blank,
    /// The storage area it lies in.
    pub area: u32,
    /// Logical volumes inside it.
    pub volumes: Vec<VolumeSpec>,
}

/// One of two partitions of a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InSlot {
    /// Its slot.
    pub slot: Slot,
    /// The label that both share.
    pub stem: Label,
}

impl PartitionSpec {
    /// Its label without its slot.
    #[must_use]
    pub fn stem(&self) -> &Label {
        self.slot.as_ref().map_or(&self.label, |one| &one.stem)
    }

    /// Its slot's id; empty where there is but one of it.
    #[must_use]
    pub fn slot_id(&self) -> &'static str {
        self.slot.as_ref().map_or("", |one| one.slot.id())
    }
}

/// A mode of this family.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ModeSpec {
    /// Which.
    pub mode: Mode,
    /// What a person sees.
    pub looks: String,
    /// Whether the charge can be read there.
    pub battery_shows: bool,
    /// Whether it charges there.
    pub charges: bool,
    /// Drain in thousandths of a full battery an hour.
    pub drain_permille_per_hour: u32,
    /// Facts that a link reads in this mode, of those that tell modes apart (`K5`).
    pub tells: Vec<FactKey>,
    /// Keys by which its own menus and lists are moved in and chosen from.
    pub hands: Vec<Key>,
}

/// Something that unlocking costs (`U11`).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Consequence {
    /// Short name of the area.
    pub area: String,
    /// What happens.
    pub text: String,
}

/// A caution with its date and reason.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
pub struct Caution {
    /// Day, as written in the file.
    pub date: String,
    /// What to mind.
    pub text: String,
    /// Why.
    pub reason: String,
}

impl Family {
    /// `Finch Loop`.
    #[must_use]
    pub fn name(&self) -> String {
        format!("{} {}", self.maker, self.model)
    }

    /// What the family says of `mode`; every mode that a move mentions is there.
    #[must_use]
    pub fn mode(&self, mode: Mode) -> Option<&ModeSpec> {
        self.modes.iter().find(|spec| spec.mode == mode)
    }

    /// What the family says of the partition `label`.
    #[must_use]
    pub fn partition(&self, label: &Label) -> Option<&PartitionSpec> {
        self.partitions.iter().find(|spec| spec.label == *label)
    }

    /// Where `key` is read.
    #[must_use]
    pub fn place(&self, key: FactKey) -> Option<&FactPlace> {
        self.places.iter().find(|place| place.key == key)
    }

    /// The variant with this code.
    #[must_use]
    pub fn variant(&self, code: &str) -> Option<&Variant> {
        self.variants.iter().find(|variant| variant.code == code)
    }

    /// Whether its partitions are read by a recovery that is written first, and by nothing before it (`G3`).
    #[must_use]
    pub fn is_read_by_writing(&self) -> bool {
        self.recovery_write.is_some() && self.temporary_start.is_none()
    }

    /// Packages that bring the whole system, over any build.
    pub fn whole_packages(&self) -> impl Iterator<Item = &PackageSpec> {
        self.packages
            .iter()
            .filter(|package| package.from.is_none())
    }

    /// The partitions on which a recovery that stays lies: its own, or those whose image holds it.
    #[must_use]
    pub fn recovery_lies_on(&self) -> &[Label] {
        match (&self.recovery_write, &self.recovery_inside) {
            (Some(spec), _) => std::slice::from_ref(&spec.partition),
            (None, Some(spec)) => &spec.partitions,
            (None, None) => &[],
        }
    }

    /// Whether what goes with a recovery makes the owner's data unreadable (`Q9`).
    #[must_use]
    pub fn recovery_eats_data(&self) -> bool {
        let spec = self.recovery_write.as_ref();
        spec.is_some_and(|spec| spec.companions.iter().any(|one| one.eats_data))
    }

    /// The unit's model code: what is known of it, or the only one that there is.
    #[must_use]
    pub fn model<'a>(&'a self, facts: &'a Facts) -> Option<&'a str> {
        facts
            .text(FactKey::ModelCode)
            .or(match self.variants.as_slice() {
                [only] => Some(only.code.as_str()),
                _ => None,
            })
    }

    /// The build with this build string.
    #[must_use]
    pub fn build(&self, id: &str) -> Option<(usize, &BuildSpec)> {
        self.builds
            .iter()
            .enumerate()
            .find(|(_, build)| build.id == id)
    }

    /// Whether this is the text that ships with the program, to the letter. Only such a text says what
    /// is the maker's (`R1`, `E6`).
    #[must_use]
    pub fn is_shipped(&self) -> bool {
        SHIPPED
            .iter()
            .any(|(_, text)| Digest::of(text.as_bytes()) == self.digest)
    }

    /// What the maker publishes for a unit of this model code, build by build: only out of a shipped
    /// text. A build of another variant says nothing of this one (`M2`).
    #[must_use]
    pub fn published(&self, model: Option<&str>) -> Vec<&BuildSpec> {
        if !self.is_shipped() {
            return Vec::new();
        }
        let is_for = |build: &&BuildSpec| {
            build.variants.is_empty()
                || model.is_some_and(|code| build.variants.iter().any(|one| one == code))
        };
        let with_images = self.builds.iter().filter(|build| !build.images.is_empty());
        with_images.filter(is_for).collect()
    }

    /// The way from mode to mode with this id. Sheets from before ways had ids name only its two ends: that
    /// is the way between them, where there is but one.
    #[must_use]
    pub fn way(&self, id: &str) -> Option<&MoveSpec> {
        let named = self.moves.iter().find(|way| way.id == id);
        named.or_else(|| {
            let is_between =
                |way: &&MoveSpec| format!("{}-to-{}", way.from.id(), way.to.id()) == id;
            let mut between = self.moves.iter().filter(is_between);
            between.next().filter(|_| between.next().is_none())
        })
    }

    /// The stage of the lock with this id.
    #[must_use]
    pub fn stage(&self, id: &str) -> Option<&StageSpec> {
        self.stages.iter().find(|stage| stage.id == id)
    }

    /// The way of erasing the owner's data with this id.
    #[must_use]
    pub fn wipe(&self, id: &str) -> Option<&WipeSpec> {
        self.wipes.iter().find(|wipe| wipe.id == id)
    }

    /// The package with this name.
    #[must_use]
    pub fn package(&self, name: &str) -> Option<&PackageSpec> {
        self.packages.iter().find(|package| package.name == name)
    }

    /// Whether it has two slots.
    #[must_use]
    pub fn has_slots(&self) -> bool {
        self.partitions.iter().any(|part| part.slot.is_some())
    }

    /// Whether it has a stage for critical partitions (`L2`).
    #[must_use]
    pub fn has_critical_stage(&self) -> bool {
        self.stages.iter().any(|stage| !stage.only_for.is_empty())
    }

    /// The unlock stages that every plan needs, in order.
    pub fn main_stages(&self) -> impl Iterator<Item = &StageSpec> {
        self.stages.iter().filter(|stage| stage.only_for.is_empty())
    }

    /// What exists once and an unlock destroys: what its stages name, and all of it where one erases
    /// that role.
    #[must_use]
    pub fn destroyed(&self) -> Vec<Label> {
        let is_destroyed = |spec: &&PartitionSpec| {
            spec.role == Role::DeviceUnique
                && self.main_stages().any(|stage| {
                    stage.destroys.contains(&spec.label)
                        || stage.erases.contains(&Role::DeviceUnique)
                })
        };
        let all = self.partitions.iter().filter(is_destroyed);
        all.map(|spec| spec.label.clone()).collect()
    }

    /// The modes whose link has the rights to read and write partitions by itself: those of the routes
    /// that don't go through the running system (`B1`).
    #[must_use]
    pub fn reading_modes(&self) -> Modes {
        let at_rest = |route: &&ReadRoute| route.kind != RouteKind::RunningSystem;
        let routes = self.read_routes.iter().filter(at_rest);
        routes.map(|route| route.mode).collect()
    }

    /// Where partitions can be read, at rest and live (`B1`).
    #[must_use]
    pub fn readable(&self) -> Readable {
        let mut routes = self.read_routes.iter();
        let live = routes.find(|route| route.kind == RouteKind::RunningSystem);
        Readable {
            at_rest: self.reading_modes(),
            live: match live.map(|route| route.lock) {
                None => LiveReads::Never,
                Some(RouteLock::Unlocked) => LiveReads::Unlocked,
                Some(RouteLock::Any) => LiveReads::Always,
            },
        }
    }

    /// The mode below the system in which a unit has to answer this computer (`U8`): the one that
    /// takes the unlock or, where that begins switched off, the one for taking files in.
    #[must_use]
    pub fn lower_mode(&self) -> Option<Mode> {
        let stage = self.main_stages().next()?;
        match stage.mode {
            Mode::System => None,
            Mode::Off => [Mode::Bootloader, Mode::Download]
                .into_iter()
                .find(|mode| self.mode(*mode).is_some()),
            mode => Some(mode),
        }
    }

    /// Whether this value of an identifier means *missing* (`K4`): one of the family's placeholders,
    /// not made up as the family makes them, or nothing that tells any unit from another.
    #[must_use]
    pub fn is_placeholder(&self, key: FactKey, value: &str) -> bool {
        let mut of_key = self.identifiers.iter().filter(|id| id.key == key);
        let is_listed = of_key.any(|id| {
            let mut known = id.placeholders.iter();
            known.any(|one| one.eq_ignore_ascii_case(value.trim()))
                || id
                    .shape
                    .as_ref()
                    .is_some_and(|shape| !shape.fits(value.trim()))
        });
        is_listed || placeholder::is_placeholder(value)
    }

    /// Whether something is known by which a unit is told from others of its model (`K4`).
    #[must_use]
    pub fn identifies(&self, facts: &Facts) -> bool {
        !self.identities(facts).is_empty()
    }

    /// Everything that is known by which a unit is told from others; placeholders are none of it (`K4`).
    #[must_use]
    pub fn identities(&self, facts: &Facts) -> Vec<(FactKey, String)> {
        let told = |key: FactKey| {
            let value = facts.known(key)?.value.exact();
            (!self.is_placeholder(key, &value)).then_some((key, value))
        };
        let keys = self.identifiers.iter().map(|id| id.key);
        keys.filter_map(told).collect()
    }

    /// The row of the unit's hardware identity, when known and not a placeholder (`S1`).
    #[must_use]
    pub fn hardware_identity<'f>(&self, facts: &'f Facts) -> Option<&'f FactRow> {
        self.identifiers
            .iter()
            .filter(|id| id.hardware)
            .find_map(|id| {
                let row = facts.known(id.key)?;
                let FactValue::Text(text) = &row.value else {
                    return None;
                };
                (!self.is_placeholder(id.key, text)).then_some(row)
            })
    }

    /// The same as an identity that can be compared with what a device says of itself.
    #[must_use]
    pub fn chip(&self, facts: &Facts) -> Option<Chip> {
        let row = self.hardware_identity(facts)?;
        Some(Chip {
            key: row.key,
            value: row.value.exact(),
        })
    }
}

#[cfg(test)]
pub(crate) mod testing {
    use super::*;

    /// The shipped file, as text.
    pub(crate) const GIMBAL: &str = include_str!("../../../../families/gimbal.toml");

    pub(crate) fn gimbal() -> Family {
        load("gimbal.toml", GIMBAL).unwrap()
    }

    /// The shipped family with this codename.
    pub(crate) fn shipped(codename: &str) -> Family {
        let (file, text) = SHIPPED
            .iter()
            .find(|(file, _)| file.strip_suffix(".toml") == Some(codename))
            .unwrap();
        load(file, text).unwrap()
    }
}

#[cfg(test)]
mod tests {
    use super::testing::gimbal;
    use super::*;
    use crate::facts::testing::facts;

    #[test]
    fn a_placeholder_is_missing_never_an_identity() {
        let family = gimbal();
        for value in [
            "00:00:00:00:00:00",
            "ff:ff:ff:ff:ff:ff",
            "12:34:56:78:90:12",
        ] {
            let facts = facts(&[(FactKey::ChipId, value)]);
            assert_eq!(family.hardware_identity(&facts), None, "{value}");
        }
        let real = facts(&[(FactKey::ChipId, "9a:77:01:5c:20:e4")]);
        assert!(family.hardware_identity(&real).is_some());
        let serial_only = facts(&[(FactKey::Serial, "FL1-220417-0093")]);
        assert_eq!(family.hardware_identity(&serial_only), None);
    }

    #[test]
    fn a_token_is_checked_for_length_and_alphabet() {
        let token = testing::shipped("lodestar").token.unwrap();
        assert_eq!(token.fault("00A1B2C3D4E5F607"), None);
        let odd = token.fault("00A1B2C3D4E5F6O7").unwrap();
        assert!(odd.starts_with("Sign 15 of the token, `O`,"), "{odd}");
        let short = token.fault("00A1").unwrap();
        assert!(
            short.starts_with("The token has 4 signs, wanted are 16"),
            "{short}"
        );
    }
}
