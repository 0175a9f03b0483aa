//! Can it be unlocked, and what next? (JOB 2)
//!
//! Three-valued: what is not known never counts as met. The lines are the evidence list of `G1`
//! ([`crate::act`]); the verdict is read off what would cure the open ones. Whatever a person can
//! find out or do in known minutes makes *ready after*; what decides whether at all, and is not
//! known, makes *not known yet*.
//!
//! * `check`: the next check, found by supposing each answer and judging anew
//! * `findings`: what is odd about the facts themselves
//! * `lines`: the facts as the panel shows them
//! * `outlook`: what else there is to say, beside the unlock

mod check;
mod findings;
mod lines;
pub mod order;
mod outlook;

use serde::Serialize;
use veritope_wire::{BenchTime, Digest};

use crate::act::{Act, Ground, Standpoint, Unlock, before_the_door, stops};
use crate::budget::{self, Battery, Policy};
use crate::builds::{self, Chain};
use crate::dossier::{Dossier, Shelved};
use crate::evidence::{Basis, Cure, Line};
use crate::facts::{FactKey, Facts};
use crate::family::{Caution, Consequence, Family};
use crate::goal::Goal;
use crate::mode::{Lock, Mode, RecoveryKind};
use crate::plan::due::{in_the_way, preparations};
use crate::plan::{self, NoPlan, Sheet, WhyNoWay};
use crate::rule::Rule;
use crate::state::{Presence, State};

pub use crate::evidence::Finality;
pub use check::NextCheck;
pub use findings::{Finding, Level, put_back_on_the_computer};
pub use lines::{FactLine, FactReading, fact_lines};
pub use outlook::{Outcome, Outlook, OutlookOf};

/// The judgement (JOB 2).
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(tag = "is", rename_all = "kebab-case")]
pub enum Verdict {
    /// Now.
    Ready,
    /// After what is listed.
    ReadyAfter {
        /// Minutes of a person's time, as far as they are known.
        minutes: u32,
    },
    /// Not before a moment.
    WaitUntil {
        /// The moment.
        at: BenchTime,
    },
    /// Somebody else decides.
    AskTheVendor {
        /// Who.
        who: String,
    },
    /// No.
    NotPossible {
        /// Whether anything could change it.
        finality: Finality,
    },
    /// It is open.
    AlreadyUnlocked {
        /// Since when this is known.
        since: BenchTime,
    },
    /// There is nothing to unlock.
    NoLock,
    /// Something decisive is not known.
    NotKnownYet,
}

/// The whole judgement, with all it rests on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Standing {
    /// Verdict.
    pub verdict: Verdict,
    /// The verdict in one sentence.
    pub sentence: String,
    /// What decides it, where the sentence alone would leave one asking why.
    pub because: Option<String>,
    /// The lines it rests on, met and missing.
    #[serde(rename = "items")]
    pub lines: Vec<Line>,
    /// What is odd about the facts themselves.
    pub findings: Vec<Finding>,
    /// What else there is to say, beside the unlock; the most pressing first.
    pub outlook: Vec<Outlook>,
    /// Whether an unlock is still ahead: its list, consequences and keep-safe classes matter.
    pub ahead: Ahead,
    /// The best next check, if one would help.
    pub next_check: Option<NextCheck>,
    /// What unlocking costs (`U11`).
    pub consequences: Vec<Consequence>,
    /// Battery for the unlock.
    pub battery: Option<Battery>,
    /// Battery for the longest job that can follow in one go (`U7`).
    pub afternoon: Option<Afternoon>,
    /// The way, when there is one and it is still ahead.
    pub sheet: Option<Sheet>,
    /// The way from build to build, where the present one can't be unlocked (`U5`).
    pub chain: Option<Chain>,
    /// Builds to come that would close a door (`U5`, `W1`).
    pub closing: Vec<String>,
    /// What people learned the hard way.
    pub cautions: Vec<Caution>,
    /// Digest of the family file that was used.
    pub family: Option<Digest>,
}

/// Whether an unlock is still ahead.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Ahead {
    /// It is, or may be.
    Unlock,
    /// There is none: open already, no lock, or not possible.
    Nothing,
}

