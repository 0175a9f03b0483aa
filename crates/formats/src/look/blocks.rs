//! Packed bytes in blocks of their own framing, each behind its lengths.

use std::io::{self, BufRead, Read};

/// The older framing of lz4: a mark, then blocks of up to 8 MiB, each behind its packed length.
pub(crate) struct Lz4Blocks<R> {
    from: R,
    begun: bool,
    block: Vec<u8>,
    at: usize,
}

/// Unpacked length of a full block.
const LZ4_BLOCK_BYTES: usize = 8 << 20;
const LZ4_LEGACY_MAGIC: u32 = 0x184C_2102;

impl<R: BufRead> Lz4Blocks<R> {
    pub(crate) fn new(from: R) -> Self {
        Self {
            from,
            begun: false,
            block: Vec::new(),
            at: 0,
        }
    }

    /// The next number, without taking it where `take` says so; nothing at the end.
    fn number(&mut self) -> io::Result<Option<u32>> {
        let mut bytes = [0; 4];
        let mut got = 0;
        while got < 4 {
            match self.from.read(&mut bytes[got..])? {
                0 if got == 0 => return Ok(None),
                0 => return Err(io::ErrorKind::UnexpectedEof.into()),
                read => got += read,
            }
        }
        Ok(Some(u32::from_le_bytes(bytes)))
    }

    fn next_block(&mut self) -> io::Result<bool> {
        if !self.begun {
            self.begun = true;
            if self.number()? != Some(LZ4_LEGACY_MAGIC) {
                return Err(io::ErrorKind::InvalidData.into());
            }
        }
        let length = match self.number()? {
            // Zeros behind the last block are a partition's slack; a mark is the next stream.
            None | Some(0) => return Ok(false),
            Some(LZ4_LEGACY_MAGIC) => return self.next_block(),
            Some(length) => length as usize,
        };
        if length > lz4_flex::block::get_maximum_output_size(LZ4_BLOCK_BYTES) {
            return Err(io::Error::new(
                io::ErrorKind::InvalidData,
                "a block is longer than any can be",
            ));
        }
        let mut packed = vec![0; length];
        self.from.read_exact(&mut packed)?;
        let mut block = vec![0; LZ4_BLOCK_BYTES];
        let unpacked = lz4_flex::block::decompress_into(&packed, &mut block)
            .map_err(|error| io::Error::new(io::ErrorKind::InvalidData, error))?;
        block.truncate(unpacked);
        self.block = block;
        self.at = 0;
        Ok(unpacked > 0)
    }
}

impl<R: BufRead> Read for Lz4Blocks<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        if self.at == self.block.len() && !self.next_block()? {
            return Ok(0);
        }
        Ok(hand_out(&self.block, &mut self.at, into))
    }
}

/// The usual framing of lzo: a head with switches, then blocks behind their lengths and checksums.
/// All numbers are big-endian.
pub(crate) struct LzoBlocks<R> {
    from: R,
    /// The head's switches, once it was read.
    switches: Option<u32>,
    ended: bool,
    block: Vec<u8>,
    at: usize,
}

/// Longest block that is unpacked; none is made longer than 256 KiB.
const LZO_BLOCK_BYTES: usize = 8 << 20;
/// First version whose head has the longer form.
const LZO_LONG_HEAD: u16 = 0x0940;
/// The head's switches: checksums of unpacked and of packed bytes, of two kinds, and longer heads.
const ADLER_UNPACKED: u32 = 0x1;
const ADLER_PACKED: u32 = 0x2;
const EXTRA_FIELD: u32 = 0x40;
const CRC_UNPACKED: u32 = 0x100;
const CRC_PACKED: u32 = 0x200;
const FILTER: u32 = 0x800;

fn damaged(why: &'static str) -> io::Error {
    io::Error::new(io::ErrorKind::InvalidData, why)
}

impl<R: BufRead> LzoBlocks<R> {
    pub(crate) fn new(from: R) -> Self {
        Self {
            from,
            switches: None,
            ended: false,
            block: Vec::new(),
            at: 0,
        }
    }

