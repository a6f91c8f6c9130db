//! Points that follow from clean inputs: their results, their events, what is refused.

use crate::support::Place;

/// Two lines: A is on from 1 to 3 s and from 5 to 6 s, B from 2 to 4 s and from 8 s on.
fn place(points: &str) -> Place {
    let place = Place::new();
    let level = |at: &[f64], time: f64| usize::from(at.iter().filter(|change| **change <= time).count() % 2 == 1);
    let row = |tenth: u32| {
        let time = f64::from(tenth) / 10.0;
        format!("{time},{},{}\n", level(&[1.0, 3.0, 5.0, 6.0], time), level(&[2.0, 4.0, 8.0], time))
    };
    place.write("ab.csv", "time_s,A,B\n".to_owned() + &(0..=100).map(row).collect::<String>());
    place.write("station.toml", format!("[input.a]\nline = 'A'\n[input.b]\nline = 'B'\n{points}"));
    place
}

#[test]
fn each_point_does_what_the_standard_says() {
    // A point, and how often and how long it was on, in ms.
    for (point, rises, on_ms) in [
        ("[logic.x]\nwhen = 'a AND NOT b'", 2, 2000),
        ("[oneshot.x]\nof = 'a'\nwidth = '500 ms'", 2, 1000),
        ("[oneshot.x]\nof = 'a'\nedge = 'falling'\nwidth = '4 s'", 1, 7000),
        ("[latch.x]\nset = 'a'\nreset = 'b'", 2, 4000),
        ("[latch.x]\nset = 'a'\nreset = 'b'\ndominant = 'set'", 2, 5000),
        ("[toggle.x]\nby = 'a'", 1, 4000),
        ("[toggle.x]\nby = 'a'\nreset = 'b'", 2, 4000),
        ("[timer.x]\nof = 'a'\nkind = 'on_delay'\ntime = '1.5 s'", 1, 500),
        ("[timer.x]\nof = 'a'\nkind = 'off_delay'\ntime = '1.5 s'", 2, 6000),
        ("[timer.x]\nof = 'a'\nkind = 'pulse'\ntime = '1.5 s'", 2, 3000),
        ("[timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '1 s'\n[logic.x]\nwhen = 't.elapsed >= 1.0'", 1, 1000),
        ("[pair.x]\nno = 'a'\nnc = 'b'\nwithin = '500 ms'", 1, 2000),
        ("[pair.p]\nno = 'a'\nnc = 'b'\nwithin = '500 ms'\n[logic.x]\nwhen = 'p.fault'", 4, 3000),
        ("[output.x]\nwhen = 'a'\ninvert = true", 2, 7000),
        ("[output.x]\nwhen = 'a'\non_delay = '1.5 s'\noff_delay = '1 s'", 1, 1500),
        ("[output.x]\nwhen = 'a'\nblink = { times = 3, on = '200 ms', off = '100 ms' }", 6, 1200),
        ("[counter.c]\nup = 'a'\ndown = 'b'\n[logic.x]\nwhen = 'c = 1 OR c.band > 0'", 2, 4000),
        ("[counter.c]\nup = 'a'\nedge = 'both'\n[logic.x]\nwhen = 'c MOD 2 = 1 AND c * 2 < 2 ** 2.0'", 1, 2000),
    ] {
        let told = place(point).reigen("run station.toml ab.csv --json").json();
        let bit = &told["bits"]["x"];
        assert_eq!(
            (bit["rising"].as_u64(), bit["on_ns"].as_u64()),
            (Some(rises), Some(on_ms * 1_000_000)),
            "{point}: {bit}"
        );
    }
}

#[test]
fn a_counter_stops_wraps_loads_and_tells_what_it_left_out() {
    // A counter, its value, its counts in all, wraps and lost.
    for (counter, value, total, wraps, lost) in [
        ("up = 'a'\nlimits = [0, 1]", 1, 1, 0, 1),
        ("up = 'a'\nlimits = [0, 1]\nat_limit = 'wrap'", 0, 2, 1, 0),
        ("up = 'a'\nbits = 1", 0, 2, 1, 0),
        ("down = 'b'\nstart = -1\nbits = 1", -1, -2, 1, 0),
        ("up = 'a'\ngate = 'NOT b'", 2, 2, 0, 0),
        ("up = 'b'\nload = 'a'\nload_to = 7", 8, 1, 0, 0),
        ("up = 'b'\nreset = 'a'\npresets = [1]", 1, 1, 0, 0),
    ] {
        let told = place(&format!("[counter.c]\n{counter}")).reigen("run station.toml ab.csv --json").json();
        let got = ["value", "total", "wraps", "lost"].map(|key| told["counters"]["c"][key].as_i64().unwrap());
        assert_eq!(got, [value, total, wraps, lost], "{counter}");
    }
    let place = place(
        "[scan]\nperiod = '100 ms'\n[counter.c]\nup = 'a'\nlimits = [0, 1]\nscale = 0.5\nunit = 'm'\n[counter.s]\nup = 'a'\ncount = 'scans'",
    );
    insta::assert_snapshot!(place.reigen("run station.toml ab.csv --events e.csv").whole());
    insta::assert_snapshot!(place.read("e.csv"));
    insta::assert_snapshot!(place.reigen("why station.toml ab.csv c").whole());
}

