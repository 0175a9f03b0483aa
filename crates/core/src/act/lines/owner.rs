//! What an owner has to say, or to do, before anything of theirs is erased or closed: which unit it is,
//! accounts signed out, the screen's lock off, what is to be kept put elsewhere, an update finished.

use veritope_wire::{BenchTime, Label};

use crate::budget::{Battery, BatteryVerdict};
use crate::coverage::Torn;
use crate::evidence::{Basis, Cure, Due, Grounds, Line, Need, choice, cite, not_known};
use crate::facts::{FactGroup, FactKey, FactValue, Facts};
use crate::family::{Family, ModeSpec};
use crate::keepsafe::{KeepSafe, Kept, still_open};
use crate::mode::Mode;
use crate::rule::Rule;

const LOST: &str =
    "It is reported lost or stolen: it is not worked on, and goes back to whom it belongs to.";

/// Somebody who may decide about it does.
pub(crate) fn ownership(family: &Family, facts: &Facts) -> Line {
    if facts.choice(FactKey::ReportedLost) == Some("yes") {
        return Line::absent(Rule::Care, LOST).citing(facts, [FactKey::ReportedLost]);
    }
    match choice(facts, FactKey::Ownership) {
        Some(("lost", _)) => Line::absent(Rule::Care, LOST).citing(facts, [FactKey::Ownership]),
        Some(("mine" | "asked", basis)) => Line::met(
            Rule::Care,
            "The unit is yours, or its owner asked you.",
            basis,
        ),
        Some(_) => Line::absent(
            Rule::Care,
            "Nobody who may decide about this unit is known, so it is not worked on.",
        )
        .citing(facts, [FactKey::Ownership]),
        None => not_known(
            family,
            facts,
            Rule::Care,
            FactKey::Ownership,
            "Is it yours, or did its owner ask you?",
        ),
    }
}

/// What it says of its model is what it is judged by (`M2`); nothing where nobody has read it.
pub(crate) fn recognised(family: &Family, facts: &Facts) -> Option<Line> {
    let keys = [FactKey::ModelCode, FactKey::Codename, FactKey::Region];
    let mut cited = keys.into_iter().filter_map(|key| facts.known(key));
    let grounds = Grounds::from(cited.next()?).and(cited.map(Basis::from));
    let text = format!("By what it says of itself it belongs to {}.", family.name());
    Some(Line::met(Rule::M2, text, grounds))
}

/// A second unit of the same model is a stop until the two are told apart (`K4`).
pub(crate) fn twin(family: &Family, facts: &Facts, twin: Option<&str>) -> Option<Line> {
    let other = twin?;
    let ids = &family.identifiers;
    let key = ids.first().map_or(FactKey::Serial, |id| id.key);
    let text = if family.identifies(facts) {
        format!(
            "{other} gives an identity that this one gives too: it is one unit put on the bench twice, or one of the two readings is wrong. Read both again."
        )
    } else {
        format!("{other} is of the same model: by what is this one told from it?")
    };
    Some(not_known(family, facts, Rule::K4, key, &text))
}

/// Whether a partition whose last write was interrupted lets a write of `written` through (`S3`): only what
/// writes it whole, by a list of its own: the same again, what lay there before, or another image.
pub(crate) fn torn(torn: &[Torn], written: &[Label]) -> Vec<Line> {
    torn.iter()
        .map(|open| {
            let label = &open.label;
            // Another partition's write waits until this one is whole.
            if written.contains(label) {
                return Line::met(
                    Rule::S3,
                    format!("The interrupted write of {label} is taken up again, or written over whole."),
                    Basis::log(format!("the interrupted write of {label}")),
                );
            }
            Line::missing(
                Rule::S3,
                format!("A write of {label} was interrupted: take it up again or put back what was there."),
                Cure::PutBack.by_person(),
            )
            .seen([Basis::log(format!("the interrupted write of {label}"))])
        })
        .collect()
}

