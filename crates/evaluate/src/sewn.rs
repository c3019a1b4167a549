//! Seams and chambers of a body: what is sewn to what, what is about a fill, and both through the frames.
use crate::{ShapeError, Shaped, Stage};
use nematon_document::{Cloth, Fill, Side, Value};
use nematon_geometry::{Mesh, SewnRow, caps, joined, panels, pieces, sew};
use nematon_solver::{ChamberRest, FillBy, FillNow, SeamNow, SeamRest, StitchRest};
use schemars::JsonSchema;
use serde::Serialize;
use std::collections::HashMap;
use std::sync::Arc;

/// What a body is sewn of.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Sewn {
    /// Points that are one, as pairs.
    pub welds: Vec<[u32; 2]>,
    /// Seams whose sides are two, with the numbers that the document has them under.
    pub seams: Vec<(usize, SeamRest)>,
    pub chambers: Vec<ChamberRest>,
    /// For each seam of the document which point is sewn to which place: of the second share of the two.
    pub threads: Vec<Vec<(u32, [u32; 2], f32)>>,
}

/// Sides that lie further apart than so many mean edges can't be one from the start.
const NEAR: f64 = 2.0;

impl Sewn {
    /// # Errors
    /// When a seam names what the shape has not or can't be sewn, or a chamber has no panel.
    pub fn of(own: &Cloth, mesh: &Mesh, rest: &[[f32; 3]], air: f64) -> Result<Sewn, ShapeError> {
        let mut out = Sewn::default();
        let thickness = own.matter.thickness as f32;
        let edge = f64::from(nematon_geometry::density(mesh).longest_edge);
        let mut strips: Vec<(Option<u32>, Vec<[u32; 3]>)> = vec![];
        for (number, seam) in own.seams.values().enumerate() {
            let fault = |why: String| ShapeError::Seam { seam: seam.name.clone(), why };
            let row = |side: &Side| match side {
                Side::Borders(names) => joined(mesh, names).map_err(|e| fault(e.to_string())),
                Side::Row(places) => {
                    let mut points: Vec<u32> = places.iter().map(|p| nearest(mesh, p)).collect();
                    points.dedup();
                    let closed = points.len() > 3 && points.first() == points.last();
                    if closed {
                        points.pop();
                    }
                    Ok(SewnRow { points, closed })
                }
            };
            let (a, b) = (row(&seam.of[0])?, row(&seam.of[1])?);
            let sewn = sew(mesh, rest, &a, &b).map_err(|e| fault(e.to_string()))?;
            let far = sewn.stitches.iter().map(|s| gap(mesh, s.point, s.to, s.share)).fold(0.0, f64::max);
            if seam.closes == 0.0 && far > (NEAR * edge).max(seam.slack) {
                let why = format!(
                    "is sewn from the start, and its sides lie {far:.3} m apart there. Let it close over some frames, or lay the panels on each other"
                );
                return Err(fault(why));
            }
            out.threads.push(sewn.stitches.iter().map(|s| (s.point, s.to, s.share)).collect());
            // Point by point and for good the two are one.
            let pairs: Vec<[u32; 2]> = sewn
                .stitches
                .iter()
                .filter(|s| s.share == 0.0 || s.share == 1.0)
                .map(|s| [s.point, s.to[usize::from(s.share == 1.0)]])
                .collect();
            if seam.is_for_good() && pairs.len() == sewn.stitches.len() && seam.crease == 0.0 {
                out.welds.extend(pairs);
                continue;
            }
            strips.push((Some(out.seams.len() as u32), sewn.strip));
            let stitches = sewn.stitches.iter().map(|s| StitchRest {
                point: s.point,
                to: s.to,
                share: s.share,
                length: s.length.max(1e-6),
            });
            let rest = SeamRest {
                stitches: stitches.collect(),
                stiffness: seam.stiffness as f32,
                gap: thickness.max(seam.slack as f32),
                crease: seam.crease as f32,
                folds: sewn.folds,
            };
            out.seams.push((number, rest));
        }
        out.rooms(own, mesh, &strips, air)?;
        Ok(out)
    }

