use crate::{Store, StoreError};
use serde_json::Value;
use sqlx::Row;

/// How scenes of an older version become scenes of this one.
pub struct Renewal<'a> {
    pub is_old: &'a (dyn Fn(&Value) -> bool + Sync),
    pub renew: &'a (dyn Fn(Value) -> Value + Sync),
    /// A kept patch carried out on a scene of its own version.
    pub apply: &'a (dyn Fn(&Value, &str) -> Option<Value> + Sync),
    /// The patch from one scene to another.
    pub patch: &'a (dyn Fn(&Value, &Value) -> Result<String, serde_json::Error> + Sync),
}

impl Store {
    /// Brings all that is kept of an older version to this one: scenes of projects, of their runs and takes, and every step that
    /// can be undone or done again, so that each leads to what it led to before. A step that can't be walked any more
    /// goes, with those behind it. How many projects there were.
    ///
    /// # Errors
    /// When the database is away.
    pub async fn renew(&self, how: &Renewal<'_>) -> Result<usize, StoreError> {
        let mut done = 0;
        for r in sqlx::query("select id from project order by id").fetch_all(&self.pool).await? {
            done += usize::from(self.renew_project(r.get(0), how).await?);
        }
        for (all, set) in [
            ("select id, scene from run order by id", "update run set scene = $2 where id = $1"),
            ("select id, scene from take order by id", "update take set scene = $2 where id = $1"),
        ] {
            for r in sqlx::query(all).fetch_all(&self.pool).await? {
                let (id, scene): (i64, Value) = (r.get(0), serde_json::from_str(r.get(1))?);
                if (how.is_old)(&scene) {
                    sqlx::query(set)
                        .bind(id)
                        .bind((how.renew)(scene).to_string())
                        .execute(&self.pool)
                        .await?;
                }
            }
        }
        Ok(done)
    }

    async fn renew_project(&self, id: i64, how: &Renewal<'_>) -> Result<bool, StoreError> {
        let mut t = self.pool.begin().await?;
        let row = sqlx::query("select scene from project where id = $1 for update").bind(id);
        let now: Value = serde_json::from_str(row.fetch_one(&mut *t).await?.get(0))?;
        if !(how.is_old)(&now) {
            return Ok(false);
        }
        let new = (how.renew)(now.clone());
        for (back, query) in [
            (true, "select id, backward from edit where project = $1 and not undone order by id desc"),
            (false, "select id, forward from edit where project = $1 and undone order by id"),
        ] {
            let (mut old_at, mut new_at, mut broken) = (now.clone(), new.clone(), false);
            for e in sqlx::query(query).bind(id).fetch_all(&mut *t).await? {
                let edit: i64 = e.get(0);
                let next = (!broken).then(|| (how.apply)(&old_at, e.get(1))).flatten();
                let Some(next) = next else {
                    broken = true;
                    sqlx::query("delete from edit where id = $1").bind(edit).execute(&mut *t).await?;
                    continue;
                };
                let to = (how.renew)(next.clone());
                let (there, here) = ((how.patch)(&new_at, &to)?, (how.patch)(&to, &new_at)?);
                let (forward, backward) = if back { (here, there) } else { (there, here) };
                sqlx::query("update edit set forward = $2, backward = $3 where id = $1")
                    .bind(edit)
                    .bind(forward)
                    .bind(backward)
                    .execute(&mut *t)
                    .await?;
                (old_at, new_at) = (next, to);
            }
        }
        sqlx::query("update project set scene = $2 where id = $1")
            .bind(id)
            .bind(new.to_string())
            .execute(&mut *t)
            .await?;
        t.commit().await?;
        Ok(true)
    }
}
