//! What a brush does to weights on a surface: strokes of dabs, and what is done to all of a map at once. Distances are along the surface as it
//! is shown, so that neither its far side nor the next layer is touched.
mod comb;
mod whole;

pub use comb::{Comb, CombDab, Combed, Combing, Combs, Lock, Skin, apart};
pub use whole::{Whole, whole};

use glam::{DVec3, Vec3};
use nematon_geometry::{About, ByX, From, Mesh, Surface, Walk, nearest_shares};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};
use std::sync::{Arc, OnceLock};

/// What a brush does.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Does {
    /// Soaks in: a stroke adds its strength at most, however often it goes over a place.
    Add,
    /// Washes out.
    Take,
    /// Evens out toward what is beside it, with every dab.
    Smooth,
    /// Comes to a value.
    Level(f32),
}

/// How a brush fades from its middle to its rim.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Edge {
    #[default]
    Soft,
    /// In proportion to the distance.
    Straight,
    /// Wide, and quickly gone at the rim.
    Round,
    /// All of it up to the rim.
    Hard,
}

impl Edge {
    /// How much there is at a share of the radius, both 0 to 1.
    pub fn at(self, t: f64) -> f64 {
        let s = 1.0 - t.clamp(0.0, 1.0);
        match self {
            Edge::Soft => s * s * (3.0 - 2.0 * s),
            Edge::Straight => s,
            Edge::Round => (s * (2.0 - s)).sqrt(),
            Edge::Hard => f64::from(u8::from(t <= 1.0)),
        }
    }
}

/// A brush.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Brush {
    pub does: Does,
    /// Along the surface as it is shown, metres.
    pub radius: f64,
    /// 0 to 1.
    pub strength: f32,
    #[serde(default)]
    pub edge: Edge,
    /// Paints at the mirrored place of the rest shape too: over the middle of its box, across x (0), y (1) or z (2).
    #[serde(default)]
    pub mirror: Option<usize>,
}

/// What strokes have painted on a surface.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Painting {
    pub surface: Arc<Mesh>,
    /// 0 to 1, one a point of the surface.
    pub weights: Vec<f32>,
}

/// A picture, row by row from its upper left corner.
#[derive(Clone, Debug, PartialEq)]
pub struct Picture {
    /// Width and height, at least 1.
    pub size: [u32; 2],
    /// Red, green, blue and alpha.
    pub pixels: Vec<[u8; 4]>,
}

/// A place on a surface.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
pub struct Touch {
    pub triangle: u32,
    /// Of its corners, 1 together.
    pub shares: [f32; 3],
}

/// A surface to paint on.
#[derive(Debug, Default)]
pub struct Canvas {
    rest: Mesh,
    shown: Vec<[f32; 3]>,
    about: About,
    /// For each point the one nearest to its mirrored place, by axis.
    mirrored: [OnceLock<Vec<u32>>; 3],
}

impl Canvas {
    /// A rest shape, and where its points are shown; as they rest where those are not as many.
    pub fn new(rest: Mesh, shown: Vec<[f32; 3]>) -> Canvas {
        let about = About::of(&rest.triangles, rest.positions.len());
        let shown = if shown.len() == rest.positions.len() { shown } else { rest.positions.clone() };
        Canvas { rest, shown, about, mirrored: Default::default() }
    }

    pub fn points(&self) -> usize {
        self.shown.len()
    }

    fn surface(&self) -> Surface<'_> {
        Surface { positions: &self.shown, triangles: &self.rest.triangles, about: &self.about }
    }

    /// The points beside one, each at least once.
    fn beside(&self, p: u32) -> impl Iterator<Item = u32> + '_ {
        let corners = self.about.point(p).iter().flat_map(|t| self.rest.triangles[*t as usize]);
        corners.filter(move |q| *q != p)
    }

    /// The mean of what is beside a point; its own where nothing is.
    fn mean(&self, weights: &[f32], p: u32) -> f32 {
        let (mut sum, mut n) = (0.0f64, 0u32);
        for q in self.beside(p) {
            sum += f64::from(weights[q as usize]);
            n += 1;
        }
        if n == 0 { weights[p as usize] } else { (sum / f64::from(n)) as f32 }
    }

    fn mirror(&self, axis: usize) -> &[u32] {
        self.mirrored[axis].get_or_init(|| {
            let by_x = ByX::of(&self.rest);
            let (low, high) = self.rest.bounds();
            let both = f64::from(low[axis]) + f64::from(high[axis]);
            let of = |p: &[f32; 3]| {
                let mut to = p.map(f64::from);
                to[axis] = both - to[axis];
                by_x.nearest(&self.rest, DVec3::from(to)).unwrap_or(0)
            };
            self.rest.positions.iter().map(of).collect()
        })
    }

    /// The mirrored place of one on a triangle: of the triangles about the mirrored corners the nearest, and where in it.
    fn mirrored(&self, axis: usize, corners: [u32; 3], shares: [f32; 3]) -> Option<([u32; 3], [f32; 3])> {
        if axis > 2 {
            return None;
        }
        let at = |p: u32| DVec3::from(self.rest.positions[p as usize].map(f64::from));
        let (low, high) = self.rest.bounds();
        let mut place: DVec3 = (0..3).map(|k| at(corners[k]) * f64::from(shares[k])).sum();
        place[axis] = f64::from(low[axis]) + f64::from(high[axis]) - place[axis];
        let own = self.mirror(axis);
        let near = corners.into_iter().flat_map(|p| self.about.point(own[p as usize]));
        let each = near.map(|t| {
            let corners = self.rest.triangles[*t as usize];
            let shares = nearest_shares(place, corners.map(at));
            let on: DVec3 = (0..3).map(|k| at(corners[k]) * shares[k]).sum();
            (on.distance_squared(place), corners, shares.map(|s| s as f32))
        });
        each.min_by(|a, b| a.0.total_cmp(&b.0)).map(|(_, corners, shares)| (corners, shares))
    }

    /// The side from which a triangle is seen from a place: positive from where it faces.
    fn side(&self, triangle: u32, eye: Vec3) -> f32 {
        let [a, b, c] = self.rest.triangles[triangle as usize].map(|p| Vec3::from(self.shown[p as usize]));
        (b - a).cross(c - a).dot(eye - a)
    }
}

