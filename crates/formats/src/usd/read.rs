//! Binary USD as the text that says the same, as far as meshes and curves need it: what is defined within what, and its numbers and words.
use crate::ReadError;
use half::f16;
use std::collections::HashMap;
use std::fmt::Write as _;

/// Most bytes that a table or an array may have once it is unpacked.
const MOST: usize = 512 << 20;

fn fault() -> ReadError {
    ReadError::Usd("it is cut short, or not as a binary USD file is".into())
}

/// The text of a USD file of whichever kind: as it is, of a binary one, or of the first layer of a package.
pub(crate) fn text(bytes: &[u8]) -> Result<String, ReadError> {
    if bytes.starts_with(b"PK\x03\x04") {
        let inside = |e: zip::result::ZipError| ReadError::Usd(format!("its package can't be opened: {e}"));
        let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).map_err(inside)?;
        let mut layer = zip.by_index(0).map_err(inside)?;
        if layer.size() > MOST as u64 {
            return Err(ReadError::TooMuch { what: "bytes" });
        }
        let mut own = vec![];
        std::io::Read::read_to_end(&mut layer, &mut own).map_err(|_| fault())?;
        return if own.starts_with(b"PK") { Err(fault()) } else { text(&own) };
    }
    if !bytes.starts_with(b"PXR-USDC") {
        return Ok(String::from_utf8_lossy(bytes).into_owned());
    }
    let version = bytes.get(8..11).ok_or_else(fault)?;
    if version[0] > 0 || version[1] < 4 {
        let [a, b, c] = [version[0], version[1], version[2]];
        return Err(ReadError::Usd(format!(
            "it is of version {a}.{b}.{c} of the binary format, and 0.4 to 0.13 are read: save it as text"
        )));
    }
    Crate::open(bytes, version[1]).and_then(|c| c.told()).ok_or_else(fault)
}

/// Bytes that are read one after the other.
#[derive(Clone, Copy)]
struct At<'a> {
    all: &'a [u8],
    at: usize,
}

impl<'a> At<'a> {
    fn take(&mut self, n: usize) -> Option<&'a [u8]> {
        let end = self.at.checked_add(n)?;
        let own = self.all.get(self.at..end)?;
        self.at = end;
        Some(own)
    }

    fn word(&mut self) -> Option<u32> {
        Some(u32::from_le_bytes(self.take(4)?.try_into().ok()?))
    }

    fn number(&mut self) -> Option<u64> {
        Some(u64::from_le_bytes(self.take(8)?.try_into().ok()?))
    }

    fn count(&mut self) -> Option<usize> {
        usize::try_from(self.number()?).ok().filter(|n| *n <= MOST)
    }

    /// Packed bytes after how many they are, as so many at most.
    fn packed(&mut self, most: usize) -> Option<Vec<u8>> {
        let n = self.count()?;
        let own = self.take(n)?;
        if most > MOST {
            return None;
        }
        let (chunks, rest) = own.split_first()?;
        if *chunks == 0 {
            return lz4_flex::block::decompress(rest, most).ok();
        }
        let (mut out, mut rest) = (vec![], At { all: rest, at: 0 });
        for _ in 0..*chunks {
            let n = rest.word()? as usize;
            out.extend(lz4_flex::block::decompress(rest.take(n)?, most - out.len()).ok()?);
        }
        Some(out)
    }

    /// Numbers that are told by their ways from each to the next, of 4 bytes each or of 8.
    fn integers(&mut self, count: usize, long: bool) -> Option<Vec<i64>> {
        let each = if long { 8 } else { 4 };
        let codes = count.div_ceil(4);
        let bytes = self.packed(each + codes + count.checked_mul(each)?)?;
        let mut from = At { all: &bytes, at: 0 };
        let read = |from: &mut At, n: usize| -> Option<i64> {
            let own = from.take(n)?;
            Some(match n {
                1 => i64::from(own[0].cast_signed()),
                2 => i64::from(i16::from_le_bytes(own.try_into().ok()?)),
                4 => i64::from(i32::from_le_bytes(own.try_into().ok()?)),
                _ => i64::from_le_bytes(own.try_into().ok()?),
            })
        };
        let common = read(&mut from, each)?;
        let codes = from.take(codes)?;
        let mut before = 0i64;
        let mut out = Vec::with_capacity(count);
        for k in 0..count {
            let way = match codes[k / 4] >> (2 * (k % 4)) & 3 {
                0 => common,
                1 => read(&mut from, if long { 2 } else { 1 })?,
                2 => read(&mut from, if long { 4 } else { 2 })?,
                _ => read(&mut from, each)?,
            };
            before = before.wrapping_add(way);
            if !long {
                before = i64::from(before as i32);
            }
            out.push(before);
        }
        Some(out)
    }
}