/// The charge carries all that is done together (`U7`).
pub(crate) fn battery(family: &Family, facts: &Facts, battery: &Battery, now: BenchTime) -> Line {
    if let Some(("bench-supply", basis)) = choice(facts, FactKey::FedBy) {
        let text = "A bench supply feeds it, by a person's word.";
        return Line::met(Rule::U7, text, basis);
    }
    let known = facts.known(FactKey::Battery);
    if known.is_none()
        && let Some(line) = on_charger(family, facts, now)
    {
        return line;
    }
    let (Some(charge), Some(row)) = (&battery.charge, known) else {
        return not_known(
            family,
            facts,
            Rule::U7,
            FactKey::Battery,
            "How full is the battery?",
        );
    };
    let percent = charge.permille / 10;
    let needed = battery.begin_from_percent;
    let read = (charge.permille + charge.carried_permille) / 10;
    match battery.verdict {
        BatteryVerdict::TooLow if read >= needed => Line {
            text: format!(
                "It read {read} %, and by the drain of its mode no more than {percent} % may be left since: read it again."
            ),
            ..not_known(family, facts, Rule::U7, FactKey::Battery, "")
        },
        BatteryVerdict::TooLow if charges_not(facts) => Line {
            text: format!(
                "{percent} % is too low, {needed} % are needed, and it can't charge: charge its battery outside of it, or feed it from a bench supply."
            ),
            ..not_known(family, facts, Rule::U7, FactKey::FedBy, "")
        },
        BatteryVerdict::TooLow => Line::missing(
            Rule::U7,
            format!("{percent} % is too low: charge until {needed} %."),
            Cure::Charge {
                until_percent: needed,
            }
            .by_person(),
        )
        .seen([row.into()]),
        BatteryVerdict::UnderFloor => Line::met(
            Rule::U7,
            format!(
                "{percent} % carries the whole sheet ({needed} % would do), but is under your own floor."
            ),
            row,
        ),
        BatteryVerdict::Enough | BatteryVerdict::NotKnown => Line::met(
            Rule::U7,
            format!("{percent} % carries the whole sheet; {needed} % would do."),
            row,
        ),
    }
}

/// Minutes on a charger that count as enough where no mode shows the charge (`U7`).
const ON_CHARGER_MS: i64 = 60 * 60_000;

/// Whether it is said that it can't charge.
fn charges_not(facts: &Facts) -> bool {
    let FactValue::Many(parts) = (match facts.known(FactKey::Broken) {
        Some(row) => &row.value,
        None => return false,
    }) else {
        return false;
    };
    let stood_in = |part| match facts.known(FactKey::StandIn).map(|row| &row.value) {
        Some(FactValue::Many(named)) => named.contains(&part),
        _ => false,
    };
    ["charging", "port"]
        .into_iter()
        .any(|part| parts.contains(&part) && !stood_in(part))
}

/// Where no mode that it reaches shows its charge, an hour on a charger is what a person can say (`U7`).
/// Nothing where its charge can be read.
fn on_charger(family: &Family, facts: &Facts, now: BenchTime) -> Option<Line> {
    let is_dead = matches!(facts.choice(FactKey::Starts), Some("animation" | "nothing"));
    let shows = |spec: &&ModeSpec| spec.battery_shows && !(spec.mode == Mode::System && is_dead);
    if family.modes.iter().any(|spec| shows(&spec)) || charges_not(facts) {
        return None;
    }
    let key = FactKey::OnCharger;
    let since = facts
        .dated(key)
        .map(|dated| dated.counted)
        .filter(|at| *at <= now);
    Some(match (since, facts.known(key)) {
        (Some(since), Some(row)) if now >= since.after_ms(ON_CHARGER_MS) => Line::met(
            Rule::U7,
            "It hung on a charger for an hour, by a person's word: no mode that it reaches shows the charge.",
            row,
        ),
        (Some(since), _) => Line::missing(
            Rule::U7,
            "No mode that it reaches shows its charge: an hour on a charger counts as enough.",
            Cure::Wait { until: since.after_ms(ON_CHARGER_MS) }.by_person(),
        )
        .citing(facts, [key]),
        (None, _) => not_known(
            family,
            facts,
            Rule::U7,
            key,
            "No mode that it reaches shows its charge: since when does it hang on a charger, or does a bench supply feed it?",
        )
        .minutes(60),
    })
}

