//! How a broker is reached.

use crate::password;
use reigen_io::error::system_words;
use reigen_station::links::mqtt::MqttLink;
use rumqttc::v5::mqttbytes::QoS;
use rumqttc::v5::mqttbytes::v5::{ConnectReturnCode, LastWill};
use rumqttc::v5::{ConnectionError, MqttOptions};
use std::time::{Duration, SystemTime, UNIX_EPOCH};

/// Messages arrive at least once: one that is lost would be an edge that is lost.
pub(super) const QOS: QoS = QoS::AtLeastOnce;
/// How often a quiet connection asks whether the broker is there.
const KEEP_ALIVE: Duration = Duration::from_secs(5);
/// The longest message.
const LONGEST: u32 = 1 << 20;

/// What `status` says while outputs are driven, and once they are not.
pub(super) fn status(online: bool) -> String {
    format!("{{\"online\":{online}}}")
}

/// The way to the broker of a link; `will` says what it is told once the connection breaks.
///
/// # Errors
/// In words, where the password is not there or the connection cannot be encrypted.
pub(super) fn options(link: &MqttLink, will: Option<&str>) -> Result<MqttOptions, String> {
    let (host, port) = link.address.rsplit_once(':').unwrap_or((&link.address, "1883"));
    let host = host.trim_start_matches('[').trim_end_matches(']');
    let mut options = MqttOptions::new(own_name(), host, port.parse::<u16>().unwrap_or(1883));
    options.set_keep_alive(KEEP_ALIVE).set_clean_start(true).set_max_packet_size(Some(LONGEST));
    if let Some(user) = &link.user {
        options.set_credentials(user, password::of(link.password_env.as_deref())?);
    }
    if let Some(topic) = will {
        options.set_last_will(LastWill::new(topic, status(false), QOS, true, None));
    }
    if link.tls {
        options.set_transport(encrypted(link.ca.as_deref())?);
    }
    Ok(options)
}

/// A name for a connection, in 23 letters as every broker takes: two of one name throw each other out.
fn own_name() -> String {
    let now = SystemTime::now().duration_since(UNIX_EPOCH).unwrap_or_default();
    let low = u64::from(now.subsec_nanos()) ^ now.as_secs() << 30;
    format!("reigen-{:016x}", low ^ u64::from(std::process::id()) << 32)
}

/// Why there is no connection, in words.
pub(super) fn in_words(error: &ConnectionError) -> String {
    match error {
        ConnectionError::ConnectionRefused(
            ConnectReturnCode::BadUserNamePassword | ConnectReturnCode::NotAuthorized,
        ) => "the broker refuses this user or its password".to_owned(),
        ConnectionError::ConnectionRefused(code) => format!("the broker refuses the connection: {code:?}"),
        ConnectionError::Io(error) => system_words(error),
        ConnectionError::Timeout(_) => "no answer within 5 s".to_owned(),
        error => error.to_string(),
    }
}

#[cfg(not(feature = "tls"))]
fn encrypted(_ca: Option<&str>) -> Result<rumqttc::Transport, String> {
    Err("this build has no encryption: build with `--features tls`".to_owned())
}

#[cfg(feature = "tls")]
fn encrypted(ca: Option<&str>) -> Result<rumqttc::Transport, String> {
    use rumqttc::TlsConfiguration;
    use rustls::pki_types::{CertificateDer, pem::PemObject as _};
    use rustls::{ClientConfig, RootCertStore, crypto::ring};
    use std::sync::Arc;

    let mut roots = RootCertStore::empty();
    match ca {
        Some(path) => {
            let read = |error| format!("{path}: {error}: a file with a certificate (PEM) is wanted");
            for certificate in CertificateDer::pem_file_iter(path).map_err(read)? {
                let certificate = certificate.map_err(read)?;
                roots.add(certificate).map_err(|error| format!("{path}: {error}"))?;
            }
        }
        None => {
            roots.add_parsable_certificates(rustls_native_certs::load_native_certs().certs);
        }
    }
    if roots.is_empty() {
        return Err("there is no certificate to trust: name the file of the broker's with `ca`".to_owned());
    }
    let versions =
        ClientConfig::builder_with_provider(Arc::new(ring::default_provider())).with_safe_default_protocol_versions();
    let settings = versions.map_err(|error| error.to_string())?.with_root_certificates(roots).with_no_client_auth();
    Ok(rumqttc::Transport::tls_with_config(TlsConfiguration::Rustls(Arc::new(settings))))
}
