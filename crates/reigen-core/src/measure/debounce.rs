//! The debounce that is chosen: bounce, curves, and what each method costs.

use super::bounce::BounceMeter;
use super::curve::Curve;
use super::lockout_curve::lockout_curve;
use super::plateau::Plateau;
use super::stable_curve::StableCurve;
use crate::time::Nanos;

/// How many edges are kept: for bounce by the chosen time, and for the curve of `lockout`.
pub const KEPT: usize = 1 << 20;
/// How many edges the curve of `lockout` is worked out from.
pub const LOCKOUT_EDGES: usize = 1 << 14;

/// Measures one input, edge by edge.
#[derive(Debug)]
pub struct DebounceMeter {
    starts_on: bool,
    stable: StableCurve,
    edges: u64,
    kept: Vec<Nanos>,
}

/// A method, with the time that is recommended for it.
#[derive(Debug, Clone)]
pub struct Method {
    /// Its word in the station file.
    pub name: &'static str,
    /// How many actuations come out at each time.
    pub curve: Curve,
    /// The plateau that recommends a time; `None` where all count none.
    pub plateau: Option<Plateau>,
    /// The time recommended.
    pub recommended: Nanos,
    /// What it adds to a press, and to a release.
    pub delay_on: Nanos,
    /// What it adds to a release.
    pub delay_off: Nanos,
    /// The shortest pulse that it keeps.
    pub shortest_kept: Nanos,
}

/// What came of the measurement.
#[derive(Debug, Clone)]
pub struct Debounced {
    /// All edges.
    pub edges: u64,
    /// Bounce and glitches by the time that is recommended for `stable`, over the first edges.
    pub bounce: BounceMeter,
    /// `stable` and `lockout`.
    pub methods: [Method; 2],
    /// Glitches that `stable` swallows with its recommended time.
    pub glitches: u64,
    /// How many of the edges `lockout` was worked out from.
    pub lockout_edges: usize,
    /// The method that is recommended, and its ground.
    pub choice: &'static str,
    /// Why.
    pub ground: String,
}

impl DebounceMeter {
    /// A meter for an input that starts so.
    pub fn new(starts_on: bool) -> Self {
        Self { starts_on, stable: StableCurve::new(starts_on), edges: 0, kept: Vec::new() }
    }

    /// Takes the edges of a window.
    pub fn take(&mut self, edges: &[Nanos]) {
        self.edges += edges.len() as u64;
        edges.iter().for_each(|&edge| self.stable.take(edge));
        let room = KEPT - self.kept.len();
        self.kept.extend(edges.iter().take(room));
    }

    /// What comes of it at the recording's last time.
    pub fn finish(self, end: Nanos) -> Debounced {
        let (curve, glitches) = self.stable.finish(end);
        let stable = Method::new("stable", curve);
        let first = self.kept.get(..LOCKOUT_EDGES).unwrap_or(&self.kept);
        let all = first.len() as u64 == self.edges;
        let lockout_end = if all { end } else { first.last().copied().unwrap_or(end) };
        let lockout = Method::new("lockout", lockout_curve(first, self.starts_on, lockout_end));
        let mut bounce = BounceMeter::new(self.starts_on, stable.recommended);
        self.kept.iter().for_each(|&edge| bounce.take(edge));
        bounce.finish();
        let swallowed = glitches.at(stable.recommended).unwrap_or(0);
        let counts = [&stable, &lockout].map(|method| method.plateau.map(|plateau| plateau.count));
        let (choice, ground) = choose(swallowed, counts, all);
        Debounced {
            edges: self.edges,
            bounce,
            glitches: swallowed,
            lockout_edges: first.len(),
            methods: [stable, lockout],
            choice,
            ground,
        }
    }
}

impl Method {
    fn new(name: &'static str, curve: Curve) -> Self {
        let plateau = curve.recommended();
        let recommended = plateau.map_or(Nanos(0), |plateau| plateau.middle());
        // A lockout follows at once and keeps every pulse, if only as one of its own length.
        let delay = if name == "stable" { recommended } else { Nanos(0) };
        Self { name, curve, plateau, recommended, delay_on: delay, delay_off: delay, shortest_kept: delay }
    }
}

fn choose(glitches: u64, [stable, lockout]: [Option<u64>; 2], all: bool) -> (&'static str, String) {
    match (glitches, stable, lockout) {
        (_, None, _) => ("stable", "there is no actuation in this recording to choose by".to_owned()),
        (1.., ..) => {
            let pulses = crate::names::counted(glitches, "short pulse");
            ("stable", format!("{pulses} with no change after it: a lockout would react to the first edge of each"))
        }
        (0, Some(stable), Some(lockout)) if stable != lockout && all => {
            ("stable", format!("the two disagree ({stable} and {lockout}), and only a held level is certain"))
        }
        _ => (
            "lockout",
            "no short pulse in the whole recording: the first edge can be trusted, and nothing is delayed".to_owned(),
        ),
    }
}
