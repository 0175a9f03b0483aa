//! Installing a package of the maker's: `G2` while the unit is locked, when copies of what exists once
//! can't be there yet; `G4` afterwards, when they can.

use veritope_wire::{Digest, Label};

use super::lines::card::card;
use super::lines::index::index;
use super::lines::owner::{accounts, intake};
use super::write::{image_arg, image_read};
use super::{
    Args, Ask, Bit, Brings, Cable, Command, Doing, Ground, How, ImageOf, Kind, Line, Price,
    Shows, Standpoint, TakenBy, Takes, Touches, Whose, Words, arg, carried, copies_can_be_had, erased, in_mode, lock_told, row, settled, works,
};
use crate::consent::{Costs, data_lost, one};
use crate::dossier::{By, Dossier};
use crate::digest::Claimed;
use crate::evidence::{Basis, Cure, Due, Need, not_known};
use crate::facts::{FactKey, FactValue, Happening};
use crate::family::{Family, Lies, PackageSpec, Wipe};
use crate::goal::Goal;
use crate::mode::{Lock, Mode, RecoveryKind};
use crate::rule::Rule;
use crate::state::{BackedUp, Laid, Presence, State};

/// Installs a package of the maker's.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Install {
    /// Its name.
    pub package: String,
    /// Its file, where it is sent from this computer; nothing where it lies on the unit or its card.
    pub image: Option<Digest>,
}

impl Kind for Install {
    // A package that doesn't say which partitions it touches touches all.
    const TOUCHES: Touches = Touches::WRITES.and(Touches::ERASES);

    fn instances(on: Ground<'_>) -> Vec<Self> {
        let family = on.family();
        let packages = family.packages.iter();
        packages
            .filter(|spec| on.legs.contains(&spec.name.as_str()))
            .map(|spec| Self {
                package: spec.name.clone(),
                image: spec.blake3.filter(|_| spec.lies == Lies::Computer),
            })
            .collect()
    }

