use crate::StoreError;
use sqlx::Row;

/// An edit to keep: its name, its patch and the patch back, as JSON text.
pub struct NewEdit<'a> {
    pub label: &'a str,
    pub forward: &'a str,
    pub backward: &'a str,
}

/// The edit that an undo or redo would turn.
pub(crate) struct Top {
    pub id: i64,
    pub label: String,
    pub patch: String,
}

/// Keeps an edit; what was undone before it can't be done again.
pub(crate) async fn push(
    c: &mut sqlx::PgConnection,
    project: i64,
    edit: &NewEdit<'_>,
) -> Result<(), StoreError> {
    sqlx::query("delete from edit where project = $1 and undone").bind(project).execute(&mut *c).await?;
    sqlx::query("insert into edit (project, label, forward, backward) values ($1, $2, $3, $4)")
        .bind(project)
        .bind(edit.label)
        .bind(edit.forward)
        .bind(edit.backward)
        .execute(c)
        .await?;
    Ok(())
}

/// The last edit that holds (to undo), or the first that was undone (to redo).
pub(crate) async fn top(
    c: &mut sqlx::PgConnection,
    project: i64,
    back: bool,
) -> Result<Option<Top>, StoreError> {
    let query = if back {
        "select id, label, backward from edit where project = $1 and not undone order by id desc limit 1"
    } else {
        "select id, label, forward from edit where project = $1 and undone order by id limit 1"
    };
    let row = sqlx::query(query).bind(project).fetch_optional(c).await?;
    Ok(row.map(|r| Top { id: r.get(0), label: r.get(1), patch: r.get(2) }))
}

pub(crate) async fn mark(c: &mut sqlx::PgConnection, id: i64, undone: bool) -> Result<(), StoreError> {
    sqlx::query("update edit set undone = $2 where id = $1").bind(id).bind(undone).execute(c).await?;
    Ok(())
}
