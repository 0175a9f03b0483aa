//! Facts as they count on a unit of this family: what outlives an erase there, and what ages by itself (`K5`).

use veritope_wire::BenchTime;

use super::doubt::doubts;
use super::{Family, ToggleKept};
use crate::facts::{FactKey, Facts, Happening};

const HOUR_MS: u64 = 3_600_000;
/// Hours after which it is read again whether an update is being merged: that goes on by itself (`K5`).
const MERGING_HOURS: u32 = 24;

impl Family {
    /// `facts` as they count on a unit of this family at `now`.
    #[must_use]
    pub fn told(&self, facts: Facts, now: BenchTime) -> Facts {
        let mut sight = facts.sight();
        sight.is_seen(now, false);
        let facts = facts.in_sight(sight);
        let switch = FactKey::Toggle;
        let survives = (!self.goes_on_wipe(switch)).then_some(switch);
        let stated = self.places.iter().filter(|place| place.age_hours.is_some());
        let aging = stated.map(|place| place.key).chain([FactKey::Merging]);
        let old = aging.filter(|key| {
            let hours = self.age_hours(*key).unwrap_or(u32::MAX);
            let row = facts.known(*key);
            row.is_some_and(|row| now.ms_since(row.at) > u64::from(hours) * HOUR_MS)
        });
        let old: Vec<FactKey> = old.collect();
        let facts = facts.surviving(survives).aged(old);
        let doubts = doubts(self, &facts, now);
        facts.doubted(doubts)
    }

    /// Whether an erase of the owner's data makes another thing of what `key` says. The unlock switch may lie
    /// in a record of its own (`L4`).
    #[must_use]
    pub fn goes_on_wipe(&self, key: FactKey) -> bool {
        let is_kept = self.toggle.as_ref().map(|spec| spec.kept) == Some(ToggleKept::OwnRecord);
        goes_anywhere(key) && !(key == FactKey::Toggle && is_kept)
    }

    /// Hours after which `key` is read again by the clock alone, where anything but the battery's charge
    /// changes by itself (`K5`).
    #[must_use]
    pub fn age_hours(&self, key: FactKey) -> Option<u32> {
        let stated = self.place(key).and_then(|place| place.age_hours);
        stated.or((key == FactKey::Merging).then_some(MERGING_HOURS))
    }
}

fn goes_anywhere(key: FactKey) -> bool {
    key.spec().stale_on.contains(&Happening::Wiped)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::Source;
    use crate::facts::testing::{at, row};
    use crate::family::testing::shipped;

    /// What lies in a record of its own is there after an erase; what lies in user data is not.
    #[test]
    fn a_wipe_takes_the_switch_only_where_it_lies_in_user_data() {
        let rows = [
            row(1, FactKey::Toggle, "on", Source::Person, 0),
            row(2, FactKey::Accounts, "0", Source::Person, 0),
        ];
        let known = |codename: &str| {
            let facts = Facts::new(&rows, &[], [(Happening::Wiped, at(5))]);
            let facts = shipped(codename).told(facts, at(6));
            [FactKey::Toggle, FactKey::Accounts].map(|key| facts.known(key).is_some())
        };
        assert_eq!(known("mooring"), [true, false]);
        assert_eq!(known("saltern"), [true, false]);
        assert_eq!(known("kelpie"), [false, false]);
    }

    #[test]
    fn what_goes_on_by_itself_is_read_again_after_its_hours() {
        let halyard = shipped("halyard");
        let rows = [
            row(1, FactKey::Merging, "none", Source::Link, 0),
            row(2, FactKey::Build, "SM9.2.1.261021", Source::Link, 0),
        ];
        let known = |minutes: i64| {
            let facts = halyard.told(Facts::new(&rows, &[], []), at(minutes));
            [FactKey::Merging, FactKey::Build].map(|key| facts.known(key).is_some())
        };
        assert_eq!(known(24 * 60), [true, true]);
        assert_eq!(known(24 * 60 + 1), [false, true]);
    }
}
