//! Stations worked on live lines, by the built program.

use crate::support::{Place, Said};
use serde_json::{Value, json};
use std::io::{Read, Write};
use std::net::TcpListener;
use std::path::Path;
use std::process::{Command, Stdio};

const STATION: &str = "[input.button]\nline = 'PB'\ndebounce = '5 ms'\n[counter.presses]\nup = 'button'\n[analog.load]\nline = 'LOAD'\nunit = 'kW'\n";

/// What a live run says of what comes from standard input.
fn live(place: &Place, arguments: &str, input: &str) -> Said {
    let mut command = place.command(&format!("live station.toml - {arguments}"));
    let mut child = command.stdin(Stdio::piped()).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
    // Where the run has ended before, nobody reads.
    let _ = child.stdin.take().unwrap().write_all(input.as_bytes());
    child.wait_with_output().unwrap().into()
}

/// A press of so many milliseconds every 100 ms, by a device's own clock.
fn presses(count: u64, length_ms: u64) -> String {
    let press = |number: u64| {
        let line = |ms: u64, value: u8| format!("{{\"time_ms\":{ms},\"line\":\"PB\",\"value\":{value}}}\n");
        line(number * 100, 0) + &line(number * 100 + 10, 1) + &line(number * 100 + 10 + length_ms, 0)
    };
    (0..count).map(press).collect()
}

fn place() -> Place {
    let place = Place::new();
    place.write("station.toml", STATION);
    place
}

#[test]
fn what_comes_is_told_at_once_and_summed_up_at_the_end() {
    let place = place();
    let input = "{\"line\":\"PB\",\"value\":0}\n{\"line\":\"OTHER\",\"value\":7}\n{\"line\":\"LOAD\",\"value\":2.5}\n";
    let said = live(&place, "--json", input);
    assert_eq!(said.code, 0, "{}", said.stderr);
    let lines: Vec<Value> = said.stdout.lines().map(|line| serde_json::from_str(line).unwrap()).collect();
    let told: Vec<(&Value, &Value)> = lines.iter().map(|line| (&line["point"], &line["value"])).collect();
    assert!(
        told.contains(&(&json!("button"), &json!(false))) && told.contains(&(&json!("load"), &json!(2.5))),
        "{told:?}"
    );
    let summary = &lines.last().unwrap()["summary"];
    assert_eq!(
        (&summary["counters"]["presses"]["value"], &summary["analogs"]["load"]["last"]),
        (&json!(0), &json!(2.5))
    );
    let words = live(&place, "--points load", input).stdout;
    assert!(words.contains("  load  2.5 kW\n") && !words.contains("  button  off"), "{words}");
}

#[test]
fn a_recording_of_a_live_run_gives_the_same() {
    let place = place();
    let said = live(&place, "--record live.jsonl --json", &presses(40, 50));
    assert_eq!(said.code, 0, "{}", said.stderr);
    let live: Value = serde_json::from_str(said.stdout.lines().last().unwrap()).unwrap();
    let again = place.reigen("run station.toml live.jsonl --json").json();
    for kind in ["inputs", "counters", "analogs"] {
        assert_eq!(live["summary"][kind], again[kind], "{kind}");
    }
    assert_eq!(live["summary"]["recording"]["edges"], again["recording"]["edges"]);
}

#[test]
fn what_cannot_be_read_is_told_and_the_run_goes_on() {
    let place = place();
    let long = format!("{{\"line\":\"PB\",\"value\":\"{}\"}}\n", "x".repeat(3 << 20));
    for (broken, told) in [
        ("{\"line\":\"PB\",\"val\n", "1 message could not be read"),
        ("\u{1b}[31m\n\n  \nPB 1\n", "2 messages could not be read"),
        ("{\"line\":\"PB\",\"value\":2.5}\n", "`PB` has two levels, and 2.5 is none"),
        ("{\"line\":\"LOAD\",\"value\":\"much\"}\n", "is no value of a line"),
        ("{\"time_ns\":1,\"time_s\":1,\"line\":\"PB\",\"value\":1}\n", "it has two times"),
        (long.as_str(), "1 message could not be read"),
    ] {
        let input = format!("{}{broken}{}", presses(1, 20), presses(2, 20));
        let said = live(&place, "--findings", &input);
        assert!(said.code == 2, "an option of another command: {}", said.stdout);
        let said = live(&place, "", &input);
        assert_eq!(said.code, 0, "{}", said.stderr);
        assert!(said.stdout.contains(told) && said.stdout.contains("[lines-malformed]"), "{told}: {}", said.stdout);
        assert!(!said.stdout.contains('\u{1b}'), "{}", said.stdout);
    }
}

