use glam::{DQuat, DVec3};

/// Motion with a name.
#[derive(Clone, Debug, PartialEq)]
pub struct Clip {
    pub name: String,
    /// Seconds; 0 for one that stands still.
    pub duration: f64,
    pub channels: Vec<Channel>,
}

/// What moves one thing of one joint.
#[derive(Clone, Debug, PartialEq)]
pub struct Channel {
    pub joint: usize,
    pub what: What,
    pub curve: Curve,
    /// Seconds, each after the one before; at least one.
    pub times: Vec<f64>,
    /// As many a time as [`What::width`] says; three times that for [`Curve::Cubic`]: how it arrives, what it is, how it
    /// leaves.
    pub values: Vec<f64>,
}

#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum What {
    Position,
    Turn,
    Scale,
    /// How much of each of so many morphs.
    Morphs(usize),
}

/// How it goes from one time to the next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Curve {
    Step,
    Straight,
    Cubic,
}

impl What {
    pub fn width(self) -> usize {
        match self {
            What::Position | What::Scale => 3,
            What::Turn => 4,
            What::Morphs(n) => n,
        }
    }
}

impl Channel {
    /// The two keys about a time, how far it is from the first to the second, and how long that is.
    fn about(&self, time: f64) -> (usize, usize, f64, f64) {
        let next = self.times.partition_point(|t| *t <= time);
        let last = self.times.len().saturating_sub(1);
        if next == 0 || next > last {
            let k = next.min(last);
            return (k, k, 0.0, 0.0);
        }
        let long = self.times[next] - self.times[next - 1];
        (next - 1, next, ((time - self.times[next - 1]) / long).clamp(0.0, 1.0), long)
    }

    /// The numbers of a key; `part` 0 is how it arrives, 1 what it is, 2 how it leaves.
    fn key(&self, k: usize, part: usize) -> &[f64] {
        let n = self.what.width();
        match self.curve {
            Curve::Cubic => &self.values[(3 * k + part) * n..][..n],
            _ => &self.values[k * n..][..n],
        }
    }

    /// What it is at a time, number by number.
    pub fn at(&self, time: f64, mut each: impl FnMut(usize, f64)) {
        let (a, b, t, long) = self.about(time);
        let (p, q) = (self.key(a, 1), self.key(b, 1));
        for k in 0..self.what.width() {
            each(
                k,
                match self.curve {
                    _ if a == b => p[k],
                    Curve::Step => p[k],
                    Curve::Straight => p[k] + t * (q[k] - p[k]),
                    Curve::Cubic => {
                        let (m, n) = (long * self.key(a, 2)[k], long * self.key(b, 0)[k]);
                        let (t2, t3) = (t * t, t * t * t);
                        (2.0 * t3 - 3.0 * t2 + 1.0) * p[k]
                            + (t3 - 2.0 * t2 + t) * m
                            + (3.0 * t2 - 2.0 * t3) * q[k]
                            + (t3 - t2) * n
                    }
                },
            );
        }
    }

    pub fn vector(&self, time: f64) -> DVec3 {
        let mut v = [0.0; 3];
        self.at(time, |k, x| v[k] = x);
        DVec3::from(v)
    }

    pub fn turn(&self, time: f64) -> DQuat {
        let of = |k: usize| DQuat::from_array(std::array::from_fn(|c| self.key(k, 1)[c]));
        let (a, b, t, _) = self.about(time);
        if self.curve == Curve::Straight && a != b {
            return slerp(unit(of(a)), unit(of(b)), t);
        }
        let mut v = [0.0; 4];
        self.at(time, |k, x| v[k] = x);
        unit(DQuat::from_array(v))
    }
}

/// Of length 1; no turn where there is no length.
pub(crate) fn unit(q: DQuat) -> DQuat {
    let size = q.length();
    if size > 1e-12 && size.is_finite() { q / size } else { DQuat::IDENTITY }
}

/// The shorter way, evenly; by `libm`, whose last bit is the same everywhere.
pub(crate) fn slerp(a: DQuat, b: DQuat, t: f64) -> DQuat {
    let cos = a.dot(b);
    let (b, cos) = if cos < 0.0 { (-b, -cos) } else { (b, cos) };
    let angle = libm::acos(cos.min(1.0));
    if angle < 1e-6 {
        return unit(a * (1.0 - t) + b * t);
    }
    let per = 1.0 / libm::sin(angle);
    unit(a * (libm::sin((1.0 - t) * angle) * per) + b * (libm::sin(t * angle) * per))
}
