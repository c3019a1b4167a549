//! A scene at a moment: plain numbers, and places in the world. Nothing below this knows that numbers move.
use crate::Stage;
use crate::around::with_bodies;
use nematon_air::{ActNow, Around, FieldNow, Marks, Stand, ZoneForm as ZoneFormNow, ZoneNow};
use nematon_document::{
    Act, BodyId, By, ColliderId, Field, FieldId, HandleId, MOST_ON_EACH_OTHER, Node, Parent, When, Zone,
    ZoneForm,
};
use nematon_solver::Pose;

/// A scene at a moment.
#[derive(Clone, Debug, PartialEq)]
pub struct Resolved {
    /// All pulls together, m/s².
    pub gravity: [f32; 3],
    /// The fields that move air, in the order in which they are summed.
    pub fields: Vec<FieldNow>,
    pub colliders: Vec<(ColliderId, Pose)>,
    pub handles: Vec<(HandleId, Pose)>,
}

/// A scene at a moment, in frames; a part of one lies between two. Fields name `bodies` by their numbers there.
pub fn resolve(scene: &Stage, bodies: &[BodyId], frame: f64) -> Resolved {
    let (gravity, fields) = fields_at(scene, bodies, frame).plain();
    let colliders =
        scene.colliders.iter().map(|(id, c)| (id.clone(), pose_at(scene, &c.place, frame))).collect();
    let handles = scene.handles.iter().map(|(id, h)| (id.clone(), pose_at(scene, &h.place, frame))).collect();
    Resolved { gravity, fields, colliders, handles }
}

/// The fields of a scene at a moment.
pub(crate) struct Fields {
    /// All that pulls everything alike together, m/s².
    pub gravity: [f32; 3],
    /// What that comes from.
    pub pulls: Vec<Named>,
    /// Those that are not simply in it, in the order in which they are summed.
    pub each: Vec<Named>,
}

/// A field with its key.
pub(crate) struct Named {
    pub id: FieldId,
    pub now: FieldNow,
}

impl Fields {
    pub fn plain(self) -> ([f32; 3], Vec<FieldNow>) {
        (self.gravity, self.each.into_iter().map(|f| f.now).collect())
    }
}

/// The fields of a scene at a moment, in frames, as `bodies` of an island meet them, by their numbers there; as places have
/// them where none are named.
pub(crate) fn fields_at(scene: &Stage, bodies: &[BodyId], frame: f64) -> Fields {
    let moment = scene.frames.moment(frame);
    let calm = scene.calm.at(&moment);
    let mut fields: Vec<(usize, Named)> = vec![];
    let mut pulls: Vec<(Named, [f32; 3])> = vec![];
    for (id, field) in scene.fields.iter().filter(|(id, f)| scene.acts(id, f)) {
        let Field {
            name: _,
            on: _,
            when: _,
            share: times,
            by: _,
            place,
            zone: _,
            zones: _,
            only: _,
            groups: _,
            except: _,
            map: _,
            act,
        } = field;
        let by = field.by();
        let share = share(field, frame) * times.at(&moment);
        let moves_air = by == By::Air && !matches!(act, Act::Shelter(_));
        let times = if moves_air { (1.0 - calm) as f32 } else { 1.0 };
        if share <= 0.0 || times <= 0.0 {
            continue;
        }
        let mut now = act.at(&moment, share);
        // Beside another origin whatever asks for a place of its own asks for it in the world.
        let elsewhere = scene.origin != [0.0; 3] && act.can_stand();
        let stands = place.is_some() || act.is_placed() || elsewhere;
        let stand = stands.then(|| stand(&pose_at(scene, place.as_ref().unwrap_or(&Node::default()), frame)));
        if let Some(pull) = now.pull()
            && field.zone.is_none()
            && field.zones.is_empty()
            && (field.is_on_all() || bodies.is_empty())
        {
            let pull = stand.map_or(pull, |s| s.turned(pull));
            let now = FieldNow { act: now, by, stand, zones: vec![], only: None, times };
            pulls.push((Named { id: id.clone(), now }, pull));
            continue;
        }
        // Where no bodies are named it is asked for the place itself.
        let only = (!field.is_on_all() && !bodies.is_empty()).then(|| {
            let group = |b: &BodyId| scene.bodies.get(b).map_or("", |b| b.touch.group.as_str());
            let on = bodies.iter().enumerate().filter(|(_, b)| field.is_on(b, group(b)));
            on.map(|(k, _)| k).collect::<Vec<_>>()
        });
        if only.as_ref().is_some_and(Vec::is_empty) {
            continue;
        }
        if let (Act::Skin(s), ActNow::Skin(now)) = (act, &mut now) {
            now.surface = crate::around::surface(scene, id, &s.of, frame);
        }
        let zones = field.all_zones().map(|(z, joins)| (zone_at(scene, z, frame), joins)).collect();
        let now = FieldNow { act: now, by, stand, zones, only, times };
        fields.push((act.rank(), Named { id: id.clone(), now }));
    }
    // Kinds are summed one after the other, and those of a kind by what they are, so that the order of the list and
    // their names change nothing.
    pulls.sort_by_cached_key(|(f, _)| told(f));
    fields.sort_by_cached_key(|(rank, f)| (*rank, told(f)));
    if fields.iter().any(|f| matches!(f.1.now.act, ActNow::Shelter(_))) {
        let winds = fields.iter().filter_map(|(_, f)| match (&f.now.act, f.now.by) {
            (ActNow::Wind(w), By::Air) => Some(f.now.stand.map_or(w.velocity, |s| s.turned(w.velocity))),
            _ => None,
        });
        let around = crate::around::around(scene, sum(winds), frame);
        fields = fields.into_iter().flat_map(|f| met(scene, bodies, &around, f)).collect();
        fields.sort_by_cached_key(|(rank, f)| (*rank, told(f)));
    }
    let gravity = sum(pulls.iter().map(|p| p.1));
    let pulls = pulls.into_iter().map(|p| p.0).collect();
    Fields { gravity, pulls, each: fields.into_iter().map(|f| f.1).collect() }
}

