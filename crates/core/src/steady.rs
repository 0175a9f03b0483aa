//! The time that a bench counts: a clock that somebody sets forward does not shorten a wait, and one that is
//! set back does not lengthen it (`U2`). The only place where the world's time becomes the bench's and the
//! other way round.
//!
//! Within one boot the machine counts the time that passes by itself, sleep included, and we count with it;
//! the clock on the wall is only looked at. Where that moves by more than the counter did, it was set; how
//! far the two are apart is told until a person says that the clock is right now. Over a boot the clock on
//! the wall is believed, unless it stands before the last moment counted.

use serde::{Deserialize, Serialize};
use veritope_wire::{BenchTime, Stamp, WallTime};

/// How far wall clock and counter may differ before it counts as set, in milliseconds.
pub const SLACK_MS: i64 = 120_000;

/// One look at the machine's clocks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ClockLook {
    /// The clock on the wall.
    pub wall: WallTime,
    /// Which boot the counter belongs to; empty where the machine doesn't tell.
    pub boot: String,
    /// Milliseconds since that boot, sleep included.
    pub elapsed_ms: i64,
}

/// What is remembered between looks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[serde(from = "Remembered")]
pub struct Steady {
    /// The boot of the last look.
    boot: String,
    /// Its counter then.
    elapsed_ms: i64,
    /// What is counted up to it.
    counted: BenchTime,
    /// By how much the clock on the wall was ahead of that.
    ahead_ms: i64,
    /// By how much it was when that was last told.
    told_ms: i64,
    /// By how much it may be: what a person said is right.
    trusted_ms: i64,
}

/// What is stored; before version 5 of the log it was an anchor.
#[derive(Deserialize)]
#[serde(untagged)]
enum Remembered {
    Counted {
        boot: String,
        elapsed_ms: i64,
        counted: BenchTime,
        ahead_ms: i64,
        told_ms: i64,
        trusted_ms: i64,
    },
    Anchored {
        ahead_ms: i64,
        last: BenchTime,
    },
}

impl From<Remembered> for Steady {
    fn from(stored: Remembered) -> Self {
        match stored {
            Remembered::Counted {
                boot,
                elapsed_ms,
                counted,
                ahead_ms,
                told_ms,
                trusted_ms,
            } => Self {
                boot,
                elapsed_ms,
                counted,
                ahead_ms,
                told_ms,
                trusted_ms,
            },
            // As after another boot: what has passed since is what the clock on the wall tells.
            Remembered::Anchored { ahead_ms, last } => Self {
                boot: String::new(),
                elapsed_ms: 0,
                counted: last,
                ahead_ms,
                told_ms: ahead_ms,
                trusted_ms: 0,
            },
        }
    }
}

/// The clock was set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Jump {
    /// By how much, in milliseconds; negative when it was set back.
    pub by_ms: i64,
}

/// A point in the world's time that a person gave, and what it is in the bench's.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub struct Dated {
    /// As it was given.
    pub told: WallTime,
    /// What it meant when it was recorded.
    pub counted: BenchTime,
    /// The clock had been set, and nobody had said whether it is right: of the two things that it may have
    /// meant, this is the later.
    pub is_doubtful: bool,
}

impl Dated {
    /// Where no bench counts: the two times are one.
    #[must_use]
    pub fn alone(told: WallTime) -> Self {
        Self {
            told,
            counted: alone(told),
            is_doubtful: false,
        }
    }
}

/// When a capture was taken. What this bench took has its place among all that it counted; of another's it
/// is only known that it was there when it was brought here.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Taken {
    /// By the clock on the wall of the bench that took it.
    pub wall: WallTime,
    /// What this bench had counted.
    bench: Option<BenchTime>,
    /// When it was here at the latest.
    by: Option<BenchTime>,
}

impl Taken {
    /// By this bench.
    #[must_use]
    pub fn here(stamp: Stamp) -> Self {
        Self {
            wall: stamp.wall,
            bench: Some(stamp.bench),
            by: None,
        }
    }

    /// As a record tells it: what this bench had counted, if it took it.
    #[must_use]
    pub fn told(wall: WallTime, bench: Option<BenchTime>) -> Self {
        Self {
            wall,
            bench,
            by: None,
        }
    }

