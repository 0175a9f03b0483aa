//! Our own time: a clock that somebody sets forward does not shorten a wait, and one that is set
//! back does not lengthen it (`U2`).
//!
//! Within one boot the machine counts the time that passes by itself, sleep included. Where the
//! clock on the wall moves by more than that counter did, it was set; from then on we subtract what
//! it was set by, until a person says that it is right now. Across boots only a clock that stands
//! before the last moment seen can be found out.

use serde::{Deserialize, Serialize};
use veritope_wire::Moment;

/// How far wall clock and counter may differ before it counts as set, in milliseconds.
pub const SLACK_MS: i64 = 120_000;

/// One look at the machine's clocks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct ClockLook {
    /// The clock on the wall.
    pub wall: Moment,
    /// Which boot the counter belongs to; empty where the machine doesn't tell.
    pub boot: String,
    /// Milliseconds since that boot, sleep included.
    pub elapsed_ms: i64,
}

/// What is remembered between looks.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
pub struct Steady {
    /// The first look of this boot, or the one at which a person said that the clock is right.
    anchor: ClockLook,
    /// By how much the wall clock was ahead of our time at the anchor.
    anchor_ahead_ms: i64,
    /// By how much it is ahead now; negative when it was set back.
    ahead_ms: i64,
    /// The newest moment seen, in our time.
    last: Moment,
}

/// The clock was set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Jump {
    /// By how much, in milliseconds; negative when it was set back.
    pub by_ms: i64,
}

impl Steady {
    /// Begins with a look that is taken to be right.
    #[must_use]
    pub fn begin(look: ClockLook) -> Self {
        Self {
            last: look.wall,
            anchor: look,
            anchor_ahead_ms: 0,
            ahead_ms: 0,
        }
    }

    /// By how much the wall clock is ahead of our time, in milliseconds; 0 unless it was set.
    #[must_use]
    pub fn ahead_ms(&self) -> i64 {
        self.ahead_ms
    }

    /// Takes a look into account; the jump that it shows, if it shows one.
    pub fn follow(&mut self, look: &ClockLook) -> Option<Jump> {
        let is_same_boot = !look.boot.is_empty() && look.boot == self.anchor.boot;
        let ahead_ms = if is_same_boot {
            let wall_ms = look.wall.ms() - self.anchor.wall.ms();
            let passed_ms = look.elapsed_ms - self.anchor.elapsed_ms;
            self.anchor_ahead_ms + wall_ms - passed_ms
        } else {
            // What passed while nobody counted is not known, only that it was not less than
            // nothing.
            let behind_ms = self.last.ms() - (look.wall.ms() - self.ahead_ms);
            let ahead_ms = self.ahead_ms - if behind_ms > SLACK_MS { behind_ms } else { 0 };
            self.anchor = look.clone();
            self.anchor_ahead_ms = ahead_ms;
            ahead_ms
        };
        let by_ms = ahead_ms - self.ahead_ms;
        let jump = (by_ms.abs() > SLACK_MS).then_some(Jump { by_ms });
        if jump.is_some() {
            self.ahead_ms = if ahead_ms.abs() > SLACK_MS {
                ahead_ms
            } else {
                0
            };
        }
        self.last = self.last.max(self.at(look));
        jump
    }

    /// Our time at a look that was followed.
    #[must_use]
    pub fn at(&self, look: &ClockLook) -> Moment {
        Moment::from_ms(look.wall.ms() - self.ahead_ms).unwrap_or(look.wall)
    }

    /// A person says that the clock on the wall is right.
    pub fn trust(&mut self, look: ClockLook) {
        *self = Self::begin(look);
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    const HOUR_MS: i64 = 3_600_000;

    fn look(boot: &str, wall_ms: i64, elapsed_ms: i64) -> ClockLook {
        ClockLook {
            wall: Moment::from_ms(1_795_000_000_000 + wall_ms).unwrap(),
            boot: boot.to_owned(),
            elapsed_ms,
        }
    }

    fn since_start_ms(steady: &Steady, look: &ClockLook) -> i64 {
        steady.at(look).ms() - 1_795_000_000_000
    }

    #[test]
    fn a_clock_set_forward_and_back_shortens_nothing() {
        let mut steady = Steady::begin(look("a", 0, 0));
        let forward = look("a", 101 * HOUR_MS, HOUR_MS);
        assert_eq!(
            steady.follow(&forward),
            Some(Jump {
                by_ms: 100 * HOUR_MS
            })
        );
        assert_eq!(since_start_ms(&steady, &forward), HOUR_MS);
        let later = look("a", 102 * HOUR_MS, 2 * HOUR_MS);
        assert_eq!(steady.follow(&later), None, "told once");
        assert_eq!(since_start_ms(&steady, &later), 2 * HOUR_MS);
        let back = look("a", 3 * HOUR_MS, 3 * HOUR_MS);
        assert_eq!(
            steady.follow(&back),
            Some(Jump {
                by_ms: -100 * HOUR_MS
            })
        );
        assert_eq!(
            (steady.ahead_ms(), since_start_ms(&steady, &back)),
            (0, 3 * HOUR_MS)
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
        assert_eq!(steady.ahead_ms(), 9 * 60_000);
    }

    #[test]
    fn over_a_reboot_only_a_clock_before_the_last_moment_is_found_out() {
        let mut steady = Steady::begin(look("a", 0, 0));
        steady.follow(&look("a", 5 * HOUR_MS, 5 * HOUR_MS));
        assert_eq!(steady.follow(&look("b", 9 * HOUR_MS, 0)), None);
        let back = look("c", 2 * HOUR_MS, 0);
        assert!(steady.follow(&back).is_some());
        assert_eq!(since_start_ms(&steady, &back), 9 * HOUR_MS);
        steady.trust(look("c", 2 * HOUR_MS, 0));
        assert_eq!(steady.ahead_ms(), 0);
    }

    proptest! {
        #[test]
        fn within_a_boot_our_time_passes_as_the_counter_does(steps in prop::collection::vec((0_i64..HOUR_MS, -200 * HOUR_MS..200 * HOUR_MS), 1..20)) {
            let mut steady = Steady::begin(look("a", 0, 0));
            let mut elapsed_ms = 0;
            for (passed_ms, set_ms) in steps {
                elapsed_ms += passed_ms;
                let now = look("a", elapsed_ms + set_ms, elapsed_ms);
                steady.follow(&now);
                prop_assert!((since_start_ms(&steady, &now) - elapsed_ms).abs() <= SLACK_MS);
            }
        }
    }
}
