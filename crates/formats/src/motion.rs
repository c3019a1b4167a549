//! Motion on its way into a file: frames come one by one, and no more than one is held.
use crate::{gltf_motion, npy, obj, ply, usd};
use nematon_geometry::{Face, Limbs, Mesh};
use std::io::{Result, Write};

/// What is written of a body beside its frames.
#[derive(Clone, Copy)]
pub struct Motion<'a> {
    pub name: &'a str,
    pub mesh: &'a Mesh,
    /// Number of the first frame, and how many there are: each so many after the one before.
    pub first: i64,
    pub count: usize,
    pub every: i64,
    /// Frames a second.
    pub rate: f64,
    /// Where its points are told from, metres: the world's origin, or one near it that the file tells too.
    pub origin: [f64; 3],
    /// Whether its points come and go: one whose place is no number is not there. A point keeps its number.
    pub comes: bool,
    /// Whether its points have turns, which come with its frames.
    pub turned: bool,
    /// What it is seen with, laid on by its texture coordinates.
    pub picture: Option<Pictured<'a>>,
    /// Of plants, the skins that their segments carry, where they are written as these: frames are of the segments then.
    pub limbs: Option<&'a Limbs>,
}

impl<'a> Motion<'a> {
    /// A mesh with one frame, with no name yet and nothing else beside it.
    pub fn plain(mesh: &'a Mesh) -> Motion<'a> {
        Motion {
            name: "",
            mesh,
            first: 0,
            count: 1,
            every: 1,
            rate: 24.0,
            origin: [0.0; 3],
            comes: false,
            turned: false,
            picture: None,
            limbs: None,
        }
    }
}

impl Motion<'_> {
    /// The numbers of its frames, and what may come after them.
    pub(crate) fn numbers(&self) -> impl Iterator<Item = i64> + use<> {
        (self.first..).step_by(self.every.max(1) as usize)
    }

    /// The number of its last frame.
    pub(crate) fn last(&self) -> i64 {
        self.first + (self.count as i64 - 1) * self.every.max(1)
    }

    /// How many of them go by in a second.
    pub(crate) fn pace(&self) -> f64 {
        self.rate / self.every.max(1) as f64
    }

    /// Whether a file of joints and nodes has it as shapes that follow each other.
    pub(crate) fn is_shapes(&self) -> bool {
        self.limbs.is_none() && (self.mesh.radii.is_empty() || !self.mesh.strands.is_empty())
    }
}

/// A picture as it was brought in.
#[derive(Clone, Copy)]
pub struct Pictured<'a> {
    /// The ending of its file's name: `png` or `jpg`.
    pub ending: &'a str,
    pub bytes: &'a [u8],
}

impl<'a> Pictured<'a> {
    pub fn of(bytes: &'a [u8]) -> Pictured<'a> {
        Pictured { ending: if bytes.starts_with(b"\xff\xd8") { "jpg" } else { "png" }, bytes }
    }
}

/// A frame's points, metres from the origin of its motion; or why they can't be had.
pub type Frame = Result<Vec<[f32; 3]>>;

/// What else goes into a file, where its kind has a place for it.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct With {
    /// A normal for each point.
    pub normals: bool,
    /// Faces cut into triangles, and not as they were made or brought in.
    pub triangles: bool,
    /// Places as exact as frames are kept, however far from the world's origin: in double precision, or beside a node.
    pub exact: bool,
    /// How fast each point goes, for who blurs what moves.
    pub velocities: bool,
    /// What a unit of length is, and which axis is up; of USD and PLY.
    pub unit: Unit,
    pub up: Up,
}

/// What a unit of length of a file is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Unit {
    #[default]
    Metre,
    Centimetre,
}

impl Unit {
    /// How many of them a metre is.
    pub fn per_metre(self) -> f64 {
        match self {
            Unit::Metre => 1.0,
            Unit::Centimetre => 100.0,
        }
    }
}

