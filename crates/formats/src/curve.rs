//! Curves of a file: lines of an OBJ, strips of lines of a glTF, `BasisCurves` of USD text.
use crate::gltf_file::{File, fail, quietly};
use crate::usd_text::{numbers, things};
use crate::{MAX_BYTES, ReadError};
use glam::{DVec3, Mat4, Vec3};
use gltf::mesh::Mode;

/// Most points of a curve; of a longer one so many are taken, evenly along it.
pub const MOST_CURVE_POINTS: usize = 400;
/// Most curves that are taken of a file.
const MOST_CURVES: usize = 200;
/// Most strands that are.
const MOST_GUIDES: usize = 50_000;

/// A row of places.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Curve {
    pub name: String,
    /// Metres.
    pub points: Vec<[f64; 3]>,
    /// Whether it goes from its last point to its first.
    pub closed: bool,
}

/// Reads the curves of a file, by the ending of its name: `.obj`, `.gltf`, `.glb`, `.usd`, `.usda`, `.usdc`, `.usdz`.
///
/// # Errors
/// When it can't be read, or has none.
pub fn read_curves(name: &str, bytes: &[u8]) -> Result<Vec<Curve>, ReadError> {
    read_most(name, bytes, MOST_CURVES)
}

/// The same of as many as strands may be.
///
/// # Errors
/// As `read_curves`.
pub fn read_guides(name: &str, bytes: &[u8]) -> Result<Vec<Curve>, ReadError> {
    read_most(name, bytes, MOST_GUIDES)
}

fn read_most(name: &str, bytes: &[u8], most: usize) -> Result<Vec<Curve>, ReadError> {
    if bytes.len() > MAX_BYTES {
        return Err(ReadError::TooBig { found: bytes.len() });
    }
    if bytes.is_empty() {
        return Err(ReadError::Empty);
    }
    let ending = name.rsplit('.').next().unwrap_or_default().to_lowercase();
    let found = match ending.as_str() {
        "obj" => of_obj(bytes)?,
        "gltf" | "glb" => of_gltf(bytes)?,
        "usd" | "usda" | "usdc" | "usdz" => of_usd(bytes)?,
        _ => {
            return Err(fault(format!(
                "\"{name}\" is not a kind of curve that is read here: .obj, .gltf, .glb and .usd (as text or binary) are"
            )));
        }
    };
    let mut out: Vec<Curve> = found.into_iter().filter_map(tidy).take(most).collect();
    if out.is_empty() {
        return Err(fault(format!("\"{name}\" has no curve of two points or more")));
    }
    for (k, c) in out.iter_mut().enumerate() {
        if c.name.is_empty() {
            c.name = format!("curve {}", k + 1);
        }
    }
    Ok(out)
}

fn fault(why: String) -> ReadError {
    ReadError::Curve(why)
}

/// Without points at one place after the other, and with as many as may be; none where too few are left.
fn tidy(mut c: Curve) -> Option<Curve> {
    c.points.retain(|p| p.iter().all(|c| c.is_finite() && c.abs() <= 10_000.0));
    c.points.dedup();
    if c.points.len() > 2 && c.points.first() == c.points.last() {
        c.points.pop();
        c.closed = true;
    }
    c.closed &= c.points.len() > 2;
    if c.points.len() > MOST_CURVE_POINTS {
        let n = c.points.len();
        let last = if c.closed { n } else { n - 1 };
        let of = MOST_CURVE_POINTS - usize::from(!c.closed);
        c.points = (0..MOST_CURVE_POINTS).map(|k| c.points[k * last / of % n]).collect();
    }
    (c.points.len() > 1).then_some(c)
}

fn of_obj(bytes: &[u8]) -> Result<Vec<Curve>, ReadError> {
    let text = String::from_utf8_lossy(bytes);
    let (mut places, mut out, mut name) = (vec![], vec![], String::new());
    for (k, line) in text.lines().enumerate() {
        let fail = |message: String| ReadError::Obj { line: k + 1, message };
        let mut words = line.split('#').next().unwrap_or_default().split_whitespace();
        match words.next() {
            Some("v") => {
                let p: Vec<f64> = words.take(3).filter_map(|w| w.parse().ok()).collect();
                places.push(<[f64; 3]>::try_from(p).map_err(|_| fail("a point needs three numbers".into()))?);
            }
            Some("o" | "g") => name = words.collect::<Vec<_>>().join(" "),
            Some("l") => {
                let points: Result<Vec<[f64; 3]>, ReadError> = words
                    .map(|w| {
                        let n: i64 = w
                            .split('/')
                            .next()
                            .and_then(|w| w.parse().ok())
                            .ok_or_else(|| fail(format!("\"{w}\" is not the number of a point")))?;
                        let k = if n < 0 { places.len() as i64 + n } else { n - 1 };
                        usize::try_from(k)
                            .ok()
                            .and_then(|k| places.get(k).copied())
                            .ok_or_else(|| fail(format!("there is no point {n}")))
                    })
                    .collect();
                join(&mut out, Curve { name: name.clone(), points: points?, closed: false });
            }
            _ => {}
        }
    }
    Ok(out)
}

