//! The command line of `reigen size`.

use super::reading::finite;
use clap::{ArgGroup, Args, Subcommand, ValueEnum};
use reigen_core::analog::signal::Signal;
use reigen_core::units::{Amperes, Farads, Hertz, Metres, Ohms, Seconds, Share, Speed, Volts};
use reigen_station::sizing::capture::Capture;
use reigen_station::sizing::colours::{Colour, Colours};
use reigen_station::sizing::current_loop::{KnownEnd, Loop};
use reigen_station::sizing::divider::Divider;
use reigen_station::sizing::drive::Drive;
use reigen_station::sizing::hysteresis::Hysteresis;
use reigen_station::sizing::led::Led;
use reigen_station::sizing::poll::Poll;
use reigen_station::sizing::pull::{Pull, PullTo};
use reigen_station::sizing::rc::{Levels, Rc};
use reigen_station::sizing::registers::Registers;
use reigen_station::sizing::series::Series;
use reigen_station::sizing::source::Source;
use reigen_station::sizing::speed::SpeedGiven;
use reigen_station::sizing::{SizingError, SizingResult};
use reigen_station::wiring::CABLE_FARADS_PER_METRE;

/// Everyday calculations: which resistor, capacitor, window, timer, period.
#[derive(Debug, Args)]
#[command(after_help = "\
Values are typed as they are written: 10k, 4k7, 2.2 kΩ, 100nF, 24V, 15mA.

Examples:
  reigen size rc --resistance 10k --supply 5V --rise-at 3V --fall-at 1.5V --bounce 5ms
  reigen size divider --supply 24V --at-most 3.3V
  reigen size led --supply 24V --forward 2V --resistance 2k2
  reigen size speed --pulses-per-rev 6 --from 10rpm --to 130rpm --window 1s
  reigen size colours yellow violet red gold --json")]
pub(crate) struct SizeArguments {
    #[command(subcommand)]
    pub(crate) sum: Sum,
    /// Print the result as JSON
    #[arg(long, global = true)]
    pub(crate) json: bool,
}

/// The sums.
#[derive(Debug, Subcommand)]
pub(crate) enum Sum {
    Rc(RcArguments),
    Divider(DividerArguments),
    Pull(PullArguments),
    Led(LedArguments),
    Colours(ColoursArguments),
    Speed(SpeedArguments),
    Capture(CaptureArguments),
    Poll(PollArguments),
    Loop(LoopArguments),
    Hysteresis(HysteresisArguments),
    Drive(DriveArguments),
    Source(SourceArguments),
    Registers(RegistersArguments),
}

/// A resistor and a capacitor before a switching input: delays, or the capacitor for a bounce
#[derive(Debug, Args)]
pub(crate) struct RcArguments {
    /// Through which it charges
    #[arg(long, value_name = "R")]
    resistance: Ohms,
    /// The capacitor; without it, one is looked for
    #[arg(long, value_name = "C")]
    capacitance: Option<Farads>,
    /// Through which it discharges, where that is another
    #[arg(long, value_name = "R")]
    discharge_resistance: Option<Ohms>,
    /// What it charges to
    #[arg(long, value_name = "V", requires_all = ["rise_at", "fall_at"])]
    supply: Option<Volts>,
    /// The input goes high above this
    #[arg(long, value_name = "V", requires = "supply")]
    rise_at: Option<Volts>,
    /// The input goes low below this
    #[arg(long, value_name = "V", requires = "supply")]
    fall_at: Option<Volts>,
    /// The bounce that the capacitor is to swallow
    #[arg(long, value_name = "TIME", requires = "supply")]
    bounce: Option<Seconds>,
    /// Tolerance of the resistors
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
    /// Tolerance of the capacitor
    #[arg(long, value_name = "PERCENT", default_value = "20%")]
    capacitor_tolerance: Share,
}

