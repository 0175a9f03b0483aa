//! Whose bytes these are, and whether they are better than what lies there (`S1`, `E4`).

use crate::coverage::{CaptureFacts, Origin, Taker};
use crate::dossier::{Dossier, Put};
use crate::evidence::{Basis, Finality, Line, Need, cite};
use crate::facts::{FactKey, Facts, Reading, Source};
use crate::mode::Mode;
use crate::rule::Rule;
use crate::worth::{Worth, holds, worth};

/// `E4`: a blank, damaged or worse image never goes over a better one.
pub(crate) fn not_worse(of: &Dossier<'_>, put: &Put<'_>) -> Line {
    let label = &put.own.label;
    let part = |capture: &CaptureFacts| capture.partition(label).cloned();
    let Some((capture, image)) = put.capture.and_then(|one| Some((one, part(one)?))) else {
        return Line::unknown(
            Rule::E4,
            format!("What the capture holds of {label} is not known."),
            Need::Absent {
                finality: Finality::Open,
            },
        );
    };
    let all = of.captures;
    let image_worth = worth(capture, &image, all);
    if image_worth == Worth::Nothing {
        return Line::absent(
            Rule::E4,
            format!(
                "The capture holds nothing of {label} ({}): put back, it would only take away.",
                holds(&image)
            ),
        );
    }
    let there = put.present.and_then(|digest| {
        let mut known = all.iter().filter_map(|one| Some((one, part(one)?)));
        known.find(|(_, part)| part.blake3 == digest)
    });
    match there {
        Some((of, there)) if worth(of, &there, all) > image_worth => Line::absent(
            Rule::E4,
            format!(
                "What lies in {label} now is better ({}) than what the capture holds ({}).",
                holds(&there),
                holds(&image)
            ),
        ),
        _ => Line::met(
            Rule::E4,
            format!("The capture holds of {label}: {}.", holds(&image)),
            Basis::log("what the capture holds"),
        ),
    }
}

/// How an identifier of a capture compares with the unit.
enum Compared {
    Same,
    Different,
    Missing,
}

/// Compares one identifier: with what the link says now, and with all that is known. A contradicted one
/// counts as different. A unit that gives another serial in another mode is told by its pairs (`K4`).
fn compare(of: &Dossier<'_>, put: &Put<'_>, key: FactKey, there: Option<&String>) -> Compared {
    let family = of.family;
    let real = |value: String| (!family.is_placeholder(key, &value)).then_some(value);
    let live_mode = of.live.and_then(Facts::mode);
    let mut here: Vec<(String, Option<Mode>)> = Vec::new();
    for (facts, mode) in [(of.live, live_mode), (Some(of.facts), None)] {
        let Some(facts) = facts else { continue };
        match facts.get(key) {
            Reading::Contradicted(_) => return Compared::Different,
            Reading::Known(row) => here.extend(real(row.value.exact()).map(|value| (value, mode))),
            Reading::Stale(_) | Reading::Unknown => {}
        }
    }
    let Some(there) = there.cloned().and_then(real) else {
        return Compared::Missing;
    };
    let is_pair = |mode: Mode, value: &str| {
        let mut pairs = of.paired.iter();
        pairs.any(|pair| (pair.key, pair.mode) == (key, mode) && pair.value == value)
    };
    let is_same = |(value, mode): &(String, Option<Mode>)| {
        *value == there
            || mode.is_some_and(|mode| {
                mode != put.witnessed.mode
                    && is_pair(mode, value)
                    && is_pair(put.witnessed.mode, &there)
            })
    };
    if here.is_empty() {
        Compared::Missing
    } else if here.iter().all(is_same) {
        Compared::Same
    } else {
        Compared::Different
    }
}

/// `S1`: identifiers one by one. One *different* refuses; the hardware identity must be *same*, said by
/// the link itself; any other may be missing.
pub(crate) fn identity(of: &Dossier<'_>, put: &Put<'_>) -> Vec<Line> {
    let mut lines = Vec::new();
    let known = put.capture.is_some_and(|capture| {
        capture.manifest == put.witnessed.manifest && capture.origin == Origin::Read
    });
    let is_declared = !known || put.witnessed.origin == Origin::Declared;
    let taker = put.capture.map(|capture| capture.taker);
    lines.push(if is_declared {
        Line::absent(
            Rule::S1,
            "This capture is not in the unit's own record: where its bytes come from is only declared.",
        )
    } else if taker == Some(Taker::AnotherBench) {
        Line::met(
            Rule::S1,
            "Another bench took this capture; it is held against this unit by its identifiers.",
            Basis::log("the capture, taken over"),
        )
    } else {
        Line::met(
            Rule::S1,
            "The unit's own record has this capture, with this manifest.",
            Basis::log("the capture"),
        )
    });
    for id in &of.family.identifiers {
        let there = put.witnessed.identifiers.get(id.key.id());
        let title = id.key.spec().title;
        let compared = compare(of, put, id.key, there);
        let said = of.told().known(id.key);
        let by_link = said.filter(|row| row.source == Source::Link);
        let line = match (compared, said) {
            (Compared::Same, _) if id.hardware && by_link.is_none() => Line::absent(
                Rule::S1,
                format!(
                    "{title} is not said by the link now, and nothing else tells this unit for sure."
                ),
            ),
            (Compared::Same, row) => Line::met(
                Rule::S1,
                format!("{title}: the same in the capture and at the link."),
                row.or(of.facts.known(id.key))
                    .map_or_else(|| Basis::log("the capture's manifest"), Basis::from),
            ),
            (Compared::Different, _) => Line::absent(
                Rule::S1,
                format!("{title} differs: these bytes belong to another unit. Nothing opens this."),
            ),
            (Compared::Missing, _) if id.hardware => Line::absent(
                Rule::S1,
                format!(
                    "{title} is missing on one side, and nothing else tells this unit for sure."
                ),
            ),
            (Compared::Missing, _) => Line::met(
                Rule::S1,
                format!("{title} is missing on one side; what was lost is often the identifier."),
                Basis::log("the capture's manifest"),
            ),
        };
        let is_met = line.is_met();
        let cited = cite(of.told(), id.key).into_iter().filter(|_| !is_met);
        lines.push(line.seen(cited));
    }
    lines
}
