//! Locks opened and closed with hands on the stand-in's keys, in the panel beside the sheet: every
//! press is a press of so long on the device, and every cue is seen on its face.

use std::time::Duration;

use serde_json::json;
use veritope_e2e::{Bench, Outcome};
use veritope_standin::gate::{Answer, Gate};
use veritope_standin::{Fault, Running};
use veritope_wire::body::{BodyAct, BodyKey, CablePlace, Push};

use super::in_browser;

/// Devices are this many times as fast as the wall, but for what fingers hold.
const HANDS: u32 = 12;
/// A long chain of packages, which nobody touches meanwhile.
const FASTER: u32 = 60;

/// A unit of the demo, and what a person does at its panel.
struct Table<'b> {
    bench: &'b Bench,
    name: &'static str,
}

impl<'b> Table<'b> {
    async fn met(bench: &'b Bench, name: &'static str) -> Outcome<Self> {
        bench.to(name, "Standing").await?;
        Ok(Self { bench, name })
    }

    /// On the standing page, line by line.
    async fn say(&self, facts: &[(&str, &str)]) -> Outcome {
        self.to("Standing").await?;
        for (title, value) in facts {
            self.bench.tell(title, value).await?;
        }
        Ok(())
    }

    async fn to(&self, station: &str) -> Outcome {
        self.bench.to(self.name, station).await
    }

    /// The owner's data is said to be nowhere needed.
    async fn waive(&self) -> Outcome {
        self.to("Standing").await?;
        self.bench
            .click("Nothing of all this is to be kept")
            .await?;
        self.bench.click("None of it is to be kept").await?;
        self.bench.sees("kinds waived").await
    }

    async fn begin(&self, goal: &str) -> Outcome {
        self.choose(goal).await?;
        self.bench.click("Begin").await?;
        self.bench.sees("Step 1 of").await
    }

    async fn choose(&self, goal: &str) -> Outcome {
        self.to("Run").await?;
        self.bench.choose(goal).await
    }

    async fn take_in_hand(&self) -> Outcome {
        self.bench.click("Take the stand-in in hand").await?;
        self.face_shows("").await
    }

    /// The gate of the device, changed as weeks of use change it.
    fn gate(&self, change: impl FnOnce(&mut Gate)) {
        let handle = self.name.to_lowercase();
        self.bench.elsewhere().gate(&handle, change).unwrap();
    }

    async fn pointer(&self, keys: &[&str], event: &str) -> Outcome {
        let script = "const [keys, event] = arguments;
            const panel = document.querySelector('section[aria-label=\"The stand-in in your hands\"]');
            for (const key of keys) {
              const button = [...panel.querySelectorAll('button')].find((one) => one.innerText.trim() === key);
              for (const one of event.split(' ')) button.dispatchEvent(new PointerEvent(one, { bubbles: true }));
            }";
        self.bench
            .browser
            .execute(script, vec![json!(keys), json!(event)])
            .await?;
        Ok(())
    }

    async fn down(&self, keys: &[&str]) -> Outcome {
        self.pointer(keys, "pointerdown").await
    }

    async fn up(&self, keys: &[&str]) -> Outcome {
        self.pointer(keys, "pointerup").await
    }

    async fn tap(&self, key: &str) -> Outcome {
        // In one go: what a busy computer adds in between would make a short press a long one.
        self.pointer(&[key], "pointerdown pointerup").await?;
        // The next press is another one.
        tokio::time::sleep(Duration::from_millis(150)).await;
        Ok(())
    }

    /// Waits until the face shows `text`; an empty text waits for the panel.
    async fn face_shows(&self, text: &str) -> Outcome {
        self.face_shows_one(&[text]).await.map(drop)
    }

    /// Waits until the face shows one of these texts, and tells which.
    async fn face_shows_one<'t>(&self, texts: &[&'t str]) -> Outcome<&'t str> {
        let mut last = String::new();
        for _ in 0..900 {
            let shown = self
                .bench
                .run("return document.querySelector('section[aria-label=\"The stand-in in your hands\"]')?.innerText ?? null")
                .await?;
            let is_there =
                |text: &&&str| shown.as_str().is_some_and(|shown| shown.contains(**text));
            if let Some(text) = texts.iter().find(is_there) {
                return Ok(text);
            }
            shown.as_str().unwrap_or("").clone_into(&mut last);
            tokio::time::sleep(Duration::from_millis(50)).await;
        }
        Err(format!("{}'s face shows none of {texts:?} but:\n{last}", self.name).into())
    }

    async fn consent(&self) -> Outcome {
        let label = format!("Type {} to consent", self.name);
        self.bench.sees(&label).await?;
        self.bench.fill(&label, self.name).await
    }
}

