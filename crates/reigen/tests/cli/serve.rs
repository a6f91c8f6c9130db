//! A live run in the network: what a browser shows, and what is set by hand.

use crate::live::{free_address, module};
use crate::peers::{found, ready};
use crate::support::Place;
use serde_json::Value;
use std::io::{Read as _, Write as _};
use std::net::{TcpListener, TcpStream};
use std::process::{Child, Command, Stdio};
use std::thread::sleep;
use std::time::Duration;

/// A port that nobody uses now.
fn free_port() -> u16 {
    free_address().rsplit(':').next().unwrap().parse().unwrap()
}

/// Sends a request; gives the answer, or nothing while nobody listens.
fn ask(port: u16, head: &str, body: &str) -> Option<String> {
    let mut stream = TcpStream::connect(("127.0.0.1", port)).ok()?;
    let length = body.len();
    let request = format!(
        "{head} HTTP/1.1\r\nHost: localhost:{port}\r\nContent-Length: {length}\r\nConnection: close\r\n\r\n{body}"
    );
    stream.write_all(request.as_bytes()).ok()?;
    let mut answer = String::new();
    stream.read_to_string(&mut answer).ok()?;
    Some(answer)
}

/// The points, once they are as wanted.
fn points_when(port: u16, wanted: impl Fn(&Value) -> bool) -> Value {
    loop {
        let answer = ask(port, "GET /points", "");
        let told = answer.and_then(|answer| serde_json::from_str::<Value>(answer.split("\r\n\r\n").nth(1)?).ok());
        if let Some(told) = told.filter(|told| wanted(&told["points"])) {
            return told;
        }
        sleep(Duration::from_millis(20));
    }
}

/// A module that is played, and a run on it that is served.
fn served(place: &Place, port: u16, options: &str) -> [Child; 2] {
    let mut played = place.command("play m/station.toml m/scenario.toml --repeat");
    let played = ready(played.stdout(Stdio::piped()).spawn().unwrap());
    let run = format!("live m/station.toml --json --serve 127.0.0.1:{port} {options}");
    let run = place.command(&run).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    [played, run]
}

#[test]
fn what_is_set_by_hand_is_on_the_device_and_in_the_recording() {
    let (place, port) = (module(), free_port());
    let [mut played, run] = served(&place, port, "--drive --allow-set --record r.jsonl --for 6s");
    let told = points_when(port, |points| points["spool_turns"]["value"].as_i64() > Some(3));
    assert_eq!(told["drives"], true);
    for (value, on) in [("false", false), ("true", true), ("false", false)] {
        let answer = ask(port, "POST /points/run_lamp", &format!("{{\"value\":{value}}}")).unwrap();
        assert!(answer.starts_with("HTTP/1.1 204"), "{answer}");
        let told = points_when(port, |points| points["run_lamp"]["set"] == Value::Bool(on));
        assert_eq!(told["points"]["run_lamp"]["value"], Value::Bool(on));
    }
    assert!(ask(port, "POST /points/run_lamp", "{\"value\":null}").unwrap().starts_with("HTTP/1.1 204"));
    points_when(port, |points| points["run_lamp"]["set"].is_null());
    let said = run.wait_with_output().unwrap();
    played.kill().unwrap();
    played.wait().unwrap();
    let out = String::from_utf8(said.stdout).unwrap();
    let live = serde_json::from_str::<Value>(out.lines().last().unwrap()).unwrap()["summary"].take();
    assert!(place.read("r.jsonl").contains("{\"time_ns\":0,\"line\":\"set.run_lamp\",\"value\":-1.0}"));
    let again = place.reigen("run m/station.toml r.jsonl --json").json();
    for kind in ["bits", "counters", "inputs", "rates"] {
        assert_eq!(live[kind], again[kind], "{kind}");
    }
    assert!(live["bits"]["run_lamp"] != live["bits"]["running"], "{}", live["bits"]);
}

#[test]
fn what_cannot_be_served_is_refused_before_anything_is_driven() {
    let place = module();
    place.write("short.txt", "short");
    let port = free_port();
    let _held = TcpListener::bind(("127.0.0.1", port)).unwrap();
    for (options, told) in [
        (format!("--serve 127.0.0.1:{port}"), "use another port"),
        ("--serve 0.0.0.0:0".to_owned(), "--token-file FILE"),
        ("--serve 127.0.0.1:0 --token-file short.txt".to_owned(), "has no token"),
        ("--serve 127.0.0.1:0 --token-file none.txt".to_owned(), "none.txt"),
        ("--allow-set".to_owned(), "--serve"),
        ("--serve 127.0.0.1:0 --allow-set".to_owned(), "--drive"),
        ("--serve nowhere".to_owned(), "--serve"),
    ] {
        let said = place.reigen(&format!("live m/station.toml --lines --for 1s {options}"));
        assert!(said.code == 2 && said.stderr.contains(told), "{options}: {}", said.stderr);
    }
}

/// What the page of the winder has once it shows the run.
const PARTS: [&str; 6] = [
    "Winder on a remote I/O module</h1>",
    "drives its outputs</p>",
    "data-name=\"spool_turns\"",
    "class=\"unit\">rpm</span>",
    "aria-label=\"Set run_lamp by hand\"",
    ">answers</span>",
];

#[test]
fn a_browser_shows_the_run_on_a_phone_and_on_a_desk() {
    let version = Command::new("chromium").arg("--version").output().ok();
    let Some(_) = found(version, "`chromium` is not installed") else { return };
    let (place, port) = (module(), free_port());
    let mut children = served(&place, port, "--drive --allow-set");
    // A run whose changes nobody takes comes to a halt.
    let mut changes = children[1].stdout.take().unwrap();
    std::thread::spawn(move || std::io::copy(&mut changes, &mut std::io::sink()));
    points_when(port, |points| points["spool_turns"]["value"].as_i64() > Some(0));
    for size in ["390,844", "1280,800"] {
        // A browser that is asked for the page takes it once it is loaded: what the page then asks for may not be there yet.
        let missing = || {
            let mut browser = Command::new("chromium");
            browser.args(["--headless", "--no-sandbox", "--disable-gpu", "--dump-dom"]);
            browser.args([
                format!("--window-size={size}"),
                format!("--user-data-dir={}", place.path("browser").display()),
            ]);
            let said = browser.arg(format!("http://127.0.0.1:{port}/")).output().unwrap();
            let page = String::from_utf8_lossy(&said.stdout).into_owned();
            let missing = PARTS.iter().find(|part| !page.contains(**part));
            missing.map(|part| format!("{size}: `{part}` in {page}"))
        };
        let tries: Vec<String> = (0..10).map_while(|_| missing()).collect();
        assert!(tries.len() < 10, "{:?}", tries.last());
    }
    children.iter_mut().for_each(|child| {
        child.kill().unwrap();
        child.wait().unwrap();
    });
}
