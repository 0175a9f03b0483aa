//! Equipment IDs (`K3`): 15 digits, the last a check digit (Luhn). The check proves *that*
//! something is wrong, never *where*, since every position has a repair; where comes from the
//! family's type codes, from a second reading, or stays a possibility.

use std::fmt;

/// Digits of a type code: the first of an equipment ID.
pub const TYPE_CODE_DIGITS: usize = 8;

/// An equipment ID as read, right or wrong.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum EquipmentId {
    /// The unit has none, or shows none.
    None,
    /// Fifteen digits; whether the last fits is for [`EquipmentId::check`] to say.
    Checked([u8; 15]),
    /// Sixteen digits: a software version stands in place of the check digit.
    WithVersion([u8; 16]),
}

/// What is wrong with the text, as the end of a sentence.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum NotAnEquipmentId {
    /// Something other than digits.
    #[error("write digits only, as they stand on the unit, or none")]
    NotDigits,
    /// Another number of digits.
    #[error("it has {0} digits; 15 are wanted, or 16 with a software version: read it again")]
    Length(usize),
}

/// What the check digit says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Check {
    /// It fits: no single wrong digit and no swap of most neighbours.
    Fits,
    /// Something is wrong; nobody can tell from it where.
    Wrong,
    /// There is none to look at.
    NoCheckDigit,
}

/// A place that somebody may have misread.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Suspect {
    /// This digit, since the family's type code has another one there. Positions count from 1.
    TypeCode {
        /// Position.
        position: usize,
        /// As read.
        found: u8,
        /// As the type code has it.
        expected: u8,
    },
    /// This digit differs between two readings.
    Readings {
        /// Position, from 1.
        position: usize,
    },
    /// These neighbours may have been swapped: a possibility, no more.
    Swap {
        /// Position of the first, from 1.
        position: usize,
    },
}

impl EquipmentId {
    /// Reads an equipment ID; blanks, points and strokes between the digits don't count.
    ///
    /// # Errors
    /// When it holds something else, or another number of digits.
    pub fn parse(text: &str) -> Result<Self, NotAnEquipmentId> {
        if text.eq_ignore_ascii_case("none") {
            return Ok(Self::None);
        }
        let bare = text.chars().filter(|c| !matches!(c, ' ' | '-' | '.' | '/'));
        let digits: Vec<u8> = bare
            .map(|c| c.to_digit(10).and_then(|digit| u8::try_from(digit).ok()))
            .collect::<Option<_>>()
            .ok_or(NotAnEquipmentId::NotDigits)?;
        let length = digits.len();
        match length {
            15 => digits.try_into().map(Self::Checked),
            16 => digits.try_into().map(Self::WithVersion),
            _ => return Err(NotAnEquipmentId::Length(length)),
        }
        .map_err(|_| NotAnEquipmentId::Length(length))
    }

    fn digits(&self) -> &[u8] {
        match self {
            Self::None => &[],
            Self::Checked(digits) => digits,
            Self::WithVersion(digits) => digits,
        }
    }

    /// What the check digit says.
    #[must_use]
    pub fn check(&self) -> Check {
        match self {
            Self::Checked(digits) if luhn(digits) => Check::Fits,
            Self::Checked(_) => Check::Wrong,
            Self::None | Self::WithVersion(_) => Check::NoCheckDigit,
        }
    }

    /// The type code, where there is one.
    #[must_use]
    pub fn type_code(&self) -> Option<String> {
        let digits = self.digits().get(..TYPE_CODE_DIGITS)?;
        Some(
            digits
                .iter()
                .map(|digit| char::from(b'0' + digit))
                .collect(),
        )
    }

    /// The one digit in which this ID's type code differs from one of `codes`, where it is exactly
    /// one and no code fits. Two codes that would each explain it name nothing.
    #[must_use]
    pub fn misread_type_code(&self, codes: &[String]) -> Option<Suspect> {
        let own = self.type_code()?;
        if codes.contains(&own) {
            return None;
        }
        let mut found = codes.iter().filter_map(|code| {
            let mut differing = own
                .bytes()
                .zip(code.bytes())
                .enumerate()
                .filter(|(_, (a, b))| a != b);
            let (at, (is, wanted)) = differing.next()?;
            differing.next().is_none().then_some(Suspect::TypeCode {
                position: at + 1,
                found: is - b'0',
                expected: wanted - b'0',
            })
        });
        let first = found.next()?;
        found.next().is_none().then_some(first)
    }

    /// Where a second reading differs.
    #[must_use]
    pub fn differences(&self, other: &Self) -> Vec<Suspect> {
        let pairs = self.digits().iter().zip(other.digits()).enumerate();
        pairs
            .filter(|(_, (a, b))| a != b)
            .map(|(at, _)| Suspect::Readings { position: at + 1 })
            .collect()
    }

