//! Which facts can't be right, held against one another, the family and the moment (`K1`, `K2`, `M2`).
//!
//! A doubt is no refusal: it names what is to be read again. Until it is, no line rests on what it doubts
//! (`evidence::unless_doubted`), in no list, whatever the line concludes: neither *met* nor *never*.

use veritope_wire::BenchTime;

use super::Family;
use crate::facts::{Doubt, FactKey, FactValue, Facts, Happening, Month};
use crate::mode::{Lock, Mode};
use crate::rule::Rule;
use crate::steady::about;

const HOUR_MS: i64 = 3_600_000;

/// All that is doubtful of a unit of `family` at `now`.
pub(super) fn doubts(family: &Family, facts: &Facts, now: BenchTime) -> Vec<Doubt> {
    let about_it = [
        codename(family, facts),
        model_code(family, facts),
        region(family, facts),
    ];
    let about_builds = [
        foreign_build(family, facts),
        pattern(family, facts),
        months(family, facts),
        ahead_of_now(family, facts, now),
        longer_part(family, facts),
        generation(family, facts),
    ];
    let about_states = [
        first_online(facts),
        off_hours(facts, now),
        critical_lock(facts),
        locked_recovery(facts),
        reset_lock(facts),
        starts(facts),
    ];
    let all = about_it.into_iter().chain(about_builds).chain(about_states);
    all.flatten().collect()
}

fn codename(family: &Family, facts: &Facts) -> Option<Doubt> {
    let said = facts.text(FactKey::Codename)?;
    let mut names = [&family.codename].into_iter().chain(&family.aliases);
    let is_own = names.any(|name| name.eq_ignore_ascii_case(said.trim()));
    (!is_own).then(|| {
        Doubt::new(
            Rule::M1,
            [FactKey::Codename],
            format!(
                "The unit calls itself {said}, and the family that it is judged by is {}: which of the two is it?",
                family.codename
            ),
        )
    })
}

fn model_code(family: &Family, facts: &Facts) -> Option<Doubt> {
    let code = facts.text(FactKey::ModelCode)?;
    if family.variants.is_empty() || family.variant(code).is_some() {
        return None;
    }
    let known: Vec<&str> = family.variants.iter().map(|v| v.code.as_str()).collect();
    Some(Doubt::new(
        Rule::M2,
        [FactKey::ModelCode],
        format!(
            "{code} is no model code of {} ({}): every letter counts, read it again.",
            family.name(),
            known.join(", ")
        ),
    ))
}

/// A region that its variant is not made for; without a model code, one that no variant is.
fn region(family: &Family, facts: &Facts) -> Option<Doubt> {
    let said = facts.text(FactKey::Region)?;
    let code = facts.text(FactKey::ModelCode);
    let variants: Vec<_> = family
        .variants
        .iter()
        .filter(|variant| code.is_none_or(|code| variant.code == code))
        .collect();
    let mut regions = variants.iter().flat_map(|variant| &variant.regions);
    // Of a model code that is none of the family's, that is said already.
    if variants.is_empty()
        || regions.any(|one| one == "all" || one.eq_ignore_ascii_case(said.trim()))
    {
        return None;
    }
    let whose = code.map_or_else(|| family.name(), str::to_owned);
    Some(Doubt::new(
        Rule::M2,
        [FactKey::Region, FactKey::ModelCode],
        format!("{whose} is not made for the region {said}: read both again, letter by letter."),
    ))
}

/// A build that another variant has (`M2`).
fn foreign_build(family: &Family, facts: &Facts) -> Option<Doubt> {
    let (id, code) = (facts.text(FactKey::Build)?, facts.text(FactKey::ModelCode)?);
    let (_, build) = family.build(id)?;
    let is_own = build.variants.is_empty() || build.variants.iter().any(|one| one == code);
    (!is_own).then(|| {
        Doubt::new(
            Rule::M2,
            [FactKey::Build, FactKey::ModelCode],
            format!(
                "{id} is a build of {}, and this unit says that it is {code}: read both again.",
                build.variants.join(", ")
            ),
        )
    })
}

fn pattern(family: &Family, facts: &Facts) -> Option<Doubt> {
    let build = facts.text(FactKey::Build)?;
    let pattern = family.build_string.as_ref()?;
    let is_odd = pattern.read(build).is_none() && family.build(build).is_none();
    is_odd.then(|| {
        Doubt::new(
            Rule::K1,
            [FactKey::Build],
            format!(
                "{build} is not made up as build strings of {} are ({}): read it again.",
                family.name(),
                pattern.text()
            ),
        )
    })
}

