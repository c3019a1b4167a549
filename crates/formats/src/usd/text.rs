//! A USD layer as text (`.usda`).
use super::layer::{Attribute, Data, Head, Layer, Samples};
use std::fmt::Display;
use std::io::{Result, Write};

pub(crate) struct Text<'w> {
    sink: &'w mut dyn Write,
    deep: usize,
}

impl<'w> Text<'w> {
    pub fn new(sink: &'w mut dyn Write) -> Text<'w> {
        Text { sink, deep: 0 }
    }

    fn pad(&self) -> String {
        "    ".repeat(self.deep)
    }
}

impl Layer for Text<'_> {
    fn head(&mut self, head: &Head) -> Result<()> {
        let Head { root, unit, up, first, last, rate } = head;
        write!(
            self.sink,
            "#usda 1.0\n(\n    defaultPrim = \"{root}\"\n    metersPerUnit = {}\n    upAxis = \"{up:?}\"\n    \
             startTimeCode = {first}\n    endTimeCode = {last}\n    timeCodesPerSecond = {rate}\n    \
             framesPerSecond = {rate}\n)\n\n",
            1.0 / unit.per_metre(),
        )
    }

    fn open(&mut self, kind: &str, name: &str, schema: Option<&str>) -> Result<()> {
        let pad = self.pad();
        let schemas = schema
            .map_or_else(String::new, |s| format!(" (\n{pad}    prepend apiSchemas = [\"{s}\"]\n{pad})"));
        self.deep += 1;
        write!(self.sink, "{pad}def {kind} \"{name}\"{schemas}\n{pad}{{\n")
    }

    fn close(&mut self) -> Result<()> {
        self.deep -= 1;
        writeln!(self.sink, "{}}}", self.pad())
    }

    fn set(&mut self, attribute: Attribute, value: Data) -> Result<()> {
        write!(self.sink, "{}{} = ", self.pad(), named(&attribute))?;
        told(self.sink, &value)?;
        if let Some(i) = attribute.interpolation {
            let pad = self.pad();
            write!(self.sink, " (\n{pad}    interpolation = \"{i}\"\n{pad})")?;
        }
        writeln!(self.sink)
    }

    fn declare(&mut self, attribute: Attribute) -> Result<()> {
        let pad = self.pad();
        match attribute.interpolation {
            Some(i) => {
                writeln!(self.sink, "{pad}{} (\n{pad}    interpolation = \"{i}\"\n{pad})", named(&attribute))
            }
            None => writeln!(self.sink, "{pad}{}", named(&attribute)),
        }
    }

    fn samples(&mut self, attribute: Attribute, samples: Samples) -> Result<()> {
        let pad = self.pad();
        writeln!(self.sink, "{pad}{}.timeSamples = {{", named(&attribute))?;
        for sample in samples {
            let (number, value) = sample?;
            write!(self.sink, "{pad}    {number}: ")?;
            told(self.sink, &value)?;
            writeln!(self.sink, ",")?;
        }
        writeln!(self.sink, "{pad}}}")
    }

    fn connect(&mut self, attribute: Attribute, to: &str) -> Result<()> {
        writeln!(self.sink, "{}{}.connect = <{to}>", self.pad(), named(&attribute))
    }

    fn relate(&mut self, name: &str, to: &str, listed: bool) -> Result<()> {
        let to = if listed { format!("[<{to}>]") } else { format!("<{to}>") };
        writeln!(self.sink, "{}rel {name} = {to}", self.pad())
    }

    fn end(&mut self) -> Result<()> {
        Ok(())
    }
}

fn named(a: &Attribute) -> String {
    format!("{}{} {}", if a.uniform { "uniform " } else { "" }, a.of, a.name)
}

fn told(sink: &mut dyn Write, value: &Data) -> Result<()> {
    match value {
        Data::Token(t) | Data::Text(t) => write!(sink, "\"{t}\""),
        Data::Tokens(all) => list(sink, all.iter().map(|t| format!("\"{t}\""))),
        Data::Asset(path) => write!(sink, "@{path}@"),
        Data::Bool(b) => write!(sink, "{}", i32::from(*b)),
        Data::Float(v) => write!(sink, "{v}"),
        Data::Double(v) => write!(sink, "{v}"),
        Data::Double3([x, y, z]) => write!(sink, "({x}, {y}, {z})"),
        Data::Ints(all) => list(sink, all.iter()),
        Data::Longs(all) => list(sink, all.iter()),
        Data::Floats(all) => list(sink, all.iter()),
        Data::Pairs(all) => tuples(sink, all),
        Data::Triples(all) => tuples(sink, all),
        Data::Turns(all) => {
            list(sink, all.iter().map(|[x, y, z, w]| format!("({w:.4}, {x:.4}, {y:.4}, {z:.4})")))
        }
    }
}

fn list(sink: &mut dyn Write, items: impl Iterator<Item = impl Display>) -> Result<()> {
    write!(sink, "[")?;
    for (k, item) in items.enumerate() {
        write!(sink, "{}{item}", if k == 0 { "" } else { ", " })?;
    }
    write!(sink, "]")
}

fn tuples<const N: usize>(sink: &mut dyn Write, all: &[[f32; N]]) -> Result<()> {
    // The shortest digits that read back as the same number, as `Display` has them, without its detours.
    write!(sink, "[")?;
    let mut digits = ryu::Buffer::new();
    for (k, p) in all.iter().enumerate() {
        sink.write_all(if k == 0 { b"(" } else { b", (" })?;
        for (c, v) in p.iter().enumerate() {
            if c > 0 {
                sink.write_all(b", ")?;
            }
            let text = digits.format(*v);
            sink.write_all(text.strip_suffix(".0").unwrap_or(text).as_bytes())?;
        }
        sink.write_all(b")")?;
    }
    write!(sink, "]")
}
