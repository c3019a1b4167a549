use crate::notice::{Notice, tell};
use crate::{Store, StoreError, edits};
use sqlx::{AssertSqlSafe, Row};

/// A project as it is listed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ProjectSummary {
    pub id: i64,
    pub name: String,
    pub revision: i64,
    /// When it was removed, seconds since 1970, if it was.
    pub removed: Option<i64>,
    /// The revision that its picture shows, where it has one.
    pub pictured: Option<i64>,
    /// When its scene was last changed, seconds since 1970.
    pub changed: i64,
}

/// A project with its scene, and whether there is something to undo or redo.
#[derive(Clone, Debug, PartialEq)]
pub struct ProjectRow {
    pub id: i64,
    pub name: String,
    pub revision: i64,
    pub scene: serde_json::Value,
    /// What the next undo takes back.
    pub undo: Option<String>,
    /// What the next redo does again.
    pub redo: Option<String>,
}

/// What became of an edit.
#[derive(Clone, Debug, PartialEq)]
pub enum EditOutcome {
    Done(ProjectRow),
    /// Somebody else was first: the project as it is now.
    Stale(ProjectRow),
    /// There is nothing to undo or redo.
    Nothing,
    NoSuchProject,
}

impl Store {
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn projects(&self) -> Result<Vec<ProjectSummary>, StoreError> {
        self.listed("removed is null").await
    }

    /// The projects that were removed and can still be brought back.
    pub async fn removed_projects(&self) -> Result<Vec<ProjectSummary>, StoreError> {
        self.listed("removed is not null").await
    }

    async fn listed(&self, which: &str) -> Result<Vec<ProjectSummary>, StoreError> {
        let query = format!(
            "select id, name, revision, extract(epoch from removed)::bigint, pictured, extract(epoch from changed)::bigint from project where {which} order by id"
        );
        let rows = sqlx::query(AssertSqlSafe(query)).fetch_all(&self.pool).await?;
        let one = |r: &sqlx::postgres::PgRow| ProjectSummary {
            id: r.get(0),
            name: r.get(1),
            revision: r.get(2),
            removed: r.get(3),
            pictured: r.get(4),
            changed: r.get(5),
        };
        Ok(rows.iter().map(one).collect())
    }

    /// Removes a project, or brings it back. False where there is none to do that to.
    pub async fn set_removed(&self, id: i64, removed: bool) -> Result<bool, StoreError> {
        let mut t = self.pool.begin().await?;
        let query = match removed {
            true => "update project set removed = now() where id = $1 and removed is null returning revision",
            false => {
                "update project set removed = null where id = $1 and removed is not null returning revision"
            }
        };
        let Some(r) = sqlx::query(query).bind(id).fetch_optional(&mut *t).await? else { return Ok(false) };
        if removed {
            sqlx::query(
                "update run set cancel = true, state = case when state = 'queued' then 'cancelled' else state end
                 where project = $1 and state in ('queued', 'running')",
            )
            .bind(id)
            .execute(&mut *t)
            .await?;
        }
        tell(&mut *t, &Notice::Scene { project: id, revision: r.get(0) }).await?;
        t.commit().await?;
        Ok(true)
    }

    /// Every scene that a project can show: as it is, and after each undo and redo, walked by `apply`. With those of
    /// its runs and takes. Of removed projects too, for they can be brought back.
    pub async fn all_scenes(
        &self,
        apply: impl Fn(&serde_json::Value, &str) -> Option<serde_json::Value>,
    ) -> Result<Vec<serde_json::Value>, StoreError> {
        let mut out = vec![];
        for p in sqlx::query("select id, scene from project order by id").fetch_all(&self.pool).await? {
            let (id, now): (i64, serde_json::Value) = (p.get(0), serde_json::from_str(p.get(1))?);
            for (query, back) in [
                ("select backward from edit where project = $1 and not undone order by id desc", true),
                ("select forward from edit where project = $1 and undone order by id", false),
            ] {
                let mut at = now.clone();
                for e in sqlx::query(query).bind(id).fetch_all(&self.pool).await? {
                    let Some(next) = apply(&at, e.get(0)) else { break };
                    at = next.clone();
                    out.push(next);
                }
                if back {
                    out.push(now.clone());
                }
            }
        }
        for query in ["select scene from run order by id", "select scene from take order by id"] {
            for r in sqlx::query(query).fetch_all(&self.pool).await? {
                out.push(serde_json::from_str(r.get(0))?);
            }
        }
        Ok(out)
    }

    /// Keeps a small picture of a project as it is at a revision. False where there is no such project.
    pub async fn keep_picture(&self, id: i64, revision: i64, picture: &[u8]) -> Result<bool, StoreError> {
        let done =
            sqlx::query("update project set picture = $2, pictured = $3 where id = $1 and removed is null")
                .bind(id)
                .bind(picture)
                .bind(revision)
                .execute(&self.pool)
                .await?;
        Ok(done.rows_affected() > 0)
    }

