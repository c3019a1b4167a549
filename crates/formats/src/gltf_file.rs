//! glTF 2.0 as text or GLB: its description, its buffers, and its numbers by kind. What a file says that its numbers are is
//! looked at before any is read, for a file may say one thing and hold another.
use crate::ReadError;
use base64::Engine as _;
use gltf::accessor::{DataType, Dimensions};
use gltf::buffer::View;
use gltf::mesh::{Mode, Primitive};
use serde_json::Value;
use std::cell::Cell;

/// Extensions that a file may need and that change no place of a point: light, colour, and how pictures are kept.
const HARMLESS: [&str; 6] = [
    "KHR_materials_",
    "KHR_texture_",
    "KHR_lights_punctual",
    "EXT_texture_",
    "KHR_mesh_quantization",
    "KHR_xmp_json_ld",
];

/// A file, opened and found to name nothing that it has not.
pub(crate) struct File {
    pub document: gltf::Document,
    buffers: Vec<Vec<u8>>,
    /// Whether places may be whole numbers.
    quantized: bool,
    /// Accessors without a view: all of their numbers are zero.
    zeros: Vec<bool>,
}

pub(crate) fn fail(e: impl Into<String>) -> ReadError {
    ReadError::Gltf(e.into())
}

thread_local! {
    static QUIET: Cell<bool> = const { Cell::new(false) };
}

/// What a reading gives; `None` where it panics, without a word: the library looks some things up before they are checked.
pub(crate) fn quietly<T>(read: impl FnOnce() -> T + std::panic::UnwindSafe) -> Option<T> {
    static HOOK: std::sync::Once = std::sync::Once::new();
    HOOK.call_once(|| {
        let before = std::panic::take_hook();
        std::panic::set_hook(Box::new(move |told| {
            if !QUIET.get() {
                before(told);
            }
        }));
    });
    QUIET.set(true);
    let out = std::panic::catch_unwind(read).ok();
    QUIET.set(false);
    out
}

impl File {
    /// Opens a file, with its clips where those are asked for: what only moves is of no matter to what stands still.
    pub fn open(bytes: &[u8], clips: bool) -> Result<File, ReadError> {
        let broken = || fail("it is cut short or damaged");
        let (text, own) = match bytes.starts_with(b"glTF") {
            true => {
                let glb = gltf::Glb::from_slice(bytes).map_err(|_| broken())?;
                (glb.json.into_owned(), glb.bin.map(std::borrow::Cow::into_owned))
            }
            false => (bytes.to_vec(), None),
        };
        let mut json: Value = serde_json::from_slice(&text)
            .map_err(|_| fail("its description is no JSON: it is cut short, or no glTF at all"))?;
        let version = json.pointer("/asset/version").and_then(Value::as_str).unwrap_or("none").to_owned();
        if !version.starts_with("2.") {
            return Err(fail(format!("it is of version {version}; 2.0 is read")));
        }
        needs(&mut json)?;
        let quantized = uses(&json, "extensionsUsed", "KHR_mesh_quantization");
        if clips {
            movers(&mut json)?;
        } else if let Some(all) = json.as_object_mut() {
            all.shift_remove("animations");
        }
        let zeros = empty(&mut json);
        let root = gltf::json::deserialize::from_value(json)
            .map_err(|_| fail("its description leaves something out or names something unknown"))?;
        let document =
            gltf::Document::from_json(root).map_err(|_| fail("it names parts that it doesn't have"))?;
        let buffers = document.buffers().map(|b| contents(&b, own.as_deref())).collect::<Result<_, _>>()?;
        Ok(File { document, buffers, quantized, zeros })
    }

    /// So many bytes of a view from an offset on.
    fn slice(&self, view: &View<'_>, offset: usize, length: usize) -> Result<&[u8], ReadError> {
        let buffer = self.buffers.get(view.buffer().index()).ok_or_else(|| fail("a buffer is missing"))?;
        let from = view.offset().checked_add(offset);
        let within = offset.checked_add(length).is_some_and(|end| end <= view.length());
        let found = from.and_then(|from| buffer.get(from..from.checked_add(length)?)).filter(|_| within);
        found.ok_or_else(|| fail("numbers are cut short"))
    }