#[test]
fn gull_is_unlocked_over_its_link_and_answers_with_its_keys() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let gull = Table::met(&bench, "Gull").await?;
        gull.say(&[
            ("Accounts signed in", "0"),
            ("Answered in bootloader mode", "yes"),
        ])
        .await?;
        gull.waive().await?;
        gull.begin("Unlock").await?;
        bench.click("Restart into bootloader mode").await?;
        gull.consent().await?;
        gull.take_in_hand().await?;
        bench.click("Unlock the bootloader of Gull").await?;
        bench.sees("Its default answer: no").await?;
        gull.face_shows("▸ No, keep it locked").await?;
        bench.is_accessible().await?;
        bench.shot("face").await?;
        // Power alone would be no.
        gull.tap("Volume up").await?;
        gull.face_shows("▸ Yes, unlock and erase").await?;
        gull.tap("Power").await?;
        bench.sees("Start the system").await?;
        bench.click("Start the system").await?;
        bench.sees("The goal is reached").await?;
        bench
            .sees("To be switched on again after the last wipe")
            .await?;
        bench.stop().await
    });
}

#[test]
fn bittern_is_unlocked_by_keys_with_a_long_press() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let bittern = Table::met(&bench, "Bittern").await?;
        bittern.gate(|gate| {
            gate.first_online_ms = Some(-400 * 3_600_000);
            gate.switched_on = true;
        });
        bittern
            .say(&[
                ("Unlock switch in the settings", "on"),
                ("Bought from", "the open market"),
                ("Paid off", "yes"),
                ("Managed by an employer", "no"),
                ("Answered in bootloader mode", "yes"),
            ])
            .await?;
        bench.click("waived: nobody checks it").await?;
        bench.sees("Nobody checks what works as it arrives").await?;
        bittern.waive().await?;
        bittern.begin("Unlock").await?;
        bittern.take_in_hand().await?;
        bench.click("Show me how").await?;
        bittern.face_shows("Fast start: on").await?;
        bench.click("Fast start: on").await?;
        bittern.face_shows("Fast start: off").await?;
        bench.click("Fast start: off.").await?;

        bench.sees("Switch it off").await?;
        bench.click("Show me how").await?;
        // Long enough for the list, far from what restarts it.
        bittern.down(&["Power"]).await?;
        tokio::time::sleep(Duration::from_millis(1500)).await;
        bittern.up(&["Power"]).await?;
        // On a computer that stood still meanwhile the key was down for so long that it is off by now.
        if bittern.face_shows_one(&["Power off", "Charging"]).await? == "Power off" {
            bench.click("Power off").await?;
        }
        bittern.face_shows("Charging").await?;
        bench
            .click("Dark; a charging picture when power is plugged in.")
            .await?;

        bittern.consent().await?;
        bench.click("I consent: show me how").await?;
        bench.sees("Hold volume up").await?;
        bench.click("Pull the cable").await?;
        bittern.face_shows("Plug the cable in").await?;
        bittern.down(&["Volume up", "Volume down"]).await?;
        bench.click("Plug the cable in").await?;
        bittern.face_shows("WARNING").await?;
        bench.shot("warning").await?;
        bittern.up(&["Volume up"]).await?;
        bittern.up(&["Volume down"]).await?;
        // Long, not short.
        bittern.down(&["Volume up"]).await?;
        bittern.face_shows("Unlock?").await?;
        bittern.up(&["Volume up"]).await?;
        bittern.tap("Volume up").await?;
        bittern.face_shows("Settings").await?;
        bench
            .click("The home screen, or the first questions of a fresh start. It says unlocked.")
            .await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Lock", "unlocked").await?;
        bench.stop().await
    });
}