    fn rooms(
        &mut self,
        own: &Cloth,
        mesh: &Mesh,
        strips: &[(Option<u32>, Vec<[u32; 3]>)],
        air: f64,
    ) -> Result<(), ShapeError> {
        if own.chambers.is_empty() {
            return Ok(());
        }
        let (piece, _) = pieces(mesh);
        let names = panels(mesh);
        let one = self.one(mesh.positions.len());
        let mut of_point = vec![usize::MAX; mesh.positions.len()];
        mesh.triangles
            .iter()
            .zip(&piece)
            .for_each(|(t, k)| t.iter().for_each(|&p| of_point[p as usize] = *k));
        let sewn: Vec<bool> = {
            let mut sewn = vec![false; mesh.positions.len()];
            let all = self.threads.iter().flatten();
            all.flat_map(|(p, to, _)| [*p, to[0], to[1]]).for_each(|p| sewn[one[p as usize] as usize] = true);
            sewn
        };
        for chamber in own.chambers.values() {
            let fault = |why: String| ShapeError::Chamber { chamber: chamber.name.clone(), why };
            // Whether it faces out, in, or is no part of it.
            let mut faces: Vec<Option<bool>> = vec![None; names.len()];
            for (list, out) in [(&chamber.panels, true), (&chamber.turned, false)] {
                for name in list {
                    let Some(k) = names.iter().position(|n| n == name) else {
                        return Err(fault(format!(
                            "names the panel \"{name}\", which the shape does not have; it has {}",
                            names.join(", ")
                        )));
                    };
                    faces[k] = Some(out);
                }
            }
            if chamber.panels.is_empty() && chamber.turned.is_empty() {
                faces.fill(Some(true));
            }
            let turn = |t: [u32; 3], out: bool| if out { t } else { [t[0], t[2], t[1]] };
            let mut triangles: Vec<[u32; 3]> = mesh
                .triangles
                .iter()
                .zip(&piece)
                .filter_map(|(t, k)| faces[*k].map(|out| turn(t.map(|p| one[p as usize]), out)))
                .collect();
            let mut mouths = vec![];
            for (seam, strip) in strips {
                // A strip closes a chamber that has both of its sides.
                for t in strip {
                    let sides = t.map(|p| faces[of_point[p as usize]]);
                    if let [Some(a), Some(_), Some(_)] = sides {
                        let t = turn(t.map(|p| one[p as usize]), a);
                        triangles.push(t);
                        mouths.push((*seam, t));
                    }
                }
            }
            for cap in caps(&triangles) {
                let closed = cap.iter().flatten().all(|p| sewn[*p as usize]);
                if !closed {
                    mouths.extend(cap.iter().map(|t| (None, *t)));
                }
                triangles.extend(cap);
            }
            let density = [air, chamber.density];
            self.chambers.push(ChamberRest { triangles, mouths, outside: chamber.outside, density });
        }
        Ok(())
    }

    /// For each point that which stands for all that it is one with.
    pub fn one(&self, points: usize) -> Vec<u32> {
        let mut up: Vec<u32> = (0..points as u32).collect();
        let root = |up: &[u32], mut p: u32| {
            while up[p as usize] != p {
                p = up[p as usize];
            }
            p
        };
        for w in &self.welds {
            let [a, b] = w.map(|p| root(&up, p));
            up[a.max(b) as usize] = a.min(b);
        }
        (0..points as u32).map(|p| root(&up, p)).collect()
    }

    /// What the seams and chambers of the body of a number do on the way to a frame.
    pub fn motion(
        &self,
        scene: &Stage,
        body: usize,
        own: &Cloth,
        frame: f64,
    ) -> (Vec<SeamNow>, Vec<FillNow>) {
        let first = scene.frames.first as f64;
        let at = |v: &Value| [frame - 1.0, frame].map(|f| v.at(&scene.frames.moment(f)));
        let seams = self.seams.iter().enumerate().filter_map(|(k, (number, _))| {
            let seam = own.seams.values().nth(*number)?;
            let open = [frame - 1.0, frame].map(|f| match seam.closes {
                0.0 => 0.0,
                over => (1.0 - (f - first) / over).clamp(0.0, 1.0) as f32,
            });
            Some(SeamNow { body, seam: k, open, hold: at(&seam.hold).map(|h| h as f32) })
        });
        let fills = own.chambers.values().enumerate().map(|(k, chamber)| {
            let closed = chamber.closed.is_some_and(|from| frame > from as f64);
            let by = match &chamber.fill {
                _ if closed => FillBy::Closed,
                Fill::Pressure(p) => FillBy::Pressure(at(p)),
                Fill::Volume(v) => FillBy::Volume(at(v)),
            };
            let leak = if closed && chamber.leak > 0.0 { 1.0 / chamber.leak } else { 0.0 };
            FillNow { body, chamber: k, by, leak, opening: if closed { chamber.hole } else { 0.0 } }
        });
        (seams.collect(), fills.collect())
    }
}

