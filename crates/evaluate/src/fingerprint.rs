//! Frames are true by construction: a frame's fingerprint is all that went into it.
//!
//! `fingerprint(0) = H(solver version, rest state)`, `fingerprint(f) = H(fingerprint(f - 1), inputs(f))`.
//! A stored frame is true exactly when the scene as it is now asks for its fingerprint.
use crate::Stage;
use crate::collide::{Carried, Track};
use crate::frame_inputs;
use crate::matters::Changing;
use crate::promise::Promise;
use crate::rest::Relaxed;
use crate::run::comings;
use crate::sewn::Sewn;
use crate::shed::Shedding;
use crate::source::Coming;
use crate::tied::Tied;
use crate::weather::Weather;
use nematon_air::{Marks, word};
use nematon_document::{BodyId, Settle};
use nematon_solver::{
    Born, ChamberRest, ClothRest, ClumpRest, Comes, Comings, FillBy, FillNow, FliesRest, Floor, Folds,
    FrameInputs, FreeRest, FrictionNow, Matter, MatterNow, Rest, RestMotion, Rules, SeamNow, SeamRest,
    ShedNow, ShedRest, StitchRest, StrandRest, Tie, TieNow, TieSpot,
};
use std::sync::Arc;

/// BLAKE3 of all that a frame was made from.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Fingerprint(pub [u8; 32]);

/// What an island's frames follow from beside the scene's own air and floor.
pub struct Island<'a> {
    pub bodies: &'a [BodyId],
    pub rests: &'a [Rest],
    pub rules: &'a Rules,
    pub tracks: &'a [Track],
    pub carried: &'a [Carried],
    pub relaxed: &'a [Relaxed],
    pub changing: &'a [Changing],
    pub weathers: &'a [Option<Weather>],
    pub sewn: &'a [Option<Arc<Sewn>>],
    pub coming: &'a [Option<Arc<Coming>>],
    pub shed: &'a [Option<Arc<Shedding>>],
    pub tied: &'a [Tied],
}

/// The version of the solver before this one, which told places from the world's origin and lost what was smaller than their
/// last bit: what it left is known, and why it is out of date.
pub const EARLIER: u32 = 10;

/// The fingerprints of all frames of an island, the first frame first, as a version of the solver leaves them. `before` is that of what
/// comes before the first; of a scene whose first moment lasts it is told by how that ends, `settle`.
pub fn of_island(
    scene: &Stage,
    island: &Island,
    version: u32,
    before: Option<Fingerprint>,
    settle: Option<&Settle>,
) -> Vec<Fingerprint> {
    // One frame after the first says what the lasting moment is.
    let count = if settle.is_some() { 2 } else { scene.frames.count() };
    let mut out = vec![of_rest(scene, island, version)];
    if let Some(before) = before {
        let mut s = Sink(blake3::Hasher::new());
        s.0.update(&out[0].0);
        s.0.update(&before.0);
        out[0] = s.end();
    }
    if let Some(settle) = settle {
        let mut s = Sink(blake3::Hasher::new());
        s.0.update(&out[0].0);
        s.f64(settle.seconds);
        s.f64(settle.calm);
        s.u32(&[u32::from(settle.air)]);
        out[0] = s.end();
    }
    let mut blew = false;
    for index in 1..count {
        let inputs = frame_inputs(scene, island.bodies, index);
        let stills = blew && inputs.fields.is_empty();
        blew = !inputs.fields.is_empty();
        out.push(of_frame(&out[index - 1], &inputs, stills, scene, index, island));
    }
    out.truncate(count);
    out
}

/// The fingerprint of one body's part of an island's frame.
pub fn of_member(island: Fingerprint, member: usize, members: usize) -> Fingerprint {
    if members == 1 {
        return island;
    }
    let mut s = Sink(blake3::Hasher::new());
    s.0.update(&island.0);
    s.u32(&[member as u32]);
    s.end()
}

/// Feeds numbers to the hash as their bits.
struct Sink(blake3::Hasher);

impl Sink {
    fn f32(&mut self, n: &[f32]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_bits().to_le_bytes());
        });
    }
    fn f64(&mut self, n: f64) {
        self.0.update(&n.to_bits().to_le_bytes());
    }
    fn u32(&mut self, n: &[u32]) {
        n.iter().for_each(|n| {
            self.0.update(&n.to_le_bytes());
        });
    }
    fn end(self) -> Fingerprint {
        Fingerprint(*self.0.finalize().as_bytes())
    }
}

