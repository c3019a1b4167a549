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
    pub wish: RunWish,
    /// Whether it was put first by hand.
    pub urgent: bool,
    /// The take whose scene it computes, where it is not the project's own.
    pub take: Option<i64>,
}

/// What of a scene a run computes.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct RunWish {
    /// Frames up to this one; all if left out.
    pub until: Option<i64>,
    /// Keys of the bodies, with those that they touch; all if there are none.
    pub bodies: Vec<String>,
}

/// A run that waits or is at work, as the queue stands.
#[derive(Clone, Debug, PartialEq)]
pub struct Going {
    pub run: i64,
    pub project: i64,
    pub name: String,
    pub running: bool,
    /// Frames left, and seconds a frame where known.
    pub left: i32,
    pub pace: Option<f64>,
}

/// A run taken from the queue.
#[derive(Clone, Debug, PartialEq)]
pub struct Claim {
    pub run: i64,
    pub project: i64,
    pub scene: serde_json::Value,
    pub wish: RunWish,
    /// Of earlier turns.
    pub computed: i32,
    pub seconds: f64,
}

const COLUMNS: &str = "id, project, revision, state, done, total, computed, seconds, message, costs, until, bodies, \
    urgent is not null, take";
/// The order in which runs are taken: what was put first by hand, then the project that was served longest ago.
const ORDER: &str = "r.urgent desc nulls last, p.served asc nulls first, r.id";

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
        wish: wish(r.get(10), r.get(11)),
        urgent: r.get(12),
        take: r.get(13),
    }
}

fn wish(until: Option<i64>, bodies: &str) -> RunWish {
    RunWish { until, bodies: serde_json::from_str(bodies).unwrap_or_default() }
}

