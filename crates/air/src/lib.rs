//! What acts through space: each kind of field in one file, with its numbers as a scene says them, its law, its source
//! and its test. A kind is added by its file and its line in [`kinds!`].
//!
//! A kind has three forms: as a scene says it ([`Kind`], numbers that may move), at a moment ([`Now`], plain numbers of
//! which fingerprints are made), and ready to be asked at eight places at a time ([`Flow`]).

mod column;
mod gravity;
mod nearest;
mod outline;
mod pull;
mod shelter;
mod skin;
mod stand;
mod stream;
mod turbulence;
mod vortex;
mod wind;
pub mod word;
mod zone;

pub use column::{Across, Along, ColumnNow, Within};
pub use gravity::GravityNow;
pub use outline::{Bead, Line, Outline};
pub use pull::{Law, PullNow, Toward};
pub use shelter::{Obstacle, ShelterNow};
pub use skin::{Laid, Pattern, SkinNow, Surface, SurfaceOf};
pub use stand::Stand;
pub use stream::{StreamNow, curve};
pub use turbulence::TurbulenceNow;
pub use vortex::VortexNow;
pub use wind::WindNow;
pub use zone::{Profile, ZoneForm, ZoneNow};

use nematon_motion::Moment;
use nematon_simd::{F8, V8};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// A kind of field as a scene says it.
pub trait Kind: Sized {
    type Now: Now;
    /// Whether it acts about a place of its own, in whose coordinates its law is; else it is the same everywhere.
    const PLACED: bool = false;
    /// Whether it can be moved and turned as a whole; else the scene says where it is.
    const STANDS: bool = true;
    /// Whether it pushes what it meets, unless it is told to move air.
    const PUSHES: bool = false;
    /// One as it begins when it is added.
    fn begin() -> Self;
    /// What it is at a moment, a `share` of it, 0 to 1.
    fn at(&self, moment: &Moment, share: f64) -> Self::Now;
}

/// A kind of field at a moment.
pub trait Now {
    type Flow: Flow;
    /// Whether it slows the air that all others move, and moves none.
    const SLOWS: bool = false;
    /// Takes in what of the scene it follows from.
    fn meet(&mut self, _around: &Around) {}
    /// Writes down all that it is.
    fn mark(&self, to: &mut Marks);
    /// Ready at a time, seconds from the first frame.
    fn flow(&self, time: f64) -> Self::Flow;
    /// An acceleration that is the same everywhere, m/s², where it pulls and moves no air.
    fn pull(&self) -> Option<[f32; 3]> {
        None
    }
    /// What is drawn of it about its own origin.
    fn outline(&self) -> Outline {
        Outline::default()
    }
    /// About how fast its air is at most, m/s.
    fn speed(&self) -> f32 {
        0.0
    }
}

/// A kind of field that can be asked.
pub trait Flow {
    /// Velocity of its air at eight places, m/s, or the acceleration that it pushes with, m/s²; of one that stands somewhere,
    /// in its own coordinates.
    fn velocity(&self, x: V8) -> V8;
    /// What it leaves of the air that others move, 0 to 1.
    #[inline(always)]
    fn leaves(&self, _: V8) -> F8 {
        F8::splat(1.0)
    }
}

/// What of a scene a field may follow from.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Around {
    /// The winds' mean velocity, m/s.
    pub wind: [f32; 3],
    pub obstacles: Vec<Obstacle>,
}

/// What a field does with what it meets.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum By {
    /// Moves air, which drags and lifts by how fast it is beside the body: it has a limit of its own.
    Air,
    /// Pushes, as weight does: an acceleration, whatever the body does.
    Push,
    /// Pushes with a force on every square metre, pascals, whichever way that faces: what is light gives way more.
    Force,
}

/// How one zone more limits a field.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Joins {
    /// Where both are.
    #[default]
    Both,
    /// Where either is.
    Either,
}

/// 0 below 0, 1 above 1, a smooth step between.
#[inline(always)]
fn smooth(t: F8) -> F8 {
    let t = t.unit_clamp();
    t * t * (F8::splat(3.0) - F8::splat(2.0) * t)
}