    /// By another bench, whose clock told `wall`; it was here at `by`, where that is known.
    #[must_use]
    pub fn elsewhere(wall: WallTime, by: Option<BenchTime>) -> Self {
        Self {
            wall,
            bench: None,
            by,
        }
    }

    /// What this bench had counted, if it took it.
    #[must_use]
    pub fn counted(self) -> Option<BenchTime> {
        self.bench
    }

    /// Whether it was taken before `at`; nothing where that is not known.
    #[must_use]
    pub fn is_before(self, at: BenchTime) -> Option<bool> {
        match (self.bench, self.by) {
            (Some(taken), _) => Some(taken < at),
            (None, Some(by)) if by < at => Some(true),
            (None, _) => None,
        }
    }

    /// Whether it was taken after `at`; nothing where that is not known.
    #[must_use]
    pub fn is_after(self, at: BenchTime) -> Option<bool> {
        match (self.bench, self.by) {
            (Some(taken), _) => Some(taken > at),
            (None, Some(by)) if by <= at => Some(false),
            (None, _) => None,
        }
    }

    /// For lists: what others took first, by their clocks, then ours as it was counted.
    #[must_use]
    pub fn order(self) -> impl Ord + Copy {
        (self.bench, self.wall)
    }
}

/// Roughly what clocks on walls told at `at`, by how this bench began to count: for months, where an hour
/// decides nothing.
#[must_use]
pub fn about(at: BenchTime) -> WallTime {
    WallTime::nearest_ms(at.ms())
}

/// The bench's time where there is none: it begins with the moment that is judged.
#[must_use]
pub fn alone(wall: WallTime) -> BenchTime {
    BenchTime::from_ms(wall.ms())
}

impl Steady {
    /// Begins with a look that is taken to be right.
    #[must_use]
    pub fn begin(look: ClockLook) -> Self {
        Self {
            counted: alone(look.wall),
            boot: look.boot,
            elapsed_ms: look.elapsed_ms,
            ahead_ms: 0,
            told_ms: 0,
            trusted_ms: 0,
        }
    }

    /// Goes on from what was last written down, where nothing else is remembered: what has passed since is
    /// what the clock on the wall tells.
    #[must_use]
    pub fn after(stamp: Stamp) -> Self {
        let ahead_ms = stamp.wall.ms() - stamp.bench.ms();
        Self {
            boot: String::new(),
            elapsed_ms: 0,
            counted: stamp.bench,
            ahead_ms,
            told_ms: ahead_ms,
            trusted_ms: ahead_ms,
        }
    }

    /// Goes on no earlier than `newest`, which was written down after what is remembered.
    #[must_use]
    pub fn no_earlier_than(mut self, newest: BenchTime) -> Self {
        let missed_ms = newest.ms() - self.counted.ms();
        if missed_ms > 0 {
            self.counted = newest;
            self.elapsed_ms = self.elapsed_ms.saturating_add(missed_ms);
        }
        self
    }

    /// By how much the clock on the wall is ahead of what a person last took for right, in milliseconds;
    /// 0 unless it was set since.
    #[must_use]
    pub fn set_by_ms(&self) -> i64 {
        self.told_ms - self.trusted_ms
    }

    /// Takes a look into account; the jump that it shows, if it shows one.
    pub fn follow(&mut self, look: &ClockLook) -> Option<Jump> {
        let is_same_boot = !look.boot.is_empty() && look.boot == self.boot;
        let passed_ms = if is_same_boot {
            look.elapsed_ms.saturating_sub(self.elapsed_ms)
        } else {
            // What passed while nobody counted is not known, only that it was not less than nothing.
            look.wall.ms() - self.ahead_ms - self.counted.ms()
        };
        self.counted = self.counted.after_ms(passed_ms.max(0));
        self.elapsed_ms = if is_same_boot {
            self.elapsed_ms.max(look.elapsed_ms)
        } else {
            look.elapsed_ms
        };
        self.boot.clone_from(&look.boot);
        self.ahead_ms = look.wall.ms() - self.counted.ms();
        let by_ms = self.ahead_ms - self.told_ms;
        let jump = (by_ms.abs() > SLACK_MS).then_some(Jump { by_ms });
        if jump.is_some() {
            let is_back = (self.ahead_ms - self.trusted_ms).abs() <= SLACK_MS;
            self.told_ms = if is_back {
                self.trusted_ms
            } else {
                self.ahead_ms
            };
        }
        jump
    }

