//! What the simulated makers sign: verification metadata over each image of a build, and what a locked
//! device makes of it at its start. The layout is the one that phones share ([the formats'
//! page](../../docs/platform-formats.md)); the keys are for simulated devices only.

use std::io;

use ring::digest::{Context, SHA256, digest};
use ring::rand::SystemRandom;
use ring::signature::{KeyPair, RSA_PKCS1_SHA256, RsaKeyPair};
use veritope_formats::look::{Bytes, Descriptor, Limits, Verification, What, look};

/// The key with which the maker of `codename` signs; none where its devices check nothing of the kind.
fn key(codename: &str) -> Option<&'static [u8]> {
    Some(match codename {
        "saltern" => include_bytes!("../keys/saltern.der"),
        "kelpie" => include_bytes!("../keys/kelpie.der"),
        "cinder" => include_bytes!("../keys/cinder.der"),
        "halyard" => include_bytes!("../keys/halyard.der"),
        "halyard-system" => include_bytes!("../keys/halyard-system.der"),
        "halyard-vendor" => include_bytes!("../keys/halyard-vendor.der"),
        _ => return None,
    })
}

fn pair(codename: &str) -> Option<RsaKeyPair> {
    RsaKeyPair::from_pkcs8(key(codename)?).ok()
}

/// Whether devices of `codename` start, while locked, what metadata vouches for and nothing else.
pub(crate) fn is_checked(codename: &str) -> bool {
    key(codename).is_some()
}

/// Whether metadata has both of its switches set, so that nothing is checked by it.
pub(crate) fn is_switched_off(bytes: &dyn Bytes) -> bool {
    match look(bytes, "", Limits::default()).what {
        What::Verification(one) => veritope_formats::make::is_off(one.flags),
        _ => false,
    }
}

/// SHA-256 of all of `bytes` behind `salt`.
fn salted(salt: &[u8], bytes: &dyn Bytes) -> io::Result<[u8; 32]> {
    let mut hash = Context::new(&SHA256);
    hash.update(salt);
    let mut piece = vec![0; 1 << 20];
    let mut at = 0;
    while at < bytes.length() {
        let left = usize::try_from(bytes.length() - at).unwrap_or(usize::MAX);
        let length = left.min(piece.len());
        bytes.read_exact_at(at, &mut piece[..length])?;
        hash.update(&piece[..length]);
        at += length as u64;
    }
    let mut value = [0; 32];
    value.copy_from_slice(hash.finish().as_ref());
    Ok(value)
}

/// Salt of a partition's digest: the same for each unit, so that all units of a build are signed alike.
fn salt(label: &str, build: &str) -> Vec<u8> {
    digest(&SHA256, format!("{build} {label}").as_bytes())
        .as_ref()
        .to_vec()
}

/// A descriptor of a partition by the digest of its image.
pub(crate) fn describe(label: &str, build: &str, image: &dyn Bytes) -> io::Result<Vec<u8>> {
    let salt = salt(label, build);
    let value = salted(&salt, image)?;
    let mut body = vec![0; 116];
    body[..8].copy_from_slice(&image.length().to_be_bytes());
    body[8..14].copy_from_slice(b"sha256");
    for (at, part) in [(40, label.as_bytes()), (44, &salt), (48, &value)] {
        let length = u32::try_from(part.len()).unwrap_or(u32::MAX);
        body[at..at + 4].copy_from_slice(&length.to_be_bytes());
    }
    body.extend_from_slice(label.as_bytes());
    body.extend_from_slice(&salt);
    body.extend_from_slice(&value);
    Ok(descriptor(2, body))
}

/// A descriptor that leaves the metadata in a partition to a key of its own, by that key's name.
pub(crate) fn delegate(label: &str, location: u32, key: &str) -> io::Result<Vec<u8>> {
    let no = || io::Error::other(format!("there is no key {key}"));
    let key = key_blob(&pair(key).ok_or_else(no)?);
    let number = |value: usize| u32::try_from(value).unwrap_or(u32::MAX).to_be_bytes();
    let mut body = vec![0; 76];
    body[..4].copy_from_slice(&location.to_be_bytes());
    body[4..8].copy_from_slice(&number(label.len()));
    body[8..12].copy_from_slice(&number(key.len()));
    body.extend_from_slice(label.as_bytes());
    body.extend_from_slice(&key);
    Ok(descriptor(4, body))
}

fn descriptor(kind: u64, mut body: Vec<u8>) -> Vec<u8> {
    body.resize(body.len().next_multiple_of(8), 0);
    let mut bytes = kind.to_be_bytes().to_vec();
    bytes.extend_from_slice(&(body.len() as u64).to_be_bytes());
    bytes.extend_from_slice(&body);
    bytes
}

