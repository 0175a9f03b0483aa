//! Can it be unlocked, and what next? (JOB 2)
//!
//! Three-valued: what is not known never counts as met. Whatever a person can find out or do in
//! known minutes makes *ready after*; what decides whether at all, and is not known, makes *not
//! known yet*.

use serde::Serialize;
use veritope_wire::{Digest, Moment};

use crate::budget::{self, Battery, Policy};
use crate::facts::{CitedFact, FactKey, Facts, Reading};
use crate::family::{Caution, Consequence, Family};
use crate::keepsafe::KeepSafe;
use crate::mode::{Lock, Mode};
use crate::plan::{self, Goal, Sheet, State, Ways};
use crate::rule::Rule;
use crate::seal::{self, Consent, Cure, Item, ItemState, UnlockEvidence};

/// The judgement (JOB 2). The families of this version never yield *wait until* and *ask the
/// vendor*; they are part of the published list all the same.
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
        at: Moment,
    },
    /// Somebody else decides.
    AskTheVendor,
    /// No.
    NotPossible {
        /// Whether anything could change it.
        finality: Finality,
    },
    /// It is open.
    AlreadyUnlocked {
        /// Since when this is known.
        since: Moment,
    },
    /// There is nothing to unlock.
    NoLock,
    /// Something decisive is not known.
    NotKnownYet,
}

/// Whether a *no* can change.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Finality {
    /// Nothing changes it.
    Final,
    /// It can change; the reasons say how.
    Open,
}

/// The check that would decide most for the time it takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct NextCheck {
    /// Which fact.
    pub key: FactKey,
    /// Words for it.
    pub title: String,
    /// Where it stands on this family.
    pub place: String,
    /// Minutes it takes.
    pub minutes: u32,
    /// How many lines of the list it would settle.
    pub settles: u32,
}

/// The whole judgement, with all it rests on.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Standing {
    /// Verdict.
    pub verdict: Verdict,
    /// The verdict in one sentence.
    pub sentence: String,
    /// The lines it rests on, met and missing.
    pub items: Vec<Item>,
    /// The best next check, if one would help.
    pub next_check: Option<NextCheck>,
    /// What unlocking costs (`U11`).
    pub consequences: Vec<Consequence>,
    /// Battery for the whole way.
    pub battery: Option<Battery>,
    /// The way, when there is one and it is still ahead.
    pub sheet: Option<Sheet>,
    /// What people learned the hard way.
    pub cautions: Vec<Caution>,
    /// Digest of the family file that was used.
    pub family: Option<Digest>,
}

/// Everything that the judgement looks at.
#[derive(Debug, Clone, Copy)]
pub struct StandingInput<'a> {
    /// The unit's name.
    pub nickname: &'a str,
    /// Its family, when known.
    pub family: Option<&'a Family>,
    /// What is known.
    pub facts: &'a Facts,
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// The bench's policy.
    pub policy: &'a Policy,
    /// What the bench has at hand.
    pub ways: Ways,
    /// A consent that was given, if any.
    pub consent: Option<&'a Consent>,
    /// Now.
    pub now: Moment,
}

/// Judges whether a unit can be unlocked.
#[must_use]
pub fn judge(input: &StandingInput<'_>) -> Standing {
    let name = input.nickname;
    let Some(family) = input.family else {
        return Standing {
            verdict: Verdict::NotKnownYet,
            sentence: format!("Which family {name} belongs to is not known yet."),
            items: Vec::new(),
            next_check: None,
            consequences: Vec::new(),
            battery: None,
            sheet: None,
            cautions: Vec::new(),
            family: None,
        };
    };
    let mut standing = Standing {
        verdict: Verdict::NotKnownYet,
        sentence: String::new(),
        items: Vec::new(),
        next_check: None,
        consequences: family.consequences.clone(),
        battery: None,
        sheet: None,
        cautions: family.cautions.clone(),
        family: Some(family.digest),
    };
    if family.stages.is_empty() {
        standing.verdict = Verdict::NoLock;
        standing.sentence = format!("{name} has no lock: there is nothing to unlock.");
        return standing;
    }
    if let (Some(Lock::Unlocked), Some(row)) =
        (input.facts.lock(), input.facts.known(FactKey::Lock))
    {
        standing.verdict = Verdict::AlreadyUnlocked { since: row.at };
        standing.sentence = format!("{name} is unlocked already.");
        standing.items = vec![Item {
            rule: Rule::L3,
            state: ItemState::Met,
            text: "The unit itself, or somebody who looked, says so.".to_owned(),
            cure: None,
            minutes: None,
            facts: vec![row.into()],
        }];
        return standing;
    }
    weigh(input, family, standing)
}