    /// The numbers of an accessor, `N` each, where it is of one of some kinds.
    fn numbers<const N: usize>(
        &self,
        a: &gltf::Accessor<'_>,
        what: &str,
        wanted: Dimensions,
        kinds: &[DataType],
    ) -> Result<Vec<[f64; N]>, ReadError> {
        let kind = a.data_type();
        if a.dimensions() != wanted || !kinds.contains(&kind) {
            return Err(fail(format!(
                "its {what} are kept as {:?} of {kind:?}, which they can't be",
                a.dimensions()
            )));
        }
        let part = kind.size();
        let each = part * N;
        let mut out = vec![[0.0; N]; a.count()];
        let one =
            |at: &[u8]| std::array::from_fn(|k| value(&at[k * part..(k + 1) * part], kind, a.normalized()));
        if let Some(view) =
            a.view().filter(|_| a.count() > 0 && !self.zeros.get(a.index()).is_some_and(|z| *z))
        {
            let stride = view.stride().unwrap_or(each).max(1);
            let length = stride.checked_mul(a.count() - 1).and_then(|l| l.checked_add(each));
            let length = length.ok_or_else(|| fail("numbers are cut short"))?;
            let bytes = self.slice(&view, a.offset(), length)?;
            for (k, out) in out.iter_mut().enumerate() {
                *out = one(&bytes[k * stride..k * stride + each]);
            }
        }
        // What is not there is zeros, but where it is said apart.
        if let Some(sparse) = a.sparse() {
            let (indices, values, n) = (sparse.indices(), sparse.values(), sparse.count());
            let size = match indices.index_type() {
                gltf::accessor::sparse::IndexType::U8 => DataType::U8,
                gltf::accessor::sparse::IndexType::U16 => DataType::U16,
                gltf::accessor::sparse::IndexType::U32 => DataType::U32,
            };
            let at = self.slice(&indices.view(), indices.offset(), n.saturating_mul(size.size()))?;
            let new = self.slice(&values.view(), values.offset(), n.saturating_mul(each))?;
            for (at, new) in at.chunks_exact(size.size()).zip(new.chunks_exact(each)) {
                let k = value(at, size, false) as usize;
                *out.get_mut(k).ok_or_else(|| fail("a number is put where none is"))? = one(new);
            }
        }
        Ok(out)
    }

    fn floats<const N: usize>(
        &self,
        a: &gltf::Accessor<'_>,
        what: &str,
        wanted: Dimensions,
        kinds: &[DataType],
    ) -> Result<Vec<[f32; N]>, ReadError> {
        Ok(self.numbers::<N>(a, what, wanted, kinds)?.into_iter().map(|v| v.map(|c| c as f32)).collect())
    }

    /// Places, or what a morph adds to them.
    pub fn places(&self, a: &gltf::Accessor<'_>) -> Result<Vec<[f32; 3]>, ReadError> {
        use DataType::{F32, I8, I16, U8, U16};
        let kinds: &[_] = if self.quantized { &[F32, I8, U8, I16, U16] } else { &[F32] };
        self.floats(a, "points", Dimensions::Vec3, kinds)
    }

    /// Texture coordinates, v up, as all others here are: in the file it runs down.
    pub fn uvs(&self, a: &gltf::Accessor<'_>) -> Result<Vec<[f32; 2]>, ReadError> {
        use DataType::{F32, I8, I16, U8, U16};
        let kinds: &[_] = if self.quantized { &[F32, U8, U16, I8, I16] } else { &[F32, U8, U16] };
        let found = self.floats(a, "texture coordinates", Dimensions::Vec2, kinds)?;
        Ok(found.into_iter().map(|[u, v]| [u, 1.0 - v]).collect())
    }

    pub fn joints(&self, a: &gltf::Accessor<'_>) -> Result<Vec<[u32; 4]>, ReadError> {
        let found = self.numbers::<4>(a, "joints", Dimensions::Vec4, &[DataType::U8, DataType::U16])?;
        Ok(found.into_iter().map(|v| v.map(|c| c as u32)).collect())
    }

