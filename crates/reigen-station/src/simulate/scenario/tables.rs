//! The tables of a scenario as they stand in the file.

use crate::spanned::Spanned;
use crate::table::builder::TimeText;
use serde::Deserialize;

pub(super) use crate::table::tables::Tables;

/// What is simulated, and what is wrong with its wires.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
#[schemars(title = "Scenario file of reigen")]
pub(super) struct File {
    /// Title.
    pub(super) title: Option<String>,
    /// Length of the recording.
    pub(super) duration: TimeText,
    /// Shafts that turn.
    #[serde(default)]
    pub(super) shaft: Tables<ShaftTable>,
    /// Contacts that bounce.
    #[serde(default)]
    pub(super) contact: Tables<ContactTable>,
    /// Changeover contacts.
    #[serde(default)]
    pub(super) changeover: Tables<ChangeoverTable>,
    /// Wheels with marks on a shaft.
    #[serde(default)]
    pub(super) wheel: Tables<WheelTable>,
    /// Encoders on a shaft.
    #[serde(default)]
    pub(super) encoder: Tables<EncoderTable>,
    /// Chains of shift registers.
    #[serde(default)]
    pub(super) chain: Tables<ChainTable>,
    /// Echo sensors.
    #[serde(default)]
    pub(super) echo: Tables<EchoTable>,
    /// Lines of numbers.
    #[serde(default)]
    pub(super) analog: Tables<AnalogTable>,
    /// Running counts that are polled.
    #[serde(default)]
    pub(super) register: Tables<RegisterTable>,
    /// Switches logged as the bits of a number.
    #[serde(default)]
    pub(super) port: Tables<PortTable>,
    /// Numbers that somebody sets.
    #[serde(default)]
    pub(super) set_value: Tables<SetValueTable>,
    /// Inputs that nothing drives.
    #[serde(default)]
    pub(super) floating: Tables<FloatingTable>,
    /// Faults of wires.
    #[serde(default)]
    pub(super) wire: Tables<WireTable>,
}

/// `[shaft.NAME]`: how fast a shaft turns.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ShaftTable {
    /// Pieces of its speed, one after another.
    pub(super) speed: Vec<SpeedPiece>,
}

/// A piece of a speed.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SpeedPiece {
    /// How long it takes.
    #[serde(rename = "for")]
    pub(super) length: Spanned<TimeText>,
    /// Speed at its end.
    pub(super) to_rpm: f64,
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum LevelWord {
    #[default]
    High,
    Low,
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "UPPERCASE")]
pub(super) enum ContactWord {
    #[default]
    No,
    Nc,
}

#[derive(Debug, Clone, Copy, Default, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub(super) enum BounceWord {
    None,
    #[default]
    Few,
    Many,
    Reed,
    Worn,
}

/// An actuation.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Press {
    /// When it begins.
    pub(super) at: Spanned<TimeText>,
    /// How long it is held.
    #[serde(rename = "for")]
    pub(super) hold: Spanned<TimeText>,
}

/// `[contact.NAME]`: a contact that bounces.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ContactTable {
    /// Its line.
    pub(super) line: Spanned<String>,
    /// Level while closed: "high" (default) or "low".
    #[serde(default)]
    pub(super) asserted: LevelWord,
    /// "NO" (default) or "NC".
    #[serde(default)]
    pub(super) contact: ContactWord,
    /// Actuations.
    pub(super) presses: Option<Vec<Press>>,
    /// Mean time between random actuations.
    pub(super) every: Option<Spanned<TimeText>>,
    /// Mean length of random actuations.
    pub(super) hold: Option<Spanned<TimeText>>,
    /// Bounce when it is actuated: "none", "few", "many", "reed" or "worn".
    #[serde(default)]
    pub(super) closing: BounceWord,
    /// Bounce when it is released.
    #[serde(default)]
    pub(super) opening: BounceWord,
    /// How long it bounces.
    pub(super) bounce_within: Option<Spanned<TimeText>>,
}

