//! Chains of shift registers: what is around the code reads their bits.

use super::build::not;
use super::scope::{Made, Refusal, Scope, Signal};
use crate::model::{Chain, ChainId, Value};
use reigen_core::expand::expander::{CHIP, Settings, place};

/// The points of a chain, from D0 to D7 of each chip.
pub(crate) fn chain(scope: &mut Scope, settings: &Settings) -> Made {
    let id = ChainId(scope.code.chains.len());
    let (point, name, of) = (scope.part.point, scope.part.name.clone(), scope.part.of.clone());
    scope.code.chains.push(Chain { point, name, of, on_while_high: settings.on_while_high.clone() });
    let bits = settings.on_while_high.iter().enumerate().flat_map(|(chip, &on_while_high)| {
        (0..CHIP).map(move |pin| {
            let high = Value::ChainBit(id, place(chip, pin));
            let level = if on_while_high { high } else { not(high) };
            Ok(Signal { level, known: Some(Value::ChainRead(id)), twice: None, between: None })
        })
    });
    let count = || Err(Refusal::from("how many frames a chain had: its code reads one each scan"));
    Made { bits: bits.collect(), counts: vec![count(), count()], ..Made::default() }
}