/// Battery for a longer job.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Afternoon {
    /// The job in words.
    pub goal: String,
    /// What it asks.
    pub battery: Battery,
}

/// Everything that the judgement looks at.
#[derive(Debug, Clone, Copy)]
pub struct StandingInput<'a> {
    /// The unit's name.
    pub nickname: &'a str,
    /// What is known.
    pub facts: &'a Facts,
    /// All that is known, where its family is.
    pub of: Option<Dossier<'a>>,
    /// The bench's policy.
    pub policy: &'a Policy,
    /// How much is asked.
    pub depth: Depth,
}

/// How much of a judgement is asked. The verdict and its lines are the same.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// What a row of the bench shows.
    Row,
    /// Everything, the battery for later jobs included.
    Page,
}

/// The sheet to `goal` from what is known, along a chain of builds where the unlock takes one; the chain
/// leads back to `back_to`, the build that a run under way began on.
///
/// # Errors
/// See [`plan::find`].
pub fn plan_for(
    of: &Dossier<'_>,
    start: State,
    goal: Goal,
    back_to: Option<&str>,
) -> Result<Sheet, NoPlan> {
    let start = with_recovery(start);
    let chains = builds::toward(of.family, of.facts, goal, start.lock, back_to);
    plan::find_to_an_end(of, start, goal, &chains)
}

/// A locked unit starts no recovery but the maker's.
fn with_recovery(mut start: State) -> State {
    if start.lock == Some(Lock::Locked) {
        start.recovery = start.recovery.or(Some(RecoveryKind::Stock));
    }
    start
}

/// Judges whether a unit can be unlocked.
#[must_use]
pub fn judge(input: &StandingInput<'_>) -> Standing {
    let name = input.nickname;
    let nothing = |sentence: String| Standing {
        verdict: Verdict::NotKnownYet,
        sentence,
        because: None,
        lines: Vec::new(),
        findings: Vec::new(),
        outlook: Vec::new(),
        ahead: Ahead::Unlock,
        next_check: None,
        consequences: Vec::new(),
        battery: None,
        afternoon: None,
        sheet: None,
        chain: None,
        closing: Vec::new(),
        cautions: Vec::new(),
        family: None,
    };
    if input.facts.are_held_back() {
        return nothing(format!(
            "The record of {name} is held back: its log is damaged."
        ));
    }
    let Some(of) = input.of else {
        return nothing(format!("Which family {name} belongs to is not known yet."));
    };
    let (of, family) = (&of, of.family);
    let mut standing = Standing {
        verdict: Verdict::NotKnownYet,
        sentence: String::new(),
        because: None,
        lines: Vec::new(),
        findings: findings::findings(of),
        outlook: match input.depth {
            Depth::Row => Vec::new(),
            Depth::Page => outlook::outlook(of),
        },
        ahead: Ahead::Unlock,
        next_check: None,
        consequences: unlock(family)
            .costs(of)
            .map_or_else(Vec::new, |costs| costs.consequences),
        battery: None,
        afternoon: None,
        sheet: None,
        chain: None,
        closing: Vec::new(),
        cautions: family.cautions.clone(),
        family: Some(family.digest),
    };
    if let Some((verdict, sentence, mut lines)) = settled(name, family, input.facts) {
        // Whoever has no say over it is not asked what lies ahead either.
        let stops = stops(family, input.facts);
        let open: Vec<Line> = stops.into_iter().filter(|line| !line.is_met()).collect();
        let is_another = open.iter().any(|line| line.rule == Rule::M2);
        lines.extend(open);
        (standing.verdict, standing.sentence, standing.lines) = (verdict, sentence, lines);
        // What has no lock is told by its family; whether it is of that family is not known.
        if is_another && standing.verdict == Verdict::NoLock {
            standing.verdict = Verdict::NotKnownYet;
            standing.sentence = format!("Whether {name} has a lock is not known yet.");
        }
        standing.ahead = Ahead::Nothing;
        return standing;
    }
    weigh(input, of, standing)
}

