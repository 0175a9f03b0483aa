//! Installing a package of the maker's: `G2` while the unit is locked, when copies of what exists once
//! can't be there yet; `G4` afterwards, when they can.

use super::consent::{consented, data_lost};
use super::index::index;
use super::owner::{accounts, keep_safe};
use super::{
    Consent, Cure, Item, ItemState, Torn, battery, cite, item, not_known, ownership, torn,
};
use crate::budget::Battery;
use crate::coverage::Coverage;
use crate::digest::{Claimed, Seen};
use crate::facts::{FactKey, FactValue, Facts};
use crate::family::{Consequence, Family, Lies, PackageSpec, Wipe};
use crate::keepsafe::KeepSafe;
use crate::mode::Lock;
use crate::rule::Rule;

/// Everything that the judgement of a package looks at.
#[derive(Debug, Clone, Copy)]
pub struct PackageEvidence<'a> {
    /// The family.
    pub family: &'a Family,
    /// The unit's name.
    pub nickname: &'a str,
    /// What is known.
    pub facts: &'a Facts,
    /// The package.
    pub package: &'a PackageSpec,
    /// Its file, hashed where it lies on the shelf.
    pub seen: Option<&'a Seen>,
    /// What was said about the owner's data.
    pub keep_safe: &'a KeepSafe,
    /// How the unit's partitions are kept.
    pub coverage: &'a Coverage,
    /// The battery, judged for the whole sheet.
    pub battery: &'a Battery,
    /// Writes whose end nobody has seen.
    pub torn: &'a [Torn],
    /// The consent to this package, if there is one.
    pub consent: Option<&'a Consent>,
}

/// What a consent to a package is for.
#[must_use]
pub fn package_stage(package: &PackageSpec) -> String {
    format!("package {}", package.name)
}

/// What installing a package costs, told before the name is typed.
#[must_use]
pub fn package_consequences(package: &PackageSpec, facts: &Facts) -> Vec<Consequence> {
    let one = |area: &str, text: &str| Consequence {
        area: area.to_owned(),
        text: text.to_owned(),
    };
    let mut all = Vec::new();
    if facts.lock() != Some(Lock::Unlocked) {
        all.push(one(
            "backup",
            "This is before any backup: while it is locked, nothing of what exists once can be copied.",
        ));
    }
    if package.wipes {
        all.push(data_lost(Wipe::Data));
    }
    all.push(one(
        "interruption",
        "While it installs, power and cable stay; a cut leaves a system that may not start.",
    ));
    all
}

/// The list that `package` needs now: `G2` while locked, `G4` once not.
#[must_use]
pub fn package_rule(facts: &Facts) -> Rule {
    match facts.lock() {
        Some(Lock::Unlocked) => Rule::G4,
        _ => Rule::G2,
    }
}

/// The evidence list for a package.
#[must_use]
pub fn package_items(evidence: &PackageEvidence<'_>) -> Vec<Item> {
    let mut items = package_preparations(evidence);
    items.push(consented(
        evidence.consent,
        evidence.nickname,
        &package_consequences(evidence.package, evidence.facts),
        Rule::G2,
    ));
    items
}

/// What must be so of a package that comes later on the same sheet, before the first of them erases
/// anything: it is whole, and lies where it must (`Q11`).
#[must_use]
pub fn package_ahead(evidence: &PackageEvidence<'_>) -> Vec<Item> {
    vec![digest(evidence), place(evidence)]
}

/// The same without the consent.
#[must_use]
pub fn package_preparations(evidence: &PackageEvidence<'_>) -> Vec<Item> {
    let (family, facts) = (evidence.family, evidence.facts);
    let mut items = vec![
        ownership(family, facts),
        declared(evidence),
        digest(evidence),
        place(evidence),
        base(evidence),
    ];
    items.extend(fused(evidence));
    // It is not said which partitions it leaves alone, so none may be half written.
    items.extend(torn(evidence.torn, None));
    items.push(battery(family, facts, evidence.battery));
    if evidence.package.wipes {
        items.push(accounts(family, facts));
        items.push(keep_safe(family, facts, evidence.keep_safe));
    }
    if facts.lock() == Some(Lock::Unlocked) {
        if evidence.coverage.items.is_empty() {
            items.push(Item {
                cure: Some(Cure::Capture),
                ..item(
                    Rule::B6,
                    ItemState::Missing,
                    "What exists once on this unit is not captured yet, and now it can be.",
                    Vec::new(),
                )
            });
        }
        items.extend(evidence.coverage.items.iter().cloned());
    }
    items
}