/// The month that a build string tells.
fn told_month(family: &Family, build: &str) -> Option<Month> {
    family.build_string.as_ref()?.read(build)?.month
}

fn month(facts: &Facts, key: FactKey) -> Option<Month> {
    match facts.known(key)?.value {
        FactValue::Month(month) => Some(month),
        _ => None,
    }
}

/// `K1`: the date in the build string, or what the family says of the build, against the patch month.
fn months(family: &Family, facts: &Facts) -> Option<Doubt> {
    let build = facts.text(FactKey::Build)?;
    let patch = month(facts, FactKey::Patch)?;
    let keys = [FactKey::Build, FactKey::Patch];
    if let Some((_, known)) = family.build(build) {
        return (known.patch != patch).then(|| {
            let text = format!(
                "{build} is the build of {}, the patch month reads {patch}: read both again.",
                known.patch
            );
            Doubt::new(Rule::K1, keys, text)
        });
    }
    let date = told_month(family, build).filter(|date| *date != patch)?;
    let text = format!("The build string says {date}, the patch month {patch}: read both again.");
    Some(Doubt::new(Rule::K1, keys, text))
}

/// `K1`: nothing runs that is dated after now.
fn ahead_of_now(family: &Family, facts: &Facts, now: BenchTime) -> Option<Doubt> {
    let today = Month::of(about(now))?;
    let build = facts.text(FactKey::Build).and_then(|build| {
        let listed = family.build(build).map(|(_, known)| known.patch);
        told_month(family, build).or(listed)
    });
    let dated = [
        (FactKey::Build, "The build", build),
        (
            FactKey::Patch,
            "The patch month",
            month(facts, FactKey::Patch),
        ),
    ];
    dated.into_iter().find_map(|(key, what, date)| {
        let date = date.filter(|date| *date > today)?;
        let text = format!(
            "{what} is dated {date}, which lies ahead: read it again, and look whether this computer's clock is right."
        );
        Some(Doubt::new(Rule::K1, [key], text))
    })
}

/// `K2`: a part of its version with more digits than that part has in any build that the family lists.
fn longer_part(family: &Family, facts: &Facts) -> Option<Doubt> {
    let build = facts.text(FactKey::Build)?;
    if family.build(build).is_some() {
        return None;
    }
    let pattern = family.build_string.as_ref()?;
    let found = pattern.read(build)?.version?;
    let known = family.builds.iter();
    let known: Vec<_> = known
        .filter_map(|build| pattern.read(&build.id)?.version)
        .collect();
    let part = found.longer_part(&known)?;
    Some(Doubt::new(
        Rule::K2,
        [FactKey::Build],
        format!(
            "Part {part} of version {found} has a digit more than in any build that is known: read it again."
        ),
    ))
}

fn generation(family: &Family, facts: &Facts) -> Option<Doubt> {
    let (_, build) = family.build(facts.text(FactKey::Build)?)?;
    let said = facts.count(FactKey::Generation)?;
    (said != build.generation).then(|| {
        Doubt::new(
            Rule::K1,
            [FactKey::Generation, FactKey::Build],
            format!(
                "{} is of generation {}, and the unit says {said}: read both again.",
                build.id, build.generation
            ),
        )
    })
}

/// What was wiped begins anew.
fn first_online(facts: &Facts) -> Option<Doubt> {
    let first = facts.dated(FactKey::FirstOnline)?.counted;
    let wiped = facts.last(Happening::Wiped)?;
    (first < wiped).then(|| {
        Doubt::new(
            Rule::U2,
            [FactKey::FirstOnline],
            "The first time online lies before the last erase, after which all begins anew: when was it online since?",
        )
    })
}

fn off_hours(facts: &Facts, now: BenchTime) -> Option<Doubt> {
    let first = facts.dated(FactKey::FirstOnline)?.counted;
    let off = facts.count(FactKey::OffHours)?;
    let hours = now.ms().saturating_sub(first.ms()).div_euclid(HOUR_MS);
    (first <= now && i64::from(off) > hours).then(|| {
        Doubt::new(
            Rule::U2,
            [FactKey::OffHours, FactKey::FirstOnline],
            format!(
                "It can't have been off for {off} h: it was first online {hours} h ago. Read both again."
            ),
        )
    })
}

