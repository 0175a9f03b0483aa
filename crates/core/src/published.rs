//! Digests that a publisher gives of a file, in whatever algorithm, and what the bytes themselves have
//! (`M8`). Of the three that nobody can forge the core hashes the bytes itself; MD5 and SHA-1 tell damage
//! and nothing else, and are brought from outside.

use std::fmt;

use ring::digest::{Context, SHA256, SHA512};
use serde::{Deserialize, Serialize};

use crate::digest::{SeeingHasher, Seen};

/// How a digest is computed.
#[derive(
    Debug,
    Clone,
    Copy,
    PartialEq,
    Eq,
    PartialOrd,
    Ord,
    Hash,
    Serialize,
    Deserialize,
    utoipa::ToSchema,
)]
#[serde(rename_all = "kebab-case")]
pub enum Algorithm {
    /// BLAKE3.
    Blake3,
    /// SHA-256.
    Sha256,
    /// SHA-512.
    Sha512,
    /// SHA-1: two files with the same one can be made.
    Sha1,
    /// MD5: two files with the same one can be made.
    Md5,
}

impl Algorithm {
    /// All, the strong ones first.
    pub const ALL: [Self; 5] = [
        Self::Blake3,
        Self::Sha256,
        Self::Sha512,
        Self::Sha1,
        Self::Md5,
    ];

    /// Its usual name.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Blake3 => "BLAKE3",
            Self::Sha256 => "SHA-256",
            Self::Sha512 => "SHA-512",
            Self::Sha1 => "SHA-1",
            Self::Md5 => "MD5",
        }
    }

    /// Signs of a digest in hexadecimal.
    #[must_use]
    pub fn signs(self) -> usize {
        match self {
            Self::Blake3 | Self::Sha256 => 64,
            Self::Sha512 => 128,
            Self::Sha1 => 40,
            Self::Md5 => 32,
        }
    }

    /// Whether another file with the same digest can be made: it tells damage, and no origin.
    #[must_use]
    pub fn is_weak(self) -> bool {
        matches!(self, Self::Sha1 | Self::Md5)
    }

    /// The one of this name, however it is written.
    #[must_use]
    pub fn named(name: &str) -> Option<Self> {
        let bare = |text: &str| -> String {
            let signs = text.chars().filter(char::is_ascii_alphanumeric);
            signs.map(|sign| sign.to_ascii_lowercase()).collect()
        };
        let name = bare(name);
        // Lists of digests are named after it, such as `SHA256SUMS`.
        let name = name
            .strip_suffix("sums")
            .or(name.strip_suffix("sum"))
            .unwrap_or(&name);
        let name = if name == "b3" { "blake3" } else { name };
        Self::ALL.into_iter().find(|one| bare(one.name()) == name)
    }
}

/// A digest that a publisher gives.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct PublishedDigest {
    /// In hexadecimal, small letters.
    value: String,
    /// How it was computed; nothing where its length fits several and nobody says.
    algorithm: Option<Algorithm>,
}

/// Why a text is no digest.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum NotADigest {
    /// It is not one.
    #[error(
        "`{0}` is no digest: paste the 32 to 128 signs from 0 to 9 and a to f, or the publisher's line with the file's name behind them"
    )]
    Not(String),
    /// It is one of another length than its algorithm has.
    #[error("a {} has {} signs, and this one has {found}: paste it whole", .algorithm.name(), .algorithm.signs())]
    Length {
        /// The algorithm.
        algorithm: Algorithm,
        /// Signs that it has.
        found: usize,
    },
    /// It is the digest of a file with another name.
    #[error("that is the digest of `{0}`: paste the line of this file")]
    OfAnother(String),
}

impl PublishedDigest {
    /// A digest with its algorithm.
    ///
    /// # Errors
    /// When it is not in hexadecimal, or of another length.
    pub fn new(algorithm: Algorithm, value: &str) -> Result<Self, NotADigest> {
        let value = hexadecimal(value)?;
        if value.len() != algorithm.signs() {
            return Err(NotADigest::Length {
                algorithm,
                found: value.len(),
            });
        }
        Ok(Self {
            value,
            algorithm: Some(algorithm),
        })
    }