/// From dead to starting: it is brought where it answers, and its maker's whole set is put on it.
#[test]
fn bittern_starts_again_by_its_makers_whole_set() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let bittern = Table::met(&bench, "Bittern").await?;
        bench.elsewhere().device("bittern", |device| {
            let label = "boot".to_owned();
            device.arm(Fault::Blank { label }).unwrap();
            device.met_in(Running::Animation, 0).unwrap();
            Ok(())
        })?;
        bittern
            .say(&[("Does the system start", "animation without end")])
            .await?;
        bench
            .sees("What starts it is damaged, or only half of it was written.")
            .await?;
        bench.is_accessible().await?;
        bench.click("Put the maker's system back").await?;
        bench.sees("Its system does not come up.").await?;
        bittern.to("Standing").await?;
        bench.click("waived: nobody checks it").await?;
        bench.sees("Nobody checks what works as it arrives").await?;
        bittern.waive().await?;
        // As the line says: forced dark, both volume keys, the cable in.
        let body = |act| {
            bench
                .elsewhere()
                .device("bittern", |device| device.body(&act))
        };
        let all = [BodyKey::VolumeUp, BodyKey::VolumeDown, BodyKey::Power];
        body(BodyAct::Cable {
            to: CablePlace::Out,
        })?;
        for key in all {
            body(BodyAct::Key {
                key,
                to: Push::Down,
            })?;
        }
        let runs = || {
            bench
                .elsewhere()
                .device("bittern", |device| Ok(device.truth().1))
        };
        while runs()? == Running::Animation {
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        body(BodyAct::Cable { to: CablePlace::In })?;
        while runs()? == Running::Off {
            tokio::time::sleep(Duration::from_millis(20)).await;
        }
        for key in all {
            body(BodyAct::Key { key, to: Push::Up })?;
        }
        for to in [Push::Down, Push::Up] {
            let key = BodyKey::VolumeUp;
            body(BodyAct::Key { key, to })?;
        }
        bench.tag_says("Mode", "download mode").await?;
        bittern.begin("Put the maker's system back").await?;
        bench.sees("No copy exists").await?;
        bench.sees("From the shelf: OB-510.2610.v6.tar").await?;
        bittern.consent().await?;
        bench.is_accessible().await?;
        bench.shot("rescue").await?;
        bench.click("Put the maker's set on it").await?;
        bench.sees("Start the system").await?;
        bittern.take_in_hand().await?;
        bench.click("Show me how").await?;
        bittern.down(&["Volume down", "Power"]).await?;
        bittern.face_shows("Dark").await?;
        bittern.up(&["Volume down", "Power"]).await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "running system").await?;
        bench.stop().await
    });
}

#[test]
fn four_keys_let_go_in_order_bring_plover_into_the_makers_recovery() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let plover = Table::met(&bench, "Plover").await?;
        plover.begin("Go to the maker's recovery").await?;
        plover.take_in_hand().await?;
        bench.click("Restart into download mode").await?;
        plover.face_shows("DOWNLOAD").await?;
        bench.click("Show me how").await?;
        let all = ["Volume down", "Volume up", "Home", "Power"];
        plover.down(&all).await?;
        plover.face_shows("Dark").await?;
        plover.up(&["Volume down"]).await?;
        plover.face_shows("LOGO").await?;
        plover.up(&["Power"]).await?;
        // The run ends when the link sees it, and the hands' panel goes with it.
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "stock recovery").await?;
        bench.stop().await
    });
}

/// The README's second walk: the file that matches, written only to be able to read, straight into it, and
/// everything that exists once is captured before anything else is written.
#[test]
fn plover_is_read_by_the_recovery_that_is_written_for_it() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        bench.open("/shelf").await?;
        bench.sees("bramble-s-recovery-3.4.1.tar").await?;
        bench.is_accessible().await?;
        bench.shot("shelf").await?;
        let plover = Table::met(&bench, "Plover").await?;
        plover.to("Recovery").await?;
        bench.sees("bramble-s-recovery-3.4.1.tar").await?;
        bench.is_accessible().await?;
        bench.shot("recovery").await?;
        plover.choose("Back up what exists once").await?;
        bench.sees("Version 3.4.1.").await?;
        bench.click("Complete the list").await?;
        bench
            .sees("For your goal: back up what exists once")
            .await?;
        bench.tell("Accounts signed in", "0").await?;
        bench.tell("Screen lock", "off").await?;
        bench.click("waived: nobody checks it").await?;
        bench.click("Nothing of all this is to be kept").await?;
        bench.click("None of it is to be kept").await?;
        bench.sees("13 kinds waived").await?;
        plover.to("Run").await?;
        bench.click("Begin").await?;
        bench.click("Restart into download mode").await?;
        // What only the download screen shows is asked in front of it.
        bench
            .sees("Guard on the download screen: is it checking?")
            .await?;
        plover
            .say(&[
                ("Guard on the download screen", "checking"),
                ("Reset lock on the download screen", "off"),
            ])
            .await?;
        plover.to("Run").await?;
        bench.sees("This is before any backup").await?;
        bench.sees("The knock mark in the chip.").await?;
        plover.consent().await?;
        bench.shot("recovery-consent").await?;
        plover.take_in_hand().await?;
        bench.click("Write the recovery of Plover").await?;
        bench.sees("Restart into custom recovery").await?;
        bench.click("Show me how").await?;
        plover.face_shows("DOWNLOAD").await?;
        plover
            .down(&["Volume down", "Volume up", "Home", "Power"])
            .await?;
        plover.face_shows("Dark").await?;
        plover.up(&["Volume down"]).await?;
        plover.face_shows("LOGO").await?;
        plover.up(&["Power"]).await?;
        bench.tag_says("Mode", "custom recovery").await?;
        bench.click("Capture what exists once").await?;
        bench.sees("The goal is reached").await?;
        plover.to("Backups").await?;
        bench.sees("efs").await?;
        bench.sees("1 of 2 copies").await?;
        bench.stop().await
    });
}