/// Two resistors that bring a voltage down: the output, the resistor for it, or both resistors
#[derive(Debug, Args)]
pub(crate) struct DividerArguments {
    /// The voltage above it
    #[arg(long, value_name = "V")]
    supply: Volts,
    /// The upper resistor
    #[arg(long, value_name = "R")]
    top: Option<Ohms>,
    /// The lower resistor
    #[arg(long, value_name = "R")]
    bottom: Option<Ohms>,
    /// What loads the lower one
    #[arg(long, value_name = "R")]
    load: Option<Ohms>,
    /// The output that is wanted
    #[arg(long, value_name = "V", allow_hyphen_values = true)]
    output: Option<Volts>,
    /// The output that must not be exceeded: both resistors are chosen
    #[arg(long, value_name = "V", conflicts_with_all = ["top", "bottom", "output", "load"])]
    at_most: Option<Volts>,
    /// With --at-most: what both resistors together may draw
    #[arg(long, value_name = "I", default_value = "1mA", requires = "at_most")]
    current: Amperes,
    /// Tolerance of both resistors
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
    /// The series that the resistor is taken from (IEC 60063)
    #[arg(long, value_name = "E6…E192", default_value = "E24")]
    series: Series,
}

/// The range of a pull-up or pull-down: leakage and speed bound it above, the output's current below
#[derive(Debug, Args)]
pub(crate) struct PullArguments {
    /// Where it leads: plus is a pull-up, zero a pull-down
    #[arg(long, value_enum)]
    to: To,
    /// The supply
    #[arg(long, value_name = "V")]
    supply: Volts,
    /// What flows through it though nothing is switched
    #[arg(long, value_name = "I")]
    leakage: Option<Amperes>,
    /// The input is certainly high above this
    #[arg(long, value_name = "V")]
    high_above: Option<Volts>,
    /// The input is certainly low below this
    #[arg(long, value_name = "V")]
    low_below: Option<Volts>,
    /// What the output that works against it can carry
    #[arg(long, value_name = "I")]
    most_current: Option<Amperes>,
    /// What is lost across that output
    #[arg(long, value_name = "V", default_value = "0 V")]
    drop: Volts,
    /// Of cable and input together
    #[arg(long, value_name = "C", conflicts_with = "cable")]
    capacitance: Option<Farads>,
    /// The cable, at 100 pF a metre
    #[arg(long, value_name = "LENGTH")]
    cable: Option<Metres>,
    /// How fast the level must return, from 10 % to 90 %
    #[arg(long, value_name = "TIME")]
    rise_time: Option<Seconds>,
    /// The resistor at hand: what flows through it, and what it dissipates
    #[arg(long, value_name = "R")]
    resistance: Option<Ohms>,
    /// Tolerance of the resistor
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
}

#[derive(Debug, Clone, Copy, ValueEnum)]
enum To {
    Plus,
    Zero,
}

/// The resistor before a light-emitting diode
#[derive(Debug, Args)]
pub(crate) struct LedArguments {
    /// The supply
    #[arg(long, value_name = "V")]
    supply: Volts,
    /// The forward voltage of one LED
    #[arg(long, value_name = "V")]
    forward: Volts,
    /// How many are in a row
    #[arg(long, value_name = "N", default_value_t = 1)]
    in_row: u32,
    /// The greatest current that is wanted
    #[arg(long, value_name = "I", required_unless_present = "resistance")]
    current: Option<Amperes>,
    /// The resistor at hand: what flows through it, and what it dissipates
    #[arg(long, value_name = "R")]
    resistance: Option<Ohms>,
    /// Tolerance of the resistor
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
    /// The series that the resistor is taken from (IEC 60063)
    #[arg(long, value_name = "E6…E192", default_value = "E24")]
    series: Series,
}

/// The bands of a resistor: their value, or the bands of a value (IEC 60062)
#[derive(Debug, Args)]
#[command(group = ArgGroup::new("asked").required(true).args(["bands", "value"]))]
pub(crate) struct ColoursArguments {
    /// Three to six colours, from the end where they are closer
    #[arg(value_name = "COLOUR")]
    bands: Vec<Colour>,
    /// The value whose bands are wanted
    #[arg(long, value_name = "R")]
    value: Option<Ohms>,
    /// Its tolerance
    #[arg(long, value_name = "PERCENT", default_value = "5%", conflicts_with = "bands")]
    tolerance: Share,
}

