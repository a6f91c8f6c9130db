//! A link to a fleet: the lines of a machine are messages on a NATS server with JetStream.

/// A connection to a server.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NatsLink {
    /// Host and port.
    pub address: String,
    /// The station whose lines they are.
    pub station: String,
    /// Whether the lines of the run are told; else they are read.
    pub publish: bool,
    /// The user.
    pub user: Option<String>,
    /// The environment variable that has the password.
    pub password_env: Option<String>,
}

/// Checks the name of a station in a fleet: it is part of a subject and of a key.
///
/// # Errors
/// In words.
pub fn check_station_name(name: &str) -> Result<(), String> {
    match !name.is_empty() && name.chars().all(is_usable) {
        true => Ok(()),
        false => Err(format!("`{name}` cannot be the name of a station in a fleet: use letters, digits, - and _")),
    }
}

/// A name that a station in a fleet may have, made of one that it may not.
pub fn usable_station_name(name: &str) -> String {
    let name: String = name.chars().map(|letter| if is_usable(letter) { letter } else { '_' }).collect();
    if name.is_empty() { "press".to_owned() } else { name }
}

fn is_usable(letter: char) -> bool {
    letter.is_ascii_alphanumeric() || matches!(letter, '-' | '_')
}

#[cfg(test)]
mod tests {
    use super::{check_station_name, usable_station_name};

    #[test]
    fn a_name_is_one_part_of_a_subject() {
        for name in ["press", "press-7", "HALL_2"] {
            assert_eq!((check_station_name(name), usable_station_name(name).as_str()), (Ok(()), name));
        }
        for (name, usable) in [("", "press"), ("a.b", "a_b"), ("a b*", "a_b_"), ("größe", "gr__e")] {
            assert!(check_station_name(name).is_err(), "{name}");
            assert_eq!(usable_station_name(name), usable);
        }
    }
}
