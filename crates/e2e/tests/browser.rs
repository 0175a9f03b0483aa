//! The stories, in the browser.

#![expect(clippy::unwrap_used, reason = "a test fails by panicking")]

mod denied;
mod hands;
mod knowing;
mod locks;
mod reading;

use std::fs;
use std::path::Path;

use serde_json::json;
use tokio::runtime::Runtime;
use veritope_e2e::{Bench, Outcome};
use veritope_standin::Running;
use veritope_wire::body::{BodyAct, CablePlace};
use veritope_wire::link::{Refusal, RefusalCode};

/// Devices are this many times as fast as the wall: a first start takes a second.
const FAST: u32 = 100;

fn in_browser<F: Future<Output = Outcome>>(story: impl FnOnce() -> F) {
    let told = Runtime::new().unwrap().block_on(story());
    if let Err(error) = told {
        panic!("{error}");
    }
}

async fn prepare(bench: &Bench) -> Outcome {
    bench.fill("Accounts signed in", "0").await?;
    bench.click("Record").await?;
    bench.sees("No account is signed in.").await?;
    bench.click("off").await?;
    bench.sees("The screen lock is off.").await?;
    bench.click("Nothing of all this is to be kept").await?;
    bench.click("None of it is to be kept").await?;
    bench.sees("Sanderling can be unlocked now.").await
}

#[test]
fn from_the_bench_to_the_table_read() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench
            .sees("Sanderling can be unlocked after 3 things.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("bench").await?;

        // What is missing is counted on the watch's own page, which bears its name.
        bench.own_page_shows("Sanderling", "Accounts: 0").await?;
        bench.click("Complete the list: Sanderling").await?;
        bench.sees("How many accounts are signed in?").await?;
        bench.is_accessible().await?;
        bench.shot("standing").await?;
        prepare(&bench).await?;
        bench.shot("standing-ready").await?;

        bench.click("See the sheet").await?;
        bench.click("Read its partition table").await?;
        bench
            .sees("Step 2 can only be done in bootloader mode.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("sheet").await?;
        bench.click("Begin").await?;
        bench.sees("Step 1 of 4").await?;
        bench.shot("step").await?;
        bench.is_accessible().await?;
        bench.click("Restart into bootloader mode").await?;
        bench.sees("Step 2 of 4").await?;

        // Before consent there is no button, and not how.
        bench.sees("Type Sanderling to consent").await?;
        bench.is_accessible().await?;
        bench.shot("consent").await?;
        let shown = bench
            .run("return document.querySelector('main').innerText")
            .await?;
        assert!(!shown.as_str().unwrap().contains("send the unlock command"));

        bench
            .fill("Type Sanderling to consent", "Sanderling")
            .await?;
        bench.click("Unlock the bootloader of Sanderling").await?;
        bench.sees("Its default answer: no").await?;
        bench.is_accessible().await?;
        bench.shot("asking").await?;
        bench.touch("sanderling", "Yes, unlock and erase").await?;
        bench.sees("Step 3 of 4").await?;
        bench.click("Start the recovery from memory").await?;
        bench.sees("Step 4 of 4").await?;
        bench.click("Read the partition table").await?;
        bench.sees("The goal is reached").await?;
        bench.sees("modemst1").await?;
        bench.is_accessible().await?;
        bench.shot("table").await?;

        bench.click("Log").await?;
        bench
            .sees("The partition table was read: 9 partitions.")
            .await?;
        bench.sees("verified; it ends in").await?;
        bench.is_accessible().await?;
        bench.shot("log").await?;
        bench.click("Acts").await?;
        bench.sees("About to: Unlock the bootloader.").await?;
        bench.stop().await
    });
}

/// Puts a unit of this family onto the bench by hand.
async fn by_hand(bench: &Bench, family: &str, nickname: &str) -> Outcome {
    bench.open("/").await?;
    bench.click("Add a device by hand").await?;
    bench.click(family).await?;
    bench.fill("Name on this bench", nickname).await?;
    bench.click("mine").await?;
    bench.click_last("Put on the bench").await?;
    bench
        .sees(&format!("Whether {nickname} can be unlocked"))
        .await
}

