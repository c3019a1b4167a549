//! A USD layer as a binary file (`.usdc`), of version 0.8 of its format: values first, as they come, then tables of names, of fields, of paths and of what stands
//! at each path. The first bytes say where the tables are, so that a first pass over what is written only counts.
use super::layer::{Attribute, Data, Head, Layer, Samples};
use half::f16;
use std::collections::HashMap;
use std::io::{Error, Result, Write};

const MAGIC: &[u8; 8] = b"PXR-USDC";
const VERSION: [u8; 8] = [0, 8, 0, 0, 0, 0, 0, 0];
/// Where a set of fields ends.
const END: u32 = u32::MAX;

/// Kinds of values, by their numbers in the format.
mod kind {
    pub const BOOL: u64 = 1;
    pub const INT: u64 = 3;
    pub const INT64: u64 = 5;
    pub const FLOAT: u64 = 8;
    pub const DOUBLE: u64 = 9;
    pub const STRING: u64 = 10;
    pub const TOKEN: u64 = 11;
    pub const ASSET: u64 = 12;
    pub const QUATH: u64 = 18;
    pub const VEC2F: u64 = 20;
    pub const VEC3D: u64 = 23;
    pub const VEC3F: u64 = 24;
    pub const TOKEN_LIST: u64 = 32;
    pub const PATH_LIST: u64 = 34;
    pub const TOKENS: u64 = 41;
    pub const SPECIFIER: u64 = 42;
    pub const VARIABILITY: u64 = 44;
    pub const TIME_SAMPLES: u64 = 46;
    pub const DOUBLES: u64 = 48;
}

/// What stands at a path, by their numbers in the format.
mod spec {
    pub const ATTRIBUTE: u32 = 1;
    pub const PRIM: u32 = 6;
    pub const ROOT: u32 = 7;
    pub const RELATIONSHIP: u32 = 8;
}

const ARRAY: u64 = 1 << 63;
const INLINED: u64 = 1 << 62;

/// A value where it is told of: its kind, and itself or where it is.
fn rep(kind: u64, flags: u64, payload: u64) -> u64 {
    flags | kind << 48 | payload
}

/// Something at a path, with its fields by the names of these.
struct Spec {
    /// Its own name, and what it is in.
    name: String,
    kind: u32,
    fields: Vec<(u32, u64)>,
    children: Vec<usize>,
    properties: Vec<usize>,
}

pub(crate) struct Binary<'w> {
    sink: &'w mut dyn Write,
    at: u64,
    /// Where the tables are, as the bytes before say.
    tables: u64,
    tokens: Vec<String>,
    numbers: HashMap<String, u32>,
    strings: Vec<u32>,
    specs: Vec<Spec>,
    /// Numbers of those that are open, the root first.
    open: Vec<usize>,
    /// Numbers of attributes by path, and paths by what stands there.
    paths: HashMap<String, usize>,
    /// Paths that are pointed at: known once all of them are.
    pointed: Vec<(usize, &'static str, String)>,
}

