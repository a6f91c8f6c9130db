//! Rates, widths, analog points and thresholds through the program: what they read, how they are shown, what is refused.

use crate::support::Place;

/// A pulse line of 20 Hz from 1 s to 3 s, high for 10 ms; a voltage that steps each second.
fn place(points: &str) -> Place {
    let place = Place::new();
    let mut csv = "time_ms,P,V\n".to_owned();
    for time in 0..=5000 {
        let high = (1000..3000).contains(&time) && time % 50 < 10;
        csv += &format!("{time},{},{}\n", u8::from(high), [4.0, 12.0, 20.0, 0.5, 8.0, 8.0][time / 1000]);
    }
    place.write("p.csv", csv);
    place.write("station.toml", format!("[input.p]\nline = 'P'\n{points}"));
    place
}

const RATE: &str = "[rate.r]\nof = 'p'\npulses_per_rev = 4\nunit = 'rpm'\nzero_after = '500 ms'\n";

#[test]
fn a_rate_starts_without_a_jump_states_its_resolution_and_knows_a_stop() {
    // 20 Hz at four pulses a revolution are 300 rpm; the rows come every millisecond.
    for (method, readings, min, stopped, bound) in [
        ("method = 'gate'\nwindow = '500 ms'", 10, 0.0, true, false),
        ("method = 'period'\naverage = 2\nzero_after = '500 ms'", 39, 0.0, true, false),
        ("method = 'auto'\nevery = '100 ms'\nzero_after = '500 ms'", 40, 0.0, true, false),
        ("method = 'auto'\nevery = '100 ms'", 40, 300.0 / 41.0, false, true),
    ] {
        let place = place(&format!("[rate.r]\nof = 'p'\npulses_per_rev = 4\nunit = 'rpm'\n{method}"));
        let rate = place.reigen("run station.toml p.csv --json").json()["rates"]["r"].clone();
        let number = |key: &str| rate[key].as_f64().unwrap();
        assert_eq!((rate["readings"].as_u64(), rate["stopped"].as_bool()), (Some(readings), Some(stopped)), "{method}");
        assert!((number("max") - 300.0).abs() < 1e-9 && (number("min") - min).abs() < 0.1, "{method}: {rate}");
        // A counted 0 is one count off at the most; a bound and a timed 0 have no resolution.
        assert_eq!(
            (rate["resolution"].is_null(), &rate["bound"]),
            (!method.contains("gate"), &bound.into()),
            "{method}: {rate}"
        );
    }
    let early = place(RATE).reigen("run station.toml p.csv --to 2s --json").json();
    // Two edges in 100 ms; all edges so far are at multiples of 10 ms: 20 Hz · 10 ms / (100 ms − 10 ms) · 15.
    assert!((early["rates"]["r"]["resolution"].as_f64().unwrap() - 100.0 / 3.0).abs() < 1e-9, "{early}");
}

#[test]
fn widths_values_and_thresholds_read_what_was_recorded() {
    let place = place(
        "[width.w]\nof = 'p'\nformula = 'raw * 343 / 2'\nunit = 'm'\n[width.gap]\nof = 'p'\nlevel = 'low'\nvalid = [0.0, 0.05]\n\
         [analog.v]\nline = 'V'\nscale = { from = [4, 20], to = [0, 100] }\nunit = '%'\nvalid = [0, 100]\n\
         [threshold.t]\nof = 'v'\non_above = 60\noff_below = 30\n[output.alarm]\nwhen = 'v.fault'\n",
    );
    let told = place.reigen("run station.toml p.csv --json").json();
    assert_eq!(
        (told["widths"]["w"]["readings"].as_u64(), told["widths"]["w"]["last"].as_f64()),
        (Some(40), Some(1.715))
    );
    assert_eq!(told["widths"]["gap"]["readings"].as_u64(), Some(39), "the first and the last did not begin and end");
    let v = &told["analogs"]["v"];
    assert_eq!((v["min"].as_f64(), v["max"].as_f64(), v["last"].as_f64()), (Some(0.0), Some(100.0), Some(25.0)), "{v}");
    assert_eq!(v["mean"].as_f64(), Some((0.0 + 50.0 + 100.0 + 25.0) / 4.0));
    assert_eq!((v["fault_ns"].as_u64(), v["recorded"].as_f64()), (Some(1_000_000_000), Some(8.0)));
    // On at 100 %; the fault reads -21.9 %, which is below 30.
    assert_eq!(told["bits"]["t"]["on_ns"].as_u64(), Some(1_000_000_000));
    assert_eq!(told["bits"]["alarm"]["rising"].as_u64(), Some(1));
}