    /// What is counted up to the last look, and what the clock on the wall told then.
    #[must_use]
    pub fn stamp(&self) -> Stamp {
        Stamp {
            wall: self.wall_of(self.counted),
            bench: self.counted,
        }
    }

    /// What the clock on the wall, as it stands now, would have told at a moment: for people only.
    #[must_use]
    pub fn wall_of(&self, counted: BenchTime) -> WallTime {
        WallTime::nearest_ms(counted.ms().saturating_add(self.ahead_ms))
    }

    /// A moment of the world's, as somebody tells it who looks at the clock on the wall: turned once, when
    /// it is recorded, and not again.
    #[must_use]
    pub fn dated(&self, told: WallTime) -> Dated {
        let by_clock = alone(told).after_ms(-self.ahead_ms);
        let by_trusted = alone(told).after_ms(-self.trusted_ms);
        let is_doubtful = self.set_by_ms() != 0;
        Dated {
            told,
            counted: if is_doubtful {
                by_clock.max(by_trusted).min(self.counted.max(by_clock))
            } else {
                by_clock
            },
            is_doubtful,
        }
    }

    /// A person says that the clock on the wall is right. What was counted goes on as it was.
    pub fn trust(&mut self) {
        self.told_ms = self.ahead_ms;
        self.trusted_ms = self.ahead_ms;
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const HOUR_MS: i64 = 3_600_000;
    const START_MS: i64 = 1_795_000_000_000;

    fn wall(ms: i64) -> WallTime {
        WallTime::from_ms(START_MS + ms).unwrap()
    }

    fn look(boot: &str, wall_ms: i64, elapsed_ms: i64) -> ClockLook {
        ClockLook {
            wall: wall(wall_ms),
            boot: boot.to_owned(),
            elapsed_ms,
        }
    }

    fn counted_ms(steady: &Steady) -> i64 {
        steady.stamp().bench.ms() - START_MS
    }

    #[test]
    fn a_clock_set_forward_and_back_shortens_nothing() {
        let mut steady = Steady::begin(look("a", 0, 0));
        let forward = Some(Jump {
            by_ms: 100 * HOUR_MS,
        });
        assert_eq!(steady.follow(&look("a", 101 * HOUR_MS, HOUR_MS)), forward);
        assert_eq!(counted_ms(&steady), HOUR_MS);
        assert_eq!(steady.stamp().wall, wall(101 * HOUR_MS));
        let later = look("a", 102 * HOUR_MS, 2 * HOUR_MS);
        assert_eq!(steady.follow(&later), None, "told once");
        assert_eq!(counted_ms(&steady), 2 * HOUR_MS);
        let back = Some(Jump {
            by_ms: -100 * HOUR_MS,
        });
        assert_eq!(steady.follow(&look("a", 3 * HOUR_MS, 3 * HOUR_MS)), back);
        assert_eq!((steady.set_by_ms(), counted_ms(&steady)), (0, 3 * HOUR_MS));
    }

    #[test]
    fn a_clock_that_is_right_now_moves_nothing_that_was_counted() {
        let mut steady = Steady::begin(look("a", 0, 0));
        steady.follow(&look("a", 101 * HOUR_MS, HOUR_MS));
        steady.trust();
        assert_eq!((steady.set_by_ms(), counted_ms(&steady)), (0, HOUR_MS));
        // What people see of it goes by the clock that is right.
        assert_eq!(steady.wall_of(alone(wall(0))), wall(100 * HOUR_MS));
        assert_eq!(steady.dated(wall(100 * HOUR_MS)).counted, alone(wall(0)));
    }

    #[test]
    fn what_is_dated_while_the_clock_is_in_doubt_shortens_no_wait() {
        let mut steady = Steady::begin(look("a", 0, 0));
        steady.follow(&look("a", HOUR_MS, HOUR_MS));
        let sure = steady.dated(wall(0));
        assert_eq!((sure.counted, sure.is_doubtful), (alone(wall(0)), false));
        // Set forward: the day may be one by the clock of before.
        steady.follow(&look("a", 102 * HOUR_MS, 2 * HOUR_MS));
        let forward = steady.dated(wall(HOUR_MS));
        assert_eq!(
            (forward.counted, forward.is_doubtful),
            (alone(wall(HOUR_MS)), true)
        );
        let at_once = steady.dated(wall(102 * HOUR_MS));
        assert_eq!(at_once.counted, alone(wall(2 * HOUR_MS)), "never after now");
        // Set back: or one by this clock.
        steady.follow(&look("a", -97 * HOUR_MS, 3 * HOUR_MS));
        assert_eq!(
            steady.dated(wall(-98 * HOUR_MS)).counted,
            alone(wall(2 * HOUR_MS))
        );
    }

    #[test]
    fn small_steps_add_up_to_a_jump() {
        let mut steady = Steady::begin(look("a", 0, 0));
        let mut jumps = 0;
        for minute in 1..=10 {
            let step = look("a", minute * 60_000, 0);
            jumps += usize::from(steady.follow(&step).is_some());
        }
        assert_eq!(jumps, 3);
        assert_eq!(steady.set_by_ms(), 9 * 60_000);
        assert_eq!(counted_ms(&steady), 0);
    }

    #[test]
    fn over_a_reboot_only_a_clock_before_the_last_moment_is_found_out() {
        let mut steady = Steady::begin(look("a", 0, 0));
        steady.follow(&look("a", 5 * HOUR_MS, 5 * HOUR_MS));
        assert_eq!(steady.follow(&look("b", 9 * HOUR_MS, 0)), None);
        let back = look("c", 2 * HOUR_MS, 0);
        assert!(steady.follow(&back).is_some());
        assert_eq!(counted_ms(&steady), 9 * HOUR_MS);
        steady.trust();
        assert_eq!((steady.set_by_ms(), counted_ms(&steady)), (0, 9 * HOUR_MS));
    }

    #[test]
    fn it_begins_no_earlier_than_what_was_written_down() {
        let mut steady = Steady::begin(look("a", 0, 0)).no_earlier_than(alone(wall(40_000)));
        assert_eq!(counted_ms(&steady), 40_000);
        // The same boot: the counter had got there too.
        steady.follow(&look("a", 50_000, 50_000));
        assert_eq!(counted_ms(&steady), 50_000);
        // Nothing else is remembered: it goes on from there, by the clock as it stood then.
        let set = Stamp {
            wall: wall(101 * HOUR_MS),
            bench: alone(wall(HOUR_MS)),
        };
        let mut steady = Steady::after(set);
        steady.follow(&look("b", 103 * HOUR_MS, 0));
        assert_eq!((steady.set_by_ms(), counted_ms(&steady)), (0, 3 * HOUR_MS));
    }

    #[test]
    fn what_was_remembered_before_is_read() {
        // As it lay in `clock.toml` before.
        let stored = "
            anchor_ahead_ms = 0
            ahead_ms = 3600000
            last = \"2026-11-24T14:00:00.000Z\"
            [anchor]
            wall = \"2026-11-24T12:00:00.000Z\"
            boot = \"a\"
            elapsed_ms = 0
        ";
        let mut steady: Steady = toml::from_str(stored).unwrap();
        let told = |text: &str| text.parse::<WallTime>().unwrap();
        let at = alone(told("2026-11-24T14:00:00Z"));
        assert_eq!((steady.set_by_ms(), steady.stamp().bench), (HOUR_MS, at));
        let next = ClockLook {
            wall: told("2026-11-24T16:00:00Z"),
            ..look("a", 0, 0)
        };
        assert_eq!(steady.follow(&next), None);
        assert_eq!(steady.stamp().bench, at.after_ms(HOUR_MS));
        let again: Steady = toml::from_str(&toml::to_string(&steady).unwrap()).unwrap();
        assert_eq!(again, steady);
    }

    proptest! {
        #[test]
        fn within_a_boot_what_is_counted_passes_as_the_counter_does(steps in prop::collection::vec((0_i64..HOUR_MS, -200 * HOUR_MS..200 * HOUR_MS), 1..20)) {
            let mut steady = Steady::begin(look("a", 0, 0));
            let mut elapsed_ms = 0;
            for (passed_ms, set_ms) in steps {
                elapsed_ms += passed_ms;
                let now = look("a", elapsed_ms + set_ms, elapsed_ms);
                steady.follow(&now);
                prop_assert_eq!(counted_ms(&steady), elapsed_ms);
                prop_assert_eq!(steady.stamp().wall, now.wall);
            }
        }
    }
}
