//! When a unit was in sight, and what may have become another while it was not (`K5`).

use veritope_wire::BenchTime;

use super::FactKey;

/// Out of sight for longer than this, anybody may have used it: overnight it is in its owner's pocket.
pub const OUT_OF_SIGHT_HOURS: u64 = 24;

/// When a unit was in sight.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct InSight {
    /// When it was last seen, or anything was last said of it.
    last: Option<BenchTime>,
    /// When it was last in sight before it was out of it for long: what was seen until then may be otherwise.
    left: Option<BenchTime>,
}

impl InSight {
    /// It is in sight at `at`; moments come in order. `stayed` says that it was so all the while.
    pub fn is_seen(&mut self, at: BenchTime, stayed: bool) {
        if !stayed && self.is_gone(at) {
            self.left = self.last;
        }
        self.last = self.last.max(Some(at));
    }

    /// Whether it was out of sight for long by `now`.
    #[must_use]
    pub fn is_gone(&self, now: BenchTime) -> bool {
        let long = OUT_OF_SIGHT_HOURS * 3_600_000;
        self.last.is_some_and(|last| now.ms_since(last) > long)
    }

    /// When it went out of sight for long, if it did: nothing that was seen until then tells what is now.
    #[must_use]
    pub fn left(&self) -> Option<BenchTime> {
        self.left
    }
}

impl FactKey {
    /// Whether it may become another out of sight: what is printed on the unit, what was bought, who it is, what
    /// is broken, what a portal or this computer keeps, and what waits and counts by the clock do not (`K5`).
    #[must_use]
    pub fn changes_unseen(self) -> bool {
        match self {
            Self::Build
            | Self::Patch
            | Self::Generation
            | Self::BootloaderBuild
            | Self::RadioBuild
            | Self::RollbackIndex
            | Self::Encrypted
            | Self::LastPackage
            | Self::Foreign
            | Self::ToolChoice
            | Self::Slot
            | Self::Merging
            | Self::Root
            | Self::Starts
            | Self::Mode
            | Self::Lock
            | Self::CriticalLock
            | Self::Toggle
            | Self::Relocked
            | Self::DownloadScreen
            | Self::DownloadGuard
            | Self::ResetLock
            | Self::Recovery
            | Self::Restorer
            | Self::StorageShows
            | Self::RecoveryVersion
            | Self::Accounts
            | Self::OwnerLogin
            | Self::ScreenLock
            | Self::FastStart
            | Self::Debugging
            | Self::Card
            | Self::CardFiles
            | Self::CardFreeMib
            | Self::CardFormat
            | Self::FreeMib
            | Self::FedBy => true,
            Self::ModelCode
            | Self::Codename
            | Self::Serial
            | Self::EquipmentId
            | Self::EquipmentId2
            | Self::ChipId
            | Self::DownloadNumber
            | Self::StorageChipId
            | Self::Region
            | Self::ServiceAllowed
            | Self::AnswersBootloader
            | Self::FirstOnline
            | Self::OffHours
            | Self::AskedUpdates
            | Self::PortalAccount
            | Self::PortalAgreed
            | Self::AccountSince
            | Self::AccountUnits
            | Self::TokenAsked
            | Self::Token
            | Self::Battery
            | Self::Ownership
            | Self::ReportedLost
            | Self::Bought
            | Self::Paid
            | Self::Managed
            | Self::Broken
            | Self::StandIn
            | Self::StandInBy
            | Self::BatteryBody
            | Self::OnCharger
            | Self::ComputerChanged
            | Self::Complaint
            | Self::WorksStarts
            | Self::WorksCalls
            | Self::WorksData
            | Self::WorksWireless
            | Self::WorksCamera
            | Self::WorksFingerprint
            | Self::WorksSensors
            | Self::WorksIdentity
            | Self::WorksWaived
            | Self::WorksCharging => false,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::{at, row};
    use crate::facts::{Facts, Source};
    use crate::family::testing::shipped;

    const HOUR: i64 = 60;

    /// What was said before a night out of sight is asked again, what is printed on it is not.
    #[test]
    fn out_of_sight_for_long_what_people_change_is_read_again() {
        let rows = [
            row(1, FactKey::Accounts, "0", Source::Person, 0),
            row(2, FactKey::ModelCode, "HY-220W", Source::Person, 0),
            row(3, FactKey::Bought, "open", Source::Person, 0),
        ];
        let known = |sights: &[(i64, bool)], now: i64| {
            let mut sight = InSight::default();
            for (when, stayed) in sights {
                sight.is_seen(at(*when), *stayed);
            }
            let facts = Facts::new(&rows, &[], []).in_sight(sight);
            let facts = shipped("halyard").told(facts, at(now));
            [FactKey::Accounts, FactKey::ModelCode, FactKey::Bought]
                .map(|key| facts.known(key).is_some())
        };
        assert_eq!(known(&[(0, false)], 23 * HOUR), [true; 3]);
        assert_eq!(known(&[(0, false)], 25 * HOUR), [false, true, true]);
        // It came back meanwhile; or it was there all the while.
        let came_back = [(0, false), (30 * HOUR, false)];
        assert_eq!(known(&came_back, 31 * HOUR), [false, true, true]);
        let stayed = [(0, false), (30 * HOUR, true)];
        assert_eq!(known(&stayed, 31 * HOUR), [true; 3]);
        let often = [(0, false), (20 * HOUR, false), (40 * HOUR, false)];
        assert_eq!(known(&often, 41 * HOUR), [true; 3]);
    }
}
