//! Packed bytes: known by their first bytes, unpacked as a stream that counts against the budget.

use std::cell::Cell;
use std::io::{self, BufRead, Read};
use std::rc::Rc;

use serde::Serialize;
use utoipa::ToSchema;

use super::blocks::{Lz4Blocks, LzoBlocks};
use super::bytes::{Budget, Numbers as _, View};

/// How bytes are packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, ToSchema)]
#[serde(rename_all = "kebab-case")]
pub enum Packing {
    /// gzip.
    Gzip,
    /// lz4 in its frame format.
    Lz4,
    /// lz4 in its older framing.
    Lz4Legacy,
    /// zstd.
    Zstd,
    /// xz.
    Xz,
    /// lzma alone.
    Lzma,
    /// bzip2.
    Bzip2,
    /// lzo in its usual framing.
    Lzo,
    /// brotli: has no mark, known by its member's name.
    Brotli,
    /// Not packed.
    None,
}

impl Packing {
    /// The packing of what begins with `head`; nothing where it is none that has a mark.
    pub(crate) fn of(head: &[u8]) -> Option<Self> {
        let lzma = head.len() >= 13
            && head[0] == 0x5D
            && head[1..3] == [0, 0]
            // The dictionary is a power of two; the length is told or open.
            && (head[5..13] == [0xFF; 8] || head[10..13] == [0; 3]);
        Some(match head {
            [0x1F, 0x8B, 0x08, ..] => Self::Gzip,
            [0x04, 0x22, 0x4D, 0x18, ..] => Self::Lz4,
            [0x02, 0x21, 0x4C, 0x18, ..] => Self::Lz4Legacy,
            [0x28, 0xB5, 0x2F, 0xFD, ..] => Self::Zstd,
            // What packs in several threads tells first how long its pieces are.
            _ if skippable(head).is_some() => Self::Zstd,
            [0xFD, b'7', b'z', b'X', b'Z', 0, ..] => Self::Xz,
            [b'B', b'Z', b'h', b'1'..=b'9', 0x31, 0x41, 0x59, 0x26, ..] => Self::Bzip2,
            [0x89, b'L', b'Z', b'O', 0, 0x0D, 0x0A, 0x1A, 0x0A, ..] => Self::Lzo,
            _ if lzma => Self::Lzma,
            _ => return None,
        })
    }

    /// In words.
    #[must_use]
    pub fn name(self) -> &'static str {
        match self {
            Self::Gzip => "gzip",
            Self::Lz4 => "lz4",
            Self::Lz4Legacy => "lz4 in its older framing",
            Self::Zstd => "zstd",
            Self::Xz => "xz",
            Self::Lzma => "lzma",
            Self::Bzip2 => "bzip2",
            Self::Lzo => "lzo",
            Self::Brotli => "brotli",
            Self::None => "not packed",
        }
    }
}

/// Memory that one unpacker may ask for: what a stream claims of its dictionary is not believed.
const MOST_DICTIONARY_BYTES: u32 = 64 << 20;

/// A reader that counts what was consumed, so that what follows a packed stream is found.
#[derive(Debug)]
pub(crate) struct Counted<R> {
    inner: R,
    consumed: Rc<Cell<u64>>,
}

impl<R> Counted<R> {
    /// The count, which goes on while the reader is used.
    pub(crate) fn count(&self) -> Rc<Cell<u64>> {
        Rc::clone(&self.consumed)
    }
}

impl<R: Read> Read for Counted<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(into)?;
        self.consumed.set(self.consumed.get() + read as u64);
        Ok(read)
    }
}

impl<R: BufRead> BufRead for Counted<R> {
    fn fill_buf(&mut self) -> io::Result<&[u8]> {
        self.inner.fill_buf()
    }

    fn consume(&mut self, bytes: usize) {
        self.consumed.set(self.consumed.get() + bytes as u64);
        self.inner.consume(bytes);
    }
}

/// Unpacked bytes, as far as the budget reaches.
pub(crate) struct Unpacked<'a> {
    inner: Box<dyn Read + 'a>,
    budget: &'a Budget,
    /// The budget ended; what there was is not the whole.
    pub(crate) over: bool,
    /// Bytes that came.
    pub(crate) came: u64,
}

impl<'a> Unpacked<'a> {
    /// What `inner` gives, as far as the budget reaches.
    pub(crate) fn of(inner: Box<dyn Read + 'a>, budget: &'a Budget) -> Self {
        Self {
            inner,
            budget,
            over: false,
            came: 0,
        }
    }
}

impl Read for Unpacked<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        let read = self.inner.read(into)?;
        self.came += read as u64;
        if !self.budget.expand(read as u64) {
            self.over = true;
            return Err(io::ErrorKind::QuotaExceeded.into());
        }
        Ok(read)
    }
}

impl std::fmt::Debug for Unpacked<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Unpacked({} bytes)", self.came)
    }
}

