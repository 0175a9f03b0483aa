//! What comes out where one thing is taken out of another, and why nothing does.

use std::io::{self, Read, Seek, SeekFrom, Write};

use super::finding::Findings;

/// What was taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Taken {
    /// Its length in bytes.
    pub bytes: u64,
    /// SHA-256 that what holds it says that it has, in hexadecimal; whoever hashes it compares.
    pub sha256: Option<String>,
    /// Bytes of which a sparse image says nothing: they came out as zeros. Of one piece of several that is not
    /// what lies there.
    pub not_said: u64,
}

/// Why nothing was taken.
#[derive(Debug, thiserror::Error)]
pub enum NotTaken {
    /// It is not there.
    #[error("there is no {0} in it")]
    Missing(String),
    /// Two have the name.
    #[error("two members are called {0}: which one is meant, nobody knows")]
    Twice(String),
    /// It is something else.
    #[error("it is not what that can be taken out of")]
    Another,
    /// It is refused for what it is.
    #[error("{0} is refused: {1}")]
    Refused(String, &'static str),
    /// What comes out is not what should.
    #[error("it is damaged: {0}")]
    Damaged(String),
    /// It would be longer than may be.
    #[error("it would be longer than {0} bytes")]
    TooLong(u64),
    /// Bytes can't be read or written.
    #[error("bytes can't be read or written: {0}")]
    Medium(#[from] io::Error),
}

/// The gravest thing that was found, as an error.
pub(crate) fn damaged(findings: Findings) -> NotTaken {
    let says = findings.all().into_iter().next().map(|one| one.says);
    NotTaken::Damaged(says.unwrap_or_else(|| "it ends too soon".to_owned()))
}

/// Copies all of `from`, at most `most` bytes.
pub(crate) fn copied(
    from: &mut dyn Read,
    most: u64,
    into: &mut dyn Write,
) -> Result<u64, NotTaken> {
    let mut piece = vec![0; 256 << 10];
    let mut bytes = 0_u64;
    loop {
        let read = match from.read(&mut piece) {
            Ok(0) => return Ok(bytes),
            Ok(read) => read,
            Err(error) if error.kind() == io::ErrorKind::QuotaExceeded => {
                return Err(NotTaken::TooLong(most));
            }
            Err(error) if error.kind() == io::ErrorKind::Interrupted => continue,
            Err(error) => return Err(NotTaken::Damaged(error.to_string())),
        };
        bytes += read as u64;
        if bytes > most {
            return Err(NotTaken::TooLong(most));
        }
        into.write_all(&piece[..read])?;
    }
}

/// Writes `bytes` bytes from `from` at `at`.
pub(crate) fn put_at<W: Write + Seek>(
    into: &mut W,
    at: u64,
    from: &mut dyn Read,
    bytes: u64,
) -> Result<(), NotTaken> {
    into.seek(SeekFrom::Start(at))?;
    let mut limited = from.take(bytes);
    let put = copied(&mut limited, bytes, into)?;
    if put == bytes {
        Ok(())
    } else {
        Err(NotTaken::Damaged(format!(
            "{bytes} bytes should come, and {put} did"
        )))
    }
}