/// Only the maker's own packages that leave alone what exists once (`G2`). A package that doesn't
/// say which partitions it touches touches all.
fn declared(evidence: &PackageEvidence<'_>) -> Item {
    let name = &evidence.package.name;
    let (state, text) = if evidence.package.keeps_unique {
        (
            ItemState::Met,
            format!("{name} is the maker's and leaves alone what exists once."),
        )
    } else {
        (
            ItemState::Missing,
            format!(
                "The family does not say that {name} leaves alone what exists once: it is taken for touching all."
            ),
        )
    };
    item(Rule::G2, state, text, Vec::new())
}

/// The file was hashed here and is what was published (`M8`, `Q11`).
fn digest(evidence: &PackageEvidence<'_>) -> Item {
    let name = &evidence.package.name;
    match (evidence.seen, evidence.package.blake3) {
        (Some(seen), Some(published)) if seen.agrees_with(Claimed(published)) => item(
            Rule::Q11,
            ItemState::Met,
            format!(
                "{name} was hashed on this bench's shelf: {}, as published.",
                seen.digest().short()
            ),
            Vec::new(),
        ),
        (Some(seen), Some(published)) => item(
            Rule::M8,
            ItemState::Missing,
            format!(
                "{name} has digest {}…, published is {}…: fetch it again.",
                seen.digest().short(),
                published.short()
            ),
            Vec::new(),
        ),
        (_, None) => item(
            Rule::M8,
            ItemState::Missing,
            format!("No digest of {name} is published, so nothing tells a damaged file."),
            Vec::new(),
        ),
        (None, Some(_)) => Item {
            cure: Some(Cure::Fetch {
                packages: vec![name.clone()],
                key: FactKey::CardFiles,
            }),
            ..item(
                Rule::Q11,
                ItemState::Missing,
                format!(
                    "{name} was not hashed here: put the file into the shelf's folder packages, and copy that one to the card."
                ),
                Vec::new(),
            )
        },
    }
}

/// It lies where it must, and stays reachable (`Q11`).
fn place(evidence: &PackageEvidence<'_>) -> Item {
    let (family, facts) = (evidence.family, evidence.facts);
    let name = &evidence.package.name;
    if evidence.package.lies != Lies::Card {
        return item(
            Rule::Q11,
            ItemState::Met,
            format!("{name} is sent from this computer."),
            Vec::new(),
        );
    }
    let Some(row) = facts.known(FactKey::CardFiles) else {
        let question = "Which packages lie on the card?";
        return not_known(family, facts, Rule::Q11, FactKey::CardFiles, question);
    };
    let lies = match &row.value {
        FactValue::Names(names) => names.contains(name),
        _ => false,
    };
    if lies {
        return item(
            Rule::Q11,
            ItemState::Met,
            format!("{name} lies on the card."),
            vec![row.into()],
        );
    }
    Item {
        cure: Some(Cure::Fetch {
            packages: vec![name.clone()],
            key: FactKey::CardFiles,
        }),
        ..item(
            Rule::Q11,
            ItemState::Missing,
            format!("{name} is not on the card."),
            vec![row.into()],
        )
    }
}

/// The base that it states is there (`Q12`).
fn base(evidence: &PackageEvidence<'_>) -> Item {
    let (family, facts, package) = (evidence.family, evidence.facts, evidence.package);
    let Some(wanted) = package.from.and_then(|from| family.builds.get(from)) else {
        let text = format!("{} is whole: it goes over any build.", package.name);
        return item(Rule::Q12, ItemState::Met, text, Vec::new());
    };
    match facts.text(FactKey::Build) {
        Some(build) if build == wanted.id => item(
            Rule::Q12,
            ItemState::Met,
            format!("It wants exactly {build}, and that runs."),
            cite(facts, FactKey::Build),
        ),
        Some(build) => item(
            Rule::Q12,
            ItemState::Missing,
            format!("It wants exactly {}, and {build} runs.", wanted.id),
            cite(facts, FactKey::Build),
        ),
        None => not_known(
            family,
            facts,
            Rule::Q12,
            FactKey::Build,
            &format!("It wants exactly {}: which build runs now?", wanted.id),
        ),
    }
}

