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
        keep(app, files).await?;
    }
    Ok(())
}
