//! Knowing the units of the demo bench: what each needs, what it waits for, what it will cost.

use serde_json::json;
use veritope_e2e::{Bench, Outcome};

use super::{FAST, in_browser};

async fn standing(bench: &Bench, nickname: &str) -> Outcome {
    bench.to(nickname, "Standing").await
}

/// Restarts a device as a link program does that is not ours.
fn restart(bench: &Bench, handle: &str, mode: &str) {
    let elsewhere = bench.elsewhere();
    elsewhere.another_program_restarts(handle, mode).unwrap();
}

#[test]
fn gull_is_ready_after_what_hands_do() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        standing(&bench, "Gull").await?;
        bench.sees("Gull can be unlocked after 3 things.").await?;
        bench
            .sees("The unlock begins from 31 %: enough as it is.")
            .await?;
        bench.sees("in one go, begin from").await?;
        bench.is_accessible().await?;
        bench.shot("gull").await?;
        // The bootloader is seen by the link, not said by anybody.
        restart(&bench, "gull", "bootloader");
        bench
            .sees("It has answered this computer in bootloader mode.")
            .await?;
        restart(&bench, "gull", "system");
        bench.sees("running system").await?;
        bench.press_on_page("gull", "Sign all accounts out").await?;
        bench.fill("Accounts signed in", "0").await?;
        bench.press("\u{e007}").await?;
        bench.sees("No account is signed in.").await?;
        bench.click("Nothing of all this is to be kept").await?;
        bench.click("None of it is to be kept").await?;
        bench.sees("Gull can be unlocked now.").await?;

        // A second reading that differs is shown, and counts as not known.
        bench.open_fact("Lock").await?;
        bench.click("unlocked").await?;
        bench.sees("Two sources differ: look again.").await?;
        bench
            .sees("Whether Gull can be unlocked is not known yet.")
            .await?;
        bench.click_last("Undo").await?;
        bench.sees("Gull can be unlocked now.").await?;
        // Undone within its ten seconds; looked at without haste.
        bench.open_fact("Lock").await?;
        bench.click("unlocked").await?;
        bench.sees("Two sources differ: look again.").await?;
        bench.is_accessible().await?;
        bench.stop().await
    });
}

#[test]
fn tern_is_refused_for_good_and_only_for_its_seller() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        standing(&bench, "Tern").await?;
        bench.sees("Tern can't be unlocked, ever.").await?;
        bench.sees("a carrier sold it").await?;
        bench.sees("Nothing changes this.").await?;
        bench.is_accessible().await?;
        bench.shot("tern").await?;
        // The same variant from the open market is not refused.
        bench.open_fact("Bought from").await?;
        bench.click("the open market").await?;
        bench
            .sees("The switch is greyed. Does an employer or school manage it?")
            .await?;
        bench.sees_not("ever.").await?;
        bench.stop().await
    });
}

#[test]
fn bittern_waits_until_its_hour() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench
            .sees("Bittern can be unlocked in 107 h at the earliest.")
            .await?;
        bench.sees("to go, until").await?;
        standing(&bench, "Bittern").await?;
        bench
            .sees("The switch appears 168 h after it was first online")
            .await?;
        bench.is_accessible().await?;
        bench.shot("bittern").await?;
        // What is in the entry is the server's tests' business; here it can be had.
        let entry = bench
            .run("return [...document.querySelectorAll('a[download]')].find((one) => one.innerText === 'Calendar entry')?.getAttribute('href')")
            .await?;
        assert!(entry.as_str().unwrap().ends_with("/wait.ics"), "{entry}");
        bench.click("Page for the owner").await?;
        bench.sees("Read and understood").await?;
        bench
            .sees("The maker refuses warranty from then on.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("owners-page").await?;
        bench.click("Back to Standing").await?;
        // What works is noted once, in one go.
        bench.click("Check 9 functions").await?;
        bench.is_accessible().await?;
        bench.click("Everything works").await?;
        bench.click("Each was tried and works").await?;
        bench.click_last("Record").await?;
        bench.sees("9 checks noted").await?;
        bench.sees("What works as it arrives is noted.").await?;
        // In download mode it goes by another serial, and no chip id: paired, the same unit.
        restart(&bench, "bittern", "download");
        bench
            .sees("It has answered this computer in download mode.")
            .await?;
        restart(&bench, "bittern", "system");
        bench.sees("running system").await?;
        bench.click("Log").await?;
        bench.sees("in download mode is this unit's.").await?;
        bench.click("Standing").await?;
        // Found on, the switch ends the wait.
        bench.open_fact("Unlock switch in the settings").await?;
        bench.click("on").await?;
        bench.sees("Bittern can be unlocked after").await?;
        bench.stop().await
    });
}

