//! Who may read and set: the token, and which pages of the web a browser may ask for.

use axum::http::{HeaderMap, header};
use std::fs;
use std::net::IpAddr;
use std::path::{Path, PathBuf};
use subtle::ConstantTimeEq as _;

/// The name of the cookie that holds the token.
pub(crate) const COOKIE: &str = "reigen_token";
/// A shorter token is guessed.
const SHORTEST: usize = 16;

/// What a request must show. It is never printed.
#[derive(Clone)]
pub struct Token(String);

/// Why a token cannot be read.
#[derive(Debug, thiserror::Error)]
pub enum TokenError {
    /// The file cannot be read.
    #[error("{}: {source}", path.display())]
    Io {
        /// The file.
        path: PathBuf,
        /// What the system says.
        source: std::io::Error,
    },
    /// It is no token.
    #[error("{} has no token: a token is one line of {SHORTEST} letters, digits, - and _ at least", .0.display())]
    NoToken(PathBuf),
}

impl Token {
    /// Reads the token from a file of one line.
    ///
    /// # Errors
    /// Where it cannot be read, or is none that a header can hold and nobody guesses.
    pub fn read(path: &Path) -> Result<Self, TokenError> {
        let text = fs::read_to_string(path).map_err(|source| TokenError::Io { path: path.to_owned(), source })?;
        let token = text.trim();
        let fits = |byte: u8| byte.is_ascii_alphanumeric() || matches!(byte, b'-' | b'_');
        if token.len() < SHORTEST || !token.bytes().all(fits) {
            return Err(TokenError::NoToken(path.to_owned()));
        }
        Ok(Self(token.to_owned()))
    }

    /// Whether a text is the token; how long that takes tells nothing of where they differ.
    pub(crate) fn is(&self, shown: &str) -> bool {
        self.0.as_bytes().ct_eq(shown.as_bytes()).into()
    }

    /// The header that makes a browser show it from now on, to this server alone and to no script.
    pub(crate) fn cookie(&self) -> String {
        format!("{COOKIE}={}; HttpOnly; SameSite=Strict; Path=/", self.0)
    }

    /// Whether a request shows it, as a bearer or as a cookie.
    pub(crate) fn is_shown(&self, headers: &HeaderMap) -> bool {
        let text = |name| headers.get(name).and_then(|value: &axum::http::HeaderValue| value.to_str().ok());
        let bearer = text(header::AUTHORIZATION).and_then(|value| value.strip_prefix("Bearer "));
        let cookies = text(header::COOKIE).unwrap_or_default().split(';');
        let mut cookie = cookies.filter_map(|cookie| cookie.trim().strip_prefix(COOKIE)?.strip_prefix('='));
        bearer.is_some_and(|shown| self.is(shown.trim())) || cookie.any(|shown| self.is(shown))
    }
}

/// Why a request is refused before it is looked at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Foreign {
    /// A name of this machine that others can give it.
    Host,
    /// A page of somebody else asks.
    Origin,
}

/// Refuses what a page of somebody else makes a browser ask: by its origin, or by a name that leads here.
pub(crate) fn check(headers: &HeaderMap) -> Result<(), Foreign> {
    let text = |name| headers.get(name).and_then(|value: &axum::http::HeaderValue| value.to_str().ok());
    let host = text(header::HOST).ok_or(Foreign::Host)?;
    if !is_local_name(without_port(host)) {
        return Err(Foreign::Host);
    }
    match headers.get(header::ORIGIN) {
        Some(_) if text(header::ORIGIN) != Some(&format!("http://{host}")) => Err(Foreign::Origin),
        _ => Ok(()),
    }
}

fn without_port(host: &str) -> &str {
    match host.strip_prefix('[') {
        Some(rest) => rest.split(']').next().unwrap_or_default(),
        None => host.rsplit_once(':').map_or(host, |(name, _)| name),
    }
}

/// Whether nobody outside can make a name lead here: an address, one word, or a name of a network of one's own.
fn is_local_name(name: &str) -> bool {
    const OWN: [&str; 5] = [".local", ".lan", ".internal", ".home.arpa", ".localhost"];
    let is_word = !name.is_empty() && !name.contains('.');
    name.parse::<IpAddr>().is_ok() || is_word || OWN.iter().any(|end| name.ends_with(end))
}

#[cfg(test)]
mod tests {
    use super::*;
    use axum::http::HeaderValue;

    fn headers(all: &[(header::HeaderName, &str)]) -> HeaderMap {
        all.iter().map(|(name, value)| (name.clone(), HeaderValue::from_str(value).unwrap())).collect()
    }

    #[test]
    fn pages_and_names_of_others_are_refused() {
        let cases = [
            (vec![(header::HOST, "127.0.0.1:8088")], Ok(())),
            (vec![(header::HOST, "[::1]:8088")], Ok(())),
            (vec![(header::HOST, "winder")], Ok(())),
            (vec![(header::HOST, "winder.local:80"), (header::ORIGIN, "http://winder.local:80")], Ok(())),
            (vec![], Err(Foreign::Host)),
            (vec![(header::HOST, "attacker.example:8088")], Err(Foreign::Host)),
            (vec![(header::HOST, "127.0.0.1.attacker.example")], Err(Foreign::Host)),
            (vec![(header::HOST, "127.0.0.1:8088"), (header::ORIGIN, "http://127.0.0.1:9000")], Err(Foreign::Origin)),
            (vec![(header::HOST, "127.0.0.1:8088"), (header::ORIGIN, "https://127.0.0.1:8088")], Err(Foreign::Origin)),
            (vec![(header::HOST, "127.0.0.1:8088"), (header::ORIGIN, "null")], Err(Foreign::Origin)),
        ];
        for (all, wanted) in cases {
            assert_eq!(check(&headers(&all)), wanted, "{all:?}");
        }
    }

    #[test]
    fn the_token_is_shown_as_bearer_or_cookie_and_nothing_else() {
        let token = Token("abcdefgh-0123456".to_owned());
        let shown = |name: header::HeaderName, value: &str| token.is_shown(&headers(&[(name, value)]));
        assert!(shown(header::AUTHORIZATION, "Bearer abcdefgh-0123456"));
        assert!(shown(header::COOKIE, "a=b; reigen_token=abcdefgh-0123456"));
        for (name, value) in [
            (header::AUTHORIZATION, "Bearer abcdefgh-012345"),
            (header::AUTHORIZATION, "abcdefgh-0123456"),
            (header::COOKIE, "reigen_token="),
            (header::COOKIE, "other=abcdefgh-0123456"),
            (header::COOKIE, "reigen_token=abcdefgh-01234567"),
        ] {
            assert!(!shown(name.clone(), value), "{name}: {value}");
        }
        assert!(!token.is_shown(&HeaderMap::new()));
    }
}
