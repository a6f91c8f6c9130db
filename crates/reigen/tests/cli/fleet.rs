//! Workers of a fleet with a server of another make. `.ci/run` installs it; without it a test says so, and fails in CI.

use crate::broker::free_port;
use crate::peers::found;
use crate::support::Place;
use reigen_fleet::publish::BlockingPublisher;
use reigen_fleet::server::ServerAddress;
use serde_json::Value;
use std::fmt::Write as _;
use std::io::{BufRead, BufReader};
use std::net::TcpStream;
use std::process::{Child, Command, Stdio};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::sync::mpsc::channel;
use std::thread;
use std::time::{Duration, Instant};

const STATION: &str = "
[input.drum]
line = 'DRUM'
debounce = { method = 'lockout', time = '2 ms' }
[input.button]
line = 'PB'
debounce = { method = 'stable', time = '5 ms' }
[counter.turns]
up = 'drum'
reset = 'button'
[rate.speed]
of = 'drum'
every = '100 ms'
[timer.run_on]
of = 'button'
kind = 'off_delay'
time = '30 ms'
[output.lamp]
when = 'run_on'
";

/// A server at work, until it is dropped.
struct Server {
    child: Child,
    port: u16,
}

impl Drop for Server {
    fn drop(&mut self) {
        self.kill();
    }
}

impl Server {
    fn start(place: &Place, port: u16) -> Self {
        let folder = place.path("kept");
        let mut command = Command::new("nats-server");
        command.args(["-js", "-a", "127.0.0.1", "-p", &port.to_string(), "-sd"]).arg(folder);
        let child = command.stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
        let server = Self { child, port };
        while TcpStream::connect(("127.0.0.1", port)).is_err() {
            thread::sleep(Duration::from_millis(10));
        }
        server
    }