impl Store {
    /// Queues a run of the project's scene as it is now. A run of the same revision and wish that is still
    /// waiting or at work is given back instead; `again` ends those of other revisions.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn queue_run(
        &self,
        project: i64,
        wish: &RunWish,
        again: bool,
    ) -> Result<Option<RunRow>, StoreError> {
        let bodies = serde_json::to_string(&wish.bodies)?;
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
             and revision = (select revision from project where id = $1) and until is not distinct from $2
             and bodies = $3 and take is null order by id desc limit 1"
        )))
        .bind(project)
        .bind(wish.until)
        .bind(&bodies)
        .fetch_optional(&mut *t)
        .await?;
        if let Some(r) = waiting {
            return Ok(Some(row(&r)));
        }
        if again {
            sqlx::query(
                "update run set cancel = true, state = case when state = 'queued' then 'cancelled' else state end
                 where project = $1 and state in ('queued', 'running')",
            )
            .bind(project)
            .execute(&mut *t)
            .await?;
        }
        let made = sqlx::query(AssertSqlSafe(format!(
            "insert into run (project, revision, scene, until, bodies)
             select id, revision, scene, $2, $3 from project where id = $1 returning {COLUMNS}"
        )))
        .bind(project)
        .bind(wish.until)
        .bind(&bodies)
        .fetch_one(&mut *t)
        .await?;
        let made = row(&made);
        tell(&mut *t, &Notice::Run { project, run: made.id }).await?;
        t.commit().await?;
        Ok(Some(made))
    }

    /// Queues a run of a take's scene; one that still waits or is at work is given back instead. `None` where there is no such take.
    pub async fn queue_take(&self, project: i64, take: i64) -> Result<Option<RunRow>, StoreError> {
        let mut t = self.pool.begin().await?;
        // One at a time for a project, so that two windows don't queue it twice.
        let own = sqlx::query(
            "select 1 from project p join take t on t.project = p.id where p.id = $1 and t.id = $2 and p.removed is null for update of p",
        );
        if own.bind(project).bind(take).fetch_optional(&mut *t).await?.is_none() {
            return Ok(None);
        }
        let waiting = sqlx::query(AssertSqlSafe(format!(
            "select {COLUMNS} from run where project = $1 and take = $2 and state in ('queued', 'running') and not cancel limit 1"
        )));
        if let Some(r) = waiting.bind(project).bind(take).fetch_optional(&mut *t).await? {
            return Ok(Some(row(&r)));
        }
        let made = sqlx::query(AssertSqlSafe(format!(
            "insert into run (project, revision, scene, bodies, take)
             select p.id, p.revision, t.scene, '[]', t.id from project p join take t on t.project = p.id
             where p.id = $1 and t.id = $2 returning {COLUMNS}"
        )));
        let made = row(&made.bind(project).bind(take).fetch_one(&mut *t).await?);
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
        let mut t = self.pool.begin().await?;
        let found = sqlx::query(AssertSqlSafe(format!(
            "update run set state = 'running', worker = $1, heartbeat = now(), attempts = attempts + 1 where id = (
                select r.id from run r join project p on p.id = r.project where p.removed is null and not r.cancel
                and (r.state = 'queued' or (r.state = 'running' and r.heartbeat < now() - make_interval(secs => $2)))
                order by {ORDER} limit 1 for update of r skip locked)
             returning id, project, scene, until, bodies, computed, seconds"
        )))
        .bind(worker)
        .bind(DEAD_AFTER)
        .fetch_optional(&mut *t)
        .await?;
        let Some(r) = found else { return Ok(None) };
        let project = r.get(1);
        sqlx::query("update project set served = clock_timestamp() where id = $1")
            .bind(project)
            .execute(&mut *t)
            .await?;
        t.commit().await?;
        let scene: String = r.get(2);
        Ok(Some(Claim {
            run: r.get(0),
            project,
            scene: serde_json::from_str(&scene)?,
            wish: wish(r.get(3), r.get(4)),
            computed: r.get(5),
            seconds: r.get(6),
        }))
    }

    /// The runs that are at work or wait, in the order in which they are taken.
    pub async fn going(&self) -> Result<Vec<Going>, StoreError> {
        let rows = sqlx::query(AssertSqlSafe(format!(
            "select r.id, r.project, p.name, r.state = 'running', greatest(r.total - r.done, 0), r.computed, r.seconds
             from run r join project p on p.id = r.project
             where r.state in ('queued', 'running') and not r.cancel and p.removed is null
             order by r.state = 'running' desc, {ORDER}"
        )))
        .fetch_all(&self.pool)
        .await?;
        let one = |r: &PgRow| {
            let (computed, seconds): (i32, f64) = (r.get(5), r.get(6));
            let pace = (computed > 0 && seconds > 0.0).then(|| seconds / f64::from(computed));
            Going {
                run: r.get(0),
                project: r.get(1),
                name: r.get(2),
                running: r.get(3),
                left: r.get(4),
                pace,
            }
        };
        Ok(rows.iter().map(one).collect())
    }

    /// Puts a run before all others.
    pub async fn put_first(&self, id: i64) -> Result<Option<RunRow>, StoreError> {
        let found = sqlx::query(AssertSqlSafe(format!(
            "update run set urgent = now() where id = $1 and state in ('queued', 'running') returning {COLUMNS}"
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

    /// Whether another run waits for the worker that has this one: one that was put first, or, after its turn, one of
    /// another project.
    pub async fn is_waited_for(&self, run: i64, turn_is_over: bool) -> Result<bool, StoreError> {
        let found = sqlx::query(
            "select exists (select from run r join project p on p.id = r.project, run own
                where own.id = $1 and r.state = 'queued' and not r.cancel and p.removed is null and (
                    (r.urgent is not null and (own.urgent is null or own.urgent < r.urgent))
                    or ($2 and r.project <> own.project and own.urgent is null)))",
        )
        .bind(run)
        .bind(turn_is_over)
        .fetch_one(&self.pool)
        .await?;
        Ok(found.get(0))
    }

    /// Leaves a run to its next turn, with how far it is.
    pub async fn hand_on(&self, worker: &str, at: &RunRow) -> Result<(), StoreError> {
        self.write_down(worker, at, RunState::Queued).await.map(drop)
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
        Ok(self.write_down(worker, at, RunState::Running).await? == Some(false))
    }

    /// Ends a run that this worker has.
    pub async fn end_run(&self, worker: &str, at: &RunRow) -> Result<(), StoreError> {
        self.write_down(worker, at, at.state).await.map(drop)
    }

    /// Writes down how far a run is and what becomes of it. Whether it was asked to stop; `None` where the worker no
    /// longer has it. A run that got further, or gave way in good order, has its attempts back.
    async fn write_down(
        &self,
        worker: &str,
        at: &RunRow,
        state: RunState,
    ) -> Result<Option<bool>, StoreError> {
        let found = sqlx::query(
            "update run set heartbeat = now(), state = $3, message = $4, done = $5, total = $6, computed = $7,
                seconds = $8, costs = $9,
                attempts = case when $7 > 0 or $3 = 'queued' then 0 else attempts end
             where id = $1 and worker = $2 and state = 'running' returning cancel",
        )
        .bind(at.id)
        .bind(worker)
        .bind(state.name())
        .bind(&at.message)
        .bind(at.done)
        .bind(at.total)
        .bind(at.computed)
        .bind(at.seconds)
        .bind(&at.costs)
        .fetch_optional(&self.pool)
        .await?;
        tell(&self.pool, &Notice::Run { project: at.project, run: at.id }).await?;
        Ok(found.map(|r| r.get(0)))
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
