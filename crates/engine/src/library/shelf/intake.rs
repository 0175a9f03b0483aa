//! Bytes on their way onto the shelf: written as they come, hashed on the way, in no place before all are
//! there.

use std::io::{self, Read, Seek, SeekFrom, Write};
use std::path::Path;
use std::sync::mpsc::{SyncSender, sync_channel};
use std::thread::JoinHandle;

use veritope_core::published::{Algorithm, FileHasher, SeenFile};
use veritope_vault::durable::Staged;

/// Pieces that wait for the hasher at most.
const AHEAD: usize = 4;
/// Bytes of a piece.
const PIECE_BYTES: usize = 1 << 20;

/// A file on its way. Dropped, nothing is left of it.
pub struct Intake {
    staged: Staged,
    pieces: SyncSender<Vec<u8>>,
    hasher: JoinHandle<SeenFile>,
    piece: Vec<u8>,
    bytes: u64,
}

/// A file that is there whole and has no place yet.
pub(crate) struct Arrived {
    pub(crate) staged: Staged,
    pub(crate) seen: SeenFile,
}

impl Intake {
    /// Begins one in `folder`.
    ///
    /// # Errors
    /// When nothing can be written there.
    pub(crate) fn begin(folder: &Path) -> io::Result<Self> {
        let staged = Staged::within(folder)?;
        let (pieces, arriving) = sync_channel::<Vec<u8>>(AHEAD);
        let hasher = std::thread::Builder::new()
            .name("shelf-hash".to_owned())
            .spawn(move || {
                let mut hasher = FileHasher::new([Algorithm::Sha256]);
                for piece in arriving {
                    hasher.update(&piece);
                }
                hasher.finish()
            })?;
        Ok(Self {
            staged,
            pieces,
            hasher,
            piece: Vec::new(),
            bytes: 0,
        })
    }

    /// Bytes that came.
    #[must_use]
    pub fn bytes(&self) -> u64 {
        self.bytes
    }

    /// Takes all of `from` in; `told` hears how far it is and says whether to go on.
    ///
    /// # Errors
    /// When it can't be read or written; [`io::ErrorKind::Interrupted`] where it was told to stop.
    pub(crate) fn all_of(
        &mut self,
        from: &mut dyn Read,
        told: &mut dyn FnMut(u64) -> bool,
    ) -> io::Result<()> {
        let mut piece = vec![0; PIECE_BYTES];
        loop {
            let read = from.read(&mut piece)?;
            if read == 0 {
                return Ok(());
            }
            self.write_all(&piece[..read])?;
            if !told(self.bytes) {
                return Err(io::ErrorKind::Interrupted.into());
            }
        }
    }

    /// Ends it: all bytes came.
    pub(crate) fn end(mut self) -> io::Result<Arrived> {
        self.flush()?;
        drop(self.pieces);
        let seen = self
            .hasher
            .join()
            .map_err(|_| io::Error::other("hashing broke off"))?;
        Ok(Arrived {
            staged: self.staged,
            seen,
        })
    }
}

impl Write for Intake {
    fn write(&mut self, bytes: &[u8]) -> io::Result<usize> {
        self.piece.extend_from_slice(bytes);
        self.bytes += bytes.len() as u64;
        if self.piece.len() >= PIECE_BYTES {
            self.flush()?;
        }
        Ok(bytes.len())
    }

    fn flush(&mut self) -> io::Result<()> {
        let piece = std::mem::take(&mut self.piece);
        if piece.is_empty() {
            return Ok(());
        }
        self.staged.file().write_all(&piece)?;
        self.pieces
            .send(piece)
            .map_err(|_| io::Error::other("hashing broke off"))
    }
}

/// A file that is made out of order, as a payload's partition is, and hashed once it is whole.
pub(crate) fn arrived(mut staged: Staged, algorithms: &[Algorithm]) -> io::Result<Arrived> {
    let file = staged.file();
    file.seek(SeekFrom::Start(0))?;
    let mut hasher = FileHasher::new(algorithms.iter().copied());
    let mut piece = vec![0; PIECE_BYTES];
    loop {
        match file.read(&mut piece)? {
            0 => break,
            read => hasher.update(&piece[..read]),
        }
    }
    Ok(Arrived {
        seen: hasher.finish(),
        staged,
    })
}
