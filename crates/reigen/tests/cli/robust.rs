//! What goes wrong around the program: nothing half-written, nothing lost, never a panic.

use crate::support::{Place, Said};
use std::io::{Read, Write};
use std::process::Stdio;
use std::time::Duration;

/// Fails where a temporary file was left behind.
fn nothing_left(place: &Place) {
    let left: Vec<String> = place.files().into_iter().filter(|name| name.starts_with('.')).collect();
    assert!(left.is_empty(), "{left:?}");
}

#[test]
#[cfg(target_os = "linux")]
fn a_full_disk_is_told_and_leaves_nothing() {
    let place = Place::with_demo();
    for (name, arguments) in [
        ("full.csv", "convert recording.vcd full.csv"),
        ("full.jsonl.gz", "convert recording.vcd full.jsonl.gz"),
        ("full.vcd.zst", "convert recording.vcd full.vcd.zst"),
        ("events.csv", "run station.toml recording.vcd --events events.csv"),
        ("trace.vcd", "run station.toml recording.vcd --trace trace.vcd"),
        ("walk.png", "draw station.toml recording.vcd -o walk.png"),
    ] {
        std::os::unix::fs::symlink("/dev/full", place.path(name)).unwrap();
        let said = place.reigen(arguments);
        assert_eq!(said.code, 2, "{arguments}");
        assert!(said.stderr.contains(name) && said.stderr.contains("No space left"), "{arguments}: {}", said.stderr);
    }
    let full = std::fs::File::options().write(true).open("/dev/full").unwrap();
    let said: Said = place.command("run station.toml recording.vcd").stdout(full).output().unwrap().into();
    assert!(said.code == 2 && said.stderr.contains("cannot write the result"), "{}", said.stderr);
    nothing_left(&place);
}

#[test]
fn a_closed_pipe_ends_quietly() {
    let place = Place::with_demo();
    for arguments in ["convert recording.vcd -", "run station.toml recording.vcd --every 1ms", "survey recording.vcd"] {
        let mut child = place.command(arguments).stdout(Stdio::piped()).stderr(Stdio::piped()).spawn().unwrap();
        drop(child.stdout.take());
        let said: Said = child.wait_with_output().unwrap().into();
        assert_eq!((said.code, said.stderr.as_str()), (0, ""), "{arguments}");
    }
}

/// A long work that writes `long.vcd`, over an old one, once it has begun to write.
fn long_work(place: &Place) -> std::process::Child {
    assert_eq!(place.reigen("demo --into ropewalk").code, 0);
    place.write("long.vcd", "old");
    let mut command = place.command("simulate ropewalk/scenario.toml -o long.vcd --for 1000h");
    let mut child = command.spawn().unwrap();
    let has_begun = || place.files().iter().any(|name| name.starts_with('.'));
    // It begins within milliseconds; whoever waits ten seconds for it waits in vain.
    let begun = (0..2000).any(|_| {
        std::thread::sleep(Duration::from_millis(5));
        has_begun()
    });
    let ended = child.try_wait().unwrap();
    if !begun || ended.is_some() {
        let _ = child.kill();
        panic!("begun: {begun}; ended: {:?}", child.wait());
    }
    child
}

#[test]
fn whoever_is_killed_leaves_the_old_file_as_it_was() {
    let place = Place::new();
    let mut child = long_work(&place);
    child.kill().unwrap();
    child.wait().unwrap();
    assert_eq!(place.read("long.vcd"), "old");
}

#[test]
#[cfg(unix)]
fn whoever_is_asked_to_stop_leaves_nothing_behind() {
    let place = Place::new();
    let mut child = long_work(&place);
    let asked = std::process::Command::new("kill").arg(child.id().to_string()).status().unwrap();
    assert!(asked.success());
    assert_eq!(child.wait().unwrap().code(), Some(130));
    assert_eq!((place.read("long.vcd").as_str(), place.files()), ("old", vec!["long.vcd".into(), "ropewalk".into()]));
}

