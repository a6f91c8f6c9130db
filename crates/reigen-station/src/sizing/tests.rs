//! Worked numbers for every sum, and those that go both ways held against themselves.

use super::capture::Capture;
use super::colours::{self, Colour, Colours};
use super::current_loop::{KnownEnd, Loop};
use super::divider::Divider;
use super::drive::Drive;
use super::hysteresis::Hysteresis;
use super::led::Led;
use super::poll::Poll;
use super::pull::{Pull, PullTo};
use super::rc::{Levels, Rc};
use super::registers::Registers;
use super::series::{ALL, Series};
use super::source::Source;
use super::speed::SpeedGiven;
use super::{SizingError, SizingResult, USUAL_CAPACITORS, USUAL_RESISTORS};
use proptest::prelude::*;
use reigen_core::analog::signal::Signal;
use reigen_core::units::{Amperes, Farads, Hertz, Ohms, Seconds, Share, Speed, Volts};

/// Holds what was found against worked numbers, to a part in a thousand.
#[track_caller]
fn found(worked: Result<SizingResult, SizingError>, wanted: &[(&str, f64)]) {
    let worked = worked.unwrap();
    for (key, number) in wanted {
        let got = worked.number(key).unwrap_or_else(|| panic!("no {key} in {worked:?}"));
        assert!((got - number).abs() <= number.abs() * 1e-3, "{key}: {got}, not {number}");
    }
}

#[track_caller]
fn refused(worked: Result<SizingResult, SizingError>, message: &str) {
    assert_eq!(worked.unwrap_err().to_string(), message);
}

fn rc() -> Rc {
    let levels = Levels::new(Volts(5.0), Volts(3.0), Volts(1.5)).ok();
    Rc {
        resistance: Ohms(10e3),
        capacitance: None,
        discharge_resistance: None,
        levels,
        bounce: None,
        resistors: USUAL_RESISTORS,
        capacitors: USUAL_CAPACITORS,
    }
}

#[test]
fn an_rc_filter_is_sized_by_its_exponentials() {
    // 10 kΩ · 1 µF = 10 ms; ln(5/2) = 0.9163, ln(5/1.5) = 1.2040.
    let with = |capacitance| Rc { capacitance: Some(Farads(capacitance)), ..rc() };
    found(with(1e-6).work(), &[("time_constant_s", 0.01), ("delay_up_s", 0.009163), ("delay_down_s", 0.01204)]);
    found(
        Rc { discharge_resistance: Some(Ohms(1e3)), ..with(1e-6) }.work(),
        &[("discharge_time_constant_s", 0.001), ("delay_down_s", 0.001204), ("delay_up_s", 0.009163)],
    );
    // The larger delay holds: 5 ms / (10 kΩ · 1.2040) = 415 nF, and 415 / (0.95 · 0.8) = 546 nF; next above in E6 680 nF.
    found(
        Rc { bounce: Some(Seconds(0.005)), ..rc() }.work(),
        &[
            ("least_capacitance_f", 546.4e-9),
            ("capacitance_f", 680e-9),
            ("delay_up_s", 0.00623),
            ("least_delay_down_s", 0.006222),
            ("most_delay_down_s", 0.010316),
        ],
    );
    refused(Rc { levels: None, ..rc() }.work(), "rc needs a capacitance, or a bounce with supply and both thresholds");
    refused(
        Levels::new(Volts(5.0), Volts(1.5), Volts(3.0)).map(|_| SizingResult::new("", &[])).map_err(Into::into),
        "the thresholds are in the wrong order: it falls at 3 V and rises at 1.5 V, and must rise above where it falls",
    );
}

fn divider() -> Divider {
    Divider {
        supply: Volts(24.0),
        top: Some(Ohms(10e3)),
        bottom: None,
        load: None,
        output: None,
        at_most: None,
        current: Amperes(1e-3),
        tolerance: Share(0.05),
        series: Series::E24,
    }
}