/// What stands at a path.
struct Thing {
    name: String,
    property: bool,
    within: Vec<usize>,
    fields: Vec<(String, u64)>,
}

struct Crate<'a> {
    bytes: &'a [u8],
    minor: u8,
    tokens: Vec<String>,
    strings: Vec<u32>,
    things: Vec<Thing>,
}

impl<'a> Crate<'a> {
    fn open(bytes: &'a [u8], minor: u8) -> Option<Crate<'a>> {
        let mut toc = At { all: bytes, at: 16 };
        toc.at = usize::try_from(toc.number()?).ok()?;
        let mut sections: HashMap<String, At> = HashMap::new();
        for _ in 0..toc.count()?.min(64) {
            let name = toc.take(16)?.iter().take_while(|b| **b != 0).map(|b| *b as char).collect();
            let from = usize::try_from(toc.number()?).ok()?;
            toc.number()?;
            sections.insert(name, At { all: bytes, at: from });
        }
        let of = |name: &str| sections.get(name).copied();
        let mut at = of("TOKENS")?;
        let count = at.count()?;
        let long = at.count()?;
        let text = at.packed(long)?;
        let tokens: Vec<String> =
            text.split(|b| *b == 0).take(count).map(|t| String::from_utf8_lossy(t).into_owned()).collect();
        let mut at = of("STRINGS")?;
        let strings = (0..at.count()?).map(|_| at.word()).collect::<Option<Vec<_>>>()?;
        let mut at = of("FIELDS")?;
        let count = at.count()?;
        let names = at.integers(count, false)?;
        let reps = at.packed(count.checked_mul(8)?)?;
        let rep = |k: usize| Some(u64::from_le_bytes(reps.get(8 * k..8 * k + 8)?.try_into().ok()?));
        let mut at = of("FIELDSETS")?;
        let count = at.count()?;
        let sets = at.integers(count, false)?;
        let mut at = of("PATHS")?;
        let all = at.count()?;
        let mut out = Crate { bytes, minor, tokens, strings, things: vec![] };
        let numbers = out.paths(&mut at, all)?;
        let mut at = of("SPECS")?;
        let count = at.count()?;
        let [paths, starts] = [at.integers(count, false)?, at.integers(count, false)?];
        for (path, start) in paths.iter().zip(starts) {
            let thing = *numbers.get(usize::try_from(*path).ok()?)?;
            let own = sets.get(usize::try_from(start).ok()?..)?.iter().take_while(|k| **k >= 0);
            for k in own {
                let k = usize::try_from(*k).ok()?;
                let name = out.tokens.get(usize::try_from(*names.get(k)?).ok()?)?.clone();
                out.things.get_mut(thing)?.fields.push((name, rep(k)?));
            }
        }
        Some(out)
    }

    /// All paths, as what stands within what; gives the number of what stands at each by the path's own.
    fn paths(&mut self, at: &mut At, all: usize) -> Option<Vec<usize>> {
        let count = at.count()?;
        let [paths, names, jumps] =
            [at.integers(count, false)?, at.integers(count, false)?, at.integers(count, false)?];
        let mut numbers = vec![usize::MAX; all];
        // What is still to be read: from where on, and within what.
        let mut todo: Vec<(usize, Option<usize>)> = vec![(0, None)];
        while let Some((mut k, parent)) = todo.pop() {
            let mut within = parent;
            while k < count && self.things.len() < count {
                let own = self.things.len();
                let name = self.tokens.get(usize::try_from(names[k].abs()).ok()?)?.clone();
                self.things.push(Thing { name, property: names[k] < 0, within: vec![], fields: vec![] });
                *numbers.get_mut(usize::try_from(paths[k]).ok()?)? = own;
                if let Some(p) = within {
                    self.things[p].within.push(own);
                }
                match jumps[k] {
                    -2 => break,
                    -1 => within = Some(own),
                    0 => {}
                    jump if jump > 0 => {
                        todo.push((k + usize::try_from(jump).ok()?, within));
                        within = Some(own);
                    }
                    _ => return None,
                }
                k += 1;
            }
        }
        Some(numbers)
    }

    fn field(&self, thing: usize, name: &str) -> Option<u64> {
        self.things[thing].fields.iter().find(|f| f.0 == name).map(|f| f.1)
    }

    fn token(&self, rep: u64) -> Option<&str> {
        self.tokens.get((rep & 0xffff_ffff) as usize).map(String::as_str)
    }

    fn told(&self) -> Option<String> {
        let mut out = String::from("#usda 1.0\n(\n");
        if let Some(unit) = self.field(0, "metersPerUnit") {
            let _ = writeln!(out, "    metersPerUnit = {}", self.value(unit)?);
        }
        if let Some(up) = self.field(0, "upAxis") {
            let _ = writeln!(out, "    upAxis = \"{}\"", self.token(up)?);
        }
        out.push_str(")\n");
        // Things to open, and closes in between.
        let mut todo: Vec<Option<usize>> =
            self.things.first()?.within.iter().rev().map(|k| Some(*k)).collect();
        while let Some(next) = todo.pop() {
            let Some(k) = next else {
                out.push_str("}\n");
                continue;
            };
            let thing = &self.things[k];
            if thing.property {
                continue;
            }
            let kind = self.field(k, "typeName").and_then(|t| self.token(t)).unwrap_or("");
            let _ = write!(out, "\ndef {kind} \"{}\"\n{{\n", thing.name);
            for p in thing.within.iter().filter(|p| self.things[**p].property) {
                self.attribute(*p, &mut out);
            }
            todo.push(None);
            todo.extend(thing.within.iter().rev().map(|k| Some(*k)));
            if out.len() > MOST {
                return None;
            }
        }
        Some(out)
    }

    /// An attribute, where its values are of kinds that are read.
    fn attribute(&self, k: usize, out: &mut String) {
        let Some(of) = self.field(k, "typeName").and_then(|t| self.token(t)) else { return };
        let name = &self.things[k].name;
        if let Some(value) = self.field(k, "default").and_then(|v| self.value(v)) {
            let _ = writeln!(out, "    {of} {name} = {value}");
        }
        let samples = self.field(k, "timeSamples").and_then(|v| self.samples(v)).unwrap_or_default();
        if !samples.is_empty() {
            let _ = writeln!(out, "    {of} {name}.timeSamples = {{");
            for (time, value) in samples {
                let _ = writeln!(out, "        {time}: {value},");
            }
            out.push_str("    }\n");
        }
    }

    fn samples(&self, rep: u64) -> Option<Vec<(f64, String)>> {
        let mut at = self.at(rep)?;
        let jump = |at: &mut At| -> Option<()> {
            let from = at.at;
            let by = usize::try_from(at.number()?).ok()?;
            at.at = from.checked_add(by)?;
            Some(())
        };
        jump(&mut at)?;
        let times = at.number()?;
        let mut own = self.at(times)?;
        let count = own.count()?;
        let times = (0..count).map(|_| own.number().map(f64::from_bits)).collect::<Option<Vec<_>>>()?;
        jump(&mut at)?;
        let count = at.count()?.min(count);
        let mut out = vec![];
        for time in times.into_iter().take(count) {
            let value = at.number()?;
            if let Some(told) = self.value(value) {
                out.push((time, told));
            }
        }
        Some(out)
    }

    /// Where a value is that is not told in its own place.
    fn at(&self, rep: u64) -> Option<At<'a>> {
        let at = usize::try_from(rep & 0xffff_ffff_ffff).ok()?;
        (at > 0 && at < self.bytes.len()).then_some(At { all: self.bytes, at })
    }

