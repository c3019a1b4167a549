//! What acts through space: each kind of field in one file, with its numbers as a scene says them, its law, its source
//! and its test. A kind is added by its file and its line in [`kinds!`].
//!
//! A kind has three forms: as a scene says it ([`Kind`], numbers that may move), at a moment ([`Now`], plain numbers of
//! which fingerprints are made), and ready to be asked at eight places at a time ([`Flow`]).

mod gravity;
mod stand;
mod turbulence;
mod vortex;
mod wind;
mod zone;

pub use gravity::GravityNow;
pub use stand::Stand;
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
    /// One as it begins when it is added.
    fn begin() -> Self;
    /// What it is at a moment, a `share` of it, 0 to 1.
    fn at(&self, moment: &Moment, share: f64) -> Self::Now;
}

/// A kind of field at a moment.
pub trait Now {
    type Flow: Flow;
    /// Writes down all that it is.
    fn mark(&self, to: &mut Marks);
    /// Ready at a time, seconds from the first frame.
    fn flow(&self, time: f64) -> Self::Flow;
    /// An acceleration that is the same everywhere, m/s², where it pulls and moves no air.
    fn pull(&self) -> Option<[f32; 3]> {
        None
    }
    /// About how fast its air is at most, m/s.
    fn speed(&self) -> f32 {
        0.0
    }
}

/// A kind of field that can be asked.
pub trait Flow {
    /// Velocity of its air at eight places, m/s; of one that is placed, in its own coordinates.
    fn velocity(&self, x: V8) -> V8;
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
            fn ready(&self, time: f64) -> Ready {
                match self { $(ActNow::$kind(k) => Ready::$kind(k.flow(time)),)* }
            }
        }

        impl Ready {
            #[inline(always)]
            fn velocity(&self, x: V8) -> V8 {
                match self { $(Ready::$kind(k) => k.velocity(x),)* }
            }
        }

        $(impl From<<$kind as Kind>::Now> for FieldNow {
            /// Everywhere, on all bodies.
            fn from(now: <$kind as Kind>::Now) -> FieldNow {
                FieldNow { act: ActNow::$kind(now), stand: None, zone: None, only: None }
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
}

/// A field at a moment: what it does, where, and on whom.
#[derive(Clone, Debug, PartialEq)]
pub struct FieldNow {
    pub act: ActNow,
    /// Where it stands, if it is placed.
    pub stand: Option<Stand>,
    /// Where it acts; everywhere if left out.
    pub zone: Option<ZoneNow>,
    /// Numbers of the bodies of an island on which it acts; all if left out.
    pub only: Option<Vec<usize>>,
}

impl FieldNow {
    /// Writes down all that it is.
    pub fn mark(&self, to: &mut Marks) {
        let FieldNow { act, stand, zone, only } = self;
        act.mark(to);
        if let Some(s) = stand {
            to.words(&[11]);
            s.mark(to);
        }
        if let Some(z) = zone {
            to.words(&[12]);
            z.mark(to);
        }
        if let Some(only) = only {
            to.words(&[13, only.len() as u32]);
            only.iter().for_each(|b| to.words(&[*b as u32]));
        }
    }
}

/// The air of a moment, ready to be asked at places.
pub struct Air {
    fields: Vec<(Ready, Option<Stand>, Option<ZoneNow>)>,
}

impl Air {
    /// The air of some fields at a time, seconds from the first frame, as a body of an island meets it; as the place
    /// itself has it where no `body` is meant.
    pub fn at(fields: &[FieldNow], body: Option<usize>, time: f64) -> Air {
        let acts = |f: &&FieldNow| {
            f.act.pull().is_none() && f.only.as_ref().is_none_or(|o| body.is_none_or(|b| o.contains(&b)))
        };
        let ready = |f: &FieldNow| (f.act.ready(time), f.stand, f.zone);
        Air { fields: fields.iter().filter(acts).map(ready).collect() }
    }

    /// Velocity at eight places, m/s.
    #[inline(always)]
    pub fn eight(&self, x: V8) -> V8 {
        let mut v = V8([F8::splat(0.0); 3]);
        for (field, stand, zone) in &self.fields {
            let own = match stand {
                None => field.velocity(x),
                Some(s) => s.world(field.velocity(s.local(x))),
            };
            v = v + match zone {
                None => own,
                Some(z) => own.scale(z.weight(x)),
            };
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
