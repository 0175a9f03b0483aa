use super::*;
use crate::family::testing::GIMBAL;

#[test]
fn what_comes_before_foreign_bytes_must_be_readable_and_sayable() {
    let (_, kelpie) = crate::family::SHIPPED
        .iter()
        .find(|(file, _)| *file == "kelpie.toml")
        .unwrap();
    for (right, wrong, expected) in [
        (
            "key = \"download-guard\"\nvalue = \"checking\"",
            "key = \"download-guard\"\nvalue = \"asleep\"",
            "download-guard is never `asleep`",
        ),
        (
            "key = \"reset-lock\"\nvalue = \"off\"",
            "key = \"root\"\nvalue = \"no\"",
            "names root, and no [[fact]] says where it is read",
        ),
        (
            "erases = [\"user-data\", \"cache\"]\nends_in = \"system\"",
            "erases = [\"user-data\", \"cache\"]\ndestroys = [\"nothing\"]\nends_in = \"system\"",
            "`stage.destroys` names `nothing`",
        ),
    ] {
        assert!(kelpie.contains(right), "{right}");
        let error = load("kelpie.toml", &kelpie.replacen(right, wrong, 1)).unwrap_err();
        assert!(error.what.contains(expected), "{error}");
    }
}

#[test]
fn the_shipped_file_loads_and_its_digest_is_its_texts() {
    let family = load("gimbal.toml", GIMBAL).unwrap();
    assert_eq!(family.name(), "Finch Loop");
    assert_eq!(family.partitions.len(), 9);
    assert_eq!(family.digest, Digest::of(GIMBAL.as_bytes()));
}

#[test]
fn each_mistake_is_named_with_its_line() {
    let cases = [
        (
            "schema = 6",
            "schema = 13",
            "`schema` is 13; this program reads 1 to 12",
        ),
        ("mib = 60", "mib = 0", "`partition.mib` must be at least 1"),
        (
            "label = \"boot\"",
            "label = \"aboot\"",
            "`partition.label` aboot stands twice",
        ),
        (
            "label = \"misc\"",
            "label = \"../misc\"",
            "is not a partition label",
        ),
        (
            "partition = \"recovery\"",
            "partition = \"rescue\"",
            "which no [[partition]] has",
        ),
        (
            "sector_bytes = 512",
            "sector_bytes = 520",
            "must be 512 or 4096",
        ),
        (
            "from = \"off\"",
            "from = \"asleep\"",
            "unknown variant `asleep`",
        ),
        (
            "stuck = 120\nrights",
            "stuck = 12\nrights",
            "`stuck` (12 s) is below `usual` (25 s)",
        ),
        ("hands_on = 5", "hand_on = 5", "unknown field `hand_on`"),
        (
            "\"photos\", ",
            "\"photos\", \"photos\", ",
            "names photos twice",
        ),
        (
            "forms = [\"newer\", \"older\"]",
            "forms = []",
            "names no command form",
        ),
        (
            "key = \"battery\"",
            "key = \"accounts\"",
            "`fact.key` accounts stands twice",
        ),
        (
            "erases = [\"user-data\", \"cache\"]\nends_in = \"bootloader\"\nusual = 20",
            "erases = [\"user-data\", \"device-unique\"]\nends_in = \"bootloader\"\nusual = 20",
            "`wipe.erases` takes user-data, with or without cache",
        ),
        (
            "title = \"Unlock the bootloader\"",
            "title = \"Unlock the bootloader\"\nlabel = \"Unlock it\"",
            "`stage.label`: `{unit}`, which stands for the unit's name, is missing",
        ),
        ("role = \"os\"", "role = \"os", "invalid basic string"),
        (
            "[recovery_write]",
            "[recovery]\nlog = \"recovery.log\"\n\n[recovery_write]",
            "a path on the unit begins with /",
        ),
        (
            "[recovery_write]",
            "[install_within]\nchanges = [\"userdata\"]\nmode = \"temporary-recovery\"\npartition = \"recovery\"\nusual = 9\nstuck = 90\nhand = \"Touch it.\"\n\n[recovery_write]",
            "no [[partition]] of role os",
        ),
        (
            "[recovery_write]",
            "[install_within]\nmode = \"temporary-recovery\"\nchanges = []\npartition = \"recovery\"\nusual = 9\nstuck = 90\nhand = \"Touch it.\"\n\n[recovery_write]",
            "`install_within.changes` is empty",
        ),
    ];
    let mut seen = Vec::new();
    for (right, wrong, expected) in cases {
        assert!(GIMBAL.contains(right), "{right}");
        let text = GIMBAL.replacen(right, wrong, 1);
        let line = GIMBAL[..GIMBAL.find(right).unwrap()].matches('\n').count() + 1;
        let error = load("gimbal.toml", &text).unwrap_err();
        assert!(error.what.contains(expected), "{error}");
        assert!(
            error.line.abs_diff(line) <= 2,
            "{error}, made in line {line}"
        );
        seen.push(error.to_string());
    }
    insta::assert_snapshot!(seen.join("\n"));
}

