//! Never below a fused rollback index (`W1`, `R2`, `S2`): one line, whatever is written, installed or
//! made active.

use super::{Item, ItemState, item, not_known};
use crate::facts::Facts;
use crate::family::Family;
use crate::fuse::{Fused, fused};
use crate::rule::Rule;

/// The line for `what` with this index; `None` for an index that is not known, which never counts as
/// high enough. No line where the family's builds have none.
pub(super) fn index(
    rule: Rule,
    family: &Family,
    facts: &Facts,
    what: &str,
    index: Option<u32>,
) -> Option<Item> {
    let known = fused(family, facts);
    if known == Fused::None {
        return None;
    }
    let Some(index) = index else {
        return Some(item(
            rule,
            ItemState::Unknown,
            format!(
                "Which rollback index {what} has is not known, and one below the fuse would not start."
            ),
            Vec::new(),
        ));
    };
    Some(match known {
        Fused::None => return None,
        Fused::Read {
            index: fused,
            facts,
        } if index >= fused => item(
            rule,
            ItemState::Met,
            format!("{what} has rollback index {index}; fused is {fused}."),
            facts,
        ),
        Fused::Read {
            index: fused,
            facts,
        } => item(
            rule,
            ItemState::Missing,
            format!(
                "{what} has rollback index {index}, and {fused} is fused: it would not start again."
            ),
            facts,
        ),
        Fused::AtMost {
            index: bound,
            build,
            facts,
        } if index >= bound => item(
            rule,
            ItemState::Met,
            format!(
                "{what} has rollback index {index}. Nothing reads the fuse on this family; {build} starts with {bound}, so no more is fused: bounded by that."
            ),
            facts,
        ),
        Fused::AtMost {
            index: bound,
            build,
            facts,
        } => item(
            rule,
            ItemState::Missing,
            format!(
                "{what} has rollback index {index}, below the {bound} of {build}, which starts now. Nothing reads the fuse on this family, so as much may be fused."
            ),
            facts,
        ),
        Fused::Unknown { key } => not_known(
            family,
            facts,
            rule,
            key,
            &match key {
                crate::facts::FactKey::RollbackIndex => "Which rollback index is fused?".to_owned(),
                _ => "Which build starts now? It bounds what may be fused.".to_owned(),
            },
        ),
    })
}
