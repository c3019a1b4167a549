//! What happens to frames on their way into a file: evened out in time, at another pace, told beside a node. None of it is computed anew.
use crate::resolve::World;
use crate::{Stage, blended_turns};
use nematon_document::{ColliderId, FigureId, HandleId, JointOf, Node, Parent, Scene};
use std::collections::VecDeque;
use std::io::Result;

/// Frames one after the other.
pub type Going<'a, T> = Box<dyn Iterator<Item = Result<Vec<T>>> + 'a>;

/// How frames go out, from those that were computed, each after the one before.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Outgoing {
    /// Number of the first one that is computed, and how many there are.
    pub first: i64,
    pub count: usize,
    /// How many of them go by in a second.
    pub rate: f64,
    /// Only every n-th of them; each where it is 0 or 1.
    pub every: i64,
    /// So many a second in their place, between them where there is none at that time; as they are where left out.
    pub pace: Option<f64>,
    /// What they are told beside: a thing of the scene, as it goes; the world where left out.
    pub beside: Option<Parent>,
}

/// The numbers of the frames that go out.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Written {
    pub first: i64,
    pub count: usize,
    pub every: i64,
    pub rate: f64,
}

impl Outgoing {
    /// How they are numbered: a frame's number over the frames a second is its time, whatever the pace.
    pub fn written(&self) -> Written {
        let every = self.every.max(1);
        let Some(pace) = self.pace.filter(|p| *p != self.rate) else {
            let count = self.count.div_ceil(every as usize);
            return Written { first: self.first, count, every, rate: self.rate };
        };
        let of = |frame: i64| frame as f64 * pace / self.rate;
        // What falls on a frame but for the last bits falls on it.
        let first = (of(self.first) - 1e-6).ceil() as i64;
        let last = (of(self.first + self.count as i64 - 1) + 1e-6).floor() as i64;
        Written { first, count: (last - first + 1).max(0) as usize, every: 1, rate: pace }
    }

    /// What whoever reads them has to know of that, in sentences.
    pub fn told(&self, scene: &Scene) -> Vec<String> {
        let mut out = vec![];
        if let Some(pace) = self.pace.filter(|p| *p != self.rate) {
            out.push(format!(
                "Frames are {pace} a second and were computed at {}: those between are drawn through them, not computed.",
                self.rate
            ));
        }
        if let Some(on) = &self.beside {
            out.push(format!("Places are told beside {} as it goes, and not in the world.", on.name(scene)));
        }
        out
    }

    /// When a frame that goes out is, in frames that were computed from the first on.
    fn when(&self, k: usize) -> f64 {
        let w = self.written();
        let number = w.first + k as i64 * w.every;
        let at = number as f64 * self.rate / w.rate - self.first as f64;
        at.clamp(0.0, self.count.saturating_sub(1) as f64)
    }

    /// Places, from those that are told from `origin`, metres. Beside a node they are told from that alone.
    pub fn places<'a>(
        &self,
        stage: &Stage,
        origin: [f64; 3],
        frames: Going<'a, [f32; 3]>,
    ) -> Going<'a, [f32; 3]> {
        let paced = self.paced(frames, place_between);
        let Some(from) = self.stands(stage) else { return paced };
        Box::new(paced.zip(from).map(move |(frame, world)| {
            let own = |p: [f32; 3]| {
                world.inverse(std::array::from_fn(|c| origin[c] + f64::from(p[c]))).map(|c| c as f32)
            };
            Ok(frame?.into_iter().map(own).collect())
        }))
    }

    /// The same of how points are turned.
    pub fn turns<'a>(&self, stage: &Stage, frames: Going<'a, [f32; 4]>) -> Going<'a, [f32; 4]> {
        let paced = self.paced(frames, |_, a, b, _, t| {
            let mut out = [a];
            blended_turns(&mut out, &[b], t);
            out[0]
        });
        let Some(from) = self.stands(stage) else { return paced };
        Box::new(paced.zip(from).map(|(frame, world)| {
            let own = |t: [f32; 4]| {
                let turn = t.map(f64::from);
                World { position: [0.0; 3], turn }
                    .beside(&World { position: [0.0; 3], ..world })
                    .turn
                    .map(|c| c as f32)
            };
            Ok(frame?.into_iter().map(own).collect())
        }))
    }

    /// Where what they are told beside is at each frame that goes out.
    fn stands(&self, stage: &Stage) -> Option<impl Iterator<Item = World> + use<>> {
        let node = Node { on: Some(self.beside.clone()?), ..Node::default() };
        let world = stage.moved([0.0; 3]);
        let this = self.clone();
        let count = self.written().count;
        Some((0..count).map(move |k| World::of(&world, &node, this.first as f64 + this.when(k))))
    }

    /// Those that go out of those that come in.
    fn paced<'a, T: Copy + 'a>(
        &self,
        frames: Going<'a, T>,
        between: impl Fn(Option<T>, T, T, Option<T>, f64) -> T + 'a,
    ) -> Going<'a, T> {
        if self.pace.is_none_or(|p| p == self.rate) {
            return Box::new(frames.step_by(self.every.max(1) as usize));
        }
        let this = self.clone();
        let count = self.written().count;
        let mut frames = frames.fuse();
        // Of the four about the place between two of them: the number of the first, and those.
        let (mut from, mut about) = (0usize, VecDeque::<Vec<T>>::new());
        Box::new((0..count).map(move |k| {
            let at = this.when(k);
            let own = at.floor() as usize;
            let t = at - own as f64;
            let first = own.saturating_sub(1);
            while from + about.len() < own + 3 {
                match frames.next() {
                    Some(frame) => about.push_back(frame?),
                    None => break,
                }
            }
            while from < first && about.len() > 1 {
                about.pop_front();
                from += 1;
            }
            let frame = |n: usize| n.checked_sub(from).and_then(|n| about.get(n));
            let now = frame(own).ok_or_else(|| std::io::Error::other("a frame is gone"))?;
            let Some(next) = frame(own + 1).filter(|_| t > 1e-9) else { return Ok(now.clone()) };
            let before = own.checked_sub(1).and_then(frame);
            let after = frame(own + 2);
            let point = |p: usize| {
                let of = |f: Option<&Vec<T>>| f.and_then(|f| f.get(p).copied());
                between(of(before), now[p], next.get(p).copied().unwrap_or(now[p]), of(after), t)
            };
            Ok((0..now.len()).map(point).collect())
        }))
    }
}