#[test]
fn all_shipped_files_load_under_their_own_codename() {
    for (file, text) in crate::family::SHIPPED {
        let family = load(file, text).unwrap();
        assert_eq!(format!("{}.toml", family.codename), *file);
        let area = |n: u32| family.areas.iter().any(|(index, _)| *index == n);
        assert!(
            family.partitions.iter().all(|part| area(part.area)),
            "{file}"
        );
    }
    assert_eq!(crate::family::SHIPPED.len(), 8);
}

/// Files of earlier versions are read as they are.
#[test]
fn an_older_file_is_read() {
    // Up to version 5 an answer was worded.
    let yes = "yes = { touch = \"Yes, unlock and erase\" }";
    let words = "answered_by = \"touch\"\nanswer = \"Touch yes.\"";
    for version in [1, 2, 3, 5] {
        let older = GIMBAL.replace("schema = 6", &format!("schema = {version}"));
        let older = older.replace(yes, words);
        assert!(older.contains(words));
        let family = load("gimbal.toml", &older).unwrap();
        assert_eq!(family.partitions.len(), 9);
        let asked = family.stages[0].question.as_ref().unwrap();
        assert_eq!((asked.answer.as_str(), &asked.yes), ("Touch yes.", &None));
    }
}

/// Every question of a shipped family is answered by keys or a touch, in one sentence that names them.
#[test]
fn answers_are_keys_and_touches() {
    for (file, text) in crate::family::SHIPPED {
        let family = load(file, text).unwrap();
        let stages = family.stages.iter().filter_map(|one| one.question.as_ref());
        let wipes = family.wipes.iter().filter_map(|one| one.question.as_ref());
        let relock = family
            .relock
            .act
            .iter()
            .filter_map(|one| one.question.as_ref());
        for asked in stages.chain(wipes).chain(relock) {
            let yes = asked.yes.as_ref().unwrap();
            assert!(!yes.keys().is_empty(), "{file}");
            let named = |key: &crate::family::Key| {
                *key == crate::family::Key::Screen || asked.answer.contains(key.shown())
            };
            assert!(yes.keys().iter().all(named), "{file}: {}", asked.answer);
        }
    }
}

#[test]
fn mistakes_in_what_came_with_version_three_are_named() {
    let text = |codename: &str| {
        let file = format!("{codename}.toml");
        let mut shipped = crate::family::SHIPPED.iter();
        shipped.find(|(name, _)| *name == file).unwrap().1
    };
    let cases = [
        (
            "kelpie",
            "writes = [\"recovery\", \"vbmeta\"]",
            "writes = [\"recovery\", \"vbmetta\"]",
            "`read_route.writes` names `vbmetta`, which no [[partition]] has",
        ),
        (
            "cinder",
            "kind = \"temporary-start\"\nmode = \"temporary-recovery\"",
            "kind = \"temporary-start\"\nmode = \"download\"",
            "`read_route.mode` names download, which no [[mode]] has",
        ),
        (
            "thimble",
            "id = \"erase-everything\"",
            "id = \"write-only\"",
            "`tool_choice.id` write-only stands twice",
        ),
        (
            "gimbal",
            "yes = { touch = \"Yes, erase\" }",
            "yes = { touch = \"Yes, erase\", tap = \"power\" }",
            "`yes` takes one of `menu`, `tap` and `touch`",
        ),
        (
            "gimbal",
            "yes = { touch = \"Yes, erase\" }",
            "yes = { }",
            "`yes` takes one of `menu`, `tap` and `touch`",
        ),
        (
            "gimbal",
            "yes = { touch = \"Yes, erase\" }",
            "answer = \"Touch Yes.\"",
            "since schema 6 a question is answered by `yes`",
        ),
        (
            "gimbal",
            "question = \"Erase everything?\"",
            "# It asks nothing.",
            "`yes` answers a question, and none is worded",
        ),
        (
            "gimbal",
            "mode = \"bootloader\"\nforms = [\"newer\", \"older\"]\nquestion = \"Lock",
            "mode = \"bootloader\"\nquestion = \"Lock",
            "`relock.forms` names no command form",
        ),
        (
            "saltern",
            "[slot_switch]\nmode = \"bootloader\"",
            "[slot_switch]\nmode = \"download\"",
            "`slot_switch.mode` names download, which no [[mode]] has",
        ),
        (
            "saltern",
            "key = \"slot\"",
            "key = \"storage-chip-id\"",
            "`slot_switch` wants a [[partition]] with slots = \"pair\" and a [[fact]] with key = \"slot\"",
        ),
        (
            "gimbal",
            "tells = [\"recovery\"]",
            "tells = [\"recoverry\"]",
            "unknown variant `recoverry`",
        ),
    ];
    for (codename, right, wrong, expected) in cases {
        let text = text(codename);
        assert!(text.contains(right), "{codename}: {right}");
        let error = load(codename, &text.replacen(right, wrong, 1)).unwrap_err();
        assert!(error.what.contains(expected), "{error}");
        assert!(error.line > 1, "{error}");
    }
}