/// From locked to a recovery in memory, with everything that exists once captured in one place.
async fn captured(bench: &Bench) -> Outcome {
    bench.open("/").await?;
    bench.click("Complete the list: Sanderling").await?;
    prepare(bench).await?;
    bench.click("See the sheet").await?;
    bench.click("Install a recovery that stays").await?;
    bench.sees("Capture what exists once").await?;
    bench.shot("sheet-recovery").await?;
    bench.click("Begin").await?;
    bench.click("Restart into bootloader mode").await?;
    bench
        .fill("Type Sanderling to consent", "Sanderling")
        .await?;
    bench.click("Unlock the bootloader of Sanderling").await?;
    bench.sees("Its default answer: no").await?;
    bench.touch("sanderling", "Yes, unlock and erase").await?;
    bench.sees("Step 3 of 7").await?;
    bench.click("Start the recovery from memory").await?;
    bench.sees("Step 4 of 7").await?;
    bench.click("Capture what exists once").await?;
    bench.sees("Step 5 of 7").await
}

fn persist(bench: &Bench) -> Vec<u8> {
    bench.elsewhere().bytes("sanderling", "persist").unwrap()
}

#[test]
fn kept_written_wiped_and_brought_back() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        captured(&bench).await?;
        // One copy is not two: the write is withheld, on screen and by the API.
        bench.click("Restart into bootloader mode").await?;
        bench.sees("The seal is closed for this step").await?;
        bench.sees("persist: 1 of 2 copies read back.").await?;
        bench.is_accessible().await?;
        bench.shot("withheld").await?;
        // What is missing is brought right there.
        bench.click("Copy capture 1 to stick").await?;
        bench.sees_not("The seal is closed for this step").await?;
        bench.click("Backups").await?;
        bench.sees("What lies where").await?;
        bench.is_accessible().await?;
        bench.sees("stick: read back, whole").await?;
        bench.buttons_have_names_of_their_own().await?;
        // The seal opens, and says why.
        bench
            .run("document.querySelector('header [aria-haspopup=\"dialog\"]').click()")
            .await?;
        bench.sees("Open for: write the recovery.").await?;
        bench.sees("persist: 2 of 2 copies read back.").await?;
        bench
            .sees("recovery as it is now is captured and read back: the way back.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("seal-open").await?;
        bench.press("\u{e00c}").await?;
        bench.sees_not("Open for: write the recovery.").await?;
        // What was captured was looked into.
        bench.click("Look into capture 1").await?;
        bench.sees("start image of a system, header 0").await?;
        bench.sees("FAT12 file system `DEVICE`").await?;
        bench.is_accessible().await?;
        bench
            .run("document.querySelector('section[aria-label=\"What lies in capture 1\"]').parentElement.scrollIntoView()")
            .await?;
        bench.shot("backups").await?;
        bench.click("Close capture 1").await?;
        bench.click("Run").await?;
        bench.click("Write the recovery").await?;
        bench.sees("Step 7 of 7").await?;
        bench.click("Restart into custom recovery").await?;
        bench.sees("The goal is reached").await?;

        // A mishap, by the device's own page.
        let before = persist(&bench);
        bench
            .press_on_page("sanderling", "Mishap: persist goes blank")
            .await?;
        assert!(persist(&bench).iter().all(|byte| *byte == 0));
        bench.click("Backups").await?;
        bench.click("Take a capture").await?;
        bench
            .sees("persist is blank now and held something before")
            .await?;
        bench
            .sees("The capture is whole, and was read back.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("mishap").await?;
        bench.click("As a table").await?;
        bench
            .sees("other content 1, 100 % of its parts differ")
            .await?;
        bench.is_accessible().await?;
        bench.shot("chart-table").await?;
        bench.click("As a chart").await?;
        // The blank capture says what it holds, and is never put back (E4).
        bench.sees("persist: blank: all zero").await?;
        bench.click("Put back from capture 2").await?;
        bench
            .sees("The capture holds nothing of persist (blank: all zero)")
            .await?;
        bench.sees("better taken from capture 1").await?;
        bench.click("Close: Put back from capture 2").await?;
        bench.click("Put back from capture 1").await?;
        bench.sees("differs in 1 frame, 4 MiB").await?;
        bench
            .sees("misc is read for the record and never written by us.")
            .await?;
        bench.buttons_have_names_of_their_own().await?;
        bench.is_accessible().await?;
        bench.shot("put-back").await?;
        bench.click("Put 1 partition back").await?;
        bench
            .sees("Everything was put back, read back, and is equal.")
            .await?;
        assert!(persist(&bench) == before, "byte for byte");
        bench.click("Log").await?;
        bench.sees("read back and equal").await?;
        bench.click("Backups").await?;
        bench.sees("persist:").await?;
        astray(&bench).await?;
        bench.stop().await
    });
}

