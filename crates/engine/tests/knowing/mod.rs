//! What a bench knows of its units: families that nobody wrote code for, clocks that somebody set,
//! pasted screens, pictures, units that look alike.

use std::sync::atomic::Ordering;

use veritope_core::act::Act;
use veritope_core::evidence::{Cure, Line};
use veritope_core::facts::FactKey;
use veritope_core::goal::Goal;
use veritope_core::rule::Rule;
use veritope_core::standing::{FactReading, Level, Standing, Verdict};
use veritope_engine::LibraryError;
use veritope_engine::desk::record::Way;
use veritope_engine::runs::RunsError;
use veritope_engine::turns::TurnError;
use veritope_engine::units::UnitsError;
use veritope_engine::{FamilyOrigin, KeepSaid, NewUnit, StepEnd};
use veritope_wire::{BenchTime, FactId, UnitId, WallTime};

use super::support::{Bench, by_hand, linked, unlocked};

const HOUR_MS: i64 = 3_600_000;
const EIGHTH: &str = include_str!("eighth.toml");

fn add(bench: &Bench, nickname: &str, family: &str) -> UnitId {
    let new = NewUnit {
        nickname: nickname.to_owned(),
        way: Way::Hand,
        family: Some(family.to_owned()),
        ownership: "mine".to_owned(),
    };
    bench.engine.units.add_unit(new, bench.request()).unwrap()
}

fn say(bench: &Bench, unit: UnitId, pairs: &[(FactKey, &str)]) {
    let said: Vec<_> = pairs
        .iter()
        .map(|(key, value)| (*key, (*value).to_owned()))
        .collect();
    bench
        .engine
        .units
        .type_facts(unit, &said, bench.request())
        .unwrap();
}

fn standing(bench: &Bench, unit: UnitId) -> Standing {
    bench.engine.views.standing_view(unit).unwrap().standing
}

fn hours_before(now: BenchTime, hours: i64) -> String {
    WallTime::nearest_ms(now.ms() - hours * HOUR_MS).to_string()
}

/// The bench's own time, read off a fact that is said now.
fn now(bench: &Bench, unit: UnitId) -> BenchTime {
    say(bench, unit, &[(FactKey::Complaint, "none")]);
    let view = bench.engine.views.standing_view(unit).unwrap();
    let fact = view.facts.iter().find(|f| f.line.key == FactKey::Complaint);
    fact.unwrap().line.rows[0].at
}

