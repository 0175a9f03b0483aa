#![no_main]
veritope_fuzz::target!(1080, &[0x53, 0xEF]);
