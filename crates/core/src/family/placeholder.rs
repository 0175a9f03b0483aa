//! Values that stand where an identifier should and are none (`K4`): all one sign, counting, words,
//! test patterns, too few different signs. They are *missing*, never an identity: thousands of units
//! give the same.

/// Words that programs and people put where nothing is known.
const WORDS: &[&str] = &[
    "available",
    "be",
    "blank",
    "by",
    "changeme",
    "chip",
    "default",
    "device",
    "dummy",
    "empty",
    "emulator",
    "error",
    "example",
    "fail",
    "failed",
    "fake",
    "false",
    "filled",
    "generic",
    "id",
    "identifier",
    "in",
    "invalid",
    "maker",
    "missing",
    "na",
    "nan",
    "nil",
    "no",
    "none",
    "not",
    "null",
    "number",
    "oem",
    "phone",
    "placeholder",
    "sample",
    "sequence",
    "serial",
    "serialno",
    "serialnumber",
    "set",
    "sn",
    "string",
    "tbd",
    "temp",
    "test",
    "testing",
    "to",
    "todo",
    "undefined",
    "unit",
    "unknown",
    "unset",
    "unspecified",
    "value",
    "void",
    "x",
    "xx",
    "xxx",
    "xxxx",
    "xxxxxxxx",
    "zero",
];

/// Numbers that read as words, which fill memory nobody wrote to.
const FILLERS: &[&str] = &[
    "0badc0de", "0badf00d", "1badb002", "8badf00d", "abad1dea", "abadcafe", "baadf00d", "badc0ffe",
    "badcab1e", "beefdead", "cafebabe", "cafed00d", "cafef00d", "coffee", "c0ffee", "deadbabe",
    "deadbeef", "deadc0de", "deadcafe", "deadd00d", "defec8ed", "decafbad", "faceb00c", "facefeed",
    "feedface", "f00dbabe",
];

/// Fewest signs that tell units apart.
const FEWEST: usize = 3;

/// Whether no unit can be told by `value`.
pub(super) fn is_placeholder(value: &str) -> bool {
    let lower = value.trim().to_lowercase();
    let signs: Vec<u32> = lower.chars().filter_map(|sign| sign.to_digit(36)).collect();
    if signs.len() < FEWEST || lower.chars().any(char::is_control) {
        return true;
    }
    let bare: String = lower.chars().filter(char::is_ascii_alphanumeric).collect();
    is_words(&lower)
        || FILLERS.iter().any(|filler| bare.contains(filler))
        || repeats(&signs)
        || has_few_signs(&signs)
        || counts(&signs)
        || counts_in_groups(&bare)
}

/// Nothing but words of the list, with digits and marks between them.
pub(crate) fn is_words(lower: &str) -> bool {
    let mut words = lower
        .split(|sign: char| !sign.is_alphabetic())
        .filter(|word| !word.is_empty())
        .peekable();
    words.peek().is_some() && words.all(|word| WORDS.contains(&word))
}

/// One piece over and over, one sign alone included.
fn repeats(signs: &[u32]) -> bool {
    let length = signs.len();
    let least = if length < 6 { 1 } else { length / 2 };
    (1..=least).any(|piece| {
        length >= 2 * piece
            && signs
                .iter()
                .zip(&signs[piece..])
                .all(|(one, next)| one == next)
    })
}

/// Most of it is one sign: a number that was counted from one, or a filled-up short one.
fn has_few_signs(signs: &[u32]) -> bool {
    let most = (0..36)
        .map(|sign| signs.iter().filter(|one| **one == sign).count())
        .max()
        .unwrap_or(0);
    signs.len() >= 8 && (signs.len() - most) * 4 <= signs.len()
}

/// Counting up or down, in any base, every sign or every second one, with at most one jump in ten.
fn counts(signs: &[u32]) -> bool {
    let is_step = |from: u32, to: u32| {
        from.abs_diff(to) <= 1
            // The end of the digits, of base 16, of the letters.
            || matches!((from, to), (9, 0) | (0, 9) | (15, 0) | (0, 15) | (35, 0) | (0, 35) | (0, 10) | (10, 0) | (7, 0) | (0, 7))
    };
    let steps: Vec<bool> = signs
        .windows(2)
        .map(|pair| is_step(pair[0], pair[1]))
        .collect();
    let jumps = steps.iter().filter(|is_step| !**is_step).count();
    let by_one = signs.len() >= 4 && jumps * 10 <= steps.len();
    // Every second sign up, the others down, and the like; any even step.
    let even = |stride: usize| {
        signs.len() >= 6 * stride.clamp(1, 2)
            && signs.len() > 2 * stride
            && (0..stride).all(|first| {
                let part: Vec<i64> = signs
                    .iter()
                    .skip(first)
                    .step_by(stride)
                    .map(|sign| i64::from(*sign))
                    .collect();
                part.windows(3)
                    .all(|three| three[1] - three[0] == three[2] - three[1])
            })
    };
    by_one || even(1) || (signs.len() >= 8 && even(2))
}

