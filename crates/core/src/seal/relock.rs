//! Closing a stage of the lock again (`G8`): `R1` to `R7`.
//!
//! Nothing foreign may be left, and that is proven, not believed; there is no override (`R7`).
//! Systems that an owner signed with keys of their own are out of scope: to this list they are
//! foreign.

use veritope_wire::{BenchTime, Label};

use super::consent::{Consent, consented, meant_for_another};
use super::index::index;
use super::owner::{accounts, keep_safe, merging, twin};
use super::{
    Closed, Cure, Effect, Item, ItemState, LinkWitness, Permit, Torn, admit, battery, by_link,
    cite, in_mode, item, not_known, open_items, ownership, reported, torn,
};
use crate::budget::Battery;
use crate::facts::{FactGroup, FactKey, Facts, Happening};
use crate::family::{Again, Consequence, Family, ReadRoute, RouteKind};
use crate::keepsafe::KeepSafe;
use crate::mode::{Lock, Mode};
use crate::relock::{Held, Proof, Purity, purity};
use crate::rule::Rule;

/// Everything that the judgement of a relock looks at.
#[derive(Debug, Clone, Copy)]
pub struct RelockEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// The unit's name, which a consent repeats.
    pub nickname: &'a str,
    /// What is known.
    pub facts: &'a Facts,
    /// What is known of each partition's content.
    pub held: &'a [Held],
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// The battery, judged for the whole sheet; nothing where no sheet is asked about yet.
    pub battery: Option<&'a Battery>,
    /// Now.
    pub now: BenchTime,
    /// The consent for this stage on this run, if there is one.
    pub consent: Option<&'a Consent>,
    /// Another unit on the bench with which this one could be confused (`K4`).
    pub twin: Option<&'a str>,
}

/// What closing the lock costs, told before the consent (`R4`, `R5`).
#[must_use]
pub fn relock_consequences(family: &Family) -> Vec<Consequence> {
    let again = match family.relock.again {
        Again::Yes => "It can be unlocked again, which erases once more.",
        Again::WhileToggleOn => {
            "It can be unlocked again only while the switch in its settings is on."
        }
        Again::OldBuild => "It can be unlocked again only on a build that allows it.",
        Again::Never => "It never unlocks again, whatever is tried.",
    };
    let one = |area: &str, text: &str| Consequence {
        area: area.to_owned(),
        text: text.to_owned(),
    };
    let mut all = vec![
        one(
            "data",
            "Everything stored on it is erased at the moment you confirm.",
        ),
        one("again", again),
        one(
            "unique",
            "What exists once can't be put back from here any more: check what works before.",
        ),
    ];
    all.extend(family.marks.iter().map(|mark| Consequence {
        area: "mark".to_owned(),
        text: format!("{} It stays, locked or not.", mark.text),
    }));
    all
}

/// What must be there before a lock is closed: the evidence of `G8` but the consent.
#[must_use]
pub fn relock_preparations(evidence: &RelockEvidence<'_>) -> Vec<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let pure = purity(family, facts, evidence.held, evidence.torn);
    let mut items = vec![ownership(family, facts), open_now(family, facts)];
    items.extend(twin(family, facts, evidence.twin));
    items.extend(torn(evidence.torn, None));
    // Where it is not known yet, it is read on the way: the list of the step wants it known.
    let is_known = |line: &Item| line.state == ItemState::Missing;
    items.extend(merging(Rule::G8, family, facts).filter(is_known));
    items.extend(stock(family, facts, &pure));
    items.extend(runs(family, facts, &pure));
    items.extend(fused(family, facts, &pure));
    let written = last_write(facts, evidence.held);
    items.extend([started(facts, written), functions(facts, written)]);
    items.extend(switch(family, facts));
    items.push(Item {
        rule: Rule::R4,
        ..keep_safe(family, facts, evidence.keep_safe)
    });
    items.push(Item {
        rule: Rule::R4,
        ..accounts(family, facts)
    });
    items.extend(
        evidence
            .battery
            .map(|charge| battery(family, facts, charge)),
    );
    items
}

/// The whole evidence list of `G8`.
#[must_use]
pub fn relock_items(evidence: &RelockEvidence<'_>) -> Vec<Item> {
    let mut items = relock_preparations(evidence);
    let is_left = |line: &Item| line.state != ItemState::Missing;
    items.extend(merging(Rule::G8, evidence.family, evidence.facts).filter(is_left));
    items.push(consented(
        evidence.consent,
        evidence.nickname,
        &relock_consequences(evidence.family),
        Rule::R5,
    ));
    items
}