/// All that a field is at a moment.
fn told(field: &Named) -> Vec<u8> {
    let mut marks = Marks::default();
    field.now.mark(&mut marks);
    marks.0
}

fn sum(all: impl Iterator<Item = [f32; 3]>) -> [f32; 3] {
    all.fold([0.0; 3], |sum, by| std::array::from_fn(|k| sum[k] + by[k]))
}

/// A field that has met what is around. Where bodies give shelter each of them meets all others, so that it is one for each.
fn met(scene: &Stage, bodies: &[BodyId], around: &Around, (rank, f): (usize, Named)) -> Vec<(usize, Named)> {
    let to = |around: &Around, only: Option<Vec<usize>>| {
        let mut now = FieldNow { only, ..f.now.clone() };
        now.act.meet(around);
        (rank, Named { id: f.id.clone(), now })
    };
    match &f.now.act {
        ActNow::Shelter(s) if s.bodies && bodies.is_empty() => {
            vec![to(&with_bodies(scene, around, None), None)]
        }
        ActNow::Shelter(s) if s.bodies => {
            let all = || (0..bodies.len()).collect();
            let on: Vec<usize> = f.now.only.clone().unwrap_or_else(all);
            on.into_iter().map(|k| to(&with_bodies(scene, around, Some(&bodies[k])), Some(vec![k]))).collect()
        }
        _ => vec![to(around, f.now.only.clone())],
    }
}

/// How much of a field acts at a moment, in frames: 0 to 1.
fn share(field: &Field, frame: f64) -> f64 {
    let Some(When { from, until, ease }) = &field.when else { return if field.on { 1.0 } else { 0.0 } };
    let inside = (frame - *from as f64).min(*until as f64 - frame);
    match () {
        () if !field.on || inside < 0.0 => 0.0,
        () if inside >= *ease => 1.0,
        () => {
            let t = inside / ease;
            t * t * (3.0 - 2.0 * t)
        }
    }
}

pub(crate) fn zone_at(scene: &Stage, zone: &Zone, frame: f64) -> ZoneNow {
    zone_at_stand(scene, zone, &World::of(scene, &zone.place, frame), frame)
}

/// A zone at a moment, where it stands.
pub(crate) fn zone_at_stand(scene: &Stage, zone: &Zone, at: &World, frame: f64) -> ZoneNow {
    let moment = scene.frames.moment(frame);
    let Zone { place: _, form, edge, profile, outside } = zone;
    // A ball is the same however it is turned.
    let pose = match form {
        ZoneForm::Ball(_) => Pose { turn: [0.0, 0.0, 0.0, 1.0], ..at.pose() },
        _ => at.pose(),
    };
    let stands = stand(&pose);
    let at = |v: &nematon_document::Value| v.at(&moment) as f32;
    let form = match form {
        ZoneForm::Ball(b) => ZoneFormNow::Ball { radius: at(&b.radius) },
        ZoneForm::Box(b) => {
            ZoneFormNow::Box { half: std::array::from_fn(|k| (0.5 * b.size[k].at(&moment)) as f32) }
        }
        ZoneForm::Capsule(c) => {
            ZoneFormNow::Capsule { radius: at(&c.radius), half: (0.5 * c.length.at(&moment)) as f32 }
        }
        ZoneForm::Slab(s) => ZoneFormNow::Slab { half: (0.5 * s.thickness.at(&moment)) as f32 },
        ZoneForm::Tube(t) => ZoneFormNow::Tube {
            radius: at(&t.radius),
            half: (0.5 * t.length.at(&moment)) as f32,
            wall: (0.5 * t.wall.at(&moment)) as f32,
        },
    };
    ZoneNow { stand: stands, form, edge: at(edge), profile: *profile, outside: *outside }
}

fn stand(pose: &Pose) -> Stand {
    Stand::of(pose.position, pose.turn)
}

/// Where a node is in the world at a moment, in frames.
pub fn pose_at(scene: &Stage, node: &Node, frame: f64) -> Pose {
    World::of(scene, node, frame).pose()
}