/// From within: started from memory, everything that exists once in two places, put into the vendor part of each slot
/// that holds one, and there again after the system ran.
#[test]
fn redshanks_recovery_lies_in_its_vendor_part_and_stays() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let redshank = Table::met(&bench, "Redshank").await?;
        redshank.to("Recovery").await?;
        bench.sees("to stay it is put inside vendor_boot").await?;
        // Another way than the family's first is taken for a reason, which is kept.
        let why = "Why this one and not the first";
        bench.fill(why, "it is for the next owner too").await?;
        bench.is_accessible().await?;
        bench
            .click("See its sheet: Start it from memory, then install it from within")
            .await?;
        bench
            .sees("The sheet: install a recovery that stays")
            .await?;
        bench.click("Complete the list").await?;
        bench.click("waived: nobody checks it").await?;
        bench.sees_not("What works on it now?").await?;
        redshank.begin("Install a recovery that stays").await?;
        bench.click("Restart into bootloader mode").await?;
        bench.sees("Step 2 of 5").await?;
        bench.click("Start the recovery from memory").await?;
        bench.sees("Step 3 of 5").await?;
        bench.click("Capture what exists once").await?;
        bench.sees("Step 4 of 5").await?;
        bench.click("Copy capture 1 to stick").await?;
        bench.sees_not("The seal is closed for this step").await?;
        bench.is_accessible().await?;
        bench.shot("inside").await?;
        bench.click("Put the recovery inside vendor_boot").await?;
        bench.sees("Step 5 of 5").await?;
        bench.click("Restart into custom recovery").await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "custom recovery").await?;
        redshank.to("Log").await?;
        bench.sees("because: it is for the next owner too").await?;
        bench
            .sees("No job ends without a start of the system")
            .await?;
        redshank.begin("Start the system").await?;
        bench.click_last("Start the system").await?;
        bench.sees("The goal is reached").await?;
        bench.sees("shows when it runs once more").await?;
        redshank.begin("Go to the custom recovery").await?;
        bench.click("Restart into bootloader mode").await?;
        bench.sees("Step 2 of 2").await?;
        bench.click("Restart into custom recovery").await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "custom recovery").await?;
        // The maker's whole system writes over it, and it goes back in the same go.
        redshank.choose(RENEW).await?;
        bench.sees("Install samphire-whole-2.1").await?;
        bench.is_accessible().await?;
        bench.shot("renew-sheet").await?;
        redshank.begin(RENEW).await?;
        bench.click("Restart into bootloader mode").await?;
        bench.click("Start the recovery from memory").await?;
        bench.click("Capture what exists once").await?;
        bench.click("Copy capture 3 to stick").await?;
        bench.sees("From the shelf: samphire-whole-2.1").await?;
        redshank.consent().await?;
        bench.is_accessible().await?;
        bench.shot("renew").await?;
        bench.click("Install samphire-whole-2.1").await?;
        bench.click("Put the recovery inside vendor_boot").await?;
        bench.click("Restart into custom recovery").await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "custom recovery").await?;
        bench.stop().await
    });
}

const RENEW: &str = "Renew system and recovery";