/// `[changeover.NAME]`: a contact with both sides.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ChangeoverTable {
    /// Line of the normally open side.
    pub(super) no: Spanned<String>,
    /// Line of the normally closed side.
    pub(super) nc: Spanned<String>,
    /// Level while closed: "high" (default) or "low".
    #[serde(default)]
    pub(super) asserted: LevelWord,
    /// Time between the two sides.
    pub(super) transit: TimeText,
    /// Actuations.
    pub(super) presses: Option<Vec<Press>>,
    /// Mean time between random actuations.
    pub(super) every: Option<Spanned<TimeText>>,
    /// Mean length of random actuations.
    pub(super) hold: Option<Spanned<TimeText>>,
    /// Bounce when it is actuated.
    #[serde(default)]
    pub(super) closing: BounceWord,
    /// Bounce when it is released.
    #[serde(default)]
    pub(super) opening: BounceWord,
    /// How long it bounces.
    pub(super) bounce_within: Option<Spanned<TimeText>>,
}

/// `[wheel.NAME]`: a wheel with marks and its sensor.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct WheelTable {
    /// Line of its sensor.
    pub(super) line: Spanned<String>,
    /// Shaft that it is on.
    pub(super) shaft: Spanned<String>,
    /// Number of marks.
    pub(super) marks: Spanned<u32>,
    /// Share of a spacing that a mark takes.
    pub(super) width: Option<Spanned<f64>>,
    /// Level at a mark: "high" (default) or "low".
    #[serde(default)]
    pub(super) asserted: LevelWord,
    /// How far marks are out of place, as a share of a spacing.
    pub(super) uneven: Option<Spanned<f64>>,
    /// How far it is out of centre, as a share of its radius.
    pub(super) runout: Option<Spanned<f64>>,
    /// Mark that is missed at speed, counted from 1.
    pub(super) weak_mark: Option<Spanned<u32>>,
    /// Speed from which that mark is missed.
    pub(super) weak_above_rpm: Option<Spanned<f64>>,
}

/// `[encoder.NAME]`: an encoder on a shaft.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct EncoderTable {
    /// Line of channel A.
    pub(super) a: Spanned<String>,
    /// Line of channel B.
    pub(super) b: Spanned<String>,
    /// Line of the index.
    pub(super) index: Option<Spanned<String>>,
    /// Shaft that it is on.
    pub(super) shaft: Spanned<String>,
    /// Cycles of one channel per revolution.
    pub(super) pulses_per_rev: Spanned<u32>,
    /// How far the phase is off 90°.
    pub(super) phase_error_degrees: Option<Spanned<f64>>,
    /// Share of a cycle that a channel is high.
    pub(super) duty: Option<Spanned<f64>>,
    /// Times at which one pulse of A is lost.
    #[serde(default)]
    pub(super) lost_at: Vec<Spanned<TimeText>>,
    /// Mean time between vibrations at standstill.
    pub(super) dither_every: Option<Spanned<TimeText>>,
}

/// `[register.NAME]`: a running count of a shaft that is polled.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct RegisterTable {
    /// Its line of numbers.
    pub(super) line: Spanned<String>,
    /// Shaft whose pulses are counted.
    pub(super) shaft: Spanned<String>,
    /// Pulses per revolution.
    pub(super) pulses_per_rev: Spanned<u32>,
    /// Time between two samples.
    pub(super) every: Spanned<TimeText>,
    /// Number of its bits [default: 16].
    pub(super) bits: Option<Spanned<u32>>,
    /// What it shows at first [default: 0].
    #[serde(default)]
    pub(super) start: u32,
    /// Times at which the device begins anew at 0.
    #[serde(default)]
    pub(super) restarts_at: Vec<Spanned<TimeText>>,
}

/// `[port.NAME]`: switches logged as the bits of a number.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PortTable {
    /// Its line of numbers.
    pub(super) line: Spanned<String>,
    /// Time between two samples.
    pub(super) every: Spanned<TimeText>,
    /// Names of the switches, from bit 0 on; `-` is an unused one.
    pub(super) points: Spanned<Vec<Spanned<String>>>,
    /// When switches are on.
    #[serde(default)]
    pub(super) presses: Vec<PointPress>,
}

/// `[set_value.NAME]`: a number that somebody sets.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SetValueTable {
    /// Its line of numbers.
    pub(super) line: Spanned<String>,
    /// Value at first.
    pub(super) from: Spanned<f64>,
    /// Times at which it is set, and to what.
    #[serde(default)]
    pub(super) steps: Vec<SetStep>,
}

/// A value that is set.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SetStep {
    /// When.
    pub(super) at: Spanned<TimeText>,
    /// To what.
    pub(super) to: Spanned<f64>,
}

/// `[floating.NAME]`: an input that nothing drives.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct FloatingTable {
    /// Its line.
    pub(super) line: Spanned<String>,
    /// Frequency of the mains that it picks up [default: 50].
    pub(super) mains_hz: Option<Spanned<f64>>,
}