#[test]
fn mistakes_in_what_bears_on_the_lock_are_named_too() {
    let text = |codename: &str| {
        let shipped = crate::family::SHIPPED.iter();
        let mut found = shipped.filter(|(file, _)| file.strip_suffix(".toml") == Some(codename));
        found.next().unwrap().1
    };
    let cases = [
        (
            "saltern",
            "shares_images = [\"TH5-U\"]",
            "shares_images = [\"TH6\"]",
            "names TH6, which no [[variant]] has",
        ),
        (
            "lodestar",
            "code = \"K2-J\"",
            "code = \"K2-G\"",
            "K2-G stands twice",
        ),
        (
            "saltern",
            "\"35712804\"",
            "\"3571280\"",
            "3571280 is not 8 digits",
        ),
        ("saltern", "{yymmdd}", "{date}", "`{date}` is no group"),
        (
            "saltern",
            "order = [\"critical\", \"main\"]",
            "order = [\"first\"]",
            "names first, which no [[stage]] has",
        ),
        (
            "saltern",
            "[toggle]\nkept = \"own-record\"",
            "[toggle]\nkept = \"somewhere\"",
            "unknown variant `somewhere`",
        ),
        (
            "saltern",
            "patch = \"2026-11\"",
            "patch = \"2026-21\"",
            "2026-21 is no month",
        ),
        (
            "saltern",
            "\"LOCKED\" = \"locked\"",
            "\"LOCKED\" = \"shut\"",
            "`shut` does not fit",
        ),
        (
            "mooring",
            "to = \"WM1-3.3-2608\"",
            "to = \"WM1-3.9\"",
            "names WM1-3.9, which no [[build]] has",
        ),
        (
            "mooring",
            "to = \"WM1-3.3-2608\"",
            "to = \"WM1-3.2-2606\"",
            "the incrementals lead in a circle",
        ),
        (
            "mooring",
            "kind = \"full\"",
            "kind = \"incremental\"",
            "`package.from` is missing",
        ),
        ("cinder", "area = 1", "area = 2", "`partition.area` is 2"),
        (
            "cinder",
            "sector_bytes = 4096",
            "sector_bytes = 1024",
            "must be 512 or 4096",
        ),
        (
            "thimble",
            "from = \"download\"",
            "from = \"off\"",
            "two ways are named off-to-system-by-keys, and a sheet could not tell them apart",
        ),
        (
            "thimble",
            "from = \"download\"",
            "id = \"once more\"\nfrom = \"off\"",
            "from download no way leads to the running system",
        ),
        (
            "lodestar",
            "method = \"token\"",
            "method = \"command\"",
            "belong together",
        ),
    ];
    for (codename, right, wrong, expected) in cases {
        let text = text(codename);
        assert!(text.contains(right), "{codename}: {right}");
        let error = load(codename, &text.replacen(right, wrong, 1)).unwrap_err();
        assert!(error.what.contains(expected), "{error}");
        assert!(error.line >= 1);
    }
}