async fn begin(bench: &Bench, goal: &str) -> Outcome {
    bench.click("Run").await?;
    bench.choose(goal).await?;
    bench.click("Begin").await?;
    bench.sees("Step 1 of").await
}

/// An archive lies where the recovery should: the bench says what answers instead, ranks causes, and the way out
/// that it offers ends in the recovery again.
async fn astray(bench: &Bench) -> Outcome {
    begin(bench, "Go to bootloader mode").await?;
    bench.click_last("Restart into bootloader mode").await?;
    bench.sees("The goal is reached").await?;
    let archive = b"PK\x03\x04, and nothing behind it".repeat(40);
    bench.elsewhere().device("sanderling", |device| {
        device.found_with("recovery", &archive).unwrap();
        Ok(())
    })?;
    begin(bench, "Go to the custom recovery").await?;
    bench.click("Restart into custom recovery").await?;
    bench.sees("What may be behind it").await?;
    bench
        .sees("Only half of it arrived, or it is no image that starts")
        .await?;
    bench.is_accessible().await?;
    bench.shot("astray").await?;
    bench.click("Stop this run").await?;
    bench.sees("What next?").await?;
    bench.is_accessible().await?;
    bench.shot("astray-end").await?;
    bench.click("Install a recovery that stays").await?;
    bench
        .sees("The sheet: install a recovery that stays")
        .await?;
    bench.click("Begin").await?;
    bench.click("Start the recovery from memory").await?;
    bench.sees("Step 2 of 5").await?;
    bench.click("Capture what exists once").await?;
    bench.sees("Step 3 of 5").await?;
    bench.click("Restart into bootloader mode").await?;
    bench.sees("Step 4 of 5").await?;
    bench.click("Copy capture 4 to stick").await?;
    bench.sees_not("The seal is closed for this step").await?;
    bench.click("Write the recovery").await?;
    bench.sees("Step 5 of 5").await?;
    bench.click("Restart into custom recovery").await?;
    bench.sees("The goal is reached").await?;
    bench.tag_says("Mode", "custom recovery").await?;
    Ok(())
}

#[test]
fn ruffs_damage_is_named_and_repaired() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.to("Ruff", "Backups").await?;
        bench.sees("persist, frame 0, bytes 0 to 4194303").await?;
        bench.buttons_have_names_of_their_own().await?;
        bench.is_accessible().await?;
        bench.shot("damage").await?;
        bench.click("Repair capture 1 in this bench").await?;
        bench
            .sees("The copy is repaired, and was read back.")
            .await?;
        let shown = bench.run("return document.body.innerText").await?;
        assert!(
            !shown.as_str().unwrap().contains("frame 0"),
            "no damage is left"
        );
        bench.click("Settings").await?;
        bench.sees("Any two places count apart").await?;
        bench.is_accessible().await?;
        bench.shot("settings").await?;
        bench.click("Dark colours").await?;
        bench.to("Ruff", "Backups").await?;
        bench.sees("What lies where").await?;
        bench.is_accessible().await?;
        bench.shot("dark-backups").await?;
        bench.view(1024, 768).await?;
        bench.shot("narrow-backups").await?;
        bench.click("Light colours").await?;
        bench.stop().await
    });
}

/// Takes the last two lines off the one unit's log there is.
fn cut_a_log(data: &Path) -> Outcome {
    for file in fs::read_dir(data.join("log"))? {
        let path = file?.path();
        let is_units = path.file_name().is_some_and(|name| name != "bench.jsonl");
        if is_units && path.is_file() {
            let text = fs::read_to_string(&path)?;
            let lines: Vec<&str> = text.lines().collect();
            let kept: String = lines[..lines.len() - 2]
                .iter()
                .map(|line| format!("{line}\n"))
                .collect();
            fs::write(&path, kept)?;
        }
    }
    Ok(())
}