/// The unlock that is judged: what it asks for is the same for every stage that each plan needs.
fn unlock(family: &Family) -> Act {
    let stage = family.main_stages().next();
    let stage = stage.map_or_else(String::new, |stage| stage.id.clone());
    Unlock { stage }.into()
}

/// The verdicts that need no list: no lock at all, or open already.
fn settled(name: &str, family: &Family, facts: &Facts) -> Option<(Verdict, String, Vec<Line>)> {
    if family.stages.is_empty() {
        return Some((
            Verdict::NoLock,
            format!("{name} has no lock: there is nothing to unlock."),
            Vec::new(),
        ));
    }
    let row = facts.known(FactKey::Lock)?;
    if facts.lock() != Some(Lock::Unlocked) {
        return None;
    }
    let said = "The unit itself, or somebody who looked, says so.";
    let mut lines = vec![Line::met(Rule::L3, said, row)];
    if let Some(row) = facts.known(FactKey::CriticalLock) {
        let stage = facts.choice(FactKey::CriticalLock).unwrap_or("");
        let text = format!("The stage for critical partitions is {stage}.");
        lines.push(Line::met(Rule::L2, text, row));
    }
    Some((
        Verdict::AlreadyUnlocked { since: row.at },
        format!("{name} is unlocked already."),
        lines,
    ))
}

/// The state that the way is judged from: as if the lock were known to be closed and the system
/// running; the list asks for the first, and the second is seen before anything is done.
fn start(facts: &Facts) -> State {
    let mut start = State::from_facts(facts);
    start.lock = start.lock.or(Some(Lock::Locked));
    start.mode = start.mode.or(Some(Mode::System));
    start
}

fn weigh(input: &StandingInput<'_>, of: &Dossier<'_>, mut standing: Standing) -> Standing {
    let (name, family) = (input.nickname, of.family);
    standing.closing = closing(family, input.facts);
    let start = start(input.facts);
    let sheet = plan_for(of, start, Goal::Unlock, None);
    let end = sheet.as_ref().ok().and_then(|sheet| sheet.end.as_ref());
    standing.chain = builds::gate(family, input.facts, None).chain(end);
    let unlock = unlock(family);
    let judged = |facts: &Facts| {
        let battery = match &sheet {
            Ok(sheet) => budget::battery(sheet.load(), facts, family, input.policy, of.now),
            Err(_) => budget::unplanned(facts, family, of.now),
        };
        let of = Dossier {
            facts,
            battery: Some(&battery),
            ..*of
        };
        let on = Ground {
            end,
            ..Ground::plain(&of)
        };
        let mut lines = before_the_door(&unlock, on, Standpoint::now(&of));
        // What stands before another step of the way stands before the unlock.
        let before = sheet.as_ref().map(|sheet| preparations(sheet, &of));
        for line in in_the_way(&before.unwrap_or_default()) {
            if !lines.iter().any(|known| known.asks_as_much(line)) {
                lines.push(line.clone());
            }
        }
        (lines, battery)
    };
    let (lines, battery) = judged(input.facts);
    let chain = standing.chain.as_ref();
    let packages = chain
        .map(|chain| chain.minutes)
        .filter(|minutes| *minutes > 0);
    standing.verdict = verdict(&lines, packages);
    // A *no* is a *no* whatever else is found out; a row of the bench asks only where nothing is known.
    let asks = match (&standing.verdict, input.depth) {
        (Verdict::NotPossible { .. }, _) => false,
        (Verdict::NotKnownYet, _) | (_, Depth::Page) => true,
        (_, Depth::Row) => false,
    };
    if asks {
        let judged = |facts: &Facts| {
            if settled(name, family, facts).is_some() {
                return (Vec::new(), Settled::Yes);
            }
            let (lines, _) = judged(facts);
            let ends = ends(&verdict(&lines, packages));
            (lines, ends)
        };
        let already = ends(&standing.verdict);
        standing.next_check =
            check::next_check(family, input.facts, of.now, &lines, already, judged);
    }
    let barred = match &sheet {
        Err(error) => Some(format!("{error}.")),
        Ok(sheet) => sheet.why_not.first().map(|why| why.text.clone()),
    };
    if let (Some(why), Verdict::Ready | Verdict::ReadyAfter { .. }) = (barred, &standing.verdict) {
        standing.verdict = Verdict::NotPossible {
            finality: Finality::Open,
        };
        standing.sentence = format!("{name} can't be unlocked here now.");
        standing.because = Some(why);
    } else {
        let elsewhere = end.filter(|end| end.instead.is_some());
        let stays_on = elsewhere.map(|end| end.build.as_str());
        (standing.sentence, standing.because) =
            sentence(name, &standing.verdict, &lines, stays_on, of.now);
        if let Verdict::Ready | Verdict::ReadyAfter { .. } = standing.verdict {
            let instead = elsewhere.and_then(|end| end.instead.clone());
            standing.because = standing.because.or(instead);
        }
    }
    // What a line asks for is not said twice.
    let asked = |rule: Rule| lines.iter().any(|line| line.rule == rule);
    standing
        .findings
        .retain(|finding| finding.rule != Rule::K7 || !asked(Rule::K7));
    standing.lines = lines;
    if matches!(standing.verdict, Verdict::NotPossible { .. }) {
        standing.ahead = Ahead::Nothing;
    }
    standing.afternoon = match input.depth {
        Depth::Row => None,
        Depth::Page => afternoon(input, of, start),
    };
    standing.battery = Some(battery);
    standing.sheet = sheet.ok();
    standing
}

