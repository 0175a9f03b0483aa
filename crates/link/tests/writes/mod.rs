//! A permit at the door: for its image, its unit, its epoch, and for nothing else.

use veritope_core::act::{Act, Complete, Erase, Ground, Standpoint, StartImage, WriteImage, list};
use veritope_core::budget::{self, Load, Media, Policy};
use veritope_core::consent::{Consent, told};
use veritope_core::coverage::{
    self, Agreement, BlankBytes, CaptureFacts, CapturedFacts, CopyFacts, CoverageInput, Origin,
    Rest, Taker, VerifiedCopy,
};
use veritope_core::digest::{Claimed, FrameList, Seen};
use veritope_core::dossier::{By, Dossier, ReadBack, Shelved};
use veritope_core::facts::{FactKey, FactRow, FactValue, Facts, Source};
use veritope_core::family::{self, Family};
use veritope_core::keepsafe::Kept;
use veritope_core::mode::Mode;
use veritope_core::partitions::OwnPartition;
use veritope_core::state::Presence;
use veritope_core::steady::Taken;
use veritope_formats::startimage::build_start_image;
use veritope_link::{DeviceLink, LinkError, NotNow, Permit, readings};
use veritope_standin::{Birth, LockState, Setting};
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::{DeviceState, Operation};
use veritope_wire::{BenchTime, Digest, Label, Stamp, UnitId, WallTime};

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

/// Everything that is asked for is there for `act` with what is attached now, which sends `image`.
fn complete(link: &DeviceLink, act: &Act, image: Option<&[u8]>) -> Complete {
    let family = gimbal();
    let state = link.look().unwrap();
    let mut rows = rows(&state);
    for (key, value) in [
        (FactKey::Accounts, "0"),
        (FactKey::ScreenLock, "off"),
        (FactKey::WorksWaived, "waived"),
    ] {
        let said = FactRow {
            key,
            value: FactValue::parse(key, value).unwrap(),
            source: Source::Person,
            ..rows[0].clone()
        };
        rows.push(said);
    }
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
        by_hand: false,
        policy: &policy,
        system_ran: None,
        now: now(),
    });
    let battery = budget::battery(Load::default(), &facts, &family, &policy, now());
    let seen = Seen::of(image.unwrap_or(b""));
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
    let keep_safe = family
        .keep_safe
        .iter()
        .map(|class| (*class, Kept::Waived { at: now() }))
        .collect();
    let of = Dossier {
        unit: unit(),
        nickname: "Sanderling",
        live: Some(&facts),
        by: By {
            link: Presence::Here,
            token: Presence::Missing,
        },
        keep_safe: &keep_safe,
        battery: Some(&battery),
        captures: std::slice::from_ref(&capture),
        coverage: Some(&coverage),
        read_back: ReadBack {
            copies: Some(&verified),
            away: &[],
            needed: 2,
        },
        recovery: Some(Shelved {
            seen: Some(&seen),
            known_by: Some(seen.digest()),
            ..Shelved::default()
        }),
        ..Dossier::new(&family, &facts, now())
    };
    let consents: Vec<Consent> = act
        .costs(&of)
        .and_then(|costs| {
            Some(Consent {
                stage: costs.stage?,
                typed: "Sanderling".to_owned(),
                told: told(&costs.consequences),
                at: now(),
            })
        })
        .into_iter()
        .collect();
    let of = Dossier {
        consents: &consents,
        ..of
    };
    let list = list(act, Ground::plain(&of), Standpoint::now(&of));
    list.close(image.map(Digest::of)).unwrap()
}

fn unit() -> UnitId {
    "0192f0c1-2345-7abc-8def-0123456789ab".parse().unwrap()
}

/// Leave for what a list closed for, with nothing to write down.
fn permitted(link: &DeviceLink, complete: Complete) -> Result<Permit, NotNow<std::io::Error>> {
    link.permit(complete, now(), |_| Ok(()))
}

/// Leave for writing `image` onto the recovery of what is attached now.
fn permit(link: &DeviceLink, image: &[u8]) -> Permit {
    let label = "recovery".parse().unwrap();
    let written = Some(Digest::of(image));
    let act = WriteImage {
        label,
        image: written,
    };
    permitted(link, complete(link, &act.into(), Some(image))).unwrap()
}

