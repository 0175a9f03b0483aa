//! First stage: the file's shape. Unknown keys are errors; values that the second stage may refuse
//! remember where they stand.

use std::collections::BTreeMap;

use serde::Deserialize;
use toml::Spanned;

use super::{
    AfterCare, Again, Blank, CarrierRule, Caution, Changes, Consequence, HiddenUntil, Leaves, Lies,
    Mark, Method, MoveBy, PackageKind, ReadBy, Role, Slots, Stock, ToggleKept, Unlockable,
};
use crate::facts::FactKey;
use crate::keepsafe::KeepClass;
use crate::mode::Mode;

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawFamily {
    pub(super) schema: Spanned<u32>,
    pub(super) identity: RawIdentity,
    #[serde(default)]
    pub(super) variant: Vec<Spanned<RawVariant>>,
    #[serde(default)]
    pub(super) fact: Vec<Spanned<RawPlace>>,
    #[serde(default)]
    pub(super) identifier: Vec<Spanned<RawIdentifier>>,
    #[serde(default)]
    pub(super) area: Vec<Spanned<RawArea>>,
    #[serde(default)]
    pub(super) partition: Vec<Spanned<RawPartition>>,
    #[serde(default)]
    pub(super) mode: Vec<Spanned<RawMode>>,
    #[serde(default, rename = "move")]
    pub(super) moves: Vec<Spanned<RawMove>>,
    pub(super) first_start: Spanned<RawPace>,
    pub(super) debugging: RawDebugging,
    #[serde(default)]
    pub(super) stage: Vec<Spanned<RawStage>>,
    #[serde(default)]
    pub(super) consequence: Vec<RawConsequence>,
    pub(super) temporary_start: Option<Spanned<RawTemporaryStart>>,
    pub(super) table: Spanned<RawPace>,
    pub(super) capture: Option<Spanned<RawPace>>,
    pub(super) recovery_write: Option<Spanned<RawRecoveryWrite>>,
    pub(super) keep_safe: RawKeepSafe,
    #[serde(default)]
    pub(super) caution: Vec<RawCaution>,
    pub(super) equipment_id: Option<Spanned<RawEquipmentId>>,
    pub(super) build_string: Option<RawBuildString>,
    pub(super) toggle: Option<Spanned<RawToggle>>,
    pub(super) carrier: Option<RawCarrier>,
    pub(super) service_screen: Option<RawServiceScreen>,
    pub(super) token: Option<RawToken>,
    #[serde(default)]
    pub(super) relock: RawRelock,
    #[serde(default)]
    pub(super) build: Vec<Spanned<RawBuild>>,
    #[serde(default)]
    pub(super) package: Vec<Spanned<RawPackage>>,
    #[serde(default)]
    pub(super) mark: Vec<Mark>,
    #[serde(default)]
    pub(super) after_care: Vec<AfterCare>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawEquipmentId {
    pub(super) count: u8,
    #[serde(default)]
    pub(super) type_codes: Vec<Spanned<String>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawBuildString {
    pub(super) pattern: Spanned<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawToggle {
    pub(super) kept: ToggleKept,
    #[serde(default)]
    pub(super) hidden_until: HiddenUntil,
    #[serde(default)]
    pub(super) wait_hours: u32,
    #[serde(default = "yes")]
    pub(super) off_hours_count: YesNo,
    pub(super) hand: String,
    pub(super) minutes: u32,
    #[serde(default)]
    pub(super) quick_cure: String,
    #[serde(default)]
    pub(super) quick_minutes: u32,
}

fn yes() -> YesNo {
    YesNo::Yes
}

fn no() -> YesNo {
    YesNo::No
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawCarrier {
    pub(super) toggle: CarrierRule,
    pub(super) reason: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawServiceScreen {
    pub(super) hand: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawToken {
    pub(super) length: u32,
    pub(super) alphabet: String,
    pub(super) portal: String,
    pub(super) mail_hours: u32,
    pub(super) again: YesNo,
}

#[derive(Default, Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawRelock {
    #[serde(default)]
    pub(super) again: Again,
    #[serde(default)]
    pub(super) order: Vec<Spanned<String>>,
    #[serde(default)]
    pub(super) hand: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawBuild {
    pub(super) id: Spanned<String>,
    pub(super) patch: Spanned<String>,
    pub(super) generation: u32,
    pub(super) unlockable: Unlockable,
    #[serde(default)]
    pub(super) rollback: u32,
    pub(super) stock: Stock,
    #[serde(default)]
    pub(super) note: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawPackage {
    pub(super) name: Spanned<String>,
    pub(super) kind: PackageKind,
    pub(super) to: Spanned<String>,
    pub(super) from: Option<Spanned<String>>,
    pub(super) mode: Spanned<Mode>,
    pub(super) ends_in: Spanned<Mode>,
    pub(super) minutes: u32,
    pub(super) wipes: YesNo,
    #[serde(default)]
    pub(super) leaves: Leaves,
    pub(super) lies: Lies,
    pub(super) hand: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawVolume {
    pub(super) label: Spanned<String>,
    pub(super) mib: u32,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawIdentity {
    pub(super) maker: String,
    pub(super) model: String,
    pub(super) codename: Spanned<String>,
    pub(super) form: String,
    #[serde(default)]
    pub(super) aliases: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawVariant {
    pub(super) code: String,
    pub(super) chipset: String,
    pub(super) regions: Vec<String>,
    #[serde(default)]
    pub(super) shares_images: Vec<Spanned<String>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawPlace {
    pub(super) key: FactKey,
    pub(super) read: ReadBy,
    #[serde(rename = "where")]
    pub(super) place: String,
    pub(super) minutes: u32,
    #[serde(default)]
    pub(super) prints: Vec<String>,
    #[serde(default)]
    pub(super) says: BTreeMap<String, Spanned<String>>,
}

#[derive(Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub(super) enum YesNo {
    Yes,
    No,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawIdentifier {
    pub(super) key: FactKey,
    pub(super) hardware: YesNo,
    #[serde(default)]
    pub(super) placeholders: Vec<String>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawArea {
    pub(super) index: u32,
    pub(super) sector_bytes: Spanned<u32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawPartition {
    pub(super) label: Spanned<String>,
    pub(super) role: Role,
    pub(super) mib: Spanned<u32>,
    #[serde(default = "fixed")]
    pub(super) changes: Changes,
    #[serde(default = "finding")]
    pub(super) blank: Blank,
    #[serde(default)]
    pub(super) area: u32,
    #[serde(default)]
    pub(super) slots: Slots,
    #[serde(default)]
    pub(super) volume: Vec<RawVolume>,
}

fn fixed() -> Changes {
    Changes::Fixed
}

fn finding() -> Blank {
    Blank::Finding
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawMode {
    pub(super) id: Mode,
    pub(super) looks: String,
    pub(super) battery_shows: YesNo,
    pub(super) charges: YesNo,
    pub(super) drain_permille_per_hour: u32,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawMove {
    pub(super) from: Spanned<Mode>,
    pub(super) to: Spanned<Mode>,
    pub(super) by: MoveBy,
    pub(super) needs_debugging: YesNo,
    pub(super) usual: u32,
    pub(super) stuck: Spanned<u32>,
    pub(super) hands_on: u32,
    pub(super) presses: u16,
    pub(super) hand: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawDebugging {
    pub(super) hand: String,
    pub(super) minutes: u32,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawStage {
    pub(super) id: Spanned<String>,
    pub(super) title: String,
    pub(super) mode: Spanned<Mode>,
    #[serde(default)]
    pub(super) method: Method,
    pub(super) forms: Spanned<Vec<String>>,
    #[serde(default)]
    pub(super) only_for: Vec<Role>,
    #[serde(default = "no")]
    pub(super) needs_toggle: YesNo,
    pub(super) question: String,
    pub(super) default: String,
    pub(super) answered_by: String,
    pub(super) hand: String,
    pub(super) answer: String,
    pub(super) erases: Vec<Role>,
    pub(super) ends_in: Spanned<Mode>,
    pub(super) usual: u32,
    pub(super) stuck: Spanned<u32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawTemporaryStart {
    pub(super) from: Spanned<Mode>,
    pub(super) usual: u32,
    pub(super) stuck: Spanned<u32>,
    pub(super) rights: String,
    pub(super) partition: Spanned<String>,
    pub(super) hand: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawRecoveryWrite {
    pub(super) mode: Spanned<Mode>,
    pub(super) partition: Spanned<String>,
    pub(super) usual: u32,
    pub(super) stuck: Spanned<u32>,
    pub(super) hand: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawPace {
    pub(super) usual: u32,
    pub(super) stuck: Spanned<u32>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawKeepSafe {
    pub(super) classes: Vec<Spanned<KeepClass>>,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawConsequence {
    area: String,
    text: String,
}

#[derive(Deserialize)]
#[serde(deny_unknown_fields)]
pub(super) struct RawCaution {
    date: String,
    text: String,
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