#[test]
fn it_ends_after_its_time_though_more_may_come() {
    let place = place();
    let mut child =
        place.command("live station.toml - --for 200ms").stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    let input = child.stdin.take().unwrap();
    let said: Said = child.wait_with_output().unwrap().into();
    drop(input);
    assert_eq!(said.code, 0);
    assert!(said.stdout.contains("live, 200 ms from 0 s on"), "{}", said.stdout);
    let refused = place.reigen("live station.toml");
    assert!(refused.code == 2 && refused.stderr.contains("no link"), "{}", refused.stderr);
}

/// An address of this computer that nobody uses now, and so nobody a moment later.
pub(crate) fn free_address() -> String {
    TcpListener::bind("127.0.0.1:0").unwrap().local_addr().unwrap().to_string()
}

/// A station with a module that nobody else has, and twelve seconds of what it sees.
pub(crate) fn module() -> Place {
    let place = Place::new();
    place.copy_folder(Path::new(concat!(env!("CARGO_MANIFEST_DIR"), "/../../examples/11-live")), "m");
    let station = place.read("m/station.toml").replace("127.0.0.1:1502", &free_address());
    place.write("m/station.toml", station);
    place
}

#[test]
fn a_module_is_read_driven_and_brought_to_rest_and_its_recording_gives_the_same() {
    let place = module();
    let mut played = place.command("play m/station.toml m/scenario.toml --for 6s --writes written.jsonl");
    let mut played = played.stdout(Stdio::piped()).spawn().unwrap();
    // It says so once it listens.
    let mut first = [0_u8; 2];
    played.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    let said = place.reigen("live m/station.toml --drive --for 4s --record live.jsonl --json");
    let summary: Value = serde_json::from_str::<Value>(said.stdout.lines().last().unwrap()).unwrap()["summary"].take();
    assert_eq!(said.code, 0, "{summary}\n{}", said.stderr);
    assert_eq!(summary["inputs"]["start_button"]["rising"], 1);
    assert_eq!(summary["expectations"]["lamp_answers"]["pass"], true);
    let io = &summary["links"]["io"];
    assert_eq!((&io["online"], &io["downs"], &io["down_ns"]), (&json!(true), &json!(0), &json!(0)), "{io}");
    assert!(io["passes"].as_u64() > Some(50) && io["longest_pass_ns"].as_u64() > Some(0), "{io}");
    let codes: Vec<&Value> = summary["findings"].as_array().unwrap().iter().map(|finding| &finding["code"]).collect();
    assert!(!codes.contains(&&json!("link-down")) && !codes.contains(&&json!("link-exception")), "{codes:?}");
    let again = place.reigen("run m/station.toml live.jsonl --json").json();
    for kind in ["inputs", "counters", "registers", "rates", "analogs", "bits", "expectations"] {
        assert_eq!(summary[kind], again[kind], "{kind}");
    }
    assert_eq!(played.wait_with_output().unwrap().status.code(), Some(0));
    let written = place.read("written.jsonl");
    let lamp: Vec<Value> = written
        .lines()
        .map(|line| serde_json::from_str::<Value>(line).unwrap())
        .filter(|write| write["place"] == "coil 0")
        .collect();
    // Off at the start, on with the press, and off again at the end of the run though the machine goes on.
    assert_eq!((&lamp[0]["value"], &lamp.last().unwrap()["value"]), (&json!(0), &json!(0)));
    let on = lamp.iter().find(|write| write["value"] == 1).unwrap()["time_ns"].as_u64().unwrap();
    assert!(on > 1_000_000_000, "not before the press: {on}");
    let turns = written.lines().rfind(|line| line.contains("holding 1")).unwrap();
    assert!(!turns.contains("\"value\":0}"), "numbers stay: {turns}");
    assert!(written.lines().filter(|line| line.contains("coil 7")).count() > 10, "the heartbeat");
}

