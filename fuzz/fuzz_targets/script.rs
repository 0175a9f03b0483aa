#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let script = String::from_utf8_lossy(bytes).into_owned();
    // A tar that holds nothing but the script.
    veritope_fuzz::plain(&veritope_fuzz::tar_of("META-INF/updater-script", script.as_bytes()));
    veritope_fuzz::plain(&veritope_fuzz::tar_of("system.transfer.list", bytes));
});
