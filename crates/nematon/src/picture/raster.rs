//! Triangles to pixels, in software: a depth buffer seen from the sun for the shadows, and one seen from the camera.
//!
//! Edges by their signed areas (J. Pineda, "A Parallel Algorithm for Polygon Rasterization", 1988), shadows by comparing depths seen from the
//! light (L. Williams, "Casting Curved Shadows on Curved Surfaces", 1978), averaged over the neighbours of a place (W. Reeves, D. Salesin, R. Cook,
//! "Rendering Antialiased Shadows with Depth Maps", 1987).

pub type Vec3 = [f32; 3];

/// A corner: where it is, and which way its surface faces there.
#[derive(Clone, Copy, Debug)]
pub struct Corner {
    pub at: Vec3,
    pub normal: Vec3,
}

/// A triangle with what it is dyed in, linear light.
#[derive(Clone, Copy, Debug)]
pub struct Triangle {
    pub corners: [Corner; 3],
    pub colour: Vec3,
}

/// Where one looks from: axes to the right, up and back, and how far a picture reaches to each side at a distance of one.
#[derive(Clone, Copy, Debug)]
pub struct Eye {
    pub at: Vec3,
    pub axes: [Vec3; 3],
    pub wide: f32,
    pub high: f32,
}

/// What is nearer than this is cut off, metres.
const NEAR: f32 = 0.01;
/// Pixels of the shadows' picture along a side, and what a surface may be behind itself in it, of its size.
const SHADOW: usize = 1024;
const BIAS: f32 = 0.004;
/// Of a pixel along a side.
const FINE: usize = 2;

pub fn dot(a: Vec3, b: Vec3) -> f32 {
    a[0] * b[0] + a[1] * b[1] + a[2] * b[2]
}

pub fn less(a: Vec3, b: Vec3) -> Vec3 {
    [a[0] - b[0], a[1] - b[1], a[2] - b[2]]
}

pub fn cross(a: Vec3, b: Vec3) -> Vec3 {
    [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0]]
}

pub fn unit(a: Vec3) -> Vec3 {
    let long = dot(a, a).sqrt();
    if long > 1e-12 { a.map(|c| c / long) } else { [0.0, 1.0, 0.0] }
}

/// A buffer of depths, and what is nearest in each place.
struct Depths {
    wide: usize,
    high: usize,
    depth: Vec<f32>,
}

impl Depths {
    fn new(wide: usize, high: usize) -> Depths {
        Depths { wide, high, depth: vec![f32::INFINITY; wide * high] }
    }

    /// Calls for each place of a triangle that is nearer than what was there, with the shares of its corners in the plane of the picture.
    fn fill(&mut self, p: [Vec3; 3], mut set: impl FnMut(usize, [f32; 3])) {
        let edge = |a: Vec3, b: Vec3, x: f32, y: f32| (b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0]);
        let area = edge(p[0], p[1], p[2][0], p[2][1]);
        if area.abs() < 1e-12 || !area.is_finite() {
            return;
        }
        let span = |c: usize, most: usize| {
            let low = p.iter().map(|q| q[c]).fold(f32::INFINITY, f32::min).floor().max(0.0) as usize;
            let high = p.iter().map(|q| q[c]).fold(f32::NEG_INFINITY, f32::max).ceil().min(most as f32 - 1.0);
            low..=high.max(-1.0) as usize
        };
        if p.iter().all(|q| q[0] < 0.0) || p.iter().all(|q| q[1] < 0.0) {
            return;
        }
        for y in span(1, self.high) {
            for x in span(0, self.wide) {
                let (u, v) = (x as f32 + 0.5, y as f32 + 0.5);
                let shares = [edge(p[1], p[2], u, v), edge(p[2], p[0], u, v), edge(p[0], p[1], u, v)]
                    .map(|e| e / area);
                if shares.iter().any(|s| *s < 0.0) {
                    continue;
                }
                let z = shares[0] * p[0][2] + shares[1] * p[1][2] + shares[2] * p[2][2];
                let k = y * self.wide + x;
                if z < self.depth[k] {
                    self.depth[k] = z;
                    set(k, shares);
                }
            }
        }
    }
}

/// The sun, and how what it looks at is told in its picture.
struct Sun {
    way: Vec3,
    axes: [Vec3; 2],
    middle: Vec3,
    reach: f32,
    seen: Depths,
}

impl Sun {
    fn over(triangles: &[Triangle], about: (Vec3, f32)) -> Sun {
        let way = unit([-0.5, 0.95, 0.36]);
        let right = unit(cross([0.0, 1.0, 0.0], way));
        let mut sun = Sun {
            way,
            axes: [right, cross(way, right)],
            middle: about.0,
            reach: about.1.max(1e-3),
            seen: Depths::new(SHADOW, SHADOW),
        };
        for t in triangles {
            let p = t.corners.map(|c| sun.told(c.at));
            sun.seen.fill(p, |_, _| {});
        }
        sun
    }

