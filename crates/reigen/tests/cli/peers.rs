//! Devices and clients of other makes. `.ci/run` installs them; without them a test says so, and fails where all must be there.

use crate::live::module;
use crate::support::{Place, Said};
use serde_json::Value;
use std::io::{BufRead, BufReader, Read, Write as _};
use std::process::{Child, Command, Stdio};

/// The Python that has the peers' packages.
pub(crate) fn python() -> Option<String> {
    found(std::env::var("REIGEN_PEERS").ok(), "REIGEN_PEERS names no Python with `pymodbus`")
}

pub(crate) fn found<T>(peer: Option<T>, missing: &str) -> Option<T> {
    assert!(peer.is_some() || std::env::var_os("CI").is_none(), "{missing}");
    if peer.is_none() {
        // Where this cannot be written, nothing is lost.
        let _ = writeln!(std::io::stderr(), "not tried: {missing}");
    }
    peer
}

/// The port of the module in a place.
fn port(place: &Place) -> String {
    let station = place.read("m/station.toml");
    let address = station.lines().find_map(|line| line.strip_prefix("address = \"127.0.0.1:")).unwrap();
    address.split('"').next().unwrap().to_owned()
}

/// A peer that says when it is ready.
pub(crate) fn ready(mut child: Child) -> Child {
    let mut first = [0_u8; 2];
    child.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    child
}

#[test]
fn a_client_of_another_make_reads_and_writes_the_stand_in() {
    let Some(_) = found(Command::new("mbpoll").arg("-V").output().ok(), "`mbpoll` is not installed") else { return };
    let place = module();
    let mut played = place.command("play m/station.toml m/scenario.toml --for 3s --writes written.jsonl");
    let played = ready(played.stdout(Stdio::piped()).spawn().unwrap());
    let port = port(&place);
    let ask = |arguments: &str| -> String {
        let all = format!("-m tcp -p {port} -0 -1 {arguments}");
        let said = Command::new("mbpoll").args(all.split_whitespace()).output().unwrap();
        String::from_utf8_lossy(&said.stdout).into_owned() + &String::from_utf8_lossy(&said.stderr)
    };
    let values = |said: &str| -> Vec<String> {
        let rows = said.lines().filter(|line| line.starts_with('['));
        rows.map(|line| line.rsplit('\t').next().unwrap().trim().to_owned()).collect()
    };
    let buttons = ask("-t 1 -r 0 -c 2 127.0.0.1");
    assert_eq!(values(&buttons), ["0", "1"], "{buttons}");
    let tension = ask("-t 3 -r 0 -c 1 127.0.0.1");
    let milliamperes: f64 = values(&tension)[0].parse::<f64>().unwrap() / 1000.0;
    assert!((5.0..6.0).contains(&milliamperes), "{tension}");
    let written = ask("-t 0 -r 0 127.0.0.1 1");
    assert!(written.contains("Written 1"), "{written}");
    assert_eq!(values(&ask("-t 0 -r 0 -c 1 127.0.0.1")), ["1"]);
    let refused = ask("-t 1 -r 99 -c 1 127.0.0.1");
    assert!(refused.contains("Illegal data address"), "{refused}");
    assert_eq!(played.wait_with_output().unwrap().status.code(), Some(0));
    let write: Value = serde_json::from_str(place.read("written.jsonl").lines().next().unwrap()).unwrap();
    assert_eq!((&write["place"], &write["value"]), (&"coil 0".into(), &1.into()));
}

#[test]
fn a_device_of_another_make_is_read_and_driven() {
    let Some(python) = python() else { return };
    let place = module();
    let script = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/peers/modbus_server.py");
    let mut device = Command::new(python);
    let device = device.args([script, &port(&place)]).stdout(Stdio::piped()).spawn().unwrap();
    let mut device = ready(device);
    let said: Said = place.reigen("live m/station.toml --drive --for 3s --json");
    let summary = serde_json::from_str::<Value>(said.stdout.lines().last().unwrap()).unwrap()["summary"].take();
    let codes: Vec<&Value> = summary["findings"].as_array().unwrap().iter().map(|finding| &finding["code"]).collect();
    assert!(!codes.iter().any(|code| ["link-down", "link-exception"].contains(&code.as_str().unwrap())), "{codes:?}");
    assert_eq!(summary["inputs"]["start_button"]["rising"], 1, "{summary}");
    assert_eq!(summary["registers"]["drum"]["raw"], 70_000, "two registers, the lower half first");
    let tension = summary["analogs"]["tension"]["last"].as_f64().unwrap();
    assert!((tension - 2500.0).abs() < 1e-6, "12 mA of 4 to 20 for 0 to 5000 N: {tension}");
    // On with the press, off at the end: what comes is read up to that.
    let mut written: Vec<String> = Vec::new();
    for line in BufReader::new(device.stdout.take().unwrap()).lines().map(Result::unwrap) {
        let is_off = line == "coil 0 0";
        written.push(line);
        if is_off {
            break;
        }
    }
    device.kill().unwrap();
    device.wait().unwrap();
    assert!(written.iter().any(|line| line == "coil 0 1"), "{written:?}");
    assert!(written.iter().filter(|line| line.starts_with("coil 7 ")).count() > 10, "the heartbeat: {written:?}");
}

#[test]
fn a_stream_of_another_program_is_read_as_it_comes() {
    let Some(python) = python() else { return };
    let place = module();
    // It prints a press in two parts, and waits in the middle of a line.
    let program = "import sys, time\n\
        def out(text):\n    sys.stdout.write(text); sys.stdout.flush(); time.sleep(0.15)\n\
        out('{\"line\":\"PB_START\",\"value\":0}\\n{\"line\":\"PB_STOP\",\"value\":1}\\n{\"line\":\"PB_')\n\
        out('START\",\"value\":1}\\n')\n\
        out('{\"line\":\"PB_START\",\"value\":0}\\n')";
    let mut printer = Command::new(python).args(["-c", program]).stdout(Stdio::piped()).spawn().unwrap();
    let station = place.read("m/station.toml");
    let points = &station[station.find("[input.start_button]").unwrap()..station.find("[output.no_module]").unwrap()];
    place.write("plain.toml", points);
    let mut live = place.command("live plain.toml - --json");
    let live = live.stdin(printer.stdout.take().unwrap()).stdout(Stdio::piped()).spawn().unwrap();
    let output = live.wait_with_output().unwrap();
    printer.wait().unwrap();
    let lines: Vec<String> = BufReader::new(output.stdout.as_slice()).lines().map(Result::unwrap).collect();
    let summary: Value = serde_json::from_str(lines.last().unwrap()).unwrap();
    let button = &summary["summary"]["inputs"]["start_button"];
    assert_eq!((&button["rising"], &button["raw_edges"]), (&1.into(), &2.into()), "{summary}");
    assert_eq!(summary["summary"]["bits"]["running"]["final"], true, "{summary}");
}
