//! Acts as a file words them.

use serde::Deserialize;
use toml::Spanned;

use super::{YesNo, no};
use crate::facts::FactKey;
use crate::family::{
    Again, CompanionMade, Cue, Key, Menu, Method, MoveBy, PhaseKind, Replaces, RestoredBy, Role,
    RouteKind, RouteLock, Wipe,
};
use crate::mode::Mode;

/// Locking again.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawRelock {
    /// Whether it can be unlocked again after.
    #[serde(default)]
    pub(crate) again: Again,
    /// Stages in the order in which they are locked (R6).
    #[serde(default)]
    #[schema(value_type = Vec<String>)]
    pub(crate) order: Vec<Spanned<String>>,
    /// How, in words.
    #[serde(default)]
    pub(crate) hand: String,
    /// Mode that takes it; without it, it is not planned.
    #[schema(value_type = Option<Mode>)]
    pub(crate) mode: Option<Spanned<Mode>>,
    /// Command, or press.
    #[serde(default)]
    pub(crate) method: Method,
    /// Command forms in the order of trying (L1).
    #[serde(default)]
    pub(crate) forms: Vec<String>,
    /// What the device asks.
    #[serde(default)]
    pub(crate) question: String,
    /// The answer that is highlighted.
    #[serde(default)]
    pub(crate) default: String,
    /// The answer for this step, in words; up to schema 5.
    #[schema(value_type = Option<String>)]
    pub(crate) answer: Option<Spanned<String>>,
    /// How the unit is told yes.
    #[schema(value_type = Option<RawYes>)]
    pub(crate) yes: Option<Spanned<RawYes>>,
    /// Mode that the unit is in after; the one that takes it where not said.
    #[schema(value_type = Option<Mode>)]
    pub(crate) ends_in: Option<Spanned<Mode>>,
    /// Usual seconds.
    #[serde(default)]
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = Option<u32>)]
    pub(crate) stuck: Option<Spanned<u32>>,
    /// Seconds with hands on the device.
    #[serde(default)]
    pub(crate) hands_on: u32,
    /// Key presses.
    #[serde(default)]
    pub(crate) presses: u16,
    /// The press as phases, where hands do it (N2).
    #[serde(default)]
    #[schema(value_type = Vec<RawPhase>)]
    pub(crate) phase: Vec<Spanned<RawPhase>>,
}

/// How a unit is told yes on its own screen: by one of these.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawYes {
    /// Its way from the highlighted answer.
    pub(crate) menu: Option<Menu>,
    /// The key that is pressed once.
    pub(crate) tap: Option<Key>,
    /// The words that are touched.
    pub(crate) touch: Option<String>,
}

/// A way to erase the owner's data.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawWipe {
    /// Its id.
    #[schema(value_type = String)]
    pub(crate) id: Spanned<String>,
    /// Words for it.
    pub(crate) title: String,
    /// The same with the unit's name, for which `{unit}` stands; by default the title, and of which unit.
    #[serde(default)]
    #[schema(value_type = Option<String>)]
    pub(crate) label: Option<Spanned<String>>,
    /// Which wipe it is.
    pub(crate) wipe: Wipe,
    /// Mode that takes it.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// The lock that it wants.
    #[serde(default)]
    pub(crate) lock: RouteLock,
    /// A command over the link, or keys on the device.
    pub(crate) by: MoveBy,
    /// What the device asks; empty where it asks nothing.
    #[serde(default)]
    pub(crate) question: String,
    /// The answer that is highlighted.
    #[serde(default)]
    pub(crate) default: String,
    /// The answer for this step, in words; up to schema 5.
    #[schema(value_type = Option<String>)]
    pub(crate) answer: Option<Spanned<String>>,
    /// How the unit is told yes.
    #[schema(value_type = Option<RawYes>)]
    pub(crate) yes: Option<Spanned<RawYes>>,
    /// Roles whose partitions it erases: user data and cache, nothing else.
    #[schema(value_type = Vec<Role>)]
    pub(crate) erases: Spanned<Vec<Role>>,
    /// Mode that the unit is in after.
    #[schema(value_type = Mode)]
    pub(crate) ends_in: Spanned<Mode>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// Seconds with hands on the device.
    #[serde(default)]
    pub(crate) hands_on: u32,
    /// Key presses.
    #[serde(default)]
    pub(crate) presses: u16,
    /// How, in words.
    pub(crate) hand: String,
    /// Where in a menu it is, counted from the highlight (N3).
    pub(crate) menu: Option<Menu>,
}

/// Making the other slot the active one.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawSlotSwitch {
    /// Mode that takes it.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// How, in words.
    pub(crate) hand: String,
}

/// Something that is read before anything foreign is written.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawBeforeForeign {
    /// What is read.
    pub(crate) key: FactKey,
    /// What it must say.
    #[schema(value_type = String)]
    pub(crate) value: Spanned<String>,
    /// Why, in a sentence.
    pub(crate) reason: String,
}

