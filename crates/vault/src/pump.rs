//! Reading on one thread, hashing and compressing on two, writing in order: both cores work while
//! the link delivers. A few frames are in memory at once, however long the image is.

use std::cell::Cell;
use std::collections::BTreeMap;
use std::io;
use std::sync::mpsc;
use std::sync::{Mutex, PoisonError};

use veritope_core::coverage::BlankBytes;
use veritope_core::digest::{FRAME_BYTES, FrameLayout};
use veritope_wire::Digest;

/// A frame that was hashed, and compressed where it has to be stored.
#[derive(Debug)]
pub struct FrameDone {
    /// Its number, from 0.
    pub index: u64,
    /// Bytes of the image.
    pub bytes: u32,
    /// The value of its subtree.
    pub value: Digest,
    /// Whether it holds anything.
    pub blank: BlankBytes,
    /// How it is stored; nothing where it has the value that was known of it.
    pub packed: Option<Packed>,
}

/// A frame as it is stored.
#[derive(Debug)]
pub struct Packed {
    /// The zstd frame.
    pub stored: Vec<u8>,
    /// Digest of it, taken before it touches a medium.
    pub stored_blake3: Digest,
}

/// Threads that hash and compress.
const WORKERS: usize = 2;
/// Frames read ahead of the workers.
const AHEAD: usize = 3;
/// Most frames in memory: where one takes long, the others wait for it.
const MOST_AT_ONCE: u64 = 12;
/// Compression level: one core keeps up with a fast link.
const LEVEL: i32 = 1;
/// Level for what does not get smaller: it is looked through in strides.
const LEVEL_OF_NOISE: i32 = -7;

/// Moves frames `from..` of an image. `read` is called on this thread in order, with a buffer that may be
/// used for the bytes; `take` too, with every frame that `read` delivered, even when a later `read` fails:
/// what was read is never lost. A frame that has the value `known` of it is hashed only.
///
/// # Errors
/// The first error of `read` or `take`.
pub fn pump<E: From<io::Error>>(
    layout: FrameLayout,
    from: u64,
    known: Option<&[Digest]>,
    mut read: impl FnMut(u64, Vec<u8>) -> Result<Vec<u8>, E>,
    mut take: impl FnMut(&FrameDone) -> Result<(), E>,
) -> Result<(), E> {
    let (work, queue) = mpsc::sync_channel::<(u64, Vec<u8>)>(AHEAD);
    let queue = &Mutex::new(queue);
    let spare = &Mutex::new(Vec::<Vec<u8>>::new());
    let (mut buffers, mut waiting) = (Vec::new(), BTreeMap::new());
    std::thread::scope(|scope| {
        // Dropped first when this closure ends, however it ends, so that the workers end too.
        let work = work;
        let (done, finished) = mpsc::channel();
        for _ in 0..WORKERS {
            let done = done.clone();
            scope.spawn(move || {
                let mut packer = Packer::default();
                loop {
                    // The lock is held while waiting: one worker waits, the other works.
                    let next = queue.lock().unwrap_or_else(PoisonError::into_inner).recv();
                    let Ok((index, bytes)) = next else { return };
                    let room = spare.lock().unwrap_or_else(PoisonError::into_inner).pop();
                    let known = known.and_then(|all| all.get(usize::try_from(index).ok()?));
                    let frame =
                        packer.frame(layout, index, &bytes, known, room.unwrap_or_default());
                    if done.send((frame, bytes)).is_err() {
                        return;
                    }
                }
            });
        }
        drop(done);
        let next = Cell::new(from);
        let mut hand_on = |(frame, bytes): (io::Result<FrameDone>, Vec<u8>),
                           buffers: &mut Vec<Vec<u8>>|
         -> Result<(), E> {
            buffers.push(bytes);
            let frame = frame?;
            waiting.insert(frame.index, frame);
            while let Some(frame) = waiting.remove(&next.get()) {
                take(&frame)?;
                next.set(next.get() + 1);
                if let Some(packed) = frame.packed {
                    let mut spare = spare.lock().unwrap_or_else(PoisonError::into_inner);
                    spare.push(packed.stored);
                }
            }
            Ok(())
        };
        let mut outcome = Ok(());
        for index in from..layout.count() {
            while index - next.get() >= MOST_AT_ONCE {
                let Ok(done) = finished.recv() else { break };
                hand_on(done, &mut buffers)?;
            }
            match read(index, buffers.pop().unwrap_or_default()) {
                Ok(bytes) => {
                    if work.send((index, bytes)).is_err() {
                        break;
                    }
                }
                Err(error) => {
                    outcome = Err(error);
                    break;
                }
            }
            while let Ok(done) = finished.try_recv() {
                hand_on(done, &mut buffers)?;
            }
        }
        drop(work);
        for done in finished {
            hand_on(done, &mut buffers)?;
        }
        outcome
    })
}