    /// Reads what a person pastes, or a line of a publisher's list: a digest alone, `DIGEST  NAME`,
    /// `ALGORITHM (NAME) = DIGEST` or `ALGORITHM: DIGEST`.
    ///
    /// # Errors
    /// When there is no digest in it, or it names a file that is not called `name`.
    pub fn read(line: &str, name: &str) -> Result<Self, NotADigest> {
        let line = line.trim();
        let not = || NotADigest::Not(line.chars().take(80).collect());
        if let Some((before, value)) = line.rsplit_once(['=', ':']) {
            let (algorithm, named) = match before.split_once('(') {
                Some((algorithm, named)) => {
                    (algorithm, named.rsplit_once(')').map(|(name, _)| name))
                }
                None => (before, None),
            };
            let algorithm = Algorithm::named(algorithm).ok_or_else(not)?;
            is_of(named, name)?;
            return Self::new(algorithm, value);
        }
        let (value, named) = match line.split_once(char::is_whitespace) {
            // A star says that it was read as bytes.
            Some((value, named)) => (value, Some(named.trim_start().trim_start_matches('*'))),
            None => (line, None),
        };
        let value = hexadecimal(value)?;
        is_of(named, name)?;
        let mut fits = Algorithm::ALL
            .into_iter()
            .filter(|one| one.signs() == value.len());
        match (fits.next(), fits.next()) {
            (None, _) => Err(not()),
            (Some(only), None) => Self::new(only, &value),
            (Some(_), Some(_)) => Ok(Self {
                value,
                algorithm: None,
            }),
        }
    }

    /// In hexadecimal.
    #[must_use]
    pub fn value(&self) -> &str {
        &self.value
    }

    /// How it was computed, where that is known.
    #[must_use]
    pub fn algorithm(&self) -> Option<Algorithm> {
        self.algorithm
    }

    /// The algorithms by which it may have been computed.
    pub fn may_be(&self) -> impl Iterator<Item = Algorithm> {
        let length = self.value.len();
        let known = self.algorithm;
        Algorithm::ALL
            .into_iter()
            .filter(move |one| known.map_or(one.signs() == length, |known| known == *one))
    }
}

impl fmt::Display for PublishedDigest {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let name = self.algorithm.map_or("digest", Algorithm::name);
        write!(f, "{name} {}", self.value)
    }
}

fn hexadecimal(value: &str) -> Result<String, NotADigest> {
    let value = value.trim().to_ascii_lowercase();
    let is_hex = !value.is_empty() && value.bytes().all(|sign| sign.is_ascii_hexdigit());
    if is_hex {
        Ok(value)
    } else {
        Err(NotADigest::Not(value.chars().take(80).collect()))
    }
}

/// Folders in front of a name don't count.
fn is_of(named: Option<&str>, name: &str) -> Result<(), NotADigest> {
    let last = |text: &str| -> String {
        text.trim()
            .rsplit(['/', '\\'])
            .next()
            .unwrap_or("")
            .to_owned()
    };
    match named.map(last) {
        Some(other) if !other.is_empty() && other != last(name) => {
            Err(NotADigest::OfAnother(other))
        }
        _ => Ok(()),
    }
}

/// Hashes a file in as many ways as are asked for, in one pass.
pub struct FileHasher {
    own: SeeingHasher,
    others: Vec<(Algorithm, Context)>,
}

impl FileHasher {
    /// A hasher of BLAKE3 and of the strong ones in `algorithms`.
    #[must_use]
    pub fn new(algorithms: impl IntoIterator<Item = Algorithm>) -> Self {
        let others = algorithms.into_iter().filter_map(|one| {
            let context = match one {
                Algorithm::Sha256 => Context::new(&SHA256),
                Algorithm::Sha512 => Context::new(&SHA512),
                Algorithm::Blake3 | Algorithm::Sha1 | Algorithm::Md5 => return None,
            };
            Some((one, context))
        });
        Self {
            own: SeeingHasher::new(),
            others: others.collect(),
        }
    }

    /// Takes in the next bytes.
    pub fn update(&mut self, bytes: &[u8]) {
        self.own.update(bytes);
        for (_, context) in &mut self.others {
            context.update(bytes);
        }
    }

    /// What was hashed.
    #[must_use]
    pub fn finish(self) -> SeenFile {
        let others = self.others.into_iter().map(|(algorithm, context)| {
            let digest = context.finish();
            let signs = digest.as_ref().iter().map(|byte| format!("{byte:02x}"));
            (algorithm, signs.collect())
        });
        SeenFile {
            seen: self.own.finish(),
            others: others.collect(),
            weak: Vec::new(),
        }
    }
}

/// A file's bytes, hashed here. Like [`Seen`] it can't be copied or stored.
#[derive(Debug, PartialEq, Eq)]
pub struct SeenFile {
    /// By BLAKE3, which is what it is known by.
    pub seen: Seen,
    others: Vec<(Algorithm, String)>,
    weak: Vec<(Algorithm, String)>,
}