    pub fn shares(&self, a: &gltf::Accessor<'_>) -> Result<Vec<[f32; 4]>, ReadError> {
        use DataType::{F32, U8, U16};
        self.floats(a, "weights", Dimensions::Vec4, &[F32, U8, U16])
    }

    pub fn matrices(&self, a: &gltf::Accessor<'_>) -> Result<Vec<[f64; 16]>, ReadError> {
        self.numbers(a, "matrices of a skin", Dimensions::Mat4, &[DataType::F32])
    }

    pub fn times(&self, a: &gltf::Accessor<'_>) -> Result<Vec<f64>, ReadError> {
        let found = self.numbers::<1>(a, "times of keys", Dimensions::Scalar, &[DataType::F32])?;
        Ok(found.into_iter().flatten().collect())
    }

    /// Values of keys: three, four or one each.
    pub fn keys<const N: usize>(&self, a: &gltf::Accessor<'_>) -> Result<Vec<f64>, ReadError> {
        use DataType::{F32, I8, I16, U8, U16};
        let (wanted, kinds): (_, &[_]) = match N {
            3 => (Dimensions::Vec3, &[F32]),
            4 => (Dimensions::Vec4, &[F32, I8, U8, I16, U16]),
            _ => (Dimensions::Scalar, &[F32, I8, U8, I16, U16]),
        };
        Ok(self.numbers::<N>(a, "values of keys", wanted, kinds)?.into_iter().flatten().collect())
    }

    /// The points of a primitive in the order in which they are joined.
    pub fn corners(&self, primitive: &Primitive<'_>, points: usize) -> Result<Vec<u32>, ReadError> {
        use DataType::{U8, U16, U32};
        let corners: Vec<u32> = match primitive.indices() {
            Some(a) => {
                let found = self.numbers::<1>(&a, "corners", Dimensions::Scalar, &[U8, U16, U32])?;
                found.into_iter().map(|[k]| k as u32).collect()
            }
            None => (0..points as u32).collect(),
        };
        if corners.iter().any(|c| *c as usize >= points) {
            return Err(fail("a triangle or a line names a point that isn't there"));
        }
        Ok(corners)
    }

    /// The triangles of a primitive of so many points: a list, a strip or a fan. None of lines and points.
    pub fn triangles(&self, primitive: &Primitive<'_>, points: usize) -> Result<Vec<[u32; 3]>, ReadError> {
        if matches!(primitive.mode(), Mode::Points | Mode::Lines | Mode::LineLoop | Mode::LineStrip) {
            return Ok(vec![]);
        }
        let corners = self.corners(primitive, points)?;
        let n = corners.len();
        Ok(match primitive.mode() {
            Mode::Triangles => corners.chunks_exact(3).map(|t| [t[0], t[1], t[2]]).collect(),
            // Every other one is wound the other way.
            Mode::TriangleStrip => (2..n)
                .map(|k| match k % 2 {
                    0 => [corners[k - 2], corners[k - 1], corners[k]],
                    _ => [corners[k - 1], corners[k - 2], corners[k]],
                })
                .filter(|[a, b, c]| a != b && b != c && c != a)
                .collect(),
            Mode::TriangleFan => (2..n).map(|k| [corners[0], corners[k - 1], corners[k]]).collect(),
            Mode::Points | Mode::Lines | Mode::LineLoop | Mode::LineStrip => vec![],
        })
    }
}

/// One number of some kind; a whole one as a share of its most where it is normalized.
fn value(bytes: &[u8], kind: DataType, normalized: bool) -> f64 {
    let two = || [bytes[0], bytes[1]];
    let four = || [bytes[0], bytes[1], bytes[2], bytes[3]];
    let (v, most) = match kind {
        DataType::F32 => return f64::from(f32::from_le_bytes(four())),
        DataType::I8 => (f64::from(bytes[0] as i8), 127.0),
        DataType::U8 => (f64::from(bytes[0]), 255.0),
        DataType::I16 => (f64::from(i16::from_le_bytes(two())), 32_767.0),
        DataType::U16 => (f64::from(u16::from_le_bytes(two())), 65_535.0),
        DataType::U32 => (f64::from(u32::from_le_bytes(four())), f64::from(u32::MAX)),
    };
    if normalized { (v / most).max(-1.0) } else { v }
}

