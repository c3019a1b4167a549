//! Strands before they move.
use crate::body::BuildError;

/// Strands one after the other, each from its root to its tip; or plants, which branch. Arrays are by point.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct StrandRest {
    /// Where each point starts, metres.
    pub positions: Vec<[f32; 3]>,
    /// Where they are in the shape that lengths and bends are measured from; empty where they start.
    pub shape: Vec<[f32; 3]>,
    /// How many points each strand has, at least 2.
    pub counts: Vec<u32>,
    /// Of what branches, the point that each comes after, by its number in its own plant and below its own; empty where each comes after
    /// the one before it. Numbers of a point are then those of the segment that leads to it, all along.
    pub up: Vec<u32>,
    pub held: Vec<bool>,
    /// Whether an end that is held is held in its turn too.
    pub set: bool,
    /// kg/m, above 0.
    pub line_density: Vec<f32>,
    /// N: a pull of so much would make it twice as long.
    pub stretch: Vec<f32>,
    /// N·m², of bends and of twist.
    pub bend: Vec<f32>,
    pub twist: Vec<f32>,
    /// How thick it is, metres, and how far others are kept from its middle.
    pub width: Vec<f32>,
    pub radius: Vec<f32>,
    /// Drag coefficient of a cylinder across the flow, and the share of it that acts along.
    pub drag: f32,
    pub along: f32,
    /// What drag and friction are multiplied by for each; empty is 1 for all.
    pub over: [Vec<f32>; 2],
    /// 1/s.
    pub damping: f32,
    /// How long what is elastic about a bend resists its change, seconds (Kelvin and Voigt): a frequency f dies away by pi f times that.
    pub inner: f32,
    /// Under what gravity it stands as it starts, m/s²; none where its shape is that without weight.
    pub stands: Option<[f32; 3]>,
    /// What points carry beside their segments, kg; empty where none does.
    pub lumps: Vec<f32>,
    /// The thin plates at the ends of segments, m², and how much they catch of what comes from ahead; empty where there are none.
    pub blades: Vec<f32>,
    pub blade_drag: f32,
    /// Coulomb; the larger of this and the other's acts.
    pub friction: f32,
    /// What ties them in clumps, where anything does.
    pub clumps: Option<ClumpRest>,
    /// Whether points may let go, and leave.
    pub lets_go: bool,
    /// From which of its points on each strand touches others: before that it stands in what it grows from. Empty where all of them do.
    pub rooted: Vec<u32>,
}

/// What ties strands in clumps: at each point a spring to the middle of the clump's points of that number, as long as it was at first, or a
/// share of that.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ClumpRest {
    /// The clump of each strand.
    pub of: Vec<u32>,
    /// N/m, by a point's number in its strand, from the root on; none beyond.
    pub stiffness: Vec<f32>,
    pub wide: f32,
}

