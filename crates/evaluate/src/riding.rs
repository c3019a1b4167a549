//! What rides on the skin of a figure, point by point: in place and turn.
use crate::resolve::World;
use crate::{Playing, Stage};
use glam::{DMat3, DQuat};
use nematon_document::{Figure, FigureForm, Node};
use nematon_figure::{Spot, spots};
use nematon_geometry::Mesh;
use std::sync::Arc;

/// Spots of a figure's surface, one a point, where they were nearest at the first frame.
pub(crate) struct Surface {
    pub plays: Arc<Playing>,
    spots: Vec<Spot>,
}

/// The turns from axes to axes, as unit quaternions: x, y, z, w.
pub(crate) fn turned(from: &[DMat3], to: &[DMat3]) -> Vec<[f32; 4]> {
    let turn = |(a, b): (&DMat3, &DMat3)| DQuat::from_mat3(&(*b * a.transpose())).as_quat().to_array();
    from.iter().zip(to).map(turn).collect()
}

impl Surface {
    /// # Errors
    /// When the figure can't be had, or has no surface.
    pub fn of(
        scene: &Stage,
        figure: &Figure,
        of: &FigureForm,
        placed: &[[f32; 3]],
        points: &[u32],
    ) -> Result<Surface, String> {
        let plays = scene.figure(&of.figure)?.clone();
        let first = scene.frames.first as f64;
        let at = World::of(scene, &figure.place, first);
        let own: Vec<[f32; 3]> =
            points.iter().map(|p| at.inverse(placed[*p as usize].map(f64::from)).map(|c| c as f32)).collect();
        let now = plays.points(plays.time(scene, first));
        let triangles = plays.triangles(&of.parts)?;
        let mesh = Mesh { positions: (*now).clone(), triangles, ..Mesh::default() };
        let spots = spots(&mesh, &own).ok_or("has no surface")?;
        Ok(Surface { plays, spots })
    }

    /// The axes that its spots have in the world.
    pub fn axes(&self, scene: &Stage, place: &Node, frame: f64) -> Vec<DMat3> {
        let now = self.plays.points(self.plays.time(scene, frame));
        let at = World::of(scene, place, frame);
        let turn = DMat3::from_cols_array_2d(
            &[[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]].map(|v| at.direction(v)),
        );
        self.spots.iter().map(|s| turn * s.axes(&now)).collect()
    }

    pub fn places(&self, scene: &Stage, place: &Node, frame: f64) -> Arc<Vec<[f32; 3]>> {
        let now = self.plays.points(self.plays.time(scene, frame));
        let at = World::of(scene, place, frame);
        let put = |s: &Spot| at.place(s.place(&now).to_array()).map(|c| c as f32);
        Arc::new(self.spots.iter().map(put).collect())
    }
}