fn uses(json: &Value, list: &str, name: &str) -> bool {
    json[list].as_array().is_some_and(|l| l.iter().any(|e| e == name))
}

/// Takes what changes nothing here from what the file needs; the rest is refused in words.
fn needs(json: &mut Value) -> Result<(), ReadError> {
    let Some(list) = json.get_mut("extensionsRequired").and_then(Value::as_array_mut) else { return Ok(()) };
    list.retain(|e| !e.as_str().is_some_and(|e| HARMLESS.iter().any(|h| e.starts_with(h))));
    let why = match list.first().and_then(Value::as_str) {
        None => return Ok(()),
        Some("KHR_draco_mesh_compression") => {
            "its meshes are packed with Draco: export it without packing".into()
        }
        Some("EXT_meshopt_compression" | "KHR_meshopt_compression") => {
            "its meshes are packed with meshopt: export it without packing".into()
        }
        Some(other) => format!("it needs {other}, which isn't read here: export it without"),
    };
    Err(fail(why))
}

/// Which accessors have no view. They get the first, which is not read: the library wants one.
fn empty(json: &mut Value) -> Vec<bool> {
    let mut out = vec![];
    for a in json.get_mut("accessors").and_then(Value::as_array_mut).into_iter().flatten() {
        let none = a.is_object() && a.get("bufferView").is_none() && a.get("sparse").is_none();
        if none {
            a["bufferView"] = 0.into();
        }
        out.push(none);
    }
    out
}

/// Leaves out what moves no node; what moves something else than nodes is refused.
fn movers(json: &mut Value) -> Result<(), ReadError> {
    let nodes = json["nodes"].as_array().map_or(0, Vec::len) as u64;
    for clip in json.get_mut("animations").and_then(Value::as_array_mut).into_iter().flatten() {
        let Some(channels) = clip.get_mut("channels").and_then(Value::as_array_mut) else { continue };
        if channels.iter().any(|c| c.pointer("/target/path").is_some_and(|p| p == "pointer")) {
            return Err(fail("a clip moves something else than nodes: export it with nodes that move"));
        }
        channels.retain(|c| c.pointer("/target/node").and_then(Value::as_u64).is_some_and(|n| n < nodes));
    }
    Ok(())
}

/// The bytes of a buffer: the file's own, or written out in base64.
fn contents(buffer: &gltf::Buffer<'_>, own: Option<&[u8]>) -> Result<Vec<u8>, ReadError> {
    let bytes = match buffer.source() {
        gltf::buffer::Source::Bin => {
            own.map(<[u8]>::to_vec).ok_or_else(|| fail("its binary part is missing"))?
        }
        gltf::buffer::Source::Uri(uri) => match uri.split_once(";base64,") {
            Some((kind, text)) if kind.starts_with("data:") => base64::engine::general_purpose::STANDARD
                .decode(text)
                .map_err(|_| fail("its embedded data is broken"))?,
            _ => return Err(fail(format!("it needs the file \"{uri}\" beside it. Embed it, or use GLB"))),
        },
    };
    if bytes.len() < buffer.length() {
        return Err(fail(format!("a buffer has {} of its {} bytes", bytes.len(), buffer.length())));
    }
    Ok(bytes)
}

/// A glTF text with the files that it names beside it written into it, as `beside` gives them. As it was where it is none.
#[must_use]
pub fn embedded(bytes: &[u8], beside: impl Fn(&str) -> Option<Vec<u8>>) -> Vec<u8> {
    let Ok(mut json) = serde_json::from_slice::<Value>(bytes) else { return bytes.to_vec() };
    for buffer in json.get_mut("buffers").and_then(Value::as_array_mut).into_iter().flatten() {
        let found = buffer["uri"]
            .as_str()
            .filter(|u| !u.starts_with("data:"))
            .and_then(|u| beside(&percent_encoding::percent_decode_str(u).decode_utf8_lossy()));
        if let Some(found) = found {
            let text = base64::engine::general_purpose::STANDARD.encode(found);
            buffer["uri"] = format!("data:application/octet-stream;base64,{text}").into();
        }
    }
    json.to_string().into_bytes()
}
