//! Scenes that a new database starts with.
use crate::ServeError;
use nematon_document::{MeshSource, Scene};
use nematon_store::Store;

/// A scene and the mesh files it names.
pub struct DemoScene {
    pub scene: Scene,
    /// File name and bytes.
    pub meshes: Vec<(String, Vec<u8>)>,
}

pub async fn load_once(store: &Store, scenes: &[DemoScene]) -> Result<(), ServeError> {
    if scenes.is_empty() || !store.projects().await?.is_empty() {
        return Ok(());
    }
    for DemoScene { scene, meshes } in scenes {
        let mut scene = scene.clone();
        for (name, bytes) in meshes {
            let hash = blake3::hash(bytes).to_hex().to_string();
            store.keep_mesh(&hash, name, bytes).await?;
            for from in scene.meshes_mut().into_iter().filter(|m| **m == MeshSource::File(name.clone())) {
                *from = MeshSource::Blob(hash.clone());
            }
        }
        let value = serde_json::to_value(&scene).map_err(|e| ServeError::Demo(e.to_string()))?;
        store.create_project(&scene.name, &value).await?;
    }
    Ok(())
}
