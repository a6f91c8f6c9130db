//! What is written: nothing of the user's is lost, and of several outputs all appear or none.

use super::support::Place;
use std::fs::Permissions;
use std::os::unix::fs::{PermissionsExt, symlink};
use std::process::Stdio;

/// A folder with the demo's files in it, of which the recording is short.
fn ropewalk() -> Place {
    let place = Place::with_demo();
    place.write("scenario.toml", include_str!("../../../../demo/scenario.toml"));
    let expects = "[expect.never]\nthat = 'start_button AND NOT start_button'\nby = '3 s'\n";
    place.write("station.toml", format!("{}\n{expects}", place.read("station.toml")));
    place.write("q.bin.toml", "of the user");
    place.write("other.toml", "of the user");
    assert_eq!(place.reigen("simulate scenario.toml --for 1s -o s.vcd --truth truth.json").code, 0);
    place
}

#[test]
fn nothing_that_is_read_or_was_there_is_written_over() {
    let place = ropewalk();
    std::fs::hard_link(place.path("recording.vcd"), place.path("twin.csv")).unwrap();
    symlink("station.toml", place.path("link.csv")).unwrap();
    std::fs::create_dir(place.path("pages")).unwrap();
    place.write("pages/reigen.1", "of the user");
    let before: Vec<(String, String)> = place
        .files()
        .into_iter()
        .filter(|name| name != "pages")
        .map(|name| (name.clone(), place.read(&name)))
        .collect();
    let refused = [
        "survey recording.vcd --station other.toml",
        "survey recording.vcd --station recording.vcd --force",
        "run station.toml recording.vcd --truth truth.json --trace truth.json",
        "run station.toml recording.vcd --trace twin.csv",
        "run station.toml recording.vcd --events link.csv",
        "run station.toml recording.vcd --events new.csv --trace ./new.csv",
        "run station.toml recording.vcd --log station.toml",
        "run station.toml recording.vcd --log recording.vcd",
        "run station.toml recording.vcd --events new.csv --log new.csv",
        "run station.toml recording.vcd --log -",
        "run station.toml recording.vcd --json --events -",
        "convert recording.vcd q.bin --only PB_START --step 1ms",
        "convert s.vcd s.vcd",
        "simulate scenario.toml -o - --truth -",
        "simulate scenario.toml -o new.vcd --truth scenario.toml",
        "verify station.toml . --junit s.vcd",
        "man pages",
        "demo --into .",
    ];
    for command in refused {
        let said = place.reigen(command);
        assert_eq!(said.code, 2, "{command}: {}", said.whole());
        assert!(said.stderr.contains("help: "), "{command}: {}", said.stderr);
    }
    for (name, text) in before {
        assert_eq!(place.read(&name), text, "{name}");
    }
    assert_eq!(place.read("pages/reigen.1"), "of the user");
    assert!(!place.path("new.csv").exists() && !place.path("new.vcd").exists() && !place.path("q.bin").exists());
    for command in [
        "survey recording.vcd --station other.toml --force",
        "convert recording.vcd q.bin --only PB_START --step 1ms --force",
        "man pages --force",
    ] {
        assert_eq!(place.reigen(command).code, 0, "{command}");
    }
    assert_ne!(place.read("q.bin.toml"), "of the user");
}

#[test]
fn an_output_on_standard_output_has_it_for_itself() {
    let place = ropewalk();
    for (command, begins) in [
        ("verify station.toml recording.vcd --junit -", "<?xml"),
        ("run station.toml recording.vcd --events -", "time_ns,"),
        ("run station.toml recording.vcd --trace /dev/stdout", "$"),
        ("report station.toml recording.vcd -o -", "<!"),
        ("draw station.toml recording.vcd -o -", "<svg"),
        ("simulate scenario.toml --for 1s -o -", "$"),
        ("survey recording.vcd --station -", "#"),
    ] {
        // Into a file too: what the shell opened is not replaced by another file of its name.
        let file = std::fs::File::create(place.path("out")).unwrap();
        let status = place.command(command).stdout(Stdio::from(file)).status().unwrap();
        let (written, said) = (place.read("out"), place.reigen(command));
        assert_eq!(status.code(), Some(said.code), "{command}");
        assert!(said.code < 2 && written.starts_with(begins), "{command}: {}", said.whole());
        assert!(written == said.stdout || command.starts_with("verify"), "{command}");
    }
    assert!(std::path::Path::new("/dev/stdout").is_symlink());
    // A device that keeps nothing takes whatever comes, also where standard output goes there.
    let nowhere = "run station.toml recording.vcd --json --events /dev/null --trace /dev/null";
    assert_eq!(place.command(nowhere).stdout(Stdio::null()).status().unwrap().code(), Some(1));
    let piped = std::fs::File::open(place.path("s.vcd")).unwrap();
    let converted = place.command("convert - - --format csv").stdin(piped).output().unwrap();
    assert!(converted.stdout.starts_with(b"time_"), "{}", String::from_utf8_lossy(&converted.stderr));
}