/// What one count is worth, where timing is finer than counting, and which method suits
#[derive(Debug, Args)]
pub(crate) struct SpeedArguments {
    /// Pulses in one revolution
    #[arg(long, value_parser = finite, value_name = "N")]
    pulses_per_rev: f64,
    /// The slowest speed, such as 10rpm or 1Hz
    #[arg(long, value_name = "SPEED")]
    from: Speed,
    /// The fastest speed
    #[arg(long, value_name = "SPEED")]
    to: Speed,
    /// A gate in which pulses are counted
    #[arg(long, value_name = "TIME")]
    window: Option<Seconds>,
    /// One step of the clock that times periods
    #[arg(long, value_name = "TIME", default_value = "1 us")]
    tick: Seconds,
    /// The resolution that is wanted, such as 1rpm
    #[arg(long, value_name = "SPEED")]
    resolution: Option<Speed>,
    /// How often a reading is wanted
    #[arg(long, value_name = "TIME")]
    update: Option<Seconds>,
    /// The highest frequency that the input takes
    #[arg(long, value_name = "F")]
    limit: Option<Hertz>,
}

/// A capture timer: tick, wrap, slowest frequency, resolution; or its prescaler
#[derive(Debug, Args)]
pub(crate) struct CaptureArguments {
    /// The clock before the prescaler
    #[arg(long, value_name = "F")]
    clock: Hertz,
    /// What the clock is divided by
    #[arg(long, value_name = "N")]
    prescale: Option<u64>,
    /// How many bits the counter has
    #[arg(long, value_name = "N", default_value_t = 16)]
    bits: u32,
    /// A frequency to tell the resolution at
    #[arg(long, value_name = "F")]
    at: Option<Hertz>,
    /// The slowest frequency, to find the prescaler that measures it
    #[arg(long, value_name = "F")]
    slowest: Option<Hertz>,
}

/// The polling or scan period that catches a pulse, what another misses, the time a chain takes
#[derive(Debug, Args)]
pub(crate) struct PollArguments {
    /// The shortest pulse that must be seen, either level
    #[arg(long, value_name = "TIME")]
    shortest: Option<Seconds>,
    /// The period that is there
    #[arg(long, value_name = "TIME")]
    period: Option<Seconds>,
    /// How many equal readings in a row are wanted
    #[arg(long, value_name = "N", default_value_t = 1)]
    readings: u32,
    /// Bits of a shift-register chain
    #[arg(long, value_name = "N", requires = "clock")]
    chain_bits: Option<u32>,
    /// The chain's clock
    #[arg(long, value_name = "F", requires = "chain_bits")]
    clock: Option<Hertz>,
}

/// An analog signal to units, counts and shunt volts, and back; 4–20 mA with the limits of NE 43
#[derive(Debug, Args)]
#[command(group = ArgGroup::new("known").required(true).args(["current", "voltage", "value", "counts"]))]
pub(crate) struct LoopArguments {
    /// Both ends with their unit: 4-20mA, 0-20mA, 0-10V, 0.5-4.5V
    #[arg(long, default_value = "4-20mA")]
    signal: Signal,
    /// The units at its start
    #[arg(long, value_parser = finite, value_name = "NUMBER", allow_negative_numbers = true)]
    low: f64,
    /// The units at its end
    #[arg(long, value_parser = finite, value_name = "NUMBER", allow_negative_numbers = true)]
    high: f64,
    /// The current that flows
    #[arg(long, value_name = "I")]
    current: Option<Amperes>,
    /// The voltage, of a voltage signal or across the shunt
    #[arg(long, value_name = "V", allow_hyphen_values = true)]
    voltage: Option<Volts>,
    /// The value in units
    #[arg(long, value_parser = finite, value_name = "NUMBER", allow_negative_numbers = true)]
    value: Option<f64>,
    /// The counts that the converter gave
    #[arg(long, value_parser = finite, value_name = "N", requires = "full")]
    counts: Option<f64>,
    /// The resistor that makes a voltage of the current
    #[arg(long, value_name = "R")]
    shunt: Option<Ohms>,
    /// Tolerance of that resistor
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
    /// The converter's counts at full scale
    #[arg(long, value_parser = finite, value_name = "N", requires = "span")]
    full: Option<f64>,
    /// The converter's voltage at full scale
    #[arg(long, value_name = "V", requires = "full")]
    span: Option<Volts>,
}