/// Numbers in the order in which a fingerprint takes them.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Marks(pub Vec<u8>);

impl Marks {
    pub fn words(&mut self, n: &[u32]) {
        n.iter().for_each(|n| self.0.extend(n.to_le_bytes()));
    }
    pub fn numbers(&mut self, n: &[f32]) {
        n.iter().for_each(|n| self.0.extend(n.to_bits().to_le_bytes()));
    }
}

macro_rules! kinds {
    ($($(#[doc = $doc:literal])* $kind:ident in $file:ident,)*) => {
        $(pub use $file::$kind;)*

        /// What a field does.
        #[allow(clippy::large_enum_variant, reason = "there are as many as fields")]
        #[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
        #[serde(rename_all = "lowercase")]
        pub enum Act {
            $($(#[doc = $doc])* $kind($kind),)*
        }

        /// What a field does at a moment.
        #[derive(Clone, Debug, PartialEq)]
        pub enum ActNow {
            $($kind(<$kind as Kind>::Now),)*
        }

        enum Ready {
            $($kind(<<$kind as Kind>::Now as Now>::Flow),)*
        }

        impl Act {
            /// One of each kind, as it begins, in the order in which all their air is summed.
            pub fn all() -> Vec<Act> {
                vec![$(Act::$kind($kind::begin()),)*]
            }
            pub fn at(&self, moment: &Moment, share: f64) -> ActNow {
                match self { $(Act::$kind(k) => ActNow::$kind(k.at(moment, share)),)* }
            }
            /// By number, in the order of [`Act::all`].
            pub fn rank(&self) -> usize {
                let names = [$(stringify!($kind)),*];
                let own = match self { $(Act::$kind(_) => stringify!($kind),)* };
                names.iter().position(|n| *n == own).unwrap_or(0)
            }
            /// What it does unless it is told otherwise.
            pub fn by(&self) -> By {
                let pushes = match self { $(Act::$kind(_) => <$kind as Kind>::PUSHES,)* };
                if pushes { By::Push } else { By::Air }
            }
            /// Whether it can be moved and turned as a whole.
            pub fn can_stand(&self) -> bool {
                match self { $(Act::$kind(_) => <$kind as Kind>::STANDS,)* }
            }
            pub fn is_placed(&self) -> bool {
                match self { $(Act::$kind(_) => <$kind as Kind>::PLACED,)* }
            }
        }

        impl ActNow {
            pub fn mark(&self, to: &mut Marks) {
                match self { $(ActNow::$kind(k) => k.mark(to),)* }
            }
            pub fn pull(&self) -> Option<[f32; 3]> {
                match self { $(ActNow::$kind(k) => k.pull(),)* }
            }
            pub fn speed(&self) -> f32 {
                match self { $(ActNow::$kind(k) => k.speed(),)* }
            }
            fn outline(&self) -> Outline {
                match self { $(ActNow::$kind(k) => k.outline(),)* }
            }
            /// Takes in what of the scene it follows from.
            pub fn meet(&mut self, around: &Around) {
                match self { $(ActNow::$kind(k) => k.meet(around),)* }
            }
            fn slows(&self) -> bool {
                match self { $(ActNow::$kind(_) => <<$kind as Kind>::Now as Now>::SLOWS,)* }
            }
            fn ready(&self, time: f64) -> Ready {
                match self { $(ActNow::$kind(k) => Ready::$kind(k.flow(time)),)* }
            }
        }

        impl Ready {
            #[inline(always)]
            fn velocity(&self, x: V8) -> V8 {
                match self { $(Ready::$kind(k) => k.velocity(x),)* }
            }
            #[inline(always)]
            fn leaves(&self, x: V8) -> F8 {
                match self { $(Ready::$kind(k) => k.leaves(x),)* }
            }
        }

        $(impl From<<$kind as Kind>::Now> for FieldNow {
            /// Everywhere, on all bodies, as its kind does.
            fn from(now: <$kind as Kind>::Now) -> FieldNow {
                let by = if <$kind as Kind>::PUSHES { By::Push } else { By::Air };
                FieldNow { act: ActNow::$kind(now), by, stand: None, zones: vec![], only: None, times: 1.0 }
            }
        })*
    };
}

kinds! {
    /// A steady pull straight down.
    Gravity in gravity,
    /// Air that moves one way, with gusts.
    Wind in wind,
    /// Swirling air without sources or sinks.
    Turbulence in turbulence,
    /// Air that turns about an axis.
    Vortex in vortex,
    /// A pull to its place or away from it.
    Pull in pull,
    /// Air that lifts along an axis, swirls around it and spreads from it, within a form.
    Column in column,
    /// Air along a curve.
    Stream in stream,
    /// A surface that pushes along its normals.
    Skin in skin,
    /// What stands in the wind slows the air behind it.
    Shelter in shelter,
}

/// A field at a moment: what it does, where, and on whom.
#[derive(Clone, Debug, PartialEq)]
pub struct FieldNow {
    pub act: ActNow,
    pub by: By,
    /// Where it stands, if it does.
    pub stand: Option<Stand>,
    /// Where it acts, each joined to those before it; everywhere if there is none.
    pub zones: Vec<(ZoneNow, Joins)>,
    /// Numbers of the bodies of an island on which it acts; all if left out.
    pub only: Option<Vec<usize>>,
    /// What all that it does is multiplied by, its pattern staying as it is.
    pub times: f32,
}

impl FieldNow {
    /// Writes down all that it is.
    pub fn mark(&self, to: &mut Marks) {
        let FieldNow { act, by, stand, zones, only, times } = self;
        act.mark(to);
        // Those that pushed were told elsewhere once.
        match by {
            By::Air => {}
            By::Push => to.words(&[word::BY_PUSH]),
            By::Force => to.words(&[word::BY_FORCE]),
        }
        if *times != 1.0 {
            to.words(&[word::TIMES]);
            to.numbers(&[*times]);
        }
        if let Some(s) = stand {
            to.words(&[word::STAND]);
            s.mark(to);
        }
        for (k, (zone, joins)) in zones.iter().enumerate() {
            to.words(&[word::ZONE]);
            zone.mark(to);
            if k > 0 {
                to.words(&[word::JOINS, *joins as u32]);
            }
        }
        if let Some(only) = only {
            to.words(&[word::ONLY, only.len() as u32]);
            only.iter().for_each(|b| to.words(&[*b as u32]));
        }
    }
}

impl FieldNow {
    /// What is drawn of it in the world, without its zones.
    pub fn outline(&self) -> Outline {
        let own = self.act.outline();
        match &self.stand {
            Some(stand) => own.placed(stand),
            None => own,
        }
    }
}

/// One field of a moment, ready to be asked.
struct Acting {
    of: Ready,
    stand: Option<Stand>,
    zones: Vec<(ZoneNow, Joins)>,
    times: f32,
}

impl Acting {
    /// How much of it there is, 0 to 1; none is all.
    #[inline(always)]
    fn share(&self, x: V8) -> Option<F8> {
        let ((first, _), more) = self.zones.split_first()?;
        let mut share = first.weight(x);
        for (zone, joins) in more {
            let own = zone.weight(x);
            share = match joins {
                Joins::Both => share * own,
                Joins::Either => share.max(own),
            };
        }
        Some(share)
    }

    #[inline(always)]
    fn eight(&self, x: V8) -> V8 {
        let own = match &self.stand {
            None => self.of.velocity(x),
            Some(s) => s.world(self.of.velocity(s.local(x))),
        };
        let own = match self.share(x) {
            None => own,
            Some(share) => own.scale(share),
        };
        if self.times == 1.0 { own } else { own.scale(F8::splat(self.times)) }
    }
}

/// The air of a moment, or what pushes at it, ready to be asked at places.
pub struct Air {
    fields: Vec<Acting>,
    /// Those that slow what the fields move.
    slow: Vec<Acting>,
}

impl Air {
    /// The air of some fields at a time, seconds from the first frame, as a body of an island meets it; as the place
    /// itself has it where no `body` is meant.
    pub fn at(fields: &[FieldNow], body: Option<usize>, time: f64) -> Air {
        Air::of(fields, By::Air, body, time)
    }

    /// What pushes, as [`Air::at`]; velocities are then accelerations, m/s².
    pub fn pushes(fields: &[FieldNow], body: Option<usize>, time: f64) -> Air {
        Air::of(fields, By::Push, body, time)
    }

    /// What pushes with a force, as [`Air::at`]; velocities are then forces a square metre, Pa.
    pub fn forces(fields: &[FieldNow], body: Option<usize>, time: f64) -> Air {
        Air::of(fields, By::Force, body, time)
    }

    fn of(fields: &[FieldNow], by: By, body: Option<usize>, time: f64) -> Air {
        let acts =
            |f: &&FieldNow| f.by == by && f.only.as_ref().is_none_or(|o| body.is_none_or(|b| o.contains(&b)));
        let ready = |f: &FieldNow| {
            let of = f.act.ready(time);
            (f.act.slows(), Acting { of, stand: f.stand, zones: f.zones.clone(), times: f.times })
        };
        let (slow, fields): (Vec<_>, Vec<_>) = fields.iter().filter(acts).map(ready).partition(|f| f.0);
        let bare = |of: Vec<(bool, Acting)>| of.into_iter().map(|f| f.1).collect();
        Air { fields: bare(fields), slow: bare(slow) }
    }

    /// Whether nothing acts.
    pub fn is_still(&self) -> bool {
        self.fields.is_empty()
    }

    /// Velocity at eight places, m/s.
    #[inline(always)]
    pub fn eight(&self, x: V8) -> V8 {
        let mut v = V8([F8::splat(0.0); 3]);
        for field in &self.fields {
            v = v + field.eight(x);
        }
        for s in &self.slow {
            let leaves = s.of.leaves(x);
            v = v.scale(match s.share(x) {
                None => leaves,
                // Where it acts less it takes less.
                Some(share) => share.fma(leaves - F8::splat(1.0), F8::splat(1.0)),
            });
        }
        v
    }

    /// Velocity at places, m/s.
    pub fn velocities(&self, places: &[[f32; 3]]) -> Vec<[f32; 3]> {
        let mut out = Vec::with_capacity(places.len());
        for eight in places.chunks(8) {
            let lane = |c: usize| F8::new(&std::array::from_fn(|l| eight.get(l).map_or(0.0, |p| p[c])));
            let v = self.eight(V8([lane(0), lane(1), lane(2)])).0.map(F8::array);
            out.extend((0..eight.len()).map(|l| [v[0][l], v[1][l], v[2][l]]));
        }
        out
    }
}

/// A well-mixed number from a seed and a count (G. Steele, D. Lea, C. Flood, "Fast Splittable
/// Pseudorandom Number Generators", 2014), from 0 to below 1.
fn chance(seed: u64, count: u64) -> f64 {
    let mut z =
        seed.wrapping_mul(0xD134_2543_DE82_EF95).wrapping_add(count.wrapping_mul(0x9E37_79B9_7F4A_7C15));
    z = (z ^ (z >> 30)).wrapping_mul(0xBF58_476D_1CE4_E5B9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94D0_49BB_1331_11EB);
    ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
}

/// Two unit vectors across a unit vector and each other (T. Duff et al., "Building an Orthonormal
/// Basis, Revisited", 2017).
fn across(n: [f64; 3]) -> ([f64; 3], [f64; 3]) {
    let sign = 1f64.copysign(n[2]);
    let a = -1.0 / (sign + n[2]);
    let b = n[0] * n[1] * a;
    ([1.0 + sign * n[0] * n[0] * a, sign * b, -sign * n[0]], [b, sign + n[1] * n[1] * a, -n[1]])
}
