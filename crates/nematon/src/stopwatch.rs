//! Where the time of a run goes, by phase.
use nematon_solver::{Phase, Watch};
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
use std::time::Instant;

/// Adds up the time that all threads spend in each phase.
#[derive(Default)]
pub struct Stopwatch([AtomicU64; Phase::ALL.len()]);

impl Watch for Stopwatch {
    fn during<R>(&self, phase: Phase, work: impl FnOnce() -> R) -> R {
        let start = Instant::now();
        let r = work();
        self.0[phase as usize].fetch_add(start.elapsed().as_nanos() as u64, Relaxed);
        r
    }
}

impl Stopwatch {
    /// Thread seconds of each phase, by its name.
    pub fn seconds(&self) -> Vec<(&'static str, f64)> {
        Phase::ALL.iter().map(|p| (p.name(), self.0[*p as usize].load(Relaxed) as f64 * 1e-9)).collect()
    }
}
