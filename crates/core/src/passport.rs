//! What goes with a unit when it leaves the bench (`C3`): on top what was waived, skipped, said by a person or is not
//! proven; then what it is now, the recovery with its version (`M11`); then how what exists once is kept.

use serde::Serialize;

use crate::captured::{CaptureFacts, Origin};
use crate::dossier::Dossier;
use crate::evidence::Line;
use crate::facts::{FactGroup, FactKey, Reading, Source};
use crate::family::Role;
use crate::keepsafe::Kept;
use crate::mode::RecoveryKind;
use crate::relock::purity;
use crate::rule::Rule;
use crate::standing::{FactLine, fact_lines, put_back_on_the_computer};
use crate::started::restores_on;

/// Something that whoever takes the unit over has to know.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Mention {
    /// The rule behind it.
    pub rule: Rule,
    /// In one or two sentences.
    pub text: String,
}

/// What goes with a unit.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Passport {
    /// What was waived, skipped, said by a person or is not proven, what can hurt first.
    pub open: Vec<Mention>,
    /// What it is now, as far as anybody said or read it.
    pub now: Vec<FactLine>,
    /// How what exists once is kept, one line for each partition.
    pub kept: Vec<Line>,
}

/// What is stated of it, in this order.
const STATED: [FactKey; 11] = [
    FactKey::ModelCode,
    FactKey::Build,
    FactKey::Patch,
    FactKey::Lock,
    FactKey::CriticalLock,
    FactKey::Slot,
    FactKey::Recovery,
    FactKey::RecoveryVersion,
    FactKey::Restorer,
    FactKey::RollbackIndex,
    FactKey::Root,
];

/// The passport of a unit as it is now.
#[must_use]
pub fn passport(of: &Dossier<'_>) -> Passport {
    let lines = fact_lines(of.facts, Some(of.family));
    let stated = |key: &FactKey| {
        let mut lines = lines.iter();
        let line = lines.find(|line| line.key == *key);
        line.filter(|line| !line.rows.is_empty()).cloned()
    };
    let all = [
        handed(of),
        writes(of),
        recovery(of),
        copies(of),
        works(of),
        owners(of),
        ends(of),
        said(of),
    ];
    Passport {
        open: all.into_iter().flatten().collect(),
        now: STATED.iter().filter_map(stated).collect(),
        kept: of
            .coverage
            .map_or_else(Vec::new, |coverage| coverage.lines.clone()),
    }
}

fn mention(rule: Rule, text: impl Into<String>) -> Mention {
    Mention {
        rule,
        text: text.into(),
    }
}

fn listed(all: impl IntoIterator<Item = String>) -> String {
    all.into_iter().collect::<Vec<_>>().join(", ")
}

/// What is kept of it by a person's word, since hands read it: it is never put back from here (`B12`).
fn handed(of: &Dossier<'_>) -> Vec<Mention> {
    let counts = |capture: &CaptureFacts| {
        let mut rows = of.coverage.iter().flat_map(|coverage| &coverage.rows);
        rows.any(|row| row.capture == Some(capture.id))
    };
    let mut declared = of.captures.iter();
    let is_kept = declared.any(|one| one.origin == Origin::Declared && counts(one));
    let text = "What exists once of it is kept by a person's word: dumps that hands took, whose origin nobody saw. They are compared and handed over, and never put back from here.";
    is_kept
        .then(|| mention(Rule::B12, text))
        .into_iter()
        .collect()
}

/// Writes that nobody saw end, and what is not its maker's or not proven to be (`S3`, `R1`).
fn writes(of: &Dossier<'_>) -> Vec<Mention> {
    let torn = (!of.torn.is_empty()).then(|| {
        let labels = listed(of.torn.iter().map(|one| one.label.to_string()));
        mention(
            Rule::S3,
            format!("A write was interrupted, and what lies there is not known: {labels}."),
        )
    });
    let pure = purity(of.family, of.facts, of.held, of.torn);
    let foreign = (!pure.foreign.is_empty()).then(|| {
        let shown = pure.foreign.iter();
        let shown = shown.map(|(label, proof)| format!("{label} ({})", proof.shown()));
        mention(Rule::R1, format!("Not its maker's: {}.", listed(shown)))
    });
    let unproven = (!pure.unproven.is_empty()).then(|| {
        let none_is = pure.foreign.is_empty() && pure.builds.is_empty();
        let text = if none_is {
            "Nothing of its system is proven to be its maker's.".to_owned()
        } else {
            let labels = listed(pure.unproven.iter().map(ToString::to_string));
            format!("Not proven to be its maker's: {labels}.")
        };
        mention(Rule::R1, text)
    });
    torn.into_iter().chain(foreign).chain(unproven).collect()
}

/// A recovery that is not known any more, or that the next start takes away (`M11`).
fn recovery(of: &Dossier<'_>) -> Vec<Mention> {
    let text = match of.facts.get(FactKey::Recovery) {
        Reading::Stale(_) | Reading::Contradicted(_) => {
            "Which recovery lies on it is not known: something happened since it was last seen."
        }
        Reading::Known(_) if of.facts.recovery() == Some(RecoveryKind::Custom) => {
            match restores_on(of.family, of.facts) {
                true => "The next start of the system puts the maker's recovery back.",
                false => return Vec::new(),
            }
        }
        Reading::Known(_) | Reading::Unknown => return Vec::new(),
    };
    vec![mention(Rule::M11, text)]
}