/// Whether a supposed answer ends the questions.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Settled {
    Yes,
    No,
}

/// Whether a verdict leaves nothing to find out.
fn ends(verdict: &Verdict) -> Settled {
    match verdict {
        Verdict::NotPossible { .. } | Verdict::WaitUntil { .. } => Settled::Yes,
        _ => Settled::No,
    }
}

/// Facts without which it can't be said whether at all.
const DECISIVE: [FactKey; 19] = [
    FactKey::Mode,
    FactKey::ModelCode,
    FactKey::Codename,
    FactKey::Region,
    FactKey::CriticalLock,
    FactKey::RollbackIndex,
    FactKey::Root,
    FactKey::Lock,
    FactKey::Ownership,
    FactKey::ServiceAllowed,
    FactKey::Relocked,
    FactKey::Build,
    FactKey::Toggle,
    FactKey::Bought,
    FactKey::Paid,
    FactKey::Managed,
    FactKey::AskedUpdates,
    FactKey::FirstOnline,
    FactKey::OffHours,
];

/// Reads the verdict off the open lines. What is final comes before what can change, what somebody
/// else decides before what only takes time; `packages` are the minutes of the way to a build that can be
/// unlocked, where it leads over packages.
fn verdict(lines: &[Line], packages: Option<u32>) -> Verdict {
    let open = || lines.iter().filter(|line| !line.is_met());
    let has = |finality| open().any(|line| line.absence() == Some(finality));
    let is_unknown = |keys: &[FactKey]| {
        open().any(|line| {
            line.is_unknown()
                && matches!(
                    line.cure(),
                    Some(Cure::TypeFact { key, .. } | Cure::DoThenType { key, .. })
                        if keys.contains(key)
                )
        })
    };
    if has(Finality::Final) {
        return Verdict::NotPossible {
            finality: Finality::Final,
        };
    }
    if has(Finality::Open) {
        return Verdict::NotPossible {
            finality: Finality::Open,
        };
    }
    if is_unknown(&[FactKey::Lock, FactKey::Ownership]) {
        return Verdict::NotKnownYet;
    }
    let asked = open().find_map(|line| match line.cure() {
        Some(Cure::Ask { who, .. }) => Some(who.clone()),
        _ => None,
    });
    if let Some(who) = asked {
        return Verdict::AskTheVendor { who };
    }
    let until = open().filter_map(|line| match line.cure() {
        Some(Cure::Wait { until }) => Some(*until),
        _ => None,
    });
    if let Some(at) = until.max() {
        return Verdict::WaitUntil { at };
    }
    if is_unknown(&DECISIVE) {
        return Verdict::NotKnownYet;
    }
    let preparing: u32 = open().filter_map(|line| line.minutes).sum();
    match packages {
        None if open().next().is_none() => Verdict::Ready,
        _ => Verdict::ReadyAfter {
            minutes: preparing.saturating_add(packages.unwrap_or(0)),
        },
    }
}