fn nearest(mesh: &Mesh, to: &[f64; 3]) -> u32 {
    let far = |p: &[f32; 3]| (0..3).map(|c| (f64::from(p[c]) - to[c]).powi(2)).sum::<f64>();
    let all = mesh.positions.iter().enumerate();
    all.min_by(|a, b| far(a.1).total_cmp(&far(b.1))).map_or(0, |(k, _)| k as u32)
}

fn gap(mesh: &Mesh, point: u32, to: [u32; 2], share: f32) -> f64 {
    let at = |p: u32| mesh.positions[p as usize].map(f64::from);
    let ([p, a, b], s) = ([point, to[0], to[1]].map(at), f64::from(share));
    (0..3).map(|c| (p[c] - a[c] - s * (b[c] - a[c])).powi(2)).sum::<f64>().sqrt()
}

/// A body at a frame, every point as it is.
pub fn still(mesh: &Mesh, at: &[[f32; 3]]) -> Mesh {
    Mesh { positions: at.to_vec(), ..mesh.clone() }
}

/// A body at a frame as one still mesh: what is sewn is joined, textures stay those of the panels, and it is smoothed so many times.
pub fn freeze(sewn: &Sewn, mesh: &Mesh, at: &[[f32; 3]], smooth: u32) -> Mesh {
    // Loose pieces have nothing to join or smooth.
    if mesh.triangles.is_empty() {
        return still(mesh, at);
    }
    let mut one = sewn.one(mesh.positions.len());
    // Threads that are closed join what they sew, where that is a point.
    let size = f64::from(nematon_geometry::density(mesh).longest_edge);
    for (p, to, share) in sewn.threads.iter().flatten() {
        let q = to[usize::from(*share >= 0.5)];
        let far =
            (0..3).map(|c| f64::from(at[*p as usize][c] - at[q as usize][c]).powi(2)).sum::<f64>().sqrt();
        let (a, b) = (one[*p as usize], one[q as usize]);
        if (*share == 0.0 || *share == 1.0) && far < 0.5 * size && a != b {
            let (low, high) = (a.min(b), a.max(b));
            one.iter_mut().filter(|k| **k == high).for_each(|k| *k = low);
        }
    }
    let mut number: HashMap<u32, u32> = HashMap::new();
    let mut sums: Vec<([f64; 3], f64)> = vec![];
    for (p, x) in at.iter().enumerate() {
        let k = *number.entry(one[p]).or_insert_with(|| {
            sums.push(([0.0; 3], 0.0));
            sums.len() as u32 - 1
        });
        let (sum, count) = &mut sums[k as usize];
        (0..3).for_each(|c| sum[c] += f64::from(x[c]));
        *count += 1.0;
    }
    let positions = sums.iter().map(|(s, n)| s.map(|c| (c / n) as f32)).collect();
    let new = |p: u32| number[&one[p as usize]];
    let mut out = Mesh { positions, uvs: mesh.uvs.clone(), panels: vec![], ..Mesh::default() };
    for (k, t) in mesh.triangles.iter().enumerate() {
        let t = t.map(new);
        if t[0] != t[1] && t[1] != t[2] && t[2] != t[0] {
            out.triangles.push(t);
            out.uv_triangles.extend(mesh.uv_triangles.get(k));
        }
    }
    for _ in 0..smooth {
        out = nematon_geometry::subdivide(&out);
    }
    (out.borders, out.corners) = nematon_geometry::find_borders(&out);
    out
}

