#![no_main]
veritope_fuzz::target!(0, b"hsqs");
