//! In checked builds: nobody writes what another task of the same phase writes or reads.
//!
//! Threads share arrays of records by pointers, each at the points of its own task. That they never meet is a matter of
//! how work is divided, which no compiler sees. Here every access tells who it is: a task is known by its way down the
//! tree of forks, and two tasks may run at once when neither's way begins with the other's. Whoever meets a record that
//! such another touched in the same phase panics, on one thread as on many. In other builds all of it is nothing.
#[cfg(debug_assertions)]
pub use checked::{join, phase, read, task, within, wrote};
#[cfg(not(debug_assertions))]
pub use free::{join, phase, read, task, within, wrote};

#[cfg(debug_assertions)]
mod checked {
    use std::cell::RefCell;
    use std::collections::HashMap;
    use std::sync::atomic::{AtomicU64, Ordering::Relaxed};
    use std::sync::{Arc, LazyLock, Mutex, PoisonError};

    /// A phase, and a task's way down the tree of forks in it.
    #[derive(Clone, Default)]
    pub struct Task {
        phase: u64,
        way: Arc<[u64]>,
    }

    /// Who touched a record in a phase.
    #[derive(Default)]
    struct Touched {
        phase: u64,
        writer: Option<Arc<[u64]>>,
        readers: Vec<Arc<[u64]>>,
    }

    const SHARDS: usize = 64;
    static TOUCHED: LazyLock<Vec<Mutex<HashMap<usize, Touched>>>> =
        LazyLock::new(|| (0..SHARDS).map(|_| Mutex::default()).collect());
    static PHASES: AtomicU64 = AtomicU64::new(1);

    thread_local! {
        static NOW: RefCell<Task> = RefCell::default();
    }

    /// A new phase begins: what was touched before was touched before.
    pub fn phase() {
        let phase = PHASES.fetch_add(1, Relaxed);
        NOW.with_borrow_mut(|t| *t = Task { phase, way: Arc::new([]) });
    }

    /// The task that this thread is at.
    pub fn task() -> Task {
        NOW.with_borrow(Clone::clone)
    }

    /// Work of a task's fork of that number, on whatever thread.
    pub fn within<R>(task: &Task, fork: usize, work: impl FnOnce() -> R) -> R {
        let way = task.way.iter().copied().chain([fork as u64]).collect();
        let before = NOW.replace(Task { phase: task.phase, way });
        let r = work();
        NOW.set(before);
        r
    }

    pub fn join<A: Send, B: Send>(a: impl FnOnce() -> A + Send, b: impl FnOnce() -> B + Send) -> (A, B) {
        let task = task();
        rayon::join(|| within(&task, 0, a), || within(&task, 1, b))
    }

    fn meet(at: usize, what: &str, note: impl FnOnce(&mut Touched, &Arc<[u64]>) -> bool) {
        let me = task();
        if me.phase == 0 {
            return;
        }
        let clash = {
            let mut shard = TOUCHED[at / 16 % SHARDS].lock().unwrap_or_else(PoisonError::into_inner);
            let t = shard.entry(at).or_default();
            if t.phase != me.phase {
                *t = Touched { phase: me.phase, ..Touched::default() };
            }
            note(t, &me.way)
        };
        assert!(!clash, "two tasks of one phase meet at a record: {:?} {what} it", me.way);
    }

    fn apart(a: &[u64], b: &[u64]) -> bool {
        !a.starts_with(b) && !b.starts_with(a)
    }

    /// A record was read.
    pub fn read<T>(at: *const T) {
        meet(at as usize, "reads", |t, me| {
            if !t.readers.contains(me) {
                t.readers.push(me.clone());
            }
            t.writer.as_ref().is_some_and(|w| apart(w, me))
        });
    }

    /// A record was written.
    pub fn wrote<T>(at: *const T) {
        meet(at as usize, "writes", |t, me| {
            let clash = t.writer.iter().chain(&t.readers).any(|w| apart(w, me));
            t.writer = Some(me.clone());
            clash
        });
    }
}

#[cfg(not(debug_assertions))]
mod free {
    #[derive(Clone, Copy)]
    pub struct Task;

    #[inline(always)]
    pub fn phase() {}
    #[inline(always)]
    pub fn task() -> Task {
        Task
    }
    #[inline(always)]
    pub fn within<R>(_: &Task, _: usize, work: impl FnOnce() -> R) -> R {
        work()
    }
    #[inline(always)]
    pub fn join<A: Send, B: Send>(a: impl FnOnce() -> A + Send, b: impl FnOnce() -> B + Send) -> (A, B) {
        rayon::join(a, b)
    }
    #[inline(always)]
    pub fn read<T>(_: *const T) {}
    #[inline(always)]
    pub fn wrote<T>(_: *const T) {}
}

#[cfg(all(test, debug_assertions))]
mod tests {
    use super::*;

    fn meet(first: fn(*const f32), second: fn(*const f32)) -> bool {
        let x = 0.0f32;
        let at = std::ptr::from_ref(&x) as usize;
        std::panic::catch_unwind(|| {
            phase();
            join(|| first(at as *const f32), || second(at as *const f32));
        })
        .is_err()
    }

    #[test]
    fn two_tasks_of_one_phase_must_not_write_what_the_other_writes_or_reads() {
        assert!(meet(wrote, wrote) && meet(wrote, read) && meet(read, wrote));
        assert!(!meet(read, read));
    }

    #[test]
    fn what_comes_after_a_join_or_in_another_phase_may() {
        let x = 0.0f32;
        let at = std::ptr::from_ref(&x) as usize;
        let touch = move || wrote(at as *const f32);
        phase();
        join(|| join(touch, || ()), || ());
        touch();
        phase();
        let task = task();
        within(&task, 3, touch);
        phase();
        within(&task, 4, || ());
        join(|| (), touch);
    }
}
