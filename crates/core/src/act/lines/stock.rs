//! What `G8` asks of the unit's content before its lock is closed: proven stock (`R1`, `R7`), not below the
//! fuse (`R2`), started and checked since the last write (`R3`), and the way back open (`R6`).

use veritope_wire::{BenchTime, Label};

use super::index::index;
use crate::dossier::Dossier;
use crate::evidence::{Basis, Cure, Finality, Grounds, Line, Need, choice, not_known};
use crate::facts::{FactGroup, FactKey, Facts, Happening};
use crate::family::{Family, ReadRoute, RouteKind};
use crate::mode::Mode;
use crate::relock::{Held, Proof, Purity};
use crate::rule::Rule;
use crate::state::Presence;

/// Another act, at the backups, brings it.
fn brought(cure: Cure) -> Need {
    Need::Carried { cure: Some(cure) }
}

fn put_stock(labels: Vec<Label>) -> Need {
    brought(Cure::PutStock { labels })
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

/// What proves a partition on this family as the unit is reached, and who brings that; where nothing does,
/// what it would take.
fn proving(of: &Dossier<'_>) -> (&'static str, Need) {
    let (family, by) = (of.family, of.by);
    let mut routes = family.read_routes.iter();
    let reads =
        |route: &&ReadRoute| matches!(route.kind, RouteKind::TemporaryStart | RouteKind::ReadOut);
    let nobody = Need::Absent {
        finality: Finality::Open,
    };
    let model = of.facts.text(FactKey::ModelCode);
    let mut builds = family.published(model).into_iter();
    if !of.is_own_stock && builds.all(|build| build.images.is_empty()) {
        return (
            "Nothing is known to be stock of this unit: its maker publishes no files, and this bench never saw it locked and untouched.",
            nobody,
        );
    }
    match (by.link, routes.find(reads).map(|route| route.kind)) {
        (Presence::Missing, _) => (
            "What lies there is read over a bench link, and this unit has none: connect one to prove it.",
            nobody,
        ),
        (Presence::Here, Some(RouteKind::TemporaryStart)) => (
            "Start a recovery from memory, capture them with the system, and they are held against a stock build.",
            brought(Cure::Capture),
        ),
        (Presence::Here, Some(_)) => (
            "Read them out with the system, and they are held against a stock build.",
            brought(Cure::Capture),
        ),
        (Presence::Here, None) if of.family.is_read_by_writing() => (
            "Nothing reads them on this family before another recovery is written, and that one is not stock itself: it would take its maker.",
            nobody,
        ),
        (Presence::Here, None) => (
            "Nothing reads them on this family before a recovery is written, and this bench writes none there yet: it would take that, or its maker.",
            nobody,
        ),
    }
}

/// `R1`, `R7`.
pub(crate) fn stock(of: &Dossier<'_>, pure: &Purity) -> Vec<Line> {
    let facts = of.facts;
    let mut lines = Vec::new();
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
        let text = format!(
            "Not the maker's {verb}: {}. Locked now, it would refuse to start.",
            named(&shown)
        );
        lines.push(
            Line::missing(Rule::R7, text, put_stock(labels))
                .citing(facts, [FactKey::Recovery, FactKey::Foreign]),
        );
    }
    if !pure.unproven.is_empty() {
        let shown: Vec<String> = pure.unproven.iter().map(ToString::to_string).collect();
        let (how, need) = proving(of);
        lines.push(Line::unknown(
            Rule::R1,
            format!("Not proven to be stock: {}. {how}", named(&shown)),
            need,
        ));
    }
    for slot in &pure.mixed {
        let place = if slot.is_empty() {
            String::new()
        } else {
            format!(" of slot {slot}")
        };
        lines.push(Line::missing(
            Rule::R1,
            format!("The partitions{place} are stock of more than one build: write one whole."),
            put_stock(Vec::new()),
        ));
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
        lines.push(Line::met(
            Rule::R1,
            format!("Proven to be stock: {}.", builds.join(", ")),
            Basis::log("what was read of each partition, held against the maker's digests"),
        ));
    }
    lines
}

