//! What a USD layer is made of, whichever way it is written.
use crate::motion::{Frame, Unit, Up};
use std::io::Result;

/// A value, as long as its attribute's type says.
#[derive(Clone, Debug)]
pub(crate) enum Data {
    Token(String),
    Tokens(Vec<String>),
    Asset(String),
    Text(String),
    Bool(bool),
    Float(f32),
    Double(f64),
    Double3([f64; 3]),
    Ints(Vec<u32>),
    Longs(Vec<u64>),
    Floats(Vec<f32>),
    Pairs(Vec<[f32; 2]>),
    Triples(Vec<[f32; 3]>),
    /// Turns in half precision: x, y, z, w.
    Turns(Vec<[f32; 4]>),
}

/// An attribute: its type and name, and what is told of it.
#[derive(Clone, Copy)]
pub(crate) struct Attribute<'a> {
    pub of: &'a str,
    pub name: &'a str,
    pub uniform: bool,
    pub interpolation: Option<&'a str>,
}

impl<'a> Attribute<'a> {
    pub fn new(of: &'a str, name: &'a str) -> Attribute<'a> {
        Attribute { of, name, uniform: false, interpolation: None }
    }

    pub fn uniform(of: &'a str, name: &'a str) -> Attribute<'a> {
        Attribute { uniform: true, ..Attribute::new(of, name) }
    }

    pub fn each(self, interpolation: &'a str) -> Attribute<'a> {
        Attribute { interpolation: Some(interpolation), ..self }
    }
}

/// What stands before all of it.
pub(crate) struct Head<'a> {
    pub root: &'a str,
    pub unit: Unit,
    pub up: Up,
    pub first: i64,
    pub last: i64,
    pub rate: f64,
}

/// A value at each of some frames.
pub(crate) type Samples<'a> = &'a mut dyn Iterator<Item = Result<(i64, Data)>>;

/// A layer while it is written, from its head on: things within each other, each with its attributes before those within it.
pub(crate) trait Layer {
    fn head(&mut self, head: &Head) -> Result<()>;
    fn open(&mut self, kind: &str, name: &str, schema: Option<&str>) -> Result<()>;
    fn close(&mut self) -> Result<()>;
    fn set(&mut self, attribute: Attribute, value: Data) -> Result<()>;
    /// That there is an attribute, whose values are elsewhere or come next.
    fn declare(&mut self, attribute: Attribute) -> Result<()>;
    fn samples(&mut self, attribute: Attribute, samples: Samples) -> Result<()>;
    /// An attribute that has the value of another one.
    fn connect(&mut self, attribute: Attribute, to: &str) -> Result<()>;
    fn relate(&mut self, name: &str, to: &str, listed: bool) -> Result<()>;
    fn end(&mut self) -> Result<()>;
}

/// Frames by their numbers, each as it is told.
pub(crate) fn numbered<'a>(
    numbers: impl Iterator<Item = i64> + 'a,
    frames: impl Iterator<Item = Frame> + 'a,
    told: impl Fn(Vec<[f32; 3]>) -> Data + 'a,
) -> impl Iterator<Item = Result<(i64, Data)>> + 'a {
    numbers.zip(frames).map(move |(n, f)| Ok((n, told(f?))))
}