/// The axis that is up in a file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Up {
    #[default]
    Y,
    Z,
}

impl Up {
    /// A place or a way that is told with y up.
    pub fn turned<T: Copy + std::ops::Neg<Output = T>>(self, [x, y, z]: [T; 3]) -> [T; 3] {
        match self {
            Up::Y => [x, y, z],
            Up::Z => [x, -z, y],
        }
    }
}

impl Default for With {
    fn default() -> With {
        With {
            normals: true,
            triangles: false,
            exact: false,
            velocities: false,
            unit: Unit::Metre,
            up: Up::Y,
        }
    }
}

impl With {
    pub(crate) fn faces(self, mesh: &Mesh) -> Vec<Face> {
        if !self.triangles {
            return mesh.outlines();
        }
        let face = |(k, t): (usize, &[u32; 3])| Face {
            points: t.to_vec(),
            uvs: mesh.uv_triangles.get(k).map(|u| u.to_vec()).unwrap_or_default(),
        };
        mesh.triangles.iter().enumerate().map(face).collect()
    }
}

/// The frames of a body from its first on; asked for more than once where a kind writes them in several parts.
pub type Frames<'a> = dyn FnMut(usize) -> Box<dyn Iterator<Item = Frame> + 'a> + 'a;

/// How a frame's points are turned, x, y, z, w, those that are not there too; or why that can't be had.
pub type TurnsOf = Result<Vec<[f32; 4]>>;

/// The turns of a body's frames, as [`Frames`] its places.
pub type Turns<'a> = dyn FnMut(usize) -> Box<dyn Iterator<Item = TurnsOf> + 'a> + 'a;

/// Bodies on their way into one file.
pub struct Delivery<'a> {
    /// Of the whole, where a kind has a place for it.
    pub name: &'a str,
    pub bodies: &'a [Motion<'a>],
    pub with: With,
    /// Gives the frames of a body by its number.
    pub frames: &'a mut Frames<'a>,
    /// And their turns, of those that have some; none where nobody has.
    pub turns: Option<&'a mut Turns<'a>>,
    /// What is to be done with it, as a text beside what else is in its zip, where it is one.
    pub note: Option<&'a str>,
}

/// Puts the note of a delivery into its zip.
pub(crate) fn put_note<W: Write + std::io::Seek>(
    zip: &mut zip::ZipWriter<W>,
    note: Option<&str>,
) -> Result<()> {
    let Some(text) = note else { return Ok(()) };
    zip.start_file(crate::NOTE, zip::write::SimpleFileOptions::default())?;
    zip.write_all(text.as_bytes())
}

impl<'a> Delivery<'a> {
    /// The turns of a body's frames, where it has some.
    pub(crate) fn turned(&mut self, body: usize) -> Option<Box<dyn Iterator<Item = TurnsOf> + 'a>> {
        let turned = self.bodies[body].turned;
        self.turns.as_mut().filter(|_| turned).map(|t| t(body))
    }
}

/// Kinds of files that hold motion.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Kind {
    /// NumPy: (frames, points, 3) float32; of several bodies an `.npz` of one array each. Where points come and go an `.npz` with
    /// `count` (frames), and `position` (all, 3) and `id` (all) of all frames one after the other; where points are turned with `turn`, x, y, z, w.
    Npy,
    /// A zip of one OBJ a frame.
    Obj,
    /// A zip of one binary PLY a frame.
    Ply,
    /// USD text with time samples; in a zip with the pictures that bodies are seen with, where there are any.
    Usda,
    /// The same as a binary USD file.
    Usdc,
    /// Binary glTF: plants as skins with a clip, loose pieces as nodes with one, all else as shapes that follow each other.
    Glb,
    /// The same as a text with its numbers beside it, in a zip.
    Gltf,
    /// The first frame alone, as OBJ; of several bodies, or with pictures, a zip of them.
    Still,
}

