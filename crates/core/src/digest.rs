//! Seen and claimed digests. A [`Seen`] digest comes only from hashing real bytes in this process;
//! a [`Claimed`] one from text, JSON or SQL. They can be compared, never turned into each other.

use veritope_wire::Digest;

/// The core's own hasher: the only maker of [`Seen`].
#[derive(Debug, Default)]
pub struct SeeingHasher {
    hasher: blake3::Hasher,
    bytes: u64,
}

/// A digest that was computed here from `bytes` real bytes.
///
/// It can't be copied, stored or read back, so evidence can't outlive the process that saw it:
/// ```compile_fail
/// fn store<T: serde::Serialize>(_: T) {}
/// fn misuse(seen: veritope_core::digest::Seen) { store(seen) }
/// ```
/// ```compile_fail
/// fn misuse(seen: &veritope_core::digest::Seen) -> veritope_core::digest::Seen { seen.clone() }
/// ```
#[derive(Debug)]
pub struct Seen {
    digest: Digest,
    bytes: u64,
}

/// A digest that somebody says the bytes have.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Claimed(pub Digest);

impl SeeingHasher {
    /// A hasher that has seen nothing yet.
    #[must_use]
    pub fn new() -> Self {
        Self::default()
    }

    /// Takes in the next bytes.
    pub fn update(&mut self, bytes: &[u8]) {
        self.hasher.update(bytes);
        self.bytes += bytes.len() as u64;
    }

    /// The digest of all bytes taken in.
    #[must_use]
    pub fn finish(self) -> Seen {
        Seen {
            digest: Digest::from_bytes(*self.hasher.finalize().as_bytes()),
            bytes: self.bytes,
        }
    }
}

impl Seen {
    /// Hashes one piece of bytes.
    #[must_use]
    pub fn of(bytes: &[u8]) -> Self {
        let mut hasher = SeeingHasher::new();
        hasher.update(bytes);
        hasher.finish()
    }

    /// Whether the claim holds for the bytes that were seen.
    #[must_use]
    pub fn agrees_with(&self, claim: Claimed) -> bool {
        self.digest == claim.0
    }

    /// The digest, for showing and logging; what is read back from there is a claim.
    #[must_use]
    pub fn digest(&self) -> Digest {
        self.digest
    }

    /// How many bytes were hashed.
    #[must_use]
    pub fn bytes(&self) -> u64 {
        self.bytes
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pieces_and_whole_give_the_same_digest() {
        let mut hasher = SeeingHasher::new();
        hasher.update(b"kept ");
        hasher.update(b"safe");
        let seen = hasher.finish();
        assert_eq!(seen.digest(), Seen::of(b"kept safe").digest());
        assert_eq!(seen.bytes(), 9);
        assert!(seen.agrees_with(Claimed(Digest::of(b"kept safe"))));
        assert!(!seen.agrees_with(Claimed(Digest::of(b"kept safer"))));
    }
}
