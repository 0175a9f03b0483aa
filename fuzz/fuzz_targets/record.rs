#![no_main]
veritope_fuzz::target!(510, &[0x55, 0xAA]);
