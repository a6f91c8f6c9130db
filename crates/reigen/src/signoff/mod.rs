//! Sign-off at the terminal: what a walk says is printed, what somebody types is told to it, and what comes of a point is kept.

mod answers;
mod sheet;

pub(crate) use answers::Answers;
pub(crate) use sheet::{Sheet, write_sheet};

use crate::live_run::{Guest, GuestPlace};
use reigen_core::finding::Finding;
use reigen_core::outside_words::on_one_line;
use reigen_core::summary::PointSummary;
use reigen_core::time::Nanos;
use reigen_run::error::RunError;
use reigen_run::live::event::LiveEvent;
use reigen_run::observer::{Observer, WindowView};
use reigen_run::signoff::StepResult;
use reigen_run::signoff::input::LineEdge;
use reigen_run::signoff::steps::{Signal, Step, Trial, plan};
use reigen_run::signoff::walk::{Seen, Told, Walk};
use reigen_serve::{SetError, SetPoints as _};
use reigen_station::station::Station;
use std::collections::{BTreeMap, VecDeque};
use std::io::{self, BufRead as _, Write as _};
use std::sync::mpsc::{Receiver, SyncSender, channel};
use std::thread;
use std::time::Duration;

/// So often the walk looks at the clock, though no line changes.
const TICK: Duration = Duration::from_millis(50);

/// What is walked, and by whom.
pub(crate) struct SignoffPlan<'a> {
    /// The station.
    pub(crate) station: &'a Station,
    /// Whether a point is to be tried.
    pub(crate) wants: &'a (dyn Fn(&str) -> bool + Send + Sync),
    /// Whether outputs are switched.
    pub(crate) drives: bool,
    /// Who does it.
    pub(crate) by: String,
    /// Answers of a file, where nobody sits by.
    pub(crate) answers: Option<Answers>,
    /// Whether what happens is printed.
    pub(crate) prints: bool,
}

/// Takes part in a live run.
pub(crate) struct SignoffGuest<'a> {
    plan: SignoffPlan<'a>,
    walk: Option<Walk>,
    signals: Vec<Signal>,
    place: Option<GuestPlace>,
    typed: Option<Receiver<String>>,
    /// Outputs that are still to be set.
    to_set: VecDeque<(String, Option<bool>)>,
    /// The point that was named last.
    heads: Option<String>,
    is_over: bool,
}

impl<'a> SignoffGuest<'a> {
    /// Walks as planned.
    pub(crate) fn new(plan: SignoffPlan<'a>) -> Self {
        Self {
            plan,
            walk: None,
            signals: Vec::new(),
            place: None,
            typed: None,
            to_set: VecDeque::new(),
            heads: None,
            is_over: false,
        }
    }

    /// What there is to see for the step that is tried.
    fn seen(&self, view: &WindowView<'_>, step: &Step) -> Seen {
        let mut seen = Seen { now: view.window.until.saturating_sub(Nanos(1)), ..Seen::default() };
        for (line, signal) in self.signals.iter().enumerate() {
            let column = match signal {
                Signal::Line(number) => view.lines.bits().get(*number),
                Signal::Point(number) => {
                    let columns = view.engine.points().find(|columns| columns.point == *number);
                    columns.and_then(|columns| columns.bits.first())
                }
            };
            let Some((column, mut high)) = column.and_then(|column| Some((column, column.level?))) else { continue };
            seen.levels.insert(line, high);
            for &time in &column.toggles {
                high = !high;
                seen.edges.push(LineEdge { time, line, high });
            }
        }
        seen.edges.sort_by_key(|edge| edge.time);
        if let Some(columns) = view.engine.points().find(|columns| columns.point == step.number) {
            seen.reading = columns.reading().and_then(|reading| reading.last());
            let bit = columns.bits.first();
            let rises = bit.and_then(|bit| Some((bit.level?, bit.toggles.len())));
            seen.went_on = rises.map_or(0, |(level, toggles)| (toggles + usize::from(!level)) as u64 / 2);
        }
        if step.what == Trial::Encoder
            && let Some(PointSummary::Encoder(told)) =
                view.engine.summaries(view.window.until).into_iter().nth(step.number)
        {
            seen.encoder = Some(*told);
        }
        seen
    }

    fn say(&mut self, told: Vec<Told>) {
        for told in told {
            match told {
                Told::Ask(text) => {
                    self.heading();
                    self.line(&format!("  > {text}"));
                    self.plan.answers.iter_mut().for_each(Answers::asked);
                }
                Told::Note(text) => self.line(&format!("    {text}")),
                Told::Set(point, value) => {
                    self.to_set.push_back((point, value));
                    self.set();
                }
                Told::Result(result) => self.keep(result),
                Told::Done => self.end(),
            }
        }
    }