#[test]
fn a_divider_is_sized_loaded_or_not() {
    let with = |bottom| Divider { bottom: Some(Ohms(bottom)), ..divider() };
    found(
        with(1500.0).work(),
        &[
            ("output_v", 3.1304),
            ("current_a", 2.087e-3),
            ("top_dissipation_w", 0.045846),
            ("least_output_v", 2.868),
            ("most_output_v", 3.413),
        ],
    );
    // 1.5 kΩ beside 3 kΩ is 1 kΩ: 24 V / 11.
    found(Divider { load: Some(Ohms(3e3)), ..with(1500.0) }.work(), &[("output_v", 2.1818)]);
    found(Divider { output: Some(Volts(3.3)), ..divider() }.work(), &[("exact_ohm", 1594.2), ("bottom_ohm", 1600.0)]);
    refused(
        Divider { output: Some(Volts(30.0)), ..divider() }.work(),
        "a divider gives less than its supply: it cannot make 30 V from 24 V",
    );
    refused(
        Divider { output: Some(Volts(3.3)), load: Some(Ohms(1e3)), ..divider() }.work(),
        "the load of 1 kΩ alone draws the output below 3.3 V: take a smaller upper resistor",
    );
}

fn pull() -> Pull {
    Pull {
        to: PullTo::Plus,
        supply: Volts(5.0),
        leakage: Some(Amperes(10e-6)),
        high_above: Some(Volts(3.5)),
        low_below: Some(Volts(1.5)),
        most_current: Some(Amperes(4e-3)),
        drop: Volts(0.4),
        capacitance: None,
        rise_time: None,
        resistance: None,
        tolerance: USUAL_RESISTORS,
    }
}

#[test]
fn a_pull_lies_between_leakage_and_current() {
    // (5 − 3.5) V / 10 µA / 1.05 = 142.9 kΩ; 5 V / 4 mA / 0.95 = 1.316 kΩ; between them √(1.316 · 142.9) = 13.7 kΩ.
    found(pull().work(), &[("greatest_ohm", 142_857.0), ("least_ohm", 1315.8), ("resistance_ohm", 13e3)]);
    // 1 µs / (2.197 · 300 pF) / 1.05 = 1.445 kΩ: of E24 there is none between but 1.4 kΩ is none of it.
    let fast = Pull { capacitance: Some(Farads(250e-12)), rise_time: Some(Seconds(1e-6)), ..pull() };
    found(fast.work(), &[("greatest_ohm", 1733.8), ("resistance_ohm", 1500.0)]);
    found(Pull { to: PullTo::Zero, ..pull() }.work(), &[("greatest_ohm", 142_857.0)]);
    // 330 Ω at hand: 5 V / 313.5 Ω, and 79.7 mW, so that 0.25 W are used by half at most.
    let at_hand = Pull { resistance: Some(Ohms(330.0)), ..pull() }.work();
    found(at_hand.clone(), &[("greatest_current_a", 0.015949), ("dissipation_w", 0.079745), ("rating_w", 0.25)]);
    assert_eq!(at_hand.unwrap().notes, ["330 Ω is too small for the output: use more than 1.32 kΩ"]);
    refused(
        Pull { leakage: Some(Amperes(2e-3)), ..pull() }.work(),
        "no resistor does both: it must be above 1.32 kΩ for the output and below 714 Ω for leakage and speed",
    );
    refused(
        Pull { high_above: Some(Volts(1.0)), ..pull() }.work(),
        "the thresholds are in the wrong order: low below 1.5 V and high above 1 V",
    );
}

#[test]
fn an_led_gets_the_next_resistor_above() {
    let led = Led {
        supply: Volts(24.0),
        forward: Volts(2.0),
        in_row: 1,
        current: Some(Amperes(0.01)),
        resistance: None,
        tolerance: USUAL_RESISTORS,
        series: Series::E24,
    };
    // 22 V / 10 mA / 0.95 = 2.316 kΩ; 22² / (2.4 kΩ · 0.95).
    found(
        led.work(),
        &[("exact_ohm", 2200.0), ("resistance_ohm", 2400.0), ("dissipation_w", 0.21228), ("rating_w", 0.5)],
    );
    found(
        Led { in_row: 3, ..led }.work(),
        &[("exact_ohm", 1800.0), ("resistance_ohm", 2000.0), ("actual_current_a", 0.009)],
    );
    let at_hand = Led { resistance: Some(Ohms(2200.0)), current: None, ..led };
    found(at_hand.work(), &[("actual_current_a", 0.01), ("least_current_a", 0.0095238), ("most_current_a", 0.010526)]);
    refused(
        Led { in_row: 12, ..led }.work(),
        "24 V is not more than the forward voltage of 24 V: nothing is left for a resistor",
    );
}