/// In its own menu, from memory: it switches off what puts the maker's back, and is there after the system ran.
#[test]
fn lapwings_recovery_installs_itself_and_stays() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let lapwing = Table::met(&bench, "Lapwing").await?;
        // The system that was put back puts its maker's recovery back too.
        lapwing.begin("Go to bootloader mode").await?;
        bench.click("Restart into bootloader mode").await?;
        bench.sees("The goal is reached").await?;
        lapwing.begin("Start the system").await?;
        bench.click_last("Start the system").await?;
        bench.sees("The goal is reached").await?;
        lapwing.to("Recovery").await?;
        bench.sees("its install switches the restorer off").await?;
        bench.shot("within-recovery").await?;
        let why = "Why this one and not the first";
        bench.fill(why, "it is kept for a while").await?;
        bench
            .click("See its sheet: Start it from memory, then install it from within")
            .await?;
        bench
            .sees("The sheet: install a recovery that stays")
            .await?;
        bench.click("Complete the list").await?;
        bench.click("waived: nobody checks it").await?;
        bench.sees_not("What works on it now?").await?;
        lapwing.begin("Install a recovery that stays").await?;
        bench.click("Restart into bootloader mode").await?;
        bench.click("Start the recovery from memory").await?;
        bench.click("Capture what exists once").await?;
        bench.click("Copy capture 1 to stick").await?;
        lapwing.take_in_hand().await?;
        bench.is_accessible().await?;
        bench.shot("within").await?;
        bench.click("Show me how").await?;
        bench
            .sees("system is changed so that the maker's does not come back")
            .await?;
        lapwing.face_shows("Install this recovery").await?;
        bench.click("Install this recovery").await?;
        lapwing
            .face_shows("Installed. The restorer is off.")
            .await?;
        bench.is_accessible().await?;
        bench.shot("within-told").await?;
        bench
            .click("A list of partitions and the word temporary. It says that it is installed.")
            .await?;
        bench.click("Restart into bootloader mode").await?;
        bench.click("Restart into custom recovery").await?;
        bench.sees("The goal is reached").await?;
        lapwing.begin("Start the system").await?;
        bench.click_last("Start the system").await?;
        bench.sees("The goal is reached").await?;
        lapwing.begin("Go to the custom recovery").await?;
        bench.click("Restart into bootloader mode").await?;
        bench.click("Restart into custom recovery").await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "custom recovery").await?;
        // A little of the system is not its maker's now.
        lapwing.to("Standing").await?;
        bench.sees("Locking Lapwing again is refused").await?;
        lapwing.to("Recovery").await?;
        bench.sees("is switched off on this unit").await?;
        lapwing.to("Log").await?;
        bench
            .sees("installed itself to recovery; the restorer of system is off")
            .await?;
        bench.click("Passport").await?;
        bench.sees("What to know first").await?;
        bench
            .sees("Marrow Lantern 3, LN-3X, recovery 3.2.0")
            .await?;
        bench.sees("What works on it was not checked").await?;
        bench.is_accessible().await?;
        bench.shot("passport").await?;
        bench.click("Back to the log").await?;
        bench.stop().await
    });
}

