use crate::support::Place;

#[test]
fn a_sum_is_told_with_what_was_given_and_its_formula() {
    let place = Place::new();
    let mut said = String::new();
    for sum in [
        "rc --resistance 10k --supply 5V --rise-at 3V --fall-at 1.5V --bounce 5ms",
        "divider --supply 24V --top 10k --output 3.3V",
        "divider --supply 24V --at-most 3.3V",
        "drive --supply 24V --series 1k --most-current 20mA",
        "source --idle 24V --loaded 23.4V --current 100mA --at 500mA",
        "registers --switches 17 --shortest 2ms --scan 1ms",
        "led --supply 24V --forward 2V --resistance 2k2",
        "loop --signal 0.5-4.5V --low 0 --high 10 --voltage 1.234V",
        "pull --to plus --supply 5V --leakage 10uA --high-above 3.5V --most-current 4mA --cable 20m --rise-time 10us",
        "led --supply 24V --forward 2V --current 10mA",
        "colours --value 4k7 --tolerance 1%",
        "speed --pulses-per-rev 6 --from 10rpm --to 130rpm --resolution 1rpm --update 500ms --limit 1kHz",
        "capture --clock 48MHz --prescale 480 --at 40Hz",
        "poll --shortest 2ms --period 5ms --chain-bits 16 --clock 125kHz",
        "loop --low 0 --high 5000 --value 2500 --shunt 250 --full 4095 --span 5V",
        "hysteresis --output-high 5V --rise-at 3V --fall-at 2V --inverting",
    ] {
        let run = place.reigen(&format!("size {sum}"));
        assert_eq!(run.code, 0, "{sum}: {}", run.stderr);
        said += &format!("$ reigen size {sum}\n{}\n", run.whole());
    }
    insta::assert_snapshot!(said);
}

#[test]
fn json_names_every_number_with_its_unit() {
    let json = Place::new().reigen("size divider --supply 24V --top 10k --bottom 1k5 --json").json();
    insta::assert_json_snapshot!(json);
}

#[test]
fn what_cannot_be_worked_is_refused_in_a_sentence() {
    let place = Place::new();
    let mut said = String::new();
    for sum in [
        "rc --resistance=-10k --capacitance 1uF",
        "rc --resistance 10k",
        "rc --resistance 10k --capacitance 1uF --supply 5V --rise-at 1V --fall-at 2V",
        "divider --supply 3.3V --top 10k --output 5V",
        "speed --pulses-per-rev 0 --from 10rpm --to 130rpm",
        "speed --pulses-per-rev 6 --from 10 --to 130rpm",
        "loop --low 0 --high 100 --current 12",
        "loop --low 5 --high 5 --current 12mA",
        "loop --signal 4-20V --low 0 --high 100 --current 12mA",
        "colours brown blak red gold",
        "colours brown black",
        "poll",
        "capture --clock 48MHz",
        "led --supply 2V --forward 2V --current 10mA",
        "divider --supply 24V --top 10k --bottom 1k --tolerance 120%",
        "resistor",
    ] {
        let run = place.reigen(&format!("size {sum}"));
        assert_eq!(run.code, 2, "{sum}: {}", run.whole());
        let message = run.stderr.lines().next().unwrap_or_default();
        said += &format!("$ reigen size {sum}\n{message}\n");
    }
    insta::assert_snapshot!(said);
}
