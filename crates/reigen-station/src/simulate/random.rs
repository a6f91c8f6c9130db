//! Random numbers, the same on every machine for the same seed and name.

use reigen_core::cast;

/// A stream of random numbers.
#[derive(Debug, Clone)]
pub(super) struct Random(fastrand::Rng);

impl Random {
    /// The stream of a source: sources that come or go leave the others as they are.
    pub(super) fn new(seed: u64, name: &str) -> Self {
        // FNV-1a, 64 bits.
        let hash = name
            .bytes()
            .fold(0xcbf2_9ce4_8422_2325u64, |hash, byte| (hash ^ u64::from(byte)).wrapping_mul(0x0000_0100_0000_01b3));
        Self(fastrand::Rng::with_seed(seed ^ hash))
    }

    /// A whole number from `from` to `to`, both included.
    pub(super) fn whole(&mut self, from: u64, to: u64) -> u64 {
        self.0.u64(from..=to.max(from))
    }

    /// A number in [0, 1).
    pub(super) fn share(&mut self) -> f64 {
        self.0.f64()
    }

    /// Whether something of this probability happens.
    pub(super) fn happens(&mut self, probability: f64) -> bool {
        self.share() < probability
    }

    /// A waiting time with this mean, by the exponential distribution; at least 1 ns.
    pub(super) fn wait(&mut self, mean_ns: f64) -> u64 {
        cast::u64_from_f64((-libm::log(1.0 - self.share()) * mean_ns).max(1.0))
    }

    /// A number about 0 with deviation 1: the sum of twelve even ones, which is near to normal.
    pub(super) fn normal(&mut self) -> f64 {
        (0..12).map(|_| self.share()).sum::<f64>() - 6.0
    }
}
