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
    pub(super) title: Option<String>,
    pub(super) duration: TimeText,
    #[serde(default)]
    pub(super) shaft: Tables<ShaftTable>,
    #[serde(default)]
    pub(super) contact: Tables<ContactTable>,
    #[serde(default)]
    pub(super) changeover: Tables<ChangeoverTable>,
    #[serde(default)]
    pub(super) wheel: Tables<WheelTable>,
    #[serde(default)]
    pub(super) encoder: Tables<EncoderTable>,
    #[serde(default)]
    pub(super) chain: Tables<ChainTable>,
    #[serde(default)]
    pub(super) echo: Tables<EchoTable>,
    #[serde(default)]
    pub(super) analog: Tables<AnalogTable>,
    #[serde(default)]
    pub(super) floating: Tables<FloatingTable>,
    #[serde(default)]
    pub(super) wire: Tables<WireTable>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ShaftTable {
    pub(super) speed: Vec<SpeedPiece>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct SpeedPiece {
    #[serde(rename = "for")]
    pub(super) length: Spanned<TimeText>,
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

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Press {
    pub(super) at: Spanned<TimeText>,
    #[serde(rename = "for")]
    pub(super) hold: Spanned<TimeText>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ContactTable {
    pub(super) line: Spanned<String>,
    #[serde(default)]
    pub(super) asserted: LevelWord,
    #[serde(default)]
    pub(super) contact: ContactWord,
    pub(super) presses: Option<Vec<Press>>,
    pub(super) every: Option<Spanned<TimeText>>,
    pub(super) hold: Option<Spanned<TimeText>>,
    #[serde(default)]
    pub(super) closing: BounceWord,
    #[serde(default)]
    pub(super) opening: BounceWord,
    pub(super) bounce_within: Option<Spanned<TimeText>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ChangeoverTable {
    pub(super) no: Spanned<String>,
    pub(super) nc: Spanned<String>,
    #[serde(default)]
    pub(super) asserted: LevelWord,
    pub(super) transit: TimeText,
    pub(super) presses: Option<Vec<Press>>,
    pub(super) every: Option<Spanned<TimeText>>,
    pub(super) hold: Option<Spanned<TimeText>>,
    #[serde(default)]
    pub(super) closing: BounceWord,
    #[serde(default)]
    pub(super) opening: BounceWord,
    pub(super) bounce_within: Option<Spanned<TimeText>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct WheelTable {
    pub(super) line: Spanned<String>,
    pub(super) shaft: Spanned<String>,
    pub(super) marks: Spanned<u32>,
    pub(super) width: Option<Spanned<f64>>,
    #[serde(default)]
    pub(super) asserted: LevelWord,
    pub(super) uneven: Option<Spanned<f64>>,
    pub(super) runout: Option<Spanned<f64>>,
    pub(super) weak_mark: Option<Spanned<u32>>,
    pub(super) weak_above_rpm: Option<Spanned<f64>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct EncoderTable {
    pub(super) a: Spanned<String>,
    pub(super) b: Spanned<String>,
    pub(super) index: Option<Spanned<String>>,
    pub(super) shaft: Spanned<String>,
    pub(super) pulses_per_rev: Spanned<u32>,
    pub(super) phase_error_degrees: Option<Spanned<f64>>,
    pub(super) duty: Option<Spanned<f64>>,
    #[serde(default)]
    pub(super) lost_at: Vec<Spanned<TimeText>>,
    pub(super) dither_every: Option<Spanned<TimeText>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct FloatingTable {
    pub(super) line: Spanned<String>,
    pub(super) mains_hz: Option<Spanned<f64>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Stuck {
    pub(super) from: Spanned<TimeText>,
    pub(super) to: Spanned<TimeText>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct WireTable {
    pub(super) line: Spanned<String>,
    pub(super) glitches_every: Option<Spanned<TimeText>>,
    pub(super) glitch: Option<Spanned<TimeText>>,
    #[serde(default)]
    pub(super) stuck: Vec<Stuck>,
    pub(super) crosstalk_from: Option<Spanned<String>>,
    pub(super) crosstalk_chance: Option<Spanned<f64>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct PointPress {
    pub(super) point: Spanned<String>,
    pub(super) at: Spanned<TimeText>,
    #[serde(rename = "for")]
    pub(super) hold: Spanned<TimeText>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ChainTable {
    pub(super) load: Spanned<String>,
    pub(super) clock: Spanned<String>,
    pub(super) data: Spanned<String>,
    pub(super) registers: Vec<Spanned<Vec<Spanned<String>>>>,
    #[serde(default)]
    pub(super) asserted: LevelWord,
    pub(super) period: Spanned<TimeText>,
    pub(super) clock_period: Spanned<TimeText>,
    #[serde(default)]
    pub(super) presses: Vec<PointPress>,
    pub(super) every: Option<Spanned<TimeText>>,
    pub(super) hold: Option<Spanned<TimeText>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct ValuePiece {
    #[serde(rename = "for")]
    pub(super) length: Spanned<TimeText>,
    pub(super) to: f64,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct EchoTable {
    pub(super) trigger: Spanned<String>,
    pub(super) echo: Spanned<String>,
    pub(super) every: Spanned<TimeText>,
    pub(super) from_m: Spanned<f64>,
    #[serde(default)]
    pub(super) distance_m: Vec<ValuePiece>,
    pub(super) speed_of_sound: Option<Spanned<f64>>,
    pub(super) lost: Option<Spanned<f64>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct Broken {
    pub(super) from: Spanned<TimeText>,
    pub(super) to: Spanned<TimeText>,
    pub(super) reads: Option<Spanned<f64>>,
}

#[derive(Deserialize, schemars::JsonSchema)]
#[serde(deny_unknown_fields)]
pub(super) struct AnalogTable {
    pub(super) line: Spanned<String>,
    pub(super) every: Spanned<TimeText>,
    pub(super) from: Spanned<f64>,
    #[serde(default)]
    pub(super) value: Vec<ValuePiece>,
    pub(super) noise: Option<Spanned<f64>>,
    pub(super) hum: Option<Spanned<f64>>,
    pub(super) hum_hz: Option<Spanned<f64>>,
    pub(super) clip: Option<Spanned<[f64; 2]>>,
    #[serde(default)]
    pub(super) broken: Vec<Broken>,
}
