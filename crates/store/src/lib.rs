//! Everything that is kept, in PostgreSQL through SQLx: one table a file. What changes is told to all
//! who listen, by NOTIFY.
mod edits;
mod frames;
mod meshes;
mod notice;
mod projects;
mod renew;
mod runs;
mod space;
mod tables;
mod takes;
mod told;

pub use edits::NewEdit;
pub use meshes::StoredMesh;
pub use notice::{Notice, Notices};
pub use projects::{EditOutcome, ProjectRow, ProjectSummary};
pub use renew::Renewal;
pub use runs::{ATTEMPTS, Claim, Going, RunRow, RunState, RunWish};
pub use space::{REMOVED_DAYS, Space};
pub use takes::{TakeChange, TakeNote, TakeRow};

use sqlx::postgres::{PgConnectOptions, PgPoolOptions};
use std::str::FromStr;
use std::time::Duration;

/// The database. Cheap to clone: clones share the connections.
#[derive(Clone)]
pub struct Store {
    pool: sqlx::PgPool,
}

/// Why the database gave no answer.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    #[error("the database does not answer: {0}")]
    Away(sqlx::Error),
    #[error("the database refused: {0}")]
    Refused(sqlx::Error),
    #[error("the database can't be brought to this version: {0}")]
    Migrate(#[from] sqlx::migrate::MigrateError),
    #[error("what is stored can't be read: {0}")]
    Unreadable(#[from] serde_json::Error),
}

impl From<sqlx::Error> for StoreError {
    fn from(e: sqlx::Error) -> Self {
        match &e {
            sqlx::Error::Io(_)
            | sqlx::Error::PoolTimedOut
            | sqlx::Error::PoolClosed
            | sqlx::Error::WorkerCrashed
            | sqlx::Error::Protocol(_) => StoreError::Away(e),
            // Class 57P: the server is shutting down, crashed, or starting up. Class 08: connection lost.
            sqlx::Error::Database(d)
                if d.code().is_some_and(|c| c.starts_with("57P") || c.starts_with("08")) =>
            {
                StoreError::Away(e)
            }
            _ => StoreError::Refused(e),
        }
    }
}

impl StoreError {
    /// Whether it may go through later, unchanged.
    pub fn is_away(&self) -> bool {
        matches!(self, StoreError::Away(_))
    }
}

impl Store {
    /// Connects and brings the tables up to this version.
    ///
    /// # Errors
    /// When there is no such database, or it is of a later version.
    pub async fn open(url: &str) -> Result<Store, StoreError> {
        let options = PgConnectOptions::from_str(url)?.application_name("nematon");
        let pool = PgPoolOptions::new()
            .max_connections(12)
            .acquire_timeout(Duration::from_secs(3))
            .connect_with(options)
            .await?;
        tables::steps().run(&pool).await?;
        Ok(Store { pool })
    }
}
