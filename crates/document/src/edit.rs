//! Edits are RFC 6902 patches; an undo is the patch back.
use crate::{Fault, Scene, validate};
use json_patch::Patch;
use serde_json::Value;

/// Why an edit was not made. The document is as it was.
#[derive(Debug, thiserror::Error)]
pub enum EditError {
    /// An operation could not be carried out: a path that isn't there, a test that failed.
    #[error("operation {operation} of the edit can't be made at {path}: {message}")]
    Patch { operation: usize, path: String, message: String },
    /// The edit was made and the result is not a scene.
    #[error("the edit leaves {} fault(s)", .0.len())]
    Faults(Vec<Fault>),
}

/// The document after a patch, with the scene it holds.
///
/// # Errors
/// The first operation that can't be carried out, or all faults of the result.
pub fn apply(document: &Value, patch: &Patch) -> Result<(Value, Scene), EditError> {
    let mut next = document.clone();
    json_patch::patch(&mut next, patch).map_err(|e| EditError::Patch {
        operation: e.operation,
        path: e.path.to_string(),
        message: e.kind.to_string(),
    })?;
    let scene = validate(&next).map_err(EditError::Faults)?;
    Ok((next, scene))
}

/// The patch that turns `after` back into `before`.
pub fn inverse(before: &Value, after: &Value) -> Patch {
    json_patch::diff(after, before)
}