#[test]
fn a_division_by_zero_is_told_with_its_time_and_the_value_held() {
    let place =
        place("[counter.c]\nup = 'a'\n[logic.x]\nwhen = '10 / (c - 1) > 5'\n[logic.y]\nwhen = 'SQRT(c - 1) < 1.0'");
    let told = place.reigen("run station.toml ab.csv").whole();
    insta::assert_snapshot!(told);
}

#[test]
fn expectations_and_displays_are_held_and_shown() {
    let place = place(
        "[counter.c]\nup = 'a'\n[expect.soon]\nthat = 'a'\nby = '2 s'\n[expect.exact]\nthat = 'c = 1'\nat = '5 s'\n\
         [expect.near]\nthat = 'c = 1'\nat = '5 s'\ntolerance = 1\n[expect.never]\nthat = 'NOT b'\nalways = true\n\
         [expect.late]\nthat = 'b'\nat = '11 s'\n[expect.last]\nthat = 'c = 2 AND b'\nat_end = true\n\
         [display.panel]\ncolumns = 8\nrows = 1\ntext = ['Count {c:>4}']\n",
    );
    let run = place.reigen("run station.toml ab.csv --display");
    assert_eq!(run.code, 1);
    insta::assert_snapshot!(run.whole());
    assert!(place.reigen("run station.toml ab.csv --display-at 4s").stdout.contains("│Count   │"));
    place.write("other.csv", "time_s,A,B\n0,0,0\n1,1,0\n12,1,0\n");
    std::fs::create_dir(place.path("all")).unwrap();
    std::fs::copy(place.path("ab.csv"), place.path("all/ab.csv")).unwrap();
    let verify = place.reigen("verify station.toml all other.csv --junit result.xml");
    assert_eq!(verify.code, 1);
    insta::assert_snapshot!(verify.whole());
    insta::assert_snapshot!(place.read("result.xml"));
    let json = place.reigen("verify station.toml other.csv --json").json();
    assert_eq!((&json["pass"], &json["expectations"][0]["pass"]), (&false.into(), &true.into()));
    let station = place.read("station.toml").replace("by = '2 s'", "at_end = true");
    place.write("one.toml", station.split("[expect.exact]").next().unwrap());
    assert_eq!(place.reigen("verify one.toml other.csv").code, 0);
}

#[test]
fn what_cannot_be_is_refused_at_its_place() {
    let mut said = String::new();
    for points in [
        "[logic.x]\nwhen = 'a AND y'\n[timer.y]\nof = 'z'\nkind = 'pulse'\ntime = '1 s'\n[latch.z]\nset = 'x'\nreset = 'b'",
        "[counter.c]\nup = 'a'\n[logic.x]\nwhen = 'c AND a'",
        "[logic.x]\nwhen = 'a + 1 > 2'",
        "[logic.x]\nwhen = '1 +'",
        "[logic.x]\nwhen = 'SQR(2) > 1'",
        "[counter.c]\nup = 'a'\nlimits = [5, 2]",
        "[counter.c]\nup = 'a'\nlimits = [0, 5]\npresets = [9]",
        "[counter.c]\nreset = 'a'",
        "[counter.c]\nup = 'a'\ncount = 'scans'",
        "[counter.c]\nup = 'a'\nload = 'b'",
        "[counter.c]\nup = 'a'\nbits = 99",
        "[timer.t]\nof = 'a'\nkind = 'on_delay'",
        "[timer.t]\nof = 'a'\nkind = 'on_delay'\ntime = '0 s'",
        "[display.d]\ncolumns = 8\nrows = 1\ntext = ['{aa}']",
        "[expect.e]\nthat = 'a'",
        "[expect.e]\nthat = 'a'\nby = '1 s'\nalways = true",
        "[output.o]\nwhen = 'a'\nblink = { times = 0, on = '1 s', off = '1 s' }",
    ] {
        let run = place(points).reigen("run station.toml ab.csv");
        assert_eq!(run.code, 2, "{points}: {}", run.whole());
        said += &format!("# {}\n{}", points.replace('\n', " / "), run.stderr);
    }
    insta::assert_snapshot!(said);
    let none = place("").reigen("verify station.toml ab.csv");
    assert_eq!(none.code, 2);
    assert!(none.stderr.contains("has no expectations"), "{}", none.stderr);
}
