//! Runs: the queue, and the record of what was computed from what.
//!
//! Our own and not a crate's, because a worker of `apalis-postgres` (1.0) is dead with its first heartbeat that the
//! database does not answer, and its run with it; ours goes on and keeps its frames in memory until the database is
//! back.
use crate::notice::{Notice, tell};
use crate::{Store, StoreError};
use sqlx::postgres::PgRow;
use sqlx::{AssertSqlSafe, Row};

/// A worker that has not been heard of for so long is taken for dead, seconds.
const DEAD_AFTER: f64 = 6.0;
/// A run is taken so often without getting further; then it has failed.
pub const ATTEMPTS: i32 = 3;

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum RunState {
    Queued,
    Running,
    Done,
    Cancelled,
    Failed,
}

impl RunState {
    fn of(text: &str) -> RunState {
        match text {
            "queued" => RunState::Queued,
            "running" => RunState::Running,
            "done" => RunState::Done,
            "cancelled" => RunState::Cancelled,
            _ => RunState::Failed,
        }
    }
    /// Whether it is neither waiting nor at work.
    pub fn is_over(self) -> bool {
        !matches!(self, RunState::Queued | RunState::Running)
    }
    pub fn name(self) -> &'static str {
        match self {
            RunState::Queued => "queued",
            RunState::Running => "running",
            RunState::Done => "done",
            RunState::Cancelled => "cancelled",
            RunState::Failed => "failed",
        }
    }
}

/// A run: a scene to compute, on its way or computed.
#[derive(Clone, Debug, PartialEq)]
pub struct RunRow {
    pub id: i64,
    pub project: i64,
    pub revision: i64,
    pub state: RunState,
    /// Frames that are true for its scene, of all its bodies.
    pub done: i32,
    pub total: i32,
    /// Frames that it computed itself, and in how many seconds.
    pub computed: i32,
    pub seconds: f64,
    /// Why it failed; empty while it hasn't.
    pub message: String,
    /// What contact cost, pair by pair: a JSON array.
    pub costs: String,
}

/// A run taken from the queue.
#[derive(Clone, Debug, PartialEq)]
pub struct Claim {
    pub run: i64,
    pub project: i64,
    pub scene: serde_json::Value,
}

const COLUMNS: &str = "id, project, revision, state, done, total, computed, seconds, message, costs";

fn row(r: &PgRow) -> RunRow {
    RunRow {
        id: r.get(0),
        project: r.get(1),
        revision: r.get(2),
        state: RunState::of(r.get(3)),
        done: r.get(4),
        total: r.get(5),
        computed: r.get(6),
        seconds: r.get(7),
        message: r.get(8),
        costs: r.get(9),
    }
}