/// A comparator with feedback: its thresholds, or resistor and reference for them
#[derive(Debug, Args)]
pub(crate) struct HysteresisArguments {
    /// The signal goes to the minus input, the reference through R1
    #[arg(long)]
    inverting: bool,
    /// The output's high level
    #[arg(long, value_name = "V")]
    output_high: Volts,
    /// The output's low level
    #[arg(long, value_name = "V", default_value = "0 V", allow_hyphen_values = true)]
    output_low: Volts,
    /// R2, from the output to the plus input
    #[arg(long, value_name = "R", default_value = "100k")]
    feedback: Ohms,
    /// R1, to the plus input
    #[arg(long, value_name = "R", requires = "reference")]
    input: Option<Ohms>,
    /// The reference
    #[arg(long, value_name = "V", requires = "input", allow_hyphen_values = true)]
    reference: Option<Volts>,
    /// The wanted upper threshold
    #[arg(long, value_name = "V", requires = "fall_at", conflicts_with = "input", allow_hyphen_values = true)]
    rise_at: Option<Volts>,
    /// The wanted lower threshold
    #[arg(long, value_name = "V", requires = "rise_at", conflicts_with = "input", allow_hyphen_values = true)]
    fall_at: Option<Volts>,
    /// Tolerance of both resistors
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
}

/// The current if a pin is driven by mistake against what is wired to it
#[derive(Debug, Args)]
pub(crate) struct DriveArguments {
    /// The voltage between both sides
    #[arg(long, value_name = "V")]
    supply: Volts,
    /// The resistor in the wire
    #[arg(long, value_name = "R")]
    series: Option<Ohms>,
    /// The resistance of the pin's own output
    #[arg(long, value_name = "R")]
    output: Option<Ohms>,
    /// The current that pin rating
    #[arg(long, value_name = "I")]
    most_current: Option<Amperes>,
    /// Tolerance of the resistor
    #[arg(long, value_name = "PERCENT", default_value = "5%")]
    tolerance: Share,
}

/// The resistance of a source, from how far it sags under a load
#[derive(Debug, Args)]
pub(crate) struct SourceArguments {
    /// The voltage without load
    #[arg(long, value_name = "V")]
    idle: Volts,
    /// The voltage with the load
    #[arg(long, value_name = "V")]
    loaded: Volts,
    /// The current of that load
    #[arg(long, value_name = "I")]
    current: Amperes,
    /// Another load, to tell the voltage at it
    #[arg(long, value_name = "I")]
    at: Option<Amperes>,
}

/// Shift registers and pins for so many switches, and the scan that their chain bears
#[derive(Debug, Args)]
pub(crate) struct RegistersArguments {
    /// How many switches are to be read
    #[arg(long, value_name = "N")]
    switches: u64,
    /// The chain's clock
    #[arg(long, value_name = "F", default_value = "100kHz")]
    clock: Hertz,
    /// The shortest pulse that must be seen
    #[arg(long, value_name = "TIME")]
    shortest: Option<Seconds>,
    /// The scan that reads the chain once
    #[arg(long, value_name = "TIME")]
    scan: Option<Seconds>,
}

