//! Fingerprints of scenes, worked out once each and never on a thread that answers others.
use crate::library::StoredMeshes;
use nematon_document::{BodyId, Scene};
use nematon_evaluate::{Fingerprint, MeshLibrary, RunError, earlier_fingerprints, fingerprints};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::OnceCell;

/// Scenes whose fingerprints are kept at hand, at most.
const MOST: usize = 128;

/// The fingerprints of a body's frames, or why it has none.
pub type BodyPrints = Result<Arc<Vec<Fingerprint>>, String>;
type ScenePrints = Arc<HashMap<BodyId, BodyPrints>>;

/// Fingerprints that were worked out before, by the scene's hash.
#[derive(Default)]
pub struct Prints(Mutex<HashMap<blake3::Hash, Arc<OnceCell<ScenePrints>>>>);

impl Prints {
    /// Those of all bodies. The scene's meshes must be at hand. Asked twice at a time it is worked out once.
    pub async fn of(&self, scene: &Arc<Scene>, library: &StoredMeshes) -> ScenePrints {
        self.by(fingerprints, b"", scene, library).await
    }

    /// Those of the version of the solver before this one.
    pub async fn earlier(&self, scene: &Arc<Scene>, library: &StoredMeshes) -> ScenePrints {
        self.by(earlier_fingerprints, b"earlier", scene, library).await
    }

    async fn by(&self, by: By, mark: &[u8], scene: &Arc<Scene>, library: &StoredMeshes) -> ScenePrints {
        let mut text = serde_json::to_vec(&**scene).unwrap_or_default();
        text.extend(mark);
        let key = blake3::hash(&text);
        let cell = {
            let mut known = self.0.lock().unwrap_or_else(PoisonError::into_inner);
            if known.len() >= MOST && !known.contains_key(&key) {
                known.clear();
            }
            known.entry(key).or_default().clone()
        };
        let work = || async {
            let (scene, library) = (scene.clone(), library.clone());
            let found = tokio::task::spawn_blocking(move || all(by, &scene, &library)).await;
            Arc::new(found.unwrap_or_default())
        };
        cell.get_or_init(work).await.clone()
    }
}

/// How an island's fingerprints are worked out.
type By = fn(&Scene, &[BodyId], &dyn MeshLibrary) -> Result<Vec<Vec<Fingerprint>>, RunError>;

fn all(by: By, scene: &Scene, library: &StoredMeshes) -> HashMap<BodyId, BodyPrints> {
    let mut out = HashMap::new();
    for island in scene.islands() {
        match by(scene, &island, library) {
            Ok(all) => out.extend(island.into_iter().zip(all).map(|(id, p)| (id, Ok(Arc::new(p))))),
            Err(e) => out.extend(island.into_iter().map(|id| (id, Err(e.to_string())))),
        }
    }
    out
}