/// What a person does at a step of Dunlin's.
#[derive(Clone, Copy)]
enum Does {
    /// Clicks, and the link does it.
    Click(&'static str),
    /// Consents, clicks, and answers on its screen.
    Unlock,
    /// Consents, and installs a package from the card.
    Install(&'static str),
    SwitchOff,
    /// Two keys from off, the first let go at the logo.
    Keys(&'static str, &'static str),
    /// Says which build runs, as its settings show it.
    Says(&'static str),
    /// Two presses down in the bootloader's menu.
    Menu(&'static str),
    Command,
}

impl Table<'_> {
    async fn does(&self, what: Does) -> Outcome {
        let bench = self.bench;
        match what {
            Does::Click(title) => bench.click(title).await,
            Does::Says(build) => {
                self.face_shows(build).await?;
                self.say(&[("Build", build)]).await?;
                self.to("Run").await?;
                self.take_in_hand().await
            }
            Does::Unlock => {
                self.consent().await?;
                bench.click("Unlock the bootloader of Dunlin").await?;
                self.face_shows("▸ No").await?;
                self.tap("Volume down").await?;
                self.face_shows("▸ Yes").await?;
                self.tap("Power").await
            }
            Does::Install(name) => {
                self.consent().await?;
                bench.click("I consent: show me how").await?;
                self.face_shows("▸ Install from card").await?;
                self.tap("Power").await?;
                self.face_shows("▸ Install mallet").await?;
                let wanted = format!("▸ Install {name}");
                while self.face_shows_one(&[wanted.as_str(), "▸"]).await? != wanted {
                    self.tap("Volume down").await?;
                }
                self.tap("Power").await
            }
            Does::SwitchOff => {
                bench.click("Show me how").await?;
                self.down(&["Power"]).await?;
                tokio::time::sleep(Duration::from_millis(1500)).await;
                self.up(&["Power"]).await?;
                if self.face_shows_one(&["Power off", "Charging"]).await? == "Power off" {
                    bench.click("Power off").await?;
                }
                self.face_shows("Charging").await?;
                bench.click("Dark.").await
            }
            Does::Keys(key, until) => {
                bench.click("Show me how").await?;
                self.down(&[key, "Power"]).await?;
                self.face_shows("LOGO").await?;
                self.up(&["Power"]).await?;
                self.face_shows(until).await?;
                self.up(&[key]).await
            }
            Does::Menu(from) => {
                bench.click("Show me how").await?;
                self.face_shows(from).await?;
                self.tap("Volume down").await?;
                self.tap("Volume down").await?;
                self.face_shows("▸ Recovery").await?;
                self.tap("Power").await
            }
            Does::Command => {
                bench.click("Show me how").await?;
                self.face_shows("Commands from a computer").await?;
                bench.click("Commands from a computer: off").await
            }
        }
    }
}

const PACKAGES: [&str; 5] = [
    "mallet-full-3.1",
    "mallet-enabler-3.1",
    "mallet-3.1-to-3.2",
    "mallet-3.2-to-3.3",
    "mallet-3.3-to-3.4",
];

/// Too new, and locked: down to the build that opens, unlocked, read by a recovery that goes in for that alone, the
/// maker's back, up again build by build, and the recovery last.
#[test]
fn dunlin_comes_from_too_new_to_its_newest_build_with_a_recovery_in() {
    in_browser(|| async {
        let bench = Bench::start(FASTER).await?;
        let dunlin = Table::met(&bench, "Dunlin").await?;
        bench
            .press_on_page(
                "dunlin",
                "Put mallet-enabler-3.1 from the build server on the card",
            )
            .await?;
        dunlin
            .say(&[
                ("Packages on the card", &PACKAGES.join(", ")),
                ("Accounts signed in", "0"),
                ("Screen lock", "off"),
            ])
            .await?;
        for name in PACKAGES {
            let package = veritope_standin::package_bytes(name);
            let fetched = bench.elsewhere().fetches(name, &package)?;
            bench.shelve(&fetched).await?;
        }
        dunlin.waive().await?;
        dunlin.begin("Install a recovery that stays").await?;
        dunlin.take_in_hand().await?;
        let stock = "Restart into stock recovery";
        let old = "WM1-3.1-2603";
        let steps: [&[Does]; 25] = [
            &[Does::Click(stock)],
            &[Does::Install("mallet-full-3.1")],
            &[Does::Says(old), Does::SwitchOff],
            &[Does::Keys("Volume down", "Install from card")],
            &[Does::Install("mallet-enabler-3.1")],
            &[Does::Says(old), Does::SwitchOff],
            &[Does::Keys("Volume up", "BOOTLOADER")],
            &[Does::Unlock],
            &[Does::Click("Write the recovery")],
            &[Does::Menu("▸ Start")],
            &[Does::Click("Capture what exists once")],
            &[Does::Click("Restart into bootloader mode")],
            &[
                Does::Click("Copy capture 1 to stick"),
                Does::Click("Put the maker's recovery back"),
            ],
            &[Does::Menu("▸ Start")],
            &[Does::Install("mallet-full-3.1")],
            &[Does::Says(old), Does::Command],
            &[Does::Click(stock)],
            &[Does::Install("mallet-3.1-to-3.2")],
            &[Does::Click(stock)],
            &[Does::Install("mallet-3.2-to-3.3")],
            &[Does::Click(stock)],
            &[Does::Install("mallet-3.3-to-3.4")],
            &[Does::Click("Restart into bootloader mode")],
            &[Does::Click("Write the recovery")],
            &[Does::Menu("▸ Start")],
        ];
        for (at, step) in steps.into_iter().enumerate() {
            bench.sees(&format!("Step {} of 25", at + 1)).await?;
            for one in step {
                dunlin.does(*one).await?;
            }
        }
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "custom recovery").await?;
        bench.tag_says("Lock", "unlocked").await?;
        dunlin.to("Standing").await?;
        bench.sees("WM1-3.4-2610").await?;
        dunlin.to("Backups").await?;
        bench.sees("modemst1").await?;
        bench.stop().await
    });
}

/// Counts how often the page asks for the screen to stay on, and gives that back.
const AWAKE: &str = "window.awake = { asked: 0, given: 0 };
    const held = () => ({ release: async () => { window.awake.given += 1; } });
    const wakeLock = { request: async () => { window.awake.asked += 1; return held(); } };
    Object.defineProperty(navigator, 'wakeLock', { value: wakeLock, configurable: true });";

/// The README's fourth walk: for a unit that is given away.
#[test]
fn ruffs_data_is_erased_after_a_typed_name_with_the_screen_kept_on() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let ruff = Table::met(&bench, "Ruff").await?;
        ruff.choose("Erase the owner's data").await?;
        bench
            .sees("10 of 10 kinds of data are neither kept safe")
            .await?;
        // What is missing is brought where the page leads to.
        bench.click("Complete the list").await?;
        bench.sees("For your goal: erase the owner's data").await?;
        bench.is_accessible().await?;
        bench.shot("goal-list").await?;
        bench.tell("Accounts signed in", "0").await?;
        bench.tell("Screen lock", "off").await?;
        bench.click("Nothing of all this is to be kept").await?;
        bench.click("None of it is to be kept").await?;
        bench.sees("10 kinds waived").await?;
        bench.click("Run").await?;
        bench
            .sees("Format data: loses all internal storage")
            .await?;
        bench.run(AWAKE).await?;
        bench.click("Begin").await?;
        bench.click("Restart into bootloader mode").await?;
        bench
            .sees("System, lock and what exists once stay as they are.")
            .await?;
        ruff.consent().await?;
        let during = bench.run("return window.awake").await?;
        assert!(
            during["asked"].as_u64() > during["given"].as_u64(),
            "{during}"
        );
        // The cable is out in the middle: the end is not known, and never believed.
        let wipes = || {
            bench
                .elsewhere()
                .device("ruff", |device| Ok(device.wipes()))
        };
        let before = wipes()?;
        bench
            .click("Erase the owner's data on Ruff from the bootloader")
            .await?;
        while wipes()? == before {
            tokio::time::sleep(Duration::from_millis(5)).await;
        }
        let cable = |to| {
            bench
                .elsewhere()
                .device("ruff", |device| device.body(&BodyAct::Cable { to }))
        };
        cable(CablePlace::Out)?;
        bench.sees("How this step ended is not known.").await?;
        bench.shot("not-known").await?;
        cable(CablePlace::In)?;
        bench.tag_says("Link", "answers").await?;
        bench.click("Look now").await?;
        // It may have begun, and whoever started the system since may have signed in: the list is told
        // again, and then it is done again, this time to its end.
        bench
            .sees("It was known, but something happened since.")
            .await?;
        bench.click("To the list").await?;
        bench.sees("For your goal: erase the owner's data").await?;
        bench.tell("Accounts signed in", "0").await?;
        bench.tell("Screen lock", "off").await?;
        bench.click("Nothing of all this is to be kept").await?;
        bench.click("None of it is to be kept").await?;
        bench.sees("10 kinds waived").await?;
        bench.click("Run").await?;
        bench
            .click("Erase the owner's data on Ruff from the bootloader")
            .await?;
        bench.click("Start the system").await?;
        bench.sees("The goal is reached").await?;
        bench
            .sees("To be switched on again after the last wipe")
            .await?;
        let after = bench.run("return window.awake").await?;
        assert_eq!(after["asked"], after["given"], "{after}");
        bench.tag_says("Lock", "unlocked").await?;
        bench.stop().await
    });
}