impl StrandRest {
    /// The first point of each strand, and how many it has.
    pub fn strands(&self) -> impl Iterator<Item = (usize, usize)> + '_ {
        self.counts.iter().scan(0, |from, count| {
            let at = *from;
            *from += *count as usize;
            Some((at, *count as usize))
        })
    }

    /// Each segment by its two points, the nearer to the root first.
    pub fn segments(&self) -> impl Iterator<Item = [usize; 2]> + '_ {
        let of = move |(from, count)| (from + 1..from + count).map(move |k| [from + self.before(from, k), k]);
        self.strands().flat_map(of)
    }

    /// The point before another, as numbered in its strand that begins at `from`.
    pub(super) fn before(&self, from: usize, point: usize) -> usize {
        self.up.get(point).map_or(point - from - 1, |up| *up as usize)
    }

    /// A number at both ends of a segment.
    pub fn at_ends(&self, of: &[f32], [near, far]: [usize; 2]) -> [f64; 2] {
        let near = if self.up.is_empty() { near } else { far };
        [near, far].map(|k| f64::from(of[k]))
    }

    /// Where a point is in that shape.
    pub fn shape_at(&self, point: usize) -> [f32; 3] {
        self.shape()[point]
    }

    /// Where the points are in the shape that lengths and bends are measured from.
    pub(super) fn shape(&self) -> &Vec<[f32; 3]> {
        if self.shape.is_empty() { &self.positions } else { &self.shape }
    }

    pub(super) fn check(&self) -> Result<(), BuildError> {
        let StrandRest {
            positions,
            shape,
            counts,
            up,
            held,
            set: _,
            line_density,
            stretch,
            bend,
            twist,
            width,
            radius,
            drag,
            along,
            over,
            damping,
            inner,
            stands,
            lumps,
            blades,
            blade_drag,
            friction,
            clumps,
            lets_go: _,
            rooted,
        } = self;
        let n = positions.len();
        if n == 0 || counts.is_empty() {
            return Err(BuildError::Empty("strand"));
        }
        if counts.iter().any(|c| *c < 2) {
            return Err(BuildError::Empty("strand of two points"));
        }
        let lengths = [
            ("held", held.len()),
            ("the points of strands", counts.iter().map(|c| *c as usize).sum()),
            ("line density", line_density.len()),
            ("stretch", stretch.len()),
            ("bend", bend.len()),
            ("twist", twist.len()),
            ("width", width.len()),
            ("radius", radius.len()),
        ];
        if let Some((what, found)) = lengths.into_iter().find(|(_, found)| *found != n) {
            return Err(BuildError::Lengths { what, found, expected: n });
        }
        let some = [
            ("drag by a map", &over[0]),
            ("friction by a map", &over[1]),
            ("lumps", lumps),
            ("blades", blades),
        ];
        for (what, list) in some {
            if !list.is_empty() && list.len() != n {
                return Err(BuildError::Lengths { what, found: list.len(), expected: n });
            }
            refuse(what, list, "not below 0", |v| v >= 0.0)?;
        }
        if !shape.is_empty() && shape.len() != n {
            return Err(BuildError::Lengths { what: "the rest shape", found: shape.len(), expected: n });
        }
        if let Some(point) = positions.iter().chain(shape).position(|p| p.iter().any(|c| !c.is_finite())) {
            return Err(BuildError::NotFinite { point: point % n });
        }
        let solid =
            [("line density", line_density), ("stretch", stretch), ("width", width), ("radius", radius)];
        for (what, list) in solid {
            refuse(what, list, "above 0", |v| v > 0.0)?;
        }
        for (what, list) in [("bend", bend), ("twist", twist)] {
            refuse(what, list, "not below 0", |v| v >= 0.0)?;
        }
        let one = [
            ("drag", drag),
            ("along", along),
            ("damping", damping),
            ("inner damping", inner),
            ("drag of blades", blade_drag),
            ("friction", friction),
        ];
        for (what, value) in one {
            refuse(what, &[*value], "not below 0", |v| v >= 0.0)?;
        }
        if let Some(ClumpRest { of, stiffness, wide }) = clumps {
            if of.len() != counts.len() {
                return Err(BuildError::Lengths { what: "clumps", found: of.len(), expected: counts.len() });
            }
            refuse("ties of a clump", stiffness, "not below 0", |v| v >= 0.0)?;
            refuse("how wide a clump is", &[*wide], "not below 0", |v| v >= 0.0)?;
        }
        if !up.is_empty() && up.len() != n {
            return Err(BuildError::Lengths { what: "what points come after", found: up.len(), expected: n });
        }
        for (from, count) in self.strands() {
            if let Some(point) = (from + 1..from + count).find(|k| self.before(from, *k) >= k - from) {
                return Err(BuildError::NoWay { point });
            }
        }
        if stands.is_some_and(|g| g.iter().any(|c| !c.is_finite())) {
            return Err(BuildError::Matter { what: "gravity", value: f32::NAN, limit: "a number" });
        }
        if !rooted.is_empty() && rooted.len() != counts.len() {
            return Err(BuildError::Lengths { what: "roots", found: rooted.len(), expected: counts.len() });
        }
        let none = |[a, b]: &[usize; 2]| [positions, self.shape()].iter().any(|p| apart(p[*a], p[*b]) < 1e-9);
        match self.segments().find(none) {
            Some([point, _]) => Err(BuildError::NoLength { point }),
            None => Ok(()),
        }
    }
}

fn refuse(
    what: &'static str,
    list: &[f32],
    limit: &'static str,
    good: impl Fn(f32) -> bool,
) -> Result<(), BuildError> {
    match list.iter().find(|v| !(v.is_finite() && good(**v))) {
        Some(&value) => Err(BuildError::Matter { what, value, limit }),
        None => Ok(()),
    }
}

pub(super) fn apart(a: [f32; 3], b: [f32; 3]) -> f64 {
    (0..3).map(|c| (f64::from(b[c]) - f64::from(a[c])).powi(2)).sum::<f64>().sqrt()
}