/// How fast points go in each frame, in what they are told in a second: by the frames on both sides, at either end by one. A point that has
/// just come, or will be gone, by the one that there is.
pub(crate) fn velocities<'a>(
    mut frames: Box<dyn Iterator<Item = Frame> + 'a>,
    pace: f64,
) -> impl Iterator<Item = Frame> + 'a {
    let mut before: Option<Vec<[f32; 3]>> = None;
    let mut now = frames.next();
    std::iter::from_fn(move || {
        let own = match now.take()? {
            Ok(own) => own,
            Err(e) => return Some(Err(e)),
        };
        let next = frames.next();
        let after = next.as_ref().and_then(|f| f.as_ref().ok());
        let way = |k: usize| {
            let at = |f: Option<&Vec<[f32; 3]>>| f.and_then(|f| f.get(k).copied()).filter(|p| !p[0].is_nan());
            let (a, p, b) = (at(before.as_ref()), at(Some(&own)), at(after));
            let by = |p: [f32; 3], q: [f32; 3], frames: f64| -> [f32; 3] {
                std::array::from_fn(|c| (f64::from(q[c] - p[c]) * pace / frames) as f32)
            };
            match (a, p, b) {
                (_, None, _) => [f32::NAN; 3],
                (Some(a), _, Some(b)) => by(a, b, 2.0),
                (Some(a), Some(p), None) => by(a, p, 1.0),
                (None, Some(p), Some(b)) => by(p, b, 1.0),
                (None, Some(_), None) => [0.0; 3],
            }
        };
        let out = (0..own.len()).map(way).collect();
        before = Some(own);
        now = next;
        Some(Ok(out))
    })
}

/// Where exact places of a motion are told from: whole metres near the middle of a frame.
pub fn near(frame: &[[f64; 3]]) -> [f64; 3] {
    let there = || frame.iter().filter(|p| !p[0].is_nan());
    let per = 1.0 / there().count().max(1) as f64;
    std::array::from_fn(|c| (there().map(|p| p[c]).sum::<f64>() * per).round())
}

/// By how much places of a frame are off at most where they are told in single precision from an origin, metres.
pub fn rounding(frame: &[[f64; 3]], origin: [f64; 3]) -> f64 {
    let far = frame.iter().flat_map(|p| (0..3).map(|c| (p[c] - origin[c]).abs())).fold(0.0, f64::max);
    far * f64::from(f32::EPSILON) / 2.0
}

impl Kind {
    /// Whether plants are in it as skins with joints.
    pub fn has_joints(self) -> bool {
        matches!(self, Kind::Glb | Kind::Gltf)
    }

    pub const ALL: [Kind; 8] =
        [Kind::Npy, Kind::Obj, Kind::Ply, Kind::Usda, Kind::Usdc, Kind::Glb, Kind::Gltf, Kind::Still];

