use crate::{Store, StoreError};
use nematon_frames::{FrameStore, Key, Location};
use sqlx::Row;
use std::collections::HashMap;

fn bytes(keys: &[Key]) -> Vec<Vec<u8>> {
    keys.iter().map(|k| k.to_vec()).collect()
}

impl FrameStore for Store {
    type Error = StoreError;

    async fn find(&self, keys: &[Key]) -> Result<Vec<Option<Location>>, StoreError> {
        let rows = sqlx::query("select key, chunk, slot from frame where key = any($1)")
            .bind(bytes(keys))
            .fetch_all(&self.pool)
            .await?;
        let places: HashMap<Vec<u8>, Location> = rows
            .iter()
            .map(|r| (r.get(0), Location { chunk: r.get(1), slot: r.get::<i32, _>(2) as u32 }))
            .collect();
        Ok(keys.iter().map(|k| places.get(&k[..]).copied()).collect())
    }

    async fn keep(&self, keys: &[Key], packed: &[u8]) -> Result<i64, StoreError> {
        let mut t = self.pool.begin().await?;
        let row = sqlx::query("insert into chunk (bytes) values ($1) returning id")
            .bind(packed)
            .fetch_one(&mut *t)
            .await?;
        let chunk: i64 = row.get(0);
        let slots: Vec<i32> = (0..keys.len() as i32).collect();
        sqlx::query(
            "insert into frame (key, chunk, slot) select k, $2, s from unnest($1::bytea[], $3::int[]) as u(k, s)
             on conflict do nothing",
        )
        .bind(bytes(keys))
        .bind(chunk)
        .bind(slots)
        .execute(&mut *t)
        .await?;
        t.commit().await?;
        Ok(chunk)
    }

    async fn chunk(&self, id: i64) -> Result<Option<Vec<u8>>, StoreError> {
        let row = sqlx::query("select bytes, used < now() - interval '10 minutes' from chunk where id = $1")
            .bind(id)
            .fetch_optional(&self.pool)
            .await?;
        let Some(r) = row else { return Ok(None) };
        if r.get(1) {
            sqlx::query("update chunk set used = now() where id = $1").bind(id).execute(&self.pool).await?;
        }
        Ok(Some(r.get(0)))
    }

    async fn keep_checkpoint(&self, key: &Key, packed: &[u8]) -> Result<(), StoreError> {
        sqlx::query("insert into checkpoint (key, bytes) values ($1, $2) on conflict do nothing")
            .bind(&key[..])
            .bind(packed)
            .execute(&self.pool)
            .await?;
        Ok(())
    }

    async fn last_checkpoint(&self, keys: &[Key]) -> Result<Option<(usize, Vec<u8>)>, StoreError> {
        let row = sqlx::query(
            "with last as (select u.place, u.key from unnest($1::bytea[]) with ordinality as u(key, place)
                join checkpoint c on c.key = u.key order by u.place desc limit 1)
             update checkpoint c set used = now() from last where c.key = last.key returning last.place, c.bytes",
        )
        .bind(bytes(keys))
        .fetch_optional(&self.pool)
        .await?;
        Ok(row.map(|r| (r.get::<i64, _>(0) as usize - 1, r.get(1))))
    }
}