    /// A value as text; none of a kind that is not read.
    fn value(&self, rep: u64) -> Option<String> {
        let (kind, inlined, packed) = (rep >> 48 & 0xff, rep >> 62 & 1 == 1, rep >> 61 & 1 == 1);
        if rep >> 63 == 1 {
            return self.array(rep, kind, packed);
        }
        let bits = (rep & 0xffff_ffff) as u32;
        let small =
            |n: usize| (0..n).map(|k| f64::from((rep >> (8 * k) & 0xff) as u8 as i8)).collect::<Vec<_>>();
        Some(match (kind, inlined) {
            (1, true) => (bits & 1).to_string(),
            (3, true) => bits.cast_signed().to_string(),
            (8, true) => f32::from_bits(bits).to_string(),
            (9, true) => f32::from_bits(bits).to_string(),
            (9, false) => f64::from_bits(self.at(rep)?.number()?).to_string(),
            (10, true) => format!("\"{}\"", self.tokens.get(*self.strings.get(bits as usize)? as usize)?),
            (11, true) => format!("\"{}\"", self.token(rep)?),
            (23..=25, true) => tuple(&small(3)),
            (23, false) => tuple(&self.lie(rep, 3, 8)?),
            (24, false) => tuple(&self.lie(rep, 3, 4)?),
            (15, true) => {
                let d = small(4);
                let row = |k: usize| (0..4).map(|c| if c == k { d[k] } else { 0.0 }).collect::<Vec<_>>();
                format!("({})", (0..4).map(|k| tuple(&row(k))).collect::<Vec<_>>().join(", "))
            }
            (15, false) => {
                let all = self.lie(rep, 16, 8)?;
                format!("({})", all.chunks(4).map(tuple).collect::<Vec<_>>().join(", "))
            }
            _ => return None,
        })
    }