/// What exists once and is not kept as the bench's rules want it (`B6`).
fn copies(of: &Dossier<'_>) -> Vec<Mention> {
    let mut parts = of.family.partitions.iter();
    let has_unique = parts.any(|part| part.role == Role::DeviceUnique);
    let text = match of.coverage.map(|coverage| &coverage.lines) {
        Some(lines) if !lines.is_empty() => {
            let open = lines.iter().filter(|line| !line.is_met()).count();
            if open == 0 {
                return Vec::new();
            }
            format!(
                "Of {} partitions that exist once {open} are not kept as this bench wants them kept; below stands why.",
                lines.len()
            )
        }
        _ if has_unique => {
            "What exists once was never read of it here: no copy is kept.".to_owned()
        }
        _ => return Vec::new(),
    };
    vec![mention(Rule::B6, text)]
}

/// What does not work, or that nobody looked (`K7`).
fn works(of: &Dossier<'_>) -> Vec<Mention> {
    let facts = of.facts;
    let asked = FactKey::ALL.iter();
    let asked = asked.filter(|key| key.spec().group == FactGroup::Works);
    let any = asked.clone().any(|key| facts.known(*key).is_some());
    let broken = asked.filter(|key| facts.choice(**key) == Some("no"));
    let broken: Vec<_> = broken.map(|key| key.spec().within()).collect();
    let text = match (any, facts.known(FactKey::WorksWaived)) {
        (true, _) if broken.is_empty() => return Vec::new(),
        (true, _) => format!("Does not work on it: {}.", broken.join("; ")),
        (false, Some(_)) => "What works on it was not checked: that was waived.".to_owned(),
        (false, None) => "What works on it was not checked.".to_owned(),
    };
    vec![mention(Rule::K7, text)]
}

/// What of the owner's data was waived (`U9`).
fn owners(of: &Dossier<'_>) -> Vec<Mention> {
    let waived = of.keep_safe.iter();
    let waived = waived.filter(|(_, kept)| matches!(kept, Kept::Waived { .. }));
    let waived: Vec<_> = waived.map(|(class, _)| class.within()).collect();
    let text = format!(
        "Of the owner's data nobody kept: {}.",
        listed(waived.iter().map(ToString::to_string))
    );
    (!waived.is_empty())
        .then(|| mention(Rule::U9, text))
        .into_iter()
        .collect()
}

/// What was changed for the work and is not put back, on it and on the computer (`C3`).
fn ends(of: &Dossier<'_>) -> Vec<Mention> {
    let is_on = of.facts.choice(FactKey::Debugging) == Some("on");
    let text = "It still takes commands from a computer: switch that off in its settings.";
    let on_it = is_on.then(|| mention(Rule::C3, text));
    let undo = put_back_on_the_computer(of.facts);
    let text = format!(
        "The computer it was worked on is not put back yet: {}",
        undo.join(" ")
    );
    let beside = (!undo.is_empty()).then(|| mention(Rule::C3, text));
    on_it.into_iter().chain(beside).collect()
}

/// What is stated by a person's word alone (`K5`).
fn said(of: &Dossier<'_>) -> Vec<Mention> {
    let is_said = |key: &&FactKey| {
        let row = of.facts.known(**key);
        row.is_some_and(|row| row.source == Source::Person)
    };
    let keys: Vec<_> = STATED.iter().filter(is_said).collect();
    let titles = keys.iter().map(|key| key.spec().within());
    let text = format!("By a person's word, not read: {}.", listed(titles));
    (!keys.is_empty())
        .then(|| mention(Rule::K5, text))
        .into_iter()
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::act::testing::write;
    use crate::coverage::Torn;
    use crate::facts::testing::{at, row};

    fn rules(passport: &Passport) -> Vec<Rule> {
        passport.open.iter().map(|one| one.rule).collect()
    }

    /// `C3`: what is waived, unproven or interrupted stands on top; what is known stands below with its source.
    #[test]
    fn what_was_waived_or_is_not_proven_stands_on_top() {
        let mut bench = write();
        let whole = bench.asked(passport);
        assert!(rules(&whole).contains(&Rule::R1), "{whole:?}");
        assert!(rules(&whole).contains(&Rule::K7), "waived: {whole:?}");
        assert!(!rules(&whole).contains(&Rule::B6), "kept: {whole:?}");
        assert!(!rules(&whole).contains(&Rule::K5), "read: {whole:?}");
        assert!(!whole.kept.is_empty());
        let lock = whole.now.iter().find(|line| line.key == FactKey::Lock);
        assert_eq!(lock.unwrap().rows[0].source, Source::Link);
        bench.copies.clear();
        bench.torn = vec![Torn {
            label: "system".parse().unwrap(),
            image: veritope_wire::Digest::of(b"x"),
            before: None,
            since: at(1),
        }];
        let said = row(990, FactKey::RecoveryVersion, "3.2.0", Source::Person, 10);
        bench.rows.push(said);
        let worse = bench.asked(passport);
        assert_eq!(rules(&worse)[0], Rule::S3);
        assert!(rules(&worse).contains(&Rule::B6), "{worse:?}");
        assert!(rules(&worse).contains(&Rule::K5), "{worse:?}");
        bench.rows.extend([
            row(991, FactKey::WorksCalls, "no", Source::Person, 11),
            row(992, FactKey::ComputerChanged, "driver", Source::Person, 11),
        ]);
        let broken = bench.asked(passport);
        let of = |rule| broken.open.iter().find(|one| one.rule == rule).unwrap();
        assert_eq!(
            of(Rule::K7).text,
            "Does not work on it: calls and messages, both ways."
        );
        assert!(of(Rule::C3).text.contains("not put back yet"), "{broken:?}");
    }
}