impl Sum {
    /// Works the sum.
    pub(crate) fn work(&self) -> Result<SizingResult, SizingError> {
        match self {
            Sum::Rc(given) => given.work(),
            Sum::Divider(given) => Divider {
                supply: given.supply,
                top: given.top,
                bottom: given.bottom,
                load: given.load,
                output: given.output,
                at_most: given.at_most,
                current: given.current,
                tolerance: given.tolerance,
                series: given.series,
            }
            .work(),
            Sum::Pull(given) => given.work(),
            Sum::Led(given) => Led {
                supply: given.supply,
                forward: given.forward,
                in_row: given.in_row,
                current: given.current,
                resistance: given.resistance,
                tolerance: given.tolerance,
                series: given.series,
            }
            .work(),
            Sum::Colours(given) => match given.value {
                Some(resistance) => Colours::Value { resistance, tolerance: given.tolerance }.work(),
                None => Colours::Bands(given.bands.clone()).work(),
            },
            Sum::Speed(given) => given.work(),
            Sum::Capture(given) => Capture {
                clock: given.clock,
                prescale: given.prescale,
                bits: given.bits,
                at: given.at,
                slowest: given.slowest,
            }
            .work(),
            Sum::Poll(given) => Poll {
                shortest: given.shortest,
                period: given.period,
                readings: given.readings,
                chain: given.chain_bits.zip(given.clock),
            }
            .work(),
            Sum::Loop(given) => given.work(),
            Sum::Hysteresis(given) => Hysteresis {
                inverting: given.inverting,
                output_high: given.output_high,
                output_low: given.output_low,
                feedback: given.feedback,
                input: given.input,
                reference: given.reference,
                wanted: given.rise_at.zip(given.fall_at),
                tolerance: given.tolerance,
            }
            .work(),
            Sum::Drive(given) => Drive {
                supply: given.supply,
                series: given.series,
                output: given.output,
                most_current: given.most_current,
                tolerance: given.tolerance,
            }
            .work(),
            Sum::Source(given) => {
                Source { idle: given.idle, loaded: given.loaded, current: given.current, at: given.at }.work()
            }
            Sum::Registers(given) => {
                Registers { switches: given.switches, clock: given.clock, shortest: given.shortest, scan: given.scan }
                    .work()
            }
        }
    }
}

impl RcArguments {
    fn work(&self) -> Result<SizingResult, SizingError> {
        let levels = match (self.supply, self.rise_at, self.fall_at) {
            (Some(supply), Some(rise_at), Some(fall_at)) => Some(Levels::new(supply, rise_at, fall_at)?),
            _ => None,
        };
        Rc {
            resistance: self.resistance,
            capacitance: self.capacitance,
            discharge_resistance: self.discharge_resistance,
            levels,
            bounce: self.bounce,
            resistors: self.tolerance,
            capacitors: self.capacitor_tolerance,
        }
        .work()
    }
}

impl PullArguments {
    fn work(&self) -> Result<SizingResult, SizingError> {
        let cable = self.cable.filter(|cable| cable.0 > 0.0).map(|cable| Farads(cable.0 * CABLE_FARADS_PER_METRE));
        Pull {
            to: match self.to {
                To::Plus => PullTo::Plus,
                To::Zero => PullTo::Zero,
            },
            supply: self.supply,
            leakage: self.leakage,
            high_above: self.high_above,
            low_below: self.low_below,
            most_current: self.most_current,
            drop: self.drop,
            capacitance: self.capacitance.or(cable),
            rise_time: self.rise_time,
            resistance: self.resistance,
            tolerance: self.tolerance,
        }
        .work()
    }
}

impl SpeedArguments {
    fn work(&self) -> Result<SizingResult, SizingError> {
        let pulses = self.pulses_per_rev;
        SpeedGiven {
            pulses_per_rev: pulses,
            from: self.from,
            to: self.to,
            window: self.window,
            tick: self.tick,
            resolution_rpm: self.resolution.map(|speed| speed.pulses(pulses).0 * 60.0 / pulses),
            update: self.update,
            limit: self.limit,
        }
        .work()
    }
}

impl LoopArguments {
    fn work(&self) -> Result<SizingResult, SizingError> {
        let known = match (self.current, self.voltage, self.value, self.counts) {
            (Some(current), ..) => KnownEnd::Current(current),
            (_, Some(voltage), ..) => KnownEnd::Voltage(voltage),
            (.., Some(value), _) => KnownEnd::Units(value),
            (.., counts) => KnownEnd::Counts(counts.unwrap_or_default()),
        };
        Loop {
            signal: self.signal,
            units: (self.low, self.high),
            known,
            shunt: self.shunt,
            tolerance: self.tolerance,
            converter: self.full.zip(self.span),
        }
        .work()
    }
}
