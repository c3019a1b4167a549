//! Imported files, from the database, read once: meshes, and figures with what moves them.
use nematon_document::{MeshSource, Scene};
use nematon_evaluate::MeshLibrary;
use nematon_figure::Figure;
use nematon_formats::{read_figure, read_mesh, with_points};
use nematon_geometry::Mesh;
use nematon_store::{Store, StoreError, StoredMesh};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};

type Read<T> = Result<Arc<T>, String>;
/// A figure by its file and that of its points.
type FigureKey = (String, Option<String>);

#[derive(Clone)]
pub struct StoredMeshes {
    store: Store,
    read: Arc<Mutex<HashMap<String, Read<Mesh>>>>,
    figures: Arc<Mutex<HashMap<FigureKey, Read<Figure>>>>,
}

impl StoredMeshes {
    pub fn new(store: Store) -> StoredMeshes {
        StoredMeshes { store, read: Arc::default(), figures: Arc::default() }
    }

    /// Fetches and reads what a scene needs, so that the synchronous core finds it at hand.
    ///
    /// # Errors
    /// When the database is away.
    pub async fn fetch(&self, scene: &Scene) -> Result<(), StoreError> {
        let bodies = scene.bodies.values().flat_map(|b| b.kind.sources());
        let colliders = scene.colliders.values().flat_map(|c| c.form.sources());
        for (_, source) in bodies.chain(colliders) {
            let MeshSource::Blob(hash) = source else { continue };
            if lock(&self.read).contains_key(hash) {
                continue;
            }
            let read = self.read(hash, |f| read_mesh(&f.name, &f.bytes).map_err(|e| e.to_string())).await?;
            lock(&self.read).insert(hash.clone(), read);
        }
        for f in scene.figures.values() {
            let Some(key) = key(f) else { continue };
            if lock(&self.figures).contains_key(&key) {
                continue;
            }
            let read = |f: StoredMesh| read_figure(&f.name, &f.bytes).map_err(|e| e.to_string());
            let mut read = self.read(&key.0, read).await?;
            if let (Some(points), Ok(own)) = (&key.1, &read) {
                let own = Figure::clone(own);
                let with = |f: StoredMesh| with_points(own, &f.bytes).map_err(|e| e.to_string());
                read = self.read(points, with).await?;
            }
            lock(&self.figures).insert(key, read);
        }
        Ok(())
    }

    /// Reading may take a second: not on a thread that answers others.
    async fn read<T: Send + 'static>(
        &self,
        hash: &str,
        how: impl FnOnce(StoredMesh) -> Result<T, String> + Send + 'static,
    ) -> Result<Read<T>, StoreError> {
        let Some(found) = self.store.mesh(hash).await? else {
            return Ok(Err("it is not kept here. Bring it in again".into()));
        };
        let read = tokio::task::spawn_blocking(move || how(found)).await;
        Ok(read.unwrap_or_else(|e| Err(e.to_string())).map(Arc::new))
    }

    /// Forgets that a file was missing, now that it has come.
    pub fn forget(&self, hash: &str) {
        lock(&self.read).remove(hash);
        lock(&self.figures).retain(|(a, b), _| a != hash && b.as_deref() != Some(hash));
    }
}

fn lock<T>(of: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    of.lock().unwrap_or_else(PoisonError::into_inner)
}

/// `None` of one that names files beside a scene file.
fn key(f: &nematon_document::Figure) -> Option<FigureKey> {
    match (&f.from, &f.points) {
        (MeshSource::Blob(from), None) => Some((from.clone(), None)),
        (MeshSource::Blob(from), Some(MeshSource::Blob(points))) => {
            Some((from.clone(), Some(points.clone())))
        }
        _ => None,
    }
}

impl MeshLibrary for StoredMeshes {
    fn mesh(&self, source: &MeshSource) -> Read<Mesh> {
        match source {
            MeshSource::Blob(hash) => {
                lock(&self.read).get(hash).cloned().unwrap_or_else(|| Err("it was not fetched".into()))
            }
            MeshSource::File(name) => {
                Err(format!("\"{name}\" is a file beside a scene file; here meshes are brought in"))
            }
        }
    }

    fn figure(&self, figure: &nematon_document::Figure) -> Read<Figure> {
        let Some(key) = key(figure) else {
            return Err("names a file beside a scene file; here files are brought in".into());
        };
        let found = lock(&self.figures).get(&key).cloned();
        found.unwrap_or_else(|| Err("it was not fetched".into())).map_err(|e| format!("can't be had: {e}"))
    }
}
