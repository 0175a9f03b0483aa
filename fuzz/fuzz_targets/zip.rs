#![no_main]
veritope_fuzz::target!(0, b"PK\x03\x04");
