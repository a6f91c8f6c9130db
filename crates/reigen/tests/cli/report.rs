//! The report: one page that stands alone, harmless whatever is in its texts, and whole in a real browser.

use crate::support::Place;
use std::process::Command;

#[test]
fn the_report_holds_what_the_run_says_and_nothing_from_outside() {
    let place = Place::new();
    assert_eq!(place.reigen("demo --into ropewalk").code, 0);
    let said = place.reigen("report ropewalk/station.toml ropewalk/recording.vcd -o walk.html");
    assert_eq!(said.code, 0, "{}", said.stderr);
    let page = place.read("walk.html");
    assert!(page.len() < 1_000_000, "{} bytes", page.len());
    for outside in ["http:", "https:", "src=\"/", "<link", "<script", "@import", "url("] {
        assert!(!page.contains(outside), "{outside}");
    }
    let run = place.reigen("run ropewalk/station.toml ropewalk/recording.vcd --json").json();
    let check = place.reigen("check ropewalk/station.toml --json").json();
    let escaped =
        |text: &str| text.replace('&', "&#38;").replace('<', "&#60;").replace('\'', "&#39;").replace('"', "&#34;");
    for finding in run["findings"].as_array().unwrap().iter().chain(check["findings"].as_array().unwrap()) {
        let message = escaped(finding["message"].as_str().unwrap());
        assert!(page.contains(&message), "{message}");
    }
    for input in run["inputs"].as_object().unwrap().keys() {
        assert!(page.contains(&format!("<td class=\"left\">{input}</td>")), "{input}");
    }
    for heading in ["Wiring", "Expectations", "Timing diagrams and curves", "Displays", "with their resolution"] {
        assert!(page.contains(heading), "{heading}");
    }
    // The wires to wire from, and the circuit of each sensor.
    assert!(page.contains("<h2>List to wire from</h2>") && page.contains("alt=\"circuits of start_button"), "no wires");
    for wire in check["wires"].as_array().unwrap() {
        assert!(page.contains(&escaped(wire["to"].as_str().unwrap())), "{wire}");
    }
    // The same to standard output.
    let piped = place.reigen("report ropewalk/station.toml ropewalk/recording.vcd -o -");
    assert!(piped.stdout == page);
}

#[test]
fn markup_in_a_title_is_shown_and_does_nothing() {
    let place = Place::with_demo();
    let station = place.read("station.toml");
    let titled = station.lines().filter(|line| !line.starts_with("title")).collect::<Vec<_>>().join("\n");
    place.write("station.toml", format!("title = '<script>alert(1)</script> & \"so\"'\n{titled}"));
    assert_eq!(place.reigen("report station.toml recording.vcd -o r.html").code, 0);
    let page = place.read("r.html");
    assert!(page.contains("&#60;script&#62;alert(1)&#60;/script&#62; &#38; &#34;so&#34;") && !page.contains("<script"));
}

#[test]
fn a_report_that_cannot_be_written_is_refused() {
    let place = Place::with_demo();
    for (arguments, message) in [
        ("recording.vcd -o nowhere/r.html", "there is no folder nowhere"),
        ("recording.vcd -o station.toml", "would overwrite"),
        ("recording.vcd -o r.html --points drum_hal", "the station has no point `drum_hal`"),
        ("absent.vcd -o r.html", "absent.vcd: No such file"),
    ] {
        let said = place.reigen(&format!("report station.toml {arguments}"));
        assert!(said.code == 2 && said.stderr.contains(message), "{arguments}: {}", said.stderr);
    }
    assert_eq!(place.files(), ["recording.vcd", "station.toml"]);
}

#[test]
#[expect(clippy::print_stderr, reason = "a test that is skipped says so")]
fn a_browser_shows_it_and_prints_it() {
    let place = Place::new();
    let browser = ["chromium", "chromium-browser"]
        .into_iter()
        .find(|name| Command::new(name).arg("--version").output().is_ok_and(|output| output.status.success()));
    let Some(browser) = browser else {
        eprintln!("skipped: there is no chromium here to open the report in");
        return;
    };
    assert_eq!(place.reigen("demo --into ropewalk").code, 0);
    assert_eq!(place.reigen("report ropewalk/station.toml ropewalk/recording.vcd -o walk.html").code, 0);
    let open = |more: &[&str]| {
        let output = Command::new(browser)
            .args(["--headless", "--no-sandbox", "--disable-gpu", "--no-pdf-header-footer"])
            .args(more)
            .arg(format!("file://{}", place.path("walk.html").display()))
            .current_dir(place.path(""))
            .output()
            .unwrap();
        assert!(output.status.success(), "{}", String::from_utf8_lossy(&output.stderr));
        String::from_utf8_lossy(&output.stdout).into_owned()
    };
    // What the browser made of it is what was written: every table, finding and picture.
    let written = place.read("walk.html");
    let shown = open(&["--dump-dom"]);
    for element in ["<table", "<figure", "class=\"finding ", "<h2"] {
        assert_eq!(shown.matches(element).count(), written.matches(element).count(), "{element}");
    }
    open(&["--print-to-pdf=walk.pdf"]);
    let pdf = std::fs::read(place.path("walk.pdf")).unwrap();
    assert!(pdf.starts_with(b"%PDF") && pdf.len() > 20_000, "{} bytes", pdf.len());
}
