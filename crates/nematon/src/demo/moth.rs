//! The Courier: a big moth with joints and a flight, as GLB. It comes in over the ridge, hovers, lands, folds its wings
//! and looks about.
use nematon_formats::Glb;
use serde_json::{Value, json};

/// Of the flight, seconds.
const LENGTH: f64 = 10.0;
/// Keys a second: a wing beat is sixteen of them.
const RATE: f64 = 48.0;
/// Wing beats a second.
const BEATS: f64 = 3.0;
/// When its feet are down, and when its wings are folded, seconds.
const DOWN: f64 = 4.2;
const FOLDED: f64 = 5.6;
/// How high its body stands over its feet, metres.
pub const STANDS: f64 = 0.30;

/// What holds what: name, what it hangs on, where it is in the world at rest.
struct Bone {
    name: String,
    on: Option<usize>,
    at: [f64; 3],
}

/// A mesh as it grows.
#[derive(Default)]
struct Skin {
    positions: Vec<[f32; 3]>,
    joints: Vec<[u16; 4]>,
    weights: Vec<[f32; 4]>,
    triangles: Vec<[u32; 3]>,
}

/// A point's holders.
type Held = [(usize, f64); 2];

impl Skin {
    fn point(&mut self, p: [f64; 3], held: Held) -> u32 {
        self.positions.push(p.map(|c| c as f32));
        self.joints.push([held[0].0 as u16, held[1].0 as u16, 0, 0]);
        self.weights.push([held[0].1 as f32, held[1].1 as f32, 0.0, 0.0]);
        self.positions.len() as u32 - 1
    }

    /// A tube through rings: middle, the two radii across its way, holders. Its ends are closed.
    fn tube(&mut self, round: u32, rings: &[([f64; 3], [f64; 2], Held)]) {
        let mut before: Option<Vec<u32>> = None;
        for (k, (at, radii, held)) in rings.iter().enumerate() {
            let next = rings.get(k + 1).map_or(*at, |r| r.0);
            let last = if k > 0 { rings[k - 1].0 } else { *at };
            let way = unit([0, 1, 2].map(|c| next[c] - last[c]));
            // Across: to the side, and up from both.
            let side = unit(cross([0.0, 1.0, 1e-3], way));
            let up = cross(way, side);
            let ring: Vec<u32> = (0..round)
                .map(|i| {
                    let (s, c) = (f64::from(i) / f64::from(round) * std::f64::consts::TAU).sin_cos();
                    let p = [0, 1, 2].map(|x| at[x] + radii[0] * c * side[x] + radii[1] * s * up[x]);
                    self.point(p, *held)
                })
                .collect();
            if let Some(b) = &before {
                for i in 0..round as usize {
                    let j = (i + 1) % round as usize;
                    self.triangles.extend([[b[i], b[j], ring[j]], [b[i], ring[j], ring[i]]]);
                }
            }
            if k == 0 || k + 1 == rings.len() {
                let middle = self.point(*at, *held);
                for i in 0..round as usize {
                    let (a, b) = (ring[i], ring[(i + 1) % round as usize]);
                    self.triangles.push(if k == 0 { [middle, b, a] } else { [middle, a, b] });
                }
            }
            before = Some(ring);
        }
    }

    /// A leaf of a wing or a feather: `at` gives the place along (0 to 1) and across (-1 to 1).
    fn leaf(
        &mut self,
        along: u32,
        across: u32,
        at: impl Fn(f64, f64) -> [f64; 3],
        held: impl Fn(f64) -> Held,
    ) {
        let first = self.positions.len() as u32;
        for i in 0..=along {
            for j in 0..=across {
                let (u, v) = (f64::from(i) / f64::from(along), 2.0 * f64::from(j) / f64::from(across) - 1.0);
                self.point(at(u, v), held(u));
            }
        }
        let k = |i: u32, j: u32| first + i * (across + 1) + j;
        for i in 0..along {
            for j in 0..across {
                let (a, b, c, d) = (k(i, j), k(i + 1, j), k(i + 1, j + 1), k(i, j + 1));
                self.triangles.extend([[a, b, c], [a, c, d]]);
            }
        }
    }
}