impl From<Seen> for SeenFile {
    /// Known by BLAKE3 alone.
    fn from(seen: Seen) -> Self {
        Self {
            seen,
            others: Vec::new(),
            weak: Vec::new(),
        }
    }
}

/// How a publisher's digest compares with the bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Compared {
    /// They have it.
    Equal {
        /// Whether another file with the same one can be made.
        weak: bool,
    },
    /// They have another.
    Differs,
    /// It was not computed here.
    NotComputed,
}

impl SeenFile {
    /// Of bytes at hand.
    #[must_use]
    pub fn of(bytes: &[u8]) -> Self {
        let mut hasher = FileHasher::new([Algorithm::Sha256, Algorithm::Sha512]);
        hasher.update(bytes);
        hasher.finish()
    }

    /// The same with a weak digest that somebody else computed of the same bytes; one that is not weak is left
    /// out.
    #[must_use]
    pub fn and(mut self, algorithm: Algorithm, value: String) -> Self {
        if algorithm.is_weak() {
            self.weak.push((algorithm, value));
        }
        self
    }

    /// The digest by `algorithm`, where it was computed.
    #[must_use]
    pub fn by(&self, algorithm: Algorithm) -> Option<String> {
        if algorithm == Algorithm::Blake3 {
            return Some(self.seen.digest().to_string());
        }
        let mut all = self.others.iter().chain(&self.weak);
        all.find(|(one, _)| *one == algorithm)
            .map(|(_, value)| value.clone())
    }

    /// How the publisher's digest compares. Where nobody says how it was computed, one that agrees decides; it
    /// differs only when all were tried.
    #[must_use]
    pub fn compare(&self, published: &PublishedDigest) -> Compared {
        let mut all_tried = true;
        for algorithm in published.may_be() {
            match self.by(algorithm) {
                Some(value) if value == published.value => {
                    return Compared::Equal {
                        weak: algorithm.is_weak(),
                    };
                }
                Some(_) => {}
                None => all_tried = false,
            }
        }
        if all_tried {
            Compared::Differs
        } else {
            Compared::NotComputed
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const SHA256_OF_ABC: &str = "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad";

    #[test]
    fn a_publishers_line_is_read_in_its_usual_forms() {
        for line in [
            SHA256_OF_ABC.to_owned(),
            format!("{SHA256_OF_ABC}  r.img"),
            format!("{SHA256_OF_ABC} *./r.img"),
            format!("SHA256 (r.img) = {SHA256_OF_ABC}"),
            format!("sha-256: {}", SHA256_OF_ABC.to_uppercase()),
        ] {
            let read = PublishedDigest::read(&line, "r.img").unwrap();
            let compared = SeenFile::of(b"abc").compare(&read);
            assert_eq!(compared, Compared::Equal { weak: false }, "{line}");
            assert_eq!(
                SeenFile::of(b"abd").compare(&read),
                Compared::Differs,
                "{line}"
            );
        }
    }

    #[test]
    fn what_is_no_digest_or_anothers_is_said() {
        let read = |line: &str| PublishedDigest::read(line, "r.img").unwrap_err();
        assert!(matches!(read("none given"), NotADigest::Not(_)));
        assert!(matches!(read("abc"), NotADigest::Not(_)));
        assert!(matches!(read("sha256: abcd"), NotADigest::Length { .. }));
        assert!(matches!(read("crc32: abcd0123"), NotADigest::Not(_)));
        let other = format!("{SHA256_OF_ABC}  twin.img");
        assert_eq!(read(&other), NotADigest::OfAnother("twin.img".into()));
    }

    #[test]
    fn a_weak_one_is_equal_and_weak_and_one_not_computed_says_nothing() {
        let md5 = PublishedDigest::read("900150983cd24fb0d6963f7d28e17f72", "").unwrap();
        assert_eq!(md5.algorithm(), Some(Algorithm::Md5));
        let seen = SeenFile::of(b"abc");
        assert_eq!(seen.compare(&md5), Compared::NotComputed);
        let seen = seen.and(Algorithm::Md5, md5.value().to_owned());
        assert_eq!(seen.compare(&md5), Compared::Equal { weak: true });
        // A strong one that somebody brings is none.
        let brought = SeenFile::of(b"abd").and(Algorithm::Sha256, SHA256_OF_ABC.into());
        let strong = PublishedDigest::new(Algorithm::Sha256, SHA256_OF_ABC).unwrap();
        assert_eq!(brought.compare(&strong), Compared::Differs);
    }
}
