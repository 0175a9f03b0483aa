//! A permit at the door: for its image, its unit, its epoch, and for nothing else.

use veritope_core::budget::{self, Media, Policy};
use veritope_core::coverage::{
    self, Agreement, BlankBytes, CaptureFacts, CapturedFacts, CopyFacts, CoverageInput, Origin,
    Rest, Taker, VerifiedCopy,
};
use veritope_core::digest::{Claimed, FrameList, Seen};
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Source};
use veritope_core::family::{self, Family, Role, WipeSpec};
use veritope_core::keepsafe::Kept;
use veritope_core::mode::Mode;
use veritope_core::partitions::OwnPartition;
use veritope_core::plan::{Goal, Presence, State, Ways, find};
use veritope_core::seal::{
    self, Consent, LinkWitness, Permit, ReadBack, WipeEvidence, WriteEvidence, mint_wipe,
    mint_write,
};
use veritope_core::steady::Taken;
use veritope_formats::startimage::build_start_image;
use veritope_link::{DeviceLink, LinkError, readings};
use veritope_standin::{Birth, LockState, Setting};
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::DeviceState;
use veritope_wire::{BenchTime, Digest, Label, Stamp, WallTime};

use crate::{Table, table};

fn gimbal() -> Family {
    let text = include_str!("../../../../families/gimbal.toml");
    family::load("gimbal.toml", text).unwrap()
}

fn now() -> BenchTime {
    BenchTime::from_ms(1_795_500_000_000)
}

fn rows(state: &DeviceState) -> Vec<FactRow> {
    let mut rows: Vec<FactRow> = readings(state)
        .into_iter()
        .zip(1u32..)
        .map(|((key, value), n)| FactRow {
            id: format!("00000000-0000-7000-8000-{n:012}").parse().unwrap(),
            key,
            value,
            source: Source::Link,
            at: now(),
        })
        .collect();
    rows.push(FactRow {
        id: "00000000-0000-7000-8000-000000000099".parse().unwrap(),
        key: FactKey::Ownership,
        value: FactValue::parse(FactKey::Ownership, "mine").unwrap(),
        source: Source::Person,
        at: now(),
    });
    rows
}

/// A complete set of evidence for writing `image` onto the recovery of what is attached now.
fn permit(link: &DeviceLink, image: &[u8]) -> Permit {
    let family = gimbal();
    let state = link.look().unwrap();
    let rows = rows(&state);
    let facts = Facts::new(&rows, &[], []);
    let label = |text: &str| text.parse::<Label>().unwrap();
    let own: Vec<OwnPartition> = ["recovery", "persist", "modemst1"]
        .map(|name| OwnPartition {
            label: label(name),
            number: 1,
            offset_bytes: 0,
            length_bytes: u64::from(family.partition(&label(name)).unwrap().mib) << 20,
        })
        .into();
    let capture = CaptureFacts {
        id: "00000000-0000-7000-8000-000000000001".parse().unwrap(),
        taken: Taken::here(Stamp {
            wall: WallTime::nearest_ms(now().ms()),
            bench: now(),
        }),
        manifest: Digest::of(b"manifest"),
        origin: Origin::Read,
        rest: Rest::AtRest,
        taker: Taker::Us,
        list: None,
        build: None,
        partitions: own
            .iter()
            .map(|own| CapturedFacts {
                label: own.label.clone(),
                length_bytes: own.length_bytes,
                blake3: Digest::of(own.label.as_str().as_bytes()),
                agreement: Agreement::Twice,
                blank: BlankBytes::No,
                inside: None,
                is_unique: true,
            })
            .collect(),
    };
    let place = |n: u32| format!("00000000-0000-7000-9000-{n:012}").parse().unwrap();
    let copies: Vec<CopyFacts> = [1, 2]
        .map(|n| CopyFacts {
            capture: capture.id,
            place: place(n),
            name: n.to_string(),
            medium: Some("disk".to_owned()),
            verified: Some(now()),
            damaged: Vec::new(),
        })
        .into();
    let policy = Policy {
        media: Media::Any,
        ..Policy::usual()
    };
    let coverage = coverage::judge(&CoverageInput {
        family: &family,
        own: &own,
        captures: std::slice::from_ref(&capture),
        copies: &copies,
        written: &[],
        first_write: None,
        policy: &policy,
        system_ran: None,
        now: now(),
    });
    let ways = Ways {
        link: Presence::Here,
        image: Presence::Here,
    };
    let sheet = find(&family, State::from_facts(&facts), Goal::KeepRecovery, ways).unwrap();
    let battery = budget::battery(&sheet, &facts, &family, &policy, now());
    let seen = Seen::of(image);
    let verified: Vec<VerifiedCopy> = ["persist", "modemst1"]
        .into_iter()
        .flat_map(|name| [(name, place(1)), (name, place(2))])
        .map(|(name, place)| {
            let bytes = name.as_bytes();
            let claim = Claimed(Digest::of(bytes));
            #[expect(
                clippy::disallowed_methods,
                reason = "a copy as the judgement sees one"
            )]
            VerifiedCopy::read_back(label(name), place, Seen::of(bytes), claim, now()).unwrap()
        })
        .collect();
    let recovery = label("recovery");
    let evidence = WriteEvidence {
        family: &family,
        facts: &facts,
        label: Some(&recovery),
        findings: &[],
        seen: Some(&seen),
        published: Some(Claimed(seen.digest())),
        coverage: &coverage,
        battery: &battery,
        torn: &[],
        read_back: ReadBack {
            copies: &verified,
            away: &[],
            needed: 2,
        },
        now: now(),
    };
    let witness = LinkWitness {
        unit: "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap(),
        live: &facts,
        epoch: state.epoch,
    };
    mint_write(&evidence, &witness).unwrap()
}

