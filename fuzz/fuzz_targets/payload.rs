#![no_main]
veritope_fuzz::target!(0, &[0x43, 0x72, 0x41, 0x55, 0, 0, 0, 0, 0, 0, 0, 2, 0, 0, 0, 0, 0, 0]);