/// A stroke on its way: what it began on, and how much of it there is at each point.
pub struct Stroke {
    brush: Brush,
    base: Vec<f32>,
    now: Vec<f32>,
    cover: Vec<f32>,
    walk: Walk,
    changed: Vec<u32>,
}

impl Stroke {
    /// A stroke that begins on weights, one a point of the canvas.
    pub fn begin(brush: Brush, weights: Vec<f32>) -> Stroke {
        let cover = vec![0.0; weights.len()];
        Stroke { brush, now: weights.clone(), base: weights, cover, walk: Walk::default(), changed: vec![] }
    }

    /// The weights as they are now.
    pub fn weights(&self) -> &[f32] {
        &self.now
    }

    /// All points that it has changed, and to what.
    pub fn changes(&self) -> Vec<(u32, f32)> {
        let all = (0..self.now.len()).filter(|k| self.now[*k] != self.base[*k]);
        all.map(|k| (k as u32, self.now[k])).collect()
    }

    /// Dabs a place, pressed by 0 to 1, as seen from `eye` where there is one: only triangles that show it the side that the
    /// touched one shows are painted. Gives the points that it changed, and to what. A place that is on no triangle is passed over.
    pub fn dab(
        &mut self,
        on: &Canvas,
        touch: Touch,
        eye: Option<[f32; 3]>,
        pressure: f32,
    ) -> Vec<(u32, f32)> {
        self.changed.clear();
        let Some(corners) = on.rest.triangles.get(touch.triangle as usize).copied() else { return vec![] };
        let eye = eye.map(Vec3::from);
        let side = eye.map_or(1.0, |e| on.side(touch.triangle, e));
        let open = |t: u32| eye.is_none_or(|e| on.side(t, e) * side >= 0.0);
        let strength = f64::from((self.brush.strength * pressure).clamp(0.0, 1.0));
        self.press(on, corners, touch.shares, strength, open);
        if let Some((corners, shares)) =
            self.brush.mirror.and_then(|axis| on.mirrored(axis, corners, touch.shares))
        {
            // The mirrored place may lie behind: it is reached by distance alone.
            self.press(on, corners, shares, strength, |_| true);
        }
        self.changed.sort_unstable();
        self.changed.dedup();
        self.changed.iter().map(|p| (*p, self.now[*p as usize])).collect()
    }

    fn press(
        &mut self,
        on: &Canvas,
        corners: [u32; 3],
        shares: [f32; 3],
        strength: f64,
        open: impl Fn(u32) -> bool,
    ) {
        let at = |p: u32| DVec3::from(on.shown[p as usize].map(f64::from));
        let place: DVec3 = (0..3).map(|k| at(corners[k]) * f64::from(shares[k])).sum();
        let sources = corners.map(|p| (p, at(p).distance(place)));
        let radius = self.brush.radius.max(1e-9);
        self.walk.go(on.surface(), From::Place, &sources, radius, open);
        let found: Vec<(u32, f64)> = self.walk.found().filter(|(_, far)| *far <= radius).collect();
        // All are evened out by what was there before, not one by the other.
        let means: Vec<f32> = match self.brush.does {
            Does::Smooth => found.iter().map(|(p, _)| on.mean(&self.now, *p)).collect(),
            _ => vec![],
        };
        for (k, (p, far)) in found.into_iter().enumerate() {
            let share = (strength * self.brush.edge.at(far / radius)) as f32;
            let i = p as usize;
            let next = if self.brush.does == Does::Smooth {
                self.now[i] + share * (means[k] - self.now[i])
            } else {
                if share <= self.cover[i] {
                    continue;
                }
                self.cover[i] = share;
                match self.brush.does {
                    Does::Add => (self.base[i] + share).min(1.0),
                    Does::Take => (self.base[i] - share).max(0.0),
                    Does::Level(to) => self.base[i] + share * (to.clamp(0.0, 1.0) - self.base[i]),
                    Does::Smooth => self.now[i],
                }
            };
            if next != self.now[i] {
                self.now[i] = next;
                self.changed.push(p);
            }
        }
    }
}
