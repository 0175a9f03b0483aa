//! Reading on one thread, hashing and compressing on two, writing in order: both cores work while
//! the link delivers.

use std::collections::BTreeMap;
use std::sync::mpsc;
use std::sync::{Mutex, PoisonError};

use veritope_core::coverage::BlankBytes;
use veritope_core::digest::FrameLayout;
use veritope_wire::Digest;

/// A frame that was hashed and compressed.
#[derive(Debug)]
pub struct FrameDone {
    /// Its number, from 0.
    pub index: u64,
    /// Bytes of the image.
    pub bytes: u32,
    /// The value of its subtree.
    pub value: Digest,
    /// The zstd frame.
    pub stored: Vec<u8>,
    /// Digest of it, taken before it touches a medium.
    pub stored_blake3: Digest,
    /// Whether it holds anything.
    pub blank: BlankBytes,
}

/// Threads that hash and compress.
const WORKERS: usize = 2;
/// Frames read ahead of the workers.
const AHEAD: usize = 2;
/// Compression level; 3 keeps up with a fast link on two cores.
const LEVEL: i32 = 3;

/// Moves frames `from..` of an image: `read` is called on this thread in order, `take` too, with
/// every frame that `read` delivered, even when a later `read` fails. What was read is never lost.
///
/// # Errors
/// The first error of `read` or `take`.
pub fn pump<E: From<std::io::Error>>(
    layout: FrameLayout,
    from: u64,
    mut read: impl FnMut(u64) -> Result<Vec<u8>, E>,
    mut take: impl FnMut(FrameDone) -> Result<(), E>,
) -> Result<(), E> {
    let (work, queue) = mpsc::sync_channel::<(u64, Vec<u8>)>(AHEAD);
    let queue = &Mutex::new(queue);
    std::thread::scope(|scope| {
        // Dropped first when this closure ends, however it ends, so that the workers end too.
        let work = work;
        let (done, finished) = mpsc::channel();
        for _ in 0..WORKERS {
            let done = done.clone();
            scope.spawn(move || {
                loop {
                    // The lock is held while waiting: one worker waits, the other works.
                    let next = queue.lock().unwrap_or_else(PoisonError::into_inner).recv();
                    let Ok((index, bytes)) = next else { return };
                    if done.send(finish(layout, index, &bytes)).is_err() {
                        return;
                    }
                }
            });
        }
        drop(done);
        let mut waiting = BTreeMap::new();
        let mut next = from;
        let mut hand_on = |frame: std::io::Result<FrameDone>| -> Result<(), E> {
            let frame = frame?;
            waiting.insert(frame.index, frame);
            while let Some(frame) = waiting.remove(&next) {
                take(frame)?;
                next += 1;
            }
            Ok(())
        };
        let mut outcome = Ok(());
        for index in from..layout.count() {
            match read(index) {
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
            while let Ok(frame) = finished.try_recv() {
                hand_on(frame)?;
            }
        }
        drop(work);
        for frame in finished {
            hand_on(frame)?;
        }
        outcome
    })
}

fn finish(layout: FrameLayout, index: u64, bytes: &[u8]) -> std::io::Result<FrameDone> {
    let mut encoder = zstd::bulk::Compressor::new(LEVEL)?;
    // A checksum of its own, so that `zstd -t` finds damage without our manifest.
    encoder.include_checksum(true)?;
    let stored = encoder.compress(bytes)?;
    Ok(FrameDone {
        index,
        bytes: u32::try_from(bytes.len()).map_err(std::io::Error::other)?,
        value: layout.value(index, bytes),
        stored_blake3: Digest::of(&stored),
        stored,
        blank: BlankBytes::of(bytes),
    })
}

#[cfg(test)]
mod tests {
    use veritope_core::digest::FRAME_BYTES;

    use super::*;

    #[test]
    fn frames_come_in_order_and_none_is_lost_when_reading_fails() {
        let layout = FrameLayout::new(FRAME_BYTES * 6 + 5);
        let mut taken = Vec::new();
        let read = |index: u64| {
            if index == 5 {
                return Err(std::io::Error::other("cable out"));
            }
            let (_, length) = layout.span(index);
            Ok(vec![index as u8; usize::try_from(length).unwrap()])
        };
        let ended = pump(layout, 1, read, |frame| {
            taken.push((frame.index, frame.blank));
            Ok(())
        });
        assert_eq!(ended.unwrap_err().to_string(), "cable out");
        let indices: Vec<u64> = taken.iter().map(|(index, _)| *index).collect();
        assert_eq!(indices, [1, 2, 3, 4]);
    }
}
