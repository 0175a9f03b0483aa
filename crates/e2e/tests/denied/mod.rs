//! A server that permits nothing: then nothing on any page acts, whatever is filled in and clicked.

use std::time::Duration;

use serde_json::{Value, json};
use veritope_e2e::proxy::Proxy;
use veritope_e2e::{Bench, Outcome};

use super::{FAST, by_hand, captured, in_browser};

/// Controls on one page that are tried at most.
const MOST_CLICKS: u32 = 160;
/// Looks at a page that asks once more before it is said to be through.
const QUIET: u32 = 3;

/// Fills every empty field, and clicks the next control that was not clicked yet: what closes things comes last.
/// Gives its words, or nothing when all were tried.
const CLICK_ONE: &str = "
    window.print = () => {};
    const tried = (window.tried ??= new Set());
    const shown = (one) => one.offsetParent !== null || one.getClientRects().length > 0;
    const samples = { month: '2026-10', 'datetime-local': '2026-10-01T10:00' };
    for (const field of document.querySelectorAll('input, textarea')) {
      if (['checkbox', 'radio', 'file'].includes(field.type) || field.value !== '' || field.disabled) continue;
      if (!shown(field) || field.readOnly) continue;
      const kind = field instanceof HTMLTextAreaElement ? HTMLTextAreaElement : HTMLInputElement;
      const set = Object.getOwnPropertyDescriptor(kind.prototype, 'value').set;
      set.call(field, samples[field.type] ?? (field.inputMode === 'numeric' ? '7' : 'Sanderling'));
      field.dispatchEvent(new Event('input', { bubbles: true }));
    }
    const named = (one) =>
      one.getAttribute('aria-label') ?? (one.closest('label')?.innerText || one.innerText).trim();
    const all = [...document.querySelectorAll('button, input[type=checkbox], input[type=radio], [role=tab]')]
      .filter((one) => !one.disabled && (one.type === 'checkbox' || one.type === 'radio' || shown(one)))
      // The list of units and what is said of colours and keys stand around the page.
      .filter((one) => one.closest('nav') === null);
    const last = (one) => (/^(close|cancel)/i.test(named(one)) ? 1 : 0);
    const next = all
      .map((one, index) => [one, `${one.tagName} ${one.type} ${one.name} ${one.value} ${named(one)}`, index])
      .sort((a, b) => last(a[0]) - last(b[0]) || a[2] - b[2])
      .find(([, key]) => !tried.has(key));
    if (next === undefined) return null;
    tried.add(next[1]);
    for (const kind of ['pointerdown', 'pointerup']) {
      next[0].dispatchEvent(new PointerEvent(kind, { bubbles: true }));
    }
    next[0].click();
    return next[1];";

/// Clicks whatever can be clicked on the page at `path`; gives how many controls that were.
async fn try_all(bench: &Bench, proxy: &Proxy, path: &str) -> Outcome<u32> {
    bench.browser.goto(&format!("{}{path}", proxy.url)).await?;
    let is_there = "const main = document.querySelector('main');
        return (main?.innerText ?? '').trim() !== '' && main.querySelector('[aria-busy=true]') === null";
    while bench.run(is_there).await? != json!(true) {
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    let mut clicks = 0;
    let mut quiet = 0;
    while quiet < QUIET && clicks < MOST_CLICKS {
        match bench.run(CLICK_ONE).await? {
            Value::Null => {
                quiet += 1;
                tokio::time::sleep(Duration::from_millis(150)).await;
            }
            _ => {
                quiet = 0;
                clicks += 1;
            }
        }
        // A click may have led elsewhere: this page is tried to its end.
        let here = bench.run("return location.pathname").await?;
        if here != json!(path) && !here.as_str().is_some_and(|here| here.starts_with(path)) {
            bench.browser.back().await?;
        }
    }
    Ok(clicks)
}

/// Ids of the units on the bench, with their names.
async fn units(bench: &Bench) -> Outcome<Vec<(String, String)>> {
    let script = "return fetch('/api/bench').then((r) => r.json())
        .then((bench) => bench.units.map((unit) => [unit.id, unit.nickname]))";
    Ok(serde_json::from_value(bench.run(script).await?)?)
}

fn id_of(units: &[(String, String)], wanted: &str) -> String {
    let unit = units.iter().find(|(_, nickname)| nickname == wanted);
    unit.map(|(id, _)| id.clone()).unwrap()
}

#[test]
fn nothing_acts_without_a_permission() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        // A capture with places to copy it to, and a run that waits for the next step.
        captured(&bench).await?;
        // Another one that has begun, and one in a person's hands.
        bench.to("Ruff", "Run").await?;
        bench.choose("Go to bootloader mode").await?;
        bench.click("Begin").await?;
        bench.sees("Step 1 of").await?;
        by_hand(&bench, "Finch Loop, watch on a dock", "Siskin").await?;
        bench.tell("Mode", "running system").await?;
        bench.tell("Commands from a computer", "on").await?;
        bench.click("Run").await?;
        bench.choose("Go to bootloader mode").await?;
        bench.click("Begin").await?;
        bench.click("Show me how").await?;
        bench.sees("What do you see now?").await?;
        let units = units(&bench).await?;
        let proxy = Proxy::before(bench.origin()).await?;
        let mut tried = 0;
        for path in ["/", "/settings", "/families/halyard"] {
            tried += try_all(&bench, &proxy, path).await?;
            assert_eq!(proxy.sent(), Vec::<String>::new(), "{path}");
        }
        let id_of = |wanted: &str| id_of(&units, wanted);
        // Each station once, and where something is in hand.
        for (nickname, station) in [
            ("Sanderling", "standing"),
            ("Sanderling", "backups"),
            ("Sanderling", "run"),
            ("Sanderling", "log"),
            ("Sanderling", "owner"),
            ("Ruff", "run"),
            ("Siskin", "standing"),
            ("Siskin", "run"),
            ("Curlew", "backups"),
        ] {
            let path = format!("/units/{}/{station}", id_of(nickname));
            tried += try_all(&bench, &proxy, &path).await?;
            assert_eq!(proxy.sent(), Vec::<String>::new(), "{nickname}: {station}");
        }
        assert!(tried > 100, "{tried} controls only show");

        // The same hands, where all is permitted as the server says: then much is sent.
        proxy.allow();
        for (nickname, station) in [
            ("Sanderling", "backups"),
            ("Ruff", "run"),
            ("Siskin", "standing"),
        ] {
            let path = format!("/units/{}/{station}", id_of(nickname));
            try_all(&bench, &proxy, &path).await?;
        }
        let sent = proxy.sent();
        for change in ["/facts", "/captures", "/stop"] {
            assert!(
                sent.iter().any(|one| one.ends_with(change)),
                "{change}: {sent:?}"
            );
        }
        bench.stop().await
    });
}