    /// Sets outputs, in order; where the run takes nothing more at present, the rest is set with the next window.
    fn set(&mut self) {
        while let Some((point, value)) = self.to_set.pop_front() {
            let set = self.place.as_ref().and_then(|place| place.set.as_ref());
            match set.map_or(Ok(()), |set| set.set(&point, value)) {
                Ok(()) => {}
                Err(SetError::NotTaken) => return self.to_set.push_front((point, value)),
                Err(error) => self.line(&format!("    {error}")),
            }
        }
    }

    /// Which point it is, once.
    fn heading(&mut self) {
        let Some((step, number, all)) = self.walk.as_ref().and_then(Walk::step) else { return };
        let point = step.point.clone();
        if self.heads.as_ref() != Some(&point) {
            self.line(&format!("{number} of {all}: {}", on_one_line(&point)));
            self.heads = Some(point);
        }
    }

    fn keep(&mut self, result: StepResult) {
        if self.heads.as_ref() != Some(&result.point) {
            self.line(&on_one_line(&result.point));
        }
        self.line(&format!("    {}: {}", result.verdict.word(), on_one_line(&result.message)));
        if !result.remedy.is_empty() {
            self.line(&format!("    -> {}", result.remedy));
        }
        self.heads = None;
        let history = self.place.as_ref().and_then(|place| place.history.as_ref());
        history.into_iter().for_each(|history| history.keep_trial(result.clone(), self.plan.by.clone()));
    }

    /// The run is to end; outputs come to rest.
    fn end(&mut self) {
        self.is_over = true;
        let events = self.place.as_ref().map(|place| &place.events);
        events.into_iter().for_each(|events| drop(events.try_send(LiveEvent::Stop)));
    }

    fn line(&mut self, text: &str) {
        if !self.plan.prints {
            return;
        }
        let mut out = io::stdout().lock();
        if writeln!(out, "{text}").and_then(|()| out.flush()).is_err() {
            // Nobody reads any more.
            self.is_over = true;
        }
    }

    /// What was typed since the last window, or is in the file of answers for what is asked.
    fn answer(&mut self, now: Nanos) -> Option<String> {
        let point = self.walk.as_ref().and_then(Walk::step).map(|(step, ..)| step.point.clone())?;
        match (&mut self.plan.answers, &self.typed) {
            (Some(answers), _) => answers.next(&point, now),
            (None, Some(typed)) => typed.try_recv().ok(),
            (None, None) => None,
        }
    }
}

impl Guest for SignoffGuest<'_> {
    fn begin(&mut self, place: GuestPlace) {
        let [levels, _] = &place.lines;
        let mut plan = plan(self.plan.station, levels);
        plan.steps.retain(|step| (self.plan.wants)(&step.point));
        self.signals = plan.signals.iter().map(|(signal, _)| *signal).collect();
        let wait = self.plan.answers.as_ref().map(|answers| answers.wait);
        let walk = Walk::new(plan, self.plan.drives, wait);
        let rest = walk.rest();
        self.walk = Some(walk);
        let events = place.events.clone();
        if self.plan.answers.is_none() {
            let (tell, told) = channel();
            self.typed = Some(told);
            let woken = events.clone();
            thread::spawn(move || {
                for line in io::stdin().lock().lines().map_while(Result::ok) {
                    let _ = tell.send(line);
                    let _ = woken.try_send(LiveEvent::Wake);
                }
                // Who types no more has gone: what is left waits for another day.
                let _ = tell.send("q".to_owned());
            });
        }
        thread::spawn(move || wake(&events));
        self.place = Some(place);
        self.say(rest);
    }
}

/// Wakes the run again and again, until it is over.
fn wake(events: &SyncSender<LiveEvent>) {
    loop {
        thread::sleep(TICK);
        if let Err(std::sync::mpsc::TrySendError::Disconnected(_)) = events.try_send(LiveEvent::Wake) {
            return;
        }
    }
}

impl Observer for SignoffGuest<'_> {
    fn take(&mut self, view: &mut WindowView<'_>) -> Result<(), RunError> {
        self.set();
        if self.is_over {
            self.end();
            return Ok(());
        }
        let step = self.walk.as_ref().and_then(Walk::step).map(|(step, ..)| step.clone());
        let Some(step) = step else {
            self.end();
            return Ok(());
        };
        let seen = self.seen(view, &step);
        let told = self.walk.as_mut().map(|walk| walk.see(&seen)).unwrap_or_default();
        self.say(told);
        while let Some(text) = self.answer(view.window.until).filter(|_| !self.is_over) {
            let told = self.walk.as_mut().map(|walk| walk.typed(&text)).unwrap_or_default();
            self.say(told);
            if self.plan.answers.is_some() {
                break;
            }
        }
        Ok(())
    }

    fn finish(&mut self, _end: Nanos) -> Result<Vec<Finding>, RunError> {
        Ok(Vec::new())
    }
}

/// Of each point the last word, by its name.
pub(crate) type LastTrials = BTreeMap<String, reigen_history::Trial>;
