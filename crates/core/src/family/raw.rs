//! First stage: the file's shape. Unknown keys are errors; values that the second stage may refuse
//! remember where they stand.

mod acts;
mod builds;

use std::collections::BTreeMap;

use serde::Deserialize;
use toml::Spanned;

use super::{
    AfterCare, Blank, CarrierRule, Caution, Changes, Consequence, HiddenUntil, Key, Mark, ReadBy,
    Role, Slots, ToggleKept,
};
use crate::facts::FactKey;
use crate::keepsafe::KeepClass;
use crate::mode::Mode;

pub(super) use acts::*;
pub(super) use builds::*;

/// A device family as a file.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
#[schema(title = "Veritope family file")]
pub struct RawFamily {
    /// Version of this format: 1 to 7.
    #[schema(value_type = u32)]
    pub(super) schema: Spanned<u32>,
    /// Which family it is.
    pub(super) identity: RawIdentity,
    /// Its model codes.
    #[serde(default)]
    #[schema(value_type = Vec<RawVariant>)]
    pub(super) variant: Vec<Spanned<RawVariant>>,
    /// Where each fact is read.
    #[serde(default)]
    #[schema(value_type = Vec<RawPlace>)]
    pub(super) fact: Vec<Spanned<RawPlace>>,
    /// What a unit is recognised by.
    #[serde(default)]
    #[schema(value_type = Vec<RawIdentifier>)]
    pub(super) identifier: Vec<Spanned<RawIdentifier>>,
    /// Storage areas beside the first, or with sectors other than 512 bytes.
    #[serde(default)]
    #[schema(value_type = Vec<RawArea>)]
    pub(super) area: Vec<Spanned<RawArea>>,
    /// Partitions, as the table labels them.
    #[serde(default)]
    #[schema(value_type = Vec<RawPartition>)]
    pub(super) partition: Vec<Spanned<RawPartition>>,
    /// Modes it can be in.
    #[serde(default)]
    #[schema(value_type = Vec<RawMode>)]
    pub(super) mode: Vec<Spanned<RawMode>>,
    /// Ways from one mode to another.
    #[serde(default, rename = "move")]
    #[schema(value_type = Vec<RawMove>)]
    pub(super) moves: Vec<Spanned<RawMove>>,
    /// Restarting it by force, where keys do that (N6).
    pub(super) forced_restart: Option<RawForcedRestart>,
    /// The first start after a wipe.
    #[schema(value_type = RawPace)]
    pub(super) first_start: Spanned<RawPace>,
    /// Letting this computer give commands.
    pub(super) debugging: RawDebugging,
    /// Stages of the lock; none where there is no lock.
    #[serde(default)]
    #[schema(value_type = Vec<RawStage>)]
    pub(super) stage: Vec<Spanned<RawStage>>,
    /// What unlocking costs (U11).
    #[serde(default)]
    pub(super) consequence: Vec<RawConsequence>,
    /// A recovery started from memory, where the bootloader can.
    #[schema(value_type = Option<RawTemporaryStart>)]
    pub(super) temporary_start: Option<Spanned<RawTemporaryStart>>,
    /// Reading the partition table.
    #[schema(value_type = RawPace)]
    pub(super) table: Spanned<RawPace>,
    /// Taking a capture.
    #[schema(value_type = Option<RawPace>)]
    pub(super) capture: Option<Spanned<RawPace>>,
    /// Writing a recovery through the bootloader.
    #[schema(value_type = Option<RawRecoveryWrite>)]
    pub(super) recovery_write: Option<Spanned<RawRecoveryWrite>>,
    /// Putting a recovery inside an image that starts the system too; since schema 11.
    #[schema(value_type = Option<RawRecoveryInside>)]
    pub(super) recovery_inside: Option<Spanned<RawRecoveryInside>>,
    /// A recovery that runs from memory installs itself; since schema 12.
    #[schema(value_type = Option<RawInstallWithin>)]
    pub(super) install_within: Option<Spanned<RawInstallWithin>>,
    /// Taking in the maker's whole set; since schema 10.
    #[schema(value_type = Option<RawMakersSet>)]
    pub(super) makers_set: Option<Spanned<RawMakersSet>>,
    /// Classes of data that its owner may lose (U9).
    pub(super) keep_safe: RawKeepSafe,
    /// What people learned the hard way.
    #[serde(default)]
    pub(super) caution: Vec<RawCaution>,
    /// Equipment IDs, where it has a radio.
    #[schema(value_type = Option<RawEquipmentId>)]
    pub(super) equipment_id: Option<Spanned<RawEquipmentId>>,
    /// How its build strings are made up (K1, K2).
    pub(super) build_string: Option<RawBuildString>,
    /// The toggle that allows unlocking.
    #[schema(value_type = Option<RawToggle>)]
    pub(super) toggle: Option<Spanned<RawToggle>>,
    /// What it means to be sold by a carrier (U1, K6).
    pub(super) carrier: Option<RawCarrier>,
    /// A screen that says whether unlocking is allowed (U3).
    pub(super) service_screen: Option<RawServiceScreen>,
    /// A token from the maker (U4).
    pub(super) token: Option<RawToken>,
    /// Locking again (section 10).
    #[serde(default)]
    #[schema(value_type = RawRelock)]
    pub(super) relock: Option<Spanned<RawRelock>>,
    /// Ways to erase the owner's data (G5).
    #[serde(default)]
    #[schema(value_type = Vec<RawWipe>)]
    pub(super) wipe: Vec<Spanned<RawWipe>>,
    /// Making the other slot the active one (G5).
    pub(super) slot_switch: Option<RawSlotSwitch>,
    /// What must be read before anything foreign is written (L5).
    #[serde(default)]
    #[schema(value_type = Vec<RawBeforeForeign>)]
    pub(super) before_foreign: Vec<Spanned<RawBeforeForeign>>,
    /// What becomes of a recovery in its partition (M11).
    #[schema(value_type = Option<RawKept>)]
    pub(super) recovery: Option<Spanned<RawKept>>,
    /// Ways to read partitions out (B1).
    #[serde(default)]
    #[schema(value_type = Vec<RawReadRoute>)]
    pub(super) read_route: Vec<Spanned<RawReadRoute>>,
    /// What the maker's write tool lets one choose (Q14, S6).
    #[serde(default)]
    #[schema(value_type = Vec<RawToolChoice>)]
    pub(super) tool_choice: Vec<Spanned<RawToolChoice>>,
    /// Builds, oldest first (U5, W1).
    #[serde(default)]
    #[schema(value_type = Vec<RawBuild>)]
    pub(super) build: Vec<Spanned<RawBuild>>,
    /// Packages that lead from build to build (W1).
    #[serde(default)]
    #[schema(value_type = Vec<RawPackage>)]
    pub(super) package: Vec<Spanned<RawPackage>>,
    /// Marks that no relock removes.
    #[serde(default)]
    pub(super) mark: Vec<Mark>,
    /// What may come after, with cause and cure (C4).
    #[serde(default)]
    pub(super) after_care: Vec<AfterCare>,
}