#[test]
fn a_driven_pin_a_source_and_a_chain_by_hand() {
    // 24 V / (950 Ω + 50 Ω); 10 mA need (2400 − 50) / 0.95 = 2474 Ω.
    let drive = Drive {
        supply: Volts(24.0),
        series: Some(Ohms(1e3)),
        output: Some(Ohms(50.0)),
        most_current: Some(Amperes(0.01)),
        tolerance: USUAL_RESISTORS,
    };
    found(
        drive.work(),
        &[("current_a", 0.024), ("dissipation_w", 0.5472), ("least_ohm", 2473.7), ("resistance_ohm", 2700.0)],
    );
    refused(
        Drive { series: None, output: None, most_current: None, ..drive }.work(),
        "drive needs the resistor in the wire, the pin's own resistance, or the current that pin rating",
    );
    // 0.6 V at 100 mA: 6 Ω; 24 / 6 = 4 A; 3 V less at 500 mA.
    let source = Source { idle: Volts(24.0), loaded: Volts(23.4), current: Amperes(0.1), at: Some(Amperes(0.5)) };
    found(source.work(), &[("source_ohm", 6.0), ("short_circuit_a", 4.0), ("at_v", 21.0), ("sag_percent", 2.5)]);
    refused(
        Source { loaded: Volts(24.0), ..source }.work(),
        "24 V with the load is not below 24 V without: the source does not sag, so nothing tells its resistance",
    );
    let chain =
        Registers { switches: 17, clock: Hertz(100e3), shortest: Some(Seconds(2e-3)), scan: Some(Seconds(1e-3)) };
    found(
        chain.work(),
        &[("registers", 3.0), ("unused_inputs", 7.0), ("pins", 3.0), ("frame_s", 240e-6), ("slowest_scan_s", 2e-3)],
    );
    refused(Registers { switches: 0, ..chain }.work(), "0 switches: 1 to 100,000 can be read by a chain");
}

#[test]
fn a_capture_timer_is_sized_by_its_tick() {
    let timer = Capture { clock: Hertz(48e6), prescale: Some(480), bits: 16, at: Some(Hertz(40.0)), slowest: None };
    // 480 / 48 MHz = 10 µs; 65,536 of them 655.36 ms; 40² · 10 µs = 16 mHz.
    found(timer.work(), &[("tick_s", 1e-5), ("wrap_s", 0.65536), ("slowest_hz", 1.52590), ("resolution_hz", 0.016)]);
    let wanted = Capture { prescale: None, slowest: Some(Hertz(1.0)), at: None, ..timer };
    found(wanted.work(), &[("prescale", 733.0), ("prescale_power_of_two", 1024.0)]);
    refused(Capture { bits: 0, ..timer }.work(), "a timer cannot have 0 bits: use 1 to 64");
    refused(Capture { prescale: Some(0), ..timer }.work(), "a prescaler of 0 stops the clock");
}

#[test]
fn polling_is_sized_by_the_shortest_pulse() {
    let poll = Poll { shortest: Some(Seconds(0.002)), period: Some(Seconds(0.005)), readings: 1, chain: None };
    found(poll.work(), &[("slowest_period_s", 0.002), ("missed_percent", 60.0), ("latest_s", 0.005)]);
    found(Poll { readings: 2, period: None, ..poll }.work(), &[("slowest_period_s", 0.001)]);
    let chain = Some((16, Hertz(125e3)));
    found(Poll { chain, ..poll }.work(), &[("chain_s", 128e-6)]);
    refused(
        Poll { chain: Some((16, Hertz(1e3))), ..poll }.work(),
        "a frame takes 16 ms, longer than the period of 5 ms",
    );
}