/// Unpacks one stream from `from`; what lies behind it is left unread, but for what the packing
/// can't tell from more of itself.
///
/// # Errors
/// A packing that is not unpacked here, or whose head is damaged.
pub(crate) fn unpack<'a>(
    packing: Packing,
    from: impl BufRead + 'a,
    budget: &'a Budget,
) -> io::Result<Unpacked<'a>> {
    Ok(Unpacked::of(stream(packing, from)?, budget))
}

/// Unpacks all streams of a packing that stand behind each other in `view`, as one; with the byte at
/// which the last of them ended, told once all was read.
///
/// # Errors
/// As [`unpack`].
pub(crate) fn unpack_all<'a>(
    packing: Packing,
    view: View<'a>,
    budget: &'a Budget,
) -> io::Result<(Unpacked<'a>, Rc<Cell<u64>>)> {
    let end = Rc::new(Cell::new(0));
    let mut streams = Streams {
        view,
        packing,
        end: Rc::clone(&end),
        now: None,
    };
    streams.next()?;
    Ok((Unpacked::of(Box::new(streams), budget), end))
}

fn stream<'a>(packing: Packing, from: impl BufRead + 'a) -> io::Result<Box<dyn Read + 'a>> {
    Ok(match packing {
        Packing::Gzip => Box::new(flate2::bufread::GzDecoder::new(from)),
        Packing::Lz4 => Box::new(lz4_flex::frame::FrameDecoder::new(from)),
        Packing::Lz4Legacy => Box::new(Lz4Blocks::new(from)),
        Packing::Zstd => {
            let mut decoder = zstd::stream::read::Decoder::with_buffer(from)?.single_frame();
            decoder.window_log_max(26)?;
            Box::new(decoder)
        }
        Packing::Xz => Box::new(XzStream::new(from)),
        Packing::Lzma => Box::new(lzma_rust2::LzmaReader::new_mem_limit(
            from,
            MOST_DICTIONARY_BYTES >> 10,
            None,
        )?),
        Packing::Bzip2 => Box::new(bzip2::bufread::BzDecoder::new(from)),
        Packing::Brotli => Box::new(brotli_decompressor::Decompressor::new(from, 64 << 10)),
        Packing::None => Box::new(from),
        Packing::Lzo => Box::new(LzoBlocks::new(from)),
    })
}

/// Length of a frame that holds no packed bytes, which zstd and lz4 pass over; nothing where there is none.
fn skippable(head: &[u8]) -> Option<u64> {
    let is_one = head.len() >= 8 && head.u32_le(0) & !0xF == 0x184D_2A50;
    is_one.then(|| 8 + u64::from(head.u32_le(4)))
}

/// A stream that is read, and how much of it was consumed.
struct Running<'a> {
    unpacked: Box<dyn Read + 'a>,
    consumed: Rc<Cell<u64>>,
}

/// Streams of one packing behind each other.
struct Streams<'a> {
    view: View<'a>,
    packing: Packing,
    /// Where the last one that was read ended.
    end: Rc<Cell<u64>>,
    /// The one that is read.
    now: Option<Running<'a>>,
}

impl Streams<'_> {
    /// Goes to the next stream; stays at the end where none follows.
    fn next(&mut self) -> io::Result<()> {
        if let Some(running) = self.now.take() {
            self.end.set(self.end.get() + running.consumed.get());
        }
        let mut at = self.end.get();
        loop {
            let head = self.view.from(at).head(4096);
            if let Some(length) = skippable(&head) {
                at = at.saturating_add(length).min(self.view.length());
                self.end.set(at);
                continue;
            }
            // Zeros fill the last block of one, and may stand before the next.
            let zeros = head.iter().take_while(|byte| **byte == 0).count();
            if zeros > 0 && zeros < head.len() {
                at += zeros as u64;
                continue;
            }
            if Packing::of(&head) != Some(self.packing) {
                return Ok(());
            }
            self.end.set(at);
            let source = buffered(self.view.from(at));
            let consumed = source.count();
            self.now = Some(Running {
                unpacked: stream(self.packing, source)?,
                consumed,
            });
            return Ok(());
        }
    }
}

impl Read for Streams<'_> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        while let Some(running) = &mut self.now {
            let read = running.unpacked.read(into)?;
            if read > 0 || into.is_empty() {
                return Ok(read);
            }
            if running.consumed.get() == 0 {
                // A stream of nothing would be begun for ever.
                return Ok(0);
            }
            self.next()?;
        }
        Ok(0)
    }
}

/// A reader of `view` for [`unpack`].
pub(crate) fn buffered(view: View<'_>) -> Counted<io::BufReader<super::bytes::ViewReader<'_>>> {
    Counted {
        inner: io::BufReader::with_capacity(64 << 10, view.reader()),
        consumed: Rc::default(),
    }
}

/// xz, whose dictionary is bounded before anything is allocated.
struct XzStream<R: Read> {
    inner: lzma_rust2::XzReader<R>,
}

impl<R: Read> XzStream<R> {
    fn new(from: R) -> Self {
        Self {
            inner: lzma_rust2::XzReader::new_mem_limit(from, false, MOST_DICTIONARY_BYTES >> 10),
        }
    }
}

impl<R: Read> Read for XzStream<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        self.inner.read(into)
    }
}
