//! That nobody wants a run any more: seen by the threads that compute it, and waited for by those that don't.
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use tokio::sync::Notify;

#[derive(Clone, Default)]
pub struct Stop {
    flag: Arc<AtomicBool>,
    resting: Arc<AtomicBool>,
    told: Arc<Notify>,
}

impl Stop {
    pub fn set(&self) {
        self.flag.store(true, Relaxed);
        self.told.notify_waiters();
    }
    /// Asks for a rest after the frame at hand: others wait.
    pub fn rest(&self) {
        self.resting.store(true, Relaxed);
    }
    pub fn is_resting(&self) -> bool {
        self.resting.load(Relaxed)
    }
    pub fn is_set(&self) -> bool {
        self.flag.load(Relaxed)
    }
    pub fn flag(&self) -> Arc<AtomicBool> {
        self.flag.clone()
    }
    /// Waits until it is set.
    pub async fn wait(&self) {
        loop {
            let told = self.told.notified();
            if self.is_set() {
                return;
            }
            told.await;
        }
    }
}