/// A watch in bootloader mode, a link to it, an image of two frames.
fn ready() -> (Table, DeviceLink, Vec<u8>) {
    let table = table(LockState::Unlocked);
    let link = table.link();
    table.go(&link, Mode::Bootloader);
    let image = build_start_image("gimbal", "recovery", "3.2.0", &vec![7; 5 << 20]);
    (table, link, image)
}

fn frames(image: &[u8]) -> Vec<&[u8]> {
    image.chunks(4 << 20).collect()
}

/// What lies on the recovery partition, read past all links.
fn written(table: &Table) -> Vec<u8> {
    table
        .bridge
        .with("dock-1", |device| Ok(device.storage().length_bytes()))
        .and_then(|length| {
            table.bridge.with("dock-1", |device| {
                let mut bytes = vec![0; usize::try_from(length).unwrap()];
                device.storage().read_at(0, &mut bytes).unwrap();
                Ok(bytes)
            })
        })
        .unwrap()
}

#[test]
fn a_permit_opens_for_its_image_frame_by_frame() {
    let (table, link, image) = ready();
    let open = link
        .open_write(permit(&link, &image), FrameList::of(&image))
        .unwrap();
    for (frame, n) in frames(&image).into_iter().zip(0u64..) {
        open.put(n, frame).unwrap();
    }
    drop(open);
    link.restart(Mode::CustomRecovery, link.look().unwrap().epoch)
        .unwrap();
    table.clock.pass(12);
    assert_eq!(link.look().unwrap().facts["mode"], "custom-recovery");
}

#[test]
fn other_bytes_go_no_further_than_the_door() {
    let (table, link, image) = ready();
    let before = written(&table);
    let mut other = image.clone();
    other[5_000_000] ^= 1;
    let refused = link.open_write(permit(&link, &image), FrameList::of(&other));
    assert!(
        matches!(refused, Err(LinkError::WrongPermit(_))),
        "another image"
    );
    let open = link
        .open_write(permit(&link, &image), FrameList::of(&image))
        .unwrap();
    for (n, bytes) in [
        (0, frames(&other)[1]),
        (1, frames(&other)[1]),
        (1, frames(&image)[0]),
        (2, frames(&image)[1]),
        (0, &frames(&image)[0][1..]),
        (0, &[][..]),
    ] {
        assert!(
            matches!(open.put(n, bytes), Err(LinkError::WrongPermit(_))),
            "frame {n}"
        );
    }
    drop(open);
    assert!(written(&table) == before, "nothing was sent");
}