/// What a body holds and weighs at a frame.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct Filled {
    /// Of its skin, kg.
    pub skin: f64,
    pub chambers: Vec<FilledChamber>,
}

/// What a chamber holds.
#[derive(Clone, Debug, PartialEq, Serialize, JsonSchema)]
pub struct FilledChamber {
    pub chamber: String,
    /// m³.
    pub volume: f64,
    /// Above that outside, Pa; not known of one that leaks or whose seams are cut.
    pub pressure: Option<f64>,
    /// Of the fill, kg.
    pub fill: f64,
    /// What the air about it lifts with, less the weight of the fill, N.
    pub lift: f64,
}

/// What a body holds where its points are at a frame. `closed` has where they were when each chamber was closed, where they have been.
pub fn filled(
    scene: &Stage,
    own: &Cloth,
    shaped: &Shaped,
    at: &[[f32; 3]],
    frame: f64,
    closed: impl Fn(i64) -> Option<Vec<[f32; 3]>>,
) -> Filled {
    let moment = scene.frames.moment(frame);
    let none = Arc::new(Sewn::default());
    let sewn = shaped.sewn().unwrap_or(&none);
    let mesh = shaped.rest().unwrap_or(&shaped.mesh);
    let mass = |t: &[u32; 3]| {
        let [a, b, c] = t.map(|p| mesh.positions[p as usize].map(f64::from));
        let (u, v): ([f64; 3], [f64; 3]) =
            (std::array::from_fn(|k| b[k] - a[k]), std::array::from_fn(|k| c[k] - a[k]));
        let n = [u[1] * v[2] - u[2] * v[1], u[2] * v[0] - u[0] * v[2], u[0] * v[1] - u[1] * v[0]];
        let over = shaped.maps.over(nematon_solver::Scaled::ArealWeight, t);
        0.5 * n.iter().map(|c| c * c).sum::<f64>().sqrt() * own.matter.areal_weight * over
    };
    let skin = mesh.triangles.iter().map(mass).sum();
    let cut = own.seams.values().any(|s| s.hold.at(&moment) <= 0.0);
    let chambers = own.chambers.iter().zip(&sewn.chambers).map(|((id, own), rest)| {
        let volume = volume(&rest.triangles, at).max(0.0);
        let set = |f: f64, volume: f64| match &own.fill {
            Fill::Pressure(p) => p.at(&scene.frames.moment(f)),
            Fill::Volume(v) => rest.outside * (v.at(&scene.frames.moment(f)) / volume.max(1e-9) - 1.0),
        };
        let pressure = match own.closed {
            // What a cut seam lets out is not told by where the points are.
            _ if cut => None,
            Some(from) if frame > from as f64 => {
                let then = (own.leak == 0.0 && own.hole == 0.0).then(|| closed(from)).flatten();
                then.map(|then| {
                    let first = crate::sewn::volume(&rest.triangles, &then);
                    (set(from as f64, first) + rest.outside) * first / volume.max(1e-9) - rest.outside
                })
            }
            _ => Some(set(moment.frame, volume)),
        };
        let density = rest.density[1] * (1.0 + pressure.unwrap_or(0.0) / rest.outside);
        FilledChamber {
            chamber: id.0.clone(),
            volume,
            pressure,
            fill: density * volume,
            lift: (rest.density[0] - density) * volume * 9.81,
        }
    });
    Filled { skin, chambers: chambers.collect() }
}

/// The exact signed sum over triangles, m³.
pub fn volume(triangles: &[[u32; 3]], at: &[[f32; 3]]) -> f64 {
    let Some(first) = triangles.first() else { return 0.0 };
    let middle = at[first[0] as usize].map(f64::from);
    let x = |p: u32| -> [f64; 3] { std::array::from_fn(|c| f64::from(at[p as usize][c]) - middle[c]) };
    let each = triangles.iter().map(|t| {
        let [a, b, c] = t.map(x);
        a[0] * (b[1] * c[2] - b[2] * c[1])
            + a[1] * (b[2] * c[0] - b[0] * c[2])
            + a[2] * (b[0] * c[1] - b[1] * c[0])
    });
    each.sum::<f64>() / 6.0
}