#[test]
fn a_device_that_is_not_there_or_refuses_is_told_and_nothing_is_written_without_leave() {
    let place = module();
    let said = place.reigen("live m/station.toml --for 500ms");
    assert!(said.stdout.contains("io: lost 1 time") && said.stdout.contains("[link-down]"), "{}", said.stdout);
    let said = place.reigen("live m/station.toml --for 300ms --record away.jsonl --json --points no_module");
    assert!(said.stdout.starts_with("{\"time_ns\":0,\"point\":\"no_module\",\"value\":true}"), "{}", said.stdout);
    let why = place.reigen("why m/station.toml away.jsonl no_module --at 200ms");
    assert!(
        why.stdout.contains("no_module is on, since the start") && why.stdout.contains("io.online is off, since"),
        "{}",
        why.stdout
    );
    // A recording that tells of no links, and a name that no link has.
    place.write("plain.csv", "time_ms,PB_START,PB_STOP,TENSION_MA,DRUM_COUNT\n0,0,1,4.5,100\n900,1,1,4.6,250\n");
    let why = place.reigen("why m/station.toml plain.csv no_module --at 500ms");
    assert!(
        why.stdout.contains("no_module is off") && why.stdout.contains("io.online is on: the recording"),
        "{}",
        why.stdout
    );
    place.write("m/none.toml", place.read("m/station.toml").replace("NOT io.online", "NOT io.onlin"));
    let said = place.reigen("check m/none.toml");
    let display = "\n[display.d]\ncolumns = 8\nrows = 1\ntext = [\"{io.online?UP:DOWN}\"]\n";
    place.write("m/display.toml", place.read("m/station.toml") + display);
    let refused = place.reigen("check m/display.toml").stderr;
    assert!(refused.contains("make one of it, [output.io_online] with when = \"io.online\""), "{refused}");
    assert!(said.stderr.contains("unknown point `io`") && said.stderr.contains("mean `io.online`?"), "{}", said.stderr);
    // The module has not what the station asks for.
    let station = place.read("m/station.toml");
    place.write("m/other.toml", station.replace("discrete 1\"", "discrete 9\""));
    let mut played = place.command("play m/station.toml m/scenario.toml --for 2s --writes written.jsonl");
    let mut played = played.stdout(Stdio::piped()).spawn().unwrap();
    let mut first = [0_u8; 2];
    played.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    let said = place.reigen("live m/other.toml --for 1s");
    assert!(said.stdout.contains("discrete 9 to 9: illegal data address (exception 2)"), "{}", said.stdout);
    assert!(said.stdout.contains("[link-exception]") && said.stdout.contains("  tension  "), "{}", said.stdout);
    assert_eq!(played.wait_with_output().unwrap().status.code(), Some(0));
    assert_eq!(place.read("written.jsonl"), "", "nothing is written without --drive");
}

#[test]
fn a_check_shows_the_links_and_the_lines_that_none_of_them_gives() {
    let place = module();
    let said = place.reigen("check m/station.toml");
    assert!(said.stdout.contains("discrete 0  line") && said.stdout.contains("holding 0   output"), "{}", said.stdout);
    assert!(!said.stdout.contains("line-of-no-link"), "{}", said.stdout);
    let station = place.read("m/station.toml");
    place.write("m/station.toml", station.replace("PB_STOP = \"discrete 1\"\n", ""));
    let said = place.reigen("check m/station.toml --json").json();
    let found =
        said["findings"].as_array().unwrap().iter().find(|finding| finding["code"] == "line-of-no-link").unwrap();
    assert_eq!(found["subject"], "stop_button");
    // Whoever prints lines may print any.
    let printer = "[link.p]\nprotocol = \"lines\"\naddress = \"h:1\"\n[input.start_button]";
    place.write(
        "m/station.toml",
        station.replacen("[input.start_button]", printer, 1).replace("PB_STOP = \"discrete 1\"\n", ""),
    );
    assert!(!place.reigen("check m/station.toml").stdout.contains("line-of-no-link"));
}