fn open_now(family: &Family, facts: &Facts) -> Item {
    let cited = cite(facts, FactKey::Lock);
    match facts.lock() {
        Some(Lock::Unlocked) => item(Rule::L3, ItemState::Met, "It is unlocked.", cited),
        Some(Lock::Locked) => Item {
            cure: Some(Cure::Nothing),
            ..item(Rule::L3, ItemState::Missing, "It is locked already.", cited)
        },
        None => not_known(
            family,
            facts,
            Rule::L3,
            FactKey::Lock,
            "Is it locked or unlocked?",
        ),
    }
}

/// Labels in a sentence: the first eight, then how many more.
fn named(labels: &[String]) -> String {
    const SHOWN: usize = 8;
    let first = labels[..labels.len().min(SHOWN)].join(", ");
    match labels.len().saturating_sub(SHOWN) {
        0 => first,
        more => format!("{first} and {more} more"),
    }
}

/// `R1`, `R7`.
fn stock(family: &Family, facts: &Facts, pure: &Purity) -> Vec<Item> {
    let mut items = Vec::new();
    if !pure.foreign.is_empty() {
        let labels: Vec<Label> = pure
            .foreign
            .iter()
            .map(|(label, _)| label.clone())
            .collect();
        let shown: Vec<String> = pure
            .foreign
            .iter()
            .map(|(label, proof)| format!("{label} ({})", proof.shown()))
            .collect();
        let verb = if labels.len() == 1 { "is" } else { "are" };
        items.push(Item {
            cure: Some(Cure::PutStock { labels }),
            ..item(
                Rule::R7,
                ItemState::Missing,
                format!(
                    "Not the maker's {verb}: {}. Locked now, it would refuse to start.",
                    named(&shown)
                ),
                [FactKey::Recovery, FactKey::Foreign]
                    .into_iter()
                    .flat_map(|key| cite(facts, key))
                    .collect(),
            )
        });
    }
    if !pure.unproven.is_empty() {
        let shown: Vec<String> = pure.unproven.iter().map(ToString::to_string).collect();
        let how = family
            .read_routes
            .iter()
            .find(|route| matches!(route.kind, RouteKind::TemporaryStart | RouteKind::ReadOut))
            .map_or(
                "Write them from a stock build by a route that reports success.",
                |route: &ReadRoute| match route.kind {
                    RouteKind::TemporaryStart => {
                        "Read them by a temporary start and compare with a stock build."
                    }
                    _ => "Read them out and compare with a stock build.",
                },
            );
        items.push(by_link(item(
            Rule::R1,
            ItemState::Unknown,
            format!("Not proven to be stock: {}. {how}", named(&shown)),
            Vec::new(),
        )));
    }
    for slot in &pure.mixed {
        let place = if slot.is_empty() {
            String::new()
        } else {
            format!(" of slot {slot}")
        };
        items.push(Item {
            cure: Some(Cure::PutStock { labels: Vec::new() }),
            ..item(
                Rule::R1,
                ItemState::Missing,
                format!("The partitions{place} are stock of more than one build: write one whole."),
                Vec::new(),
            )
        });
    }
    if pure.is_proven() {
        let builds: Vec<String> = pure
            .builds
            .iter()
            .map(|(slot, build)| match *slot {
                "" => build.clone(),
                slot => format!("{build} in slot {slot}"),
            })
            .collect();
        items.push(item(
            Rule::R1,
            ItemState::Met,
            format!("Proven to be stock: {}.", builds.join(", ")),
            Vec::new(),
        ));
    }
    items
}

/// `R1`: the build that runs is the one that is proven; of two slots, the active one's.
fn runs(family: &Family, facts: &Facts, pure: &Purity) -> Option<Item> {
    if !pure.is_proven() {
        // Without proof there is nothing to compare; the lines above say so.
        return None;
    }
    let cited = cite(facts, FactKey::Build);
    let Some(runs) = facts.text(FactKey::Build) else {
        let question = "Which build runs now? It has to be the one that is proven.";
        return Some(not_known(family, facts, Rule::R1, FactKey::Build, question));
    };
    // Where the active slot is known it is that one's; else the bytes themselves tell: a slot that is
    // proven to hold one build does not report another.
    let active = facts.choice(FactKey::Slot);
    let of = |slot: &str| slot.is_empty() || active.is_none_or(|active| active == slot);
    let mut proven = pure.builds.iter().filter(|(slot, _)| of(slot));
    if proven.clone().any(|(_, build)| build == runs) {
        return Some(item(
            Rule::R1,
            ItemState::Met,
            format!("{runs} runs, and that is what is proven."),
            cited,
        ));
    }
    let text = match (proven.next(), active) {
        (Some((_, build)), _) => format!(
            "Proven is {build}, and the unit says that {runs} runs: start it, and read the build again."
        ),
        (None, slot) => format!(
            "Slot {} is the active one, and nothing proves what it holds.",
            slot.unwrap_or("")
        ),
    };
    Some(Item {
        cure: Some(Cure::PutStock { labels: Vec::new() }),
        ..item(Rule::R1, ItemState::Missing, text, cited)
    })
}