#[test]
fn curlews_token_is_kept_and_opens_it_and_no_other() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let curlew = Table::met(&bench, "Curlew").await?;
        let mut token = String::new();
        curlew.gate(|gate| {
            gate.asked_updates = Answer::Yes;
            token.clone_from(&gate.token);
        });
        curlew
            .say(&[
                ("Equipment ID", "351846074321564"),
                ("Administrator rights", "no"),
                ("Answered in bootloader mode", "yes"),
            ])
            .await?;
        curlew.waive().await?;
        bench.open_fact("Unlock token").await?;
        bench.fill("The token from the mail", "00A1").await?;
        bench.click("Keep it").await?;
        bench.sees("The token has 4 signs, wanted are 16").await?;
        bench.fill("The token from the mail", &token).await?;
        bench.click("Keep it").await?;
        bench.sees("The token is kept, encrypted").await?;
        curlew.begin("Unlock").await?;
        curlew.take_in_hand().await?;
        bench.click("Restart into bootloader mode").await?;
        // What exists once and is destroyed is named before the name is typed.
        bench
            .sees("vkeys exists once in the world and is destroyed")
            .await?;
        curlew.consent().await?;
        bench.click("Unlock Curlew with the token").await?;
        curlew.face_shows("▸ No, keep it locked").await?;
        curlew.tap("Volume up").await?;
        curlew.tap("Power").await?;
        bench.sees("Start the system").await?;
        let shown = bench
            .run("return document.documentElement.outerHTML")
            .await?;
        assert!(
            !shown.as_str().unwrap().contains(&token),
            "nowhere on screen"
        );
        bench.click("Start the system").await?;
        bench.sees("The goal is reached").await?;
        bench.stop().await
    });
}

