//! Scenes that a new database starts with.
use crate::ServeError;
use crate::archive::{SceneFiles, keep};
use crate::state::App;

pub async fn load_once(app: &App, scenes: Vec<SceneFiles>) -> Result<(), ServeError> {
    if scenes.is_empty()
        || !app.store.projects().await?.is_empty()
        || !app.store.removed_projects().await?.is_empty()
    {
        return Ok(());
    }
    for files in scenes {
        let scene = keep(app, files).await?;
        let value = serde_json::to_value(&scene).map_err(|e| ServeError::Demo(e.to_string()))?;
        app.store.create_project(&scene.name, &value).await?;
    }
    Ok(())
}