#[test]
fn an_eighth_family_comes_to_a_verdict_and_a_plan_without_code() {
    let bench = by_hand();
    let kept = bench
        .engine
        .library
        .put_family(EIGHTH, bench.request())
        .unwrap();
    assert_eq!(kept, "wicket");
    let lines = bench.engine.library.family_lines().unwrap();
    assert_eq!(lines.len(), veritope_core::family::SHIPPED.len() + 1);
    assert_eq!(lines.last().unwrap().origin, FamilyOrigin::Own);
    let unit = add(&bench, "Siskin", "wicket");
    let at = now(&bench, unit);
    let first = hours_before(at, 30);
    say(
        &bench,
        unit,
        &[
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Relocked, "no"),
            (FactKey::Build, "SO-1.3-2611"),
            (FactKey::Toggle, "absent"),
            (FactKey::AskedUpdates, "yes"),
            (FactKey::FirstOnline, &first),
            (FactKey::OffHours, "2"),
            (FactKey::CardFiles, "oriole-1.2, oriole-1.3"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::WorksWaived, "waived"),
            (FactKey::AnswersBootloader, "yes"),
            (FactKey::Battery, "80"),
        ],
    );
    // 48 h online, of which 28 have passed: hours switched off don't count here.
    let wait = standing(&bench, unit);
    let Verdict::WaitUntil { at: until } = wait.verdict else {
        panic!("{}", wait.sentence);
    };
    assert_eq!(until, at.after_ms(20 * HOUR_MS));
    let by_the_clock = bench.engine.views.wait_of(unit).unwrap().at;
    assert_eq!(by_the_clock.to_string(), hours_before(at, -20));

    say(&bench, unit, &[(FactKey::Toggle, "on")]);
    let classes = ["notes", "downloads"].map(|id| {
        (
            veritope_core::keepsafe::KeepClass::from_id(id).unwrap(),
            KeepSaid::Waived,
        )
    });
    bench
        .engine
        .units
        .keep_safe(unit, &classes, bench.request())
        .unwrap();
    // The package that leads down is still to be put on the shelf.
    let unshelved = standing(&bench, unit);
    assert!(matches!(unshelved.verdict, Verdict::ReadyAfter { .. }));
    bench.shelve("oriole-1.2", b"oriole-1.2");
    let ready = standing(&bench, unit);
    let after = Verdict::ReadyAfter {
        minutes: ready.chain.as_ref().unwrap().minutes,
    };
    assert_eq!(ready.verdict, after, "{:#?}", ready.lines);
    assert!(ready.lines.iter().all(Line::is_met), "{:#?}", ready.lines);
    let chain = ready.chain.unwrap();
    assert_eq!(
        (chain.legs.len(), chain.wipes),
        (2, 2),
        "down, gate: {chain:?}"
    );

    bench
        .engine
        .units
        .choose_goal(unit, Goal::Unlock, None, bench.request())
        .unwrap();
    let preview = bench.engine.views.run_page(unit).unwrap().preview.unwrap();
    let sheet = preview.sheet.unwrap();
    let has = |wanted: &dyn Fn(&Act) -> bool| sheet.steps.iter().any(|s| wanted(&s.act));
    assert!(has(&|action| matches!(action, Act::Unlock(_))));
    assert!(has(&|action| matches!(action, Act::Install(_))));
}

/// `Q11`: the first package of the way down erases, so all that come after it are proven whole before.
#[test]
fn a_chain_begins_only_when_each_of_its_packages_was_hashed_here() {
    let bench = by_hand();
    let unit = add(&bench, "Dunlin", "mooring");
    let names = [
        "mallet-full-3.1",
        "mallet-enabler-3.1",
        "mallet-3.1-to-3.2",
        "mallet-3.2-to-3.3",
        "mallet-3.3-to-3.4",
    ];
    say(
        &bench,
        unit,
        &[
            (FactKey::Mode, "system"),
            (FactKey::Lock, "locked"),
            (FactKey::Build, "WM1-3.4-2610"),
            (FactKey::Toggle, "on"),
            (FactKey::Accounts, "0"),
            (FactKey::ScreenLock, "off"),
            (FactKey::WorksWaived, "waived"),
            (FactKey::Battery, "90"),
            (FactKey::AnswersBootloader, "yes"),
            (FactKey::Card, "in"),
            (FactKey::CardFiles, &names.join(", ")),
        ],
    );
    let view = bench.engine.views.standing_view(unit).unwrap();
    let waived: Vec<_> = view
        .keep_safe
        .iter()
        .map(|line| (line.class, KeepSaid::Waived))
        .collect();
    bench
        .engine
        .units
        .keep_safe(unit, &waived, bench.request())
        .unwrap();
    let put = |name: &str| {
        bench.shelve(name, &veritope_standin::package_bytes(name));
    };
    let begin = || {
        bench
            .engine
            .runs
            .begin_run(unit, Goal::Unlock, bench.request())
    };
    let lacking = || match begin() {
        Err(RunsError::Turn(TurnError::Closed { missing, .. })) => missing
            .into_iter()
            .map(|item| (item.rule, item.text))
            .collect::<Vec<_>>(),
        other => panic!("{other:?}"),
    };
    let profile = veritope_standin::profile::Profile::named("mooring").unwrap();
    bench.shelve(
        "r.img",
        &crate::support::recovery_file(&profile, "3.2.0", &[5; 20_000]),
    );
    for name in names.iter().filter(|name| **name != "mallet-enabler-3.1") {
        put(name);
    }
    let [(rule, text)] = &lacking()[..] else {
        panic!("{:?}", lacking());
    };
    assert_eq!(*rule, Rule::Q11);
    assert!(
        text.starts_with("mallet-enabler-3.1 was not hashed here"),
        "{text}"
    );
    bench.shelve("mallet-enabler-3.1", b"half of it");
    assert_eq!(lacking()[0].0, Rule::M8);
    put("mallet-enabler-3.1");
    begin().unwrap();
}