/// Starts `image` from the memory of what is attached now.
pub(crate) fn start(link: &DeviceLink, image: &[u8]) -> Operation {
    let digest = Some(Digest::of(image));
    let act = StartImage { image: digest };
    let permit = permitted(link, complete(link, &act.into(), Some(image))).unwrap();
    link.start(permit, image).unwrap()
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
        .open(permit(&link, &image), FrameList::of(&image))
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
    let refused = link.open(permit(&link, &image), FrameList::of(&other));
    assert!(
        matches!(refused, Err(LinkError::WrongPermit(_))),
        "another image"
    );
    let open = link
        .open(permit(&link, &image), FrameList::of(&image))
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
    let before = written(&table);
    // Nothing is sent as it is opened; each frame looks once more, and not one goes.
    let open = link.open(stale, FrameList::of(&image)).unwrap();
    let refused = open.put(0, frames(&image)[0]).unwrap_err();
    assert!(
        matches!(refused, LinkError::StalePermit { .. }),
        "{refused}"
    );

    let open = link
        .open(permit(&link, &image), FrameList::of(&image))
        .unwrap();
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

/// What the device answers itself decides, whatever was judged a moment before, and nothing is written down
/// as meant that is not done.
#[test]
fn the_door_asks_the_device_and_only_then_lets_it_be_written_down() {
    let (table, link, image) = ready();
    let label = "recovery".parse().unwrap();
    let digest = Some(Digest::of(&image));
    let act: Act = WriteImage {
        label,
        image: digest,
    }
    .into();
    let judged = || complete(&link, &act, Some(&image));
    let meant = std::cell::Cell::new(0);
    let ask = |complete, now| {
        link.permit(complete, now, |_| {
            meant.set(meant.get() + 1);
            Ok::<(), std::io::Error>(())
        })
    };
    let late = now().after_ms(11 * 60_000);
    let refused = ask(judged(), late);
    assert!(
        matches!(refused, Err(NotNow::Link(LinkError::TooLate))),
        "{refused:?}"
    );
    let in_bootloader = judged();
    table.go(&link, Mode::System);
    let refused = ask(in_bootloader, now());
    assert!(
        matches!(refused, Err(NotNow::Link(LinkError::NotAsJudged(_)))),
        "{refused:?}"
    );
    assert_eq!(meant.get(), 0);
    table.go(&link, Mode::Bootloader);
    let unwritten = link.permit(judged(), now(), |_| {
        Err(std::io::Error::other("the disk is full"))
    });
    assert!(matches!(unwritten, Err(NotNow::Intent(_))), "{unwritten:?}");
    assert!(ask(judged(), now()).is_ok());
    assert_eq!(meant.get(), 1);
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
    let open = link.open(mine, FrameList::of(&image)).unwrap();
    let refused = open.put(0, frames(&image)[0]).unwrap_err();
    let is_refused = matches!(
        refused,
        LinkError::StalePermit { .. } | LinkError::AnotherUnit { .. }
    );
    assert!(is_refused, "{refused}");
    drop(open);
    assert!(written(&table) == before, "it keeps its own bytes");
}

/// What a permit names is what is sent: one kind is not spent as another, nor with other bytes.
#[test]
fn a_permit_is_spent_for_what_it_was_given_for() {
    let (table, link, image) = ready();
    let way = "bootloader-command".to_owned();
    let erase: Act = Erase { way }.into();
    let leave = || permitted(&link, complete(&link, &erase, None)).unwrap();
    let wrong = |refused: Result<Operation, LinkError>| {
        assert!(
            matches!(refused, Err(LinkError::WrongPermit(_))),
            "{refused:?}"
        );
    };
    let before = written(&table);
    assert!(link.open(leave(), FrameList::of(&image)).is_err());
    wrong(link.start(leave(), &image));
    wrong(link.perform(permit(&link, &image), None));
    let digest = Some(Digest::of(&image));
    let memory: Act = StartImage { image: digest }.into();
    let memory = || permitted(&link, complete(&link, &memory, Some(&image))).unwrap();
    wrong(link.start(memory(), b"other bytes"));
    wrong(link.perform(memory(), None));
    assert!(written(&table) == before);
    link.perform(leave(), None).unwrap();
}

/// A list that closed for hands, or for another unit, opens no door.
#[test]
fn what_is_for_hands_or_for_another_unit_is_not_permitted() {
    let (table, link, image) = ready();
    let way = "recovery-menu".to_owned();
    let menu: Act = Erase { way }.into();
    table.go(&link, Mode::StockRecovery);
    let by_hand = permitted(&link, complete(&link, &menu, None));
    assert!(
        matches!(by_hand, Err(NotNow::Link(LinkError::WrongPermit(_)))),
        "{by_hand:?}"
    );
    table.go(&link, Mode::System);
    table.go(&link, Mode::Bootloader);
    let label = "recovery".parse().unwrap();
    let written = Some(Digest::of(&image));
    let act: Act = WriteImage {
        label,
        image: written,
    }
    .into();
    let handle = veritope_wire::link::Handle("dock-1".to_owned());
    let other = DeviceLink::new(table.transport(), handle, UnitId::nil());
    let refused = permitted(&other, complete(&link, &act, Some(&image)));
    assert!(
        matches!(refused, Err(NotNow::Link(LinkError::WrongPermit(_)))),
        "{refused:?}"
    );
}
