//! Imported meshes, from the database, read once.
use nematon_document::{MeshSource, Scene};
use nematon_evaluate::MeshLibrary;
use nematon_geometry::Mesh;
use nematon_store::{Store, StoreError};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

type Read = Result<Arc<Mesh>, String>;

#[derive(Clone)]
pub struct StoredMeshes {
    store: Store,
    read: Arc<Mutex<HashMap<String, Read>>>,
}

impl StoredMeshes {
    pub fn new(store: Store) -> StoredMeshes {
        StoredMeshes { store, read: Arc::default() }
    }

    /// Fetches and reads what a scene needs, so that the synchronous core finds it at hand.
    ///
    /// # Errors
    /// When the database is away.
    pub async fn fetch(&self, scene: &Scene) -> Result<(), StoreError> {
        for source in scene.meshes() {
            let MeshSource::Blob(hash) = source else { continue };
            if self.at_hand().contains_key(hash) {
                continue;
            }
            let found = self.store.mesh(hash).await?;
            let read = match found {
                // Reading may take a second: not on a thread that answers others.
                Some(f) => tokio::task::spawn_blocking(move || {
                    nematon_formats::read_mesh(&f.name, &f.bytes).map(Arc::new).map_err(|e| e.to_string())
                })
                .await
                .unwrap_or_else(|e| Err(e.to_string())),
                None => Err("it is not kept here. Bring it in again".into()),
            };
            self.at_hand().insert(hash.clone(), read);
        }
        Ok(())
    }

    /// Forgets that a mesh was missing, now that it has come.
    pub fn forget(&self, hash: &str) {
        self.at_hand().remove(hash);
    }

    fn at_hand(&self) -> std::sync::MutexGuard<'_, HashMap<String, Read>> {
        self.read.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl MeshLibrary for StoredMeshes {
    fn mesh(&self, source: &MeshSource) -> Read {
        match source {
            MeshSource::Blob(hash) => {
                self.at_hand().get(hash).cloned().unwrap_or_else(|| Err("it was not fetched".into()))
            }
            MeshSource::File(name) => {
                Err(format!("\"{name}\" is a file beside a scene file; here meshes are brought in"))
            }
        }
    }
}
