//! What an act may touch.

/// What an act may touch on a unit, as a set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Touches(u8);

impl Touches {
    /// Nothing: it is looked at, or its mode changes.
    pub const NOTHING: Self = Self(0);
    /// Partitions are read.
    pub const READS: Self = Self(1);
    /// Something foreign runs, and may do anything.
    pub const MEMORY: Self = Self(2);
    /// Partitions are written.
    pub const WRITES: Self = Self(4);
    /// The owner's data, or more, is erased.
    pub const ERASES: Self = Self(8);
    /// The lock changes.
    pub const LOCKS: Self = Self(16);
    /// The active slot changes.
    pub const SLOT: Self = Self(32);

    /// Both.
    #[must_use]
    pub const fn and(self, other: Self) -> Self {
        Self(self.0 | other.0)
    }

    /// Whether it has any of `these`.
    #[must_use]
    pub fn any(self, these: Self) -> bool {
        self.0 & these.0 != 0
    }

    /// Whether it touches no more than `most`.
    #[must_use]
    pub fn within(self, most: Self) -> bool {
        self.0 & !most.0 == 0
    }

    /// Whether it needs a permit: everything but looking, reading and going from mode to mode.
    #[must_use]
    pub fn is_permitted(self) -> bool {
        !self.within(Self::READS)
    }

    /// Whether the way back is another step: nothing is erased, and the lock stays.
    #[must_use]
    pub fn can_be_undone(self) -> bool {
        !self.any(Self::ERASES.and(Self::LOCKS))
    }
}
