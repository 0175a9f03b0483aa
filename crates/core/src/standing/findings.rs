//! What is odd about the facts themselves (`K1` to `K7`). A finding is no refusal: it says what to
//! read again, or what is lost already.

use serde::Serialize;

use crate::act::wrong_with;
use crate::facts::equipment::EquipmentId;
use crate::facts::{
    CHANGES, CitedFact, Doubt, FactKey, FactOption, FactValue, Facts, Happening, Reading,
};
use crate::family::{Family, Role};
use crate::mode::{Lock, RecoveryKind};
use crate::relock::Holds;
use crate::route::way_to_read;
use crate::rule::Rule;
use crate::started::restores_on;
use crate::state::Presence;

use crate::dossier::Dossier;

/// How much a finding weighs.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Level {
    /// Good to know.
    Note,
    /// Read it again before relying on it.
    Doubtful,
    /// Something is lost already, before anything was done here.
    FoundLost,
}

/// A finding.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[schema(as = Oddity)]
pub struct Finding {
    /// The rule behind it.
    pub rule: Rule,
    /// How much it weighs.
    pub level: Level,
    /// In one or two sentences.
    pub text: String,
    /// The facts it rests on.
    pub facts: Vec<CitedFact>,
    /// What is to be noted, where nobody has yet.
    pub asks: Vec<FactKey>,
}

/// Everything that is odd, the heaviest first.
pub(super) fn findings(of: &Dossier<'_>) -> Vec<Finding> {
    let (family, facts) = (of.family, of.facts);
    let mut all: Vec<Finding> = [
        identity_lost(family, facts),
        second_id(family, facts),
        nothing_kept(of),
        hibernates(facts),
        intake(facts),
        on_the_computer(facts),
        gone_again(family, facts),
        seen_gone(of),
    ]
    .into_iter()
    .flatten()
    .chain(doubtful(facts))
    .chain(placeholders(family, facts))
    .chain(equipment(family, facts))
    .chain(contradictions(facts))
    .collect();
    all.sort_by_key(|finding| std::cmp::Reverse(finding.level));
    all
}

fn finding(
    rule: Rule,
    level: Level,
    text: impl Into<String>,
    cited: &[&Facts],
    keys: &[FactKey],
) -> Finding {
    let rows = keys
        .iter()
        .flat_map(|key| cited.iter().filter_map(|facts| facts.known(*key)));
    Finding {
        rule,
        level,
        text: text.into(),
        facts: rows.map(CitedFact::from).collect(),
        asks: Vec::new(),
    }
}

/// Found lost (`B5`): told before anything is written, so that nobody thinks it was us.
fn identity_lost(family: &Family, facts: &Facts) -> Option<Finding> {
    crate::triage::shows_no_identity(family, facts).then(|| {
        finding(
            Rule::B5,
            Level::FoundLost,
            "The unit shows no equipment ID as it arrives. Its radio identity may be lost already, before anything was written here: tell the owner now, and capture what is there before anything else.",
            &[facts],
            &[FactKey::EquipmentId, FactKey::WorksIdentity],
        )
    })
}

/// What can't be right.
fn doubtful(facts: &Facts) -> Vec<Finding> {
    let told = |doubt: &Doubt| {
        let text = doubt.text.clone();
        finding(doubt.rule, Level::Doubtful, text, &[facts], &doubt.keys)
    };
    facts.doubts().iter().map(told).collect()
}

fn equipment(family: &Family, facts: &Facts) -> Vec<Finding> {
    [FactKey::EquipmentId, FactKey::EquipmentId2]
        .into_iter()
        .filter_map(|key| {
            let FactValue::Equipment(id) = &facts.known(key)?.value else {
                return None;
            };
            let text = wrong_with(family, id)?;
            Some(finding(Rule::K3, Level::Doubtful, text, &[facts], &[key]))
        })
        .collect()
}