#[test]
fn what_breaks_off_breaks_off_alone() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        captured(&bench).await?;
        let units = units(&bench).await?;
        let unit = id_of(&units, "Sanderling");
        let backups = format!("/units/{}/backups", unit);
        let proxy = Proxy::before(bench.origin()).await?;
        proxy.allow();

        // A panel: the page around it goes on.
        proxy.break_off("/captures/");
        let address = format!("{}{backups}", proxy.url);
        bench.browser.goto(&address).await?;
        bench.click("Look into capture 1").await?;
        bench.sees("This part of the page broke off.").await?;
        bench.is_accessible().await?;
        bench.click("As a table").await?;
        bench.sees("As a chart").await?;

        // A view: the frame around it goes on, and leads elsewhere.
        proxy.break_off("/backups");
        bench.browser.goto(&address).await?;
        bench.sees("This part of the page broke off.").await?;
        bench.tag_says("Mode", "recovery").await?;
        bench.click("Log").await?;
        bench.sees("verified; it ends in").await?;
        bench.stop().await
    });
}

#[test]
fn a_change_is_read_anew_once() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        let units = units(&bench).await?;
        // By hand: nothing but what is said changes it.
        let unit = id_of(&units, "Lapwing");
        let proxy = Proxy::before(bench.origin()).await?;
        proxy.allow();
        let address = format!("{}/units/{}/standing", proxy.url, unit);
        bench.browser.goto(&address).await?;
        bench.sees("What is known").await?;
        bench.click("Show all facts").await?;
        let before = proxy.asked("/standing");
        bench.tell("Free space in MiB", "900").await?;
        bench.tell("Wireless", "works").await?;
        // Longer than the page waits for the server's word.
        tokio::time::sleep(Duration::from_millis(700)).await;
        assert_eq!(proxy.asked("/standing") - before, 2);
        bench.stop().await
    });
}

/// Lines of a log that are typed for it.
const MANY: u32 = 230;

#[test]
fn a_long_log_is_drawn_in_part_and_the_point_key_lands_on_no_answer() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.to("Lapwing", "Standing").await?;
        let units = units(&bench).await?;
        let unit = id_of(&units, "Lapwing");
        let typed = format!(
            "return (async () => {{
                for (let n = 0; n < {MANY}; n += 1) {{
                    const told = await fetch('/api/units/{unit}/facts', {{
                        method: 'POST',
                        headers: {{ 'content-type': 'application/json' }},
                        body: JSON.stringify({{
                            facts: [{{ key: 'free-mib', value: String(1000 + n) }}],
                            request: crypto.randomUUID(),
                        }}),
                    }});
                    if (!told.ok) return await told.text();
                }}
                return 'all';
            }})()"
        );
        assert_eq!(bench.run(&typed).await?, json!("all"));
        bench.click("Log").await?;
        for _ in 0..4 {
            bench.sees("Older lines").await?;
            bench.click("Older lines").await?;
            tokio::time::sleep(Duration::from_millis(300)).await;
        }
        let drawn = "return document.querySelectorAll('main ol > li').length";
        let newest = format!("Free space in MiB {}", 1000 + MANY - 1);
        bench.sees(&newest).await?;
        let drawn = bench.run(drawn).await?.as_u64().unwrap();
        assert!((10..120).contains(&drawn), "{drawn} lines are drawn");
        bench.is_accessible().await?;
        // Far down the oldest of them are drawn, and the newest are not.
        bench
            .run("const main = document.querySelector('main'); main.scrollTop = main.scrollHeight")
            .await?;
        bench.sees_not(&newest).await?;

        // The next step is a question: the key that leads there lands on it, and on none of its answers.
        bench.to("Gull", "Standing").await?;
        bench
            .sees("Does it answer this computer in bootloader mode?")
            .await?;
        bench.press(".").await?;
        let landed = "const at = document.activeElement;
            return [at.getAttribute('role'), at.getAttribute('aria-label'), at.querySelectorAll('button').length]";
        let answers = json!(["group", "Answered in bootloader mode", 2]);
        assert_eq!(bench.run(landed).await?, answers);
        bench.stop().await
    });
}
