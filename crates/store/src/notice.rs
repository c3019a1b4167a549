use crate::{Store, StoreError};
use serde::{Deserialize, Serialize};
use sqlx::postgres::PgListener;

const CHANNEL: &str = "nematon";

/// Something changed. Small: whoever cares reads the rest.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Notice {
    /// The scene of a project is at this revision.
    Scene { project: i64, revision: i64 },
    /// A run was queued, went on, or ended.
    Run { project: i64, run: i64 },
    /// A take was kept, changed or removed.
    Takes { project: i64 },
}

impl Notice {
    pub fn project(&self) -> i64 {
        match self {
            Notice::Scene { project, .. } | Notice::Run { project, .. } | Notice::Takes { project } => {
                *project
            }
        }
    }
}

/// Notices as they come, from this and every other process on the database.
pub struct Notices(PgListener);

impl Store {
    /// # Errors
    /// When the database is away.
    pub async fn listen(&self) -> Result<Notices, StoreError> {
        let mut listener = PgListener::connect_with(&self.pool).await?;
        listener.listen(CHANNEL).await?;
        Ok(Notices(listener))
    }
}

impl Notices {
    /// Waits for the next. After a lost connection it connects anew; what was told meanwhile is lost.
    ///
    /// # Errors
    /// When the database is away and stays away for now: call again.
    pub async fn next(&mut self) -> Result<Notice, StoreError> {
        loop {
            let n = self.0.recv().await?;
            if let Ok(notice) = serde_json::from_str(n.payload()) {
                return Ok(notice);
            }
        }
    }
}

/// Tells all who listen, when the surrounding transaction is done.
pub(crate) async fn tell<'e>(to: impl sqlx::PgExecutor<'e>, notice: &Notice) -> Result<(), StoreError> {
    let text = serde_json::to_string(notice)?;
    sqlx::query("select pg_notify($1, $2)").bind(CHANNEL).bind(text).execute(to).await?;
    Ok(())
}
