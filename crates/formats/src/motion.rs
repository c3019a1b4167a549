//! Motion on its way into a file: frames come one by one, and no more than one is held.
use crate::{npy, obj, usd};
use nematon_geometry::Mesh;
use std::io::{Result, Write};

/// What is written of a body beside its frames.
pub struct Motion<'a> {
    pub name: &'a str,
    pub mesh: &'a Mesh,
    /// Number of the first frame, and how many there are.
    pub first: i64,
    pub count: usize,
    /// Frames a second.
    pub rate: f64,
}

/// A frame's points, metres; or why they can't be had.
pub type Frame = Result<Vec<[f32; 3]>>;

/// Kinds of files that hold a body's motion.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// NumPy: (frames, points, 3) float32.
    Npy,
    /// A zip of one OBJ a frame.
    Obj,
    /// USD text with time samples.
    Usda,
    /// The first frame alone, as OBJ.
    Still,
}

impl Kind {
    pub const ALL: [Kind; 4] = [Kind::Npy, Kind::Obj, Kind::Usda, Kind::Still];

    /// What it is asked for by.
    pub fn name(self) -> &'static str {
        match self {
            Kind::Npy => "npy",
            Kind::Obj => "obj",
            Kind::Usda => "usda",
            Kind::Still => "still",
        }
    }

    /// The end of a file's name.
    pub fn ending(self, first: i64) -> String {
        match self {
            Kind::Npy => "npy".into(),
            Kind::Obj => "obj.zip".into(),
            Kind::Usda => "usda".into(),
            Kind::Still => format!("{first:04}.obj"),
        }
    }

    pub fn media_type(self) -> &'static str {
        match self {
            Kind::Npy => "application/octet-stream",
            Kind::Obj => "application/zip",
            Kind::Usda | Kind::Still => "text/plain; charset=utf-8",
        }
    }

    /// Writes all frames.
    ///
    /// # Errors
    /// When the sink fails, a frame can't be had, or there are more or fewer than was said.
    pub fn write(
        self,
        sink: &mut impl Write,
        motion: &Motion,
        frames: &mut dyn Iterator<Item = Frame>,
    ) -> Result<()> {
        match self {
            Kind::Npy => npy::write_npy(sink, motion, frames),
            Kind::Obj => obj::write_obj_zip(sink, motion, frames),
            Kind::Usda => usd::write_usda(sink, motion, frames),
            Kind::Still => {
                let first =
                    frames.next().ok_or_else(|| std::io::Error::other("there is no frame to write"))??;
                sink.write_all(obj::write_obj(motion.name, motion.mesh, &first).as_bytes())
            }
        }
    }
}