    fn word(&self) -> &'static str {
        "install-package"
    }

    fn args(&self) -> Vec<(&'static str, String)> {
        let image = image_arg(self.image).into_iter();
        [("package", self.package.clone())]
            .into_iter()
            .chain(image)
            .collect()
    }

    fn read(word: &str, args: &Args) -> Option<Self> {
        (word == "install-package").then(|| Self {
            package: arg(args, "package"),
            image: image_read(args),
        })
    }

    fn serves(&self, goal: Goal) -> bool {
        goal != Goal::Erase && goal.slot().is_none()
    }

    fn touches(&self, family: &Family) -> Touches {
        match family.package(&self.package) {
            Some(spec) if !spec.wipes => Touches::WRITES,
            _ => Self::TOUCHES,
        }
    }

    fn rule(&self, of: &Dossier<'_>) -> Rule {
        // What is whole may go over a unit that nothing reads any more.
        let is_whole = of.family.package(&self.package).is_some_and(|spec| spec.from.is_none());
        match of.facts.lock() {
            Some(Lock::Unlocked) if !is_whole || copies_can_be_had(of) => Rule::G4,
            _ => Rule::G2,
        }
    }

    fn lines(&self, on: Ground<'_>, at: Standpoint) -> Vec<Line> {
        let (family, facts) = (on.family(), on.of.facts);
        let Some(spec) = family.package(&self.package) else {
            let text = format!("{} has no package {}.", family.name(), self.package);
            return vec![Line::absent(Rule::G2, text)];
        };
        let mut lines = Vec::new();
        // What a sheet of before names may be another file than the family publishes now (E5).
        if self.image.is_some_and(|image| Some(image) != spec.blake3) {
            let text = format!("{} is another file by now than this was judged for.", spec.name);
            lines.push(Line::absent(Rule::E5, text));
        }
        if !on.legs.is_empty() {
            // Packages before the unlock go on while it is locked, the others after it.
            lines.extend(row(Bit::Legs(self.turns(on)), at, "It is the next."));
            lines.extend(row(Bit::InMode(spec.mode), at, "It is where it is taken."));
            lines.extend(row(Bit::LockOnWay(on.after()), at, "The lock is as it must be."));
            lines.extend(row(Bit::KeptOnWay(on.after()), at, "What exists once is kept.").map(|line| line.under(Rule::B6)));
            lines.extend(settled(at));
        }
        if at.when == super::When::Now {
            lines.push(in_mode(Bit::InMode(spec.mode), spec.mode.shown(), on, at));
        }
        // Which file it is, is chosen on a list that is looked at.
        let list = family.mode(spec.mode).map_or(&[][..], |mode| &mode.hands);
        let takes = Takes {
            list: if spec.lies == Lies::Card { list } else { &[] },
            ..Takes::default()
        };
        lines.extend(works(takes, on, at));
        lines.extend(lock_told(on.of));
        lines.push(intake(facts));
        lines.extend([
            declared(spec),
            digest(spec, on.of),
            place(spec, on.of),
            base(spec, on.of),
        ]);
        let to = family.builds.get(spec.to);
        lines.extend(to.and_then(|to| index(Rule::W1, family, facts, &to.id, Some(to.rollback))));
        if spec.wipes {
            lines.push(accounts(family, facts));
        }
        lines
    }

    fn after(&self, at: State, family: &Family) -> State {
        let Some(spec) = family.package(&self.package) else {
            return at;
        };
        let after = if spec.wipes { erased(at) } else { at };
        let is_whole = spec.from.is_none();
        State {
            system: if is_whole { Laid::Makers } else { at.system },
            restorer: None,
            recovery: match leaves_recovery(spec) {
                true => at.recovery,
                // What is whole brings the maker's.
                false => is_whole.then_some(RecoveryKind::Stock),
            },
            mode: Some(spec.ends_in),
            legs_ahead: at.legs_ahead.saturating_sub(1),
            // What lives changes as the system starts, which some end with.
            backed_up: match spec.keeps_unique && spec.ends_in != Mode::System {
                true => at.backed_up,
                false => at.backed_up.min(BackedUp::Fixed),
            },
            ..after
        }
    }

    fn price(&self, _: State, family: &Family) -> Price {
        family
            .package(&self.package)
            .map_or_else(Price::default, |spec| Price {
                wipes: u16::from(spec.wipes),
                ..Price::with_hands(spec.minutes.saturating_mul(60), spec.effort)
            })
    }

    fn label(&self, _: State, _: &Family, name: &str) -> String {
        format!("Install {} on {name}", self.package)
    }

    fn words(&self, _: State, family: &Family) -> Words {
        let spec = family.package(&self.package);
        Words {
            wipe: spec.and_then(|spec| spec.wipes.then_some(Wipe::Data)),
            ..Words::titled(format!("Install {}", self.package))
                .cable(Cable::Either)
                .stuck(spec.map_or(0, |spec| spec.minutes.saturating_mul(180)))
        }
    }

    fn how(&self, family: &Family) -> How {
        let spec = family.package(&self.package);
        How::said(spec.map_or("", |spec| spec.hand.as_str()))
    }

    fn costs(&self, of: &Dossier<'_>) -> Option<Costs> {
        let spec = of.family.package(&self.package)?;
        let mut consequences = Vec::new();
        if self.rule(of) == Rule::G2 {
            consequences.push(one(
                "backup",
                match of.facts.lock() {
                    Some(Lock::Unlocked) => "No copy exists: reading it failed, so what exists once on it is not kept.",
                    _ => "This is before any backup: while it is locked, nothing of what exists once can be copied.",
                },
            ));
        }
        if spec.wipes {
            consequences.push(data_lost(Wipe::Data));
        }
        if !leaves_recovery(spec) {
            consequences.push(one(
                "recovery",
                "It writes over another recovery too, wherever one lies: that goes back after it, or is gone.",
            ));
        }
        consequences.push(one(
            "interruption",
            "While it installs, power and cable stay; a cut leaves a system that may not start.",
        ));
        Some(Costs {
            rule: Rule::G2,
            stage: Some(format!("package {}", self.package)),
            consequences,
        })
    }

    fn doing(&self, _: &Family, by: By) -> Doing {
        match (self.image, by.link) {
            (Some(_), Presence::Here) => Doing::Command(Command::TakeIn {
                by: TakenBy::Recovery,
                image: self.image,
            }),
            _ => Doing::Hands,
        }
    }

    fn asks(&self, family: &Family) -> Vec<Ask> {
        let sent = family.package(&self.package).filter(|_| self.image.is_some());
        sent.map(|spec| Ask::Mode(vec![spec.mode])).into_iter().collect()
    }

    fn image_of(&self) -> Option<ImageOf> {
        self.image.map(|_| ImageOf::ThePackage)
    }

    fn image(&self) -> Option<Option<Digest>> {
        self.image.map(Some)
    }

    fn shows(&self) -> Shows {
        // What ends with a start is seen; what was sent leaves the recovery that took it as it was.
        let is_sent = self.image.is_some();
        Shows {
            besides: is_sent.then(|| "It says that the package is installed.".to_owned()),
            only_words: is_sent,
            ..Shows::default()
        }
    }

    fn doubt(&self) -> Option<Happening> {
        self.image.map(|_| Happening::SystemWritten)
    }

    fn whose(&self, of: &Dossier<'_>) -> Option<Whose> {
        // Copies of what exists once can be there once it is unlocked.
        (self.rule(of) == Rule::G4).then_some(Whose::Others)
    }

    fn file(&self) -> Option<&str> {
        Some(&self.package)
    }

    fn destroys(&self, family: &Family) -> Option<Vec<Label>> {
        // A package that doesn't say which partitions it touches touches all (G4).
        let keeps = family.package(&self.package)?.keeps_unique;
        keeps.then(Vec::new)
    }

    fn brings(&self, family: &Family) -> Brings {
        let spec = family.package(&self.package);
        let wipes = spec.is_some_and(|spec| spec.wipes);
        let wiped = wipes.then_some(Happening::Wiped);
        let writes_over = !spec.is_some_and(leaves_recovery);
        let written = writes_over.then_some(Happening::RecoveryWritten);
        let also = wiped.into_iter().chain(written);
        let is_whole = spec.is_some_and(|spec| spec.from.is_none());
        let stock = (writes_over && is_whole)
            .then(|| (FactKey::Recovery, RecoveryKind::Stock.id().to_owned()));
        Brings {
            happened: [Happening::SystemWritten].into_iter().chain(also).collect(),
            facts: [(FactKey::LastPackage, self.package.clone())]
                .into_iter()
                .chain(stock)
                .collect(),
        }
    }
}