#[test]
fn curlews_wrong_digit_is_named() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        standing(&bench, "Curlew").await?;
        bench
            .sees("To unlock Curlew, ask the maker's portal for developers.")
            .await?;
        bench
            .sees("digit 7 reads 1, where this family's type code has 0")
            .await?;
        bench
            .sees("it shows that something is wrong, never where")
            .await?;
        bench.is_accessible().await?;
        bench.shot("curlew").await?;
        // Two neighbours swapped: a possibility, no more.
        bench.fill("Equipment ID", "351846074321546").await?;
        bench.press("\u{e007}").await?;
        bench.sees("Perhaps two neighbours are swapped").await?;
        bench.fill("Equipment ID", "35184607432156").await?;
        bench.press("\u{e007}").await?;
        bench.sees("it has 14 digits").await?;
        bench.fill("Equipment ID", "351846074321564").await?;
        bench.press("\u{e007}").await?;
        bench.sees("The equipment ID is sound.").await?;
        let shown = bench.run("return document.body.innerText").await?;
        assert!(
            !shown.as_str().unwrap().contains("351846074321564"),
            "masked"
        );
        bench.stop().await
    });
}

#[test]
fn dunlins_chain_is_found_and_its_package_fetched() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        standing(&bench, "Dunlin").await?;
        bench.sees("mallet-enabler-3.1 is to be fetched").await?;
        bench.sees("The way from build to build").await?;
        bench.sees("41 minutes, 3 wipes.").await?;
        bench.sees("not at hand: fetch it").await?;
        bench.sees("Keep updates off until it is unlocked.").await?;
        bench.is_accessible().await?;
        bench
            .run("document.querySelector('[aria-label=\"The way from build to build\"]').scrollIntoView({ block: 'end' })")
            .await?;
        bench.shot("chain").await?;
        bench
            .press_on_page(
                "dunlin",
                "Put mallet-enabler-3.1 from the build server on the card",
            )
            .await?;
        bench
            .fill(
                "Packages on the card",
                "mallet-full-3.1, mallet-enabler-3.1, mallet-3.1-to-3.2, mallet-3.2-to-3.3, mallet-3.3-to-3.4",
            )
            .await?;
        bench.press("\u{e007}").await?;
        bench.sees_not("not at hand: fetch it").await?;
        // The card is one thing; what is to go over the unit is hashed on the bench's own shelf too.
        bench
            .sees("mallet-enabler-3.1 was not hashed here: put the file onto the shelf, and copy that very one")
            .await?;
        let package = veritope_standin::package_bytes("mallet-enabler-3.1");
        let fetched = bench.elsewhere().fetches("mallet-enabler-3.1", &package)?;
        bench.shelve(&fetched).await?;
        bench
            .sees("it is the maker's package mallet-enabler-3.1")
            .await?;
        standing(&bench, "Dunlin").await?;
        bench
            .sees_not("mallet-enabler-3.1 was not hashed here")
            .await?;
        bench
            .sees("Dunlin can be unlocked after one thing.")
            .await?;
        bench.stop().await
    });
}

#[test]
fn knot_has_no_lock_and_nothing_kept() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        standing(&bench, "Knot").await?;
        bench
            .sees("Knot has no lock: there is nothing to unlock.")
            .await?;
        bench
            .sees("proinfo, nvram, nvdata, protect1, protect2, devkey. Back it up before anything is written.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("knot").await?;
        // A pasted screen: found, confirmed, recorded.
        bench.click("Paste a screen").await?;
        bench
            .fill("Text of the screen", "Build: bobbin-2.3")
            .await?;
        bench.click("Find the facts in it").await?;
        bench.sees("Build: bobbin-2.3").await?;
        bench.is_accessible().await?;
        bench.shot("paste").await?;
        bench.click("Build: bobbin-2.3").await?;
        bench.click("Record what is ticked").await?;
        bench.sees("1 fact recorded").await?;
        bench.stop().await
    });
}

#[test]
fn families_are_read_edited_and_let_go() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/families").await?;
        bench.click("Wrenhall Mallet").await?;
        bench.sees("phone whose build decides").await?;
        bench.sees("Learned the hard way").await?;
        bench.is_accessible().await?;
        bench.shot("families").await?;
        bench.click("Edit").await?;
        bench.sees("This reads as a family: mooring.").await?;
        let edit = |from: &str, to: &str| {
            format!(
                "const t = document.querySelector('textarea[aria-label], textarea'); \
                 const set = Object.getOwnPropertyDescriptor(HTMLTextAreaElement.prototype, 'value').set; \
                 set.call(t, t.value.replace({}, {})); \
                 t.dispatchEvent(new Event('input', {{ bubbles: true }}))",
                json!(from),
                json!(to)
            )
        };
        bench
            .run(&edit("from = \"bootloader\"", "from = \"cellar\""))
            .await?;
        bench.sees("unknown variant `cellar`").await?;
        bench.is_accessible().await?;
        bench.shot("family-wrong").await?;
        bench
            .run(&edit("from = \"cellar\"", "from = \"bootloader\""))
            .await?;
        bench
            .run(&edit(
                "form = \"phone whose build decides\"",
                "form = \"phone of the mallet kind\"",
            ))
            .await?;
        bench.sees("This reads as a family: mooring.").await?;
        bench.click("Keep it").await?;
        bench.sees("yours, in place of the shipped one").await?;
        bench.sees("phone of the mallet kind").await?;
        bench.click("Let your file go").await?;
        bench.sees("shipped with the program").await?;
        bench.sees("phone whose build decides").await?;
        bench.stop().await
    });
}