fn speed() -> SpeedGiven {
    SpeedGiven {
        pulses_per_rev: 6.0,
        from: Speed::Rpm(10.0),
        to: Speed::Rpm(130.0),
        window: Some(Seconds(1.0)),
        tick: Seconds(1e-6),
        resolution_rpm: None,
        update: None,
        limit: None,
    }
}

#[test]
fn a_speed_is_sized_by_what_one_count_is_worth() {
    found(
        speed().work(),
        &[
            ("slowest_hz", 1.0),
            ("fastest_hz", 13.0),
            ("count_worth_rpm", 10.0),
            ("timing_better_below_hz", 1000.0),
            ("period_resolution_fast_rpm", 1.69e-3),
        ],
    );
    let wanted = SpeedGiven { resolution_rpm: Some(1.0), update: Some(Seconds(0.5)), ..speed() };
    let worked = wanted.work().unwrap();
    assert_eq!(worked.number("gate_window_s"), Some(10.0));
    assert!(worked.found.iter().any(|value| value.key == "method" && value.amount.to_string() == "auto"));
    assert!(worked.notes.iter().any(|note| note.contains("not every reading")), "{:?}", worked.notes);
    refused(SpeedGiven { pulses_per_rev: 0.0, ..speed() }.work(), "`pulses_per_rev` must be above zero");
    let turned = SpeedGiven { from: Speed::Rpm(200.0), ..speed() };
    refused(turned.work(), "the speeds are in the wrong order: from 200 rpm to 130 rpm");
}

fn tension(known: KnownEnd) -> Loop {
    Loop {
        signal: Signal::FOUR_TO_TWENTY,
        units: (0.0, 5000.0),
        known,
        shunt: Some(Ohms(250.0)),
        tolerance: Share(0.001),
        converter: Some((4095.0, Volts(5.0))),
    }
}

#[test]
fn a_loop_goes_from_current_to_units_to_counts() {
    found(
        tension(KnownEnd::Current(Amperes(0.012))).work(),
        &[("units", 2500.0), ("percent", 50.0), ("shunt_v", 3.0), ("counts", 2457.0)],
    );
    let note = |milliamperes: f64| tension(KnownEnd::Current(Amperes(milliamperes / 1e3))).work().unwrap().notes;
    for (current, words) in [
        (0.0, "no current"),
        (0.5, "a fault"),
        (3.6, "a fault"),
        (3.7, "between"),
        (3.8, "within"),
        (20.5, "within"),
        (20.51, "between"),
        (21.0, "a fault"),
        (22.5, "a fault"),
    ] {
        assert!(note(current).iter().any(|note| note.starts_with(words)), "{current}: {:?}", note(current));
    }
    let volts = Loop { signal: "0-10V".parse().unwrap(), ..tension(KnownEnd::Current(Amperes(0.01))) };
    refused(volts.work(), "0-10V is a voltage: give it in volts");
}

fn comparator(inverting: bool) -> Hysteresis {
    Hysteresis {
        inverting,
        output_high: Volts(5.0),
        output_low: Volts(0.0),
        feedback: Ohms(100e3),
        input: Some(Ohms(10e3)),
        reference: Some(Volts(2.5)),
        wanted: None,
        tolerance: USUAL_RESISTORS,
    }
}

#[test]
fn a_comparator_switches_where_its_currents_balance() {
    found(comparator(false).work(), &[("rise_at_v", 2.75), ("fall_at_v", 2.25)]);
    found(comparator(true).work(), &[("rise_at_v", 2.7273), ("fall_at_v", 2.2727)]);
    let turned =
        Hysteresis { input: None, reference: None, wanted: Some((Volts(2.0), Volts(3.0))), ..comparator(false) };
    refused(turned.work(), "the thresholds are in the wrong order: it rises at 2 V and falls at 3 V");
}

fn bands(text: &str) -> Vec<Colour> {
    text.split(' ').map(|colour| colour.parse().unwrap()).collect()
}

