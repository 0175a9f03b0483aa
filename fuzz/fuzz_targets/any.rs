#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    veritope_fuzz::plain(bytes);
});