    fn kill(&mut self) {
        // It may have ended already.
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// A place with stations and a server; `None` where there is no server here.
fn fleet(stations: &[&str]) -> Option<(Place, Server)> {
    let version = Command::new("nats-server").arg("--version").output().ok();
    found(version, "`nats-server` is not installed")?;
    let place = Place::new();
    std::fs::create_dir(place.path("fleet")).unwrap();
    stations.iter().for_each(|name| place.write(&format!("fleet/{name}.toml"), STATION));
    let server = Server::start(&place, free_port());
    Some((place, server))
}

/// What a machine's lines do, as made up from a seed.
struct Machine {
    seed: u64,
    time_ns: u64,
    levels: [bool; 2],
    told: String,
}

impl Machine {
    fn new(seed: u64) -> Self {
        Self { seed, time_ns: 0, levels: [false; 2], told: String::new() }
    }

    /// A random number below a bound (xorshift).
    fn below(&mut self, bound: u64) -> u64 {
        self.seed ^= self.seed << 13;
        self.seed ^= self.seed >> 7;
        self.seed ^= self.seed << 17;
        self.seed % bound
    }

    /// Some more changes as rows.
    fn rows(&mut self) -> String {
        let mut rows = String::new();
        for _ in 0..=self.below(12) {
            self.time_ns += [0, 300_000, 7_000_000][self.below(3) as usize] + self.below(90_000);
            let line = usize::from(self.below(8) == 0);
            self.levels[line] = !self.levels[line];
            let (name, value) = (["DRUM", "PB"][line], u8::from(self.levels[line]));
            writeln!(rows, "{{\"time_ns\":{},\"line\":\"{name}\",\"value\":{value}}}", self.time_ns).unwrap();
        }
        self.told += &rows;
        rows
    }
}

/// The machines of a fleet publishing, until they are asked to end; gives what each told.
fn publishing(
    server: &Server,
    stations: &'static [&'static str],
    ends: &Arc<AtomicBool>,
) -> thread::JoinHandle<Vec<String>> {
    let (address, ends) = (address(server), ends.clone());
    thread::spawn(move || {
        let machine = |(number, name): (usize, &&str)| {
            (BlockingPublisher::reach(&address, name).unwrap(), Machine::new(77 + number as u64))
        };
        let mut machines: Vec<_> = stations.iter().enumerate().map(machine).collect();
        while !ends.load(Ordering::Relaxed) {
            for (publisher, machine) in &mut machines {
                publisher.publish(machine.rows());
            }
            thread::sleep(Duration::from_millis(3));
        }
        machines.into_iter().map(|(_, machine)| machine.told).collect()
    })
}

fn address(server: &Server) -> ServerAddress {
    ServerAddress { address: format!("127.0.0.1:{}", server.port), user: None }
}

fn worker(place: &Place, server: &Server, name: &str, more: &str) -> Child {
    let port = server.port;
    let asked =
        format!("work --nats 127.0.0.1:{port} --stations fleet --name {name} --lease 300ms --keep-every 100ms {more}");
    place.command(&asked).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap()
}

/// Works until there is nothing more; gives what was said.
fn finish(place: &Place, server: &Server, more: &str) -> String {
    let said = worker(place, server, "last", &format!("--until-idle 1s {more}")).wait_with_output().unwrap();
    assert!(said.status.success());
    String::from_utf8(said.stdout).unwrap()
}

fn asked(place: &Place, server: &Server, what: &str) -> Value {
    place.reigen(&format!("work --nats 127.0.0.1:{} --stations fleet --json {what}", server.port)).json()
}

/// Holds what the fleet counted against a run over all that was told.
fn assert_same(place: &Place, server: &Server, stations: &[&str], told: &[String]) {
    for (name, told) in stations.iter().zip(told) {
        place.write("all.jsonl", told);
        let whole = place.reigen(&format!("run fleet/{name}.toml all.jsonl --json")).json();
        let counted = asked(place, server, &format!("--show {name}"));
        for kind in ["inputs", "counters", "rates", "bits"] {
            assert_eq!(counted[kind], whole[kind], "{name}: {kind}");
        }
        assert_eq!(counted["recording"]["edges"].as_u64().unwrap() as usize, told.lines().count(), "{name}");
    }
}

const STATIONS: &[&str] = &["hoist", "press", "reel", "winder"];

#[test]
fn workers_that_are_killed_at_any_moment_lose_nothing_and_count_nothing_twice() {
    let Some((place, server)) = fleet(STATIONS) else { return };
    let kills: u64 = std::env::var("REIGEN_KILLS").map_or(12, |kills| kills.parse().unwrap());
    let ends = Arc::default();
    let told = publishing(&server, STATIONS, &ends);
    let mut workers: Vec<Child> = ["a", "b", "c"].map(|name| worker(&place, &server, name, "")).into();
    let mut chance = Machine::new(5);
    for kill in 0..kills {
        thread::sleep(Duration::from_millis(chance.below(250)));
        let number = chance.below(3) as usize;
        workers[number].kill().unwrap();
        workers[number].wait().unwrap();
        // One that begins under the former name goes on at once; one of another after the lease.
        let name = if chance.below(2) == 0 { ["a", "b", "c"][number].to_owned() } else { format!("w{kill}") };
        workers[number] = worker(&place, &server, &name, "");
    }
    ends.store(true, Ordering::Relaxed);
    let told = told.join().unwrap();
    workers.iter_mut().for_each(|worker| {
        worker.kill().unwrap();
        worker.wait().unwrap();
    });
    // They did work before the last of them begins.
    assert!(asked(&place, &server, "--list").as_array().unwrap().iter().any(|row| row["changes"].as_u64() > Some(0)));
    finish(&place, &server, "");
    assert_same(&place, &server, STATIONS, &told);
}

#[test]
fn a_server_that_is_restarted_is_waited_for() {
    let Some((place, mut server)) = fleet(STATIONS) else { return };
    let ends = Arc::default();
    let told = publishing(&server, STATIONS, &ends);
    let mut at_work = worker(&place, &server, "only", "");
    for _ in 0..2 {
        thread::sleep(Duration::from_millis(700));
        server.kill();
        thread::sleep(Duration::from_millis(300));
        let port = server.port;
        server = Server::start(&place, port);
    }
    // The worker that saw all of it goes on, and nobody else does.
    let counted = |place: &Place| asked(place, &server, "--list")[0]["sequence"].as_u64().unwrap();
    let (before, began) = (counted(&place), Instant::now());
    while counted(&place) <= before {
        assert!(began.elapsed() < Duration::from_secs(60), "it does not go on");
        thread::sleep(Duration::from_millis(100));
    }
    ends.store(true, Ordering::Relaxed);
    let told = told.join().unwrap();
    at_work.kill().unwrap();
    at_work.wait().unwrap();
    finish(&place, &server, "");
    assert_same(&place, &server, STATIONS, &told);
}

#[test]
fn of_two_workers_on_one_station_the_later_goes_on_and_the_other_says_that_it_stops() {
    let Some((place, server)) = fleet(&["press"]) else { return };
    let ends = Arc::default();
    let told = publishing(&server, &["press"], &ends);
    let signal = |worker: &Child, name: &str| {
        assert!(Command::new("kill").args([name, &worker.id().to_string()]).status().unwrap().success());
    };
    let mut sleeper = worker(&place, &server, "sleeper", "");
    let mut said = BufReader::new(sleeper.stdout.take().unwrap()).lines();
    assert_eq!(said.next().unwrap().unwrap(), "press: begins");
    thread::sleep(Duration::from_millis(400));
    signal(&sleeper, "-STOP");
    let mut other = worker(&place, &server, "other", "");
    let mut taken = BufReader::new(other.stdout.take().unwrap()).lines();
    assert!(taken.next().unwrap().unwrap().starts_with("press: goes on behind message "));
    thread::sleep(Duration::from_millis(400));
    signal(&sleeper, "-CONT");
    // Mostly the other is further; where the sleeper had more in its hands than the other has kept, it goes on.
    let (tell, stopped) = channel();
    for (name, lines) in [("sleeper", said), ("other", taken)] {
        let tell = tell.clone();
        thread::spawn(move || {
            let further = if name == "other" { "sleeper" } else { "other" };
            let stops = format!("press: stopped here: {further} has counted to message ");
            // A sleeper that has nothing new since its last state gives the station back.
            let ends = |line: &String| {
                line.starts_with(&stops)
                    || name == "sleeper" && line.starts_with("press: given back, counted to message ")
            };
            lines.map_while(Result::ok).filter(ends).for_each(|line| drop(tell.send(line)));
        });
    }
    stopped.recv_timeout(Duration::from_secs(60)).unwrap();
    ends.store(true, Ordering::Relaxed);
    let told = told.join().unwrap();
    for worker in [&mut sleeper, &mut other] {
        worker.kill().unwrap();
        worker.wait().unwrap();
    }
    finish(&place, &server, "");
    assert_same(&place, &server, &["press"], &told);
}

#[test]
fn a_station_file_that_has_changed_is_not_worked_on_the_counts_of_the_former() {
    let Some((place, server)) = fleet(&["press"]) else { return };
    let mut publisher = BlockingPublisher::reach(&address(&server), "press").unwrap();
    let mut machine = Machine::new(9);
    publisher.publish(machine.rows());
    let said = finish(&place, &server, "");
    assert!(said.starts_with("press: begins\npress: given back, counted to message 1\n"), "{said}");
    place.write("fleet/press.toml", STATION.replace("30 ms", "40 ms"));
    let said = finish(&place, &server, "");
    assert!(said.starts_with("press: not worked: the file is version ") && said.contains("--anew NAME"), "{said}");
    assert_eq!(asked(&place, &server, "--list")[0]["state"], "other_version");
    publisher.publish("{\"line\":\"PB\",\"value\":1}\nnonsense\n");
    let said = finish(&place, &server, "--anew press");
    let told = "press: begins\npress: message 2: 2 rows left out: it has no time: add \"time_ns\"\npress: given back, counted to message 2\n";
    // On a slow machine a lease may run out, and the station is taken up again.
    assert!(said.starts_with(told), "{said}");
    assert_same(&place, &server, &["press"], &[machine.told]);
    let listed = &asked(&place, &server, "--list")[0];
    assert_eq!((&listed["state"], &listed["malformed"]), (&"up_to_date".into(), &2.into()));
}

#[test]
fn counts_whose_messages_were_deleted_begin_anew_where_that_is_asked() {
    let Some((place, mut server)) = fleet(&["press"]) else { return };
    BlockingPublisher::reach(&address(&server), "press").unwrap().publish(Machine::new(9).rows());
    finish(&place, &server, "");
    server.kill();
    std::fs::remove_dir_all(place.path("kept/jetstream/$G/streams/REIGEN_LINES")).unwrap();
    let server = Server::start(&place, free_port());
    let said = finish(&place, &server, "");
    assert!(said.contains("the messages were deleted. begin the station anew: --anew NAME"), "{said}");
    let said = finish(&place, &server, "--anew press");
    assert!(said.starts_with("press: begins\npress: given back, counted to message 0\n"), "{said}");
    let mut machine = Machine::new(4);
    BlockingPublisher::reach(&address(&server), "press")
        .unwrap()
        .publish((0..9).map(|_| machine.rows()).collect::<String>());
    assert!(finish(&place, &server, "").starts_with("press: begins\n"));
    // Counts that can go on are not dropped.
    assert!(finish(&place, &server, "--anew press").starts_with("press: goes on behind message 1\n"));
    assert_same(&place, &server, &["press"], &[machine.told]);
}

#[test]
fn what_a_fleet_cannot_do_is_refused() {
    let Some((place, server)) = fleet(&["press", "reel"]) else { return };
    let port = server.port;
    for (arguments, told) in [
        (format!("--nats 127.0.0.1:{} --stations fleet", free_port()), "no NATS server answers"),
        (format!("--nats 127.0.0.1:{port} --stations none"), "none"),
        (format!("--nats 127.0.0.1:{port} --stations fleet --show anvil"), "press, reel"),
        (format!("--nats 127.0.0.1:{port} --stations fleet --show reel"), "nobody has worked"),
        (format!("--nats 127.0.0.1:{port} --stations fleet --lease 1ms"), "100 ms"),
    ] {
        let said = place.reigen(&format!("work {arguments}"));
        assert!(said.code == 2 && said.stderr.contains(told), "{arguments}: {}", said.stderr);
    }
    place.write("fleet/a b.toml", STATION);
    let said = place.reigen(&format!("work --nats 127.0.0.1:{port} --stations fleet"));
    assert!(said.code == 2 && said.stderr.contains("a_b.toml"), "{}", said.stderr);
}

/// A worker on recordings.
fn checker(place: &Place, server: &Server, more: &str) -> Child {
    let asked = format!("work --nats 127.0.0.1:{} --verify . --lease 500ms {more}", server.port);
    place.command(&asked).stdout(Stdio::piped()).stderr(Stdio::null()).spawn().unwrap()
}

#[test]
fn recordings_checked_by_workers_come_to_the_same_as_checked_here() {
    let Some((place, server)) = fleet(&["press"]) else { return };
    place.write("expected.toml", format!("{STATION}\n[expect.turned]\nthat = 'turns.value >= 3'\nby = '60 ms'\n"));
    std::fs::create_dir(place.path("archive")).unwrap();
    for number in 1..=9 {
        let mut machine = Machine::new(number);
        (0..4).for_each(|_| drop(machine.rows()));
        place.write(&format!("archive/{number}.jsonl"), machine.told);
    }
    let mut checkers = [checker(&place, &server, ""), checker(&place, &server, "")];
    let queue = format!("--queue 127.0.0.1:{}", server.port);
    for form in ["", "--json", "--points turned --json"] {
        let here = place.reigen(&format!("verify expected.toml archive {form}"));
        let there = place.reigen(&format!("verify expected.toml archive {form} {queue}"));
        assert_eq!((there.code, &there.stdout), (here.code, &here.stdout), "{}", there.stderr);
    }
    place.write("archive/0.vcd", "$scope module");
    let said = place.reigen(&format!("verify expected.toml archive {queue}"));
    assert!(said.code == 1 && said.stdout.contains("not checked: archive/0.vcd: "), "{}", said.stdout);
    let other = tempfile::NamedTempFile::with_suffix(".jsonl").unwrap();
    let said = place.reigen(&format!("verify expected.toml {} {queue}", other.path().display()));
    assert!(said.code == 1 && said.stdout.contains("the folder of the worker"), "{}", said.stdout);
    let said = place.reigen(&format!("verify expected.toml archive --from 1s {queue}"));
    assert!(said.code == 2 && said.stderr.contains("--queue"), "{}", said.stderr);
    checkers.iter_mut().for_each(|checker| {
        checker.kill().unwrap();
        checker.wait().unwrap();
    });
}

#[test]
fn a_recording_that_ends_its_worker_three_times_is_set_aside_and_told() {
    let Some((place, server)) = fleet(&["press"]) else { return };
    place.write("expected.toml", format!("{STATION}\n[expect.turned]\nthat = 'turns.value >= 1'\nat_end = true\n"));
    let mut machine = Machine::new(3);
    (0..30_000).for_each(|_| drop(machine.rows()));
    place.write("long.jsonl", machine.told);
    let asked = format!("verify expected.toml long.jsonl --json --queue 127.0.0.1:{}", server.port);
    let asked = place.command(&asked).stdout(Stdio::piped()).spawn().unwrap();
    for words in ["begins", "try 2 of 3", "try 3 of 3"] {
        let mut worker = checker(&place, &server, "");
        let line = BufReader::new(worker.stdout.take().unwrap()).lines().next().unwrap().unwrap();
        assert!(line.ends_with(words), "{line}");
        worker.kill().unwrap();
        worker.wait().unwrap();
    }
    let said = checker(&place, &server, "--until-idle 2s").wait_with_output().unwrap();
    assert!(String::from_utf8(said.stdout).unwrap().contains("set aside: its worker ended 3 times"));
    let said = crate::support::Said::from(asked.wait_with_output().unwrap());
    assert_eq!((said.code, &said.json()["not_checked"][0]["recording"]), (1, &"long.jsonl".into()), "{}", said.stdout);
}

#[test]
fn a_live_run_tells_its_lines_to_the_fleet_and_another_reads_them_there() {
    let Some((place, server)) = fleet(&["press"]) else { return };
    let link = |publish: &str| {
        let port = server.port;
        format!(
            "{STATION}\n[link.fleet]\nprotocol = 'nats'\naddress = '127.0.0.1:{port}'\nstation = 'press'\n{publish}"
        )
    };
    place.write("machine.toml", link("publish = true"));
    place.write("desk.toml", link(""));
    let desk = place.command("live desk.toml --json --for 4s --lateness 1s").stdout(Stdio::piped()).spawn().unwrap();
    thread::sleep(Duration::from_millis(1000));
    let mut at_machine = place.command("live machine.toml - --json --for 2s");
    let piped = || Stdio::piped();
    let mut at_machine = at_machine.stdin(piped()).stdout(piped()).stderr(piped()).spawn().unwrap();
    let mut wire = at_machine.stdin.take().unwrap();
    for change in 0..60 {
        thread::sleep(Duration::from_millis(6));
        let line = if matches!(change % 20, 1 | 2) { "PB" } else { "DRUM" };
        std::io::Write::write_all(&mut wire, format!("{{\"line\":\"{line}\",\"value\":{}}}\n", change % 2).as_bytes())
            .unwrap();
    }
    let said = at_machine.wait_with_output().unwrap();
    assert!(said.status.success(), "{}", String::from_utf8_lossy(&said.stderr));
    let summary = |said: &[u8]| {
        let text = String::from_utf8_lossy(said).into_owned();
        serde_json::from_str::<Value>(text.lines().last().unwrap()).unwrap()["summary"].take()
    };
    let told = summary(&said.stdout);
    finish(&place, &server, "");
    let worked = asked(&place, &server, "--show press");
    let seen = summary(&desk.wait_with_output().unwrap().stdout);
    assert!(told["counters"]["turns"]["total"].as_u64() > Some(3), "{told}");
    // The ends differ, and what is calculated up to the end with them.
    for (kind, key, fields) in [
        ("counters", "turns", ["total", "value"]),
        ("inputs", "drum", ["raw_edges", "accepted"]),
        ("inputs", "button", ["raw_edges", "accepted"]),
    ] {
        for field in fields {
            assert_eq!(told[kind][key][field], worked[kind][key][field], "{key}: {field}: {worked}");
        }
    }
    // The desk puts the machine's times on its own clock, as messages come: each edge is there, though not to the nanosecond.
    for input in ["drum", "button"] {
        assert_eq!(told["inputs"][input]["raw_edges"], seen["inputs"][input]["raw_edges"], "{input}: {seen}");
    }
}
