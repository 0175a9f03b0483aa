//! A thread that waits for the disk, so that reading and compressing need not.

use std::fs::File;
use std::io::{self, Write};
use std::sync::mpsc::{SyncSender, TrySendError, sync_channel};
use std::sync::{Arc, Mutex, PoisonError};
use std::thread::JoinHandle;

/// Sees that files are on the disk, one after the other, and then writes a mark.
#[derive(Debug)]
pub(crate) struct Syncer {
    work: Option<SyncSender<(Arc<File>, Vec<u8>)>>,
    failed: Arc<Mutex<Option<io::Error>>>,
    thread: Option<JoinHandle<()>>,
}

impl Syncer {
    /// A thread that writes its marks into `journal`.
    pub(crate) fn new(journal: Arc<File>) -> Self {
        let (work, queue) = sync_channel::<(Arc<File>, Vec<u8>)>(1);
        let failed = Arc::new(Mutex::new(None));
        let told = Arc::clone(&failed);
        let thread = std::thread::spawn(move || {
            for (file, mark) in queue {
                let done = file
                    .sync_data()
                    .and_then(|()| (&*journal).write_all(&mark))
                    .and_then(|()| journal.sync_data());
                if let Err(error) = done {
                    *told.lock().unwrap_or_else(PoisonError::into_inner) = Some(error);
                    return;
                }
            }
        });
        Self {
            work: Some(work),
            failed,
            thread: Some(thread),
        }
    }

    /// Asks for a file; says whether it will be seen to. It is not while another one waits already: whoever
    /// asks comes again.
    pub(crate) fn ask(&self, file: Arc<File>, mark: Vec<u8>) -> bool {
        let asked = self.work.as_ref().map(|work| work.try_send((file, mark)));
        !matches!(asked, Some(Err(TrySendError::Full(_))))
    }

    /// Whether something did not reach the disk.
    pub(crate) fn has_failed(&self) -> io::Result<()> {
        let mut failed = self.failed.lock().unwrap_or_else(PoisonError::into_inner);
        failed.take().map_or(Ok(()), Err)
    }
}

impl Drop for Syncer {
    fn drop(&mut self) {
        self.work = None;
        if let Some(thread) = self.thread.take() {
            // It panics nowhere; if it did, what it did not mark is hashed again.
            let _ = thread.join();
        }
    }
}
