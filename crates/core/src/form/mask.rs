//! Masks: how a text is written, sign by sign.

/// A mask, read.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mask(Vec<Sign>);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Sign {
    Digit,
    Letter,
    Either,
    /// Stands as it is.
    Itself(char),
}

/// Why a mask can't be used.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MaskFault {
    /// It asks for nothing.
    #[error("the mask has no input positions. Use # for a digit, @ for a letter, ? for either.")]
    Nothing,
    /// It ends where a sign should follow.
    #[error("the mask ends with \\. Add the character that should follow it.")]
    OpenEnd,
    /// It is longer than anybody types.
    #[error("the mask is longer than 100 characters. Use a pattern instead.")]
    Long,
}

impl Mask {
    /// Reads a mask: `#` a digit, `@` a letter, `?` either, `\` before one of these
    /// that is meant itself.
    pub fn parse(text: &str) -> Result<Mask, MaskFault> {
        let mut signs = Vec::new();
        let mut rest = text.trim().chars();
        while let Some(sign) = rest.next() {
            signs.push(match sign {
                '#' => Sign::Digit,
                '@' => Sign::Letter,
                '?' => Sign::Either,
                '\\' => Sign::Itself(rest.next().ok_or(MaskFault::OpenEnd)?),
                other => Sign::Itself(other),
            });
        }
        match signs.iter().all(|s| matches!(s, Sign::Itself(_))) {
            _ if signs.len() > 100 => Err(MaskFault::Long),
            true => Err(MaskFault::Nothing),
            false => Ok(Mask(signs)),
        }
    }

    /// Whether a text is written so.
    pub fn fits(&self, text: &str) -> bool {
        let mut signs = text.chars();
        let all = self.0.iter().all(|sign| signs.next().is_some_and(|c| sign.takes(c)));
        all && signs.next().is_none()
    }
}

impl Sign {
    fn takes(self, c: char) -> bool {
        match self {
            Sign::Digit => c.is_ascii_digit(),
            Sign::Letter => c.is_alphabetic(),
            Sign::Either => c.is_alphanumeric(),
            Sign::Itself(own) => c == own,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn mask(text: &str) -> Mask {
        Mask::parse(text).expect("a mask")
    }

    #[test]
    fn signs_stand_where_the_mask_has_them() {
        let loa = mask("##.## m");
        assert!(loa.fits("12.40 m") && !loa.fits("12.4 m") && !loa.fits("12.40 m ") && !loa.fits("12,40 m"));
        assert!(mask("@##?").fits("É05x") && !mask("@##").fits("505"));
        assert!(mask(r"\###").fits("#12") && !mask(r"\###").fits("112"));
    }

    #[test]
    fn a_mask_without_a_place_is_refused() {
        assert_eq!(Mask::parse("m"), Err(MaskFault::Nothing));
        assert_eq!(Mask::parse(" "), Err(MaskFault::Nothing));
        assert_eq!(Mask::parse("##\\"), Err(MaskFault::OpenEnd));
        assert_eq!(Mask::parse(&"#".repeat(101)), Err(MaskFault::Long));
    }
}
