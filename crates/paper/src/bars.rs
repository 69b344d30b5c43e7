//! A scannable reference: Code 128 (ISO/IEC 15417), read by every scanner at a desk.

use anyhow::{Result, anyhow, bail};
use barcoders::sym::code128::Code128;

/// The bars of a reference from left to right, each a number of modules: bar, gap, bar, gap, and so on.
///
/// # Errors
/// A character that Code 128 B does not have (it has printable ASCII), or no character at all.
pub fn bars(reference: &str) -> Result<Vec<u8>> {
    if reference.is_empty() {
        bail!("nothing to scan");
    }
    // Set B: capital and small letters, digits and signs.
    let coded = Code128::new(format!("\u{181}{reference}")).map_err(|e| anyhow!("{reference}: {e}"))?;
    let mut out: Vec<u8> = Vec::new();
    let mut last = 0;
    for module in coded.encode() {
        if module != last || out.is_empty() {
            out.push(0);
            last = module;
        }
        if let Some(width) = out.last_mut() {
            *width += 1;
        }
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_reference_becomes_bars_and_gaps() {
        // Worked out by hand from the standard's table: start B (104), R (50), 1 (17), check (104 + 50 + 2·17) mod 103 = 85, stop.
        let by_hand = [
            [2, 1, 1, 2, 1, 4].as_slice(), // start B
            &[2, 3, 1, 1, 3, 1],           // 50, R
            &[1, 2, 3, 2, 2, 1],           // 17, 1
            &[1, 2, 4, 2, 1, 1],           // 85
            &[2, 3, 3, 1, 1, 1, 2],        // stop
        ];
        assert_eq!(bars("R1").unwrap(), by_hand.concat());
        assert!(bars("").is_err());
        assert!(bars("Größe").is_err());
    }
}