    /// A place in the sun's picture, in pixels, and how far down its way.
    fn told(&self, p: Vec3) -> Vec3 {
        let d = less(p, self.middle);
        let across = |axis: Vec3| (dot(d, axis) / self.reach * 0.5 + 0.5) * SHADOW as f32;
        [across(self.axes[0]), across(self.axes[1]), -dot(d, self.way)]
    }

    /// How much of it reaches a place, 0 to 1.
    fn reaches(&self, p: Vec3) -> f32 {
        let [x, y, z] = self.told(p);
        let mut lit = 0.0;
        for (i, j) in [(-0.7, -0.3), (0.3, -0.7), (0.7, 0.3), (-0.3, 0.7), (0.0, 0.0)] {
            let (u, v) = ((x + i).floor(), (y + j).floor());
            let inside = u >= 0.0 && v >= 0.0 && u < SHADOW as f32 && v < SHADOW as f32;
            let shaded = inside && self.seen.depth[v as usize * SHADOW + u as usize] < z - BIAS * self.reach;
            lit += if shaded { 0.0 } else { 0.2 };
        }
        lit
    }
}

/// A picture of triangles in the sun, as rows of red, green and blue from the top; `about` is what the shadows are sharp for: a middle and a radius.
pub fn draw(triangles: &[Triangle], eye: &Eye, about: (Vec3, f32), wide: usize, high: usize) -> Vec<u8> {
    let sun = Sun::over(triangles, about);
    let (w, h) = (wide * FINE, high * FINE);
    let mut depths = Depths::new(w, h);
    let mut light: Vec<Vec3> = (0..h).flat_map(|y| vec![sky(y as f32 / h as f32); w]).collect();
    let mut pieces = vec![];
    for t in triangles {
        pieces.clear();
        clip(t, eye, &mut pieces);
        for piece in &pieces {
            let seen = piece.map(|c| told(c.at, eye));
            let screen = seen
                .map(|s| [(s[0] * 0.5 + 0.5) * w as f32, (0.5 - s[1] * 0.5) * h as f32, 1.0 - 1.0 / s[2]]);
            depths.fill(screen, |k, shares| {
                // Shares in the picture are not those in the world: what is far away has less.
                let by: [f32; 3] = std::array::from_fn(|k| shares[k] / seen[k][2]);
                let sum: f32 = by.iter().sum();
                let mixed = |of: fn(&Corner) -> Vec3| -> Vec3 {
                    std::array::from_fn(|c| (0..3).map(|k| by[k] / sum * of(&piece[k])[c]).sum())
                };
                let (at, normal) = (mixed(|c| c.at), unit(mixed(|c| c.normal)));
                // Both sides are alike.
                let facing = if dot(normal, less(eye.at, at)) < 0.0 { normal.map(|c| -c) } else { normal };
                let direct = dot(facing, sun.way).max(0.0) * sun.reaches(at);
                let above = 0.5 + 0.5 * facing[1];
                light[k] = std::array::from_fn(|c| {
                    let ambient = 0.34 * above * SKY[c] + 0.2 * (1.0 - above) * EARTH[c];
                    t.colour[c] * (ambient + 0.78 * direct * SUN[c])
                });
            });
        }
    }
    let pixel = |x: usize, y: usize, c: usize| {
        let sum: f32 =
            (0..FINE * FINE).map(|k| light[(y * FINE + k / FINE) * w + x * FINE + k % FINE][c]).sum();
        shown(sum / (FINE * FINE) as f32)
    };
    (0..high)
        .flat_map(|y| (0..wide).flat_map(move |x| (0..3).map(move |c| (x, y, c))))
        .map(|(x, y, c)| pixel(x, y, c))
        .collect()
}

const SUN: Vec3 = [1.0, 0.93, 0.82];
const SKY: Vec3 = [0.86, 0.94, 1.0];
const EARTH: Vec3 = [0.62, 0.52, 0.38];

/// The sky at a height of the picture, from its top.
fn sky(down: f32) -> Vec3 {
    let (top, low) = ([0.34, 0.45, 0.48], [0.6, 0.62, 0.58]);
    std::array::from_fn(|c| top[c] + (low[c] - top[c]) * down)
}

/// From linear light to what a screen is told (IEC 61966-2-1).
fn shown(v: f32) -> u8 {
    let v = v.clamp(0.0, 1.0);
    let v = if v <= 0.003_130_8 { 12.92 * v } else { 1.055 * v.powf(1.0 / 2.4) - 0.055 };
    (255.0 * v).round() as u8
}

/// From what a screen is told to linear light.
pub fn linear(hex: u32) -> Vec3 {
    [16, 8, 0].map(|shift| {
        let v = ((hex >> shift) & 255) as f32 / 255.0;
        if v <= 0.040_45 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
    })
}