#[test]
fn a_link_that_cannot_be_is_refused_with_place_and_remedy() {
    for (from, to, told) in [
        ("protocol = \"modbus-tcp\"", "protocol = \"canopen\"", "unknown value `canopen`"),
        ("address = \"127.0.0.1:1502\"", "", "needs an address"),
        ("127.0.0.1:1502", "127.0.0.1", "host and port"),
        ("\"discrete 0\"", "\"discreet 0\"", "is no place in a Modbus device"),
        ("\"discrete 0\"", "\"discrete 70000\"", "from 0 to 65535"),
        ("at = \"input 2\"", "at = \"input 65535\"", "beyond the last"),
        ("type = \"u16\"", "type = \"u16\", words = \"low_first\"", "values of two registers"),
        ("type = \"u16\"", "bit = 16", "no bit 16"),
        ("\"coil 0\"", "\"discrete 0\"", "can only be read"),
        ("\"coil 0\"", "\"coil 7\"", "would both write coil 7"),
        ("run_lamp = \"coil 0\"", "run_lamps = \"coil 0\"", "unknown point `run_lamps`"),
        ("run_lamp = \"coil 0\"", "run_lamp = \"holding 5\"", "`run_lamp` is a bit"),
        (
            "spool_turns = { at = \"holding 0\", type = \"i32\" }",
            "spool_turns = \"coil 1\"",
            "`spool_turns` is a number",
        ),
        ("scale = 0.001", "scale = 0", "other than 0"),
        ("every = \"20 ms\"", "every = \"0 ms\"", "above zero"),
        ("heartbeat = \"coil 7\"", "heartbeat = \"holding 7\"", "a heartbeat is a coil"),
        (
            "[input.start_button]",
            "[link.two]\nprotocol = \"modbus-tcp\"\naddress = \"h:1\"\nlines = { PB_STOP = \"coil 1\" }\n[input.start_button]",
            "on the link `io` already",
        ),
        ("protocol = \"modbus-tcp\"", "protocol = \"lines\"", "`every` belongs to modbus-tcp, modbus-rtu"),
        ("protocol = \"modbus-tcp\"", "protocol = \"modbus-rtu\"", "needs a serial port"),
        ("protocol = \"modbus-tcp\"", "protocol = \"gpio\"", "`discrete 0` is no pin"),
        ("protocol = \"modbus-tcp\"", "protocol = \"mqtt\"", "a line of MQTT has no `type`"),
        ("address = \"127.0.0.1:1502\"", "address = \"h:1\"\nparity = \"odd\"", "`parity` belongs to"),
        ("\"coil 0\"", "{ at = \"coil 0\", on_stop = 3 }", "`on_stop` is 0, 1"),
        ("\"coil 0\"", "{ at = \"coil 0\", bias = \"off\" }", "has no `bias`"),
        ("\"coil 0\"", "9", "the place here is a text"),
    ] {
        let station = include_str!("../../../../examples/11-live/station.toml");
        assert!(station.contains(from), "{from}");
        is_refused(&station.replacen(from, to, 1), told);
    }
}

fn is_refused(station: &str, told: &str) {
    let place = Place::new();
    place.write("station.toml", station);
    let said = place.reigen("check station.toml");
    assert_eq!((said.code, said.stderr.contains(told)), (2, true), "{told}: {}", said.stderr);
    assert!(said.stderr.contains("station.toml:"), "no place: {}", said.stderr);
}

#[test]
fn links_that_cannot_be_beside_another_or_as_they_are_told_are_refused() {
    const BUS: &str = "protocol = 'modbus-rtu'\nserial = '/dev/ttyS9'\n";
    const BROKER: &str = "[link.b]\nprotocol = 'mqtt'\naddress = 'h:1883'\n";
    const PINS: &str = "[link.p]\nprotocol = 'gpio'\nchip = '/dev/gpiochip0'\n";
    for (links, told) in [
        (format!("[link.a]\n{BUS}baud = 9600\n[link.b]\n{BUS}unit = 2\n"), "a bus has one setting"),
        (format!("[link.a]\n{BUS}[link.b]\nprotocol = 'lines'\nserial = '/dev/ttyS9'\n"), "has /dev/ttyS9 already"),
        (
            format!("[link.a]\n{BUS}outputs = {{ x = 'coil 1' }}\n[link.b]\n{BUS}outputs = {{ x = 'coil 1' }}\n"),
            "writes coil 1 already",
        ),
        (format!("[link.a]\n{BUS}stop_bits = 3\n"), "1 or 2 stop bits"),
        (format!("[link.a]\n{BUS}baud = 1\n"), "from 50 to"),
        (format!("{BROKER}lines = {{ X = 'plant/#' }}\n"), "leave out + and #"),
        (format!("{BROKER}lines = {{ X = {{ at = 't', value = 'v' }} }}\n"), "it begins with /"),
        (format!("{BROKER}lines = {{ X = {{ at = 't', time = '/t' }} }}\n"), "add where the value stands"),
        (format!("{BROKER}status = 't'\noutputs = {{ x = 't' }}\n"), "goes to t, which is taken already"),
        (format!("{BROKER}password_env = 'P'\n"), "a password goes with a `user`"),
        (format!("{BROKER}ca = 'f'\n"), "`ca` goes with tls"),
        (format!("{PINS}lines = {{ X = 17 }}\noutputs = {{ x = 17 }}\n"), "goes to 17, which is taken already"),
        (format!("{PINS}[link.q]\nprotocol = 'gpio'\nchip = '/dev/gpiochip0'\n"), "put all of its pins there"),
        (format!("{PINS}outputs = {{ n = 17 }}\n"), "`n` is a number, and 17 a bit"),
        ("[link.l]\nprotocol = 'lines'\naddress = 'h:1'\nserial = 's'\n".to_owned(), "not both"),
        ("[link.l]\nprotocol = 'lines'\naddress = 'h:1'\nlines = { X = 'Y' }\n".to_owned(), "has no table of them"),
    ] {
        is_refused(&format!("{links}[input.x]\nline = 'X'\n[counter.n]\nup = 'x'\n"), told);
    }
}