/// Equipment IDs (K3).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawEquipmentId {
    /// How many a unit has: one a radio.
    pub(super) count: u8,
    /// First eight digits of all IDs of this family.
    #[serde(default)]
    #[schema(value_type = Vec<String>)]
    pub(super) type_codes: Vec<Spanned<String>>,
}

/// How build strings are made up.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawBuildString {
    /// Text with groups in braces: `{version}`, `{yymmdd}`, `{any}` and so on.
    #[schema(value_type = String)]
    pub(super) pattern: Spanned<String>,
}

/// The toggle (U1, U2).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawToggle {
    /// Where it is kept: a wipe of user data takes it along, or not.
    pub(super) kept: ToggleKept,
    /// What has to happen before it shows.
    #[serde(default)]
    pub(super) hidden_until: HiddenUntil,
    /// Hours since the unit was first online.
    #[serde(default)]
    pub(super) wait_hours: u32,
    /// Whether hours switched off count.
    #[serde(default = "yes")]
    pub(super) off_hours_count: YesNo,
    /// How to switch it on.
    pub(super) hand: String,
    /// Minutes that takes.
    pub(super) minutes: u32,
    /// What to try before the wait.
    #[serde(default)]
    pub(super) quick_cure: String,
    /// Minutes that takes.
    #[serde(default)]
    pub(super) quick_minutes: u32,
}

fn yes() -> YesNo {
    YesNo::Yes
}

fn no() -> YesNo {
    YesNo::No
}

/// Units that a carrier sold (K6).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawCarrier {
    /// Whether the carrier lets it be switched on.
    pub(super) toggle: CarrierRule,
    /// Why, in a sentence.
    pub(super) reason: String,
}

/// The service screen (U3).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawServiceScreen {
    /// How to get there and what to read.
    pub(super) hand: String,
}

/// Tokens (U4).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawToken {
    /// Characters.
    pub(super) length: u32,
    /// Characters that may stand in it.
    pub(super) alphabet: String,
    /// Who gives it.
    pub(super) portal: String,
    /// Usual hours until the mail comes.
    pub(super) mail_hours: u32,
    /// Whether the same token works again.
    pub(super) again: YesNo,
    /// Hours that an account has to be there before it may ask.
    #[serde(default)]
    pub(super) account_hours: Option<u32>,
    /// How many units one account gets a token for.
    #[serde(default)]
    pub(super) units_per_account: Option<u32>,
    /// Whether the maker's own tool, with which it is asked for or used, erases by itself.
    #[serde(default)]
    pub(super) tool_erases: YesNo,
}

/// A volume inside a container partition.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawVolume {
    /// Its label.
    #[schema(value_type = String)]
    pub(super) label: Spanned<String>,
    /// Its size.
    pub(super) mib: u32,
}

