//! What moves a point: its acceleration, and what each thing that acts on it has of that.
//!
//! Weight and what pushes are what they are. What moving air does depends on all of it together, for drag grows with the square of
//! the flow; each field gets its share as if all of them had grown together from nothing (R. Aumann, L. Shapley, "Values of
//! Non-Atomic Games", 1974): the mean slope of the force times what the field moves, which adds up exactly. What is left is what
//! the cloth itself, what holds it and what it touches do; at one frame these are told apart by computing it once more.
use crate::resolve::fields_at;
use crate::{MeshLibrary, RunError, Split, Stage, body_rest, shape, strands};
use nematon_air::{Air, By, FieldNow};
use nematon_document::{Body, BodyId};
use nematon_solver::Rest;
use schemars::JsonSchema;
use serde::Serialize;

/// One thing that acts on a point.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Share {
    pub name: String,
    pub of: Of,
    /// The key of the field, where it is one.
    pub field: Option<String>,
    /// m/s², at each frame asked for.
    pub by: Vec<[f32; 3]>,
}

/// What kind of thing acts.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Of {
    Gravity,
    /// A field that moves air.
    Air,
    /// A field that pushes.
    Push,
    /// The air that it moves through, as if it stood still.
    Still,
    /// The body itself, what holds it and what it touches.
    Rest,
    /// Grips that pull, and what it follows; told apart at one frame only.
    Hold,
    /// What it touches; told apart at one frame only.
    Contact,
}

/// What moves a point, over some frames.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Why {
    pub first: i64,
    /// Where it is, metres.
    pub at: Vec<[f32; 3]>,
    /// m/s.
    pub velocity: Vec<[f32; 3]>,
    /// All together, m/s².
    pub acceleration: Vec<[f32; 3]>,
    /// Whether it is held for good: then nothing moves it but what holds it.
    pub held: bool,
    pub shares: Vec<Share>,
}

/// What is less of a share that is told apart is left out, m/s².
const LEAST: f32 = 1e-3;

impl Why {
    /// Tells what the rest is of, where one frame was asked for and the point is not held for good.
    pub fn tell_apart(&mut self, split: &Split) {
        let Some(rest) = self.shares.iter_mut().find(|s| s.of == Of::Rest && s.by.len() == 1) else { return };
        if self.held {
            return;
        }
        "The body itself".clone_into(&mut rest.name);
        let parts =
            [("Grips that pull", Of::Hold, split.hold), ("What it touches", Of::Contact, split.contact)];
        for (_, _, by) in &parts {
            (0..3).for_each(|c| rest.by[0][c] -= by[c]);
        }
        for (name, of, by) in parts.into_iter().filter(|p| p.2.iter().any(|c| c.abs() > LEAST)) {
            self.shares.push(Share { name: name.into(), of, field: None, by: vec![by] });
        }
    }
}

/// Density of air at sea level, for which drag and lift are told, kg/m³.
const AIR: f64 = 1.2;

type Vec3 = [f64; 3];
fn add(a: Vec3, b: Vec3) -> Vec3 {
    std::array::from_fn(|c| a[c] + b[c])
}
fn sub(a: Vec3, b: Vec3) -> Vec3 {
    std::array::from_fn(|c| a[c] - b[c])
}
fn times(a: Vec3, s: f64) -> Vec3 {
    a.map(|c| c * s)
}
fn single(a: Vec3) -> [f32; 3] {
    a.map(|c| c as f32)
}
fn dot(a: Vec3, b: Vec3) -> f64 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}
fn cross(a: Vec3, b: Vec3) -> Vec3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

/// What of a body meets the air at a point.
enum Caught {
    /// Triangles about it: their points, and a third of the area as drag and as lift see it, m²; and all that is of the skin.
    Panels(Vec<([u32; 3], [f64; 2])>, f64),
    /// A ball, its area as drag sees it, and as it is, m².
    Ball(u32, f64, f64),
    /// Halves of the segments about a point: their ends, and what of each drag sees across and along, m²; and all that is of the skin.
    /// And a plate at the point, by the stem along which it faces: its area times its drag coefficient, m².
    Rods(u32, Vec<([u32; 2], [f64; 2])>, f64, Option<([u32; 2], f64)>),
}

impl Caught {
    /// What of the skin is the point's, m².
    fn skin(&self) -> f64 {
        match self {
            Caught::Panels(_, skin) | Caught::Ball(_, _, skin) | Caught::Rods(_, _, skin, _) => *skin,
        }
    }
}

/// A point of a body with what acts on it.
pub struct Asked<'a> {
    pub scene: &'a Stage,
    pub body: &'a BodyId,
    pub point: usize,
    /// The frame of the second of the places: there is one more before and one more after what is asked for.
    pub first: i64,
    /// Where all points of the body are, frame by frame.
    pub places: &'a [Vec<[f64; 3]>],
}

