//! Pieces that come a few at a time: when each comes, where and how fast, and when it goes.
//!
//! How many have come by a moment is the integral of the rate; the k-th comes where that is k + 1/2. What comes between two frames flies
//! free until the later one and is met by others from there on, so that neither how finely time is cut nor what lies about the source
//! counts for it. All of it is told by numbers that the scene gives, and by nothing that is simulated.
use crate::NoMeshes;
use crate::outlet::{Ground, ground};
use crate::resolve::World;
use crate::{ShapeError, Stage};
use glam::DVec3;
use nematon_air::Line;
use nematon_document::{Body, Drift, FrameSpan, MAX_POINTS, Outlet, Source};
use nematon_geometry::{Mesh, fill};
use nematon_solver::{Born, Comings};

/// Parts of a frame in which a rate is looked at.
const LOOKS: usize = 8;
/// Numbers of one piece, each by a seed of its own.
const DICE: u32 = 16;

/// All pieces that a source gives in the frames of a scene, the first first.
#[derive(Clone, Debug, PartialEq)]
pub struct Coming {
    pieces: Vec<Piece>,
}

#[derive(Clone, Copy, Debug, PartialEq)]
struct Piece {
    /// When it comes and when it goes, in frames.
    comes: f64,
    goes: f64,
    /// Where it comes, in the world, metres; and how fast, m/s.
    position: [f64; 3],
    velocity: [f64; 3],
    /// And how fast it turns, 1/s.
    spin: [f64; 3],
}

/// By how many frames before a piece comes its outlet is looked at for how fast that goes.
const BEFORE: f64 = 2.0 / LOOKS as f64;

impl Coming {
    /// # Errors
    /// When the surface that they come from can't be had.
    pub fn of(scene: &Stage, body: &Body, own: &Drift, source: &Source) -> Result<Coming, ShapeError> {
        let outlet = Surface::of(scene, source)?;
        let most = (own.count as usize).min(MAX_POINTS);
        let comes = times(&scene.frames, source, most);
        let each = comes.into_iter().enumerate();
        let pieces = each.map(|(k, comes)| piece(scene, body, own, (source, outlet.as_ref()), k, comes));
        Ok(Coming { pieces: pieces.collect() })
    }

    /// Whether none ever comes.
    pub fn is_empty(&self) -> bool {
        self.pieces.is_empty()
    }

    /// Where each comes, in the world and told from the scene's origin, metres.
    pub fn places(&self, scene: &Stage) -> Vec<[f32; 3]> {
        let near = |p: &Piece| std::array::from_fn(|c| (p.position[c] - scene.origin[c]) as f32);
        self.pieces.iter().map(near).collect()
    }

    /// Where each comes, as the body's own place has it then.
    pub fn own(&self, scene: &Stage, body: &Body) -> Vec<[f32; 3]> {
        let own = |p: &Piece| {
            let at = World::of(scene, &body.place, p.comes);
            at.inverse(std::array::from_fn(|c| p.position[c] - scene.origin[c])).map(|c| c as f32)
        };
        self.pieces.iter().map(own).collect()
    }

    /// Those that come and go on the way to a frame, under what pulls them meanwhile, m/s².
    pub fn motion(&self, scene: &Stage, body: usize, pull: [f32; 3], frame: f64) -> Option<Comings> {
        let within = |t: f64| t > frame - 1.0 && t <= frame;
        let there = |p: &Piece| p.comes <= frame && p.goes > frame;
        let each = || self.pieces.iter().enumerate();
        let born = each().filter(|(_, p)| within(p.comes) && there(p)).map(|(k, p)| {
            let t = (frame - p.comes) / scene.frames.rate;
            let g = pull.map(f64::from);
            let at = |c: usize| p.position[c] - scene.origin[c] + t * (p.velocity[c] + 0.5 * t * g[c]);
            Born {
                point: k as u32,
                position: std::array::from_fn(|c| at(c) as f32),
                velocity: std::array::from_fn(|c| (p.velocity[c] + t * g[c]) as f32),
                spin: p.spin.map(|c| c as f32),
            }
        });
        let gone = each().filter(|(_, p)| within(p.goes) && p.comes <= frame - 1.0).map(|(k, _)| k as u32);
        let (born, gone): (Vec<Born>, Vec<u32>) = (born.collect(), gone.collect());
        (!(born.is_empty() && gone.is_empty())).then_some(Comings { body, born, gone })
    }
}

/// Pieces of which a source's outline shows where they come and which way, and over how many seconds of that way.
const SHOWN: usize = 24;
const ALONG: f64 = 0.1;