/// Two radios, two IDs (`K3`): a second one that repeats the first was typed from the same line.
fn second_id(_: &Family, facts: &Facts) -> Option<Finding> {
    let keys = [FactKey::EquipmentId, FactKey::EquipmentId2];
    let [first, second] = keys.map(|key| facts.known(key));
    let (first, second) = (first?, second?);
    let is_none = first.value == FactValue::Equipment(EquipmentId::None);
    (first.value == second.value && !is_none).then(|| {
        finding(
            Rule::K3,
            Level::Doubtful,
            "Both equipment IDs are the same; two radios have two.",
            &[facts],
            &keys,
        )
    })
}

/// `K4`: a placeholder is *missing*, never an identity.
fn placeholders(family: &Family, facts: &Facts) -> Vec<Finding> {
    family
        .identifiers
        .iter()
        .filter_map(|id| {
            let row = facts.known(id.key)?;
            let is_none = row.value == FactValue::Equipment(EquipmentId::None);
            if is_none || !family.is_placeholder(id.key, &row.value.exact()) {
                return None;
            }
            let title = id.key.spec().title;
            let text = format!(
                "{title} reads a placeholder: it counts as missing and identifies nothing."
            );
            Some(finding(
                Rule::K4,
                Level::Doubtful,
                text,
                &[facts],
                &[id.key],
            ))
        })
        .collect()
}

fn contradictions(facts: &Facts) -> Vec<Finding> {
    FactKey::ALL
        .iter()
        .filter_map(|&key| match facts.get(key) {
            Reading::Contradicted(rows) => Some(Finding {
                rule: Rule::K5,
                level: Level::Doubtful,
                text: format!(
                    "{}: two sources say different things. Look again; nothing counts until they agree.",
                    key.spec().title
                ),
                facts: rows.into_iter().map(CitedFact::from).collect(),
                asks: Vec::new(),
            }),
            _ => None,
        })
        .collect()
}

/// What was changed on the computer for the work is an open item until it is put back (`C3`).
fn on_the_computer(facts: &Facts) -> Option<Finding> {
    let undo = put_back_on_the_computer(facts);
    (!undo.is_empty()).then(|| {
        let text = format!(
            "This computer was changed for the work. When it is done: {} Then say that nothing is changed any more.",
            undo.join(" ")
        );
        finding(Rule::C3, Level::Note, text, &[facts], &[FactKey::ComputerChanged])
    })
}

/// How each change of this computer is undone (`C3`).
#[must_use]
pub fn put_back_on_the_computer(facts: &Facts) -> Vec<&'static str> {
    let changed = facts.known(FactKey::ComputerChanged);
    let Some(FactValue::Many(changed)) = changed.map(|row| &row.value) else {
        return Vec::new();
    };
    let is_changed = |(option, _): &&(FactOption, &str)| changed.contains(&option.id);
    let undone = CHANGES.iter().filter(is_changed);
    undone.map(|(_, undo)| *undo).collect()
}

/// `B6`: where no lock stands in the way, the next foreign write could end the only copy there is. Nobody is
/// told to make one where nothing does: then it says what that would take.
fn nothing_kept(of: &Dossier<'_>) -> Option<Finding> {
    let family = of.family;
    let is_open = family.stages.is_empty() || of.facts.lock() == Some(Lock::Unlocked);
    let once: Vec<&str> = family
        .partitions
        .iter()
        .filter(|part| part.role == Role::DeviceUnique)
        .map(|part| part.label.as_str())
        .collect();
    (is_open && of.captures.is_empty() && !once.is_empty()).then(|| {
        let reads = way_to_read(family, of.facts).map(|line| line.rule);
        let (rule, what) = match (of.by.link, reads) {
            (Presence::Missing, Some(rule)) if rule != Rule::G3 => (
                Rule::B6,
                "Dump it twice and hand the dumps in, before anything is written.",
            ),
            (_, None | Some(Rule::G3)) if family.is_read_by_writing() => (
                Rule::B6,
                "Back it up before anything else is written: a recovery that reads it is written first (G3).",
            ),
            (_, None | Some(Rule::G3)) => (
                Rule::G3,
                "Nothing reads it before a recovery is written, and this bench writes none on this family yet: leave it as it is until then.",
            ),
            (_, Some(_)) => (Rule::B6, "Back it up before anything is written."),
        };
        let text = format!(
            "No copy is kept of what exists once in the world: {}. {what}",
            once.join(", ")
        );
        finding(rule, Level::Doubtful, text, &[], &[])
    })
}