/// The README's rescue: the data folder is gone, the stick is not.
#[test]
fn a_lost_data_folder_costs_nothing_that_lies_on_a_stick() {
    in_browser(|| async {
        let mut bench = Bench::start(FAST).await?;
        let stick = bench.elsewhere().data().join("stick");
        bench
            .press_on_page("ruff", "Mishap: persist goes blank")
            .await?;
        bench.begin_anew().await?;
        let image = veritope_standin::recovery_image("gimbal", "3.2.0");
        let fetched = bench.elsewhere().fetches("gimbal-recovery.img", &image)?;
        bench.shelve(&fetched).await?;
        let digest = veritope_wire::Digest::of(&image).to_string();
        bench
            .fill("Its publisher’s digest, for gimbal-recovery.img", &digest)
            .await?;
        bench.click("Compare").await?;
        bench.sees("the bytes have it").await?;
        bench.open("/settings").await?;
        bench.fill("Name", "stick").await?;
        bench
            .fill("Folder, its whole path", &stick.display().to_string())
            .await?;
        bench.click("Add the place").await?;
        bench.click("What lies there: stick").await?;
        bench.sees("Ruff, Finch Loop").await?;
        bench.is_accessible().await?;
        bench.click("Take over Ruff").await?;
        bench.shot("taking-over").await?;
        bench.click("I am asked to work on it by its owner").await?;
        bench.sees("All of it is known here.").await?;
        bench.shot("taken-over").await?;
        // The devices' bridge is joined, and one of them is recognised by its identifiers.
        bench.click("Bench").await?;
        bench.click("Add a bridge").await?;
        let (url, token) = bench.bridge();
        bench.fill("Address", &url).await?;
        bench.fill("Token", token).await?;
        bench.click("Connect").await?;
        bench.sees("This is Ruff, by its identifiers.").await?;
        bench.is_accessible().await?;
        bench.shot("recognised").await?;
        bench.click("Link Ruff here").await?;
        bench.to("Ruff", "Run").await?;
        bench.choose("Start a recovery from memory").await?;
        bench.click("Begin").await?;
        bench.click_last("Restart into bootloader mode").await?;
        bench.click_last("Start the recovery from memory").await?;
        bench.sees("The goal is reached").await?;
        bench.to("Ruff", "Backups").await?;
        bench.sees("taken by another bench").await?;
        bench.shot("rescued").await?;
        bench.click("Put back from capture 1").await?;
        bench.click("Take a capture").await?;
        bench
            .sees("The capture is whole, and was read back.")
            .await?;
        bench.click("Put 1 partition back").await?;
        bench
            .sees("Everything was put back, read back, and is equal.")
            .await?;
        let persist = bench.elsewhere().bytes("ruff", "persist")?;
        assert!(persist.iter().any(|byte| *byte != 0));
        // Named anew, and put away when it goes.
        bench.to("Ruff", "Standing").await?;
        bench.click("Rename Ruff").await?;
        bench.fill("Its name from now on", "Reeve").await?;
        bench.click("Save the name").await?;
        bench.sees("Put Reeve away").await?;
        bench.shot("renamed").await?;
        bench.click("Put Reeve away").await?;
        bench.sees("Put away").await?;
        bench.shot("put-away").await?;
        bench.click("Bring Reeve back").await?;
        bench.sees_not("Bring Reeve back").await?;
        // Somebody cuts its log: that is named, nothing is added to it, and a person sets it aside.
        bench.ends_and_starts_again(cut_a_log).await?;
        bench.open("/").await?;
        bench.sees("lines were cut off").await?;
        bench
            .sees("The record of Reeve is held back: its log is damaged.")
            .await?;
        bench.buttons_have_names_of_their_own().await?;
        bench.is_accessible().await?;
        bench.shot("held-back").await?;
        bench.click("Set the log of Reeve aside").await?;
        bench.sees_not("lines were cut off").await?;
        bench.sees_not("Reeve").await?;
        bench.stop().await
    });
}