fn of_rest(scene: &Stage, island: &Island, version: u32) -> Fingerprint {
    let mut s = Sink(blake3::Hasher::new());
    s.u32(&[version, island.rests.len() as u32]);
    if version > EARLIER {
        scene.origin.iter().for_each(|c| s.f64(*c));
    }
    for rest in island.rests {
        of_body(&mut s, rest);
    }
    let Rules { own, between } = island.rules;
    own.iter().for_each(|o| s.u32(&[u32::from(*o)]));
    between.iter().for_each(|p| s.u32(&p.map(|k| k as u32)));
    island.tracks.iter().for_each(|t| {
        s.0.update(&t.hash);
    });
    s.end()
}

/// The kinds after the first begin with what no cloth begins with.
fn of_body(s: &mut Sink, rest: &Rest) {
    match rest {
        Rest::Cloth(rest) => of_cloth(s, rest),
        Rest::Strands(rest) => of_strands(s, rest),
        Rest::Free(rest) => {
            let FreeRest { positions, radii, masses, drag, friction, over, comes, flies, shed } =
                rest.as_ref();
            if let Some(FliesRest { flier, .. }) = flies {
                s.u32(&[word::FLIES, *flier as u32]);
            }
            of_shed(s, rest, shed.as_ref());
            if let Some(Comes { there, largest }) = comes {
                // Those that are still to come are told of where they do.
                s.u32(&[u32::MAX, 2, *there as u32]);
                positions.iter().take(*there).for_each(|p| s.f32(p));
                s.f32(&radii[..(*there).min(radii.len())]);
                s.f32(&masses[..(*there).min(masses.len())]);
                s.f32(&[*largest, *drag, *friction]);
                over.iter().for_each(|map| s.f32(&map[..(*there).min(map.len())]));
                flying(s, rest, 0..(*there).min(radii.len()));
                return;
            }
            s.u32(&[u32::MAX, 1, positions.len() as u32]);
            positions.iter().for_each(|p| s.f32(p));
            s.f32(radii);
            s.f32(masses);
            s.f32(&[*drag, *friction]);
            flying(s, rest, 0..radii.len());
            for (k, map) in over.iter().enumerate().filter(|(_, map)| !map.is_empty()) {
                s.u32(&[k as u32, map.len() as u32]);
                s.f32(map);
            }
        }
    }
}

/// What the air takes some pieces for, where it is not balls.
fn flying(s: &mut Sink, rest: &FreeRest, of: std::ops::Range<usize>) {
    if let Some(FliesRest { flier: _, radii, turns }) = &rest.flies {
        s.f32(&radii[of.clone()]);
        turns[of].iter().for_each(|t| s.f32(t));
    }
}

/// Pieces that are let go are told of before they are: they were there all the time.
fn of_shed(s: &mut Sink, rest: &FreeRest, shed: Option<&ShedRest>) {
    let Some(ShedRest { sites, whole, after }) = shed else { return };
    s.u32(&[word::SHED, sites.len() as u32, u32::from(*whole), after.len() as u32]);
    s.u32(sites);
    after.iter().for_each(|a| s.f32(a));
    s.f32(&rest.radii);
    s.f32(&rest.masses);
    rest.over.iter().for_each(|map| s.f32(map));
    flying(s, rest, 0..rest.radii.len());
}

fn of_strands(s: &mut Sink, rest: &StrandRest) {
    let StrandRest {
        positions,
        shape,
        counts,
        up,
        held,
        set,
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
        lets_go,
        friction,
        clumps,
        rooted,
    } = rest;
    // 3 were those of before they could branch.
    s.u32(&[u32::MAX, 4, positions.len() as u32, shape.len() as u32, counts.len() as u32]);
    positions.iter().chain(shape).for_each(|p| s.f32(p));
    s.u32(counts);
    held.iter().for_each(|h| s.u32(&[u32::from(*h)]));
    s.u32(&[u32::from(*set)]);
    for list in [line_density, stretch, bend, twist, width, radius] {
        s.f32(list);
    }
    s.f32(&[*drag, *along, *damping, *inner, *friction]);
    if !(up.is_empty() && lumps.is_empty() && blades.is_empty()) {
        s.u32(&[word::BRANCHES, up.len() as u32, lumps.len() as u32, blades.len() as u32]);
        s.u32(up);
        s.f32(lumps);
        s.f32(blades);
        s.f32(&[*blade_drag]);
    }
    if *lets_go {
        s.u32(&[word::LETS_GO]);
    }
    if let Some(gravity) = stands {
        s.u32(&[word::STANDS]);
        s.f32(gravity);
    }
    if !rooted.is_empty() {
        s.u32(&[word::ROOTED, rooted.len() as u32]);
        s.u32(rooted);
    }
    if let Some(ClumpRest { of, stiffness, wide }) = clumps {
        s.u32(&[word::CLUMPS, of.len() as u32, stiffness.len() as u32]);
        s.u32(of);
        s.f32(stiffness);
        s.f32(&[*wide]);
    }
    for (k, map) in over.iter().enumerate().filter(|(_, map)| !map.is_empty()) {
        s.u32(&[k as u32, map.len() as u32]);
        s.f32(map);
    }
}

