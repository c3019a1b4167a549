//! Faces of any number of sides over points, with the edges and corners that stay sharp: what a surface is finished by.
use crate::subdivide::Rows;
use crate::{Face, Mesh};
use glam::DVec3;
use std::collections::{BTreeMap, BTreeSet};

/// A border turns so much at a corner, or more (cosine of 50 degrees).
const CORNER: f64 = 0.643;

/// Faces over points. Borders are kept as they are, and so are the edges between faces that at rest stand at more than an angle to each other.
#[derive(Clone, Debug)]
pub(crate) struct Net {
    pub points: usize,
    pub faces: Vec<Face>,
    pub uvs: Vec<[f32; 2]>,
    /// Edges that stay sharp, beside those of borders.
    sharp: BTreeSet<[u32; 2]>,
    /// Points that stay where they are.
    corners: BTreeSet<u32>,
}

/// What meets at each edge and each point.
struct Around {
    /// Of each edge the faces that have it.
    edges: BTreeMap<[u32; 2], Vec<u32>>,
    near: Vec<Vec<u32>>,
    /// Of each point those that it hangs on to by an edge that is kept.
    kept: Vec<Vec<u32>>,
    faces: Vec<Vec<u32>>,
}

fn edge(a: u32, b: u32) -> [u32; 2] {
    [a.min(b), a.max(b)]
}

fn sides(points: &[u32]) -> impl Iterator<Item = [u32; 2]> + '_ {
    (0..points.len()).map(|k| [points[k], points[(k + 1) % points.len()]])
}

impl Net {
    /// Of a mesh; edges whose faces at rest stand at more than `crease` to each other, rad, stay sharp, and so do the corners of borders.
    pub fn of(mesh: &Mesh, crease: f64) -> Net {
        let mut net = Net {
            points: mesh.positions.len(),
            faces: mesh.outlines(),
            uvs: mesh.uvs.clone(),
            sharp: BTreeSet::new(),
            corners: BTreeSet::new(),
        };
        let at = |p: u32| DVec3::from(mesh.positions[p as usize].map(f64::from));
        let up: Vec<DVec3> = net
            .faces
            .iter()
            .map(|f| sides(&f.points).map(|[a, b]| at(a).cross(at(b))).sum::<DVec3>().normalize_or_zero())
            .collect();
        let around = net.around();
        for (e, of) in &around.edges {
            if let [f, g] = of[..]
                && up[f as usize].dot(up[g as usize]) < libm::cos(crease)
            {
                net.sharp.insert(*e);
            }
        }
        for (p, kept) in net.around().kept.iter().enumerate() {
            let way = |q: u32| (at(q) - at(p as u32)).normalize_or_zero();
            if let [a, b] = kept[..]
                && -way(a).dot(way(b)) < CORNER
            {
                net.corners.insert(p as u32);
            }
        }
        net
    }

    /// Triangles, with nothing that stays sharp but their borders.
    pub fn plain(mesh: &Mesh) -> Net {
        let face = |(k, t): (usize, &[u32; 3])| Face {
            points: t.to_vec(),
            uvs: mesh.uv_triangles.get(k).map(|u| u.to_vec()).unwrap_or_default(),
        };
        Net {
            points: mesh.positions.len(),
            faces: mesh.triangles.iter().enumerate().map(face).collect(),
            uvs: mesh.uvs.clone(),
            sharp: BTreeSet::new(),
            corners: BTreeSet::new(),
        }
    }

    fn around(&self) -> Around {
        let mut edges: BTreeMap<[u32; 2], Vec<u32>> = BTreeMap::new();
        let mut faces = vec![vec![]; self.points];
        for (k, f) in self.faces.iter().enumerate() {
            for [a, b] in sides(&f.points) {
                edges.entry(edge(a, b)).or_default().push(k as u32);
                faces[a as usize].push(k as u32);
            }
        }
        let (mut near, mut kept) = (vec![vec![]; self.points], vec![vec![]; self.points]);
        for (e, of) in &edges {
            for [a, b] in [*e, [e[1], e[0]]] {
                near[a as usize].push(b);
                if of.len() != 2 || self.sharp.contains(e) {
                    kept[a as usize].push(b);
                }
            }
        }
        Around { edges, near, kept, faces }
    }

    fn is_kept(&self, e: &[u32; 2], of: &[u32]) -> bool {
        of.len() != 2 || self.sharp.contains(e)
    }