impl<'w> Binary<'w> {
    /// `tables` is where they will be, as an earlier pass told.
    pub fn new(sink: &'w mut dyn Write, tables: u64) -> Result<Binary<'w>> {
        let mut out = Binary {
            sink,
            at: 0,
            tables,
            tokens: vec![],
            numbers: HashMap::new(),
            strings: vec![],
            specs: vec![],
            open: vec![0],
            paths: HashMap::new(),
            pointed: vec![],
        };
        // The number of a property's name is told with a minus: none has the number 0.
        out.token("-");
        out.specs.push(Spec {
            name: String::new(),
            kind: spec::ROOT,
            fields: vec![],
            children: vec![],
            properties: vec![],
        });
        out.put(MAGIC)?;
        out.put(&VERSION)?;
        out.put(&tables.to_le_bytes())?;
        out.put(&[0; 64])?;
        Ok(out)
    }

    fn put(&mut self, bytes: &[u8]) -> Result<()> {
        self.at += bytes.len() as u64;
        self.sink.write_all(bytes)
    }

    fn align(&mut self) -> Result<()> {
        let over = (self.at % 8) as usize;
        if over > 0 { self.put(&[0; 8][over..]) } else { Ok(()) }
    }

    fn token(&mut self, text: &str) -> u32 {
        if let Some(k) = self.numbers.get(text) {
            return *k;
        }
        let k = self.tokens.len() as u32;
        self.tokens.push(text.to_owned());
        self.numbers.insert(text.to_owned(), k);
        k
    }

    /// An array of numbers, as they lie.
    fn array(&mut self, kind: u64, count: usize, bytes: impl Iterator<Item = u8>) -> Result<u64> {
        if count == 0 {
            return Ok(rep(kind, ARRAY, 0));
        }
        self.align()?;
        let from = self.at;
        let mut all = (count as u64).to_le_bytes().to_vec();
        all.extend(bytes);
        self.put(&all)?;
        Ok(rep(kind, ARRAY, from))
    }

    /// Something that is one value, as it lies.
    fn alone(&mut self, kind: u64, bytes: &[u8]) -> Result<u64> {
        self.align()?;
        let from = self.at;
        self.put(bytes)?;
        Ok(rep(kind, 0, from))
    }

    fn value(&mut self, value: &Data) -> Result<u64> {
        let inlined = |kind: u64, bits: u32| Ok(rep(kind, INLINED, u64::from(bits)));
        match value {
            Data::Token(t) => inlined(kind::TOKEN, self.token(t)),
            Data::Asset(t) => inlined(kind::ASSET, self.token(t)),
            Data::Text(t) => {
                let token = self.token(t);
                self.strings.push(token);
                inlined(kind::STRING, self.strings.len() as u32 - 1)
            }
            Data::Bool(b) => inlined(kind::BOOL, u32::from(*b)),
            Data::Float(v) => inlined(kind::FLOAT, v.to_bits()),
            Data::Double(v) => self.alone(kind::DOUBLE, &v.to_le_bytes()),
            Data::Double3(v) => {
                let bytes: Vec<u8> = v.iter().flat_map(|c| c.to_le_bytes()).collect();
                self.alone(kind::VEC3D, &bytes)
            }
            Data::Tokens(all) => {
                let all: Vec<u32> = all.iter().map(|t| self.token(t)).collect();
                self.array(kind::TOKEN, all.len(), all.iter().flat_map(|k| k.to_le_bytes()))
            }
            Data::Ints(all) => self.array(kind::INT, all.len(), all.iter().flat_map(|k| k.to_le_bytes())),
            Data::Longs(all) => self.array(kind::INT64, all.len(), all.iter().flat_map(|k| k.to_le_bytes())),
            Data::Floats(all) => self.array(kind::FLOAT, all.len(), all.iter().flat_map(|k| k.to_le_bytes())),
            Data::Pairs(all) => {
                self.array(kind::VEC2F, all.len(), all.iter().flatten().flat_map(|k| k.to_le_bytes()))
            }
            Data::Triples(all) => {
                self.array(kind::VEC3F, all.len(), all.iter().flatten().flat_map(|k| k.to_le_bytes()))
            }
            Data::Turns(all) => {
                let half = |v: &f32| f16::from_f32(*v).to_le_bytes();
                self.array(kind::QUATH, all.len(), all.iter().flatten().flat_map(half))
            }
        }
    }

    fn field(&mut self, spec: usize, name: &str, value: u64) {
        let name = self.token(name);
        let fields = &mut self.specs[spec].fields;
        match fields.iter_mut().find(|f| f.0 == name) {
            Some(f) => f.1 = value,
            None => fields.push((name, value)),
        }
    }

    fn path(&self) -> String {
        self.open[1..].iter().map(|k| format!("/{}", self.specs[*k].name)).collect()
    }

    fn add(&mut self, name: &str, kind: u32) -> usize {
        let k = self.specs.len();
        let owner = *self.open.last().unwrap_or(&0);
        let path = match kind {
            spec::PRIM => format!("{}/{name}", self.path()),
            _ => format!("{}.{name}", self.path()),
        };
        self.paths.insert(path, k);
        self.specs.push(Spec {
            name: name.to_owned(),
            kind,
            fields: vec![],
            children: vec![],
            properties: vec![],
        });
        match kind {
            spec::PRIM => self.specs[owner].children.push(k),
            _ => self.specs[owner].properties.push(k),
        }
        k
    }

    /// The number of an attribute of what is open; a new one where there is none of that name.
    fn attribute(&mut self, a: &Attribute) -> usize {
        if let Some(k) = self.paths.get(&format!("{}.{}", self.path(), a.name)) {
            return *k;
        }
        let k = self.add(a.name, spec::ATTRIBUTE);
        let of = self.token(a.of);
        self.field(k, "typeName", rep(kind::TOKEN, INLINED, u64::from(of)));
        if a.uniform {
            self.field(k, "variability", rep(kind::VARIABILITY, INLINED, 1));
        }
        if let Some(i) = a.interpolation {
            let i = self.token(i);
            self.field(k, "interpolation", rep(kind::TOKEN, INLINED, u64::from(i)));
        }
        k
    }

    /// A list of tokens, by their numbers.
    fn tokens_at(&mut self, all: &[u32]) -> Result<u64> {
        let mut bytes = (all.len() as u64).to_le_bytes().to_vec();
        bytes.extend(all.iter().flat_map(|k| k.to_le_bytes()));
        self.alone(kind::TOKENS, &bytes)
    }

    /// Specs in the order of their paths: each before those within it, things before attributes; with where the next beside it is.
    fn ordered(&self) -> Vec<(usize, i32)> {
        fn walk(specs: &[Spec], k: usize, more: bool, out: &mut Vec<(usize, i32)>) {
            let at = out.len();
            out.push((k, 0));
            let within: Vec<usize> = specs[k].children.iter().chain(&specs[k].properties).copied().collect();
            for (n, c) in within.iter().enumerate() {
                walk(specs, *c, n + 1 < within.len(), out);
            }
            // -2 has neither, -1 only what is within it, 0 only one beside it; more is the way to that one, where it has both.
            out[at].1 = match (within.is_empty(), more) {
                (true, false) => -2,
                (false, false) => -1,
                (true, true) => 0,
                (false, true) => (out.len() - at) as i32,
            };
        }
        let mut out = vec![];
        walk(&self.specs, 0, false, &mut out);
        out
    }

    fn number(&mut self, n: u64) -> Result<()> {
        self.put(&n.to_le_bytes())
    }

    /// Packed bytes after how many they are.
    fn packed(&mut self, bytes: &[u8]) -> Result<()> {
        let mut all = vec![0];
        all.extend(lz4_flex::block::compress(bytes));
        self.number(all.len() as u64)?;
        self.put(&all)
    }

    fn integers(&mut self, all: &[u32]) -> Result<()> {
        self.packed(&coded(all))
    }
}

/// Numbers as ways from each to the next: two bits of how long each way is, those of the most common one being left out.
fn coded(all: &[u32]) -> Vec<u8> {
    let mut before = 0u32;
    let ways: Vec<i32> = all
        .iter()
        .map(|v| {
            let way = v.wrapping_sub(before).cast_signed();
            before = *v;
            way
        })
        .collect();
    let mut met: HashMap<i32, usize> = HashMap::new();
    ways.iter().for_each(|w| *met.entry(*w).or_default() += 1);
    let common = met.into_iter().max_by_key(|(w, n)| (*n, *w)).map_or(0, |m| m.0);
    let mut out = common.to_le_bytes().to_vec();
    let (mut codes, mut long) = (vec![0u8; ways.len().div_ceil(4)], vec![]);
    for (k, w) in ways.iter().enumerate() {
        let code = match *w {
            w if w == common => 0,
            w if i8::try_from(w).is_ok() => {
                long.extend((w as i8).to_le_bytes());
                1
            }
            w if i16::try_from(w).is_ok() => {
                long.extend((w as i16).to_le_bytes());
                2
            }
            w => {
                long.extend(w.to_le_bytes());
                3
            }
        };
        codes[k / 4] |= code << (2 * (k % 4));
    }
    out.extend(codes);
    out.extend(long);
    out
}

impl Layer for Binary<'_> {
    fn head(&mut self, head: &Head) -> Result<()> {
        let told = [
            ("defaultPrim", Data::Token(head.root.to_owned())),
            ("metersPerUnit", Data::Double(1.0 / head.unit.per_metre())),
            ("upAxis", Data::Token(format!("{:?}", head.up))),
            ("startTimeCode", Data::Double(head.first as f64)),
            ("endTimeCode", Data::Double(head.last as f64)),
            ("timeCodesPerSecond", Data::Double(head.rate)),
            ("framesPerSecond", Data::Double(head.rate)),
        ];
        for (name, value) in told {
            let value = self.value(&value)?;
            self.field(0, name, value);
        }
        Ok(())
    }