#[test]
fn bands_are_read_by_the_standards_table() {
    let three = Colours::Bands(bands("yellow violet red")).work();
    found(three, &[("resistance_ohm", 4700.0), ("tolerance_percent", 20.0), ("least_ohm", 3760.0)]);
    for (text, ohms, percent, drift) in [
        ("yellow violet red gold", 4700.0, 5.0, None),
        ("brown black black red brown", 10e3, 1.0, None),
        ("brown green gold silver", 1.5, 10.0, None),
        ("red red blue silver green brown", 2.26, 0.5, Some(100)),
        ("Gray red black gold", 82.0, 5.0, None),
    ] {
        let (resistance, tolerance, drifts) = colours::read(&bands(text)).unwrap();
        assert!((resistance.0 / ohms - 1.0).abs() < 1e-9 && (tolerance.0 * 100.0 - percent).abs() < 1e-9, "{text}");
        assert_eq!(drifts, drift, "{text}");
    }
    let outside = Colours::Bands(bands("yellow blue red gold")).work().unwrap();
    assert!(outside.notes.iter().any(|note| note.contains("not in E24")), "{:?}", outside.notes);
    for (text, message) in [
        ("gold red red gold", "band 1 cannot be gold: it is a digit, black to white"),
        ("red red red black", "band 4 cannot be black: it is the tolerance"),
        ("red red", "2 bands: a resistor has three to six"),
        ("black black red gold", "all digits are black: that is a wire link, not a resistor"),
    ] {
        refused(Colours::Bands(bands(text)).work(), message);
    }
    assert_eq!("viole".parse::<Colour>(), Err("`viole` is not a band colour: did you mean `violet`?".to_owned()));
    let fine = Colours::Value { resistance: Ohms(12_345.0), tolerance: Share(0.01) };
    refused(fine.work(), "a resistor has three digits at most: the nearest to it is 12.3 kΩ");
}

#[test]
fn the_series_are_those_of_the_standard() {
    assert_eq!(Series::E6.decade(), [100, 150, 220, 330, 470, 680]);
    assert_eq!(Series::E48.decade()[..6], [100, 105, 110, 115, 121, 127]);
    assert_eq!(Series::E192.decade()[184..188], [909, 920, 931, 942]);
    for (name, series) in ALL {
        assert_eq!(format!("E{}", series.decade().len()), name);
        assert_eq!(name.parse(), Ok(series));
    }
    assert_eq!((Series::E24.below(1594.2), Series::E24.above(1594.2)), (1500.0, 1600.0));
    assert_eq!((Series::E6.below(9.9), Series::E6.above(9.9)), (6.8, 10.0));
}