#[test]
fn a_family_is_edited_dropped_and_refused_with_its_line() {
    let bench = by_hand();
    let unknown = bench.engine.library.family_page("wicket").unwrap_err();
    assert!(matches!(unknown, LibraryError::NoFamilyNamed(_)));
    bench
        .engine
        .library
        .put_family(EIGHTH, bench.request())
        .unwrap();
    let page = bench.engine.library.family_page("wicket").unwrap();
    assert_eq!((page.text.as_str(), page.cautions.len()), (EIGHTH, 1));
    // The edit counts at once, and replaces the file.
    let edited = EIGHTH.replace("wait_hours = 48", "wait_hours = 50");
    bench
        .engine
        .library
        .put_family(&edited, bench.request())
        .unwrap();
    let page = bench.engine.library.family_page("wicket").unwrap();
    assert!(page.text.contains("wait_hours = 50"));

    let wrong = EIGHTH.replace("to = \"SO-1.3-2611\"", "to = \"SO-9\"");
    let checked = bench.engine.library.check_family(&wrong);
    let line = wrong[..wrong.find("SO-9").unwrap()].matches('\n').count() as u64 + 1;
    assert_eq!(checked.line, Some(line));
    let refused = bench
        .engine
        .library
        .put_family(&wrong, bench.request())
        .unwrap_err();
    assert!(
        refused
            .to_string()
            .contains("names SO-9, which no [[build]] has"),
        "{refused}"
    );
    let kept = bench.engine.library.family_page("wicket").unwrap();
    assert!(kept.text.contains("wait_hours = 50"), "the old one stands");

    let unit = add(&bench, "Siskin", "wicket");
    let held = bench
        .engine
        .library
        .drop_family("wicket", bench.request())
        .unwrap_err();
    assert!(
        held.to_string()
            .contains("units of Saddler Oriole Two are on this bench"),
        "{held}"
    );
    assert_eq!(standing(&bench, unit).verdict, Verdict::NotKnownYet);
    // A shipped one comes back when the user's goes.
    let own = bench
        .engine
        .library
        .family_page("gimbal")
        .unwrap()
        .text
        .replace("\"FL-1\"", "\"FL-1B\"");
    bench
        .engine
        .library
        .put_family(&own, bench.request())
        .unwrap();
    let replaced = bench.engine.library.family_page("gimbal").unwrap();
    assert_eq!(replaced.line.origin, FamilyOrigin::Replaced);
    bench
        .engine
        .library
        .drop_family("gimbal", bench.request())
        .unwrap();
    let back = bench.engine.library.family_page("gimbal").unwrap();
    assert_eq!(
        (back.line.origin, back.variants[0].code.as_str()),
        (FamilyOrigin::Shipped, "FL-1")
    );
}

/// A sheet is followed by the text that it was made of; what is kept meanwhile counts for the next.
#[test]
fn a_running_sheet_goes_on_by_the_text_it_began_with() {
    let mut bench = unlocked();
    let run = bench.begin(Goal::TemporaryRecovery);
    let began = bench.engine.library.family_named("gimbal").unwrap().digest;
    let older = |bench: &Bench| {
        let page = bench.engine.views.run_page(bench.unit).unwrap();
        page.run.unwrap().older_text
    };
    assert_eq!(older(&bench), None);
    let page = bench.engine.library.family_page("gimbal").unwrap();
    let edited = page.text.replace("\"FL-1\"", "\"FL-1B\"");
    bench
        .engine
        .library
        .put_family(&edited, bench.request())
        .unwrap();
    assert!(older(&bench).is_some(), "that a newer text is kept is said");
    let line = bench.engine.library.family_page("gimbal").unwrap().line;
    assert_eq!(line.on_older_text, ["Sanderling"]);
    // Without the text that it began with, no step is taken by another one.
    let kept = bench.folder.path().join(format!("running/{began}.toml"));
    let text = std::fs::read(&kept).unwrap();
    std::fs::write(&kept, &edited).unwrap();
    bench.restart();
    let refused = bench.step(run).unwrap_err();
    assert!(matches!(refused, RunsError::FamilyGone), "{refused}");
    std::fs::write(&kept, text).unwrap();
    while bench.step(run).unwrap() != StepEnd::GoalReached {}
    assert_eq!(older(&bench), None);
}

