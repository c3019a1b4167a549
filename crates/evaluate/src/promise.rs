//! How many sub-steps a frame takes, where the scene says how right it is to be and not how many: a frame whose promise is broken is taken again
//! from where it began with twice as many, and where they do for a while it goes back to fewer. All of it follows from where the bodies are
//! and from what is kept with them, so that it is the same from a checkpoint, on any threads, and in any order of bodies.
use nematon_document::{FrameSpan, Quality};
use nematon_solver::OVERSTRETCH;

/// What a quality promises, and between how many sub-steps a frame takes for it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Promise {
    pub quality: Quality,
    pub least: u32,
    pub most: u32,
    /// How much longer than at rest a thread may be, beyond what more sub-steps would leave of it, as a share.
    pub stretch: f64,
}

/// Frames in a row that leave this share of what is promised are followed by one of half as many sub-steps.
const CALM: u32 = 6;
const EASY: f64 = 0.4;
/// What twice as many sub-steps leave of a stretch, where it is the matter's own: beyond this share it is.
const LAWFUL: f64 = 0.8;
/// By so much it may grow before it is looked at again, and so much of it is still allowed a frame later.
const GROWS: f64 = 1.1;
const FADES: f64 = 0.97;
/// And of one that was only given up: it is soon asked for again.
const GIVEN_UP: f64 = 0.9;
/// How it is judged, another number for another way: frames follow from it.
const WAY: u32 = 1;

impl Promise {
    pub fn of(frames: &FrameSpan) -> Option<Promise> {
        if frames.substeps.is_some() {
            return None;
        }
        let quality = frames.quality;
        let (most, stretch) = match quality {
            Quality::Draft => (48, 0.15),
            Quality::Fine => (80, 0.08),
            Quality::Final => (160, 0.03),
        };
        Some(Promise { quality, least: quality.least(), most, stretch })
    }

    /// All that frames follow from.
    pub fn words(&self) -> [u32; 4] {
        [self.quality as u32, self.least, self.most + (WAY << 16), (self.stretch * 1e6) as u32]
    }
}

/// How an island goes through its frames; kept with where its bodies are.
#[derive(Clone, Copy, Debug, PartialEq)]
pub(crate) struct Going {
    pub substeps: u32,
    calm: u32,
    /// The stretch that is the matter's own, as far as is known.
    lawful: f64,
    /// Whether it is only what as many sub-steps as may be left of it.
    gave_up: bool,
}

pub(crate) const BYTES: usize = 16;
/// Where it is kept whether it gave up: calm frames in a row are never so many.
const GAVE_UP: u32 = 1 << 31;

impl Going {
    pub fn begin(promise: &Promise) -> Going {
        Going { substeps: promise.least, calm: 0, lawful: 0.0, gave_up: false }
    }

    /// How far a thread may be stretched in the frame that was judged last, until it is told as a fault: what was promised, where that could not
    /// be kept.
    pub fn told_beyond(&self, promise: &Promise) -> f64 {
        if self.gave_up { promise.stretch.min(OVERSTRETCH) } else { OVERSTRETCH }
    }

    pub fn write(&self) -> [u8; BYTES] {
        let mut out = [0; BYTES];
        out[..4].copy_from_slice(&self.substeps.to_le_bytes());
        let calm = self.calm | if self.gave_up { GAVE_UP } else { 0 };
        out[4..8].copy_from_slice(&calm.to_le_bytes());
        out[8..].copy_from_slice(&self.lawful.to_le_bytes());
        out
    }

    pub fn read(from: &[u8; BYTES]) -> Going {
        let word = |k: usize| u32::from_le_bytes(std::array::from_fn(|b| from[k + b]));
        let lawful = f64::from_le_bytes(std::array::from_fn(|b| from[8 + b]));
        Going { substeps: word(0).max(1), calm: word(4) & !GAVE_UP, lawful, gave_up: word(4) & GAVE_UP != 0 }
    }

