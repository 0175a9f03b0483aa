//! How long each part of the checks took, beside its line. Lines are minutes of two cores: what the machine
//! beneath gave to others meanwhile is taken off, since no check can do anything about that. Machines differ
//! by more than twofold in pace, so what is over its line is told, and only the whole fails, a third over its own.

use std::process::Command;
use std::time::{Duration, Instant};

use crate::tell::step;
use crate::{Outcome, Trouble};

/// A part of the whole, and the minutes that it may take on two cores.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub(crate) enum Part {
    Build,
    Lints,
    Unit,
    Browser,
    Seeded,
    Kills,
    Corpora,
    Rest,
}

/// The minutes that everything together is to take on two cores.
const WHOLE: f64 = 45.0;
/// From here on no slow machine is an excuse.
const MOST: f64 = 60.0;

impl Part {
    const ALL: [(Self, &'static str, u32); 8] = [
        (Self::Build, "build", 8),
        (Self::Lints, "lints", 3),
        (Self::Unit, "unit and property tests", 4),
        (Self::Browser, "browser stories", 8),
        (Self::Seeded, "seeded runs", 6),
        (Self::Kills, "kills", 3),
        (Self::Corpora, "corpora", 2),
        (Self::Rest, "rest", 6),
    ];
}

/// Time of all cores together since the machine began, in ticks of its own.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
struct Cores {
    all: u64,
    /// Wanted here, and given to others by the machine beneath.
    stolen: u64,
}

impl Cores {
    /// What the kernel tells; nothing where it tells nothing.
    fn now() -> Self {
        std::fs::read_to_string("/proc/stat")
            .ok()
            .and_then(|text| Self::read(&text))
            .unwrap_or_default()
    }

    /// The line of all cores: user, nice, system, idle, waiting, two kinds of interrupts, stolen. What
    /// follows is counted in the first two already.
    fn read(stat: &str) -> Option<Self> {
        let line = stat.lines().find_map(|line| line.strip_prefix("cpu "))?;
        let ticks: Vec<u64> = line
            .split_whitespace()
            .take(8)
            .map_while(|number| number.parse().ok())
            .collect();
        let [.., stolen] = ticks[..] else {
            return None;
        };
        (ticks.len() == 8).then(|| Self {
            all: ticks.iter().sum(),
            stolen,
        })
    }

    /// The part of `wall` that was ours.
    fn ours(self, later: Self, wall: Duration) -> Duration {
        let all = later.all.saturating_sub(self.all);
        let stolen = later.stolen.saturating_sub(self.stolen).min(all);
        if all == 0 {
            return wall;
        }
        wall.mul_f64((all - stolen) as f64 / all as f64)
    }
}

/// What a part took.
#[derive(Debug, Clone, Copy)]
struct Took {
    part: Part,
    wall: Duration,
    ours: Duration,
}

/// What was taken so far: which checks failed, and how long each part took.
#[derive(Default)]
pub(crate) struct Ledger {
    pub(crate) failed: Vec<String>,
    took: Vec<Took>,
}

impl Ledger {
    /// Does something that counts for `part`.
    pub(crate) fn counted<T>(&mut self, part: Part, what: impl FnOnce(&mut Self) -> T) -> T {
        let (began, cores) = (Instant::now(), Cores::now());
        let done = what(self);
        let wall = began.elapsed();
        let ours = cores.ours(Cores::now(), wall);
        self.took.push(Took { part, wall, ours });
        done
    }

    /// Takes a check; one that fails is told, and the others are taken all the same.
    pub(crate) fn timed(&mut self, part: Part, what: &str, check: impl FnOnce() -> Outcome) {
        self.counted(part, |ledger| {
            if let Err(Trouble(text)) = check() {
                eprintln!("  {text}");
                ledger.failed.push(what.to_owned());
            }
        });
    }

    /// The same for a program.
    pub(crate) fn check(&mut self, part: Part, what: &str, command: &mut Command) {
        self.timed(part, what, || step(what, command).map(drop));
    }

    /// Tells each part with its line, and the whole; the whole a third over its line is a check that failed.
    pub(crate) fn close(&mut self) {
        println!("» minutes of two cores per part, beside its line (on the wall)");
        let minutes = |took: Duration| took.as_secs_f64() / 60.0;
        for (part, name, most) in Part::ALL {
            let of_part = || self.took.iter().filter(|one| one.part == part);
            let ours = minutes(of_part().map(|one| one.ours).sum());
            let wall = minutes(of_part().map(|one| one.wall).sum());
            let is_over = ours > f64::from(most);
            let mark = if is_over { "  over its line" } else { "" };
            println!("  {name:<24} {ours:>5.1} of {most} ({wall:.1}){mark}");
        }
        let whole = minutes(self.took.iter().map(|one| one.ours).sum());
        let mark = if whole > WHOLE { "  over its line" } else { "" };
        println!("  {:<24} {whole:>5.1} of {WHOLE}{mark}", "together");
        if whole > MOST {
            self.failed
                .push(format!("all together took {whole:.1} of {WHOLE} minutes"));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_others_were_given_is_taken_off() {
        let stat = |idle: u64, stolen: u64| {
            let text = format!("cpu  100 0 50 {idle} 5 0 5 {stolen} 7 7\ncpu0 1 2 3\n");
            Cores::read(&text).unwrap()
        };
        let minute = Duration::from_secs(60);
        assert_eq!(stat(0, 0).all, 160);
        // A quarter of what passed went to others.
        let ours = stat(0, 0).ours(stat(300, 100), minute);
        assert_eq!(ours, Duration::from_secs(45));
        assert_eq!(stat(0, 50).ours(stat(200, 50), minute), minute);
        assert_eq!(Cores::read("cpu  1 2 3\n"), None);
        assert_eq!(Cores::default().ours(Cores::default(), minute), minute);
    }

    #[test]
    fn the_whole_over_its_line_fails() {
        let mut ledger = Ledger::default();
        let mut take = |part: Part, wall: u64, ours: u64| {
            let of = |minutes: u64| Duration::from_secs(minutes * 60);
            ledger.took.push(Took {
                part,
                wall: of(wall),
                ours: of(ours),
            });
            ledger.close();
            ledger.failed.clone()
        };
        assert!(take(Part::Build, 90, 40).is_empty());
        assert!(take(Part::Lints, 20, 20).is_empty());
        assert_eq!(
            take(Part::Rest, 1, 1),
            ["all together took 61.0 of 45 minutes"]
        );
    }
}