/// What moves a point of a body.
///
/// # Errors
/// When the body has no shape, or a field can't act.
pub fn why(asked: &Asked, library: &dyn MeshLibrary) -> Result<Why, RunError> {
    let Asked { scene, body: id, point, first, places } = asked;
    scene.check().map_err(RunError::Place)?;
    let body = scene.bodies.get(*id).ok_or_else(|| RunError::NoSuchBody((*id).clone()))?;
    let found = shape(scene, body, library);
    let shaped = found.map_err(|why| RunError::Shape { body: body.name.clone(), why })?;
    let rest = body_rest(body, &shaped, &scene.frames.moment(scene.frames.first as f64));
    let held = shaped.held()[*point];
    let (mass, caught) = caught(&rest, *point);
    let dt = 1.0 / scene.frames.rate;
    let mut out =
        Why { first: *first, at: vec![], velocity: vec![], acceleration: vec![], held, shares: vec![] };
    for (k, three) in places.windows(3).enumerate() {
        let frame = *first as f64 + k as f64;
        let at = |of: usize, p: u32| three[of][p as usize];
        let speed = |p: u32| times(sub(at(2, p), at(0, p)), 0.5 / dt);
        let p = *point as u32;
        let all = times(sub(add(at(2, p), at(0, p)), times(at(1, p), 2.0)), 1.0 / (dt * dt));
        let index = frame - scene.frames.first as f64;
        let fields = fields_at(scene, std::slice::from_ref(*id), frame);
        let weather = shaped.weather.as_ref().map(|w| w.motion(scene, 0, frame + 0.5));
        let over = |of: usize| {
            let w = weather.as_ref().and_then(|w| w.over[of].as_ref());
            w.map_or(1.0, |o| f64::from(o[*point]))
        };
        let mut told: Vec<(String, Of, Option<String>, Vec3)> = vec![];
        let mut tell =
            |name: String, of: Of, field: Option<String>, by: Vec3| told.push((name, of, field, by));
        let weighs = weather.as_ref().map_or(1.0, |w| f64::from(w.gravity)) * over(0);
        if fields.gravity != [0.0; 3] {
            tell("Gravity".into(), Of::Gravity, None, times(fields.gravity.map(f64::from), weighs));
        }
        let now = numbers(body, scene, frame);
        let time = index * dt;
        let near: Vec<u32> = match &caught {
            Caught::Panels(panels, _) => {
                let mut all: Vec<u32> = panels.iter().flat_map(|p| p.0).collect();
                all.sort_unstable();
                all.dedup();
                all
            }
            Caught::Ball(..) | Caught::Rods(..) => vec![p],
        };
        let spots: Vec<[f32; 3]> = near.iter().map(|p| single(three[1][*p as usize])).collect();
        let slow: Vec<FieldNow> = fields.each.iter().map(|f| &f.now).filter(|f| slows(f)).cloned().collect();
        let moves: Vec<(usize, Vec<Vec3>)> = fields
            .each
            .iter()
            .enumerate()
            .filter(|(_, f)| f.now.by == By::Air && !slows(&f.now))
            .map(|(n, f)| {
                let mut with = vec![f.now.clone()];
                with.extend(slow.iter().cloned());
                let v = Air::at(&with, Some(0), time).velocities(&spots);
                (n, v.iter().map(|v| v.map(f64::from)).collect())
            })
            .collect();
        let place = |p: u32| near.binary_search(&p).unwrap_or(0);
        let (still, by_field) = aerial(&caught, &now, mass, &moves, place, &|p| at(1, p), &speed);
        for ((n, _), by) in moves.iter().zip(by_field) {
            let id = &fields.each[*n].id;
            tell(scene.fields[id].name.clone(), Of::Air, Some(id.0.clone()), by);
        }
        for f in fields.each.iter().filter(|f| f.now.by != By::Air) {
            let (own, here) = (std::slice::from_ref(&f.now), [single(three[1][*point])]);
            let by = match f.now.by {
                By::Force => {
                    let by = Air::forces(own, Some(0), time).velocities(&here)[0];
                    times(by.map(f64::from), caught.skin() / mass)
                }
                By::Push | By::Air => Air::pushes(own, Some(0), time).velocities(&here)[0].map(f64::from),
            };
            tell(scene.fields[&f.id].name.clone(), Of::Push, Some(f.id.0.clone()), by);
        }
        let slowed = weather.as_ref().map_or(0.0, |w| f64::from(w.still)) * over(1);
        tell("The air it moves through".into(), Of::Still, None, sub(still, times(speed(p), slowed)));
        let left = told.iter().fold(all, |left, t| sub(left, t.3));
        let name = if held { "What holds it" } else { "The body itself, what holds it and what it touches" };
        told.push((name.into(), Of::Rest, None, left));
        for (name, of, field, by) in told {
            let by = by.map(|c| c as f32);
            match out.shares.iter_mut().find(|s| s.of == of && s.field == field) {
                Some(share) => share.by.push(by),
                None => {
                    // What came later was nothing before.
                    let mut before = vec![[0.0; 3]; k];
                    before.push(by);
                    out.shares.push(Share { name, of, field, by: before });
                }
            }
        }
        out.at.push(single(three[1][*point]));
        out.velocity.push(speed(p).map(|c| c as f32));
        out.acceleration.push(all.map(|c| c as f32));
        // What was there before and is no more is nothing now.
        out.shares.iter_mut().for_each(|s| s.by.resize(k + 1, [0.0; 3]));
    }
    Ok(out)
}