/// `R1`: the build that runs is the one that is proven; of two slots, the active one's.
pub(crate) fn runs(family: &Family, facts: &Facts, pure: &Purity) -> Option<Line> {
    if !pure.is_proven() {
        // Without proof there is nothing to compare; the lines above say so.
        return None;
    }
    let key = FactKey::Build;
    let (Some(runs), Some(row)) = (facts.text(key), facts.known(key)) else {
        let question = "Which build runs now? It has to be the one that is proven.";
        return Some(not_known(family, facts, Rule::R1, key, question));
    };
    // Where the active slot is known it is that one's; else the bytes themselves tell: a slot that is
    // proven to hold one build does not report another.
    let active = facts.choice(FactKey::Slot);
    let of = |slot: &str| slot.is_empty() || active.is_none_or(|active| active == slot);
    let mut proven = pure.builds.iter().filter(|(slot, _)| of(slot));
    if proven.clone().any(|(_, build)| build == runs) {
        let text = format!("{runs} runs, and that is what is proven.");
        return Some(Line::met(Rule::R1, text, row));
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
    Some(Line::missing(Rule::R1, text, put_stock(Vec::new())).seen([row.into()]))
}

/// `R2`: also a slot that is not active must not be below what is fused.
pub(crate) fn fused(family: &Family, facts: &Facts, pure: &Purity) -> Vec<Line> {
    // Without a proven build there is nothing to compare; R1 says so.
    let lines = pure.builds.iter().filter_map(|(_, build)| {
        let known = family.build(build).map(|(_, spec)| spec.rollback);
        let line = index(Rule::R2, family, facts, build, known)?;
        Some(if line.is_missing() {
            let seen = line.basis().to_vec();
            Line::missing(Rule::R2, line.text, put_stock(Vec::new())).seen(seen)
        } else {
            line
        })
    });
    let mut all: Vec<Line> = lines.collect();
    all.dedup();
    all
}

/// When anything was last written that a start has to prove.
pub(crate) fn last_write(facts: &Facts, held: &[Held]) -> Option<BenchTime> {
    held.iter()
        .filter(|held| held.proof == Proof::Written)
        .map(|held| held.at)
        .max()
        .max(facts.last(Happening::SystemWritten))
}

/// `R3`, first half.
pub(crate) fn started(facts: &Facts, written: Option<BenchTime>) -> Line {
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
        let basis = runs.map_or_else(|| Basis::log("the system was seen to run"), Basis::from);
        return Line::met(
            Rule::R3,
            "The system has started since the last write.",
            basis,
        );
    }
    Line::missing(
        Rule::R3,
        "Stock has not started since the last write: start it once, and see it come up.",
        brought(Cure::StartSystem),
    )
}

/// `R3`, second half: what works, checked since the last write.
pub(crate) fn functions(facts: &Facts, since: Option<BenchTime>) -> Line {
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
    let mut rows = asked.iter().filter_map(|key| facts.known(*key));
    if let (true, Some(first)) = (open.is_empty(), rows.next()) {
        return Line::met(
            Rule::R3,
            "What works was checked since the last write.",
            Grounds::from(first).and(rows.map(Basis::from)),
        );
    }
    Line::missing(
        Rule::R3,
        format!(
            "{} of {} functions are not checked since the last write.",
            open.len(),
            asked.len()
        ),
        Cure::Check {
            keys: open.clone(),
            waive: None,
            instruction: "Check what works on the unit, one after the other, and note each. After the lock nothing that exists once can be put back.".to_owned(),
        }
        .by_person(),
    )
    .minutes(u32::try_from(open.len()).ok())
    .citing(facts, asked)
}

/// `R6`: the only way back.
pub(crate) fn switch(family: &Family, facts: &Facts) -> Option<Line> {
    let spec = family.toggle.as_ref()?;
    let key = FactKey::Toggle;
    Some(match choice(facts, key) {
        Some(("on" | "fixed-on", basis)) => Line::met(
            Rule::R6,
            "The unlock switch is on: the way back stays open.",
            basis,
        ),
        Some(_) => Line::missing(
            Rule::R6,
            "The unlock switch is off: locked now, there would be no way back.",
            Cure::DoThenType {
                key,
                instruction: spec.hand.clone(),
            }
            .by_person(),
        )
        .minutes(spec.minutes)
        .citing(facts, [key]),
        None => not_known(
            family,
            facts,
            Rule::R6,
            key,
            "Is the unlock switch on? It is the only way back.",
        ),
    })
}
