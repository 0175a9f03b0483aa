//! How is it read? The way that writes least comes first (`B1`).

use crate::evidence::{Basis, Line};
use crate::facts::{FactKey, Facts};
use crate::family::{Family, KeptSpec, ReadRoute, RestoredBy, RouteKind, RouteLock};
use crate::mode::{Lock, RecoveryKind};
use crate::rule::Rule;

/// Whether a way can be gone as the unit stands. Unknown is no.
fn is_open(route: &ReadRoute, facts: &Facts) -> bool {
    let lock = route.lock == RouteLock::Any || facts.lock() == Some(Lock::Unlocked);
    let rights =
        route.kind != RouteKind::RunningSystem || facts.choice(FactKey::Root) == Some("yes");
    lock && rights
}

/// The way that writes least, of those that the unit lets one go now (`B1`).
#[must_use]
pub fn least_writing<'f>(family: &'f Family, facts: &Facts) -> Option<&'f ReadRoute> {
    let is_in = |route: &&ReadRoute| {
        route.kind == RouteKind::AfterWrite && facts.recovery() == Some(RecoveryKind::Custom)
    };
    // A recovery that is in already reads without a write.
    let first = family
        .read_routes
        .iter()
        .find(|route| route.kind < RouteKind::RunningSystem && is_open(route, facts));
    first
        .or_else(|| family.read_routes.iter().find(is_in))
        .or_else(|| {
            family
                .read_routes
                .iter()
                .find(|route| is_open(route, facts))
        })
}

/// The way as a line of evidence: what it writes, and what has to be minded. Nothing where the
/// family says nothing of reading, or no way is open.
#[must_use]
pub fn way_to_read(family: &Family, facts: &Facts) -> Option<Line> {
    let route = least_writing(family, facts)?;
    let is_in = facts.recovery() == Some(RecoveryKind::Custom);
    let (rule, text) = match route.kind {
        RouteKind::AfterWrite if !is_in => {
            let labels: Vec<&str> = route.writes.iter().map(|label| label.as_str()).collect();
            let straight = straight_in(&family.kept);
            (
                Rule::G3,
                format!(
                    "Nothing reads it before a recovery is in: {} in one go, with the maker's images of exactly these at hand; all other writes stay shut. {}{straight}",
                    labels.join(" and "),
                    route.hand
                ),
            )
        }
        RouteKind::AfterWrite => (
            Rule::B1,
            "The recovery that is in reads everything; nothing needs to be written for it."
                .to_owned(),
        ),
        RouteKind::RunningSystem => (
            Rule::B1,
            format!(
                "{} Read it again at rest when that is possible.",
                route.hand
            ),
        ),
        RouteKind::TemporaryStart | RouteKind::ReadOut => (Rule::B1, route.hand.clone()),
    };
    Some(Line::met(rule, text, Basis::clause("ways to read it out")))
}

/// `M11`: what to mind where the maker's recovery comes back.
fn straight_in(kept: &KeptSpec) -> String {
    match kept.restored_by {
        RestoredBy::SystemStart => format!(
            " Straight into it: each start of the system puts the maker's recovery back (M11). {}",
            kept.stopped_by
        ),
        RestoredBy::Nothing => String::new(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::testing::facts;
    use crate::family::testing::shipped;

    fn way(codename: &str, pairs: &[(FactKey, &str)]) -> Option<(Rule, String)> {
        way_to_read(&shipped(codename), &facts(pairs)).map(|item| (item.rule, item.text))
    }

    #[test]
    fn what_writes_nothing_comes_before_what_is_live_and_before_what_writes() {
        let open = (FactKey::Lock, "unlocked");
        let rooted = (FactKey::Root, "yes");
        let kind = |codename: &str, pairs: &[(FactKey, &str)]| {
            least_writing(&shipped(codename), &facts(pairs)).map(|route| route.kind)
        };
        assert_eq!(
            kind("saltern", &[open, rooted]),
            Some(RouteKind::TemporaryStart)
        );
        assert_eq!(kind("lodestar", &[open]), Some(RouteKind::AfterWrite));
        assert_eq!(
            kind("lodestar", &[open, rooted]),
            Some(RouteKind::RunningSystem)
        );
        assert_eq!(
            kind("lodestar", &[(FactKey::Lock, "locked"), rooted]),
            Some(RouteKind::RunningSystem)
        );
        assert_eq!(kind("thimble", &[]), Some(RouteKind::ReadOut));
        assert_eq!(kind("saltern", &[(FactKey::Lock, "locked"), rooted]), None);
        assert_eq!(kind("saltern", &[]), None, "an unknown lock opens nothing");
    }

    #[test]
    fn where_a_write_comes_first_it_says_what_and_that_one_goes_straight_in() {
        let (rule, text) = way("kelpie", &[(FactKey::Lock, "unlocked")]).unwrap();
        assert_eq!(rule, Rule::G3);
        assert!(text.contains("recovery and vbmeta in one go"), "{text}");
        assert!(text.contains("(M11)"), "{text}");
        let (rule, text) = way("mooring", &[(FactKey::Lock, "unlocked")]).unwrap();
        assert_eq!(rule, Rule::G3);
        assert!(!text.contains("(M11)"), "{text}");
    }

    #[test]
    fn a_recovery_that_is_in_needs_no_write() {
        let (rule, text) = way(
            "kelpie",
            &[(FactKey::Lock, "unlocked"), (FactKey::Recovery, "custom")],
        )
        .unwrap();
        assert_eq!(rule, Rule::B1);
        assert!(text.contains("nothing needs to be written"), "{text}");
    }
}