fn slows(f: &FieldNow) -> bool {
    matches!(f.act, nematon_air::ActNow::Shelter(_))
}

/// Drag and lift at a frame, with the density of the air in them.
fn numbers(body: &Body, scene: &Stage, frame: f64) -> [f64; 2] {
    let moment = scene.frames.moment(frame);
    let thicker = crate::matters::thicker(body, &moment);
    let own = crate::kind::of(&body.kind).matters();
    [own.drag, own.lift].map(|v| v.at(&moment) * thicker)
}

/// Mass of a point, kg, and what of the body meets the air there.
fn caught(rest: &Rest, point: usize) -> (f64, Caught) {
    match rest {
        Rest::Cloth(r) => {
            use nematon_solver::Scaled::{ArealWeight, Drag, Lift};
            let (mut mass, mut skin, mut panels) = (0.0, 0.0, vec![]);
            for (t, flat) in r.triangles.iter().zip(&r.flat).filter(|(t, _)| t.contains(&(point as u32))) {
                let [a, b, c] = flat.map(|p| p.map(f64::from));
                let area = 0.5 * ((b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])).abs();
                skin += area / 3.0;
                mass += area / 3.0 * f64::from(r.matter.areal_weight) * r.maps.over(ArealWeight, t);
                panels.push((*t, [Drag, Lift].map(|s| area / 3.0 * r.maps.over(s, t))));
            }
            (mass.max(1e-12), Caught::Panels(panels, skin))
        }
        Rest::Strands(r) => {
            let mut sum = (0.0, 0.0, vec![]);
            let mut before = None;
            for [a, b] in r.segments().filter(|s| s.contains(&point)) {
                let length = strands::apart(r.shape_at(a), r.shape_at(b));
                let mean = |of: &[f32]| 0.5 * r.at_ends(of, [a, b]).iter().sum::<f64>();
                let here = |of: &[f32]| {
                    let ends = r.at_ends(of, [a, b]);
                    let own = usize::from(b == point);
                    0.75 * ends[own] + 0.25 * ends[1 - own]
                };
                let over = match r.over[0].is_empty() {
                    true => 1.0,
                    false => 0.5 * (f64::from(r.over[0][a]) + f64::from(r.over[0][b])),
                };
                let seen = 0.5 * length * mean(&r.width) * over;
                sum.0 += 0.5 * length * here(&r.line_density);
                sum.1 += 0.5 * length * here(&r.width);
                sum.2.push(([a as u32, b as u32], [seen, f64::from(r.along) * seen]));
                before = before.or((b == point).then_some(a));
            }
            let (mass, skin, rods) = sum;
            let mass = mass + r.lumps.get(point).map_or(0.0, |m| f64::from(*m));
            // A plate faces along the stem that its stalk comes from.
            let area = r.blades.get(point).map_or(0.0, |b| f64::from(*b));
            let over = r.over[0].get(point).map_or(1.0, |o| f64::from(*o));
            let stem = before.and_then(|a| Some([r.segments().find(|s| s[1] == a)?[0], a]));
            let blade = stem
                .filter(|_| area > 0.0)
                .map(|stem| (stem.map(|p| p as u32), area * over * f64::from(r.blade_drag)));
            (mass.max(1e-12), Caught::Rods(point as u32, rods, skin + area, blade))
        }
        Rest::Free(r) => {
            let area = std::f64::consts::PI * f64::from(r.radii[point]).powi(2);
            let over = r.over[0].get(point).map_or(1.0, |o| f64::from(*o));
            (f64::from(r.masses[point]).max(1e-12), Caught::Ball(point as u32, area * over, area))
        }
    }
}