/// No account is signed in that would ask for itself after the erase, or its owner knows the login for sure
/// (`U6`).
pub(crate) fn accounts(family: &Family, facts: &Facts) -> Line {
    if let Some(line) = login(facts) {
        return line;
    }
    let Some(row) = facts.known(FactKey::Accounts) else {
        if let Some(at) = facts.empty_since() {
            let text = "No account is signed in: it was erased here and not set up since.";
            return Line::met(Rule::U6, text, Basis::Emptied { at });
        }
        if let Some(line) = out_of_reach(family, facts, "accounts are signed in") {
            return line;
        }
        return not_known(
            family,
            facts,
            Rule::U6,
            FactKey::Accounts,
            "How many accounts are signed in?",
        );
    };
    match row.value {
        FactValue::Count(0) => Line::met(Rule::U6, "No account is signed in.", row),
        _ => Line::missing(
            Rule::U6,
            format!(
                "{} signed in: after the erase the unit would ask for an earlier account.",
                row.value.exact()
            ),
            Cure::DoThenType {
                key: FactKey::Accounts,
                instruction: "Let it sync once more, then sign every account out on the unit itself. The bench never asks for a login; that its owner knows it for sure is a fact of its own, The owner's login.".to_owned(),
            }
            .by_person(),
        )
        .minutes(5)
        .seen([row.into()]),
    }
}

/// The other half of `U6`: the owner knows the login for sure. Of no use where none is signed in.
fn login(facts: &Facts) -> Option<Line> {
    let (_, basis) = choice(facts, FactKey::OwnerLogin).filter(|(known, _)| *known == "known")?;
    if facts.count(FactKey::Accounts) == Some(0) {
        return None;
    }
    let text = "The owner knows the account's login for sure: the unit asks for it after the erase, and whoever is wrong about it has a unit that nobody opens.";
    Some(Line::met(Rule::U6, text, basis))
}

/// Whether the system comes up at all, as somebody who looked said; where it doesn't, nothing in it is read
/// or changed, and the owner's login is what helps.
fn out_of_reach(family: &Family, facts: &Facts, what: &str) -> Option<Line> {
    let key = FactKey::Starts;
    let starts = choice(facts, key).map(|(starts, _)| starts)?;
    matches!(starts, "animation" | "nothing").then(|| {
        let text = format!(
            "Its system does not come up, so nobody sees whether {what}: go on only if the owner knows the account's login for sure."
        );
        Line {
            text,
            ..not_known(family, facts, Rule::U6, FactKey::OwnerLogin, "")
        }
        .seen(cite(facts, key))
    })
}

/// The screen's lock is off (`U6`).
pub(crate) fn screen_lock(family: &Family, facts: &Facts) -> Line {
    match choice(facts, FactKey::ScreenLock) {
        Some(("off", basis)) => Line::met(Rule::U6, "The screen lock is off.", basis),
        Some(_) => Line::missing(
            Rule::U6,
            "The screen lock is on.",
            Cure::DoThenType {
                key: FactKey::ScreenLock,
                instruction: "Switch the screen lock off on the unit. Keep the code to yourself."
                    .to_owned(),
            }
            .by_person(),
        )
        .minutes(1)
        .citing(facts, [FactKey::ScreenLock]),
        None => match (
            facts.empty_since(),
            out_of_reach(family, facts, "the screen lock is on"),
        ) {
            (Some(at), _) => Line::met(
                Rule::U6,
                "The screen lock is off: it was erased here and not set up since.",
                Basis::Emptied { at },
            ),
            (None, Some(out)) => login(facts).unwrap_or(out),
            (None, None) => not_known(
                family,
                facts,
                Rule::U6,
                FactKey::ScreenLock,
                "Is the screen lock on or off?",
            ),
        },
    }
}