fn weigh(input: &StandingInput<'_>, family: &Family, mut standing: Standing) -> Standing {
    let name = input.nickname;
    // The way is judged as if the lock were known to be closed and the system running; the list
    // asks for the first, and the second is seen before anything is done.
    let mut start = State::from_facts(input.facts);
    start.lock = start.lock.or(Some(Lock::Locked));
    start.mode = start.mode.or(Some(Mode::System));
    let sheet = match plan::find(family, start, Goal::Unlock, input.ways) {
        Ok(sheet) => sheet,
        Err(error) => {
            standing.verdict = Verdict::NotPossible {
                finality: Finality::Open,
            };
            standing.sentence = format!("{name} can't be unlocked: {error}.");
            return standing;
        }
    };
    let battery = budget::battery(&sheet, input.facts, family, input.policy, input.now);
    let evidence = UnlockEvidence {
        family,
        nickname: name,
        facts: input.facts,
        keep_safe: input.keep_safe,
        battery: &battery,
        consent: input.consent,
    };
    let items = seal::unlock_preparations(&evidence);
    standing.next_check = next_check(&items, input.facts, family);
    let open: Vec<&Item> = items
        .iter()
        .filter(|item| item.state != ItemState::Met)
        .collect();
    let decisive = |key: FactKey| {
        open.iter().any(|item| {
            item.state == ItemState::Unknown
                && matches!(&item.cure, Some(Cure::TypeFact { key: wanted, .. }) if *wanted == key)
        })
    };
    let refused = open.iter().find(|item| item.cure == Some(Cure::Nothing));
    let minutes = open.iter().filter_map(|item| item.minutes).sum();
    let count = open.len();
    (standing.verdict, standing.sentence) = if let Some(item) = refused {
        (
            Verdict::NotPossible {
                finality: Finality::Open,
            },
            format!("{name} is not unlocked here. {}", item.text),
        )
    } else if decisive(FactKey::Lock) || decisive(FactKey::Ownership) {
        (
            Verdict::NotKnownYet,
            format!("Whether {name} can be unlocked is not known yet."),
        )
    } else if count == 0 {
        (Verdict::Ready, format!("{name} can be unlocked now."))
    } else {
        let things = if count == 1 {
            "one thing".to_owned()
        } else {
            format!("{count} things")
        };
        (
            Verdict::ReadyAfter { minutes },
            format!("{name} can be unlocked after {things}."),
        )
    };
    standing.items = items;
    standing.battery = Some(battery);
    standing.sheet = Some(sheet);
    standing
}

/// The unknown fact that settles most lines per minute; the earlier in the list on a tie.
fn next_check(items: &[Item], facts: &Facts, family: &Family) -> Option<NextCheck> {
    let mut best: Option<NextCheck> = None;
    for item in items {
        let Some(Cure::TypeFact { key, place }) = &item.cure else {
            continue;
        };
        let settles = items
            .iter()
            .filter(|other| {
                matches!(&other.cure, Some(Cure::TypeFact { key: wanted, .. }) if wanted == key)
            })
            .count();
        // Until lock and owner are known nothing else counts: they settle the whole list.
        let settles = match key {
            FactKey::Lock | FactKey::Ownership => items.len(),
            _ => settles,
        };
        let check = NextCheck {
            key: *key,
            title: key.spec().title.to_owned(),
            place: place.clone(),
            minutes: family.place(*key).map_or(1, |place| place.minutes),
            settles: u32::try_from(settles).unwrap_or(u32::MAX),
        };
        let gain =
            |check: &NextCheck| u64::from(check.settles) * 60 / u64::from(check.minutes.max(1));
        if best.as_ref().is_none_or(|known| gain(&check) > gain(known)) {
            best = Some(check);
        }
    }
    // A fact that two sources contradict is settled by looking, too.
    debug_assert!(
        best.as_ref()
            .is_none_or(|check| !matches!(facts.get(check.key), Reading::Known(_)))
    );
    best
}

