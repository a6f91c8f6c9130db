//! Encoders through the program: positions compared with the truth, faults by their names, what is refused.

use crate::support::Place;

/// A shaft that goes forward, back, and stands, with an encoder on it; and a station that reads it.
fn place(encoder: &str, more: &str, station: &str) -> Place {
    let place = Place::new();
    place.write(
        "scenario.toml",
        format!(
            "duration = '9 s'\n[shaft.s]\nspeed = [{{ for = '1 s', to_rpm = 120 }}, {{ for = '4 s', to_rpm = 120 }}, \
             {{ for = '1 s', to_rpm = -60 }}, {{ for = '1 s', to_rpm = -60 }}, {{ for = '500 ms', to_rpm = 0 }}]\n\
             [encoder.e]\na = 'A'\nb = 'B'\nindex = 'Z'\nshaft = 's'\npulses_per_rev = 25\n{encoder}\n{more}"
        ),
    );
    place.write("station.toml", format!("{station}[encoder.e]\na = 'A'\nb = 'B'\nindex = 'Z'\npulses_per_rev = 25\n"));
    assert_eq!(place.reigen("simulate scenario.toml -o r.vcd --truth truth.json").code, 0);
    place
}

fn codes(told: &serde_json::Value) -> Vec<String> {
    let findings = told["findings"].as_array().unwrap().iter();
    findings
        .filter(|finding| finding["subject"] == "e")
        .map(|finding| finding["code"].as_str().unwrap().to_owned())
        .collect()
}

#[test]
fn a_simulated_shaft_comes_back_with_its_position_and_each_fault_by_its_name() {
    for (encoder, wires, station, code) in [
        ("", "", "", None),
        ("lost_at = ['3 s']", "", "", Some("counts-missing")),
        ("phase_error_degrees = 32", "", "", Some("encoder-phase")),
        ("dither_every = '20 ms'", "", "", Some("encoder-dither")),
        ("", "[wire.w]\nline = 'B'\nstuck = [{ from = '0 s', to = '9 s' }]", "", Some("channel-dead")),
        ("", "[wire.w]\nline = 'Z'\nstuck = [{ from = '0 s', to = '9 s' }]", "", Some("index-never")),
        ("", "", "[scan]\nperiod = '9 ms'\n", Some("scan-loses-counts")),
        ("", "", "[scan]\nperiod = '1 ms'\n", None),
    ] {
        let place = place(encoder, wires, station);
        let told = place.reigen("run station.toml r.vcd --json").json();
        let codes = codes(&told);
        let named = code.map_or(codes.is_empty(), |code| codes.iter().any(|known| known == code));
        assert!(named, "{encoder} {wires} {station}: {codes:?}");
        let truth: serde_json::Value = serde_json::from_str(&place.read("truth.json")).unwrap();
        if code.is_none_or(|code| code.starts_with("encoder")) {
            let one = &told["encoders"]["e"];
            assert_eq!(one["position"], truth["sources"]["e"]["position"], "{encoder}");
            assert_eq!(one["value"].as_f64(), Some(one["position"].as_f64().unwrap() / 100.0));
            assert_eq!((one["illegal"].as_u64(), one["unit"].as_str()), (Some(0), Some("rev")));
        }
    }
}

#[test]
fn what_a_scan_loses_is_counted_and_the_slowest_that_loses_none_is_told() {
    let place = place("", "", "[scan]\nperiod = '9 ms'\n");
    let told = place.reigen("run station.toml r.vcd --json").json();
    let one = &told["encoders"]["e"];
    let truth: serde_json::Value = serde_json::from_str(&place.read("truth.json")).unwrap();
    let position = one["position"].as_i64().unwrap() + one["lost_by_scan"].as_i64().unwrap();
    assert_eq!(Some(position), truth["sources"]["e"]["position"].as_i64());
    // 120 rpm with a hundred edges a revolution are 5 ms apart; the shaft begins and turns between two.
    let slowest = one["slowest_scan_ns"].as_u64().unwrap();
    assert!((4_900_000..=5_000_000).contains(&slowest), "{slowest}");
    place.write("faster.toml", place.read("station.toml").replace("9 ms", &format!("{} us", slowest / 1000)));
    let faster = place.reigen("run faster.toml r.vcd --json").json();
    assert_eq!(faster["encoders"]["e"]["lost_by_scan"].as_i64(), Some(0));
}

