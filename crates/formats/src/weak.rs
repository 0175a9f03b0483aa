//! Digests that tell damage and nothing else: MD5 and SHA-1.

use md5::Md5;
use sha1::{Digest as _, Sha1};

/// Computes both in one pass.
#[derive(Default)]
pub struct WeakHasher {
    md5: Md5,
    sha1: Sha1,
}

impl WeakHasher {
    /// Takes in the next bytes.
    pub fn update(&mut self, bytes: &[u8]) {
        self.md5.update(bytes);
        self.sha1.update(bytes);
    }

    /// MD5 and SHA-1 of all that was taken in, in hexadecimal.
    #[must_use]
    pub fn finish(self) -> (String, String) {
        (
            hex::encode(self.md5.finalize()),
            hex::encode(self.sha1.finalize()),
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn both_are_what_others_compute() {
        let mut hasher = WeakHasher::default();
        hasher.update(b"ab");
        hasher.update(b"c");
        let (md5, sha1) = hasher.finish();
        assert_eq!(md5, "900150983cd24fb0d6963f7d28e17f72");
        assert_eq!(sha1, "a9993e364706816aba3e25717850c26c9cd0d89d");
    }
}