fn of_cloth(s: &mut Sink, rest: &ClothRest) {
    let ClothRest { positions, triangles, flat, held, matter, folds, maps, welds, seams, chambers } = rest;
    s.u32(&[positions.len() as u32, triangles.len() as u32]);
    positions.iter().for_each(|p| s.f32(p));
    triangles.iter().for_each(|t| s.u32(t));
    flat.iter().flatten().for_each(|c| s.f32(c));
    held.iter().for_each(|h| s.u32(&[u32::from(*h)]));
    let Matter { areal_weight, stretch, shear, poisson, bend, damping, drag, lift, friction, thickness } =
        matter;
    s.f32(&[*areal_weight, *shear, *damping, *drag, *lift, *friction, *thickness]);
    s.f32(stretch);
    s.f32(bend);
    s.f32(&[*poisson]);
    match folds {
        Folds::Start => s.u32(&[0]),
        Folds::Flat => s.u32(&[1]),
        Folds::Like(to) => {
            s.u32(&[2]);
            to.iter().for_each(|p| s.f32(p));
        }
    }
    for map in &maps.0 {
        s.u32(&[map.len() as u32]);
        s.f32(map);
    }
    if !welds.is_empty() {
        s.u32(&[word::WELDS, welds.len() as u32]);
        welds.iter().for_each(|w| s.u32(w));
    }
    if !(seams.is_empty() && chambers.is_empty()) {
        // What is taut bends in one with all that pulls: frames from before it did are out of date, and those of other bodies are not.
        s.u32(&[word::RELAXED]);
    }
    for SeamRest { stitches, stiffness, gap, crease, folds } in seams {
        s.u32(&[word::SEAM, stitches.len() as u32, folds.len() as u32]);
        for StitchRest { point, to, share, length } in stitches {
            s.u32(&[*point, to[0], to[1]]);
            s.f32(&[*share, *length]);
        }
        s.f32(&[*stiffness, *gap, *crease]);
        folds.iter().for_each(|f| s.u32(f));
    }
    for ChamberRest { triangles, mouths, outside, density } in chambers {
        s.u32(&[word::CHAMBER, triangles.len() as u32, mouths.len() as u32]);
        triangles.iter().for_each(|t| s.u32(t));
        for (seam, t) in mouths {
            s.u32(&[seam.map_or(u32::MAX, |s| s)]);
            s.u32(t);
        }
        [*outside, density[0], density[1]].into_iter().for_each(|n| s.f64(n));
    }
}

