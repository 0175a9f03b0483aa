//! What was seen of a file, as the values that are judged. Nothing is judged here.

use veritope_core::matching::{About, Form, Piece, Reach, Said, Speaker, Starts, Told};
use veritope_formats::look::{
    Archive, Container, Descriptor, DeviceTree, Inside, Looked, Properties, Ramdisk, StartImage,
    Trouble, Verification, Weight, What,
};
use veritope_formats::make::is_off;

/// What a file says of itself.
pub(crate) fn told(looked: &Looked) -> Told {
    let mut told = Told {
        bytes: looked.bytes,
        image_bytes: looked.bytes,
        has_footer: looked.footer.is_some(),
        form: form(&looked.what),
        shown: looked.headline(),
        troubles: troubles(looked),
        inside: looked.inside.iter().map(|one| piece(looked, one)).collect(),
        ..Told::default()
    };
    match &looked.what {
        What::StartImage(image) => start(image, &mut told),
        What::VendorStartImage(image) => {
            let disks = image.ramdisks.iter().filter(|one| one.role == "recovery");
            for disk in disks.filter_map(|one| one.ramdisk.as_ref()) {
                properties(&disk.properties, &mut told);
            }
            for tree in &image.device_trees {
                from_tree(tree, &mut told);
            }
        }
        What::Archive(archive) => package(archive, &mut told),
        What::Payload(payload) => {
            told.members = payload
                .partitions
                .iter()
                .map(|one| one.name.clone())
                .collect();
            told.touches = Some(told.members.clone());
            let month = payload.security_patch.as_deref();
            told.said
                .extend(month.map(|value| said(About::Patch, month_of(value), Speaker::Metadata)));
        }
        What::Ramdisk(disk) => properties(&disk.properties, &mut told),
        What::Properties(one) => properties(std::slice::from_ref(one), &mut told),
        _ => {}
    }
    if let Some(signed) = &looked.footer {
        footer(signed, &mut told);
    }
    told
}

fn said(about: About, value: impl Into<String>, by: Speaker) -> Said {
    Said {
        about,
        value: value.into(),
        by,
    }
}

fn form(what: &What) -> Form {
    match what {
        What::StartImage(_) => Form::Start,
        What::VendorStartImage(_) => Form::VendorStart,
        What::Verification(one) => Form::Verification {
            is_off: is_off(one.flags),
        },
        What::Sparse(_) => Form::Sparse,
        What::Packed { .. } => Form::Packed,
        What::Payload(one) => Form::Payload {
            is_incremental: one.incremental,
        },
        What::Archive(archive) => match archive.container {
            _ if archive.script.is_some() || archive.metadata.is_some() => Form::Package,
            Container::Tar => Form::Tar,
            Container::Zip => Form::Archive,
        },
        _ => Form::Other,
    }
}

/// What is wrong with it, here and in whatever lies inside: nothing may rest on that. What was not looked at
/// is no better where it is the whole.
fn troubles(looked: &Looked) -> Vec<String> {
    // What it is meant to be, rather than what happened to it.
    let is_own = |trouble| {
        matches!(
            trouble,
            Trouble::NotSigned
                | Trouble::VerificationOff
                | Trouble::StepDown
                | Trouble::BaseNeeded
                | Trouble::TouchesUnknown
                | Trouble::SetOnPurpose
                | Trouble::NoKernel
                | Trouble::NoRamdisk
                | Trouble::Trailing
        )
    };
    // Metadata whose switches are set on purpose is held against nothing, its signature neither.
    let is_off = form(&looked.what) == Form::Verification { is_off: true };
    let is_meant = |trouble| is_own(trouble) || is_off && trouble == Trouble::SignatureWrong;
    let own = looked
        .findings
        .iter()
        .filter(|one| one.weight > Weight::Note && !is_meant(one.trouble))
        .map(|one| one.says.clone());
    let inside = looked.inside.iter().flat_map(|one| {
        let troubles = troubles(&one.looked).into_iter();
        troubles.map(|says| format!("{}: {says}", one.name))
    });
    own.chain(inside).collect()
}

/// What marks a member of which only the beginning was seen.
const BEGINNING: &str = ", its beginning";