impl Store {
    /// Queues a run of the project's scene as it is now. A run of the same revision that is still
    /// waiting or at work is given back instead.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn queue_run(&self, project: i64) -> Result<Option<RunRow>, StoreError> {
        let mut t = self.pool.begin().await?;
        // One at a time for a project, so that two windows don't queue it twice.
        if sqlx::query("select 1 from project where id = $1 and removed is null for update")
            .bind(project)
            .fetch_optional(&mut *t)
            .await?
            .is_none()
        {
            return Ok(None);
        }
        let waiting = sqlx::query(AssertSqlSafe(format!(
            "select {COLUMNS} from run r where project = $1 and state in ('queued', 'running') and not cancel
             and revision = (select revision from project where id = $1) order by id desc limit 1"
        )))
        .bind(project)
        .fetch_optional(&mut *t)
        .await?;
        if let Some(r) = waiting {
            return Ok(Some(row(&r)));
        }
        let made = sqlx::query(AssertSqlSafe(format!(
            "insert into run (project, revision, scene) select id, revision, scene from project where id = $1
             returning {COLUMNS}"
        )))
        .bind(project)
        .fetch_one(&mut *t)
        .await?;
        let made = row(&made);
        tell(&mut *t, &Notice::Run { project, run: made.id }).await?;
        t.commit().await?;
        Ok(Some(made))
    }

    /// The runs of a project, the newest first.
    pub async fn runs(&self, project: i64, most: i64) -> Result<Vec<RunRow>, StoreError> {
        let rows = sqlx::query(AssertSqlSafe(format!(
            "select {COLUMNS} from run where project = $1 order by id desc limit $2"
        )))
        .bind(project)
        .bind(most)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.iter().map(row).collect())
    }

    pub async fn run(&self, id: i64) -> Result<Option<RunRow>, StoreError> {
        let found = sqlx::query(AssertSqlSafe(format!("select {COLUMNS} from run where id = $1")))
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        Ok(found.as_ref().map(row))
    }

    /// The scene that a run computes or computed.
    pub async fn run_scene(&self, id: i64) -> Result<Option<serde_json::Value>, StoreError> {
        let found =
            sqlx::query("select scene from run where id = $1").bind(id).fetch_optional(&self.pool).await?;
        Ok(found.map(|r| serde_json::from_str(r.get(0))).transpose()?)
    }

    /// Asks a run to stop. One that nobody has taken yet ends at once.
    pub async fn cancel_run(&self, id: i64) -> Result<Option<RunRow>, StoreError> {
        let found = sqlx::query(AssertSqlSafe(format!(
            "update run set cancel = true, state = case when state = 'queued' then 'cancelled' else state end
             where id = $1 and state in ('queued', 'running') returning {COLUMNS}"
        )))
        .bind(id)
        .fetch_optional(&self.pool)
        .await?;
        match found.as_ref().map(row) {
            Some(r) => {
                tell(&self.pool, &Notice::Run { project: r.project, run: id }).await?;
                Ok(Some(r))
            }
            None => self.run(id).await,
        }
    }

    /// Takes a waiting run, or one whose worker has died.
    pub async fn claim_run(&self, worker: &str) -> Result<Option<Claim>, StoreError> {
        self.end_hopeless().await?;
        let found = sqlx::query(
            "update run set state = 'running', worker = $1, heartbeat = now(), attempts = attempts + 1 where id = (
                select id from run where not cancel and (state = 'queued'
                    or (state = 'running' and heartbeat < now() - make_interval(secs => $2)))
                and exists (select from project p where p.id = project and p.removed is null)
                order by id limit 1 for update skip locked)
             returning id, project, scene",
        )
        .bind(worker)
        .bind(DEAD_AFTER)
        .fetch_optional(&self.pool)
        .await?;
        let Some(r) = found else { return Ok(None) };
        let scene: String = r.get(2);
        Ok(Some(Claim { run: r.get(0), project: r.get(1), scene: serde_json::from_str(&scene)? }))
    }

    /// Ends runs whose worker is dead and that nobody should take again: cancelled meanwhile, or taken too often
    /// without getting further.
    async fn end_hopeless(&self) -> Result<(), StoreError> {
        let ended = sqlx::query(
            "update run set state = case when cancel then 'cancelled' else 'failed' end,
                message = case when cancel then '' else format(
                    'The worker that computed it ended without a word, %s times after %s of %s frames. '
                    'Most likely its machine has too little memory for this scene: make its bodies coarser.',
                    attempts, done, total) end
             where state = 'running' and heartbeat < now() - make_interval(secs => $1) and (cancel or attempts >= $2)
             returning project, id",
        )
        .bind(DEAD_AFTER)
        .bind(ATTEMPTS)
        .fetch_all(&self.pool)
        .await?;
        for r in ended {
            tell(&self.pool, &Notice::Run { project: r.get(0), run: r.get(1) }).await?;
        }
        Ok(())
    }

    /// A sign of life, whatever the worker is at. False where the run is no longer this worker's to compute:
    /// cancelled, or taken over by another.
    pub async fn beat(&self, worker: &str, run: i64) -> Result<bool, StoreError> {
        let found = sqlx::query(
            "update run set heartbeat = now() where id = $1 and worker = $2 and state = 'running' returning cancel",
        )
        .bind(run)
        .bind(worker)
        .fetch_optional(&self.pool)
        .await?;
        Ok(found.is_some_and(|r| !r.get::<bool, _>(0)))
    }

    /// Gives the runs of a worker that ends in good order back to the queue.
    pub async fn give_back(&self, worker: &str) -> Result<(), StoreError> {
        sqlx::query(
            "update run set state = 'queued', attempts = greatest(attempts - 1, 0) where worker = $1 and state = 'running'",
        )
        .bind(worker)
        .execute(&self.pool)
        .await?;
        Ok(())
    }

    /// Tells how far a run is. False as for [`Store::beat`].
    pub async fn progress(&self, worker: &str, at: &RunRow) -> Result<bool, StoreError> {
        let found = sqlx::query(
            "update run set heartbeat = now(), done = $3, total = $4, computed = $5, seconds = $6, costs = $7,
                attempts = case when $5 > 0 then 0 else attempts end
             where id = $1 and worker = $2 and state = 'running' returning cancel",
        )
        .bind(at.id)
        .bind(worker)
        .bind(at.done)
        .bind(at.total)
        .bind(at.computed)
        .bind(at.seconds)
        .bind(&at.costs)
        .fetch_optional(&self.pool)
        .await?;
        tell(&self.pool, &Notice::Run { project: at.project, run: at.id }).await?;
        Ok(found.is_some_and(|r| !r.get::<bool, _>(0)))
    }

    /// Ends a run that this worker has.
    pub async fn end_run(&self, worker: &str, at: &RunRow) -> Result<(), StoreError> {
        sqlx::query(
            "update run set state = $3, message = $4, done = $5, total = $6, computed = $7, seconds = $8, costs = $9
             where id = $1 and worker = $2 and state = 'running'",
        )
        .bind(at.id)
        .bind(worker)
        .bind(at.state.name())
        .bind(&at.message)
        .bind(at.done)
        .bind(at.total)
        .bind(at.computed)
        .bind(at.seconds)
        .bind(&at.costs)
        .execute(&self.pool)
        .await?;
        tell(&self.pool, &Notice::Run { project: at.project, run: at.id }).await
    }

    /// Makes the heartbeat of a run old, as if its worker had died long ago. For tests.
    #[doc(hidden)]
    pub async fn age_run(&self, id: i64) -> Result<(), StoreError> {
        sqlx::query("update run set heartbeat = now() - interval '1 hour' where id = $1")
            .bind(id)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// Makes an empty database beside the one at `url`, with its tables, for one test. Its address is
    /// given back.
    #[doc(hidden)]
    pub async fn open_fresh(url: &str) -> Result<(Store, String), StoreError> {
        let server = sqlx::PgPool::connect(url).await?;
        let n: i64 = sqlx::query("select (extract(epoch from clock_timestamp()) * 1000000)::bigint")
            .fetch_one(&server)
            .await?
            .get(0);
        // Two tests of one process may ask in the same microsecond.
        static COUNT: std::sync::atomic::AtomicU32 = std::sync::atomic::AtomicU32::new(0);
        let count = COUNT.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        let name = format!("t_{}_{n}_{count}", std::process::id());
        sqlx::raw_sql(AssertSqlSafe(format!("create database {name}"))).execute(&server).await?;
        let base = url.rsplit_once('/').map_or(url, |(b, _)| b);
        let query = url.split_once('?').map(|(_, q)| format!("?{q}")).unwrap_or_default();
        let address = format!("{base}/{name}{query}");
        Ok((Store::open(&address).await?, address))
    }
}