    /// Neighbours whose swap would make the check digit fit, where it doesn't. A possibility only:
    /// a single wrong digit explains it as well.
    #[must_use]
    pub fn swaps(&self) -> Vec<Suspect> {
        let Self::Checked(digits) = self else {
            return Vec::new();
        };
        if luhn(digits) {
            return Vec::new();
        }
        (0..digits.len() - 1)
            .filter(|&at| {
                let mut swapped = *digits;
                swapped.swap(at, at + 1);
                swapped != *digits && luhn(&swapped)
            })
            .map(|at| Suspect::Swap { position: at + 1 })
            .collect()
    }
}

impl fmt::Display for EquipmentId {
    /// In full: for storing. Screens show [`super::FactValue::shown`].
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if *self == Self::None {
            return f.write_str("none");
        }
        self.digits()
            .iter()
            .try_for_each(|digit| write!(f, "{digit}"))
    }
}

/// The check digit that makes `digits` fit, when it is put behind them.
#[must_use]
pub fn check_digit(digits: &[u8; 14]) -> u8 {
    (0..10u8)
        .find(|last| {
            let mut all = [0; 15];
            all[..14].copy_from_slice(digits);
            all[14] = *last;
            luhn(&all)
        })
        .unwrap_or(0)
}

fn luhn(digits: &[u8]) -> bool {
    let sum: u32 = digits
        .iter()
        .rev()
        .enumerate()
        .map(|(at, &digit)| {
            let doubled = u32::from(digit) * if at % 2 == 1 { 2 } else { 1 };
            if doubled > 9 { doubled - 9 } else { doubled }
        })
        .sum();
    sum.is_multiple_of(10)
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn id(text: &str) -> EquipmentId {
        EquipmentId::parse(text).unwrap()
    }

    prop_compose! {
        fn sound()(digits in prop::array::uniform14(0..10u8)) -> [u8; 15] {
            let mut all = [0; 15];
            all[..14].copy_from_slice(&digits);
            all[14] = check_digit(&digits);
            all
        }
    }

    proptest! {
        /// Every single wrong digit is noticed, and every position could explain it: so the check
        /// alone names none.
        #[test]
        fn a_wrong_digit_is_noticed_and_any_position_could_be_it(right in sound(), at in 0..15usize, by in 1..10u8) {
            let mut wrong = right;
            wrong[at] = (wrong[at] + by) % 10;
            prop_assert_eq!(EquipmentId::Checked(right).check(), Check::Fits);
            prop_assert_eq!(EquipmentId::Checked(wrong).check(), Check::Wrong);
            for position in 0..15 {
                let repairs = (0..10u8).filter(|digit| {
                    let mut tried = wrong;
                    tried[position] = *digit;
                    luhn(&tried)
                });
                prop_assert_eq!(repairs.count(), 1);
            }
        }

        #[test]
        fn the_type_code_names_the_digit_that_differs(right in sound(), at in 0..8usize, by in 1..10u8) {
            let code = EquipmentId::Checked(right).type_code().unwrap();
            let mut wrong = right;
            wrong[at] = (wrong[at] + by) % 10;
            let named = EquipmentId::Checked(wrong).misread_type_code(&[code]);
            prop_assert_eq!(named, Some(Suspect::TypeCode { position: at + 1, found: wrong[at], expected: right[at] }));
        }

        #[test]
        fn swapped_neighbours_are_among_the_possibilities(right in sound(), at in 0..14usize) {
            let mut swapped = right;
            swapped.swap(at, at + 1);
            let wrong = EquipmentId::Checked(swapped);
            if wrong.check() == Check::Wrong {
                let named = wrong.swaps();
                prop_assert!(named.contains(&Suspect::Swap { position: at + 1 }), "{:?}", named);
            }
        }
    }

    #[test]
    fn two_codes_that_would_explain_it_name_nothing() {
        let codes = ["35184607".to_owned(), "35184609".to_owned()];
        assert_eq!(id("351846081234560").misread_type_code(&codes), None);
        assert_eq!(id("351846071234560").misread_type_code(&codes), None);
        assert!(
            id("351846171234560")
                .misread_type_code(&codes[..1])
                .is_some()
        );
    }

    #[test]
    fn none_and_sixteen_digits_are_answers_and_the_rest_is_told() {
        assert_eq!(id("none").check(), Check::NoCheckDigit);
        assert_eq!(id("3518460712345601").check(), Check::NoCheckDigit);
        assert_eq!(EquipmentId::parse("1234"), Err(NotAnEquipmentId::Length(4)));
        assert_eq!(EquipmentId::parse(""), Err(NotAnEquipmentId::Length(0)));
        assert_eq!(EquipmentId::parse("35x"), Err(NotAnEquipmentId::NotDigits));
        let (a, b) = (id("351846071234560"), id("351846071224560"));
        assert_eq!(a.differences(&b), [Suspect::Readings { position: 11 }]);
    }
}