/// Metadata over `descriptors`, with the index of its build, signed by the maker of `codename`, or by the
/// key of that name.
pub(crate) fn metadata(codename: &str, index: u64, descriptors: &[u8]) -> io::Result<Vec<u8>> {
    let no = || io::Error::other(format!("the maker of {codename} has no key"));
    let pair = pair(codename).ok_or_else(no)?;
    let key = key_blob(&pair);
    let told_bytes = (descriptors.len() + key.len()).next_multiple_of(64);
    let signature_bytes = pair.public().modulus_len();
    let signed_bytes = (32 + signature_bytes).next_multiple_of(64);
    let mut head = vec![0; 256];
    head[..4].copy_from_slice(&[0x41, 0x56, 0x42, 0x30]);
    head[7] = 1;
    for (at, value) in [
        (12, signed_bytes),
        (20, told_bytes),
        (40, 32),
        (48, 32),
        (56, signature_bytes),
        (64, descriptors.len()),
        (72, key.len()),
        (104, descriptors.len()),
    ] {
        head[at..at + 8].copy_from_slice(&(value as u64).to_be_bytes());
    }
    // SHA-256 with RSA 2048.
    head[31] = 1;
    head[112..120].copy_from_slice(&index.to_be_bytes());
    head[128..144].copy_from_slice(b"simulated maker\0");
    let mut told = descriptors.to_vec();
    told.extend_from_slice(&key);
    told.resize(told_bytes, 0);
    let message = [head.as_slice(), &told].concat();
    let mut signed = digest(&SHA256, &message).as_ref().to_vec();
    let mut signature = vec![0; signature_bytes];
    pair.sign(
        &RSA_PKCS1_SHA256,
        &SystemRandom::new(),
        &message,
        &mut signature,
    )
    .map_err(|_| io::Error::other("the maker's key does not sign"))?;
    signed.extend_from_slice(&signature);
    signed.resize(signed_bytes, 0);
    Ok([head, signed, told].concat())
}

/// The public key as metadata carries it: bits, a number, the modulus, a number. A verifier needs the
/// modulus; the two numbers are shortcuts of small devices, and zero here.
fn key_blob(pair: &RsaKeyPair) -> Vec<u8> {
    let public = pair.public_key().as_ref();
    // The modulus lies in a sequence of two numbers; it is 2048 bits long.
    let bytes = pair.public().modulus_len();
    let at = public.len() - bytes - 5;
    let mut blob = u32::try_from(bytes * 8).unwrap_or(0).to_be_bytes().to_vec();
    blob.extend_from_slice(&[0; 4]);
    blob.extend_from_slice(&public[at..at + bytes]);
    blob.resize(blob.len() + bytes, 0);
    blob
}

/// What the metadata says, where it is whole and signed by the maker of `codename`.
pub(crate) fn read(codename: &str, image: &dyn Bytes) -> Option<Verification> {
    let What::Verification(metadata) = look(image, "", Limits::default()).what else {
        return None;
    };
    let own = hex::encode(digest(&SHA256, &key_blob(&pair(codename)?)));
    let is_the_makers = metadata.signature_holds == Some(true) && metadata.key_sha256 == Some(own);
    (is_the_makers && metadata.flags & 3 == 0).then_some(*metadata)
}

/// Whether `image` is what the metadata vouches for under `label`; what it does not name is not checked.
pub(crate) fn vouches(metadata: &Verification, label: &str, image: &dyn Bytes) -> io::Result<bool> {
    for one in &metadata.descriptors {
        let Descriptor::Hash {
            partition,
            salt,
            digest,
            ..
        } = one
        else {
            continue;
        };
        if partition == label {
            // One that is no number vouches for nothing.
            let Ok(salt) = hex::decode(salt) else {
                return Ok(false);
            };
            return Ok(hex::encode(salted(&salt, image)?) == *digest);
        }
    }
    Ok(true)
}

#[cfg(test)]
mod tests {
    use veritope_formats::look::Weight;

    use super::*;

    #[test]
    fn what_is_signed_is_read_as_signed_and_one_bit_shows() {
        let image = vec![7; 5000];
        let descriptor = describe("boot", "TH5", &image).unwrap();
        let mut bytes = metadata("saltern", 4, &descriptor).unwrap();
        // A partition is longer than what lies in it.
        bytes.resize(64 << 10, 0);
        let seen = look(&bytes, "", Limits::default());
        assert!(
            seen.findings.iter().all(|one| one.weight < Weight::Matters),
            "{seen:?}"
        );
        let known = read("saltern", &bytes).unwrap();
        assert_eq!(known.rollback_index, 4);
        assert!(vouches(&known, "boot", &image).unwrap());
        let mut other = image;
        other[9] ^= 1;
        assert!(!vouches(&known, "boot", &other).unwrap());
        assert!(read("kelpie", &bytes).is_none(), "another maker's");
        for at in [112, 140, 300, 700, 1000] {
            let mut changed = bytes.clone();
            changed[at] ^= 1;
            assert!(read("saltern", &changed).is_none(), "byte {at}");
        }
    }
}