    /// Without the faces that have no point for which `stays`, and without points that no face has any more; and which those are that are left.
    pub fn without(&self, stays: impl Fn(u32) -> bool) -> (Net, Rows) {
        let faces: Vec<&Face> = self.faces.iter().filter(|f| f.points.iter().any(|p| stays(*p))).collect();
        let used: BTreeSet<u32> = faces.iter().flat_map(|f| f.points.iter().copied()).collect();
        let new: BTreeMap<u32, u32> = used.iter().enumerate().map(|(k, p)| (*p, k as u32)).collect();
        let mut rows = Rows::default();
        used.iter().for_each(|p| rows.push(&[(*p, 1.0)]));
        let own = |p: &u32| new.get(p).copied();
        let net = Net {
            points: used.len(),
            faces: faces
                .into_iter()
                .map(|f| Face { points: f.points.iter().filter_map(own).collect(), uvs: f.uvs.clone() })
                .collect(),
            uvs: self.uvs.clone(),
            sharp: self.sharp.iter().filter_map(|[a, b]| Some(edge(own(a)?, own(b)?))).collect(),
            corners: self.corners.iter().filter_map(own).collect(),
        };
        (net, rows)
    }

    /// Cut finer, and what its points are of those before: triangles by C. Loop, "Smooth Subdivision Surfaces Based on Triangles", 1987; where any face
    /// has more sides, all by E. Catmull, J. Clark, "Recursively Generated B-Spline Surfaces on Arbitrary Topological Meshes", 1978. What is kept is cut in
    /// the middle and evened along itself alone (H. Hoppe et al., "Piecewise Smooth Surface Reconstruction", 1994, table 1).
    pub fn divided(&self) -> (Net, Rows) {
        let around = self.around();
        let quads = self.faces.iter().any(|f| f.points.len() != 3);
        let mut rows = Rows::default();
        for p in 0..self.points as u32 {
            let own = match around.kept[p as usize][..] {
                [a, b] if !self.corners.contains(&p) => vec![(p, 0.75), (a, 0.125), (b, 0.125)],
                [] | [_] if !around.near[p as usize].is_empty() && !self.corners.contains(&p) => {
                    if quads {
                        self.smooth_of_quads(p, &around)
                    } else {
                        smooth_of_triangles(p, &around.near[p as usize])
                    }
                }
                _ => vec![(p, 1.0)],
            };
            rows.push(&own);
        }
        let mut middle: BTreeMap<[u32; 2], u32> = BTreeMap::new();
        for (k, (e, of)) in around.edges.iter().enumerate() {
            let [a, b] = *e;
            middle.insert(*e, (self.points + k) as u32);
            let own = match of[..] {
                _ if self.is_kept(e, of) => vec![(a, 0.5), (b, 0.5)],
                [f, g] if quads => {
                    let mut own = vec![(a, 0.25), (b, 0.25)];
                    for face in [f, g].map(|f| &self.faces[f as usize].points) {
                        own.extend(face.iter().map(|p| (*p, 0.25 / face.len() as f64)));
                    }
                    own
                }
                _ => {
                    let across = of.iter().flat_map(|f| &self.faces[*f as usize].points);
                    let across = across.filter(|p| **p != a && **p != b).map(|p| (*p, 0.125));
                    [(a, 0.375), (b, 0.375)].into_iter().chain(across).collect()
                }
            };
            rows.push_sum(&own);
        }
        let mut out = Net {
            points: self.points + around.edges.len(),
            faces: vec![],
            uvs: self.uvs.clone(),
            sharp: BTreeSet::new(),
            corners: self.corners.clone(),
        };
        let mut uv_middle: BTreeMap<[u32; 2], u32> = BTreeMap::new();
        for f in &self.faces {
            let n = f.points.len();
            let m: Vec<u32> = sides(&f.points).map(|[a, b]| middle[&edge(a, b)]).collect();
            let w: Vec<u32> = sides(&f.uvs)
                .map(|[a, b]| *uv_middle.entry(edge(a, b)).or_insert_with(|| mean(&mut out.uvs, &[a, b])))
                .collect();
            let corner = |k: usize| (k + n - 1) % n;
            let uv = |own: [Option<u32>; 4]| own.into_iter().flatten().collect::<Vec<u32>>();
            let of = |from: &[u32], k: usize| from.get(k).copied();
            if quads {
                let centre = out.points as u32;
                out.points += 1;
                rows.push(&f.points.iter().map(|p| (*p, 1.0 / n as f64)).collect::<Vec<_>>());
                let textured = (!f.uvs.is_empty()).then(|| mean(&mut out.uvs, &f.uvs));
                for k in 0..n {
                    out.faces.push(Face {
                        points: vec![f.points[k], m[k], centre, m[corner(k)]],
                        uvs: uv([of(&f.uvs, k), of(&w, k), textured, of(&w, corner(k))]),
                    });
                }
            } else {
                for k in 0..n {
                    out.faces.push(Face {
                        points: vec![f.points[k], m[k], m[corner(k)]],
                        uvs: uv([of(&f.uvs, k), of(&w, k), of(&w, corner(k)), None]),
                    });
                }
                out.faces.push(Face { points: m, uvs: w });
            }
        }
        for e in &self.sharp {
            if let Some(m) = middle.get(e) {
                out.sharp.extend([edge(e[0], *m), edge(e[1], *m)]);
            }
        }
        (out, rows)
    }

