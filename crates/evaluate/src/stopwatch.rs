//! Where the time of a run goes, by phase.
use nematon_solver::{Phase, Watch};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering::Relaxed};
use std::time::Instant;

/// Adds up the time that all threads spend in each phase.
pub struct Stopwatch {
    began: Instant,
    phases: [AtomicU64; Phase::ALL.len()],
    pairings: Vec<AtomicU64>,
    stop: Arc<AtomicBool>,
}

impl Default for Stopwatch {
    fn default() -> Stopwatch {
        Stopwatch::of(0)
    }
}

impl Watch for Stopwatch {
    /// Nanoseconds since it was made.
    fn now(&self) -> u64 {
        self.began.elapsed().as_nanos() as u64
    }

    fn spent(&self, phase: Phase, since: u64) {
        self.phases[phase as usize].fetch_add(self.now() - since, Relaxed);
    }

    fn spent_between(&self, pairing: usize, since: u64) {
        if let Some(p) = self.pairings.get(pairing) {
            p.fetch_add(self.now() - since, Relaxed);
        }
    }

    fn stopped(&self) -> bool {
        self.stop.load(Relaxed)
    }
}

impl Stopwatch {
    /// For an island with so many pairings of contact.
    pub fn of(pairings: usize) -> Stopwatch {
        let zero = || AtomicU64::new(0);
        Stopwatch {
            began: Instant::now(),
            phases: std::array::from_fn(|_| zero()),
            pairings: (0..pairings).map(|_| zero()).collect(),
            stop: Arc::default(),
        }
    }

    /// Ends the frame that is being computed as soon as `stop` is set.
    pub fn until(self, stop: Arc<AtomicBool>) -> Stopwatch {
        Stopwatch { stop, ..self }
    }

    /// Thread seconds of each pairing.
    pub fn between_seconds(&self) -> Vec<f64> {
        self.pairings.iter().map(|p| p.load(Relaxed) as f64 * 1e-9).collect()
    }

    /// Thread seconds of each phase, by its name.
    pub fn seconds(&self) -> Vec<(&'static str, f64)> {
        Phase::ALL.iter().map(|p| (p.name(), self.phases[*p as usize].load(Relaxed) as f64 * 1e-9)).collect()
    }
}
