//! How is it read? The way that writes least comes first (`B1`).

use serde::Serialize;

use crate::evidence::{Basis, Line};
use crate::facts::{FactKey, Facts};
use crate::family::{Family, KeptSpec, ReadRoute, RestoredBy, RouteKind, RouteLock};
use crate::mode::{Lock, RecoveryKind};
use crate::rule::Rule;
use crate::state::NOT_FIRST;

/// How a way to read stands (`B1`).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, utoipa::ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum WayStands {
    /// The one that writes least of those that are open.
    Chosen,
    /// Open too.
    Open,
    /// Not as the unit stands.
    Closed,
}

/// A way to read partitions, whether it is the one to go, and why.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, utoipa::ToSchema)]
pub struct Way {
    /// Of which kind.
    pub kind: RouteKind,
    /// How it stands.
    pub stands: WayStands,
    /// How it is gone, in words.
    pub hand: String,
    /// Why it is the one, or why not.
    pub why: String,
}

/// Why a way can't be gone as the unit stands; nothing where it can. Unknown is no.
fn closed(route: &ReadRoute, facts: &Facts) -> Option<String> {
    let lock = facts.lock();
    if route.lock == RouteLock::Unlocked && lock != Some(Lock::Unlocked) {
        let now = lock.map_or("whether it is, is not known", |_| "it is locked");
        return Some(format!("It wants an unlocked unit; {now}."));
    }
    if route.kind != RouteKind::RunningSystem {
        return None;
    }
    match facts.choice(FactKey::Root) {
        Some("yes") => None,
        Some(_) => Some("The running system gives no administrator rights.".to_owned()),
        None => Some(
            "It wants administrator rights on the running system; whether there are any is not known."
                .to_owned(),
        ),
    }
}

/// The order of choice: what writes nothing, what is in already, what is live, what has to be written first.
fn rank(route: &ReadRoute, facts: &Facts) -> u8 {
    match route.kind {
        RouteKind::TemporaryStart => 0,
        RouteKind::ReadOut => 1,
        RouteKind::AfterWrite if is_in(facts) => 2,
        RouteKind::RunningSystem => 3,
        RouteKind::AfterWrite => 4,
    }
}

/// Whether a recovery that reads is in.
fn is_in(facts: &Facts) -> bool {
    facts.recovery() == Some(RecoveryKind::Custom)
}

/// The way that writes least, of those that the unit lets one go now (`B1`).
#[must_use]
pub fn least_writing<'f>(family: &'f Family, facts: &Facts) -> Option<&'f ReadRoute> {
    let open = family.read_routes.iter().filter(|route| {
        // A recovery that runs from its partition was let start, whatever the lock.
        closed(route, facts).is_none() || (route.kind == RouteKind::AfterWrite && is_in(facts))
    });
    open.min_by_key(|route| rank(route, facts))
}

/// All ways that the family has, in the order of choice, each with why it is the one or is not (`B1`).
#[must_use]
pub fn ways(family: &Family, facts: &Facts) -> Vec<Way> {
    let chosen = least_writing(family, facts);
    let mut routes: Vec<&ReadRoute> = family.read_routes.iter().collect();
    routes.sort_by_key(|route| rank(route, facts));
    let way = |route: &ReadRoute| {
        let is_not_in = route.kind == RouteKind::AfterWrite && !is_in(facts);
        let (stands, why) = if is_not_in {
            let why = closed(route, facts);
            (
                WayStands::Closed,
                why.unwrap_or_else(|| format!("It takes a recovery {NOT_FIRST}.")),
            )
        } else if chosen == Some(route) {
            (WayStands::Chosen, best(route).to_owned())
        } else if let Some(why) = closed(route, facts) {
            (WayStands::Closed, why)
        } else {
            (WayStands::Open, second(route).to_owned())
        };
        let hand = if route.kind == RouteKind::AfterWrite && is_in(facts) {
            "Start the recovery that is in.".to_owned()
        } else {
            route.hand.clone()
        };
        Way {
            kind: route.kind,
            stands,
            hand,
            why,
        }
    };
    routes.into_iter().map(way).collect()
}

fn best(route: &ReadRoute) -> &'static str {
    match route.kind {
        RouteKind::TemporaryStart | RouteKind::ReadOut => "It writes nothing.",
        RouteKind::RunningSystem => {
            "It writes nothing; what lives changes meanwhile, and is read again at rest when that is possible."
        }
        RouteKind::AfterWrite => {
            "The recovery that is in reads everything; nothing needs to be written for it."
        }
    }
}

fn second(route: &ReadRoute) -> &'static str {
    match route.kind {
        RouteKind::TemporaryStart | RouteKind::ReadOut | RouteKind::AfterWrite => {
            "Open too, and it reads no more."
        }
        RouteKind::RunningSystem => "Open too; what lives changes while it is read there.",
    }
}

/// Why nothing can be read in what runs now, and which way leads there, in words for a person (`B1`).
#[must_use]
pub fn no_right(family: &Family, facts: &Facts) -> String {
    let ways = ways(family, facts);
    let runs = "What runs now gives no right to read partitions.";
    match ways.first() {
        None => format!("No way to read partitions of {} is known.", family.name()),
        Some(_) => match ways.iter().find(|way| way.stands == WayStands::Chosen) {
            Some(way) => format!("{runs} {}", way.hand),
            None => {
                let mut why: Vec<&str> = ways.iter().map(|way| way.why.as_str()).collect();
                why.dedup();
                format!("{runs} No way is open. {}", why.join(" "))
            }
        },
    }
}

/// The way as a line of evidence: what it writes, and what has to be minded. Nothing where the
/// family says nothing of reading, or no way is open.
#[must_use]
pub fn way_to_read(family: &Family, facts: &Facts) -> Option<Line> {
    let route = least_writing(family, facts)?;
    let (rule, text) = match route.kind {
        RouteKind::AfterWrite if !is_in(facts) => {
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
        RouteKind::AfterWrite => (Rule::B1, best(route).to_owned()),
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
    fn each_way_says_why_it_is_the_one_or_is_not() {
        let told = |codename: &str, pairs: &[(FactKey, &str)]| {
            let ways = ways(&shipped(codename), &facts(pairs));
            let told: Vec<String> = ways
                .iter()
                .map(|way| format!("{:?} {:?}: {}", way.kind, way.stands, way.why))
                .collect();
            told.join("\n")
        };
        let open = (FactKey::Lock, "unlocked");
        let locked = (FactKey::Lock, "locked");
        let rooted = (FactKey::Root, "yes");
        let custom = (FactKey::Recovery, "custom");
        let mut all = String::new();
        for (codename, pairs) in [
            ("saltern", &[open, rooted][..]),
            ("saltern", &[locked, (FactKey::Root, "no")]),
            ("saltern", &[]),
            ("lodestar", &[locked, rooted]),
            ("lodestar", &[open, rooted, custom]),
            ("kelpie", &[open]),
            ("kelpie", &[locked]),
            ("mooring", &[open]),
            ("thimble", &[]),
            ("cinder", &[open]),
            ("gimbal", &[locked]),
        ] {
            let words = no_right(&shipped(codename), &facts(pairs));
            let ways = told(codename, pairs);
            all += &format!("{codename} {pairs:?}\n{words}\n{ways}\n\n");
        }
        insta::assert_snapshot!(all);
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
