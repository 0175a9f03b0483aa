#![no_main]
libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    // A head whose checksum holds, so that what it says is looked at.
    let mut bytes = bytes.to_vec();
    bytes.resize(bytes.len().max(512), 0);
    bytes[257..262].copy_from_slice(b"ustar");
    veritope_fuzz::sum_up(&mut bytes[..512]);
    veritope_fuzz::plain(&bytes);
});
