//! Binary glTF 2.0: a buffer with the accessors that read it, and what a document says around them.
use serde_json::{Value, json};

/// A binary buffer with the accessors that read it.
#[derive(Default)]
pub struct Glb {
    bytes: Vec<u8>,
    views: Vec<Value>,
    accessors: Vec<Value>,
}

impl Glb {
    /// Numbers of an accessor, `kind` as glTF names it; bounds where the standard asks for them.
    pub fn floats<const N: usize>(&mut self, values: &[[f32; N]], kind: &str, bounds: bool) -> usize {
        let raw: Vec<u8> = values.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        let mut accessor = json!({ "componentType": 5126, "count": values.len(), "type": kind });
        if bounds {
            let of = |pick: fn(f32, f32) -> f32, from: f32| -> Vec<f32> {
                (0..N).map(|c| values.iter().map(|v| v[c]).fold(from, pick)).collect()
            };
            accessor["min"] = json!(of(f32::min, f32::INFINITY));
            accessor["max"] = json!(of(f32::max, f32::NEG_INFINITY));
        }
        self.push(&raw, accessor)
    }

    /// Corners of triangles.
    pub fn triangles(&mut self, values: &[[u32; 3]]) -> usize {
        let raw: Vec<u8> = values.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        self.push(&raw, json!({ "componentType": 5125, "count": 3 * values.len(), "type": "SCALAR" }))
    }

    /// Numbers of joints, four a point.
    pub fn joints(&mut self, values: &[[u16; 4]]) -> usize {
        let raw: Vec<u8> = values.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
        self.push(&raw, json!({ "componentType": 5123, "count": values.len(), "type": "VEC4" }))
    }

    fn push(&mut self, raw: &[u8], mut accessor: Value) -> usize {
        self.bytes.resize(self.bytes.len().next_multiple_of(4), 0);
        self.views.push(json!({ "buffer": 0, "byteOffset": self.bytes.len(), "byteLength": raw.len() }));
        self.bytes.extend(raw);
        accessor["bufferView"] = json!(self.views.len() - 1);
        self.accessors.push(accessor);
        self.accessors.len() - 1
    }

    /// The file, with all else that it says.
    pub fn finish(mut self, mut json: Value) -> Vec<u8> {
        self.bytes.resize(self.bytes.len().next_multiple_of(4), 0);
        json["asset"] = json!({ "version": "2.0", "generator": "Nematon" });
        json["buffers"] = json!([{ "byteLength": self.bytes.len() }]);
        json["bufferViews"] = json!(self.views);
        json["accessors"] = json!(self.accessors);
        let mut text = json.to_string().into_bytes();
        text.resize(text.len().next_multiple_of(4), b' ');
        let whole = 12 + 8 + text.len() + 8 + self.bytes.len();
        let mut out = b"glTF".to_vec();
        for word in [2, whole as u32, text.len() as u32, 0x4e4f_534a] {
            out.extend(word.to_le_bytes());
        }
        out.extend(text);
        for word in [self.bytes.len() as u32, 0x004e_4942] {
            out.extend(word.to_le_bytes());
        }
        out.extend(self.bytes);
        out
    }
}
