//! The computer's side (`U8`), looked at before the first step that can't be undone: bridge, unit,
//! the modes that the sheet will use, room on this computer, its power.

use std::fs;
use std::path::Path;

use veritope_core::act::{Doing, Reversibility};
use veritope_core::connection::{self, BridgeSays, Computer, Link, ListedAs};
use veritope_core::evidence::Line;
use veritope_core::goal::Goal;
use veritope_core::plan::Step;
use veritope_wire::link::{LINK_VERSION, Listed};
use veritope_wire::{BridgeId, UnitId};

use crate::desk::record::Way;
use crate::desk::unit::UnitRecord;
use crate::links::presence::LinkPresence;
use crate::runs::Runs;
use crate::runs::RunsError;

/// Room that unpacking and a quick capture take, in bytes.
const ROOM_BYTES: u64 = 2 << 30;

impl Runs {
    /// Looks at everything between this program and the unit, one line each, for the way to `goal`.
    ///
    /// # Errors
    /// When the unit is not known.
    pub fn doctor(&self, unit: UnitId, goal: Option<Goal>) -> Result<Vec<Line>, RunsError> {
        let record = self.pen.record(unit)?;
        let mut lines = self.to_the_unit(&record);
        lines.extend(self.modes_ahead(&record, goal));
        lines.extend(self.this_computer());
        Ok(lines)
    }

    /// The lines of [`Self::doctor`] that hold `steps` back.
    pub(crate) fn connection_holds(&self, record: &UnitRecord, steps: &[Step]) -> Vec<Line> {
        let lines = || [self.to_the_unit(record), self.this_computer()].concat();
        holding_lazily(steps, lines)
    }

    /// The first of [`Self::connection_holds`] for a page, which does not wait for a bridge that the watch
    /// has found silent.
    pub(crate) fn connection_hold_seen(&self, record: &UnitRecord, steps: &[Step]) -> Option<Line> {
        if self.links.link_view(record).presence == LinkPresence::BridgeGone {
            let silent = Link::Bridge {
                says: BridgeSays::Silent { error: None },
                listed: ListedAs::Absent,
                also: None,
            };
            return connection::holding(steps, connection::to_the_unit(&silent))
                .into_iter()
                .next();
        }
        self.connection_holds(record, steps).into_iter().next()
    }

    /// Bridge and unit.
    fn to_the_unit(&self, record: &UnitRecord) -> Vec<Line> {
        let Way::Link { bridge, handle } = &record.way else {
            return connection::to_the_unit(&Link::Hand);
        };
        let says = match self.links.transport(*bridge).map(|bridge| bridge.info()) {
            Ok(Ok(info)) if info.link_version == LINK_VERSION => BridgeSays::Answers {
                name: info.name,
                version: LINK_VERSION,
            },
            Ok(Ok(info)) => BridgeSays::Speaks {
                version: info.link_version,
                wanted: LINK_VERSION,
            },
            Ok(Err(error)) => BridgeSays::Silent {
                error: Some(error.to_string()),
            },
            Err(error) => BridgeSays::NotThere {
                error: error.to_string(),
            },
        };
        let list = self
            .links
            .transport(*bridge)
            .ok()
            .and_then(|bridge| bridge.devices().ok());
        let of_unit =
            list.and_then(|list| list.devices.into_iter().find(|one| one.handle == *handle));
        let listed = match of_unit.map_or(Listed::Absent, |one| one.listed) {
            Listed::Ready => ListedAs::Ready,
            Listed::NotAuthorised => ListedAs::NotAuthorised,
            Listed::Absent => ListedAs::Absent,
        };
        connection::to_the_unit(&Link::Bridge {
            says,
            listed,
            also: self.also_listed_by(record, *bridge),
        })
    }

    /// Another bridge at which the same chip answers.
    fn also_listed_by(&self, record: &UnitRecord, own: BridgeId) -> Option<String> {
        let family = self.library.family_of(record)?;
        let known = record.known();
        let chip = family.hardware_identity(&known)?;
        let (key, wanted) = (chip.key.id(), chip.value.exact());
        self.links.bridges().into_iter().find_map(|(id, name, ..)| {
            let bridge = self.links.transport(id).ok().filter(|_| id != own)?;
            let devices = bridge.devices().ok()?.devices;
            let is_it = devices.iter().any(|device| {
                device.listed == Listed::Ready
                    && bridge
                        .state(&device.handle)
                        .is_ok_and(|state| state.identities.get(key) == Some(&wanted))
            });
            is_it.then_some(name)
        })
    }

    /// Room and power.
    fn this_computer(&self) -> Vec<Line> {
        let room = self.library.vault.has_room(ROOM_BYTES);
        connection::of_this_computer(&Computer {
            room: room.map_err(|error| error.to_string()),
            on_mains: on_mains(&self.supplies),
        })
    }

    /// Each mode in which the sheet will talk to the unit.
    fn modes_ahead(&self, record: &UnitRecord, goal: Option<Goal>) -> Vec<Line> {
        let Some(goal) = goal.or(record.goal) else {
            return Vec::new();
        };
        let Ok(sheet) = self.plan_for(record, goal) else {
            return Vec::new();
        };
        let talks = sheet
            .steps
            .iter()
            .filter(|step| self.is_by_link(record, step))
            .filter(|step| !matches!(self.doing(record, step), Doing::Look(_)));
        connection::modes_ahead(&record.known(), talks.filter_map(|step| step.before.mode))
    }
}

/// What holds `steps` back; nothing is looked at where nothing could.
fn holding_lazily(steps: &[Step], lines: impl FnOnce() -> Vec<Line>) -> Vec<Line> {
    match steps
        .iter()
        .any(|step| step.reversibility == Reversibility::NoReturn)
    {
        true => connection::holding(steps, lines()),
        false => Vec::new(),
    }
}

/// Whether the computer hangs on mains, as far as `folder` tells; nothing when it has no supply that
/// says so.
fn on_mains(folder: &Path) -> Option<bool> {
    let read = |path: &Path, name: &str| fs::read_to_string(path.join(name)).ok();
    let supplies: Vec<_> = fs::read_dir(folder)
        .ok()?
        .filter_map(|entry| Some(entry.ok()?.path()))
        .collect();
    let mains: Vec<bool> = supplies
        .iter()
        .filter(|path| read(path, "type").is_some_and(|kind| kind.trim() == "Mains"))
        .filter_map(|path| Some(read(path, "online")?.trim() == "1"))
        .collect();
    (!mains.is_empty()).then(|| mains.contains(&true))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn mains_are_read_as_the_system_tells_them() {
        let folder = tempfile::tempdir().unwrap();
        assert_eq!(on_mains(folder.path()), None);
        assert_eq!(on_mains(&folder.path().join("missing")), None);
        let supply = |name: &str, kind: &str, online: &str| {
            let path = folder.path().join(name);
            fs::create_dir_all(&path).unwrap();
            fs::write(path.join("type"), kind).unwrap();
            fs::write(path.join("online"), online).unwrap();
        };
        supply("BAT0", "Battery\n", "1\n");
        assert_eq!(on_mains(folder.path()), None);
        supply("AC", "Mains\n", "0\n");
        assert_eq!(on_mains(folder.path()), Some(false));
        supply("AC", "Mains\n", "1\n");
        assert_eq!(on_mains(folder.path()), Some(true));
    }
}
