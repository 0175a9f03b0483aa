#![no_main]
veritope_fuzz::target!(512, b"EFI PART");