    /// A point of faces with any number of sides: of the middles of its faces Q, of its edges R and of itself S, (Q + 2R + (n - 3)S) / n.
    fn smooth_of_quads(&self, p: u32, around: &Around) -> Vec<(u32, f64)> {
        let (near, faces) = (&around.near[p as usize], &around.faces[p as usize]);
        let n = near.len() as f64;
        let mut own: BTreeMap<u32, f64> = BTreeMap::new();
        let mut add = |q: u32, w: f64| *own.entry(q).or_default() += w;
        for f in faces {
            let of = &self.faces[*f as usize].points;
            of.iter().for_each(|q| add(*q, 1.0 / (n * faces.len() as f64 * of.len() as f64)));
        }
        near.iter().for_each(|q| add(*q, 1.0 / (n * n)));
        add(p, 1.0 / n + (n - 3.0) / n);
        own.into_iter().collect()
    }

    /// One round of evening out, which does not shrink what it evens: half of the way to the mean of the points beside, and a little more than that back
    /// (G. Taubin, "A Signal Processing Approach to Fair Surface Design", 1995, with 0.5 and a pass band of 0.1). What is kept goes along itself alone.
    pub fn evened(&self) -> Rows {
        const THERE: f64 = 0.5;
        const BACK: f64 = -1.0 / (1.0 / THERE - 0.1);
        let around = self.around();
        let step = |by: f64| {
            let mut rows = Rows::default();
            for p in 0..self.points as u32 {
                let kept = &around.kept[p as usize];
                let near = match kept.len() {
                    _ if self.corners.contains(&p) => &[][..],
                    0 | 1 => &around.near[p as usize][..],
                    2 => &kept[..],
                    _ => &[][..],
                };
                let mut own = vec![(p, if near.is_empty() { 1.0 } else { 1.0 - by })];
                own.extend(near.iter().map(|q| (*q, by / near.len() as f64)));
                rows.push(&own);
            }
            rows
        };
        step(BACK).after(&step(THERE))
    }

    /// As thick as it is: itself over itself turned round, and a rim along the borders. Points of the under side come after all of the upper.
    pub fn thick(&self) -> Net {
        let n = self.points as u32;
        let around = self.around();
        let mut out = self.clone();
        out.points *= 2;
        for f in &self.faces {
            let turned = |v: &[u32], by: u32| v.iter().rev().map(|p| p + by).collect::<Vec<u32>>();
            out.faces.push(Face { points: turned(&f.points, n), uvs: turned(&f.uvs, 0) });
        }
        for f in &self.faces {
            for (k, [a, b]) in sides(&f.points).enumerate() {
                if around.edges[&edge(a, b)].len() != 1 {
                    continue;
                }
                let uv = |k: usize| f.uvs.get(k % f.uvs.len().max(1)).copied();
                let uvs = [uv(k + 1), uv(k), uv(k), uv(k + 1)].into_iter().flatten().collect();
                out.faces.push(Face { points: vec![b, a, a + n, b + n], uvs });
            }
        }
        out.sharp.extend(self.sharp.iter().map(|[a, b]| [a + n, b + n]));
        // What is smoothed after this has a rim that is rounded off.
        out.corners.clear();
        out
    }

    /// As a mesh of triangles, fans about the first point of each face, with its points nowhere yet.
    pub fn mesh(&self) -> Mesh {
        let mut out =
            Mesh { positions: vec![[0.0; 3]; self.points], uvs: self.uvs.clone(), ..Mesh::default() };
        let fan = |v: &[u32], to: &mut Vec<[u32; 3]>| {
            to.extend((2..v.len()).map(|k| [v[0], v[k - 1], v[k]]));
        };
        for f in &self.faces {
            fan(&f.points, &mut out.triangles);
            fan(&f.uvs, &mut out.uv_triangles);
        }
        if self.faces.iter().any(|f| f.points.len() != 3) {
            out.faces = self.faces.iter().map(|f| f.points.len() as u32 - 2).collect();
        }
        out
    }
}

/// A point within triangles: 1 - n b of itself and b of each of the n beside it, with b = (5/8 - (3/8 + cos(2π/n)/4)²)/n.
fn smooth_of_triangles(p: u32, near: &[u32]) -> Vec<(u32, f64)> {
    let k = near.len() as f64;
    let c = 0.375 + 0.25 * libm::cos(std::f64::consts::TAU / k);
    let b = (0.625 - c * c) / k;
    let mut own: Vec<(u32, f64)> = near.iter().map(|q| (*q, b)).collect();
    own.push((p, 1.0 - k * b));
    own
}

/// Texture coordinates in the middle of others, as new ones.
fn mean(uvs: &mut Vec<[f32; 2]>, of: &[u32]) -> u32 {
    let part = 1.0 / of.len() as f32;
    uvs.push([0, 1].map(|c| of.iter().map(|k| part * uvs[*k as usize][c]).sum()));
    uvs.len() as u32 - 1
}
