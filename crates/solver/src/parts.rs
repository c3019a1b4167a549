//! Cuts a body into nested parts: the tree by which all work is divided.
//!
//! Points are put in the order of the parts, so that a part is a range. What lies wholly in a leaf is
//! done with the leaf while its points are close at hand; what joins two halves is done after both
//! (nested dissection: A. George, "Nested dissection of a regular finite element mesh", 1973).

/// Leaves have at most this many points: their records fit in the nearest cache.
pub const LEAF: usize = 512;

/// A part: points `from..to` in the order of the parts.
#[derive(Clone, Debug)]
pub struct Part {
    pub from: usize,
    pub to: usize,
    /// The halves, as numbers of parts.
    pub halves: Option<[usize; 2]>,
}

/// The tree, root first, and for each place in the new order the point that stands there.
pub struct Parts {
    pub tree: Vec<Part>,
    pub order: Vec<u32>,
}

/// Halves the points across their longest side until a part is small enough.
pub fn cut(positions: &[[f32; 3]]) -> Parts {
    let mut parts = Parts { tree: vec![], order: (0..positions.len() as u32).collect() };
    halve(positions, &mut parts, 0, positions.len());
    parts
}

fn halve(positions: &[[f32; 3]], parts: &mut Parts, from: usize, to: usize) -> usize {
    let me = parts.tree.len();
    parts.tree.push(Part { from, to, halves: None });
    let points = &mut parts.order[from..to];
    if points.len() <= LEAF {
        points.sort_unstable();
        return me;
    }
    let at = |p: u32, k: usize| positions[p as usize][k];
    let size = |k: usize| {
        let (lo, hi) = points
            .iter()
            .fold((f32::INFINITY, f32::NEG_INFINITY), |(l, h), &p| (l.min(at(p, k)), h.max(at(p, k))));
        hi - lo
    };
    let axis = (0..3).max_by(|&a, &b| size(a).total_cmp(&size(b))).unwrap_or(0);
    points.sort_unstable_by(|&p, &q| at(p, axis).total_cmp(&at(q, axis)).then(p.cmp(&q)));
    let middle = from + (to - from) / 2;
    let halves = [halve(positions, parts, from, middle), halve(positions, parts, middle, to)];
    parts.tree[me].halves = Some(halves);
    me
}

impl Parts {
    /// As they are given: halved by their numbers.
    pub fn in_order(points: usize) -> Parts {
        fn halve(parts: &mut Parts, from: usize, to: usize) -> usize {
            let me = parts.tree.len();
            parts.tree.push(Part { from, to, halves: None });
            if to - from > LEAF {
                // The first half fills whole leaves.
                let middle = from + (to - from).div_ceil(LEAF).div_ceil(2) * LEAF;
                let halves = [halve(parts, from, middle), halve(parts, middle, to)];
                parts.tree[me].halves = Some(halves);
            }
            me
        }
        let mut parts = Parts { tree: vec![], order: (0..points as u32).collect() };
        halve(&mut parts, 0, points);
        parts
    }

    /// The smallest part that holds all of the points (given by their new places).
    pub fn home(&self, points: &[u32]) -> usize {
        let (mut lo, mut hi) = (usize::MAX, 0);
        points.iter().for_each(|&p| (lo, hi) = (lo.min(p as usize), hi.max(p as usize)));
        let mut at = 0;
        while let Some(halves) = self.tree[at].halves {
            match halves.into_iter().find(|&h| self.tree[h].from <= lo && hi < self.tree[h].to) {
                Some(h) => at = h,
                None => break,
            }
        }
        at
    }

    /// For each point its place in the new order.
    pub fn places(&self) -> Vec<u32> {
        let mut places = vec![0; self.order.len()];
        self.order.iter().enumerate().for_each(|(place, &point)| places[point as usize] = place as u32);
        places
    }
}
