use crate::{Curve, Figure, MOST_JOINTS, MOST_POINTS};

/// Why a figure can't be.
#[derive(Clone, Debug, PartialEq, Eq, thiserror::Error)]
pub enum FigureFault {
    #[error("it has {0} points; the most is {MOST_POINTS}. Reduce it, or bring in a part of it")]
    Points(usize),
    #[error("it has {0} joints; the most is {MOST_JOINTS}. Take out those that move nothing")]
    Joints(usize),
    #[error("it has no surface: a mesh with faces is needed, and it has none or only points and lines")]
    Empty,
    #[error("the part \"{part}\": {why}")]
    Part { part: String, why: String },
    #[error("the joint \"{0}\" hangs on one that comes after it, or on itself")]
    Order(String),
    #[error("the clip \"{clip}\", joint \"{joint}\": {why}")]
    Clip { clip: String, joint: String, why: String },
    #[error("shape {shape} of the sequence {why}")]
    Sequence { shape: usize, why: String },
}

impl Figure {
    /// Whether all that names something names what is there, and all numbers are numbers. Nothing else is safe to pose.
    ///
    /// # Errors
    /// The first fault.
    pub fn check(&self) -> Result<(), FigureFault> {
        match self.points() {
            0 => return Err(FigureFault::Empty),
            n if n > MOST_POINTS => return Err(FigureFault::Points(n)),
            _ => {}
        }
        if self.joints.len() > MOST_JOINTS {
            return Err(FigureFault::Joints(self.joints.len()));
        }
        for (k, j) in self.joints.iter().enumerate() {
            if j.parent.is_some_and(|p| p >= k) {
                return Err(FigureFault::Order(j.name.clone()));
            }
        }
        self.check_parts()?;
        self.clips()?;
        for (k, shape) in self.sequence.iter().enumerate() {
            let fault = |why: String| Err(FigureFault::Sequence { shape: k + 1, why });
            if shape.len() != self.points() {
                return fault(format!("has {} points, and the mesh {}", shape.len(), self.points()));
            }
            if let Some(p) = shape.iter().position(|p| !p.iter().all(|c| c.is_finite())) {
                return fault(format!("has point {p} at no number"));
            }
        }
        Ok(())
    }

    /// Whether its parts and what carries them can be posed.
    ///
    /// # Errors
    /// The first fault.
    pub fn check_parts(&self) -> Result<(), FigureFault> {
        for p in &self.parts {
            let fault = |why: String| Err(FigureFault::Part { part: p.name.clone(), why });
            let n = p.mesh.positions.len();
            if let Some(k) = p.mesh.positions.iter().position(|p| !p.iter().all(|c| c.is_finite())) {
                return fault(format!("point {k} is at no number"));
            }
            if p.mesh.triangles.iter().flatten().any(|t| *t as usize >= n) {
                return fault("a triangle names a point that isn't there".into());
            }
            if self.joints.get(p.joint).is_none() && !self.joints.is_empty() {
                return fault("nothing carries it".into());
            }
            for m in &p.morphs {
                if m.added.len() != n || m.added.iter().flatten().any(|c| !c.is_finite()) {
                    let has = m.added.len();
                    return fault(format!("its morph \"{}\" has {has} points, or one at no number", m.name));
                }
            }
            let Some(skin) = p.skin else { continue };
            let Some(skin) = self.skins.get(skin) else { return fault("its skin isn't there".into()) };
            if skin.inverse.len() != skin.joints.len() {
                let (a, b) = (skin.joints.len(), skin.inverse.len());
                return fault(format!("its skin has {a} joints and {b} matrices of how they were bound"));
            }
            if skin.joints.iter().any(|j| *j >= self.joints.len()) {
                return fault("its skin names a joint that isn't there".into());
            }
            let w = &p.weights;
            let runs = w.first.len() == n + 1
                && w.first.windows(2).all(|f| f[0] <= f[1])
                && w.first.last().is_some_and(|l| *l as usize == w.joints.len())
                && w.joints.len() == w.shares.len();
            if !runs {
                return fault("it has weights for another number of points".into());
            }
            if let Some(j) = w.joints.iter().find(|j| **j as usize >= skin.joints.len()) {
                return fault(format!("a weight names joint {j} of {}", skin.joints.len()));
            }
        }
        Ok(())
    }

    fn clips(&self) -> Result<(), FigureFault> {
        for clip in &self.clips {
            for c in &clip.channels {
                let joint = self.joints.get(c.joint).map_or("?", |j| &j.name);
                let fault = |why: &str| {
                    let (clip, joint) = (clip.name.clone(), joint.to_owned());
                    Err(FigureFault::Clip { clip, joint, why: why.to_owned() })
                };
                let each = c.what.width() * if c.curve == Curve::Cubic { 3 } else { 1 };
                if c.joint >= self.joints.len() {
                    return fault("isn't there");
                }
                if c.times.is_empty() || c.times.len() * each != c.values.len() {
                    return fault("has another number of values than its times ask for");
                }
                if c.times.iter().chain(&c.values).any(|v| !v.is_finite()) {
                    return fault("has a time or a value that is no number");
                }
                if c.times.windows(2).any(|t| t[1] <= t[0]) {
                    return fault("has a time that is not after the one before it");
                }
            }
        }
        Ok(())
    }
}
