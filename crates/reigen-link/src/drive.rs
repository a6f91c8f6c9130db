//! What is written to a device: what has changed, what was written long ago, and what it becomes when the run ends.

use reigen_core::logic::expression::Value;
use reigen_run::live::board::Board;
use reigen_station::links::output::{OnStop, Output, Outputs};
use std::time::{Duration, Instant};

/// The outputs of a link with what was written to them, over all connections.
#[derive(Debug)]
pub(crate) struct Driven<P> {
    outputs: Vec<(Output<P>, Option<Written>)>,
    refresh: Duration,
}

/// What was written last to an output.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Written {
    value: Value,
    /// When; `None` where no answer tells, or a new connection makes it due again.
    at: Option<Instant>,
}

/// An output that is to be written.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Due<P> {
    number: usize,
    pub(crate) place: P,
    pub(crate) value: Value,
}

impl<P: Clone> Driven<P> {
    pub(crate) fn new(settings: &Outputs<P>) -> Self {
        let outputs = settings.all.iter().map(|output| (output.clone(), None));
        Self { outputs: outputs.collect(), refresh: Duration::from_nanos(settings.refresh.0) }
    }

    pub(crate) fn is_empty(&self) -> bool {
        self.outputs.is_empty()
    }

    /// What is due by now.
    pub(crate) fn due(&self, board: &Board) -> Vec<Due<P>> {
        let is_fresh = |at: Option<Instant>| at.is_some_and(|at| at.elapsed() < self.refresh);
        let mut due = Vec::new();
        for (number, (output, last)) in self.outputs.iter().enumerate() {
            let Some(value) = board.value(&output.point) else { continue };
            if !last.is_some_and(|last| last.value == value && is_fresh(last.at)) {
                due.push(Due { number, place: output.place.clone(), value });
            }
        }
        due
    }

    /// It is on its way to the device: that counts as written, whether an answer comes or not.
    pub(crate) fn begin(&mut self, due: &Due<P>) {
        self.write(due, None);
    }

    /// It has arrived.
    pub(crate) fn end(&mut self, due: &Due<P>) {
        self.write(due, Some(Instant::now()));
    }

    fn write(&mut self, due: &Due<P>, at: Option<Instant>) {
        if let Some((_, last)) = self.outputs.get_mut(due.number) {
            *last = Some(Written { value: due.value, at });
        }
    }

    /// On a new connection all is due.
    pub(crate) fn reconnected(&mut self) {
        self.outputs.iter_mut().filter_map(|(_, last)| last.as_mut()).for_each(|last| last.at = None);
    }

    /// What was written last, of those that were.
    pub(crate) fn last(&self) -> Vec<(P, Value)> {
        self.outputs.iter().filter_map(|(output, last)| Some((output.place.clone(), (*last)?.value))).collect()
    }

    /// All is at rest: nothing is left to do at the end.
    pub(crate) fn rested(&mut self) {
        self.outputs.iter_mut().for_each(|(_, last)| *last = None);
    }

    /// What those that were written become when the run ends, where that is not what they are.
    pub(crate) fn at_rest(&self) -> Vec<(P, Value)> {
        let mut all = Vec::new();
        for (output, last) in &self.outputs {
            let Some(Written { value, .. }) = *last else { continue };
            let rest = match (output.on_stop, value) {
                (OnStop::Off, Value::Bit(_)) => Value::Bit(false),
                (OnStop::Off | OnStop::Hold, _) => continue,
                (OnStop::Becomes(number), Value::Bit(_)) => Value::Bit(number != 0.0),
                (OnStop::Becomes(number), _) => Value::Real(number),
            };
            all.push((output.place.clone(), rest));
        }
        all
    }

    /// Writes what is due as points change, until the connection `is_gone` or the run is over; gives whether it goes on.
    ///
    /// # Errors
    /// Where something could not be written, and why.
    pub(crate) fn keep_written<E>(
        &mut self,
        board: &Board,
        is_gone: impl Fn() -> bool,
        mut put: impl FnMut(&P, Value) -> Result<(), E>,
    ) -> Result<bool, E> {
        let mut seen = 0;
        while !is_gone() {
            for due in self.due(board) {
                self.begin(&due);
                put(&due.place, due.value)?;
                self.end(&due);
            }
            match board.wait_for_change(seen, self.refresh.min(LOOK)) {
                Some(changes) => seen = changes,
                None => return Ok(false),
            }
        }
        Ok(true)
    }
}

/// How often a quiet connection looks whether the run goes on.
pub(crate) const LOOK: Duration = Duration::from_millis(200);

#[cfg(test)]
mod tests {
    use super::*;
    use reigen_core::time::Nanos;

    #[test]
    fn what_was_written_comes_to_rest_as_each_output_says() {
        let output = |place, on_stop| Output { point: "p".to_owned(), place, on_stop };
        let all = vec![
            output(0, OnStop::Off),
            output(1, OnStop::Off),
            output(2, OnStop::Hold),
            output(3, OnStop::Becomes(1.0)),
            output(4, OnStop::Becomes(7.5)),
            output(5, OnStop::Off),
        ];
        let mut driven = Driven::new(&Outputs { all, refresh: Nanos(1_000_000_000) });
        let values = [Value::Bit(true), Value::Integer(3), Value::Bit(true), Value::Bit(false), Value::Real(2.0)];
        for (number, value) in values.into_iter().enumerate() {
            driven.begin(&Due { number, place: number, value });
        }
        let rest = driven.at_rest();
        assert_eq!(rest, [(0, Value::Bit(false)), (3, Value::Bit(true)), (4, Value::Real(7.5))]);
    }
}