#[test]
fn all_outputs_appear_or_none() {
    let place = ropewalk();
    symlink("/dev/full", place.path("full.json")).unwrap();
    place.write("s.vcd", "of the user");
    let before = place.files();
    for command in [
        "simulate scenario.toml --for 1s -o s.vcd --truth full.json",
        "run station.toml recording.vcd --trace new.vcd --events full.jsonl",
        "demo --into new/deeper/recording.vcd/",
        "man new/deeper",
    ] {
        symlink("/dev/full", place.path("full.jsonl")).unwrap_or_default();
        let mut limited = std::process::Command::new("bash");
        let program = env!("CARGO_BIN_EXE_reigen");
        let limit = if command.starts_with("demo") || command.starts_with("man") { "ulimit -f 2;" } else { "" };
        limited.args(["-c", &format!("trap '' XFSZ; {limit} exec {program} {command}")]).current_dir(place.path("."));
        let output = limited.output().unwrap();
        let told = String::from_utf8_lossy(&output.stderr);
        assert_eq!(output.status.code(), Some(2), "{command}: {told}");
        assert!(told.contains("cannot write"), "{command}: {told}");
        std::fs::remove_file(place.path("full.jsonl")).unwrap();
        assert_eq!(place.files(), before, "{command}");
        assert_eq!(place.read("s.vcd"), "of the user");
    }
    assert_eq!(place.reigen("demo --into new/deeper").code, 0);
}

#[test]
fn rights_are_the_users() {
    let place = ropewalk();
    let mode = |name: &str| place.path(name).metadata().unwrap().permissions().mode() & 0o777;
    let allow = |name: &str, mode| std::fs::set_permissions(place.path(name), Permissions::from_mode(mode)).unwrap();
    for name in ["private.csv", "locked.csv"] {
        place.write(name, "old");
    }
    allow("private.csv", 0o640);
    allow("locked.csv", 0o444);
    assert_eq!(place.reigen("convert s.vcd private.csv").code, 0);
    assert_eq!(mode("private.csv"), 0o640);
    let refused = place.reigen("convert s.vcd locked.csv");
    assert!(refused.code == 2 && refused.stderr.contains("chmod u+w"), "{}", refused.stderr);
    assert_eq!((place.read("locked.csv").as_str(), mode("locked.csv")), ("old", 0o444));
    let program = env!("CARGO_BIN_EXE_reigen");
    let masked = format!("umask 027; exec {program} convert s.vcd masked.csv");
    assert!(
        std::process::Command::new("bash")
            .args(["-c", &masked])
            .current_dir(place.path("."))
            .status()
            .unwrap()
            .success()
    );
    assert_eq!(mode("masked.csv"), 0o640);
}

#[test]
fn a_stream_is_read_once_and_its_verdict_is_that_of_the_file() {
    let place = ropewalk();
    for (command, of) in [
        ("verify station.toml RECORDING", "recording.vcd"),
        ("draw station.toml RECORDING --around start_button:1", "recording.vcd"),
        ("run station.toml RECORDING --display-at 1s", "recording.vcd"),
    ] {
        let said = place.reigen(&command.replace("RECORDING", of));
        let piped = std::fs::File::open(place.path(of)).unwrap();
        let mut fed = std::process::Command::new("bash");
        let line = format!("cat | {} {}", env!("CARGO_BIN_EXE_reigen"), command.replace("RECORDING", "-"));
        let fed = fed.args(["-c", &line]).current_dir(place.path(".")).env_clear().stdin(piped).output().unwrap();
        let told = String::from_utf8(fed.stdout).unwrap().replace("standard input", of);
        assert_eq!(fed.status.code(), Some(said.code), "{command}");
        // A stream cannot be read again, so no command that would do so is told.
        let stays = |line: &&str| !line.starts_with("   $ ") && !line.starts_with("   → `reigen why`");
        let words = |text: &str| -> Vec<String> {
            text.lines().filter(stays).flat_map(str::split_whitespace).map(str::to_owned).collect()
        };
        assert_eq!(words(&told), words(&said.stdout));
    }
    let closed = format!("set -o pipefail; {} run station.toml recording.vcd | head -1", env!("CARGO_BIN_EXE_reigen"));
    let status =
        std::process::Command::new("bash").args(["-c", &closed]).current_dir(place.path(".")).status().unwrap();
    assert_eq!(status.code(), Some(place.reigen("run station.toml recording.vcd").code));
}
