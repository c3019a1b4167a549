use crate::{Store, StoreError};
use nematon_frames::Key;
use sqlx::Row;
use std::collections::HashMap;

impl Store {
    /// Keeps what is told of a frame beside its points: JSON.
    ///
    /// # Errors
    /// When the database is away. So for all of these.
    pub async fn keep_told(&self, key: &Key, told: &str) -> Result<(), StoreError> {
        sqlx::query("insert into snag (key, told) values ($1, $2) on conflict do nothing")
            .bind(&key[..])
            .bind(told)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    /// What is told of frames, by their place in the list; most have nothing.
    pub async fn told(&self, keys: &[Key]) -> Result<HashMap<usize, String>, StoreError> {
        let bytes: Vec<Vec<u8>> = keys.iter().map(|k| k.to_vec()).collect();
        let rows = sqlx::query(
            "select u.place, s.told from unnest($1::bytea[]) with ordinality as u(key, place)
             join snag s on s.key = u.key",
        )
        .bind(bytes)
        .fetch_all(&self.pool)
        .await?;
        Ok(rows.iter().map(|r| (r.get::<i64, _>(0) as usize - 1, r.get(1))).collect())
    }
}
