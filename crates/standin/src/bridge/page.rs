//! The plain page: the device's screen and button for a person's hands. No token, since it stands
//! for the object on the table; requests from other pages are refused by their origin.

use axum::Router;
use axum::extract::{Form, Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::{Html, IntoResponse, Redirect, Response};
use axum::routing::{get, post};
use serde::Deserialize;

use veritope_formats::make::{NewMember, tar_of};

use crate::bridge::Bridge;
use veritope_wire::body::{AnswersTo, BodyAct, BodyKey, Face, Highlight, Push};

pub(crate) fn routes() -> Router<Bridge> {
    Router::new()
        .route("/", get(index))
        .route("/page.js", get(script))
        .route("/page.css", get(style))
        .route("/device/{handle}", get(page))
        .route("/device/{handle}/face", get(fragment))
        .route("/device/{handle}/do", post(act))
        .route("/device/{handle}/dumps.tar", get(dumps))
}

pub(crate) const HEAD: &str = r#"<!doctype html><html lang="en"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width"><title>Stand-in device</title>
<link rel="stylesheet" href="/page.css"><script src="/page.js" defer></script></head><body><main>"#;
pub(crate) const TAIL: &str = "</main></body></html>";

async fn script() -> Response {
    let text = r#"const face = document.getElementById('face');
if (face) setInterval(async () => {
  const answer = await fetch(location.pathname + '/face').catch(() => null);
  if (!answer || !answer.ok) return;
  const html = await answer.text();
  if (face.dataset.seen !== html) { face.dataset.seen = html; face.innerHTML = html; }
}, 300);
const send = (press) => fetch(location.pathname + '/do', { method: 'POST', body: new URLSearchParams({ press }) });
const latch = () => document.getElementById('latch')?.checked;
const down = new Set();
const move = (key, to) => {
  if (to === 'down') down.add(key); else down.delete(key);
  send(to + ':' + key);
};
document.addEventListener('pointerdown', (event) => {
  const key = event.target.dataset?.key;
  if (key) move(key, latch() && down.has(key) ? 'up' : 'down');
});
document.addEventListener('pointerup', () => {
  if (!latch()) [...down].forEach((key) => move(key, 'up'));
});
for (const [name, to] of [['keydown', 'down'], ['keyup', 'up']]) document.addEventListener(name, (event) => {
  const key = event.target.dataset?.key;
  if (!key || event.repeat || (event.key !== ' ' && event.key !== 'Enter')) return;
  event.preventDefault();
  if (latch()) { if (to === 'down') move(key, down.has(key) ? 'up' : 'down'); } else move(key, to);
});
document.addEventListener('submit', async (event) => {
  event.preventDefault();
  const form = event.target;
  await fetch(form.action, { method: 'POST', body: new URLSearchParams(new FormData(form, event.submitter)) });
});
"#;
    (
        [(header::CONTENT_TYPE, "text/javascript; charset=utf-8")],
        text,
    )
        .into_response()
}

async fn style() -> Response {
    let text = "body{font:18px/1.5 sans-serif;background:#d8d8d4;color:#1b1b1b;margin:0}
main{max-width:30rem;margin:2rem auto;padding:0 1rem}
.screen{background:#101214;color:#e9e9e4;border-radius:2rem;padding:2rem;min-height:14rem;box-sizing:border-box}
.screen p{margin:.2rem 0;font-family:monospace}
[aria-pressed=true]{background:#1b1b1b;color:#fff}
.screen button{display:block;width:100%;margin:.5rem 0;padding:.6rem;font:inherit;background:#2b2f33;color:#e9e9e4;border:2px solid #666;border-radius:.6rem}
.screen button.default{border-color:#fff}
.dock{display:flex;flex-wrap:wrap;gap:.5rem;margin-top:1rem}
.dock button{font:inherit;padding:.6rem 1rem}";
    ([(header::CONTENT_TYPE, "text/css; charset=utf-8")], text).into_response()
}

async fn index(State(bridge): State<Bridge>) -> Html<String> {
    let links: String = bridge
        .handles()
        .iter()
        .map(|handle| {
            format!(
                "<li><a href=\"/device/{}\">{}</a></li>",
                escape(handle),
                escape(&named(handle))
            )
        })
        .collect();
    Html(format!(
        "{HEAD}<h1>Stand-in devices</h1><ul>{links}</ul><h2>Stand-in services</h2><ul><li><a href=\"/portal\">The maker's portal for tokens</a></li><li><a href=\"/builds\">The build server</a></li></ul>{TAIL}"
    ))
}

async fn page(State(bridge): State<Bridge>, Path(handle): Path<String>) -> Response {
    match bridge.with(&handle, |device| Ok(device.face())) {
        Ok(face) => Html(format!(
            "{HEAD}<h1>{} <small>(simulated)</small></h1><div id=\"face\">{}</div><p><label><input type=\"checkbox\" id=\"latch\"> Keys stay down until pressed again</label></p><p><a href=\"/device/{}/dumps.tar\" download>Dump it with a program of one's own</a></p><p><a href=\"/\">All devices</a></p>{TAIL}",
            escape(&named(&handle)),
            render(&handle, &face),
            escape(&handle)
        ))
        .into_response(),
        Err(refusal) => (StatusCode::NOT_FOUND, refusal.words).into_response(),
    }
}

/// A handle as the name that its unit bears on a bench: a table's devices are called by it.
fn named(handle: &str) -> String {
    let mut signs = handle.chars();
    let first = signs.next().map(|sign| sign.to_uppercase().to_string());
    first.unwrap_or_default() + signs.as_str()
}

/// What a program of a person's own reads of it, where what runs lets it.
async fn dumps(State(bridge): State<Bridge>, Path(handle): Path<String>) -> Response {
    let read = tokio::task::spawn_blocking(move || bridge.with(&handle, |device| device.dumped()));
    let files = match read.await {
        Ok(Ok(files)) => files,
        Ok(Err(refusal)) => return (StatusCode::CONFLICT, refusal.words).into_response(),
        Err(_) => return StatusCode::INTERNAL_SERVER_ERROR.into_response(),
    };
    let views: Vec<(&str, &[u8])> = files
        .iter()
        .map(|(name, bytes)| (name.as_str(), bytes.as_slice()))
        .collect();
    let members: Vec<NewMember<'_>> = views
        .iter()
        .map(|(name, bytes)| NewMember { name, bytes })
        .collect();
    let mut tar = Vec::new();
    match tar_of(&members, &mut tar) {
        Ok(()) => ([(header::CONTENT_TYPE, "application/x-tar")], tar).into_response(),
        Err(error) => (StatusCode::INTERNAL_SERVER_ERROR, error.to_string()).into_response(),
    }
}

async fn fragment(State(bridge): State<Bridge>, Path(handle): Path<String>) -> Response {
    match bridge.with(&handle, |device| Ok(device.face())) {
        Ok(face) => Html(render(&handle, &face)).into_response(),
        Err(refusal) => (StatusCode::NOT_FOUND, refusal.words).into_response(),
    }
}

#[derive(Deserialize)]
struct Pressed {
    press: String,
}

async fn act(
    State(bridge): State<Bridge>,
    Path(handle): Path<String>,
    headers: HeaderMap,
    Form(pressed): Form<Pressed>,
) -> Response {
    if is_foreign(&headers) {
        return (StatusCode::FORBIDDEN, "only from this page").into_response();
    }
    let key = |name: &str, to| BodyKey::from_id(name).map(|key| BodyAct::Key { key, to });
    let act = match pressed.press.split_once(':') {
        Some(("down", name)) => key(name, Push::Down),
        Some(("up", name)) => key(name, Push::Up),
        _ => None,
    };
    let act = act.unwrap_or(BodyAct::Touch {
        button: pressed.press,
    });
    match bridge.with(&handle, |device| device.body(&act)) {
        Ok(()) => Redirect::to(&format!("/device/{handle}")).into_response(),
        Err(refusal) => (StatusCode::CONFLICT, refusal.words).into_response(),
    }
}

/// Whether another page sent this request.
pub(crate) fn is_foreign(headers: &HeaderMap) -> bool {
    let text = |name| headers.get(name).and_then(|value| value.to_str().ok());
    let host = text(header::HOST).unwrap_or("");
    text(header::ORIGIN).is_some_and(|origin| origin != format!("http://{host}"))
}

fn render(handle: &str, face: &Face) -> String {
    let mut screen: String = face
        .lines
        .iter()
        .map(|line| format!("<p>{}</p>", escape(line)))
        .collect();
    let press = |id: &str, label: &str, class: &str| {
        let (id, label) = (escape(id), escape(label));
        format!("<button name=\"press\" value=\"{id}\" class=\"{class}\">{label}</button>")
    };
    for known in &face.buttons {
        let is_marked = known.highlight == Highlight::Default;
        screen.push_str(&match (known.by, is_marked) {
            (AnswersTo::Touch, true) => press(&known.id, &known.label, "default"),
            (AnswersTo::Touch, false) => press(&known.id, &known.label, ""),
            (AnswersTo::Keys, true) => {
                format!("<p class=\"line\"><b>▸ {}</b></p>", escape(&known.label))
            }
            (AnswersTo::Keys, false) => format!("<p class=\"line\">{}</p>", escape(&known.label)),
        });
    }
    let hands: String = face
        .hands
        .iter()
        .map(|known| press(&known.id, &known.label, ""))
        .collect();
    let keys: String = face
        .keys
        .iter()
        .map(|known| {
            let held = known.held == Push::Down;
            format!(
                "<button type=\"button\" data-key=\"{}\" aria-pressed=\"{held}\">{}</button>",
                known.key.id(),
                escape(&known.label)
            )
        })
        .collect();
    let lamp = face.lamp.as_deref().map_or(String::new(), |colour| {
        format!("<p>Lamp: {}</p>", escape(colour))
    });
    let shakes = if face.shakes { "<p>It shakes.</p>" } else { "" };
    format!(
        "<form method=\"post\" action=\"/device/{}/do\"><div class=\"screen\">{screen}</div>{lamp}{shakes}<div class=\"dock\">{keys}</div><div class=\"dock\">{hands}</div></form>",
        escape(handle)
    )
}

pub(crate) fn escape(text: &str) -> String {
    text.replace('&', "&amp;")
        .replace('<', "&lt;")
        .replace('>', "&gt;")
        .replace('"', "&quot;")
}