fn sentence(
    name: &str,
    verdict: &Verdict,
    lines: &[Line],
    stays_on: Option<&str>,
    now: BenchTime,
) -> (String, Option<String>) {
    // An end that is not the present build is said in the same breath.
    let stays = stays_on.map_or_else(String::new, |build| format!(", and stays on {build} then"));
    let open = || lines.iter().filter(|line| !line.is_met());
    let reason = |finality| {
        open()
            .find(|line| line.absence() == Some(finality))
            .map(|line| line.text.clone())
    };
    let said = match verdict {
        Verdict::Ready => format!("{name} can be unlocked now{stays}."),
        Verdict::ReadyAfter { .. } => {
            let fetch = open().find_map(|line| match line.cure() {
                Some(Cure::Fetch { packages, .. }) => Some(packages.join(", ")),
                _ => None,
            });
            let things = match open().count() {
                0 => "the packages before it".to_owned(),
                1 => "one thing".to_owned(),
                count => format!("{count} things"),
            };
            match fetch {
                Some(packages) => {
                    format!(
                        "{name} can be unlocked after {things}{stays}; {packages} is to be fetched."
                    )
                }
                None => format!("{name} can be unlocked after {things}{stays}."),
            }
        }
        Verdict::WaitUntil { at } => {
            let hours = at.ms_since(now).div_ceil(3_600_000);
            format!("{name} can be unlocked in {hours} h at the earliest.")
        }
        Verdict::AskTheVendor { who } => {
            let is_read =
                |line: &&Line| line.basis().iter().any(|one| matches!(one, Basis::Fact(_)));
            let wrong = open()
                .filter(is_read)
                .find(|line| line.rule == Rule::K3 && line.is_unknown());
            let because = wrong.map(|line| format!("First: {}", line.text));
            return (format!("To unlock {name}, ask {who}."), because);
        }
        Verdict::NotPossible {
            finality: Finality::Final,
        } => {
            let because = reason(Finality::Final);
            return (format!("{name} can't be unlocked, ever."), because);
        }
        Verdict::NotPossible {
            finality: Finality::Open,
        } => {
            let because = reason(Finality::Open);
            return (format!("{name} is not unlocked here."), because);
        }
        Verdict::NotKnownYet => format!("Whether {name} can be unlocked is not known yet."),
        Verdict::AlreadyUnlocked { .. } => format!("{name} is unlocked already."),
        Verdict::NoLock => format!("{name} has no lock: there is nothing to unlock."),
    };
    (said, None)
}

/// What the notes of builds that are still to come say, where this unit could still take them.
fn closing(family: &Family, facts: &Facts) -> Vec<String> {
    let Some((_, present)) = facts.text(FactKey::Build).and_then(|id| family.build(id)) else {
        return Vec::new();
    };
    family
        .builds
        .iter()
        .filter(|build| build.rollback > present.rollback && build.patch > present.patch)
        .filter(|build| !build.note.is_empty())
        .map(|build| {
            format!(
                "{} ({}): {} Keep updates off until it is unlocked.",
                build.id, build.patch, build.note
            )
        })
        .collect()
}