#[test]
fn by_hand_from_first_use_to_a_recovery_running() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench.click("Add a device by hand").await?;
        bench.sees("Which is it?").await?;
        bench.is_accessible().await?;
        bench.click("Finch Loop, watch on a dock").await?;
        bench.fill("Name on this bench", "Dunnock").await?;
        bench.click("mine").await?;
        bench.shot("first-use").await?;
        bench.click_last("Put on the bench").await?;
        bench
            .sees("Whether Dunnock can be unlocked is not known yet.")
            .await?;
        for (fact, value) in [
            ("Lock", "locked"),
            ("Mode", "running system"),
            ("Screen lock", "off"),
        ] {
            bench.open_fact(fact).await?;
            bench.click(value).await?;
            bench.sees("Undo").await?;
        }
        bench.open_fact("Battery").await?;
        bench.fill("Battery", "70").await?;
        bench.press("\u{e007}").await?;
        bench.sees("70 % carries the whole sheet").await?;
        bench.fill("Accounts signed in", "0").await?;
        bench.press("\u{e007}").await?;
        bench.click("waived: nobody checks it").await?;
        bench.sees("Nobody checks what works as it arrives").await?;
        bench.click("Nothing of all this is to be kept").await?;
        bench.click("None of it is to be kept").await?;
        bench.sees("Dunnock can be unlocked now.").await?;
        bench.click("See the sheet").await?;
        bench.click("Start a recovery from memory").await?;
        bench.click("Begin").await?;
        bench.click("Show me how").await?;
        bench.sees("tap Build until it says so").await?;
        bench.shot("by-hand").await?;
        bench.is_accessible().await?;
        bench.click("Commands from a computer: on.").await?;
        bench.click("Show me how").await?;
        bench
            .click("White text on black; the second line says locked or unlocked.")
            .await?;
        bench.sees("Type Dunnock to consent").await?;
        let shown = bench.run("return document.body.innerText").await?;
        assert!(
            !shown.as_str().unwrap().contains("send the unlock command"),
            "not how, before consent"
        );
        bench.fill("Type Dunnock to consent", "Dunnock").await?;
        bench.click("I consent: show me how").await?;
        bench.sees("send the unlock command").await?;
        bench
            .click(
                "White text on black; the second line says locked or unlocked. It says unlocked.",
            )
            .await?;
        bench.click("Show me how").await?;
        bench
            .click("A list of partitions and the word temporary in the top line.")
            .await?;
        bench.sees("The goal is reached").await?;
        hands_read(&bench, "Dunnock").await?;
        bench.stop().await
    });
}

/// A capture leaves as one tar and comes onto a fresh bench; damage on the way is named, and nothing of it taken.
#[test]
fn an_export_is_carried_to_another_bench() {
    in_browser(|| async {
        let mut bench = Bench::start(FAST).await?;
        let folder = tempfile::tempdir()?;
        bench.to("Ruff", "Backups").await?;
        // The copy here has a flipped bit: the export takes the one on the stick.
        bench.click("Export capture 1").await?;
        bench
            .fill(
                "Folder for the export of capture 1",
                &folder.path().display().to_string(),
            )
            .await?;
        bench.is_accessible().await?;
        bench.shot("export").await?;
        bench.click("For its owner, with its identity").await?;
        bench.sees("The export is").await?;
        bench.click("For somebody else, without it").await?;
        bench.sees("-to-share.tar").await?;
        let mut names: Vec<_> = fs::read_dir(folder.path())?
            .map(|one| one.map(|one| one.path()))
            .collect::<Result<_, _>>()?;
        names.sort();
        let whole = names
            .iter()
            .find(|one| one.to_string_lossy().ends_with("-whole.tar"));
        let whole = whole.ok_or("no export for its owner")?.clone();
        bench.to("Ruff", "Log").await?;
        bench.sees("with its identity, for its owner").await?;

        bench.begin_anew().await?;
        bench.open("/settings").await?;
        let broken = folder.path().join("broken.tar");
        let mut bytes = fs::read(&whole)?;
        let at = bytes.len() / 2;
        bytes[at] ^= 1;
        fs::write(&broken, bytes)?;
        let take = async |path: &Path| {
            bench
                .fill("Whole path of an export", &path.display().to_string())
                .await?;
            bench.click("See what it holds").await?;
            bench.sees("Ruff, Finch Loop").await?;
            bench.click("Take over Ruff").await?;
            bench.click("mine").await
        };
        take(&broken).await?;
        bench.sees("and nothing of it is taken").await?;
        bench.is_accessible().await?;
        bench.open("/settings").await?;
        take(&whole).await?;
        bench.sees("All of it is known here.").await?;
        bench.to("Ruff", "Backups").await?;
        bench.sees("taken by another bench").await?;
        bench.stop().await
    });
}