#[test]
fn a_unit_by_hand_is_recognised_linked_renamed_and_put_away() {
    let bench = by_hand();
    let bridge = bench.engine.views.bench_view().unwrap().bridges[0].id;
    let found = || bench.engine.links.found(bridge).unwrap().remove(0);
    assert_eq!(found().recognised, None, "nobody read who it is");
    let link = || {
        let request = bench.request();
        bench
            .engine
            .units
            .link_unit(bench.unit, bridge, "dock-1", request)
    };
    assert!(matches!(link(), Err(UnitsError::BadInput(_))));
    bench.say(&[(FactKey::ChipId, "9a:77:01:5c:20:e4")]);
    assert_eq!(found().recognised.unwrap().nickname, "Sanderling");
    link().unwrap();
    assert_eq!((found().recognised, found().unit), (None, Some(bench.unit)));
    add(&bench, "Knot", "kelpie");
    let rename = |name: &str| {
        let request = bench.request();
        bench.engine.units.rename_unit(bench.unit, name, request)
    };
    for odd in ["Knot", "  ", "a\nb"] {
        assert!(matches!(rename(odd), Err(UnitsError::BadInput(_))), "{odd}");
    }
    rename("Stint").unwrap();
    let away = |away| {
        let request = bench.request();
        bench
            .engine
            .units
            .put_away(bench.unit, away, request)
            .unwrap();
        let view = bench.engine.views.bench_view().unwrap();
        let names: Vec<String> = view.units.into_iter().map(|unit| unit.nickname).collect();
        (names, view.away.len())
    };
    assert_eq!(away(true), (vec!["Knot".to_owned()], 1));
    assert_eq!(away(false).1, 0);
    assert_eq!(bench.record().nickname, "Stint");
}

/// `U2`: a changed clock does not shorten a wait, over a restart of the bench either.
#[test]
fn a_clock_set_forward_and_back_leaves_the_wait_where_it_is() {
    let mut bench = by_hand();
    let unit = add(&bench, "Bittern", "kelpie");
    let at = now(&bench, unit);
    let first = hours_before(at, 61);
    say(
        &bench,
        unit,
        &[
            (FactKey::Lock, "locked"),
            (FactKey::Toggle, "absent"),
            (FactKey::AskedUpdates, "yes"),
            (FactKey::FirstOnline, &first),
        ],
    );
    let until = BenchTime::from_ms(at.ms() + 107 * HOUR_MS);
    let waits = |bench: &Bench| {
        let standing = standing(bench, unit);
        assert_eq!(standing.verdict, Verdict::WaitUntil { at: until });
        assert!(standing.sentence.contains("107 h"), "{}", standing.sentence);
        bench.engine.views.standing_view(unit).unwrap().clock
    };
    assert_eq!(waits(&bench), None);
    bench.time.set_by_ms.store(200 * HOUR_MS, Ordering::SeqCst);
    let note = waits(&bench).unwrap().text;
    assert!(note.contains("set 200 h forward"), "{note}");
    bench.engine.watch();
    let entries = bench.bench_log();
    assert!(
        entries.last().unwrap().contains("set 200 h forward"),
        "{entries:?}"
    );
    bench.restart();
    assert!(waits(&bench).is_some(), "remembered");
    bench.time.set_by_ms.store(0, Ordering::SeqCst);
    assert_eq!(waits(&bench), None, "set back again");
    // A person's word that it is right shortens nothing either: what people see goes by it from now on.
    bench.time.set_by_ms.store(200 * HOUR_MS, Ordering::SeqCst);
    assert!(waits(&bench).is_some());
    bench.engine.library.trust_clock(bench.request()).unwrap();
    assert_eq!(waits(&bench), None);
    let shown = bench.engine.views.wait_of(unit).unwrap().at;
    assert_eq!(shown.ms(), until.ms() + 200 * HOUR_MS);
    bench.restart();
    assert_eq!(waits(&bench), None, "remembered");
    // What is typed now is told by that clock.
    let said = hours_before(now(&bench, unit).after_ms(200 * HOUR_MS), 61);
    say(&bench, unit, &[(FactKey::FirstOnline, &said)]);
    let Verdict::WaitUntil { at } = standing(&bench, unit).verdict else {
        panic!("it waits");
    };
    assert!(at.ms().abs_diff(until.ms()) < 60_000, "{at:?}, {until:?}");
}