/// What works as it arrives was checked once, or nobody wants to know (`K7`).
pub(crate) fn intake(facts: &Facts) -> Line {
    let works = FactKey::ALL.iter().copied();
    let works = works.filter(|key| key.spec().group == FactGroup::Works);
    let asked: Vec<FactKey> = works.filter(|key| *key != FactKey::WorksWaived).collect();
    let told: Vec<Basis> = asked.iter().flat_map(|key| cite(facts, *key)).collect();
    let unknown: Vec<FactKey> = asked
        .into_iter()
        .filter(|key| facts.known(*key).is_none())
        .collect();
    let waived = facts.known(FactKey::WorksWaived);
    let mut told = told.into_iter();
    match (unknown.is_empty(), told.next(), waived) {
        (true, Some(first), _) => Line::met(
            Rule::K7,
            "What works as it arrives is noted.",
            Grounds::from(first).and(told),
        ),
        (_, _, Some(row)) => Line::met(
            Rule::K7,
            "Nobody checks what works as it arrives: what was lost before can't be told from what is lost here.",
            row,
        ),
        _ => Line::unknown(
            Rule::K7,
            "What works on it now? Without that, nobody knows later what was lost.",
            Cure::Check {
                instruction:
                    "Try one after the other on the unit, and note each; or waive all of it."
                        .to_owned(),
                keys: unknown,
                waive: Some(FactKey::WorksWaived),
            }
            .by_person(),
        )
        .minutes(5),
    }
}

/// Every class of the owner's data is kept safe or waived (`U9`).
pub(crate) fn keep_safe(family: &Family, facts: &Facts, said: &KeepSafe, nickname: &str) -> Line {
    if let Some(at) = facts.empty_since() {
        let text = "Nothing of the owner's is on it: it was erased here and not set up since.";
        return Line::met(Rule::U9, text, Basis::Emptied { at });
    }
    let open = still_open(&family.keep_safe, said, facts, nickname);
    let count = u32::try_from(open.len()).unwrap_or(u32::MAX);
    if open.is_empty() {
        let at = |kept: &Kept| match kept {
            Kept::Safe { at, .. } | Kept::Waived { at } => *at,
        };
        let asked = |class: &_| said.get(class).map(at);
        let last = family.keep_safe.iter().filter_map(asked).max();
        let basis = match last {
            Some(at) => Basis::Consent { at },
            None => Basis::clause("nothing of the owner's is asked about"),
        };
        return Line::met(
            Rule::U9,
            "Everything the owner would lose is kept safe or waived.",
            basis,
        );
    }
    let names: Vec<_> = open
        .iter()
        .take(3)
        .map(|class| class.shown().to_lowercase())
        .collect();
    let more = if open.len() > names.len() {
        " and more"
    } else {
        ""
    };
    Line::missing(
        Rule::U9,
        format!(
            "{count} of {} kinds of data are neither kept safe nor waived: {}{more}.",
            family.keep_safe.len(),
            names.join(", ")
        ),
        Cure::KeepSafe { open: count }.by_person(),
    )
    .minutes(count)
}

/// Nothing is erased or made active while an update is being merged, where the family's updates do that;
/// the line stands in the list of `rule`.
pub(crate) fn merging(rule: Rule, family: &Family, facts: &Facts) -> Option<Line> {
    family.place(FactKey::Merging)?;
    Some(match choice(facts, FactKey::Merging) {
        Some(("none", basis)) => {
            // Where it is not known yet, it is read on the way.
            Line::met(rule, "No update is being merged.", basis).due(Due::Door)
        }
        Some((how, _)) => Line::missing(
            rule,
            if how == "waiting" {
                "An update waits for its first start: start the system and let it finish, or what is erased now leaves nothing that starts."
            } else {
                "An update is being merged: start the system and let it finish, or what is erased now leaves nothing that starts."
            },
            Need::Carried { cure: None },
        )
        .citing(facts, [FactKey::Merging]),
        None => not_known(
            family,
            facts,
            rule,
            FactKey::Merging,
            "Is an update still being merged?",
        )
        .due(Due::Door),
    })
}