/// What a person dumped is handed in at the step that wants it, twice, judged, and kept by their word.
async fn hands_read(bench: &Bench, nickname: &str) -> Outcome {
    // The watch that is in the person's hands.
    let elsewhere = bench.elsewhere();
    elsewhere.device("ruff", |device| {
        let met = device.met_in(Running::TemporaryRecovery, 0);
        met.map_err(|error| Refusal {
            code: RefusalCode::Other,
            words: error.to_string(),
        })
    })?;
    let [first, second] = ["first", "second"].map(|folder| elsewhere.dumps("ruff", folder));
    let (first, second) = (first?, second?);
    bench.to(nickname, "Run").await?;
    bench.choose("Back up what exists once").await?;
    bench.click("Begin").await?;
    bench.click("Show me how").await?;
    bench
        .sees("Dump each partition that is named here whole")
        .await?;
    bench.sees("dump its first 2 MiB").await?;
    bench.is_accessible().await?;
    // One file is cut short, one has lost its name.
    let cut = first.join("persist.img");
    let whole = std::fs::read(&cut)?;
    std::fs::write(&cut, &whole[..whole.len() - 4096])?;
    std::fs::rename(first.join("boot.img"), first.join("block 7.img"))?;
    let field = "Path of a file or folder";
    bench.fill(field, &first.display().to_string()).await?;
    bench.click("Take it").await?;
    bench.sees("4096 bytes shorter than persist").await?;
    bench.sees("It exists once: read it a second time.").await?;
    bench.is_accessible().await?;
    bench.shot("dumps").await?;
    bench.click("Take it out: first/persist.img").await?;
    bench.sees_not("4096 bytes shorter").await?;
    bench.pick("What first/block 7.img is", "boot").await?;
    bench.click("It is that").await?;
    bench.sees_not("first/block 7.img").await?;
    bench.fill(field, &second.display().to_string()).await?;
    bench.click("Take it").await?;
    bench.sees("persist: one dump is here").await?;
    // A third reading brings what the first one lacked.
    let third = elsewhere.dumps("ruff", "third")?;
    let again = third.join("persist.img").display().to_string();
    bench.fill(field, &again).await?;
    bench.click("Take it").await?;
    bench.sees_not("persist: one dump is here").await?;
    bench.shot("dumps-whole").await?;
    bench.click("Keep them, by my word").await?;
    bench.sees("The goal is reached").await?;
    bench.to(nickname, "Backups").await?;
    bench.sees("Kept by your word: hands read it.").await?;
    bench.shot("dumps-kept").await?;
    bench.to(nickname, "Log").await?;
    bench.click("Passport").await?;
    bench.sees("kept by a person's word").await?;
    bench.is_accessible().await
}

#[test]
fn by_keyboard_alone() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench.sees("Sanderling").await?;
        // The palette finds the unit by a few letters.
        bench.press("\u{e009}k\u{e000}").await?;
        bench.sees("Where to?").await?;
        bench.is_accessible().await?;
        bench.press("Sander").await?;
        bench.press("\u{e007}").await?;
        bench.sees("How many accounts are signed in?").await?;
        bench.press(".").await?;
        let focused = bench
            .run("return document.activeElement.hasAttribute('data-next')")
            .await?;
        assert_eq!(
            focused,
            json!(true),
            "the dot focuses the next step's control"
        );
        bench.run("document.activeElement.blur()").await?;
        bench.press("5").await?;
        bench.sees("What is to be reached?").await?;
        bench.press("?").await?;
        bench.sees("Focus the next step").await?;
        bench.is_accessible().await?;
        bench.press("\u{e00c}").await?;
        bench.stop().await
    });
}

#[test]
fn dark_narrow_and_enlarged_views_hold() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench.sees("Sanderling").await?;
        bench.click("Dark colours").await?;
        for name in ["dark-bench", "dark-standing"] {
            bench.open("/").await?;
            if name == "dark-standing" {
                bench.to("Sanderling", "Standing").await?;
            }
            bench.sees("Sanderling can be unlocked").await?;
            bench.is_accessible().await?;
            bench.shot(name).await?;
        }
        bench.click("Light colours").await?;
        // 1024 px, and 1280 px at 200 %, which is a page of 640 by 400.
        for (width, height, name) in [(1024, 768, "narrow"), (640, 400, "enlarged")] {
            bench.view(width, height).await?;
            bench.to("Sanderling", "Standing").await?;
            bench.sees("Sanderling can be unlocked").await?;
            let spill = bench
                .run("return document.documentElement.scrollWidth - innerWidth")
                .await?;
            assert!(spill.as_i64().unwrap() <= 0, "{name}: {spill} px too wide");
            bench.is_accessible().await?;
            bench.shot(name).await?;
        }
        bench.stop().await
    });
}

#[test]
fn a_lifted_watch_and_a_gone_server_are_said() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.to("Sanderling", "Standing").await?;
        bench.sees("running system").await?;
        let cable = |to| {
            bench
                .elsewhere()
                .device("sanderling", |device| device.body(&BodyAct::Cable { to }))
        };
        cable(CablePlace::Out)?;
        bench.sees("not there, since").await?;
        bench.shot("lifted").await?;
        cable(CablePlace::In)?;
        bench.sees("answers").await?;
        bench.server_goes("Not connected since").await
    });
}