/// Hashes and compresses, keeping what can be used again.
#[derive(Default)]
struct Packer {
    usual: Option<zstd::bulk::Compressor<'static>>,
    of_noise: Option<zstd::bulk::Compressor<'static>>,
    /// A whole frame of zeros as it is stored.
    zeros: Option<(Vec<u8>, Digest)>,
}

impl Packer {
    fn frame(
        &mut self,
        layout: FrameLayout,
        index: u64,
        bytes: &[u8],
        known: Option<&Digest>,
        room: Vec<u8>,
    ) -> io::Result<FrameDone> {
        let value = layout.value(index, bytes);
        let blank = BlankBytes::of(bytes);
        let packed = match known {
            Some(known) if *known == value => None,
            _ => Some(self.pack(bytes, blank, room)?),
        };
        Ok(FrameDone {
            index,
            bytes: u32::try_from(bytes.len()).map_err(io::Error::other)?,
            value,
            blank,
            packed,
        })
    }

    fn pack(&mut self, bytes: &[u8], blank: BlankBytes, mut room: Vec<u8>) -> io::Result<Packed> {
        let is_zeros = blank == BlankBytes::Zeros && bytes.len() as u64 == FRAME_BYTES;
        if let Some((stored, digest)) = self.zeros.as_ref().filter(|_| is_zeros) {
            room.clear();
            room.extend_from_slice(stored);
            return Ok(Packed {
                stored: room,
                stored_blake3: *digest,
            });
        }
        let (level, kept) = if is_noise(bytes) {
            (LEVEL_OF_NOISE, &mut self.of_noise)
        } else {
            (LEVEL, &mut self.usual)
        };
        let encoder = match kept {
            Some(encoder) => encoder,
            none => {
                let mut encoder = zstd::bulk::Compressor::new(level)?;
                // A checksum of its own, so that `zstd -t` finds damage without our manifest.
                encoder.include_checksum(true)?;
                none.insert(encoder)
            }
        };
        room.clear();
        room.reserve(zstd::zstd_safe::compress_bound(bytes.len()));
        encoder.compress_to_buffer(bytes, &mut room)?;
        let stored_blake3 = Digest::of(&room);
        if is_zeros {
            self.zeros = Some((room.clone(), stored_blake3));
        }
        Ok(Packed {
            stored: room,
            stored_blake3,
        })
    }
}

/// Pieces that are looked at, and their length in bytes.
const SAMPLES: usize = 16;
const SAMPLE_BYTES: usize = 4096;
/// Bits that a byte of noise has at least, in the samples together; of random bytes it is above 7.99.
const BITS_OF_NOISE: f64 = 7.95;

/// Whether these bytes look as if nothing would make them smaller: encrypted, or compressed already. A wrong
/// answer costs room or time, never a byte.
fn is_noise(bytes: &[u8]) -> bool {
    if bytes.len() < SAMPLES * SAMPLE_BYTES {
        return false;
    }
    let stride = bytes.len() / SAMPLES;
    let mut counts = [0_u32; 256];
    for piece in bytes.chunks_exact(stride).take(SAMPLES) {
        for byte in &piece[..SAMPLE_BYTES] {
            counts[usize::from(*byte)] += 1;
        }
    }
    let all = f64::from(counts.iter().sum::<u32>());
    let of = |count: f64| count / all * (all / count).log2();
    let bits: f64 = counts
        .iter()
        .filter(|count| **count > 0)
        .map(|count| of(f64::from(*count)))
        .sum();
    bits > BITS_OF_NOISE
}

