//! What shipped family files say that makers publish is what the stand-ins' makers sign, at the demo's
//! scale: the digests of `R1`. The stand-ins know nothing of those files, so a mistake shows here.

use std::collections::BTreeMap;

use veritope_core::family::{SHIPPED, Stock, load};
use veritope_standin::profile::Profile;
use veritope_standin::stock_images;
use veritope_wire::Digest;

/// The line of a family file for one build.
fn line(images: &BTreeMap<String, Digest>) -> String {
    let each: Vec<String> = images
        .iter()
        .map(|(label, digest)| format!("{label} = \"{digest}\""))
        .collect();
    format!("images = {{ {} }}", each.join(", "))
}

#[test]
fn digests_of_published_builds_are_those_of_the_stand_ins_stock() {
    let mut wrong = Vec::new();
    for (file, text) in SHIPPED {
        let family = load(file, text).unwrap();
        for build in family
            .builds
            .iter()
            .filter(|one| one.stock == Stock::Published)
        {
            let Some(profile) =
                Profile::named(&family.codename).and_then(|profile| profile.on_build(&build.id))
            else {
                continue;
            };
            let signed: BTreeMap<String, Digest> = stock_images(&profile)
                .into_iter()
                .map(|(label, bytes)| (label.trim_end_matches("_a").to_owned(), Digest::of(&bytes)))
                .collect();
            let said: BTreeMap<String, Digest> = build
                .images
                .iter()
                .map(|(label, digest)| (label.to_string(), *digest))
                .collect();
            if said != signed {
                wrong.push(format!("{file}, build {}:\n{}", build.id, line(&signed)));
            }
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
}
