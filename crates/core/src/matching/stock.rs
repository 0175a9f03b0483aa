//! Is this set of the maker's this unit's?

use veritope_wire::Label;

use super::{Finding, Fit, Weight};
use crate::facts::Facts;
use crate::family::Family;
use crate::fuse;
use crate::rule::Rule;

/// A stock set as its list says.
#[derive(Debug, Clone, Copy)]
pub struct StockClaims<'a> {
    /// Codename that it is for.
    pub codename: &'a str,
    /// Model codes that it is for.
    pub variants: &'a [String],
    /// Its build.
    pub build: &'a str,
    /// Partitions that it has images for, without a slot or with one.
    pub members: &'a [Label],
}

/// Judges whether a stock set is this unit's: codename, variant, a build that the family knows, and
/// none below the fused index (`M1`, `M2`, `W1`). A region has variants of its own.
#[must_use]
pub fn judge_stock(family: &Family, facts: &Facts, claims: StockClaims<'_>) -> Vec<Finding> {
    let mut findings = Vec::new();
    let mut judge = |rule, holds: bool, yes: String, no: String| {
        findings.push(Finding {
            rule,
            fit: if holds { Fit::Fits } else { Fit::Stops },
            weight: Weight::Hard,
            text: if holds { yes } else { no },
            wanted: None,
        });
    };
    judge(
        Rule::M1,
        claims.codename == family.codename,
        format!("For {}.", family.codename),
        format!("For {}, the unit is {}.", claims.codename, family.codename),
    );
    let own = family.model(facts);
    let names = claims.variants.join(", ");
    judge(
        Rule::M2,
        own.is_some_and(|code| claims.variants.iter().any(|one| one == code)),
        format!("For {names}."),
        match own {
            Some(code) => {
                format!("For {names}, the unit is {code}: another variant shares nothing.")
            }
            None => format!("For {names}; which variant the unit is, is not known."),
        },
    );
    // Half a set leaves a mix of two builds, which no lock is closed on.
    let lacking: Vec<&str> = {
        let mut all: Vec<&str> = family
            .partitions
            .iter()
            .filter(|spec| spec.role.spec().is_checked)
            .map(|spec| (spec, spec.stem().as_str()))
            .filter(|(spec, stem)| {
                let mut members = claims.members.iter();
                !members.any(|one| one.as_str() == *stem || *one == spec.label)
            })
            .map(|(_, stem)| stem)
            .collect();
        all.dedup();
        all
    };
    judge(
        Rule::Q8,
        lacking.is_empty(),
        format!("Complete: {} images.", claims.members.len()),
        format!("Not complete: {} is missing.", lacking.join(", ")),
    );
    let build = family.builds.iter().find(|one| one.id == claims.build);
    // A family that lists no builds leaves it to variant and digests.
    if !family.builds.is_empty() {
        judge(
            Rule::M2,
            build.is_some(),
            format!("Build {}.", claims.build),
            format!("The family has no build {}.", claims.build),
        );
    }
    if let Some(build) = build.filter(|build| !build.variants.is_empty()) {
        let own = own.unwrap_or("");
        judge(
            Rule::M2,
            build.variants.iter().any(|one| one == own),
            format!("{} is a build of this variant.", build.id),
            format!("{} is a build of {}.", build.id, build.variants.join(", ")),
        );
    }
    // An unknown fuse is a line of the write's own list; it never reads as low enough there.
    if let (Some(build), Some(fused)) = (build, fuse::fused(family, facts).floor())
        && family.builds.iter().any(|one| one.rollback > 0)
    {
        judge(
            Rule::W1,
            build.rollback >= fused,
            format!("Index {}, fused is {fused}.", build.rollback),
            format!(
                "Its index {} is below the fused {fused}: it would not start.",
                build.rollback
            ),
        );
    }
    findings
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::facts::FactKey;

    #[test]
    fn a_stock_set_is_for_its_variant_and_not_below_the_fuse() {
        use crate::facts::testing::facts;
        let cinder = crate::family::testing::shipped("cinder");
        let members: Vec<Label> = cinder
            .partitions
            .iter()
            .filter(|spec| spec.role.spec().is_checked)
            .map(|spec| spec.label.clone())
            .collect();
        let stops = |model: &str, fused: &str, variants: &[&str], build: &str| {
            let known = facts(&[(FactKey::ModelCode, model), (FactKey::RollbackIndex, fused)]);
            let variants: Vec<String> = variants.iter().map(|one| (*one).to_owned()).collect();
            let claims = StockClaims {
                codename: "cinder",
                variants: &variants,
                build,
                members: &members,
            };
            judge_stock(&cinder, &known, claims)
                .into_iter()
                .filter(|one| one.fit == Fit::Stops)
                .map(|one| one.rule)
                .collect::<Vec<_>>()
        };
        assert_eq!(stops("LN-3X", "2", &["LN-3X"], "LN3X.7.0.2607"), []);
        // By its list, and by what the family says of the build.
        assert_eq!(
            stops("LN-3X", "2", &["LN-3"], "LN3.7.1.2610"),
            [Rule::M2, Rule::M2]
        );
        assert_eq!(stops("LN-3X", "2", &["LN-3X"], "LN3.7.1.2610"), [Rule::M2]);
        assert_eq!(stops("LN-3X", "3", &["LN-3X"], "LN3X.7.0.2607"), [Rule::W1]);
        assert_eq!(stops("LN-3X", "2", &["LN-3X"], "LN3X.9"), [Rule::M2]);
    }
}
