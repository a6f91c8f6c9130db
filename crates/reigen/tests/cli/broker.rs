//! Stations live over a broker of another make. `.ci/run` installs it; without it a test says so, and fails in CI.

use crate::live::module;
use crate::peers::{found, ready};
use crate::support::{Place, Said};
use serde_json::Value;
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::thread;
use std::time::Duration;

/// A broker at work, until it is dropped.
struct Broker {
    child: Child,
    port: u16,
}

impl Drop for Broker {
    fn drop(&mut self) {
        // It may have ended already.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

impl Broker {
    /// One at a port, with more of its settings.
    fn start(place: &Place, port: u16, more: &str) -> Self {
        place.write("broker.conf", format!("listener {port} 127.0.0.1\nuser root\n{more}\n"));
        let child = Command::new("mosquitto")
            .arg("-c")
            .arg(place.path("broker.conf"))
            .stdout(Stdio::null())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        while TcpStream::connect(("127.0.0.1", port)).is_err() {
            thread::sleep(Duration::from_millis(10));
        }
        Self { child, port }
    }

    /// What is kept under a topic.
    fn kept(&self, topic: &str) -> Value {
        let port = self.port.to_string();
        let said =
            Command::new("mosquitto_sub").args(["-p", &port, "-t", topic, "-C", "1", "-W", "5"]).output().unwrap();
        serde_json::from_slice(&said.stdout).unwrap()
    }

    fn publish(&self, topic: &str, payload: &str) {
        let port = self.port.to_string();
        let said =
            Command::new("mosquitto_pub").args(["-p", &port, "-t", topic, "-m", payload, "-r"]).status().unwrap();
        assert!(said.success());
    }
}

fn is_there() -> bool {
    let said = Command::new("mosquitto_sub").arg("--help").output().ok();
    let broker = Command::new("mosquitto").arg("-h").output().ok();
    found(said.and(broker), "`mosquitto` and its clients are not installed").is_some()
}

pub(crate) fn free_port() -> u16 {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().port()
}

/// The winder of the example on a broker in place of its module; `more` are further keys of the link.
fn winder(port: u16, more: &str) -> Place {
    let place = module();
    let station = place.read("m/station.toml");
    let points = &station[station.find("[input.start_button]").unwrap()..];
    let link = format!(
        "[link.io]\nprotocol = \"mqtt\"\naddress = \"127.0.0.1:{port}\"\nstatus = \"winder/status\"\n{more}\n\
         [link.io.lines]\nPB_START = \"winder/start\"\nPB_STOP = \"winder/stop\"\n\
         TENSION_MA = {{ at = \"winder/tension\", value = \"/mA\", time = \"/t\", time_unit = \"us\" }}\n\
         DRUM_COUNT = {{ at = \"winder/drum\", value = \"/count\" }}\n\
         [link.io.outputs]\nrun_lamp = \"winder/lamp\"\nspool_turns = {{ at = \"winder/turns\", on_stop = 0 }}\n"
    );
    place.write("m/station.toml", link + points);
    place
}

fn summary(said: &Said) -> Value {
    serde_json::from_str::<Value>(said.stdout.lines().last().unwrap()).unwrap()["summary"].take()
}

fn codes(summary: &Value) -> Vec<&str> {
    summary["findings"].as_array().unwrap().iter().map(|finding| finding["code"].as_str().unwrap()).collect()
}

fn message<'a>(summary: &'a Value, code: &str) -> &'a str {
    let findings = summary["findings"].as_array().unwrap().iter();
    findings.clone().find(|finding| finding["code"] == code).map_or("", |finding| finding["message"].as_str().unwrap())
}

#[test]
fn a_station_is_read_and_driven_over_a_broker_and_its_recording_gives_the_same() {
    if !is_there() {
        return;
    }
    let place = winder(free_port(), "");
    let broker = Broker::start(&place, port_of(&place), "allow_anonymous true");
    let mut played = place.command("play m/station.toml m/scenario.toml --for 8s --writes written.jsonl");
    let played = ready(played.stdout(Stdio::piped()).spawn().unwrap());
    let said = place.reigen("live m/station.toml --drive --for 4s --lateness 1s --record live.jsonl --json");
    let told = summary(&said);
    assert_eq!(said.code, 0, "{told}");
    assert_eq!((&told["inputs"]["start_button"]["rising"], &told["links"]["io"]["downs"]), (&1.into(), &0.into()));
    assert!(told["analogs"]["tension"]["last"].as_f64().unwrap() > 2000.0, "{told}");
    assert!(!codes(&told).iter().any(|code| code.starts_with("link-") || code.starts_with("lines-")), "{told}");
    let again = place.reigen("run m/station.toml live.jsonl --json").json();
    for kind in ["inputs", "counters", "registers", "rates", "analogs", "bits", "expectations"] {
        assert_eq!(told[kind], again[kind], "{kind}");
    }
    // At the end the lamp is off, the turns are what they become, and all say that nobody drives them.
    let lamp = broker.kept("winder/lamp");
    assert_eq!((&lamp["value"], &lamp["online"]), (&false.into(), &false.into()), "{lamp}");
    assert_eq!(broker.kept("winder/turns")["value"], 0.0);
    assert_eq!(broker.kept("winder/status")["online"], false);
    assert_eq!(played.wait_with_output().unwrap().status.code(), Some(0));
    let written = place.read("written.jsonl");
    let lamp: Vec<Value> = written
        .lines()
        .map(|line| serde_json::from_str::<Value>(line).unwrap())
        .filter(|write| write["place"] == "winder/lamp")
        .map(|mut write| write["value"].take())
        .collect();
    assert!(lamp.contains(&true.into()) && lamp.last() == Some(&false.into()), "{lamp:?}");
}