    fn bytes<const N: usize>(&mut self) -> io::Result<[u8; N]> {
        let mut bytes = [0; N];
        self.from.read_exact(&mut bytes)?;
        Ok(bytes)
    }

    fn number(&mut self) -> io::Result<u32> {
        Ok(u32::from_be_bytes(self.bytes()?))
    }

    fn number_if(&mut self, switches: u32, one: u32) -> io::Result<Option<u32>> {
        (switches & one != 0).then(|| self.number()).transpose()
    }

    /// Reads the head and gives its switches.
    fn head(&mut self) -> io::Result<u32> {
        self.bytes::<9>()?;
        let version = u16::from_be_bytes(self.bytes()?);
        let is_long = version >= LZO_LONG_HEAD;
        self.bytes::<2>()?;
        if is_long {
            self.bytes::<2>()?;
        }
        let [method] = self.bytes()?;
        if !(1..=3).contains(&method) {
            return Err(damaged("it is packed by a method of lzo that is not known"));
        }
        if is_long {
            self.bytes::<1>()?;
        }
        let switches = self.number()?;
        if switches & FILTER != 0 {
            return Err(damaged(
                "its bytes went through a filter, which is not undone here",
            ));
        }
        // Mode and time, which has two halves in the longer form.
        self.bytes::<8>()?;
        if is_long {
            self.bytes::<4>()?;
        }
        let [name] = self.bytes()?;
        self.skip(name.into())?;
        self.number()?;
        if switches & EXTRA_FIELD != 0 {
            let length = self.number()?;
            self.skip(u64::from(length) + 4)?;
        }
        Ok(switches)
    }

    fn skip(&mut self, bytes: u64) -> io::Result<()> {
        let skipped = io::copy(
            &mut Read::by_ref(&mut self.from).take(bytes),
            &mut io::sink(),
        )?;
        if skipped < bytes {
            return Err(io::ErrorKind::UnexpectedEof.into());
        }
        Ok(())
    }

    fn next_block(&mut self) -> io::Result<bool> {
        let switches = match self.switches {
            Some(switches) => switches,
            None => self.head()?,
        };
        self.switches = Some(switches);
        let unpacked = self.number()? as usize;
        if unpacked == 0 {
            self.ended = true;
            return Ok(false);
        }
        let length = self.number()? as usize;
        if unpacked > LZO_BLOCK_BYTES || length > unpacked {
            return Err(damaged("a block is longer than any can be"));
        }
        let adler = self.number_if(switches, ADLER_UNPACKED)?;
        let crc = self.number_if(switches, CRC_UNPACKED)?;
        let is_packed = length < unpacked;
        if is_packed {
            // Of the packed bytes; what they unpack to is held against its own.
            self.number_if(switches, ADLER_PACKED)?;
            self.number_if(switches, CRC_PACKED)?;
        }
        let mut packed = vec![0; length];
        self.from.read_exact(&mut packed)?;
        self.block = if is_packed {
            let mut block = vec![0; unpacked];
            let made = lzokay::decompress::decompress(&packed, &mut block).map_err(|error| {
                io::Error::new(io::ErrorKind::InvalidData, format!("{error:?}"))
            })?;
            if made != unpacked {
                return Err(damaged("a block unpacks to another length than it says"));
            }
            block
        } else {
            packed
        };
        self.at = 0;
        let holds = adler.is_none_or(|said| said == adler2::adler32_slice(&self.block))
            && crc.is_none_or(|said| said == crc32fast::hash(&self.block));
        if !holds {
            return Err(damaged("the checksum of a block does not match"));
        }
        Ok(true)
    }
}

impl<R: BufRead> Read for LzoBlocks<R> {
    fn read(&mut self, into: &mut [u8]) -> io::Result<usize> {
        if self.at == self.block.len() && (self.ended || !self.next_block()?) {
            return Ok(0);
        }
        Ok(hand_out(&self.block, &mut self.at, into))
    }
}

/// Copies what is left of a block from `at` on, as much as fits.
fn hand_out(block: &[u8], at: &mut usize, into: &mut [u8]) -> usize {
    let left = block.get(*at..).unwrap_or_default();
    let length = left.len().min(into.len());
    into[..length].copy_from_slice(&left[..length]);
    *at += length;
    length
}
