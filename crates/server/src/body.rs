//! A body of any length, written to the disk as it comes.

use std::io::Write as _;

use axum::http::{HeaderMap, StatusCode, header};
use futures_util::StreamExt as _;
use tokio::sync::mpsc;
use veritope_engine::LibraryError;
use veritope_engine::library::shelf::Intake;

use crate::error::Problem;

/// What comes through a body.
enum Piece {
    Bytes(axum::body::Bytes),
    End,
}

/// Pieces of a body that wait for the disk at most.
const AHEAD: usize = 8;

/// Takes a body in: `begin` gets its announced length, `end` what came whole. Whoever goes away before the end leaves
/// nothing.
///
/// # Errors
/// What either says, what the disk says, or that it was stopped.
pub(crate) async fn received<T: Send + 'static>(
    headers: HeaderMap,
    body: axum::body::Body,
    begin: impl FnOnce(u64) -> Result<Intake, Problem> + Send + 'static,
    end: impl FnOnce(Intake) -> Result<T, Problem> + Send + 'static,
) -> Result<T, Problem> {
    let length = headers
        .get(header::CONTENT_LENGTH)
        .and_then(|value| value.to_str().ok()?.parse::<u64>().ok());
    let (pieces, mut coming) = mpsc::channel::<Piece>(AHEAD);
    let working = tokio::task::spawn_blocking(move || -> Result<T, Problem> {
        let mut intake = begin(length.unwrap_or(0))?;
        loop {
            match coming.blocking_recv() {
                Some(Piece::Bytes(bytes)) => {
                    intake.write_all(&bytes).map_err(LibraryError::ShelfFile)?;
                }
                Some(Piece::End) => break,
                None => return Err(LibraryError::Stopped.into()),
            }
        }
        end(intake)
    });
    let mut stream = body.into_data_stream();
    let mut came = 0_u64;
    let is_whole = loop {
        match stream.next().await {
            Some(Ok(bytes)) => {
                came += bytes.len() as u64;
                if pieces.send(Piece::Bytes(bytes)).await.is_err() {
                    break false;
                }
            }
            Some(Err(_)) => break false,
            None => break length.is_none_or(|length| length == came),
        }
    };
    if is_whole {
        // Gone where the work ended already; its answer says why.
        let _ = pieces.send(Piece::End).await;
    }
    drop(pieces);
    working.await.unwrap_or_else(|error| {
        tracing::error!(%error, "taking a body in broke off");
        Err(Problem::new(
            StatusCode::INTERNAL_SERVER_ERROR,
            "broke-off",
            "Something went wrong inside; the log of the server tells more.",
        ))
    })
}
