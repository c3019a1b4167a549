use crate::Fingerprint;
use crate::{MeshLibrary, ShapeError, Shaped, cloth_rest, fingerprint::fingerprints, frame_inputs, shape};
use nematon_document::{BodyId, Scene};
use nematon_solver::{BuildError, Cloth, Exploded, SnapshotError, State, Watch, step};

/// One body on its way through the frames of a scene.
pub struct Run {
    scene: Scene,
    pub name: String,
    pub shaped: Shaped,
    pub cloth: Cloth,
    pub fingerprints: Vec<Fingerprint>,
    state: State,
    /// The frame that the state is at, counted from the first.
    at: usize,
}

/// Why a body can't be run, or no further.
#[derive(Clone, Debug, PartialEq, thiserror::Error)]
pub enum RunError {
    #[error("there is no body \"{0}\"")]
    NoSuchBody(BodyId),
    #[error("{body}: {why}")]
    Shape { body: String, why: ShapeError },
    #[error("{body}: {why}")]
    Build { body: String, why: BuildError },
    #[error("{body} exploded at frame {frame}: {why}")]
    Exploded { body: String, frame: i64, why: Exploded },
}

impl Run {
    /// A body at its first frame, at rest.
    ///
    /// # Errors
    /// When the body has no shape, or one that can't move.
    pub fn start(scene: &Scene, body: &BodyId, library: &impl MeshLibrary) -> Result<Run, RunError> {
        let b = scene.bodies.get(body).ok_or_else(|| RunError::NoSuchBody(body.clone()))?;
        let shaped = shape(b, library).map_err(|why| RunError::Shape { body: b.name.clone(), why })?;
        let rest = cloth_rest(b, &shaped);
        let cloth = Cloth::build(&rest).map_err(|why| RunError::Build { body: b.name.clone(), why })?;
        let fingerprints = fingerprints(scene, &rest);
        let state = cloth.start();
        Ok(Run { scene: scene.clone(), name: b.name.clone(), shaped, cloth, fingerprints, state, at: 0 })
    }

    /// Goes to a frame by a snapshot that was taken there.
    ///
    /// # Errors
    /// When the snapshot is of another body.
    pub fn resume(&mut self, index: usize, snapshot: &[u8]) -> Result<(), SnapshotError> {
        self.state = State::restore(&self.cloth, snapshot)?;
        self.at = index;
        Ok(())
    }

    /// The frame that the body is at, counted from the first.
    pub fn at(&self) -> usize {
        self.at
    }

    /// Whether there is no further frame.
    pub fn is_done(&self) -> bool {
        self.at + 1 >= self.scene.frames.count()
    }

    /// Moves on by one frame.
    ///
    /// # Errors
    /// When the motion explodes; the body then still stands at the frame before.
    pub fn advance(&mut self, watch: &impl Watch) -> Result<(), RunError> {
        let inputs = frame_inputs(&self.scene, self.at + 1);
        step(&self.cloth, &mut self.state, &inputs, watch).map_err(|why| RunError::Exploded {
            body: self.name.clone(),
            frame: self.scene.frames.first + self.at as i64 + 1,
            why,
        })?;
        self.at += 1;
        Ok(())
    }

    pub fn positions(&self) -> Vec<[f32; 3]> {
        self.state.positions(&self.cloth)
    }

    pub fn snapshot(&self) -> Vec<u8> {
        self.state.snapshot(&self.cloth)
    }

    pub fn state(&self) -> &State {
        &self.state
    }
}
