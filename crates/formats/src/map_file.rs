//! Weights on the points of a mesh as files: rows of a table, NumPy, and pictures laid by its texture coordinates.
use crate::paint::write_weights;
use nematon_geometry::Mesh;
use std::fmt::Write as _;
use std::io::Cursor;

/// Most pixels of a side.
pub const MOST_SIDE: u32 = 8192;

/// Kinds of files that a map goes out as.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum MapKind {
    /// NumPy: a float32 a point.
    Npy,
    /// A table: the number of each point, and its weight.
    Csv,
    /// A picture of 16 bits grey.
    Png,
    /// A picture of one channel of floats, `Y`.
    Exr,
}

/// How large a picture is, and how many pixels beyond each piece it is carried on, so that nothing shines through at its edges.
#[derive(Clone, Copy, Debug)]
pub struct Laid {
    pub side: u32,
    pub gutter: u32,
}

impl Default for Laid {
    fn default() -> Laid {
        Laid { side: 1024, gutter: 8 }
    }
}

impl MapKind {
    pub const ALL: [MapKind; 4] = [MapKind::Npy, MapKind::Csv, MapKind::Png, MapKind::Exr];

    /// What it is asked for by, and the ending of its files.
    pub fn name(self) -> &'static str {
        match self {
            MapKind::Npy => "npy",
            MapKind::Csv => "csv",
            MapKind::Png => "png",
            MapKind::Exr => "exr",
        }
    }

    pub fn media_type(self) -> &'static str {
        match self {
            MapKind::Npy => "application/octet-stream",
            MapKind::Csv => "text/csv; charset=utf-8",
            MapKind::Png => "image/png",
            MapKind::Exr => "image/x-exr",
        }
    }

    /// Weights on the points of a mesh as a file.
    ///
    /// # Errors
    /// In words, when a picture is asked for and the mesh has no texture coordinates within it.
    pub fn write(self, mesh: &Mesh, weights: &[f32], laid: Laid) -> Result<Vec<u8>, String> {
        match self {
            MapKind::Npy => Ok(write_weights(weights)),
            MapKind::Csv => {
                let mut out = String::from("point,weight\n");
                for (k, w) in weights.iter().enumerate() {
                    let _ = writeln!(out, "{k},{w}");
                }
                Ok(out.into_bytes())
            }
            MapKind::Png => {
                let grey = |w: &f32| (w.clamp(0.0, 1.0) * 65535.0).round() as u16;
                let bytes = picture(mesh, weights, laid)?.iter().map(grey).collect();
                let picture =
                    image::ImageBuffer::<image::Luma<u16>, Vec<u16>>::from_raw(laid.side, laid.side, bytes);
                let mut out = Cursor::new(vec![]);
                let picture = picture.ok_or("a picture of no size can't be laid")?;
                picture
                    .write_to(&mut out, image::ImageFormat::Png)
                    .map_err(|e| format!("the picture can't be packed: {e}"))?;
                Ok(out.into_inner())
            }
            MapKind::Exr => {
                use exr::prelude::*;
                let values = picture(mesh, weights, laid)?;
                let side = laid.side as usize;
                let of = |at: Vec2<usize>| (values[at.y() * side + at.x()],);
                let channels = SpecificChannels::build().with_channel("Y").with_pixel_fn(of);
                let mut out = Cursor::new(vec![]);
                let whole = Image::from_channels((side, side), channels);
                whole
                    .write()
                    .non_parallel()
                    .to_buffered(&mut out)
                    .map_err(|e| format!("the picture can't be packed: {e}"))?;
                Ok(out.into_inner())
            }
        }
    }
}

/// Weights laid by texture coordinates, from the upper left on, with v up; what nothing lies on is 0.
fn picture(mesh: &Mesh, weights: &[f32], Laid { side, gutter }: Laid) -> Result<Vec<f32>, String> {
    if !(1..=MOST_SIDE).contains(&side) {
        return Err(format!("a picture has from 1 to {MOST_SIDE} pixels a side"));
    }
    if mesh.uv_triangles.len() != mesh.triangles.len() || mesh.triangles.is_empty() {
        return Err(
            "it has no texture coordinates, which a picture is laid by: save it as a table or for NumPy"
                .into(),
        );
    }
    let n = side as i64;
    let mut out = vec![f32::NAN; (n * n) as usize];
    for (t, uv) in mesh.triangles.iter().zip(&mesh.uv_triangles) {
        let at = uv.map(|k| {
            let [u, v] = mesh.uvs[k as usize].map(f64::from);
            [u * n as f64 - 0.5, (1.0 - v) * n as f64 - 0.5]
        });
        let weight = t.map(|p| weights.get(p as usize).copied().unwrap_or_default());
        let cross = |a: [f64; 2], b: [f64; 2], c: [f64; 2]| {
            (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0])
        };
        let whole = cross(at[0], at[1], at[2]);
        if whole == 0.0 || !whole.is_finite() {
            continue;
        }
        let span = |c: usize| {
            let (lo, hi) = at.iter().fold((f64::MAX, f64::MIN), |(lo, hi), p| (lo.min(p[c]), hi.max(p[c])));
            (lo.ceil().max(0.0) as i64)..=(hi.floor().min(n as f64 - 1.0) as i64)
        };
        for y in span(1) {
            for x in span(0) {
                let p = [x as f64, y as f64];
                let shares = [
                    cross(at[1], at[2], p) / whole,
                    cross(at[2], at[0], p) / whole,
                    cross(at[0], at[1], p) / whole,
                ];
                if shares.iter().all(|s| *s >= -1e-9) {
                    let sum: f64 = shares.iter().zip(weight).map(|(s, w)| s * f64::from(w)).sum();
                    out[(y * n + x) as usize] = sum as f32;
                }
            }
        }
    }
    if out.iter().all(|w| w.is_nan()) {
        return Err("none of its texture coordinates lies within the picture".into());
    }
    for _ in 0..gutter.min(256) {
        let before = out.clone();
        for y in 0..n {
            for x in 0..n {
                if !before[(y * n + x) as usize].is_nan() {
                    continue;
                }
                let (mut sum, mut count) = (0.0f64, 0u32);
                for (dx, dy) in (0..9).map(|k| (k % 3 - 1, k / 3 - 1)) {
                    let (a, b) = (x + dx, y + dy);
                    if (0..n).contains(&a) && (0..n).contains(&b) && !before[(b * n + a) as usize].is_nan() {
                        sum += f64::from(before[(b * n + a) as usize]);
                        count += 1;
                    }
                }
                if count > 0 {
                    out[(y * n + x) as usize] = (sum / f64::from(count)) as f32;
                }
            }
        }
    }
    out.iter_mut().filter(|w| w.is_nan()).for_each(|w| *w = 0.0);
    Ok(out)
}
