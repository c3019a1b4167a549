use super::{Kind, Pair};
use crate::outline::check_outline;
use crate::{Mesh, piece, place};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Flat pieces cut to outlines, each meshed evenly. The first coordinate of an outline runs along a panel's own x, the second
/// along its -z, and it faces up before it is turned.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Panels {
    #[schemars(title = "Panels", length(min = 1, max = 60))]
    pub panels: Vec<Panel>,
    /// How far points lie apart.
    #[schemars(title = "Points every", range(min = 0.001, max = 10), extend("unit" = "m"))]
    pub every: f64,
}

/// A flat piece.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub struct Panel {
    /// Its borders have it before their own: `NAME rim`, or `NAME side 1` and so on between sharp corners.
    #[schemars(title = "Name", length(min = 1, max = 40))]
    pub name: String,
    /// Corner after corner.
    #[schemars(title = "Outline", length(min = 3, max = 2000), inner(inner(range(min = -500, max = 500))))]
    pub outline: Vec<[f64; 2]>,
    /// Facing the other way.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    #[schemars(title = "Turned")]
    pub turned: bool,
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Position", inner(range(min = -500, max = 500)), extend("default" = [0.0, 0.0, 0.0], "unit" = "m"))]
    pub position: [f64; 3],
    #[serde(default, skip_serializing_if = "is_zero")]
    #[schemars(title = "Turn", inner(range(min = -100, max = 100)), extend("default" = [0.0, 0.0, 0.0], "unit" = "rad"))]
    pub turn: [f64; 3],
}

fn is_zero(v: &[f64; 3]) -> bool {
    *v == [0.0; 3]
}

impl Panels {
    /// An outline, and what is sewn to it all round: the same from behind.
    pub fn sewn(outline: Vec<[f64; 2]>, every: f64, apart: f64) -> Panels {
        let panel = |name: &str, turned: bool, y: f64| Panel {
            name: name.into(),
            outline: outline.clone(),
            turned,
            position: [0.0, y, 0.0],
            turn: [0.0; 3],
        };
        Panels { panels: vec![panel("top", false, 0.5 * apart), panel("bottom", true, -0.5 * apart)], every }
    }

    /// The borders of a panel, all round.
    fn rim(&self, k: usize) -> Vec<String> {
        let p = &self.panels[k];
        let found = piece(&p.outline, self.every).map(|m| m.borders).unwrap_or_default();
        found.into_iter().map(|b| format!("{} {}", p.name, b.name)).collect()
    }
}

impl Kind for Panels {
    fn begin() -> Panels {
        let outline = vec![[-0.3, -0.2], [0.3, -0.2], [0.2, 0.2], [-0.2, 0.2]];
        Panels::sewn(outline, 0.018, super::apart())
    }
    fn points(&self) -> usize {
        self.mesh().positions.len()
    }
    fn mesh(&self) -> Mesh {
        let mut m = Mesh::default();
        for p in &self.panels {
            let Ok(mut own) = piece(&p.outline, self.every) else { continue };
            place(&mut own.positions, p.position, p.turn);
            m.take_in(&p.name, if p.turned { own.turned() } else { own });
        }
        m
    }
    /// Of two of one outline, theirs; of others which belong together is not known.
    fn seams(&self) -> Vec<Pair> {
        match &self.panels[..] {
            [a, b] if a.outline == b.outline => vec![("Rim".into(), [self.rim(0), self.rim(1)])],
            _ => vec![],
        }
    }
    fn fault(&self) -> Option<(&'static str, String)> {
        for (k, p) in self.panels.iter().enumerate() {
            if let Err(why) = check_outline(&p.outline) {
                return Some((
                    "panels",
                    format!("can't be: the outline of panel {} ({}) {why}", k + 1, p.name),
                ));
            }
            if self.panels[..k].iter().any(|q| q.name == p.name) {
                return Some(("panels", format!("has two of the name \"{}\"", p.name)));
            }
        }
        let area: f64 = self
            .panels
            .iter()
            .map(|p| {
                let n = p.outline.len();
                let twice: f64 = (0..n)
                    .map(|k| {
                        let (a, b) = (p.outline[k], p.outline[(k + 1) % n]);
                        a[0] * b[1] - a[1] * b[0]
                    })
                    .sum();
                0.5 * twice.abs()
            })
            .sum();
        super::too_fine(self.every, area).map(|why| ("every", why))
    }
}