#[test]
fn a_permit_does_not_outlive_a_mode_change_or_a_reconnect() {
    let (table, link, image) = ready();
    let stale = permit(&link, &image);
    table.go(&link, Mode::System);
    table.go(&link, Mode::Bootloader);
    let refused = link.open_write(stale, FrameList::of(&image));
    assert!(
        matches!(refused, Err(LinkError::StalePermit { .. })),
        "{refused:?}"
    );

    // Opened before, used after: each frame looks once more, and not one goes.
    let open = link
        .open_write(permit(&link, &image), FrameList::of(&image))
        .unwrap();
    let before = written(&table);
    for to in [CablePlace::Out, CablePlace::In] {
        table
            .bridge
            .with("dock-1", |device| device.body(&BodyAct::Cable { to }))
            .unwrap();
    }
    let refused = open.put(0, frames(&image)[0]).unwrap_err();
    assert!(
        matches!(refused, LinkError::StalePermit { .. }),
        "{refused}"
    );
    drop(open);
    assert!(written(&table) == before);
}

#[test]
fn a_permit_is_no_good_for_the_unit_that_was_swapped_in() {
    let (table, link, image) = ready();
    let other = Birth {
        handle: "dock-2".to_owned(),
        seed: 9,
        serial: "FL1-211130-0417".to_owned(),
        chip_id: "9a:77:01:31:b8:0d".to_owned(),
        lock: LockState::Unlocked,
        debugging: Setting::On,
        battery_percent: 81,
        cable: CablePlace::In,
    };
    table.bridge.add(crate::device(&other, &table.clock));
    let mine = permit(&link, &image);
    table.bridge.swap("dock-1", "dock-2").unwrap();
    let before = written(&table);
    let refused = link.open_write(mine, FrameList::of(&image));
    let is_refused = matches!(
        refused,
        Err(LinkError::StalePermit { .. } | LinkError::AnotherUnit { .. })
    );
    assert!(is_refused, "{refused:?}");
    assert!(written(&table) == before, "it keeps its own bytes");
}

/// Leave for the erase `way` of what is attached now: the owner's data is waived, and the name was typed.
fn erase_permit(link: &DeviceLink, family: &Family, wipe: &WipeSpec) -> Permit {
    let state = link.look().unwrap();
    let mut rows = rows(&state);
    for (key, value) in [(FactKey::Accounts, "0"), (FactKey::ScreenLock, "off")] {
        let said = FactRow {
            key,
            value: FactValue::parse(key, value).unwrap(),
            source: Source::Person,
            ..rows[0].clone()
        };
        rows.push(said);
    }
    let facts = Facts::new(&rows, &[], []);
    let keep_safe = family
        .keep_safe
        .iter()
        .map(|class| (*class, Kept::Waived { at: now() }))
        .collect();
    let ways = Ways {
        link: Presence::Here,
        image: Presence::Here,
    };
    let sheet = find(family, State::from_facts(&facts), Goal::Erase, ways).unwrap();
    let battery = budget::battery(&sheet, &facts, family, &Policy::usual(), now());
    let consent = Consent {
        stage: seal::wipe_stage(&wipe.id),
        typed: "Sanderling".to_owned(),
        told: seal::told(&seal::wipe_consequences(wipe)),
        at: now(),
    };
    let evidence = WipeEvidence {
        family,
        nickname: "Sanderling",
        facts: &facts,
        wipe,
        keep_safe: &keep_safe,
        torn: &[],
        battery: &battery,
        consent: Some(&consent),
        twin: None,
    };
    let witness = LinkWitness {
        unit: "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap(),
        live: &facts,
        epoch: state.epoch,
    };
    mint_wipe(&evidence, &witness).unwrap()
}

/// What a permit names is what is sent: leave to erase by one way sends nothing of another.
#[test]
fn a_permit_for_one_erase_is_none_for_another() {
    let (_table, link, _) = ready();
    let family = gimbal();
    let named = |id: &str| family.wipe(id).unwrap();
    let (command, menu) = (named("bootloader-command"), named("recovery-menu"));
    let refused = link.erase(erase_permit(&link, &family, command), menu);
    assert!(
        matches!(refused, Err(LinkError::WrongPermit(_))),
        "{refused:?}"
    );
    let more = WipeSpec {
        erases: vec![Role::UserData, Role::DeviceUnique],
        ..command.clone()
    };
    let refused = link.erase(erase_permit(&link, &family, command), &more);
    assert!(
        matches!(refused, Err(LinkError::WrongPermit(_))),
        "{refused:?}"
    );
    link.erase(erase_permit(&link, &family, command), command)
        .unwrap();
}