#[test]
fn a_formula_without_a_result_is_a_fault_and_whole_numbers_divide_as_such() {
    // The counter stands at 0 until 1 s, where the division has no result.
    let place = place(
        "[counter.n]\nup = 'p'\n[analog.q]\nline = 'V'\nformula = 'raw * (n / n)'\n[analog.w]\nline = 'V'\nformula = '(7 / 2) / 2'\n\
         [width.x]\nof = 'p'\nformula = 'raw / (n - 3)'\n",
    );
    let told = place.reigen("run station.toml p.csv --json").json();
    assert_eq!(told["analogs"]["q"]["fault_ns"].as_u64(), Some(1_000_000_000), "{}", told["analogs"]["q"]);
    assert_eq!((told["analogs"]["q"]["last"].as_f64(), told["analogs"]["w"]["last"].as_f64()), (Some(8.0), Some(1.0)));
    assert_eq!(
        (told["widths"]["x"]["readings"].as_u64(), told["widths"]["x"]["out_of_range"].as_u64()),
        (Some(39), Some(1))
    );
}

#[test]
fn readings_go_into_events_and_into_a_trace_that_reads_back() {
    let place = place(RATE);
    assert_eq!(place.reigen("run station.toml p.csv --events e.csv --trace t.vcd").code, 0);
    let events = place.read("e.csv");
    assert!(events.contains("1100000000,r,reading,300,\n") && events.contains("3500000000,r,reading,0,\n"), "{events}");
    place.write("again.toml", "[analog.r]\nline = 'station.r'\n");
    let again = place.reigen("run again.toml t.vcd --json").json();
    assert_eq!(
        (again["analogs"]["r"]["max"].as_f64(), again["analogs"]["r"]["last"].as_f64()),
        (Some(300.0), Some(0.0))
    );
}

#[test]
fn readings_at_a_step_are_a_table_and_a_bar_that_follows() {
    let place = place(RATE);
    let said = place.reigen("run station.toml p.csv --every 1s");
    let words = |line: &str| line.split_whitespace().collect::<Vec<_>>().join(" ");
    let rows: Vec<String> = said.stdout.lines().take(7).map(words).collect();
    assert_eq!(rows, ["time p r rpm", "0 s ○ -", "1 s ● -", "2 s ● 300", "3 s ○ 300", "4 s ○ 0", "5 s ○ 0"]);
    let told = place.reigen("run station.toml p.csv --every 2500ms --json").json();
    let values: Vec<Option<f64>> =
        told["every"]["rows"].as_array().unwrap().iter().map(|row| row["values"][1].as_f64()).collect();
    assert_eq!(values, [None, Some(300.0), Some(0.0)]);
    assert_eq!(told["every"]["rows"][1]["values"][0], true, "a bit is one in JSON");
    let bar = place.reigen("run station.toml p.csv --watch r --speed 20 --scale 0..400");
    let full = |line: &str| line.chars().filter(|letter| *letter == '█').count();
    let lengths: Vec<usize> = bar.stdout.lines().take(6).map(full).collect();
    assert_eq!(lengths, [0, 0, 30, 30, 0, 0], "{}", bar.stdout);
}

#[test]
fn why_tells_what_a_reading_was_made_of() {
    let place = place(RATE);
    let told = |at: &str| place.reigen(&format!("why station.toml p.csv r --at {at}")).stdout;
    assert!(told("2s").contains("2 intervals from 1.9 s to 2 s: 2 / 100 ms × 15 = 300 rpm"), "{}", told("2s"));
    assert!(told("3.2s").contains("no edge since 2.95 s: not more than 1 / 250 ms × 15 = 60 rpm"), "{}", told("3.2s"));
    assert!(told("4s").contains("at 3.5 s that was 550 ms (zero_after is 500 ms), so it is stopped"), "{}", told("4s"));
    assert!(told("900ms").contains("no interval is complete yet"), "{}", told("900ms"));
}

#[test]
fn captured_counts_are_held_against_a_reference() {
    let place = Place::new();
    place.write("c.csv", "count\n65000\n1964\n4464\n6965\n6965\n");
    let asked = "rate --captures c.csv --clock 48MHz --prescale 480 --bits 16 --reference 40Hz";
    let told = place.reigen(&format!("{asked} --json --pulses-per-rev 6")).json();
    let first = &told["readings"][0];
    assert_eq!((first["period_s"].as_f64(), first["frequency_hz"].as_f64()), (Some(0.025), Some(40.0)));
    assert_eq!(first["resolution_hz"].as_f64(), Some(0.016));
    assert_eq!((told["readings"].as_array().unwrap().len(), told["equal_neighbours"].as_u64()), (3, Some(1)));
    assert_eq!(told["reference"]["within_resolution"].as_bool(), Some(true), "one count off is within it");
    assert!(told["longest_period_s"].as_f64().unwrap() > 0.65 && told["mean_rpm"].as_f64().unwrap() > 399.0);
    insta::assert_snapshot!(place.reigen(asked).whole());
}

