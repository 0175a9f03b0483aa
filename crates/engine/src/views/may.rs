//! May it be said, decided or worked on now? What a page can send, as the room that does it would answer.

use crate::desk::record::Scope;
use crate::desk::unit::UnitRecord;
use crate::views::{Permission, Views};

impl Views {
    /// Whether a record takes entries: one that is held back takes none.
    #[must_use]
    pub fn may_note(&self, scope: Scope) -> Permission {
        self.seen.is_sound(scope).into()
    }

    /// Whether anything may be done with a unit or its copies: its record takes entries, and nothing else is
    /// being done.
    pub(super) fn may_work(&self, record: &UnitRecord) -> Permission {
        self.seen.is_free(record.id).into()
    }
}