#[test]
fn a_recording_that_grows_is_read_as_it_was_when_it_was_opened_or_as_it_comes() {
    let place = Place::with_demo();
    let text = place.read("recording.vcd");
    let half = text[..text.len() / 2].rfind("\n#").unwrap() + 1;
    // Through a pipe all of it counts, however slowly it comes.
    let mut child =
        place.command("run station.toml - --json").stdin(Stdio::piped()).stdout(Stdio::piped()).spawn().unwrap();
    let mut stdin = child.stdin.take().unwrap();
    stdin.write_all(&text.as_bytes()[..half]).unwrap();
    stdin.flush().unwrap();
    std::thread::sleep(Duration::from_millis(50));
    stdin.write_all(&text.as_bytes()[half..]).unwrap();
    drop(stdin);
    let mut piped = String::new();
    child.stdout.take().unwrap().read_to_string(&mut piped).unwrap();
    child.wait().unwrap();
    let whole = place.reigen("run station.toml recording.vcd --json").stdout;
    assert_eq!(piped.replace("standard input", "recording.vcd"), whole);
    // A file grows by another hand while it is read: it is whole up to some line, and nothing breaks.
    place.write("growing.vcd", &text[..half]);
    let mut file = std::fs::File::options().append(true).open(place.path("growing.vcd")).unwrap();
    let child = place.command("run station.toml growing.vcd --json").stdout(Stdio::piped()).spawn().unwrap();
    for line in text[half..].lines() {
        writeln!(file, "{line}").unwrap();
    }
    let said: Said = child.wait_with_output().unwrap().into();
    assert!(said.json()["recording"]["duration_ns"].as_u64().unwrap() <= 12_000_000_001, "{}", said.stdout);
}

#[test]
#[cfg(unix)]
fn a_file_or_folder_without_rights_is_told() {
    use std::os::unix::fs::PermissionsExt;
    let place = Place::with_demo();
    let close = |name: &str| {
        std::fs::set_permissions(place.path(name), std::fs::Permissions::from_mode(0o000)).unwrap();
    };
    std::fs::create_dir(place.path("closed")).unwrap();
    std::fs::copy(place.path("recording.vcd"), place.path("secret.vcd")).unwrap();
    close("closed");
    close("secret.vcd");
    // Whoever may do anything, as in many a container, meets no closed door.
    let may_do_anything = std::fs::File::open(place.path("secret.vcd")).is_ok();
    let secret = place.reigen("survey secret.vcd");
    let closed = place.reigen("convert recording.vcd closed/o.csv");
    std::fs::set_permissions(place.path("closed"), std::fs::Permissions::from_mode(0o755)).unwrap();
    if may_do_anything {
        assert_eq!((secret.code, closed.code), (0, 0));
        return;
    }
    assert!(secret.code == 2 && secret.stderr.contains("secret.vcd: Permission denied"), "{}", secret.stderr);
    assert!(closed.code == 2 && closed.stderr.contains("closed/o.csv: Permission denied"), "{}", closed.stderr);
}

#[test]
fn a_damaged_or_cut_archive_is_refused_with_its_place() {
    let place = Place::with_demo();
    for name in ["walk.vcd.gz", "walk.vcd.zst"] {
        assert_eq!(place.reigen(&format!("convert recording.vcd {name}")).code, 0);
        let bytes = std::fs::read(place.path(name)).unwrap();
        place.write(name, &bytes[..bytes.len() / 2]);
        let cut = place.reigen(&format!("survey {name}"));
        assert_eq!(cut.code, 2);
        assert!(cut.stderr.contains(" file is cut off near its byte ") && cut.stderr.contains("copy it again"));
        let mut damaged = bytes.clone();
        damaged[bytes.len() / 2..].iter_mut().for_each(|byte| *byte ^= 0x55);
        place.write(name, damaged);
        let damaged = place.reigen(&format!("run station.toml {name} --trace t.vcd"));
        assert!(damaged.code == 2 && damaged.stderr.contains(name), "{}", damaged.stderr);
    }
    assert!(!place.files().contains(&"t.vcd".to_owned()));
    nothing_left(&place);
}

#[cfg(target_os = "linux")]
#[test]
fn whoever_is_stopped_while_files_are_made_leaves_all_or_nothing() {
    let place = Place::with_demo();
    let pages = {
        assert_eq!(place.reigen("man all").code, 0);
        std::fs::read_dir(place.path("all")).unwrap().count()
    };
    let before = place.files();
    for round in 0..20 {
        for command in ["man pages/deeper", "demo --into pages/deeper", "convert recording.vcd new.csv"] {
            let mut child = place.command(command).stdout(Stdio::null()).stderr(Stdio::null()).spawn().unwrap();
            std::thread::sleep(std::time::Duration::from_micros(700 * round));
            let signal = if round % 2 == 0 { "-TERM" } else { "-INT" };
            let _ = std::process::Command::new("kill")
                .args([signal, &child.id().to_string()])
                .stderr(Stdio::null())
                .status();
            child.wait().unwrap();
            let made = std::fs::read_dir(place.path("pages/deeper")).map_or(0, Iterator::count);
            assert!([0, 5, pages].contains(&made), "{command}: {made}");
            let _ = std::fs::remove_file(place.path("new.csv"));
            let _ = std::fs::remove_dir_all(place.path("pages"));
            assert_eq!(place.files(), before, "{command}");
        }
    }
}