    fn lie(&self, rep: u64, count: usize, each: usize) -> Option<Vec<f64>> {
        let mut at = self.at(rep)?;
        (0..count).map(|_| real(at.take(each)?)).collect()
    }

    fn array(&self, rep: u64, kind: u64, packed: bool) -> Option<String> {
        if rep & 0xffff_ffff_ffff == 0 {
            return Some("[]".into());
        }
        let mut at = self.at(rep)?;
        if self.minor < 5 {
            at.word()?;
        }
        let count = if self.minor < 7 { at.word()? as usize } else { at.count()? };
        // So few are never packed.
        let packed = packed && count >= 16;
        let join = |all: Vec<String>| format!("[{}]", all.join(", "));
        let (parts, each) = match kind {
            3..=6 => {
                let long = kind > 4;
                let all: Vec<i64> = if packed {
                    at.integers(count, long)?
                } else if long {
                    (0..count).map(|_| at.number().map(u64::cast_signed)).collect::<Option<_>>()?
                } else {
                    (0..count)
                        .map(|_| at.word().map(|w| i64::from(w.cast_signed())))
                        .collect::<Option<_>>()?
                };
                return Some(join(all.iter().map(ToString::to_string).collect()));
            }
            11 => {
                let word = |_| Some(format!("\"{}\"", self.tokens.get(at.word()? as usize)?));
                return Some(join((0..count).map(word).collect::<Option<_>>()?));
            }
            7..=9 if packed => {
                let each = [2, 4, 8][kind as usize - 7];
                let all: Vec<f64> = match at.take(1)?[0] {
                    b'i' => at.integers(count, false)?.into_iter().map(|v| v as f64).collect(),
                    b't' => {
                        let n = at.word()? as usize;
                        let known = (0..n).map(|_| real(at.take(each)?)).collect::<Option<Vec<_>>>()?;
                        let which = at.integers(count, false)?;
                        let of = |k: &i64| known.get(usize::try_from(*k).ok()?).copied();
                        which.iter().map(of).collect::<Option<_>>()?
                    }
                    _ => return None,
                };
                return Some(join(all.iter().map(ToString::to_string).collect()));
            }
            7 => (1, 2),
            8 => (1, 4),
            9 => (1, 8),
            19 => (2, 8),
            20 => (2, 4),
            21 => (2, 2),
            23 => (3, 8),
            24 => (3, 4),
            25 => (3, 2),
            _ => return None,
        };
        let mut bytes = At { all: at.take(count.checked_mul(parts * each)?)?, at: 0 };
        let mut out = String::with_capacity(count * parts * 12);
        out.push('[');
        for k in 0..count {
            let own = (0..parts).map(|_| real(bytes.take(each)?)).collect::<Option<Vec<_>>>()?;
            if k > 0 {
                out.push_str(", ");
            }
            match own[..] {
                [one] => {
                    let _ = write!(out, "{one}");
                }
                _ => out.push_str(&tuple(&own)),
            }
        }
        out.push(']');
        Some(out)
    }
}

fn tuple(all: &[f64]) -> String {
    format!("({})", all.iter().map(ToString::to_string).collect::<Vec<_>>().join(", "))
}

/// A number of 2, 4 or 8 bytes.
fn real(bytes: &[u8]) -> Option<f64> {
    Some(match bytes.len() {
        2 => f64::from(f16::from_le_bytes(bytes.try_into().ok()?)),
        4 => f64::from(f32::from_le_bytes(bytes.try_into().ok()?)),
        _ => f64::from_le_bytes(bytes.try_into().ok()?),
    })
}