/// Whether it leaves what lies where a recovery lies: what the maker's own recovery takes was taken by the maker's,
/// and brings no other. Taken anywhere else it writes over another recovery, which goes back after it (`M13`).
fn leaves_recovery(spec: &PackageSpec) -> bool {
    spec.mode == Mode::StockRecovery
}

impl Install {
    /// The numbers of packages ahead at which it is the next one, one bit each.
    fn turns(&self, on: Ground<'_>) -> u64 {
        let legs = on.legs.iter().enumerate();
        legs.filter(|(_, name)| **name == self.package)
            .filter_map(|(at, _)| u32::try_from(on.legs.len() - at).ok())
            .filter_map(|ahead| 1u64.checked_shl(ahead))
            .fold(0, |all, one| all | one)
    }
}

/// Only the maker's own packages that leave alone what exists once (`G2`). A package that doesn't
/// say which partitions it touches touches all.
fn declared(spec: &PackageSpec) -> Line {
    let name = &spec.name;
    if spec.keeps_unique {
        Line::met(
            Rule::G2,
            format!("{name} is the maker's and leaves alone what exists once."),
            Basis::clause(format!("package {name}")),
        )
    } else {
        Line::absent(
            Rule::G2,
            format!(
                "The family does not say that {name} leaves alone what exists once: it is taken for touching all."
            ),
        )
    }
}