fn of_frame(
    before: &Fingerprint,
    inputs: &FrameInputs,
    stills: bool,
    scene: &Stage,
    index: usize,
    island: &Island,
) -> Fingerprint {
    let mut s = Sink(blake3::Hasher::new());
    s.0.update(&before.0);
    // Those of the island are told by what they follow from.
    let FrameInputs {
        start,
        duration,
        substeps,
        gravity,
        fields,
        floor,
        gone: _,
        colliders: _,
        grips: _,
        rests: _,
        matters: _,
        frictions: _,
        weathered: _,
        seams: _,
        fills: _,
        ties: _,
        comings: _,
        sheds: _,
    } = inputs;
    s.f64(*duration);
    s.u32(&[*substeps]);
    if let Some(promise) = Promise::of(&scene.frames) {
        s.u32(&promise.words());
    }
    s.f32(gravity);
    // Time only counts where something changes with it, so that what doesn't is shared.
    if !fields.is_empty() {
        s.f64(*start);
    }
    let mut marks = Marks::default();
    fields.iter().for_each(|f| f.mark(&mut marks));
    // Air that no field moves any more went on blowing once: frames of then are not those of now.
    if stills {
        marks.words(&[word::STILLS]);
    }
    s.0.update(&marks.0);
    if let Some(Floor { height, friction }) = floor {
        s.u32(&[word::FLOOR]);
        s.f32(&[*height, *friction]);
    }
    let first = scene.frames.first as f64;
    let (mut numbers, mut hashes) = (vec![], vec![]);
    for t in island.tracks {
        t.mark(scene, first + index as f64, &mut numbers, &mut hashes);
    }
    for c in island.carried {
        let mut words = vec![];
        c.mark(scene, first + index as f64, &mut words, &mut numbers, &mut hashes);
        s.u32(&words);
    }
    for r in island.relaxed {
        let RestMotion { body, sides, folds } = r.motion(scene, first + index as f64);
        s.u32(&[word::RESTS, body as u32]);
        sides.iter().for_each(|s| numbers.extend(*s));
        numbers.extend(folds);
    }
    for c in island.changing {
        let now = c.motion(scene, first + index as f64);
        let Some(MatterNow { body, damping, drag, lift, friction }) = now else { continue };
        s.u32(&[word::MATTER, body as u32]);
        numbers.extend([damping, drag, lift, friction]);
    }
    for (k, w) in island.weathers.iter().enumerate() {
        if let Some(w) = w {
            s.u32(&[word::WEATHER, k as u32]);
            w.mark(scene, first + index as f64, &mut numbers, &mut hashes);
        }
    }
    for (k, sewn) in island.sewn.iter().enumerate() {
        let own = scene.bodies.get(&island.bodies[k]).and_then(|b| b.kind.cloth());
        let (Some(sewn), Some(own)) = (sewn, own) else { continue };
        let (seams, fills) = sewn.motion(scene, k, own, first + index as f64);
        for SeamNow { body, seam, open, hold } in seams {
            s.u32(&[word::SEAM_NOW, body as u32, seam as u32]);
            numbers.extend(open.into_iter().chain(hold));
        }
        for FillNow { body, chamber, by, leak, opening } in fills {
            let (kind, ends) = match by {
                FillBy::Pressure(ends) => (0, ends),
                FillBy::Volume(ends) => (1, ends),
                FillBy::Closed => (2, [0.0; 2]),
            };
            s.u32(&[word::FILL_NOW, body as u32, chamber as u32, kind]);
            [ends[0], ends[1], leak, opening].into_iter().for_each(|n| s.f64(n));
            // Once all of the gas leaked by its time, and not what is above the air outside.
            if leak != 0.0 {
                s.u32(&[word::LEAKS_ABOVE]);
            }
        }
    }
    for t in island.tied {
        let TieNow { tie, hold, spring } = t.motion(scene, first + index as f64);
        let Tie { bodies, points, spots } = tie.as_ref();
        // The second way to share what a spot weighs among those that hang there.
        s.u32(&[word::TIE, bodies[0] as u32, bodies[1] as u32, points.len() as u32, 2]);
        s.u32(points);
        for TieSpot { triangle, shares, off } in spots {
            s.u32(triangle);
            s.f32(shares);
            s.f32(off);
        }
        s.f32(&hold);
        s.f32(&[spring.unwrap_or(f32::INFINITY)]);
    }
    let of = |k: usize| island.coming[k].as_deref();
    for Comings { body, born, gone } in comings(scene, island.bodies, of, inputs, index) {
        s.u32(&[word::COMINGS, body as u32, born.len() as u32, gone.len() as u32]);
        s.u32(&gone);
        for Born { point, position, velocity, spin } in born {
            s.u32(&[point]);
            s.f32(&position);
            s.f32(&velocity);
            if let Rest::Free(rest) = &island.rests[body] {
                let k = point as usize;
                s.f32(&[rest.radii[k], rest.masses[k]]);
                rest.over.iter().filter_map(|map| map.get(k)).for_each(|by| s.f32(&[*by]));
                flying(&mut s, rest, k..k + 1);
                if rest.flies.is_some() {
                    s.f32(&spin);
                }
            }
        }
    }
    for (k, shed) in island.shed.iter().enumerate() {
        let now = shed.as_ref().and_then(|s| s.motion(scene, island.bodies, k, first + index as f64));
        let Some(ShedNow { body, from, rules }) = now else { continue };
        s.u32(&[word::SHED_NOW, body as u32, from as u32, rules.len() as u32]);
        rules.iter().for_each(|r| s.f32(r));
    }
    for (k, t) in island.tracks.iter().enumerate() {
        if let Some(FrictionNow { collider, friction }) = t.rubs(scene, k, first + index as f64) {
            s.u32(&[word::FRICTION, collider as u32]);
            numbers.push(friction);
        }
    }
    s.f32(&numbers);
    hashes.iter().for_each(|h| {
        s.0.update(h);
    });
    s.end()
}
