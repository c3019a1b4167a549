//! What is kept takes space; what nobody asks for any more is let go, the longest unused first.
use crate::{Store, StoreError};
use nematon_frames::Key;
use sqlx::Row;

/// Bytes that are kept.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Space {
    pub frames: i64,
    pub checkpoints: i64,
    pub meshes: i64,
}

impl Space {
    pub fn all(&self) -> i64 {
        self.frames + self.checkpoints + self.meshes
    }
}

/// A removed project is kept for so many days.
pub const REMOVED_DAYS: i32 = 30;
/// A mesh that no scene names yet may be on its way into one for so many hours.
const MESH_HOURS: i32 = 24;

impl Store {
    /// How much is kept.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn space(&self) -> Result<Space, StoreError> {
        let r = sqlx::query(
            "select (select coalesce(sum(octet_length(bytes)), 0)::bigint from chunk),
                    (select coalesce(sum(octet_length(bytes)), 0)::bigint from checkpoint),
                    (select coalesce(sum(octet_length(bytes)), 0)::bigint from mesh)",
        )
        .fetch_one(&self.pool)
        .await?;
        Ok(Space { frames: r.get(0), checkpoints: r.get(1), meshes: r.get(2) })
    }

    /// Ends projects that were removed longer ago than they are kept. How many.
    pub async fn end_removed(&self) -> Result<u64, StoreError> {
        let done = sqlx::query("delete from project where removed < now() - make_interval(days => $1)")
            .bind(REMOVED_DAYS)
            .execute(&self.pool)
            .await?;
        Ok(done.rows_affected())
    }

    /// Drops ended runs beyond the newest `most` of each project. How many.
    pub async fn end_old_runs(&self, most: i64) -> Result<u64, StoreError> {
        let done = sqlx::query(
            "delete from run where id in (
                select id from (select id, state, row_number() over (partition by project order by id desc) n from run) r
                where n > $1 and state not in ('queued', 'running'))",
        )
        .bind(most)
        .execute(&self.pool)
        .await?;
        Ok(done.rows_affected())
    }

    /// The database's own time, to be given back to it.
    pub async fn moment(&self) -> Result<String, StoreError> {
        Ok(sqlx::query("select clock_timestamp()::text").fetch_one(&self.pool).await?.get(0))
    }

    /// Lets go of frames, checkpoints and meshes that are not `asked` for and came or were used before a moment, the
    /// longest unused first, until at most `keep` bytes are left or nothing more may go. A chunk goes only whole. How many
    /// bytes went. What has come since the moment may be asked for by who came since.
    pub async fn let_go(
        &self,
        keep: i64,
        asked: &[Key],
        meshes: &[String],
        before: &str,
    ) -> Result<i64, StoreError> {
        let mut over = self.space().await?.all() - keep;
        if over <= 0 {
            return Ok(0);
        }
        let mut gone = 0;
        let mut t = self.pool.begin().await?;
        sqlx::query("create temporary table asked (key bytea primary key) on commit drop")
            .execute(&mut *t)
            .await?;
        for some in asked.chunks(20_000) {
            let bytes: Vec<Vec<u8>> = some.iter().map(|k| k.to_vec()).collect();
            sqlx::query("insert into asked select unnest($1::bytea[]) on conflict do nothing")
                .bind(bytes)
                .execute(&mut *t)
                .await?;
        }
        // Each takes the bytes that have to go, and gives those that went: from the oldest on, until their sum is
        // enough.
        const CHECKPOINTS: &str = "with sizes as (select c.key, octet_length(bytes)::bigint size, used from checkpoint c
                where used < $2::timestamptz and not exists (select from asked a where a.key = c.key)),
             summed as (select key, size, sum(size) over (order by used, key) - size before from sizes),
             gone as (delete from checkpoint using summed where checkpoint.key = summed.key and before < $1 returning size)
             select coalesce(sum(size), 0)::bigint from gone";
        const CHUNKS: &str = "with sizes as (select id, octet_length(bytes)::bigint size, used from chunk c
                where used < $2::timestamptz and not exists (select from frame f join asked a on a.key = f.key where f.chunk = c.id)),
             summed as (select id, size, sum(size) over (order by used, id) - size before from sizes),
             gone as (delete from chunk using summed where chunk.id = summed.id and before < $1 returning size)
             select coalesce(sum(size), 0)::bigint from gone";
        for query in [CHECKPOINTS, CHUNKS] {
            if over > 0 {
                let went: i64 = sqlx::query(query).bind(over).bind(before).fetch_one(&mut *t).await?.get(0);
                (over, gone) = (over - went, gone + went);
            }
        }
        if over > 0 {
            let r = sqlx::query(
                "with sizes as (select hash, octet_length(bytes)::bigint size, used from mesh
                    where not hash = any($2) and used < now() - make_interval(hours => $3)),
                 summed as (select hash, size, sum(size) over (order by used, hash) - size before from sizes),
                 gone as (delete from mesh using summed where mesh.hash = summed.hash and before < $1 returning size)
                 select coalesce(sum(size), 0)::bigint from gone",
            )
            .bind(over)
            .bind(meshes)
            .bind(MESH_HOURS)
            .fetch_one(&mut *t)
            .await?;
            gone += r.get::<i64, _>(0);
        }
        // What was wrong with frames that are gone.
        sqlx::query(
            "delete from snag s where not exists (select from frame f where f.key = s.key)
                     and not exists (select from asked a where a.key = s.key)",
        )
        .execute(&mut *t)
        .await?;
        t.commit().await?;
        Ok(gone)
    }

    /// Makes all that is kept look as if it was last used so long ago. For tests.
    #[doc(hidden)]
    pub async fn age_all(&self, days: i32) -> Result<(), StoreError> {
        for table in ["chunk", "checkpoint", "mesh"] {
            let query = format!("update {table} set used = used - make_interval(days => $1)");
            sqlx::query(sqlx::AssertSqlSafe(query)).bind(days).execute(&self.pool).await?;
        }
        sqlx::query("update project set removed = removed - make_interval(days => $1)")
            .bind(days)
            .execute(&self.pool)
            .await?;
        Ok(())
    }
}
