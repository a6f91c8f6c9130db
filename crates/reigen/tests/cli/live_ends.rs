//! A live run whose terminal or reader goes away: it ends, with its recording whole.

use crate::live::module;
use crate::support::Place;
use rustix::fs::{Mode, OFlags, open};
use rustix::pty::{OpenptFlags, grantpt, openpt, ptsname, unlockpt};
use rustix::termios::{Winsize, tcsetwinsize};
use std::fs::File;
use std::io::Read as _;
use std::process::{Child, Command, ExitStatus, Stdio};
use std::thread::sleep;
use std::time::Duration;

/// How a program ends by itself.
fn end_of(mut child: Child) -> ExitStatus {
    for _ in 0..600 {
        if let Some(status) = child.try_wait().unwrap() {
            return status;
        }
        sleep(Duration::from_millis(50));
    }
    child.kill().unwrap();
    panic!("it hangs");
}

/// The recording can be read, and tells whether the module was there.
fn assert_whole(place: &Place) {
    let again = place.reigen("run m/station.toml kept.jsonl --json").json();
    assert!(again["recording"]["duration_ns"].as_u64() > Some(0), "{again}");
    assert!(again["bits"]["no_module"]["final"].is_boolean(), "{again}");
}

#[test]
fn a_run_whose_terminal_is_closed_ends_and_keeps_its_recording() {
    let place = module();
    let screen = openpt(OpenptFlags::RDWR | OpenptFlags::NOCTTY | OpenptFlags::CLOEXEC).unwrap();
    grantpt(&screen).unwrap();
    unlockpt(&screen).unwrap();
    let size = Winsize { ws_row: 40, ws_col: 120, ws_xpixel: 0, ws_ypixel: 0 };
    let terminal = File::from(
        open(ptsname(&screen, Vec::new()).unwrap(), OFlags::RDWR | OFlags::NOCTTY | OFlags::CLOEXEC, Mode::empty())
            .unwrap(),
    );
    tcsetwinsize(&terminal, size).unwrap();
    // `setsid` makes it the terminal that the program belongs to: closing it is told as to any program in a window.
    let live = place.command("live m/station.toml --record kept.jsonl");
    let mut command = Command::new("setsid");
    command.args(["--ctty", "--wait"]).arg(live.get_program()).args(live.get_args());
    command.current_dir(live.get_current_dir().unwrap());
    let part = || Stdio::from(terminal.try_clone().unwrap());
    let child = command.stdin(part()).stdout(part()).stderr(part()).spawn().unwrap();
    drop(terminal);
    let mut screen = File::from(screen);
    let (mut shown, mut room) = (String::new(), [0_u8; 4096]);
    while !shown.contains("no_module") {
        let length = screen.read(&mut room).unwrap();
        shown += &String::from_utf8_lossy(&room[..length]);
    }
    drop(screen);
    let status = end_of(child);
    assert!(status.code().is_some(), "{status}");
    assert_whole(&place);
}

#[test]
fn a_run_whose_reader_goes_away_ends_and_keeps_its_recording() {
    let place = module();
    let mut live = place.command("live m/station.toml --json --record kept.jsonl");
    let mut live = live.stdout(Stdio::piped()).spawn().unwrap();
    let mut first = [0_u8; 1];
    live.stdout.as_mut().unwrap().read_exact(&mut first).unwrap();
    drop(live.stdout.take());
    // What is to be told next, nobody reads: the module comes, and its lines take values.
    let played = place.command("play m/station.toml m/scenario.toml --for 6s").stdout(Stdio::null()).spawn().unwrap();
    end_of(live);
    assert_whole(&place);
    end_of(played);
}
