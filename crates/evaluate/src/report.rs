//! What is told of a run: faults of frames, and what contact cost. One type for the pages, the command line and what
//! is stored.
use crate::{Run, Stopwatch};
use nematon_document::{BodyId, ColliderId, Scene};
use nematon_solver::With;
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// What a body touches. Names are those of the moment; the keys stay.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(tag = "kind", rename_all = "lowercase")]
pub enum Touched {
    Itself,
    Floor,
    Body { id: String, name: String },
    Collider { id: String, name: String },
}

impl Touched {
    /// With the name that it has in a scene, where it is still there.
    pub fn named_in(self, scene: &Scene) -> Touched {
        match self {
            Touched::Body { id, name } => {
                let name = scene.bodies.get(&BodyId(id.clone())).map_or(name, |b| b.name.clone());
                Touched::Body { id, name }
            }
            Touched::Collider { id, name } => {
                let name = scene.colliders.get(&ColliderId(id.clone())).map_or(name, |c| c.name.clone());
                Touched::Collider { id, name }
            }
            other => other,
        }
    }
}

/// What is told of a body's frame beside where its points are; most frames have nothing to tell.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize)]
#[serde(from = "Stored")]
pub struct FrameTold {
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub snags: Vec<FrameSnag>,
    /// Sub-steps that it took, where they were more than its quality takes at least.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub took: Option<u32>,
}

impl FrameTold {
    pub fn is_nothing(&self) -> bool {
        self.snags.is_empty() && self.took.is_none()
    }
}

/// As it is stored: builds before told faults alone.
#[derive(Deserialize)]
#[serde(untagged)]
enum Stored {
    Faults(Vec<FrameSnag>),
    All {
        #[serde(default)]
        snags: Vec<FrameSnag>,
        #[serde(default)]
        took: Option<u32>,
    },
}

impl From<Stored> for FrameTold {
    fn from(of: Stored) -> FrameTold {
        match of {
            Stored::Faults(snags) => FrameTold { snags, took: None },
            Stored::All { snags, took } => FrameTold { snags, took },
        }
    }
}

/// How much a fault asks to be looked at.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Grade {
    /// Hardly seen, or meant: a thread a little too long, a jump of what holds the cloth.
    #[default]
    Small,
    /// Seen: surfaces that go through each other or through colliders, threads much too long, points that pop.
    Large,
}

/// Up to which a stretch is a small fault, as a share; and how deep a point may be inside, metres.
const LONG: f64 = 0.25;
const DEEP: f64 = 0.001;

/// One kind of fault of one body in one frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct FrameSnag {
    /// `crossing`, `inside`, `overstretch`, `pop` or `leap`.
    pub snag: String,
    #[serde(default)]
    pub grade: Grade,
    /// What it crosses or is inside, or what leapt.
    #[serde(default, skip_serializing_if = "Option::is_none", deserialize_with = "touched")]
    pub with: Option<Touched>,
    /// Pairs of triangles, points or triangles.
    pub count: usize,
    /// Metres inside, share of stretch, distances that a point popped by, or metres of a leap.
    pub worst: f64,
    /// A point where it is.
    pub point: usize,
    /// The corners of triangles that are at fault, where it is triangles: the first 200.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub triangles: Vec<[u32; 3]>,
}

/// By what it is and how far it goes.
pub fn grade(snag: &str, worst: f64) -> Grade {
    match snag {
        "overstretch" if worst <= LONG => Grade::Small,
        "inside" if worst <= DEEP => Grade::Small,
        "leap" => Grade::Small,
        _ => Grade::Large,
    }
}

