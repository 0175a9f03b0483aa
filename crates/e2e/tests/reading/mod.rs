//! What is read without a recovery: by a loader, and from the running system with administrator rights.

use veritope_e2e::Bench;

use super::{FAST, in_browser};

/// From the running system into the loader by hands, and read out: nothing is written.
#[test]
fn a_loader_is_reached_by_hands_and_reads_out() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench.to("Knot", "Backups").await?;
        bench.sees("The maker’s mode that reads out").await?;
        bench.is_accessible().await?;
        bench.click("Run").await?;
        bench.choose("Back up what exists once").await?;
        bench.click("Begin").await?;
        bench.sees("Step 1 of 3").await?;
        bench.click("Show me how").await?;
        bench.press_on_page("knot", "Power off").await?;
        bench.click("Dark.").await?;
        bench.sees("Step 2 of 3").await?;
        bench.click("Show me how").await?;
        bench.press_on_page("knot", "Pull the cable").await?;
        bench
            .press_on_page("knot", "Press Start in the tool on the computer")
            .await?;
        bench.press_on_page("knot", "Plug the cable in").await?;
        bench.tag_says("Mode", "download mode").await?;
        bench.sees("Step 3 of 3").await?;
        bench.click_last("Capture what exists once").await?;
        bench.sees("The goal is reached").await?;
        bench.click("Backups").await?;
        bench.sees("proinfo: 1 of 2 copies read back.").await?;
        bench.click("Look into capture 1").await?;
        bench
            .sees("start image of a system, header 0, build bobbin-2.3 for thimble")
            .await?;
        bench.stop().await
    });
}

/// While it is locked, rights on the running system read what the unlock destroys; what lives is read
/// again at rest.
#[test]
fn rights_read_what_an_unlock_destroys() {
    in_browser(|| async {
        let bench = Bench::start(FAST).await?;
        bench.open("/").await?;
        bench.to("Curlew", "Backups").await?;
        bench
            .sees("The running system gives no administrator rights.")
            .await?;
        bench
            .press_on_page("curlew", "Administrator rights: off")
            .await?;
        bench.sees_not("How it is read").await?;
        bench.to("Curlew", "Standing").await?;
        bench
            .sees("vkeys is destroyed by the unlock, and the running system has the rights to copy it before: capture it first.")
            .await?;
        bench.click("Backups").await?;
        bench.click("Take a capture").await?;
        bench
            .sees("modemst1 was read while the system ran, and it lives: capture it at rest.")
            .await?;
        bench.sees("the first, while the system ran").await?;
        bench.click("Standing").await?;
        bench
            .sees("vkeys is destroyed by the unlock. vkeys: 1 of 2 copies read back.")
            .await?;
        bench.click("Backups").await?;
        bench.click("Copy capture 1 to stick").await?;
        bench.sees("stick: read back, whole").await?;
        bench.click("Standing").await?;
        bench
            .sees("vkeys is destroyed by the unlock, and what it holds is kept.")
            .await?;
        bench.stop().await
    });
}