fn piece(of: &Looked, inside: &Inside) -> Piece {
    let name = inside.name.strip_suffix(BEGINNING).unwrap_or(&inside.name);
    Piece {
        is_whole: name.len() == inside.name.len(),
        reach: match &of.what {
            What::Archive(_) => Reach::Member(name.to_owned()),
            What::Sparse(_) => Reach::Expanded,
            What::Payload(_) => Reach::Partition(name.to_owned()),
            _ => Reach::Unpacked,
        },
        told: told(&inside.looked),
    }
}

fn start(image: &StartImage, told: &mut Told) {
    let disk = image.ramdisk.as_ref();
    let holds = |what: &str| disk.is_some_and(|disk| disk.holds.iter().any(|one| one == what));
    told.starts = Some(Starts {
        kernel: image.kernel_bytes > 0,
        ramdisk: disk.is_some(),
        recovery: holds("recovery"),
        released: disk.is_some_and(says_released),
    });
    if let Some(disk) = disk {
        properties(&disk.properties, told);
    }
    if !image.name.is_empty() {
        told.said
            .push(said(About::Device, image.name.as_str(), Speaker::Head));
    }
    let month = image.claims_patch_month.as_deref();
    told.said
        .extend(month.map(|value| said(About::Patch, value, Speaker::Head)));
    for tree in &image.device_trees {
        from_tree(tree, told);
    }
}

fn says_released(disk: &Ramdisk) -> bool {
    disk.properties.iter().any(Properties::says_released)
}

fn properties(all: &[Properties], told: &mut Told) {
    for one in all {
        let fields = [
            (About::Device, &one.device),
            (About::Product, &one.product),
            (About::Model, &one.model),
            (About::Build, &one.build),
            (About::Generation, &one.version),
        ];
        for (about, value) in fields {
            told.said.extend(
                value
                    .as_deref()
                    .map(|value| said(about, value, Speaker::Properties)),
            );
        }
        let month = one.security_patch.as_deref().map(month_of);
        told.said
            .extend(month.map(|value| said(About::Patch, value, Speaker::Properties)));
        // What it says a second time, otherwise.
        for (key, value) in &one.contradicted {
            let about = match key.rsplit('.').next() {
                Some("device") => About::Device,
                Some("model") => About::Model,
                _ => continue,
            };
            told.said
                .push(said(about, value.as_str(), Speaker::Properties));
        }
    }
}

/// `2026-09` of `2026-09-05`.
fn month_of(day: &str) -> String {
    day.chars().take(7).collect()
}

/// A tree's root says `maker,board`.
fn from_tree(tree: &DeviceTree, told: &mut Told) {
    let first = tree.compatible.first();
    let board = first.map(|one| one.split_once(',').map_or(one.as_str(), |(_, board)| board));
    told.said
        .extend(board.map(|value| said(About::Device, value, Speaker::Tree)));
}

fn footer(signed: &Verification, told: &mut Told) {
    for descriptor in &signed.descriptors {
        match descriptor {
            Descriptor::Hash {
                partition,
                image_bytes,
                ..
            } => {
                told.image_bytes = *image_bytes;
                told.said
                    .push(said(About::Partition, partition.as_str(), Speaker::Footer));
            }
            Descriptor::Property { key, value } => {
                let about = match key.rsplit('.').next() {
                    Some("device") => About::Device,
                    Some("model") => About::Model,
                    _ => continue,
                };
                told.said.push(said(about, value.as_str(), Speaker::Footer));
            }
            _ => {}
        }
    }
}

fn package(archive: &Archive, told: &mut Told) {
    told.members = archive.members.iter().map(|one| one.name.clone()).collect();
    if let Some(metadata) = &archive.metadata {
        let devices = metadata.devices.iter();
        told.said
            .extend(devices.map(|one| said(About::Device, one.as_str(), Speaker::Metadata)));
        let build = metadata.post_build.as_deref();
        told.said
            .extend(build.map(|value| said(About::Build, value, Speaker::Metadata)));
        let month = metadata.security_patch.as_deref().map(month_of);
        told.said
            .extend(month.map(|value| said(About::Patch, value, Speaker::Metadata)));
    }
    if let Some(script) = &archive.script {
        let devices = script.devices.iter();
        told.said
            .extend(devices.map(|one| said(About::Device, one.as_str(), Speaker::Script)));
        if script.does_something {
            let writes = script.writes.iter().chain(&script.erased);
            let mut touches: Vec<String> = writes.cloned().collect();
            touches.extend(archive.transfers.iter().map(|one| one.partition.clone()));
            touches.sort();
            touches.dedup();
            told.touches = Some(touches);
        }
    }
}
