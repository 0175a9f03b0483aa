#![no_main]
veritope_fuzz::target!(3, b"EXFAT   ");