    fn open(&mut self, kind: &str, name: &str, schema: Option<&str>) -> Result<()> {
        let k = self.add(name, spec::PRIM);
        self.open.push(k);
        self.field(k, "specifier", rep(kind::SPECIFIER, INLINED, 0));
        let of = self.token(kind);
        self.field(k, "typeName", rep(kind::TOKEN, INLINED, u64::from(of)));
        if let Some(schema) = schema {
            // A list of items that come before what there is otherwise.
            let token = self.token(schema);
            let mut bytes = vec![1 << 5];
            bytes.extend(1u64.to_le_bytes());
            bytes.extend(token.to_le_bytes());
            let value = self.alone(kind::TOKEN_LIST, &bytes)?;
            self.field(k, "apiSchemas", value);
        }
        Ok(())
    }

    fn close(&mut self) -> Result<()> {
        self.open.pop();
        Ok(())
    }

    fn set(&mut self, attribute: Attribute, value: Data) -> Result<()> {
        let k = self.attribute(&attribute);
        let value = self.value(&value)?;
        self.field(k, "default", value);
        Ok(())
    }

    fn declare(&mut self, attribute: Attribute) -> Result<()> {
        self.attribute(&attribute);
        Ok(())
    }

    fn samples(&mut self, attribute: Attribute, samples: Samples) -> Result<()> {
        let k = self.attribute(&attribute);
        let (mut times, mut values) = (vec![], vec![]);
        for sample in samples {
            let (number, value) = sample?;
            times.push(number as f64);
            values.push(self.value(&value)?);
        }
        let mut bytes = (times.len() as u64).to_le_bytes().to_vec();
        bytes.extend(times.iter().flat_map(|t| t.to_le_bytes()));
        let times = self.alone(kind::DOUBLES, &bytes)?;
        self.align()?;
        let from = self.at;
        // How far it is from each of two places to what they tell of: that comes at once.
        self.number(8)?;
        self.number(times)?;
        self.number(8)?;
        self.number(values.len() as u64)?;
        let values: Vec<u8> = values.iter().flat_map(|v| v.to_le_bytes()).collect();
        self.put(&values)?;
        self.field(k, "timeSamples", rep(kind::TIME_SAMPLES, 0, from));
        Ok(())
    }

