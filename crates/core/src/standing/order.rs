//! The order of units on the bench: what just came back, then what can be worked on.

use std::cmp::Reverse;

use veritope_wire::BenchTime;

use super::Verdict;

/// How long a unit that came back stands on top, in milliseconds.
pub const JUST_NOW_MS: u64 = 5 * 60_000;

/// Whether a unit can be reached.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum Reachable {
    /// It answers.
    Answers,
    /// A person reaches it: by hand, or by confirming this computer on its screen.
    ByPerson,
    /// It does not answer, or nobody knows whether it is it.
    Not,
}

/// A place on the bench; the least comes first.
pub type Place = (Reverse<Option<BenchTime>>, u8, Reachable, String);

/// Where a unit stands: what `arrived` just now first, the newest on top; then by how much is in the way of
/// working on it; of those alike, what answers before what is away; then by name.
#[must_use]
pub fn place(
    arrived: Option<BenchTime>,
    is_running: bool,
    verdict: &Verdict,
    reachable: Reachable,
    nickname: &str,
) -> Place {
    let in_the_way = match verdict {
        _ if is_running => 0,
        Verdict::Ready => 1,
        Verdict::ReadyAfter { .. } => 2,
        Verdict::AlreadyUnlocked { .. } | Verdict::NoLock => 3,
        Verdict::NotKnownYet => 4,
        Verdict::AskTheVendor { .. } => 5,
        Verdict::WaitUntil { .. } => 6,
        Verdict::NotPossible { .. } => 7,
    };
    (
        Reverse(arrived),
        in_the_way,
        reachable,
        nickname.to_lowercase(),
    )
}

#[cfg(test)]
mod tests {
    use super::super::Finality;
    use super::*;
    use crate::facts::testing::at;

    #[test]
    fn what_came_back_then_what_can_be_worked_on() {
        let unit = |arrived: Option<i64>, running, verdict: Verdict, reachable, name: &str| {
            (
                place(arrived.map(at), running, &verdict, reachable, name),
                name.to_owned(),
            )
        };
        let never = Verdict::NotPossible {
            finality: Finality::Final,
        };
        use Reachable::{Answers, ByPerson, Not};
        let mut units = vec![
            unit(None, false, never.clone(), Answers, "Tern"),
            unit(None, false, Verdict::Ready, Not, "Away"),
            unit(None, false, Verdict::Ready, ByPerson, "hand"),
            unit(None, false, Verdict::Ready, Answers, "Gull"),
            unit(
                None,
                false,
                Verdict::WaitUntil { at: at(9) },
                Answers,
                "Bittern",
            ),
            unit(Some(1), false, never.clone(), Answers, "first back"),
            unit(Some(2), false, never, Not, "last back"),
            unit(None, true, Verdict::NotKnownYet, Not, "Ruff"),
            unit(None, false, Verdict::NoLock, Answers, "Knot"),
        ];
        units.sort();
        let names: Vec<String> = units.into_iter().map(|(_, name)| name).collect();
        assert_eq!(
            names,
            [
                "last back",
                "first back",
                "Ruff",
                "Gull",
                "hand",
                "Away",
                "Knot",
                "Bittern",
                "Tern"
            ]
        );
    }
}
