//! Takes: scenes as they were when somebody said that they be kept. Their frames stay with them.
use crate::notice::{Notice, tell};
use crate::{Store, StoreError};
use serde::Deserialize;
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
    /// By frame.
    pub notes: Vec<TakeNote>,
}

/// What is said of a frame of a take.
#[derive(Clone, Debug, PartialEq, Eq, Deserialize)]
pub struct TakeNote {
    pub id: i64,
    pub frame: i64,
    /// Of which body, and of which of its points; none is of all that is seen.
    pub body: Option<String>,
    pub point: Option<i64>,
    pub words: String,
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
        from project p where p.id = take.project), false),
    coalesce((select json_agg(json_build_object('id', n.id, 'frame', n.frame, 'body', n.body, 'point', n.point, 'words', n.words)
        order by n.frame, n.id) from take_note n where n.take = take.id), '[]')::text";

fn row(r: &PgRow) -> Result<TakeRow, StoreError> {
    Ok(TakeRow {
        id: r.get(0),
        name: r.get(1),
        starred: r.get(2),
        note: r.get(3),
        made: r.get(4),
        current: r.get(5),
        notes: serde_json::from_str(r.get(6))?,
    })
}

impl Store {
    /// The takes of a project, the newest first.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn takes(&self, project: i64) -> Result<Vec<TakeRow>, StoreError> {
        let query =
            sqlx::AssertSqlSafe(format!("select {COLUMNS} from take where project = $1 order by id desc"));
        sqlx::query(query).bind(project).fetch_all(&self.pool).await?.iter().map(row).collect()
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
        let made = row(&made.fetch_one(&self.pool).await?)?;
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
        let found = asked.fetch_optional(&self.pool).await?.as_ref().map(row).transpose()?;
        tell(&self.pool, &Notice::Takes { project }).await?;
        Ok(found)
    }

    /// Says something of a frame of a take. None where there is no such take of the project; so for the two after this.
    pub async fn note_take(
        &self,
        project: i64,
        take: i64,
        (frame, body, point): (i64, Option<&str>, Option<i64>),
        words: &str,
    ) -> Result<Option<TakeRow>, StoreError> {
        sqlx::query(
            "insert into take_note (take, frame, body, point, words)
             select id, $3, $4, $5, $6 from take where project = $1 and id = $2",
        )
        .bind(project)
        .bind(take)
        .bind(frame)
        .bind(body)
        .bind(point)
        .bind(words)
        .execute(&self.pool)
        .await?;
        self.noted(project, take, true).await
    }

    /// Says it in other words.
    pub async fn change_take_note(
        &self,
        project: i64,
        take: i64,
        note: i64,
        words: &str,
    ) -> Result<Option<TakeRow>, StoreError> {
        let query = "update take_note n set words = $4 from take t
            where t.project = $1 and t.id = $2 and n.take = t.id and n.id = $3";
        let asked = sqlx::query(query).bind(project).bind(take).bind(note).bind(words);
        let there = asked.execute(&self.pool).await?.rows_affected() > 0;
        self.noted(project, take, there).await
    }

    /// Says it no more.
    pub async fn remove_take_note(
        &self,
        project: i64,
        take: i64,
        note: i64,
    ) -> Result<Option<TakeRow>, StoreError> {
        let query = "delete from take_note n using take t
            where t.project = $1 and t.id = $2 and n.take = t.id and n.id = $3";
        let asked = sqlx::query(query).bind(project).bind(take).bind(note);
        let there = asked.execute(&self.pool).await?.rows_affected() > 0;
        self.noted(project, take, there).await
    }

    /// A take after something was said of it.
    async fn noted(&self, project: i64, take: i64, there: bool) -> Result<Option<TakeRow>, StoreError> {
        if !there {
            return Ok(None);
        }
        tell(&self.pool, &Notice::Takes { project }).await?;
        let query = sqlx::AssertSqlSafe(format!("select {COLUMNS} from take where project = $1 and id = $2"));
        let found = sqlx::query(query).bind(project).bind(take).fetch_optional(&self.pool).await?;
        found.as_ref().map(row).transpose()
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