/// The critical stage opens after the main one, and is closed before it (`L2`, `R6`).
fn critical_lock(facts: &Facts) -> Option<Doubt> {
    let critical = facts.choice(FactKey::CriticalLock)? == "unlocked";
    (critical && facts.lock() == Some(Lock::Locked)).then(|| {
        Doubt::new(
            Rule::L2,
            [FactKey::Lock, FactKey::CriticalLock],
            "The critical partitions read unlocked while the main lock reads locked, which can't be: look at both again.",
        )
    })
}

/// A locked unit starts the maker's recovery and no other.
fn locked_recovery(facts: &Facts) -> Option<Doubt> {
    let runs = matches!(
        facts.mode(),
        Some(Mode::CustomRecovery | Mode::TemporaryRecovery)
    );
    (runs && facts.lock() == Some(Lock::Locked)).then(|| {
        Doubt::new(
            Rule::K5,
            [FactKey::Lock, FactKey::Mode],
            "It reads locked, and runs a recovery that a locked unit does not start: look at both again.",
        )
    })
}

/// `U6`: the download screen sees an account where nobody counted one.
fn reset_lock(facts: &Facts) -> Option<Doubt> {
    let is_on = facts.choice(FactKey::ResetLock)? == "on";
    (is_on && facts.count(FactKey::Accounts) == Some(0)).then(|| {
        Doubt::new(
            Rule::U6,
            [FactKey::Accounts, FactKey::ResetLock],
            "The download screen says that the reset lock is on, so an account is still bound to it though none is counted: sign it out, let it sync, and count again.",
        )
    })
}

fn starts(facts: &Facts) -> Option<Doubt> {
    let is_dead = facts.choice(FactKey::Starts)? == "nothing";
    (is_dead && facts.mode() == Some(Mode::System)).then(|| {
        Doubt::new(
            Rule::K5,
            [FactKey::Mode, FactKey::Starts],
            "Its system is said to run, and not to start at all: look at it again.",
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;
    use crate::steady::alone;

    fn told(codename: &str, pairs: &[(FactKey, &str)]) -> Vec<String> {
        let now = alone("2026-11-25T10:00:00Z".parse().unwrap());
        let all = doubts(&shipped(codename), &facts(pairs), now);
        let line = |doubt: &Doubt| {
            let keys: Vec<&str> = doubt.keys.iter().map(|key| key.id()).collect();
            format!("{} [{}] {}", doubt.rule.id(), keys.join(" "), doubt.text)
        };
        all.iter().map(line).collect()
    }

    /// One of each kind, as a person reads it; and what is right is not doubted.
    #[test]
    fn what_can_not_be_right_is_told() {
        use FactKey::*;
        let cases: &[(&str, &[(FactKey, &str)])] = &[
            ("saltern", &[(Codename, "kelpie")]),
            ("saltern", &[(ModelCode, "TH5-X")]),
            ("saltern", &[(ModelCode, "TH5-E"), (Region, "carrier")]),
            ("saltern", &[(ModelCode, "TH5-U"), (Region, "carrier")]),
            ("cinder", &[(ModelCode, "LN-3"), (Build, "LN3X.7.0.2607")]),
            ("cinder", &[(ModelCode, "LN-3X"), (Build, "LN3X.7.0.2607")]),
            ("mooring", &[(Build, "odd")]),
            ("mooring", &[(Build, "WM1-3.4-2610"), (Patch, "2026-09")]),
            ("mooring", &[(Build, "WM1-3.5-2611"), (Patch, "2026-10")]),
            ("mooring", &[(Build, "WM1-3.5-2611"), (Patch, "2026-11")]),
            ("mooring", &[(Build, "WM1-4.0-2612")]),
            ("saltern", &[(Patch, "2027-01")]),
            ("mooring", &[(Build, "WM1-3.40-2610")]),
            ("lodestar", &[(Build, "K2.5.1.77"), (Generation, "6")]),
            (
                "kelpie",
                &[(FirstOnline, "2026-11-25T00:00:00Z"), (OffHours, "11")],
            ),
            ("saltern", &[(Lock, "locked"), (CriticalLock, "unlocked")]),
            ("gimbal", &[(Lock, "locked"), (Mode, "temporary-recovery")]),
            ("kelpie", &[(Accounts, "0"), (ResetLock, "on")]),
            ("gimbal", &[(Mode, "system"), (Starts, "nothing")]),
        ];
        let told: Vec<String> = cases
            .iter()
            .map(|(codename, pairs)| {
                let said = told(codename, pairs);
                format!(
                    "{codename}: {}",
                    if said.is_empty() {
                        "-".to_owned()
                    } else {
                        said.join(" / ")
                    }
                )
            })
            .collect();
        insta::assert_snapshot!(told.join("\n"));
    }
}