/// The position (metres) and turn (about x, then y, then z, radians) that a thing has on `on` where it is in the world as
/// `world`, or stays where `node` is at a frame.
pub fn place_on(
    scene: &Stage,
    node: &Node,
    on: Option<Parent>,
    world: Option<&Pose>,
    frame: f64,
) -> ([f64; 3], [f64; 3]) {
    let now = match world {
        Some(p) => World { position: p.position.map(f64::from), turn: p.turn.map(f64::from) },
        None => World::of(scene, node, frame),
    };
    let under = World::of(scene, &Node { on, ..Node::default() }, frame);
    let [x, y, z, w] = under.turn;
    let turn = times([-x, -y, -z, w], now.turn);
    (under.inverse(now.position), crate::turns(turn))
}

/// Puts the points of a body where it starts.
pub(crate) fn place_body(scene: &Stage, node: &Node, points: &mut [[f32; 3]]) {
    let (position, turn) = node.stands();
    if node.on.is_none() {
        let position = std::array::from_fn(|c| position[c] - scene.origin[c]);
        return nematon_geometry::place(points, position, turn);
    }
    let at = World::of(scene, node, scene.frames.first as f64);
    points.iter_mut().for_each(|p| *p = at.place(p.map(f64::from)).map(|c| c as f32));
}

/// A place as a stage tells it, in double precision.
pub(crate) struct World {
    pub position: [f64; 3],
    /// Unit quaternion: x, y, z, w.
    pub turn: [f64; 4],
}

impl World {
    /// Where what is told is told from.
    pub fn here() -> World {
        World { position: [0.0; 3], turn: [0.0, 0.0, 0.0, 1.0] }
    }

    pub fn of(scene: &Stage, node: &Node, frame: f64) -> World {
        World::on(scene, node, frame, 0)
    }

    fn on(scene: &Stage, node: &Node, frame: f64, depth: usize) -> World {
        let (position, turn) = node.at(&scene.frames.moment(frame));
        let own = World { position, turn: quaternion(turn) };
        let parent = node.on.as_ref().and_then(|p| p.node(scene)).filter(|_| depth <= MOST_ON_EACH_OTHER);
        let Some(parent) = parent else {
            return World { position: std::array::from_fn(|c| own.position[c] - scene.origin[c]), ..own };
        };
        let mut under = World::on(scene, parent, frame, depth + 1);
        // What its file brings along stands between the two.
        if let Some(by) = node.on.as_ref().and_then(|p| scene.carried(p, frame)) {
            let turn = times(under.turn, by.turn.to_array());
            under = World { position: under.place(by.position.to_array()), turn };
        }
        World { position: under.place(own.position), turn: times(under.turn, own.turn) }
    }

    pub fn pose(&self) -> Pose {
        Pose { position: self.position.map(|c| c as f32), turn: self.turn.map(|c| c as f32) }
    }

    /// The same as seen from another.
    pub fn beside(&self, other: &World) -> World {
        let [x, y, z, w] = other.turn;
        World { position: other.inverse(self.position), turn: times([-x, -y, -z, w], self.turn) }
    }

    pub fn direction(&self, p: [f64; 3]) -> [f64; 3] {
        turned(self.turn, p)
    }

    /// A direction in the world as the thing's own.
    pub fn back(&self, p: [f64; 3]) -> [f64; 3] {
        let [x, y, z, w] = self.turn;
        turned([-x, -y, -z, w], p)
    }

    /// A place in the world as the thing's own.
    pub fn inverse(&self, p: [f64; 3]) -> [f64; 3] {
        self.back(std::array::from_fn(|k| p[k] - self.position[k]))
    }

    pub fn place(&self, p: [f64; 3]) -> [f64; 3] {
        let by = self.direction(p);
        std::array::from_fn(|k| self.position[k] + by[k])
    }
}

/// Turned about x, then y, then z.
fn quaternion(turn: [f64; 3]) -> [f64; 4] {
    let [(sx, cx), (sy, cy), (sz, cz)] = turn.map(|a| libm::sincos(0.5 * a));
    [
        sx * cy * cz - cx * sy * sz,
        cx * sy * cz + sx * cy * sz,
        cx * cy * sz - sx * sy * cz,
        cx * cy * cz + sx * sy * sz,
    ]
}

/// First `b`, then `a`.
fn times(a: [f64; 4], b: [f64; 4]) -> [f64; 4] {
    [
        a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
        a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
        a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
        a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
    ]
}

fn turned([x, y, z, w]: [f64; 4], p: [f64; 3]) -> [f64; 3] {
    let t = [2.0 * (y * p[2] - z * p[1]), 2.0 * (z * p[0] - x * p[2]), 2.0 * (x * p[1] - y * p[0])];
    [
        p[0] + w * t[0] + y * t[2] - z * t[1],
        p[1] + w * t[1] + z * t[0] - x * t[2],
        p[2] + w * t[2] + x * t[1] - y * t[0],
    ]
}