#[test]
fn a_clock_that_was_set_on_a_full_disk_is_told_with_room() {
    let bench = by_hand();
    let told = || {
        let lines = bench.bench_log();
        let of_it = lines.iter().filter(|line| line.contains("forward"));
        of_it.cloned().collect::<Vec<_>>()
    };
    bench.engine.watch();
    bench.time.is_full.store(true, Ordering::SeqCst);
    bench.time.set_by_ms.store(200 * HOUR_MS, Ordering::SeqCst);
    bench.engine.watch();
    assert!(bench.engine.library.trust_clock(bench.request()).is_err());
    let note = || bench.engine.views.bench_view().unwrap().clock;
    assert!(note().is_some(), "what was refused leaves nothing");
    assert_eq!(told(), Vec::<String>::new());
    bench.time.is_full.store(false, Ordering::SeqCst);
    for _ in 0..120 {
        bench
            .engine
            .pen
            .clock()
            .pause(std::time::Duration::from_secs(1));
        bench.engine.watch();
    }
    let lines = told();
    assert_eq!(lines.len(), 1, "once: {lines:?}");
    assert!(lines[0].contains("200 h forward"), "{lines:?}");
    bench.engine.library.trust_clock(bench.request()).unwrap();
    assert_eq!(note(), None);
}

#[test]
fn a_first_time_online_that_lies_ahead_is_doubted() {
    let bench = by_hand();
    let unit = add(&bench, "Bittern", "kelpie");
    let ahead = hours_before(now(&bench, unit), -3);
    say(
        &bench,
        unit,
        &[
            (FactKey::Lock, "locked"),
            (FactKey::Toggle, "absent"),
            (FactKey::AskedUpdates, "yes"),
            (FactKey::FirstOnline, &ahead),
        ],
    );
    let standing = standing(&bench, unit);
    assert_eq!(
        standing.verdict,
        Verdict::NotKnownYet,
        "{}",
        standing.sentence
    );
    let line = standing
        .lines
        .iter()
        .find(|item| item.rule == Rule::U2)
        .unwrap();
    assert!(line.is_unknown(), "{}", line.text);
}

#[test]
fn a_pasted_screen_is_recorded_line_by_line_as_confirmed() {
    let bench = by_hand();
    let unit = add(&bench, "Bittern", "kelpie");
    let text = "Model number: OB-510E\nBuild number OB-510.2610.v6\nEquipment ID: 35604911123456\n";
    let hits = bench.engine.units.read_pasted(unit, text).unwrap();
    let shown: Vec<_> = hits
        .iter()
        .map(|hit| (hit.line, hit.take.allowed))
        .collect();
    assert_eq!(shown, [(1, true), (2, true), (3, false)]);
    let json = serde_json::to_string(&hits).unwrap();
    assert!(!json.contains("35604911123456"), "{json}");
    let known = |key| {
        let view = bench.engine.views.standing_view(unit).unwrap();
        let fact = view.facts.into_iter().find(|fact| fact.line.key == key);
        fact.unwrap().line.rows.first().map(|row| row.shown.clone())
    };
    let refused = bench
        .engine
        .units
        .take_pasted(unit, text, &[1, 3], bench.request());
    assert!(refused.unwrap_err().to_string().contains("line 3"));
    assert_eq!(known(FactKey::ModelCode), None, "all or none");
    bench
        .engine
        .units
        .take_pasted(unit, text, &[1], bench.request())
        .unwrap();
    assert_eq!(known(FactKey::ModelCode).as_deref(), Some("OB-510E"));
    assert_eq!(known(FactKey::Build), None, "not confirmed");
    for (text, wanted) in [
        (" \n", "nothing was pasted"),
        (
            "dear diary",
            "no line of this text begins as lines on screens of Ostrel Bramble S do",
        ),
    ] {
        let error = bench
            .engine
            .units
            .read_pasted(unit, text)
            .unwrap_err()
            .to_string();
        assert!(error.contains(wanted), "{error}");
    }
}

