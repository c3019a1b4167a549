//! USD text, as far as meshes and curves need it: what is defined, within what, where it stands, and its lists of numbers.
use crate::ReadError;
use glam::{DMat4, DVec3, EulerRot};

/// What stands after `NAME =` on a line.
fn said<'a>(text: &'a str, name: &str) -> Option<&'a str> {
    text.lines().find_map(|l| Some(l.trim().strip_prefix(name)?.trim_start().strip_prefix('=')?.trim()))
}

pub(crate) fn numbers(text: &str) -> Option<Vec<f64>> {
    let words = text.split(|c: char| c == ',' || c == '(' || c == ')' || c.is_whitespace());
    words.filter(|w| !w.is_empty()).map(|w| w.parse().ok()).collect()
}

/// A thing that a USD text defines, without those within it, which come after it.
pub(crate) struct Block {
    pub kind: String,
    pub name: String,
    pub body: String,
    parent: Option<usize>,
}

impl Block {
    /// What stands between the brackets after any of some names; not the samples of the same.
    pub fn list(&self, names: &[&str]) -> Option<&str> {
        names.iter().find_map(|name| {
            self.body.match_indices(name).find_map(|(at, _)| {
                let after = self.body[at + name.len()..].trim_start().strip_prefix('=')?;
                let after = after.trim_start().strip_prefix('[')?;
                Some(&after[..after.find(']')?])
            })
        })
    }

    /// What a name's samples in time are, each with its time, in the order that they stand in.
    pub fn samples(&self, name: &str) -> Option<Vec<(f64, &str)>> {
        let name = format!("{name}.timeSamples");
        let from = self.body.find(&name)? + name.len();
        let inner = self.body[from..].trim_start().strip_prefix('=')?.trim_start().strip_prefix('{')?;
        let mut rest = &inner[..inner.find('}').unwrap_or(inner.len())];
        let mut out = vec![];
        while let Some((time, after)) = rest.split_once(':') {
            let time = time.trim_matches(|c: char| c == ',' || c.is_whitespace()).parse().ok()?;
            let after = after.trim_start().strip_prefix('[')?;
            let end = after.find(']')?;
            out.push((time, &after[..end]));
            rest = &after[end + 1..];
        }
        Some(out)
    }
}

/// All that a USD text defines, each with where it stands, in metres with y up.
pub(crate) fn things(text: &str) -> Result<Vec<(Block, DMat4)>, ReadError> {
    if !text.starts_with("#usda") {
        return Err(ReadError::Usd("it does not begin with #usda".into()));
    }
    let head = &text[..text.find("\ndef ").unwrap_or(text.len())];
    let unit = said(head, "metersPerUnit").and_then(|v| v.parse().ok()).unwrap_or(0.01);
    let up = match said(head, "upAxis").is_some_and(|v| v.contains('Z')) {
        true => DMat4::from_rotation_x(-std::f64::consts::FRAC_PI_2),
        false => DMat4::IDENTITY,
    };
    let world = DMat4::from_scale(DVec3::splat(unit)) * up;
    let mut stands: Vec<DMat4> = vec![];
    let blocks = blocks(text);
    for block in &blocks {
        let parent = block.parent.map_or(world, |p| stands[p]);
        stands.push(parent * local(&block.body)?);
    }
    Ok(blocks.into_iter().zip(stands).collect())
}

fn blocks(text: &str) -> Vec<Block> {
    let mut out: Vec<Block> = vec![];
    // Open braces: of a thing, or of something else.
    let mut open: Vec<Option<usize>> = vec![];
    let mut next: Option<(String, String)> = None;
    for line in text.lines() {
        let mut words = line.split_whitespace();
        if words.next() == Some("def") {
            let kind = words.next().filter(|w| !w.starts_with('"')).unwrap_or_default().to_owned();
            next = Some((kind, line.split('"').nth(1).unwrap_or_default().to_owned()));
        }
        let own = open.iter().rev().flatten().next().copied();
        if let (Some(k), None) = (own, &next) {
            out[k].body.push_str(line);
            out[k].body.push('\n');
        }
        let mut quoted = false;
        for c in line.chars() {
            match c {
                '"' => quoted = !quoted,
                '{' if !quoted => match next.take() {
                    Some((kind, name)) => {
                        let parent = open.iter().rev().flatten().next().copied();
                        out.push(Block { kind, name, body: String::new(), parent });
                        open.push(Some(out.len() - 1));
                    }
                    None => open.push(None),
                },
                '}' if !quoted => drop(open.pop()),
                _ => {}
            }
        }
    }
    out
}

/// What a thing's own transforms do, in their order.
fn local(body: &str) -> Result<DMat4, ReadError> {
    let Some(order) = body.lines().find(|l| l.contains("xformOpOrder")) else { return Ok(DMat4::IDENTITY) };
    let mut out = DMat4::IDENTITY;
    for op in order.split('"').skip(1).step_by(2) {
        let value = body.lines().find(|l| l.contains(op) && !l.contains("xformOpOrder"));
        let values = value.and_then(|l| numbers(l.split_once('=')?.1)).unwrap_or_default();
        let three = || (values.len() == 3).then(|| DVec3::new(values[0], values[1], values[2]));
        let turns = |axes: EulerRot| {
            let r = three()?.map(f64::to_radians);
            Some(DMat4::from_euler(axes, r.z, r.y, r.x))
        };
        let one = |axis: fn(f64) -> DMat4| values.first().map(|v| axis(v.to_radians()));
        let kind = op.trim_start_matches("xformOp:").split(':').next().unwrap_or_default();
        let did = match kind {
            "translate" => three().map(DMat4::from_translation),
            "scale" => three().map(DMat4::from_scale),
            "rotateXYZ" => turns(EulerRot::ZYX),
            "rotateX" => one(DMat4::from_rotation_x),
            "rotateY" => one(DMat4::from_rotation_y),
            "rotateZ" => one(DMat4::from_rotation_z),
            "transform" => <[f64; 16]>::try_from(values.clone()).ok().map(|m| DMat4::from_cols_array(&m)),
            _ => None,
        };
        let did = did.ok_or_else(|| ReadError::Usd(format!("something stands by \"{kind}\", which isn't read or is not one number a frame: place it by translate, rotateXYZ and scale")))?;
        out *= did;
    }
    Ok(out)
}