/// One line of what is known, for the facts panel.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct FactLine {
    /// Key.
    pub key: FactKey,
    /// Words for it.
    pub title: String,
    /// How it reads now.
    pub reading: FactReading,
    /// The rows behind it, newest first.
    pub rows: Vec<CitedFact>,
    /// Where it stands on this family, when a person can find it.
    pub place: Option<String>,
}

/// How a fact reads now.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum FactReading {
    /// Known.
    Known,
    /// Was known; something happened since.
    Stale,
    /// Sources differ.
    Contradicted,
    /// Not known.
    Unknown,
}

/// All facts of a unit as lines, in the order of [`FactKey::ALL`].
#[must_use]
pub fn fact_lines(facts: &Facts, family: Option<&Family>) -> Vec<FactLine> {
    FactKey::ALL
        .into_iter()
        .map(|key| {
            let (reading, rows) = match facts.get(key) {
                Reading::Known(row) => (FactReading::Known, vec![row.into()]),
                Reading::Stale(row) => (FactReading::Stale, vec![row.into()]),
                Reading::Contradicted(rows) => (
                    FactReading::Contradicted,
                    rows.into_iter().map(CitedFact::from).collect(),
                ),
                Reading::Unknown => (FactReading::Unknown, Vec::new()),
            };
            FactLine {
                key,
                title: key.spec().title.to_owned(),
                reading,
                rows,
                place: family
                    .and_then(|f| f.place(key))
                    .map(|place| place.place.clone()),
            }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;
    use crate::facts::testing::{at, facts};
    use crate::family::testing::gimbal;
    use crate::keepsafe::Kept;
    use crate::plan::Presence;

    fn waived(family: &Family) -> KeepSafe {
        family
            .keep_safe
            .iter()
            .map(|class| (*class, Kept::Waived { at: at(0) }))
            .collect()
    }

    fn judged(pairs: &[(FactKey, &str)], keep_safe: &KeepSafe) -> Standing {
        let family = gimbal();
        judge(&StandingInput {
            nickname: "Sanderling",
            family: Some(&family),
            facts: &facts(pairs),
            keep_safe,
            policy: &Policy::usual(),
            ways: Ways {
                link: Presence::Here,
                image: Presence::Here,
            },
            consent: None,
            now: at(10),
        })
    }

    const READY: [(FactKey, &str); 8] = [
        (FactKey::Ownership, "mine"),
        (FactKey::Lock, "locked"),
        (FactKey::Mode, "system"),
        (FactKey::Debugging, "on"),
        (FactKey::Accounts, "0"),
        (FactKey::ScreenLock, "off"),
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
        let all = waived(&gimbal());
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
                    .items
                    .iter()
                    .filter(|item| item.state != ItemState::Met)
                    .map(|item| item.rule.id())
                    .collect();
                let check = standing
                    .next_check
                    .as_ref()
                    .map_or("-", |check| check.key.id());
                format!(
                    "{case}: {} [{}] next: {check}",
                    standing.sentence,
                    open.join(" ")
                )
            })
            .collect();
        insta::assert_snapshot!(lines.join("\n"));
    }

    proptest! {
        #[test]
        fn unknown_facts_never_give_ready(kept in prop::collection::vec(any::<bool>(), 7)) {
            let some: Vec<_> = READY.into_iter().zip(&kept).filter(|(_, kept)| **kept).map(|(f, _)| f).collect();
            let standing = judged(&some, &waived(&gimbal()));
            let needed = [FactKey::Ownership, FactKey::Lock, FactKey::Accounts, FactKey::ScreenLock, FactKey::Battery];
            let complete = needed.iter().all(|key| some.iter().any(|(known, _)| known == key));
            prop_assert_eq!(standing.verdict == Verdict::Ready, complete);
        }
    }
}
