//! Takes: scenes as they were when somebody said that they be kept. Their frames stay with them.
use crate::notice::{Notice, tell};
use crate::{Store, StoreError};
use sqlx::Row;
use sqlx::postgres::PgRow;

/// A take without its scene.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct TakeRow {
    pub id: i64,
    pub name: String,
    pub starred: bool,
    pub note: String,
    /// Seconds since 1970.
    pub made: i64,
    /// Whether the project's scene is as it was then.
    pub current: bool,
}

/// What of a take is to be otherwise.
#[derive(Clone, Debug, Default)]
pub struct TakeChange {
    pub name: Option<String>,
    pub starred: Option<bool>,
    pub note: Option<String>,
}

/// An undo may put the parts of a scene in another order: as long a text is looked at closer.
const COLUMNS: &str = "id, name, starred, note, extract(epoch from made)::bigint,
    coalesce((select case when p.scene = take.scene then true
        when length(p.scene) = length(take.scene) then p.scene::jsonb = take.scene::jsonb else false end
        from project p where p.id = take.project), false)";

fn row(r: &PgRow) -> TakeRow {
    TakeRow {
        id: r.get(0),
        name: r.get(1),
        starred: r.get(2),
        note: r.get(3),
        made: r.get(4),
        current: r.get(5),
    }
}

impl Store {
    /// The takes of a project, the newest first.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn takes(&self, project: i64) -> Result<Vec<TakeRow>, StoreError> {
        let query =
            sqlx::AssertSqlSafe(format!("select {COLUMNS} from take where project = $1 order by id desc"));
        Ok(sqlx::query(query).bind(project).fetch_all(&self.pool).await?.iter().map(row).collect())
    }

    /// Keeps a scene as a take.
    pub async fn keep_take(
        &self,
        project: i64,
        name: &str,
        note: &str,
        scene: &serde_json::Value,
    ) -> Result<TakeRow, StoreError> {
        let query = sqlx::AssertSqlSafe(format!(
            "insert into take (project, name, note, scene) values ($1, $2, $3, $4) returning {COLUMNS}"
        ));
        let scene = serde_json::to_string(scene)?;
        let made = sqlx::query(query).bind(project).bind(name).bind(note).bind(scene);
        let made = row(&made.fetch_one(&self.pool).await?);
        tell(&self.pool, &Notice::Takes { project }).await?;
        Ok(made)
    }

    /// Changes what is said of a take; none where there is no such take of the project.
    pub async fn change_take(
        &self,
        project: i64,
        id: i64,
        to: &TakeChange,
    ) -> Result<Option<TakeRow>, StoreError> {
        let query = sqlx::AssertSqlSafe(format!(
            "update take set name = coalesce($3, name), starred = coalesce($4, starred), note = coalesce($5, note)
             where project = $1 and id = $2 returning {COLUMNS}"
        ));
        let asked = sqlx::query(query).bind(project).bind(id).bind(&to.name).bind(to.starred).bind(&to.note);
        let found = asked.fetch_optional(&self.pool).await?.as_ref().map(row);
        tell(&self.pool, &Notice::Takes { project }).await?;
        Ok(found)
    }

    /// Lets a take go; false where there is no such take of the project.
    pub async fn remove_take(&self, project: i64, id: i64) -> Result<bool, StoreError> {
        let query = sqlx::query("delete from take where project = $1 and id = $2").bind(project).bind(id);
        let gone = query.execute(&self.pool).await?.rows_affected() > 0;
        tell(&self.pool, &Notice::Takes { project }).await?;
        Ok(gone)
    }

    /// The scene of a take of a project.
    pub async fn take_scene(&self, project: i64, id: i64) -> Result<Option<serde_json::Value>, StoreError> {
        let query =
            sqlx::query("select scene from take where project = $1 and id = $2").bind(project).bind(id);
        let found = query.fetch_optional(&self.pool).await?;
        Ok(found.map(|r| serde_json::from_str(r.get(0))).transpose()?)
    }
}
