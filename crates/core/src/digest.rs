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
/// It can't be copied, stored or read back, so evidence can't outlive the process that saw it.
#[derive(Debug, PartialEq, Eq)]
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

/// Bytes of every frame of an image but the last, which holds the rest. A power of two of BLAKE3's
/// chunks, so that each frame is a whole subtree of the image's hash tree.
pub const FRAME_BYTES: u64 = 4 << 20;

/// How an image of one length falls into frames.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct FrameLayout {
    length_bytes: u64,
}

impl FrameLayout {
    /// The layout of an image of `length_bytes`.
    #[must_use]
    pub fn new(length_bytes: u64) -> Self {
        Self { length_bytes }
    }

    /// Length of the image in bytes.
    #[must_use]
    pub fn length_bytes(self) -> u64 {
        self.length_bytes
    }

    /// How many frames; at least one.
    #[must_use]
    pub fn count(self) -> u64 {
        self.length_bytes.div_ceil(FRAME_BYTES).max(1)
    }

    /// First byte and length of frame `index`.
    #[must_use]
    pub fn span(self, index: u64) -> (u64, u64) {
        let first = index.saturating_mul(FRAME_BYTES).min(self.length_bytes);
        (first, FRAME_BYTES.min(self.length_bytes - first))
    }

    /// The value of a frame's subtree; of an image of one frame it is the digest itself.
    #[must_use]
    pub fn value(self, index: u64, bytes: &[u8]) -> Digest {
        use blake3::hazmat::HasherExt;
        if self.count() == 1 {
            return Digest::of(bytes);
        }
        let mut hasher = blake3::Hasher::new();
        hasher.set_input_offset(index.saturating_mul(FRAME_BYTES));
        hasher.update(bytes);
        Digest::from_bytes(hasher.finalize_non_root())
    }

    /// The image's digest out of its frames' values; nothing when their number is another.
    #[must_use]
    pub fn merge(self, values: &[Digest]) -> Option<Digest> {
        if values.len() as u64 != self.count() {
            return None;
        }
        match values {
            [one] => Some(*one),
            several => {
                let (left, right) = several.split_at(left_of(several.len()));
                Some(Digest::from_bytes(
                    *blake3::hazmat::merge_subtrees_root(
                        &subtree(left),
                        &subtree(right),
                        blake3::hazmat::Mode::Hash,
                    )
                    .as_bytes(),
                ))
            }
        }
    }
}

/// Frames in the left branch: the largest power of two below `count`, as BLAKE3 wants it.
fn left_of(count: usize) -> usize {
    count.next_power_of_two() / 2
}

fn subtree(values: &[Digest]) -> blake3::hazmat::ChainingValue {
    match values {
        [one] => *one.bytes(),
        several => {
            let (left, right) = several.split_at(left_of(several.len()));
            blake3::hazmat::merge_subtrees_non_root(
                &subtree(left),
                &subtree(right),
                blake3::hazmat::Mode::Hash,
            )
        }
    }
}

/// One frame of an image, hashed here from its real bytes: several can be hashed at a time.
///
/// It can't be copied or stored, like what it becomes a part of.
#[derive(Debug, PartialEq, Eq)]
pub struct SeenFrame {
    layout: FrameLayout,
    index: u64,
    value: Digest,
}

impl SeenFrame {
    /// Hashes frame `index` of an image; nothing where `bytes` has not its length.
    #[must_use]
    pub fn of(layout: FrameLayout, index: u64, bytes: &[u8]) -> Option<Self> {
        let is_there = index < layout.count() && bytes.len() as u64 == layout.span(index).1;
        is_there.then(|| Self {
            layout,
            index,
            value: layout.value(index, bytes),
        })
    }
}

impl Seen {
    /// What frames add up to that were all hashed here; nothing where one is missing, comes twice, or is of an image
    /// of another length. Their order is no matter.
    #[must_use]
    pub fn of_frames(layout: FrameLayout, mut frames: Vec<SeenFrame>) -> Option<Self> {
        frames.sort_by_key(|frame| frame.index);
        let is_one = |(frame, n): (&SeenFrame, u64)| frame.layout == layout && frame.index == n;
        if !frames.iter().zip(0..).all(is_one) {
            return None;
        }
        let values: Vec<Digest> = frames.into_iter().map(|frame| frame.value).collect();
        Some(Self {
            digest: layout.merge(&values)?,
            bytes: layout.length_bytes(),
        })
    }
}

/// The values of an image's frames that are known to add up to its digest: what a door compares
/// each frame with before it lets it through.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FrameList {
    layout: FrameLayout,
    values: Vec<Digest>,
    image: Digest,
}

