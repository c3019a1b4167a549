use crate::notice::{Notice, tell};
use crate::{Store, StoreError, edits};
use sqlx::Row;

/// A project as it is listed.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ProjectSummary {
    pub id: i64,
    pub name: String,
    pub revision: i64,
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
        let rows =
            sqlx::query("select id, name, revision from project order by id").fetch_all(&self.pool).await?;
        Ok(rows.iter().map(|r| ProjectSummary { id: r.get(0), name: r.get(1), revision: r.get(2) }).collect())
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
        "select name, revision, scene from project where id = $1 for update"
    } else {
        "select name, revision, scene from project where id = $1"
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
    sqlx::query("update project set revision = $2, scene = $3, name = $4 where id = $1")
        .bind(id)
        .bind(revision)
        .bind(serde_json::to_string(scene)?)
        .bind(scene["name"].as_str().unwrap_or("Untitled"))
        .execute(&mut *c)
        .await?;
    tell(c, &Notice::Scene { project: id, revision }).await
}