#[test]
fn what_cannot_be_measured_is_refused_with_place_and_remedy() {
    for (points, message) in [
        ("[rate.r]\nof = 'p'\nunit = 'rpm'", "`rpm` needs `pulses_per_rev`"),
        ("[rate.r]\nof = 'p'\nunit = 'm/s'\npulses_per_rev = 2", "`m/s` needs `travel_per_rev`"),
        ("[rate.r]\nof = 'p'\nunit = 'boxes'", "unknown unit `boxes`"),
        ("[rate.r]\nof = 'p'\nmethod = 'gate'", "needs a `window`"),
        ("[rate.r]\nof = 'p'\nmethod = 'gate'\nwindow = '0 s'", "must be above zero"),
        ("[rate.r]\nof = 'p'\nwindow = '1 s'", "`window` belongs to the method `gate`"),
        ("[rate.r]\nof = 'p'\nmethod = 'period'\naverage = 0", "from 1 to 100000"),
        ("[rate.r]\nof = 'p'\npulses_per_rev = 0", "must be above zero"),
        ("[rate.r]\nof = 'p'\nmethod = 'gate'\nwindow = '1 s'\nzero_after = '1 s'", "does not use `zero_after`"),
        ("[width.w]\nof = 'p'\nformula = 'raw + q'", "`q`"),
        ("[width.w]\nof = 'p'\nformula = 'raw * p'", "a bit"),
        ("[width.w]\nof = 'p'\nvalid = [2, 1]", "wrong order"),
        ("[logic.x]\nwhen = 'raw > 1'", "`raw`"),
        ("[analog.v]\nline = 'P'", "has levels"),
        ("[analog.v]\nline = 'V'\nscale = { from = [4, 4], to = [0, 1] }", "two different points"),
        ("[analog.v]\nline = 'V'\ncounts = { full = 0, span = 3.3 }", "above zero"),
        ("[analog.v]\nline = 'V'\n[threshold.t]\nof = 'v'\non_above = 1\noff_below = 2", "wrong order"),
        ("[analog.v]\nline = 'V'\n[threshold.t]\nof = 'v'\non_above = 1\noff_above = 2", "on_below and off_above"),
        ("[threshold.t]\nof = 'p'\non_above = 1\noff_below = 0", "a bit"),
    ] {
        let said = place(points).reigen("run station.toml p.csv");
        assert_eq!((said.code, said.stderr.contains(message)), (2, true), "{points}: {}", said.stderr);
        assert!(said.stderr.contains("station.toml:"), "{points}: no place in {}", said.stderr);
    }
    let place = place(RATE);
    for (asked, message) in [
        ("--every 0s", "must be above zero"),
        ("--watch q", "no point `q`"),
        ("--watch r --speed 0", "no pace"),
        ("--watch r --scale 5..1", "wrong order"),
    ] {
        let said = place.reigen(&format!("run station.toml p.csv {asked}"));
        assert_eq!((said.code, said.stderr.contains(message)), (2, true), "{asked}: {}", said.stderr);
    }
    place.write("c.csv", "count\n1\n70000\n");
    let said = place.reigen("rate --captures c.csv --clock 1MHz");
    assert!(
        said.code == 2 && said.stderr.contains("c.csv:3: 70000 does not fit the timer, which counts to 65535"),
        "{}",
        said.stderr
    );
}

#[test]
fn settings_that_cannot_work_are_found_before_they_run() {
    let place = place("[rate.r]\nof = 'p'\npulses_per_rev = 6\nunit = 'rpm'\nzero_after = '1 s'\nslowest = '5 rpm'\n");
    let told = place.reigen("check station.toml --json").json();
    let codes: Vec<&str> =
        told["findings"].as_array().unwrap().iter().map(|finding| finding["code"].as_str().unwrap()).collect();
    assert!(codes.contains(&"stops-too-early"), "{told}");
}

#[test]
fn captures_come_from_timers_of_all_kinds() {
    let place = Place::new();
    // A period of 400 ticks of a timer that begins anew after 999; one capture is missed.
    let counts: String = [0, 400, 800, 200, 0, 400, 800, 200, 600].map(|count| format!("{count}\n")).concat();
    place.write("c.csv", format!("count\n{counts}"));
    let json = place.reigen("captures c.csv --clock 48MHz --divider-register 47 --reload 999 --json").json();
    let counts: Vec<u64> =
        json["readings"].as_array().unwrap().iter().map(|one| one["counts"].as_u64().unwrap()).collect();
    assert_eq!(counts, [400, 400, 400, 800, 400, 400, 400, 400]);
    assert_eq!((&json["doubled"], &json["wraps"]), (&1.into(), &3.into()));
    assert!((json["tick_s"].as_f64().unwrap() - 1e-6).abs() < 1e-15, "48 MHz over 47 + 1");
    let jitter = json["jitter_s"].as_f64().unwrap();
    assert!((jitter - 400e-6 / 8f64.sqrt()).abs() < 1e-9, "{jitter}");
    let words = place.reigen("captures c.csv --clock 1MHz --reload 999").stdout;
    for said in ["from 999 back to 0", "jitter 141 µs", "1 period twice as long as most"] {
        assert!(words.contains(said), "{said}: {words}");
    }
    for (asked, said) in [
        ("--clock 1MHz --reload 999 --bits 10", "cannot be used with"),
        ("--clock 1MHz --prescale 2 --divider-register 1", "cannot be used with"),
        ("--clock 1MHz --reload 500", "800 does not fit the timer, which counts to 500"),
        ("--clock 1MHz --reload 0", "--reload"),
    ] {
        let told = place.reigen(&format!("captures c.csv {asked}"));
        assert!(told.code == 2 && told.stderr.contains(said), "{asked}: {}", told.whole());
    }
}