#[cfg(test)]
mod tests {
    use super::*;

    fn noise(length: usize) -> Vec<u8> {
        let mut state = 0x9E37_79B9_7F4A_7C15_u64;
        let word = || {
            state ^= state << 13;
            state ^= state >> 7;
            state ^= state << 17;
            state.to_le_bytes()
        };
        let mut bytes: Vec<u8> = std::iter::repeat_with(word)
            .take(length / 8)
            .flatten()
            .collect();
        bytes.truncate(length);
        bytes
    }

    #[test]
    fn frames_come_in_order_and_none_is_lost_when_reading_fails() {
        let layout = FrameLayout::new(FRAME_BYTES * 6 + 5);
        let mut taken = Vec::new();
        let read = |index: u64, _| {
            if index == 5 {
                return Err(io::Error::other("cable out"));
            }
            let (_, length) = layout.span(index);
            Ok(vec![index as u8; usize::try_from(length).unwrap()])
        };
        let ended = pump(layout, 1, None, read, |frame| {
            taken.push((frame.index, frame.blank));
            Ok(())
        });
        assert_eq!(ended.unwrap_err().to_string(), "cable out");
        let indices: Vec<u64> = taken.iter().map(|(index, _)| *index).collect();
        assert_eq!(indices, [1, 2, 3, 4]);
    }

    #[test]
    fn a_few_frames_are_in_memory_however_long_the_image_is() {
        let layout = FrameLayout::new(FRAME_BYTES * 64);
        let (mut begun, mut most) = (0_u64, 0);
        let taken = Cell::new(0);
        let mut fresh = 0;
        let read = |_, spare: Vec<u8>| {
            begun += 1;
            most = most.max(begun - taken.get());
            fresh += u32::from(spare.capacity() == 0);
            let mut bytes = spare;
            bytes.resize(usize::try_from(FRAME_BYTES).unwrap(), 7);
            Ok::<_, io::Error>(bytes)
        };
        let ended = pump(layout, 0, None, read, |_| {
            taken.set(taken.get() + 1);
            Ok(())
        });
        ended.unwrap();
        assert!(most <= MOST_AT_ONCE + 1, "{most} frames at once");
        assert!(
            u64::from(fresh) <= MOST_AT_ONCE,
            "{fresh} buffers of its own"
        );
    }

    #[test]
    fn what_is_known_is_hashed_and_not_packed() {
        let layout = FrameLayout::new(FRAME_BYTES * 3);
        let frame = |index: u64| vec![index as u8 + 1; usize::try_from(FRAME_BYTES).unwrap()];
        let mut known: Vec<Digest> = (0..3).map(|n| layout.value(n, &frame(n))).collect();
        known[1] = Digest::of(b"it was another one");
        let mut packed = Vec::new();
        let read = |index: u64, _| Ok::<_, io::Error>(frame(index));
        let ended = pump(layout, 0, Some(&known), read, |frame| {
            packed.push(frame.packed.is_some());
            Ok(())
        });
        ended.unwrap();
        assert_eq!(packed, [false, true, false]);
    }

    #[test]
    fn noise_is_told_from_what_gets_smaller_and_both_come_back() {
        let noise = noise(usize::try_from(FRAME_BYTES).unwrap());
        let mut text = b"a partition that holds a file system. ".repeat(110_000);
        text.truncate(noise.len());
        assert!(is_noise(&noise));
        assert!(!is_noise(&text));
        assert!(!is_noise(&noise[..1000]), "a short one is packed as usual");
        let mut packer = Packer::default();
        for bytes in [
            &noise,
            &text,
            &vec![0; noise.len()],
            &vec![0; noise.len()],
            &noise,
        ] {
            let packed = packer
                .pack(bytes, BlankBytes::of(bytes), Vec::new())
                .unwrap();
            assert!(zstd::bulk::decompress(&packed.stored, noise.len()).unwrap() == *bytes);
            assert_eq!(packed.stored_blake3, Digest::of(&packed.stored));
            assert!(packed.stored.len() <= bytes.len() + 1024);
        }
    }
}