/// Reads what earlier builds stored too: a name alone.
fn touched<'de, D: serde::Deserializer<'de>>(from: D) -> Result<Option<Touched>, D::Error> {
    #[derive(Deserialize)]
    #[serde(untagged)]
    enum Either {
        Now(Touched),
        Before(String),
    }
    Ok(Option::<Either>::deserialize(from)?.map(|e| match e {
        Either::Now(t) => t,
        Either::Before(name) => match name.as_str() {
            "itself" => Touched::Itself,
            "the floor" => Touched::Floor,
            _ => Touched::Body { id: String::new(), name },
        },
    }))
}

/// What it cost to keep a body from something, a frame.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Cost {
    /// Key and name of the body.
    pub body: String,
    pub name: String,
    pub with: Touched,
    pub milliseconds: f64,
    /// Pairs of features brought apart in a frame's last sub-step, in the mean.
    pub touches: f64,
    /// And in the frame that had most.
    pub touches_most: usize,
}

/// Counts what each pairing of an island's contact brought apart, frame by frame.
pub struct Touches {
    steps: usize,
    sums: Vec<usize>,
    most: Vec<usize>,
}

impl Touches {
    pub fn of(run: &Run) -> Touches {
        let n = run.contact.pairings().len();
        Touches { steps: 0, sums: vec![0; n], most: vec![0; n] }
    }

    /// After a frame.
    pub fn count(&mut self, run: &Run) {
        self.steps += 1;
        for ((sum, most), n) in self.sums.iter_mut().zip(&mut self.most).zip(run.contact.touching()) {
            (*sum, *most) = (*sum + n, (*most).max(*n));
        }
    }
}

impl Run {
    fn touched(&self, with: With) -> Touched {
        match with {
            With::Itself => Touched::Itself,
            With::Floor => Touched::Floor,
            With::Body(k) => {
                Touched::Body { id: self.members[k].id.0.clone(), name: self.members[k].name.clone() }
            }
            With::Collider(k) => {
                let (id, name) =
                    self.collider(k).map_or_else(Default::default, |(id, name)| (id.0.clone(), name));
                Touched::Collider { id, name }
            }
        }
    }

    /// What is told of the frame that it is at, body by body; `before` has the positions of all bodies one frame earlier.
    pub fn tell(&mut self, before: &[Vec<[f64; 3]>]) -> Vec<FrameTold> {
        let took = Some(self.substeps()).filter(|took| self.fewest().is_some_and(|least| *took > least));
        let each = self.tell_snags(before).into_iter();
        each.map(|snags| FrameTold { snags, took }).collect()
    }

    /// Faults of the frame that it is at, body by body; `before` has the positions of all bodies one frame earlier.
    pub fn tell_snags(&mut self, before: &[Vec<[f64; 3]>]) -> Vec<Vec<FrameSnag>> {
        let mut out = vec![vec![]; self.members.len()];
        for s in self.snags(before) {
            let with = s.with.map(|w| self.touched(w));
            let snag = s.fault.name().to_owned();
            let (count, worst, point, triangles) = (s.count, s.worst, s.point, s.triangles);
            let grade = grade(&snag, worst);
            out[s.body].push(FrameSnag { snag, grade, with, count, worst, point, triangles });
        }
        out
    }

    /// What contact has cost so far, the dearest first; pairings that never touched are left out.
    pub fn tell_costs(&self, watch: &Stopwatch, touches: &Touches) -> Vec<Cost> {
        let per = 1.0 / touches.steps.max(1) as f64;
        let each = self.contact.pairings().iter().zip(watch.between_seconds());
        let mut costs: Vec<Cost> = each
            .zip(touches.sums.iter().zip(&touches.most))
            .filter(|(_, (sum, _))| **sum > 0)
            .map(|((p, seconds), (sum, most))| Cost {
                body: self.members[p.body].id.0.clone(),
                name: self.members[p.body].name.clone(),
                with: self.touched(p.with),
                milliseconds: 1e3 * seconds * per,
                touches: *sum as f64 * per,
                touches_most: *most,
            })
            .collect();
        costs.sort_by(|a, b| b.milliseconds.total_cmp(&a.milliseconds));
        costs
    }
}