    pub async fn picture(&self, id: i64) -> Result<Option<Vec<u8>>, StoreError> {
        let found = sqlx::query("select picture from project where id = $1")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        Ok(found.and_then(|r| r.get(0)))
    }

    pub async fn create_project(&self, name: &str, scene: &serde_json::Value) -> Result<i64, StoreError> {
        let row = sqlx::query("insert into project (name, scene) values ($1, $2) returning id")
            .bind(name)
            .bind(serde_json::to_string(scene)?)
            .fetch_one(&self.pool)
            .await?;
        Ok(row.get(0))
    }

    pub async fn project(&self, id: i64) -> Result<Option<ProjectRow>, StoreError> {
        let mut c = self.pool.acquire().await?;
        read(&mut c, id, false).await
    }

    /// Stores an edit that leads from `revision` to `scene`, with its patch and the patch back.
    pub async fn edit(
        &self,
        id: i64,
        revision: i64,
        scene: &serde_json::Value,
        edit: &edits::NewEdit<'_>,
    ) -> Result<EditOutcome, StoreError> {
        let mut t = self.pool.begin().await?;
        let Some(now) = read(&mut t, id, true).await? else { return Ok(EditOutcome::NoSuchProject) };
        if now.revision != revision {
            return Ok(EditOutcome::Stale(now));
        }
        edits::push(&mut t, id, edit).await?;
        write(&mut t, id, revision + 1, scene).await?;
        let now = read(&mut t, id, false).await?;
        t.commit().await?;
        Ok(now.map_or(EditOutcome::NoSuchProject, EditOutcome::Done))
    }

    /// Gives a project another name. That is no edit of its scene: no undo takes it back.
    pub async fn rename(&self, id: i64, name: &str) -> Result<Option<ProjectRow>, StoreError> {
        let mut t = self.pool.begin().await?;
        let Some(mut now) = read(&mut t, id, true).await? else { return Ok(None) };
        now.scene["name"] = name.into();
        write(&mut t, id, now.revision + 1, &now.scene).await?;
        let now = read(&mut t, id, false).await?;
        t.commit().await?;
        Ok(now)
    }

    /// Takes back the last edit, or does the last undone one again. `apply` carries a patch out.
    pub async fn turn(
        &self,
        id: i64,
        revision: i64,
        back: bool,
        apply: impl FnOnce(&serde_json::Value, &str) -> Option<serde_json::Value> + Send,
    ) -> Result<EditOutcome, StoreError> {
        let mut t = self.pool.begin().await?;
        let Some(now) = read(&mut t, id, true).await? else { return Ok(EditOutcome::NoSuchProject) };
        if now.revision != revision {
            return Ok(EditOutcome::Stale(now));
        }
        let Some(found) = edits::top(&mut t, id, back).await? else { return Ok(EditOutcome::Nothing) };
        let Some(scene) = apply(&now.scene, &found.patch) else { return Ok(EditOutcome::Nothing) };
        edits::mark(&mut t, found.id, back).await?;
        write(&mut t, id, revision + 1, &scene).await?;
        let now = read(&mut t, id, false).await?;
        t.commit().await?;
        Ok(now.map_or(EditOutcome::NoSuchProject, EditOutcome::Done))
    }
}

async fn read(c: &mut sqlx::PgConnection, id: i64, lock: bool) -> Result<Option<ProjectRow>, StoreError> {
    let query = if lock {
        "select name, revision, scene from project where id = $1 and removed is null for update"
    } else {
        "select name, revision, scene from project where id = $1 and removed is null"
    };
    let Some(r) = sqlx::query(query).bind(id).fetch_optional(&mut *c).await? else { return Ok(None) };
    let scene: String = r.get(2);
    let undo = edits::top(c, id, true).await?.map(|e| e.label);
    let redo = edits::top(c, id, false).await?.map(|e| e.label);
    Ok(Some(ProjectRow {
        id,
        name: r.get(0),
        revision: r.get(1),
        scene: serde_json::from_str(&scene)?,
        undo,
        redo,
    }))
}

async fn write(
    c: &mut sqlx::PgConnection,
    id: i64,
    revision: i64,
    scene: &serde_json::Value,
) -> Result<(), StoreError> {
    sqlx::query("update project set revision = $2, scene = $3, name = $4, changed = now() where id = $1")
        .bind(id)
        .bind(revision)
        .bind(serde_json::to_string(scene)?)
        .bind(scene["name"].as_str().unwrap_or("Untitled"))
        .execute(&mut *c)
        .await?;
    tell(c, &Notice::Scene { project: id, revision }).await
}