/// The goal behind the unlock that takes the most battery, with everything at hand for it.
fn afternoon(input: &StandingInput<'_>, of: &Dossier<'_>, start: State) -> Option<Afternoon> {
    let mut of = *of;
    of.by.link = Presence::Here;
    of.recovery = of.recovery.or(Some(Shelved::default()));
    [Goal::BackUp, Goal::KeepRecovery]
        .into_iter()
        .filter_map(|goal| {
            let (start, none) = (with_recovery(start), Chain::default());
            let sheet = plan::find_along(&of, start, goal, &none, WhyNoWay::NotAsked).ok()?;
            let facts = input.facts;
            let battery = budget::battery(sheet.load(), facts, of.family, input.policy, of.now);
            Some(Afternoon {
                goal: goal.shown_on(of.family).to_owned(),
                battery,
            })
        })
        .max_by_key(|job| job.battery.begin_from_percent)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::act::testing::waived;
    use crate::facts::testing::{at, facts};
    use crate::family::testing::gimbal;
    use crate::keepsafe::KeepSafe;
    use crate::plan::testing::{Ways, known};

    fn judged(pairs: &[(FactKey, &str)], keep_safe: &KeepSafe) -> Standing {
        let (family, facts) = (gimbal(), facts(pairs));
        judge(&StandingInput {
            nickname: "Sanderling",
            facts: &facts,
            of: Some(Dossier {
                nickname: "Sanderling",
                keep_safe,
                now: at(10),
                ..known(&family, &facts, Ways::ALL)
            }),
            policy: &Policy::usual(),
            depth: Depth::Page,
        })
    }

    const READY: [(FactKey, &str); 9] = [
        (FactKey::Ownership, "mine"),
        (FactKey::Lock, "locked"),
        (FactKey::Mode, "system"),
        (FactKey::Debugging, "on"),
        (FactKey::Accounts, "0"),
        (FactKey::ScreenLock, "off"),
        (FactKey::WorksWaived, "waived"),
        (FactKey::Battery, "81"),
        (FactKey::Build, "loop-4.1.7"),
    ];

    #[test]
    fn sanderling_as_met() {
        let standing = judged(
            &[
                (FactKey::Ownership, "mine"),
                (FactKey::Lock, "locked"),
                (FactKey::Mode, "system"),
                (FactKey::Debugging, "on"),
                (FactKey::Battery, "81"),
            ],
            &KeepSafe::new(),
        );
        insta::assert_json_snapshot!(standing, { ".family" => "[digest]", ".sheet" => "[sheet]" });
    }

    #[test]
    fn the_verdicts_in_one_sentence_each() {
        let all = waived(&gimbal(), 0);
        let with = |key: FactKey, value: &'static str| {
            READY.map(|(known, was)| (known, if known == key { value } else { was }))
        };
        let without = |key: FactKey| {
            READY
                .into_iter()
                .filter(|(known, _)| *known != key)
                .collect::<Vec<_>>()
        };
        let cases = [
            ("all there", judged(&READY, &all)),
            ("nothing kept safe", judged(&READY, &KeepSafe::new())),
            (
                "already open",
                judged(&with(FactKey::Lock, "unlocked"), &all),
            ),
            ("lock not known", judged(&without(FactKey::Lock), &all)),
            (
                "owner not known",
                judged(&without(FactKey::Ownership), &all),
            ),
            (
                "nobody's",
                judged(&with(FactKey::Ownership, "neither"), &all),
            ),
            ("two accounts", judged(&with(FactKey::Accounts, "2"), &all)),
            ("nearly empty", judged(&with(FactKey::Battery, "12"), &all)),
            ("nothing known", judged(&[], &KeepSafe::new())),
        ];
        let lines: Vec<String> = cases
            .iter()
            .map(|(case, standing)| {
                let open: Vec<_> = standing
                    .lines
                    .iter()
                    .filter(|line| !line.is_met())
                    .map(|line| line.rule.id())
                    .collect();
                let check = standing
                    .next_check
                    .as_ref()
                    .map_or("-", |check| check.key.id());
                format!(
                    "{case}: {} {}[{}] next: {check}",
                    standing.sentence,
                    standing
                        .because
                        .as_ref()
                        .map_or_else(String::new, |why| format!("{why} ")),
                    open.join(" ")
                )
            })
            .collect();
        insta::assert_snapshot!(lines.join("\n"));
    }

    proptest! {
        #[test]
        fn unknown_facts_never_give_ready(kept in prop::collection::vec(any::<bool>(), 9)) {
            let some: Vec<_> = READY.into_iter().zip(&kept).filter(|(_, kept)| **kept).map(|(f, _)| f).collect();
            let standing = judged(&some, &waived(&gimbal(), 0));
            let needed = [FactKey::Ownership, FactKey::Lock, FactKey::Accounts, FactKey::ScreenLock, FactKey::Battery, FactKey::WorksWaived];
            let complete = needed.iter().all(|key| some.iter().any(|(known, _)| known == key));
            prop_assert_eq!(standing.verdict == Verdict::Ready, complete);
        }
    }
}