/// `R2`: also a slot that is not active must not be below what is fused.
fn fused(family: &Family, facts: &Facts, pure: &Purity) -> Vec<Item> {
    // Without a proven build there is nothing to compare; R1 says so.
    let lines = pure.builds.iter().filter_map(|(_, build)| {
        let known = family.build(build).map(|(_, spec)| spec.rollback);
        let line = index(Rule::R2, family, facts, build, known)?;
        Some(match line.state {
            ItemState::Missing => Item {
                cure: Some(Cure::PutStock { labels: Vec::new() }),
                ..line
            },
            _ => line,
        })
    });
    let mut all: Vec<Item> = lines.collect();
    all.dedup();
    all
}

/// When anything was last written that a start has to prove.
fn last_write(facts: &Facts, held: &[Held]) -> Option<BenchTime> {
    held.iter()
        .filter(|held| held.proof == Proof::Written)
        .map(|held| held.at)
        .max()
        .max(facts.last(Happening::SystemWritten))
}

/// `R3`, first half.
fn started(facts: &Facts, written: Option<BenchTime>) -> Item {
    let runs = facts
        .known(FactKey::Mode)
        .filter(|_| facts.mode() == Some(Mode::System));
    let ran = facts.last(Happening::SystemRan).max(runs.map(|row| row.at));
    let is_seen = match (ran, written) {
        (Some(ran), Some(written)) => ran > written,
        (Some(_), None) => true,
        (None, _) => false,
    };
    if is_seen {
        return item(
            Rule::R3,
            ItemState::Met,
            "The system has started since the last write.",
            Vec::new(),
        );
    }
    by_link(item(
        Rule::R3,
        ItemState::Missing,
        "Stock has not started since the last write: start it once, and see it come up.",
        Vec::new(),
    ))
}

/// `R3`, second half: what works, checked since the last write.
fn functions(facts: &Facts, since: Option<BenchTime>) -> Item {
    let asked: Vec<FactKey> = FactKey::ALL
        .iter()
        .copied()
        .filter(|key| key.spec().group == FactGroup::Works)
        .collect();
    let is_checked = |key: &FactKey| {
        facts.known(*key).is_some_and(|row| {
            since.is_none_or(|written| row.at > written) && facts.choice(*key) != Some("not-tested")
        })
    };
    let open: Vec<FactKey> = asked
        .iter()
        .copied()
        .filter(|key| !is_checked(key))
        .collect();
    let cited = asked.iter().flat_map(|key| cite(facts, *key)).collect();
    if open.is_empty() {
        return item(
            Rule::R3,
            ItemState::Met,
            "What works was checked since the last write.",
            cited,
        );
    }
    Item {
        cure: Some(Cure::Check {
            keys: open.clone(),
            instruction: "Check what works on the unit, one after the other, and note each. After the lock nothing that exists once can be put back.".to_owned(),
        }),
        minutes: u32::try_from(open.len()).ok(),
        ..item(
            Rule::R3,
            ItemState::Missing,
            format!(
                "{} of {} functions are not checked since the last write.",
                open.len(),
                asked.len()
            ),
            cited,
        )
    }
}

/// `R6`: the only way back.
fn switch(family: &Family, facts: &Facts) -> Option<Item> {
    let spec = family.toggle.as_ref()?;
    let key = FactKey::Toggle;
    Some(match facts.choice(key) {
        Some("on" | "fixed-on") => item(
            Rule::R6,
            ItemState::Met,
            "The unlock switch is on: the way back stays open.",
            cite(facts, key),
        ),
        Some(_) => Item {
            cure: Some(Cure::DoThenType {
                key,
                instruction: spec.hand.clone(),
            }),
            minutes: Some(spec.minutes),
            ..item(
                Rule::R6,
                ItemState::Missing,
                "The unlock switch is off: locked now, there would be no way back.",
                cite(facts, key),
            )
        },
        None => not_known(
            family,
            facts,
            Rule::R6,
            key,
            "Is the unlock switch on? It is the only way back.",
        ),
    })
}