/// Never below what is fused (`W1`).
fn fused(evidence: &PackageEvidence<'_>) -> Option<Item> {
    let (family, package) = (evidence.family, evidence.package);
    let to = family.builds.get(package.to)?;
    index(Rule::W1, family, evidence.facts, &to.id, Some(to.rollback))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::budget::{Policy, battery as charge_of};
    use crate::facts::testing::{at, facts};
    use crate::family::testing::shipped;
    use crate::plan::{Goal, Presence, State, Ways, find};
    use crate::seal::testing::waived;
    use veritope_wire::Digest;

    const BYTES: &[u8] = b"the whole of a package";

    /// What stands against `package` with these facts; `tamper` may change the family.
    fn against(
        name: &str,
        pairs: &[(FactKey, &str)],
        bytes: Option<&[u8]>,
        tamper: impl Fn(&mut PackageSpec),
    ) -> Vec<Rule> {
        let mut family = shipped("mooring");
        for package in &mut family.packages {
            package.blake3 = Some(Digest::of(BYTES));
            tamper(package);
        }
        let mut all = vec![
            (FactKey::Ownership, "mine"),
            (FactKey::Accounts, "0"),
            (FactKey::Battery, "90"),
            (FactKey::Mode, "system"),
            (
                FactKey::CardFiles,
                "mallet-full-3.1, mallet-enabler-3.1, mallet-3.1-to-3.2",
            ),
        ];
        all.extend(pairs);
        let facts = facts(&all);
        let ways = Ways {
            link: Presence::Missing,
            image: Presence::Missing,
        };
        let sheet = find(&family, State::from_facts(&facts), Goal::ToOff, ways).unwrap();
        let battery = charge_of(&sheet, &facts, &family, &Policy::usual(), at(60));
        let keep = waived(&family, 60);
        let seen = bytes.map(Seen::of);
        let package = family.packages.iter().find(|one| one.name == name).unwrap();
        package_preparations(&PackageEvidence {
            family: &family,
            nickname: "Dunlin",
            facts: &facts,
            package,
            seen: seen.as_ref(),
            keep_safe: &keep,
            coverage: &Coverage::default(),
            battery: &battery,
            torn: &[],
            consent: None,
        })
        .into_iter()
        .filter(|item| item.state != ItemState::Met)
        .map(|item| item.rule)
        .collect()
    }

    #[test]
    fn a_package_needs_its_digest_its_place_its_base_and_what_it_declares() {
        let old = [(FactKey::Lock, "locked"), (FactKey::Build, "WM1-3.1-2603")];
        let same = |_: &mut PackageSpec| {};
        assert_eq!(against("mallet-full-3.1", &old, Some(BYTES), same), []);
        assert_eq!(against("mallet-enabler-3.1", &old, Some(BYTES), same), []);
        let full =
            |bytes, change: fn(&mut PackageSpec)| against("mallet-full-3.1", &old, bytes, change);
        assert_eq!(full(None, |_| {}), [Rule::Q11]);
        assert_eq!(full(Some(b"half of it"), |_| {}), [Rule::M8]);
        assert_eq!(
            full(Some(BYTES), |one| one.keeps_unique = false),
            [Rule::G2]
        );
        assert_eq!(full(Some(BYTES), |one| one.blake3 = None), [Rule::M8]);
        assert_eq!(
            against("mallet-3.2-to-3.3", &old, Some(BYTES), same),
            [Rule::Q11, Rule::Q12]
        );
        let newer = [(FactKey::Lock, "locked"), (FactKey::RollbackIndex, "1")];
        assert_eq!(
            against("mallet-full-3.1", &newer, Some(BYTES), same),
            [Rule::W1]
        );
    }

    #[test]
    fn once_unlocked_copies_can_be_there_and_must() {
        let open = [
            (FactKey::Lock, "unlocked"),
            (FactKey::Build, "WM1-3.1-2603"),
        ];
        assert_eq!(
            against("mallet-full-3.1", &open, Some(BYTES), |_| {}),
            [Rule::B6]
        );
        assert_eq!(package_rule(&facts(&open)), Rule::G4);
    }
}
