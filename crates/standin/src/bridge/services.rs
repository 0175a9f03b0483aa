//! Services that a modder meets outside: the maker's portal that sends tokens by mail, and a server
//! with builds. Plain pages for a person; both forget everything when the stand-in ends.

use axum::Router;
use axum::extract::{Form, Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::get;
use serde::Deserialize;

use crate::bridge::page::{HEAD, TAIL, escape, is_foreign};
use crate::bridge::{Bridge, Mail};
use crate::content::{Noise, image_of};
use crate::profile::Profile;
use crate::scheme::{Brings, SCHEMES, Scheme};

/// How long a mail takes, in device time.
const MAIL_MS: i64 = 24 * 3_600_000;
/// Bytes of a package on the server.
const PACKAGE_BYTES: usize = 1 << 20;

pub(crate) fn routes() -> Router<Bridge> {
    Router::new()
        .route("/portal", get(portal).post(ask))
        .route("/builds", get(builds))
        .route("/builds/{name}", get(download))
}

async fn portal(State(bridge): State<Bridge>) -> Html<String> {
    let mails: String = bridge
        .mails()
        .clone()
        .iter()
        .map(|mail| {
            let now = bridge.with(&mail.handle, |device| Ok(device.now_ms()));
            match now {
                Ok(now) if now >= mail.due_ms => format!(
                    "<li>A mail for {}: <code>{}</code></li>",
                    escape(&mail.handle),
                    escape(&mail.token)
                ),
                Ok(now) => format!(
                    "<li>A mail for {} comes in {} h of its time.</li>",
                    escape(&mail.handle),
                    (mail.due_ms - now) / 3_600_000 + 1
                ),
                Err(_) => String::new(),
            }
        })
        .collect();
    Html(format!(
        "{HEAD}<h1>Portal for tokens</h1><form method=\"post\" action=\"/portal\">\
         <p><label>Equipment ID <input name=\"equipment\" autocomplete=\"off\"></label></p>\
         <p><label><input type=\"checkbox\" name=\"agreed\" value=\"yes\"> I accept the agreement</label></p>\
         <button>Send me a token</button></form><h2>Mailbox</h2><ul>{mails}</ul>\
         <p><a href=\"/\">All devices</a></p>{TAIL}"
    ))
}

#[derive(Deserialize)]
struct Asked {
    #[serde(default)]
    equipment: String,
    #[serde(default)]
    agreed: String,
}

async fn ask(
    State(bridge): State<Bridge>,
    headers: HeaderMap,
    Form(asked): Form<Asked>,
) -> Response {
    if is_foreign(&headers) {
        return (StatusCode::FORBIDDEN, "only from this page").into_response();
    }
    let refuse = |words: &'static str| (StatusCode::CONFLICT, words).into_response();
    if asked.agreed != "yes" {
        return refuse("the agreement is not accepted");
    }
    let digits: String = asked
        .equipment
        .chars()
        .filter(char::is_ascii_digit)
        .collect();
    if !is_sound(&digits) {
        return refuse("this is not a valid equipment ID");
    }
    let Some(handle) = bridge.holder_of(&digits) else {
        return refuse("no such unit is registered");
    };
    let found = bridge.with(&handle, |device| {
        let token = device.gate().map(|gate| gate.token.clone());
        Ok((device.now_ms(), token.unwrap_or_default()))
    });
    match found {
        Ok((_, token)) if token.is_empty() => refuse("this unit takes no token"),
        Ok((now, token)) => {
            bridge.mails().push(Mail {
                handle,
                due_ms: now + MAIL_MS,
                token,
            });
            Redirect::to("/portal").into_response()
        }
        Err(refusal) => (StatusCode::CONFLICT, refusal.words).into_response(),
    }
}

/// Fifteen digits whose sum, every second from the right doubled and its digits added, ends in 0.
fn is_sound(digits: &str) -> bool {
    let sum: u32 = digits
        .bytes()
        .rev()
        .enumerate()
        .map(|(at, byte)| {
            let digit = u32::from(byte - b'0');
            match at % 2 {
                0 => digit,
                _ => digit * 2 / 10 + digit * 2 % 10,
            }
        })
        .sum();
    digits.len() == 15 && sum.is_multiple_of(10)
}

async fn builds() -> Html<String> {
    let rows: String = SCHEMES
        .iter()
        .flat_map(|scheme| scheme.packages.iter().map(move |one| (scheme, one)))
        .map(|(scheme, one)| {
            let what = match one.brings {
                Brings::Whole => format!("whole build {}", one.build),
                Brings::From(base) => format!("from {base} to {}", one.build),
                Brings::Enabler => format!("enabler for {}", one.build),
            };
            format!(
                "<li><a href=\"/builds/{0}\">{0}</a>: {1}, {what}, blake3 <code>{2}</code></li>",
                one.name,
                scheme.codename,
                blake3::hash(&package_bytes(one.name)).to_hex()
            )
        })
        .collect();
    Html(format!(
        "{HEAD}<h1>Builds</h1><ul>{rows}</ul><p><a href=\"/\">All devices</a></p>{TAIL}"
    ))
}

async fn download(Path(name): Path<String>) -> Response {
    if SCHEMES
        .iter()
        .all(|scheme: &Scheme| scheme.package(&name).is_none())
    {
        return (StatusCode::NOT_FOUND, "there is no such package").into_response();
    }
    (
        [(header::CONTENT_TYPE, "application/octet-stream")],
        package_bytes(&name),
    )
        .into_response()
}

/// Partitions that hold the maker's recovery, or start it, the likelier first.
const STARTS_RECOVERY: [&str; 3] = ["recovery", "vendor_boot_a", "boot_a"];

/// Bytes of a package, as the build server has them: a whole one brings what starts its maker's recovery as an image
/// among the rest.
#[must_use]
pub fn package_bytes(name: &str) -> Vec<u8> {
    let rest = Noise::new(0, name).firmware(PACKAGE_BYTES);
    let mut schemes = SCHEMES.iter();
    let whole = schemes.find_map(|scheme| {
        let package = scheme.package(name)?;
        (package.brings == Brings::Whole).then_some((scheme, package))
    });
    let image = whole.and_then(|(scheme, package)| {
        let profile = Profile::named(scheme.codename)?.on_build(package.build)?;
        let of = |label| Some((label, image_of(&profile, label)?));
        STARTS_RECOVERY.into_iter().find_map(of)
    });
    let Some((label, image)) = image else {
        return rest;
    };
    let member = format!("{}.img", label.trim_end_matches("_a"));
    let members = [("system.pieces", rest), (member.as_str(), image)];
    zip_of(&members).unwrap_or_default()
}

/// An archive of these, in this order, nothing of it packed.
fn zip_of(members: &[(&str, Vec<u8>)]) -> zip::result::ZipResult<Vec<u8>> {
    let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
    let plain =
        zip::write::SimpleFileOptions::default().compression_method(zip::CompressionMethod::Stored);
    for (name, bytes) in members {
        zip.start_file(*name, plain)?;
        std::io::Write::write_all(&mut zip, bytes)?;
    }
    Ok(zip.finish()?.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_portal_takes_sound_equipment_ids_only() {
        let sound = (0..10).filter(|last| is_sound(&format!("35184607432156{last}")));
        assert_eq!(sound.count(), 1);
        assert!(!is_sound(""));
        assert!(!is_sound("0000"));
    }

    #[test]
    fn packages_differ_and_are_the_same_each_time() {
        assert_eq!(
            package_bytes("mallet-full-3.1"),
            package_bytes("mallet-full-3.1")
        );
        assert_ne!(
            package_bytes("mallet-full-3.1"),
            package_bytes("mallet-full-4.0")
        );
    }
}
