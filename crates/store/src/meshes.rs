use crate::{Store, StoreError};
use sqlx::Row;

/// A mesh file as it was brought in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct StoredMesh {
    pub name: String,
    pub bytes: Vec<u8>,
}

impl Store {
    /// Keeps a mesh file under its hash; one that is there already stays.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn keep_mesh(&self, hash: &str, name: &str, bytes: &[u8]) -> Result<(), StoreError> {
        sqlx::query("insert into mesh (hash, name, bytes) values ($1, $2, $3) on conflict (hash) do update set used = now()")
            .bind(hash)
            .bind(name)
            .bind(bytes)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    pub async fn mesh_name(&self, hash: &str) -> Result<Option<String>, StoreError> {
        let row = sqlx::query("select name from mesh where hash = $1")
            .bind(hash)
            .fetch_optional(&self.pool)
            .await?;
        Ok(row.map(|r| r.get(0)))
    }

    pub async fn mesh(&self, hash: &str) -> Result<Option<StoredMesh>, StoreError> {
        let row = sqlx::query("select name, bytes from mesh where hash = $1")
            .bind(hash)
            .fetch_optional(&self.pool)
            .await?;
        Ok(row.map(|r| StoredMesh { name: r.get(0), bytes: r.get(1) }))
    }
}