#[test]
fn a_picture_goes_with_a_typed_fact_and_is_known_by_its_digest() {
    let bench = by_hand();
    let unit = add(&bench, "Bittern", "kelpie");
    say(&bench, unit, &[(FactKey::Toggle, "absent")]);
    let fact = |bench: &Bench| {
        let view = bench.engine.views.standing_view(unit).unwrap();
        let toggle = view
            .facts
            .into_iter()
            .find(|f| f.line.key == FactKey::Toggle);
        toggle
            .map(|entry| (entry.undo.unwrap(), entry.picture))
            .unwrap()
    };
    let (id, none) = fact(&bench);
    assert_eq!(none, None);
    let picture = b"\x89PNG\r\n\x1a\nnot much of one";
    let refused = bench
        .engine
        .library
        .put_picture(unit, id, b"GIF89a", bench.request());
    assert!(refused.unwrap_err().to_string().contains("no PNG or JPEG"));
    let nobody = FactId::nil();
    assert!(
        bench
            .engine
            .library
            .put_picture(unit, nobody, picture, bench.request())
            .is_err()
    );
    bench
        .engine
        .library
        .put_picture(unit, id, picture, bench.request())
        .unwrap();
    assert_eq!(fact(&bench), (id, Some(id)));
    let kept = bench.engine.library.picture(unit, id).unwrap();
    assert_eq!(
        (kept.bytes.as_slice(), kept.media_type),
        (&picture[..], "image/png")
    );
    let file = bench.folder.path().join("pictures").join(id.to_string());
    std::fs::write(&file, b"\x89PNG\r\n\x1a\nanother").unwrap();
    let changed = bench
        .engine
        .library
        .picture(unit, id)
        .unwrap_err()
        .to_string();
    assert!(changed.contains("changed since it was kept"), "{changed}");
}

/// `K4`: a second unit of the same model is a stop until the two are told apart.
#[test]
fn units_that_look_alike_stop_until_told_apart() {
    let bench = by_hand();
    let [one, two] = ["Knot", "Dunlin"].map(|name| add(&bench, name, "kelpie"));
    let twin = |unit| {
        let items = standing(&bench, unit).lines;
        items.into_iter().find(|item| item.rule == Rule::K4)
    };
    say(&bench, one, &[(FactKey::ModelCode, "OB-510E")]);
    assert_eq!(twin(one), None);
    say(&bench, two, &[(FactKey::ModelCode, "OB-510E")]);
    let stop = twin(one).unwrap();
    assert!(
        stop.text.contains("Dunlin is of the same model"),
        "{}",
        stop.text
    );
    let Some(Cure::TypeFact { key, .. }) = stop.cure().cloned() else {
        panic!("{stop:?}");
    };
    say(&bench, one, &[(key, "R58N30ABCDE")]);
    assert_eq!(twin(one), None);
    assert!(twin(two).is_some(), "the other one is still anybody");
    // Two that give one identity are a stop for both, until one of them was read again.
    say(&bench, two, &[(key, "R58N30ABCDE")]);
    for unit in [one, two] {
        let stop = twin(unit).unwrap();
        assert!(stop.text.contains("gives an identity"), "{}", stop.text);
    }
    say(&bench, two, &[(key, "R58N30ABCDF")]);
    assert_eq!((twin(one), twin(two)), (None, None));
}