#[test]
fn homing_through_inputs_and_what_follows_from_an_encoder() {
    let place = place(
        "",
        "[contact.h]\nline = 'H'\nclosing = 'none'\nopening = 'none'\npresses = [{ at = '1.8 s', for = '1 s' }]",
        "",
    );
    place.write(
        "home.toml",
        "[input.home]\nline = 'H'\n[input.a]\nline = 'A'\n[encoder.e]\na = 'a'\nb = 'B'\nindex = 'Z'\npulses_per_rev = 25\n\
         travel_per_rev = 0.5\nunit = 'm'\nzero_on = 'home'\nindex_does = 'home'\nzero_at = 7\n\
         [logic.back]\nwhen = 'e.moving AND NOT e.forward'\n[threshold.far]\nof = 'e'\non_above = 2.5\noff_below = 2.0\n\
         [counter.n]\nup = 'e.homed'\n[logic.fast]\nwhen = 'e.speed > 0.9'\n",
    );
    let told = place.reigen("run home.toml r.vcd --json").json();
    let one = &told["encoders"]["e"];
    let homing = &one["homings"][0];
    // 2.6 revolutions at 1.8 s, so the index after the switch comes within one of 100 counts.
    assert!((1..=100).contains(&homing["from_switch"].as_i64().unwrap()) && homing["before"].is_null(), "{one}");
    assert_eq!((one["homed"].as_bool(), told["counters"]["n"]["value"].as_i64()), (Some(true), Some(1)));
    assert_eq!(told["bits"]["back"]["rising"].as_u64(), Some(1));
    assert_eq!((told["bits"]["far"]["rising"].as_u64(), told["bits"]["fast"]["rising"].as_u64()), (Some(1), Some(1)));
    let at = place.reigen("why home.toml r.vcd e --at 1s");
    assert!(at.stdout.contains("not homed yet, so its position is unknown"), "{}", at.stdout);
    assert_eq!(place.reigen("draw home.toml r.vcd --points e,far -o e.svg").code, 0);
    assert!(place.read("e.svg").contains("e.speed"));
}

#[test]
fn an_encoder_that_cannot_be_is_refused_with_its_place() {
    let place = place("", "", "");
    for (encoder, message) in [
        ("a = 'A'\nb = 'A'", "`a` and `b` are the same"),
        ("a = 'A'\nb = 'B'\nunit = 'm'", "a unit needs `pulses_per_rev`"),
        ("a = 'A'\nb = 'B'\ntravel_per_rev = 1", "a unit needs `pulses_per_rev`"),
        ("a = 'A'\nb = 'B'\nindex = 'Z'\nindex_does = 'home'", "`home` needs `zero_on`"),
        ("a = 'A'\nb = 'B'\nzero_on = 'p'\nindex_does = 'home'", "`index_does` needs `index`"),
        ("a = 'A'\nb = 'B'\nindex_does = 'zero'", "`index_does` needs `index`"),
        ("a = 'A'\nb = 'B'\ndecode = 'x3'", "`x3`"),
        ("a = 'A'\nb = 'B'\nstill_after = '0 s'", "must be above zero"),
        ("a = 'A'\nb = 'Q'", "`Q`"),
        ("a = 'A'\nb = 'B'\nzero_on = 'n'", "is a number"),
    ] {
        place.write("bad.toml", format!("[input.p]\nline = 'Z'\n[counter.n]\nup = 'p'\n[encoder.x]\n{encoder}\n"));
        let said = place.reigen("run bad.toml r.vcd");
        assert_eq!((said.code, said.stderr.contains(message)), (2, true), "{encoder}: {}", said.stderr);
        assert!(said.stderr.contains("bad.toml:"), "{encoder}: no place in {}", said.stderr);
    }
}
