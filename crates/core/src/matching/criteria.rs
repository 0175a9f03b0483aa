//! One function a criterion (`M1`-`M10`). `subject` is the image that would be written; `file` what holds it.

use super::making::{Way, lands_on, missing, surplus};
use super::told::{About, Form, Told};
use super::want::Wanted;
use super::{File, Finding, Fit, Weight, version, version_of};
use crate::evidence::choice;
use crate::facts::{FactKey, FactValue, Facts};
use crate::family::Container;
use crate::published::Compared;
use crate::rule::Rule;

/// Every criterion, in the order of the rules.
pub(super) fn all(
    wanted: &Wanted<'_>,
    file: &File<'_>,
    subject: &Told,
    ways: &[Way],
) -> Vec<Finding> {
    let mut all = vec![
        device(wanted, file, subject),
        variant(wanted, subject),
        place(wanted, subject),
        container(wanted, file.told, ways),
        room(wanted, file.told, subject),
        generation(wanted, subject),
        age(wanted, subject),
        published(file),
        companions(wanted, file.told, ways),
        body(wanted.facts),
    ];
    all.extend(fresh(file));
    all.extend(later(wanted, subject));
    all.sort_by_key(|one| one.rule);
    all
}

/// A codename without its builder's, which stands in front: `builder_codename`.
fn bare(name: &str) -> &str {
    name.split_once('_').map_or(name, |(_, bare)| bare)
}

/// `M1`: codename or alias, by the file's own word.
pub(super) fn device(wanted: &Wanted<'_>, file: &File<'_>, subject: &Told) -> Finding {
    const RULE: Rule = Rule::M1;
    let family = wanted.family;
    let is_ours = |name: &str| {
        let names = || [&family.codename].into_iter().chain(&family.aliases);
        names().any(|own| own.eq_ignore_ascii_case(name) || own.eq_ignore_ascii_case(bare(name)))
    };
    // The device, else the product; what holds the image speaks for it where the image says nothing.
    let sources = [subject, file.told];
    let of = |about| {
        let mut told = sources.into_iter();
        told.find_map(|told| {
            let said: Vec<_> = told.own(about).collect();
            (!said.is_empty()).then_some(said)
        })
    };
    let said = of(About::Device)
        .or_else(|| of(About::Product))
        .unwrap_or_default();
    let want = format!("Its own property file or script names {}.", family.codename);
    if said.is_empty() {
        if wanted.seen_running.contains(&file.digest) {
            let text = "It names no device; this very file was seen running on this model.";
            return Finding::fits(RULE, text);
        }
        let beside = subject
            .of(About::Device)
            .chain(file.told.of(About::Device))
            .next();
        let text = match beside {
            Some(one) => format!(
                "It names no device itself; only {} says {}.",
                one.by.shown(),
                one.value
            ),
            None => "It names no device.".to_owned(),
        };
        let weight = if wanted.place.from_memory {
            // A start from memory shows it, and writes nothing.
            Weight::Soft
        } else {
            Weight::Reason
        };
        let is_other = beside.is_some_and(|one| !is_ours(&one.value));
        return if is_other {
            Finding::not(RULE, Fit::Stops, text, want)
        } else {
            Finding::not(RULE, Fit::Unknown, text, want).weighing(weight)
        };
    }
    let (ours, others): (Vec<_>, Vec<_>) = said.into_iter().partition(|one| is_ours(&one.value));
    let Some(first) = ours.first() else {
        let other = others.first();
        let text = other.map_or_else(String::new, |one| {
            format!(
                "{} says {}; this unit is a {}.",
                sentence(one.by.shown()),
                one.value,
                family.codename
            )
        });
        return Finding::not(RULE, Fit::Stops, text, want);
    };
    // A script lists all devices that it is for; a property file is of one.
    let contradicts = others
        .iter()
        .find(|one| one.by == first.by && is_of_one(one.by));
    // What stands in the head names a board; another family's codename there is a twin.
    let beside = subject
        .of(About::Device)
        .find(|one| !one.by.is_own() && !is_ours(&one.value));
    let other = contradicts.copied().or(beside);
    if let Some(other) = other {
        // A head and a tree may name the board beneath.
        let weight = match other.by {
            super::Speaker::Head | super::Speaker::Tree => Weight::Reason,
            _ => Weight::Hard,
        };
        return Finding::not(
            RULE,
            Fit::Doubtful,
            format!(
                "It contradicts itself: {} says {}, {} says {}.",
                first.by.shown(),
                first.value,
                other.by.shown(),
                other.value
            ),
            "Everything in it names the same device.",
        )
        .weighing(weight);
    }
    Finding::fits(
        RULE,
        format!("For {}, by {}.", first.value, first.by.shown()),
    )
}