    fn connect(&mut self, attribute: Attribute, to: &str) -> Result<()> {
        let k = self.attribute(&attribute);
        self.pointed.push((k, "connectionPaths", to.to_owned()));
        Ok(())
    }

    fn relate(&mut self, name: &str, to: &str, _: bool) -> Result<()> {
        let k = self.add(name, spec::RELATIONSHIP);
        self.field(k, "variability", rep(kind::VARIABILITY, INLINED, 1));
        self.pointed.push((k, "targetPaths", to.to_owned()));
        Ok(())
    }

    fn end(&mut self) -> Result<()> {
        let ordered = self.ordered();
        // A path has the number of its place in that order.
        let mut number = vec![0u32; self.specs.len()];
        ordered.iter().enumerate().for_each(|(n, (k, _))| number[*k] = n as u32);
        for (k, field, to) in std::mem::take(&mut self.pointed) {
            let gone = || Error::other(format!("nothing stands at {to}"));
            let path = number[*self.paths.get(&to).ok_or_else(gone)?];
            let mut bytes = vec![0b11];
            bytes.extend(1u64.to_le_bytes());
            bytes.extend(path.to_le_bytes());
            let value = self.alone(kind::PATH_LIST, &bytes)?;
            self.field(k, field, value);
        }
        for k in 0..self.specs.len() {
            for (field, all) in [
                ("primChildren", self.specs[k].children.clone()),
                ("properties", self.specs[k].properties.clone()),
            ] {
                if !all.is_empty() {
                    let names: Vec<String> = all.iter().map(|c| self.specs[*c].name.clone()).collect();
                    let tokens: Vec<u32> = names.iter().map(|n| self.token(n)).collect();
                    let value = self.tokens_at(&tokens)?;
                    self.field(k, field, value);
                }
            }
        }
        let names: Vec<i32> = ordered
            .iter()
            .map(|(k, _)| {
                let Spec { name, kind, .. } = &self.specs[*k];
                let (name, property) = (name.clone(), !matches!(*kind, spec::PRIM | spec::ROOT));
                let token = if *k == 0 { 0 } else { self.token(&name).cast_signed() };
                if property { -token } else { token }
            })
            .collect();
        let (mut fields, mut sets, mut starts) = (Vec::<(u32, u64)>::new(), vec![], vec![]);
        let mut known: HashMap<(u32, u64), u32> = HashMap::new();
        for (k, _) in &ordered {
            starts.push(sets.len() as u32);
            for f in &self.specs[*k].fields {
                let n = *known.entry(*f).or_insert_with(|| {
                    fields.push(*f);
                    fields.len() as u32 - 1
                });
                sets.push(n);
            }
            sets.push(END);
        }
        let mut sections: Vec<(&str, u64)> = vec![];
        self.align()?;
        let mut begins = |own: &Self, name: &'static str| sections.push((name, own.at));
        begins(self, "TOKENS");
        let text: Vec<u8> = self.tokens.iter().flat_map(|t| t.bytes().chain([0])).collect();
        self.number(self.tokens.len() as u64)?;
        self.number(text.len() as u64)?;
        self.packed(&text)?;
        begins(self, "STRINGS");
        let strings: Vec<u8> = self.strings.iter().flat_map(|k| k.to_le_bytes()).collect();
        self.number(self.strings.len() as u64)?;
        self.put(&strings)?;
        begins(self, "FIELDS");
        self.number(fields.len() as u64)?;
        self.integers(&fields.iter().map(|f| f.0).collect::<Vec<_>>())?;
        self.packed(&fields.iter().flat_map(|f| f.1.to_le_bytes()).collect::<Vec<u8>>())?;
        begins(self, "FIELDSETS");
        self.number(sets.len() as u64)?;
        self.integers(&sets)?;
        begins(self, "PATHS");
        let each: Vec<u32> = (0..ordered.len() as u32).collect();
        self.number(ordered.len() as u64)?;
        self.number(ordered.len() as u64)?;
        self.integers(&each)?;
        self.integers(&names.iter().map(|n| n.cast_unsigned()).collect::<Vec<_>>())?;
        self.integers(&ordered.iter().map(|(_, jump)| jump.cast_unsigned()).collect::<Vec<_>>())?;
        begins(self, "SPECS");
        self.number(ordered.len() as u64)?;
        self.integers(&each)?;
        self.integers(&starts)?;
        let kinds: Vec<u32> = ordered.iter().map(|(k, _)| self.specs[*k].kind).collect();
        self.integers(&kinds)?;
        let tables = self.at;
        if self.tables != 0 && self.tables != tables {
            return Err(Error::other("frames are not as long as they were when they were counted"));
        }
        self.number(sections.len() as u64)?;
        for (k, (name, from)) in sections.iter().enumerate() {
            let to = sections.get(k + 1).map_or(tables, |s| s.1);
            let mut label = [0u8; 16];
            label[..name.len()].copy_from_slice(name.as_bytes());
            self.put(&label)?;
            self.number(*from)?;
            self.number(to - from)?;
        }
        self.tables = tables;
        Ok(())
    }
}

impl Binary<'_> {
    /// Where the tables are, once it has ended.
    pub fn tables(&self) -> u64 {
        self.tables
    }
}

#[cfg(test)]
mod tests {
    use super::coded;

    #[test]
    fn numbers_are_told_by_their_ways() {
        // The most common way is 1: it takes two bits alone, 100 one byte, and 100,000 four.
        let told = coded(&[1, 2, 3, 103, 104, 100_104, 100_105]);
        assert_eq!(told[..4], 1i32.to_le_bytes());
        assert_eq!(told[4..6], [0b0100_0000, 0b00_1100]);
        assert_eq!(told[6], 100);
        assert_eq!(told[7..], 100_000i32.to_le_bytes());
        // Back is a way too.
        assert_eq!(coded(&[5, 4, 3, 2])[..4], (-1i32).to_le_bytes());
    }
}