/// Which family.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawIdentity {
    /// Maker.
    pub(super) maker: String,
    /// Model.
    pub(super) model: String,
    /// Codename: letters, digits, `_` and `-`.
    #[schema(value_type = String)]
    pub(super) codename: Spanned<String>,
    /// What kind of thing, such as `phone`.
    pub(super) form: String,
    /// Other codenames it goes by.
    #[serde(default)]
    pub(super) aliases: Vec<String>,
}

/// A model code.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawVariant {
    /// The code; every letter counts (M2).
    pub(super) code: String,
    /// Chipset.
    pub(super) chipset: String,
    /// Regions it is sold in.
    pub(super) regions: Vec<String>,
    /// Model codes that may use the same images.
    #[serde(default)]
    #[schema(value_type = Vec<String>)]
    pub(super) shares_images: Vec<Spanned<String>>,
}

/// Where a fact is read.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawPlace {
    /// The fact.
    pub(super) key: FactKey,
    /// By whom.
    pub(super) read: ReadBy,
    /// Where, in words.
    #[serde(rename = "where")]
    pub(super) place: String,
    /// Minutes it takes.
    pub(super) minutes: u32,
    /// Hours after which it is read again by the clock alone (K5).
    pub(super) age_hours: Option<u32>,
    /// Key presses to change it there, where it is a switch.
    #[serde(default)]
    pub(super) presses: u16,
    /// What its screens print before the value; for pasted text.
    #[serde(default)]
    pub(super) prints: Vec<String>,
    /// What the screen prints, and the value it stands for.
    #[serde(default)]
    #[schema(value_type = BTreeMap<String, String>)]
    pub(super) says: BTreeMap<String, Spanned<String>>,
}

#[derive(Clone, Copy, Default, PartialEq, Eq, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub(super) enum YesNo {
    Yes,
    #[default]
    No,
}

/// What a unit is recognised by (K4).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawIdentifier {
    /// The fact.
    pub(super) key: FactKey,
    /// Whether no erase reaches it.
    pub(super) hardware: YesNo,
    /// Values that stand for *missing*.
    #[serde(default)]
    pub(super) placeholders: Vec<String>,
    /// How it is made up: `h` a digit of base 16, `d` of base 10, `w` a letter or digit, the rest as
    /// written. A value made otherwise is *missing*.
    pub(super) shape: Option<String>,
}

/// A storage area.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawArea {
    /// Its number, the first is 0.
    pub(super) index: u32,
    /// 512 or 4096.
    #[schema(value_type = u32)]
    pub(super) sector_bytes: Spanned<u32>,
}

/// A partition.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawPartition {
    /// As the table says; without `_a` and `_b` where it is in two slots.
    #[schema(value_type = String)]
    pub(super) label: Spanned<String>,
    /// What it is for.
    pub(super) role: Role,
    /// Its size in MiB.
    #[schema(value_type = u32)]
    pub(super) mib: Spanned<u32>,
    /// Whether the running system rewrites it.
    #[serde(default = "fixed")]
    pub(super) changes: Changes,
    /// Whether it may be blank, and when.
    #[serde(default = "finding")]
    pub(super) blank: Blank,
    /// The area it lies in.
    #[serde(default)]
    pub(super) area: u32,
    /// Whether it is there twice.
    #[serde(default)]
    pub(super) slots: Slots,
    /// Volumes inside it.
    #[serde(default)]
    pub(super) volume: Vec<RawVolume>,
}

fn fixed() -> Changes {
    Changes::Fixed
}

fn finding() -> Blank {
    Blank::Finding
}

/// A mode.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawMode {
    /// Which.
    pub(super) id: Mode,
    /// What its screen shows.
    pub(super) looks: String,
    /// Whether the battery can be read there.
    pub(super) battery_shows: YesNo,
    /// Whether it charges there.
    pub(super) charges: YesNo,
    /// Thousandths of a full battery that an hour takes.
    pub(super) drain_permille_per_hour: u32,
    /// Which of these facts a link always reads there, and no others of them elsewhere: the second
    /// sign of the mode (K5).
    #[serde(default)]
    pub(super) tells: Vec<FactKey>,
    /// Keys by which its own menus and lists are moved in and chosen from; `screen` is a finger on it.
    #[serde(default)]
    pub(super) hands: Vec<Key>,
}

/// Classes of the owner's data.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawKeepSafe {
    /// Their ids.
    #[schema(value_type = Vec<KeepClass>)]
    pub(super) classes: Vec<Spanned<KeepClass>>,
}

/// What it costs.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawConsequence {
    /// What it is about.
    area: String,
    /// In a sentence.
    text: String,
}

/// A caution.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RawCaution {
    /// When it was learned.
    date: String,
    /// What.
    text: String,
    /// Why.
    reason: String,
}

impl From<RawConsequence> for Consequence {
    fn from(raw: RawConsequence) -> Self {
        Self {
            area: raw.area,
            text: raw.text,
        }
    }
}

impl From<RawCaution> for Caution {
    fn from(raw: RawCaution) -> Self {
        Self {
            date: raw.date,
            text: raw.text,
            reason: raw.reason,
        }
    }
}