fn is_of_one(by: super::Speaker) -> bool {
    matches!(by, super::Speaker::Properties | super::Speaker::Footer)
}

/// `M2`: the variant. Twins that differ by one letter may share nothing.
pub(super) fn variant(wanted: &Wanted<'_>, subject: &Told) -> Finding {
    const RULE: Rule = Rule::M2;
    let family = wanted.family;
    let own = family.model(wanted.facts);
    let said: Vec<_> = subject.own(About::Model).collect();
    let build = subject
        .own(About::Build)
        .find_map(|one| family.build(&one.value))
        .map(|(_, build)| build)
        .filter(|build| !build.variants.is_empty());
    let Some(own) = own else {
        let want = "The unit's model code is known, every letter of it.";
        let codes = said.iter().map(|one| one.value.as_str());
        let mut codes = codes.chain(
            build
                .iter()
                .flat_map(|build| build.variants.iter().map(String::as_str)),
        );
        return if all_alike(wanted) && codes.all(|code| family.variant(code).is_some()) {
            Finding::fits(RULE, "One recovery serves every variant of this family.")
        } else {
            Finding::not(
                RULE,
                Fit::Unknown,
                "Which variant this unit is, is not known.",
                want,
            )
        };
    };
    let shares = family
        .variant(own)
        .map_or(&[][..], |variant| &variant.shares_images);
    let is_ours = |code: &str| {
        let mut others = shares.iter();
        let is_sister = family.kept.all_variants && family.variant(code).is_some();
        code.eq_ignore_ascii_case(own)
            || is_sister
            || others.any(|one| one.eq_ignore_ascii_case(code))
    };
    let want = format!("It is for {own}, or for a variant that takes the same images.");
    if let Some(other) = said.iter().find(|one| !is_ours(&one.value)) {
        return Finding::not(
            RULE,
            Fit::Stops,
            format!(
                "{} says {}; this unit is {own}: {}.",
                sentence(other.by.shown()),
                other.value,
                differing(&other.value, own)
            ),
            want,
        );
    }
    if let Some(build) = build
        && !build.variants.iter().any(|code| is_ours(code))
    {
        let code = build.variants.join(", ");
        return Finding::not(
            RULE,
            Fit::Stops,
            format!(
                "It is of build {}, which is for {code}; this unit is {own}: {}.",
                build.id,
                differing(build.variants.first().map_or("", String::as_str), own)
            ),
            want,
        );
    }
    match said.first() {
        Some(one) if one.value.eq_ignore_ascii_case(own) => {
            Finding::fits(RULE, format!("For {own}, by {}.", one.by.shown()))
        }
        Some(one) => Finding::fits(
            RULE,
            format!(
                "It announces {}, a sister of {own} that takes the same images.",
                one.value
            ),
        ),
        None if build.is_some() => Finding::fits(RULE, format!("Of a build for {own}.")),
        None if all_alike(wanted) => {
            Finding::fits(RULE, "One recovery serves every variant of this family.")
        }
        None => Finding::not(
            RULE,
            Fit::Unknown,
            format!(
                "It does not say for which variant it is, and not all take the same: this unit is {own}."
            ),
            want,
        ),
    }
}

/// Whether every variant of the family takes every other one's images.
fn all_alike(wanted: &Wanted<'_>) -> bool {
    let variants = &wanted.family.variants;
    let is_said = wanted.family.kept.all_variants;
    is_said
        || variants.iter().all(|one| {
            let others = variants.iter().filter(|other| other.code != one.code);
            others
                .into_iter()
                .all(|other| one.shares_images.contains(&other.code))
        })
}

/// In which signs two codes differ, pointed out.
pub(super) fn differing(one: &str, other: &str) -> String {
    let (a, b): (Vec<char>, Vec<char>) = (one.chars().collect(), other.chars().collect());
    let pairs: Vec<(usize, char, char)> = a
        .iter()
        .zip(&b)
        .enumerate()
        .filter(|(_, (a, b))| !a.eq_ignore_ascii_case(b))
        .map(|(at, (a, b))| (at + 1, *a, *b))
        .collect();
    match (a.len() == b.len(), pairs.as_slice()) {
        (true, [(at, a, b)]) if *at == one.chars().count() => {
            format!("they differ in the last letter, {a} and {b}")
        }
        (true, [(at, a, b)]) => format!("they differ in sign {at}, {a} and {b}"),
        (true, pairs) if pairs.len() <= 3 && !pairs.is_empty() => {
            let signs: Vec<String> = pairs
                .iter()
                .map(|(at, a, b)| format!("{at} ({a}, {b})"))
                .collect();
            format!("they differ in signs {}", signs.join(", "))
        }
        _ => "another variant may share nothing".to_owned(),
    }
}