/// Lines that go on where the one before ended are one curve.
fn join(all: &mut Vec<Curve>, next: Curve) {
    match all.last_mut() {
        Some(last) if last.name == next.name && last.points.last() == next.points.first() => {
            last.points.extend(next.points.into_iter().skip(1));
        }
        _ => all.push(next),
    }
}

fn of_gltf(bytes: &[u8]) -> Result<Vec<Curve>, ReadError> {
    quietly(|| strips(bytes)).unwrap_or_else(|| Err(fail("it names parts that it doesn't have")))
}

fn strips(bytes: &[u8]) -> Result<Vec<Curve>, ReadError> {
    let file = File::open(bytes, false)?;
    let mut out = vec![];
    let scene = file.document.default_scene().or_else(|| file.document.scenes().next());
    let mut todo: Vec<(gltf::Node<'_>, Mat4)> =
        scene.into_iter().flat_map(|s| s.nodes().map(|n| (n, Mat4::IDENTITY)).collect::<Vec<_>>()).collect();
    let mut left = file.document.nodes().count();
    while let Some((node, parent)) = todo.pop() {
        left = left.checked_sub(1).ok_or_else(|| fail("a node is its own ancestor, or has two"))?;
        let at = parent * Mat4::from_cols_array_2d(&node.transform().matrix());
        todo.extend(node.children().map(|c| (c, at)));
        let name = node.name().unwrap_or_default().to_owned();
        for primitive in node.mesh().into_iter().flat_map(|m| m.primitives().collect::<Vec<_>>()) {
            let mode = primitive.mode();
            if !matches!(mode, Mode::Lines | Mode::LineStrip | Mode::LineLoop) {
                continue;
            }
            let Some(positions) = primitive.get(&gltf::Semantic::Positions) else { continue };
            let places: Vec<[f64; 3]> = file
                .places(&positions)?
                .into_iter()
                .map(|p| at.transform_point3(Vec3::from(p)).to_array().map(f64::from))
                .collect();
            let order = file.corners(&primitive, places.len())?;
            let of = |run: &[u32]| run.iter().filter_map(|k| places.get(*k as usize).copied()).collect();
            if mode == Mode::Lines {
                for pair in order.chunks_exact(2) {
                    join(&mut out, Curve { name: name.clone(), points: of(pair), closed: false });
                }
            } else {
                out.push(Curve { name: name.clone(), points: of(&order), closed: mode == Mode::LineLoop });
            }
        }
    }
    Ok(out)
}

/// As far as curves need it: `def BasisCurves` with `points`, `curveVertexCounts` and `wrap`, moved by what it stands in, in
/// metres with y up.
fn of_usd(bytes: &[u8]) -> Result<Vec<Curve>, ReadError> {
    let text = crate::usd::text_of(bytes)?;
    let mut out = vec![];
    for (block, at) in things(&text)? {
        if block.kind != "BasisCurves" {
            continue;
        }
        let name = &block.name;
        let Some(points) = block.list(&["point3f[] points", "point3d[] points"]) else { continue };
        let numbers =
            numbers(points).ok_or_else(|| fault(format!("the points of \"{name}\" are no numbers")))?;
        let places: Vec<[f64; 3]> = numbers
            .chunks_exact(3)
            .map(|p| at.transform_point3(DVec3::new(p[0], p[1], p[2])).to_array())
            .collect();
        let counts: Vec<usize> = block
            .list(&["int[] curveVertexCounts"])
            .map(|l| l.split(',').filter_map(|w| w.trim().parse().ok()).collect())
            .unwrap_or_else(|| vec![places.len()]);
        let closed = block.body.contains("wrap = \"periodic\"");
        let mut from = 0;
        for n in counts {
            let to = (from + n).min(places.len());
            out.push(Curve { name: name.clone(), points: places[from..to].to_vec(), closed });
            from = to;
        }
    }
    Ok(out)
}
