//! What an owner has to say, or to do, before anything of theirs is erased or closed: which unit it is,
//! accounts signed out, the screen's lock off, what is to be kept put elsewhere, an update finished.

use veritope_wire::Label;

use crate::budget::{Battery, BatteryVerdict};
use crate::coverage::Torn;
use crate::evidence::{Basis, Cure, Due, Grounds, Line, Need, choice, not_known};
use crate::facts::{FactKey, FactValue, Facts};
use crate::family::Family;
use crate::keepsafe::{KeepSafe, Kept, still_open};
use crate::rule::Rule;

/// Somebody who may decide about it does.
pub(crate) fn ownership(family: &Family, facts: &Facts) -> Line {
    match choice(facts, FactKey::Ownership) {
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
    let text = format!("By what it says of itself it is a {}.", family.name());
    Some(Line::met(Rule::M2, text, grounds))
}

/// A second unit of the same model is a stop until the two are told apart (`K4`).
pub(crate) fn twin(family: &Family, facts: &Facts, twin: Option<&str>) -> Option<Line> {
    let other = twin?;
    let ids = &family.identifiers;
    let key = ids.first().map_or(FactKey::Serial, |id| id.key);
    let text = format!("{other} is of the same model: by what is this one told from it?");
    Some(not_known(family, facts, Rule::K4, key, &text))
}

/// Whether a partition whose last write was interrupted lets a write of `written` through (`S3`): only what
/// writes it whole, by a list of its own: the same again, what lay there before, or another image.
pub(crate) fn torn(torn: &[Torn], written: Option<&Label>) -> Vec<Line> {
    torn.iter()
        .map(|open| {
            let label = &open.label;
            // Another partition's write waits until this one is whole.
            if written == Some(label) {
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
pub(crate) fn battery(family: &Family, facts: &Facts, battery: &Battery) -> Line {
    let known = facts.known(FactKey::Battery);
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

/// No account is signed in that would ask for itself after the erase (`U6`).
pub(crate) fn accounts(family: &Family, facts: &Facts) -> Line {
    let Some(row) = facts.known(FactKey::Accounts) else {
        if let Some(at) = facts.empty_since() {
            let text = "No account is signed in: it was erased here and not set up since.";
            return Line::met(Rule::U6, text, Basis::Emptied { at });
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
                instruction: "Let it sync once more, then sign every account out on the unit itself. The bench never asks for a login.".to_owned(),
            }
            .by_person(),
        )
        .minutes(5)
        .seen([row.into()]),
    }
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
        None => match facts.empty_since() {
            Some(at) => Line::met(
                Rule::U6,
                "The screen lock is off: it was erased here and not set up since.",
                Basis::Emptied { at },
            ),
            None => not_known(
                family,
                facts,
                Rule::U6,
                FactKey::ScreenLock,
                "Is the screen lock on or off?",
            ),
        },
    }
}

/// Every class of the owner's data is kept safe or waived (`U9`).
pub(crate) fn keep_safe(family: &Family, facts: &Facts, said: &KeepSafe) -> Line {
    if let Some(at) = facts.empty_since() {
        let text = "Nothing of the owner's is on it: it was erased here and not set up since.";
        return Line::met(Rule::U9, text, Basis::Emptied { at });
    }
    let open = still_open(&family.keep_safe, said, facts);
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