/// What becomes of a recovery in its partition.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawKept {
    /// What puts the maker's back.
    #[serde(default)]
    pub(crate) restored_by: RestoredBy,
    /// What stops that, in words.
    #[serde(default)]
    pub(crate) stopped_by: String,
    /// Where a recovery that runs keeps its own log, as its link shows files (M14), such as `"/scratch/recovery.log"`;
    /// since schema 12.
    #[schema(value_type = Option<String>)]
    pub(crate) log: Option<Spanned<String>>,
    /// The version of a recovery that the family's packages need (M7), such as `"3.2.0"`; since schema 9.
    #[schema(value_type = Option<String>)]
    pub(crate) at_least: Option<Spanned<String>>,
    /// Whether one image of a recovery serves every variant, though they may share nothing else (M2); since
    /// schema 9.
    #[serde(default)]
    pub(crate) all_variants: bool,
}

/// A way to read partitions out.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawReadRoute {
    /// What kind of way.
    pub(crate) kind: RouteKind,
    /// The lock that it wants.
    #[serde(default)]
    pub(crate) lock: RouteLock,
    /// Mode that reads.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Partitions that are written to get there, in one go.
    #[serde(default)]
    #[schema(value_type = Vec<String>)]
    pub(crate) writes: Vec<Spanned<String>>,
    /// How, in words.
    pub(crate) hand: String,
}

/// A way from mode to mode.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawMove {
    /// A name of its own; only needed where another way has the same from, to and by.
    #[schema(value_type = Option<String>)]
    pub(crate) id: Option<Spanned<String>>,
    /// From.
    #[schema(value_type = Mode)]
    pub(crate) from: Spanned<Mode>,
    /// To.
    #[schema(value_type = Mode)]
    pub(crate) to: Spanned<Mode>,
    /// By what.
    pub(crate) by: MoveBy,
    /// Whether this computer must be let in first.
    pub(crate) needs_debugging: YesNo,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck; more than usual.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// Seconds with hands on it.
    pub(crate) hands_on: u32,
    /// Key presses.
    pub(crate) presses: u16,
    /// How, in words.
    pub(crate) hand: String,
    /// The same as phases, where hands do it (N2).
    #[serde(default)]
    #[schema(value_type = Vec<RawPhase>)]
    pub(crate) phase: Vec<Spanned<RawPhase>>,
    /// Where in a menu it is, counted from the highlight (N3).
    pub(crate) menu: Option<Menu>,
}

/// Restarting it by force.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawForcedRestart {
    /// The keys that it takes.
    pub(crate) keys: Vec<Key>,
    /// How, in words.
    pub(crate) hand: String,
}

/// A phase of a choreography (N2).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawPhase {
    /// The keys that are down.
    #[serde(default)]
    pub(crate) keys: Vec<Key>,
    /// What is done with them.
    pub(crate) kind: PhaseKind,
    /// The words that are touched, on its screen or in the tool.
    #[serde(default)]
    pub(crate) on: String,
    /// What ends it.
    pub(crate) cue: Cue,
    /// Usual seconds until the cue.
    #[schema(value_type = u32)]
    pub(crate) seconds: Spanned<u32>,
    /// Keys that are let go at the cue; those not named stay down.
    #[serde(default)]
    pub(crate) lets_go: Vec<Key>,
    /// What shows when the cue was missed.
    #[serde(default)]
    pub(crate) missed: String,
    /// The safe way to try again.
    #[serde(default)]
    pub(crate) retry: String,
}

/// Letting this computer give commands.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawDebugging {
    /// How.
    pub(crate) hand: String,
    /// Minutes.
    pub(crate) minutes: u32,
    /// Key presses.
    #[serde(default)]
    pub(crate) presses: u16,
}