/// Places and weights of Gauss's rule of four points on 0 to 1.
const GAUSS: [[f64; 2]; 4] = [
    [0.069_431_844_202_973_7, 0.173_927_422_568_726_9],
    [0.330_009_478_207_571_9, 0.326_072_577_431_273_1],
    [0.669_990_521_792_428_1, 0.326_072_577_431_273_1],
    [0.930_568_155_797_026_3, 0.173_927_422_568_726_9],
];

/// What the air does to a point, m/s²: as if it stood still, and then each of what moves it.
fn aerial(
    caught: &Caught,
    [drag, lift]: &[f64; 2],
    mass: f64,
    moves: &[(usize, Vec<Vec3>)],
    place: impl Fn(u32) -> usize,
    at: &dyn Fn(u32) -> Vec3,
    speed: &dyn Fn(u32) -> Vec3,
) -> (Vec3, Vec<Vec3>) {
    let (mut still, mut shares) = ([0.0; 3], vec![[0.0; 3]; moves.len()]);
    let mut panel = |force: &dyn Fn(Vec3) -> Vec3, from: Vec3, own: Vec<Vec3>| {
        let whole = own.iter().fold([0.0; 3], |a, b| add(a, *b));
        let none = force(from);
        still = add(still, none);
        // The mean slope along the way from no air to all of it, by columns.
        let mut slope = [[0.0; 3]; 3];
        let h = 1e-4 * (1.0 + dot(whole, whole).sqrt());
        for [t, weight] in GAUSS {
            let here = add(from, times(whole, t));
            for (c, column) in slope.iter_mut().enumerate() {
                let by: Vec3 = std::array::from_fn(|k| if k == c { h } else { 0.0 });
                let d = times(sub(force(add(here, by)), force(sub(here, by))), weight / (2.0 * h));
                *column = add(*column, d);
            }
        }
        let through = |v: Vec3| (0..3).fold([0.0; 3], |a, c| add(a, times(slope[c], v[c])));
        // A force bends where the flow turns round: what the rule misses goes to each as its own does.
        let (all, told) = (sub(force(add(from, whole)), none), through(whole));
        let missed = sub(all, told);
        let size = own.iter().map(|v| dot(*v, *v).sqrt()).sum::<f64>().max(1e-12);
        for (share, v) in shares.iter_mut().zip(&own) {
            *share = add(*share, add(through(*v), times(missed, dot(*v, *v).sqrt() / size)));
        }
    };
    let half = 0.5 * AIR / mass;
    match caught {
        Caught::Panels(panels, _) => {
            for (t, [seen, lifted]) in panels {
                let n = cross(sub(at(t[1]), at(t[0])), sub(at(t[2]), at(t[0])));
                let n = times(n, 1.0 / dot(n, n).sqrt().max(1e-15));
                let force = |r: Vec3| {
                    let size = dot(r, r).sqrt().max(1e-15);
                    let s = dot(r, n);
                    let lift = half * lift * lifted * s;
                    add(times(r, half * drag * seen * s.abs() - lift * s / size), times(n, lift * size))
                };
                let mean = |of: &dyn Fn(u32) -> Vec3| {
                    times(t.iter().fold([0.0; 3], |a, p| add(a, of(*p))), 1.0 / 3.0)
                };
                let own = moves.iter().map(|(_, v)| mean(&|p| v[place(p)])).collect();
                panel(&force, times(mean(speed), -1.0), own);
            }
        }
        Caught::Rods(point, rods, _, blade) => {
            for ([a, b], [across, along]) in rods {
                let t = sub(at(*b), at(*a));
                let t = times(t, 1.0 / dot(t, t).sqrt().max(1e-15));
                let force = |r: Vec3| {
                    let on = dot(r, t);
                    let off = sub(r, times(t, on));
                    let size = half * drag * dot(off, off).sqrt();
                    add(times(off, across * size), times(t, along * size * on))
                };
                let own = moves.iter().map(|(_, v)| v[0]).collect();
                panel(&force, times(speed(*point), -1.0), own);
            }
            if let Some(([a, b], area)) = blade {
                let unit = |v: Vec3| times(v, 1.0 / dot(v, v).sqrt().max(1e-15));
                let (stem, way) = (unit(sub(at(*b), at(*a))), unit(sub(at(*point), at(*b))));
                let n = unit(sub(stem, times(way, dot(stem, way))));
                let force = |r: Vec3| times(n, half * area * dot(r, r).sqrt() * dot(r, n));
                let own = moves.iter().map(|(_, v)| v[0]).collect();
                panel(&force, times(speed(*point), -1.0), own);
            }
        }
        Caught::Ball(point, area, _) => {
            let force = |r: Vec3| times(r, half * drag * area * dot(r, r).sqrt());
            let own = moves.iter().map(|(_, v)| v[0]).collect();
            panel(&force, times(speed(*point), -1.0), own);
        }
    }
    (still, shares)
}