fn cross(a: [f64; 3], b: [f64; 3]) -> [f64; 3] {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

fn unit(a: [f64; 3]) -> [f64; 3] {
    let size = a.iter().map(|c| c * c).sum::<f64>().sqrt().max(1e-12);
    a.map(|c| c / size)
}

/// From 0 to 1 between two times, at rest at both.
fn ease(from: f64, to: f64, t: f64) -> f64 {
    let s = ((t - from) / (to - from)).clamp(0.0, 1.0);
    s * s * s * (10.0 - 15.0 * s + 6.0 * s * s)
}

fn both(a: usize, b: usize, share: f64) -> Held {
    [(a, 1.0 - share), (b, share)]
}

/// The bones by name.
struct Bones(Vec<Bone>);

impl Bones {
    fn add(&mut self, name: &str, on: Option<usize>, at: [f64; 3]) -> usize {
        self.0.push(Bone { name: name.into(), on, at });
        self.0.len() - 1
    }
    fn of(&self, name: &str) -> usize {
        self.0.iter().position(|b| b.name == name).unwrap_or_default()
    }
}

const SIDES: [(&str, f64); 2] = [("left", 1.0), ("right", -1.0)];
const PAIRS: [(&str, f64); 3] = [("front", 0.11), ("middle", 0.0), ("hind", -0.11)];

fn bones() -> Bones {
    let mut b = Bones(vec![]);
    let root = b.add("flight", None, [0.0; 3]);
    let thorax = b.add("thorax", Some(root), [0.0; 3]);
    let waist = b.add("waist", Some(thorax), [0.0, 0.0, -0.16]);
    b.add("tail", Some(waist), [0.0, -0.01, -0.40]);
    let neck = b.add("neck", Some(thorax), [0.0, 0.02, 0.15]);
    let head = b.add("head", Some(neck), [0.0, 0.04, 0.22]);
    for (side, x) in SIDES {
        let base = b.add(&format!("antenna {side}"), Some(head), [0.04 * x, 0.10, 0.28]);
        b.add(&format!("plume {side}"), Some(base), [0.12 * x, 0.19, 0.40]);
        for (pair, z, y) in [("fore", 0.07, 0.07), ("hind", -0.07, 0.06)] {
            let wing = b.add(&format!("{pair} wing {side}"), Some(thorax), [0.08 * x, y, z]);
            b.add(&format!("{pair} tip {side}"), Some(wing), [0.55 * x, y, z]);
        }
        for (pair, z) in PAIRS {
            let hip = b.add(&format!("{pair} leg {side}"), Some(thorax), [0.06 * x, -0.06, z]);
            b.add(&format!("{pair} shin {side}"), Some(hip), [0.24 * x, 0.0, 1.7 * z]);
        }
    }
    b
}

fn body(b: &Bones) -> Skin {
    let mut s = Skin::default();
    let [thorax, waist, tail, neck, head] = ["thorax", "waist", "tail", "neck", "head"].map(|n| b.of(n));
    // From the tail's end to the front of the head: rounder than it is high.
    let rings: Vec<([f64; 3], [f64; 2], Held)> = [
        (-0.66, 0.008, both(tail, tail, 0.0)),
        (-0.62, 0.030, both(tail, tail, 0.0)),
        (-0.54, 0.060, both(tail, tail, 0.0)),
        (-0.46, 0.080, both(tail, waist, 0.3)),
        (-0.38, 0.092, both(tail, waist, 0.6)),
        (-0.30, 0.100, both(waist, waist, 0.0)),
        (-0.22, 0.098, both(waist, thorax, 0.2)),
        (-0.16, 0.092, both(waist, thorax, 0.5)),
        (-0.11, 0.104, both(thorax, thorax, 0.0)),
        (-0.05, 0.118, both(thorax, thorax, 0.0)),
        (0.02, 0.120, both(thorax, thorax, 0.0)),
        (0.09, 0.108, both(thorax, thorax, 0.0)),
        (0.14, 0.084, both(thorax, neck, 0.5)),
        (0.17, 0.068, both(neck, neck, 0.0)),
        (0.20, 0.074, both(neck, head, 0.6)),
        (0.24, 0.086, both(head, head, 0.0)),
        (0.29, 0.084, both(head, head, 0.0)),
        (0.33, 0.062, both(head, head, 0.0)),
        (0.355, 0.025, both(head, head, 0.0)),
    ]
    .into_iter()
    .map(|(z, r, held): (f64, f64, Held)| {
        let y = if z > 0.12 { 0.22 * (z - 0.12) } else { 0.06 * (z + 0.16).min(0.0) };
        ([0.0, y, z], [r, 0.92 * r], held)
    })
    .collect();
    s.tube(20, &rings);
    for (side, x) in SIDES {
        let (base, plume) = (b.of(&format!("antenna {side}")), b.of(&format!("plume {side}")));
        let way = |u: f64| {
            [(0.04 + 0.24 * u * u) * x, 0.10 + 0.22 * u - 0.06 * u * u, 0.28 + 0.30 * u - 0.10 * u * u]
        };
        let wide = |u: f64| 0.032 * (std::f64::consts::PI * (0.08 + 0.9 * u)).sin().max(0.05);
        let at = |u: f64, v: f64| {
            let p = way(u);
            [p[0] + v * wide(u) * 0.4 * x, p[1] + v * wide(u) * 0.3, p[2] - v * wide(u)]
        };
        s.leaf(12, 2, at, |u| both(base, plume, ease(0.25, 0.7, u)));
    }
    s
}

fn legs(b: &Bones) -> Skin {
    let mut s = Skin::default();
    for (side, x) in SIDES {
        for (pair, z) in PAIRS {
            let (hip, shin) = (b.of(&format!("{pair} leg {side}")), b.of(&format!("{pair} shin {side}")));
            let knee = [0.24 * x, 0.0, 1.7 * z];
            let foot = [0.32 * x, 0.012 - STANDS, 2.3 * z];
            let thigh = [0.06 * x, -0.06, z];
            let mix = |a: [f64; 3], c: [f64; 3], t: f64| [0, 1, 2].map(|k| a[k] + t * (c[k] - a[k]));
            s.tube(
                8,
                &[
                    (thigh, [0.022; 2], both(hip, hip, 0.0)),
                    (mix(thigh, knee, 0.5), [0.020; 2], both(hip, hip, 0.0)),
                    (mix(thigh, knee, 0.9), [0.017; 2], both(hip, shin, 0.3)),
                    (mix(knee, foot, 0.1), [0.016; 2], both(hip, shin, 0.7)),
                    (mix(knee, foot, 0.5), [0.013; 2], both(shin, shin, 0.0)),
                    (mix(knee, foot, 0.92), [0.012; 2], both(shin, shin, 0.0)),
                    (foot, [0.036; 2], both(shin, shin, 0.0)),
                ],
            );
        }
    }
    s
}

fn wings(b: &Bones) -> Skin {
    let mut s = Skin::default();
    for (side, x) in SIDES {
        for (pair, span, root_z, y) in [("fore", 1.08, 0.07, 0.07), ("hind", 0.74, -0.07, 0.06)] {
            let (root, tip) = (b.of(&format!("{pair} wing {side}")), b.of(&format!("{pair} tip {side}")));
            let fore = pair == "fore";
            let at = |u: f64, v: f64| {
                // The edges of the leaf: how far before and behind its root's line.
                let (lead, trail) = match fore {
                    true => (
                        0.06 + 0.20 * u - 0.14 * u * u * u * u,
                        -0.07 - 0.34 * (std::f64::consts::PI * 0.58 * u).sin(),
                    ),
                    false => (0.02 - 0.10 * u, -0.10 - 0.52 * (std::f64::consts::PI * 0.62 * u).sin()),
                };
                let close = (1.0 - u * u * u * u * u * u).max(0.12);
                let (middle, half) = (0.5 * (lead + trail), 0.5 * (lead - trail) * close);
                let z = root_z + middle + v * half;
                [x * (0.08 + span * u), y + 0.05 * u * (1.0 - v * v * 0.6), z]
            };
            s.leaf(16, 8, at, |u| both(root, tip, ease(0.25, 0.75, u)));
        }
    }
    // The right ones' sides are the left ones' mirrored: turned over, so that all face up.
    let half = s.triangles.len() / 2;
    s.triangles[..half].iter_mut().for_each(|t| t.swap(1, 2));
    s
}

fn turn(axis: [f64; 3], angle: f64) -> [f64; 4] {
    let (s, c) = (0.5 * angle).sin_cos();
    [axis[0] * s, axis[1] * s, axis[2] * s, c]
}

/// First `b`, then `a`.
fn times(a: [f64; 4], b: [f64; 4]) -> [f64; 4] {
    [
        a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
        a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
        a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
        a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
    ]
}

const X: [f64; 3] = [1.0, 0.0, 0.0];
const Y: [f64; 3] = [0.0, 1.0, 0.0];
const Z: [f64; 3] = [0.0, 0.0, 1.0];

/// Where the body is, over the place where its feet come down.
fn flight(t: f64) -> ([f64; 3], [f64; 4]) {
    let (come, sink) = (ease(0.0, 2.6, t), ease(2.9, DOWN, t));
    let still = 1.0 - ease(DOWN - 0.5, DOWN, t);
    let bob = 0.022 * still * (std::f64::consts::TAU * BEATS * t).cos();
    let settle = -0.02 * (-(t - DOWN).max(0.0) * 3.0).exp() * (9.0 * (t - DOWN)).sin();
    let settle = if t > DOWN { settle } else { 0.0 };
    let from = [-2.9, 1.15, -2.4];
    let hover = 0.62 * (1.0 - sink);
    let p = [
        from[0] * (1.0 - come),
        STANDS + hover + (from[1] - 0.62) * (1.0 - come) + bob + settle,
        from[2] * (1.0 - come) + 0.08 * still * (1.3 * t).sin() * come,
    ];
    // Nose up while it brakes, level when it stands; the way it flies, then along the deck.
    let nose = -0.42 * ease(1.2, 2.8, t) * (1.0 - ease(3.4, DOWN, t)) + 0.10 * (1.0 - come);
    let heading = 0.88 + (0.35 - 0.88) * ease(1.8, 3.2, t);
    (p, times(turn(Y, heading), turn(X, nose)))
}

/// How far wings are raised, and swept back, radians.
fn beat(t: f64, late: f64) -> (f64, f64) {
    let flies = 1.0 - ease(DOWN - 0.15, DOWN + 0.7, t);
    let hard = 0.75 + 0.25 * ease(2.0, 3.0, t);
    let raised = flies * hard * (std::f64::consts::TAU * BEATS * t - late).sin();
    let fold = ease(DOWN + 0.5, FOLDED, t);
    // Near the deck they beat higher, so as not to strike it.
    let near = 0.55 * ease(3.0, DOWN - 0.2, t) * flies;
    (raised * (1.0 - 0.35 * near) + 0.12 * flies + near + 0.02 * fold, fold)
}

/// The turn of a bone at a time; `None` where it keeps still.
fn turned(name: &str, t: f64) -> Option<[f64; 4]> {
    let side = if name.ends_with("left") { 1.0 } else { -1.0 };
    let down = ease(3.2, DOWN, t);
    let flies = 1.0 - ease(DOWN - 0.2, DOWN + 0.6, t);
    let phase = std::f64::consts::TAU * BEATS * t;
    let breath = (std::f64::consts::TAU * 0.45 * t).sin();
    if name == "flight" {
        return Some(flight(t).1);
    }
    if name == "waist" {
        return Some(turn(X, 0.05 * flies * phase.cos() + 0.02 * breath));
    }
    if name == "tail" {
        return Some(turn(X, 0.08 * flies * (phase - 0.7).cos() + 0.10 * (1.0 - down)));
    }
    if name == "neck" {
        return Some(turn(X, 0.25 * ease(1.2, 2.8, t) * (1.0 - ease(3.4, DOWN, t))));
    }
    if name == "head" {
        let look = ease(6.0, 6.5, t) - 2.0 * ease(7.2, 7.9, t) + ease(8.8, 9.4, t);
        let nod = 0.18 * ease(6.6, 6.9, t) * (1.0 - ease(7.0, 7.3, t));
        return Some(times(turn(Y, 0.55 * look), turn(X, nod)));
    }
    if name.starts_with("antenna") || name.starts_with("plume") {
        let late = if name.starts_with("plume") { 0.6 } else { 0.0 };
        let shake = 0.10 * flies * (phase - late).cos() + 0.05 * (2.3 * t - late).sin();
        return Some(times(turn(X, -0.18 * (1.0 - down) + shake), turn(Z, 0.06 * side * (1.7 * t).sin())));
    }
    if name.contains("wing") {
        let (raised, fold) = beat(t, if name.starts_with("hind") { 0.5 } else { 0.0 });
        let sweep = if name.starts_with("fore") { 0.92 } else { 0.50 };
        let pitch = 0.22 * flies * (phase + 1.2).cos();
        let open = times(turn(Z, side * raised), turn(X, pitch));
        return Some(times(turn(Y, side * sweep * fold), open));
    }
    if name.contains("tip") {
        let (raised, _) = beat(t, if name.starts_with("hind") { 1.4 } else { 0.9 });
        return Some(turn(Z, side * 0.45 * raised));
    }
    if name.contains("leg") {
        // Drawn up under the body until it comes down.
        return Some(turn(Z, side * 0.35 * (1.0 - down)));
    }
    if name.contains("shin") {
        return Some(turn(Z, -side * 0.85 * (1.0 - down)));
    }
    None
}

/// The whole moth as GLB.
pub fn moth() -> Vec<u8> {
    let b = bones();
    let mut glb = Glb::default();
    let mut nodes: Vec<Value> =
        b.0.iter()
            .enumerate()
            .map(|(k, bone)| {
                let under = bone.on.map_or([0.0; 3], |p| b.0[p].at);
                let local: Vec<f64> = (0..3).map(|c| bone.at[c] - under[c]).collect();
                let children: Vec<usize> = (0..b.0.len()).filter(|c| b.0[*c].on == Some(k)).collect();
                let mut node = json!({ "name": bone.name, "translation": local });
                if !children.is_empty() {
                    node["children"] = json!(children);
                }
                node
            })
            .collect();
    let mut meshes = vec![];
    let mut roots = vec![0];
    for (name, s) in [("body", body(&b)), ("legs", legs(&b)), ("wings", wings(&b))] {
        let attributes = json!({
            "POSITION": glb.floats(&s.positions, "VEC3", true),
            "JOINTS_0": glb.joints(&s.joints),
            "WEIGHTS_0": glb.floats(&s.weights, "VEC4", false),
        });
        let indices = glb.triangles(&s.triangles);
        roots.push(nodes.len());
        nodes.push(json!({ "name": name, "mesh": meshes.len(), "skin": 0 }));
        meshes
            .push(json!({ "name": name, "primitives": [{ "attributes": attributes, "indices": indices }] }));
    }
    let inverse: Vec<[f32; 16]> =
        b.0.iter()
            .map(|bone| {
                let [x, y, z] = bone.at.map(|c| -c as f32);
                [1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, x, y, z, 1.0]
            })
            .collect();
    let skin = json!({
        "joints": (0..b.0.len()).collect::<Vec<_>>(),
        "inverseBindMatrices": glb.floats(&inverse, "MAT4", false),
        "skeleton": 0,
    });
    let keys: Vec<f64> = (0..=(LENGTH * RATE) as usize).map(|k| k as f64 / RATE).collect();
    let times: Vec<[f32; 1]> = keys.iter().map(|t| [*t as f32]).collect();
    let input = glb.floats(&times, "SCALAR", true);
    let (mut channels, mut samplers) = (vec![], vec![]);
    let mut channel = |node: usize, path: &str, output: usize| {
        channels.push(json!({ "sampler": samplers.len(), "target": { "node": node, "path": path } }));
        samplers.push(json!({ "input": input, "output": output, "interpolation": "LINEAR" }));
    };
    let places: Vec<[f32; 3]> = keys.iter().map(|t| flight(*t).0.map(|c| c as f32)).collect();
    channel(0, "translation", glb.floats(&places, "VEC3", false));
    for (k, bone) in b.0.iter().enumerate() {
        let turns: Option<Vec<[f32; 4]>> =
            keys.iter().map(|t| turned(&bone.name, *t).map(|q| q.map(|c| c as f32))).collect();
        if let Some(turns) = turns {
            channel(k, "rotation", glb.floats(&turns, "VEC4", false));
        }
    }
    glb.finish(json!({
        "scene": 0,
        "scenes": [{ "nodes": roots }],
        "nodes": nodes,
        "meshes": meshes,
        "skins": [skin],
        "animations": [{ "name": "Landing", "channels": channels, "samplers": samplers }],
    }))
}
