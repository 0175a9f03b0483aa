//! Whether anything of the owner's can lie on the unit since an erase that was seen to end: until it is set
//! up again nothing is there (`U6`, `U9`).

use veritope_wire::BenchTime;

use super::{FactKey, FactRow, FactValue, Happening};

/// What is known of a unit's emptiness, fed with what happens to it in the order of its log. It ends with
/// whatever shows a set-up, and with every chance for one that nobody watched.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Emptied {
    since: Option<BenchTime>,
    /// Whether the system was started since, in the middle of a sheet.
    has_run: bool,
}

impl Emptied {
    /// Since when nothing is there.
    #[must_use]
    pub fn since(self) -> Option<BenchTime> {
        self.since
    }

    /// A step that erases was seen to end; `runs` tells whether its system runs since.
    pub fn erased(&mut self, at: BenchTime, runs: bool) {
        *self = Self {
            since: Some(at),
            has_run: runs,
        };
    }

    /// Something happened, in the middle of a step or while nobody watched.
    pub fn happened(&mut self, what: Happening, is_watched: bool) {
        if what == Happening::SystemRan {
            self.has_run = true;
            if !is_watched {
                self.since = None;
            }
        }
    }

    /// A sheet ended: a system that was started on it is left to its owner.
    pub fn sheet_ended(&mut self) {
        if self.has_run {
            self.since = None;
        }
    }

    /// A fact was recorded: some are there only once it is set up.
    pub fn told(&mut self, row: &FactRow) {
        let is_set_up = match (row.key, &row.value) {
            (FactKey::Accounts, FactValue::Count(count)) => *count > 0,
            (FactKey::ScreenLock | FactKey::Debugging, value) => value.exact() == "on",
            (FactKey::Root | FactKey::AskedUpdates, value) => value.exact() == "yes",
            (FactKey::FirstOnline, _) => true,
            _ => false,
        };
        if is_set_up {
            self.since = None;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::Source;
    use super::super::testing::{at, row};
    use super::*;

    fn erased(runs: bool) -> Emptied {
        let mut emptied = Emptied::default();
        emptied.erased(at(2), runs);
        emptied
    }

    #[test]
    fn nothing_is_there_until_it_may_be_set_up() {
        assert_eq!(Emptied::default().since(), None);
        let mut emptied = erased(false);
        emptied.happened(Happening::ModeChanged, false);
        emptied.sheet_ended();
        assert_eq!(emptied.since(), Some(at(2)), "its system never ran");

        let mut emptied = erased(false);
        emptied.happened(Happening::SystemRan, true);
        assert_eq!(emptied.since(), Some(at(2)), "started by the sheet");
        emptied.sheet_ended();
        assert_eq!(emptied.since(), None, "and left running");

        let mut emptied = erased(false);
        emptied.happened(Happening::SystemRan, false);
        assert_eq!(emptied.since(), None, "nobody watched");

        let mut emptied = erased(true);
        emptied.sheet_ended();
        assert_eq!(emptied.since(), None, "the erase itself ended in it");
    }

    #[test]
    fn what_shows_a_set_up_ends_it_and_a_look_does_not() {
        for (key, value, is_empty) in [
            (FactKey::Accounts, "0", true),
            (FactKey::Accounts, "1", false),
            (FactKey::ScreenLock, "off", true),
            (FactKey::ScreenLock, "on", false),
            (FactKey::Debugging, "off", true),
            (FactKey::Debugging, "on", false),
            (FactKey::FirstOnline, "2026-11-20T10:00:00Z", false),
            (FactKey::Lock, "unlocked", true),
        ] {
            let mut emptied = erased(true);
            emptied.told(&row(1, key, value, Source::Person, 3));
            assert_eq!(emptied.since().is_some(), is_empty, "{key:?} {value}");
        }
    }
}
