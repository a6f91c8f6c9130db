//! The table of a counter in the station file.

use super::counter::{AtLast, CountedEdge, Counter, SHAPE, Settings};
use crate::engine::{Block, Shape};
use crate::station::builder::{Builder, PointTable};
use crate::station::plan::BranchBuilder;
use crate::station::{Field, FieldColumn, FieldExpression, PointKind, StationErrorKind};
use serde::Deserialize;
use toml::Spanned;

/// `[counter.NAME]` as it stands in the file.
#[derive(Debug, Deserialize)]
#[serde(deny_unknown_fields)]
pub struct CounterTable {
    up: Spanned<String>,
    #[serde(default)]
    edge: EdgeWord,
    reset: Option<Spanned<String>>,
    #[serde(default)]
    start: i64,
    #[serde(default)]
    presets: Vec<Spanned<i64>>,
    at_last: Option<Spanned<AtLastWord>>,
}

#[derive(Debug, Clone, Copy, Default, Deserialize)]
#[serde(rename_all = "lowercase")]
enum EdgeWord {
    #[default]
    Rising,
    Falling,
    Both,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, Deserialize)]
#[serde(rename_all = "snake_case")]
enum AtLastWord {
    GoOn,
    Restart,
}

impl CounterTable {
    fn presets(&self, builder: &mut Builder<'_>) -> Vec<i64> {
        for pair in self.presets.windows(2) {
            let [earlier, later] = pair else { continue };
            if later.get_ref() <= earlier.get_ref() {
                let kind = StationErrorKind::PresetsFall(*earlier.get_ref(), *later.get_ref());
                builder.refuse(later.span(), kind);
            }
        }
        self.presets.iter().map(|preset| *preset.get_ref()).collect()
    }

    fn at_last(&self, builder: &mut Builder<'_>) -> AtLast {
        let Some(word) = self.at_last.as_ref().filter(|word| *word.get_ref() == AtLastWord::Restart) else {
            return AtLast::GoOn;
        };
        match self.presets.last() {
            None => builder.refuse(word.span(), StationErrorKind::RestartWithoutPresets),
            Some(last) if *last.get_ref() <= self.start => {
                let kind = StationErrorKind::PresetBehind { start: self.start, last: *last.get_ref() };
                builder.refuse(last.span(), kind);
            }
            Some(_) => {}
        }
        AtLast::Restart
    }
}

impl PointTable for CounterTable {
    fn build(self, builder: &mut Builder<'_>) -> Option<Box<dyn PointKind>> {
        let errors = builder.errors.len();
        let edge = match self.edge {
            EdgeWord::Rising => CountedEdge::Rising,
            EdgeWord::Falling => CountedEdge::Falling,
            EdgeWord::Both => CountedEdge::Both,
        };
        let (presets, at_last) = (self.presets(builder), self.at_last(builder));
        let settings = Settings { edge, start: self.start, presets, at_last };
        let up = builder.expression(&self.up);
        let reset = self.reset.as_ref().and_then(|reset| builder.expression(reset));
        if builder.errors.len() > errors {
            return None;
        }
        Some(Box::new(CounterPoint { settings, up: up?, reset }))
    }
}

/// A counter of the station.
#[derive(Debug)]
struct CounterPoint {
    settings: Settings,
    up: FieldExpression,
    reset: Option<FieldExpression>,
}

impl PointKind for CounterPoint {
    fn what(&self) -> &'static str {
        "a counter"
    }

    fn fields(&self) -> &'static [Field] {
        &[
            Field { name: "", column: FieldColumn::Count(0) },
            Field { name: "value", column: FieldColumn::Count(0) },
            Field { name: "band", column: FieldColumn::Count(1) },
            Field { name: "done", column: FieldColumn::Bit(0) },
        ]
    }

    fn expressions(&self) -> Vec<(&'static str, &FieldExpression)> {
        [Some(("up", &self.up)), self.reset.as_ref().map(|reset| ("reset", reset))].into_iter().flatten().collect()
    }

    fn counted(&self) -> Vec<&FieldExpression> {
        vec![&self.up]
    }

    fn compile(&self, branch: &mut BranchBuilder<'_>) -> (Box<dyn Block>, Shape) {
        let up = branch.counted(&self.up);
        let reset = self.reset.as_ref().map(|reset| branch.settled(reset));
        (Box::new(Counter::new(self.settings.clone(), up, reset)), SHAPE)
    }
}