/// `M3`: what it starts, and the partition that it is for by its own metadata.
fn place(wanted: &Wanted<'_>, subject: &Told) -> Finding {
    const RULE: Rule = Rule::M3;
    let label = wanted.place.label;
    let want = format!("It is an image of a recovery for {label}, with a kernel and a ramdisk.");
    let not = |fit, text: String| Finding::not(RULE, fit, text, want.clone());
    let Some(starts) = subject.starts else {
        return not(Fit::Stops, format!("It starts nothing: {}.", subject.shown));
    };
    if !starts.ramdisk {
        return not(
            Fit::Unknown,
            "It has no ramdisk that could be read: what it starts is not known.".to_owned(),
        );
    }
    if !starts.recovery {
        return not(
            Fit::Stops,
            "It starts the system, not a recovery.".to_owned(),
        );
    }
    if starts.released {
        let text =
            "It says that the maker released it: the maker's recovery gives no rights to read.";
        return not(Fit::Stops, text.to_owned());
    }
    if !starts.kernel {
        let text =
            "It has no kernel: it belongs inside another image, not into a partition of its own.";
        return not(Fit::Stops, text.to_owned());
    }
    let stem = |name: &str| {
        let name = name
            .strip_suffix("_a")
            .or(name.strip_suffix("_b"))
            .unwrap_or(name);
        name.to_owned()
    };
    let named = subject.of(About::Partition).next();
    if let Some(named) = named.filter(|one| stem(&one.value) != stem(label.as_str()))
        && !wanted.place.from_memory
    {
        return not(
            Fit::Stops,
            format!(
                "By {} it is for {}; here it goes to {label}.",
                named.by.shown(),
                named.value
            ),
        );
    }
    let text = if wanted.place.from_memory {
        "A recovery that can be started from memory.".to_owned()
    } else {
        format!("A recovery for {label}, a partition of its own.")
    };
    Finding::fits(RULE, text)
}

/// `M4`: the form that the route takes, and nothing besides.
fn container(wanted: &Wanted<'_>, told: &Told, ways: &[Way]) -> Finding {
    const RULE: Rule = Rule::M4;
    let want = match wanted.place.container {
        Container::Image => "It is the image itself.".to_owned(),
        Container::Tar { member } => {
            let mut members: Vec<&str> = vec![member];
            members.extend(
                wanted
                    .place
                    .companions
                    .iter()
                    .map(|one| one.member.as_str()),
            );
            format!(
                "It is a tar with {} and nothing else.",
                members.join(" and ")
            )
        }
    };
    let not = |text: String| Finding::not(RULE, Fit::Stops, text, want.clone());
    if let Some(trouble) = told.troubles.first() {
        return not(format!("It can't be relied on: {trouble}."));
    }
    let surplus = surplus(wanted, told);
    if !surplus.is_empty() {
        let lands: Vec<String> = surplus
            .iter()
            .map(|name| match lands_on(name) {
                Some(label) => format!("{name} onto {label}"),
                None => name.clone(),
            })
            .collect();
        return not(format!(
            "It brings more than the recovery: {}.",
            lands.join(", ")
        ));
    }
    let is_form = match wanted.place.container {
        Container::Image => told.form == Form::Start,
        Container::Tar { .. } => told.form == Form::Tar,
    };
    let lacking = missing(wanted, told);
    if is_form && lacking.is_empty() {
        return match wanted.place.container {
            Container::Image => Finding::fits(RULE, "The image itself, as the route takes it."),
            Container::Tar { .. } => Finding::fits(
                RULE,
                format!("A tar with {} and nothing else.", told.members.join(", ")),
            ),
        };
    }
    if let Some(way) = ways.first() {
        return not(format!("It is {}: {}.", told.shown, way.shown));
    }
    if told.form == Form::Package {
        return not("It is a package that a recovery installs, not an image of one.".to_owned());
    }
    if is_form {
        return not(format!("It lacks {}.", lacking.join(" and ")));
    }
    not(format!("It is {}.", told.shown))
}

