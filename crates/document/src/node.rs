use crate::{ColliderId, FigureId, HandleId, JointOf, Scene, SpotOf};
use nematon_motion::{Moment, Value};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Where a thing stands: turned about x, then y, then z, and moved, in the world or on what it stands on. All that has
/// a place has one.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Node {
    #[schemars(title = "Position", inner(range(min = -10_000, max = 10_000)), extend("unit" = "m"))]
    #[serde(default)]
    pub position: [Value; 3],
    /// Counted on from key to key: a whole turn is a turn.
    #[schemars(title = "Turn", inner(range(min = -1000, max = 1000)), extend("unit" = "rad"))]
    #[serde(default)]
    pub turn: [Value; 3],
    /// What it rides on; left out, the world.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    #[schemars(title = "Stands on")]
    pub on: Option<Parent>,
}

/// What a node can stand on.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Parent {
    Handle(HandleId),
    Collider(ColliderId),
    /// As it is placed, whatever it does there.
    Figure(FigureId),
    Joint(JointOf),
    Spot(SpotOf),
}

impl Node {
    /// At a place that stays.
    pub fn still(position: [f64; 3], turn: [f64; 3]) -> Node {
        Node { position: nematon_motion::stills(position), turn: nematon_motion::stills(turn), on: None }
    }

    /// Its own position and turn at a moment, on what it stands on.
    pub fn at(&self, moment: &Moment) -> ([f64; 3], [f64; 3]) {
        let of = |v: &[Value; 3]| std::array::from_fn(|k| v[k].at(moment));
        (of(&self.position), of(&self.turn))
    }

    /// Position and turn of one that stays where it is.
    pub fn stands(&self) -> ([f64; 3], [f64; 3]) {
        self.at(&Moment { frame: 0.0, first: 0.0, rate: 1.0 })
    }

    /// Whether it itself stays where it is on what it stands on.
    pub fn is_still(&self) -> bool {
        self.position.iter().chain(&self.turn).all(Value::is_still)
    }
}

impl Parent {
    /// Its node, where there is such a thing.
    pub fn node<'s>(&self, scene: &'s Scene) -> Option<&'s Node> {
        match self {
            Parent::Handle(h) => scene.handles.get(h).map(|h| &h.place),
            Parent::Collider(c) => scene.colliders.get(c).map(|c| &c.place),
            Parent::Figure(f) => scene.figures.get(f).map(|f| &f.place),
            Parent::Joint(j) => scene.figures.get(&j.figure).map(|f| &f.place),
            Parent::Spot(s) => scene.figures.get(&s.figure).map(|f| &f.place),
        }
    }

    /// The figure whose own motion carries it.
    pub fn rides(&self) -> Option<&FigureId> {
        match self {
            Parent::Joint(j) => Some(&j.figure),
            Parent::Spot(s) => Some(&s.figure),
            Parent::Handle(_) | Parent::Collider(_) | Parent::Figure(_) => None,
        }
    }

    /// As a sentence names it.
    pub fn name(&self, scene: &Scene) -> String {
        match self {
            Parent::Handle(h) => scene.handles.get(h).map_or(h.0.clone(), |h| h.name.clone()),
            Parent::Collider(c) => scene.colliders.get(c).map_or(c.0.clone(), |c| c.name.clone()),
            Parent::Figure(f) | Parent::Spot(SpotOf { figure: f, .. }) => {
                scene.figures.get(f).map_or(f.0.clone(), |f| f.name.clone())
            }
            Parent::Joint(j) => {
                let of = scene.figures.get(&j.figure).map_or(&j.figure.0, |f| &f.name);
                format!("{} of {of}", j.joint)
            }
        }
    }
}
