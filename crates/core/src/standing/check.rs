//! The next check: the unknown fact that decides most per minute. Each answer that it could have is
//! supposed in turn and the unit judged anew; what a check decides is how many of the open lines no
//! longer ask, on average over its answers. An answer that settles the whole question answers all.

use serde::Serialize;
use veritope_wire::{BenchTime, WallTime};

use super::Settled;
use crate::evidence::{Cure, Line};
use crate::facts::{FactKey, FactKind, FactValue, Facts};
use crate::family::Family;
use crate::steady::Dated;

/// The check that would decide most for the time it takes.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct NextCheck {
    /// Which fact.
    pub key: FactKey,
    /// Words for it, as they stand within a sentence.
    pub title: String,
    /// Where it stands on this family.
    pub place: String,
    /// Minutes it takes.
    pub minutes: u32,
    /// Hundredths of open lines that it answers, on average over its answers.
    pub decides_percent: u32,
    /// Answers of it that would settle the whole question.
    pub settling_answers: u32,
}

pub(super) fn next_check(
    family: &Family,
    facts: &Facts,
    now: BenchTime,
    lines: &[Line],
    already: Settled,
    judged: impl Fn(&Facts) -> (Vec<Line>, Settled),
) -> Option<NextCheck> {
    let unknown = |lines: &[Line]| lines.iter().filter(|line| line.is_unknown()).count();
    let open = unknown(lines);
    // Without lock and owner nothing is judged at all, whatever else is found out.
    let gates = |line: &&Line| {
        let keys = [FactKey::Lock, FactKey::Ownership];
        matches!(line.cure(), Some(Cure::TypeFact { key, .. }) if keys.contains(key))
    };
    let asked: Vec<&Line> = lines.iter().filter(|line| line.is_unknown()).collect();
    let gating: Vec<&Line> = asked.iter().copied().filter(gates).collect();
    let asked = if gating.is_empty() { asked } else { gating };
    let mut best: Option<(u64, NextCheck)> = None;
    for line in asked {
        let Some(Cure::TypeFact { key, place }) = line.cure() else {
            continue;
        };
        if best.as_ref().is_some_and(|(_, known)| known.key == *key) {
            continue;
        }
        let answers = answers(*key, family, now);
        let mut decided = 0;
        let mut settling = 0;
        for answer in &answers {
            let supposed = facts.supposing(*key, answer.clone(), now);
            let (after, settled) = judged(&supposed);
            if settled == Settled::Yes && already == Settled::No {
                settling += 1;
                decided += lines.len();
            } else {
                decided += open.saturating_sub(unknown(&after));
            }
        }
        // A fact that nobody can suppose an answer to still answers its own line.
        let decides_percent = match answers.len() {
            0 => 100,
            count => decided * 100 / count,
        };
        let minutes = family
            .place(*key)
            .map_or(line.minutes.unwrap_or(1), |place| place.minutes)
            .max(1);
        let gain = decides_percent as u64 * 60 / u64::from(minutes);
        if best.as_ref().is_none_or(|(known, _)| gain > *known) {
            let check = NextCheck {
                key: *key,
                title: key.spec().within(),
                place: place.clone(),
                minutes,
                decides_percent: u32::try_from(decides_percent).unwrap_or(u32::MAX),
                settling_answers: settling,
            };
            best = Some((gain, check));
        }
    }
    best.map(|(_, check)| check)
}

/// Answers that a fact could have, as far as they make a difference.
fn answers(key: FactKey, family: &Family, now: BenchTime) -> Vec<FactValue> {
    match key.spec().kind {
        FactKind::Choice(options) => options.iter().map(|o| FactValue::Choice(o.id)).collect(),
        FactKind::Percent => [10, 100].map(FactValue::Percent).into(),
        FactKind::Count(_) => [0, 1].map(FactValue::Count).into(),
        FactKind::Moment => {
            let long_ago = now.after_ms(-1000 * 3_600_000);
            let dated = |counted: BenchTime| {
                FactValue::Moment(Dated {
                    told: WallTime::nearest_ms(counted.ms()),
                    counted,
                    is_doubtful: false,
                })
            };
            [now, long_ago].map(dated).into()
        }
        FactKind::Text if key == FactKey::Build => {
            let ids = family.builds.iter().map(|build| build.id.clone());
            ids.map(FactValue::Text).collect()
        }
        FactKind::Names => {
            let all = family.packages.iter().map(|one| one.name.clone()).collect();
            vec![FactValue::Names(Vec::new()), FactValue::Names(all)]
        }
        _ => Vec::new(),
    }
}