/// `M11`, `M13`: a recovery that counts as gone: its makers' system may have put its own over it, what holds it was
/// written since, or something else answered in its place.
fn gone_again(family: &Family, facts: &Facts) -> Option<Finding> {
    let Reading::Stale(row) = facts.get(FactKey::Recovery) else {
        return None;
    };
    let was_custom = row.value == FactValue::Choice(RecoveryKind::Custom.id());
    let is_over = facts.last(Happening::RecoveryWritten) > Some(row.at);
    let text = match (restores_on(family, facts), &family.recovery_inside) {
        _ if !was_custom => return None,
        (true, _) => "Another recovery lay there, and the system may have started since: each start puts the maker's recovery back. It counts as gone until somebody looks.".to_owned(),
        (false, _) if !is_over => return None,
        (false, Some(spec)) => format!(
            "Another recovery lay inside {}, and that was written since, or something else answered in its place. It counts as gone until somebody looks, and goes back in the same go, to each slot.",
            spec.base
        ),
        (false, None) => "Another recovery lay there, and it was written over since, or something else answered in its place. It counts as gone until somebody looks.".to_owned(),
    };
    Some(finding(
        Rule::M11,
        Level::Note,
        text,
        &[facts],
        &[FactKey::Recovery],
    ))
}

/// `N5`: what a choreography calls off must be off.
fn hibernates(facts: &Facts) -> Option<Finding> {
    (facts.choice(FactKey::FastStart) == Some("on")).then(|| {
        finding(
            Rule::N5,
            Level::Doubtful,
            "Fast start is on: switching off only hibernates. Switch fast start off, or wait for the vibration before taking it for off.",
            &[facts],
            &[FactKey::FastStart],
        )
    })
}

/// `K7`: nobody has checked yet what works.
fn intake(facts: &Facts) -> Option<Finding> {
    let asked = FactKey::ALL
        .iter()
        .filter(|key| key.spec().group == crate::facts::FactGroup::Works);
    let any = asked.clone().any(|key| facts.known(*key).is_some());
    let is_waived = facts.known(FactKey::WorksWaived).is_some();
    (!any && !is_waived).then(|| Finding {
        asks: asked.copied().collect(),
        ..finding(
            Rule::K7,
            Level::Note,
            "Nobody has noted yet what works on it now. Without that, nobody knows later what was lost.",
            &[facts],
            &[],
        )
    })
}