/// A time in which a wire holds its level.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Stuck {
    /// When it begins.
    pub(super) from: Spanned<TimeText>,
    /// When it ends.
    pub(super) to: Spanned<TimeText>,
}

/// `[wire.NAME]`: faults of the wire of a line.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct WireTable {
    /// Line of another source.
    pub(super) line: Spanned<String>,
    /// Mean time between short pulses.
    pub(super) glitches_every: Option<Spanned<TimeText>>,
    /// Longest short pulse.
    pub(super) glitch: Option<Spanned<TimeText>>,
    /// Times in which it holds its level.
    #[serde(default)]
    pub(super) stuck: Vec<Stuck>,
    /// Line whose edges it picks up.
    pub(super) crosstalk_from: Option<Spanned<String>>,
    /// Share of those edges, from 0 to 1.
    pub(super) crosstalk_chance: Option<Spanned<f64>>,
}

/// An actuation of a switch of a chain.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PointPress {
    /// The switch.
    pub(super) point: Spanned<String>,
    /// When it begins.
    pub(super) at: Spanned<TimeText>,
    /// How long it is held.
    #[serde(rename = "for")]
    pub(super) hold: Spanned<TimeText>,
}

/// `[chain.NAME]`: a chain of shift registers with switches.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ChainTable {
    /// Load line.
    pub(super) load: Spanned<String>,
    /// Clock line.
    pub(super) clock: Spanned<String>,
    /// Data line.
    pub(super) data: Spanned<String>,
    /// Switches of each register, nearest register first; "-" for none.
    pub(super) registers: Vec<Spanned<Vec<Spanned<String>>>>,
    /// Level of a closed switch: "high" (default) or "low".
    #[serde(default)]
    pub(super) asserted: LevelWord,
    /// Time between two polls.
    pub(super) period: Spanned<TimeText>,
    /// Period of the clock.
    pub(super) clock_period: Spanned<TimeText>,
    /// Actuations.
    #[serde(default)]
    pub(super) presses: Vec<PointPress>,
    /// Mean time between random actuations of each switch.
    pub(super) every: Option<Spanned<TimeText>>,
    /// Mean length of random actuations.
    pub(super) hold: Option<Spanned<TimeText>>,
}

/// A piece of a value.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ValuePiece {
    /// How long it takes.
    #[serde(rename = "for")]
    pub(super) length: Spanned<TimeText>,
    /// Value at its end.
    pub(super) to: f64,
}

/// `[echo.NAME]`: an echo sensor.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct EchoTable {
    /// Line of the trigger.
    pub(super) trigger: Spanned<String>,
    /// Line of the echo.
    pub(super) echo: Spanned<String>,
    /// Time between two triggers.
    pub(super) every: Spanned<TimeText>,
    /// Distance at the start, in metres.
    pub(super) from_m: Spanned<f64>,
    /// Pieces of the distance, in metres.
    #[serde(default)]
    pub(super) distance_m: Vec<ValuePiece>,
    /// Speed of sound in m/s [default: 343].
    pub(super) speed_of_sound: Option<Spanned<f64>>,
    /// Share of echoes that never come, from 0 to 1.
    pub(super) lost: Option<Spanned<f64>>,
}

/// A time in which a wire is broken.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Broken {
    /// When it begins.
    pub(super) from: Spanned<TimeText>,
    /// When it ends.
    pub(super) to: Spanned<TimeText>,
    /// Value meanwhile [default: 0].
    pub(super) reads: Option<Spanned<f64>>,
}

/// `[analog.NAME]`: a line of numbers.
#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct AnalogTable {
    /// Its line.
    pub(super) line: Spanned<String>,
    /// Time between two values.
    pub(super) every: Spanned<TimeText>,
    /// Value at the start.
    pub(super) from: Spanned<f64>,
    /// Pieces of the value.
    #[serde(default)]
    pub(super) value: Vec<ValuePiece>,
    /// Standard deviation of its noise.
    pub(super) noise: Option<Spanned<f64>>,
    /// Amplitude of hum.
    pub(super) hum: Option<Spanned<f64>>,
    /// Frequency of the hum [default: 50].
    pub(super) hum_hz: Option<Spanned<f64>>,
    /// Least and greatest value.
    pub(super) clip: Option<Spanned<[f64; 2]>>,
    /// Times in which its wire is broken.
    #[serde(default)]
    pub(super) broken: Vec<Broken>,
}