/// The file was hashed here and is what was published (`M8`, `Q11`).
fn digest(spec: &PackageSpec, of: &Dossier<'_>) -> Line {
    let name = &spec.name;
    let fetch = || {
        Cure::Fetch {
            packages: vec![name.clone()],
            key: (spec.lies == Lies::Card).then_some(FactKey::CardFiles),
        }
        .by_person()
    };
    let seen = of.packages.get(name).map(|file| &file.seen);
    let basis = seen.map(|seen| Basis::Hashed {
        what: name.clone(),
        digest: seen.digest(),
    });
    let line = match (seen, basis.clone(), spec.blake3) {
        (Some(seen), Some(basis), Some(published)) if seen.agrees_with(Claimed(published)) => {
            Line::met(
                Rule::Q11,
                format!(
                    "{name} was hashed on this bench's shelf: {}, as published.",
                    seen.digest().short()
                ),
                basis,
            )
        }
        (Some(seen), _, Some(published)) => Line::missing(
            Rule::M8,
            format!(
                "{name} has digest {}…, published is {}…: fetch it again.",
                seen.digest().short(),
                published.short()
            ),
            fetch(),
        )
        .seen(basis),
        // Who finds one adds it to the family's file.
        (_, _, None) => Line::missing(
            Rule::M8,
            format!("No digest of {name} is published, so nothing tells a damaged file."),
            fetch(),
        )
        .seen(basis),
        (None, _, Some(_)) => {
            let copied = match spec.lies {
                Lies::Card => ", and copy that very one to the card",
                Lies::Storage => ", and copy that very one to its storage",
                Lies::Computer => "",
            };
            let text = format!("{name} was not hashed here: put the file onto the shelf{copied}.");
            Line::missing(Rule::Q11, text, fetch())
        }
    };
    line.due(Due::Begin)
}

/// It lies where it must, and stays reachable (`Q3`, `Q11`).
fn place(spec: &PackageSpec, of: &Dossier<'_>) -> Line {
    let name = &spec.name;
    let line = match spec.lies {
        Lies::Card => on_the_card(spec, of),
        Lies::Storage => on_storage(spec, of),
        Lies::Computer => Line::met(
            Rule::Q11,
            format!("{name} is sent from this computer."),
            Basis::clause(format!("package {name}")),
        ),
    };
    line.due(Due::Begin)
}

fn on_the_card(spec: &PackageSpec, of: &Dossier<'_>) -> Line {
    let (family, facts) = (of.family, of.facts);
    let name = &spec.name;
    if let Some(line) = card(spec, family, facts) {
        return line;
    }
    match facts.known(FactKey::CardFiles) {
        None => {
            let question = "Which packages lie on the card?";
            not_known(family, facts, Rule::Q11, FactKey::CardFiles, question)
        }
        Some(row) if matches!(&row.value, FactValue::Names(names) if names.contains(name)) => {
            Line::met(Rule::Q11, format!("{name} lies on the card."), row)
        }
        Some(row) => Line::missing(
            Rule::Q11,
            format!("{name} is not on the card."),
            Cure::Fetch {
                packages: vec![name.clone()],
                key: Some(FactKey::CardFiles),
            }
            .by_person(),
        )
        .seen([row.into()]),
    }
}

/// On the unit's own storage: what it empties itself takes it along, and where a recovery shows no names it is not
/// found (`Q3`).
fn on_storage(spec: &PackageSpec, of: &Dossier<'_>) -> Line {
    let name = &spec.name;
    if spec.wipes {
        let text = format!("{name} would lie on the storage that it empties: from a card, or sent by the computer.");
        return Line::absent(Rule::Q3, text);
    }
    let question = "What does the recovery show of internal storage?";
    let Some(row) = of.facts.known(FactKey::StorageShows) else {
        return not_known(of.family, of.facts, Rule::Q3, FactKey::StorageShows, question);
    };
    if of.facts.choice(FactKey::StorageShows) == Some("names") {
        let text = format!("The recovery shows the names on internal storage: {name} is found there.");
        return Line::met(Rule::Q3, text, row);
    }
    let text = format!(
        "The recovery shows no names on internal storage, so {name} is not found there: from a card, or sent by the computer."
    );
    Line::absent(Rule::Q3, text).seen([row.into()])
}