/// Mints the permit for closing one stage (`G8`).
///
/// # Errors
/// When any item of the list is not met, the unit at the link is not the one that was judged, or
/// it is not in the mode that takes the command.
pub fn mint_relock(
    stage: &str,
    evidence: &RelockEvidence<'_>,
    witness: &LinkWitness<'_>,
) -> Result<Permit, Closed> {
    let family = evidence.family;
    let mut missing = open_items(relock_items(evidence));
    let Some(act) = &family.relock.act else {
        missing.push(item(
            Rule::G8,
            ItemState::Missing,
            format!("How {} is locked is not in its family file.", family.name()),
            Vec::new(),
        ));
        return Err(Closed { missing });
    };
    if !family.relock.order.iter().any(|known| known == stage) {
        missing.push(item(
            Rule::G8,
            ItemState::Missing,
            format!("{} has no stage `{stage}` to lock.", family.name()),
            Vec::new(),
        ));
    }
    missing.extend(meant_for_another(evidence.consent, stage, Rule::G8));
    missing.extend(in_mode(&[act.mode], witness));
    missing.extend(reported(Lock::Unlocked, witness));
    admit(
        Effect::Relock {
            stage: stage.to_owned(),
        },
        missing,
        family,
        evidence.facts,
        witness,
    )
}

#[cfg(test)]
mod tests {
    use veritope_wire::link::Epoch;

    use super::super::consent::told;
    use super::super::testing::{rules, waived, witness};
    use super::*;
    use crate::facts::testing::{at, linked, row};
    use crate::facts::{FactRow, Source};
    use crate::family::testing::shipped;
    use crate::relock::{Against, Holds, is_checked};

    /// A complete set of evidence for a tablet that never unlocks again; tests take pieces out.
    struct Bench {
        family: Family,
        rows: Vec<FactRow>,
        live: Vec<FactRow>,
        held: Vec<Held>,
        torn: Vec<Torn>,
        happened: Vec<(Happening, BenchTime)>,
        keep_safe: KeepSafe,
        consent: Option<Consent>,
    }

    const BUILD: &str = "LN3X.7.1.2610";

    fn complete() -> Bench {
        let family = shipped("cinder");
        let mut pairs = vec![
            (FactKey::Ownership, "asked"),
            (FactKey::Lock, "unlocked"),
            (FactKey::Accounts, "0"),
            (FactKey::Toggle, "on"),
            (FactKey::RollbackIndex, "3"),
            (FactKey::Build, BUILD),
            (FactKey::ChipId, "91b0c4d7"),
            (FactKey::Mode, "bootloader"),
        ];
        pairs.extend(
            FactKey::ALL
                .iter()
                .filter(|key| key.spec().group == FactGroup::Works)
                .map(|key| (*key, "yes")),
        );
        let rows = linked(&pairs, 9);
        let held = family
            .partitions
            .iter()
            .filter(|spec| is_checked(spec.role))
            .map(|spec| Held {
                label: spec.label.clone(),
                holds: Holds::Stock {
                    build: BUILD.to_owned(),
                },
                proof: Proof::ReadTemporary,
                at: at(6),
                against: Against::Own,
            })
            .collect();
        Bench {
            keep_safe: waived(&family, 0),
            consent: Some(Consent {
                stage: "main".to_owned(),
                typed: "Lapwing".to_owned(),
                told: told(&relock_consequences(&family)),
                at: at(10),
            }),
            live: rows.clone(),
            held,
            torn: Vec::new(),
            happened: vec![
                (Happening::SystemWritten, at(4)),
                (Happening::SystemRan, at(7)),
            ],
            family,
            rows,
        }
    }

    fn mint(bench: &Bench) -> Result<Permit, Closed> {
        let facts = Facts::new(&bench.rows, &[], bench.happened.iter().copied());
        let live = Facts::new(&bench.live, &[], []);
        let evidence = RelockEvidence {
            family: &bench.family,
            nickname: "Lapwing",
            facts: &facts,
            held: &bench.held,
            torn: &bench.torn,
            keep_safe: &bench.keep_safe,
            battery: None,
            now: at(11),
            consent: bench.consent.as_ref(),
            twin: None,
        };
        let witness = witness(&live, 7);
        mint_relock("main", &evidence, &witness)
    }

    fn say(bench: &mut Bench, key: FactKey, value: &str) {
        bench.rows.push(row(99, key, value, Source::Link, 10));
    }

    #[test]
    fn complete_evidence_opens_for_one_stage_under_one_epoch() {
        let permit = mint(&complete()).unwrap();
        assert_eq!(permit.epoch(), Epoch(7));
        assert_eq!(
            *permit.effect(),
            Effect::Relock {
                stage: "main".to_owned()
            }
        );
    }