#[test]
fn a_device_at_a_serial_port_is_played_and_driven_there() {
    const LINES: &str = "protocol = \"lines\"\nserial = \"port\"\noutputs = { run_lamp = \"LAMP\" }\n\n";
    let rtu = |station: &str| {
        let points = station.find("[link.io.lines]").unwrap();
        format!("[link.io]\nprotocol = \"modbus-rtu\"\nserial = \"port\"\nbaud = 115200\n{}", &station[points..])
    };
    let lines = |station: &str| {
        let points = station.find("[input.start_button]").unwrap();
        format!("[link.io]\n{LINES}{}", &station[points..])
    };
    let ways: [&dyn Fn(&str) -> String; 2] = [&rtu, &lines];
    for way in ways {
        let place = module();
        let station = way(&place.read("m/station.toml"));
        place.write("m/station.toml", &station);
        let mut played = place.command("play m/station.toml m/scenario.toml --repeat --writes written.jsonl");
        let mut played = played.stdout(Stdio::piped()).spawn().unwrap();
        let mut first = [0_u8; 2];
        played.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
        let said = place.reigen("live m/station.toml --drive --for 3s --lateness 1s --json");
        let last = serde_json::from_str::<Value>(said.stdout.lines().last().unwrap()).unwrap();
        let summary = &last["summary"];
        assert_eq!(summary["inputs"]["start_button"]["rising"], 1, "{station}{summary}");
        assert!(summary["analogs"]["tension"]["last"].as_f64() > Some(1000.0), "{summary}");
        assert_eq!(summary["links"]["io"]["online"], true, "{summary}");
        // Asked to end, it keeps what was written, and leaves no port behind.
        let asked = Command::new("kill").args(["-INT", &played.id().to_string()]).status().unwrap();
        assert!(asked.success());
        assert_eq!(played.wait().unwrap().code(), Some(0));
        let written = place.read("written.jsonl");
        let place_of_lamp = if station.contains("LAMP") { "LAMP" } else { "coil 0" };
        let lamp: Vec<Value> = written
            .lines()
            .map(|line| serde_json::from_str::<Value>(line).unwrap())
            .filter(|write| write["place"] == place_of_lamp)
            .map(|mut write| write["value"].take())
            .collect();
        assert!(lamp.contains(&json!(1)) && lamp.last() == Some(&json!(0)), "{written}");
        assert!(!place.path("port").is_symlink());
    }
}

#[test]
fn a_unit_that_nobody_answers_for_is_told() {
    let place = module();
    let mut played =
        place.command("play m/station.toml m/scenario.toml --for 4s").stdout(Stdio::piped()).spawn().unwrap();
    let mut first = [0_u8; 2];
    played.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    let other = place.read("m/station.toml").replace("heartbeat = ", "unit = 9\nheartbeat = ");
    place.write("m/other.toml", other);
    let said = place.reigen("live m/other.toml --for 2s");
    assert!(said.stdout.contains("no answer within 200 ms three times in a row"), "{}", said.stdout);
    assert!(said.stdout.contains("[link-down]") && said.stdout.contains("`unit`"), "{}", said.stdout);
    played.kill().unwrap();
    played.wait().unwrap();
}
