//! The built front end: inside the binary (feature `embedded`) or from a folder. Every address that
//! is neither a file nor the API is a view of the one page.

use std::path::{Path, PathBuf};

use axum::http::{HeaderValue, StatusCode, Uri, header};
use axum::response::{IntoResponse, Response};
use uuid::Uuid;

use crate::error::Problem;
use crate::guard::content_security;

/// Where the built front end is.
#[derive(Debug, Clone)]
pub enum FrontEnd {
    /// In this binary.
    #[cfg(feature = "embedded")]
    Embedded,
    /// In a folder.
    Folder(PathBuf),
    /// Nowhere: only the API is served.
    None,
}

/// The front end is not where it should be.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("there is no built front end in {}: `cargo xtask demo` builds it, or name its folder with --front", .0.display())]
pub struct NoFrontEnd(PathBuf);

#[cfg(feature = "embedded")]
#[derive(rust_embed::Embed)]
#[folder = "../../web/dist"]
struct Built;

/// Stands in the page where the nonce of the answer goes.
const NONCE_PLACE: &str = "__VERITOPE_NONCE__";

impl FrontEnd {
    /// Checks that there is something to serve.
    ///
    /// # Errors
    /// When the folder holds no page.
    pub fn check(&self) -> Result<(), NoFrontEnd> {
        match self {
            Self::Folder(folder) if !folder.join("index.html").is_file() => {
                Err(NoFrontEnd(folder.clone()))
            }
            _ => Ok(()),
        }
    }

    fn file(&self, path: &str) -> Option<Vec<u8>> {
        let is_plain = path.split('/').all(|part| {
            !part.is_empty() && !part.starts_with('.') && !part.contains(['\\', ':', '\0'])
        });
        if !is_plain {
            return None;
        }
        match self {
            #[cfg(feature = "embedded")]
            Self::Embedded => Built::get(path).map(|file| file.data.into_owned()),
            Self::Folder(folder) => std::fs::read(folder.join(Path::new(path))).ok(),
            Self::None => None,
        }
    }

    /// Answers a request for a page or a file of it. Blocking: call it off the async threads.
    pub(crate) fn answer(&self, uri: &Uri) -> Response {
        let path = uri.path().trim_start_matches('/');
        if path.starts_with("api/") || path == "api" {
            return Problem::new(
                StatusCode::NOT_FOUND,
                "not-found",
                "There is no such route.",
            )
            .into_response();
        }
        if path != "index.html"
            && let Some(bytes) = self.file(path)
        {
            let mime = mime_guess::from_path(path).first_or_octet_stream();
            // Built files carry a digest in their names.
            let keep = if path.starts_with("assets/") {
                "public, max-age=31536000, immutable"
            } else {
                "no-cache"
            };
            return (
                [
                    (header::CONTENT_TYPE, mime.as_ref()),
                    (header::CACHE_CONTROL, keep),
                ],
                bytes,
            )
                .into_response();
        }
        if path.starts_with("assets/") {
            return StatusCode::NOT_FOUND.into_response();
        }
        self.page()
    }

    fn page(&self) -> Response {
        let Some(page) = self
            .file("index.html")
            .and_then(|bytes| String::from_utf8(bytes).ok())
        else {
            return Problem::new(
                StatusCode::NOT_FOUND,
                "not-found",
                "This server serves the API only; the front end is not built.",
            )
            .into_response();
        };
        let nonce = Uuid::new_v4().simple().to_string();
        let mut answer = (
            [
                (header::CONTENT_TYPE, "text/html; charset=utf-8"),
                (header::CACHE_CONTROL, "no-store"),
            ],
            page.replace(NONCE_PLACE, &nonce),
        )
            .into_response();
        if let Ok(policy) = HeaderValue::from_str(&content_security(Some(&nonce))) {
            answer
                .headers_mut()
                .insert(header::CONTENT_SECURITY_POLICY, policy);
        }
        answer
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_path_leaves_the_folder() {
        let folder = tempfile::tempdir().unwrap();
        let inside = folder.path().join("dist");
        std::fs::create_dir(&inside).unwrap();
        std::fs::write(inside.join("index.html"), "page").unwrap();
        std::fs::write(folder.path().join("secret"), "secret").unwrap();
        let front = FrontEnd::Folder(inside);
        assert_eq!(front.file("index.html").as_deref(), Some(&b"page"[..]));
        for path in [
            "../secret",
            "./../secret",
            "/etc/passwd",
            "a/../../secret",
            "..\\secret",
            ".hidden",
            "",
        ] {
            assert_eq!(front.file(path), None, "{path}");
        }
    }

    #[test]
    fn a_folder_without_a_page_is_named() {
        let error = FrontEnd::Folder("/nowhere".into()).check().unwrap_err();
        assert!(
            error
                .to_string()
                .starts_with("there is no built front end in /nowhere")
        );
    }
}