/// Pairs, threes or fours that count as numbers do: `00:01:02:03`, `10:20:30:40`.
fn counts_in_groups(bare: &str) -> bool {
    [2usize, 3, 4].into_iter().any(|size| {
        if !bare.len().is_multiple_of(size) || bare.len() / size < 4 {
            return false;
        }
        [10, 16].into_iter().any(|base| {
            let numbers: Option<Vec<i64>> = (0..bare.len() / size)
                .map(|n| i64::from_str_radix(&bare[n * size..(n + 1) * size], base).ok())
                .collect();
            numbers.is_some_and(|numbers| {
                numbers
                    .windows(3)
                    .all(|three| three[1] - three[0] == three[2] - three[1])
            })
        })
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn what_thousands_of_units_give_is_none() {
        for value in [
            "",
            " ",
            "00",
            "0000000000000000",
            "00:00:00:00:00:00",
            "ffffffff",
            "FF-FF-FF-FF",
            "0123456789abcdef",
            "0123456789ABCDEF",
            "123456789012345",
            "12:34:56:78:90:12",
            "1234567890abcdef",
            "fedcba9876543210",
            "9876543210",
            "abcdefgh",
            "zyxwvuts",
            "01234567",
            "76543210",
            "1234",
            "13579bdf",
            "02468ace",
            "00:01:02:03:04:05",
            "01:02:03:04:05:06",
            "10:20:30:40:50:60",
            "112233445566",
            "aa:bb:cc:dd:ee:ff",
            "001122334455",
            "5a5a5a5a",
            "a5:a5:a5:a5:a5:a5",
            "00ff00ff",
            "12341234",
            "abcabcabc",
            "f0e1d2c3b4a59687",
            "0f1e2d3c4b5a6978",
            "deadbeef",
            "DE:AD:BE:EF:00:01",
            "cafebabe00000001",
            "baadf00d",
            "unknown",
            "Unknown",
            "NONE",
            "n/a",
            "null",
            "not available",
            "To be filled by OEM",
            "test",
            "TEST-DEVICE-01",
            "serial0001",
            "Serial Number",
            "default",
            "xxxxxxxx",
            "00000001",
            "000000000000001",
            "00000042",
            "10000000",
            "K20000000",
            "TH5000000000",
            "?????",
            "a\u{0}b\u{0}c1d2e3",
        ] {
            assert!(is_placeholder(value), "{value:?}");
        }
    }

    #[test]
    fn what_tells_a_unit_is_one() {
        for value in [
            "9a:77:01:5c:20:e4",
            "9a:77:01:31:b8:0d",
            "FL1-220417-0093",
            "FL1-211130-0417",
            "5f21c09e",
            "5f21e77a",
            "0a5c9e2277130b4d",
            "c771d20a41",
            "d0417fe2",
            "7e11a09c",
            "91b0c4d7",
            "5f21",
            "R58N30ABCDE",
            "TH5204471180",
            "K2G4471903",
            "WM7731904",
            "PB20931177",
            "LN33407716",
            "357128041134204",
            "351846074321564",
            "9a77015c20e40001",
        ] {
            assert!(!is_placeholder(value), "{value:?}");
        }
    }

    proptest! {
        #[test]
        fn writing_it_otherwise_changes_nothing(value in "[0-9a-f]{6,16}") {
            let parted: Vec<String> = value.as_bytes().chunks(2).map(|two| String::from_utf8_lossy(two).into_owned()).collect();
            prop_assert_eq!(is_placeholder(&value), is_placeholder(&value.to_uppercase()));
            if !is_words(&parted.join(":")) && !is_words(&value) {
                prop_assert_eq!(is_placeholder(&value), is_placeholder(&parted.join(":")));
            }
        }

        #[test]
        fn any_sign_any_piece_any_count_is_none(sign in "[0-9a-z]", piece in "[0-9a-f]{1,6}", times in 2usize..6, from in 0u32..16, base in prop::sample::select(vec![8u32, 10, 16, 36])) {
            prop_assert!(is_placeholder(&sign.repeat(12)));
            if piece.len() * times >= 6 {
                prop_assert!(is_placeholder(&piece.repeat(times)), "{}", piece.repeat(times));
            }
            let counted: String = (0..12).filter_map(|n| char::from_digit((from + n) % base, 36)).collect();
            prop_assert!(is_placeholder(&counted), "{}", counted);
        }
    }
}