/// `M11`: the maker's recovery was seen where other bytes were known to lie: what was written there is gone, with
/// what may have done it.
fn seen_gone(of: &Dossier<'_>) -> Option<Finding> {
    let (family, facts) = (of.family, of.facts);
    let lies_on = family.recovery_lies_on();
    let seen = facts.known(FactKey::Recovery)?;
    if seen.value != FactValue::Choice(RecoveryKind::Stock.id()) {
        return None;
    }
    let mut held = of.held.iter();
    let was = held.find(|one| lies_on.contains(&one.label) && one.holds == Holds::Foreign)?;
    let by = match (restores_on(family, facts), &family.recovery_inside) {
        (true, _) => {
            "Each start of the system puts it back: go straight into the other one after its write."
                .to_owned()
        }
        (false, Some(spec)) => format!(
            "{} was written since, which writes over it: it goes back in the same go.",
            spec.base
        ),
        (false, None) => {
            "A package or the maker's own recovery was written over it since.".to_owned()
        }
    };
    (was.at < seen.at).then(|| {
        finding(
            Rule::M11,
            Level::Note,
            format!(
                "The recovery that lay there ({}) is gone again: the maker's was seen since. {by}",
                was.proof.shown()
            ),
            &[facts],
            &[],
        )
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::{at, facts, linked};
    use crate::family::testing::shipped;
    use crate::goal::Goal;
    use crate::relock::{Against, Held, Proof};

    /// `M11`: where a start puts the maker's back, that is said before and after; where none does, neither.
    #[test]
    fn a_recovery_that_a_start_puts_over_counts_as_gone_until_somebody_looks() {
        let (kelpie, gimbal) = (shipped("kelpie"), shipped("gimbal"));
        let goal = Goal::KeepRecovery;
        assert_eq!(
            goal.shown_on(&kelpie),
            "Install a recovery for this session"
        );
        assert!(goal.good_for_on(&kelpie).contains("next start puts"));
        assert_eq!(goal.shown_on(&gimbal), "Install a recovery that stays");
        let rows = linked(&[(FactKey::Recovery, "custom")], 0);
        let seen = Facts::new(&rows, &[], []);
        assert_eq!(gone_again(&kelpie, &seen), None);
        let since = Facts::new(&rows, &[], [(Happening::RecoveryWritten, at(1))]);
        let told = gone_again(&kelpie, &since).unwrap();
        assert_eq!((told.rule, told.level), (Rule::M11, Level::Note));
        let over = |family: &Family| gone_again(family, &since).unwrap().text;
        assert!(over(&gimbal).contains("written over since"));
        assert!(over(&shipped("halyard")).contains("inside vendor_boot"));
        assert_eq!(gone_again(&gimbal, &seen), None);
        let stock = linked(&[(FactKey::Recovery, "stock")], 0);
        let since = Facts::new(&stock, &[], [(Happening::RecoveryWritten, at(1))]);
        assert_eq!(gone_again(&kelpie, &since), None);
    }

    /// `M11`: what was written and is not there any more, told with what does that on this family.
    #[test]
    fn a_recovery_that_is_gone_again_is_told_with_its_cause() {
        let stock = linked(&[(FactKey::Recovery, "stock")], 9);
        let custom = linked(&[(FactKey::Recovery, "custom")], 9);
        let told = |codename: &str, rows: &[crate::facts::FactRow], minute: i64, holds: Holds| {
            let family = shipped(codename);
            let facts = Facts::new(rows, &[], []);
            let held = [Held {
                label: "recovery".parse().unwrap(),
                holds,
                proof: Proof::ReadRecovery,
                at: at(minute),
                against: Against::Published,
            }];
            let of = Dossier {
                held: &held,
                ..Dossier::new(&family, &facts, at(20))
            };
            seen_gone(&of).map(|one| one.text)
        };
        let gone = told("kelpie", &stock, 3, Holds::Foreign).unwrap();
        assert!(gone.contains("Each start of the system puts it back"));
        let gone = told("lodestar", &stock, 3, Holds::Foreign).unwrap();
        assert!(gone.contains("A package or the maker's own"));
        assert_eq!(told("kelpie", &custom, 3, Holds::Foreign), None);
        assert_eq!(
            told("kelpie", &stock, 10, Holds::Foreign),
            None,
            "read since"
        );
        let build = "OB-510.2610.v6".to_owned();
        assert_eq!(told("kelpie", &stock, 3, Holds::Stock { build }), None);
    }

    /// `C3`: what was changed stands open with its undo, all of it and no more, until it is said to be put back.
    #[test]
    fn a_changed_computer_stays_open_until_it_is_put_back() {
        let all: Vec<&str> = CHANGES.iter().map(|(option, _)| option.id).collect();
        let told =
            |said: &str| put_back_on_the_computer(&facts(&[(FactKey::ComputerChanged, said)]));
        assert_eq!(told(&all.join(",")).len(), all.len());
        assert_eq!(told("driver"), ["The driver that was there put back."]);
        assert!(told("").is_empty() && on_the_computer(&Facts::default()).is_none());
        let open = on_the_computer(&facts(&[(FactKey::ComputerChanged, "rights")])).unwrap();
        assert!(open.text.contains("The rights to the port taken back."));
    }
}