proptest! {
    #[test]
    fn a_preferred_value_is_its_own_neighbour_and_others_lie_between(
        step in 0..192usize, power in -3..6i32, which in 0..6usize, value in 0.01..1e6f64,
    ) {
        let (_, series) = ALL[which];
        let decade = series.decade();
        let preferred = f64::from(decade[step % decade.len()]) * 10f64.powi(power);
        prop_assert!((series.below(preferred) / preferred - 1.0).abs() < 1e-9);
        prop_assert!((series.above(preferred) / preferred - 1.0).abs() < 1e-9);
        prop_assert!(series.below(value) <= value * 1.000_001 && value <= series.above(value) * 1.000_001);
        prop_assert!(series.above(value) / series.below(value) < 1.6);
    }

    #[test]
    fn a_capacitor_for_a_bounce_outlasts_it(
        kiloohms in 1.0..100.0f64, discharge in 1.0..100.0f64, bounce in 1e-4..0.1f64, fall in 0.5..2.0f64, rise in 2.1..4.5f64,
    ) {
        let filter = Rc {
            resistance: Ohms(kiloohms * 1e3),
            discharge_resistance: Some(Ohms(discharge * 1e3)),
            capacitance: None,
            levels: Levels::new(Volts(5.0), Volts(rise), Volts(fall)).ok(),
            bounce: Some(Seconds(bounce)),
            ..rc()
        };
        let worked = filter.work().unwrap();
        let least = ["least_delay_up_s", "least_delay_down_s"].map(|key| worked.number(key).unwrap());
        prop_assert!(least.iter().any(|delay| *delay > bounce), "{:?}", least);
    }

    #[test]
    fn a_divider_found_gives_the_output_wanted(top in 1e2..1e6f64, output in 0.1..23.9f64, load in 1e3..1e7f64) {
        let given = Divider { top: Some(Ohms(top)), output: Some(Volts(output)), load: Some(Ohms(load)), ..divider() };
        let Ok(found) = given.work() else { return Ok(()) };
        let exact = Ohms(found.number("exact_ohm").unwrap());
        let back = Divider { top: Some(Ohms(top)), bottom: Some(exact), load: Some(Ohms(load)), ..divider() }.work();
        prop_assert!((back.unwrap().number("output_v").unwrap() - output).abs() < 1e-6 * output);
    }

    #[test]
    fn a_divider_for_a_limit_stays_below_it_at_every_corner_and_close(supply in 3.0..60.0f64, share in 0.05..0.95f64) {
        let limit = supply * share;
        let given = Divider { supply: Volts(supply), top: None, at_most: Some(Volts(limit)), ..divider() };
        let worked = given.work().unwrap();
        let most = worked.number("most_output_v").unwrap();
        prop_assert!(most < limit && most > 0.9 * limit, "{most} of {limit}");
    }

    #[test]
    fn a_prescaler_found_does_not_wrap_and_one_less_does(clock in 1e3..1e9f64, bits in 4..33u32, slowest in 0.01..1e3f64) {
        let given = Capture { clock: Hertz(clock), prescale: None, bits, at: None, slowest: Some(Hertz(slowest)) };
        let prescale = given.work().unwrap().number("prescale").unwrap();
        let turn = |prescale: f64| prescale / clock * 2f64.powi(bits as i32);
        prop_assert!(turn(prescale) * slowest > 1.0 && turn(prescale - 1.0) * slowest <= 1.0 + 1e-9);
    }

    #[test]
    fn a_loop_goes_there_and_back(units in -100.0..6000.0f64, volts in any::<bool>()) {
        let given = Loop { signal: if volts { "1-5V".parse().unwrap() } else { Signal::FOUR_TO_TWENTY }, ..tension(KnownEnd::Units(units)) };
        let there = given.work().unwrap();
        let back = Loop { known: KnownEnd::Counts(there.number("counts").unwrap()), ..given };
        prop_assert!((back.work().unwrap().number("units").unwrap() - units).abs() < 1e-6);
    }

    #[test]
    fn a_comparator_found_switches_where_wanted(inverting in any::<bool>(), fall in 0.5..2.0f64, width in 0.1..2.5f64) {
        let wanted = Some((Volts(fall + width), Volts(fall)));
        let given = Hysteresis { input: None, reference: None, wanted, ..comparator(inverting) };
        let found = given.work().unwrap();
        let exact = Ohms(found.number("exact_ohm").unwrap());
        let (rise, low) = given.thresholds(exact, Volts(found.number("reference_v").unwrap()));
        prop_assert!((rise.0 - fall - width).abs() < 1e-9 && (low.0 - fall).abs() < 1e-9, "{} {}", rise, low);
    }

    #[test]
    fn bands_of_a_value_mean_that_value(step in 0..192usize, power in -2..7i32, which in 1..6usize) {
        let (_, series) = ALL[which];
        let percent = [10.0, 5.0, 2.0, 1.0, 0.5][which - 1];
        let decade = series.decade();
        let resistance = Ohms(f64::from(decade[step % decade.len()]) * 10f64.powi(power));
        let worked = Colours::Value { resistance, tolerance: Share(percent / 100.0) }.work().unwrap();
        let told = worked.found[0].amount.to_string();
        let (back, tolerance, _) = colours::read(&bands(&told)).unwrap();
        prop_assert!((back.0 / resistance.0 - 1.0).abs() < 1e-9, "{}", told);
        prop_assert!((tolerance.0 * 100.0 - percent).abs() < 1e-9, "{}", told);
    }
}
