//! What hands do: choreographies as a score, refusals beside the unlock.

use serde_json::json;
use veritope_e2e::Bench;

use super::{FAST, by_hand, in_browser};

/// A step by hand has its clock; what nobody knows takes a sentence and leads to causes, not back to the list.
#[test]
fn what_is_none_of_the_known_leads_to_causes() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        by_hand(&bench, "Finch Loop, watch on a dock", "Siskin").await?;
        bench.tell("Mode", "running system").await?;
        bench.tell("Commands from a computer", "on").await?;
        bench.click("Run").await?;
        bench.choose("Go to bootloader mode").await?;
        bench.sees("Print the sheet").await?;
        bench.click("Begin").await?;
        bench.click("Show me how").await?;
        bench.sees("Stuck after 1 min 30 s.").await?;
        bench.click("Something else").await?;
        bench.is_accessible().await?;
        bench
            .fill("In a sentence", "A green stripe and a number")
            .await?;
        bench.click("That is it").await?;
        bench.sees("What may be behind it").await?;
        bench
            .sees("Seen instead: A green stripe and a number.")
            .await?;
        bench
            .sees("Its battery is empty, or nothing answers at all.")
            .await?;
        bench.sees("Look which mode it is in").await?;
        let text = bench.run("return document.body.innerText").await?;
        assert!(!text.as_str().unwrap().contains("What do you see now?"));
        bench.is_accessible().await?;
        Ok(())
    });
}

/// The whole four-key choreography by a pedal, legible at arm's length.
#[test]
fn four_keys_are_led_by_a_pedal() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        let bramble = "Ostrel Bramble S, phone with a download mode";
        by_hand(&bench, bramble, "Whimbrel").await?;
        for (title, value) in [
            ("Mode", "download mode"),
            ("Lock", "unlocked"),
            ("Recovery partition", "another one"),
        ] {
            bench.tell(title, value).await?;
        }
        bench.click("Run").await?;
        bench.choose("Go to the custom recovery").await?;
        bench.click("Begin").await?;
        bench.click("Show me how").await?;
        bench
            .sees("Hold volume down, volume up, home and power, all at once.")
            .await?;
        bench.sees("Let all go; wait until it settles").await?;
        bench.is_accessible().await?;
        let sizes = bench
            .run(
                "const px = (e) => parseFloat(getComputedStyle(e).fontSize);
                 const group = document.querySelector('[role=group][aria-label=\"What both hands do\"]');
                 const texts = [...group.querySelectorAll('[aria-live=assertive] p')].map(px);
                 const keys = [...group.querySelectorAll('[aria-live=assertive] span')].map(px);
                 return { texts: Math.min(...texts), keys: Math.min(...keys), timer: px(group.querySelector('[role=timer]')) }",
            )
            .await?;
        assert!(sizes["texts"].as_f64().unwrap() >= 28.0, "{sizes}");
        assert!(sizes["keys"].as_f64().unwrap() >= 40.0, "{sizes}");
        assert!(sizes["timer"].as_f64().unwrap() >= 72.0, "{sizes}");
        bench.click("Count me in").await?;
        bench.sees("Hands on the unit.").await?;
        // Page Down, as a pedal sends it: once for the count-in, then for each cue.
        bench.press("\u{e00f}").await?;
        bench.press("\u{e00f}").await?;
        bench
            .sees("Keep holding volume up, home and power. Until the maker's mark shows.")
            .await?;
        bench.shot("choreography").await?;
        bench.press("\u{e00f}").await?;
        bench.sees("Keep holding volume up and home.").await?;
        bench.press("\u{e00f}").await?;
        bench
            .sees("That was all of it. Now say what you see.")
            .await?;
        bench.click("A list of partitions.").await?;
        bench.sees("The goal is reached").await?;
        bench.stop().await
    });
}

#[test]
fn a_lock_and_an_erase_are_refused_by_name() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench.to("Lapwing", "Standing").await?;
        bench
            .sees("Locking Lapwing again is refused: recovery, vendor are not the maker's.")
            .await?;
        bench.sees("Locked now, it would refuse to start.").await?;
        bench.is_accessible().await?;
        bench.shot("lapwing").await?;
        // Chosen all the same, the sheet does not begin.
        bench.click("Run").await?;
        bench.choose("Lock again").await?;
        bench.sees("Not the maker's are: recovery").await?;
        let begin = bench
            .run("return [...document.querySelectorAll('button')].some((one) => one.innerText.trim() === 'Begin')")
            .await?;
        assert_eq!(begin, json!(false));
        bench.to("Knot", "Standing").await?;
        bench
            .sees("A whole erase of Knot is refused: 6 partitions that exist once would go; the choice without it is offered.")
            .await?;
        bench.sees("Tick Write only in the write tool").await?;
        bench.stop().await
    });
}
