//! Which station a file says: a short hash, the same however it is laid out.

use sha2::{Digest, Sha256};

/// So many letters of the hash tell stations apart.
const LETTERS: usize = 12;

/// The version of the text of a station file: remarks, empty lines and the order of keys leave it as it is.
pub fn version_of(source: &str) -> String {
    // Tables are kept sorted by their keys.
    let said = source.parse::<toml::Table>().map_or_else(|_| source.to_owned(), |tables| tables.to_string());
    let hash = Sha256::digest(said.as_bytes());
    hash.iter().map(|byte| format!("{byte:02x}")).collect::<String>().chars().take(LETTERS).collect()
}

#[cfg(test)]
mod tests {
    use super::version_of;

    #[test]
    fn the_version_is_that_of_what_the_file_says() {
        let version = version_of("[input.a]\nline = 'A'\nasserted = 'low'\n");
        assert_eq!(version.len(), 12);
        assert_eq!(version, version_of("# more\n[input.a]\n\nasserted = \"low\" # low\nline = 'A'\n"));
        assert_ne!(version, version_of("[input.a]\nline = 'A'\nasserted = 'high'\n"));
    }
}