    /// What it is asked for by.
    pub fn name(self) -> &'static str {
        match self {
            Kind::Npy => "npy",
            Kind::Obj => "obj",
            Kind::Ply => "ply",
            Kind::Usda => "usda",
            Kind::Usdc => "usdc",
            Kind::Glb => "glb",
            Kind::Gltf => "gltf",
            Kind::Still => "still",
        }
    }

    /// The end of a file's name.
    pub fn ending(self, bodies: &[Motion]) -> String {
        let first = bodies.first().map_or(0, |b| b.first);
        match self {
            Kind::Npy if bodies.len() > 1 || bodies.iter().any(|b| b.comes || b.turned) => "npz".into(),
            Kind::Npy => "npy".into(),
            Kind::Obj => "obj.zip".into(),
            Kind::Ply => "ply.zip".into(),
            Kind::Usda | Kind::Usdc if pictured(bodies) => format!("{}.zip", self.name()),
            Kind::Usda | Kind::Usdc => self.name().into(),
            Kind::Glb => "glb".into(),
            Kind::Gltf => "gltf.zip".into(),
            Kind::Still if bodies.len() > 1 || pictured(bodies) => format!("{first:04}.obj.zip"),
            Kind::Still => format!("{first:04}.obj"),
        }
    }

    pub fn media_type(self, bodies: &[Motion]) -> &'static str {
        match self {
            Kind::Npy if bodies.len() == 1 && !bodies[0].comes && !bodies[0].turned => {
                "application/octet-stream"
            }
            Kind::Usda if !pictured(bodies) => "text/plain; charset=utf-8",
            Kind::Still if bodies.len() == 1 && !pictured(bodies) => "text/plain; charset=utf-8",
            Kind::Glb => "model/gltf-binary",
            Kind::Usdc if !pictured(bodies) => "application/octet-stream",
            Kind::Npy | Kind::Obj | Kind::Ply | Kind::Usda | Kind::Usdc | Kind::Gltf | Kind::Still => {
                "application/zip"
            }
        }
    }

    /// Writes all frames of all bodies.
    ///
    /// # Errors
    /// When the sink fails, a frame can't be had, or there are more or fewer than was said.
    pub fn write(self, sink: &mut dyn Write, all: &mut Delivery) -> Result<()> {
        match self {
            Kind::Npy => npy::write_npy(sink, all),
            Kind::Ply => ply::write_ply_zip(sink, all),
            Kind::Usda | Kind::Usdc if pictured(all.bodies) => usd::write_zip(self, sink, all),
            Kind::Usda | Kind::Usdc => usd::write(self, sink, all),
            Kind::Glb => gltf_motion::write_glb(sink, all),
            Kind::Gltf => gltf_motion::write_zip(sink, all),
            Kind::Still if all.bodies.len() == 1 && !pictured(all.bodies) => {
                let none = || std::io::Error::other("there is no frame to write");
                let first = (all.frames)(0).next().ok_or_else(none)??;
                let Motion { name, mesh, .. } = all.bodies[0];
                let origin = all.bodies[0].origin;
                sink.write_all(obj::beside(name, mesh, (&first, origin), all.with, None).as_bytes())
            }
            Kind::Obj | Kind::Still => obj::write_obj_zip(sink, all),
        }
    }

    /// About how many bytes a file will have, by what one frame of each body takes: `firsts` are those frames.
    pub fn about(self, bodies: &[Motion], with: With, firsts: &[Vec<[f32; 3]>]) -> u64 {
        let measure = |count: usize| {
            let few: Vec<Motion> = bodies.iter().map(|b| Motion { count, ..*b }).collect();
            let mut frames = |k: usize| -> Box<dyn Iterator<Item = Frame>> {
                let first = firsts[k].clone();
                Box::new((0..count).map(move |_| Ok(first.clone())))
            };
            let mut sink = Counted(0);
            let mut all =
                Delivery { name: "", bodies: &few, with, frames: &mut frames, turns: None, note: None };
            self.write(&mut sink, &mut all).map_or(0, |()| sink.0)
        };
        // A frame alone is written otherwise than several.
        let count = bodies.iter().map(|b| b.count).max().unwrap_or(1) as u64;
        // Shapes that follow each other have a row of amounts a frame, each as long as there are frames.
        let squared = |n: u64| match self {
            Kind::Glb | Kind::Gltf => {
                bodies.iter().filter(|b| b.is_shapes()).count() as u64 * 4 * n * (n - 1)
            }
            _ => 0,
        };
        match count {
            0 | 1 => measure(1),
            more => {
                let (two, three) = (measure(2) - squared(2), measure(3) - squared(3));
                two + (more - 2) * three.saturating_sub(two) + squared(more)
            }
        }
    }
}

fn pictured(bodies: &[Motion]) -> bool {
    bodies.iter().any(|b| b.picture.is_some())
}

/// A sink that only counts.
struct Counted(u64);

impl Write for Counted {
    fn write(&mut self, bytes: &[u8]) -> Result<usize> {
        self.0 += bytes.len() as u64;
        Ok(bytes.len())
    }
    fn flush(&mut self) -> Result<()> {
        Ok(())
    }
}
