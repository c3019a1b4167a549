//! That nobody wants a run any more: seen by the threads that compute it, and waited for by those that don't.
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering::Relaxed};
use tokio::sync::Notify;

#[derive(Clone, Default)]
pub struct Stop {
    flag: Arc<AtomicBool>,
    told: Arc<Notify>,
}

impl Stop {
    pub fn set(&self) {
        self.flag.store(true, Relaxed);
        self.told.notify_waiters();
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