    /// What to do after a frame was taken with so many sub-steps and stretched so far: none where it is good, else with how many to
    /// take it again. `before` is how far it stretched with half as many.
    pub fn judge(&mut self, promise: &Promise, took: u32, stretch: f64, before: Option<f64>) -> Option<u32> {
        let allowed = promise.stretch.max(GROWS * self.lawful);
        if stretch <= allowed {
            // What is the matter's own may lie below for a while and come again.
            let fades = if self.gave_up { GIVEN_UP } else { FADES };
            self.lawful = stretch.max(fades * self.lawful).min(self.lawful);
            self.gave_up &= self.lawful > promise.stretch;
            self.calm = if stretch < EASY * allowed { self.calm + 1 } else { 0 };
            self.substeps = took;
            if self.calm >= CALM && took > promise.least {
                (self.substeps, self.calm) = ((took / 2).max(promise.least), 0);
            }
            return None;
        }
        self.calm = 0;
        if before.is_some_and(|b| stretch > LAWFUL * b) {
            // More do not help: it is as long as its matter lets it be.
            self.lawful = stretch.max(before.unwrap_or(stretch));
            self.gave_up = false;
            self.substeps = (took / 2).max(promise.least);
            return None;
        }
        let more = 2 * took;
        if more <= promise.most {
            return Some(more);
        }
        // As many as may be do not keep it either: half as many are tried where it does not get longer by that.
        (self.lawful, self.gave_up) = (stretch, true);
        self.substeps = (took / 2).max(promise.least);
        None
    }
}

#[cfg(test)]
#[allow(clippy::unwrap_used)]
mod tests {
    use super::*;

    fn fine() -> Promise {
        Promise::of(&FrameSpan::of(0, 9)).unwrap()
    }

    #[test]
    fn it_takes_more_where_that_helps_and_goes_back_where_they_do() {
        let p = fine();
        let mut g = Going::begin(&p);
        assert_eq!(g.judge(&p, 10, 0.3, None), Some(20));
        assert_eq!(g.judge(&p, 20, 0.12, Some(0.3)), Some(40));
        assert_eq!(g.judge(&p, 40, 0.02, Some(0.12)), None);
        assert_eq!(g.substeps, 40);
        for _ in 0..CALM {
            assert_eq!(g.judge(&p, g.substeps, 0.01, None), None);
        }
        assert_eq!(g.substeps, 20);
    }

    #[test]
    fn what_the_matter_itself_gives_is_left_to_it() {
        let p = fine();
        let mut g = Going::begin(&p);
        assert_eq!(g.judge(&p, 10, 0.3, None), Some(20));
        assert_eq!(g.judge(&p, 20, 0.29, Some(0.3)), None);
        assert_eq!(g.substeps, 10);
        // And not asked for again, until it grows.
        assert_eq!(g.judge(&p, 10, 0.3, None), None);
        assert_eq!(g.judge(&p, 10, 0.4, None), Some(20));
        // Where it is short for a while, that is kept in mind for as long.
        let mut g = Going::begin(&p);
        assert_eq!(g.judge(&p, 20, 0.3, Some(0.3)), None);
        for _ in 0..5 {
            assert_eq!(g.judge(&p, 10, 0.05, None), None);
        }
        assert_eq!(g.judge(&p, 10, 0.28, None), None);
        for _ in 0..60 {
            assert_eq!(g.judge(&p, 10, 0.05, None), None);
        }
        assert_eq!(g.judge(&p, 10, 0.28, None), Some(20));
        assert_eq!(Going::read(&g.write()), g);
    }

    #[test]
    fn it_ends_at_the_most_and_a_number_that_is_fixed_stays() {
        let p = fine();
        let mut g = Going::begin(&p);
        assert_eq!(g.judge(&p, 80, 0.12, Some(0.5)), None);
        assert_eq!(g.substeps, 40);
        // What is not kept is told for as long as it is not, and what is the matter's own is not.
        assert!((g.told_beyond(&p) - 0.08).abs() < 1e-12);
        assert_eq!(Going::read(&g.write()), g);
        assert_eq!(g.judge(&p, 40, 0.13, None), None);
        assert!((g.told_beyond(&p) - 0.08).abs() < 1e-12);
        for _ in 0..40 {
            g.judge(&p, 10, 0.01, None);
        }
        assert!((g.told_beyond(&p) - OVERSTRETCH).abs() < 1e-12);
        let mut g = Going::begin(&p);
        assert_eq!(g.judge(&p, 20, 0.12, Some(0.12)), None);
        assert!((g.told_beyond(&p) - OVERSTRETCH).abs() < 1e-12);
        let fixed = FrameSpan { substeps: Some(7), ..FrameSpan::of(0, 9) };
        assert_eq!(Promise::of(&fixed), None);
    }
}
