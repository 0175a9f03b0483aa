//! Never below a fused rollback index (`W1`, `R2`, `S2`): one line, whatever is written, installed or
//! made active.

use crate::evidence::{Basis, Grounds, Line, not_known};
use crate::facts::{CitedFact, FactKey, Facts};
use crate::family::Family;
use crate::fuse::{Fused, fused};
use crate::rule::Rule;

/// The line for `what` with this index; `None` for an index that is not known, which never counts as
/// high enough. No line where the family's builds have none.
pub(crate) fn index(
    rule: Rule,
    family: &Family,
    facts: &Facts,
    what: &str,
    index: Option<u32>,
) -> Option<Line> {
    let known = fused(family, facts);
    if known == Fused::None {
        return None;
    }
    let Some(index) = index else {
        return Some(Line::unknown(
            rule,
            format!(
                "Which rollback index {what} has is not known, and one below the fuse would not start."
            ),
            crate::evidence::Need::Absent {
                finality: crate::evidence::Finality::Open,
            },
        ));
    };
    let clause = || Grounds::from(Basis::clause(format!("rollback index of {what}")));
    let cited = |facts: Vec<CitedFact>| facts.into_iter().map(Basis::Fact).collect::<Vec<_>>();
    Some(match known {
        Fused::None => return None,
        Fused::Read {
            index: fused,
            facts,
        } if index >= fused => Line::met(
            rule,
            format!("{what} has rollback index {index}; fused is {fused}."),
            clause().and(cited(facts)),
        ),
        Fused::Read {
            index: fused,
            facts,
        } => Line::absent(
            rule,
            format!(
                "{what} has rollback index {index}, and {fused} is fused: it would not start again."
            ),
        )
        .seen(cited(facts)),
        Fused::AtMost {
            index: bound,
            build,
            facts,
        } if index >= bound => Line::met(
            rule,
            format!(
                "{what} has rollback index {index}. Nothing reads the fuse on this family; {build} started last, with {bound}, so no more is fused: bounded by that."
            ),
            clause().and(cited(facts)),
        ),
        Fused::AtMost {
            index: bound,
            build,
            facts,
        } => Line::absent(
            rule,
            format!(
                "{what} has rollback index {index}, below the {bound} of {build}, which started last. Nothing reads the fuse on this family, so as much may be fused."
            ),
        )
        .seen(cited(facts)),
        Fused::Unknown { key } => not_known(
            family,
            facts,
            rule,
            key,
            &match key {
                FactKey::RollbackIndex => "Which rollback index is fused?".to_owned(),
                _ => "Which build starts now? It bounds what may be fused.".to_owned(),
            },
        ),
    })
}