fn port_of(place: &Place) -> u16 {
    let station = place.read("m/station.toml");
    let address = station.lines().find_map(|line| line.strip_prefix("address = \"127.0.0.1:")).unwrap();
    address.trim_end_matches('"').parse().unwrap()
}

#[test]
fn a_broker_that_restarts_is_reached_again_and_what_cannot_be_read_is_told() {
    if !is_there() {
        return;
    }
    let port = free_port();
    let place = winder(port, "");
    let broker = Broker::start(&place, port, "allow_anonymous true");
    let live = place.command("live m/station.toml --for 3s --json").stdout(Stdio::piped()).spawn().unwrap();
    thread::sleep(Duration::from_millis(500));
    drop(broker);
    let broker = Broker::start(&place, port, "allow_anonymous true");
    for _ in 0..20 {
        broker.publish("winder/start", "much");
        broker.publish("winder/start", "ON");
        broker.publish("winder/tension", "{\"mA\":12}");
        thread::sleep(Duration::from_millis(50));
    }
    let told = summary(&live.wait_with_output().unwrap().into());
    assert_eq!(told["links"]["io"]["online"], true, "{told}");
    assert!(told["links"]["io"]["downs"].as_u64() >= Some(1), "{told}");
    assert_eq!(told["inputs"]["start_button"]["final"], true, "{told}");
    let malformed = message(&told, "lines-malformed");
    assert!(malformed.contains("`much` is no value") || malformed.contains("has no `/t`"), "{malformed}");
}

#[test]
fn a_wrong_password_and_one_that_is_not_there_are_told() {
    if !is_there() {
        return;
    }
    let port = free_port();
    let place = winder(port, "user = \"winder\"\npassword_env = \"WINDER_PASSWORD\"");
    let password = place.path("passwords");
    let made = Command::new("mosquitto_passwd").args(["-b", "-c"]).arg(&password).args(["winder", "right"]).status();
    assert!(made.unwrap().success());
    let more = format!("allow_anonymous false\npassword_file {}", password.display());
    let _broker = Broker::start(&place, port, &more);
    let with = |password: &str| {
        let mut command = place.command("live m/station.toml --for 600ms --json");
        let said: Said = command.env("WINDER_PASSWORD", password).output().unwrap().into();
        // An expectation that was never tried counts as failed.
        assert_eq!(said.code, 1, "{}", said.stderr);
        summary(&said)
    };
    let right = with("right");
    assert_eq!(right["links"]["io"]["downs"], 0, "{right}");
    let wrong = with("wrong");
    assert!(message(&wrong, "link-down").contains("refuses this user or its password"), "{wrong}");
    let none = place.reigen("live m/station.toml --for 600ms");
    assert!(none.code == 2 && none.stderr.contains("has no WINDER_PASSWORD"), "{}", none.stderr);
}

#[test]
fn two_programs_that_drive_the_same_are_told_and_one_that_is_killed_leaves_its_will() {
    if !is_there() {
        return;
    }
    let port = free_port();
    let place = winder(port, "refresh = \"100 ms\"");
    let broker = Broker::start(&place, port, "allow_anonymous true");
    broker.publish("winder/start", "0");
    let mut other =
        place.command("live m/station.toml --drive --for 60s --lines").stdout(Stdio::null()).spawn().unwrap();
    let told = summary(&place.reigen("live m/station.toml --drive --for 1500ms --json"));
    assert!(codes(&told).contains(&"driven-twice"), "{told}");
    // The other publishes that it goes on; then it is killed.
    thread::sleep(Duration::from_millis(300));
    other.kill().unwrap();
    other.wait().unwrap();
    thread::sleep(Duration::from_millis(200));
    assert_eq!(broker.kept("winder/status")["online"], false);
}

#[test]
fn an_encrypted_connection_is_trusted_by_its_certificate() {
    if !is_there() {
        return;
    }
    let port = free_port();
    let place = winder(port, "tls = true\nca = \"ca.pem\"");
    let (key, certificate) = (place.path("key.pem"), place.path("ca.pem"));
    let made = Command::new("openssl")
        .args(["req", "-x509", "-newkey", "ec", "-pkeyopt", "ec_paramgen_curve:prime256v1", "-nodes", "-days", "2"])
        .args(["-subj", "/CN=127.0.0.1", "-addext", "subjectAltName=IP:127.0.0.1"])
        .args(["-addext", "basicConstraints=critical,CA:FALSE"])
        .arg("-keyout")
        .arg(&key)
        .arg("-out")
        .arg(&certificate)
        .output()
        .unwrap();
    assert!(made.status.success());
    let more = format!("allow_anonymous true\ncertfile {}\nkeyfile {}", certificate.display(), key.display());
    let _broker = Broker::start(&place, port, &more);
    let said = place.reigen("live m/station.toml --for 600ms --json");
    if cfg!(feature = "tls") {
        let told = summary(&said);
        assert_eq!(told["links"]["io"]["downs"], 0, "{told}");
        place.write("other.pem", "no certificate");
        let station = place.read("m/station.toml").replace("ca.pem", "other.pem");
        place.write("m/station.toml", station);
        let said = place.reigen("live m/station.toml --for 300ms");
        assert!(said.code == 2 && said.stderr.contains("certificate"), "{}", said.stderr);
    } else {
        assert!(said.code == 2 && said.stderr.contains("build with `--features tls`"), "{}", said.stderr);
    }
}