/// What is drawn of a source at a frame, in the world: arrows from where pieces would come then to where they would be a tenth of a second
/// later, and the space that they come in. A piece that comes without any speed is a cross.
pub(crate) fn shown(scene: &Stage, body: &Body, own: &Drift, source: &Source, frame: f64) -> [Vec<Line>; 2] {
    let Ok(outlet) = Surface::of(scene, source) else { return Default::default() };
    let many = match &source.from {
        Outlet::Points(points) => SHOWN.min(points.len()),
        _ => SHOWN,
    };
    let mut arrows = vec![];
    for k in 0..many {
        let p = piece(scene, body, own, (source, outlet.as_ref()), k, frame);
        let from = DVec3::from(p.position) - DVec3::from(scene.origin);
        let way = ALONG * DVec3::from(p.velocity);
        let mut line = |a: DVec3, b: DVec3| arrows.push([a.as_vec3().to_array(), b.as_vec3().to_array()]);
        if way.length() < own.radius {
            DVec3::AXES.iter().for_each(|d| line(from - own.radius * d, from + own.radius * d));
            continue;
        }
        let across = way.any_orthonormal_vector() * 0.05 * way.length();
        line(from, from + way);
        [across, -across].iter().for_each(|a| line(from + 0.86 * way + a, from + way));
    }
    let mut space = vec![];
    if source.from == Outlet::Space {
        let at = World::of(scene, &body.place, frame);
        let corner = |k: usize| {
            let half = |c: usize| if k >> c & 1 == 1 { 0.5 } else { -0.5 };
            at.place(std::array::from_fn(|c| half(c) * own.size[c])).map(|c| c as f32)
        };
        for k in 0..8 {
            let on = (0..3).filter(|c| k >> c & 1 == 0);
            space.extend(on.map(|c| [corner(k), corner(k | 1 << c)]));
        }
    }
    [arrows, space]
}

/// When pieces come, in frames.
fn times(frames: &FrameSpan, source: &Source, most: usize) -> Vec<f64> {
    let (mut out, mut sum) = (vec![], 0.0f64);
    let step = 1.0 / LOOKS as f64;
    for k in 0..frames.count().saturating_sub(1) * LOOKS {
        let from = frames.first as f64 + k as f64 * step;
        let more = source.rate.at(&frames.moment(from + 0.5 * step)).max(0.0) * step / frames.rate;
        while out.len() < most && sum + more >= out.len() as f64 + 0.5 {
            let share = (out.len() as f64 + 0.5 - sum) / more;
            out.push(from + share.clamp(0.0, 1.0) * step);
        }
        sum += more;
        if out.len() == most {
            break;
        }
    }
    out
}

/// A surface that pieces come from.
struct Surface<'a> {
    /// As nothing moves it; what it is cut into is told by that.
    mesh: Mesh,
    /// The areas of its triangles, summed up.
    sums: Vec<f64>,
    /// How far off its middle a piece comes beside its own radius, metres.
    off: f64,
    moved: Moved<'a>,
}

enum Moved<'a> {
    Figure(&'a crate::Playing),
    Stands(&'a nematon_document::Node),
}

impl<'a> Surface<'a> {
    fn of(scene: &'a Stage, source: &'a Source) -> Result<Option<Surface<'a>>, ShapeError> {
        let found = ground(scene, &source.from, &NoMeshes).map_err(ShapeError::Source)?;
        let Some(Ground { mesh, plays, node, around: off, name }) = found else { return Ok(None) };
        let late = || ShapeError::Source(format!("\"{name}\", which is only known once it is computed"));
        let node = node.ok_or_else(late)?;
        let moved = plays.map_or(Moved::Stands(node), Moved::Figure);
        let mut sum = 0.0;
        let sums: Vec<f64> = (mesh.triangles.iter())
            .map(|t| {
                let [a, b, c] = t.map(|p| mesh.positions[p as usize].map(f64::from));
                sum += 0.5 * length(across([a, b, c]));
                sum
            })
            .collect();
        match sum > 0.0 {
            true => Ok(Some(Surface { mesh, sums, off, moved })),
            false => Err(ShapeError::Source("a surface without any area".into())),
        }
    }

    /// A place of it at a frame and what leads out of it there, in the world but for its origin, by three even chances.
    fn place(&self, scene: &Stage, [which, u, v]: [f64; 3], frame: f64) -> ([f64; 3], [f64; 3]) {
        let all = self.sums[self.sums.len() - 1];
        let at = self.sums.partition_point(|s| *s <= which * all).min(self.sums.len() - 1);
        // Where the corners are on what stands there. A figure is posed as often as a rate is looked at, and no more.
        let t = self.mesh.triangles[at];
        let (own, stands) = match &self.moved {
            Moved::Figure(plays) => {
                let looked = (frame * LOOKS as f64).round() / LOOKS as f64;
                let points = plays.points(plays.time(scene, looked));
                (t.map(|p| points[p as usize]), &plays.own.place)
            }
            Moved::Stands(node) => (t.map(|p| self.mesh.positions[p as usize]), *node),
        };
        let world = World::of(scene, stands, frame);
        let corners = own.map(|p| world.place(p.map(f64::from)));
        // Evenly over a triangle (G. Turk, "Generating random points in triangles", 1990).
        let (s, t) = (u.sqrt(), v);
        let shares = [1.0 - s, s * (1.0 - t), s * t];
        let n = across(corners);
        let size = length(n).max(1e-30);
        let on = std::array::from_fn(|c| (0..3).map(|k| shares[k] * corners[k][c]).sum());
        (on, n.map(|c| c / size))
    }
}