/// A place as the eye has it: across and up, 1 at the edge of the picture, and how far ahead.
fn told(p: Vec3, eye: &Eye) -> Vec3 {
    let d = less(p, eye.at);
    let ahead = -dot(d, eye.axes[2]);
    [dot(d, eye.axes[0]) / (ahead * eye.wide), dot(d, eye.axes[1]) / (ahead * eye.high), ahead]
}

/// What of a triangle is ahead of the eye: none, one or two triangles.
fn clip(t: &Triangle, eye: &Eye, out: &mut Vec<[Corner; 3]>) {
    let ahead = t.corners.map(|c| -dot(less(c.at, eye.at), eye.axes[2]) - NEAR);
    if ahead.iter().all(|a| *a >= 0.0) {
        out.push(t.corners);
        return;
    }
    let mut kept: Vec<Corner> = vec![];
    for k in 0..3 {
        let (a, b) = (k, (k + 1) % 3);
        if ahead[a] >= 0.0 {
            kept.push(t.corners[a]);
        }
        if (ahead[a] >= 0.0) != (ahead[b] >= 0.0) {
            let s = ahead[a] / (ahead[a] - ahead[b]);
            let mix = |p: Vec3, q: Vec3| std::array::from_fn(|c| p[c] + s * (q[c] - p[c]));
            let (p, q) = (t.corners[a], t.corners[b]);
            kept.push(Corner { at: mix(p.at, q.at), normal: mix(p.normal, q.normal) });
        }
    }
    for k in 2..kept.len() {
        out.push([kept[0], kept[k - 1], kept[k]]);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn floor(y: f32, size: f32) -> Vec<Triangle> {
        let corner = |x: f32, z: f32| Corner { at: [x * size, y, z * size], normal: [0.0, 1.0, 0.0] };
        let of = |a, b, c| Triangle { corners: [a, b, c], colour: [0.8; 3] };
        let (a, b, c, d) = (corner(-1.0, -1.0), corner(1.0, -1.0), corner(1.0, 1.0), corner(-1.0, 1.0));
        vec![of(a, c, b), of(a, d, c)]
    }

    /// From above, looking down.
    fn above() -> Eye {
        Eye {
            at: [0.0, 10.0, 0.0],
            axes: [[1.0, 0.0, 0.0], [0.0, 0.0, -1.0], [0.0, 1.0, 0.0]],
            wide: 0.2,
            high: 0.2,
        }
    }

    #[test]
    fn what_stands_in_the_sun_is_light_and_throws_a_shadow_where_the_sun_is_not() {
        let mut all = floor(0.0, 5.0);
        all.extend(floor(1.0, 0.4));
        let out = draw(&all, &above(), ([0.0; 3], 3.0), 100, 100);
        let at = |x: f32, z: f32| {
            let px = |v: f32| ((v / 2.0 * 0.5 + 0.5) * 100.0) as usize;
            f32::from(out[(px(z) * 100 + px(x)) * 3])
        };
        // The sun stands over x below and z above nothing: the shadow of what is a metre up lies the other way.
        let shaded = at(0.5 / 0.95 + 0.2, -0.36 / 0.95);
        let lit = at(-1.2, 1.2);
        assert!(shaded < 0.7 * lit, "{shaded} in the shadow and {lit} beside it");
        assert!((at(0.0, 0.0) - lit).abs() < 0.12 * lit, "the upper one is as light");
    }

    #[test]
    fn what_is_nearer_hides_what_is_farther_and_what_is_behind_is_not_there() {
        let mut near = floor(5.0, 0.5);
        near.iter_mut().for_each(|t| t.colour = [0.8, 0.0, 0.0]);
        let mut behind = floor(12.0, 50.0);
        behind.iter_mut().for_each(|t| t.colour = [0.0, 0.0, 0.8]);
        for order in [false, true] {
            let mut all = floor(0.0, 5.0);
            all.extend(near.clone());
            all.extend(behind.clone());
            if order {
                all.reverse();
            }
            let out = draw(&all, &above(), ([0.0; 3], 3.0), 60, 60);
            let middle = &out[(30 * 60 + 30) * 3..][..3];
            assert!(middle[0] > 60 && middle[1] < 10, "{middle:?}");
            assert!(out.chunks(3).all(|p| !(p[2] > 60 && p[0] < 10)));
        }
    }

    #[test]
    fn a_floor_that_goes_under_the_eye_is_cut_and_not_lost() {
        let eye = Eye {
            at: [0.0, 1.0, 0.0],
            axes: [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]],
            wide: 0.5,
            high: 0.5,
        };
        let out = draw(&floor(0.0, 100.0), &eye, ([0.0; 3], 3.0), 40, 40);
        let row = |y: usize| -> u32 { out[y * 120..][..120].iter().map(|v| u32::from(*v)).sum() };
        assert_ne!(row(5), row(35), "sky above, floor below");
        assert!((0..40).all(|x| out[(38 * 40 + x) * 3] == out[(38 * 40) * 3]
            || out[(38 * 40 + x) * 3].abs_diff(out[(38 * 40) * 3]) < 40));
    }
}
