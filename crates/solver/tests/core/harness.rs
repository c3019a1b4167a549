use nematon_geometry::material::{WarpAlong, material_coordinates};
use nematon_geometry::{Mesh, place, sheet};
use nematon_solver::{Body, ClothRest, Contact, FrameInputs, Matter, NoWatch, State, step};
use std::slice::{from_mut, from_ref};

/// A body on its way.
pub struct Trial {
    pub cloth: Body,
    pub state: State,
    pub contact: Contact,
    pub frame: FrameInputs,
    pub mesh: Mesh,
}

/// Matter that nothing acts on but what a test sets.
pub fn plain() -> Matter {
    Matter { damping: 0.0, drag: 0.0, lift: 0.0, friction: 0.0, ..Matter::default() }
}

/// A sheet that lies level, or hangs from its back border (`upright`), its warp along its depth.
pub struct SheetOf {
    pub size: [f64; 2],
    pub points: [u32; 2],
    pub upright: bool,
}

impl SheetOf {
    pub fn mesh(&self) -> Mesh {
        let mut m = sheet(self.size[0], self.size[1], self.points[0], self.points[1]);
        if self.upright {
            // The back border (-z) goes up.
            place(&mut m.positions, [0.0; 3], [std::f64::consts::FRAC_PI_2, 0.0, 0.0]);
        }
        m
    }

    pub fn of(&self, matter: Matter, held: impl Fn(usize, &Mesh) -> bool) -> Trial {
        Trial::new(self.mesh(), matter, held)
    }
}

impl Trial {
    /// Warp along the depth.
    pub fn new(mesh: Mesh, matter: Matter, held: impl Fn(usize, &Mesh) -> bool) -> Trial {
        Trial::along(mesh, WarpAlong::V, matter, held)
    }

    pub fn along(mesh: Mesh, warp: WarpAlong, matter: Matter, held: impl Fn(usize, &Mesh) -> bool) -> Trial {
        let rest = ClothRest {
            positions: mesh.positions.clone(),
            triangles: mesh.triangles.clone(),
            flat: material_coordinates(&mesh, warp),
            held: (0..mesh.positions.len()).map(|k| held(k, &mesh)).collect(),
            matter,
            ..ClothRest::default()
        };
        let cloth = Body::cloth(&rest).unwrap();
        let state = cloth.start();
        Trial { cloth, state, contact: Contact::none(1), frame: FrameInputs::default(), mesh }
    }

    pub fn step(&mut self) -> Result<(), nematon_solver::Halt> {
        let Trial { cloth, state, contact, frame, .. } = self;
        step(from_ref(cloth), from_mut(state), contact, frame, &NoWatch)
    }

    /// Runs so many frames; time goes on from where it was.
    pub fn run(&mut self, frames: usize) {
        for _ in 0..frames {
            self.step().unwrap();
            self.frame.start += self.frame.duration;
        }
    }

    /// Runs so many seconds with gravity growing over the first half, as a load is put on gently.
    pub fn settle(&mut self, seconds: f64) {
        let full = self.frame.gravity;
        let frames = (seconds / self.frame.duration).round() as usize;
        for k in 0..frames {
            let share = (2.0 * (k + 1) as f32 / frames as f32).min(1.0);
            self.frame.gravity = full.map(|g| g * share);
            self.run(1);
        }
        self.frame.gravity = full;
    }

    pub fn positions(&self) -> Vec<[f32; 3]> {
        self.state.positions(&self.cloth)
    }

    /// Mean of a coordinate over all points.
    pub fn mean(&self, axis: usize) -> f64 {
        let p = self.positions();
        p.iter().map(|p| f64::from(p[axis])).sum::<f64>() / p.len() as f64
    }

    pub fn mean_velocity(&self, axis: usize) -> f64 {
        let v = self.state.velocities(&self.cloth);
        v.iter().map(|v| f64::from(v[axis])).sum::<f64>() / v.len() as f64
    }
}

pub fn within(what: &str, got: f64, want: f64, share: f64) {
    let off = (got - want) / want;
    println!("{what}: {got:.6}, expected {want:.6}, off by {:.3} %", 100.0 * off);
    assert!(off.abs() <= share, "{what}: {got} where {want} is expected, off by {:.2} %", 100.0 * off);
}

/// Shape of the first or second mode at a share of the length.
pub fn mode(which: usize, s: f64) -> f64 {
    let (b, r) = [(1.875_104, 0.734_096), (4.694_091, 1.018_467)][which];
    (b * s).cosh() - (b * s).cos() - r * ((b * s).sinh() - (b * s).sin())
}

/// The frequency of a decaying swing, Hz, and the share of its amplitude kept in a second: the best fit of
/// y(k+1) + y(k-1) = 2 cos(ω dt) e^… by Prony's method.
pub fn fit(y: &[f64], duration: f64) -> (f64, f64) {
    // y[k+2] = a y[k+1] - b y[k], with a = 2 r cos ω, b = r².
    let (mut s11, mut s12, mut s22, mut t1, mut t2) = (0.0, 0.0, 0.0, 0.0, 0.0);
    for w in y.windows(3) {
        s11 += w[1] * w[1];
        s12 -= w[1] * w[0];
        s22 += w[0] * w[0];
        t1 += w[1] * w[2];
        t2 -= w[0] * w[2];
    }
    let det = s11 * s22 - s12 * s12;
    let (a, b) = ((t1 * s22 - t2 * s12) / det, (s11 * t2 - s12 * t1) / det);
    let r = b.sqrt();
    let omega = (a / (2.0 * r)).clamp(-1.0, 1.0).acos() / duration;
    (omega / (2.0 * std::f64::consts::PI), r.powf(1.0 / duration))
}

/// A wind that is the same everywhere.
pub fn steady(velocity: [f32; 3]) -> Vec<nematon_air::FieldNow> {
    vec![nematon_air::WindNow { velocity, gust: 0.0, gust_period: 2.0, seed: 0, ..Default::default() }.into()]
}