/// `K3`, `K1`, `N5`: what is odd about a fact is said, and nothing is refused for it.
#[test]
fn odd_facts_become_findings() {
    let bench = by_hand();
    let unit = add(&bench, "Plover", "kelpie");
    let found = |rule| {
        let all = standing(&bench, unit).findings;
        all.into_iter().find(|one| one.rule == rule)
    };
    say(
        &bench,
        unit,
        &[
            (FactKey::Build, "TH5.8.3.261104"),
            (FactKey::FastStart, "on"),
        ],
    );
    let build = found(Rule::K1).unwrap();
    assert!(
        build
            .text
            .contains("is not made up as build strings of Ostrel Bramble S"),
        "{}",
        build.text
    );
    assert_eq!(found(Rule::N5).unwrap().level, Level::Doubtful);
    let digits = bench.engine.units.type_facts(
        unit,
        &[(FactKey::EquipmentId, "35604911123456".to_owned())],
        bench.request(),
    );
    let sentence = digits.unwrap_err().to_string();
    assert!(sentence.contains("it has 14 digits"), "{sentence}");
    assert!(!sentence.contains("35604911123456"), "masked: {sentence}");
}

/// A unit that comes back stands on top at the next look.
/// `K5`: what people change is read again of a unit by hand that nobody touched for longer than a day, and of a
/// linked one that was away for as long; not of one that its link had before it all the while.
#[test]
fn out_of_sight_for_a_day_what_people_change_is_read_again() {
    let reading = |bench: &Bench, key| {
        let view = bench.engine.views.standing_view(bench.unit).unwrap();
        let fact = view.facts.into_iter().find(|fact| fact.line.key == key);
        fact.unwrap().line.reading
    };
    let told = [(FactKey::Accounts, "0"), (FactKey::Region, "open")];
    let by_hand = by_hand();
    by_hand.say(&told);
    by_hand.time.later(23 * HOUR_MS);
    assert_eq!(reading(&by_hand, FactKey::Accounts), FactReading::Known);
    by_hand.time.later(2 * HOUR_MS);
    assert_eq!(reading(&by_hand, FactKey::Accounts), FactReading::Stale);
    assert_eq!(reading(&by_hand, FactKey::Region), FactReading::Known);
    // What is said now counts; what was said before it went out of sight still does not.
    by_hand.say(&[(FactKey::ScreenLock, "off")]);
    assert_eq!(reading(&by_hand, FactKey::ScreenLock), FactReading::Known);
    assert_eq!(reading(&by_hand, FactKey::Accounts), FactReading::Stale);

    let linked = linked();
    linked.engine.watch();
    linked.say(&told);
    linked.time.later(30 * HOUR_MS);
    linked.engine.watch();
    assert_eq!(reading(&linked, FactKey::Accounts), FactReading::Known);
    linked.lift();
    linked.engine.watch();
    linked.time.later(30 * HOUR_MS);
    linked.put_back();
    linked.engine.watch();
    assert_eq!(reading(&linked, FactKey::Accounts), FactReading::Stale);
    assert_eq!(
        reading(&linked, FactKey::Lock),
        FactReading::Known,
        "read anew"
    );
}

#[test]
fn a_unit_that_comes_back_stands_on_top() {
    let bench = linked();
    add(&bench, "Avocet", "thimble");
    let top = |bench: &Bench| {
        bench.engine.views.bench_view().unwrap().units[0]
            .nickname
            .clone()
    };
    bench.engine.watch();
    bench.lift();
    bench.engine.watch();
    assert_eq!(top(&bench), "Sanderling", "ready after beats no lock");
    let arrived = |bench: &Bench| bench.engine.views.unit_tag(bench.unit).unwrap().arrived;
    assert_eq!(arrived(&bench), None);
    bench.put_back();
    bench.engine.watch();
    assert!(arrived(&bench).is_some());
    assert_eq!(top(&bench), "Sanderling");
}