/// `M5`: it fits the place by its whole length, footer included.
fn room(wanted: &Wanted<'_>, told: &Told, subject: &Told) -> Finding {
    const RULE: Rule = Rule::M5;
    let (room, is_own) = wanted.room();
    let label = wanted.place.label;
    let by = if is_own {
        "this unit's own table"
    } else {
        "the family's table"
    };
    let bytes = subject.bytes;
    let want = format!("It has at most {} KiB.", room >> 10);
    if bytes == 0 || subject.starts.is_none() {
        let text = format!(
            "How long the image in it is, shows once it is taken out of {}.",
            told.shown
        );
        return Finding::not(RULE, Fit::Unknown, text, want);
    }
    if bytes > room {
        return Finding::not(
            RULE,
            Fit::Stops,
            format!(
                "{} KiB, and {label} has {} KiB by {by}.",
                bytes.div_ceil(1024),
                room >> 10
            ),
            want,
        );
    }
    let fits = format!("{} of {} KiB, by {by}.", bytes.div_ceil(1024), room >> 10);
    if subject.has_footer && bytes != room && !wanted.place.from_memory {
        return Finding::not(
            RULE,
            Fit::Doubtful,
            format!("{fits} It was built for another length: its footer would not lie at the end of {label}, so nothing finds it there."),
            format!("It is as long as {label}, so that its footer lies at the end."),
        )
        .weighing(Weight::Soft);
    }
    Finding::fits(RULE, fits)
}

/// `M6`: it decrypts this generation, or nothing has to be decrypted. Read from property files, never from
/// a head.
fn generation(wanted: &Wanted<'_>, subject: &Told) -> Finding {
    const RULE: Rule = Rule::M6;
    if wanted.formats_data {
        return Finding::fits(
            RULE,
            "The plan empties the data, so nothing has to be decrypted.",
        );
    }
    if let Some(("no", _)) = choice(wanted.facts, FactKey::Encrypted) {
        return Finding::fits(RULE, "The storage is not encrypted.");
    }
    // What the unit says of itself, else what its build is known to be of.
    let build = wanted.facts.text(FactKey::Build);
    let by_build = || Some(wanted.family.build(build?)?.1.generation);
    let own = wanted.facts.count(FactKey::Generation).or_else(by_build);
    let said = subject.own(About::Generation).next();
    let of = said.and_then(|one| one.value.split('.').next()?.parse::<u32>().ok());
    let soft = |fit, text: String| {
        let want = "Its property file names the generation of this unit's system.";
        Finding::not(RULE, fit, text, want).weighing(Weight::Soft)
    };
    match (of, own) {
        (Some(of), Some(own)) if of == own => {
            Finding::fits(RULE, format!("Built for generation {own}, as this unit's system is."))
        }
        (Some(of), Some(own)) => soft(
            Fit::Stops,
            format!("Built for generation {of}, and the system is of {own}: the owner's files stay scrambled in it."),
        ),
        (None, _) => soft(
            Fit::Unknown,
            "Whether it decrypts the owner's files, it does not say: look at the names once it runs.".to_owned(),
        ),
        (Some(of), None) => soft(
            Fit::Unknown,
            format!("Built for generation {of}; which one the system is of, is not known."),
        ),
    }
}

/// `M7`: at least the version that the family's packages need, part by part.
fn age(wanted: &Wanted<'_>, subject: &Told) -> Finding {
    const RULE: Rule = Rule::M7;
    let Some(least) = &wanted.family.kept.at_least else {
        return Finding::fits(RULE, "No package of this family asks for a version.");
    };
    let want = format!("It has version {least} or later.");
    let said = version_of(subject);
    match said.and_then(version) {
        Some(own) if own >= *least => Finding::fits(
            RULE,
            format!("Version {own}, at least {least} is asked for."),
        ),
        Some(own) => Finding::not(
            RULE,
            Fit::Stops,
            format!(
                "Version {own} is too old: {least} is asked for. Install a newer one first, and restart into that."
            ),
            want,
        ),
        None => Finding::not(
            RULE,
            Fit::Unknown,
            "Which version it is, it does not say.",
            want,
        )
        .weighing(Weight::Soft),
    }
}

/// `M8`: the publisher's digest.
fn published(file: &File<'_>) -> Finding {
    const RULE: Rule = Rule::M8;
    let want = "Its publisher gives a SHA-256, SHA-512 or BLAKE3, and the bytes have it.";
    let named = |check: &super::Check| {
        let name = check
            .published
            .algorithm()
            .map_or("digest", crate::published::Algorithm::name);
        name.to_owned()
    };
    if let Some(check) = file
        .checks
        .iter()
        .find(|one| one.compared == Compared::Differs)
    {
        return Finding::not(
            RULE,
            Fit::Stops,
            format!(
                "The bytes don't have the {} that its publisher gives, {}…: fetch it again.",
                named(check),
                &check.published.value()[..8]
            ),
            want,
        );
    }
    let equal = |weak| {
        let mut checks = file.checks.iter();
        checks.find(|one| one.compared == Compared::Equal { weak })
    };
    if let Some(check) = equal(false) {
        return Finding::fits(
            RULE,
            match file.made_of {
                None => format!(
                    "The bytes have the {} that its publisher gives.",
                    named(check)
                ),
                Some(source) => format!(
                    "It was made here of {source}, whose bytes have the {} that its publisher gives.",
                    named(check)
                ),
            },
        );
    }
    let (fit, text) = match equal(true) {
        Some(check) => (
            Fit::Doubtful,
            format!(
                "The bytes have the {} that its publisher gives, which tells damage and no more: another file can be made with the same.",
                named(check)
            ),
        ),
        None => (
            Fit::Unknown,
            "No digest of its publisher is known: paste it beside the file.".to_owned(),
        ),
    };
    Finding::not(RULE, fit, text, want).weighing(Weight::Reason)
}