/// The base that it states is there (`Q12`); on a sheet the package before brings it.
fn base(spec: &PackageSpec, of: &Dossier<'_>) -> Line {
    let (family, facts) = (of.family, of.facts);
    let Some(wanted) = spec.from.and_then(|from| family.builds.get(from)) else {
        let text = format!("{} is whole: it goes over any build.", spec.name);
        return Line::met(
            Rule::Q12,
            text,
            Basis::clause(format!("package {}", spec.name)),
        );
    };
    let known = facts.known(FactKey::Build);
    match (facts.text(FactKey::Build), known) {
        (Some(build), Some(row)) if build == wanted.id => Line::met(
            Rule::Q12,
            format!("It wants exactly {build}, and that runs."),
            row,
        ),
        (Some(build), _) => Line::missing(
            Rule::Q12,
            format!("It wants exactly {}, and {build} runs.", wanted.id),
            Need::Carried { cure: None },
        )
        .citing(facts, [FactKey::Build]),
        (None, _) => {
            let line = not_known(
                family,
                facts,
                Rule::Q12,
                FactKey::Build,
                &format!("It wants exactly {}: which build runs now?", wanted.id),
            );
            let cure = line.cure().cloned();
            carried(line, cure)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::act::testing::install;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;

    /// `M13`: a recovery that was there before a package counts no more, unless the maker's own took the package.
    #[test]
    fn a_package_writes_over_another_recovery_unless_the_makers_own_takes_it() {
        let mut family = shipped("mooring");
        let package = family.packages[0].name.clone();
        let install = Install {
            package,
            image: None,
        };
        let state = |recovery: &str| State::from_facts(&facts(&[(FactKey::Recovery, recovery)]));
        let is_told = |family: &Family| {
            let happened = install.brings(family).happened;
            happened.contains(&Happening::RecoveryWritten)
        };
        let stock = install.after(state("stock"), &family);
        assert_eq!(stock.recovery, Some(RecoveryKind::Stock));
        assert!(!is_told(&family));
        family.packages[0].mode = Mode::CustomRecovery;
        let over = install.after(state("custom"), &family).recovery;
        assert_eq!(over, Some(RecoveryKind::Stock));
        assert!(is_told(&family));
    }

    /// `E5`: what goes out is the file that its digest was asked of.
    #[test]
    fn a_package_that_is_another_file_by_now_is_not_sent() {
        let published = install().family.package("mallet-full-3.1").unwrap().blake3;
        let of = |image| {
            let package = "mallet-full-3.1".to_owned();
            install().with(|bench| {
                (bench.act, bench.payload) = (Install { package, image }.into(), image);
            })
        };
        let other = of(Some(Digest::of(b"another")));
        assert!(other.contains(&Rule::E5), "{other:?}");
        assert!(!of(published).contains(&Rule::E5));
    }

    /// `Q3`: what a recovery shows of internal storage decides whether a package may lie there.
    #[test]
    fn a_package_on_storage_is_found_where_the_recovery_shows_names() {
        let of = |wipes: bool, shown: Option<&str>| {
            install().with(|bench| {
                let mut packages = bench.family.packages.iter_mut();
                let package = packages.find(|one| one.name == "mallet-full-3.1").unwrap();
                (package.lies, package.wipes) = (Lies::Storage, wipes);
                if let Some(shown) = shown {
                    bench.say(FactKey::StorageShows, shown);
                }
            })
        };
        assert!(!of(false, Some("names")).contains(&Rule::Q3));
        for none in [None, Some("scrambled"), Some("own-folder")] {
            assert!(of(false, none).contains(&Rule::Q3), "{none:?}");
        }
        let by_itself = of(true, Some("names"));
        assert_eq!(by_itself, [Rule::Q3], "its own wipe takes it");
    }
}