/// Between two frames of four, through both, with the speed at each that those beside it give (E. Catmull, R. Rom, "A Class of Local Interpolating Splines",
/// 1974). A point that is not there in one of the two is as it is in the nearer one.
fn place_between(a: Option<[f32; 3]>, p: [f32; 3], q: [f32; 3], b: Option<[f32; 3]>, t: f64) -> [f32; 3] {
    if p[0].is_nan() || q[0].is_nan() {
        return if t < 0.5 { p } else { q };
    }
    let there = |p: Option<[f32; 3]>| p.filter(|p| !p[0].is_nan());
    let (a, b) = (there(a), there(b));
    std::array::from_fn(|c| {
        let [p, q] = [p[c], q[c]].map(f64::from);
        let from = a.map_or(q - p, |a| 0.5 * (q - f64::from(a[c])));
        let to = b.map_or(q - p, |b| 0.5 * (f64::from(b[c]) - p));
        let (t2, t3) = (t * t, t * t * t);
        let sum = (2.0 * t3 - 3.0 * t2 + 1.0) * p
            + (t3 - 2.0 * t2 + t) * from
            + (3.0 * t2 - 2.0 * t3) * q
            + (t3 - t2) * to;
        sum as f32
    })
}

/// Frames evened out in time over so many before and after each, by binomial weights; over fewer near both ends, so that the first and the last stay.
/// A point that is not there in one of them stays as it is.
pub fn steadied<'a>(over: u32, count: usize, frames: Going<'a, [f32; 3]>) -> Going<'a, [f32; 3]> {
    if over == 0 {
        return frames;
    }
    let mut frames = frames.fuse();
    let (mut from, mut about) = (0usize, VecDeque::<Vec<[f32; 3]>>::new());
    Box::new((0..count).map(move |k| {
        let m = (over as usize).min(k).min(count - 1 - k);
        while from + about.len() <= k + m {
            about.push_back(frames.next().ok_or_else(|| std::io::Error::other("a frame is gone"))??);
        }
        // No later one asks for any farther back.
        while from + (over as usize) < k {
            about.pop_front();
            from += 1;
        }
        let own = &about[k - from];
        let weights = binomial(m);
        let point = |p: usize| {
            let mut sum = [0.0f64; 3];
            for (j, w) in weights.iter().enumerate() {
                let at = about[k + j - m - from].get(p).copied().unwrap_or([f32::NAN; 3]);
                (0..3).for_each(|c| sum[c] += w * f64::from(at[c]));
            }
            if sum[0].is_nan() { own[p] } else { sum.map(|c| c as f32) }
        };
        Ok((0..own.len()).map(point).collect())
    }))
}

/// The weights of 2m + 1 that are evened out, which add up to 1.
fn binomial(m: usize) -> Vec<f64> {
    let n = 2 * m;
    let mut out = vec![1.0];
    for k in 1..=n {
        let before: f64 = out[k - 1];
        out.push(before * (n - k + 1) as f64 / k as f64);
    }
    let all: f64 = out.iter().sum();
    out.iter_mut().for_each(|w| *w /= all);
    out
}

/// What frames are told beside, by its words: `handle:KEY`, `collider:KEY`, `figure:KEY`, or `joint:KEY:NAME` of a figure.
///
/// # Errors
/// When the scene has no such thing, in words.
pub fn beside(scene: &Scene, text: &str) -> std::result::Result<Parent, String> {
    let (kind, key) =
        text.split_once(':').ok_or("say handle:KEY, collider:KEY, figure:KEY or joint:KEY:NAME")?;
    let (key, name) =
        if kind == "joint" { key.split_once(':').ok_or("say joint:KEY:NAME")? } else { (key, "") };
    let found = match kind {
        "handle" => Parent::Handle(HandleId(key.to_owned())),
        "collider" => Parent::Collider(ColliderId(key.to_owned())),
        "figure" => Parent::Figure(FigureId(key.to_owned())),
        "joint" => Parent::Joint(JointOf { figure: FigureId(key.to_owned()), joint: name.to_owned() }),
        _ => return Err(format!("\"{kind}\" is none of handle, collider, figure and joint")),
    };
    match found.node(scene) {
        Some(_) => Ok(found),
        None => Err(format!("the scene has no {} \"{key}\"", if kind == "joint" { "figure" } else { kind })),
    }
}