/// `M8`: a file of a few days was tried by few.
fn fresh(file: &File<'_>) -> Option<Finding> {
    let days = file.days_old.filter(|days| (0..7).contains(days))?;
    let when = match days {
        0 => "today".to_owned(),
        1 => "yesterday".to_owned(),
        days => format!("{days} days ago"),
    };
    Some(
        Finding::not(
            Rule::M8,
            Fit::Doubtful,
            format!("Published {when}: few have tried it."),
            "It is at least a week old.",
        )
        .weighing(Weight::Soft),
    )
}

/// `M6`: a head that claims a later month than the system's.
fn later(wanted: &Wanted<'_>, subject: &Told) -> Option<Finding> {
    let claimed = subject.of(About::Patch).find(|one| !one.by.is_own())?;
    let own = wanted
        .facts
        .known(FactKey::Patch)?
        .value
        .shown(FactKey::Patch);
    (claimed.value.as_str() > own.as_str()).then(|| {
        Finding::not(
            Rule::M6,
            Fit::Doubtful,
            format!(
                "{} claims the month {}, later than this system's {own}: set on purpose, or of a later system.",
                sentence(claimed.by.shown()),
                claimed.value
            ),
            "Its head claims no later month than the system's.",
        )
        .weighing(Weight::Soft)
    })
}

/// `M9`: what is written in the same go.
fn companions(wanted: &Wanted<'_>, told: &Told, ways: &[Way]) -> Finding {
    const RULE: Rule = Rule::M9;
    let companions = wanted.place.companions;
    if companions.is_empty() {
        return Finding::fits(
            RULE,
            "Nothing else has to be written with it on this family.",
        );
    }
    let names: Vec<&str> = companions
        .iter()
        .map(|one| one.partition.as_str())
        .collect();
    let names = names.join(" and ");
    let lacking = missing(wanted, told);
    if told.form == Form::Tar && lacking.is_empty() {
        return Finding::fits(RULE, format!("It brings {names} in the same go."));
    }
    let want = format!("It brings {names} with the switches set.");
    if ways.is_empty() {
        return Finding::not(RULE, Fit::Stops, format!("It comes without {names}."), want);
    }
    Finding::not(
        RULE,
        Fit::Stops,
        format!("It comes without {names}, which is made and wrapped with it."),
        want,
    )
}

/// `M10`: a way to work it.
fn body(facts: &Facts) -> Finding {
    const RULE: Rule = Rule::M10;
    let many = |key| match facts.known(key).map(|row| &row.value) {
        Some(FactValue::Many(parts)) => Some(parts.as_slice()),
        _ => None,
    };
    let want = "Screen and touch work, or something stands in for them.";
    let Some(broken) = many(FactKey::Broken) else {
        let text = "Whether screen and touch work, nobody said.";
        return Finding::not(RULE, Fit::Unknown, text, want).weighing(Weight::Soft);
    };
    let stands_in = many(FactKey::StandIn).unwrap_or_default();
    let is_out = |part: &&str| broken.contains(part) && !stands_in.contains(part);
    let parts: Vec<&str> = ["screen", "touch"].into_iter().filter(is_out).collect();
    if parts.is_empty() {
        return Finding::fits(RULE, "Screen and touch work, so it can be worked.");
    }
    Finding::not(
        RULE,
        Fit::Doubtful,
        format!(
            "{} of this unit does not work: a recovery that is worked by it can't be.",
            sentence(&parts.join(" and "))
        ),
        want,
    )
    .weighing(Weight::Soft)
}

/// First letter large.
fn sentence(text: &str) -> String {
    let mut signs = text.chars();
    let first: String = signs
        .next()
        .map(|sign| sign.to_uppercase().collect())
        .unwrap_or_default();
    format!("{first}{}", signs.as_str())
}
