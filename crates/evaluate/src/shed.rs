//! What plants let go: where each piece is until then, and how much of a rule's chance must have passed before it goes.
//!
//! A chance of c a second lets go as many as 1 - exp(-c t) says after a time. Each piece is given an even share of that law by its rank, so that the
//! counts are right to one piece, whichever order says who comes first.
use crate::resolve::World;
use crate::{MeshLibrary, ShapeError, Stage, shape};
use nematon_document::{Body, BodyId, Drift, MAX_POINTS, Order, Scene, Shed, ShedRule, Sheds};
use nematon_geometry::{Part, fill};
use nematon_solver::{ShedNow, ShedRest};

/// Pieces that plants let go.
#[derive(Clone, Debug)]
pub struct Shedding {
    pub plants: BodyId,
    pub rest: ShedRest,
    rules: Vec<ShedRule>,
    /// Where each is at first, in the world but for the scene's origin, metres.
    pub places: Vec<[f32; 3]>,
    /// Of each its length, its width, m, and its weight, kg: those of leaves; none of what heads let go, which says so itself.
    pub leaves: Vec<[f64; 3]>,
}

/// Whether points of a body come and go: pieces that do, and plants that let their leaves go.
pub fn comes_and_goes(scene: &Scene, id: &BodyId) -> bool {
    let sheds = |b: &Body| {
        let shed = b.kind.drift().and_then(|d| d.shed.as_ref());
        shed.is_some_and(|s| s.plants == *id && s.what == Sheds::Leaves)
    };
    let own = scene.bodies.get(id).and_then(|b| b.kind.drift());
    own.is_some_and(|d| d.source.is_some() || d.shed.is_some()) || scene.bodies.values().any(sheds)
}

impl Shedding {
    /// # Errors
    /// When the plants have no shape, or a map of them can't be had.
    pub fn of(
        scene: &Stage,
        own: &Drift,
        shed: &Shed,
        library: &dyn MeshLibrary,
    ) -> Result<Shedding, ShapeError> {
        let plants = scene.bodies.get(&shed.plants);
        let name = plants.map_or(shed.plants.0.as_str(), |p| p.name.as_str()).to_owned();
        let refuse = |why: &str| ShapeError::Shed(format!("\"{name}\" {why}"));
        let whole = plants.ok_or_else(|| refuse("which there is not"))?;
        let species = whole.kind.plants().ok_or_else(|| refuse("which are no plants"))?;
        let shaped =
            shape(scene, whole, library).map_err(|why| refuse(&format!("which have no shape: {why}")))?;
        let crate::shape::OfKind::Plants(stand) = &shaped.own else {
            return Err(refuse("which are no plants"));
        };
        let mut sites: Vec<u32> = vec![];
        let mut leaves = vec![];
        match (shed.what, species.wood().leaf) {
            (Sheds::Leaves, Some(l)) => {
                for k in (0..stand.parts.len()).filter(|k| stand.parts[*k] == Part::Leaf) {
                    let [long, wide] = stand.ends[k];
                    let area = std::f64::consts::FRAC_PI_4 * long * wide;
                    sites.push(k as u32);
                    leaves.push([long, wide, area * l.weight]);
                }
                if sites.is_empty() {
                    return Err(refuse("whose mesh has no leaves: no loose flat parts beside its wood"));
                }
            }
            _ => {
                let count = if shed.what == Sheds::Heads { shed.each } else { 0 };
                sites.extend(stand.heads.iter().flat_map(|h| (0..count).map(|_| *h)));
            }
        }
        if sites.len() > MAX_POINTS {
            return Err(refuse(&format!("let go {} pieces; the most is {MAX_POINTS}", sites.len())));
        }
        let n = sites.len();
        let chance = |k: usize, of: u64| fill::chance(own.seed, (1 << 44) + 4 * k as u64 + of);
        // As many as there are to be, any of them.
        let mut any: Vec<usize> = (0..n).collect();
        any.sort_by(|a, b| chance(*a, 0).total_cmp(&chance(*b, 0)));
        let mut goes = vec![false; n];
        any.iter().take(own.count as usize).for_each(|k| goes[*k] = true);
        let along = shaped.mesh.along();
        let first = scene.frames.first as f64;
        let ground = crate::maps::Ground { stage: scene, place: &whole.place, mesh: &shaped.mesh, library };
        let mut after = vec![];
        for rule in &shed.rules {
            let weights = match &rule.map {
                Some(map) => ground.named(whole, map).transpose()?.map(|d| d.at(scene, first)),
                None => None,
            };
            let weight = |k: usize| weights.as_ref().map_or(1.0, |w| f64::from(w[sites[k] as usize]));
            let mut order: Vec<usize> = (0..n).filter(|k| goes[*k] && weight(*k) > 0.0).collect();
            let by = |k: &usize| match rule.order {
                Order::Random => chance(*k, 1),
                Order::Tips => -along[sites[*k] as usize],
                Order::Roots => along[sites[*k] as usize],
            };
            order.sort_by(|a, b| by(a).total_cmp(&by(b)).then(chance(*a, 1).total_cmp(&chance(*b, 1))));
            let mut own = vec![f32::NAN; n];
            for (rank, k) in order.iter().enumerate() {
                let share = (rank as f64 + 0.5) / order.len() as f64;
                own[*k] = (-libm::log1p(-share) / weight(*k)) as f32;
            }
            after.push(own);
        }
        let places = sites.iter().map(|s| shaped.placed[*s as usize]).collect();
        let rest = ShedRest { sites, whole: shed.what == Sheds::Leaves, after };
        Ok(Shedding { plants: shed.plants.clone(), rest, rules: shed.rules.clone(), places, leaves })
    }

    /// Where each is at first, about the body's own place.
    pub fn own(&self, scene: &Stage, body: &Body) -> Vec<[f32; 3]> {
        let at = World::of(scene, &body.place, scene.frames.first as f64);
        self.places.iter().map(|p| at.inverse(p.map(f64::from)).map(|c| c as f32)).collect()
    }

    /// Through the way to a frame, of bodies by their numbers; none where the plants are not among them.
    pub fn motion(&self, scene: &Stage, bodies: &[BodyId], body: usize, frame: f64) -> Option<ShedNow> {
        let from = bodies.iter().position(|b| *b == self.plants)?;
        let moment = scene.frames.moment(frame - 0.5);
        let acts = |r: &ShedRule| {
            r.from.is_none_or(|f| frame > f as f64) && r.until.is_none_or(|u| frame <= u as f64)
        };
        let now = |r: &ShedRule| {
            let chance = if acts(r) { r.chance.at(&moment) } else { 0.0 };
            [chance as f32, r.over.at(&moment) as f32]
        };
        Some(ShedNow { body, from, rules: self.rules.iter().map(now).collect() })
    }
}
