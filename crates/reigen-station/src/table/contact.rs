//! `contact`: which way a contact works, in the file.

use reigen_core::condition::input::Contact;
use serde::Deserialize;

/// `contact` as it stands in the file.
#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "UPPERCASE")]
pub(crate) enum ContactWord {
    #[default]
    No,
    Nc,
}

impl From<ContactWord> for Contact {
    fn from(word: ContactWord) -> Self {
        match word {
            ContactWord::No => Contact::NormallyOpen,
            ContactWord::Nc => Contact::NormallyClosed,
        }
    }
}