    #[test]
    fn anything_foreign_refuses_by_name_and_no_word_changes_it() {
        let mut bench = complete();
        for held in &mut bench.held {
            if matches!(held.label.as_str(), "vendor" | "recovery") {
                held.holds = Holds::Foreign;
            }
        }
        say(&mut bench, FactKey::Recovery, "stock");
        let missing = mint(&bench).unwrap_err().missing;
        assert_eq!(missing[0].rule, Rule::R7);
        assert!(missing[0].text.contains("recovery"), "{}", missing[0].text);
        assert!(missing[0].text.contains("vendor"), "{}", missing[0].text);
        let labels = ["recovery", "vendor"].map(|label| label.parse().unwrap());
        assert_eq!(
            missing[0].cure,
            Some(Cure::PutStock {
                labels: labels.into()
            })
        );
    }

    #[test]
    fn what_nothing_proves_is_no_stock() {
        let mut bench = complete();
        bench.held.retain(|held| held.label.as_str() != "modem");
        assert_eq!(rules(&mint(&bench)), [Rule::R1]);
    }

    #[test]
    fn an_older_build_than_what_is_fused_is_refused() {
        let mut bench = complete();
        say(&mut bench, FactKey::RollbackIndex, "4");
        assert_eq!(rules(&mint(&bench)), [Rule::R2]);
    }

    #[test]
    fn stock_must_have_started_since_the_last_write_and_been_tried() {
        let mut bench = complete();
        bench.happened.push((Happening::SystemWritten, at(8)));
        assert_eq!(rules(&mint(&bench)), [Rule::R3]);
        bench.happened.push((Happening::SystemWritten, at(10)));
        // The ticks are older too, and what runs may be another one. The fuse waits for a start.
        assert_eq!(rules(&mint(&bench)), [Rule::R1, Rule::R3, Rule::R3]);
        bench.happened.push((Happening::SystemRan, at(11)));
        assert_eq!(rules(&mint(&bench)), [Rule::R1, Rule::R2, Rule::R3]);
    }

    #[test]
    fn each_other_piece_closes_it_with_its_rule() {
        let mut off = complete();
        say(&mut off, FactKey::Toggle, "off");
        assert_eq!(rules(&mint(&off)), [Rule::R6]);
        let mut signed_in = complete();
        say(&mut signed_in, FactKey::Accounts, "1");
        assert_eq!(rules(&mint(&signed_in)), [Rule::R4]);
        let mut not_kept = complete();
        not_kept.keep_safe.clear();
        assert_eq!(rules(&mint(&not_kept)), [Rule::R4]);
        let mut no_word = complete();
        no_word.consent = None;
        assert_eq!(rules(&mint(&no_word)), [Rule::R5]);
        let mut told_of_the_unlock = complete();
        told_of_the_unlock.consent.as_mut().unwrap().told =
            told(&told_of_the_unlock.family.consequences);
        assert_eq!(rules(&mint(&told_of_the_unlock)), [Rule::R5]);
        let mut nobody = complete();
        say(&mut nobody, FactKey::Ownership, "neither");
        assert_eq!(rules(&mint(&nobody)), [Rule::Care]);
        let mut elsewhere = complete();
        elsewhere.live.retain(|row| row.key != FactKey::Mode);
        assert_eq!(rules(&mint(&elsewhere)), [Rule::L3]);
    }

    #[test]
    fn a_torn_write_comes_first() {
        let mut bench = complete();
        let vendor: Label = "vendor".parse().unwrap();
        bench.torn.push(Torn {
            label: vendor.clone(),
            effect: Effect::WriteImage {
                label: vendor,
                image: veritope_wire::Digest::of(b"x"),
            },
            before: None,
            since: at(9),
        });
        // What the broken write left there is no proof of anything.
        assert_eq!(rules(&mint(&bench)), [Rule::S3, Rule::R1]);
    }

    #[test]
    fn the_build_that_runs_is_the_one_that_is_proven() {
        let mut bench = complete();
        bench.rows.retain(|row| row.key != FactKey::Build);
        assert_eq!(rules(&mint(&bench)), [Rule::R1]);
        say(&mut bench, FactKey::Build, "LN3X.7.0.2607");
        assert_eq!(rules(&mint(&bench)), [Rule::R1]);
        bench.rows.retain(|row| row.key != FactKey::Build);
        say(&mut bench, FactKey::Build, BUILD);
        assert_eq!(rules(&mint(&bench)), []);
    }
}
