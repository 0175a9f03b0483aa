#![no_main]
veritope_fuzz::target!(0, &[2, 0x21, 0x4C, 0x18]);