fn piece(
    scene: &Stage,
    body: &Body,
    own: &Drift,
    (source, outlet): (&Source, Option<&Surface>),
    k: usize,
    comes: f64,
) -> Piece {
    let chance = |of: u32| fill::chance(own.seed, (k as u64) * u64::from(DICE) + u64::from(of));
    let dice = |from: u32| [0, 1, 2].map(|c| chance(from + c));
    let at = World::of(scene, &body.place, comes);
    let was = World::of(scene, &body.place, comes - BEFORE);
    let radius = own.radius * fill::varied(own.variation, k, own.seed);
    // Where it comes, where that was a little before, and what leads out of it.
    let (place, before, out) = match (&source.from, outlet) {
        (Outlet::Figure(_) | Outlet::Collider(_), Some(surface)) => {
            let (on, out) = surface.place(scene, dice(0), comes);
            let (was, _) = surface.place(scene, dice(0), comes - BEFORE);
            let off = |p: [f64; 3]| std::array::from_fn(|c| p[c] + (radius + surface.off) * out[c]);
            (off(on), off(was), out)
        }
        (Outlet::Points(points), _) if !points.is_empty() => {
            let p = points[k % points.len()];
            (at.place(p), was.place(p), at.direction(outward(p, dice(0))))
        }
        (
            Outlet::Space | Outlet::Points(_) | Outlet::Figure(_) | Outlet::Collider(_) | Outlet::Body(_),
            _,
        ) => {
            let chances = dice(0);
            let p = std::array::from_fn(|c| (chances[c] - 0.5) * (own.size[c] - 2.0 * radius).max(0.0));
            (at.place(p), was.place(p), at.direction(outward(p, dice(3))))
        }
    };
    let moment = scene.frames.moment(comes);
    let first = at.direction(source.velocity.each_ref().map(|v| v.at(&moment)));
    let (away, scatter) = (source.away.at(&moment), source.scatter.at(&moment));
    let carried = source.carried.at(&moment) * scene.frames.rate / BEFORE;
    let spin = source.spin.at(&moment);
    // Evenly in a ball.
    let any = outward([0.0; 3], dice(6)).map(|c| c * scatter * libm::cbrt(chance(9)));
    let lives = source.life.map_or(f64::INFINITY, |l| l * (1.0 + source.uneven * (2.0 * chance(10) - 1.0)));
    Piece {
        comes,
        goes: comes + lives * scene.frames.rate,
        position: std::array::from_fn(|c| place[c] + scene.origin[c]),
        velocity: std::array::from_fn(|c| {
            first[c] + away * out[c] + any[c] + carried * (place[c] - before[c])
        }),
        spin: outward([0.0; 3], dice(11)).map(|c| c * spin),
    }
}

/// Away from the origin; evenly any way from there itself, by chances.
fn outward(p: [f64; 3], [u, v, _]: [f64; 3]) -> [f64; 3] {
    let size = length(p);
    if size > 1e-9 {
        return p.map(|c| c / size);
    }
    let (z, turn) = (2.0 * u - 1.0, std::f64::consts::TAU * v);
    let (sin, cos) = libm::sincos(turn);
    let r = (1.0 - z * z).max(0.0).sqrt();
    [r * cos, z, r * sin]
}

fn across([a, b, c]: [[f64; 3]; 3]) -> [f64; 3] {
    let (e, f): ([f64; 3], [f64; 3]) =
        (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
    [e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]]
}

fn length(v: [f64; 3]) -> f64 {
    (v[0] * v[0] + v[1] * v[1] + v[2] * v[2]).sqrt()
}