/// The README's third walk.
#[test]
fn lapwing_is_refused_cured_and_locked_for_its_next_owner() {
    in_browser(|| async {
        let bench = Bench::start(HANDS).await?;
        let lapwing = Table::met(&bench, "Lapwing").await?;
        bench
            .sees("Locking Lapwing again is refused: recovery, vendor are not the maker's.")
            .await?;
        lapwing.begin("Start a recovery from memory").await?;
        // The goal stands in the tag too, as a link.
        bench.click_last("Restart into bootloader mode").await?;
        bench.click_last("Start the recovery from memory").await?;
        bench.sees("The goal is reached").await?;
        lapwing.to("Backups").await?;
        bench.click("With the system").await?;
        bench
            .sees("The capture is whole, and was read back.")
            .await?;
        bench.click("Take LN3X.7.0.2607.tar into the vault").await?;
        bench.sees("Put back from LN3X.7.0.2607").await?;
        lapwing.to("Standing").await?;
        bench
            .sees("Not the maker's are: recovery (read by a temporary start), vendor (read by a temporary start).")
            .await?;
        bench.shot("lapwing").await?;
        lapwing.to("Backups").await?;
        bench.click("Put back from LN3X.7.0.2607.tar").await?;
        bench
            .sees("not yet: modemst1: 1 of 2 copies read back. (B6)")
            .await?;
        bench.click("Copy capture 1 to stick").await?;
        bench.sees("stick: read back, whole").await?;
        bench.buttons_have_names_of_their_own().await?;
        lapwing.to("Backups").await?;
        bench.click("Put back from LN3X.7.0.2607.tar").await?;
        bench.sees("differs in").await?;
        for label in ["recovery", "vendor"] {
            let script =
                format!("document.querySelector('input[aria-label=\"Put {label} back\"]').click()");
            bench.run(&script).await?;
        }
        bench.is_accessible().await?;
        bench.shot("stock").await?;
        bench.click("Put 2 partitions back").await?;
        bench
            .sees("Everything was put back, read back, and is equal.")
            .await?;
        // Which recovery lies there now is seen, not said: two presses down in the bootloader's menu.
        lapwing.begin("Go to the maker's recovery").await?;
        lapwing.take_in_hand().await?;
        bench.click_last("Restart into bootloader mode").await?;
        lapwing.face_shows("BOOTLOADER").await?;
        bench.click("Show me how").await?;
        for key in ["Volume down", "Volume down", "Power"] {
            lapwing.tap(key).await?;
        }
        bench.sees("The goal is reached").await?;
        bench.tag_says("Mode", "stock recovery").await?;
        // The link does not start the system from there; the menu's first line does.
        lapwing.begin("Start the system").await?;
        lapwing.take_in_hand().await?;
        bench.click("Show me how").await?;
        lapwing.tap("Power").await?;
        bench.sees("The goal is reached").await?;
        // What works, function by function, each by its name.
        lapwing.choose("Lock again").await?;
        bench.click("Complete the list").await?;
        bench.click("Check 9 functions").await?;
        bench.sees("What works now").await?;
        bench.sees("Camera").await?;
        bench.is_accessible().await?;
        bench.shot("functions").await?;
        bench.click("Everything works").await?;
        bench.click("Each was tried and works").await?;
        bench.click_last("Record").await?;
        bench.sees("9 checks noted").await?;
        bench.tell("Accounts signed in", "0").await?;
        lapwing.waive().await?;
        bench
            .sees("Lapwing can be locked again; the sheet asks for consent.")
            .await?;
        lapwing.begin("Lock again").await?;
        lapwing.take_in_hand().await?;
        bench.click_last("Restart into bootloader mode").await?;
        lapwing.consent().await?;
        bench.shot("relock").await?;
        bench.click("Lock Lapwing again").await?;
        lapwing.face_shows("▸ No, keep it unlocked").await?;
        lapwing.tap("Volume up").await?;
        lapwing.face_shows("▸ Yes, lock and erase").await?;
        lapwing.tap("Power").await?;
        bench.click_last("Start the system").await?;
        bench.sees("The goal is reached").await?;
        bench.tag_says("Lock", "locked").await?;
        bench.stop().await
    });
}