impl FrameList {
    /// The list of an image at hand.
    #[must_use]
    pub fn of(bytes: &[u8]) -> Self {
        let layout = FrameLayout::new(bytes.len() as u64);
        let pieces = bytes.chunks(FRAME_BYTES as usize);
        let values = pieces
            .zip(0..)
            .map(|(piece, n)| layout.value(n, piece))
            .collect();
        Self {
            layout,
            values,
            image: Digest::of(bytes),
        }
    }

    /// Digest of the image.
    #[must_use]
    pub fn image(&self) -> Digest {
        self.image
    }

    /// Takes a list that adds up to `image`; nothing when it doesn't.
    #[must_use]
    pub fn new(layout: FrameLayout, values: Vec<Digest>, image: Digest) -> Option<Self> {
        (layout.merge(&values)? == image).then_some(Self {
            layout,
            values,
            image,
        })
    }

    /// How the image falls into frames.
    #[must_use]
    pub fn layout(&self) -> FrameLayout {
        self.layout
    }

    /// The values in order.
    #[must_use]
    pub fn values(&self) -> &[Digest] {
        &self.values
    }

    /// Whether these bytes are frame `index` of the image.
    #[must_use]
    pub fn admits(&self, index: u64, bytes: &[u8]) -> bool {
        let (_, length) = self.layout.span(index);
        usize::try_from(index)
            .ok()
            .and_then(|index| self.values.get(index))
            .is_some_and(|value| {
                bytes.len() as u64 == length && self.layout.value(index, bytes) == *value
            })
    }
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    // What was seen, and what it permits, can't be copied, stored or read back.
    static_assertions::assert_not_impl_any!(Seen: Clone, serde::Serialize, serde::de::DeserializeOwned);

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(12))]

        /// However long an image is: its frames add up to the digest of the whole, and a frame
        /// stands at its own place only.
        #[test]
        fn frames_add_up_to_the_digest_of_the_whole(frames in 1..6u64, rest in 1..3000u64, seed in any::<u64>()) {
            let length = (frames - 1) * FRAME_BYTES + rest;
            let mut bytes = vec![0u8; usize::try_from(length).unwrap()];
            for (n, byte) in bytes.iter_mut().enumerate() {
                *byte = (seed.wrapping_mul(n as u64 + 1) >> 32) as u8;
            }
            let layout = FrameLayout::new(length);
            prop_assert_eq!(layout.count(), frames);
            let piece = |index: u64| {
                let (first, count) = layout.span(index);
                &bytes[usize::try_from(first).unwrap()..usize::try_from(first + count).unwrap()]
            };
            let values: Vec<Digest> = (0..frames).map(|n| layout.value(n, piece(n))).collect();
            let list = FrameList::new(layout, values.clone(), Digest::of(&bytes)).unwrap();
            for n in 0..frames {
                prop_assert!(list.admits(n, piece(n)));
                let mut flipped = piece(n).to_vec();
                flipped[0] ^= 1;
                prop_assert!(!list.admits(n, &flipped));
            }
            prop_assert!(!list.admits(frames, &[]));
            prop_assert!(layout.merge(&values[1..]).is_none());
        }
    }

    static_assertions::assert_not_impl_any!(SeenFrame: Clone, serde::Serialize, serde::de::DeserializeOwned);

    #[test]
    fn frames_hashed_in_any_order_are_the_whole_and_nothing_less_is() {
        for length in [0, 5, FRAME_BYTES, FRAME_BYTES * 2 + 7] {
            let bytes: Vec<u8> = (0..length).map(|n| ((n * 31) >> 3) as u8).collect();
            let layout = FrameLayout::new(length);
            let frame = |index: u64| {
                let (first, count) = layout.span(index);
                let at = usize::try_from(first).unwrap();
                SeenFrame::of(
                    layout,
                    index,
                    &bytes[at..at + usize::try_from(count).unwrap()],
                )
            };
            let all = || (0..layout.count()).rev().map(|n| frame(n).unwrap());
            let seen = Seen::of_frames(layout, all().collect()).unwrap();
            assert_eq!(seen, Seen::of(&bytes), "{length}");
            let fewer: Vec<_> = all().skip(1).collect();
            assert_eq!(Seen::of_frames(layout, fewer), None);
            let mut twice: Vec<_> = all().collect();
            twice.push(frame(0).unwrap());
            assert_eq!(Seen::of_frames(layout, twice), None);
            assert_eq!(SeenFrame::of(layout, layout.count(), &[]), None);
            assert_eq!(SeenFrame::of(layout, 0, &[7; 9]), None);
            assert_eq!(
                Seen::of_frames(FrameLayout::new(length + 1), all().collect()),
                None
            );
        }
    }

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