/// A stage of the lock.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawStage {
    /// Its id.
    #[schema(value_type = String)]
    pub(crate) id: Spanned<String>,
    /// Words for it.
    pub(crate) title: String,
    /// The same with the unit's name, for which `{unit}` stands; by default the title, and of which unit.
    #[serde(default)]
    #[schema(value_type = Option<String>)]
    pub(crate) label: Option<Spanned<String>>,
    /// Mode that takes it.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Command, press, or command with a token.
    #[serde(default)]
    pub(crate) method: Method,
    /// Command forms in the order of trying (L1).
    #[schema(value_type = Vec<String>)]
    pub(crate) forms: Spanned<Vec<String>>,
    /// Roles that can be written only with it open; the main stage has none.
    #[serde(default)]
    pub(crate) only_for: Vec<Role>,
    /// Whether the toggle must be on.
    #[serde(default = "no")]
    pub(crate) needs_toggle: YesNo,
    /// What the device asks.
    pub(crate) question: String,
    /// The answer that is highlighted.
    pub(crate) default: String,
    /// How it is answered, in a word; up to schema 5.
    #[schema(value_type = Option<String>)]
    pub(crate) answered_by: Option<Spanned<String>>,
    /// How, in words.
    pub(crate) hand: String,
    /// The answer for this step, in words; up to schema 5.
    #[schema(value_type = Option<String>)]
    pub(crate) answer: Option<Spanned<String>>,
    /// How the unit is told yes.
    #[schema(value_type = Option<RawYes>)]
    pub(crate) yes: Option<Spanned<RawYes>>,
    /// Roles whose partitions it erases.
    pub(crate) erases: Vec<Role>,
    /// Partitions that exist once and that it destroys all the same (B5).
    #[serde(default)]
    #[schema(value_type = Vec<String>)]
    pub(crate) destroys: Vec<Spanned<String>>,
    /// Mode that the unit is in after.
    #[schema(value_type = Mode)]
    pub(crate) ends_in: Spanned<Mode>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// Seconds with hands on the device.
    #[serde(default)]
    pub(crate) hands_on: u32,
    /// Key presses.
    #[serde(default)]
    pub(crate) presses: u16,
    /// The press as phases, where hands do it (N2).
    #[serde(default)]
    #[schema(value_type = Vec<RawPhase>)]
    pub(crate) phase: Vec<Spanned<RawPhase>>,
}

/// A recovery from memory.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawTemporaryStart {
    /// Mode that takes it.
    #[schema(value_type = Mode)]
    pub(crate) from: Spanned<Mode>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// What it lets this computer do.
    pub(crate) rights: String,
    /// Partition whose image fits.
    #[schema(value_type = String)]
    pub(crate) partition: Spanned<String>,
    /// How.
    pub(crate) hand: String,
}

/// Writing a recovery.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawRecoveryWrite {
    /// Mode that takes it.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Where it is written.
    #[schema(value_type = String)]
    pub(crate) partition: Spanned<String>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// How.
    pub(crate) hand: String,
    /// Where it is taken as a member of a tar: the name that it has there (M4); since schema 9.
    #[serde(default)]
    pub(crate) tar_member: Option<String>,
    /// What is written in the same go (M9); since schema 9.
    #[serde(default)]
    #[schema(value_type = Vec<RawCompanion>)]
    pub(crate) companion: Vec<Spanned<RawCompanion>>,
}

/// Taking in the maker's whole set (G2, G4).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawMakersSet {
    /// Mode that takes it; the unit stays in it.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// Seconds with hands on the device.
    pub(crate) hands_on: u32,
    /// Key presses.
    pub(crate) presses: u16,
    /// How.
    pub(crate) hand: String,
}

/// Putting a recovery inside an image that starts the system too (M3, M12, M13).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawRecoveryInside {
    /// Mode that writes it: a recovery that was started from memory.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// The partition whose image holds it, without its slot: it is put into each slot that holds one.
    #[schema(value_type = String)]
    pub(crate) partition: Spanned<String>,
    /// What of that image the recovery's ramdisk takes the place of.
    #[serde(default)]
    pub(crate) replaces: Replaces,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// How.
    pub(crate) hand: String,
}

/// A recovery that runs from memory installs itself, so that nothing puts the maker's back (M11, M12).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawInstallWithin {
    /// Mode that does it: a recovery that was started from memory.
    #[schema(value_type = Mode)]
    pub(crate) mode: Spanned<Mode>,
    /// Where it writes itself, of role recovery.
    #[schema(value_type = String)]
    pub(crate) partition: Spanned<String>,
    /// The partitions of role os that it changes for that.
    #[schema(value_type = Vec<String>)]
    pub(crate) changes: Vec<Spanned<String>>,
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
    /// Seconds with hands on it.
    #[serde(default)]
    pub(crate) hands_on: u32,
    /// Key presses and touches.
    #[serde(default)]
    pub(crate) presses: u16,
    /// Where in its menu.
    pub(crate) hand: String,
}

/// What is written in the same go as a recovery (M9).
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawCompanion {
    /// The partition that it goes to, of role verification.
    #[schema(value_type = String)]
    pub(crate) partition: Spanned<String>,
    /// Its name in the tar; the partition's with `.img` where it is not given.
    pub(crate) member: Option<String>,
    /// What it is made of: this unit's own stock with its two switches set, or empty.
    #[serde(default)]
    pub(crate) made: CompanionMade,
    /// Whether the owner's data can't be read after it, so that it counts as an erase (Q9).
    #[serde(default)]
    pub(crate) eats_data: bool,
}

/// How long it takes.
#[derive(Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct RawPace {
    /// Usual seconds.
    pub(crate) usual: u32,
    /// Seconds from which on it is stuck.
    #[schema(value_type = u32)]
    pub(crate) stuck: Spanned<u32>,
}
